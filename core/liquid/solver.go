package liquid

// The frame of the liquid's solver: what it holds, how long a substep is, and the
// order of its parts. Those are in files of their own:
//
//	particles.go  sorting         transfer.go   particles to grid and back
//	density.go    how full, where the surface is, keeping particles apart
//	solids.go     what holds it   emit.go       what comes in and goes out
//	project.go    pressure        viscosity.go  what is thick
//	extend.go     velocity beyond the surface
//	move.go       particles' velocity, and moving them along the flow
//	foam.go       spray, foam and bubbles; system.go  the linear solver
//	force.go      what pushes and draws it

import (
	"fmt"
	"math"

	"zarf/core/grid"
	"zarf/core/sim"
	"zarf/core/vec"
)

// Solver is a liquid in a box. P and C are all of its state but what Owed and Filled
// tell of emitters, and the last step's speed.
type Solver struct {
	Box
	// Positions are in voxels, so that finding a particle's cell is a cast to int
	// and no kernel has to know the voxel's size.
	P     []Particle
	C     []Slope // of each particle, where velocities are carried smoothly (APIC); else none
	Drops []Drop  // foam, spray and bubbles
	// Pressure is that of the last step in liquid cells, Pa over the air's, 0 elsewhere; it is
	// kept where there is a field for it.
	Pressure *grid.Field
	Time     float64 // s since the start
	steps    int
	drops    uint64  // of foam, that were made so far
	fast     float64 // m/s, of the fastest particle

	owed   map[string]float64 // m³ that emitters still have to let in
	filled map[string]bool    // emitters that have filled their form once

	// Where particles are, in cells, and around them what grids hold: beyond reach all
	// is at rest, and work is where something is or was in the substep before.
	live, reach, work region
	low, high         [3]float32 // the box of all particles, voxels

	// Grids of the substep. u is the velocity that is worked on, old what toGrid
	// gave: FLIP hands particles their difference.
	crew    grid.Crew
	stagger vec.Staggered
	sums    [4][]float32 // what particles add up to on faces and in cells' middles
	u, old  [3]*grid.Field
	w       [3]*grid.Field // weights of toGrid
	gap     [3]*grid.Field // displacement that keeps particles apart, voxels
	// known tells of faces with a velocity of the liquid's own (1), and of those in rings
	// round them (one more than the ring); 0 of all others.
	known      [3][]uint8
	rings      [layers + 1]ring
	holds      [3][][]held
	rho        *grid.Field // density, 1 where full
	phi        *grid.Field // distance to the surface, voxels, negative in the liquid, within ±1
	wet        []bool      // cells of the system
	ajar       []bool      // cells all of whose faces are open
	inner      []bool      // cells with liquid on all sides, whose faces are open and whose neighbours' are: all faces round them are known
	sys        System
	solid      solids
	aside      []kept
	dt         float64
	spread     bool
	sticky     bool           // viscous enough to stick to solids
	gust       [3]*grid.Field // what wind adds to the velocity of cells' faces in the substep, m/s; nil: there was none
	soft, bent []float32      // room of curvature
	shore      shore
	bubble     bubbles
	home       *Box   // that the liquid is followed in; nil: it isn't
	low0       [3]int // cells of the home before the box

	// of cells, where heat is carried: K (0: nothing is there), K lost in the substep, and
	// viscosity over that which Physics tells; where a second liquid is mixed in: its share,
	// and how light a cell is against the first.
	heat, loses, stiff   []float32
	mixed, weights, ease []float32

	sorting sorter
	homes   []int32 // of particles, where there are thin solids
	start   []int32
}

// Bytes that a voxel of the box and a voxel full of liquid take.
const (
	BytesPerCell = 4*(3*4+2) + 8*4 + 3 + 2 + 4*3 + 60
	BytesPerFull = PerCell * 32 * 2
)

