package handover

import (
	"bytes"
	"context"
	"fmt"
	"image/png"
	"io"
	"math"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"zarf/core/format/exr"
	"zarf/core/pixel"
	"zarf/core/shot"
	"zarf/core/shot/val"
	"zarf/studio/cache"
)

// record writes n frames of a blob that flies to the right by step pixels a
// frame, of size by size pixels with all layers; frames before and after are
// empty.
func record(t testing.TB, size, n, step int, layers bool) string {
	t.Helper()
	dir := t.TempDir()
	for f := 1; f <= n; f++ {
		m := &exr.Image{W: size, H: size, Packed: true}
		planes := map[string][]float32{}
		for _, name := range layerOf {
			planes[name] = make([]float32, size*size)
		}
		strength := 1.0
		if f <= 3 || f > n-2 {
			strength = 0
		}
		for i := range size * size {
			x, y := float64(i%size), float64(i/size)
			cx, cy := float64(size)*0.3+float64(step*f), float64(size)/2
			r2 := ((x-cx)*(x-cx) + (y-cy)*(y-cy)) / float64(size*size)
			a := strength * math.Exp(-80*r2) * (0.8 + 0.2*math.Sin(x-float64(step*f))*math.Sin(y/2))
			set := func(name string, v float64) { planes[name][i] = float32(v) }
			set("R", a*1.5)
			set("G", a*0.5)
			set("B", a*0.1)
			set("A", a)
			set("emission.R", a*0.5)
			set("normal.Z", 1)
			set("heat.Y", 800*strength)
			set("Z", 1e10)
			if a > 1e-3 {
				set("Z", 4)
				set("motion.X", float64(step))
			}
			for k, name := range []string{"sides.right", "sides.left", "sides.top", "sides.bottom", "sides.back", "sides.front"} {
				set(name, a*float64(k+1)/6)
			}
		}
		for _, name := range layerOf {
			if layers || len(name) == 1 && name != "Z" {
				m.Channels = append(m.Channels, exr.Channel{Name: name, Pix: planes[name], Full: name == "Z"})
			}
		}
		if _, _, err := cache.WriteFile(filepath.Join(dir, fmt.Sprintf("rec.%04d.exr", f)), func(w io.Writer) error { return exr.Write(w, m, nil) }); err != nil {
			t.Fatal(err)
		}
	}
	return dir
}

func bookJob(s *shot.Shot, dir string, n int, more shot.Values) *Job {
	set := Set(val.What.Is("flipbook"), val.Columns.Is(4), val.Rows.Is(2), val.TileWide.Is(64), val.TileTall.Is(64), val.Pick.Is("range"))
	if err := set.PutAll(more); err != nil {
		panic(err)
	}
	return &Job{Take: s, Now: s, From: 1, To: n, Name: "b", Renders: dir, Settings: set}
}

// unsigned reads a channel as the manifest's formula says.
func unsigned(c float64, bits int) float64 {
	half := math.Exp2(float64(bits - 1))
	return (c*(2*half-1) - half) / (half - 1)
}

func emptyCache(t testing.TB) *cache.Cache {
	t.Helper()
	c, err := cache.Open(filepath.Join(t.TempDir(), "c"))
	if err != nil {
		t.Fatal(err)
	}
	return c
}

func picture(t *testing.T, j *Job, name string) (at func(x, y int) [4]float64, w, h int, data []byte) {
	t.Helper()
	data, err := os.ReadFile(filepath.Join(j.Dir, name))
	if err != nil {
		t.Fatal(err)
	}
	m, err := png.Decode(bytes.NewReader(data))
	if err != nil {
		t.Fatal(err)
	}
	return func(x, y int) [4]float64 {
		r, g, b, a := m.At(x, y).RGBA()
		if a == 0 {
			return [4]float64{}
		}
		return [4]float64{float64(r) / float64(a), float64(g) / float64(a), float64(b) / float64(a), float64(a) / 65535}
	}, m.Bounds().Dx(), m.Bounds().Dy(), data
}

