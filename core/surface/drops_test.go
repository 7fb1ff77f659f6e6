package surface

import (
	"math"
	"testing"

	"zarf/core/geom"
	"zarf/core/grid"
)

// Drops of a block have its volume; one by itself keeps most of its own; outside nothing
// is wet; and the same drops in another order are the same.
func TestDrops(t *testing.T) {
	const s = 0.01
	crew := grid.NewCrew(2)
	var p [][3]float32
	for x := range 12 {
		for y := range 12 {
			for z := range 12 {
				p = append(p, [3]float32{float32(x) * s, float32(y) * s, float32(z) * s})
			}
		}
	}
	volume := func(l *Lattice) float64 { return math.Abs(Nets(l, 0, crew.For).Volume()) }
	l := Drops(p, s, crew.For)
	if v := volume(l) / (12 * 12 * 12 * s * s * s); v < 0.93 || v > 1.07 {
		t.Errorf("a block of drops has %.3f of their volume", v)
	}
	for i, j := 0, len(p)-1; i < j; i, j = i+1, j-1 {
		p[i], p[j] = p[j], p[i]
	}
	again := Drops(p, s, crew.For)
	for i, v := range l.V {
		if again.V[i] != v {
			t.Fatal("another order makes another surface")
		}
	}
	one := Drops([][3]float32{{0.3, 0.4, 0.5}}, s, crew.For)
	if v := volume(one) / (s * s * s); v < 0.4 || v > 1.1 {
		t.Errorf("a lone drop has %.3f of its volume", v)
	}
	if one.V[0] <= 0 {
		t.Errorf("the corner of a drop's lattice is %g m from it", one.V[0])
	}
	if Drops(nil, s, crew.For) != nil {
		t.Error("no drops have a surface")
	}
	// two so far from each other that their lattice would be too large
	far := Drops([][3]float32{{}, {50, 50, 50}}, s, crew.For)
	if n := len(far.V); n > mostCells || far.Origin.Sub(geom.V(0, 0, 0)).Len() == 0 {
		t.Errorf("%d cells", n)
	}
}
