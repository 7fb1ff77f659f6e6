package main

import (
	. "github.com/mmcloughlin/avo/build"
	. "github.com/mmcloughlin/avo/operand"
	"github.com/mmcloughlin/avo/reg"
)

// Kernels on drops: records of four numbers, which lists name. A block of 16 is gathered by loads of
// whole records, four to a register, and turned: processors' own gathers are slower by far.

// gathered are the columns of as many records as a register holds lanes, from list, in bytes, on.
func (s set) gathered(rec, list reg.GPVirtual) (col [4]reg.VecVirtual) {
	at := GP64()
	var row [4]reg.VecVirtual
	for k := range row {
		first := XMM()
		MOVL(Mem{Base: list, Disp: 4 * k}, at.As32())
		VMOVUPS(Mem{Base: rec, Index: at, Scale: 4}, first)
		row[k] = s.vec()
		from := reg.Register(first.AsY())
		if s.parts == 1 {
			from = first.AsZ()
		}
		for q := 1; q < s.wide/16; q++ {
			MOVL(Mem{Base: list, Disp: 4 * (k + 4*q)}, at.As32())
			m := Mem{Base: rec, Index: at, Scale: 4}
			if s.parts == 1 {
				VINSERTF32X4(Imm(uint64(q)), m, from, row[k])
			} else {
				VINSERTF128(Imm(uint64(q)), m, from, row[k])
			}
			from = row[k]
		}
	}
	var t [4]reg.VecVirtual
	for k := range t {
		t[k] = s.vec()
	}
	VUNPCKLPS(row[1], row[0], t[0]) // x0 x1 y0 y1
	VUNPCKHPS(row[1], row[0], t[1]) // z0 z1 l0 l1
	VUNPCKLPS(row[3], row[2], t[2])
	VUNPCKHPS(row[3], row[2], t[3])
	for k := range col {
		col[k] = s.vec()
		VSHUFPS(Imm([]uint64{0x44, 0xee}[k%2]), t[2+k/2], t[k/2], col[k])
	}
	return col
}

// total is the sum of a block's lanes, by halves, in the first lane.
func (s set) total(v [2]reg.VecVirtual) reg.VecVirtual {
	half := YMM()
	if s.parts == 1 {
		VEXTRACTF64X4(Imm(1), v[0], half)
		VADDPS(half, v[0].AsY(), half)
	} else {
		VADDPS(v[1], v[0], half)
	}
	lo, hi := XMM(), XMM()
	VEXTRACTF128(Imm(1), half, hi)
	VADDPS(hi, half.AsX(), lo)
	VMOVHLPS(lo, lo, hi)
	VADDPS(hi, lo, lo)
	VMOVSHDUP(lo, hi)
	VADDSS(hi, lo, lo)
	return lo
}

// around walks through the lists of n drops: pair adds what a neighbour at d, of which t is
// 1 − d²/R² or 0, comes to.
func (s set) around(name string, sums int, doc string, pair func(acc []reg.VecVirtual, d [3]reg.VecVirtual, r2, t, l reg.VecVirtual, own func() reg.VecVirtual)) {
	s.text(name, "out, rec *float32, list, from *int32, first int, inv float32, n int)", doc)
	out, rec, list, from, own, n := ptr("out"), ptr("rec"), ptr("list"), ptr("from"), ptr("first"), ptr("n")
	inv, one := s.broadcast("inv"), s.constant(1)
	SHLQ(Imm(4), own)
	ADDQ(rec, own)
	var keep Mem
	if s.parts == 2 {
		keep = AllocLocal(32 * sums)
	}
	at, end := GP64(), GP64()
	Label("drop")
	var p [4]reg.VecVirtual // AVX2 has no registers for them: they are read over and over
	drop := func(k int) reg.VecVirtual {
		if v := p[k]; v != nil && s.parts == 1 {
			return v
		}
		p[k] = s.vec()
		VBROADCASTSS(Mem{Base: own, Disp: 4 * k}, p[k])
		return p[k]
	}
	if s.parts == 1 {
		for k := range p {
			drop(k)
		}
	}
	var total [8][2]reg.VecVirtual
	for part := range s.parts {
		acc := make([]reg.VecVirtual, sums)
		for k := range acc {
			acc[k] = s.zero()
		}
		loop, test := []string{"near", "far"}[part], []string{"nearer", "farther"}[part]
		MOVLQSX(Mem{Base: from}, at)
		MOVLQSX(Mem{Base: from, Disp: 4}, end)
		LEAQ(Mem{Base: list, Index: at, Scale: 4}, at)
		LEAQ(Mem{Base: list, Index: end, Scale: 4}, end)
		JMP(LabelRef(test))
		Label(loop)
		place := at
		if part == 1 {
			place = GP64()
			LEAQ(Mem{Base: at, Disp: 32}, place)
		}
		col := s.gathered(rec, place)
		var d [3]reg.VecVirtual
		for k := range d {
			d[k] = col[k]
			VSUBPS(col[k], drop(k), d[k])
		}
		r2, q := s.vec(), s.vec()
		VMULPS(d[0], d[0], r2)
		VMULPS(d[1], d[1], q)
		VADDPS(q, r2, r2)
		VMULPS(d[2], d[2], q)
		VADDPS(q, r2, r2)
		t := s.vec()
		VMULPS(inv, r2, t)
		VMINPS(one, t, t)
		VSUBPS(t, one, t)
		pair(acc, d, r2, t, col[3], func() reg.VecVirtual { return drop(3) })
		ADDQ(Imm(64), at)
		Label(test)
		CMPQ(at, end)
		JLT(LabelRef(loop))
		for k := range acc {
			if part < s.parts-1 {
				VMOVUPS(acc[k], keep.Offset(32*k))
				continue
			}
			total[k] = [2]reg.VecVirtual{acc[k], acc[k]}
			if s.parts == 2 {
				total[k][0] = s.vec()
				VMOVUPS(keep.Offset(32*k), total[k][0])
			}
			VMOVSS(s.total(total[k]), Mem{Base: out, Disp: 4 * k})
		}
	}
	ADDQ(Imm(uint64(4*sums)), out)
	ADDQ(Imm(16), own)
	ADDQ(Imm(4), from)
	DECQ(n)
	JNE(LabelRef("drop"))
	leave()
}

func (s set) crowd() {
	s.around("crowd", 5, "of each of n drops the sums of t⁴, d t³ and d² t⁶ over its list.", func(acc []reg.VecVirtual, d [3]reg.VecVirtual, r2, t, l reg.VecVirtual, own func() reg.VecVirtual) {
		t3, q := s.vec(), s.vec()
		VMULPS(t, t, t3)
		VMULPS(t3, t3, q)
		VADDPS(q, acc[0], acc[0])
		VMULPS(t, t3, t3)
		for k := range d {
			VMULPS(t3, d[k], q)
			VADDPS(q, acc[1+k], acc[1+k])
		}
		VMULPS(t3, t3, t3)
		VMULPS(r2, t3, t3)
		VADDPS(t3, acc[4], acc[4])
	})
}

func (s set) apart() {
	s.around("apart", 3, "of each of n drops the sum of (l + l') d t³ over its list.", func(acc []reg.VecVirtual, d [3]reg.VecVirtual, r2, t, l reg.VecVirtual, own func() reg.VecVirtual) {
		t3 := s.vec()
		VMULPS(t, t, t3)
		VMULPS(t, t3, t3)
		VADDPS(own(), l, l)
		VMULPS(l, t3, t3)
		for k := range d {
			VMULPS(t3, d[k], d[k])
			VADDPS(d[k], acc[k], acc[k])
		}
	})
}
