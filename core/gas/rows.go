package gas

// Walking over what is in use. Four staggered grids and a halo share one box; which
// runs of each row are in use follows from the tiles, once, and all passes then go
// over these runs. A full box is the special case of one run a row.

import (
	"sync"

	"zarf/core/grid"
	"zarf/core/vec"
)

// layout is one of the grids that share the box: where its first value sits,
// and which runs of every row are in use.
type layout struct {
	grid.Dims
	at   place
	rows [][]grid.Span // by k*NY+j
}

// The layouts, in the order of Solver.lay.
const (
	onU = iota
	onV
	onW
	onCentre
	onHalo // cells and one more all round, for traces
)

// place is where a field's first value sits, in cells from the grid's corner.
type place struct{ x, y, z float32 }

var (
	atCentre = place{0.5, 0.5, 0.5}
	atU      = place{0, 0.5, 0.5}
	atV      = place{0.5, 0, 0.5}
	atW      = place{0.5, 0.5, 0}
	atHalo   = place{-0.5, -0.5, -0.5}
)

func (p place) array() [3]float32 { return [3]float32{p.x, p.y, p.z} }

// spans of row (j,k).
func (l *layout) spans(j, k int) []grid.Span { return l.rows[k*l.NY+j] }

// layOut works out the rows of every grid from the tiles in use: faces belong
// to both cells that they part.
func (s *Solver) layOut() {
	t, d := s.tiles, s.Dims
	s.lay[onU] = layout{grid.Dims{NX: d.NX + 1, NY: d.NY, NZ: d.NZ}, atU, nil}
	s.lay[onV] = layout{grid.Dims{NX: d.NX, NY: d.NY + 1, NZ: d.NZ}, atV, nil}
	s.lay[onW] = layout{grid.Dims{NX: d.NX, NY: d.NY, NZ: d.NZ + 1}, atW, nil}
	s.lay[onCentre] = layout{d, atCentre, nil}
	s.lay[onHalo] = layout{grid.Dims{NX: d.NX + 2, NY: d.NY + 2, NZ: d.NZ + 2}, atHalo, nil}
	longer := func(list []grid.Span, by int) []grid.Span {
		out := make([]grid.Span, len(list))
		for i, p := range list {
			out[i] = grid.Span{Lo: p.Lo, Hi: p.Hi + by}
		}
		return out
	}
	for n := range s.lay {
		l := &s.lay[n]
		l.rows = make([][]grid.Span, l.NY*l.NZ)
		for k := range l.NZ {
			for j := range l.NY {
				r := &l.rows[k*l.NY+j]
				switch n {
				case onU:
					*r = longer(t.Spans(j, k), 1)
				case onV:
					*r = grid.Join(t.Spans(j, k), t.Spans(j-1, k))
				case onW:
					*r = grid.Join(t.Spans(j, k), t.Spans(j, k-1))
				case onCentre:
					*r = t.Spans(j, k)
				case onHalo:
					// the halo's cell (j,k) lies over the box's (j−1,k−1), and its
					// use follows from the nine rows round that
					var list []grid.Span
					for c := k - 2; c <= k; c++ {
						for b := j - 2; b <= j; b++ {
							list = grid.Join(list, t.Spans(b, c))
						}
					}
					*r = longer(list, 2)
				}
			}
		}
	}
}

// each runs fn over all runs in use of a layout: n values from position o of
// row (j,k), the first of index i.
func (s *Solver) each(lay int, fn func(i, j, k, o, n int)) {
	l := &s.lay[lay]
	s.crew.For(l.NZ, s.grain(), func(k0, k1 int) {
		for k := k0; k < k1; k++ {
			for j := range l.NY {
				for _, p := range l.spans(j, k) {
					fn(p.Lo, j, k, l.Index(p.Lo, j, k), p.Hi-p.Lo)
				}
			}
		}
	})
}

// between runs fn over the faces in use along an axis that part two cells of the box:
// n of them from position o of their field on, with the cells before and behind from a
// and b on. A plane of a full box is one run where its faces lie as its cells do,
// unless rows are asked for.
func (s *Solver) between(axis int, rows bool, fn func(j, k, o, a, b, n int)) {
	l, d := &s.lay[onU+axis], s.Dims
	step := [3]int{1, d.NX, d.NX * d.NY}[axis]
	lo, hi := [3]int{}, [3]int{l.NX, l.NY, l.NZ}
	lo[axis]++
	hi[axis]--
	whole := axis > 0 && !rows && s.tiles.Full()
	s.crew.For(hi[2]-lo[2], s.grain(), func(k0, k1 int) {
		for k := lo[2] + k0; k < lo[2]+k1; k++ {
			if b := d.Index(0, lo[1], k); whole {
				fn(lo[1], k, l.Index(0, lo[1], k), b-step, b, (hi[1]-lo[1])*d.NX)
				continue
			}
			for j := lo[1]; j < hi[1]; j++ {
				for _, p := range l.spans(j, k) {
					if i, e := max(p.Lo, lo[0]), min(p.Hi, hi[0]); i < e {
						b := d.Index(i, j, k)
						fn(j, k, l.Index(i, j, k), b-step, b, e-i)
					}
				}
			}
		}
	})
}

