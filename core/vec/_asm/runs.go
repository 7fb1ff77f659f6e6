package main

import (
	. "github.com/mmcloughlin/avo/build"
	. "github.com/mmcloughlin/avo/operand"
	"github.com/mmcloughlin/avo/reg"
)

// Kernels on lists of runs {offset, length int32}: operands point at the first run's
// first value, and offsets are taken from there.

// runs walks a list of runs; i counts bytes from the first run's first value.
func (s set) runs(body func(i reg.GPVirtual, off int)) {
	s.eachRun(nil, body, nil)
}

// eachRun is runs, with something before each run and after each block.
func (s set) eachRun(before func(), body func(i reg.GPVirtual, off int), step func()) {
	list, count := ptr("runs"), ptr("count")
	first, i, end := GP64(), GP64(), GP64()
	MOVLQSX(at(list, 0), first)
	Label("run")
	MOVLQSX(at(list, 0), i)
	MOVLQSX(at(list, 4), end)
	SUBQ(first, i)
	SHLQ(Imm(2), i)
	SHLQ(Imm(2), end)
	ADDQ(i, end)
	if before != nil {
		before()
	}
	JMP(LabelRef("test"))
	Label("loop")
	for p := range s.parts {
		body(i, p*s.wide)
	}
	ADDQ(Imm(block), i)
	if step != nil {
		step()
	}
	Label("test")
	CMPQ(i, end)
	JLT(LabelRef("loop"))
	ADDQ(Imm(8), list)
	DECQ(count)
	JNE(LabelRef("run"))
}

// hood reads the values round those of x, weighted or not. The weights' pointers
// are read anew from the arguments each time: there aren't registers for all.
type hood struct {
	s                 set
	x, ym, yp, zm, zp reg.GPVirtual
	weighted          bool
	wyUp              Mem
}

func (s set) hood(weighted bool) *hood {
	h := &hood{s: s, x: ptr("x"), ym: GP64(), yp: GP64(), zm: ptr("zm"), zp: ptr("zp"), weighted: weighted}
	sy := size("sy")
	MOVQ(h.x, h.ym)
	SUBQ(sy, h.ym)
	LEAQ(idx(h.x, sy, 0), h.yp)
	if weighted {
		h.wyUp = AllocLocal(8)
		up := ptr("wy")
		ADDQ(sy, up)
		MOVQ(up, h.wyUp)
	}
	return h
}

// sum is ((x−1 + x+1) + (y−1 + y+1)) + (z−1 + z+1), each times its face's weight.
func (h *hood) sum(i reg.GPVirtual, off int) reg.VecVirtual {
	s := h.s
	pair := func(a, b Mem, wa, wb func() Mem) reg.VecVirtual {
		v := s.vec()
		VMOVUPS(a, v)
		if !h.weighted {
			VADDPS(b, v, v)
			return v
		}
		w := s.vec()
		VMULPS(wa(), v, v)
		VMOVUPS(b, w)
		VMULPS(wb(), w, w)
		VADDPS(w, v, v)
		return v
	}
	weight := func(name string, more int) func() Mem {
		return func() Mem { return idx(ptr(name), i, off+more) }
	}
	a := pair(idx(h.x, i, off-4), idx(h.x, i, off+4), weight("wx", 0), weight("wx", 4))
	b := pair(idx(h.ym, i, off), idx(h.yp, i, off), weight("wy", 0), func() Mem {
		up := GP64()
		MOVQ(h.wyUp, up)
		return idx(up, i, off)
	})
	c := pair(idx(h.zm, i, off), idx(h.zp, i, off), weight("wz", 0), weight("wzp", 0))
	VADDPS(b, a, a)
	VADDPS(c, a, a)
	return a
}

const (
	hoodArgs = "x, zm, zp *float32, "
	runArgs  = "sy int, runs *int32, count int"
	faceArgs = ", wx, wy, wz, wzp *float32"
)

// named is a kernel's name and the arguments of its weights.
func named(name string, weighted bool) (string, string) {
	if weighted {
		return name + "Weighted", faceArgs
	}
	return name, ""
}

// sums are the lanes of a sum over all runs.
func (s set) sums() (list []reg.VecVirtual) {
	for range s.parts {
		list = append(list, s.zero())
	}
	return list
}

