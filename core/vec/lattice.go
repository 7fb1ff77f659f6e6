package vec

import (
	"fmt"
	"math"
	"sync"
)

// Lattice is an array of values at whole positions, x fastest, read between
// them by trilinear interpolation. Positions are clamped to the outermost
// points; NaN reads as 0.
type Lattice struct {
	data       []float32
	nx, ny, nz int
	f          [6]float32 // what is taken off positions; the last position
	c          [6]int32   // the last cell along each axis, steps of y and z, the last value of the array that a window may begin with
	dy, dz     int        // to the next row and plane, 0 where there is one
	whole      bool       // kernels can read it
}

// window is how many values of a row the kernels of a set load for points of one row.
var window = [...]int{AVX2: 16, AVX512: 32}

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
	if ny > 1 {
		l.dy = nx
	}
	if nz > 1 {
		l.dz = nx * ny
	}
	l.c[3], l.c[4] = int32(nx), int32(nx*ny)
	// kernels load windows of four rows where the array is as long
	if l.whole && Chosen != Plain {
		l.c[5] = int32(nx*ny*nz - l.dy - l.dz - window[Chosen])
	}
	return l
}

// Batch is how many points Spots hold.
const Batch = 512

// Spots are where points lie in lattices of one size: the cells that they are in, and
// how far along in each.
type Spots struct {
	cells [Batch]int32      // first, so that kernels find whole lines
	w     [3][Batch]float32 // after them, where kernels look for them
	n     int
}

// Locate finds the cells of up to Batch points, for any lattice of this one's size
// and offset.
func (l *Lattice) Locate(s *Spots, x, y, z []float32) {
	n := len(x)
	Row2(n, y, z)
	if n > Batch {
		panic(fmt.Sprintf("vec: %d points in spots for %d", n, Batch))
	}
	s.n = n
	done := l.kernels(n)
	switch {
	case done == 0:
	case Chosen == AVX512:
		locateAVX512(&s.cells[0], &s.w[0][0], &s.w[1][0], &s.w[2][0], &x[0], &y[0], &z[0], &l.f, &l.c, done)
	default:
		locateAVX2(&s.cells[0], &s.w[0][0], &s.w[1][0], &s.w[2][0], &x[0], &y[0], &z[0], &l.f, &l.c, done)
	}
	dy, dz := l.c[3], l.c[4]
	x, y, z = x[:n:n], y[:n:n], z[:n:n]
	cells, u, v, w := s.cells[:n:n], s.w[0][:n:n], s.w[1][:n:n], s.w[2][:n:n]
	for i := done; i < n; i++ {
		a, f := find(x[i]-l.f[0], l.f[3], l.c[0])
		b, g := find(y[i]-l.f[1], l.f[4], l.c[1])
		c, h := find(z[i]-l.f[2], l.f[5], l.c[2])
		cells[i], u[i], v[i], w[i] = a+b*dy+c*dz, f, g, h
	}
}

// find is Split, of an axis whose last cell begins at top and ends at last.
func find(v, last float32, top int32) (int32, float32) {
	if !(v > 0) {
		v = 0
	} else if v > last {
		v = last
	}
	c := min(int32(v), top)
	return c, v - float32(c)
}

// Trail is a run of N points of a batch, from point To on: (X + m, Y, Z), m from 0 on,
// moved by the ways from place From on.
type Trail struct {
	From, N, To int32
	X, Y, Z     float32
}

// follow checks that runs follow each other in a batch, and that what they count from
// has lo before each run's place and its points after; it returns how many points
// there are.
func follow(runs []Trail, before, size int) int {
	n := int32(0)
	for i := range runs {
		r := &runs[i]
		if r.To != n || r.N <= 0 || r.N > Batch-n || int(r.From) < max(before, 0) || int(r.From)-min(before, 0)+int(r.N) > size {
			panic(fmt.Sprintf("vec: %d values from %d, and %d before, of %d for point %d of %d", r.N, r.From, before, size, r.To, n))
		}
		n += r.N
	}
	return int(n)
}

// Led is Locate of the points of runs that follow each other, each moved by the sum of
// two halves of ways of three parts: those at its place and a step before. It keeps
// the points unless points is nil.
func (l *Lattice) Led(s *Spots, points *Three, ways *[3][]float32, step int, runs []Trail) {
	s.n = follow(runs, step, min(len(ways[0]), len(ways[1]), len(ways[2])))
	switch u, v, w := ways[0], ways[1], ways[2]; {
	case s.n == 0:
	case !l.whole || Chosen == Plain:
		if points == nil {
			points = new(Three)
		}
		for _, r := range runs {
			e, o := r.To+r.N, int(r.From)
			followPlain(points[0][r.To:e], u[o-step:], u[o:], r.X, 1)
			followPlain(points[1][r.To:e], v[o-step:], v[o:], r.Y, 0)
			followPlain(points[2][r.To:e], w[o-step:], w[o:], r.Z, 0)
		}
		l.locateAll(s, points)
	case Chosen == AVX512 && points == nil:
		ledAVX512(&s.cells[0], &u[0], &v[0], &w[0], step, &l.f, &l.c, &runs[0].From, len(runs))
	case Chosen == AVX512:
		ledToAVX512(&s.cells[0], &points[0][0], &u[0], &v[0], &w[0], step, &l.f, &l.c, &runs[0].From, len(runs))
	case points == nil:
		ledAVX2(&s.cells[0], &u[0], &v[0], &w[0], step, &l.f, &l.c, &runs[0].From, len(runs))
	default:
		ledToAVX2(&s.cells[0], &points[0][0], &u[0], &v[0], &w[0], step, &l.f, &l.c, &runs[0].From, len(runs))
	}
}

