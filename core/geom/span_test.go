package geom

import (
	"math"
	"math/rand/v2"
	"testing"
)

// Where a ray is within a shape its distance is negative, and at both ends of that 0.
func TestSpanIsWhereDistanceIsNegative(t *testing.T) {
	r := rand.New(rand.NewPCG(3, 4))
	near := func() Vec3 { return V(r.NormFloat64(), r.NormFloat64(), r.NormFloat64()) }
	for name, s := range map[string]Shape{
		"sphere": {Form: Sphere, Size: V(1, 1, 1), Taper: 1}, "box": {Form: Block, Size: V(1, 0.4, 2), Taper: 1},
		"plate": {Form: Plane, Size: V(2, 0.1, 1), Taper: 1}, "cylinder": {Form: Cylinder, Size: V(0.8, 2, 0.8), Taper: 1},
		"cone": {Form: Cylinder, Size: V(1, 0.8, 1), Taper: 0.3}, "bowl": {Form: Cylinder, Size: V(1, 0.3, 1), Taper: 2.5}, "spike": {Form: Cylinder, Size: V(0.3, 2, 0.3), Taper: 0},
		"pipe": {Form: Tube, Size: V(1, 2, 1), Taper: 1, Wall: 0.1}, "funnel": {Form: Tube, Size: V(1.4, 1, 1.4), Taper: 0.4, Wall: 0.15},
	} {
		s.Centre, s.Turn = V(0.3, -0.2, 0.1), RotationXYZ(V(20, 50, -70))
		if !s.Spanned() {
			t.Fatalf("%s isn't known", name)
		}
		hits, faces, edges := 0, 0, 0
		for range 2000 {
			o, d := near().Mul(1.5), near().Unit()
			list, n := s.Spans(o, d)
			ok, inside := n > 0, 0
			for x := -6.0; x < 6; x += 0.05 {
				in := false
				for _, p := range list[:n] {
					in = in || x > p[0] && x < p[1]
				}
				if dist := s.Distance(o.Add(d.Mul(x))); math.Abs(dist) > 1e-9 && (dist < 0) != in {
					t.Fatalf("%s: %g from the surface at %g, the spans are %v of %d", name, dist, x, list, n)
				}
				if in {
					inside++
				}
			}
			if ok && inside > 0 {
				hits++
				for _, p := range list[:n] {
					for _, x := range p {
						at := o.Add(d.Mul(x))
						if dist := s.Distance(at); math.Abs(dist) > 1e-9 {
							t.Fatalf("%s: %g from the surface at the span's end", name, dist)
						}
						// a step along its normal leads straight away, but for edges
						n := s.Facing(at)
						if out := s.Distance(at.Add(n.Mul(1e-5))); math.Abs(n.Len()-1) > 1e-9 || out < 0.99e-5 {
							edges++
						}
						faces++
					}
				}
			}
		}
		if edges*100 > faces {
			t.Errorf("%s: at %d of %d places the normal doesn't lead away", name, edges, faces)
		}
		if hits < 20 {
			t.Errorf("%s: %d of 2,000 rays met it", name, hits)
		}
	}
	for name, s := range map[string]Shape{
		"oval": {Form: Cylinder, Size: V(1, 1, 2), Taper: 1}, "egg": {Form: Sphere, Size: V(1, 2, 1), Taper: 1},
		"room": {Form: Block, Size: V(1, 1, 1), Hollow: true}, "ring": {Form: Torus, Size: V(1, 0.2, 1)}, "plug": {Form: Tube, Size: V(1, 1, 1), Taper: 0.2, Wall: 0.2},
	} {
		if s.Spanned() {
			t.Errorf("%s is taken for one that is known", name)
		}
	}
	axis := Shape{Form: Cylinder, Size: V(1, 2, 1), Taper: 1, Turn: RotationXYZ(Vec3{})}
	if list, n := axis.Spans(V(0.2, 5, 0), V(0, -1, 0)); n != 1 || list[0] != [2]float64{4, 6} {
		t.Errorf("down its axis a cylinder is met %v, %d times", list, n)
	}
}
