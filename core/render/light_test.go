package render

import (
	"math"
	"testing"

	"zarf/core/geom"
	"zarf/core/grid"
	"zarf/core/look"
	"zarf/core/pixel"
)

// ground is the light of the open ground as seen from above, by paths.
func ground(t *testing.T, passes int, change func(*Scene)) look.RGB {
	t.Helper()
	l := fireLook("path")
	l.GroundColour = look.RGB{0.5, 0.5, 0.5}
	sc := &Scene{Look: l, Camera: NewCamera(geom.V(0, 3, 0.001), geom.V(0, 0, 0), 4000)}
	change(sc)
	p, err := New(sc, 8, 8, grid.NewCrew(2))
	if err != nil {
		t.Fatal(err)
	}
	var sum look.RGB
	for range passes {
		p.Pass(nil)
	}
	for i := range 64 {
		c, _ := p.At(i%8, i/8)
		sum = sum.Add(c.Scale(1.0 / 64))
	}
	return sum
}

// A ball of radiance L and radius R at distance d over the ground gives the
// irradiance π L R²/d².
func TestBallLampIsExact(t *testing.T) {
	got := ground(t, 200, func(s *Scene) {
		s.Lamps = []Lamp{{Ball: true, Centre: geom.V(0, 2, 0), Radius: 0.5, Radiance: look.RGB{4, 2, 1}}}
	})
	for c, l := range []float64{4, 2, 1} {
		if want := 0.5 * l * 0.25 / 4; math.Abs(got[c]/want-1) > 0.01 {
			t.Errorf("channel %d: %g, want %g", c, got[c], want)
		}
	}
}

// Under the middle of a panel of half widths a, b at height h facing down, the
// configuration factor is (2/π)(A/√(1+A²) atan(B/√(1+A²)) + the same with A and
// B changed) for each quarter's sum, with A = a/h and B = b/h.
func TestPanelLampIsExact(t *testing.T) {
	got := ground(t, 200, func(s *Scene) {
		l := NewPanel(geom.V(0, 2, 0), geom.V(0, 0, 0), 2, 1)
		l.Radiance = look.RGB{3, 3, 3}
		s.Lamps = []Lamp{l}
	})
	a, b := 0.5, 0.25
	f := func(x, y float64) float64 { return x / math.Sqrt(1+x*x) * math.Atan(y/math.Sqrt(1+x*x)) }
	want := 0.5 * 3 * 2 / math.Pi * (f(a, b) + f(b, a))
	if math.Abs(got[0]/want-1) > 0.01 {
		t.Errorf("%g, want %g", got[0], want)
	}
}

// A panorama that is bright in one pixel alone lights the ground by the solid
// angle of that pixel.
func TestPanoramaIsDrawnByItsLight(t *testing.T) {
	const w, h = 32, 16
	m := &pixel.Image{W: w, H: h, Pix: make([]float32, 4*w*h)}
	for c := range 3 {
		m.Pix[4*(3*w+5)+c] = 1000
	}
	got := ground(t, 400, func(s *Scene) {
		s.Env = NewEnv(m, 0.4)
		s.Look.Sky = look.RGB{1, 1, 1}
	})
	// bilinear light from the pixel, summed finely
	e, want, n := NewEnv(m, 0.4), 0.0, 800
	for y := range n {
		v := (float64(y) + 0.5) / float64(n)
		for x := range 2 * n {
			d := e.direction((float64(x)+0.5)/float64(2*n), v)
			if d.Y > 0 {
				want += e.At(d)[0] * d.Y * math.Sin(math.Pi*v) * math.Pi * math.Pi / float64(n*n) / math.Pi
			}
		}
	}
	if want *= 0.5; math.Abs(got[0]/want-1) > 0.02 {
		t.Errorf("%g, want %g", got[0], want)
	}
}

// What fire gives the ground is the same whether it is asked or only met by
// chance, and asking is far less noisy.
func TestAskingFireChangesNothingButNoise(t *testing.T) {
	l := fireLook("path")
	light := func(ask bool, passes int) (mean, spread float64) {
		v := ember(24, &l)
		sc := &Scene{Volumes: []*Volume{v}, Look: l, Camera: NewCamera(geom.V(1.5, 3, 0.001), geom.V(1.5, 0, 0), 200)}
		p, err := New(sc, 16, 16, grid.NewCrew(2))
		if err != nil {
			t.Fatal(err)
		}
		if !ask {
			sc.lights = 0
		}
		for range passes {
			p.Pass(nil)
		}
		var s, s2 float64
		for i := range 256 {
			c, _ := p.At(i%16, i/16)
			s, s2 = s+c[0]/256, s2+c[0]*c[0]/256
		}
		return s, math.Sqrt(max(s2-s*s, 0))
	}
	a, da := light(true, 1200)
	b, db := light(false, 4800)
	t.Logf("asked %g (spread %g), met %g (spread %g)", a, da, b, db)
	if a <= 0 || math.Abs(a/b-1) > 0.03 {
		t.Errorf("asked %g, met %g", a, b)
	}
	if da > db {
		t.Errorf("spread %g with a quarter of the samples, %g without asking", da, db)
	}
}

