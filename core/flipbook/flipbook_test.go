package flipbook

import (
	"math"
	"reflect"
	"strings"
	"testing"

	"zarf/core/grid"
)

var one = grid.NewCrew(1)

// cloud is a picture of a few soft blobs, moved by a map.
func cloud(w, h int, where func(x, y float64) (float64, float64)) *Tile {
	t := NewTile(w, h, 4)
	for y := range h {
		for x := range w {
			px, py := where(float64(x)+0.5, float64(y)+0.5)
			d := 0.0
			for n := range 9 {
				cx, cy, r := float64(w)*(0.3+0.05*float64(n*7%9)), float64(h)*(0.3+0.05*float64(n*5%9)), float64(w)*(0.03+0.006*float64(n))
				d += math.Exp(-((px-cx)*(px-cx) + (py-cy)*(py-cy)) / (r * r))
			}
			a := 1 - math.Exp(-d)
			i := y*w + x
			t.Planes[0][i], t.Planes[1][i], t.Planes[2][i], t.Planes[3][i] = float32(a*0.9), float32(a*a*0.6), float32(a*a*a*0.3), float32(a)
		}
	}
	return t
}

func still(x, y float64) (float64, float64) { return x, y }

func shift(dx, dy float64) func(x, y float64) (float64, float64) {
	return func(x, y float64) (float64, float64) { return x - dx, y - dy }
}

// inside is the mean error of a flow over what can be seen, pixels.
func inside(f *Flow, t *Tile, true_ func(x, y float64) (u, v float64)) float64 {
	sum, n := 0.0, 0
	for i, a := range t.Planes[3] {
		if a < 0.1 {
			continue
		}
		u, v := true_(float64(i%t.W)+0.5, float64(i/t.W)+0.5)
		sum += math.Hypot(float64(f.U[i])-u, float64(f.V[i])-v)
		n++
	}
	return sum / float64(n)
}

func TestFlowOfShiftTurnAndGrowth(t *testing.T) {
	const n = 128
	a := cloud(n, n, still)
	s, c := math.Sincos(0.1)
	for what, m := range map[string]struct {
		back func(x, y float64) (float64, float64) // where a place of the later picture was
		most float64
	}{
		"shift by 3.3, −2.6": {shift(3.3, -2.6), 0.15},
		"shift by 14, 9":     {shift(14, 9), 0.3},
		"turn by 0.1":        {func(x, y float64) (float64, float64) { x, y = x-64, y-64; return 64 + c*x + s*y, 64 - s*x + c*y }, 0.25},
		"growth by 8 %":      {func(x, y float64) (float64, float64) { return 64 + (x-64)/1.08, 64 + (y-64)/1.08 }, 0.25},
	} {
		f := Motion(a, cloud(n, n, m.back), 256, one)
		// the way forward: the place whose earlier one is here, by fixed point
		err := inside(f, a, func(x, y float64) (float64, float64) {
			px, py := x, y
			for range 60 {
				bx, by := m.back(px, py)
				px, py = px+x-bx, py+y-by
			}
			return px - x, py - y
		})
		if t.Logf("%s: %.3f pixels off", what, err); err > m.most {
			t.Errorf("%s: %.3f pixels off, %.2f allowed", what, err, m.most)
		}
	}
}

func TestFlowIsTheSameOnAnyThreads(t *testing.T) {
	a, b := cloud(96, 64, still), cloud(96, 64, shift(4, 1))
	if !reflect.DeepEqual(Motion(a, b, 64, one), Motion(a, b, 64, grid.NewCrew(4))) {
		t.Error("flow differs with threads")
	}
}

// A picture between two by motion is nearer to the real one than a cross-fade.
func TestBetween(t *testing.T) {
	a, m, b := cloud(128, 128, still), cloud(128, 128, shift(5, 3)), cloud(128, 128, shift(10, 6))
	by := Difference(Between(a, b, Motion(a, b, 256, one), 0.5), m)
	fade := Difference(Mix(a, b, 0.5), m)
	if t.Logf("off by %.4f, cross-fade by %.4f", by, fade); by > fade/5 {
		t.Errorf("by motion it is off by %.4f, by cross-fade %.4f", by, fade)
	}
	if d := Difference(Between(a, b, Motion(a, b, 256, one), 0), a); d > 1e-6 {
		t.Errorf("at the start it is off by %g", d)
	}
}

