package bring

import (
	"bytes"
	"encoding/binary"
	"encoding/json"
	"fmt"
	"image"
	"image/color"
	"image/png"
	"math"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strconv"
	"strings"
	"testing"

	"zarf/core/format/gltf"
	"zarf/core/format/obj"
	"zarf/core/format/ply"
	"zarf/core/format/stl"
	"zarf/core/geom"
	"zarf/core/model"
)

// written is a mesh with two parts, in every format that is written.
func written(t testing.TB) (*geom.Mesh, map[string][]byte) {
	m := geom.BallMesh(0.5, 24)
	m.Parts, m.Part = []string{"ball"}, make([]int32, len(m.Tri))
	box := geom.BoxMesh(geom.V(1, 2, 3)).Move(geom.V(3, 1, 0), 1)
	box.Parts, box.Part = []string{"box"}, make([]int32, len(box.Tri))
	m.Append(box)
	out := map[string][]byte{}
	for kind, enc := range map[string]func(*bytes.Buffer) error{
		".obj": func(b *bytes.Buffer) error { return obj.Encode(b, m) },
		".ply": func(b *bytes.Buffer) error { return ply.Encode(b, m) },
		".stl": func(b *bytes.Buffer) error { return stl.Encode(b, m) },
		".glb": func(b *bytes.Buffer) error { return gltf.Encode(b, model.FromMesh(m)) },
	} {
		var b bytes.Buffer
		if err := enc(&b); err != nil {
			t.Fatal(err)
		}
		out[kind] = b.Bytes()
	}
	return m, out
}

func TestWhatIsWrittenIsReadBack(t *testing.T) {
	want, files := written(t)
	for kind, data := range files {
		m, f, err := Read("a"+kind, data, nil, Options{})
		if err != nil {
			t.Fatalf("%s: %v", kind, err)
		}
		got := m.At(0)
		if len(got.Tri) != len(want.Tri) || math.Abs(got.Volume()-want.Volume()) > 1e-5 || math.Abs(got.Area()-want.Area()) > 1e-5 || f.OpenEdges != 0 {
			t.Errorf("%s: %d triangles, volume %g (want %g), %d open edges", kind, len(got.Tri), got.Volume(), want.Volume(), f.OpenEdges)
		}
		if parts := fmt.Sprint(got.Parts); (kind == ".obj" || kind == ".glb") && parts != "[ball box]" {
			t.Errorf("%s: parts %s", kind, parts)
		}
	}
}

// assimp reads a file with an independent reader and gives its counts.
func assimp(t *testing.T, name string, data []byte) (faces int, lo, hi [3]float64) {
	tool, err := exec.LookPath("assimp")
	if err != nil {
		t.Skip("assimp isn't installed")
	}
	file := filepath.Join(t.TempDir(), name)
	if err := os.WriteFile(file, data, 0o600); err != nil {
		t.Fatal(err)
	}
	out, err := exec.Command(tool, "info", file).CombinedOutput()
	if err != nil {
		t.Fatalf("assimp: %v\n%s", err, out)
	}
	num := func(re string) []float64 {
		m := regexp.MustCompile(re).FindSubmatch(out)
		if m == nil {
			t.Fatalf("assimp says nothing of %s:\n%s", re, out)
		}
		var v []float64
		for _, s := range strings.Fields(strings.Trim(string(m[1]), "()")) {
			x, err := strconv.ParseFloat(s, 64)
			if err != nil {
				t.Fatal(err)
			}
			v = append(v, x)
		}
		return v
	}
	faces = int(num(`Faces:\s+(\d+)`)[0])
	copy(lo[:], num(`Minimum point\s+(\(.*?\))`))
	copy(hi[:], num(`Maximum point\s+(\(.*?\))`))
	return faces, lo, hi
}

