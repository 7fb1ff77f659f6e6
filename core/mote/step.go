package mote

import (
	"math"

	"zarf/core/geom"
	"zarf/core/grid"
	"zarf/core/sim"
	"zarf/core/vec"
)

// Fluid is what particles live in: where nothing else is, still air or a wind.
type Fluid struct {
	Velocity  geom.Vec3 // m/s, where there is no field
	Density   float32   // kg/m³
	Viscosity float32   // Pa·s
	Heat      float32   // K
	Conducts  float32   // heat, W/(m K)
}

// Air is that of a room.
var Air = Fluid{Density: 1.2, Viscosity: 1.81e-5, Heat: 293, Conducts: 0.026}

// Field is a fluid with a velocity by place.
type Field struct {
	Fluid
	Grid    grid.Dims
	U, V, W *grid.Field // m/s, on faces
	Centred bool        // no, in cells
	Excess  *grid.Field // K over Heat, in cells; nil: none
	Full    *grid.Field // the share of cells that it fills: under a half there is none of it; nil: all
	H       float64     // m
	Origin  geom.Vec3   // the grid's corner
}

// World is what surrounds particles during a step.
type World struct {
	Gravity geom.Vec3  // m/s²
	Still   Fluid      // where none of the fields is
	Fields  []Field    // the first that reaches a place counts
	Winds   []sim.Wind // they move the air where no field is
	Pushes  []sim.Force
	Wishes  []Wish
	Solids  []sim.Collider
	Contact Contact
	Bounds  *geom.Box // beyond which particles die; nil: there are none
	Pushed  bool      // the fluid is: momentum that drag takes goes to Set.Impulse
	// Takes is the heat that a kilogram of a particle takes for a kelvin, J; 0: they keep
	// their temperature.
	Takes float64
}

// Wish draws particles towards a velocity.
type Wish func(p geom.Vec3) (v geom.Vec3, rate float64) // m/s, 1/s; of several threads at once

// Counts are what a step did.
type Counts struct {
	Hits, Deaths []int32 // rows, in their order; one is hit once a step at most
	Fastest      float64 // m/s
}

// batch is how many particles go through a step together: what they need stays in the
// first cache.
const batch = vec.Batch

// room is what a batch needs.
type room struct {
	x, y, z       [batch]float32 // in cells of a field
	heat          [batch]float32 // of the fluid
	sampled       [batch]float32
	of            [batch]*Fluid
	size, density [batch]float32
	was, u, a     vec.Three // velocity, that of the fluid, what pushes besides drag in m/s²
	v, mean       vec.Three // at the end of the step, and over it

	k, other, left, m, rise [batch]float32
	told, in                [batch]bool
}

// Step moves particles on for dt seconds. Those that die are marked; Sweep drops them.
func (s *Set) Step(dt float64, w *World, crew grid.Crew) Counts {
	n := s.Len()
	if w.Pushed {
		for c := range s.Impulse {
			s.Impulse[c] = append(s.Impulse[c], make([]float32, n-len(s.Impulse[c]))...)
		}
	}
	solids := newSolids(w.Solids)
	pieces := (n + batch - 1) / batch
	part := make([]Counts, pieces)
	crew.For(pieces, 1, func(lo, hi int) {
		t := new(room)
		for k := lo; k < hi; k++ {
			s.move(t, k*batch, min((k+1)*batch, n), float32(dt), w, solids, &part[k])
		}
	})
	var all Counts
	for _, c := range part {
		all.Hits = append(all.Hits, c.Hits...)
		all.Deaths = append(all.Deaths, c.Deaths...)
		all.Fastest = max(all.Fastest, c.Fastest)
	}
	return all
}

// fluids finds what the particles from lo to hi are in.
func (s *Set) fluids(t *room, lo, hi int, w *World) {
	n := hi - lo
	still := w.Still.Velocity.Array()
	for i := range n {
		t.of[i], t.heat[i] = &w.Still, w.Still.Heat
		for c := range 3 {
			t.u[c][i] = float32(still[c])
		}
	}
	for m := len(w.Fields) - 1; m >= 0; m-- {
		s.field(t, lo, n, &w.Fields[m])
	}
	for m := range w.Winds {
		for i := range n {
			if t.of[i] != &w.Still {
				continue
			}
			x := w.Winds[m].Region.Weight(s.place(lo + i))
			for c, v := range w.Winds[m].Velocity.Array() {
				t.u[c][i] += float32(v * x)
			}
		}
	}
}

