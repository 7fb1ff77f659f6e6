package gas

import (
	"math"
	"testing"

	"zarf/core/shot"
	"zarf/core/shot/val"
	"zarf/core/stage"
)

// Pulses switch an emitter on and off by its own clock.
func TestPulses(t *testing.T) {
	s := sample()
	e := s.Element("emitter1")
	val.Pulse.Set(e, 0.5)
	val.PulseShare.Set(e, 0.4)
	g := mustGas(t, s)
	for at, want := range map[float64]int{0.05: 1, 0.19: 1, 0.21: 0, 0.45: 0, 0.55: 1, 0.95: 0} {
		if got := len(g.inputs(at, 0.01).Emitters); got != want {
			t.Errorf("%g s: %d emitters, want %d", at, got, want)
		}
	}
}

// Time scale changes how much time passes in a frame; keys keep their frames.
func TestTimeScale(t *testing.T) {
	s := sample()
	val.TimeScale.Set(s.Self, 0.25)
	e := s.Element("emitter1")
	e.SetKey(val.Smoke, shot.Key{Frame: 1, Value: shot.Num(0)})
	e.SetKey(val.Smoke, shot.Key{Frame: 11, Value: shot.Num(10)})
	g := mustGas(t, s)
	if _, _, err := g.Advance(nil); err != nil {
		t.Fatal(err)
	}
	if want := 0.25 / 24; math.Abs(g.Solver.Time-want) > 1e-9 {
		t.Errorf("a frame takes %g s, want %g", g.Solver.Time, want)
	}
	if got := g.inputs(6*0.25/24, 0.01).Emitters[0].Smoke; math.Abs(got-5) > 1e-9 {
		t.Errorf("at frame 6 smoke is %g, want 5", got)
	}
}

// All values of fire and forces reach the solver in its units.
func TestSceneCarriesFireAndForces(t *testing.T) {
	s := sample()
	d := s.Of(shot.Domain)[0]
	val.Burning.Set(d, "oxygen")
	val.HeatReleased.Set(d, 20)
	val.VorticityBy.Set(d, "temperature")
	val.Fuel.Set(s.Element("emitter1"), 0.05)
	v := s.Add(shot.Vortex)
	val.Turn.Set(v, 0, 0, -90)
	val.Radius.Set(v, 0.7)
	r := s.Add(shot.Radial)
	r.SetKey(val.Strength, shot.Key{Frame: 1, Value: shot.Num(0)})
	r.SetKey(val.Strength, shot.Key{Frame: 5, Value: shot.Num(8)})
	drag := s.Add(shot.Drag)
	val.Region.Set(drag, "sphere")
	val.RegionSize.Set(drag, 2, 2, 2)
	val.RegionFade.Set(drag, 0.3)
	g := mustGas(t, s)
	if g.Solver.Fuel == nil || g.Solver.Used == nil {
		t.Fatal("the solver carries no fuel or air")
	}
	in := g.inputs(3.0/24, 1.0/24)
	if in.Physics.Fire.Heat != 2e7 || in.Physics.VorticityBy != "temperature" || in.Emitters[0].Fuel != 0.05 {
		t.Errorf("%+v %+v", in.Physics, in.Emitters[0])
	}
	if len(in.Vortices) != 1 || in.Vortices[0].Axis.X < 0.99 || in.Vortices[0].Radius != 0.7 {
		t.Errorf("%+v", in.Vortices)
	}
	if len(in.Radials) != 1 || math.Abs(in.Radials[0].Strength-4) > 1e-9 {
		t.Errorf("%+v", in.Radials)
	}
	if len(in.Drags) != 1 || !in.Drags[0].Region.Limited || in.Drags[0].Region.Fade != 0.3 {
		t.Errorf("%+v", in.Drags)
	}
}

// A flat domain is one voxel deep, and nothing moves in its depth.
func TestFlatDomains(t *testing.T) {
	s := sample()
	val.Flat.Set(s.Of(shot.Domain)[0], true)
	g := mustGas(t, s)
	if g.Solver.NZ != 1 || g.Solver.NX != 8 {
		t.Fatalf("%v cells", g.Solver.Dims)
	}
	for range 6 {
		if _, _, err := g.Advance(nil); err != nil {
			t.Fatal(err)
		}
	}
	if lo, hi, _ := g.Solver.W.Range(); lo != 0 || hi != 0 {
		t.Errorf("it moves in depth: %g … %g", lo, hi)
	}
	if _, hi, _ := g.Solver.V.Range(); hi <= 0 {
		t.Error("nothing rises")
	}
	if e := stage.Guess(s, s.Of(shot.Domain)[0], 1e6); e.NZ != 1 || e.Voxels != 80 {
		t.Errorf("%+v", e)
	}
}
