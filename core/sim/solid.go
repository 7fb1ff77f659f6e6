package sim

import (
	"math"

	"zarf/core/geom"
)

// Contact says what particles do that meet a solid.
type Contact struct {
	Bounce   float64 // share of the speed against the surface that is left
	Friction float64 // Coulomb's coefficient
	Sticks   bool    // they stay where they are, and move with the solid
	Dies     bool
}

// Solid is a collider with what is asked of it for every particle.
type Solid struct {
	Collider
	box   geom.Box      // where it is at the end of the step
	Swept geom.Box      // and all that it went through
	Small [2][3]float32 // the same, with a gap
	Moves bool
}

// NewSolids prepares colliders.
func NewSolids(list []Collider) []Solid {
	out := make([]Solid, len(list))
	for i, c := range list {
		s := &out[i]
		*s = Solid{Collider: c, box: c.Shape.Bounds(), Moves: c.Shape != c.Before}
		if c.Shape.Hollow {
			inf := math.Inf(1)
			s.box = geom.Box{Min: geom.V(-inf, -inf, -inf), Max: geom.V(inf, inf, inf)}
		}
		s.Swept = s.box
		if s.Moves {
			// as it turns it bulges a little beyond where it stands at either end
			was := c.Before.Bounds()
			s.Swept = geom.Box{Min: s.box.Min.Min(was.Min), Max: s.box.Max.Max(was.Max)}.Grow(0.1 * c.Shape.Size.MaxComponent())
		}
		for k := range 3 {
			s.Small[0][k] = float32(s.Swept.Min.Array()[k]) - Gap
			s.Small[1][k] = float32(s.Swept.Max.Array()[k]) + Gap
		}
	}
	return out
}

// Seen is where a place of the step's moment f, from 0 to 1, lies as the solid sees it:
// in the frame in which it stands where it ends.
func (s *Solid) Seen(p geom.Vec3, f float64) geom.Vec3 {
	if !s.Moves {
		return p
	}
	was := s.Shape.Turn.Apply(s.Before.Local(p)).Add(s.Shape.Centre)
	return was.Mul(1 - f).Add(p.Mul(f))
}

// Found is where a way meets a solid: how far along, the normal towards the particle, and
// the place, as the solid sees it.
type Found struct {
	T      float64
	Of     *Solid
	Normal geom.Vec3
	At     geom.Vec3
}

// Gap is what is left between a particle and what it has met, m: more than float32 rounds
// by within half a kilometre.
const Gap = 5e-5

// Meets finds where a ball of radius r meets the solid on its way, as that is seen, from a to b.
func (s *Solid) Meets(a, b geom.Vec3, r float64) (t float64, n geom.Vec3, hit bool) {
	way := geom.Box{Min: a.Min(b), Max: a.Max(b)}
	if !way.Grow(r + Gap).Overlaps(s.box) {
		return 0, n, false
	}
	d := b.Sub(a)
	long := d.Len()
	if s.Shape.Body != nil {
		return s.meetsMesh(a, d, long, r)
	}
	// Distances are bounds, so steps of them never lead through (sphere tracing, Hart 1996).
	// A way that grazes takes short ones: it counts as met in the end.
	for at, n := 0.0, 0; ; n++ {
		p := a
		if long > 0 {
			p = a.Add(d.Mul(at / long))
		}
		away := s.Shape.Distance(p) - r
		if away < Gap/2 || n == mostSteps {
			normal := s.Shape.Normal(p)
			if away > -Gap && d.Dot(normal) >= 0 {
				return 0, normal, false // on its way off
			}
			return at / max(long, 1e-300), normal, true
		}
		if at += away; at >= long {
			return 0, geom.Vec3{}, false
		}
	}
}

// mostSteps bounds how many steps of distance are taken along a way.
const mostSteps = 128

