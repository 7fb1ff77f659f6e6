package abc

// Reading Alembic files in the Ogawa layout. The file is a tree of groups (lists of
// references) and data (bytes), with meanings by position alone; which position is
// which is written down in doc.go, and in the reading functions where it is used.
//
// Nothing is copied when a file is opened: objects and the headers of their
// properties are read, samples stay in the file's bytes until they are asked for.

import (
	"bytes"
	"encoding/binary"
	"fmt"
	"math"
	"strings"
)

// Error tells where a file is wrong.
type Error struct{ Where, What string }

// Error names where in the file, and what.
func (e *Error) Error() string {
	if e.Where == "" {
		return "Alembic: " + e.What
	}
	return "Alembic, " + e.Where + ": " + e.What
}

// Limits keep a hostile file from taking all memory and time.
// An archive has a few parts for each sample that changed.
const (
	maxNodes  = 1 << 20
	maxDepth  = 64
	maxValues = 1 << 28
)

// Archive is what a file holds.
// b is all of the file; what samples give out is made anew
// Objects are in the order of the file's tree, parents before children.
type Archive struct {
	About   map[string]string
	Objects []*Node
	Notes   []string // what was left out
	times   []Times

	b     []byte
	metas []string
	nodes int
}

// Times is when samples are: sample i at First + i·Cycle seconds.
// one that isn't even is taken by its mean step
// Alembic knows three kinds: even, a repeating pattern, and every time listed. The
// first is what simulations and cameras have.
type Times struct{ Cycle, First float64 }

// Node is an object that was read.
// above are transforms' properties and not matrices: they may be animated
type Node struct {
	Path string // from the top, with slashes
	Kind Kind
	N    int // samples
	Times
	file  *Archive
	geom  *group
	above []*group // compounds of the transforms over it, the outermost first
}

// header is a property as its compound's headers tell it: see the package's layout.
// first and last are the samples that changed; extent is how many values an entry
// has.
// it is kept for each property of each object: a dozen numbers
type header struct {
	name, meta     string
	kind, pod      int
	extent         int
	n, first, last int
	sampling       int
	group          uint64
}

// group is a compound that was read.
type group struct{ under []header }

// find is a property by its name; nil where there is none.
func (g *group) find(name string) *header {
	if g != nil {
		for i := range g.under {
			if g.under[i].name == name {
				return &g.under[i]
			}
		}
	}
	return nil
}

// Decode reads a file. Data are only looked at when a sample is asked for.
func Decode(b []byte) (a *Archive, err error) {
	defer func() {
		switch p := recover().(type) {
		case nil:
		case *Error:
			a, err = nil, p
		default:
			panic(p)
		}
	}()
	// the two layouts share an ending, and nothing else
	if bytes.HasPrefix(b, []byte("\x89HDF")) {
		return nil, &Error{"", "this file is in the older HDF5 layout; write it again in the Ogawa layout"}
	}
	if len(b) < 16 || string(b[:5]) != "Ogawa" {
		return nil, &Error{"", "this is no Alembic file"}
	}
	// The byte is written last of all, so whatever was killed under way shows here.
	if b[5] != 255 {
		return nil, &Error{"", "the file was never finished; whatever wrote it stopped early"}
	}
	// number 0 of the table is the empty text
	// the file stays in memory as long as the archive
	a = &Archive{b: b, About: map[string]string{}, metas: []string{""}}
	// Byte 8 holds the place of the root group, written last with the mark above.
	root := a.refs(binary.LittleEndian.Uint64(b[8:]), "root")
	// version, library, top object, metadata, time samplings, table of metadata
	if len(root) < 6 {
		fail("root", "it holds %d parts, 6 are needed", len(root))
	}
	for _, kv := range strings.Split(string(a.data(root[3], "metadata")), ";") {
		if k, v, ok := strings.Cut(kv, "="); ok {
			a.About[k] = v
		}
	}
	a.readTimes(a.data(root[4], "time samplings"))
	// each entry: its length in a byte, then its text
	for t := a.data(root[5], "table of metadata"); len(t) > 0; {
		n := int(t[0])
		if len(t) < 1+n {
			fail("table of metadata", "it is cut off")
		}
		a.metas = append(a.metas, string(t[1:1+n]))
		t = t[1+n:]
	}
	// The top object has no name and no metadata; its children are the scene.
	a.object(root[2], "", "", nil, 0)
	return a, nil
}

// fail ends the reading; Decode and Sample catch it.
func fail(where, what string, args ...any) { panic(&Error{where, fmt.Sprintf(what, args...)}) }

