package cloth

import (
	"math"
	"slices"

	"zarf/core/geom"
	"zarf/core/sim"
)

// held is how a solid holds a vertex: until it doesn't press any more.
type held struct {
	by    int32 // solid, from 1 on; 0: none does
	stuck bool  // it goes with the solid; else it slides on it
	n     geom.Vec3
	under geom.Vec3 // m/s, of the solid there
	force geom.Vec3 // N, of the solid on the vertex
}

// hold lets vertices that touched a solid in the step before go with it, or slide on it, in
// this one's solve: what lies still is held by its whole load, at once.
func (s *System) hold(dt float64, w *World) {
	clear(s.m.slides)
	s.crew.For(len(s.X), 256, func(lo, hi int) {
		for i := lo; i < hi; i++ {
			h := &s.held[i]
			if h.by == 0 {
				continue
			}
			if int(h.by) > len(w.Solids) {
				*h = held{}
				continue
			}
			on := &w.Solids[h.by-1]
			at := on.Seen(s.X[i], 0)
			h.under, h.n = on.Velocity(at, dt), on.Shape.Normal(at)
			if h.stuck {
				s.m.fixed[i] = true
				s.guess[i] = h.under
				continue
			}
			s.m.slides[i] = h.n
			s.guess[i] = s.guess[i].Sub(h.n.Mul(s.guess[i].Sub(h.under).Dot(h.n)))
		}
	})
}

// rub adds the friction of what slides, as a drag that the solve sees.
func (s *System) rub(h float64) {
	for i := range s.held {
		q := &s.held[i]
		if q.by == 0 || q.stuck {
			continue
		}
		v := s.guess[i].Sub(q.under)
		v = v.Sub(q.n.Mul(v.Dot(q.n)))
		c := h * s.friction(i) * max(q.force.Dot(q.n), 0) / max(v.Len(), slow)
		s.force[i] = s.force[i].Sub(v.Mul(c))
		own := (*[9]float64)(s.m.block[9*s.m.diag[i]:])
		own[0], own[4], own[8] = own[0]+c, own[4]+c, own[8]+c
		if c < s.Mass[i] { // it goes on sliding: friction doesn't grow with speed
			outer(own, v.Unit(), -c)
		}
	}
}

// slow is a speed, m/s, at which what slides comes to rest.
const slow = 1e-3

// bear works out what solids press with: what the solve left undone of held vertices.
func (s *System) bear(by float64) {
	s.crew.For(len(s.held), 256, func(lo, hi int) {
		for i := lo; i < hi; i++ {
			if h := &s.held[i]; h.by != 0 {
				h.force = s.m.row(i, s.delta, by).Sub(s.force[i]).Mul(1 / s.h)
			}
		}
	})
}

// meetSolids keeps vertices out of solids, and finds which are held from now on.
func (s *System) meetSolids(dt float64, w *World) {
	if len(w.Solids) == 0 {
		clear(s.held)
		return
	}
	s.crew.For(len(s.X), 64, func(lo, hi int) {
		for i := lo; i < hi; i++ {
			switch {
			case s.pinned[i]:
				s.held[i] = held{}
			case s.held[i].by != 0:
				s.keep(i, dt, w)
			default:
				s.meetSolid(i, dt, w)
			}
		}
	})
}

// keep sees to a vertex that was held in the step's solve.
func (s *System) keep(i int, dt float64, w *World) {
	h := &s.held[i]
	on := &w.Solids[h.by-1]
	r := s.thick(i)/2 + sim.Gap
	across := h.force.Dot(h.n)
	if across < 0 { // it was drawn off: the next step lets go of it
		*h = held{}
		return
	}
	along := h.force.Sub(h.n.Mul(across))
	mu := max(s.friction(i), on.Friction)
	rel := s.guess[i].Sub(h.under)
	if h.stuck {
		s.place[i] = on.Seen(s.X[i], 0)
		h.stuck = along.Len() <= mu*across
		return
	}
	h.stuck = rel.Len() < 2*slow && mu > 0
	// on a curved solid it stays on it
	if d := on.Shape.Distance(s.place[i]); d < r+4*sim.Gap {
		n := on.Shape.Normal(s.place[i])
		s.place[i] = s.place[i].Add(n.Mul(r + sim.Gap - d))
		return
	}
	*h = held{}
}

