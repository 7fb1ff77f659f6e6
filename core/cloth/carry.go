package cloth

import (
	"math"
	"slices"

	"zarf/core/drop"
	"zarf/core/geom"
	"zarf/core/sim"
)

// Wetting is how cloth and drops meet.
type Wetting struct {
	Soaks   []float64 // kg/m² that each sheet holds
	Wets    float64   // cosine of the angle at which drops meet it
	Tension float64   // N/m
	Takes   float64   // s in which a dry one takes up half of what touches it; 0: 0.3
}

// carry is what drops and cloth give each other between two steps of cloth.
//
// Drops that are about to strike cloth first share their motion with it, each with the vertices that
// it strikes, as what doesn't bounce. Then cloth is solved under the load of the step before, and then
// drops, off where cloth has come to: what they are moved by there is the next load, to the last newton
// second. As drops may weigh much more than cloth, a load that only follows would shake it (the
// instability of added mass, Causin, Gerbeau and Nobile 2005): so cloth is solved as if what touches
// it moved with it. What that takes of its momentum is given back with the next load, which holds the
// same with the other sign where drops did move with it.
type carry struct {
	s      *System
	given  []geom.Vec3 // N s, to each vertex by the drops' step
	owed   []geom.Vec3 // N s
	was    []geom.Vec3 // velocity before the cloth's step
	touch  []float64   // kg of drops that touch
	blow   []float64   // kg of drops that strike
	above  []float64   // kg of drops that lie over it, one on another
	soft   []float64   // Extra, smoothed
	ahead  []geom.Vec3
	foot   foot
	under  []pressed // of the drop at hand
	thirst float64   // kg that cloth has taken up, and no drop has lost yet
}

// lately is the share of a step in the mean of what presses.
const lately = 0.15

func (c *carry) fit() {
	n := len(c.s.X)
	for _, v := range []*[]geom.Vec3{&c.given, &c.owed, &c.was} {
		*v = append(*v, make([]geom.Vec3, n-len(*v))...)
	}
	c.soft = append(c.soft, make([]float64, n-len(c.soft))...)
	c.touch = append(c.touch, make([]float64, n-len(c.touch))...)
	c.blow = append(c.blow, make([]float64, n-len(c.blow))...)
	c.above = append(c.above, make([]float64, n-len(c.above))...)
}

// load puts what was given on the cloth, for a step of dt seconds under a gravity of g.
func (c *carry) load(d *drop.Set, dt, g float64) {
	c.fit()
	s := c.s
	fast := commonly(d.V) + 1
	j := c.was // that of before isn't wanted any more
	for i := range s.X {
		j[i] = c.given[i].Add(c.owed[i])
		c.owed[i] = geom.Vec3{}
		// what has pressed for a while as it does weighs so much; what strikes is what touches
		now := c.given[i].Len() / (dt * max(g, 9.81))
		c.soft[i] = min(c.soft[i]+lately*(now-c.soft[i]), 1.5*now)
		if s.Extra[i] = min(c.soft[i], c.above[i]) + max(c.touch[i], c.blow[i]); s.Extra[i] < 1e-9 {
			s.Extra[i] = 0
		}
	}
	for i := range s.X {
		// a drop that has left again leaves what it pressed with on little cloth: no more than makes that as
		// fast as drops are stays there, and the rest goes on to what is beside it
		if l, most := j[i].Len(), (s.Mass[i]+s.Extra[i])*fast; l > most {
			over := j[i].Mul(1 - most/l)
			if c.pass(i, over) {
				j[i] = j[i].Sub(over)
			}
		}
		s.Bears[i] = j[i].Mul(1 / dt)
		if s.Extra[i] > 0 || s.Bears[i] != (geom.Vec3{}) {
			s.smooth = 0 // blows aren't smooth
		}
	}
	copy(c.was, s.V)
}

