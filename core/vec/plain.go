package vec

// The reference: what each kernel computes, and in which order. Rows have been
// checked; they are cut to one length here so that the compiler knows it too.

func axpyPlain(dst, a []float32, s float32) {
	a = a[:len(dst)]
	for i := range dst {
		dst[i] += float32(s * a[i])
	}
}

func xpayPlain(dst, a []float32, s float32) {
	a = a[:len(dst)]
	for i := range dst {
		dst[i] = a[i] + float32(s*dst[i])
	}
}

func scalePlain(dst, a, b []float32, s float32) {
	a, b = a[:len(dst)], b[:len(dst)]
	for i := range dst {
		dst[i] = float32(float32(s*a[i]) * b[i])
	}
}

func residualPlain(r, b, w []float32) {
	b, w = b[:len(r)], w[:len(r)]
	for i := range r {
		r[i] = float32((b[i] - r[i]) * w[i])
	}
}

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

func spreadPlain(x, w, c []float32) {
	n := len(x)
	w = w[:n]
	for i := 0; i+1 < n; i += 2 {
		t := c[i/2 : i/2+3 : i/2+3]
		m := float32(0.75 * t[1])
		x[i] += float32(w[i] * (m + float32(0.25*t[0])))
		x[i+1] += float32(w[i+1] * (m + float32(0.25*t[2])))
	}
}

func blendPlain(dst, a, b, c, d []float32, w *[4]float32) {
	n := len(dst)
	a, b, c, d = a[:n], b[:n], c[:n], d[:n]
	for i := range dst {
		dst[i] = (float32(w[0]*a[i]) + float32(w[1]*b[i])) + (float32(w[2]*c[i]) + float32(w[3]*d[i]))
	}
}

func blendAddPlain(dst, a, b, c, d []float32, w *[4]float32) {
	n := len(dst)
	a, b, c, d = a[:n], b[:n], c[:n], d[:n]
	for i := range dst {
		dst[i] += (float32(w[0]*a[i]) + float32(w[1]*b[i])) + (float32(w[2]*c[i]) + float32(w[3]*d[i]))
	}
}

func followPlain(dst, a, b []float32, base, ramp float32) {
	a, b = a[:len(dst)], b[:len(dst)]
	for i := range dst {
		dst[i] = (base + float32(ramp*float32(i))) + float32(0.5*(a[i]+b[i]))
	}
}

func limitPlain(dst, again, first, was, lo, hi []float32) {
	n := len(dst)
	again, first, was, lo, hi = again[:n], first[:n], was[:n], lo[:n], hi[:n]
	for i := range dst {
		v := first[i] + float32(0.5*(was[i]-again[i]))
		if v < lo[i] || v > hi[i] {
			v = first[i]
		}
		dst[i] = v
	}
}

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

func outsidePlain(x []float32, top float32) bool {
	for _, v := range x {
		if v < 0 || v > top {
			return true
		}
	}
	return false
}

// hood is a run of n values from o on, and the runs round it.
func (s *Stencil) hood(a []float32, o, n int) (x, xm, xp, ym, yp, zm, zp []float32) {
	return a[o : o+n], a[o-1 : o-1+n], a[o+1 : o+1+n],
		a[o-s.sy : o-s.sy+n], a[o+s.sy : o+s.sy+n], a[o-s.sz : o-s.sz+n], a[o+s.sz : o+s.sz+n]
}

// faces are the weights of a run's faces: lower and upper along each axis.
func (s *Stencil) faces(o, n int) (x, xp, y, yp, z, zp []float32) {
	return s.wx[o : o+n], s.wx[o+1 : o+1+n], s.wy[o : o+n], s.wy[o+s.sy : o+s.sy+n], s.wz[o : o+n], s.wz[o+s.sz : o+s.sz+n]
}

func jacobiPlain(dst, x, b, invd, xm, xp, ym, yp, zm, zp []float32, keep, omega float32) {
	n := len(dst)
	x, b, invd = x[:n], b[:n], invd[:n]
	xm, xp, ym, yp, zm, zp = xm[:n], xp[:n], ym[:n], yp[:n], zm[:n], zp[:n]
	for i := range dst {
		s := ((xm[i] + xp[i]) + (ym[i] + yp[i])) + (zm[i] + zp[i])
		dst[i] = float32(keep*x[i]) + float32(float32(omega*invd[i])*(b[i]+s))
	}
}

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

func applyPlain(dst, x, diag, xm, xp, ym, yp, zm, zp []float32) {
	n := len(dst)
	x, diag = x[:n], diag[:n]
	xm, xp, ym, yp, zm, zp = xm[:n], xp[:n], ym[:n], yp[:n], zm[:n], zp[:n]
	for i := range dst {
		s := ((xm[i] + xp[i]) + (ym[i] + yp[i])) + (zm[i] + zp[i])
		dst[i] = float32(diag[i]*x[i]) - s
	}
}

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