// Two lobes integrate to 1, and what is drawn has their mean cosine.
func TestTwoLobes(t *testing.T) {
	l := look.Lobes{G: 0.7, Back: -0.4, Share: 0.3}
	s, m, n := 0.0, 0.0, 200000
	for i := range n {
		c := -1 + 2*(float64(i)+0.5)/float64(n)
		s += l.At(c) * 4 * math.Pi / float64(n)
		m += c * l.At(c) * 4 * math.Pi / float64(n)
	}
	tr := trip{s: &Scene{Look: look.Look{Lobes: l}}, r: dice{5}}
	d, drawn := geom.V(0, 1, 0), 0.0
	for range 60000 {
		drawn += tr.scatter(d).Dot(d) / 60000
	}
	if math.Abs(s-1) > 1e-4 || math.Abs(m-drawn) > 0.01 {
		t.Errorf("integral %g, mean %g, drawn %g", s, m, drawn)
	}
}

// Layers of light add up to the beauty.
func TestLayersAddUp(t *testing.T) {
	for _, method := range []string{"march", "path"} {
		l := fireLook(method)
		l.Sun, l.Sky = look.RGB{1, 1, 1}, look.RGB{0.3, 0.4, 0.5}
		v := ember(16, &l)
		sc := &Scene{Volumes: []*Volume{v}, Look: l, Camera: NewCamera(geom.V(1, 2, 3), geom.V(0, 1, 0), 30), Lamps: []Lamp{{Name: "Key", Ball: true, Centre: geom.V(2, 2, 0), Radius: 0.2, Radiance: look.RGB{5, 5, 5}}}}
		p, err := NewWith(sc, 24, 16, Wants{Layers: true, Features: true}, grid.NewCrew(2))
		if err != nil {
			t.Fatal(err)
		}
		for range 4 {
			p.Pass(nil)
		}
		f := p.Frame()
		for i := range 24 * 16 {
			for c := range 3 {
				var sum float32
				for _, y := range p.Layers() {
					if len(y.Channels) == 3 && y.Name != "albedo" && y.Name != "normal" {
						sum += y.Pix[c][i]
					}
				}
				if d := float64(sum - f.Pix[4*i+c]); math.Abs(d) > 1e-4*(1+float64(sum)) {
					t.Fatalf("%s: pixel %d: layers give %g, beauty is %g", method, i, sum, f.Pix[4*i+c])
				}
			}
		}
	}
}

// A catcher in the open has no alpha; in a shadow it has.
func TestCatcherShowsShadowsAlone(t *testing.T) {
	for _, method := range []string{"march", "path"} {
		l := fireLook(method)
		l.Sun, l.SunDir, l.Catcher = look.RGB{3, 3, 3}, geom.V(0, 1, 0), true
		ball := Solid{Shape: geom.Shape{Form: geom.Sphere, Centre: geom.V(0, 1.5, 0), Size: geom.V(1, 1, 1), Turn: geom.RotationXYZ(geom.Vec3{}), Taper: 1}}
		at := func(x float64, held bool) float64 {
			ball.Holdout = held
			sc := &Scene{Solids: []Solid{ball}, Look: l, Camera: NewCamera(geom.V(x+2, 0.8, 0), geom.V(x, 0, 0), 2000)}
			p, _ := New(sc, 4, 4, grid.NewCrew(1))
			for range 64 {
				p.Pass(nil)
			}
			_, a := p.At(2, 2)
			return a
		}
		if a := at(0, false); a < 0.95 {
			t.Errorf("%s: alpha in the shadow is %g", method, a)
		}
		if a := at(0, true); math.Abs(a) > 0.02 {
			t.Errorf("%s: the shadow of a holdout, which the plate shows, has alpha %g", method, a)
		}
		if a := at(5, false); math.Abs(a) > 0.02 {
			t.Errorf("%s: alpha in the open is %g", method, a)
		}
	}
}

