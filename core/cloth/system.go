package cloth

import (
	"fmt"
	"math"
	"slices"

	"zarf/core/geom"
	"zarf/core/grid"
	"zarf/core/sim"
)

// System is all cloth of a domain, solved together.
type System struct {
	Sheets []Sheet
	First  []int // vertex of each sheet's first, and how many there are in all

	X, V  []geom.Vec3 // m, m/s
	Mass  []float64   // kg, what they have soaked up included
	Wet   []float64   // kg/m² soaked up
	Heat  []float64   // K over the air
	Burnt []float64   // 0 to 1: ash
	dry   []float64   // kg, of the cloth alone
	area  []float64   // m², of one side of the cloth at a vertex

	oldX, oldV []geom.Vec3 // a step before

	Bears  []geom.Vec3 // N, of what lies on it, at each vertex
	Extra  []float64   // kg, of what moves with it, to which Bears is what that was before
	pins   []pin
	pinAt  map[int]int // of a vertex, among pins
	held   []held      // by solids
	pinned []bool
	bare   map[int]bool // no face has them

	faces  []face
	folds  []hinge
	bends  []bend
	curved bool // some want to stay as bent as they were modelled
	round  incidence
	slot   [][3]int32 // of each of its faces, blocks of the matrix
	m      *matrix
	t      *temp
	state  []strained
	force  []geom.Vec3
	delta  []geom.Vec3
	guess  []geom.Vec3
	solved []geom.Vec3 // m/s, what the solve of the step came to, before contacts
	place  []geom.Vec3
	tree   *tree
	owned  []owns
	of     []int32     // sheet of each vertex
	rest   []geom.Vec3 // as modelled
	weak   []float64   // 0 as strong as all, 1 tears at nothing
	name   []int32     // vertex of the sheet that it was, or is a double of
	crew   grid.Crew
	dt     float64 // s, of the step before
	h      float64 // s, what forces act for within a step

	// shoved is up to which step a vertex isn't torn, as it moved as one with others: what that
	// stretches is no strain of the fabric's own.
	shoved   []int
	shovedTo int
	tense    []int8         // for how many steps a vertex has been over its limit
	fresh    map[int32]bool // vertices that others were parted from in the step

	smooth float64 // of the step before: 1 its changes go on, 0 they end

	Steps int
}

// nearly is the share of its energy that a Newton step may leave undone.
const nearly = 1e-3

// pin is a vertex that goes where it is told.
type pin struct {
	v  int32
	to geom.Vec3
}

// incidence lists the faces at each vertex: three times the face's number and the corner.
type incidence struct{ start, at []int32 }

// slots are, of each face at each vertex, where in the matrix the vertex's blocks with its three are.
func (r *incidence) slots(m *matrix, faces []face) [][3]int32 {
	out := make([][3]int32, len(r.at))
	for i := range m.n {
		for at := r.start[i]; at < r.start[i+1]; at++ {
			for d, v := range faces[r.at[at]/3].v {
				out[at][d] = m.start[i] + int32(m.find(i, v))
			}
		}
	}
	return out
}

func incidenceOf(n int, faces []face) (r incidence) {
	r.start = make([]int32, n+1)
	for _, f := range faces {
		for _, v := range f.v {
			r.start[v+1]++
		}
	}
	for i := range n {
		r.start[i+1] += r.start[i]
	}
	r.at = make([]int32, r.start[n])
	next := append([]int32(nil), r.start[:n]...)
	for k, f := range faces {
		for c, v := range f.v {
			r.at[next[v]] = int32(3*k + c)
			next[v]++
		}
	}
	return r
}

// strained is how a face is deformed, of what its force and stiffness are made.
type strained struct {
	f      [2]geom.Vec3 // deformation: where a metre of warp and of weft lie
	stress [3]float64   // N/m, along warp, weft, and between
	c      [3]float64   // stiffness: 11, 22, 12, N/m
	g      float64      // of shear
	pull   [3]float64   // the stress's part that pulls: 11, 22, 12
	damp   float64      // s
	n      geom.Vec3    // area, m², along the normal
	gust   geom.Vec3    // N, of the wind
	drag   float64      // N s/m, by which that grows with speed along the normal
	swell  float64      // Pa
	turn   float64      // half the square of the angle by which a solve turned it, rad²
	_      [0]func()    // not to be compared
}