// commonly is the speed that ninety-nine in a hundred drops don't go beyond, m/s.
func commonly(v []geom.Vec3) float64 {
	if len(v) == 0 {
		return 0
	}
	speed := make([]float64, len(v))
	for i, v := range v {
		speed[i] = v.Dot(v)
	}
	slices.Sort(speed)
	return math.Sqrt(speed[(len(v)-1)*99/100])
}

// pass hands an impulse on to those that a vertex shares faces with, for the next step; it reports
// that there are some.
func (c *carry) pass(i int, by geom.Vec3) bool {
	s := c.s
	from, to := s.round.start[i], s.round.start[i+1]
	if from == to {
		return false
	}
	by = by.Mul(1 / float64(2*(to-from)))
	for _, at := range s.round.at[from:to] {
		v := s.faces[at/3].v
		for k := int32(1); k < 3; k++ {
			o := v[(at%3+k)%3]
			c.owed[o] = c.owed[o].Add(by)
		}
	}
	return true
}

// settle notes what the cloth's step owes.
func (c *carry) settle() {
	s := c.s
	c.fit()
	bears := false
	for i := range s.solved { // what tore since has none
		by := s.solved[i].Sub(c.was[i])
		if x := s.Extra[i]; x > 0 && !s.Pinned(i) && s.held[i].by == 0 { // else a solid has it
			c.owed[i] = c.owed[i].Add(by.Mul(x))
		}
		bears = bears || s.Bears[i] != (geom.Vec3{})
	}
	if bears { // a blow is over with the step; the second order isn't to carry it on
		copy(s.oldV, s.V)
	}
	clear(c.given)
	clear(c.touch)
	clear(c.blow)
}

// strike lets drops that would come to cloth within dt seconds share their motion along its normal
// with the vertices there.
func (c *carry) strike(d *drop.Set, dt float64) {
	s := c.s
	c.fit()
	if len(d.P) == 0 {
		return
	}
	s.mark() // as a resumed run does, which has no step before
	c.foot.find(s, d.Spacing)
	c.ahead = slices.Grow(c.ahead[:0], len(s.X))[:len(s.X)]
	for i, x := range s.X {
		c.ahead[i] = x.Add(s.V[i].Mul(dt))
	}
	s.tree.enclose(s.faces, s.X, c.ahead, d.Spacing/2, s.crew)
	near := make([]int32, len(d.P))
	s.crew.For(len(d.P), 64, func(lo, hi int) {
		for i := lo; i < hi; i++ {
			near[i] = c.struck(d.P[i], d.V[i], dt, d.Spacing)
		}
	})
	for i, f := range near {
		if f >= 0 {
			c.share(f, d, i)
		}
	}
}

// struck is the face that a drop comes to first; −1: none.
func (c *carry) struck(p, v geom.Vec3, dt, space float64) int32 {
	s := c.s
	q := p.Add(v.Mul(dt))
	box := geom.Box{Min: p.Min(q), Max: p.Max(q)}.Grow(space / 2)
	best, first := int32(-1), 2.0
	s.tree.touching(&box, func(k int32) {
		f := &s.faces[k]
		a, b, d := s.X[f.v[0]], s.X[f.v[1]], s.X[f.v[2]]
		u, w := onTriangle(p, a, b, d)
		way := p.Sub(mix(a, b, d, u, w))
		far := way.Len()
		if far < 1e-12 {
			return
		}
		n := way.Mul(1 / far)
		against := mix(s.V[f.v[0]], s.V[f.v[1]], s.V[f.v[2]], u, w).Sub(v).Dot(n)
		if against <= 0 {
			return
		}
		if t := max(far-space/2, 0) / (against * dt); t < min(first, 1) {
			best, first = k, t
		}
	})
	return best
}

