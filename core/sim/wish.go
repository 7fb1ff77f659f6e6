package sim

// Forces as functions of the place, for fluids that keep no fields of them.

import (
	"math"

	"zarf/core/geom"
	"zarf/core/noise"
)

// Wish draws a fluid towards a velocity, m/s, at a rate, 1/s. It is asked by several threads
// at once.
type Wish func(p geom.Vec3) (v geom.Vec3, rate float64)

// Wishes are those of drags, guides and shape pulls.
func (s *Scene) Wishes() (out []Wish) {
	for i := range s.Drags {
		d := &s.Drags[i]
		out = append(out, func(p geom.Vec3) (geom.Vec3, float64) { return geom.Vec3{}, d.Rate * d.Region.Weight(p) })
	}
	for i := range s.Guides {
		g := &s.Guides[i]
		out = append(out, func(p geom.Vec3) (geom.Vec3, float64) {
			v, share := g.Wish(p, nil)
			return v, share * g.Grip
		})
	}
	for i := range s.Pulls {
		g := &s.Pulls[i]
		out = append(out, func(p geom.Vec3) (geom.Vec3, float64) {
			switch far := g.Shape.Distance(p); {
			case far <= 0:
				return geom.Vec3{}, g.Keep
			case far < g.Reach: // as fast as it gathers, which it has taken up after a tenth of the reach
				return g.Shape.Normal(p).Mul(-g.Gather), 10 * g.Gather / g.Reach
			}
			return geom.Vec3{}, 0
		})
	}
	return out
}

// Stirs is turbulence as a push: noise of its own for each axis.
func (t *Turbulence) Stirs() Force {
	k := 1 / max(t.Size, 1e-6)
	inf := math.Inf(1)
	return Force{Region: t.Region, Reach: geom.Box{Min: geom.V(-inf, -inf, -inf), Max: geom.V(inf, inf, inf)}, At: func(p geom.Vec3) geom.Vec3 {
		n := func(axis uint64) float64 {
			return noise.Octaves(t.Seed+axis, max(t.Octaves, 1), p.X*k, p.Y*k+t.Phase, p.Z*k)
		}
		return geom.V(n(0), n(1), n(2)).Mul(2 * t.Strength)
	}}
}
