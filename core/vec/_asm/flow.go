package main

import (
	. "github.com/mmcloughlin/avo/build"
	. "github.com/mmcloughlin/avo/operand"
	"github.com/mmcloughlin/avo/reg"
)

// Kernels of a step of gas, on rows of any length.

// pair is a + b of two rows' values.
func (s set) pair(a, b Mem, only *mask) reg.VecVirtual {
	u, v := s.load(a, only), s.load(b, only)
	VADDPS(v, u, u)
	return u
}

// less is a − b.
func (s set) less(a, b Mem, only *mask) reg.VecVirtual {
	u, v := s.load(a, only), s.load(b, only)
	VSUBPS(v, u, u)
	return u
}

func (s set) add() {
	s.text("add", "dst, a, b *float32, n int)", "dst = a + b, of any length.")
	dst, a, b := ptr("dst"), ptr("a"), ptr("b")
	s.ragged(ptr("n"), func(i reg.GPVirtual, off int, only *mask) {
		s.store(s.pair(idx(a, i, off), idx(b, i, off), only), idx(dst, i, off), only)
	}, nil)
	leave()
}

func (s set) mean(add bool) {
	name, doc := "mean", "dst = ½ (a + b), of any length."
	if add {
		name, doc = "addMean", "dst += ½ (a + b), of any length."
	}
	s.text(name, "dst, a, b *float32, n int)", doc)
	dst, a, b, half := ptr("dst"), ptr("a"), ptr("b"), s.constant(0.5)
	s.ragged(ptr("n"), func(i reg.GPVirtual, off int, only *mask) {
		v := s.pair(idx(a, i, off), idx(b, i, off), only)
		VMULPS(half, v, v)
		if add {
			VADDPS(s.load(idx(dst, i, off), only), v, v)
		}
		s.store(v, idx(dst, i, off), only)
	}, nil)
	leave()
}

func (s set) addTimes() {
	s.text("addTimes", "dst, a, b *float32, n int)", "dst += a b, of any length.")
	dst, a, b := ptr("dst"), ptr("a"), ptr("b")
	s.ragged(ptr("n"), func(i reg.GPVirtual, off int, only *mask) {
		v := s.load(idx(a, i, off), only)
		VMULPS(s.load(idx(b, i, off), only), v, v)
		VADDPS(s.load(idx(dst, i, off), only), v, v)
		s.store(v, idx(dst, i, off), only)
	}, nil)
	leave()
}

func (s set) times() {
	s.text("times", "dst, a *float32, s float32, n int)", "dst = s a, of any length.")
	dst, a, f := ptr("dst"), ptr("a"), s.broadcast("s")
	s.ragged(ptr("n"), func(i reg.GPVirtual, off int, only *mask) {
		v := s.load(idx(a, i, off), only)
		VMULPS(f, v, v)
		s.store(v, idx(dst, i, off), only)
	}, nil)
	leave()
}

func (s set) fall() {
	s.text("fall", "v, p, q *float32, share float32, n int)", "v −= share (p − q), of any length.")
	v, p, q, share := ptr("v"), ptr("p"), ptr("q"), s.broadcast("share")
	s.ragged(ptr("n"), func(i reg.GPVirtual, off int, only *mask) {
		d := s.less(idx(p, i, off), idx(q, i, off), only)
		VMULPS(share, d, d)
		u := s.load(idx(v, i, off), only)
		VSUBPS(d, u, u)
		s.store(u, idx(v, i, off), only)
	}, nil)
	leave()
}

