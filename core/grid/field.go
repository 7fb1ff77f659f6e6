package grid

import (
	"fmt"

	"zarf/core/vec"
)

// Dims is the number of cells along each axis.
// Products are ints of 64 bits: a grid may have more than 2³¹ cells.
type Dims struct{ NX, NY, NZ int }

// Len is the number of cells.
func (d Dims) Len() int { return d.NX * d.NY * d.NZ }

// Index is the position of cell (i,j,k) in a flat array.
// x runs fastest, z slowest.
func (d Dims) Index(i, j, k int) int { return (k*d.NY+j)*d.NX + i }

// Valid reports a grid without cells.
func (d Dims) Valid() error {
	if d.NX < 1 || d.NY < 1 || d.NZ < 1 {
		return fmt.Errorf("grid: %d x %d x %d has no cells", d.NX, d.NY, d.NZ)
	}
	return nil
}

func (d Dims) String() string { return fmt.Sprintf("%d x %d x %d", d.NX, d.NY, d.NZ) }

// Field is a scalar on a regular grid.
type Field struct {
	Dims
	Data []float32
}

// NewField makes a field of zeros.
// Memory of a large field is zero pages of the system until it is written to.
func NewField(d Dims) *Field { return &Field{Dims: d, Data: make([]float32, d.Len())} }

// At reads one value.
func (f *Field) At(i, j, k int) float32 { return f.Data[f.Index(i, j, k)] }

// Set writes one value.
func (f *Field) Set(i, j, k int, v float32) { f.Data[f.Index(i, j, k)] = v }

// Row is the run of values with the same j and k.
// The capacity ends with the row: an append can't run into the next.
func (f *Field) Row(j, k int) []float32 {
	o := (k*f.NY + j) * f.NX
	return f.Data[o : o+f.NX : o+f.NX]
}

// CopyFrom copies values of a field with the same dimensions.
func (f *Field) CopyFrom(g *Field) { copy(f.Data, g.Data) }

// Sample interpolates trilinearly at (x,y,z) in units of cells, where the
// centre of cell 0 is at 0; positions outside take the border's value, and
// what is not a number counts as 0.
func (f *Field) Sample(x, y, z float32) float32 {
	return vec.Trilinear(f.Data, f.NX, f.NY, f.NZ, x, y, z)
}

// Corners are the eight values that Sample mixes, and their shares: for fields
// of one size that are read together.
// The shares add up to one within rounding.
func (f *Field) Corners(x, y, z float32) (at [8]int, w [8]float32) {
	i, fx := vec.Split(x, f.NX)
	j, fy := vec.Split(y, f.NY)
	k, fz := vec.Split(z, f.NZ)
	o := (k*f.NY+j)*f.NX + i
	dx, dy, dz := f.steps()
	at = [8]int{o, o + dx, o + dy, o + dy + dx, o + dz, o + dz + dx, o + dz + dy, o + dz + dy + dx}
	gx, gy, gz := 1-fx, 1-fy, 1-fz
	a, b, c, e := gy*gz, fy*gz, gy*fz, fy*fz
	w = [8]float32{gx * a, fx * a, gx * b, fx * b, gx * c, fx * c, gx * e, fx * e}
	return at, w
}

// steps are the distances in the array to the next value along each axis, 0
// where there is only one.
func (f *Field) steps() (dx, dy, dz int) {
	if f.NX > 1 {
		dx = 1
	}
	if f.NY > 1 {
		dy = f.NX
	}
	if f.NZ > 1 {
		dz = f.NX * f.NY
	}
	return dx, dy, dz
}

// Range is the smallest and largest value and whether all are finite.
// Values that aren't finite are passed over, and finite tells that there were some.
func (f *Field) Range() (lo, hi float32, finite bool) {
	if len(f.Data) == 0 {
		return 0, 0, true
	}
	lo, hi, finite = f.Data[0], f.Data[0], true
	for _, v := range f.Data {
		// True for NaN and both infinities.
		if v-v != 0 {
			finite = false
			continue
		}
		if v < lo {
			lo = v
		}
		if v > hi {
			hi = v
		}
	}
	return lo, hi, finite
}

// NodeRange is the smallest and largest of the eight values that Sample reads.
func (f *Field) NodeRange(x, y, z float32) (lo, hi float32) {
	return vec.Range(f.Data, f.NX, f.NY, f.NZ, x, y, z)
}
