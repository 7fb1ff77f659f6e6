package liquid

// The linear systems of a liquid have irregular domains that change in every substep.
// They are kept on the lattice of their cells, over the box of the liquid alone, and
// worked on in runs: whole vectors of cells, where a row holds any. The same system
// serves pressure and the spreading of particles.

import (
	"math"

	"zarf/core/grid"
	"zarf/core/vec"
)

// level is a system on a lattice: diag·x − Σ w·x_nb = b. Cells that aren't of it have a
// diagonal of 0, and no weights on their faces.
type level struct {
	n      [3]int
	sy, sz int // from a row and a plane to the next
	x, y   []float32
	b, r   []float32
	diag   []float32
	invd   []float32
	in     []float32    // 1 for a cell of the system
	w      [3][]float32 // of the lower faces of cells
	list   []vec.Run    // blocks of cells, plane by plane
	first  []int32      // of each plane's in list
	cells  int
}

// pad is what lies before a row and after it: kernels read a value beyond.
const pad = vec.Lanes

// layOut makes room for n cells, of which none is of the system yet. What other arrays
// hold counts only where cells are.
func (l *level) layOut(n [3]int, crew grid.Crew) {
	list := l.arrays()
	if l.n == n {
		list = list[:4]
	}
	l.n = n
	l.sy = (n[0]+pad-1)&^(pad-1) + pad
	l.sz = l.sy * (n[1] + 2)
	size := l.sz*(n[2]+2) + 2*pad
	for _, a := range l.arrays() {
		if cap(*a) < size {
			*a = make([]float32, size, size+size/4)
		}
		*a = (*a)[:size]
	}
	crew.Each(len(list), 1, func(a, b int) {
		for _, values := range list[a:b] {
			clear(*values)
		}
	})
}

// arrays are those of a level, what makes it a system first.
func (l *level) arrays() []*[]float32 {
	return []*[]float32{&l.diag, &l.w[0], &l.w[1], &l.w[2], &l.x, &l.y, &l.b, &l.r, &l.invd, &l.in}
}

// at is where a row begins; j and k may be −1 and one more than the last.
func (l *level) at(j, k int) int { return (k+1)*l.sz + (j+1)*l.sy + pad }

// finish makes the runs, by the diagonal, and what follows from it.
func (l *level) finish(crew grid.Crew) {
	found, cells := make([][]vec.Run, l.n[2]), make([]int, l.n[2])
	crew.For(l.n[2], 1, func(k0, k1 int) {
		for k := k0; k < k1; k++ {
			for j := range l.n[1] {
				found[k] = l.line(found[k], j, k, &cells[k])
			}
		}
	})
	l.list, l.first, l.cells = l.list[:0], append(l.first[:0], 0), 0
	for k, list := range found {
		l.list = append(l.list, list...)
		l.first = append(l.first, int32(len(l.list)))
		l.cells += cells[k]
	}
}

// line appends the runs of a row, and fills in what follows from its diagonal.
func (l *level) line(list []vec.Run, j, k int, cells *int) []vec.Run {
	o := l.at(j, k)
	for i := 0; i < l.n[0]; i += pad {
		d := l.diag[o+i : o+i+pad]
		inv, in := l.invd[o+i:o+i+pad], l.in[o+i:o+i+pad]
		some := 0
		for c, v := range d {
			if v == 0 {
				inv[c], in[c] = 0, 0
				continue
			}
			inv[c], in[c] = 1/v, 1
			some++
		}
		if some == 0 {
			continue
		}
		*cells += some
		if n := len(list); n > 0 && int(list[n-1].O+list[n-1].N) == o+i {
			list[n-1].N += pad
		} else {
			list = append(list, vec.Run{O: int32(o + i), N: pad})
		}
	}
	return list
}

// of is an array as kernels see it.
func of(a []float32) vec.Window { return vec.Window{A: a} }

func (l *level) hood(x []float32) vec.Hood {
	return vec.Hood{X: of(x), Below: vec.Window{A: x, From: l.sz}, Above: vec.Window{A: x, From: -l.sz}, SY: l.sy}
}

func (l *level) faces() vec.Faces {
	return vec.Faces{X: of(l.w[0]), Y: of(l.w[1]), Z: of(l.w[2]), Above: vec.Window{A: l.w[2], From: -l.sz}}
}

