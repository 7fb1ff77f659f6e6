package gas

// The solver's frame: what it holds, how a frame is cut into substeps, the order of
// a substep's parts, and what is told of it afterwards. The parts themselves are in
// files of their own:
//
//	advect.go   where the fluid comes from, and carrying fields along
//	project.go  the flow without divergence
//	force.go    buoyancy, winds, turbulence, pushes, confinement
//	guide.go    curves that lead;  gather.go  forms that smoke is drawn into
//	emit.go     what comes in;     burn.go    fire
//	solids.go   what stands in the way
//	window.go   bounds that follow; rows.go   walking over what is in use

import (
	"fmt"
	"math"
	"runtime"

	"zarf/core/geom"
	"zarf/core/grid"
	"zarf/core/pressure"
	"zarf/core/sim"
	"zarf/core/vec"
)

// Version is part of every cache key: raise it when results change.
const Version = "gas/12"

// Solver is the state of one fluid and the room to work in. Its own box is the
// part of the limit that arrays are laid out for; the two are the same unless
// the bounds follow the fluid.
type Solver struct {
	Box
	Limit   Box    // the box asked for
	Low     [3]int // cells of the limit below the box
	crew    grid.Crew
	U, V, W *grid.Field // m/s on faces
	Smoke   *grid.Field
	Heat    *grid.Field // K over the air's temperature
	Fuel    *grid.Field // kg/m³; nil unless burning
	Burn    *grid.Field // 0 unlit … 1 alight; nil unless burning
	Used    *grid.Field // share of the air's oxygen used up; nil unless counted
	// Pressure is that of the last projection, in units of velocity times
	// voxel, and LastDt the step that it acted for (0: there was none).
	Pressure *grid.Field
	LastDt   float64
	Time     float64   // s since the first frame's start
	Ambient  geom.Vec3 // m/s of the air outside, which the winds move

	// What follows is laid out by furnish for the box in use and can be made anew
	// from the above at any time; it is never saved.
	proj    *pressure.Solver
	tiles   *grid.Tiles // of the box, in use
	over    *grid.Tiles // the same over the limit, where bounds follow
	cells   int         // in use
	open    pressure.Sides
	lay     [5]layout
	solid   solids
	source  *grid.Field // volume made, 1/s
	sourced bool
	way     [2][3][]float32
	// way holds, for each halo cell, half of how far in cells the fluid there came (0) and
	// goes (1), a component at a time; hat the advected copies of u, v, w and of one
	// channel; low and high the range that MacCormack may not leave.
	hat      [4]*grid.Field
	low      []float32
	high     []float32
	curl     [3]*grid.Field // the force of confinement
	eddies   []eddy
	wide     []float32 // room of toEdges
	guides   []*wishes
	pulls    []distances
	moved    []float32             // room of gather
	alloc    func(n int) []float32 // makes the box's arrays
	arena    *grid.Arena           // theirs, where bounds follow
	fast     float64               // largest speed along an axis at the last survey, m/s
	afar     int                   // how many cells away a point can be read from, at most
	goes     int                   // how many cells ways go, at most
	hot      float64               // largest excess temperature, K
	fastIn   int                   // the plane that the fastest gas is in
	live     []bool                // channels that are not zero everywhere
	alive    [5]alive              // where they are not
	surveyed bool                  // since anything has changed
	parcels  [5]parcel             // of the channels
	points   *points               // that carry the smoke; nil: voxels do
	stirs    *stirring             // nil: there was no sub-grid turbulence yet
	stirred  bool                  // it lies over the ways in this step
	made     alive                 // where source is not zero
	room     parcel                // the source, as it is carried
	sides    vec.Sides
	budgets  [2]budget // of smoke and heat
}

