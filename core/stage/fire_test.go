package stage

import (
	"bytes"
	"math"
	"testing"

	"zarf/core/format/vdb"
	"zarf/core/grid"
	"zarf/core/shot"
)

// Pulses switch an emitter on and off by its own clock.
func TestPulses(t *testing.T) {
	s := sample()
	e := s.Element("emitter1")
	e.Values["pulse"], e.Values["pulse_share"] = shot.Num(0.5), shot.Num(0.4)
	g := mustGas(t, s)
	for at, want := range map[float64]int{0.05: 1, 0.19: 1, 0.21: 0, 0.45: 0, 0.55: 1, 0.95: 0} {
		if got := len(g.Scene(at, 0.01).Emitters); got != want {
			t.Errorf("%g s: %d emitters, want %d", at, got, want)
		}
	}
}

// Time scale changes how much time passes in a frame; keys keep their frames.
func TestTimeScale(t *testing.T) {
	s := sample()
	s.Self.Values["time_scale"] = shot.Num(0.25)
	e := s.Element("emitter1")
	e.SetKey("smoke", shot.Key{Frame: 1, Value: shot.Num(0)})
	e.SetKey("smoke", shot.Key{Frame: 11, Value: shot.Num(10)})
	g := mustGas(t, s)
	if _, _, err := g.Advance(nil); err != nil {
		t.Fatal(err)
	}
	if want := 0.25 / 24; math.Abs(g.Solver.Time-want) > 1e-9 {
		t.Errorf("a frame takes %g s, want %g", g.Solver.Time, want)
	}
	if got := g.Scene(6*0.25/24, 0.01).Emitters[0].Smoke; math.Abs(got-5) > 1e-9 {
		t.Errorf("at frame 6 smoke is %g, want 5", got)
	}
}

// All values of fire and forces reach the solver in its units.
func TestSceneCarriesFireAndForces(t *testing.T) {
	s := sample()
	d := s.Of(shot.Domain)[0]
	d.Values["burning"], d.Values["heat_released"], d.Values["vorticity_by"] = shot.Text("oxygen"), shot.Num(20), shot.Text("temperature")
	s.Element("emitter1").Values["fuel"] = shot.Num(0.05)
	v := s.Add(shot.Vortex)
	v.Values["turn"], v.Values["radius"] = shot.Vec(0, 0, -90), shot.Num(0.7)
	r := s.Add(shot.Radial)
	r.SetKey("strength", shot.Key{Frame: 1, Value: shot.Num(0)})
	r.SetKey("strength", shot.Key{Frame: 5, Value: shot.Num(8)})
	drag := s.Add(shot.Drag)
	drag.Values["region"], drag.Values["region_size"], drag.Values["region_fade"] = shot.Text("sphere"), shot.Vec(2, 2, 2), shot.Num(0.3)
	g := mustGas(t, s)
	if g.Solver.Fuel == nil || g.Solver.Used == nil {
		t.Fatal("the solver carries no fuel or air")
	}
	in := g.Scene(3.0/24, 1.0/24)
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

// Values that don't matter as things stand leave the cache current; those of
// upres leave the coarse one current.
func TestKeysOfFireAndUpres(t *testing.T) {
	s := sample()
	d := s.Of(shot.Domain)[0]
	w := s.Add(shot.Wind)
	key := Key(s, d)
	same := map[string]func(){
		"fire's values without fire":      func() { d.Values["burn_rate"] = shot.Num(50) },
		"where a wind's arrow is drawn":   func() { w.Values["position"] = shot.Vec(9, 9, 9) },
		"a lamp":                          func() { s.Add(shot.Lamp) },
		"a camera's exposure":             func() { s.Of(shot.Camera)[0].Values["shutter"] = shot.Num(180) },
		"margin of bounds that are fixed": func() { d.Values["follow_margin"] = shot.Num(3) },
		"fine whirls without upres":       func() { d.Values["upres_strength"] = shot.Num(3) },
	}
	for what, change := range same {
		if change(); Key(s, d) != key {
			t.Errorf("%s makes the cache stale", what)
		}
	}
	w.Values["region"] = shot.Text("box")
	limited := Key(s, d)
	w.Values["position"] = shot.Vec(1, 1, 1)
	if limited == key || Key(s, d) == limited {
		t.Error("a region's place doesn't count")
	}
	coarse := CoarseKey(s, d)
	d.Values["upres"] = shot.Text("3")
	if CoarseKey(s, d) != coarse || Key(s, d) == coarse {
		t.Error("upres makes the coarse run stale, or counts for nothing")
	}
	d.Values["burning"] = shot.Text("fuel")
	if CoarseKey(s, d) == coarse {
		t.Error("burning doesn't count")
	}
}

// A flat domain is one voxel deep, and nothing moves in its depth.
func TestFlatDomains(t *testing.T) {
	s := sample()
	s.Of(shot.Domain)[0].Values["flat"] = shot.On(true)
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
	if e := Guess(s, s.Of(shot.Domain)[0], 1e6); e.NZ != 1 || e.Voxels != 80 {
		t.Errorf("%+v", e)
	}
}

// A fine stage that is saved and loaded refuses other values and damage.
func TestFineStateIsChecked(t *testing.T) {
	s := sample()
	d := s.Of(shot.Domain)[0]
	d.Values["upres"] = shot.Text("2")
	g := mustGas(t, s)
	fine := func() *Fine {
		f, err := NewFine(s, "", grid.NewCrew(1))
		if err != nil {
			t.Fatal(err)
		}
		return f
	}
	a := fine()
	for range 3 {
		if _, _, err := g.Advance(nil); err != nil {
			t.Fatal(err)
		}
		if err := a.Advance(fileOf(t, g)); err != nil {
			t.Fatal(err)
		}
	}
	var state bytes.Buffer
	if err := a.SaveState(&state); err != nil {
		t.Fatal(err)
	}
	b := fine()
	if err := b.LoadState(bytes.NewReader(state.Bytes())); err != nil || b.Next() != a.Next() {
		t.Fatalf("%v, next %d", err, b.Next())
	}
	if err := fine().LoadState(bytes.NewReader(state.Bytes()[:state.Len()/2])); err == nil {
		t.Error("half a state was taken")
	}
	d.Values["upres_seed"] = shot.Num(9)
	if err := fine().LoadState(bytes.NewReader(state.Bytes())); err == nil {
		t.Error("a state of other whirls was taken")
	}
	e := Guess(s, d, 1e6)
	if e.NX != 16 || e.Voxels != 8*640 {
		t.Errorf("%+v", e)
	}
}

// fileOf is the cached form of the frame made last.
func fileOf(t *testing.T, g *Gas) *vdb.File {
	t.Helper()
	b, err := vdb.Encode(g.Grids(), vdb.Options{Compression: vdb.Blosc})
	if err != nil {
		t.Fatal(err)
	}
	f, err := vdb.Decode(b, vdb.DefaultLimits)
	if err != nil {
		t.Fatal(err)
	}
	return f
}
