package sim

import (
	"math"
	"slices"

	"zarf/core/geom"
)

// Guide leads the fluid along a curve. Within Reach of it the velocity is drawn
// towards a wish: Pace along the curve, Draw towards it, Swirl round it.
//
// With r the distance over the reach, the weight is (1 − r²)², which is flat at
// both ends; Draw grows with r, so that the middle isn't squeezed; Swirl is
// 2r/(r² + ¼)/2, fastest at half the reach.
type Guide struct {
	Line                     *geom.Line // the same pointer as long as the curve stays
	Pace, Draw, Swirl, Reach float64    // m/s; Reach in m
	Along                    [4][]float64
	Grip                     float64 // 1/s
}

// factor is a profile's value at a share s of the length: 1 where there is
// none, and smooth between its numbers.
func factor(profile []float64, s float64) float64 {
	switch len(profile) {
	case 0:
		return 1
	case 1:
		return profile[0]
	}
	x := s * float64(len(profile)-1)
	i := min(int(x), len(profile)-2)
	t := x - float64(i)
	t = t * t * (3 - 2*t)
	return profile[i] + (profile[i+1]-profile[i])*t
}

// Wish is the velocity that the guide wants at p, and how much it has to say
// there, 0 to 1. Pieces are the parts of the line to look at; nil means all.
// At the curve itself nothing draws or swirls; beyond the reach nothing is wished.
func (g *Guide) Wish(p geom.Vec3, pieces []int32) (v geom.Vec3, w float64) {
	best, at, share := math.Inf(1), -1, 0.0
	try := func(i int) {
		if d2, t := g.Line.Near(i, p); d2 < best {
			best, at, share = d2, i, t
		}
	}
	if pieces == nil {
		for i := range len(g.Line.P) - 1 {
			try(i)
		}
	}
	for _, i := range pieces {
		try(int(i))
	}
	if at < 0 {
		return v, 0
	}
	s := g.Line.S[at] + (g.Line.S[at+1]-g.Line.S[at])*share
	reach := g.Reach * factor(g.Along[3], s)
	d := math.Sqrt(best)
	if d >= reach || reach <= 0 {
		return v, 0
	}
	r := d / reach
	w = (1 - r*r) * (1 - r*r)
	// the direction turns smoothly over the joints
	dir := g.Line.P[at+1].Sub(g.Line.P[at]).Unit()
	if share < 0.5 && at > 0 {
		dir = dir.Mul(0.5 + share).Add(g.Line.P[at].Sub(g.Line.P[at-1]).Unit().Mul(0.5 - share)).Unit()
	} else if share > 0.5 && at+2 < len(g.Line.P) {
		dir = dir.Mul(1.5 - share).Add(g.Line.P[at+2].Sub(g.Line.P[at+1]).Unit().Mul(share - 0.5)).Unit()
	}
	v = dir.Mul(g.Pace * factor(g.Along[0], s))
	if d > 1e-9 {
		foot := g.Line.P[at].Add(g.Line.P[at+1].Sub(g.Line.P[at]).Mul(share))
		in := foot.Sub(p).Mul(1 / d)
		v = v.Add(in.Mul(g.Draw * factor(g.Along[1], s) * r))
		v = v.Add(in.Cross(dir).Mul(g.Swirl * factor(g.Along[2], s) * r / (r*r + 0.25)))
	}
	return v, w
}

// Same reports a guide that wants the same everywhere.
func (g *Guide) Same(o *Guide) bool {
	for n := range g.Along {
		if !slices.Equal(g.Along[n], o.Along[n]) {
			return false
		}
	}
	return g.Line == o.Line && g.Pace == o.Pace && g.Draw == o.Draw && g.Swirl == o.Swirl && g.Reach == o.Reach
}
