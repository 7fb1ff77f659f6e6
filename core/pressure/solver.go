package pressure

// Conjugate gradients and the V-cycle before them. Passes that belong together are
// run plane by plane on one thread, so that the second finds in the cache what the
// first has written; sums come along with the pass that makes what is summed.

import (
	"fmt"
	"math"

	"zarf/core/grid"
	"zarf/core/vec"
)

// Sides says for x−, x+, y−, y+, z−, z+ whether the side is open (p = 0
// outside) or a wall.
type Sides [6]bool

// Any reports whether any side is open.
func (s Sides) Any() bool { return s != Sides{} }

// Stats tells how a solve went.
type Stats struct {
	Iterations int
	Residual   float64   // ‖b − A p‖₂ / ‖b‖₂ as the iteration kept it
	History    []float64 // the same after each iteration
	Converged  bool
}

// Solver holds the hierarchy for one box; it is reused from step to step.
type Solver struct {
	crew  grid.Crew
	dims  grid.Dims
	open  Sides
	tiles *grid.Tiles
	lv    []*level
	tr    []*transfer
	// CG's own vectors, on the finest level alone; the levels have those of the
	// cycle. A·p is never kept.
	p      []float32 // search direction
	res    []float32 // residual
	sol    []float32
	rhs    []float32
	hi, lo []float32 // the sum of both is the solution during refinement
	pocket []pocket
	solids bool
	alloc  func(n int) []float32
	near   Range // where some face isn't fully open
	last   direct
}

// Range is a box of cells, both ends within.
type Range struct{ Lo, Hi [3]int }

// join is the smallest range that holds both.
func (r Range) join(o Range) Range {
	for a := range 3 {
		r.Lo[a], r.Hi[a] = min(r.Lo[a], o.Lo[a]), max(r.Hi[a], o.Hi[a])
	}
	return r
}

// coarse is the range on a level, a cell larger all round.
func (r Range) coarse(log [3]int) Range {
	for a := range 3 {
		r.Lo[a], r.Hi[a] = r.Lo[a]>>log[a]-1, r.Hi[a]>>log[a]+1
	}
	return r
}

// grow is the range and a cell more all round.
func (r Range) grow() Range {
	for a := range 3 {
		r.Lo[a], r.Hi[a] = r.Lo[a]-1, r.Hi[a]+1
	}
	return r
}

// row reports that row (j,k) runs through the range.
func (r Range) row(j, k int) bool {
	return j >= r.Lo[1] && j <= r.Hi[1] && k >= r.Lo[2] && k <= r.Hi[2]
}

// New makes a solver for a grid of d cells.
func New(d grid.Dims, crew grid.Crew) (*Solver, error) {
	return NewIn(d, crew, new(grid.Slab).Floats)
}

// NewIn makes a solver whose arrays come from alloc, zeroed; where only some
// tiles are in use it touches no others.
func NewIn(d grid.Dims, crew grid.Crew, alloc func(n int) []float32) (*Solver, error) {
	if err := d.Valid(); err != nil {
		return nil, fmt.Errorf("pressure: %w", err)
	}
	s := &Solver{crew: crew, dims: d, alloc: alloc}
	log := [3]int{}
	// Levels halve every axis that still has two cells or more, until the longest
	// has six or fewer: those are solved by sweeps.
	cur := d
	for {
		l := newLevel(cur, log, alloc)
		s.lv = append(s.lv, l)
		n := [3]int{cur.NX, cur.NY, cur.NZ}
		if max(n[0], n[1], n[2]) <= 6 {
			break
		}
		by := [3]int{1, 1, 1}
		axes := 0
		for a := range n {
			if n[a] >= 2 {
				by[a] = 2
				axes++
				log[a]++
				n[a] = (n[a] + 1) / 2
			}
		}
		cur = grid.Dims{NX: n[0], NY: n[1], NZ: n[2]}
		// The operator isn't divided by h², so a coarse right side is 4/2^axes times
		// the mean of the fine ones: h grows by 2 (h² by 4), and a coarse cell
		// stands for 2^axes fine ones, whose residuals restriction adds up.
		s.tr = append(s.tr, &transfer{by: by, scale: 4 / float32(int(1)<<axes), span: [3]int{d.NX, d.NY, d.NZ}})
	}
	for i, t := range s.tr {
		t.fine, t.coarse = s.lv[i], s.lv[i+1]
		t.weigh()
		for side := range t.reach {
			t.reach[side] = t.steps(uint8(side))
		}
		if f := t.fine; t.fused() && f.few() {
			f.mid = f.alloc(alloc)
		}
		if f := t.fine; !t.fused() || f.small() {
			f.t, f.r = f.alloc(alloc), f.room(alloc, 3)
			f.flat.rows, f.flat.sums = f.room(alloc, 3), make([]float32, f.sz+2*f.sy+3*pad)
		}
	}
	// fewer than 10³ cells are as good as solved by what lies below them
	for i := 2; i <= 3 && i < len(s.tr) && s.lv[i].Len() >= 1000; i++ {
		s.lv[i].again = s.lv[i].alloc(alloc)
	}
	f := s.lv[0]
	for _, a := range []*[]float32{&s.p, &s.res, &s.sol, &s.rhs} {
		*a = f.alloc(alloc)
	}
	return s, nil
}

