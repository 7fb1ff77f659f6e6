package render

import (
	"math"
	"sort"
	"testing"
)

// Free paths have a mean and a spread of 1, and are distributed as e^−x says, to the end of
// the tail (Kolmogorov and Smirnov).
func TestFreePathsAreExponential(t *testing.T) {
	const n = 400_000
	r := dice{42}
	list := make([]float64, n)
	var sum, square float64
	for i := range list {
		list[i] = r.free()
		sum, square = sum+list[i], square+list[i]*list[i]
	}
	mean := sum / n
	if spread := math.Sqrt(square/n - mean*mean); math.Abs(mean-1) > 0.006 || math.Abs(spread-1) > 0.01 {
		t.Errorf("mean %.4f, spread %.4f", mean, spread)
	}
	sort.Float64s(list)
	far, tail := 0.0, 0
	for i, x := range list {
		far = max(far, math.Abs((float64(i)+0.5)/n-(1-math.Exp(-x))))
		if x > layersEnd {
			tail++
		}
	}
	if far > 1.63/math.Sqrt(n) { // one in a hundred
		t.Errorf("off by %.5f", far)
	}
	if want := n * math.Exp(-layersEnd); math.Abs(float64(tail)-want) > 5*math.Sqrt(want) {
		t.Errorf("%d lie beyond %.1f, want about %.0f", tail, layersEnd, want)
	}
}
