package main

import (
	. "github.com/mmcloughlin/avo/build"
	. "github.com/mmcloughlin/avo/operand"
	"github.com/mmcloughlin/avo/reg"
)

// Kernels on float64, 16 values a block like the others: two registers of AVX-512, four
// of AVX2.

// wides walks the registers of a block: m finds a part's values of a row of float32,
// w those of a row of float64.
func (s set) wides(n reg.GPVirtual, body func(part int, m, w func(p reg.GPVirtual) Mem)) {
	s.blocks("", n, func(i reg.GPVirtual, off int) {
		for h := range 2 {
			o := off + h*s.wide/2
			body(2*off/s.wide+h, func(p reg.GPVirtual) Mem { return idx(p, i, o) },
				func(p reg.GPVirtual) Mem { return Mem{Base: p, Index: i, Scale: 2, Disp: 2 * o} })
		}
	}, nil)
}

// wide is a part of a row of float32 as float64.
func (s set) widened(m Mem) reg.VecVirtual {
	v := s.vec()
	VCVTPS2PD(m, v)
	return v
}

// narrow stores float64 as float32.
func (s set) narrow(v reg.VecVirtual, m Mem) {
	if s.parts == 1 {
		w := YMM()
		VCVTPD2PS(v, w)
		VMOVUPS(w, m)
		return
	}
	w := XMM()
	VCVTPD2PSY(v, w)
	VMOVUPS(w, m)
}

func (s set) widen(add bool) {
	name, doc := "widen", "dst = a in float64, for whole blocks."
	if add {
		name, doc = "addWide", "dst += a in float64, for whole blocks."
	}
	s.text(name, "dst *float64, a *float32, n int)", doc)
	dst, a := ptr("dst"), ptr("a")
	s.wides(size("n"), func(_ int, m, w func(reg.GPVirtual) Mem) {
		v := s.widened(m(a))
		if add {
			VADDPD(w(dst), v, v)
		}
		VMOVUPD(v, w(dst))
	})
	leave()
}

func (s set) narrowed() {
	s.text("narrow", "dst *float32, a *float64, n int)", "dst = a in float32, for whole blocks.")
	dst, a := ptr("dst"), ptr("a")
	s.wides(size("n"), func(_ int, m, w func(reg.GPVirtual) Mem) {
		v := s.vec()
		VMOVUPD(w(a), v)
		s.narrow(v, m(dst))
	})
	leave()
}

func (s set) wideResidual() {
	s.text("wideResidual", "res *float32, x *float64, b, diag *float32, sy, sz, n int, acc *[16]float64)",
		"res = b − A x where diag isn't 0, else 0, and Σ res² by lane before rounding, in float64, for whole blocks; all weights are 1.")
	res, x, b, diag, sy, sz := ptr("res"), ptr("x"), ptr("b"), ptr("diag"), ptr("sy"), ptr("sz")
	SHLQ(Imm(3), sy)
	SHLQ(Imm(3), sz)
	ym, yp, zm, zp := GP64(), GP64(), GP64(), GP64()
	for _, p := range []struct{ low, high, by reg.GPVirtual }{{ym, yp, sy}, {zm, zp, sz}} {
		MOVQ(x, p.low)
		SUBQ(p.by, p.low)
		LEAQ(Mem{Base: x, Index: p.by, Scale: 1}, p.high)
	}
	var sums []reg.VecVirtual
	for range 2 * s.parts {
		sums = append(sums, s.zero())
	}
	none := s.zero()
	s.wides(size("n"), func(part int, m, w func(reg.GPVirtual) Mem) {
		pair := func(a, b Mem) reg.VecVirtual {
			v := s.vec()
			VMOVUPD(a, v)
			VADDPD(b, v, v)
			return v
		}
		v := pair(w(x).Offset(-8), w(x).Offset(8))
		VADDPD(pair(w(ym), w(yp)), v, v)
		VADDPD(pair(w(zm), w(zp)), v, v)
		d, r, t := s.widened(m(diag)), s.widened(m(b)), s.vec()
		VMULPD(w(x), d, t)
		VSUBPD(t, r, r)
		VADDPD(v, r, r)
		if s.parts == 1 {
			k := K()
			VCMPPD(Imm(4), none, d, k)
			VMOVAPD_Z(r, k, r)
		} else {
			VCMPPD(Imm(4), none, d, d)
			VANDPD(d, r, r)
		}
		s.narrow(r, m(res))
		VMULPD(r, r, r)
		VADDPD(r, sums[part], sums[part])
	})
	acc := ptr("acc")
	for p, v := range sums {
		VMOVUPD(v, at(acc, p*s.wide))
	}
	leave()
}