// Setup takes the sides, the tiles in use (nil: all) and the open fraction of
// every face, on the staggered grid; nil fractions mean that all faces are
// open. Beyond the tiles in use p = 0. Fractions under 0.01 count as closed, so
// that slivers can't spoil the conditioning. Fractions of faces that touch no
// tile in use are not read.
func (s *Solver) Setup(open Sides, tiles *grid.Tiles, fx, fy, fz *grid.Field) {
	s.SetupNear(open, tiles, fx, fy, fz, Range{Hi: [3]int{s.dims.NX, s.dims.NY, s.dims.NZ}})
}

// SetupNear is Setup where all faces beyond a range of cells are fully open.
func (s *Solver) SetupNear(open Sides, tiles *grid.Tiles, fx, fy, fz *grid.Field, near Range) {
	// Full tiles are told apart by Full and not by identity: two such sets mean the
	// same, and nothing needs to be done anew.
	if tiles == nil {
		tiles = grid.NewTiles(s.dims, true)
	}
	sameTiles := s.tiles != nil && (s.tiles == tiles || s.tiles.Full() && tiles.Full())
	// what solids touched last time has to be opened again
	whole := Range{Hi: [3]int{s.dims.NX, s.dims.NY, s.dims.NZ}}
	dirty := near.join(s.near)
	if !sameTiles || s.open != open || !s.solids || fx == nil {
		dirty = whole
	}
	s.open, s.solids, s.near = open, fx != nil, near
	if !sameTiles {
		s.layOut(tiles)
	}
	s.tiles = tiles
	if s.solids {
		s.load(fx, fy, fz, dirty)
	}
	// from fine to coarse: a level's fractions are means of those of the one above
	for i, l := range s.lv {
		if s.solids && i > 0 {
			s.tr[i-1].members(s.crew, dirty.coarse(l.log))
			s.tr[i-1].coarsen(s.crew, dirty.coarse(l.log))
		}
		l.assemble(s.crew, s.dims, open, s.solids, near.coarse(l.log), dirty.coarse(l.log))
	}
	for i, l := range s.lv {
		t := (*transfer)(nil)
		if i < len(s.tr) {
			t = s.tr[i]
		}
		s.arrange(l, t, near, dirty, dirty.Lo == ([3]int{}) && dirty.Hi == whole.Hi)
	}
	s.last.factor(s.lv[len(s.lv)-1])
	s.lv[0].findRim(s.crew, s.solids, near, dirty)
	// last, as it reads the assembled diagonals
	s.findPockets()
}

// layOut makes other tiles those in use. Arrays must read zero outside the runs: they
// are cleared on the old ones before the new are known.
func (s *Solver) layOut(tiles *grid.Tiles) {
	s.rows(func(o, n int) {
		for _, a := range [][]float32{s.p, s.res, s.sol, s.rhs, s.hi, s.lo} {
			if a != nil {
				clear(a[o : o+n])
			}
		}
	})
	for _, l := range s.lv {
		l.wipe()
		l.use(tiles)
	}
}

// arrange finds a level's transfer, nil for the coarsest, and its runs anew, after its
// weights and those of the coarser one are known.
func (s *Solver) arrange(l *level, t *transfer, near, dirty Range, whole bool) {
	touched := dirty.coarse(l.log)
	if t != nil {
		t.normalise(s.crew, s.open, dirty)
		if s.solids {
			t.mend(s.crew, s.open, near)
		} else {
			t.fixes, t.fixed, t.groups, t.member = nil, nil, nil, nil
		}
		touched = touched.join(t.touched(dirty))
	}
	if whole {
		l.canonical(s.dims, s.open, t)
	}
	s.crew.For(l.NZ, l.grain(), func(k0, k1 int) {
		for k := max(k0, touched.Lo[2]); k < min(k1, touched.Hi[2]+1); k++ {
			l.line(k)
			if t != nil && t.fused() {
				t.draws(k)
			}
		}
	})
	if l.small() {
		l.flatten(t)
	}
}