func TestIndependentReaderAgrees(t *testing.T) {
	want, files := written(t)
	b := want.Bounds()
	for kind, data := range files {
		faces, lo, hi := assimp(t, "a"+kind, data)
		if faces != len(want.Tri) || geom.FromArray(lo).Dist(b.Min) > 1e-4 || geom.FromArray(hi).Dist(b.Max) > 1e-4 {
			t.Errorf("%s: assimp sees %d faces in %v … %v; they are %d in %v", kind, faces, lo, hi, len(want.Tri), b)
		}
	}
	// and the other way: what it writes, Zarf reads
	tool, _ := exec.LookPath("assimp")
	dir := t.TempDir()
	from := filepath.Join(dir, "from.obj")
	os.WriteFile(from, files[".obj"], 0o600)
	for _, to := range []struct{ ext, format string }{{".glb", "glb2"}, {".gltf", "gltf2"}, {".ply", "plyb"}, {".ply", "ply"}, {".stl", "stlb"}, {".stl", "stl"}, {".obj", "obj"}} {
		file := filepath.Join(dir, "to-"+to.format+to.ext)
		if out, err := exec.Command(tool, "export", from, file, "-f"+to.format).CombinedOutput(); err != nil {
			t.Fatalf("assimp export %s: %v\n%s", to.format, err, out)
		}
		data, _ := os.ReadFile(file)
		side := map[string][]byte{}
		bins, _ := filepath.Glob(filepath.Join(dir, "*.bin"))
		for _, b := range bins {
			side[filepath.Base(b)], _ = os.ReadFile(b)
		}
		m, _, err := Read(file, data, side, Options{})
		if err != nil {
			t.Errorf("%s: %v", to.format, err)
			continue
		}
		if got := m.At(0); math.Abs(got.Volume()-want.Volume()) > 1e-3 || len(got.Tri) != len(want.Tri) {
			t.Errorf("%s written by assimp: volume %g, want %g; %d faces of %d", to.format, got.Volume(), want.Volume(), len(got.Tri), len(want.Tri))
		}
	}
}

// puppet has two joints, an animated node, a camera and a curve.
func puppet() *model.Model {
	arm := geom.BoxMesh(geom.V(0.2, 2, 0.2)).Move(geom.V(0, 1, 0), 1)
	mesh := model.Mesh{Mesh: *arm}
	for _, p := range arm.P {
		j := uint16(0)
		if p.Y > 1 {
			j = 1
		}
		mesh.Joints = append(mesh.Joints, [4]uint16{j})
		mesh.Weights = append(mesh.Weights, [4]float32{1})
	}
	node := func(name string, parent int) model.Node { n := model.NewNode(name); n.Parent = parent; return n }
	m := &model.Model{Meshes: []model.Mesh{mesh, {Mesh: *geom.BallMesh(0.3, 12)}}, Cameras: []model.Camera{{Name: "eye", YFov: 0.7}}, Curves: []model.Curve{{Name: "path", Points: []geom.Vec3{geom.V(0, 0, 0), geom.V(1, 1, 0), geom.V(2, 0, 0)}}}}
	m.Nodes = []model.Node{node("lower", -1), node("upper", 0), node("arm", -1), node("ball", -1), node("eye", -1), node("path", -1)}
	m.Nodes[1].T = geom.V(0, 1, 0)
	m.Nodes[2].Mesh, m.Nodes[2].Skin = 0, 0
	m.Nodes[3].Mesh = 1
	m.Nodes[4].Camera, m.Nodes[4].T = 0, geom.V(0, 1, 5)
	m.Nodes[5].Curve = 0
	m.Skins = []model.Skin{{Joints: []int{0, 1}, Inverse: []geom.Affine{geom.Identity, {M: geom.Identity.M, T: geom.V(0, -1, 0)}}}}
	half := geom.AxisAngle(geom.V(0, 0, 1), math.Pi/2)
	m.Clips = []model.Clip{{Name: "wave", Tracks: []model.Track{
		{Node: 1, Path: model.Rotation, How: model.Linear, Times: []float64{0, 1}, Values: []float64{0, 0, 0, 1, half.X, half.Y, half.Z, half.W}},
		{Node: 3, Path: model.Translation, How: model.Cubic, Times: []float64{0, 1}, Values: []float64{0, 0, 0, 2, 0, 0, 4, 0, 0, 4, 0, 0, 6, 0, 0, 0, 0, 0}},
	}}}
	return m
}

