package liquid_test

import (
	"bytes"
	"math"
	"testing"

	"zarf/core/format/vdb"
	"zarf/core/frame"
	"zarf/core/grid"
	"zarf/core/liquid"
	"zarf/core/recipe"
	"zarf/core/shot"
	"zarf/core/shot/val"
)

// What fills, feeds, probes and handovers read of a liquid is its volume: to
// 1 % in a pour at every tenth frame, as a jet, in splashes and at rest, with
// solids in the way, and after a file.
func TestDensityHoldsTheVolume(t *testing.T) {
	r, err := recipe.Find("pour")
	if err != nil {
		t.Fatal(err)
	}
	s := r.Shot("PR", r.Size)
	d := s.Of(shot.Domain)[0]
	val.Voxel.Set(d, val.Voxel.Of(d)*1.6) // a quarter of the cells
	e := s.Add(shot.Collider)
	box := d.DomainBox()
	val.Form.Set(e, "sphere")
	val.Position.Set(e, box.Centre().X, box.Min.Y+box.Size().Y*0.1, box.Centre().Z)
	val.Size.Set(e, box.Size().X*0.2, box.Size().X*0.2, box.Size().X*0.2)
	l, err := liquid.NewStage(s, "", grid.NewCrew(2))
	if err != nil {
		t.Fatal(err)
	}
	for l.Next() <= 60 {
		n := l.Next()
		if _, _, err := l.Advance(nil); err != nil {
			t.Fatal(err)
		}
		if n%10 != 0 && n != 3 {
			continue
		}
		var b bytes.Buffer
		if err := vdb.Write(&b, l.Frame().Grids, vdb.Options{Compression: vdb.Blosc}); err != nil {
			t.Fatal(err)
		}
		f, err := vdb.Decode(b.Bytes(), vdb.DefaultLimits)
		if err != nil {
			t.Fatal(err)
		}
		dims := [3]int{l.Solver.NX, l.Solver.NY, l.Solver.NZ}
		full := make([]float32, l.Solver.Len())
		if err := f.Grid(frame.Density).Dense([3]int{}, dims, [][]float32{full}); err != nil {
			t.Fatal(err)
		}
		var sum float64
		for c, v := range full {
			if v < 0 || v > 1 {
				t.Fatalf("frame %d: voxel %d is %g full", n, c, v)
			}
			sum += float64(v)
		}
		sum *= math.Pow(l.Solver.H, 3)
		if vol := l.Solver.Volume(); vol == 0 || math.Abs(sum/vol-1) > 0.01 {
			t.Errorf("frame %d: the density sums to %.5f m³, the particles take %.5f (%+.1f %%)", n, sum, vol, 100*(sum/vol-1))
		} else {
			t.Logf("frame %d: %.5f of %.5f m³", n, sum, vol)
		}
	}
}
