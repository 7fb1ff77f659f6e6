// Package obj reads and writes Wavefront OBJ: vertices with colours, polygons
// cut into triangles, objects and groups as parts, lines as curves. Curved
// surfaces and materials' looks are left out; a material's name makes a part
// where there are neither objects nor groups. Numbers are in the file's own
// unit.
//
// The text, a statement a line, words parted by blanks:
//
//	v x y z [r g b]      a vertex; all of a file are in one list, from 1 on
//	f a b c …            a polygon; a is vertex/texture/normal, negative from the end
//	l a b …              a line
//	o NAME, g NAME       what follows belongs to
//	usemtl NAME          is made of
//
// A line that ends with \ goes on in the next. Anything else is passed over. Reading
// makes one pass and no copy of the text.
package obj

import (
	"bufio"
	"bytes"
	"fmt"
	"io"
	"strconv"
	"strings"

	"zarf/core/geom"
	"zarf/core/model"
)

// Error tells which line of a file is wrong.
// Lines are what an editor shows, counted from 1.
type Error struct {
	Line int
	What string
}

func (e *Error) Error() string { return fmt.Sprintf("OBJ, line %d: %s", e.Line, e.What) }

// reading gathers a mesh line by line. Faces refer to vertices by number from 1, or
// backwards from the last one by negative numbers; all vertices of a file are in one
// list, whatever object they stand in.
// parts tells a name's index; cur is the part in force, −1 where it must be looked
// up.
type reading struct {
	m      geom.Mesh
	curves []model.Curve
	line   int
	parts  map[string]int32
	object string
	group  string
	mat    string
	cur    int32
	named  bool // an object or group was named: materials don't count
}

// Decode reads a file. What is wrong is an *Error.
func Decode(data []byte) (*model.Model, error) {
	r := &reading{parts: map[string]int32{}, cur: -1}
	// asked before reading, as materials may come before the first object
	r.named = bytes.Contains(data, []byte("\no ")) || bytes.Contains(data, []byte("\ng ")) || bytes.HasPrefix(data, []byte("o ")) || bytes.HasPrefix(data, []byte("g "))
	// What a line with a backslash at its end left over.
	var held []byte
	for len(data) > 0 {
		r.line++
		var line []byte
		line, data, _ = bytes.Cut(data, []byte("\n"))
		// files from elsewhere end lines with \r\n
		line = bytes.TrimRight(line, " \t\r")
		if n := len(line); n > 0 && line[n-1] == '\\' { // goes on in the next line
			if len(held)+n > 1<<20 {
				return nil, &Error{r.line, "a statement of over a megabyte"}
			}
			held = append(append(held, line[:n-1]...), ' ')
			continue
		}
		if held != nil {
			line, held = append(held, line...), nil
		}
		if err := r.statement(line); err != nil {
			return nil, err
		}
	}
	if len(r.m.Tri) == 0 && len(r.curves) == 0 {
		return nil, &Error{r.line, "the file has no faces; export polygons"}
	}
	// colours may be given for the first vertices alone
	for len(r.m.Colour) > 0 && len(r.m.Colour) < len(r.m.P) {
		// White changes nothing where colour multiplies.
		r.m.Colour = append(r.m.Colour, geom.V(1, 1, 1))
	}
	md := model.FromMesh(&r.m)
	for i, c := range r.curves {
		// Each curve gets a node, so that it has a name and a place like a mesh.
		nd := model.NewNode(c.Name)
		nd.Curve = i
		md.Nodes = append(md.Nodes, nd)
	}
	md.Curves = r.curves
	return md, nil
}

func (r *reading) fail(format string, a ...any) error {
	return &Error{r.line, fmt.Sprintf(format, a...)}
}

// statement reads one line: a word and what belongs to it. Words that say nothing
// about shape are passed over.
// Unknown words are no errors: half of what programs write in this format is theirs.
func (r *reading) statement(line []byte) error {
	word, rest, _ := bytes.Cut(bytes.TrimLeft(line, " \t"), []byte(" "))
	switch string(word) {
	case "v":
		return r.vertex(rest)
	case "f":
		return r.face(rest)
	case "l":
		return r.polyline(rest)
	case "o", "g", "usemtl":
		name := string(bytes.TrimSpace(rest))
		switch string(word) {
		case "o":
			r.object, r.group = name, ""
		case "g":
			r.group = name
		default:
			r.mat = name
		}
		r.cur = -1
	}
	return nil
}

// part is the part that faces go to now: named by object and group, or where a file
// names neither, by material.
func (r *reading) part() int32 {
	if r.cur >= 0 {
		return r.cur
	}
	name := r.object
	// "default" is what exporters write where there is no group.
	if r.group != "" && r.group != "default" {
		if name != "" && name != r.group {
			name += " / "
		} else {
			name = ""
		}
		name += r.group
	}
	if !r.named {
		name = r.mat
	}
	id, ok := r.parts[name]
	if !ok {
		// Beyond the limit everything falls into the last part rather than being
		// lost.
		if len(r.m.Parts) < geom.MaxParts {
			r.m.Parts = append(r.m.Parts, name)
		}
		id = int32(len(r.m.Parts) - 1)
		r.parts[name] = id
	}
	r.cur = id
	return id
}

