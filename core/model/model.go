package model

// One tree for everything that files bring: nodes with transforms, and indices to
// what hangs on them. Nothing here knows of files; readers fill the lists and call
// Check.

import (
	"fmt"
	"math"
	"slices"

	"zarf/core/geom"
)

// Limits of a model.
// Limits are there for memory and for walks: a hundred bytes of a file can ask for
// millions of nodes, and every pose walks all of them.
const (
	MaxNodes = 20000
	MaxDepth = 200
	MaxKeys  = 5_000_000 // over all tracks
	// MaxShown is how many triangles nodes may show beyond those that the meshes
	// hold: a small file can show one mesh ten thousand times.
	MaxShown = 4_000_000
)

// Node is a place in the tree. Mesh, Skin and Camera are indices, −1 for none.
// its transform is shift · turn · size, or Fixed
type Node struct {
	Name   string
	Parent int // −1: a root
	T      geom.Vec3
	R      geom.Quat
	S      geom.Vec3
	// A matrix with shear can't be told as T, R and S, so it is kept as it came.
	Fixed   *geom.Affine // given as a matrix; then T, R and S don't count
	Mesh    int
	Skin    int
	Camera  int
	Curve   int
	Weights []float64 // of morph targets; nil: the mesh's
}

// Mesh is triangles with what moves them.
// Joints and Weights are four a vertex; weights need not add up to 1
// Four joints a vertex is what glTF holds in its first set; further sets are left
// out by its reader, which says so in Notes.
type Mesh struct {
	geom.Mesh
	Joints  [][4]uint16 // of the node's skin; nil: not skinned
	Weights [][4]float32
	Morphs  [][]geom.Vec3 // shifts of the vertices
	Morph   []float64     // weights of the morphs
}

// Skin binds meshes to nodes.
// Inverse takes a vertex from the mesh's space into the joint's at the time of
// binding; fewer of them than joints means identity for the rest.
type Skin struct {
	Joints  []int // nodes
	Inverse []geom.Affine
}

// Path is what a track moves.
type Path string

// The paths.
const (
	Translation Path = "translation"
	Rotation    Path = "rotation"
	Scale       Path = "scale"
	Weights     Path = "weights"
)

// Interpolation between the keys of a track.
// Words of glTF, as its files were the first that brought animation; other readers
// translate into them.
type Interpolation string

// The interpolations of glTF.
const (
	Linear Interpolation = "LINEAR"
	Step   Interpolation = "STEP"
	Cubic  Interpolation = "CUBICSPLINE"
)

// Track moves one thing of one node. Values holds as many numbers a key as
// the path has; with cubic splines three times as many: in-tangent, value,
// out-tangent.
// times are in order and may repeat, which makes a jump
type Track struct {
	Node   int
	Path   Path
	How    Interpolation
	Times  []float64
	Values []float64
}

// Clip is an animation.
type Clip struct {
	Name   string
	Tracks []Track
}

// Camera is a lens; it looks along −z of its node.
// its node's transform places it
type Camera struct {
	Name  string
	YFov  float64 // radians
	Ortho bool
}

// Curve is a polyline in its node's space.
type Curve struct {
	Name   string
	Points []geom.Vec3
	Closed bool
}

// Model is all of a file.
// lists refer to each other by index; Check holds them together
type Model struct {
	Nodes   []Node
	Meshes  []Mesh
	Skins   []Skin
	Clips   []Clip
	Cameras []Camera
	Curves  []Curve
	Notes   []string // what was left out or mended, in words
}

// FromMesh makes a model of a mesh that stands still.
// The mesh's slices are shared with m, not copied.
func FromMesh(m *geom.Mesh) *Model {
	md := &Model{Meshes: []Mesh{{Mesh: *m}}}
	md.Nodes = []Node{NewNode("")}
	md.Nodes[0].Mesh = 0
	return md
}

// NewNode is a node that holds nothing.
// Its indices are −1: the zero Node would hang on node 0 with mesh 0.
func NewNode(name string) Node {
	return Node{Name: name, Parent: -1, R: geom.Quat{W: 1}, S: geom.V(1, 1, 1), Mesh: -1, Skin: -1, Camera: -1, Curve: -1}
}

