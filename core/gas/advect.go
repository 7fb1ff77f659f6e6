package gas

// Advection is the dearest part but the projection, so it is written in batches of
// 512 points whose positions, velocities and results stay in the first cache:
// positions are made, followed back, sampled and limited before the next batch is
// begun. Nothing in a batch depends on another, which is why results don't depend on
// how rows are cut.

import (
	"math"

	"zarf/core/grid"
	"zarf/core/vec"
)

// Advect carries velocity and channels along the flow for dt seconds.
func (s *Solver) Advect(dt float64, scheme Scheme) error {
	s.survey()
	s.surveyed = false
	q := float32(dt / s.H)
	s.ways(q, scheme)
	s.carryChannels(dt, 0, scheme)
	if err := s.carrySmoke(dt, 0); err != nil {
		return err
	}
	s.carryVelocity(scheme)
	return s.turnToPoints()
}

// ways traces where the fluid comes from and, where the scheme wants it, where
// it goes to, for velocities times q in cells. That is done once, in the
// cells' middles; faces take the mean of the two cells that they part, which is
// as exact as interpolating the velocity there.
func (s *Solver) ways(q float32, scheme Scheme) {
	// what the midpoint's speed can't be beyond the fastest's; one cell for what lies
	// round a point, and one for rounding up
	s.afar = int(s.fast*math.Abs(float64(q))) + 2
	s.goes = s.afar
	if scheme == Reflection || s.solid.any {
		s.afar = s.NY + s.NZ // speeds that no survey has seen
	}
	// semi-Lagrangian reading needs the way back alone
	if scheme == MacCormack {
		s.trace(-q, q)
	} else {
		s.trace(-q)
	}
}

// parcel is a field that is carried along, and the room for that.
type parcel struct {
	f, hat    *grid.Field // hat: the field after the first pass
	low, high []float32   // the range that MacCormack may not leave
	air       float32     // what comes in from outside
	rows      *alive      // that hold something; nil for velocities
	still     []int32     // batches that are 0, by their first place
}

// parcel is that of channel n. The first shares its room with the velocity, which is
// carried at another time.
func (s *Solver) parcel(n int, f *grid.Field) *parcel {
	p := &s.parcels[n]
	if p.hat == nil {
		p.hat, p.still = s.hat[onCentre], make([]int32, s.Len()/64+1)
		p.low, p.high = s.low, s.high
		if n > 0 {
			p.hat = &grid.Field{Dims: s.Dims, Data: s.alloc(s.Len())}
			p.low, p.high = s.alloc(s.Len()), s.alloc(s.Len())
		}
	}
	p.f, p.rows = f, &s.alive[n]
	return p // the air outside is clean
}

// carryVelocity carries the velocity along itself.
func (s *Solver) carryVelocity(scheme Scheme) {
	// Air that flows in brings along the velocity that the air outside has.
	// Bringing its own speed instead, or the mean of the side, feeds a jet at an
	// open side until it blows up (the backflow instability of p = 0).
	air := s.Ambient.Array()
	for c, f := range s.velocity() {
		s.carry(onU+c, []*parcel{{f: f, hat: s.hat[onU+c], low: s.low, high: s.high, air: float32(air[c])}}, scheme)
	}
}

