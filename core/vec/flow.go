package vec

import (
	"fmt"
	"math"
)

// Kernels of a step of gas, on rows of any length. Each moves the rows that it names
// and computes a few operations a value: they run at the speed of memory, or of the
// second cache where their rows are there.

// Add is dst = a + b.
func Add(dst, a, b []float32) {
	n := len(dst)
	Row2(n, a, b)
	switch {
	case n == 0:
	case Chosen == AVX512:
		addAVX512(&dst[0], &a[0], &b[0], n)
	case Chosen == AVX2:
		addAVX2(&dst[0], &a[0], &b[0], n)
	default:
		for i := range dst {
			dst[i] = a[i] + b[i]
		}
	}
}

// Mean is dst = ½ (a + b).
func Mean(dst, a, b []float32) {
	n := len(dst)
	Row2(n, a, b)
	switch {
	case n == 0:
	case Chosen == AVX512:
		meanAVX512(&dst[0], &a[0], &b[0], n)
	case Chosen == AVX2:
		meanAVX2(&dst[0], &a[0], &b[0], n)
	default:
		for i := range dst {
			dst[i] = float32(0.5 * (a[i] + b[i]))
		}
	}
}

// AddMean is dst += ½ (a + b).
func AddMean(dst, a, b []float32) {
	n := len(dst)
	Row2(n, a, b)
	switch {
	case n == 0:
	case Chosen == AVX512:
		addMeanAVX512(&dst[0], &a[0], &b[0], n)
	case Chosen == AVX2:
		addMeanAVX2(&dst[0], &a[0], &b[0], n)
	default:
		for i := range dst {
			dst[i] += float32(0.5 * (a[i] + b[i]))
		}
	}
}

// AddTimes is dst += a·b.
func AddTimes(dst, a, b []float32) {
	n := len(dst)
	Row2(n, a, b)
	switch {
	case n == 0:
	case Chosen == AVX512:
		addTimesAVX512(&dst[0], &a[0], &b[0], n)
	case Chosen == AVX2:
		addTimesAVX2(&dst[0], &a[0], &b[0], n)
	default:
		for i := range dst {
			dst[i] += float32(a[i] * b[i])
		}
	}
}

// Times is dst = s·a.
func Times(dst, a []float32, s float32) {
	n := len(dst)
	Row(n, a)
	switch {
	case n == 0:
	case Chosen == AVX512:
		timesAVX512(&dst[0], &a[0], s, n)
	case Chosen == AVX2:
		timesAVX2(&dst[0], &a[0], s, n)
	default:
		for i := range dst {
			dst[i] = s * a[i]
		}
	}
}

// Fall is v −= share·(p − q).
func Fall(v, p, q []float32, share float32) {
	n := len(v)
	Row2(n, p, q)
	switch {
	case n == 0:
	case Chosen == AVX512:
		fallAVX512(&v[0], &p[0], &q[0], share, n)
	case Chosen == AVX2:
		fallAVX2(&v[0], &p[0], &q[0], share, n)
	default:
		for i := range v {
			v[i] -= float32(share * (p[i] - q[i]))
		}
	}
}

// Lift is v += ½ (a (h0/(h0 + t) + h1/(h1 + t)) − b (d0 + d1)).
func Lift(v, h0, h1, d0, d1 []float32, a, b, t float32) {
	n := len(v)
	Row2(n, h0, h1)
	Row2(n, d0, d1)
	switch {
	case n == 0:
	case Chosen == AVX512:
		liftAVX512(&v[0], &h0[0], &h1[0], &d0[0], &d1[0], a, b, t, n)
	case Chosen == AVX2:
		liftAVX2(&v[0], &h0[0], &h1[0], &d0[0], &d1[0], a, b, t, n)
	default:
		for i := range v {
			h := deficit(h0[i], t) + deficit(h1[i], t)
			v[i] += float32(0.5 * (float32(a*h) - float32(b*(d0[i]+d1[i]))))
		}
	}
}

// deficit is v/(v + t), v at least −0.99 t.
func deficit(v, t float32) float32 {
	if least := float32(-0.99 * t); v < least {
		v = least
	}
	return v / float32(v+t)
}

// Deficit is row = row/(row + t): how much lighter than gas at t kelvin, as a share, gas is
// that is so many kelvin warmer. Nothing is taken to be colder than a hundredth of t.
func Deficit(row []float32, t float32) {
	n := len(row)
	switch {
	case n == 0:
	case Chosen == AVX512:
		deficitAVX512(&row[0], t, n)
	case Chosen == AVX2:
		deficitAVX2(&row[0], t, n)
	default:
		for i, v := range row {
			row[i] = deficit(v, t)
		}
	}
}

// Warmth undoes Deficit: row = t row/(1 − row), for shares up to 0.999.
func Warmth(row []float32, t float32) {
	n := len(row)
	switch {
	case n == 0:
	case Chosen == AVX512:
		warmthAVX512(&row[0], t, n)
	case Chosen == AVX2:
		warmthAVX2(&row[0], t, n)
	default:
		for i, v := range row {
			if v > 0.999 {
				v = 0.999
			}
			row[i] = float32(t*v) / float32(1-v)
		}
	}
}