func TestAnimationSkinsAndCamerasComeBack(t *testing.T) {
	var b bytes.Buffer
	if err := gltf.Encode(&b, puppet()); err != nil {
		t.Fatal(err)
	}
	m, f, err := Read("puppet.glb", b.Bytes(), nil, Options{})
	if err != nil {
		t.Fatal(err)
	}
	if f.Length != 1 || !f.Camera || len(f.Curves) != 1 || f.Rigid || fmt.Sprint(f.Joints) != "[lower upper]" {
		t.Errorf("%+v", f)
	}
	at := m.At(1)
	// the upper half of the arm has turned to −x about (0, 1, 0)
	lo := at.Bounds().Min
	if math.Abs(lo.X+1) > 1e-5 {
		t.Errorf("the arm reaches to x = %g, want −1", lo.X)
	}
	// a straight cubic: halfway at 4, where the ends are 2 and 6
	half := m.At(0.5)
	if x := half.Bounds().Max.X; math.Abs(x-4.3) > 1e-4 {
		t.Errorf("the ball reaches to %g, want 4.3", x)
	}
	if eye, fov, ok := m.CameraAt(0); !ok || eye.T.Dist(geom.V(0, 1, 5)) > 1e-6 || math.Abs(fov-0.7*180/math.Pi) > 1e-4 {
		t.Errorf("camera at %v, %g°", eye.T, fov)
	}
	if p := m.CurveInSpace(0); len(p) != 3 || p[1].Dist(geom.V(1, 1, 0)) > 1e-6 {
		t.Errorf("curve %v", p)
	}
}

func TestRigidMotionIsFound(t *testing.T) {
	m := model.FromMesh(geom.BoxMesh(geom.V(1, 1, 1)))
	q := geom.AxisAngle(geom.V(0, 1, 0), 2)
	m.Clips = []model.Clip{{Tracks: []model.Track{{Node: 0, Path: model.Rotation, How: model.Linear, Times: []float64{0, 2}, Values: []float64{0, 0, 0, 1, q.X, q.Y, q.Z, q.W}}}}}
	if a, ok := m.Rigid(1); !ok || a.M.Apply(geom.V(1, 0, 0)).Dist(geom.RotationXYZ(geom.V(0, 180/math.Pi, 0)).Apply(geom.V(1, 0, 0))) > 1e-6 {
		t.Errorf("%v %v", a, ok)
	}
	m.Clips[0].Tracks = append(m.Clips[0].Tracks, model.Track{Node: 0, Path: model.Scale, How: model.Step, Times: []float64{0, 1}, Values: []float64{1, 1, 1, 2, 2, 2}})
	if _, ok := m.Rigid(1.5); ok {
		t.Error("growing counts as rigid")
	}
	if r := (&model.Model{Nodes: m.Nodes, Clips: []model.Clip{{Tracks: []model.Track{{Times: []float64{0, 1001.0 / 24000, 1}}}}}}).Rate(); math.Abs(r-24000.0/1001) > 1e-9 {
		t.Errorf("rate %g", r)
	}
}

func TestUnitsAndAxes(t *testing.T) {
	var b bytes.Buffer
	stl.Encode(&b, geom.BoxMesh(geom.V(1000, 2000, 3000)))
	_, f, err := Read("big.stl", b.Bytes(), nil, Options{})
	if err != nil || len(f.Notes) != 1 || !strings.Contains(f.Notes[0], "unit") {
		t.Errorf("a box of 3 km isn't remarked on: %v %v", f, err)
	}
	_, f, err = Read("mm.stl", b.Bytes(), nil, Options{Unit: 0.001, ZUp: true})
	if err != nil || geom.FromArray(f.Size).Dist(geom.V(1, 3, 2)) > 1e-6 || len(f.Notes) != 0 {
		t.Errorf("%+v %v", f, err)
	}
}