// reflect advects by advection–reflection (Zehnder, Narain, Thomaszewski
// 2018): half a step, a projection, the reflection u ← 2 P(u) − u that takes
// back what the projection lost in energy, and the other half. The channels go
// the whole way along the velocity in between, read by cubic splines.
func (s *Solver) reflect(dt float64, p Physics, st *FrameStats) error {
	// With A_½ half a step of advection and P the projection, the scheme is
	//
	//	u ← A_½(2 P A_½ u − A_½ u),
	//
	// after which the step's usual projection follows. The kinetic energy that
	// projection takes from what was advected comes back by the reflection, so that
	// whirls live longer; it costs one projection more.
	q := float32(dt / s.H)
	s.ways(q/2, MacCormack)
	s.carryVelocity(MacCormack)
	// The unprojected half step must be kept while the channels are carried. The
	// arrays of the way forth are free until the next trace writes them.
	was := s.way // used up by now; the halo's arrays hold any of the three
	for c, f := range s.velocity() {
		s.each(onU+c, func(_, _, _, o, n int) { copy(was[1][c][o:o+n], f.Data[o:o+n]) })
	}
	// channels go all the way along the velocity of the step's middle, which has no
	// divergence: second order in time for them too
	s.settle(p, st)
	s.ways(q, Reflection)
	if err := s.carryAll(dt, p, Reflection); err != nil {
		return err
	}
	for c, f := range s.velocity() {
		s.each(onU+c, func(_, _, _, o, n int) {
			u := f.Data[o : o+n]
			for i, w := range was[1][c][o : o+n] {
				u[i] += u[i] - w
			}
		})
	}
	s.ways(q/2, MacCormack)
	s.carryVelocity(MacCormack)
	return nil
}

// centre fills t.own with the velocities in the middles of the batch's
// halo cells: those of the nearest cell in the box.
func (s *Solver) centre(t *bench) {
	for _, r := range t.runs {
		// Halo index 0 is the cell before the box, hence the −1 throughout; cells
		// beyond the box have the velocity of the nearest one in it.
		j, k := min(max(r.j-1, 0), s.NY-1), min(max(r.k-1, 0), s.NZ-1)
		u := s.U.Row(j, k)
		v0, v1, w0, w1 := s.V.Row(j, k), s.V.Row(j+1, k), s.W.Row(j, k), s.W.Row(j, k+1)
		lo, hi := max(r.i-1, 0), min(r.i-1+r.n, s.NX)
		at := r.at + lo - (r.i - 1)
		if n := hi - lo; n > 0 {
			vec.Mean(t.own[0][at:at+n], u[lo:hi], u[lo+1:hi+1])
			vec.Mean(t.own[1][at:at+n], v0[lo:hi], v1[lo:hi])
			vec.Mean(t.own[2][at:at+n], w0[lo:hi], w1[lo:hi])
		}
		// the first and last halo cell of a row lie outside, and repeat their
		// neighbour, which another batch may hold
		edge := func(at, beside, i int) {
			if beside < r.at || beside >= r.at+r.n {
				t.own[0][at], t.own[1][at], t.own[2][at] = s.Centre(i, j, k)
				return
			}
			for c := range t.own {
				t.own[c][at] = t.own[c][beside]
			}
		}
		if r.i == 0 {
			edge(r.at, r.at+1, 0)
		}
		if r.i-1+r.n > s.NX {
			edge(r.at+r.n-1, r.at+r.n-2, s.NX-1)
		}
	}
}

// trace finds by one RK2 step of q cells a unit of velocity how far the fluid
// in the middle of every cell comes from or goes: a way for each q. Half of it is kept,
// as faces take the mean of two.
func (s *Solver) trace(steps ...float32) {
	lattices := [3]vec.Lattice{s.U.Lattice([3]float32{0, 0.5, 0.5}), s.V.Lattice([3]float32{0.5, 0, 0.5}), s.W.Lattice([3]float32{0.5, 0.5, 0})}
	if s.solid.any {
		far := 0.0
		for _, q := range steps {
			far = max(far, math.Abs(float64(q)))
		}
		s.solid.about = s.solid.beside.grown(s.goesBy(far) + 1)
	}
	s.batches(onHalo, func(t *bench) {
		s.centre(t)
		t.trail(&s.lay[onHalo], 0, atHalo)
		for way, q := range steps {
			// RK2 (midpoint): half a step with the cell's own velocity, then the whole
			// step with the velocity found there: error O(dt³) a step. Each product is
			// rounded to float32 before the sum, as the vector kernels do, or bits would
			// differ.
			for c := range lattices {
				lattices[c].Ahead(&t.spots, &t.own, 0.5*q, t.trails)
				lattices[c].At(t.at[c][:t.n], &t.spots, 0)
			}
			vec.Depart(&s.way[way], &t.at, 0.5*q, t.trails)
			s.depart(t, way, q)
		}
	})
}

