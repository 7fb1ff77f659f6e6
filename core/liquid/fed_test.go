package liquid

import (
	"bytes"
	"math"
	"testing"

	"zarf/core/frame"
	"zarf/core/shot"
	"zarf/core/shot/val"
)

// A domain that another liquid reaches into holds as much as there is of that within it, and
// no more from frame to frame.
func TestLiquidFeedsLiquid(t *testing.T) {
	s := poured()
	first := s.Of(shot.Domain)[0]
	s.Of(shot.Emitter)[1].Muted = true
	second := s.Add(shot.Domain)
	if err := second.PutAll(shot.With(val.Fluid.Is("liquid"), val.Size.Is(0.3, 0.6, 0.3), val.Voxel.Is(0.03), val.Position.Is(0.1, 0.3, 0),
		val.SideX0.Is("wall"), val.SideX1.Is("wall"), val.SideZ0.Is("wall"), val.SideZ1.Is("wall"))); err != nil {
		t.Fatal(err)
	}
	s.Of(shot.Emitter)[0].ActsOn = []string{first.ID}
	e := s.Add(shot.Emitter)
	val.From.Set(e, "fluid")
	e.ActsOn = []string{second.ID}
	val.FedBy.Set(e, first.ID)
	source := mustLiquid(t, s, 2)
	frames := map[int]*frame.Frame{}
	for range 6 {
		n, _, err := source.Advance(nil)
		if err != nil {
			t.Fatal(err)
		}
		frames[n] = source.Frame()
	}
	fed, err := NewStage(s, second.ID, source.Crew)
	if err != nil {
		t.Fatal(err)
	}
	fed.FedBy(func(d *shot.Element, number int) (*frame.Frame, error) {
		if d != first {
			t.Errorf("asked for %s", d.Name)
		}
		return frames[number], nil
	})
	want := 0.3 * 0.3 * 0.2
	for range 6 {
		n, _, err := fed.Advance(nil)
		if err != nil {
			t.Fatal(err)
		}
		if got := fed.Solver.Volume(); math.Abs(got/want-1) > 0.1 {
			t.Errorf("frame %d: %.5f m³ are in, %.5f lie within it", n, got, want)
		}
	}
}

// Points of foam say what each is and which: one that goes on from a frame to the next keeps
// its number and is a frame older; no two have one number; a resumed run goes on counting.
func TestFoamHasIdentity(t *testing.T) {
	s := poured()
	val.Foam.Set(s.Of(shot.Domain)[0], 3000)
	val.Speed.Set(s.Of(shot.Emitter)[1], -4)
	l := mustLiquid(t, s, 2)
	advance(t, l, 6)
	before := map[uint64]float32{}
	p := l.Frame().Points
	for i, id := range p.IDs() {
		if id > 0 {
			before[id] = p.Of("age")[i]
		}
	}
	var state bytes.Buffer
	if err := l.SaveState(&state); err != nil {
		t.Fatal(err)
	}
	again := mustLiquid(t, s, 2)
	if err := again.LoadState(bytes.NewReader(state.Bytes()), true); err != nil {
		t.Fatal(err)
	}
	for _, l := range []*Stage{l, again} {
		advance(t, l, 1)
		p := l.Frame().Points
		ids, ages, kinds := p.IDs(), p.Of("age"), p.Of("kind")
		met, same, fresh, flying := map[uint64]bool{}, 0, 0, 0
		for i, id := range ids {
			if id == 0 {
				if kinds[i] != float32(Bulk) {
					t.Fatalf("a particle of the liquid is of kind %g", kinds[i])
				}
				continue
			}
			if met[id] {
				t.Fatalf("two drops have the number %d", id)
			}
			met[id] = true
			if kinds[i] == float32(Spray) {
				flying++
			}
			if was, there := before[id]; there {
				same++
				if math.Abs(float64(ages[i]-was)-1.0/24) > 1e-4 {
					t.Fatalf("drop %d was %g s old, and is %g a frame later", id, was, ages[i])
				}
			} else {
				fresh++
			}
		}
		if same < 20 || fresh < 5 || flying == 0 {
			t.Errorf("%d drops are the same, %d new, %d fly: too few to tell", same, fresh, flying)
		}
	}
}
