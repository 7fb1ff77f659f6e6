package vdb

// Reading a file of sparse grids. The bytes are in memory as a whole; a lens walks
// over them and panics with a damage where they end, which Decode turns into an
// error with the grid's name and the byte. That keeps the walk down the tree free of
// error handling at each of its thousand reads, and no panic but a damage is ever
// caught.
//
// Two kinds of limits hold a hostile file: every count is compared with the bytes
// that are left, so no list is longer than the file could hold; and stored voxels
// are counted over all grids, so that a small packed file can't unfold to all of
// memory.

import (
	"bytes"
	"encoding/binary"
	"errors"
	"fmt"
	"io"
	"math"
	"math/bits"
	"runtime"
	"slices"
	"strings"
	"sync/atomic"

	"github.com/x448/float16"
	"golang.org/x/sync/errgroup"

	"zarf/core/format/blosc"
	"zarf/core/frame"
)

// Limits keep a hostile file from taking all memory.
// Only is how a page reads one channel of a large frame: others keep their metadata.
type Limits struct {
	Bytes  int64 // size of the file
	Voxels int64 // stored voxels over all grids
	Grids  int
	Only   []string // the grids to read; the others keep their metadata alone. Empty: all
}

// DefaultLimits suit a machine of 16 GiB and more.
var DefaultLimits = Limits{Bytes: 8 << 30, Voxels: 1 << 30, Grids: 1000}

// File is what a VDB file holds.
type File struct {
	frame.Frame
	Version uint32
}

// lens reads little-endian values from memory; it panics with errShort past
// the end, which Read turns into an error.
// at is where the next value begins, and what errors name
// Little-endian throughout, as all machines that write such files are.
type lens struct {
	b  []byte
	at int
}

var errShort = errors.New("the file ends too early")

// damage is a panic that Decode turns into an error which names the grid and the
// byte: the tree is read by methods that call each other, and every value of every
// one of them can be where the file ends.
type damage struct{ error }

func (l *lens) fail(format string, a ...any) { panic(damage{fmt.Errorf(format, a...)}) }

// take hands out the next n bytes; it is the one place that looks at the end.
// What it hands out shares the file's memory.
func (l *lens) take(n int) []byte {
	if n < 0 || n > len(l.b)-l.at {
		panic(damage{errShort})
	}
	l.at += n
	return l.b[l.at-n : l.at]
}

func (l *lens) u8() byte     { return l.take(1)[0] }
func (l *lens) u32() uint32  { return binary.LittleEndian.Uint32(l.take(4)) }
func (l *lens) u64() uint64  { return binary.LittleEndian.Uint64(l.take(8)) }
func (l *lens) f64() float64 { return math.Float64frombits(l.u64()) }

// text reads a string, its length in front.
// A megabyte is no name; the check spares a useful message for a wrong offset.
func (l *lens) text() string {
	n := l.u32()
	if n > 1<<20 {
		l.fail("a name of %d bytes", n)
	}
	return string(l.take(int(n)))
}

// coord reads a place in index space.
func (l *lens) coord() [3]int32 {
	return [3]int32{int32(l.u32()), int32(l.u32()), int32(l.u32())}
}

// words reads a mask.
// 64 voxels a word, the lowest bit first.
func (l *lens) words(w []uint64) {
	b := l.take(8 * len(w))
	for i := range w {
		w[i] = binary.LittleEndian.Uint64(b[8*i:])
	}
}

