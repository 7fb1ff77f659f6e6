package stage_test

import (
	"bytes"
	"math"
	"strings"
	"testing"

	"zarf/core/anim"
	"zarf/core/frame"
	"zarf/core/gas"
	"zarf/core/geom"
	"zarf/core/grid"
	"zarf/core/shot"
	"zarf/core/shot/val"
	. "zarf/core/stage"
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

// poured is a shot of a spout over a tank with some water in it.
func poured() *shot.Shot {
	s := shot.New("L")
	val.Last.Set(s.Self, 12)
	d := s.Add(shot.Domain)
	if err := d.PutAll(shot.With(val.Fluid.Is("liquid"), val.Size.Is(0.8, 0.8, 0.8), val.Voxel.Is(0.05), val.Position.Is(0, 0.4, 0), val.CachePoints.Is("all"),
		val.SideX0.Is("wall"), val.SideX1.Is("wall"), val.SideZ0.Is("wall"), val.SideZ1.Is("wall"))); err != nil {
		panic(err)
	}
	b := s.Add(shot.Emitter)
	val.Form.Set(b, "box")
	val.Size.Set(b, 2, 0.2, 2)
	val.Position.Set(b, 0, 0.1, 0)
	val.Pours.Set(b, "once")
	e := s.Add(shot.Emitter)
	val.Form.Set(e, "cylinder")
	val.Size.Set(e, 0.2, 0.15, 0.2)
	val.Position.Set(e, 0, 0.65, 0)
	val.Speed.Set(e, -1)
	val.Along.Set(e, "axis")
	return s
}

func mustGas(t *testing.T, s *shot.Shot) *gas.Stage {
	t.Helper()
	return mustRun(t, s).(*gas.Stage)
}

func mustRun(t *testing.T, s *shot.Shot) Runner {
	t.Helper()
	g, err := New(s, "", grid.NewCrew(1))
	if err != nil {
		t.Fatal(err)
	}
	return g
}

func TestKeysOfOtherFluidsDontMatter(t *testing.T) {
	s := poured()
	d := s.Of(shot.Domain)[0]
	key := Key(s, d)
	e := s.Of(shot.Emitter)[1]
	val.Smoke.Set(e, 7)
	val.Fuel.Set(e, 1)
	val.Temperature.Set(e, 900)
	val.Vorticity.Set(d, 3)
	val.Upres.Set(d, "2")
	if Key(s, d) != key {
		t.Error("what only gas has makes a liquid stale")
	}
	val.Speed.Set(e, -2)
	if Key(s, d) == key {
		t.Error("another speed leaves a liquid current")
	}
	g := sample()
	key = Key(g, g.Of(shot.Domain)[0])
	val.Pours.Set(g.Of(shot.Emitter)[0], "once")
	val.Viscosity.Set(g.Of(shot.Domain)[0], 5)
	if Key(g, g.Of(shot.Domain)[0]) != key {
		t.Error("what only liquids have makes a gas stale")
	}
}

// A gas is fed by a liquid's surface, and by nothing but it.
func TestSurfaceFeedsGas(t *testing.T) {
	l := mustRun(t, poured())
	l.Advance(nil)
	l.Advance(nil)
	f := l.Frame()
	src, err := SourceOf(f, frame.Surface)
	if err != nil {
		t.Fatal(err)
	}
	at := func(y float64) float32 {
		q := geom.V(-0.3, y, 0.3).Sub(src.Origin).Mul(1 / src.H)
		return src.Share.Sample(float32(q.X-0.5), float32(q.Y-0.5), float32(q.Z-0.5))
	}
	if at(0.2) < 0.5 || at(0.08) > 0.05 || at(0.5) > 0.05 {
		t.Errorf("share at the surface %g, under it %g, over it %g", at(0.2), at(0.08), at(0.5))
	}
	if src.Motion[0] == nil {
		t.Error("the liquid's velocity doesn't come along")
	}
	g := mustRun(t, sample())
	g.Advance(nil)
	if _, err := SourceOf(g.Frame(), frame.Surface); err == nil {
		t.Error("a gas has no surface")
	}
}

// A draft of a liquid shows its surface, and takes other values on the way.
func TestDraftOfALiquid(t *testing.T) {
	s := poured()
	d, err := NewDraft(s, "", 0.08, grid.NewCrew(1))
	if err != nil {
		t.Fatal(err)
	}
	for range 2 {
		if _, _, err := d.Advance(nil); err != nil {
			t.Fatal(err)
		}
	}
	wet := func() (n int) {
		for _, v := range d.Shown().Surface.Data {
			if v < 0 {
				n++
			}
		}
		return n
	}
	before := wet()
	val.Speed.Set(s.Of(shot.Emitter)[1], -3)
	if again, err := d.Change(s); again || err != nil {
		t.Fatalf("another speed: restarts %v, %v", again, err)
	}
	for range 3 {
		d.Advance(nil)
	}
	if now := wet(); before == 0 || now <= before {
		t.Errorf("%d cells under the surface, then %d", before, now)
	}
	val.Fluid.Set(s.Of(shot.Domain)[0], "gas")
	if again, _ := d.Change(s); !again {
		t.Error("another fluid must begin anew")
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
	val.Voxel.Set(d, 0.05)
	b := Guess(s, d, 1e6)
	if r := b.Voxels / a.Voxels; r != 8 {
		t.Errorf("half the voxel size gives %g times the voxels", r)
	}
	if b.Memory != 8*a.Memory || b.Seconds < 8*a.Seconds || a.Frames != 20 || a.Disk <= 0 {
		t.Errorf("%+v %+v", a, b)
	}
	val.CacheVelocity.Set(d, false)
	if c := Guess(s, d, 1e6); c.Disk >= b.Disk {
		t.Error("leaving velocity out saves nothing")
	}
}

// A rate that runs from 0 to 24 over the first second has turned 12 times by
// its end; a fluid at half speed until frame 13 and at full speed after has
// lived ¾ of the second.
func TestNoiseAndTimeWithKeys(t *testing.T) {
	s := sample()
	val.Last.Set(s.Self, 25)
	e := s.Element("emitter1")
	g := mustRun(t, s)
	val.BreakupRate.Set(e, 3)
	plain := PhaseAt(g, e, val.BreakupRate, 0.5, 12)
	e.SetKey(val.BreakupRate, shot.Key{Frame: 0, Value: shot.Num(3)})
	if keyed := PhaseAt(g, e, val.BreakupRate, 0.5, 12); math.Abs(keyed-plain) > 1e-9 || plain != 1.5 {
		t.Errorf("a constant rate turns %g with a key, %g without", keyed, plain)
	}
	e.SetKey(val.BreakupRate, shot.Key{Frame: 0, Value: shot.Num(0), Way: anim.Ramp})
	e.SetKey(val.BreakupRate, shot.Key{Frame: 24, Value: shot.Num(24), Way: anim.Ramp})
	for f, want := range map[float64]float64{24: 12, 12: 3, 6.5: 6.5 * 6.5 / 48} {
		if got := PhaseAt(g, e, val.BreakupRate, f/24, f); math.Abs(got-want) > 1e-9 {
			t.Errorf("by frame %g it turned %g times, want %g", f, got, want)
		}
	}

	s.Self.SetKey(val.TimeScale, shot.Key{Frame: 1, Value: shot.Num(0.5), Way: anim.Hold})
	s.Self.SetKey(val.TimeScale, shot.Key{Frame: 13, Value: shot.Num(1)})
	if got := Began(s, 25); math.Abs(got-0.75) > 1e-12 {
		t.Errorf("after 24 frames the fluid lived %g s", got)
	}
	g = mustRun(t, s)
	for g.Next() < 13 {
		if _, _, err := g.Advance(nil); err != nil {
			t.Fatal(err)
		}
	}
	clock := Clock(g)
	if a, b := clock(0.25), clock(0.25+0.5/24); math.Abs(a-12) > 1e-9 || math.Abs(b-12.5) > 1e-9 {
		t.Errorf("frame 13 goes from %g to %g in its first half", a, b)
	}
}

// A fine stage that is saved and loaded refuses other values and damage.
func TestFineStateIsChecked(t *testing.T) {
	s := sample()
	d := s.Of(shot.Domain)[0]
	val.Upres.Set(d, "2")
	g := mustRun(t, s)
	fine := func() Refiner {
		f, err := RefinementOf(d).New(s, d, grid.NewCrew(1))
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
		if err := a.Advance(g.Frame()); err != nil {
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
	val.UpresSeed.Set(d, 9)
	if err := fine().LoadState(bytes.NewReader(state.Bytes())); err == nil {
		t.Error("a state of other whirls was taken")
	}
	e := Guess(s, d, 1e6)
	if e.NX != 16 || e.Voxels != 8*640 {
		t.Errorf("%+v", e)
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
		"fire's values without fire":      func() { val.BurnRate.Set(d, 50) },
		"where a wind's arrow is drawn":   func() { val.Position.Set(w, 9, 9, 9) },
		"a lamp":                          func() { s.Add(shot.Lamp) },
		"a camera's exposure":             func() { val.Shutter.Set(s.Of(shot.Camera)[0], 180) },
		"margin of bounds that are fixed": func() { val.FollowMargin.Set(d, 3) },
		"fine whirls without upres":       func() { val.UpresStrength.Set(d, 3) },
	}
	for what, change := range same {
		if change(); Key(s, d) != key {
			t.Errorf("%s makes the cache stale", what)
		}
	}
	val.Region.Set(w, "box")
	limited := Key(s, d)
	val.Position.Set(w, 1, 1, 1)
	if limited == key || Key(s, d) == limited {
		t.Error("a region's place doesn't count")
	}
	coarse := CoarseKey(s, d)
	val.Upres.Set(d, "3")
	if CoarseKey(s, d) != coarse || Key(s, d) == coarse {
		t.Error("upres makes the coarse run stale, or counts for nothing")
	}
	val.Burning.Set(d, "fuel")
	if CoarseKey(s, d) == coarse {
		t.Error("burning doesn't count")
	}
}
