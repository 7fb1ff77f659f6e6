// Package svg reads the outlines of an SVG drawing: paths, polygons,
// polylines, rectangles, circles, ellipses and lines under the transforms of
// their groups. Lengths are user units; y is turned to point up. Strokes,
// text, pictures, clips, symbols and styles are left out; what is not filled
// counts as a line. Curves are flattened to within 1/2000 of the drawing.
//
// What an outline is for: it is extruded into a form that smoke gathers into or that
// something is made of. So closed curves matter and their colours don't; which of
// them are holes is told by how they lie in each other, not by fill rules, which
// files often leave to chance.
//
// How a drawing is read: elements in the order of the text, each with the product of
// all transforms over it. Numbers are read by the grammar of SVG 1.1, in which
// “1-2.5.5” is three numbers. A drawing comes from anywhere: entities aren't
// resolved (a few lines could else swell to gigabytes), nesting, points and curves
// are bounded, and coordinates that are no places are refused by the curve's name.
package svg

import (
	"bytes"
	"encoding/xml"
	"fmt"
	"io"
	"math"
	"strconv"
	"strings"
)

// Error tells where a drawing is wrong.
type Error struct{ Where, What string }

func (e *Error) Error() string { return "SVG, " + e.Where + ": " + e.What }

func fail(where, format string, a ...any) { panic(&Error{where, fmt.Sprintf(format, a...)}) }

// Limits of a drawing.
const (
	MaxPoints = 200_000
	MaxCurves = 5000
	maxDepth  = 64
)

// Curve is a polyline.
type Curve struct {
	Name   string
	Points [][2]float64
	Closed bool
}

// matrix is a transform: x′ = a x + c y + e, y′ = b x + d y + f.
type matrix [6]float64 // a b c d e f: x' = a x + c y + e, y' = b x + d y + f

func (m matrix) point(x, y float64) [2]float64 {
	return [2]float64{m[0]*x + m[2]*y + m[4], m[1]*x + m[3]*y + m[5]}
}

// over is m applied after n.
func (m matrix) over(n matrix) matrix {
	return matrix{m[0]*n[0] + m[2]*n[1], m[1]*n[0] + m[3]*n[1], m[0]*n[2] + m[2]*n[3], m[1]*n[2] + m[3]*n[3], m[0]*n[4] + m[2]*n[5] + m[4], m[1]*n[4] + m[3]*n[5] + m[5]}
}

// reading is a drawing on its way into curves.
type reading struct {
	curves []Curve
	points int
	flat   float64 // tolerance, user units
}

// Decode reads the curves of a drawing. What is wrong is an *Error.
func Decode(data []byte) (curves []Curve, err error) {
	defer func() {
		if p := recover(); p != nil {
			fe, ok := p.(*Error)
			if !ok {
				panic(p)
			}
			curves, err = nil, fe
		}
	}()
	dec := xml.NewDecoder(bytes.NewReader(data))
	dec.Entity = map[string]string{} // none are resolved
	r := &reading{}
	// A stack and no recursion: depth is the file's to choose.
	// of the elements that are open: where they stand, and whether they and all
	// that is in them is left out
	stack, hidden := []matrix{{1, 0, 0, 1, 0, 0}}, []bool{false}
	for {
		t, err := dec.Token()
		if err == io.EOF {
			break
		}
		if err != nil {
			fail("text", "%v", err)
		}
		switch t := t.(type) {
		case xml.StartElement:
			// drawings are nested a dozen deep; 64 is a file that was made to hurt
			if len(stack) > maxDepth {
				fail(t.Name.Local, "nested over %d deep", maxDepth)
			}
			a := map[string]string{}
			for _, x := range t.Attr {
				a[x.Name.Local] = x.Value
			}
			m := stack[len(stack)-1]
			if s := a["transform"]; s != "" {
				m = m.over(transform(s))
			}
			out := hidden[len(hidden)-1] || a["display"] == "none"
			switch t.Name.Local {
			// definitions are drawn where they are used, which isn't followed
			case "defs", "clipPath", "mask", "symbol", "pattern", "marker", "text":
				out = true
			case "svg":
				r.size(a)
			}
			// pushed for every element, drawn or not, so that its end pops the right
			// one
			stack, hidden = append(stack, m), append(hidden, out)
			if !out {
				r.shape(t.Name.Local, a, m)
			}
		case xml.EndElement:
			stack, hidden = stack[:len(stack)-1], hidden[:len(hidden)-1]
		}
	}
	if len(r.curves) == 0 {
		fail("drawing", "it has no path, polygon, rectangle, circle, ellipse or line")
	}
	for _, c := range r.curves {
		// the sum is NaN where either is; huge ones would lose all digits in the
		// mesh
		for _, p := range c.Points {
			if math.IsNaN(p[0]+p[1]) || math.IsInf(p[0], 0) || math.IsInf(p[1], 0) || math.Abs(p[0])+math.Abs(p[1]) > 1e12 {
				fail(c.Name, "a point is at %v", p)
			}
		}
	}
	return r.curves, nil
}

