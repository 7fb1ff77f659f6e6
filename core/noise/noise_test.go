package noise

import (
	"math"
	"testing"
)

func TestNoiseIsSmoothAndBounded(t *testing.T) {
	sum, sq, n := 0.0, 0.0, 0
	for x := -8.03; x < 8; x += 0.37 {
		for y := -8.01; y < 8; y += 0.41 {
			v := At(3, x, y, 0.7*x-y)
			if math.Abs(v) > 1.2 || math.IsNaN(v) {
				t.Fatalf("noise is %g", v)
			}
			if d := math.Abs(At(3, x+1e-4, y, 0.7*x-y) - v); d > 1e-3 {
				t.Fatalf("noise jumps by %g", d)
			}
			sum, sq, n = sum+v, sq+v*v, n+1
		}
	}
	if m := sum / float64(n); math.Abs(m) > 0.05 || sq/float64(n) < 0.02 {
		t.Errorf("mean %g, mean square %g", m, sq/float64(n))
	}
	if At(1, 2, -3, 4) != 0 {
		t.Error("noise is not 0 at a lattice point")
	}
	if At(1, 0.5, 0.5, 0.5) == At(2, 0.5, 0.5, 0.5) {
		t.Error("another seed gives the same noise")
	}
}

func BenchmarkOctaves(b *testing.B) {
	sum := 0.0
	for b.Loop() {
		for i := range 128 {
			sum += Octaves(1, 3, float64(i)/16, 0.3, 0.7)
		}
	}
	b.ReportMetric(b.Elapsed().Seconds()*1e9/float64(b.N)/128, "ns/value")
}
