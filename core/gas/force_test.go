package gas

import (
	"math"
	"math/rand/v2"
	"testing"

	"zarf/core/geom"
	"zarf/core/grid"
	"zarf/core/pressure"
	"zarf/core/sim"
)

// at is the velocity in the middle of the cell nearest to p.
func at(s *Solver, p geom.Vec3) geom.Vec3 {
	q := p.Sub(s.Origin).Mul(1 / s.H)
	u, v, w := s.Centre(int(q.X), int(q.Y), int(q.Z))
	return geom.V(float64(u), float64(v), float64(w))
}

// pushed is a fluid at rest after one second of forces, without projection.
func pushed(t *testing.T, in Inputs) *Solver {
	t.Helper()
	s := mustNew(t, room(40, 0.05, pressure.Sides{}), 2)
	in.Physics = calm
	in.Physics.Gravity = 0
	s.force(1, in)
	return s
}

// A vortex pushes round its axis, hardest at its radius, falls off beyond, and
// draws in and lifts as asked.
func TestVortexTurns(t *testing.T) {
	v := sim.Vortex{Centre: geom.V(1.025, 1.025, 1.025), Axis: geom.V(0, 1, 0), Radius: 0.3, Strength: 4, Draw: 1, Lift: 2}
	s := pushed(t, Inputs{Scene: sim.Scene{Vortices: []sim.Vortex{v}}})
	u := at(s, geom.V(1.325, 1.025, 1.025)) // on the +x side
	if math.Abs(u.Z+4) > 0.2 || math.Abs(u.X+1) > 0.15 {
		t.Errorf("at the radius: %v, want −4 along z, −1 along x", u)
	}
	if far := at(s, geom.V(1.925, 1.025, 1.025)); math.Abs(far.Z) > 0.7*math.Abs(u.Z) || far.Z >= 0 {
		t.Errorf("three radii out: %v", far)
	}
	if mid := at(s, geom.V(1.025, 1.025, 1.025)); math.Abs(mid.Y-2) > 0.1 || mid.Y < u.Y {
		t.Errorf("lift on the axis %v, at the radius %v", mid, u)
	}
	back := pushed(t, Inputs{Scene: sim.Scene{Vortices: []sim.Vortex{{Centre: v.Centre, Axis: v.Axis, Radius: 0.3, Strength: -4}}}})
	if w := at(back, geom.V(1.325, 1.025, 1.025)); w.Z < 3 {
		t.Errorf("the other way round: %v", w)
	}
}

// A radial push falls with the square of the distance, and draws in where it
// is negative.
func TestRadialFallsOff(t *testing.T) {
	s := pushed(t, Inputs{Scene: sim.Scene{Radials: []sim.Radial{{Centre: geom.V(1.025, 1.025, 1.025), Radius: 0.2, Strength: 8}}}})
	a, b := at(s, geom.V(1.425, 1.025, 1.025)), at(s, geom.V(1.825, 1.025, 1.025))
	if math.Abs(a.X-2) > 0.1 || math.Abs(a.X/b.X-4) > 0.3 {
		t.Errorf("at two radii %v, at four %v: want 2 and a quarter of it", a, b)
	}
	s = pushed(t, Inputs{Scene: sim.Scene{Radials: []sim.Radial{{Centre: geom.V(1, 1, 1), Radius: 0.2, Strength: -8}}}})
	if c := at(s, geom.V(1.425, 1.025, 1.025)); c.X > -1 {
		t.Errorf("it draws in with %v", c)
	}
}

// Forces stay within their regions, full inside, fading outside.
func TestRegionsLimitForces(t *testing.T) {
	box := sim.Region{Shape: geom.Shape{Form: geom.Block, Centre: geom.V(0.5, 1, 1), Size: geom.V(0.6, 2, 2), Turn: geom.RotationXYZ(geom.Vec3{}), Taper: 1}, Limited: true, Fade: 0.4}
	for d, want := range map[float64]float64{-0.1: 1, 0: 1, 0.2: 0.5, 0.4: 0, 0.6: 0} {
		if w := box.Weight(geom.V(0.8+d, 1, 1)); math.Abs(w-want) > 1e-9 {
			t.Errorf("%g m outside: weight %g, want %g", d, w, want)
		}
	}
	s := pushed(t, Inputs{Scene: sim.Scene{Winds: []sim.Wind{{Velocity: geom.V(3, 0, 0), Grip: 50, Region: box}}}})
	in, half, out := at(s, geom.V(0.5, 1, 1)), at(s, geom.V(1.0, 1, 1)), at(s, geom.V(1.5, 1, 1))
	if math.Abs(in.X-3) > 0.01 || half.X < 0.5 || half.X > 2.5 || out.X != 0 {
		t.Errorf("inside %v, in the fade %v, outside %v", in, half, out)
	}
	if s.Ambient != (geom.Vec3{}) {
		t.Errorf("a wind in a region moves the air outside: %v", s.Ambient)
	}
	s = mustNew(t, room(40, 0.05, pressure.Sides{}), 1)
	for i := range s.U.Data {
		s.U.Data[i] = 1
	}
	s.force(0.5, Inputs{Physics: Physics{AirTemperature: 293, AirDensity: 1.2}, Scene: sim.Scene{Drags: []sim.Drag{{Rate: 2, Region: box}}}})
	if a, b := at(s, geom.V(0.5, 1, 1)).X, at(s, geom.V(1.5, 1, 1)).X; math.Abs(a-math.Exp(-1)) > 1e-3 || b != 1 {
		t.Errorf("drag within %g, outside %g", a, b)
	}
}

