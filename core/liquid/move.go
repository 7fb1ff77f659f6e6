package liquid

// What particles do in a substep: they take the grid's velocity, and are moved along it,
// kept out of solids and within the box.

import (
	"math"

	"zarf/core/geom"
	"zarf/core/grid"
	"zarf/core/vec"
)

// batch is how many particles are moved together.
const batch = vec.Bunch

// bundle is a batch of particles on their way, axis by axis.
type bundle struct {
	c       [8]vec.Column // as they were: places, velocities
	at      [3]vec.Spots  // on each part's lattice
	y, k, d [3]vec.Column
	sum     [3]vec.Column
	cells   [vec.Bunch]int32
}

// x are places, v velocities.
func (w *bundle) x() *[3]vec.Column { return (*[3]vec.Column)(w.c[:3]) }
func (w *bundle) v() *[3]vec.Column { return (*[3]vec.Column)(w.c[4:7]) }

// locate finds n places on the lattices of the velocity's parts.
func (s *Solver) locate(w *bundle, x *[3]vec.Column, n int) {
	n = (n + vec.Lanes - 1) &^ (vec.Lanes - 1) // whole vectors are read quickest
	for a := range 3 {
		l := s.u[a].Lattice(staggered(a))
		l.Locate(&w.at[a], x[0][:n], x[1][:n], x[2][:n])
	}
}

// read reads a field at the places that were located.
func (s *Solver) read(f *[3]*grid.Field, w *bundle, to *[3]vec.Column, n int) {
	n = (n + vec.Lanes - 1) &^ (vec.Lanes - 1)
	for a := range 3 {
		l := f[a].Lattice(staggered(a))
		l.At(to[a][:n], &w.at[a], 0)
	}
}

// staggered is what is taken off positions for part a of a velocity.
func staggered(a int) [3]float32 {
	off := [3]float32{0.5, 0.5, 0.5}
	off[a] = 0
	return off
}

// toParticles hands the grid's velocity back: FLIP adds the change since
// toGrid to the share keep of the particle's own; APIC takes the velocity
// and its slope.
//
// FLIP keeps detail and noise, APIC keeps rotation and loses the noise; each is a
// choice on the sheet, and a change under way takes effect in the next substep.
func (s *Solver) toParticles(affine bool, keep float32) {
	s.batches(func(w *bundle, b int, list []Particle) {
		vec.Columns(&w.c, records(list))
		s.locate(w, w.x(), len(list))
		s.accelerate(w, b, list, affine, keep)
		vec.Records(records(list), &w.c)
	})
}

// batches calls fn with the particles of each batch.
func (s *Solver) batches(fn func(w *bundle, b int, list []Particle)) {
	s.crew.For((len(s.P)+batch-1)/batch, 4, func(b0, b1 int) {
		var w bundle
		for b := b0; b < b1; b++ {
			fn(&w, b, s.P[b*batch:min((b+1)*batch, len(s.P))])
		}
	})
}

// accelerate gives a batch, that is located, its new velocity.
func (s *Solver) accelerate(w *bundle, b int, list []Particle, affine bool, keep float32) {
	n := len(list)
	if affine {
		s.read(&s.u, w, w.v(), n)
		s.slopesOf(list, s.C[b*batch:])
		return
	}
	// v ← keep·v + (u − keep·u_old): keep = 1 is FLIP, 0 is PIC
	s.read(&s.old, w, &w.d, n)
	run := []vec.Run{{O: 0, N: int32((n + vec.Lanes - 1) &^ (vec.Lanes - 1))}}
	for a := range 3 {
		to, d := vec.Window{A: w.v()[a][:]}, vec.Window{A: w.d[a][:]}
		vec.XpayRuns(&to, &d, run, keep)
	}
}

// advance gives particles their new velocity, unless they have it, and carries them along
// the grid's flow for dt, by the third-order scheme of Ralston (1962), moves them apart
// by the gaps found, and out of solids. What leaves through an open side is taken away.
// It finds the fastest, and whether the run has blown up.
func (s *Solver) advance(dt float64, affine, have bool, keep float32, st *FrameStats) error {
	blocks := (len(s.P) + batch - 1) / batch
	// told a batch, put together in order
	told := make([]batchStats, blocks)
	cells := s.sorting.room(len(s.P))
	s.batches(func(w *bundle, b int, list []Particle) {
		vec.Columns(&w.c, records(list))
		s.locate(w, w.x(), len(list))
		if !have {
			s.accelerate(w, b, list, affine, keep)
		}
		if s.loses != nil {
			s.takeHeat(w, len(list))
		}
		s.carry(w, len(list), float32(dt/s.H))
		if s.solid.zones.of != nil {
			s.carryApart(w, b, list, affine, have, keep, float32(dt/s.H))
		}
		s.land(w, list, &told[b])
		s.stagger.Cells(&w.cells, w.x(), len(list))
		copy(cells[b*batch:], w.cells[:len(list)])
		vec.Records(records(list), &w.c)
	})
	s.unsorted(len(s.P))
	return s.conclude(told, st)
}

