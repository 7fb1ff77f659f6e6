package abc

import (
	"bytes"
	"encoding/binary"
	"io"
	"math"
	"reflect"
	"strings"
	"testing"
)

// seeker is a file in memory.
type seeker struct {
	b  []byte
	at int64
}

func (s *seeker) Write(p []byte) (int, error) {
	if need := s.at + int64(len(p)); need > int64(len(s.b)) {
		s.b = append(s.b, make([]byte, need-int64(len(s.b)))...)
	}
	copy(s.b[s.at:], p)
	s.at += int64(len(p))
	return len(p), nil
}

func (s *seeker) Seek(to int64, _ int) (int64, error) { s.at = to; return to, nil }

func square(z float32) *Sample {
	return &Sample{P: []float32{0, 0, z, 1, 0, z, 1, 1, z, 0, 1, z}, V: []float32{0, 0, 1, 0, 0, 1, 0, 0, 1, 0, 0, 1}, Counts: []int32{4}, Faces: []int32{3, 2, 1, 0}}
}

// film writes an archive with points whose number changes, a mesh that stands
// still for a while, and a camera.
func film(t testing.TB) ([]byte, map[string][]*Sample) {
	t.Helper()
	var to seeker
	w := NewWriter(&to, Info{App: "test", Note: "a=b; c", Rate: 24, First: 12})
	want := map[string][]*Sample{}
	put := func(o *Object, s *Sample) {
		t.Helper()
		if err := o.Add(s); err != nil {
			t.Fatal(err)
		}
		want["/"+o.Name+"/"+o.Name+"Shape"] = append(want["/"+o.Name+"/"+o.Name+"Shape"], s)
	}
	drops, plate, still, eye := w.Object("drops", Points), w.Object("plate", Mesh), w.Object("plate", Mesh), w.Object("eye", Camera)
	for i, n := range []int{1, 1, 3, 0, 2, 2} {
		s := &Sample{P: []float32{}, V: []float32{}, IDs: []uint64{}, Widths: []float32{}, Extra: []Extra{{"age", 1, []float32{}}, {"tint", 3, []float32{}}}}
		for k := range n {
			f := float32(10*i + k)
			s.P, s.V = append(s.P, f, f+0.25, -f), append(s.V, 1, f, 2)
			s.IDs, s.Widths = append(s.IDs, uint64(7+k)<<33), append(s.Widths, 0.5)
			s.Extra[0].V, s.Extra[1].V = append(s.Extra[0].V, f/8), append(s.Extra[1].V, f, 0, 1)
		}
		put(drops, s)
		// changes at samples 2 and 4 only
		put(plate, square([]float32{0, 0, 1, 1, 2, 2}[i]))
		put(still, square(5))
		m := identity()
		m[12] = float64(i)
		put(eye, &Sample{Lens: Lens{Focal: 35, Wide: 3.6, Tall: 2.025, Stop: 4, Focus: float64(100 + i), Squeeze: 1, Near: 0.1, Far: 1e5, Close: 1. / 48}, Matrix: &m})
	}
	if err := w.Close(); err != nil {
		t.Fatal(err)
	}
	return to.b, want
}

func TestRoundTrip(t *testing.T) {
	b, want := film(t)
	a, err := Decode(b)
	if err != nil {
		t.Fatal(err)
	}
	if a.About["_ai_Application"] != "test" || a.About["_ai_Description"] != "a:b, c" || len(a.Notes) > 0 {
		t.Errorf("about: %v %v", a.About, a.Notes)
	}
	if len(a.Objects) != 4 || a.Objects[2].Path != "/plate_2/plate_2Shape" {
		t.Fatalf("%d objects", len(a.Objects))
	}
	for _, o := range a.Objects {
		if o.N != 6 || math.Abs(o.Cycle-1./24) > 1e-12 || o.First != 0.5 {
			t.Errorf("%s: %d samples of %g s from %g s", o.Path, o.N, o.Cycle, o.First)
		}
		for i, w := range want[o.Path] {
			s, err := o.Sample(i)
			if err != nil {
				t.Fatal(err)
			}
			if len(w.P) == 0 && o.Kind == Points { // empty, not unknown
				if len(s.P)+len(s.V)+len(s.IDs) != 0 {
					t.Errorf("%s sample %d holds %d points, none was written", o.Path, i, len(s.P)/3)
				}
				continue
			}
			if !reflect.DeepEqual(s, w) {
				t.Errorf("%s sample %d\n got %+v\nwant %+v", o.Path, i, s, w)
			}
		}
	}
}

// What repeats is stored once, and a still mesh costs no more than one sample.
func TestRepeatsAreShared(t *testing.T) {
	size := func(n int) int {
		var to seeker
		w := NewWriter(&to, Info{Rate: 25})
		o := w.Object("still", Mesh)
		big := &Sample{P: make([]float32, 3000), Counts: []int32{3}, Faces: []int32{0, 1, 2}}
		for range n {
			if err := o.Add(big); err != nil {
				t.Fatal(err)
			}
		}
		if err := w.Close(); err != nil {
			t.Fatal(err)
		}
		return len(to.b)
	}
	if one, many := size(1), size(200); many != one {
		t.Errorf("one sample takes %d bytes, 200 equal ones %d", one, many)
	}
}

