package render

import (
	"math"
	"testing"

	"zarf/core/geom"
	"zarf/core/grid"
	"zarf/core/look"
)

// ballOf is a ball of liquid of radius r about the origin.
func ballOf(r float64, n int) *Liquid {
	h := 2.0 / float64(n)
	f := grid.NewField(grid.Dims{NX: n, NY: n, NZ: n})
	band := 3 * h
	for k := range n {
		for j := range n {
			for i := range n {
				p := geom.V(float64(i)+0.5, float64(j)+0.5, float64(k)+0.5).Mul(h).Sub(geom.V(1, 1, 1))
				f.Set(i, j, k, float32(min(max(p.Len()-r, -band), band)))
			}
		}
	}
	return NewLiquid(f, h, geom.V(-1, -1, -1), band, 2*h, [3]*grid.Field{}, 0, geom.Vec3{}, 0)
}

func wetScene(l *Liquid, change func(l *look.Look)) *Scene {
	sc := viewed(slab(4, 0), change)
	sc.Volumes, sc.Liquids = nil, []*Liquid{l}
	return sc
}

// In a sky of the same light all round, clear liquid and glass can't be seen:
// what a surface doesn't throw back it lets through.
func TestClearFurnace(t *testing.T) {
	for _, method := range []string{"path", "march"} {
		for _, glass := range []bool{false, true} {
			sc := wetScene(ballOf(0.4, 32), func(l *look.Look) {
				l.Method, l.Even, l.Sky, l.Sun, l.Background = method, true, look.RGB{1, 1, 1}, look.RGB{}, "sky"
				l.Liquid.Absorb = look.RGB{}
			})
			if glass { // a glass box round the ball, touching nothing; its own colour is left out of account
				sc.Solids = []Solid{{Clear: true, Shape: geom.Shape{Form: geom.Block, Size: geom.V(1.2, 1.2, 0.05), Centre: geom.V(0, 0, 0.7), Turn: geom.RotationXYZ(geom.Vec3{})}}}
			}
			c, a := mean(t, sc, 12, 60)
			low := 0.97
			if glass { // 5 cm of it take 1.5 to 3 %
				low = 0.93
			}
			for _, v := range c {
				if v < low || v > 1.03 {
					t.Errorf("%s, glass %v: the furnace gives %v, want 1", method, glass, c)
					break
				}
			}
			if math.Abs(a-1) > 1e-6 {
				t.Errorf("%s: alpha %g", method, a)
			}
		}
	}
}

// Light through the middle of a ball of dye follows Beer and Lambert's law.
func TestDyeAbsorbs(t *testing.T) {
	for _, method := range []string{"path", "march"} {
		sc := wetScene(ballOf(0.6, 64), func(l *look.Look) {
			l.Method, l.Even, l.Sky, l.Sun, l.Background = method, true, look.RGB{1, 1, 1}, look.RGB{}, "sky"
			l.Liquid.Index, l.Liquid.Absorb = 1.0001, look.RGB{0.5, 1, 2}
		})
		sc.Camera = NewCamera(geom.V(0, 0, 100), geom.Vec3{}, 400000) // the middle alone
		c, _ := mean(t, sc, 4, 10)
		for n, k := range []float64{0.5, 1, 2} {
			if want := math.Exp(-k * 1.2); math.Abs(c[n]/want-1) > 0.01 {
				t.Errorf("%s: %g of light comes through, want %g", method, c[n], want)
			}
		}
	}
}

// A surface bends rays by Snell's law, and throws back what Fresnel says.
func TestSnellAndFresnel(t *testing.T) {
	n := geom.V(0, 1, 0)
	for _, deg := range []float64{0, 20, 45, 70} {
		a := deg * math.Pi / 180
		d := geom.V(math.Sin(a), -math.Cos(a), 0)
		f, bent := Fresnel(math.Cos(a), 1/1.33)
		out := refracted(d, n, 1/1.33, math.Cos(a), bent)
		if got, want := out.X, math.Sin(a)/1.33; math.Abs(got-want) > 1e-12 || math.Abs(out.Len()-1) > 1e-12 {
			t.Errorf("%g°: bent to sine %g, want %g", deg, got, want)
		}
		if deg == 0 && math.Abs(f-math.Pow(0.33/2.33, 2)) > 1e-12 {
			t.Errorf("straight on %g is thrown back, want %g", f, math.Pow(0.33/2.33, 2))
		}
	}
	if f, _ := Fresnel(math.Cos(60*math.Pi/180), 1.33); f != 1 {
		t.Errorf("from within at 60° %g is thrown back: it must be all", f)
	}
	// a quarter of unpolarised light is never lost at Brewster's angle
	b := math.Atan(1.5)
	f, _ := Fresnel(math.Cos(b), 1/1.5)
	s := math.Pow(math.Cos(2*b), 2)
	if math.Abs(f-s/2) > 1e-12 {
		t.Errorf("at Brewster's angle %g, want %g", f, s/2)
	}
}

