package liquid

import (
	"math"
	"testing"

	"zarf/core/geom"
)

// hotSheet is a sheet of so many metres on the floor of a closed box.
func hotSheet(t testing.TB, deep float64) (*Solver, Inputs) {
	s := box(t, 12, 12, 12, 0.0125, 2)
	in := Inputs{Physics: Physics{Gravity: 9.81, Density: 2700, Viscosity: 0, Tolerance: 1e-4, MaxIterations: 100, Affine: true}}
	e := body(geom.V(0, 0, 0), geom.V(1, deep, 1))
	e.Heat = 1400
	in.Emitters = []Emitter{e}
	in.Physics.Warmth = &Warmth{Air: 293, Capacity: 20, Conducts: 1000, Radiates: 0.95, FlowsAt: 1400, StiffAt: 1100, Stiff: 0}
	return s, in
}

// A sheet that conducts well cools as Stefan and Boltzmann have it: ρ c d dT/dt = −ε σ (T⁴ − T_air⁴).
func TestSheetsCoolByStefanAndBoltzmann(t *testing.T) {
	s, in := hotSheet(t, 0.05)
	run(t, s, 1, in, nil)
	mean := func() (m float64) {
		for i := range s.P {
			m += float64(s.P[i].Heat) / float64(len(s.P))
		}
		return m
	}
	want, w := mean(), in.Physics.Warmth
	worst := 0.0
	for range 48 {
		run(t, s, 1, in, nil)
		for range 100 {
			want -= w.Lost(want) / (2700 * 20 * 0.05) / 24 / 100
		}
		worst = max(worst, math.Abs(mean()/want-1))
	}
	t.Logf("%.1f K after 2 s, want %.1f; worst %.2f %%", mean(), want, 100*worst)
	if want > 1300 || worst > 0.03 {
		t.Errorf("a sheet cools to %.1f K in 2 s, want %.1f (worst %.1f %%)", mean(), want, 100*worst)
	}
	for i := range s.P {
		if h := s.P[i].Heat; !(h > 293 && h < 1450) {
			t.Fatalf("a particle is %g K warm", h)
		}
	}
}

// Viscosity rises evenly in its logarithm between the two temperatures, and no further.
func TestViscosityByTemperature(t *testing.T) {
	w := Warmth{FlowsAt: 1400, StiffAt: 1000, Stiff: 1e5}
	for temp, want := range map[float64]float64{2000: 10, 1400: 10, 1200: 1e3, 1000: 1e5, 300: 1e5} {
		if got := 10 * w.thickness(10, temp); math.Abs(got/want-1) > 1e-9 {
			t.Errorf("%g K: %g Pa·s, want %g", temp, got, want)
		}
	}
	if w.FlowsAt = 900; w.thickness(10, 950) != 1 {
		t.Error("temperatures the wrong way round change something")
	}
}

// What is cold creeps where what is hot runs: a lump on a floor.
func TestColdLiquidStands(t *testing.T) {
	wide := func(heat float64) float64 {
		s := box(t, 24, 12, 24, 0.05, 2)
		in := Inputs{Physics: Physics{Gravity: 9.81, Density: 2700, Viscosity: 1, Tolerance: 1e-3, MaxIterations: 100, Affine: true, Warmth: &Warmth{Air: 293, Capacity: 1000, FlowsAt: 1400, StiffAt: 1000, Stiff: 1e5}}}
		e := body(geom.V(0.4, 0, 0.4), geom.V(0.8, 0.4, 0.8))
		e.Heat = heat
		in.Emitters = []Emitter{e}
		run(t, s, 12, in, nil)
		return float64(s.high[0]-s.low[0]) * s.H
	}
	hot, cold := wide(1400), wide(900)
	if hot < 0.9 || cold > 0.46 {
		t.Errorf("hot it is %.2f m wide after half a second, cold %.2f", hot, cold)
	}
}

// A heavier second liquid over the first sinks through it; however they mix, there is as
// much of it as there was.
func TestHeavierLiquidSinks(t *testing.T) {
	for _, blends := range []float64{0, 2} {
		s := box(t, 16, 16, 16, 0.05, 2)
		in := Inputs{Physics: Physics{Gravity: 9.81, Density: 1000, Tolerance: 1e-4, MaxIterations: 100, Affine: true, Mixes: true, Second: 1300, Blends: blends}}
		low, high := body(geom.V(0, 0, 0), geom.V(0.8, 0.3, 0.8)), body(geom.V(0, 0.3, 0), geom.V(0.4, 0.6, 0.8))
		more := body(geom.V(0.4, 0.3, 0), geom.V(0.8, 0.6, 0.8))
		high.ID, high.Mix, more.ID = "high", 1, "more"
		in.Emitters = []Emitter{low, high, more}
		height := func() (sum, at float64) {
			for i := range s.P {
				sum += float64(s.P[i].Mix)
				at += float64(s.P[i].Mix) * float64(s.P[i].X[1])
			}
			return sum, at / sum
		}
		run(t, s, 1, in, nil)
		sum, from := height()
		run(t, s, 36, in, nil)
		after, to := height()
		t.Logf("blends %g: from %.2f to %.2f voxels, %.1f of %.1f of it", blends, from, to, after, sum)
		if to > from-3 {
			t.Errorf("blends %g: the heavy liquid's middle went from %.2f to %.2f voxels", blends, from, to)
		}
		if math.Abs(after/sum-1) > 0.01 {
			t.Errorf("blends %g: %.1f of the second liquid, of %.1f", blends, after, sum)
		}
	}
}
