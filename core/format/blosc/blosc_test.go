package blosc

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
	var c Codec
	for _, size := range []int{1, 2, 4, 6, 8, 12} {
		for _, n := range []int{0, 10, 47, 48, 100, 511, 512, 2048, 6144, 10000} {
			data := smooth(n / size * size)
			for i := 0; i < len(data); i += 97 {
				data[i] = byte(rng.Uint32())
			}
			packed := c.Compress(data, size)
			if packed == nil {
				continue // not worth it: stored as it is
			}
			if len(packed) >= len(data) {
				t.Errorf("%d bytes of %d grew to %d", n, size, len(packed))
			}
			out := make([]byte, len(data))
			if err := Expand(out, packed); err != nil || !bytes.Equal(out, data) {
				t.Errorf("%d bytes in elements of %d: %v", n, size, err)
			}
		}
	}
	noise := make([]byte, 2048)
	for i := range noise {
		noise[i] = byte(rng.Uint32())
	}
	if c.Compress(noise, 4) != nil {
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

// packed builds a Blosc packed of one unsplit block by hand.
func packed(plain, packed []byte, flags byte) []byte {
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
		"zlib":   packed(plain, z.Bytes(), codecZlib<<5),
		"zstd":   packed(plain, e.EncodeAll(plain, nil), codecZstd<<5),
		"stored": append(packed(plain, nil, flagStored)[:bloscHeader], plain...),
	} {
		out := make([]byte, len(plain))
		if err := Expand(out, f); err != nil || !bytes.Equal(out, plain) {
			t.Errorf("%s: %v", name, err)
		}
	}
	for _, c := range []struct {
		says string
		f    []byte
	}{
		{"codec 2", packed(plain, smooth(30), codecSnappy<<5)},
		{"bit shuffle", packed(plain, smooth(30), flagBitwise)},
		{"damaged LZ4", packed(plain, smooth(30), codecLZ4<<5)},
		{"damaged zip", packed(plain, smooth(30), codecZlib<<5)},
		{"no header", smooth(5)},
		{"holds 1999", packed(plain[:1999], nil, 0)},
	} {
		if err := Expand(make([]byte, len(plain)), c.f); err == nil || !strings.Contains(err.Error(), c.says) {
			t.Errorf("%s: %v", c.says, err)
		}
	}
}