// trail lists the batch's runs, of a grid whose first point is at a place: where on the
// grid they begin, and where in the halo's arrays, shift cells on along each axis.
func (t *bench) trail(halo *layout, shift int, at place) {
	if cap(t.trails) < len(t.runs) {
		t.trails = make([]vec.Trail, len(t.runs))
	}
	t.trails = t.trails[:len(t.runs)]
	ny, nx := halo.NY, halo.NX
	for m := range t.runs {
		r, to := &t.runs[m], &t.trails[m]
		to.From = int32(((r.k+shift)*ny+r.j+shift)*nx + r.i + shift)
		to.N, to.To = int32(r.n), int32(r.at)
		to.X, to.Y, to.Z = float32(r.i)+at.x, float32(r.j)+at.y, float32(r.k)+at.z
	}
}

// goesBy is how many cells anything goes in a step of q cells a unit of velocity, with one
// for interpolation and one for rounding up, and where solids move with what they do.
func (s *Solver) goesBy(q float64) int {
	reach := int(s.fast*q) + 2
	if s.solid.moving {
		reach += 2
	}
	return reach
}

// depart keeps the ways of the batch's cells out of solids.
func (s *Solver) depart(t *bench, way int, q float32) {
	if !s.solid.any {
		return
	}
	d := &s.way[way]
	// Rows farther from solids than anything moves need no check against walls
	reach := s.goesBy(math.Abs(float64(q)))
	node, nlo, nhi := s.solid.node, s.solid.lo, s.solid.hi
	if s.solid.moving && way == 0 { // solids were elsewhere by the time that is read
		node, nlo, nhi = s.solid.was, s.solid.wlo, s.solid.whi
	}
	// in runs, as a row is wholly near a solid or wholly away from it
	for _, r := range t.runs {
		if !s.solid.within(r.j-1, r.k-1, reach) {
			continue
		}
		// and of a row only the cells that solids are within reach of
		push := func(lo, hi int) {
			o := r.o + lo - (r.i - 1)
			e := o + hi - lo
			s.pushOut(node, nlo, nhi, float32(lo+1)+atHalo.x, float32(r.j)+atHalo.y, float32(r.k)+atHalo.z, d[0][o:e], d[1][o:e], d[2][o:e])
		}
		if s.longest(way, r.o, r.n) > reach-1 { // speeds that no survey has seen
			push(r.i-1, r.i-1+r.n)
			continue
		}
		s.solid.about.runs(r.i-1, r.i-1+r.n, r.j-1, r.k-1, push)
	}
}

// longest is how many cells a way of n in a row goes along an axis at most, rounded up.
func (s *Solver) longest(way, o, n int) int {
	most := float32(0)
	for _, d := range s.way[way] {
		far, _ := vec.Largest(d[o : o+n])
		most = max(most, far)
	}
	return int(2*most) + 1
}

// pushOut shortens halves of ways that end inside a solid to its surface: fluid can't
// have come from there, and a thin wall must not let through what is behind it. The
// ways are those of a row, from cell (x0, y0, z0) on; node are distances at corners, which solids reach
// from nlo to nhi.
func (s *Solver) pushOut(node []float32, nlo, nhi [3]int, x0, y0, z0 float32, u, v, w []float32) {
	f := &grid.Field{Dims: grid.Dims{NX: s.NX + 1, NY: s.NY + 1, NZ: s.NZ + 1}, Data: node}
	near := s.nearCorners(nlo, nhi)
	for i := range u {
		x, y, z := (x0+float32(i))+2*u[i], y0+2*v[i], z0+2*w[i]
		if d, g, l := near.inside(f, x, y, z); l > 0 { // the end moves out by −d
			q := -0.5 * d / l
			u[i], v[i], w[i] = u[i]+q*g[0], v[i]+q*g[1], w[i]+q*g[2]
		}
	}
}

