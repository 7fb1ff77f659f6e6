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
	Density   float64   // kg/m³
	Viscosity float64   // Pa·s
	Heat      float64   // K
	Conducts  float64   // heat, W/(m K)
}

// Air is that of a room.
var Air = Fluid{Density: 1.2, Viscosity: 1.81e-5, Heat: 293, Conducts: 0.026}

// Field is a fluid with a velocity by place, on a staggered grid.
type Field struct {
	Fluid
	Grid    grid.Dims
	U, V, W *grid.Field // m/s on faces
	Excess  *grid.Field // K over Heat, in cells; nil: none
	H       float64     // m
	Origin  geom.Vec3   // the grid's corner
}

// World is what surrounds particles during a step.
type World struct {
	Gravity geom.Vec3 // m/s²
	Still   Fluid     // where none of the fields is
	Fields  []Field   // the first that reaches a place counts
	Pushes  []sim.Force
	Solids  []sim.Collider
	Contact Contact
	Bounds  *geom.Box // beyond which particles die; nil: there are none
	// Takes is the heat that a kilogram of a particle takes for a kelvin, J; 0: they keep
	// their temperature.
	Takes float64
}

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
	x, y, z [batch]float32    // in cells of a field
	u       [3][batch]float32 // of the fluid
	heat    [batch]float32    // of the fluid
	sampled [batch]float32
	of      [batch]*Fluid
}

// Step moves particles on for dt seconds. Those that die are marked; Sweep drops them.
func (s *Set) Step(dt float64, w *World, crew grid.Crew) Counts {
	n := s.Len()
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
		t.of[i], t.heat[i] = &w.Still, float32(w.Still.Heat)
		for c := range 3 {
			t.u[c][i] = float32(still[c])
		}
	}
	for m := len(w.Fields) - 1; m >= 0; m-- {
		s.field(t, lo, n, &w.Fields[m])
	}
}

// field is fluids for those within a field.
func (s *Set) field(t *room, lo, n int, f *Field) {
	inv := float32(1 / f.H)
	o := [3]float32{float32(f.Origin.X), float32(f.Origin.Y), float32(f.Origin.Z)}
	for c, to := range [3][]float32{t.x[:n], t.y[:n], t.z[:n]} {
		for i, p := range s.P[c][lo : lo+n] {
			to[i] = (p - o[c]) * inv
		}
	}
	nx, ny, nz := float32(f.Grid.NX), float32(f.Grid.NY), float32(f.Grid.NZ)
	all := true
	within := func(i int) bool {
		return t.x[i] >= 0 && t.y[i] >= 0 && t.z[i] >= 0 && t.x[i] < nx && t.y[i] < ny && t.z[i] < nz
	}
	some := false
	for i := range n {
		if within(i) {
			t.of[i], some = &f.Fluid, true
		} else {
			all = false
		}
	}
	if !some {
		return
	}
	take := func(to []float32, from *grid.Field, off [3]float32, add float32) {
		l := from.Lattice(off)
		l.Sample(t.sampled[:n], t.x[:n], t.y[:n], t.z[:n])
		for i, v := range t.sampled[:n] {
			if all || within(i) {
				to[i] = v + add
			}
		}
	}
	take(t.u[0][:n], f.U, [3]float32{0, 0.5, 0.5}, 0)
	take(t.u[1][:n], f.V, [3]float32{0.5, 0, 0.5}, 0)
	take(t.u[2][:n], f.W, [3]float32{0.5, 0.5, 0}, 0)
	if f.Excess != nil {
		take(t.heat[:n], f.Excess, [3]float32{0.5, 0.5, 0.5}, float32(f.Heat))
	}
}

