package render

// Solids that a liquid has wetted: they are darker there, as light that goes into a wet pore comes
// out less easily (Ångström 1925), and a film of liquid mirrors over them.

import (
	"zarf/core/geom"
	"zarf/core/grid"
	"zarf/core/look"
)

// Damp is where a liquid's solids are wet.
type Damp struct {
	Wet *grid.Field // 0 dry to 1 wet
	H   float64     // m
	Low geom.Vec3   // low corner
}

// film is how much of a film of liquid there is on solids in a medium: 1 in air.
func (m medium) film() float64 {
	if m == inAir {
		return 1
	}
	return 0
}

// darkens is how much of its colour a wet surface loses where it is grey; bright ones lose less.
const darkens = 0.6

// filmRough is how rough a film of liquid on a solid is.
const filmRough = 0.25

// moisten makes what is hit as wet as it is.
func (s *Scene) moisten(h *hit, p geom.Vec3) {
	w := float32(0)
	for i := range s.Damp {
		d := &s.Damp[i]
		q := p.Add(h.normal.Mul(0.3 * d.H)).Sub(d.Low).Mul(1 / d.H)
		if q.X < 0 || q.Y < 0 || q.Z < 0 || q.X > float64(d.Wet.NX) || q.Y > float64(d.Wet.NY) || q.Z > float64(d.Wet.NZ) {
			continue
		}
		w = max(w, d.Wet.Sample(float32(q.X-0.5), float32(q.Y-0.5), float32(q.Z-0.5)))
	}
	if w <= 0 {
		return
	}
	h.damp = float64(min(w, 1))
	h.darken(h.damp)
}

// Darker is a colour as being so wet, 0 to 1, has it.
func Darker(c look.RGB, wet float64) look.RGB {
	for a, v := range c {
		c[a] = v * (1 - darkens*wet*(1-v))
	}
	return c
}

// Charred is the colour of cloth that is burnt so far: brown, then nearly black.
func Charred(c look.RGB, burnt float64) look.RGB {
	brown := min(2*burnt, 1)
	for a, v := range c {
		c[a] = v * (1 - brown*[3]float64{0.55, 0.75, 0.85}[a]) * (1 - 0.8*max(2*burnt-1, 0))
	}
	return c
}

// soaks is how wet cloth is, as a share of what it holds, from which on water stands on its threads.
const soaks = 0.6

// gloss is how much of wet cloth a film covers.
func (h *hit) gloss() float64 { return min(max((h.soaked-soaks)/(1-soaks), 0), 1) }

// darken takes from a surface's colour what being so wet does.
func (h *hit) darken(wet float64) {
	h.colour = Darker(h.colour, wet)
}
