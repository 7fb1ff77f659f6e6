package mote

import (
	"math"

	"zarf/core/geom"
	"zarf/core/sim"
)

// Contact says what particles do that meet a solid.
type Contact struct {
	Bounce   float64 // share of the speed against the surface that is left
	Friction float64 // Coulomb's coefficient
	Sticks   bool    // they stay where they are, and move with the solid
	Dies     bool
}

// solid is a collider with what is asked of it for every particle.
type solid struct {
	sim.Collider
	box   geom.Box // where it is at the end of the step
	swept geom.Box // and all that it went through
	small [2][3]float32
	moves bool
}

func newSolids(list []sim.Collider) []solid {
	out := make([]solid, len(list))
	for i, c := range list {
		s := &out[i]
		*s = solid{Collider: c, box: c.Shape.Bounds(), moves: c.Shape != c.Before}
		if c.Shape.Hollow {
			inf := math.Inf(1)
			s.box = geom.Box{Min: geom.V(-inf, -inf, -inf), Max: geom.V(inf, inf, inf)}
		}
		s.swept = s.box
		if s.moves {
			// as it turns it bulges a little beyond where it stands at either end
			was := c.Before.Bounds()
			s.swept = geom.Box{Min: s.box.Min.Min(was.Min), Max: s.box.Max.Max(was.Max)}.Grow(0.1 * c.Shape.Size.MaxComponent())
		}
		for k := range 3 {
			s.small[0][k] = float32(s.swept.Min.Array()[k]) - gap
			s.small[1][k] = float32(s.swept.Max.Array()[k]) + gap
		}
	}
	return out
}

// seen is where a place of the step's moment f, from 0 to 1, lies as the solid sees it:
// in the frame in which it stands where it ends.
func (s *solid) seen(p geom.Vec3, f float64) geom.Vec3 {
	if !s.moves {
		return p
	}
	was := s.Shape.Turn.Apply(s.Before.Local(p)).Add(s.Shape.Centre)
	return was.Mul(1 - f).Add(p.Mul(f))
}

// found is where a way meets a solid: how far along, the normal towards the particle, and
// the place, as the solid sees it.
type found struct {
	t      float64
	of     *solid
	normal geom.Vec3
	at     geom.Vec3
}

// gap is what is left between a particle and what it has met, m: more than float32 rounds
// by within half a kilometre.
const gap = 5e-5

// meets finds where a ball of radius r meets the solid on its way, as that is seen, from a to b.
func (s *solid) meets(a, b geom.Vec3, r float64) (t float64, n geom.Vec3, hit bool) {
	way := geom.Box{Min: a.Min(b), Max: a.Max(b)}
	if !way.Grow(r + gap).Overlaps(s.box) {
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
		if away < gap/2 || n == mostSteps {
			normal := s.Shape.Normal(p)
			if away > -gap && d.Dot(normal) >= 0 {
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

// meetsMesh is meets for a mesh: a ray against its triangles.
func (s *solid) meetsMesh(a, d geom.Vec3, long, r float64) (t float64, n geom.Vec3, hit bool) {
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
	if b := s.Shape.Body; stays(b, o, dir, 0, long, b.Distance(o), b.Distance(o.Add(dir.Mul(long))), r+gap+0.87*b.H, 2) {
		return 0, n, false
	}
	h, normal := s.Shape.Body.Short(o, dir, reach+gap)
	if h.Tri < 0 {
		return 0, n, false
	}
	cos := normal.Dot(dir)
	if cos > 0 {
		normal, cos = normal.Mul(-1), -cos
	}
	// the ball's middle stops r before the surface
	stop := h.T - (r+gap)/max(-cos, 0.05)
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

// first is what a ball meets first on its way from p, at the step's moment f, to where it
// would be at the end. What it met last it leaves from off, as that sees it.
func first(solids []solid, p, end geom.Vec3, f, r float64, last *solid, off geom.Vec3) (out found, hit bool) {
	out.t = 2
	for i := range solids {
		s := &solids[i]
		a := off
		if s != last {
			a = s.seen(p, f)
		}
		if t, n, ok := s.meets(a, end, r); ok && t < out.t {
			out, hit = found{t, s, n, a.Add(end.Sub(a).Mul(t))}, true
		}
	}
	return out, hit
}

// mostMet bounds how many solids a particle meets within a step.
const mostMet = 4

// follow takes a ball from p to p + way within a step of dt seconds, past solids, and
// returns where it ends, its velocity there, and whether it met any.
func follow(solids []solid, c *Contact, p, v, way geom.Vec3, r, dt, weight float64) (end, after geom.Vec3, met bool) {
	f := 0.0
	end = p.Add(way)
	var last *solid
	var off geom.Vec3
	for range mostMet {
		h, hit := first(solids, p, end, f, r, last, off)
		if !hit {
			return end, v, met
		}
		met = true
		// h.at moves with the solid: it is where this part of it ends
		under := h.of.Velocity(h.at, dt)
		last, off = h.of, h.at.Add(h.normal.Mul(gap))
		if c.Sticks || c.Dies {
			return off, under, true
		}
		v = under.Add(bounced(v.Sub(under), h.normal, c, weight*dt))
		f += (1 - f) * h.t
		left := v.Sub(under).Mul((1 - f) * dt)
		end = off.Add(left)
		// where it is now, in the shot's own frame
		p = off
		if h.of.moves {
			p = h.of.Before.Turn.Apply(h.of.Shape.Local(off)).Add(h.of.Before.Centre).Mul(1 - f).Add(off.Mul(f))
		}
		if f >= 1 {
			return end, v, true
		}
	}
	// wedged in: it goes with what it met last
	h, hit := first(solids, p, end, f, r, last, off)
	if hit {
		return h.at.Add(h.normal.Mul(gap)), h.of.Velocity(h.at, dt), true
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