// What a receiver reads from the atlas, by the manifest's own words, is what was
// recorded: colour, alpha, motion, normals, sides, packed channels.
func TestAtlasReadsAsRecorded(t *testing.T) {
	s := puff()
	dir := record(t, 64, 12, 3, true)
	j := bookJob(s, dir, 12, shot.With(val.Pick.Is("fit"), val.Columns.Is(4), val.Rows.Is(2), val.SheetNormals.Is(true), val.SheetSides.Is(true), val.SheetPacked.Is(true), val.SheetEmission.Is(true), val.PackR.Is("alpha"), val.PackG.Is("heat"), val.PackB.Is("depth"), val.Space.Is("linear"), val.SheetFile.Is("png16"), val.Vectors.Is("projected")))
	m := do(t, emptyCache(t), j)
	f := m.Flipbook
	if f.Picked[0] != 4 || f.Picked[7] != 10 || f.Tiles != 8 {
		t.Errorf("frames %v; the first light is 4, the last smoke 10", f.Picked)
	}
	if len(f.Sheets) != 7 {
		t.Fatalf("%d sheets", len(f.Sheets))
	}
	// the middle of the blob in tile 2
	fr := f.Picked[2]
	tx, ty := 2*64, 0
	px, py := int(64*0.3+float64(3*fr)), 32
	// as recorded
	t0, err := (&book{work: &work{Job: j}, at: map[int]int{}}).read(filepath.Join(dir, fmt.Sprintf("rec.%04d.exr", fr)), nil)
	if err != nil {
		t.Fatal(err)
	}
	a := float64(t0.Planes[3][py*64+px])
	col, w, h, data := picture(t, j, "b_colour.png")
	if w != 256 || h != 128 {
		t.Errorf("the atlas is %d × %d", w, h)
	}
	if tags := pixel.ReadTags(data); !tags.Linear || tags.Text["Alpha"] != "straight" {
		t.Errorf("the file says %+v", tags)
	}
	c := col(tx+px, ty+py)
	// alpha is raised so that the light, 1.5 a, can be told
	if math.Abs(c[0]*c[3]-1.5*a) > 0.02 && math.Abs(c[0]*c[3]-1) > 0.02 {
		t.Errorf("red × alpha is %.3f, %.3f was recorded", c[0]*c[3], 1.5*a)
	}
	if math.Abs(c[1]*c[3]-0.5*a) > 0.01 {
		t.Errorf("green × alpha is %.3f, %.3f was recorded", c[1]*c[3], 0.5*a)
	}
	mo, _, _, _ := picture(t, j, "b_motion.png")
	v := mo(tx+px, ty+py)
	got := unsigned(v[0], 16) * f.Motion.Largest * 64
	if want := float64(3 * (f.Picked[3] - f.Picked[2])); math.Abs(got-want) > 0.1 {
		t.Errorf("moves by %.2f pixels to the right, %.0f recorded", got, want)
	}
	if z := unsigned(mo(tx+1, ty+1)[0], 16); z != 0 {
		t.Errorf("where nothing is it moves by %g", z)
	}
	sides, _, _, _ := picture(t, j, "b_sides_a.png")
	q := sides(tx+px, ty+py)
	for k, want := range []float64{1. / 6, 3. / 6, 5. / 6} { // of alpha 1
		if math.Abs(q[k]-want) > 0.01 {
			t.Errorf("side %d is %.3f, %.3f recorded", k, q[k], want)
		}
	}
	pack, _, _, _ := picture(t, j, "b_packed.png")
	p := pack(tx+px, ty+py)
	if math.Abs(p[0]-a) > 0.01 || math.Abs(p[1]-1) > 0.01 || math.Abs(p[2]-1) > 0.01 || p[3] != 1 {
		t.Errorf("packed: %v; alpha %.3f, the hottest, the nearest", p, a)
	}
	if !strings.Contains(strings.Join(m.Notes, "|"), "temperature 1 is 800 kelvin") {
		t.Errorf("notes %v", m.Notes)
	}
	list, _ := os.ReadFile(filepath.Join(j.Dir, ChecklistName))
	for _, want := range []string{"4 columns by 2 rows of 64 × 64", "switch sRGB off", "(65535·c − 32768)/32767", "positive downwards"} {
		if !strings.Contains(string(list), want) {
			t.Errorf("the checklist lacks %q", want)
		}
	}
}