// Ahead is Locate of the points of runs, each moved by h times what the batch holds of
// its three parts.
func (l *Lattice) Ahead(s *Spots, by *Three, h float32, runs []Trail) {
	s.n = follow(runs, 0, math.MaxInt)
	switch {
	case s.n == 0:
	case !l.whole || Chosen == Plain:
		var points Three
		for _, r := range runs {
			e := r.To + r.N
			aheadPlain(points[0][r.To:e], by[0][r.To:], r.X, 1, h)
			aheadPlain(points[1][r.To:e], by[1][r.To:], r.Y, 0, h)
			aheadPlain(points[2][r.To:e], by[2][r.To:], r.Z, 0, h)
		}
		l.locateAll(s, &points)
	case Chosen == AVX512:
		aheadOfAVX512(&s.cells[0], &by[0][0], h, &l.f, &l.c, &runs[0].From, len(runs))
	default:
		aheadOfAVX2(&s.cells[0], &by[0][0], h, &l.f, &l.c, &runs[0].From, len(runs))
	}
}

func (l *Lattice) locateAll(s *Spots, points *Three) {
	l.Locate(s, points[0][:s.n], points[1][:s.n], points[2][:s.n])
}

// Depart is ways = q times what a batch holds, where its runs are from.
func Depart(ways *[3][]float32, src *Three, q float32, runs []Trail) {
	n := follow(runs, 0, min(len(ways[0]), len(ways[1]), len(ways[2])))
	switch {
	case n == 0:
	case Chosen == AVX512:
		departAVX512(&ways[0][0], &ways[1][0], &ways[2][0], &src[0][0], q, &runs[0].From, len(runs))
	case Chosen == AVX2:
		departAVX2(&ways[0][0], &ways[1][0], &ways[2][0], &src[0][0], q, &runs[0].From, len(runs))
	default:
		for _, r := range runs {
			for c, to := range ways {
				Times(to[r.From:r.From+r.N], src[c][r.To:], q)
			}
		}
	}
}

// kernels is how many of n points kernels take: whole vectors, of lattices that they
// can read. The rest goes point by point, with the same bits.
func (l *Lattice) kernels(n int) int {
	if !l.whole || Chosen == Plain {
		return 0
	}
	return n &^ (Lanes - 1)
}

// At is dst[i] = the value at spot o + i.
func (l *Lattice) At(dst []float32, s *Spots, o int) {
	n := len(dst)
	s.hold(o, n)
	done := l.kernels(n)
	switch {
	case done == 0:
	case Chosen == AVX512:
		sampleAVX512(&dst[0], &l.data[0], &s.cells[o], &s.w[0][o], &s.w[1][o], &s.w[2][o], &l.c, l.dy, l.dz, done)
	default:
		sampleAVX2(&dst[0], &l.data[0], &s.cells[o], &s.w[0][o], &s.w[1][o], &s.w[2][o], &l.c, l.dy, l.dz, done)
	}
	l.mixed(dst[done:], s, o+done)
}

// AtRange is At, and lo and hi the least and the largest of the eight points round
// each spot.
func (l *Lattice) AtRange(dst, lo, hi []float32, s *Spots, o int) {
	n := len(dst)
	s.hold(o, n)
	Row2(n, lo, hi)
	done := l.kernels(n)
	switch {
	case done == 0:
	case Chosen == AVX512:
		sampleRangeAVX512(&dst[0], &lo[0], &hi[0], &l.data[0], &s.cells[o], &s.w[0][o], &s.w[1][o], &s.w[2][o], &l.c, l.dy, l.dz, done)
	default:
		sampleRangeAVX2(&dst[0], &lo[0], &hi[0], &l.data[0], &s.cells[o], &s.w[0][o], &s.w[1][o], &s.w[2][o], &l.c, l.dy, l.dz, done)
	}
	l.mixed(dst[done:], s, o+done)
	dx := min(l.nx-1, 1)
	for i := done; i < n; i++ {
		lo[i], hi[i] = extremes(l.data, int(s.cells[o+i]), dx, l.dy, l.dz)
	}
}

