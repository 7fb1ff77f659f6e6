package pressure

// Small levels, on which calling a kernel for every plane takes longer than what it
// does there: their kernels are given all planes at once.

import (
	"zarf/core/grid"
	"zarf/core/vec"
)

// small reports a level of few cells. It goes by the box alone, as bits do.
func (l *level) small() bool { return l.Len() <= 16384 }

// flat are the runs of a small level, of all planes together.
type flat struct {
	list [kinds][]vec.Run
	coef [kinds]coefficients
	// what runs draw of the coarser level: those of even planes, and of odd ones
	draws [kinds][2][]vec.Draw
	drawn [kinds][2][]vec.Run
	// two of a row's sums, for all rows; and planes' sums of those
	rows, sums []float32
}

// part is what a kernel works on at once: the runs of a kind, of a plane or of all.
type part struct {
	l    *level
	k    int // whole: all planes
	c    *coefficients
	list []vec.Run
}

const whole = -2

// of is an array as the part's runs see it.
func (p *part) of(a []float32) vec.Window {
	if p.k == whole {
		return vec.Window{A: a}
	}
	return p.l.plane(a, p.k)
}

// hood is an array and what lies about the part's cells.
func (p *part) hood(a []float32) vec.Hood {
	if p.k == whole {
		return p.l.around(a)
	}
	return p.l.hood(a, p.k)
}

// around is hood for all planes.
func (l *level) around(a []float32) vec.Hood {
	return vec.Hood{X: vec.Window{A: a}, Below: vec.Window{A: a, From: l.sz}, Above: vec.Window{A: a, From: -l.sz}, SY: l.sy}
}

// pass runs fn over all runs.
func (l *level) pass(crew grid.Crew, fn func(p *part)) {
	l.sum(crew, func(p *part) float64 { fn(p); return 0 })
}

// sum is pass with a sum.
func (l *level) sum(crew grid.Crew, fn func(p *part) float64) (sum float64) {
	if l.small() {
		for kind := range kinds {
			if list := l.flat.list[kind]; len(list) > 0 {
				sum += fn(&part{l, whole, &l.flat.coef[kind], list})
			}
		}
		return sum
	}
	crew.For(l.NZ, l.grain(), func(k0, k1 int) {
		for k := k0; k < k1; k++ {
			l.parts[k] = 0
			for kind := range kinds {
				if list := l.runs[k].list[kind]; len(list) > 0 {
					l.parts[k] += fn(&part{l, k, &l.runs[k].coef[kind], list})
				}
			}
		}
	})
	return l.total(l.NZ)
}

// flatten lists the runs of all planes, after those of each; t leads to the coarser
// level, nil for the coarsest.
func (l *level) flatten(t *transfer) {
	f := &l.flat
	for kind := range kinds {
		f.list[kind] = f.list[kind][:0]
		for odd := range 2 {
			f.draws[kind][odd], f.drawn[kind][odd] = f.draws[kind][odd][:0], f.drawn[kind][odd][:0]
		}
		// all have their own coefficients: what planes share doesn't matter here
		all := func(a []float32) vec.Window { return vec.Window{A: a} }
		f.coef[kind] = coefficients{diag: all(l.diag), invd: all(l.invd), pn: all(l.pn)}
	}
	f.coef[cut].w = &vec.Faces{X: vec.Window{A: l.wx}, Y: vec.Window{A: l.wy}, Z: vec.Window{A: l.wz}, Above: vec.Window{A: l.wz, From: -l.sz}}
	for k := range l.NZ {
		p := &l.runs[k]
		for kind := range kinds {
			for n, r := range p.list[kind] {
				r.O += int32((k + 1) * l.sz)
				f.list[kind] = append(f.list[kind], r)
				if t == nil || !t.fused() {
					continue
				}
				// a plane draws from the coarse one that it lies in, and from the next
				// if it is odd, else from the one before
				d := p.draws[kind][n]
				if d.O += int32((k/2 + 1) * t.coarse.sz); k%2 == 0 {
					d.O -= int32(t.coarse.sz)
				}
				f.draws[kind][k%2] = append(f.draws[kind][k%2], d)
				f.drawn[kind][k%2] = append(f.drawn[kind][k%2], r)
			}
		}
	}
}

// prolongAll is prolong on all planes.
func (t *transfer) prolongAll() {
	f, c := t.fine, t.coarse
	w := [4]float32{0.75 * 0.75, 0.25 * 0.75, 0.75 * 0.25, 0.25 * 0.25}
	x := vec.Window{A: f.x}
	for kind := range kinds {
		pn := &f.flat.coef[kind].pn
		vec.Prolong(&x, &x, pn, c.x[c.sz:], c.x, f.flat.draws[kind][0], f.flat.drawn[kind][0], &w)
		vec.Prolong(&x, &x, pn, c.x, c.x[c.sz:], f.flat.draws[kind][1], f.flat.drawn[kind][1], &w)
	}
}

// restrictAll is restrict on all planes, in whole arrays: half of the sums over rows
// aren't needed, which costs less than to pick those that are.
func (t *transfer) restrictAll() {
	f, c := t.fine, t.coarse
	r, y, z := f.r, f.flat.rows, f.flat.sums
	lo, hi := f.at(0, 0), f.at(f.NY-1, f.NZ-1)+f.n
	vec.Blend(y[lo:hi], r[lo-f.sy:hi-f.sy], r[lo:hi], r[lo+f.sy:hi+f.sy], r[lo+2*f.sy:hi+2*f.sy], &quarters)
	lo, hi = f.sy+pad, f.sy*f.NY+pad+f.n // the rows of a plane
	for K := range c.NZ {
		p := y[2*K*f.sz:] // one before the first that it covers
		vec.Blend(z[lo:hi], p[lo:hi], p[f.sz+lo:][:hi-lo], p[2*f.sz+lo:][:hi-lo], p[3*f.sz+lo:][:hi-lo], &quarters)
		for J := range c.NY {
			o := (2*J+1)*f.sy + pad
			for _, s := range c.cells(J, K) {
				from, to := c.stretch(s)
				dst := c.row(c.b, J, K)[from:to]
				vec.Halve(dst, z[o+2*from-1:], t.scale*0.25)
				if to > c.NX { // where a row's pad is short the next one was read
					clear(dst[c.NX-from:])
				}
			}
		}
	}
}
