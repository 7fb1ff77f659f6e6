package grid

import "zarf/core/vec"

// SampleBatch is Sample for many positions: dst[i] = f(x[i]−off[0], …).
func (f *Field) SampleBatch(dst, x, y, z []float32, off [3]float32) {
	l := vec.NewLattice(f.Data, f.NX, f.NY, f.NZ, off)
	l.Sample(dst, x, y, z)
}

// SampleRangeBatch is SampleBatch and, for the same positions, NodeRange.
func (f *Field) SampleRangeBatch(dst, lo, hi, x, y, z []float32, off [3]float32) {
	l := vec.NewLattice(f.Data, f.NX, f.NY, f.NZ, off)
	l.SampleRange(dst, lo, hi, x, y, z)
}

// Lattice is the field as kernels read it, off taken off every position.
func (f *Field) Lattice(off [3]float32) vec.Lattice {
	return vec.NewLattice(f.Data, f.NX, f.NY, f.NZ, off)
}
