package ply

// Particles as PLY: the vertices of a file with whatever numbers stand beside them.

import (
	"bytes"
	"encoding/binary"
	"fmt"
	"io"
	"math"
	"slices"
	"strings"

	"zarf/core/frame"
)

// Points are particles.
type Points = frame.Points

// EncodePoints writes a binary little-endian file of vertices x, y, z, vx, vy, vz and
// what else there is.
func EncodePoints(w io.Writer, p *Points) error {
	var b bytes.Buffer
	// The comment tells units and axes to whoever opens the file in an editor.
	fmt.Fprintf(&b, "ply\nformat binary_little_endian 1.0\ncomment %s\nelement vertex %d\n", p.Comment, len(p.P))
	names := []string{"x", "y", "z"}
	if p.V != nil {
		names = append(names, "vx", "vy", "vz")
	}
	for _, e := range p.Extra {
		names = append(names, e.Name)
	}
	for _, n := range names {
		fmt.Fprintf(&b, "property float %s\n", n)
	}
	if len(p.Tri) > 0 {
		fmt.Fprintf(&b, "element face %d\nproperty list uchar int vertex_indices\n", len(p.Tri))
	}
	b.WriteString("end_header\n")
	// one allocation: rows are 4 bytes a property
	out := make([]byte, 0, b.Len()+len(p.P)*4*len(names)+13*len(p.Tri))
	out = append(out, b.Bytes()...)
	put := func(v [3]float32) {
		for _, x := range v {
			out = binary.LittleEndian.AppendUint32(out, math.Float32bits(x))
		}
	}
	for n, x := range p.P {
		put(x)
		if p.V != nil {
			put(p.V[n])
		}
		for _, e := range p.Extra {
			out = binary.LittleEndian.AppendUint32(out, math.Float32bits(e.V[n]))
		}
	}
	for _, t := range p.Tri {
		out = append(out, 3)
		for _, v := range t {
			out = binary.LittleEndian.AppendUint32(out, uint32(v))
		}
	}
	_, err := w.Write(out)
	return err
}

// DecodePoints reads the vertices of a file with their velocities, where it
// has vx, vy and vz, and its further numbers.
func DecodePoints(data []byte) (p *Points, err error) {
	defer func() {
		if r := recover(); r != nil {
			e, ok := r.(*Error)
			if !ok {
				panic(r)
			}
			p, err = nil, e
		}
	}()
	list, s := header(data)
	if len(list) == 0 {
		return nil, &Error{"header", "there are no vertices"}
	}
	// Reading over another element first would need no more than Decode does; no particle file
	// does it.
	if list[0].name != "vertex" {
		fail("element "+list[0].name, "stands before the vertices; points are read from files that begin with them")
	}
	p = s.points(list[0])
	if p.Of(frame.Sheet) != nil && len(list) > 1 && list[1].name == "face" { // our own cloth
		p.Tri = s.triangles(list[1], len(p.P))
	}
	return p, nil
}

// triangles reads faces of three corners each, of so many vertices.
func (s *source) triangles(e element, vertices int) [][3]int32 {
	if len(e.props) != 1 || e.props[0].count == "" {
		fail("faces", "have more than a list of vertices")
	}
	out := make([][3]int32, 0, min(e.many, 1<<20))
	for n := range e.many {
		where := fmt.Sprintf("face %d", n)
		if many := s.number(e.props[0].count, where); many != 3 {
			fail(where, "has %g corners; cloth has three", many)
		}
		var t [3]int32
		for c := range t {
			v := s.number(e.props[0].kind, where)
			if !(v >= 0 && v < float64(vertices)) {
				fail(where, "names vertex %g of %d", v, vertices)
			}
			t[c] = int32(v)
		}
		out = append(out, t)
	}
	return out
}

// points reads the vertices: places, velocities where all three parts are there,
// and every other number by its name.
func (s *source) points(e element) *Points {
	// columns by name, wherever they stand
	at := map[string]int{}
	for n, q := range e.props {
		at[q.name] = n
	}
	for _, k := range []string{"x", "y", "z"} {
		if _, ok := at[k]; !ok {
			fail("vertices", "have no %s", k)
		}
	}
	p := &Points{}
	moves := true
	for _, k := range []string{"vx", "vy", "vz"} {
		if _, ok := at[k]; !ok {
			moves = false
		}
	}
	// one row at a time, since a column's place in it is known but its type may vary
	row := make([]float32, len(e.props))
	own := map[int]int{}        // further numbers, by property
	high := map[int][]float32{} // upper bits of whole ones
	for n, q := range e.props {
		// Extra keeps the order of the file.
		if q.count == "" && !slices.Contains([]string{"x", "y", "z", "vx", "vy", "vz"}, q.name) {
			own[n] = len(p.Extra)
			p.Extra = append(p.Extra, frame.Attribute{Name: q.name})
		}
	}
	for n := range e.many {
		where := fmt.Sprintf("vertex %d", n)
		for m, q := range e.props {
			if q.count != "" {
				skip(q, s, where)
				continue
			}
			v := s.number(q.kind, where)
			// as large a whole number is an identity, which keeps all of its bits
			if _, mine := own[m]; mine && v >= exact && v == math.Trunc(v) && v < 1<<53 && strings.Contains(q.kind, "int") {
				if high[m] == nil {
					high[m] = make([]float32, e.many)
				}
				high[m][n] = float32(uint64(v) / exact)
				v = float64(uint64(v) % exact)
			}
			row[m] = float32(v)
			if x, ok := own[m]; ok {
				p.Extra[x].V = append(p.Extra[x].V, row[m])
			}
		}
		p.P = append(p.P, [3]float32{row[at["x"]], row[at["y"]], row[at["z"]]})
		if moves {
			p.V = append(p.V, [3]float32{row[at["vx"]], row[at["vy"]], row[at["vz"]]})
		}
	}
	for m, q := range e.props {
		if v := high[m]; v != nil {
			p.Extra = append(p.Extra, frame.Attribute{Name: q.name + "_high", V: v})
		}
	}
	return p
}

// exact is up to where a number of 32 bits holds whole ones.
const exact = 1 << frame.IDBits
