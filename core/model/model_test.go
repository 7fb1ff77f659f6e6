package model_test

import (
	"bytes"
	"fmt"
	"image"
	"image/color"
	"image/png"
	"math"
	"strings"
	"testing"

	"zarf/core/geom"
	"zarf/core/model"
)

func moved(how model.Interpolation, times []float64, values ...float64) *model.Model {
	m := model.FromMesh(geom.BoxMesh(geom.V(1, 1, 1)))
	m.Clips = []model.Clip{{Tracks: []model.Track{{Node: 0, Path: model.Translation, How: how, Times: times, Values: values}}}}
	return m
}

func ExampleModel_At() {
	m := moved(model.Linear, []float64{0, 2}, 0, 0, 0, 4, 0, 0)
	fmt.Println(m.At(0.5).Bounds().Centre().X, m.At(9).Bounds().Centre().X)
	// Output: 1 4
}

// Between keys the three interpolations follow their formulas: a step holds, a
// line is straight, and a cubic is Hermite's, p(u) = (2u³−3u²+1) p₀ + d(u³−2u²+u) m₀
// + (−2u³+3u²) p₁ + d(u³−u²) m₁, with tangents per second.
func TestInterpolation(t *testing.T) {
	times := []float64{1, 3}
	cubic := moved(model.Cubic, times,
		0, 0, 0, 2, 0, 0, 1.5, 0, 0, // in, value, out
		-0.5, 0, 0, 6, 0, 0, 0, 0, 0)
	step, line := moved(model.Step, times, 2, 0, 0, 6, 0, 0), moved(model.Linear, times, 2, 0, 0, 6, 0, 0)
	x := func(m *model.Model, t float64) float64 { return m.Pose(t).World[0].T.X }
	for _, at := range []float64{0, 1, 1.3, 2, 2.9, 3, 5} {
		u := min(max((at-1)/2, 0), 1)
		h := (2*u*u*u-3*u*u+1)*2 + 2*(u*u*u-2*u*u+u)*1.5 + (-2*u*u*u+3*u*u)*6 + 2*(u*u*u-u*u)*-0.5
		held := 2.0
		if at >= 3 {
			held = 6
		}
		for what, pair := range map[string][2]float64{"cubic": {x(cubic, at), h}, "step": {x(step, at), held}, "linear": {x(line, at), 2 + 4*u}} {
			if math.Abs(pair[0]-pair[1]) > 1e-12 {
				t.Errorf("%s at %g s: %g, want %g", what, at, pair[0], pair[1])
			}
		}
	}
}

// A turn between two keys goes at an even pace on the shortest way.
func TestTurnsAreEven(t *testing.T) {
	m := moved(model.Linear, []float64{0, 1}, 0, 0, 0, 0, 0, 0)
	q := geom.AxisAngle(geom.V(0, 0, 1), math.Pi/2)
	m.Clips[0].Tracks[0] = model.Track{Node: 0, Path: model.Rotation, How: model.Linear, Times: []float64{0, 1}, Values: []float64{0, 0, 0, 1, -q.X, -q.Y, -q.Z, -q.W}}
	for _, u := range []float64{0.25, 0.5, 0.75} {
		p := m.Pose(u).World[0].Point(geom.V(1, 0, 0))
		want := geom.V(math.Cos(u*math.Pi/2), math.Sin(u*math.Pi/2), 0)
		if p.Dist(want) > 1e-9 {
			t.Errorf("at %g: %v, want %v", u, p, want)
		}
	}
}

// A child stands in its parent's space, a skin between its joints by weight,
// and a morph shifts by its weight.
func TestPosesCombine(t *testing.T) {
	m := model.FromMesh(geom.BoxMesh(geom.V(1, 1, 1)))
	arm := model.NewNode("arm")
	arm.T, arm.R = geom.V(0, 2, 0), geom.AxisAngle(geom.V(0, 0, 1), math.Pi/2)
	m.Nodes = append(m.Nodes, arm)
	m.Nodes[0].Parent, m.Nodes[0].T, m.Nodes[0].S = 1, geom.V(3, 0, 0), geom.V(2, 1, 1)
	if c := m.At(0).Bounds(); c.Centre().Dist(geom.V(0, 5, 0)) > 1e-9 || math.Abs(c.Size().Y-2) > 1e-9 {
		t.Errorf("the child stands at %v, %v large", c.Centre(), c.Size())
	}

	s := model.FromMesh(&geom.Mesh{P: []geom.Vec3{{X: 1}, {X: 2}, {X: 3}}, Tri: [][3]int32{{0, 1, 2}}})
	still, up := model.NewNode("still"), model.NewNode("up")
	up.T = geom.V(0, 4, 0)
	s.Nodes = append(s.Nodes, still, up)
	s.Nodes[0].Skin = 0
	s.Skins = []model.Skin{{Joints: []int{1, 2}}}
	s.Meshes[0].Joints = [][4]uint16{{0, 1}, {0, 1}, {0, 1}}
	s.Meshes[0].Weights = [][4]float32{{1, 0}, {0.5, 0.5}, {0, 1}}
	s.Meshes[0].Morphs, s.Meshes[0].Morph = [][]geom.Vec3{{{Z: 1}, {}, {Z: -2}}}, []float64{0.5}
	got := s.At(0).P
	for n, want := range []geom.Vec3{geom.V(1, 0, 0.5), geom.V(2, 2, 0), geom.V(3, 4, -1)} {
		if got[n].Dist(want) > 1e-9 {
			t.Errorf("vertex %d is at %v, want %v", n, got[n], want)
		}
	}
	if _, ok := s.Rigid(1); !ok {
		t.Error("what never moves is not rigid")
	}
}

