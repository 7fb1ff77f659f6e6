package gltf

// Reading goes in this order, each step relying on the ones before:
//
//	container   the text and the buffer that came with it
//	load        all buffers' bytes
//	scene       nodes, meshes, skins, cameras, animations
//	Check       references of the finished model
//
// A file is a graph of numbers that refer to each other, and any of them may be
// wrong or hostile. So there is one function that follows each kind of reference
// (view for buffer views, numbers for accessors), which checks it and names it in
// its error, and nothing else indexes into the file's lists by the file's numbers.

import (
	"bytes"
	"encoding/base64"
	"encoding/binary"
	"encoding/json"
	"errors"
	"fmt"
	"math"
	"net/url"
	"path"
	"strings"

	"zarf/core/geom"
	"zarf/core/model"
)

// Error tells what in a file is wrong.
// Where is a place in words, such as “lamp, primitive 2, indices, accessor 17”; What
// ends with how to mend it where that is known.
type Error struct{ Where, What string }

// Error names where in the file, and what.
func (e *Error) Error() string {
	if e.Where == "" {
		return "glTF: " + e.What
	}
	return "glTF, " + e.Where + ": " + e.What
}

// fail ends the reading. Parsers here go deep, and every level would hand the same
// error up: a panic with an *Error, which Decode alone catches, keeps the parsing
// readable. Any other panic passes through.
// It never returns.
func fail(where, format string, a ...any) {
	panic(&Error{where, fmt.Sprintf(format, a...)})
}

// The three words spell their names in the file, least byte first.
const (
	// Of the binary container, as little-endian words: “glTF”, “JSON”, “BIN\0”.
	magic     = 0x46546C67
	chunkJSON = 0x4E4F534A
	chunkBIN  = 0x004E4942
)

// file is the JSON text, as far as it is read. Everything refers to everything else
// by its place in a list; a pointer is a reference that may be missing, since 0 is a
// place too. Nothing in it is trusted: each reference is checked where it is
// followed.
type file struct {
	// required by the specification; a file without it isn't glTF 2.0
	Asset struct {
		Version    string `json:"version"`
		MinVersion string `json:"minVersion"`
	} `json:"asset"`
	// what a reader must know; extensionsUsed alone may be ignored
	ExtensionsRequired []string `json:"extensionsRequired"`
	Scene              *int     `json:"scene"`
	Scenes             []struct {
		Nodes []int `json:"nodes"`
	} `json:"scenes"`
	// a node has a matrix, or the three parts; files that have both have the matrix
	// win here
	Nodes []struct {
		Name        string    `json:"name"`
		Children    []int     `json:"children"`
		Matrix      []float64 `json:"matrix"`
		Translation []float64 `json:"translation"`
		Rotation    []float64 `json:"rotation"`
		Scale       []float64 `json:"scale"`
		Mesh        *int      `json:"mesh"`
		Skin        *int      `json:"skin"`
		Camera      *int      `json:"camera"`
		Weights     []float64 `json:"weights"`
	} `json:"nodes"`
	Meshes []struct {
		Name       string      `json:"name"`
		Primitives []primitive `json:"primitives"`
		Weights    []float64   `json:"weights"`
	} `json:"meshes"`
	Materials []struct {
		Name string `json:"name"`
	} `json:"materials"`
	// joints are nodes; the matrices take mesh space to each joint's space at rest
	Skins []struct {
		InverseBindMatrices *int  `json:"inverseBindMatrices"`
		Joints              []int `json:"joints"`
	} `json:"skins"`
	// orthographic ones are read over, as the shot's camera has a lens
	Cameras []struct {
		Name        string `json:"name"`
		Type        string `json:"type"`
		Perspective struct {
			YFov float64 `json:"yfov"`
		} `json:"perspective"`
	} `json:"cameras"`
	// channels say what moves, samplers when and how
	Animations []struct {
		Name     string `json:"name"`
		Channels []struct {
			Sampler int `json:"sampler"`
			Target  struct {
				Node *int   `json:"node"`
				Path string `json:"path"`
			} `json:"target"`
		} `json:"channels"`
		Samplers []struct {
			Input         int    `json:"input"`
			Output        int    `json:"output"`
			Interpolation string `json:"interpolation"`
		} `json:"samplers"`
	} `json:"animations"`
	Accessors []accessor `json:"accessors"`
	// a stretch of a buffer, and how far apart its elements begin
	BufferViews []struct {
		Buffer     int `json:"buffer"`
		ByteOffset int `json:"byteOffset"`
		ByteLength int `json:"byteLength"`
		ByteStride int `json:"byteStride"`
	} `json:"bufferViews"`
	// without a URI it is the container's own
	Buffers []struct {
		URI        string `json:"uri"`
		ByteLength int    `json:"byteLength"`
	} `json:"buffers"`
}

