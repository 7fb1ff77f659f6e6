package liquid

// The liquid domain of a shot as something that is run: values into the solver's
// inputs, its particles and grids into frames, its state to disk and back.

import (
	"fmt"
	"io"
	"slices"

	"zarf/core/frame"
	"zarf/core/geom"
	"zarf/core/grid"
	"zarf/core/shot"
	"zarf/core/shot/val"
	"zarf/core/sim"
	"zarf/core/stage"
	"zarf/core/state"
	"zarf/core/surface"
)

// Stage runs one liquid domain of a shot.
type Stage struct {
	stage.Cast
	Solver *Solver
	wet    *grid.Field // how wet solids are near voxels' middles, 0 to 1; nil: it isn't kept
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
func newStage(s *shot.Shot, d *shot.Element, crew grid.Crew) (*Stage, error) {
	// what can't change during a run: its change makes another key, and a new solver
	dims, h, origin := d.Grid()
	solver, err := Follow(Box{Dims: dims, H: h, Origin: origin, Flat: val.Flat.Of(d), Open: d.Open(), InSea: s.SeaOf(d) != nil}, crew)
	if err != nil {
		return nil, fmt.Errorf("domain %s: %w", d.Name, err)
	}
	l := &Stage{Cast: stage.NewCast(s, d, crew), Solver: solver}
	// a first look at the scene reads all files that it needs
	l.inputs(0, 1/s.Rate()) // files that can't be had are told before the first frame
	return l, l.Fault()
}

// Advance simulates one frame and returns its number.
func (l *Stage) Advance(stop func() bool) (int, sim.Stats, error) {
	l.Solver.Time = l.Began()
	turned := l.turned()
	// the solver's clock is set by the frame's number, not summed: no drift over
	// thousands of frames, and a resumed run has the same times
	st, err := l.Solver.Frame(l.Lasts(), l.Substeps(), l.inputs, stop)
	if err == nil {
		err = l.Fault()
	}
	st.Inflow += turned
	if err == nil && val.WetMap.Of(l.Domain) {
		l.wets()
	}
	out := l.stats(&st)
	if err != nil {
		return l.Number, out, fmt.Errorf("frame %d: %w", l.Number, err)
	}
	l.Number++
	return l.Number - 1, out, nil
}

// stats is how a frame went in the words that all solvers share.
func (l *Stage) stats(st *FrameStats) sim.Stats {
	out := sim.Stats{Substeps: st.Substeps, Capped: st.Capped, Iterations: st.Iterations, Residual: st.Residual, Unconverged: st.Unconverged, MaxSpeed: st.MaxSpeed,
		Cut: st.Left, Low: st.Low.Array(), High: st.High.Array(), Top: max(0, st.High.Y-l.origin().Y), Width: st.High.X - st.Low.X, Bulk: st.Volume}
	for a, v := range map[sim.Amount]float64{sim.Particles: float64(st.Particles), sim.Drops: float64(st.Drops), sim.Volume: st.Volume, sim.VolumeMade: st.Inflow, sim.Drained: st.Drained} {
		out.Put(a, v)
	}
	return out
}

// inputs are the solver's surroundings at t seconds after the start.
// It is called at least once a substep, and for scenes of many elements is worth
// keeping cheap: curves and bodies are kept by the cast and the library.
func (l *Stage) inputs(t, dt float64) Inputs {
	d, m := l.Domain, l.At(t, dt)
	now := m.Now
	in := Inputs{Scene: l.Scene(t, dt), Physics: Physics{Gravity: val.Gravity.At(l.Shot, now), Density: val.Weight.At(d, now), Air: val.AirDensity.At(l.Shot, now), Viscosity: val.Viscosity.At(d, now), Tension: val.Tension.At(d, now),
		Affine: val.Carried.Of(d) == "apic", Damping: val.Damping.At(d, now), Tolerance: val.Tolerance.At(d, now), MaxIterations: 200}}
	in.Physics.Bubbles = val.Bubbles.Of(d)
	if !in.Physics.Affine {
		in.Physics.Smooth = val.Calming.At(d, now)
	}
	if val.CarriesHeat.Of(d) {
		in.Physics.Warmth = &Warmth{Air: val.AirTemperature.At(l.Shot, now), Capacity: val.HoldsHeat.At(d, now), Conducts: val.Conducts.At(d, now), Radiates: val.Radiates.At(d, now), Exchange: val.AirTakes.At(d, now),
			FlowsAt: val.FlowsAt.At(d, now), StiffAt: val.StiffAt.At(d, now), Stiff: val.StiffViscosity.At(d, now)}
	}
	if in.Physics.Mixes = val.SecondLiquid.Of(d); in.Physics.Mixes {
		in.Physics.Second, in.Physics.Blends = val.SecondWeight.At(d, now), val.Blends.At(d, now)
	}
	in.Foam = Foam{Amount: val.Foam.At(d, now), Lasts: val.FoamLasts.At(d, now)}
	for _, e := range l.Bound() {
		if e.Kind == shot.Sea && in.Around == nil {
			of, err := stage.SeaOf(l.Shot, e)
			if err != nil {
				l.Blame(fmt.Errorf("%s: %w", e.Name, err))
				continue
			}
			in.Around = &Around{Sea: of, Rim: stage.Rim(e, l.Domain), ID: e.ID}
		}
		if e.Kind != shot.Emitter {
			continue
		}
		if val.From.Of(e) == "fluid" { // particles come in by frames: turned
			if em, ok := m.Emitter(e); ok && fedByLiquid(l.Shot, e, l.Domain) {
				if em.Source = m.Full(e); em.Source != nil {
					in.Emitters = append(in.Emitters, Emitter{Emitter: em, ID: e.ID})
				}
			}
			continue
		}
		// what an emitter does to a liquid: flows, keeps its form full, fills it
		// once, or takes liquid away
		pours := val.Pours.Of(e)
		em, ok := m.Emitter(e)
		switch {
		case pours == "drain" && ok:
			in.Drains = append(in.Drains, Drain{Shape: em.Shape})
		case pours == "drain" || !ok && pours != "once":
		case pours == "flow" && em.Speed == 0 && em.Push == (geom.Vec3{}): // nothing flows
		default:
			out := Emitter{Emitter: em, Once: pours == "once", ID: e.ID}
			if in.Physics.Mixes {
				out.Mix = val.SecondShare.At(e, now)
			}
			if in.Physics.Warmth != nil {
				out.Heat = val.Temperature.At(e, now)
			}
			in.Emitters = append(in.Emitters, out)
		}
	}
	return in
}

// pockets is how many voxels of air under a surface count as gaps between particles.
const pockets = 4

// band is how far from the surface its distance is kept, in cells of it.
const band = 3

// Frame is the frame made last, as the cache keeps it: how full voxels are, the
// distance to the surface, foam, the velocity, and particles.
//
// Four grids at most: density (how full, whose sum is the volume), surface (a level
// set, finer by the domain's detail), foam where there is some, velocity where kept.
// Particles beside it are every one, every eighth or none.
func (l *Stage) Frame() *frame.Frame {
	s := l.Solver
	n := [3]int{s.NX, s.NY, s.NZ}
	from, home := s.Window()
	half := val.CacheHalf.Of(l.Domain)
	out := &frame.Frame{Number: l.Number - 1}
	add := func(g *frame.Grid, h float64) *frame.Grid {
		g.Transform, g.Half = frame.Uniform(h, [3]float64{home.Origin.X + h/2, home.Origin.Y + h/2, home.Origin.Z + h/2}), half
		g.Meta = map[string]any{"frame": int32(l.Number - 1), "solver": Version}
		out.Grids = append(out.Grids, g)
		return g
	}
	// sorted and measured once here; what follows relies on it, and so does which
	// particles are every eighth
	deep, near := s.Deep()
	out.Points = l.points()
	add(frame.FromDense(frame.Density, from, n, [][]float32{s.Fullness(deep)}, 0, frame.Tolerance(frame.Density), l.Crew.For), s.H)
	lat, low := l.surface(deep, near)
	for a := range low {
		low[a] += from[a] * detail(l.Domain)
	}
	// a level set's background is its band's width, outside positive
	far := float32(band * lat.H)
	sdf := add(frame.FromDense(frame.Surface, low, lat.N, [][]float32{lat.V}, far, far*1e-3, l.Crew.For), lat.H)
	sdf.Class, sdf.Meta["unit"] = string(frame.LevelSet), "m"
	if len(s.Drops) > 0 {
		add(frame.FromDense(frame.Foam, from, n, [][]float32{s.Froth()}, 0, frame.Tolerance(frame.Foam), l.Crew.For), s.H)
	}
	if val.CarriesHeat.Of(l.Domain) {
		air := float32(val.AirTemperature.At(l.Shot, l.Shot.Eval(float64(l.Number-1))))
		t := add(frame.FromDense(frame.Temperature, from, n, [][]float32{s.Carried(func(p *Particle) float32 { return p.Heat - air })}, 0, frame.Tolerance(frame.Temperature), l.Crew.For), s.H)
		t.Meta["unit"] = "K"
	}
	if val.SecondLiquid.Of(l.Domain) {
		// a hundredth is put on, or the first liquid alone would look like no liquid
		add(frame.FromDense(frame.Mixture, from, n, [][]float32{s.Carried(func(p *Particle) float32 { return p.Mix + mixtureFrom })}, 0, frame.Tolerance(frame.Mixture), l.Crew.For), s.H)
	}
	if l.wet != nil {
		add(frame.FromDense(frame.Wetness, [3]int{}, [3]int{home.NX, home.NY, home.NZ}, [][]float32{l.wet.Data}, 0, frame.Tolerance(frame.Wetness), l.Crew.For), s.H)
	}
	if val.CacheVelocity.Of(l.Domain) {
		v := add(frame.FromDense(frame.Velocity, from, n, l.centred(s.phi), 0, 0, l.Crew.For), s.H)
		v.Meta["unit"], v.Meta["vector_type"] = "m/s", "contravariant relative"
	}
	return out
}

// mixtureFrom is what a frame's mixture is for none of the second liquid.
const mixtureFrom = frame.MixtureNone

// centred is the velocity at the middles of voxels in and near the liquid, and
// 0 elsewhere.
// Beyond the cells next to the surface it is 0, so that a cache holds no more of it
// than is seen.
func (l *Stage) centred(phi *grid.Field) [][]float32 {
	s := l.Solver
	u := s.Velocity()
	out := [][]float32{make([]float32, s.Len()), make([]float32, s.Len()), make([]float32, s.Len())}
	l.Crew.For(s.NZ, 1, func(k0, k1 int) {
		for k := k0; k < k1; k++ {
			for j := range s.NY {
				for i := range s.NX {
					n := s.Index(i, j, k)
					// extended velocity in the air is no result
					if phi.Data[n] >= 1 {
						continue
					}
					out[0][n] = (u[0].At(i, j, k) + u[0].At(i+1, j, k)) / 2
					out[1][n] = (u[1].At(i, j, k) + u[1].At(i, j+1, k)) / 2
					out[2][n] = (u[2].At(i, j, k) + u[2].At(i, j, k+1)) / 2
				}
			}
		}
	})
	return out
}

// surface is the signed distance to the liquid's surface on cells of its own.
// It takes what Deep gives.
//
// On a lattice detail times as fine as the voxels, about the liquid alone: it begins at
// cell low of that of the box. Its cost goes with the surface and not with the volume, as
// deep cells are only marked.
func (l *Stage) surface(deep, near []bool) (lat *surface.Lattice, low [3]int) {
	s := l.Solver
	// a finer lattice than the simulation's: particles know more than its voxels
	d := detail(l.Domain)
	r := s.live.grow(band+2, s.Dims)
	if r.empty() {
		r = region{}.join(region{hi: [3]int{1, 1, 1}})
	}
	lat = &surface.Lattice{H: s.H / float64(d), Origin: s.Origin.Add(geom.V(float64(r.lo[0]), float64(r.lo[1]), float64(r.lo[2])).Mul(s.H))}
	for a := range low {
		low[a], lat.N[a] = r.lo[a]*d, (r.hi[a]-r.lo[a])*d
	}
	lat.V = make([]float32, lat.N[0]*lat.N[1]*lat.N[2])
	fine := make([]bool, len(lat.V))
	l.Crew.For(lat.N[2], 2, func(k0, k1 int) {
		for k := k0; k < k1; k++ {
			for j := range lat.N[1] {
				o := lat.At(0, j, k)
				row := s.Index(r.lo[0], r.lo[1]+j/d, r.lo[2]+k/d)
				for i, v := range deep[row : row+r.hi[0]-r.lo[0]] {
					for m := range d {
						fine[o+i*d+m] = v
					}
				}
			}
		}
	})
	pts := make(surface.Points, 0, len(s.P)/2)
	// only those near the surface count: the inside is told by fine
	put := func(x [3]float32) {
		for a := range x {
			x[a] = (x[a]-float32(r.lo[a]))*float32(d) - 0.5
		}
		pts = append(pts, x)
	}
	var sheets [][][3]float32
	if val.Sheets.Of(l.Domain) {
		sheets = s.sheetPoints()
	}
	for k := range s.NZ { // in the order of their z
		for n := s.start[s.Index(0, 0, k)]; n < s.start[s.Index(0, 0, k)+s.NX*s.NY]; n++ {
			x := s.P[n].X
			if near[s.Index(min(int(x[0]), s.NX-1), min(int(x[1]), s.NY-1), min(int(x[2]), s.NZ-1))] {
				put(x)
			}
		}
		if sheets != nil {
			for _, x := range sheets[k] {
				put(x)
			}
		}
	}
	// a ball of a voxel's radius round each particle, then evened out
	surface.FromPoints(lat, pts, float32(d), d+1, fine, float32(band*lat.H), l.Crew.For)
	// what is smaller than a few voxels under the surface are gaps between particles
	surface.FillPockets(lat, pockets*d*d*d, l.Crew.For)
	surface.Even(lat, int(val.SurfaceSmooth.Of(l.Domain)), float32(0.04*lat.H), l.Crew.For)
	l.meetSea(lat, low)
	return lat, low
}

// meetSea draws the surface towards the sea's in the rim, so that at the sides the two are one.
func (l *Stage) meetSea(lat *surface.Lattice, low [3]int) {
	s := l.Solver
	if s.shore.now == nil {
		return
	}
	part, most := s.H/lat.H, band*lat.H
	l.Crew.For(lat.N[2], 2, func(k0, k1 int) {
		for k := k0; k < k1; k++ {
			for i := range lat.N[0] {
				x, z := (float64(low[0]+i)+0.5)/part, (float64(low[2]+k)+0.5)/part
				over, share, ok := s.seaLine(x, 0, z)
				if !ok {
					continue
				}
				for j := range lat.N[1] {
					d := min(max(over+(float64(low[1]+j)+0.5)*lat.H, -most), most)
					v := &lat.V[lat.At(i, j, k)]
					*v += float32(share) * (float32(d) - *v)
				}
			}
		}
	})
}

// points are the particles to cache of the frame made last: place, m, and
// velocity, m/s; nil where none are kept.
func (l *Stage) points() *frame.Points {
	step := map[string]int{"few": 8, "all": 1}[val.CachePoints.Of(l.Domain)]
	if step == 0 {
		return nil
	}
	s := l.Solver
	// particles are in the order of cells, so every eighth is spread evenly
	n := (len(s.P) + step - 1) / step
	p := &frame.Points{Comment: fmt.Sprintf("metres, y up; frame %d; every %d. particle", l.Number-1, step), P: make([][3]float32, n), V: make([][3]float32, n)}
	for m := range n {
		q := &s.P[m*step]
		p.P[m], p.V[m] = l.place(&q.X), q.V
	}
	// what each is; of drops their age and identity, which particles of the liquid don't have
	kinds, ages, low, high := make([]float32, n), make([]float32, n), make([]float32, n), make([]float32, n)
	for m := 0; m < len(s.Drops); m += step {
		q := &s.Drops[m]
		x := l.place(&q.X)
		p.P, p.V = append(p.P, x), append(p.V, q.V)
		kinds, ages = append(kinds, float32(s.kind(q))), append(ages, q.Age)
		low, high = append(low, float32(q.ID&(1<<frame.IDBits-1))), append(high, float32(q.ID>>frame.IDBits))
	}
	if len(s.Drops) > 0 {
		p.Extra = []frame.Attribute{{Name: "kind", V: kinds}, {Name: "age", V: ages}, {Name: "id", V: low}, {Name: "id_high", V: high}}
	}
	return p
}

// place is a particle's place in space, m.
func (l *Stage) place(x *[3]float32) [3]float32 {
	p := l.Solver.Origin.Add(geom.V(float64(x[0]), float64(x[1]), float64(x[2])).Mul(l.Solver.H))
	return [3]float32{float32(p.X), float32(p.Y), float32(p.Z)}
}

// particleFields are the numbers of every particle, dropFields those of every
// drop, in the order in which a state keeps them: place, velocity, and the
// affine part or the time left.
const (
	particleFields = 17
	dropFields     = 10
)

// saved is the head of a saved state.
type saved struct {
	Next      int     `json:"next"`
	Key       string  `json:"key"`
	Particles int     `json:"particles"`
	Drops     int     `json:"drops"`
	Low       [3]int  `json:"low"` // of the window in the domain, voxels, and its size
	Size      [3]int  `json:"size"`
	Wet       int     `json:"wet,omitempty"` // voxels whose wetness is kept
	Emitted   Emitted `json:"emitted"`
}

func (s *saved) arrays() []state.Array {
	list := []state.Array{{Name: "particles", V: make([]float32, particleFields*s.Particles)}, {Name: "drops", V: make([]float32, dropFields*s.Drops)}}
	if s.Wet > 0 {
		list = append(list, state.Array{Name: "wet", V: make([]float32, s.Wet)})
	}
	return list
}

// SaveState writes all that a resumed run needs to go on bit for bit: numbers of
// a kind lie together, which packs better.
// The layout is that of package state: this head, then arrays by component.
func (l *Stage) SaveState(w io.Writer) error {
	s := l.Solver
	head := saved{Next: l.Number, Key: stage.CoarseKey(l.Shot, l.Domain), Particles: len(s.P), Drops: len(s.Drops), Emitted: s.Emitted()}
	head.Low, _ = s.Window()
	head.Size = [3]int{s.NX, s.NY, s.NZ}
	if l.wet != nil {
		head.Wet = l.wet.Len()
	}
	list := head.arrays()
	n := len(s.P)
	for m := range s.P {
		p := &s.P[m]
		for a := range 3 {
			list[0].V[a*n+m], list[0].V[(3+a)*n+m] = p.X[a], p.V[a]
			list[0].V[15*n+m], list[0].V[16*n+m] = p.Mix, p.Heat
			for b := range 3 {
				if m < len(s.C) {
					list[0].V[(6+3*a+b)*n+m] = s.C[m][a][b]
				}
			}
		}
	}
	n = len(s.Drops)
	for m := range s.Drops {
		d := &s.Drops[m]
		for a := range 3 {
			list[1].V[a*n+m], list[1].V[(3+a)*n+m] = d.X[a], d.V[a]
		}
		list[1].V[6*n+m], list[1].V[7*n+m] = d.Left, d.Age
		list[1].V[8*n+m], list[1].V[9*n+m] = float32(d.ID&(1<<frame.IDBits-1)), float32(d.ID>>frame.IDBits)
	}
	if l.wet != nil {
		copy(list[2].V, l.wet.Data)
	}
	return state.Write(w, head, list, l.Crew.For)
}

// LoadState goes on from a saved state; own asks that the same values made it.
// The stage is changed only after all was read and found to fit.
func (l *Stage) LoadState(r io.Reader, own bool) error {
	var head saved
	var list []state.Array
	err := state.Read(r, &head, func() ([]state.Array, error) {
		// a draft's state may start a take (own is false); a resumed run must be its
		// own
		if own && head.Key != stage.CoarseKey(l.Shot, l.Domain) {
			return nil, fmt.Errorf("the saved state belongs to other values (key %s)", head.Key)
		}
		// before any memory is taken for what a damaged head claims
		_, home := l.Solver.Window()
		if head.Wet != 0 && head.Wet != home.Len() {
			return nil, fmt.Errorf("%w: wetness of %d voxels", state.ErrDamaged, head.Wet)
		}
		if !home.holds(head.Low, head.Size) || l.Solver.home == nil && head.Size != [3]int{home.NX, home.NY, home.NZ} {
			return nil, fmt.Errorf("%w: a window of %v voxels from %v on", state.ErrDamaged, head.Size, head.Low)
		}
		if head.Particles < 0 || head.Particles > 1<<31 || head.Drops < 0 || head.Drops > 2*MaxDrops {
			return nil, fmt.Errorf("%w: %d particles and %d drops", state.ErrDamaged, head.Particles, head.Drops)
		}
		list = head.arrays()
		return list, nil
	})
	if err != nil {
		return err
	}
	p, c, n := make([]Particle, head.Particles), make([]Slope, head.Particles), head.Particles
	for m := range p {
		for a := range 3 {
			p[m].X[a], p[m].V[a] = list[0].V[a*n+m], list[0].V[(3+a)*n+m]
			p[m].Mix, p[m].Heat = list[0].V[15*n+m], list[0].V[16*n+m]
			for b := range 3 {
				c[m][a][b] = list[0].V[(6+3*a+b)*n+m]
			}
		}
	}
	drops := make([]Drop, head.Drops)
	n = head.Drops
	for m := range drops {
		for a := range 3 {
			drops[m].X[a], drops[m].V[a] = list[1].V[a*n+m], list[1].V[(3+a)*n+m]
		}
		drops[m].Left, drops[m].Age = list[1].V[6*n+m], list[1].V[7*n+m]
		drops[m].ID = uint64(list[1].V[8*n+m]) | uint64(list[1].V[9*n+m])<<frame.IDBits
	}
	// one particle outside would index outside a grid in the next substep
	if slices.ContainsFunc(p, func(q Particle) bool { return !inWindow(&q, head.Size) }) {
		return fmt.Errorf("%w: it holds particles outside the domain", state.ErrDamaged)
	}
	_, home := l.Solver.Window()
	l.Solver.Resume(nil, nil, nil, Emitted{})
	l.Solver.move(region{head.Low, [3]int{head.Low[0] + head.Size[0], head.Low[1] + head.Size[1], head.Low[2] + head.Size[2]}})
	l.wet = nil
	if head.Wet > 0 {
		l.wet = &grid.Field{Dims: home.Dims, Data: list[2].V}
	}
	l.Solver.Resume(p, c, drops, head.Emitted)
	l.Number = head.Next
	return nil
}

// inWindow reports a particle in a box of so many voxels.
func inWindow(q *Particle, size [3]int) bool {
	for a, n := range size {
		if !(q.X[a] >= 0 && q.X[a] <= float32(n)) {
			return false
		}
	}
	return true
}

// holds reports a part of the box that the solver's may be.
func (b Box) holds(low, size [3]int) bool {
	for a, n := range [3]int{b.NX, b.NY, b.NZ} {
		if low[a] < 0 || size[a] < 1 || low[a]+size[a] > n {
			return false
		}
	}
	return true
}

// origin is the domain's low corner.
func (l *Stage) origin() geom.Vec3 {
	_, home := l.Solver.Window()
	return home.Origin
}

// Shown is what a picture of the frame made last needs.
func (l *Stage) Shown() stage.Shown {
	deep, near := l.Solver.Deep()
	lat, _ := l.surface(deep, near)
	f := &grid.Field{Dims: grid.Dims{NX: lat.N[0], NY: lat.N[1], NZ: lat.N[2]}, Data: lat.V}
	return stage.Shown{Surface: f, Outside: band * lat.H, Origin: lat.Origin, H: lat.H, Warm: l.Solver.skinHeat(near)}
}
