package gas

import (
	"math"
	"math/rand/v2"
	"testing"
)

// The vector kernels give the bits of the plain ones, at every length.
func TestKernelsGiveTheSameBits(t *testing.T) {
	if !useVectors {
		t.Skip("this processor has no AVX-512")
	}
	defer func() { useVectors = true }()
	rng := rand.New(rand.NewPCG(1, 2))
	for n := 1; n < 70; n++ {
		var in [6][]float32
		for i := range in {
			in[i] = make([]float32, n)
			for j := range in[i] {
				in[i][j] = rng.Float32()*4 - 2
			}
		}
		in[5][n/2] = float32(math.Copysign(0, -1))
		var got [2][][]float32
		for pass := range 2 {
			useVectors = pass == 0
			a, b := make([]float32, n), make([]float32, n)
			followed(a, in[0], in[1], 3.5, 1)
			limit(b, in[0], in[1], in[2], in[3], in[4])
			top, odd := largest(in[5])
			flags := []float32{top, 0, 0}
			if odd {
				flags[1] = 1
			}
			if outside(in[2], 1.9) {
				flags[2] = 1
			}
			got[pass] = [][]float32{a, b, flags}
		}
		for r := range got[0] {
			for i, v := range got[0][r] {
				if math.Float32bits(v) != math.Float32bits(got[1][r][i]) {
					t.Fatalf("length %d, result %d, value %d: %g with vectors, %g without", n, r, i, v, got[1][r][i])
				}
			}
		}
	}
	bad := make([]float32, 33)
	bad[32] = float32(math.NaN())
	for _, off := range []bool{false, true} {
		useVectors = !off
		if _, odd := largest(bad); !odd {
			t.Errorf("vectors off %v: NaN was not seen", off)
		}
	}
}
