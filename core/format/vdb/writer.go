package vdb

// Writing. A grid is written in the order in which it will be read: description,
// topology of the whole tree, then the values of all leaves. The description in
// front holds offsets to all of it, so the rest is made in memory first.
//
// Equal grids give equal bytes: keys of metadata are sorted, nodes are sorted,
// leaves come in the order of their places, and the file's identity is made of its
// content. That is what checksums of caches and “the same bits on any number of
// threads” rest on.

import (
	"bytes"
	"crypto/sha256"
	"encoding/binary"
	"fmt"
	"io"
	"math"
	"sort"

	"github.com/x448/float16"

	"zarf/core/frame"
)

const (
	magic       = 0x56444220
	fileVersion = 224
)

// Options of a file.
// no compression and no workers are good for tests and small files
// Meta is of the file; that of a grid is with the grid.
type Options struct {
	Compression Compression // ActiveMask is always on when writing
	Meta        map[string]any
	// Workers runs a job for each piece on several threads; nil: one.
	Workers func(n, grain int, fn func(lo, hi int))
}

// pen writes little-endian values and remembers the first error.
// a buffer in memory can't fail; errors come when it is written out
type pen struct{ bytes.Buffer }

func (p *pen) u32(v uint32)  { p.Write(binary.LittleEndian.AppendUint32(p.AvailableBuffer(), v)) }
func (p *pen) u64(v uint64)  { p.Write(binary.LittleEndian.AppendUint64(p.AvailableBuffer(), v)) }
func (p *pen) f32(v float32) { p.u32(math.Float32bits(v)) }
func (p *pen) f64(v float64) { p.u64(math.Float64bits(v)) }
func (p *pen) text(s string) { p.u32(uint32(len(s))); p.WriteString(s) }

// coord writes a place in index space.
func (p *pen) coord(c [3]int32) {
	for _, v := range c {
		p.u32(uint32(v))
	}
}

// meta writes one metadata entry; types without a form here are written as text.
// The length is that of the value alone, so that readers can pass over it.
func (p *pen) meta(name string, v any) {
	p.text(name)
	switch v := v.(type) {
	case bool:
		p.text("bool")
		p.u32(1)
		if v {
			p.WriteByte(1)
		} else {
			p.WriteByte(0)
		}
	case int32:
		p.text("int32")
		p.u32(4)
		p.u32(uint32(v))
	case int64:
		p.text("int64")
		p.u32(8)
		p.u64(uint64(v))
	case int:
		p.text("int64")
		p.u32(8)
		// An int has the size of the machine; files have int64.
		p.u64(uint64(v))
	case float32:
		p.text("float")
		p.u32(4)
		p.f32(v)
	case float64:
		p.text("double")
		p.u32(8)
		p.f64(v)
	case [3]int32:
		p.text("vec3i")
		p.u32(12)
		p.coord(v)
	case [3]float64:
		p.text("vec3d")
		p.u32(24)
		for _, c := range v {
			p.f64(c)
		}
	default:
		s := fmt.Sprint(v)
		p.text("string")
		p.u32(uint32(len(s)))
		p.WriteString(s)
	}
}

// metaMap writes in the order of names, so that equal grids give equal files.
func (p *pen) metaMap(m map[string]any) {
	keys := make([]string, 0, len(m))
	for k := range m {
		keys = append(keys, k)
	}
	sort.Strings(keys)
	p.u32(uint32(len(keys)))
	for _, k := range keys {
		p.meta(k, m[k])
	}
}

