package pressure

// Restriction and prolongation. Both are exact transposes of each other with the
// same normalisation, or conjugate gradients would be given a cycle that isn't
// symmetric.

import (
	"zarf/core/grid"
	"zarf/core/vec"
)

// transfer moves values between two neighbouring levels.
type transfer struct {
	fine, coarse *level
	by           [3]int // 2 where the axis is halved, else 1
	scale        float32
	span         [3]int      // cells of the finest level
	member       []uint8     // children that each coarse cell stands for; nil without solids
	fixes        []fix       // by position
	first        []int32     // where those of row k*NY+j begin
	left         []float32   // what is left of b at each fix
	fixed        []given     // by position
	groups       []int32     // where those of a position begin
	share        [8]float32  // weights of the coarse cells that a fine one draws from
	reach        [8][8]int32 // steps by side
}

// parents are the two coarse indices that fine index i draws from, and their
// weights.
func parents(i, by int) (a, b int, wa, wb float32) {
	// ¾ from the coarse cell it lies in, ¼ from the neighbour on its side: linear
	// interpolation between cell centres
	if by == 1 {
		return i, i, 1, 0
	}
	a = i >> 1
	if i&1 == 0 {
		return a, a - 1, 0.75, 0.25
	}
	return a, a + 1, 0.75, 0.25
}

// stretch rounds a span of fine cells out to whole vectors.
func (l *level) stretch(s grid.Span) (lo, hi int) { return s.Lo &^ 15, min((s.Hi+15)&^15, l.n) }

// prolong puts what x has and the interpolated coarse x into dst, on the rows j0 to j1
// of plane k; where an axis isn't halved dst must be x.
// Across planes and rows first, by one blend of four coarse rows, then along x.
func (t *transfer) prolong(dst, x *vec.Window, k, j0, j1 int) {
	f, c := t.fine, t.coarse
	p := &f.runs[k]
	if !t.fused() {
		for kind := range kinds {
			for _, r := range p.rows(kind, j0, j1) {
				o, n := int(r.O), int(r.N)
				t.draw(x.A[o-x.From:o-x.From+n], p.coef[kind].pn.A[o:o+n], c.x, o/f.sy-1, k, o%f.sy-pad)
			}
		}
		return
	}
	ka, kb, wka, wkb := parents(k, 2)
	w := [4]float32{0.75 * wka, 0.25 * wka, 0.75 * wkb, 0.25 * wkb}
	near, far := c.plane(c.x, ka), c.plane(c.x, kb)
	for kind := range kinds {
		if a, b := p.span(kind, j0, j1); a < b {
			vec.Prolong(dst, x, &p.coef[kind].pn, near.A, far.A, p.draws[kind][a:b], p.list[kind][a:b], &w)
		}
	}
}

// draws tells where the runs of plane k find what they draw.
func (t *transfer) draws(k int) {
	f, c := t.fine, t.coarse
	p := &f.runs[k]
	for kind := range kinds {
		for _, r := range p.list[kind] {
			j, lo := int(r.O)/f.sy-1, int(r.O)%f.sy-pad
			ja, jb, _, _ := parents(j, 2)
			p.draws[kind] = append(p.draws[kind], vec.Draw{O: int32((ja+1)*c.sy + pad + lo/2 - 1), Step: int32((jb - ja) * c.sy)})
		}
	}
}

// draw adds pn times the interpolated coarse values to fine cells lo, lo+1 … of row
// (j,k).
func (t *transfer) draw(x, pn, src []float32, j, k, lo int) {
	c := t.coarse
	ja, jb, wja, wjb := parents(j, t.by[1])
	ka, kb, wka, wkb := parents(k, t.by[2])
	w := [4]float32{wja * wka, wjb * wka, wja * wkb, wjb * wkb}
	first, n := lo/2-1, len(x)/2+8
	if t.by[0] == 1 {
		first, n = lo, min(len(x), t.fine.NX-lo)
	}
	at := c.at(ja, ka) + first
	dj, dk := (jb-ja)*c.sy, (kb-ka)*c.sz
	p, q, r, s := src[at:at+n], src[at+dj:at+dj+n], src[at+dk:at+dk+n], src[at+dj+dk:at+dj+dk+n]
	if t.by[0] == 2 {
		one := vec.Window{A: x}
		weights := vec.Window{A: pn}
		rows := make([]float32, 0, 4*n)
		rows = append(append(append(append(rows, p...), q...), r...), s...)
		vec.Prolong(&one, &one, &weights, rows[:2*n], rows[2*n:], []vec.Draw{{O: 0, Step: int32(n)}}, []vec.Run{{O: 0, N: int32(len(x))}}, &w)
		return
	}
	tmp := make([]float32, n)
	vec.Blend(tmp, p, q, r, s, &w)
	for i := range n {
		x[i] += float32(pn[i] * tmp[i])
	}
}