// New makes an empty box.
// Arrays are laid out for the whole box at once; a run's estimate says how large
// they are before this is called.
func New(b Box, crew grid.Crew) (*Solver, error) {
	if !(b.H > 0) || math.IsInf(b.H, 0) {
		return nil, fmt.Errorf("liquid: voxel size is %g m; give more than 0", b.H)
	}
	if err := b.Dims.Valid(); err != nil {
		return nil, fmt.Errorf("liquid: %w", err)
	}
	s := &Solver{Box: b, crew: crew, owed: map[string]float64{}, filled: map[string]bool{}}
	d := b.Dims
	// staggered: component a has one layer of faces more along axis a
	dims := [3]grid.Dims{{NX: d.NX + 1, NY: d.NY, NZ: d.NZ}, {NX: d.NX, NY: d.NY + 1, NZ: d.NZ}, {NX: d.NX, NY: d.NY, NZ: d.NZ + 1}}
	for a := range 3 {
		for _, f := range []*[3]*grid.Field{&s.u, &s.old, &s.w, &s.gap} {
			f[a] = grid.NewField(dims[a])
		}
		s.known[a] = make([]uint8, dims[a].Len())
		for r := range s.rings {
			s.rings[r].at[a] = make([][]facet, dims[a].NZ)
		}
	}
	s.stagger = vec.NewStaggered(d.NX, d.NY, d.NZ)
	for l := range s.sums {
		s.sums[l] = make([]float32, s.stagger.Len())
	}
	s.rho, s.phi, s.wet, s.ajar, s.inner = grid.NewField(d), grid.NewField(d), make([]bool, d.Len()), make([]bool, d.Len()), make([]bool, d.Len())
	s.sys.crew = crew
	// 1 is "at least a voxel away", and what a box without particles must read
	for i := range s.phi.Data {
		s.phi.Data[i] = 1
	}
	return s, nil
}

// Velocity is the grid's velocity on faces, m/s, as the last step left it.
func (s *Solver) Velocity() [3]*grid.Field { return s.u }

// Surface is the distance to the surface at the cells' middles, in voxels,
// negative in the liquid and within ±1, from particles as they stand.
func (s *Solver) Surface() *grid.Field {
	s.look()
	return s.phi
}

// look works out the surface from particles as they stand.
func (s *Solver) look() {
	s.sort()
	s.toGrid()
	s.measure()
}

// Volume of the liquid, m³.
func (s *Solver) Volume() float64 { return float64(len(s.P)) * s.H * s.H * s.H / PerCell }

// Frame goes on by dt seconds in as many substeps as the flow asks for.
// On an error the state is that of the failed substep, and isn't to be gone on with.
// stop is asked before every substep.
func (s *Solver) Frame(dt float64, sub sim.Substeps, scene Scene, stop func() bool) (FrameStats, error) {
	var st FrameStats
	// Substeps are chosen one by one: what is left of the frame in equal parts, as
	// many as the state now asks for, of which one is then done.
	left := dt
	for left > dt*1e-9 {
		if stop != nil && stop() {
			return st, sim.ErrStopped
		}
		step, capped := s.choose(left, dt, sub, st.Substeps, scene)
		st.Capped = st.Capped || capped
		in := scene(s.Time+step, step)
		if err := in.Physics.check(); err != nil {
			return st, err
		}
		s.follow(&in)
		if err := s.step(step, in, &st); err != nil {
			return st, err
		}
		s.Time += step
		left -= step
		st.Substeps++
	}
	s.account(&st)
	return st, nil
}

