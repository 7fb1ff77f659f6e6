package cloth

import (
	"math"
	"math/rand"
	"testing"

	"zarf/core/geom"
)

func anywhere(r *rand.Rand) geom.Vec3 {
	return geom.V(r.Float64()*2-1, r.Float64()*2-1, r.Float64()*2-1)
}

// The nearest points of two segments, and of a place and a triangle, are as near as any that a
// fine search finds, and no nearer than their own shares say.
func TestNearest(t *testing.T) {
	r := rand.New(rand.NewSource(1))
	for n := range 300 {
		x := []geom.Vec3{anywhere(r), anywhere(r), anywhere(r), anywhere(r)}
		if n%7 == 0 { // parallel, and of no length
			x[3] = x[2].Add(x[1].Sub(x[0]).Mul(0.5))
		}
		if n%11 == 0 {
			x[1] = x[0]
		}
		for _, edges := range []bool{false, true} {
			c := contact{v: [4]int32{0, 1, 2, 3}, edges: edges}
			way, w := c.nearest(x)
			var sum geom.Vec3
			var all float64
			for k := range w {
				sum, all = sum.Add(x[k].Mul(w[k])), all+w[k]
			}
			if sum.Sub(way).Len() > 1e-12 || math.Abs(all) > 1e-12 {
				t.Fatalf("%v: shares %v give %v", way, w, sum)
			}
			least := math.Inf(1)
			const fine = 40
			for i := range fine + 1 {
				for j := range fine + 1 {
					u, v := float64(i)/fine, float64(j)/fine
					var d geom.Vec3
					if edges {
						d = x[0].Add(x[1].Sub(x[0]).Mul(u)).Sub(x[2].Add(x[3].Sub(x[2]).Mul(v)))
					} else {
						v *= 1 - u
						d = x[0].Sub(x[1].Add(x[2].Sub(x[1]).Mul(u)).Add(x[3].Sub(x[1]).Mul(v)))
					}
					least = min(least, d.Len())
				}
			}
			if d := way.Len(); d > least+1e-9 || d < least-0.1 {
				t.Errorf("edges %t: %.4f m apart, a search finds %.4f", edges, d, least)
			}
		}
	}
}

// What passes within a step is found, with its moment; what doesn't isn't.
func TestMeets(t *testing.T) {
	face := []geom.Vec3{{X: -1, Z: -1}, {X: 1, Z: -1}, {Z: 1}}
	drop := func(from, to geom.Vec3, by geom.Vec3) (float64, bool) {
		x := append([]geom.Vec3{from}, face...)
		y := []geom.Vec3{to.Add(by)}
		for _, p := range face {
			y = append(y, p.Add(by))
		}
		c := contact{v: [4]int32{0, 1, 2, 3}}
		return c.meets(x, y, 1e-6)
	}
	for _, c := range []struct {
		name     string
		from, to geom.Vec3
		at       float64
		hit      bool
	}{
		{"through the middle", geom.V(0, 1, 0), geom.V(0, -3, 0), 0.25, true},
		{"beside it", geom.V(2, 1, 0), geom.V(2, -3, 0), 0, false},
		{"not so far", geom.V(0, 1, 0), geom.V(0, 0.2, 0), 0, false},
		{"away", geom.V(0, 1, 0), geom.V(0, 3, 0), 0, false},
		{"along it", geom.V(-3, 0.5, 0), geom.V(3, 0.5, 0), 0, false},
		{"fast", geom.V(0.1, 50, -0.2), geom.V(0.1, -50, -0.2), 0.5, true},
	} {
		for _, by := range []geom.Vec3{{}, {X: 7, Y: -9, Z: 3}} { // common motion counts for nothing
			at, hit := drop(c.from, c.to, by)
			if hit != c.hit || hit && math.Abs(at-c.at) > 1e-9 {
				t.Errorf("%s, with all moved by %v: %t at %.4f", c.name, by, hit, at)
			}
		}
	}
	// two edges that cross in flight, and two that pass each other beyond their ends
	for far, want := range map[float64]bool{0.5: true, 1.5: false} {
		x := []geom.Vec3{{X: -1, Y: 1, Z: far}, {X: 1, Y: 1, Z: far}, {Z: -1}, {Z: 1}}
		y := append([]geom.Vec3{x[0].Sub(geom.V(0, 2, 0)), x[1].Sub(geom.V(0, 2, 0))}, x[2:]...)
		c := contact{v: [4]int32{0, 1, 2, 3}, edges: true}
		if at, hit := c.meets(x, y, 1e-6); hit != want || hit && math.Abs(at-0.5) > 1e-9 {
			t.Errorf("edges that cross at %g: %t at %g", far, hit, at)
		}
	}
}

// Pushes and rigid zones keep momentum.
func TestPushesKeepMomentum(t *testing.T) {
	r := rand.New(rand.NewSource(3))
	s := system(t, 1, Sheet{ID: "a", Mesh: Rectangle(0.2, 0.2, 6, 6), Warp: geom.V(1, 0, 0), Fabric: canvas, Flat: true})
	s.pinned = make([]bool, len(s.X))
	momentum := func() (p, l geom.Vec3) {
		for i, v := range s.guess {
			p = p.Add(v.Mul(s.Mass[i]))
			l = l.Add(s.X[i].Cross(v).Mul(s.Mass[i]))
		}
		return p, l
	}
	for i := range s.X {
		s.guess[i] = anywhere(r)
		s.place[i] = s.X[i].Add(s.guess[i].Mul(0.001))
	}
	before, _ := momentum()
	c := contact{v: [4]int32{0, 20, 21, 27}}
	_, w := c.nearest(s.X)
	s.push(&c, &w, geom.V(0, 0, 1), 2, 0.001)
	if after, _ := momentum(); after.Sub(before).Len() > 1e-12 {
		t.Errorf("a push takes momentum from %v to %v", before, after)
	}
	var all []int32
	for i := range s.X {
		all = append(all, int32(i))
	}
	before, turned := momentum()
	s.rigid(all, 0.001)
	after, turning := momentum()
	if after.Sub(before).Len() > 1e-9 || turning.Sub(turned).Len() > 1e-3*turned.Len() {
		t.Errorf("a rigid zone takes momentum from %v to %v, turning from %v to %v", before, after, turned, turning)
	}
	for i := range s.X {
		for j := range i {
			if a, b := s.X[i].Dist(s.X[j]), s.place[i].Dist(s.place[j]); math.Abs(a-b) > 1e-12 {
				t.Fatalf("a rigid zone takes %g m to %g m", a, b)
			}
		}
	}
}
