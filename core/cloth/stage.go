package cloth

// A domain of cloth as something that is run: elements into sheets, pins and surroundings, the
// system into frames, the whole state to disk and back.

import (
	"fmt"
	"io"
	"math"

	"zarf/core/drop"
	"zarf/core/frame"
	"zarf/core/geom"
	"zarf/core/grid"
	"zarf/core/shot"
	"zarf/core/shot/val"
	"zarf/core/sim"
	"zarf/core/stage"
	"zarf/core/state"
)

// Stage runs one domain of cloth of a shot.
type Stage struct {
	stage.Cast
	sys    *System
	pieces []*piece

	dims   grid.Dims
	origin geom.Vec3
	drops  *drop.Set
	carry  carry

	hung  bool // what hangs before the first frame has
	blown *blown
}

var _ stage.Runner = (*Stage)(nil)

func newStage(s *shot.Shot, d *shot.Element, crew grid.Crew) (*Stage, error) {
	dims, h, origin := d.Grid()
	m := &Stage{Cast: stage.NewCast(s, d, crew), dims: dims, origin: origin}
	m.H = h
	at := m.At(0, 1/s.Rate())
	var sheets []Sheet
	for _, e := range stage.Sewn(s, d) {
		sheet, p, err := sew(at, e)
		if err != nil {
			return m, err
		}
		sheets, m.pieces = append(sheets, sheet), append(m.pieces, p)
	}
	if len(sheets) == 0 {
		return m, fmt.Errorf("%s has no cloth to simulate; add a Cloth that acts on it", d.Name)
	}
	var err error
	if m.sys, err = New(sheets, crew); err != nil {
		return m, err
	}
	m.carry.s, m.drops = m.sys, drop.New(val.DropSize.Of(d), val.DropDensity.Of(d))
	m.Scene(0, 1/s.Rate()) // files that can't be had are told before the first frame
	return m, m.Fault()
}

// Advance simulates one frame and returns its number.
func (m *Stage) Advance(stop func() bool) (int, sim.Stats, error) {
	st := sim.Stats{}
	lasts := m.Lasts()
	m.meetAgain()
	now := m.Now(float64(m.Number))
	steps := max(int(val.ClothSteps.At(m.Domain, now)), 1)
	dt := lasts / float64(steps)
	m.blow()
	m.dripAway()
	if !m.hung {
		if m.hang(stop) {
			return m.Number, st, sim.ErrStopped
		}
		m.hung = true
	}
	f := figures{}
	for t := 0.0; t < lasts-dt/1e6; {
		if stop != nil && stop() {
			return m.Number, st, sim.ErrStopped
		}
		step := min(m.step(dt, t), lasts-t)
		t += step
		at := m.At(m.Began()+t, step)
		w := m.world(at)
		m.pin(at)
		wet := m.pourIn(at, &f)
		if wet {
			m.carry.strike(m.drops, step)
			m.carry.load(m.drops, step, w.Gravity.Len())
			w.Newton = 2 // what is struck turns far within a step
		}
		did := m.sys.Step(step, w)
		if !(did.Fastest < 1e5) {
			return m.Number, st, fmt.Errorf("frame %d: cloth flew apart; give %s more steps a frame, or less stiff cloth", m.Number, m.Domain.Name)
		}
		if wet {
			m.carry.settle()
			f.dense = m.carry.pour(m.drops, step, m.rain(at, w), w.Solids, m.wetting(at)).Dense
			m.leave()
		}
		st.Substeps++
		st.Iterations += did.Rounds
		st.MaxSpeed = max(st.MaxSpeed, did.Fastest)
		if m.sys.Burns() {
			f.burning = m.sys.warm(step, m.blown.heat(), m.lit(at))
		}
		f.torn += did.Torn
		f.zones += did.Zones
	}
	if err := m.Fault(); err != nil {
		return m.Number, st, fmt.Errorf("frame %d: %w", m.Number, err)
	}
	m.sys.ash()
	f.put(m, &st)
	m.Number++
	return m.Number - 1, st, nil
}

