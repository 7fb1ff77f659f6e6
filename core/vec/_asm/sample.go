package main

import (
	. "github.com/mmcloughlin/avo/build"
	. "github.com/mmcloughlin/avo/operand"
	"github.com/mmcloughlin/avo/reg"
)

// sampler reads a lattice between its points. No gather is used: on many
// machines a mitigation makes them ten times slower than the loads that they
// stand for. Each pair (x, x+1) is one 64-bit load into its lane.
type sampler struct {
	s          set
	data, y, z reg.GPVirtual // first value, bytes to the next row and plane
	dy, dz     reg.GPVirtual
	f, c       reg.GPVirtual
	cells      Mem
	evens      reg.VecVirtual
	odds       reg.VecVirtual
	lanes      []reg.OpmaskVirtual // AVX-512: bit l of the 8 pairs
}

var evens, odds Mem

func init() {
	var e, o [16]uint32
	for i := range e {
		e[i], o[i] = uint32(2*i), uint32(2*i+1)
	}
	evens, odds = table("evens", e), table("odds", o)
}

// each puts number i of an array of 32 bits into all lanes.
func (s set) each(p reg.GPVirtual, i int, whole bool) reg.VecVirtual {
	v := s.vec()
	if whole {
		VPBROADCASTD(at(p, 4*i), v)
	} else {
		VBROADCASTSS(at(p, 4*i), v)
	}
	return v
}

// locate turns positions into cells and weights: position − offset, clamped to
// [0, last] (NaN to 0); cell = min(trunc, cells). The cells' places in the
// array go to the stack, the weights are returned.
func (p *sampler) locate(from [3]Mem, none reg.VecVirtual) (t [3]reg.VecVirtual) {
	s := p.s
	var place reg.VecVirtual
	for a := range 3 {
		v := s.vec()
		VMOVUPS(from[a], v)
		VSUBPS(s.each(p.f, a, false), v, v)
		VMAXPS(none, v, v)
		VMINPS(s.each(p.f, 3+a, false), v, v)
		cell, low := s.vec(), s.vec()
		VCVTTPS2DQ(v, cell)
		VPMINSD(s.each(p.c, a, true), cell, cell)
		VCVTDQ2PS(cell, low)
		VSUBPS(low, v, v)
		t[a] = v
		if a == 0 {
			place = cell
			continue
		}
		VPMULLD(s.each(p.c, 2+a, true), cell, cell)
		VPADDD(cell, place, place)
	}
	if s.parts == 1 {
		VMOVDQU32(place, p.cells)
	} else {
		VMOVDQU(place, p.cells)
	}
	return t
}

// fetch reads the eight points round each cell, x fastest, then y, then z.
func (p *sampler) fetch() (q [8]reg.VecVirtual) {
	n := p.s.wide / 4
	half := n / 2
	var reads [4][2]reg.VecVirtual // row; low and high half of the lanes
	for r := range reads {
		for h := range 2 {
			reads[r][h] = p.s.vec()
		}
	}
	for h := range 2 {
		for l := range half {
			// AVX2 parts pairs within 128 bits: its two registers hold the
			// pairs 0 1 4 5 and 2 3 6 7
			lane := h*half + l
			if p.s.parts == 2 {
				lane = l/2*4 + h*2 + l%2
			}
			i := GP64()
			MOVL(p.cells.Offset(4*lane), i.As32())
			base := GP64()
			LEAQ(Mem{Base: p.data, Index: i, Scale: 4}, base)
			for r, m := range []Mem{at(base, 0), idx(base, p.dy, 0), idx(base, p.dz, 0), {}} {
				if r == 3 {
					ADDQ(p.dz, base)
					m = idx(base, p.dy, 0)
				}
				to := reads[r][h]
				switch {
				case l == 0: // all lanes, so that the register begins its life here
					VBROADCASTSD(m, to)
				case p.s.parts == 1:
					VBROADCASTSD(m, p.lanes[l], to)
				default:
					v := YMM()
					VBROADCASTSD(m, v)
					VBLENDPD(Imm(1<<l), v, to, to)
				}
			}
		}
	}
	for r, pair := range reads {
		lo, hi := pair[0], pair[1]
		if p.s.parts == 1 {
			other := p.s.vec()
			VMOVAPS(lo, other)
			VPERMT2PS(hi, p.evens, lo)
			VPERMT2PS(hi, p.odds, other)
			q[2*r], q[2*r+1] = lo, other
			continue
		}
		e, o := YMM(), YMM()
		VSHUFPS(Imm(0x88), hi, lo, e)
		VSHUFPS(Imm(0xdd), hi, lo, o)
		q[2*r], q[2*r+1] = e, o
	}
	return q
}

// mix is a + (b − a) t along x, then y, then z.
func (p *sampler) mix(q [8]reg.VecVirtual, t [3]reg.VecVirtual) reg.VecVirtual {
	n := 8
	for a := range 3 {
		for i := 0; i < n; i += 2 {
			VSUBPS(q[i], q[i+1], q[i+1])
			VMULPS(t[a], q[i+1], q[i+1])
			VADDPS(q[i+1], q[i], q[i])
			q[i/2] = q[i]
		}
		n /= 2
	}
	return q[0]
}

func (s set) sample(ranges bool) {
	args, name, doc := "dst, ", "sample", "dst = the lattice between its points; n is a multiple of 16. f: offset, last position; c: last cell, steps of y and z; dy, dz: the steps, 0 where there is one row or plane."
	if ranges {
		args, name, doc = "dst, lo, hi, ", "sampleRange", "sample, and the least and the largest of the eight points round."
	}
	s.text(name, args+"data, x, y, z *float32, f *[6]float32, c *[5]int32, dy, dz, n int)", doc)
	p := &sampler{s: s, data: ptr("data"), f: ptr("f"), c: ptr("c"), dy: size("dy"), dz: size("dz")}
	p.cells = AllocLocal(s.wide)
	if s.parts == 1 {
		p.evens, p.odds = s.vec(), s.vec()
		VMOVUPS(evens, p.evens)
		VMOVUPS(odds, p.odds)
		for l := range 8 {
			if l == 0 {
				p.lanes = append(p.lanes, nil)
				continue
			}
			bit, k := GP32(), K()
			MOVL(U32(1<<l), bit)
			KMOVB(bit, k)
			p.lanes = append(p.lanes, k)
		}
	}
	none := s.zero()
	// pointers are read anew each time round: the registers are needed
	n := size("n")
	i := GP64()
	XORQ(i, i)
	JMP(LabelRef("test"))
	Label("loop")
	for part := range s.parts {
		off := part * s.wide
		var from [3]Mem
		for a, name := range []string{"x", "y", "z"} {
			from[a] = idx(ptr(name), i, off)
		}
		t := p.locate(from, none)
		q := p.fetch()
		if ranges {
			for _, to := range []struct {
				name string
				pick func(ops ...Op)
			}{{"lo", VMINPS}, {"hi", VMAXPS}} {
				v := s.vec()
				VMOVAPS(q[0], v)
				for _, next := range q[1:] { // next < v ? next : v, as the plain code has it for NaN and −0
					to.pick(v, next, v)
				}
				VMOVUPS(v, idx(ptr(to.name), i, off))
			}
		}
		VMOVUPS(p.mix(q, t), idx(ptr("dst"), i, off))
	}
	ADDQ(Imm(block), i)
	Label("test")
	CMPQ(i, n)
	JLT(LabelRef("loop"))
	leave()
}