// restrict takes the fine residual r, already normalised, to the coarse b: rows of a
// plane first, then planes, then along x. It is the plain form of what a strip does.
func (t *transfer) restrict(crew grid.Crew) {
	f, c := t.fine, t.coarse
	if f.small() && t.fused() {
		t.restrictAll()
		return
	}
	crew.For(c.NZ, c.grain(), func(k0, k1 int) {
		zero, sum, part := make([]float32, f.n), make([]float32, t.long()), [4][]float32{}
		for a := range part {
			part[a] = make([]float32, f.n)
		}
		for K := k0; K < k1; K++ {
			kr, kw := children(K, t.by[2], f.NZ)
			for J := range c.NY {
				if len(c.cells(J, K)) == 0 {
					continue
				}
				jr, jw := children(J, t.by[1], f.NY)
				for b, k := range kr {
					clear(part[b])
					if k < 0 {
						continue
					}
					var row [4][]float32
					for a, j := range jr {
						if row[a] = zero; j >= 0 {
							row[a] = f.row(f.r, j, k)
						}
					}
					vec.Blend(part[b], row[0], row[1], row[2], row[3], &jw)
				}
				vec.Blend(sum[pad:pad+f.n], part[0], part[1], part[2], part[3], &kw)
				t.gather(sum, J, K)
			}
		}
	})
}

// long is how many values a row of sums has for gather: a coarse row may be padded
// farther than the fine one.
func (t *transfer) long() int { return 2*max(t.fine.n, t.coarse.n) + 2*pad }

// gather fills coarse row (J,K) from a fine row of sums, whose first value is
// sum[pad]; those beside the row must be 0.
func (t *transfer) gather(sum []float32, J, K int) {
	c := t.coarse
	for _, s := range c.cells(J, K) {
		lo, hi := c.stretch(s)
		dst := c.row(c.b, J, K)[lo:hi]
		if t.by[0] == 1 {
			for i := range dst {
				dst[i] = t.scale * sum[pad+lo+i]
			}
			continue
		}
		// along x: weights ¼ ¾ ¾ ¼ of four neighbouring fine values
		vec.Halve(dst, sum[pad+2*lo-1:], t.scale*0.25)
	}
}

// children are the fine indices that coarse index I gathers from, −1 where there is
// none, and their weights.
func children(I, by, n int) (at [4]int, w [4]float32) {
	at = [4]int{-1, -1, -1, -1}
	if by == 1 {
		at[0], w[0] = I, 1
		return at, w
	}
	// the transpose of parents: the four fine cells that draw from I, at the rims
	// fewer
	w = quarters
	for m := range at {
		if i := 2*I - 1 + m; i >= 0 && i < n {
			at[m] = i
		}
	}
	return at, w
}

// quarters are the weights of the four fine cells that a coarse one gathers from.
var quarters = [4]float32{0.25, 0.75, 0.75, 0.25}

// normalise works out pn of the fine level. A fine cell draws from coarse cells of
// fluid alone: pn is one over the sum of their weights. Where p = 0 lies on its other
// side, beyond an open side of the box or beside the tiles in use, it is nearer to
// that than the coarse cell that it draws from, and what it draws is less by as much:
// linear interpolation between the coarse cell's middle and the place of p = 0.
//
// It runs once a set-up, for the cells that coarse ones within dirty touch.
func (t *transfer) normalise(crew grid.Crew, open Sides, dirty Range) {
	f, c := t.fine, t.coarse
	// c.b is free between solves, and cleared again below
	avail := c.b // 1 where a coarse value exists, one cell of halo included
	near := t.near(dirty.coarse(c.log))
	each := func(fn func(j, k int)) {
		crew.For(c.NZ+2, 4, func(k0, k1 int) {
			for k := k0; k < k1; k++ {
				for j := range c.NY + 2 {
					if near[k*(c.NY+2)+j] {
						fn(j-1, k-1)
					}
				}
			}
		})
	}
	// A fine cell beside a solid draws from coarse cells that aren't there. Dividing
	// by the sum of weights that are carries the others' correction to it unchanged,
	// where plain interpolation would halve it.
	each(func(j, k int) { c.exist(avail, j, k) })
	own := t.touched(dirty)
	crew.For(f.NZ, 1, func(k0, k1 int) {
		sum, ones := make([]float32, f.n), make([]float32, f.n)
		for i := range ones {
			ones[i] = 1
		}
		for k := k0; k < k1; k++ {
			for j := range f.NY {
				if !own.row(j, k) {
					continue
				}
				for _, s := range f.cells(j, k) {
					lo, hi := f.stretch(s)
					clear(sum[lo:hi])
					t.draw(sum[lo:hi], ones[lo:hi], avail, j, k, lo)
					f.invert(sum, j, k, s)
					t.near0(j, k, s, open)
				}
			}
		}
	})
	each(func(j, k int) {
		o := c.at(j, k)
		clear(avail[o-1 : o+c.NX+1])
	})
}