// share makes a drop and what is under it of the face that it strikes go on as one along the way
// between them.
func (c *carry) share(face int32, d *drop.Set, i int) {
	s := c.s
	v := s.faces[face].v
	u, w := onTriangle(d.P[i], s.X[v[0]], s.X[v[1]], s.X[v[2]])
	shares := [3]float64{1 - u - w, u, w}
	n := d.P[i].Sub(mix(s.X[v[0]], s.X[v[1]], s.X[v[2]], u, w)).Unit()
	c.under = c.under[:0]
	for k, share := range shares {
		c.foot.under(v[k], func(o int32, w float64) { c.press(o, share*w) })
	}
	light, moves := 1/d.Mass(), geom.Vec3{}
	for _, p := range c.under {
		moves = moves.Add(s.V[p.v].Mul(p.share))
		if !s.Pinned(int(p.v)) {
			light += p.share * p.share / s.Mass[p.v]
		}
	}
	against := moves.Sub(d.V[i]).Dot(n)
	if against <= 0 {
		return // it has been carried off since
	}
	j := n.Mul(against / light)
	d.V[i] = d.V[i].Add(j.Mul(1 / d.Mass()))
	for _, p := range c.under {
		c.blow[p.v] += p.share * d.Mass()
		if at := p.v; !s.Pinned(int(at)) {
			by := j.Mul(-p.share / s.Mass[at])
			s.V[at], s.oldV[at] = s.V[at].Add(by), s.oldV[at].Add(by)
		}
	}
}

// pressed is a vertex under a drop, and its share of what the drop does.
type pressed struct {
	v     int32
	share float64
}

// press adds to the share of a vertex.
func (c *carry) press(v int32, share float64) {
	for k := range c.under {
		if c.under[k].v == v {
			c.under[k].share += share
			return
		}
	}
	c.under = append(c.under, pressed{v, share})
}

// meeting finds what drops meet: cloth on its way from where it was to where it is, and solids.
type meeting struct {
	s      *System
	solids []sim.Solid
	reach  float64 // m
	space  float64 // m
	dt     float64
	wets   float64
}

// most contacts of a drop
const mostMet = 5

// near appends the nodes of faces that drops within a box may meet.
func (m *meeting) near(list []int32, box geom.Box) []int32 {
	box = box.Grow(m.reach)
	m.s.tree.leaves(&box, func(node int32) { list = append(list, node) })
	return list
}

// touching calls fn for the faces of nodes whose boxes overlap another.
func (m *meeting) touching(near []int32, box *geom.Box, fn func(face int32)) {
	t := m.s.tree
	for _, node := range near {
		if t.box[node].Overlaps(*box) {
			fn(t.face[node])
		}
	}
}

// find appends the contacts of a drop that goes from p to q.
func (m *meeting) find(list []drop.Contact, near []int32, _ int, p, q geom.Vec3) []drop.Contact {
	for k := range m.solids {
		s := &m.solids[k]
		d := s.Shape.Distance(q)
		if d >= m.reach {
			continue
		}
		n := s.Shape.Normal(q)
		at := q.Sub(n.Mul(d))
		list = append(list, drop.Contact{N: n, C: at, V: s.Velocity(at, m.dt), Mu: s.Friction, Wets: -1, Who: -1})
	}
	// what is farther from all of the way than a spacing, and than the nearest face is from its end,
	// adds nothing that the nearest doesn't; what was nearest is looked at first by the next drop
	t := m.s.tree
	box := geom.Box{Min: p.Min(q), Max: p.Max(q)}
	least, first := m.reach, 0
	for k, node := range near {
		if limit := max(least, m.space); gap2(&t.box[node], &box) > limit*limit {
			continue
		}
		var far float64
		if list, far = m.face(list, t.face[node], p, q); far < least {
			least, first = far, k
		}
	}
	if first > 0 {
		near[0], near[first] = near[first], near[0]
	}
	return list
}

// gap2 is the square of the distance between two boxes, m².
func gap2(a, b *geom.Box) float64 {
	x := max(a.Min.X-b.Max.X, b.Min.X-a.Max.X, 0)
	y := max(a.Min.Y-b.Max.Y, b.Min.Y-a.Max.Y, 0)
	z := max(a.Min.Z-b.Max.Z, b.Min.Z-a.Max.Z, 0)
	return x*x + y*y + z*z
}

