package abc

// Writing Alembic files sample by sample. Data go to the file as they come; groups
// can only be written when all that they refer to has its place, so they come last,
// from the leaves of the tree up. What is kept in memory is a reference for each
// sample that changed.

import (
	"bytes"
	"cmp"
	"encoding/binary"
	"fmt"
	"io"
	"math"
	"slices"
	"strings"
	"unsafe"

	"github.com/minio/highwayhash"
)

// Kind is what an object is.
type Kind int

// The kinds of object.
const (
	Points Kind = iota
	Mesh
	Camera
)

// schemas are the kinds as objects' metadata name them.
var schemas = map[Kind]string{Points: "AbcGeom_Points_v1", Mesh: "AbcGeom_PolyMesh_v1", Camera: "AbcGeom_Camera_v1"}

// Info is what an archive tells of itself.
type Info struct {
	App, Note string
	Rate      float64 // samples a second
	First     float64 // frame number of the first sample; its time is First/Rate
}

// Extra is a channel of points beside place and velocity.
// scalars and vectors; named as the channel is
type Extra struct {
	Name  string
	Comps int // 1 or 3
	V     []float32
}

// Lens is a camera at a moment.
type Lens struct {
	Focal          float64 // mm
	Wide, Tall     float64 // aperture, cm
	Stop           float64
	Focus          float64 // cm
	Open, Close    float64 // s
	Near, Far      float64
	Squeeze        float64
	ShiftX, ShiftY float64    // cm
	Overscan       [4]float64 // left, right, top, bottom
}

// Sample is an object at a frame. Vectors lie one after another.
// what a kind doesn't have is nil
type Sample struct {
	P, V   []float32 // three a point; V may be nil
	IDs    []uint64  // of points; nil: 0, 1, 2, …
	Widths []float32 // of points; nil: none
	Counts []int32   // of a mesh: corners of each face
	Faces  []int32   // of a mesh: the corners, clockwise
	Extra  []Extra
	Lens   Lens
	Matrix *[16]float64 // of the object, rows as vectors are multiplied from the left; nil: none
}

// pod numbers the value types.
const (
	podBool   = 0
	podUint8  = 1
	podUint32 = 5
	podInt32  = 6
	podUint64 = 7
	podInt64  = 8
	podFloat  = 10
	podDouble = 11
)

// podSize is the bytes of a value, by type.
var podSize = []int{1, 1, 1, 2, 2, 4, 4, 8, 8, 2, 4, 8}

// dataBit marks a reference to data; without it, it leads to a group.
const dataBit = 1 << 63

// Writer writes an archive sample by sample; what it keeps in memory is one
// reference a sample.
type Writer struct {
	to      io.WriteSeeker
	at      uint64
	info    Info
	objects []*Object
	metas   []string
	err     error
	most    int
}

// Object is one thing of an archive.
// An object is a transform with a shape below it, as readers expect.
type Object struct {
	w       *Writer
	Name    string
	Kind    Kind
	top     *prop // the compound of its geometry
	xform   *prop
	samples int
}

// prop is a property under way.
// refs are of samples that were written; first and last tell which of all these are
// prev is the hash of the last value, not the value: a mesh of a gigabyte is not
// kept.
type prop struct {
	name, meta  string
	kind        int // 0 compound, 1 scalar, 2 array
	pod, extent int
	under       []*prop
	refs        []uint64
	dims        []uint64 // of arrays, beside refs
	n           int
	first, last int
	prev        [16]byte
	prevRef     uint64
	length      int
	even, one   bool
}

// NewWriter begins an archive; to must be at its start. The fifth byte after the name becomes 255 when the file is complete, and the last
// eight the root's place; until then a reader sees that the file was never finished.
func NewWriter(to io.WriteSeeker, info Info) *Writer {
	w := &Writer{to: to, info: info, metas: []string{""}}
	w.put([]byte{'O', 'g', 'a', 'w', 'a', 0, 0, 1, 0, 0, 0, 0, 0, 0, 0, 0})
	return w
}

