package vec

import "fmt"

// Lanes is how many float32 values the widest kernels take at a time.
const Lanes = 16

// Rows panics unless each row holds at least n values. It costs about a
// nanosecond a row and allocates nothing; in the tightest loops Row, Row2 and
// Row3 cost less, as the compiler puts them in place.
func Rows(n int, rows ...[]float32) {
	for i, r := range rows {
		if len(r) < n {
			short(i, len(r), n)
		}
	}
}

// Row is Rows for one row.
func Row(n int, a []float32) {
	if len(a) < n {
		short(0, len(a), n)
	}
}

// Row2 is Rows for two rows.
func Row2(n int, a, b []float32) {
	if len(a) < n || len(b) < n {
		found(n, a, b, a)
	}
}

// Row3 is Rows for three rows.
func Row3(n int, a, b, c []float32) {
	if len(a) < n || len(b) < n || len(c) < n {
		found(n, a, b, c)
	}
}

// Whole panics unless n is a multiple of Lanes.
func Whole(n int) {
	if n%Lanes != 0 {
		odd(n)
	}
}

// found names the row that is short.
//
//go:noinline
func found(n int, a, b, c []float32) { Rows(n, a, b, c) }

//go:noinline
func odd(n int) { panic(fmt.Sprintf("vec: %d values are no multiple of %d", n, Lanes)) }

//go:noinline
func short(i, has, n int) {
	panic(fmt.Sprintf("vec: row %d holds %d values, %d are needed", i, has, n))
}

// Sum is the sum of a row of any length in float64: of four sums, as the next addition
// to one would have to wait for the last.
func Sum(row []float32) float64 {
	var a, b, c, d float64
	for len(row) >= 4 {
		a, b, c, d = a+float64(row[0]), b+float64(row[1]), c+float64(row[2]), d+float64(row[3])
		row = row[4:]
	}
	for _, v := range row {
		a += float64(v)
	}
	return (a + b) + (c + d)
}
