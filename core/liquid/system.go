package liquid

// The linear systems of a liquid have irregular domains that change in every
// substep, so they are kept as lists of rows with neighbours and not as dense
// arrays: cells without liquid cost nothing. The same system serves pressure and the
// spreading of particles.

import (
	"math"

	"zarf/core/grid"
)

// node is one row of a system: diag·x − Σ c·x[nb] = b. Neighbours that aren't
// there have c = 0 and stand for the row itself.
type node struct {
	// 52 bytes: neighbours and their coefficients side by side, as a row is read
	// whole
	nb   [6]int32
	c    [6]float32
	diag float32
}

// level is a system on a lattice, and how its rows are gathered into those of
// the next coarser one.
type level struct {
	rows   []node
	at     [][3]int32 // place of each row on the level's lattice
	colour [2][]int32 // rows by the parity of their place: none neighbours one of its own
	parent []int32    // row of the coarser level
	x, b   []float32
	r      []float32
}

// System is a symmetric positive definite system of equations on the cells of
// a lattice, solved by conjugate gradients. Before them stands one V-cycle of
// multigrid: 2×2×2 rows are gathered into one (Braess 1995: plain aggregation,
// the coarse operator halved, which makes it that of the coarse lattice),
// smoothed by red–black Gauss–Seidel forwards and back.
type System struct {
	crew   grid.Crew
	lv     []*level
	islets [][]int32 // rows of parts that no surface holds: their pressure is free up to a constant
	x, r   []float32
	p, q   []float32
}

// coarsest is how few rows are solved by sweeps alone.
const coarsest = 60

// newSystem takes the rows of the finest level in the order of their places;
// it takes them over.
// Levels are made by one pass over each finer one's rows, of which the next has an eighth to a quarter.
func newSystem(rows []node, at [][3]int32, crew grid.Crew) *System {
	s := &System{crew: crew}
	l := &level{rows: rows, at: at}
	for {
		l.finish()
		s.lv = append(s.lv, l)
		if len(l.rows) <= coarsest || len(s.lv) > 12 {
			break
		}
		next := l.coarsen()
		if len(next.rows) == len(l.rows) {
			l.parent = nil
			break
		}
		l = next
	}
	// vectors of CG on the finest level; those of the cycle belong to the levels
	n := len(rows)
	s.x, s.r, s.p, s.q = make([]float32, n), make([]float32, n), make([]float32, n), make([]float32, n)
	s.findIslets()
	return s
}

func (l *level) finish() {
	n := len(l.rows)
	l.x, l.b, l.r = make([]float32, n), make([]float32, n), make([]float32, n)
	for c := range l.colour {
		l.colour[c] = make([]int32, 0, n/2+1)
	}
	for i, p := range l.at {
		// on a lattice of six neighbours the parity parts rows into two sets in
		// which none touch: each half sweep can go in parallel and has one result
		c := (p[0] + p[1] + p[2]) & 1
		l.colour[c] = append(l.colour[c], int32(i))
	}
}

