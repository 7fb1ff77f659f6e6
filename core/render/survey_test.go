package render

import (
	"math"
	"sync"
	"testing"

	"zarf/core/geom"
	"zarf/core/grid"
	"zarf/core/look"
	"zarf/core/noise"
	"zarf/core/srgb"
)

// ragged is smoke that differs from voxel to voxel.
func ragged(n int) *grid.Field {
	f := grid.NewField(grid.Dims{NX: n, NY: n, NZ: n})
	for i := range f.Data {
		if x := float64(noise.Hash(3, int64(i), 0, 0)>>40) / (1 << 24); x > 0.7 {
			f.Data[i] = float32(10 * (x - 0.7))
		}
	}
	return f
}

// The first pass shows what it would if every ray were followed, to where nobody sees a
// difference, whatever the scene: and follows but a share of them where smoke is smooth.
func TestFewRaysShowThePicture(t *testing.T) {
	const w, h = 320, 200
	crew := grid.NewCrew(2)
	scenes := likenesses()
	add := func(name string, change func(s *Scene)) {
		scenes = append(scenes, likeness{name: name, scene: func(method string) *Scene {
			s := likenesses()[3].scene(method)
			change(s)
			return s
		}})
	}
	rod := func(form geom.Form, at, size geom.Vec3) Solid {
		return Solid{Shape: geom.Shape{Form: form, Centre: at, Size: size, Taper: 1}, Colour: look.RGB{0.6, 0.3, 0.2}}
	}
	add("rods in smoke, on ground", func(s *Scene) {
		s.Look.Ground, s.Look.Background, s.Look.Sky, s.Look.Sun = true, "sky", look.RGB{0.5, 0.6, 0.8}, look.RGB{3, 3, 3}
		s.Solids = []Solid{rod(geom.Cylinder, geom.V(0.1, 0.5, 0.3), geom.V(0.01, 0.5, 0.01)), rod(geom.Sphere, geom.V(-0.3, 0.3, 0), geom.V(0.2, 0.2, 0.2))}
	})
	add("two domains, coloured", func(s *Scene) {
		s.Look.Extinction = look.RGB{3, 2, 1}
		s.Look.Background, s.Look.Sky, s.Look.Sun = "sky", look.RGB{0.5, 0.6, 0.8}, look.RGB{3, 3, 3}
		v, _ := NewVolume(billows(48, 9), 0.6/48, geom.V(0, 0.2, -0.2), crew)
		s.Volumes = append(s.Volumes, v)
	})
	add("an edge every voxel", func(s *Scene) {
		s.Look.Sun = look.RGB{3, 3, 3}
		v, _ := NewVolume(ragged(64), 1.0/64, geom.V(-0.5, 0, -0.5), crew)
		s.Volumes[0] = v
	})
	add("an open flame", func(s *Scene) { // in tongues, no brighter than film shows
		v := s.Volumes[0]
		heat, burn := grid.NewField(v.Density.Dims), grid.NewField(v.Density.Dims)
		for i, d := range billows(64, 1).Data {
			if d > 0.1 {
				heat.Data[i], burn.Data[i] = 400+1500*d, d
			}
		}
		for c := range 3 {
			s.Look.Extinction[c] *= 0.02
			s.Look.Scattering[c] *= 0.02
		}
		s.Look.Flame = 0.1
		v.Ignite(burn, heat, 293, &s.Look, crew)
	})
	for _, l := range scenes {
		fewRays(t, l, w, h)
	}
	// so large that rays begin eight pixels apart
	for _, n := range []int{3, 7} {
		fewRays(t, scenes[n], 2*w+60, 2*h+30)
	}
}

