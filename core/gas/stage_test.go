package gas

import (
	"bytes"
	"math"
	"strings"
	"testing"

	"zarf/core/geom"
	"zarf/core/grid"
	"zarf/core/shot"
	"zarf/core/shot/val"
	"zarf/core/stage"
)

func sample() *shot.Shot {
	s := shot.New("S")
	val.Last.Set(s.Self, 20)
	d := s.Add(shot.Domain)
	val.Size.Set(d, 0.8, 1, 0.8)
	val.Voxel.Set(d, 0.1)
	val.Position.Set(d, 0, 0.5, 0)
	e := s.Add(shot.Emitter)
	val.Position.Set(e, 0, 0.3, 0)
	return s
}

func mustGas(t *testing.T, s *shot.Shot) *Stage {
	t.Helper()
	g, err := NewStage(s, "", grid.NewCrew(1))
	if err != nil {
		t.Fatal(err)
	}
	return g
}

func TestSceneFollowsKeysAndTimes(t *testing.T) {
	s := sample()
	e := s.Element("emitter1")
	e.SetKey(val.Smoke, shot.Key{Frame: 1, Value: shot.Num(0)})
	e.SetKey(val.Smoke, shot.Key{Frame: 11, Value: shot.Num(10)})
	val.Begin.Set(e, 3)
	val.End.Set(e, 8)
	g := mustGas(t, s)
	dt := 1.0 / 24
	for frame, want := range map[int]float64{2: -1, 3: 1.04, 6: 5, 8: 7.84, 9: -1} {
		in := g.inputs(float64(frame)*dt, dt) // frame f ends f·dt after the start
		switch {
		case want < 0 && len(in.Emitters) != 0:
			t.Errorf("frame %d: it emits outside its times", frame)
		case want >= 0 && (len(in.Emitters) != 1 || math.Abs(in.Emitters[0].Smoke-want) > 1e-9):
			t.Errorf("frame %d: %+v, want smoke %g", frame, in.Emitters, want)
		}
	}
}

func TestSceneHoldsWhatActs(t *testing.T) {
	s := sample()
	other := s.Add(shot.Domain)
	s.Add(shot.Wind).ActsOn = []string{other.ID}
	s.Add(shot.Turbulence).Muted = true
	c := s.Add(shot.Collider)
	c.SetKey(val.Position, shot.Key{Frame: 1, Value: shot.Vec(0, 0, 0)})
	c.SetKey(val.Position, shot.Key{Frame: 5, Value: shot.Vec(1, 0, 0)})
	in := mustGas(t, s).inputs(3.0/24, 1.0/24)
	if len(in.Winds) != 0 || len(in.Turbulences) != 0 || len(in.Colliders) != 1 || len(in.Emitters) != 1 {
		t.Errorf("%+v", in)
	}
	if v := in.Colliders[0].Velocity(in.Colliders[0].Shape.Centre, 1.0/24); v.X < 5 || v.X > 10 {
		t.Errorf("a collider that goes 1 m in 4 frames moves at %v", v)
	}
	if in.Emitters[0].Temperature != 37 {
		t.Errorf("330 K in air of 293 K is an excess of %g", in.Emitters[0].Temperature)
	}
}

func TestStateOfAnotherShotIsRefused(t *testing.T) {
	a, b := sample(), sample()
	val.Smoke.Set(b.Element("emitter1"), 3)
	g := mustGas(t, a)
	if _, _, err := g.Advance(nil); err != nil {
		t.Fatal(err)
	}
	var state bytes.Buffer
	if err := g.SaveState(&state); err != nil {
		t.Fatal(err)
	}
	if err := mustGas(t, b).LoadState(bytes.NewReader(state.Bytes()), true); err == nil || !strings.Contains(err.Error(), "other values") {
		t.Errorf("got %v", err)
	}
	if err := mustGas(t, a).LoadState(bytes.NewReader(state.Bytes()[:200]), true); err == nil {
		t.Error("half a state was taken")
	}
	h := mustGas(t, a)
	if err := h.LoadState(bytes.NewReader(state.Bytes()), true); err != nil || h.Next() != 2 {
		t.Errorf("%v, next %d", err, h.Next())
	}
	for i, v := range g.Solver.Smoke.Data {
		if h.Solver.Smoke.Data[i] != v {
			t.Fatal("the state differs after loading")
		}
	}
}

func TestGridsSayWhatTheyAre(t *testing.T) {
	g := mustGas(t, sample())
	for range 3 {
		g.Advance(nil)
	}
	grids := g.Frame().Grids
	if len(grids) != 3 {
		t.Fatalf("%d grids", len(grids))
	}
	if grids[0].Meta["frame"] != int32(3) || grids[0].Meta["solver"] != Version || grids[1].Meta["unit"] != "kelvin above air" {
		t.Errorf("%v %v", grids[0].Meta, grids[1].Meta)
	}
	if w := grids[0].Transform.World([3]float64{0, 0, 0}); math.Abs(w[0]+0.35) > 1e-9 || math.Abs(w[1]-0.05) > 1e-9 {
		t.Errorf("the first voxel's centre is at %v", w)
	}
	s := sample()
	val.CacheVelocity.Set(s.Element("domain1"), false)
	g = mustGas(t, s)
	g.Advance(nil)
	if n := len(g.Frame().Grids); n != 2 {
		t.Errorf("%d grids without velocity", n)
	}
}

