package gas

import (
	"bytes"
	"fmt"
	"math"
	"strings"
	"testing"

	"zarf/core/geom"
	"zarf/core/grid"
	"zarf/core/pressure"
	"zarf/core/shot"
	"zarf/core/shot/val"
	"zarf/core/sim"
)

// wick is a thin source of slightly warm smoke in calm air, carried by so many points a voxel.
func wick(per float64) (*Solver, Inputs) {
	b := Box{Dims: grid.Dims{NX: 32, NY: 160, NZ: 32}, H: 0.01, Origin: geom.V(-0.16, 0, -0.16), Open: pressure.Sides{true, true, false, true, true, true}, PerVoxel: per}
	s, err := New(b, grid.NewCrew(2))
	if err != nil {
		panic(err)
	}
	tip := ball(geom.V(0, 0.1, 0), 0.01)
	return s, Inputs{Physics: calm, Emitters: []Emitter{{Emitter: sim.Emitter{Shape: tip, Before: tip}, Smoke: 1, Temperature: 200}}}
}

// across is how wide the smoke of row j is, in voxels: as wide at half its height as a bell of
// its spread.
func across(s *Solver, j int) float64 {
	var sum, mx, mz, x2, z2 float64
	for k := range s.NZ {
		for i := range s.NX {
			v, x, z := float64(s.Smoke.At(i, j, k)), float64(i), float64(k)
			sum, mx, mz, x2, z2 = sum+v, mx+v*x, mz+v*z, x2+v*x*x, z2+v*z*z
		}
	}
	if sum == 0 {
		return 0
	}
	mx, mz = mx/sum, mz/sum
	return 2 * math.Sqrt(2*math.Ln2) * math.Sqrt(max(0, x2/sum-mx*mx, z2/sum-mz*mz))
}

// A thread of smoke that has risen for two seconds in calm air is a voxel and a half wide where
// points carry it, and goes on widening where voxels do.
func TestThreadsStayThin(t *testing.T) {
	for _, c := range []struct{ per, least, most float64 }{{0, 1.8, 9}, {64, 0.5, 1.6}} {
		s, in := wick(c.per)
		st := frames(t, s, 48, in)
		widest := 0.0
		for j := 14; float64(j+1)*s.H < 0.6*st.Top; j++ {
			widest = max(widest, across(s, j))
		}
		t.Logf("%g points: up to %.2f m, %.2f voxels wide", c.per, st.Top, widest)
		if st.Top < 0.4 || widest < c.least || widest > c.most {
			t.Errorf("%g points a voxel: the thread is %.2f voxels wide, up to %.2f m; want %g to %g", c.per, widest, st.Top, c.least, c.most)
		}
	}
}

// What points hold is what came in: an amount a second, what fades of it, and what wind takes
// along from a source that holds smoke.
func TestPointsKeepAmounts(t *testing.T) {
	s := mustNew(t, withPoints(room(32, 0.05, pressure.Sides{}), 16), 2)
	src := ball(geom.V(0, 0.6, 0), 0.25)
	add := Inputs{Physics: calm, Emitters: []Emitter{{Emitter: sim.Emitter{Shape: src, Before: src}, Smoke: 2, Temperature: 100, Add: true}}}
	first := frames(t, s, 6, add).SmokeTotal
	st := frames(t, s, 12, add)
	if want := 3 * first; math.Abs(st.SmokeTotal/want-1) > 0.01 {
		t.Errorf("three times as long as for %g m³ of smoke adds %g", first, st.SmokeTotal)
	}
	add.Emitters = nil
	add.Physics.Dissipation = 1
	after := frames(t, s, 24, add)
	if q := after.SmokeTotal / st.SmokeTotal; math.Abs(q/math.Exp(-1)-1) > 0.01 {
		t.Errorf("smoke that fades at 1/s is %.4f of itself after a second", q)
	}

	// a wind of 1 m/s through a block that holds smoke of 0.8 takes as much along as goes
	// through its section
	for _, per := range []float64{0, 16, 64} {
		s := mustNew(t, withPoints(room(40, 0.05, pressure.Sides{true, true, true, true, true, true}), per), 2)
		for i := range s.U.Data {
			s.U.Data[i] = 1
		}
		s.Ambient = geom.V(1, 0, 0)
		src := geom.Shape{Form: geom.Block, Centre: geom.V(0.5, 1, 1), Turn: geom.RotationXYZ(geom.Vec3{}), Size: geom.V(0.4, 0.6, 0.6), Taper: 1}
		still := calm
		still.Gravity, still.Vorticity = 0, 0
		in := Inputs{Physics: still, Emitters: []Emitter{{Emitter: sim.Emitter{Shape: src, Before: src}, Smoke: 0.8}}}
		before := frames(t, s, 12, in).SmokeTotal
		if got, want := frames(t, s, 12, in).SmokeTotal-before, 0.8*0.6*0.6*0.5; math.Abs(got/want-1) > 0.03 {
			t.Errorf("%g points a voxel: half a second of wind takes %.4f m³ along, want %.4f", per, got, want)
		}
	}
}

