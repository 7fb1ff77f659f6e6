package asset

// A cache by content over a slow source. Keys say everything that a thing is made
// from, so nothing in it can be stale; it only forgets what hasn't been used for
// longest.

import (
	"container/list"
	"encoding/binary"
	"fmt"
	"maps"
	"math"
	"regexp"
	"slices"
	"strings"
	"sync"

	"github.com/maruel/natural"

	"zarf/core/bring"
	"zarf/core/geom"
	"zarf/core/model"
	"zarf/core/pixel"
)

// File is what a store keeps of an imported file.
// as it was brought in, byte for byte
// The name is kept for its ending, which tells the reader, and for people.
type File struct {
	Name    string
	Data    []byte
	Side    map[string][]byte // files that came along
	Options bring.Options
}

// Beside are the names of the files that came along, in the order in which a
// person counts: p.9 before p.10.
func (f *File) Beside() []string {
	return slices.SortedFunc(maps.Keys(f.Side), natural.Compare)
}

// Source finds files and weights by id.
// implementations may be slow and must be safe for several threads
type Source interface {
	File(id string) (*File, error)
	Weights(id string) ([]byte, error)
}

var idPattern = regexp.MustCompile(`^[0-9a-f]{32}$`)

// CheckID tells whether a reference could be one: 32 hexadecimal digits, and
// maybe a slash and the file's name for people to read.
// A reference comes from shot files and forms. What passes here is safe to be part
// of a key and of a path; the name behind the slash goes into neither.
func CheckID(ref string) error {
	if !idPattern.MatchString(ID(ref)) || len(ref) > 300 || strings.ContainsAny(ref, "\x00\n") {
		return fmt.Errorf("%q is no imported file; import one at Stage", ref[:min(len(ref), 60)])
	}
	return nil
}

// ID is the part of a reference that counts.
func ID(ref string) string { id, _, _ := strings.Cut(ref, "/"); return id }

// Name is the part of a reference that people read.
func Name(ref string) string {
	if _, name, ok := strings.Cut(ref, "/"); ok {
		return name
	}
	return ref[:min(len(ref), 8)]
}

// Library keeps models and bodies in memory. It may be shared by threads.
// old is the list by use, kept the way from a key to its place in it
// Evicted things stay alive with whoever holds them: nothing is ever changed or
// freed.
type Library struct {
	src  Source
	mu   sync.Mutex
	kept map[string]*list.Element
	old  *list.List // front: used last
	room int64
	used int64
}

// Room is the memory that a library keeps used geometry in, bytes.
// About an eighth of a usual machine; a lattice of 256³ takes 150 MB of it.
const Room = 3 << 30

// New makes a library over a source.
func New(src Source) *Library {
	return &Library{src: src, kept: map[string]*list.Element{}, old: list.New(), room: Room}
}

// size is an estimate in bytes, good enough to bound memory
type entry struct {
	key   string
	once  sync.Once
	value any
	size  int64
	err   error
}

// get finds or makes a thing; two that ask at once wait for one making.
func (l *Library) get(key string, make func() (any, int64, error)) (any, error) {
	l.mu.Lock()
	// The lock is held for the map alone; making happens under the entry's own once,
	// so that others are served meanwhile and two who ask for the same wait for one.
	el, ok := l.kept[key]
	if ok {
		l.old.MoveToFront(el)
	} else {
		el = l.old.PushFront(&entry{key: key})
		l.kept[key] = el
	}
	e := el.Value.(*entry)
	l.mu.Unlock()
	// A panic in make leaves the once done and the entry empty; readers of files
	// turn their panics into errors before they get here.
	e.once.Do(func() {
		e.value, e.size, e.err = make()
		l.mu.Lock()
		defer l.mu.Unlock()
		// the entry is dropped, unless another took its place
		if e.err != nil { // ask again next time: the file may be there then
			if l.kept[key] == el {
				delete(l.kept, key)
				l.old.Remove(el)
			}
			return
		}
		l.used += e.size
		// the oldest go first; the one just made stays, even if it alone is over the
		// room
		for back := l.old.Back(); l.used > l.room && back != nil && back != el; {
			prev := back.Prev()
			old := back.Value.(*entry)
			delete(l.kept, old.key)
			l.old.Remove(back)
			l.used -= old.size
			back = prev
		}
	})
	return e.value, e.err
}