// grain is how many planes a thread takes at least: those of some thousands of cells.
func (l *level) grain() int { return max(1, l.n[2]*4096/max(l.cells, 1)) }

// planes calls fn with the runs of planes.
func (l *level) planes(crew grid.Crew, fn func(list []vec.Run)) {
	crew.For(l.n[2], l.grain(), func(k0, k1 int) { fn(l.list[l.first[k0]:l.first[k1]]) })
}

// sum adds what fn gives for the runs of each plane, in order.
func (l *level) sum(crew grid.Crew, fn func(list []vec.Run) float64) float64 {
	return crew.Sum(l.n[2], l.grain(), func(k int) float64 { return fn(l.list[l.first[k]:l.first[k+1]]) })
}

// The weights of two sweeps of Jacobi that together damp errors where D⁻¹A has
// eigenvalues up to 2 (see core/pressure).
const (
	mild   float32 = 0.6
	strong float32 = 1.85
)

// System is a symmetric positive definite system of equations on the cells of
// a lattice, solved by conjugate gradients. Before them stands one V-cycle of
// multigrid: 2×2×2 cells are gathered into one (Braess 1995: plain aggregation,
// the coarse operator halved, which makes it that of the coarse lattice),
// smoothed by two sweeps of Jacobi before and after, whose weights are a polynomial's.
type System struct {
	crew   grid.Crew
	lv     []*level
	used   int // levels in use
	origin [3]int
	islets [][]segment // parts that no surface holds: their pressure is free up to a constant
	x, p   []float32
	bottom []int32 // cells of the coarsest level
}

// coarsest is how few cells are solved by sweeps alone.
const coarsest = 60

// begin makes room for the cells of a region, of which none is of the system yet.
func (s *System) begin(r region) {
	// whole blocks of eight: cells are then gathered alike while the region changes
	var n [3]int
	for a := range 3 {
		s.origin[a] = r.lo[a] &^ 7
		n[a] = max(r.hi[a]-s.origin[a], 1)
	}
	if len(s.lv) == 0 {
		s.lv = append(s.lv, &level{})
	}
	s.lv[0].layOut(n, s.crew)
	for _, a := range []*[]float32{&s.x, &s.p} {
		size := len(s.lv[0].x)
		if cap(*a) < size {
			*a = make([]float32, size, size+size/4)
		}
		*a = (*a)[:size]
	}
}

// row is where the values of a row of cells begin, those of cell 0 of the box, which may
// not be there.
func (s *System) row(j, k int) int {
	return s.lv[0].at(j-s.origin[1], k-s.origin[2]) - s.origin[0]
}

// complete makes the coarser levels, once the finest one's weights and diagonals are
// there.
func (s *System) complete() {
	s.lv[0].finish(s.crew)
	s.used = 1
	for s.lv[s.used-1].cells > coarsest && s.used < 12 {
		l := s.lv[s.used-1]
		if len(s.lv) == s.used {
			s.lv = append(s.lv, &level{})
		}
		c := s.lv[s.used]
		c.layOut([3]int{(l.n[0] + 1) / 2, (l.n[1] + 1) / 2, (l.n[2] + 1) / 2}, s.crew)
		l.gather(c, s.crew)
		c.finish(s.crew)
		if c.cells == l.cells {
			break
		}
		s.used++
	}
	l := s.lv[s.used-1]
	s.bottom = s.bottom[:0]
	for _, r := range l.list {
		for o := r.O; o < r.O+r.N; o++ {
			if l.diag[o] != 0 {
				s.bottom = append(s.bottom, o)
			}
		}
	}
	s.findIslets()
}

// gather sums up 2×2×2 cells into one: Galerkin with piecewise constants, A_c = Pᵀ A P,
// so weights between the same two parents add up and those within one vanish from its
// diagonal. Plain aggregation's A_c is twice too stiff for a doubled lattice (Braess
// 1995), hence the half.
func (l *level) gather(c *level, crew grid.Crew) {
	crew.For(c.n[2], 1, func(k0, k1 int) {
		for k := 2 * k0; k < min(2*k1, l.n[2]); k++ {
			for j := range l.n[1] {
				l.gatherRow(c, j, k)
			}
		}
	})
}

