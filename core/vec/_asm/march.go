package main

import (
	"fmt"

	. "github.com/mmcloughlin/avo/build"
	. "github.com/mmcloughlin/avo/operand"
	"github.com/mmcloughlin/avo/reg"
)

// Kernels of rays through bricks. Eight lanes do for both sets: what limits them is how
// many loads there are, and a look's four numbers fill no more.

// Of a brick: values an edge, and how far apart rows and planes are, in bytes.
const (
	brickEdge  = 9
	brickRow   = 8 * brickEdge
	brickPlane = brickRow * brickEdge
)

var shifted Mem

func init() { shifted = table("shifted", [16]uint32{0, 0, 1, 2, 3, 4, 5, 6}) }

// looks reads places along a ray. Eight are worked out at once, bricks, cells and how far
// along each, and then read one by one: along y, then z, then x.
func (s set) looks() {
	s.text("looks", "dst *float32, data *uint16, at *int32, way *[6]float32, top *[3]float32, c *[5]int32, limit int32, n int)",
		"what lies in bricks at start + i step, held to 0 to top, four halves a place; c: last cell, bricks to the next row and plane. Bricks beyond limit are read as the one there. n is counted up to a multiple of 4.")
	dst, data, where, way, top, c := ptr("dst"), ptr("data"), ptr("at"), ptr("way"), ptr("top"), ptr("c")
	n, limit := ptr("n"), GP64()
	Load(Param("limit"), limit.As32())
	room := AllocLocal(5*32 + 32)
	buf := GP64() // aligned
	LEAQ(room.Offset(31), buf)
	ANDQ(I32(-32), buf)
	lanes, ahead, none, seven := YMM(), YMM(), YMM(), YMM()
	VMOVUPS(iota16, lanes)
	VBROADCASTSS(float(8), ahead)
	VXORPS(none, none, none)
	VPBROADCASTD(whole(7), seven)
	Label("eight")
	brick, local := YMM(), YMM()
	for a := 2; a >= 0; a-- {
		x, cell, t := YMM(), YMM(), YMM()
		VBROADCASTSS(at(way, 12+4*a), x)
		VBROADCASTSS(at(way, 4*a), t)
		VMULPS(x, lanes, x)
		VADDPS(t, x, x)
		VMAXPS(none, x, x)
		VBROADCASTSS(at(top, 4*a), t)
		VMINPS(t, x, x)
		VCVTTPS2DQ(x, cell)
		VPBROADCASTD(at(c, 4*a), t)
		VPMINSD(t, cell, cell)
		VCVTDQ2PS(cell, t)
		VSUBPS(t, x, x)
		VMOVAPS(x, at(buf, 64+32*a))
		VPAND(seven, cell, t)
		VPSRLD(Imm(3), cell, cell)
		if a == 2 {
			brick, local = cell, t
			continue
		}
		nine := YMM()
		VPSLLD(Imm(3), local, nine)
		VPADDD(nine, local, local)
		VPADDD(t, local, local)
		step := YMM()
		if a == 1 {
			// both steps are known: the plane's here, the row's with y
			VPBROADCASTD(at(c, 16), step)
			VPMULLD(step, brick, brick)
			VPBROADCASTD(at(c, 12), step)
			VPMULLD(step, cell, cell)
		}
		VPADDD(cell, brick, brick)
	}
	VPSLLD(Imm(3), local, local)
	VMOVDQA(brick, at(buf, 0))
	VMOVDQA(local, at(buf, 32))
	VADDPS(ahead, lanes, lanes)
	for half := range 2 {
		for l := 4 * half; l < 4*half+4; l++ {
			here, o := GP64(), GP64()
			MOVL(at(buf, 4*l), here.As32())
			MOVL(Mem{Base: where, Index: here, Scale: 4}, here.As32())
			CMPL(here.As32(), limit.As32())
			CMOVLGT(limit.As32(), here.As32())
			LEAQ(Mem{Base: data, Index: here, Scale: 2}, here)
			MOVL(at(buf, 32+4*l), o.As32())
			ADDQ(o, here)
			f, near, far, t := YMM(), YMM(), YMM(), YMM()
			VBROADCASTSS(at(buf, 96+4*l), f)
			for z, v := range []reg.VecVirtual{near, far} {
				VCVTPH2PS(at(here, z*brickPlane), v)
				VCVTPH2PS(at(here, z*brickPlane+brickRow), t)
				VSUBPS(v, t, t)
				VMULPS(f, t, t)
				VADDPS(t, v, v)
			}
			VBROADCASTSS(at(buf, 128+4*l), f)
			VSUBPS(near, far, far)
			VMULPS(f, far, far)
			VADDPS(far, near, near)
			x := XMM()
			VEXTRACTF128(Imm(1), near, x)
			VBROADCASTSS(at(buf, 64+4*l), f.AsX())
			VSUBPS(near.AsX(), x, x)
			VMULPS(f.AsX(), x, x)
			VADDPS(x, near.AsX(), near.AsX())
			VMOVUPS(near.AsX(), at(dst, 16*l))
		}
		SUBQ(Imm(4), n)
		JLE(LabelRef("done"))
	}
	ADDQ(Imm(128), dst)
	JMP(LabelRef("eight"))
	Label("done")
	leave()
}

