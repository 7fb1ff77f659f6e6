package render

import (
	"math"
	"testing"

	"zarf/core/geom"
)

// scattered are solids of all forms in a room of 4 m, round ones about their axes: to these
// distances are exact.
func scattered(n int) []Solid {
	r := dice{11}
	var list []Solid
	for i := range n {
		form := []geom.Form{geom.Sphere, geom.Block, geom.Cylinder, geom.Tube, geom.Torus}[i%5]
		wide, tall := 0.3+0.5*r.next(), 0.3+0.3*r.next()
		if form == geom.Sphere {
			tall = wide
		}
		list = append(list, Solid{Shape: geom.Shape{Form: form, Centre: geom.V(4*r.next()-2, 2*r.next(), 4*r.next()-2),
			Size: geom.V(wide, tall, wide), Wall: 0.05, Taper: 1, Turn: geom.RotationXYZ(geom.V(90*r.next(), 90*r.next(), 0))}, Clear: i%4 == 3})
	}
	settle(list)
	return list
}

// Boxes round several solids leave out none that a ray meets.
func TestBoxesRoundSolidsHideNone(t *testing.T) {
	list := scattered(13)
	s := &Scene{Solids: list}
	tr, one := &trip{s: s, solids: list}, &trip{s: s}
	r, met := dice{2}, 0
	for range 4000 {
		o := geom.V(6*r.next()-3, 3*r.next()-0.5, 6*r.next()-3)
		d := about(geom.V(0, 1, 0), 2*r.next()-1, &r)
		got, hit := s.trace(tr, o, d, math.Inf(1), true)
		want := math.Inf(1)
		for i := range list {
			one.solids = list[i : i+1 : i+1]
			if h, ok := s.trace(one, o, d, math.Inf(1), true); ok {
				want = min(want, h.t)
			}
		}
		if hit != !math.IsInf(want, 1) || hit && got.t != want {
			t.Fatalf("from %v along %v a ray meets something at %g, not %g", o, d, got.t, want)
		}
		if s.blocked(tr, o, d, math.Inf(1)) != hit {
			t.Fatalf("from %v along %v a ray is blocked: %t", o, d, !hit)
		}
		if hit {
			met++
		}
	}
	if met < 300 {
		t.Errorf("only %d rays met something", met)
	}
}

// What of the sky solids leave free is the same as if each were asked how far it is.
func TestOpennessAsksWhatIsNear(t *testing.T) {
	list := scattered(13)
	r := dice{4}
	darker := 0
	for _, ground := range []bool{false, true} {
		s := &Scene{Solids: list}
		s.Look.Ground = ground
		for range 4000 {
			at, n := geom.V(5*r.next()-2.5, 2.5*r.next(), 5*r.next()-2.5), about(geom.V(0, 1, 0), 2*r.next()-1, &r)
			size, want := 0.0, 1.0
			for i := range list {
				size = max(size, list[i].Shape.Size.MinComponent())
			}
			for k := 1; k <= 4; k++ {
				reach := size * 0.15 * float64(k)
				q := at.Add(n.Mul(reach))
				d := reach
				if ground {
					d = q.Y
				}
				for i := range list {
					d = min(d, list[i].Shape.Distance(q))
				}
				want -= max(0, reach-d) / reach * 0.5 / float64(int(1)<<k)
			}
			want = max(want, 0)
			if got := s.openness(list, at, n); math.Abs(got-want) > 1e-12 {
				t.Fatalf("%g of the sky is left free at %v, not %g", got, at, want)
			}
			if want < 1 {
				darker++
			}
		}
	}
	if darker < 500 {
		t.Errorf("only %d places are near solids", darker)
	}
}