// Check finds links that lead nowhere and loops; readers call it last.
// Everything later indexes without looking: whatever a reader left out is found
// here.
// It costs one walk over everything and is the only such walk: a model that passed
// it may be posed, cut and drawn without any check of an index.
func (m *Model) Check() error {
	if len(m.Nodes) > MaxNodes {
		return fmt.Errorf("%d nodes; up to %d are taken", len(m.Nodes), MaxNodes)
	}
	// −1 is none; everything below is a broken file
	in := func(what string, n, i, many int) error {
		if i < -1 || i >= many {
			return fmt.Errorf("node %d names %s %d; there are %d", n, what, i, many)
		}
		return nil
	}
	for n := range m.Nodes {
		nd := &m.Nodes[n]
		for _, err := range []error{in("parent", n, nd.Parent, len(m.Nodes)), in("mesh", n, nd.Mesh, len(m.Meshes)), in("skin", n, nd.Skin, len(m.Skins)), in("camera", n, nd.Camera, len(m.Cameras)), in("curve", n, nd.Curve, len(m.Curves))} {
			if err != nil {
				return err
			}
		}
		// a loop would be walked for ever by everything later: found here, by depth
		depth := 0
		for p := nd.Parent; p >= 0; p = m.Nodes[p].Parent {
			if depth++; depth > MaxDepth {
				return fmt.Errorf("node %d is nested over %d deep, or in a loop", n, MaxDepth)
			}
		}
	}
	for s := range m.Skins {
		for _, j := range m.Skins[s].Joints {
			if j < 0 || j >= len(m.Nodes) {
				return fmt.Errorf("skin %d names node %d; there are %d", s, j, len(m.Nodes))
			}
		}
	}
	keys := 0
	// clips may move anything, also what has no mesh
	for c := range m.Clips {
		for t := range m.Clips[c].Tracks {
			tr := &m.Clips[c].Tracks[t]
			if tr.Node < 0 || tr.Node >= len(m.Nodes) {
				return fmt.Errorf("animation %d moves node %d; there are %d", c, tr.Node, len(m.Nodes))
			}
			if keys += len(tr.Times); keys > MaxKeys {
				return fmt.Errorf("over %d animation keys", MaxKeys)
			}
			if err := tr.check(); err != nil {
				return fmt.Errorf("animation %d, track %d: %w", c, t, err)
			}
		}
	}
	for n := range m.Meshes {
		me := &m.Meshes[n]
		// Joints of a vertex beyond the skin's list are not an error here but no use
		// either: vertices leaves them out, as exporters pad with any number.
		if me.Joints != nil && (len(me.Joints) != len(me.P) || len(me.Weights) != len(me.P)) {
			return fmt.Errorf("mesh %d has %d vertices, %d joints and %d weights", n, len(me.P), len(me.Joints), len(me.Weights))
		}
		for x, mo := range me.Morphs {
			if len(mo) != len(me.P) {
				return fmt.Errorf("mesh %d has %d vertices, its morph %d has %d", n, len(me.P), x, len(mo))
			}
		}
	}
	return nil
}

// width is how many numbers a key has.
// Morph weights come as many as the mesh has targets, which the track doesn't know:
// it follows from how many numbers there are.
func (t *Track) width() int {
	switch t.Path {
	case Rotation:
		return 4
	case Weights:
		if len(t.Times) == 0 {
			return 0
		}
		n := len(t.Values) / len(t.Times)
		if t.How == Cubic {
			n /= 3
		}
		return n
	}
	return 3
}

// check refuses keys out of order, values that are no numbers, and too few of
// them.
func (t *Track) check() error {
	if len(t.Times) == 0 {
		return fmt.Errorf("it has no keys")
	}
	for i, v := range t.Times {
		// Equal times are allowed: exporters write a cut as two keys at one moment.
		if math.IsNaN(v) || math.IsInf(v, 0) || (i > 0 && v < t.Times[i-1]) {
			return fmt.Errorf("key %d is at %g s, after one at %g s", i, v, t.Times[max(i-1, 0)])
		}
	}
	for _, v := range t.Values {
		if math.IsNaN(v) || math.IsInf(v, 0) {
			return fmt.Errorf("a value is %g", v)
		}
	}
	// cubic tracks hold three values a key
	w := t.width() * len(t.Times)
	if t.How == Cubic {
		w *= 3
	}
	if w != len(t.Values) || w == 0 {
		return fmt.Errorf("%d keys need %d numbers, it has %d", len(t.Times), w, len(t.Values))
	}
	return nil
}

