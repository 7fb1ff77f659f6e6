package pressure

// A level of the hierarchy: its arrays with pads and halo, which of its cells are in
// use, the weights of its faces, and the runs that kernels work on.

import (
	"slices"
	"unsafe"

	"zarf/core/grid"
	"zarf/core/vec"
)

// The weights of two sweeps of Jacobi that together damp errors where D⁻¹A has
// eigenvalues up to 2. The roots of a Chebyshev polynomial, 0.570 and 1.732 for 0.5
// to 2 (Adams, Brezina, Hu and Tuminaro 2003), make the residual of a cycle fall three
// times as far as 0.857 twice; these two, a little to its side, leave a tenth less in
// an empty box and about a ball. From 0.65 for the first on it gets worse.
const (
	mild   float32 = 0.6
	strong float32 = 1.85
	pad            = 16
)

// A run of cells is worked on by one of three kinds of kernels.
const (
	shared = iota // coefficients are those of the canonical plane, weights 1
	own           // coefficients of their own, weights 1
	cut           // some weight isn't 1
	kinds
)

// plane holds the runs of a plane, by kind, one or more a row, each rounded out to
// whole vectors; and where the runs of each row begin.
type plane struct {
	list  [kinds][]vec.Run
	draws [kinds][]vec.Draw // of the coarser level, for each run
	first [kinds][]int32    // by j, one more than there are rows
	whole bool              // every row is in use from end to end
	like  int               // the first of the planes before it with the same cells in use
	coef  [kinds]coefficients
}

// coefficients are those of a plane's cells for runs of a kind.
type coefficients struct {
	diag, invd, pn vec.Window
	w              *vec.Faces // nil: all weights are 1
}

// rows are the runs of rows j0 to j1, which may lie beyond the box.
func (p *plane) rows(kind, j0, j1 int) []vec.Run {
	a, b := p.span(kind, j0, j1)
	return p.list[kind][a:b]
}

func (p *plane) span(kind, j0, j1 int) (int32, int32) {
	f := p.first[kind]
	n := len(f) - 1
	return f[min(max(j0, 0), n)], f[min(max(j1, 0), n)]
}

// level is one grid of the hierarchy.
type level struct {
	grid.Dims
	n      int // padded row length
	sy, sz int // strides of j and k
	log    [3]int
	// wx, wy, wz are the weights of each cell's lower faces, so that three arrays
	// hold all six; written only where some face isn't fully open, or all weights of
	// a level differ from 1
	wx, wy, wz []float32
	diag, invd []float32
	pn         []float32 // normalisation of the prolongation onto this level
	x, b       []float32
	r, t       []float32     // of levels that aren't halved along every axis alone
	flat       flat          // of small levels
	rim        *rim          // of the finest, nil until there are solids
	mid        []float32     // what two sweeps have found, of levels that keep it
	again      []float32     // x of the first visit, of levels that are visited twice
	canon      [3][]float32  // diag, invd, pn of an inner plane without solids
	frac       fractions     // open fractions of faces, where there are solids
	spans      [][]grid.Span // cells in use by k*NY+j
	cut        []bool        // some weight isn't 1: by (k*NY+j)·n/16 + i/16
	runs       []plane       // by k
	parts      []float64     // partial sums, by plane and strip
	strips     int           // of rows that a pass marches in
	height     int           // rows of a strip, even
	count      int           // cells in use
}

// newLevel makes a level at rest. Its eight arrays are what a solve takes: 32 bytes
// a cell on the finest level, an eighth of that on the next.
func newLevel(d grid.Dims, log [3]int, alloc func(int) []float32) *level {
	l := &level{Dims: d, log: log}
	// whole vectors in a row, and a pad of one vector between rows: a stencil may
	// read a cell to the left and to the right of a run without asking
	l.n = (d.NX + 15) / 16 * 16
	l.sy = l.n + pad
	l.sz = l.sy * (d.NY + 2)
	for _, a := range l.arrays() {
		*a = l.alloc(alloc)
	}
	for a := range l.canon {
		l.canon[a] = make([]float32, l.sz+pad)
	}
	l.spans = make([][]grid.Span, d.NY*d.NZ)
	l.cut = make([]bool, d.NY*d.NZ*(l.n/16))
	l.runs = make([]plane, d.NZ)
	// Strips of some 18 KB a plane: a pass holds about ten planes of them, which the
	// second cache does. Their number depends on the box alone, as sums go by it.
	want := min(max(4608/l.sy, 8), 64)
	l.strips = max(1, (d.NY+want/2)/want)
	l.height = (d.NY + 2*l.strips - 1) / (2 * l.strips) * 2
	l.strips = (d.NY + l.height - 1) / l.height
	l.parts = make([]float64, d.NZ*l.strips)
	return l
}

