package geom

import "math"

// Convex reports that Span knows the shape.
func (s *Shape) Convex() bool {
	if s.Hollow {
		return false
	}
	switch s.Form {
	case Sphere:
		return s.Size.X == s.Size.Y && s.Size.Y == s.Size.Z
	case Cylinder:
		return s.Size.X == s.Size.Z
	case Block, Plane:
		return true
	}
	return false
}

// Span is where a ray from o along the unit vector d is within a convex shape, from t0 to
// t1; not ok where it never is.
func (s *Shape) Span(o, d Vec3) (t0, t1 float64, ok bool) {
	q, e, h := s.Local(o), s.Turn.Back(d), s.Size.Mul(0.5)
	switch s.Form {
	case Sphere:
		return between(1, q.Dot(e), q.Dot(q)-h.X*h.X)
	case Cylinder:
		// x² + z² = r(y)², r a line
		bottom, top := s.radii(h)
		k := (top - bottom) / (2 * h.Y)
		r := (top+bottom)/2 + k*q.Y
		if t0, t1, ok = cone(e.X*e.X+e.Z*e.Z-k*k*e.Y*e.Y, q.X*e.X+q.Z*e.Z-k*e.Y*r, q.X*q.X+q.Z*q.Z-r*r, k*e.Y); !ok {
			return 0, 0, false
		}
		a, b := within(q.Y, e.Y, h.Y)
		t0, t1 = max(t0, a), min(t1, b)
	default:
		t0, t1 = within(q.X, e.X, h.X)
		a, b := within(q.Y, e.Y, h.Y)
		t0, t1 = max(t0, a), min(t1, b)
		a, b = within(q.Z, e.Z, h.Z)
		t0, t1 = max(t0, a), min(t1, b)
	}
	return t0, t1, t0 <= t1
}

// between are the roots of a t² + 2 b t + c; all is below 0 where it doesn't change.
func between(a, b, c float64) (t0, t1 float64, ok bool) {
	if a < 1e-18 {
		return math.Inf(-1), math.Inf(1), c <= 0
	}
	w := b*b - a*c
	if w < 0 {
		return 0, 0, false
	}
	w = math.Sqrt(w)
	return (-b - w) / a, (-b + w) / a, true
}

// cone is where a t² + 2 b t + c is below 0 and a radius, which grows by slope with t,
// above: between the roots, or on from one of them where the ray is steeper than the cone.
func cone(a, b, c, slope float64) (t0, t1 float64, ok bool) {
	if a > 1e-12 {
		return between(a, b, c)
	}
	if a > -1e-12 { // along the cone's side, or down a cylinder's axis
		if math.Abs(b) < 1e-12 {
			return math.Inf(-1), math.Inf(1), c <= 0
		}
		if at := -c / (2 * b); b < 0 {
			return at, math.Inf(1), true
		} else {
			return math.Inf(-1), at, true
		}
	}
	w := b*b - a*c
	if w < 0 {
		return math.Inf(-1), math.Inf(1), true
	}
	w = math.Sqrt(w)
	if slope > 0 {
		return (-b - w) / a, math.Inf(1), true
	}
	return math.Inf(-1), (-b + w) / a, true
}

// within is where q + t·e lies between −h and h.
func within(q, e, h float64) (t0, t1 float64) {
	if e == 0 {
		if math.Abs(q) > h {
			return math.Inf(1), math.Inf(-1)
		}
		return math.Inf(-1), math.Inf(1)
	}
	inv := 1 / e
	t0, t1 = (-h-q)*inv, (h-q)*inv
	if t0 > t1 {
		return t1, t0
	}
	return t0, t1
}