// Two meshes that turn as one are rigid, and aren't once one goes its own way.
func TestRigidNeedsAllAsOne(t *testing.T) {
	m := moved(model.Linear, []float64{0, 1}, 0, 0, 0, 0, 1, 0)
	other := model.NewNode("other")
	other.Mesh, other.T = 0, geom.V(5, 0, 0)
	m.Nodes = append(m.Nodes, other)
	if _, ok := m.Rigid(1); ok {
		t.Error("one that stays behind counts as rigid")
	}
	m.Nodes[1].Parent = 0
	if a, ok := m.Rigid(0.5); !ok || a.T.Dist(geom.V(0, 0.5, 0)) > 1e-9 {
		t.Errorf("%v %v", a.T, ok)
	}
}

func TestRateIsGuessed(t *testing.T) {
	for _, want := range []float64{24, 25, 30, 24000.0 / 1001, 60} {
		if got := moved(model.Linear, []float64{0, 1 / want, 3}, 0, 0, 0, 0, 0, 0, 0, 0, 0).Rate(); got != want {
			t.Errorf("%g fps is taken for %g", want, got)
		}
	}
	if r := moved(model.Linear, []float64{0, 0.77}, 0, 0, 0, 0, 0, 0).Rate(); r != 0 {
		t.Errorf("keys 0.77 s apart are taken for %g fps", r)
	}
}

// What leads nowhere or in circles is refused by name.
func TestCheck(t *testing.T) {
	for want, spoil := range map[string]func(m *model.Model){
		"mesh 7":   func(m *model.Model) { m.Nodes[0].Mesh = 7 },
		"skin 3":   func(m *model.Model) { m.Nodes[0].Skin = 3 },
		"camera 2": func(m *model.Model) { m.Nodes[0].Camera = 2 },
		"node":     func(m *model.Model) { m.Nodes[0].Parent = 0 },
		"parent":   func(m *model.Model) { m.Nodes[0].Parent = 9 },
		"20001":    func(m *model.Model) { m.Nodes = make([]model.Node, model.MaxNodes+1) },
		"key 1 is at 0 s": func(m *model.Model) {
			m.Clips = []model.Clip{{Tracks: []model.Track{{Node: 0, Path: model.Translation, How: model.Linear, Times: []float64{1, 0}, Values: make([]float64, 6)}}}}
		},
		"need 6 numbers": func(m *model.Model) {
			m.Clips = []model.Clip{{Tracks: []model.Track{{Node: 0, Path: model.Translation, How: model.Linear, Times: []float64{0, 1}, Values: make([]float64, 5)}}}}
		},
	} {
		m := model.FromMesh(geom.BoxMesh(geom.V(1, 1, 1)))
		if err := m.Check(); err != nil {
			t.Fatal(err)
		}
		spoil(m)
		if err := m.Check(); err == nil || !strings.Contains(err.Error(), want) {
			t.Errorf("%s: got %v", want, err)
		}
	}
}

// A grey wedge becomes a closed block of half its height's volume.
func TestTerrain(t *testing.T) {
	const n = 33
	img := image.NewGray16(image.Rect(0, 0, n, n))
	for y := range n {
		for x := range n {
			img.SetGray16(x, y, color.Gray16{Y: uint16(65535 * x / (n - 1))})
		}
	}
	var b bytes.Buffer
	if err := png.Encode(&b, img); err != nil {
		t.Fatal(err)
	}
	m, err := model.Terrain(b.Bytes(), 8, 2)
	if err != nil {
		t.Fatal(err)
	}
	size := m.Bounds().Size()
	if math.Abs(size.X-8) > 1e-9 || math.Abs(size.Z-8) > 1e-9 || m.OpenEdges() != 0 {
		t.Errorf("%v large, %d open edges", size, m.OpenEdges())
	}
	top := math.Inf(-1)
	for _, p := range m.P {
		top = max(top, p.Y)
	}
	if math.Abs(top-2) > 1e-3 {
		t.Errorf("white is %g m high", top)
	}
	for _, bad := range [][]byte{nil, []byte("no picture"), b.Bytes()[:b.Len()/2]} {
		if _, err := model.Terrain(bad, 8, 2); err == nil || !strings.HasPrefix(err.Error(), "terrain: ") {
			t.Errorf("got %v", err)
		}
	}
}