// size works out from the view box how far a straight piece may be off its curve:
// a 2000th of the drawing.
func (r *reading) size(a map[string]string) {
	if r.flat > 0 {
		return
	}
	r.flat = 0.05
	v := numbers("svg", a["viewBox"])
	if len(v) == 4 && v[2] > 0 && v[3] > 0 {
		r.flat = max(v[2], v[3]) / 2000
	}
}

// add keeps a curve in the drawing's own coordinates, y upwards; one that ends
// where it began is closed.
func (r *reading) add(name string, p [][2]float64, closed bool, m matrix) {
	if len(p) < 2 {
		return
	}
	if r.points += len(p); r.points > MaxPoints || len(r.curves) >= MaxCurves {
		fail(name, "over %d points or %d curves; simplify the drawing", MaxPoints, MaxCurves)
	}
	out := make([][2]float64, len(p))
	for i, q := range p {
		out[i] = m.point(q[0], q[1])
		out[i][1] = -out[i][1]
	}
	// closed by drawing, though the file doesn't say so
	if n := len(out); n > 2 && p[0] == p[n-1] {
		out, closed = out[:n-1], true
	}
	r.curves = append(r.curves, Curve{name, out, closed})
}

// length reads "12", "12px" or "3mm" into user units of 1/96 inch.
func length(where, s string) float64 {
	s = strings.TrimSpace(s)
	if s == "" {
		return 0
	}
	scale := 1.0
	for u, f := range map[string]float64{"px": 1, "mm": 96 / 25.4, "cm": 960 / 25.4, "in": 96, "pt": 96.0 / 72} {
		if strings.HasSuffix(s, u) {
			s, scale = strings.TrimSuffix(s, u), f
			break
		}
	}
	v, err := strconv.ParseFloat(s, 64)
	if err != nil {
		fail(where, "%q is not a length", s[:min(len(s), 40)])
	}
	return v * scale
}

// shape turns one of the basic shapes into points.
func (r *reading) shape(kind string, a map[string]string, m matrix) {
	name := a["id"]
	if name == "" {
		name = fmt.Sprintf("%s %d", kind, len(r.curves)+1)
	}
	if r.flat == 0 {
		r.flat = 0.05
	}
	get := func(k string) float64 { return length(name, a[k]) }
	switch kind {
	case "path":
		r.path(name, a["d"], m)
	case "polygon", "polyline":
		v := numbers(name, a["points"])
		var p [][2]float64
		for i := 0; i+1 < len(v); i += 2 {
			p = append(p, [2]float64{v[i], v[i+1]})
		}
		r.add(name, p, kind == "polygon", m)
	case "line":
		r.add(name, [][2]float64{{get("x1"), get("y1")}, {get("x2"), get("y2")}}, false, m)
	case "rect":
		x, y, w, h := get("x"), get("y"), get("width"), get("height")
		if w <= 0 || h <= 0 {
			return
		}
		// a corner's radius that isn't given is the other one's; both are at most
		// half a side
		rx, ry := get("rx"), get("ry")
		if a["rx"] == "" {
			rx = ry
		}
		if a["ry"] == "" {
			ry = rx
		}
		rx, ry = min(rx, w/2), min(ry, h/2)
		if rx <= 0 || ry <= 0 {
			r.add(name, [][2]float64{{x, y}, {x + w, y}, {x + w, y + h}, {x, y + h}}, true, m)
			return
		}
		var p [][2]float64
		for q, c := range [][2]float64{{x + w - rx, y + ry}, {x + w - rx, y + h - ry}, {x + rx, y + h - ry}, {x + rx, y + ry}} {
			p = append(p, r.round(c[0], c[1], rx, ry, math.Pi/2*float64(q-1), math.Pi/2*float64(q))...)
		}
		r.add(name, p, true, m)
	case "circle", "ellipse":
		rx, ry := get("rx"), get("ry")
		if kind == "circle" {
			rx = get("r")
			ry = rx
		}
		if rx <= 0 || ry <= 0 {
			return
		}
		p := r.round(get("cx"), get("cy"), rx, ry, 0, 2*math.Pi)
		r.add(name, p[:len(p)-1], true, m)
	}
}