// metaMap reads named values. Each says its type and its length, so that types that
// aren't known here are passed over, and told as such.
// Files carry metadata of any program; what isn't known is told by type and size.
func (l *lens) metaMap() map[string]any {
	n := l.u32()
	// Files have some tens of them.
	if n > 1<<16 {
		l.fail("%d metadata entries", n)
	}
	// not sized by n, which is the file's claim
	m := make(map[string]any)
	for range n {
		name, kind := l.text(), l.text()
		// the value's bytes, whatever its type
		b := l.take(int(l.u32()))
		le := binary.LittleEndian
		switch {
		case kind == "string":
			m[name] = string(b)
		case kind == "bool" && len(b) == 1:
			m[name] = b[0] != 0
		case kind == "int32" && len(b) == 4:
			m[name] = int32(le.Uint32(b))
		case kind == "int64" && len(b) == 8:
			m[name] = int64(le.Uint64(b))
		case kind == "float" && len(b) == 4:
			m[name] = math.Float32frombits(le.Uint32(b))
		case kind == "double" && len(b) == 8:
			m[name] = math.Float64frombits(le.Uint64(b))
		case kind == "vec3i" && len(b) == 12:
			m[name] = [3]int32{int32(le.Uint32(b)), int32(le.Uint32(b[4:])), int32(le.Uint32(b[8:]))}
		case kind == "vec3d" && len(b) == 24:
			m[name] = [3]float64{math.Float64frombits(le.Uint64(b)), math.Float64frombits(le.Uint64(b[8:])), math.Float64frombits(le.Uint64(b[16:]))}
		default:
			m[name] = fmt.Sprintf("%d bytes of type %s", len(b), kind)
		}
	}
	return m
}

// Read reads a whole file. Errors name the grid and what is wrong with it.
func Read(r io.Reader, lim Limits) (f *File, err error) {
	// one byte more than allowed tells a file that is too large from one that just
	// fits
	// The whole file in memory: packed leaves are found by walking, and a walk over
	// a disk would wait at each.
	b, err := io.ReadAll(io.LimitReader(r, lim.Bytes+1))
	if err != nil {
		return nil, fmt.Errorf("vdb: %w", err)
	}
	if int64(len(b)) > lim.Bytes {
		return nil, fmt.Errorf("vdb: the file is larger than %d bytes", lim.Bytes)
	}
	return Decode(b, lim)
}

// Decode reads a file that is in memory.
func Decode(b []byte, lim Limits) (f *File, err error) {
	l := &lens{b: b}
	// moves on with the grids, for messages
	where := "header"
	defer func() {
		if p := recover(); p != nil {
			d, ok := p.(damage)
			if !ok {
				panic(p)
			}
			f, err = nil, fmt.Errorf("vdb: %s at byte %d: %w", where, l.at, d.error)
		}
	}()
	if len(b) < 8 || l.u64() != magic {
		return nil, fmt.Errorf("vdb: this is not a VDB file (it starts with % x)", b[:min(8, len(b))])
	}
	f = &File{Version: l.u32()}
	// 222 is the first with the compression of today; after 224 nothing has been
	// published
	if f.Version < 222 || f.Version > 300 {
		return nil, fmt.Errorf("vdb: file version %d can't be read; 222 to 224 can", f.Version)
	}
	// the library's version says nothing that the file's doesn't
	l.u32()
	l.u32()
	if l.u8() == 0 {
		return nil, fmt.Errorf("vdb: the file was written as a stream, without grid offsets; save it as a file")
	}
	// a UUID in letters
	l.take(36)
	// of the file as a whole: who wrote it, when
	// Metadata of grids follows with each grid.
	f.Meta = l.metaMap()
	n := int(l.u32())
	if n < 0 || n > lim.Grids {
		return nil, fmt.Errorf("vdb: the file says it has %d grids; %d are allowed", n, lim.Grids)
	}
	// Grids may share a tree: an instance names the grid whose tree it is and has a
	// transform of its own. It is filled in when all are read, since its parent may
	// come later.
	// shared by all grids of the file
	budget := lim.Voxels
	// By the unique name, with its number, as instances name it.
	parent := map[string]*Grid{}
	var instances []*Grid
	var instanceOf []string
	for range n {
		// descriptors and grids alternate; the offset to the next is followed, not
		// assumed
		unique := l.text()
		// from here on errors name the grid
		where = fmt.Sprintf("grid %q", unique)
		kind, of := l.text(), l.text()
		start, blocks, end := int64(l.u64()), int64(l.u64()), int64(l.u64())
		// offsets must lead on, within the file: so no grid is read twice
		if start < int64(l.at) || blocks < start || end < blocks || end > int64(len(b)) {
			l.fail("offsets %d, %d, %d don't fit a file of %d bytes", start, blocks, end, len(b))
		}
		// names that would be equal have a number behind a separator
		g := &Grid{Name: strings.SplitN(unique, "\x1e", 2)[0]}
		// what lies between a descriptor and its grid is skipped
		l.at = int(start)
		l.grid(g, kind, of != "" || (len(lim.Only) > 0 && !slices.Contains(lim.Only, g.Name)), &budget)
		// An instance has its own transform and metadata and no tree.
		if of != "" {
			instances, instanceOf = append(instances, g), append(instanceOf, of)
		}
		parent[unique] = g
		l.at = int(end)
		f.Grids = append(f.Grids, g)
	}
	for i, g := range instances {
		p := parent[instanceOf[i]]
		if p == nil || p == g {
			return nil, fmt.Errorf("vdb: grid %q shares the tree of %q, which is not in the file", g.Name, instanceOf[i])
		}
		// shared, not copied: nothing here changes a grid that was read
		g.Leaves, g.Tiles, g.Background = p.Leaves, p.Tiles, p.Background
	}
	return f, nil
}