// at is the track's value at t seconds, held before its first and after its
// last key (glTF 2.0, appendix C).
// By binary search, as tracks may hold thousands of keys and are asked in any order.
// The slice that comes back may be the track's own; callers only read it.
func (t *Track) at(s float64) []float64 {
	w := t.width()
	// cubic keys hold three values: in-tangent, value, out-tangent
	value := func(k int) []float64 {
		if t.How == Cubic {
			return t.Values[(3*k+1)*w:][:w]
		}
		return t.Values[k*w:][:w]
	}
	// k is the first key at or after the time
	k, exact := slices.BinarySearch(t.Times, s)
	switch {
	case exact:
		return value(k)
	case k == 0:
		return value(0)
	case k == len(t.Times):
		return value(k - 1)
	case t.How == Step:
		return value(k - 1)
	}
	// d is above 0: between equal times no s can lie.
	d := t.Times[k] - t.Times[k-1]
	x := (s - t.Times[k-1]) / d
	a, b := value(k-1), value(k)
	out := make([]float64, w)
	switch {
	case t.How == Cubic:
		// Hermite with tangents in value a second, so they are scaled by the span
		// The out-tangent of the key before and the in-tangent of the one after.
		m0, m1 := t.Values[(3*(k-1)+2)*w:][:w], t.Values[3*k*w:][:w]
		x2, x3 := x*x, x*x*x
		for i := range out {
			out[i] = (2*x3-3*x2+1)*a[i] + d*(x3-2*x2+x)*m0[i] + (-2*x3+3*x2)*b[i] + d*(x3-x2)*m1[i]
		}
	case t.Path == Rotation:
		// along the shorter arc, as the specification has it
		q := geom.Slerp(quat(a), quat(b), x)
		out = []float64{q.X, q.Y, q.Z, q.W}
	default:
		for i := range out {
			out[i] = a[i] + (b[i]-a[i])*x
		}
	}
	return out
}

// Of length 1, since keys in files are rounded and a spline runs off the sphere.
func quat(v []float64) geom.Quat { return geom.Quat{X: v[0], Y: v[1], Z: v[2], W: v[3]}.Unit() }

// Length is the time of the last key of all clips, seconds.
func (m *Model) Length() float64 {
	// all clips play at once, so the longest is how long it lasts
	var end float64
	for _, c := range m.Clips {
		for _, t := range c.Tracks {
			end = max(end, t.Times[len(t.Times)-1])
		}
	}
	return end
}

// Rate guesses the frame rate that the animation was made at, from the least
// distance between keys; 0 where nothing moves or no usual rate fits.
// The guess is offered as a value on the sheet and can be overruled there.
func (m *Model) Rate() float64 {
	// baked animation has a key each frame: their distance is the frame's length
	least := math.Inf(1)
	for _, c := range m.Clips {
		for _, t := range c.Tracks {
			for i := 1; i < len(t.Times); i++ {
				if d := t.Times[i] - t.Times[i-1]; d > 1e-5 {
					least = min(least, d)
				}
			}
		}
	}
	// 0.04 % tells 23.976 from 24 and stands the rounding of times to float32
	for _, r := range []float64{24, 25, 30, 24000.0 / 1001, 30000.0 / 1001, 48, 50, 60, 60000.0 / 1001, 120, 12, 15} {
		if math.Abs(least*r-1) < 4e-4 {
			return r
		}
	}
	return 0
}

// Pose is where every node stands at a time: its transform into space, and its
// morph weights where a track gives any.
type Pose struct {
	World  []geom.Affine
	Morphs map[int][]float64
}

// Pose works out the pose at t seconds of all clips together.
// It allocates a list of nodes and one of transforms; a scene of a thousand nodes
// costs little beside its vertices.
func (m *Model) Pose(t float64) Pose {
	// tracks act on a copy of the nodes; a track replaces a matrix, as both can't be
	local := make([]Node, len(m.Nodes))
	copy(local, m.Nodes)
	// one transform a node, parents applied
	p := Pose{World: make([]geom.Affine, len(m.Nodes)), Morphs: map[int][]float64{}}
	for c := range m.Clips {
		for i := range m.Clips[c].Tracks {
			tr := &m.Clips[c].Tracks[i]
			v, n := tr.at(t), &local[tr.Node]
			switch tr.Path {
			case Translation:
				n.T, n.Fixed = geom.V(v[0], v[1], v[2]), nil
			case Rotation:
				n.R, n.Fixed = quat(v), nil
			case Scale:
				n.S, n.Fixed = geom.V(v[0], v[1], v[2]), nil
			case Weights:
				p.Morphs[tr.Node] = v
			}
		}
	}
	done := make([]bool, len(local))
	var place func(n int)
	// parents first, by recursion no deeper than Check allows
	place = func(n int) {
		if done[n] {
			return
		}
		done[n] = true
		a := geom.TRS(local[n].T, local[n].R, local[n].S)
		if local[n].Fixed != nil {
			a = *local[n].Fixed
		}
		// a takes the node's space into its parent's, the parent's world does the
		// rest.
		if q := local[n].Parent; q >= 0 {
			place(q)
			a = a.Then(p.World[q])
		}
		p.World[n] = a
	}
	for n := range local {
		place(n)
	}
	return p
}

