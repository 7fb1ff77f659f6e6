package surface

import (
	"math"
	"testing"

	"zarf/core/geom"
)

// A ball that touches the edge of its lattice closes, and holds what it should,
// whether every cell is taken or every second.
func TestClosedHoldsABall(t *testing.T) {
	const n = 40
	v := make([]float32, n*n*n)
	h := 0.05
	for i := range v {
		p := geom.V((float64(i%n)+0.5)*h, (float64(i/n%n)+0.5)*h, (float64(i/n/n)+0.5)*h)
		v[i] = float32(p.Sub(geom.V(1, 1, 0.4)).Len() - 0.6) // cut off by z = 0
	}
	cap := math.Pi * 0.2 * 0.2 * (3*0.6 - 0.2) / 3
	want := 4./3*math.Pi*0.216 - cap
	for every, slack := range map[int]float64{1: 0.03, 2: 0.06} {
		m := Nets(Closed(v, [3]int{n, n, n}, h, geom.V(5, 0, 0), 1, every), 0, alone)
		if open := m.OpenEdges(); open != 0 {
			t.Errorf("every %d: %d open edges", every, open)
		}
		if got := m.Volume(); math.Abs(got/want-1) > slack {
			t.Errorf("every %d: it holds %.4f m³, %.4f expected", every, got, want)
		}
		if c := m.Bounds().Centre(); math.Abs(c.X-6) > 0.05 || math.Abs(c.Y-1) > 0.05 {
			t.Errorf("every %d: its middle is %v", every, c)
		}
	}
}

func alone(n, grain int, fn func(lo, hi int)) { fn(0, n) }