// Model is a file's model with what was found in it.
// All fields are read only once they are in the library.
type Model struct {
	*model.Model
	Facts *bring.Facts
	Rest  *geom.Mesh // the pose at t = 0
	Box   geom.Box   // round it
}

// Model reads a file.
func (l *Library) Model(ref string) (*Model, error) {
	if l == nil {
		return nil, fmt.Errorf("imported files can't be reached here")
	}
	if err := CheckID(ref); err != nil {
		return nil, err
	}
	v, err := l.get("model "+ID(ref), func() (any, int64, error) {
		f, err := l.src.File(ID(ref))
		if err != nil {
			return nil, 0, fmt.Errorf("the imported file %s is missing: %w", Name(ref), err)
		}
		m, facts, err := bring.Read(f.Name, f.Data, f.Side, f.Options)
		if err != nil {
			return nil, 0, err
		}
		out := &Model{Model: m, Facts: facts, Rest: m.At(0)}
		out.Box = out.Rest.Bounds()
		// what is worked out lazily must be done before the model is shared
		out.Rest.OpenEdges() // counted before threads share it
		// Of a triangle: its corners, its shared vertices, its part, and the rest
		// pose's copy.
		return out, int64(len(f.Data)) + int64(facts.Triangles)*120, nil
	})
	if err != nil {
		return nil, err
	}
	return v.(*Model), nil
}

// Picture reads the nth picture of a reference; before the first and after the
// last it is that one.
func (l *Library) Picture(ref string, n int) (*pixel.Image, error) {
	if l == nil {
		return nil, fmt.Errorf("imported files can't be reached here")
	}
	if err := CheckID(ref); err != nil {
		return nil, err
	}
	v, err := l.get(fmt.Sprintf("picture %s %d", ID(ref), max(n, 0)), func() (any, int64, error) {
		f, err := l.src.File(ID(ref))
		if err != nil {
			return nil, 0, fmt.Errorf("the imported picture %s is missing: %w", Name(ref), err)
		}
		data := f.Data
		// a numbered sequence is one file with the others at its side
		if names := f.Beside(); n > 0 && len(names) > 0 {
			data = f.Side[names[min(n, len(names))-1]]
		}
		m, err := pixel.Decode(data)
		if err != nil {
			return nil, 0, fmt.Errorf("%s: %w", f.Name, err)
		}
		return m, int64(4 * len(m.Pix)), nil
	})
	if err != nil {
		return nil, err
	}
	return v.(*pixel.Image), nil
}

// Region says which part of a mesh takes part.
// It is part of a body's key as it is printed, names included.
type Region struct {
	By      string   // whole, parts, joints, colour, painted
	Names   []string // of parts or joints
	Weights string   // painted: id of the weights
}

// Want is what a body is asked to be.
// all that a body depends on; it is part of the key
type Want struct {
	Ref     string
	Size    [3]float64 // of the box round the rest pose, m
	Time    float64    // of the animation, s
	Region  Region
	Spacing float64 // of the lattice, m; 0: a 96th of the size
}

// Placed is a body with the rigid motion that its file gives it, which comes
// before the element's own turn and position.
// Turn and At are identity but for models that move as a whole
type Placed struct {
	Body *geom.Body
	Turn geom.Mat3
	At   geom.Vec3
}

// scale brings the rest pose to the size; flat directions go with the largest.
func (m *Model) scale(size [3]float64) geom.Vec3 {
	// of the rest pose, so that a size means the same over an animation
	native := m.Box.Size().Array()
	var s [3]float64
	widest := 0
	for a := range 3 {
		if native[a] > native[widest] {
			widest = a
		}
	}
	for a := range 3 {
		s[a] = size[a] / native[a]
		// a flat mesh has no thickness to be scaled by
		if native[a] < 1e-6*native[widest] {
			s[a] = size[widest] / native[widest]
		}
	}
	return geom.FromArray(s)
}

// To a millionth, as sizes are typed with seven figures.
func even(s geom.Vec3) bool {
	return math.Abs(s.X-s.Y) < 1e-6*s.X && math.Abs(s.X-s.Z) < 1e-6*s.X
}

