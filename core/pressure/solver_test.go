package pressure

import (
	"fmt"
	"math"
	"math/rand/v2"
	"slices"
	"testing"

	"zarf/core/grid"
)

// obstacle sets open fractions to zero on all faces of cells inside.
func obstacle(d grid.Dims, solid func(i, j, k int) bool) (x, y, z *grid.Field) {
	f := newFractions(d, new(grid.Slab).Floats)
	for _, g := range []*grid.Field{f.x, f.y, f.z} {
		for i := range g.Data {
			g.Data[i] = 1
		}
	}
	for k := range d.NZ {
		for j := range d.NY {
			for i := range d.NX {
				if solid(i, j, k) {
					f.x.Set(i, j, k, 0)
					f.x.Set(i+1, j, k, 0)
					f.y.Set(i, j, k, 0)
					f.y.Set(i, j+1, k, 0)
					f.z.Set(i, j, k, 0)
					f.z.Set(i, j, k+1, 0)
				}
			}
		}
	}
	return f.x, f.y, f.z
}

func sphereIn(d grid.Dims) func(i, j, k int) bool {
	n := float64(min(d.NX, d.NY, d.NZ))
	return func(i, j, k int) bool {
		dx, dy, dz := float64(i)-0.5*n, float64(j)-0.35*n, float64(k)-0.5*n
		return dx*dx+dy*dy+dz*dz < 0.04*n*n
	}
}

var openTop = Sides{3: true}

func fillRHS(s *Solver, seed uint64) {
	rng := rand.New(rand.NewPCG(seed, 1))
	for k := range s.dims.NZ {
		for j := range s.dims.NY {
			row := s.RHS(j, k)
			for i := range row {
				row[i] = rng.Float32() - 0.5
			}
		}
	}
}

// buoyantRHS is the divergence of a warm ball's lift, as a gas step sees it.
func buoyantRHS(s *Solver) {
	n := float64(s.dims.NY)
	for k := range s.dims.NZ {
		for j := range s.dims.NY {
			row := s.RHS(j, k)
			for i := range row {
				dx, dy, dz := float64(i)/n-0.5, float64(j)/n-0.25, float64(k)/n-0.5
				row[i] = float32(dy * math.Exp(-(dx*dx+dy*dy+dz*dz)*60))
			}
		}
	}
}

func TestSolvesToToleranceEverywhere(t *testing.T) {
	sizes := []grid.Dims{{NX: 32, NY: 32, NZ: 32}, {NX: 33, NY: 47, NZ: 21}, {NX: 64, NY: 16, NZ: 5}, {NX: 40, NY: 40, NZ: 1}, {NX: 7, NY: 3, NZ: 9}, {NX: 1, NY: 1, NZ: 1}}
	sides := map[string]Sides{"open top": openTop, "all open": {true, true, true, true, true, true}, "closed": {}, "open low": {0: true, 4: true}}
	for _, d := range sizes {
		for name, open := range sides {
			for _, solid := range []bool{false, true} {
				s, err := New(d, grid.NewCrew(2))
				if err != nil {
					t.Fatal(err)
				}
				if solid {
					x, y, z := obstacle(d, sphereIn(d))
					s.Setup(open, nil, x, y, z)
				} else {
					s.Setup(open, nil, nil, nil, nil)
				}
				for _, tol := range []float64{1e-3, 1e-6} {
					fillRHS(s, 7)
					st := s.Solve(tol, 200)
					if r := s.TrueResidual(); r > 1.2*tol && tol > 1e-4 {
						t.Errorf("%v %s solid=%v tol %g: true residual %g after %d", d, name, solid, tol, r, st.Iterations)
					}
					if !st.Converged {
						t.Errorf("%v %s solid=%v tol %g: not converged: %g after %d", d, name, solid, tol, st.Residual, st.Iterations)
					}
					if st.Iterations > 24 {
						t.Errorf("%v %s solid=%v tol %g: %d iterations", d, name, solid, tol, st.Iterations)
					}
				}
			}
		}
	}
}

