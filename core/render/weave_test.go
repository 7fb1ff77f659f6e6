package render

import (
	"math"
	"testing"

	"zarf/core/geom"
	"zarf/core/grid"
	"zarf/core/look"
)

// The factor is that of Oren and Nayar's angles, the same for light and eye changed over, never makes
// more light than comes, and is 1 for a matt surface.
func TestWeave(t *testing.T) {
	dir := func(theta, phi float64) geom.Vec3 {
		return geom.V(math.Sin(theta)*math.Cos(phi), math.Cos(theta), math.Sin(theta)*math.Sin(phi))
	}
	n := geom.V(0, 1, 0)
	for _, sigma := range []float64{0.2, 0.5, 1} {
		s := sigma * sigma
		a, b := 1-0.5*s/(s+0.33), 0.45*s/(s+0.09)
		for _, c := range [][3]float64{{0.3, 1.1, 0.4}, {1.2, 0.5, 2.9}, {0, 0.7, 0}, {1.4, 1.4, 0}} {
			in, out := dir(c[0], 0), dir(c[1], c[2])
			alpha, beta := max(c[0], c[1]), min(c[0], c[1])
			want := a + b*max(0, math.Cos(c[2]))*math.Sin(alpha)*math.Tan(beta)
			w := weaveOf(&hit{weave: sigma, normal: n, away: out})
			back := weaveOf(&hit{weave: sigma, normal: n, away: in})
			if got, same := w.of(in), back.of(out); math.Abs(got-want) > 1e-12 || math.Abs(got-same) > 1e-12 {
				t.Errorf("σ %g, angles %v: %g and %g, not %g", sigma, c, got, same, want)
			}
		}
		// all that comes back from light at 40°, over the half-sphere
		sum := 0.0
		const steps = 90
		for i := range steps {
			for j := range 2 * steps {
				th, ph := (float64(i)+0.5)/steps*math.Pi/2, (float64(j)+0.5)/steps*math.Pi
				w := weaveOf(&hit{weave: sigma, normal: n, away: dir(th, ph)})
				sum += w.of(dir(0.7, 0)) * math.Cos(th) * math.Sin(th) * (math.Pi / 2 / steps) * (math.Pi / steps) / math.Pi
			}
		}
		if sum > 1 || sum < 0.6 {
			t.Errorf("σ %g throws back %.3f of the light", sigma, sum)
		}
	}
	if w := weaveOf(&hit{normal: n}); w.of(dir(0.3, 0)) != 1 || w.all() != 1 {
		t.Error("a matt surface isn't")
	}
}

// Both methods draw it: with the sun behind the eye, aslant, rough cloth is brighter by the same factor.
func TestWeaveInPictures(t *testing.T) {
	seen := func(method string, rough float64) float64 {
		m := &geom.Mesh{P: []geom.Vec3{{X: -2, Y: -2, Z: 2}, {X: 2, Y: -2, Z: -2}, {X: 2, Y: 2, Z: -2}, {X: -2, Y: 2, Z: 2}}, Tri: [][3]int32{{0, 1, 2}, {0, 2, 3}}}
		d := &Draped{Mesh: m, Thick: 0.01, Weave: rough}
		solid, _ := d.Solid(0, look.RGB{0.5, 0.5, 0.5}, false)
		l := look.Look{Method: method, Bounces: 1, Step: 1, Even: true, Background: "sky", Sun: look.RGB{3, 3, 3}, SunDir: geom.V(0, 0, 1)}
		p, err := New(&Scene{Look: l, Camera: NewCamera(geom.V(0, 0, 8), geom.V(0, 0, 0), 100), Solids: []Solid{solid}}, 16, 16, grid.NewCrew(1))
		if err != nil {
			t.Fatal(err)
		}
		for range 60 {
			p.Pass(nil)
			if method == "march" {
				break
			}
		}
		c, _ := p.At(8, 8)
		return c[1]
	}
	const s = 0.25
	want := 1 - 0.5*s/(s+0.33) + 0.45*s/(s+0.09)*0.5/math.Sqrt(0.5)
	for _, method := range []string{"march", "path"} {
		if got := seen(method, 0.5) / seen(method, 0); math.Abs(got/want-1) > 0.03 {
			t.Errorf("%s: rough cloth is %.3f times as bright as matt cloth, not %.3f", method, got, want)
		}
	}
}