// choose is the length of the next substep: what is left in equal parts, as
// many as the fastest particle, gravity, waves of surface tension and inflow
// ask for.
//
// The limits: CFL voxels for the fastest particle or inlet, √(h/g) for gravity, and
// the period of the shortest capillary wave, for which explicit surface tension
// would grow without bound in longer steps. MaxSubsteps wins over all of them, and
// capped says so.
func (s *Solver) choose(left, dt float64, sub sim.Substeps, done int, scene Scene) (step float64, capped bool) {
	in := scene(s.Time+left, left)
	// √(CFL h g) is the speed of a fall over CFL voxels: with it even liquid at rest
	// takes no step in which gravity alone would break the limit.
	g := math.Abs(in.Physics.Gravity)
	fast := s.fast + math.Sqrt(sub.CFL*s.H*g)
	for n := range in.Emitters {
		e := &in.Emitters[n]
		fast = max(fast, math.Abs(e.Speed)+e.Push.Len())
	}
	// fast·dt ≤ CFL·h
	n := math.Ceil(left * fast / (sub.CFL * s.H))
	if t := in.Physics.Tension; t > 0 {
		// the shortest wave of surface tension that the grid carries
		// (Brackbill, Kothe, Zemach 1992)
		n = max(n, math.Ceil(left/(1.5*math.Sqrt(in.Physics.Density*s.H*s.H*s.H/(2*math.Pi*t)))))
	}
	// the least number asked for counts for the whole frame, so only its share here
	n = max(n, 1, math.Ceil(float64(sub.Min)*left/dt))
	if room := max(sub.Max-done, 1); n > float64(room) {
		n, capped = float64(room), true
	}
	return left / n, capped
}

// thin is the share of a difference between neighbouring faces that viscosity
// evens out in a step, under which it is left out: the solver's own smoothing
// is far stronger.
const thin = 1e-3

// step is one substep: see the package for its parts and their order.
func (s *Solver) step(dt float64, in Inputs, st *FrameStats) error {
	// Solids first: inlets ask which cells have room. Sorting comes before emitters,
	// as these look at the particles of their cells.
	s.dt = dt
	p := in.Physics
	s.setSolids(in.Colliders, dt)
	s.carriesSlopes(p.Affine)
	s.change(dt, &in, st)
	s.toGrid()
	s.measure()
	s.carryAlong(dt, &p)
	s.followSea()
	s.force(dt, in)
	s.setup(p.Bubbles)
	if s.solid.any {
		s.cling(float32(p.Viscosity / p.Density * dt / (s.H * s.H)))
	}
	// dimensionless: the share of a difference between neighbours that diffuses away
	nu := p.Viscosity / p.Density * dt / (s.H * s.H)
	if s.sticky = nu*float64(s.stiffest()) > thin; s.sticky {
		st.Iterations += s.thicken(float32(nu), 1e-4, 600)
	}
	s.project(p, dt, st)
	s.spreadRings()
	s.extend(s.u, layers)
	// Loosely (2 %): it mends half of the crowding anyway, and what is left is seen
	// again in the next substep.
	s.spread = s.sys.lv[0].cells > 0
	if s.spread {
		s.spreadOut(0.02, 20)
		s.extend(s.gap, apart)
	}
	s.hold()
	s.driveInlets()
	keep := retain(p.Smooth, dt)
	if !p.Affine {
		s.differ(keep)
	}
	// with the new velocities, before particles move away from their cells
	froths := in.Foam.Amount > 0 || len(s.Drops) > 0
	if froths {
		s.toParticles(p.Affine, keep)
		s.froth(in.Foam, p.Gravity, dt)
	}
	err := s.advance(dt, p.Affine, froths, keep, st)
	s.closeInlets()
	s.steps++
	return err
}