func (s set) give(list []reg.VecVirtual) {
	acc := ptr("acc")
	for p, v := range list {
		VMOVUPS(v, at(acc, p*s.wide))
	}
}

func (s set) scaleRuns() {
	s.text("scaleRuns", "dst, b, invd *float32, runs *int32, count int, s float32)", "dst = (s b) invd on runs.")
	dst, b, invd, f := ptr("dst"), ptr("b"), ptr("invd"), s.broadcast("s")
	s.runs(func(i reg.GPVirtual, off int) {
		v := s.vec()
		VMULPS(idx(b, i, off), f, v)
		VMULPS(idx(invd, i, off), v, v)
		VMOVUPS(v, idx(dst, i, off))
	})
	leave()
}

func (s set) xpayRuns() {
	s.text("xpayRuns", "dst, a *float32, runs *int32, count int, s float32)", "dst = a + s dst on runs.")
	dst, a, f := ptr("dst"), ptr("a"), s.broadcast("s")
	s.runs(func(i reg.GPVirtual, off int) {
		v := s.vec()
		VMULPS(idx(dst, i, off), f, v)
		VADDPS(idx(a, i, off), v, v)
		VMOVUPS(v, idx(dst, i, off))
	})
	leave()
}

func (s set) mixRuns() {
	s.text("mixRuns", "dst, a *float32, runs *int32, count int, u, s float32)", "dst = u a + s dst on runs.")
	dst, a, g, f := ptr("dst"), ptr("a"), s.broadcast("u"), s.broadcast("s")
	s.runs(func(i reg.GPVirtual, off int) {
		v, w := s.vec(), s.vec()
		VMULPS(idx(dst, i, off), f, v)
		VMULPS(idx(a, i, off), g, w)
		VADDPS(w, v, v)
		VMOVUPS(v, idx(dst, i, off))
	})
	leave()
}

func (s set) dotRuns() {
	s.text("dotRuns", "a, b *float32, runs *int32, count int, acc *[16]float32)", "Σ a b on runs, by lane.")
	a, b := ptr("a"), ptr("b")
	sums := s.sums()
	s.runs(func(i reg.GPVirtual, off int) {
		v := s.vec()
		VMOVUPS(idx(a, i, off), v)
		VMULPS(idx(b, i, off), v, v)
		VADDPS(v, sums[off/s.wide], sums[off/s.wide])
	})
	s.give(sums)
	leave()
}

func (s set) relaxRuns(weighted, dot bool) {
	name, more, doc := "relax", "", "dst = keep x + (omega invd)(b + Σ w x of the neighbours) on runs."
	if dot {
		name, more, doc = "relaxDot", ", acc *[16]float32", "relax, and Σ dst b by lane."
	}
	name, faces := named(name, weighted)
	s.text(name, "dst, "+hoodArgs+"b, invd *float32, "+runArgs+faces+", keep, omega float32, ahead int"+more+")", doc)
	dst, b, invd := ptr("dst"), ptr("b"), ptr("invd")
	h := s.hood(weighted)
	keep, omega := s.broadcast("keep"), s.broadcast("omega")
	var far reg.GPVirtual
	if !weighted {
		far = size("ahead")
		ADDQ(b, far)
	}
	var sums []reg.VecVirtual
	if dot {
		sums = s.sums()
	}
	s.runs(func(i reg.GPVirtual, off int) {
		v := h.sum(i, off)
		from := s.vec()
		VMOVUPS(idx(b, i, off), from)
		VADDPS(from, v, v)
		w := s.vec()
		VMULPS(idx(invd, i, off), omega, w)
		VMULPS(v, w, w)
		if off == 0 && !weighted {
			PREFETCHT1(idx(far, i, 0))
		}
		VMULPS(idx(h.x, i, off), keep, v)
		VADDPS(w, v, v)
		VMOVUPS(v, idx(dst, i, off))
		if dot {
			VMULPS(from, v, v)
			VADDPS(v, sums[off/s.wide], sums[off/s.wide])
		}
	})
	if dot {
		s.give(sums)
	}
	leave()
}

