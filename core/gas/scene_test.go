package gas

import (
	"math"
	"testing"

	"zarf/core/geom"
	"zarf/core/grid"
	"zarf/core/pressure"
	"zarf/core/sim"
)

var allOpen = pressure.Sides{true, true, true, true, true, true}

func frames(t *testing.T, s *Solver, n int, in Inputs) FrameStats {
	t.Helper()
	var st FrameStats
	for range n {
		var err error
		if st, err = s.Frame(1.0/24, sim.Substeps{CFL: 2, Min: 1, Max: 8}, fixed(in), nil); err != nil {
			t.Fatal(err)
		}
	}
	return st
}

// height is the mean height of a channel's content, m.
func height(s *Solver, f *grid.Field) float64 {
	var m, y float64
	for k := range s.NZ {
		for j := range s.NY {
			for _, v := range f.Row(j, k) {
				m += float64(v)
				y += float64(v) * (float64(j) + 0.5) * s.H
			}
		}
	}
	return y / m
}

// blob puts a ball of smoke and heat into still air.
func blob(s *Solver, at geom.Vec3, r float64, smoke, heat float32) {
	for k := range s.NZ {
		for j := range s.NY {
			for i := range s.NX {
				p := geom.V(float64(i)+0.5, float64(j)+0.5, float64(k)+0.5).Mul(s.H)
				if p.Dist(at) < r {
					s.Smoke.Set(i, j, k, smoke)
					s.Heat.Set(i, j, k, heat)
				}
			}
		}
	}
}

func TestWhatRisesAndWhatSinks(t *testing.T) {
	for _, c := range []struct {
		name         string
		heat         float32
		weight, lift float64
		up           float64 // sign of the motion
	}{
		{"warm gas rises", 60, 0, 1, 1},
		{"cold gas sinks", -40, 0, 1, -1},
		{"heavy smoke sinks", 0, 0.5, 1, -1},
		{"light smoke rises", 0, -0.5, 1, 1},
		{"lift below 0 turns it round", 60, 0, -1, -1},
		{"no lift, no motion", 60, 0, 0, 0},
	} {
		s := mustNew(t, room(24, 0.05, allOpen), 2)
		blob(s, geom.V(0.6, 0.6, 0.6), 0.2, 1, c.heat)
		p := calm
		p.SmokeWeight, p.Lift = c.weight, c.lift
		frames(t, s, 8, Inputs{Physics: p})
		if d := height(s, s.Smoke) - 0.6; d*c.up < 0.01*math.Abs(c.up) || (c.up == 0 && math.Abs(d) > 1e-3) {
			t.Errorf("%s: moved by %.4f m", c.name, d)
		}
	}
}

// A warm ball starts with the acceleration that a ball of light fluid has,
// which must push air aside: g·β/(1+½) for added mass of one half.
func TestFirstAccelerationOfABuoyantBall(t *testing.T) {
	s := mustNew(t, room(48, 1.0/48, allOpen), 2)
	blob(s, geom.V(0.5, 0.5, 0.5), 0.12, 1, 29.3)
	p := calm
	p.Tolerance = 1e-6
	dt := 0.01
	if _, err := s.Frame(dt, sim.Substeps{CFL: 2, Min: 1, Max: 1}, fixed(Inputs{Physics: p}), nil); err != nil {
		t.Fatal(err)
	}
	_, v, _ := s.Centre(24, 24, 24)
	// in the Boussinesq limit the inside of the ball gains g β ⅔
	want := 9.81 * (1 - 293/322.3) * 2 / 3 * dt // β = 1 − T₀/T
	if math.Abs(float64(v)-want) > 0.06*want {
		t.Errorf("after %g s the ball moves at %g m/s, want %g", dt, v, want)
	}
}

func TestAddAndHold(t *testing.T) {
	e := Emitter{Emitter: sim.Emitter{Shape: ball(geom.V(0.4, 0.4, 0.4), 0.2)}, Smoke: 2}
	p := calm
	p.Gravity = 0
	in := Inputs{Physics: p, Emitters: []Emitter{e, e, e}}
	s := mustNew(t, room(16, 0.05, allOpen), 1)
	frames(t, s, 3, in)
	if v := s.Smoke.At(8, 8, 8); v != 2 {
		t.Errorf("three emitters that hold 2 give %g", v)
	}
	for i := range in.Emitters {
		in.Emitters[i].Add = true
	}
	s = mustNew(t, room(16, 0.05, allOpen), 1)
	frames(t, s, 24, in)
	if v := s.Smoke.At(8, 8, 8); math.Abs(float64(v)-6) > 0.05 {
		t.Errorf("three emitters that add 2 a second give %g after a second", v)
	}
}

