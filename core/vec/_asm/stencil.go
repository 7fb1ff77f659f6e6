package main

import (
	. "github.com/mmcloughlin/avo/build"
	. "github.com/mmcloughlin/avo/operand"
	"github.com/mmcloughlin/avo/reg"
)

// sum is Σ over the six neighbours, times the weights of the faces between:
// ((x−1 + x+1) + (y−1 + y+1)) + (z−1 + z+1). x, wy and wz advance a block at
// a time, so that their rows beside are reached by an index.
type sum struct {
	s                    set
	x, sy, up, sz, above reg.GPVirtual
	wx, wy, wz           reg.GPVirtual
	weighted             bool
}

func (s set) sum(weighted bool) sum {
	u := sum{s: s, x: ptr("x"), sy: size("sy"), sz: size("sz"), up: GP64(), above: GP64(), weighted: weighted}
	MOVQ(u.sy, u.up)
	NEGQ(u.up)
	MOVQ(u.sz, u.above)
	NEGQ(u.above)
	if weighted {
		u.wx, u.wy, u.wz = ptr("wx"), ptr("wy"), ptr("wz")
	}
	return u
}

func (u sum) at(off int) reg.VecVirtual {
	pair := func(a, b, wa, wb Mem) reg.VecVirtual {
		v := u.s.vec()
		VMOVUPS(a, v)
		if !u.weighted {
			VADDPS(b, v, v)
			return v
		}
		w := u.s.vec()
		VMULPS(wa, v, v)
		VMOVUPS(b, w)
		VMULPS(wb, w, w)
		VADDPS(w, v, v)
		return v
	}
	a := pair(at(u.x, off-4), at(u.x, off+4), at(u.wx, off), at(u.wx, off+4))
	b := pair(idx(u.x, u.up, off), idx(u.x, u.sy, off), at(u.wy, off), idx(u.wy, u.sy, off))
	c := pair(idx(u.x, u.above, off), idx(u.x, u.sz, off), at(u.wz, off), idx(u.wz, u.sz, off))
	VADDPS(b, a, a)
	VADDPS(c, a, a)
	return a
}

func (u sum) next() {
	ADDQ(Imm(block), u.x)
	if u.weighted {
		ADDQ(Imm(block), u.wx)
		ADDQ(Imm(block), u.wy)
		ADDQ(Imm(block), u.wz)
	}
}

const (
	weights = "wx, wy, wz *float32, "
	steps   = "sy, sz, n int"
)

func (s set) jacobi(weighted bool) {
	name, args, doc := "jacobi", "", "dst = keep x + (omega invd)(b + Σ x of the neighbours)."
	if weighted {
		name, args, doc = "jacobiWeighted", weights, "jacobi with the weights of the faces."
	}
	s.text(name, "dst, x, b, invd *float32, "+args+steps+", keep, omega float32)", doc)
	dst, b, invd := ptr("dst"), ptr("b"), ptr("invd")
	u := s.sum(weighted)
	keep, omega, n := s.broadcast("keep"), s.broadcast("omega"), size("n")
	s.blocks("", n, func(i reg.GPVirtual, off int) {
		v := u.at(off)
		VADDPS(idx(b, i, off), v, v)
		w := s.vec()
		VMULPS(idx(invd, i, off), omega, w)
		VMULPS(v, w, w)
		VMULPS(at(u.x, off), keep, v)
		VADDPS(w, v, v)
		VMOVUPS(v, idx(dst, i, off))
	}, u.next)
	leave()
}

func (s set) apply(weighted bool) {
	name, args, doc := "apply", "", "dst = diag x − Σ x of the neighbours."
	if weighted {
		name, args, doc = "applyWeighted", weights, "apply with the weights of the faces."
	}
	s.text(name, "dst, x, diag *float32, "+args+steps+")", doc)
	dst, diag := ptr("dst"), ptr("diag")
	u := s.sum(weighted)
	n := size("n")
	s.blocks("", n, func(i reg.GPVirtual, off int) {
		v, w := u.at(off), s.vec()
		VMOVUPS(at(u.x, off), w)
		VMULPS(idx(diag, i, off), w, w)
		VSUBPS(v, w, w)
		VMOVUPS(w, idx(dst, i, off))
	}, u.next)
	leave()
}
