package mote

// A domain of particles as something that is run: values into births and surroundings,
// particles into frames, the whole state to disk and back.

import (
	"fmt"
	"io"
	"math"

	"zarf/core/frame"
	"zarf/core/geom"
	"zarf/core/grid"
	"zarf/core/shot"
	"zarf/core/shot/val"
	"zarf/core/sim"
	"zarf/core/stage"
	"zarf/core/state"
)

// Stage runs one domain of particles of a shot.
type Stage struct {
	stage.Cast
	Set

	dims    grid.Dims
	origin  geom.Vec3
	hit     []bool   // rows that hit something in the frame made last
	carried *carried // the fluid at the frame that is being made
	traits  *traits
	sources map[string]any // what emitters are fed by at that frame: *Source or *parents
}

var _ stage.Runner = (*Stage)(nil)

func newStage(s *shot.Shot, d *shot.Element, crew grid.Crew) (*Stage, error) {
	dims, h, origin := d.Grid()
	m := &Stage{Cast: stage.NewCast(s, d, crew), dims: dims, origin: origin}
	m.H = h
	m.declare()
	m.Scene(0, 1/s.Rate()) // files that can't be had are told before the first frame
	return m, m.Fault()
}

// Advance simulates one frame and returns its number.
//
// Births come first in each substep, so that what is born in a frame has moved for its part
// of it; what feeds emitters is read once a frame. Those that die stay until the next frame
// begins, as others may be born of them.
func (m *Stage) Advance(stop func() bool) (int, sim.Stats, error) {
	m.Sweep()
	m.declare()
	if m.Number%8 == 0 && m.Len() > 1<<14 {
		m.Gather(m.Crew)
	}
	m.hit = make([]bool, m.Len())
	for c := range m.Impulse {
		m.Impulse[c] = m.Impulse[c][:0] // the frame before kept it
	}
	lasts := m.Lasts()
	m.feed(lasts)
	st, f := sim.Stats{}, figures{}
	steps := m.steps(lasts, &st)
	dt := lasts / float64(steps)
	for n := range steps {
		if stop != nil && stop() {
			return m.Number, st, sim.ErrStopped
		}
		at := m.At(m.Began()+float64(n+1)*dt, dt)
		m.births(at, n, lasts, &f)
		m.live()
		w := m.world(at)
		did := m.Step(dt, w, m.Crew)
		m.cool(at, &did)
		m.note(&did)
		st.Substeps++
		st.MaxSpeed = max(st.MaxSpeed, did.Fastest)
		f.deaths += len(did.Deaths)
		f.hits += len(did.Hits)
	}
	if err := m.Fault(); err != nil {
		return m.Number, st, fmt.Errorf("frame %d: %w", m.Number, err)
	}
	m.readFluid()
	f.put(m, &st)
	m.Number++
	return m.Number - 1, st, nil
}

// figures are what a frame of particles came to.
type figures struct {
	births, deaths, hits, over int
	low, high                  float64 // of a channel in which nothing was born
	none                       bool
}

func (f *figures) put(m *Stage, st *sim.Stats) {
	alive, hot := 0, float32(0)
	lo, hi := geom.V(math.Inf(1), math.Inf(1), math.Inf(1)), geom.V(math.Inf(-1), math.Inf(-1), math.Inf(-1))
	for i, s := range m.State {
		if s != Dead {
			alive++
			p := m.place(i)
			lo, hi = lo.Min(p), hi.Max(p)
			hot = max(hot, m.Heat[i])
		}
	}
	if alive > 0 {
		st.Low, st.High = lo.Array(), hi.Array()
		st.Top, st.Width = max(0, hi.Y-m.origin.Y), hi.X-lo.X
		st.Bulk = float64(alive)
	}
	for a, v := range map[sim.Amount]float64{sim.Particles: float64(alive), Births: float64(f.births), Deaths: float64(f.deaths), Hits: float64(f.hits), LeftOut: float64(f.over), Hottest: float64(hot)} {
		st.Put(a, v)
	}
	if f.none {
		st.Put(ChannelLow, f.low)
		st.Put(ChannelHigh, f.high)
	}
}