// meetAgain finds the elements of pieces in the shot as it is by now: a draft's is another from frame to
// frame.
func (m *Stage) meetAgain() {
	for _, p := range m.pieces {
		if e := m.Shot.Element(p.e.ID); e != nil {
			p.e = e
		}
	}
}

// parted is into how many a step is parted at most where cloth whips, struck where drops are fast.
const parted, struck = 8, 64

// step is a step of dt seconds, t after the frame's beginning, or a part of it where faces would turn or
// be stretched by more than they are long, as what tears whips, or where drops would go farther than
// they are large: what strikes cloth would else press it in before what is round it gives way. The
// fastest in a hundred drops don't count: what was flung away isn't what strikes.
func (m *Stage) step(dt, t float64) float64 {
	n := min(dt*m.sys.Rate()/1.5, parted)
	fast := max(m.poured(t, dt), commonly(m.drops.V))
	if len(m.drops.P) > 0 { // what rests falls by less than a tenth of a drop before it is caught
		n = max(n, min(dt*math.Sqrt(val.Gravity.Of(m.Shot)/(0.1*m.drops.Spacing)), parted))
	}
	n = max(n, min(dt*fast/(1.2*m.drops.Spacing), struck))
	return dt / max(math.Ceil(n), 1)
}

// hang lets cloth come to rest before the first frame, if it is to; it reports that it was stopped.
func (m *Stage) hang(stop func() bool) bool {
	long := val.Hang.Of(m.Domain)
	if long == 0 || m.Number != stage.Start(m.Shot) {
		return false
	}
	const dt = 1.0 / 60
	w := m.world(m.At(0, dt))
	w.Air, w.Push, w.Calm = nil, nil, 2 // what swings is slowed within half a second
	for k := range w.Solids {           // they stand still
		w.Solids[k].Before = w.Solids[k].Shape
	}
	m.pin(m.At(0, 0))
	for t := 0.0; t < long; t += dt {
		if stop != nil && stop() {
			return true
		}
		m.sys.Step(dt, w)
	}
	m.sys.Place(m.sys.X)
	return false
}

// pin sends pins to where they are at a moment, and lets go of those that don't hold any more.
func (m *Stage) pin(at *stage.Moment) {
	for k, p := range m.pieces {
		first := m.sys.First[k]
		fab := fabricOf(p.e, at.Now, val.AirTemperature.Of(m.Shot))
		m.sys.Sheets[k].Fabric = fab
		if p.free {
			continue
		}
		if val.PinHold.At(p.e, at.Now) < 0.5 {
			for _, v := range p.pins {
				m.sys.Unpin(first + int(v))
			}
			p.free = true
			continue
		}
		to := m.Shot.PinnedTo(p.e)
		if to == p.e {
			form, err := p.e.Form(at.Now, 0)
			if err != nil {
				m.Blame(fmt.Errorf("%s: %w", p.e.Name, err))
				return
			}
			for _, v := range p.pins {
				m.sys.Pin(first+int(v), p.place(v, &form))
			}
			continue
		}
		was, now := at.Before(to), at.Form(to)
		for _, v := range p.pins {
			x := m.sys.X[first+int(v)]
			m.sys.Pin(first+int(v), geom.Carried(&was, &now, x))
		}
	}
}

// world is what surrounds cloth during a step.
func (m *Stage) world(at *stage.Moment) *World {
	d, now := m.Domain, at.Now
	scene := m.Scene(at.T, at.Dt)
	w := &World{Gravity: geom.V(0, -val.Gravity.At(m.Shot, now), 0), Calm: val.Damping.At(d, now), Solids: sim.NewSolids(m.Walls(scene.Colliders))}
	w.Push, w.Air = m.forces(at, &scene, val.WindsOn.Of(d) != "drops")
	return w
}

