// Package ply reads and writes PLY meshes: text and binary of either byte
// order, polygons and triangle strips, vertex colours, any other elements and
// properties skipped. Integer colours are taken to be sRGB-coded, as programs
// write them.
//
// The file is a header of text, which names elements (tables) and their properties
// (columns), and then the rows, element after element, as text or as packed numbers
// without any padding. Nothing tells how long a row with lists is but reading it, so
// elements that aren't wanted are read over. Numbers are bounded by the bytes that
// are left before memory is taken for them.
package ply

import (
	"bytes"
	"encoding/binary"
	"fmt"
	"io"
	"math"
	"strconv"
	"strings"

	"zarf/core/geom"
	"zarf/core/model"
	"zarf/core/srgb"
)

// Error tells where a file is wrong.
// A file of tables has no path like JSON, so Where is the table and the row.
type Error struct{ Where, What string }

func (e *Error) Error() string { return "PLY, " + e.Where + ": " + e.What }

// fail ends the reading; Decode and DecodePoints catch it.
func fail(where, format string, a ...any) { panic(&Error{where, fmt.Sprintf(format, a...)}) }

// property is one number, or a list of them, of each row of an element.
// Both kinds are words of the header, looked up in sizes when it was read: what is
// in the list after the header is known to be readable.
type property struct {
	name  string
	kind  string // of the value, or of the list's entries
	count string // kind of the list's length; empty: no list
}

// element is a table: so many rows, each with the same properties in order.
type element struct {
	name  string
	many  int
	props []property
}

// sizes are the bytes of the types, under both names that files use.
var sizes = map[string]int{"char": 1, "int8": 1, "uchar": 1, "uint8": 1, "short": 2, "int16": 2, "ushort": 2, "uint16": 2, "int": 4, "int32": 4, "uint": 4, "uint32": 4, "float": 4, "float32": 4, "double": 8, "float64": 8}

// Decode reads a file. What is wrong is an *Error.
func Decode(data []byte) (m *model.Model, err error) {
	defer func() {
		if p := recover(); p != nil {
			fe, ok := p.(*Error)
			if !ok {
				panic(p)
			}
			m, err = nil, fe
		}
	}()
	// Elements lie one behind the other, in the order of the header; there is no
	// other way to find one than to read those before it, wanted or not.
	elements, src := header(data)
	mesh := &geom.Mesh{}
	for _, e := range elements {
		switch e.name {
		// Vertices come before faces in files that exporters write; where they
		// don't, faces finds none to refer to and says so.
		case "vertex":
			vertices(e, src, mesh)
		case "face":
			faces(e, src, mesh)
		case "tristrips":
			strips(e, src, mesh)
		default:
			// Elements of other names are read over row by row, since lists make
			// rows of unknown length; the check of many against the bytes left
			// bounds the loop.
			for range e.many {
				for _, p := range e.props {
					skip(p, src, e.name)
				}
			}
		}
	}
	// A cloud of points is another matter: DecodePoints reads it for sequences.
	if len(mesh.Tri) == 0 {
		fail("faces", "there are none; points alone can't be used as a mesh")
	}
	// a face may have come before its vertices
	for n, t := range mesh.Tri {
		for _, v := range t {
			if v < 0 || int(v) >= len(mesh.P) {
				fail("faces", "triangle %d names vertex %d; there are %d", n, v, len(mesh.P))
			}
		}
	}
	return model.FromMesh(mesh), nil
}

// source hands out the numbers of the body in order: words between white space in a
// text file, else as many bytes as the type has.
type source struct {
	data  []byte
	text  bool
	order binary.ByteOrder
}

// number is the next number, of a type where the file is binary.
// In a text file the kind is not asked: 1.0 for an integer occurs and means 1.
func (s *source) number(kind, where string) float64 {
	if s.text {
		i := 0
		// Line ends are white space like any other here; rows in text files may be
		// broken.
		for i < len(s.data) && s.data[i] <= ' ' {
			i++
		}
		j := i
		for j < len(s.data) && s.data[j] > ' ' {
			j++
		}
		if i == j {
			fail(where, "the file ends too early")
		}
		v, err := strconv.ParseFloat(string(s.data[i:j]), 64)
		if err != nil {
			fail(where, "%q is not a number", s.data[i:min(j, i+40)])
		}
		s.data = s.data[j:]
		return v
	}
	// signed and unsigned, 1 to 8 bytes: everything becomes float64, which holds all
	// of them exactly
	n := sizes[kind]
	if len(s.data) < n {
		fail(where, "the file ends too early")
	}
	b := s.data[:n]
	s.data = s.data[n:]
	switch kind {
	case "char", "int8":
		return float64(int8(b[0]))
	case "uchar", "uint8":
		return float64(b[0])
	case "short", "int16":
		return float64(int16(s.order.Uint16(b)))
	case "ushort", "uint16":
		return float64(s.order.Uint16(b))
	case "int", "int32":
		return float64(int32(s.order.Uint32(b)))
	case "uint", "uint32":
		return float64(s.order.Uint32(b))
	case "float", "float32":
		return float64(math.Float32frombits(s.order.Uint32(b)))
	}
	return math.Float64frombits(s.order.Uint64(b))
}

