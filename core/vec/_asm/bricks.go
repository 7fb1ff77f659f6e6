package main

import (
	. "github.com/mmcloughlin/avo/build"
	. "github.com/mmcloughlin/avo/operand"
	"github.com/mmcloughlin/avo/reg"
)

// Kernels that fill bricks. Rows of nine values lie in room for sixteen.

func (s set) spreadBrick() {
	s.text("spreadBrick", "dst, f *float32, y, z *[18]int, fy, fz *[9]float32, ia, ib *[16]int32, fx *[16]float32)",
		"nine by nine rows between those of a field: four rows at y and z, as bytes from f, the first nine the nearer ones, by fy and fz, and of their first eight values those at ia and ib by fx.")
	dst, f, y, z, fy, fz := ptr("dst"), ptr("f"), ptr("y"), ptr("z"), ptr("fy"), ptr("fz")
	var ia, ib, fx [2]reg.VecVirtual
	for n, name := range [3]string{"ia", "ib", "fx"} {
		p := ptr(name)
		for h := range 2 {
			v := YMM()
			VMOVUPS(at(p, 32*h), v)
			switch n {
			case 0:
				ia[h] = v
			case 1:
				ib[h] = v
			default:
				fx[h] = v
			}
		}
	}
	k, j, near, far, row := GP64(), GP64(), GP64(), GP64(), GP64()
	byY, byZ := YMM(), YMM()
	XORQ(k, k)
	Label("plane")
	MOVQ(f, near)
	ADDQ(Mem{Base: z, Index: k, Scale: 8}, near)
	MOVQ(f, far)
	ADDQ(Mem{Base: z, Index: k, Scale: 8, Disp: 72}, far)
	VBROADCASTSS(Mem{Base: fz, Index: k, Scale: 4}, byZ)
	XORQ(j, j)
	Label("row")
	VBROADCASTSS(Mem{Base: fy, Index: j, Scale: 4}, byY)
	var side [2]reg.VecVirtual
	for n, base := range [2]reg.GPVirtual{near, far} {
		a, b := YMM(), YMM()
		MOVQ(Mem{Base: y, Index: j, Scale: 8}, row)
		VMOVUPS(idx(base, row, 0), a)
		MOVQ(Mem{Base: y, Index: j, Scale: 8, Disp: 72}, row)
		VMOVUPS(idx(base, row, 0), b)
		side[n] = between(a, b, byY)
	}
	cols := between(side[0], side[1], byZ)
	for h := range 2 {
		a, b := YMM(), YMM()
		VPERMPS(cols, ia[h], a)
		VPERMPS(cols, ib[h], b)
		VMOVUPS(between(a, b, fx[h]), at(dst, 32*h))
	}
	ADDQ(Imm(64), dst)
	INCQ(j)
	CMPQ(j, Imm(9))
	JLT(LabelRef("row"))
	INCQ(k)
	CMPQ(k, Imm(9))
	JLT(LabelRef("plane"))
	leave()
}

// between is a + (b − a) f, in b.
func between(a, b, f reg.VecVirtual) reg.VecVirtual {
	VSUBPS(a, b, b)
	VMULPS(f, b, b)
	VADDPS(a, b, b)
	return b
}

func (s set) braid() {
	s.text("braid", "dst *uint16, a, b, c, d *float32, by *[4]float32, n int)", "n rows of nine values with their four numbers side by side, times by, as halves, out of rows of sixteen of each.")
	dst, a, b, c, d, n := ptr("dst"), ptr("a"), ptr("b"), ptr("c"), ptr("d"), ptr("n")
	by := XMM()
	VMOVUPS(at(ptr("by"), 0), by)
	i := GP64()
	XORQ(i, i)
	store := func(v reg.VecVirtual, off int) {
		VMULPS(by, v, v)
		VCVTPS2PH(Imm(0), v, at(dst, off)) // to the nearest, ties to even
	}
	Label("loop")
	for q := range 3 {
		ab, cd, lo, hi := XMM(), XMM(), XMM(), XMM()
		va, vc := XMM(), XMM()
		VMOVUPS(idx(a, i, 16*q), va)
		VMOVUPS(idx(c, i, 16*q), vc)
		VUNPCKLPS(idx(b, i, 16*q), va, ab)
		VUNPCKLPS(idx(d, i, 16*q), vc, cd)
		VMOVLHPS(cd, ab, lo)
		store(lo, 32*q)
		if q == 2 { // the ninth
			break
		}
		VMOVHLPS(ab, cd, hi)
		store(hi, 32*q+8)
		VUNPCKHPS(idx(b, i, 16*q), va, ab)
		VUNPCKHPS(idx(d, i, 16*q), vc, cd)
		VMOVLHPS(cd, ab, lo)
		store(lo, 32*q+16)
		VMOVHLPS(ab, cd, hi)
		store(hi, 32*q+24)
	}
	ADDQ(Imm(72), dst)
	ADDQ(Imm(64), i)
	DECQ(n)
	JNE(LabelRef("loop"))
	leave()
}