const emblem = `<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 100 100"><defs><circle r="40"/></defs><g transform="translate(10 0)"><path d="M0 0h80v80h-80zM20 20v40h40v-40z"/></g><circle cx="50" cy="90" r="5"/><path fill="none" d="M0 95 C 20 80 80 110 100 95"/></svg>`

func TestDrawingsAreExtruded(t *testing.T) {
	m, f, err := Read("emblem.svg", []byte(emblem), nil, Options{Unit: 0.01, Depth: 0.2, Bevel: 0.02})
	if err != nil {
		t.Fatal(err)
	}
	if f.OpenEdges != 0 || len(f.Curves) != 4 {
		t.Errorf("%+v", f)
	}
	// a frame of 0.8² − 0.4² and a disk of radius 0.05, less the bevels: the
	// frame's edges of 4.8 m lose d²/2 on each of the four... both faces
	area := 0.64 - 0.16 + math.Pi*0.05*0.05
	bevel := 0.02 * 0.02 / 2 * 2 * (4.8 + 2*math.Pi*0.05)
	if v := m.At(0).Volume(); math.Abs(v-(area*0.2-bevel)) > 0.0008 {
		t.Errorf("volume %g, want %g", v, area*0.2-bevel)
	}
	if b := m.At(0).Bounds(); math.Abs(b.Max.Y) > 1e-9 || math.Abs(b.Min.Y+0.95) > 1e-3 || math.Abs(b.Max.Z-0.1) > 1e-9 {
		t.Errorf("bounds %v: y should point up", b)
	}
	if _, f, err := Read("line.svg", []byte(`<svg><path d="M0 0L10 10L20 0"/></svg>`), nil, Options{}); err != nil || f.Triangles != 0 || len(f.Notes) != 1 {
		t.Errorf("a drawing without closed outlines: %+v %v", f, err)
	}
}

func TestPathData(t *testing.T) {
	for d, want := range map[string]float64{ // enclosed area
		"M0,0 10,0 10,10 0,10z": 100, "m0 0 10 0 0 10-10 0z": 100, "M0 0H10V10H0Z": 100,
		"M10 5A5 5 0 1 1 0 5A5 5 0 1 1 10 5z":           math.Pi * 25,
		"M10 5a5,5 0 11-10 0a5 5 0 1110 0z":             math.Pi * 25,
		"M0 0C0 10 10 10 10 0z":                         50 * 1.2,
		"M0 0Q5 10 10 0T20 0z":                          0, // up and down again
		"M0 0.5.5.5-1e1 3.5z M20 0h1e0v1h-1z":           -1,
		"M0 0S5 10 10 0z":                               -1,
		"M0 0h10v10h-10z M2 2h2v2h-2z M2.5 2.5h1v1h-1z": 100 - 4 + 1,
	} {
		m, _, err := Read("p.svg", []byte(`<svg viewBox="0 0 10 10"><path d="`+d+`"/></svg>`), nil, Options{Unit: 1, Depth: 1})
		if want <= 0 {
			if err != nil && !strings.Contains(err.Error(), "area") {
				t.Errorf("%s: %v", d, err)
			}
			continue
		}
		if err != nil {
			t.Errorf("%s: %v", d, err)
			continue
		}
		if v := m.At(0).Volume(); math.Abs(v/want-1) > 2e-3 {
			t.Errorf("%s: %g, want %g", d, v, want)
		}
	}
}

func slope(t testing.TB) []byte {
	img := image.NewGray16(image.Rect(0, 0, 64, 32))
	for y := range 32 {
		for x := range 64 {
			img.SetGray16(x, y, color.Gray16{Y: uint16(x * 65535 / 63)})
		}
	}
	var b bytes.Buffer
	if err := png.Encode(&b, img); err != nil {
		t.Fatal(err)
	}
	return b.Bytes()
}