// length reads a list's length. It is bounded by the bytes that are left, since each
// entry takes one at least: a broken file must not ask for memory.
func (s *source) length(p property, where string) int {
	v := s.number(p.count, where)
	if v > float64(len(s.data)) {
		fail(where, "a list has a length of %g, but %d bytes are left: the file was cut off", v, len(s.data))
	}
	// Written so that NaN, from a list counted in floats, is refused.
	if !(v >= 0) || v != math.Trunc(v) {
		fail(where, "a list has a length of %g", v)
	}
	return int(v)
}

// skip passes over a property that isn't wanted.
func skip(p property, s *source, where string) {
	if p.count == "" {
		s.number(p.kind, where)
		return
	}
	for range s.length(p, where) {
		s.number(p.kind, where)
	}
}

// The header is lines of text up to end_header:
//
//	ply
//	format ascii|binary_little_endian|binary_big_endian 1.0
//	element NAME ROWS
//	property TYPE NAME
//	property list TYPE-OF-LENGTH TYPE NAME
//
// with comments between. Properties belong to the element above them.
func header(data []byte) (list []element, s *source) {
	s = &source{}
	line := 0
	for {
		row, rest, ok := bytes.Cut(data, []byte("\n"))
		if !ok {
			fail("header", "it doesn't end")
		}
		data = rest
		line++
		where := "header, line " + strconv.Itoa(line)
		// A header without line ends must not be split into a million words.
		f := strings.Fields(string(row[:min(len(row), 1000)]))
		switch {
		case line == 1:
			if len(f) != 1 || f[0] != "ply" {
				fail("header", "the file doesn't begin with “ply”")
			}
		case len(f) == 0 || f[0] == "comment" || f[0] == "obj_info":
		case f[0] == "format" && len(f) == 3:
			switch f[1] {
			case "ascii":
				s.text = true
			case "binary_little_endian":
				s.order = binary.LittleEndian
			case "binary_big_endian":
				s.order = binary.BigEndian
			default:
				fail(where, "format %q isn't known", f[1])
			}
		case f[0] == "element" && len(f) == 3:
			n, err := strconv.Atoi(f[2])
			if err != nil || n < 0 {
				fail(where, "%q is no number of elements", f[2])
			}
			// Told before anything is read: the artist learns it in a second and not
			// after minutes.
			if (f[1] == "vertex" && n > geom.MaxVertices) || (f[1] == "face" && n > geom.MaxTriangles) {
				fail(where, "%d of %s are more than are taken (%d vertices, %d triangles): hand over a lighter mesh", n, f[1], geom.MaxVertices, geom.MaxTriangles)
			}
			list = append(list, element{name: f[1], many: n})
		case f[0] == "property" && len(list) > 0 && (len(f) == 3 || (len(f) == 5 && f[1] == "list")):
			p := property{name: f[len(f)-1], kind: f[len(f)-2]}
			if len(f) == 5 {
				p.count = f[2]
			}
			if sizes[p.kind] == 0 || (p.count != "" && sizes[p.count] == 0) {
				fail(where, "type of property %q isn't known", p.name)
			}
			e := &list[len(list)-1]
			e.props = append(e.props, p)
		case f[0] == "end_header":
			if !s.text && s.order == nil {
				fail("header", "it names no format")
			}
			s.data = data
			for _, e := range list {
				// an element without properties takes no room: no count can be trusted
				if len(e.props) == 0 && e.many > 0 {
					fail("header", "element %q has no properties", e.name)
				}
				// Each row takes a byte at least, so a count beyond the bytes left
				// is a lie.
				if e.many > len(data) {
					fail("header", "%d of %s in %d bytes: the file was cut off", e.many, e.name, len(data))
				}
			}
			return list, s
		default:
			fail(where, "%q can't be read", clip(string(row)))
		}
		if line > 1000 {
			fail("header", "over 1000 lines")
		}
	}
}

func clip(s string) string { return s[:min(len(s), 60)] }

