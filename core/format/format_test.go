package format_test

import (
	"bytes"
	"fmt"
	"strings"
	"testing"

	"zarf/core/format"
	_ "zarf/core/formats"
	"zarf/core/frame"
	"zarf/core/geom"
	"zarf/core/model"
)

// What is drawn of a file lies where it should: up is up, and edges are drawn
// though a mesh has few corners.
func TestShadow(t *testing.T) {
	one := &format.Thing{Step: 0.5, Cloud: []format.Spot{{Weight: 1}, {At: [3]float32{1.5, 1, 3}, Weight: 4}}}
	one.Measure()
	m := one.Shadow(0, 1, 240)
	if b := m.Bounds(); b.Dx() != 4 || b.Dy() != 3 {
		t.Fatalf("%v", b)
	}
	if m.GrayAt(3, 0).Y != 255 || m.GrayAt(0, 2).Y != 127 || m.GrayAt(0, 0).Y != 0 {
		t.Errorf("upper right %d, lower left %d", m.GrayAt(3, 0).Y, m.GrayAt(0, 2).Y)
	}
	face := &format.Thing{Cloud: []format.Spot{{Weight: 1}, {At: [3]float32{4, 0, 0}, Weight: 1}, {At: [3]float32{0, 4, 0}, Weight: 1}}}
	face.Measure()
	face.Outline([]int32{0, 1, 2})
	m = face.Shadow(0, 1, 200)
	if m.GrayAt(100, 198).Y == 0 && m.GrayAt(100, 199).Y == 0 || m.GrayAt(50, 100).Y != 0 {
		t.Error("edges aren't drawn, or the face is filled")
	}
	if empty := (&format.Thing{}).Shadow(0, 1, 10); empty.Bounds().Dx() != 1 {
		t.Error("nothing has a shadow")
	}
}

// Every format that writes meshes or points and can read them gives back what
// it wrote.
func TestWhatAFormatWritesItReads(t *testing.T) {
	ball := geom.BallMesh(1, 12)
	some := &frame.Points{Comment: "three", P: [][3]float32{{0, 1, 2}, {3, 4, 5}, {-6, 7, 8.5}}, V: [][3]float32{{1, 0, 0}, {0, 1, 0}, {0, 0, 1}}}
	meshes, points := 0, 0
	for _, f := range format.All() {
		if f.WriteMesh != nil && f.Model != nil {
			var b bytes.Buffer
			if err := f.WriteMesh(&b, ball); err != nil {
				t.Errorf("%s: %v", f.Name, err)
				continue
			}
			m, err := f.Model(b.Bytes(), nil, format.Options{Unit: 1})
			if err != nil || len(m.At(0).Tri) != len(ball.Tri) {
				t.Errorf("%s: %v", f.Name, err)
			}
			meshes++
			things, err := format.ByName("a"+f.Endings[0]).Look(b.Bytes(), 0)
			if err != nil || len(things) != 1 || things[0].High[0] < 0.99 {
				t.Errorf("%s: looked at: %v %v", f.Name, things, err)
			}
		}
		if f.WritePoints != nil && f.Points != nil {
			var b bytes.Buffer
			if err := f.WritePoints(&b, some); err != nil {
				t.Errorf("%s: %v", f.Name, err)
				continue
			}
			p, err := f.Points(b.Bytes())
			if err != nil || fmt.Sprint(p.P) != fmt.Sprint(some.P) || f.Attributes != (p.V != nil) {
				t.Errorf("%s: %v %v", f.Name, p, err)
			}
			points++
		}
	}
	if meshes < 3 || points < 2 {
		t.Errorf("%d formats of meshes and %d of points were tried", meshes, points)
	}
}

func TestWhatCantBeRegistered(t *testing.T) {
	model := func([]byte, map[string][]byte, format.Options) (*model.Model, error) { return nil, nil }
	for why, f := range map[string]format.Format{
		"without a key":       {Name: "X", Model: model},
		"can do nothing":      {Key: "x", Name: "X"},
		"is registered twice": {Key: "ply", Name: "Other", Model: model},
		"are OBJ already":     {Key: "x", Name: "X", Endings: []string{".obj"}, Model: model},
	} {
		func() {
			defer func() {
				if r := recover(); r == nil || !strings.Contains(fmt.Sprint(r), why) {
					t.Errorf("want %q, got %v", why, r)
				}
			}()
			format.Register(f)
		}()
	}
	if format.Of("x") != nil {
		t.Error("something was registered all the same")
	}
}

func ExampleByName() {
	f := format.ByName("Statue.GLTF")
	fmt.Println(f.Name, f.Beside, f.Metric)
	fmt.Println(format.ByName("statue.max"))
	// Output:
	// glTF [.bin] true
	// <nil>
}
