package svg

import (
	"math"
	"strings"
)

// path reads path data (SVG 1.1, chapter 8). Every subpath is a curve.
// Commands and numbers alternate; a curve is flattened as it is read, and a subpath
// is handed over when the next begins.
func (r *reading) path(name, d string, m matrix) {
	sc := &scanner{s: d, where: name}
	var p [][2]float64
	// The pen, where its subpath began, and the last handle: all that path data
	// refers to besides its own numbers.
	var x, y, sx, sy float64 // current point and start of the subpath
	var cx, cy float64       // last control point
	var cmd, before byte
	end := func(closed bool) {
		r.add(name, p, closed, m)
		p = nil
	}
	num := func() float64 {
		v, ok := sc.number()
		if !ok {
			fail(name, "path command %q lacks a number at %q", cmd, sc.s[:min(len(sc.s), 20)])
		}
		return v
	}
	to := func(nx, ny float64) {
		// a subpath begins with the first line from it: “M M” makes no curve of one
		// point
		if p == nil {
			p = append(p, [2]float64{x, y})
		}
		x, y = nx, ny
		p = append(p, [2]float64{x, y})
		if len(p) > MaxPoints {
			fail(name, "over %d points", MaxPoints)
		}
	}
	for {
		sc.space()
		if sc.s == "" {
			break
		}
		if b := sc.s[0]; strings.IndexByte("MmLlHhVvCcSsQqTtAaZz", b) >= 0 {
			cmd, sc.s = b, sc.s[1:]
		} else {
			switch cmd { // numbers that go on repeat the command
			case 'M':
				cmd = 'L'
			case 'm':
				cmd = 'l'
			case 0, 'Z', 'z':
				fail(name, "path data can't be read at %q", sc.s[:min(len(sc.s), 20)])
			}
		}
		var ox, oy float64
		// small letters count from where the pen is
		rel := cmd >= 'a'
		if rel {
			ox, oy = x, y
		}
		up := cmd &^ 0x20
		switch up {
		case 'M':
			end(false)
			x, y = ox+num(), oy+num()
			sx, sy = x, y
		case 'L':
			to(ox+num(), oy+num())
		case 'H':
			to(ox+num(), y)
		case 'V':
			to(x, oy+num())
		// a smooth curve's first handle mirrors the last one of a curve before it
		case 'C', 'S':
			ax, ay := x, y
			if up == 'C' {
				ax, ay = ox+num(), oy+num()
			} else if before == 'C' || before == 'S' {
				ax, ay = 2*x-cx, 2*y-cy
			}
			cx, cy = ox+num(), oy+num()
			ex, ey := ox+num(), oy+num()
			r.bezier(x, y, ax, ay, cx, cy, ex, ey, to)
		// a quadratic curve is the cubic whose handles lie two thirds of the way
		case 'Q', 'T':
			if up == 'Q' {
				cx, cy = ox+num(), oy+num()
			} else if before == 'Q' || before == 'T' {
				cx, cy = 2*x-cx, 2*y-cy
			} else {
				cx, cy = x, y
			}
			ex, ey := ox+num(), oy+num()
			r.bezier(x, y, x+2*(cx-x)/3, y+2*(cy-y)/3, ex+2*(cx-ex)/3, ey+2*(cy-ey)/3, ex, ey, to)
		case 'A':
			rx, ry, turn := num(), num(), num()
			large, ok1 := sc.flag()
			sweep, ok2 := sc.flag()
			if !ok1 || !ok2 {
				fail(name, "an arc lacks its flags")
			}
			r.arc(x, y, rx, ry, turn, large, sweep, ox+num(), oy+num(), to)
		case 'Z':
			end(true)
			x, y = sx, sy
		}
		before = up
	}
	end(false)
}

// bezier cuts a cubic curve into straight pieces. With d the bound on its second
// derivative, n pieces are off by at most d/(8n²): Wang's bound, so n follows from
// how flat the pieces must be.
func (r *reading) bezier(x0, y0, x1, y1, x2, y2, x3, y3 float64, to func(x, y float64)) {
	d := 6 * max(math.Hypot(x0-2*x1+x2, y0-2*y1+y2), math.Hypot(x1-2*x2+x3, y1-2*y2+y3))
	n := int(min(max(1, math.Ceil(math.Sqrt(d/(8*r.flat)))), 500))
	for i := 1; i < n; i++ {
		t := float64(i) / float64(n)
		a, b, c, e := (1-t)*(1-t)*(1-t), 3*t*(1-t)*(1-t), 3*t*t*(1-t), t*t*t
		to(a*x0+b*x1+c*x2+e*x3, a*y0+b*y1+c*y2+e*y3)
	}
	to(x3, y3)
}

// arc follows the conversion in SVG 1.1, appendix F.6.5: from end points and flags to centre and angles. Radii too small for the ends grow
// until they just fit. u is the centre before it is turned and shifted back.
func (r *reading) arc(x1, y1, rx, ry, turn float64, large, sweep bool, x2, y2 float64, to func(x, y float64)) {
	rx, ry = math.Abs(rx), math.Abs(ry)
	if rx == 0 || ry == 0 || (x1 == x2 && y1 == y2) {
		to(x2, y2)
		return
	}
	s, c := math.Sincos(turn * math.Pi / 180)
	dx, dy := (x1-x2)/2, (y1-y2)/2
	// the half chord in the ellipse's own axes
	px, py := c*dx+s*dy, -s*dx+c*dy
	if l := px*px/(rx*rx) + py*py/(ry*ry); l > 1 {
		rx, ry = rx*math.Sqrt(l), ry*math.Sqrt(l)
	}
	k := math.Sqrt(max(0, (rx*rx*ry*ry-rx*rx*py*py-ry*ry*px*px)/(rx*rx*py*py+ry*ry*px*px)))
	// of the two centres, the flags choose one
	if large == sweep {
		k = -k
	}
	ux, uy := k*rx*py/ry, -k*ry*px/rx
	cx, cy := c*ux-s*uy+(x1+x2)/2, s*ux+c*uy+(y1+y2)/2
	from := math.Atan2((py-uy)/ry, (px-ux)/rx)
	span := math.Atan2((-py-uy)/ry, (-px-ux)/rx) - from
	// sweep goes the way of growing angles
	if sweep && span < 0 {
		span += 2 * math.Pi
	}
	if !sweep && span > 0 {
		span -= 2 * math.Pi
	}
	// Radii of 1e308 and 1e-308 square to infinity and to nothing: no arc can be seen
	// of either.
	if math.IsNaN(cx+cy+from+span) || math.IsInf(cx+cy, 0) {
		to(x2, y2)
		return
	}
	pts := r.round(0, 0, rx, ry, from, from+span)
	for _, q := range pts[1 : len(pts)-1] {
		to(cx+c*q[0]-s*q[1], cy+s*q[0]+c*q[1])
	}
	to(x2, y2)
}
