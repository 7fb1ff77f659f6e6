package vec

// The reference: what each kernel computes, and in which order. Rows have been
// checked; they are cut to one length here so that the compiler knows it too.

// axpyPlain is dst ← dst + s·a, the product rounded before it is added. Two rows
// read and one written: 12 bytes a value for two operations, so it runs at the speed
// of memory in every set, as do all kernels down to dotPlain.
func axpyPlain(dst, a []float32, s float32) {
	a = a[:len(dst)]
	for i := range dst {
		dst[i] += float32(s * a[i])
	}
}

// xpayPlain is dst ← a + s·dst, the turn of the search direction in conjugate
// gradients: p ← z + βp.
func xpayPlain(dst, a []float32, s float32) {
	a = a[:len(dst)]
	for i := range dst {
		dst[i] = a[i] + float32(s*dst[i])
	}
}

// scalePlain is dst ← (s·a)·b. The order matters: s·(a·b) would round otherwise.
func scalePlain(dst, a, b []float32, s float32) {
	a, b = a[:len(dst)], b[:len(dst)]
	for i := range dst {
		dst[i] = float32(float32(s*a[i]) * b[i])
	}
}

// residualPlain turns r = A·x, left by an earlier pass, into w·(b − r). w is 1 where
// a cell has an equation and 0 elsewhere, so that shut cells can't add to a norm.
func residualPlain(r, b, w []float32) {
	b, w = b[:len(r)], w[:len(r)]
	for i := range r {
		r[i] = float32((b[i] - r[i]) * w[i])
	}
}

// dotPlain adds a·b into sixteen running sums, value i into lane i mod 16. Rows are
// padded to whole batches by the caller, which Dot makes sure of before it gets here.
//
// Sixteen sums are what one AVX-512 register holds. AVX2 keeps them in two registers
// and this loop in an array: the additions are then the same ones in the same order,
// and the sum has the same bits.
func dotPlain(acc *[Lanes]float32, a, b []float32) {
	b = b[:len(a)]
	for len(a) >= Lanes {
		p, q := a[:Lanes:Lanes], b[:Lanes:Lanes]
		for l := range acc {
			acc[l] += float32(p[l] * q[l])
		}
		a, b = a[Lanes:], b[Lanes:]
	}
}

// spreadPlain brings a correction from a coarse row c to the fine row x: fine value
// 2k lies a quarter of a coarse cell below coarse centre k+1 of c, 2k+1 as far above
// it, hence weights of 3/4 and 1/4 (trilinear interpolation between cell centres,
// one axis of it). c therefore holds one value more at either end. w masks shut
// cells.
func spreadPlain(x, w, c []float32) {
	n := len(x)
	w = w[:n]
	for i := 0; i+1 < n; i += 2 {
		t := c[i/2 : i/2+3 : i/2+3]
		// The share of the middle is computed once for both and has been rounded
		// once.
		m := float32(0.75 * t[1])
		x[i] += float32(w[i] * (m + float32(0.25*t[0])))
		x[i+1] += float32(w[i+1] * (m + float32(0.25*t[2])))
	}
}

// blendPlain is a weighted sum of four rows, added in two pairs: the pairs have no
// dependence on each other, so a machine can work on both at once, and the tree is
// the same in each set of instructions.
func blendPlain(dst, a, b, c, d []float32, w *[4]float32) {
	n := len(dst)
	a, b, c, d = a[:n], b[:n], c[:n], d[:n]
	for i := range dst {
		dst[i] = (float32(w[0]*a[i]) + float32(w[1]*b[i])) + (float32(w[2]*c[i]) + float32(w[3]*d[i]))
	}
}

// blendAddPlain is the same sum added to what dst holds.
func blendAddPlain(dst, a, b, c, d []float32, w *[4]float32) {
	n := len(dst)
	a, b, c, d = a[:n], b[:n], c[:n], d[:n]
	for i := range dst {
		dst[i] += (float32(w[0]*a[i]) + float32(w[1]*b[i])) + (float32(w[2]*c[i]) + float32(w[3]*d[i]))
	}
}

// followPlain is dst ← i·ramp + base + (a+b)/2: where the flow at the middle between
// two faces comes from, in cells, along one row. Index times ramp is computed afresh
// for each value, not added up: a running sum would drift along the row.
func followPlain(dst, a, b []float32, base, ramp float32) {
	a, b = a[:len(dst)], b[:len(dst)]
	for i := range dst {
		dst[i] = (base + float32(ramp*float32(i))) + float32(0.5*(a[i]+b[i]))
	}
}

// limitPlain is the last stage of MacCormack's advection: the first pass forward,
// corrected by half of what going forward and back again missed, and put back to the
// uncorrected value where it leaves the range [lo, hi] of the eight values that were
// interpolated. See package gas for the paper.
func limitPlain(dst, again, first, was, lo, hi []float32) {
	n := len(dst)
	again, first, was, lo, hi = again[:n], first[:n], was[:n], lo[:n], hi[:n]
	for i := range dst {
		v := first[i] + float32(0.5*(was[i]-again[i]))
		// A NaN passes both comparisons as false and so remains: it must show in the
		// statistics of the step, not be hidden by a limiter.
		if v < lo[i] || v > hi[i] {
			v = first[i]
		}
		dst[i] = v
	}
}