func TestTerrainFromAPicture(t *testing.T) {
	m, f, err := Read("slope.png", slope(t), nil, Options{Width: 63, Height: 10})
	if err != nil {
		t.Fatal(err)
	}
	// a wedge of 63 × 31 m rising to 10 m on a floor 1 m down
	if v, want := m.At(0).Volume(), 63*31*(5.0+1); math.Abs(v/want-1) > 1e-3 || f.OpenEdges != 0 {
		t.Errorf("volume %g, want %g; %d open edges", v, want, f.OpenEdges)
	}
}

func gltfText(edit func(map[string]any)) []byte {
	var pos bytes.Buffer
	for _, v := range []float32{0, 0, 0, 1, 0, 0, 0, 1, 0} {
		binary.Write(&pos, binary.LittleEndian, v)
	}
	doc := map[string]any{
		"asset": map[string]any{"version": "2.0"}, "nodes": []any{map[string]any{"mesh": 0}},
		"meshes":      []any{map[string]any{"primitives": []any{map[string]any{"attributes": map[string]any{"POSITION": 0}}}}},
		"accessors":   []any{map[string]any{"bufferView": 0, "componentType": 5126, "count": 3, "type": "VEC3"}},
		"bufferViews": []any{map[string]any{"buffer": 0, "byteLength": 36}},
		"buffers":     []any{map[string]any{"uri": "tri.bin", "byteLength": 36}},
	}
	edit(doc)
	b, _ := json.Marshal(doc)
	return b
}

func TestBadFilesSayWhatIsWrong(t *testing.T) {
	_, files := written(t)
	side := map[string][]byte{"tri.bin": make([]byte, 36)}
	edit := func(key string, v any) []byte { return gltfText(func(d map[string]any) { d[key] = v }) }
	one := func(v any) []any { return []any{v} }
	for _, c := range []struct {
		name string
		data []byte
		with map[string][]byte
		want string
	}{
		{"a.glb", nil, nil, "empty"},
		{"a.fbxx", []byte("x"), nil, "kind"},
		{"a.glb", files[".glb"][:len(files[".glb"])/2], nil, "cut off"},
		{"a.glb", files[".glb"][:15], nil, "ends after"},
		{"a.stl", files[".stl"][:len(files[".stl"])/2], nil, "neither|cut off"},
		{"a.ply", files[".ply"][:len(files[".ply"])/2], nil, "too early|cut off"},
		{"a.gltf", []byte("{"), nil, "JSON"},
		{"a.gltf", gltfText(func(map[string]any) {}), nil, "tri.bin"},
		{"a.gltf", gltfText(func(map[string]any) {}), side, "area"},
		{"a.gltf", gltfText(func(map[string]any) {}), map[string][]byte{"tri.bin": make([]byte, 8)}, "36 bytes"},
		{"a.gltf", edit("buffers", one(map[string]any{"uri": "https://example.org/x.bin", "byteLength": 36})), side, "nothing is fetched"},
		{"a.gltf", edit("buffers", one(map[string]any{"uri": "../../etc/passwd", "byteLength": 36})), side, "passwd"},
		{"a.gltf", edit("asset", map[string]any{"version": "1.0"}), side, "version"},
		{"a.gltf", edit("extensionsRequired", one("KHR_draco_mesh_compression")), side, "draco"},
		{"a.gltf", edit("accessors", one(map[string]any{"bufferView": 0, "componentType": 5126, "count": 2000000000, "type": "VEC3"})), side, "more than"},
		{"a.gltf", edit("accessors", one(map[string]any{"bufferView": 0, "componentType": 5126, "count": -3, "type": "VEC3"})), side, "elements"},
		{"a.gltf", edit("accessors", one(map[string]any{"bufferView": 7, "componentType": 5126, "count": 3, "type": "VEC3"})), side, "view 7"},
		{"a.gltf", edit("bufferViews", one(map[string]any{"buffer": 0, "byteOffset": 30, "byteLength": 36})), side, "reaches"},
		{"a.gltf", edit("nodes", []any{map[string]any{"mesh": 0, "children": []int{1}}, map[string]any{"children": []int{0}}}), side, "loop"},
		{"a.gltf", edit("nodes", one(map[string]any{"mesh": 5})), side, "mesh 5"},
		{"a.obj", []byte("v 0 0 0\nv 1 0 0\nf 1 2 9\n"), nil, "line 3"},
		{"a.obj", []byte("v 0 0 nonsense\n"), nil, "line 1"},
		{"a.obj", []byte("v nan 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 3\n"), nil, "no place"},
		{"a.obj", []byte("v inf 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 3\n"), nil, "no place"},
		{"a.obj", []byte("v 0 0 0\n"), nil, "no faces"},
		{"a.obj", []byte("v 0 0 0\nv 1 0 0\nv 2 0 0\nf 1 2 3\n"), nil, "area"},
		{"a.ply", []byte("ply\nformat ascii 1.0\nelement vertex 4000000000\nproperty float x\nend_header\n"), nil, "taken"},
		{"a.ply", []byte("ply\nformat ascii 1.0\nelement face 50000000\nproperty list uchar int vertex_indices\nend_header\n"), nil, "lighter"},
		{"a.stl", append(append(make([]byte, 80), 0x80, 0xf0, 0xfa, 0x02), make([]byte, 50)...), nil, "lighter"}, // says 50 million
		{"a.svg", []byte("<svg"), nil, "SVG"},
		{"a.svg", []byte("<svg><text>a</text></svg>"), nil, "no path"},
		{"a.svg", []byte(`<svg><path d="M0 0 L nonsense"/></svg>`), nil, "lacks a number"},
		{"a.svg", []byte(`<!DOCTYPE x [<!ENTITY a "b">]><svg><path d="&a;"/></svg>`), nil, "SVG"},
		{"a.png", []byte("\x89PNG\r\n\x1a\n"), nil, "terrain"},
	} {
		m, _, err := Read(c.name, c.data, c.with, Options{})
		if err == nil {
			t.Errorf("%s %.60q was taken: %d triangles", c.name, c.data, m.Triangles())
			continue
		}
		if !regexp.MustCompile(c.want).MatchString(err.Error()) {
			t.Errorf("%s %.60q: %v; it should speak of %s", c.name, c.data, err, c.want)
		}
	}
	if _, _, err := Read("a.obj", files[".obj"], nil, Options{Unit: math.NaN()}); err == nil {
		t.Error("a unit of NaN was taken")
	}
}