// forces are accelerations by place, m/s², and the air there, m/s and kg/m³: moved by winds and by
// what blows, or still.
func (m *Stage) forces(at *stage.Moment, scene *sim.Scene, winds bool) (push func(p geom.Vec3) geom.Vec3, air func(p geom.Vec3) (geom.Vec3, float64)) {
	density := val.AirDensity.At(m.Shot, at.Now)
	if !winds {
		return nil, func(geom.Vec3) (geom.Vec3, float64) { return geom.Vec3{}, density }
	}
	pushes, blows, blown := scene.Pushes(), scene.Winds, m.blown
	for i := range scene.Turbulences {
		pushes = append(pushes, scene.Turbulences[i].Stirs())
	}
	if len(pushes) > 0 {
		push = func(p geom.Vec3) (a geom.Vec3) {
			for i := range pushes {
				a = a.Add(pushes[i].At(p).Mul(pushes[i].Region.Weight(p)))
			}
			return a
		}
	}
	return push, func(p geom.Vec3) (v geom.Vec3, rho float64) {
		rho = density
		if blown != nil {
			var full float64
			if v, full = blown.at(p); blown.weight > 0 {
				rho += full * blown.weight
			}
		}
		for i := range blows {
			v = v.Add(blows[i].Velocity.Mul(blows[i].Region.Weight(p)))
		}
		return v, rho
	}
}

// figures are what a frame of cloth came to.
type figures struct {
	torn, zones, left int
	burning           int // vertices
	dense             float64
}

func (f *figures) put(m *Stage, st *sim.Stats) {
	s := m.sys
	lo, hi := geom.V(math.Inf(1), math.Inf(1), math.Inf(1)), geom.V(math.Inf(-1), math.Inf(-1), math.Inf(-1))
	for i, p := range s.X {
		if !s.bare[i] {
			lo, hi = lo.Min(p), hi.Max(p)
		}
	}
	most := 0.0
	for _, e := range s.Stretched() {
		most = max(most, e)
	}
	st.Low, st.High = lo.Array(), hi.Array()
	st.Top, st.Width = max(0, hi.Y-m.origin.Y), hi.X-lo.X
	for a, v := range map[sim.Amount]float64{Vertices: float64(len(s.X)), Stretch: 100 * most, Torn: float64(f.torn), Zones: float64(f.zones)} {
		st.Put(a, v)
	}
	held := 0.0
	for i, w := range s.Wet {
		held += w * s.area[i]
	}
	for a, v := range map[sim.Amount]float64{sim.Drops: float64(len(m.drops.P)), Dense: 100 * f.dense, Soaked: held, DropsLeft: float64(f.left), Burning: float64(f.burning)} {
		st.Put(a, v)
	}
	if len(s.X) > s.First[len(s.First)-1] { // something tore
		st.Put(Parts, float64(s.Pieces()))
	}
}

// Frame is the frame made last, as the cache keeps it: the mesh with all its numbers, and which
// voxels it is in, which other domains are fed by.
func (m *Stage) Frame() *frame.Frame {
	return &frame.Frame{Number: m.Number - 1, Points: m.points(), Grids: m.cover()}
}

// points are the vertices of the frame made last, and their faces.
func (m *Stage) points() *frame.Points {
	s := m.sys
	n := len(s.X)
	p := &frame.Points{Comment: fmt.Sprintf("metres, y up; cloth of frame %d; sheet −1 are particles", m.Number-1), P: make([][3]float32, n), V: make([][3]float32, n), Tri: s.Faces()}
	id, sheet, wet := make([]float32, n), make([]float32, n), make([]float32, n)
	strain, burnt := make([]float32, n), make([]float32, n)
	soaked := m.soaked()
	for i, e := range s.Stretched() {
		p.P[i] = [3]float32{float32(s.X[i].X), float32(s.X[i].Y), float32(s.X[i].Z)}
		p.V[i] = [3]float32{float32(s.V[i].X), float32(s.V[i].Y), float32(s.V[i].Z)}
		k, _ := s.Origin(i)
		id[i], sheet[i], strain[i], wet[i] = float32(i), float32(k), float32(e), float32(soaked[i])
		burnt[i] = float32(s.Burnt[i])
	}
	size, age, fell := make([]float32, n), make([]float32, n), make([]float32, n)
	for i, q := range m.drops.P {
		v := m.drops.V[i]
		p.P = append(p.P, [3]float32{float32(q.X), float32(q.Y), float32(q.Z)})
		p.V = append(p.V, [3]float32{float32(v.X), float32(v.Y), float32(v.Z)})
		id, sheet, strain, wet = append(id, float32(m.drops.ID[i])), append(sheet, -1), append(strain, 0), append(wet, 1)
		burnt = append(burnt, 0)
		size, age = append(size, float32(m.drops.Spacing)), append(age, float32(m.drops.Age[i]))
		if fell = append(fell, 0); m.drops.On[i] == dripped {
			fell[len(fell)-1] = 1
		}
	}
	add := func(name, unit string, v []float32) {
		p.Extra = append(p.Extra, frame.Attribute{Name: name, Unit: unit, V: v})
	}
	add("id", "", id)
	add(frame.Sheet, "", sheet)
	add(frame.Strain, "", strain)
	add(frame.Soaked, "", wet)
	if s.Burns() {
		add(frame.Burnt, "", burnt)
	}
	add("size", "m", size)
	add("age", "s", age)
	add(frame.Fell, "", fell)
	return p
}

