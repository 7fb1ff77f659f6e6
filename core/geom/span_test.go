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
	} {
		s.Centre, s.Turn = V(0.3, -0.2, 0.1), RotationXYZ(V(20, 50, -70))
		if !s.Convex() {
			t.Fatalf("%s isn't known", name)
		}
		hits := 0
		for range 2000 {
			o, d := near().Mul(1.5), near().Unit()
			t0, t1, ok := s.Span(o, d)
			inside := 0
			for x := -6.0; x < 6; x += 0.05 {
				in := ok && x > t0 && x < t1
				if dist := s.Distance(o.Add(d.Mul(x))); math.Abs(dist) > 1e-9 && (dist < 0) != in {
					t.Fatalf("%s: %g from the surface at %g, the span is %g to %g, %v", name, dist, x, t0, t1, ok)
				}
				if in {
					inside++
				}
			}
			if ok && inside > 0 {
				hits++
				for _, x := range []float64{t0, t1} {
					if dist := s.Distance(o.Add(d.Mul(x))); math.Abs(dist) > 1e-9 {
						t.Fatalf("%s: %g from the surface at the span's end", name, dist)
					}
				}
			}
		}
		if hits < 20 {
			t.Errorf("%s: %d of 2,000 rays met it", name, hits)
		}
	}
	for name, s := range map[string]Shape{
		"oval": {Form: Cylinder, Size: V(1, 1, 2), Taper: 1}, "egg": {Form: Sphere, Size: V(1, 2, 1), Taper: 1},
		"room": {Form: Block, Size: V(1, 1, 1), Hollow: true}, "ring": {Form: Torus, Size: V(1, 0.2, 1)},
	} {
		if s.Convex() {
			t.Errorf("%s is taken for convex", name)
		}
	}
	axis := Shape{Form: Cylinder, Size: V(1, 2, 1), Taper: 1, Turn: RotationXYZ(Vec3{})}
	if t0, t1, ok := axis.Span(V(0.2, 5, 0), V(0, -1, 0)); !ok || t0 != 4 || t1 != 6 {
		t.Errorf("down its axis a cylinder is met from %g to %g, %v", t0, t1, ok)
	}
}
