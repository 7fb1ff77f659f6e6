package vec_test

import (
	"fmt"
	"testing"

	"zarf/core/vec"
)

func ExampleRows() {
	defer func() { fmt.Println(recover()) }()
	b := make([]float32, 3, 64) // cutting it to 16 would succeed
	vec.Rows(16, make([]float32, 16), b)
	// Output: vec: row 1 holds 3 values, 16 are needed
}

func ExampleWhole() {
	vec.Whole(32)
	defer func() { fmt.Println(recover()) }()
	vec.Whole(33)
	// Output: vec: 33 values are no multiple of 16
}

func TestRowsTakesWhatIsLongEnough(t *testing.T) {
	vec.Rows(4, make([]float32, 4), make([]float32, 9))
	vec.Rows(0, nil)
}

func TestRowsAllocatesNothing(t *testing.T) {
	a, b := make([]float32, 16), make([]float32, 16)
	if n := testing.AllocsPerRun(100, func() { vec.Rows(16, a, b) }); n != 0 {
		t.Errorf("%g allocations", n)
	}
}

func TestSumAddsEveryValue(t *testing.T) {
	for n := range 12 {
		row := make([]float32, n)
		for i := range row {
			row[i] = float32(i + 1)
		}
		if got, want := vec.Sum(row), float64(n*(n+1)/2); got != want {
			t.Errorf("of %d values: %g, want %g", n, got, want)
		}
	}
}