// The plain reference: Gauss-Seidel in float64 on the same equations.
func TestAgreesWithPlainReference(t *testing.T) {
	d := grid.Dims{NX: 18, NY: 14, NZ: 11}
	x, y, z := obstacle(d, func(i, j, k int) bool { return i > 6 && i < 10 && j < 7 && k > 3 })
	x.Set(4, 5, 5, 0.37) // a fractional face
	s, _ := New(d, grid.NewCrew(2))
	open := Sides{0: true, 3: true}
	s.Setup(open, nil, x, y, z)
	fillRHS(s, 3)
	f := newFractions(d, new(grid.Slab).Floats)
	copy(f.x.Data, x.Data)
	copy(f.y.Data, y.Data)
	copy(f.z.Data, z.Data)
	closeSides(f.x, 0, open)
	closeSides(f.y, 1, open)
	closeSides(f.z, 2, open)
	p := make([]float64, d.Len())
	at := func(i, j, k int) float64 {
		if i < 0 || j < 0 || k < 0 || i >= d.NX || j >= d.NY || k >= d.NZ {
			return 0
		}
		return p[d.Index(i, j, k)]
	}
	b := make([]float64, d.Len())
	for k := range d.NZ {
		for j := range d.NY {
			for i, v := range s.RHS(j, k) {
				b[d.Index(i, j, k)] = float64(v)
			}
		}
	}
	for range 3000 {
		for k := range d.NZ {
			for j := range d.NY {
				for i := range d.NX {
					w := [6]float64{float64(f.x.At(i, j, k)), float64(f.x.At(i+1, j, k)), float64(f.y.At(i, j, k)), float64(f.y.At(i, j+1, k)), float64(f.z.At(i, j, k)), float64(f.z.At(i, j, k+1))}
					sum, diag := b[d.Index(i, j, k)], 0.0
					for m, nb := range [6]float64{at(i-1, j, k), at(i+1, j, k), at(i, j-1, k), at(i, j+1, k), at(i, j, k-1), at(i, j, k+1)} {
						sum += w[m] * nb
						diag += w[m]
					}
					if diag > 0 {
						p[d.Index(i, j, k)] = sum / diag
					}
				}
			}
		}
	}
	s.Solve(1e-6, 100)
	var worst, scale float64
	for k := range d.NZ {
		for j := range d.NY {
			for i, v := range s.Pressure(j, k) {
				want := p[d.Index(i, j, k)]
				if x.At(i, j, k) == 0 && x.At(i+1, j, k) == 0 && y.At(i, j, k) == 0 && y.At(i, j+1, k) == 0 {
					continue
				}
				scale = max(scale, math.Abs(want))
				worst = max(worst, math.Abs(float64(v)-want))
			}
		}
	}
	if worst > 2e-5*scale {
		t.Errorf("differs from the reference by %g of %g", worst, scale)
	}
}

// The preconditioner must be symmetric, or conjugate gradients may stall.
func TestPreconditionerIsSymmetric(t *testing.T) {
	d := grid.Dims{NX: 20, NY: 17, NZ: 13}
	s, _ := New(d, grid.NewCrew(1))
	x, y, z := obstacle(d, sphereIn(d))
	s.Setup(openTop, nil, x, y, z)
	fillRHS(s, 1)
	s.mask(s.rhs)
	a := append([]float32(nil), s.rhs...)
	fillRHS(s, 2)
	s.mask(s.rhs)
	b := append([]float32(nil), s.rhs...)
	copy(s.res, a)
	s.precondition()
	ma := append([]float32(nil), s.lv[0].x...)
	copy(s.res, b)
	s.precondition()
	mb := append([]float32(nil), s.lv[0].x...)
	p, q := s.dotAll(ma, b), s.dotAll(mb, a)
	if math.Abs(p-q) > 1e-4*math.Abs(s.dotAll(ma, a)) {
		t.Errorf("⟨Ma,b⟩ = %g, ⟨a,Mb⟩ = %g", p, q)
	}
}

