package cloth

import (
	"math"
	"testing"

	"zarf/core/geom"
)

// Long thin triangles become even ones: of the area, the rim and the place that they had, and each of
// edges about as long as asked for.
func TestEven(t *testing.T) {
	slats := &geom.Mesh{} // a metre square of 40 slats
	for i := range 41 {
		x := float64(i) / 40
		slats.P = append(slats.P, geom.V(x, 0.1*math.Sin(3*x), 0), geom.V(x, 0.1*math.Sin(3*x), 1))
	}
	for i := range int32(40) {
		slats.Tri = append(slats.Tri, [3]int32{2 * i, 2*i + 1, 2*i + 3}, [3]int32{2 * i, 2*i + 3, 2*i + 2})
	}
	if uneven(slats) < 20 {
		t.Fatalf("the slats are %g times as long as high", uneven(slats))
	}
	area := func(m *geom.Mesh) (a float64) {
		for k := range m.Tri {
			p, q, r := m.Corners(k)
			a += q.Sub(p).Cross(r.Sub(p)).Len() / 2
		}
		return a
	}
	if _, _, did, err := imported(&geom.Body{Mesh: slats}, 1e-4); err == nil || did.Dropped > 0 {
		t.Error("a square metre of tenths of millimetres was taken")
	}
	for _, edge := range []float64{0.1, 0.05} {
		m, from := Even(slats, edge)
		if len(from) != len(m.P) {
			t.Fatalf("%d vertices come from %d", len(m.P), len(from))
		}
		if w := uneven(m); w > 5 {
			t.Errorf("%g m: a face is %g times as long as it is high", edge, w)
		}
		if a := area(m) / area(slats); math.Abs(a-1) > 0.005 {
			t.Errorf("%g m: it has %.4f of its area", edge, a)
		}
		if mean := meanEdge(m) / edge; mean < 0.75 || mean > 1.25 {
			t.Errorf("edges of %g m are %.3f times that", edge, mean)
		}
		tree := geom.NewTree(slats)
		rim, count := 0.0, map[edgeKey]int{}
		for _, f := range m.Tri {
			for c := range 3 {
				count[edgeOf(f[c], f[(c+1)%3])]++
			}
		}
		for k, n := range count {
			if n > 2 {
				t.Fatalf("an edge has %d faces", n)
			}
			if n == 1 {
				rim += m.P[k.a].Dist(m.P[k.b])
			}
		}
		corners := 0
		for i, p := range m.P {
			if h := tree.Nearest(p, 1); h.Tri < 0 || h.T > 1e-6 {
				t.Fatalf("vertex %d left the surface", i)
			}
			if (p.X < 1e-9 || p.X > 1-1e-9) && (p.Z < 1e-9 || p.Z > 1-1e-9) {
				corners++
			}
		}
		if long := 2 + 2*1.0/40*40*1.0214; math.Abs(rim/long-1) > 0.01 || corners != 4 {
			t.Errorf("%g m: the rim is %.4f m long, not %.4f, with %d corners", edge, rim, long, corners)
		}
		if _, turned, _, err := Tidy(m); err != nil || len(turned) == 0 {
			t.Error(err)
		}
		if _, _, did, _ := Tidy(m); did.Turned > 0 || did.Dropped > 0 || did.Seams > 0 {
			t.Errorf("it has to be mended: %+v", did)
		}
		again, _ := Even(slats, edge)
		for i := range m.P {
			if again.P[i] != m.P[i] {
				t.Fatal("done again it is another")
			}
		}
	}
}