// saved is the head of a saved state.
type saved struct {
	Next     int     `json:"next"`
	Key      string  `json:"key"`
	Hung     bool    `json:"hung"`
	Free     []bool  `json:"free"`
	System   Saved   `json:"system"`
	Drops    int     `json:"drops"`
	NextDrop uint32  `json:"next_drop"`
	Thirst   float64 `json:"thirst"`
}

// SaveState writes all that a resumed run needs to go on bit for bit.
func (m *Stage) SaveState(w io.Writer) error {
	head := saved{Next: m.Number, Key: stage.CoarseKey(m.Shot, m.Domain), Hung: m.hung, System: m.sys.Saved(), Drops: len(m.drops.P), NextDrop: m.drops.Next, Thirst: m.carry.thirst}
	for _, p := range m.pieces {
		head.Free = append(head.Free, p.free)
	}
	carried, poured := m.carried()
	return state.Write(w, head, arrays(m.sys.Save(), carried, poured), m.Crew.For)
}

func arrays(c *Columns, carried, poured []float32) []state.Array {
	return []state.Array{{Name: "vertices", V: c.Vertices}, {Name: "faces", V: c.Faces}, {Name: "carried", V: carried}, {Name: "drops", V: poured}}
}

// LoadState goes on from a saved state; own asks that the same values made it.
func (m *Stage) LoadState(r io.Reader, own bool) error {
	var head saved
	var in *Columns
	var carried, poured []float32
	err := state.Read(r, &head, func() ([]state.Array, error) {
		if own && head.Key != stage.CoarseKey(m.Shot, m.Domain) {
			return nil, fmt.Errorf("the saved state belongs to other values (key %s)", head.Key)
		}
		if h := head.System; h.Vertices < 0 || h.Vertices > MostVertices || h.Faces < 0 || h.Faces > 4*MostVertices || len(head.Free) != len(m.pieces) {
			return nil, fmt.Errorf("%w: %d vertices, %d faces, %d pieces", state.ErrDamaged, h.Vertices, h.Faces, len(head.Free))
		}
		if head.Drops < 0 || head.Drops > 1<<24 {
			return nil, fmt.Errorf("%w: %d drops", state.ErrDamaged, head.Drops)
		}
		in = head.System.NewColumns()
		carried, poured = make([]float32, 2*perCarried*head.System.Vertices), make([]float32, 2*perDrop*head.Drops)
		return arrays(in, carried, poured), nil
	})
	if err != nil {
		return err
	}
	if err := m.sys.Load(head.System, in); err != nil {
		return fmt.Errorf("%w: %w", state.ErrDamaged, err)
	}
	for k, p := range m.pieces {
		p.free = head.Free[k]
	}
	if err := m.carryOn(carried, poured, head.NextDrop); err != nil {
		return fmt.Errorf("%w: %w", state.ErrDamaged, err)
	}
	m.carry.thirst = head.Thirst
	m.hung, m.Number = head.Hung, head.Next
	return nil
}

// Shown is what a picture of the frame made last needs.
func (m *Stage) Shown() stage.Shown {
	return stage.Shown{Points: m.points(), Origin: m.origin, H: m.H}
}
