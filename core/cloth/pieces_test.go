package cloth

import (
	"fmt"
	"math"
	"strings"
	"testing"

	"zarf/core/asset"
	"zarf/core/bring"
	"zarf/core/shot"
	"zarf/core/shot/val"
)

// painted is a cloth from a file of 11 × 11 vertices, on which a half is painted along its x: by so
// much.
func painted(t *testing.T, weight float32, pairs ...val.Pair) (*shot.Shot, *shot.Element) {
	t.Helper()
	var b strings.Builder
	for j := range 11 {
		for i := range 11 {
			fmt.Fprintf(&b, "v %g 0 %g\n", float64(i)/10-0.5, float64(j)/10-0.5)
		}
	}
	for j := range 10 {
		for i := range 10 {
			a := j*11 + i + 1
			fmt.Fprintf(&b, "f %d %d %d %d\n", a, a+11, a+12, a+1)
		}
	}
	files := asset.NewMemory()
	ref, _, err := files.Bring("sheet.obj", []byte(b.String()), nil, bring.Options{Unit: 1})
	if err != nil {
		t.Fatal(err)
	}
	w := make([]float32, 121)
	for i := range w {
		if i%11 > 5 {
			w[i] = weight
		}
	}
	id, err := files.PutWeights(asset.Pack(w))
	if err != nil {
		t.Fatal(err)
	}
	s, _, e := sheetShot(append([]val.Pair{val.Form.Is("mesh"), val.Mesh.Is(ref), val.Size.Is(1, 0.01, 1), val.Share.Is("painted"), val.SharePainted.Is(id), val.TearsAt.Is(0.1), val.Pins.Is("none")}, pairs...)...)
	s.Attach(asset.New(files))
	return s, e
}

// What is painted on cloth from a file pins it, or makes it weak there, as it says.
func TestPaintedCloth(t *testing.T) {
	count := func(m *Stage) (pinned, weak int, most float64) {
		for i := range m.sys.X {
			if m.sys.weak[i] > 0 {
				weak++
			}
			most = max(most, m.sys.weak[i])
		}
		return len(m.pieces[0].pins), weak, most
	}
	s, _ := painted(t, 0.7)
	if pinned, weak, _ := count(begin(t, s, 1)); pinned != 55 || weak != 0 {
		t.Errorf("painted to be pinned, %d are and %d are weak", pinned, weak)
	}
	s, _ = painted(t, 0.7, val.ShareDoes.Is("weakens"))
	if pinned, weak, most := count(begin(t, s, 1)); pinned != 0 || weak != 55 || math.Abs(most-0.7) > 0.01 {
		t.Errorf("painted to be weak, %d are pinned and %d weak by up to %g", pinned, weak, most)
	}
}

// Cloth that is cut anew has a mesh of its own, and is pinned where the file's was painted.
func TestCutAnew(t *testing.T) {
	s, e := painted(t, 1, val.CutAnew.Is(0.05))
	m := begin(t, s, 1)
	if n := len(m.sys.X); n < 300 || n > 800 {
		t.Errorf("a square metre of edges of 5 cm has %d vertices", n)
	}
	for _, v := range m.pieces[0].pins {
		if x := m.sys.X[v].X; x < -1e-6 {
			t.Fatalf("a vertex is pinned at x = %g", x)
		}
	}
	at := m.sys.X[m.pieces[0].pins[0]]
	advance(t, m, 1)
	if far := m.sys.X[m.pieces[0].pins[0]].Dist(at); far > 1e-9 || len(m.pieces[0].pins) < 100 {
		t.Errorf("of %d pins the first moved by %g m", len(m.pieces[0].pins), far)
	}
	if n := vertices(s, e); n < 300 || n > 800 {
		t.Errorf("it is thought to have %g vertices", n)
	}
}
