package mote_test

import (
	"bytes"
	"math"
	"slices"
	"strings"
	"testing"

	"zarf/core/frame"
	"zarf/core/grid"
	"zarf/core/mote"
	"zarf/core/shot"
	"zarf/core/shot/val"
	_ "zarf/core/solvers"
	"zarf/core/stage"
)

// set puts values into an element.
func set(t *testing.T, e *shot.Element, pairs ...val.Pair) *shot.Element {
	t.Helper()
	for _, p := range pairs {
		if err := e.Put(p.Name, p.Value); err != nil {
			t.Fatal(err)
		}
	}
	return e
}

// chain is a warm plume, particles that it bears and carries, and others that these bear.
func chain(t *testing.T) (s *shot.Shot, air, flakes, dust *shot.Element) {
	s = shot.New("C")
	val.Last.Set(s.Self, 12)
	air = set(t, s.Add(shot.Domain), val.Size.Is(1, 1.4, 1), val.Position.Is(0, 0.7, 0), val.Voxel.Is(0.06))
	e := set(t, s.Add(shot.Emitter), val.Position.Is(0, 0.15, 0), val.Size.Is(0.4, 0.2, 0.4), val.Temperature.Is(500), val.Speed.Is(1), val.Along.Is("axis"))
	e.ActsOn = []string{air.ID}
	flakes = set(t, s.Add(shot.Domain), val.Fluid.Is("particles"), val.Size.Is(1, 1.4, 1), val.Position.Is(0, 0.7, 0), val.Voxel.Is(0.1), val.Carrier.Is(air.ID))
	b := set(t, s.Add(shot.Emitter), val.From.Is("fluid"), val.FedBy.Is(air.ID), val.BirthLow.Is(0.3), val.BirthDensity.Is(60000), val.Life.Is(0.2), val.Diameter.Is(0.001), val.SolidDensity.Is(50), val.PlaceHeat.Is(true))
	b.ActsOn = []string{flakes.ID}
	dust = set(t, s.Add(shot.Domain), val.Fluid.Is("particles"), val.Size.Is(2, 2.4, 2), val.Position.Is(0, 0.7, 0), val.Voxel.Is(0.1))
	d := set(t, s.Add(shot.Emitter), val.From.Is("fluid"), val.FedBy.Is(flakes.ID), val.BirthMoment.Is("death"), val.BirthCount.Is(3), val.Life.Is(0))
	d.ActsOn = []string{dust.ID}
	return s, air, flakes, dust
}

// run makes all frames of a shot's domains in their order and returns them by domain.
func run(t *testing.T, s *shot.Shot) map[string]map[int]*frame.Frame {
	t.Helper()
	order, err := s.Order()
	if err != nil {
		t.Fatal(err)
	}
	out := map[string]map[int]*frame.Frame{}
	first, last := s.Range()
	for _, d := range order {
		r, err := stage.New(s, d.ID, grid.NewCrew(2))
		if err != nil {
			t.Fatal(err)
		}
		r.FedBy(func(from *shot.Element, n int) (*frame.Frame, error) { return out[from.ID][n], nil })
		out[d.ID] = map[int]*frame.Frame{}
		for n := first; n <= last; n++ {
			if _, _, err := r.Advance(nil); err != nil {
				t.Fatal(err)
			}
			out[d.ID][n] = r.Frame()
		}
	}
	return out
}

