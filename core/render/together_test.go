package render

import (
	"math"
	"strings"
	"testing"
	"time"

	"zarf/core/geom"
	"zarf/core/grid"
	"zarf/core/look"
)

// cloud is a soft ball of smoke of n³ voxels of size h about a place.
func cloud(n int, h float64, at geom.Vec3, most float64) *Volume {
	f := grid.NewField(grid.Dims{NX: n, NY: n, NZ: n})
	half := float64(n) / 2
	for k := range n {
		for j := range n {
			row := f.Row(j, k)
			for i := range row {
				x, y, z := (float64(i)+0.5)/half-1, (float64(j)+0.5)/half-1, (float64(k)+0.5)/half-1
				if r := x*x + y*y + z*z; r < 1 {
					row[i] = float32(most * (1 - r) * (1 - r))
				}
			}
		}
	}
	e := float64(n) * h / 2
	v, _ := NewVolume(f, h, at.Sub(geom.V(e, e, e)), grid.NewCrew(2))
	return v
}

// overlapping are two domains of different voxels that share a third of their room.
func overlapping(l *look.Look, a, b int) *Scene {
	return &Scene{Look: *l, Camera: NewCamera(geom.V(0, 0.2, 4), geom.V(0, 0.1, 0), 60), Volumes: []*Volume{
		cloud(a, 1/float64(a), geom.V(-0.2, 0, 0), 1.5), cloud(b, 0.7/float64(b), geom.V(0.2, 0.25, 0.1), 2),
	}}
}

func colouredLook(method string) *look.Look {
	l := fireLook(method)
	l.Flame, l.FlameLight, l.Ground, l.Background = 0, 0, false, "none"
	l.Extinction, l.Scattering = look.RGB{2, 4, 7}, look.RGB{1.8, 3, 6.5}
	l.Sun, l.SunDir, l.Sky = look.RGB{6, 5, 4}, geom.V(0.5, 0.7, 0.3).Unit(), look.RGB{}
	l.Bounces, l.Step = 1, 0.5
	return &l
}

// exact is single scattering of the sun along a ray and what is left of light behind, by
// sums in steps of h m.
func (s *Scene) exact(o, d geom.Vec3, h float64) (light, through look.RGB) {
	l := &s.Look
	var depth float64
	phase := l.Lobes.At(d.Dot(l.SunDir))
	for t := 2.5 + h/2; t < 5.5; t += h {
		p := o.Add(d.Mul(t))
		den := 0.0
		for _, v := range s.Volumes {
			q := v.toGrid(p)
			den += float64(v.at(float32(q.X), float32(q.Y), float32(q.Z)))
		}
		if den == 0 {
			continue
		}
		tau := 0.0
		for _, v := range s.Volumes {
			tau += v.thick(p, l.SunDir, math.Inf(1), 0.25)
		}
		for c := range 3 {
			k := math.Exp(-l.Extinction[c]*depth) * (1 - math.Exp(-l.Extinction[c]*den*h))
			light[c] += k * l.Scattering[c] / l.Extinction[c] * phase * l.Sun[c] * math.Exp(-l.Extinction[c]*tau)
		}
		depth += den * h
	}
	for c := range 3 {
		through[c] = math.Exp(-l.Extinction[c] * depth)
	}
	return light, through
}

// Where domains overlap light is that of their sum: each throws its shadow on the other,
// and extinction is coloured. Held against sums in steps of a third of the finer voxel.
func TestDomainsThatOverlapAddUp(t *testing.T) {
	const w, h = 24, 16
	for _, order := range []string{"as they are", "the other way round"} {
		s := overlapping(colouredLook("march"), 80, 96)
		s.Look.Smooth = true
		if order != "as they are" {
			s.Volumes[0], s.Volumes[1] = s.Volumes[1], s.Volumes[0]
		}
		p, err := New(s, w, h, grid.NewCrew(2))
		if err != nil {
			t.Fatal(err)
		}
		p.Pass(nil)
		var got, want, gap look.RGB
		var alphas float64
		for i := range w * h {
			c, a := p.At(i%w, i/w)
			o, d := s.Camera.Eye, s.Camera.ray(float64(i%w)+0.5, float64(i/w)+0.5, w, h)
			light, through := s.exact(o, d, 0.002)
			got, want = got.Add(c), want.Add(light)
			for k := range 3 {
				gap[k] += math.Abs(c[k] - light[k])
			}
			alphas = max(alphas, math.Abs(1-a-(through[0]+through[1]+through[2])/3))
		}
		for k := range 3 {
			t.Logf("%s, colour %d: %.4f, exact %.4f, apart %.2f %%", order, k, got[k], want[k], 100*gap[k]/want[k])
			if math.Abs(got[k]/want[k]-1) > 0.01 || gap[k]/want[k] > 0.02 || want[k] < 1 {
				t.Errorf("%s, colour %d: %.4f in all, exact %.4f; pixels are %.2f %% apart", order, k, got[k], want[k], 100*gap[k]/want[k])
			}
		}
		if alphas > 0.005 {
			t.Errorf("%s: alpha is off by %.4f", order, alphas)
		}
	}
}

