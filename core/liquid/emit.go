package liquid

// Emitters and drains of liquids. A form that liquid is driven out of acts on the
// flow as a moving wall, with particles made at the rate that flows out; one that
// only keeps full adds particles where there is room; a drain takes them.

import (
	"cmp"
	"math"
	"slices"

	"zarf/core/geom"
	"zarf/core/noise"
)

// inlet is a form from which liquid comes, on this grid.
type inlet struct {
	e     *Emitter
	lo    [3]int
	hi    [3]int // not included
	cover []float32
	most  float32
}

func (in *inlet) at(i, j, k int) float32 {
	if i < in.lo[0] || j < in.lo[1] || k < in.lo[2] || i >= in.hi[0] || j >= in.hi[1] || k >= in.hi[2] {
		return 0
	}
	n := [3]int{in.hi[0] - in.lo[0], in.hi[1] - in.lo[1], in.hi[2] - in.lo[2]}
	return in.cover[((k-in.lo[2])*n[1]+j-in.lo[1])*n[0]+i-in.lo[0]]
}

// inside reports a cell of the form.
func (in *inlet) inside(i, j, k int) bool { return in.at(i, j, k) >= 0.5*in.most && in.most > 0 }

// measureInlet finds how much of each cell an emitter covers.
// The cover is between 0 and 1, soft over a voxel at the form's surface, and 0 in
// solids. It costs a distance for each cell of the form's box.
func (s *Solver) measureInlet(e *Emitter) *inlet {
	in := &inlet{e: e}
	// one voxel beyond, for the soft edge of what a cell is covered
	b := e.Shape.Bounds().Grow(s.H + e.Surface/2)
	if e.Source != nil {
		b = e.Source.Bounds()
	}
	n := [3]int{s.NX, s.NY, s.NZ}
	from, to := b.Min.Sub(s.Origin).Mul(1/s.H).Array(), b.Max.Sub(s.Origin).Mul(1/s.H).Array()
	cells := 1
	for x := range 3 {
		in.lo[x] = int(min(max(math.Floor(from[x]), 0), float64(n[x])))
		in.hi[x] = int(min(max(math.Ceil(to[x]), 0), float64(n[x])))
		cells *= max(in.hi[x]-in.lo[x], 0)
	}
	in.cover = make([]float32, cells)
	if cells == 0 {
		return in
	}
	w := in.hi[0] - in.lo[0]
	s.crew.For(cells/w, 4, func(r0, r1 int) {
		for r := r0; r < r1; r++ {
			j, k := in.lo[1]+r%(in.hi[1]-in.lo[1]), in.lo[2]+r/(in.hi[1]-in.lo[1])
			for i := range w {
				// no liquid is made inside solids, whatever the form overlaps
				if s.solid.room.At(in.lo[0]+i, j, k) < 0.3 {
					continue
				}
				p := s.Origin.Add(geom.V(float64(in.lo[0]+i)+0.5, float64(j)+0.5, float64(k)+0.5).Mul(s.H))
				in.cover[r*w+i] = float32(e.Cover(p, s.H))
			}
		}
	})
	for _, c := range in.cover {
		// thin forms cover no cell fully: "inside" is half of what the most covered
		// has
		in.most = max(in.most, c)
	}
	return in
}

// flow is the velocity with which liquid leaves an emitter at p.
func (s *Solver) flow(e *Emitter, p geom.Vec3) geom.Vec3 {
	if e.Source != nil { // it comes in as it moves there
		_, v := e.Source.At(p)
		return v.Mul(e.Inherit).Add(e.Push)
	}
	// push, then speed along the axis or the normal, then the form's own motion
	v := e.Push
	if e.Speed != 0 {
		d := e.Shape.Turn.Apply(geom.V(0, 1, 0))
		if !e.AlongAxis {
			d = e.Shape.Normal(p)
		}
		v = v.Add(d.Mul(e.Speed))
	}
	if e.Inherit != 0 {
		v = v.Add(e.Velocity(p, s.dt).Mul(e.Inherit))
	}
	return v
}

// moves reports an emitter that drives liquid out.
func moves(e *Emitter) bool {
	return !e.Once && e.Source == nil && (e.Speed != 0 || e.Push != (geom.Vec3{}))
}

// kept is a face whose values an inlet has put aside.
type kept struct {
	axis, face int
	open, vel  float32
}