// face adds a contact with a face, unless a nearer one looks the same way, and tells how far that is.
func (m *meeting) face(list []drop.Contact, face int32, p, q geom.Vec3) ([]drop.Contact, float64) {
	s := m.s
	f := &s.faces[face]
	a, b, c := s.X[f.v[0]], s.X[f.v[1]], s.X[f.v[2]]
	u, v := onTriangle(q, a, b, c)
	at := mix(a, b, c, u, v)
	way := q.Sub(at)
	far := way.Len()
	if far >= m.reach {
		return list, far
	}
	n := m.side(face, p)
	inside := u > 1e-9 && v > 1e-9 && u+v < 1-1e-9
	d := way.Dot(n)
	if !inside && far > 1e-9 && d > -0.5*far {
		n = way.Unit()
		d = far
	}
	if d >= m.reach || d < -m.reach {
		return list, far
	}
	was := mix(s.oldX[f.v[0]], s.oldX[f.v[1]], s.oldX[f.v[2]], u, v)
	one := drop.Contact{N: n, C: at, V: at.Sub(was).Mul(1 / m.dt), Mu: s.Sheets[f.of].Fabric.Friction, Wets: m.wets, Who: face, Share: [2]float64{u, v}, Rim: !inside}
	for k := range list {
		o := &list[k]
		switch {
		case o.Who < 0:
		case o.Rim && one.Rim: // one of these at most
			if q.Sub(o.C).Dot(o.N) > d {
				*o = one
			}
			return list, far
		case o.Rim: // a face that is met within counts for more
			*o = one
			return list, far
		case one.Rim:
			return list, far
		case o.N.Dot(n) > 0.8:
			if q.Sub(o.C).Dot(o.N) > d {
				*o = one
			}
			return list, far
		}
	}
	if len(list) < mostMet {
		list = append(list, one)
	}
	return list, far
}

// side is a face's normal at the step's end, towards the side on which p lay at its beginning.
func (m *meeting) side(face int32, p geom.Vec3) geom.Vec3 {
	s := m.s
	v := s.faces[face].v
	a, b, c := s.oldX[v[0]], s.oldX[v[1]], s.oldX[v[2]]
	was := b.Sub(a).Cross(c.Sub(a))
	n := s.X[v[1]].Sub(s.X[v[0]]).Cross(s.X[v[2]].Sub(s.X[v[0]])).Unit()
	if p.Sub(a).Dot(was) < 0 {
		return n.Mul(-1)
	}
	return n
}

func mix(a, b, c geom.Vec3, u, v float64) geom.Vec3 {
	return a.Mul(1 - u - v).Add(b.Mul(u)).Add(c.Mul(v))
}

// seal keeps a drop that goes from p to q from passing cloth or solids: it ends on the side from
// which it came. Whom it was put off by is added to what it met.
func (m *meeting) seal(list []drop.Contact, near []int32, p, q geom.Vec3) (geom.Vec3, []drop.Contact) {
	const last = 6
	met := int32(-1)
	for n := range last + 1 {
		if h, hit := sim.First(m.solids, p, q, 0, 0.1*m.space, nil, geom.Vec3{}); hit {
			q = h.At.Add(h.Normal.Mul(sim.Gap))
		}
		face, to := int32(-1), q
		var share [2]float64
		if n == last { // it goes with the cloth, on its side of it
			face, share, to = m.along(p, met)
		} else {
			box := geom.Box{Min: p.Min(q), Max: p.Max(q)}.Grow(0.1 * m.space)
			first := func(f int32) {
				if face >= 0 || !m.passes(f, p, q) {
					return
				}
				v := m.s.faces[f].v
				a, b, c := m.s.X[v[0]], m.s.X[v[1]], m.s.X[v[2]]
				share[0], share[1] = onTriangle(q, a, b, c)
				face, to = f, mix(a, b, c, share[0], share[1]).Add(m.side(f, p).Mul(0.3*m.space))
			}
			if n == 0 {
				m.touching(near, &box, first)
			} else { // where it was put may be far from where it went
				m.s.tree.touching(&box, first)
			}
		}
		if face < 0 {
			break
		}
		list = append(list, drop.Contact{Who: face, Share: share, Shift: to.Sub(q), N: m.side(face, p), C: to})
		q, met = to, face
	}
	return q, list
}