// place is where a particle is.
func (s *Set) place(i int) geom.Vec3 {
	return geom.V(float64(s.P[0][i]), float64(s.P[1][i]), float64(s.P[2][i]))
}

// field is fluids for those within a field.
func (s *Set) field(t *room, lo, n int, f *Field) {
	inv := float32(1 / f.H)
	o := [3]float32{float32(f.Origin.X), float32(f.Origin.Y), float32(f.Origin.Z)}
	size := [3]float32{float32(f.Grid.NX), float32(f.Grid.NY), float32(f.Grid.NZ)}
	all := true
	for c, to := range [3][]float32{t.x[:n], t.y[:n], t.z[:n]} {
		for i, p := range s.P[c][lo : lo+n] {
			to[i] = (p - o[c]) * inv
		}
		least, most := t.ends(to)
		if !(most >= 0 && least < size[c]) {
			return
		}
		all = all && least >= 0 && most < size[c]
	}
	if all = all && f.Full == nil; all {
		for i := range n {
			t.of[i] = &f.Fluid
		}
	} else if !t.within(n, size, f) {
		return
	}
	take := func(to []float32, from *grid.Field, off [3]float32, add float32) {
		l := from.Lattice(off)
		into := to
		if !all {
			into = t.sampled[:n]
		}
		l.Sample(into, t.x[:n], t.y[:n], t.z[:n])
		if all && add == 0 {
			return
		}
		for i := range to {
			if all || t.in[i] {
				to[i] = into[i] + add
			}
		}
	}
	off := f.offsets()
	take(t.u[0][:n], f.U, off[0], 0)
	take(t.u[1][:n], f.V, off[1], 0)
	take(t.u[2][:n], f.W, off[2], 0)
	if f.Excess != nil {
		take(t.heat[:n], f.Excess, [3]float32{0.5, 0.5, 0.5}, f.Heat)
	}
}

// offsets are where the values of U, V and W lie in their cells.
func (f *Field) offsets() [3][3]float32 {
	if f.Centred {
		return [3][3]float32{{0.5, 0.5, 0.5}, {0.5, 0.5, 0.5}, {0.5, 0.5, 0.5}}
	}
	return [3][3]float32{{0, 0.5, 0.5}, {0.5, 0, 0.5}, {0.5, 0.5, 0}}
}

// within finds which of n particles are in a field of so many cells, and says whether any is.
func (t *room) within(n int, size [3]float32, f *Field) (some bool) {
	if f.Full != nil {
		l := f.Full.Lattice([3]float32{0.5, 0.5, 0.5})
		l.Sample(t.sampled[:n], t.x[:n], t.y[:n], t.z[:n])
	}
	for i := range n {
		x, y, z := t.x[i], t.y[i], t.z[i]
		t.in[i] = x >= 0 && y >= 0 && z >= 0 && x < size[0] && y < size[1] && z < size[2] && (f.Full == nil || t.sampled[i] >= 0.5)
		if t.in[i] {
			t.of[i], some = &f.Fluid, true
		}
	}
	return some
}

// ends are the least and the largest of a row.
func (t *room) ends(row []float32) (least, most float32) {
	vec.Times(t.sampled[:len(row)], row, -1)
	least, _ = vec.Largest(t.sampled[:len(row)])
	most, _ = vec.Largest(row)
	return -least, most
}

// move is Step for the particles from lo to hi.
func (s *Set) move(t *room, lo, hi int, dt float32, w *World, solids []solid, c *Counts) {
	for i := lo; i < hi; i++ {
		if s.State[i] == Dead {
			continue
		}
		if s.Age[i] += dt; s.Life[i] > 0 && s.Age[i] >= s.Life[i] {
			s.State[i] = Dead
			c.Deaths = append(c.Deaths, int32(i))
		}
	}
	s.fluids(t, lo, hi, w)
	s.push(t, lo, hi, dt, w)
	for c := range 3 {
		copy(t.was[c][:], s.V[c][lo:hi])
	}
	copy(t.size[:], s.Size[lo:hi])
	copy(t.density[:], s.Density[lo:hi])
	t.drag(hi-lo, dt)
	if w.Pushed {
		s.react(t, lo, hi, dt)
	}
	if w.Takes > 0 {
		s.warm(t, lo, hi, dt, w)
	}
	s.pass(t, lo, hi, float64(dt), w, within(solids, s.reach(t, lo, hi, dt)), solids, c)
}

