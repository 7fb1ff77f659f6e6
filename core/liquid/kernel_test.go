package liquid

import (
	"math"
	"testing"

	"zarf/core/geom"
	"zarf/core/grid"
	"zarf/core/noise"
)

// dice are repeatable numbers from 0 to 1.
func dice(n, a int) float32 { return float32(noise.Hash(5, int64(n), int64(a), 0)>>40) / (1 << 24) }

// Away from the border splat is what splatEdge is; batches are what single
// looks are.
func TestQuickWaysAreThePlainOnes(t *testing.T) {
	plain, quick := box(t, 10, 9, 8, 0.1, 1), box(t, 10, 9, 8, 0.1, 1)
	for n := range 400 {
		p := Particle{X: [3]float32{10 * dice(n, 0), 9 * dice(n, 1), 8 * dice(n, 2)}, V: [3]float32{dice(n, 3) - 0.5, dice(n, 4), dice(n, 5)}}
		for a := range 3 {
			for b := range 3 {
				p.C[a][b] = dice(n, 6+3*a+b) - 0.5
			}
		}
		for a := range 3 {
			plain.splatEdge(a, &p)
			quick.splat(a, &p)
		}
		plain.P = append(plain.P, p)
	}
	for a := range 3 {
		for i := range plain.u[a].Data {
			if d := math.Abs(float64(plain.u[a].Data[i] - quick.u[a].Data[i])); d > 2e-5 || math.Abs(float64(plain.w[a].Data[i]-quick.w[a].Data[i])) > 2e-5 {
				t.Fatalf("part %d, face %d: %g and %g, weights %g and %g", a, i, plain.u[a].Data[i], quick.u[a].Data[i], plain.w[a].Data[i], quick.w[a].Data[i])
			}
		}
	}
	var w bundle
	for m := range 200 {
		for a := range 3 {
			w.x[a][m] = plain.P[m].X[a]
		}
	}
	flow(plain.u, &w.x, &w.v, 200)
	for m := range 200 {
		v := plain.at(&plain.P[m].X)
		for a := range 3 {
			if math.Abs(float64(v[a]-w.v[a][m])) > 1e-5 {
				t.Fatalf("particle %d: %v one by one, %g in a batch", m, v, w.v[a][m])
			}
		}
	}
}

// lump is the system of a ball of cells with a surface over its top half, or
// with none.
func lump(n int, open bool) ([]node, [][3]int32) {
	row := map[[3]int32]int32{}
	var at [][3]int32
	in := func(p [3]int32) bool {
		d := 0.0
		for _, x := range p {
			d += math.Pow(float64(x)+0.5-float64(n)/2, 2)
		}
		return d < float64(n*n)/4
	}
	for k := range int32(n) {
		for j := range int32(n) {
			for i := range int32(n) {
				if p := [3]int32{i, j, k}; in(p) {
					row[p] = int32(len(at))
					at = append(at, p)
				}
			}
		}
	}
	rows := make([]node, len(at))
	for r, p := range at {
		for m := range 6 {
			rows[r].nb[m] = int32(r)
			q := p
			q[m>>1] += int32(2*(m&1) - 1)
			if to, ok := row[q]; ok {
				rows[r].nb[m], rows[r].c[m] = to, 1
				rows[r].diag++
			} else if open && p[1] > int32(n/2) {
				rows[r].diag += 1 / (0.05 + float32(r%7)/7)
			}
		}
	}
	return rows, at
}

// The residual is what the solver says, in float64, and a body that no surface
// holds is solved up to a constant. Iterations grow slowly with size.
func TestSystem(t *testing.T) {
	for _, open := range []bool{true, false} {
		for _, n := range []int{12, 24, 48} {
			rows, at := lump(n, open)
			s := newSystem(rows, at, grid.NewCrew(2))
			if (len(s.islets) == 0) != open {
				t.Fatalf("open %v: %d parts without a surface", open, len(s.islets))
			}
			b := make([]float32, len(rows))
			for i := range b {
				b[i] = dice(i, n) - 0.5
			}
			x, it, res := s.Solve(b, 1e-5, 100)
			var r2, b2 float64
			for i, r := range rows {
				sum := float64(r.diag) * float64(x[i])
				for m, c := range r.c {
					sum -= float64(c) * float64(x[r.nb[m]])
				}
				r2 += math.Pow(float64(b[i])-sum, 2)
				b2 += math.Pow(float64(b[i]), 2)
			}
			t.Logf("open %v, %d rows: %d iterations, residual %.2g, said %.2g", open, len(rows), it, math.Sqrt(r2/b2), res)
			if math.Sqrt(r2/b2) > 3e-5 || it > 30 {
				t.Errorf("open %v, %d rows: %d iterations, residual %.2g", open, len(rows), it, math.Sqrt(r2/b2))
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