// primitive is a piece of a mesh with one material: attributes are accessors by
// meaning (POSITION, COLOR_0 …), indices an accessor of corners, or the vertices in
// turn where there is none.
// Mode says how indices make shapes: 4, the default, triangles; 5 and 6 strips and
// fans; 1 to 3 lines. Points are left out.
type primitive struct {
	Attributes map[string]int   `json:"attributes"`
	Indices    *int             `json:"indices"`
	Mode       *int             `json:"mode"`
	Material   *int             `json:"material"`
	Targets    []map[string]int `json:"targets"`
}

// accessor says how numbers lie in a buffer view: count elements of a type (SCALAR,
// VEC3, MAT4 …), each component of a kind (5126 is float32), beginning at an offset,
// stride bytes apart. A sparse one is another (or zeros) with some elements
// replaced.
type accessor struct {
	BufferView    *int   `json:"bufferView"`
	ByteOffset    int    `json:"byteOffset"`
	ComponentType int    `json:"componentType"`
	Normalized    bool   `json:"normalized"`
	Count         int    `json:"count"`
	Type          string `json:"type"`
	Sparse        *struct {
		Count   int `json:"count"`
		Indices struct {
			BufferView    int `json:"bufferView"`
			ByteOffset    int `json:"byteOffset"`
			ComponentType int `json:"componentType"`
		} `json:"indices"`
		Values struct {
			BufferView int `json:"bufferView"`
			ByteOffset int `json:"byteOffset"`
		} `json:"values"`
	} `json:"sparse"`
}

// reading is a file on its way into a model.
// file is embedded: its lists are named as in the specification, with capitals.
type reading struct {
	file
	buffers [][]byte
	m       *model.Model
	// notes already told: a thousand meshes without positions are one note
	noted  map[string]bool
	budget int // numbers that may still be read
}

// Decode reads a .glb or .gltf file. Files are others that came with it, by
// name, for buffers that stand outside. What is wrong is an *Error.
//
// files holds what came along with a .gltf, by its last name: buffers. The model is
// in the file's own space, metres and y up by the specification; its notes say what
// was left out. Reading is one pass over the text and one over each accessor that is
// used, and what isn't used (textures, materials' looks) is never touched.
func Decode(data []byte, files map[string][]byte) (m *model.Model, err error) {
	defer func() {
		if p := recover(); p != nil {
			fe, ok := p.(*Error)
			if !ok {
				panic(p)
			}
			m, err = nil, fe
		}
	}()
	// A few bytes can name one long accessor a thousand times. What may be read in
	// all is bounded by the file's own size, so that it can't ask for more memory
	// than a file of honest numbers would.
	// 16 numbers a byte is far more than honest files need: a uint8 accessor read
	// twice is two
	text, bin := container(data)
	r := &reading{m: &model.Model{}, noted: map[string]bool{}, budget: 20_000_000 + 16*len(data)}
	// unknown fields are extensions and extras, and are ignored
	if err := json.Unmarshal(text, &r.file); err != nil {
		var syn *json.SyntaxError
		if errors.As(err, &syn) {
			fail("", "not JSON at byte %d: %v", syn.Offset, syn)
		}
		fail("", "%v", err)
	}
	// Any 2.x: what a later one adds, a reader of 2.0 may ignore unless it is
	// required.
	if !strings.HasPrefix(r.Asset.Version, "2.") {
		fail("asset.version", "is %q; version 2.0 is read", r.Asset.Version)
	}
	// Those that are let through change how materials look or how numbers are
	// stored, which accessors read by their own type in any case.
	for _, x := range r.ExtensionsRequired {
		if x != "KHR_mesh_quantization" && x != "KHR_texture_transform" && x != "KHR_materials_unlit" {
			fail("extensionsRequired", "can't be read without %q; export without it (no mesh compression)", x)
		}
	}
	// buffers that stand outside add to what may be read
	r.load(bin, files)
	for _, b := range r.buffers {
		r.budget += 4 * len(b)
	}
	r.scene()
	if err := r.m.Check(); err != nil {
		fail("", "%v", err)
	}
	return r.m, nil
}