func TestVariantsOfFormats(t *testing.T) {
	for name, text := range map[string]string{
		"quads and negative indices.obj": "o a\nv 0 0 0\nv 1 0 0 1 0 0\nv 1 1 0\nv 0 1 0\nf -4/1/1 -3//2 -2 \\\n-1\n",
		"big endian.ply":                 "ply\nformat binary_big_endian 1.0\nelement vertex 3\nproperty float x\nproperty float y\nproperty float z\nproperty uchar red\nproperty uchar green\nproperty uchar blue\nelement face 1\nproperty list uchar int vertex_index\nend_header\n\x00\x00\x00\x00\x00\x00\x00\x00\x00\x00\x00\x00\xff\x80\x00\x3f\x80\x00\x00\x00\x00\x00\x00\x00\x00\x00\x00\xff\x80\x00\x00\x00\x00\x00\x3f\x80\x00\x00\x00\x00\x00\x00\xff\x80\x00\x03\x00\x00\x00\x00\x00\x00\x00\x01\x00\x00\x00\x02",
		"strips.ply":                     "ply\nformat ascii 1.0\ncomment hello\nelement vertex 4\nproperty double x\nproperty double y\nproperty double z\nproperty list uchar float other\nelement tristrips 1\nproperty list int int vertex_indices\nend_header\n0 0 0 0\n1 0 0 2 7 8\n0 1 0 0\n1 1 0 0\n5 0 1 2 3 -1\n",
		"text.stl":                       "solid a b\nfacet normal 0 0 1\nouter loop\nvertex 0 0 0\nvertex 1 0 0\nvertex 0 1 0\nendloop\nendfacet\nendsolid\n",
	} {
		m, f, err := Read(name, []byte(text), nil, Options{})
		if err != nil {
			t.Errorf("%s: %v", name, err)
			continue
		}
		at := m.At(0)
		if a := at.Area(); math.Abs(a-math.Round(2*a)/2) > 1e-9 || a == 0 || f.Size[0] != 1 || f.Size[1] != 1 {
			t.Errorf("%s: area %g, size %v", name, a, f.Size)
		}
		if name == "big endian.ply" && (math.Abs(at.Colour[0].Y-0.2158605) > 1e-5 || at.Colour[0].X != 1) {
			t.Errorf("colour %v", at.Colour[0])
		}
	}
}

