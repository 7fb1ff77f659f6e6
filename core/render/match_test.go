package render

import (
	"math"
	"slices"
	"testing"

	"zarf/core/geom"
	"zarf/core/grid"
	"zarf/core/look"
	"zarf/core/noise"
)

// billows are smoke with lumps and gaps, n³ voxels in a metre, densest where it is most.
func billows(n int, most float64) *grid.Field {
	f := grid.NewField(grid.Dims{NX: n, NY: n, NZ: n})
	grid.NewCrew(2).For(n, 1, func(k0, k1 int) {
		for k := k0; k < k1; k++ {
			for j := range n {
				row := f.Row(j, k)
				for i := range row {
					x, y, z := (float64(i)+0.5)/float64(n)-0.5, (float64(j)+0.5)/float64(n)-0.5, (float64(k)+0.5)/float64(n)-0.5
					r := math.Sqrt(x*x+0.7*y*y+z*z)/0.44 + 0.45*noise.Octaves(7, 3, 5*x, 5*y, 5*z)
					row[i] = float32(most * min(max((1-r)*3, 0), 1))
				}
			}
		}
	})
	return f
}

// likeness is a scene that both methods should show the same.
type likeness struct {
	name   string
	passes int // of paths, until their noise is little
	scene  func(method string) *Scene
}

func likenesses() []likeness {
	const n = 64
	plain := func(most float64, change func(l *look.Look)) func(string) *Scene {
		return func(method string) *Scene {
			l := fireLook(method)
			l.Flame, l.FlameLight, l.Ground, l.Background, l.Step = 0, 0, false, "none", 1
			l.Lobes = look.Lobes{G: 0.3}
			l.Sun, l.SunDir, l.Sky = look.RGB{4, 4, 4}, geom.V(0.6, 0.7, 0.3).Unit(), look.RGB{0.5, 0.6, 0.8}
			l.Bounces = 4
			grey := func(e, albedo float64) {
				l.Extinction, l.Scattering = look.RGB{e, e, e}, look.RGB{e * albedo, e * albedo, e * albedo}
			}
			grey(1, 0.9)
			change(&l)
			v, _ := NewVolume(billows(n, most), 1.0/n, geom.V(-0.5, 0, -0.5), grid.NewCrew(2))
			return &Scene{Volumes: []*Volume{v}, Look: l, Camera: NewCamera(geom.V(0.3, 0.7, 2.2), geom.V(0, 0.5, 0), 45)}
		}
	}
	albedo := func(l *look.Look, a float64) {
		for c := range 3 {
			l.Scattering[c] = a * l.Extinction[c]
		}
	}
	return []likeness{
		{"thin steam", 240, plain(1.5, func(l *look.Look) { albedo(l, 0.99) })},
		{"dense white", 240, plain(25, func(l *look.Look) { albedo(l, 0.99); l.Bounces = 8 })},
		{"dense dark", 240, plain(25, func(l *look.Look) { albedo(l, 0.35) })},
		{"fire in smoke", 7200, func(method string) *Scene {
			s := plain(12, func(l *look.Look) {
				albedo(l, 0.7)
				l.Sun, l.Sky = look.RGB{}, look.RGB{}
				l.Flame, l.FlameLight = 1, 1
			})(method)
			v := s.Volumes[0]
			heat, burn := grid.NewField(v.Density.Dims), grid.NewField(v.Density.Dims)
			for i := range heat.Data {
				x, y, z := float64(i%n)/n-0.5, float64(i/n%n)/n-0.35, float64(i/n/n)/n-0.5
				if r := math.Sqrt(x*x+y*y+z*z) / 0.16; r < 1 {
					heat.Data[i], burn.Data[i] = float32(1600*(1-r*r)), float32(1-r)
				}
			}
			v.Ignite(burn, heat, 293, &s.Look, grid.NewCrew(2))
			return s
		}},
		{"sun behind", 240, plain(5, func(l *look.Look) {
			albedo(l, 0.95)
			l.SunDir, l.Lobes = geom.V(-0.2, 0.25, -1).Unit(), look.Lobes{G: 0.5}
		})},
		{"fog under a sky", 240, func(method string) *Scene {
			s := plain(3, func(l *look.Look) { albedo(l, 0.98); l.Sun = look.RGB{} })(method)
			f := s.Volumes[0].Density
			for i := range f.Data {
				f.Data[i] = 0.3 + 0.5*f.Data[i]
			}
			s.Volumes[0].majorants(grid.NewCrew(2))
			return s
		}},
	}
}

// A look that is chosen by the quick march is the one that paths render: the mean of the
// picture within 5 % and the smoke's contrast within 15 %, of six kinds of scene.
func TestBothMethodsShowTheSameLook(t *testing.T) {
	run := func(s *Scene, passes int) *Picture {
		p, err := New(s, 48, 32, grid.NewCrew(2))
		if err != nil {
			t.Fatal(err)
		}
		for range passes {
			p.Pass(nil)
		}
		return p
	}
	for _, l := range likenesses() {
		m, c := spreadOf(run(l.scene("path"), l.passes))
		n, d := spreadOf(run(l.scene("march"), 4))
		t.Logf("%-16s mean %.5f by paths, %.5f marched (%+.1f %%); contrast %.4f, %.4f (%+.1f %%)", l.name, m, n, 100*(n/m-1), c, d, 100*(d/c-1))
		if math.Abs(n/m-1) > 0.05 || math.Abs(d/c-1) > 0.15 {
			t.Errorf("%s: mean %.5f by paths and %.5f marched, contrast %.4f and %.4f", l.name, m, n, c, d)
		}
	}
}

// spreadOf is the mean luminance of a picture, and how far apart the 5th and the 95th
// percentile are of what shows smoke.
func spreadOf(p *Picture) (mean, contrast float64) {
	var smoke []float64
	for i := range p.W * p.H {
		c, a := p.At(i%p.W, i/p.W)
		l := 0.2126*c[0] + 0.7152*c[1] + 0.0722*c[2]
		mean += l / float64(p.W*p.H)
		if a > 0.2 {
			smoke = append(smoke, l)
		}
	}
	slices.Sort(smoke)
	return mean, smoke[len(smoke)*95/100] - smoke[len(smoke)*5/100]
}