func (l *level) gatherRow(c *level, j, k int) {
	o, up := l.at(j, k), c.at(j/2, k/2)
	n := l.n[0]
	diag := l.diag[o : o+n]
	wx, wy, wz := l.w[0][o:o+n+1], l.w[1][o:o+n], l.w[2][o:o+n]
	wyp, wzp := l.w[1][o+l.sy:o+l.sy+n], l.w[2][o+l.sz:o+l.sz+n]
	cd, cx, cy, cz := c.diag[up:], c.w[0][up:], c.w[1][up:], c.w[2][up:]
	for i, d := range diag {
		if d == 0 {
			continue
		}
		m := i >> 1
		if i&1 == 0 {
			cx[m] += 0.5 * wx[i]
			d -= wx[i+1]
		} else {
			d -= wx[i]
		}
		if j&1 == 0 {
			cy[m] += 0.5 * wy[i]
			d -= wyp[i]
		} else {
			d -= wy[i]
		}
		if k&1 == 0 {
			cz[m] += 0.5 * wz[i]
			d -= wzp[i]
		} else {
			d -= wz[i]
		}
		cd[m] += 0.5 * d
	}
}

// segment is a run of cells of a row that are joined.
type segment struct {
	o, n int32 // first cell, how many
	held bool  // some cell's diagonal is more than its weights: a surface is beside it
	up   int32 // another segment of the same part; itself: the part's own
}

// findIslets finds parts that are joined to no surface.
// Rows are cut into segments, which are joined where a face between them is open. A drop
// of liquid in the air always has a surface, so islets are liquid that fills a closed
// vessel to the brim.
func (s *System) findIslets() {
	// A part without any face to air has no given pressure: its matrix is singular
	// by a constant. It is found by whether diag exceeds the sum of coefficients
	// anywhere, which is what a given pressure beside it makes.
	l := s.lv[0]
	s.islets = s.islets[:0]
	found := make([][]segment, l.n[2])
	heads := make([][]int32, l.n[2]) // where each row's segments begin
	s.crew.For(l.n[2], l.grain(), func(k0, k1 int) {
		for k := k0; k < k1; k++ {
			for j := range l.n[1] {
				heads[k] = append(heads[k], int32(len(found[k])))
				found[k] = l.segments(found[k], j, k)
			}
			heads[k] = append(heads[k], int32(len(found[k])))
		}
	})
	var all []segment
	for k := range found {
		for i := range heads[k] {
			heads[k][i] += int32(len(all))
		}
		all = append(all, found[k]...)
	}
	for i := range all {
		all[i].up = int32(i)
	}
	for k := range l.n[2] {
		for j := range l.n[1] {
			own := [2]int32{heads[k][j], heads[k][j+1]}
			if j > 0 {
				l.joinRows(all, own, [2]int32{heads[k][j-1], heads[k][j]}, l.w[1], l.sy)
			}
			if k > 0 {
				l.joinRows(all, own, [2]int32{heads[k-1][j], heads[k-1][j+1]}, l.w[2], l.sz)
			}
		}
	}
	parts := map[int32]int{}
	for i := range all {
		top := topOf(all, int32(i))
		if all[top].held {
			continue
		}
		n, there := parts[top]
		if !there {
			n = len(s.islets)
			parts[top] = n
			s.islets = append(s.islets, nil)
		}
		s.islets[n] = append(s.islets[n], all[i])
	}
}

// segments appends those of a row.
func (l *level) segments(list []segment, j, k int) []segment {
	o := l.at(j, k)
	open := false
	for i := range l.n[0] {
		c := o + i
		d := l.diag[c]
		if d == 0 {
			open = false
			continue
		}
		if !open || l.w[0][c] == 0 {
			list = append(list, segment{o: int32(c)})
		}
		open = true
		g := &list[len(list)-1]
		g.n++
		sum := l.w[0][c] + l.w[0][c+1] + l.w[1][c] + l.w[1][c+l.sy] + l.w[2][c] + l.w[2][c+l.sz]
		g.held = g.held || d > sum*(1+1e-5)
	}
	return list
}

