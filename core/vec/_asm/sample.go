package main

import (
	"fmt"

	. "github.com/mmcloughlin/avo/build"
	. "github.com/mmcloughlin/avo/operand"
	"github.com/mmcloughlin/avo/reg"
)

// sampler reads a lattice between its points. No gather is used: on many
// machines a mitigation makes them ten times slower than the loads that they
// stand for. Neighbouring points mostly lie in cells of one row: the values from a little
// before the first point's cell on are loaded, and a permutation puts them into
// their lanes. Points of several rows are fetched one by one, each pair (x, x+1) by a
// load into its lane; to take a row after the other costs more from two on.
type sampler struct {
	s            set
	data, dy, dz reg.GPVirtual // first value, bytes to the next row and plane
	cells        Mem           // of the lanes, on the stack
	spilt        [3]Mem        // weights, where there aren't registers for them
	weights      [3]Op
	evens, odds  reg.VecVirtual
	ranges       bool
	part         int
}

// corner holds what is found of the points of a block: values mixed along x for
// (y, z), (y+1, z), (y, z+1), (y+1, z+1), and the least and the largest.
type corner struct {
	mixed  [4]reg.VecVirtual
	lo, hi reg.VecVirtual
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
// [0, last] (NaN to 0); cell = min(trunc, cells). The cell along x and the place of
// the row go to the stack too.
func (p *sampler) locate(from [3]Mem) (x, row reg.VecVirtual) {
	s := p.s
	f, c, none := ptr("f"), ptr("c"), s.zero()
	for a := range 3 {
		v := s.vec()
		VMOVUPS(from[a], v)
		VSUBPS(s.each(f, a, false), v, v)
		VMAXPS(none, v, v)
		VMINPS(s.each(f, 3+a, false), v, v)
		cell, low := s.vec(), s.vec()
		VCVTTPS2DQ(v, cell)
		VPMINSD(s.each(c, a, true), cell, cell)
		VCVTDQ2PS(cell, low)
		VSUBPS(low, v, v)
		if p.weights[a] = v; s.parts == 2 {
			VMOVUPS(v, p.spilt[a])
			p.weights[a] = p.spilt[a]
		}
		switch a {
		case 0:
			x = cell
		case 1:
			VPMULLD(s.each(c, 3, true), cell, cell)
			row = cell
		case 2:
			VPMULLD(s.each(c, 4, true), cell, cell)
			VPADDD(cell, row, row)
		}
	}
	return x, row
}

// keep stores whole numbers.
func (s set) keep(v reg.VecVirtual, m Mem) {
	if s.parts == 1 {
		VMOVDQU32(v, m)
	} else {
		VMOVDQU(v, m)
	}
}

// fill puts a whole number into all lanes.
func (s set) fill(v reg.GPVirtual) reg.VecVirtual {
	to := s.vec()
	if s.parts == 1 {
		VPBROADCASTD(v, to)
		return to
	}
	x := XMM()
	VMOVD(v, x)
	VPBROADCASTD(x, to)
	return to
}

// The values of a row that are loaded for a group of points, and how many of them
// lie before the first point's cell.
func (s set) window() (size, before int) {
	if s.parts == 1 {
		return 32, 7
	}
	return 16, 3
}

func (p *sampler) label(name string) string { return fmt.Sprintf("%s%d", name, p.part) }

// inLine reads the points of a block whose cells follow each other, as most do where
// the flow is calm: without a permutation. It goes on where they don't.
func (p *sampler) inLine(x, row reg.VecVirtual, out corner) {
	s := p.s
	place, first, base, bits := s.vec(), s.vec(), GP32(), GP32()
	other := p.label("scattered")
	VPADDD(row, x, place)
	VPSUBD(lane, place, place)
	VPBROADCASTD(place.AsX(), first)
	if s.parts == 1 {
		k := K()
		VPCMPEQD(first, place, k)
		KMOVW(k, bits)
		CMPL(bits, U32(0xffff))
	} else {
		VPCMPEQD(first, place, first)
		VMOVMSKPS(first, bits)
		CMPL(bits, U32(0xff))
	}
	JNE(LabelRef(other))
	VMOVD(place.AsX(), base)
	from := GP64()
	LEAQ(Mem{Base: p.data, Index: base.As64(), Scale: 4}, from)
	p.rowsOf(from, out, func(m Mem, r int) (a, b reg.VecVirtual) {
		a, b = s.vec(), s.vec()
		VMOVUPS(m, a)
		VMOVUPS(m.Offset(4), b)
		return a, b
	})
	JMP(LabelRef(p.label("found")))
	Label(other)
}

// near reads the points round the cells of a block that lie in one row of cells, not
// too far apart: what it loads of each row is put into lanes by a permutation. Where
// they don't, it jumps to far. On the way it tries inLine.
func (p *sampler) near(x, row reg.VecVirtual, far string) corner {
	s := p.s
	n := s.wide / 4
	size, before := s.window()
	var out corner
	for r := range out.mixed {
		out.mixed[r] = s.vec()
	}
	if p.ranges {
		out.lo, out.hi = s.vec(), s.vec()
	}
	p.inLine(x, row, out)
	limit, first, none := GP32(), GP32(), GP32()
	MOVL(at(ptr("c"), 20), limit)
	TESTL(limit, limit)
	JLT(LabelRef(far))
	// a window that begins a little before the first point's cell, within the row
	VMOVD(x.AsX(), first)
	SUBL(U8(before), first)
	XORL(none, none)
	TESTL(first, first)
	CMOVLLT(none, first)
	CMPL(first, limit)
	CMOVLGT(limit, first)
	// whether all points lie in it
	d, same, bits, reach := s.vec(), s.vec(), GP32(), s.vec()
	VPSUBD(s.fill(first), x, d)
	VPBROADCASTD(row.AsX(), same)
	VPBROADCASTD(whole(uint32(size-2)), reach)
	if s.parts == 1 {
		in, eq := K(), K()
		VPCMPUD(Imm(2), reach, d, in)
		VPCMPEQD(row, same, eq)
		KANDW(eq, in, in)
		KMOVW(in, bits)
	} else {
		VPMINUD(d, reach, reach)
		VPCMPEQD(d, reach, reach)
		VPCMPEQD(row, same, same)
		VPAND(reach, same, same)
		VMOVMSKPS(same, bits)
	}
	CMPL(bits, U32(1<<n-1))
	JNE(LabelRef(far))
	begin, base := GP32(), GP64()
	VMOVD(row.AsX(), begin)
	ADDL(first, begin)
	LEAQ(Mem{Base: p.data, Index: begin.As64(), Scale: 4}, base)
	next := s.vec()
	VPBROADCASTD(whole(1), next)
	VPADDD(next, d, next)
	if s.parts == 2 {
		// bit 3, which half of the window, to the sign, where a blend looks for it
		for _, v := range []reg.VecVirtual{d, next} {
			high := s.vec()
			VPSLLD(Imm(28), v, high)
			VPOR(high, v, v)
		}
	}
	p.rowsOf(base, out, func(m Mem, r int) (a, b reg.VecVirtual) {
		a, b = s.vec(), s.vec()
		upper := s.vec()
		if s.parts == 1 {
			VMOVUPS(m, a)
			VMOVUPS(m.Offset(64), upper)
			VMOVAPS(a, b)
			VPERMT2PS(upper, d, a)
			VPERMT2PS(upper, next, b)
			return a, b
		}
		for _, pick := range []struct{ to, index reg.VecVirtual }{{a, d}, {b, next}} {
			VPERMPS(m, pick.index, pick.to)
			VPERMPS(m.Offset(32), pick.index, upper)
			VBLENDVPS(pick.index, upper, pick.to, pick.to)
		}
		return a, b
	})
	JMP(LabelRef(p.label("found")))
	return out
}

// rowsOf mixes along x what fetch reads of each of the four rows of cells, and keeps
// the range.
func (p *sampler) rowsOf(base reg.GPVirtual, out corner, fetch func(m Mem, r int) (a, b reg.VecVirtual)) {
	for r := range out.mixed {
		m := at(base, 0)
		switch r {
		case 1:
			m = idx(base, p.dy, 0)
		case 2:
			ADDQ(p.dz, base)
		case 3:
			m = idx(base, p.dy, 0)
		}
		a, b := fetch(m, r)
		if p.ranges {
			if r == 0 {
				VMOVAPS(a, out.lo)
				VMOVAPS(a, out.hi)
			} else {
				VMINPS(out.lo, a, out.lo)
				VMAXPS(out.hi, a, out.hi)
			}
			VMINPS(out.lo, b, out.lo)
			VMAXPS(out.hi, b, out.hi)
		}
		VSUBPS(a, b, b)
		VMULPS(p.weights[0], b, b)
		VADDPS(b, a, out.mixed[r])
	}
}

var wholes = map[uint32]Mem{}

// whole is a whole number in memory.
func whole(v uint32) Mem {
	m, there := wholes[v]
	if !there {
		m = ConstData(fmt.Sprintf("whole%d", v), U32(v))
		wholes[v] = m
	}
	return m
}

// fetch reads the eight points round each cell, x fastest, then y, then z.
func (p *sampler) fetch() (q [8]reg.VecVirtual) {
	n := p.s.wide / 4
	half := n / 2
	var lanes [8]reg.OpmaskVirtual // AVX-512: bit l of the 8 pairs
	for l := 1; l < 8 && p.s.parts == 1; l++ {
		bit := GP32()
		lanes[l] = K()
		MOVL(U32(1<<l), bit)
		KMOVB(bit, lanes[l])
	}
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
					VBROADCASTSD(m, lanes[l], to)
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

// mix is a + (b − a) t along y, then z; along x that is done.
func (p *sampler) mix(q [4]reg.VecVirtual) reg.VecVirtual {
	n := 4
	for a := 1; a < 3; a++ {
		for i := 0; i < n; i += 2 {
			VSUBPS(q[i], q[i+1], q[i+1])
			VMULPS(p.weights[a], q[i+1], q[i+1])
			VADDPS(q[i+1], q[i], q[i])
			q[i/2] = q[i]
		}
		n /= 2
	}
	return q[0]
}

// far fetches the points of a block one by one, into what near would have found.
func (p *sampler) far(x, row reg.VecVirtual, out corner) {
	place := p.s.vec()
	VPADDD(row, x, place)
	p.s.keep(place, p.cells)
	q := p.fetch()
	if p.ranges {
		for _, to := range []struct {
			v    reg.VecVirtual
			pick func(ops ...Op)
		}{{out.lo, VMINPS}, {out.hi, VMAXPS}} {
			VMOVAPS(q[0], to.v)
			for _, next := range q[1:] { // next < v ? next : v, as the plain code has it for NaN and −0
				to.pick(to.v, next, to.v)
			}
		}
	}
	for r := range out.mixed {
		a, b := q[2*r], q[2*r+1]
		VSUBPS(a, b, b)
		VMULPS(p.weights[0], b, b)
		VADDPS(b, a, out.mixed[r])
	}
}

func (s set) sample(ranges bool) {
	args, name, doc := "dst, ", "sample", "dst = the lattice between its points; n is a multiple of 16. f: offset, last position; c: last cell, steps of y and z, last value that a window may begin with; dy, dz: the steps, 0 where there is one row or plane."
	if ranges {
		args, name, doc = "dst, lo, hi, ", "sampleRange", "sample, and the least and the largest of the eight points round."
	}
	s.text(name, args+"data, x, y, z *float32, f *[6]float32, c *[6]int32, dy, dz, n int)", doc)
	p := &sampler{s: s, data: ptr("data"), dy: size("dy"), dz: size("dz"), ranges: ranges}
	// on lines of their own: what is stored across two can't be read back at once
	room, area := AllocLocal(6*s.wide), GP64()
	LEAQ(room.Offset(s.wide), area)
	ANDQ(I8(-s.wide), area)
	p.cells = at(area, 0)
	for a := range p.spilt {
		p.spilt[a] = at(area, (2+a)*s.wide)
	}
	if s.parts == 1 {
		p.evens, p.odds = s.vec(), s.vec()
		VMOVUPS(evens, p.evens)
		VMOVUPS(odds, p.odds)
	}
	// pointers are read anew each time round: the registers are needed
	i := GP64()
	XORQ(i, i)
	JMP(LabelRef("test"))
	Label("loop")
	for p.part = range s.parts {
		off := p.part * s.wide
		var from [3]Mem
		for a, name := range []string{"x", "y", "z"} {
			from[a] = idx(ptr(name), i, off)
		}
		x, row := p.locate(from)
		out := p.near(x, row, p.label("far"))
		Label(p.label("far"))
		p.far(x, row, out)
		Label(p.label("found"))
		if ranges {
			VMOVUPS(out.lo, idx(ptr("lo"), i, off))
			VMOVUPS(out.hi, idx(ptr("hi"), i, off))
		}
		VMOVUPS(p.mix(out.mixed), idx(ptr("dst"), i, off))
	}
	ADDQ(Imm(block), i)
	Label("test")
	n := size("n")
	CMPQ(i, n)
	JLT(LabelRef("loop"))
	leave()
}