// vertices are a node's mesh in space.
//
// Order as the specification has it: morphs, then the skin; a skinned mesh stands
// where its joints are and not where its node is.
func (m *Model) vertices(n int, p Pose) []geom.Vec3 {
	nd := &m.Nodes[n]
	me := &m.Meshes[nd.Mesh]
	at := slices.Clone(me.P)
	weights := me.Morph
	if nd.Weights != nil {
		weights = nd.Weights
	}
	if w, ok := p.Morphs[n]; ok {
		weights = w
	}
	// shifts are added before joints act
	for x, mo := range me.Morphs {
		if x < len(weights) && weights[x] != 0 {
			for v := range at {
				at[v] = at[v].Add(mo[v].Mul(weights[x]))
			}
		}
	}
	if nd.Skin < 0 || me.Joints == nil {
		for v := range at {
			at[v] = p.World[n].Point(at[v])
		}
		return at
	}
	// the skinned mesh's own node doesn't count: its joints place it
	sk := &m.Skins[nd.Skin]
	// One matrix a joint, worked out once for all vertices: world · inverse bind.
	bind := make([]geom.Affine, len(sk.Joints))
	for j, node := range sk.Joints {
		bind[j] = p.World[node]
		if j < len(sk.Inverse) {
			bind[j] = sk.Inverse[j].Then(p.World[node])
		}
	}
	for v := range at {
		var sum geom.Vec3
		var total float64
		for x, j := range me.Joints[v] {
			if w := float64(me.Weights[v][x]); w > 0 && int(j) < len(bind) {
				sum = sum.Add(bind[j].Point(at[v]).Mul(w))
				total += w
			}
		}
		// weights that don't add up to 1 are made to; without any the vertex stays
		// as it is
		if total > 0 {
			at[v] = sum.Mul(1 / total)
		}
	}
	// The positions are a fresh slice in every case: At hands it out.
	return at
}

// At is everything as one mesh in space at t seconds. Vertices and triangles
// keep their order over time. Parts are named after nodes, and after their own
// parts (materials, groups) where a mesh has several.
// The same vertices and triangles at every time, so that two poses can be compared
// place by place.
func (m *Model) At(t float64) *geom.Mesh {
	p := m.Pose(t)
	out := &geom.Mesh{}
	parts, nodes := m.parts()
	for n := range m.Nodes {
		nd := &m.Nodes[n]
		if nd.Mesh < 0 {
			continue
		}
		// of the header alone; what differs between poses is replaced
		me := m.Meshes[nd.Mesh].Mesh // a copy: slices are replaced, not written to
		me.P = m.vertices(n, p)
		// mirrored: triangles are turned so that their outsides stay outside
		if p.World[n].Det() < 0 && (nd.Skin < 0 || m.Meshes[nd.Mesh].Joints == nil) {
			tri := make([][3]int32, len(me.Tri))
			for i, f := range me.Tri {
				tri[i] = [3]int32{f[0], f[2], f[1]}
			}
			me.Tri = tri
		}
		switch {
		case nd.Name == "":
		case len(me.Parts) <= 1:
			me.Parts = []string{nd.Name}
		default:
			parts := make([]string, len(me.Parts))
			for i, s := range me.Parts {
				parts[i] = nd.Name + " / " + s
			}
			me.Parts = parts
		}
		// Joints serve as names of regions ("what the left hand moves"), not for
		// motion: the vertices have been moved already.
		switch {
		case nodes > geom.MaxParts:
			me.Part, me.Parts = nil, nil
		case parts > geom.MaxParts:
			me.Part, me.Parts = nil, []string{nd.Name}
		}
		me.Joint, me.Joints = m.strongest(n)
		out.Append(&me)
	}
	return out
}

// parts is how many parts all nodes show together, and how many nodes show any. Where
// those are more than geom.MaxParts nobody could choose among them: each node becomes
// one part, or where they are too many themselves all become one.
func (m *Model) parts() (parts, nodes int) {
	for i := range m.Nodes {
		if k := m.Nodes[i].Mesh; k >= 0 {
			parts += max(1, len(m.Meshes[k].Parts))
			nodes++
		}
	}
	return parts, nodes
}