// joinRows joins the segments of a row with those of one before it by step.
func (l *level) joinRows(all []segment, own, other [2]int32, w []float32, step int) {
	for a, b := own[0], other[0]; a < own[1] && b < other[1]; {
		p, q := &all[a], &all[b]
		lo, hi := max(p.o, q.o+int32(step)), min(p.o+p.n, q.o+int32(step)+q.n)
		for c := lo; c < hi; c++ {
			if w[c] > 0 {
				unite(all, a, b)
				break
			}
		}
		if p.o+p.n <= q.o+int32(step)+q.n {
			a++
		} else {
			b++
		}
	}
}

func topOf(all []segment, i int32) int32 {
	for all[i].up != i {
		all[i].up = all[all[i].up].up
		i = all[i].up
	}
	return i
}

// unite makes one part of two; the first segment of it is its own.
func unite(all []segment, a, b int32) {
	a, b = topOf(all, a), topOf(all, b)
	if a == b {
		return
	}
	a, b = min(a, b), max(a, b)
	all[b].up = a
	all[a].held = all[a].held || all[b].held
}

// levelOff takes the mean off parts that no surface holds, so that a solution
// exists.
func (s *System) levelOff(b []float32) {
	for _, part := range s.islets {
		var sum float64
		count := 0
		for _, g := range part {
			sum += vec.Sum(b[g.o : g.o+g.n])
			count += int(g.n)
		}
		mean := float32(sum / float64(count))
		for _, g := range part {
			for c := g.o; c < g.o+g.n; c++ {
				b[c] -= mean
			}
		}
	}
}

// relax is a sweep of Jacobi from src into dst.
func (l *level) relax(crew grid.Crew, dst, src []float32, omega float32) {
	to, h, b, invd, w := of(dst), l.hood(src), of(l.b), of(l.invd), l.faces()
	l.planes(crew, func(list []vec.Run) { vec.RelaxRuns(&to, &h, &b, &invd, &w, list, omega, 0) })
}

// cycle leaves in x of a level what brings it from 0 towards the solution for b. It is a
// linear map, and symmetric, as CG demands of what stands before it: sweeps before and
// after are the same, those after in the other order.
func (s *System) cycle(n int) {
	l := s.lv[n]
	if n == s.used-1 {
		s.sweepBottom(l)
		return
	}
	to, b, invd := of(l.y), of(l.b), of(l.invd)
	l.planes(s.crew, func(list []vec.Run) { vec.ScaleRuns(&to, &b, &invd, list, mild) })
	l.relax(s.crew, l.x, l.y, strong)
	l.restrict(s.lv[n+1], s.crew)
	s.cycle(n + 1)
	l.prolong(s.lv[n+1], s.crew)
	l.relax(s.crew, l.y, l.x, strong)
	l.relax(s.crew, l.x, l.y, mild)
}

// sweepBottom solves the coarsest level by Gauss and Seidel's sweeps, forth and back.
func (s *System) sweepBottom(l *level) {
	for _, c := range s.bottom {
		l.x[c] = 0
	}
	relax := func(c int32) {
		x, w, sy, sz := l.x, &l.w, int32(l.sy), int32(l.sz)
		sum := l.b[c] + w[0][c]*x[c-1] + w[0][c+1]*x[c+1] + w[1][c]*x[c-sy] + w[1][c+sy]*x[c+sy] + w[2][c]*x[c-sz] + w[2][c+sz]*x[c+sz]
		x[c] = sum * l.invd[c]
	}
	for range 12 {
		for _, c := range s.bottom {
			relax(c)
		}
		for i := len(s.bottom) - 1; i >= 0; i-- {
			relax(s.bottom[i])
		}
	}
}

// restrict adds up what is left of b in the cells of each parent: the transpose of
// prolong.
func (l *level) restrict(c *level, crew grid.Crew) {
	to, h, b, diag, in, w := of(l.r), l.hood(l.x), of(l.b), of(l.diag), of(l.in), l.faces()
	crew.For(c.n[2], max(1, l.grain()/2), func(k0, k1 int) {
		for k := k0; k < k1; k++ {
			vec.ResidualRuns(&to, &h, &b, &diag, &in, &w, l.list[l.first[2*k]:l.first[min(2*k+2, l.n[2])]])
			for _, run := range c.list[c.first[k]:c.first[k+1]] {
				l.sumUp(c, run, k)
			}
		}
	})
}

