package liquid

import (
	"math"
	"testing"

	"zarf/core/geom"
	"zarf/core/grid"
	"zarf/core/sim"
)

// risen follows a bubble of air of a radius in voxels through a tank: its middle and its volume
// over time.
func risen(t *testing.T, r float64, keep bool, frames int, h float64) (at, volume []float64) {
	t.Helper()
	n := int(8 * r)
	s, err := New(Box{Dims: grid.Dims{NX: n, NY: n * 7 / 4, NZ: n}, H: h}, grid.NewCrew(2))
	if err != nil {
		t.Fatal(err)
	}
	mid := geom.V(float64(n)/2, 2*r, float64(n)/2)
	top := float64(s.NY) - 3
	var p []Particle
	for q := range 2 * n * 2 * s.NY * 2 * n {
		x := geom.V(0.25+0.5*float64(q%(2*n)), 0.25+0.5*float64(q/(2*n)%(2*s.NY)), 0.25+0.5*float64(q/(4*n*s.NY)))
		if x.Y < top && x.Sub(mid).Len() > r {
			p = append(p, Particle{X: [3]float32{float32(x.X), float32(x.Y), float32(x.Z)}})
		}
	}
	s.Resume(p, nil, nil, s.Emitted())
	in := Inputs{Physics: Physics{Gravity: 9.81, Density: 1000, Smooth: 0.05, Tolerance: 1e-3, MaxIterations: 300, Bubbles: keep}}
	for range frames {
		if _, err := s.Frame(1.0/48, sim.Substeps{CFL: 1, Min: 1, Max: 8}, func(_, _ float64) Inputs { return in }, nil); err != nil {
			t.Fatal(err)
		}
		phi := s.Surface()
		var v, y float64
		for k := range s.NZ {
			for j := range s.NY - 8 {
				for i := range s.NX {
					w := min(max(0.5+float64(phi.At(i, j, k)), 0), 1)
					if w > 0.3 {
						v, y = v+w, y+w*(float64(j)+0.5)
					}
				}
			}
		}
		at, volume = append(at, y/max(v, 1e-9)*h), append(volume, v*h*h*h)
	}
	return at, volume
}

// TestBubblesKeepTheirVolume, or are gone at once, where air may be closed in.
func TestBubblesKeepTheirVolume(t *testing.T) {
	const r, h = 4, 0.025
	want := 4 * math.Pi / 3 * math.Pow(r*h, 3)
	at, kept := risen(t, r, true, 7, h)
	if v := kept[len(kept)-1]; math.Abs(v/want-1) > 0.12 {
		t.Errorf("after %d 48ths of a second the bubble has %.5f m³ of %.5f", len(kept), v, want)
	}
	if up := at[len(at)-1] - at[0]; up < 0.04 {
		t.Errorf("it has risen by %.3f m", up)
	}
	_, lost := risen(t, r, false, 7, h)
	if v := lost[len(lost)-1]; v > 0.1*want {
		t.Errorf("air without weight or volume still has %.5f m³ of %.5f", v, want)
	}
}
