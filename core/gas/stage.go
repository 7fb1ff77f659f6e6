package gas

// The gas domain of a shot as something that is run: it reads the document's values
// for each substep, hands the solver what acts on it, and turns the solver's arrays
// into frames for the cache and into saved states. Nothing here computes.

import (
	"fmt"
	"io"
	"runtime"

	"zarf/core/frame"
	"zarf/core/geom"
	"zarf/core/grid"
	"zarf/core/shot"
	"zarf/core/shot/val"
	"zarf/core/sim"
	"zarf/core/stage"
	"zarf/core/state"
)

// Stage runs one gas domain of a shot.
type Stage struct {
	stage.Cast
	Solver *Solver
}

var _ stage.Runner = (*Stage)(nil)

// NewStage makes the stage of a domain at rest before its first frame; the first
// domain where id is empty.
func NewStage(s *shot.Shot, id string, crew grid.Crew) (*Stage, error) {
	d, err := stage.PickDomain(s, id)
	if err != nil {
		return nil, err
	}
	return newStage(s, d, crew)
}

// newStage makes a stage at rest before its first frame.
// Files are read once before the first frame: a missing mesh must not end a run
// after an hour.
func newStage(s *shot.Shot, d *shot.Element, crew grid.Crew) (*Stage, error) {
	dims, h, origin := d.Grid()
	// What builds the grid is read once, here; what may have keys is read in inputs,
	// for each substep anew.
	box := Box{Dims: dims, H: h, Origin: origin, Open: d.Open(), Burning: burns(d), Oxygen: val.Burning.Of(d) == "oxygen"}
	box.Seed = uint64(val.Seed.Of(d))
	if val.SmokeBy.Of(d) == "points" {
		box.PerVoxel = val.SmokePoints.Of(d)
	}
	// Walls at both sides of the one layer: no flow through them, so none along z at
	// all.
	if val.Flat.Of(d) { // nothing moves along z
		box.Open[4], box.Open[5] = false, false
	}
	if follows(d) {
		box.Follow = &Follow{Threshold: val.FollowFrom.Of(d), Margin: val.FollowMargin.Of(d)}
	}
	// This is where the memory is taken, and where a box that can't be had is
	// refused.
	solver, err := New(box, crew)
	if err != nil {
		return nil, fmt.Errorf("domain %s: %w", d.Name, err)
	}
	g := &Stage{Cast: stage.NewCast(s, d, crew), Solver: solver}
	g.inputs(0, 1/s.Rate()) // files that can't be had are told before the first frame
	return g, g.Fault()
}

// Advance simulates one frame and returns its number.
// The clock is set from the frame's number, so that rounding doesn't add up and a
// resumed run has the same times.
func (g *Stage) Advance(stop func() bool) (int, sim.Stats, error) {
	if err := g.Ready(); err != nil {
		return g.Number, sim.Stats{}, err
	}
	now := g.Now(float64(g.Number))
	// keyed margins and thresholds take effect at the next frame
	if g.Solver.Follow != nil {
		g.Solver.Follow.Threshold, g.Solver.Follow.Margin = val.FollowFrom.At(g.Domain, now), val.FollowMargin.At(g.Domain, now)
	}
	// Noise and keys are read by this time. Adding steps up would differ after a
	// resume.
	g.Solver.Time = g.Began()
	st, err := g.Solver.Frame(g.Lasts(), g.Substeps(), g.inputs, stop)
	if err == nil {
		err = g.Fault()
	}
	out := st.stats()
	if err != nil {
		return g.Number, out, fmt.Errorf("frame %d: %w", g.Number, err)
	}
	g.Number++
	return g.Number - 1, out, nil
}

