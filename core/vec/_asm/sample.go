package main

import (
	"fmt"

	. "github.com/mmcloughlin/avo/build"
	. "github.com/mmcloughlin/avo/operand"
	"github.com/mmcloughlin/avo/reg"
)

// sampler reads a lattice between its points, of which it knows the cells and the
// weights already. No gather is used: on many machines a mitigation makes them ten
// times slower than the loads that they stand for. Neighbouring points mostly lie in
// cells of one row: the values from a little before the first point's cell on are
// loaded, and a permutation puts them into their lanes. Points of several rows are
// fetched one by one, each pair (x, x+1) by a load into its lane; to take a row after
// the other costs more from two on.
type sampler struct {
	s           set
	rows        [4]reg.GPVirtual // where the rows (y, z), (y+1, z), (y, z+1), (y+1, z+1) of the first cell begin
	cells       Mem              // of the block's lanes
	weights     [3]Op
	evens, odds reg.VecVirtual
	lanes       [8]reg.OpmaskVirtual // AVX-512: bit l of the 8 pairs
	ranges      bool
	part        int
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

// splitter parts positions into cells and weights: position − offset, clamped to
// [0, last] (NaN to 0); cell = min(trunc, last cell), counted along the array. Where
// there are registers for them, what is taken of the lattice is held there.
type splitter struct {
	s    set
	none reg.VecVirtual
	held [11]reg.VecVirtual
}

func (s set) splitter() *splitter {
	p := &splitter{s: s, none: s.zero()}
	if s.parts == 1 {
		f, c := ptr("f"), ptr("c")
		for n := range p.held {
			if n < 6 {
				p.held[n] = s.each(f, n, false)
			} else {
				p.held[n] = s.each(c, n-6, true)
			}
		}
	}
	return p
}

// of is number n of what is taken of the lattice: offsets, last positions, last cells,
// steps of y and z.
func (p *splitter) of(n int) reg.VecVirtual {
	if v := p.held[n]; v != nil {
		return v
	}
	if n < 6 {
		return p.s.each(ptr("f"), n, false)
	}
	return p.s.each(ptr("c"), n-6, true)
}

// split leaves in v how far along its cell a position on axis a is, and adds the cell
// to the place, which begins with axis 0.
func (p *splitter) split(a int, v, place reg.VecVirtual) {
	s := p.s
	VSUBPS(p.of(a), v, v)
	VMAXPS(p.none, v, v)
	VMINPS(p.of(3+a), v, v)
	cell, low := place, s.vec()
	if a > 0 {
		cell = s.vec()
	}
	VCVTTPS2DQ(v, cell)
	VPMINSD(p.of(6+a), cell, cell)
	VCVTDQ2PS(cell, low)
	VSUBPS(low, v, v)
	if a > 0 {
		VPMULLD(p.of(8+a), cell, cell)
		VPADDD(cell, place, place)
	}
}

// locate turns positions into cells and weights. Cells that are known before anything
// is read of them let the processor read ahead, which the long way from a position to
// an address would keep it from.
func (s set) locate() {
	s.text("locate", "cells *int32, wx, wy, wz, x, y, z *float32, f *[6]float32, c *[6]int32, n int)",
		"the cells and the weights of points; n is a multiple of 16. f: offset, last position; c: last cell, steps of y and z.")
	cells, p := ptr("cells"), s.splitter()
	var from, to [3]reg.GPVirtual
	for a, name := range []string{"x", "y", "z"} {
		from[a], to[a] = ptr(name), ptr("w"+name)
	}
	s.blocks("", size("n"), func(i reg.GPVirtual, off int) {
		place := s.vec()
		for a := range 3 {
			v := s.vec()
			VMOVUPS(idx(from[a], i, off), v)
			p.split(a, v, place)
			VMOVUPS(v, idx(to[a], i, off))
		}
		s.keep(place, idx(cells, i, off), nil)
	}, nil)
	leave()
}

// trails walks runs {from, n, to int32, x, y, z float32} of points.
func (s set) trails(begin func(list reg.GPVirtual), body func(i reg.GPVirtual, off int, only *mask), step func()) {
	list, count, n := ptr("runs"), ptr("count"), GP64()
	Label("run")
	begin(list)
	MOVLQSX(at(list, 4), n)
	s.ragged(n, body, step)
	ADDQ(Imm(24), list)
	DECQ(count)
	JNE(LabelRef("run"))
	leave()
}

// row is how far apart the rows of a batch are.
const row = 4 * 512

// startOf is where values begin that a run's number in a list counts from.
func startOf(name string, list reg.GPVirtual, number int, to reg.GPVirtual) {
	MOVLQSX(at(list, 4*number), to)
	LEAQ(Mem{Base: ptr(name), Index: to, Scale: 4}, to)
}

// led finds the spots of points that were moved, for a list of runs: what lies between
// needs no memory. The cells of spots lie before their weights, a batch each. Points
// are moved by two halves of ways, or by h times the batch's own velocities.
func (s set) led(how string) {
	switch how {
	case "led":
		s.text(how, "spots *int32, ax, ay, az *float32, step int, f *[6]float32, c *[6]int32, runs *int32, count int)",
			"the cells and the weights of the points of runs, moved by the sum of two halves of ways: those at a and step before.")
	case "ledTo":
		s.text(how, "spots *int32, points, ax, ay, az *float32, step int, f *[6]float32, c *[6]int32, runs *int32, count int)",
			"led, and the points.")
	case "aheadOf":
		s.text(how, "spots *int32, by *float32, h float32, f *[6]float32, c *[6]int32, runs *int32, count int)",
			"the cells and the weights of the points of runs, moved by h times what a batch holds of each.")
	}
	p := s.splitter()
	var h reg.VecVirtual
	if how == "aheadOf" {
		h = s.broadcast("h")
	}
	var a, b [3]reg.GPVirtual
	for c := range a {
		a[c], b[c] = GP64(), GP64()
	}
	spots, kept, index := GP64(), GP64(), s.vec()
	var base [3]reg.VecVirtual
	s.trails(func(list reg.GPVirtual) {
		for c, name := range []string{"ax", "ay", "az"} {
			if how == "aheadOf" {
				startOf("by", list, 2, a[c])
				ADDQ(U32(c*row), a[c])
				continue
			}
			startOf(name, list, 0, a[c])
			step := size("step")
			MOVQ(a[c], b[c])
			SUBQ(step, b[c])
		}
		startOf("spots", list, 2, spots)
		if how == "ledTo" {
			startOf("points", list, 2, kept)
		}
		VMOVUPS(iota16, index)
		for c := range base {
			base[c] = s.each(list, 3+c, false)
		}
	}, func(i reg.GPVirtual, off int, only *mask) {
		place := s.vec()
		for c := range a {
			v := s.load(idx(a[c], i, off), only)
			if how == "aheadOf" {
				VMULPS(h, v, v)
			} else {
				VADDPS(s.load(idx(b[c], i, off), only), v, v)
			}
			if c > 0 {
				VADDPS(v, base[c], v)
			} else {
				t := s.vec()
				VADDPS(index, base[0], t)
				VADDPS(v, t, v)
				VADDPS(s.constant(float32(s.wide/4)), index, index)
			}
			if how == "ledTo" {
				s.store(v, idx(kept, i, off+c*row), only)
			}
			p.split(c, v, place)
			s.store(v, idx(spots, i, off+(1+c)*row), only)
		}
		s.keep(place, idx(spots, i, off), only)
	}, nil)
}

// depart puts a batch's values, times q, where runs are from.
func (s set) depart() {
	s.text("depart", "x, y, z, src *float32, q float32, runs *int32, count int)", "x, y and z from each run's place on = q times three rows of a batch.")
	q, src := s.broadcast("q"), GP64()
	var dst [3]reg.GPVirtual
	for c := range dst {
		dst[c] = GP64()
	}
	s.trails(func(list reg.GPVirtual) {
		for c, name := range []string{"x", "y", "z"} {
			startOf(name, list, 0, dst[c])
		}
		startOf("src", list, 2, src)
	}, func(i reg.GPVirtual, off int, only *mask) {
		for c := range dst {
			v := s.load(idx(src, i, off+c*row), only)
			VMULPS(q, v, v)
			s.store(v, idx(dst[c], i, off), only)
		}
	}, nil)
}

// keep stores whole numbers.
func (s set) keep(v reg.VecVirtual, m Mem, only *mask) {
	switch {
	case s.parts == 1 && only == nil:
		VMOVDQU32(v, m)
	case s.parts == 1:
		VMOVDQU32(v, only.k, m)
	case only == nil:
		VMOVDQU(v, m)
	default:
		VPMASKMOVD(v, only.y, m)
	}
}

// fill puts a whole number into all lanes.
func (s set) fill(v reg.Register) reg.VecVirtual {
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

// lane fills the mask of one of eight pairs.
func (p *sampler) lane(l int) {
	bit := GP32()
	MOVL(U32(1<<l), bit)
	KMOVB(bit, p.lanes[l])
}

func (p *sampler) label(name string) string { return fmt.Sprintf("%s%d", name, p.part) }

// row is where row r of the cell that begins at a value of the array begins.
func (p *sampler) row(r int, first reg.GPVirtual) Mem {
	return Mem{Base: p.rows[r], Index: first, Scale: 4}
}

// inLine reads the points of a block whose cells follow each other, as most do where
// the flow is calm: without a permutation. It goes on where they don't.
func (p *sampler) inLine(cells reg.VecVirtual, first reg.GPVirtual, out corner) {
	s := p.s
	run, begin := s.vec(), s.vec()
	other := p.label("scattered")
	VPBROADCASTD(p.cells, begin)
	VPSUBD(lane, cells, run)
	if s.parts == 1 {
		VPCMPEQD(begin, run, reg.K0)
		KORTESTW(reg.K0, reg.K0)
		JCC(LabelRef(other))
	} else {
		bits := GP32()
		VPCMPEQD(begin, run, run)
		VMOVMSKPS(run, bits)
		CMPL(bits, U32(0xff))
		JNE(LabelRef(other))
	}
	p.mixRows(out, func(r int) (a, b reg.VecVirtual) {
		a, b = s.vec(), s.vec()
		VMOVUPS(p.row(r, first), a)
		VMOVUPS(p.row(r, first).Offset(4), b)
		return a, b
	})
	JMP(LabelRef(p.label("found")))
	Label(other)
}

// near reads the points of a block whose cells are not far apart in the array, mostly
// in one row: what it loads of each row is put into lanes by a permutation. Where they
// are, it jumps to far. On the way it tries inLine.
func (p *sampler) near(far string) corner {
	s := p.s
	size, before := s.window()
	var out corner
	for r := range out.mixed {
		out.mixed[r] = s.vec()
	}
	if p.ranges {
		out.lo, out.hi = s.vec(), s.vec()
	}
	cells, first, limit, none := s.vec(), GP64(), GP32(), GP32()
	if s.parts == 1 {
		VMOVDQU32(p.cells, cells)
	} else {
		VMOVDQU(p.cells, cells)
	}
	MOVL(p.cells, first.As32())
	p.inLine(cells, first, out)
	MOVL(at(ptr("c"), 20), limit)
	TESTL(limit, limit)
	JLT(LabelRef(far))
	// a window that begins a little before the first point's cell, within the array
	SUBL(U8(before), first.As32())
	XORL(none, none)
	TESTL(first.As32(), first.As32())
	CMOVLLT(none, first.As32())
	CMPL(first.As32(), limit)
	CMOVLGT(limit, first.As32())
	// whether all points lie in it
	d, reach := s.vec(), s.vec()
	VPSUBD(s.fill(first.As32()), cells, d)
	VPBROADCASTD(whole(uint32(size-2)), reach)
	if s.parts == 1 {
		VPCMPUD(Imm(2), reach, d, reg.K0)
		KORTESTW(reg.K0, reg.K0)
		JCC(LabelRef(far))
	} else {
		bits := GP32()
		VPMINUD(d, reach, reach)
		VPCMPEQD(d, reach, reach)
		VMOVMSKPS(reach, bits)
		CMPL(bits, U32(0xff))
		JNE(LabelRef(far))
	}
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
	p.mixRows(out, func(r int) (a, b reg.VecVirtual) {
		a, b = s.vec(), s.vec()
		upper, m := s.vec(), p.row(r, first)
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

// mixRows mixes along x what fetch reads of each of the four rows of cells, and keeps
// the range.
func (p *sampler) mixRows(out corner, fetch func(r int) (a, b reg.VecVirtual)) {
	for r := range out.mixed {
		a, b := fetch(r)
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
			first := GP64()
			MOVL(p.cells.Offset(4*lane), first.As32())
			for r := range reads {
				m, to := p.row(r, first), reads[r][h]
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
func (p *sampler) far(out corner) {
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

func (s set) sample(name string) {
	ranges, limit := name == "sampleRange", name == "sampleLimit"
	args, doc := "dst, ", "dst = the lattice between its points; n is a multiple of 16. c[5]: last value that a window may begin with; dy, dz: the steps, 0 where there is one row or plane."
	switch {
	case ranges:
		args, doc = "dst, lo, hi, ", "sample, and the least and the largest of the eight points round."
	case limit:
		args, doc = "dst, first, lo, hi, ", "dst = first + ½ (dst − sample), and first where that leaves [lo, hi]."
	}
	s.text(name, args+"data *float32, cells *int32, wx, wy, wz *float32, c *[6]int32, dy, dz, n int)", doc)
	p := &sampler{s: s, ranges: ranges}
	data, dy, dz := ptr("data"), size("dy"), size("dz")
	for r := range p.rows {
		p.rows[r] = GP64()
	}
	MOVQ(data, p.rows[0])
	LEAQ(Mem{Base: data, Index: dy, Scale: 1}, p.rows[1])
	ADDQ(dz, data)
	MOVQ(data, p.rows[2])
	LEAQ(Mem{Base: data, Index: dy, Scale: 1}, p.rows[3])
	if s.parts == 1 {
		p.evens, p.odds = s.vec(), s.vec()
		VMOVUPS(evens, p.evens)
		VMOVUPS(odds, p.odds)
		for l := 1; l < 8; l++ {
			p.lanes[l] = K()
			p.lane(l)
		}
	}
	cells := ptr("cells")
	// other pointers are read anew each time round: the registers are needed
	i := GP64()
	XORQ(i, i)
	JMP(LabelRef("test"))
	Label("loop")
	for p.part = range s.parts {
		off := p.part * s.wide
		p.cells = idx(cells, i, off)
		for a, name := range []string{"wx", "wy", "wz"} {
			v := s.vec()
			VMOVUPS(idx(ptr(name), i, off), v)
			p.weights[a] = v
		}
		out := p.near(p.label("far"))
		Label(p.label("far"))
		p.far(out)
		Label(p.label("found"))
		if ranges {
			VMOVUPS(out.lo, idx(ptr("lo"), i, off))
			VMOVUPS(out.hi, idx(ptr("hi"), i, off))
		}
		v := p.mix(out.mixed)
		if limit {
			row := func(name string) Mem { return idx(ptr(name), i, off) }
			// all masks are taken: one is lent and given back
			var lent reg.Register
			if s.parts == 1 {
				lent = p.lanes[1]
			}
			v = s.limited(v, row("dst"), row("first"), row("lo"), row("hi"), lent)
			if s.parts == 1 {
				p.lane(1)
			}
		}
		VMOVUPS(v, idx(ptr("dst"), i, off))
	}
	ADDQ(Imm(block), i)
	Label("test")
	n := size("n")
	CMPQ(i, n)
	JLT(LabelRef("loop"))
	leave()
}
