package cloth

import (
	"math"
	"strings"
	"testing"

	"zarf/core/asset"
	"zarf/core/bring"
	"zarf/core/grid"
	"zarf/core/shot"
	"zarf/core/shot/val"
)

// ofFile is a cloth from the text of a file.
func ofFile(t *testing.T, obj string, pairs ...val.Pair) *shot.Shot {
	t.Helper()
	files := asset.NewMemory()
	ref, _, err := files.Bring("cloth.obj", []byte(obj), nil, bring.Options{Unit: 1})
	if err != nil {
		t.Fatal(err)
	}
	s, _, _ := sheetShot(append([]val.Pair{val.Form.Is("mesh"), val.Mesh.Is(ref), val.Size.Is(1, 1, 1)}, pairs...)...)
	return s.Attach(asset.New(files))
}

// Whatever cloth is made of and done to, it is refused in words that name it, or stays somewhere: it
// doesn't crash, and nothing of it is at no place. (A weight of 0 and keys that are no numbers no shot
// takes.)
func TestBadInput(t *testing.T) {
	var fan strings.Builder // three sheets that share one edge, a face twice, one inside out, one of no area
	fan.WriteString("v 0 0 0\nv 0 0 1\nv 1 0 0\nv 0 1 0\nv -1 0 0\nv 0.5 0 0\n")
	fan.WriteString("f 1 2 3\nf 1 2 4\nf 1 2 5\nf 1 2 3\nf 3 2 1\nf 1 6 3\n")
	for name, make := range map[string]func() *shot.Shot{
		"shared edge":  func() *shot.Shot { return ofFile(t, fan.String()) },
		"one triangle": func() *shot.Shot { return ofFile(t, "v 0 0 0\nv 1 0 0\nv 0 0 1\nf 1 2 3\n", val.Pins.Is("none")) },
		"all pinned": func() *shot.Shot {
			s, _, _ := sheetShot(val.Size.Is(0.1, 0.01, 0.1), val.ClothEdge.Is(0.1), val.Pins.Is("rim"), val.TearsAt.Is(0.01))
			return s
		},
		"a solid through it": func() *shot.Shot {
			s, _, _ := sheetShot(val.Pins.Is("rim"))
			o := s.Add(shot.Collider)
			val.Position.Set(o, 0, 1, 0)
			val.Size.Set(o, 0.2, 0.5, 0.2)
			return s
		},
		"pins that jump": func() *shot.Shot {
			s, _, e := sheetShot()
			e.SetKey(val.Position, shot.Key{Frame: 1, Value: shot.Vec(0, 1, 0)})
			e.SetKey(val.Position, shot.Key{Frame: 2, Value: shot.Vec(10, 1, 0)})
			return s
		},
		"tears at next to nothing": func() *shot.Shot {
			s, _, _ := sheetShot(val.TearsAt.Is(1e-9), val.TearsUneven.Is(1))
			return s
		},
		"a needle": func() *shot.Shot {
			s, _, _ := sheetShot(val.Size.Is(2, 0.01, 0.002), val.ClothEdge.Is(0.002))
			return s
		},
		"burns in cold air": func() *shot.Shot {
			s, _, _ := sheetShot(val.BurnsAt.Is(1), val.BurnsFor.Is(0.01), val.FireSpread.Is(100))
			return s
		},
	} {
		s := make()
		d := s.Of(shot.Domain)[0]
		m, err := newStage(s, d, grid.NewCrew(2))
		for n := 0; err == nil && n < 4; n++ {
			_, _, err = m.Advance(nil)
		}
		if err != nil {
			if msg := err.Error(); !strings.Contains(msg, "Cloth") && !strings.Contains(msg, d.Name) && !strings.Contains(msg, "cloth") || strings.Contains(msg, "runtime") {
				t.Errorf("%s: refused by %q", name, msg)
			}
			t.Logf("%s: %v", name, err)
			continue
		}
		for i, x := range m.sys.X {
			if v := x.X + x.Y + x.Z; v-v != 0 || math.Abs(v) > 1e4 {
				t.Errorf("%s: vertex %d is at %v", name, i, x)
				break
			}
		}
	}
}
