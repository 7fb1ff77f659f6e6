package vec

import (
	"math"
	"math/rand/v2"
	"testing"
)

func init() {
	kernels["Looks"] = func(r *rand.Rand, n int) []float32 {
		n = min(n, MaxLooks)
		data := make([]uint16, 3*BrickSize)
		for i, v := range values(r, len(data)) {
			data[i] = Half(v)
		}
		b := NewBricks([3]int{1 + r.IntN(3), 1 + r.IntN(3), 1 + r.IntN(3)})
		b.Most = 2 * BrickSize
		for i := range b.At {
			b.At[i] = int32(r.IntN(3) * BrickSize)
		}
		var l Looks
		for l.Len() < n {
			count := min(1+r.IntN(20), n-l.Len())
			var w Way
			for a := range 3 {
				w[a], w[3+a] = 30*r.Float32()-2, 2*r.Float32()-1
			}
			switch r.IntN(5) {
			case 0:
				l.Nothing(count)
			case 1:
				l.ReadFew(data, &b, int32((1+r.IntN(2))*BrickSize), &w, count, 1+r.IntN(6))
			default:
				l.Read(data, &b, int32((1+r.IntN(2))*BrickSize), &w, count)
			}
		}
		var out Four
		full := l.Rows(&out, &[4]float32{1, 2, 0.5, 3})
		var all []float32
		for c := range out {
			all = append(all, out[c][:full]...)
		}
		return all
	}
	kernels["Dim"] = func(r *rand.Rand, n int) []float32 {
		n = min(n, MaxLooks) &^ 15
		var pass, kept [MaxLooks]float32
		for i := range n {
			pass[i] = r.Float32()
		}
		left := Dim(&pass, &kept, r.Float32(), n)
		return append(append(pass[:n], kept[:n]...), left)
	}
	kernels["Carry"] = func(r *rand.Rand, n int) []float32 {
		s := Slice{N: n, Rows: 1 + r.IntN(3), Wide: n + r.IntN(4), Step: n + r.IntN(4)}
		light, cells := s.Rows*s.Wide, s.Rows*s.Step
		to, out := make([]float32, light), values(r, cells)
		Carry(to, values(r, light), values(r, cells), values(r, cells), values(r, cells), out, s, r.Float32(), r.Float32())
		return append(to, out...)
	}
	kernels["Collect"] = func(r *rand.Rand, n int) []float32 {
		at, count := r.IntN(5), 1+r.IntN(14)
		step := at + n + r.IntN(5)
		dst, seen := make([]float32, n), values(r, n)
		if step > 0 {
			Collect(dst, seen, values(r, count*step), values(r, count*step), at, step)
		}
		return append(dst, seen...)
	}
	kernels["Flux"] = func(r *rand.Rand, n int) []float32 {
		at, count := r.IntN(5), 1+r.IntN(14)
		step := at + n + r.IntN(5)
		dirs := make([][3]float32, count)
		for i := range dirs {
			dirs[i] = [3]float32{r.Float32() - 0.5, r.Float32() - 0.5, r.Float32() - 0.5}
		}
		parts := make([]float32, count*step)
		for i := range parts {
			if r.IntN(3) > 0 {
				parts[i] = r.Float32()
			}
		}
		to := [3][]float32{make([]float32, n), make([]float32, n), make([]float32, n)}
		Flux(to, parts, dirs, at, step)
		return append(append(to[0], to[1]...), to[2]...)
	}
	kernels["Lean"] = func(r *rand.Rand, n int) []float32 {
		out := make([]float32, n)
		Lean(out, values(r, n), [3][]float32{values(r, n), values(r, n), values(r, n)}, [3]float32{0.3, -0.2, 0.7})
		return out
	}
	kernels["Seen"] = func(r *rand.Rand, n int) []float32 {
		dst, kept, pass := make([]float32, n), make([]float32, n), make([]float32, n)
		for i := range kept {
			kept[i], pass[i] = r.Float32(), r.Float32()
		}
		Seen(dst, kept, pass)
		return dst
	}
	kernels["Shares"] = func(r *rand.Rand, n int) []float32 {
		n = min(n, MaxLooks) &^ 15
		var rows Four
		var w [MaxLooks]float32
		copy(w[:], values(r, n))
		for c := range rows {
			copy(rows[c][:], values(r, n))
		}
		dst := [4]float32{1, 2, 3, 4}
		Shares(&dst, &w, &rows, n)
		return dst[:]
	}
}

