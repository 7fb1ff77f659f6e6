package liquid

import (
	"math"
	"testing"

	"zarf/core/geom"
)

// A sheet whose particles have come to lie a voxel apart is filled in, in its own plane and
// within its bounds; a pool's surface and two drops are left alone.
func TestSheetsAreFilledIn(t *testing.T) {
	s := box(t, 24, 24, 24, 0.05, 2)
	in := Inputs{Physics: Physics{Density: 1000, Tolerance: 1e-3, MaxIterations: 50}, Emitters: []Emitter{body(geom.V(0, 0, 0), geom.V(1.2, 0.4, 1.2))}}
	run(t, s, 1, in, nil)
	for j := range 8 {
		for i := range 10 {
			s.P = append(s.P, Particle{X: [3]float32{6 + float32(i), 12 + float32(j), 12.3 + 0.02*dice(i, j)}})
		}
	}
	s.P = append(s.P, Particle{X: [3]float32{3, 20, 3}}, Particle{X: [3]float32{4.1, 20, 3}})
	s.unsorted(0)
	s.look()
	made := 0
	for _, list := range s.sheetPoints() {
		for _, x := range list {
			made++
			if math.Abs(float64(x[2])-12.31) > 0.02 || x[0] < 6 || x[0] > 15 || x[1] < 12 || x[1] > 19 {
				t.Errorf("a place is filled in at %v", x)
			}
		}
	}
	// between neighbours in both directions: 9·8 + 10·7
	if made < 120 || made > 230 {
		t.Errorf("%d places are filled in", made)
	}
}

// The least and the largest eigenvalue, against a matrix that is put together from them.
func TestEigen(t *testing.T) {
	turn := geom.RotationXYZ(geom.V(20, 50, -70))
	axes := [3]geom.Vec3{turn.Apply(geom.V(1, 0, 0)), turn.Apply(geom.V(0, 1, 0)), turn.Apply(geom.V(0, 0, 1))}
	for _, v := range [][3]float64{{1, 2, 5}, {0.1, 3, 3}, {2, 2, 2}, {0, 0, 1}} {
		var c [6]float64
		for n, a := range axes {
			x := a.Array()
			for m, ij := range [6][2]int{{0, 0}, {1, 1}, {2, 2}, {0, 1}, {0, 2}, {1, 2}} {
				c[m] += v[n] * x[ij[0]] * x[ij[1]]
			}
		}
		if least, most := eigen(&c); math.Abs(least-v[0]) > 1e-9 || math.Abs(most-v[2]) > 1e-9 {
			t.Errorf("%v: %g to %g", v, least, most)
		}
	}
}
