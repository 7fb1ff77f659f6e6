package surface

// Meshing level sets without a table of cases: a vertex in each crossed cell, a quad
// round each crossed edge. Vertices are shared by construction, so what comes out is
// closed.

import (
	"zarf/core/geom"
)

// Lattice is a scalar on points, x fastest.
type Lattice struct {
	N      [3]int
	H      float64
	Origin geom.Vec3
	V      []float32
}

// At is the index of a point.
func (l *Lattice) At(i, j, k int) int { return (k*l.N[1]+j)*l.N[0] + i }

// edges of a cell, by its corners: corner c is at (c&1, c>>1&1, c>>2).
var edges = [12][2]uint8{{0, 1}, {2, 3}, {4, 5}, {6, 7}, {0, 2}, {1, 3}, {4, 6}, {5, 7}, {0, 4}, {1, 5}, {2, 6}, {3, 7}}

// Nets makes the mesh of the places where the lattice is at level. Faces look
// towards larger values. The same lattice gives the same mesh on any number
// of threads.
func Nets(l *Lattice, level float32, work geom.Workers) *geom.Mesh {
	nx, ny, nz := l.N[0], l.N[1], l.N[2]
	if nx < 2 || ny < 2 || nz < 2 {
		return &geom.Mesh{}
	}
	layers := nz - 1
	points := make([][]geom.Vec3, layers)
	cells := make([][]cell, layers)
	where := make([]int32, (nx-1)*(ny-1)*layers) // vertex of a cell within its layer, plus one
	// Two passes, each a layer a piece: first vertices, numbered within their layer,
	// then faces, when it is known where each layer's vertices begin.
	work(layers, 1, func(lo, hi int) {
		for k := lo; k < hi; k++ {
			points[k], cells[k] = l.layer(k, level, where[k*(nx-1)*(ny-1):][:(nx-1)*(ny-1)])
		}
	})
	base := make([]int32, layers+1)
	for k := range layers {
		base[k+1] = base[k] + int32(len(points[k]))
	}
	m := &geom.Mesh{P: make([]geom.Vec3, 0, base[layers])}
	for _, p := range points {
		m.P = append(m.P, p...)
	}
	// −1: 0 in where means that the cell has none
	vertex := func(i, j, k int) int32 { return base[k] + where[(k*(ny-1)+j)*(nx-1)+i] - 1 }
	tris := make([][][3]int32, layers)
	work(layers, 1, func(lo, hi int) {
		for k := lo; k < hi; k++ {
			out := make([][3]int32, 0, 2*len(cells[k])+8)
			quad := func(a, b, c, d int32, turned bool) {
				// the quad's turn follows from which end of the edge is inside
				if turned {
					b, d = d, b
				}
				out = append(out, [3]int32{a, b, c}, [3]int32{a, c, d})
			}
			// the three edges from the cell's low corner are its own; the
			// others belong to its neighbours
			for _, c := range cells[k] {
				i, j, in := int(c.i), int(c.j), c.mask&1 == 1
				if j > 0 && k > 0 && in != (c.mask&2 != 0) {
					quad(vertex(i, j-1, k-1), vertex(i, j, k-1), vertex(i, j, k), vertex(i, j-1, k), !in)
				}
				if i > 0 && k > 0 && in != (c.mask&4 != 0) {
					quad(vertex(i-1, j, k-1), vertex(i-1, j, k), vertex(i, j, k), vertex(i, j, k-1), !in)
				}
				if i > 0 && j > 0 && in != (c.mask&16 != 0) {
					quad(vertex(i-1, j-1, k), vertex(i, j-1, k), vertex(i, j, k), vertex(i-1, j, k), !in)
				}
			}
			tris[k] = out
		}
	})
	many := 0
	for _, t := range tris {
		many += len(t)
	}
	m.Tri = make([][3]int32, 0, many)
	for _, t := range tris {
		m.Tri = append(m.Tri, t...)
	}
	return m
}

// cell is one that the surface crosses; a bit of mask says a corner is inside.
type cell struct {
	i, j int32
	mask uint8
}

// layer finds the vertices of the cells between point layers k and k+1.
// Vertices lie at the mean of the crossings on their cell's edges, which rounds off
// corners by a third of a cell and never folds over.
func (l *Lattice) layer(k int, level float32, where []int32) (out []geom.Vec3, cells []cell) {
	nx, ny := l.N[0], l.N[1]
	for j := range ny - 1 {
		rows := [4][]float32{l.V[l.At(0, j, k):][:nx], l.V[l.At(0, j+1, k):][:nx], l.V[l.At(0, j, k+1):][:nx], l.V[l.At(0, j+1, k+1):][:nx]}
		side := func(i int) (m uint8) { // the corners of a cell at i
			if rows[0][i] < level {
				m = 1
			}
			if rows[1][i] < level {
				m |= 4
			}
			if rows[2][i] < level {
				m |= 16
			}
			if rows[3][i] < level {
				m |= 64
			}
			return m
		}
		// A cell shares four corners with the one before it: half of its mask is the
		// other's, shifted.
		next := side(0)
		for i := range nx - 1 {
			mask := next
			next = side(i + 1)
			mask |= next << 1
			if mask == 0 || mask == 255 {
				continue
			}
			v := [8]float32{rows[0][i], rows[0][i+1], rows[1][i], rows[1][i+1], rows[2][i], rows[2][i+1], rows[3][i], rows[3][i+1]}
			var sx, sy, sz, n float64
			for _, e := range edges {
				a, b := e[0], e[1]
				if mask>>a&1 == mask>>b&1 {
					continue
				}
				// where the edge is crossed, by linear interpolation
				t := float64((level - v[a]) / (v[b] - v[a]))
				x0, y0, z0 := float64(a&1), float64(a>>1&1), float64(a>>2)
				sx += x0 + t*(float64(b&1)-x0)
				sy += y0 + t*(float64(b>>1&1)-y0)
				sz += z0 + t*(float64(b>>2)-z0)
				n++
			}
			out = append(out, l.Origin.Add(geom.V(float64(i)+sx/n, float64(j)+sy/n, float64(k)+sz/n).Mul(l.H)))
			where[j*(nx-1)+i] = int32(len(out))
			cells = append(cells, cell{int32(i), int32(j), mask})
		}
	}
	return out, cells
}