// Smoke bears particles and carries them up, warm as it is; when they die, three others are
// born of each where it died.
func TestAChainOfThreeStages(t *testing.T) {
	s, air, flakes, dust := chain(t)
	for _, p := range []val.Pair{{Name: "own1", Value: val.Text("felt")}, {Name: "own1_from", Value: val.Text(frame.Temperature)}} { // heat of the gas about them
		if err := flakes.Put(p.Name, p.Value); err != nil {
			t.Fatal(err)
		}
	}
	order, err := s.Order()
	if err != nil || !slices.Equal(order, []*shot.Element{air, flakes, dust}) {
		t.Fatalf("the order is %v, %v", order, err)
	}
	frames := run(t, s)
	born, died := map[float32]bool{}, 0
	rise, many := 0.0, 0
	hot := float32(0)
	for n := 1; n <= 12; n++ {
		p := frames[flakes.ID][n].Points
		for i, id := range p.Of("id") {
			born[id] = true
			hot = max(hot, p.Of("temperature")[i])
			rise, many = rise+float64(p.V[i][1]), many+1
			if p.Of("state")[i] >= frame.Gone {
				died++
			}
		}
		if alive := p.Alive(); len(alive.P) > len(p.P) || alive.Of("id") == nil && len(alive.P) > 0 {
			t.Errorf("frame %d: %d of %d live", n, len(alive.P), len(p.P))
		}
	}
	if len(born) < 200 || died < 50 || died > len(born) {
		t.Fatalf("%d were born and %d died", len(born), died)
	}
	if rise /= float64(many); rise < 0.2 {
		t.Errorf("in a plume of over 1 m/s they rise at %.2f m/s", rise)
	}
	felt := frames[flakes.ID][8].Points.Of("felt")
	if len(felt) == 0 || slices.Max(felt) < 30 || slices.Max(felt) > 207 {
		t.Errorf("they feel %v K over the air in gas of up to 207", felt)
	}
	if hot < 400 || hot > 501 {
		t.Errorf("the hottest has %g K; the gas that bears them comes out at 500", hot)
	}
	last := frames[dust.ID][12].Points
	if got := len(last.P); got != 3*died {
		t.Errorf("%d were born of %d that died, three of each", got, died)
	}
}

// A domain that its carrier has changed under is stale, and one that nothing carries isn't.
func TestWhatCarriesCounts(t *testing.T) {
	s, air, flakes, dust := chain(t)
	was := [2]string{stage.Key(s, flakes), stage.Key(s, dust)}
	val.Vorticity.Set(air, 0.7)
	if stage.Key(s, flakes) == was[0] || stage.Key(s, dust) == was[1] {
		t.Error("another plume leaves its flakes, or their dust, current")
	}
	was = [2]string{stage.Key(s, flakes), stage.Key(s, dust)}
	val.Bounce.Set(dust, 0.9)
	if stage.Key(s, flakes) != was[0] || stage.Key(s, dust) == was[1] {
		t.Error("the dust's own values count for the flakes, or not for itself")
	}
	val.Carrier.Set(air, flakes.ID) // has no meaning for a gas
	if _, err := s.Order(); err != nil {
		t.Error(err)
	}
	val.Carrier.Set(flakes, dust.ID)
	if _, err := s.Order(); err == nil {
		t.Error("a ring has an order")
	}
}

// fountain is particles alone, thrown up and bouncing.
func fountain(t *testing.T) *shot.Shot {
	s := shot.New("F")
	val.Last.Set(s.Self, 20)
	set(t, s.Add(shot.Domain), val.Fluid.Is("particles"), val.Size.Is(2, 2, 2), val.Position.Is(0, 1, 0), val.Voxel.Is(0.1), val.HeatCapacity.Is(500))
	set(t, s.Add(shot.Emitter), val.Form.Is("sphere"), val.Position.Is(0, 0.3, 0), val.Size.Is(0.2, 0.2, 0.2), val.BirthRate.Is(3000), val.Speed.Is(3), val.Along.Is("axis"), val.Cone.Is(40), val.Life.Is(0.6), val.Spin.Is(3), val.Temperature.Is(1200))
	set(t, s.Add(shot.Wind), val.Velocity.Is(1, 0, 0))
	set(t, s.Add(shot.Turbulence), val.Strength.Is(4), val.Largest.Is(0.4))
	return s
}

