#include "textflag.h"

// LOCATE turns 16 positions into cell indices (Z4) and weights (Z1, Z2, Z3):
// position − offset, clamped to [0, n−1] (NaN to 0); cell = min(trunc, n−2).
// R9, R10, R11 hold x, y, z; R8 the lattice; CX the byte offset.
#define LOCATE \
	VMOVUPS (R9)(CX*1), Z1 \
	VMOVUPS (R10)(CX*1), Z2 \
	VMOVUPS (R11)(CX*1), Z3 \
	VSUBPS Z20, Z1, Z1 \
	VSUBPS Z21, Z2, Z2 \
	VSUBPS Z22, Z3, Z3 \
	VMAXPS Z0, Z1, Z1 \
	VMAXPS Z0, Z2, Z2 \
	VMAXPS Z0, Z3, Z3 \
	VMINPS Z23, Z1, Z1 \
	VMINPS Z24, Z2, Z2 \
	VMINPS Z25, Z3, Z3 \
	VCVTTPS2DQ Z1, Z4 \
	VCVTTPS2DQ Z2, Z5 \
	VCVTTPS2DQ Z3, Z6 \
	VPMINSD Z26, Z4, Z4 \
	VPMINSD Z27, Z5, Z5 \
	VPMINSD Z28, Z6, Z6 \
	VCVTDQ2PS Z4, Z7 \
	VCVTDQ2PS Z5, Z8 \
	VCVTDQ2PS Z6, Z9 \
	VSUBPS Z7, Z1, Z1 \
	VSUBPS Z8, Z2, Z2 \
	VSUBPS Z9, Z3, Z3 \
	VPMULLD Z29, Z5, Z5 \
	VPMULLD Z30, Z6, Z6 \
	VPADDD Z5, Z4, Z4 \
	VPADDD Z6, Z4, Z4

// PAIR fetches (x, x+1) of one row as 64-bit words, lanes 0-7 and 8-15, and
// parts them into A (x) and B (x+1). Z18 and Z19 hold the even and the odd
// positions.
#define PAIR(base, A, B) \
	KXNORB K1, K1, K1 \
	KXNORB K2, K2, K2 \
	VGATHERDPD (base)(Y4*4), K1, A \
	VGATHERDPD (base)(Y5*4), K2, B \
	VMOVAPS A, Z31 \
	VPERMT2PS B, Z18, A \
	VPERMT2PS B, Z19, Z31 \
	VMOVAPS Z31, B

// GATHER8 fetches the eight nodes into Z10 … Z17, x fastest, then y, then z.
#define GATHER8 \
	VEXTRACTI64X4 $1, Z4, Y5 \
	PAIR(SI, Z10, Z11) \
	PAIR(BX, Z12, Z13) \
	PAIR(R12, Z14, Z15) \
	PAIR(R14, Z16, Z17)

// SETUP broadcasts the lattice and forms the bases of the eight nodes.
#define SETUP \
	VBROADCASTSS 0(R8), Z20 \
	VBROADCASTSS 4(R8), Z21 \
	VBROADCASTSS 8(R8), Z22 \
	VBROADCASTSS 12(R8), Z23 \
	VBROADCASTSS 16(R8), Z24 \
	VBROADCASTSS 20(R8), Z25 \
	VPBROADCASTD 24(R8), Z26 \
	VPBROADCASTD 28(R8), Z27 \
	VPBROADCASTD 32(R8), Z28 \
	VPBROADCASTD 36(R8), Z29 \
	VPBROADCASTD 40(R8), Z30 \
	VPXORD Z0, Z0, Z0 \
	VMOVDQU32 ·evens(SB), Z18 \
	VMOVDQU32 ·odds(SB), Z19 \
	MOVQ 56(R8), BX \
	MOVQ 64(R8), R12 \
	ADDQ SI, R12 \
	MOVQ R12, R14 \
	ADDQ BX, R14 \
	ADDQ SI, BX \
	XORQ CX, CX

// TRILERP mixes the eight nodes into Z10: a + (b − a)·t along x, then y, then z.
#define TRILERP \
	VSUBPS Z10, Z11, Z11 \
	VMULPS Z1, Z11, Z11 \
	VADDPS Z11, Z10, Z10 \
	VSUBPS Z12, Z13, Z13 \
	VMULPS Z1, Z13, Z13 \
	VADDPS Z13, Z12, Z12 \
	VSUBPS Z14, Z15, Z15 \
	VMULPS Z1, Z15, Z15 \
	VADDPS Z15, Z14, Z14 \
	VSUBPS Z16, Z17, Z17 \
	VMULPS Z1, Z17, Z17 \
	VADDPS Z17, Z16, Z16 \
	VSUBPS Z10, Z12, Z12 \
	VMULPS Z2, Z12, Z12 \
	VADDPS Z12, Z10, Z10 \
	VSUBPS Z14, Z16, Z16 \
	VMULPS Z2, Z16, Z16 \
	VADDPS Z16, Z14, Z14 \
	VSUBPS Z10, Z14, Z14 \
	VMULPS Z3, Z14, Z14 \
	VADDPS Z14, Z10, Z10

// func sampleVectors(dst, data, x, y, z *float32, n int, l *lattice)
TEXT ·sampleVectors(SB), NOSPLIT, $0-56
	MOVQ dst+0(FP), DI
	MOVQ data+8(FP), SI
	MOVQ x+16(FP), R9
	MOVQ y+24(FP), R10
	MOVQ z+32(FP), R11
	MOVQ l+48(FP), R8
	SETUP
	MOVQ n+40(FP), R8
	SHLQ $2, R8

sloop:
	LOCATE
	GATHER8
	TRILERP
	VMOVUPS Z10, (DI)(CX*1)
	ADDQ $64, CX
	CMPQ CX, R8
	JLT sloop
	VZEROUPPER
	RET

// func sampleRangeVectors(dst, lo, hi, data, x, y, z *float32, n int, l *lattice)
TEXT ·sampleRangeVectors(SB), NOSPLIT, $0-72
	MOVQ data+24(FP), SI
	MOVQ x+32(FP), R9
	MOVQ y+40(FP), R10
	MOVQ z+48(FP), R11
	MOVQ l+64(FP), R8
	SETUP
	MOVQ dst+0(FP), DI
	MOVQ lo+8(FP), AX
	MOVQ hi+16(FP), DX
	MOVQ n+56(FP), R8
	SHLQ $2, R8

rloop:
	LOCATE
	GATHER8
	VMINPS Z11, Z10, Z4
	VMAXPS Z11, Z10, Z5
	VMINPS Z13, Z12, Z6
	VMAXPS Z13, Z12, Z7
	VMINPS Z15, Z14, Z8
	VMAXPS Z15, Z14, Z9
	VMINPS Z6, Z4, Z4
	VMAXPS Z7, Z5, Z5
	VMINPS Z8, Z4, Z4
	VMAXPS Z9, Z5, Z5
	VMINPS Z17, Z16, Z6
	VMAXPS Z17, Z16, Z7
	VMINPS Z6, Z4, Z4
	VMAXPS Z7, Z5, Z5
	VMOVUPS Z4, (AX)(CX*1)
	VMOVUPS Z5, (DX)(CX*1)
	TRILERP
	VMOVUPS Z10, (DI)(CX*1)
	ADDQ $64, CX
	CMPQ CX, R8
	JLT rloop
	VZEROUPPER
	RET
