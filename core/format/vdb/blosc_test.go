package vdb

import (
	"bytes"
	"encoding/binary"
	"math/rand/v2"
	"strings"
	"testing"

	kzlib "github.com/klauspost/compress/zlib"
	"github.com/klauspost/compress/zstd"
)

func smooth(n int) []byte {
	b := make([]byte, n)
	for i := range b {
		b[i] = byte(i / 7)
	}
	return b
}

func TestBloscRoundTrip(t *testing.T) {
	rng := rand.New(rand.NewPCG(1, 2))
	var c codec
	for _, size := range []int{1, 2, 4, 6, 8, 12} {
		for _, n := range []int{0, 10, 47, 48, 100, 511, 512, 2048, 6144, 10000} {
			data := smooth(n / size * size)
			for i := 0; i < len(data); i += 97 {
				data[i] = byte(rng.Uint32())
			}
			frame := c.blosc(data, size)
			if frame == nil {
				continue // not worth it: stored as it is
			}
			if len(frame) >= len(data) {
				t.Errorf("%d bytes of %d grew to %d", n, size, len(frame))
			}
			out := make([]byte, len(data))
			if err := unblosc(out, frame); err != nil || !bytes.Equal(out, data) {
				t.Errorf("%d bytes in elements of %d: %v", n, size, err)
			}
		}
	}
	noise := make([]byte, 2048)
	for i := range noise {
		noise[i] = byte(rng.Uint32())
	}
	if c.blosc(noise, 4) != nil {
		t.Error("noise was said to shrink")
	}
}

func TestShuffleAndBack(t *testing.T) {
	for _, size := range []int{1, 2, 3, 4, 8} {
		for _, n := range []int{0, size, 5 * size, 64 * size, 64*size + 1} {
			in := smooth(n)
			mid, out := make([]byte, n), make([]byte, n)
			shuffle(mid, in, size)
			unshuffle(out, mid, size)
			if !bytes.Equal(in, out) {
				t.Errorf("size %d, %d bytes", size, n)
			}
		}
	}
}

// frame builds a Blosc frame of one unsplit block by hand.
func frame(plain, packed []byte, flags byte) []byte {
	f := make([]byte, bloscHeader+8)
	f[0], f[1], f[2], f[3] = 2, 1, flags|flagWhole, 4
	binary.LittleEndian.PutUint32(f[4:], uint32(len(plain)))
	binary.LittleEndian.PutUint32(f[8:], uint32(len(plain)))
	binary.LittleEndian.PutUint32(f[12:], uint32(bloscHeader+8+len(packed)))
	binary.LittleEndian.PutUint32(f[16:], bloscHeader+4)
	binary.LittleEndian.PutUint32(f[20:], uint32(len(packed)))
	return append(f, packed...)
}

func TestOtherCodecsAreRead(t *testing.T) {
	plain := smooth(2000)
	var z bytes.Buffer
	w := kzlib.NewWriter(&z)
	w.Write(plain)
	w.Close()
	e, _ := zstd.NewWriter(nil)
	for name, f := range map[string][]byte{
		"zlib":   frame(plain, z.Bytes(), codecZlib<<5),
		"zstd":   frame(plain, e.EncodeAll(plain, nil), codecZstd<<5),
		"stored": append(frame(plain, nil, flagStored)[:bloscHeader], plain...),
	} {
		out := make([]byte, len(plain))
		if err := unblosc(out, f); err != nil || !bytes.Equal(out, plain) {
			t.Errorf("%s: %v", name, err)
		}
	}
	for _, c := range []struct {
		says string
		f    []byte
	}{
		{"codec 2", frame(plain, smooth(30), codecSnappy<<5)},
		{"bit shuffle", frame(plain, smooth(30), flagBitwise)},
		{"damaged LZ4", frame(plain, smooth(30), codecLZ4<<5)},
		{"damaged zip", frame(plain, smooth(30), codecZlib<<5)},
		{"no header", smooth(5)},
		{"holds 1999", frame(plain[:1999], nil, 0)},
	} {
		if err := unblosc(make([]byte, len(plain)), c.f); err == nil || !strings.Contains(err.Error(), c.says) {
			t.Errorf("%s: %v", c.says, err)
		}
	}
}

func TestTransforms(t *testing.T) {
	grids := sample([3]int{}, [3]int{9, 9, 9})[:1]
	for name, m := range map[string][4][4]float64{
		"uniform": {{0.5}, {0, 0.5}, {0, 0, 0.5}, {1, 2, 3, 1}},
		"scaled":  {{0.5}, {0, 2}, {0, 0, 0.25}, {1, 2, 3, 1}},
		"turned":  {{0, 0, 0.5}, {0.5, 0, 0}, {0, 0.5, 0}, {-1, 0, 7, 1}},
	} {
		grids[0].Transform = Transform{M: m, Linear: true}
		b, err := Encode(grids, Options{})
		if err != nil {
			t.Fatal(err)
		}
		f, err := Decode(b, DefaultLimits)
		if err != nil || f.Grids[0].Transform.M != m {
			t.Errorf("%s: %v %v", name, f.Grids[0].Transform.M, err)
		}
		if v := f.Grids[0].Transform.VoxelSize(); name != "scaled" && v != [3]float64{0.5, 0.5, 0.5} {
			t.Errorf("%s: voxels of %v", name, v)
		}
	}
}

func TestOnlyWhatCanBeWrittenIs(t *testing.T) {
	g := sample([3]int{}, [3]int{4, 4, 4})[0]
	g.Type = Double
	if _, err := Encode([]*Grid{g}, Options{}); err == nil || !strings.Contains(err.Error(), "double") {
		t.Error(err)
	}
	g.Type, g.Transform.Linear = Float, false
	if _, err := Encode([]*Grid{g}, Options{}); err == nil || !strings.Contains(err.Error(), "linear") {
		t.Error(err)
	}
	a := sample([3]int{}, [3]int{4, 4, 4})[0]
	b, err := Encode([]*Grid{a, a}, Options{})
	if err != nil {
		t.Fatal(err)
	}
	if f, err := Decode(b, DefaultLimits); err != nil || len(f.Grids) != 2 || f.Grids[1].Name != "density" {
		t.Errorf("two grids of one name: %v", err)
	}
	empty := FromDense("none", [3]int{}, [3]int{8, 8, 8}, [][]float32{make([]float32, 512)}, 0, 0, nil)
	if b, err = Encode([]*Grid{empty}, Options{Compression: Blosc}); err != nil {
		t.Fatal(err)
	}
	if f, err := Decode(b, DefaultLimits); err != nil || f.Grids[0].Inspect().Active != 0 {
		t.Errorf("an empty grid: %v", err)
	}
}

func TestDenseRefusesWrongArrays(t *testing.T) {
	g := sample([3]int{}, [3]int{4, 4, 4})[0]
	if err := g.Dense([3]int{}, [3]int{4, 4, 4}, [][]float32{make([]float32, 63)}); err == nil {
		t.Error("an array of the wrong size was taken")
	}
	if err := g.Dense([3]int{}, [3]int{4, 4, 4}, nil); err == nil {
		t.Error("no array was taken")
	}
}
