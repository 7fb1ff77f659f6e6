package pressure

import (
	"math"
	"math/rand/v2"
	"testing"

	"zarf/core/grid"
)

// The factorisation solves the coarsest level to rounding: with an open side, about
// solids, and where a part is shut in and only known up to a constant.
func TestDirectSolvesOutright(t *testing.T) {
	d := grid.Dims{NX: 6, NY: 5, NZ: 4}
	room := func(i, j, k int) bool { return i == 3 } // a wall that parts the box in two
	for _, c := range []struct {
		name  string
		open  Sides
		solid func(i, j, k int) bool
	}{
		{"open", openTop, nil},
		{"shut", Sides{}, nil},
		{"a block", openTop, func(i, j, k int) bool { return i > 1 && i < 4 && j > 1 && k == 2 }},
		{"two rooms, one of them shut", Sides{1: true}, room},
	} {
		s, err := New(d, grid.NewCrew(1))
		if err != nil {
			t.Fatal(err)
		}
		if c.solid == nil {
			s.Setup(c.open, nil, nil, nil, nil)
		} else {
			x, y, z := obstacle(d, c.solid)
			s.Setup(c.open, nil, x, y, z)
		}
		r := rand.New(rand.NewPCG(1, 2))
		for k := range d.NZ {
			for j := range d.NY {
				row := s.RHS(j, k)
				for i := range row {
					row[i] = r.Float32() - 0.5
				}
			}
		}
		// what has no solution is taken out, as a solve does
		s.mask(s.rhs)
		s.settle(s.rhs)
		l := s.lv[0]
		copy(l.b, s.rhs)
		s.last.solve(l)
		var left float64
		for k := range d.NZ {
			left += s.wideResidual(l.x, nil, k)
		}
		norm := s.dotAll(s.rhs, s.rhs)
		if !(math.Sqrt(left/norm) < 1e-5) {
			t.Errorf("%s: %.2g of the right side are left", c.name, math.Sqrt(left/norm))
		}
	}
}
