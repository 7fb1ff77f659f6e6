package main

import (
	. "github.com/mmcloughlin/avo/build"
	. "github.com/mmcloughlin/avo/operand"
	"github.com/mmcloughlin/avo/reg"
)

// column is how far apart the columns of a batch are.
const column = 4 * 256

// Where a placing holds what: offsets on four lattices, then shares on whole and on
// half positions.
const (
	wholeAt = 4 * column
	halfAt  = 7 * column
)

// Lanes of a register that holds a value and a weight for each of eight corners: a row
// of x after the other, y and then z.
var lowX, lowY, lowZ, highX, highY, highZ Mem

func init() {
	one := f32bits(1)
	var low, high [3][16]uint32
	for i := range 16 {
		for a, bit := range [3]int{i >> 1 & 1, i >> 2 & 1, i >> 3 & 1} {
			if bit == 0 {
				low[a][i] = one
			} else {
				high[a][i] = one
			}
		}
	}
	lowX, lowY, lowZ = table("lowX", low[0]), table("lowY", low[1]), table("lowZ", low[2])
	highX, highY, highZ = table("highX", high[0]), table("highY", high[1]), table("highZ", high[2])
}

// place finds the particles of a batch on the lattices of a staggered grid.
func (s set) place() {
	s.text("place", "to, x *float32, top *[3]float32, c *[5]int32, n int)",
		"where particles lie on four lattices, for whole blocks. top: how far the box goes; c: its last cell, steps of y and z.")
	to, x, top, c := ptr("to"), ptr("x"), ptr("top"), ptr("c")
	none, half, one := s.zero(), s.constant(0.5), s.vec()
	VPBROADCASTD(whole(1), one)
	s.blocks("", size("n"), func(i reg.GPVirtual, off int) {
		base := s.vec()
		var lower [3]reg.VecVirtual
		for a := range 3 {
			v, cell, share := s.vec(), s.vec(), s.vec()
			VMOVUPS(idx(x, i, a*column+off), v)
			VMAXPS(none, v, v)
			VMINPS(s.each(top, a, false), v, v)
			VCVTTPS2DQ(v, cell)
			VPMINSD(s.each(c, a, true), cell, cell)
			VCVTDQ2PS(cell, share)
			VSUBPS(share, v, share)
			VMOVUPS(share, idx(to, i, wholeAt+a*column+off))
			VADDPS(half, v, v)
			near := s.vec()
			VCVTTPS2DQ(v, near)
			VCVTDQ2PS(near, share)
			VSUBPS(share, v, share)
			VMOVUPS(share, idx(to, i, halfAt+a*column+off))
			// how far on the whole position's node is
			VPADDD(one, cell, cell)
			VPSUBD(near, cell, cell)
			if a > 0 {
				step := s.each(c, 2+a, true)
				VPMULLD(step, near, near)
				VPMULLD(step, cell, cell)
				VPADDD(near, base, base)
			} else {
				base = near
			}
			lower[a] = cell
		}
		for a := range lower {
			VPADDD(base, lower[a], lower[a])
			s.keep(lower[a], idx(to, i, a*column+off), nil)
		}
		s.keep(base, idx(to, i, 3*column+off), nil)
	}, nil)
	leave()
}

// nest reads and writes the eight corners of particles.
type nest struct {
	s                set
	at, sy, sz, m    reg.GPVirtual
	p, q             reg.GPVirtual // rows of the lower and the upper z
	low, high        [3]reg.VecVirtual
	sign, ones, both reg.VecVirtual
	values           reg.OpmaskVirtual
}

func (s set) nest() *nest {
	n := &nest{s: s, at: ptr("at"), sy: size("sy"), sz: size("sz"), m: GP64(), p: GP64(), q: GP64()}
	// nodes are pairs
	ADDQ(n.sy, n.sy)
	ADDQ(n.sz, n.sz)
	for a, m := range []Mem{lowX, lowY, lowZ} {
		n.low[a] = s.vec()
		VMOVUPS(m, n.low[a])
	}
	n.sign = s.vec()
	VPBROADCASTD(whole(0x7fffffff), n.sign)
	return n
}

// corner leads p and q to a particle's lower corner on a lattice.
func (n *nest) corner(a int, lattice string) {
	off := GP64()
	MOVL(idx(n.at, n.m, a*column), off.As32())
	LEAQ(Mem{Base: ptr(lattice), Index: off, Scale: 8}, n.p)
	LEAQ(Mem{Base: n.p, Index: n.sz, Scale: 1}, n.q)
}

// rows are the four rows of a corner, y before z.
func (n *nest) rows() [4]Mem {
	return [4]Mem{{Base: n.p}, {Base: n.p, Index: n.sy, Scale: 1}, {Base: n.q}, {Base: n.q, Index: n.sy, Scale: 1}}
}