// put writes at the end. The first error stays and is told by Add and Close.
// The place is counted here, as asking the file for it would be a call to the system
// for each of many small pieces.
func (w *Writer) put(b []byte) {
	if w.err == nil {
		_, w.err = w.to.Write(b)
	}
	w.at += uint64(len(b))
}

// data writes bytes and returns the reference to them; of none it is the empty
// reference, which takes no room.
func (w *Writer) data(parts ...[]byte) uint64 {
	// the length stands in front of the bytes, so it is added up beforehand
	n := 0
	for _, p := range parts {
		n += len(p)
	}
	if n == 0 {
		return dataBit
	}
	// a reference is where the length stands; the highest bit says data
	ref := w.at | dataBit
	w.put(binary.LittleEndian.AppendUint64(nil, uint64(n)))
	for _, p := range parts {
		w.put(p)
	}
	return ref
}

// group writes references and returns the one to them.
func (w *Writer) group(refs []uint64) uint64 {
	if len(refs) == 0 {
		return 0
	}
	ref := w.at
	// a group is its count and its references
	b := binary.LittleEndian.AppendUint64(nil, uint64(len(refs)))
	for _, r := range refs {
		b = binary.LittleEndian.AppendUint64(b, r)
	}
	w.put(b)
	return ref
}

// Object begins an object. Its name must be unlike the others' and without
// slashes; what else is in it is kept.
func (w *Writer) Object(name string, k Kind) *Object {
	// A slash would be a path to readers.
	name = strings.ReplaceAll(cmp.Or(name, "object"), "/", "_")
	// two domains may be called the same; objects may not
	base := name
	for n := 2; slices.ContainsFunc(w.objects, func(o *Object) bool { return o.Name == name }); n++ {
		name = fmt.Sprintf("%s_%d", base, n)
	}
	o := &Object{w: w, Name: name, Kind: k, top: &prop{name: ".geom", meta: "schema=" + schemas[k]}, xform: &prop{name: ".xform", meta: "schema=AbcGeom_Xform_v3"}}
	w.objects = append(w.objects, o)
	return o
}

