package liquid

import (
	"bytes"
	"fmt"
	"hash/fnv"
	"testing"

	"zarf/core/grid"
	"zarf/core/shot"
	"zarf/core/shot/val"
	"zarf/core/stage"
)

// afloat is a small domain that lies in a sea, open at the floor.
func afloat() *shot.Shot {
	s := shot.New("A")
	val.Last.Set(s.Self, 3)
	d := s.Add(shot.Domain)
	val.Fluid.Set(d, "liquid")
	val.Size.Set(d, 2, 1.6, 2)
	val.Position.Set(d, 0, -0.2, 0)
	val.Voxel.Set(d, 0.125)
	val.SideY0.Set(d, "outflow")
	e := s.Add(shot.Sea)
	val.SeaWind.Set(e, 5)
	val.SeaFetch.Set(e, 400)
	val.SeaDepth.Set(e, 1.5)
	val.ShortestWave.Set(e, 0.5)
	val.CrestHeight.Set(e, 0.1)
	val.CrestFrame.Set(e, 4)
	return s
}

// bits is what a run of a shot's domain leaves, as a number.
func bits(t *testing.T, s *shot.Shot, threads int) uint64 {
	t.Helper()
	l, err := NewStage(s, "", grid.NewCrew(threads))
	if err != nil {
		t.Fatal(err)
	}
	h := fnv.New64a()
	for range 3 {
		if _, _, err := l.Advance(nil); err != nil {
			t.Fatal(err)
		}
		fmt.Fprint(h, l.Solver.P)
	}
	return h.Sum64()
}

// TestSeasValuesAreInTheKey: every value of a sea that changes a run changes its key, and no
// other does.
func TestSeasValuesAreInTheKey(t *testing.T) {
	base := afloat()
	key, was := stage.Key(base, base.Of(shot.Domain)[0]), bits(t, base, 2)
	if one := bits(t, base, 1); one != was {
		t.Error("one thread gives other bits than two")
	}
	for _, x := range shot.Entries(shot.Sea) {
		s := afloat()
		e := s.Of(shot.Sea)[0]
		switch v := x.Value(e); x.Type {
		case shot.Flag:
			e.Set(x.Key, shot.On(!v.Flag))
		case shot.Vector, shot.Colour:
			e.Set(x.Key, shot.Vec(v.Vec[0]+0.3, v.Vec[1], v.Vec[2]+0.2))
		case shot.Integer:
			e.Set(x.Key, shot.Num(v.Num+1))
		default:
			e.Set(x.Key, shot.Num(v.Num*0.7+0.05))
		}
		other := stage.Key(s, s.Of(shot.Domain)[0]) != key
		if other != x.Sim {
			t.Errorf("%s: another key is %t", x.Key, other)
		}
		if differs := bits(t, s, 2) != was; differs != x.Sim {
			t.Errorf("%s: another result is %t, counts is %t", x.Key, differs, x.Sim)
		}
	}
}

// TestSeaResumes: a run that goes on from a saved state has the bits of one that went through.
func TestSeaResumes(t *testing.T) {
	s := afloat()
	a, _ := NewStage(s, "", grid.NewCrew(2))
	var saved bytes.Buffer
	for n := range 3 {
		if n == 2 {
			if err := a.SaveState(&saved); err != nil {
				t.Fatal(err)
			}
		}
		if _, _, err := a.Advance(nil); err != nil {
			t.Fatal(err)
		}
	}
	b, _ := NewStage(s, "", grid.NewCrew(2))
	if err := b.LoadState(&saved, true); err != nil {
		t.Fatal(err)
	}
	if _, _, err := b.Advance(nil); err != nil {
		t.Fatal(err)
	}
	if fmt.Sprint(a.Solver.P) != fmt.Sprint(b.Solver.P) {
		t.Error("resumed, the sea's domain has other particles")
	}
}