// FrameStats tells how a frame went. Amounts are those of the whole domain.
type FrameStats struct {
	Substeps    int
	Capped      bool // more substeps were needed than allowed
	Iterations  int
	Residual    float64 // the worst
	MaxSpeed    float64
	FastAt      geom.Vec3 // where, m
	SmokeTotal  float64   // density integrated, m³
	HeatTotal   float64   // K·m³
	FuelTotal   float64
	FuelBurnt   float64    // kg in this frame
	HeatMade    float64    // K·m³ in this frame, by burning
	SootMade    float64    // m³ of density 1
	Expanded    float64    // m³ of gas that burning made room for
	VolumeMade  float64    // m³ in this frame, by emitters and expansion
	VolumeHeld  float64    // m³ that found no way out of a closed box
	Cut         [6]float64 // smoke that left through each side, m³
	AtLimit     [6]bool    // sides where growing bounds were stopped
	Lost        float64    // smoke in tiles given up, m³
	Tiles       int        // in use
	Voxels      int        // in use
	Window      [3]int     // cells that arrays are laid out for
	PeakHeat    float64    // K over the air
	Top         float64    // height of the highest smoke over the floor, m
	Width       float64    // widest extent of the smoke in x, m
	Low         [3]float64 // the box of what can be seen, m
	High        [3]float64
	Bulk        float64 // what can be seen, m³
	Warm        float64 // its mean excess temperature, K
	Unconverged int
	Points      int // that carry smoke
}

// New makes a fluid at rest.
func New(b Box, crew grid.Crew) (*Solver, error) {
	if !(b.H > 0) || math.IsInf(b.H, 0) {
		return nil, fmt.Errorf("gas: voxel size is %g m; give more than 0", b.H)
	}
	if err := b.Dims.Valid(); err != nil {
		return nil, fmt.Errorf("gas: %w", err)
	}
	s := &Solver{Limit: b, crew: crew}
	s.live = make([]bool, 5)
	if b.Follow == nil {
		s.tiles = grid.NewTiles(b.Dims, true)
		return s, s.furnish(b, [3]int{})
	}
	// Arrays for the whole limit would defeat the purpose: they would be touched
	// before it is known where the fluid is.
	// start with one tile in the middle of the floor; the first step finds
	// where the emitters are
	first := grid.Dims{NX: min(b.NX, 4*grid.TileX), NY: min(b.NY, 4*grid.TileY), NZ: min(b.NZ, 4*grid.TileZ)}
	w := b
	w.Dims = first
	s.tiles, s.over = grid.NewTiles(first, false), grid.NewTiles(b.Dims, false)
	return s, s.furnish(w, [3]int{})
}

// furnish makes the arrays for a box at low within the limit.
func (s *Solver) furnish(b Box, low [3]int) error {
	// Where bounds follow, memory is reserved by the address and taken by the page
	// when it is first written to, so that large empty boxes cost nothing. The arena
	// goes with the solver, whoever forgets it.
	alloc := new(grid.Slab).Floats
	if b.Follow != nil {
		arena := &grid.Arena{}
		alloc = arena.Floats
		runtime.AddCleanup(s, func(a *grid.Arena) { a.Free() }, arena)
		s.arena = arena
	}
	was := s.points // they don't lie in the box's arrays
	proj, err := pressure.NewIn(b.Dims, s.crew, alloc)
	if err != nil {
		return fmt.Errorf("gas: %w", err)
	}
	s.Box, s.Low, s.proj, s.alloc = b, low, proj, alloc
	s.Origin = s.Limit.Origin.Add(geom.V(float64(low[0]), float64(low[1]), float64(low[2])).Mul(s.H))
	d := b.Dims
	field := func(x, y, z int) *grid.Field {
		n := grid.Dims{NX: d.NX + x, NY: d.NY + y, NZ: d.NZ + z}
		return &grid.Field{Dims: n, Data: alloc(n.Len())}
	}
	s.U, s.V, s.W = field(1, 0, 0), field(0, 1, 0), field(0, 0, 1)
	s.Smoke, s.Heat, s.source, s.Pressure = field(0, 0, 0), field(0, 0, 0), field(0, 0, 0), field(0, 0, 0)
	if s.points = nil; b.PerVoxel > 0 {
		if s.points = was; was == nil {
			s.points = new(points)
		}
		s.points.held, s.points.from = nil, nil
	}
	if b.Burning {
		s.Fuel, s.Burn = field(0, 0, 0), field(0, 0, 0)
		if b.Oxygen {
			s.Used = field(0, 0, 0)
		}
	}
	s.hat = [4]*grid.Field{field(1, 0, 0), field(0, 1, 0), field(0, 0, 1), field(0, 0, 0)}
	// Ways are kept for one cell beyond the box too, so that faces on the rim can
	// take the mean of two like all others.
	for w := range s.way {
		for c := range 3 {
			s.way[w][c] = field(2, 2, 2).Data
		}
	}
	// one pair of ranges serves cells and all three kinds of faces
	big := field(1, 1, 1).Dims.Len()
	s.low, s.high = alloc(big), alloc(big)
	s.curl, s.parcels, s.room = [3]*grid.Field{}, [5]parcel{}, parcel{}
	if s.stirs != nil {
		s.stirs.way = [2][3][]float32{}
	}
	s.solid = solids{}
	s.sourced = false
	for side := range s.open {
		// the box's sides are the limit's where they lie together
		at, n, l := low[side/2], [3]int{d.NX, d.NY, d.NZ}[side/2], [3]int{s.Limit.NX, s.Limit.NY, s.Limit.NZ}[side/2]
		s.open[side] = b.Open[side] || (side%2 == 0 && at > 0) || (side%2 == 1 && at+n < l)
	}
	s.sides = vec.NewSides([3]float32{float32(d.NX), float32(d.NY), float32(d.NZ)}, s.open)
	s.arrange()
	return nil
}

