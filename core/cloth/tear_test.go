package cloth

import (
	"math"
	"testing"

	"zarf/core/geom"
)

// pulled is a strip whose ends are drawn apart, as far as of its length, in a second.
func pulled(t *testing.T, threads int, tears, far float64, weak func(p geom.Vec3) float64) (*System, int) {
	t.Helper()
	f := canvas
	f.Tears, f.Uneven = tears, 0.1
	m := Rectangle(0.4, 0.2, 21, 11)
	sheet := Sheet{ID: "a", Mesh: m, Warp: geom.V(1, 0, 0), Fabric: f, Flat: true}
	if weak != nil {
		for _, p := range m.P {
			sheet.Weak = append(sheet.Weak, weak(p))
		}
	}
	s := system(t, threads, sheet)
	w := World{}
	torn := 0
	for k := range 96 {
		for v := range 11 {
			s.Pin(v*21, m.P[v*21])
			s.Pin(v*21+20, m.P[v*21+20].Add(geom.V(0.4*far*float64(k+1)/96, 0, 0)))
		}
		torn += s.Step(1.0/96, &w).Torn
	}
	return s, torn
}

// What is stretched beyond its limit parts in two, where it is weakest, and keeps its faces and
// its mass; what isn't stays whole.
func TestTear(t *testing.T) {
	if s, torn := pulled(t, 2, 0.3, 0.2, nil); torn > 0 || s.Pieces() != 1 {
		t.Errorf("stretched by 20 %% of 30, %d vertices parted", torn)
	}
	if s, torn := pulled(t, 2, 0, 0.6, nil); torn > 0 || s.Pieces() != 1 {
		t.Errorf("what never tears parted at %d vertices", torn)
	}
	weak := func(p geom.Vec3) float64 { return 0.5 * math.Exp(-(p.X-0.12)*(p.X-0.12)/0.0004) }
	s, torn := pulled(t, 2, 0.3, 0.5, weak)
	var mass float64
	for _, m := range s.Mass {
		mass += m
	}
	t.Logf("%d vertices parted, %d pieces, %.4f kg of %.4f", torn, s.Pieces(), mass, 0.08*canvas.Mass)
	if torn == 0 || s.Pieces() < 2 || len(s.faces) != 400 || math.Abs(mass/(0.08*canvas.Mass)-1) > 0.01 { // what frays is lost
		t.Errorf("%d vertices parted, %d pieces, %d faces, %.6f kg", torn, s.Pieces(), len(s.faces), mass)
	}
	// across the weak place: new vertices were there
	for v := 231; v < len(s.X); v++ {
		if x := s.rest[v].X; math.Abs(x-0.12) > 0.05 {
			t.Errorf("it parted at %.3f m, and is weak at 0.12", x)
		}
	}
	_, at := edges(s.faces)
	for k, list := range at {
		if len(list) > 2 {
			t.Errorf("edge %v has %d faces", k, len(list))
		}
	}
	for _, x := range s.X {
		if math.IsNaN(x.X + x.Y + x.Z) {
			t.Fatal("a vertex is nowhere")
		}
	}
	one, _ := pulled(t, 1, 0.3, 0.5, weak)
	if len(one.X) != len(s.X) || one.X[len(one.X)-1] != s.X[len(s.X)-1] || one.X[7] != s.X[7] {
		t.Error("one thread tears otherwise than two")
	}
}

// A balloon grows under pressure as a thin shell does: by p R²/2k.
func TestBalloon(t *testing.T) {
	const r, p, k = 0.2, 100.0, 2000.0
	f := canvas
	f.Warp, f.Weft, f.Shear, f.Pressure, f.Damping, f.BendWarp, f.BendWeft = k, k, k/2, p, 0.01, 0, 0
	m := geom.BallMesh(r, 48)
	s := system(t, 2, Sheet{ID: "a", Mesh: m, Warp: geom.V(0, 1, 0), Fabric: f})
	w := World{Calm: 5}
	size := func() (sum float64) {
		for _, x := range s.X {
			sum += x.Len() / float64(len(s.X))
		}
		return sum
	}
	before := size()
	for range 192 {
		s.Step(1.0/96, &w)
	}
	got, want := size()-before, p*r*r/(2*k)
	t.Logf("grown by %.6f m of %.6f: %.2f %%", got, want, 100*(got/want-1))
	if math.Abs(got/want-1) > 0.03 {
		t.Errorf("grown by %.6f m, not %.6f", got, want)
	}
}

// What can't be cloth is refused by name.
func TestRefused(t *testing.T) {
	ok := func() Sheet {
		return Sheet{ID: "sail", Mesh: Rectangle(1, 1, 3, 3), Warp: geom.V(1, 0, 0), Fabric: canvas}
	}
	for what, spoil := range map[string]func(s *Sheet){
		"no faces":     func(s *Sheet) { s.Mesh.Tri = nil },
		"nowhere":      func(s *Sheet) { s.Mesh.P[4].X = math.NaN() },
		"no area":      func(s *Sheet) { clear(s.Mesh.P) },
		"no mass":      func(s *Sheet) { s.Fabric.Mass = 0 },
		"no stiffness": func(s *Sheet) { s.Fabric.Warp = math.Inf(1) },
		"pins":         func(s *Sheet) { s.Pinned = make([]bool, 2) },
	} {
		sh := ok()
		spoil(&sh)
		if _, err := New([]Sheet{sh}, crewOf(1)); err == nil {
			t.Errorf("%s: taken", what)
		}
	}
	// one triangle, doubled faces, three faces at an edge, faces turned over: odd, but cloth
	for what, spoil := range map[string]func(s *Sheet){
		"one triangle":   func(s *Sheet) { s.Mesh.Tri = s.Mesh.Tri[:1] },
		"doubled faces":  func(s *Sheet) { s.Mesh.Tri = append(s.Mesh.Tri, s.Mesh.Tri[0], s.Mesh.Tri[3]) },
		"inside out":     func(s *Sheet) { s.Mesh.Tri[2][0], s.Mesh.Tri[2][1] = s.Mesh.Tri[2][1], s.Mesh.Tri[2][0] },
		"a face of none": func(s *Sheet) { s.Mesh.Tri = append(s.Mesh.Tri, [3]int32{1, 1, 2}) },
	} {
		sh := ok()
		spoil(&sh)
		s := system(t, 1, sh)
		s.Pin(0, s.X[0])
		w := earth
		for range 24 {
			s.Step(1.0/96, &w)
		}
		for _, x := range s.X {
			if l := x.Len(); math.IsNaN(l) || l > 20 {
				t.Errorf("%s: a vertex is at %v", what, x)
				break
			}
		}
	}
}
