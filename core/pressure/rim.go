package pressure

// The rim: the cells beside shut faces. The coarser levels know a solid's surface to
// half their cell, so that a correction is worst there: after a cycle nine tenths of
// what is left lie in the first three layers about a ball, a hundredth of the cells.
// One sweep more for these, before the cycle and after it, takes two fifths off
// (McAdams, Sifakis and Teran 2010 do several on a wider band; more don't help here).
//
// With S = ω D⁻¹ on the rim and 0 elsewhere, and the cycle V, the preconditioner is
// the symmetric product z = e + x + S(b − A(e + x)), e = S b, x = V(b − A e), and
//
//	z·b = x·(b − A e) + e·(b + (b − A e)),
//
// so that what the cycle sums anyway needs no second pass over the level.

import (
	"zarf/core/grid"
	"zarf/core/vec"
)

// rimWeight is ω of the rim's sweep.
const rimWeight float32 = 0.9

// rim are blocks of 16 cells of the finest level with some cell beside a shut face,
// and those about them, which e is felt in.
type rim struct {
	l            *level
	beside       []bool // by (k*NY+j)·n/16 + i/16
	cells, about []list // by k
	// e is zero beyond the rim; keep is b before it was changed; ones are for kernels
	// that multiply by a row more than is wanted
	e, keep, ones []float32
	parts         []float64
	some          bool
}

// list holds runs of a plane, and where those of each row begin.
type list struct {
	runs  []vec.Run
	first []int32
}

// rows are the runs of rows j0 to j1.
func (t *list) rows(j0, j1 int) []vec.Run {
	n := len(t.first) - 1
	return t.runs[t.first[min(max(j0, 0), n)]:t.first[min(max(j1, 0), n)]]
}

func newRim(l *level, alloc func(int) []float32) *rim {
	r := &rim{l: l, e: l.alloc(alloc), keep: l.alloc(alloc)}
	r.beside = make([]bool, l.NY*l.NZ*(l.n/16))
	r.cells, r.about, r.parts = make([]list, l.NZ), make([]list, l.NZ), make([]float64, l.NZ)
	r.ones = make([]float32, l.sz+pad)
	for i := range r.ones {
		r.ones[i] = 1
	}
	for k := range l.NZ {
		r.cells[k].first, r.about[k].first = make([]int32, l.NY+1), make([]int32, l.NY+1)
	}
	return r
}

// find lists the rim of the planes that faces within dirty belong to; beyond near all
// faces are open.
func (r *rim) find(crew grid.Crew, near, dirty Range) {
	l, n := r.l, r.l.n/16
	planes := func(lo, hi int, fn func(k int)) {
		lo, hi = max(lo, 0), min(hi, l.NZ-1)
		crew.For(hi-lo+1, 1, func(a, b int) {
			for k := lo + a; k < lo+b; k++ {
				fn(k)
			}
		})
	}
	near, dirty = near.grow(), dirty.grow()
	planes(dirty.Lo[2], dirty.Hi[2], func(k int) {
		for _, run := range r.cells[k].runs {
			o := (k+1)*l.sz + int(run.O)
			clear(r.e[o : o+int(run.N)])
		}
		flags := r.beside[k*l.NY*n : (k+1)*l.NY*n]
		clear(flags)
		for j := range l.NY {
			if !near.row(j, k) {
				continue
			}
			for b := range n {
				flags[j*n+b] = l.cut[(k*l.NY+j)*n+b] && l.besideShut(16*b, j, k)
			}
		}
		r.cells[k].take(l, k, func(b, j int) bool { return flags[j*n+b] })
	})
	wider := near.grow()
	planes(dirty.Lo[2]-1, dirty.Hi[2]+1, func(k int) {
		r.about[k].take(l, k, func(b, j int) bool {
			if !wider.row(j, k) {
				return false
			}
			for K := max(k-1, 0); K <= min(k+1, l.NZ-1); K++ {
				for J := max(j-1, 0); J <= min(j+1, l.NY-1); J++ {
					row := r.beside[(K*l.NY+J)*n:][:n]
					if row[max(b-1, 0)] || row[b] || row[min(b+1, n-1)] {
						return true
					}
				}
			}
			return false
		})
	})
	r.some = false
	for k := range r.cells {
		r.some = r.some || len(r.cells[k].runs) > 0
	}
}

