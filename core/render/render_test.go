package render

import (
	"math"
	"testing"
	"time"

	"zarf/core/geom"
	"zarf/core/grid"
	"zarf/core/look"
	"zarf/core/shot"
	"zarf/core/srgb"
)

func slab(n int, density float32) *grid.Field {
	f := grid.NewField(grid.Dims{NX: n, NY: n, NZ: n})
	for i := range f.Data {
		f.Data[i] = density
	}
	return f
}

// viewed is a scene of one cube of smoke seen from far along z.
func viewed(f *grid.Field, change func(l *look.Look)) *Scene {
	h := 1 / float64(f.NX)
	v, _ := NewVolume(f, h, geom.V(-0.5, -0.5, -0.5), grid.NewCrew(2))
	l := look.At(shot.NewElement(shot.Look, "", ""), 1)
	l.Ground, l.Background = false, "grey"
	change(&l)
	return &Scene{Volumes: []*Volume{v}, Look: l, Camera: NewCamera(geom.V(0, 0, 100), geom.Vec3{}, 20000)}
}

func mean(t *testing.T, sc *Scene, n, passes int) (look.RGB, float64) {
	t.Helper()
	p, err := New(sc, n, n, grid.NewCrew(2))
	if err != nil {
		t.Fatal(err)
	}
	for range passes {
		p.Pass(nil)
	}
	var sum look.RGB
	alpha := 0.0
	for y := range n {
		for x := range n {
			c, a := p.At(x, y)
			sum = sum.Add(c)
			alpha += a
		}
	}
	return sum.Scale(1 / float64(n*n)), alpha / float64(n*n)
}

func TestBeerLambert(t *testing.T) {
	for _, method := range []string{"march", "path"} {
		for _, tint := range []look.RGB{{2, 2, 2}, {1, 2, 3}} {
			sc := viewed(slab(16, 1), func(l *look.Look) {
				l.Method, l.Extinction, l.Scattering = method, tint, look.RGB{}
				l.Sun, l.Sky, l.Step = look.RGB{}, look.RGB{}, 0.5
			})
			passes, limit := 16, 0.002
			if method == "path" {
				passes, limit = 12000, 0.025
			}
			got, _ := mean(t, sc, 6, passes)
			for c := range 3 {
				want := 0.18 * math.Exp(-tint[c]*(1+1.0/16)) // half a voxel of border on either side
				if math.Abs(got[c]/want-1) > limit {
					t.Errorf("%s, extinction %v: channel %d is %g, want %g", method, tint, c, got[c], want)
				}
			}
		}
	}
}

// Smoke that absorbs nothing can't be seen under the same light from all round.
func TestWhiteFurnace(t *testing.T) {
	sc := viewed(slab(12, 1), func(l *look.Look) {
		l.Method, l.Even, l.Background = "path", true, "sky"
		l.Extinction, l.Scattering, l.Bounces = look.RGB{5, 5, 5}, look.RGB{5, 5, 5}, 64
		l.Sun = look.RGB{}
	})
	got, _ := mean(t, sc, 8, 800)
	for c := range 3 {
		if math.Abs(got[c]/sc.Look.Sky[c]-1) > 0.005 {
			t.Errorf("channel %d: %g under a sky of %g", c, got[c], sc.Look.Sky[c])
		}
	}
}

func TestAlpha(t *testing.T) {
	for _, method := range []string{"march", "path"} {
		sc := viewed(slab(16, 1), func(l *look.Look) {
			l.Method, l.Background, l.Extinction, l.Scattering = method, "none", look.RGB{2, 2, 2}, look.RGB{1, 1, 1}
		})
		_, a := mean(t, sc, 8, 60)
		if want := 1 - math.Exp(-2*(1+1.0/16)); math.Abs(a-want) > 0.03 {
			t.Errorf("%s: alpha %g, want %g", method, a, want)
		}
	}
}

func TestPhaseFunction(t *testing.T) {
	for _, g := range []float64{-0.8, 0, 0.3, 0.9} {
		s, m, n := 0.0, 0.0, 200000
		for i := range n {
			c := -1 + 2*(float64(i)+0.5)/float64(n)
			w := look.HenyeyGreenstein(g, c) * 4 * math.Pi / float64(n)
			s += w
			m += c * w
		}
		if math.Abs(s-1) > 1e-4 || math.Abs(m-g) > 1e-3 {
			t.Errorf("g = %g: integral %g, mean cosine %g", g, s, m)
		}
		// and what is drawn has the same mean cosine
		r := dice{7}
		d, drawn := geom.V(0.6, 0, 0.8), 0.0
		for range 40000 {
			drawn += scatterHG(d, g, &r).Dot(d) / 40000
		}
		if math.Abs(drawn-g) > 0.01 {
			t.Errorf("g = %g: drawn mean cosine %g", g, drawn)
		}
	}
}