// share is where a particle's share along an axis of a lattice lies.
func (n *nest) share(lattice, axis int) Mem {
	if lattice == axis {
		return idx(n.at, n.m, wholeAt+axis*column)
	}
	return idx(n.at, n.m, halfAt+axis*column)
}

// less is from − a value in memory.
func (n *nest) less(from reg.VecVirtual, m Mem) reg.VecVirtual {
	v := n.s.vec()
	if n.s.parts == 1 {
		VSUBPS_BCST(m, from, v)
		return v
	}
	VBROADCASTSS(m, v)
	VSUBPS(v, from, v)
	return v
}

// weights are those of the corners: |(low − f)| multiplied over the axes.
func (n *nest) weights(lattice int) []reg.VecVirtual {
	s := n.s
	w := n.less(n.low[0], n.share(lattice, 0))
	VMULPS(n.less(n.low[1], n.share(lattice, 1)), w, w)
	out := []reg.VecVirtual{w}
	if s.parts == 2 {
		out = append(out, s.vec())
		// the upper half of z: 0 − f
		f := n.less(s.zero(), n.share(lattice, 2))
		VMULPS(f, w, out[1])
	}
	VMULPS(n.less(n.low[2], n.share(lattice, 2)), w, w)
	for _, v := range out {
		s.and(n.sign, v, v)
	}
	return out
}

// scatter adds particles to lattices of pairs: Σ w v and Σ w.
func (s set) scatter(affine bool) {
	name, args, doc := "scatter", "", "adding n particles to the corners round them on four lattices of pairs. sy, sz: steps in nodes."
	if affine {
		name, args, doc = "scatterSlopes", ", slopes *float32", "scatter, of values that change with the place by a slope."
	}
	s.text(name, "l0, l1, l2, l3, at, v *float32"+args+", sy, sz, n int)", doc)
	n := s.nest()
	v, count, stride, first := ptr("v"), size("n"), GP64(), GP64()
	slope := GP64()
	if s.parts == 1 {
		bits := GP32()
		MOVL(U32(0x5555), bits)
		n.values = K()
		KMOVW(bits, n.values)
	} else {
		n.ones = s.constant(1)
	}
	if affine {
		for a, m := range []Mem{highX, highY, highZ} {
			n.high[a] = s.vec()
			VMOVUPS(m, n.high[a])
		}
	}
	// Neighbours in the list mostly share corners, and an addition to what the last has
	// only just stored has to wait: so eight streams are taken in turn.
	LEAQ(at(count, 28), stride)
	SHRQ(Imm(5), stride)
	SHLQ(Imm(2), stride)
	XORQ(first, first)
	JMP(LabelRef("test"))
	Label("loop")
	MOVQ(first, n.m)
	Label("stream")
	if affine {
		// 36 bytes a particle, and m counts four
		LEAQ(Mem{Base: n.m, Index: n.m, Scale: 8}, slope)
		ADDQ(ptr("slopes"), slope)
	}
	for l, name := range []string{"l0", "l1", "l2", "l3"} {
		n.corner(l, name)
		w := n.weights(l)
		for p := range w {
			n.value(w[p], p, l, v, slope, affine && l < 3)
		}
		n.add(w)
	}
	ADDQ(stride, n.m)
	CMPQ(n.m, count)
	JLT(LabelRef("stream"))
	ADDQ(Imm(4), first)
	Label("test")
	CMPQ(first, stride)
	JLT(LabelRef("loop"))
	leave()
}

// value multiplies the first of each pair of weights by a particle's value.
func (n *nest) value(w reg.VecVirtual, part, l int, v, slope reg.GPVirtual, affine bool) {
	s, m := n.s, idx(v, n.m, l*column)
	if !affine && s.parts == 1 {
		VMULPS_BCST(m, w, n.values, w)
		return
	}
	x := s.vec()
	VBROADCASTSS(m, x)
	if affine {
		for a := range 3 {
			far := n.high[a]
			if s.parts == 2 && a == 2 {
				if far = s.zero(); part == 1 {
					far = n.ones
				}
			}
			d, c := n.less(far, n.share(l, a)), at(slope, 4*(3*l+a))
			if s.parts == 1 {
				VMULPS_BCST(c, d, d)
			} else {
				t := s.vec()
				VBROADCASTSS(c, t)
				VMULPS(t, d, d)
			}
			VADDPS(d, x, x)
		}
	}
	if s.parts == 1 {
		VMULPS(x, w, n.values, w)
		return
	}
	VBLENDPS(Imm(0xaa), n.ones, x, x)
	VMULPS(x, w, w)
}