// Budget refuses a model whose nodes show far more triangles than its meshes hold.
func (m *Model) Budget() error {
	held := 0
	for i := range m.Meshes {
		held += len(m.Meshes[i].Tri)
	}
	if shown := m.Triangles(); shown-held > MaxShown {
		return fmt.Errorf("it shows its meshes of %d triangles so often that they are %d; up to %d more than the file holds are taken: hand over fewer copies, or a lighter mesh", held, shown, MaxShown)
	}
	return nil
}

// strongest names for each vertex the joint that moves it most.
func (m *Model) strongest(n int) ([]int32, []string) {
	nd := &m.Nodes[n]
	me := &m.Meshes[nd.Mesh]
	if nd.Skin < 0 || me.Joints == nil {
		return nil, nil
	}
	sk := &m.Skins[nd.Skin]
	names := make([]string, len(sk.Joints))
	for j, node := range sk.Joints {
		names[j] = m.Nodes[node].Name
		if names[j] == "" {
			names[j] = fmt.Sprintf("joint %d", j+1)
		}
	}
	out := make([]int32, len(me.Joints))
	for v, js := range me.Joints {
		// ties go to the first, as in the file
		best := 0
		for x := range js {
			if me.Weights[v][x] > me.Weights[v][best] {
				best = x
			}
		}
		out[v] = -1
		if int(js[best]) < len(names) {
			out[v] = int32(js[best])
		}
	}
	return out, names
}

// Moves reports whether anything that has a mesh changes over time.
// Any track counts, also one that moves a camera alone or holds still: the question
// costs nothing that way, and to pose once too often is no mistake.
func (m *Model) Moves() bool {
	for _, c := range m.Clips {
		if len(c.Tracks) > 0 {
			return true
		}
	}
	return false
}

// Rigid is the transform from the pose at t = 0 to that at t, where all meshes
// share one and it neither scales nor shears. ok is false where parts move
// against each other or bend.
// Within 1e-5 of the size: exporters bake rigid motion with that much noise.
// What it saves: a mesh that only moves as a whole keeps its level set and its tree
// from frame to frame, and solvers move the queries in its place.
func (m *Model) Rigid(t float64) (a geom.Affine, ok bool) {
	if !m.Moves() {
		return geom.Identity, true
	}
	p0, p1 := m.Pose(0), m.Pose(t)
	if len(p0.Morphs) > 0 {
		return a, false
	}
	first := true
	for n := range m.Nodes {
		nd := &m.Nodes[n]
		if nd.Mesh < 0 {
			continue
		}
		if nd.Skin >= 0 && m.Meshes[nd.Mesh].Joints != nil {
			return a, false
		}
		// the motion of each node from rest to now; rigid means that all agree
		inv, ok := p0.World[n].Inverse()
		if !ok {
			return a, false
		}
		// from where it stood at rest to where it stands now
		b := inv.Then(p1.World[n])
		if !b.Rigid(1e-5) {
			return a, false
		}
		if first {
			a, first = b, false
			continue
		}
		// against the first mesh's motion: all must share one
		for r := range 3 {
			if a.M[r].Dist(b.M[r]) > 1e-5 {
				return a, false
			}
		}
		if a.T.Dist(b.T) > 1e-5*(1+a.T.Len()) {
			return a, false
		}
	}
	return a, !first
}

// CurveInSpace is a curve's points at t = 0 in space.
// Curves don't follow animation; a guide that should move is keyed on the stage.
func (m *Model) CurveInSpace(c int) []geom.Vec3 {
	p := m.Pose(0)
	for n := range m.Nodes {
		if m.Nodes[n].Curve == c {
			out := make([]geom.Vec3, len(m.Curves[c].Points))
			for i, q := range m.Curves[c].Points {
				out[i] = p.World[n].Point(q)
			}
			return out
		}
	}
	return slices.Clone(m.Curves[c].Points)
}

// CameraAt is where the first camera stands at t, and the vertical angle that
// it sees, degrees; ok is false where the file has none.
// Orthographic cameras are passed over, as pictures here have a perspective.
func (m *Model) CameraAt(t float64) (at geom.Affine, fov float64, ok bool) {
	for n := range m.Nodes {
		if c := m.Nodes[n].Camera; c >= 0 && !m.Cameras[c].Ortho {
			return m.Pose(t).World[n], m.Cameras[c].YFov * 180 / math.Pi, true
		}
	}
	return geom.Identity, 0, false
}

// Triangles counts the faces of all nodes. It is the sum and no mesh: asking costs
// nothing however many there would be.
func (m *Model) Triangles() int {
	n := 0
	for _, nd := range m.Nodes {
		if nd.Mesh >= 0 {
			n += len(m.Meshes[nd.Mesh].Tri)
		}
	}
	return n
}
