package vec

import (
	"fmt"
	"math"
)

// Slowing is what a batch of balls in one fluid is slowed by, for steps of one length.
type Slowing struct {
	Fluid     float32 // kg/m³
	Viscosity float32 // Pa·s
	Step      float32 // s
}

// Three are three rows of a batch, by axis.
type Three = [3][Batch]float32

// Rates are the rates 1/s at which drag slows balls in the middle of the step: k = 18 μ f/
// ((ρ + ½ρf) d²) of diameter d and density ρ, velocity v in a fluid of velocity u, pushed
// by a. f is the factor over Stokes' drag by Schiller and Naumann (1933), at least that of
// a coefficient of 0.44; the speed in the middle is guessed by an implicit half step. Rows
// are a multiple of Lanes long, a batch at most.
func (s *Slowing) Rates(k, size, density []float32, v, u, a *Three) {
	n := len(k)
	Whole(n)
	Row2(n, size, density)
	stokes, half, each, step := 18*s.Viscosity, 0.5*s.Fluid, s.Fluid/s.Viscosity, 0.5*s.Step
	switch {
	case n == 0:
	case n > Batch:
		panic(fmt.Sprintf("vec: %d balls in a batch of %d", n, Batch))
	case Chosen == AVX512:
		slowingAVX512(&k[0], &size[0], &density[0], &v[0][0], &u[0][0], &a[0][0], stokes, half, each, step, n)
	case Chosen == AVX2:
		slowingAVX2(&k[0], &size[0], &density[0], &v[0][0], &u[0][0], &a[0][0], stokes, half, each, step, n)
	default:
		for i := range k {
			var now, then float32
			for c := range v {
				d := v[c][i] - u[c][i]
				now += float32(d * d)
				d += float32(a[c][i] * step)
				then += float32(d * d)
			}
			d := size[i]
			m := float32((density[i]+half)*d) * d
			b, r := stokes/m, float32(each*d)
			f := float32(b * excess(float32(r*root(now))))
			f = float32(f*step) + 1
			k[i] = b * excess(float32(r*root(then))/f)
		}
	}
}

// excess is by how much more a ball is slowed than by Stokes' drag, at a Reynolds number:
// 1 + 0.15 Re^0.687, to 1e-4, or 0.44 Re/24.
func excess(x float32) float32 {
	x = greater(x, 1e-30)
	bits := math.Float32bits(x)
	e := float32(int32(bits>>23) - 127)
	t := math.Float32frombits(bits&0x7fffff+0x3f800000) - 1
	p := float32(-0.033822046)
	for _, c := range [...]float32{0.1444711, -0.30163801, 0.46865888, -0.72035877, 1.4426815} {
		p = float32(t*p) + c
	}
	p = float32(t*p) + e
	f := float32(fall(float32(p*-0.476192117))*0.15) + 1
	return greater(f, float32(x*0.0183333333))
}

// greater is a where it is greater than b, else b: as vectors have it.
func greater(a, b float32) float32 {
	if a > b {
		return a
	}
	return b
}

// Fading is what a step leaves of velocities that die away at rates k, the mean of that
// over the step, and the mean speed that an acceleration of 1 gives:
//
//	left = e^−min(x, 87), mean = (1 − left)/x, rise = (1 − mean)/k, x = k·step
//
// For rows of a multiple of Lanes.
func Fading(left, mean, rise, k []float32, step float32) {
	n := len(k)
	Whole(n)
	Row3(n, left, mean, rise)
	switch {
	case n == 0:
	case Chosen == AVX512:
		fadingAVX512(&left[0], &mean[0], &rise[0], &k[0], step, n)
	case Chosen == AVX2:
		fadingAVX2(&left[0], &mean[0], &rise[0], &k[0], step, n)
	default:
		for i, k := range k {
			x := float32(k * step)
			most := x
			if !(x < 87) {
				most = 87
			}
			p := fall(most)
			m := (1 - p) / x
			if x < 0.03125 {
				m = series(x, -1./24, 1./6, -0.5, 1)
			}
			left[i], mean[i] = p, m
			m = (1 - m) / k
			if x < 0.0625 {
				m = series(x, -1./120, 1./24, -1./6, 0.5) * step
			}
			rise[i] = m
		}
	}
}

func series(x, a, b, c, d float32) float32 {
	return float32((float32((float32(a*x)+b)*x)+c)*x) + d
}

// Carried is next = u + ((v − u) left + a (mean·step)) and along = u + ((v − u) mean + a
// rise): a part of the velocity at the end of a step, and its mean over that. For rows of a
// multiple of Lanes.
func Carried(next, along, v, u, a, left, mean, rise []float32, step float32) {
	n := len(next)
	Whole(n)
	Row3(n, along, v, u)
	Row3(n, a, left, mean)
	Row(n, rise)
	switch {
	case n == 0:
	case Chosen == AVX512:
		carriedAVX512(&next[0], &along[0], &v[0], &u[0], &a[0], &left[0], &mean[0], &rise[0], step, n)
	case Chosen == AVX2:
		carriedAVX2(&next[0], &along[0], &v[0], &u[0], &a[0], &left[0], &mean[0], &rise[0], step, n)
	default:
		for i := range next {
			d := v[i] - u[i]
			next[i] = float32(d*left[i]) + float32(float32(mean[i]*step)*a[i]) + u[i]
			along[i] = float32(d*mean[i]) + float32(rise[i]*a[i]) + u[i]
		}
	}
}

// Move is p += s·v.
func Move(p, v []float32, s float32) {
	n := len(p)
	Row(n, v)
	switch {
	case n == 0:
	case Chosen == AVX512:
		moveAVX512(&p[0], &v[0], s, n)
	case Chosen == AVX2:
		moveAVX2(&p[0], &v[0], s, n)
	default:
		for i := range p {
			p[i] += float32(v[i] * s)
		}
	}
}

// Leeway is how far balls stay off a box on their ways: off is the greater of itself and of
// how far the ways from p to p + s·v stay out of lo to hi along an axis, less half of their
// size and a gap. Called for each axis, it leaves those at nought and under that may touch.
func Leeway(off, p, v, size []float32, s, lo, hi, gap float32) {
	n := len(off)
	Row3(n, p, v, size)
	switch {
	case n == 0:
	case Chosen == AVX512:
		leewayAVX512(&off[0], &p[0], &v[0], &size[0], s, lo, hi, gap, n)
	case Chosen == AVX2:
		leewayAVX2(&off[0], &p[0], &v[0], &size[0], s, lo, hi, gap, n)
	default:
		for i := range off {
			q := float32(v[i]*s) + p[i]
			least, most := q, q
			if p[i] < q {
				least = p[i]
			}
			if p[i] > q {
				most = p[i]
			}
			d := greater(least-hi, lo-most) - (float32(size[i]*0.5) + gap)
			off[i] = greater(off[i], d)
		}
	}
}
