package grid

import (
	"math"
	"math/rand/v2"
	"sync/atomic"
	"testing"
)

func noisy(d Dims, seed uint64) *Field {
	f := NewField(d)
	rng := rand.New(rand.NewPCG(seed, 1))
	for i := range f.Data {
		f.Data[i] = rng.Float32()*4 - 2
	}
	return f
}

func TestSampleIsExactForLinearFields(t *testing.T) {
	f := NewField(Dims{7, 5, 6})
	for k := range 6 {
		for j := range 5 {
			for i := range 7 {
				f.Set(i, j, k, float32(i)+10*float32(j)-3*float32(k))
			}
		}
	}
	for _, p := range [][3]float32{{0, 0, 0}, {1.25, 2.5, 3.75}, {6, 4, 5}, {5.999, 0.001, 4.5}} {
		want := p[0] + 10*p[1] - 3*p[2]
		if got := f.Sample(p[0], p[1], p[2]); math.Abs(float64(got-want)) > 1e-4 {
			t.Errorf("at %v: %g, want %g", p, got, want)
		}
	}
	if f.Sample(-3, 9, 2) != f.At(0, 4, 2) || f.Sample(99, -1, 99) != f.At(6, 0, 5) {
		t.Error("outside positions don't take the border's value")
	}
	if v := f.Sample(float32(math.NaN()), 0, 0); v != 0 {
		t.Errorf("NaN gives %g", v)
	}
}

// The vector kernels must give the bits of the plain functions, at borders,
// outside, at NaN, and for grids one cell deep.
func TestBatchesGiveTheSameBits(t *testing.T) {
	for _, d := range []Dims{{33, 17, 9}, {16, 1, 20}, {1, 1, 1}, {2, 40, 1}, {64, 64, 3}} {
		f := noisy(d, 3)
		rng := rand.New(rand.NewPCG(9, 9))
		n := 1003
		x, y, z := make([]float32, n), make([]float32, n), make([]float32, n)
		for i := range x {
			x[i] = rng.Float32()*float32(d.NX+6) - 3
			y[i] = rng.Float32()*float32(d.NY+6) - 3
			z[i] = rng.Float32()*float32(d.NZ+6) - 3
		}
		x[5], y[6], z[7], x[8] = float32(math.NaN()), float32(math.Inf(1)), float32(math.Inf(-1)), float32(d.NX-1)+0.5
		off := [3]float32{0.5, 0, 0.5}
		got, again, lo, hi := make([]float32, n), make([]float32, n), make([]float32, n), make([]float32, n)
		f.SampleBatch(got, x, y, z, off)
		f.SampleRangeBatch(again, lo, hi, x, y, z, off)
		for i := range x {
			want := f.Sample(x[i]-off[0], y[i]-off[1], z[i]-off[2])
			a, b := f.NodeRange(x[i]-off[0], y[i]-off[1], z[i]-off[2])
			if math.Float32bits(got[i]) != math.Float32bits(want) || again[i] != want || lo[i] != a || hi[i] != b {
				t.Fatalf("%v at (%g %g %g): %g [%g %g], want %g [%g %g]", d, x[i], y[i], z[i], got[i], lo[i], hi[i], want, a, b)
			}
		}
	}
}

func TestForCoversEverythingOnce(t *testing.T) {
	for _, threads := range []int{1, 2, 5} {
		for _, n := range []int{0, 1, 7, 1000} {
			hits := make([]atomic.Int32, n)
			NewCrew(threads).For(n, 3, func(lo, hi int) {
				for i := lo; i < hi; i++ {
					hits[i].Add(1)
				}
			})
			for i := range hits {
				if hits[i].Load() != 1 {
					t.Fatalf("%d threads, %d: index %d done %d times", threads, n, i, hits[i].Load())
				}
			}
		}
	}
}

func TestSumHasTheSameBits(t *testing.T) {
	f := noisy(Dims{100, 10, 10}, 1)
	one := func(k int) float64 { return float64(f.Data[k]) * 1e-3 }
	want := NewCrew(1).Sum(1000, 1, one)
	if got := NewCrew(4).Sum(1000, 1, one); got != want {
		t.Errorf("%v, one thread %v", got, want)
	}
}

func TestCrashInAThreadReachesTheCaller(t *testing.T) {
	defer func() {
		if recover() == nil {
			t.Error("the crash was swallowed")
		}
	}()
	NewCrew(3).For(100, 1, func(lo, hi int) {
		if lo > 50 {
			panic("boom")
		}
	})
}

// A call ends when its pieces are done, though helpers may have no processor just then;
// and calls within calls and beside each other do all of theirs.
func TestForEndsWithItsPieces(t *testing.T) {
	c := NewCrew(4)
	for round := range 300 {
		var done [64]int32
		c.For(len(done), 1, func(lo, hi int) {
			for i := lo; i < hi; i++ {
				if i%16 == 0 {
					c.For(8, 1, func(a, b int) { atomic.AddInt32(&done[i], int32(b-a)) })
					continue
				}
				atomic.AddInt32(&done[i], 8)
			}
		})
		for i, n := range done {
			if n != 8 {
				t.Fatalf("round %d: piece %d was done %d eighths", round, i, n)
			}
		}
	}
}
