package vec

import (
	"math"
	"testing"
)

// A staggered grid's lattices and a batch of particles in it, some on its border.
func staggeredScene(n int) (g Staggered, rec []Record, lat [4][]float32) {
	g = NewStaggered(9, 7, 5)
	for l := range lat {
		lat[l] = noisy(g.Len(), int64(l)+1)
	}
	rec = make([]Record, n)
	u := noisy(8*n, 9)
	for i := range rec {
		for c := range 8 {
			rec[i][c] = u[8*i+c]
		}
		for a, top := range [3]float32{9, 7, 5} {
			rec[i][a] = top * min(max(abs(u[8*i+a])*1.2-0.1, 0), 1)
		}
	}
	return g, rec, lat
}

// noisy are n numbers from −1 to 1.
func noisy(n int, seed int64) []float32 {
	out := make([]float32, n)
	h := uint64(seed) * 0x9e3779b97f4a7c15
	for i := range out {
		h ^= h << 13
		h ^= h >> 7
		h ^= h << 17
		out[i] = float32(int32(h>>32)) / (1 << 31)
	}
	return out
}

// staggeredAll runs every kernel once.
func staggeredAll(n int, sloped bool) (out []float32, cells []int32) {
	g, rec, lat := staggeredScene(n)
	var c [8]Column
	Columns(&c, rec)
	x, v := [3]Column{c[0], c[1], c[2]}, [4]Column{c[4], c[5], c[6], c[3]}
	var p Placing
	g.Place(&p, &x, n)
	var slopes [][3][3]float32
	if sloped {
		slopes = make([][3][3]float32, n)
		s := noisy(9*n, 77)
		for i := range slopes {
			for m := range 9 {
				slopes[i][m/3][m%3] = s[9*i+m]
			}
		}
	}
	g.Scatter(&lat, &p, &v, slopes, n)
	var to [Bunch]int32
	g.Cells(&to, &x, n)
	for l := range lat {
		out = append(out, lat[l]...)
	}
	for a := range 3 {
		Lead(&x[a], &v[a], &x[a], &c[4+a], 0.3, 0.7, n)
		MoveWithin(&x[a], &c[3], 0.1, n)
		out = append(append(out, x[a][:n]...), v[a][:n]...)
	}
	back := make([]Record, n)
	Records(back, &c)
	for i := range back {
		out = append(out, back[i][:]...)
		if back[i] != rec[i] {
			return nil, nil
		}
	}
	return out, to[:n]
}

// Every set has the reference's bits, for batches that fill no block too.
func TestStaggeredKernels(t *testing.T) {
	was := Chosen
	defer func() { Chosen = was }()
	for _, n := range []int{0, 1, 7, 8, 16, 37, 255, 256} {
		for _, sloped := range []bool{false, true} {
			Chosen = Plain
			want, cells := staggeredAll(n, sloped)
			if n > 0 && want == nil {
				t.Fatal("records come back as others")
			}
			for _, set := range Sets() {
				Chosen = set
				got, in := staggeredAll(n, sloped)
				if len(got) != len(want) {
					t.Fatalf("%s, %d particles: %d values, want %d", set, n, len(got), len(want))
				}
				for i, v := range want {
					if math.Float32bits(v) != math.Float32bits(got[i]) {
						t.Fatalf("%s, %d particles, sloped %v: value %d of %d is %g, want %g", set, n, sloped, i, len(want), got[i], v)
					}
				}
				for i, c := range cells {
					if in[i] != c {
						t.Fatalf("%s: particle %d lies in cell %d, want %d", set, i, in[i], c)
					}
				}
			}
		}
	}
}

// Weights of a scatter add up to one a particle and values to theirs; each lattice finds
// its nodes where they lie, and slopes leave the sum of values at the mean place.
func TestStaggeredLatticesMeanWhatTheySay(t *testing.T) {
	g, rec, lat := staggeredScene(200)
	var c [8]Column
	Columns(&c, rec)
	x, v := [3]Column{c[0], c[1], c[2]}, [4]Column{c[4], c[5], c[6], c[3]}
	var p Placing
	g.Place(&p, &x, len(rec))
	slopes := make([][3][3]float32, len(rec))
	for i := range slopes {
		slopes[i] = [3][3]float32{{1, 2, 3}, {-1, 0, 4}, {2, 2, -5}}
	}
	for _, slopes := range [][][3][3]float32{nil, slopes} {
		for l := range lat {
			clear(lat[l])
		}
		g.Scatter(&lat, &p, &v, slopes, len(rec))
		for l := range lat {
			var weights, sum, want float64
			var place, mean [3]float64
			for k := -1; k <= 5; k++ {
				for j := -1; j <= 7; j++ {
					for i := -1; i <= 9; i++ {
						at := g.Row(j, k) + 2*i
						w := float64(lat[l][at+1])
						sum, weights = sum+float64(lat[l][at]), weights+w
						for a, n := range [3]int{i, j, k} {
							q := float64(n) + 0.5
							if a == l {
								q -= 0.5
							}
							place[a] += w * q
						}
					}
				}
			}
			for i := range rec {
				want += float64(v[l][i])
				for a := range 3 {
					mean[a] += float64(x[a][i])
				}
			}
			if math.Abs(weights-200) > 1e-3 || math.Abs(sum-want) > 2e-4 {
				t.Errorf("lattice %d: weights add up to %g, want 200; values to %g, want %g", l, weights, sum, want)
			}
			for a := range 3 {
				if math.Abs(place[a]-mean[a]) > 1e-3 {
					t.Errorf("lattice %d: places add up to %g along axis %d, want %g", l, place[a], a, mean[a])
				}
			}
		}
	}
}
