package liquid

import (
	"math"
	"testing"

	"zarf/core/geom"
	"zarf/core/grid"
	"zarf/core/noise"
	"zarf/core/vec"
)

// dice are repeatable numbers from 0 to 1.
func dice(n, a int) float32 { return float32(noise.Hash(5, int64(n), int64(a), 0)>>40) / (1 << 24) }

// What toGrid gives is the plain sum over particles, by the hat function on each lattice,
// with slopes and without; batches of samples are what single looks are.
func TestQuickWaysAreThePlainOnes(t *testing.T) {
	for _, affine := range []bool{false, true} {
		s := box(t, 10, 9, 8, 0.1, 2)
		s.setSolids(nil, 1)
		for n := range 400 {
			s.P = append(s.P, Particle{X: [3]float32{10 * dice(n, 0), 9 * dice(n, 1), 8 * dice(n, 2)}, V: [3]float32{dice(n, 3) - 0.5, dice(n, 4), dice(n, 5)}})
			if affine {
				var c Slope
				for m := range 9 {
					c[m/3][m%3] = dice(n, 6+m) - 0.5
				}
				s.C = append(s.C, c)
			}
		}
		s.sort()
		s.toGrid()
		s.measure()
		hat := func(d float64) float64 { return max(0, 1-math.Abs(d)) }
		for a := range 4 {
			f := s.rho
			if a < 3 {
				f = s.u[a]
			}
			for n, got := range f.Data {
				q := [3]float64{float64(n%f.NX) + 0.5, float64(n/f.NX%f.NY) + 0.5, float64(n/(f.NX*f.NY)) + 0.5}
				if a < 3 {
					q[a] -= 0.5
				}
				var sum, weights float64
				for m := range s.P {
					p, w, v := &s.P[m], 1.0, 0.0
					for b := range 3 {
						d := q[b] - float64(p.X[b])
						w *= hat(d)
						if a < 3 && affine {
							v += float64(s.C[m][a][b]) * d
						}
					}
					if a < 3 {
						v += float64(p.V[a])
					}
					sum, weights = sum+w*v, weights+w
				}
				want := weights / PerCell / float64(s.solid.room.Data[min(n, len(s.solid.room.Data)-1)])
				if a < 3 {
					if want = sum / weights; weights < 1e-3 { // a sum of little, over little
						continue
					}
				}
				if math.Abs(float64(got)-want) > 2e-4 {
					t.Fatalf("affine %v, lattice %d, node %d: %g, want %g", affine, a, n, got, want)
				}
			}
		}
		var w bundle
		vec.Columns(&w.c, records(s.P[:200]))
		s.locate(&w, w.x(), 200)
		s.read(&s.u, &w, &w.k, 200)
		for m := range 200 {
			v := s.at(&s.P[m].X)
			for a := range 3 {
				if math.Abs(float64(v[a]-w.k[a][m])) > 1e-5 {
					t.Fatalf("particle %d: %v one by one, %g in a batch", m, v, w.k[a][m])
				}
			}
		}
	}
}

// lump fills a system with a ball of cells with a surface over its top half, or with
// none; walled shuts a plane of faces through its middle.
func lump(s *System, n int, open, walled bool) {
	s.begin(region{hi: [3]int{n, n, n}})
	l := s.lv[0]
	in := func(p [3]int) bool {
		d := 0.0
		for _, x := range p {
			d += math.Pow(float64(x)+0.5-float64(n)/2, 2)
		}
		return d < float64(n*n)/4
	}
	for k := range n {
		for j := range n {
			for i := range n {
				p := [3]int{i, j, k}
				if !in(p) {
					continue
				}
				c := s.row(j, k) + i
				for m := range 6 {
					q := p
					q[m>>1] += 2*(m&1) - 1
					switch wall := m>>1 == 0 && p[0]+m&1 == n/2; {
					case walled && wall:
					case in(q):
						l.diag[c]++
						if m&1 == 0 {
							l.w[m>>1][c] = 1
						}
					case open && p[1] > n/2 && !(walled && p[0] < n/2):
						l.diag[c] += 1 / (0.05 + float32((i+j+k)%7)/7)
					}
				}
			}
		}
	}
	s.complete()
}