func TestTwoMillionTriangles(t *testing.T) {
	if os.Getenv("ZARF_SLOW") == "" {
		t.Skip("slow: set ZARF_SLOW=1")
	}
	m := geom.BallMesh(1, 1416)
	if len(m.Tri) < 2_000_000 {
		t.Fatalf("%d triangles", len(m.Tri))
	}
	var b bytes.Buffer
	stl.Encode(&b, m)
	got, f, err := Read("ball.stl", b.Bytes(), nil, Options{})
	if err != nil || f.OpenEdges != 0 {
		t.Fatalf("%v %+v", err, f)
	}
	body, err := geom.NewBody(got.At(0), 2.0/128)
	if err != nil || math.Abs(body.Distance(geom.V(0.9, 0, 0))+0.1) > 0.005 {
		t.Errorf("%v: %g", err, body.Distance(geom.V(0.9, 0, 0)))
	}
}

// The readers meet anything at all: they may refuse it, they may not crash,
// and what they take must be sound.
func fuzz(f *testing.F, kind string, seeds ...[]byte) {
	for _, s := range seeds {
		f.Add(s)
	}
	f.Fuzz(func(t *testing.T, data []byte) {
		m, facts, err := Read("a"+kind, data, map[string][]byte{"tri.bin": make([]byte, 36)}, Options{})
		if err != nil {
			return
		}
		at := m.At(facts.Length / 2)
		for n, tr := range at.Tri {
			for _, v := range tr {
				if v < 0 || int(v) >= len(at.P) {
					t.Fatalf("face %d names vertex %d of %d", n, v, len(at.P))
				}
			}
		}
	})
}

func FuzzGLTF(f *testing.F) {
	var b bytes.Buffer
	gltf.Encode(&b, puppet())
	_, files := written(f)
	fuzz(f, ".glb", b.Bytes(), files[".glb"], gltfText(func(map[string]any) {}))
}

func FuzzOBJ(f *testing.F) {
	fuzz(f, ".obj", []byte("o a\nv 0 0 0\nv 1 0 0 1 0 0\nv 1 1 0\nv 0 1 0\nf -4/1/1 -3//2 -2 -1\nl 1 2 3\n"))
}

func FuzzPLY(f *testing.F) {
	_, files := written(f)
	fuzz(f, ".ply", files[".ply"], []byte("ply\nformat ascii 1.0\nelement vertex 3\nproperty float x\nproperty float y\nproperty float z\nelement face 1\nproperty list uchar int vertex_index\nend_header\n0 0 0\n1 0 0\n0 1 0\n3 0 1 2\n"))
}

func FuzzSTL(f *testing.F) {
	_, files := written(f)
	fuzz(f, ".stl", files[".stl"], []byte("solid a\nfacet normal 0 0 1\nouter loop\nvertex 0 0 0\nvertex 1 0 0\nvertex 0 1 0\nendloop\nendfacet\nendsolid\n"))
}

func FuzzSVG(f *testing.F) {
	fuzz(f, ".svg", []byte(emblem), []byte(`<svg><path d="M0 0Q5 10 10 0T20 0A5 5 0 1 1 0 0z"/><rect x="1" y="2" width="3mm" height="4" rx="1" transform="rotate(20) skewX(3)"/></svg>`))
}

func FuzzTerrain(f *testing.F) { fuzz(f, ".png", slope(f)) }
