#include "textflag.h"

// Kernels on rows of n values, n a multiple of 16, in the order of operations
// of kernels.go and without fused multiply-add, so that both give the same
// bits. The stencil ones take a struct of pointers:
//
//	 0 dst   8 x   16 b (or diag)   24 invd   32 wx   40 wy   48 wz
//	56 sy (bytes)  64 sz (bytes)  72 n (bytes)

#define STENCIL \
	MOVQ args+0(FP), AX \
	MOVQ 0(AX), DI \
	MOVQ 8(AX), SI \
	MOVQ 16(AX), BX \
	MOVQ 24(AX), DX \
	MOVQ 56(AX), R8 \
	MOVQ 64(AX), R10 \
	MOVQ R8, R9 \
	NEGQ R9 \
	MOVQ R10, R11 \
	NEGQ R11 \
	XORQ CX, CX \
	MOVQ 72(AX), R15

#define NEXT(loop) \
	ADDQ $64, CX \
	ADDQ $64, R8 \
	ADDQ $64, R9 \
	ADDQ $64, R10 \
	ADDQ $64, R11 \
	CMPQ CX, R15 \
	JLT loop

// PLAINSUM: Z1 = ((x−1 + x+1) + (y−1 + y+1)) + (z−1 + z+1)
#define PLAINSUM \
	VMOVUPS -4(SI)(CX*1), Z1 \
	VADDPS 4(SI)(CX*1), Z1, Z1 \
	VMOVUPS (SI)(R9*1), Z2 \
	VADDPS (SI)(R8*1), Z2, Z2 \
	VMOVUPS (SI)(R11*1), Z3 \
	VADDPS (SI)(R10*1), Z3, Z3 \
	VADDPS Z2, Z1, Z1 \
	VADDPS Z3, Z1, Z1

// WEIGHTEDSUM: the same with the weights of the six faces.
#define WEIGHTEDSUM \
	VMOVUPS -4(SI)(CX*1), Z1 \
	VMULPS (R12)(CX*1), Z1, Z1 \
	VMOVUPS 4(SI)(CX*1), Z2 \
	VMULPS 4(R12)(CX*1), Z2, Z2 \
	VADDPS Z2, Z1, Z1 \
	VMOVUPS (SI)(R9*1), Z2 \
	VMULPS (R13)(CX*1), Z2, Z2 \
	VMOVUPS (SI)(R8*1), Z3 \
	VMULPS (R13)(R8*1), Z3, Z3 \
	VADDPS Z3, Z2, Z2 \
	VMOVUPS (SI)(R11*1), Z3 \
	VMULPS (R14)(CX*1), Z3, Z3 \
	VMOVUPS (SI)(R10*1), Z4 \
	VMULPS (R14)(R10*1), Z4, Z4 \
	VADDPS Z4, Z3, Z3 \
	VADDPS Z2, Z1, Z1 \
	VADDPS Z3, Z1, Z1

// JACOBI: dst = (1−ω) x + (ω invd)(b + sum)
#define JACOBI \
	VADDPS (BX)(CX*1), Z1, Z1 \
	VMULPS (DX)(CX*1), Z31, Z5 \
	VMULPS Z1, Z5, Z5 \
	VMULPS (SI)(CX*1), Z30, Z6 \
	VADDPS Z5, Z6, Z6 \
	VMOVUPS Z6, (DI)(CX*1)

// APPLY: dst = diag x − sum
#define APPLY \
	VMOVUPS (SI)(CX*1), Z5 \
	VMULPS (BX)(CX*1), Z5, Z5 \
	VSUBPS Z1, Z5, Z5 \
	VMOVUPS Z5, (DI)(CX*1)

#define WEIGHTS \
	MOVQ 32(AX), R12 \
	MOVQ 40(AX), R13 \
	MOVQ 48(AX), R14

// func jacobiPlainV(args *stencil, om, omega float32)
TEXT ·jacobiPlainV(SB), NOSPLIT, $0-16
	STENCIL
	VBROADCASTSS om+8(FP), Z30
	VBROADCASTSS omega+12(FP), Z31
jp:
	PLAINSUM
	JACOBI
	NEXT(jp)
	VZEROUPPER
	RET

// func jacobiWeightedV(args *stencil, om, omega float32)
TEXT ·jacobiWeightedV(SB), NOSPLIT, $0-16
	STENCIL
	WEIGHTS
	VBROADCASTSS om+8(FP), Z30
	VBROADCASTSS omega+12(FP), Z31
jw:
	WEIGHTEDSUM
	JACOBI
	NEXT(jw)
	VZEROUPPER
	RET

// func applyPlainV(args *stencil)
TEXT ·applyPlainV(SB), NOSPLIT, $0-8
	STENCIL
ap:
	PLAINSUM
	APPLY
	NEXT(ap)
	VZEROUPPER
	RET

// func applyWeightedV(args *stencil)
TEXT ·applyWeightedV(SB), NOSPLIT, $0-8
	STENCIL
	WEIGHTS
aw:
	WEIGHTEDSUM
	APPLY
	NEXT(aw)
	VZEROUPPER
	RET

// func axpyV(dst, a *float32, s float32, n int): dst += s a
TEXT ·axpyV(SB), NOSPLIT, $0-32
	MOVQ dst+0(FP), DI
	MOVQ a+8(FP), SI
	VBROADCASTSS s+16(FP), Z0
	MOVQ n+24(FP), R8
	SHLQ $2, R8
	XORQ CX, CX
ax:
	VMULPS (SI)(CX*1), Z0, Z1
	VADDPS (DI)(CX*1), Z1, Z1
	VMOVUPS Z1, (DI)(CX*1)
	ADDQ $64, CX
	CMPQ CX, R8
	JLT ax
	VZEROUPPER
	RET

