package render

import (
	"math"
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
	many := 0
	shows := func(v float64) float64 { return 255 * srgb.Encode(min(v, 1)) }
	for _, l := range scenes {
		s := l.scene("march")
		many = 0
		var pics [2]*Picture
		for n := range pics {
			p, err := NewWith(s, w, h, Wants{Layers: true, Features: true}, crew)
			if err != nil {
				t.Fatal(err)
			}
			p.every = n == 1
			p.Pass(nil)
			pics[n] = p
		}
		worst, sum, deep, layer, met := 0.0, 0.0, 0.0, 0.0, 0
		for i := range w * h {
			a, x := pics[0].At(i%w, i/w)
			b, y := pics[1].At(i%w, i/w)
			worst = max(worst, 255*math.Abs(x-y))
			for c := range 3 {
				d := math.Abs(shows(a[c]) - shows(b[c]))
				if worst, sum = max(worst, d), sum+d/(3*w*h); d > 2 {
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
			t.Errorf("%s: worst %.2f and mean %.4f of 255, %d beyond 2, a layer %.3f, depth %.4f m off", l.name, worst, sum, many, layer, deep/float64(max(met, 1)))
		}
		if l.passes > 0 && rays > all*2/3 {
			t.Errorf("%s: %d of %d rays", l.name, rays, all)
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
