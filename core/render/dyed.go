package render

// What a liquid carries, as it is seen: the share of a second liquid in its colour, and
// heat in its glow.

import (
	"math"

	"zarf/core/geom"
	"zarf/core/grid"
	"zarf/core/look"
)

// Carried are what a liquid carries, at the middles of voxels of its own: 0 where there is no
// liquid to tell.
type Carried struct {
	Heat *grid.Field // K over the air; nil where none is carried
	Mix  *grid.Field // share of the second liquid and none; nil where there is none
	None float64     // what Mix is for none of it
	Air  float64     // K
	H    float64
	Low  geom.Vec3
}

// near is the mean of a field about a place, of the cells that tell something.
func (c *Carried) near(f *grid.Field, p geom.Vec3) (v float64, ok bool) {
	q := p.Sub(c.Low).Mul(1 / c.H)
	x, y, z := q.X-0.5, q.Y-0.5, q.Z-0.5
	i, j, k := int(math.Floor(x)), int(math.Floor(y)), int(math.Floor(z))
	fx, fy, fz := x-float64(i), y-float64(j), z-float64(k)
	var sum, all float64
	for n := range 8 {
		a, b, d := i+n&1, j+n>>1&1, k+n>>2
		if a < 0 || b < 0 || d < 0 || a >= f.NX || b >= f.NY || d >= f.NZ {
			continue
		}
		t := float64(f.At(a, b, d))
		if t == 0 {
			continue
		}
		w := [2]float64{1 - fx, fx}[n&1] * [2]float64{1 - fy, fy}[n>>1&1] * [2]float64{1 - fz, fz}[n>>2]
		sum, all = sum+w*t, all+w
	}
	if all < 1e-6 {
		return 0, false
	}
	return sum / all, true
}

// share is how much of the second liquid there is at a place.
func (c *Carried) share(p geom.Vec3) float64 {
	if c.Mix == nil {
		return 0
	}
	v, _ := c.near(c.Mix, p)
	return min(max(v-c.None, 0), 1)
}

// dye gives a liquid's surface its colour, and its glow where it is opaque.
func (s *Scene) dye(h *hit, l *Liquid, at geom.Vec3) {
	k := &s.Look.Liquid
	h.colour, h.glow = k.Colour, k.Colour.Scale(k.Glow)
	if l.Carried == nil {
		return
	}
	if u := l.Carried.share(at); u > 0 {
		h.colour = k.Colour.Scale(1 - u).Add(k.Second.Scale(u))
		h.glow = h.colour.Scale(k.Glow)
	}
	if k.ByHeat && l.Carried.Heat != nil {
		h.glow = look.RGB{}
		if t, ok := l.Carried.near(l.Carried.Heat, at); ok {
			h.glow = look.Glow(l.Carried.Air + t).Scale(k.Glow)
		}
	}
}

// looksAlong is at how many places a way through a mixed liquid is looked at.
const looksAlong = 8

// soakedAlong is soaked for a way through liquids that may be mixed: by how much there is of
// each along it.
func (s *Scene) soakedAlong(m medium, o, d geom.Vec3, far float64) look.RGB {
	if m != inLiquid || math.IsInf(far, 0) {
		return s.soaked(m, far)
	}
	var of *Carried
	for _, l := range s.Liquids {
		if l.Carried != nil && l.Carried.Mix != nil {
			of = l.Carried
		}
	}
	if of == nil {
		return s.soaked(m, far)
	}
	u := 0.0
	for n := range looksAlong {
		u += of.share(o.Add(d.Mul(far * (float64(n) + 0.5) / looksAlong)))
	}
	u /= looksAlong
	var out look.RGB
	for c := range out {
		out[c] = math.Exp(-far * (s.Look.Liquid.Absorb[c]*(1-u) + s.Look.Liquid.Soak[c]*u))
	}
	return out
}
