package mote

// What particles are carried by and born from: frames of other stages, read once for each
// frame that is made.

import (
	"zarf/core/frame"
	"zarf/core/geom"
	"zarf/core/grid"
	"zarf/core/noise"
	"zarf/core/shot"
	"zarf/core/shot/val"
	"zarf/core/sim"
	"zarf/core/stage"
)

// carried is the fluid that carries particles, at a frame.
type carried struct {
	of    *frame.Frame
	field Field
	more  map[string]*grid.Field // channels that particles read for their own
}

// water is what a liquid is to particles where its domain doesn't tell.
var water = Fluid{Density: 1000, Viscosity: 1e-3, Heat: 293, Conducts: 0.6}

// feed reads what carries the particles and what bears them, at the frame that is made next.
func (m *Stage) feed(lasts float64) {
	m.carried, m.sources = nil, map[string]any{}
	if by := m.Shot.Carrier(m.Domain); by != nil {
		if f := m.Fed(by, m.Number); f != nil {
			c, err := m.carry(f, by)
			m.Failed(err, by)
			if c != nil {
				m.Failed(m.further(c), by)
			}
			m.carried = c
		}
	}
	for _, e := range m.Bound() {
		by := m.Shot.FedBy(e, m.Domain)
		if e.Kind != shot.Emitter || by == nil {
			continue
		}
		f := m.Fed(by, m.Number)
		if f == nil {
			continue
		}
		if by.Kind == shot.Domain && by.Fluid().Key == Key || by.Kind == shot.Sequence && f.Points != nil {
			m.sources[e.ID] = parentsOf(f.Points, lasts)
			continue
		}
		src, err := m.source(e, by, f)
		m.Failed(err, by)
		if src != nil {
			m.sources[e.ID] = src
		}
	}
}

// carry makes a field of a fluid's frame; nil where it tells no velocity.
func (m *Stage) carry(f *frame.Frame, by *shot.Element) (*carried, error) {
	l, err := stage.LatticeOf(f, frame.Velocity, frame.Density, frame.Temperature)
	if l == nil || err != nil {
		return nil, err
	}
	v, err := l.Read(frame.Velocity)
	if len(v) != 3 || err != nil {
		return nil, err
	}
	c := &carried{of: f, field: Field{Fluid: Air, Grid: l.Dims, U: v[0], V: v[1], W: v[2], Centred: true, H: l.H, Origin: l.Origin}}
	now := m.Now(float64(m.Number))
	c.field.Density, c.field.Heat = float32(val.AirDensity.At(m.Shot, now)), float32(val.AirTemperature.At(m.Shot, now))
	if f.Grid(frame.Surface) != nil { // a liquid
		heat := c.field.Heat
		if c.field.Fluid = water; by.Kind == shot.Domain {
			c.field.Density, c.field.Viscosity = float32(val.Weight.At(by, now)), float32(val.Viscosity.At(by, now))
		}
		c.field.Heat = heat
		full, err := l.Read(frame.Density)
		if len(full) == 1 {
			c.field.Full = full[0]
		}
		return c, err
	}
	excess, err := l.Read(frame.Temperature)
	if len(excess) == 1 {
		c.field.Excess = excess[0]
	}
	return c, err
}

// further reads what particles take for their own channels.
func (m *Stage) further(c *carried) error {
	c.more = map[string]*grid.Field{}
	l, err := stage.LatticeOf(c.of, frame.Velocity, frame.Density, frame.Temperature)
	if err != nil {
		return err
	}
	for _, name := range []string{frame.Density, frame.Burn} {
		if !m.wants(name) {
			continue
		}
		f, err := l.Read(name)
		if err != nil {
			return err
		}
		if len(f) == 1 {
			c.more[name] = f[0]
		}
	}
	return nil
}

