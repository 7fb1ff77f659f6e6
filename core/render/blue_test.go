package render

import (
	"math"
	"math/cmplx"
	"testing"
)

// Thresholds of blue noise come equally often, and their spectrum has next to nothing at
// low frequencies, where white noise has as much as anywhere.
func TestBlueNoise(t *testing.T) {
	const n = 64
	b := Blue(n)
	var count [256]int
	for _, v := range b {
		count[v]++
	}
	for v, c := range count {
		if c != n*n/256 {
			t.Fatalf("threshold %d comes %d times", v, c)
		}
	}
	power := func(p, q int) float64 {
		var sum complex128
		for y := range n {
			for x := range n {
				sum += complex(float64(b[y*n+x])/255-0.5, 0) * cmplx.Exp(complex(0, -2*math.Pi*float64(p*x+q*y)/n))
			}
		}
		return real(sum)*real(sum) + imag(sum)*imag(sum)
	}
	low, high, lows, highs := 0.0, 0.0, 0, 0
	for p := -20; p <= 20; p += 2 {
		for q := 0; q <= 20; q += 2 {
			switch r := math.Hypot(float64(p), float64(q)); {
			case r > 0 && r < 8:
				low, lows = low+power(p, q), lows+1
			case r > 16:
				high, highs = high+power(p, q), highs+1
			}
		}
	}
	if ratio := low / float64(lows) / (high / float64(highs)); ratio > 0.06 {
		t.Errorf("low frequencies have %.3f of the power of others", ratio)
	}
}
