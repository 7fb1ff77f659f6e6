package render

import (
	"math"
	"testing"

	"zarf/core/geom"
	"zarf/core/grid"
	"zarf/core/look"
	"zarf/core/sea"
)

// water is a breezy sea seen from a low boat.
func water(t *testing.T, method string) *Scene {
	t.Helper()
	st := sea.State{Wind: 9, Bearing: 1, Fetch: 5e4, Depth: 40, Spread: 1, Choppy: 1, Height: 1, Longest: 240, Shortest: 0.1, Gravity: 9.81, Seed: 5}
	s, err := sea.New(st)
	if err != nil {
		t.Fatal(err)
	}
	l := look.Look{Method: method, Bounces: 4, Step: 1}
	l.Liquid.Index = 1.33
	return &Scene{Look: l, Camera: NewCamera(geom.V(0, 3, 20), geom.V(3, 0.5, 0), 30), Sea: &Sea{Surface: s.Surface(4, grid.NewCrew(2)), Deep: look.RGB{1, 1, 1}}}
}

// TestSeaIsLost: in an even light, as bright from the depths, nothing of the sea is seen: what is
// thrown back and what comes through add up to one, at all angles and roughnesses.
func TestSeaIsLost(t *testing.T) {
	for _, method := range []string{"march", "path"} {
		s := water(t, method)
		s.Look.Sky, s.Look.Even = look.RGB{1, 1, 1}, true
		s.Look.Background = "sky"
		p, err := New(s, 64, 40, grid.NewCrew(2))
		if err != nil {
			t.Fatal(err)
		}
		p.Pass(nil)
		for y := range 40 {
			for x := range 64 {
				if c, _ := p.At(x, y); math.Abs(c[1]-1) > 0.01 {
					t.Fatalf("%s: at %d, %d it is %.3f", method, x, y, c[1])
				}
			}
		}
	}
}

// TestGlintKeepsTheSunsLight: over all directions to the eye, the sun's image in rough water has
// Fresnel's share of the light that falls on it.
func TestGlintKeepsTheSunsLight(t *testing.T) {
	n := geom.V(0, 1, 0)
	for _, height := range []float64{40, 65, 88} {
		a := height * math.Pi / 180
		sun := geom.V(math.Cos(a), math.Sin(a), 0)
		var sum float64
		const steps = 500
		for i := range steps {
			for k := range 2 * steps {
				th, ph := (float64(i)+0.5)/steps*math.Pi/2, (float64(k)+0.5)/steps*math.Pi
				v := geom.V(math.Sin(th)*math.Cos(ph), math.Cos(th), math.Sin(th)*math.Sin(ph))
				sum += glint(n, v, sun, 0.02) * math.Cos(th) * math.Sin(th) * math.Pi / 2 / steps * math.Pi / steps
			}
		}
		f, _ := Fresnel(math.Sin(a), 1/1.33)
		if want := f * math.Sin(a); math.Abs(sum-want) > 0.08*want {
			t.Errorf("sun %g° high: %.4f of its light comes back, Fresnel's share is %.4f", height, sum, want)
		}
	}
}

// TestSeaEndsAtTheDomain: within a box the water is the box's, beside it the sea's.
func TestSeaEndsAtTheDomain(t *testing.T) {
	s := water(t, "march")
	phi := grid.NewField(grid.Dims{NX: 8, NY: 8, NZ: 8})
	for k := range 8 {
		for j := range 8 {
			row := phi.Row(j, k)
			for i := range row {
				row[i] = float32(j)*0.5 - 1.75 // the surface lies 0.5 m under the box's middle
			}
		}
	}
	l := NewLiquid(phi, 0.5, geom.V(-2, -2.25, -2), 1.5, 0.5, [3]*grid.Field{}, 0, geom.Vec3{}, 0)
	s.Liquids = []*Liquid{l}
	s.Sea.Surround(s.Liquids)
	if _, err := New(s, 32, 32, grid.NewCrew(1)); err != nil {
		t.Fatal(err)
	}
	tr := &trip{s: s}
	down := geom.V(0, -1, 0)
	if h, ok := s.trace(tr, geom.V(0.3, 5, 0.2), down, math.Inf(1), false); !ok || math.Abs(5-h.t-(-0.25)) > 0.02 {
		t.Errorf("in the domain water is met at %.3f m, not at −0.25", 5-h.t)
	}
	h, ok := s.trace(tr, geom.V(7, 5, 0.2), down, math.Inf(1), false)
	if want := s.Sea.chart.Load().Height(7, 0.2); !ok || math.Abs(5-h.t-want) > 0.01 {
		t.Errorf("beside it water is met at %.3f m, not at %.3f", 5-h.t, want)
	}
	for p, want := range map[geom.Vec3]medium{{X: 0, Y: -1, Z: 0}: inLiquid, {X: 0, Y: 0, Z: 0}: inAir, {X: 9, Y: -3, Z: 0}: inLiquid, {X: 9, Y: 3, Z: 0}: inAir} {
		if got := tr.medium(p); got != want {
			t.Errorf("at %v is medium %d, not %d", p, got, want)
		}
	}
	// the box's side is no surface: a ray from the sea's water goes on into the domain's
	if n := l.normal(geom.V(2, -0.25, 0), 0); math.Abs(n.Y-1) > 1e-3 {
		t.Errorf("at the domain's side the surface leans: %v", n)
	}
}