// grid reads a grid; bare reads no values.
func (l *lens) grid(g *Grid, kind string, bare bool, budget *int64) {
	// values in memory are float32 either way; files hold halves
	g.Half = strings.HasSuffix(kind, "_HalfFloat")
	base := strings.TrimSuffix(kind, "_HalfFloat")
	// The name spells the tree's shape: 5-4-3 are the logs of a node's children an
	// axis.
	t, ok := strings.CutPrefix(base, "Tree_")
	t, ok2 := strings.CutSuffix(t, "_5_4_3")
	g.Type = Type(t)
	if _, _, _, known := g.Type.Shape(); !ok || !ok2 || !known {
		l.fail("grids of type %s can't be read here; float, double, int32, int64, bool, vec3s, vec3d, vec3i with the 5-4-3 tree can", kind)
	}
	// Each grid has its own, though files seldom mix them.
	comp := Compression(l.u32())
	g.Meta = l.metaMap()
	if c, ok := g.Meta["class"].(string); ok {
		g.Class = c
	}
	g.Transform = l.transform()
	// Nothing after this is needed of a grid whose values aren't read.
	if bare {
		return
	}
	// topology first, then buffers, as the file has them
	tr := treeReader{lens: l, g: g, comp: comp, budget: budget}
	tr.comps, tr.size, tr.narrow, _ = g.Type.Shape()
	tr.topology()
	tr.buffers()
}

// transform reads a linear map. The scaled kinds store what they derive from the
// scale beside it (voxel size, its inverse, squares), which is read over. Rows of
// the matrix are where the axes go, the last the shift: positions are row vectors.
func (l *lens) transform() Transform {
	t := Transform{Kind: l.text(), Linear: true}
	t.M[3][3] = 1
	vec := func() [3]float64 { return [3]float64{l.f64(), l.f64(), l.f64()} }
	scale := func() {
		// the scale itself comes first; four vectors that follow from it are read
		// over
		s := vec()
		for range 4 {
			vec()
		}
		for a := range 3 {
			t.M[a][a] = s[a]
		}
	}
	switch t.Kind {
	case "UniformScaleMap", "ScaleMap":
		scale()
	case "UniformScaleTranslateMap", "ScaleTranslateMap":
		tr := vec()
		scale()
		for a := range 3 {
			t.M[3][a] = tr[a]
		}
	case "TranslationMap":
		tr := vec()
		for a := range 3 {
			t.M[a][a], t.M[3][a] = 1, tr[a]
		}
	case "AffineMap", "UnitaryMap":
		for a := range 4 {
			for b := range 4 {
				t.M[a][b] = l.f64()
			}
		}
	default:
		l.fail("transform %s is not linear and can't be read here", t.Kind)
	}
	// a transform with a NaN would put the whole grid nowhere
	for _, r := range t.M {
		for _, v := range r {
			if math.IsNaN(v) || math.IsInf(v, 0) {
				l.fail("transform holds %v", v)
			}
		}
	}
	return t
}