// The residual is what the solver says, in float64, and parts that no surface holds are
// solved up to a constant. Iterations grow slowly with size.
func TestSystem(t *testing.T) {
	s := &System{crew: grid.NewCrew(2)}
	for _, c := range []struct {
		open, walled bool
		islets       int
	}{{true, false, 0}, {false, false, 1}, {true, true, 1}, {false, true, 2}} {
		for _, n := range []int{12, 24, 48} {
			lump(s, n, c.open, c.walled)
			if len(s.islets) != c.islets {
				t.Fatalf("%+v: %d parts without a surface", c, len(s.islets))
			}
			l := s.lv[0]
			for k := range n {
				for j := range n {
					for i := range n {
						at := s.row(j, k) + i
						l.b[at] = (dice((k*n+j)*n+i, n) - 0.5) * l.in[at]
					}
				}
			}
			b := append([]float32(nil), l.b...)
			s.levelOff(b)
			it, res := s.Solve(1e-5, 100)
			var r2, b2 float64
			for k := range n {
				for j := range n {
					for i := range n {
						at := s.row(j, k) + i
						sum := float64(l.diag[at]) * float64(s.x[at])
						for a, step := range [3]int{1, l.sy, l.sz} {
							sum -= float64(l.w[a][at])*float64(s.x[at-step]) + float64(l.w[a][at+step])*float64(s.x[at+step])
						}
						if l.in[at] == 0 {
							continue
						}
						r2 += math.Pow(float64(b[at])-sum, 2)
						b2 += math.Pow(float64(b[at]), 2)
					}
				}
			}
			t.Logf("%+v, %d cells: %d iterations, residual %.2g, said %.2g", c, l.cells, it, math.Sqrt(r2/b2), res)
			if math.Sqrt(r2/b2) > 3e-5 || it > 30 {
				t.Errorf("%+v, %d cells: %d iterations, residual %.2g", c, l.cells, it, math.Sqrt(r2/b2))
			}
		}
	}
}

// The density of an even half-space gives back how deep a cell lies.
func TestDepthFromDensity(t *testing.T) {
	for d := -1.0; d <= 1; d += 0.05 {
		rho := 0.5 + d - d*math.Abs(d)/2
		if got := depthOf(float32(rho)); math.Abs(float64(got)-d) > 2e-3 {
			t.Errorf("density %.3f: depth %.4f, want %.4f", rho, got, d)
		}
	}
	s := box(t, 8, 12, 8, 0.1, 1)
	run(t, s, 1, Inputs{Physics: Physics{Density: 1000, Tolerance: 1e-4, MaxIterations: 50}, Emitters: []Emitter{body(geom.V(0, 0, 0), geom.V(0.8, 0.75, 0.8))}}, nil)
	phi := s.Surface()
	if a, b := phi.At(4, 6, 4), phi.At(0, 6, 0); a >= 0 || math.Abs(float64(a-b)) > 1e-3 {
		t.Errorf("under the surface φ is %g, in the corner %g", a, b)
	}
}

// Particles stay sorted, each with its own, however many come and go.
func TestSortWhileParticlesComeAndGo(t *testing.T) {
	s := box(t, 6, 5, 4, 0.1, 2)
	n := 0
	for round := range 40 {
		for range 37 * (round%7 + 1) {
			s.P = append(s.P, Particle{X: [3]float32{6 * dice(n, 0), 5 * dice(n, 1), 4 * dice(n, 2)}, V: [3]float32{float32(n)}})
			n++
		}
		if round%5 == 4 {
			s.drop(func(p *Particle) bool { return int(p.V[0])%3 == round%3 })
		}
		want := map[float32][3]float32{}
		for _, p := range s.P {
			want[p.V[0]] = p.X
		}
		s.sort()
		if len(want) != len(s.P) {
			t.Fatalf("round %d: %d particles of %d", round, len(s.P), len(want))
		}
		for c := range s.Len() {
			for _, p := range s.P[s.start[c]:s.start[c+1]] {
				if cellOf(s.Dims, &p.X) != c || want[p.V[0]] != p.X {
					t.Fatalf("round %d: a particle at %v stands in cell %d", round, p.X, c)
				}
			}
		}
	}
}