// passes reports a way from p to q that goes through a face as that moves.
func (m *meeting) passes(face int32, p, q geom.Vec3) bool {
	v := m.s.faces[face].v
	x := [4]geom.Vec3{p, m.s.oldX[v[0]], m.s.oldX[v[1]], m.s.oldX[v[2]]}
	to := [4]geom.Vec3{q, m.s.X[v[0]], m.s.X[v[1]], m.s.X[v[2]]}
	c := contact{v: [4]int32{0, 1, 2, 3}}
	_, hit := c.meets(x[:], to[:], 1e-4*m.space)
	return hit
}

// along is the face nearest to a place at the step's beginning, which is met or nearer than that, the
// shares of the point of it, and where the place comes to that goes with it.
func (m *meeting) along(p geom.Vec3, met int32) (near int32, share [2]float64, q geom.Vec3) {
	s := m.s
	v := s.faces[met].v
	u, w := onTriangle(p, s.oldX[v[0]], s.oldX[v[1]], s.oldX[v[2]])
	box := geom.Box{Min: p, Max: p}.Grow(1.001 * p.Sub(mix(s.oldX[v[0]], s.oldX[v[1]], s.oldX[v[2]], u, w)).Len())
	best := math.Inf(1)
	near, q = -1, p
	s.tree.touching(&box, func(face int32) {
		v := s.faces[face].v
		u, w := onTriangle(p, s.oldX[v[0]], s.oldX[v[1]], s.oldX[v[2]])
		if d := p.Sub(mix(s.oldX[v[0]], s.oldX[v[1]], s.oldX[v[2]], u, w)).Len(); d < best {
			best, near, share = d, face, [2]float64{u, w}
			q = mix(s.X[v[0]], s.X[v[1]], s.X[v[2]], u, w).Add(m.side(face, p).Mul(min(max(d, 1e-3*m.space), 0.3*m.space)))
		}
	})
	return near, share, q
}

// pour moves drops on by dt seconds among cloth that was moved already, and lets it have what it
// was pushed by and what it soaked up.
func (c *carry) pour(d *drop.Set, dt float64, w *drop.World, solids []sim.Solid, wet *Wetting) drop.Did {
	s := c.s
	c.fit()
	m := &meeting{s: s, solids: solids, reach: drop.Reach * d.Spacing, space: d.Spacing, dt: dt, wets: wet.Wets}
	s.tree.enclose(s.faces, s.oldX, s.X, 0, s.crew)
	w.Near, w.Find, w.Seal, w.Tension = m.near, m.find, m.seal, wet.Tension
	did := d.Step(dt, w, s.crew)
	mass := d.Mass()
	for i := range d.P {
		for _, t := range d.Touching(i) {
			if t.Who >= 0 {
				c.give(t.Who, t.Share, t.Shift.Mul(-mass/dt))
				if d.P[i].Sub(t.C).Dot(t.N) < d.Spacing {
					v := s.faces[t.Who].v
					for k, w := range [3]float64{1 - t.Share[0] - t.Share[1], t.Share[0], t.Share[1]} {
						c.touch[v[k]] += w * mass
					}
				}
			}
		}
	}
	c.stack(d, w.Gravity)
	c.foot.find(s, d.Spacing)
	c.foot.spread(c.touch)
	c.foot.spread(c.above)
	c.spread()
	c.drip(d, w.Gravity)
	if len(d.P) > 0 {
		c.soak(d, dt, wet)
	}
	return did
}

// spread puts what was given under the drops' feet.
func (c *carry) spread() {
	to := c.was // that of before isn't wanted any more
	clear(to)
	for j, x := range c.given {
		if x != (geom.Vec3{}) {
			c.foot.under(int32(j), func(o int32, share float64) { to[o] = to[o].Add(x.Mul(share)) })
		}
	}
	copy(c.given, to)
}