// Pose gives a mesh at a time as a body in metres, its rest pose about the
// middle of its box. A model that moves without bending keeps one body.
//
// It may take long the first time (a pose, a lattice) and none later. What is kept
// is measured lazily: a body that only tells where things came from is never filled.
func (l *Library) Pose(w Want) (Placed, error) {
	m, err := l.Model(w.Ref)
	if err != nil {
		return Placed{}, err
	}
	if len(m.Rest.Tri) == 0 {
		return Placed{}, fmt.Errorf("%s holds no mesh, only curves", Name(w.Ref))
	}
	// metres of the shot for a unit of the file, along each axis
	s := m.scale(w.Size)
	mid := m.Box.Centre()
	out := Placed{Turn: geom.Identity.M}
	// under uneven scaling a turn shears, so the mesh must be posed
	if w.Time != 0 && m.Moves() && even(s) {
		// A stays-as-one motion goes into the placement, so that the body's key has
		// time 0 and all frames share one body.
		if a, ok := m.Rigid(w.Time); ok {
			out.Turn, w.Time = a.M, 0
			out.At = a.Point(mid).Sub(mid).Mul(s.X)
		}
	}
	if !m.Moves() {
		w.Time = 0
	}
	// fine enough to be looked at; solvers ask for their own voxel
	if w.Spacing <= 0 {
		w.Spacing = max(w.Size[0], w.Size[1], w.Size[2]) / 96
	}
	// all that the body depends on: the same question finds the same body
	// Floats print with all their digits, so two that differ in the last have two
	// bodies.
	key := fmt.Sprintf("body %s %v %v %v %v", ID(w.Ref), w.Size, w.Time, w.Region, w.Spacing)
	v, err := l.get(key, func() (any, int64, error) {
		mesh := m.Rest
		if w.Time != 0 {
			mesh = m.At(w.Time)
			// the same faces have the same open edges: counting them again would
			// cost a sort
			mesh.LikeOpen(m.Rest)
		}
		at := *mesh
		// about the middle of the rest pose's box, so that an element's position is
		// its middle
		at.P = make([]geom.Vec3, len(mesh.P))
		for i, p := range mesh.P {
			at.P[i] = p.Sub(mid).Scale(s)
		}
		// Cut after posing: regions by joints and paint are of vertices, whose order
		// poses keep.
		part, weights, err := l.cut(&at, w.Region)
		if err != nil {
			return nil, 0, err
		}
		b, err := geom.NewBody(part, w.Spacing)
		if err != nil {
			return nil, 0, err
		}
		b.Weight = weights
		// the lattice is made later, but its memory is counted now
		points := int64(b.N[0]) * int64(b.N[1]) * int64(b.N[2])
		// Eight bytes a lattice point and one for its state; a triangle with its
		// node of the tree.
		return b, 9*points + 200*int64(len(part.Tri)) + 24*int64(len(part.P)), nil
	})
	if err != nil {
		return Placed{}, err
	}
	out.Body = v.(*geom.Body)
	return out, nil
}

// ErrEmpty is a region in which nothing of a mesh is left.
// It is told apart from a missing file, as its mend is another.
type ErrEmpty struct{ What string }

func (e *ErrEmpty) Error() string { return e.What }

// cut keeps the faces of a region.
// An empty region is an error of its own kind, which checks turn into a finding.
func (l *Library) cut(m *geom.Mesh, r Region) (*geom.Mesh, []float32, error) {
	switch r.By {
	// shared with the mesh itself: nothing is copied
	case "", "whole":
		return m, nil, nil
	case "parts":
		// A mesh without parts has one, which no name chooses.
		on := make([]bool, max(1, len(m.Parts)))
		for i, p := range m.Parts {
			on[i] = slices.Contains(r.Names, p)
		}
		out := m.Take(func(n int) bool { return on[m.PartOf(n)] })
		return out, nil, empty(out, "none of the chosen parts is in the mesh")
	case "joints":
		on := make([]bool, len(m.Joints))
		for i, j := range m.Joints {
			on[i] = slices.Contains(r.Names, j)
		}
		out := m.Take(func(n int) bool {
			c := 0
			for _, v := range m.Tri[n] {
				if m.Joint != nil && m.Joint[v] >= 0 && on[m.Joint[v]] {
					c++
				}
			}
			// a face belongs to the joints that move two of its corners
			return c >= 2
		})
		return out, nil, empty(out, "none of the chosen joints moves a face of the mesh")
	}
	// painted and coloured regions have a weight for each vertex
	w := make([]float32, len(m.P))
	if r.By == "colour" {
		for i := range w {
			if m.Colour != nil {
				c := m.Colour[i]
				w[i] = float32(min(1, max(0, 0.2126*c.X+0.7152*c.Y+0.0722*c.Z)))
			}
		}
	} else {
		got, err := l.Weights(r.Weights)
		if err != nil {
			return nil, nil, err
		}
		if len(got) != len(m.P) {
			return nil, nil, fmt.Errorf("the painted weights are for %d vertices, the mesh has %d", len(got), len(m.P))
		}
		w = got
	}
	// a face takes part as soon as one corner does; the weight fades within it
	out := m.Take(func(n int) bool {
		t := m.Tri[n]
		return w[t[0]] > 0 || w[t[1]] > 0 || w[t[2]] > 0
	})
	return out, w, empty(out, "the weight is 0 on the whole mesh")
}

