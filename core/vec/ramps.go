package vec

import "fmt"

// RampCells is how many cells a block of values may reach over.
const RampCells = 8

// Ramps adds a times what lies between two straight lines to dst, a whole number of blocks of
// Lanes values. Value i lies x[i] (0 to 1) into cell c = start[i/Lanes] + at[i], at is under
// RampCells; the lines are those of both ends of the cell, g[c] x + k[c] and g[c+1] (x − 1) +
// k[c+1], and u[i] says how far from the first to the second. Tables go on for RampCells + 1
// beyond any start.
func Ramps(dst, x, u []float32, at, start []int32, g, k []float32, a float32) {
	n := len(dst)
	if n%Lanes != 0 || len(x) != n || len(u) != n || len(at) != n || len(start) != n/Lanes || len(g) != len(k) {
		panic(fmt.Sprintf("vec: %d values at %d places, %d shares and %d cells from %d on, of %d and %d", n, len(x), len(u), len(at), len(start), len(g), len(k)))
	}
	for _, s := range start {
		if s < 0 || int(s)+RampCells+1 > len(g) {
			panic(fmt.Sprintf("vec: cells from %d on of %d", s, len(g)))
		}
	}
	switch {
	case n == 0:
	case Chosen == AVX512:
		rampsAVX512(&dst[0], &x[0], &u[0], &at[0], &start[0], &g[0], &k[0], a, n/Lanes)
	case Chosen == AVX2:
		rampsAVX2(&dst[0], &x[0], &u[0], &at[0], &start[0], &g[0], &k[0], a, n/Lanes)
	default:
		for i := range dst {
			c := start[i/Lanes] + at[i]&(RampCells-1)
			low := float32(g[c]*x[i]) + k[c]
			high := float32(g[c+1]*(x[i]-1)) + k[c+1]
			dst[i] += float32(a * (low + float32((high-low)*u[i])))
		}
	}
}
