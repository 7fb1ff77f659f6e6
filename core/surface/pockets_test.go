package surface

import "testing"

// TestPocketsAreFilled: small ones under the surface are; large ones, and air over it, stay.
func TestPocketsAreFilled(t *testing.T) {
	l := lattice(24)
	for c := range l.V {
		l.V[c] = -1
		if c/24%24 >= 18 {
			l.V[c] = 1 // air over the surface
		}
	}
	hole := func(i, j, k, n int) {
		for c := range n * n * n {
			l.V[l.At(i+c%n, j+c/n%n, k+c/(n*n))] = 1
		}
	}
	hole(4, 4, 4, 2)
	hole(10, 8, 10, 4)
	hole(16, 15, 16, 3) // joined to the air over it
	want := append([]float32(nil), l.V...)
	if n := FillPockets(l, 20, pair); n != 8 {
		t.Errorf("%d cells were filled, of a pocket of 8", n)
	}
	for c := range l.V {
		i, j, k := c%24, c/24%24, c/(24*24)
		small := i >= 4 && i < 6 && j >= 4 && j < 6 && k >= 4 && k < 6
		if (l.V[c] > 0) != (want[c] > 0 && !small) {
			t.Fatalf("cell %d %d %d is %g, was %g", i, j, k, l.V[c], want[c])
		}
	}
}