func (s set) lift() {
	s.text("lift", "v, h0, h1, d0, d1 *float32, a, b, t float32, n int)", "v += ½ (a (h0/(h0 + t) + h1/(h1 + t)) − b (d0 + d1)), of any length.")
	v, h0, h1, d0, d1 := ptr("v"), ptr("h0"), ptr("h1"), ptr("d0"), ptr("d1")
	a, b, t, half := s.broadcast("a"), s.broadcast("b"), s.broadcast("t"), s.constant(0.5)
	least := s.coldest(t)
	s.ragged(ptr("n"), func(i reg.GPVirtual, off int, only *mask) {
		h, k, d := s.deficits(idx(h0, i, off), t, least, only), s.deficits(idx(h1, i, off), t, least, only), s.pair(idx(d0, i, off), idx(d1, i, off), only)
		VADDPS(k, h, h)
		VMULPS(a, h, h)
		VMULPS(b, d, d)
		VSUBPS(d, h, h)
		VMULPS(half, h, h)
		VADDPS(s.load(idx(v, i, off), only), h, h)
		s.store(h, idx(v, i, off), only)
	}, nil)
	leave()
}

// deficits are x/(x + t), x at least −0.99 t.
func (s set) deficits(from Mem, t, least reg.VecVirtual, only *mask) reg.VecVirtual {
	x, y := s.load(from, only), s.vec()
	VMAXPS(x, least, x) // of NaN it leaves x
	VADDPS(t, x, y)
	VDIVPS(y, x, x)
	return x
}

// coldest is −0.99 t.
func (s set) coldest(t reg.VecVirtual) reg.VecVirtual {
	v := s.vec()
	VMULPS(s.constant(-0.99), t, v)
	return v
}

func (s set) deficit() {
	s.text("deficit", "row *float32, t float32, n int)", "row = row/(row + t), row at least −0.99 t, of any length.")
	row, t := ptr("row"), s.broadcast("t")
	least := s.coldest(t)
	s.ragged(ptr("n"), func(i reg.GPVirtual, off int, only *mask) {
		s.store(s.deficits(idx(row, i, off), t, least, only), idx(row, i, off), only)
	}, nil)
	leave()
}

func (s set) warmth() {
	s.text("warmth", "row *float32, t float32, n int)", "row = t row/(1 − row), row at most 0.999, of any length.")
	row, t, one, most := ptr("row"), s.broadcast("t"), s.constant(1), s.constant(0.999)
	s.ragged(ptr("n"), func(i reg.GPVirtual, off int, only *mask) {
		x, y := s.load(idx(row, i, off), only), s.vec()
		VMINPS(x, most, x)
		VSUBPS(x, one, y)
		VMULPS(t, x, x)
		VDIVPS(y, x, x)
		s.store(x, idx(row, i, off), only)
	}, nil)
	leave()
}

func (s set) bend() {
	s.text("bend", "f, first *float32, up, down float32, n int)", "f = first + up max(f − first, 0) + down min(f − first, 0), of any length.")
	f, first, up, down, zero := ptr("f"), ptr("first"), s.broadcast("up"), s.broadcast("down"), s.zero()
	s.ragged(ptr("n"), func(i reg.GPVirtual, off int, only *mask) {
		g := s.load(idx(first, i, off), only)
		d, less := s.load(idx(f, i, off), only), s.vec()
		VSUBPS(g, d, d)
		VMULPS(down, d, less)
		s.raised(d, zero, less, up)
		VADDPS(less, g, g)
		s.store(g, idx(f, i, off), only)
	}, nil)
	leave()
}

// raised puts d times up where d is over zero into other.
func (s set) raised(d, zero, other, up reg.VecVirtual) {
	if s.parts == 1 {
		over := K()
		VCMPPS(Imm(1), d, zero, over) // zero < d
		VMULPS(up, d, over, other)
		return
	}
	over, more := s.vec(), s.vec()
	VCMPPS(Imm(1), d, zero, over)
	VMULPS(up, d, more)
	VBLENDVPS(over, more, other, other)
}

