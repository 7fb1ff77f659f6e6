package render

import (
	"zarf/core/geom"
	"zarf/core/grid"
	"zarf/core/look"
)

// SideNames are the six sides from which tiles are lit one by one, as the
// camera sees them: back is beyond the thing, front on the viewer's side.
var SideNames = [6]string{"right", "left", "top", "bottom", "back", "front"}

// Sides renders the light from each of six sides alone, w by h pixels: grey,
// premultiplied, of a sun that makes what is white and faces it 1. Nothing
// glows, there is no sky. The march is used, whatever the look says.
func (s *Scene) Sides(w, h int, crew grid.Crew, stop func() bool) ([6][]float32, error) {
	var out [6][]float32
	c := s.Camera
	for n, dir := range [6]geom.Vec3{c.right, c.right.Mul(-1), c.up, c.up.Mul(-1), c.forward, c.forward.Mul(-1)} {
		one := Scene{Volumes: s.Volumes, Liquids: s.Liquids, Solids: s.Solids, Look: s.Look, Camera: s.Camera, Rate: s.Rate}
		// π: a white surface that faces the sun then gives 1
		k := &one.Look
		k.Method, k.Samples = "march", 1
		k.Sun, k.SunDir, k.Sky, k.SkyPicture = look.RGB{3.14159265, 3.14159265, 3.14159265}, dir, look.RGB{}, ""
		k.Flame, k.FlameLight, k.Ground, k.Liquid.Glow = 0, 0, false, 0
		p, err := New(&one, w, h, crew)
		if err != nil {
			return out, err
		}
		if !p.Pass(stop) {
			return out, nil
		}
		f := p.Frame()
		out[n] = make([]float32, w*h)
		for i := range out[n] {
			out[n][i] = 0.2126*f.Pix[4*i] + 0.7152*f.Pix[4*i+1] + 0.0722*f.Pix[4*i+2]
		}
	}
	return out, nil
}

// Heat is the mean temperature, K over the air's, of what is seen in each
// pixel: along the ray, weighted by what of it is not hidden. heat has the grid
// of the scene's first volume.
func (s *Scene) Heat(heat *grid.Field, w, h int, crew grid.Crew) []float32 {
	out := make([]float32, w*h)
	if heat == nil || len(s.Volumes) == 0 {
		return out
	}
	v := s.Volumes[0]
	sigma := (s.Look.Extinction[0] + s.Look.Extinction[1] + s.Look.Extinction[2]) / 3
	size := geom.V(float64(heat.NX), float64(heat.NY), float64(heat.NZ)).Mul(v.H)
	box := geom.Box{Min: v.Origin, Max: v.Origin.Add(size)}
	crew.For(h, 2, func(lo, hi int) {
		for y := lo; y < hi; y++ {
			for x := range w {
				d := s.Camera.ray(float64(x)+0.5, float64(y)+0.5, w, h)
				a, b, ok := box.Ray(s.Camera.Eye, d)
				if !ok {
					continue
				}
				clear, sum, weight := 1.0, 0.0, 0.0
				for t := max(a, 0) + v.H/2; t < b && clear > 1e-3; t += v.H {
					q := v.toGrid(s.Camera.Eye.Add(d.Mul(t)))
					k := float64(heat.Sample(float32(q.X)-0.5, float32(q.Y)-0.5, float32(q.Z)-0.5))
					thick := sigma * float64(v.Density.Sample(float32(q.X)-0.5, float32(q.Y)-0.5, float32(q.Z)-0.5)) * v.H
					if g := v.Glow[0]; g != nil { // flame hides nothing, and is seen
						thick = max(thick, s.Look.FlameThickness*v.H*float64(min(g.Sample(float32(q.X)-0.5, float32(q.Y)-0.5, float32(q.Z)-0.5), 1)))
					}
					share := clear * min(thick, 1)
					sum, weight, clear = sum+share*k, weight+share, clear-share
				}
				if weight > 1e-6 {
					out[y*w+x] = float32(sum / weight)
				}
			}
		}
	})
	return out
}
