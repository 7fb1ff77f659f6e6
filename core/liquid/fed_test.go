package liquid

import (
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
