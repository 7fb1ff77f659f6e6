package gas

import (
	"math"
	"testing"

	"zarf/core/geom"
	"zarf/core/pressure"
	"zarf/core/sim"
)

// burner feeds a small fire by its power.
func burner(watts float64) Inputs {
	p := calm
	p.Gravity, p.Scheme, p.Fire = 9.81, MacCormack, flame
	p.Fire.Spread = 2
	return Inputs{Physics: p, Emitters: []Emitter{{Emitter: sim.Emitter{Shape: ball(geom.V(0.5, 0.15, 0.5), 0.12)}, Temperature: 700, FuelRate: watts / p.Fire.Heat}}}
}

// What a burner is fed is burnt or still there, by every scheme and however far gas moves
// in a step.
func TestFuelIsKept(t *testing.T) {
	for _, scheme := range []Scheme{SemiLagrangian, MacCormack, Reflection} {
		for _, cfl := range []float64{1, 3} {
			b := burning(24, 1.0/24, allOpen)
			b.NY, b.Open[2] = 64, false
			s := mustNew(t, b, 2)
			in := burner(20e3)
			in.Physics.Scheme = scheme
			burnt, left := 0.0, 0.0
			for range 24 {
				st, err := s.Frame(1.0/24, sim.Substeps{CFL: cfl, Min: 1, Max: 20}, fixed(in), nil)
				if err != nil {
					t.Fatal(err)
				}
				burnt, left = burnt+st.FuelBurnt, st.FuelTotal
			}
			if want := in.Emitters[0].FuelRate; math.Abs((burnt+left)/want-1) > 0.03 {
				t.Errorf("%s, %g cells a step: %.4g kg burnt, %.4g left, of %.4g", scheme, cfl, burnt, left, want)
			}
		}
	}
}

// A burner gives its power though half of it lies in a solid or outside of the box.
func TestPowerIsGivenByWhatIsFree(t *testing.T) {
	for _, at := range []geom.Vec3{geom.V(0.5, 0.5, 0.5), geom.V(0.5, 0, 0.5), geom.V(0.97, 0.5, 0.5)} {
		s := mustNew(t, burning(24, 1.0/24, allOpen), 1)
		in := burner(1e4)
		in.Physics.Gravity = 0
		in.Physics.Fire.Ignition = 1e4 // nothing burns
		in.Emitters[0].Shape = ball(at, 0.1)
		wall := geom.Shape{Form: geom.Block, Centre: geom.V(0.5, 0.5, 0), Size: geom.V(0.5, 0.5, 1), Turn: geom.RotationXYZ(geom.Vec3{}), Taper: 1}
		in.Colliders = []sim.Collider{{Shape: wall, Before: wall}}
		st, err := s.Frame(1, sim.Substeps{CFL: 2, Min: 4, Max: 20}, fixed(in), nil)
		if err != nil {
			t.Fatal(err)
		}
		if want := in.Emitters[0].FuelRate; math.Abs(st.FuelTotal/want-1) > 0.01 {
			t.Errorf("at %v: %g kg of %g", at, st.FuelTotal, want)
		}
	}
}

// Gas that is mixed keeps its warmth: parts of volume of 1,200 K and of the air's
// temperature give what the enthalpy of both demands, not their mean.
func TestMixingKeepsWarmth(t *testing.T) {
	for _, scheme := range []Scheme{SemiLagrangian, MacCormack} {
		s := mustNew(t, room(32, 1.0/32, pressure.Sides{}), 2)
		p := calm
		p.Gravity, p.Scheme = 0, scheme
		blob(s, geom.V(0.5, 0.35, 0.5), 0.2, 1, 907)
		for k := range s.NZ { // a whirl that winds it up
			for j := range s.NY {
				for i := range s.NX + 1 {
					s.U.Set(i, j, k, float32(2*(float64(j)/32-0.5)*math.Sin(math.Pi*float64(i)/32)))
				}
			}
		}
		warmth := func() (missing, kelvin float64) {
			for _, v := range s.Heat.Data {
				missing, kelvin = missing+float64(v)/(float64(v)+p.AirTemperature), kelvin+float64(v)
			}
			return missing, kelvin
		}
		was, k0 := warmth()
		for range 24 {
			if _, err := s.Frame(1.0/24, sim.Substeps{CFL: 2, Min: 1, Max: 20}, fixed(Inputs{Physics: p}), nil); err != nil {
				t.Fatal(err)
			}
		}
		got, k1 := warmth()
		if math.Abs(got/was-1) > 0.03 {
			t.Errorf("%s: %.1f %% of the warmth is left", scheme, 100*got/was)
		}
		if k1/k0 > 0.97 {
			t.Errorf("%s: temperatures add up to %.2f of what they did: nothing was mixed", scheme, k1/k0)
		}
	}
}

func TestShares(t *testing.T) {
	for _, c := range []struct{ left, all, over, under, up, down, scale float64 }{
		{10, 10, 3, 3, 1, 1, 1},
		{10, 12, 4, 1, 0.5, 1, 1},
		{10, 14, 2, 1, 0, 1, 10. / 12},
		{10, 9, 1, 4, 1, 0.75, 1},
		{10, 9, 1, 0.5, 1, 0, 10 / 9.5},
		{10, 5, 1, 0, 1, 1, 1.1},
		{-1, 5, 0, 0, 1, 1, 0},
		{0, 0, 0, 0, 1, 1, 1},
	} {
		up, down, scale := shares(c.left, c.all, c.over, c.under)
		if up != c.up || down != c.down || math.Abs(scale-c.scale) > 1e-12 {
			t.Errorf("%+v: %g %g %g", c, up, down, scale)
		}
		if got := c.all - (1-up)*c.over + (1-down)*c.under; c.scale > 0 && c.scale < 1.1 && math.Abs(got*scale-c.left) > 1e-9 {
			t.Errorf("%+v: it becomes %g", c, got*scale)
		}
	}
}

// Warmth and smoke that rise and roll up are kept: their sums change by no more than what
// rounding does, but for what leaves through the sides.
func TestThermalsKeepWhatTheyHold(t *testing.T) {
	s := mustNew(t, room(40, 0.05, pressure.Sides{true, true, true, true, true, true}), 2)
	blob(s, geom.V(1, 0.5, 1), 0.25, 1, 60)
	s.Forget()
	still := calm
	still.Cooling, still.Dissipation = 0, 0
	missing := func() (smoke, warm float64) {
		for i, v := range s.Heat.Data {
			smoke += float64(s.Smoke.Data[i])
			warm += float64(v) / (still.AirTemperature + float64(v))
		}
		return smoke, warm
	}
	smoke, warm := missing()
	st := frames(t, s, 40, Inputs{Physics: still, Scene: sim.Scene{Turbulences: []sim.Turbulence{{Strength: 0.3, Size: 0.3, Octaves: 2}}}})
	nowSmoke, nowWarm := missing()
	if st.Top < 1.2 {
		t.Fatalf("it rose to %g m alone", st.Top)
	}
	if a, b := nowSmoke/smoke, nowWarm/warm; math.Abs(a-1) > 0.02 || math.Abs(b-1) > 0.02 {
		t.Errorf("after %d frames there is %.3f of the smoke and %.3f of the warmth", 40, a, b)
	}
}