// New makes a system at rest.
func New(sheets []Sheet, crew grid.Crew) (*System, error) {
	s := &System{Sheets: sheets, crew: crew}
	for n := range sheets {
		if err := sheets[n].clean(); err != nil {
			return nil, err
		}
		s.First = append(s.First, len(s.X))
		sheets[n].first = int32(len(s.X))
		s.X = append(s.X, sheets[n].Mesh.P...)
		for v := range sheets[n].Mesh.P {
			weak := 0.0
			if sheets[n].Weak != nil {
				weak = clamp(sheets[n].Weak[v])
			}
			s.of, s.name, s.weak = append(s.of, int32(n)), append(s.name, int32(v)), append(s.weak, weak)
		}
	}
	s.rest = append([]geom.Vec3(nil), s.X...)
	s.First = append(s.First, len(s.X))
	if len(s.X) > MostVertices {
		return nil, fmt.Errorf("cloth: %d vertices are too many; %d are the most", len(s.X), MostVertices)
	}
	n := len(s.X)
	s.V, s.oldV = make([]geom.Vec3, n), make([]geom.Vec3, n)
	s.oldX, s.shoved = append([]geom.Vec3(nil), s.X...), make([]int, n)
	s.tense = make([]int8, n)
	s.Bears, s.Extra = make([]geom.Vec3, n), make([]float64, n)
	s.Burnt = make([]float64, n)
	s.Mass, s.Wet, s.Heat, s.dry, s.area = make([]float64, n), make([]float64, n), make([]float64, n), make([]float64, n), make([]float64, n)
	for k := range sheets {
		o := int32(s.First[k])
		for _, t := range sheets[k].Mesh.Tri {
			a, b, c := t[0]+o, t[1]+o, t[2]+o
			if a == b || b == c || a == c || min(t[0], t[1], t[2]) < 0 || int(max(t[0], t[1], t[2])) >= len(sheets[k].Mesh.P) {
				continue
			}
			f, ok := faceOf(s.X[a], s.X[b], s.X[c], sheets[k].Warp)
			if !ok {
				continue
			}
			f.v, f.of = [3]int32{a, b, c}, int32(k)
			s.faces = append(s.faces, f)
		}
		if len(s.faces) == 0 || int(s.faces[len(s.faces)-1].of) != k {
			return nil, fmt.Errorf("cloth %s: none of its %d faces has an area; mend the mesh", sheets[k].ID, len(sheets[k].Mesh.Tri))
		}
	}
	s.folds, s.bends = bends(s.rest, s.faces, s.Sheets)
	s.knit()
	return s, nil
}

// knit makes all that depends on which faces hang together.
func (s *System) knit() {
	n := len(s.X)
	s.round = incidenceOf(n, s.faces)
	s.m = newMatrix(n, s.faces)
	s.slot = s.round.slots(s.m, s.faces)
	s.m.bent = sumUp(n, s.folds, s.bends)
	if s.m.direct = newDirect(s.m, s.rest); s.m.direct == nil {
		s.m.coarse = newCoarse(s.m)
	}
	s.t = newTemp(n)
	s.state = make([]strained, len(s.faces))
	s.force, s.delta, s.guess, s.place = make([]geom.Vec3, n), make([]geom.Vec3, n), make([]geom.Vec3, n), make([]geom.Vec3, n)
	s.held = append(s.held[:min(len(s.held), n)], make([]held, n-min(len(s.held), n))...)
	clear(s.dry)
	clear(s.area)
	s.bare = map[int]bool{}
	for k := range s.faces {
		f := &s.faces[k]
		for _, v := range f.v {
			s.area[v] += f.area / 3
			s.dry[v] += f.area / 3 * s.Sheets[f.of].Fabric.Mass
		}
	}
	for v := range n {
		if s.dry[v] == 0 { // no face has it
			s.dry[v] = 1e-6
			s.bare[v] = true
		}
	}
	s.tree, s.owned = newTree(s.faces, s.rest), owners(n, s.faces)
	s.tree.torn = s.tornAt()
	s.curved = false
	for k := range s.folds {
		s.curved = s.curved || s.folds[k].rest != 0
	}
	s.weigh()
}

