package gas

import (
	"math"
	"testing"

	"zarf/core/geom"
	"zarf/core/grid"
	"zarf/core/pressure"
)

// A soft front that moves by parts of a voxel is told to have moved by them; one that is cut
// off ends about where it is cut.
func TestFrontsMoveBetweenVoxels(t *testing.T) {
	s := mustNew(t, Box{Dims: grid.Dims{NX: 24, NY: 24, NZ: 12}, H: 0.5, Origin: geom.V(3, -1, 0), Open: pressure.Sides{true, true, true, true, true, true}}, 2)
	put := func(density func(x, y float64) float64) (top, width float64) {
		for k := range s.NZ {
			for j := range s.NY {
				for i := range s.NX {
					s.Smoke.Set(i, j, k, float32(density(float64(i)+0.5, float64(j)+0.5)))
				}
			}
		}
		var st FrameStats
		s.outline(&st)
		return st.Top / s.H, st.Width / s.H
	}
	for shift := 0.0; shift < 2; shift += 0.125 {
		// falls by 4 a voxel from 10 and from 9 ± 5
		fall := func(d float64) float64 { return math.Pow(4, -max(d, 0)) }
		top, width := put(func(x, y float64) float64 { return fall(y-10-shift) * fall(math.Abs(x-9-shift)-5) })
		far := math.Log(1/0.02) / math.Log(4) // until it isn't seen
		if want := 10 + shift + far; math.Abs(top-want) > 0.01 {
			t.Errorf("a front %.3f voxels on: its top is at %.3f, by its slope at %.3f", shift, top, want)
		}
		if want := 10 + 2*far; math.Abs(width-want) > 0.02 {
			t.Errorf("a front %.3f voxels on: %.3f wide, by its slopes %.3f", shift, width, want)
		}
		top, _ = put(func(_, y float64) float64 { return 2 * min(max(10+shift-(y-0.5), 0), 1) }) // by how much of a voxel is full
		if math.Abs(top-10-shift) > 0.75 {
			t.Errorf("what is cut off at %.3f ends at %.3f", 10+shift, top)
		}
	}
	if top, width := put(func(_, _ float64) float64 { return 1 }); top != 24 || width != 24 {
		t.Errorf("a full box: %g high and %g wide", top, width)
	}
	if top, width := put(func(_, _ float64) float64 { return 0.01 }); top != 0 || width != 0 {
		t.Errorf("nothing to be seen: %g high and %g wide", top, width)
	}
}
