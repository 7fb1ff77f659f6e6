package noise_test

import (
	"fmt"

	"zarf/core/noise"
)

// The same place has the same value on every machine; whole places are 0.
func ExampleAt() {
	fmt.Printf("%.4f %.4f %.4f\n", noise.At(7, 1, 2, 3), noise.At(7, 1.5, 2.25, 3.1), noise.At(8, 1.5, 2.25, 3.1))
	// Output: 0.0000 0.1241 -0.1048
}