// Forget tells that fields were changed other than by steps: nothing is known of them.
func (s *Solver) Forget() {
	s.surveyed = false
	for n := range s.alive {
		s.alive[n].rows = nil
	}
}

// arrange works out what depends on the tiles in use.
// Which runs are in use, and how many cells; solids have to be told to the
// projection anew.
func (s *Solver) arrange() {
	s.Forget()
	s.layOut()
	s.cells = 0
	for _, list := range s.lay[onCentre].rows {
		for _, p := range list {
			s.cells += p.Hi - p.Lo
		}
	}
	s.solid.ready = false
}

// channels are the scalar fields carried along, in a fixed order.
// The order is that of statistics, states and thresholds.
func (s *Solver) channels() []*grid.Field {
	list := []*grid.Field{s.Smoke, s.Heat}
	if s.Fuel != nil {
		list = append(list, s.Fuel, s.Burn)
	}
	if s.Used != nil {
		list = append(list, s.Used)
	}
	return list
}

var channelNames = []string{"smoke density", "temperature", "fuel", "burn", "oxygen used"}

func (s *Solver) velocity() [3]*grid.Field { return [3]*grid.Field{s.U, s.V, s.W} }

// BytesPerCell is the memory that a run takes for each voxel, for estimates
// before a run; measured by TestMemoryEstimate. Burning takes BytesPerBurning
// more.
const (
	BytesPerCell    = 204
	BytesPerBurning = 16
)

// Frame advances by one frame of dt seconds. On an error the state is that of
// the failed substep; load the last good one.
func (s *Solver) Frame(dt float64, sub sim.Substeps, scene Scene, stop func() bool) (FrameStats, error) {
	var st FrameStats
	if !s.surveyed { // by the step before
		if err := s.survey(); err != nil {
			return st, err
		}
	}
	if s.Follow != nil {
		if err := s.follows(scene(s.Time, 0), true, &st); err != nil {
			return st, err
		}
	}
	// Substeps are chosen one by one: each looks at the speeds that the last one
	// left. Their sum is the frame, to rounding; the last one takes what is left.
	left := dt
	for left > dt*1e-9 {
		if stop != nil && stop() {
			return st, sim.ErrStopped
		}
		step, capped := s.choose(left, dt, sub, st.Substeps, scene)
		st.Capped = st.Capped || capped
		if step > left*(1-1e-9) {
			step = left
		}
		// what emitters, solids and forces are at the step's end acts during it
		in := scene(s.Time+step, step)
		if s.Follow != nil {
			if err := s.follows(in, false, &st); err != nil {
				return st, err
			}
		}
		if err := s.step(step, in, &st); err != nil {
			return st, err
		}
		s.Time += step
		left -= step
		st.Substeps++
	}
	// the amounts are those at the frame's end, the flows those summed above
	s.account(&st)
	return st, nil
}

