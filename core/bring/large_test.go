package bring

import (
	"bytes"
	"fmt"
	"strings"
	"testing"
	"time"

	"zarf/core/format/gltf"
	"zarf/core/geom"
	"zarf/core/model"
)

// copies is a file that shows a mesh of so many parts, a triangle each, so often.
func copies(t *testing.T, nodes, parts int) []byte {
	t.Helper()
	m := &geom.Mesh{P: []geom.Vec3{{}, {X: 1}, {Y: 1}}}
	for n := range parts {
		m.Tri = append(m.Tri, [3]int32{0, 1, 2})
		m.Part = append(m.Part, int32(n))
		m.Parts = append(m.Parts, fmt.Sprintf("part %d", n))
	}
	md := model.FromMesh(m)
	for n := 1; n < nodes; n++ {
		nd := model.NewNode(fmt.Sprintf("node %d", n))
		nd.Mesh, nd.T = 0, geom.V(float64(n), 0, 0)
		md.Nodes = append(md.Nodes, nd)
	}
	var b bytes.Buffer
	if err := gltf.Encode(&b, md); err != nil {
		t.Fatal(err)
	}
	return b.Bytes()
}

// A small file that shows its mesh ten thousand times is refused in words before
// anything is made of it; one within the budget comes in quickly, with parts that a
// person can choose among.
func TestCopiesHaveABudget(t *testing.T) {
	begin := time.Now()
	if _, _, err := Read("many.glb", copies(t, 9000, 2000), nil, Options{}); err == nil || !strings.Contains(err.Error(), "18000000") || !strings.Contains(err.Error(), "fewer copies") {
		t.Errorf("%v", err)
	}
	for _, c := range []struct{ nodes, parts, shown int }{{300, 5, 1500}, {3000, 20, 3000}, {12000, 3, 1}} {
		_, f, err := Read("some.glb", copies(t, c.nodes, c.parts), nil, Options{})
		if err != nil {
			t.Fatal(err)
		}
		if f.Triangles != c.nodes*c.parts || max(1, len(f.Parts)) != c.shown {
			t.Errorf("%d × %d: %d triangles in %d parts, want %d", c.nodes, c.parts, f.Triangles, len(f.Parts), c.shown)
		}
	}
	if took := time.Since(begin); took > 10*time.Second {
		t.Errorf("it took %v", took)
	}
}
