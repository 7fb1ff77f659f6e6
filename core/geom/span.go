package geom

import "math"

// Spanned reports that Spans knows the shape: what is convex, and round tubes.
func (s *Shape) Spanned() bool {
	if s.Hollow {
		return false
	}
	switch s.Form {
	case Sphere:
		return s.Size.X == s.Size.Y && s.Size.Y == s.Size.Z
	case Cylinder:
		return s.Size.X == s.Size.Z
	case Tube:
		bottom, top := s.radii(s.Size.Mul(0.5))
		return s.Size.X == s.Size.Z && s.Wall > 0 && s.Wall < min(bottom, top)
	case Block, Plane:
		return true
	}
	return false
}

// Spans are where a ray from o along the unit vector d is within a shape, from and to: n
// stretches, one after the other.
func (s *Shape) Spans(o, d Vec3) (list [2][2]float64, n int) {
	q, e, h := s.Local(o), s.Turn.Back(d), s.Size.Mul(0.5)
	var t0, t1 float64
	ok := true
	switch s.Form {
	case Sphere:
		t0, t1, ok = between(1, q.Dot(e), q.Dot(q)-h.X*h.X)
	case Cylinder, Tube:
		bottom, top := s.radii(h)
		if t0, t1, ok = capped(q, e, h.Y, bottom, top); !ok || s.Form == Cylinder {
			break
		}
		// less what is within
		a, b, open := capped(q, e, h.Y, bottom-s.Wall, top-s.Wall)
		if !open || b <= t0 || a >= t1 {
			break
		}
		if a > t0 {
			list[n], n = [2]float64{t0, a}, n+1
		}
		if b < t1 {
			list[n], n = [2]float64{b, t1}, n+1
		}
		return list, n
	default:
		t0, t1 = within(q.X, e.X, h.X)
		a, b := within(q.Y, e.Y, h.Y)
		t0, t1 = max(t0, a), min(t1, b)
		a, b = within(q.Z, e.Z, h.Z)
		t0, t1 = max(t0, a), min(t1, b)
	}
	if !ok || t0 > t1 {
		return list, 0
	}
	return [2][2]float64{{t0, t1}}, 1
}

// Facing is the outward direction of a shape that Spans knows at a place on its surface, by
// the nearest of its faces.
func (s *Shape) Facing(p Vec3) Vec3 {
	q, h := s.Local(p), s.Size.Mul(0.5)
	switch s.Form {
	case Sphere:
		return s.Turn.Apply(q.Unit())
	case Cylinder, Tube:
		bottom, top := s.radii(h)
		slope := (top - bottom) / (2 * h.Y)
		r := hypot(q.X, q.Z)
		out := r - ((top+bottom)/2 + slope*q.Y)
		cap := h.Y - math.Abs(q.Y)
		side := V(q.X/max(r, 1e-300), -slope, q.Z/max(r, 1e-300))
		near := math.Abs(out)
		if in := math.Abs(out + s.Wall); s.Form == Tube && in < near {
			near, side = in, side.Mul(-1)
		}
		if math.Abs(cap) < near {
			side = V(0, math.Copysign(1, q.Y), 0)
		}
		return s.Turn.Apply(side.Unit())
	}
	x, y, z := math.Abs(h.X-math.Abs(q.X)), math.Abs(h.Y-math.Abs(q.Y)), math.Abs(h.Z-math.Abs(q.Z))
	switch {
	case x <= y && x <= z:
		return s.Turn.Apply(V(math.Copysign(1, q.X), 0, 0))
	case y <= z:
		return s.Turn.Apply(V(0, math.Copysign(1, q.Y), 0))
	}
	return s.Turn.Apply(V(0, 0, math.Copysign(1, q.Z)))
}

// capped is where a ray is within a cone about the y axis of radii from −h to h: x² + z² =
// r(y)², r a line.
func capped(q, e Vec3, h, bottom, top float64) (t0, t1 float64, ok bool) {
	k := (top - bottom) / (2 * h)
	r := (top+bottom)/2 + k*q.Y
	if t0, t1, ok = cone(e.X*e.X+e.Z*e.Z-k*k*e.Y*e.Y, q.X*e.X+q.Z*e.Z-k*e.Y*r, q.X*q.X+q.Z*q.Z-r*r, k*e.Y); !ok {
		return 0, 0, false
	}
	a, b := within(q.Y, e.Y, h)
	t0, t1 = max(t0, a), min(t1, b)
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