// openInlets shuts the faces of forms that liquid is driven out of, with the
// speed at which it leaves as theirs, and says how much comes, m³/s each. The
// flow is that through the form's true surface; the grid's faces share it.
//
// Inside the form faces are shut with the flow's own speed, so that the projection
// sees a moving wall: liquid there neither speeds up nor gives way, and what leaves
// is what was asked for, whatever stands before the opening. closeInlets puts faces
// back at the end of the substep.
func (s *Solver) openInlets(list []*inlet) (rates []float64) {
	so := &s.solid
	s.aside = s.aside[:0]
	area := s.H * s.H
	for _, in := range list {
		if !moves(in.e) {
			rates = append(rates, 0)
			continue
		}
		type wall struct {
			axis, face int
			v          float32
		}
		var walls []wall
		// want is the flow through the form's own surface, by its soft cover, so
		// that a sphere isn't counted as its stairs; got is what the grid's faces
		// would let out at that speed. Their ratio scales the faces.
		var want, got float64
		for k := in.lo[2] - 1; k <= in.hi[2]; k++ {
			for j := in.lo[1] - 1; j <= in.hi[1]; j++ {
				for i := in.lo[0] - 1; i <= in.hi[0]; i++ {
					for a := range 3 {
						c := [3]int{i, j, k}
						c[a]++
						lo, hi := in.at(i, j, k), in.at(c[0], c[1], c[2])
						f := s.u[a]
						if lo == hi && lo == 0 || c[0] >= f.NX || c[1] >= f.NY || c[2] >= f.NZ || i < 0 && a != 0 || j < 0 && a != 1 || k < 0 && a != 2 {
							continue
						}
						v := s.flow(in.e, s.facePoint(c[0], c[1], c[2], a)).Array()[a]
						// flow out of the fuller side: Σ Δcover · v · area
						if d := float64(lo-hi) * v; d > 0 {
							want += d * area
						}
						a0, a1 := in.inside(i, j, k), in.inside(c[0], c[1], c[2])
						if !a0 && !a1 {
							continue
						}
						out := v
						if a0 != a1 {
							if (a0 && v < 0) || (a1 && v > 0) {
								out = 0 // nothing is drawn in from behind
							}
							got += math.Abs(out) * area
						}
						walls = append(walls, wall{a, f.Index(c[0], c[1], c[2]), float32(out)})
					}
				}
			}
		}
		gain := float32(1)
		if got > 0 {
			gain = float32(want / got)
		}
		for _, w := range walls {
			o, v := so.open[w.axis], so.vel[w.axis]
			// what the face was before is kept, in the order of change
			s.aside = append(s.aside, kept{w.axis, w.face, o.Data[w.face], v.Data[w.face]})
			o.Data[w.face], v.Data[w.face] = 0, w.v*gain
		}
		rates = append(rates, want)
	}
	return rates
}

// driveInlets gives the faces of inlets their speed, for what is within them.
func (s *Solver) driveInlets() {
	for _, k := range s.aside {
		s.u[k.axis].Data[k.face] = s.solid.vel[k.axis].Data[k.face]
	}
}

// closeInlets puts the faces back, last first: forms may overlap.
func (s *Solver) closeInlets() {
	for n := len(s.aside) - 1; n >= 0; n-- {
		k := s.aside[n]
		s.solid.open[k.axis].Data[k.face], s.solid.vel[k.axis].Data[k.face] = k.open, k.vel
	}
	s.aside = s.aside[:0]
}

// emit makes the particles that come in dt: as many as the flow brings, first
// where room is, or as many as an emitter that keeps its form full lacks. It
// returns the volume. Particles must be sorted; they are not afterwards.
func (s *Solver) emit(list []*inlet, rates []float64, dt float64) float64 {
	unit := s.H * s.H * s.H / PerCell
	made := 0
	for n, in := range list {
		if in.most == 0 || (in.e.Once && s.filled[in.e.ID]) {
			continue
		}
		if in.e.Once {
			s.filled[in.e.ID] = true
		}
		// An emitter that drives out owes volume: whole particles are made of it,
		// the rest waits. One that only fills has no budget but its room.
		budget := math.MaxInt
		if moves(in.e) {
			s.owed[in.e.ID] += rates[n] * dt
			budget = max(int(s.owed[in.e.ID]/unit), 0)
		}
		got := s.fill(in, budget)
		if moves(in.e) {
			s.owed[in.e.ID] -= float64(got) * unit
		}
		made += got
	}
	return float64(made) * unit
}

// spot is a place where a particle may come in.
type spot struct {
	x    [3]float32
	rank uint32
}

func byRank(list []spot) {
	slices.SortFunc(list, func(a, b spot) int { return cmp.Or(cmp.Compare(a.rank, b.rank), slices.Compare(a.x[:], b.x[:])) })
}