// meetSolid stops a vertex at what it meets on its way.
func (s *System) meetSolid(i int, dt float64, w *World) {
	r := s.thick(i)/2 + sim.Gap
	hit, ok := sim.First(w.Solids, s.X[i], s.place[i], 0, r, nil, geom.Vec3{})
	if !ok {
		return
	}
	under := hit.Of.Velocity(hit.At, dt)
	n := hit.Normal
	rel := s.guess[i].Sub(under)
	across := -rel.Dot(n)
	if across <= 0 {
		return
	}
	along := rel.Add(n.Mul(across))
	mu := max(s.friction(i), hit.Of.Friction)
	if l := along.Len(); l > 0 {
		along = along.Mul(max(0, 1-mu*across/l))
	}
	was := s.guess[i]
	s.guess[i] = under.Add(along)
	// from where it stood, as the solid sees it, to the solid, and along it at its own pace
	from := hit.Of.Seen(s.X[i], 0)
	s.place[i] = from.Add(along.Mul(dt)).Add(n.Mul(min(hit.At.Sub(from).Dot(n)+sim.Gap, 0)))
	if d := hit.Of.Shape.Distance(s.place[i]); d < r {
		s.place[i] = s.place[i].Add(hit.Of.Shape.Normal(s.place[i]).Mul(min(r-d, r)))
	}
	for k := range w.Solids {
		if &w.Solids[k] == hit.Of {
			s.held[i] = held{by: int32(k + 1), stuck: along == geom.Vec3{}, n: n, under: under, force: s.guess[i].Sub(was).Mul(s.Mass[i] / s.h)}
		}
	}
}

// thick is the cloth's thickness at a vertex.
func (s *System) thick(i int) float64 { return s.Sheets[s.sheet(i)].Fabric.Thickness }

func (s *System) friction(i int) float64 { return s.Sheets[s.sheet(i)].Fabric.Friction }

// sheet is which of them a vertex is of.
func (s *System) sheet(i int) int {
	if len(s.Sheets) == 1 {
		return 0
	}
	return int(s.of[i])
}

// owns are the corners and sides of a face that are tested by it and by no other face.
type owns struct{ corner, side [3]bool }

// owners gives every vertex and every edge to one face.
func owners(n int, faces []face) []owns {
	out := make([]owns, len(faces))
	seen := make([]bool, n)
	sides := make(map[edgeKey]bool, 2*len(faces))
	for k := range faces {
		v := faces[k].v
		for c := range 3 {
			if !seen[v[c]] {
				seen[v[c]], out[k].corner[c] = true, true
			}
			if e := edgeOf(v[(c+1)%3], v[(c+2)%3]); !sides[e] {
				sides[e], out[k].side[c] = true, true
			}
		}
	}
	return out
}

// near lists what of the cloth may meet within the step: pairs that are nearer than they move
// against each other, and than their thickness.
func (s *System) near(thick float64) (out []contact) {
	s.tree.fit(s.faces, s.X, s.place, thick, s.crew)
	jobs := s.tree.jobs(64)
	found := make([][]contact, len(jobs))
	s.crew.Each(len(jobs), 1, func(lo, hi int) {
		for k := lo; k < hi; k++ {
			s.tree.do(jobs[k], func(a, b int32) { found[k] = s.nearFaces(found[k], a, b, thick) })
		}
	})
	return slices.Concat(found...)
}

// nearFaces adds what of two faces may meet, as far as it is theirs to look at.
func (s *System) nearFaces(out []contact, a, b int32, thick float64) []contact {
	fa, fb := &s.faces[a], &s.faces[b]
	if s.parted(fa, fb, thick) {
		return out
	}
	oa, ob := &s.owned[a], &s.owned[b]
	for c := range 3 {
		if oa.corner[c] {
			out = s.addVertex(out, fa.v[c], fb, thick)
		}
		if ob.corner[c] {
			out = s.addVertex(out, fb.v[c], fa, thick)
		}
		for d := range 3 {
			if oa.side[c] && ob.side[d] {
				e := [4]int32{fa.v[(c+1)%3], fa.v[(c+2)%3], fb.v[(d+1)%3], fb.v[(d+2)%3]}
				if e[0] != e[2] && e[0] != e[3] && e[1] != e[2] && e[1] != e[3] {
					out = s.addNear(out, contact{v: e, edges: true}, thick)
				}
			}
		}
	}
	return out
}

func (s *System) addVertex(out []contact, v int32, f *face, thick float64) []contact {
	if v == f.v[0] || v == f.v[1] || v == f.v[2] {
		return out
	}
	return s.addNear(out, contact{v: [4]int32{v, f.v[0], f.v[1], f.v[2]}}, thick)
}

