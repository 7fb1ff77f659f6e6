package main

import (
	"math"

	. "github.com/mmcloughlin/avo/build"
	. "github.com/mmcloughlin/avo/operand"
	"github.com/mmcloughlin/avo/reg"
)

func f32bits(v float32) uint32 { return math.Float32bits(v) }

// Which coarse values a block of 16 fine ones draws from, counted from the one
// before the block's first. A part of 8 takes the first half of both, from four
// coarse values farther on.
var (
	spreadMain = [16]uint32{1, 1, 2, 2, 3, 3, 4, 4, 5, 5, 6, 6, 7, 7, 8, 8}
	spreadSide = [16]uint32{0, 2, 1, 3, 2, 4, 3, 5, 4, 6, 5, 7, 6, 8, 7, 9}
	drawn      [2]Mem
)

func init() { drawn = [2]Mem{table("spreadMain", spreadMain), table("spreadSide", spreadSide)} }

// weights are four values behind a pointer, each in all lanes.
func (s set) weights(w reg.Register) (by []reg.VecVirtual) {
	for i := range 4 {
		v := s.vec()
		VBROADCASTSS(at(w, 4*i), v)
		by = append(by, v)
	}
	return by
}

// pairs adds four terms in two pairs, into the first.
func pairs(v [4]reg.VecVirtual) {
	VADDPS(v[1], v[0], v[0])
	VADDPS(v[3], v[2], v[2])
	VADDPS(v[2], v[0], v[0])
}

func (s set) blend() {
	s.text("blend", "dst, a, b, c, d *float32, w *[4]float32, n int)", "dst = (w₀ a + w₁ b) + (w₂ c + w₃ d), of any length.")
	dst, w := ptr("dst"), ptr("w")
	var from []reg.GPVirtual
	var by []reg.VecVirtual
	for i, p := range []string{"a", "b", "c", "d"} {
		from = append(from, ptr(p))
		v := s.vec()
		VBROADCASTSS(at(w, 4*i), v)
		by = append(by, v)
	}
	n := ptr("n")
	s.ragged(n, func(i reg.GPVirtual, off int, only *mask) {
		var v [4]reg.VecVirtual
		for m := range v {
			v[m] = s.load(idx(from[m], i, off), only)
			VMULPS(by[m], v[m], v[m])
		}
		pairs(v)
		s.store(v[0], idx(dst, i, off), only)
	}, nil)
	leave()
}

// limited is first + ½ (was − again), and first where that leaves [lo, hi]; over is
// room for a mask.
func (s set) limited(again reg.VecVirtual, was, first, lo, hi Mem, over reg.Register) reg.VecVirtual {
	v, f := s.load(was, nil), s.load(first, nil)
	VSUBPS(again, v, v)
	VMULPS(s.constant(0.5), v, v)
	VADDPS(v, f, v)
	least, most := s.load(lo, nil), s.load(hi, nil)
	if s.parts == 1 {
		VCMPPS(Imm(1), least, v, reg.K0)
		VCMPPS(Imm(1), v, most, over)
		KORW(reg.K0, over, over)
		VMOVAPS(f, over, v)
	} else {
		VCMPPS(Imm(1), least, v, least)
		VCMPPS(Imm(1), v, most, most)
		VORPS(least, most, most)
		VBLENDVPS(most, f, v, v)
	}
	return v
}

func (s set) largest() {
	s.text("largest", "row *float32, n int) (top float32, odd bool)",
		"the largest magnitude, NaN left out, and whether something isn't finite; of any length.")
	row, n := ptr("row"), ptr("n")
	most, sum, none := s.zero(), s.zero(), s.zero()
	s.ragged(n, func(i reg.GPVirtual, off int, only *mask) {
		v, w := s.load(idx(row, i, off), only), s.vec()
		VSUBPS(v, v, w) // 0 for finite values alone
		VADDPS(w, sum, sum)
		VSUBPS(v, none, w)
		VMAXPS(w, v, v)
		VMAXPS(most, v, most) // NaN: what was
	}, nil)
	if s.parts == 1 {
		half := YMM()
		VEXTRACTF64X4(Imm(1), most, half)
		VMAXPS(half, most.AsY(), most.AsY())
	}
	top, half := most.AsX(), XMM()
	VEXTRACTF128(Imm(1), most.AsY(), half)
	VMAXPS(half, top, top)
	for _, swap := range []uint64{0x4e, 0xb1} {
		VPERMILPS(Imm(swap), top, half)
		VMAXPS(half, top, top)
	}
	Store(top, ReturnIndex(0))
	bits, odd := GP32(), GP8()
	if s.parts == 1 {
		VCMPPS(Imm(4), none, sum, reg.K0)
		KMOVW(reg.K0, bits)
	} else {
		VCMPPS(Imm(4), none, sum, sum)
		VMOVMSKPS(sum, bits)
	}
	TESTL(bits, bits)
	SETNE(odd)
	Store(odd, ReturnIndex(1))
	leave()
}

