package geom

// Polygons: cutting them into triangles, sorting outlines into outer ones and holes,
// and making solids of drawings. All of it must stand what a drawing program
// exports: curves that cross, touch or turn the wrong way give something closed
// rather than an error.

import (
	"math"
	"slices"
)

// Triangulate cuts a polygon, given by its corners' indices, into triangles
// that turn the same way. Quads are cut along the better diagonal, others by
// ears in the polygon's plane.
// A polygon of n corners gives n − 2 triangles, whatever it looks like.
// The plane is the polygon's own mean one: corners that stand out of it are cut all
// the same, as files from modellers are never quite flat.
func Triangulate(p []Vec3, poly []int32) [][3]int32 {
	switch len(poly) {
	case 0, 1, 2:
		return nil
	case 3:
		return [][3]int32{{poly[0], poly[1], poly[2]}}
	}
	// Newell's normal
	var n Vec3
	// twice the areas of the projections onto the three planes: right for any
	// polygon, also one that isn't flat
	for i := range poly {
		a, b := p[poly[i]], p[poly[(i+1)%len(poly)]]
		n.X += (a.Y - b.Y) * (a.Z + b.Z)
		n.Y += (a.Z - b.Z) * (a.X + b.X)
		n.Z += (a.X - b.X) * (a.Y + b.Y)
	}
	u, v := perpendicular(n)
	flat := make([][2]float64, len(poly))
	for i, c := range poly {
		flat[i] = [2]float64{p[c].Dot(u), p[c].Dot(v)}
	}
	var out [][3]int32
	for _, t := range ears(flat) {
		out = append(out, [3]int32{poly[t[0]], poly[t[1]], poly[t[2]]})
	}
	return out
}

// perpendicular gives two unit vectors that with n make right-handed axes.
// The axis that is farthest from n is made square to it; which one it is changes
// nothing but the turn about n.
func perpendicular(n Vec3) (u, v Vec3) {
	n = n.Unit()
	a := V(1, 0, 0)
	if math.Abs(n.X) > 0.7 {
		a = V(0, 1, 0)
	}
	u = a.Sub(n.Mul(a.Dot(n))).Unit()
	return u, n.Cross(u)
}

// Twice the area of a, b, c: positive where they turn anticlockwise.
func cross2(a, b, c [2]float64) float64 {
	return (b[0]-a[0])*(c[1]-a[1]) - (b[1]-a[1])*(c[0]-a[0])
}

// maxEarTests bounds the time that a hostile polygon can take; what is left
// then is cut as a fan.
const maxEarTests = 20_000_000

// ears triangulates an anticlockwise polygon; where it crosses itself the
// remaining corners are cut as a fan.
//
// Quadratic in the number of corners, which is small; hostile polygons are cut off
// by a count of tests and become fans.
func ears(p [][2]float64) [][3]int {
	n := len(p)
	// a ring of corners as two arrays: cutting an ear is two writes
	next, prev := make([]int, n), make([]int, n)
	for i := range n {
		next[i], prev[i] = (i+1)%n, (i+n-1)%n
	}
	var out [][3]int
	tests := 0
	isEar := func(i int) bool {
		a, b, c := p[prev[i]], p[i], p[next[i]]
		if cross2(a, b, c) <= 0 {
			return false
		}
		// an ear must hold no other corner; only reflex ones could, but testing all
		// is simpler
		for j := next[next[i]]; j != prev[i]; j = next[j] {
			q := p[j]
			tests++
			// Bridges to holes repeat corners, and a repeated one blocks nothing.
			if q == a || q == b || q == c {
				continue
			}
			if cross2(a, b, q) >= 0 && cross2(b, c, q) >= 0 && cross2(c, a, q) >= 0 {
				return false
			}
		}
		return true
	}
	i, misses := 0, 0
	for left := n; left > 3; {
		// a flat corner adds nothing, but its triangle keeps the edges whole
		// A whole round without an ear means that the polygon crosses itself; any
		// corner is then as good as another.
		if tests > maxEarTests || isEar(i) || misses > left {
			out = append(out, [3]int{prev[i], i, next[i]})
			next[prev[i]], prev[next[i]] = next[i], prev[i]
			i = prev[i]
			left--
			misses = 0
			continue
		}
		i = next[i]
		misses++
	}
	return append(out, [3]int{prev[i], i, next[i]})
}

// Outline is a closed curve in a plane with the holes within it. The outer
// curve runs anticlockwise, holes run clockwise; the last point isn't the
// first again.
type Outline struct {
	Outer [][2]float64
	Holes [][][2]float64
}

// area2 is twice the signed area.
// The shoelace formula.
func area2(p [][2]float64) float64 {
	var a float64
	for i := range p {
		q := p[(i+1)%len(p)]
		a += p[i][0]*q[1] - q[0]*p[i][1]
	}
	return a
}

