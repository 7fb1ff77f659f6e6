package grid

import (
	"math"

	"zarf/core/vec"
)

// lattice is what a batch of samples needs to know of a field: offsets that
// are taken off positions, the last position and cell along each axis, and the
// steps in the array. The assembly reads it by these offsets in memory.
type lattice struct {
	off    [3]float32 // 0
	last   [3]float32 // 12: n−1
	cell   [3]int32   // 24: max(n−2, 0)
	sy, sz int32      // 36, 40
	_      int32
	_      int64
	dy, dz int64 // 56, 64: bytes to the next row and plane, 0 where n = 1
}

func (f *Field) lattice(off [3]float32) lattice {
	n := [3]int{f.NX, f.NY, f.NZ}
	step := [3]int{1, f.NX, f.NX * f.NY}
	l := lattice{off: off, sy: int32(step[1]), sz: int32(step[2])}
	var d [3]int64
	for a := range 3 {
		l.last[a] = float32(n[a] - 1)
		l.cell[a] = int32(max(n[a]-2, 0))
		if n[a] > 1 {
			d[a] = int64(4 * step[a])
		}
	}
	l.dy, l.dz = d[1], d[2]
	return l
}

// SampleBatch is Sample for many positions: dst[i] = f(x[i]−off[0], …). Fields
// of 2³¹ values and more, or one value wide, are sampled one by one.
func (f *Field) SampleBatch(dst, x, y, z []float32, off [3]float32) {
	n := len(dst)
	vec.Row3(n, x, y, z)
	vec.Row(f.NX*f.NY*f.NZ, f.Data)
	x, y, z = x[:n], y[:n], z[:n]
	done := 0
	if useVectors && f.NX > 1 && len(f.Data) < math.MaxInt32 {
		done = n &^ 15
		if done > 0 {
			l := f.lattice(off)
			sampleVectors(&dst[0], &f.Data[0], &x[0], &y[0], &z[0], done, &l)
		}
	}
	for i := done; i < n; i++ {
		dst[i] = f.Sample(x[i]-off[0], y[i]-off[1], z[i]-off[2])
	}
}

// SampleRangeBatch is SampleBatch and, for the same positions, NodeRange.
func (f *Field) SampleRangeBatch(dst, lo, hi, x, y, z []float32, off [3]float32) {
	n := len(dst)
	vec.Row2(n, lo, hi)
	vec.Row3(n, x, y, z)
	vec.Row(f.NX*f.NY*f.NZ, f.Data)
	lo, hi, x, y, z = lo[:n], hi[:n], x[:n], y[:n], z[:n]
	done := 0
	if useVectors && f.NX > 1 && len(f.Data) < math.MaxInt32 {
		done = n &^ 15
		if done > 0 {
			l := f.lattice(off)
			sampleRangeVectors(&dst[0], &lo[0], &hi[0], &f.Data[0], &x[0], &y[0], &z[0], done, &l)
		}
	}
	for i := done; i < n; i++ {
		px, py, pz := x[i]-off[0], y[i]-off[1], z[i]-off[2]
		dst[i] = f.Sample(px, py, pz)
		lo[i], hi[i] = f.NodeRange(px, py, pz)
	}
}
