package vec

import (
	"math"
	"testing"
)

// Every half comes back, and what lies between two goes to the nearer, ties to
// the even one.
func TestHalfIsExact(t *testing.T) {
	for h := range 0x10000 {
		f := Float(uint16(h))
		if f != f {
			if b := Half(f); b&0x7c00 != 0x7c00 || b&0x3ff == 0 {
				t.Fatalf("NaN %#x became %#x", h, b)
			}
			continue
		}
		if b := Half(f); b != uint16(h) {
			t.Fatalf("%#x (%g) became %#x", h, f, b)
		}
		if h&0x7fff >= 0x7bff {
			continue
		}
		next := Float(uint16(h + 1))
		mid := float32((float64(f) + float64(next)) / 2)
		want := uint16(h)
		if h&1 == 1 {
			want++
		}
		if b := Half(mid); b != want {
			t.Fatalf("halfway from %#x became %#x, want %#x", h, b, want)
		}
		if b := Half(math.Nextafter32(mid, next)); b != uint16(h+1) {
			t.Fatalf("just over halfway from %#x became %#x", h, b)
		}
	}
	if Half(65519) != 0x7bff || Half(65520) != 0x7c00 || Half(float32(math.Inf(-1))) != 0xfc00 {
		t.Error("the largest halves are wrong")
	}
}