// source is where particles are born by a channel of a fluid; nil where the frame hasn't
// got it.
func (m *Stage) source(e, by *shot.Element, f *frame.Frame) (*Source, error) {
	where := val.FedWhere.Of(e)
	from := where
	if where == frame.Surface {
		from = frame.Density
	}
	l, err := stage.LatticeOf(f, from)
	if l == nil || err != nil {
		return nil, err
	}
	field, err := l.Read(where)
	if len(field) != 1 || err != nil {
		return nil, err
	}
	o := &Source{Field: field[0], H: l.H, Origin: l.Origin, When: whens[val.BirthWhen.Of(e)], Centred: true}
	if v, err := l.Read(frame.Velocity); len(v) == 3 && err == nil {
		o.Velocity = [3]*grid.Field{v[0], v[1], v[2]}
	}
	if o.When != Between {
		if o.Was, err = m.before(by, l, where); err != nil {
			return nil, err
		}
	}
	if heat, err := l.Read(frame.Temperature); len(heat) == 1 && err == nil && val.PlaceHeat.Of(e) {
		air := float32(val.AirTemperature.Of(m.Shot))
		o.Heat = grid.NewField(l.Dims)
		for i, t := range heat[0].Data {
			o.Heat.Data[i] = t + air
		}
	}
	return o, nil
}

var whens = map[string]When{"between": Between, "falls": Falls, "rises": Rises}

// before is a channel one frame earlier on the cells of l; nil where there was none, and
// then nothing has crossed a value.
func (m *Stage) before(by *shot.Element, l *stage.Lattice, where string) (*grid.Field, error) {
	f := m.Fed(by, m.Number-1)
	if f == nil {
		return nil, nil
	}
	return l.Other(f, where)
}

// parents are particles of another stage that others may be born of.
type parents struct {
	Set
	did   Counts
	first int // row of the first that was born in the frame
}

// parentsOf makes a set of a frame's particles: those that were born within the last lasts
// seconds at its end.
func parentsOf(p *frame.Points, lasts float64) *parents {
	out := new(parents)
	if p == nil {
		return out
	}
	get := func(name string) []float32 {
		if v := p.Of(name); v != nil {
			return v
		}
		return make([]float32, len(p.P))
	}
	id, more, age, heat, st, hit, size := get("id"), get("id_high"), get("age"), get("temperature"), get("state"), get("hit"), get("size")
	young := func(i int) bool { return float64(age[i]) < lasts*(1-1e-6) }
	rows := make([]int, 0, len(p.P))
	for _, want := range []bool{false, true} {
		if want {
			out.first = len(rows)
		}
		for i := range p.P {
			if young(i) == want {
				rows = append(rows, i)
			}
		}
	}
	out.Add(len(rows))
	for n, i := range rows {
		out.ID[n] = uint64(id[i]) | uint64(more[i])<<idBits
		for c := range 3 {
			out.P[c][n], out.V[c][n] = p.P[i][c], 0
			if p.V != nil {
				out.V[c][n] = p.V[i][c]
			}
		}
		out.Age[n], out.Heat[n], out.Size[n], out.State[n] = age[i], heat[i], size[i], uint8(st[i])
		if out.State[n] == Dead {
			out.did.Deaths = append(out.did.Deaths, int32(n))
		}
		if hit[i] > 0 {
			out.did.Hits = append(out.did.Hits, int32(n))
		}
	}
	return out
}

var moments = map[string]Moment{"along": Along, "birth": AtBirth, "age": AtAge, "death": AtDeath, "hit": OnHit}

// births lets particles be born in substep n of a frame that lasts so many seconds.
func (m *Stage) births(at *stage.Moment, n int, lasts float64, f *figures) {
	for _, e := range m.Bound() {
		if e.Kind != shot.Emitter {
			continue
		}
		em, ok := at.Emitter(e)
		if !ok {
			continue
		}
		limit := int(val.BirthLimit.At(e, at.Now))
		seed := m.Seed(e)
		when := m.Number*1024 + n
		var places []Place
		switch src := m.sources[e.ID].(type) {
		case *parents:
			if n == 0 { // what happened in the frame happened once
				o := Offspring{At: moments[val.BirthMoment.Of(e)], Age: val.BirthAge.At(e, at.Now), Count: val.BirthCount.At(e, at.Now), Limit: limit}
				places = o.Places(&src.Set, &src.did, src.first, lasts, m.Number, seed)
			}
		case *Source:
			if src.When == Between || n == 0 {
				o := *src
				o.Rate, o.Low, o.High, o.Limit = val.BirthDensity.At(e, at.Now), val.BirthLow.At(e, at.Now), val.BirthHigh.At(e, at.Now), share(limit, lasts, at.Dt)
				var found Found
				if places, found = o.Places(at.Dt, when, seed, m.Crew); found.Cells == 0 {
					f.none, f.low, f.high = true, float64(found.Low), float64(found.High)
				}
			}
		default:
			if val.From.Of(e) != "fluid" {
				form := Form{Emitter: em, Rate: val.BirthRate.At(e, at.Now), Limit: share(limit, lasts, at.Dt)}
				places = form.Places(at.Dt, when, seed)
			}
		}
		m.bearAll(e, at, masked(places, &em.Mask, seed, when), seed, f)
	}
}

