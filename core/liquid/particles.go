package liquid

import (
	"unsafe"

	"zarf/core/grid"
	"zarf/core/vec"
)

// Particle is a bit of liquid: the PerCell-th part of a voxel. It is eight numbers, half
// a line of the cache, which kernels turn into columns.
type Particle struct {
	X    [3]float32 // voxels from the box's low corner
	Mix  float32    // room for what a liquid may carry besides
	V    [3]float32 // m/s
	Heat float32
}

// records are particles as kernels see them.
func records(p []Particle) []vec.Record {
	if len(p) == 0 {
		return nil
	}
	return unsafe.Slice((*vec.Record)(unsafe.Pointer(&p[0])), len(p))
}

// Slope is how a particle's velocity changes round it, a row for each part of it, m/s a
// voxel (the matrix C of APIC).
type Slope = [3][3]float32

// cellOf is the cell of a particle; positions lie within the box.
func cellOf(d grid.Dims, x *[3]float32) int {
	i, j, k := min(int(x[0]), d.NX-1), min(int(x[1]), d.NY-1), min(int(x[2]), d.NZ-1)
	return d.Index(i, j, k)
}

// sorter is the room of sort.
type sorter struct {
	spare  []Particle // the other half of the double buffer
	slopes []Slope
	cell   []int32   // cells of the first particles, as far as they are known
	counts [][]int32 // by the run of particles that is counted
	planes [][]int32 // their sums by planes
	sorted int       // how many particles are in order; −1: none
}

// sort puts particles in the order of their cells, keeping the order within
// one, and fills start: cell c holds P[start[c]:start[c+1]].
//
// Most of it is writing 32 bytes a particle to its place. Sorted particles make every
// later pass walk through the grid once.
func (s *Solver) sort() {
	// A counting sort: stable, two passes, and its scatter is by runs. Each piece counts
	// for itself; prefix sums over cells and then pieces say where each piece's
	// particles of a cell begin, so that pieces scatter at once and the order is that
	// of one thread.
	n, cells, r := len(s.P), s.Len(), &s.sorting
	if r.sorted == n && s.start != nil {
		return
	}
	pieces := min(s.crew.Threads(), sortPieces)
	if len(s.start) != cells+1 {
		s.start = make([]int32, cells+1)
	}
	for len(r.counts) < pieces {
		r.counts = append(r.counts, make([]int32, cells))
		r.planes = append(r.planes, make([]int32, s.NZ))
	}
	s.findCells()
	// a quarter more than needed: a pour grows in every substep
	if cap(r.spare) < n {
		r.spare = make([]Particle, n, n+n/4)
	}
	out, cell := r.spare[:n], r.cell
	var slopes []Slope
	if s.C != nil {
		if cap(r.slopes) < n {
			r.slopes = make([]Slope, n, n+n/4)
		}
		slopes = r.slopes[:n]
	}
	piece := (n + pieces - 1) / pieces
	s.crew.Each(pieces, 1, func(p, end int) {
		for ; p < end; p++ {
			count := r.counts[p]
			clear(count)
			for _, c := range cell[min(p*piece, n):min((p+1)*piece, n)] {
				count[c]++
			}
		}
	})
	s.begin(pieces)
	s.crew.Each(pieces, 1, func(p, end int) {
		for ; p < end; p++ {
			at := r.counts[p]
			for i := min(p*piece, n); i < min((p+1)*piece, n); i++ {
				c := cell[i]
				out[at[c]] = s.P[i]
				if slopes != nil {
					slopes[at[c]] = s.C[i]
				}
				at[c]++
			}
		}
	})
	// the two buffers change places; nothing is copied back
	s.P, r.spare = out, s.P[:0]
	if slopes != nil {
		s.C, r.slopes = slopes, s.C[:0]
	}
	r.cell, r.sorted = r.cell[:0], n
}

// sortPieces is into how many runs particles are cut for counting at most. Their order
// doesn't hang on it.
const sortPieces = 8

// findCells works out the cells of particles that aren't known yet.
func (s *Solver) findCells() {
	r, n := &s.sorting, len(s.P)
	known := len(r.cell)
	if known > n {
		known = 0
	}
	if cap(r.cell) < n {
		r.cell = append(make([]int32, 0, n+n/4), r.cell[:known]...)
	}
	r.cell = r.cell[:n]
	s.crew.For(n-known, 4096, func(lo, hi int) {
		for i := known + lo; i < known+hi; i++ {
			r.cell[i] = int32(cellOf(s.Dims, &s.P[i].X))
		}
	})
}

