package pressure

import "zarf/core/grid"

// transfer moves values between two neighbouring levels.
type transfer struct {
	fine, coarse *level
	by           [3]int // 2 where the axis is halved, else 1
	scale        float32
}

// parents are the two coarse indices that fine index i draws from, and their
// weights.
func parents(i, by int) (a, b int, wa, wb float32) {
	if by == 1 {
		return i, i, 1, 0
	}
	a = i >> 1
	if i&1 == 0 {
		return a, a - 1, 0.75, 0.25
	}
	return a, a + 1, 0.75, 0.25
}

// across sums the four coarse rows that fine row (j,k) draws from, by weight;
// tmp starts at coarse cell −1 and has room for a whole fine row to draw from.
func (t transfer) across(src []float32, j, k int, tmp []float32) {
	c := t.coarse
	ja, jb, wja, wjb := parents(j, t.by[1])
	ka, kb, wka, wkb := parents(k, t.by[2])
	n := c.NX + 2
	row := func(j, k int) []float32 {
		o := c.at(j, k) - 1
		return src[o : o+n]
	}
	blend4(tmp[:n], row(ja, ka), row(jb, ka), row(ja, kb), row(jb, kb), wja*wka, wjb*wka, wja*wkb, wjb*wkb)
}

// room is the length of tmp for across.
func (t transfer) room() int { return max(t.fine.n/2, t.coarse.n) + 2*pad }

// prolong adds the interpolated coarse x to the fine x.
func (t transfer) prolong(crew grid.Crew) {
	f := t.fine
	crew.For(f.NZ, f.grain(), func(k0, k1 int) {
		tmp := make([]float32, t.room())
		for k := k0; k < k1; k++ {
			for j := range f.NY {
				if f.kind[k*f.NY+j] == rowEmpty {
					continue
				}
				t.across(t.coarse.x, j, k, tmp)
				x, pn := f.row(f.x, j, k), f.row(f.pn, j, k)
				if t.by[0] == 2 {
					spread(x, pn, tmp)
					continue
				}
				for i := range f.NX {
					x[i] += float32(pn[i] * tmp[i+1])
				}
			}
		}
	})
}

// restrict takes the fine residual r, already normalised, to the coarse b.
func (t transfer) restrict(crew grid.Crew) {
	f, c := t.fine, t.coarse
	crew.For(c.NZ, c.grain(), func(k0, k1 int) {
		sum := make([]float32, f.n+2*pad)
		for K := k0; K < k1; K++ {
			for J := range c.NY {
				if c.kind[K*c.NY+J] == rowEmpty {
					continue
				}
				clear(sum)
				mid := sum[pad : pad+f.n]
				jr, jw, jn := children(J, t.by[1], f.NY)
				kr, kw, kn := children(K, t.by[2], f.NZ)
				if jn == 4 {
					for b := range kn {
						w := kw[b]
						blendAdd4(mid, f.row(f.r, jr[0], kr[b]), f.row(f.r, jr[1], kr[b]), f.row(f.r, jr[2], kr[b]), f.row(f.r, jr[3], kr[b]),
							w*jw[0], w*jw[1], w*jw[2], w*jw[3])
					}
				} else {
					for b := range kn {
						for a := range jn {
							axpy(mid, f.row(f.r, jr[a], kr[b]), jw[a]*kw[b])
						}
					}
				}
				dst := c.row(c.b, J, K)[:c.NX]
				if t.by[0] == 1 {
					for I := range dst {
						dst[I] = t.scale * mid[I]
					}
					continue
				}
				q := t.scale * 0.25
				for I := range dst {
					s := sum[pad+2*I-1 : pad+2*I+3 : pad+2*I+3]
					dst[I] = float32(q * ((s[0] + s[3]) + float32(3*(s[1]+s[2]))))
				}
			}
		}
	})
}

// blendAdd4 is dst += Σ w_m rows_m.
func blendAdd4(dst, a, b, c, d []float32, wa, wb, wc, wd float32) {
	n := len(dst)
	if useVectors {
		blendAdd4V(&dst[0], &a[0], &b[0], &c[0], &d[0], &[4]float32{wa, wb, wc, wd}, n)
		return
	}
	a, b, c, d = a[:n], b[:n], c[:n], d[:n]
	for i := range dst {
		dst[i] += (float32(wa*a[i]) + float32(wb*b[i])) + (float32(wc*c[i]) + float32(wd*d[i]))
	}
}

// children are the fine indices that coarse index I gathers from.
func children(I, by, n int) (at [4]int, w [4]float32, count int) {
	if by == 1 {
		at[0], w[0] = I, 1
		return at, w, 1
	}
	for m, v := range [4]float32{0.25, 0.75, 0.75, 0.25} {
		if i := 2*I - 1 + m; i >= 0 && i < n {
			at[count], w[count] = i, v
			count++
		}
	}
	return at, w, count
}

// normalise works out pn of the fine level: one over the sum of weights of
// the coarse values that exist (fluid cells, and p = 0 beyond open sides).
func (t transfer) normalise(crew grid.Crew, open Sides) {
	f, c := t.fine, t.coarse
	avail := c.t
	clear(avail)
	for k := -1; k <= c.NZ; k++ {
		for j := -1; j <= c.NY; j++ {
			o := c.at(j, k)
			for i := -1; i <= c.NX; i++ {
				out := 0
				ok := true
				for a, v := range [3][2]int{{i, c.NX}, {j, c.NY}, {k, c.NZ}} {
					if v[0] < 0 {
						out++
						ok = ok && open[2*a]
					} else if v[0] >= v[1] {
						out++
						ok = ok && open[2*a+1]
					}
				}
				if (out == 0 && c.diag[o+i] > 0) || (out > 0 && ok) {
					avail[o+i] = 1
				}
			}
		}
	}
	crew.For(f.NZ, 1, func(k0, k1 int) {
		tmp := make([]float32, t.room())
		sum, ones := make([]float32, f.n), make([]float32, f.n)
		for i := range ones {
			ones[i] = 1
		}
		for k := k0; k < k1; k++ {
			for j := range f.NY {
				t.across(avail, j, k, tmp)
				if clear(sum); t.by[0] == 2 {
					spread(sum, ones, tmp)
				} else {
					copy(sum[:f.NX], tmp[1:])
				}
				pn, diag := f.row(f.pn, j, k), f.row(f.diag, j, k)
				for i := range f.NX {
					pn[i] = 0
					if diag[i] > 0 && sum[i] > 0 {
						pn[i] = 1 / sum[i]
					}
				}
			}
		}
	})
	clear(avail)
}
