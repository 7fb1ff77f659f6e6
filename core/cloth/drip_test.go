package cloth_test

import (
	"errors"
	"math"
	"testing"

	"zarf/core/check"
	"zarf/core/frame"
	"zarf/core/grid"
	"zarf/core/shot"
	"zarf/core/shot/val"
	"zarf/core/sim"
	"zarf/core/stage"
)

// Water that runs off a slanting sheet drips into a basin of liquid: as much as has dripped off, once
// each; what dripped is gone from beside the cloth, where it is told so.
func TestDripsIntoLiquid(t *testing.T) {
	s := shot.New("T")
	set := func(k shot.Kind, pairs ...val.Pair) *shot.Element {
		e := s.Add(k)
		for _, p := range pairs {
			e.Set(p.Name, p.Value)
		}
		return e
	}
	air := set(shot.Domain, val.Fluid.Is("cloth"), val.Position.Is(0, 0.5, 0), val.Size.Is(2, 1.4, 1), val.Voxel.Is(0.1), val.DropSize.Is(0.03), val.DropTension.Is(0), val.DripsAway.Is(true))
	set(shot.Cloth, val.Position.Is(0, 0.6, 0), val.Turn.Is(0, 0, -25), val.Size.Is(0.6, 0.01, 0.6), val.ClothEdge.Is(0.06), val.Pins.Is("rim"), val.Soaks.Is(0))
	spout := set(shot.Emitter, val.Form.Is("box"), val.Position.Is(-0.15, 0.85, 0), val.Size.Is(0.12, 0.06, 0.12), val.Along.Is("axis"), val.Speed.Is(-1), val.End.Is(8))
	spout.ActsOn = []string{air.ID}
	basin := set(shot.Domain, val.Fluid.Is("liquid"), val.Position.Is(0.2, 0.25, 0), val.Size.Is(2, 1.3, 1), val.Voxel.Is(0.05))
	drips := set(shot.Emitter, val.From.Is("fluid"), val.FedBy.Is(air.ID), val.TurnsAt.Is("fell"), val.Inherit.Is(1))
	drips.ActsOn = []string{basin.ID}

	c, err := stage.New(s, air.ID, grid.NewCrew(2))
	if err != nil {
		t.Fatal(err)
	}
	frames := map[int]*frame.Frame{}
	fell, gone, poured, last := 0.0, 0.0, 0.0, sim.Stats{}
	for n := 1; n <= 24; n++ {
		_, st, err := c.Advance(nil)
		if err != nil {
			t.Fatal(err)
		}
		frames[n], last = c.Frame(), st
		for i, x := range frames[n].Points.Of(frame.Fell) {
			p := frames[n].Points.P[i]
			if fell += float64(x); x > 0 && math.Abs(float64(p[0])) < 0.24 && math.Abs(float64(p[2])) < 0.27 && float64(p[1]) > 0.6-0.47*float64(p[0]) {
				t.Errorf("frame %d: a drop drips off at %v, over the cloth", n, p)
			}
			if n < 24 {
				gone = fell
			}
		}
		for _, id := range frames[n].Points.Alive().IDs() {
			poured = max(poured, float64(id)+1)
		}
	}
	if fell < 20 || gone+last.Of(sim.Drops) > poured+1 {
		t.Fatalf("of %g drops %g dripped off and are gone and %g are left", poured, gone, last.Of(sim.Drops))
	}
	l, err := stage.New(s, basin.ID, grid.NewCrew(2))
	if err != nil {
		t.Fatal(err)
	}
	l.FedBy(func(d *shot.Element, n int) (*frame.Frame, error) {
		if f := frames[n]; f != nil && d == air {
			return f, nil
		}
		return nil, errors.New("no such frame")
	})
	for range 24 {
		if _, last, err = l.Advance(nil); err != nil {
			t.Fatal(err)
		}
	}
	want := fell * math.Pow(0.03, 3)
	if v := last.Of(sim.Volume); math.Abs(v/want-1) > 0.03 {
		t.Errorf("%g m³ of liquid of %g that dripped off", v, want)
	}
	for _, f := range check.Shot(s, check.Machine{Memory: 16e9}) {
		t.Errorf("it is found wrong that %s", f.What)
	}
	if order, err := s.Order(); err != nil || order[0] != air {
		t.Errorf("cloth isn't made before what it drips into: %v", err)
	}
}
