package gas

import (
	"math"

	"zarf/core/geom"
	"zarf/core/grid"
	"zarf/core/sim"
)

// blocks are the pieces of a guide's line that may be nearest within each
// block of 8³ cells.
// list is by block, x fastest; nil where the guide doesn't reach.
type blocks struct {
	line   *geom.Line
	reach  float64
	low    [3]int
	dims   grid.Dims
	nx, ny int
	list   [][]int32
}

const blockSize = 8

// nearPieces lists for each block of 8³ cells the pieces of a curve that can be
// the nearest one to some point of it, so that a cell tries two or three in place
// of all. Blocks out of reach have none.
//
// A piece can be nearest to some point of a block if it is at most the block's
// diameter farther from its middle than the nearest one: the triangle inequality,
// twice.
func (s *Solver) nearPieces(b *blocks, g *sim.Guide) {
	// The largest along the curve bounds all of it.
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
	// Half the block's diagonal, and a tenth for the faces beyond its cells.
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
					// Every piece is tried for every block once; cells then try what
					// is left.
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

// wishes are what a guide wants in the middle of every cell, kept as long as
// its curve and its values stay.
// Four numbers a cell: memory that only a domain with guides pays.
type wishes struct {
	near blocks
	of   sim.Guide
	v    [3][]float32
	w    []float32
}

// wishField works out in the middle of every cell what a guide wants there. It is
// kept as long as the guide and the box stay: distances to a curve cost more than
// all other forces.
func (s *Solver) wishField(f *wishes, g *sim.Guide) {
	// A copy of the head, to compare the box with after it was renewed.
	old := f.near
	s.nearPieces(&f.near, g)
	if f.w != nil && f.of.Same(g) && old.low == s.Low && old.dims == s.Dims {
		return
	}
	f.of = *g
	n := s.Dims.Len()
	if len(f.w) != n {
		f.w = make([]float32, n)
		for a := range f.v {
			f.v[a] = make([]float32, n)
		}
	}
	b := &f.near
	s.crew.For(s.NZ, 1, func(k0, k1 int) {
		for k := k0; k < k1; k++ {
			for j := range s.NY {
				row := b.list[(k/blockSize*b.ny+j/blockSize)*b.nx:][:b.nx]
				o := s.Index(0, j, k)
				for i := range s.NX {
					var v geom.Vec3
					var w float64
					if pieces := row[i/blockSize]; pieces != nil {
						v, w = g.Wish(s.Origin.Add(geom.V(float64(i)+0.5, float64(j)+0.5, float64(k)+0.5).Mul(s.H)), pieces)
					}
					f.w[o+i] = float32(w)
					f.v[0][o+i], f.v[1][o+i], f.v[2][o+i] = float32(v.X), float32(v.Y), float32(v.Z)
				}
			}
		}
	})
}

// guide draws the velocity towards the guide's wish, the mean of the two cells
// at a face: u += (1 − e^(−grip w dt)) (wish − u).
// Exactly for a constant wish, so any grip is stable.
func (s *Solver) guide(dt float64, g *sim.Guide, n int) {
	if g.Line == nil || len(g.Line.P) < 2 || g.Reach <= 0 || g.Grip <= 0 {
		return
	}
	for len(s.guides) <= n {
		s.guides = append(s.guides, &wishes{})
	}
	f := s.guides[n]
	s.wishField(f, g)
	rate := -g.Grip * dt
	step := [3]int{1, s.NX, s.NX * s.NY}
	for axis, u := range s.velocity() {
		size := [3]int{s.NX, s.NY, s.NZ}
		s.each(onU+axis, func(i, j, k, o, n int) {
			at := [3]int{i, j, k}
			for m := range n {
				at[0] = i + m
				// beyond the ends of the box the cell within speaks alone
				hi := min(at[axis], size[axis]-1) - at[axis]
				lo := max(at[axis]-1, 0) - at[axis]
				c := s.Index(at[0], at[1], at[2])
				a, b := c+hi*step[axis], c+lo*step[axis]
				// Both weights are 0 in most of a domain, which ends the work for
				// the face.
				w := (f.w[a] + f.w[b]) / 2
				if w == 0 {
					continue
				}
				want := (f.v[axis][a] + f.v[axis][b]) / 2
				u.Data[o+m] += float32(1-math.Exp(rate*float64(w))) * (want - u.Data[o+m])
			}
		})
	}
}