// sumUp adds up the four rows that lie in a run of a coarser level. Where the finer one
// has no run its values may be of another substep: they are told by in.
func (l *level) sumUp(c *level, run vec.Run, k int) {
	o := int(run.O)
	j := (o-pad)%c.sz/c.sy - 1
	i := (o - c.at(j, k))
	b := c.b[o : o+int(run.N)]
	clear(b)
	for row := range 4 {
		fj, fk := 2*j+row&1, 2*k+row>>1
		if fj >= l.n[1] || fk >= l.n[2] {
			continue
		}
		f := l.at(fj, fk) + 2*i
		n := min(len(b), (l.sy-pad-2*i)/2)
		r, in := l.r[f:f+2*n], l.in[f:f+2*n]
		for m := range b[:n] {
			b[m] += r[2*m]*in[2*m] + r[2*m+1]*in[2*m+1]
		}
	}
}

// prolong adds a coarser level's correction to x.
func (l *level) prolong(c *level, crew grid.Crew) {
	crew.For(l.n[2], l.grain(), func(k0, k1 int) {
		for k := k0; k < k1; k++ {
			for _, run := range l.list[l.first[k]:l.first[k+1]] {
				o := int(run.O)
				j := (o-pad)%l.sz/l.sy - 1
				i := o - l.at(j, k)
				x, in := l.x[o:o+int(run.N)], l.in[o:o+int(run.N)]
				from := c.x[c.at(j/2, k/2)+i/2:]
				from = from[:len(x)/2]
				for m, v := range from {
					x[2*m] += v * in[2*m]
					x[2*m+1] += v * in[2*m+1]
				}
			}
		}
	})
}

// Solve finds x with A·x = b to the relative residual tol in the 2-norm. b is that of
// the finest level, which is used up.
//
// x is the system's own and good until the next call. iterations below most with a
// residual over tol mean that rounding ended the solve. The solution starts from 0:
// the pressure of the substep before is no better a guess where splashes are.
func (s *System) Solve(tol float64, most int) (iterations int, residual float64) {
	l := s.lv[0]
	if l.cells == 0 {
		return 0, 0
	}
	// b must have no part along the constants, or no solution exists
	s.levelOff(l.b)
	r, z, p, x, diag, w := of(l.b), of(l.x), of(s.p), of(s.x), of(l.diag), l.faces()
	h := l.hood(s.p)
	dot := func(a, b *vec.Window) float64 {
		return l.sum(s.crew, func(list []vec.Run) float64 { return vec.DotRuns(a, b, list) })
	}
	l.planes(s.crew, func(list []vec.Run) {
		vec.ScaleRuns(&x, &r, &diag, list, 0)
		vec.ScaleRuns(&p, &r, &diag, list, 0)
	})
	norm := math.Sqrt(dot(&r, &r))
	if norm == 0 || math.IsNaN(norm) {
		return 0, norm
	}
	var rho float64
	residual = 1
	for iterations < most && residual > tol {
		s.cycle(0)
		// rounding brings the constants back in; they would grow from step to step
		s.levelOff(l.x)
		last := rho
		rho = dot(&r, &z)
		beta := float32(0)
		if iterations > 0 {
			beta = float32(rho / last)
		}
		first := iterations == 0
		l.planes(s.crew, func(list []vec.Run) { vec.XpayRuns(&p, &z, list, beta) })
		// zero or less by rounding alone: x is as good as it will get
		pq := l.sum(s.crew, func(list []vec.Run) float64 { return vec.ApplyDotRuns(&h, &diag, &w, list) })
		if !(pq > 0) {
			break
		}
		alpha := float32(rho / pq)
		left := l.sum(s.crew, func(list []vec.Run) float64 {
			return vec.UpdateRuns(&x, &r, &h, &diag, &w, list, alpha, first)
		})
		iterations++
		residual = math.Sqrt(left) / norm
	}
	return iterations, residual
}

// dot is the sum of products, by pieces of a fixed size.
func dot(crew grid.Crew, a, b []float32) float64 {
	// float64 sums of pieces whose ends don't depend on the crew
	const piece = 4096
	return crew.Sum((len(a)+piece-1)/piece, 4, func(k int) (sum float64) {
		lo, hi := k*piece, min((k+1)*piece, len(a))
		x, y := a[lo:hi], b[lo:hi]
		for i := range x {
			sum += float64(x[i]) * float64(y[i])
		}
		return sum
	})
}