// steps is how many substeps a frame takes: none in which the fastest particle crosses more
// voxels than asked.
func (m *Stage) steps(lasts float64, st *sim.Stats) int {
	s := m.Substeps()
	fastest := 0.0
	for i := range m.V[0] {
		v := geom.V(float64(m.V[0][i]), float64(m.V[1][i]), float64(m.V[2][i]))
		fastest = max(fastest, v.Dot(v))
	}
	fast := max(math.Sqrt(fastest), stage.Inflow(m.Shot, m.Domain))
	want := math.Ceil(fast * lasts / (s.CFL * m.H))
	st.Capped = want > float64(s.Max)
	return int(min(max(want, float64(s.Min), 1), float64(s.Max)))
}

// note keeps which rows were hit.
func (m *Stage) note(did *Counts) {
	m.hit = append(m.hit, make([]bool, m.Len()-len(m.hit))...)
	for _, i := range did.Hits {
		m.hit[i] = true
	}
}

// cool lets those die that have become too cold.
func (m *Stage) cool(at *stage.Moment, did *Counts) {
	least := float32(val.DiesBelow.At(m.Domain, at.Now))
	if least <= 0 {
		return
	}
	for i, t := range m.Heat {
		if t < least && m.State[i] != Dead {
			m.State[i] = Dead
			did.Deaths = append(did.Deaths, int32(i))
		}
	}
}

// world is what surrounds particles during a substep.
func (m *Stage) world(at *stage.Moment) *World {
	d, now := m.Domain, at.Now
	scene := m.Scene(at.T, at.Dt)
	w := &World{Gravity: geom.V(0, -val.Gravity.At(m.Shot, now), 0), Still: Air, Winds: scene.Winds, Pushes: scene.Pushes(), Solids: m.Walls(scene.Colliders), Takes: val.HeatCapacity.At(d, now), Pushed: val.AirPush.Of(d) > 0}
	w.Still.Heat, w.Still.Density = float32(val.AirTemperature.At(m.Shot, now)), float32(val.AirDensity.At(m.Shot, now))
	if m.carried != nil {
		w.Fields = []Field{m.carried.field}
	}
	w.Contact = sim.Contact{Sticks: val.OnHit.Of(d) == "stick", Dies: val.OnHit.Of(d) == "die"}
	if val.OnHit.Of(d) == "bounce" {
		w.Contact.Bounce, w.Contact.Friction = val.Bounce.At(d, now), val.Friction.At(d, now)
	}
	for i := range scene.Turbulences {
		w.Pushes = append(w.Pushes, scene.Turbulences[i].Stirs())
	}
	w.Wishes = scene.Wishes()
	if k := val.Damping.At(d, now); k > 0 {
		w.Wishes = append(w.Wishes, func(geom.Vec3) (geom.Vec3, float64) { return geom.Vec3{}, k })
	}
	box := d.DomainBox()
	w.Bounds = &box
	return w
}

// Frame is the frame made last, as the cache keeps it: particles with all their numbers, and
// how thick they are in voxels, which other domains are fed by.
func (m *Stage) Frame() *frame.Frame {
	out := &frame.Frame{Number: m.Number - 1, Points: m.points()}
	thick, heat, motion := m.thickness(val.CacheVelocity.Of(m.Domain))
	n, half := [3]int{m.dims.NX, m.dims.NY, m.dims.NZ}, val.CacheHalf.Of(m.Domain)
	add := func(name, unit string, parts ...[]float32) {
		g := frame.FromDense(name, [3]int{}, n, parts, 0, frame.Tolerance(name), m.Crew.For)
		o := m.origin.Add(geom.V(m.H, m.H, m.H).Mul(0.5))
		g.Transform, g.Half = frame.Uniform(m.H, o.Array()), half
		if g.Meta = map[string]any{"frame": int32(m.Number - 1), "solver": Version}; unit != "" {
			g.Meta["unit"] = unit
		}
		out.Grids = append(out.Grids, g)
	}
	add(frame.Density, "", thick.Data)
	add(frame.Temperature, "K", heat.Data)
	if motion[0] != nil {
		add(frame.Velocity, "m/s", motion[0].Data, motion[1].Data, motion[2].Data)
	}
	if share := val.AirPush.Of(m.Domain); share > 0 {
		p := m.pushed(float32(share / (m.H * m.H * m.H)))
		add(frame.Push, "kg/(m² s)", p[0].Data, p[1].Data, p[2].Data)
	}
	return out
}