// Add adds the next sample. Every sample of an object must give the same
// channels.
//
// It writes what changed at once and keeps a reference: memory doesn't grow with the
// length of a cache. Lengths that don't fit the points are errors, before a byte is
// written.
func (o *Object) Add(s *Sample) error {
	w := o.w
	n := len(s.P) / 3
	for _, c := range []struct {
		what      string
		have, per int
	}{{"velocities", len(s.V), 3}, {"identities", len(s.IDs), 1}, {"widths", len(s.Widths), 1}} {
		if c.have != 0 && c.have != n*c.per {
			return fmt.Errorf("abc: %s: %d %s for %d points", o.Name, c.have/c.per, c.what, n)
		}
	}
	// the schema's names begin with a point; what users add does not
	g := o.top
	switch o.Kind {
	case Camera:
		l := s.Lens
		// the 16 numbers of a camera, in the order of the schema
		core := []float64{l.Focal, l.Wide, l.ShiftX, l.Tall, l.ShiftY, cmp.Or(l.Squeeze, 1), l.Overscan[0], l.Overscan[1], l.Overscan[2], l.Overscan[3], l.Stop, l.Focus, l.Open, l.Close, cmp.Or(l.Near, 0.1), cmp.Or(l.Far, 1e5)}
		w.scalar(g.sub(".core", "", 1, podDouble, 16), raw(core))
	case Mesh, Points:
		// every geometry has its box, and readers frame by it
		w.scalar(g.sub(".selfBnds", "interpretation=box", 1, podDouble, 6), raw(bounds(s.P)))
		// a value for each vertex; of points, for each of a number that varies
		scope := "geoScope=vtx;"
		if o.Kind == Points {
			scope = "geoScope=var;"
		}
		w.array(g.sub("P", scope+"interpretation=point", 2, podFloat, 3), raw(s.P), n)
		if o.Kind == Points {
			ids := s.IDs
			if ids == nil {
				ids = make([]uint64, n)
				for i := range ids {
					ids[i] = uint64(i)
				}
			}
			w.array(g.sub(".pointIds", scope, 2, podUint64, 1), raw(ids), n)
		} else {
			w.array(g.sub(".faceIndices", "geoScope=fvr", 2, podInt32, 1), raw(s.Faces), len(s.Faces))
			w.array(g.sub(".faceCounts", "geoScope=uni", 2, podInt32, 1), raw(s.Counts), len(s.Counts))
		}
		if s.V != nil {
			w.array(g.sub(".velocities", scope+"interpretation=vector", 2, podFloat, 3), raw(s.V), n)
		}
		if s.Widths != nil {
			w.array(g.sub(".widths", "geoScope=var;isGeomParam=true;podName=float32_t;podExtent=1;arrayExtent=1", 2, podFloat, 1), raw(s.Widths), n)
		}
		if len(s.Extra) > 0 {
			arb := g.sub(".arbGeomParams", "", 0, 0, 0)
			for _, e := range s.Extra {
				if len(e.V) != n*e.Comps {
					return fmt.Errorf("abc: %s: channel %s has %d values for %d points of %d", o.Name, e.Name, len(e.V), n, e.Comps)
				}
				meta := fmt.Sprintf("isGeomParam=true;%spodName=float32_t;podExtent=%d;arrayExtent=1", scope, e.Comps)
				if e.Comps == 3 {
					meta += ";interpretation=vector"
				}
				w.array(arb.sub(e.Name, meta, 2, podFloat, e.Comps), raw(e.V), n)
			}
		}
	}
	// the transform above the shape: one matrix, or nothing
	// Written for every sample, though it seldom changes: equal ones are only
	// counted.
	x := o.xform
	w.scalar(x.sub(".inherits", "", 1, podBool, 1), []byte{1})
	if s.Matrix != nil {
		// an operation is a byte: its kind in the upper four bits (3: a matrix) and
		// hints
		w.scalar(x.sub(".ops", "", 1, podUint8, 1), []byte{3 << 4}) // one matrix
		w.scalar(x.sub(".vals", "", 1, podDouble, 16), raw(s.Matrix[:]))
		w.scalar(x.sub("isNotConstantIdentity", "", 1, podBool, 1), []byte{1})
	}
	o.samples++
	w.most = max(w.most, o.samples)
	return w.err
}

// sub is a property within a compound; it is made where it isn't there.
func (p *prop) sub(name, meta string, kind, pod, extent int) *prop {
	for _, s := range p.under {
		if s.name == name {
			return s
		}
	}
	s := &prop{name: name, meta: strings.TrimSuffix(meta, ";"), kind: kind, pod: pod, extent: extent, even: true, one: true}
	p.under = append(p.under, s)
	return s
}

func (w *Writer) scalar(p *prop, b []byte) { w.sample(p, b, 1) }

func (w *Writer) array(p *prop, b []byte, entries int) { w.sample(p, b, entries) }

// sample stores a value; one that equals the last is only counted.
func (w *Writer) sample(p *prop, b []byte, entries int) {
	// The format's own hash isn't needed: readers want equal keys for equal values,
	// nothing else.
	key := highwayhash.Sum128(b, hashKey[:])
	// A still mesh costs its points once: later samples are only counted, and the
	// header says from when to when anything changed.
	changed := p.n == 0 || key != p.prev || entries != p.length
	// arrays whose length changes are told so in the header
	if p.n > 0 && entries != p.length {
		p.even = false
	}
	p.one = p.one && entries == 1
	if changed {
		if p.n > 0 && p.first == 0 {
			p.first = p.n
		}
		if p.n > 0 {
			// samples since the last change repeat what was last written
			// The format counts entries from the first change to the last without a
			// hole, so values that came back to what they were in between must be
			// listed again.
			for i := p.last + 1; p.first < p.n && i < p.n; i++ {
				p.refs = append(p.refs, p.prevRef)
			}
			p.last = p.n
		}
		ref := uint64(dataBit)
		if len(b) > 0 {
			ref = w.data(key[:], b)
		}
		p.refs = append(p.refs, ref)
		p.prevRef, p.prev, p.length = ref, key, entries
	}
	p.n++
}