// Liquid that stands a part of a voxel off the glass that holds it is taken to
// touch it: there is no air between.
func TestLiquidClingsToGlass(t *testing.T) {
	sc := wetScene(ballOf(0.5, 32), func(l *look.Look) {})
	// the glass begins half a simulation's voxel beside the ball
	sc.Solids = []Solid{{Clear: true, Shape: geom.Shape{Form: geom.Block, Size: geom.V(0.2, 2, 2), Centre: geom.V(0.6+0.5*sc.Liquids[0].Voxel, 0, 0), Turn: geom.RotationXYZ(geom.Vec3{})}}}
	sc.prepare()
	tr := &trip{s: sc, solids: sc.Solids}
	gap := 0.25 * sc.Liquids[0].Voxel
	for _, c := range []struct {
		x    float64
		want medium
	}{{0.3, inLiquid}, {0.5 + gap, inLiquid}, {0.62, inGlass}, {0.95, inAir}, {-0.5 - gap, inAir}} {
		if got := tr.medium(geom.V(c.x, 0, 0)); got != c.want {
			t.Errorf("at x = %g there is medium %d, want %d", c.x, got, c.want)
		}
	}
}

// A liquid that moves while the shutter is open is smeared along its way, and
// one that is still isn't.
func TestLiquidBlurs(t *testing.T) {
	ball := ballOf(0.3, 32)
	wide := func(speed float32) (lo, hi int) {
		vel := [3]*grid.Field{}
		for a := range vel {
			vel[a] = grid.NewField(grid.Dims{NX: 4, NY: 4, NZ: 4})
		}
		for i := range vel[0].Data {
			vel[0].Data[i] = speed
		}
		l := NewLiquid(ball.Phi, ball.H, ball.Origin, ball.Band, ball.Voxel, vel, 0.5, geom.V(-1, -1, -1), 0.02)
		sc := wetScene(l, func(k *look.Look) {
			k.Method, k.Background, k.Even, k.Sky = "path", "none", true, look.RGB{1, 1, 1}
			k.Liquid.Opaque, k.Liquid.Colour = true, look.RGB{0.5, 0.5, 0.5}
		})
		sc.Shutter, sc.Rate = 0.02, 24
		sc.Camera = NewCamera(geom.V(0, 0, 100), geom.Vec3{}, 1500)
		p, err := New(sc, 48, 9, grid.NewCrew(2))
		if err != nil {
			t.Fatal(err)
		}
		for range 40 {
			p.Pass(nil)
		}
		lo, hi = 48, 0
		for x := range 48 {
			if _, a := p.At(x, 4); a > 0.1 {
				lo, hi = min(lo, x), max(hi, x)
			}
		}
		return lo, hi
	}
	a, b := wide(0)
	c, d := wide(20) // 0.4 m, from −0.2 to 0.2
	t.Logf("still from %d to %d, moving from %d to %d of 48", a, b, c, d)
	if b <= a || (d-c) < (b-a)+5 || math.Abs(float64(c+d-a-b)) > 4 {
		t.Errorf("still from %d to %d, moving from %d to %d", a, b, c, d)
	}
}

// Opaque liquid throws back its colour and the varnish's share, no more than
// what comes, and glows by itself.
func TestOpaqueLiquid(t *testing.T) {
	for _, method := range []string{"path", "march"} {
		shade := func(glow float64) look.RGB {
			sc := wetScene(ballOf(0.6, 48), func(l *look.Look) {
				l.Method, l.Even, l.Sky, l.Sun, l.Background = method, true, look.RGB{1, 1, 1}, look.RGB{}, "none"
				l.Liquid.Opaque, l.Liquid.Colour, l.Liquid.Glow, l.Liquid.Index = true, look.RGB{0.8, 0.4, 0.1}, glow, 1.33
			})
			sc.Camera = NewCamera(geom.V(0, 0, 100), geom.Vec3{}, 100000)
			if glow > 0 {
				sc.Look.Sky = look.RGB{}
			}
			c, a := mean(t, sc, 6, 200)
			if math.Abs(a-1) > 1e-6 {
				t.Errorf("%s: alpha %g", method, a)
			}
			return c
		}
		c := shade(0)
		if method == "path" {
			for n, want := range [3]float64{0.02 + 0.98*0.8, 0.02 + 0.98*0.4, 0.02 + 0.98*0.1} {
				if math.Abs(c[n]-want) > 0.03 {
					t.Errorf("%s: %v, want %g in part %d", method, c, want, n)
				}
			}
		}
		if !(c[0] > c[1] && c[1] > c[2] && c[0] < 1.02) {
			t.Errorf("%s: %v", method, c)
		}
		if g := shade(3); math.Abs(g[0]/(3*0.8*0.98)-1) > 0.05 {
			t.Errorf("%s: it glows with %v, want %g", method, g, 3*0.8*0.98)
		}
	}
}
