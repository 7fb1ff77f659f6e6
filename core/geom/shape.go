package geom

// Primitives by their signed distance. Where an exact distance has no closed form
// (oval sections, ellipsoids) a lower bound is given: surfaces are where they should
// be, and tracing never steps through them.

import "math"

// Form is the kind of a primitive.
type Form string

// The primitives.
const (
	Sphere   Form = "sphere"
	Block    Form = "box"
	Cylinder Form = "cylinder"
	Tube     Form = "tube"
	Torus    Form = "torus"
	Plane    Form = "plane"
	Imported Form = "mesh"
)

// Shape is a primitive placed in space. Size is its bounding box before
// rotation, in metres. Cylinders and tubes stand along y; Taper is the
// diameter at the top over that at the bottom; Wall is a tube's wall
// thickness. The torus lies in the xz plane, its tube Size.Y thick. A plane is
// a plate of Size.X by Size.Z, Size.Y thick.
type Shape struct {
	Form   Form
	Centre Vec3
	Turn   Mat3
	Size   Vec3
	Taper  float64
	Wall   float64
	Hollow bool  // inside out: solid is what lies outside
	Body   *Body // of imported meshes, in metres about Centre; nil: nothing is there
}

// Local takes a point into the shape's own axes.
func (s *Shape) Local(p Vec3) Vec3 { return s.Turn.Back(p.Sub(s.Centre)) }

// Distance is the signed distance of p, metres, negative inside.
func (s *Shape) Distance(p Vec3) float64 {
	d := s.local(s.Local(p))
	if s.Hollow {
		return -d
	}
	return d
}

// local is the distance in the shape's own space.
func (s *Shape) local(q Vec3) float64 {
	h := s.Size.Mul(0.5)
	switch s.Form {
	case Sphere:
		if h.X == h.Y && h.Y == h.Z {
			return q.Len() - h.X
		}
		// Quilez's bound for ellipsoids, kept to a lower bound by the shortest axis
		// exact on the surface and along the axes, and close to it in between
		k0 := V(q.X/h.X, q.Y/h.Y, q.Z/h.Z).Len()
		k1 := V(q.X/(h.X*h.X), q.Y/(h.Y*h.Y), q.Z/(h.Z*h.Z)).Len()
		if k1 == 0 {
			return -h.MinComponent()
		}
		return k0 * (k0 - 1) / k1
	case Block, Plane:
		// outside: the corner's distance; inside: the nearest face's
		d := q.Abs().Sub(h)
		return d.Max(Vec3{}).Len() + min(d.MaxComponent(), 0)
	case Cylinder:
		return s.cylinder(q, h)
	case Tube:
		return s.tube(q, h)
	case Torus:
		tube := h.Y
		ring := max(h.X-tube, 0)
		// dividing by the stretch keeps it a lower bound: tracing may step short,
		// never far
		stretch := h.X / h.Z // an oval ring is measured in the frame of its x axis
		r := hypot(q.X, q.Z*stretch) - ring
		return (hypot(r, q.Y) - tube) / max(1, stretch)
	case Imported:
		if s.Body != nil {
			return s.Body.Distance(q)
		}
	}
	return math.Inf(1)
}

// radial is the distance from the axis measured against the x radius, and the
// factor that makes a bound of it for oval cross-sections.
func radial(q, h Vec3) (r, bound float64) {
	if h.X == h.Z {
		return hypot(q.X, q.Z), 1
	}
	stretch := h.X / h.Z
	return hypot(q.X, q.Z*stretch), 1 / max(1, stretch)
}

// cylinder is a capped cone (Taper 1: a cylinder).
func (s *Shape) cylinder(q, h Vec3) float64 {
	r, bound := radial(q, h)
	if s.Taper == 1 {
		dx, dy := r-h.X, math.Abs(q.Y)-h.Y
		return (hypot(max(dx, 0), max(dy, 0)) + min(max(dx, dy), 0)) * bound
	}
	top, bottom := min(1, s.Taper)*h.X, h.X
	if s.Taper > 1 {
		bottom, top = h.X/s.Taper, h.X
	}
	// distance to the cap's disc and to the slanted side; the smaller, signed
	cap := bottom
	if q.Y >= 0 {
		cap = top
	}
	ax, ay := r-min(r, cap), math.Abs(q.Y)-h.Y
	kx, ky := top-bottom, 2*h.Y
	t := min(max(((top-r)*kx+(h.Y-q.Y)*ky)/(kx*kx+ky*ky), 0), 1)
	bx, by := r-top+kx*t, q.Y-h.Y+ky*t
	d := math.Sqrt(min(ax*ax+ay*ay, bx*bx+by*by))
	if bx < 0 && ay < 0 {
		d = -d
	}
	return d * bound
}