// fill puts particles into the eighths of a form's cells that hold none, in the
// order of a hash so that no side is favoured; what is left of the budget goes
// anywhere in the form.
//
// A cell is parted into eight, and an eighth that holds a particle counts as full:
// so an emitter that keeps its form full tops it up and never crams it. Places are
// jittered where liquid flows, or the lattice would show as stripes in the jet.
func (s *Solver) fill(in *inlet, budget int) int {
	var free, all []spot
	// the count of steps in the seed: each substep draws other places, and a resumed
	// run the same
	seed := in.e.Seed*7919 + uint64(s.steps)*104729
	for k := in.lo[2]; k < in.hi[2]; k++ {
		for j := in.lo[1]; j < in.hi[1]; j++ {
			for i := in.lo[0]; i < in.hi[0]; i++ {
				if in.at(i, j, k) == 0 || moves(in.e) && !in.inside(i, j, k) {
					continue
				}
				// a voxel has eight places, one an eighth; full is eight particles
				var taken [8]bool
				for _, p := range s.in(i, i+1, j, k) {
					taken[eighth(&p.X, i, j, k)] = true
				}
				for c := range 8 {
					// jitter of ±15 % of a voxel breaks the lattice, which would
					// show as stripes
					h := noise.Hash(seed, int64(i), int64(j), int64(k*8+c))
					jit := func(n int) float32 { return (float32(h>>(8*n)&255)/255 - 0.5) * 0.3 }
					x := [3]float32{float32(i) + 0.25 + 0.5*float32(c&1), float32(j) + 0.25 + 0.5*float32(c>>1&1), float32(k) + 0.25 + 0.5*float32(c>>2)}
					if !moves(in.e) && (in.most > 0.99 || in.e.Source != nil) && s.outside(in.e, &x) || s.blocked(&x) || in.e.Gaps(s.where(&x)) < 0.5 {
						continue
					}
					if moves(in.e) { // at rest an even lattice stays at rest
						x[0], x[1], x[2] = x[0]+jit(0), x[1]+jit(1), x[2]+jit(2)
					}
					// the hash's upper half ranks, its lower half jitters
					sp := spot{x, uint32(h >> 32)}
					if all = append(all, sp); !taken[c] {
						free = append(free, sp)
					}
				}
			}
		}
	}
	// not in order of cells: that would fill one end of the form first
	if len(free) > budget {
		byRank(free)
		free = free[:budget]
	}
	for _, sp := range free {
		s.add(in.e, sp.x)
	}
	n := len(free)
	if budget == math.MaxInt || len(all) == 0 {
		return n
	}
	// a form that lets out more than it holds: the rest goes between the others
	// another order than the first round's, a full turn of the multiplicative hash
	for m := range all {
		all[m].rank = all[m].rank*2654435761 + 1
	}
	byRank(all)
	for m := 0; n < budget && m < len(all); m++ {
		x := all[m].x
		// a tenth aside, so that no two lie on one place: their forces would be the
		// same
		x[0] += 0.1
		s.add(in.e, x)
		n++
	}
	return n
}

// outside reports a place outside a form, or outside the shell at its surface,
// which is a voxel thick at least.
func (s *Solver) outside(e *Emitter, x *[3]float32) bool {
	if e.Source != nil {
		full, _ := e.Source.At(s.where(x))
		return full < 0.5
	}
	d := e.Shape.Distance(s.where(x))
	if e.Surface > 0 {
		d = math.Abs(d) - max(e.Surface, s.H)/2
	}
	return d > 0
}

// eighth is the part of cell (i,j,k) in which a place lies.
func eighth(x *[3]float32, i, j, k int) (c int) {
	// bit a is set in the upper half along axis a, the order that fill counts in
	for a, lo := range [3]int{i, j, k} {
		if x[a] >= float32(lo)+0.5 {
			c |= 1 << a
		}
	}
	return c
}

// blocked reports a place within a solid.
func (s *Solver) blocked(x *[3]float32) bool {
	if !s.solid.any {
		return false
	}
	d, _ := s.depth(x)
	return d < 0
}

// add adds a particle at a place with a velocity.
func (s *Solver) add(e *Emitter, x [3]float32) {
	n := [3]float32{float32(s.NX), float32(s.NY), float32(s.NZ)}
	for a := range x {
		// on the border a cell's index would lie outside
		x[a] = min(max(x[a], 1e-3), n[a]-1e-3)
	}
	v := s.flow(e, s.where(&x)).Array()
	s.P = append(s.P, Particle{X: x, V: [3]float32{float32(v[0]), float32(v[1]), float32(v[2])}, Mix: float32(e.Mix), Heat: varied(e.Heat, e.Seed, len(s.P))})
	s.unsorted(0)
}

// holdInlets gives particles within forms that drive liquid out their speed.
// Without it what turbulence brings back into the form would leave it again at any
// speed, and a jet would flicker.
func (s *Solver) holdInlets(list []*inlet) {
	for _, in := range list {
		if !moves(in.e) || in.most == 0 {
			continue
		}
		// within the form the flow is given: what comes back in is sent out again
		s.crew.For(len(s.P), 4096, func(lo, hi int) {
			for n := lo; n < hi; n++ {
				p := &s.P[n]
				if in.inside(int(p.X[0]), int(p.X[1]), int(p.X[2])) {
					v := s.flow(in.e, s.where(&p.X)).Array()
					for a := range 3 {
						p.V[a] = float32(v[a])
					}
					if n < len(s.C) {
						s.C[n] = Slope{}
					}
				}
			}
		})
	}
}

// drain takes away what has come into drains, and returns its volume.
// Drains take particles and not a flow: what is in their form at the start of a
// substep is gone.
func (s *Solver) drain(list []Drain) float64 {
	if len(list) == 0 {
		return 0
	}
	n := s.drop(func(p *Particle) bool {
		for d := range list {
			if list[d].Shape.Distance(s.where(&p.X)) < 0 {
				return true
			}
		}
		return false
	})
	return float64(n) * s.H * s.H * s.H / PerCell
}
