package pressure

// The halves of a V-cycle on one level, fused: strips of rows march through the
// planes, and what lies between two sweeps is held in rings of a few planes that stay
// in the second cache. Going down reads b alone, going up reads b and writes x; the
// sweeps in between never reach memory. A strip works the rows about it out for
// itself, as deep as its sweeps look, so strips and stretches of planes have no part
// in the bits.

import (
	"sync"

	"zarf/core/grid"
	"zarf/core/vec"
)

// fused reports that the level below is half as wide along every axis.
func (t *transfer) fused() bool { return t.by == [3]int{2, 2, 2} }

// march is what a strip holds of its level.
type march struct {
	l    *level
	j, h int    // its first row, and how many
	deep int    // how far round it its first sweep reaches
	rim  bool   // there are cells beside shut faces
	wide []bool // those have planes k or up to two farther, by k
	from int    // offset of a plane's value that a ring begins with
	size int
	room []float32
	used int
}

var marches = sync.Pool{New: func() any { return new(march) }}

// begin takes room for a strip of a level, from plane k0 to k1. Its first sweep reaches
// three rows farther, and a row for each sweep of the rim.
func (l *level) begin(strip, k0, k1, sweeps int) *march {
	m := marches.Get().(*march)
	m.l, m.j, m.h, m.used, m.deep = l, strip*l.height, l.height, 0, 3
	if m.rim = l.rimmed(m.j-3, m.j+m.h+3, k0-3, k1+3); m.rim {
		m.deep += sweeps
		m.wide = append(m.wide[:0], make([]bool, l.NZ)...)
		for k := max(k0-7, 0); k < min(k1+7, l.NZ); k++ {
			m.wide[k] = l.rimmed(m.j-3, m.j+m.h+3, k-2, k+3)
		}
	}
	// a row of halo before and after the rows that it reaches
	m.from = (m.j - m.deep) * l.sy
	m.size = (m.h+2*m.deep+2)*l.sy + pad
	return m
}

// ring holds the newest planes of one sweep.
type ring struct {
	m     *march
	slots []vec.Window
	holds []int // the plane that was put there last, −1 for none: all is zero
}

// ring makes one of n planes, cleared.
func (m *march) ring(n int) *ring {
	if want := 24 * m.size; len(m.room) < want {
		m.room = make([]float32, want)
	}
	r := &ring{m: m, slots: make([]vec.Window, n), holds: make([]int, n)}
	for i := range r.slots {
		a := m.room[m.used : m.used+m.size]
		m.used += m.size
		clear(a)
		r.slots[i], r.holds[i] = vec.Window{A: a, From: m.from}, -1
	}
	return r
}

func (r *ring) at(k int) int { return (k + 16*len(r.slots)) % len(r.slots) }

// plane is the room for plane k, zeroed where its runs won't fill it; nil where there
// is nothing to do as the plane lies beyond the box.
func (r *ring) plane(k int) *vec.Window { return r.take(r.at(k), k) }

func (r *ring) take(n, k int) *vec.Window {
	w, m := &r.slots[n], r.m
	inside := k >= 0 && k < m.l.NZ
	if was := r.holds[n]; was >= 0 && !(inside && (m.l.runs[k].whole || m.l.runs[k].like == m.l.runs[was].like)) {
		// only what the plane before has filled isn't zero
		for kind := range kinds {
			for _, run := range m.l.runs[was].rows(kind, m.j-m.deep, m.j+m.h+m.deep) {
				o := int(run.O) - w.From
				clear(w.A[o : o+int(run.N)])
			}
		}
		r.holds[n] = -1
	}
	if !inside {
		return nil
	}
	r.holds[n] = k
	return w
}

// hood are plane k and those about it.
func (r *ring) hood(k int) vec.Hood {
	return vec.Hood{X: r.slots[r.at(k)], Below: r.slots[r.at(k-1)], Above: r.slots[r.at(k+1)], SY: r.m.l.sy}
}

// reach is how far round the strip plane k of the first sweep goes.
func (m *march) reach(k int) int {
	if m.rim && k >= 0 && k < m.l.NZ && m.wide[k] {
		return m.deep
	}
	return 3
}

// scale puts the first sweep of plane k, from x = 0, into t.
func (m *march) scale(t *ring, k int) {
	dst := t.plane(k)
	if dst == nil {
		return
	}
	b, more := m.l.plane(m.l.b, k), m.reach(k)
	for kind := range kinds {
		vec.ScaleRuns(dst, &b, &m.l.runs[k].coef[kind].invd, m.l.runs[k].rows(kind, m.j-more, m.j+m.h+more), mild)
	}
}