// begin fills start, leaves in counts where each piece puts its particles, and finds
// which cells hold any.
func (s *Solver) begin(pieces int) {
	r, plane := &s.sorting, s.NX*s.NY
	counts := r.counts[:pieces]
	s.crew.For(s.NZ, 1, func(k0, k1 int) {
		for k := k0; k < k1; k++ {
			for p, count := range counts {
				var sum int32
				for _, n := range count[k*plane : (k+1)*plane] {
					sum += n
				}
				r.planes[p][k] = sum
			}
		}
	})
	first := make([]int32, s.NZ+1)
	for k := range s.NZ {
		first[k+1] = first[k]
		for p := range counts {
			first[k+1] += r.planes[p][k]
		}
	}
	found := make([]region, s.NZ)
	s.crew.For(s.NZ, 1, func(k0, k1 int) {
		for k := k0; k < k1; k++ {
			sum := first[k]
			if sum == first[k+1] {
				row := s.start[k*plane : (k+1)*plane]
				for c := range row {
					row[c] = sum
				}
				continue
			}
			found[k] = s.beginPlane(counts, k, sum)
		}
	})
	s.start[s.Len()] = first[s.NZ]
	s.live = region{}
	for _, g := range found {
		s.live = s.live.join(g)
	}
}

// beginPlane is begin for a plane of cells, before which so many particles lie.
func (s *Solver) beginPlane(counts [][]int32, k int, sum int32) region {
	g := region{lo: [3]int{s.NX, s.NY, k}, hi: [3]int{0, 0, k + 1}}
	for j := range s.NY {
		before, last := sum, -1
		o := s.Index(0, j, k)
		for c := o; c < o+s.NX; c++ {
			s.start[c] = sum
			was := sum
			for p := range counts {
				n := counts[p][c]
				counts[p][c] = sum
				sum += n
			}
			if sum != was {
				if last < 0 {
					g.lo[0] = min(g.lo[0], c-o)
				}
				last = c - o
			}
		}
		if sum != before {
			g.lo[1], g.hi[1], g.hi[0] = min(g.lo[1], j), j+1, max(g.hi[0], last+1)
		}
	}
	return g
}

// unsorted says that particles moved, came or went; cells that were worked out hold for as
// many as are said.
func (s *Solver) unsorted(known int) {
	s.sorting.sorted = -1
	s.sorting.cell = s.sorting.cell[:known]
}

// in are the particles of a row of cells from i0 to i1 (not included).
func (s *Solver) in(i0, i1, j, k int) []Particle {
	o := s.Index(0, j, k)
	return s.P[s.start[o+i0]:s.start[o+i1]]
}

// region are cells from lo to hi, those not included; none where hi isn't above lo.
type region struct{ lo, hi [3]int }

func (r region) empty() bool {
	return r.hi[0] <= r.lo[0] || r.hi[1] <= r.lo[1] || r.hi[2] <= r.lo[2]
}

// join is the smallest region that holds both.
func (r region) join(o region) region {
	if r.empty() {
		return o
	}
	if o.empty() {
		return r
	}
	for a := range 3 {
		r.lo[a], r.hi[a] = min(r.lo[a], o.lo[a]), max(r.hi[a], o.hi[a])
	}
	return r
}

// grow is a region with n cells more on every side, within the box.
func (r region) grow(n int, d grid.Dims) region {
	if r.empty() {
		return region{}
	}
	for a, size := range [3]int{d.NX, d.NY, d.NZ} {
		r.lo[a], r.hi[a] = max(r.lo[a]-n, 0), min(r.hi[a]+n, size)
	}
	return r
}

// rows calls fn for the rows of values of a part of the velocity (3: of cells) that lie
// in a region: those from i0 to i1, not included. Planes go to threads.
func (s *Solver) rows(a int, r region, fn func(j, k, i0, i1 int)) {
	if r.empty() {
		return
	}
	hi := r.hi
	if a < 3 { // the faces on the far side belong to it
		hi[a]++
	}
	// some thousands of values are worth another thread
	s.crew.For(hi[2]-r.lo[2], 1+4096/((hi[1]-r.lo[1])*(hi[0]-r.lo[0])), func(k0, k1 int) {
		for k := r.lo[2] + k0; k < r.lo[2]+k1; k++ {
			for j := r.lo[1]; j < hi[1]; j++ {
				fn(j, k, r.lo[0], hi[0])
			}
		}
	})
}

// holds reports a cell of a region.
func (r region) holds(i, j, k int) bool {
	return i >= r.lo[0] && j >= r.lo[1] && k >= r.lo[2] && i < r.hi[0] && j < r.hi[1] && k < r.hi[2]
}