// surroundings are the places whose nearest corner is one that solids reach.
type surroundings struct{ lo, hi [3]float32 }

func (s *Solver) nearCorners(lo, hi [3]int) (r surroundings) {
	for a, n := range [3]int{s.NX, s.NY, s.NZ} {
		r.lo[a], r.hi[a] = float32(lo[a])-0.5, float32(hi[a])+0.5
		if lo[a] <= 0 {
			r.lo[a] = -math.MaxFloat32
		}
		if hi[a] >= n {
			r.hi[a] = math.MaxFloat32
		}
	}
	return r
}

// inside tells of a place in a solid its distance d, below 0, and the slope of that, with its
// length; 0: it isn't in one, or deeper than two voxels, where the slope no longer tells the near
// side. f are signed distances at corners, voxels.
func (r *surroundings) inside(f *grid.Field, x, y, z float32) (d float32, g [3]float32, length float32) {
	if x < r.lo[0] || x >= r.hi[0] || y < r.lo[1] || y >= r.hi[1] || z < r.lo[2] || z >= r.hi[2] {
		return 0, g, 0
	}
	// the nearest corner tells most positions to be clear
	a, b, c := clampInt(int(x+0.5), f.NX-1), clampInt(int(y+0.5), f.NY-1), clampInt(int(z+0.5), f.NZ-1)
	if f.Data[(c*f.NY+b)*f.NX+a] > 0.9 {
		return 0, g, 0
	}
	d = f.Sample(x, y, z)
	if d >= 0 || d < -2 {
		return 0, g, 0
	}
	// n = ∇d/|∇d| by central differences a voxel wide
	g[0] = f.Sample(x+0.5, y, z) - f.Sample(x-0.5, y, z)
	g[1] = f.Sample(x, y+0.5, z) - f.Sample(x, y-0.5, z)
	g[2] = f.Sample(x, y, z+0.5) - f.Sample(x, y, z-0.5)
	l := g[0]*g[0] + g[1]*g[1] + g[2]*g[2]
	if l < 1e-6 {
		return 0, g, 0
	}
	return d, g, float32(math.Sqrt(float64(l)))
}

func clampInt(i, n int) int { return min(max(i, 0), n) }

// sampleAt interpolates the velocity at a position in cells from the corner.
func (s *Solver) sampleAt(x, y, z float32) (u, v, w float32) {
	return s.U.Sample(x, y-0.5, z-0.5), s.V.Sample(x-0.5, y, z-0.5), s.W.Sample(x-0.5, y-0.5, z)
}

// lead finds where in a lattice the batch's points come from (way 0) or go to (way 1):
// by the cell's way, or for faces the mean of the two cells beside them. It keeps the
// points unless there is no room for them.
func (s *Solver) lead(t *bench, l *vec.Lattice, lay, way int, points *vec.Three) {
	h := &s.lay[onHalo]
	// how far apart in memory the ways are whose mean a face takes; for cells it is 0,
	// and the mean is theirs
	step := [5]int{onU: 1, onV: h.NX, onW: h.NX * h.NY, onCentre: 0}[lay]
	t.trail(h, 1, s.lay[lay].at)
	l.Led(&t.spots, points, &s.way[way], step, t.trails)
}

