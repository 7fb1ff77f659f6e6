package asset

import (
	"bytes"
	"errors"
	"fmt"
	"math"
	"sync"
	"testing"

	"zarf/core/bring"
	"zarf/core/format/gltf"
	"zarf/core/geom"
	"zarf/core/model"
)

// slider is a box that slides along x by half a metre a second and turns.
func slider(t *testing.T, bend bool) (*Library, string) {
	t.Helper()
	m := model.FromMesh(geom.BoxMesh(geom.V(1, 1, 1)).Move(geom.V(0, 2, 0), 1))
	tr := model.Track{Path: model.Translation, How: model.Linear, Times: []float64{0, 2}, Values: []float64{0, 0, 0, 1, 0, 0}}
	if bend {
		tr = model.Track{Path: model.Scale, How: model.Linear, Times: []float64{0, 2}, Values: []float64{1, 1, 1, 2, 1, 1}}
	}
	m.Clips = []model.Clip{{Tracks: []model.Track{tr}}}
	var b bytes.Buffer
	if err := gltf.Encode(&b, m); err != nil {
		t.Fatal(err)
	}
	src := NewMemory()
	ref, _, err := src.Bring("slider.glb", b.Bytes(), nil, bring.Options{})
	if err != nil {
		t.Fatal(err)
	}
	return New(src), ref
}

func TestRigidFilesKeepOneBody(t *testing.T) {
	l, ref := slider(t, false)
	size := [3]float64{2, 2, 2} // twice as large: it goes twice as far
	a, err := l.Pose(Want{Ref: ref, Size: size})
	b, err2 := l.Pose(Want{Ref: ref, Size: size, Time: 1})
	if err != nil || err2 != nil {
		t.Fatal(err, err2)
	}
	if a.Body != b.Body || b.At.Dist(geom.V(1, 0, 0)) > 1e-6 || a.At != (geom.Vec3{}) {
		t.Errorf("one body %v, moved by %v", a.Body == b.Body, b.At)
	}
	if got := a.Body.Box.Size(); got.Dist(geom.V(2, 2, 2)) > 1e-6 || a.Body.Box.Centre().Len() > 1e-6 {
		t.Errorf("the body is %v about %v", got, a.Body.Box.Centre())
	}
}

func TestBendingFilesGetABodyForEachTime(t *testing.T) {
	l, ref := slider(t, true)
	size := [3]float64{1, 1, 1}
	a, _ := l.Pose(Want{Ref: ref, Size: size})
	b, err := l.Pose(Want{Ref: ref, Size: size, Time: 1})
	if err != nil || a.Body == b.Body || !a.Body.SameFaces(b.Body) {
		t.Fatalf("%v", err)
	}
	if w := b.Body.Box.Size().X; math.Abs(w-1.5) > 1e-6 {
		t.Errorf("halfway it is %g wide", w)
	}
	now, then := b.Body.Came(a.Body, geom.V(0.75, 0, 0))
	if now.Sub(then).Dist(geom.V(0.25, 0, 0)) > 1e-6 {
		t.Errorf("its side moved by %v", now.Sub(then))
	}
}

func TestRegionsAndWhatIsMissing(t *testing.T) {
	m := geom.BoxMesh(geom.V(1, 1, 1))
	m.Colour = make([]geom.Vec3, len(m.P))
	for i, p := range m.P {
		if p.Y > 0 {
			m.Colour[i] = geom.V(1, 1, 1)
		}
	}
	m.Parts, m.Part = []string{"low", "high"}, make([]int32, 12)
	for i := 6; i < 12; i++ {
		m.Part[i] = 1
	}
	var b bytes.Buffer
	if err := gltf.Encode(&b, model.FromMesh(m)); err != nil {
		t.Fatal(err)
	}
	src := NewMemory()
	ref, f, err := src.Bring("box.glb", b.Bytes(), nil, bring.Options{})
	if err != nil || fmt.Sprint(f.Parts) != "[low high]" || !f.Colours {
		t.Fatalf("%+v %v", f, err)
	}
	l := New(src)
	pose := func(r Region) (*geom.Body, error) {
		p, err := l.Pose(Want{Ref: ref, Size: [3]float64{1, 1, 1}, Region: r})
		return p.Body, err
	}
	if p, err := pose(Region{By: "parts", Names: []string{"high"}}); err != nil || len(p.Mesh.Tri) != 6 {
		t.Errorf("a part: %v", err)
	}
	if p, err := pose(Region{By: "colour"}); err != nil || p.Share(geom.V(0, 0.5, 0)) < 0.99 || math.Abs(p.Share(geom.V(0.5, 0, 0))-0.5) > 0.01 {
		t.Errorf("bright colours: %v", err)
	}
	var empty *ErrEmpty
	for _, r := range []Region{{By: "parts"}, {By: "joints", Names: []string{"arm"}}, {By: "painted"}} {
		if _, err := pose(r); !errors.As(err, &empty) {
			t.Errorf("%+v: %v", r, err)
		}
	}
	if _, err := l.Pose(Want{Ref: "00000000000000000000000000000000/gone.obj", Size: [3]float64{1, 1, 1}}); err == nil {
		t.Error("a file that isn't there was found")
	}
	for _, bad := range []string{"", "../../x", "ABCDEF00000000000000000000000000", "00/00"} {
		if CheckID(bad) == nil {
			t.Errorf("%q passes for a file", bad)
		}
	}
	if _, err := (*Library)(nil).Model(ref); err == nil {
		t.Error("no library at all has files")
	}
}

func TestLibraryStaysWithinItsRoom(t *testing.T) {
	l, ref := slider(t, true)
	l.room = 4 << 20
	var wg sync.WaitGroup
	for n := range 4 {
		wg.Go(func() {
			for i := range 40 {
				if _, err := l.Pose(Want{Ref: ref, Size: [3]float64{1, 1, 1}, Time: 0.01 + float64(i+n)/50, Spacing: 0.05}); err != nil {
					t.Error(err)
				}
			}
		})
	}
	wg.Wait()
	if l.used > l.room+2<<20 || len(l.kept) > 60 {
		t.Errorf("%d bytes in %d things are kept", l.used, len(l.kept))
	}
}

func TestWeightsArePackedAndCarried(t *testing.T) {
	w := []float32{0, 1, 0.5, 2, -1}
	got := Unpack(Pack(w))
	if len(got) != 5 || got[1] != 1 || got[3] != 1 || got[4] != 0 || math.Abs(float64(got[2])-0.5) > 1.0/255 {
		t.Errorf("%v", got)
	}
	if Unpack(nil) != nil {
		t.Error("nothing unpacks to something")
	}
	from := geom.BallMesh(1, 24)
	weights := make([]float32, len(from.P))
	for i, p := range from.P {
		weights[i] = float32(max(0, p.Y))
	}
	// another ball, elsewhere and larger
	to := geom.BallMesh(3, 40).Move(geom.V(10, 0, 0), 1)
	out, share := Carry(from, weights, to)
	for i, p := range to.P {
		if want := max(0, p.Y/3); math.Abs(float64(out[i])-want) > 0.08 {
			t.Fatalf("at %v the weight is %g, want %g", p, out[i], want)
		}
	}
	if share < 0.99 {
		t.Errorf("only %g of it lies near", share)
	}
}