// take lists the blocks of plane k in use that belong.
func (t *list) take(l *level, k int, belongs func(b, j int) bool) {
	t.runs = t.runs[:0]
	for j := range l.NY {
		t.first[j] = int32(len(t.runs))
		end := -1 // where a run ended that may go on
		for _, s := range l.cells(j, k) {
			lo, hi := l.stretch(s)
			for b := max(lo, end) / 16; b < hi/16; b++ {
				if !belongs(b, j) {
					continue
				}
				if 16*b == end {
					t.runs[len(t.runs)-1].N += 16
				} else {
					t.runs = append(t.runs, vec.Run{O: int32((j+1)*l.sy + pad + 16*b), N: 16})
				}
				end = 16*b + 16
			}
		}
	}
	t.first[l.NY] = int32(len(t.runs))
}

// besideShut reports that some fluid cell of the 16 from i on has a face that isn't
// fully open, those on the box's own sides aside.
func (l *level) besideShut(i, j, k int) bool {
	f, o := l.frac, l.at(j, k)
	x, y0, y1, z0, z1 := f.x.Row(j, k), f.y.Row(j, k), f.y.Row(j+1, k), f.z.Row(j, k), f.z.Row(j, k+1)
	for end := min(i+16, l.NX); i < end; i++ {
		if l.diag[o+i] == 0 {
			continue
		}
		if i > 0 && x[i] != 1 || i+1 < l.NX && x[i+1] != 1 ||
			j > 0 && y0[i] != 1 || j+1 < l.NY && y1[i] != 1 ||
			k > 0 && z0[i] != 1 || k+1 < l.NZ && z1[i] != 1 {
			return true
		}
	}
	return false
}

// before takes the rim's sweep from zero into e, and what it leaves of b into b. It
// returns e·b before and after.
func (r *rim) before(crew grid.Crew) float64 {
	l := r.l
	crew.For(l.NZ, l.grain(), func(k0, k1 int) {
		for k := k0; k < k1; k++ {
			r.sweep(k, l.plane(l.b, k))
		}
	})
	crew.For(l.NZ, l.grain(), func(k0, k1 int) {
		for k := k0; k < k1; k++ {
			b, keep, h, junk := l.plane(l.b, k), l.plane(r.keep, k), l.hood(r.e, k), l.plane(l.x, k)
			all, own := r.about[k].runs, r.cells[k].runs
			vec.ScaleRuns(&keep, &b, r.one(), all, 1)
			r.parts[k] = vec.DotRuns(&h.X, &b, own)
			c := &l.runs[k].coef[cut]
			vec.UpdateRuns(&junk, &b, &h, &c.diag, c.w, all, 1, true)
			r.parts[k] += vec.DotRuns(&h.X, &b, own)
		}
	})
	var sum float64
	for _, v := range r.parts {
		sum += v
	}
	return sum
}

func (r *rim) one() *vec.Window { return &vec.Window{A: r.ones} }

// sweep puts ω b/d into the rim's e of plane k.
func (r *rim) sweep(k int, b vec.Window) {
	e := r.l.plane(r.e, k)
	vec.ScaleRuns(&e, &b, &r.l.runs[k].coef[cut].invd, r.cells[k].runs, rimWeight)
}

// add adds e to x on rows of plane k.
func (r *rim) add(x *vec.Window, k, j0, j1 int) {
	e := r.l.plane(r.e, k)
	vec.XpayRuns(x, &e, r.cells[k].rows(j0, j1), 1)
}

// after puts b back, and the sweep for what x leaves of it into e, which is then to be
// added to x.
func (r *rim) after(crew grid.Crew) {
	l := r.l
	crew.For(l.NZ, l.grain(), func(k0, k1 int) {
		for k := k0; k < k1; k++ {
			b, keep, h, e := l.plane(l.b, k), l.plane(r.keep, k), l.hood(l.x, k), l.plane(r.e, k)
			vec.ScaleRuns(&b, &keep, r.one(), r.about[k].runs, 1)
			c := &l.runs[k].coef[cut]
			vec.ResidualRuns(&e, &h, &b, &c.diag, r.one(), c.w, r.cells[k].runs)
			r.sweep(k, e)
		}
	})
}