func TestTransferIsExact(t *testing.T) {
	for _, c := range [][2]float64{{0, 0}, {1, 1}, {0.0031308, 0.04045}, {0.214041, 0.5}} {
		if got := srgb.Encode(c[0]); math.Abs(got-c[1]) > 1e-4 {
			t.Errorf("sRGB of %g is %g, want %g", c[0], got, c[1])
		}
	}
	for v, last := 0.0, -1.0; v < 5; v += 0.01 {
		x := look.View(v)
		if x <= last || x > 1 {
			t.Fatalf("the view transform is not rising at %g", v)
		}
		last = x
	}
}

func TestSameBitsOnAnyThreads(t *testing.T) {
	for _, method := range []string{"march", "path"} {
		sc := viewed(slab(8, 0.7), func(l *look.Look) { l.Method, l.Ground = method, true })
		var want []float32
		for _, n := range []int{1, 3} {
			p, _ := New(sc, 24, 16, grid.NewCrew(n))
			p.Pass(nil)
			p.Pass(nil)
			if want == nil {
				want = p.sum
				continue
			}
			for i := range want {
				if p.sum[i] != want[i] {
					t.Fatalf("%s: value %d differs between threads", method, i)
				}
			}
		}
	}
}

func TestShadowAndSolids(t *testing.T) {
	f := grid.NewField(grid.Dims{NX: 4, NY: 4, NZ: 4})
	for _, method := range []string{"march", "path"} {
		v, _ := NewVolume(f, 0.1, geom.V(50, 50, 50), grid.NewCrew(1))
		l := look.At(shot.NewElement(shot.Look, "", ""), 1)
		l.Method, l.SunDir = method, geom.V(0, 1, 0)
		ball := Solid{Shape: geom.Shape{Form: geom.Sphere, Centre: geom.V(0, 1.5, 0), Size: geom.V(1, 1, 1), Turn: geom.RotationXYZ(geom.Vec3{}), Taper: 1}, Colour: look.RGB{1, 0, 0}}
		sc := &Scene{Volumes: []*Volume{v}, Solids: []Solid{ball}, Look: l, Camera: NewCamera(geom.V(0, 2, 6), geom.V(0, 0.7, 0), 35)}
		p, err := New(sc, 65, 37, grid.NewCrew(2))
		if err != nil {
			t.Fatal(err)
		}
		for range 24 {
			p.Pass(nil)
		}
		at := func(q geom.Vec3) look.RGB { // the pixel that sees a point
			d := q.Sub(sc.Camera.Eye)
			z := d.Dot(sc.Camera.forward)
			x := (d.Dot(sc.Camera.right)/z/sc.Camera.spread + 1) * 65 / 2
			y := (37 - d.Dot(sc.Camera.up)/z/sc.Camera.spread*65) / 2
			c, _ := p.At(int(x), int(y))
			return c
		}
		if c := at(geom.V(0, 1.7, 0.45)); c[0] < 3*c[1] {
			t.Errorf("%s: the red ball is %v", method, c)
		}
		under, open := at(geom.V(0, 0, 0)), at(geom.V(2, 0, 0.5))
		if under[1] > 0.6*open[1] {
			t.Errorf("%s: ground under the ball %v, in the open %v", method, under, open)
		}
	}
}

func TestBadVoxelsAreCounted(t *testing.T) {
	f := slab(8, 1)
	f.Data[3], f.Data[9], f.Data[30] = -1, float32(math.NaN()), float32(math.Inf(1))
	if _, bad := NewVolume(f, 1, geom.Vec3{}, grid.NewCrew(1)); bad != 3 {
		t.Errorf("%d bad voxels, want 3", bad)
	}
}

func TestPicturesTooLargeAreRefused(t *testing.T) {
	if _, err := New(&Scene{}, 1<<16, 1<<16, grid.NewCrew(1)); err == nil {
		t.Error("a picture of 4 gigapixels was begun")
	}
}

