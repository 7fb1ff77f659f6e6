package stage_test

import (
	"zarf/core/gas"
	_ "zarf/core/solvers"
	. "zarf/core/stage"

	"errors"
	"math"
	"strings"
	"testing"

	"zarf/core/grid"
	"zarf/core/shot"
	"zarf/core/shot/val"
)

func draftOf(t *testing.T, s *shot.Shot, h float64) *Draft {
	t.Helper()
	d, err := NewDraft(s, "", h, grid.NewCrew(1))
	if err != nil {
		t.Fatal(err)
	}
	return d
}

// A draft that blows up goes back to its last good state and goes on from
// there.
func TestDraftGoesBackWhenItBlowsUp(t *testing.T) {
	d := draftOf(t, sample(), 0.1)
	for range GoodEvery + 3 {
		if _, _, err := d.Advance(nil); err != nil {
			t.Fatal(err)
		}
	}
	v := d.Run().(*gas.Stage).Solver.V.Data
	v[len(v)/2] = float32(math.NaN())
	_, _, err := d.Advance(nil)
	if !errors.Is(err, ErrBlown) || !strings.Contains(err.Error(), "stands at frame 12") {
		t.Fatalf("got %v", err)
	}
	n, st, err := d.Advance(nil)
	if err != nil || n != GoodEvery+1 || math.IsNaN(st.MaxSpeed) {
		t.Errorf("after it went back: frame %d, %g m/s, %v", n, st.MaxSpeed, err)
	}
}

// Unchanged, a draft makes what a take of the coarse shot makes, bit for bit.
func TestDraftIsTheCoarseTake(t *testing.T) {
	s := sample()
	d := draftOf(t, s, 0.12)
	c, err := Coarse(s, "", 0.12)
	if err != nil {
		t.Fatal(err)
	}
	g := mustGas(t, c)
	for range 15 {
		if _, _, err := d.Advance(nil); err != nil {
			t.Fatal(err)
		}
		g.Advance(nil)
	}
	for i, v := range g.Solver.Smoke.Data {
		if d.Run().(*gas.Stage).Solver.Smoke.Data[i] != v {
			t.Fatalf("cell %d holds %g in the draft, %g in the take", i, d.Run().(*gas.Stage).Solver.Smoke.Data[i], v)
		}
	}
}

func TestWhatRestartsADraft(t *testing.T) {
	base := sample()
	for what, c := range map[string]struct {
		change   func(*shot.Shot)
		restarts bool
	}{
		"smoke":      {func(s *shot.Shot) { val.Smoke.Set(s.Element("emitter1"), 9) }, false},
		"gravity":    {func(s *shot.Shot) { val.Gravity.Set(s.Self, 1) }, false},
		"a force":    {func(s *shot.Shot) { s.Add(shot.Wind) }, false},
		"a muted":    {func(s *shot.Shot) { s.Element("emitter1").Muted = true }, false},
		"last frame": {func(s *shot.Shot) { val.Last.Set(s.Self, 99) }, false},
		"finer":      {func(s *shot.Shot) { val.Voxel.Set(s.Element("domain1"), 0.05) }, false}, // the draft stays coarse
		"coarser":    {func(s *shot.Shot) { val.Voxel.Set(s.Element("domain1"), 0.2) }, true},
		"size":       {func(s *shot.Shot) { val.Size.Set(s.Element("domain1"), 1, 1, 1) }, true},
		"a wall":     {func(s *shot.Shot) { val.SideX0.Set(s.Element("domain1"), "wall") }, true},
		"burning":    {func(s *shot.Shot) { val.Burning.Set(s.Element("domain1"), "fuel") }, true},
		"rate":       {func(s *shot.Shot) { val.Rate.Set(s.Self, 30) }, true},
	} {
		d := draftOf(t, base, 0.1)
		s := base.Clone()
		c.change(s)
		if got, err := d.Change(s); err != nil || got != c.restarts {
			t.Errorf("%s: restarts %v, %v", what, got, err)
		}
		if _, _, err := d.Advance(nil); err != nil {
			t.Errorf("%s: %v", what, err)
		}
	}
	d := draftOf(t, base, 0.1)
	empty := base.Clone()
	empty.Remove("domain1")
	if _, err := d.Change(empty); err == nil {
		t.Error("a draft without a domain went on")
	}
}