// load copies the fractions of the finest level, slivers and walls closed,
// within a range.
// Fractions of the level are zero where the face is a wall of the box: the kernels
// then need no test for sides.
func (s *Solver) load(fx, fy, fz *grid.Field, r Range) {
	for _, l := range s.lv {
		if l.frac.x == nil {
			l.frac = newFractions(l.Dims, s.alloc)
		}
	}
	f := s.lv[0].frac
	for axis, c := range [3][2]*grid.Field{{f.x, fx}, {f.y, fy}, {f.z, fz}} {
		dst, src := c[0], c[1]
		s.crew.For(dst.NZ, 2, func(k0, k1 int) {
			// one row and plane more than cells: faces on the range's far sides
			for k := max(k0, r.Lo[2]); k < min(k1, r.Hi[2]+2); k++ {
				for j := max(r.Lo[1], 0); j < min(dst.NY, r.Hi[1]+2); j++ {
					d := dst.Row(j, k)
					for i, v := range src.Row(j, k) {
						if v < 0.01 {
							v = 0
						}
						d[i] = v
					}
				}
			}
		})
		closeSides(dst, axis, s.open)
	}
}

// closeSides zeroes the fractions on walls of the box.
// It touches the two outermost planes of faces along one axis.
func closeSides(f *grid.Field, axis int, open Sides) {
	n := [3]int{f.NX, f.NY, f.NZ}
	for side := range 2 {
		if open[2*axis+side] {
			continue
		}
		at := 0
		if side == 1 {
			at = n[axis] - 1
		}
		// a wall of y or z is whole rows; one of x a single value of each
		j0, j1, k0, k1 := 0, f.NY, 0, f.NZ
		switch axis {
		case 1:
			j0, j1 = at, at+1
		case 2:
			k0, k1 = at, at+1
		}
		for k := k0; k < k1; k++ {
			for j := j0; j < j1; j++ {
				if row := f.Row(j, k); axis == 0 {
					row[at] = 0
				} else {
					clear(row)
				}
			}
		}
	}
}

// RHS is row (j,k) of the right-hand side, NX values, for the caller to fill
// before Solve.
func (s *Solver) RHS(j, k int) []float32 { return s.lv[0].row(s.rhs, j, k)[:s.dims.NX] }

// Pressure is row (j,k) of the solution.
func (s *Solver) Pressure(j, k int) []float32 { return s.lv[0].row(s.sol, j, k)[:s.dims.NX] }

// Solve iterates until the residual has fallen to tol times that of p = 0.
// Below 2e-5 float32 isn't enough: the solution is then kept as the sum of two and
// refined by solving for corrections.
//
// Before it RHS was filled; after it Pressure gives the solution. A right side of
// zeros gives zeros. Stats say how it went; a solve that didn't converge is not an
// error here, as the flow is usable and the caller tells the artist.
func (s *Solver) Solve(tol float64, maxIter int) Stats {
	// Cells that can't have a pressure are no unknowns, and pockets are only
	// solvable without a mean; both are made so before the first norm is taken.
	s.mask(s.rhs)
	s.settle(s.rhs)
	// float32's rounding in A p is about 1e-7 of its terms, which leaves a residual
	// of some 1e-5 after tens of iterations; tighter goals go through refinement.
	norm := s.begin()
	if tol >= 2e-5 {
		return s.cg(tol, maxIter, norm)
	}
	for _, a := range []*[]float32{&s.hi, &s.lo} {
		if *a == nil {
			*a = s.lv[0].alloc(s.alloc)
		}
	}
	var st Stats
	if norm == 0 {
		s.rows(func(o, n int) { clear(s.sol[o : o+n]) })
		return Stats{Converged: true}
	}
	left := 1.0
	// Iterative refinement: x += solve(b − A x) with x the sum of two float32 and the
	// residual in float64. A pass gains three digits: a float32 holds a solution no
	// better, as what rounding it leaves grows with the box (5e-4 of b at 128³, 1e-3 at
	// 192³), and iterations beyond that are lost. Six passes are more than two can use.
	for pass := 0; pass < 6 && st.Iterations < maxIter; pass++ {
		inner := s.cg(max(1e-3, 0.7*tol/left), maxIter-st.Iterations, left*norm)
		st.Iterations += inner.Iterations
		for _, h := range inner.History {
			st.History = append(st.History, h*left)
		}
		st.Residual = s.refine(pass) / norm
		if st.Residual <= tol {
			st.Converged = true
			break
		}
		// no gain any more: what is left is rounding
		if st.Residual > 0.9*left {
			break
		}
		left = st.Residual
		if pass == 0 {
			s.hi, s.sol = s.sol, s.hi
		}
		// rounding has brought a mean back into pockets
		s.settle(s.res)
	}
	return st
}

