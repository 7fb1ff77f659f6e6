package pressure

import (
	"testing"

	"zarf/core/grid"
)

// How fast a solve converges: what an open side and solids cost in iterations.
func TestIterations(t *testing.T) {
	d := grid.Dims{NX: 64, NY: 64, NZ: 64}
	for _, c := range []struct {
		name  string
		open  Sides
		solid func(i, j, k int) bool
		most  int // to 1e-3
	}{
		{"shut", Sides{}, nil, 3},
		{"open top", openTop, nil, 3},
		{"all open", Sides{true, true, true, true, true, true}, nil, 3},
		{"ball", openTop, sphereIn(d), 3},
	} {
		s, _ := New(d, grid.NewCrew(2))
		if c.solid == nil {
			s.Setup(c.open, nil, nil, nil, nil)
		} else {
			x, y, z := obstacle(d, c.solid)
			s.Setup(c.open, nil, x, y, z)
		}
		buoyantRHS(s)
		if st := s.Solve(1e-3, 50); st.Iterations > c.most {
			t.Errorf("%s: %d iterations (%.2g), %d are enough", c.name, st.Iterations, st.History, c.most)
		}
	}
}

// A strip that marches gives the bits of one pass after another, whatever the box,
// where solids stand, and where only some tiles are in use.
func TestStripsGiveTheBitsOfPasses(t *testing.T) {
	for _, d := range []grid.Dims{{NX: 40, NY: 72, NZ: 24}, {NX: 33, NY: 17, NZ: 45}, {NX: 150, NY: 9, NZ: 13}, {NX: 17, NY: 33, NZ: 29}} {
		for _, solid := range []bool{false, true} {
			for _, tiles := range []*grid.Tiles{nil, ballTiles(d, 9)} {
				var want []float32
				for _, fused := range []bool{false, true} {
					s, _ := New(d, grid.NewCrew(2))
					if solid {
						x, y, z := obstacle(d, func(i, j, k int) bool { return j == d.NY/3 && i > 3 && k < d.NZ-4 || sphereIn(d)(i, j, k) })
						x.Set(3, 4, 2, 0.3)
						s.Setup(openTop, tiles, x, y, z)
					} else {
						s.Setup(openTop, tiles, nil, nil, nil)
					}
					fillRHS(s, 5)
					s.mask(s.rhs)
					f := s.lv[0]
					s.rows(func(o, n int) { copy(f.b[o:o+n], s.rhs[o:o+n]) })
					if fused {
						s.cycle(0)
					} else {
						// room for the passes
						for _, l := range s.lv {
							if l.r == nil {
								l.r, l.t = make([]float32, len(l.x)), make([]float32, len(l.x))
							}
						}
						s.passes(0)
					}
					if want == nil {
						want = append([]float32(nil), f.x...)
						continue
					}
					for i, v := range f.x {
						if v != want[i] {
							t.Fatalf("%v, solid %v, tiles %v: value %d is %g, in passes %g", d, solid, tiles != nil, i, v, want[i])
						}
					}
				}
			}
		}
	}
}

// passes is the cycle with every level in passes.
func (s *Solver) passes(i int) {
	s.twice(i, func(i int) {
		if i == len(s.lv)-1 {
			s.visit(i)
			return
		}
		s.plain(i, s.passes)
	})
}
