package stl_test

import (
	"bytes"
	"encoding/binary"
	"errors"
	"fmt"
	"math"
	"strings"
	"testing"

	"zarf/core/format/stl"
	"zarf/core/geom"
)

const wedge = `solid left
 facet normal 0 0 1
  outer loop
   vertex 0 0 0
   vertex 1 0 0
   vertex 0 1e0 0
  endloop
 endfacet
endsolid left
solid right
 facet normal 0 0 1
  outer loop
   vertex 1 0 0
   vertex 1 1 0
   vertex 0 1 0
  endloop
 endfacet
endsolid right
`

func ExampleDecode() {
	m, err := stl.Decode([]byte(wedge))
	if err != nil {
		fmt.Println(err)
		return
	}
	fmt.Println(len(m.Meshes[0].P), "vertices,", m.Triangles(), "triangles, parts", m.Meshes[0].Parts)
	// Output: 4 vertices, 2 triangles, parts [left right]
}

func TestTextPartsFollowTheirTriangles(t *testing.T) {
	m, err := stl.Decode([]byte(strings.ReplaceAll(wedge, "\n", "\r\n")))
	if err != nil {
		t.Fatal(err)
	}
	b := &m.Meshes[0].Mesh
	if b.PartOf(0) != 0 || b.PartOf(1) != 1 {
		t.Errorf("parts %d, %d", b.PartOf(0), b.PartOf(1))
	}
	if b.Tri[0][1] != b.Tri[1][0] || b.Tri[0][2] != b.Tri[1][2] {
		t.Errorf("corners on one point are several vertices: %v", b.Tri)
	}
}

// The layout of a binary file: 80 bytes of text, the count, then for each
// triangle its normal, three corners and two bytes, 50 in all.
func TestBinaryLayout(t *testing.T) {
	m, _ := stl.Decode([]byte(wedge))
	var b bytes.Buffer
	if err := stl.Encode(&b, &m.Meshes[0].Mesh); err != nil {
		t.Fatal(err)
	}
	data := b.Bytes()
	if len(data) != 84+2*50 || binary.LittleEndian.Uint32(data[80:]) != 2 {
		t.Fatalf("%d bytes, count %d", len(data), binary.LittleEndian.Uint32(data[80:]))
	}
	for n, want := range []float32{0, 0, 1, 0, 0, 0, 1, 0, 0, 0, 1, 0} { // normal, then corners
		if got := math.Float32frombits(binary.LittleEndian.Uint32(data[84+4*n:])); got != want {
			t.Errorf("number %d is %g, want %g", n, got, want)
		}
	}
	// a binary file may begin with “solid” all the same
	copy(data, "solid by its length")
	again, err := stl.Decode(data)
	if err != nil || again.Triangles() != 2 || len(again.Meshes[0].P) != 4 {
		t.Errorf("%v %v", again, err)
	}
}

func TestBallComesBack(t *testing.T) {
	ball := geom.BallMesh(0.4, 24)
	var b bytes.Buffer
	if err := stl.Encode(&b, ball); err != nil {
		t.Fatal(err)
	}
	m, err := stl.Decode(b.Bytes())
	if err != nil {
		t.Fatal(err)
	}
	got := &m.Meshes[0].Mesh
	if len(got.P) != len(ball.P) || len(got.Tri) != len(ball.Tri) || got.OpenEdges() != 0 {
		t.Errorf("%d vertices and %d triangles of %d and %d, %d open edges", len(got.P), len(got.Tri), len(ball.P), len(ball.Tri), got.OpenEdges())
	}
	for n := range ball.Tri {
		a, _, _ := ball.Corners(n)
		c, _, _ := got.Corners(n)
		if a.Dist(c) > 1e-7 {
			t.Fatalf("triangle %d begins at %v, was %v", n, c, a)
		}
	}
}

func TestWhatIsWrongIsNamed(t *testing.T) {
	head := make([]byte, 84)
	many := bytes.Clone(head)
	binary.LittleEndian.PutUint32(many[80:], 0xffffffff)
	cut := bytes.Clone(head)
	binary.LittleEndian.PutUint32(cut[80:], 3)
	nan := make([]byte, 84+50)
	binary.LittleEndian.PutUint32(nan[80:], 1)
	binary.LittleEndian.PutUint32(nan[96:], math.Float32bits(float32(math.NaN())))
	for want, data := range map[string][]byte{
		"header: it is neither":               []byte("hello"),
		"triangles; up to":                    many,
		"3 triangles need 234 bytes":          cut,
		"triangle 0: a corner is at":          nan,
		"line 2: the file has no facets":      []byte("solid x\nendsolid x\n"),
		"line 3: \"far\" is no place":         []byte("solid x\nouter loop\nvertex 1 2 far\n"),
		"line 3: a facet needs three corners": []byte("solid x\nouter loop\nvertex 1 2\n"),
		"line 3: a facet has 1 corners":       []byte("solid x\nvertex 1 2 3\nendloop\n"),
		"line 2: \"Inf\" is no place":         []byte("solid x\nvertex 1 2 Inf\n"),
	} {
		_, err := stl.Decode(data)
		var e *stl.Error
		if !errors.As(err, &e) || !strings.Contains(err.Error(), want) {
			t.Errorf("%q: got %v", want, err)
		}
	}
}

func FuzzDecode(f *testing.F) {
	f.Add([]byte(wedge))
	m, _ := stl.Decode([]byte(wedge))
	var b bytes.Buffer
	stl.Encode(&b, &m.Meshes[0].Mesh)
	f.Add(b.Bytes())
	for n := 0; n < b.Len(); n += 7 {
		f.Add(b.Bytes()[:n])
	}
	f.Fuzz(func(t *testing.T, data []byte) {
		if m, err := stl.Decode(data); err == nil {
			if err := m.Check(); err != nil {
				t.Error(err)
			}
		}
	})
}