// A brick reads what its values were made by, where that is linear along each axis.
func TestLooksReadBetweenValues(t *testing.T) {
	f := func(x, y, z float64) [4]float64 { return [4]float64{x, y - 2*z, 3 + x*y, x * y * z} }
	data := make([]uint16, 2*BrickSize)
	for k := range BrickValues {
		for j := range BrickValues {
			for i := range BrickValues {
				for c, v := range f(float64(i), float64(j), float64(k)) {
					data[BrickSize+4*((k*BrickValues+j)*BrickValues+i)+c] = Half(float32(v))
				}
			}
		}
	}
	var l Looks
	var got Four
	b := NewBricks([3]int{1, 1, 1})
	b.At[0], b.Most = BrickSize, BrickSize
	l.Read(data, &b, BrickSize, &Way{0.3, 7.9, 0, 0.37, -0.4, 0.42}, 16)
	l.Rows(&got, &[4]float32{1, 1, 1, 1})
	for i := range 16 {
		x, y, z := 0.3+0.37*float64(i), 7.9-0.4*float64(i), 0.42*float64(i)
		for c, v := range f(x, y, z) {
			if math.Abs(float64(got[c][i])-v) > 1e-3 {
				t.Errorf("number %d at (%g, %g, %g) is %g, not %g", c, x, y, z, got[c][i], v)
			}
		}
	}
}

// Few looks tell what changes evenly along a way as well as all do, whatever their number.
func TestFewLooksTellWhatChangesEvenly(t *testing.T) {
	data := make([]uint16, BrickSize)
	for n := range BrickSize / 4 {
		data[4*n] = Half(float32(n%9) + 0.5*float32(n/9%9) - 0.25*float32(n/81))
	}
	b := NewBricks([3]int{1, 1, 1})
	for n := 1; n < 60; n++ {
		for gap := range 6 {
			var all, few Looks
			var a, f Four
			w := Way{0.5, 7, 1, 7 / float32(n), -6 / float32(n), 5 / float32(n)}
			all.Nothing(3)
			few.Nothing(3)
			all.Read(data, &b, BrickSize, &w, n)
			few.ReadFew(data, &b, BrickSize, &w, n, gap)
			if all.Rows(&a, &[4]float32{1, 1, 1, 1}); few.Rows(&f, &[4]float32{1, 1, 1, 1}) != (n+3+Lanes-1)&^(Lanes-1) {
				t.Fatalf("%d looks became %d", n, few.Len())
			}
			for i, v := range a[0][:n+3] {
				if math.Abs(float64(v-f[0][i])) > 0.01 {
					t.Fatalf("look %d of %d, every %d, is %g, not %g", i, n, gap, f[0][i], v)
				}
			}
		}
	}
}

// Light that looks take away and what is left make the whole.
func TestDimLosesNothing(t *testing.T) {
	var pass, kept [MaxLooks]float32
	left := 1.0
	for i := range pass {
		pass[i] = 1 - 0.03*float32(i%7)
	}
	for _, p := range pass[:48] {
		left *= float64(p)
	}
	was := pass
	got := Dim(&pass, &kept, 1, 48)
	sum, t0 := float64(got), 1.0
	for i := range 48 {
		if math.Abs(float64(kept[i])-t0) > 1e-6 {
			t.Fatalf("before look %d %g is left, not %g", i, kept[i], t0)
		}
		t0 *= float64(was[i])
		sum += float64(pass[i])
	}
	if math.Abs(sum-1) > 1e-6 || math.Abs(float64(got)-left) > 1e-6 {
		t.Errorf("%g in all, %g left instead of %g", sum, got, left)
	}
}
