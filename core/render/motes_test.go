package render

import (
	"math"
	"testing"

	"zarf/core/geom"
	"zarf/core/grid"
	"zarf/core/look"
	"zarf/core/shot"
	"zarf/core/shot/val"
)

// dots is a scene of particles before black, 10 m from the eye.
func dots(method string, m *Motes, shutter float64) *Scene {
	l := look.At(shot.NewElement(shot.Look, "", "", val.Method.Is(method), val.SunStrength.Is(0), val.SkyStrength.Is(0), val.Background.Is("none"), val.Ground.Is(false), val.MoteGlow.Is(3)), 1)
	return &Scene{Look: l, Camera: NewCamera(geom.V(0, 0, 10), geom.V(0, 0, 0), 50), Motes: []*Motes{m}, Shutter: shutter, Rate: 24}
}

// light is the sum of a picture's red, and what of the picture is covered, in pixels.
func light(t *testing.T, s *Scene, w, h, passes int) (red, cover float64) {
	t.Helper()
	p, err := New(s, w, h, grid.NewCrew(2))
	if err != nil {
		t.Fatal(err)
	}
	for range passes {
		p.Pass(nil)
	}
	for y := range h {
		for x := range w {
			c, a := p.At(x, y)
			red, cover = red+c[0], cover+a
		}
	}
	return red, cover
}

// A hot particle sheds the same light on film whether it is smaller than a pixel or larger,
// at rest or a streak, and by both methods: what its disc covers for as long as it does.
func TestStreaksKeepTheirLight(t *testing.T) {
	glow := look.Glow(1500)[0] * 3
	for _, method := range []string{"march", "path"} {
		for _, c := range []struct {
			size, speed float32
			within      float64
		}{{0.004, 0, 0.1}, {0.02, 0, 0.1}, {0.2, 0, 0.05}, {0.02, 20, 0.05}, {0.2, 20, 0.05}} {
			s := dots(method, &Motes{P: [][3]float32{{0.013, 0.021, 0}}, V: [][3]float32{{c.speed, c.speed / 3, 0}}, Size: []float32{c.size}, Heat: []float32{1500}}, 1.0/48)
			red, cover := light(t, s, 160, 90, 2)
			r := float64(c.size) / 2 / 10 / s.Camera.spread * 80 // pixels
			want := math.Pi * r * r
			if math.Abs(red/glow/want-1) > c.within || math.Abs(cover/want-1) > c.within {
				t.Errorf("%s: %g m at %g m/s: %.4f pixels by its light and %.4f by alpha, its disc has %.4f", method, c.size, c.speed, red/glow, cover, want)
			}
		}
	}
}

// Particles lie among other things by their depth: a wall hides what is behind it, smoke
// dims it, and what is before hides nothing of the smoke's front.
func TestParticlesLieByTheirDepth(t *testing.T) {
	at := func(z float32) *Motes {
		return &Motes{P: [][3]float32{{0, 0, z}}, Size: []float32{0.3}, Heat: []float32{1500}}
	}
	for _, method := range []string{"march", "path"} {
		open, _ := light(t, dots(method, at(-3), 0), 64, 36, 4)
		wall := dots(method, at(-3), 0)
		wall.Solids = []Solid{{Shape: geom.Shape{Form: geom.Block, Size: geom.V(4, 4, 0.1), Turn: geom.RotationXYZ(geom.Vec3{})}}}
		if hidden, _ := light(t, wall, 64, 36, 4); hidden > 0.01*open {
			t.Errorf("%s: behind a wall %g of %g", method, hidden, open)
		}
		front := dots(method, at(3), 0)
		front.Solids = wall.Solids
		if seen, _ := light(t, front, 64, 36, 4); seen < open {
			t.Errorf("%s: before the wall %g, farther off %g", method, seen, open)
		}
		f := grid.NewField(grid.Dims{NX: 16, NY: 16, NZ: 16})
		for i := range f.Data {
			f.Data[i] = 1
		}
		v, _ := NewVolume(f, 0.125, geom.V(-1, -1, -1), grid.NewCrew(2)) // 2 m deep
		smoke := dots(method, at(-3), 0)
		smoke.Volumes = []*Volume{v}
		e := math.Log(4) / 2
		smoke.Look.Extinction = look.RGB{e, e, e}
		n := 4
		if method == "path" {
			n = 800
		}
		if dim, _ := light(t, smoke, 64, 36, n); math.Abs(dim/open-0.25) > 0.03 {
			t.Errorf("%s: through smoke that lets a quarter through %.3f", method, dim/open)
		}
	}
}

