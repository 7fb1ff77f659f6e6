#include "textflag.h"

// Kernels on n values, any n: the last, shorter block is done under a mask.
// The order of operations is that of kernels.go, without fused multiply-add,
// so that both give the same bits.

// TAIL sets K1 for the remaining values (CX values done, R8 in all).
#define TAIL \
	MOVQ R8, BX \
	SUBQ CX, BX \
	MOVQ $0xffff, DX \
	CMPQ BX, $16 \
	JGE 4(PC) \
	MOVQ BX, R15 \
	MOVQ $1, DX \
	SHLXQ R15, DX, DX \
	CMPQ BX, $16 \
	JGE 2(PC) \
	DECQ DX \
	KMOVW DX, K1

// func followV(dst, a, b *float32, base, ramp float32, n int)
TEXT ·followV(SB), NOSPLIT, $0-40
	MOVQ dst+0(FP), DI
	MOVQ a+8(FP), SI
	MOVQ b+16(FP), R9
	VBROADCASTSS base+24(FP), Z0
	VBROADCASTSS ramp+28(FP), Z1
	MOVQ n+32(FP), R8
	VMOVUPS ·iota16(SB), Z2
	VMULPS Z1, Z2, Z2
	VBROADCASTSS ·sixteen(SB), Z3
	VMULPS Z1, Z3, Z3
	VBROADCASTSS ·half(SB), Z4
	XORQ CX, CX
floop:
	TAIL
	VMOVUPS.Z (SI)(CX*4), K1, Z5
	VMOVUPS.Z (R9)(CX*4), K1, Z6
	VADDPS Z6, Z5, Z5
	VMULPS Z4, Z5, Z5
	VADDPS Z2, Z0, Z7
	VADDPS Z5, Z7, Z7
	VMOVUPS Z7, K1, (DI)(CX*4)
	VADDPS Z3, Z2, Z2
	ADDQ $16, CX
	CMPQ CX, R8
	JLT floop
	VZEROUPPER
	RET

// func limitV(dst, again, first, was, lo, hi *float32, n int)
TEXT ·limitV(SB), NOSPLIT, $0-56
	MOVQ dst+0(FP), DI
	MOVQ again+8(FP), SI
	MOVQ first+16(FP), R9
	MOVQ was+24(FP), R10
	MOVQ lo+32(FP), R11
	MOVQ hi+40(FP), R12
	MOVQ n+48(FP), R8
	VBROADCASTSS ·half(SB), Z4
	XORQ CX, CX
lloop:
	TAIL
	VMOVUPS.Z (SI)(CX*4), K1, Z5
	VMOVUPS.Z (R9)(CX*4), K1, Z6
	VMOVUPS.Z (R10)(CX*4), K1, Z7
	VSUBPS Z5, Z7, Z7
	VMULPS Z4, Z7, Z7
	VADDPS Z7, Z6, Z7
	VMOVUPS.Z (R11)(CX*4), K1, Z8
	VMOVUPS.Z (R12)(CX*4), K1, Z9
	VCMPPS $1, Z8, Z7, K2
	VCMPPS $1, Z7, Z9, K3
	KORW K2, K3, K2
	VMOVAPS Z6, K2, Z7
	VMOVUPS Z7, K1, (DI)(CX*4)
	ADDQ $16, CX
	CMPQ CX, R8
	JLT lloop
	VZEROUPPER
	RET

// func largestV(row *float32, n int, top, acc *[16]float32)
TEXT ·largestV(SB), NOSPLIT, $0-32
	MOVQ row+0(FP), SI
	MOVQ n+8(FP), R8
	VPXORD Z0, Z0, Z0
	VPXORD Z1, Z1, Z1
	VPXORD Z9, Z9, Z9
	XORQ CX, CX
aloop:
	TAIL
	VMOVUPS.Z (SI)(CX*4), K1, Z5
	VSUBPS Z5, Z5, Z6
	VADDPS Z6, Z1, Z1
	VSUBPS Z5, Z9, Z7
	VMAXPS Z7, Z5, Z5
	VMAXPS Z0, Z5, Z0
	ADDQ $16, CX
	CMPQ CX, R8
	JLT aloop
	MOVQ top+16(FP), DI
	VMOVUPS Z0, (DI)
	MOVQ acc+24(FP), DI
	VMOVUPS Z1, (DI)
	VZEROUPPER
	RET

// func outsideV(x *float32, n int, top float32) bool
TEXT ·outsideV(SB), NOSPLIT, $0-25
	MOVQ x+0(FP), SI
	MOVQ n+8(FP), R8
	VBROADCASTSS top+16(FP), Z0
	VPXORD Z1, Z1, Z1
	XORQ CX, CX
	XORQ AX, AX
oloop:
	TAIL
	VMOVUPS.Z (SI)(CX*4), K1, Z5
	VCMPPS $1, Z1, Z5, K2
	VCMPPS $1, Z5, Z0, K3
	KORW K2, K3, K2
	KANDW K1, K2, K2
	KMOVW K2, BX
	ORQ BX, AX
	ADDQ $16, CX
	CMPQ CX, R8
	JLT oloop
	TESTQ AX, AX
	SETNE ret+24(FP)
	VZEROUPPER
	RET
