package render

// Smooth reading: the cubic spline through the voxels' values, which has no edges where
// straight lines between voxels have them along the grid. Its coefficients are those of
// B-splines (Unser, Aldroubi and Eden 1993), worked out once by two recursions along each
// axis; bricks hold the spline at twice the voxels' resolution.

import (
	"zarf/core/grid"
	"zarf/core/vec"
)

// pole is that of the recursion, and gain what both together take away.
const (
	pole = -0.26794919243112270 // √3 − 2
	gain = 6
)

// spline reads a field smoothly.
type spline struct{ c *grid.Field }

// newSpline works out the coefficients of the spline through a field's values; beyond its
// sides the field is mirrored in its outermost values.
func newSpline(f *grid.Field, crew grid.Crew) *spline {
	c := grid.NewField(f.Dims)
	crew.For(f.NZ, 1, func(k0, k1 int) {
		for k := k0; k < k1; k++ {
			for j := range f.NY {
				row := c.Row(j, k)
				copy(row, f.Row(j, k))
				recurRow(row)
			}
			recur(f.NY, func(j int) []float32 { return c.Row(j, k) })
		}
	})
	crew.For(f.NY, 1, func(j0, j1 int) {
		for j := j0; j < j1; j++ {
			recur(f.NZ, func(k int) []float32 { return c.Row(j, k) })
		}
	})
	return &spline{c}
}

// recur turns n rows into coefficients, along the axis that they lie on.
func recur(n int, at func(i int) []float32) {
	if n == 1 {
		return
	}
	// forth, from what the mirrored values before the first would have made of it
	first := at(0)
	sum, q := make([]float32, len(first)), float32(1)
	for i := range 14 {
		for m, v := range at(mirroredAt(i, n)) {
			sum[m] += q * v
		}
		q *= pole
	}
	copy(first, sum)
	before := first
	for i := 1; i < n; i++ {
		row := at(i)
		for m, v := range before {
			row[m] += pole * v
		}
		before = row
	}
	// and back
	last, next := at(n-1), at(n-2)
	for m, v := range last {
		last[m] = pole / (pole*pole - 1) * (v + pole*next[m])
	}
	next = last
	for i := n - 2; i >= 0; i-- {
		row := at(i)
		for m, v := range next {
			row[m] = pole * (v - row[m])
		}
		next = row
	}
	for i := range n {
		row := at(i)
		vec.Times(row, row, gain)
	}
}

// recurRow is recur of single values.
func recurRow(row []float32) {
	n := len(row)
	if n == 1 {
		return
	}
	sum, q := float32(0), float32(1)
	for i := range 14 {
		sum += q * row[mirroredAt(i, n)]
		q *= pole
	}
	row[0] = sum
	for i := 1; i < n; i++ {
		row[i] += pole * row[i-1]
	}
	row[n-1] = pole / (pole*pole - 1) * (row[n-1] + pole*row[n-2])
	for i := n - 2; i >= 0; i-- {
		row[i] = pole * (row[i+1] - row[i])
	}
	vec.Times(row, row, gain)
}

// weights are those of four coefficients at a share t between the middle two.
func weights(t float32) [4]float32 {
	u := 1 - t
	return [4]float32{u * u * u / 6, (3*t*t*t - 6*t*t + 4) / 6, (3*u*u*u - 6*u*u + 4) / 6, t * t * t / 6}
}

// mirroredAt is where a place beyond n values lies among them.
func mirroredAt(i, n int) int {
	if n == 1 {
		return 0
	}
	for i < 0 || i >= n {
		if i < 0 {
			i = -i
		} else {
			i = 2*(n-1) - i
		}
	}
	return i
}

// at is the spline at a place counted from the first voxel's middle; never below 0.
func (s *spline) at(x, y, z float32) float32 {
	f := s.c
	var at [3][4]int
	var w [3][4]float32
	for a, p := range [3]float32{x, y, z} {
		n := [3]int{f.NX, f.NY, f.NZ}[a]
		p = min(max(p, 0), float32(n-1))
		i := min(int(p), max(n-2, 0))
		w[a] = weights(p - float32(i))
		for m := range at[a] {
			at[a][m] = i + m - 1
		}
		if i < 1 || i+2 >= n {
			for m, v := range at[a] {
				at[a][m] = mirroredAt(v, n)
			}
		}
	}
	var sum float32
	wx := w[0]
	for c, k := range at[2] {
		var plane float32
		for b, j := range at[1] {
			row := f.Data[f.Index(0, j, k):]
			plane += w[1][b] * ((wx[0]*row[at[0][0]] + wx[1]*row[at[0][1]]) + (wx[2]*row[at[0][2]] + wx[3]*row[at[0][3]]))
		}
		sum += w[2][c] * plane
	}
	return max(sum, 0)
}

// lay fills rows of a brick of twice the resolution. Its values lie a
// quarter of a voxel to either side of voxels' middles.
func (s *spline) lay(to *vec.BrickRows, p [3]int) {
	const edge, near = vec.BrickValues, 8 // coefficients an axis that a brick draws from
	f := s.c
	size := [3]int{f.NX, f.NY, f.NZ}
	var from [3][near]int
	var first [3][edge]int // of the four of each value, among near
	var by [3][edge][4]float32
	for a, n := range size {
		low := tile/2*p[a] - 2
		for i := range from[a] {
			from[a][i] = mirroredAt(min(max(low+i, -n), 2*n), n)
		}
		for m := range edge {
			at := min(max(float32(tile*p[a]-1+m)/2-0.25, 0), float32(n-1)) // as the spline has it
			i := int(at)
			first[a][m], by[a][m] = min(max(i-1-low, 0), near-4), weights(at-float32(i))
		}
	}
	// along z for all, along y for rows, and along x value by value
	var c, z [edge * near * near]float32
	for k := range near {
		for j := range near {
			row, to := f.Row(from[1][j], from[2][k]), c[(k*near+j)*near:][:near]
			if first, last := from[0][0], from[0][near-1]; last-first == near-1 {
				copy(to, row[first:])
				continue
			}
			for i, at := range from[0] {
				to[i] = row[at]
			}
		}
	}
	const plane = near * near
	for m := range edge {
		o := first[2][m] * plane
		vec.Blend(z[m*plane:][:plane], c[o:], c[o+plane:], c[o+2*plane:], c[o+3*plane:], &by[2][m])
	}
	var row [near]float32
	for k := range edge {
		for j := range edge {
			o := k*plane + first[1][j]*near
			vec.Blend(row[:], z[o:], z[o+near:], z[o+2*near:], z[o+3*near:], &by[1][j])
			out := &to[k*edge+j]
			for i := range edge {
				v, w := row[first[0][i]:][:4], &by[0][i]
				out[i] = max((w[0]*v[0]+w[1]*v[1])+(w[2]*v[2]+w[3]*v[3]), 0)
			}
		}
	}
}

// smoothMost bounds, in bytes, the bricks of twice the resolution.
const smoothMost = 2 << 30

// roughly is the memory, bytes, that a volume's bricks of twice the resolution take.
func (v *Volume) roughly() int64 {
	n := 0
	for _, m := range v.major {
		if m > 0 {
			n++
		}
	}
	return int64(n) * 8 * 2 * vec.BrickSize
}
