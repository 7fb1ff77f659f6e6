package vec

import (
	"fmt"
	"unsafe"
)

// Bunch is how many particles kernels on particles take at most.
const Bunch = 256

// Column holds one number of each particle of a batch.
type Column [Bunch]float32

// Staggered are the four lattices of a staggered grid, for particles in a box of
// n voxels: velocities on the faces across x, y and z, and the middles of cells. All
// are laid out alike, as pairs of a value and its weight, with a node more
// than the box has cells on every side, so that all particles within it find eight
// corners on each: node (i, j, k) of a lattice is number ((k+1)·(ny+2) + j+1)·(nx+2) + i+1.
type Staggered struct {
	top    [3]float32
	c      [5]int32 // last cells; steps of y and z
	sy, sz int
	nodes  int
}

// NewStaggered panics unless each axis has a cell.
func NewStaggered(nx, ny, nz int) Staggered {
	if nx < 1 || ny < 1 || nz < 1 {
		panic(fmt.Sprintf("vec: a staggered grid of %d × %d × %d cells", nx, ny, nz))
	}
	g := Staggered{sy: nx + 2, sz: (nx + 2) * (ny + 2), nodes: (nx + 2) * (ny + 2) * (nz + 2)}
	for a, n := range [3]int{nx, ny, nz} {
		g.top[a], g.c[a] = float32(n), int32(n-1)
	}
	g.c[3], g.c[4] = int32(g.sy), int32(g.sz)
	return g
}

// Len is how many values a lattice holds, two a node.
func (g *Staggered) Len() int { return 2 * g.nodes }

// Row is the place in a lattice of the value of node (0, j, k); j and k go from −1 to
// one more than the last cell.
func (g *Staggered) Row(j, k int) int { return 2 * ((k+1)*g.sz + (j+1)*g.sy + 1) }

// Placing tells where the particles of a batch lie on the four lattices: the node at
// their lower corner, and the share of the way to the next one on whole and on half
// positions.
type Placing struct {
	node        [4][Bunch]int32
	whole, half [3]Column
	known       int
}

// Place finds the first n particles of a batch; positions are in voxels, those outside
// the box are taken as on its border, NaN as 0.
func (g *Staggered) Place(p *Placing, x *[3]Column, n int) {
	p.known = up(n)
	switch Chosen {
	case AVX512:
		placeAVX512(at32(&p.node[0]), &x[0][0], &g.top, &g.c, p.known)
	case AVX2:
		placeAVX2(at32(&p.node[0]), &x[0][0], &g.top, &g.c, p.known)
	default:
		for i := range p.known {
			var base int32
			var on [3]int32
			for a := range 3 {
				v := x[a][i]
				if !(v > 0) {
					v = 0
				}
				v = min(v, g.top[a])
				cell := min(int32(v), g.c[a])
				p.whole[a][i] = v - float32(cell)
				v += 0.5
				near := int32(v)
				p.half[a][i] = v - float32(near)
				step := [3]int32{1, g.c[3], g.c[4]}[a]
				base += near * step
				on[a] = (cell + 1 - near) * step
			}
			for a := range 3 {
				p.node[a][i] = base + on[a]
			}
			p.node[3][i] = base
		}
	}
}

// up is n rounded up to whole blocks.
func up(n int) int {
	if n < 0 || n > Bunch {
		panic(fmt.Sprintf("vec: a batch of %d particles", n))
	}
	return (n + Lanes - 1) &^ (Lanes - 1)
}

// shares are how far along x, y and z particle i is on a lattice.
func (p *Placing) shares(lattice, i int) (f [3]float32) {
	for a := range f {
		f[a] = p.half[a][i]
		if a == lattice {
			f[a] = p.whole[a][i]
		}
	}
	return f
}

// weight is that of a corner: bit 0 is up along x, bit 1 along y, bit 2 along z.
func weight(f *[3]float32, corner int) float32 {
	var d [3]float32
	for a := range d {
		d[a] = float32(1-corner>>a&1) - f[a]
	}
	return abs(float32(float32(d[0]*d[1]) * d[2]))
}

// streams is how many places of a batch scattering takes in turn.
const streams = 8

// Scatter adds the first n particles of a batch to their corners: on each lattice the
// value v there times the corner's weight, and the weight. Slopes are how a particle's
// velocity changes with the place, a row for each part of it, a voxel; none: it doesn't.
func (g *Staggered) Scatter(to *[4][]float32, p *Placing, v *[4]Column, slopes [][3][3]float32, n int) {
	g.fits(p, n, to[:])
	if slopes != nil && len(slopes) < n {
		panic(fmt.Sprintf("vec: slopes of %d particles, %d are needed", len(slopes), n))
	}
	if n == 0 {
		return
	}
	a, b, c, d, at := &to[0][0], &to[1][0], &to[2][0], &to[3][0], at32(&p.node[0])
	switch {
	case Chosen == AVX512 && slopes == nil:
		scatterAVX512(a, b, c, d, at, &v[0][0], g.sy, g.sz, n)
	case Chosen == AVX512:
		scatterSlopesAVX512(a, b, c, d, at, &v[0][0], &slopes[0][0][0], g.sy, g.sz, n)
	case Chosen == AVX2 && slopes == nil:
		scatterAVX2(a, b, c, d, at, &v[0][0], g.sy, g.sz, n)
	case Chosen == AVX2:
		scatterSlopesAVX2(a, b, c, d, at, &v[0][0], &slopes[0][0][0], g.sy, g.sz, n)
	default:
		stride := (n + streams - 1) / streams
		for first := range stride {
			for i := first; i < n; i += stride {
				var slope *[3][3]float32
				if slopes != nil {
					slope = &slopes[i]
				}
				g.scatter(to, p, v, slope, i)
			}
		}
	}
}

