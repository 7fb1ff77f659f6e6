package vec

import (
	"math"
	"math/rand/v2"
	"testing"
)

func init() {
	kernels["Fill"] = func(r *rand.Rand, n int) []float32 {
		f := values(r, 400+n)
		var s Spread
		for i := range s.Y {
			s.Y[i], s.Z[i] = r.IntN(150), r.IntN(150)
		}
		for i := range s.FX {
			s.X[0][i], s.X[1][i], s.FX[i] = int32(r.IntN(8)), int32(r.IntN(8)), r.Float32()
		}
		for i := range s.F[0] {
			s.F[0][i], s.F[1][i] = r.Float32(), r.Float32()
		}
		var rows [4]BrickRows
		for c := range rows {
			rows[c].Fill(f[c:], &s)
		}
		halves := make([]uint16, BrickSize)
		Braid(halves, &[4]*BrickRows{&rows[0], &rows[1], &rows[2], &rows[3]}, &[4]float32{1, 0.5, 1e-7, 1e5})
		var out []float32
		for _, h := range halves {
			out = append(out, Float(h))
		}
		return append(out, rows[1][80][:]...)
	}
}

// Rows between those of a field of straight lines lie on these, and numbers of a value side
// by side.
func TestBricksAreFilledBetweenRows(t *testing.T) {
	const w = 16
	f := make([]float32, w*w*w)
	for i := range f {
		f[i] = float32(i%w) + 10*float32(i/w%w) + 100*float32(i/(w*w))
	}
	var s Spread
	for i := range BrickValues {
		at := 1 + 0.5*float32(i)
		n, q := Split(at, w)
		s.X[0][i], s.X[1][i], s.FX[i] = int32(n), int32(n+1), q
		s.Y[i], s.Y[i+BrickValues], s.F[0][i] = w*n, w*(n+1), q
		s.Z[i], s.Z[i+BrickValues], s.F[1][i] = w*w*n, w*w*(n+1), q
	}
	var a, none BrickRows
	a.Fill(f, &s)
	out := make([]uint16, BrickSize)
	Braid(out, &[4]*BrickRows{&none, &none, &a, &none}, &[4]float32{1, 1, 0.5, 1})
	for i := range BrickSize / 4 {
		x, y, z := float64(i%9), float64(i/9%9), float64(i/81)
		if want := 0.5 * (111 + 0.5*(x+10*y+100*z)); math.Abs(float64(Float(out[4*i+2]))/want-1) > 1.0/2048 || out[4*i+1] != 0 {
			t.Fatalf("value %d is %g, not %g", i, Float(out[4*i+2]), want)
		}
	}
}