// relax puts a sweep of plane k of src into dst, on the strip and more rows about it.
func (m *march) relax(dst, src *ring, k, more int, omega float32, ahead int) *vec.Window {
	to := dst.plane(k)
	if to == nil {
		return nil
	}
	h, b := src.hood(k), m.l.plane(m.l.b, k)
	for kind := range kinds {
		if list := m.l.runs[k].rows(kind, m.j-more, m.j+m.h+more); len(list) > 0 {
			c := &m.l.runs[k].coef[kind]
			vec.RelaxRuns(to, &h, &b, &c.invd, c.w, list, omega, ahead)
		}
	}
	return to
}

// cuts are the tasks of a pass: strips, and where these are few for the threads,
// stretches of planes, at some cost for the planes about each.
func (l *level) cuts(crew grid.Crew, planes int) (each, tasks int) {
	threads := crew.Threads()
	best, parts := 1<<62, 1
	for n := 1; n <= 2*threads && planes/n >= 4; n++ {
		turns := (l.strips*n + threads - 1) / threads
		if cost := turns * ((planes+n-1)/n + 4); cost < best {
			best, parts = cost, n
		}
	}
	if l.count < 32768 { // not worth a thread
		parts = 1
	}
	each = (planes + parts - 1) / parts
	return each, l.strips * ((planes + each - 1) / each)
}

// tasks runs fn for every strip and stretch of planes.
func (l *level) tasks(crew grid.Crew, planes int, fn func(strip, k0, k1 int)) {
	each, n := l.cuts(crew, planes)
	grain := 1
	if l.count < 32768 {
		grain = n
	}
	crew.For(n, grain, func(a, b int) {
		for ; a < b; a++ {
			k0 := a / l.strips * each
			fn(a%l.strips, k0, min(k0+each, planes))
		}
	})
}

// down takes a level's right side b through two sweeps, and the rim's, and what they
// leave of it to the right side of the coarser level.
func (t *transfer) down(crew grid.Crew) {
	l, c := t.fine, t.coarse
	l.tasks(crew, c.NZ, func(strip, K0, K1 int) {
		m := l.begin(strip, 2*K0, 2*K1, 1)
		defer marches.Put(m)
		// planes of the second sweep are in use for two steps longer beside solids
		lag, first, second, own := 0, m.ring(3), (*ring)(nil), (*ring)(nil)
		if m.rim {
			lag, second, own = 2, m.ring(5), m.ring(2)
		} else {
			second = m.ring(3)
		}
		left := m.ring(1)
		J0, J1 := m.j/2, min((m.j+m.h)/2, c.NY)
		// sums over four rows, for four planes, and over those; with pads as rows have
		size := (J1 - J0) * l.sy
		room := m.room[m.used:][:5*size+4*pad+l.sy]
		clear(room)
		part := func(k int) []float32 { return room[pad+(k+4)%4*size:][:size] }
		sum := room[pad+4*size:]
		for k := 2*K0 - m.deep; k < 2*K1+3+lag; k++ {
			m.scale(first, k)
			if k > 2*K0-m.deep+1 {
				m.relax(second, first, k-1, m.reach(k-1)-1, strong, 2*l.sz)
			}
			if m.rim {
				m.polish(own, second, k-2, 2*K0-2, 2)
				m.fill(second, own, k-3, 2*K0-2, 2)
			}
			if p := k - 1 - lag; l.mid != nil && p >= 2*K0 && p < min(2*K1, l.NZ) {
				m.keep(second, p)
			}
			at := k - 2 - lag
			if at < 2*K0-1 {
				continue
			}
			m.residual(left, second, at, t)
			if len(t.fixes) > 0 && at >= 2*K0 && at < 2*K1 {
				h := second.hood(at)
				t.leave(&h, at, m.j, m.j+m.h)
			}
			vec.Fold(part(at), left.slots[0].A[(2*J0)*l.sy+pad-m.from:], J1-J0, l.n, l.sy, l.sy, &quarters)
			if K := at/2 - 1; at%2 == 0 && K >= K0 {
				vec.Blend(sum[pad:][:size], part(at-3), part(at-2), part(at-1), part(at), &quarters)
				for J := J0; J < J1; J++ {
					t.gather(sum[(J-J0)*l.sy:], J, K)
				}
			}
		}
	})
	t.give(crew)
}