// scatter is the reference: a particle.
func (g *Staggered) scatter(to *[4][]float32, p *Placing, v *[4]Column, slope *[3][3]float32, i int) {
	for l := range 4 {
		f := p.shares(l, i)
		for corner := range 8 {
			w, value := weight(&f, corner), v[l][i]
			if slope != nil && l < 3 {
				for a := range 3 {
					value += float32((float32(corner>>a&1) - f[a]) * slope[l][a])
				}
			}
			at := to[l][2*(int(p.node[l][i])+corner&1+corner>>1&1*g.sy+corner>>2*g.sz):]
			at[0] += float32(w * value)
			at[1] += w
		}
	}
}

// fits panics unless n particles were placed, on lattices that are there.
func (g *Staggered) fits(p *Placing, n int, lattices [][]float32) {
	if n < 0 || n > p.known {
		panic(fmt.Sprintf("vec: %d particles, of which %d were placed", n, p.known))
	}
	for _, l := range lattices {
		Row(g.Len(), l)
	}
}

// Lead is sum += share·k and y = x + ahead·k, for the first n particles of a batch and
// up to 15 more.
func Lead(y, sum, x, k *Column, ahead, share float32, n int) {
	n = up(n)
	switch Chosen {
	case AVX512:
		leadAVX512(&y[0], &sum[0], &x[0], &k[0], ahead, share, n)
	case AVX2:
		leadAVX2(&y[0], &sum[0], &x[0], &k[0], ahead, share, n)
	default:
		for i, v := range k[:n] {
			sum[i] += float32(share * v)
			y[i] = x[i] + float32(ahead*v)
		}
	}
}

// MoveWithin is x += k, but by no more than limit to either side, for the first n
// particles of a batch and up to 15 more.
func MoveWithin(x, k *Column, limit float32, n int) {
	n = up(n)
	switch Chosen {
	case AVX512:
		moveWithinAVX512(&x[0], &k[0], limit, n)
	case AVX2:
		moveWithinAVX2(&x[0], &k[0], limit, n)
	default:
		for i, v := range k[:n] {
			x[i] += min(max(v, -limit), limit)
		}
	}
}

// Cells are the cells of the first n particles of a batch, and up to 15 more, in a box
// without margins: positions lie within it.
func (g *Staggered) Cells(to *[Bunch]int32, x *[3]Column, n int) {
	n = up(n)
	c := g.c
	c[3], c[4] = c[0]+1, (c[0]+1)*(c[1]+1)
	switch Chosen {
	case AVX512:
		cellsAVX512(&to[0], &x[0][0], &c, n)
	case AVX2:
		cellsAVX2(&to[0], &x[0][0], &c, n)
	default:
		for i := range n {
			to[i] = min(int32(x[0][i]), c[0]) + min(int32(x[1][i]), c[1])*c[3] + min(int32(x[2][i]), c[2])*c[4]
		}
	}
}

// Record are eight numbers of a particle.
type Record = [8]float32

// Columns turns records into columns; those after the last record are left as they are
// but for the next 15, which repeat it.
func Columns(dst *[8]Column, src []Record) {
	n := len(src)
	whole := n / 8
	switch {
	case up(n) == 0:
		return
	case whole == 0:
	case Chosen == AVX512:
		columnsAVX512(&dst[0][0], &src[0][0], whole)
	case Chosen == AVX2:
		columnsAVX2(&dst[0][0], &src[0][0], whole)
	default:
		whole = 0
	}
	for i := 8 * whole; i < up(n); i++ {
		for c, v := range src[min(i, n-1)] {
			dst[c][i] = v
		}
	}
}

// Records turns columns into records.
func Records(dst []Record, src *[8]Column) {
	n := len(dst)
	whole := n / 8
	switch {
	case up(n) == 0:
		return
	case whole == 0:
	case Chosen == AVX512:
		recordsAVX512(&dst[0][0], &src[0][0], whole)
	case Chosen == AVX2:
		recordsAVX2(&dst[0][0], &src[0][0], whole)
	default:
		whole = 0
	}
	for i := 8 * whole; i < n; i++ {
		for c := range src {
			dst[i][c] = src[c][i]
		}
	}
}

// at32 is where whole numbers lie, as kernels take it that fill floats beside them.
func at32(p *[Bunch]int32) *float32 { return (*float32)(unsafe.Pointer(p)) }