// inputs are the solver's surroundings at t seconds after the start.
// Called at least twice a substep: for the step's length, and for the step itself.
func (g *Stage) inputs(t, dt float64) Inputs {
	d, m := g.Domain, g.At(t, dt)
	now := m.Now
	air := val.AirTemperature.Of(g.Shot)
	// Values whose catalogue entry has keys are read with At, the others with Of:
	// the air's temperature is the zero that all heat is measured from, and must not
	// move.
	in := Inputs{Scene: g.Scene(t, dt), Physics: Physics{
		Gravity: val.Gravity.At(g.Shot, now), AirTemperature: air, AirDensity: val.AirDensity.Of(g.Shot),
		Lift: val.Lift.At(d, now), SmokeWeight: val.SmokeWeight.At(d, now), Dissipation: val.Dissipation.At(d, now), Cooling: val.Cooling.At(d, now),
		Damping: val.Damping.At(d, now), Vorticity: val.Vorticity.At(d, now), Scheme: Scheme(val.Scheme.Of(d)),
		SubGrid: val.SubGrid.At(d, now), Tolerance: val.Tolerance.At(d, now), MaxIterations: 200,
	}}
	if in.Physics.Vorticity != 0 {
		// read only where it counts, so that a key doesn't hold it
		in.Physics.VorticityBy = val.VorticityBy.Of(d)
	}
	if burns(d) {
		in.Physics.Fire = Fire{Ignition: val.Ignition.At(d, now), Rate: val.BurnRate.At(d, now), Heat: val.HeatReleased.At(d, now) * 1e6, Soot: val.Soot.At(d, now),
			Expansion: val.Expansion.At(d, now), Spread: val.Spread.At(d, now), Afterglow: val.Afterglow.At(d, now),
			Radiation: val.Radiation.At(d, now), RadiationAt: val.RadiationAt.At(d, now)}
		if val.Burning.Of(d) == "oxygen" {
			in.Physics.Fire.OxygenNeed = val.OxygenNeed.At(d, now)
		}
	}
	for _, e := range g.Bound() {
		if e.Kind != shot.Emitter {
			continue
		}
		em, ok := m.Emitter(e)
		if !ok {
			continue
		}
		// Heat is above the air's inside the solver; an emitter colder than the air
		// makes it negative, and its gas sinks.
		gas := Emitter{Emitter: em, Fuel: val.Fuel.At(e, now), Smoke: val.Smoke.At(e, now), Temperature: val.Temperature.At(e, now) - air, Add: val.Mode.Of(e) == "add"}
		if kw := val.FuelPower.At(e, now); kw > 0 && in.Physics.Fire.Heat > 0 {
			gas.FuelRate = (1 - radiated) * kw * 1e3 / in.Physics.Fire.Heat
		}
		if val.From.Of(e) == "fluid" {
			// A source domain that begins later simply feeds nothing until its first
			// frame.
			// nothing there yet, or a fault that Advance tells
			if gas.Source = m.Source(e); gas.Source == nil {
				continue
			}
		}
		in.Emitters = append(in.Emitters, gas)
	}
	return in
}

// Frame is the frame made last, as the cache keeps it: velocity on the solver's voxels, and
// the others on finer ones where smoke is kept so.
//
// Channels share no memory with the solver but while they are made: FromDense copies
// what is active. Velocity is kept near smoke and heat only, which is where anyone
// looks.
func (g *Stage) Frame() *frame.Frame {
	s := g.Solver
	defer runtime.KeepAlive(s) // its fields may be mapped memory
	out := &frame.Frame{Number: g.Number - 1}
	var near []*frame.Leaf // where there is smoke or heat
	for _, c := range channels(g.Domain) {
		switch c.Name {
		case frame.Density:
			v := g.scalar(c, s.Smoke)
			near = append(near, v.Leaves...)
			out.Grids = append(out.Grids, v)
		// Made even where it isn't kept: flame without smoke needs its velocity as
		// well.
		case frame.Temperature:
			v := g.scalar(c, s.Heat)
			v.Meta["air_temperature"] = val.AirTemperature.Of(g.Shot)
			near = append(near, v.Leaves...)
			if c.Kept {
				out.Grids = append(out.Grids, v)
			}
		case frame.Fuel:
			if c.Kept {
				out.Grids = append(out.Grids, g.scalar(c, s.Fuel))
			}
		case frame.Burn:
			if c.Kept {
				out.Grids = append(out.Grids, g.scalar(c, s.Burn))
			}
		case frame.Velocity:
			if c.Kept {
				// near is complete by now: density and temperature come before
				// velocity
				comps := g.velocityNear(near, fineness(g.Domain))
				v := g.grid(c, part{s.Low, s.Dims, nil}, 1, comps[:]...)
				// Velocities turn with the volume and don't move with its place.
				v.Meta["vector_type"] = "contravariant relative"
				out.Grids = append(out.Grids, v)
			}
		}
	}
	return out
}

// scalar is a channel of a frame, on the voxels that frames have.
func (g *Stage) scalar(c stage.Channel, f *grid.Field) *frame.Grid {
	s, fine := g.Solver, fineness(g.Domain)
	of := part{s.Low, s.Dims, nil}
	switch {
	case fine == 1:
		of.data = g.visible(f)
	case f == s.Smoke && s.points != nil && s.points.ours:
		of = s.fineSmoke(fine)
	default:
		of = s.finer(g.visible(f), fine)
	}
	return g.grid(c, of, fine, of.data)
}