// deep is how many spacings of what lies on cloth count as a load on it.
const deep = 24

// stack weighs what lies over each vertex and is pressed: what falls freely isn't.
func (c *carry) stack(d *drop.Set, gravity geom.Vec3) {
	s := c.s
	clear(c.above)
	if gravity.Len() == 0 {
		return
	}
	way := gravity.Unit().Mul(deep * d.Spacing)
	under := make([]drop.Contact, len(d.P))
	s.crew.For(len(d.P), 64, func(lo, hi int) {
		for i := lo; i < hi; i++ {
			under[i].Who = -1
			if d.Press[i] < 0 {
				under[i] = c.below(d.P[i], way)
			}
		}
	})
	for _, t := range under {
		if t.Who < 0 {
			continue
		}
		v := s.faces[t.Who].v
		for k, w := range [3]float64{1 - t.Share[0] - t.Share[1], t.Share[0], t.Share[1]} {
			c.above[v[k]] += w * d.Mass()
		}
	}
}

// below is where a way from a place first comes through cloth.
func (c *carry) below(p, way geom.Vec3) (out drop.Contact) {
	s := c.s
	out.Who = -1
	q := p.Add(way)
	box := geom.Box{Min: p.Min(q), Max: p.Max(q)}
	first := 1.0
	s.tree.touching(&box, func(k int32) { // Möller and Trumbore 1997
		f := &s.faces[k]
		a := s.X[f.v[0]]
		e1, e2 := s.X[f.v[1]].Sub(a), s.X[f.v[2]].Sub(a)
		h := way.Cross(e2)
		det := e1.Dot(h)
		if det == 0 {
			return
		}
		o := p.Sub(a)
		u := o.Dot(h) / det
		x := o.Cross(e1)
		w := way.Dot(x) / det
		if t := e2.Dot(x) / det; u >= 0 && w >= 0 && u+w <= 1 && t >= 0 && t < first {
			first = t
			out = drop.Contact{Who: k, Share: [2]float64{u, w}}
		}
	})
	return out
}

// give hands an impulse to a place of a face.
func (c *carry) give(face int32, share [2]float64, j geom.Vec3) {
	v := c.s.faces[face].v
	for k, w := range [3]float64{1 - share[0] - share[1], share[0], share[1]} {
		c.given[v[k]] = c.given[v[k]].Add(j.Mul(w))
	}
}

// soak lets dry cloth take water from the drops that lie against it, the wetter the slower; once that
// is a drop's, the drop is gone, and what it moved with is the cloth's.
func (c *carry) soak(d *drop.Set, dt float64, wet *Wetting) {
	s := c.s
	takes := wet.Takes
	if takes == 0 {
		takes = 0.3
	}
	share := 1 - math.Exp2(-dt/takes)
	gone := map[uint32]bool{}
	soaked := false
	for i := range d.P {
		for _, t := range d.Touching(i) {
			if t.Who < 0 || d.P[i].Sub(t.C).Dot(t.N) > 0.7*d.Spacing {
				continue
			}
			f := &s.faces[t.Who]
			for k, w := range [3]float64{1 - t.Share[0] - t.Share[1], t.Share[0], t.Share[1]} {
				if by := max(wet.Soaks[f.of]-s.Wet[f.v[k]], 0) * share * w; by > 1e-5*wet.Soaks[f.of] {
					s.Wet[f.v[k]] += by
					c.thirst += by * s.area[f.v[k]]
					soaked = true
				}
			}
			if c.thirst >= d.Mass() {
				c.thirst -= d.Mass()
				c.give(t.Who, t.Share, d.V[i].Mul(d.Mass()))
				gone[d.ID[i]] = true
			}
			break
		}
	}
	if len(gone) > 0 {
		d.Keep(func(i int) bool { return !gone[d.ID[i]] })
	}
	if soaked {
		s.weigh()
	}
}
