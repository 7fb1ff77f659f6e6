package pressure

import (
	"math"
	"math/rand/v2"
	"testing"

	"zarf/core/grid"
)

// roundBall is a solver of a box with a ball in it, and its finest right side at random.
func roundBall(t *testing.T, n int) *Solver {
	t.Helper()
	d := grid.Dims{NX: n, NY: n, NZ: n}
	s, err := New(d, grid.NewCrew(2))
	if err != nil {
		t.Fatal(err)
	}
	x, y, z := obstacle(d, func(i, j, k int) bool {
		a, b, c := 2*i-n, 2*j-n, 2*k-n
		return 4*(a*a+b*b+c*c) < n*n
	})
	s.Setup(Sides{false, false, false, true, false, false}, nil, x, y, z)
	return s
}

func (s *Solver) random(seed uint64) {
	r := rand.New(rand.NewPCG(seed, 2))
	for k := range s.dims.NZ {
		for j := range s.dims.NY {
			row := s.RHS(j, k)
			for i := range row {
				row[i] = r.Float32() - 0.5
			}
		}
	}
	s.mask(s.rhs)
	s.settle(s.rhs)
}

// Conjugate gradients want a symmetric cycle: with M its matrix, u·M v = v·M u. Levels
// that are visited once alone make it one, the sweeps of the rim among them.
func TestCycleWithARimIsSymmetric(t *testing.T) {
	s := roundBall(t, 40)
	f := s.lv[0]
	if !f.rim.some {
		t.Fatal("a ball has no rim")
	}
	for _, l := range s.lv {
		l.again = nil
	}
	var u, v [2][]float32
	for i := range u {
		s.random(uint64(i + 1))
		u[i] = append([]float32(nil), s.rhs...)
		copy(s.res, s.rhs)
		s.precondition()
		v[i] = append([]float32(nil), f.x...)
	}
	dot := func(a, b []float32) (sum float64) {
		for i := range a {
			sum += float64(a[i]) * float64(b[i])
		}
		return sum
	}
	a, b := dot(u[0], v[1]), dot(u[1], v[0])
	size := math.Sqrt(dot(u[0], v[0]) * dot(u[1], v[1]))
	if math.Abs(a-b) > 1e-5*size || size == 0 {
		t.Errorf("u·M v is %g, v·M u %g, of %g", a, b, size)
	}
}

// The rim's sweeps save iterations about a solid.
func TestRimSavesIterations(t *testing.T) {
	left := func(rim bool) float64 {
		s := roundBall(t, 48)
		s.lv[0].rim.some = rim
		if !rim {
			for k := range s.lv[0].rim.cells {
				clear(s.lv[0].rim.cells[k].first)
			}
		}
		for k := range s.dims.NZ {
			for j := range s.dims.NY {
				row := s.RHS(j, k)
				for i := range row {
					row[i] = float32(math.Sin(0.2*float64(i)) * math.Cos(0.15*float64(j)) * math.Sin(0.1*float64(k)+1))
				}
			}
		}
		return s.Solve(1e-12, 3).History[2]
	}
	with, without := left(true), left(false)
	t.Logf("after three iterations %.2g are left with the rim, %.2g without", with, without)
	if !(with < 0.8*without) {
		t.Errorf("%.2g of the residual are left with the rim, %.2g without", with, without)
	}
}

// What two visits find together is nearer to the solution in the norm of A than what the
// first finds alone: x·A x − 2 x·b is less.
func TestTwoVisitsAreNearerThanOne(t *testing.T) {
	s := roundBall(t, 64)
	l := s.lv[2]
	if l.again == nil {
		t.Fatal("the third level of 64³ isn't visited twice")
	}
	r := rand.New(rand.NewPCG(5, 6))
	for k := range l.NZ {
		l.eachIn(k, func(o, n int) {
			for i := range n {
				if l.diag[o+i] != 0 {
					l.b[o+i] = r.Float32() - 0.5
				}
			}
		})
	}
	energy := func() float64 {
		xb, xx := l.products(s)
		return xx - 2*xb
	}
	b := append([]float32(nil), l.b...)
	s.visit(2)
	one := energy()
	s.twice(2, s.visit)
	copy(l.b, b) // it has become what the first visit left
	two := energy()
	t.Logf("%.6g by one visit, %.6g by two", one, two)
	if !(two < one) || one >= 0 {
		t.Errorf("x·A x − 2 x·b is %g after one visit, %g after two", one, two)
	}
}
