package pressure

// Row kernels. All rows have the same length n, a multiple of 16. xm and xp
// are the row shifted by one cell; ym, yp, zm, zp the four rows beside it.

// jacobiPlain is a damped Jacobi sweep where all faces are open:
// dst = (1−ω) x + ω/d (b + Σ x_nb).
func jacobiPlain(dst, x, b, invd, xm, xp, ym, yp, zm, zp []float32) {
	n := len(dst)
	x, b, invd = x[:n], b[:n], invd[:n]
	xm, xp, ym, yp, zm, zp = xm[:n], xp[:n], ym[:n], yp[:n], zm[:n], zp[:n]
	for i := range dst {
		s := ((xm[i] + xp[i]) + (ym[i] + yp[i])) + (zm[i] + zp[i])
		dst[i] = float32(oneMinusOmega*x[i]) + float32(float32(omega*invd[i])*(b[i]+s))
	}
}

// jacobiWeighted is the same with face weights; wxp, wyp, wzp are the weights
// of the upper faces.
func jacobiWeighted(dst, x, b, invd, xm, xp, ym, yp, zm, zp, wx, wxp, wy, wyp, wz, wzp []float32) {
	n := len(dst)
	x, b, invd = x[:n], b[:n], invd[:n]
	xm, xp, ym, yp, zm, zp = xm[:n], xp[:n], ym[:n], yp[:n], zm[:n], zp[:n]
	wx, wxp, wy, wyp, wz, wzp = wx[:n], wxp[:n], wy[:n], wyp[:n], wz[:n], wzp[:n]
	for i := range dst {
		s := (float32(xm[i]*wx[i]) + float32(xp[i]*wxp[i])) + (float32(ym[i]*wy[i]) + float32(yp[i]*wyp[i])) + (float32(zm[i]*wz[i]) + float32(zp[i]*wzp[i]))
		dst[i] = float32(oneMinusOmega*x[i]) + float32(float32(omega*invd[i])*(b[i]+s))
	}
}

// applyPlain is dst = d x − Σ x_nb.
func applyPlain(dst, x, diag, xm, xp, ym, yp, zm, zp []float32) {
	n := len(dst)
	x, diag = x[:n], diag[:n]
	xm, xp, ym, yp, zm, zp = xm[:n], xp[:n], ym[:n], yp[:n], zm[:n], zp[:n]
	for i := range dst {
		s := ((xm[i] + xp[i]) + (ym[i] + yp[i])) + (zm[i] + zp[i])
		dst[i] = float32(diag[i]*x[i]) - s
	}
}

// applyWeighted is dst = d x − Σ w x_nb.
func applyWeighted(dst, x, diag, xm, xp, ym, yp, zm, zp, wx, wxp, wy, wyp, wz, wzp []float32) {
	n := len(dst)
	x, diag = x[:n], diag[:n]
	xm, xp, ym, yp, zm, zp = xm[:n], xp[:n], ym[:n], yp[:n], zm[:n], zp[:n]
	wx, wxp, wy, wyp, wz, wzp = wx[:n], wxp[:n], wy[:n], wyp[:n], wz[:n], wzp[:n]
	for i := range dst {
		s := (float32(xm[i]*wx[i]) + float32(xp[i]*wxp[i])) + (float32(ym[i]*wy[i]) + float32(yp[i]*wyp[i])) + (float32(zm[i]*wz[i]) + float32(zp[i]*wzp[i]))
		dst[i] = float32(diag[i]*x[i]) - s
	}
}

// subtract is dst = a − b.
func subtract(dst, a, b []float32) {
	n := len(dst)
	a, b = a[:n], b[:n]
	for i := range dst {
		dst[i] = a[i] - b[i]
	}
}

// scaleBy is dst = s·a·b.
func scaleBy(dst, a, b []float32, s float32) {
	n := len(dst)
	a, b = a[:n], b[:n]
	for i := range dst {
		dst[i] = float32(float32(s*a[i]) * b[i])
	}
}

// axpy is dst += s·a.
func axpy(dst, a []float32, s float32) {
	a = a[:len(dst)]
	for i := range dst {
		dst[i] += float32(s * a[i])
	}
}

// xpay is dst = a + s·dst.
func xpay(dst, a []float32, s float32) {
	a = a[:len(dst)]
	for i := range dst {
		dst[i] = a[i] + float32(s*dst[i])
	}
}

// dot is Σ a·b in 16 lanes, the lanes added pairwise as float64.
func dot(a, b []float32) float64 {
	var acc [16]float32
	b = b[:len(a)]
	for len(a) >= 16 {
		p, q := a[:16:16], b[:16:16]
		for l := range acc {
			acc[l] += float32(p[l] * q[l])
		}
		a, b = a[16:], b[16:]
	}
	return laneSum(&acc)
}

func laneSum(acc *[16]float32) float64 {
	var s float64
	for _, v := range acc {
		s += float64(v)
	}
	return s
}

// blend4 is dst = Σ w_m rows_m: the transfer between levels across y and z.
func blend4(dst, a, b, c, d []float32, wa, wb, wc, wd float32) {
	n := len(dst)
	a, b, c, d = a[:n], b[:n], c[:n], d[:n]
	for i := range dst {
		dst[i] = (float32(wa*a[i]) + float32(wb*b[i])) + (float32(wc*c[i]) + float32(wd*d[i]))
	}
}