// Write writes grids as one file. Only Float and Vec3s grids can be written.
// The same grids give the same bytes.
func Write(w io.Writer, grids []*Grid, opt Options) error {
	var head pen
	head.u64(magic)
	head.u32(fileVersion)
	head.u32(10) // the library version that such files come from
	head.u32(0)
	head.WriteByte(1) // grids can be reached by offset
	// from the content: two runs of the same values write the same bytes
	head.WriteString(identity(grids))
	head.metaMap(opt.Meta)
	head.u32(uint32(len(grids)))
	// Offsets count from the start of the file, and a grid's description holds its
	// end: so each grid is put together in memory, topology and packed values,
	// before a byte of it is written. That is its packed size, once.
	at := int64(head.Len())
	if _, err := w.Write(head.Bytes()); err != nil {
		return err
	}
	// two grids of one name are told apart by a number behind a separator
	seen := map[string]int{}
	for _, g := range grids {
		if g.Type != frame.Float && g.Type != frame.Vec3s {
			return fmt.Errorf("vdb: grid %s is of type %s; float and vec3s can be written", g.Name, g.Type)
		}
		if !g.Transform.Linear {
			return fmt.Errorf("vdb: grid %s has no linear transform", g.Name)
		}
		unique := g.Name
		if n := seen[g.Name]; n > 0 {
			unique = fmt.Sprintf("%s\x1e%d", g.Name, n)
		}
		seen[g.Name]++
		var desc pen
		desc.text(unique)
		// the type's name carries whether values are halves
		suffix := ""
		if g.Half {
			suffix = "_HalfFloat"
		}
		desc.text("Tree_" + string(g.Type) + "_5_4_3" + suffix)
		// it shares no other grid's tree
		desc.text("")
		// body ends where the leaves' values begin
		// The blocks are packed on several threads and written in order.
		body, blocks, err := encode(g, opt)
		if err != nil {
			return err
		}
		// behind the descriptor's own three offsets
		// Three words of eight bytes.
		start := at + int64(desc.Len()) + 24
		end := start + int64(body.Len())
		for _, b := range blocks {
			end += int64(len(b))
		}
		desc.u64(uint64(start))
		desc.u64(uint64(start + int64(body.Len())))
		desc.u64(uint64(end))
		for _, part := range append([][]byte{desc.Bytes(), body.Bytes()}, blocks...) {
			if _, err := w.Write(part); err != nil {
				return err
			}
		}
		at = end
	}
	return nil
}

// identity is a file id made from the grids' names and sizes in the form of a
// UUID; it need not be unique, so that equal input gives equal files.
func identity(grids []*Grid) string {
	// not of the values: they would have to be read once more, and nobody needs it
	// to differ
	h := sha256.New()
	for _, g := range grids {
		fmt.Fprint(h, g.Name, g.Type, len(g.Leaves), g.Transform.M)
	}
	s := h.Sum(nil)
	// the two marks of a UUID, version and variant
	s[6], s[8] = s[6]&0x0f|0x40, s[8]&0x3f|0x80
	return fmt.Sprintf("%x-%x-%x-%x-%x", s[0:4], s[4:6], s[6:8], s[8:10], s[10:16])
}

// node1 is an internal node of 16³ leaves, node2 one of 32³ of those.
// dense, as most of its 4,096 places are leaves in the middle of smoke
// 32 KB of pointers each.
type node1 struct {
	origin [3]int32
	leaves [4096]*Leaf
}

// node2 is a node of the root's: 32³ of those below.
// a map, as a fluid seldom fills 4,096 voxels along an axis
type node2 struct {
	origin [3]int32
	kids   map[int]*node1
}

// tree sorts leaves into the nodes above them.
func tree(g *Grid) []*node2 {
	top := map[[3]int32]*node2{}
	for _, l := range g.Leaves {
		// the bits of a coordinate say where in the tree it lies: 12 and up the
		// root's, 7 to 11 the upper node's place, 3 to 6 the lower one's, 0 to 2 the
		// voxel in its leaf
		o := l.Origin
		// &^ is a floor to a multiple for negative coordinates too
		// Of a negative place too: −8 lies in the node that begins at −4096.
		key := [3]int32{o[0] &^ 4095, o[1] &^ 4095, o[2] &^ 4095}
		// leaves come in order, so the same node is asked for again and again
		n2 := top[key]
		if n2 == nil {
			n2 = &node2{origin: key, kids: map[int]*node1{}}
			top[key] = n2
		}
		at2 := int(o[0]&4095>>7)<<10 | int(o[1]&4095>>7)<<5 | int(o[2]&4095>>7)
		n1 := n2.kids[at2]
		if n1 == nil {
			n1 = &node1{origin: [3]int32{o[0] &^ 127, o[1] &^ 127, o[2] &^ 127}}
			n2.kids[at2] = n1
		}
		n1.leaves[int(o[0]&127>>3)<<8|int(o[1]&127>>3)<<4|int(o[2]&127>>3)] = l
	}
	// A fluid about the origin has eight of them, one in each octant.
	out := make([]*node2, 0, len(top))
	for _, n := range top {
		out = append(out, n)
	}
	// maps have no order; files must
	sort.Slice(out, func(i, j int) bool {
		a, b := out[i].origin, out[j].origin
		for x := range 3 {
			if a[x] != b[x] {
				return a[x] < b[x]
			}
		}
		return false
	})
	return out
}

