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

// across sums the four coarse rows that fine row (j,k) draws from, by weight,
// from coarse cell first on; tmp takes n values.
func (t transfer) across(src []float32, j, k, first, n int, tmp []float32) {
	c := t.coarse
	ja, jb, wja, wjb := parents(j, t.by[1])
	ka, kb, wka, wkb := parents(k, t.by[2])
	row := func(j, k int) []float32 {
		o := c.at(j, k) + first
		return src[o : o+n]
	}
	vec.Blend(tmp[:n], row(ja, ka), row(jb, ka), row(ja, kb), row(jb, kb), &[4]float32{wja * wka, wjb * wka, wja * wkb, wjb * wkb})
}

// room is the length of tmp for across.
func (t transfer) room() int { return max(t.fine.n/2, t.coarse.n) + 2*pad }

// stretch rounds a span of fine cells out to whole vectors.
func (l *level) stretch(s grid.Span) (lo, hi int) { return s.Lo &^ 15, min((s.Hi+15)&^15, l.n) }

// prolong adds the interpolated coarse x to the fine x.
// Across planes and rows first, by one blend of four coarse rows, then along x: a
// coarse row is read once for two fine cells.
func (t transfer) prolong(crew grid.Crew) {
	f := t.fine
	crew.For(f.NZ, f.grain(), func(k0, k1 int) {
		tmp := make([]float32, t.room())
		for k := k0; k < k1; k++ {
			for j := range f.NY {
				last := 0
				for _, s := range f.cells(j, k) {
					lo, hi := f.stretch(s)
					lo = max(lo, last) // rounding must not add twice
					last = hi
					if lo >= hi {
						continue
					}
					t.draw(f.row(f.x, j, k)[lo:hi], f.row(f.pn, j, k)[lo:hi], t.coarse.x, j, k, lo, tmp)
				}
			}
		}
	})
}

// draw adds pn times the interpolated coarse values to fine cells lo, lo+1 …
func (t transfer) draw(x, pn, src []float32, j, k, lo int, tmp []float32) {
	if t.by[0] == 2 {
		t.across(src, j, k, lo/2-1, len(x)/2+2, tmp)
		vec.Spread(x, pn, tmp)
		return
	}
	n := min(len(x), t.fine.NX-lo)
	t.across(src, j, k, lo, n, tmp)
	for i := range n {
		x[i] += float32(pn[i] * tmp[i])
	}
}

// restrict takes the fine residual r, already normalised, to the coarse b.
func (t transfer) restrict(crew grid.Crew) {
	f, c := t.fine, t.coarse
	crew.For(c.NZ, c.grain(), func(k0, k1 int) {
		sum := make([]float32, f.n+2*pad)
		for K := k0; K < k1; K++ {
			for J := range c.NY {
				for _, s := range c.cells(J, K) {
					t.gather(s, J, K, sum)
				}
			}
		}
	})
}

// gather fills coarse cells s of row (J,K); sum is room for a fine row.
//
// It is written as a gather, as a scatter would need colours: each coarse cell takes
// from up to 4 × 4 × 4 fine ones, sixteen rows of them summed by four blends.
func (t transfer) gather(s grid.Span, J, K int, sum []float32) {
	f, c := t.fine, t.coarse
	// fine cells from −1 on go to sum[pad−1] on
	lo := max(s.Lo*t.by[0]-1, 0) &^ 15
	hi := min((s.Hi*t.by[0]+1+15)&^15, f.n)
	clear(sum[lo : hi+2*pad])
	mid := sum[pad+lo : pad+hi]
	jr, jw, jn := children(J, t.by[1], f.NY)
	kr, kw, kn := children(K, t.by[2], f.NZ)
	part := func(j, k int) []float32 { return f.row(f.r, j, k)[lo:hi] }
	// four rows at a time: one pass of reading and writing the sums instead of four
	if jn == 4 {
		for b := range kn {
			w := kw[b]
			vec.BlendAdd(mid, part(jr[0], kr[b]), part(jr[1], kr[b]), part(jr[2], kr[b]), part(jr[3], kr[b]),
				&[4]float32{w * jw[0], w * jw[1], w * jw[2], w * jw[3]})
		}
	} else {
		for b := range kn {
			for a := range jn {
				vec.Axpy(mid, part(jr[a], kr[b]), jw[a]*kw[b])
			}
		}
	}
	dst := c.row(c.b, J, K)[s.Lo:s.Hi]
	if t.by[0] == 1 {
		for i := range dst {
			dst[i] = t.scale * sum[pad+s.Lo+i]
		}
		return
	}
	// along x: weights ¼ ¾ ¾ ¼ of four neighbouring fine values
	q := t.scale * 0.25
	for i := range dst {
		at := pad + 2*(s.Lo+i) - 1
		v := sum[at : at+4 : at+4]
		dst[i] = float32(q * ((v[0] + v[3]) + float32(3*(v[1]+v[2]))))
	}
}