func (s set) outside() {
	s.text("outside", "x *float32, n int, top float32) bool", "whether some value is under 0 or over top; of any length.")
	x, n, most := ptr("x"), ptr("n"), s.broadcast("top")
	none := s.zero()
	out := GP32()
	XORL(out, out)
	s.ragged(n, func(i reg.GPVirtual, off int, only *mask) {
		v := s.load(idx(x, i, off), only)
		bits := GP32()
		if s.parts == 1 {
			under, over := K(), K()
			VCMPPS(Imm(1), none, v, under)
			VCMPPS(Imm(1), v, most, over)
			KORW(under, over, over)
			if only != nil {
				KANDW(only.k, over, over)
			}
			KMOVW(over, bits)
		} else {
			under, over := s.vec(), s.vec()
			VCMPPS(Imm(1), none, v, under)
			VCMPPS(Imm(1), v, most, over)
			VORPS(under, over, over)
			if only != nil {
				VANDPS(only.y, over, over)
			}
			VMOVMSKPS(over, bits)
		}
		ORL(bits, out)
	}, nil)
	TESTL(out, out)
	yes := GP8()
	SETNE(yes)
	Store(yes, ReturnIndex(0))
	leave()
}

// enter tells by lane what lies outside a box, and what came there through an open
// side.
func (s set) enter() {
	s.text("enter", "u, lo, hi, x, y, z *float32, box *[9]float32, air float32, n int)",
		"u = air where a point is beyond one of the low sides box[3:6] or the high ones box[6:9]; lo = hi = u where it isn't within 0 to box[:3]; of any length.")
	box, air, none, n := ptr("box"), s.broadcast("air"), s.zero(), ptr("n")
	var from [3]reg.GPVirtual
	for a, name := range []string{"x", "y", "z"} {
		from[a] = ptr(name)
	}
	u, lo, hi := ptr("u"), ptr("lo"), ptr("hi")
	s.ragged(n, func(i reg.GPVirtual, off int, only *mask) {
		var out, through test
		for a := range 3 {
			v := s.load(idx(from[a], i, off), only)
			for _, c := range []struct {
				by   uint64
				than reg.VecVirtual
				to   *test
			}{
				{9, none, &out}, {6, s.each(box, a, false), &out}, // not ≥, not ≤
				{1, s.each(box, 3+a, false), &through}, {14, s.each(box, 6+a, false), &through}, // <, >
			} {
				s.either(c.by, v, c.than, c.to)
			}
		}
		v := s.load(idx(u, i, off), only)
		s.choose(through, air, v)
		s.store(v, idx(u, i, off), only)
		for _, to := range []reg.GPVirtual{lo, hi} {
			w := s.load(idx(to, i, off), only)
			s.choose(out, v, w)
			s.store(w, idx(to, i, off), only)
		}
	}, nil)
	leave()
}

// test is what has been found of lanes: a mask or a register of all ones.
type test struct {
	k    reg.OpmaskVirtual
	v    reg.VecVirtual
	some bool
}

// either adds to a test the lanes where v compares so with another.
func (s set) either(by uint64, v, than reg.VecVirtual, to *test) {
	var k reg.OpmaskVirtual
	var w reg.VecVirtual
	if s.parts == 1 {
		k = K()
		VCMPPS(Imm(by), than, v, k)
	} else {
		w = s.vec()
		VCMPPS(Imm(by), than, v, w)
	}
	switch {
	case !to.some:
		*to = test{k, w, true}
	case s.parts == 1:
		KORW(k, to.k, to.k)
	default:
		VORPS(w, to.v, to.v)
	}
}

// choose puts a into v where a test holds.
func (s set) choose(t test, a, v reg.VecVirtual) {
	if s.parts == 1 {
		VMOVAPS(a, t.k, v)
	} else {
		VBLENDVPS(t.v, a, v, v)
	}
}