// encode writes metadata, transform and topology into one buffer, and the
// leaves' values into pieces made on several threads.
func encode(g *Grid, opt Options) (*pen, [][]byte, error) {
	comp := opt.Compression&^ActiveMask | ActiveMask
	p := &pen{}
	p.u32(uint32(comp))
	// a copy: what is added here belongs to the file and not to the grid
	meta := map[string]any{}
	for k, v := range g.Meta {
		meta[k] = v
	}
	if g.Class != "" {
		meta["class"] = g.Class
	}
	meta["name"] = g.Name
	meta["is_saved_as_half_float"] = g.Half
	// what other readers show of a file before they open it
	meta["file_compression"] = comp.String()
	lo, hi, active := activeBounds(g)
	// By these a page can tell what is in a file of gigabytes without its tree.
	meta["file_bbox_min"], meta["file_bbox_max"], meta["file_voxel_count"] = lo, hi, active
	p.metaMap(meta)
	writeTransform(g.Transform, p)
	order, err := topology(g, p, comp)
	if err != nil {
		return nil, nil, err
	}
	return p, leaves(g, order, comp, opt), nil
}

// topology writes the tree without its leaves' values, and gives the leaves in
// the order in which it names them, which is that of the values.
func topology(g *Grid, p *pen, comp Compression) (order []*Leaf, err error) {
	// older files had more, for values kept apart
	p.u32(1) // buffers a leaf
	value(g, p, g.Background)
	nodes := tree(g)
	p.u32(uint32(len(g.Tiles)))
	p.u32(uint32(len(nodes)))
	for _, t := range g.Tiles {
		// Smaller tiles never come up: frames here are leaves.
		if t.Size != 4096 {
			return nil, fmt.Errorf("vdb: tiles of %d voxels can't be written", t.Size)
		}
		p.coord(t.Origin)
		value(g, p, t.Value)
		b := byte(0)
		if t.Active {
			b = 1
		}
		p.WriteByte(b)
	}
	for _, n2 := range nodes {
		p.coord(n2.origin)
		// 32,768 places, a bit each
		// Keys are gathered beside the mask, since a map of kids must be walked in
		// order.
		var child [512]uint64
		var keys []int
		for k := range n2.kids {
			child[k>>6] |= 1 << (k & 63)
			keys = append(keys, k)
		}
		sort.Ints(keys)
		writeWords(p, child[:])
		writeWords(p, make([]uint64, 512)) // no tile is active: all below is nodes
		emptyValues(g, p, comp)
		for _, k := range keys {
			order = lower(g, p, n2.kids[k], comp, order)
		}
	}
	return order, nil
}

// lower writes a node of leaves, and adds them to the order.
func lower(g *Grid, p *pen, n1 *node1, comp Compression, order []*Leaf) []*Leaf {
	var child [64]uint64
	// two walks: the mask must stand before the leaves
	for m, l := range n1.leaves {
		if l != nil {
			child[m>>6] |= 1 << (m & 63)
		}
	}
	// First the children, then the active tiles, then the values: as the reader has
	// it.
	writeWords(p, child[:])
	writeWords(p, make([]uint64, 64))
	emptyValues(g, p, comp)
	for _, l := range n1.leaves {
		if l != nil {
			writeWords(p, l.Active[:])
			order = append(order, l)
		}
	}
	return order
}

// batch is how many leaves are packed at a time: some 100 KB, enough for a
// thread to be worth it.
const batch = 64

// leaves packs the values of leaves, a batch to a piece.
func leaves(g *Grid, order []*Leaf, comp Compression, opt Options) [][]byte {
	blocks := make([][]byte, (len(order)+batch-1)/batch)
	// each thread keeps its codec's buffers over all of its batches
	work := func(lo, hi int) {
		c := codecs.Get().(*codec)
		defer codecs.Put(c)
		for b := lo; b < hi; b++ {
			var q pen
			for _, l := range order[b*batch : min(len(order), (b+1)*batch)] {
				leafValues(g, &q, c, l, comp)
			}
			blocks[b] = q.Bytes()
		}
	}
	if opt.Workers == nil {
		work(0, len(blocks))
	} else {
		opt.Workers(len(blocks), 1, work)
	}
	return blocks
}