// Correct is the second half of MacCormack's advection (Selle et al. 2008), of what
// spots from o on find: f = first + ½ (f − that), and first where it leaves [lo, hi].
func (l *Lattice) Correct(f, first, lo, hi []float32, s *Spots, o int) {
	n := len(f)
	s.hold(o, n)
	Row3(n, first, lo, hi)
	done := l.kernels(n)
	switch {
	case done == 0:
	case Chosen == AVX512:
		sampleLimitAVX512(&f[0], &first[0], &lo[0], &hi[0], &l.data[0], &s.cells[o], &s.w[0][o], &s.w[1][o], &s.w[2][o], &l.c, l.dy, l.dz, done)
	default:
		sampleLimitAVX2(&f[0], &first[0], &lo[0], &hi[0], &l.data[0], &s.cells[o], &s.w[0][o], &s.w[1][o], &s.w[2][o], &l.c, l.dy, l.dz, done)
	}
	if done < n {
		var room [Batch]float32
		again := room[:n-done]
		l.mixed(again, s, o+done)
		limitPlain(f[done:n], again, first[done:n], f[done:n], lo[done:n], hi[done:n])
	}
}

// hold panics unless there are n spots from o on.
func (s *Spots) hold(o, n int) {
	if o < 0 || o+n > s.n {
		panic(fmt.Sprintf("vec: %d spots from %d of %d", n, o, s.n))
	}
}

var spots = sync.Pool{New: func() any { return new(Spots) }}

// Sample is dst[i] = the value at (x[i], y[i], z[i]), for rows of any length.
func (l *Lattice) Sample(dst, x, y, z []float32) {
	Row3(len(dst), x, y, z)
	s := spots.Get().(*Spots)
	for i := 0; i < len(dst); i += Batch {
		e := min(i+Batch, len(dst))
		l.Locate(s, x[i:e], y[i:e], z[i:e])
		l.At(dst[i:e], s, 0)
	}
	spots.Put(s)
}

// SampleRange is Sample, and lo and hi the least and the largest of the eight
// points round each position.
func (l *Lattice) SampleRange(dst, lo, hi, x, y, z []float32) {
	n := len(dst)
	Row2(n, lo, hi)
	Row3(n, x, y, z)
	s := spots.Get().(*Spots)
	for i := 0; i < n; i += Batch {
		e := min(i+Batch, n)
		l.Locate(s, x[i:e], y[i:e], z[i:e])
		l.AtRange(dst[i:e], lo[i:e], hi[i:e], s, 0)
	}
	spots.Put(s)
}

// mixed is At, point by point: mixed along x, then y, then z.
func (l *Lattice) mixed(dst []float32, s *Spots, first int) {
	d, dy, dz := l.data, l.dy, l.dz
	n := min(len(dst), Batch-first)
	cells, wx, wy, wz := s.cells[first:first+n], s.w[0][first:first+n], s.w[1][first:first+n], s.w[2][first:first+n]
	dst = dst[:n]
	if l.nx == 1 {
		for i, o := range cells {
			dst[i] = mix(d, int(o), 0, dy, dz, wx[i], wy[i], wz[i])
		}
		return
	}
	for i := range dst {
		o, fx, fy := int(cells[i]), wx[i], wy[i]
		// pairs, so that each row's bounds are looked at once
		a, b := d[o:o+2:o+2], d[o+dy:o+dy+2:o+dy+2]
		c, e := d[o+dz:o+dz+2:o+dz+2], d[o+dz+dy:o+dz+dy+2:o+dz+dy+2]
		near := Lerp(Lerp(a[0], a[1], fx), Lerp(b[0], b[1], fx), fy)
		far := Lerp(Lerp(c[0], c[1], fx), Lerp(e[0], e[1], fx), fy)
		dst[i] = Lerp(near, far, wz[i])
	}
}

// Trilinear is the value of nx·ny·nz points at a position, mixed along x, then
// y, then z. It is the reference of Sample.
func Trilinear(d []float32, nx, ny, nz int, x, y, z float32) float32 {
	i, fx := Split(x, nx)
	j, fy := Split(y, ny)
	k, fz := Split(z, nz)
	dx, dy, dz := steps(nx, ny, nz)
	return mix(d, (k*ny+j)*nx+i, dx, dy, dz, fx, fy, fz)
}

// mix mixes the values of the cell that begins at o.
func mix(d []float32, o, dx, dy, dz int, fx, fy, fz float32) float32 {
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
	dx, dy, dz := steps(nx, ny, nz)
	return extremes(d, (k*ny+j)*nx+i, dx, dy, dz)
}

// extremes are those of the cell that begins at o.
func extremes(d []float32, o, dx, dy, dz int) (lo, hi float32) {
	lo = d[o]
	hi = lo
	for _, o := range [4]int{o, o + dy, o + dz, o + dz + dy} {
		p := d[o : o+dx+1]
		for _, v := range [2]float32{p[0], p[dx]} {
			if v < lo {
				lo = v
			}
			if v > hi {
				hi = v
			}
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
