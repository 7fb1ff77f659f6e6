package main

import (
	. "github.com/mmcloughlin/avo/build"
	. "github.com/mmcloughlin/avo/operand"
	"github.com/mmcloughlin/avo/reg"
)

// Kernels on planes of pictures: the denoiser's. A pixel and its partner lie the same
// way apart in all planes.

func (s set) differ() {
	s.text("differ", "dst, light, noise *float32, step, off int, q float32, n int)",
		"dst = ¼ Σ (e² − (v + min(v, u))) / ((10⁻⁸ + q (v + u)) + 10⁻⁴ q g²) over four planes, e = g − h of light, v and u of noise, for whole blocks.")
	dst, light, noise, step, off := ptr("dst"), ptr("light"), ptr("noise"), size("step"), size("off")
	q, tiny, quarter := s.broadcast("q"), s.constant(1e-8), s.constant(0.25)
	share := s.vec()
	VMULPS(s.constant(1e-4), q, share)
	here, there := GP64(), GP64()
	s.blocks("", size("n"), func(i reg.GPVirtual, o int) {
		sum := s.vec()
		MOVQ(light, here)
		MOVQ(noise, there)
		for k := range 4 {
			if k > 0 {
				ADDQ(step, here)
				ADDQ(step, there)
			}
			g, v, e, u, least := s.vec(), s.vec(), s.vec(), s.vec(), s.vec()
			VMOVUPS(idx(here, i, o), g)
			VMOVUPS(idx(there, i, o), v)
			ADDQ(off, here)
			ADDQ(off, there)
			VSUBPS(idx(here, i, o), g, e)
			VMOVUPS(idx(there, i, o), u)
			SUBQ(off, here)
			SUBQ(off, there)
			VMULPS(e, e, e)
			VMINPS(u, v, least)
			VADDPS(least, v, least)
			VSUBPS(least, e, e)
			VADDPS(u, v, v)
			VMULPS(q, v, v)
			VADDPS(tiny, v, v)
			VMULPS(g, g, g)
			VMULPS(share, g, g)
			VADDPS(g, v, v)
			VDIVPS(v, e, e)
			if k == 0 {
				sum = e
				continue
			}
			VADDPS(e, sum, sum)
		}
		VMULPS(quarter, sum, sum)
		VMOVUPS(sum, idx(dst, i, o))
	}, nil)
	leave()
}

func (s set) part() {
	s.text("part", "dst, a *float32, step, count, off, n int)",
		"dst is the largest (a − b)² over so many planes, step values apart, b off values from a, for whole blocks.")
	dst, a, step, off, count, n := ptr("dst"), ptr("a"), size("step"), size("off"), ptr("count"), size("n")
	i, left, here, there := GP64(), GP64(), GP64(), GP64()
	XORQ(i, i)
	Label("loop")
	for p := range s.parts {
		top := s.vec()
		VXORPS(top, top, top)
		MOVQ(a, here)
		LEAQ(idx(a, off, 0), there)
		MOVQ(count, left)
		Label([]string{"plane", "other"}[p])
		v := s.vec()
		VMOVUPS(idx(here, i, p*s.wide), v)
		VSUBPS(idx(there, i, p*s.wide), v, v)
		VMULPS(v, v, v)
		VMAXPS(v, top, top)
		ADDQ(step, here)
		ADDQ(step, there)
		DECQ(left)
		JNE(LabelRef([]string{"plane", "other"}[p]))
		VMOVUPS(top, idx(dst, i, p*s.wide))
	}
	ADDQ(Imm(block), i)
	CMPQ(i, n)
	JLT(LabelRef("loop"))
	leave()
}

// exponential is e^−d for 0 ≤ d ≤ 87.
func (s set) exponential(d reg.VecVirtual) reg.VecVirtual {
	t, n, p := s.vec(), s.vec(), s.vec()
	VMULPS(s.constant(-1.44269504), d, t)
	if s.parts == 1 {
		VRNDSCALEPS(Imm(0), t, n)
	} else {
		VROUNDPS(Imm(0), t, n)
	}
	VSUBPS(n, t, t) // −½ … ½
	s.polynomial(p, t, powers)
	VCVTPS2DQ(n, n)
	VPSLLD(Imm(23), n, n)
	VPADDD(n, p, p)
	return p
}

// polynomial makes p that of t with the given coefficients, the highest first.
func (s set) polynomial(p, t reg.VecVirtual, c []float32) {
	VMOVAPS(s.constant(c[0]), p)
	for _, c := range c[1:] {
		VMULPS(t, p, p)
		VADDPS(s.constant(c), p, p)
	}
}