func (s set) turn() {
	s.text("turn", "dst, a *float32, scale *[4]float32, step, n int)", "four rows, step values apart, of four numbers a place, times scale. n is a multiple of 8.")
	scale := YMM()
	VBROADCASTF128(at(ptr("scale"), 0), scale)
	dst, a, step, i := ptr("dst"), ptr("a"), size("step"), GP64()
	n := size("n")
	XORQ(i, i)
	JMP(LabelRef("test"))
	Label("loop")
	// places 0 and 4, 1 and 5 … side by side, so that turning goes within halves
	var pair [4]reg.VecVirtual
	for p := range pair {
		pair[p] = YMM()
		m := Mem{Base: a, Index: i, Scale: 4, Disp: 16 * p}
		VMOVUPS(m, pair[p].AsX())
		VINSERTF128(Imm(1), m.Offset(64), pair[p], pair[p])
		VMULPS(scale, pair[p], pair[p])
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

func (s set) carry() {
	s.text("carry", "to, in, pass, mean, src, out *float32, wide, step, rows, n int, aim, share float32)",
		"with e = aim src: to = in pass + e (1 − pass), out = share (e + (in − e) mean), of rows of any length, wide values apart in to and in, and step values in others.")
	to, in, pass, mean, src, out := ptr("to"), ptr("in"), ptr("pass"), ptr("mean"), ptr("src"), ptr("out")
	aim, share, one := s.broadcast("aim"), s.broadcast("share"), s.constant(1)
	rows := ptr("rows")
	Label("row")
	s.ragged(ptr("n"), func(i reg.GPVirtual, off int, only *mask) {
		e, v, p := s.load(idx(src, i, off), only), s.load(idx(in, i, off), only), s.load(idx(pass, i, off), only)
		VMULPS(aim, e, e)
		m, d, t := s.load(idx(mean, i, off), only), s.vec(), s.vec()
		VSUBPS(e, v, d)
		VMULPS(m, d, d)
		VADDPS(e, d, d)
		VMULPS(share, d, d)
		s.store(d, idx(out, i, off), only)
		VSUBPS(p, one, t)
		VMULPS(e, t, t)
		VMULPS(v, p, p)
		VADDPS(t, p, p)
		s.store(p, idx(to, i, off), only)
	}, nil)
	wide, step := size("wide"), size("step")
	ADDQ(wide, to)
	ADDQ(wide, in)
	for _, p := range []reg.GPVirtual{pass, mean, src, out} {
		ADDQ(step, p)
	}
	DECQ(rows)
	JNE(LabelRef("row"))
	leave()
}

func (s set) collect() {
	s.text("collect", "dst, seen, parts, by *float32, step, count, n int)",
		"dst = Σ parts and seen += Σ parts·by of count rows step values apart, of any length.")
	dst, seen, parts, by, step, count := ptr("dst"), ptr("seen"), ptr("parts"), ptr("by"), size("step"), ptr("count")
	label := 0
	s.ragged(ptr("n"), func(i reg.GPVirtual, off int, only *mask) {
		label++
		loop := fmt.Sprintf("row%d", label)
		sum, eye, at, left := s.zero(), s.load(idx(seen, i, off), only), GP64(), GP64()
		LEAQ(Mem{Base: i, Disp: off}, at)
		MOVQ(count, left)
		Label(loop)
		v, w := s.load(idx(parts, at, 0), only), s.load(idx(by, at, 0), only)
		VADDPS(v, sum, sum)
		VMULPS(v, w, w)
		VADDPS(w, eye, eye)
		ADDQ(step, at)
		DECQ(left)
		JNZ(LabelRef(loop))
		s.store(sum, idx(dst, i, off), only)
		s.store(eye, idx(seen, i, off), only)
	}, nil)
	leave()
}

func (s set) flux() {
	s.text("flux", "x, y, z, parts *float32, dirs *float32, step, count, n int)",
		"x, y, z = Σ d·parts/max(Σ parts, 10⁻³⁰) of count rows step values apart, d three numbers of each; of any length.")
	to := [3]reg.GPVirtual{ptr("x"), ptr("y"), ptr("z")}
	parts, dirs, step, count := ptr("parts"), ptr("dirs"), size("step"), ptr("count")
	least := s.constant(1e-30)
	label := 0
	s.ragged(ptr("n"), func(i reg.GPVirtual, off int, only *mask) {
		label++
		loop := fmt.Sprintf("row%d", label)
		sum, at, left, dir := s.zero(), GP64(), GP64(), GP64()
		f := [3]reg.VecVirtual{s.zero(), s.zero(), s.zero()}
		LEAQ(Mem{Base: i, Disp: off}, at)
		MOVQ(count, left)
		MOVQ(dirs, dir)
		Label(loop)
		v := s.load(idx(parts, at, 0), only)
		VADDPS(v, sum, sum)
		for a := range f {
			w := s.each(dir, a, false)
			VMULPS(v, w, w)
			VADDPS(w, f[a], f[a])
		}
		ADDQ(step, at)
		ADDQ(Imm(12), dir)
		DECQ(left)
		JNZ(LabelRef(loop))
		VMAXPS(least, sum, sum)
		for a := range f {
			VDIVPS(sum, f[a], f[a])
			s.store(f[a], idx(to[a], i, off), only)
		}
	}, nil)
	leave()
}

func (s set) lean() {
	s.text("lean", "out, src, fx, fy, fz *float32, x, y, z float32, n int)", "out = src max(1 + ((x fx + y fy) + z fz), 0), of any length.")
	out, src := ptr("out"), ptr("src")
	from := [3]reg.GPVirtual{ptr("fx"), ptr("fy"), ptr("fz")}
	by := [3]reg.VecVirtual{s.broadcast("x"), s.broadcast("y"), s.broadcast("z")}
	one, none := s.constant(1), s.zero()
	s.ragged(ptr("n"), func(i reg.GPVirtual, off int, only *mask) {
		var f [3]reg.VecVirtual
		for a := range f {
			f[a] = s.load(idx(from[a], i, off), only)
			VMULPS(by[a], f[a], f[a])
		}
		VADDPS(f[1], f[0], f[0])
		VADDPS(f[2], f[0], f[0])
		VADDPS(one, f[0], f[0])
		VMAXPS(none, f[0], f[0])
		VMULPS(s.load(idx(src, i, off), only), f[0], f[0])
		s.store(f[0], idx(out, i, off), only)
	}, nil)
	leave()
}

func (s set) stretch() {
	s.text("stretch", "dst, a *float32, at *int32, f *float32, n int)",
		"four numbers each of n places between those at a + 4 at and the next ones, by f.")
	dst, a, where, f, n := ptr("dst"), ptr("a"), ptr("at"), ptr("f"), ptr("n")
	i, o := GP64(), GP64()
	XORQ(i, i)
	Label("loop")
	v, d, by := XMM(), XMM(), XMM()
	MOVLQSX(Mem{Base: where, Index: i, Scale: 4}, o)
	SHLQ(Imm(4), o)
	VMOVUPS(idx(a, o, 0), v)
	VMOVUPS(idx(a, o, 16), d)
	VBROADCASTSS(Mem{Base: f, Index: i, Scale: 4}, by)
	VSUBPS(v, d, d)
	VMULPS(by, d, d)
	VADDPS(v, d, d)
	VMOVUPS(d, Mem{Base: dst})
	ADDQ(Imm(16), dst)
	INCQ(i)
	CMPQ(i, n)
	JLT(LabelRef("loop"))
	leave()
}

func (s set) seen() {
	s.text("seen", "dst, kept, pass *float32, n int)", "(k + b + 4 √(k b))/6 with b = max(k − pass, 0), of any length.")
	dst, kept, pass := ptr("dst"), ptr("kept"), ptr("pass")
	none, four, sixth := s.zero(), s.constant(4), s.constant(1.0/6)
	s.ragged(ptr("n"), func(i reg.GPVirtual, off int, only *mask) {
		k, b, p := s.load(idx(kept, i, off), only), s.vec(), s.load(idx(pass, i, off), only)
		VSUBPS(p, k, b)
		VMAXPS(none, b, b)
		VMULPS(b, k, p)
		VSQRTPS(p, p)
		VMULPS(four, p, p)
		VADDPS(b, k, k)
		VADDPS(p, k, k)
		VMULPS(sixth, k, k)
		s.store(k, idx(dst, i, off), only)
	}, nil)
	leave()
}