// weigh makes the masses of what is dry and wet.
func (s *System) weigh() {
	for v := range s.Mass {
		s.Mass[v] = s.dry[v] + s.Wet[v]*s.area[v]
	}
}

// Faces are the triangles, sheet after sheet, by vertices of the system, but for what is ash.
func (s *System) Faces() [][3]int32 {
	out := make([][3]int32, 0, len(s.faces))
	for k := range s.faces {
		if !s.isAsh(k) {
			out = append(out, s.faces[k].v)
		}
	}
	return out
}

// Pin sends a vertex to a place by the end of the next step; it stays pinned until Unpin.
func (s *System) Pin(v int, to geom.Vec3) {
	if s.pinAt == nil {
		s.pinAt = map[int]int{}
	}
	if k, there := s.pinAt[v]; there {
		s.pins[k].to = to
		return
	}
	s.pinAt[v] = len(s.pins)
	s.pins = append(s.pins, pin{int32(v), to})
}

// Unpin lets a vertex go.
func (s *System) Unpin(v int) {
	k, there := s.pinAt[v]
	if !there {
		return
	}
	last := s.pins[len(s.pins)-1]
	s.pins[k], s.pinAt[int(last.v)] = last, k
	s.pins = s.pins[:len(s.pins)-1]
	delete(s.pinAt, v)
}

// World is what acts on cloth during a step.
type World struct {
	Gravity geom.Vec3
	Push    func(p geom.Vec3) geom.Vec3            // acceleration of forces, m/s²; nil: none
	Air     func(p geom.Vec3) (geom.Vec3, float64) // velocity, m/s, and density, kg/m³; nil: there is none
	Solids  []sim.Solid
	Calm    float64 // 1/s, by which all motion is slowed
	Tol     float64 // of the linear solve; 0: 1e-4, over which a swing gains from what is left and momentum is lost
	Rounds  int     // of it at most; 0: 200
	Newton  int     // steps of Newton's method at most, where the first leaves something; 0: 1
}

// Did is what a step came to.
type Did struct {
	Rounds  int     // of the linear solves
	Newton  int     // of those
	Fastest float64 // m/s
	Torn    int     // vertices
	Zones   int     // of vertices that had to move as one
}

// deform works out the strain and stress of every face, at places and velocities.
func (s *System) deform(x, v []geom.Vec3, w *World) {
	s.crew.For(len(s.faces), 256, func(lo, hi int) {
		for k := lo; k < hi; k++ {
			s.deformed(k, x, v, w)
		}
	})
}

func (s *System) deformed(k int, x, v []geom.Vec3, w *World) {
	f, st := &s.faces[k], &s.state[k]
	fab := &s.Sheets[f.of].Fabric
	a, b, c := x[f.v[0]], x[f.v[1]], x[f.v[2]]
	e1, e2 := b.Sub(a), c.Sub(a)
	u := e1.Mul(f.w[1][0]).Add(e2.Mul(f.w[2][0]))
	q := e1.Mul(f.w[1][1]).Add(e2.Mul(f.w[2][1]))
	st.f = [2]geom.Vec3{u, q}
	// Green's strain: 11, 22 and twice 12
	e11, e22, e12 := (u.Dot(u)-1)/2, (q.Dot(q)-1)/2, u.Dot(q)
	p := fab.Poisson
	den := 1 / (1 - p*p)
	st.c = [3]float64{fab.Warp * den, fab.Weft * den, p * math.Sqrt(fab.Warp*fab.Weft) * den}
	st.g, st.damp = fab.Shear, fab.Damping
	st.stress = [3]float64{st.c[0]*e11 + st.c[2]*e22, st.c[1]*e22 + st.c[2]*e11, st.g * e12}
	st.pull = pulling(st.stress)
	// a face that turns by an angle t within a solve is stretched by t²/2: it is held against that
	// beforehand, by what the step before turned it (Levenberg's and Marquardt's damping). Where
	// nothing turns it is 0.
	st.pull[0] += st.turn * st.c[0]
	st.pull[1] += st.turn * st.c[1]
	n := e1.Cross(e2).Mul(0.5)
	st.n = n
	st.gust, st.drag = geom.Vec3{}, 0
	st.swell = fab.Pressure
	if w.Air != nil && fab.Drag > 0 {
		mid := a.Add(b).Add(c).Mul(1.0 / 3)
		wind, density := w.Air(mid)
		rel := wind.Sub(v[f.v[0]].Add(v[f.v[1]]).Add(v[f.v[2]]).Mul(1.0 / 3))
		if l := n.Len(); l > 0 && density > 0 {
			// a plate: the pressure goes by the speed and what of it is across, so there is lift;
			// along it a hundredth, which is a rough plate's friction
			across := rel.Dot(n) / l
			fast := rel.Len()
			st.drag = 0.5 * density * fab.Drag * fast * l
			st.gust = n.Mul(st.drag * across / l).Add(rel.Sub(n.Mul(across / l)).Mul(0.5 * density * 0.01 * fast * l))
		}
	}
}

