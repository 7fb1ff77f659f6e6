package gas

import (
	"math"
	"testing"

	"zarf/core/geom"
	"zarf/core/grid"
	"zarf/core/pressure"
	"zarf/core/sim"
)

var flame = Fire{Ignition: 600, Rate: 6, Heat: 2e7, Soot: 10, Expansion: 1, Spread: 0.5, Afterglow: 0.1, RadiationAt: 2000}

func burning(n int, h float64, open pressure.Sides) Box {
	b := room(n, h, open)
	b.Burning = true
	return b
}

// Cooling by radiation follows θ(t) = (θ₀⁻³ + 3kt)^(−1/3) within 1 %, in one
// step and in many.
func TestRadiationFollowsTheClosedSolution(t *testing.T) {
	for _, steps := range []int{1, 24} {
		s := mustNew(t, room(4, 0.1, pressure.Sides{}), 1)
		p := calm
		p.Gravity, p.Fire.Radiation, p.Fire.RadiationAt = 0, 3000, 2000
		start := []float64{1700, 900, 200}
		for i := range s.Heat.Data {
			s.Heat.Data[i] = float32(start[i%3])
		}
		for range steps {
			s.survey()
			s.radiate(1/float64(steps), p)
		}
		span := 2000 - p.AirTemperature
		for i, from := range start {
			th := from / span
			want := span / math.Cbrt(1/(th*th*th)+3*3000/span)
			if got := float64(s.Heat.Data[i]); math.Abs(got/want-1) > 0.01 {
				t.Errorf("%d steps, from %g K: %g, want %g", steps, from, got, want)
			}
		}
	}
}

// The heat made is the fuel burnt times its heat, and the domain holds it; the
// soot likewise; the fuel that is gone is the fuel burnt.
func TestFuelHeatAndSootAreAccountedFor(t *testing.T) {
	s := mustNew(t, burning(24, 0.05, pressure.Sides{true, true, true, true, true, true}), 2)
	blob(s, geom.V(0.6, 0.6, 0.6), 0.15, 0, 500)
	for i, v := range s.Heat.Data {
		if v > 0 {
			s.Fuel.Data[i] = 0.05
		}
	}
	p := calm
	p.Gravity, p.Scheme, p.Fire = 0, MacCormack, flame
	p.Fire.Expansion, p.Fire.Spread = 0, 0 // nothing moves: what is there stays
	v := math.Pow(s.H, 3)
	fuel0, heat0 := s.total(s.Fuel)*v, s.total(s.Heat)*v
	var burnt, heat, soot float64
	for range 12 {
		st, err := s.Frame(1.0/24, sim.Substeps{CFL: 2, Min: 2, Max: 2}, fixed(Inputs{Physics: p}), nil)
		if err != nil {
			t.Fatal(err)
		}
		burnt, heat, soot = burnt+st.FuelBurnt, heat+st.HeatMade, soot+st.SootMade
	}
	near := func(what string, got, want float64) {
		t.Helper()
		if math.Abs(got-want) > 0.01*math.Abs(want) {
			t.Errorf("%s: %g, want %g", what, got, want)
		}
	}
	near("fuel gone", fuel0-s.total(s.Fuel)*v, burnt)
	near("share burnt in half a second at 6/s", burnt/fuel0, 1-math.Exp(-3))
	near("heat gained", s.total(s.Heat)*v-heat0, heat)
	near("heat of the fuel", heat, burnt*flame.Heat/(1.2*HeatCapacity))
	near("soot", s.total(s.Smoke)*v, soot)
	near("soot of the fuel", soot, burnt*flame.Soot)
}

// What burning expands by leaves through the open sides.
func TestExpansionLeaves(t *testing.T) {
	s := mustNew(t, burning(24, 0.05, pressure.Sides{true, true, true, true, true, true}), 2)
	blob(s, geom.V(0.6, 0.6, 0.6), 0.15, 0, 500)
	for i, v := range s.Heat.Data {
		if v > 0 {
			s.Fuel.Data[i] = 0.02
		}
	}
	p := calm
	p.Gravity, p.Fire, p.Tolerance = 0, flame, 1e-6
	var st FrameStats
	s.survey()
	if err := s.step(1.0/48, Inputs{Physics: p}, &st); err != nil {
		t.Fatal(err)
	}
	out := 0.0
	n := 24
	for a := range n {
		for b := range n {
			out += float64(s.U.At(n, a, b) - s.U.At(0, a, b) + s.V.At(a, n, b) - s.V.At(a, 0, b) + s.W.At(a, b, n) - s.W.At(a, b, 0))
		}
	}
	out *= s.H * s.H / 48
	if st.Expanded <= 0 || math.Abs(out/st.Expanded-1) > 0.02 {
		t.Errorf("made room for %g m³, %g left", st.Expanded, out)
	}
}

// A flame runs through cold fuel at the speed asked for, at two voxel sizes.
func TestFlameSpreads(t *testing.T) {
	for _, h := range []float64{0.05, 0.025} {
		n := int(4 / h)
		b := Box{Dims: grid.Dims{NX: n, NY: 1, NZ: 1}, H: h, Burning: true}
		s := mustNew(t, b, 1)
		for i := range s.Fuel.Data {
			s.Fuel.Data[i] = 1
		}
		for i := range 6 {
			s.Burn.Data[i] = 1
		}
		front := func() float64 {
			for i, v := range s.Burn.Data {
				if v < 0.5 {
					return float64(i) * h
				}
			}
			return 4
		}
		s.survey()
		for range 24 {
			s.spread(1.0/24, 1)
		}
		from := front()
		for range 24 {
			s.spread(1.0/24, 1)
		}
		if v := front() - from; math.Abs(v-1) > 0.08 {
			t.Errorf("voxels of %g m: the flame runs at %.3f m/s, asked for 1", h, v)
		}
	}
}

