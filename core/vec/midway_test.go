package vec

import (
	"math"
	"math/rand/v2"
	"testing"
)

func init() {
	kernels["Midway"] = func(r *rand.Rand, n int) []float32 {
		rows := make([][]Sixteen, 5)
		for i := range rows {
			rows[i] = make([]Sixteen, n)
			for p := range rows[i] {
				copy(rows[i][p][:], values(r, Lanes))
			}
		}
		var rel, base Sixteen
		for l := range rel {
			rel[l], base[l] = r.Float32(), r.Float32()
		}
		bad := make([]uint8, n)
		Midway(rows[4], rows[0], rows[1], rows[2], rows[3], &rel, &base, bad)
		var all []float32
		for p, v := range rows[4] {
			all = append(append(all, v[:]...), float32(bad[p]))
		}
		return all
	}
}

// A cubic is met in its middle; it is told from a straight line, and what is no number
// from both.
func TestMidwayMeetsCubics(t *testing.T) {
	f := func(x float32) float32 { return 1 + x*(2+x*(-3+0.5*x)) }
	var p [4][]Sixteen
	for i := range p {
		p[i] = make([]Sixteen, 3)
		x := float32(i) - 1.5
		p[i][0][3], p[i][1][15], p[i][2][8] = f(x), 2*x, 2*x
	}
	p[2][2][8] = float32(math.NaN())
	dst, bad := make([]Sixteen, 3), make([]uint8, 3)
	var rel, base Sixteen
	for l := range rel {
		rel[l], base[l] = 0.1, 0.5
	}
	Midway(dst, p[0], p[1], p[2], p[3], &rel, &base, bad)
	if math.Abs(float64(dst[0][3]-1)) > 1e-6 {
		t.Errorf("a cubic's middle is %g, not 1", dst[0][3])
	}
	if want := [3]uint8{1, 0, 1}; [3]uint8(bad) != want {
		t.Errorf("marked %v, not %v", bad, want)
	}
}
