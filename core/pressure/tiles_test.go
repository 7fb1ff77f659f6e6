package pressure

import (
	"math"
	"testing"

	"zarf/core/grid"
)

// ball is the set of tiles that a ball touches.
func ballTiles(d grid.Dims, r float64) *grid.Tiles {
	t := grid.NewTiles(d, false)
	for n := range t.On {
		x := (float64(n%t.NX)+0.5)*grid.TileX - float64(d.NX)/2
		y := (float64(n/t.NX%t.NY)+0.5)*grid.TileY - float64(d.NY)/2
		z := (float64(n/(t.NX*t.NY))+0.5)*grid.TileZ - float64(d.NZ)/2
		t.On[n] = x*x+y*y+z*z < r*r
	}
	t.Update()
	return t
}

func inUse(t *grid.Tiles, i, j, k int) bool {
	for _, s := range t.Spans(j, k) {
		if i >= s.Lo && i < s.Hi {
			return true
		}
	}
	return false
}

// plain solves the same system by many sweeps of Gauss–Seidel in float64:
// Σ w (p − p_nb) = b with p = 0 beyond the tiles and beyond open sides.
func plain(d grid.Dims, use func(i, j, k int) bool, x, y, z *grid.Field, b []float32, open Sides, sweeps int) []float64 {
	p := make([]float64, d.Len())
	at := func(i, j, k int) (float64, bool) {
		if i < 0 || j < 0 || k < 0 || i >= d.NX || j >= d.NY || k >= d.NZ {
			return 0, false
		}
		if !use(i, j, k) {
			return 0, true
		}
		return p[d.Index(i, j, k)], true
	}
	weight := func(f *grid.Field, i, j, k int, outside bool, isOpen bool) float64 {
		if outside && !isOpen {
			return 0
		}
		if f == nil {
			return 1
		}
		return float64(f.At(i, j, k))
	}
	for range sweeps {
		for k := range d.NZ {
			for j := range d.NY {
				for i := range d.NX {
					if !use(i, j, k) {
						continue
					}
					var diag, sum float64
					add := func(w float64, di, dj, dk int) {
						v, _ := at(i+di, j+dj, k+dk)
						diag += w
						sum += w * v
					}
					add(weight(x, i, j, k, i == 0, open[0]), -1, 0, 0)
					add(weight(x, i+1, j, k, i+1 == d.NX, open[1]), 1, 0, 0)
					add(weight(y, i, j, k, j == 0, open[2]), 0, -1, 0)
					add(weight(y, i, j+1, k, j+1 == d.NY, open[3]), 0, 1, 0)
					add(weight(z, i, j, k, k == 0, open[4]), 0, 0, -1)
					add(weight(z, i, j, k+1, k+1 == d.NZ, open[5]), 0, 0, 1)
					if diag > 0 {
						p[d.Index(i, j, k)] = (float64(b[d.Index(i, j, k)]) + sum) / diag
					}
				}
			}
		}
	}
	return p
}

// On tiles, with and without solids, the solver agrees with the plain
// reference, takes few iterations, and leaves the rest alone.
func TestTilesAgreeWithPlainReference(t *testing.T) {
	d := grid.Dims{NX: 64, NY: 40, NZ: 40}
	tiles := ballTiles(d, 19)
	open := Sides{true, true, false, true, true, true}
	x, y, z := obstacle(d, sphereIn(d))
	for _, solid := range []bool{false, true} {
		s, err := New(d, grid.NewCrew(2))
		if err != nil {
			t.Fatal(err)
		}
		var fx, fy, fz *grid.Field
		if solid {
			fx, fy, fz = x, y, z
		}
		s.Setup(open, tiles, fx, fy, fz)
		b := make([]float32, d.Len())
		for k := range d.NZ {
			for j := range d.NY {
				row := s.RHS(j, k)
				for i := range row {
					if inUse(tiles, i, j, k) {
						row[i] = float32(math.Sin(float64(i)*0.3) * math.Cos(float64(j)*0.2+float64(k)*0.1))
						b[d.Index(i, j, k)] = row[i]
					}
				}
			}
		}
		st := s.Solve(1e-6, 60)
		if !st.Converged || st.Iterations > 24 {
			t.Errorf("solid %v: %+v", solid, st)
		}
		if r := s.TrueResidual(); r > 2e-5 { // the pressure handed out is rounded to float32
			t.Errorf("solid %v: true residual %g", solid, r)
		}
		want := plain(d, func(i, j, k int) bool { return inUse(tiles, i, j, k) }, fx, fy, fz, b, open, 900)
		var worst, top float64
		for k := range d.NZ {
			for j := range d.NY {
				for i, v := range s.Pressure(j, k) {
					w := want[d.Index(i, j, k)]
					if solid && x.At(i, j, k)+x.At(i+1, j, k)+y.At(i, j, k)+y.At(i, j+1, k)+z.At(i, j, k)+z.At(i, j, k+1) == 0 {
						continue
					}
					worst, top = max(worst, math.Abs(float64(v)-w)), max(top, math.Abs(w))
					if !inUse(tiles, i, j, k) && v != 0 {
						t.Fatalf("cell (%d %d %d) is not in use and has pressure %g", i, j, k, v)
					}
				}
			}
		}
		if worst > 2e-3*top {
			t.Errorf("solid %v: differs by %g of %g", solid, worst, top)
		}
	}
}

