package main

import (
	. "github.com/mmcloughlin/avo/build"
	. "github.com/mmcloughlin/avo/operand"
	"github.com/mmcloughlin/avo/reg"
)

func (s set) ramps() {
	s.text("ramps", "dst, x, u *float32, at, start *int32, slopes, heights *float32, a float32, n int)",
		"a times what lies between two straight lines, added to n blocks of values: the lines of x at both ends of a cell, slopes and heights, by u. Cells are those of start by block, and at by value from there on.")
	dst, x, u, cell, start, g, k, n := ptr("dst"), ptr("x"), ptr("u"), ptr("at"), ptr("start"), ptr("slopes"), ptr("heights"), ptr("n")
	one, a := s.constant(1), s.broadcast("a")
	i, first := GP64(), GP64()
	XORQ(i, i)
	JMP(LabelRef("test"))
	Label("loop")
	MOVLQSX(Mem{Base: start}, first)
	// eight cells of a table and the one after each, by value
	table := func(m reg.GPVirtual, off int) reg.VecVirtual {
		v := YMM()
		VMOVUPS(Mem{Base: m, Index: first, Scale: 4, Disp: off}, v)
		if s.parts == 1 {
			return v.AsZ().(reg.VecVirtual)
		}
		return v
	}
	var tables [4]reg.VecVirtual
	for t, m := range []reg.GPVirtual{g, k} {
		tables[2*t], tables[2*t+1] = table(m, 0), table(m, 4)
	}
	for p := range s.parts {
		o := p * s.wide
		c := s.load(idx(cell, i, o), nil)
		place, right := s.load(idx(x, i, o), nil), s.vec()
		VSUBPS(one, place, right)
		var v [4]reg.VecVirtual
		for t := range v {
			v[t] = s.vec()
			VPERMPS(tables[t], c, v[t])
		}
		VMULPS(place, v[0], v[0])
		VADDPS(v[2], v[0], v[0])
		VMULPS(right, v[1], v[1])
		VADDPS(v[3], v[1], v[1])
		VSUBPS(v[0], v[1], v[1])
		VMULPS(idx(u, i, o), v[1], v[1])
		VADDPS(v[1], v[0], v[0])
		VMULPS(a, v[0], v[0])
		VADDPS(idx(dst, i, o), v[0], v[0])
		VMOVUPS(v[0], idx(dst, i, o))
	}
	ADDQ(Imm(4), start)
	ADDQ(Imm(block), i)
	DECQ(n)
	Label("test")
	TESTQ(n, n)
	JNE(LabelRef("loop"))
	leave()
}
