package obj_test

import (
	"bytes"
	"errors"
	"fmt"
	"math"
	"strings"
	"testing"

	"zarf/core/format/obj"
	"zarf/core/geom"
)

func ExampleDecode() {
	m, err := obj.Decode([]byte("g roof\nv 0 0 0\nv 2 0 0\nv 2 0 1\nv 0 0 1\nf 1 2 3 4\n"))
	if err != nil {
		fmt.Println(err)
		return
	}
	fmt.Println(m.Triangles(), "triangles of", m.Meshes[0].Parts)
	// Output: 2 triangles of [roof]
}

func area(m *geom.Mesh) (sum float64) {
	for n := range m.Tri {
		a, b, c := m.Corners(n)
		sum += b.Sub(a).Cross(c.Sub(a)).Len() / 2
	}
	return sum
}

// Polygons that turn in are cut without covering what lies outside: an L of
// five squares has the area 5.
func TestPolygonsThatTurnIn(t *testing.T) {
	m, err := obj.Decode([]byte("v 0 0 0\nv 3 0 0\nv 3 1 0\nv 1 1 0\nv 1 3 0\nv 0 3 0\nf 1 2 3 4 5 6\n"))
	if err != nil {
		t.Fatal(err)
	}
	if got := area(&m.Meshes[0].Mesh); m.Triangles() != 4 || math.Abs(got-5) > 1e-12 {
		t.Errorf("%d triangles of %g", m.Triangles(), got)
	}
}

func TestStatements(t *testing.T) {
	for _, c := range []struct {
		what, text string
		tri, parts int
	}{
		{"counted from the end", "v 0 0 0\nv 1 0 0\nv 0 1 0\nf -3 -2 -1\n", 1, 1},
		{"texture and normal after a slash", "v 0 0 0\nv 1 0 0\nv 0 1 0\nvt 0 0\nvn 0 0 1\nf 1/1/1 2//1 3/1\n", 1, 1},
		{"a line that goes on", "v 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 \\\n3\n", 1, 1},
		{"materials where nothing is named", "v 0 0 0\nv 1 0 0\nv 0 1 0\nusemtl iron\nf 1 2 3\nusemtl oak\nf 1 3 2\n", 2, 2},
		{"materials count for nothing beside groups", "g a\nv 0 0 0\nv 1 0 0\nv 0 1 0\nusemtl iron\nf 1 2 3\nusemtl oak\nf 1 3 2\n", 2, 1},
		{"comments, blank lines and what isn't known", "# x\n\nshadow_obj y\nv 0 0 0\nv 1 0 0\nv 0 1 0\ns off\nf 1 2 3\r\n", 1, 1},
	} {
		m, err := obj.Decode([]byte(c.text))
		if err != nil || m.Triangles() != c.tri {
			t.Errorf("%s: %v", c.what, err)
			continue
		}
		used := map[int32]bool{}
		b := &m.Meshes[0].Mesh
		if len(b.Parts) > 0 {
			for n := range b.Tri {
				used[b.PartOf(n)] = true
			}
		}
		if len(used) != c.parts {
			t.Errorf("%s: %d parts %v", c.what, len(used), b.Parts)
		}
	}
}

func TestLinesAreCurves(t *testing.T) {
	m, err := obj.Decode([]byte("v 0 0 0\nv 1 0 0\nv 1 2 0\no path\nl 1 2 3\n"))
	if err != nil || len(m.Curves) != 1 || len(m.Curves[0].Points) != 3 || m.Curves[0].Points[2] != geom.V(1, 2, 0) {
		t.Fatalf("%v %+v", err, m)
	}
}

func TestMeshComesBack(t *testing.T) {
	ball := geom.BallMesh(0.3, 16)
	ball.Parts = []string{"low", "high"}
	ball.Part = make([]int32, len(ball.Tri))
	for n := len(ball.Tri) / 2; n < len(ball.Tri); n++ {
		ball.Part[n] = 1
	}
	ball.Colour = make([]geom.Vec3, len(ball.P))
	for n := range ball.Colour {
		ball.Colour[n] = geom.V(float64(n%5)/4, 0.5, 0.25)
	}
	var b bytes.Buffer
	if err := obj.Encode(&b, ball); err != nil {
		t.Fatal(err)
	}
	m, err := obj.Decode(b.Bytes())
	if err != nil {
		t.Fatal(err)
	}
	got := &m.Meshes[0].Mesh
	if len(got.P) != len(ball.P) || len(got.Tri) != len(ball.Tri) {
		t.Fatalf("%d and %d of %d and %d", len(got.P), len(got.Tri), len(ball.P), len(ball.Tri))
	}
	for n := range ball.Tri {
		if got.Tri[n] != ball.Tri[n] || got.Parts[got.PartOf(n)] != ball.Parts[ball.PartOf(n)] {
			t.Fatalf("triangle %d: %v of %q", n, got.Tri[n], got.Parts[got.PartOf(n)])
		}
	}
	for n := range ball.P {
		if got.P[n].Dist(ball.P[n]) > 1e-8 || got.Colour[n].Dist(ball.Colour[n]) > 1e-8 {
			t.Fatalf("vertex %d: %v %v", n, got.P[n], got.Colour[n])
		}
	}
}

func TestPointsAreVerticesOfAPointElement(t *testing.T) {
	var b bytes.Buffer
	p := make([][3]float32, 130)
	for n := range p {
		x := float32(3*n) / 8
		p[n] = [3]float32{x, x + 0.125, x + 0.25}
	}
	if err := obj.EncodePoints(&b, "two\nlines", p); err != nil {
		t.Fatal(err)
	}
	s := b.String()
	if !strings.HasPrefix(s, "# two lines\nv 0 0.125 0.25\n") || strings.Count(s, "\nv ") != 130 || strings.Count(s, "\np ") != 3 || !strings.HasSuffix(s, " 129 130\n") {
		t.Errorf("%.80s … %s", s, s[len(s)-40:])
	}
}

func TestWhatIsWrongIsNamed(t *testing.T) {
	for line, text := range map[int]string{
		1: "v 0 far 0\nv 1 0 0\nv 0 1 0\nf 1 2 3\n",
		2: "v 0 0 0\nf 1 2 3\n",
		3: "v 0 0 0\nv 1 0 0\nv NaN 0 0\n",
		4: "v 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 x\n",
		5: "v 0 0 0\nv 1 0 0\nv 0 1 0\n\nf 0 1 2\n",
	} {
		_, err := obj.Decode([]byte(text))
		var e *obj.Error
		if !errors.As(err, &e) || e.Line != line {
			t.Errorf("want a fault in line %d, got %v", line, err)
		}
	}
	if _, err := obj.Decode(nil); err == nil {
		t.Error("an empty file was taken")
	}
}

func FuzzDecode(f *testing.F) {
	f.Add([]byte("g roof\nv 0 0 0\nv 2 0 0\nv 2 0 1\nv 0 0 1\nf 1 2 3 4\nl 1 2\n"))
	f.Add([]byte("v 0 0 0 1 1 1\nf -1//-1 1/1 \\\n1\n"))
	f.Fuzz(func(t *testing.T, data []byte) {
		if m, err := obj.Decode(data); err == nil {
			if err := m.Check(); err != nil {
				t.Error(err)
			}
		}
	})
}
