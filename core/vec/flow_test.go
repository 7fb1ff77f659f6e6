package vec

import "math/rand/v2"

func init() {
	rows := func(r *rand.Rand, n, count int) (out [][]float32) {
		for range count {
			out = append(out, values(r, n))
		}
		return out
	}
	for name, fn := range map[string]func(r *rand.Rand, n int) []float32{
		"Add":      func(r *rand.Rand, n int) []float32 { v := rows(r, n, 3); Add(v[0], v[1], v[2]); return v[0] },
		"Mean":     func(r *rand.Rand, n int) []float32 { v := rows(r, n, 3); Mean(v[0], v[1], v[2]); return v[0] },
		"AddMean":  func(r *rand.Rand, n int) []float32 { v := rows(r, n, 3); AddMean(v[0], v[1], v[2]); return v[0] },
		"AddTimes": func(r *rand.Rand, n int) []float32 { v := rows(r, n, 3); AddTimes(v[0], v[1], v[2]); return v[0] },
		"Times":    func(r *rand.Rand, n int) []float32 { v := rows(r, n, 2); Times(v[0], v[1], -0.3); return v[0] },
		"Front": func(r *rand.Rand, n int) []float32 {
			v := rows(r, n, 6)
			for i := range v[0] {
				v[0][i] = max(v[0][i]/4, 0)
			}
			Front(v[0], v[1], values(r, n+2), v[2], v[3], v[4], v[5], 0.3, 0.1, 0.2)
			return v[0]
		},
		"Fall": func(r *rand.Rand, n int) []float32 { v := rows(r, n, 3); Fall(v[0], v[1], v[2], 0.4); return v[0] },
		"Lift": func(r *rand.Rand, n int) []float32 {
			v := rows(r, n, 5)
			Lift(v[0], v[1], v[2], v[3], v[4], 0.4, 0.2, 293)
			return v[0]
		},
		"Deficit": func(r *rand.Rand, n int) []float32 { v := values(r, n); Deficit(v, 293); return v },
		"Warmth":  func(r *rand.Rand, n int) []float32 { v := values(r, n); Warmth(v, 293); return v },
		"Bend":    func(r *rand.Rand, n int) []float32 { v := rows(r, n, 2); Bend(v[0], v[1], 0.7, 0.9); return v[0] },
		"Diverge": func(r *rand.Rand, n int) []float32 {
			v := rows(r, n, 6)
			Diverge(v[0], v[1], values(r, n+1), v[2], v[3], v[4], v[5], 0.4)
			return v[0]
		},
		"Curl": func(r *rand.Rand, n int) []float32 {
			p := plane{sy: n + 2, size: 3*n + 7, rng: r}
			a, b, c, m := p.window(), p.window(), p.window(), p.window()
			Curl(a, b, c, m, p.hood(), p.hood(), p.hood(), n+3, n, 2.5)
			return append(append(append(a.A, b.A...), c.A...), m.A...)
		},
		"Whirl": func(r *rand.Rand, n int) []float32 {
			p := plane{sy: n + 2, size: 3*n + 7, rng: r}
			v, m := rows(r, n, 3), p.hood()
			if r.IntN(3) == 0 {
				for i := range m.X.A { // without a slope here and there
					m.X.A[i], m.Below.A[min(i, len(m.Below.A)-1)], m.Above.A[min(i, len(m.Above.A)-1)] = 1, 1, 1
				}
			}
			var by []float32
			if r.IntN(2) == 0 {
				by = values(r, n)
			}
			Whirl(v[0], v[1], v[2], m, p.window(), p.window(), p.window(), n+3, n, 0.3, by, 0.5)
			return append(append(v[0], v[1]...), v[2]...)
		},
		"Span": func(r *rand.Rand, n int) []float32 {
			lo, hi := Span(values(r, n&^15), 0.5, 0.6)
			return []float32{lo, hi}
		},
	} {
		kernels[name] = fn
	}
	short, long := make([]float32, 15), func() []float32 { return make([]float32, 16) }
	for name, fn := range map[string]func(){
		"Add":       func() { Add(long(), long(), short) },
		"Mean":      func() { Mean(long(), short, long()) },
		"AddMean":   func() { AddMean(long(), short, long()) },
		"AddTimes":  func() { AddTimes(long(), long(), short) },
		"Times":     func() { Times(long(), short, 1) },
		"Front x":   func() { Front(long(), long(), long(), long(), long(), long(), long(), 0, 1, 1) },
		"Front zp":  func() { Front(long(), long(), make([]float32, 34), long(), long(), long(), short, 0, 1, 1) },
		"Fall":      func() { Fall(long(), long(), short, 1) },
		"Lift":      func() { Lift(long(), long(), long(), short, long(), 1, 1, 1) },
		"Bend":      func() { Bend(long(), short, 1, 1) },
		"Diverge u": func() { Diverge(long(), long(), long(), long(), long(), long(), long(), 1) },
		"Diverge":   func() { Diverge(long(), long(), make([]float32, 17), short, long(), long(), long(), 1) },
		"Curl": func() {
			h := Hood{Window{A: make([]float32, 60)}, Window{A: make([]float32, 60)}, Window{A: make([]float32, 60)}, 20}
			w := Window{A: make([]float32, 60)}
			Curl(&w, &w, &w, &w, &h, &h, &h, 21, 20, 1)
		},
		"Whirl by": func() {
			h := Hood{Window{A: make([]float32, 60)}, Window{A: make([]float32, 60)}, Window{A: make([]float32, 60)}, 20}
			w := Window{A: make([]float32, 60)}
			Whirl(long(), long(), long(), &h, &w, &w, &w, 21, 16, 1, short, 1)
		},
		"Span odd": func() { Span(short, 0, 1) },
	} {
		shortRuns[name] = fn
	}
}