func (s set) diverge() {
	s.text("diverge", "dst, src, u, v0, v1, w0, w1 *float32, h float32, n int)", "dst = h src − (((u[i+1] − u[i]) + (v1 − v0)) + (w1 − w0)), of any length.")
	dst, src, u, v0, v1, w0, w1, h := ptr("dst"), ptr("src"), ptr("u"), ptr("v0"), ptr("v1"), ptr("w0"), ptr("w1"), s.broadcast("h")
	s.ragged(ptr("n"), func(i reg.GPVirtual, off int, only *mask) {
		d := s.less(idx(u, i, off+4), idx(u, i, off), only)
		e := s.less(idx(v1, i, off), idx(v0, i, off), only)
		VADDPS(e, d, d)
		e = s.less(idx(w1, i, off), idx(w0, i, off), only)
		VADDPS(e, d, d)
		e = s.load(idx(src, i, off), only)
		VMULPS(h, e, e)
		VSUBPS(d, e, e)
		s.store(e, idx(dst, i, off), only)
	}, nil)
	leave()
}

// from reads an argument's pointer anew: there aren't registers for all.
func from(name string, i reg.GPVirtual, off int) Mem { return idx(ptr(name), i, off) }

// row reads a pointer that lies sy bytes from an argument's.
func (s set) beside(name string, i reg.GPVirtual, off int) (before, after Mem) {
	sy, up, down := size("sy"), ptr(name), ptr(name)
	SUBQ(sy, down)
	ADDQ(sy, up)
	return idx(down, i, off), idx(up, i, off)
}

func (s set) curl() {
	s.text("curl", "wx, wy, wz, mag, u, ub, ua, v, vb, va, w *float32, sy int, inv float32, n int)",
		"ω and |ω| times inv of u, v, w, those below and above and in the rows beside, of any length.")
	inv := s.broadcast("inv")
	s.ragged(ptr("n"), func(i reg.GPVirtual, off int, only *mask) {
		var sum reg.VecVirtual
		part := func(to string, a, b, c, d Mem) {
			x := s.less(a, b, only)
			y := s.less(c, d, only)
			VSUBPS(y, x, x)
			VMULPS(inv, x, x)
			s.store(x, from(to, i, off), only)
			VMULPS(x, x, x)
			if sum == nil {
				sum = x
			} else {
				VADDPS(x, sum, sum)
			}
		}
		w0, w1 := s.beside("w", i, off)
		part("wx", w1, w0, from("va", i, off), from("vb", i, off))
		part("wy", from("ua", i, off), from("ub", i, off), from("w", i, off+4), from("w", i, off-4))
		u0, u1 := s.beside("u", i, off)
		part("wz", from("v", i, off+4), from("v", i, off-4), u1, u0)
		VSQRTPS(sum, sum)
		s.store(sum, from("mag", i, off), only)
	}, nil)
	leave()
}

func (s set) whirl(weighted bool) {
	name, more, doc := "whirl", "", "scale (∇m/|∇m| × ω), 0 where m has no slope; of any length."
	if weighted {
		name, more, doc = "whirlBy", ", by *float32, full float32", "whirl times by full, from 0 to 1."
	}
	s.text(name, "fx, fy, fz, m, mb, ma, wx, wy, wz *float32, sy int, scale float32, n int"+more+")", doc)
	scale, none, flat := s.broadcast("scale"), s.zero(), s.constant(1e-9)
	var full, one reg.VecVirtual
	if weighted {
		full, one = s.broadcast("full"), s.constant(1)
	}
	s.ragged(ptr("n"), func(i reg.GPVirtual, off int, only *mask) {
		x := s.less(from("m", i, off+4), from("m", i, off-4), only)
		m0, m1 := s.beside("m", i, off)
		y := s.less(m1, m0, only)
		z := s.less(from("ma", i, off), from("mb", i, off), only)
		l, t := s.vec(), s.vec()
		VMULPS(x, x, l)
		VMULPS(y, y, t)
		VADDPS(t, l, l)
		VMULPS(z, z, t)
		VADDPS(t, l, l)
		VSQRTPS(l, l)
		VDIVPS(l, scale, t)
		if s.parts == 1 {
			k := K()
			VCMPPS(Imm(1), flat, l, k)
			VMOVAPS(none, k, t)
		} else {
			VCMPPS(Imm(1), flat, l, l)
			VBLENDVPS(l, none, t, t)
		}
		if weighted {
			w := s.load(from("by", i, off), only)
			VMULPS(full, w, w)
			VMAXPS(none, w, w)
			VMINPS(one, w, w)
			VMULPS(w, t, t)
		}
		a, b, c := s.load(from("wx", i, off), only), s.load(from("wy", i, off), only), s.load(from("wz", i, off), only)
		cross := func(to string, p, q, r, o reg.VecVirtual) {
			u, v := s.vec(), s.vec()
			VMULPS(p, q, u)
			VMULPS(r, o, v)
			VSUBPS(v, u, u)
			VMULPS(t, u, u)
			s.store(u, from(to, i, off), only)
		}
		cross("fx", y, c, z, b)
		cross("fy", z, a, x, c)
		cross("fz", x, b, y, a)
	}, nil)
	leave()
}