// fewRays holds the first pass of a scene against one that follows every ray.
func fewRays(t *testing.T, l likeness, w, h int) {
	t.Helper()
	s, crew := l.scene("march"), grid.NewCrew(2)
	shows := func(v float64) float64 { return 255 * srgb.Encode(min(v, 1)) }
	var pics [2]*Picture
	for n := range pics {
		p, err := NewWith(s, w, h, Wants{Layers: true, Features: true}, crew)
		if err != nil {
			t.Fatal(err)
		}
		if y := p.newSurvey(); len(y.coarser) != 1+w/640 {
			t.Errorf("%s: %d lattices over the first at %d pixels", l.name, len(y.coarser), w)
		}
		p.every = n == 1
		trips = sync.Pool{New: trips.New} // what a thread held before must not matter
		p.Pass(nil)
		pics[n] = p
	}
	many, worst, sum, deep, layer, met := 0, 0.0, 0.0, 0.0, 0.0, 0
	for i := range w * h {
		a, x := pics[0].At(i%w, i/w)
		b, y := pics[1].At(i%w, i/w)
		worst = max(worst, 255*math.Abs(x-y))
		for c := range 3 {
			d := math.Abs(shows(a[c]) - shows(b[c]))
			if worst, sum = max(worst, d), sum+d/float64(3*w*h); d > 2 {
				many++
			}
		}
		if p, q := pics[0].seen[4*i:], pics[1].seen[4*i:]; p[0] > 0 && q[0] > 0 {
			deep, met = deep+math.Abs(float64(p[1]-q[1])), met+1
		}
		for g := range pics[0].parts {
			for c := range 3 {
				p, q := float64(pics[0].parts[g][3*i+c]), float64(pics[1].parts[g][3*i+c])
				layer = max(layer, math.Abs(p-q)/(q+0.1))
			}
		}
	}
	rays, all := pics[0].rays.Load(), pics[1].rays.Load()
	t.Logf("%-24s %3.0f %% of %d rays; worst %.2f, mean %.4f of 255, %d beyond 2, a layer %.3f; depth %.4f m off over %d", l.name, 100*float64(rays)/float64(all), all, worst, sum, many, layer, deep/float64(max(met, 1)), met)
	if worst > 25 || sum > 0.15 || many > w*h/100 || layer > 0.1 || deep/float64(max(met, 1)) > 1.0/64 {
		t.Errorf("%s at %d × %d: worst %.2f and mean %.4f of 255, %d beyond 2, a layer %.3f, depth %.4f m off", l.name, w, h, worst, sum, many, layer, deep/float64(max(met, 1)))
	}
	if l.passes > 0 && rays > all*2/3 {
		t.Errorf("%s: %d of %d rays", l.name, rays, all)
	}
}

// A picture alone, whose pixels are kept by rows where they show volumes before sky or ground,
// shows what one with all its layers does: up to the horizon, beside things and in fire's light,
// at sizes that no block fits into.
func TestPicturesAloneShowTheSame(t *testing.T) {
	crew := grid.NewCrew(2)
	lit := func(n int, change func(s *Scene)) *Scene {
		s := likenesses()[n].scene("march")
		s.Look.Ground, s.Look.GroundColour, s.Look.Background = true, look.RGB{0.3, 0.2, 0.1}, "sky"
		change(s)
		return s
	}
	sphere := Solid{Shape: geom.Shape{Form: geom.Sphere, Centre: geom.V(0.4, 0.3, 0.3), Size: geom.V(0.2, 0.2, 0.2), Taper: 1}, Colour: look.RGB{0.6, 0.3, 0.2}}
	for name, s := range map[string]*Scene{
		"sun on ground":          lit(1, func(s *Scene) {}),
		"fire on ground":         lit(3, func(s *Scene) { s.Look.Sky = look.RGB{0.02, 0.03, 0.04} }),
		"a ball on ground":       lit(3, func(s *Scene) { s.Solids = []Solid{sphere} }),
		"ground under no sky":    lit(1, func(s *Scene) { s.Look.Background = "none" }),
		"dark ground":            lit(3, func(s *Scene) { s.Look.Sun, s.Look.Sky, s.Look.FlameLight = look.RGB{}, look.RGB{}, 0 }),
		"ground that is a plate": lit(3, func(s *Scene) { s.Look.Catcher = true }),
		"from within smoke": lit(1, func(s *Scene) {
			s.Camera = NewCamera(geom.V(0.1, 0.6, 0.1), geom.V(0, 0, 0), 60)
		}),
	} {
		for _, size := range [][2]int{{320, 200}, {251, 163}} {
			w, h := size[0], size[1]
			var pics [2]*Picture
			for n, k := range []Wants{{}, {Layers: true}} {
				p, err := NewWith(s, w, h, k, crew)
				if err != nil {
					t.Fatal(err)
				}
				p.Pass(nil)
				pics[n] = p
			}
			shown := 0.0
			for i := range w * h {
				a, x := pics[0].At(i%w, i/w)
				b, y := pics[1].At(i%w, i/w)
				shown += b.Max()
				for c := range 3 {
					if d := math.Abs(a[c] - b[c]); !(d <= 2e-5*(1+b[c])) || !(math.Abs(x-y) <= 2e-5) {
						t.Fatalf("%s at %d × %d, pixel %d, %d: %.6v, alpha %.6f, and with layers %.6v, %.6f", name, w, h, i%w, i/w, a, x, b, y)
					}
				}
			}
			if shown == 0 {
				t.Errorf("%s: a black picture", name)
			}
		}
	}
}