func TestSameBitsOnAnyThreads(t *testing.T) {
	d := grid.Dims{NX: 48, NY: 40, NZ: 36}
	x, y, z := obstacle(d, sphereIn(d))
	var want []float32
	for _, n := range []int{1, 2, 4} {
		s, _ := New(d, grid.NewCrew(n))
		s.Setup(openTop, nil, x, y, z)
		fillRHS(s, 5)
		s.Solve(1e-4, 50)
		if want == nil {
			want = append([]float32(nil), s.sol...)
			continue
		}
		for i, v := range s.sol {
			if math.Float32bits(v) != math.Float32bits(want[i]) {
				t.Fatalf("%d threads: value %d is %v, one thread gave %v", n, i, v, want[i])
			}
		}
	}
}

// Thin and nearly closed obstacles are the worst case of multigrid.
func TestThinObstacles(t *testing.T) {
	d := grid.Dims{NX: 64, NY: 64, NZ: 64}
	cases := map[string]func(i, j, k int) bool{
		"plate": func(i, j, k int) bool { return j == 30 && i > 10 && i < 54 && k > 10 && k < 54 },
		"box with a hole": func(i, j, k int) bool {
			in := func(a int) bool { return a >= 16 && a <= 48 }
			edge := i == 16 || i == 48 || j == 16 || j == 48 || k == 16 || k == 48
			hole := j == 48 && i > 28 && i < 34 && k > 28 && k < 34
			return in(i) && in(j) && in(k) && edge && !hole
		},
		"two gapped walls": func(i, j, k int) bool { return (i == 20 && j < 58) || (i == 40 && j > 6) },
	}
	for name, solid := range cases {
		s, _ := New(d, grid.NewCrew(2))
		x, y, z := obstacle(d, solid)
		s.Setup(openTop, nil, x, y, z)
		buoyantRHS(s)
		st := s.Solve(1e-3, 200)
		t.Logf("%s: %d iterations", name, st.Iterations)
		if !st.Converged || st.Iterations > 45 {
			t.Errorf("%s: %d iterations, residual %g", name, st.Iterations, st.Residual)
		}
	}
}

func TestNothingToDo(t *testing.T) {
	s, _ := New(grid.Dims{NX: 8, NY: 8, NZ: 8}, grid.NewCrew(1))
	s.Setup(openTop, nil, nil, nil, nil)
	if st := s.Solve(1e-3, 10); !st.Converged || st.Iterations != 0 {
		t.Errorf("zero right-hand side: %+v", st)
	}
	if _, err := New(grid.Dims{NX: 0, NY: 4, NZ: 4}, grid.NewCrew(1)); err == nil {
		t.Error("an empty grid was taken")
	}
}

func BenchmarkSolve(b *testing.B) {
	for _, n := range []int{64, 128} {
		for _, tol := range []float64{1e-3, 1e-6} {
			b.Run(fmt.Sprintf("%d/%g", n, tol), func(b *testing.B) {
				d := grid.Dims{NX: n, NY: n, NZ: n}
				s, _ := New(d, grid.NewCrew(0))
				x, y, z := obstacle(d, sphereIn(d))
				s.Setup(openTop, nil, x, y, z)
				var st Stats
				buoyantRHS(s)
				keep := slices.Clone(s.rhs)
				for b.Loop() {
					copy(s.rhs, keep)
					st = s.Solve(tol, 100)
				}
				b.ReportMetric(float64(st.Iterations), "iterations")
				b.ReportMetric(float64(d.Len())*float64(b.N)/b.Elapsed().Seconds()/1e6, "Mcells/s")
			})
		}
	}
}
