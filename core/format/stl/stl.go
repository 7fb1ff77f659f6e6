// Package stl reads and writes STL, as text and binary: triangles without a
// unit. Solids of a text file become parts. Corners that stand on the same
// point become one vertex.
package stl

import (
	"bytes"
	"encoding/binary"
	"fmt"
	"io"
	"math"
	"strconv"

	"zarf/core/geom"
	"zarf/core/model"
)

// Error tells where a file is wrong.
type Error struct{ Where, What string }

func (e *Error) Error() string { return "STL, " + e.Where + ": " + e.What }

// building joins corners by place: a file lists three for every triangle, and
// nothing says that two of them are the same vertex but that they lie at the same
// place, to the bit. A corner costs one look into a map.
type building struct {
	m  geom.Mesh
	id map[geom.Vec3]int32
}

// add adds a triangle by the places of its corners.
func (b *building) add(c [3]geom.Vec3) {
	var t [3]int32
	for i, p := range c {
		// −0 and 0 are different keys, as are NaNs: the former leaves a seam of open
		// edges, the latter is refused before
		n, ok := b.id[p]
		if !ok {
			n = int32(len(b.m.P))
			b.id[p] = n
			b.m.P = append(b.m.P, p)
		}
		t[i] = n
	}
	b.m.Tri = append(b.m.Tri, t)
	b.m.Part = append(b.m.Part, int32(max(0, len(b.m.Parts)-1)))
}

// Decode reads a file. What is wrong is an *Error.
func Decode(data []byte) (*model.Model, error) {
	// Binary files may begin with “solid” as text files do; their length gives them
	// away: 84 bytes of head and 50 a triangle, exactly.
	if len(data) >= 84 {
		n := int64(binary.LittleEndian.Uint32(data[80:]))
		// or not text at all: then the count decides, and the checks below name what
		// is wrong
		if n > 0 && (84+50*n == int64(len(data)) || !bytes.HasPrefix(data, []byte("solid"))) {
			return decodeBinary(data, n)
		}
	}
	if !bytes.HasPrefix(bytes.TrimLeft(data, " \t\r\n"), []byte("solid")) {
		return nil, &Error{"header", "it is neither text that begins with “solid” nor as long as a binary file says"}
	}
	return decodeText(data)
}

// The binary layout, little-endian: 80 bytes of anything, the number of triangles as
// uint32; then for each 12 floats (normal, three corners) and two bytes that some
// programs put a colour into. Normals are made anew from the corners, since many
// files have them wrong.
func decodeBinary(data []byte, n int64) (*model.Model, error) {
	if n > geom.MaxTriangles {
		return nil, &Error{"header", fmt.Sprintf("%d triangles; up to %d are taken: hand over a lighter mesh", n, geom.MaxTriangles)}
	}
	if 84+50*n > int64(len(data)) {
		return nil, &Error{"header", fmt.Sprintf("%d triangles need %d bytes, the file has %d: it was cut off", n, 84+50*n, len(data))}
	}
	b := &building{id: map[geom.Vec3]int32{}}
	for i := range n {
		row := data[84+50*i+12:]
		var c [3]geom.Vec3
		for k := range c {
			f := func(x int) float64 {
				return float64(math.Float32frombits(binary.LittleEndian.Uint32(row[12*k+4*x:])))
			}
			c[k] = geom.V(f(0), f(1), f(2))
			if v := c[k].Dot(c[k]); math.IsNaN(v) || math.IsInf(v, 0) {
				return nil, &Error{fmt.Sprintf("triangle %d", i), fmt.Sprintf("a corner is at %v", c[k])}
			}
		}
		b.add(c)
	}
	b.m.Part = nil
	return model.FromMesh(&b.m), nil
}

// The text is words: solid NAME, then for every triangle “facet normal … outer loop
// vertex x y z (three times) endloop endfacet”, endsolid. What stands between the
// words that matter is passed over, as files differ there.
func decodeText(data []byte) (*model.Model, error) {
	b := &building{id: map[geom.Vec3]int32{}}
	var corner [3]geom.Vec3
	n, line := 0, 0
	for len(data) > 0 {
		line++
		var row []byte
		row, data, _ = bytes.Cut(data, []byte("\n"))
		f := bytes.Fields(row)
		if len(f) == 0 {
			continue
		}
		where := "line " + strconv.Itoa(line)
		switch string(bytes.ToLower(f[0])) {
		case "solid":
			name := string(bytes.TrimSpace(bytes.TrimSpace(row)[5:]))
			if len(b.m.Parts) < geom.MaxParts {
				b.m.Parts = append(b.m.Parts, name)
			}
		case "outer":
			n = 0
		case "vertex":
			if len(f) != 4 || n >= 3 {
				return nil, &Error{where, "a facet needs three corners of three numbers"}
			}
			var v [3]float64
			for i := range v {
				x, err := strconv.ParseFloat(string(f[i+1]), 64)
				if err != nil || math.IsNaN(x) || math.IsInf(x, 0) {
					return nil, &Error{where, fmt.Sprintf("%q is no place", f[i+1][:min(40, len(f[i+1]))])}
				}
				v[i] = x
			}
			corner[n] = geom.FromArray(v)
			n++
		case "endloop":
			if n != 3 {
				return nil, &Error{where, fmt.Sprintf("a facet has %d corners", n)}
			}
			if len(b.m.Tri) >= geom.MaxTriangles {
				return nil, &Error{where, fmt.Sprintf("over %d triangles; hand over a lighter mesh", geom.MaxTriangles)}
			}
			b.add(corner)
		}
	}
	if len(b.m.Tri) == 0 {
		return nil, &Error{"line " + strconv.Itoa(line), "the file has no facets"}
	}
	return model.FromMesh(&b.m), nil
}

// Encode writes a binary file.
func Encode(w io.Writer, m *geom.Mesh) error {
	buf := make([]byte, 84, 84+50*len(m.Tri))
	copy(buf, "metres, y up")
	binary.LittleEndian.PutUint32(buf[80:], uint32(len(m.Tri)))
	// normal, corners, two bytes that mean nothing
	put := func(v geom.Vec3) {
		for _, x := range v.Array() {
			buf = binary.LittleEndian.AppendUint32(buf, math.Float32bits(float32(x)))
		}
	}
	for n := range m.Tri {
		a, b, c := m.Corners(n)
		put(b.Sub(a).Cross(c.Sub(a)).Unit())
		put(a)
		put(b)
		put(c)
		buf = append(buf, 0, 0)
	}
	_, err := w.Write(buf)
	return err
}