// Outlines sorts closed curves into outer ones and holes by how deep they are
// nested (the even-odd rule), and turns them the right way. Curves without an
// area are dropped.
// Points that repeat are dropped first: drawing programs close curves twice.
func Outlines(curves [][][2]float64) []Outline {
	var loops [][][2]float64
	for _, c := range curves {
		c = slices.Compact(slices.Clone(c))
		if len(c) > 1 && c[0] == c[len(c)-1] {
			c = c[:len(c)-1]
		}
		// A curve that runs to and fro on itself bounds nothing.
		if len(c) >= 3 && math.Abs(area2(c)) > 1e-18 {
			loops = append(loops, c)
		}
	}
	depth := make([]int, len(loops))
	parent := make([]int, len(loops))
	for i := range loops {
		parent[i] = -1
		best := math.Inf(1)
		for j := range loops {
			// Only a larger curve can hold a smaller one. One point decides, so
			// curves that cross go to where their first point lies.
			if i != j && math.Abs(area2(loops[j])) > math.Abs(area2(loops[i])) && within2(loops[i][0], loops[j]) {
				depth[i]++
				if a := math.Abs(area2(loops[j])); a < best {
					best, parent[i] = a, j
				}
			}
		}
	}
	var out []Outline
	at := map[int]int{}
	for i, l := range loops {
		// Even depth is filled: an island in a hole is an outline again.
		if depth[i]%2 == 0 {
			if area2(l) < 0 {
				slices.Reverse(l)
			}
			at[i] = len(out)
			out = append(out, Outline{Outer: l})
		}
	}
	for i, l := range loops {
		if depth[i]%2 == 1 {
			if area2(l) > 0 {
				slices.Reverse(l)
			}
			o := &out[at[parent[i]]]
			o.Holes = append(o.Holes, l)
		}
	}
	return out
}

// within2 reports a point within a closed curve, by the even-odd rule; one on the
// border may go either way.
func within2(q [2]float64, p [][2]float64) bool {
	in := false
	for i := range p {
		a, b := p[i], p[(i+1)%len(p)]
		// crossings of a ray to the right; each edge owns its lower end only
		if (a[1] > q[1]) != (b[1] > q[1]) && q[0] < (b[0]-a[0])*(q[1]-a[1])/(b[1]-a[1])+a[0] {
			in = !in
		}
	}
	return in
}

// bridge joins the holes to the outer curve by cuts, each from a hole's
// rightmost point to a point that sees it (Eberly 2002), and gives one curve.
//
// Two edges of a bridge lie on each other, so the result is a polygon that touches
// itself: ears copes with that, as equal corners don't block an ear.
func (o *Outline) bridge() [][2]float64 {
	poly := slices.Clone(o.Outer)
	holes := slices.Clone(o.Holes)
	right := func(h [][2]float64) int {
		best := 0
		for i := range h {
			if h[i][0] > h[best][0] {
				best = i
			}
		}
		return best
	}
	slices.SortStableFunc(holes, func(a, b [][2]float64) int {
		x, y := a[right(a)][0], b[right(b)][0]
		switch {
		case x > y:
			return -1
		case x < y:
			return 1
		}
		return 0
	})
	// from the rightmost hole on: later bridges may run over earlier ones
	for _, h := range holes {
		r := right(h)
		q := h[r]
		// the nearest edge to the right of q, and then its end farther right
		// Only edges that run upwards at q's height: those have the filled side on
		// their left, where the hole is.
		best, at := math.Inf(1), -1
		for i := range poly {
			a, b := poly[i], poly[(i+1)%len(poly)]
			if a[1] > q[1] || b[1] < q[1] || a[1] == b[1] {
				continue
			}
			if x := a[0] + (q[1]-a[1])/(b[1]-a[1])*(b[0]-a[0]); x >= q[0] && x < best {
				best, at = x, i
				if b[0] > a[0] {
					at = (i + 1) % len(poly)
				}
			}
		}
		if at < 0 {
			continue // outside its outline: a broken drawing
		}
		// a corner within the triangle q, hit, end may hide the end
		hit, end := [2]float64{best, q[1]}, poly[at]
		tan := math.Inf(1)
		for i, c := range poly {
			if c[0] < q[0] || c == end {
				continue
			}
			s1, s2, s3 := cross2(q, hit, c), cross2(hit, end, c), cross2(end, q, c)
			if (s1 >= 0 && s2 >= 0 && s3 >= 0) || (s1 <= 0 && s2 <= 0 && s3 <= 0) {
				if t := math.Abs(c[1]-q[1]) / max(c[0]-q[0], 1e-300); t < tan {
					tan, at = t, i
				}
			}
		}
		var join [][2]float64
		join = append(join, poly[:at+1]...)
		// To the hole, once round it, and back: the two ends of the bridge appear
		// twice.
		join = append(join, h[r:]...)
		join = append(join, h[:r+1]...)
		join = append(join, poly[at:]...)
		poly = join
	}
	return poly
}

