package main

import (
	. "github.com/mmcloughlin/avo/build"
	. "github.com/mmcloughlin/avo/operand"
	"github.com/mmcloughlin/avo/reg"
)

// halves asks the processor for its conversions of halves, which no package tells of.
func halves() {
	TEXT("halves", NOSPLIT, "func() bool")
	Doc("halves reports that there are VCVTPH2PS and VCVTPS2PH.")
	MOVL(U32(1), reg.EAX)
	XORL(reg.ECX, reg.ECX)
	CPUID()
	SHRL(Imm(29), reg.ECX)
	ANDL(Imm(1), reg.ECX)
	Store(reg.CL, ReturnIndex(0))
	RET()
}