// begin makes the residual that of p = 0, and returns its norm.
func (s *Solver) begin() float64 {
	return math.Sqrt(s.lv[0].sum(s.crew, func(p *part) float64 {
		res, rhs := p.of(s.res), p.of(s.rhs)
		vec.MixRuns(&res, &rhs, p.list, 1, 0)
		return vec.DotRuns(&res, &res, p.list)
	}))
}

// refine takes the correction of a pass, in sol, into the sum of hi and lo, makes the
// residual that of the sum, and sol the sum in one number; it returns the residual's
// norm. The first pass's is all of the sum, and becomes hi when another one is begun.
func (s *Solver) refine(pass int) float64 {
	if pass == 0 {
		return s.leftOver()
	}
	if pass == 1 {
		s.lo, s.sol = s.sol, s.lo
	}
	return math.Sqrt(s.wave(func(k int) {
		s.lv[0].eachIn(k, func(o, n int) {
			sol, hi, lo := s.sol[o:o+n], s.hi[o:o+n], s.lo[o:o+n]
			if pass > 1 {
				vec.Add(lo, lo, sol)
			}
			vec.Add(sol, hi, lo)
		})
	}, func(k int) float64 { return s.wideResidual(s.hi, s.lo, k) }))
}

// cg adds to A sol = res from sol = 0; res holds the residual afterwards.
//
// norm is what the residual is told relative to. tol is the relative residual in the
// 2-norm. It ends early where p·q isn't positive, which rounding alone can bring
// about, and leaves the best solution so far in sol.
func (s *Solver) cg(tol float64, maxIter int, norm float64) Stats {
	var st Stats
	f, clean, rz := s.lv[0], false, 0.0
	defer func() {
		if !clean { // nothing was written
			s.rows(func(o, n int) { clear(s.sol[o : o+n]) })
		}
	}()
	if norm == 0 {
		st.Converged = true
		return st
	}
	for st.Iterations < maxIter {
		// z = M⁻¹ r. β = ⟨r,z⟩/⟨r,z⟩_before (Fletcher and Reeves) is right as M
		// doesn't change from iteration to iteration.
		next := s.precondition()
		if !(next > 0) || math.IsInf(next, 0) {
			break // the residual is zero or not finite
		}
		var pq float64
		if st.Iterations == 0 {
			// p = z: the two change places, as the next cycle writes all of z
			s.p, f.x = f.x, s.p
			pq = s.turn(0)
		} else {
			pq = s.turn(float32(next / rz))
		}
		rz = next
		if !(pq > 0) {
			break
		}
		// α in float32, sums before it in float64: the update itself is float32
		// anyway
		rr := s.update(float32(rz/pq), !clean)
		clean = true
		st.Iterations++
		st.Residual = math.Sqrt(rr) / norm
		st.History = append(st.History, st.Residual)
		if st.Residual <= tol {
			st.Converged = true
			break
		}
		if math.IsNaN(st.Residual) {
			break
		}
	}
	return st
}

// rows runs fn over the runs of the finest level.
func (s *Solver) rows(fn func(o, n int)) {
	f := s.lv[0]
	s.crew.For(f.NZ, f.grain(), func(k0, k1 int) {
		for k := k0; k < k1; k++ {
			f.eachIn(k, fn)
		}
	})
}

// total adds n partial sums in their order.
func (l *level) total(n int) (sum float64) {
	for _, v := range l.parts[:n] {
		sum += v
	}
	return sum
}

func (s *Solver) dotAll(a, b []float32) float64 {
	return s.lv[0].sum(s.crew, func(p *part) float64 {
		x, y := p.of(a), p.of(b)
		return vec.DotRuns(&x, &y, p.list)
	})
}

