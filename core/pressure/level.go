package pressure

// A level of the hierarchy: its arrays with pads and halo, which of its cells are in
// use, the weights of its faces, and the runs that kernels work on.

import (
	"unsafe"

	"zarf/core/grid"
	"zarf/core/vec"
)

const (
	omega float32 = 0.857 // damping of the Jacobi smoother
	pad           = 16
)

// run is a stretch of values to work on: one row's cells in use, rounded out
// to whole vectors, or, where whole rows follow each other, several rows with
// the pads between them.
type run struct {
	o, n     int
	weighted bool // some face weight isn't 1
}

// level is one grid of the hierarchy.
type level struct {
	grid.Dims
	n      int // padded row length
	sy, sz int // strides of j and k
	log    [3]int
	// The weight of a cell's upper face is the lower one of its neighbour, so three
	// arrays hold all six.
	// wx, wy, wz are the weights of each cell's lower faces; written only
	// where some face isn't fully open, or all weights of a level differ from 1
	wx, wy, wz []float32
	diag, invd []float32
	pn         []float32 // normalisation of the prolongation onto this level
	x, b, r, t []float32
	stencil    vec.Stencil   // diag, invd and the weights
	frac       fractions     // open fractions of faces, where there are solids
	spans      [][]grid.Span // cells in use by k*NY+j
	weighted   []bool        // by k*NY+j
	runs       [][]run       // by k
	planes     []float64     // one partial sum a plane
	count      int           // cells in use
}

// newLevel makes a level at rest. Its ten arrays are what a solve takes: 40 bytes
// a cell on the finest level, an eighth of that on the next.
func newLevel(d grid.Dims, log [3]int, alloc func(int) []float32) *level {
	l := &level{Dims: d, log: log}
	// whole vectors in a row, and a pad of one vector between rows: a stencil may
	// read a cell to the left and to the right of a run without asking
	l.n = (d.NX + 15) / 16 * 16
	l.sy = l.n + pad
	l.sz = l.sy * (d.NY + 2)
	for _, a := range []*[]float32{&l.wx, &l.wy, &l.wz, &l.diag, &l.invd, &l.pn, &l.x, &l.b, &l.r, &l.t} {
		*a = l.alloc(alloc)
	}
	l.stencil = vec.NewStencil(l.diag, l.invd, l.wx, l.wy, l.wz, l.sy, l.sz)
	l.spans = make([][]grid.Span, d.NY*d.NZ)
	l.weighted = make([]bool, d.NY*d.NZ)
	l.runs = make([][]run, d.NZ)
	l.planes = make([]float64, d.NZ)
	return l
}

// alloc makes an array with halo whose rows start on 64-byte boundaries.
func (l *level) alloc(alloc func(int) []float32) []float32 {
	// Go aligns large blocks to pages, small ones to less; up to 15 values are
	// skipped so that no vector straddles two cache lines
	size := l.sz*(l.NZ+2) + pad
	raw := alloc(size + 16)
	skip := 0
	for uintptr(unsafe.Pointer(&raw[skip]))%64 != 0 {
		skip++
	}
	return raw[skip : skip+size : skip+size]
}

// at is the position of cell (0,j,k); j and k may be −1 or one past the end.
func (l *level) at(j, k int) int { return (k+1)*l.sz + (j+1)*l.sy + pad }

// row is a row of an array without its pads.
func (l *level) row(a []float32, j, k int) []float32 {
	o := l.at(j, k)
	return a[o : o+l.n : o+l.n]
}

// cells are the spans in use of row (j,k); none outside.
func (l *level) cells(j, k int) []grid.Span {
	if j < 0 || k < 0 || j >= l.NY || k >= l.NZ {
		return nil
	}
	return l.spans[k*l.NY+j]
}