// Extrude makes a closed mesh of depth from outlines in the xy plane, its
// middle at z = 0, with edges bevelled by the given amount, which is kept to
// half the depth and to what the outline allows.
// Outlines become one mesh of several closed pieces.
func Extrude(outlines []Outline, depth, bevel float64) *Mesh {
	m := &Mesh{}
	bevel = max(0, min(bevel, depth/2*0.999))
	for n := range outlines {
		m.Append(outlines[n].extrude(depth, bevel))
	}
	return m
}

// extrude makes front, back and sides of outlines, the sides with a bevel where
// one is asked for.
// The bevel is halved until the inset outline doesn't fold; at a 64th it is given
// up.
func (o *Outline) extrude(depth, bevel float64) *Mesh {
	in, fits := *o, bevel
	// an inset too deep folds narrow parts over; half as much may fit
	for fits > 0 { // the largest inset, by halves, that doesn't fold over
		if q, ok := o.inset(fits); ok {
			in = q
			break
		}
		if fits /= 2; fits < bevel/64 {
			fits = 0
		}
	}
	m := &Mesh{}
	h := depth / 2
	ring := func(l [][2]float64, z float64) []int32 {
		ids := make([]int32, len(l))
		for i, p := range l {
			ids[i] = int32(len(m.P))
			m.P = append(m.P, V(p[0], p[1], z))
		}
		return ids
	}
	// front and back are the inset outline, triangulated once
	// Its points are the inset curves' own, so they are found again by equality.
	cap := in.bridge()
	id := map[[2]float64][2]int32{}
	loop := func(full, inner [][2]float64) {
		rings := [][]int32{ring(inner, h)}
		if fits > 0 {
			rings = append(rings, ring(full, h-fits), ring(full, -h+fits))
		}
		rings = append(rings, ring(inner, -h))
		for i, p := range inner {
			id[p] = [2]int32{rings[0][i], rings[len(rings)-1][i]}
		}
		for r := range len(rings) - 1 {
			a, b := rings[r], rings[r+1]
			for i := range a {
				j := (i + 1) % len(a)
				m.Tri = append(m.Tri, [3]int32{a[i], b[i], b[j]}, [3]int32{a[i], b[j], a[j]})
			}
		}
	}
	// rings from front to back: the bevel's edge, the full outline, and back again
	loop(o.Outer, in.Outer)
	for i := range o.Holes {
		loop(o.Holes[i], in.Holes[i])
	}
	for _, t := range ears(cap) {
		a, b, c := id[cap[t[0]]], id[cap[t[1]]], id[cap[t[2]]]
		// The front as it is, the back turned round.
		m.Tri = append(m.Tri, [3]int32{a[0], b[0], c[0]}, [3]int32{a[1], c[1], b[1]})
	}
	return m
}

// inset moves all curves inwards by d along their mitres; ok is false where an
// edge would turn round or curves would meet.
// Mitres of sharp corners are cut short, or they would shoot out of the shape.
func (o *Outline) inset(d float64) (in Outline, ok bool) {
	move := func(l [][2]float64) ([][2]float64, bool) {
		out := make([][2]float64, len(l))
		// To the left of the edge, which is inwards for outer curves and for holes
		// alike, as they run opposite ways.
		normal := func(a, b [2]float64) [2]float64 {
			x, y := b[0]-a[0], b[1]-a[1]
			s := math.Hypot(x, y)
			return [2]float64{-y / s, x / s}
		}
		for i := range l {
			n0, n1 := normal(l[(i+len(l)-1)%len(l)], l[i]), normal(l[i], l[(i+1)%len(l)])
			// the mitre: along n0 + n1, of length d/cos(half the angle)
			mx, my := n0[0]+n1[0], n0[1]+n1[1]
			s := (mx*mx + my*my) / 2
			if s < 0.08 { // sharper than about 23°: no mitre
				s = 0.08
			}
			out[i] = [2]float64{l[i][0] + mx/s*d, l[i][1] + my/s*d}
		}
		for i := range l {
			j := (i + 1) % len(l)
			// An edge that has turned round was eaten by the inset.
			if (out[j][0]-out[i][0])*(l[j][0]-l[i][0])+(out[j][1]-out[i][1])*(l[j][1]-l[i][1]) <= 0 {
				return nil, false
			}
		}
		return out, area2(out)*area2(l) > 0
	}
	if in.Outer, ok = move(o.Outer); !ok {
		return in, false
	}
	for _, h := range o.Holes {
		g, ok := move(h)
		if !ok {
			return in, false
		}
		for _, p := range g {
			if !within2(p, in.Outer) {
				return in, false
			}
		}
		in.Holes = append(in.Holes, g)
	}
	return in, true
}
