package liquid

import (
	"bytes"
	"math"
	"slices"
	"testing"

	"zarf/core/frame"
	"zarf/core/grid"
	"zarf/core/shot"
	"zarf/core/shot/val"
)

// dipped is a post that stands in water, and one that is lifted out of it.
func dipped() *shot.Shot {
	s := shot.New("W")
	d := s.Add(shot.Domain)
	val.Fluid.Set(d, "liquid")
	val.Size.Set(d, 1.6, 1.6, 0.8)
	val.Position.Set(d, 0, 0.8, 0)
	val.Voxel.Set(d, 0.08)
	for _, side := range []val.TextKey{val.SideX0, val.SideX1, val.SideZ0, val.SideZ1} {
		side.Set(d, "wall")
	}
	val.WetMap.Set(d, true)
	val.Dries.Set(d, 2)
	w := s.Add(shot.Emitter)
	val.Form.Set(w, "box")
	val.Size.Set(w, 4, 0.8, 4)
	val.Position.Set(w, 0, 0.2, 0)
	val.Pours.Set(w, "once")
	post := s.Add(shot.Collider)
	val.Form.Set(post, "box")
	val.Size.Set(post, 0.32, 1.2, 0.32)
	val.Position.Set(post, -0.4, 0.6, 0)
	lifted := s.Add(shot.Collider)
	val.Form.Set(lifted, "box")
	val.Size.Set(lifted, 0.32, 0.6, 0.32)
	lifted.SetKey(val.Position, shot.Key{Frame: 1, Value: shot.Vec(0.4, 0.5, 0)})
	lifted.SetKey(val.Position, shot.Key{Frame: 7, Value: shot.Vec(0.4, 1.22, 0)})
	return s
}

// wetAt is how wet a place is.
func wetAt(l *Stage, x, y, z float64) float64 {
	s := l.Solver
	return float64(l.wet.Sample(float32((x-s.Origin.X)/s.H-0.5), float32((y-s.Origin.Y)/s.H-0.5), float32((z-s.Origin.Z)/s.H-0.5)))
}

// TestSolidsGetWetAndDry: to the water's level and not over it; what is lifted out takes its
// wetness along and dries in the time told; frames hold it, and resumed runs too.
func TestSolidsGetWetAndDry(t *testing.T) {
	s := dipped()
	l, err := NewStage(s, "", grid.NewCrew(2))
	if err != nil {
		t.Fatal(err)
	}
	var saved bytes.Buffer
	for n := range 12 {
		if n == 9 {
			if err := l.SaveState(&saved); err != nil {
				t.Fatal(err)
			}
		}
		if _, _, err := l.Advance(nil); err != nil {
			t.Fatal(err)
		}
	}
	if w := wetAt(l, -0.23, 0.3, 0); w < 0.99 {
		t.Errorf("under water the post is %.2f wet", w)
	}
	if w := wetAt(l, -0.23, 1.1, 0); w > 0.01 {
		t.Errorf("half a metre over the water the post is %.2f wet", w)
	}
	// its foot was in water until it left it on frame 5 or so: some seven 24ths of 2 s ago
	if w := wetAt(l, 0.57, 1.0, 0); math.Abs(w-(1-7.0/48)) > 0.08 {
		t.Errorf("the lifted block's foot is %.2f wet", w)
	}
	f := l.Frame()
	g := f.Grid(frame.Wetness)
	if g == nil || len(g.Leaves) == 0 {
		t.Fatal("the frame holds no wetness")
	}
	b, _ := NewStage(s, "", grid.NewCrew(1))
	if err := b.LoadState(&saved, true); err != nil {
		t.Fatal(err)
	}
	for range 3 {
		if _, _, err := b.Advance(nil); err != nil {
			t.Fatal(err)
		}
	}
	if !slices.Equal(b.wet.Data, l.wet.Data) {
		t.Error("resumed, other places are wet")
	}
	val.WetMap.Set(s.Of(shot.Domain)[0], false)
	c, _ := NewStage(s, "", grid.NewCrew(2))
	if _, _, err := c.Advance(nil); err != nil || c.Frame().Grid(frame.Wetness) != nil {
		t.Errorf("wetness is kept where it isn't asked for (%v)", err)
	}
}
