package vec

// Wide is a solution in float64 and what is to be known about it: a row of cells that
// begins at value O of its arrays.
type Wide struct {
	X, Y   []float32 // the solution is X + Y; a nil Y is 0
	O      int
	SY, SZ int // how far apart rows and planes are, SZ the larger
}

// WideResidual is res = b − A (x + y) in float64 on cells whose faces all have the weight
// 1, and 0 where diag is 0; it returns Σ res², summed before rounding. Rows of a multiple
// of Lanes.
func WideResidual(res []float32, s *Wide, b, diag []float32) (sum float64) {
	n := s.check(res, b, diag)
	if n == 0 {
		return 0
	}
	x := &s.X[s.O]
	var acc [Lanes]float64
	switch {
	case Chosen == AVX512 && s.Y != nil:
		wideResidual2AVX512(&res[0], x, &s.Y[s.O], &b[0], &diag[0], s.SY, s.SZ, n, &acc)
	case Chosen == AVX512:
		wideResidualAVX512(&res[0], x, &b[0], &diag[0], s.SY, s.SZ, n, &acc)
	case Chosen == AVX2 && s.Y != nil:
		wideResidual2AVX2(&res[0], x, &s.Y[s.O], &b[0], &diag[0], s.SY, s.SZ, n, &acc)
	case Chosen == AVX2:
		wideResidualAVX2(&res[0], x, &b[0], &diag[0], s.SY, s.SZ, n, &acc)
	default:
		s.plain(res, b, diag, nil, &acc)
	}
	return total(&acc)
}

// WideCutResidual is WideResidual where faces have weights: w[a] holds those of the lower
// faces along axis a, and is laid out as the solution is.
func WideCutResidual(res []float32, s *Wide, b, diag []float32, w [3][]float32) (sum float64) {
	n := s.check(res, b, diag)
	if n == 0 {
		return 0
	}
	for _, w := range w {
		if s.O+n+max(s.SY, s.SZ, 1) > len(w) {
			panic("vec: the weights of a row of a residual go beyond their array")
		}
	}
	x, wx, wy, wz := &s.X[s.O], &w[0][s.O], &w[1][s.O], &w[2][s.O]
	var acc [Lanes]float64
	switch {
	case Chosen == AVX512 && s.Y != nil:
		wideResidualCut2AVX512(&res[0], x, &s.Y[s.O], &b[0], &diag[0], wx, wy, wz, s.SY, s.SZ, n, &acc)
	case Chosen == AVX512:
		wideResidualCutAVX512(&res[0], x, &b[0], &diag[0], wx, wy, wz, s.SY, s.SZ, n, &acc)
	case Chosen == AVX2 && s.Y != nil:
		wideResidualCut2AVX2(&res[0], x, &s.Y[s.O], &b[0], &diag[0], wx, wy, wz, s.SY, s.SZ, n, &acc)
	case Chosen == AVX2:
		wideResidualCutAVX2(&res[0], x, &b[0], &diag[0], wx, wy, wz, s.SY, s.SZ, n, &acc)
	default:
		s.plain(res, b, diag, &w, &acc)
	}
	return total(&acc)
}

// check is how many cells a row has.
func (s *Wide) check(res, b, diag []float32) int {
	n := len(res)
	Whole(n)
	Row2(n, b, diag)
	if most := max(s.SY, s.SZ, 1); n > 0 && (s.O < most || s.O+n+most > len(s.X) || s.Y != nil && s.O+n+most > len(s.Y)) {
		panic("vec: the values round a row of a residual go beyond its array")
	}
	return n
}

func total(acc *[Lanes]float64) (sum float64) {
	for _, v := range acc {
		sum += v
	}
	return sum
}

func (s *Wide) at(i int) float64 {
	if s.Y == nil {
		return float64(s.X[i])
	}
	return float64(s.X[i]) + float64(s.Y[i])
}

// plain is both in plain Go; nil weights are 1.
func (s *Wide) plain(res, b, diag []float32, w *[3][]float32, acc *[Lanes]float64) {
	for i := range res {
		res[i] = 0
		d := float64(diag[i])
		if d == 0 {
			continue
		}
		p := s.O + i
		r := float64(b[i]) - float64(d*s.at(p))
		var sums [3]float64
		for a, by := range [3]int{1, s.SY, s.SZ} {
			u, v := s.at(p-by), s.at(p+by)
			if w != nil {
				u, v = float64(w[a][p])*u, float64(w[a][p+by])*v
			}
			sums[a] = float64(u) + float64(v)
		}
		r += (sums[0] + sums[1]) + sums[2]
		res[i] = float32(r)
		acc[i%Lanes] += float64(r * r)
	}
}
