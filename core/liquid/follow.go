package liquid

// Large boxes are worked on where the liquid is: the solver's own box is a window of theirs, which
// goes along with it. All grids are made anew in each substep, so moving the window is to shift
// particles by whole voxels; the box then only tells how far the liquid may go.

import (
	"zarf/core/geom"
	"zarf/core/grid"
)

// Of windows: how many voxels about the liquid are there at least and when one is made, what its
// sides are whole numbers of, and how much of the room its box must spare to be worth it.
const (
	windowLeast = 7
	windowMade  = 14
	windowStep  = 8
	windowShare = 0.7
	windowAhead = 64
)

// FollowFrom is how many voxels a box has from which on it is followed.
const FollowFrom = 250e3

// Follow makes an empty box whose grids are where the liquid is.
func Follow(b Box, crew grid.Crew) (*Solver, error) {
	if b.InSea || b.Flat || float64(b.Len()) < FollowFrom {
		return New(b, crew)
	}
	if err := b.Dims.Valid(); err != nil {
		return New(b, crew)
	}
	home := b
	s, err := New(home.window(region{hi: [3]int{windowStep, windowStep, windowStep}}), crew)
	if err == nil {
		s.home = &home
	}
	return s, err
}

// window is a part of a box; sides that aren't the box's own are open.
func (b Box) window(r region) Box {
	w := b
	w.Dims = grid.Dims{NX: r.hi[0] - r.lo[0], NY: r.hi[1] - r.lo[1], NZ: r.hi[2] - r.lo[2]}
	w.Origin = b.Origin.Add(geom.V(float64(r.lo[0]), float64(r.lo[1]), float64(r.lo[2])).Mul(b.H))
	for a, n := range [3]int{b.NX, b.NY, b.NZ} {
		w.Open[2*a] = b.Open[2*a] || r.lo[a] > 0
		w.Open[2*a+1] = b.Open[2*a+1] || r.hi[a] < n
	}
	return w
}

// Window is where the solver's box begins in the one that it follows the liquid in, and that
// one's size.
func (s *Solver) Window() (low [3]int, of Box) {
	if s.home == nil {
		return low, s.Box
	}
	return s.low0, *s.home
}

// follow moves the window where the liquid, or what comes in, is about to leave it.
func (s *Solver) follow(in *Inputs) {
	if s.home == nil {
		return
	}
	need := s.wanted(in)
	if need.empty() {
		return
	}
	have := region{s.low0, [3]int{s.low0[0] + s.NX, s.low0[1] + s.NY, s.low0[2] + s.NZ}}
	least := need.grow(windowLeast, s.home.Dims)
	inside := true
	for a := range 3 {
		inside = inside && least.lo[a] >= have.lo[a] && least.hi[a] <= have.hi[a]
	}
	// with room for what the fastest does in an eighth of a second
	ahead := windowMade + int(min(s.fast*0.12/s.H, windowAhead))
	made := s.rounded(need.grow(ahead, s.home.Dims))
	if inside && made.size()*2 > have.size() {
		return
	}
	s.move(made)
}

// rounded is a region with sides that are whole numbers of steps, or all of the box where that
// is little more.
func (s *Solver) rounded(r region) region {
	n := [3]int{s.home.NX, s.home.NY, s.home.NZ}
	for a := range 3 {
		r.lo[a] = r.lo[a] / windowStep * windowStep
		r.hi[a] = min((r.hi[a]+windowStep-1)/windowStep*windowStep, n[a])
	}
	if float64(r.size()) > windowShare*float64(s.home.Len()) {
		return region{hi: n}
	}
	return r
}

func (r region) size() int {
	return max(r.hi[0]-r.lo[0], 0) * max(r.hi[1]-r.lo[1], 0) * max(r.hi[2]-r.lo[2], 0)
}

// wanted are the cells of the home that particles, foam and emitters lie in.
func (s *Solver) wanted(in *Inputs) (r region) {
	add := func(x *[3]float32) {
		p := region{}
		for a := range 3 {
			p.lo[a] = int(x[a]) + s.low0[a]
			p.hi[a] = p.lo[a] + 1
		}
		r = r.join(p)
	}
	if len(s.P) > 0 {
		lo, hi := s.P[0].X, s.P[0].X
		for i := range s.P {
			for a, x := range s.P[i].X {
				lo[a], hi[a] = min(lo[a], x), max(hi[a], x)
			}
		}
		add(&lo)
		add(&hi)
	}
	for i := range s.Drops {
		add(&s.Drops[i].X)
	}
	for n := range in.Emitters {
		e := &in.Emitters[n]
		if e.Once && s.filled[e.ID] {
			continue
		}
		b := e.Shape.Bounds().Grow(s.H + e.Surface/2)
		if e.Source != nil {
			b = e.Source.Bounds()
		}
		r = r.join(s.homeCells(b))
	}
	return r
}

// homeCells are the home's cells that a box in space covers.
func (s *Solver) homeCells(b geom.Box) (r region) {
	if b.Min.X > b.Max.X {
		return r
	}
	n := [3]int{s.home.NX, s.home.NY, s.home.NZ}
	from, to := b.Min.Sub(s.home.Origin).Mul(1/s.H).Array(), b.Max.Sub(s.home.Origin).Mul(1/s.H).Array()
	for a := range 3 {
		r.lo[a] = int(min(max(from[a], 0), float64(n[a])))
		r.hi[a] = int(min(max(to[a]+1, 0), float64(n[a])))
	}
	if r.empty() {
		return region{}
	}
	return r
}

// Reach lets the window have places, m, that particles are about to come in at.
func (s *Solver) Reach(b geom.Box) {
	if s.home == nil {
		return
	}
	need := s.wanted(&Inputs{}).join(s.homeCells(b.Grow(s.H)))
	if !need.empty() {
		s.move(s.rounded(need.grow(windowMade, s.home.Dims)))
	}
}

// move makes the window another: grids anew, particles shifted.
func (s *Solver) move(to region) {
	have := region{s.low0, [3]int{s.low0[0] + s.NX, s.low0[1] + s.NY, s.low0[2] + s.NZ}}
	if to == have || s.home == nil {
		return
	}
	fresh, err := New(s.home.window(to), s.crew)
	if err != nil { // its size was checked with the home's
		return
	}
	var by [3]float32
	for a := range by {
		by[a] = float32(s.low0[a] - to.lo[a])
	}
	shift := func(x *[3]float32) {
		for a := range x {
			x[a] += by[a]
		}
	}
	for i := range s.P {
		shift(&s.P[i].X)
	}
	for i := range s.Drops {
		shift(&s.Drops[i].X)
	}
	fresh.home, fresh.low0 = s.home, to.lo
	fresh.P, fresh.C, fresh.Drops, fresh.Time = s.P, s.C, s.Drops, s.Time
	fresh.steps, fresh.drops, fresh.fast, fresh.owed, fresh.filled = s.steps, s.drops, s.fast, s.owed, s.filled
	*s = *fresh
	s.unsorted(0)
}