// masked leaves of places those that a mask lets be, by chance where it fades.
func masked(places []Place, by *sim.Mask, seed uint64, when int) []Place {
	if !by.On {
		return places
	}
	out := places[:0]
	for n, p := range places {
		if w := by.Weight(p.P); w > 0 && float64(noise.Hash(seed, int64(when), int64(n), 6)>>11)/(1<<53) < w {
			out = append(out, p)
		}
	}
	return out
}

// share is the part of a frame's limit that a substep has.
func share(limit int, lasts, dt float64) int {
	if limit == 0 {
		return 0
	}
	return max(1, int(float64(limit)*dt/lasts+0.5))
}

// bearAll adds particles at places, as far as there is room for them, with the traits that
// an emitter gives. Each is born at a moment of its own within the substep, so that a fast
// stream has no gaps.
func (m *Stage) bearAll(e *shot.Element, at *stage.Moment, places []Place, seed uint64, f *figures) {
	if room := max(int(val.MostParticles.Of(m.Domain))-m.Len(), 0); len(places) > room {
		f.over += len(places) - room
		all := len(places)
		for n := range room {
			places[n] = places[n*all/room]
		}
		places = places[:room]
	}
	if len(places) == 0 {
		return
	}
	now := at.Now
	trait := func(v, s val.NumKey) Trait {
		x := v.At(e, now)
		return Trait{x, x * s.At(e, now)}
	}
	b := Born{Own: m.ownTraits(at), Life: trait(val.Life, val.LifeSpread), Size: trait(val.Diameter, val.DiameterSpread), Density: trait(val.SolidDensity, val.SolidSpread), Heat: trait(val.Temperature, val.TemperatureSpread),
		Inherit: val.Inherit.At(e, now), Speed: trait(val.Speed, val.SpeedSpread), Spin: 2 * 3.14159265358979 * val.Spin.At(e, now)}
	if val.From.Of(e) == "fluid" && val.PlaceHeat.Of(e) {
		b.Warm, b.Heat.Value = true, 0
	}
	m.aim(e, at, places)
	first := m.Bear(places, &b, seed, m.Crew)
	m.remember(first)
	f.births += len(places)
	push := geom.FromArray(val.Push.At(e, now)).Array()
	for i := first; i < m.Len(); i++ {
		early := float32(chance(seed, m.ID[i], 20) * at.Dt)
		m.Age[i] = early - float32(at.Dt)
		for c := range 3 {
			m.V[c][i] += float32(push[c])
			m.P[c][i] -= m.V[c][i] * (float32(at.Dt) - early)
		}
	}
}

// aim turns the way that particles leave by off the normal or the axis, by chance within the
// emitter's cone.
func (m *Stage) aim(e *shot.Element, at *stage.Moment, places []Place) {
	cone := val.Cone.At(e, at.Now)
	axis := val.Along.Of(e) == "axis"
	if val.From.Of(e) == "fluid" || cone >= 180 {
		for i := range places {
			places[i].Normal = geom.Vec3{}
		}
		return
	}
	form := at.Form(e)
	salt := noise.Hash(m.Seed(e), int64(m.Number), int64(at.Frame*1e4), 5)
	for i := range places {
		p := &places[i]
		if axis {
			p.Normal = form.Axis()
		} else if p.Normal == (geom.Vec3{}) {
			p.Normal = form.Normal(p.P)
		}
		p.Normal = tilted(p.Normal, cone, chance(salt, uint64(i), 0), chance(salt, uint64(i), 1))
	}
}