// write writes a property's group and returns its reference.
func (w *Writer) write(p *prop) uint64 {
	var refs []uint64
	switch p.kind {
	case 1:
		refs = p.refs
	case 2:
		for _, r := range p.refs {
			// dimensions: one axis, whose length the data's size tells
			refs = append(refs, r, dataBit)
		}
	default:
		var head []byte
		for _, s := range p.under {
			refs = append(refs, w.write(s))
		}
		for _, s := range p.under {
			head = w.header(head, s)
		}
		if len(head) > 0 {
			refs = append(refs, w.data(head))
		}
	}
	return w.group(refs)
}

// header appends a property's header.
// Bits of the first word: 0–1 kind, 2–3 width of counts, 4–7 type, 8 has a sampling,
// 9 says where it changes, 10 all samples have one length, 11 constant, 12–19
// extent, 20–27 metadata.
func (w *Writer) header(b []byte, p *prop) []byte {
	// one width serves all counts of a header
	// the smallest of 1, 2, 4 bytes that holds the largest count
	widest := max(len(p.meta), len(p.name), p.n, 1)
	hint := uint32(0)
	if widest > 255 {
		hint = 1
	}
	if widest > 65535 {
		hint = 2
	}
	num := func(v int) {
		switch hint {
		case 0:
			b = append(b, byte(v))
		case 1:
			b = binary.LittleEndian.AppendUint16(b, uint16(v))
		default:
			b = binary.LittleEndian.AppendUint32(b, uint32(v))
		}
	}
	// by number where the table holds it
	meta := w.meta(p.meta)
	info := hint<<2 | uint32(meta)<<20
	given := false
	if p.kind > 0 {
		info |= uint32(p.kind) | uint32(p.pod)<<4 | 1<<8 | uint32(p.extent)<<12
		// Kind 1 with the lowest bit of kind 2: an array of one entry each time.
		if p.one {
			info |= 1
		}
		if p.even {
			info |= 1 << 10
		}
		switch {
		case p.first == 0 && p.last == 0:
			info |= 1 << 11
		case p.first != 1 || p.last != p.n-1:
			given = true
			info |= 1 << 9
		}
	}
	b = binary.LittleEndian.AppendUint32(b, info)
	if p.kind > 0 {
		num(p.n)
		if given {
			num(p.first)
			num(p.last)
		}
		// Every property moves at the shot's rate.
		num(1) // the archive's own time sampling
	}
	num(len(p.name))
	b = append(b, p.name...)
	if meta == 255 {
		num(len(p.meta))
		b = append(b, p.meta...)
	}
	return b
}

// meta is a text's number in the table.
func (w *Writer) meta(text string) byte {
	if n := slices.Index(w.metas, text); n >= 0 {
		return byte(n)
	}
	// A length is a byte in the table, and 255 stands for "in full".
	if len(text) > 255 || len(w.metas) > 254 {
		return 255
	}
	w.metas = append(w.metas, text)
	return byte(len(w.metas) - 1)
}

// child is an object below another, written already.
type child struct {
	name, meta string
	ref        uint64
}

// node writes an object's group.
// Written from the leaves up, as a group can only refer to what is in the file.
func (w *Writer) node(props *prop, under []child) uint64 {
	// an object's group: its properties, its children, the children's headers
	refs := []uint64{w.write(props)}
	var head []byte
	for _, c := range under {
		refs = append(refs, c.ref)
		head = binary.LittleEndian.AppendUint32(head, uint32(len(c.name)))
		head = append(head, c.name...)
		n := w.meta(c.meta)
		if head = append(head, n); n == 255 {
			head = binary.LittleEndian.AppendUint32(head, uint32(len(c.meta)))
			head = append(head, c.meta...)
		}
	}
	// two hashes of 16 bytes: of the properties, and of the children
	// readers compare them to find equal objects; they only need to differ
	one, two := highwayhash.Sum128(fmt.Append(nil, props.name, w.at), hashKey[:]), highwayhash.Sum128(head, hashKey[:])
	return w.group(append(refs, w.data(head, one[:], two[:])))
}