// addNear adds a contact whose sides are no farther from each other than they move against each
// other, and than they are thick.
func (s *System) addNear(out []contact, c contact, thick float64) []contact {
	var by [4]geom.Vec3
	var mean geom.Vec3
	for k, v := range c.v {
		by[k] = s.place[v].Sub(s.X[v])
		mean = mean.Add(by[k].Mul(0.25))
	}
	var most float64
	for k := range by {
		d := by[k].Sub(mean)
		most = max(most, d.Dot(d))
	}
	way, _ := c.nearest(s.X)
	if way.Dot(way) < 1e-18 { // it has only just been torn apart there
		return out
	}
	if reach := 2*math.Sqrt(most) + thick; way.Dot(way) > reach*reach {
		return out
	}
	return append(out, c)
}

// parted reports two faces that are farther from each other than they move against each other.
func (s *System) parted(a, b *face, thick float64) bool {
	var lo, hi [2]geom.Vec3
	var mean geom.Vec3
	move := func(v int32) geom.Vec3 { return s.place[v].Sub(s.X[v]) }
	for _, f := range [2]*face{a, b} {
		for _, v := range f.v {
			mean = mean.Add(move(v))
		}
	}
	mean = mean.Mul(1.0 / 6)
	for k, f := range [2]*face{a, b} {
		for c, v := range f.v {
			x := s.X[v]
			y := x.Add(move(v).Sub(mean))
			if c == 0 {
				lo[k], hi[k] = x.Min(y), x.Max(y)
			} else {
				lo[k], hi[k] = lo[k].Min(x).Min(y), hi[k].Max(x).Max(y)
			}
		}
	}
	return lo[0].X > hi[1].X+thick || lo[1].X > hi[0].X+thick || lo[0].Y > hi[1].Y+thick || lo[1].Y > hi[0].Y+thick || lo[0].Z > hi[1].Z+thick || lo[1].Z > hi[0].Z+thick
}

// shovedFor is for how many steps what moved as one is dull, and isn't torn.
const shovedFor = 6

// tries are how often pushes are given before what still meets moves as one.
const tries = 40

// meetCloth keeps cloth out of cloth (Bridson, Fedkiw and Anderson 2002): what comes nearer than
// it is thick is pushed, what would pass is stopped, and what still would after some tries moves
// as a rigid whole.
func (s *System) meetCloth(dt float64, did *Did) {
	thick := 0.0
	for k := range s.Sheets {
		thick = max(thick, s.Sheets[k].Fabric.Thickness)
	}
	list := s.near(thick)
	if len(list) == 0 {
		return
	}
	if s.repel(list, dt) {
		list = s.near(thick)
	}
	met := false
	for n := range tries {
		// pushes make others meet, but few: all are looked for again now and then
		if n > 0 && (n == tries/2 || !met) {
			list = s.near(thick)
		}
		was := met
		if met = s.stop(list, thick, dt) > 0; !met && (n == 0 || !was) {
			return
		}
	}
	did.Zones = s.asOne(thick, dt)
}

// light is a vertex's inverse mass; what is pinned has none.
func (s *System) light(v int32) float64 {
	if s.m.fixed[v] {
		return 0
	}
	return 1 / s.Mass[v]
}

// push gives a contact's vertices a change of velocity against each other of by, m/s, along n.
func (s *System) push(c *contact, w *[4]float64, n geom.Vec3, by, dt float64) {
	var sum float64
	for k, v := range c.v {
		sum += w[k] * w[k] * s.light(v)
	}
	if sum == 0 {
		return
	}
	for k, v := range c.v {
		d := n.Mul(by / sum * w[k] * s.light(v))
		s.guess[v] = s.guess[v].Add(d)
		s.place[v] = s.place[v].Add(d.Mul(dt))
	}
}

// against is the relative velocity of both sides.
func (s *System) against(c *contact, w *[4]float64) (v geom.Vec3) {
	for k, i := range c.v {
		v = v.Add(s.guess[i].Mul(w[k]))
	}
	return v
}

// gapOf is the way between both sides where they are, as it was at the beginning of the step.
func (s *System) gapOf(c *contact) (n geom.Vec3, d float64, w [4]float64) {
	way, w := c.nearest(s.X)
	d = way.Len()
	if d < 1e-12 {
		return geom.Vec3{}, 0, w
	}
	return way.Mul(1 / d), d, w
}

