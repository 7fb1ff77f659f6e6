package main

// Particles in fluids: how fast drag slows them, and where that takes them.

import (
	. "github.com/mmcloughlin/avo/build"
	. "github.com/mmcloughlin/avo/operand"
	"github.com/mmcloughlin/avo/reg"
)

// logs are the coefficients of log₂(1 + t)/t for 0 ≤ t ≤ 1, the highest first.
var logs = []float32{-0.033822046, 0.1444711, -0.30163801, 0.46865888, -0.72035877, 1.4426815}

// excess is by how much more a ball is slowed than by Stokes' drag, at Reynolds numbers x.
func (s set) excess(x reg.VecVirtual) reg.VecVirtual {
	e, t, p := s.vec(), s.vec(), s.vec()
	VMAXPS(s.constant(1e-30), x, x)
	VPSRLD(Imm(23), x, e)
	VPSUBD(s.number(127), e, e)
	VCVTDQ2PS(e, e)
	s.and(s.number(0x7fffff), x, t)
	VPADDD(s.number(0x3f800000), t, t)
	VSUBPS(s.constant(1), t, t)
	s.polynomial(p, t, logs)
	VMULPS(t, p, p)
	VADDPS(e, p, p)
	VMULPS(s.constant(-0.476192117), p, p) // −0.687 ln 2
	f := s.exponential(p)
	VMULPS(s.constant(0.15), f, f)
	VADDPS(s.constant(1), f, f)
	VMULPS(s.constant(0.0183333333), x, x) // 0.44/24
	VMAXPS(x, f, f)
	return f
}

func (s set) slowing() {
	s.text("slowing", "k, size, density, v, u, a *float32, stokes, half, each, step float32, n int)",
		"k = the rate at which drag slows balls in the middle of a step, of v, u and a three rows of a batch, for whole blocks.")
	k, size_, density := ptr("k"), ptr("size"), ptr("density")
	v, u, a := ptr("v"), ptr("u"), ptr("a")
	n, i := size("n"), GP64()
	XORQ(i, i)
	JMP(LabelRef("test"))
	Label("loop")
	// squares of the velocity against the fluid, and of what half a step adds to it
	now, then := s.zero(), s.zero()
	for c := range 3 {
		d, w, o := s.vec(), s.vec(), 4*512*c
		VMOVUPS(idx(v, i, o), d)
		VSUBPS(idx(u, i, o), d, d)
		VMULPS(d, d, w)
		VADDPS(w, now, now)
		VMOVAPS(s.broadcast("step"), w)
		VMULPS(idx(a, i, o), w, w)
		VADDPS(w, d, d)
		VMULPS(d, d, d)
		VADDPS(d, then, then)
	}
	VSQRTPS(now, now)
	VSQRTPS(then, then)
	r, b, m := s.vec(), s.vec(), s.vec()
	VMOVUPS(idx(size_, i, 0), r)
	VMOVUPS(idx(density, i, 0), m)
	VADDPS(s.broadcast("half"), m, m)
	VMULPS(r, m, m)
	VMULPS(r, m, m)
	VMOVAPS(s.broadcast("stokes"), b)
	VDIVPS(m, b, b) // rate of Stokes' drag
	VMULPS(s.broadcast("each"), r, r)
	VMULPS(r, now, now)
	f := s.excess(now)
	VMULPS(b, f, f)
	// an implicit half step
	VMULPS(s.broadcast("step"), f, f)
	VADDPS(s.constant(1), f, f)
	VMULPS(r, then, then)
	VDIVPS(f, then, then)
	f = s.excess(then)
	VMULPS(b, f, f)
	VMOVUPS(f, idx(k, i, 0))
	ADDQ(Imm(uint64(s.wide)), i)
	Label("test")
	CMPQ(i, n)
	JLT(LabelRef("loop"))
	leave()
}