// The words at the places that the layout gives them, so that reader and
// writer can't agree on something else.
func TestLayoutByHand(t *testing.T) {
	b, _ := film(t)
	le := binary.LittleEndian
	u64 := func(at uint64) uint64 { return le.Uint64(b[at:]) }
	if string(b[:8]) != "Ogawa\xff\x00\x01" {
		t.Fatalf("begins %q", b[:8])
	}
	root := u64(8)
	if u64(root) != 6 {
		t.Fatalf("the root has %d parts", u64(root))
	}
	block := func(ref uint64) []byte {
		if ref>>63 != 1 {
			t.Fatalf("%x is no data", ref)
		}
		at := ref &^ (1 << 63)
		return b[at+8 : at+8+u64(at)]
	}
	if v := block(u64(root + 8)); !bytes.Equal(v, []byte{0, 0, 0, 0}) {
		t.Errorf("layout version %v", v)
	}
	times := block(u64(root + 8 + 8*4))
	if len(times) != 48 || le.Uint32(times) != 1 || math.Float64frombits(le.Uint64(times[4:])) != 1 || le.Uint32(times[24:]) != 6 || math.Float64frombits(le.Uint64(times[28:])) != 1./24 || le.Uint32(times[36:]) != 1 || math.Float64frombits(le.Uint64(times[40:])) != 0.5 {
		t.Errorf("time samplings %v", times)
	}
	top := u64(root + 8 + 8*2)
	if n := u64(top); n != 6 { // properties, four children, headers
		t.Fatalf("the top has %d parts", n)
	}
	head := block(u64(top + 8 + 8*5))
	if le.Uint32(head) != 5 || string(head[4:9]) != "drops" || len(head) != 4*4+len("drops"+"plate"+"plate_2"+"eye")+4+32 {
		t.Errorf("headers of the top: %q", head)
	}
	// the mesh that never changes: its P is constant, of float × 3, an array
	plate := u64(top + 8 + 8*3)
	shape := u64(plate + 8 + 8*1)
	props := u64(shape + 8)
	geom := u64(props + 8)
	heads := block(u64(geom + 8*u64(geom)))
	at := bytes.Index(heads, []byte("\x01P"))
	info := le.Uint32(heads[at-6:])
	if info&3 != 2 || info>>4&15 != 10 || info>>12&255 != 3 || info>>11&1 != 1 || info>>8&1 != 1 || heads[at-2] != 6 || heads[at-1] != 1 {
		t.Errorf("header of P: %b, then %v", info, heads[at-2:at])
	}
	// P of that mesh: data of 16 + 48 bytes, and empty dimensions
	p := u64(geom + 8 + 8*1)
	if u64(p) != 2 || len(block(u64(p+8))) != 16+48 || u64(p+16) != 1<<63 {
		t.Errorf("P has %d parts", u64(p))
	}
}

func TestTransformsJoin(t *testing.T) {
	a, b := identity(), turn(0, 0, 1, 90)
	a[12] = 2
	m := times(a, b) // shifted along x, then turned to y
	if math.Abs(m[12]) > 1e-12 || math.Abs(m[13]-2) > 1e-12 {
		t.Errorf("moved to %g %g", m[12], m[13])
	}
}

func TestUnevenSamples(t *testing.T) {
	w := NewWriter(&seeker{}, Info{Rate: 24})
	for what, s := range map[string]*Sample{
		"velocities": {P: make([]float32, 6), V: make([]float32, 3)},
		"identities": {P: make([]float32, 6), IDs: make([]uint64, 1)},
		"channel":    {P: make([]float32, 6), Extra: []Extra{{"age", 1, make([]float32, 3)}}},
	} {
		if err := w.Object("x", Points).Add(s); err == nil || !strings.Contains(err.Error(), what) {
			t.Errorf("%s: %v", what, err)
		}
	}
}

type full struct{ seeker }

func (f *full) Write(p []byte) (int, error) {
	if f.at+int64(len(p)) > 2000 {
		return 0, io.ErrShortWrite
	}
	return f.seeker.Write(p)
}

func TestFullDisk(t *testing.T) {
	w := NewWriter(&full{}, Info{Rate: 24})
	o := w.Object("x", Points)
	var err error
	for range 50 {
		if err = o.Add(&Sample{P: []float32{1, 2, float32(o.samples)}}); err != nil {
			break
		}
	}
	if err == nil {
		t.Error("a full disk went unnoticed")
	}
	if err := w.Close(); err == nil {
		t.Error("closing says nothing of it")
	}
}

func TestHostile(t *testing.T) {
	b, _ := film(t)
	for what, bad := range map[string][]byte{
		"HDF5":       []byte("\x89HDF\r\n\x1a\n................"),
		"no Alembic": []byte("solid teapot, not at all a volume"),
		"finished":   append([]byte("Ogawa\x00"), b[6:]...),
		"beyond":     append([]byte("Ogawa\xff\x00\x01\xff\xff\xff\xff\xff\xff\x00\x00"), b[16:]...),
	} {
		if _, err := Decode(bad); err == nil || !strings.Contains(err.Error(), what) {
			t.Errorf("%s: %v", what, err)
		}
	}
	for n := 16; n < len(b); n += 97 { // cut off anywhere: an error, never a crash
		all(b[:n])
	}
	for n := range len(b) {
		c := bytes.Clone(b)
		c[n] ^= 0xff
		all(c)
	}
}

// all reads everything that a file says it holds.
func all(b []byte) error {
	a, err := Decode(b)
	if err != nil {
		return err
	}
	for _, o := range a.Objects {
		for i := range min(o.N, 8) {
			if _, err := o.Sample(i); err != nil {
				return err
			}
		}
	}
	return nil
}

func FuzzDecode(f *testing.F) {
	b, _ := film(f)
	f.Add(b)
	f.Add([]byte("Ogawa\xff\x00\x01"))
	f.Fuzz(func(t *testing.T, b []byte) { all(b) })
}
