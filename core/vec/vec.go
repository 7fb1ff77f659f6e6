package vec

import "fmt"

// Lanes is how many float32 values the widest kernels take at a time.
const Lanes = 16

// Rows panics unless each row holds at least n values. It costs about a
// nanosecond a row and allocates nothing.
func Rows(n int, rows ...[]float32) {
	for i, r := range rows {
		if len(r) < n {
			short(i, len(r), n)
		}
	}
}

// Whole panics unless n is a multiple of Lanes.
func Whole(n int) {
	if n%Lanes != 0 {
		panic(fmt.Sprintf("vec: %d values are no multiple of %d", n, Lanes))
	}
}

//go:noinline
func short(i, has, n int) {
	panic(fmt.Sprintf("vec: row %d holds %d values, %d are needed", i, has, n))
}
