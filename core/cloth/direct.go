package cloth

import (
	"slices"

	"zarf/core/geom"
	"zarf/core/grid"
	"zarf/core/sparse"
)

// direct is the preconditioner of cloth of up to mostDirect vertices: a factor of the step's matrix,
// with which conjugate gradients end after a round or three, however stiff the cloth is and however
// long the step. Numbers of a vertex stand in a frame that lies on the cloth there, so that what is
// stiff, along it, and what is soft, across, don't mix in 32 bits.
//
// The factor of a step before won't do: where the cloth has bent by a hundredth since, what is stiff
// there and soft here differ by more than all that is soft (10 to 25 rounds, measured), and a round
// takes a seventh of what the factor does.
type direct struct {
	f     *sparse.Factor
	block []int32 // of each of its entries, the block of the matrix that is its transpose; −1: none
	bent  []int32 // and the number that bends
	frame []axes  // of each vertex, as it is now
	still []bool  // vertices that are pinned
	b     []float32
}

// mostDirect is how many vertices a factor takes about 600 MB for.
const mostDirect = 100_000

// axes are those that lie on the cloth at a vertex: along the warp, across it, and out.
type axes [3]geom.Vec3

func (f *axes) in(v geom.Vec3) geom.Vec3 {
	return geom.Vec3{X: f[0].Dot(v), Y: f[1].Dot(v), Z: f[2].Dot(v)}
}

func (f *axes) out(v geom.Vec3) geom.Vec3 {
	return f[0].Mul(v.X).Add(f[1].Mul(v.Y)).Add(f[2].Mul(v.Z))
}

// axesOf is by the sums about a vertex of where a metre of warp lies, and of normals.
func axesOf(warp, normal geom.Vec3) axes {
	n := normal.Unit()
	t := warp.Sub(n.Mul(n.Dot(warp)))
	if l := t.Len(); l > 1e-9*warp.Len() && l > 0 {
		t = t.Mul(1 / l)
		return axes{t, n.Cross(t), n}
	}
	return axes{{X: 1}, {Y: 1}, {Z: 1}}
}

// newDirect finds the order of what moves along the cloth at a vertex, two numbers, and of what moves
// across it, one. Vertices that share no face act on each other by bending alone, across: so those
// that part the cloth in two are a row of vertices and a second of the one number, a third fewer than
// two rows, and the factor takes a third of the work.
func newDirect(m *matrix, rest []geom.Vec3) *direct {
	if m.n > mostDirect {
		return nil
	}
	start, col := make([]int32, 1, 2*m.n+1), []int32(nil)
	place, size := make([]geom.Vec3, 0, 2*m.n), make([]int8, 0, 2*m.n)
	for i := range m.n {
		near, bent := m.col[m.start[i]:m.start[i+1]], m.bent.col[m.bent.start[i]:m.bent.start[i+1]]
		for part := range 2 {
			for _, j := range near {
				col = append(col, 2*j, 2*j+1)
			}
			for _, j := range bent {
				if _, there := slices.BinarySearch(near, j); part == 1 && !there {
					col = append(col, 2*j+1)
				}
			}
			start, place, size = append(start, int32(len(col))), append(place, rest[i]), append(size, int8(2-part))
		}
	}
	d := &direct{f: sparse.New(start, col, place, size), frame: make([]axes, m.n), still: make([]bool, m.n), b: make([]float32, 3*m.n)}
	find := func(start, col []int32, i, j int32) int32 {
		k, there := slices.BinarySearch(col[start[i]:start[i+1]], j)
		if !there {
			return -1
		}
		return start[i] + int32(k)
	}
	for e, c := range d.f.Col {
		d.block = append(d.block, find(m.start, m.col, c/2, d.f.Row[e]/2))
		d.bent = append(d.bent, -1)
		if c%2 == 1 && d.f.Row[e]%2 == 1 {
			d.bent[e] = find(m.bent.start, m.bent.col, c/2, d.f.Row[e]/2)
		}
	}
	return d
}

// prepare makes the factor.
func (d *direct) prepare(m *matrix, by float64, pinned []bool, crew grid.Crew) {
	if d == nil {
		return
	}
	copy(d.still, pinned)
	crew.For(len(d.block), 2048, func(lo, hi int) {
		for e := lo; e < hi; e++ {
			d.fill(e, m, by)
		}
	})
	d.f.Make(crew)
}

// fill puts a block of the matrix in the frames of its vertices: what of a move of Col's a force on
// Row's is. Of what bends only that across the cloth counts: along it stretching is far stiffer.
func (d *direct) fill(e int, m *matrix, by float64) {
	row, col, v := d.f.Row[e], d.f.Col[e], d.f.V[4*e:][:4]
	i, j := row/2, col/2
	clear(v)
	if d.still[i] || d.still[j] {
		if row == col {
			v[0], v[3] = 1, 1
		}
		return
	}
	s := 0.0
	if b := d.bent[e]; b >= 0 {
		s = by * m.bent.v[b]
	}
	var q [9]float64
	if b := d.block[e]; b >= 0 {
		copy(q[:], m.block[9*b:])
	}
	q[0], q[4], q[8] = q[0]+s, q[4]+s, q[8]+s
	for c, u := range part(&d.frame[j], col) {
		// the transpose times u
		w := geom.Vec3{X: q[0]*u.X + q[3]*u.Y + q[6]*u.Z, Y: q[1]*u.X + q[4]*u.Y + q[7]*u.Z, Z: q[2]*u.X + q[5]*u.Y + q[8]*u.Z}
		for r, a := range part(&d.frame[i], row) {
			v[2*r+c] = float32(a.Dot(w))
		}
	}
}

// part is the axes of an item: those along the cloth, or that across.
func part(f *axes, item int32) []geom.Vec3 {
	if item%2 == 0 {
		return f[:2]
	}
	return f[2:]
}

// soften is z, about what A z = r asks for.
func (d *direct) soften(m *matrix, r, z []geom.Vec3, crew grid.Crew) {
	crew.For(m.n, 1024, func(lo, hi int) {
		for i := lo; i < hi; i++ {
			v := d.frame[i].in(r[i])
			d.b[3*i], d.b[3*i+1], d.b[3*i+2] = float32(v.X), float32(v.Y), float32(v.Z)
		}
	})
	d.f.Solve(d.b, crew)
	crew.For(m.n, 1024, func(lo, hi int) {
		for i := lo; i < hi; i++ {
			if m.fixed[i] {
				z[i] = geom.Vec3{}
				continue
			}
			z[i] = m.along(i, d.frame[i].out(geom.Vec3{X: float64(d.b[3*i]), Y: float64(d.b[3*i+1]), Z: float64(d.b[3*i+2])}))
		}
	})
}