func (l *level) arrays() []*[]float32 {
	return []*[]float32{&l.wx, &l.wy, &l.wz, &l.diag, &l.invd, &l.pn, &l.x, &l.b}
}

// alloc makes an array with halo whose rows start on 64-byte boundaries.
func (l *level) alloc(alloc func(int) []float32) []float32 { return l.room(alloc, 2) }

// room is alloc with so many planes of halo, those beyond two above the box.
func (l *level) room(alloc func(int) []float32, halo int) []float32 {
	// Go aligns large blocks to pages, small ones to less; up to 15 values are
	// skipped so that no vector straddles two cache lines
	size := l.sz*(l.NZ+halo) + pad
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
		l.runs[k].like = k
		if k > 0 && slices.EqualFunc(l.spans[k*l.NY:(k+1)*l.NY], l.spans[(k-1)*l.NY:k*l.NY], slices.Equal[[]grid.Span]) {
			l.runs[k].like = l.runs[k-1].like
		}
	}
}

// wipe zeroes everything on the runs in use, before others are.
func (l *level) wipe() {
	l.each(func(o, n int) {
		for _, a := range l.arrays() {
			clear((*a)[o : o+n])
		}
	})
	for _, a := range [][]float32{l.r, l.t, l.again, l.mid} {
		clear(a)
	}
	clear(l.cut)
}

// each runs fn over all runs of the level.
func (l *level) each(fn func(o, n int)) {
	for k := range l.runs {
		l.eachIn(k, fn)
	}
}

// eachIn runs fn over the runs of plane k, those of rows that follow each other in one
// piece with the pads between, which are zero in all arrays.
func (l *level) eachIn(k int, fn func(o, n int)) {
	for kind := range kinds {
		l.pieced(k, kind, fn)
	}
}

// pieced is eachIn for the runs of a kind.
func (l *level) pieced(k, kind int, fn func(o, n int)) {
	list := l.runs[k].list[kind]
	for n := 0; n < len(list); n++ {
		o, end := list[n].O, list[n].O+list[n].N
		for n+1 < len(list) && list[n+1].O == end+pad {
			n++
			end = list[n].O + list[n].N
		}
		fn((k+1)*l.sz+int(o), int(end-o))
	}
}

// line lists the runs of plane k, after its coefficients are known.
func (l *level) line(k int) {
	p := &l.runs[k]
	p.whole = true
	for kind := range kinds {
		p.list[kind], p.draws[kind] = p.list[kind][:0], p.draws[kind][:0]
		if p.first[kind] == nil {
			p.first[kind] = make([]int32, l.NY+1)
		}
	}
	for j := range l.NY {
		for kind := range kinds {
			p.first[kind][j] = int32(len(p.list[kind]))
		}
		spans := l.cells(j, k)
		p.whole = p.whole && len(spans) == 1 && spans[0].Lo == 0 && spans[0].Hi == l.NX
		last := 0
		for n := 0; n < len(spans); n++ {
			// rounded out to whole vectors: the values beside a span belong to no
			// cell, have diagonal 0, and stay 0; where rounding makes two spans
			// meet they are one run
			lo, hi := l.stretch(spans[n])
			for n+1 < len(spans) && spans[n+1].Lo&^15 < hi {
				n++
				_, hi = l.stretch(spans[n])
			}
			lo = max(lo, last)
			last = hi
			l.lineRow(p, j, k, lo, hi)
		}
	}
	for kind := range kinds {
		p.first[kind][l.NY] = int32(len(p.list[kind]))
	}
	l.coefficients(k)
}

