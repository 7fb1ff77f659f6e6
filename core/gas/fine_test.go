package gas

import (
	"math"
	"slices"
	"testing"

	"zarf/core/frame"
	"zarf/core/geom"
	"zarf/core/grid"
	"zarf/core/pressure"
	"zarf/core/shot"
	"zarf/core/shot/val"
)

// each calls fn for every voxel of a part that holds something, with where its middle lies, m.
func (p *part) each(s *Solver, f int, fn func(at geom.Vec3, v float64)) {
	h := s.H / float64(f)
	for n, v := range p.data {
		if v != 0 {
			i, j, k := n%p.n.NX, n/p.n.NX%p.n.NY, n/(p.n.NX*p.n.NY)
			fn(s.Limit.Origin.Add(geom.V(float64(i+p.low[0])+0.5, float64(j+p.low[1])+0.5, float64(k+p.low[2])+0.5).Mul(h)), float64(v))
		}
	}
}

// moments are what a part holds, m³ of density 1, its middle and its spread, m.
func (p *part) moments(s *Solver, f int) (sum float64, middle geom.Vec3, spread float64) {
	p.each(s, f, func(at geom.Vec3, v float64) { sum, middle = sum+v, middle.Add(at.Mul(v)) })
	middle = middle.Mul(1 / sum)
	p.each(s, f, func(at geom.Vec3, v float64) { spread += v * at.Sub(middle).Dot(at.Sub(middle)) })
	return sum * math.Pow(s.H/float64(f), 3), middle, math.Sqrt(spread / sum)
}

// Smoke on finer voxels is what voxels hold, in the same place, and less blurred.
func TestFineSmokeIsTheSmoke(t *testing.T) {
	s, in := wick(64)
	frames(t, s, 30, in)
	coarse := part{s.Low, s.Dims, s.Smoke.Data}
	want, middle, spread := coarse.moments(s, 1)
	square := func(p *part, f int) (sum float64) {
		p.each(s, f, func(_ geom.Vec3, v float64) { sum += v * v })
		return sum * math.Pow(s.H/float64(f), 3)
	}
	last := square(&coarse, 1)
	for _, f := range []int{2, 3} {
		fine := s.fineSmoke(f)
		got, at, wide := fine.moments(s, f)
		if math.Abs(got/want-1) > 1e-4 || at.Sub(middle).Len() > 0.02*s.H || math.Abs(wide/spread-1) > 0.01 {
			t.Errorf("%d times as fine: %g m³ about %v, %g m wide; on voxels %g about %v, %g", f, got, at, wide, want, middle, spread)
		}
		if now := square(&fine, f); now < 1.15*last {
			t.Errorf("%d times as fine: mean square %g, on voxels wider %g: no sharper", f, now, last)
		} else {
			last = now
		}
	}
	if empty := mustNew(t, withPoints(room(8, 0.1, pressure.Sides{}), 16), 1); true {
		if p := empty.fineSmoke(2); p.n.Len() != 0 {
			t.Errorf("smoke of no points takes %d voxels", p.n.Len())
		}
	}
}

// Fine smoke stays behind plates of a tenth of a voxel, and out of solids.
func TestFineSmokeStaysBehindWalls(t *testing.T) {
	for _, thick := range []float64{0.1, 2.5} {
		s, in, outside := crate(t, thick)
		frames(t, s, 24, in)
		fine := s.fineSmoke(2)
		over, all := 0.0, 0.0
		fine.each(s, 2, func(at geom.Vec3, v float64) {
			if all += v; outside(at) > 0.5*s.H { // fine voxels that a wall crosses have some
				over += v
			}
		})
		want := sum(s.Smoke.Data)
		s.Hidden(func(cell int) { want -= float64(s.Smoke.Data[cell]) })
		if want *= 8; math.Abs(all/want-1) > 0.01 || over > 5e-4*all {
			t.Errorf("plates of %g voxels: %.3f %% of the fine smoke is outside, all is %g of %g", thick, 100*over/all, all, want)
		}
	}
}

func sum(v []float32) (s float64) {
	for _, x := range v {
		s += float64(x)
	}
	return s
}

