package vec

import (
	"math"
	"math/rand/v2"
	"testing"
)

func init() {
	row := func(r *rand.Rand, lo, hi float32) (x Row32) {
		for i := range x {
			x[i] = lo + (hi-lo)*r.Float32()
		}
		return x
	}
	kernels["Depths"] = func(r *rand.Rand, _ int) []float32 {
		n := [3]int{1 + r.IntN(40), 1 + r.IntN(5), 1 + r.IntN(5)}
		mean := make([]float32, n[0]*n[1]*n[2]+Lanes)
		for i := range mean {
			mean[i] = r.Float32()
		}
		x := row(r, -1, 10)
		w := Ways{At: 10 * r.Float32(), Step: r.Float32(), From: r.Float32(), By: 3 * r.Float32(), Y: 5*r.Float32() - 1, Z: 5*r.Float32() - 1, SY: r.Float32() - 0.5, SZ: r.Float32() - 0.5, Looks: 1 + r.IntN(16)}
		var dst Row32
		Depths(&dst, &x, mean, n, &w)
		return dst[:]
	}
	kernels["Reach"] = func(r *rand.Rand, _ int) []float32 {
		x, tau := row(r, -1, 10), row(r, 0, 3)
		var radii, way Row32
		Reach(&radii, &way, &tau, &x, 4, r.Float32(), 3)
		return append(append(radii[:], way[:]...), tau[:]...)
	}
	kernels["Beam"] = func(r *rand.Rand, _ int) []float32 {
		radii, tau, pass := row(r, 0.1, 10), row(r, 0, 30), row(r, 0, 1)
		var w Row32
		Beam(&w, &radii, &tau, &pass, 0.3)
		return w[:]
	}
	kernels["Receive"] = func(r *rand.Rand, _ int) []float32 {
		var sum, flux [3]Row32
		for c := range 3 {
			sum[c], flux[c] = row(r, 0, 1), row(r, -1, 1)
		}
		w, way, x := row(r, 0, 1), row(r, 0, 2), row(r, 0, 2)
		Receive(&sum, &flux, &w, &way, &x, &[3]float32{3, 2, 1}, &[3]float32{1, -0.5, 2}, 6)
		var out []float32
		for c := range 3 {
			out = append(append(out, sum[c][:]...), flux[c][:]...)
		}
		return out
	}
}

// The depth of even smoke is as long as the way through it.
func TestDepthsCountCellsOnTheWay(t *testing.T) {
	n := [3]int{20, 2, 2}
	mean := make([]float32, 80+Lanes)
	for i := range mean {
		mean[i] = 1
	}
	var x, dst Row32
	for i := range x {
		x[i] = float32(i)
	}
	// from x to −4 in 16 steps: what lies within the grid are cells 0 to 20
	Depths(&dst, &x, mean, n, &Ways{At: -4, Step: 1.0 / 16, By: 1, Y: 1.5, Looks: 16})
	for i, d := range dst {
		long := float64(i + 4)
		// what is truncated below 0 counts as the first cell
		if want := 16 * (math.Min(float64(i), 20) + 1) / long; math.Abs(float64(d)-want) > 1 {
			t.Errorf("from %d: %g of 16 looks, not %g", i, d, want)
		}
	}
}
