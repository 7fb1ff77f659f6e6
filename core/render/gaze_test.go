package render

import (
	"math"
	"testing"

	"zarf/core/geom"
	"zarf/core/grid"
	"zarf/core/look"
)

// What goes on to the eye along each way is the phase function of its angle, and is one in
// the mean.
func TestGazeIsThePhaseOfEachWay(t *testing.T) {
	d := grid.Dims{NX: 5, NY: 4, NZ: 3}
	b := &box{Dims: d, full: d, origin: geom.V(-1, 0, -1), h: 0.4}
	l, eye := look.Lobes{G: 0.6, Back: -0.3, Share: 0.2}, geom.V(2, 1.3, -0.7)
	g := newGaze(b, l, eye, grid.NewCrew(2))
	for i := range d.Len() {
		to := eye.Sub(b.middle(i)).Unit()
		var want [len(ways)]float64
		sum, mean := 0.0, 0.0
		for n := range ways {
			want[n] = l.At(-ways[n].unit().Dot(to))
			sum += want[n] * float64(ways[n].share)
		}
		for n := range ways {
			got := float64(g[n*d.Len()+i])
			mean += got * float64(ways[n].share)
			if math.Abs(got-want[n]/sum) > 0.004*want[n]/sum {
				t.Errorf("cell %d, way %d: %g, want %g", i, n, got, want[n]/sum)
			}
		}
		if math.Abs(mean-1) > 1e-5 {
			t.Errorf("cell %d: %g in the mean", i, mean)
		}
	}
}
