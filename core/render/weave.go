package render

import "zarf/core/geom"

// weave is the light that rough threads throw back, by what a smooth matt surface does: the model of
// V-shaped cavities of Oren and Nayar (1994, the qualitative one, eq. 30), whose slopes differ by sigma,
// rad. It is flatter than a matt surface under light from the eye's side, and has no dark rim. At 0 it is
// a matt surface.
type weave struct {
	n, eye geom.Vec3 // both away from the surface
	a, b   float64
}

// weaveOf is that of a hit.
func weaveOf(h *hit) (w weave) {
	if h.weave <= 0 {
		return w
	}
	s := h.weave * h.weave
	return weave{h.normal, h.away, 1 - 0.5*s/(s+0.33), 0.45 * s / (s + 0.09)}
}

// of is the factor for light from a direction.
func (w *weave) of(dir geom.Vec3) float64 {
	if w.a == 0 {
		return 1
	}
	in, out := w.n.Dot(dir), w.n.Dot(w.eye)
	if in <= 0 || out <= 0 {
		return w.a
	}
	// sin α tan β cos(φ − φ′), as the product of both sines is |dir × n| |eye × n|
	return w.a + w.b*max(0, dir.Dot(w.eye)-in*out)/max(in, out)
}

// all is the factor for light from all round.
func (w *weave) all() float64 {
	if w.a == 0 {
		return 1
	}
	return w.a
}