// word reads a number; every reference in a file passes through here, so none leads
// out of it.
// The second comparison can't overflow, as the first has made sure of its order.
func (a *Archive) word(at uint64, where string) uint64 {
	if at > uint64(len(a.b)) || uint64(len(a.b))-at < 8 {
		fail(where, "it points beyond the end of the file, at byte %d of %d", at, len(a.b))
	}
	return binary.LittleEndian.Uint64(a.b[at:])
}

// refs reads a group.
func (a *Archive) refs(ref uint64, where string) []uint64 {
	// the empty group
	if ref == 0 {
		return nil
	}
	if ref&dataBit != 0 {
		fail(where, "data stands where a group belongs")
	}
	n := a.word(ref, where)
	if n > (uint64(len(a.b))-ref-8)/8 {
		fail(where, "a group of %d parts doesn't fit the file", n)
	}
	// groups may refer to each other in circles, or to one group a million times:
	// what is looked at is counted
	if a.nodes += int(n) + 1; a.nodes > maxNodes {
		fail(where, "the file has over %d parts", maxNodes)
	}
	// n fits the file, as was just checked
	out := make([]uint64, n)
	for i := range out {
		out[i] = a.word(ref+8+8*uint64(i), where)
	}
	return out
}

// data reads a block of bytes.
func (a *Archive) data(ref uint64, where string) []byte {
	if ref&dataBit == 0 {
		fail(where, "a group stands where data belongs")
	}
	// without the mark it is an offset
	at := ref &^ dataBit
	if at == 0 {
		return nil
	}
	n := a.word(at, where)
	if n > uint64(len(a.b))-at-8 {
		fail(where, "data of %d bytes don't fit the file", n)
	}
	return a.b[at+8 : at+8+n]
}

// readTimes reads the time samplings. One with a single time a cycle is an even
// step; one with a list of times is taken as even by its mean step, which is what
// the files of a constant rate come to.
func (a *Archive) readTimes(b []byte) {
	le := binary.LittleEndian
	for len(b) > 0 {
		if len(b) < 16 {
			fail("time samplings", "they are cut off")
		}
		// first the largest number of samples, which isn't needed
		t := Times{Cycle: math.Float64frombits(le.Uint64(b[4:]))}
		n := uint64(le.Uint32(b[12:]))
		// a sampling without a time is no sampling
		if b = b[16:]; n == 0 || uint64(len(b)) < 8*n {
			fail("time samplings", "they are cut off")
		}
		t.First = math.Float64frombits(le.Uint64(b))
		if n > 1 { // times given one by one: their mean step
			t.Cycle = (math.Float64frombits(le.Uint64(b[8*(n-1):])) - t.First) / float64(n-1)
		}
		if !(t.Cycle > 0) || math.IsInf(t.Cycle, 0) || math.IsNaN(t.First) || math.IsInf(t.First, 0) {
			fail("time samplings", "a step of %g s from %g s can't be", t.Cycle, t.First)
		}
		a.times = append(a.times, t)
		b = b[8*n:]
	}
}

// object reads an object and all under it.
// The walk is bounded by depth and by a count of all parts looked at, as references
// may form circles.
func (a *Archive) object(ref uint64, path, meta string, above []*group, depth int) {
	where := path
	if where == "" {
		where = "/"
	}
	if depth > maxDepth {
		fail(where, "objects stand in each other over %d deep", maxDepth)
	}
	refs := a.refs(ref, where)
	// An object without parts has neither properties nor children.
	if len(refs) == 0 {
		return
	}
	// an object's first part are its properties; a transform among them holds for
	// all below
	if refs[0]&dataBit == 0 {
		top := a.compound(refs[0], where)
		// kept if it is of a kind that is known
		a.take(top, path, meta, above)
		if x := top.find(".xform"); x != nil && x.kind == 0 {
			// The capacity is cut so that siblings don't write over each other's
			// list.
			above = append(above[:len(above):len(above)], a.compound(x.group, where))
		}
	}
	// its last part are the headers of its children, with two hashes behind them
	last := refs[len(refs)-1]
	if last&dataBit == 0 {
		return
	}
	head := a.data(last, where)
	// Hashes alone: no children.
	if len(head) <= 32 {
		return
	}
	// the two hashes are for readers that compare objects
	head = head[:len(head)-32]
	for i := 1; len(head) > 0; i++ {
		name, rest := text32(head, where)
		if len(rest) < 1 || i >= len(refs)-1 {
			fail(where, "the headers of its children are cut off")
		}
		// metadata by number, or in full where the number is 255
		n := int(rest[0])
		rest = rest[1:]
		m := ""
		if n == 255 {
			m, rest = text32(rest, where)
		} else if n < len(a.metas) {
			m = a.metas[n]
		}
		a.object(refs[i], path+"/"+name, m, above, depth+1)
		head = rest
	}
}