// use works out the spans of every row from the tiles in use: a coarse cell is
// in use if any of the fine cells that it covers is.
// A coarse cell that covers used and unused fine ones counts as used: p = 0 is then
// met half a coarse cell farther out, which only costs iterations.
func (l *level) use(t *grid.Tiles) {
	l.count = 0
	for k := range l.NZ {
		for j := range l.NY {
			// A coarse cell is in use where any fine cell of it is: the spans of all
			// tile rows that it covers, joined, then halved along x.
			var list []grid.Span
			j1, k1 := min((j+1)<<l.log[1], t.Cells.NY)-1, min((k+1)<<l.log[2], t.Cells.NZ)-1
			for K := k << l.log[2] / grid.TileZ; K <= k1/grid.TileZ; K++ {
				for J := j << l.log[1] / grid.TileY; J <= j1/grid.TileY; J++ {
					list = grid.Join(list, t.Spans(J*grid.TileY, K*grid.TileZ))
				}
			}
			out := make([]grid.Span, 0, len(list))
			for _, s := range list {
				c := grid.Span{Lo: s.Lo >> l.log[0], Hi: (s.Hi-1)>>l.log[0] + 1}
				if n := len(out); n > 0 && out[n-1].Hi >= c.Lo {
					out[n-1].Hi = c.Hi
				} else {
					out = append(out, c)
				}
			}
			for _, s := range out {
				l.count += s.Hi - s.Lo
			}
			l.spans[k*l.NY+j] = out
		}
	}
}

// wipe zeroes everything on the runs in use, before others are.
func (l *level) wipe() {
	for _, list := range l.runs {
		for _, r := range list {
			for _, a := range [][]float32{l.wx, l.wy, l.wz, l.diag, l.invd, l.pn, l.x, l.b, l.r, l.t} {
				clear(a[r.o : r.o+r.n])
			}
		}
	}
}

// line cuts plane k into runs, after the spans and the kinds of rows are known.
//
// Long runs matter: a kernel's call has a cost of its own. Rounding out to
// whole vectors may make two spans of a row meet; they become one run, or the cells
// between would be worked on twice.
func (l *level) line(k int) {
	list := l.runs[k][:0]
	for j := range l.NY {
		w := l.weighted[k*l.NY+j]
		o := l.at(j, k)
		for _, s := range l.spans[k*l.NY+j] {
			// rounded out to whole vectors: the values beside a span belong to no
			// cell, have diagonal 0, and stay 0
			lo, hi := s.Lo&^15, min((s.Hi+15)&^15, l.n)
			if n := len(list); n > 0 {
				last := &list[n-1]
				end := last.o + last.n
				if end > o+lo { // rounding made neighbours meet
					last.n = max(end, o+hi) - last.o
					continue
				}
				whole := last.o+last.n == o-pad // up to the row's end
				if whole && lo == 0 && last.weighted == w {
					last.n = o + hi - last.o
					continue
				}
			}
			list = append(list, run{o + lo, hi - lo, w})
		}
	}
	l.runs[k] = list
}

// fractions are open face fractions on the staggered grid: x has NX+1 values a
// row, and so on.
type fractions struct{ x, y, z *grid.Field }

func newFractions(d grid.Dims) fractions {
	return fractions{
		grid.NewField(grid.Dims{NX: d.NX + 1, NY: d.NY, NZ: d.NZ}),
		grid.NewField(grid.Dims{NX: d.NX, NY: d.NY + 1, NZ: d.NZ}),
		grid.NewField(grid.Dims{NX: d.NX, NY: d.NY, NZ: d.NZ + 1}),
	}
}

// geometry returns, for axis a, the weight of inner faces and of the faces at
// the low and the high side, with p = 0 half a fine cell outside.
func (l *level) geometry(a, nFine int) (inner, low, high float32) {
	n := [3]int{l.NX, l.NY, l.NZ}[a]
	top := max(l.log[0], l.log[1], l.log[2])
	ratio := float64(int(1) << (top - l.log[a]))
	h := float64(int(1) << l.log[a])
	// p = 0 lies half a fine cell outside the box on every level: at (½h + ½)/h
	// coarse cells from the first coarse centre. On the high side the last coarse
	// cell may stick out of the box by up to h − 1 cells.
	dLow := (0.5*h + 0.5) / h
	dHigh := max(0.25, (float64(nFine)+0.5-(float64(n)-0.5)*h)/h)
	// where an axis stops being halved before the others its cells are narrower than
	// the longest, and its second difference counts for more
	r2 := ratio * ratio
	return float32(r2), float32(r2 / dLow), float32(r2 / dHigh)
}

// sides are the weights of the faces along one axis: between cells in use, to
// a cell that isn't (p = 0 there), and at the two sides of the box.
type sides struct{ inner, edge, low, high float32 }

