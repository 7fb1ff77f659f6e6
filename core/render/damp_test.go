package render

import (
	"testing"

	"zarf/core/geom"
	"zarf/core/grid"
	"zarf/core/look"
)

// TestWetSolidsAreDarker where they are wet, in both methods, and mirror more at grazing angles.
func TestWetSolidsAreDarker(t *testing.T) {
	for _, method := range []string{"march", "path"} {
		wet := grid.NewField(grid.Dims{NX: 8, NY: 8, NZ: 8})
		for k := range 8 {
			for j := range 8 {
				row := wet.Row(j, k)
				for i := range 4 { // the left half
					row[i] = 1
				}
			}
		}
		l := look.Look{Method: method, Bounces: 2, Step: 1, Sky: look.RGB{1, 1, 1}, Even: true, Background: "sky"}
		l.Liquid.Index = 1.33
		s := &Scene{Look: l, Camera: NewCamera(geom.V(0, 0, 6), geom.V(0, 0, 0), 50), Damp: []Damp{{Wet: wet, H: 0.5, Low: geom.V(-2, -2, -2)}},
			Solids: []Solid{{Shape: geom.Shape{Form: geom.Block, Turn: geom.RotationXYZ(geom.Vec3{}), Size: geom.V(3, 3, 1), Taper: 1}, Colour: look.RGB{0.4, 0.4, 0.4}}}}
		p, err := New(s, 40, 40, grid.NewCrew(1))
		if err != nil {
			t.Fatal(err)
		}
		for range 200 {
			p.Pass(nil)
			if method == "march" {
				break
			}
		}
		mean := func(x0, x1 int) (sum float64) {
			for y := 14; y < 26; y++ {
				for x := x0; x < x1; x++ {
					c, _ := p.At(x, y)
					sum += c[1] / float64(12*(x1-x0))
				}
			}
			return sum
		}
		left, right := mean(12, 17), mean(23, 28)
		// 1 − 0.6 · (1 − 0.4) of its colour, under a film that throws back a fiftieth of the sky
		if want := right*0.64*0.98 + 0.02; left < want*0.95 || left > want*1.05 {
			t.Errorf("%s: wet %.3f, dry %.3f, not %.3f", method, left, right, want)
		}
	}
}

// Wet cloth is darker and mirrors, burnt cloth is nearly black; damp cloth has no film yet.
func TestWetAndBurntCloth(t *testing.T) {
	seen := func(method string, wet, burnt []float32) float64 {
		m := &geom.Mesh{P: []geom.Vec3{{X: -2, Y: -2}, {X: 2, Y: -2}, {X: 2, Y: 2}, {X: -2, Y: 2}}, Tri: [][3]int32{{0, 1, 2}, {0, 2, 3}}}
		d := &Draped{Mesh: m, Thick: 0.01, Wet: wet, Burnt: burnt}
		solid, ok := d.Solid(0, look.RGB{0.4, 0.4, 0.4}, false)
		if !ok {
			t.Fatal("there is no cloth")
		}
		l := look.Look{Method: method, Bounces: 2, Step: 1, Sky: look.RGB{1, 1, 1}, Even: true, Background: "sky"}
		l.Liquid.Index = 1.33
		p, err := New(&Scene{Look: l, Camera: NewCamera(geom.V(0, 0, 6), geom.V(0, 0, 0), 50), Solids: []Solid{solid}}, 16, 16, grid.NewCrew(1))
		if err != nil {
			t.Fatal(err)
		}
		for range 100 {
			p.Pass(nil)
			if method == "march" {
				break
			}
		}
		sum := 0.0
		for y := 5; y < 11; y++ {
			for x := 5; x < 11; x++ {
				c, _ := p.At(x, y)
				sum += c[1] / 36
			}
		}
		return sum
	}
	all := func(x float32) []float32 { return []float32{x, x, x, x} }
	for _, method := range []string{"march", "path"} {
		dry, wet, damp, burnt := seen(method, nil, nil), seen(method, all(1), nil), seen(method, all(0.5), nil), seen(method, nil, all(1))
		if want := dry*0.64*0.98 + 0.02; wet < want*0.95 || wet > want*1.05 {
			t.Errorf("%s: wet cloth is %.3f, not %.3f; dry it is %.3f", method, wet, want, dry)
		}
		if want := dry * 0.82; damp < want*0.96 || damp > want*1.04 {
			t.Errorf("%s: damp cloth is %.3f, not %.3f", method, damp, want)
		}
		if burnt > 0.1*dry || burnt <= 0 {
			t.Errorf("%s: burnt cloth is %.3f of %.3f", method, burnt, dry)
		}
	}
}
