package gltf_test

import (
	"bytes"
	"encoding/base64"
	"encoding/binary"
	"fmt"
	"math"
	"strings"
	"testing"

	"zarf/core/format/gltf"
	"zarf/core/geom"
	"zarf/core/model"
)

// one is a triangle as text, its buffer beside it or within.
func one(uri string) []byte {
	return []byte(`{"asset":{"version":"2.0"},"scene":0,"scenes":[{"nodes":[0]}],"nodes":[{"mesh":0,"translation":[0,1,0]}],
"meshes":[{"primitives":[{"attributes":{"POSITION":0}}]}],
"accessors":[{"bufferView":0,"componentType":5126,"count":3,"type":"VEC3"}],
"bufferViews":[{"buffer":0,"byteLength":36}],"buffers":[{"byteLength":36,"uri":"` + uri + `"}]}`)
}

func corners() []byte {
	var b []byte
	for _, v := range []float32{0, 0, 0, 2, 0, 0, 0, 3, 0} {
		b = binary.LittleEndian.AppendUint32(b, math.Float32bits(v))
	}
	return b
}

func ExampleDecode() {
	text := one("data:application/octet-stream;base64," + base64.StdEncoding.EncodeToString(corners()))
	m, err := gltf.Decode(text, nil)
	if err != nil {
		fmt.Println(err)
		return
	}
	fmt.Println(m.Triangles(), m.At(0).Bounds().Max)
	// Output: 1 {2 4 0}
}

// A buffer may lie in a file beside; one that isn't there is named, and none
// is looked for outside.
func TestBuffersBeside(t *testing.T) {
	m, err := gltf.Decode(one("tri.bin"), map[string][]byte{"tri.bin": corners()})
	if err != nil || m.Triangles() != 1 {
		t.Errorf("%v", err)
	}
	for _, uri := range []string{"tri.bin", "../../etc/passwd", "https://example.invalid/tri.bin"} {
		if _, err := gltf.Decode(one(uri), nil); err == nil || !strings.Contains(err.Error(), uri[:7]) {
			t.Errorf("%s: got %v", uri, err)
		}
	}
}

// A binary file is a head of 12 bytes and two chunks, each a multiple of four.
func TestContainer(t *testing.T) {
	var b bytes.Buffer
	if err := gltf.Encode(&b, model.FromMesh(geom.BallMesh(0.5, 8))); err != nil {
		t.Fatal(err)
	}
	d := b.Bytes()
	u := func(at int) int { return int(binary.LittleEndian.Uint32(d[at:])) }
	if string(d[:4]) != "glTF" || u(4) != 2 || u(8) != len(d) || u(12)%4 != 0 || string(d[16:20]) != "JSON" {
		t.Errorf("head % x", d[:20])
	}
	bin := 20 + u(12)
	if u(bin)%4 != 0 || string(d[bin+4:bin+8]) != "BIN\x00" || bin+8+u(bin) != len(d) {
		t.Errorf("second chunk % x", d[bin:bin+8])
	}
}

