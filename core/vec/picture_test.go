package vec

import (
	"math"
	"math/rand/v2"
	"testing"
)

func init() {
	planes := func(r *rand.Rand, count, n int) (Planes, int) {
		off := r.IntN(41) - 20
		step := n + 40 + r.IntN(20)
		return Planes{values(r, count*step+40), 20, step}, off
	}
	kernels["Differ"] = func(r *rand.Rand, n int) []float32 {
		n &^= 15
		light, off := planes(r, 4, n)
		noise := Planes{values(r, len(light.A)), light.At, light.Step}
		for i, v := range noise.A {
			noise.A[i] = v * v
		}
		dst := make([]float32, n)
		Differ(dst, light, noise, off, 0.4)
		return dst
	}
	kernels["Part"] = func(r *rand.Rand, n int) []float32 {
		n &^= 15
		count := 1 + r.IntN(7)
		p, off := planes(r, count, n)
		dst := make([]float32, n)
		Part(dst, p, count, off)
		return dst
	}
	kernels["GatherLike"] = func(r *rand.Rand, n int) []float32 {
		n &^= 15
		in, off := planes(r, 4, n)
		out := Planes{values(r, len(in.A)), in.At, in.Step}
		row := n + 2
		weight, far := values(r, n), values(r, n)
		for i := range far {
			far[i] *= far[i]
		}
		GatherLike(weight, out, in, values(r, 3*row+2), row+1, row, far, values(r, n), off, 0.3)
		return append(weight, out.A...)
	}
	kernels["Deepen"] = func(r *rand.Rand, n int) []float32 {
		depth, out, od := make([]float32, n), values(r, n), values(r, n)
		from := [4][]float32{values(r, n), values(r, n), values(r, n), values(r, n)}
		for _, row := range append(from[:], od) { // depths are neither negative nor NaN
			for i, v := range row {
				if row[i] = float32(math.Abs(float64(v))); !(row[i] < 1e30) {
					row[i] = 40
				}
			}
		}
		Deepen(depth, out, od, &from, &[4]float32{0.2, 0.3, 0.4, 0.1}, 0.7, 0.36, float32(r.IntN(2)))
		return append(depth, out...)
	}
	kernels["Fade"] = func(r *rand.Rand, n int) []float32 {
		n &^= 15
		dst, a := make([]float32, n), make([]float32, n)
		for i := range a {
			a[i] = 200 * r.Float32()
		}
		Fade(dst, a, 0.6)
		return dst
	}
}

func TestFallIsTheExponential(t *testing.T) {
	for d := float32(0); d <= 12; d += 1.0 / 512 {
		if got, want := float64(fall(d)), math.Exp(-float64(d)); math.Abs(got/want-1) > 3e-6 {
			t.Fatalf("e^−%g is told as %g, is %g", d, got, want)
		}
	}
}