// container takes a .glb apart; a .gltf is its own text. The binary container, all words little-endian:
//
//	 0  magic “glTF”, version 2, length of the whole file
//	12  chunks: length of the body, kind, body padded to 4 bytes
//
// The first chunk is the text, the second the buffer that the text calls its first;
// chunks of other kinds are to be passed over.
func container(data []byte) (text, bin []byte) {
	// The ending of the name isn't asked: a .glb renamed is read as what it is.
	if len(data) < 4 || binary.LittleEndian.Uint32(data) != magic {
		return bytes.TrimPrefix(data, []byte("\xef\xbb\xbf")), nil
	}
	// head and the head of the first chunk
	if len(data) < 20 {
		fail("header", "the file ends after %d bytes", len(data))
	}
	if v := binary.LittleEndian.Uint32(data[4:]); v != 2 {
		fail("header", "container version %d; version 2 is read", v)
	}
	// A file that is longer than it says is read up to its chunks' own ends.
	if n := binary.LittleEndian.Uint32(data[8:]); int64(n) > int64(len(data)) {
		fail("header", "the file should have %d bytes and has %d: it was cut off", n, len(data))
	}
	for at := 12; at+8 <= len(data); {
		n, kind := int64(binary.LittleEndian.Uint32(data[at:])), binary.LittleEndian.Uint32(data[at+4:])
		if n > int64(len(data)-at-8) {
			fail("chunk", "it should have %d bytes, %d are left: the file was cut off", n, len(data)-at-8)
		}
		body := data[at+8 : at+8+int(n)]
		switch {
		// the first of each kind counts, as the specification has it
		case kind == chunkJSON && text == nil:
			text = body
		case kind == chunkBIN && bin == nil:
			bin = body
		}
		at += 8 + int(n)
	}
	if text == nil {
		fail("chunk", "there is no JSON chunk")
	}
	return text, bin
}

