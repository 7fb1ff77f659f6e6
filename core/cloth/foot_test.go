package cloth

import (
	"math"
	"testing"

	"zarf/core/geom"
)

// A foot gives away all that it gets, to those near it; on a mesh coarser than it is wide to one.
func TestFoot(t *testing.T) {
	s := system(t, 1, Sheet{ID: "a", Mesh: Rectangle(0.2, 0.2, 21, 21), Warp: geom.V(1, 0, 0), Fabric: canvas, Flat: true})
	var f foot
	f.find(s, 0.02)
	for v := range s.X {
		sum, many := 0.0, 0
		f.under(int32(v), func(o int32, share float64) {
			if d := s.rest[o].Sub(s.rest[v]).Len(); d >= wide*0.02 || share <= 0 {
				t.Fatalf("vertex %d presses with %g on one %g m away", v, share, d)
			}
			sum, many = sum+share, many+1
		})
		if math.Abs(sum-1) > 1e-12 || many < 8 {
			t.Fatalf("vertex %d gives %d others %g of what it gets", v, many, sum)
		}
	}
	v := make([]float64, len(s.X))
	v[0], v[200] = 3, 2
	f.spread(v)
	sum := 0.0
	for _, x := range v {
		sum += x
	}
	if math.Abs(sum-5) > 1e-12 || v[200] > 1 {
		t.Errorf("of 5 kg %g are left, %g where 2 were", sum, v[200])
	}
	coarse := system(t, 1, Sheet{ID: "a", Mesh: Rectangle(0.2, 0.2, 6, 6), Warp: geom.V(1, 0, 0), Fabric: canvas, Flat: true})
	f.find(coarse, 0.02)
	if n := len(f.at); n != len(coarse.X) {
		t.Errorf("on a coarse mesh %d feet have %d vertices", len(coarse.X), n)
	}
}

// Water lies as still on a mesh half as wide as its drops as on one as wide, and as deep.
func TestFineMeshIsCalm(t *testing.T) {
	sag := func(n int) (low, fast float64) {
		p := newPool(0.2, n, 0)
		for x := -0.08; x < 0.09; x += 0.02 {
			for z := -0.08; z < 0.09; z += 0.02 {
				for y := 0.02; y < 0.07; y += 0.02 {
					p.drops.Add(geom.V(x, y, z), geom.Vec3{})
				}
			}
		}
		side := walls(0.2)
		for k := range 110 {
			p.step(1.0/96, geom.V(0, -9.81, 0), side)
			if k < 95 {
				continue
			}
			for i := range p.sys.X {
				low, fast = min(low, p.sys.X[i].Y), max(fast, p.sys.V[i].Len())
			}
		}
		return low, fast
	}
	coarse, _ := sag(11)
	fine, fast := sag(21)
	if math.Abs(fine/coarse-1) > 0.1 || fast > 0.4 {
		t.Errorf("a fine mesh hangs to %g m and moves at %g m/s, a coarse one hangs to %g m", fine, fast, coarse)
	}
	t.Logf("%g and %g m, %g m/s", coarse, fine, fast)
}
