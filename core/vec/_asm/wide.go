package main

import (
	. "github.com/mmcloughlin/avo/build"
	. "github.com/mmcloughlin/avo/operand"
	"github.com/mmcloughlin/avo/reg"
)

// Kernels on float64, 16 values a block like the others: two registers of AVX-512, four
// of AVX2.

// wides walks the parts of a block that fill a register as float64.
func (s set) wides(n reg.GPVirtual, body func(part int, i reg.GPVirtual, off int)) {
	s.blocks("", n, func(i reg.GPVirtual, off int) {
		for h := range 2 {
			body(2*off/s.wide+h, i, off+h*s.wide/2)
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

// wideResidual is of a solution in one row of float32 or, with low, the sum of two; with
// weighted faces have weights, else they all weigh 1.
func (s set) wideResidual(low, weighted bool) {
	name, more, sum, weights, doc := "wideResidual", "", "x", "", "all weights are 1"
	if weighted {
		name, weights, doc = name+"Cut", ", wx, wy, wz", "wx, wy and wz weigh the lower faces"
	}
	if low {
		name, more, sum = name+"2", "y, ", "(x + y)"
	}
	s.text(name, "res, x, "+more+"b, diag"+weights+" *float32, sy, sz, n int, acc *[16]float64)",
		"res = b − A "+sum+" where diag isn't 0, else 0, and Σ res² by lane before rounding, in float64, for whole blocks; "+doc+".")
	n := size("n")
	from, here := []reg.GPVirtual{ptr("x")}, []reg.GPVirtual{GP64()}
	if low {
		from, here = append(from, ptr("y")), append(here, GP64())
	}
	var apart [2][2]reg.GPVirtual // rows and planes, back and forth
	for i, of := range []string{"sy", "sz"} {
		apart[i] = [2]reg.GPVirtual{GP64(), size(of)}
		XORQ(apart[i][0], apart[i][0])
		SUBQ(apart[i][1], apart[i][0])
	}
	var sums []reg.VecVirtual
	for range 2 * s.parts {
		sums = append(sums, s.zero())
	}
	none := s.zero()
	s.wides(n, func(part int, i reg.GPVirtual, off int) {
		// other pointers are read anew each time round: the registers are needed
		m := func(name string) Mem { return idx(ptr(name), i, off) }
		for h := range here {
			LEAQ(idx(from[h], i, off), here[h])
		}
		value := func(of func(p reg.GPVirtual) Mem) reg.VecVirtual {
			v := s.widened(of(here[0]))
			if low {
				VADDPD(s.widened(of(here[1])), v, v)
			}
			return v
		}
		near := func(by int) func(p reg.GPVirtual) Mem { return func(p reg.GPVirtual) Mem { return at(p, by) } }
		away := func(by reg.GPVirtual) func(p reg.GPVirtual) Mem {
			return func(p reg.GPVirtual) Mem { return idx(p, by, 0) }
		}
		weigh := func(v, w reg.VecVirtual, name string, up func(p reg.GPVirtual) Mem) {
			if !weighted {
				return
			}
			face := GP64()
			LEAQ(m(name), face)
			VMULPD(s.widened(at(face, 0)), v, v)
			VMULPD(s.widened(up(face)), w, w)
		}
		v, w := value(near(-4)), value(near(4))
		weigh(v, w, "wx", near(4))
		VADDPD(w, v, v)
		for a, by := range apart {
			w, u := value(away(by[0])), value(away(by[1]))
			weigh(w, u, []string{"wy", "wz"}[a], away(by[1]))
			VADDPD(u, w, w)
			VADDPD(w, v, v)
		}
		d, r, t := s.widened(m("diag")), s.widened(m("b")), value(near(0))
		VMULPD(t, d, t)
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
		s.narrow(r, m("res"))
		VMULPD(r, r, r)
		VADDPD(r, sums[part], sums[part])
	})
	acc := ptr("acc")
	for p, v := range sums {
		VMOVUPD(v, at(acc, p*s.wide))
	}
	leave()
}