// load finds the bytes of every buffer: in the file itself, in a data address, or
// among the files that came along, by the last part of their name, so that no path
// of the file reaches a disk.
// Nothing is fetched, and of a path only its last part counts.
func (r *reading) load(bin []byte, files map[string][]byte) {
	for n, b := range r.Buffers {
		where := fmt.Sprintf("buffer %d", n)
		var data []byte
		switch {
		case b.URI == "":
			if n > 0 || bin == nil {
				fail(where, "names no file, and the file holds no data of its own")
			}
			data = bin
		case strings.HasPrefix(b.URI, "data:"):
			_, enc, ok := strings.Cut(b.URI, ";base64,")
			if !ok {
				fail(where, "its data address isn't base64")
			}
			d, err := base64.StdEncoding.DecodeString(enc)
			if err != nil {
				fail(where, "its base64 is broken: %v", err)
			}
			data = d
		case strings.Contains(b.URI, "://") || strings.HasPrefix(b.URI, "//"):
			fail(where, "lies at %q; nothing is fetched: save it beside the file, or export as .glb", clip(b.URI))
		default:
			// names may be escaped as in addresses, and may have either kind of
			// slash
			name := b.URI
			if u, err := url.PathUnescape(name); err == nil {
				name = u
			}
			d, ok := files[path.Base(strings.ReplaceAll(name, `\`, "/"))]
			if !ok {
				fail(where, "is in %q, which didn't come along: choose both files together, or export as .glb", clip(name))
			}
			data = d
		}
		// More is fine, as containers pad.
		if len(data) < b.ByteLength {
			fail(where, "should have %d bytes and has %d", b.ByteLength, len(data))
		}
		r.buffers = append(r.buffers, data)
	}
}

// clip keeps what a file says short enough for a message.
func clip(s string) string {
	if len(s) > 80 {
		return s[:80] + "…"
	}
	return s
}

// note tells the artist once what was left out or taken otherwise.
func (r *reading) note(format string, a ...any) {
	s := fmt.Sprintf(format, a...)
	if !r.noted[s] && len(r.m.Notes) < 20 {
		r.noted[s] = true
		r.m.Notes = append(r.m.Notes, s)
	}
}

// width is how many numbers an element of a type has.
// Matrices have their columns padded to four bytes where components are smaller;
// MAT4 of floats, the only one used here, has no padding.
var width = map[string]int{"SCALAR": 1, "VEC2": 2, "VEC3": 3, "VEC4": 4, "MAT2": 4, "MAT3": 9, "MAT4": 16}

// size is the bytes of a component: 5120 int8, 5121 uint8, 5122 int16, 5123 uint16,
// 5125 uint32, 5126 float32; 0 for what isn't one.
func size(component int) int {
	switch component {
	case 5120, 5121:
		return 1
	case 5122, 5123:
		return 2
	case 5125, 5126:
		return 4
	}
	return 0
}

// view is the bytes of a buffer view from an offset on.
// It is the only way to bytes of a buffer, and all of its bounds are checked here.
func (r *reading) view(where string, n, offset int) (data []byte, stride int) {
	if n < 0 || n >= len(r.BufferViews) {
		fail(where, "names buffer view %d; there are %d", n, len(r.BufferViews))
	}
	v := r.BufferViews[n]
	if v.Buffer < 0 || v.Buffer >= len(r.buffers) {
		fail(where, "buffer view %d names buffer %d; there are %d", n, v.Buffer, len(r.buffers))
	}
	b := r.buffers[v.Buffer]
	if v.ByteOffset < 0 || v.ByteLength < 0 || v.ByteOffset > len(b) || v.ByteLength > len(b)-v.ByteOffset {
		fail(where, "buffer view %d reaches from %d over %d bytes; the buffer has %d", n, v.ByteOffset, v.ByteLength, len(b))
	}
	if offset < 0 || offset > v.ByteLength {
		fail(where, "starts at byte %d of a view of %d", offset, v.ByteLength)
	}
	// The specification's own limit; a stride of 0 means packed.
	if v.ByteStride < 0 || v.ByteStride > 252 {
		fail(where, "buffer view %d has a stride of %d", n, v.ByteStride)
	}
	return b[v.ByteOffset+offset : v.ByteOffset+v.ByteLength], v.ByteStride
}

// numbers reads an accessor: want numbers an element, rows count.
func (r *reading) numbers(where string, n, want int) (out []float64, count int) {
	if n < 0 || n >= len(r.Accessors) {
		fail(where, "names accessor %d; there are %d", n, len(r.Accessors))
	}
	a := &r.Accessors[n]
	// from here on messages name the accessor too
	where = fmt.Sprintf("%s, accessor %d", where, n)
	// want 0 takes any width: colours come with and without alpha
	w, ok := width[a.Type]
	if !ok || (want > 0 && w != want) {
		fail(where, "is of type %q", a.Type)
	}
	sz := size(a.ComponentType)
	if sz == 0 {
		fail(where, "has component type %d", a.ComponentType)
	}
	// Divided and not multiplied, which could overflow.
	if a.Count < 0 || a.Count > r.budget/w {
		fail(where, "has %d elements, more than are taken", a.Count)
	}
	// Taken before the numbers are made, also for those that will turn out zeros.
	r.budget -= a.Count * w
	// an accessor without a view holds zeros, which a sparse one then changes
	if a.BufferView == nil {
		out = make([]float64, a.Count*w)
	} else {
		data, stride := r.view(where, *a.BufferView, a.ByteOffset)
		out = elements(where, data, stride, a.Count, w, a.ComponentType, a.Normalized)
	}
	// a sparse accessor lists which elements it replaces, in rising order, and what
	// by
	if s := a.Sparse; s != nil {
		if s.Count < 0 || s.Count > a.Count {
			fail(where, "replaces %d of %d elements", s.Count, a.Count)
		}
		data, stride := r.view(where, s.Indices.BufferView, s.Indices.ByteOffset)
		if size(s.Indices.ComponentType) == 0 {
			fail(where, "has sparse indices of component type %d", s.Indices.ComponentType)
		}
		at := elements(where, data, stride, s.Count, 1, s.Indices.ComponentType, false)
		data, stride = r.view(where, s.Values.BufferView, s.Values.ByteOffset)
		vals := elements(where, data, stride, s.Count, w, a.ComponentType, a.Normalized)
		// indices are asked to be in order, but nothing here depends on it
		for i, x := range at {
			if !(x >= 0 && int(x) < a.Count) {
				fail(where, "replaces element %g of %d", x, a.Count)
			}
			copy(out[int(x)*w:][:w], vals[i*w:][:w])
		}
	}
	return out, a.Count
}

// elements reads count rows of w numbers that begin stride bytes apart (0: one
// behind the other). Normalised integers are shares of their largest value: −127 …
// 127 is −1 … 1, and −128, which would be less, is −1 too (specification 3.11).
func elements(where string, data []byte, stride, count, w, component int, normalized bool) []float64 {
	sz := size(component)
	// tightly packed
	if stride == 0 {
		stride = w * sz
	}
	if count > 0 && (stride < w*sz || len(data) < (count-1)*stride+w*sz) {
		fail(where, "needs %d bytes, there are %d", (count-1)*stride+w*sz, len(data))
	}
	out := make([]float64, count*w)
	scale := 1.0
	if normalized {
		scale = map[int]float64{5120: 1.0 / 127, 5121: 1.0 / 255, 5122: 1.0 / 32767, 5123: 1.0 / 65535, 5125: 1.0 / math.MaxUint32}[component]
	}
	for i := range count {
		// interleaved attributes: rows may hold other things between
		row := data[i*stride:]
		for x := range w {
			var v float64
			switch component {
			case 5120:
				v = float64(int8(row[x]))
			case 5121:
				v = float64(row[x])
			case 5122:
				v = float64(int16(binary.LittleEndian.Uint16(row[2*x:])))
			case 5123:
				v = float64(binary.LittleEndian.Uint16(row[2*x:]))
			case 5125:
				v = float64(binary.LittleEndian.Uint32(row[4*x:]))
			case 5126:
				v = float64(math.Float32frombits(binary.LittleEndian.Uint32(row[4*x:])))
			}
			// floats are as they are, whatever the flag says
			if normalized && component != 5126 {
				v = max(v*scale, -1)
			}
			out[i*w+x] = v
		}
	}
	return out
}

// vectors groups numbers by three.
func vectors(v []float64) []geom.Vec3 {
	out := make([]geom.Vec3, len(v)/3)
	for i := range out {
		out[i] = geom.V(v[3*i], v[3*i+1], v[3*i+2])
	}
	return out
}

// affine takes the 16 numbers of a matrix, column by column: the first three columns
// are where the axes go, the last the shift.
func affine(v []float64) geom.Affine {
	return geom.Affine{M: geom.Mat3{geom.V(v[0], v[4], v[8]), geom.V(v[1], v[5], v[9]), geom.V(v[2], v[6], v[10])}, T: geom.V(v[12], v[13], v[14])}
}

// index is a reference, −1 where there is none.
func index(p *int) int {
	if p == nil {
		return -1
	}
	return *p
}

// scene builds the model: nodes first, since meshes, skins and animations refer to
// them; then meshes, whose lines become curves on nodes of their own.
//
// A node with a mesh of lines gets children with curves, one a primitive; a mesh
// that is nothing but lines is taken off its node, so that it isn't shown as an
// empty mesh.
func (r *reading) scene() {
	m := r.m
	if len(r.Nodes) > model.MaxNodes {
		fail("nodes", "there are %d; up to %d are taken", len(r.Nodes), model.MaxNodes)
	}
	r.tree()
	curves := make([][]int, len(r.Meshes))
	for n := range r.Meshes {
		curves[n] = r.mesh(n)
	}
	// lines of a mesh hang on a node of their own beside the one that uses it
	for n := range r.Nodes {
		if k := m.Nodes[n].Mesh; k >= 0 && k < len(r.Meshes) {
			for _, c := range curves[k] {
				nd := model.NewNode(m.Curves[c].Name)
				nd.Parent, nd.Curve = n, c
				m.Nodes = append(m.Nodes, nd)
			}
			if len(m.Meshes[k].Tri) == 0 {
				m.Nodes[n].Mesh = -1
			}
		}
	}
	r.skins()
	for _, c := range r.Cameras {
		if c.Type == "perspective" && !(c.Perspective.YFov > 0.001 && c.Perspective.YFov < math.Pi) {
			fail("cameras", "one sees an angle of %g radians", c.Perspective.YFov)
		}
		m.Cameras = append(m.Cameras, model.Camera{Name: c.Name, YFov: c.Perspective.YFov, Ortho: c.Type != "perspective"})
		if c.Type != "perspective" {
			r.note("an orthographic camera was left out")
		}
	}
	r.animations()
}

// tree reads nodes and who hangs on whom. A node has a matrix, or shift, turn and
// size (applied in the order size, turn, shift). A node with two parents, or a
// reference to itself round a circle, is refused: everything later walks up to the
// root.
func (r *reading) tree() {
	m := r.m
	// nil means that the field wasn't there; 1e12 m is far beyond any scene, and
	// squares of it still fit
	wide := func(where string, v []float64, want int) bool {
		if v == nil {
			return false
		}
		if len(v) != want {
			fail(where, "has %d numbers; it needs %d", len(v), want)
		}
		for _, x := range v {
			if math.IsNaN(x) || math.IsInf(x, 0) || math.Abs(x) > 1e12 {
				fail(where, "holds %g", x)
			}
		}
		return true
	}
	for n, x := range r.Nodes {
		where := fmt.Sprintf("node %d", n)
		nd := model.NewNode(x.Name)
		// indices into lists that are read later; Check looks at them when all are
		// there
		nd.Mesh, nd.Skin, nd.Camera, nd.Weights = index(x.Mesh), index(x.Skin), index(x.Camera), x.Weights
		if wide(where+".matrix", x.Matrix, 16) {
			a := affine(x.Matrix)
			nd.Fixed = &a
		}
		if wide(where+".translation", x.Translation, 3) {
			nd.T = geom.V(x.Translation[0], x.Translation[1], x.Translation[2])
		}
		if wide(where+".rotation", x.Rotation, 4) {
			nd.R = geom.Quat{X: x.Rotation[0], Y: x.Rotation[1], Z: x.Rotation[2], W: x.Rotation[3]}.Unit()
		}
		if wide(where+".scale", x.Scale, 3) {
			nd.S = geom.V(x.Scale[0], x.Scale[1], x.Scale[2])
		}
		m.Nodes = append(m.Nodes, nd)
	}
	for n, x := range r.Nodes {
		for _, c := range x.Children {
			if c < 0 || c >= len(m.Nodes) {
				fail(fmt.Sprintf("node %d", n), "has child %d; there are %d nodes", c, len(m.Nodes))
			}
			if m.Nodes[c].Parent >= 0 {
				fail(fmt.Sprintf("node %d", c), "has two parents")
			}
			m.Nodes[c].Parent = n
		}
	}
	// a scene shows only what hangs on its roots
	if len(r.Scenes) > 0 {
		s := 0
		if r.Scene != nil {
			s = *r.Scene
		}
		// without a scene number the first is meant
		if s < 0 || s >= len(r.Scenes) {
			fail("scene", "is %d; there are %d", s, len(r.Scenes))
		}
		root := map[int]bool{}
		for _, n := range r.Scenes[s].Nodes {
			root[n] = true
		}
		for n := range m.Nodes {
			// a circle ends after as many steps as there are nodes; Check refuses it
			// up to the root; a node whose root isn't in the scene isn't shown
			top, steps := n, 0
			for m.Nodes[top].Parent >= 0 && steps <= len(m.Nodes) {
				top, steps = m.Nodes[top].Parent, steps+1
			}
			if !root[top] {
				m.Nodes[n].Mesh, m.Nodes[n].Camera = -1, -1
			}
		}
	}
}

// mesh reads the primitives of a mesh into one, each a part by its material. Modes:
// 0 points, 1 lines, 2 loop, 3 strip of lines, 4 triangles, 5 strip, 6 fan. It
// returns the curves that its lines became.
func (r *reading) mesh(n int) (curves []int) {
	x := r.Meshes[n]
	name := x.Name
	if name == "" {
		name = fmt.Sprintf("mesh %d", n+1)
	}
	out := model.Mesh{Morph: x.Weights}
	for p := range x.Primitives {
		where := fmt.Sprintf("%s, primitive %d", name, p)
		pr := &x.Primitives[p]
		mode := 4
		if pr.Mode != nil {
			mode = *pr.Mode
		}
		// morph targets alone can't make a primitive
		pos, ok := pr.Attributes["POSITION"]
		if !ok {
			r.note("%s has no positions and was left out", where)
			continue
		}
		v, count := r.numbers(where, pos, 3)
		if len(out.P)+count > geom.MaxVertices {
			fail(where, "the mesh has over %d vertices; hand over a lighter one", geom.MaxVertices)
		}
		// checked against this primitive's own vertices, before they are added to
		// the mesh's
		idx := r.indices(where, pr, count)
		// lines become curves, which guides are made of
		if mode >= 1 && mode <= 3 {
			r.m.Curves = append(r.m.Curves, line(name, vectors(v), idx, mode))
			curves = append(curves, len(r.m.Curves)-1)
			continue
		}
		if mode == 0 {
			r.note("points of %s were left out", name)
			continue
		}
		if mode < 0 || mode > 6 {
			fail(where, "has mode %d", mode)
		}
		r.triangles(where, &out, pr, vectors(v), idx, mode)
	}
	if len(out.Tri) > geom.MaxTriangles {
		fail(name, "has %d triangles; up to %d are taken: hand over a lighter one", len(out.Tri), geom.MaxTriangles)
	}
	r.m.Meshes = append(r.m.Meshes, out)
	return curves
}

// indices are the corners of a primitive, all within its vertices.
func (r *reading) indices(where string, pr *primitive, count int) []int32 {
	if pr.Indices == nil {
		idx := make([]int32, count)
		for i := range idx {
			idx[i] = int32(i)
		}
		return idx
	}
	v, n := r.numbers(where+", indices", *pr.Indices, 1)
	idx := make([]int32, n)
	for i, x := range v {
		if !(x >= 0 && x < float64(count)) {
			fail(where, "index %d names vertex %g; there are %d", i, x, count)
		}
		idx[i] = int32(x)
	}
	return idx
}

// line makes a curve of a primitive's lines. Single pieces (mode 1) that join on are
// one curve.
func line(name string, p []geom.Vec3, idx []int32, mode int) model.Curve {
	c := model.Curve{Name: name, Closed: mode == 2}
	for n, i := range idx {
		if mode == 1 && n%2 == 0 && n > 0 && idx[n-1] == i {
			continue // pieces that join on
		}
		c.Points = append(c.Points, p[i])
	}
	return c
}

// triangles adds a primitive's triangles, and its vertices with all that belongs to
// them. A strip's every second triangle is turned round, so that all face one way.
func (r *reading) triangles(where string, out *model.Mesh, pr *primitive, p []geom.Vec3, idx []int32, mode int) {
	base := int32(len(out.P))
	// parts are named after materials: what an artist calls “rope” is one part
	part := "part " + fmt.Sprint(len(out.Parts)+1)
	if m := index(pr.Material); m >= 0 && m < len(r.Materials) && r.Materials[m].Name != "" {
		part = r.Materials[m].Name
	}
	// beyond the limit further primitives join the last part
	if len(out.Parts) < geom.MaxParts {
		out.Parts = append(out.Parts, part)
	}
	id := int32(len(out.Parts) - 1)
	add := func(a, b, c int32) {
		out.Tri = append(out.Tri, [3]int32{base + a, base + b, base + c})
		out.Part = append(out.Part, id)
	}
	switch mode {
	case 4:
		for i := 0; i+2 < len(idx); i += 3 {
			add(idx[i], idx[i+1], idx[i+2])
		}
	case 5:
		for i := 0; i+2 < len(idx); i++ {
			// odd triangles of a strip have their last two corners swapped
			add(idx[i], idx[i+1+i%2], idx[i+2-i%2])
		}
	case 6:
		for i := 1; i+1 < len(idx); i++ {
			add(idx[0], idx[i], idx[i+1])
		}
	}
	// attributes are added for exactly the vertices from here on
	// Primitives of one mesh become one list of vertices; indices move up by had.
	had := len(out.P)
	out.P = append(out.P, p...)
	r.colours(where, out, pr, had, len(p))
	r.bind(where, out, pr, had, len(p))
	r.morphs(where, out, pr, had, len(p))
}

// colours adds what vertices are coloured with, white where a part has none: the
// mesh has colours for all of its vertices or for none.
func (r *reading) colours(where string, out *model.Mesh, pr *primitive, had, n int) {
	a, ok := pr.Attributes["COLOR_0"]
	if !ok {
		if out.Colour != nil {
			for range n {
				out.Colour = append(out.Colour, geom.V(1, 1, 1))
			}
		}
		return
	}
	for len(out.Colour) < had {
		out.Colour = append(out.Colour, geom.V(1, 1, 1))
	}
	v, count := r.numbers(where+", colours", a, 0)
	if count != n || (len(v) != 3*n && len(v) != 4*n) {
		fail(where, "%d colours for %d vertices", count, n)
	}
	// 3 or 4 numbers; alpha isn't used
	// A primitive without vertices has no colours either, and no width to find.
	w := len(v) / max(n, 1)
	for i := range n {
		out.Colour = append(out.Colour, geom.V(v[i*w], v[i*w+1], v[i*w+2]))
	}
}

// bind adds to each vertex the four joints that move it and their shares; vertices
// without any move with the node.
func (r *reading) bind(where string, out *model.Mesh, pr *primitive, had, n int) {
	j, ok := pr.Attributes["JOINTS_0"]
	w, ok2 := pr.Attributes["WEIGHTS_0"]
	if !ok || !ok2 {
		if out.Joints != nil {
			out.Joints = append(out.Joints, make([][4]uint16, n)...)
			out.Weights = append(out.Weights, make([][4]float32, n)...)
		}
		return
	}
	if _, more := pr.Attributes["JOINTS_1"]; more {
		r.note("more than four joints a vertex: the first four are used")
	}
	// vertices of earlier primitives move with their node
	if out.Joints == nil {
		out.Joints, out.Weights = make([][4]uint16, had), make([][4]float32, had)
	}
	js, cj := r.numbers(where+", joints", j, 4)
	ws, cw := r.numbers(where+", weights", w, 4)
	if cj != n || cw != n {
		fail(where, "%d joints and %d weights for %d vertices", cj, cw, n)
	}
	for i := range n {
		var a [4]uint16
		var b [4]float32
		for x := range 4 {
			if v := js[4*i+x]; v >= 0 && v < 65536 {
				// a joint's number may come as a float; those that aren't numbers
				// become 0
				a[x] = uint16(v)
			}
			// Negative weights occur in broken exports; the sum is made 1 where a
			// pose is taken.
			if v := ws[4*i+x]; v > 0 && v <= 1e6 {
				b[x] = float32(v)
			}
		}
		out.Joints, out.Weights = append(out.Joints, a), append(out.Weights, b)
	}
}

// morphs adds shapes that the mesh can take: for each a shift of every vertex. Parts
// without one stay still in it.
func (r *reading) morphs(where string, out *model.Mesh, pr *primitive, had, n int) {
	// A face rig has about fifty; each costs as much memory as the mesh itself.
	if len(pr.Targets) > 256 {
		fail(where, "has %d morph targets; up to 256 are taken", len(pr.Targets))
	}
	for len(out.Morphs) < len(pr.Targets) {
		out.Morphs = append(out.Morphs, make([]geom.Vec3, had))
	}
	// every morph has a shift for every vertex of the mesh
	for x := range out.Morphs {
		shift := make([]geom.Vec3, n)
		if x < len(pr.Targets) {
			if a, ok := pr.Targets[x]["POSITION"]; ok {
				v, count := r.numbers(where+", morph", a, 3)
				if count != n {
					fail(where, "morph %d has %d vertices of %d", x, count, n)
				}
				shift = vectors(v)
			}
		}
		out.Morphs[x] = append(out.Morphs[x], shift...)
	}
}

// skins reads which nodes are joints, and the matrices that take a vertex from the
// mesh into the joint's space at rest; none means that it is there already.
func (r *reading) skins() {
	for n, s := range r.Skins {
		where := fmt.Sprintf("skin %d", n)
		sk := model.Skin{Joints: s.Joints}
		if s.InverseBindMatrices != nil {
			v, count := r.numbers(where, *s.InverseBindMatrices, 16)
			// More matrices than joints are allowed and not used.
			if count < len(s.Joints) {
				fail(where, "%d matrices for %d joints", count, len(s.Joints))
			}
			for j := range s.Joints {
				sk.Inverse = append(sk.Inverse, affine(v[16*j:]))
			}
		}
		r.m.Skins = append(r.m.Skins, sk)
	}
}

// animations reads tracks: times in seconds, and what a node's shift, turn, size or
// morph weights are then. Cubic ones have three values a key: in-tangent, value,
// out-tangent. All clips of a file play together, as the model has one timeline.
func (r *reading) animations() {
	for n, a := range r.Animations {
		out := model.Clip{Name: a.Name}
		for c, ch := range a.Channels {
			where := fmt.Sprintf("animation %d, channel %d", n, c)
			// A channel without a node belongs to an extension.
			if ch.Target.Node == nil {
				continue
			}
			if ch.Sampler < 0 || ch.Sampler >= len(a.Samplers) {
				fail(where, "names sampler %d; there are %d", ch.Sampler, len(a.Samplers))
			}
			s := a.Samplers[ch.Sampler]
			p := model.Path(ch.Target.Path)
			// weights have as many numbers as there are morphs: read one by one, and
			// counted later
			want := map[model.Path]int{model.Translation: 3, model.Rotation: 4, model.Scale: 3, model.Weights: 1}[p]
			if want == 0 {
				r.note("animation of %q was left out", clip(ch.Target.Path))
				continue
			}
			t := model.Track{Node: *ch.Target.Node, Path: p, How: model.Interpolation(s.Interpolation)}
			// Linear is the default of the format.
			if t.How == "" {
				t.How = model.Linear
			}
			if t.How != model.Linear && t.How != model.Step && t.How != model.Cubic {
				fail(where, "is interpolated by %q", clip(s.Interpolation))
			}
			t.Times, _ = r.numbers(where, s.Input, 1)
			t.Values, _ = r.numbers(where, s.Output, want)
			out.Tracks = append(out.Tracks, t)
		}
		if len(out.Tracks) > 0 {
			r.m.Clips = append(r.m.Clips, out)
		}
	}
	if len(r.m.Clips) > 1 {
		r.note("%d animations play at once", len(r.m.Clips))
	}
}