// repel pushes what is nearer than it is thick apart, and lets it rub; it tells whether it did.
func (s *System) repel(list []contact, dt float64) (some bool) {
	for k := range list {
		c := &list[k]
		thick := (s.thick(int(c.v[0])) + s.thick(int(c.v[3]))) / 2
		n, d, w := s.gapOf(c)
		if d == 0 || d >= thick || s.neighbours(c, thick) {
			continue
		}
		rel := s.against(c, &w)
		across := rel.Dot(n)
		given := 0.0
		if across < 0 {
			given = -across
		}
		// overlaps go within ten steps
		if want := 0.1 * (thick - d) / dt; across+given < want {
			given = want - across
		}
		if given <= 0 {
			continue
		}
		s.push(c, &w, n, given, dt)
		some = true
		along := rel.Sub(n.Mul(across))
		if l := along.Len(); l > 1e-12 {
			mu := (s.friction(int(c.v[0])) + s.friction(int(c.v[3]))) / 2
			s.push(c, &w, along.Mul(1/l), -min(l, mu*given), dt)
		}
	}
	return some
}

// neighbours reports vertices that hang together so closely as modelled that they are always
// nearer than the cloth is thick.
func (s *System) neighbours(c *contact, thick float64) bool {
	a := s.rest[c.v[0]]
	b := s.rest[c.v[3]]
	return s.sheet(int(c.v[0])) == s.sheet(int(c.v[3])) && a.Sub(b).Len() < 2*thick
}

// stop ends what would pass within the step; it returns how much did.
func (s *System) stop(list []contact, thick, dt float64) (many int) {
	near := 1e-3 * thick
	for k := range list {
		c := &list[k]
		if _, hit := c.meets(s.X, s.place, near); !hit {
			continue
		}
		many++
		n, d, w := s.gapOf(c)
		if d == 0 {
			continue
		}
		across := s.moved2(c, &w).Dot(n) / dt
		// it may come as near as a tenth of what it was, and of its thickness
		least := min(0.1*thick, 0.5*d)
		if want := (least - d) / dt; across < want {
			s.push(c, &w, n, want-across, dt)
		} else {
			s.push(c, &w, n, 0.1*thick/dt, dt)
		}
	}
	return many
}

// moved2 is how far both sides move against each other within the step, m.
func (s *System) moved2(c *contact, w *[4]float64) (v geom.Vec3) {
	for k, i := range c.v {
		v = v.Add(s.place[i].Sub(s.X[i]).Mul(w[k]))
	}
	return v
}

// asOne lets all that still meets move rigidly, with its momentum, until nothing meets (Provot
// 1997). In the end that may be all of it.
func (s *System) asOne(thick, dt float64) (zones int) {
	zone := make([]int32, len(s.X)) // union of vertices
	for i := range zone {
		zone[i] = int32(i)
	}
	var root func(i int32) int32
	root = func(i int32) int32 {
		for zone[i] != i {
			zone[i] = zone[zone[i]]
			i = zone[i]
		}
		return i
	}
	near := 1e-3 * thick
	for range 200 {
		some := false
		for _, c := range s.near(thick) {
			r := root(c.v[0])
			if r == root(c.v[1]) && r == root(c.v[2]) && r == root(c.v[3]) {
				continue
			}
			if _, hit := c.meets(s.X, s.place, near); hit {
				some = true
				for _, v := range c.v[1:] {
					a, b := root(c.v[0]), root(v)
					zone[max(a, b)] = min(a, b)
				}
			}
		}
		if !some {
			break
		}
		groups := map[int32][]int32{}
		var order []int32
		for i := range zone {
			r := root(int32(i))
			if r == int32(i) {
				order = append(order, r)
			}
			groups[r] = append(groups[r], int32(i))
		}
		zones = 0
		for _, r := range order {
			if len(groups[r]) > 1 {
				s.rigid(groups[r], dt)
				zones++
			}
		}
	}
	return zones
}