// carry advects fields of one grid. Semi-Lagrangian advection reads where the fluid
// came from. MacCormack adds ½(f − f″), where f″ traces the result back again; values
// outside the range of the eight nodes that the first step read fall back to
// it (Selle et al. 2008).
//
// Where rows of a field hold nothing, and what comes in is nothing, a batch that is
// read from them alone is 0: exactly what reading them would give.
func (s *Solver) carry(lay int, list []*parcel, scheme Scheme) {
	s.batches(lay, func(t *bench) {
		s.first(t, lay, list, scheme)
	})
	var sided [][]oneSided
	if lay == onCentre {
		sided = s.besideSheets(list, s.goes)
		defer func() {
			for _, plane := range sided {
				for i := range plane {
					for n, p := range list {
						c := plane[i].cell
						p.f.Data[c], p.hat.Data[c] = plane[i].v[n], plane[i].v[n] // what keeps sums leaves it
					}
				}
			}
		}()
	}
	// f is read until the last batch has been sampled, so the copy comes after
	if scheme != MacCormack {
		for _, p := range list {
			s.each(lay, func(_, _, _, o, n int) { copy(p.f.Data[o:o+n], p.hat.Data[o:o+n]) })
		}
		return
	}
	at := s.lay[lay].at.array()
	s.batches(lay, func(t *bench) {
		found := false
		for _, p := range list {
			if p.still != nil && p.still[t.runs[0].o/64] == int32(t.runs[0].o)+1 {
				for _, r := range t.runs {
					clear(p.f.Data[r.o : r.o+r.n])
				}
				continue
			}
			l := p.hat.Lattice(at)
			if !found {
				s.lead(t, &l, lay, 1, nil)
				found = true
			}
			// f″: the advected field read where the fluid goes to. Where advection
			// were exact it would be f again; half of what is missing is what one way
			// lost.
			t.pieces(func(o, at, n int) {
				e := o + n
				l.Correct(p.f.Data[o:e], p.hat.Data[o:e], p.low[o:e], p.high[o:e], &t.spots, at)
			})
		}
	})
}

// first reads the fields of a batch where the fluid came from.
func (s *Solver) first(t *bench, lay int, list []*parcel, scheme Scheme) {
	n, at, second := t.n, s.lay[lay].at, scheme == MacCormack
	x, y, z := t.at[0][:n], t.at[1][:n], t.at[2][:n]
	near := s.near(t)
	var rows block
	found, outside := false, false
	for _, p := range list {
		if p.rows != nil && s.clear(t, p, &near) {
			continue
		}
		l := p.f.Lattice(at.array())
		if !found {
			s.lead(t, &l, lay, 0, &t.at)
			if p.rows != nil {
				rows = t.reads(at, scheme)
			}
			// most batches lie wholly within
			outside = vec.Outside(x, float32(s.NX)) || vec.Outside(y, float32(s.NY)) || vec.Outside(z, float32(s.NZ))
			found = true
		}
		if p.rows != nil && s.clear(t, p, &rows) {
			continue
		}
		t.pieces(func(o, m, n int) {
			e, end := o+n, m+n
			u, v, w := p.hat.Data[o:e], t.own[1][m:end], t.own[2][m:end]
			switch {
			case scheme == Reflection:
				for i := range u {
					u[i] = p.f.SampleCubic(x[m+i]-at.x, y[m+i]-at.y, z[m+i]-at.z)
				}
			case second:
				v, w = p.low[o:e], p.high[o:e]
				l.AtRange(u, v, w, &t.spots, m)
			default:
				l.At(u, &t.spots, m)
			}
			// after sampling: the sampler repeats the rim, open sides know better. What
			// comes in is taken out of MacCormack's hands: its range is the one value.
			if outside {
				vec.Enter(u, v, w, x[m:end], y[m:end], z[m:end], &s.sides, p.air)
			}
		})
	}
}

// clear makes a batch of a channel 0 where it is read from nothing, and notes that.
func (s *Solver) clear(t *bench, p *parcel, rows *block) bool {
	o := t.runs[0].o
	if p.rows.any(rows.j0, rows.j1, rows.k0, rows.k1, s.NY, s.NZ) {
		p.still[o/64] = 0
		return false
	}
	// batches that begin so near each other may overwrite each other's notes: the
	// range of nothing makes the second pass give 0 too
	for _, r := range t.runs {
		clear(p.hat.Data[r.o : r.o+r.n])
		clear(p.low[r.o : r.o+r.n])
		clear(p.high[r.o : r.o+r.n])
	}
	p.still[o/64] = int32(o) + 1
	return true
}