// pulling is the part of a stress that pulls: its positive principal values. What pushes lets the
// cloth buckle, and would make the matrix indefinite (Choi and Ko 2002).
func pulling(s [3]float64) [3]float64 {
	mid, half := (s[0]+s[1])/2, (s[0]-s[1])/2
	r := math.Hypot(half, s[2])
	lo, hi := mid-r, mid+r
	switch {
	case lo >= 0:
		return s
	case hi <= 0:
		return [3]float64{}
	}
	// hi times the projection on its direction: ½(I + (S − mid)/r)
	k := hi / 2
	return [3]float64{k * (1 + half/r), k * (1 - half/r), k * s[2] / r}
}

// grad is by how much corner c of a face, moved, changes its strains: 11, 22, twice 12.
func (f *face) grad(c int, st *strained) (g [3]geom.Vec3) {
	a, b := f.w[c][0], f.w[c][1]
	g[0], g[1] = st.f[0].Mul(a), st.f[1].Mul(b)
	g[2] = st.f[0].Mul(b).Add(st.f[1].Mul(a))
	return g
}

// gather makes the forces at x and v and the matrix M + a K + b D, of what deform left, dt of a step
// being hidden in a, which stands for dt² and damping, and b, which stands for dt.
func (s *System) gather(x, v []geom.Vec3, w *World, a, b float64) {
	s.crew.For(len(s.X), 128, func(lo, hi int) {
		for i := lo; i < hi; i++ {
			s.gatherAt(i, x, v, w, a, b)
		}
	})
}

func (s *System) gatherAt(i int, x, v []geom.Vec3, w *World, a, b float64) {
	m := s.m
	lo, hi := m.start[i], m.start[i+1]
	clear(m.block[9*lo : 9*hi])
	own := (*[9]float64)(m.block[9*m.diag[i]:])
	own[0], own[4], own[8] = s.Mass[i], s.Mass[i], s.Mass[i]
	if x := s.Extra[i]; x > 0 {
		own[0], own[4], own[8] = own[0]+x, own[4]+x, own[8]+x
	}
	force := w.Gravity.Mul(s.Mass[i]).Add(s.Bears[i])
	if w.Push != nil {
		force = force.Add(w.Push(x[i]).Mul(s.Mass[i]))
	}
	if w.Calm > 0 {
		force = force.Sub(v[i].Mul(w.Calm * s.Mass[i]))
		for d := 0; d < 9; d += 4 {
			own[d] += b * w.Calm * s.Mass[i]
		}
	}
	force = force.Sub(m.bent.row(i, x))
	var warp, normal geom.Vec3
	for at := s.round.start[i]; at < s.round.start[i+1]; at++ {
		k, c := int(s.round.at[at])/3, int(s.round.at[at])%3
		f, st := &s.faces[k], &s.state[k]
		warp, normal = warp.Add(st.f[0].Mul(f.area)), normal.Add(st.n)
		force = force.Add(f.pulls(c, st, v)).Add(st.gust.Add(st.n.Mul(st.swell)).Mul(1.0 / 3))
		s.stiffen(&s.slot[at], c, f, st, a)
		if st.drag > 0 {
			outer(own, st.n.Unit(), b*st.drag/3)
		}
	}
	s.force[i] = force
	if m.direct != nil {
		m.direct.frame[i] = axesOf(warp, normal)
	}
}

