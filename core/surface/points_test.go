package surface

import (
	"math"
	"testing"

	"zarf/core/geom"
	"zarf/core/grid"
)

func lattice(n int) *Lattice {
	return &Lattice{N: [3]int{n, n, n}, H: 0.1, V: make([]float32, n*n*n)}
}

// An even half-space of particles has its surface where it ends; one particle
// alone is a ball of Rim times the reach.
func TestPointsHaveTheirSurface(t *testing.T) {
	crew := grid.NewCrew(2)
	l := lattice(24)
	var p Points
	for k := 0.0; k < 24; k++ {
		for j := 0.0; j < 12; j++ {
			for i := 0.0; i < 24; i++ {
				p = append(p, [3]float32{float32(i), float32(j), float32(k)})
			}
		}
	}
	FromPoints(l, p, 2, 0, nil, 0.3, crew.For)
	for _, at := range [][2]int{{12, 12}, {9, 14}} { // between particles 11 and 12: the end is at 11.5
		a, b := l.V[l.At(at[0], 11, at[1])], l.V[l.At(at[0], 12, at[1])]
		y := 11 + float64(a/(a-b))
		if !(a < 0 && b > 0) || math.Abs(y-11.5) > 0.12 {
			t.Errorf("the surface stands at %.3f cells, want 11.5 (%g, %g)", y, a, b)
		}
	}
	Even(l, 4, 0.004, crew.For)
	if a, b := l.V[l.At(12, 11, 12)], l.V[l.At(12, 12, 12)]; !(a < 0 && b > 0) {
		t.Errorf("smoothing moves a flat surface: %g, %g", a, b)
	}
	one := lattice(32)
	FromPoints(one, Points{{16, 16, 16}}, 12, 0, nil, 0.3, crew.For)
	m := Nets(one, 0, crew.For)
	if len(m.P) == 0 {
		t.Fatal("a lone particle has no surface")
	}
	for _, q := range m.P {
		if r := q.Dist(geom.V(1.6, 1.6, 1.6)); math.Abs(r-Rim*1.2) > 0.03 {
			t.Fatalf("a point of it %.3f m out, want %.3f", r, Rim*1.2)
		}
	}
	volume := func(l *Lattice) (n int) {
		for _, v := range l.V {
			if v < 0 {
				n++
			}
		}
		return n
	}
	thin := lattice(24) // a sheet of one layer
	p = p[:0]
	for k := 0.0; k < 24; k++ {
		for i := 0.0; i < 24; i++ {
			p = append(p, [3]float32{float32(i), 12, float32(k)})
		}
	}
	FromPoints(thin, p, 2, 0, nil, 0.3, crew.For)
	before := volume(thin)
	Even(thin, 3, 0.004, crew.For)
	if now := volume(thin); now < before*9/10 {
		t.Errorf("smoothing takes a sheet away: %d cells of %d are left", now, before)
	}
}

func TestPointsOnAnyThreads(t *testing.T) {
	var p Points
	for n := range 3000 {
		p = append(p, [3]float32{float32(n * 7919 % 200), float32(n * 104729 % 200), float32(n) / 3000 * 200})
	}
	for n := range p {
		for a := range 3 {
			p[n][a] /= 10
		}
	}
	a, b := lattice(20), lattice(20)
	FromPoints(a, p, 2, 1, nil, 0.3, grid.NewCrew(1).For)
	FromPoints(b, p, 2, 1, nil, 0.3, grid.NewCrew(4).For)
	for n := range a.V {
		if a.V[n] != b.V[n] {
			t.Fatalf("point %d: %g and %g", n, a.V[n], b.V[n])
		}
	}
}