// lineRow cuts cells lo to hi of row (j,k) into runs of one kind each.
func (l *level) lineRow(p *plane, j, k, lo, hi int) {
	for lo < hi {
		kind, to := l.kind(j, k, lo), lo+16
		for to < hi && l.kind(j, k, to) == kind {
			to += 16
		}
		p.list[kind] = append(p.list[kind], vec.Run{O: int32((j+1)*l.sy + pad + lo), N: int32(to - lo)})
		lo = to
	}
}

// kind tells which kernels 16 cells take: those that read no weights, and so move
// three arrays less, or even no coefficients but what all inner planes share, which
// stay in the cache.
func (l *level) kind(j, k, i int) int {
	if l.cut[(k*l.NY+j)*(l.n/16)+i/16] {
		return cut
	}
	o, c := l.at(j, k)+i, (j+1)*l.sy+pad+i
	for n, a := range [3][]float32{l.diag, l.invd, l.pn} {
		if [16]float32(a[o:o+16]) != [16]float32(l.canon[n][c:c+16]) {
			return own
		}
	}
	return shared
}

// weighted reports a row of which some cells are cut.
func (l *level) weighted(j, k int) bool {
	n := l.n / 16
	return slices.Contains(l.cut[(k*l.NY+j)*n:(k*l.NY+j+1)*n], true)
}

// plane is plane k of an array, halo rows included; k may be −1 or one past the end.
func (l *level) plane(a []float32, k int) vec.Window {
	return vec.Window{A: a[(k+1)*l.sz : (k+2)*l.sz+pad]}
}

// coefficients finds those of plane k, once for all passes over it.
func (l *level) coefficients(k int) {
	of := coefficients{diag: l.plane(l.diag, k), invd: l.plane(l.invd, k), pn: l.plane(l.pn, k)}
	c := &l.runs[k].coef
	c[shared] = coefficients{diag: vec.Window{A: l.canon[0]}, invd: vec.Window{A: l.canon[1]}, pn: vec.Window{A: l.canon[2]}}
	c[own], c[cut] = of, of
	c[cut].w = &vec.Faces{X: l.plane(l.wx, k), Y: l.plane(l.wy, k), Z: l.plane(l.wz, k), Above: l.plane(l.wz, k+1)}
}

// fractions are open face fractions on the staggered grid: x has NX+1 values a
// row, and so on.
type fractions struct{ x, y, z *grid.Field }

func newFractions(d grid.Dims, alloc func(int) []float32) fractions {
	field := func(x, y, z int) *grid.Field {
		d := grid.Dims{NX: d.NX + x, NY: d.NY + y, NZ: d.NZ + z}
		return &grid.Field{Dims: d, Data: alloc(d.Len())}
	}
	return fractions{field(1, 0, 0), field(0, 1, 0), field(0, 0, 1)}
}

// geometry returns, for axis a, the weight of inner faces and of the faces at
// the low and the high side, with p = 0 half a fine cell outside.
func (l *level) geometry(a, nFine int) (inner, low, high float32) {
	top := max(l.log[0], l.log[1], l.log[2])
	ratio := float64(int(1) << (top - l.log[a]))
	dLow, dHigh := l.reach(a, nFine)
	// where an axis stops being halved before the others its cells are narrower than
	// the longest, and its second difference counts for more
	r2 := ratio * ratio
	return float32(r2), float32(r2 / dLow), float32(r2 / dHigh)
}

