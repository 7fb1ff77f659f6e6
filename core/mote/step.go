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
	Contact sim.Contact
	Bounds  *geom.Box // beyond which particles die; nil: there are none
	Pushed  bool      // the fluid is: momentum that drag takes goes to Set.Impulse
	// Takes is the heat that a kilogram of a particle takes for a kelvin, J; 0: they keep
	// their temperature.
	Takes float64
}

// Wish draws particles towards a velocity.
type Wish = sim.Wish

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
	off                     [batch]float32 // how far ways stay off solids
	apart                   []gone
}

// gone is where a particle ends that doesn't just go its way.
type gone struct {
	n    int // of the batch
	p, v [3]float32
}

func (t *room) keep(n int, p, v [3]float32) { t.apart = append(t.apart, gone{n, p, v}) }

func (s *Set) stands(i int) [3]float32 { return [3]float32{s.P[0][i], s.P[1][i], s.P[2][i]} }
func (s *Set) speed(i int) [3]float32  { return [3]float32{s.V[0][i], s.V[1][i], s.V[2][i]} }

// Step moves particles on for dt seconds. Those that die are marked; Sweep drops them.
func (s *Set) Step(dt float64, w *World, crew grid.Crew) Counts {
	n := s.Len()
	if w.Pushed {
		for c := range s.Impulse {
			s.Impulse[c] = append(s.Impulse[c], make([]float32, n-len(s.Impulse[c]))...)
		}
	}
	solids := sim.NewSolids(w.Solids)
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
	if len(w.Fields) == 1 { // as nearly always: what is beyond it is put right after
		f := &w.Fields[0]
		some, all := s.locate(t, lo, n, f)
		if !some {
			clear(t.in[:n])
		} else {
			t.take(n, f, w.Still.Heat, true)
		}
		if all {
			return
		}
		t.beyond(n, &w.Still)
	} else {
		clear(t.in[:n])
		t.beyond(n, &w.Still)
		for m := len(w.Fields) - 1; m >= 0; m-- {
			if some, all := s.locate(t, lo, n, &w.Fields[m]); some {
				t.take(n, &w.Fields[m], w.Still.Heat, all)
			}
		}
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

// beyond gives those of n particles that are in no field what is there.
func (t *room) beyond(n int, still *Fluid) {
	v := single(still.Velocity)
	for i := range n {
		if !t.in[i] {
			t.of[i], t.heat[i] = still, still.Heat
			t.u[0][i], t.u[1][i], t.u[2][i] = v[0], v[1], v[2]
		}
	}
}

// place is where a particle is.
func (s *Set) place(i int) geom.Vec3 {
	return geom.V(float64(s.P[0][i]), float64(s.P[1][i]), float64(s.P[2][i]))
}

// locate finds where n particles from row lo on are in a field, in cells, and says whether
// any of them, and whether all, are in it.
func (s *Set) locate(t *room, lo, n int, f *Field) (some, all bool) {
	inv := float32(1 / f.H)
	o := [3]float32{float32(f.Origin.X), float32(f.Origin.Y), float32(f.Origin.Z)}
	size := [3]float32{float32(f.Grid.NX), float32(f.Grid.NY), float32(f.Grid.NZ)}
	all = true
	for c, to := range [3][]float32{t.x[:n], t.y[:n], t.z[:n]} {
		for i, p := range s.P[c][lo : lo+n] {
			to[i] = (p - o[c]) * inv
		}
		least, most := t.ends(to)
		if !(most >= 0 && least < size[c]) {
			return false, false
		}
		all = all && least >= 0 && most < size[c]
	}
	if all = all && f.Full == nil; !all {
		return t.within(n, size, f), false
	}
	return true, true
}

// take reads a field for those of n particles that were found to be in it, or for all; heat is
// what they feel where the field doesn't tell.
func (t *room) take(n int, f *Field, heat float32, all bool) {
	for i := range n {
		if all || t.in[i] {
			t.of[i] = &f.Fluid
		}
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
		return
	}
	if all {
		for i := range n {
			t.heat[i] = heat
		}
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
		some = some || t.in[i]
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
func (s *Set) move(t *room, lo, hi int, dt float32, w *World, solids []sim.Solid, c *Counts) {
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
	lift := t.k[:hi-lo]
	for i, rho := range s.Density[lo:hi] {
		fluid := t.of[i].Density
		lift[i] = (rho - fluid) / max(rho+fluid/2, 1e-9)
	}
	for c, g := range w.Gravity.Array() {
		if a := t.a[c][:hi-lo]; g == 0 {
			clear(a)
		} else {
			vec.Times(a, lift, float32(g))
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
	return geom.Box{Min: geom.FromArray(least), Max: geom.FromArray(most)}.Grow(float64(size)/2 + sim.Gap)
}

// within are the solids that may be met within a box.
func within(solids []sim.Solid, b geom.Box) (out []sim.Solid) {
	for i := range solids {
		if b.Overlaps(solids[i].Swept) {
			return solids // their order and number matter to none that isn't met
		}
	}
	return nil
}

// pass moves a batch along its ways, past the solids that are near, and out of bounds; all
// are those that particles may ride on.
func (s *Set) pass(t *room, lo, hi int, dt float64, w *World, near, all []sim.Solid, c *Counts) {
	weight, h := w.Gravity.Len(), float32(dt)
	t.apart = t.apart[:0]
	if near != nil {
		s.near(t, lo, hi, near, h)
	}
	if flies := quiet(s.State[lo:hi]); !flies || near != nil {
		for i := lo; i < hi; i++ {
			n := i - lo
			switch st := s.State[i]; {
			case st == Dead:
				t.keep(n, s.stands(i), s.speed(i))
			case st == Stuck:
				s.ride(t, i, n, h, all)
			case near != nil && t.off[n] <= 0:
				s.meet(t, i, n, dt, weight, w, near, c)
			}
		}
	}
	for k := range 3 {
		vec.Move(s.P[k][lo:hi], t.mean[k][:hi-lo], h)
		copy(s.V[k][lo:hi], t.v[k][:])
	}
	for _, o := range t.apart {
		for k := range 3 {
			s.P[k][lo+o.n], s.V[k][lo+o.n] = o.p[k], o.v[k]
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

// near works out how far ways stay off the nearest of solids: for most particles far.
func (s *Set) near(t *room, lo, hi int, solids []sim.Solid, dt float32) {
	n := hi - lo
	one := t.other[:n] // of a solid
	for m := range solids {
		b := &solids[m].Small
		for i := range one {
			one[i] = -math.MaxFloat32
		}
		for c := range 3 {
			vec.Leeway(one, s.P[c][lo:hi], t.mean[c][:n], s.Size[lo:hi], dt, b[0][c], b[1][c], sim.Gap)
		}
		if m == 0 {
			copy(t.off[:n], one)
			continue
		}
		for i, v := range one {
			t.off[i] = min(t.off[i], v)
		}
	}
}

// meet moves a particle past solids.
func (s *Set) meet(t *room, i, n int, dt, weight float64, w *World, solids []sim.Solid, c *Counts) {
	p := geom.V(float64(s.P[0][i]), float64(s.P[1][i]), float64(s.P[2][i]))
	way := geom.V(float64(t.mean[0][n]), float64(t.mean[1][n]), float64(t.mean[2][n])).Mul(dt)
	v := geom.V(float64(t.v[0][n]), float64(t.v[1][n]), float64(t.v[2][n]))
	end, after, met := sim.Follow(solids, &w.Contact, p, v, way, float64(s.Size[i])/2, dt, weight)
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
	t.keep(n, single(end), single(after))
}

func single(v geom.Vec3) [3]float32 { return [3]float32{float32(v.X), float32(v.Y), float32(v.Z)} }

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
func (s *Set) ride(t *room, i, n int, dt float32, solids []sim.Solid) {
	p := s.place(i)
	var of *sim.Solid
	least := math.Inf(1)
	for m := range solids {
		if d := math.Abs(solids[m].Before.Distance(p)); d < least {
			of, least = &solids[m], d
		}
	}
	if of == nil || !of.Moves {
		t.keep(n, s.stands(i), [3]float32{})
		return
	}
	q := of.Seen(p, 0)
	t.keep(n, single(q), single(q.Sub(p).Mul(1/float64(dt))))
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