func (s set) residualRuns(weighted bool) {
	name, faces := "residualRuns", ""
	if weighted {
		name, faces = "residualWeighted", faceArgs
	}
	s.text(name, "dst, "+hoodArgs+"b, diag, pn *float32, "+runArgs+faces+")", "dst = (b − A x) pn on runs.")
	dst, b, diag := ptr("dst"), ptr("b"), ptr("diag")
	h := s.hood(weighted)
	s.runs(func(i reg.GPVirtual, off int) {
		v, w := h.sum(i, off), s.vec()
		VMOVUPS(idx(h.x, i, off), w)
		VMULPS(idx(diag, i, off), w, w)
		VSUBPS(v, w, w)
		VMOVUPS(idx(b, i, off), v)
		VSUBPS(w, v, v)
		VMULPS(idx(ptr("pn"), i, off), v, v)
		VMOVUPS(v, idx(dst, i, off))
	})
	leave()
}

func (s set) applyDot(weighted bool) {
	name, faces := named("applyDot", weighted)
	s.text(name, hoodArgs+"diag *float32, "+runArgs+faces+", acc *[16]float32)", "Σ x A x on runs, by lane.")
	diag := ptr("diag")
	h := s.hood(weighted)
	sums := s.sums()
	s.runs(func(i reg.GPVirtual, off int) {
		v, w, x := h.sum(i, off), s.vec(), s.vec()
		VMOVUPS(idx(h.x, i, off), x)
		VMULPS(idx(diag, i, off), x, w)
		VSUBPS(v, w, w)
		VMULPS(w, x, w)
		VADDPS(w, sums[off/s.wide], sums[off/s.wide])
	})
	s.give(sums)
	leave()
}

func (s set) update(weighted, first bool) {
	name, doc := "update", "sol += a x"
	if first {
		name, doc = "begin", "sol = a x"
	}
	name, faces := named(name, weighted)
	s.text(name, "sol, res, "+hoodArgs+"diag *float32, "+runArgs+faces+", a float32, acc *[16]float32)",
		doc+", res −= a A x where diag isn't 0, and Σ res² by lane, on runs.")
	sol, res, diag := ptr("sol"), ptr("res"), ptr("diag")
	h := s.hood(weighted)
	a, none, sums := s.broadcast("a"), s.zero(), s.sums()
	s.runs(func(i reg.GPVirtual, off int) {
		v, w, x, d := h.sum(i, off), s.vec(), s.vec(), s.vec()
		VMOVUPS(idx(h.x, i, off), x)
		VMOVUPS(idx(diag, i, off), d)
		VMULPS(d, x, w)
		VSUBPS(v, w, w)
		if s.parts == 1 {
			k := K()
			VCMPPS(Imm(4), none, d, k)
			VMOVAPS_Z(w, k, w)
		} else {
			VCMPPS(Imm(4), none, d, d)
			VANDPS(d, w, w)
		}
		VMULPS(a, x, x)
		if !first {
			VADDPS(idx(sol, i, off), x, x)
		}
		VMOVUPS(x, idx(sol, i, off))
		VMULPS(a, w, w)
		VMOVUPS(idx(res, i, off), v)
		VSUBPS(w, v, v)
		VMOVUPS(v, idx(res, i, off))
		VMULPS(v, v, v)
		VADDPS(v, sums[off/s.wide], sums[off/s.wide])
	})
	s.give(sums)
	leave()
}

func (s set) prolong() {
	s.text("prolong", "dst, x, pn, near, far *float32, draws, runs *int32, count int, w *[4]float32)",
		"dst = x + pn (¾ main + ¼ side) of (w₀ a + w₁ b) + (w₂ c + w₃ d) on runs: a and b are rows of the plane near, c and d the same of far; draws tell where a begins, one value before the first, and how far on b is.")
	dst, x, pn, w := ptr("dst"), ptr("x"), ptr("pn"), ptr("w")
	by := s.weights(w)
	three, one := s.constant(0.75), s.constant(0.25)
	main, side := s.vec(), s.vec()
	for i, v := range []reg.VecVirtual{main, side} {
		VMOVUPS(drawn[i], v)
	}
	draws := ptr("draws")
	var from [4]reg.GPVirtual
	half := GP64()
	s.eachRun(func() {
		begin, step := GP64(), GP64()
		MOVLQSX(at(draws, 0), begin)
		MOVLQSX(at(draws, 4), step)
		ADDQ(Imm(8), draws)
		for m, plane := range []string{"near", "far"} {
			a, b := GP64(), GP64()
			LEAQ(Mem{Base: ptr(plane), Index: begin, Scale: 4}, a)
			LEAQ(Mem{Base: a, Index: step, Scale: 4}, b)
			from[2*m], from[2*m+1] = a, b
		}
		XORQ(half, half)
	}, func(i reg.GPVirtual, off int) {
		var v [4]reg.VecVirtual
		for m := range v {
			v[m] = s.vec()
			VMULPS(idx(from[m], half, off/2), by[m], v[m])
		}
		pairs(v)
		a, b := s.vec(), s.vec()
		VPERMPS(v[0], main, a)
		VPERMPS(v[0], side, b)
		VMULPS(three, a, a)
		VMULPS(one, b, b)
		VADDPS(b, a, a)
		VMULPS(idx(pn, i, off), a, a)
		VADDPS(idx(x, i, off), a, a)
		VMOVUPS(a, idx(dst, i, off))
	}, func() { ADDQ(Imm(block/2), half) })
	leave()
}