// Tiles that come and go leave nothing behind: a solver set up again gives the
// bits of a fresh one.
func TestSetupAgainIsAFreshStart(t *testing.T) {
	d := grid.Dims{NX: 48, NY: 33, NZ: 24}
	x, y, z := obstacle(d, sphereIn(d))
	open := Sides{3: true}
	solve := func(s *Solver, tiles *grid.Tiles, solid bool) []float32 {
		if solid {
			s.Setup(open, tiles, x, y, z)
		} else {
			s.Setup(open, tiles, nil, nil, nil)
		}
		for k := range d.NZ {
			for j := range d.NY {
				row := s.RHS(j, k)
				for i := range row {
					row[i] = 0
					if inUse(tiles, i, j, k) {
						row[i] = float32((i*7+j*3+k)%11) - 5
					}
				}
			}
		}
		s.Solve(1e-4, 60)
		var out []float32
		for k := range d.NZ {
			for j := range d.NY {
				out = append(out, s.Pressure(j, k)...)
			}
		}
		return out
	}
	used, _ := New(d, grid.NewCrew(1))
	steps := []struct {
		tiles *grid.Tiles
		solid bool
	}{{ballTiles(d, 12), false}, {ballTiles(d, 18), true}, {grid.NewTiles(d, true), true}, {ballTiles(d, 10), false}, {ballTiles(d, 16), true}}
	for n, c := range steps {
		fresh, _ := New(d, grid.NewCrew(2))
		a, b := solve(used, c.tiles, c.solid), solve(fresh, c.tiles, c.solid)
		for i := range a {
			if math.Float32bits(a[i]) != math.Float32bits(b[i]) {
				t.Fatalf("setup %d: value %d is %g, in a fresh solver %g", n, i, a[i], b[i])
			}
		}
	}
}

// A solid that moves through a range given to SetupNear leaves the same
// weights as telling everything anew.
func TestSetupNearFollowsTheSolid(t *testing.T) {
	d := grid.Dims{NX: 40, NY: 40, NZ: 40}
	near, whole := &Solver{}, &Solver{}
	var err error
	if near, err = New(d, grid.NewCrew(2)); err != nil {
		t.Fatal(err)
	}
	whole, _ = New(d, grid.NewCrew(1))
	for step := range 5 {
		c := 8 + 5*step
		x, y, z := obstacle(d, func(i, j, k int) bool {
			return (i-c)*(i-c)+(j-20)*(j-20)+(k-15)*(k-15) < 16
		})
		r := Range{Lo: [3]int{c - 5, 15, 10}, Hi: [3]int{c + 6, 26, 21}}
		near.SetupNear(openTop, nil, x, y, z, r)
		whole.Setup(openTop, nil, x, y, z)
		for l := range near.lv {
			a, b := near.lv[l], whole.lv[l]
			for i := range a.diag {
				if a.diag[i] != b.diag[i] || a.pn[i] != b.pn[i] || a.wx[i] != b.wx[i] || a.wy[i] != b.wy[i] || a.wz[i] != b.wz[i] {
					t.Fatalf("step %d, level %d, value %d: diag %g, %g; wx %g, %g", step, l, i, a.diag[i], b.diag[i], a.wx[i], b.wx[i])
				}
			}
		}
	}
}

// A closed room within tiles is a pocket: its right-hand side loses its mean;
// one that touches the tiles' edge is held by p = 0.
func TestPockets(t *testing.T) {
	d := grid.Dims{NX: 32, NY: 16, NZ: 16}
	shell := func(i, j, k int) bool {
		a, b, c := max(i-15, 15-i), max(j-8, 8-j), max(k-8, 8-k)
		return max(a, b, c) == 4
	}
	x, y, z := obstacle(d, shell)
	s, _ := New(d, grid.NewCrew(1))
	s.Setup(Sides{}, nil, x, y, z)
	if len(s.pocket) != 2 {
		t.Errorf("a shell in a closed box: %d pockets", len(s.pocket))
	}
	s.Setup(Sides{3: true}, nil, x, y, z)
	if len(s.pocket) != 1 || s.pocket[0].count != 7*7*7 {
		t.Errorf("with an open top: %+v", len(s.pocket))
	}
	half := grid.NewTiles(d, true)
	half.On[0] = false
	half.Update()
	s.Setup(Sides{}, half, nil, nil, nil)
	if len(s.pocket) != 0 {
		t.Errorf("beside an unused tile: %d pockets", len(s.pocket))
	}
	s.Setup(Sides{}, nil, nil, nil, nil)
	if len(s.pocket) != 1 || s.pocket[0].count != d.Len() {
		t.Errorf("a closed box: %d pockets", len(s.pocket))
	}
}
