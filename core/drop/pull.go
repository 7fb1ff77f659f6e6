package drop

import (
	"math"

	"zarf/core/geom"
	"zarf/core/grid"
)

// pull is the attraction of pairs that makes a surface's tension: f(r) = a (r/R)(1 − r/R), where
// drops don't push each other already. For pairs of number density n the tension of a flat surface
// is σ = π/8 n² ∫ r⁴ f(r) dr (Fowler 1937).
type pull struct {
	r   float64 // reach, m
	one float64 // N/m for a = 1 N
}

func newPull(spacing, r float64) pull {
	const n = 400
	sum := 0.0
	for i := range n {
		x := r * (float64(i) + 0.5) / n
		sum += x * x * x * x * (x / r) * (1 - x/r) * r / n
	}
	many := 1 / (spacing * spacing * spacing)
	return pull{r, math.Pi / 8 * many * many * sum}
}

// attract lets pairs draw each other.
func (s *Set) attract(dt, tension float64, crew grid.Crew) {
	a := tension / s.pull.one / s.Mass() * dt
	r := s.pull.r
	crew.For(len(s.P), 64, func(lo, hi int) {
		for i := lo; i < hi; i++ {
			var by geom.Vec3
			s.near(i, func(j int32) {
				d := s.P[j].Sub(s.P[i])
				if l2 := d.Dot(d); l2 > 0 && l2 < r*r {
					l := math.Sqrt(l2)
					by = by.Add(d.Mul(a / r * (1 - l/r)))
				}
			})
			s.delta[i] = by
		}
	})
	for i, d := range s.delta {
		s.V[i] = s.V[i].Add(d)
	}
}

// cling draws a drop to what it wets: by the work of adhesion, σ (1 + cos θ) over its area, along a
// spacing.
func (s *Set) cling(i int, dt, tension float64) {
	if tension <= 0 {
		return
	}
	for k := range s.touch[i] {
		c := &s.touch[i][k]
		if d := s.P[i].Sub(c.C.Sub(c.V.Mul(dt))).Dot(c.N); d > 1.2*s.Spacing || c.Wets <= -1 {
			continue
		}
		by := c.N.Mul(-tension * (1 + c.Wets) * s.Spacing / s.Mass() * dt * dt)
		s.V[i], s.Q[i], c.Shift = s.V[i].Add(by.Mul(1/dt)), s.Q[i].Add(by), c.Shift.Add(by)
	}
}