// text32 reads a text with its length in front, and returns what comes after.
func text32(b []byte, where string) (string, []byte) {
	if len(b) < 4 {
		fail(where, "a name is cut off")
	}
	n := binary.LittleEndian.Uint32(b)
	if uint64(n) > uint64(len(b)-4) {
		fail(where, "a name of %d letters doesn't fit", n)
	}
	return string(b[4 : 4+n]), b[4+n:]
}

// take keeps an object of a kind that is known.
func (a *Archive) take(top *group, path, meta string, above []*group) {
	// the kind of an object is told in its metadata, as text
	schema := ""
	for _, kv := range strings.Split(meta, ";") {
		if v, ok := strings.CutPrefix(kv, "schema="); ok {
			schema = v
		}
	}
	for k, s := range schemas {
		if s != schema {
			continue
		}
		// every geometry schema keeps its properties in this compound
		g := top.find(".geom")
		if g == nil || g.kind != 0 {
			fail(path, "it has no geometry")
		}
		n := &Node{Path: path, Kind: k, file: a, geom: a.compound(g.group, path), above: above, Times: Times{Cycle: 1}}
		for _, h := range n.geom.under {
			// the longest property is how long the object lasts
			if n.N = max(n.N, h.n); h.n > 0 && h.sampling > 0 && h.sampling < len(a.times) {
				n.Times = a.times[h.sampling]
			}
		}
		a.Objects = append(a.Objects, n)
		return
	}
	if schema != "" && !strings.Contains(schema, "Xform") {
		a.Notes = append(a.Notes, fmt.Sprintf("%s is of kind %s, which isn't read", path, schema))
	}
}

// compound reads the headers of a compound.
// Headers stand together at the end of a group and describe its other parts in
// order.
func (a *Archive) compound(ref uint64, where string) *group {
	g := &group{}
	refs := a.refs(ref, where)
	if len(refs) == 0 || refs[len(refs)-1]&dataBit == 0 {
		return g
	}
	b := a.data(refs[len(refs)-1], where)
	for len(b) > 0 {
		if len(b) < 4 {
			fail(where, "the headers of its properties are cut off")
		}
		// bits as the writer's header has them
		info := binary.LittleEndian.Uint32(b)
		b = b[4:]
		// counts are as wide as the header's first word says
		// A closure, as it moves b along.
		num := func() int {
			size := []int{1, 2, 4, 4}[info>>2&3]
			if len(b) < size {
				fail(where, "the headers of its properties are cut off")
			}
			v := 0
			for i := range size {
				v |= int(b[i]) << (8 * i)
			}
			b = b[size:]
			return v
		}
		// 0 a compound, 1 a scalar, 2 an array, 3 an array of one entry
		h := header{kind: int(info & 3), pod: int(info >> 4 & 15), extent: int(info >> 12 & 255)}
		// compounds have no samples
		if h.kind > 0 {
			h.n = num()
			// unless told otherwise every sample changed
			h.first, h.last = 1, h.n-1
			if info&(1<<9) != 0 {
				h.first, h.last = num(), num()
			} else if info&(1<<11) != 0 {
				h.first, h.last = 0, 0
			}
			if info&(1<<8) != 0 {
				h.sampling = num()
			}
		}
		n := num()
		if n > len(b) {
			fail(where, "a property's name of %d letters doesn't fit", n)
		}
		h.name, b = string(b[:n]), b[n:]
		if m := int(info >> 20 & 255); m == 255 {
			if n = num(); n > len(b) {
				fail(where, "metadata of %d letters doesn't fit", n)
			}
			h.meta, b = string(b[:n]), b[n:]
		} else if m < len(a.metas) {
			h.meta = a.metas[m]
		}
		// The last reference is to the headers themselves.
		if len(g.under) >= len(refs)-1 {
			fail(where, "it has more headers than properties")
		}
		h.group = refs[len(g.under)]
		g.under = append(g.under, h)
	}
	return g
}