// func xpayV(dst, a *float32, s float32, n int): dst = a + s dst
TEXT ·xpayV(SB), NOSPLIT, $0-32
	MOVQ dst+0(FP), DI
	MOVQ a+8(FP), SI
	VBROADCASTSS s+16(FP), Z0
	MOVQ n+24(FP), R8
	SHLQ $2, R8
	XORQ CX, CX
xp:
	VMULPS (DI)(CX*1), Z0, Z1
	VADDPS (SI)(CX*1), Z1, Z1
	VMOVUPS Z1, (DI)(CX*1)
	ADDQ $64, CX
	CMPQ CX, R8
	JLT xp
	VZEROUPPER
	RET

// func scaleByV(dst, a, b *float32, s float32, n int): dst = (s a) b
TEXT ·scaleByV(SB), NOSPLIT, $0-40
	MOVQ dst+0(FP), DI
	MOVQ a+8(FP), SI
	MOVQ b+16(FP), BX
	VBROADCASTSS s+24(FP), Z0
	MOVQ n+32(FP), R8
	SHLQ $2, R8
	XORQ CX, CX
sb:
	VMULPS (SI)(CX*1), Z0, Z1
	VMULPS (BX)(CX*1), Z1, Z1
	VMOVUPS Z1, (DI)(CX*1)
	ADDQ $64, CX
	CMPQ CX, R8
	JLT sb
	VZEROUPPER
	RET

// func residualV(r, b, pn *float32, n int): r = (b − r) pn
TEXT ·residualV(SB), NOSPLIT, $0-32
	MOVQ r+0(FP), DI
	MOVQ b+8(FP), SI
	MOVQ pn+16(FP), BX
	MOVQ n+24(FP), R8
	SHLQ $2, R8
	XORQ CX, CX
re:
	VMOVUPS (SI)(CX*1), Z1
	VSUBPS (DI)(CX*1), Z1, Z1
	VMULPS (BX)(CX*1), Z1, Z1
	VMOVUPS Z1, (DI)(CX*1)
	ADDQ $64, CX
	CMPQ CX, R8
	JLT re
	VZEROUPPER
	RET

DATA ·quarters+0(SB)/4, $0.75
DATA ·quarters+4(SB)/4, $0.25
GLOBL ·quarters(SB), RODATA|NOPTR, $8

// func spreadV(x, pn, c *float32, n int): x += pn (¾ main + ¼ side)
TEXT ·spreadV(SB), NOSPLIT, $0-32
	MOVQ x+0(FP), DI
	MOVQ pn+8(FP), BX
	MOVQ c+16(FP), SI
	MOVQ n+24(FP), R8
	SHLQ $2, R8
	VMOVDQU32 ·spreadMain(SB), Z10
	VMOVDQU32 ·spreadSide(SB), Z11
	VBROADCASTSS ·quarters+0(SB), Z12
	VBROADCASTSS ·quarters+4(SB), Z13
	XORQ CX, CX
sp:
	VMOVUPS (SI), Z1
	VPERMPS Z1, Z10, Z2
	VPERMPS Z1, Z11, Z3
	VMULPS Z12, Z2, Z2
	VMULPS Z13, Z3, Z3
	VADDPS Z3, Z2, Z2
	VMULPS (BX)(CX*1), Z2, Z2
	VADDPS (DI)(CX*1), Z2, Z2
	VMOVUPS Z2, (DI)(CX*1)
	ADDQ $32, SI
	ADDQ $64, CX
	CMPQ CX, R8
	JLT sp
	VZEROUPPER
	RET

// func dotV(acc *[16]float32, a, b *float32, n int)
TEXT ·dotV(SB), NOSPLIT, $0-32
	MOVQ acc+0(FP), DI
	MOVQ a+8(FP), SI
	MOVQ b+16(FP), BX
	MOVQ n+24(FP), R8
	SHLQ $2, R8
	XORQ CX, CX
	VPXORD Z0, Z0, Z0
dt:
	VMOVUPS (SI)(CX*1), Z1
	VMULPS (BX)(CX*1), Z1, Z1
	VADDPS Z1, Z0, Z0
	ADDQ $64, CX
	CMPQ CX, R8
	JLT dt
	VMOVUPS Z0, (DI)
	VZEROUPPER
	RET

// func blendAdd4V(dst, a, b, c, d *float32, w *[4]float32, n int)
// dst += (wa a + wb b) + (wc c + wd d)
TEXT ·blendAdd4V(SB), NOSPLIT, $0-56
	MOVQ dst+0(FP), DI
	MOVQ a+8(FP), SI
	MOVQ b+16(FP), BX
	MOVQ c+24(FP), DX
	MOVQ d+32(FP), R9
	MOVQ w+40(FP), AX
	VBROADCASTSS 0(AX), Z0
	VBROADCASTSS 4(AX), Z1
	VBROADCASTSS 8(AX), Z2
	VBROADCASTSS 12(AX), Z3
	MOVQ n+48(FP), R8
	SHLQ $2, R8
	XORQ CX, CX
ba:
	VMULPS (SI)(CX*1), Z0, Z4
	VMULPS (BX)(CX*1), Z1, Z5
	VMULPS (DX)(CX*1), Z2, Z6
	VMULPS (R9)(CX*1), Z3, Z7
	VADDPS Z5, Z4, Z4
	VADDPS Z7, Z6, Z6
	VADDPS Z6, Z4, Z4
	VADDPS (DI)(CX*1), Z4, Z4
	VMOVUPS Z4, (DI)(CX*1)
	ADDQ $64, CX
	CMPQ CX, R8
	JLT ba
	VZEROUPPER
	RET
