package gas

import "zarf/core/grid"

// onsite is the velocity at grid points o … o+n−1 of the grid at the given
// place, by averages of the faces round each point: what trilinear sampling
// gives there, without looking anything up. It fills t.u, t.v and t.w.
func (s *Solver) onsite(t *bench, d grid.Dims, at place, o, n int) {
	i, j, k := o%d.NX, o/d.NX%d.NY, o/(d.NX*d.NY)
	sum := t.a[:]
	for m := 0; m < n; {
		run := min(d.NX-i, n-m, batch-1)
		average(t.u[m:m+run], sum, s.U, 0, at, i, j, k)
		average(t.v[m:m+run], sum, s.V, 1, at, i, j, k)
		average(t.w[m:m+run], sum, s.W, 2, at, i, j, k)
		m += run
		if i += run; i < d.NX {
			continue
		}
		i = 0
		if j++; j == d.NY {
			j = 0
			k++
		}
	}
}

// average interpolates component axis (stored on its faces in f) to the points
// (i, j, k), (i+1, j, k) … of the grid at a place. Along every axis a point
// lies on the component's own positions, or half-way between two of them; at
// borders the outer one of the two is the inner one again.
func average(dst, sum []float32, f *grid.Field, axis int, at place, i, j, k int) {
	p := at.array()
	ja, jb := between(1, axis, p[1], j, f.NY)
	ka, kb := between(2, axis, p[2], k, f.NZ)
	// sum over the rows, of one value more where x lies between as well
	first, pairs := i, p[0] != stands(axis == 0)
	count := len(dst)
	if pairs {
		count++
		if p[0] == 0 { // a face, the component at centres
			first--
		}
	}
	lo, hi := max(first, 0), min(first+count, f.NX)
	in := sum[lo-first : hi-first]
	a, b, c, d := f.Row(ja, ka)[lo:hi], f.Row(jb, ka)[lo:hi], f.Row(ja, kb)[lo:hi], f.Row(jb, kb)[lo:hi]
	switch {
	case ja == jb && ka == kb:
		copy(in, a)
	case ja == jb:
		for q := range in {
			in[q] = 0.5 * (a[q] + c[q])
		}
	case ka == kb:
		for q := range in {
			in[q] = 0.5 * (a[q] + b[q])
		}
	default:
		for q := range in {
			in[q] = 0.25 * ((a[q] + b[q]) + (c[q] + d[q]))
		}
	}
	if !pairs {
		copy(dst, in)
		return
	}
	if lo > first {
		sum[0] = sum[1]
	}
	if hi < first+count {
		sum[count-1] = sum[count-2]
	}
	s := sum[:count]
	for q := range dst {
		dst[q] = 0.5 * (s[q] + s[q+1])
	}
}

// between gives the two indices of a component along axis a that point index q
// lies between; they are equal where it lies on one.
func between(a, axis int, p float32, q, n int) (int, int) {
	switch own := stands(a == axis); {
	case p == own:
		return q, q
	case p > own: // the point is a centre, the component on faces
		return q, q + 1
	}
	return max(q-1, 0), min(q, n-1)
}

// stands is where a component stands within a cell along an axis.
func stands(onFaces bool) float32 {
	if onFaces {
		return 0
	}
	return 0.5
}