// coarsen gathers rows whose places halve to the same one.
//
// The walk needs no search: places are halved, and a box of indices over the coarse
// places finds rows. That box is 4 bytes a coarse place, in use or not.
func (l *level) coarsen() *level {
	// A box over the rows' places, as an index from place to coarse row: a byte map
	// would do, but its numbers are needed anyway.
	lo, hi := l.at[0], l.at[0]
	for _, p := range l.at {
		for a := range 3 {
			lo[a], hi[a] = min(lo[a], p[a]), max(hi[a], p[a])
		}
	}
	var n [3]int32
	for a := range 3 {
		lo[a] >>= 1
		n[a] = hi[a]>>1 - lo[a] + 1
	}
	index := make([]int32, int(n[0])*int(n[1])*int(n[2])) // row plus one
	key := func(p [3]int32) int {
		return (int(p[2]>>1-lo[2])*int(n[1])+int(p[1]>>1-lo[1]))*int(n[0]) + int(p[0]>>1-lo[0])
	}
	for _, p := range l.at {
		index[key(p)] = 1
	}
	c := &level{}
	// numbered in the order of memory, like the finest level
	for m := range index {
		if index[m] == 0 {
			continue
		}
		i, j, k := int32(m)%n[0], int32(m)/n[0]%n[1], int32(m)/(n[0]*n[1])
		c.at = append(c.at, [3]int32{i + lo[0], j + lo[1], k + lo[2]})
		index[m] = int32(len(c.at))
	}
	c.rows = make([]node, len(c.at))
	for i := range c.rows {
		for m := range 6 {
			c.rows[i].nb[m] = int32(i)
		}
	}
	l.parent = make([]int32, len(l.rows))
	for i, p := range l.at {
		l.parent[i] = index[key(p)] - 1
	}
	for i := range l.rows {
		r, up := &l.rows[i], l.parent[i]
		g := &c.rows[up]
		// Galerkin with piecewise constants: A_c = Pᵀ A P, so coefficients between
		// the same two parents add up and those within one vanish from its diagonal.
		// Plain aggregation's A_c is twice too stiff for a doubled lattice (Braess
		// 1995), hence the half.
		out := r.diag // what isn't shared with another row of the same parent
		for m, w := range r.c {
			if w == 0 {
				continue
			}
			to := l.parent[r.nb[m]]
			if to == up {
				out -= w
				continue
			}
			g.nb[m] = to
			g.c[m] += 0.5 * w
		}
		g.diag += 0.5 * out
	}
	return c
}

// findIslets finds parts that are joined to no surface.
// A flood by rows, each looked at once. A drop of liquid in the air always has a
// surface, so islets are liquid that fills a closed vessel to the brim.
func (s *System) findIslets() {
	// A part without any face to air has no given pressure: its matrix is singular
	// by a constant. It is found by whether diag exceeds the sum of coefficients
	// anywhere, which is what a given pressure beside it makes.
	rows := s.lv[0].rows
	seen := make([]bool, len(rows))
	var stack []int32
	for i := range rows {
		if seen[i] {
			continue
		}
		seen[i] = true
		stack = append(stack[:0], int32(i))
		held := false
		var part []int32
		for len(stack) > 0 {
			n := stack[len(stack)-1]
			stack = stack[:len(stack)-1]
			part = append(part, n)
			r := &rows[n]
			var sum float32
			for m, w := range r.c {
				sum += w
				if to := r.nb[m]; w > 0 && !seen[to] {
					seen[to] = true
					stack = append(stack, to)
				}
			}
			held = held || r.diag > sum*(1+1e-5)
		}
		if !held {
			s.islets = append(s.islets, part)
		}
	}
}

// level off takes the mean off parts that no surface holds, so that a solution
// exists.
func (s *System) levelOff(b []float32) {
	for _, part := range s.islets {
		var sum float64
		for _, n := range part {
			sum += float64(b[n])
		}
		mean := float32(sum / float64(len(part)))
		for _, n := range part {
			b[n] -= mean
		}
	}
}

// dot sums by pieces of a fixed size.
func (s *System) dot(a, b []float32) float64 {
	// float64 sums of pieces whose ends don't depend on the crew
	const piece = 4096
	return s.crew.Sum((len(a)+piece-1)/piece, 4, func(k int) (sum float64) {
		lo, hi := k*piece, min((k+1)*piece, len(a))
		x, y := a[lo:hi], b[lo:hi]
		for i := range x {
			sum += float64(x[i]) * float64(y[i])
		}
		return sum
	})
}

// apply is q = A·x.
// 52 bytes of row and up to six reads of x a row: it runs at the memory's speed.
func (l *level) apply(crew grid.Crew, q, x []float32) {
	// missing neighbours have c = 0 and point at the row itself: no test, no branch
	crew.For(len(l.rows), 4096, func(lo, hi int) {
		for i := lo; i < hi; i++ {
			r := &l.rows[i]
			q[i] = r.diag*x[i] - (r.c[0]*x[r.nb[0]] + r.c[1]*x[r.nb[1]] + r.c[2]*x[r.nb[2]] + r.c[3]*x[r.nb[3]] + r.c[4]*x[r.nb[4]] + r.c[5]*x[r.nb[5]])
		}
	})
}