// pulls is the force of a face on its corner c, damped: damping is stiffness times velocity
// (Rayleigh), of strains alone.
func (f *face) pulls(c int, st *strained, v []geom.Vec3) geom.Vec3 {
	var rate [3]float64
	if st.damp > 0 {
		for d := range 3 {
			h := f.grad(d, st)
			u := v[f.v[d]]
			rate[0] += h[0].Dot(u)
			rate[1] += h[1].Dot(u)
			rate[2] += h[2].Dot(u)
		}
	}
	s1 := st.stress[0] + st.damp*(st.c[0]*rate[0]+st.c[2]*rate[1])
	s2 := st.stress[1] + st.damp*(st.c[1]*rate[1]+st.c[2]*rate[0])
	s3 := st.stress[2] + st.damp*st.g*rate[2]
	g := f.grad(c, st)
	return g[0].Mul(-f.area * s1).Sub(g[1].Mul(f.area * s2)).Sub(g[2].Mul(f.area * s3))
}

// stiffen adds a face's stiffness, times a, to the row of the vertex that is its corner c.
func (s *System) stiffen(slot *[3]int32, c int, f *face, st *strained, a float64) {
	m := s.m
	g := f.grad(c, st)
	ka := f.area * a
	k1, k2, k3 := g[0].Mul(ka*st.c[0]).Add(g[1].Mul(ka*st.c[2])), g[1].Mul(ka*st.c[1]).Add(g[0].Mul(ka*st.c[2])), g[2].Mul(ka*st.g)
	wa, wb := f.w[c][0], f.w[c][1]
	pa, pb := ka*(st.pull[0]*wa+st.pull[2]*wb), ka*(st.pull[2]*wa+st.pull[1]*wb)
	for d := range 3 {
		h := f.grad(d, st)
		q := m.block[9*int(slot[d]):][:9:9]
		same := pa*f.w[d][0] + pb*f.w[d][1]
		q[0] += k1.X*h[0].X + k2.X*h[1].X + k3.X*h[2].X + same
		q[1] += k1.X*h[0].Y + k2.X*h[1].Y + k3.X*h[2].Y
		q[2] += k1.X*h[0].Z + k2.X*h[1].Z + k3.X*h[2].Z
		q[3] += k1.Y*h[0].X + k2.Y*h[1].X + k3.Y*h[2].X
		q[4] += k1.Y*h[0].Y + k2.Y*h[1].Y + k3.Y*h[2].Y + same
		q[5] += k1.Y*h[0].Z + k2.Y*h[1].Z + k3.Y*h[2].Z
		q[6] += k1.Z*h[0].X + k2.Z*h[1].X + k3.Z*h[2].X
		q[7] += k1.Z*h[0].Y + k2.Z*h[1].Y + k3.Z*h[2].Y
		q[8] += k1.Z*h[0].Z + k2.Z*h[1].Z + k3.Z*h[2].Z + same
	}
}

// outer adds by times u uᵀ.
func outer(q *[9]float64, u geom.Vec3, by float64) {
	a := u.Mul(by)
	q[0], q[1], q[2] = q[0]+a.X*u.X, q[1]+a.X*u.Y, q[2]+a.X*u.Z
	q[3], q[4], q[5] = q[3]+a.Y*u.X, q[4]+a.Y*u.Y, q[5]+a.Y*u.Z
	q[6], q[7], q[8] = q[6]+a.Z*u.X, q[7]+a.Z*u.Y, q[8]+a.Z*u.Z
}

// unbend adds the forces of folds that want to stay as they were modelled, and the damping of
// folds.
func (s *System) unbend(x, v []geom.Vec3, damp float64) {
	if damp > 0 {
		s.crew.For(len(s.X), 512, func(lo, hi int) {
			for i := lo; i < hi; i++ {
				s.force[i] = s.force[i].Sub(s.m.bent.row(i, v).Mul(damp))
			}
		})
	}
	if !s.curved {
		return
	}
	want := make([]geom.Vec3, len(s.folds))
	s.crew.For(len(s.folds), 512, func(lo, hi int) {
		for k := lo; k < hi; k++ {
			if h := &s.folds[k]; h.rest != 0 {
				want[k] = h.normal(x).Mul(h.rest)
			}
		}
	})
	for k := range s.bends {
		b := &s.bends[k]
		for c, hc := range b.at {
			if hc < 0 {
				continue
			}
			var f geom.Vec3
			for d, hd := range b.at {
				if hd >= 0 {
					f = f.Add(want[hd].Mul(b.w[c][d]))
				}
			}
			h := &s.folds[hc]
			for n, at := range h.v {
				s.force[at] = s.force[at].Add(f.Mul(h.c[n]))
			}
		}
	}
}

