package gas

// Where channels hold anything. Smoke fills a few per cent of most boxes; rows without
// any are left out of totals, and batches of points that are read from nothing but
// such rows are 0 without being looked at.

import (
	"math"

	"zarf/core/grid"
	"zarf/core/vec"
)

// alive tells for a channel which rows held anything at the last survey: by row, and
// counted over the box of rows that begins at the first, so that the number within
// any box is four look-ups. Nothing is known (rows is nil) where tiles have changed
// since.
type alive struct {
	rows []bool  // by k*NY+j
	sums []int32 // by k*(NY+1)+j: rows before k and j
}

// count sums rows up.
func (a *alive) count(ny, nz int) {
	n := (ny + 1) * (nz + 1)
	if len(a.sums) != n {
		a.sums = make([]int32, n)
	}
	for k := range nz {
		var row int32
		for j := range ny {
			if a.rows[k*ny+j] {
				row++
			}
			a.sums[(k+1)*(ny+1)+j+1] = a.sums[k*(ny+1)+j+1] + row
		}
	}
}

// any reports that some of the rows j0 to j1 of planes k0 to k1, both ends within,
// may hold something.
func (a *alive) any(j0, j1, k0, k1, ny, nz int) bool {
	if a.rows == nil {
		return true
	}
	j0, j1, k0, k1 = min(max(j0, 0), ny-1), min(max(j1, 0), ny-1)+1, min(max(k0, 0), nz-1), min(max(k1, 0), nz-1)+1
	w := ny + 1
	return a.sums[k1*w+j1]-a.sums[k0*w+j1]-a.sums[k1*w+j0]+a.sums[k0*w+j0] != 0
}

// row reports that a row may hold something.
func (a *alive) row(n int) bool { return a.rows == nil || a.rows[n] }

// block is a box of rows, both ends within.
type block struct{ j0, j1, k0, k1 int }

// near are the rows that the batch's points can be read from, however fast they go.
func (s *Solver) near(t *bench) block {
	b := block{s.NY, 0, t.runs[0].k - s.afar, t.runs[len(t.runs)-1].k + s.afar}
	for i := range t.runs {
		j := t.runs[i].j
		b.j0, b.j1 = min(b.j0, j), max(b.j1, j)
	}
	b.j0, b.j1 = b.j0-s.afar, b.j1+s.afar
	return b
}

// reads are the rows that the batch's points are read from, of a field at a place.
func (t *bench) reads(at place, scheme Scheme) (b block) {
	more := 0
	if scheme == Reflection { // cubics read one more on either side
		more = 1
	}
	box := func(x []float32, off float32) (lo, hi int) {
		whole := len(x) &^ (vec.Lanes - 1)
		low, high := vec.Span(x[:whole], math.MaxFloat32, -math.MaxFloat32)
		for _, v := range x[whole:] {
			low, high = min(low, v), max(high, v)
		}
		// kept from what whole numbers can't hold
		low, high = max(low-off, -4), min(high-off, 1<<24)
		return int(math.Floor(float64(low))) - more, int(math.Floor(float64(high))) + 1 + more
	}
	b.j0, b.j1 = box(t.at[1][:t.n], at.y)
	b.k0, b.k1 = box(t.at[2][:t.n], at.z)
	return b
}

// each cell run of rows that may hold something of one of two channels.
func (s *Solver) eachLive(a, b *alive, k int, fn func(j int, p grid.Span)) {
	l := &s.lay[onCentre]
	for j := range s.NY {
		if n := k*s.NY + j; a.row(n) || b != nil && b.row(n) {
			for _, p := range l.spans(j, k) {
				fn(j, p)
			}
		}
	}
}