// carryApart does anew, one by one, what was done for particles of a batch that thin solids
// are near to.
func (s *Solver) carryApart(w *bundle, b int, list []Particle, affine, have bool, keep, g float32) {
	for i := range list {
		home := s.homes[b*batch+i]
		if home == ordinary {
			continue
		}
		x, v := s.carryOneSided(&list[i], home, affine, have, keep, g)
		for a := range 3 {
			w.x()[a][i], w.v()[a][i] = x[a], v[a]
		}
		if affine && !have {
			s.C[b*batch+i] = Slope{}
		}
	}
}

// room is that for the cells of n particles.
func (r *sorter) room(n int) []int32 {
	if cap(r.cell) < n {
		r.cell = make([]int32, n, n+n/4)
	}
	return r.cell[:n]
}

// batchStats is what is told of a batch.
type batchStats struct {
	gone   [6]int // through each side
	fast   float32
	lo, hi [3]float32
	odd    bool // some speed is no number
}

// conclude puts together what batches tell.
func (s *Solver) conclude(told []batchStats, st *FrameStats) error {
	unit := s.H * s.H * s.H / PerCell
	lost, fast := 0, float32(0)
	inf := float32(math.Inf(1))
	s.low, s.high = [3]float32{inf, inf, inf}, [3]float32{-inf, -inf, -inf}
	for b := range told {
		t := &told[b]
		if t.odd || math.IsInf(float64(t.fast), 0) {
			return s.blownUp()
		}
		fast = max(fast, t.fast)
		for a := range 3 {
			s.low[a], s.high[a] = min(s.low[a], t.lo[a]), max(s.high[a], t.hi[a])
		}
		for side, c := range t.gone {
			st.Left[side] += float64(c) * unit
			lost += c
		}
	}
	s.fast = math.Sqrt(float64(fast))
	if lost > 0 {
		s.drop(func(p *Particle) bool { return p.X[0] < 0 })
	}
	return nil
}

// carry takes a batch, that is located, where it comes to; g is dt over a voxel.
//
// Three evaluations (Ralston's third-order weights have the least error of all such
// schemes). Euler's steps would spiral outwards in a vortex.
func (s *Solver) carry(w *bundle, n int, g float32) {
	// k₁ = u(x); k₂ = u(x + ½dt k₁); k₃ = u(x + ¾dt k₂); x ← x + dt (2k₁ + 3k₂ +
	// 4k₃)/9.
	x := w.x()
	if s.spread {
		// The displacement that spreads particles is read where they were; at most 0.3
		// of a voxel, as it is worked out for small moves only.
		s.read(&s.gap, w, &w.d, n)
	}
	s.read(&s.u, w, &w.k, n)
	for a := range 3 {
		w.sum[a] = vec.Column{}
		vec.Lead(&w.y[a], &w.sum[a], &x[a], &w.k[a], 0.5*g, 2, n)
	}
	s.locate(w, &w.y, n)
	s.read(&s.u, w, &w.k, n)
	for a := range 3 {
		vec.Lead(&w.y[a], &w.sum[a], &x[a], &w.k[a], 0.75*g, 3, n)
	}
	s.locate(w, &w.y, n)
	s.read(&s.u, w, &w.k, n)
	for a := range 3 {
		vec.Lead(&w.y[a], &w.sum[a], &x[a], &w.k[a], 0, 4, n)
		vec.Lead(&w.y[a], &w.k[a], &x[a], &w.sum[a], g/9, 0, n)
		if s.Flat && a == 2 {
			continue
		}
		copy(x[a][:n], w.y[a][:n])
		if s.spread {
			vec.MoveWithin(&x[a], &w.d[a], 0.3, n)
		}
	}
}

// skin is how far particles stay from closed sides, voxels.
const skin = 1e-3