// dull takes motion against each other from faces that were shoved: what is pressed together as one
// rubs, and the strain that shoving made isn't to fly off with what little hangs on it. Momentum
// stays.
func (s *System) dull() {
	if s.Steps >= s.shovedTo {
		return
	}
	for k := range s.faces {
		v := s.faces[k].v
		if max(s.shoved[v[0]], s.shoved[v[1]], s.shoved[v[2]]) <= s.Steps || s.pinned[v[0]] || s.pinned[v[1]] || s.pinned[v[2]] {
			continue
		}
		a, b, c := s.Mass[v[0]], s.Mass[v[1]], s.Mass[v[2]]
		mean := s.V[v[0]].Mul(a).Add(s.V[v[1]].Mul(b)).Add(s.V[v[2]].Mul(c)).Mul(1 / (a + b + c))
		for _, i := range v {
			by := mean.Sub(s.V[i]).Mul(0.3)
			s.V[i], s.oldV[i] = s.V[i].Add(by), s.oldV[i].Add(by)
		}
	}
}

// rigid moves vertices as one, with the momentum and the angular momentum that they have.
func (s *System) rigid(list []int32, dt float64) {
	s.shovedTo = s.Steps + shovedFor
	for _, v := range list {
		s.shoved[v] = s.shovedTo
	}
	var mass float64
	var x, p geom.Vec3
	for _, v := range list {
		if s.pinned[v] { // all goes with what is pinned
			by := s.place[v].Sub(s.X[v])
			for _, v := range list {
				if !s.pinned[v] {
					s.place[v], s.guess[v] = s.X[v].Add(by), by.Mul(1/dt)
				}
			}
			return
		}
		m := s.Mass[v]
		mass += m
		x, p = x.Add(s.X[v].Mul(m)), p.Add(s.place[v].Sub(s.X[v]).Mul(m))
	}
	x, p = x.Mul(1/mass), p.Mul(1/mass)
	var l geom.Vec3
	var in [9]float64
	for _, v := range list {
		m, r := s.Mass[v], s.X[v].Sub(x)
		l = l.Add(r.Cross(s.place[v].Sub(s.X[v])).Mul(m))
		rr := r.Dot(r)
		in[0], in[4], in[8] = in[0]+m*(rr-r.X*r.X), in[4]+m*(rr-r.Y*r.Y), in[8]+m*(rr-r.Z*r.Z)
		in[1], in[2], in[5] = in[1]-m*r.X*r.Y, in[2]-m*r.X*r.Z, in[5]-m*r.Y*r.Z
	}
	in[3], in[6], in[7] = in[1], in[2], in[5]
	trace := in[0] + in[4] + in[8]
	for d := 0; d < 9; d += 4 { // a line has no inertia about itself
		in[d] += 1e-9 * trace
	}
	invert(&in)
	turn := geom.V(in[0]*l.X+in[1]*l.Y+in[2]*l.Z, in[3]*l.X+in[4]*l.Y+in[5]*l.Z, in[6]*l.X+in[7]*l.Y+in[8]*l.Z)
	angle := turn.Len()
	var rot geom.Mat3
	if angle > 1e-12 {
		rot = geom.AxisAngle(turn.Mul(1/angle), angle).Mat3()
	}
	for _, v := range list {
		r := s.X[v].Sub(x)
		if angle > 1e-12 {
			r = rot.Apply(r)
		}
		to := x.Add(p).Add(r)
		s.guess[v] = s.guess[v].Add(to.Sub(s.place[v]).Mul(1 / dt))
		s.place[v] = to
	}
}

// Crossings counts edges that go through faces: it should be none. It takes as long as a step.
func (s *System) Crossings() (many int) {
	s.tree.fit(s.faces, s.X, s.X, 0, s.crew)
	for k := range s.tree.cone { // all are looked at
		s.tree.cone[k].half = math.Pi
	}
	cross := func(a, b geom.Vec3, f *face) bool {
		p, q, r := s.X[f.v[0]], s.X[f.v[1]], s.X[f.v[2]]
		vol := func(a, b, c, d geom.Vec3) float64 { return b.Sub(a).Cross(c.Sub(a)).Dot(d.Sub(a)) }
		if vol(a, p, q, r)*vol(b, p, q, r) >= 0 {
			return false
		}
		x, y, z := vol(a, b, p, q), vol(a, b, q, r), vol(a, b, r, p)
		return x > 0 && y > 0 && z > 0 || x < 0 && y < 0 && z < 0
	}
	s.tree.pairs(func(a, b int32) {
		fa, fb := &s.faces[a], &s.faces[b]
		for _, u := range fa.v {
			for _, v := range fb.v {
				if u == v {
					return
				}
			}
		}
		for c := range 3 {
			if cross(s.X[fa.v[c]], s.X[fa.v[(c+1)%3]], fb) || cross(s.X[fb.v[c]], s.X[fb.v[(c+1)%3]], fa) {
				many++
			}
		}
	})
	return many
}