// largestPlain is the largest magnitude of a row, and whether any value in it is not
// finite. The two are asked together, as the row is read from memory once for both.
func largestPlain(row []float32) (top float32, odd bool) {
	var acc float32
	for _, v := range row {
		acc += v - v // zero for finite values, NaN otherwise
		if v < 0 {
			v = -v
		}
		if v > top {
			top = v
		}
	}
	return top, acc != 0
}

// outsidePlain reports a value outside 0 to top. It stops at the first one, so the
// common answer, no, is the one that costs a whole row. NaN counts as inside.
func outsidePlain(x []float32, top float32) bool {
	for _, v := range x {
		if v < 0 || v > top {
			return true
		}
	}
	return false
}

// hood is a run of n values from o on, and the runs round it.
// Rows of a grid have a ring of cells round them, so that o−1, o±sy and o±sz stay
// within the array for any run of inner cells.
func (s *Stencil) hood(a []float32, o, n int) (x, xm, xp, ym, yp, zm, zp []float32) {
	return a[o : o+n], a[o-1 : o-1+n], a[o+1 : o+1+n],
		a[o-s.sy : o-s.sy+n], a[o+s.sy : o+s.sy+n], a[o-s.sz : o-s.sz+n], a[o+s.sz : o+s.sz+n]
}

// faces are the weights of a run's faces: lower and upper along each axis.
// The weight of an upper face is the lower one of the next cell: faces are stored
// once, and a shut face is shut from both sides.
func (s *Stencil) faces(o, n int) (x, xp, y, yp, z, zp []float32) {
	return s.wx[o : o+n], s.wx[o+1 : o+1+n], s.wy[o : o+n], s.wy[o+s.sy : o+s.sy+n], s.wz[o : o+n], s.wz[o+s.sz : o+s.sz+n]
}

// jacobiPlain is one sweep of weighted Jacobi for A·x = b with the seven-point
// Laplacian: x' = (1−ω)·x + ω·(b + Σ neighbours)/diagonal, where keep is 1−ω and
// invd is one over the diagonal, 0 in a shut cell.
//
// Neighbours are added in pairs along an axis. Besides that the machine can work on
// the pairs side by side, it keeps a scene that is symmetrical about a plane
// symmetrical to the last bit: swapping the two of a pair changes nothing.
func jacobiPlain(dst, x, b, invd, xm, xp, ym, yp, zm, zp []float32, keep, omega float32) {
	n := len(dst)
	x, b, invd = x[:n], b[:n], invd[:n]
	xm, xp, ym, yp, zm, zp = xm[:n], xp[:n], ym[:n], yp[:n], zm[:n], zp[:n]
	for i := range dst {
		s := ((xm[i] + xp[i]) + (ym[i] + yp[i])) + (zm[i] + zp[i])
		dst[i] = float32(keep*x[i]) + float32(float32(omega*invd[i])*(b[i]+s))
	}
}

// jacobiWeightedPlain is the same sweep where faces are partly shut: each neighbour
// counts by the open share of the face between.
func jacobiWeightedPlain(dst, x, b, invd, xm, xp, ym, yp, zm, zp, wx, wxp, wy, wyp, wz, wzp []float32, keep, omega float32) {
	n := len(dst)
	x, b, invd = x[:n], b[:n], invd[:n]
	xm, xp, ym, yp, zm, zp = xm[:n], xp[:n], ym[:n], yp[:n], zm[:n], zp[:n]
	wx, wxp, wy, wyp, wz, wzp = wx[:n], wxp[:n], wy[:n], wyp[:n], wz[:n], wzp[:n]
	for i := range dst {
		s := (float32(xm[i]*wx[i]) + float32(xp[i]*wxp[i])) + (float32(ym[i]*wy[i]) + float32(yp[i]*wyp[i])) + (float32(zm[i]*wz[i]) + float32(zp[i]*wzp[i]))
		dst[i] = float32(keep*x[i]) + float32(float32(omega*invd[i])*(b[i]+s))
	}
}

// applyPlain is A·x with the seven-point Laplacian, positive definite: diagonal
// times the middle minus the neighbours.
func applyPlain(dst, x, diag, xm, xp, ym, yp, zm, zp []float32) {
	n := len(dst)
	x, diag = x[:n], diag[:n]
	xm, xp, ym, yp, zm, zp = xm[:n], xp[:n], ym[:n], yp[:n], zm[:n], zp[:n]
	for i := range dst {
		s := ((xm[i] + xp[i]) + (ym[i] + yp[i])) + (zm[i] + zp[i])
		dst[i] = float32(diag[i]*x[i]) - s
	}
}

// applyWeightedPlain is A·x with partly shut faces.
func applyWeightedPlain(dst, x, diag, xm, xp, ym, yp, zm, zp, wx, wxp, wy, wyp, wz, wzp []float32) {
	n := len(dst)
	x, diag = x[:n], diag[:n]
	xm, xp, ym, yp, zm, zp = xm[:n], xp[:n], ym[:n], yp[:n], zm[:n], zp[:n]
	wx, wxp, wy, wyp, wz, wzp = wx[:n], wxp[:n], wy[:n], wyp[:n], wz[:n], wzp[:n]
	for i := range dst {
		s := (float32(xm[i]*wx[i]) + float32(xp[i]*wxp[i])) + (float32(ym[i]*wy[i]) + float32(yp[i]*wyp[i])) + (float32(zm[i]*wz[i]) + float32(zp[i]*wzp[i]))
		dst[i] = float32(diag[i]*x[i]) - s
	}
}