// Paths fly through coloured domains that overlap without a bias.
func TestPathsThroughDomainsThatOverlap(t *testing.T) {
	const w, h = 12, 8
	s := overlapping(colouredLook("path"), 24, 32)
	p, err := New(s, w, h, grid.NewCrew(2))
	if err != nil {
		t.Fatal(err)
	}
	for range 6000 {
		p.Pass(nil)
	}
	var got, want look.RGB
	for i := range w * h {
		c, _ := p.At(i%w, i/w)
		got = got.Add(c)
		for sub := range 9 { // a pixel is the mean over its square
			d := s.Camera.ray(float64(i%w)+(float64(sub%3)+0.5)/3, float64(i/w)+(float64(sub/3)+0.5)/3, w, h)
			light, _ := s.exact(s.Camera.Eye, d, 0.006)
			want = want.Add(light.Scale(1.0 / 9))
		}
	}
	for k := range 3 {
		t.Logf("colour %d: %.4f by paths, exact %.4f", k, got[k], want[k])
		if math.Abs(got[k]/want[k]-1) > 0.01 {
			t.Errorf("colour %d: %.4f by paths, exact %.4f", k, got[k], want[k])
		}
	}
}

// A volume is the same picture as two of half its density in the same place: tinted,
// coloured, lit by a lamp and burning too, and read smoothly.
func TestTwoHalvesMakeAWhole(t *testing.T) {
	warm := &look.Table{High: 2}
	for i := range warm.V {
		warm.V[i] = look.RGB{1, 0.2 + float64(i)/2000, 0.3}
	}
	for name, change := range map[string]func(l *look.Look){
		"grey":     func(l *look.Look) { l.Extinction, l.Scattering = look.RGB{4, 4, 4}, look.RGB{3, 3, 3} },
		"albedo":   func(l *look.Look) { l.Extinction, l.Scattering = look.RGB{4, 4, 4}, look.RGB{3, 2, 1} },
		"coloured": func(l *look.Look) {},
		"tinted": func(l *look.Look) {
			l.Extinction, l.Scattering = look.RGB{4, 4, 4}, look.RGB{3, 3, 3}
			l.Tint, l.TintFrom = warm, "temperature"
		},
		"coloured and tinted": func(l *look.Look) { l.Tint, l.TintFrom = warm, "temperature" },
	} {
		take := func(parts int, smooth bool) *Picture {
			l := colouredLook("march")
			l.Smooth = smooth
			l.Bounces, l.Flame, l.FlameLight, l.FlameSoot = 3, 1, 1, 0
			change(l)
			s := &Scene{Look: *l, Camera: NewCamera(geom.V(0, 0.2, 3), geom.V(0, 0, 0), 60), Lamps: []Lamp{{Ball: true, Centre: geom.V(1, 1, 0.5), Radius: 0.1, Radiance: look.RGB{30, 20, 10}}}}
			for range parts {
				v := cloud(32, 1.0/32, geom.Vec3{}, 1.5/float64(parts))
				d := v.Density.Dims
				c := &Channels{Density: v.Density, Temperature: grid.NewField(d), Burn: grid.NewField(d), Air: 1, Burns: true}
				for i := range c.Burn.Data {
					if i%d.NX > 12 && i%d.NX < 16 && i/d.NX%d.NY > 14 {
						c.Temperature.Data[i], c.Burn.Data[i] = 1500, 0.5/float32(parts)
					}
				}
				if _, err := v.Dress(c, l, grid.NewCrew(2)); err != nil {
					t.Fatal(err)
				}
				s.Volumes = append(s.Volumes, v)
			}
			p, err := New(s, 24, 24, grid.NewCrew(2))
			if err != nil {
				t.Fatal(err)
			}
			p.Pass(nil)
			return p
		}
		one, two, lines := take(1, true), take(2, true), take(1, false)
		var gap, all, apart float64
		for i := range 24 * 24 {
			a, aa := one.At(i%24, i/24)
			b, bb := two.At(i%24, i/24)
			d, _ := lines.At(i%24, i/24)
			for c := range 3 {
				gap, all, apart = gap+math.Abs(a[c]-b[c]), all+a[c], apart+math.Abs(a[c]-d[c])
			}
			if math.Abs(aa-bb) > 1e-4 {
				t.Fatalf("%s: alpha of pixel %d is %g of one, %g of two", name, i, aa, bb)
			}
		}
		// fire is softened and its clusters are gathered volume by volume
		if t.Logf("%s: %.3f %% apart", name, 100*gap/all); gap/all > 0.004 || all < 1 {
			t.Errorf("%s: pictures of one and of two are %.2f %% apart", name, 100*gap/all)
		}
		// a soft ball looks much the same read in straight lines; its flame, cut off within a
		// voxel, is less soft
		if t.Logf("%s: %.2f %% from straight lines", name, 100*apart/all); apart/all > 0.08 || apart == 0 {
			t.Errorf("%s: read smoothly the picture is %.2f %% from that of straight lines", name, 100*apart/all)
		}
	}
}