// What voxels carry lies straight between them on finer ones: a linear field is what it was.
func TestFinerFieldsAreStraight(t *testing.T) {
	s := mustNew(t, room(12, 0.1, pressure.Sides{}), 2)
	f := grid.NewField(s.Dims)
	for n := range f.Data {
		i, j, k := n%12, n/12%12, n/144
		f.Data[n] = float32(i) + 2*float32(j) - 0.5*float32(k) + 20
	}
	for _, n := range []int{2, 3} {
		fine := s.finer(f.Data, n)
		if fine.n.NX != 12*n {
			t.Fatalf("%d times as fine: %v", n, fine.n)
		}
		place := func(i int) float64 { return (float64(i)+0.5)/float64(n) - 0.5 }
		for _, c := range [][3]int{{n, n, n}, {4 * n, 3*n + 1, 7*n + 1}, {11*n - 1, 6 * n, 5}} {
			want := place(c[0]) + 2*place(c[1]) - 0.5*place(c[2]) + 20
			if got := fine.data[fine.n.Index(c[0], c[1], c[2])]; math.Abs(float64(got)-want) > 1e-4 {
				t.Errorf("%d times as fine, at %v: %g, want %g", n, c, got, want)
			}
		}
	}
	clear(f.Data)
	if fine := s.finer(f.Data, 2); fine.n.Len() != 0 {
		t.Errorf("nothing takes %d voxels", fine.n.Len())
	}
}

// Frames with fine smoke have their places right, velocity on the run's voxels, and leave the run
// as it was.
func TestFramesWithFineSmoke(t *testing.T) {
	s := shot.New("T")
	d, e := s.Add(shot.Domain), s.Add(shot.Emitter)
	put := func(el *shot.Element, pairs ...val.Pair) {
		for _, p := range pairs {
			if err := el.Put(p.Name, p.Value); err != nil {
				t.Fatal(err)
			}
		}
	}
	put(d, val.Size.Is(2, 2, 2), val.Position.Is(0, 1, 0), val.Voxel.Is(0.1), val.SmokeBy.Is("points"), val.CacheVelocity.Is(true), val.Bounds.Is("follow"))
	put(e, val.Position.Is(0.31, 0.5, -0.17), val.Size.Is(0.3, 0.3, 0.3), val.Temperature.Is(400))
	run := func(fine string, look bool) (*Stage, *frame.Frame) {
		put(d, val.SmokeFine.Is(fine))
		g, err := NewStage(s, "", grid.NewCrew(2))
		if err != nil {
			t.Fatal(err)
		}
		for range 8 {
			if _, _, err := g.Advance(nil); err != nil {
				t.Fatal(err)
			}
			if look {
				g.Frame()
			}
		}
		return g, g.Frame()
	}
	plain, before := run("1", false)
	seen, after := run("2", true)
	if !slices.Equal(plain.Solver.points.of, seen.Solver.points.of) || !slices.Equal(plain.Solver.Heat.Data, seen.Solver.Heat.Data) {
		t.Error("keeping fine smoke changes the run")
	}
	for _, name := range []string{frame.Density, frame.Temperature} {
		a, b := before.Grid(name), after.Grid(name)
		if a.Transform.VoxelSize()[0] != 0.1 || b.Transform.VoxelSize()[0] != 0.05 {
			t.Errorf("%s: voxels of %v and %v", name, a.Transform.VoxelSize(), b.Transform.VoxelSize())
		}
		ma, mb := middle(a), middle(b)
		if ma.Sub(mb).Len() > 0.01 {
			t.Errorf("%s: about %v, finer about %v", name, ma, mb)
		}
	}
	a, b := before.Grid(frame.Velocity), after.Grid(frame.Velocity)
	if a.Transform != b.Transform || len(b.Leaves) == 0 {
		t.Errorf("velocity on %v with %d leaves, was on %v", b.Transform, len(b.Leaves), a.Transform)
	}
}

// middle is where a grid's values lie, m.
func middle(g *frame.Grid) (at geom.Vec3) {
	sum := 0.0
	for _, l := range g.Leaves {
		low := [3]int{int(l.Origin[0]), int(l.Origin[1]), int(l.Origin[2])}
		var v [512]float32
		if err := g.Dense(low, [3]int{8, 8, 8}, [][]float32{v[:]}); err != nil {
			panic(err)
		}
		m := g.Transform.M
		for n, x := range v {
			at = at.Add(geom.V(m[3][0]+m[0][0]*float64(low[0]+n%8), m[3][1]+m[1][1]*float64(low[1]+n/8%8), m[3][2]+m[2][2]*float64(low[2]+n/64)).Mul(float64(x)))
			sum += float64(x)
		}
	}
	return at.Mul(1 / sum)
}