func (l *level) sides(a, nFine int, open Sides) sides {
	in, lo, hi := l.geometry(a, nFine)
	s := sides{in, lo, lo, hi}
	if !open[2*a] {
		s.low = 0
	}
	if !open[2*a+1] {
		s.high = 0
	}
	return s
}

// across fills w with the weights of the faces between a row and the one
// beside it, which has the given cells in use; side is what holds beyond the
// box.
func (s sides) across(w []float32, beside []grid.Span, outside bool, side float32) {
	// beyond the box every face has the side's weight, open or shut
	if outside {
		for i := range w {
			w[i] = side
		}
		return
	}
	// mostly the row beside is in use from end to end
	if len(beside) == 1 && beside[0].Lo == 0 && beside[0].Hi == len(w) {
		for i := range w {
			w[i] = s.inner
		}
		return
	}
	for i := range w {
		w[i] = s.edge
	}
	for _, b := range beside {
		for i := b.Lo; i < b.Hi; i++ {
			w[i] = s.inner
		}
	}
}

func scaleRow(w, by []float32) {
	by = by[:len(w)]
	for i := range w {
		w[i] *= by[i]
	}
}

// assemble fills weights, diagonal and runs.
//
// It is told again whenever solids move or tiles change.
func (l *level) assemble(crew grid.Crew, fine grid.Dims, open Sides, solids bool, near Range) {
	sx, sy, sz := l.sides(0, fine.NX, open), l.sides(1, fine.NY, open), l.sides(2, fine.NZ, open)
	// even and without solids nothing has a weight but 1: most levels, most of the
	// time
	even := sx.inner == 1 && sy.inner == 1 && sz.inner == 1
	crew.For(l.NZ, 1, func(k0, k1 int) {
		// weights of a row's faces, put together here whatever is then stored
		room := make([]float32, 5*l.NX+1)
		y0, y1, z0, z1, x := room[:l.NX], room[l.NX:2*l.NX], room[2*l.NX:3*l.NX], room[3*l.NX:4*l.NX], room[4*l.NX:]
		for k := k0; k < k1; k++ {
			// Runs are joined over the pads of whole rows of one kind: in a full box
			// a plane is one run, and the kernels' start-up is paid once and not per
			// row.
			for j := range l.NY {
				spans := l.cells(j, k)
				l.weighted[k*l.NY+j] = false
				if len(spans) == 0 {
					continue
				}
				sy.across(y0, l.cells(j-1, k), j == 0, sy.low)
				sy.across(y1, l.cells(j+1, k), j+1 == l.NY, sy.high)
				sz.across(z0, l.cells(j, k-1), k == 0, sz.low)
				sz.across(z1, l.cells(j, k+1), k+1 == l.NZ, sz.high)
				for i := range x {
					x[i] = sx.edge
				}
				for _, s := range spans {
					for i := s.Lo + 1; i < s.Hi; i++ {
						x[i] = sx.inner
					}
				}
				if spans[0].Lo == 0 {
					x[0] = sx.low
				}
				if spans[len(spans)-1].Hi == l.NX {
					x[l.NX] = sx.high
				}
				// Rows are told apart: those whose faces are all fully open use the
				// kernel that reads no weights, and so move three arrays less.
				plain := even
				if solids && near.row(j, k) {
					f := l.frac
					fx, fy0, fy1, fz0, fz1 := f.x.Row(j, k), f.y.Row(j, k), f.y.Row(j+1, k), f.z.Row(j, k), f.z.Row(j, k+1)
					plain = plain && l.open(spans, fx, fy0, fy1, fz0, fz1, j, k)
					scaleRow(x, fx)
					scaleRow(y0, fy0)
					scaleRow(y1, fy1)
					scaleRow(z0, fz0)
					scaleRow(z1, fz1)
				}
				l.weighted[k*l.NY+j] = !plain
				o := l.at(j, k)
				if solids || !even {
					for _, s := range spans {
						copy(l.wx[o+s.Lo:], x[s.Lo:s.Hi])
						copy(l.wy[o+s.Lo:], y0[s.Lo:s.Hi])
						copy(l.wz[o+s.Lo:], z0[s.Lo:s.Hi])
					}
				}
				for _, s := range spans {
					diag, invd := l.diag[o+s.Lo:o+s.Hi], l.invd[o+s.Lo:o+s.Hi]
					a, b, c, d, e, g := x[s.Lo:s.Hi], x[s.Lo+1:s.Hi+1], y0[s.Lo:s.Hi], y1[s.Lo:s.Hi], z0[s.Lo:s.Hi], z1[s.Lo:s.Hi]
					for i := range diag {
						// the order of sums is that of the kernels: A p of a
						// constant is then exactly 0
						v := ((a[i] + b[i]) + (c[i] + d[i])) + (e[i] + g[i])
						diag[i], invd[i] = 0, 0
						if v > 0 {
							diag[i], invd[i] = v, 1/v
						} else {
							l.weighted[k*l.NY+j] = true // a cell without a way out
						}
					}
				}
			}
			l.line(k)
		}
	})
}