// bytes are the values of sample i of a property, and the number of entries.
func (a *Archive) bytes(h *header, i int, where string) ([]byte, int) {
	where += " " + h.name
	if h.pod >= len(podSize) || h.extent < 1 {
		fail(where, "values of kind %d aren't read", h.pod)
	}
	refs := a.refs(h.group, where)
	// Otherwise a long cache that is played through would reach the limit of parts.
	a.nodes -= len(refs) + 1 // samples are read one by one
	at := 0
	// entry 0 is sample 0; from the first change on there is one a sample, and
	// beyond the last change it stays
	// constant up to the first change: entry 0; after the last: the last entry
	if i >= h.first && h.last > 0 {
		at = min(i, h.last) - h.first + 1
	}
	// an array has two references a sample: data, then dimensions
	if h.kind > 1 {
		at *= 2
	}
	if at >= len(refs) {
		fail(where, "sample %d is not in the file", i)
	}
	b := a.data(refs[at], where)
	if len(b) == 0 {
		return nil, 0
	}
	if len(b) < 16 {
		fail(where, "a sample of %d bytes is cut off", len(b))
	}
	// a hash that equal values share
	b = b[16:]
	// bytes of an entry
	// Extent 3 for vectors, 16 for matrices.
	per := podSize[h.pod] * h.extent
	// before room is made for so many numbers
	if len(b)%per != 0 || len(b)/podSize[h.pod] > maxValues {
		fail(where, "a sample of %d bytes doesn't hold entries of %d", len(b), per)
	}
	return b, len(b) / per
}

// floats widens or narrows numbers of any type.
// float32 is what the model of a frame holds; doubles of other writers lose what no
// picture shows.
func (a *Archive) floats(h *header, i int, where string) []float32 {
	b, n := a.bytes(h, i, where)
	out := make([]float32, n*h.extent)
	for k := range out {
		out[k] = float32(number(b, k, h.pod, where+" "+h.name))
	}
	return out
}

// number is value k of a property's bytes, of any type.
func number(b []byte, k, pod int, where string) float64 {
	le := binary.LittleEndian
	switch pod {
	case podFloat:
		return float64(math.Float32frombits(le.Uint32(b[4*k:])))
	case podDouble:
		return math.Float64frombits(le.Uint64(b[8*k:]))
	case podInt32:
		return float64(int32(le.Uint32(b[4*k:])))
	case podUint32:
		return float64(le.Uint32(b[4*k:]))
	case podInt64:
		return float64(int64(le.Uint64(b[8*k:])))
	case podUint64:
		return float64(le.Uint64(b[8*k:]))
	case podBool, podUint8:
		return float64(b[k])
	}
	fail(where, "numbers of kind %d aren't read", pod)
	return 0
}

// Sample reads an object at a sample; beyond the last it is the last.
// Only the properties of its kind are read. Numbers of any type are taken, as other
// writers store doubles.
func (n *Node) Sample(i int) (s *Sample, err error) {
	defer func() {
		switch p := recover().(type) {
		case nil:
		case *Error:
			s, err = nil, p
		default:
			panic(p)
		}
	}()
	// beyond the ends the first and the last
	// Held at both ends like any animation.
	i = min(max(i, 0), max(n.N-1, 0))
	// Samples are decoded as they are asked for: a cache of hours stays in the file,
	// and a frame costs its own bytes.
	a := n.file
	s = &Sample{}
	// nil where the object lacks it
	get := func(name string) []float32 {
		if h := n.geom.find(name); h != nil && h.kind > 0 {
			return a.floats(h, i, n.Path)
		}
		return nil
	}
	ints := func(name string) (out []int32) {
		if h := n.geom.find(name); h != nil && h.kind > 0 {
			b, k := a.bytes(h, i, n.Path)
			for j := range k {
				out = append(out, int32(number(b, j, h.pod, n.Path)))
			}
		}
		return out
	}
	if n.Kind == Camera {
		// 16 doubles in the order of the schema
		if c := n.geom.find(".core"); c != nil {
			b, _ := a.bytes(c, i, n.Path)
			v := func(k int) float64 { return number(b, k, c.pod, n.Path) }
			if c.extent < 16 || len(b) < 16*8 {
				fail(n.Path, "the camera has %d values, 16 are needed", c.extent)
			}
			s.Lens = Lens{Focal: v(0), Wide: v(1), ShiftX: v(2), Tall: v(3), ShiftY: v(4), Squeeze: v(5), Overscan: [4]float64{v(6), v(7), v(8), v(9)}, Stop: v(10), Focus: v(11), Open: v(12), Close: v(13), Near: v(14), Far: v(15)}
		}
	} else {
		s.P, s.V, s.Widths = get("P"), get(".velocities"), get(".widths")
		if len(s.P)%3 != 0 || s.V != nil && len(s.V) != len(s.P) {
			fail(n.Path, "sample %d has %d places and %d velocities", i, len(s.P)/3, len(s.V)/3)
		}
		if h := n.geom.find(".pointIds"); h != nil {
			b, k := a.bytes(h, i, n.Path)
			s.IDs = make([]uint64, k)
			for j := range s.IDs {
				// through float64: identities over 2⁵³ would lose their last bits;
				// none are that large
				s.IDs[j] = uint64(number(b, j, h.pod, n.Path))
			}
		}
		// corners of all faces in one list, and how many each face has
		s.Counts, s.Faces = ints(".faceCounts"), ints(".faceIndices")
		if h := n.geom.find(".arbGeomParams"); h != nil && h.kind == 0 {
			for _, e := range a.compound(h.group, n.Path).under {
				if e.kind > 0 && e.pod == podFloat {
					s.Extra = append(s.Extra, Extra{e.name, e.extent, a.floats(&e, i, n.Path)})
				}
			}
		}
		n.check(s)
	}
	s.Matrix = n.matrix(i)
	return s, nil
}

