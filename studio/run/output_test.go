package run

import (
	"bytes"
	"context"
	"image"
	"image/png"
	"math"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"zarf/core/asset"
	"zarf/core/format/exr"
	"zarf/core/format/hdr"
	"zarf/core/grid"
	"zarf/core/look"
	"zarf/core/shot"
	"zarf/core/shot/val"
)

func renderOne(t *testing.T, s *shot.Shot, values shot.Values) (dir string, err error) {
	t.Helper()
	c := open(t)
	mustRun(t, c, s, 1, 3, 2)
	if err := s.Looks[0].PutAll(values); err != nil {
		t.Fatal(err)
	}
	dir = t.TempDir()
	r := Render{Take: s, Now: s, From: 3, To: 3, Width: 48, Height: 27, Samples: 4, Dir: dir, Name: "x"}
	return dir, r.Do(context.Background(), c, quiet)
}

// Every kind of file opens and holds the same picture.
func TestEveryKindOfFile(t *testing.T) {
	for _, kind := range []string{"png8", "png16", "exr", "exr32", "hdr"} {
		for _, method := range []string{"march", "path"} {
			dir, err := renderOne(t, fireShot(), shot.With(val.File.Is(kind), val.Method.Is(method), val.Denoise.Is(0.5)))
			if err != nil {
				t.Fatal(kind, err)
			}
			files, _ := filepath.Glob(filepath.Join(dir, "x.0003.*"))
			if len(files) != 1 {
				t.Fatalf("%s: %v", kind, files)
			}
			b, _ := os.ReadFile(files[0])
			w, h := 0, 0
			switch kind {
			case "exr", "exr32":
				m, err := exr.Decode(b, exr.DefaultLimits)
				if err != nil {
					t.Fatal(err)
				}
				w, h = m.W, m.H
				for _, n := range []string{"R", "A", "Z", "emission.R", "sun.G", "fire.B", "motion.X", "albedo.R", "normal.Z"} {
					if m.Channel(n) == nil {
						t.Errorf("%s %s has no channel %s", kind, method, n)
					}
				}
				if m.Meta["frame"] != "3" {
					t.Errorf("%v", m.Meta)
				}
			case "hdr":
				if w, h, _, err = hdr.Read(b); err != nil {
					t.Fatal(err)
				}
			default:
				img, err := png.Decode(bytes.NewReader(b))
				if err != nil {
					t.Fatal(err)
				}
				w, h = img.Bounds().Dx(), img.Bounds().Dy()
				if _, deep := img.(*image.NRGBA64); deep != (kind == "png16") {
					if _, deep = img.(*image.RGBA64); deep != (kind == "png16") {
						t.Errorf("%s came as %T", kind, img)
					}
				}
			}
			if w != 48 || h != 27 {
				t.Errorf("%s: %d x %d", kind, w, h)
			}
			if _, err := os.Stat(filepath.Join(dir, TinyDir, "x.0003.png")); err != nil {
				t.Errorf("%s: no small picture: %v", kind, err)
			}
		}
	}
}

// Straight and premultiplied PNGs are the same picture.
func TestAlphaKinds(t *testing.T) {
	load := func(kind string) *image.NRGBA {
		dir, err := renderOne(t, fireShot(), shot.With(val.Background.Is("none"), val.Ground.Is(false), val.Alpha.Is(kind)))
		if err != nil {
			t.Fatal(err)
		}
		f, err := os.Open(filepath.Join(dir, "x.0003.png"))
		if err != nil {
			t.Fatal(err)
		}
		defer f.Close()
		img, err := png.Decode(f)
		if err != nil {
			t.Fatal(err)
		}
		n, ok := img.(*image.NRGBA)
		if !ok {
			t.Fatalf("%T", img)
		}
		return n
	}
	a, b := load("straight"), load("over")
	soft := 0
	for i := 0; i < len(a.Pix); i += 4 {
		if a.Pix[i+3] != b.Pix[i+3] {
			t.Fatalf("alpha %d and %d", a.Pix[i+3], b.Pix[i+3])
		}
		if a.Pix[i+3] > 10 && a.Pix[i+3] < 245 {
			soft++
		}
		for c := range 3 {
			if want := float64(a.Pix[i+c]) * float64(a.Pix[i+3]) / 255; math.Abs(want-float64(b.Pix[i+c])) > 1.6 {
				t.Fatalf("pixel %d: %v straight, %v premultiplied", i/4, a.Pix[i:i+4], b.Pix[i:i+4])
			}
		}
	}
	if soft == 0 {
		t.Error("nothing was half transparent")
	}
}