// powers are the coefficients of 2^t about 0, the highest first: ln 2ᵏ/k!.
var powers = []float32{1.5403530e-4, 1.3333558e-3, 9.6181291e-3, 5.5504109e-2, 0.24022651, 0.69314718, 1}

func (s set) gatherLike() {
	s.text("gatherLike", "weight, out, in, gap, far, share *float32, row, off, step, n int, up float32)",
		"w = e^−max(Σ gap over 3 × 3 · share · up, 0, far), 0 where that is over 12; weight += w, out += w · in, four planes step values apart, in off values on; gap's rows lie row values apart; for whole blocks.")
	weight, gap, far, share := ptr("weight"), ptr("gap"), ptr("far"), ptr("share")
	row, off, step := size("row"), size("off"), size("step")
	out, in := ptr("out"), ptr("in")
	ADDQ(off, in)
	above, below := GP64(), GP64()
	MOVQ(gap, above)
	SUBQ(row, above)
	LEAQ(idx(gap, row, 0), below)
	up, none, most := s.broadcast("up"), s.zero(), s.constant(12)
	o, p := GP64(), GP64()
	s.blocks("", size("n"), func(i reg.GPVirtual, off int) {
		column := func(x int) reg.VecVirtual {
			v := s.vec()
			VMOVUPS(idx(above, i, off+x), v)
			VADDPS(idx(gap, i, off+x), v, v)
			VADDPS(idx(below, i, off+x), v, v)
			return v
		}
		d := column(-4)
		VADDPS(column(0), d, d)
		VADDPS(column(4), d, d)
		VMULPS(idx(share, i, off), d, d)
		VMULPS(up, d, d)
		VMAXPS(none, d, d)
		VMAXPS(idx(far, i, off), d, d)
		w := s.vec()
		VMINPS(most, d, w)
		w = s.exponential(w)
		if s.parts == 1 {
			k := K()
			VCMPPS(Imm(2), most, d, k)
			VMOVAPS_Z(w, k, w)
		} else {
			VCMPPS(Imm(2), most, d, d)
			VANDPS(d, w, w)
		}
		t := s.vec()
		VADDPS(idx(weight, i, off), w, t)
		VMOVUPS(t, idx(weight, i, off))
		MOVQ(out, o)
		MOVQ(in, p)
		for k := range 4 {
			if k > 0 {
				ADDQ(step, o)
				ADDQ(step, p)
			}
			VMULPS(idx(p, i, off), w, t)
			VADDPS(idx(o, i, off), t, t)
			VMOVUPS(t, idx(o, i, off))
		}
	}, nil)
	leave()
}

func (s set) deepen() {
	s.text("deepen", "depth, out, od, a, b, c, d *float32, w *[4]float32, half, share, keep float32, n int)",
		"m = ((w₀ a + w₁ b) + (w₂ c + w₃ d)) + half od; depth = m + half od, out = keep out + share e^−min(m, 87); of any length.")
	w := ptr("w")
	by := s.weights(w)
	depth, out, od := ptr("depth"), ptr("out"), ptr("od")
	var rows []reg.GPVirtual
	for _, p := range []string{"a", "b", "c", "d"} {
		rows = append(rows, ptr(p))
	}
	half, share, keep, most := s.broadcast("half"), s.broadcast("share"), s.broadcast("keep"), s.constant(87)
	s.ragged(ptr("n"), func(i reg.GPVirtual, off int, only *mask) {
		var v [4]reg.VecVirtual
		for m := range v {
			v[m] = s.load(idx(rows[m], i, off), only)
			VMULPS(by[m], v[m], v[m])
		}
		pairs(v)
		t := s.load(idx(od, i, off), only)
		VMULPS(half, t, t)
		VADDPS(t, v[0], v[0])
		VADDPS(v[0], t, t)
		s.store(t, idx(depth, i, off), only)
		VMINPS(v[0], most, v[0])
		e := s.exponential(v[0])
		VMULPS(share, e, e)
		t = s.load(idx(out, i, off), only)
		VMULPS(keep, t, t)
		VADDPS(t, e, e)
		s.store(e, idx(out, i, off), only)
	}, nil)
	leave()
}

func (s set) fade() {
	s.text("fade", "dst, a *float32, depth float32, n int)", "dst = e^−min(depth a, 87), for whole blocks.")
	dst, a, depth, most := ptr("dst"), ptr("a"), s.broadcast("depth"), s.constant(87)
	s.blocks("", size("n"), func(i reg.GPVirtual, off int) {
		d := s.vec()
		VMULPS(idx(a, i, off), depth, d)
		VMINPS(d, most, d)
		VMOVUPS(s.exponential(d), idx(dst, i, off))
	}, nil)
	leave()
}
