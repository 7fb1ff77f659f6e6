package cloth

import (
	"math"
	"strings"
	"testing"

	"zarf/core/geom"
)

// rims counts edges of one face, and of more than two.
func rims(m *geom.Mesh) (one, more int) {
	many := map[edgeKey]int{}
	for _, t := range m.Tri {
		for c := range 3 {
			many[edgeOf(t[c], t[(c+1)%3])]++
		}
	}
	for _, n := range many {
		switch {
		case n == 1:
			one++
		case n > 2:
			more++
		}
	}
	return one, more
}

func TestSewnForms(t *testing.T) {
	ball := Globe(geom.V(0.5, 0.5, 0.5), 0.1)
	if one, more := rims(ball); one+more != 0 {
		t.Errorf("a ball has %d edges at a rim and %d of three faces", one, more)
	}
	if v := ball.Volume(); math.Abs(v/(4*math.Pi/3*0.125)-1) > 0.03 {
		t.Errorf("a ball of radius 0.5 holds %g m³, inwards where negative", v)
	}
	if worst := uneven(ball); worst > 3 {
		t.Errorf("a face of a ball is %g times as long as high", worst)
	}
	tube := Sleeve(0.3, 0.3, 1, 0.5, 0.1)
	if one, more := rims(tube); more != 0 || one != 2*int(math.Round(math.Pi*0.6/0.1)) {
		t.Errorf("a sleeve has %d edges at its two rims, and %d of three faces", one, more)
	}
	b := tube.Bounds()
	if b.Size().Sub(geom.V(0.6, 1, 0.6)).Len() > 0.02 {
		t.Errorf("a sleeve 0.6 m wide and 1 m tall is %v", b.Size())
	}
	for _, p := range tube.P { // half as wide at its top
		if want := 0.3 * (1 - 0.5*(p.Y+0.5)); math.Abs(math.Hypot(p.X, p.Z)-want) > 1e-9 {
			t.Fatalf("at %g m it has the radius %g, not %g", p.Y, math.Hypot(p.X, p.Z), want)
		}
	}
}

func TestTidy(t *testing.T) {
	p := []geom.Vec3{{}, {X: 1}, {Y: 1}, {X: 1, Y: 1}, {X: 1}, {Z: 1}, {X: 9}}
	out, from, did, err := Tidy(&geom.Mesh{P: p, Tri: [][3]int32{
		{0, 1, 2}, {4, 2, 3}, // one looks the other way than the other, and has a vertex of its own
		{1, 2, 0}, // there twice
		{0, 0, 1}, // without an area
		{1, 2, 5}, // a third face at the edge
	}})
	if err != nil {
		t.Fatal(err)
	}
	if did != (Mended{Welded: 1, Dropped: 2, Turned: 1, Seams: 1}) && did != (Mended{Welded: 1, Dropped: 2, Turned: 0, Seams: 1}) {
		t.Errorf("it did %+v", did)
	}
	if len(out.P) != 5 || len(out.Tri) != 3 || len(from) != 5 || from[4] != 5 {
		t.Errorf("%d vertices from %v, %d faces", len(out.P), from, len(out.Tri))
	}
	for name, m := range map[string]*geom.Mesh{
		"is no place":  {P: []geom.Vec3{{X: math.NaN()}, {X: 1}, {Y: 1}}, Tri: [][3]int32{{0, 1, 2}}},
		"has an area":  {P: p, Tri: [][3]int32{{0, 0, 1}}},
		"names vertex": {P: p, Tri: [][3]int32{{0, 1, 77}}},
	} {
		if _, _, _, err := Tidy(m); err == nil || !strings.Contains(err.Error(), name) {
			t.Errorf("%v says nothing of what %q is about", err, name)
		}
	}
}

// Faces that look both ways are turned to what most of their piece do.
func TestOrient(t *testing.T) {
	m := Globe(geom.V(1, 1, 1), 0.4)
	want := m.Volume()
	for k := 0; k < len(m.Tri); k += 3 {
		m.Tri[k][1], m.Tri[k][2] = m.Tri[k][2], m.Tri[k][1]
	}
	out, _, did, err := Tidy(m)
	if err != nil || math.Abs(out.Volume()-want) > 1e-9 || did.Turned == 0 {
		t.Errorf("after turning %d faces it holds %g m³, not %g: %v", did.Turned, out.Volume(), want, err)
	}
}