// What can't be had is said by name.
func TestBadLooksAreExplained(t *testing.T) {
	for _, c := range []struct {
		values shot.Values
		say    string
	}{
		{shot.With(val.Background.Is("plate")), "none is brought in"},
		{shot.With(val.Background.Is("plate"), val.Plate.Is(strings.Repeat("ab", 16)+"/gone.png")), "missing"},
		{shot.With(val.SkyPicture.Is(strings.Repeat("cd", 16) + "/sky.exr")), "picture of the sky"},
	} {
		s := fireShot()
		s.Attach(asset.New(asset.NewMemory()))
		if _, err := renderOne(t, s, c.values); err == nil || !strings.Contains(err.Error(), c.say) {
			t.Errorf("%v: %v, want words with %q", c.values, err, c.say)
		}
	}
	s := fireShot()
	val.CacheTemperature.Set(s.Of(shot.Domain)[0], false)
	if _, err := renderOne(t, s, shot.With(val.SmokeFrom.Is("temperature"))); err == nil || !strings.Contains(err.Error(), "smoke from temperature") {
		t.Errorf("a channel that isn't there: %v", err)
	}
}

// Without light the job says why the picture is black, and makes it.
func TestDarkPicturesSayWhy(t *testing.T) {
	c := open(t)
	s := fireShot()
	mustRun(t, c, s, 1, 2, 2)
	for _, k := range []val.NumKey{val.SunStrength, val.SkyStrength, val.Flame, val.FlameLight} {
		k.Set(s.Looks[0], 0)
	}
	var said string
	r := Render{Take: s, Now: s, From: 2, To: 2, Width: 32, Height: 18, Samples: 1, Dir: t.TempDir(), Name: "x"}
	if err := r.Do(context.Background(), c, func(p Progress) { said += strings.Join(p.Notes, "\n") }); err != nil {
		t.Fatal(err)
	}
	if !strings.Contains(said, "nothing gives light") {
		t.Errorf("it said %q", said)
	}
}

// A picture that doesn't fit is refused before it is begun.
func TestPicturesMustFit(t *testing.T) {
	c := open(t)
	s := fireShot()
	mustRun(t, c, s, 1, 1, 2)
	src, _ := Open(s, "", c)
	sc, err := src.Scene(1, s, s.Looks[0], grid.NewCrew(1))
	if err != nil {
		t.Fatal(err)
	}
	l := look.At(s.Looks[0], 1)
	l.File = "exr"
	if err := fits(sc, 8192, 8192, wants(&l), 4<<30); err == nil || !strings.Contains(err.Error(), "8192 x 8192") || !strings.Contains(err.Error(), "layers") {
		t.Errorf("%v", err)
	}
	if err := fits(sc, 960, 540, wants(&l), 4<<30); err != nil {
		t.Error(err)
	}
}

// A look that is tried out is read in straight lines unless it is smooth everywhere.
func TestFinalsAreSmooth(t *testing.T) {
	c := open(t)
	s := fireShot()
	mustRun(t, c, s, 1, 1, 2)
	src, _ := Open(s, "", c)
	for choice, want := range map[string][2]bool{"finals": {true, false}, "always": {true, true}, "lines": {false, false}} {
		val.Between.Set(s.Looks[0], choice)
		for i, trying := range []bool{false, true} {
			src.Trying = trying
			sc, err := src.Scene(1, s, s.Looks[0], grid.NewCrew(1))
			if err != nil {
				t.Fatal(err)
			}
			if sc.Look.Smooth != want[i] {
				t.Errorf("%s, tried out %v: smooth is %v", choice, trying, sc.Look.Smooth)
			}
		}
	}
}

// A range has the same bytes on any number of threads, and one that was
// stopped goes on where it ended.
func TestRangesAreTheSameOnAnyThreads(t *testing.T) {
	c := open(t)
	s := fireShot()
	mustRun(t, c, s, 1, 6, 2)
	val.Method.Set(s.Looks[0], "path")
	all := func(threads int, stop int) string {
		dir := t.TempDir()
		r := Render{Take: s, Now: s, From: 1, To: 6, Width: 32, Height: 18, Samples: 4, Dir: dir, Name: "x", Threads: threads}
		if stop > 0 {
			ctx, cancel := context.WithCancel(context.Background())
			n := 0
			if err := r.Do(ctx, c, func(Progress) {
				if n++; n == stop {
					cancel()
				}
			}); err == nil {
				t.Error("a stopped range ended as if whole")
			}
		}
		if err := r.Do(context.Background(), c, quiet); err != nil {
			t.Fatal(err)
		}
		var sum []byte
		for f := 1; f <= 6; f++ {
			b, err := os.ReadFile(filepath.Join(dir, r.File(f, "png")))
			if err != nil {
				t.Fatal(err)
			}
			sum = append(sum, b...)
		}
		return string(sum)
	}
	want := all(1, 0)
	if all(2, 0) != want || all(2, 2) != want {
		t.Error("the pictures differ")
	}
}
