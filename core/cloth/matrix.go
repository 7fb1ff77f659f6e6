package cloth

import (
	"math"
	"slices"

	"zarf/core/geom"
	"zarf/core/grid"
)

// matrix is symmetric, in blocks of 3 × 3 at pairs of vertices that share a face, and beside them
// single numbers, which stand for that times the unit matrix, at pairs that bend together.
type matrix struct {
	n      int
	start  []int32 // of each row among columns
	col    []int32
	block  []float64 // nine to a column
	diag   []int32   // where each row's own block is
	bent   scalars
	inv    []float64   // inverses of the diagonal blocks, nine each, for Jacobi
	fixed  []bool      // rows whose vertex doesn't move
	slides []geom.Vec3 // normals of what vertices may only slide on; 0: they are free
	coarse *coarse     // of the preconditioner
	direct *direct     // in its stead, where there are not too many
}

// scalars is a sparse symmetric matrix of single numbers.
type scalars struct {
	start []int32
	col   []int32
	v     []float64
}

// sumUp makes a matrix from the bending of faces.
func sumUp(n int, folds []hinge, faces []bend) scalars {
	// what is added to each row, in order
	many := make([]int32, n+1)
	each := func(fn func(row, col int32, v float64)) {
		for i := range faces {
			b := &faces[i]
			for c, hc := range b.at {
				for d, hd := range b.at {
					if hc < 0 || hd < 0 || b.w[c][d] == 0 {
						continue
					}
					p, q := &folds[hc], &folds[hd]
					for a := range 4 {
						for e := range 4 {
							fn(p.v[a], q.v[e], b.w[c][d]*p.c[a]*q.c[e])
						}
					}
				}
			}
		}
	}
	each(func(row, _ int32, _ float64) { many[row+1]++ })
	for i := range n {
		many[i+1] += many[i]
	}
	type entry struct {
		col int32
		v   float64
	}
	all, next := make([]entry, many[n]), append([]int32(nil), many[:n]...)
	each(func(row, col int32, v float64) {
		all[next[row]] = entry{col, v}
		next[row]++
	})
	s := scalars{start: make([]int32, n+1)}
	sum, seen := make([]float64, n), make([]bool, n)
	for i := range n {
		from := len(s.col)
		for _, e := range all[many[i]:many[i+1]] {
			if !seen[e.col] {
				seen[e.col], sum[e.col] = true, 0
				s.col = append(s.col, e.col)
			}
			sum[e.col] += e.v
		}
		slices.Sort(s.col[from:])
		for _, col := range s.col[from:] {
			s.v = append(s.v, sum[col])
			seen[col] = false
		}
		s.start[i+1] = int32(len(s.col))
	}
	return s
}

// row is a row of the matrix times x.
func (s *scalars) row(i int, x []geom.Vec3) (out geom.Vec3) {
	for m := s.start[i]; m < s.start[i+1]; m++ {
		p, v := &x[s.col[m]], s.v[m]
		out.X += v * p.X
		out.Y += v * p.Y
		out.Z += v * p.Z
	}
	return out
}

// own is a row's number on the diagonal.
func (s *scalars) own(i int) float64 {
	for m := s.start[i]; m < s.start[i+1]; m++ {
		if int(s.col[m]) == i {
			return s.v[m]
		}
	}
	return 0
}

// newMatrix has room for the pairs of vertices of faces.
func newMatrix(n int, faces []face) *matrix {
	m := &matrix{n: n}
	m.start, m.col = neighbours(n, faces)
	m.block = make([]float64, 9*len(m.col))
	m.diag = make([]int32, n)
	m.inv = make([]float64, 9*n)
	m.fixed = make([]bool, n)
	m.slides = make([]geom.Vec3, n)
	for i := range n {
		m.diag[i] = m.start[i] + int32(m.find(i, int32(i)))
	}
	return m
}

// find is where a column stands in a row.
func (m *matrix) find(i int, col int32) int {
	at, _ := slices.BinarySearch(m.col[m.start[i]:m.start[i+1]], col)
	return at
}

// times is the matrix times x, in y, bending times by; rows that don't move are 0.
func (m *matrix) times(x, y []geom.Vec3, by float64, crew grid.Crew) {
	crew.For(m.n, 512, func(lo, hi int) {
		for i := lo; i < hi; i++ {
			if m.fixed[i] {
				y[i] = geom.Vec3{}
				continue
			}
			y[i] = m.along(i, m.row(i, x, by))
		}
	})
}

// row is a row of the matrix times x, of whatever it may do.
func (m *matrix) row(i int, x []geom.Vec3, by float64) geom.Vec3 {
	var a, b, c float64
	for at := m.start[i]; at < m.start[i+1]; at++ {
		p := &x[m.col[at]]
		q := m.block[9*at:][:9:9]
		a += q[0]*p.X + q[1]*p.Y + q[2]*p.Z
		b += q[3]*p.X + q[4]*p.Y + q[5]*p.Z
		c += q[6]*p.X + q[7]*p.Y + q[8]*p.Z
	}
	s := m.bent.row(i, x)
	return geom.Vec3{X: a + by*s.X, Y: b + by*s.Y, Z: c + by*s.Z}
}

// along is what of a vector vertex i may follow (Baraff and Witkin 1998).
func (m *matrix) along(i int, v geom.Vec3) geom.Vec3 {
	n := &m.slides[i]
	if *n == (geom.Vec3{}) {
		return v
	}
	return v.Sub(n.Mul(n.Dot(v)))
}