// change lets liquid come and go: from the sea, by emitters and by drains. Particles are sorted
// then.
func (s *Solver) change(dt float64, in *Inputs, st *FrameStats) {
	p := &in.Physics
	came := s.meetSea(in.Around, s.Time+dt, dt)
	s.sort()
	inlets := make([]*inlet, len(in.Emitters))
	for n := range in.Emitters {
		inlets[n] = s.measureInlet(&in.Emitters[n])
	}
	// Inlets and the sea's sides shut their faces for the substep, so that the projection sees
	// the speed at which liquid leaves them as a wall's that moves; closeInlets undoes it.
	rates := s.openInlets(inlets)
	s.openShore()
	more, went := s.tide(p.warm())
	more += s.inflow(dt, p.warm())
	if more > 0 || went > 0 {
		s.carriesSlopes(p.Affine)
		s.sort()
	}
	made, lost := s.emit(inlets, rates, dt), s.drain(in.Drains)
	st.Inflow, st.Drained = st.Inflow+came+more+made, st.Drained+went+lost
	s.holdInlets(inlets)
	// start and P no longer agree once particles were added or dropped
	if made > 0 || lost > 0 {
		s.carriesSlopes(p.Affine)
		s.sort()
	}
}

// cling slows what is too thin on a solid to count as liquid, a film or lone
// drops, by the shear of its viscosity over half a voxel: without it honey
// would run like water wherever it is thin. nu is ν·dt/h².
func (s *Solver) cling(nu float32) {
	if nu <= thin {
		return
	}
	for a := range 3 {
		u, w := s.u[a], s.w[a]
		step := [3]int{1, s.NX, s.NX * s.NY}[a]
		s.rows(a, s.live.grow(1, s.Dims), func(j, k, i0, i1 int) {
			for i := i0; i < i1; i++ {
				n := u.Index(i, j, k)
				if w.Data[n] == 0 {
					continue
				}
				// a face beside a cell of the system gets viscosity by thicken
				c := s.Index(min(i, s.NX-1), min(j, s.NY-1), min(k, s.NZ-1))
				if s.wet[c] || [3]int{i, j, k}[a] > 0 && c >= step && s.wet[c-step] {
					continue
				}
				if d := s.clearance(a, [3]int{i, j, k}); d < 1 {
					// Couette flow over half a voxel: du/dt = −ν u/(h/2)², taken
					// implicitly, which gives 1/(1 + 4ν dt/h²) and is stable at any
					// viscosity
					v := s.solid.vel[a].Data[n]
					u.Data[n] = v + (u.Data[n]-v)/(1+4*nu)
				}
			}
		})
	}
}

// blownUp is what a run ends with whose speeds are no numbers any more. A NaN spreads to
// a whole region within a substep, so looking at particles alone finds it.
func (s *Solver) blownUp() error {
	return fmt.Errorf("liquid: the flow has blown up at %.3f s: a speed is no number any more; use more substeps, or weaker forces", s.Time)
}

// account fills in what a frame's particles tell: how many, how fast, the box
// that they fill.
func (s *Solver) account(st *FrameStats) {
	st.MaxSpeed, st.Particles, st.Drops, st.Volume = s.fast, len(s.P), len(s.Drops), s.Volume()
	if len(s.P) == 0 {
		return
	}
	st.Low, st.High = s.where(&s.low), s.where(&s.high)
}

// Emitted is what a resumed run must know of emitters: liquid still owed, by
// their ids, and those that have filled their form.
type Emitted struct {
	Owed   map[string]float64 `json:"owed"`
	Filled map[string]bool    `json:"filled"`
	Steps  int                `json:"steps"`
	Fast   float64            `json:"fast"`
	Drops  uint64             `json:"drops"`
}

// Emitted tells how far emitters are.
func (s *Solver) Emitted() Emitted { return Emitted{s.owed, s.filled, s.steps, s.fast, s.drops} }

// Resume goes on with particles, their slopes (none, where there are none), drops and emitters as they were.
func (s *Solver) Resume(p []Particle, c []Slope, drops []Drop, e Emitted) {
	s.Drops = drops
	s.P, s.C, s.owed, s.filled, s.steps, s.fast = p, c, e.Owed, e.Filled, e.Steps, e.Fast
	s.drops = e.Drops
	s.unsorted(0)
	if s.owed == nil {
		s.owed = map[string]float64{}
	}
	if s.filled == nil {
		s.filled = map[string]bool{}
	}
}