// vertices reads places and colours. Colours of one byte are sRGB-coded, as programs
// write them; floats are linear light.
func vertices(e element, s *source, m *geom.Mesh) {
	// Both spellings of colours occur. Normals and texture places are skipped:
	// nothing here reads them.
	at := map[string]int{"x": 0, "y": 1, "z": 2, "red": 3, "green": 4, "blue": 5, "r": 3, "g": 4, "b": 5}
	seen, coded := 0, false
	for _, p := range e.props {
		if i, ok := at[p.name]; ok && p.count == "" {
			seen |= 1 << i
			if i >= 3 {
				// by the type of the last colour: files don't mix them
				coded = sizes[p.kind] == 1
			}
		}
	}
	if seen&7 != 7 {
		fail("vertex", "x, y and z are not all there")
	}
	// bits 0 to 2 are x, y, z; 3 to 5 the colours: all six or none
	colours := seen == 63
	for n := range e.many {
		where := "vertex " + strconv.Itoa(n)
		var v [6]float64
		for _, p := range e.props {
			i, ok := at[p.name]
			if !ok || p.count != "" {
				skip(p, s, where)
				continue
			}
			v[i] = s.number(p.kind, where)
		}
		m.P = append(m.P, geom.V(v[0], v[1], v[2]))
		if colours {
			c := geom.V(v[3], v[4], v[5])
			if coded {
				c = geom.V(srgb.Decode(v[3]/255), srgb.Decode(v[4]/255), srgb.Decode(v[5]/255))
			}
			m.Colour = append(m.Colour, c)
		}
	}
}

// faces reads polygons of any number of corners and cuts them into triangles.
func faces(e element, s *source, m *geom.Mesh) {
	var poly []int32
	for n := range e.many {
		where := "face " + strconv.Itoa(n)
		for _, p := range e.props {
			if p.count == "" || (p.name != "vertex_indices" && p.name != "vertex_index") {
				skip(p, s, where)
				continue
			}
			poly = poly[:0]
			for range s.length(p, where) {
				v := s.number(p.kind, where)
				if !(v >= 0 && v < float64(len(m.P))) {
					// Checked here as well as in Decode: Triangulate looks the
					// corners up.
					fail(where, "names vertex %g; there are %d before it", v, len(m.P))
				}
				poly = append(poly, int32(v))
			}
			// A quad gives two triangles, an n-gon n − 2.
			m.Tri = append(m.Tri, geom.Triangulate(m.P, poly)...)
			if len(m.Tri) > geom.MaxTriangles {
				fail(where, "over %d triangles; hand over a lighter mesh", geom.MaxTriangles)
			}
		}
	}
}

// strips reads runs of vertices, each making a triangle with the two before it, every
// second one turned round. Several strips stand in one list; −1 ends one.
func strips(e element, s *source, m *geom.Mesh) {
	for range e.many {
		for _, p := range e.props {
			if p.count == "" || p.name != "vertex_indices" {
				skip(p, s, "tristrips")
				continue
			}
			var run []int32
			for range s.length(p, "tristrips") {
				v := s.number(p.kind, "tristrips")
				if v < 0 {
					run = run[:0]
					continue
				}
				if v >= float64(len(m.P)) {
					fail("tristrips", "names vertex %g; there are %d", v, len(m.P))
				}
				run = append(run, int32(v))
				if k := len(run); k >= 3 {
					t := [3]int32{run[k-3], run[k-2], run[k-1]}
					// every second triangle of a strip runs the other way round
					if k%2 == 0 {
						// With runs of three vertices k is 3 at the first triangle,
						// 4 at the second.
						t[1], t[2] = t[2], t[1]
					}
					m.Tri = append(m.Tri, t)
				}
			}
		}
	}
}

// Encode writes a binary little-endian file of floats.
// The body that it makes: 12 bytes a vertex, 24 with colours; 13 a face (its length,
// three indices).
func Encode(w io.Writer, m *geom.Mesh) error {
	var b bytes.Buffer
	fmt.Fprintf(&b, "ply\nformat binary_little_endian 1.0\ncomment metres, y up\nelement vertex %d\nproperty float x\nproperty float y\nproperty float z\n", len(m.P))
	if m.Colour != nil {
		b.WriteString("property float red\nproperty float green\nproperty float blue\n")
	}
	fmt.Fprintf(&b, "element face %d\nproperty list uchar int vertex_indices\nend_header\n", len(m.Tri))
	out := b.Bytes()
	// float32 as all readers expect; metres to a tenth of a micron at this size
	put := func(v geom.Vec3) {
		for _, x := range v.Array() {
			out = binary.LittleEndian.AppendUint32(out, math.Float32bits(float32(x)))
		}
	}
	for n, p := range m.P {
		put(p)
		if m.Colour != nil {
			put(m.Colour[n])
		}
	}
	for _, t := range m.Tri {
		out = append(out, 3)
		for _, v := range t {
			out = binary.LittleEndian.AppendUint32(out, uint32(v))
		}
	}
	_, err := w.Write(out)
	return err
}