// prepare makes the preconditioner: a factor, or the diagonal blocks' inverses and patches.
func (m *matrix) prepare(by float64, pinned []bool, crew grid.Crew) {
	if m.direct != nil {
		m.direct.prepare(m, by, pinned, crew)
		return
	}
	m.coarse.prepare(m, by, crew)
	crew.For(m.n, 512, func(lo, hi int) {
		for i := lo; i < hi; i++ {
			var b [9]float64
			copy(b[:], m.block[9*m.diag[i]:])
			s := by * m.bent.own(i)
			b[0], b[4], b[8] = b[0]+s, b[4]+s, b[8]+s
			invert(&b)
			copy(m.inv[9*i:], b[:])
		}
	})
}

// invert is in place, of a symmetric positive block.
func invert(b *[9]float64) {
	c0, c1, c2 := b[4]*b[8]-b[5]*b[7], b[5]*b[6]-b[3]*b[8], b[3]*b[7]-b[4]*b[6]
	det := b[0]*c0 + b[1]*c1 + b[2]*c2
	if !(math.Abs(det) > 1e-300) {
		*b = [9]float64{}
		return
	}
	d := 1 / det
	*b = [9]float64{c0 * d, (b[2]*b[7] - b[1]*b[8]) * d, (b[1]*b[5] - b[2]*b[4]) * d,
		c1 * d, (b[0]*b[8] - b[2]*b[6]) * d, (b[2]*b[3] - b[0]*b[5]) * d,
		c2 * d, (b[1]*b[6] - b[0]*b[7]) * d, (b[0]*b[4] - b[1]*b[3]) * d}
}

// jacobi is the preconditioner: each vertex for itself.
func (m *matrix) jacobi(r, z []geom.Vec3, crew grid.Crew) {
	crew.For(m.n, 1024, func(lo, hi int) {
		for i := lo; i < hi; i++ {
			p, q := &r[i], m.inv[9*i:][:9:9]
			if m.fixed[i] {
				z[i] = geom.Vec3{}
				continue
			}
			z[i] = geom.Vec3{X: q[0]*p.X + q[1]*p.Y + q[2]*p.Z, Y: q[3]*p.X + q[4]*p.Y + q[5]*p.Z, Z: q[6]*p.X + q[7]*p.Y + q[8]*p.Z}
		}
	})
}

// dot is a sum in an order of its own, the same on any number of threads.
func dot(a, b []geom.Vec3, crew grid.Crew) float64 {
	const piece = 2048
	return crew.Sum((len(a)+piece-1)/piece, 1, func(k int) (s float64) {
		hi := min((k+1)*piece, len(a))
		for i := k * piece; i < hi; i++ {
			s += a[i].X*b[i].X + a[i].Y*b[i].Y + a[i].Z*b[i].Z
		}
		return s
	})
}

// solve finds x of A x = b by conjugate gradients, from x = 0: until the residual, by what it
// stands for, is tol of what it was or its square enough, or most rounds are over. It returns the
// rounds.
func (m *matrix) solve(b, x []geom.Vec3, by, tol, enough float64, most int, t *temp, crew grid.Crew) int {
	r, z, p, q := t.r, t.z, t.p, t.q
	clear(x)
	copy(r, b)
	for i, f := range m.fixed {
		if f {
			r[i] = geom.Vec3{}
		} else {
			r[i] = m.along(i, r[i])
		}
	}
	m.soften(r, z, crew)
	copy(p, z)
	rz := dot(r, z, crew)
	end := max(tol*tol*rz, enough)
	for n := range most {
		if !(rz > end) || rz < 1e-300 {
			return n
		}
		m.times(p, q, by, crew)
		a := rz / dot(p, q, crew)
		crew.For(m.n, 2048, func(lo, hi int) {
			for i := lo; i < hi; i++ {
				x[i].X, x[i].Y, x[i].Z = x[i].X+a*p[i].X, x[i].Y+a*p[i].Y, x[i].Z+a*p[i].Z
				r[i].X, r[i].Y, r[i].Z = r[i].X-a*q[i].X, r[i].Y-a*q[i].Y, r[i].Z-a*q[i].Z
			}
		})
		m.soften(r, z, crew)
		next := dot(r, z, crew)
		be := next / rz
		rz = next
		crew.For(m.n, 2048, func(lo, hi int) {
			for i := lo; i < hi; i++ {
				p[i].X, p[i].Y, p[i].Z = z[i].X+be*p[i].X, z[i].Y+be*p[i].Y, z[i].Z+be*p[i].Z
			}
		})
	}
	return most
}

// soften is the preconditioner.
func (m *matrix) soften(r, z []geom.Vec3, crew grid.Crew) {
	if m.direct != nil {
		m.direct.soften(m, r, z, crew)
		return
	}
	m.jacobi(r, z, crew)
	m.coarse.add(m, r, z, crew)
	for i := range z {
		z[i] = m.along(i, z[i])
	}
}

// temp are arrays of a solve.
type temp struct{ r, z, p, q []geom.Vec3 }

func newTemp(n int) *temp {
	return &temp{make([]geom.Vec3, n), make([]geom.Vec3, n), make([]geom.Vec3, n), make([]geom.Vec3, n)}
}
