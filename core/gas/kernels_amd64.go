package gas

import "zarf/core/vec"

// useVectors chooses the AVX-512 kernels. Tests set it, to hold both against
// each other: they give the same bits.
var useVectors = vec.Chosen == vec.AVX512

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