// sRGB in 8 bits: a linear grey of 0.2140 is 128 of 255.
func TestTransferAndAlphaKinds(t *testing.T) {
	dir := t.TempDir()
	for f := 1; f <= 2; f++ {
		m := &exr.Image{W: 16, H: 16}
		for c, v := range []float32{0.1070, 0.1070, 0.1070, 0.5} {
			m.Channels = append(m.Channels, exr.Channel{Name: []string{"R", "G", "B", "A"}[c], Pix: filled(256, v), Full: true})
		}
		var b bytes.Buffer
		if err := exr.Write(&b, m, nil); err != nil {
			t.Fatal(err)
		}
		os.WriteFile(filepath.Join(dir, fmt.Sprintf("x.%d.exr", f)), b.Bytes(), 0o644)
	}
	s := puff()
	for _, c := range []struct {
		space, alpha string
		want         float64
	}{{"srgb", "straight", 127.5}, {"linear", "straight", 0.214 * 255}, {"linear", "over", 0.107 * 255}, {"srgb", "over", 92.3}} {
		j := bookJob(s, dir, 2, shot.With(val.Columns.Is(2), val.Rows.Is(1), val.TileWide.Is(16), val.TileTall.Is(16), val.Space.Is(c.space), val.AlphaAs.Is(c.alpha), val.Vectors.Is("none")))
		m := do(t, emptyCache(t), j)
		data, _ := os.ReadFile(filepath.Join(j.Dir, "b_colour.png"))
		img, _ := png.Decode(bytes.NewReader(data))
		r, _, _, a := img.At(8, 8).RGBA()
		if got := float64(r) / float64(a) * 255; math.Abs(got-c.want) > 0.8 || math.Abs(float64(a)/65535-0.5) > 0.003 {
			t.Errorf("%s %s: %.1f with alpha %.3f, %.1f expected", c.space, c.alpha, got, float64(a)/65535, c.want)
		}
		if tags := pixel.ReadTags(data); tags.Linear != (c.space == "linear") || tags.Text["Alpha"] != m.Flipbook.Sheets[0].Alpha {
			t.Errorf("%s %s: the file says %+v, the manifest %s", c.space, c.alpha, tags, m.Flipbook.Sheets[0].Alpha)
		}
	}
}

func TestLoopsAndSequence(t *testing.T) {
	s := puff()
	dir := record(t, 48, 24, 1, false)
	j := bookJob(s, dir, 24, shot.With(val.Loop.Is("blend"), val.LoopOver.Is(4), val.SheetOut.Is("sequence"), val.Start.Is(0), val.Digits.Is(3), val.Pick.Is("fit")))
	m := do(t, emptyCache(t), j)
	if m.Flipbook.Seam == nil || m.Flipbook.Tiles != 8 || len(m.Files) != 16 || m.Files[0].Path != "colour/b_colour.000.png" {
		t.Errorf("%+v", m.Flipbook)
	}
	j = bookJob(s, dir, 24, shot.With(val.Loop.Is("cut"), val.LoopLeast.Is(4), val.Pick.Is("fit")))
	if m = do(t, emptyCache(t), j); m.Flipbook.Seam.Ratio < 1.5 || !strings.Contains(strings.Join(m.Notes, ""), "the loop jumps") {
		t.Errorf("what flies off can't loop: %+v %v", m.Flipbook.Seam, m.Notes)
	}
	if m.Flipbook.Motion.Between > m.Flipbook.Motion.Fade/1.5 {
		t.Errorf("pictures between are off by %.4f, cross-fades by %.4f", m.Flipbook.Motion.Between, m.Flipbook.Motion.Fade)
	}
}