// account fills the totals.
// Sums over cells in use alone; what was lost by giving up tiles is told apart.
func (s *Solver) account(st *FrameStats) {
	v := s.H * s.H * s.H
	st.MaxSpeed, st.PeakHeat, st.FastAt = s.fast, s.hot, s.fastest()
	st.SmokeTotal, st.HeatTotal = s.amount(0)*v, s.amount(1)*v
	if s.Fuel != nil {
		st.FuelTotal = s.amount(2) * v
	}
	st.Tiles, st.Voxels = s.tiles.Count, s.cells
	if s.points != nil {
		st.Points = len(s.points.of)
	}
	st.Window = [3]int{s.NX, s.NY, s.NZ}
	if s.Follow != nil {
		st.AtLimit = s.limited()
	}
	s.outline(st)
}

// view is what of some cells can be seen: where smoke is dense enough, and with it
// gas that is hot enough to glow in smoke's stead.
type view struct {
	lo, hi   [3]int // the box of all
	smokeX   [2]int // of smoke alone, both ends within
	smokeTop int    // its highest row, −1 without any
	n        int
	warm     float64
}

// scan adds a row's cells from lo on.
func (p *view) scan(smoke, heat []float32, lo, j, k int) {
	heat = heat[:len(smoke)]
	first, last, dense, end := -1, -1, -1, -1
	for i, v := range smoke {
		t := heat[i]
		if v > seen {
			if dense < 0 {
				dense = i
			}
			end = i
		} else if t <= glows {
			continue
		}
		if first < 0 {
			first = i
		}
		last = i
		p.n++
		p.warm += float64(t)
	}
	if first < 0 {
		return
	}
	p.join([3]int{lo + first, j, k}, [3]int{lo + last + 1, j + 1, k + 1})
	if dense >= 0 {
		p.joinSmoke([2]int{lo + dense, lo + end}, j)
	}
}

func (p *view) join(lo, hi [3]int) {
	for a := range 3 {
		p.lo[a], p.hi[a] = min(p.lo[a], lo[a]), max(p.hi[a], hi[a])
	}
}

func (p *view) joinSmoke(x [2]int, top int) {
	p.smokeX = [2]int{min(p.smokeX[0], x[0]), max(p.smokeX[1], x[1])}
	p.smokeTop = max(p.smokeTop, top)
}

// outline finds the box, the volume and the mean warmth of what can be seen, and how
// high over the limit's floor, and how wide along x, its smoke is.
// The box tells pages where to look, and the scale advisor how far a front has come.
func (s *Solver) outline(st *FrameStats) {
	none := view{lo: [3]int{s.NX, s.NY, s.NZ}, smokeX: [2]int{s.NX, -1}, smokeTop: -1}
	// Sums of floats depend on their order, and the bits of statistics count as
	// results: each plane sums for itself, the planes are added in order.
	planes := make([]view, s.NZ)
	s.crew.For(s.NZ, s.grain(), func(k0, k1 int) {
		for k := k0; k < k1; k++ {
			p := none
			s.eachLive(&s.alive[0], &s.alive[1], k, func(j int, span grid.Span) {
				p.scan(s.Smoke.Row(j, k)[span.Lo:span.Hi], s.Heat.Row(j, k)[span.Lo:span.Hi], span.Lo, j, k)
			})
			planes[k] = p
		}
	})
	all := none
	for _, p := range planes {
		if p.n == 0 {
			continue
		}
		all.join(p.lo, p.hi)
		all.joinSmoke(p.smokeX, p.smokeTop)
		all.n, all.warm = all.n+p.n, all.warm+p.warm
	}
	if all.smokeTop >= 0 {
		low, high, top := s.edges(all.smokeX, all.smokeTop)
		st.Top, st.Width = (top+float64(s.Low[1]))*s.H, (high-low)*s.H
	}
	if all.n == 0 {
		return
	}
	o := s.Limit.Origin.Array()
	for a := range 3 {
		st.Low[a], st.High[a] = o[a]+float64(all.lo[a]+s.Low[a])*s.H, o[a]+float64(all.hi[a]+s.Low[a])*s.H
	}
	st.Bulk, st.Warm = float64(all.n)*s.H*s.H*s.H, all.warm/float64(all.n)
}

