package run

import (
	"encoding/binary"
	"math"
	"strings"
	"testing"

	"zarf/core/grid"
	"zarf/core/shot"
	"zarf/core/shot/val"
)

// late is a shot whose particles are born from its third frame on.
func late() *shot.Shot {
	s := shot.New("late")
	val.Last.Set(s.Self, 5)
	d := s.Add(shot.Domain)
	val.Fluid.Set(d, "particles")
	val.Voxel.Set(d, 0.1)
	e := s.Add(shot.Emitter)
	val.BirthRate.Set(e, 1000)
	val.Begin.Set(e, 3)
	val.Temperature.Set(e, 1400)
	return s
}

// Frames without a particle are shown, lit and told like those with some.
func TestFramesBeforeTheFirstParticle(t *testing.T) {
	crew := grid.NewCrew(2)
	s := late()
	c := open(t)
	mustRun(t, c, s, 1, 5, 2)
	src, err := Open(s, "", c)
	if err != nil {
		t.Fatal(err)
	}
	for n, some := range map[int]bool{1: false, 5: true} {
		sc, err := src.Scene(n, s, s.Looks[0], crew)
		if err != nil {
			t.Fatal(err)
		}
		if len(sc.Motes) != 1 || len(sc.Motes[0].P) > 0 != some || len(sc.Lamps) > 0 != some {
			t.Errorf("frame %d: %d particles, %d lamps of them", n, len(sc.Motes[0].P), len(sc.Lamps))
		}
		for _, by := range []string{"", ":age", ":nothing of the kind"} {
			scr, data, err := src.Screen(n, 64, by, s, s.Looks[0], crew)
			if err != nil || len(scr.Parts) != 1 || scr.Parts[0].Particles > 0 != some || len(data) < 13*scr.Parts[0].Particles {
				t.Errorf("frame %d by %q: %v", n, by, err)
			}
		}
	}
}

// Particles are packed for a page with what they are drawn as: where each part's bytes begin
// and end is told by the head, turns have length one and meshes hold together.
func TestShapesArePackedForPages(t *testing.T) {
	crew := grid.NewCrew(2)
	s := late()
	d := s.Of(shot.Domain)[0]
	c := open(t)
	mustRun(t, c, s, 1, 5, 2)
	src, err := Open(s, d.ID, c)
	if err != nil {
		t.Fatal(err)
	}
	for as, forms := range map[string]int{"streaks": 0, "trails": 0, "balls": 1, "discs": 1, "blocks": 1, "stones": 8, "splinters": 8} {
		val.ShownAs.Set(d, as)
		scr, data, err := src.Screen(5, 64, "", s, s.Looks[0], crew)
		if err != nil || len(scr.Notes) > 0 {
			t.Fatalf("%s: %v %v", as, err, scr.Notes)
		}
		p := scr.Parts[0]
		n := p.Particles
		if n == 0 || len(p.Forms) != forms || p.Trails != (as == "trails") {
			t.Fatalf("%s: %d particles, %d meshes", as, n, len(p.Forms))
		}
		at := (13*n + 3) &^ 3
		if as == "trails" {
			at += 12 * n
		}
		if forms > 0 {
			for i := range n {
				if size := number32(data[at+4*i:]); size < 0.001 || size > 0.01 {
					t.Fatalf("%s: particle %d is %g m", as, i, size)
				}
				sum := 0
				for _, b := range data[at+4*n+4*i:][:4] {
					sum += int(int8(b)) * int(int8(b))
				}
				if sum < 126*126 || sum > 128*128 {
					t.Fatalf("%s: particle %d is turned by %v", as, i, data[at+4*n+4*i:][:4])
				}
				if int(data[at+8*n+i]) >= forms {
					t.Fatalf("%s: particle %d has mesh %d of %d", as, i, data[at+8*n+i], forms)
				}
			}
			at = (at + 9*n + 3) &^ 3
			for _, f := range p.Forms {
				for k := range 3 * f[1] {
					if v := int(binary.LittleEndian.Uint32(data[at+12*f[0]+4*k:])); v >= f[0] {
						t.Fatalf("%s: a triangle asks for corner %d of %d", as, v, f[0])
					}
				}
				at += 12 * (f[0] + f[1])
			}
		}
		if at != len(data) && (at+3)&^3 != len(data) {
			t.Errorf("%s: %d bytes, the head tells of %d", as, len(data), at)
		}
	}
}

func number32(b []byte) float32 { return math.Float32frombits(binary.LittleEndian.Uint32(b)) }

// Particles take the parts of an element of the cast; where none is chosen, or it is gone,
// they are dots, and the picture says so.
func TestParticlesAreDrawnAsAMeshOfTheCast(t *testing.T) {
	s := late()
	d := s.Of(shot.Domain)[0]
	val.ShownAs.Set(d, "mesh")
	shape, note := shapeOf(d, s, 1)
	if len(shape.Meshes) != 0 || !strings.Contains(note, "none is chosen") {
		t.Errorf("without a mesh: %d, %q", len(shape.Meshes), note)
	}
	e := s.Add(shot.Mesh)
	val.Form.Set(e, "torus")
	val.Size.Set(e, 4, 1, 4)
	val.ShownMesh.Set(d, e.ID)
	val.Stretch.Set(d, 1, 2, 1)
	shape, note = shapeOf(d, s, 1)
	if note != "" || len(shape.Meshes) != 1 {
		t.Fatalf("%d meshes, %q", len(shape.Meshes), note)
	}
	if size := shape.Meshes[0].Bounds().Size(); math.Abs(size.X-1) > 0.02 || math.Abs(size.Y-0.5) > 0.02 {
		t.Errorf("a ring of 4 × 1 m, twice as high, became %v", size)
	}
	val.Form.Set(e, "mesh") // without a file
	if shape, note = shapeOf(d, s, 1); len(shape.Meshes) != 0 || !strings.Contains(note, "can't be read") {
		t.Errorf("without a file: %d, %q", len(shape.Meshes), note)
	}
	// a look's colours by a number that isn't there are told as well
	c := open(t)
	mustRun(t, c, s, 1, 5, 2)
	src, err := Open(s, d.ID, c)
	if err != nil {
		t.Fatal(err)
	}
	val.MoteBy.Set(s.Looks[0], "moisture")
	sc, err := src.Scene(5, s, s.Looks[0], grid.NewCrew(1))
	if err != nil {
		t.Fatal(err)
	}
	if all := strings.Join(sc.Notes, "; "); !strings.Contains(all, "no number called moisture") || !strings.Contains(all, "can't be read") {
		t.Errorf("the picture says %q", all)
	}
	val.MoteBy.Set(s.Looks[0], "lived")
	if sc, err = src.Scene(5, s, s.Looks[0], grid.NewCrew(1)); err != nil || len(sc.Motes[0].By) != len(sc.Motes[0].P) {
		t.Errorf("%d particles have %d shares of their lives: %v", len(sc.Motes[0].P), len(sc.Motes[0].By), err)
	}
}
