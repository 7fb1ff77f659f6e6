package render

import (
	"math"
	"testing"

	"zarf/core/geom"
)

func TestSincosIsThatOfTheLibrary(t *testing.T) {
	for i := range 200001 {
		x := (float64(i)/100000 - 1) * 4 * math.Pi
		s, c := sincos(x)
		if math.Abs(s-math.Sin(x)) > 2e-11 || math.Abs(c-math.Cos(x)) > 2e-11 {
			t.Fatalf("at %g: %g and %g, not %g and %g", x, s, c, math.Sin(x), math.Cos(x))
		}
	}
}

// What a distribution draws is what its weights say, those of nothing never.
func TestDrawsGoByWeight(t *testing.T) {
	w := []float64{0, 3, 0, 0, 1, 1e-9, 0, 12, 0}
	d := newDiscrete(w)
	const n = 160000
	count := make([]int, len(w))
	for i := range n {
		at, p := d.draw((float64(i) + 0.5) / n)
		if count[at]++; math.Abs(p-w[at]/d.total) > 1e-12 || w[at] == 0 {
			t.Fatalf("entry %d drawn with a chance of %g", at, p)
		}
	}
	for i, m := range count {
		if math.Abs(float64(m)/n-w[i]/d.total) > 1e-5 {
			t.Errorf("entry %d of weight %g was drawn %d times of %d", i, w[i], m, n)
		}
	}
	if at, _ := d.draw(0); w[at] == 0 {
		t.Errorf("0 draws entry %d", at)
	}
}

// A row that is looked up is the one in which a direction's angle lies.
func TestRowsAreFound(t *testing.T) {
	for _, h := range []int{1, 2, 7, 64} {
		e := &Env{W: 1, H: h}
		e.rule()
		for i := range 20001 {
			y := 1 - float64(i)/10000
			want := min(math.Acos(y)/math.Pi*float64(h), float64(h)-1e-9)
			if got := e.row(geom.Vec3{Y: y}); math.Abs(want-float64(got)-0.5) > 0.5+1e-7 {
				t.Fatalf("%d rows: %g lies in row %d, not %.4f", h, y, got, want)
			}
		}
	}
}
