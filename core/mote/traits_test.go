package mote

import (
	"bytes"
	"math"
	"testing"

	"zarf/core/check"
	"zarf/core/frame"
	"zarf/core/grid"
	"zarf/core/shot"
	"zarf/core/shot/val"
)

// fount is particles that are thrown up.
func fount() *shot.Shot {
	s := shot.New("F")
	d := s.Add(shot.Domain)
	val.Fluid.Set(d, "particles")
	val.Size.Set(d, 2, 2, 2)
	val.Voxel.Set(d, 0.1)
	e := s.Add(shot.Emitter)
	val.Position.Set(e, 0, 0.5, 0)
	val.BirthRate.Set(e, 3000)
	val.Speed.Set(e, 1)
	val.DiameterSpread.Set(e, 0.5)
	return s
}

// lived is a shot whose particles shrink, lighten and have channels of their own.
func lived(t *testing.T) (*shot.Shot, *shot.Element) {
	t.Helper()
	s := fount()
	d := s.Of(shot.Domain)[0]
	for _, p := range []val.Pair{val.SizeCurve.Is("0 1; 1 0.2"), val.DensityCurve.Is("0 2; 1 1"), ownName(1).Is("charge"), ownValue(1).Is(8), ownSpread(1).Is(0.5), ownCurve(1).Is("0 1; 0.5 0.5; 1 0"), ownName(2).Is("moisture"), ownValue(2).Is(3)} {
		if err := d.Put(p.Name, p.Value); err != nil {
			t.Fatal(err)
		}
	}
	for _, e := range s.Of(shot.Emitter) {
		val.Life.Set(e, 1)
		val.LifeSpread.Set(e, 0.5)
	}
	return s, d
}

// Numbers follow their curves over each particle's life from what it was born with, and
// what has no curve stays; a run that was stopped goes on with the same bits.
func TestNumbersFollowTheirCurves(t *testing.T) {
	s, d := lived(t)
	run := func(m *Stage, n int) {
		for range n {
			if _, _, err := m.Advance(nil); err != nil {
				t.Fatal(err)
			}
		}
	}
	fresh := func() *Stage {
		m, err := newStage(s, d, grid.NewCrew(2))
		if err != nil {
			t.Fatal(err)
		}
		return m
	}
	m := fresh()
	run(m, 8)
	var b bytes.Buffer
	if err := m.SaveState(&b); err != nil {
		t.Fatal(err)
	}
	run(m, 10)
	p := m.points()
	age, life, size, born := p.Of("age"), p.Of("life"), p.Of("size"), p.Of("born_size")
	charge, first, wet := p.Of("charge"), p.Of("born_charge"), p.Of("moisture")
	if len(p.P) < 100 || born == nil || charge == nil || wet == nil {
		t.Fatalf("%d particles with %d channels", len(p.P), len(p.Extra))
	}
	step := 1 / s.Rate()
	least, most := first[0], first[0]
	for i := range p.P {
		// what was worked out at the begin of the last substep
		u := max((float64(age[i])-step)/float64(life[i]), 0)
		if p.Of("state")[i] == Dead {
			continue
		}
		if want := float64(born[i]) * (1 - 0.8*u); math.Abs(float64(size[i])/want-1) > 0.06 {
			t.Errorf("particle %d is %.4g m at %.2f of its life, born with %.4g: %.4g by the curve", i, size[i], u, born[i], want)
		}
		if charge[i] > first[i] || wet[i] != 3 {
			t.Errorf("particle %d has a charge of %g, born with %g, and moisture %g", i, charge[i], first[i], wet[i])
		}
		least, most = min(least, first[i]), max(most, first[i])
	}
	if least < 4 || most > 12 || most-least < 6 {
		t.Errorf("charges at birth go from %g to %g; 8 and a half more or less were asked for", least, most)
	}
	again := fresh()
	if err := again.LoadState(&b, true); err != nil {
		t.Fatal(err)
	}
	run(again, 10)
	q := again.points()
	for n, a := range p.Extra {
		for i, v := range a.V {
			if math.Float32bits(v) != math.Float32bits(q.Extra[n].V[i]) {
				t.Fatalf("%s of particle %d: %g, and %g after a stop", a.Name, i, v, q.Extra[n].V[i])
			}
		}
	}
}

// A channel may follow the fluid that carries the particles: it has what that has at their
// places, and nothing beyond it.
func TestChannelsFollowTheFluid(t *testing.T) {
	s := fount()
	d := s.Of(shot.Domain)[0]
	by := s.Add(shot.Domain)
	val.Carrier.Set(d, by.ID)
	ownName(1).Set(d, "heat")
	ownFrom(1).Set(d, frame.Temperature)
	ownName(2).Set(d, "blown")
	ownFrom(2).Set(d, "speed")
	m, err := newStage(s, d, grid.NewCrew(2))
	if err != nil {
		t.Fatal(err)
	}
	dims := grid.Dims{NX: 8, NY: 8, NZ: 8}
	f := Field{Fluid: Air, Grid: dims, Centred: true, H: 0.5, U: grid.NewField(dims), V: grid.NewField(dims), W: grid.NewField(dims), Excess: grid.NewField(dims)}
	for k := range 8 {
		for j := range 8 {
			for i := range 8 {
				f.Excess.Set(i, j, k, float32(i)*10)
				f.U.Set(i, j, k, 3)
				f.V.Set(i, j, k, 4)
			}
		}
	}
	m.carried = &carried{field: f}
	m.Add(3)
	m.P[0], m.P[1], m.P[2] = []float32{1.25, 2, -3}, []float32{2, 2, 2}, []float32{2, 2, 2}
	m.readFluid()
	heat, blown := m.Declare("heat").V, m.Declare("blown").V
	for i, want := range [][2]float32{{20, 5}, {35, 5}, {0, 0}} {
		if math.Abs(float64(heat[i]-want[0])) > 1e-3 || math.Abs(float64(blown[i]-want[1])) > 1e-3 {
			t.Errorf("particle %d has %g K and %g m/s of the fluid, which has %v there", i, heat[i], blown[i], want)
		}
	}
	if !m.wants(frame.Temperature) || m.wants(frame.Burn) {
		t.Error("it reads other channels than those that are asked for")
	}
}

// Names that all particles have, or that occur twice, are no channels of their own, and the
// check says so.
func TestChannelsNeedNamesOfTheirOwn(t *testing.T) {
	s := fount()
	d := s.Of(shot.Domain)[0]
	ownName(1).Set(d, "size")
	ownName(2).Set(d, "wet")
	ownName(3).Set(d, "wet")
	if got := mapped(ownNames(d)); len(got) != 1 || got[0] != "wet" {
		t.Errorf("%v", got)
	}
	found := namesTaken(&check.Scene{Shot: s, Domains: s.Of(shot.Domain)})
	if len(found) != 2 {
		t.Errorf("%d findings of two names: %v", len(found), found)
	}
	if err := d.Put(string(ownName(1)), val.Text("two words")); err == nil {
		t.Error("a name of two words was taken")
	}
}
