package pressure

import (
	"unsafe"

	"zarf/core/vec"
)

// Kernels on runs of values whose length is a multiple of 16. xm and xp
// are the run shifted by one cell; ym, yp, zm, zp the four rows beside it.

// jacobiPlainGo is a damped Jacobi sweep where all faces are open:
// dst = (1−ω) x + ω/d (b + Σ x_nb).
func jacobiPlainGo(dst, x, b, invd, xm, xp, ym, yp, zm, zp []float32) {
	n := len(dst)
	x, b, invd = x[:n], b[:n], invd[:n]
	xm, xp, ym, yp, zm, zp = xm[:n], xp[:n], ym[:n], yp[:n], zm[:n], zp[:n]
	for i := range dst {
		s := ((xm[i] + xp[i]) + (ym[i] + yp[i])) + (zm[i] + zp[i])
		dst[i] = float32(oneMinusOmega*x[i]) + float32(float32(omega*invd[i])*(b[i]+s))
	}
}

// jacobiWeightedGo is the same with face weights; wxp, wyp, wzp are the weights
// of the upper faces.
func jacobiWeightedGo(dst, x, b, invd, xm, xp, ym, yp, zm, zp, wx, wxp, wy, wyp, wz, wzp []float32) {
	n := len(dst)
	x, b, invd = x[:n], b[:n], invd[:n]
	xm, xp, ym, yp, zm, zp = xm[:n], xp[:n], ym[:n], yp[:n], zm[:n], zp[:n]
	wx, wxp, wy, wyp, wz, wzp = wx[:n], wxp[:n], wy[:n], wyp[:n], wz[:n], wzp[:n]
	for i := range dst {
		s := (float32(xm[i]*wx[i]) + float32(xp[i]*wxp[i])) + (float32(ym[i]*wy[i]) + float32(yp[i]*wyp[i])) + (float32(zm[i]*wz[i]) + float32(zp[i]*wzp[i]))
		dst[i] = float32(oneMinusOmega*x[i]) + float32(float32(omega*invd[i])*(b[i]+s))
	}
}

// applyPlainGo is dst = d x − Σ x_nb.
func applyPlainGo(dst, x, diag, xm, xp, ym, yp, zm, zp []float32) {
	n := len(dst)
	x, diag = x[:n], diag[:n]
	xm, xp, ym, yp, zm, zp = xm[:n], xp[:n], ym[:n], yp[:n], zm[:n], zp[:n]
	for i := range dst {
		s := ((xm[i] + xp[i]) + (ym[i] + yp[i])) + (zm[i] + zp[i])
		dst[i] = float32(diag[i]*x[i]) - s
	}
}

// applyWeightedGo is dst = d x − Σ w x_nb.
func applyWeightedGo(dst, x, diag, xm, xp, ym, yp, zm, zp, wx, wxp, wy, wyp, wz, wzp []float32) {
	n := len(dst)
	x, diag = x[:n], diag[:n]
	xm, xp, ym, yp, zm, zp = xm[:n], xp[:n], ym[:n], yp[:n], zm[:n], zp[:n]
	wx, wxp, wy, wyp, wz, wzp = wx[:n], wxp[:n], wy[:n], wyp[:n], wz[:n], wzp[:n]
	for i := range dst {
		s := (float32(xm[i]*wx[i]) + float32(xp[i]*wxp[i])) + (float32(ym[i]*wy[i]) + float32(yp[i]*wyp[i])) + (float32(zm[i]*wz[i]) + float32(zp[i]*wzp[i]))
		dst[i] = float32(diag[i]*x[i]) - s
	}
}

// residual is r = (b − r)·pn: what is left, ready to be restricted.
func residual(r, b, pn []float32) {
	vec.Whole(len(r))
	vec.Row2(len(r), b, pn)
	if useVectors {
		residualV(&r[0], &b[0], &pn[0], len(r))
		return
	}
	b, pn = b[:len(r)], pn[:len(r)]
	for i := range r {
		r[i] = float32((b[i] - r[i]) * pn[i])
	}
}

// spread is x += pn·(¾ c_main + ¼ c_side) on a fine row of n values, a
// multiple of 16: fine 2I draws from coarse I and I−1, fine 2I+1 from I and
// I+1. c starts at coarse −1 and holds n/2 + 16 values.
func spread(x, pn, c []float32) {
	n := len(x)
	vec.Whole(n)
	vec.Row(n, pn)
	vec.Row(n/2+8, c)
	if useVectors {
		spreadV(&x[0], &pn[0], &c[0], n)
		return
	}
	pn = pn[:n]
	for i := 0; i+1 < n; i += 2 {
		t := c[i/2 : i/2+3 : i/2+3]
		m := float32(0.75 * t[1])
		x[i] += float32(pn[i] * (m + float32(0.25*t[0])))
		x[i+1] += float32(pn[i+1] * (m + float32(0.25*t[2])))
	}
}

// scaleBy is dst = s·a·b.
func scaleBy(dst, a, b []float32, s float32) {
	vec.Whole(len(dst))
	vec.Row2(len(dst), a, b)
	if useVectors {
		scaleByV(&dst[0], &a[0], &b[0], s, len(dst))
		return
	}
	n := len(dst)
	a, b = a[:n], b[:n]
	for i := range dst {
		dst[i] = float32(float32(s*a[i]) * b[i])
	}
}

// axpy is dst += s·a.
func axpy(dst, a []float32, s float32) {
	vec.Whole(len(dst))
	vec.Row(len(dst), a)
	if useVectors {
		axpyV(&dst[0], &a[0], s, len(dst))
		return
	}
	a = a[:len(dst)]
	for i := range dst {
		dst[i] += float32(s * a[i])
	}
}

// xpay is dst = a + s·dst.
func xpay(dst, a []float32, s float32) {
	vec.Whole(len(dst))
	vec.Row(len(dst), a)
	if useVectors {
		xpayV(&dst[0], &a[0], s, len(dst))
		return
	}
	a = a[:len(dst)]
	for i := range dst {
		dst[i] = a[i] + float32(s*dst[i])
	}
}

// dot is Σ a·b in 16 lanes, the lanes added pairwise as float64.
func dot(a, b []float32) float64 {
	var acc [16]float32
	vec.Whole(len(a))
	vec.Row(len(a), b)
	b = b[:len(a)]
	if useVectors {
		dotV(&acc, &a[0], &b[0], len(a))
		return laneSum(&acc)
	}
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

// stencil is what the vector kernels of a row take; its layout is known to
// kernels_amd64.s.
type stencil struct {
	dst, x, b, invd, wx, wy, wz *float32
	sy, sz, n                   int // bytes
}

// whole panics unless the arrays are as long as the level's own.
func (l *level) whole(dst, x []float32) {
	n := len(l.diag)
	vec.Row2(n, dst, x)
	vec.Row3(n, l.invd, l.b, l.wx)
	vec.Row2(n, l.wy, l.wz)
}

// rowArgs points at row o of the level's arrays; b is the right-hand side, or
// the diagonal. Runs lie within a level by their making, neighbours included;
// that the arrays are as long as the level is checked once a plane, by whole.
func (l *level) rowArgs(dst, x, b []float32, o, n int) stencil {
	return stencil{&dst[o], &x[o], &b[o], &l.invd[o], &l.wx[o], &l.wy[o], &l.wz[o], l.sy * 4, l.sz * 4, n * int(unsafe.Sizeof(float32(0)))}
}