// thickness is how many particles share a voxel, one at most, by the weights that
// interpolation gives; how hot they are over the air, as far as they fill it; and how they
// move. Each counts all along its way of the frame, so that what it feeds has no gaps.
func (m *Stage) thickness(moving bool) (thick, heat *grid.Field, motion [3]*grid.Field) {
	thick, heat = grid.NewField(m.dims), grid.NewField(m.dims)
	off := [3]float32{0.5, 0.5, 0.5}
	way, of, one := m.ways(m.Lasts(), m.H)
	n := len(of)
	hot := make([]float32, n)
	air := float32(val.AirTemperature.Of(m.Shot))
	for k, i := range of {
		hot[k] = one[k] * (m.Heat[i] - air)
	}
	list := []Gift{{thick, off, one}, {heat, off, hot}}
	if moving {
		for c := range motion {
			motion[c] = grid.NewField(m.dims)
			by := make([]float32, n)
			for k, i := range of {
				by[k] = one[k] * m.V[c][i]
			}
			list = append(list, Gift{motion[c], off, by})
		}
	}
	way.Give(list, m.H, m.origin, m.Crew)
	m.Crew.For(len(thick.Data), 1<<14, func(lo, hi int) {
		for i := lo; i < hi; i++ {
			t := thick.Data[i]
			if t <= 0 {
				continue
			}
			if moving {
				for c := range motion {
					motion[c].Data[i] /= t
				}
			}
			if t > 1 {
				heat.Data[i] /= t
				thick.Data[i] = 1
			}
		}
	})
	return thick, heat, motion
}

// pushed is the momentum that drag took from particles over the frame, times a factor, by
// the weights that interpolation gives.
func (m *Stage) pushed(by float32) (out [3]*grid.Field) {
	var list []Gift
	for c := range out {
		out[c] = grid.NewField(m.dims)
		v := make([]float32, m.Len())
		for i, p := range m.Impulse[c] {
			v[i] = p * by
		}
		list = append(list, Gift{out[c], [3]float32{0.5, 0.5, 0.5}, v})
	}
	m.Give(list, m.H, m.origin, m.Crew)
	return out
}

const idBits = frame.IDBits

// points are the particles of the frame made last, those that died in it among them.
func (m *Stage) points() *frame.Points {
	n := m.Len()
	p := &frame.Points{Comment: fmt.Sprintf("metres, y up; frame %d; state 0 flies, 1 rests, %d died in this frame", m.Number-1, Dead), P: make([][3]float32, n), V: make([][3]float32, n)}
	id, more, state, hit := make([]float32, n), make([]float32, n), make([]float32, n), make([]float32, n)
	for i := range n {
		p.P[i], p.V[i] = [3]float32{m.P[0][i], m.P[1][i], m.P[2][i]}, [3]float32{m.V[0][i], m.V[1][i], m.V[2][i]}
		id[i], more[i] = float32(m.ID[i]&(1<<idBits-1)), float32(m.ID[i]>>idBits)
		state[i] = float32(m.State[i])
		if i < len(m.hit) && m.hit[i] {
			hit[i] = 1
		}
	}
	add := func(name, unit string, v []float32) {
		p.Extra = append(p.Extra, frame.Attribute{Name: name, Unit: unit, V: append([]float32(nil), v...)})
	}
	add("id", "", id)
	if m.next>>idBits > 0 {
		add("id_high", "", more)
	}
	add("age", "s", m.Age)
	add("life", "s", m.Life)
	add("size", "m", m.Size)
	add("density", "kg/m³", m.Density)
	add("temperature", "K", m.Heat)
	add("state", "", state)
	add("hit", "", hit)
	if m.Spins {
		for c, axis := range "xyz" {
			add("turn_"+string(axis), "rad", m.Turn[c])
			add("spin_"+string(axis), "rad/s", m.Spin[c])
		}
	}
	for _, c := range m.Own {
		add(c.Name, "", c.V)
	}
	return p
}