func TestColdEmitterHoldsCold(t *testing.T) {
	p := calm
	p.Gravity = 0
	s := mustNew(t, room(16, 0.05, allOpen), 1)
	frames(t, s, 2, Inputs{Physics: p, Emitters: []Emitter{{Emitter: sim.Emitter{Shape: ball(geom.V(0.4, 0.4, 0.4), 0.2)}, Temperature: -50}}})
	if v := s.Heat.At(8, 8, 8); v != -50 {
		t.Errorf("a cold emitter gives %g K", v)
	}
}

func TestBreakupLeavesGaps(t *testing.T) {
	share := func(b float64) float64 {
		p := calm
		p.Gravity = 0
		s := mustNew(t, room(32, 0.025, allOpen), 2)
		frames(t, s, 1, Inputs{Physics: p, Emitters: []Emitter{{Emitter: sim.Emitter{Shape: ball(geom.V(0.4, 0.4, 0.4), 0.3), Breakup: b, NoiseSize: 0.12, Seed: 4}, Smoke: 1}}})
		return s.total(s.Smoke)
	}
	none, half, full := share(0), share(0.5), share(1)
	if !(full < 0.8*half && half < 0.9*none && full > 0.05*none) {
		t.Errorf("smoke with breakup 0, ½, 1: %g %g %g", none, half, full)
	}
}

func TestShellLeavesTheInsideEmpty(t *testing.T) {
	p := calm
	p.Gravity = 0
	s := mustNew(t, room(32, 0.025, allOpen), 1)
	frames(t, s, 1, Inputs{Physics: p, Emitters: []Emitter{{Emitter: sim.Emitter{Shape: ball(geom.V(0.4, 0.4, 0.4), 0.25), Surface: 0.05}, Smoke: 1}}})
	if in, on := s.Smoke.At(16, 16, 16), s.Smoke.At(16+10, 16, 16); in != 0 || on < 0.8 {
		t.Errorf("inside %g, at the surface %g", in, on)
	}
}

// sim.Wind takes hold by 1 − e^(−grip t).
func TestWindTakesHold(t *testing.T) {
	p := calm
	p.Gravity = 0
	s := mustNew(t, room(12, 0.1, allOpen), 1)
	frames(t, s, 24, Inputs{Physics: p, Scene: sim.Scene{Winds: []sim.Wind{{Velocity: geom.V(2, 0, 0), Grip: 0.8}}}})
	u, _, _ := s.Centre(6, 6, 6)
	if want := 2 * (1 - math.Exp(-0.8)); math.Abs(float64(u)-want) > 0.01*want {
		t.Errorf("after a second %g m/s, want %g", u, want)
	}
}

func TestDampingSlows(t *testing.T) {
	p := calm
	p.Gravity, p.Damping = 0, 1.5
	s := mustNew(t, room(12, 0.1, allOpen), 1)
	for i := range s.U.Data {
		s.U.Data[i] = 1
	}
	s.Ambient.X = 1
	frames(t, s, 24, Inputs{Physics: p})
	if u, _, _ := s.Centre(6, 6, 6); math.Abs(float64(u)-math.Exp(-1.5)) > 0.01 {
		t.Errorf("after a second %g m/s, want %g", u, math.Exp(-1.5))
	}
}

func TestConfinementFeedsCurls(t *testing.T) {
	energy := func(eps float64) float64 {
		p := calm
		p.Gravity, p.Vorticity = 0, eps
		s := mustNew(t, room(24, 0.05, pressure.Sides{}), 2)
		s.turbulence(0.5, &sim.Turbulence{Strength: 2, Size: 0.4, Octaves: 2, Seed: 1}, 0)
		frames(t, s, 12, Inputs{Physics: p})
		e := 0.0
		for i := range s.U.Data {
			e += float64(s.U.Data[i]) * float64(s.U.Data[i])
		}
		return e
	}
	if a, b := energy(0), energy(0.5); b < 1.03*a {
		t.Errorf("energy without confinement %g, with %g", a, b)
	}
}