// open reports that all inner faces of a row's cells in use are fully open.
// Faces on the box's own sides don't count: their weights are the sides'.
func (l *level) open(spans []grid.Span, fx, y0, y1, z0, z1 []float32, j, k int) bool {
	all := func(f []float32) bool {
		for _, v := range f {
			if v != 1 {
				return false
			}
		}
		return true
	}
	for _, s := range spans {
		a, b := max(s.Lo, 1), min(s.Hi, l.NX-1)
		if b >= a && !all(fx[a:b+1]) {
			return false
		}
		if (j > 0 && !all(y0[s.Lo:s.Hi])) || (j+1 < l.NY && !all(y1[s.Lo:s.Hi])) ||
			(k > 0 && !all(z0[s.Lo:s.Hi])) || (k+1 < l.NZ && !all(z1[s.Lo:s.Hi])) {
			return false
		}
	}
	return true
}

// coarsen makes the fractions of level c from those of level l: means over the
// fine faces that a coarse face covers, within a range of the coarse level.
//
// Only rows near solids are done; everywhere else coarse fractions are 1, as fine
// ones are.
func (l *level) coarsen(crew grid.Crew, c *level, by [3]int, r Range) {
	// A coarse face covers by[b]·by[c] fine ones; their mean open share is its own.
	// Where a coarse cell holds a thin wall this lets correction leak through it:
	// the price of a hierarchy by geometry, paid in CG iterations.
	mean := func(src, dst *grid.Field, axis int) {
		span := by
		span[axis] = 1
		q := 1 / float32(span[0]*span[1]*span[2])
		n := [3]int{src.NX, src.NY, src.NZ}
		crew.For(dst.NZ, 1, func(k0, k1 int) {
			sum := make([]float32, src.NX+2)
			for k := max(k0, r.Lo[2]); k < min(k1, r.Hi[2]+2); k++ {
				for j := max(r.Lo[1], 0); j < min(dst.NY, r.Hi[1]+2); j++ {
					list := grid.Join(c.cells(min(j, c.NY-1), min(k, c.NZ-1)), nil)
					if axis == 1 {
						list = grid.Join(list, c.cells(j-1, min(k, c.NZ-1)))
					} else if axis == 2 {
						list = grid.Join(list, c.cells(min(j, c.NY-1), k-1))
					}
					row := dst.Row(j, k)
					for _, s := range list {
						lo, hi := s.Lo, s.Hi
						if axis == 0 {
							hi++
						}
						from, to := lo*by[0], min(hi*by[0], n[0])
						part := sum[from : to+2]
						clear(part)
						for e := range span[2] {
							for b := range span[1] {
								y, z := j*by[1]+b, k*by[2]+e
								if axis == 1 {
									y = min(j*by[1], n[1]-1)
								}
								if axis == 2 {
									z = min(k*by[2], n[2]-1)
								}
								if y >= n[1] || z >= n[2] {
									continue
								}
								in := src.Row(y, z)[from:to]
								for i, v := range in {
									part[i] += v
								}
							}
						}
						switch {
						case axis == 0 && by[0] == 2:
							for i := lo; i < hi; i++ {
								at := min(2*i, n[0]-1) - from
								if at < 0 || at >= to-from {
									at = to - from - 1
								}
								row[i] = q * part[at]
							}
						case by[0] == 2:
							for i := lo; i < hi; i++ {
								at := 2*i - from
								row[i] = q * (part[at] + part[at+1])
							}
						default:
							for i := lo; i < hi; i++ {
								row[i] = q * part[i-from]
							}
						}
					}
				}
			}
		})
	}
	mean(l.frac.x, c.frac.x, 0)
	mean(l.frac.y, c.frac.y, 1)
	mean(l.frac.z, c.frac.z, 2)
}