func TestColdFuelDoesNotBurn(t *testing.T) {
	s := mustNew(t, burning(8, 0.1, pressure.Sides{}), 1)
	for i := range s.Fuel.Data {
		s.Fuel.Data[i], s.Heat.Data[i] = 0.1, 200 // 493 K
	}
	p := calm
	p.Fire = flame
	st := frames(t, s, 3, Inputs{Physics: p})
	if st.FuelBurnt != 0 || s.total(s.Burn) != 0 {
		t.Errorf("%g kg burnt under its ignition temperature", st.FuelBurnt)
	}
	p.Fire.Ignition = 250 // colder than the air: burns at once
	if st = frames(t, s, 1, Inputs{Physics: p}); st.FuelBurnt == 0 {
		t.Error("nothing burns though the air is hot enough")
	}
	if st.VolumeHeld <= 0 {
		t.Error("a closed box doesn't say what expansion it held back")
	}
}

// Fire in a closed room goes out when the air is used up: 0.5 kg/m³ of fuel
// with a need of 14 burns a fourteenth.
func TestFireRunsOutOfAir(t *testing.T) {
	b := burning(6, 0.1, pressure.Sides{})
	b.Oxygen = true
	s := mustNew(t, b, 1)
	for i := range s.Fuel.Data {
		s.Fuel.Data[i], s.Heat.Data[i] = 0.5, 500
	}
	p := calm
	p.Gravity, p.Fire = 0, flame
	p.Fire.Expansion, p.Fire.OxygenNeed = 0, 14
	frames(t, s, 48, Inputs{Physics: p})
	if got := 0.5 - s.Fuel.Data[100]; math.Abs(float64(got)*14-1) > 0.01 {
		t.Errorf("%g kg/m³ burnt, the air lets %g", got, 1.0/14)
	}
	if s.Burn.Data[100] > 0.01 {
		t.Errorf("it still burns: %g", s.Burn.Data[100])
	}
}

// inferno has everything at once: fire, forces, a moving solid.
func inferno() Scene {
	p := calm
	p.Gravity, p.Fire, p.Scheme, p.Vorticity, p.VorticityBy = 9.81, flame, MacCormack, 0.3, "temperature"
	p.Fire.Radiation, p.Cooling = 1000, 0.3
	return func(t, dt float64) Inputs {
		at := func(t float64) geom.Shape { return ball(geom.V(0.6+0.5*t, 0.8, 0.6), 0.12) }
		burner := ball(geom.V(0.6, 0.25, 0.6), 0.12)
		return Inputs{Physics: p, Emitters: []Emitter{{Emitter: sim.Emitter{Shape: burner, Before: burner, Speed: 1, Breakup: 0.3, NoiseSize: 0.1, NoisePhase: 4 * t}, Fuel: 0.08, Temperature: 500, Smoke: 0.2}}, Scene: sim.Scene{Colliders: []sim.Collider{{Shape: at(t), Before: at(t - dt)}}, Turbulences: []sim.Turbulence{{Strength: 3, Size: 0.3, Octaves: 2, Phase: t, Region: sim.Region{Shape: ball(geom.V(0.6, 0.7, 0.6), 0.4), Limited: true, Fade: 0.2}}}, Vortices: []sim.Vortex{{Centre: geom.V(0.6, 0.6, 0.6), Axis: geom.V(0, 1, 0), Radius: 0.2, Strength: 3, Draw: 1}}, Radials: []sim.Radial{{Centre: geom.V(0.9, 0.6, 0.6), Radius: 0.1, Strength: -2}}, Drags: []sim.Drag{{Rate: 1, Region: sim.Region{Shape: ball(geom.V(0.2, 0.6, 0.6), 0.2), Limited: true, Fade: 0.1}}}, Winds: []sim.Wind{{Velocity: geom.V(0.5, 0, 0), Grip: 0.5}}}}
	}
}

// Twenty steps of fire with all forces and a moving solid give the same bits
// on any number of threads, with fixed and with following bounds.
func TestFireGivesTheSameBits(t *testing.T) {
	for _, follow := range []*Follow{nil, {Threshold: 0.001, Margin: 0.1}} {
		var want uint64
		for _, threads := range []int{1, 2, 4} {
			b := burning(40, 0.03, pressure.Sides{true, true, false, true, true, true})
			b.Follow, b.Oxygen = follow, true
			s := mustNew(t, b, threads)
			for range 10 {
				if _, err := s.Frame(1.0/24, sim.Substeps{CFL: 2, Min: 2, Max: 2}, inferno(), nil); err != nil {
					t.Fatal(err)
				}
			}
			got := digest(s)
			if want == 0 {
				want = got
			} else if got != want {
				t.Errorf("follow %v, %d threads: %x, one thread gives %x", follow != nil, threads, got, want)
			}
			if s.total(s.Burn) == 0 {
				t.Error("nothing burns")
			}
		}
	}
}

func TestShortFormsOfPowersAndLogarithms(t *testing.T) {
	for x := 0.; x < 1e6; x = x*1.003 + 1e-4 {
		if e := math.Abs(cooled(x)*math.Cbrt(1+x) - 1); e > 3e-10 {
			t.Fatalf("(1 + %g)^(−1/3) is off by %g", x, e)
		}
		if e := math.Abs(log1p(x) - math.Log1p(x)); e > 1e-8*math.Log1p(x) {
			t.Fatalf("ln(1 + %g) is off by %g", x, e)
		}
	}
}