func TestFlipbookRefusals(t *testing.T) {
	s := puff()
	dir := record(t, 24, 8, 1, false)
	mixed := record(t, 24, 2, 1, false)
	b, _ := os.ReadFile(filepath.Join(mixed, "rec.0001.exr"))
	os.WriteFile(filepath.Join(mixed, "rec.01.exr"), b, 0o644)
	two := record(t, 24, 2, 1, false)
	os.WriteFile(filepath.Join(two, "rec.0003.png"), nil, 0o644)
	odd := record(t, 24, 2, 1, false)
	b, _ = os.ReadFile(filepath.Join(record(t, 32, 1, 1, false), "rec.0001.exr"))
	os.WriteFile(filepath.Join(odd, "rec.0002.exr"), b, 0o644)
	for says, c := range map[string]struct {
		dir  string
		n    int
		more shot.Values
	}{
		"frames 9–12 are not rendered": {dir, 12, nil},
		"different digits":             {mixed, 2, nil},
		"both .exr and .png":           {two, 2, nil},
		"0002.exr is 32 × 32 pixels":   {odd, 2, nil},
		"no layer normal.X":            {dir, 8, shot.With(val.SheetNormals.Is(true))},
		"over 16384":                   {dir, 8, shot.With(val.Columns.Is(64), val.TileWide.Is(512))},
		"leaves nothing":               {dir, 8, shot.With(val.Padding.Is(32))},
		"no sheet is chosen":           {dir, 8, shot.With(val.SheetColour.Is("none"), val.Vectors.Is("none"))},
		"needs 13 recorded":            {dir, 8, shot.With(val.Loop.Is("cut"), val.Columns.Is(8), val.Rows.Is(2))},
		"every recorded frame is emp":  {record(t, 24, 4, 1, false), 3, nil},
	} {
		j := bookJob(s, c.dir, c.n, c.more)
		j.Dir = t.TempDir()
		if err := j.Do(context.Background(), emptyCache(t), quiet); err == nil || !strings.Contains(err.Error(), says) {
			t.Errorf("%s: %v", says, err)
		}
	}
	// what flies out of the picture is told
	m := do(t, emptyCache(t), bookJob(s, record(t, 24, 12, 2, false), 12, shot.With(val.Pick.Is("fit"), val.Vectors.Is("none"))))
	if !strings.Contains(strings.Join(m.Notes, "|"), "cut off by the recording's edge") {
		t.Errorf("what is cut off isn't told: %v", m.Notes)
	}
	// tiles that aren't square keep the frame's shape
	j := bookJob(s, dir, 8, shot.With(val.TileWide.Is(96), val.TileTall.Is(24), val.Vectors.Is("none")))
	do(t, emptyCache(t), j)
	at, w, h, _ := picture(t, j, "b_colour.png")
	if w != 384 || h != 48 || at(96+10, 24+12)[3] != 0 {
		t.Errorf("%d × %d, or the frame was stretched", w, h)
	}
}

// An EXR atlas opens in an independent reader with its size and channels.
func TestSheetInIndependentReader(t *testing.T) {
	if _, err := exec.LookPath("exrheader"); err != nil {
		t.Skip("openexr is not installed")
	}
	j := bookJob(puff(), record(t, 32, 8, 1, false), 8, shot.With(val.SheetFile.Is("exr")))
	do(t, emptyCache(t), j)
	out, err := exec.Command("exrheader", filepath.Join(j.Dir, "b_colour.exr")).CombinedOutput()
	if err != nil || !strings.Contains(string(out), "(0 0) - (255 127)") || !strings.Contains(string(out), "A, 16-bit") {
		t.Errorf("%v %s", err, out)
	}
}

func TestPicturesKeepAndTell(t *testing.T) {
	dir := record(t, 24, 6, 1, true)
	s := puff()
	j := &Job{Take: s, From: 2, To: 6, Name: "plate", Renders: dir, Settings: Set(val.What.Is("pictures"), val.Start.Is(1001), val.Step.Is(2))}
	m := do(t, emptyCache(t), j)
	a, _ := os.ReadFile(filepath.Join(dir, "rec.0004.exr"))
	b, err := os.ReadFile(filepath.Join(j.Dir, "exr", "plate.1002.exr"))
	if err != nil || !bytes.Equal(a, b) || m.Pictures.Alpha != "premultiplied" || m.Pictures.Width != 24 || !strings.Contains(strings.Join(m.Pictures.Layers, " "), "emission") {
		t.Errorf("%v %+v", err, m.Pictures)
	}
}

func TestPicturesOfTwoSizes(t *testing.T) {
	dir := record(t, 24, 3, 1, true)
	b, _ := os.ReadFile(filepath.Join(record(t, 32, 1, 1, true), "rec.0001.exr"))
	os.WriteFile(filepath.Join(dir, "rec.0002.exr"), b, 0o644)
	j := &Job{Take: puff(), From: 1, To: 3, Name: "x", Renders: dir, Dir: t.TempDir(), Settings: Set(val.What.Is("pictures"))}
	if err := j.Do(context.Background(), emptyCache(t), quiet); err == nil || !strings.Contains(err.Error(), "rec.0002.exr has another size, alpha or layers than rec.0001.exr") {
		t.Errorf("%v", err)
	}
}

// The atlas of the table of speeds: 64 frames, 4096², with motion vectors.
func BenchmarkAtlas4096(b *testing.B) {
	dir := record(b, 512, 64, 2, true)
	b.ResetTimer()
	for b.Loop() {
		j := bookJob(puff(), dir, 64, shot.With(val.Columns.Is(8), val.Rows.Is(8), val.TileWide.Is(512), val.TileTall.Is(512)))
		j.Dir = b.TempDir()
		if err := j.Do(context.Background(), emptyCache(b), quiet); err != nil {
			b.Fatal(err)
		}
	}
}