// edges are where smoke fades to what can be seen at its lowest and highest x and at its
// top, in voxels: between the middles of the last cells that show it and of those beyond, by
// the densest of each, so that a front doesn't go by voxels. It falls off by shares there,
// so that smoke that ends at once ends about where its last cells do.
func (s *Solver) edges(x [2]int, top int) (low, high, up float64) {
	at := [3]int{x[0], x[1], top}
	beyond := [3]int{x[0] - 1, x[1] + 1, top + 1}
	planes := make([][3][2]float32, s.NZ)
	s.crew.For(s.NZ, s.grain(), func(k0, k1 int) {
		for k := k0; k < k1; k++ {
			p := &planes[k]
			s.eachLive(&s.alive[0], nil, k, func(j int, span grid.Span) {
				row := s.Smoke.Row(j, k)
				for e := range 2 {
					for n, i := range [2]int{at[e], beyond[e]} {
						if i >= span.Lo && i < span.Hi {
							p[e][n] = max(p[e][n], row[i])
						}
					}
				}
				if n := j - top; n == 0 || n == 1 {
					most, _ := vec.Largest(row[span.Lo:span.Hi])
					p[2][n] = max(p[2][n], most)
				}
			})
		}
	})
	var most [3][2]float32
	for _, p := range planes {
		for e := range most {
			for n := range most[e] {
				most[e][n] = max(most[e][n], p[e][n])
			}
		}
	}
	var past [3]float64 // the middles of the last cells
	for e, m := range most {
		a, b := float64(m[0]), max(float64(m[1]), seen/100)
		past[e] = math.Log(a/seen) / math.Log(a/b)
	}
	// at a side smoke goes on, as far as can be told
	for e, side := range [3]bool{x[0] == 0, x[1] == s.NX-1, top == s.NY-1} {
		if side {
			past[e] = 0.5
		}
	}
	return float64(x[0]) + 0.5 - past[0], float64(x[1]) + 0.5 + past[1], float64(top) + 0.5 + past[2]
}

// glows is the excess temperature, K, from which gas without smoke counts as
// visible.
const glows = 400

// seen is the smoke density that counts as visible.
const seen = 0.02

// BlowUp is the error of a run whose values are no longer finite or absurd.
// The place is told in cells and in metres: one to look for in the probe, one on the
// stage.
type BlowUp struct {
	Time    float64
	Channel string
	Cell    [3]int
	Place   geom.Vec3 // m
	Value   float64
	Cause   string
}

func (b *BlowUp) Error() string {
	return fmt.Sprintf("gas: %s became %g at cell %v (%.2f, %.2f, %.2f m) after %.3f s: %s", b.Channel, b.Value, b.Cell, b.Place.X, b.Place.Y, b.Place.Z, b.Time, b.Cause)
}

