package gas

import (
	"math"

	"zarf/core/geom"
	"zarf/core/grid"
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

// blocks are the pieces of a guide's line that may be nearest within each
// block of 8³ cells.
type blocks struct {
	line   *geom.Line
	reach  float64
	low    [3]int
	dims   grid.Dims
	nx, ny int
	list   [][]int32
}

const blockSize = 8

func (s *Solver) nearPieces(b *blocks, g *Guide) {
	reach := 0.0
	for n := range max(1, len(g.Along[3])) {
		f := 1.0
		if n < len(g.Along[3]) {
			f = g.Along[3][n]
		}
		reach = max(reach, g.Reach*f)
	}
	if b.line == g.Line && b.reach == reach && b.low == s.Low && b.dims == s.Dims {
		return
	}
	b.line, b.reach, b.low, b.dims = g.Line, reach, s.Low, s.Dims
	count := func(n int) int { return n/blockSize + 1 } // faces reach one past the cells
	b.nx, b.ny = count(s.NX), count(s.NY)
	nz := count(s.NZ)
	b.list = make([][]int32, b.nx*b.ny*nz)
	half := blockSize * s.H / 2
	radius := half * math.Sqrt(3) * 1.1
	pieces := len(g.Line.P) - 1
	s.crew.For(nz, 1, func(k0, k1 int) {
		dist := make([]float64, pieces)
		for k := k0; k < k1; k++ {
			for n := range b.nx * b.ny {
				i, j := n%b.nx, n/b.nx
				c := s.Origin.Add(geom.V(float64(i*blockSize), float64(j*blockSize), float64(k*blockSize)).Mul(s.H)).Add(geom.V(half, half, half))
				least := math.Inf(1)
				for x := range dist {
					d2, _ := g.Line.Near(x, c)
					dist[x] = math.Sqrt(d2)
					least = min(least, dist[x])
				}
				if least > reach+radius {
					continue
				}
				var list []int32
				for x, d := range dist {
					if d <= least+2*radius {
						list = append(list, int32(x))
					}
				}
				b.list[(k*b.ny+j)*b.nx+i] = list
			}
		}
	})
}

// guide draws the velocity towards the guide's wish:
// u += (1 − e^(−grip w dt)) (wish − u).
func (s *Solver) guide(dt float64, g *Guide, n int) {
	if g.Line == nil || len(g.Line.P) < 2 || g.Reach <= 0 || g.Grip <= 0 {
		return
	}
	for len(s.guides) <= n {
		s.guides = append(s.guides, blocks{})
	}
	b := &s.guides[n]
	s.nearPieces(b, g)
	for axis, f := range s.velocity() {
		s.each(onU+axis, func(i, j, k, o, n int) {
			row := b.list[(k/blockSize*b.ny+j/blockSize)*b.nx:][:b.nx]
			for m := 0; m < n; {
				at := (i + m) / blockSize
				end := min(n, (at+1)*blockSize-i)
				if pieces := row[at]; pieces != nil {
					for ; m < end; m++ {
						if v, w := g.Wish(s.facePoint(i+m, j, k, axis), pieces); w > 0 {
							u := &f.Data[o+m]
							*u += float32(1-math.Exp(-g.Grip*w*dt)) * (float32(v.Array()[axis]) - *u)
						}
					}
				}
				m = end
			}
		})
	}
}
