package sparse

import (
	"math"
	"math/rand"
	"slices"
	"testing"

	"zarf/core/geom"
	"zarf/core/grid"
)

// mesh is a grid of k by k vertices, each with those up to reach away from it.
func mesh(k, reach int) (start, col []int32, place []geom.Vec3) {
	start = append(start, 0)
	for i := range k {
		for j := range k {
			place = append(place, geom.V(float64(i), float64(j), 0))
			for a := max(i-reach, 0); a <= min(i+reach, k-1); a++ {
				for b := max(j-reach, 0); b <= min(j+reach, k-1); b++ {
					col = append(col, int32(a*k+b))
				}
			}
			start = append(start, int32(len(col)))
		}
	}
	return start, col, place
}

// halves makes items of two numbers and of one of every vertex, which share blocks as the vertices
// do.
func halves(start, col []int32, place []geom.Vec3) (s, c []int32, p []geom.Vec3, size []int8) {
	s = append(s, 0)
	for i := range place {
		for k := range 2 {
			for _, j := range col[start[i]:start[i+1]] {
				c = append(c, 2*j, 2*j+1)
			}
			s, p, size = append(s, int32(len(c))), append(p, place[i]), append(size, int8(2-k))
		}
	}
	return s, c, p, size
}

// filled gives a factor the blocks of a matrix that is symmetric, and positive by its diagonal, and
// returns what that times x is.
func filled(f *Factor, r *rand.Rand) func(x []float64) []float64 {
	at := make([]int, f.n+1)
	for i, s := range f.size {
		at[i+1] = at[i] + int(s)
	}
	type number struct {
		row, col int
		v        *float32
	}
	var all []number
	own := make([]*float32, at[f.n])
	sum := make([]float64, at[f.n])
	for e := range f.Row {
		for i := range int(f.size[f.Row[e]]) {
			for j := range int(f.size[f.Col[e]]) {
				n := number{at[f.Row[e]] + i, at[f.Col[e]] + j, &f.V[4*e+2*i+j]}
				switch {
				case n.row == n.col:
					own[n.row] = n.v
					continue
				case f.Row[e] == f.Col[e] && i < j:
					continue // below the diagonal it counts
				}
				*n.v = float32(r.NormFloat64())
				sum[n.row] += math.Abs(float64(*n.v))
				sum[n.col] += math.Abs(float64(*n.v))
				all = append(all, n)
			}
		}
	}
	for i, v := range own {
		*v = float32(sum[i] + 0.01)
	}
	return func(x []float64) []float64 {
		y := make([]float64, len(x))
		for i, v := range own {
			y[i] = float64(*v) * x[i]
		}
		for _, n := range all {
			y[n.row] += float64(*n.v) * x[n.col]
			y[n.col] += float64(*n.v) * x[n.row]
		}
		return y
	}
}

// A solve finds what a matrix was multiplied by, with the same bits on any number of threads.
func TestSolves(t *testing.T) {
	for _, c := range []struct{ k, reach int }{{1, 1}, {3, 1}, {7, 2}, {23, 1}, {31, 2}} {
		var first []float32
		for _, threads := range []int{1, 2} {
			f := New(halves(mesh(c.k, c.reach)))
			n := c.k * c.k
			r := rand.New(rand.NewSource(4))
			times := filled(f, r)
			x := make([]float64, 3*n)
			for i := range x {
				x[i] = r.NormFloat64()
			}
			b := make([]float32, 3*n)
			for i, v := range times(x) {
				b[i] = float32(v)
			}
			crew := grid.NewCrew(threads)
			f.Make(crew)
			again := slices.Clone(f.l)
			f.Make(crew)
			if !slices.Equal(again, f.l) {
				t.Errorf("%d by %d: made anew it is another", c.k, c.k)
			}
			f.Solve(b, crew)
			for i := range b {
				if math.Abs(float64(b[i])-x[i]) > 1e-3 {
					t.Fatalf("%d by %d, reach %d: x[%d] is %g, not %g", c.k, c.k, c.reach, i, b[i], x[i])
				}
			}
			if first == nil {
				first = b
			} else if !slices.Equal(first, b) {
				t.Errorf("%d by %d: two threads come to something else", c.k, c.k)
			}
		}
	}
}

// A matrix that isn't positive is factored as one that is about the same: nothing is infinite.
func TestNotPositive(t *testing.T) {
	f := New(halves(mesh(9, 1)))
	r := rand.New(rand.NewSource(7))
	filled(f, r)
	for e := range f.Row {
		if f.Row[e] == f.Col[e] && e%5 == 0 {
			f.V[4*e], f.V[4*e+3] = -1, 0
		}
	}
	f.Make(grid.NewCrew(2))
	b := make([]float32, 3*81)
	for i := range b {
		b[i] = float32(r.NormFloat64())
	}
	f.Solve(b, grid.NewCrew(2))
	for i, v := range b {
		if d := v - v; d != 0 {
			t.Fatalf("x[%d] is %g", i, v)
		}
	}
}