// Stopped and resumed, a run gives the same bits.
func TestResumedParticlesHaveTheSameBits(t *testing.T) {
	s := fountain(t)
	begin := func() stage.Runner {
		r, err := stage.New(s, "", grid.NewCrew(2))
		if err != nil {
			t.Fatal(err)
		}
		return r
	}
	advance := func(r stage.Runner, n int) *frame.Points {
		for range n {
			if _, _, err := r.Advance(nil); err != nil {
				t.Fatal(err)
			}
		}
		return r.Frame().Points
	}
	whole := begin()
	want := advance(whole, 16)
	first := begin()
	advance(first, 9)
	var b bytes.Buffer
	if err := first.SaveState(&b); err != nil {
		t.Fatal(err)
	}
	second := begin()
	if err := second.LoadState(bytes.NewReader(b.Bytes()), true); err != nil {
		t.Fatal(err)
	}
	got := advance(second, 7)
	if !slices.Equal(got.P, want.P) || !slices.Equal(got.V, want.V) || len(got.Extra) != len(want.Extra) {
		t.Fatal("a resumed run differs")
	}
	for n, a := range want.Extra {
		if !slices.Equal(a.V, got.Extra[n].V) {
			t.Errorf("%s differs", a.Name)
		}
	}
	val.Gravity.Set(s.Self, 1)
	if err := begin().LoadState(bytes.NewReader(b.Bytes()), true); err == nil {
		t.Error("a state of other values was taken")
	}
}

// So many are born a second, each at a moment of its own: a stream has no gaps between
// frames, and no more live than may.
func TestBirthsFillFrames(t *testing.T) {
	s := fountain(t)
	for _, k := range []shot.Kind{shot.Wind, shot.Turbulence} {
		s.Remove(s.Of(k)[0].ID)
	}
	val.Gravity.Set(s.Self, 0)
	e := s.Of(shot.Emitter)[0]
	set(t, e, val.Form.Is("box"), val.Size.Is(0.3, 0.001, 0.3), val.Cone.Is(0), val.SpeedSpread.Is(0), val.SolidDensity.Is(8000), val.Diameter.Is(0.02))
	p := run(t, s)[s.Of(shot.Domain)[0].ID][10].Points
	if n := float64(len(p.P)); math.Abs(n/(3000*10.0/24)-1) > 0.02 {
		t.Errorf("%g were born in ten frames, 1250 are due", n)
	}
	// 3 m/s for ten frames: 1.25 m of stream, in which every tenth holds a tenth
	var bins [10]int
	for _, x := range p.P {
		if y := (float64(x[1]) - 0.3) / 1.25 * 10; y > 0.2 && y < 9 {
			bins[int(y)]++
		}
	}
	for k, n := range bins[1:9] {
		if math.Abs(float64(n)/125-1) > 0.3 {
			t.Errorf("tenth %d of the stream holds %d, 125 are due", k+1, n)
		}
	}
	val.MostParticles.Set(s.Of(shot.Domain)[0], 100)
	r, err := stage.New(s, "", grid.NewCrew(1))
	if err != nil {
		t.Fatal(err)
	}
	_, st, err := r.Advance(nil)
	if err != nil || st.Of("particles") != 100 || st.Of(mote.LeftOut) != 25 {
		t.Errorf("%g live and %g were left out of 125, %v", st.Of("particles"), st.Of(mote.LeftOut), err)
	}
}

// How thick particles are adds up to their number where they are few, and never exceeds one.
func TestThicknessCountsParticles(t *testing.T) {
	s := fountain(t)
	set(t, s.Of(shot.Emitter)[0], val.BirthRate.Is(40))
	f := run(t, s)[s.Of(shot.Domain)[0].ID][8]
	g := f.Grid(frame.Density)
	sum := 0.0
	for _, l := range g.Leaves {
		for _, v := range l.Values {
			if v > 1 {
				t.Errorf("a voxel holds %g", v)
			}
			sum += float64(v)
		}
	}
	if n := len(f.Points.Alive().P); n < 5 || math.Abs(sum-float64(n)) > 0.15*float64(n) {
		t.Errorf("%d particles are %g thick in all", n, sum)
	}
}