// grid is one of a frame: leaves where a voxel of a box counts, and what readers want to know.
// Its voxels are 1/fine as wide as the solver's.
func (g *Stage) grid(c stage.Channel, of part, fine int, comps ...[]float32) *frame.Grid {
	// The tolerance under which a voxel counts as empty is the channel's own.
	v := frame.FromDense(c.Name, of.low, [3]int{of.n.NX, of.n.NY, of.n.NZ}, comps, 0, frame.Tolerance(c.Name), g.Crew.For)
	// World places are those of voxel centres, half a voxel inside the limit's corner
	h, o := g.Solver.H/float64(fine), g.Solver.Limit.Origin
	v.Transform, v.Half = frame.Uniform(h, [3]float64{o.X + h/2, o.Y + h/2, o.Z + h/2}), val.CacheHalf.Of(g.Domain)
	v.Meta = map[string]any{"frame": int32(g.Number - 1), "solver": Version}
	if c.Unit != "" {
		v.Meta["unit"] = c.Unit
	}
	return v
}

// visible is a channel without what it holds deep inside solids.
// The field itself where no solid hides anything: no copy is made.
// Smoke that was inside a solid when that moved over it stays in the solver's arrays
// and comes out again when it moves on; a picture must not show it meanwhile.
func (g *Stage) visible(f *grid.Field) []float32 {
	out := f.Data
	g.Solver.Hidden(func(cell int) {
		if &out[0] == &f.Data[0] {
			out = append([]float32(nil), f.Data...)
		}
		out[cell] = 0
	})
	return out
}

// velocityNear gives centred velocities in and round the leaves named, of voxels 1/fine as
// wide: motion blur and a receiver's own tracing look no further.
func (g *Stage) velocityNear(leaves []*frame.Leaf, fine int) (comps [3][]float32) {
	s := g.Solver
	bx, by, bz := (s.NX+7)/8, (s.NY+7)/8, (s.NZ+7)/8
	// A flag for each leaf of 8³ in the solver's box, then the leaves round each
	// one: the 26 neighbours cover any blur of less than eight voxels.
	near := make([]bool, bx*by*bz)
	for _, l := range leaves {
		// the solver's box begins at a multiple of 8
		i, j, k := (int(l.Origin[0])/fine-s.Low[0])/8, (int(l.Origin[1])/fine-s.Low[1])/8, (int(l.Origin[2])/fine-s.Low[2])/8
		for c := max(k-1, 0); c <= min(k+1, bz-1); c++ {
			for b := max(j-1, 0); b <= min(j+1, by-1); b++ {
				for a := max(i-1, 0); a <= min(i+1, bx-1); a++ {
					near[(c*by+b)*bx+a] = true
				}
			}
		}
	}
	for c := range comps {
		comps[c] = make([]float32, s.Len())
	}
	g.Crew.For(s.NZ, 1, func(k0, k1 int) {
		for k := k0; k < k1; k++ {
			for j := range s.NY {
				row := near[(k/8*by+j/8)*bx:][:bx]
				n := s.Index(0, j, k)
				for i := range s.NX {
					if row[i/8] {
						// Faces to centres by the mean of two, as cells and not
						// faces are handed out.
						comps[0][n+i], comps[1][n+i], comps[2][n+i] = s.Centre(i, j, k)
					}
				}
			}
		}
	})
	return comps
}

// saved is the head of a saved state.
// Everything else that a step reads is the document's or follows from the arrays.
type saved struct {
	Next int    `json:"next"`
	Key  string `json:"key"`
	// Winds draw the air outside along little by little, so it has a memory.
	Air [3]float64 `json:"air"` // m/s of the air outside
	// The pressure acted for this long; half of it acts again over the next step.
	LastDt float64 `json:"last_dt"`
	Tiles  *tiling `json:"tiles,omitempty"` // where bounds follow
	Points int     `json:"points,omitempty"`
	Made   bool    `json:"made,omitempty"` // gas made room for itself in the last step
	// Where the noise of sub-grid turbulence has drifted to, voxels, and its phase.
	Stirs *[4]float64 `json:"stirs,omitempty"`
}

// tiling is which tiles are in use.
type tiling struct {
	Low [3]int `json:"low"`
	N   [3]int `json:"n"`
	On  []byte `json:"on"` // a bit for each tile of the limit
}

// SaveState writes all that a resumed run needs to go on bit for bit.
func (g *Stage) SaveState(w io.Writer) error {
	s := g.Solver
	defer runtime.KeepAlive(s)
	// The key holds what would change the run: a state under other values is refused
	// unless the artist asked to go on from it.
	head := saved{Next: g.Number, Key: stage.CoarseKey(g.Shot, g.Domain), Air: s.Ambient.Array(), LastDt: s.LastDt}
	if s.Follow != nil {
		// a bit a tile, so that even a large limit takes little in the head
		low, n, on := s.Tiling()
		head.Tiles = &tiling{low, n, pack(on)}
	}
	head.Made = s.sourced
	if s.points != nil {
		head.Points = len(s.points.of)
	}
	if t := s.stirs; t != nil {
		head.Stirs = &[4]float64{t.Drift.X, t.Drift.Y, t.Drift.Z, t.Phase}
	}
	return state.Write(w, head, g.arrays(), g.Crew.For)
}