// relax is one half of a Gauss–Seidel sweep.
// Rows of one colour read only the other's values, so threads may take any of them.
func (l *level) relax(crew grid.Crew, colour int) {
	list, x, b := l.colour[colour], l.x, l.b
	crew.For(len(list), 4096, func(lo, hi int) {
		for _, i := range list[lo:hi] {
			r := &l.rows[i]
			x[i] = (b[i] + r.c[0]*x[r.nb[0]] + r.c[1]*x[r.nb[1]] + r.c[2]*x[r.nb[2]] + r.c[3]*x[r.nb[3]] + r.c[4]*x[r.nb[4]] + r.c[5]*x[r.nb[5]]) / r.diag
		}
	})
}

// cycle improves x from 0 towards the solution for b.
func (s *System) cycle(n int) {
	// Symmetric, as CG demands of what stands before it: down sweeps go red, black,
	// up sweeps black, red, and the coarsest level goes both ways.
	l := s.lv[n]
	// from zero: the cycle is a linear map of b, and nothing else
	clear(l.x)
	if l.parent == nil {
		for range 12 {
			l.relax(s.crew, 0)
			l.relax(s.crew, 1)
		}
		for range 12 {
			l.relax(s.crew, 1)
			l.relax(s.crew, 0)
		}
		return
	}
	for range 2 {
		l.relax(s.crew, 0)
		l.relax(s.crew, 1)
	}
	l.apply(s.crew, l.r, l.x)
	// restriction adds up the residuals of a parent's rows, the transpose of copying
	// its correction back to them
	c := s.lv[n+1]
	clear(c.b)
	for i, up := range l.parent {
		c.b[up] += l.b[i] - l.r[i]
	}
	s.cycle(n + 1)
	for i, up := range l.parent {
		l.x[i] += c.x[up]
	}
	for range 2 {
		l.relax(s.crew, 1)
		l.relax(s.crew, 0)
	}
}

// Solve finds x with A·x = b to the relative residual tol in the 2-norm. b is
// changed where parts are held by no surface.
//
// x is the system's own and good until the next call. iterations below most with a
// residual over tol mean that rounding ended the solve. The solution starts from 0:
// the pressure of the substep before is no better a guess where splashes are.
func (s *System) Solve(b []float32, tol float64, most int) (x []float32, iterations int, residual float64) {
	n := len(b)
	clear(s.x)
	if n == 0 {
		return s.x, 0, 0
	}
	// b must have no part along the constants, or no solution exists
	s.levelOff(b)
	copy(s.r, b)
	norm := math.Sqrt(s.dot(b, b))
	if norm == 0 || math.IsNaN(norm) {
		return s.x, 0, norm
	}
	var rho float64
	residual = 1
	for iterations < most && residual > tol {
		f := s.lv[0]
		copy(f.b, s.r)
		s.cycle(0)
		// rounding brings the constants back in; they would grow from step to step
		s.levelOff(f.x)
		last := rho
		rho = s.dot(s.r, f.x)
		if iterations == 0 {
			copy(s.p, f.x)
		} else {
			beta := float32(rho / last)
			s.crew.For(n, 1<<14, func(lo, hi int) {
				for i := lo; i < hi; i++ {
					s.p[i] = f.x[i] + beta*s.p[i]
				}
			})
		}
		f.apply(s.crew, s.q, s.p)
		// zero or less by rounding alone: x is as good as it will get
		pq := s.dot(s.p, s.q)
		if !(pq > 0) {
			break
		}
		alpha := float32(rho / pq)
		s.crew.For(n, 1<<14, func(lo, hi int) {
			for i := lo; i < hi; i++ {
				s.x[i] += alpha * s.p[i]
				s.r[i] -= alpha * s.q[i]
			}
		})
		iterations++
		residual = math.Sqrt(s.dot(s.r, s.r)) / norm
	}
	return s.x, iterations, residual
}