// A mask lets particles be born only within a sensor's form, from a body's room and from
// another domain's smoke alike.
func TestMaskLimitsBirths(t *testing.T) {
	s, air, flakes, _ := chain(t)
	x := set(t, s.Add(shot.Sensor), val.Size.Is(1, 4, 4), val.Position.Is(0.5, 0.7, 0))
	x.ActsOn = []string{flakes.ID}
	body := set(t, s.Add(shot.Emitter), val.Size.Is(0.8, 0.1, 0.1), val.Form.Is("box"), val.Position.Is(0, 1.2, 0), val.BirthRate.Is(4000), val.Life.Is(0), val.Diameter.Is(0.001), val.SolidDensity.Is(50))
	body.ActsOn = []string{flakes.ID}
	val.Last.Set(s.Self, 6)
	born := func() (left, right int) {
		for _, f := range run(t, s)[flakes.ID] {
			for n, p := range f.Points.P {
				if age := f.Points.Of("age"); age != nil && age[n] > 1.0/24 {
					continue
				}
				if p[0] < -0.02 {
					left++
				} else {
					right++
				}
			}
		}
		return left, right
	}
	l0, r0 := born()
	for _, e := range s.Of(shot.Emitter) {
		if !slices.Contains(e.ActsOn, air.ID) {
			set(t, e, val.Mask.Is(x.ID), val.MaskFade.Is(0))
		}
	}
	l1, r1 := born()
	if l0 < r0/2 || l1 != 0 || math.Abs(float64(r1)/float64(r0)-1) > 0.1 {
		t.Errorf("born at the left %d, at the right %d; without a mask %d and %d", l1, r1, l0, r0)
	}
}

// Particles that push the air give a gas that they feed the momentum that drag takes from
// them: what falls in still air loses its weight's share, and the gas moves down with as much.
func TestParticlesPushTheGasTheyFeed(t *testing.T) {
	s := shot.New("P")
	val.Last.Set(s.Self, 4)
	grit := set(t, s.Add(shot.Domain), val.Fluid.Is("particles"), val.Size.Is(1.2, 1.2, 1.2), val.Position.Is(0, 0.6, 0), val.Voxel.Is(0.05), val.AirPush.Is(1))
	e := set(t, s.Add(shot.Emitter), val.Position.Is(0, 0.9, 0), val.Size.Is(0.3, 0.1, 0.3), val.BirthRate.Is(20000), val.Life.Is(0), val.Diameter.Is(0.002), val.SolidDensity.Is(400), val.Push.Is(0.5, -3, 0))
	e.ActsOn = []string{grit.ID}
	air := set(t, s.Add(shot.Domain), val.Size.Is(1.2, 1.2, 1.2), val.Position.Is(0, 0.6, 0), val.Voxel.Is(0.05), val.Vorticity.Is(0))
	for _, side := range []val.TextKey{val.SideX0, val.SideX1, val.SideY0, val.SideY1, val.SideZ0, val.SideZ1} {
		set(t, air, side.Is("outflow"))
	}
	// velocity is kept where smoke is
	f := set(t, s.Add(shot.Emitter), val.From.Is("fluid"), val.FedBy.Is(grit.ID), val.Smoke.Is(0.5), val.Temperature.Is(val.AirTemperature.Of(s)), val.Inherit.Is(0))
	f.ActsOn = []string{air.ID}
	out := run(t, s)
	// what the frames say was given, of the whole domain
	for n := 1; n <= 4; n++ {
		g := out[grit.ID][n].Grid(frame.Push)
		if g == nil {
			t.Fatalf("frame %d keeps no push", n)
		}
	}
	speed := func(push float64) (down, along float64) {
		set(t, grit, val.AirPush.Is(push))
		l, err := stage.LatticeOf(run(t, s)[air.ID][4], frame.Velocity)
		if err != nil {
			t.Fatal(err)
		}
		v, err := l.Read(frame.Velocity)
		if err != nil || len(v) != 3 {
			t.Fatal(err)
		}
		for i := range v[0].Data {
			along += float64(v[0].Data[i])
			down -= float64(v[1].Data[i])
		}
		return down, along
	}
	none, _ := speed(0)
	down, along := speed(1)
	twice, _ := speed(2)
	if math.Abs(none) > 1e-3*down || down <= 0 || along <= 0 || math.Abs(twice/down-2) > 0.1 {
		t.Errorf("the gas goes down by %g, along by %g; unpushed by %g, pushed twice as much by %g", down, along, none, twice)
	}
}