// push is weight less lift, the pushes, and the wishes.
func (s *Set) push(t *room, lo, hi int, dt float32, w *World) {
	g := w.Gravity.Array()
	for i := lo; i < hi; i++ {
		rho, fluid := s.Density[i], t.of[i-lo].Density
		lift := (rho - fluid) / max(rho+fluid/2, 1e-9)
		for c := range 3 {
			t.a[c][i-lo] = float32(g[c]) * lift
		}
	}
	for m := range w.Pushes {
		f := &w.Pushes[m]
		for i := lo; i < hi; i++ {
			p := s.place(i)
			if x := f.Region.Weight(p); x > 0 {
				push := f.At(p).Mul(x).Array()
				for c := range 3 {
					t.a[c][i-lo] += float32(push[c])
				}
			}
		}
	}
	for _, wish := range w.Wishes {
		for i := lo; i < hi; i++ {
			v, rate := wish(s.place(i))
			// as much as is left of the way to it after dt
			k := (1 - math.Exp(-rate*float64(dt))) / float64(dt)
			for c, x := range v.Array() {
				t.a[c][i-lo] += float32(k) * (float32(x) - s.V[c][i])
			}
		}
	}
}

// react adds to the impulse what drag has taken: all of the change of velocity but for what
// pushes gave, times the mass, that of the fluid moved along included.
func (s *Set) react(t *room, lo, hi int, dt float32) {
	for i := lo; i < hi; i++ {
		n := i - lo
		if s.State[i] != Flying {
			continue
		}
		d := t.size[n]
		m := (t.density[n] + t.of[n].Density/2) * math.Pi / 6 * d * d * d
		for c := range 3 {
			s.Impulse[c][i] += m * (t.was[c][n] + t.a[c][n]*dt - t.v[c][n])
		}
	}
}

// reach is a box that holds a batch's ways.
func (s *Set) reach(t *room, lo, hi int, dt float32) geom.Box {
	n := hi - lo
	var least, most [3]float64
	for c := range 3 {
		a, b := t.ends(s.P[c][lo:hi])
		back, on := t.ends(t.mean[c][:n])
		least[c], most[c] = float64(a+min(back, 0)*dt), float64(b+max(on, 0)*dt)
	}
	size, _ := vec.Largest(t.size[:n])
	return geom.Box{Min: geom.FromArray(least), Max: geom.FromArray(most)}.Grow(float64(size)/2 + gap)
}

// within are the solids that may be met within a box.
func within(solids []solid, b geom.Box) (out []solid) {
	for i := range solids {
		if b.Overlaps(solids[i].swept) {
			return solids // their order and number matter to none that isn't met
		}
	}
	return nil
}

// pass moves a batch along its ways, past the solids that are near, and out of bounds; all
// are those that particles may ride on.
func (s *Set) pass(t *room, lo, hi int, dt float64, w *World, near, all []solid, c *Counts) {
	weight, h := w.Gravity.Len(), float32(dt)
	if near == nil && quiet(s.State[lo:hi]) {
		for k := range 3 {
			p, m := s.P[k][lo:hi], t.mean[k][:hi-lo]
			for i := range p {
				p[i] += m[i] * h
			}
			copy(s.V[k][lo:hi], t.v[k][:])
		}
	} else {
		for i := lo; i < hi; i++ {
			n := i - lo
			switch {
			case s.State[i] == Dead:
			case s.State[i] == Stuck:
				s.ride(i, h, all)
			case near != nil && s.near(t, i, n, near, h):
				s.meet(t, i, n, dt, weight, w, near, c)
			default:
				for k := range 3 {
					s.P[k][i] += t.mean[k][n] * h
					s.V[k][i] = t.v[k][n]
				}
			}
		}
	}
	if s.Spins {
		s.turn(lo, hi, h)
	}
	s.leave(lo, hi, w, c)
}

// quiet tells that all fly.
func quiet(states []uint8) bool {
	for _, st := range states {
		if st != Flying {
			return false
		}
	}
	return true
}

// turn turns those that spin.
func (s *Set) turn(lo, hi int, dt float32) {
	for k := range 3 {
		turn, spin := s.Turn[k][lo:hi], s.Spin[k][lo:hi]
		for i := range turn {
			if s.State[lo+i] == Flying {
				turn[i] += spin[i] * dt
			}
		}
	}
}

