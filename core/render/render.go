package render

import (
	"fmt"
	"image"
	"image/color"
	"math"

	"zarf/core/geom"
	"zarf/core/grid"
	"zarf/core/look"
	"zarf/core/noise"
)

// Solid is a shape in the picture.
type Solid struct {
	Shape  geom.Shape
	Colour look.RGB
}

// Scene is all that is seen.
type Scene struct {
	Volumes []*Volume
	Solids  []Solid
	Look    look.Look
	Camera  Camera
}

// MaxPixels is the largest picture.
const MaxPixels = 8192 * 8192

// Picture is a rendering under way.
type Picture struct {
	W, H    int
	Samples int // taken so far
	scene   *Scene
	crew    grid.Crew
	sum     []float32 // RGBA, premultiplied, summed over samples
	lights  []*lightGrid
	march   bool
}

// New prepares a picture of w by h pixels.
func New(s *Scene, w, h int, crew grid.Crew) (*Picture, error) {
	if w < 1 || h < 1 || w*h > MaxPixels {
		return nil, fmt.Errorf("render: a picture of %d x %d pixels can't be made; up to %d pixels can", w, h, MaxPixels)
	}
	p := &Picture{W: w, H: h, scene: s, crew: crew, sum: make([]float32, 4*w*h), march: s.Look.Method != "path"}
	if p.march {
		mean := (s.Look.Extinction[0] + s.Look.Extinction[1] + s.Look.Extinction[2]) / 3
		for _, v := range s.Volumes {
			p.lights = append(p.lights, newLight(v, mean, s.Look.SunDir, crew))
			p.lights[len(p.lights)-1].warm(v, mean, s.Look.FlameLight, crew)
		}
	}
	return p, nil
}

// Pass adds one sample to every pixel; it stops early where stop says so, and
// then the pass doesn't count.
func (p *Picture) Pass(stop func() bool) bool {
	rows := make([]float32, len(p.sum))
	halted := false
	n := p.Samples
	p.crew.For(p.H, 4, func(lo, hi int) {
		for y := lo; y < hi; y++ {
			if stop != nil && stop() {
				halted = true
				return
			}
			for x := range p.W {
				r := dice{seed: noise.Hash(0x7a7266, int64(x), int64(y), int64(n))}
				jx, jy := 0.5, 0.5
				if n > 0 || !p.march {
					jx, jy = r.next(), r.next()
				}
				d := p.scene.Camera.ray(float64(x)+jx, float64(y)+jy, p.W, p.H)
				var c look.RGB
				var a float64
				if p.march {
					c, a = p.marchRay(p.scene.Camera.Eye, d, &r)
				} else {
					c, a = p.scene.path(p.scene.Camera.Eye, d, &r)
				}
				o := 4 * (y*p.W + x)
				rows[o], rows[o+1], rows[o+2], rows[o+3] = float32(c[0]), float32(c[1]), float32(c[2]), float32(a)
			}
		}
	})
	if halted {
		return false
	}
	for i, v := range rows {
		p.sum[i] += v
	}
	p.Samples++
	return true
}

// At is the mean of pixel (x,y): linear, premultiplied, before exposure.
func (p *Picture) At(x, y int) (c look.RGB, alpha float64) {
	if p.Samples == 0 {
		return look.RGB{}, 0
	}
	o, s := 4*(y*p.W+x), 1/float64(p.Samples)
	return look.RGB{float64(p.sum[o]) * s, float64(p.sum[o+1]) * s, float64(p.sum[o+2]) * s}, float64(p.sum[o+3]) * s
}

// Image is the picture so far through exposure, view transform and sRGB, with
// straight alpha.
func (p *Picture) Image() *image.NRGBA {
	img := image.NewNRGBA(image.Rect(0, 0, p.W, p.H))
	gain := math.Exp2(p.scene.Look.Exposure)
	p.crew.For(p.H, 8, func(lo, hi int) {
		for y := lo; y < hi; y++ {
			for x := range p.W {
				c, a := p.At(x, y)
				if a > 0 {
					c = c.Scale(gain / a)
				}
				c = look.Tone(c)
				to := func(v float64) uint8 {
					return uint8(min(max(look.Transfer(v)*255+0.5, 0), 255))
				}
				img.SetNRGBA(x, y, color.NRGBA{to(c[0]), to(c[1]), to(c[2]), uint8(min(max(a, 0), 1)*255 + 0.5)})
			}
		}
	})
	return img
}

// hit is where a ray meets something solid.
type hit struct {
	t      float64
	normal geom.Vec3
	colour look.RGB
	off    float64 // m: how far from the surface rays that leave it must start
}

const groundSize = 1e4 // m; beyond it the horizon is sky

// trace finds the nearest solid along a ray, up to far.
func (s *Scene) trace(o, d geom.Vec3, far float64) (hit, bool) {
	best := hit{t: far}
	found := false
	if s.Look.Ground && d.Y < 0 {
		if t := -o.Y / d.Y; t > 1e-4 && t < best.t && t < groundSize {
			best, found = hit{t, geom.V(0, 1, 0), s.Look.GroundColour, 1e-3 * max(1, t*0.01)}, true
		}
	}
	for i := range s.Solids {
		sh := &s.Solids[i].Shape
		size := sh.Size.MaxComponent()
		near, end, ok := sh.Bounds().Grow(size*1e-3).Ray(o, d)
		if !ok || near > best.t {
			continue
		}
		eps := size * 2e-4
		t := max(near, 0)
		for range 200 {
			if t > min(end, best.t) {
				break
			}
			dist := sh.Distance(o.Add(d.Mul(t)))
			if dist < eps {
				best, found = hit{t, sh.Normal(o.Add(d.Mul(t))), s.Solids[i].Colour, 4 * eps}, true
				break
			}
			t += dist
		}
	}
	return best, found
}

// blocked reports a solid between p and the sun.
func (s *Scene) blocked(p geom.Vec3) bool {
	_, hit := s.trace(p, s.Look.SunDir, math.Inf(1))
	return hit
}

// backdrop is what stands behind everything: its light and its alpha.
func (s *Scene) backdrop(d geom.Vec3) (look.RGB, float64) {
	switch s.Look.Background {
	case "none":
		return look.RGB{}, 0
	case "grey":
		return look.RGB{0.18, 0.18, 0.18}, 1
	}
	return s.Look.SkyLight(d), 1
}
