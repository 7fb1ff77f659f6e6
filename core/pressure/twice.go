package pressure

import (
	"zarf/core/vec"
)

// twice visits level i, and if it is one of those with room for it once more with what
// the first visit left. The third and the fourth level are where there are solids: what
// they get wrong costs more iterations than the visit is worth, 4 to 1e-3 about a ball
// where 3 will do. An empty box gains nothing.
//
// The results c and d of both are put together so that the error is least in the norm
// of A (Notay and Vassilevski 2008, a cycle of two inner iterations of conjugate
// gradients). Just to add them would do as well in an open box; but a coarse level
// that judges the way through a hole too narrow by half goes twice as far as it
// should, and two such steps lead away. The weights depend on b, so the cycle is no
// longer quite linear; β after Fletcher and Reeves takes no harm from it.
func (s *Solver) twice(i int, visit func(int)) {
	visit(i)
	l := s.lv[i]
	if r := s.lv[0].rim; l.again == nil || r == nil || !r.some {
		return
	}
	var cb, cc float64
	cb, cc = l.products(s)
	if !(cb > 0 && cc > 0) {
		return
	}
	a := float32(cb / cc)
	l.pass(s.crew, func(p *part) {
		was, b, h := p.of(l.again), p.of(l.b), p.hood(l.x)
		vec.UpdateRuns(&was, &b, &h, &p.c.diag, p.c.w, p.list, a, true)
	})
	cc *= float64(a) * float64(a)
	visit(i)
	db, dd := l.products(s)
	l.pass(s.crew, func(p *part) {
		x, was := p.of(l.x), p.of(l.again)
		vec.XpayRuns(&was, &x, p.list, 1)
	})
	both := l.sum(s.crew, func(p *part) float64 {
		h := p.hood(l.again)
		return vec.ApplyDotRuns(&h, &p.c.diag, p.c.w, p.list)
	})
	// of x = s c + t d
	cd := (both - cc - dd) / 2
	var t float64
	if own := dd - cd*cd/cc; db > 0 && own > 1e-6*dd {
		t = db / own
	}
	u := 1 - cd*t/cc
	l.pass(s.crew, func(p *part) {
		x, was := p.of(l.x), p.of(l.again)
		vec.MixRuns(&x, &was, p.list, float32(u), float32(t-u))
	})
}

// products are x·b and x·A x.
func (l *level) products(s *Solver) (xb, xx float64) {
	xb = l.sum(s.crew, func(p *part) float64 {
		b, x := p.of(l.b), p.of(l.x)
		return vec.DotRuns(&b, &x, p.list)
	})
	xx = l.sum(s.crew, func(p *part) float64 {
		h := p.hood(l.x)
		return vec.ApplyDotRuns(&h, &p.c.diag, p.c.w, p.list)
	})
	return xb, xx
}
