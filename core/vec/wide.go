package vec

// WideResidual is res = b − A (x + y) in float64 on cells whose faces all have the weight
// 1, and 0 where diag is 0; it returns Σ res², summed before rounding. A nil y is 0. The
// cells begin at x[o] and y[o]; sy and sz, the larger, are how far apart rows and planes
// are. Rows of a multiple of Lanes.
func WideResidual(res, x, y []float32, o int, b, diag []float32, sy, sz int) (sum float64) {
	n := len(res)
	Whole(n)
	Row2(n, b, diag)
	if n == 0 {
		return 0
	}
	most := max(sy, sz, 1)
	if o < most || o+n+most > len(x) || y != nil && o+n+most > len(y) {
		panic("vec: the values round a row of a residual go beyond its array")
	}
	var acc [Lanes]float64
	switch {
	case Chosen == AVX512 && y != nil:
		wideResidual2AVX512(&res[0], &x[o], &y[o], &b[0], &diag[0], sy, sz, n, &acc)
	case Chosen == AVX512:
		wideResidualAVX512(&res[0], &x[o], &b[0], &diag[0], sy, sz, n, &acc)
	case Chosen == AVX2 && y != nil:
		wideResidual2AVX2(&res[0], &x[o], &y[o], &b[0], &diag[0], sy, sz, n, &acc)
	case Chosen == AVX2:
		wideResidualAVX2(&res[0], &x[o], &b[0], &diag[0], sy, sz, n, &acc)
	default:
		plainResidual(res, x, y, o, b, diag, sy, sz, &acc)
	}
	for _, v := range acc {
		sum += v
	}
	return sum
}

func plainResidual(res, x, y []float32, o int, b, diag []float32, sy, sz int, acc *[Lanes]float64) {
	at := func(i int) float64 {
		if y == nil {
			return float64(x[i])
		}
		return float64(x[i]) + float64(y[i])
	}
	for i := range res {
		res[i] = 0
		if d := float64(diag[i]); d != 0 {
			p := o + i
			r := float64(b[i]) - float64(d*at(p))
			r += ((at(p-1) + at(p+1)) + (at(p-sy) + at(p+sy))) + (at(p-sz) + at(p+sz))
			res[i] = float32(r)
			acc[i%Lanes] += float64(r * r)
		}
	}
}