// treeReader reads the tree of one grid.
type treeReader struct {
	*lens
	g           *Grid
	comp        Compression
	comps, size int
	narrow      bool
	budget      *int64
}

// raw reads one stored value of full size.
// It is what tiles and backgrounds are stored as, also in files of halves.
func (t *treeReader) value() (v [3]float64) {
	for c := range t.comps {
		v[c] = decode(t.g.Type, t.take(t.size))
	}
	return v
}

// decode is one value of a type, in float64.
// float64 holds every int32 exactly, and int64 up to 2^53.
func decode(t Type, b []byte) float64 {
	switch t {
	case frame.Float, frame.Vec3s:
		return float64(math.Float32frombits(binary.LittleEndian.Uint32(b)))
	case frame.Double, frame.Vec3d:
		return math.Float64frombits(binary.LittleEndian.Uint64(b))
	case frame.Int32, frame.Vec3i:
		return float64(int32(binary.LittleEndian.Uint32(b)))
	case frame.Int64:
		return float64(int64(binary.LittleEndian.Uint64(b)))
	}
	if b[0] != 0 {
		return 1
	}
	return 0
}

// Topology is the shape of the tree, root first, without the leaves' values. The
// root holds tiles (4096³ voxels of one value) and nodes; a node of log 5 spans 4096
// voxels and has 32³ places, each a tile of 128³ or a node of log 4; that spans 128
// and has 16³ places, tiles of 8³ or leaves. What is told of the values here is what
// tiles need.
func (t *treeReader) topology() {
	// more than one buffer a leaf was never written
	if n := t.u32(); n != 1 {
		t.fail("%d buffers a leaf", n)
	}
	t.g.Background = t.value()
	// The root is a list, as a fluid may stand anywhere in index space.
	tiles, children := t.u32(), t.u32()
	// a tile takes 13 bytes at least: origin and activity
	if int64(tiles)*13 > int64(len(t.b)) || int64(children)*13 > int64(len(t.b)) {
		t.fail("%d tiles and %d children don't fit the file", tiles, children)
	}
	for range tiles {
		// tiles of the root: their active bit comes after the value
		o := t.coord()
		v := t.value()
		t.g.Tiles = append(t.g.Tiles, Tile{Origin: o, Size: 4096, Active: t.u8() != 0, Value: v})
	}
	for range children {
		o := t.coord()
		t.node(o, 5)
	}
}

// node reads an internal node with 2^log children an axis: log 5 holds nodes
// of log 4, which hold leaves.
// Its value block holds a value for each place without a child; most are background.
func (t *treeReader) node(o [3]int32, log uint) {
	n := 1 << (3 * log)
	// a place can be a child, an active tile, or an inactive value, told by two
	// masks
	child, active := make([]uint64, n/64), make([]uint64, n/64)
	t.words(child)
	t.words(active)
	values := t.values(n, active, child)
	if values == nil {
		t.children(o, log, child)
		return
	}
	// places count with z fastest, then y, then x
	span := int32(128)
	if log == 4 {
		span = 8
	}
	// m counts the places of a node; its bits are the place's coordinates
	mask := 1<<log - 1
	at := func(m int) [3]int32 {
		return [3]int32{o[0] + int32(m>>(2*log))*span, o[1] + int32(m>>log&mask)*span, o[2] + int32(m&mask)*span}
	}
	for m := range n {
		on := active[m>>6]>>(m&63)&1 == 1
		if child[m>>6]>>(m&63)&1 == 1 {
			continue
		}
		var v [3]float64
		same := true
		for c := range t.comps {
			v[c] = values(m, c)
			same = same && v[c] == t.g.Background[c]
		}
		// inactive background is what stands everywhere anyway
		if on || !same {
			t.g.Tiles = append(t.g.Tiles, Tile{Origin: at(m), Size: span, Active: on, Value: v})
		}
	}
	t.children(o, log, child)
}

