package geom

import "math"

// Line is a smooth curve through points, cut into short straight pieces.
type Line struct {
	P []Vec3    // ends of the pieces
	S []float64 // share of the length up to each, 0 to 1
	L float64   // length
}

// NewLine runs a centripetal Catmull–Rom spline through points (Yuksel,
// Schaefer and Keyser 2011: without loops or cusps between points), each
// stretch in as many pieces as given. Points that stand on each other count
// once; fewer than two give a line without pieces.
//
// Beyond its ends the first and last points are mirrored, so that the curve leaves
// them straight. S is the share of the length, so profiles along it are even in
// space.
func NewLine(points []Vec3, closed bool, pieces int) *Line {
	var p []Vec3
	for _, q := range points {
		if len(p) == 0 || q.Dist(p[len(p)-1]) > 1e-12 {
			p = append(p, q)
		}
	}
	if closed && len(p) > 2 && p[0].Dist(p[len(p)-1]) <= 1e-12 {
		p = p[:len(p)-1]
	}
	l := &Line{}
	n := len(p)
	if n < 2 {
		return l
	}
	closed = closed && n > 2
	at := func(i int) Vec3 {
		switch {
		case closed:
			return p[(i+n)%n]
		case i < 0:
			return p[0].Mul(2).Sub(p[1])
		case i >= n:
			return p[n-1].Mul(2).Sub(p[n-2])
		}
		return p[i]
	}
	spans := n - 1
	if closed {
		spans = n
	}
	for i := range spans {
		a, b, c, d := at(i-1), at(i), at(i+1), at(i+2)
		for k := range pieces {
			l.P = append(l.P, catmull(a, b, c, d, float64(k)/float64(pieces)))
		}
	}
	l.P = append(l.P, at(spans))
	l.S = make([]float64, len(l.P))
	for i := 1; i < len(l.P); i++ {
		l.L += l.P[i].Dist(l.P[i-1])
		l.S[i] = l.L
	}
	for i := range l.S {
		l.S[i] /= l.L
	}
	return l
}

// catmull is the point at t between b and c (Barry and Goldman 1988).
// Knots are the square roots of the distances (centripetal): the choice without
// loops.
func catmull(a, b, c, d Vec3, t float64) Vec3 {
	t1 := math.Sqrt(a.Dist(b))
	t2 := t1 + math.Sqrt(b.Dist(c))
	t3 := t2 + math.Sqrt(c.Dist(d))
	x := t1 + (t2-t1)*t
	mix := func(p, q Vec3, u, v float64) Vec3 {
		if v == u {
			return p
		}
		return p.Mul((v - x) / (v - u)).Add(q.Mul((x - u) / (v - u)))
	}
	p, q, r := mix(a, b, 0, t1), mix(b, c, t1, t2), mix(c, d, t2, t3)
	return mix(mix(p, q, 0, t2), mix(q, r, t1, t3), t1, t2)
}

// Near is the place on piece i nearest to p: its distance, squared, and its
// share of the piece.
func (l *Line) Near(i int, p Vec3) (d2, t float64) {
	a := l.P[i]
	ab := l.P[i+1].Sub(a)
	if ll := ab.Dot(ab); ll > 0 {
		t = min(1, max(0, p.Sub(a).Dot(ab)/ll))
	}
	q := p.Sub(a.Add(ab.Mul(t)))
	return q.Dot(q), t
}

// Bounds is the box round the line.
func (l *Line) Bounds() Box {
	b := nowhere
	for _, p := range l.P {
		b = b.with(Box{p, p})
	}
	return b
}
