package run

import (
	"bytes"
	"encoding/binary"
	"math"
	"os"
	"path/filepath"
	"reflect"
	"strings"
	"testing"

	"zarf/core/grid"
	"zarf/core/look"
	"zarf/core/shot"
	"zarf/core/shot/val"
	"zarf/studio/cache"
)

func wetShot() *shot.Shot {
	s := shot.New("wet")
	val.Last.Set(s.Self, 4)
	d := s.Add(shot.Domain)
	val.Fluid.Set(d, "liquid")
	val.Size.Set(d, 0.6, 0.5, 0.4)
	val.Voxel.Set(d, 0.05)
	val.Position.Set(d, 0, 0.25, 0)
	e := s.Add(shot.Emitter)
	val.Form.Set(e, "box")
	val.Size.Set(e, 0.3, 0.3, 0.3)
	val.Position.Set(e, -0.1, 0.2, 0)
	val.Pours.Set(e, "once")
	return s
}

// rippledShot is wetShot with a finer surface.
func rippledShot() *shot.Shot {
	s := wetShot()
	val.Ripples.Set(s.Of(shot.Domain)[0], "3")
	return s
}

func number(b []byte) float64 {
	return float64(math.Float32frombits(binary.LittleEndian.Uint32(b)))
}

// The preview that is made with a frame is what would be made from its file; a
// frame whose preview is gone or damaged is shown all the same.
func TestThePreviewIsTheFrames(t *testing.T) {
	crew := grid.NewCrew(2)
	for name, s := range map[string]*shot.Shot{"fire": fireShot(), "upres": fineShot(), "liquid": wetShot(), "ripples": rippledShot()} {
		c := open(t)
		mustRun(t, c, s, 1, 3, 2)
		src, err := Open(s, "", c)
		if err != nil {
			t.Fatal(err)
		}
		rec, ok := src.Stage.Get(3)
		path := filepath.Join(src.Stage.Dir, "frame.0003.view")
		if info, err := os.Stat(path); !ok || err != nil || rec.View != info.Size() || rec.View == 0 {
			t.Fatalf("%s: %+v %v", name, rec, err)
		}
		h, data, err := src.View(3, ViewSize, false, crew)
		if err != nil || len(data) == 0 {
			t.Fatalf("%s: %v", name, err)
		}
		b, _ := os.ReadFile(path)
		for what, spoil := range map[string]func() error{
			"a flipped bit": func() error { b := bytes.Clone(b); b[len(b)/2] ^= 4; return os.WriteFile(path, b, 0o644) },
			"half a file":   func() error { return os.WriteFile(path, b[:len(b)/2], 0o644) },
			"no file":       func() error { return os.Remove(path) },
		} {
			if err := spoil(); err != nil {
				t.Fatal(err)
			}
			if src.Stage.ReadView(3) != nil {
				t.Errorf("%s: %s: the preview was read", name, what)
			}
			h2, data2, err := src.View(3, ViewSize, false, crew)
			far := 0.0 // files of fire and of surfaces hold halves
			for i := range data {
				far = max(far, math.Abs(float64(data[i])-float64(data2[i])))
			}
			if h.Liquid {
				far = 0
				for i := range 3 * h.Vertices {
					a, b := number(data[4*i:]), number(data2[4*i:])
					far = max(far, math.Abs(a-b)/1e-4)
				}
				if !bytes.Equal(data[12*h.Vertices:], data2[12*h.Vertices:]) {
					t.Errorf("%s: %s: other triangles", name, what)
				}
			}
			close := math.Abs(h.Top/max(h2.Top, 1e-9)-1) < 1e-3 || h.Top == h2.Top
			if h.Top = h2.Top; err != nil || !reflect.DeepEqual(h, h2) || !close || far > 1 {
				t.Errorf("%s: %s: %v\n%+v\n%+v, %d and %d bytes", name, what, err, h, h2, len(data), len(data2))
			}
		}
		src.Stage.Drop(2)
		if left, _ := filepath.Glob(filepath.Join(src.Stage.Dir, "frame.0002.*")); len(left) > 0 {
			t.Errorf("%s: a dropped frame leaves %v", name, left)
		}
	}
}

// A run with upres keeps coarse frames too: their preview is that of the shot
// without it.
func TestThePreviewUnderUpres(t *testing.T) {
	a, b := open(t), open(t)
	mustRun(t, a, fineShot(), 1, 3, 2)
	mustRun(t, b, fireShot(), 1, 3, 2)
	var views [2][]byte
	for n, c := range []*cache.Cache{a, b} {
		src, err := Open(fireShot(), "", c)
		if err != nil {
			t.Fatal(err)
		}
		if views[n] = src.Stage.ReadView(3); views[n] == nil {
			t.Fatal("no preview")
		}
	}
	if !bytes.Equal(views[0], views[1]) {
		h, _, _ := unpackView(views[0])
		g, _, _ := unpackView(views[1])
		t.Errorf("under upres %+v, alone %+v", h, g)
	}
}