// hood are the rows of a's plane k and those about them.
func (l *level) hood(a []float32, k int) vec.Hood {
	return vec.Hood{X: l.plane(a, k), Below: l.plane(a, k-1), Above: l.plane(a, k+1), SY: l.sy}
}

// turn sets p = z + β p, for β = 0 leaves p as it is, and returns p·A p.
func (s *Solver) turn(beta float32) float64 {
	f := s.lv[0]
	return s.wave(func(k int) {
		if beta != 0 {
			p, z := f.plane(s.p, k), f.plane(f.x, k)
			for kind := range kinds {
				vec.XpayRuns(&p, &z, f.runs[k].list[kind], beta)
			}
		}
	}, func(k int) (sum float64) {
		h := f.hood(s.p, k)
		for kind := range kinds {
			c := &f.runs[k].coef[kind]
			sum += vec.ApplyDotRuns(&h, &c.diag, c.w, f.runs[k].list[kind])
		}
		return sum
	})
}

// wave runs first on every plane, and then next, which reads the planes about its own
// and gives a sum. A plane's turn comes as soon as the one above has had its first,
// while all three are in the cache; those beside another thread's wait until all are
// done.
func (s *Solver) wave(first func(k int), next func(k int) float64) float64 {
	f := s.lv[0]
	done := make([]bool, f.NZ)
	s.crew.For(f.NZ, max(f.grain(), f.share(s.crew)), func(k0, k1 int) {
		for k := k0; k < k1; k++ {
			first(k)
			if k > k0+1 || k > 0 && k0 == 0 {
				f.parts[k-1], done[k-1] = next(k-1), true
			}
		}
		if k1 == f.NZ && (k1 > k0+1 || k0 == 0) {
			f.parts[k1-1], done[k1-1] = next(k1-1), true
		}
	})
	s.crew.For(f.NZ, f.grain(), func(k0, k1 int) {
		for k := k0; k < k1; k++ {
			if !done[k] {
				f.parts[k] = next(k)
			}
		}
	})
	return f.total(f.NZ)
}

// update moves along p: sol += a p, or sol = a p for the first time, and
// res −= a A p; returns res·res.
func (s *Solver) update(a float32, first bool) float64 {
	f := s.lv[0]
	s.crew.For(f.NZ, max(f.grain(), f.share(s.crew)), func(k0, k1 int) {
		for k := k0; k < k1; k++ {
			h, sol, res := f.hood(s.p, k), f.plane(s.sol, k), f.plane(s.res, k)
			f.parts[k] = 0
			for kind := range kinds {
				c := &f.runs[k].coef[kind]
				f.parts[k] += vec.UpdateRuns(&sol, &res, &h, &c.diag, c.w, f.runs[k].list[kind], a, first)
			}
		}
	})
	return f.total(f.NZ)
}

// share is how many planes a thread is best given at once: all of its own on levels
// that stay in caches, so that it finds there what it has written; a quarter on others.
func (l *level) share(crew grid.Crew) int {
	t := crew.Threads()
	if l.few() {
		return (l.NZ + t - 1) / t
	}
	return l.NZ / (4 * t)
}

// grain is how many planes are worth a thread: below some ten thousand cells
// handing work out costs more than it gains.
func (l *level) grain() int { return max(1, l.NZ*16384/max(l.count, 1)) }

// precondition runs one cycle on the residual: z in the finest level's x, and z·r.
func (s *Solver) precondition() float64 {
	f := s.lv[0]
	keep := f.b
	f.b = s.res
	defer func() { f.b = keep }()
	if len(s.tr) > 0 && s.tr[0].fused() && !f.small() {
		s.tr[0].down(s.crew)
		s.cycle(1)
		s.tr[0].up(s.crew, true)
		return f.total(f.NZ * f.strips)
	}
	s.cycle(0)
	return s.dotAll(f.x, f.b)
}

// cycle visits level i and those below it: two sweeps, the residual restricted, the
// coarser level, its correction added, two sweeps.
func (s *Solver) cycle(i int) { s.twice(i, s.visit) }

func (s *Solver) visit(i int) {
	switch t := s.lv[i]; {
	case i == len(s.lv)-1:
		s.last.solve(t)
	case s.tr[i].fused() && !t.small():
		s.tr[i].down(s.crew)
		s.cycle(i + 1)
		s.tr[i].up(s.crew, false)
	default:
		s.plain(i, s.cycle)
	}
}

