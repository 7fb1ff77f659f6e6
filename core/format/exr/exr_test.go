package exr

import (
	"bytes"
	"math"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"zarf/core/vec"
)

func picture(w, h int, packed bool) *Image {
	m := &Image{W: w, H: h, Packed: packed, Meta: map[string]string{"shot": "BL090"}}
	for n, name := range []string{"R", "G", "B", "A", "Z", "emission.R", "a layer with quite a long name of its own.Y"} {
		pix := make([]float32, w*h)
		for i := range pix {
			pix[i] = float32(math.Sin(float64(i*(n+1))*0.01)) * float32(n+1)
		}
		m.Channels = append(m.Channels, Channel{name, name == "Z", pix})
	}
	return m
}

func TestRoundTrip(t *testing.T) {
	for _, packed := range []bool{false, true} {
		for _, size := range [][2]int{{1, 1}, {37, 41}, {64, 16}} {
			m := picture(size[0], size[1], packed)
			var b bytes.Buffer
			if err := Write(&b, m, nil); err != nil {
				t.Fatal(err)
			}
			got, err := Decode(b.Bytes(), DefaultLimits)
			if err != nil {
				t.Fatal(err)
			}
			if got.W != m.W || got.H != m.H || got.Meta["shot"] != "BL090" || len(got.Channels) != len(m.Channels) {
				t.Fatalf("%d x %d, %v", got.W, got.H, got.Meta)
			}
			for _, c := range m.Channels {
				for i, v := range got.Channel(c.Name) {
					want := c.Pix[i]
					if !c.Full {
						want = vec.Float(vec.Half(want))
					}
					if v != want {
						t.Fatalf("%s[%d] is %g, want %g", c.Name, i, v, want)
					}
				}
			}
		}
	}
}

// The format's own tool reads the header and finds every channel.
func TestReferenceToolReads(t *testing.T) {
	tool, err := exec.LookPath("exrheader")
	if err != nil {
		t.Skip("exrheader is not here")
	}
	for _, packed := range []bool{false, true} {
		path := filepath.Join(t.TempDir(), "x.exr")
		f, err := os.Create(path)
		if err != nil {
			t.Fatal(err)
		}
		if err := Write(f, picture(70, 50, packed), nil); err != nil {
			t.Fatal(err)
		}
		f.Close()
		out, err := exec.Command(tool, path).CombinedOutput()
		if err != nil {
			t.Fatalf("%v: %s", err, out)
		}
		for _, want := range []string{"emission.R, 16-bit floating-point", "Z, 32-bit floating-point", "(0 0) - (69 49)"} {
			if !strings.Contains(string(out), want) {
				t.Errorf("it doesn't say %q:\n%s", want, out)
			}
		}
		// and the pixels: the tool that packs anew must read them all
		if conv, err := exec.LookPath("exrmaketiled"); err == nil {
			to := filepath.Join(t.TempDir(), "y.exr")
			if out, err := exec.Command(conv, path, to).CombinedOutput(); err != nil {
				t.Errorf("%v: %s", err, out)
			}
		}
	}
}

func TestHostileFilesAreRefused(t *testing.T) {
	var b bytes.Buffer
	if err := Write(&b, picture(20, 20, true), nil); err != nil {
		t.Fatal(err)
	}
	good := b.Bytes()
	for n := 0; n < len(good); n += 7 {
		if _, err := Decode(good[:n], DefaultLimits); err == nil {
			t.Fatalf("the first %d of %d bytes were taken for a picture", n, len(good))
		}
	}
	if _, err := Decode(good, Limits{Pixels: 100, Channels: 64}); err == nil || !strings.Contains(err.Error(), "20 x 20") {
		t.Errorf("over the limit: %v", err)
	}
	tiled := bytes.Clone(good)
	tiled[5] |= 2
	if _, err := Decode(tiled, DefaultLimits); err == nil || !strings.Contains(err.Error(), "tiled") {
		t.Errorf("tiled: %v", err)
	}
	bad := picture(4, 4, false)
	bad.Channels[0].Pix = bad.Channels[0].Pix[:3]
	if err := Write(&b, bad, nil); err == nil {
		t.Error("a channel that is too short was written")
	}
}

func FuzzDecode(f *testing.F) {
	for _, packed := range []bool{false, true} {
		var b bytes.Buffer
		Write(&b, picture(9, 5, packed), nil)
		f.Add(b.Bytes())
	}
	f.Fuzz(func(t *testing.T, b []byte) {
		if m, err := Decode(b, Limits{Pixels: 1 << 16, Channels: 16}); err == nil && m.W*m.H > 1<<16 {
			t.Errorf("%d x %d", m.W, m.H)
		}
	})
}

// Channels that aren't asked for are left out, and the others are what they
// were.
func TestOnlySomeChannels(t *testing.T) {
	m := &Image{W: 7, H: 33, Packed: true}
	for c, name := range []string{"A", "B", "Z", "motion.X"} {
		pix := make([]float32, 7*33)
		for i := range pix {
			pix[i] = float32(c*256 + i)
		}
		m.Channels = append(m.Channels, Channel{Name: name, Full: name == "Z", Pix: pix})
	}
	var b bytes.Buffer
	if err := Write(&b, m, nil); err != nil {
		t.Fatal(err)
	}
	lim := DefaultLimits
	lim.Only = []string{"motion.X", "Z", "none"}
	got, err := Decode(b.Bytes(), lim)
	if err != nil {
		t.Fatal(err)
	}
	if len(got.Channels) != 2 || got.Channel("Z")[230] != 742 || got.Channel("motion.X")[5] != 773 {
		t.Errorf("%d channels, %v", len(got.Channels), got.Channel("Z"))
	}
}