// Bend is f = first + up·max(f − first, 0) + down·min(f − first, 0): what a correction
// added and took away, each weakened.
func Bend(f, first []float32, up, down float32) {
	n := len(f)
	Row(n, first)
	switch {
	case n == 0:
	case Chosen == AVX512:
		bendAVX512(&f[0], &first[0], up, down, n)
	case Chosen == AVX2:
		bendAVX2(&f[0], &first[0], up, down, n)
	default:
		for i, v := range f {
			d := v - first[i]
			if d > 0 {
				d *= up
			} else {
				d *= down
			}
			f[i] = first[i] + d
		}
	}
}

// Bent is how much f lies over first where it lies over it, in sum, and under it where it
// lies under it.
func Bent(f, first []float32) (over, under float64) {
	first = first[:len(f)]
	var o, u [2]float64
	for i, v := range f {
		d := float64(v - first[i])
		if d > 0 {
			o[i&1] += d
		} else {
			u[i&1] -= d
		}
	}
	return o[0] + o[1], u[0] + u[1]
}

// Diverge is dst = h·src − ((u₊ − u) + (v1 − v0) + (w1 − w0)): the right side of a
// projection, u₊ the next value of u, which holds one more.
func Diverge(dst, src, u, v0, v1, w0, w1 []float32, h float32) {
	n := len(dst)
	Row3(n, src, v0, v1)
	Row2(n, w0, w1)
	Row(n+1, u)
	switch {
	case n == 0:
	case Chosen == AVX512:
		divergeAVX512(&dst[0], &src[0], &u[0], &v0[0], &v1[0], &w0[0], &w1[0], h, n)
	case Chosen == AVX2:
		divergeAVX2(&dst[0], &src[0], &u[0], &v0[0], &v1[0], &w0[0], &w1[0], h, n)
	default:
		for i := range dst {
			dst[i] = float32(h*src[i]) - (((u[i+1] - u[i]) + (v1[i] - v0[i])) + (w1[i] - w0[i]))
		}
	}
}

// Curl fills n values from o on of wx, wy, wz with inv·∇×(u, v, w), and mag with its
// magnitude: by differences over two cells, without the division.
func Curl(wx, wy, wz, mag *Window, u, v, w *Hood, o, n int, inv float32) {
	if n == 0 {
		return
	}
	hi := o + n
	x, y, z, m := wx.at(o, o, hi), wy.at(o, o, hi), wz.at(o, o, hi), mag.at(o, o, hi)
	p, pb, pa := u.hood(o, hi)
	q, qb, qa := v.hood(o, hi)
	r, _, _ := w.hood(o, hi)
	v.X.at(o, o-1, hi+1)
	w.X.at(o, o-1, hi+1)
	if v.SY != u.SY || w.SY != u.SY {
		panic(fmt.Sprintf("vec: rows %d, %d and %d apart", u.SY, v.SY, w.SY))
	}
	switch Chosen {
	case AVX512:
		curlAVX512(x, y, z, m, p, pb, pa, q, qb, qa, r, u.SY, inv, n)
	case AVX2:
		curlAVX2(x, y, z, m, p, pb, pa, q, qb, qa, r, u.SY, inv, n)
	default:
		curlPlain(wx, wy, wz, mag, u, v, w, o, n, inv)
	}
}

func curlPlain(wx, wy, wz, mag *Window, u, v, w *Hood, o, n int, inv float32) {
	sy := u.SY
	u0, u1, ub, ua := u.X.cut(o-sy, n), u.X.cut(o+sy, n), u.Below.cut(o, n), u.Above.cut(o, n)
	v0, v1, vb, va := v.X.cut(o-1, n), v.X.cut(o+1, n), v.Below.cut(o, n), v.Above.cut(o, n)
	w0, w1, wm, wp := w.X.cut(o-sy, n), w.X.cut(o+sy, n), w.X.cut(o-1, n), w.X.cut(o+1, n)
	a, b, c, m := wx.cut(o, n), wy.cut(o, n), wz.cut(o, n), mag.cut(o, n)
	for i := range m {
		x := float32(((w1[i] - w0[i]) - (va[i] - vb[i])) * inv)
		y := float32(((ua[i] - ub[i]) - (wp[i] - wm[i])) * inv)
		z := float32(((v1[i] - v0[i]) - (u1[i] - u0[i])) * inv)
		a[i], b[i], c[i] = x, y, z
		m[i] = root(float32(float32(x*x)+float32(y*y)) + float32(z*z))
	}
}

// root is the square root, rounded once.
func root(v float32) float32 { return float32(math.Sqrt(float64(v))) }