// round is an arc of an ellipse, both ends included.
func (r *reading) round(cx, cy, rx, ry, from, to float64) [][2]float64 {
	// a chord of angle φ is r(1 − cos(φ/2)) off its arc; at most 720 pieces
	pieces := min(max(4, math.Ceil(math.Abs(to-from)/(2*math.Acos(max(0, 1-r.flat/max(rx, ry, r.flat)))+1e-9))), 720)
	// radii of which nothing finite comes
	if math.IsNaN(pieces) {
		pieces = 4
	}
	n := int(pieces)
	var p [][2]float64
	for i := range n + 1 {
		s, c := math.Sincos(from + (to-from)*float64(i)/float64(n))
		p = append(p, [2]float64{cx + rx*c, cy + ry*s})
	}
	return p
}

// numbers reads a list of numbers.
func numbers(where, s string) []float64 {
	var out []float64
	for sc := (scanner{s: s, where: where}); ; {
		v, ok := sc.number()
		if !ok {
			if strings.TrimSpace(sc.s) != "" {
				fail(where, "%q is not a list of numbers", sc.s[:min(len(sc.s), 40)])
			}
			return out
		}
		if out = append(out, v); len(out) > 2*MaxPoints {
			fail(where, "too many numbers")
		}
	}
}

// scanner reads the compact numbers of path data: "1-2.5.5e1".
type scanner struct{ s, where string }

func (c *scanner) space() { c.s = strings.TrimLeft(c.s, " \t\r\n,") }

// number reads a number as the language writes it: a sign or a point may begin
// the next one, without a space between.
func (c *scanner) number() (float64, bool) {
	c.space()
	i, dot, exp, digits := 0, false, false, false
	for i < len(c.s) {
		b := c.s[i]
		switch {
		case b >= '0' && b <= '9':
			digits = true
		// a sign inside a number begins the next one, but for that of an exponent
		case (b == '-' || b == '+') && (i == 0 || c.s[i-1] == 'e' || c.s[i-1] == 'E'):
		// so does a second point
		case b == '.' && !dot && !exp:
			dot = true
		case (b == 'e' || b == 'E') && digits && !exp:
			exp = true
		default:
			goto end
		}
		i++
	}
end:
	if !digits {
		return 0, false
	}
	v, err := strconv.ParseFloat(c.s[:i], 64)
	if err != nil {
		return 0, false
	}
	c.s = c.s[i:]
	return v, true
}

// flag reads the 0 or 1 of an arc, which may stand without a space after it.
func (c *scanner) flag() (bool, bool) {
	c.space()
	if c.s == "" || (c.s[0] != '0' && c.s[0] != '1') {
		return false, false
	}
	on := c.s[0] == '1'
	c.s = c.s[1:]
	return on, true
}

// transform reads a list of transforms, the last of which is applied first.
func transform(s string) matrix {
	m := matrix{1, 0, 0, 1, 0, 0}
	for strings.TrimSpace(s) != "" {
		// name(numbers) after name(numbers), the first listed outermost
		open, end := strings.IndexByte(s, '('), strings.IndexByte(s, ')')
		if open < 0 || end < open {
			fail("transform", "%q can't be read", s[:min(len(s), 40)])
		}
		name := strings.Trim(s[:open], " \t\r\n,")
		v := numbers("transform", s[open+1:end])
		s = s[end+1:]
		at := func(i int, def float64) float64 {
			if i < len(v) {
				return v[i]
			}
			return def
		}
		var n matrix
		switch name {
		case "matrix":
			if len(v) != 6 {
				fail("transform", "a matrix has %d numbers", len(v))
			}
			n = matrix(v)
		case "translate":
			n = matrix{1, 0, 0, 1, at(0, 0), at(1, 0)}
		case "scale":
			n = matrix{at(0, 1), 0, 0, at(1, at(0, 1)), 0, 0}
		case "rotate":
			si, co := math.Sincos(at(0, 0) * math.Pi / 180)
			x, y := at(1, 0), at(2, 0)
			// about a point: shift it to the origin, turn, and shift back
			n = matrix{co, si, -si, co, x - co*x + si*y, y - si*x - co*y}
		case "skewX":
			n = matrix{1, 0, math.Tan(at(0, 0) * math.Pi / 180), 1, 0, 0}
		case "skewY":
			n = matrix{1, math.Tan(at(0, 0) * math.Pi / 180), 0, 1, 0, 0}
		default:
			fail("transform", "%q isn't known", name[:min(len(name), 40)])
		}
		m = m.over(n)
	}
	return m
}
