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

// A row has the bits of its points, however they lie.
func TestRowsAreTheirPoints(t *testing.T) {
	for n, step := range []float64{0.25, 0.03, 0.7, 1, 2.6, -0.4, 0} {
		xs, dst := make([]float64, 57), make([]float64, 57)
		for i := range xs {
			xs[i] = -3.7 + step*float64(i)
		}
		y, z := 0.31*float64(n)-1.2, 2.9-0.83*float64(n)
		octaves := 1 + n%5
		Row(dst, uint64(n), octaves, xs, y, z)
		for i, x := range xs {
			if want := Octaves(uint64(n), octaves, x, y, z); dst[i] != want {
				t.Fatalf("step %g: %d octaves at %g are %g, one by one %g", step, octaves, x, dst[i], want)
			}
		}
	}
	// so little under a whole number that rounding makes it that
	for _, x := range []float64{-1e-20, -1e-300, 3 - 1e-16, -2 - 1e-17} {
		dst := make([]float64, 3)
		xs := []float64{x - 0.25, x, x + 0.1}
		Row(dst, 5, 2, xs, -1e-20, 0.4)
		for i := range xs {
			if want := Octaves(5, 2, xs[i], -1e-20, 0.4); dst[i] != want {
				t.Errorf("beside %g: %g, one by one %g", x, dst[i], want)
			}
		}
	}
	odd := make([]float64, 3)
	Row(odd, 1, 2, []float64{math.NaN(), math.Inf(1), 0.5}, 0.5, 0.5)
	if odd[0] == odd[0] || odd[1] == odd[1] || odd[2] != Octaves(1, 2, 0.5, 0.5, 0.5) {
		t.Errorf("beside what is no number: %v", odd)
	}
	whole := []float64{0}
	Row(whole, 1, 3, []float64{2}, -3, 4)
	if whole[0] != 0 {
		t.Errorf("%g at a lattice point", whole[0])
	}
}

func BenchmarkRow(b *testing.B) {
	xs, dst := make([]float64, 128), make([]float64, 128)
	for i := range xs {
		xs[i] = float64(i) / 16
	}
	for b.Loop() {
		Row(dst, 1, 3, xs, 0.3, 0.7)
	}
	b.ReportMetric(b.Elapsed().Seconds()*1e9/float64(b.N)/128, "ns/value")
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