// Everything of a model comes back: tree, matrices, colours, morphs, skins,
// the three interpolations, a camera and curves.
func TestModelComesBack(t *testing.T) {
	ball := geom.BallMesh(0.4, 10)
	m := model.FromMesh(ball)
	child := model.NewNode("child")
	child.Parent, child.T, child.Camera = 0, geom.V(0, 1, 5), 0
	m.Nodes = append(m.Nodes, child)
	m.Nodes[0].Name = "root"
	m.Cameras = []model.Camera{{Name: "eye", YFov: 0.7}}
	m.Clips = []model.Clip{{Name: "c", Tracks: []model.Track{
		{Node: 0, Path: model.Translation, How: model.Cubic, Times: []float64{0, 1}, Values: []float64{0, 0, 0, 2, 0, 0, 1, 0, 0, 0, 0, 0, 6, 0, 0, 0, 0, 0}},
		{Node: 1, Path: model.Scale, How: model.Step, Times: []float64{0, 0.5}, Values: []float64{1, 1, 1, 2, 2, 2}},
	}}}
	var b bytes.Buffer
	if err := gltf.Encode(&b, m); err != nil {
		t.Fatal(err)
	}
	got, err := gltf.Decode(b.Bytes(), nil)
	if err != nil {
		t.Fatal(err)
	}
	for _, at := range []float64{0, 0.3, 0.5, 1} {
		a, c := m.Pose(at), got.Pose(at)
		for n := range m.Nodes {
			for _, p := range []geom.Vec3{geom.V(0, 0, 0), geom.V(1, 2, 3)} {
				if x, y := a.World[n].Point(p), c.World[n].Point(p); x.Dist(y) > 1e-5 {
					t.Errorf("node %d at %g s: %v, was %v", n, at, y, x)
				}
			}
		}
	}
	if eye, fov, ok := got.CameraAt(0); !ok || math.Abs(fov-0.7*180/math.Pi) > 1e-4 || eye.T.Dist(geom.V(2, 1, 5)) > 1e-5 {
		t.Errorf("camera %v %g %v", eye.T, fov, ok)
	}
	if got.Nodes[0].Name != "root" || got.Triangles() != len(ball.Tri) {
		t.Errorf("%q, %d triangles", got.Nodes[0].Name, got.Triangles())
	}
}

func TestPoints(t *testing.T) {
	var b bytes.Buffer
	if err := gltf.EncodePoints(&b, [][3]float32{{1, 2, 3}, {-4, 5, 6}}); err != nil {
		t.Fatal(err)
	}
	if s := b.String(); !strings.Contains(s, `"mode":0`) || !strings.Contains(s, `"min":[-4,2,3]`) || !strings.Contains(s, `"max":[1,5,6]`) {
		t.Errorf("%q", s)
	}
}

func TestWhatIsWrongIsNamed(t *testing.T) {
	data := "data:application/octet-stream;base64," + base64.StdEncoding.EncodeToString(corners())
	good := string(one(data))
	for what, text := range map[string]string{
		"nothing":                 "",
		"other version":           strings.Replace(good, `"2.0"`, `"1.0"`, 1),
		"more values than bytes":  strings.Replace(good, `"count":3`, `"count":300`, 1),
		"a view past its buffer":  strings.Replace(good, `"buffer":0,"byteLength":36`, `"buffer":0,"byteOffset":20,"byteLength":36`, 1),
		"an accessor that isn't":  strings.Replace(good, `"POSITION":0`, `"POSITION":5`, 1),
		"a mesh that isn't":       strings.Replace(good, `"mesh":0`, `"mesh":4`, 1),
		"a node in itself":        strings.Replace(good, `"mesh":0,`, `"mesh":0,"children":[0],`, 1),
		"a count below nothing":   strings.Replace(good, `"count":3`, `"count":-3`, 1),
		"an unknown number type":  strings.Replace(good, `5126`, `5999`, 1),
		"broken base64":           strings.Replace(good, "base64,", "base64,%%", 1),
		"a binary file cut short": "glTF\x02\x00\x00\x00\xff\x00\x00\x00",
	} {
		if m, err := gltf.Decode([]byte(text), nil); err == nil {
			t.Errorf("%s: taken, %d triangles", what, m.Triangles())
		} else if len(err.Error()) < 12 {
			t.Errorf("%s: “%v” says too little", what, err)
		}
	}
}

func FuzzDecode(f *testing.F) {
	f.Add(one("data:application/octet-stream;base64," + base64.StdEncoding.EncodeToString(corners())))
	var b bytes.Buffer
	gltf.Encode(&b, model.FromMesh(geom.BallMesh(0.5, 4)))
	f.Add(b.Bytes())
	f.Fuzz(func(t *testing.T, data []byte) {
		if m, err := gltf.Decode(data, nil); err == nil {
			if err := m.Check(); err != nil {
				t.Error(err)
			}
			m.At(0.5)
		}
	})
}