// reach is how far along an axis the outermost cells' middles are from p = 0, in the
// level's cells.
func (l *level) reach(a, nFine int) (low, high float64) {
	n := [3]int{l.NX, l.NY, l.NZ}[a]
	h := float64(int(1) << l.log[a])
	// p = 0 lies half a fine cell outside the box on every level: at (½h + ½)/h
	// coarse cells from the first coarse centre. On the high side the last coarse
	// cell may stick out of the box by up to h − 1 cells.
	return (0.5*h + 0.5) / h, max(0.25, (float64(nFine)+0.5-(float64(n)-0.5)*h)/h)
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

// canonical fills the coefficients of an inner plane without solids; t leads to the
// coarser level, nil for the coarsest.
func (l *level) canonical(fine grid.Dims, open Sides, t *transfer) {
	sx, sy, sz := l.sides(0, fine.NX, open), l.sides(1, fine.NY, open), l.sides(2, fine.NZ, open)
	// the sum of the weights of coarse cells that exist along an axis, and the factor
	// beside p = 0
	drawn := func(i, n, axis int) (sum, by float32) {
		if t == nil || t.by[axis] == 1 {
			return 1, 1
		}
		if _, b, wa, wb := parents(i, 2); b >= 0 && b < (n+1)/2 {
			return wa + wb, 1
		} else {
			return wa, t.factor(axis, i, open)
		}
	}
	ends := func(i, n int, s sides) (lo, hi float32) {
		lo, hi = s.inner, s.inner
		if i == 0 {
			lo = s.low
		}
		if i == n-1 {
			hi = s.high
		}
		return lo, hi
	}
	for j := range l.NY {
		y0, y1 := ends(j, l.NY, sy)
		ny, by := drawn(j, l.NY, 1)
		o := (j+1)*l.sy + pad
		for i := range l.NX {
			x0, x1 := ends(i, l.NX, sx)
			v := ((x0 + x1) + (y0 + y1)) + (sz.inner + sz.inner)
			nx, bx := drawn(i, l.NX, 0)
			pn := 1 / (nx * ny)
			if bx != 1 {
				pn *= bx
			}
			if by != 1 {
				pn *= by
			}
			l.canon[0][o+i], l.canon[1][o+i], l.canon[2][o+i] = v, 1/v, pn
		}
	}
}

// assemble fills weights and diagonals of the rows in a range.
//
// It is told again whenever solids move or tiles change.
func (l *level) assemble(crew grid.Crew, fine grid.Dims, open Sides, solids bool, near, dirty Range) {
	sx, sy, sz := l.sides(0, fine.NX, open), l.sides(1, fine.NY, open), l.sides(2, fine.NZ, open)
	// even and without solids nothing has a weight but 1: most levels, most of the
	// time
	even := sx.inner == 1 && sy.inner == 1 && sz.inner == 1
	crew.For(l.NZ, 1, func(k0, k1 int) {
		// weights of a row's faces, put together here whatever is then stored
		room := make([]float32, 5*l.NX+1)
		y0, y1, z0, z1, x := room[:l.NX], room[l.NX:2*l.NX], room[2*l.NX:3*l.NX], room[3*l.NX:4*l.NX], room[4*l.NX:]
		for k := k0; k < k1; k++ {
			for j := range l.NY {
				if !dirty.row(j, k) {
					continue
				}
				spans := l.cells(j, k)
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
				// Blocks of 16 cells are told apart: those whose faces are all fully
				// open use the kernel that reads no weights.
				blocks := l.cut[(k*l.NY+j)*(l.n/16) : (k*l.NY+j+1)*(l.n/16)]
				for i := range blocks {
					blocks[i] = !even
				}
				if solids && near.row(j, k) {
					f := l.frac
					fx, fy0, fy1, fz0, fz1 := f.x.Row(j, k), f.y.Row(j, k), f.y.Row(j+1, k), f.z.Row(j, k), f.z.Row(j, k+1)
					for i := range blocks {
						blocks[i] = blocks[i] || !l.open(spans, 16*i, fx, fy0, fy1, fz0, fz1, j, k)
					}
					scaleRow(x, fx)
					scaleRow(y0, fy0)
					scaleRow(y1, fy1)
					scaleRow(z0, fz0)
					scaleRow(z1, fz1)
				}
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
							blocks[(s.Lo+i)/16] = true // a cell without a way out
						}
					}
				}
			}
		}
	})
}

// open reports that all inner faces of a row's cells in use, of the 16 from i on,
// are fully open.
// Faces on the box's own sides don't count: their weights are the sides'.
func (l *level) open(spans []grid.Span, i int, fx, y0, y1, z0, z1 []float32, j, k int) bool {
	all := func(f []float32) bool {
		for _, v := range f {
			if v != 1 {
				return false
			}
		}
		return true
	}
	for _, s := range spans {
		lo, hi := max(s.Lo, i), min(s.Hi, i+16)
		if lo >= hi {
			continue
		}
		a, b := max(lo, 1), min(hi, l.NX-1)
		if b >= a && !all(fx[a:b+1]) {
			return false
		}
		if (j > 0 && !all(y0[lo:hi])) || (j+1 < l.NY && !all(y1[lo:hi])) ||
			(k > 0 && !all(z0[lo:hi])) || (k+1 < l.NZ && !all(z1[lo:hi])) {
			return false
		}
	}
	return true
}