// A liquid carries what floats in it to its surface and lets stones sink; what is born of its
// foam is born where that is, with its motion.
func TestALiquidCarriesParticles(t *testing.T) {
	s := shot.New("L")
	val.Last.Set(s.Self, 30)
	water := set(t, s.Add(shot.Domain), val.Fluid.Is("liquid"), val.Size.Is(1, 1, 1), val.Position.Is(0, 0.5, 0), val.Voxel.Is(0.06), val.SideX0.Is("wall"), val.SideX1.Is("wall"), val.SideZ0.Is("wall"), val.SideZ1.Is("wall"), val.Foam.Is(600))
	fill := set(t, s.Add(shot.Emitter), val.Pours.Is("once"), val.Form.Is("box"), val.Position.Is(0, 0.2, 0), val.Size.Is(1.2, 0.4, 1.2))
	drop := set(t, s.Add(shot.Emitter), val.Pours.Is("once"), val.Form.Is("box"), val.Position.Is(0, 0.75, 0), val.Size.Is(0.3, 0.25, 0.3), val.Begin.Is(2)) // that splashes
	floats := set(t, s.Add(shot.Domain), val.Fluid.Is("particles"), val.Size.Is(1, 1, 1), val.Position.Is(0, 0.5, 0), val.Voxel.Is(0.1), val.Carrier.Is(water.ID), val.SideX0.Is("wall"), val.SideX1.Is("wall"), val.SideZ0.Is("wall"), val.SideZ1.Is("wall"))
	spray := set(t, s.Add(shot.Domain), val.Fluid.Is("particles"), val.Size.Is(2, 2, 2), val.Position.Is(0, 1, 0), val.Voxel.Is(0.1))
	give := func(density, x float64) {
		e := set(t, s.Add(shot.Emitter), val.Form.Is("box"), val.Position.Is(x, 0.2, 0), val.Size.Is(0.2, 0.1, 0.2), val.BirthRate.Is(2400), val.End.Is(1), val.Life.Is(0), val.Diameter.Is(0.01), val.DiameterSpread.Is(0), val.SolidDensity.Is(density), val.Temperature.Is(293))
		e.ActsOn = []string{floats.ID}
	}
	give(250, -0.25)
	give(2500, 0.25)
	froth := set(t, s.Add(shot.Emitter), val.From.Is("fluid"), val.FedBy.Is(water.ID), val.FedWhere.Is("foam"), val.BirthLow.Is(0.05), val.BirthDensity.Is(20000), val.Life.Is(0), val.Diameter.Is(0.002))
	froth.ActsOn = []string{spray.ID}
	fill.ActsOn, drop.ActsOn = []string{water.ID}, []string{water.ID}
	frames := run(t, s)
	p := frames[floats.ID][30].Points
	density := p.Of("density")
	var high, low, light, heavy float64
	for i, x := range p.P {
		if density[i] < 1000 {
			high, light = high+float64(x[1]), light+1
		} else {
			low, heavy = low+float64(x[1]), heavy+1
		}
	}
	if light < 50 || heavy < 50 {
		t.Fatalf("%g corks and %g stones are left", light, heavy)
	}
	if high, low = high/light, low/heavy; high < 0.3 || low > 0.05 {
		t.Errorf("corks are at %.2f m and stones at %.2f m in the mean, in water 0.42 m deep", high, low)
	}
	if born := frames[spray.ID][30].Points; len(born.P) == 0 {
		t.Error("nothing is born of the foam")
	}
}