// LoadState goes on from a saved state; own asks that the same values made it.
//
// Where bounds follow, the tiles come first: they decide how large the arrays are
// that state then fills.
func (g *Stage) LoadState(r io.Reader, own bool) error {
	defer runtime.KeepAlive(g.Solver)
	g.Solver.Forget()
	var head saved
	err := state.Read(r, &head, func() ([]state.Array, error) {
		if own && head.Key != stage.CoarseKey(g.Shot, g.Domain) {
			return nil, fmt.Errorf("the saved state belongs to other values (key %s)", head.Key)
		}
		if g.Solver.Follow != nil {
			if head.Tiles == nil {
				return nil, fmt.Errorf("%w: it lacks its tiles", state.ErrDamaged)
			}
			// The list of flags is as long as the limit has tiles, which the file
			// doesn't get to say.
			l := grid.NewTiles(g.Solver.Limit.Dims, false)
			if err := g.Solver.SetTiling(head.Tiles.Low, head.Tiles.N, unpack(head.Tiles.On, l.Len())); err != nil {
				return nil, err
			}
		}
		g.Solver.sourced = head.Made
		if p := g.Solver.points; p != nil {
			if head.Points < 0 || head.Points > mostPoints {
				return nil, fmt.Errorf("%w: it has %d points of smoke", state.ErrDamaged, head.Points)
			}
			p.hold(head.Points)
			p.ours, p.from = true, nil
		}
		return g.arrays(), nil
	})
	if err != nil {
		return err
	}
	if v := head.Stirs; v != nil {
		g.Solver.stirs = newStirring(g.Solver.Seed, g.Solver.NZ == 1)
		g.Solver.stirs.Drift, g.Solver.stirs.Phase = geom.V(v[0], v[1], v[2]), v[3]
	}
	g.Solver.Ambient, g.Solver.LastDt, g.Number = geom.FromArray(head.Air), head.LastDt, head.Next
	return nil
}

func pack(on []bool) []byte {
	b := make([]byte, (len(on)+7)/8)
	for i, v := range on {
		if v {
			b[i/8] |= 1 << (i % 8)
		}
	}
	return b
}

func unpack(b []byte, n int) []bool {
	on := make([]bool, min(n, 8*len(b)))
	for i := range on {
		on[i] = b[i/8]>>(i%8)&1 == 1
	}
	return on
}

// arrays are what a saved state keeps besides its head.
func (g *Stage) arrays() []state.Array {
	s := g.Solver
	// Pressure is saved because half of it acts at the start of the next step.
	// in a fixed order; names are what a reader matches by
	list := []state.Array{{Name: "u", V: s.U.Data}, {Name: "v", V: s.V.Data}, {Name: "w", V: s.W.Data}, {Name: "smoke", V: s.Smoke.Data}, {Name: "heat", V: s.Heat.Data}, {Name: "pressure", V: s.Pressure.Data}}
	if s.Fuel != nil {
		list = append(list, state.Array{Name: "fuel", V: s.Fuel.Data}, state.Array{Name: "burn", V: s.Burn.Data})
	}
	if s.sourced { // the room made in the last step counts as the next one carries what is there
		list = append(list, state.Array{Name: "made", V: s.source.Data})
	}
	if s.Used != nil {
		list = append(list, state.Array{Name: "used", V: s.Used.Data})
	}
	if p := s.points; p != nil {
		list = append(list, state.Array{Name: "points x", V: p.at[0]}, state.Array{Name: "points y", V: p.at[1]}, state.Array{Name: "points z", V: p.at[2]}, state.Array{Name: "points' smoke", V: p.of})
	}
	return list
}

// Shown is what a picture of the frame made last needs.
// Dense fields for a picture while the run goes on, without a way through the cache.
func (g *Stage) Shown() stage.Shown {
	s := g.Solver
	defer runtime.KeepAlive(s)
	field := func(f *grid.Field) *grid.Field {
		out := grid.NewField(s.Dims) // copied: the solver's own may be mapped memory
		copy(out.Data, g.visible(f))
		return out
	}
	out := stage.Shown{Density: field(s.Smoke), H: s.H, Origin: s.Limit.Origin.Add(geom.V(float64(s.Low[0]), float64(s.Low[1]), float64(s.Low[2])).Mul(s.H))}
	if out.Heat = field(s.Heat); s.Burn != nil {
		out.Burn = field(s.Burn)
	}
	return out
}