// choose picks the next substep from the fastest fluid now and the fastest
// that an emitter is about to add.
func (s *Solver) choose(left, frame float64, sub sim.Substeps, done int, scene Scene) (step float64, capped bool) {
	// The fastest now; what emitters will blow in; what winds will bring it to; and
	// what the hottest gas gains by lift within the step, ½ a t.
	fast := s.fast
	in := scene(s.Time, 0)
	for _, e := range in.Emitters {
		fast = max(fast, math.Abs(e.Speed)+e.Push.Len())
	}
	for _, w := range in.Winds {
		if w.Grip > 0 {
			fast = max(fast, w.Velocity.Len()*(1-math.Exp(-w.Grip*frame)))
		}
	}
	lift := math.Abs(in.Physics.Gravity * in.Physics.Lift * s.hot / in.Physics.AirTemperature)
	fast += 0.5 * lift * left
	// A step of left/n keeps fast·dt ≤ CFL·h. The 1e-6 keeps a speed that is exactly
	// at the limit from costing one step more by rounding.
	n := int(math.Ceil(min(fast*left/(sub.CFL*s.H)*(1-1e-6), 1e6)))
	n = max(n, sub.Min-done, 1)
	if room := max(1, sub.Max-done); n > room {
		return left / float64(room), true
	}
	return left / float64(n), false
}

// step is one substep: see the package for its parts and their order.
func (s *Solver) step(dt float64, in Inputs, st *FrameStats) error {
	p := in.Physics
	if err := p.check(); err != nil {
		return err
	}
	s.surveyed = false
	if err := s.updateSolids(in.Colliders, dt); err != nil {
		return err
	}
	if p.Scheme == Reflection {
		if err := s.reflect(dt, p, st); err != nil {
			return err
		}
	} else {
		// Half of the pressure acts where the fluid comes from, half where it
		// goes: the trapezoidal rule in time (Robert 1981). The projection below
		// finds the second half, whatever of it is left. With all of it at the
		// end a vortex loses twice as much.
		// The channels first: they go along the velocity that the last projection
		// left without divergence, before half of its pressure acts on it again.
		s.ways(float32(dt/s.H), p.Scheme)
		if err := s.carryAll(dt, p, p.Scheme); err != nil {
			return err
		}
		if s.LastDt > 0 {
			s.subtractGradient(float32(0.5*dt/s.LastDt), true)
		}
		s.carryVelocity(p.Scheme)
	}
	s.LastDt = dt
	// Sources come after advection, so that what is emitted in a step is there at
	// full strength at its end, and before forces, so that it is lifted at once.
	s.decay(dt, p)
	s.clearSource()
	made := s.emit(dt, &in)
	for n := range in.Emitters {
		s.dragged(dt, p.AirDensity, &in.Emitters[n])
	}
	if s.Fuel != nil {
		made += s.burn(dt, p, st)
	}
	if err := s.turnToPoints(); err != nil {
		return err
	}
	st.VolumeMade += made * dt
	// in a shut box new volume has nowhere to go: the right side's mean is taken out
	// by the solver, and the artist is told how much that was
	// with bounds that follow there is always room beyond the tiles
	if made > 0 && s.tiles.Full() && !s.open.Any() {
		st.VolumeHeld += made * dt
	}
	s.force(dt, in)
	s.settle(p, st)
	s.leave(dt, st)
	if err := s.survey(); err != nil {
		b := err.(*BlowUp)
		b.Cause = likelyCause(in, b)
		return b
	}
	s.surveyed = true
	return nil
}

// settle projects and carries the result into solids.
// A solve that didn't converge is counted, not refused: the flow is a little
// squeezed, and the artist is told after the run.
func (s *Solver) settle(p Physics, st *FrameStats) {
	ps := s.project(p)
	s.extend()
	st.Iterations += ps.Iterations
	st.Residual = max(st.Residual, ps.Residual)
	if !ps.Converged {
		st.Unconverged++
	}
}

// peak is what a survey finds in one plane.
type peak struct {
	fast, hot float32
	live      [5]bool
	bad       bool
}

