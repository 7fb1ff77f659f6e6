package cloth

import (
	"math"

	"zarf/core/geom"
)

// contact is a vertex at a face, or two edges at each other, with the shares of the four
// vertices: those of the first side are positive and sum to 1, those of the second to −1.
type contact struct {
	v     [4]int32
	edges bool // the first two against the last two; else the first against the other three
}

// nearest is the way between both sides at places, and the shares of the nearest points.
func (c *contact) nearest(x []geom.Vec3) (way geom.Vec3, w [4]float64) {
	a, b, d, e := x[c.v[0]], x[c.v[1]], x[c.v[2]], x[c.v[3]]
	if c.edges {
		s, t := segments(a, b, d, e)
		w = [4]float64{1 - s, s, t - 1, -t}
	} else {
		u, v := onTriangle(a, b, d, e)
		w = [4]float64{1, u + v - 1, -u, -v}
	}
	way = a.Mul(w[0]).Add(b.Mul(w[1])).Add(d.Mul(w[2])).Add(e.Mul(w[3]))
	return way, w
}

// segments are the shares along two segments, from a to b and from c to d, at which they are
// nearest (Ericson 2005, §5.1.9).
func segments(a, b, c, d geom.Vec3) (s, t float64) {
	d1, d2, r := b.Sub(a), d.Sub(c), a.Sub(c)
	aa, ee, f := d1.Dot(d1), d2.Dot(d2), d2.Dot(r)
	if aa < 1e-300 && ee < 1e-300 {
		return 0, 0
	}
	if aa < 1e-300 {
		return 0, clamp(f / ee)
	}
	cc := d1.Dot(r)
	if ee < 1e-300 {
		return clamp(-cc / aa), 0
	}
	bb := d1.Dot(d2)
	den := aa*ee - bb*bb
	if den > 1e-12*aa*ee {
		s = clamp((bb*f - cc*ee) / den)
	}
	t = (bb*s + f) / ee
	if t < 0 {
		return clamp(-cc / aa), 0
	}
	if t > 1 {
		return clamp((bb - cc) / aa), 1
	}
	return s, t
}

func clamp(t float64) float64 { return min(max(t, 0), 1) }

// onTriangle are the shares of b and c of the point of a triangle that is nearest to p (Ericson
// 2005, §5.1.5).
func onTriangle(p, a, b, c geom.Vec3) (u, v float64) {
	ab, ac, ap := b.Sub(a), c.Sub(a), p.Sub(a)
	d1, d2 := ab.Dot(ap), ac.Dot(ap)
	if d1 <= 0 && d2 <= 0 {
		return 0, 0
	}
	bp := p.Sub(b)
	d3, d4 := ab.Dot(bp), ac.Dot(bp)
	if d3 >= 0 && d4 <= d3 {
		return 1, 0
	}
	vc := d1*d4 - d3*d2
	if vc <= 0 && d1 >= 0 && d3 <= 0 {
		return ratio(d1, d1-d3), 0
	}
	cp := p.Sub(c)
	d5, d6 := ab.Dot(cp), ac.Dot(cp)
	if d6 >= 0 && d5 <= d6 {
		return 0, 1
	}
	vb := d5*d2 - d1*d6
	if vb <= 0 && d2 >= 0 && d6 <= 0 {
		return 0, ratio(d2, d2-d6)
	}
	va := d3*d6 - d5*d4
	if va <= 0 && d4-d3 >= 0 && d5-d6 >= 0 {
		w := ratio(d4-d3, (d4-d3)+(d5-d6))
		return 1 - w, w
	}
	den := va + vb + vc
	if den == 0 {
		return 0, 0
	}
	return vb / den, vc / den
}

// ratio is a of b, 0 of nothing: a side may have no length.
func ratio(a, b float64) float64 {
	if b == 0 {
		return 0
	}
	return a / b
}