// land keeps a batch out of solids and within the box; those that leave get a place
// below 0 and are counted. list are they as they were before.
func (s *Solver) land(w *bundle, list []Particle, told *batchStats) {
	n := len(list)
	if s.solid.any {
		s.expelBatch(w, list)
	}
	x, v := w.x(), w.v()
	full := (n + vec.Lanes - 1) &^ (vec.Lanes - 1)
	for a, top := range [3]float32{float32(s.NX), float32(s.NY), float32(s.NZ)} {
		for i := n; i < full; i++ {
			x[a][i] = x[a][n-1]
		}
		lo, hi := vec.Span(x[a][:full], top, 0)
		if lo < skin || hi > top-skin || lo != lo || hi != hi {
			s.bound(w, a, n, told)
		}
	}
	// what is gone has a place of its own
	told.lo, told.hi = [3]float32{float32(s.NX), float32(s.NY), float32(s.NZ)}, [3]float32{}
	some := told.gone != [6]int{}
	for a := range 3 {
		if !some {
			lo, hi := vec.Span(x[a][:full], told.lo[a], told.hi[a])
			told.lo[a], told.hi[a] = max(lo, 0), hi
			continue
		}
		for i, p := range x[a][:n] {
			if x[0][i] >= 0 {
				told.lo[a], told.hi[a] = min(told.lo[a], p), max(told.hi[a], p)
			}
		}
	}
	var fast float32
	vx, vy, vz := v[0][:n], v[1][:n], v[2][:n]
	px, py, pz := x[0][:n], x[1][:n], x[2][:n]
	for i, p := range vx {
		q := float32(p*p) + float32(vy[i]*vy[i]) + float32(vz[i]*vz[i])
		if at := px[i] + py[i] + pz[i]; !(q <= fast) || at != at {
			if q != q || at != at {
				told.odd = true
				return
			}
			fast = q
		}
	}
	told.fast = fast
}

// bound keeps the particles of a batch within the box along an axis.
func (s *Solver) bound(w *bundle, a, n int, told *batchStats) {
	x, v := w.x(), w.v()
	top := [3]float32{float32(s.NX), float32(s.NY), float32(s.NZ)}[a]
	for i := range n {
		if x[0][i] < 0 && a > 0 {
			continue // gone already
		}
		for up := range 2 {
			beyond := !(x[a][i] >= skin)
			if up == 1 {
				beyond = x[a][i] > top-skin
			}
			if !beyond {
				continue
			}
			if s.Open[2*a+up] {
				// a mark that no particle in the box can have; drop looks for it
				x[0][i] = -1
				told.gone[2*a+up]++
				break
			}
			x[a][i] = min(max(x[a][i], skin), top-skin)
			// speed into the wall goes, along it and away from it stay
			if (v[a][i] < 0) == (up == 0) {
				v[a][i] = 0
			}
		}
	}
}

// expelBatch lets solids stop the particles of a batch.
func (s *Solver) expelBatch(w *bundle, list []Particle) {
	n := len(list)
	full := (n + vec.Lanes - 1) &^ (vec.Lanes - 1)
	x, v := w.x(), w.v()
	depth := &w.sum[0]
	l := s.solid.node.Lattice([3]float32{})
	l.Locate(&w.at[0], x[0][:full], x[1][:full], x[2][:full])
	l.At(depth[:full], &w.at[0], 0)
	for i := range n {
		y := [3]float32{x[0][i], x[1][i], x[2][i]}
		was := &list[i].X
		far := max(abs(y[0]-was[0]), abs(y[1]-was[1]), abs(y[2]-was[2]))
		// distances at a cell's corners tell those within it to less than its half diagonal
		if depth[i] > 1.75*far+0.9 && !s.solid.moving {
			continue
		}
		q := Particle{V: [3]float32{v[0][i], v[1][i], v[2][i]}}
		s.travel(*was, &y, &q.V)
		for a := range 3 {
			x[a][i], v[a][i] = y[a], q.V[a]
		}
	}
}

func abs(v float32) float32 { return math.Float32frombits(math.Float32bits(v) &^ (1 << 31)) }

// drop takes particles away, keeping the order of the others; it returns how
// many went.
func (s *Solver) drop(gone func(p *Particle) bool) int {
	kept := 0
	for n := range s.P {
		if gone(&s.P[n]) {
			continue
		}
		s.P[kept] = s.P[n]
		if n < len(s.C) {
			s.C[kept] = s.C[n]
		}
		kept++
	}
	c := len(s.P) - kept
	s.P = s.P[:kept]
	if len(s.C) > kept {
		s.C = s.C[:kept]
	}
	if c > 0 {
		s.unsorted(0)
	}
	return c
}

// where is a particle's place in space.
func (s *Solver) where(x *[3]float32) geom.Vec3 {
	return s.Origin.Add(geom.V(float64(x[0]), float64(x[1]), float64(x[2])).Mul(s.H))
}