// saved is the head of a saved state.
type saved struct {
	Next  int      `json:"next"`
	Key   string   `json:"key"`
	Many  int      `json:"many"`
	ID    uint64   `json:"id"` // that the next to be born gets
	Spins bool     `json:"spins"`
	Own   []string `json:"own"`
}

// arrays are the columns of a set, its states and its identities in three parts.
func (s *Set) arrays() (list []state.Array) {
	for i, c := range s.columns() {
		list = append(list, state.Array{Name: fmt.Sprintf("column %d", i), V: *c})
	}
	for _, name := range []string{"state", "low", "mid", "high"} {
		list = append(list, state.Array{Name: name, V: make([]float32, s.Len())})
	}
	return list
}

// SaveState writes all that a resumed run needs to go on bit for bit.
func (m *Stage) SaveState(w io.Writer) error {
	head := saved{Next: m.Number, Key: stage.CoarseKey(m.Shot, m.Domain), Many: m.Len(), ID: m.next, Spins: m.Spins}
	for _, c := range m.Own {
		head.Own = append(head.Own, c.Name)
	}
	list := m.arrays()
	last := list[len(list)-4:]
	for i, id := range m.ID {
		last[0].V[i] = float32(m.State[i])
		last[1].V[i], last[2].V[i], last[3].V[i] = float32(id&(1<<idBits-1)), float32(id>>idBits&(1<<idBits-1)), float32(id>>(2*idBits))
	}
	return state.Write(w, head, list, m.Crew.For)
}

// mostSaved bounds the particles of a state that is read.
const mostSaved = 1 << 28

// LoadState goes on from a saved state; own asks that the same values made it. The stage is
// changed only after all was read and found to fit.
func (m *Stage) LoadState(r io.Reader, own bool) error {
	var head saved
	var list []state.Array
	set := new(Set)
	err := state.Read(r, &head, func() ([]state.Array, error) {
		if own && head.Key != stage.CoarseKey(m.Shot, m.Domain) {
			return nil, fmt.Errorf("the saved state belongs to other values (key %s)", head.Key)
		}
		if head.Many < 0 || head.Many > mostSaved || len(head.Own) > 64 {
			return nil, fmt.Errorf("%w: %d particles with %d channels", state.ErrDamaged, head.Many, len(head.Own))
		}
		for _, name := range head.Own {
			set.Declare(name)
		}
		set.Add(head.Many)
		list = set.arrays()
		return list, nil
	})
	if err != nil {
		return err
	}
	last := list[len(list)-4:]
	for i := range set.ID {
		set.State[i] = uint8(last[0].V[i])
		set.ID[i] = uint64(last[1].V[i]) | uint64(last[2].V[i])<<idBits | uint64(last[3].V[i])<<(2*idBits)
	}
	set.next, set.Spins = head.ID, head.Spins
	if err := set.Check(); err != nil {
		return fmt.Errorf("%w: %w", state.ErrDamaged, err)
	}
	m.Set, m.hit, m.Number = *set, nil, head.Next
	return nil
}

// Shown is what a picture of the frame made last needs.
func (m *Stage) Shown() stage.Shown {
	return stage.Shown{Points: m.points().Alive(), Origin: m.origin, H: m.H}
}

// Refit goes on with the same particles in voxels of another size, by which they are only
// counted.
func (m *Stage) Refit(from stage.Runner) error {
	o, ok := from.(*Stage)
	if !ok {
		return fmt.Errorf("%s held something else", m.Domain.Name)
	}
	m.Set, m.hit, m.Number = o.Set, nil, o.Number
	return nil
}