// radii are the outer radii at the bottom and the top.
func (s *Shape) radii(h Vec3) (bottom, top float64) {
	if s.Taper > 1 {
		return h.X / s.Taper, h.X
	}
	return h.X, h.X * s.Taper
}

// tube is open at both ends.
func (s *Shape) tube(q, h Vec3) float64 {
	r, bound := radial(q, h)
	bottom, top := s.radii(h)
	t := min(max(q.Y/(2*h.Y)+0.5, 0), 1)
	outer := bottom + (top-bottom)*t
	wall := min(s.Wall, outer) / 2
	slope := (top - bottom) / (2 * h.Y)
	cos := 1 / math.Sqrt(1+slope*slope)
	// the wall's half thickness, leaning with the taper
	dx := (math.Abs(r-(outer-wall)) - wall) * cos
	dy := math.Abs(q.Y) - h.Y
	return (hypot(max(dx, 0), max(dy, 0)) + min(max(dx, dy), 0)) * bound
}

// Normal is the outward direction at p, by central differences of 1/1000 of
// the size.
func (s *Shape) Normal(p Vec3) Vec3 {
	// wide enough that rounding doesn't show, narrow enough for the smallest feature
	e := s.Size.MinComponent() * 1e-3
	if s.Body != nil {
		e = s.Body.H / 2
	}
	q := s.Local(p)
	g := V(
		s.local(q.Add(V(e, 0, 0)))-s.local(q.Sub(V(e, 0, 0))),
		s.local(q.Add(V(0, e, 0)))-s.local(q.Sub(V(0, e, 0))),
		s.local(q.Add(V(0, 0, e)))-s.local(q.Sub(V(0, 0, e))),
	)
	if s.Hollow {
		g = g.Mul(-1)
	}
	return s.Turn.Apply(g.Unit())
}

// Axis is the direction of the shape's own y axis.
func (s *Shape) Axis() Vec3 { return s.Turn.Apply(V(0, 1, 0)) }

// Bounds is the box round the shape.
func (s *Shape) Bounds() Box {
	if s.Hollow { // solid everywhere but within
		return Box{V(-1e6, -1e6, -1e6), V(1e6, 1e6, 1e6)}
	}
	h, mid := s.Size.Mul(0.5), s.Centre
	if s.Form == Imported {
		if s.Body == nil {
			return Box{s.Centre, s.Centre}
		}
		h = s.Body.Box.Size().Mul(0.5)
		mid = s.Turn.Apply(s.Body.Box.Centre()).Add(s.Centre)
	}
	// the box of a turned box: absolute entries of the rotation
	e := V(
		math.Abs(s.Turn[0].X)*h.X+math.Abs(s.Turn[0].Y)*h.Y+math.Abs(s.Turn[0].Z)*h.Z,
		math.Abs(s.Turn[1].X)*h.X+math.Abs(s.Turn[1].Y)*h.Y+math.Abs(s.Turn[1].Z)*h.Z,
		math.Abs(s.Turn[2].X)*h.X+math.Abs(s.Turn[2].Y)*h.Y+math.Abs(s.Turn[2].Z)*h.Z,
	)
	return Box{mid.Sub(e), mid.Add(e)}
}

// Thinnest is the least thickness of material, for checks against the voxel;
// an open mesh has none and counts as thick.
func (s *Shape) Thinnest() float64 {
	if s.Hollow {
		return s.Size.MaxComponent()
	}
	if s.Form == Imported {
		if s.Body == nil || s.Body.Open > 0 {
			return s.Size.MaxComponent()
		}
		return s.Body.Thin()
	}
	if s.Form == Tube {
		return min(s.Wall, s.Size.MinComponent())
	}
	return s.Size.MinComponent()
}

// hypot is the length of two sides of a right angle. Shapes are metres large: the
// library's care for what overflows takes a sixth of the time to trace them.
func hypot(x, y float64) float64 { return math.Sqrt(x*x + y*y) }
