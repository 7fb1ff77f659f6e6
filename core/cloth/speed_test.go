package cloth

import (
	"testing"

	"zarf/core/geom"
	"zarf/core/grid"
)

// falling is a sheet of 100 by 100 vertices that has swung for a fifth of a second, within a step.
func falling(b *testing.B) (*System, *World) {
	const n = 100
	crew := grid.NewCrew(2)
	f := Fabric{Mass: 0.4, Warp: 2e4, Weft: 2e4, Shear: 5e3, BendWarp: 1e-3, BendWeft: 1e-3, Damping: 2e-3, Thickness: 1e-3, Friction: 0.4, Drag: 1.2}
	s, err := New([]Sheet{{ID: "sheet", Mesh: Rectangle(1, 1, n, n), Warp: geom.V(1, 0, 0), Fabric: f, Flat: true}}, crew)
	if err != nil {
		b.Fatal(err)
	}
	var x []geom.Vec3
	for _, p := range s.X {
		x = append(x, geom.V(p.X, 0, p.Y))
	}
	s.Place(x)
	s.Pin(0, s.X[0])
	s.Pin(n-1, s.X[n-1])
	w := &World{Gravity: geom.V(0, -9.81, 0), Air: func(geom.Vec3) (geom.Vec3, float64) { return geom.Vec3{}, 1.2 }}
	for range 20 {
		s.Step(1.0/96, w)
	}
	s.begin(1.0/96, 0, w)
	s.imbalance(w, s.h, 2e-3)
	return s, w
}

// What a step of 10,000 vertices is made of: the matrix, its factor, a solve with that, and what
// touches what.
func BenchmarkStep(b *testing.B) {
	s, w := falling(b)
	by := s.h * (s.h + 2e-3)
	s.m.direct.prepare(s.m, by, s.pinned, s.crew)
	for _, c := range []struct {
		name string
		fn   func()
	}{
		{"matrix", func() { s.imbalance(w, s.h, 2e-3) }},
		{"fill and factor", func() { s.m.direct.prepare(s.m, by, s.pinned, s.crew) }},
		{"factor", func() { s.m.direct.f.Make(s.crew) }},
		{"solve", func() { s.m.direct.soften(s.m, s.force, s.delta, s.crew) }},
		{"product", func() { s.m.times(s.force, s.delta, by, s.crew) }},
		{"near", func() { s.near(1e-3) }},
	} {
		b.Run(c.name, func(b *testing.B) {
			for range b.N {
				c.fn()
			}
		})
	}
}