func withPoints(b Box, per float64) Box {
	b.PerVoxel = per
	return b
}

// Smoke that fills a box evenly stays even, to the grain that help and checks promise:
// 0.4/√n with n points a voxel.
func TestGrain(t *testing.T) {
	for _, per := range []float64{4, 16, 64} {
		s := mustNew(t, withPoints(room(24, 0.05, pressure.Sides{}), per), 2)
		for i := range s.Smoke.Data {
			s.Smoke.Data[i] = 1
		}
		for n := range s.U.Data {
			s.U.Data[n] = 0
		}
		for range 20 { // turned about, so that nothing of the seeding's order is left
			spin(s)
			if err := s.Advect(0.05, MacCormack); err != nil {
				t.Fatal(err)
			}
		}
		var sum, square, n float64
		for k := 6; k < 18; k++ {
			for j := 6; j < 18; j++ {
				for _, v := range s.Smoke.Row(j, k)[6:18] {
					sum, square, n = sum+float64(v), square+float64(v)*float64(v), n+1
				}
			}
		}
		mean := sum / n
		grain := math.Sqrt(square/n-mean*mean) / mean
		t.Logf("%g points a voxel: mean %.4f, grain %.3f", per, mean, grain)
		if math.Abs(mean-1) > 0.02 || grain > 0.4/math.Sqrt(per) {
			t.Errorf("%g points a voxel: mean %.4f, grain %.3f; want 1, under %.3f", per, mean, grain, 0.4/math.Sqrt(per))
		}
	}
}

// spin sets the flow of four whirls in a closed box, which has no divergence.
func spin(s *Solver) {
	psi := func(i, j int) float64 {
		return math.Sin(2*math.Pi*float64(i)/float64(s.NX)) * math.Sin(2*math.Pi*float64(j)/float64(s.NY))
	}
	for k := range s.NZ {
		for j := range s.NY {
			for i := range s.NX + 1 {
				s.U.Set(i, j, k, float32(2*(psi(i, j+1)-psi(i, j))))
			}
		}
		for j := range s.NY + 1 {
			for i := range s.NX {
				s.V.Set(i, j, k, float32(-2*(psi(i+1, j)-psi(i, j))))
			}
		}
	}
}

// Points have the same bits on any number of threads, and in a run that was stopped and gone on
// with; where bounds follow too.
func TestPointsHaveTheSameBits(t *testing.T) {
	for _, bounds := range []string{"fixed", "follow"} {
		sameBits(t, "bounds "+bounds, func(s *shot.Shot, d *shot.Element) {
			val.SmokeBy.Set(d, "points")
			val.SmokePoints.Set(d, 128)
			val.Bounds.Set(d, bounds)
		}, func(s *Solver) bool { return len(s.points.of) > 1000 })
	}
}

// sameBits holds runs of the sample, changed, against each other: on one, two and three threads,
// and stopped and gone on with from a saved state. done tells of the end that what is to be seen was.
func sameBits(t *testing.T, what string, change func(s *shot.Shot, d *shot.Element), done func(s *Solver) bool) {
	t.Helper()
	run := func(threads, stopAt int) uint64 {
		s := sample()
		change(s, s.Of(shot.Domain)[0])
		open := func() *Stage {
			g, err := NewStage(s, "", grid.NewCrew(threads))
			if err != nil {
				t.Fatal(err)
			}
			return g
		}
		g := open()
		for n := range 8 {
			if n == stopAt {
				var b bytes.Buffer
				if err := g.SaveState(&b); err != nil {
					t.Fatal(err)
				}
				g = open()
				if err := g.LoadState(&b, true); err != nil {
					t.Fatal(err)
				}
			}
			if _, _, err := g.Advance(nil); err != nil {
				t.Fatal(err)
			}
		}
		if !done(g.Solver) {
			t.Fatalf("%s: nothing is told by that run", what)
		}
		return digest(g.Solver)
	}
	want := run(1, -1)
	for _, c := range [][2]int{{2, -1}, {3, -1}, {2, 4}} {
		if got := run(c[0], c[1]); got != want {
			t.Errorf("%s: other bits on %d threads, stopped before frame %d", what, c[0], c[1]+1)
		}
	}
}