// children reads the nodes or the leaves below a node.
func (t *treeReader) children(o [3]int32, log uint, child []uint64) {
	span := int32(128)
	if log == 4 {
		span = 8
	}
	mask := 1<<log - 1
	at := func(m int) [3]int32 {
		return [3]int32{o[0] + int32(m>>(2*log))*span, o[1] + int32(m>>log&mask)*span, o[2] + int32(m&mask)*span}
	}
	// by set bits and not by places: nodes are mostly empty
	// Words of 64 places; a word that is 0 costs one look.
	for w, bitsLeft := range child {
		for ; bitsLeft != 0; bitsLeft &= bitsLeft - 1 {
			m := w*64 + bits.TrailingZeros64(bitsLeft)
			if log == 5 {
				t.node(at(m), 4)
				continue
			}
			// before the leaf is made
			*t.budget -= frame.LeafSize
			if *t.budget < 0 {
				t.fail("more voxels than allowed")
			}
			l := &Leaf{Origin: at(m)}
			t.words(l.Active[:])
			t.g.Leaves = append(t.g.Leaves, l)
		}
	}
}

// values reads a block of n values compressed by a mask; the returned function
// gives component c of value m. It is nil where every value is the inactive
// background, as in all nodes without tiles.
// A closure and not an array, as most of a node's 32,768 values are never asked for.
func (t *treeReader) values(n int, active, child []uint64) func(m, c int) float64 {
	// nodes without active tiles are most; telling them here spares 32 K closures
	plain := len(t.b) > t.at && t.b[t.at] == 0 && t.comp&ActiveMask != 0
	for _, w := range active {
		plain = plain && w == 0
	}
	inactive0, inactive1, sel, stored, wide := t.header(n, active)
	if plain {
		return nil
	}
	if wide {
		return func(m, c int) float64 { return stored(m, c) }
	}
	// with the active mask only active values are stored, in order: the rank of a
	// value is how many active ones come before it
	rank := 0
	idx := make([]int32, n)
	for m := range n {
		if active[m>>6]>>(m&63)&1 == 1 {
			idx[m] = int32(rank)
			rank++
		} else {
			idx[m] = -1
		}
	}
	return func(m, c int) float64 {
		if idx[m] >= 0 {
			return stored(int(idx[m]), c)
		}
		if sel != nil && sel[m>>6]>>(m&63)&1 == 1 {
			return inactive1[c]
		}
		return inactive0[c]
	}
}

// preamble reads what precedes the values of a block of n: inactive values and
// which voxels have which, and whether all voxels are stored.
func (t *treeReader) preamble(n int) (in0, in1 [3]float64, sel []uint64, all, half bool) {
	// What the inactive values are, in one byte:
	//
	//	0  the background
	//	1  its negative
	//	2  one other value
	//	3  background and its negative, by a mask
	//	4  background and another, by a mask
	//	5  two others, by a mask
	//	6  as many as there are, all stored
	meta := t.u8()
	if meta > 6 {
		t.fail("a block of unknown kind %d", meta)
	}
	bg := t.g.Background
	in0, in1 = bg, bg
	if meta != 0 {
		for c := range in0 {
			in0[c] = -bg[c]
		}
	}
	if meta == 2 || meta == 4 || meta == 5 {
		in0 = t.value()
		if meta == 5 {
			in1 = t.value()
		}
	}
	if meta >= 3 && meta <= 5 {
		sel = make([]uint64, n/64)
		t.words(sel)
	}
	half = t.g.Half && (t.g.Type == frame.Float || t.g.Type == frame.Vec3s || t.g.Type == frame.Double || t.g.Type == frame.Vec3d)
	return in0, in1, sel, meta == 6 || t.comp&ActiveMask == 0, half
}