// Several threads stop at once: under the race detector this once failed.
func TestStoppedPassDoesNotCount(t *testing.T) {
	sc := viewed(slab(4, 1), func(l *look.Look) {})
	p, _ := New(sc, 64, 64, grid.NewCrew(4))
	if p.Pass(func() bool { time.Sleep(time.Millisecond); return true }) || p.Samples != 0 {
		t.Error("a stopped pass counted")
	}
}

func valueOf(text string) shot.Value { return shot.Text(text) }

func TestFadeIsTheExponential(t *testing.T) {
	if fade(0) != 1 {
		t.Errorf("exp(0) is %v: it must be exactly 1", fade(0))
	}
	for x := 0.0; x < 90; x += 0.0137 {
		want := math.Exp(-float64(float32(x)))
		if got := float64(fade(float32(x))); math.Abs(got-want) > 4e-7*want+1e-37 {
			t.Fatalf("exp(-%v) is %v, want %v", x, got, want)
		}
	}
	for _, x := range []float32{200, float32(math.Inf(1)), float32(math.NaN())} {
		if fade(x) != 0 {
			t.Errorf("exp(-%v) is %v, want 0", x, fade(x))
		}
	}
}

// Grey smoke is gathered by a short cut; what is tinted or coloured is not, though it be
// white or all but grey. Light within coloured smoke is mixed between cells by depth, which
// this noise of voxels shows.
func TestGreyMarchIsTheColouredOne(t *testing.T) {
	f := slab(24, 0)
	for i := range f.Data {
		f.Data[i] = float32(0.5 + 0.5*math.Sin(float64(i)*0.37))
	}
	white := &look.Table{High: 1}
	for i := range white.V {
		white.V[i] = look.RGB{1, 1, 1}
	}
	take := func(tilt float64, tint *look.Table) *Picture {
		sc := viewed(f, func(l *look.Look) {
			l.Method = "march"
			l.Extinction = look.RGB{6, 6, 6 * (1 + tilt)}
			l.Scattering = look.RGB{5, 4, 3}
			l.Sun, l.SunDir = look.RGB{3, 2, 1}, geom.V(0.4, 0.8, 0.2).Unit()
			l.Bounces = 3
		})
		if tint != nil {
			sc.Volumes[0].tint, sc.Volumes[0].tintBy = tint, f
		}
		p, err := New(sc, 24, 24, grid.NewCrew(1))
		if err != nil {
			t.Fatal(err)
		}
		p.Pass(nil)
		return p
	}
	grey, bright := take(0, nil), 0.0
	for _, c := range []struct {
		name string
		p    *Picture
		most float64
	}{{"tinted", take(0, white), 1e-5}, {"coloured", take(1e-9, nil), 5e-3}} {
		for n := range 24 * 24 {
			a, aa := grey.At(n%24, n/24)
			b, ba := c.p.At(n%24, n/24)
			for k := range 3 {
				bright = max(bright, b[k])
				if math.Abs(a[k]-b[k]) > c.most*(1+b[k]) {
					t.Fatalf("pixel %d, %d: %v by the short cut, %v %s", n%24, n/24, a, b, c.name)
				}
			}
			if math.Abs(aa-ba) > 1e-5 {
				t.Fatalf("pixel %d, %d: alpha %v by the short cut, %v %s", n%24, n/24, aa, ba, c.name)
			}
		}
	}
	if bright < 0.1 {
		t.Fatalf("the picture is dark (%g): nothing was compared", bright)
	}
}

// Two volumes that stand behind each other look the same in whatever order they are
// listed: the near one hides the far one.
func TestVolumesHideWhatIsBehind(t *testing.T) {
	see := func(far, near int) look.RGB {
		sc := viewed(slab(8, 1), func(l *look.Look) {
			l.Method, l.Sky, l.Sun, l.Step = "march", look.RGB{}, look.RGB{5, 5, 5}, 1
			l.Extinction, l.Scattering, l.SunDir = look.RGB{20, 20, 20}, look.RGB{18, 18, 18}, geom.V(0, 0, 1)
		})
		dim, _ := NewVolume(slab(8, 0.05), 1.0/8, geom.V(-0.5, -0.5, -2.5), grid.NewCrew(1))
		list := []*Volume{sc.Volumes[0], dim}
		sc.Volumes = []*Volume{list[near], list[far]}
		c, _ := mean(t, sc, 4, 1)
		return c
	}
	if a, b := see(0, 1), see(1, 0); a != b || a.Max() < 0.05 {
		t.Errorf("%v with the near one first, %v with the far one", b, a)
	}
}
