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
