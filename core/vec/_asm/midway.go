package main

import (
	. "github.com/mmcloughlin/avo/build"
	. "github.com/mmcloughlin/avo/operand"
	"github.com/mmcloughlin/avo/reg"
)

func (s set) midway() {
	s.text("midway", "dst, a, b, c, d, rel, base *float32, bad *uint8, n int)",
		"halfway between b and c on a cubic through a to d, of n times 16 values: dst = ½ (b + c) + e, e = ((b + c) − (a + d))/16. bad is 1 where any |e| isn't within base + rel |½ (b + c)|.")
	dst, a, b, c, d, bad := ptr("dst"), ptr("a"), ptr("b"), ptr("c"), ptr("d"), ptr("bad")
	half, sixteenth := s.constant(0.5), s.constant(1.0/16)
	sign := s.vec()
	VPBROADCASTD(whole(0x7fffffff), sign)
	relAt, baseAt := ptr("rel"), ptr("base")
	var rel, base [2]reg.VecVirtual
	for p := range s.parts {
		rel[p], base[p] = s.load(at(relAt, p*s.wide), nil), s.load(at(baseAt, p*s.wide), nil)
	}
	n, i, flag := ptr("n"), GP64(), GP64()
	XORQ(i, i)
	JMP(LabelRef("test"))
	Label("loop")
	var far [2]reg.GPVirtual
	for p := range s.parts {
		o := p * s.wide
		near, side, m := s.load(idx(b, i, o), nil), s.load(idx(a, i, o), nil), s.vec()
		VADDPS(idx(c, i, o), near, near)
		VADDPS(idx(d, i, o), side, side)
		VSUBPS(side, near, side)
		VMULPS(sixteenth, side, side)
		VMULPS(half, near, near)
		VADDPS(side, near, m)
		VMOVUPS(m, idx(dst, i, o))
		s.and(sign, near, near)
		s.and(sign, side, side)
		VMULPS(rel[p], near, near)
		VADDPS(base[p], near, near)
		far[p] = GP64()
		if s.parts == 1 {
			k := K()
			VCMPPS(Imm(6), near, side, k) // not less or equal, or no number
			KMOVW(k, far[p].As32())
		} else {
			VCMPPS(Imm(6), near, side, m)
			VMOVMSKPS(m, far[p].As32())
		}
	}
	if s.parts == 2 {
		ORL(far[1].As32(), far[0].As32())
	}
	XORL(flag.As32(), flag.As32())
	TESTL(far[0].As32(), far[0].As32())
	SETNE(flag.As8())
	MOVB(flag.As8(), Mem{Base: bad})
	INCQ(bad)
	ADDQ(Imm(block), i)
	DECQ(n)
	Label("test")
	TESTQ(n, n)
	JNE(LabelRef("loop"))
	leave()
}

// and is a AND b, bit by bit.
func (s set) and(a, b, to reg.VecVirtual) {
	if s.parts == 1 {
		VPANDD(a, b, to)
		return
	}
	VPAND(a, b, to)
}
