package main

import (
	. "github.com/mmcloughlin/avo/build"
	. "github.com/mmcloughlin/avo/operand"
	"github.com/mmcloughlin/avo/reg"
)

// Kernels of rays through bricks. Eight lanes do for both sets: what limits them is how
// many loads there are, and a look's four numbers fill no more.

// Of a brick: values an edge, and how far apart rows and planes are, in bytes.
const (
	brickEdge  = 9
	brickRow   = 16 * brickEdge
	brickPlane = brickRow * brickEdge
)

var shifted Mem

func init() { shifted = table("shifted", [16]uint32{0, 0, 1, 2, 3, 4, 5, 6}) }

func (s set) place() {
	s.text("place", "off *int32, x, y, z *float32, way *[6]float32, base int32, n int)",
		"where looks lie in a brick that begins at base: start + i step, held to 0 to 8; cells, in values, and how far along in each. n is a multiple of 16.")
	way, off := ptr("way"), ptr("off")
	var to [3]reg.GPVirtual
	for a, name := range []string{"x", "y", "z"} {
		to[a] = ptr(name)
	}
	base := GP32()
	Load(Param("base"), base)
	first, none, last, edge, ahead := s.fill(base), s.zero(), s.vec(), s.constant(8), s.constant(16)
	VPBROADCASTD(whole(7), last)
	var lanes []reg.VecVirtual
	for p := range s.parts {
		v := s.vec()
		VMOVUPS(iota16.Offset(p*s.wide), v)
		lanes = append(lanes, v)
	}
	nine, four := s.vec(), s.vec()
	VPBROADCASTD(whole(brickEdge), nine)
	VPBROADCASTD(whole(4), four)
	s.blocks("", size("n"), func(i reg.GPVirtual, at int) {
		v := lanes[at/s.wide]
		place := s.vec()
		for a := 2; a >= 0; a-- {
			x, cell, low := s.each(way, 3+a, false), s.vec(), s.vec()
			VMULPS(x, v, x)
			VADDPS(s.each(way, a, false), x, x)
			VMAXPS(none, x, x)
			VMINPS(edge, x, x)
			VCVTTPS2DQ(x, cell)
			VPMINSD(last, cell, cell)
			VCVTDQ2PS(cell, low)
			VSUBPS(low, x, x)
			VMOVUPS(x, idx(to[a], i, at))
			if a == 2 {
				place = cell
				continue
			}
			VPMULLD(nine, place, place)
			VPADDD(cell, place, place)
		}
		VPMULLD(four, place, place)
		VPADDD(first, place, place)
		s.keep(place, idx(off, i, at))
		VADDPS(ahead, v, v)
	}, nil)
	leave()
}

// looked reads a place in bricks of four numbers a value: along y, then z, then x.
func looked(data, off, i reg.GPVirtual, limit reg.GPVirtual, w [3]reg.GPVirtual, lane int) reg.VecVirtual {
	at := GP64()
	MOVL(idx(off, i, 4*lane), at.As32())
	CMPL(at.As32(), limit.As32())
	CMOVLGT(limit.As32(), at.As32())
	m := Mem{Base: data, Index: at, Scale: 4}
	fy, near, far, t := YMM(), YMM(), YMM(), YMM()
	VBROADCASTSS(idx(w[1], i, 4*lane), fy)
	for z, v := range []reg.VecVirtual{near, far} {
		row := m.Offset(z * brickPlane)
		VMOVUPS(row, v)
		VMOVUPS(row.Offset(brickRow), t)
		VSUBPS(v, t, t)
		VMULPS(fy, t, t)
		VADDPS(t, v, v)
	}
	VBROADCASTSS(idx(w[2], i, 4*lane), fy)
	VSUBPS(near, far, far)
	VMULPS(fy, far, far)
	VADDPS(far, near, near)
	x, fx := XMM(), XMM()
	VEXTRACTF128(Imm(1), near, x)
	VBROADCASTSS(idx(w[0], i, 4*lane), fx)
	VSUBPS(near.AsX(), x, x)
	VMULPS(fx, x, x)
	VADDPS(x, near.AsX(), near.AsX())
	return near
}

