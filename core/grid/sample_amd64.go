package grid

import "zarf/core/vec"

// useVectors chooses the AVX-512 kernels. Tests set it, to hold both against
// each other: they give the same bits.
var useVectors = vec.Chosen == vec.AVX512

// n is a multiple of 16.
//
//go:noescape
func sampleVectors(dst, data, x, y, z *float32, n int, l *lattice)

//go:noescape
func sampleRangeVectors(dst, lo, hi, data, x, y, z *float32, n int, l *lattice)

// evens and odds part pairs of values that two gathers fetched.
var (
	evens = [16]int32{0, 2, 4, 6, 8, 10, 12, 14, 16, 18, 20, 22, 24, 26, 28, 30}
	odds  = [16]int32{1, 3, 5, 7, 9, 11, 13, 15, 17, 19, 21, 23, 25, 27, 29, 31}
)
