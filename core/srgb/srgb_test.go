package srgb

import (
	"fmt"
	"math"
	"testing"
)

// The standard gives these to four digits.
func TestAgainstTheStandard(t *testing.T) {
	for _, c := range [][2]float64{{0, 0}, {0.0031308, 0.04045}, {0.18, 0.4614}, {0.2140, 0.5}, {0.5, 0.7354}, {1, 1}} {
		if got := Encode(c[0]); math.Abs(got-c[1]) > 1e-4 {
			t.Errorf("Encode(%g) = %g, the standard says %g", c[0], got, c[1])
		}
	}
	for i := range 256 {
		v := float64(i) / 255
		if got := Encode(Decode(v)); math.Abs(got-v) > 1e-6 {
			t.Errorf("there and back %g becomes %g", v, got)
		}
	}
}

func ExampleEncode() {
	fmt.Printf("%.4f\n", Encode(0.18)) // a photographer's grey card
	// Output: 0.4614
}