// plain is the cycle in one pass after another, for small levels and those that
// aren't halved along every axis; cycle is that of the level below. It has the bits of
// the fused one.
func (s *Solver) plain(i int, cycle func(int)) {
	// From x = 0 Jacobi is x = ω b/d, a scaling. The sweeps before the coarser level
	// and those after it are each other's transpose, so the cycle is symmetric.
	l, t := s.lv[i], s.tr[i]
	sweep := func(dst, src []float32, omega float32) {
		l.pass(s.crew, func(p *part) {
			to, h, b := p.of(dst), p.hood(src), p.of(l.b)
			vec.RelaxRuns(&to, &h, &b, &p.c.invd, p.c.w, p.list, omega, 0)
		})
	}
	l.pass(s.crew, func(p *part) {
		to, b := p.of(l.t), p.of(l.b)
		vec.ScaleRuns(&to, &b, &p.c.invd, p.list, mild)
	})
	sweep(l.x, l.t, strong)
	l.polishAll(s.crew)
	l.pass(s.crew, func(p *part) {
		// normalised already: restriction is the transpose of a prolongation times pn
		to, h, b := p.of(l.r), p.hood(l.x), p.of(l.b)
		vec.ResidualRuns(&to, &h, &b, &p.c.diag, &p.c.pn, p.c.w, p.list)
	})
	for k := range l.NZ {
		h := l.hood(l.x, k)
		t.leave(&h, k, 0, l.NY)
	}
	t.restrict(s.crew)
	t.give(s.crew)
	cycle(i + 1)
	if t.fused() && l.small() {
		t.prolongAll()
	} else {
		s.crew.For(l.NZ, l.grain(), func(k0, k1 int) {
			for k := k0; k < k1; k++ {
				x := l.plane(l.x, k)
				t.prolong(&x, &x, k, 0, l.NY)
			}
		})
	}
	for k := range l.NZ {
		x := l.plane(l.x, k)
		t.drawFixes(&x, k, 0, l.NY)
	}
	l.polishAll(s.crew)
	sweep(l.t, l.x, strong)
	sweep(l.x, l.t, mild)
}

// mask zeroes a on cells that take no part.
// A cell takes no part where all of its faces are shut.
func (s *Solver) mask(a []float32) {
	f := s.lv[0]
	s.crew.For(f.NZ, f.grain(), func(k0, k1 int) {
		for k := k0; k < k1; k++ {
			// rows of other kinds have no cell without a diagonal
			for _, r := range f.runs[k].list[cut] {
				o := (k+1)*f.sz + int(r.O)
				row, d := a[o:o+int(r.N)], f.diag[o:o+int(r.N)]
				for i := range row {
					if d[i] == 0 {
						row[i] = 0
					}
				}
			}
		}
	})
}

// wideResidual sets res = b − A (x + y) of plane k in float64 and returns its square; a
// nil y is 0.
//
// The one pass in float64: 24 bytes a cell, and the weights where solids are. It is run
// once for each refinement, not for each iteration.
func (s *Solver) wideResidual(x, y []float32, k int) (sum float64) {
	f := s.lv[0]
	wide := vec.Wide{X: x, Y: y, SY: f.sy, SZ: f.sz}
	for kind := range kinds {
		f.pieced(k, kind, func(o, n int) {
			wide.O = o
			res, b, diag := s.res[o:o+n], s.rhs[o:o+n], f.diag[o:o+n]
			if kind == cut {
				sum += vec.WideCutResidual(res, &wide, b, diag, [3][]float32{f.wx, f.wy, f.wz})
			} else {
				sum += vec.WideResidual(res, &wide, b, diag)
			}
		})
	}
	return sum
}

// TrueResidual is ‖b − A p‖₂/‖b‖₂ of the last solution, in float64.
func (s *Solver) TrueResidual() float64 {
	norm := math.Sqrt(s.dotAll(s.rhs, s.rhs))
	if norm == 0 {
		return 0
	}
	return s.leftOver() / norm
}

// leftOver makes the residual that of the solution, and returns its norm.
func (s *Solver) leftOver() float64 {
	f := s.lv[0]
	s.crew.For(f.NZ, f.grain(), func(k0, k1 int) {
		for k := k0; k < k1; k++ {
			f.parts[k] = s.wideResidual(s.sol, nil, k)
		}
	})
	return math.Sqrt(f.total(f.NZ))
}