// sim.Turbulence in a region has no divergence either, at its border included.
func TestTurbulenceInARegionHasNoDivergence(t *testing.T) {
	r := sim.Region{Shape: ball(geom.V(1, 1, 1), 0.4), Limited: true, Fade: 0.3}
	s := pushed(t, Inputs{Scene: sim.Scene{Turbulences: []sim.Turbulence{{Strength: 5, Size: 0.4, Octaves: 2, Seed: 3, Region: r}}}})
	if d := s.Divergence(); d > 2e-4*5/s.H {
		t.Errorf("divergence %g", d)
	}
	if a, b := at(s, geom.V(1, 1, 1)).Len(), at(s, geom.V(0.1, 1, 1)).Len(); a == 0 || b != 0 {
		t.Errorf("within %g, outside %g", a, b)
	}
}

// Confinement by temperature works where it is hot, by density where smoke is.
func TestConfinementIsWeighted(t *testing.T) {
	for _, by := range []string{"temperature", "density"} {
		s := mustNew(t, room(32, 0.05, pressure.Sides{}), 2)
		rng := rand.New(rand.NewPCG(4, 4))
		for _, f := range s.velocity() {
			for i := range f.Data {
				f.Data[i] = rng.Float32() - 0.5
			}
		}
		for k := range 32 {
			for j := range 32 {
				for i := range 16 {
					s.Heat.Set(i, j, k, 600)
					s.Smoke.Set(i, j, k, 1)
				}
			}
		}
		was := append([]float32(nil), s.V.Data...)
		p := calm
		p.Vorticity, p.VorticityBy = 1, by
		s.confine(0.1, p)
		changed := func(lo, hi int) (n int) {
			for k := range 32 {
				for j := 1; j < 32; j++ {
					for i := lo; i < hi; i++ {
						if s.V.At(i, j, k) != was[s.V.Index(i, j, k)] {
							n++
						}
					}
				}
			}
			return n
		}
		if a, b := changed(1, 15), changed(17, 31); a < 10000 || b != 0 {
			t.Errorf("by %s: %d faces pushed where it is, %d where it isn't", by, a, b)
		}
	}
}

// A moving emitter hands its own velocity on, as much as asked.
func TestEmitterTakesAlong(t *testing.T) {
	for _, share := range []float64{0, 1, 0.5} {
		s := mustNew(t, room(20, 0.1, pressure.Sides{true, true, true, true, true, true}), 1)
		e := Emitter{Emitter: sim.Emitter{Shape: ball(geom.V(1.1, 1, 1), 0.3), Before: ball(geom.V(0.9, 1, 1), 0.3), Inherit: share}, Smoke: 1}
		s.emit(0.1, &Inputs{Physics: calm, Emitters: []Emitter{e}})
		if u := at(s, geom.V(1.1, 1, 1)); math.Abs(u.X-2*share) > 0.05 {
			t.Errorf("share %g of 2 m/s: %v", share, u)
		}
	}
}

// Two emitters that hold amounts don't add up where they overlap.
func TestOverlapHoldsOnce(t *testing.T) {
	b := room(16, 0.1, pressure.Sides{})
	b.Burning = true
	s := mustNew(t, b, 1)
	list := []Emitter{{Emitter: sim.Emitter{Shape: ball(geom.V(0.7, 0.8, 0.8), 0.3)}, Smoke: 1, Fuel: 0.2, Temperature: 100}, {Emitter: sim.Emitter{Shape: ball(geom.V(0.9, 0.8, 0.8), 0.3)}, Smoke: 1, Fuel: 0.2, Temperature: 100}}
	s.emit(0.1, &Inputs{Physics: calm, Emitters: list})
	s.emit(0.1, &Inputs{Physics: calm, Emitters: list})
	for name, c := range map[string]struct {
		f   *grid.Field
		top float32
	}{"smoke": {s.Smoke, 1}, "fuel": {s.Fuel, 0.2}, "heat": {s.Heat, 100}} {
		if _, hi, _ := c.f.Range(); hi > c.top*1.0001 || hi < c.top*0.99 {
			t.Errorf("%s is %g, held at %g", name, hi, c.top)
		}
	}
	for i := range list {
		list[i].Add = true
	}
	s.emit(0.1, &Inputs{Physics: calm, Emitters: list})
	if _, hi, _ := s.Fuel.Range(); hi < 0.23 {
		t.Errorf("adding where they overlap: %g", hi)
	}
}
