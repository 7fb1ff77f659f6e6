package main

import (
	. "github.com/mmcloughlin/avo/build"
	. "github.com/mmcloughlin/avo/operand"
	"github.com/mmcloughlin/avo/reg"
)

// Kernels of light from a place on the points of a row.

// scalar loads an argument of 32 bits into a lane.
func scalar(name string) reg.VecVirtual {
	m, err := Param(name).Resolve()
	if err != nil {
		panic(err)
	}
	v := XMM()
	VMOVSS(m.Addr, v)
	return v
}

func (s set) depths() {
	s.text("depths", "dst, x, mean *float32, nx, ny, nz int, at, step, from, by, y, z, sy, sz float32, looks int)",
		"what lies in rows of a grid on the ways of 32 points, Σ mean(⌊p + i d⌋, ⌊y + i sy⌋, ⌊z + i sz⌋), with d = (at − x) step and p = (x − from) by + ½ d; beyond it 0. Rows are read up to 15 values beyond their ends.")
	dst, x, mean, nx, ny, nz := ptr("dst"), ptr("x"), ptr("mean"), ptr("nx"), ptr("ny"), ptr("nz")
	lanes := s.wide / 4
	sy, sz := scalar("sy"), scalar("sz")
	group, looks, j, k, row, c, left := GP64(), GP64(), GP64(), GP64(), GP64(), GP64(), GP64()
	minus := s.vec()
	if s.parts == 2 {
		VPCMPEQD(minus, minus, minus)
	}
	XORQ(group, group)
	Label("group")
	p, d, sum, t := s.vec(), s.vec(), s.zero(), s.vec()
	VMOVUPS(idx(x, group, 0), p)
	VSUBPS(p, s.broadcast("at"), d)
	VMULPS(s.broadcast("step"), d, d)
	VSUBPS(s.broadcast("from"), p, p)
	VMULPS(s.broadcast("by"), p, p)
	VMULPS(s.constant(0.5), d, t)
	VADDPS(t, p, p)
	y, z := scalar("y"), scalar("z")
	Load(Param("looks"), looks)
	Label("look")
	VCVTTSS2SIQ(y, j)
	CMPQ(j, ny)
	JAE(LabelRef("next"))
	VCVTTSS2SIQ(z, k)
	CMPQ(k, nz)
	JAE(LabelRef("next"))
	IMULQ(ny, k)
	ADDQ(j, k)
	IMULQ(nx, k)
	LEAQ(Mem{Base: mean, Index: k, Scale: 4}, row)
	cell := s.vec()
	VCVTTPS2DQ(p, cell)
	MOVQ(nx, left)
	XORQ(c, c)
	Label("part")
	rel, most, v := s.vec(), s.vec(), s.vec()
	first := XMM()
	VMOVD(c.As32(), first)
	VPBROADCASTD(first, rel)
	VPSUBD(rel, cell, rel)
	VMOVD(left.As32(), first)
	VPBROADCASTD(first, most)
	VMOVUPS(at(row, 0), v)
	VPERMPS(v, rel, v)
	if s.parts == 1 {
		in := K()
		// both below what is left and below the lanes, unsigned
		VPMINUD(s.number(uint32(lanes)), most, most)
		VPCMPUD(Imm(1), most, rel, in)
		VADDPS(v, sum, in, sum)
	} else {
		VPMINSD(s.number(uint32(lanes)), most, most)
		VPCMPGTD(rel, most, most)
		VPCMPGTD(minus, rel, rel)
		VPAND(rel, most, most)
		VPAND(v, most, most)
		VADDPS(most, sum, sum)
	}
	ADDQ(U32(uint32(s.wide)), row)
	ADDQ(U32(uint32(lanes)), c)
	SUBQ(U32(uint32(lanes)), left)
	JG(LabelRef("part"))
	Label("next")
	VADDPS(d, p, p)
	VADDSS(sy, y, y)
	VADDSS(sz, z, z)
	DECQ(looks)
	JNE(LabelRef("look"))
	VMOVUPS(sum, idx(dst, group, 0))
	ADDQ(U32(uint32(s.wide)), group)
	CMPQ(group, U32(128))
	JLT(LabelRef("group"))
	leave()
}