// near tells that a solid may lie on a way: for most particles none does.
func (s *Set) near(t *room, i, n int, solids []solid, dt float32) bool {
	r := s.Size[i]/2 + gap
	for m := range solids {
		b, off := &solids[m].small, false
		for c := range 3 {
			p := s.P[c][i]
			q := p + t.mean[c][n]*dt
			off = off || max(p, q)+r < b[0][c] || min(p, q)-r > b[1][c]
		}
		if !off {
			return true
		}
	}
	return false
}

// meet moves a particle past solids.
func (s *Set) meet(t *room, i, n int, dt, weight float64, w *World, solids []solid, c *Counts) {
	p := geom.V(float64(s.P[0][i]), float64(s.P[1][i]), float64(s.P[2][i]))
	way := geom.V(float64(t.mean[0][n]), float64(t.mean[1][n]), float64(t.mean[2][n])).Mul(dt)
	v := geom.V(float64(t.v[0][n]), float64(t.v[1][n]), float64(t.v[2][n]))
	end, after, met := follow(solids, &w.Contact, p, v, way, float64(s.Size[i])/2, dt, weight)
	if met {
		c.Hits = append(c.Hits, int32(i))
		switch {
		case w.Contact.Dies:
			s.State[i] = Dead
			c.Deaths = append(c.Deaths, int32(i))
		case w.Contact.Sticks:
			s.State[i] = Stuck
		}
	}
	e, a := end.Array(), after.Array()
	for k := range 3 {
		s.P[k][i], s.V[k][i] = float32(e[k]), float32(a[k])
	}
}

// leave lets particles die that are out of bounds, and notes how fast the fastest is.
func (s *Set) leave(lo, hi int, w *World, c *Counts) {
	x, y, z := s.V[0][lo:hi], s.V[1][lo:hi], s.V[2][lo:hi]
	var fastest float32
	for i := range x {
		if v := x[i]*x[i] + y[i]*y[i] + z[i]*z[i]; v > fastest {
			fastest = v
		}
	}
	c.Fastest = max(c.Fastest, math.Sqrt(float64(fastest)))
	if w.Bounds == nil {
		return
	}
	for i := lo; i < hi; i++ {
		p := geom.V(float64(s.P[0][i]), float64(s.P[1][i]), float64(s.P[2][i]))
		if s.State[i] != Dead && !w.Bounds.Contains(geom.Box{Min: p, Max: p}) {
			s.State[i] = Dead
			c.Deaths = append(c.Deaths, int32(i))
		}
	}
}

// ride moves a particle that sticks with the solid that it is nearest to.
func (s *Set) ride(i int, dt float32, solids []solid) {
	p := geom.V(float64(s.P[0][i]), float64(s.P[1][i]), float64(s.P[2][i]))
	var of *solid
	least := math.Inf(1)
	for m := range solids {
		if d := math.Abs(solids[m].Before.Distance(p)); d < least {
			of, least = &solids[m], d
		}
	}
	if of == nil || !of.moves {
		for k := range 3 {
			s.V[k][i] = 0
		}
		return
	}
	q := of.seen(p, 0)
	v, e := q.Sub(p).Mul(1/float64(dt)).Array(), q.Array()
	for k := range 3 {
		s.P[k][i], s.V[k][i] = float32(e[k]), float32(v[k])
	}
}

// warm takes the particles' temperature towards that of the fluid at their places: heat
// flows by Nu = 2 + 0.6 Re^½ Pr^⅓ (Ranz and Marshall 1952), with a Prandtl number of 0.71.
func (s *Set) warm(t *room, lo, hi int, dt float32, w *World) {
	for i := lo; i < hi; i++ {
		n := i - lo
		f := t.of[n]
		d := float64(s.Size[i])
		if s.State[i] != Flying || d <= 0 {
			continue
		}
		x, y, z := t.was[0][n]-t.u[0][n], t.was[1][n]-t.u[1][n], t.was[2][n]-t.u[2][n]
		speed := math.Sqrt(float64(x*x + y*y + z*z))
		nu := 2 + 0.535*math.Sqrt(float64(f.Density)*d*speed/float64(f.Viscosity))
		rate := 6 * nu * float64(f.Conducts) / (float64(s.Density[i]) * w.Takes * d * d)
		left := float32(math.Exp(-rate * float64(dt)))
		s.Heat[i] = t.heat[n] + (s.Heat[i]-t.heat[n])*left
	}
}