// What a holdout covers is cut out; smoke in front stays.
func TestHoldoutCutsOut(t *testing.T) {
	for _, method := range []string{"march", "path"} {
		sc := viewed(slab(16, 1), func(l *look.Look) {
			l.Method, l.Background, l.Extinction, l.Scattering = method, "none", look.RGB{2, 2, 2}, look.RGB{1, 1, 1}
		})
		wall := Solid{Holdout: true, Shape: geom.Shape{Form: geom.Block, Size: geom.V(9, 9, 0.1), Turn: geom.RotationXYZ(geom.Vec3{})}, Colour: look.RGB{1, 1, 1}}
		wall.Shape.Centre = geom.V(0, 0, 3)
		sc.Solids = []Solid{wall}
		if c, a := mean(t, sc, 6, 40); a != 0 || c.Max() != 0 {
			t.Errorf("%s: smoke behind a holdout gives %v, alpha %g", method, c, a)
		}
		sc.Solids[0].Shape.Centre = geom.V(0, 0, -3)
		want := 1 - math.Exp(-2*(1+1.0/16))
		if _, a := mean(t, sc, 6, 200); math.Abs(a-want) > 0.02 {
			t.Errorf("%s: smoke before a holdout has alpha %g, want %g", method, a, want)
		}
	}
}

// Through an open lens what is at the focus stays sharp and what is not is
// spread over the circle of confusion.
func TestLensFocuses(t *testing.T) {
	c := NewCamera(geom.V(0, 0, 10), geom.Vec3{}, 50)
	c.Open(50, 0.1, 10) // 0.25 m across
	c.w, c.h = 100, 100
	r := dice{3}
	var sharp, wide float64
	for range 4000 {
		o, d := c.lensRay(50, 50, 100, 100, &r)
		at := func(z float64) geom.Vec3 { return o.Add(d.Mul((z - o.Z) / d.Z)) }
		sharp = max(sharp, math.Hypot(at(0).X, at(0).Y))
		wide = max(wide, math.Hypot(at(5).X, at(5).Y))
	}
	if sharp > 1e-9 || math.Abs(wide-0.125) > 0.003 {
		t.Errorf("spread %g at the focus, %g halfway, want 0 and 0.125", sharp, wide)
	}
}

// Fluid that goes sideways while the shutter is open is spread by its way, and
// no light is lost by it.
func TestMotionBlurSpreadsByVelocity(t *testing.T) {
	n := 64
	d := grid.Dims{NX: n, NY: 8, NZ: 8}
	den := grid.NewField(d)
	for k := range 8 {
		for j := range 8 {
			for i := 30; i < 34; i++ {
				den.Set(i, j, k, 1)
			}
		}
	}
	var vel [3]*grid.Field
	for a := range vel {
		vel[a] = grid.NewField(d)
	}
	h := 1.0 / float64(n)
	shutter := 0.02
	for i := range vel[0].Data {
		vel[0].Data[i] = float32(16 * h / shutter) // 16 voxels over the exposure
	}
	l := fireLook("path")
	l.Ground, l.Extinction = false, look.RGB{4, 4, 4}
	alphas := func(blur bool) []float64 {
		v, _ := NewVolume(den, h, geom.V(-0.5, -0.0625, -0.0625), grid.NewCrew(1))
		sc := &Scene{Volumes: []*Volume{v}, Look: l, Camera: NewCamera(geom.V(0, 0, 100), geom.Vec3{}, 3600)}
		if blur {
			c := &Channels{Density: den, Velocity: vel, VelH: h, VelLow: v.Origin, Shutter: shutter}
			if _, err := v.Dress(c, &l, grid.NewCrew(1)); err != nil {
				t.Fatal(err)
			}
			sc.Shutter = shutter
		}
		p, _ := New(sc, 64, 4, grid.NewCrew(2))
		for range 12000 {
			p.Pass(nil)
		}
		out := make([]float64, 64)
		for x := range out {
			_, a := p.At(x, 2)
			out[x] = a
		}
		return out
	}
	still, moved := alphas(false), alphas(true)
	var a, b, wide, narrow float64
	for x := range still {
		a, b = a+still[x], b+moved[x]
		if still[x] > 0.02 {
			narrow++
		}
		if moved[x] > 0.02 {
			wide++
		}
	}
	t.Logf("alpha %.3f, blurred %.3f", a, b)
	if math.Abs(b/a-1) > 0.06 || wide < narrow+12 || wide > narrow+20 {
		t.Errorf("alpha %g over %g pixels, blurred %g over %g", a, narrow, b, wide)
	}
}