// Rain gives a tub the water that its drops hold, where they land; what is masked out stays
// dry, a stage without particles is named, and a stopped run goes on with the same bits.
func TestRainFillsATub(t *testing.T) {
	s := shot.New("R")
	val.Last.Set(s.Self, 24)
	rain := set(t, s.Add(shot.Domain), val.Fluid.Is("particles"), val.Size.Is(1, 1.6, 1), val.Position.Is(0, 0.8, 0), val.Voxel.Is(0.1), val.OnHit.Is("die"))
	cloud := set(t, s.Add(shot.Emitter), val.Form.Is("box"), val.Position.Is(0, 1.3, 0), val.Size.Is(0.6, 0.1, 0.6), val.BirthRate.Is(3000), val.Speed.Is(4), val.Along.Is("axis"), val.Turn.Is(180, 0, 0), val.Cone.Is(2), val.Diameter.Is(0.02), val.DiameterSpread.Is(0.3), val.SolidDensity.Is(1000), val.Life.Is(0), val.Temperature.Is(293))
	cloud.ActsOn = []string{rain.ID}
	tub := set(t, s.Add(shot.Domain), val.Fluid.Is("liquid"), val.Size.Is(1, 0.6, 1), val.Position.Is(0, 0.3, 0), val.Voxel.Is(0.06), val.SideX0.Is("wall"), val.SideX1.Is("wall"), val.SideZ0.Is("wall"), val.SideZ1.Is("wall"))
	lands := set(t, s.Add(shot.Emitter), val.From.Is("fluid"), val.FedBy.Is(rain.ID), val.TurnsAt.Is("hit"), val.Inherit.Is(0.2))
	lands.ActsOn = []string{tub.ID}
	frames := run(t, s)
	want := 0.0
	for n := 1; n <= 24; n++ {
		p := frames[rain.ID][n].Points
		hit, size := p.Of("hit"), p.Of("size")
		for i := range p.P {
			if hit[i] > 0 {
				want += math.Pi / 6 * math.Pow(float64(size[i]), 3)
			}
		}
	}
	wet := func(f *frame.Frame) (volume float64) {
		g := f.Grid(frame.Density)
		for _, l := range g.Leaves {
			for _, v := range l.Values {
				volume += float64(v) * 0.06 * 0.06 * 0.06
			}
		}
		return volume
	}
	got := wet(frames[tub.ID][24])
	if want < 0.003 || math.Abs(got/want-1) > 0.08 {
		t.Errorf("the tub holds %.5f m³, %.5f m³ of drops have landed", got, want)
	}
	again := run(t, s)
	if a, b := frames[tub.ID][24], again[tub.ID][24]; wet(a) != wet(b) {
		t.Error("another run gives other water")
	}
	// twice as much of each
	val.TurnsAmount.Set(lands, 2)
	if twice := wet(run(t, s)[tub.ID][24]); math.Abs(twice/got-2) > 0.15 {
		t.Errorf("twice the amount gives %.2f times as much", twice/got)
	}
	val.FedBy.Set(lands, tub.ID)
	val.FedBy.Set(lands, s.Add(shot.Domain).ID) // a gas
	r, err := stage.New(s, tub.ID, grid.NewCrew(1))
	if err != nil {
		t.Fatal(err)
	}
	r.FedBy(func(*shot.Element, int) (*frame.Frame, error) { return &frame.Frame{}, nil })
	if _, _, err := r.Advance(nil); err == nil || !strings.Contains(err.Error(), "hold no particles") {
		t.Errorf("fed by a gas: %v", err)
	}
}