// meetsMesh is Meets for a mesh: a ray against its triangles.
func (s *Solid) meetsMesh(a, d geom.Vec3, long, r float64) (t float64, n geom.Vec3, hit bool) {
	if long == 0 {
		return 0, n, false
	}
	o, dir := s.Shape.Local(a), s.Shape.Turn.Back(d.Mul(1/long))
	reach := long + r
	if !s.Shape.Body.Box.Grow(reach).Contains(geom.Box{Min: o, Max: o}) {
		return 0, n, false
	}
	// the lattice of distances tells most that they are far off
	// distances along a way differ by no more than its length; the lattice is at most
	// 0.87 of its spacing off
	if b := s.Shape.Body; stays(b, o, dir, 0, long, b.Distance(o), b.Distance(o.Add(dir.Mul(long))), r+Gap+0.87*b.H, 2) {
		return 0, n, false
	}
	h, normal := s.Shape.Body.Short(o, dir, reach+Gap)
	if h.Tri < 0 {
		return 0, n, false
	}
	cos := normal.Dot(dir)
	if cos > 0 {
		normal, cos = normal.Mul(-1), -cos
	}
	// the ball's middle stops r before the surface
	stop := h.T - (r+Gap)/max(-cos, 0.05)
	if stop > long {
		return 0, n, false
	}
	return max(stop, 0) / long, s.Shape.Turn.Apply(normal), true
}

// stays tells that a way from o along dir, from and to so far along it where the distances to
// a body are a and b, stays farther off it than least. Where that isn't told by its ends, it
// is halved so many times.
func stays(body *geom.Body, o, dir geom.Vec3, from, to, a, b, least float64, halve int) bool {
	if a*b <= 0 {
		return false
	}
	if a, b := math.Abs(a), math.Abs(b); (a+b-(to-from))/2 > least {
		return true
	} else if halve == 0 || min(a, b) <= least {
		return false
	}
	mid := (from + to) / 2
	m := body.Distance(o.Add(dir.Mul(mid)))
	return stays(body, o, dir, from, mid, a, m, least, halve-1) && stays(body, o, dir, mid, to, m, b, least, halve-1)
}

// First is what a ball meets first on its way from p, at the step's moment f, to where it
// would be at the end. What it met last it leaves from off, as that sees it.
func First(solids []Solid, p, end geom.Vec3, f, r float64, last *Solid, off geom.Vec3) (out Found, hit bool) {
	out.T = 2
	for i := range solids {
		s := &solids[i]
		a := off
		if s != last {
			a = s.Seen(p, f)
		}
		if t, n, ok := s.Meets(a, end, r); ok && t < out.T {
			out, hit = Found{t, s, n, a.Add(end.Sub(a).Mul(t))}, true
		}
	}
	return out, hit
}

// mostMet bounds how many solids a particle meets within a step.
const mostMet = 4

// Follow takes a ball from p to p + way within a step of dt seconds, past solids, and
// returns where it ends, its velocity there, and whether it met any.
func Follow(solids []Solid, c *Contact, p, v, way geom.Vec3, r, dt, weight float64) (end, after geom.Vec3, met bool) {
	f := 0.0
	end = p.Add(way)
	var last *Solid
	var off geom.Vec3
	for range mostMet {
		h, hit := First(solids, p, end, f, r, last, off)
		if !hit {
			return end, v, met
		}
		met = true
		// h.At moves with the solid: it is where this part of it ends
		under := h.Of.Velocity(h.At, dt)
		last, off = h.Of, h.At.Add(h.Normal.Mul(Gap))
		if c.Sticks || c.Dies {
			return off, under, true
		}
		v = under.Add(bounced(v.Sub(under), h.Normal, c, weight*dt))
		f += (1 - f) * h.T
		left := v.Sub(under).Mul((1 - f) * dt)
		end = off.Add(left)
		// where it is now, in the shot's own frame
		p = off
		if h.Of.Moves {
			p = h.Of.Before.Turn.Apply(h.Of.Shape.Local(off)).Add(h.Of.Before.Centre).Mul(1 - f).Add(off.Mul(f))
		}
		if f >= 1 {
			return end, v, true
		}
	}
	// wedged in: it goes with what it met last
	h, hit := First(solids, p, end, f, r, last, off)
	if hit {
		return h.At.Add(h.Normal.Mul(Gap)), h.Of.Velocity(h.At, dt), true
	}
	return end, v, true
}

// bounced is a velocity against a surface after it was met. Below still, m/s, it doesn't
// come off any more: what lies doesn't tremble.
func bounced(v, n geom.Vec3, c *Contact, still float64) geom.Vec3 {
	against := v.Dot(n)
	if against >= 0 {
		return v
	}
	along := v.Sub(n.Mul(against))
	back := -against * c.Bounce
	if back < 2*still {
		back = 0
	}
	if s := along.Len(); s > 0 {
		along = along.Mul(max(0, 1-c.Friction*(back-against)/s))
	}
	return along.Add(n.Mul(back))
}
