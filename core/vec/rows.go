package vec

import (
	"math"
)

// missing is what a kernel says on a machine that has no such set.
const missing = "vec: this processor has no such kernels"

// Blend is dst = (w₀ a + w₁ b) + (w₂ c + w₃ d), for rows of any length.
func Blend(dst, a, b, c, d []float32, w *[4]float32) {
	n := len(dst)
	Row2(n, a, b)
	Row2(n, c, d)
	switch {
	case n == 0:
	case Chosen == AVX512:
		blendAVX512(&dst[0], &a[0], &b[0], &c[0], &d[0], w, n)
	case Chosen == AVX2:
		blendAVX2(&dst[0], &a[0], &b[0], &c[0], &d[0], w, n)
	default:
		blendPlain(dst, a, b, c, d, w)
	}
}

// Largest is the largest magnitude of a row of any length, NaN left out, and
// whether some value isn't finite.
// Finite is told by v − v, which is 0 for finite values alone.
func Largest(row []float32) (top float32, odd bool) {
	switch {
	case len(row) == 0:
		return 0, false
	case Chosen == AVX512:
		return largestAVX512(&row[0], len(row))
	case Chosen == AVX2:
		return largestAVX2(&row[0], len(row))
	}
	return largestPlain(row)
}

// Sides are those of a box from 0 on, and where what is beyond them came in from
// outside.
type Sides [9]float32

// NewSides takes how far the box goes and, for the low and the high side of each axis
// in turn, which are open.
func NewSides(top [3]float32, open [6]bool) (b Sides) {
	for a, v := range top {
		b[a], b[3+a], b[6+a] = v, float32(math.Inf(-1)), float32(math.Inf(1))
		if open[2*a] {
			b[3+a] = 0
		}
		if open[2*a+1] {
			b[6+a] = v
		}
	}
	return b
}

// Enter is u = air where a point (x, y, z) lies beyond an open side of a box, and
// lo = hi = u where it isn't within the box; rows of any length.
func Enter(u, lo, hi, x, y, z []float32, b *Sides, air float32) {
	n := len(u)
	Row2(n, lo, hi)
	Row3(n, x, y, z)
	switch {
	case n == 0:
	case Chosen == AVX512:
		enterAVX512(&u[0], &lo[0], &hi[0], &x[0], &y[0], &z[0], (*[9]float32)(b), air, n)
	case Chosen == AVX2:
		enterAVX2(&u[0], &lo[0], &hi[0], &x[0], &y[0], &z[0], (*[9]float32)(b), air, n)
	default:
		enterPlain(u, lo, hi, x, y, z, b, air)
	}
}

// Outside reports whether some value of a row of any length is under 0 or over
// top. NaN is neither.
func Outside(x []float32, top float32) bool {
	switch {
	case len(x) == 0:
		return false
	case Chosen == AVX512:
		return outsideAVX512(&x[0], len(x), top)
	case Chosen == AVX2:
		return outsideAVX2(&x[0], len(x), top)
	}
	return outsidePlain(x, top)
}