// span finds the least and the largest of a row.
func (s set) span() {
	s.text("span", "row *float32, n int, lo, hi *[16]float32)", "the least and the largest by lane, beginning with what lo and hi hold; n is a multiple of 16.")
	row, n, least, most := ptr("row"), size("n"), ptr("lo"), ptr("hi")
	var lo, hi []reg.VecVirtual
	for p := range s.parts {
		a, b := s.vec(), s.vec()
		VMOVUPS(at(least, p*s.wide), a)
		VMOVUPS(at(most, p*s.wide), b)
		lo, hi = append(lo, a), append(hi, b)
	}
	s.blocks("", n, func(i reg.GPVirtual, off int) {
		v, p := s.vec(), off/s.wide
		VMOVUPS(idx(row, i, off), v)
		VMINPS(lo[p], v, lo[p]) // v < lo ? v : lo, so that NaN changes nothing
		VMAXPS(hi[p], v, hi[p])
	}, nil)
	for p := range s.parts {
		VMOVUPS(lo[p], at(least, p*s.wide))
		VMOVUPS(hi[p], at(most, p*s.wide))
	}
	leave()
}

func (s set) front() {
	s.text("front", "dst, fuel, x, ym, yp, zm, zp *float32, least, q, rate float32, n int)",
		"where fuel ≥ least, dst = v + (q Δv + g v (1 − v)), 0 under 1e-5 and at most 1; x begins a value before the first; of any length.")
	dst, fuel, x := ptr("dst"), ptr("fuel"), ptr("x")
	ym, yp, zm, zp := ptr("ym"), ptr("yp"), ptr("zm"), ptr("zp")
	least, q, g := s.broadcast("least"), s.broadcast("q"), s.broadcast("rate")
	six, one, faint, none := s.constant(6), s.constant(1), s.constant(1e-5), s.zero()
	s.ragged(ptr("n"), func(i reg.GPVirtual, off int, only *mask) {
		lap := s.pair(idx(x, i, off), idx(x, i, off+8), only)
		for _, p := range []reg.GPVirtual{ym, yp, zm, zp} {
			VADDPS(s.load(idx(p, i, off), only), lap, lap)
		}
		v, w := s.load(idx(x, i, off+4), only), s.vec()
		VMULPS(six, v, w)
		VSUBPS(w, lap, lap)
		VMULPS(q, lap, lap)
		VSUBPS(v, one, w)
		grown := s.vec()
		VMULPS(g, v, grown)
		VMULPS(w, grown, grown)
		VADDPS(grown, lap, lap)
		VADDPS(lap, v, v)
		var out, burns test
		s.either(1, v, faint, &out)
		s.choose(out, none, v)
		VMINPS(v, one, v) // NaN: v
		s.either(13, s.load(idx(fuel, i, off), only), least, &burns)
		to := s.load(idx(dst, i, off), only)
		s.choose(burns, v, to)
		s.store(to, idx(dst, i, off), only)
	}, nil)
	leave()
}
