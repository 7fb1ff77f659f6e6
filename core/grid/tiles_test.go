package grid

import (
	"math"
	"slices"
	"testing"
)

func TestTilesGiveSpans(t *testing.T) {
	tl := NewTiles(Dims{NX: 50, NY: 20, NZ: 9}, false)
	if tl.NX != 4 || tl.NY != 3 || tl.NZ != 2 {
		t.Fatalf("%v tiles", tl.Dims)
	}
	for _, p := range [][3]int{{0, 0, 0}, {1, 0, 0}, {3, 0, 0}, {2, 2, 1}} {
		tl.On[tl.Index(p[0], p[1], p[2])] = true
	}
	tl.Update()
	if got := tl.Spans(7, 7); !slices.Equal(got, []Span{{0, 32}, {48, 50}}) {
		t.Errorf("row (7,7): %v", got)
	}
	if got := tl.Spans(19, 8); !slices.Equal(got, []Span{{32, 48}}) {
		t.Errorf("row (19,8): %v", got)
	}
	if tl.Spans(8, 0) != nil || tl.Spans(-1, 0) != nil || tl.Spans(0, 9) != nil {
		t.Error("rows without tiles have spans")
	}
	if tl.Count != 4 || tl.Full() || !NewTiles(tl.Cells, true).Full() {
		t.Errorf("%d in use", tl.Count)
	}
}

func TestTilesGrow(t *testing.T) {
	tl := NewTiles(Dims{NX: 80, NY: 40, NZ: 40}, false)
	tl.On[tl.Index(2, 2, 2)] = true
	tl.Update()
	g := tl.Grown(1)
	if g.Count != 27 || !tl.Within(g) || g.Within(tl) {
		t.Errorf("%d tiles after growing one by one", g.Count)
	}
	if g := tl.Grown(9); !g.Full() {
		t.Errorf("%d of %d tiles after growing by nine", g.Count, len(g.On))
	}
	if tl.Count != 1 {
		t.Error("growing changed the set itself")
	}
}

func TestJoin(t *testing.T) {
	for _, c := range []struct{ a, b, want []Span }{
		{nil, nil, nil},
		{[]Span{{0, 4}}, nil, []Span{{0, 4}}},
		{nil, []Span{{2, 3}}, []Span{{2, 3}}},
		{[]Span{{0, 4}, {8, 10}}, []Span{{4, 8}}, []Span{{0, 10}}},
		{[]Span{{0, 4}}, []Span{{6, 9}}, []Span{{0, 4}, {6, 9}}},
		{[]Span{{3, 5}}, []Span{{0, 9}}, []Span{{0, 9}}},
	} {
		if got := Join(c.a, c.b); !slices.Equal(got, c.want) {
			t.Errorf("%v and %v: %v, want %v", c.a, c.b, got, c.want)
		}
	}
}

// Memory is taken where it is written to, a page at a time.
func TestArenaTakesWhatIsTouched(t *testing.T) {
	a := &Arena{}
	f := a.Floats(1 << 24)
	if r := a.Resident(); r > 1<<16 {
		t.Errorf("%d bytes before anything is written", r)
	}
	for i := range 1 << 16 {
		f[i*7%(1<<16)] = 1
	}
	if r := a.Resident(); r < 4<<16 || r > 5<<16 {
		t.Errorf("%d bytes for 2^16 values", r)
	}
	if f[1<<23] != 0 {
		t.Error("untouched memory isn't zero")
	}
	a.Free()
	if a.Resident() != 0 {
		t.Error("freed memory counts")
	}
	a.Free() // twice does no harm
}

// Cubic splines reproduce parabolas within, and never leave the range of the
// eight values round a point.
func TestCubicSamples(t *testing.T) {
	d := Dims{NX: 12, NY: 11, NZ: 10}
	f := NewField(d)
	poly := func(x, y, z float64) float64 { return 0.3*x*x - 0.2*x + 0.1*y*y + 0.5*y - 0.15*z*z + 2*z }
	for k := range d.NZ {
		for j := range d.NY {
			for i := range d.NX {
				f.Set(i, j, k, float32(poly(float64(i), float64(j), float64(k))))
			}
		}
	}
	for _, p := range [][3]float64{{4.3, 5.7, 3.9}, {2, 3, 4}, {7.5, 6.5, 5.5}} {
		got := float64(f.SampleCubic(float32(p[0]), float32(p[1]), float32(p[2])))
		if want := poly(p[0], p[1], p[2]); math.Abs(got-want) > 1e-3 {
			t.Errorf("at %v: %g, want %g", p, got, want)
		}
	}
	g := noisy(d, 8)
	for i := range 4000 {
		x, y, z := float32(i%131)/131*14-1, float32(i%97)/97*13-1, float32(i%89)/89*12-1
		lo, hi := g.NodeRange(x, y, z)
		if v := g.SampleCubic(x, y, z); v < lo-1e-6 || v > hi+1e-6 {
			t.Fatalf("at (%g %g %g): %g outside [%g, %g]", x, y, z, v, lo, hi)
		}
	}
	flat := noisy(Dims{NX: 5, NY: 4, NZ: 1}, 2)
	if v := flat.SampleCubic(2, 2, 0); math.Abs(float64(v-flat.At(2, 2, 0))) > 1e-6 {
		t.Errorf("at a value of a flat field: %g, want %g", v, flat.At(2, 2, 0))
	}
}

// Softening keeps the sum but for the borders, spreads a spike by the binomial
// weights, and leaves what is even alone.
func TestSoften(t *testing.T) {
	f := NewField(Dims{NX: 7, NY: 7, NZ: 7})
	f.Set(3, 3, 3, 64)
	g := Soften(f, NewCrew(2))
	sum := 0.0
	for _, v := range g.Data {
		sum += float64(v)
	}
	if g.At(3, 3, 3) != 8 || g.At(2, 3, 3) != 4 || g.At(2, 2, 2) != 1 || math.Abs(sum-64) > 1e-4 {
		t.Errorf("middle %g, beside %g, corner %g, sum %g", g.At(3, 3, 3), g.At(2, 3, 3), g.At(2, 2, 2), sum)
	}
	for i := range f.Data {
		f.Data[i] = 5
	}
	if lo, hi, _ := Soften(f, NewCrew(1)).Range(); lo != 5 || hi != 5 {
		t.Errorf("an even field became %g … %g", lo, hi)
	}
}