// A look that asks for what a take lacks is told so by name.
func TestMissingChannelIsNamed(t *testing.T) {
	l := fireLook("path")
	l.Opacity, l.SmokeFrom = look.NewTable("curve", valueOf("0 0; 1 1"), 0, 1), "fuel"
	v, _ := NewVolume(slab(8, 1), 0.1, geom.Vec3{}, grid.NewCrew(1))
	_, err := v.Dress(&Channels{Density: v.Density}, &l, grid.NewCrew(1))
	if m, ok := err.(*Missing); !ok || m.Channel != "fuel" {
		t.Errorf("%v", err)
	}
}

// Smoke can be drawn from any channel through a curve; the majorants follow,
// also where the curve falls.
func TestOpacityCurve(t *testing.T) {
	l := fireLook("path")
	l.Ground, l.Extinction = false, look.RGB{2, 2, 2}
	l.Opacity, l.SmokeFrom = look.NewTable("curve", valueOf("0 0; 0.5 1; 1 0"), 200, 400), "temperature"
	heat := slab(16, 7) // 300 K in air of 293: the curve's top
	v, _ := NewVolume(slab(16, 0), 1.0/16, geom.V(-0.5, -0.5, -0.5), grid.NewCrew(1))
	if _, err := v.Dress(&Channels{Density: v.Density, Temperature: heat, Air: 293}, &l, grid.NewCrew(1)); err != nil {
		t.Fatal(err)
	}
	sc := &Scene{Volumes: []*Volume{v}, Look: l, Camera: NewCamera(geom.V(0, 0, 100), geom.Vec3{}, 20000)}
	want := 1 - math.Exp(-2*(1+1.0/16))
	if _, a := mean(t, sc, 6, 300); math.Abs(a-want) > 0.02 {
		t.Errorf("alpha %g, want %g", a, want)
	}
}

// Adaptive sampling spares what is done and keeps the mean.
func TestAdaptiveSamplingSpares(t *testing.T) {
	run := func(noise float64) (*Picture, float64) {
		l := fireLook("path")
		l.Noise = noise
		l.Sky = look.RGB{0.5, 0.5, 0.5}
		sc := &Scene{Volumes: []*Volume{ember(24, &l)}, Look: l, Camera: NewCamera(geom.V(1, 1.2, 3), geom.V(0, 0.6, 0), 30)}
		p, _ := New(sc, 64, 48, grid.NewCrew(2))
		for range 200 {
			p.Pass(nil)
		}
		sum := 0.0
		for i := range 64 * 48 {
			c, _ := p.At(i%64, i/64)
			sum += c[1]
		}
		return p, sum
	}
	_, want := run(0)
	p, got := run(0.03)
	took, all := p.Spent()
	if took > all*4/5 || math.Abs(got/want-1) > 0.02 {
		t.Errorf("%d of %d samples, mean %g of %g", took, all, got, want)
	}
}

// The denoiser takes noise away and keeps the mean and an edge.
func TestDenoise(t *testing.T) {
	render := func(passes int, denoise float64) []float32 {
		l := fireLook("path")
		l.Sun, l.Sky, l.Denoise = look.RGB{2, 2, 2}, look.RGB{0.3, 0.3, 0.3}, denoise
		l.Extinction, l.Scattering = look.RGB{8, 8, 8}, look.RGB{7, 7, 7}
		f := slab(16, 0)
		for k := 4; k < 12; k++ {
			for j := 4; j < 12; j++ {
				for i := 4; i < 12; i++ {
					f.Set(i, j, k, 1)
				}
			}
		}
		v, _ := NewVolume(f, 1.0/16, geom.V(-0.5, 0, -0.5), grid.NewCrew(2))
		sc := &Scene{Volumes: []*Volume{v}, Look: l, Camera: NewCamera(geom.V(1, 1.2, 3), geom.V(0, 0.5, 0), 60)}
		p, _ := NewWith(sc, 64, 48, Wants{Features: true}, grid.NewCrew(2))
		for range passes {
			p.Pass(nil)
		}
		return p.Finished().Pix
	}
	clear, noisy, mended := render(900, 0), render(16, 0), render(16, 1)
	gap := func(a []float32) (e, mean float64) {
		for i := range a {
			if i%4 == 3 {
				continue
			}
			d := float64(a[i] - clear[i])
			e += d * d
			mean += float64(a[i])
		}
		return e, mean
	}
	e0, m0 := gap(noisy)
	e1, m1 := gap(mended)
	t.Logf("squared error %.3g noisy, %.3g denoised", e0, e1)
	if e1 > 0.5*e0 || math.Abs(m1/m0-1) > 0.02 {
		t.Errorf("squared error %g became %g, the mean %g became %g", e0, e1, m0, m1)
	}
}