// A pass that is stopped in the middle of a survey goes on, and shows the same.
func TestASurveyMayBeStopped(t *testing.T) {
	var pics [2]*Picture
	for n := range pics {
		p, err := New(likenesses()[0].scene("march"), 160, 90, grid.NewCrew(1))
		if err != nil {
			t.Fatal(err)
		}
		for most := 1; ; most += 7 {
			asked := 0
			if p.Pass(func() bool { asked++; return n == 1 && asked > most }) {
				break
			}
		}
		pics[n] = p
	}
	for i, v := range pics[0].sum {
		if v != pics[1].sum[i] {
			t.Fatalf("value %d is %g, and %g where the pass was stopped on the way", i, v, pics[1].sum[i])
		}
	}
}

// Blocks in which no surface is seen are told from the others, wherever things stand.
func TestBlocksWithoutSurfacesAreTold(t *testing.T) {
	s := likenesses()[0].scene("march")
	s.Solids = []Solid{{Shape: geom.Shape{Form: geom.Sphere, Centre: geom.V(-0.6, 1, 0), Size: geom.V(0.15, 0.15, 0.15), Taper: 1}}}
	for _, ground := range []bool{false, true} {
		s.Look.Ground = ground
		p, err := New(s, 320, 200, grid.NewCrew(1))
		if err != nil {
			t.Fatal(err)
		}
		y := p.newSurvey()
		tr := &trip{s: s, cam: &s.Camera, solids: s.Solids}
		free := 0
		for b := range p.count {
			x0, y0 := b%p.across*block, b/p.across*block
			if !y.free(p, x0, y0) {
				continue
			}
			free++
			for q := range block * block {
				d := s.Camera.ray(float64(x0+q%block)+0.5, float64(y0+q/block)+0.5, p.W, p.H)
				if _, hit := s.trace(tr, s.Camera.Eye, d, math.Inf(1), false); hit {
					t.Fatalf("a ray of the block at %d, %d meets something", x0, y0)
				}
			}
		}
		if free < len(p.count)/5 || free == len(p.count) {
			t.Errorf("%d of %d blocks are free", free, len(p.count))
		}
	}
	// a thing about the eye may be seen anywhere
	s.Look.Ground = false
	s.Solids[0].Shape.Centre = s.Camera.Eye
	p, _ := New(s, 64, 64, grid.NewCrew(1))
	if y := p.newSurvey(); y != nil && y.free(p, 0, 0) {
		t.Error("a block is free, with the eye within a solid")
	}
}
