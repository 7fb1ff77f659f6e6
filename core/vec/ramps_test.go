package vec

import (
	"math/rand/v2"
	"testing"
)

// ramps are places in a row of cells, a block within RampCells of them.
func ramps(r *rand.Rand, n int) (x, u []float32, at, start []int32, g, k []float32) {
	n = (n + Lanes - 1) &^ (Lanes - 1)
	x, u, at, start = make([]float32, n), make([]float32, n), make([]int32, n), make([]int32, n/Lanes)
	for i := range x {
		x[i], u[i], at[i] = r.Float32(), r.Float32(), r.Int32N(RampCells)
	}
	for b := range start {
		start[b] = r.Int32N(20)
	}
	return x, u, at, start, values(r, 20+RampCells), values(r, 20+RampCells)
}

func init() {
	kernels["Ramps"] = func(r *rand.Rand, n int) []float32 {
		x, u, at, start, g, k := ramps(r, n)
		dst := values(r, len(x))
		Ramps(dst, x, u, at, start, g, k, 0.3)
		return dst
	}
}

// A ramp between two lines is the first where u is 0, the second where it is 1.
func TestRampsGoFromLineToLine(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 2))
	x, u, at, start, g, k := ramps(r, 64)
	for i := range u {
		u[i] = float32(i % 2)
	}
	dst := make([]float32, len(x))
	Ramps(dst, x, u, at, start, g, k, 2)
	for i, got := range dst {
		c := start[i/Lanes] + at[i] + int32(u[i])
		if want := 2 * (g[c]*(x[i]-u[i]) + k[c]); abs(got-want) > 1e-4*(1+abs(want)) {
			t.Errorf("value %d is %g, not %g", i, got, want)
		}
	}
	defer func() {
		if recover() == nil {
			t.Error("cells beyond the table were read")
		}
	}()
	start[0] = 20
	Ramps(dst, x, u, at, start, g, k, 2)
}