// The preview alone is read: the frame's file may even be unreadable.
func TestThePreviewNeedsNoFrame(t *testing.T) {
	c := open(t)
	s := puffShot()
	mustRun(t, c, s, 1, 2, 2)
	src, _ := Open(s, "", c)
	rec, _ := src.Stage.Get(2)
	if err := os.WriteFile(src.Stage.Path(2), bytes.Repeat([]byte{7}, int(rec.Size)), 0o644); err != nil {
		t.Fatal(err)
	}
	if _, _, err := src.View(2, ViewSize, false, grid.NewCrew(1)); err != nil {
		t.Errorf("the preview: %v", err)
	}
	if _, _, err := src.View(2, 32, false, grid.NewCrew(1)); err == nil || !strings.Contains(err.Error(), "damaged") {
		t.Errorf("another size: %v", err)
	}
	if _, _, err := src.View(99, ViewSize, false, grid.NewCrew(1)); err == nil || !strings.Contains(err.Error(), "not in the cache") {
		t.Errorf("a frame that isn't there: %v", err)
	}
}

func TestViewsThatArentOnes(t *testing.T) {
	for _, b := range [][]byte{nil, {1, 2}, {255, 255, 255, 255, '{', '}'}, {2, 0, 0, 0, '{', '{'}} {
		if _, _, ok := unpackView(b); ok {
			t.Errorf("%v was taken", b)
		}
	}
}

// A liquid that glows by its heat shows a skin of that glow, hot ones brighter than cold ones.
func TestHotLiquidGlowsOnThePage(t *testing.T) {
	var light [2]look.RGB
	for i, kelvin := range []float64{1500, 1000} {
		s := wetShot()
		d := s.Of(shot.Domain)[0]
		val.CarriesHeat.Set(d, true)
		val.Temperature.Set(s.Of(shot.Emitter)[0], kelvin)
		set := s.Looks[0]
		val.LiquidAs.Set(set, "opaque")
		val.LiquidGlow.Set(set, 2)
		val.LiquidGlowBy.Set(set, "heat")
		val.LiquidColour.Set(set, 0.05, 0.05, 0.05)
		c := open(t)
		mustRun(t, c, s, 1, 2, 2)
		src, err := Open(s, "", c)
		if err != nil {
			t.Fatal(err)
		}
		out, _, err := src.Screen(2, ViewSize, "", s, set, grid.NewCrew(2))
		if err != nil {
			t.Fatal(err)
		}
		light[i] = out.Light.Liquid.Colour.Scale(out.Light.Liquid.Glow)
	}
	if hot, cold := light[0], light[1]; !(hot[0] > 1.5 && hot[0] > 2*hot[2] && cold[0] < hot[0]/5) {
		t.Errorf("at 1500 K the skin gives off %v, at 1000 K %v", hot, cold)
	}
}

// A view of smoke that is kept finer than the run's voxels shows it where it is.
func TestViewsOfFineSmoke(t *testing.T) {
	crew := grid.NewCrew(1)
	middle := func(fine string) (m [3]float64, voxel float64) {
		s := puffShot()
		d := s.Of(shot.Domain)[0]
		val.Bounds.Set(d, "follow")
		val.SmokeBy.Set(d, "points")
		val.SmokeFine.Set(d, fine)
		c := open(t)
		mustRun(t, c, s, 1, 3, 1)
		src, err := Open(s, "", c)
		if err != nil {
			t.Fatal(err)
		}
		h, data, err := src.View(3, ViewSize, false, crew)
		if err != nil {
			t.Fatal(err)
		}
		if src.Stage.ReadView(3) == nil {
			t.Error("no view was kept with the frame")
		}
		all, stride := 0.0, len(data)/(h.Dims[0]*h.Dims[1]*h.Dims[2])
		for n := 0; n < len(data); n += stride {
			i := n / stride
			w := float64(data[n]) * float64(data[n])
			all += w
			for a, at := range [3]int{i % h.Dims[0], i / h.Dims[0] % h.Dims[1], i / h.Dims[0] / h.Dims[1]} {
				m[a] += w * (h.Min[a] + (float64(at)+0.5)*(h.Max[a]-h.Min[a])/float64(h.Dims[a]))
			}
		}
		for a := range m {
			m[a] /= all
		}
		_, voxel, _ = src.Grid()
		return m, voxel
	}
	plain, h := middle("1")
	fine, half := middle("2")
	if half != h/2 {
		t.Errorf("voxels of %g m, of %g finer", h, half)
	}
	for a := range plain {
		if math.Abs(plain[a]-fine[a]) > 0.5*h {
			t.Errorf("the smoke is shown about %v, kept finer about %v", plain, fine)
		}
	}
}
