package noise

import (
	"math"
	"testing"
)

// along is noise at a row of places.
func along(t testing.TB, seed uint64, octaves int, xs []float64, y, z float64) []float32 {
	l, err := NewLine(xs, octaves)
	if err != nil {
		t.Fatal(err)
	}
	dst := make([]float32, l.Room())
	l.Rows().Add(dst, seed, y, z)
	return dst[:len(xs)]
}

// A row is its points to 32 bits, however they lie.
func TestRowsAreTheirPoints(t *testing.T) {
	for n, step := range []float64{0.25, 0.03, 0.7, 1, 2.6, 90, 0} {
		xs := make([]float64, 57)
		for i := range xs {
			xs[i] = -3.7 + step*float64(i)
		}
		y, z := 0.31*float64(n)-1.2, 2.9-0.83*float64(n)
		octaves := 1 + n%5
		for i, got := range along(t, uint64(n), octaves, xs, y, z) {
			if want := Octaves(uint64(n), octaves, xs[i], y, z); math.Abs(float64(got)-want) > 3e-7 {
				t.Fatalf("step %g: %d octaves at %g are %g, one by one %g", step, octaves, xs[i], got, want)
			}
		}
	}
	// so little under a whole number that rounding makes it that
	for _, x := range []float64{-1e-20, -1e-300, 3 - 1e-16, -2 - 1e-17} {
		xs := []float64{x - 0.25, x, x + 0.1}
		for i, got := range along(t, 5, 2, xs, -1e-20, 0.4) {
			if want := Octaves(5, 2, xs[i], -1e-20, 0.4); math.Abs(float64(got)-want) > 3e-7 {
				t.Errorf("beside %g: %g, one by one %g", x, got, want)
			}
		}
	}
	if whole := along(t, 1, 3, []float64{2}, -3, 4); whole[0] != 0 {
		t.Errorf("%g at a lattice point", whole[0])
	}
}

// Rows that follow each other know what those before them did, and mustn't take it where it is
// another's.
func TestRowsInTurnAreThoseAlone(t *testing.T) {
	xs := make([]float64, 40)
	for i := range xs {
		xs[i] = float64(i) * 0.11
	}
	l, err := NewLine(xs, 3)
	if err != nil {
		t.Fatal(err)
	}
	rows, dst := l.Rows(), make([]float32, 48)
	for n, at := range [][3]float64{{0.1, 0.2, 1}, {0.3, 0.2, 1}, {0.3, 0.2, 2}, {1.3, 0.2, 2}, {1.3, -0.2, 2}, {0.3, 0.2, 1}} {
		clear(dst)
		rows.Add(dst, uint64(at[2]), at[0], at[1])
		for i, want := range along(t, uint64(at[2]), 3, xs, at[0], at[1]) {
			if dst[i] != want {
				t.Fatalf("row %d, place %d: %g, alone %g", n, i, dst[i], want)
			}
		}
	}
}

func TestLinesOfNoPlaces(t *testing.T) {
	for _, xs := range [][]float64{{math.NaN()}, {0, math.Inf(1)}, {1, 0.5}, {1e300}} {
		if _, err := NewLine(xs, 2); err == nil {
			t.Errorf("a line of %v was made", xs)
		}
	}
	if got := along(t, 1, 2, nil, 0, 0); len(got) != 0 {
		t.Errorf("no places have %v", got)
	}
}

func BenchmarkRows(b *testing.B) {
	xs := make([]float64, 128)
	for i := range xs {
		xs[i] = float64(i) / 16
	}
	l, err := NewLine(xs, 3)
	if err != nil {
		b.Fatal(err)
	}
	rows, dst := l.Rows(), make([]float32, 128)
	y := 0.3
	for b.Loop() {
		rows.Add(dst, 1, y, 0.7)
		y += 1.0 / 16
	}
	b.ReportMetric(b.Elapsed().Seconds()*1e9/float64(b.N)/128, "ns/value")
}