// What flows in through an open side is clean air.
func TestOpenSidesBringCleanAir(t *testing.T) {
	p := calm
	p.Gravity = 0
	s := mustNew(t, room(16, 0.1, pressure.Sides{true, true, false, false, false, false}), 1)
	for i := range s.Smoke.Data {
		s.Smoke.Data[i], s.Heat.Data[i] = 1, 50
	}
	for i := range s.U.Data {
		s.U.Data[i] = 2.4
	}
	frames(t, s, 12, Inputs{Physics: p}) // 1.2 m of 1.6
	if a, b := s.Smoke.At(4, 8, 8), s.Smoke.At(15, 8, 8); a > 0.02 || b < 0.9 {
		t.Errorf("upstream %g, downstream %g", a, b)
	}
}

// A wall between two rooms keeps smoke on its side.
func TestWallsDoNotLeak(t *testing.T) {
	for _, cells := range []float64{2, 3} {
		s := mustNew(t, room(32, 1.0/32, pressure.Sides{}), 2)
		wall := geom.Shape{Form: geom.Block, Centre: geom.V(0.5, 0.5, 0.5), Size: geom.V(cells/32, 2, 2), Turn: geom.RotationXYZ(geom.V(0, 0, 8)), Taper: 1}
		in := Inputs{Physics: calm, Emitters: []Emitter{{Emitter: sim.Emitter{Shape: ball(geom.V(0.22, 0.25, 0.5), 0.12)}, Smoke: 1, Temperature: 150}}, Scene: sim.Scene{Colliders: []sim.Collider{{Shape: wall, Before: wall}}}}
		frames(t, s, 36, in)
		left, right := 0.0, 0.0
		for k := range 32 {
			for j := range 32 {
				for i, v := range s.Smoke.Row(j, k) {
					p := geom.V(float64(i)+0.5, float64(j)+0.5, float64(k)+0.5).Mul(s.H)
					if wall.Distance(p) < 0 {
						continue
					}
					if wall.Local(p).X < 0 {
						left += float64(v)
					} else {
						right += float64(v)
					}
				}
			}
		}
		if right > 0.01*left {
			t.Errorf("a wall of %g voxels let %.1f %% through", cells, 100*right/left)
		}
	}
}

// An emitter within a solid gives nothing, and a stop is heard within a frame.
func TestEmitterInASolidAndStop(t *testing.T) {
	s := mustNew(t, room(24, 0.05, allOpen), 1)
	rock := ball(geom.V(0.6, 0.6, 0.6), 0.3)
	frames(t, s, 2, Inputs{Physics: calm, Emitters: []Emitter{{Emitter: sim.Emitter{Shape: ball(geom.V(0.6, 0.6, 0.6), 0.1)}, Smoke: 1}}, Scene: sim.Scene{Colliders: []sim.Collider{{Shape: rock, Before: rock}}}})
	if m := s.total(s.Smoke); m != 0 {
		t.Errorf("an emitter within a solid gave %g", m)
	}
	if _, err := s.Frame(1, sim.Substeps{CFL: 1, Min: 4, Max: 4}, fixed(Inputs{Physics: calm}), func() bool { return true }); err != sim.ErrStopped {
		t.Errorf("a stop gave %v", err)
	}
}

// Divergence is the root mean square of what is left of the divergence over
// cells that take part, 1/s, the volume made taken off.
func (s *Solver) Divergence() float64 {
	so := &s.solid
	var sum float64
	var count int
	f := func(fr *grid.Field, u, v *grid.Field, i, j, k int) float64 {
		if !so.any {
			return float64(u.At(i, j, k))
		}
		a := float64(fr.At(i, j, k))
		return a*float64(u.At(i, j, k)) + (1-a)*float64(v.At(i, j, k))
	}
	for k := range s.NZ {
		for j := range s.NY {
			for i := range s.NX {
				if so.any && so.blocked[s.Index(i, j, k)] {
					continue
				}
				d := (f(so.fx, s.U, so.vx, i+1, j, k)-f(so.fx, s.U, so.vx, i, j, k)+
					f(so.fy, s.V, so.vy, i, j+1, k)-f(so.fy, s.V, so.vy, i, j, k)+
					f(so.fz, s.W, so.vz, i, j, k+1)-f(so.fz, s.W, so.vz, i, j, k))/s.H - float64(s.source.At(i, j, k))
				sum += d * d
				count++
			}
		}
	}
	if count == 0 {
		return 0
	}
	return math.Sqrt(sum / float64(count))
}
