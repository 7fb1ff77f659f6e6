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

// ember is a volume with a glowing ball in clear air.
func ember(n int, l *look.Look) *Volume {
	d := grid.Dims{NX: n, NY: n, NZ: n}
	den, burn, heat := grid.NewField(d), grid.NewField(d), grid.NewField(d)
	for k := range n {
		for j := range n {
			for i := range n {
				x, y, z := float64(i)-float64(n)/2+0.5, float64(j)-float64(n)/2+0.5, float64(k)-float64(n)/2+0.5
				if x*x+y*y+z*z < 0.04*float64(n*n) {
					burn.Set(i, j, k, 1)
					heat.Set(i, j, k, 1207) // 1500 K in air of 293
				}
			}
		}
	}
	v, _ := NewVolume(den, 1/float64(n), geom.V(-0.5, 0.5, -0.5), grid.NewCrew(2))
	v.Ignite(burn, heat, 293, l, grid.NewCrew(2))
	return v
}

func fireLook(method string) look.Look {
	l := look.At(shot.NewElement(shot.Look, "", "", val.Method.Is(method), val.SunStrength.Is(0), val.SkyStrength.Is(0), val.Background.Is("none"), val.FlameThickness.Is(2)), 1)
	return l
}

// Through the middle of a ball 0.4 m across, glowing with 2 a metre at 1500 K,
// the light is 0.8 by luminance, by both methods.
func TestFlameIsAsBrightAsItsDepth(t *testing.T) {
	for _, method := range []string{"march", "path"} {
		l := fireLook(method)
		l.Ground = false
		sc := &Scene{Volumes: []*Volume{ember(48, &l)}, Look: l, Camera: NewCamera(geom.V(0, 1, 30), geom.V(0, 1, 0), 4000)}
		p, err := New(sc, 5, 5, grid.NewCrew(2))
		if err != nil {
			t.Fatal(err)
		}
		for range 40 {
			p.Pass(nil)
		}
		c, _ := p.At(2, 2)
		if lum := 0.2126*c[0] + 0.7152*c[1] + 0.0722*c[2]; math.Abs(lum/0.8-1) > 0.06 {
			t.Errorf("%s: luminance %g, want 0.8", method, lum)
		}
		if c[0] < 2*c[2] {
			t.Errorf("%s: at 1500 K the colour is %v", method, c)
		}
	}
}

// The flame lights the ground: by the quick method within a fifth of what the
// paths find, and nowhere behind a wall.
func TestFlameLightsTheGround(t *testing.T) {
	bright := func(method string, wall bool) float64 {
		l := fireLook(method)
		sc := &Scene{Volumes: []*Volume{ember(32, &l)}, Look: l, Camera: NewCamera(geom.V(2, 3, 0.001), geom.V(2, 0, 0), 80)}
		if wall {
			sc.Solids = []Solid{{Shape: geom.Shape{Form: geom.Block, Centre: geom.V(1, 1, 0), Size: geom.V(0.1, 4, 12), Turn: geom.RotationXYZ(geom.Vec3{})}}}
		}
		p, err := New(sc, 8, 8, grid.NewCrew(2))
		if err != nil {
			t.Fatal(err)
		}
		n := 1
		if method == "path" {
			n = 6000
		}
		for range n {
			p.Pass(nil)
		}
		sum := 0.0
		for y := range 8 {
			for x := range 8 {
				c, _ := p.At(x, y)
				sum += c[0]
			}
		}
		return sum
	}
	a, b := bright("march", false), bright("path", false)
	if a <= 0 || math.Abs(a/b-1) > 0.2 {
		t.Errorf("march %g, paths %g", a, b)
	}
	if s := bright("march", true); s > 0.02*a {
		t.Errorf("behind a wall %g of %g", s, a)
	}
}

// Fires are gathered without losing light.
func TestGatheredFiresKeepTheirPower(t *testing.T) {
	var list []fire
	want := 0.0
	for i := range 500 {
		p := float64(i%7 + 1)
		list = append(list, fire{at: geom.V(float64(i%10), float64(i/10%10), float64(i/100)), size: 0.1, power: look.RGB{p, p, p}, weight: p})
		want += p
	}
	out := gatherFires(list, 12)
	got := 0.0
	for _, f := range out {
		got += f.power[0]
	}
	if len(out) > 12 || math.Abs(got/want-1) > 1e-9 {
		t.Errorf("%d fires with %g of %g", len(out), got, want)
	}
}

// Smoke between a fire and a wall dims what that gets of it, by the quick method about as
// much as paths find.
func TestSmokeDimsFireOnSurfaces(t *testing.T) {
	bright := func(method string, smoke float64) float64 {
		s := likenesses()[3].scene(method)
		l := &s.Look
		for c := range 3 {
			l.Extinction[c], l.Scattering[c] = smoke, 0.2*smoke
		}
		l.Background = "none"
		s.Solids = []Solid{{Colour: look.RGB{0.8, 0.8, 0.8}, Shape: geom.Shape{Form: geom.Block, Centre: geom.V(-1, 0.5, 0), Size: geom.V(0.1, 3, 3), Turn: geom.RotationXYZ(geom.Vec3{})}}}
		s.Camera = NewCamera(geom.V(-0.3, 0.5, 1.2), geom.V(-0.95, 0.5, -0.3), 80)
		p, err := New(s, 12, 12, grid.NewCrew(2))
		if err != nil {
			t.Fatal(err)
		}
		n := 2
		if method == "path" {
			n = 4000
		}
		for range n {
			p.Pass(nil)
		}
		sum := 0.0
		for i := range 144 {
			c, _ := p.At(i%12, i/12)
			sum += c[0]
		}
		return sum
	}
	for _, smoke := range []float64{0.02, 0.4} {
		a, b := bright("march", smoke), bright("path", smoke)
		t.Logf("extinction %g: %.4f marched, %.4f by paths", smoke, a, b)
		if a <= 0 || math.Abs(a/b-1) > 0.25 {
			t.Errorf("extinction %g: march %g, paths %g", smoke, a, b)
		}
	}
}