// survey finds the fastest and the hottest fluid, which channels hold
// anything, and values that are not finite.
//
// It is called before a frame and after every substep, and is what choose relies on.
// A value that isn't finite ends the run with its place, before it has spread to
// everything.
func (s *Solver) survey() error {
	// One pass answers three questions, as the pass is what costs: how fast and hot
	// it is, whether channels are empty (they are then left out of advection), and
	// whether anything is not finite. A plane a part, so that no thread waits.
	part := make([]peak, s.NZ+1)
	list := s.channels()
	for n := range list {
		if s.alive[n].rows == nil {
			s.alive[n].rows = make([]bool, s.NY*s.NZ)
		}
	}
	s.crew.For(s.NZ+1, s.grain(), func(k0, k1 int) {
		for k := k0; k < k1; k++ {
			p := &part[k]
			for c, f := range s.velocity() {
				if k < f.NZ {
					s.surveyFaces(f, &s.lay[onU+c], k, p)
				}
			}
			if k >= s.NZ {
				continue
			}
			for n, f := range list {
				top, odd := s.surveyRows(f, k, s.alive[n].rows[k*s.NY:])
				p.bad = p.bad || odd
				p.live[n] = top != 0
				if n == 1 {
					p.hot = top
				}
			}
		}
	})
	s.fast, s.hot, s.fastIn = 0, 0, 0
	clear(s.live)
	for i := range part {
		p := &part[i]
		if p.bad {
			return s.findBad()
		}
		if float64(p.fast) > s.fast {
			s.fast, s.fastIn = float64(p.fast), i
		}
		s.hot = max(s.hot, float64(p.hot))
		for n, v := range p.live {
			s.live[n] = s.live[n] || v
		}
	}
	if s.fast > absurd || s.hot > absurd {
		return s.findBad()
	}
	for n := range list {
		s.alive[n].count(s.NY, s.NZ)
	}
	return nil
}

// surveyFaces looks at plane k of a velocity: at once where all of it is in use.
func (s *Solver) surveyFaces(f *grid.Field, l *layout, k int, p *peak) {
	look := func(lo, hi int) {
		top, odd := vec.Largest(f.Data[lo:hi])
		p.fast = max(p.fast, top)
		p.bad = p.bad || odd
	}
	if s.tiles.Full() {
		look(f.Index(0, 0, k), f.Index(0, 0, k+1))
		return
	}
	for j := range f.NY {
		for _, r := range l.spans(j, k) {
			look(f.Index(r.Lo, j, k), f.Index(r.Hi-1, j, k)+1)
		}
	}
}

// surveyRows is the largest magnitude of a channel in plane k, whether something isn't
// finite, and which rows hold anything.
func (s *Solver) surveyRows(f *grid.Field, k int, some []bool) (top float32, odd bool) {
	if s.tiles.Full() {
		// most planes hold nothing, or are few rows' worth of work
		if top, odd = vec.Largest(f.Data[f.Index(0, 0, k):f.Index(0, 0, k+1)]); top == 0 {
			clear(some[:s.NY])
			return top, odd
		}
	}
	for j := range s.NY {
		some[j] = false
		for _, r := range s.lay[onCentre].spans(j, k) {
			most, bad := vec.Largest(f.Data[f.Index(r.Lo, j, k) : f.Index(r.Hi-1, j, k)+1])
			odd = odd || bad
			some[j] = some[j] || most != 0
			top = max(top, most)
		}
	}
	return top, odd
}

// absurd is a speed, m/s, and a warmth, K, that no fluid here has: a run that
// comes to it has blown up, though its numbers are still finite.
const absurd = 2e5

// findBad names the first value that is not finite.
// It reads everything again, value by value: it happens once in a run at most.
func (s *Solver) findBad() error {
	names := append([]string{"velocity x", "velocity y", "velocity z"}, channelNames...)
	vel := s.velocity()
	for n, f := range append(vel[:], s.channels()...) {
		for i, v := range f.Data {
			// v − v is 0 for finite values alone; n == 3 is smoke, a plain number
			// that an emitter may set as high as it likes
			if v-v == 0 && (v < absurd && v > -absurd || n == 3) {
				continue
			}
			c := [3]int{i % f.NX, i / f.NX % f.NY, i / (f.NX * f.NY)}
			return &BlowUp{Time: s.Time, Channel: names[n], Value: float64(v),
				Cell:  [3]int{c[0] + s.Low[0], c[1] + s.Low[1], c[2] + s.Low[2]},
				Place: s.Origin.Add(geom.V(float64(c[0])+0.5, float64(c[1])+0.5, float64(c[2])+0.5).Mul(s.H)),
				Cause: "lower the strongest force or raise the number of substeps"}
		}
	}
	return nil
}