// meets finds whether both sides pass each other on straight ways from x to to, and when: the
// first moment at which all four are in a plane and the two touch (Provot 1997).
func (c *contact) meets(x, to []geom.Vec3, near float64) (t float64, hit bool) {
	p := [4]geom.Vec3{x[c.v[0]], x[c.v[1]], x[c.v[2]], x[c.v[3]]}
	q := [4]geom.Vec3{to[c.v[0]], to[c.v[1]], to[c.v[2]], to[c.v[3]]}
	// against the last, so that common motion counts for nothing
	var x1, v1 [3]geom.Vec3
	for k := range 3 {
		x1[k] = p[k].Sub(p[3])
		v1[k] = q[k].Sub(q[3]).Sub(x1[k])
	}
	vol := func(a, b, c geom.Vec3) float64 { return a.Dot(b.Cross(c)) }
	d := vol(x1[0], x1[1], x1[2])
	cc := vol(v1[0], x1[1], x1[2]) + vol(x1[0], v1[1], x1[2]) + vol(x1[0], x1[1], v1[2])
	b := vol(x1[0], v1[1], v1[2]) + vol(v1[0], x1[1], v1[2]) + vol(v1[0], v1[1], x1[2])
	a := vol(v1[0], v1[1], v1[2])
	var roots [3]float64
	for _, t := range roots[:cubicRoots(a, b, cc, d, &roots)] {
		if c.touches(&p, &q, t, near) {
			return t, true
		}
	}
	return 0, false
}

// touches reports two sides nearer than near at a moment.
func (c *contact) touches(p, q *[4]geom.Vec3, t, near float64) bool {
	var at [4]geom.Vec3
	for k := range at {
		at[k] = p[k].Add(q[k].Sub(p[k]).Mul(t))
	}
	one := contact{v: [4]int32{0, 1, 2, 3}, edges: c.edges}
	way, _ := one.nearest(at[:])
	return way.Dot(way) < near*near
}

// cubicRoots finds the roots of a t³ + b t² + c t + d from 0 to 1, in order: between the places
// where it turns, by halving.
func cubicRoots(a, b, c, d float64, out *[3]float64) (n int) {
	big := max(math.Abs(a), math.Abs(b), math.Abs(c), math.Abs(d))
	if big == 0 {
		out[0] = 0
		return 1
	}
	f := func(t float64) float64 { return ((a*t+b)*t+c)*t + d }
	tiny := 1e-14 * big
	ends, many := turns(a, b, c)
	for k := 0; k < many && n < 3; k++ {
		lo, hi := ends[k], ends[k+1]
		fl := f(lo)
		switch {
		case math.Abs(fl) <= tiny:
			if n == 0 || out[n-1] != lo {
				out[n] = lo
				n++
			}
		case fl*f(hi) <= 0:
			for hi-lo > 1e-12 {
				if m := (lo + hi) / 2; f(m)*fl > 0 {
					lo = m
				} else {
					hi = m
				}
			}
			out[n] = lo
			n++
		}
	}
	if n < 3 && math.Abs(f(1)) <= tiny && (n == 0 || out[n-1] < 1-1e-9) {
		out[n] = 1
		n++
	}
	return n
}

// turns are 0, where a t³ + b t² + c t turns between, and 1: so many stretches of one slope.
func turns(a, b, c float64) (ends [4]float64, many int) {
	many = 1
	ends[1] = 1
	q := b*b - 3*a*c // of 3a t² + 2b t + c
	if q <= 0 {
		return ends, many
	}
	s := -(b + math.Copysign(math.Sqrt(q), b))
	t1, t2 := -1.0, -1.0
	if a != 0 {
		t1 = s / (3 * a)
	}
	if s != 0 {
		t2 = c / s
	}
	for _, t := range [2]float64{min(t1, t2), max(t1, t2)} {
		if t > 0 && t < 1 {
			ends[many] = t
			many++
		}
	}
	ends[many] = 1
	return ends, many
}