// Many in a pixel neither overflow it nor lose what lies in front.
func TestManyInAPixel(t *testing.T) {
	m := &Motes{}
	for i := range 500 {
		m.P, m.Size, m.Heat = append(m.P, [3]float32{0, 0, -float32(i) * 0.01}), append(m.Size, 0.5), append(m.Heat, float32(900+i))
	}
	p, err := New(dots("march", m, 0), 32, 18, grid.NewCrew(1))
	if err != nil {
		t.Fatal(err)
	}
	p.Pass(nil)
	c, a := p.At(16, 9)
	if want := look.Glow(900)[0] * 3; math.Abs(c[0]/want-1) > 0.05 || math.Abs(a-1) > 0.01 {
		t.Errorf("the nearest of many has red %g, want %g; alpha %g", c[0], want, a)
	}
}

// Glowing particles light what is near them as so many small balls would: a floor under a
// cloud of them, by both methods, and it counts as light of fire.
func TestGlowingParticlesLightTheFloor(t *testing.T) {
	m := &Motes{}
	for i := range 400 {
		x, z := float32(i%20)/40-0.24, float32(i/20)/40-0.24
		m.P, m.Size, m.Heat = append(m.P, [3]float32{x, 2, z}), append(m.Size, 0.02), append(m.Heat, 1600)
	}
	for method, passes := range map[string]int{"march": 1, "path": 600} {
		s := dots(method, m, 0)
		s.Camera = NewCamera(geom.V(0, 1.2, 0.001), geom.V(0, 0, 0), 50)
		s.Look.Ground = true
		s.Lamps = s.MoteLamps()
		p, err := NewWith(s, 5, 5, Wants{Layers: true}, grid.NewCrew(2))
		if err != nil {
			t.Fatal(err)
		}
		for range passes {
			p.Pass(nil)
		}
		c, _ := p.At(2, 2)
		// intensity over the square of 2 m, and what a floor throws back of that
		want := 400 * math.Pi * 0.01 * 0.01 * look.Glow(1600)[0] * 3 / 4 * s.Look.GroundColour[0] / math.Pi
		if math.Abs(c[0]/want-1) > 0.05 {
			t.Errorf("%s: the floor has %.5g, by the particles' own light it would have %.5g", method, c[0], want)
		}
		if fire := float64(p.parts[ByFire][3*12]) / float64(passes); math.Abs(fire/c[0]-1) > 1e-3 {
			t.Errorf("%s: of %g fire's layer has %g", method, c[0], fire)
		}
		if names := s.LayerNames(); len(names) != ByLamp {
			t.Errorf("the layers are %v", names)
		}
	}
}

// Beside a fire whose light drowns theirs, particles have no lamps.
func TestSparksBesideAFire(t *testing.T) {
	m := &Motes{P: [][3]float32{{0, 0, 0}}, Size: []float32{0.002}, Heat: []float32{1600}}
	s := dots("march", m, 0)
	if n := len(s.MoteLamps()); n != 1 {
		t.Errorf("a spark alone has %d lamps", n)
	}
	s.Volumes = []*Volume{ember(24, &s.Look)}
	if n := len(s.MoteLamps()); n != 0 {
		t.Errorf("beside a fire it has %d", n)
	}
}

// Curves over life make particles smaller and dimmer: half the diameter is a quarter of the
// disc, and half the glow half of its light.
func TestCurvesOverLife(t *testing.T) {
	m := &Motes{P: [][3]float32{{0, 0, 0}}, Size: []float32{0.4}, Heat: []float32{1500}, Life: []float32{0.5}}
	s := dots("march", m, 0)
	red, cover := light(t, s, 160, 90, 1)
	s.Look.MoteSizes = look.NewTable(shot.Curve, shot.Text("0 1; 1 0"), 0, 1)
	s.Look.MoteGlows = s.Look.MoteSizes
	red2, cover2 := light(t, s, 160, 90, 1)
	if math.Abs(cover2/cover-0.25) > 0.02 || math.Abs(red2/red-0.125) > 0.01 {
		t.Errorf("in the middle of its life it covers %.3f of its disc with %.3f of its light", cover2/cover, red2/red)
	}
}