// likelyCause guesses from the values what made a run blow up, for the message.
// In the order of how often it is that.
func likelyCause(in Inputs, b *BlowUp) string {
	for _, e := range in.Emitters {
		if math.Abs(e.Speed)+e.Push.Len() > 500 {
			return "an emitter's speed is over 500 m/s"
		}
		if math.Abs(e.Temperature) > 1e5 {
			return "an emitter's temperature is absurd"
		}
	}
	if f := in.Physics.Fire; f.Heat*f.Rate > 0 && f.Expansion > 4 {
		return "the burning gas expands more than its heat demands; bring the expansion nearer to 1"
	}
	for _, v := range in.Vortices {
		if math.Abs(v.Strength)+math.Abs(v.Draw) > 2000 {
			return "a vortex is too strong"
		}
	}
	for _, v := range in.Radials {
		if math.Abs(v.Strength) > 2000 {
			return "a radial force is too strong"
		}
	}
	if in.Physics.Vorticity > 2 {
		return "vorticity confinement is likely too strong"
	}
	return b.Cause
}

// totalOf is total of a channel that was surveyed since it changed.
func (s *Solver) totalOf(n int) float64 {
	f := s.channels()[n]
	return s.crew.Sum(s.NZ, s.grain(), func(k int) (t float64) {
		s.eachLive(&s.alive[n], nil, k, func(j int, p grid.Span) {
			t += vec.Sum(f.Row(j, k)[p.Lo:p.Hi])
		})
		return t
	})
}

// total sums a channel over the cells in use, as float64.
// In float64, in the fixed order of sum.
func (s *Solver) total(f *grid.Field) float64 {
	return s.sum(func(o, n int) float64 { return vec.Sum(f.Data[o : o+n]) })
}

// leave counts the smoke that leaves through each open side of the limit.
// Only on sides that are open and that the box touches; six planes at most.
func (s *Solver) leave(dt float64, st *FrameStats) {
	area := s.H * s.H * dt
	for side, open := range s.Limit.Open {
		a := side / 2
		n := [3]int{s.NX, s.NY, s.NZ}
		atLow := s.Low[a] == 0 && side%2 == 0
		atHigh := s.Low[a]+n[a] == [3]int{s.Limit.NX, s.Limit.NY, s.Limit.NZ}[a] && side%2 == 1
		if !open || !(atLow || atHigh) || !s.live[0] {
			continue
		}
		st.Cut[side] += s.through(side, s.Smoke) * area
	}
}

// decay fades smoke and cools heat, by mixing and by radiation.
// A channel that is empty, or whose rate is 0, isn't touched.
func (s *Solver) decay(dt float64, p Physics) {
	for n, k := range []float64{p.Dissipation, p.Cooling} {
		if k == 0 || !s.live[n] || n == 0 && s.points != nil {
			continue
		}
		// dφ/dt = −kφ, exactly: two steps of half the length give the same
		q := float32(math.Exp(-k * dt))
		f := s.channels()[n]
		s.each(onCentre, func(_, _, _, o, n int) {
			row := f.Data[o : o+n]
			for i, v := range row {
				v *= q
				if v < 1e-7 && v > -1e-7 {
					v = 0 // keeps denormals away
				}
				row[i] = v
			}
		})
	}
	if s.live[1] {
		s.radiate(dt, p)
	}
}

// Centre averages the face velocities at cell (i,j,k).
// For statistics, leaks and caches; solvers work on faces.
func (s *Solver) Centre(i, j, k int) (u, v, w float32) {
	return 0.5 * (s.U.At(i, j, k) + s.U.At(i+1, j, k)),
		0.5 * (s.V.At(i, j, k) + s.V.At(i, j+1, k)),
		0.5 * (s.W.At(i, j, k) + s.W.At(i, j, k+1))
}
