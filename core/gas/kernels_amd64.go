package gas

import (
	"os"

	"golang.org/x/sys/cpu"
)

// useVectors chooses the AVX-512 kernels; ZARF_PORTABLE switches them off, for
// tests that both give the same bits.
var useVectors = cpu.X86.HasAVX512F && cpu.X86.HasAVX512DQ && cpu.X86.HasBMI2 && os.Getenv("ZARF_PORTABLE") == ""

// The kernels are described in kernels.go.

//go:noescape
func followV(dst, a, b *float32, base, ramp float32, n int)

//go:noescape
func limitV(dst, again, first, was, lo, hi *float32, n int)

//go:noescape
func largestV(row *float32, n int, top, acc *[16]float32)

//go:noescape
func outsideV(x *float32, n int, top float32) bool

var (
	iota16  = [16]float32{0, 1, 2, 3, 4, 5, 6, 7, 8, 9, 10, 11, 12, 13, 14, 15}
	sixteen = float32(16)
	half    = float32(0.5)
)
