package anim_test

import (
	"fmt"

	"zarf/core/anim"
)

// A value that runs from 0 to 10 over ten frames and then goes back and forth.
func ExampleAt() {
	keys := []anim.Key{{Frame: 1, Value: [3]float64{0}, Way: anim.Ramp}, {Frame: 11, Value: [3]float64{10}, Way: anim.Ramp}}
	for _, f := range []float64{0, 6, 11, 16, 21} {
		fmt.Print(anim.At(keys, anim.Extra{After: anim.Mirror}, f)[0], " ")
	}
	// Output: 0 5 10 5 0
}
