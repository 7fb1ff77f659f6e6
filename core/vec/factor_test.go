package vec

import (
	"math"
	"math/big"
	"math/rand"
	"slices"
	"testing"
)

// Every set leaves the same bits of a dense factor's kernels, and they are what is meant.
func TestFactorKernels(t *testing.T) {
	defer func(was Set) { Chosen = was }(Chosen)
	r := rand.New(rand.NewSource(3))
	row := func(n int) []float32 {
		out := make([]float32, n)
		for i := range out {
			out[i] = float32(r.NormFloat64())
		}
		return out
	}
	c0 := float32(1e-17) // too small for pivot to keep
	for _, n := range []int{16, 32, 48, 80, 160} {
		const wide, step, k = 176, 170, 7
		c, a, x := row(4*wide), row(k*step+16), row(n)
		c[7] = c0
		var l [10]float32
		var y [4]float32
		copy(l[:], row(10))
		copy(y[:], row(4))
		var first [4][]float32
		for at, set := range Sets() {
			Chosen = set
			got := [4][]float32{slices.Clone(c), slices.Clone(c), slices.Clone(x), make([]float32, 64)}
			Eliminate(got[0], a, a[3:], wide, step, step-1, k, n)
			Pivot(got[1], wide, &l, n)
			Forward(got[2], c, wide, &y, n)
			Backward((*[64]float32)(got[3]), x, c, wide, n)
			if at == 0 {
				first = got
				continue
			}
			for m, name := range []string{"eliminate", "pivot", "forward", "backward"} {
				for i := range got[m] {
					if math.Float32bits(got[m][i]) != math.Float32bits(first[m][i]) {
						t.Fatalf("%s of %d rows with %s: number %d is %g, the reference %g", name, n, set, i, got[m][i], first[m][i])
					}
				}
			}
		}
		if got := first[1][7]; got != 0 {
			t.Errorf("what is next to nothing is kept as %g", got)
		}
		// column 2, row 5
		want := float64(c[2*wide+5])
		for m := range k {
			want -= float64(a[m*step+5]) * float64(a[m*(step-1)+3+2])
		}
		if got := float64(first[0][2*wide+5]); math.Abs(got-want) > 1e-4 {
			t.Errorf("eliminated it is %g, by hand %g", got, want)
		}
		if got := first[0][3*wide+n]; got != c[3*wide+n] {
			t.Errorf("a row beyond %d was changed", n)
		}
		var dot float64
		for i := range n {
			dot += float64(x[i]) * float64(c[wide+i])
		}
		var sum float64
		for _, v := range first[3][16:32] {
			sum += float64(v)
		}
		if math.Abs(sum-dot) > 1e-4*float64(n) {
			t.Errorf("backward comes to %g, by hand %g", sum, dot)
		}
		if got, want := first[1][wide+4], (c[wide+4]-c[4]*l[0]*l[1])*l[2]; math.Abs(float64(got-want)) > 1e-5 {
			t.Errorf("pivoted it is %g, by hand %g", got, want)
		}
	}
}

// What is fused is what exact arithmetic rounds to.
func TestFused(t *testing.T) {
	r := rand.New(rand.NewSource(8))
	any := func() float32 {
		return float32(math.Ldexp(float64(r.Int63n(1<<24)-1<<23), r.Intn(40)-40))
	}
	for range 200_000 {
		a, b, c := any(), any(), any()
		if r.Intn(2) == 0 { // nearly cancels
			c = -float32(float64(a)*float64(b)) + any()*1e-6
		}
		long := func(v float32) *big.Float { return new(big.Float).SetPrec(400).SetFloat64(float64(v)) }
		exact := long(a)
		exact.Add(exact.Mul(exact, long(b)), long(c))
		want, _ := exact.Float32()
		if got := fused(a, b, c); got != want {
			t.Fatalf("%g × %g + %g is %g, not %g", a, b, c, want, got)
		}
	}
}
