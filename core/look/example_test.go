package look_test

import (
	"fmt"

	"zarf/core/look"
)

// The colour of a glowing body by its temperature, as CIE 1931 has it.
func ExampleChromaticity() {
	for _, t := range []float64{1500, 3000, 6500} {
		x, y := look.Chromaticity(t)
		fmt.Printf("%.0f K: %.3f %.3f\n", t, x, y)
	}
	// Output:
	// 1500 K: 0.586 0.393
	// 3000 K: 0.437 0.404
	// 6500 K: 0.314 0.324
}