// Step moves the cloth on by dt seconds.
//
// Time goes by backward differences, of which a Newton step is taken about the velocity of before:
// at rest forces are what they are, however far the solve of a step goes, so stiffness depends on
// neither steps nor rounds. Where the motion is smooth they are those of second order, which keep
// swings alive (Choi and Ko 2002); where faces turn so far that one Newton step isn't all, those
// would feed on what is left, and the first order damps it.
func (s *System) Step(dt float64, w *World) (did Did) {
	back := s.smooth / 3
	h := dt * (1 - back)
	s.pace(dt)
	s.h = h
	damp := 0.0
	for k := range s.Sheets {
		damp = max(damp, s.Sheets[k].Fabric.Damping)
	}
	s.begin(dt, back, w)
	s.newton(dt, damp, w, &did)
	over, dir := s.strains(s.place)
	s.settle(dt, w, &did)
	did.Torn = s.tear(over, dir)
	return did
}

// begin guesses where vertices go: on as they went, with what holds them, to where pins are.
func (s *System) begin(dt, back float64, w *World) {
	n := len(s.X)
	clear(s.m.fixed)
	copy(s.guess, s.V)
	s.hold(dt, w)
	s.mark()
	for v := range s.bare {
		s.m.fixed[v], s.guess[v] = true, geom.Vec3{}
	}
	for _, p := range s.pins {
		s.m.fixed[p.v] = true
		s.guess[p.v] = p.to.Sub(s.X[p.v]).Mul(1 / dt)
	}
	s.crew.For(n, 1024, func(lo, hi int) {
		for i := lo; i < hi; i++ {
			s.place[i] = s.X[i].Add(s.X[i].Sub(s.oldX[i]).Mul(back)).Add(s.guess[i].Mul(s.h))
		}
	})
	for _, p := range s.pins {
		s.place[p.v] = p.to
	}
}

// mark notes which vertices are pinned as a step begins.
func (s *System) mark() {
	s.pinned = append(s.pinned[:0], make([]bool, len(s.X))...)
	for _, p := range s.pins {
		s.pinned[p.v] = true
	}
}

// newton solves for the step's velocities.
func (s *System) newton(dt, damp float64, w *World, did *Did) {
	h := s.h
	tol, most, rounds := w.Tol, w.Rounds, w.Newton
	if tol == 0 {
		tol = 1e-4
	}
	if most == 0 {
		most = 200
	}
	if rounds == 0 {
		rounds = 1
	}
	// a ten-thousandth of what gravity gives within the step is rest
	var all float64
	for _, m := range s.Mass {
		all += m
	}
	still := 1e-4 * 9.81 * h
	left := 0.0
	for range rounds {
		s.imbalance(w, h, damp)
		s.m.prepare(h*(h+damp), s.pinned, s.crew)
		did.Rounds += s.m.solve(s.force, s.delta, h*(h+damp), tol, still*still*all, most, s.t, s.crew)
		s.crew.For(len(s.X), 1024, func(lo, hi int) {
			for i := lo; i < hi; i++ {
				s.guess[i] = s.guess[i].Add(s.delta[i])
				s.place[i] = s.place[i].Add(s.delta[i].Mul(h))
			}
		})
		s.bear(h * (h + damp))
		did.Newton++
		if left = s.left(h, dt); left < nearly {
			break
		}
	}
	s.smooth = min(max(2-left/nearly, 0), 1)
}

