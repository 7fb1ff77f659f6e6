package main

import (
	. "github.com/mmcloughlin/avo/build"
	. "github.com/mmcloughlin/avo/operand"
	"github.com/mmcloughlin/avo/reg"
)

// Kernels of a dense factor: columns four at a time, rows in whole blocks.

// four are the places of four columns.
func four(at, wide reg.GPVirtual) (c [4]reg.GPVirtual) {
	c[0] = at
	for k := 1; k < 4; k++ {
		c[k] = GP64()
		LEAQ(Mem{Base: c[k-1], Index: wide, Scale: 1}, c[k])
	}
	return c
}

func (s set) eliminate() {
	s.text("eliminate", "c, a, b *float32, wide, step, next, k, n int)",
		"c −= Σ a b, each fused, over k columns of a, step values apart, for four columns of c, wide apart; b has four values for each column of a, next apart. Whole blocks.")
	at, a, b := ptr("c"), ptr("a"), ptr("b")
	wide, step, next, k, n := size("wide"), size("step"), size("next"), ptr("k"), size("n")
	c := four(at, wide)
	i, left, from, by := GP64(), GP64(), GP64(), GP64()
	XORQ(i, i)
	tile := func(regs int, loop string) {
		var acc [4][2]reg.VecVirtual
		for j := range 4 {
			for r := range regs {
				acc[j][r] = s.vec()
				VMOVUPS(idx(c[j], i, r*s.wide), acc[j][r])
			}
		}
		LEAQ(idx(a, i, 0), from)
		MOVQ(b, by)
		MOVQ(k, left)
		Label(loop)
		var v [2]reg.VecVirtual
		for r := range regs {
			v[r] = s.vec()
			VMOVUPS(Mem{Base: from, Disp: r * s.wide}, v[r])
		}
		for j := range 4 {
			w := s.vec()
			VBROADCASTSS(Mem{Base: by, Disp: 4 * j}, w)
			for r := range regs {
				VFNMADD231PS(w, v[r], acc[j][r])
			}
		}
		ADDQ(step, from)
		ADDQ(next, by)
		DECQ(left)
		JNE(LabelRef(loop))
		for j := range 4 {
			for r := range regs {
				VMOVUPS(acc[j][r], idx(c[j], i, r*s.wide))
			}
		}
		ADDQ(Imm(uint64(regs*s.wide)), i)
	}
	if s.parts == 1 { // two blocks at a time, then what is left
		end := GP64()
		LEAQ(Mem{Base: n, Disp: -block}, end)
		Label("pairs")
		CMPQ(i, end)
		JGE(LabelRef("single"))
		tile(2, "pair")
		JMP(LabelRef("pairs"))
		Label("single")
		CMPQ(i, n)
		JGE(LabelRef("done"))
		tile(1, "one")
		Label("done")
	} else {
		Label("pairs")
		tile(2, "pair")
		CMPQ(i, n)
		JLT(LabelRef("pairs"))
	}
	leave()
}

// lessTimes is v − a b.
func (s set) lessTimes(v, a, b reg.VecVirtual) {
	p := s.vec()
	VMULPS(a, b, p)
	VSUBPS(p, v, v)
}

// tidy makes v 0 where it is smaller than tiny.
func (s set) tidy(v, tiny, sign reg.VecVirtual) {
	a := s.vec()
	if s.parts == 1 {
		k := K()
		VPANDD(sign, v, a)
		VCMPPS(Imm(5), tiny, a, k) // not less
		VMOVAPS_Z(v, k, v)
		return
	}
	VANDPS(sign, v, a)
	VCMPPS(Imm(5), tiny, a, a)
	VANDPS(a, v, v)
}

func (s set) pivot() {
	s.text("pivot", "c *float32, wide int, l *[10]float32, n int)",
		"column after column of four, wide values apart, less those before it, times its pivot: rows of l; below 1e-16 it is 0. Whole blocks.")
	at, wide, l, n := ptr("c"), size("wide"), ptr("l"), size("n")
	c := four(at, wide)
	tiny, sign := s.constant(1e-16), s.vec()
	VPBROADCASTD(whole(0x7fffffff), sign)
	var by [10]reg.VecVirtual
	if s.parts == 1 {
		for k := range by {
			by[k] = s.vec()
			VBROADCASTSS(Mem{Base: l, Disp: 4 * k}, by[k])
		}
	}
	get := func(k int) reg.VecVirtual {
		if s.parts == 1 {
			return by[k]
		}
		v := s.vec()
		VBROADCASTSS(Mem{Base: l, Disp: 4 * k}, v)
		return v
	}
	s.blocks("", n, func(i reg.GPVirtual, o int) {
		var v [4]reg.VecVirtual
		k := 0
		for j := range 4 {
			v[j] = s.vec()
			VMOVUPS(idx(c[j], i, o), v[j])
			for m := range j {
				s.lessTimes(v[j], v[m], get(k))
				k++
			}
			VMULPS(get(k), v[j], v[j])
			k++
			s.tidy(v[j], tiny, sign)
			VMOVUPS(v[j], idx(c[j], i, o))
		}
	}, nil)
	leave()
}

func (s set) forward() {
	s.text("forward", "x, c *float32, wide int, y *[4]float32, n int)",
		"x less four columns, wide values apart, times the numbers of y. Whole blocks.")
	x, at, wide, y, n := ptr("x"), ptr("c"), size("wide"), ptr("y"), size("n")
	c := four(at, wide)
	var by [4]reg.VecVirtual
	for k := range by {
		by[k] = s.vec()
		VBROADCASTSS(Mem{Base: y, Disp: 4 * k}, by[k])
	}
	s.blocks("", n, func(i reg.GPVirtual, o int) {
		v := s.vec()
		VMOVUPS(idx(x, i, o), v)
		for k := range 4 {
			p := s.vec()
			VMULPS(idx(c[k], i, o), by[k], p)
			VSUBPS(p, v, v)
		}
		VMOVUPS(v, idx(x, i, o))
	}, nil)
	leave()
}

func (s set) backward() {
	s.text("backward", "sum *[64]float32, x, c *float32, wide int, n int)",
		"sum += x times each of four columns, wide values apart: 16 lanes to a column. Whole blocks.")
	sum, x, at, wide, n := ptr("sum"), ptr("x"), ptr("c"), size("wide"), size("n")
	c := four(at, wide)
	var acc [4][2]reg.VecVirtual
	for k := range 4 {
		for p := range s.parts {
			acc[k][p] = s.vec()
			VMOVUPS(Mem{Base: sum, Disp: k*block + p*s.wide}, acc[k][p])
		}
	}
	s.blocks("", n, func(i reg.GPVirtual, o int) {
		v := s.vec()
		VMOVUPS(idx(x, i, o), v)
		for k := range 4 {
			p := s.vec()
			VMULPS(idx(c[k], i, o), v, p)
			a := acc[k][o/s.wide%s.parts]
			VADDPS(p, a, a)
		}
	}, nil)
	for k := range 4 {
		for p := range s.parts {
			VMOVUPS(acc[k][p], Mem{Base: sum, Disp: k*block + p*s.wide})
		}
	}
	leave()
}