// The memory that a solver takes is what estimates say, to a factor of 1.5; what is
// allocated again in a step counts in.
func TestMemoryEstimate(t *testing.T) {
	s := sample()
	val.Voxel.Set(s.Element("domain1"), 0.0125)
	g := mustGas(t, s)
	cells := float64(g.Solver.Len())
	r := testing.Benchmark(func(b *testing.B) {
		b.ReportAllocs()
		for b.Loop() {
			x, _ := NewStage(s, "", grid.NewCrew(1))
			x.Advance(nil)
		}
	})
	per := float64(r.AllocedBytesPerOp()) / cells
	if per > 1.5*BytesPerCell || per < 0.5*BytesPerCell {
		t.Errorf("%.0f bytes a cell were allocated, estimates say %d", per, BytesPerCell)
	}
}

// A collider inside out keeps gas within: none gets past it, and the volume
// outside stays empty.
func TestInsideOutColliderKeepsGasIn(t *testing.T) {
	s := shot.New("jar")
	val.Last.Set(s.Self, 20)
	d := s.Add(shot.Domain)
	val.Size.Set(d, 1.6, 1.6, 1.6)
	val.Voxel.Set(d, 0.08)
	val.Position.Set(d, 0, 0.8, 0)
	jar := s.Add(shot.Collider)
	val.Form.Set(jar, "sphere")
	val.Position.Set(jar, 0, 0.8, 0)
	val.Size.Set(jar, 1, 1, 1)
	val.Invert.Set(jar, true)
	e := s.Add(shot.Emitter)
	val.Position.Set(e, 0, 0.6, 0)
	val.Size.Set(e, 0.3, 0.3, 0.3)
	val.Temperature.Set(e, 500)
	g, err := NewStage(s, "", grid.NewCrew(2))
	if err != nil {
		t.Fatal(err)
	}
	for g.Next() <= 20 {
		if _, _, err := g.Advance(nil); err != nil {
			t.Fatal(err)
		}
	}
	var in, out float64
	f := g.visible(g.Solver.Smoke)
	for n, v := range f {
		i, j, k := n%g.Solver.NX, n/g.Solver.NX%g.Solver.NY, n/(g.Solver.NX*g.Solver.NY)
		p := g.Solver.Origin.Add(geom.V(float64(i)+0.5, float64(j)+0.5, float64(k)+0.5).Mul(g.Solver.H))
		if p.Dist(geom.V(0, 0.8, 0)) > 0.5+2*g.Solver.H {
			out += float64(v)
		} else {
			in += float64(v)
		}
	}
	if in < 5 || out > 1e-6*in {
		t.Errorf("smoke inside %g, outside %g", in, out)
	}
}

func TestKeysOfTheShotAreInTheKey(t *testing.T) {
	s := sample()
	val.Breakup.Set(s.Element("emitter1"), 0.5)
	d := s.Element("domain1")
	plain := stage.Key(s, d)
	for what, change := range map[string]func(*shot.Shot){
		"gravity over time": func(s *shot.Shot) { s.Self.SetKey(val.Gravity, shot.Key{Frame: 1, Value: shot.Num(2)}) },
		"tolerance over time": func(s *shot.Shot) {
			s.Element("domain1").SetKey(val.Tolerance, shot.Key{Frame: 1, Value: shot.Num(0.01)})
		},
		"breakup rate over time": func(s *shot.Shot) {
			s.Element("emitter1").SetKey(val.BreakupRate, shot.Key{Frame: 1, Value: shot.Num(2)})
		},
	} {
		c := s.Clone()
		change(c)
		if stage.Key(c, c.Element("domain1")) == plain {
			t.Errorf("%s doesn't make a take stale", what)
		}
	}
	s.Looks[0].SetKey(val.Phase, shot.Key{Frame: 1, Value: shot.Num(0.9)})
	if stage.Key(s, d) != plain {
		t.Error("a key of a look makes a take stale")
	}
}

// A gale makes a run longer, by its gusts and its grip; smoke of a fire that fades soon takes
// less disk.
func TestGuessesKnowWindAndFading(t *testing.T) {
	s := sample()
	d, w := s.Of(shot.Domain)[0], s.Add(shot.Wind)
	val.Voxel.Set(d, 0.02)
	val.MaxSubsteps.Set(d, 40)
	seconds := func(speed, gust, grip float64) float64 {
		val.Velocity.Set(w, speed, 0, 0)
		val.Gust.Set(w, gust)
		val.Grip.Set(w, grip)
		return stage.Guess(s, d, 1e6).Seconds
	}
	calm, breeze, gusty, gale, loose := seconds(0, 0, 1), seconds(6, 0, 1), seconds(6, 1, 1), seconds(30, 0, 1), seconds(30, 0, 0.02)
	if !(calm < breeze && breeze < gusty && gusty < gale) {
		t.Errorf("calm air takes %g s, a breeze %g, with gusts %g, a gale %g", calm, breeze, gusty, gale)
	}
	if loose != calm {
		t.Errorf("a gale that hardly takes gas along makes %g s of %g", loose, calm)
	}
	w.Muted = true
	if m := seconds(30, 0, 1); m != calm {
		t.Errorf("a wind that is muted makes %g s of %g", m, calm)
	}
	val.Burning.Set(d, "fuel")
	val.Bounds.Set(d, "follow")
	disk := func(fades float64) float64 {
		val.Dissipation.Set(d, fades)
		return stage.Guess(s, d, 1e6).Disk
	}
	if a, b, c := disk(0), disk(3.4), disk(6.8); a != b || c >= b || c < b/2 {
		t.Errorf("smoke that fades by 0, 3.4 and 6.8 a second takes %g, %g and %g", a, b, c)
	}
}