// imbalance is what forces and the change of motion lack of each other at the places that are
// guessed, and the matrix there.
func (s *System) imbalance(w *World, h, damp float64) {
	s.deform(s.place, s.guess, w)
	s.gather(s.place, s.guess, w, h*(h+damp), h)
	s.unbend(s.place, s.guess, damp)
	s.crew.For(len(s.X), 1024, func(lo, hi int) {
		for i := lo; i < hi; i++ {
			f := s.force[i]
			lacks := s.V[i].Add(s.V[i].Sub(s.oldV[i]).Mul(s.smooth / 3)).Sub(s.guess[i])
			s.force[i] = lacks.Mul(s.Mass[i]).Add(f.Mul(h))
			if x := s.Extra[i]; x > 0 { // it goes on as it did
				s.force[i] = s.force[i].Add(s.V[i].Sub(s.guess[i]).Mul(x))
			}
		}
	})
	s.rub(h)
}

// left is the energy of what one Newton step leaves undone, of the cloth's own: a way between
// neighbours that a solve turns by an angle t gets longer by t²/2.
func (s *System) left(h, dt float64) float64 {
	const piece = 1024
	own := s.crew.Sum((len(s.X)+piece-1)/piece, 1, func(k int) (e float64) {
		for i := k * piece; i < min((k+1)*piece, len(s.X)); i++ {
			e += s.Mass[i] * (s.guess[i].Dot(s.guess[i]) + 9.81*9.81*dt*dt) / 2
		}
		return e
	})
	rest := s.crew.Sum((len(s.faces)+piece-1)/piece, 1, func(k int) (e float64) {
		for i := k * piece; i < min((k+1)*piece, len(s.faces)); i++ {
			f, st := &s.faces[i], &s.state[i]
			a, b, c := s.delta[f.v[0]], s.delta[f.v[1]], s.delta[f.v[2]]
			t := h * h * max(b.Sub(a).Dot(b.Sub(a)), c.Sub(a).Dot(c.Sub(a))) / f.area / 2
			e += f.area * max(st.c[0], st.c[1]) * t * t / 2
			st.turn = max(t, st.turn/2)
		}
		return e
	})
	return rest / own
}

// pace makes the step before as long as this one.
func (s *System) pace(dt float64) {
	if s.dt != 0 && s.dt != dt {
		for i := range s.X {
			s.oldX[i] = s.X[i].Sub(s.X[i].Sub(s.oldX[i]).Mul(dt / s.dt))
			s.oldV[i] = s.V[i].Sub(s.V[i].Sub(s.oldV[i]).Mul(dt / s.dt))
		}
	}
	s.dt = dt
}

// settle takes what a step came to, past solids and other cloth.
//
// A push changes the step before as well, as if it had been there already: the change of motion,
// which the second order carries on, is that of smooth forces alone.
func (s *System) settle(dt float64, w *World, did *Did) {
	s.solved = append(s.solved[:0], s.guess...)
	s.meetSolids(dt, w)
	s.meetCloth(dt, did)
	for i := range s.X {
		s.oldX[i], s.X[i] = s.X[i], s.place[i]
		s.oldV[i], s.V[i] = s.V[i].Add(s.guess[i].Sub(s.solved[i])), s.guess[i]
		did.Fastest = max(did.Fastest, s.V[i].Dot(s.V[i]))
	}
	did.Fastest = math.Sqrt(did.Fastest)
	s.Steps++
	s.dull()
}

// Place puts all vertices somewhere, at rest.
func (s *System) Place(x []geom.Vec3) {
	copy(s.X, x)
	copy(s.oldX, x)
	clear(s.V)
	clear(s.oldV)
}

// Rate is by how much of its length the quickest side of a face changes in a second, turning
// included, 1/s.
func (s *System) Rate() float64 {
	most := make([]float64, (len(s.faces)+4095)/4096)
	s.crew.For(len(most), 1, func(lo, hi int) {
		for b := lo; b < hi; b++ {
			for k := 4096 * b; k < min(4096*(b+1), len(s.faces)); k++ {
				f := &s.faces[k]
				u, v, w := s.V[f.v[0]], s.V[f.v[1]], s.V[f.v[2]]
				d := max(v.Sub(u).Dot(v.Sub(u)), w.Sub(u).Dot(w.Sub(u)), w.Sub(v).Dot(w.Sub(v)))
				most[b] = max(most[b], d/(2*f.area))
			}
		}
	})
	return math.Sqrt(slices.Max(append(most, 0)))
}
