package stage

import (
	"bytes"
	"math"
	"strings"
	"testing"

	"zarf/core/anim"
	"zarf/core/gas"
	"zarf/core/geom"
	"zarf/core/grid"
	"zarf/core/shot"
)

func sample() *shot.Shot {
	s := shot.New("S")
	s.Self.Values["last"] = shot.Num(20)
	d := s.Add(shot.Domain)
	d.Values["size"], d.Values["voxel"], d.Values["position"] = shot.Vec(0.8, 1, 0.8), shot.Num(0.1), shot.Vec(0, 0.5, 0)
	e := s.Add(shot.Emitter)
	e.Values["position"] = shot.Vec(0, 0.3, 0)
	return s
}

func mustGas(t *testing.T, s *shot.Shot) *Gas {
	t.Helper()
	g, err := NewGas(s, "", grid.NewCrew(1))
	if err != nil {
		t.Fatal(err)
	}
	return g
}

func TestSceneFollowsKeysAndTimes(t *testing.T) {
	s := sample()
	e := s.Element("emitter1")
	e.SetKey("smoke", shot.Key{Frame: 1, Value: shot.Num(0)})
	e.SetKey("smoke", shot.Key{Frame: 11, Value: shot.Num(10)})
	e.Values["begin"], e.Values["end"] = shot.Num(3), shot.Num(8)
	g := mustGas(t, s)
	dt := 1.0 / 24
	for frame, want := range map[int]float64{2: -1, 3: 1.04, 6: 5, 8: 7.84, 9: -1} {
		in := g.Scene(float64(frame)*dt, dt) // frame f ends f·dt after the start
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
	c.SetKey("position", shot.Key{Frame: 1, Value: shot.Vec(0, 0, 0)})
	c.SetKey("position", shot.Key{Frame: 5, Value: shot.Vec(1, 0, 0)})
	in := mustGas(t, s).Scene(3.0/24, 1.0/24)
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
	b.Element("emitter1").Values["smoke"] = shot.Num(3)
	g := mustGas(t, a)
	if _, _, err := g.Advance(nil); err != nil {
		t.Fatal(err)
	}
	var state bytes.Buffer
	if err := g.SaveState(&state); err != nil {
		t.Fatal(err)
	}
	if err := mustGas(t, b).LoadState(bytes.NewReader(state.Bytes())); err == nil || !strings.Contains(err.Error(), "other values") {
		t.Errorf("got %v", err)
	}
	if err := mustGas(t, a).LoadState(bytes.NewReader(state.Bytes()[:200])); err == nil {
		t.Error("half a state was taken")
	}
	h := mustGas(t, a)
	if err := h.LoadState(bytes.NewReader(state.Bytes())); err != nil || h.Next() != 2 {
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
	grids := g.Grids()
	if len(grids) != 3 {
		t.Fatalf("%d grids", len(grids))
	}
	if grids[0].Meta["frame"] != int32(3) || grids[0].Meta["solver"] != gas.Version || grids[1].Meta["unit"] != "kelvin above air" {
		t.Errorf("%v %v", grids[0].Meta, grids[1].Meta)
	}
	if w := grids[0].Transform.World([3]float64{0, 0, 0}); math.Abs(w[0]+0.35) > 1e-9 || math.Abs(w[1]-0.05) > 1e-9 {
		t.Errorf("the first voxel's centre is at %v", w)
	}
	s := sample()
	s.Element("domain1").Values["cache_velocity"] = shot.On(false)
	g = mustGas(t, s)
	g.Advance(nil)
	if n := len(g.Grids()); n != 2 {
		t.Errorf("%d grids without velocity", n)
	}
}

func TestPickDomain(t *testing.T) {
	s := sample()
	if d, err := PickDomain(s, ""); err != nil || d.ID != "domain1" {
		t.Error(err)
	}
	if _, err := PickDomain(s, "nope"); err == nil || !strings.Contains(err.Error(), "nope") {
		t.Error(err)
	}
	s.Element("domain1").Muted = true
	if _, err := PickDomain(s, ""); err == nil || !strings.Contains(err.Error(), "add one") {
		t.Error(err)
	}
}

func TestEstimateGrowsAsItShould(t *testing.T) {
	s := sample()
	d := s.Element("domain1")
	a := Guess(s, d, 1e6)
	d.Values["voxel"] = shot.Num(0.05)
	b := Guess(s, d, 1e6)
	if r := b.Voxels / a.Voxels; r != 8 {
		t.Errorf("half the voxel size gives %g times the voxels", r)
	}
	if b.Memory != 8*a.Memory || b.Seconds < 8*a.Seconds || a.Frames != 20 || a.Disk <= 0 {
		t.Errorf("%+v %+v", a, b)
	}
	d.Values["cache_velocity"] = shot.On(false)
	if c := Guess(s, d, 1e6); c.Disk >= b.Disk {
		t.Error("leaving velocity out saves nothing")
	}
}

// The memory that a solver takes is what estimates say, to a factor of 1.5; what is
// allocated again in a step counts in.
func TestMemoryEstimate(t *testing.T) {
	s := sample()
	s.Element("domain1").Values["voxel"] = shot.Num(0.0125)
	g := mustGas(t, s)
	cells := float64(g.Solver.Len())
	r := testing.Benchmark(func(b *testing.B) {
		b.ReportAllocs()
		for b.Loop() {
			x, _ := NewGas(s, "", grid.NewCrew(1))
			x.Advance(nil)
		}
	})
	per := float64(r.AllocedBytesPerOp()) / cells
	if per > 1.5*gas.BytesPerCell || per < 0.5*gas.BytesPerCell {
		t.Errorf("%.0f bytes a cell were allocated, estimates say %d", per, gas.BytesPerCell)
	}
}

// A collider inside out keeps gas within: none gets past it, and the volume
// outside stays empty.
func TestInsideOutColliderKeepsGasIn(t *testing.T) {
	s := shot.New("jar")
	s.Self.Values["last"] = shot.Num(20)
	d := s.Add(shot.Domain)
	d.Values["size"], d.Values["voxel"], d.Values["position"] = shot.Vec(1.6, 1.6, 1.6), shot.Num(0.08), shot.Vec(0, 0.8, 0)
	jar := s.Add(shot.Collider)
	jar.Values["form"], jar.Values["position"], jar.Values["size"], jar.Values["invert"] = shot.Text("sphere"), shot.Vec(0, 0.8, 0), shot.Vec(1, 1, 1), shot.On(true)
	e := s.Add(shot.Emitter)
	e.Values["position"], e.Values["size"], e.Values["temperature"] = shot.Vec(0, 0.6, 0), shot.Vec(0.3, 0.3, 0.3), shot.Num(500)
	g, err := NewGas(s, "", grid.NewCrew(2))
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

// A rate that runs from 0 to 24 over the first second has turned 12 times by
// its end; a fluid at half speed until frame 13 and at full speed after has
// lived ¾ of the second.
func TestNoiseAndTimeWithKeys(t *testing.T) {
	s := sample()
	s.Self.Values["last"] = shot.Num(25)
	e := s.Element("emitter1")
	g := mustGas(t, s)
	e.Values["breakup_rate"] = shot.Num(3)
	plain := g.phase(e, "breakup_rate", 0.5, 12, same)
	e.SetKey("breakup_rate", shot.Key{Frame: 0, Value: shot.Num(3)})
	if keyed := g.phase(e, "breakup_rate", 0.5, 12, same); math.Abs(keyed-plain) > 1e-9 || plain != 1.5 {
		t.Errorf("a constant rate turns %g with a key, %g without", keyed, plain)
	}
	e.SetKey("breakup_rate", shot.Key{Frame: 0, Value: shot.Num(0), Way: anim.Ramp})
	e.SetKey("breakup_rate", shot.Key{Frame: 24, Value: shot.Num(24), Way: anim.Ramp})
	for f, want := range map[float64]float64{24: 12, 12: 3, 6.5: 6.5 * 6.5 / 48} {
		if got := g.phase(e, "breakup_rate", f/24, f, same); math.Abs(got-want) > 1e-9 {
			t.Errorf("by frame %g it turned %g times, want %g", f, got, want)
		}
	}

	s.Self.SetKey("time_scale", shot.Key{Frame: 1, Value: shot.Num(0.5), Way: anim.Hold})
	s.Self.SetKey("time_scale", shot.Key{Frame: 13, Value: shot.Num(1)})
	if got := began(s, 25); math.Abs(got-0.75) > 1e-12 {
		t.Errorf("after 24 frames the fluid lived %g s", got)
	}
	g = mustGas(t, s)
	for g.Next() < 13 {
		if _, _, err := g.Advance(nil); err != nil {
			t.Fatal(err)
		}
	}
	clock := g.clock()
	if a, b := clock(0.25), clock(0.25+0.5/24); math.Abs(a-12) > 1e-9 || math.Abs(b-12.5) > 1e-9 {
		t.Errorf("frame 13 goes from %g to %g in its first half", a, b)
	}
}

func TestKeysOfTheShotAreInTheKey(t *testing.T) {
	s := sample()
	d := s.Element("domain1")
	plain := Key(s, d)
	for what, change := range map[string]func(*shot.Shot){
		"gravity over time": func(s *shot.Shot) { s.Self.SetKey("gravity", shot.Key{Frame: 1, Value: shot.Num(2)}) },
		"tolerance over time": func(s *shot.Shot) {
			s.Element("domain1").SetKey("tolerance", shot.Key{Frame: 1, Value: shot.Num(0.01)})
		},
		"gust length by frame": func(s *shot.Shot) {
			s.Element("emitter1").SetKey("breakup_rate", shot.Key{Frame: 1, Value: shot.Num(2)})
		},
	} {
		c := s.Clone()
		change(c)
		if Key(c, c.Element("domain1")) == plain {
			t.Errorf("%s doesn't make a take stale", what)
		}
	}
	s.Looks[0].SetKey("phase", shot.Key{Frame: 1, Value: shot.Num(0.9)})
	if Key(s, d) != plain {
		t.Error("a key of a look makes a take stale")
	}
}
