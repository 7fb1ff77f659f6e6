package geom

import (
	"math"
	"math/rand/v2"
	"testing"
)

func shapes() map[string]Shape {
	turn := RotationXYZ(V(20, -35, 70))
	at := V(0.3, -0.2, 0.5)
	return map[string]Shape{
		"sphere":   {Form: Sphere, Centre: at, Turn: turn, Size: V(1, 1, 1), Taper: 1},
		"box":      {Form: Block, Centre: at, Turn: turn, Size: V(1, 0.6, 0.4), Taper: 1},
		"plane":    {Form: Plane, Centre: at, Turn: turn, Size: V(1, 0.1, 2), Taper: 1},
		"cylinder": {Form: Cylinder, Centre: at, Turn: turn, Size: V(0.8, 1.2, 0.8), Taper: 1},
		"cone":     {Form: Cylinder, Centre: at, Turn: turn, Size: V(0.8, 1.2, 0.8), Taper: 0.4},
		"horn":     {Form: Cylinder, Centre: at, Turn: turn, Size: V(0.8, 1.2, 0.8), Taper: 1.8},
		"tube":     {Form: Tube, Centre: at, Turn: turn, Size: V(0.8, 1.2, 0.8), Taper: 1, Wall: 0.1},
		"bell":     {Form: Tube, Centre: at, Turn: turn, Size: V(0.8, 1.2, 0.8), Taper: 1.7, Wall: 0.1},
		"torus":    {Form: Torus, Centre: at, Turn: turn, Size: V(1, 0.3, 1), Taper: 1},
		"ellipse":  {Form: Sphere, Centre: at, Turn: turn, Size: V(1, 0.5, 0.7), Taper: 1},
		"oval":     {Form: Torus, Centre: at, Turn: turn, Size: V(1, 0.2, 0.7), Taper: 1},
	}
}

// A signed distance never changes faster than the way walked, or sphere
// tracing would step through walls.
func TestDistancesAreSafe(t *testing.T) {
	rng := rand.New(rand.NewPCG(1, 1))
	r := func() float64 { return rng.Float64()*3 - 1.5 }
	for name, s := range shapes() {
		if name == "ellipse" {
			continue // a first-order estimate, exact at the surface only
		}
		for range 4000 {
			p, q := V(r(), r(), r()), V(r(), r(), r())
			q = p.Add(q.Mul(0.2))
			if d := math.Abs(s.Distance(p) - s.Distance(q)); d > p.Dist(q)*1.001+1e-9 {
				t.Fatalf("%s: distance changes by %g over %g", name, d, p.Dist(q))
			}
		}
	}
}

func TestKnownDistances(t *testing.T) {
	id := RotationXYZ(Vec3{})
	for _, c := range []struct {
		s    Shape
		p    Vec3
		want float64
	}{
		{Shape{Form: Sphere, Size: V(2, 2, 2), Turn: id}, V(3, 0, 0), 2},
		{Shape{Form: Block, Size: V(2, 4, 2), Turn: id}, V(0, 1, 0), -1},
		{Shape{Form: Block, Size: V(2, 2, 2), Turn: id}, V(4, 5, 1), 5},
		{Shape{Form: Cylinder, Size: V(2, 2, 2), Turn: id, Taper: 1}, V(3, 0, 0), 2},
		{Shape{Form: Cylinder, Size: V(2, 2, 2), Turn: id, Taper: 1}, V(0, 0.75, 0), -0.25},
		{Shape{Form: Tube, Size: V(2, 2, 2), Turn: id, Taper: 1, Wall: 0.2}, V(0, 0, 0), 0.8},
		{Shape{Form: Tube, Size: V(2, 2, 2), Turn: id, Taper: 1, Wall: 0.2}, V(0.9, 0, 0), -0.1},
		{Shape{Form: Torus, Size: V(4, 1, 4), Turn: id}, V(1.5, 0, 0), -0.5},
		{Shape{Form: Torus, Size: V(4, 1, 4), Turn: id}, V(0, 0, 0), 1},
	} {
		if got := c.s.Distance(c.p); math.Abs(got-c.want) > 1e-12 {
			t.Errorf("%s at %v: %g, want %g", c.s.Form, c.p, got, c.want)
		}
	}
}

func TestNormalsPointOut(t *testing.T) {
	rng := rand.New(rand.NewPCG(2, 2))
	for name, s := range shapes() {
		for range 200 {
			p := V(rng.Float64()*2-1, rng.Float64()*2-1, rng.Float64()*2-1)
			n := s.Normal(p)
			if math.Abs(n.Len()-1) > 1e-6 && n.Len() > 1e-9 {
				t.Fatalf("%s: normal of length %g", name, n.Len())
			}
			if a, b := s.Distance(p), s.Distance(p.Add(n.Mul(1e-4))); b < a-1e-9 && math.Abs(a) > 0.02 {
				t.Fatalf("%s: going along the normal leads inwards (%g to %g)", name, a, b)
			}
		}
	}
}

func TestBoundsHoldTheShape(t *testing.T) {
	rng := rand.New(rand.NewPCG(3, 3))
	for name, s := range shapes() {
		b := s.Bounds()
		for range 3000 {
			p := V(rng.Float64()*4-2, rng.Float64()*4-2, rng.Float64()*4-2)
			if s.Distance(p) < 0 && !b.Contains(Box{p, p}) {
				t.Fatalf("%s reaches out of its box at %v", name, p)
			}
		}
	}
}

func TestRotationAndBack(t *testing.T) {
	m := RotationXYZ(V(10, 200, -70))
	p := V(1, 2, 3)
	if d := m.Back(m.Apply(p)).Dist(p); d > 1e-12 {
		t.Errorf("there and back misses by %g", d)
	}
	if q := RotationXYZ(V(0, 0, -90)).Apply(V(0, 1, 0)); q.Dist(V(1, 0, 0)) > 1e-12 {
		t.Errorf("up turned by −90° about z is %v", q)
	}
}

func TestBoxes(t *testing.T) {
	b := Box{V(0, 0, 0), V(1, 1, 1)}
	if g := b.Gap(Box{V(4, 5, 0), V(5, 6, 1)}); g != 5 {
		t.Errorf("gap %g", g)
	}
	if n, f, hit := b.Ray(V(-1, 0.5, 0.5), V(1, 0, 0)); !hit || n != 1 || f != 2 {
		t.Errorf("%g %g %v", n, f, hit)
	}
	if _, _, hit := b.Ray(V(-1, 2, 0.5), V(1, 0, 0)); hit {
		t.Error("a ray beside the box hit it")
	}
}

// A rotation comes back from its quaternion, whichever of its four numbers is the largest.
func TestRotationsAsQuaternions(t *testing.T) {
	for _, deg := range []Vec3{{}, V(10, 20, 30), V(179, 1, 2), V(1, 179, 3), V(2, 1, 179), V(90, 0, 90), V(-120, 70, 250)} {
		m := RotationXYZ(deg)
		q := m.Quat()
		back := q.Mat3()
		for r := range m {
			if d := back[r].Sub(m[r]).Len(); d > 1e-12 {
				t.Errorf("%v came back as %v by %v", m, back, q)
			}
		}
		if twice, want := m.Times(m).Apply(V(1, 2, 3)), m.Apply(m.Apply(V(1, 2, 3))); twice.Sub(want).Len() > 1e-12 {
			t.Errorf("twice %v is %v, one after the other %v", deg, twice, want)
		}
	}
}
