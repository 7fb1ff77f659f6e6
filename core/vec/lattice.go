package vec

import (
	"fmt"
	"math"
)

// Lattice is an array of values at whole positions, x fastest, read between
// them by trilinear interpolation. Positions are clamped to the outermost
// points; NaN reads as 0.
type Lattice struct {
	data       []float32
	nx, ny, nz int
	f          [6]float32 // what is taken off positions; the last position
	c          [6]int32   // the last cell along each axis, steps of y and z, the last value that a window may begin with
	dy, dz     int        // to the next row and plane, 0 where there is one
	whole      bool       // kernels can read it
}

// window is how many values of a row the kernels of a set load for points of one row.
var window = [...]int32{AVX2: 16, AVX512: 32}

// NewLattice panics unless data holds nx·ny·nz values; off is taken off every
// position.
// It is made for each call of a sampler: a copy of a few numbers, on the stack.
func NewLattice(data []float32, nx, ny, nz int, off [3]float32) Lattice {
	if nx < 1 || ny < 1 || nz < 1 || len(data) < nx*ny*nz {
		panic(fmt.Sprintf("vec: a lattice of %d × %d × %d in %d values", nx, ny, nz, len(data)))
	}
	l := Lattice{data: data, nx: nx, ny: ny, nz: nz, whole: nx > 1 && len(data) < math.MaxInt32}
	for a, n := range [3]int{nx, ny, nz} {
		l.f[a], l.f[3+a] = off[a], float32(n-1)
		l.c[a] = int32(max(n-2, 0))
	}
	// kernels load a window of a row where it is as long
	l.c[3], l.c[4], l.c[5] = int32(nx), int32(nx*ny), int32(nx)-window[Chosen]
	if ny > 1 {
		l.dy = nx
	}
	if nz > 1 {
		l.dz = nx * ny
	}
	return l
}

// Sample is dst[i] = the value at (x[i], y[i], z[i]), for rows of any length.
// Kernels take whole vectors; the rest, and lattices that they can't read, go point
// by point with the same bits.
func (l *Lattice) Sample(dst, x, y, z []float32) {
	n := len(dst)
	Row3(n, x, y, z)
	done := 0
	if l.whole && Chosen != Plain {
		done = n &^ (Lanes - 1)
	}
	switch {
	case done == 0:
	case Chosen == AVX512:
		sampleAVX512(&dst[0], &l.data[0], &x[0], &y[0], &z[0], &l.f, &l.c, l.dy, l.dz, done)
	default:
		sampleAVX2(&dst[0], &l.data[0], &x[0], &y[0], &z[0], &l.f, &l.c, l.dy, l.dz, done)
	}
	for i := done; i < n; i++ {
		dst[i] = Trilinear(l.data, l.nx, l.ny, l.nz, x[i]-l.f[0], y[i]-l.f[1], z[i]-l.f[2])
	}
}

// SampleRange is Sample, and lo and hi the least and the largest of the eight
// points round each position.
func (l *Lattice) SampleRange(dst, lo, hi, x, y, z []float32) {
	n := len(dst)
	Row2(n, lo, hi)
	Row3(n, x, y, z)
	done := 0
	if l.whole && Chosen != Plain {
		done = n &^ (Lanes - 1)
	}
	switch {
	case done == 0:
	case Chosen == AVX512:
		sampleRangeAVX512(&dst[0], &lo[0], &hi[0], &l.data[0], &x[0], &y[0], &z[0], &l.f, &l.c, l.dy, l.dz, done)
	default:
		sampleRangeAVX2(&dst[0], &lo[0], &hi[0], &l.data[0], &x[0], &y[0], &z[0], &l.f, &l.c, l.dy, l.dz, done)
	}
	for i := done; i < n; i++ {
		px, py, pz := x[i]-l.f[0], y[i]-l.f[1], z[i]-l.f[2]
		dst[i] = Trilinear(l.data, l.nx, l.ny, l.nz, px, py, pz)
		lo[i], hi[i] = Range(l.data, l.nx, l.ny, l.nz, px, py, pz)
	}
}

// Trilinear is the value of nx·ny·nz points at a position, mixed along x, then
// y, then z. It is the reference of Sample.
func Trilinear(d []float32, nx, ny, nz int, x, y, z float32) float32 {
	i, fx := Split(x, nx)
	j, fy := Split(y, ny)
	k, fz := Split(z, nz)
	o := (k*ny+j)*nx + i
	dx, dy, dz := steps(nx, ny, nz)
	a := Lerp(d[o], d[o+dx], fx)
	b := Lerp(d[o+dy], d[o+dy+dx], fx)
	c := Lerp(d[o+dz], d[o+dz+dx], fx)
	e := Lerp(d[o+dz+dy], d[o+dz+dy+dx], fx)
	return Lerp(Lerp(a, b, fy), Lerp(c, e, fy), fz)
}

// Range is the least and the largest of the eight points round a position.
func Range(d []float32, nx, ny, nz int, x, y, z float32) (lo, hi float32) {
	i, _ := Split(x, nx)
	j, _ := Split(y, ny)
	k, _ := Split(z, nz)
	o := (k*ny+j)*nx + i
	dx, dy, dz := steps(nx, ny, nz)
	lo = d[o]
	hi = lo
	for _, p := range [7]int{o + dx, o + dy, o + dy + dx, o + dz, o + dz + dx, o + dz + dy, o + dz + dy + dx} {
		v := d[p]
		if v < lo {
			lo = v
		}
		if v > hi {
			hi = v
		}
	}
	return lo, hi
}

// steps are the distances in the array to the next value along each axis, 0
// where there is only one.
func steps(nx, ny, nz int) (dx, dy, dz int) {
	if nx > 1 {
		dx = 1
	}
	if ny > 1 {
		dy = nx
	}
	if nz > 1 {
		dz = nx * ny
	}
	return dx, dy, dz
}

// Split is the lower of the two of n points that x lies between, and the share
// of the upper one.
// NaN falls to 0 with the first comparison.
func Split(x float32, n int) (int, float32) {
	if !(x > 0) {
		return 0, 0
	}
	if last := float32(n - 1); x > last {
		x = last
	}
	i := min(int(x), max(n-2, 0))
	return i, x - float32(i)
}

// Lerp is a + (b − a)·t.
func Lerp(a, b, t float32) float32 { return a + float32((b-a)*t) }