// check holds a mesh's faces against its points.
func (n *Node) check(s *Sample) {
	// counts are summed in int, so that a hostile face of 2³¹ corners is seen
	total := 0
	for _, c := range s.Counts {
		if c < 0 {
			fail(n.Path, "a face of %d corners", c)
		}
		total += int(c)
	}
	if total != len(s.Faces) {
		fail(n.Path, "its faces have %d corners, %d are listed", total, len(s.Faces))
	}
	for _, f := range s.Faces {
		if f < 0 || int(f) >= len(s.P)/3 {
			fail(n.Path, "a face names point %d of %d", f, len(s.P)/3)
		}
	}
}

// matrix joins the transforms over an object; nil where there are none.
func (n *Node) matrix(i int) *[16]float64 {
	// from the outermost to the object: row vectors, so products go from left to
	// right
	var m *[16]float64
	for _, x := range n.above {
		ops, vals := x.find(".ops"), x.find(".vals")
		if ops == nil || vals == nil {
			continue
		}
		// operations as bytes (kind in the upper half), their numbers in a list
		// beside them
		ob, _ := n.file.bytes(ops, i, n.Path)
		vb, _ := n.file.bytes(vals, i, n.Path)
		at := 0
		next := func() float64 {
			if 8*at+8 > len(vb) {
				fail(n.Path, "its transform is cut off")
			}
			at++
			return math.Float64frombits(binary.LittleEndian.Uint64(vb[8*(at-1):]))
		}
		// the first operation listed is the outermost
		own := identity()
		for _, o := range ob {
			own = times(operation(o>>4, next, n.Path), own)
		}
		if m != nil {
			own = times(own, *m)
		}
		m = &own
	}
	return m
}

func identity() [16]float64 { return [16]float64{0: 1, 5: 1, 10: 1, 15: 1} }

// times is a·b for row vectors: a acts first.
func times(a, b [16]float64) (c [16]float64) {
	for i := range 4 {
		for j := range 4 {
			for k := range 4 {
				c[4*i+j] += a[4*i+k] * b[4*k+j]
			}
		}
	}
	return c
}

// operation applies one operation of a transform to the matrix so far: its kind
// is the upper half of a byte, its numbers follow in the list.
func operation(kind byte, next func() float64, where string) [16]float64 {
	m := identity()
	switch kind {
	case 0:
		m[0], m[5], m[10] = next(), next(), next()
	case 1:
		m[12], m[13], m[14] = next(), next(), next()
	case 2:
		x, y, z := next(), next(), next()
		return turn(x, y, z, next())
	case 3:
		for i := range m {
			m[i] = next()
		}
	case 4:
		return turn(1, 0, 0, next())
	case 5:
		return turn(0, 1, 0, next())
	case 6:
		return turn(0, 0, 1, next())
	default:
		fail(where, "a transform of kind %d isn't read", kind)
	}
	return m
}

// turn is a rotation about an axis by degrees, for row vectors.
func turn(x, y, z, deg float64) [16]float64 {
	l := math.Sqrt(x*x + y*y + z*z)
	if l == 0 {
		return identity()
	}
	x, y, z = x/l, y/l, z/l
	s, c := math.Sincos(deg * math.Pi / 180)
	d := 1 - c
	return [16]float64{
		x*x*d + c, x*y*d + z*s, x*z*d - y*s, 0,
		x*y*d - z*s, y*y*d + c, y*z*d + x*s, 0,
		x*z*d + y*s, y*z*d - x*s, z*z*d + c, 0,
		0, 0, 0, 1}
}