// residual puts what x leaves of b in plane k, weighted for the coarser level, into
// the one plane of left.
func (m *march) residual(left, x *ring, k int, t *transfer) {
	if left.take(0, k) == nil {
		return
	}
	h, b := x.hood(k), m.l.plane(m.l.b, k)
	for kind := range kinds {
		if list := m.l.runs[k].rows(kind, m.j-1, m.j+m.h+1); len(list) > 0 {
			c := &m.l.runs[k].coef[kind]
			vec.ResidualRuns(&left.slots[0], &h, &b, &c.diag, &c.pn, c.w, list)
		}
	}
}

// up works out again what down has found, adds the coarser level's correction, and
// takes two sweeps more into x, after the rim's. With dot it leaves x·b in the level's
// partial sums.
func (t *transfer) up(crew grid.Crew, dot bool) {
	l := t.fine
	l.tasks(crew, l.NZ, func(strip, k0, k1 int) {
		m := l.begin(strip, k0, k1, 2)
		defer marches.Put(m)
		// how far the correction and the third sweep are behind, and how many planes
		// of the second are in use
		from, drawn, third, planes := k0-m.deep, 1, 2, 3
		switch {
		case l.mid != nil && m.rim:
			from, drawn, third, planes = k0-3, 0, 3, 5
		case l.mid != nil:
			from, drawn, third = k0-2, 0, 1
		case m.rim:
			drawn, third, planes = 3, 6, 7
		}
		second, last := m.ring(planes), m.ring(3)
		var first, before, after *ring
		if m.rim {
			before, after = m.ring(2), m.ring(2)
		}
		if l.mid == nil {
			first = m.ring(3)
		}
		for k := from; k < k1+third+1; k++ {
			if l.mid == nil {
				m.again(first, second, before, k, k0)
			}
			if at := k - drawn; at >= max(k0-m.deep+1, 0) && at < l.NZ {
				x, more := &second.slots[second.at(at)], m.reach(at)-1
				src := x
				if l.mid != nil {
					mid := l.plane(l.mid, at)
					x, src = second.plane(at), &mid
				}
				t.prolong(x, src, at, m.j-more, m.j+m.h+more)
				t.drawFixes(x, at, m.j-more, m.j+m.h+more)
			} else if l.mid != nil {
				second.plane(at)
			}
			if m.rim {
				m.polish(after, second, k-drawn-1, k0-2, 2)
				m.fill(second, after, k-drawn-2, k0-2, 2)
			}
			if at := k - third; at >= k0-1 {
				m.relax(last, second, at, 1, strong, 0)
			}
			if at := k - third - 1; at >= k0 {
				sum := m.last(last, at, dot)
				if dot {
					l.parts[at*l.strips+strip] = sum
				}
			}
		}
	})
}

// again takes the sweeps before the correction once more, at plane k of the first.
func (m *march) again(first, second, own *ring, k, k0 int) {
	m.scale(first, k)
	if k > k0-m.deep+1 {
		m.relax(second, first, k-1, m.reach(k-1)-1, strong, 2*m.l.sz)
	}
	if m.rim {
		m.polish(own, second, k-2, k0-3, 3)
		m.fill(second, own, k-3, k0-3, 3)
	}
}

// few reports a level that is kept between the halves of a cycle: where memory is not
// what holds a pass up, to write what the sweeps found is less than to find it again.
func (l *level) few() bool { return l.Len() <= 1<<19 }

// keep puts the strip's rows of plane k away for the way up.
func (m *march) keep(x *ring, k int) {
	mid := m.l.plane(m.l.mid, k)
	for kind := range kinds {
		vec.MixRuns(&mid, &x.slots[x.at(k)], m.l.runs[k].rows(kind, m.j, m.j+m.h), 1, 0)
	}
}

// last puts the last sweep of plane k into x itself.
func (m *march) last(src *ring, k int, dot bool) (sum float64) {
	l := m.l
	h, x, b := src.hood(k), l.plane(l.x, k), l.plane(l.b, k)
	for kind := range kinds {
		list := l.runs[k].rows(kind, m.j, m.j+m.h)
		if len(list) == 0 {
			continue
		}
		c := &l.runs[k].coef[kind]
		if dot {
			sum += vec.RelaxDotRuns(&x, &h, &b, &c.invd, c.w, list, mild, 0)
		} else {
			vec.RelaxRuns(&x, &h, &b, &c.invd, c.w, list, mild, 0)
		}
	}
	return sum
}