// header reads a block of n values with all that precedes it.
func (t *treeReader) header(n int, active []uint64) (in0, in1 [3]float64, sel []uint64, stored func(m, c int) float64, all bool) {
	in0, in1, sel, all, half := t.preamble(n)
	// with the active mask only as many values as there are active ones are stored
	count := n
	if !all {
		count = 0
		for _, w := range active {
			count += bits.OnesCount64(w)
		}
	}
	size := t.size
	if half {
		size = 2
	}
	var data []byte
	if !half || count > 0 { // empty blocks of halves have no length in front
		// in the file's own order: places with z fastest
		raw, packed := t.parcel(count * t.comps * size)
		data = raw
		if packed {
			data = make([]byte, count*t.comps*size)
			if err := t.unpackInto(data, raw); err != nil {
				panic(damage{err})
			}
		}
	}
	typ, comps := t.g.Type, t.comps
	return in0, in1, sel, func(m, c int) float64 {
		b := data[(m*comps+c)*size:]
		if half {
			return float64(float16.Frombits(binary.LittleEndian.Uint16(b)).Float32())
		}
		return decode(typ, b)
	}, all
}

// parcel takes the bytes that hold n bytes of values, packed or as they are.
func (t *treeReader) parcel(n int) (data []byte, packed bool) {
	if t.comp&(Blosc|Zip) == 0 {
		return t.take(n), false
	}
	// the packed length; negative where the bytes are stored as they are
	size := int64(t.u64())
	if size <= 0 {
		if -size != int64(n) {
			t.fail("a block of %d bytes where %d are due", -size, n)
		}
		return t.take(n), false
	}
	if size > int64(len(t.b)) {
		panic(damage{errShort})
	}
	return t.take(int(size)), true
}

// unpackInto expands a block by the grid's compression.
func (t *treeReader) unpackInto(out, packed []byte) error {
	if t.comp&Blosc != 0 {
		return blosc.Expand(out, packed)
	}
	return inflate(out, packed)
}

// stored is a leaf's block as it stands in the file, to be expanded later.
type stored struct {
	leaf     *Leaf
	in0, in1 [3]float64
	sel      []uint64
	data     []byte // packed, or as it is
	packed   bool
	all      bool // every voxel has a value of its own
	half     bool
}

// buffers reads the leaves' values: their places one after the other, their
// contents on all processors.
func (t *treeReader) buffers() {
	if t.g.Type == frame.Bool {
		t.flags()
		return
	}
	// Where a block ends is known only by reading its length, so finding them is
	// serial; unpacking them isn't.
	blocks := make([]stored, len(t.g.Leaves))
	for i, l := range t.g.Leaves {
		t.words(l.Active[:])
		// only where they are; unpacking comes later, on all threads
		blocks[i] = t.block(l)
	}
	var group errgroup.Group
	var next atomic.Int64
	const run = 32
	for range runtime.GOMAXPROCS(0) {
		group.Go(func() error {
			// one block's plain bytes, for each thread: blocks are 2 to 12 KB
			// the widest type there is
			room := make([]byte, frame.LeafSize*t.comps*8)
			for {
				// threads take runs of 32 leaves: leaves differ in how long they
				// take
				lo := int(next.Add(run)) - run
				if lo >= len(blocks) {
					return nil
				}
				for i := lo; i < min(lo+run, len(blocks)); i++ {
					if err := t.expand(&blocks[i], room); err != nil {
						return err
					}
				}
			}
		})
	}
	if err := group.Wait(); err != nil {
		panic(damage{err})
	}
}

// flags reads the leaves of a bool grid: a mask, the origin again, a mask of
// values.
func (t *treeReader) flags() {
	for _, l := range t.g.Leaves {
		t.words(l.Active[:])
		t.coord()
		var on Mask
		t.words(on[:])
		l.Wide = make([]float64, frame.LeafSize)
		for n := range l.Wide {
			if on.On(n) {
				l.Wide[n] = 1
			}
		}
	}
}

