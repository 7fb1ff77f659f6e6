package liquid_test

import (
	"math"
	"testing"

	"zarf/core/grid"
	"zarf/core/liquid"
	"zarf/core/recipe"
	"zarf/core/shot"
	"zarf/core/shot/val"
)

// A pour into a bowl, however thin its wall is against the voxel: what came in stays in.
func TestThinBowlsHold(t *testing.T) {
	r, err := recipe.Find("pour")
	if err != nil {
		t.Fatal(err)
	}
	for _, thick := range []float64{2, 1, 0.5, 0.15} {
		s := r.Shot("PR", r.Size)
		d := s.Of(shot.Domain)[0]
		val.Voxel.Set(d, val.Voxel.Of(d)*1.6)
		h := val.Voxel.Of(d)
		bowl := s.Of(shot.Collider)[0]
		val.Wall.Set(bowl, thick*h)
		l, err := liquid.NewStage(s, "", grid.NewCrew(2))
		if err != nil {
			t.Fatal(err)
		}
		came := 0.0
		for l.Next() <= 60 {
			_, st, err := l.Advance(nil)
			if err != nil {
				t.Fatal(err)
			}
			came += st.Of("volume_made")
		}
		sv := l.Solver
		size, at := val.Size.Of(bowl), val.Position.Of(bowl)
		out := 0
		for i := range sv.P {
			x := sv.P[i].X
			px, pz := sv.Origin.X+float64(x[0])*sv.H-at[0], sv.Origin.Z+float64(x[2])*sv.H-at[2]
			if py := sv.Origin.Y + float64(x[1])*sv.H; math.Hypot(px, pz) > size[0]/2-thick*h/2 && py < at[1]+size[1]/2 {
				out++
			}
		}
		t.Logf("wall of %g voxels of %.4f m: %d particles, %d outside, %.2f %% kept", thick, h, len(sv.P), out, 100*float64(len(sv.P)-out)/(came/(sv.H*sv.H*sv.H/liquid.PerCell)))
		if out > 0 || len(sv.P) < 1000 {
			t.Errorf("a wall of %g voxels: %d of %d particles outside", thick, out, len(sv.P))
		}
	}
}