// Domains whose voxels are 1 : 50 are marched in steps of the fine ones only where these
// are, and neither loses its light.
func TestVoxelsOfFiftyToOne(t *testing.T) {
	take := func(small bool) *Picture {
		l := colouredLook("march")
		s := &Scene{Look: *l, Camera: NewCamera(geom.V(0, 0.2, 6), geom.V(0, 0, 0), 50), Volumes: []*Volume{cloud(16, 0.25, geom.Vec3{}, 0.3)}}
		if small {
			s.Volumes = append(s.Volumes, cloud(40, 0.005, geom.V(0.3, 0.3, 1), 30))
		}
		p, err := New(s, 32, 32, grid.NewCrew(2))
		if err != nil {
			t.Fatal(err)
		}
		p.Pass(nil)
		return p
	}
	began := time.Now()
	one, two := take(false), take(true)
	if spent := time.Since(began); spent > 20*time.Second {
		t.Errorf("the two pictures took %s", spent)
	}
	same, other := 0, 0
	for i := range 32 * 32 {
		a, _ := one.At(i%32, i/32)
		b, _ := two.At(i%32, i/32)
		if math.IsNaN(b[0]) {
			t.Fatalf("pixel %d is NaN", i)
		}
		if math.Abs(a[1]-b[1]) < 0.03*(a[1]+0.01) {
			same++
		} else {
			other++
		}
	}
	if same < 800 || other < 2 {
		t.Errorf("the small cloud changes %d pixels and leaves %d", other, same)
	}
}

// What is wrong in one domain is told, and the other one is shown as ever.
func TestOneDomainMayHoldNaN(t *testing.T) {
	l := colouredLook("march")
	s := overlapping(l, 24, 24)
	f := grid.NewField(s.Volumes[1].Density.Dims)
	f.CopyFrom(s.Volumes[1].Density)
	f.Data[f.Index(12, 12, 12)] = float32(math.NaN())
	f.Data[f.Index(13, 12, 12)] = float32(math.Inf(1))
	c := &Channels{Density: f}
	v, notes, err := c.Volume(s.Volumes[1].H, s.Volumes[1].Origin, l, grid.NewCrew(2))
	if err != nil || len(notes) != 1 || !strings.Contains(notes[0], "2 voxels of density") {
		t.Fatalf("%v, %q", err, notes)
	}
	s.Volumes[1] = v
	for _, method := range []string{"march", "path"} {
		s.Look.Method = method
		p, err := New(s, 16, 16, grid.NewCrew(2))
		if err != nil {
			t.Fatal(err)
		}
		p.Pass(nil)
		for i := range 256 {
			if c, a := p.At(i%16, i/16); !(c[0]+c[1]+c[2]+a < 1e3) {
				t.Fatalf("%s: pixel %d is %v, alpha %g", method, i, c, a)
			}
		}
		s.grids = nil
	}
}
