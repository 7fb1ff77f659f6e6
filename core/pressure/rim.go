package pressure

// The rim: the cells beside shut faces. The coarser levels know a solid's surface to
// half their cell, so that a correction is worst there: after a cycle nine tenths of
// what is left lie in the first three layers about a ball, a hundredth of the cells.
// One sweep more for these on either side of the correction takes half of it off
// (McAdams, Sifakis and Teran 2010 do several on a wider band; more don't help here).
//
// A sweep is one of Jacobi's: it must not see what it has written. So its values wait
// in a plane of their own until the plane above has been worked out too.

import (
	"zarf/core/grid"
	"zarf/core/vec"
)

// rimWeight is the weight of the rim's sweep.
const rimWeight float32 = 0.9

// rim are blocks of 16 cells of the finest level with some cell beside a shut face.
type rim struct {
	l      *level
	beside []bool // by (k*NY+j)·n/16 + i/16
	cells  []list // by k
	some   bool
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

func newRim(l *level) *rim {
	r := &rim{l: l, beside: make([]bool, l.NY*l.NZ*(l.n/16)), cells: make([]list, l.NZ)}
	for k := range r.cells {
		r.cells[k].first = make([]int32, l.NY+1)
	}
	return r
}

// findRim lists the level's rim anew; there is none without solids.
func (l *level) findRim(crew grid.Crew, solids bool, near, dirty Range) {
	if l.rim == nil && solids {
		l.rim = newRim(l)
	}
	if l.rim != nil {
		if l.rim.some = false; solids {
			l.rim.find(crew, near, dirty)
		}
	}
}

// find lists the rim of the planes that faces within dirty belong to; beyond near all
// faces are open.
func (r *rim) find(crew grid.Crew, near, dirty Range) {
	l, n := r.l, r.l.n/16
	near, dirty = near.grow(), dirty.grow()
	lo, hi := max(dirty.Lo[2], 0), min(dirty.Hi[2], l.NZ-1)
	crew.For(hi-lo+1, 1, func(a, b int) {
		for k := lo + a; k < lo+b; k++ {
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
		}
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

// within are the rim's runs in rows j0 to j1 of plane k.
func (l *level) within(k, j0, j1 int) []vec.Run {
	if l.rim == nil || !l.rim.some || k < 0 || k >= l.NZ {
		return nil
	}
	return l.rim.cells[k].rows(j0, j1)
}

// rimmed reports that the rim has cells in rows j0 to j1 of planes k0 to k1.
func (l *level) rimmed(j0, j1, k0, k1 int) bool {
	for k := k0; k < k1; k++ {
		if len(l.within(k, j0, j1)) > 0 {
			return true
		}
	}
	return false
}

// polish puts the rim's sweep of plane k of x, on the strip and more rows about it,
// into a plane of its own; planes before from don't have what it needs.
func (m *march) polish(own *ring, x *ring, k, from, more int) {
	if k < from {
		return
	}
	if runs := m.l.within(k, m.j-more, m.j+m.h+more); len(runs) > 0 {
		h, b, c := x.hood(k), m.l.plane(m.l.b, k), &m.l.runs[k].coef[cut]
		vec.RelaxRuns(&own.slots[own.at(k)], &h, &b, &c.invd, c.w, runs, rimWeight, 0)
	}
}

// fill puts what polish has found into plane k of x.
func (m *march) fill(x *ring, own *ring, k, from, more int) {
	if k < from {
		return
	}
	vec.MixRuns(&x.slots[x.at(k)], &own.slots[own.at(k)], m.l.within(k, m.j-more, m.j+m.h+more), 1, 0)
}

// polishAll is a sweep of the rim on the level's x, through r.
func (l *level) polishAll(crew grid.Crew) {
	if l.rim == nil || !l.rim.some {
		return
	}
	crew.For(l.NZ, l.grain(), func(k0, k1 int) {
		for k := k0; k < k1; k++ {
			to, h, b, c := l.plane(l.r, k), l.hood(l.x, k), l.plane(l.b, k), &l.runs[k].coef[cut]
			vec.RelaxRuns(&to, &h, &b, &c.invd, c.w, l.rim.cells[k].runs, rimWeight, 0)
		}
	})
	crew.For(l.NZ, l.grain(), func(k0, k1 int) {
		for k := k0; k < k1; k++ {
			x, r := l.plane(l.x, k), l.plane(l.r, k)
			vec.MixRuns(&x, &r, l.rim.cells[k].runs, 1, 0)
		}
	})
}
