package geom

import (
	"math"
	"testing"
)

// The mesh of every form is closed, looks outwards, and has its corners where
// the form's own distance is 0.
func TestShapeMesh(t *testing.T) {
	turn := RotationXYZ(V(0.3, -0.7, 1.1))
	volume := map[Form]float64{
		Sphere: math.Pi / 6 * 2 * 1.2 * 2, Block: 2 * 1.2 * 2, Plane: 2 * 1.2 * 2,
		Cylinder: math.Pi * 1.2 * (1 + 0.6 + 0.36) / 3, Tube: math.Pi * 1.2 * ((1 + 0.6 + 0.36) - (0.81 + 0.45 + 0.25)) / 3, Torus: 2 * math.Pi * math.Pi * 0.7 * 0.09,
	}
	for form, want := range volume {
		s := Shape{Form: form, Centre: V(1, 2, 3), Turn: turn, Size: V(2, 1.2, 2), Taper: 0.6, Wall: 0.1}
		if form == Torus {
			s.Size.Y = 0.6
		}
		m := s.Mesh()
		if n := m.OpenEdges(); n != 0 {
			t.Errorf("%s: %d open edges", form, n)
		}
		if v := m.Volume(); math.Abs(v/want-1) > 0.02 {
			t.Errorf("%s: holds %.3f m³, %.3f expected", form, v, want)
		}
		for _, p := range m.P {
			if d := s.Distance(p); math.Abs(d) > 2e-3 {
				t.Errorf("%s: a corner lies %.4f m off", form, d)
				break
			}
		}
	}
	if m := (&Shape{Form: Imported}).Mesh(); len(m.P) != 0 {
		t.Error("nothing has a mesh")
	}
}
