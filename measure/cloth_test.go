package measure

import (
	"testing"

	"zarf/core/geom"
)

// Under a sheet is what one of its faces is above; between two of them nothing is.
func TestUnder(t *testing.T) {
	m := &geom.Mesh{P: []geom.Vec3{{}, {X: 1}, {Z: 1}, {X: 1, Z: 1}}, Tri: [][3]int32{{0, 1, 2}, {1, 3, 2}}}
	at := [][3]float32{{0.3, -0.1, 0.3}, {0.3, 0.1, 0.3}, {0.8, -0.1, 0.9}, {2, -0.1, 0.3}}
	if n := under(m, at); n != 2 {
		t.Errorf("%d of 2 are under it", n)
	}
	for _, p := range m.P[:4] { // a second sheet above
		m.P = append(m.P, p.Add(geom.V(0, 1, 0)))
	}
	m.Tri = append(m.Tri, [3]int32{4, 5, 6}, [3]int32{5, 7, 6})
	if n := under(m, at); n != 1 {
		t.Errorf("%d between two sheets, which lies over one", n)
	}
}
