package vec

// What is kept in float64: solutions that are refined beyond what float32 holds.

// Widen is dst = a, for rows of a multiple of Lanes.
func Widen(dst []float64, a []float32) {
	n := wide(dst, a)
	switch {
	case n == 0:
	case Chosen == AVX512:
		widenAVX512(&dst[0], &a[0], n)
	case Chosen == AVX2:
		widenAVX2(&dst[0], &a[0], n)
	default:
		for i := range dst {
			dst[i] = float64(a[i])
		}
	}
}

// AddWide is dst += a, for rows of a multiple of Lanes.
func AddWide(dst []float64, a []float32) {
	n := wide(dst, a)
	switch {
	case n == 0:
	case Chosen == AVX512:
		addWideAVX512(&dst[0], &a[0], n)
	case Chosen == AVX2:
		addWideAVX2(&dst[0], &a[0], n)
	default:
		for i := range dst {
			dst[i] += float64(a[i])
		}
	}
}

// Narrow is dst = a, for rows of a multiple of Lanes.
func Narrow(dst []float32, a []float64) {
	n := len(dst)
	Whole(n)
	if len(a) < n {
		short(1, len(a), n)
	}
	switch {
	case n == 0:
	case Chosen == AVX512:
		narrowAVX512(&dst[0], &a[0], n)
	case Chosen == AVX2:
		narrowAVX2(&dst[0], &a[0], n)
	default:
		for i := range dst {
			dst[i] = float32(a[i])
		}
	}
}

// wide panics unless dst is whole blocks and a has as many.
func wide(dst []float64, a []float32) int {
	n := len(dst)
	Whole(n)
	Row(n, a)
	return n
}

// WideResidual is res = b − A x in float64 on cells whose faces all have the weight 1,
// and 0 where diag is 0; it returns Σ res², summed before rounding. The cells begin at
// x[o]; sy and sz, the larger, are how far apart rows and planes are. Rows of a multiple of Lanes.
func WideResidual(res []float32, x []float64, o int, b, diag []float32, sy, sz int) (sum float64) {
	n := len(res)
	Whole(n)
	Row2(n, b, diag)
	if n == 0 {
		return 0
	}
	if o < max(sy, sz, 1) || o+n+max(sy, sz, 1) > len(x) {
		panic("vec: the values round a row of a residual go beyond its array")
	}
	var acc [Lanes]float64
	switch Chosen {
	case AVX512:
		wideResidualAVX512(&res[0], &x[o], &b[0], &diag[0], sy, sz, n, &acc)
	case AVX2:
		wideResidualAVX2(&res[0], &x[o], &b[0], &diag[0], sy, sz, n, &acc)
	default:
		for i := range res {
			res[i] = 0
			if d := float64(diag[i]); d != 0 {
				p := x[o+i-sz : o+i+sz+1]
				r := float64(b[i]) - float64(d*p[sz])
				r += ((p[sz-1] + p[sz+1]) + (p[sz-sy] + p[sz+sy])) + (p[0] + p[2*sz])
				res[i] = float32(r)
				acc[i%Lanes] += float64(r * r)
			}
		}
	}
	for _, v := range acc {
		sum += v
	}
	return sum
}
