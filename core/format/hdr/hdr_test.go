package hdr

import (
	"bytes"
	"math"
	"strings"
	"testing"
)

// Every channel comes back to within a step of the pixel's brightest.
func TestRoundTrip(t *testing.T) {
	for _, size := range [][2]int{{3, 5}, {40, 7}, {300, 2}} {
		w, h := size[0], size[1]
		rgb := make([]float32, 3*w*h)
		for i := range rgb {
			rgb[i] = float32(math.Exp(6*math.Sin(float64(i/40)*0.7))) * float32(1+i%3)
		}
		var b bytes.Buffer
		if err := Write(&b, w, h, rgb); err != nil {
			t.Fatal(err)
		}
		gw, gh, got, err := Read(b.Bytes())
		if err != nil || gw != w || gh != h {
			t.Fatal(gw, gh, err)
		}
		for i := range rgb {
			top := max(rgb[i/3*3], rgb[i/3*3+1], rgb[i/3*3+2])
			if d := math.Abs(float64(got[i] - rgb[i])); d > float64(top)/256 {
				t.Fatalf("value %d: %g became %g", i, rgb[i], got[i])
			}
		}
	}
}

func TestOddValues(t *testing.T) {
	nan := float32(math.NaN())
	for _, c := range [][3]float32{{0, 0, 0}, {-1, -2, 0}, {nan, nan, nan}} {
		if p := Encode(c[0], c[1], c[2]); p != [4]byte{} {
			t.Errorf("%v became %v", c, p)
		}
	}
	if p := Encode(1, -5, 0); p[1] != 0 || p[0] != 128 || p[3] != 129 {
		t.Errorf("%v", p)
	}
}

func TestHostileFilesAreRefused(t *testing.T) {
	var b bytes.Buffer
	Write(&b, 40, 6, make([]float32, 3*40*6))
	good := b.Bytes()
	for n := range len(good) - 1 {
		if _, _, _, err := Read(good[:n]); err == nil {
			t.Fatalf("%d of %d bytes were read", n, len(good))
		}
	}
	for _, bad := range []string{"#?RADIANCE\n\n-Y 99999 +X 99999\n", "#?RADIANCE\n\n+X 4 -Y 4\n", "#?RADIANCE\n\n-Y 1 +X 8\n\x02\x02\x00\x08\xff\x00"} {
		if _, _, _, err := Read([]byte(bad)); err == nil || !strings.HasPrefix(err.Error(), "hdr: ") {
			t.Errorf("%q: %v", bad, err)
		}
	}
}

func FuzzRead(f *testing.F) {
	var b bytes.Buffer
	Write(&b, 20, 3, make([]float32, 180))
	f.Add(b.Bytes())
	f.Fuzz(func(t *testing.T, b []byte) { Read(b) })
}