// number is a whole number in all lanes.
func (s set) number(v uint32) reg.VecVirtual {
	r := s.vec()
	VPBROADCASTD(whole(v), r)
	return r
}

func (s set) reach() {
	s.text("reach", "radii, way, tau, x *float32, at, across, one float32)",
		"how far 32 points are from a place: way = √((at − x)² + across), tau = way·tau, and radii = way·one.")
	radii, way, tau, x := ptr("radii"), ptr("way"), ptr("tau"), ptr("x")
	at_, across, one := s.broadcast("at"), s.broadcast("across"), s.broadcast("one")
	for o := 0; o < 128; o += s.wide {
		d, t := s.vec(), s.load(at(tau, o), nil)
		VMOVUPS(at(x, o), d)
		VSUBPS(d, at_, d)
		VMULPS(d, d, d)
		VADDPS(across, d, d)
		VSQRTPS(d, d)
		VMOVUPS(d, at(way, o))
		VMULPS(d, t, t)
		VMOVUPS(t, at(tau, o))
		VMULPS(one, d, d)
		VMOVUPS(d, at(radii, o))
	}
	leave()
}

func (s set) beam() {
	s.text("beam", "w, x, tau, pass *float32, share float32)",
		"how much of a ball's light comes to 32 points x radii away: w = share pass (1 + q/6 (1 + q/20 (1 + q/42 (1 + q/72))))/x², q = min(tau/x, 4)².")
	w, x, tau, pass := ptr("w"), ptr("x"), ptr("tau"), ptr("pass")
	share, four, one := s.broadcast("share"), s.constant(4), s.constant(1)
	for o := 0; o < 128; o += s.wide {
		r, q, v, t := s.load(at(x, o), nil), s.load(at(tau, o), nil), s.vec(), s.vec()
		VDIVPS(r, q, q)
		VMINPS(four, q, q)
		VMULPS(q, q, q)
		VMOVAPS(one, v)
		for _, n := range []float32{1.0 / 72, 1.0 / 42, 1.0 / 20, 1.0 / 6} {
			VMULPS(s.constant(n), q, t)
			VMULPS(t, v, v)
			VADDPS(one, v, v)
		}
		VMULPS(at(pass, o), v, v)
		VMULPS(share, v, v)
		VMULPS(r, r, r)
		VDIVPS(r, v, v)
		VMOVUPS(v, at(w, o))
	}
	leave()
}

func (s set) receive() {
	s.text("receive", "sum, flux, w, way, x *float32, light, at *[3]float32, bright float32)",
		"sum += w light and flux −= w bright/(way + 10⁻⁹) (at − x), of 32 points in three rows each; at's y and z are the way itself.")
	sum, flux, w, way, x, light, place := ptr("sum"), ptr("flux"), ptr("w"), ptr("way"), ptr("x"), ptr("light"), ptr("at")
	bright, tiny := s.broadcast("bright"), s.constant(1e-9)
	var l, to [3]reg.VecVirtual
	for c := range 3 {
		l[c], to[c] = s.each(light, c, false), s.each(place, c, false)
	}
	for o := 0; o < 128; o += s.wide {
		v, k, t, d := s.load(at(w, o), nil), s.load(at(way, o), nil), s.vec(), s.vec()
		for c := range 3 {
			VMULPS(l[c], v, t)
			VADDPS(at(sum, 128*c+o), t, t)
			VMOVUPS(t, at(sum, 128*c+o))
		}
		VADDPS(tiny, k, k)
		VMULPS(bright, v, v)
		VDIVPS(k, v, v)
		for c := range 3 {
			VMOVAPS(to[c], d)
			if c == 0 {
				VSUBPS(at(x, o), d, d)
			}
			VMULPS(v, d, d)
			VMOVUPS(at(flux, 128*c+o), t)
			VSUBPS(d, t, t)
			VMOVUPS(t, at(flux, 128*c+o))
		}
	}
	leave()
}