// add adds rows of pairs to a lattice.
func (n *nest) add(w []reg.VecVirtual) {
	for r, m := range n.rows() {
		x := XMM()
		switch {
		case n.s.parts == 1 && r > 0:
			VEXTRACTF32X4(Imm(uint64(r)), w[0], x)
			VADDPS(m, x, x)
		case r&1 == 1:
			VEXTRACTF128(Imm(1), w[r>>1], x)
			VADDPS(m, x, x)
		default:
			VADDPS(m, w[r>>1%len(w)].AsX(), x)
		}
		VMOVUPS(x, m)
	}
}

// lead goes on along what was read.
func (s set) lead() {
	s.text("lead", "y, sum, x, k *float32, ahead, share float32, n int)", "sum += share k, y = x + ahead k, for whole blocks.")
	y, sum, x, k := ptr("y"), ptr("sum"), ptr("x"), ptr("k")
	ahead, share := s.broadcast("ahead"), s.broadcast("share")
	s.blocks("", size("n"), func(i reg.GPVirtual, off int) {
		v, t := s.vec(), s.vec()
		VMOVUPS(idx(k, i, off), v)
		VMULPS(share, v, t)
		VADDPS(idx(sum, i, off), t, t)
		VMOVUPS(t, idx(sum, i, off))
		VMULPS(ahead, v, v)
		VADDPS(idx(x, i, off), v, v)
		VMOVUPS(v, idx(y, i, off))
	}, nil)
	leave()
}

// moveWithin goes on by no more than a limit.
func (s set) moveWithin() {
	s.text("moveWithin", "x, k *float32, limit float32, n int)", "x += k, no further than limit to either side, for whole blocks.")
	x, k := ptr("x"), ptr("k")
	top, low := s.broadcast("limit"), s.zero()
	VSUBPS(top, low, low)
	s.blocks("", size("n"), func(i reg.GPVirtual, off int) {
		v := s.vec()
		VMOVUPS(idx(k, i, off), v)
		VMAXPS(low, v, v)
		VMINPS(top, v, v)
		VADDPS(idx(x, i, off), v, v)
		VMOVUPS(v, idx(x, i, off))
	}, nil)
	leave()
}

// cells counts cells.
func (s set) cells() {
	s.text("cells", "to *int32, x *float32, c *[5]int32, n int)", "the cells of particles within a box, for whole blocks. c: the last cell, steps of y and z.")
	to, x, c := ptr("to"), ptr("x"), ptr("c")
	s.blocks("", size("n"), func(i reg.GPVirtual, off int) {
		sum := s.vec()
		for a := range 3 {
			cell := s.vec()
			VCVTTPS2DQ(idx(x, i, a*column+off), cell)
			VPMINSD(s.each(c, a, true), cell, cell)
			if a == 0 {
				sum = cell
				continue
			}
			VPMULLD(s.each(c, 2+a, true), cell, cell)
			VPADDD(cell, sum, sum)
		}
		s.keep(sum, idx(to, i, off), nil)
	}, nil)
	leave()
}

// columns turns eight records of eight numbers at a time, either way.
func (s set) columns(back bool) {
	if back {
		s.text("records", "dst, src *float32, n int)", "records of eight numbers out of columns, for n times eight of them.")
	} else {
		s.text("columns", "dst, src *float32, n int)", "columns out of records of eight numbers, for n times eight of them.")
	}
	dst, src, n := ptr("dst"), ptr("src"), ptr("n")
	rec, col := src, dst
	if back {
		rec, col = dst, src
	}
	JMP(LabelRef("test"))
	Label("loop")
	var r, t [8]reg.VecVirtual
	for i := range r {
		r[i] = YMM()
		if back {
			VMOVUPS(at(col, i*column), r[i])
		} else {
			VMOVUPS(at(rec, 32*i), r[i])
		}
	}
	for i := range 4 {
		t[2*i], t[2*i+1] = YMM(), YMM()
		VUNPCKLPS(r[2*i+1], r[2*i], t[2*i])
		VUNPCKHPS(r[2*i+1], r[2*i], t[2*i+1])
	}
	for i := range 2 {
		a, b := t[4*i:4*i+2], t[4*i+2:4*i+4]
		for h := range 2 {
			r[4*i+2*h], r[4*i+2*h+1] = YMM(), YMM()
			VSHUFPS(Imm(0x44), b[h], a[h], r[4*i+2*h])
			VSHUFPS(Imm(0xee), b[h], a[h], r[4*i+2*h+1])
		}
	}
	for i := range 8 {
		v := YMM()
		sel := uint64(0x20)
		if i >= 4 {
			sel = 0x31
		}
		VPERM2F128(Imm(sel), r[4+i%4], r[i%4], v)
		if back {
			VMOVUPS(v, at(rec, 32*i))
		} else {
			VMOVUPS(v, at(col, i*column))
		}
	}
	ADDQ(U32(256), rec)
	ADDQ(Imm(32), col)
	DECQ(n)
	Label("test")
	TESTQ(n, n)
	JNE(LabelRef("loop"))
	leave()
}