// Close writes what holds the samples together; only then the file is
// complete.
//
// Objects, then the table of metadata, the samplings, the root; last the root's
// place and the byte that says that the file is whole.
func (w *Writer) Close() error {
	var tops []child
	for _, o := range w.objects {
		if o.samples == 0 {
			continue
		}
		// the titles are what readers know a kind by
		title := schemas[o.Kind]
		// The name that follows custom, by which people find the shape below its
		// transform.
		shape := child{o.Name + "Shape", "schema=" + title + ";schemaBaseType=AbcGeom_GeomBase_v1;schemaObjTitle=" + title + ":.geom", w.node(&prop{under: []*prop{o.top}}, nil)}
		tops = append(tops, child{o.Name, "schema=AbcGeom_Xform_v3;schemaObjTitle=AbcGeom_Xform_v3:.xform", w.node(&prop{under: []*prop{o.xform}}, []child{shape})})
	}
	top := w.node(&prop{}, tops)
	le := binary.LittleEndian
	// the root's first two parts: the format's version, the library's
	zero := w.data(le.AppendUint32(nil, 0))
	version := w.data(le.AppendUint32(nil, 10803))
	about := w.data([]byte("_ai_Application=" + clean(w.info.App) + ";_ai_Description=" + clean(w.info.Note) + ";_ai_AlembicVersion=1.8.3"))
	// number 0 is the identity sampling, which every file has; 1 is ours
	var times []byte
	for _, t := range []struct {
		n           int
		cycle, from float64
	}{{1, 1, 0}, {w.most, 1 / w.info.Rate, w.info.First / w.info.Rate}} {
		times = le.AppendUint32(times, uint32(t.n))
		times = le.AppendUint64(times, math.Float64bits(t.cycle))
		times = le.AppendUint32(times, 1)
		times = le.AppendUint64(times, math.Float64bits(t.from))
	}
	sampling := w.data(times)
	var table []byte
	for _, m := range w.metas[1:] {
		table = append(append(table, byte(len(m))), m...)
	}
	root := w.group([]uint64{zero, version, top, about, sampling, w.data(table)})
	if w.err != nil {
		return w.err
	}
	if _, err := w.to.Seek(8, io.SeekStart); err != nil {
		return err
	}
	w.put(le.AppendUint64(nil, root))
	if w.err != nil {
		return w.err
	}
	// Last of all, after the root's place: a file with the mark is whole.
	if _, err := w.to.Seek(5, io.SeekStart); err != nil {
		return err
	}
	w.put([]byte{255})
	return w.err
}

// clean keeps text from being read as further metadata.
func clean(s string) string { return strings.NewReplacer(";", ",", "=", ":").Replace(s) }

// bounds are the box of points, as six numbers.
func bounds(p []float32) []float64 {
	b := make([]float64, 6)
	if len(p) < 3 {
		return b
	}
	lo, hi := [3]float32(p[:3]), [3]float32(p[:3])
	for ; len(p) >= 3; p = p[3:] {
		for a, v := range p[:3] {
			lo[a], hi[a] = min(lo[a], v), max(hi[a], v)
		}
	}
	for a := range lo {
		b[a], b[a+3] = float64(lo[a]), float64(hi[a])
	}
	return b
}

// hashKey is no secret: values are told apart by their hashes, not kept safe by them.
var hashKey [highwayhash.Size]byte

// raw are numbers as bytes; where memory holds them in the file's order they aren't copied.
func raw[T uint8 | int32 | uint64 | float32 | float64](v []T) []byte {
	if len(v) == 0 {
		return nil
	}
	if littleEndian {
		return unsafe.Slice((*byte)(unsafe.Pointer(&v[0])), len(v)*int(unsafe.Sizeof(v[0])))
	}
	var b bytes.Buffer
	binary.Write(&b, binary.LittleEndian, v)
	return b.Bytes()
}

var littleEndian = binary.NativeEndian.Uint16([]byte{1, 0}) == 1
