package vec

import "math"

// Kernels of a dense Cholesky factor that is kept by columns, wide values from one to the next:
// columns four at a time, of rows in whole blocks of 16.

// Eliminate is c −= Σ a·b: from four columns of c, wide apart, each of k columns of a, step apart,
// times the four numbers of b for it, next apart. c and a are read over n rows. Products aren't
// rounded before they are taken off: a factor is nothing but these, and so they take half the time.
func Eliminate(c, a, b []float32, wide, step, next, k, n int) {
	if k == 0 || n == 0 {
		return
	}
	Whole(n)
	Row(3*wide+n, c)
	Row((k-1)*step+n, a)
	Row((k-1)*next+4, b)
	switch Chosen {
	case AVX512:
		eliminateAVX512(&c[0], &a[0], &b[0], wide, step, next, k, n)
	case AVX2:
		eliminateAVX2(&c[0], &a[0], &b[0], wide, step, next, k, n)
	default:
		for t := range k {
			from := a[t*step:][:n]
			for j := range 4 {
				to, by := c[j*wide:][:n], b[t*next+j]
				for i, v := range from {
					to[i] = fused(-v, by, to[i])
				}
			}
		}
	}
}

// Pivot is a column of a factor after the other, of four: less those before it times what of them
// is beside its pivot, times its pivot's inverse. l has those numbers: row after row of a triangle.
// What is smaller than 1e-16 is taken to be 0: products of it would be so small that processors are
// slow at them.
func Pivot(c []float32, wide int, l *[10]float32, n int) {
	if n == 0 {
		return
	}
	Whole(n)
	Row(3*wide+n, c)
	switch Chosen {
	case AVX512:
		pivotAVX512(&c[0], wide, l, n)
	case AVX2:
		pivotAVX2(&c[0], wide, l, n)
	default:
		for i := range n {
			k := 0
			for j := range 4 {
				v := c[j*wide+i]
				for m := range j {
					v -= float32(c[m*wide+i] * l[k])
					k++
				}
				v = float32(v * l[k])
				k++
				if math.Abs(float64(v)) < 1e-16 {
					v = 0
				}
				c[j*wide+i] = v
			}
		}
	}
}

// Forward is x less four columns times the numbers of y.
func Forward(x, c []float32, wide int, y *[4]float32, n int) {
	if n == 0 {
		return
	}
	Whole(n)
	Row(n, x)
	Row(3*wide+n, c)
	switch Chosen {
	case AVX512:
		forwardAVX512(&x[0], &c[0], wide, y, n)
	case AVX2:
		forwardAVX2(&x[0], &c[0], wide, y, n)
	default:
		for i := range n {
			v := x[i]
			for k := range 4 {
				v -= float32(c[k*wide+i] * y[k])
			}
			x[i] = v
		}
	}
}

// Backward adds x times each of four columns to sum, which has 16 lanes for each.
func Backward(sum *[64]float32, x, c []float32, wide, n int) {
	if n == 0 {
		return
	}
	Whole(n)
	Row(n, x)
	Row(3*wide+n, c)
	switch Chosen {
	case AVX512:
		backwardAVX512(sum, &x[0], &c[0], wide, n)
	case AVX2:
		backwardAVX2(sum, &x[0], &c[0], wide, n)
	default:
		for i := range n {
			for k := range 4 {
				sum[16*k+i%16] += float32(c[k*wide+i] * x[i])
			}
		}
	}
}

// fused is a b + c, rounded once, as processors do that have an instruction for it: in 64 bits a
// product is whole, and a sum that isn't is made odd, so that rounding it to 32 rounds what it
// stands for (Boldo and Melquiond 2008).
func fused(a, b, c float32) float32 {
	p, q := float64(a)*float64(b), float64(c)
	s := p + q
	t := s - p
	if e := (p - (s - t)) + (q - t); e != 0 {
		if u := math.Float64bits(s); u&1 == 0 {
			if (e > 0) == (s > 0) {
				u++
			} else {
				u--
			}
			s = math.Float64frombits(u)
		}
	}
	return float32(s)
}
