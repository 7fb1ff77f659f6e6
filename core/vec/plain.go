package vec

// The reference: what each kernel computes, and in which order. Rows have been
// checked; they are cut to one length here so that the compiler knows it too.

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

// dotPlain adds a·b into sixteen running sums, value i into lane i mod 16. Rows are
// whole batches.
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

// followPlain is dst[i] = (base + ramp·i) + (a[i] + b[i]). Index times ramp is worked
// out afresh for each value, not added up: a running sum would drift along the row.
func followPlain(dst, a, b []float32, base, ramp float32) {
	b = b[:len(dst)]
	for i, v := range a[:len(dst)] {
		dst[i] = (base + float32(ramp*float32(i))) + (v + b[i])
	}
}

// aheadPlain is dst[i] = (base + ramp·i) + h·u[i].
func aheadPlain(dst, u []float32, base, ramp, h float32) {
	for i, v := range u[:len(dst)] {
		dst[i] = (base + float32(ramp*float32(i))) + float32(h*v)
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

// enterPlain asks point by point; what is no number is not within, and didn't come in.
func enterPlain(u, lo, hi, x, y, z []float32, b *Sides, air float32) {
	for i := range u {
		out := false
		for a, v := range [3]float32{x[i], y[i], z[i]} {
			out = out || !(v >= 0) || !(v <= b[a])
			if v < b[3+a] || v > b[6+a] {
				u[i] = air
			}
		}
		if out {
			lo[i], hi[i] = u[i], u[i]
		}
	}
}