func TestMask(t *testing.T) {
	a := cloud(64, 64, still)
	f := newFlow(64, 64)
	for i := range f.U {
		f.U[i] = 3
	}
	f.Mask(a)
	if f.U[0] != 0 || f.U[32*64+32] != 3 || f.Largest() != 3 {
		t.Errorf("corner %g, middle %g", f.U[0], f.U[32*64+32])
	}
}

func TestSpanAndFit(t *testing.T) {
	p := []float64{0, 0, 0.001, 0.5, 1, 0.7, 0.2, 0.01, 0.001, 0}
	if a, b, err := Span(p); err != nil || a != 3 || b != 7 {
		t.Errorf("from %d to %d, %v", a, b, err)
	}
	if _, _, err := Span([]float64{0, 0}); err == nil || !strings.Contains(err.Error(), "empty") {
		t.Errorf("nothing at all: %v", err)
	}
	if got := Fit(3, 7, 3); !reflect.DeepEqual(got, []int{3, 5, 7}) {
		t.Errorf("fits as %v", got)
	}
	if got := Fit(3, 4, 4); !reflect.DeepEqual(got, []int{3, 3, 4, 4}) {
		t.Errorf("few fit as %v", got)
	}
}

// A thing that goes round once in 20 frames has its seam found, whatever
// stands before.
func TestCutFindsThePeriod(t *testing.T) {
	var frames []*Tile
	for n := range 47 {
		s, c := math.Sincos(2 * math.Pi * float64(n) / 20)
		d := 0.0
		if n < 4 {
			d = 20 // something else, that never comes again
		}
		frames = append(frames, cloud(32, 32, shift(5*c+d, 5*s)))
	}
	seam, err := Cut(frames, 15, 100)
	if err != nil {
		t.Fatal(err)
	}
	if seam.From < 4 || (seam.To-seam.From+1)%20 != 0 || math.Abs(seam.Ratio()-1) > 0.25 {
		t.Errorf("loops frames %d to %d, ratio %.3f", seam.From, seam.To, seam.Ratio())
	}
	if _, err := Cut(frames, 47, 100); err == nil || !strings.Contains(err.Error(), "48 recorded") {
		t.Errorf("too long a loop: %v", err)
	}
	if seam, err := Cut(frames, 8, 19); err != nil || seam.To-seam.From+1 > 19 {
		t.Errorf("a loop of frames %d to %d for 19 tiles, %v", seam.From, seam.To, err)
	}
	if _, err := Cut(frames, 15, 12); err == nil || !strings.Contains(err.Error(), "12 tiles") {
		t.Errorf("more than there are tiles: %v", err)
	}
}

func TestBlendCloses(t *testing.T) {
	var frames []*Tile
	for n := range 24 {
		frames = append(frames, cloud(32, 32, shift(float64(n)*0.8-8, 0)))
	}
	open := Measure(frames[8:])
	loop, err := Blend(frames, 8)
	if err != nil {
		t.Fatal(err)
	}
	closed := Measure(loop)
	if t.Logf("seam %.2f → %.2f times the mean change", open.Ratio(), closed.Ratio()); closed.Ratio() > 1.6 || open.Ratio() < 3 {
		t.Errorf("seam %.2f, was %.2f", closed.Ratio(), open.Ratio())
	}
	if len(loop) != 16 || loop[0] != frames[8] || loop[7] != frames[15] {
		t.Errorf("%d frames, or the wrong ones stay", len(loop))
	}
	if _, err := Blend(frames[:9], 8); err == nil {
		t.Error("too few frames blend")
	}
}