// children are the fine indices that coarse index I gathers from.
func children(I, by, n int) (at [4]int, w [4]float32, count int) {
	if by == 1 {
		at[0], w[0] = I, 1
		return at, w, 1
	}
	// the transpose of parents: the four fine cells that draw from I, at the rims
	// fewer
	for m, v := range [4]float32{0.25, 0.75, 0.75, 0.25} {
		if i := 2*I - 1 + m; i >= 0 && i < n {
			at[count], w[count] = i, v
			count++
		}
	}
	return at, w, count
}

// normalise works out pn of the fine level: one over the sum of weights of
// the coarse values that exist (fluid cells, and p = 0 beyond open sides and
// beside cells in use).
//
// Trilinear weights of coarse values that exist, summed; a cell of which none exist
// gets 0 and no correction from this level. It runs once a set-up.
func (t transfer) normalise(crew grid.Crew, open Sides) {
	f, c := t.fine, t.coarse
	// c.t is free between solves, and cleared again below
	avail := c.t // 1 where a coarse value exists, one cell of halo included
	near := t.near()
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
	each(func(j, k int) { c.exist(avail, j, k, open) })
	crew.For(f.NZ, 1, func(k0, k1 int) {
		tmp := make([]float32, t.room())
		sum, ones := make([]float32, f.n), make([]float32, f.n)
		for i := range ones {
			ones[i] = 1
		}
		for k := k0; k < k1; k++ {
			for j := range f.NY {
				for _, s := range f.cells(j, k) {
					lo, hi := f.stretch(s)
					clear(sum[lo:hi])
					t.draw(sum[lo:hi], ones[lo:hi], avail, j, k, lo, tmp)
					f.invert(sum, j, k, s)
				}
			}
		}
	})
	each(func(j, k int) {
		o := c.at(j, k)
		clear(avail[o-1 : o+c.NX+1])
	})
}

// near marks the coarse rows, those of the halo included, that some cell in use
// draws from.
func (t transfer) near() []bool {
	c := t.coarse
	near := make([]bool, (c.NY+2)*(c.NZ+2))
	for k := range c.NZ {
		for j := range c.NY {
			if len(c.cells(j, k)) == 0 {
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

// exist marks with 1 the values of a row that exist: those of fluid, and where a
// side is open those beyond it, where the pressure is 0.
func (l *level) exist(avail []float32, j, k int, open Sides) {
	o := l.at(j, k)
	row := avail[o-1 : o+l.NX+1]
	// beyond a wall nothing exists; beyond an open side the value 0 does
	if !((j >= 0 || open[2]) && (j < l.NY || open[3]) && (k >= 0 || open[4]) && (k < l.NZ || open[5])) {
		clear(row)
		return
	}
	for i := range row {
		row[i] = 1
	}
	for _, s := range l.cells(j, k) { // solids stand in cells in use alone
		for i := s.Lo; i < s.Hi; i++ {
			if l.diag[o+i] <= 0 {
				// row begins with the halo cell, hence the one more
				row[i+1] = 0
			}
		}
	}
	if !open[0] {
		row[0] = 0
	}
	if !open[1] {
		row[l.NX+1] = 0
	}
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
