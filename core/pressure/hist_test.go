package pressure

import (
	"math"
	"testing"

	"zarf/core/grid"
)

func TestHist(t *testing.T) {
	n := 128
	fn := float64(n)
	for name, solid := range map[string]func(i, j, k int) bool{
		"none":  func(i, j, k int) bool { return false },
		"ball":  sphereIn(grid.Dims{NX: n, NY: n, NZ: n}),
		"block": func(i, j, k int) bool { return i > 40 && i < 80 && j > 30 && j < 60 && k > 40 && k < 80 },
		"plate": func(i, j, k int) bool {
			x, y, z := (float64(i)+.5)/fn, (float64(j)+.5)/fn, (float64(k)+.5)/fn
			return math.Abs(y-0.47) < 0.5/128 && x > 0.15 && x < 0.85 && z > 0.15 && z < 0.85
		},
		"shell": func(i, j, k int) bool {
			x, y, z := (float64(i)+.5)/fn, (float64(j)+.5)/fn, (float64(k)+.5)/fn
			in := func(v float64) bool { return v > 0.25 && v < 0.75 }
			edge := min(x-0.25, 0.75-x, y-0.25, 0.75-y, z-0.25, 0.75-z) < 1.0/128
			return in(x) && in(y) && in(z) && edge && !(y > 0.7 && math.Abs(x-0.5) < 0.05 && math.Abs(z-0.5) < 0.05)
		},
		"gapped": func(i, j, k int) bool {
			x, y := (float64(i)+.5)/fn, (float64(j)+.5)/fn
			return (math.Abs(x-0.3) < 0.5/128 && y < 0.9) || (math.Abs(x-0.6) < 0.5/128 && y > 0.1)
		}} {
		d := grid.Dims{NX: n, NY: n, NZ: n}
		s, _ := New(d, grid.NewCrew(0))
		x, y, z := obstacle(d, solid)
		s.Setup(openTop, nil, x, y, z)
		for _, random := range []bool{false, true} {
			if random {
				fillRHS(s, 3)
			} else {
				buoyantRHS(s)
			}
			st := s.Solve(1e-4, 100)
			t.Logf("%s %v: %d %.3g true", name, random, st.Iterations, st.History)
		}
	}
}