// crate is hot smoke in a closed box of plates so many voxels thick, turned, and how far outside
// of its outer walls a place is.
func crate(t *testing.T, thick float64) (s *Solver, in Inputs, outside func(p geom.Vec3) float64) {
	const h = 0.05
	s = mustNew(t, withPoints(Box{Dims: grid.Dims{NX: 32, NY: 32, NZ: 32}, H: h, Origin: geom.V(-0.8, 0, -0.8), Open: pressure.Sides{true, true, true, true, true, true}}, 16), 2)
	src := ball(geom.V(0, 0.6, 0), 0.15)
	in = Inputs{Physics: calm, Emitters: []Emitter{{Emitter: sim.Emitter{Shape: src, Before: src, Speed: 1}, Smoke: 1, Temperature: 2000}}}
	turn := geom.RotationXYZ(geom.V(31, 15, 0))
	for side := range 6 {
		at, size := [3]float64{}, [3]float64{0.8 + thick*h, 0.8 + thick*h, 0.8 + thick*h}
		at[side/2] = 0.4 * float64(2*(side&1)-1)
		size[side/2] = thick * h
		x := turn.Apply(geom.FromArray(at))
		p := geom.Shape{Form: geom.Block, Centre: geom.V(x.X, 0.8+x.Y, x.Z), Turn: turn, Size: geom.FromArray(size), Taper: 1}
		in.Colliders = append(in.Colliders, sim.Collider{Shape: p, Before: p})
	}
	return s, in, func(p geom.Vec3) float64 {
		return turn.Back(p.Sub(geom.V(0, 0.8, 0))).Abs().MaxComponent() - (0.4 + thick*h/2)
	}
}

// A closed box of thin plates, and one of thick walls, hold smoke that points carry.
func TestPointsStayBehindWalls(t *testing.T) {
	for _, thick := range []float64{0.1, 0.3, 1, 2.5} {
		s, in, outside := crate(t, thick)
		frames(t, s, 24, in)
		over, all := 0.0, 0.0
		for k := range s.NZ {
			for j := range s.NY {
				for i := range s.NX {
					v := float64(s.Smoke.At(i, j, k))
					if all += v; outside(s.Origin.Add(geom.V(float64(i)+0.5, float64(j)+0.5, float64(k)+0.5).Mul(s.H))) > 0 {
						over += v
					}
				}
			}
		}
		if over > 5e-4*all || all < 100 {
			t.Errorf("walls of %g voxels: %.3f %% of the smoke is outside, of %.0f", thick, 100*over/all, all)
		}
	}
}

// In voxels of another size the smoke is what it was.
func TestPointsAreTakenOver(t *testing.T) {
	b, scene := plume(32)
	s := mustNew(t, withPoints(b, 16), 2)
	was := frames(t, s, 12, scene(0, 0))
	for _, n := range []float64{0.7, 1.6} {
		c := b
		c.H, c.NX, c.NY, c.NZ = b.H/n, int(float64(b.NX)*n), int(float64(b.NY)*n), int(float64(b.NZ)*n)
		for _, per := range []float64{16, 0} {
			d := mustNew(t, withPoints(c, per), 2)
			if err := d.refit(s); err != nil {
				t.Fatal(err)
			}
			st := frames(t, d, 1, Inputs{Physics: calm})
			most := 0.01
			if per == 0 {
				most = 0.1 // reading means from voxels keeps sums roughly
			}
			if q := st.SmokeTotal / was.SmokeTotal; math.Abs(q-1) > most {
				t.Errorf("voxels %.2f times as fine, %g points: smoke becomes %.3f times as much", n, per, q)
			}
		}
	}
	v := mustNew(t, b, 2)
	was = frames(t, v, 12, scene(0, 0))
	d := mustNew(t, withPoints(b, 64), 2)
	if err := d.refit(v); err != nil {
		t.Fatal(err)
	}
	if st := frames(t, d, 1, Inputs{Physics: calm}); math.Abs(st.SmokeTotal/was.SmokeTotal-1) > 0.03 {
		t.Errorf("smoke of voxels becomes %.3f times as much in points", st.SmokeTotal/was.SmokeTotal)
	}
}

// Too many points are an error that says what to do, before memory is taken.
func TestTooManyPoints(t *testing.T) {
	s := mustNew(t, withPoints(room(32, 0.05, pressure.Sides{}), 512), 2)
	for i := range s.Smoke.Data {
		s.Smoke.Data[i] = 100
	}
	_, err := s.Frame(1.0/24, sim.Substeps{CFL: 3, Min: 1, Max: 8}, fixed(Inputs{Physics: calm}), nil)
	if err == nil || !strings.Contains(err.Error(), "more than 64 million points; give fewer points per voxel") {
		t.Errorf("1,700 million points: %v", err)
	}
}

// The splines of a place add up to one, also at the box's sides.
func TestSplines(t *testing.T) {
	for _, n := range []int{1, 2, 5} {
		for c := range n {
			for _, f := range []float32{-0.5, -0.2, 0, 0.37, 0.5} {
				w := spline(f, c, n)
				if sum := w[0] + w[1] + w[2]; math.Abs(float64(sum)-1) > 1e-6 || c == 0 && w[0] != 0 || c == n-1 && w[2] != 0 {
					t.Error(fmt.Sprintf("%g from the middle of voxel %d of %d:", f, c, n), w)
				}
			}
		}
	}
}