// Whirl fills fx, fy, fz with scale·(∇m/|∇m| × ω) on n cells from o on, 0 where m has
// no slope; times by·full, kept from 0 to 1, where by isn't nil. What it fills begins
// with the first of the n cells, and so does by.
func Whirl(fx, fy, fz []float32, m *Hood, wx, wy, wz *Window, o, n int, scale float32, by []float32, full float32) {
	if n == 0 {
		return
	}
	hi := o + n
	Row3(n, fx, fy, fz)
	x, y, z := wx.at(o, o, hi), wy.at(o, o, hi), wz.at(o, o, hi)
	p, pb, pa := m.hood(o, hi)
	m.X.at(o, o-1, hi+1)
	if by != nil {
		Row(n, by)
	}
	switch {
	case Chosen == AVX512 && by != nil:
		whirlByAVX512(&fx[0], &fy[0], &fz[0], p, pb, pa, x, y, z, m.SY, scale, n, &by[0], full)
	case Chosen == AVX512:
		whirlAVX512(&fx[0], &fy[0], &fz[0], p, pb, pa, x, y, z, m.SY, scale, n)
	case Chosen == AVX2 && by != nil:
		whirlByAVX2(&fx[0], &fy[0], &fz[0], p, pb, pa, x, y, z, m.SY, scale, n, &by[0], full)
	case Chosen == AVX2:
		whirlAVX2(&fx[0], &fy[0], &fz[0], p, pb, pa, x, y, z, m.SY, scale, n)
	default:
		whirlPlain(fx, fy, fz, m, wx, wy, wz, o, n, scale, by, full)
	}
}

func whirlPlain(fx, fy, fz []float32, m *Hood, wx, wy, wz *Window, o, n int, scale float32, by []float32, full float32) {
	xm, xp, ym, yp, zm, zp := m.X.cut(o-1, n), m.X.cut(o+1, n), m.X.cut(o-m.SY, n), m.X.cut(o+m.SY, n), m.Below.cut(o, n), m.Above.cut(o, n)
	as, bs, cs := wx.cut(o, n), wy.cut(o, n), wz.cut(o, n)
	for i := range n {
		x, y, z := xp[i]-xm[i], yp[i]-ym[i], zp[i]-zm[i]
		l := root(float32(float32(x*x)+float32(y*y)) + float32(z*z))
		q := scale / l
		if l < 1e-9 { // no axis to turn about
			q = 0
		}
		if by != nil {
			w := float32(by[i] * full)
			if !(w > 0) {
				w = 0
			}
			if !(w < 1) {
				w = 1
			}
			q *= w
		}
		a, b, c := as[i], bs[i], cs[i]
		fx[i], fy[i], fz[i] = float32(q*(float32(y*c)-float32(z*b))), float32(q*(float32(z*a)-float32(x*c))), float32(q*(float32(x*b)-float32(y*a)))
	}
}

// Span is the least and the largest of a row of a multiple of Lanes, NaN left out: lo
// and hi, or what they were.
func Span(row []float32, lo, hi float32) (least, most float32) {
	var a, b [Lanes]float32
	for i := range a {
		a[i], b[i] = lo, hi
	}
	n := len(row)
	Whole(n)
	switch {
	case n == 0:
	case Chosen == AVX512:
		spanAVX512(&row[0], n, &a, &b)
	case Chosen == AVX2:
		spanAVX2(&row[0], n, &a, &b)
	default:
		for i, v := range row {
			if v < a[i%Lanes] {
				a[i%Lanes] = v
			}
			if v > b[i%Lanes] {
				b[i%Lanes] = v
			}
		}
	}
	// by halves: eight comparisons that don't wait for each other, then four …
	for n := Lanes / 2; n > 0; n /= 2 {
		for i := range n {
			a[i], b[i] = min(a[i], a[n+i]), max(b[i], b[n+i])
		}
	}
	return a[0], b[0]
}

// Front is a step of a flame's front (Fisher 1937) in cells with fuel:
// dst = v + (q·Δv + g·v (1 − v)), Δ the sum of the six values round less 6 v; what is
// under 1e-5 is 0, and what is over 1 is 1. Rows of any length; x begins a value before
// the first and ends one after the last.
func Front(dst, fuel, x, ym, yp, zm, zp []float32, least, q, g float32) {
	n := len(dst)
	Row(n+2, x)
	Row3(n, fuel, ym, yp)
	Row2(n, zm, zp)
	switch {
	case n == 0:
	case Chosen == AVX512:
		frontAVX512(&dst[0], &fuel[0], &x[0], &ym[0], &yp[0], &zm[0], &zp[0], least, q, g, n)
	case Chosen == AVX2:
		frontAVX2(&dst[0], &fuel[0], &x[0], &ym[0], &yp[0], &zm[0], &zp[0], least, q, g, n)
	default:
		for i := range dst {
			if !(fuel[i] >= least) {
				continue
			}
			v := x[i+1]
			lap := ((((x[i] + x[i+2]) + ym[i]) + yp[i]) + zm[i]) + zp[i]
			lap -= float32(6 * v)
			v += float32(q*lap) + float32(float32(g*v)*(1-v))
			if v < 1e-5 {
				v = 0 // a front pulled by next to nothing would outrun its speed
			}
			dst[i] = min(v, 1)
		}
	}
}