// activeBounds are the box of what is active, and how much it is.
func activeBounds(g *Grid) (lo, hi [3]int32, n int64) {
	// a pass over all leaves; the masks' counts alone wouldn't tell the box
	in := g.Inspect()
	return in.Min, in.Max, in.Active
}

// writeWords writes a mask.
func writeWords(p *pen, w []uint64) {
	for _, v := range w {
		p.u64(v)
	}
}

// emptyValues is the value block of an internal node without tiles: nothing
// active, everything background. Empty blocks of halves have no length in front.
func emptyValues(g *Grid, p *pen, comp Compression) {
	p.WriteByte(0)
	if comp&(Blosc|Zip) != 0 && !g.Half {
		p.u64(0)
	}
}

// value writes one value as the topology has it: in full, but rounded to a half
// where the leaves' values are halves, so that both are the same number.
func value(g *Grid, p *pen, v [3]float64) {
	for c := range g.Type.Components() {
		f := float32(v[c])
		if g.Half {
			f = float16.Fromfloat32(f).Float32()
		}
		p.f32(f)
	}
}

// leafValues writes mask and active values of one leaf. Values outside the
// mask are the background and are not stored.
func leafValues(g *Grid, p *pen, c *codec, l *Leaf, comp Compression) {
	writeWords(p, l.Active[:])
	p.WriteByte(0) // all inactive values are the background
	nc := g.Type.Components()
	size := 4
	if g.Half {
		size = 2
	}
	if cap(c.raw) < frame.LeafSize*nc*size {
		c.raw = make([]byte, frame.LeafSize*nc*size)
	}
	// the leaf's values one after another, as the compression wants them
	raw := c.raw[:0]
	// a leaf that is full, as most in the middle of smoke are, needs no look at the
	// mask
	// The count is eight population counts.
	full := !g.Half && l.Active.Count() == frame.LeafSize
	if full {
		raw = raw[:frame.LeafSize*nc*4]
		for n, v := range l.Values {
			binary.LittleEndian.PutUint32(raw[4*n:], math.Float32bits(v))
		}
	}
	for n := range frame.LeafSize {
		if full || !l.Active.On(n) {
			continue
		}
		for _, v := range l.Values[n*nc : (n+1)*nc] {
			if g.Half {
				raw = binary.LittleEndian.AppendUint16(raw, uint16(float16.Fromfloat32(v)))
			} else {
				raw = binary.LittleEndian.AppendUint32(raw, math.Float32bits(v))
			}
		}
	}
	c.block(p, raw, size, comp)
}

// block writes a run of bytes as the compression wants it.
func (c *codec) block(p *pen, raw []byte, size int, comp Compression) {
	var packed []byte
	switch {
	case comp&Blosc != 0:
		packed = c.Compress(raw, size)
	case comp&Zip != 0:
		packed = c.deflate(raw)
	default:
		p.Write(raw)
		return
	}
	// negative: so many bytes as they are
	if packed == nil {
		p.u64(uint64(-int64(len(raw))))
		p.Write(raw)
		return
	}
	p.u64(uint64(len(packed)))
	p.Write(packed)
}

// write stores the transform: a uniform scale with translation where it is
// one, else the whole matrix.
func writeTransform(t Transform, p *pen) {
	h := t.M[0][0]
	// only a positive scale: mirrored axes need the whole matrix
	uniform := h > 0
	for a := range 3 {
		for b := range 3 {
			want := 0.0
			if a == b {
				want = h
			}
			if t.M[a][b] != want {
				uniform = false
			}
		}
	}
	// Rows of the matrix are the images of the axes, the shift in the last row.
	if !uniform {
		p.text("AffineMap")
		for _, r := range t.M {
			for _, v := range r {
				p.f64(v)
			}
		}
		return
	}
	p.text("UniformScaleTranslateMap")
	for a := range 3 {
		p.f64(t.M[3][a])
	}
	// scale, voxel size, and three that follow from them
	for _, v := range []float64{h, h, 1 / h, 1 / (h * h), 1 / (2 * h)} {
		for range 3 {
			p.f64(v)
		}
	}
}