// block reads what precedes a leaf's values and notes where they are.
func (t *treeReader) block(l *Leaf) stored {
	in0, in1, sel, all, half := t.preamble(frame.LeafSize)
	b := stored{leaf: l, in0: in0, in1: in1, sel: sel, all: all, half: half}
	count := frame.LeafSize
	if !all {
		count = l.Active.Count()
	}
	size := t.size
	if half {
		size = 2
	}
	if half && count == 0 {
		return b
	}
	b.data, b.packed = t.parcel(count * t.comps * size)
	return b
}

// expand fills a leaf from its block.
func (t *treeReader) expand(b *stored, room []byte) error {
	l := b.leaf
	count := frame.LeafSize
	if !b.all {
		count = l.Active.Count()
	}
	size := t.size
	if b.half {
		size = 2
	}
	raw := b.data
	if b.packed {
		raw = room[:count*t.comps*size]
		if err := t.unpackInto(raw, b.data); err != nil {
			return err
		}
	}
	if t.narrow {
		// made by the thread that fills it, so its memory is near that thread
		l.Values = make([]float32, frame.LeafSize*t.comps)
		t.scatter32(b, raw)
		return nil
	}
	l.Wide = make([]float64, frame.LeafSize*t.comps)
	t.scatter(b, raw, size, func(n int, v float64) { l.Wide[n] = v })
	return nil
}

// scatter32 is scatter for float and half values, the common case.
// The mask decides where stored values go; the rest is one of two inactive values.
func (t *treeReader) scatter32(b *stored, raw []byte) {
	l, nc := b.leaf, t.comps
	at := 0
	read := func() float32 {
		if b.half {
			at += 2
			return float16.Frombits(binary.LittleEndian.Uint16(raw[at-2:])).Float32()
		}
		at += 4
		return math.Float32frombits(binary.LittleEndian.Uint32(raw[at-4:]))
	}
	// a full leaf has no mask to look at
	if b.all || l.Active.Count() == frame.LeafSize {
		for n := range l.Values {
			l.Values[n] = read()
		}
		return
	}
	for w, word := range l.Active {
		for m := range 64 {
			n := (w*64 + m) * nc
			if word>>m&1 == 1 {
				for c := range nc {
					l.Values[n+c] = read()
				}
				continue
			}
			in := &b.in0
			if b.sel != nil && b.sel[w]>>m&1 == 1 {
				in = &b.in1
			}
			for c := range nc {
				l.Values[n+c] = float32(in[c])
			}
		}
	}
}

// scatter puts stored values where the mask says, inactive ones elsewhere.
func (t *treeReader) scatter(b *stored, raw []byte, size int, put func(n int, v float64)) {
	// the place of the next stored value among those that are stored
	rank := 0
	for n := range frame.LeafSize {
		on := b.leaf.Active.On(n)
		for c := range t.comps {
			at := ((rank * t.comps) + c) * size
			if b.all {
				at = ((n * t.comps) + c) * size
			}
			switch {
			case (b.all || on) && b.half:
				put(n*t.comps+c, float64(float16.Frombits(binary.LittleEndian.Uint16(raw[at:])).Float32()))
			case b.all || on:
				put(n*t.comps+c, decode(t.g.Type, raw[at:]))
			case b.sel != nil && b.sel[n>>6]>>(n&63)&1 == 1:
				put(n*t.comps+c, b.in1[c])
			default:
				put(n*t.comps+c, b.in0[c])
			}
		}
		if on {
			rank++
		}
	}
}

// Encode writes grids into memory.
func Encode(grids []*Grid, opt Options) ([]byte, error) {
	var b bytes.Buffer
	if err := Write(&b, grids, opt); err != nil {
		return nil, err
	}
	return b.Bytes(), nil
}
