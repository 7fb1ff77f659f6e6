package geom

// Where a way goes through a shape's surface, however thin the shape is: what the
// distance at either end doesn't tell.

import "math"

// Meets is the first place on the way from a to b where it comes into a primitive, or
// through a triangle of a mesh (from either side): as a share of the way, with the
// direction of the surface there that looks against it. A way that begins inside
// meets nothing. No primitive thicker than twice fine is missed, m.
func (s *Shape) Meets(a, b Vec3, fine float64) (t float64, normal Vec3, ok bool) {
	way := b.Sub(a)
	length := way.Len()
	if length == 0 {
		return 0, Vec3{}, false
	}
	if s.Form == Imported {
		return s.meetsMesh(a, way)
	}
	p, dir := s.Local(a), s.Turn.Back(way.Mul(1/length))
	sign := 1.0
	if s.Hollow {
		sign = -1
	}
	at := func(t float64) float64 { return sign * s.local(p.Add(dir.Mul(t))) }
	d := at(0)
	if d < 0 || d > length {
		return 0, Vec3{}, false
	}
	// Distances are bounds: a step of d never goes through. Close to the surface it is
	// fine, which sees what is as thin as that.
	for t, last := 0.0, 0.0; t < length; last = t {
		t = min(t+max(d, fine), length)
		if d = at(t); d >= 0 {
			continue
		}
		for range 28 {
			if mid := (last + t) / 2; at(mid) < 0 {
				t = mid
			} else {
				last = mid
			}
		}
		n := s.Normal(a.Add(way.Mul(last / length)))
		if n.Dot(way) > 0 { // at an edge the slope may look along
			n = way.Mul(-1 / length)
		}
		return last / length, n, true
	}
	return 0, Vec3{}, false
}

// meetsMesh is Meets of a mesh: by its triangles, so that open sheets count too.
func (s *Shape) meetsMesh(a, way Vec3) (t float64, normal Vec3, ok bool) {
	if s.Body == nil {
		return 0, Vec3{}, false
	}
	tree := s.Body.Tree()
	hit := tree.Short(s.Local(a), s.Turn.Back(way), 1)
	if hit.Tri < 0 {
		return 0, Vec3{}, false
	}
	p, q, r := s.Body.Mesh.Corners(hit.Tri)
	n := s.Turn.Apply(q.Sub(p).Cross(r.Sub(p)).Unit())
	if n.Dot(way) > 0 {
		n = n.Mul(-1)
	}
	return hit.T, n, true
}

// Beside reports that a way can't go through a primitive, as far as the distances and the
// slopes at its ends tell, for ways that are short against how it bends: quick where
// ways run along a surface. Of meshes it tells nothing.
func (s *Shape) Beside(a, b Vec3) bool {
	if s.Form == Imported {
		return s.Body == nil
	}
	da, db := s.Distance(a), s.Distance(b)
	way := b.Sub(a)
	if da < 0 || db < 0 {
		return false
	}
	if da+db > way.Len() {
		return true
	}
	// each end lies before the plane through the other's nearest place on the surface
	na := s.Normal(a)
	if way.Dot(na)+da <= 0 {
		return false
	}
	return s.Normal(b).Dot(way.Mul(-1))+db > 0
}

// Carried is where a point that moves with a body comes to: p beside it where it was, to
// beside it where it is.
func Carried(before, now *Shape, p Vec3) Vec3 {
	if *before == *now {
		return p
	}
	q := before.Local(p)
	if now.Body != before.Body && now.Body != nil && now.Body.SameFaces(before.Body) {
		was, is := before.Body.Came(now.Body, q)
		q = q.Add(is.Sub(was))
	}
	return now.Turn.Apply(q).Add(now.Centre)
}

// Fine is how closely a way is to be looked at so that Meets sees a primitive: a third of
// its thickness, at most most.
func (s *Shape) Fine(most float64) float64 {
	if s.Form == Imported || s.Hollow {
		return most
	}
	return math.Max(math.Min(s.Thinnest()/3, most), 1e-7)
}