// vertex reads x y z, and maybe a weight or r g b behind them.
func (r *reading) vertex(b []byte) error {
	var v [7]float64
	n := 0
	for len(b) > 0 && n < len(v) {
		var word []byte
		word, b = field(b)
		if len(word) == 0 {
			break
		}
		x, err := strconv.ParseFloat(string(word), 64)
		if err != nil {
			return r.fail("%q is not a number", clip(word))
		}
		v[n] = x
		n++
	}
	if n < 3 {
		return r.fail("a vertex has %d numbers; it needs 3", n)
	}
	if len(r.m.P) >= geom.MaxVertices {
		return r.fail("over %d vertices; hand over a lighter mesh", geom.MaxVertices)
	}
	r.m.P = append(r.m.P, geom.V(v[0], v[1], v[2]))
	// vertices before the first coloured one become white
	// Four numbers are x y z w, and w is not used by polygons. Colours are linear,
	// as they are floats.
	if n >= 6 { // x y z r g b, as many programs write
		for len(r.m.Colour) < len(r.m.P)-1 {
			r.m.Colour = append(r.m.Colour, geom.V(1, 1, 1))
		}
		r.m.Colour = append(r.m.Colour, geom.V(v[3], v[4], v[5]))
	}
	return nil
}

func clip(b []byte) string { return string(b[:min(len(b), 40)]) }

// field cuts the next word off.
func field(b []byte) (word, rest []byte) {
	i := 0
	for i < len(b) && (b[i] == ' ' || b[i] == '\t') {
		i++
	}
	j := i
	for j < len(b) && b[j] != ' ' && b[j] != '\t' {
		j++
	}
	return b[i:j], b[j:]
}

// ref reads a corner, vertex/texture/normal: "7", "7/1", "7//3" or "-1/…", of which
// the vertex alone is wanted.
func (r *reading) ref(word []byte) (int32, error) {
	num, _, _ := bytes.Cut(word, []byte("/"))
	n, err := strconv.Atoi(string(num))
	if err != nil {
		return 0, r.fail("%q names no vertex", clip(word))
	}
	// −1 is the last vertex so far
	if n < 0 {
		n += len(r.m.P) + 1
	}
	if n < 1 || n > len(r.m.P) {
		return 0, r.fail("names vertex %s; there are %d so far", clip(num), len(r.m.P))
	}
	return int32(n - 1), nil
}

// face reads a polygon and cuts it into triangles.
// The triangles of a polygon keep its direction round, so outsides stay outside.
func (r *reading) face(b []byte) error {
	var poly []int32
	for {
		var word []byte
		if word, b = field(b); len(word) == 0 {
			break
		}
		v, err := r.ref(word)
		if err != nil {
			return err
		}
		poly = append(poly, v)
	}
	if len(poly) < 3 {
		return r.fail("a face has %d corners; it needs 3", len(poly))
	}
	if len(r.m.Tri)+len(poly) > geom.MaxTriangles {
		return r.fail("over %d triangles; hand over a lighter mesh", geom.MaxTriangles)
	}
	part := r.part()
	// polygons may be bent and concave: cut by ears in their own plane
	for _, t := range geom.Triangulate(r.m.P, poly) {
		r.m.Tri = append(r.m.Tri, t)
		r.m.Part = append(r.m.Part, part)
	}
	return nil
}

// polyline reads a curve; one that ends where it began is closed.
func (r *reading) polyline(b []byte) error {
	name := r.object
	if name == "" {
		name = "line " + strconv.Itoa(len(r.curves)+1)
	}
	c := model.Curve{Name: name}
	for {
		var word []byte
		if word, b = field(b); len(word) == 0 {
			break
		}
		v, err := r.ref(word)
		if err != nil {
			return err
		}
		c.Points = append(c.Points, r.m.P[v])
	}
	if n := len(c.Points); n > 2 && c.Points[0] == c.Points[n-1] {
		c.Points, c.Closed = c.Points[:n-1], true
	}
	// Hair as lines would be a hundred thousand curves; they are of no use here.
	if len(c.Points) >= 2 && len(r.curves) < 1000 {
		r.curves = append(r.curves, c)
	}
	return nil
}

// Encode writes a mesh; parts become groups.
func Encode(to io.Writer, m *geom.Mesh) error {
	w := bufio.NewWriterSize(to, 1<<16)
	// nine figures give a float32 back to the bit
	num := func(x float64) { w.WriteByte(' '); w.WriteString(strconv.FormatFloat(x, 'g', 9, 64)) }
	fmt.Fprintln(w, "# metres, y up")
	for n, p := range m.P {
		w.WriteByte('v')
		num(p.X)
		num(p.Y)
		num(p.Z)
		if m.Colour != nil {
			num(m.Colour[n].X)
			num(m.Colour[n].Y)
			num(m.Colour[n].Z)
		}
		w.WriteByte('\n')
	}
	// A group line only where the part changes.
	last := int32(-1)
	for n, t := range m.Tri {
		if p := m.PartOf(n); len(m.Parts) > 0 && p != last {
			fmt.Fprintf(w, "g %s\n", m.Parts[p])
			last = p
		}
		fmt.Fprintf(w, "f %d %d %d\n", t[0]+1, t[1]+1, t[2]+1)
	}
	return w.Flush()
}

// EncodePoints writes points as vertices that a point
// element lists. note goes into the head.
// %.9g gives every float32 back.
func EncodePoints(to io.Writer, note string, p [][3]float32) error {
	w := bufio.NewWriterSize(to, 1<<16)
	fmt.Fprintf(w, "# %s\n", strings.ReplaceAll(note, "\n", " "))
	for _, x := range p {
		fmt.Fprintf(w, "v %.9g %.9g %.9g\n", x[0], x[1], x[2])
	}
	for n := range p {
		// elements of 64: a line for all points would be longer than some readers
		// take
		if n%64 == 0 {
			if n > 0 {
				w.WriteByte('\n')
			}
			w.WriteByte('p')
		}
		fmt.Fprintf(w, " %d", n+1)
	}
	w.WriteByte('\n')
	return w.Flush()
}