func empty(m *geom.Mesh, why string) error {
	if len(m.Tri) == 0 {
		return &ErrEmpty{why}
	}
	return nil
}

// Weights are painted weights, one a vertex of the rest pose, 0 to 1.
func (l *Library) Weights(id string) ([]float32, error) {
	if l == nil || !idPattern.MatchString(id) {
		return nil, &ErrEmpty{"nothing is painted yet"}
	}
	v, err := l.get("weights "+id, func() (any, int64, error) {
		b, err := l.src.Weights(id)
		if err != nil {
			return nil, 0, fmt.Errorf("the painted weights are missing: %w", err)
		}
		return Unpack(b), int64(4 * len(b)), nil
	})
	if err != nil {
		return nil, err
	}
	return v.([]float32), nil
}

// Pack writes weights as bytes: a count and a byte for each.
// A byte is finer than anybody paints, and a million vertices are a megabyte.
func Pack(w []float32) []byte {
	b := binary.LittleEndian.AppendUint32(nil, uint32(len(w)))
	for _, x := range w {
		b = append(b, byte(min(1, max(0, x))*255+0.5))
	}
	return b
}

// Unpack reads what Pack wrote.
func Unpack(b []byte) []float32 {
	// Nil then has another length than the mesh, which cut tells.
	if len(b) < 4 {
		return nil
	}
	w := make([]float32, 0, len(b)-4)
	for _, x := range b[4:] {
		w = append(w, float32(x)/255)
	}
	return w
}

// Carry takes weights over from one mesh to another: as they are where the
// vertices are as many and stand alike, else from the nearest place when both
// meshes are brought to the same box. Share is the part of the new mesh's
// vertices that have a place within a twentieth of the size.
// It is for a new version of a file: what was painted on the old one should not have
// to be painted again because a vertex was added.
func Carry(from *geom.Mesh, w []float32, to *geom.Mesh) (out []float32, share float64) {
	// so that a mesh at another scale or place keeps its paint
	a, b := from.Bounds(), to.Bounds()
	unit := func(p geom.Vec3, x geom.Box) geom.Vec3 {
		s, q := x.Size(), p.Sub(x.Centre())
		d := func(v, l float64) float64 {
			if l <= 0 {
				return 0
			}
			return v / l
		}
		return geom.V(d(q.X, s.X), d(q.Y, s.Y), d(q.Z, s.Z))
	}
	old := &geom.Mesh{P: make([]geom.Vec3, len(from.P)), Tri: from.Tri}
	for i, p := range from.P {
		old.P[i] = unit(p, a)
	}
	// both meshes in the unit box: an export in other units or places still matches
	tree := geom.NewTree(old)
	out = make([]float32, len(to.P))
	near := 0
	for i, p := range to.P {
		h := tree.Nearest(unit(p, b), math.Inf(1))
		if h.Tri < 0 {
			continue
		}
		if h.T < 0.05 {
			near++
		}
		t := from.Tri[h.Tri]
		out[i] = float32((1-h.U-h.V)*float64(w[t[0]]) + h.U*float64(w[t[1]]) + h.V*float64(w[t[2]]))
	}
	return out, float64(near) / float64(max(1, len(to.P)))
}