// side runs fn over the faces in use on a side of the box, with the cells within.
func (s *Solver) side(side int, fn func(o, at, n int)) {
	axis, d := side/2, s.Dims
	l := &s.lay[onU+axis]
	at, in := [3]int{}, [3]int{} // the first face's place, and the cell's
	n := [3]int{l.NX, l.NY, l.NZ}
	if side%2 == 1 {
		at[axis] = n[axis] - 1
		in[axis] = n[axis] - 2
	}
	n[axis] = 1
	for k := range n[2] {
		for j := range n[1] {
			for _, p := range l.spans(at[1]+j, at[2]+k) {
				lo, hi := max(p.Lo, at[0]), min(p.Hi, at[0]+n[0])
				if lo < hi {
					fn(l.Index(lo, at[1]+j, at[2]+k), d.Index(lo-at[0]+in[0], in[1]+j, in[2]+k), hi-lo)
				}
			}
		}
	}
}

// sum adds fn over all runs of cells in use: first within a plane, then plane
// by plane, so that the result has the same bits for every crew.
func (s *Solver) sum(fn func(o, n int) float64) float64 {
	l := &s.lay[onCentre]
	return s.crew.Sum(l.NZ, s.grain(), func(k int) (t float64) {
		for j := range l.NY {
			for _, p := range l.spans(j, k) {
				t += fn(l.Index(p.Lo, j, k), p.Hi-p.Lo)
			}
		}
		return t
	})
}

// grain is how many planes are worth handing to a thread.
func (s *Solver) grain() int { return max(1, 4096*s.NZ/max(1, s.cells)) }

// batch is how many points are traced together: what they need stays in the
// cache next to the processor.
const batch = vec.Batch

// bench is the room for one batch, and the runs that it holds.
// The long arrays come first, so that they begin where lines of the cache do.
type bench struct {
	at     vec.Three // where the points come from
	own    vec.Three // what is worked out for them
	spots  vec.Spots
	n      int
	runs   []stretch
	trails []vec.Trail
	flat   bool // the runs follow each other in memory
}

// stretch is a run of a row within a batch: n values from position o of the
// field, kept from position at of the batch on.
type stretch struct{ i, j, k, o, n, at int }

var benches = sync.Pool{New: func() any { return new(bench) }}

// batches gathers the runs of a layout into batches and hands them to fn.
func (s *Solver) batches(lay int, fn func(t *bench)) {
	l, full := &s.lay[lay], s.tiles.Full()
	s.crew.For(l.NZ, s.grain(), func(k0, k1 int) {
		// A bench is 30 KB, which stays in the first cache; a pool spares clearing
		// it, as no value is read before it is written.
		t := benches.Get().(*bench)
		t.n, t.runs = 0, t.runs[:0]
		flush := func() {
			if t.n > 0 {
				last := t.runs[len(t.runs)-1]
				t.flat = last.o+last.n-t.runs[0].o == t.n
				fn(t)
			}
			t.n, t.runs = 0, t.runs[:0]
		}
		for k := k0; k < k1; k++ {
			for j := range l.NY {
				for _, p := range l.spans(j, k) {
					for i := p.Lo; i < p.Hi; {
						// A run may be cut between two batches: no kernel looks
						// beyond its own points, so results don't depend on where.
						// Which rows a thread gets depends on the crew, and nothing
						// else does. Runs at the rims of tiles aren't cut, as kernels
						// take them in whole blocks.
						n := min(p.Hi-i, batch)
						if n > batch-t.n {
							if !full {
								flush()
							}
							n = min(n, batch-t.n)
						}
						t.runs = append(t.runs, stretch{i, j, k, l.Index(i, j, k), n, t.n})
						t.n += n
						i += n
						if t.n == batch {
							flush()
						}
					}
				}
			}
		}
		flush()
		benches.Put(t)
	})
}

// pieces hands out the batch in pieces that lie together in memory: n values from
// position o of a field, at position at of the batch.
func (t *bench) pieces(fn func(o, at, n int)) {
	if t.flat {
		fn(t.runs[0].o, 0, t.n)
		return
	}
	for _, r := range t.runs {
		fn(r.o, r.at, r.n)
	}
}
