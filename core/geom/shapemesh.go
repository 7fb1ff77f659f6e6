package geom

import "math"

// around is how many corners round shapes have in a mesh.
const around = 64

// Mesh is the shape as triangles in space; round forms are cut to facets, whose
// corners lie on the form. It is empty where an imported mesh isn't there.
func (s *Shape) Mesh() *Mesh {
	h := s.Size.Mul(0.5)
	var m *Mesh
	switch s.Form {
	case Block, Plane:
		m = BoxMesh(s.Size)
	case Sphere:
		m = BallMesh(1, around)
		for n := range m.P {
			m.P[n] = V(m.P[n].X*h.X, m.P[n].Y*h.Y, m.P[n].Z*h.Z)
		}
	case Cylinder:
		bottom, top := s.radii(h)
		m = LatheMesh([][2]float64{{0, -h.Y}, {bottom, -h.Y}, {top, h.Y}, {0, h.Y}}, around)
	case Tube:
		bottom, top := s.radii(h)
		in := func(r float64) float64 { return max(r-min(s.Wall, r), 1e-3*r) }
		m = LatheMesh([][2]float64{{in(bottom), -h.Y}, {bottom, -h.Y}, {top, h.Y}, {in(top), h.Y}, {in(bottom), -h.Y}}, around)
	case Torus:
		ring := max(h.X-h.Y, 0)
		var line [][2]float64
		for n := range around/2 + 1 {
			a := 2 * math.Pi * float64(n%(around/2)) / (around / 2)
			line = append(line, [2]float64{max(ring+h.Y*math.Cos(a), 0), h.Y * math.Sin(a)})
		}
		m = LatheMesh(line, around)
	case Imported:
		if s.Body == nil {
			return &Mesh{}
		}
		b := s.Body.Mesh
		m = &Mesh{P: append([]Vec3(nil), b.P...), Tri: b.Tri, Part: b.Part, Parts: b.Parts}
	default:
		return &Mesh{}
	}
	if s.Form != Imported && s.Form != Sphere && s.Form != Block && s.Form != Plane && h.X > 0 { // oval cross-sections
		for n := range m.P {
			m.P[n].Z *= h.Z / h.X
		}
	}
	for n, p := range m.P {
		m.P[n] = s.Turn.Apply(p).Add(s.Centre)
	}
	return m
}