func (s set) fading() {
	s.text("fading", "left, mean, rise, k *float32, step float32, n int)",
		"what a step leaves of a velocity that dies away at rates k, the mean of that, and the mean speed that an acceleration of 1 gives, for whole blocks.")
	left, mean, rise, k := ptr("left"), ptr("mean"), ptr("rise"), ptr("k")
	s.blocks("", size("n"), func(i reg.GPVirtual, off int) {
		x, kk, h, one := s.vec(), s.vec(), s.broadcast("step"), s.constant(1)
		VMOVUPS(idx(k, i, off), kk)
		VMULPS(h, kk, x)
		few := s.vec()
		VMINPS(s.constant(87), x, few)
		p := s.exponential(few)
		VMOVUPS(p, idx(left, i, off))
		m := s.vec()
		VSUBPS(p, one, m)
		VDIVPS(x, m, m)
		var small, smaller test
		s.polynomial(few, x, []float32{-1. / 24, 1. / 6, -0.5, 1})
		s.either(1, x, s.constant(0.03125), &small)
		s.choose(small, few, m)
		VMOVUPS(m, idx(mean, i, off))
		VSUBPS(m, one, m)
		VDIVPS(kk, m, m)
		s.polynomial(few, x, []float32{-1. / 120, 1. / 24, -1. / 6, 0.5})
		VMULPS(h, few, few)
		s.either(1, x, s.constant(0.0625), &smaller)
		s.choose(smaller, few, m)
		VMOVUPS(m, idx(rise, i, off))
	}, nil)
	leave()
}

func (s set) carried() {
	s.text("carried", "next, along, v, u, a, left, mean, rise *float32, step float32, n int)",
		"next = u + ((v − u) left + a (mean step)), along = u + ((v − u) mean + a rise), for whole blocks.")
	next, along, v, u, a := ptr("next"), ptr("along"), ptr("v"), ptr("u"), ptr("a")
	left, mean, rise := ptr("left"), ptr("mean"), ptr("rise")
	s.blocks("", size("n"), func(i reg.GPVirtual, off int) {
		d, w, q, m := s.vec(), s.vec(), s.vec(), s.vec()
		VMOVUPS(idx(u, i, off), w)
		VMOVUPS(idx(v, i, off), d)
		VSUBPS(w, d, d)
		VMOVUPS(idx(mean, i, off), m)
		VMULPS(s.broadcast("step"), m, q)
		VMULPS(idx(a, i, off), q, q)
		e := s.vec()
		VMULPS(idx(left, i, off), d, e)
		VADDPS(q, e, e)
		VADDPS(w, e, e)
		VMOVUPS(e, idx(next, i, off))
		VMULPS(m, d, d)
		VMOVUPS(idx(rise, i, off), q)
		VMULPS(idx(a, i, off), q, q)
		VADDPS(q, d, d)
		VADDPS(w, d, d)
		VMOVUPS(d, idx(along, i, off))
	}, nil)
	leave()
}

func (s set) move() {
	s.text("move", "p, v *float32, s float32, n int)", "p += s v, of any length.")
	p, v, f := ptr("p"), ptr("v"), s.broadcast("s")
	s.ragged(ptr("n"), func(i reg.GPVirtual, off int, only *mask) {
		w := s.load(idx(v, i, off), only)
		VMULPS(f, w, w)
		u := s.load(idx(p, i, off), only)
		VADDPS(w, u, u)
		s.store(u, idx(p, i, off), only)
	}, nil)
	leave()
}

func (s set) leeway() {
	s.text("leeway", "off, p, v, size *float32, s, lo, hi, gap float32, n int)",
		"off = the greater of itself and of how far p and p + s v stay out of lo to hi, less ½ size + gap, of any length.")
	off_, p, v, size_ := ptr("off"), ptr("p"), ptr("v"), ptr("size")
	n := ptr("n")
	s.ragged(n, func(i reg.GPVirtual, off int, only *mask) {
		a, q, m := s.load(idx(p, i, off), only), s.load(idx(v, i, off), only), s.vec()
		VMULPS(s.broadcast("s"), q, q)
		VADDPS(q, a, q)
		VMINPS(q, a, m)
		VMAXPS(q, a, q)
		VSUBPS(s.broadcast("hi"), m, m)
		w := s.broadcast("lo")
		VSUBPS(q, w, q)
		VMAXPS(q, m, m)
		d := s.load(idx(size_, i, off), only)
		VMULPS(s.constant(0.5), d, d)
		VADDPS(s.broadcast("gap"), d, d)
		VSUBPS(d, m, m)
		o := s.load(idx(off_, i, off), only)
		VMAXPS(m, o, o)
		s.store(o, idx(off_, i, off), only)
	}, nil)
	leave()
}