func TestPlaceKeepsSums(t *testing.T) {
	src := cloud(96, 64, still)
	for _, p := range []Place{{Scale: 1}, {Scale: 0.7}, {Scale: 0.8, Turn: 0.4}, {Scale: 0.6, OffsetX: 0.05, OffsetY: -0.03, Pad: 2}} {
		out := p.Put(src, 48, 48, one)
		sum := func(t *Tile) (s float64) {
			for _, v := range t.Planes[3] {
				s += float64(v)
			}
			return s
		}
		iw := float64(48 - 2*p.Pad)
		fit := min(iw/96, iw/64) * p.Scale
		if got, want := sum(out), sum(src)*fit*fit; math.Abs(got/want-1) > 0.02 {
			t.Errorf("%+v: alpha adds up to %.1f, %.1f expected", p, got, want)
		}
	}
	// what isn't changed is not touched
	if out := (Place{Scale: 1}).Put(src, 96, 64, one); !reflect.DeepEqual(out, src) {
		t.Error("a frame of a tile's size comes out otherwise")
	}
	if out := (Place{Scale: 2, Pad: 5}).Put(src, 48, 48, one); out.Planes[3][4*48+20] != 0 || out.Planes[3][5*48+20] == 0 {
		t.Error("padding isn't kept clear, or is too wide")
	}
}

// Vectors turn with the picture.
func TestPlaceTurnsVectors(t *testing.T) {
	p := Place{Scale: 1, Turn: math.Pi / 2, OffsetX: 0.1}
	m := p.Shape(64, 64, 32, 32)
	if x, y := m[0]*4, m[2]*4; math.Abs(x) > 1e-9 || math.Abs(y-2) > 1e-9 { // to the right by 4, clockwise: down by 2
		t.Errorf("(4,0) becomes (%.2f,%.2f)", x, y)
	}
	a, b := cloud(64, 64, still), cloud(64, 64, shift(4, 0))
	f := Motion(p.Put(a, 32, 32, one), p.Put(b, 32, 32, one), 64, one)
	if err := inside(f, p.Put(a, 32, 32, one), func(x, y float64) (float64, float64) { return 0, 2 }); err > 0.2 {
		t.Errorf("the picture moves otherwise than its vectors: %.2f pixels", err)
	}
}

func TestGrid(t *testing.T) {
	g := Grid{Columns: 2, Rows: 2, W: 3, H: 2}
	var tiles []*Tile
	for n := range 3 {
		x := NewTile(3, 2, 2)
		for i := range x.Planes[1] {
			x.Planes[1][i] = float32(10*n + i)
		}
		tiles = append(tiles, x)
	}
	s := g.Sheet(tiles, []int{1, -1}, one)
	if s.W != 6 || s.H != 4 || s.Planes[0][1*6+4] != 14 || s.Planes[0][2*6+1] != 21 || s.Planes[0][3*6+5] != 0 || s.Planes[1][0] != 0 {
		t.Errorf("%v", s.Planes)
	}
	for want, c := range map[string]struct {
		g Grid
		n int
	}{
		"9 frames don't fit 2 by 4":   {Grid{2, 4, 64, 64}, 9},
		"no larger than 2048 pixels":  {Grid{8, 8, 4096, 4096}, 64},
		"0 by 8 tiles":                {Grid{0, 8, 4, 4}, 1},
		"8 by 8 tiles of 0 × 512 pix": {Grid{8, 8, 0, 512}, 1},
	} {
		if err := c.g.Check(c.n); err == nil || !strings.Contains(err.Error(), want) {
			t.Errorf("%s: %v", want, err)
		}
	}
	if err := (Grid{8, 8, 2048, 2048}).Check(64); err != nil {
		t.Error(err)
	}
}

func TestStraightSpreadsColour(t *testing.T) {
	x := cloud(64, 64, still)
	for i, a := range x.Planes[3] { // one hue everywhere
		x.Planes[0][i], x.Planes[1][i], x.Planes[2][i] = 0.8*a, 0.4*a, 0
	}
	Straight(x, []int{0, 1, 2}, 3)
	for i := range x.Planes[0] {
		if math.Abs(float64(x.Planes[0][i])-0.8) > 1e-3 || math.Abs(float64(x.Planes[1][i])-0.4) > 1e-3 {
			t.Fatalf("pixel %d,%d is %g %g", i%64, i/64, x.Planes[0][i], x.Planes[1][i])
		}
	}
}

func BenchmarkFlow512(b *testing.B) {
	p, q := cloud(512, 512, still), cloud(512, 512, shift(9, 4))
	for b.Loop() {
		Motion(p, q, 256, one)
	}
}