func (s set) look() {
	s.text("look", "dst, data *float32, off *int32, x, y, z *float32, limit int32, step, n int)",
		"what lies at places in bricks, in four rows step values apart; places beyond limit are read there. n is a multiple of 8.")
	dst, data, off := ptr("dst"), ptr("data"), ptr("off")
	w := [3]reg.GPVirtual{ptr("x"), ptr("y"), ptr("z")}
	limit := GP64()
	Load(Param("limit"), limit.As32())
	step, i := size("step"), GP64()
	n := size("n")
	XORQ(i, i)
	JMP(LabelRef("test"))
	Label("loop")
	// looks 0 and 4, 1 and 5 … side by side, so that turning goes within halves
	var pair [4]reg.VecVirtual
	for p := range pair {
		pair[p] = looked(data, off, i, limit, w, p)
		high := looked(data, off, i, limit, w, p+4)
		VINSERTF128(Imm(1), high.AsX(), pair[p], pair[p])
	}
	to := GP64()
	LEAQ(idx(dst, i, 0), to)
	var ab, cd [2]reg.VecVirtual
	for h := range 2 {
		ab[h], cd[h] = YMM(), YMM()
		VUNPCKLPS(pair[2*h+1], pair[2*h], ab[h])
		VUNPCKHPS(pair[2*h+1], pair[2*h], cd[h])
	}
	for c, half := range [2][2]reg.VecVirtual{ab, cd} {
		for d := range 2 {
			v := YMM()
			if d == 0 {
				VUNPCKLPD(half[1], half[0], v)
			} else {
				VUNPCKHPD(half[1], half[0], v)
			}
			VMOVUPS(v, Mem{Base: to})
			if 2*c+d < 3 {
				ADDQ(step, to)
			}
		}
	}
	ADDQ(Imm(32), i)
	Label("test")
	CMPQ(i, n)
	JLT(LabelRef("loop"))
	leave()
}

func (s set) dim() {
	s.text("dim", "pass, kept *float32, through float32, n int) float32",
		"with T what is left of light before a look, from through on: kept = T and pass = T (1 − pass); what is left behind the last. n is a multiple of 8.")
	pass, kept := ptr("pass"), ptr("kept")
	through, ones, order := YMM(), YMM(), YMM()
	m, err := Param("through").Resolve()
	if err != nil {
		panic(err)
	}
	VBROADCASTSS(m.Addr, through)
	VBROADCASTSS(float(1), ones)
	VMOVUPS(shifted, order)
	last := YMM()
	VPBROADCASTD(whole(7), last)
	n, i := size("n"), GP64()
	XORQ(i, i)
	JMP(LabelRef("test"))
	Label("loop")
	a, p, q := YMM(), YMM(), YMM()
	VMOVUPS(idx(pass, i, 0), a)
	// products of all up to each: neighbours, pairs, halves
	VPERMILPS(Imm(0x90), a, q)
	VBLENDPS(Imm(0x11), ones, q, q)
	VMULPS(a, q, p)
	VPERMILPS(Imm(0x40), p, q)
	VBLENDPS(Imm(0x33), ones, q, q)
	VMULPS(q, p, p)
	VPERMILPS(Imm(0xff), p, q)
	VPERM2F128(Imm(0x00), q, q, q)
	VBLENDPS(Imm(0x0f), ones, q, q)
	VMULPS(q, p, p)
	VMULPS(through, p, p) // behind each
	// before each
	VPERMPS(p, order, q)
	VBLENDPS(Imm(0x01), through, q, q)
	VMOVUPS(q, idx(kept, i, 0))
	VSUBPS(a, ones, a)
	VMULPS(q, a, a)
	VMOVUPS(a, idx(pass, i, 0))
	VPERMPS(p, last, through)
	ADDQ(Imm(32), i)
	Label("test")
	CMPQ(i, n)
	JLT(LabelRef("loop"))
	Store(through.AsX(), ReturnIndex(0))
	leave()
}

func (s set) shares() {
	s.text("shares", "dst *[4]float32, w, rows *float32, step, n int)",
		"dst += Σ w·row of four rows step values apart, in eight lanes, of which then halves are added up. n is a multiple of 8.")
	w, rows, step := ptr("w"), ptr("rows"), size("step")
	var row [4]reg.GPVirtual
	var sum [4]reg.VecVirtual
	for c := range row {
		row[c], sum[c] = GP64(), YMM()
		VXORPS(sum[c], sum[c], sum[c])
		if c == 0 {
			MOVQ(rows, row[c])
		} else {
			LEAQ(idx(row[c-1], step, 0), row[c])
		}
	}
	n, i := size("n"), GP64()
	XORQ(i, i)
	JMP(LabelRef("test"))
	Label("loop")
	k := YMM()
	VMOVUPS(idx(w, i, 0), k)
	for c := range row {
		v := YMM()
		VMULPS(idx(row[c], i, 0), k, v)
		VADDPS(v, sum[c], sum[c])
	}
	ADDQ(Imm(32), i)
	Label("test")
	CMPQ(i, n)
	JLT(LabelRef("loop"))
	dst := ptr("dst")
	for c, v := range sum {
		h := XMM()
		VEXTRACTF128(Imm(1), v, h)
		VADDPS(h, v.AsX(), v.AsX())
		VMOVHLPS(v.AsX(), v.AsX(), h)
		VADDPS(h, v.AsX(), v.AsX())
		VMOVSHDUP(v.AsX(), h)
		VADDSS(h, v.AsX(), v.AsX())
		VADDSS(at(dst, 4*c), v.AsX(), v.AsX())
		VMOVSS(v.AsX(), at(dst, 4*c))
	}
	leave()
}
