package liquid

import (
	"zarf/core/grid"
)

// Particle is a bit of liquid: the PerCell-th part of a voxel.
type Particle struct {
	X [3]float32    // voxels from the box's low corner
	V [3]float32    // m/s
	C [3][3]float32 // APIC: the slope of each part of the velocity, m/s a voxel
}

// cellOf is the cell of a particle; positions lie within the box.
func cellOf(d grid.Dims, x *[3]float32) int {
	i, j, k := min(int(x[0]), d.NX-1), min(int(x[1]), d.NY-1), min(int(x[2]), d.NZ-1)
	return d.Index(i, j, k)
}

// sortPieces is into how many runs particles are cut for counting; fixed, so
// that their order doesn't hang on threads.
const sortPieces = 8

// sort puts particles in the order of their cells, keeping the order within
// one, and fills start: cell c holds P[start[c]:start[c+1]].
//
// Most of it is writing 60 bytes a particle to its place. Sorted particles make every later pass walk through the grid once.
func (s *Solver) sort() {
	// A counting sort: stable, two passes, and its scatter is by runs. Each of eight
	// pieces counts for itself; prefix sums over cells and then pieces say where
	// each piece's particles of a cell begin, so that pieces scatter at once and the
	// order is that of one thread.
	n, cells := len(s.P), s.Len()
	if len(s.start) != cells+1 {
		s.start = make([]int32, cells+1)
		s.counts = make([][]int32, sortPieces)
		for p := range s.counts {
			s.counts[p] = make([]int32, cells)
		}
	}
	// a quarter more than needed: a pour grows in every substep
	if cap(s.spare) < n {
		s.spare = make([]Particle, n, n+n/4)
	}
	if cap(s.cell) < n { // spare and P change places, and P grows by itself
		s.cell = make([]int32, n, n+n/4)
	}
	out, cell := s.spare[:n], s.cell[:n]
	piece := (n + sortPieces - 1) / sortPieces
	s.crew.For(sortPieces, 1, func(a, b int) {
		for p := a; p < b; p++ {
			count := s.counts[p]
			clear(count)
			for i := min(p*piece, n); i < min((p+1)*piece, n); i++ {
				c := cellOf(s.Dims, &s.P[i].X)
				cell[i] = int32(c)
				count[c]++
			}
		}
	})
	sum := int32(0)
	for c := range cells {
		s.start[c] = sum
		for p := range s.counts {
			k := s.counts[p][c]
			s.counts[p][c] = sum
			sum += k
		}
	}
	s.start[cells] = sum
	s.crew.For(sortPieces, 1, func(a, b int) {
		for p := a; p < b; p++ {
			at := s.counts[p]
			for i := min(p*piece, n); i < min((p+1)*piece, n); i++ {
				c := cell[i]
				out[at[c]] = s.P[i]
				at[c]++
			}
		}
	})
	// the two buffers change places; nothing is copied back
	s.P, s.spare = out, s.P[:0]
}

// in are the particles of a row of cells from i0 to i1 (not included).
func (s *Solver) in(i0, i1, j, k int) []Particle {
	o := s.Index(0, j, k)
	return s.P[s.start[o+i0]:s.start[o+i1]]
}