func (s set) fold() {
	s.text("fold", "dst, src *float32, rows, n, step, sy int, w *[4]float32)",
		"dst row J = (w₀ a + w₁ b) + (w₂ c + w₃ d) of source rows 2J to 2J+3, n values each; rows are step and sy values apart.")
	dst, src, w, rows, n, step, sy := ptr("dst"), ptr("src"), ptr("w"), ptr("rows"), size("n"), size("step"), size("sy")
	by := s.weights(w)
	b, c, d, i := GP64(), GP64(), GP64(), GP64()
	Label("row")
	LEAQ(idx(src, sy, 0), b)
	LEAQ(idx(b, sy, 0), c)
	LEAQ(idx(c, sy, 0), d)
	XORQ(i, i)
	Label("loop")
	for p := range s.parts {
		var v [4]reg.VecVirtual
		for m, from := range []reg.GPVirtual{src, b, c, d} {
			v[m] = s.vec()
			VMULPS(idx(from, i, p*s.wide), by[m], v[m])
		}
		pairs(v)
		VMOVUPS(v[0], idx(dst, i, p*s.wide))
	}
	ADDQ(Imm(block), i)
	CMPQ(i, n)
	JLT(LabelRef("loop"))
	MOVQ(c, src)
	ADDQ(step, dst)
	DECQ(rows)
	JNE(LabelRef("row"))
	leave()
}

// pick are the even and the odd ones of two registers.
func (s set) pick(m, next Mem, evens, odds reg.VecVirtual) (even, odd reg.VecVirtual) {
	a, b := s.vec(), s.vec()
	VMOVUPS(m, a)
	VMOVUPS(next, b)
	if s.parts == 1 {
		odd = s.vec()
		VMOVAPS(a, odd)
		VPERMT2PS(b, evens, a)
		VPERMT2PS(b, odds, odd)
		return a, odd
	}
	even, odd = s.vec(), s.vec()
	VSHUFPS(Imm(0x88), b, a, even)
	VPERMPD(Imm(0xd8), even, even)
	VSHUFPS(Imm(0xdd), b, a, odd)
	VPERMPD(Imm(0xd8), odd, odd)
	return even, odd
}

func (s set) halve() {
	s.text("halve", "dst, a *float32, q float32, n int)", "dst[i] = q ((a[2i] + a[2i+3]) + 3 (a[2i+1] + a[2i+2])).")
	dst, a, q, three, n := ptr("dst"), ptr("a"), s.broadcast("q"), s.constant(3), size("n")
	var e, o reg.VecVirtual
	if s.parts == 1 {
		e, o = s.vec(), s.vec()
		VMOVUPS(evens, e)
		VMOVUPS(odds, o)
	}
	s.blocks("", n, func(i reg.GPVirtual, off int) {
		v0, v1 := s.pick(at(a, 2*off), at(a, 2*off+s.wide), e, o)
		v2, v3 := s.pick(at(a, 2*off+8), at(a, 2*off+s.wide+8), e, o)
		VADDPS(v3, v0, v0)
		VADDPS(v2, v1, v1)
		VMULPS(three, v1, v1)
		VADDPS(v1, v0, v0)
		VMULPS(q, v0, v0)
		VMOVUPS(v0, idx(dst, i, off))
	}, func() { ADDQ(Imm(2*block), a) })
	leave()
}
