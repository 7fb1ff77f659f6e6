package grid_test

import (
	"fmt"

	"zarf/core/grid"
)

// Sums have the same bits on any number of threads: a plane each, in order.
func ExampleCrew_Sum() {
	plane := func(k int) float64 { return 1 / float64(k+1) }
	fmt.Println(grid.NewCrew(1).Sum(1000, 1, plane) == grid.NewCrew(4).Sum(1000, 1, plane))
	// Output: true
}

func ExampleField_Sample() {
	f := grid.NewField(grid.Dims{NX: 2, NY: 2, NZ: 2})
	f.Set(1, 0, 0, 10)
	fmt.Println(f.Sample(0.25, 0, 0), f.Sample(9, 0, 0), f.Sample(0.5, 0.5, 0.5))
	// Output: 2.5 10 1.25
}