// move is Step for the particles from lo to hi.
func (s *Set) move(t *room, lo, hi int, dt float32, w *World, solids []solid, c *Counts) {
	s.fluids(t, lo, hi, w)
	g := w.Gravity.Array()
	weight := w.Gravity.Len()
	for i := lo; i < hi; i++ {
		if s.State[i] == Dead {
			continue
		}
		if s.Age[i] += dt; s.Life[i] > 0 && s.Age[i] >= s.Life[i] {
			s.State[i] = Dead
			c.Deaths = append(c.Deaths, int32(i))
			continue
		}
		if s.State[i] == Stuck {
			s.ride(i, dt, solids)
			continue
		}
		k := i - lo
		v, u, f := [3]float32{s.V[0][i], s.V[1][i], s.V[2][i]}, [3]float32{t.u[0][k], t.u[1][k], t.u[2][k]}, t.of[k]
		rho, fluid := s.Density[i], float32(f.Density)
		lift := (rho - fluid) / max(rho+fluid/2, 1e-9)
		a := [3]float32{float32(g[0]) * lift, float32(g[1]) * lift, float32(g[2]) * lift}
		if len(w.Pushes) > 0 {
			p := geom.V(float64(s.P[0][i]), float64(s.P[1][i]), float64(s.P[2][i]))
			for m := range w.Pushes {
				if x := w.Pushes[m].Region.Weight(p); x > 0 {
					push := w.Pushes[m].At(p).Mul(x).Array()
					for c := range 3 {
						a[c] += float32(push[c])
					}
				}
			}
		}
		slow := newSlowing(s.Size[i], rho, fluid, float32(f.Viscosity))
		next, mean := slow.carried(v, u, a, dt)
		if w.Takes > 0 {
			s.warm(i, t.heat[k], f, slow.re*length(v[0]-u[0], v[1]-u[1], v[2]-u[2]), dt, w)
		}
		s.pass(i, next, mean, float64(dt), weight, w, solids, c)
	}
}

// pass moves a particle along its way, past solids and out of bounds.
func (s *Set) pass(i int, v, mean [3]float32, dt, weight float64, w *World, solids []solid, c *Counts) {
	if len(solids) > 0 {
		p := geom.V(float64(s.P[0][i]), float64(s.P[1][i]), float64(s.P[2][i]))
		way := geom.V(float64(mean[0]), float64(mean[1]), float64(mean[2])).Mul(dt)
		r := float64(s.Size[i]) / 2
		if near(solids, p, way, r) {
			end, after, met := follow(solids, &w.Contact, p, geom.V(float64(v[0]), float64(v[1]), float64(v[2])), way, r, dt, weight)
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
			s.leave(i, w, c)
			return
		}
	}
	for k := range 3 {
		s.P[k][i] += mean[k] * float32(dt)
		s.V[k][i] = v[k]
		s.Turn[k][i] += s.Spin[k][i] * float32(dt)
	}
	s.leave(i, w, c)
}

// near tells that a solid may lie on a way: for most particles none does.
func near(solids []solid, p, way geom.Vec3, r float64) bool {
	q := p.Add(way)
	box := geom.Box{Min: p.Min(q), Max: p.Max(q)}.Grow(r + gap)
	for m := range solids {
		o := &solids[m]
		if o.moves || box.Overlaps(o.box) {
			return true
		}
	}
	return false
}

// leave lets a particle die that is out of bounds, and notes how fast it is.
func (s *Set) leave(i int, w *World, c *Counts) {
	v := float64(length(s.V[0][i], s.V[1][i], s.V[2][i]))
	c.Fastest = max(c.Fastest, v)
	b := w.Bounds
	if s.State[i] == Dead || b == nil {
		return
	}
	x, y, z := float64(s.P[0][i]), float64(s.P[1][i]), float64(s.P[2][i])
	if x < b.Min.X || y < b.Min.Y || z < b.Min.Z || x > b.Max.X || y > b.Max.Y || z > b.Max.Z {
		s.State[i] = Dead
		c.Deaths = append(c.Deaths, int32(i))
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

// warm takes a particle's temperature towards that of the fluid at its place: heat flows
// by Nu = 2 + 0.6 Re^½ Pr^⅓ (Ranz and Marshall 1952), with a Prandtl number of 0.71.
func (s *Set) warm(i int, fluid float32, f *Fluid, re, dt float32, w *World) {
	nu := 2 + 0.535*math.Sqrt(float64(re))
	d := float64(s.Size[i])
	rate := 6 * nu * f.Conducts / (float64(s.Density[i]) * w.Takes * d * d)
	left, _ := faded(float32(min(rate*float64(dt), 1e9)))
	s.Heat[i] = fluid + (s.Heat[i]-fluid)*left
}
