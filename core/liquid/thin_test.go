package liquid_test

import (
	"bytes"
	"fmt"
	"math"
	"testing"

	"zarf/core/asset"
	"zarf/core/bring"
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

// turnedBowl is a bowl of revolution of radius 1 and height 1, with a wall, as a file: sx mirrors
// it, and turned faces look inwards.
func turnedBowl(wall, sx float64, turned bool) []byte {
	profile := [][2]float64{{0, 0}, {1, 0}, {1, 1}, {1 - wall, 1}, {1 - wall, wall}, {0, wall}}
	const n = 48
	var b bytes.Buffer
	for i := range n {
		sin, cos := math.Sincos(2 * math.Pi * float64(i) / n)
		for _, p := range profile {
			fmt.Fprintf(&b, "v %g %g %g\n", sx*p[0]*cos, p[1], p[0]*sin)
		}
	}
	for i := range n {
		for m := range len(profile) - 1 {
			a, c := i*len(profile)+m+1, (i+1)%n*len(profile)+m+1
			if turned {
				fmt.Fprintf(&b, "f %d %d %d %d\n", a, c, c+1, a+1)
			} else {
				fmt.Fprintf(&b, "f %d %d %d %d\n", a, a+1, c+1, c)
			}
		}
	}
	return b.Bytes()
}

// A bowl whose faces look inwards, or that was mirrored by a scale of −1, holds as any other.
func TestBowlsInsideOutHold(t *testing.T) {
	r, err := recipe.Find("pour")
	if err != nil {
		t.Fatal(err)
	}
	var first int
	for n, c := range []struct {
		name   string
		sx     float64
		turned bool
	}{{"as it should be", 1, false}, {"inside out", 1, true}, {"mirrored", -1, false}} {
		s := r.Shot("PR", r.Size)
		d := s.Of(shot.Domain)[0]
		val.Voxel.Set(d, val.Voxel.Of(d)*1.8)
		bowl := s.Of(shot.Collider)[0]
		size, at := val.Size.Of(bowl), val.Position.Of(bowl)
		files := asset.NewMemory()
		ref, _, err := files.Bring("bowl.obj", turnedBowl(0.03, c.sx, c.turned), nil, bring.Options{Unit: size[0] / 2})
		if err != nil {
			t.Fatal(err)
		}
		s.Attach(asset.New(files))
		val.Form.Set(bowl, "mesh")
		val.Mesh.Set(bowl, ref)
		val.Position.Set(bowl, at[0], at[1]-size[1]/2, at[2])
		l, err := liquid.NewStage(s, "", grid.NewCrew(2))
		if err != nil {
			t.Fatal(err)
		}
		for l.Next() <= 40 {
			if _, _, err := l.Advance(nil); err != nil {
				t.Fatal(err)
			}
		}
		sv, out := l.Solver, 0
		for i := range sv.P {
			x := sv.P[i].X
			px, pz := sv.Origin.X+float64(x[0])*sv.H-at[0], sv.Origin.Z+float64(x[2])*sv.H-at[2]
			if py := sv.Origin.Y + float64(x[1])*sv.H; math.Hypot(px, pz) > 0.99*size[0]/2 && py < at[1]+0.4*size[0] {
				out++
			}
		}
		if n == 0 {
			first = len(sv.P)
		}
		t.Logf("%s: %d particles, %d outside", c.name, len(sv.P), out)
		if out > 0 || len(sv.P) < 1000 || math.Abs(float64(len(sv.P))/float64(first)-1) > 0.05 {
			t.Errorf("%s: %d of %d particles outside, %d in the first", c.name, out, len(sv.P), first)
		}
	}
}