// touched are the fine cells that draw from coarse ones in a range of the finest level.
func (t *transfer) touched(dirty Range) Range {
	r := dirty.coarse(t.coarse.log)
	for a, by := range t.by {
		if by == 2 {
			r.Lo[a], r.Hi[a] = 2*r.Lo[a]-1, 2*r.Hi[a]+2
		}
	}
	return r
}

// near marks the coarse rows, those of the halo included, that some cell in use
// near a range draws from.
func (t *transfer) near(dirty Range) []bool {
	c := t.coarse
	near := make([]bool, (c.NY+2)*(c.NZ+2))
	for k := range c.NZ {
		for j := range c.NY {
			if len(c.cells(j, k)) == 0 || !dirty.grow().row(j, k) {
				continue
			}
			// a fine cell draws from its own coarse row and the eight round it
			for b := range 9 {
				near[(k+b/3)*(c.NY+2)+j+b%3] = true
			}
		}
	}
	return near
}

// exist marks with 1 the values of a row that exist: those of cells in use. Solids are
// the business of fixes.
func (l *level) exist(avail []float32, j, k int) {
	o := l.at(j, k)
	clear(avail[o-1 : o+l.NX+1])
	for _, s := range l.cells(j, k) {
		for i := s.Lo; i < s.Hi; i++ {
			avail[o+i] = 1
		}
	}
}

// near0 makes what cells of a span draw less where p = 0 lies on their other side.
func (t *transfer) near0(j, k int, s grid.Span, open Sides) {
	f, c := t.fine, t.coarse
	pn := f.row(f.pn, j, k)
	ja, jb, _, _ := parents(j, t.by[1])
	ka, kb, _, _ := parents(k, t.by[2])
	if by := t.factor(0, s.Lo, open); by != 1 || s.Lo > 0 {
		if _, b, _, _ := parents(s.Lo, t.by[0]); !covers(c.cells(ja, ka), b) {
			pn[s.Lo] *= by
		}
	}
	if by := t.factor(0, s.Hi-1, open); s.Hi-1 > s.Lo && (by != 1 || s.Hi < f.NX) {
		if _, b, _, _ := parents(s.Hi-1, t.by[0]); !covers(c.cells(ja, ka), b) {
			pn[s.Hi-1] *= by
		}
	}
	across := func(axis, i int, beside []grid.Span) {
		by := t.factor(axis, i, open)
		if by == 1 || len(beside) == 1 && beside[0].Lo == 0 && beside[0].Hi == c.NX {
			return
		}
		for i := s.Lo; i < s.Hi; i++ {
			if a, _, _, _ := parents(i, t.by[0]); !covers(beside, a) {
				pn[i] *= by
			}
		}
	}
	across(1, j, c.cells(jb, ka))
	across(2, k, c.cells(ja, kb))
}

func covers(list []grid.Span, i int) bool {
	for _, s := range list {
		if i >= s.Lo && i < s.Hi {
			return true
		}
	}
	return false
}

// factor is what a fine cell draws of a coarse one, where the coarse cell on its
// other side along an axis holds p = 0; 1 where a wall is there.
func (t *transfer) factor(axis, i int, open Sides) float32 {
	if t.by[axis] == 1 {
		return 1
	}
	n := [3]int{t.fine.NX, t.fine.NY, t.fine.NZ}[axis]
	_, b, _, _ := parents(i, 2)
	switch {
	case b < 0 && !open[2*axis], b >= (n+1)/2 && !open[2*axis+1]:
		return 1
	case b >= (n+1)/2:
		_, fine := t.fine.reach(axis, t.span[axis])
		_, coarse := t.coarse.reach(axis, t.span[axis])
		return float32(fine / (2 * coarse))
	}
	fine, _ := t.fine.reach(axis, t.span[axis])
	coarse, _ := t.coarse.reach(axis, t.span[axis])
	return float32(fine / (2 * coarse))
}

// invert makes the normalisation of a span one over the weights that it draws.
func (l *level) invert(sum []float32, j, k int, s grid.Span) {
	pn, diag := l.row(l.pn, j, k), l.row(l.diag, j, k)
	for i := s.Lo; i < s.Hi; i++ {
		pn[i] = 0
		if diag[i] > 0 && sum[i] > 0 {
			pn[i] = 1 / sum[i]
		}
	}
}
