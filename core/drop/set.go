package drop

import (
	"math"
	"slices"

	"zarf/core/geom"
	"zarf/core/grid"
	"zarf/core/vec"
)

// Set is a liquid's drops: the slices are of one length. Their rows change from step to step; their
// identities last.
type Set struct {
	Spacing float64 // m: an edge of the cube that a drop fills
	Density float64 // kg/m³
	P, V    []geom.Vec3
	ID      []uint32
	Age     []float64 // s
	On      []int8    // whatever is made of each by who moves it: 0 at first
	// Press is what kept each at its density in the step before: the sum of its factors, none over
	// 0. The next step begins with that.
	Press []float64

	Next uint32 // the identity that the next gets

	start  []geom.Vec3 // where they began the step
	Q      []geom.Vec3 // where they go within the step
	k      *kernel
	cells  cells
	order  []int32
	of     []int32 // run of each
	runs   []run
	rec    []float32 // of each, and of nobody: place and factor, for the kernels
	mid    geom.Vec3 // from which those places are seen
	lambda []float64
	delta  []geom.Vec3
	over   []float64 // by how much each is denser than at rest
	touch  [][]Contact
	pull   pull
}

// New makes an empty set.
func New(spacing, density float64) *Set {
	s := &Set{Spacing: spacing, Density: density, k: newKernel(spacing)}
	s.pull = newPull(spacing, s.k.r)
	return s
}

// Mass is that of a drop, kg.
func (s *Set) Mass() float64 { return s.Density * s.Spacing * s.Spacing * s.Spacing }

// Add adds a drop.
func (s *Set) Add(p, v geom.Vec3) {
	s.P, s.V, s.ID, s.Age = append(s.P, p), append(s.V, v), append(s.ID, s.Next), append(s.Age, 0)
	s.Press, s.On = append(s.Press, 0), append(s.On, 0)
	s.Next++
}

// Keep drops what isn't to be kept, in order.
func (s *Set) Keep(keep func(i int) bool) {
	n := 0
	for i := range s.P {
		if keep(i) {
			s.P[n], s.V[n], s.ID[n], s.Age[n], s.Press[n], s.On[n] = s.P[i], s.V[i], s.ID[i], s.Age[i], s.Press[i], s.On[i]
			n++
		}
	}
	s.P, s.V, s.ID, s.Age, s.Press, s.On = s.P[:n], s.V[:n], s.ID[:n], s.Age[:n], s.Press[:n], s.On[:n]
}

// Contact is a plane that a drop keeps off for a step.
type Contact struct {
	N     geom.Vec3 // away from the wall
	C     geom.Vec3 // a place on it at the step's end
	V     geom.Vec3 // its velocity there, m/s
	Mu    float64   // Coulomb's coefficient
	Wets  float64   // cosine of the angle at which the liquid meets it, −1 to 1: 1 wets it
	Who   int32     // of whoever found it
	Share [2]float64
	Rim   bool      // C is at an edge of a face: it counts where no face is met within
	Shift geom.Vec3 // by how much it moved the drop, m: times mass by time that is an impulse
}

// World is what surrounds drops for a step.
type World struct {
	Gravity geom.Vec3
	Push    func(p, v geom.Vec3) geom.Vec3 // m/s², of a drop at a place and a velocity; nil: none
	Tension float64                        // N/m
	Viscous float64                        // Pa s
	Rounds  int                            // of corrections; 0: 8
	// Near appends what may be met by drops that go about within a box, by numbers that are its
	// own; nil: nothing. It, Find and Seal are asked by several threads at once.
	Near func(list []int32, box geom.Box) []int32
	// Find appends the contacts of a drop that goes from p to q, of what is near; nil: there are none.
	Find func(list []Contact, near []int32, i int, p, q geom.Vec3) []Contact
	// Seal is the last word on where a drop ends that goes from p to q: past nothing. It appends
	// contacts that were met only then, with their shifts.
	Seal func(list []Contact, near []int32, p, q geom.Vec3) (geom.Vec3, []Contact)
}

// Did is what a step came to.
type Did struct {
	Dense   float64 // mean of how much denser than at rest drops are, those that are, as a share
	Fastest float64 // m/s
}

// Step moves drops on by dt seconds.
func (s *Set) Step(dt float64, w *World, crew grid.Crew) (did Did) {
	n := len(s.P)
	if n == 0 {
		return did
	}
	s.ready()
	if w.Tension > 0 {
		s.find(crew)
		s.attract(dt, w.Tension, crew)
	}
	crew.For(n, 64, func(lo, hi int) {
		for i := lo; i < hi; i++ {
			a := w.Gravity
			if w.Push != nil {
				a = a.Add(w.Push(s.P[i], s.V[i]))
			}
			s.V[i] = s.V[i].Add(a.Mul(dt))
			s.Q[i] = s.P[i].Add(s.V[i].Mul(dt))
			s.touch[i] = s.touch[i][:0]
		}
	})
	if w.Find != nil {
		s.meet(w, s.P, func(near []int32, i int) {
			s.touch[i] = w.Find(s.touch[i], near, i, s.P[i], s.Q[i])
			s.cling(i, dt, w.Tension)
		}, crew)
	}
	s.find(crew)
	s.untangle(dt, crew)
	rounds := w.Rounds
	if rounds == 0 {
		rounds = 8
	}
	for i, p := range s.Press { // what held them before holds them now, about
		s.Press[i] = warm * p
		s.load(i, warm*p)
	}
	s.move(crew)
	for range rounds {
		s.correct(crew)
	}
	did.Dense = s.dense(crew)
	s.end(dt, w, crew)
	if w.Viscous >= 0 {
		s.smooth(dt, w.Viscous, crew)
	}
	for i := range s.V {
		did.Fastest = max(did.Fastest, s.V[i].Dot(s.V[i]))
		s.Age[i] += dt
	}
	did.Fastest = math.Sqrt(did.Fastest)
	return did
}

// ready puts drops in order and makes room for a step.
func (s *Set) ready() {
	n := len(s.P)
	s.sort()
	for _, v := range []*[]geom.Vec3{&s.Q, &s.delta} {
		*v = slices.Grow((*v)[:0], n)[:n]
	}
	s.lambda = slices.Grow(s.lambda[:0], n)[:n]
	s.touch = slices.Grow(s.touch[:0], n)[:n]
	copy(s.Q, s.P)
	s.start = append(s.start[:0], s.P...)
	lo, hi := s.P[0], s.P[0]
	for _, p := range s.P {
		lo, hi = lo.Min(p), hi.Max(p)
	}
	s.mid = lo.Add(hi).Mul(0.5)
}

// meet calls fn for every drop with what may be met on the way from where it was to Q, which is looked
// for once for all drops of a cell.
func (s *Set) meet(w *World, from []geom.Vec3, fn func(near []int32, i int), crew grid.Crew) {
	c := &s.cells
	crew.For(len(c.at), 8, func(lo, hi int) {
		var near []int32
		for k := lo; k < hi; k++ {
			near = near[:0]
			if w.Near != nil {
				box := geom.Box{Min: s.Q[c.start[k]], Max: s.Q[c.start[k]]}
				for i := c.start[k]; i < c.start[k+1]; i++ {
					box.Min, box.Max = box.Min.Min(s.Q[i]).Min(from[i]), box.Max.Max(s.Q[i]).Max(from[i])
				}
				near = w.Near(near, box)
			}
			for i := c.start[k]; i < c.start[k+1]; i++ {
				fn(near, int(i))
			}
		}
	})
}

// untangled is for how many rounds drops are put apart before they move.
const untangled = 2

// untangle puts drops apart that lie too near each other as the step begins, without giving them
// speed for that: what a blow has pressed together doesn't spring back (pre-stabilization, Macklin,
// Müller, Chentanez and Kim 2014).
func (s *Set) untangle(dt float64, crew grid.Crew) {
	back := func(by float64) {
		for i := range s.touch {
			for k := range s.touch[i] {
				c := &s.touch[i][k]
				c.C = c.C.Add(c.V.Mul(by))
			}
		}
	}
	back(-dt)
	s.Q, s.P = s.P, s.Q // of P where they go is kept meanwhile
	s.write(crew)
	for range untangled {
		s.crowds(crew, func(i int, _, l float64) { s.load(i, min(0.5*l, 0)) })
		s.aparts(crew, func(i int, by geom.Vec3) {
			for k := range s.touch[i] {
				c := &s.touch[i][k]
				_, slope := s.k.past(s.Q[i].Sub(c.C).Dot(c.N))
				by = by.Add(c.N.Mul(s.lambda[i] * slope))
			}
			for k := range s.touch[i] {
				c := &s.touch[i][k]
				if d := s.Q[i].Add(by).Sub(c.C).Dot(c.N) - s.Spacing/2; d < 0 {
					by = by.Sub(c.N.Mul(d))
				}
			}
			s.delta[i] = by
		})
		for i, by := range s.delta {
			s.Q[i], s.P[i] = s.Q[i].Add(by), s.P[i].Add(by)
		}
		s.write(crew)
	}
	s.Q, s.P = s.P, s.Q
	s.write(crew)
	back(dt)
}

// firm keeps a lone pair's correction finite.
const firm = 1e-2

// crowds calls fn for every drop with the density there, in shares of that at rest, and Lagrange's
// factor of the correction that brings it there (eq. 8 to 11 of Macklin and Müller).
func (s *Set) crowds(crew grid.Crew, fn func(i int, density, lambda float64)) {
	r, fall := s.k.r, s.k.fall
	s.each(crew, 5, vec.Crowd, func(i int, sums []float32) {
		density := s.k.within + s.k.scale*float64(sums[0])
		own := geom.Vec3{X: float64(sums[1]), Y: float64(sums[2]), Z: float64(sums[3])}.Mul(fall)
		for k := range s.touch[i] {
			c := &s.touch[i][k]
			share, slope := s.k.past(s.Q[i].Sub(c.C).Dot(c.N))
			density += share
			own = own.Add(c.N.Mul(slope))
		}
		fn(i, density, (1-density)/(fall*fall*float64(sums[4])+own.Dot(own)+firm/(r*r)))
	})
}

// load gives a drop its factor.
func (s *Set) load(i int, lambda float64) {
	s.lambda[i], s.rec[4*i+3] = lambda, float32(lambda/(s.k.r*s.k.r)) // a pure number
}

// correct moves drops to where their density is that at rest, and off what they touch.
//
// A factor may draw back what another round, or the step before, pushed too far; all rounds of a step
// together only push.
func (s *Set) correct(crew grid.Crew) {
	s.crowds(crew, func(i int, _, l float64) {
		sum := min(s.Press[i]+relax*l, 0)
		s.load(i, sum-s.Press[i])
		s.Press[i] = sum
	})
	s.move(crew)
}

// loose is the density under which a drop has come off the others.
const loose = 0.98

// relax is the share of a factor that a round takes, as neighbours take theirs at once; warm that of
// the step before which the next begins with.
const relax, warm = 0.3, 0.6

// move moves drops by their factors.
func (s *Set) move(crew grid.Crew) {
	n := len(s.P)
	s.aparts(crew, func(i int, by geom.Vec3) { s.delta[i] = by })
	crew.For(n, 256, func(lo, hi int) {
		for i := lo; i < hi; i++ {
			q := s.Q[i].Add(s.delta[i])
			for k := range s.touch[i] {
				c := &s.touch[i][k]
				if s.lambda[i] != 0 {
					_, slope := s.k.past(s.Q[i].Sub(c.C).Dot(c.N))
					by := c.N.Mul(s.lambda[i] * slope)
					q, c.Shift = q.Add(by), c.Shift.Add(by)
				}
			}
			s.Q[i] = s.off(i, q)
			s.record(i)
		}
	})
}

// aparts calls fn for every drop with what pairs move it by.
func (s *Set) aparts(crew grid.Crew, fn func(i int, by geom.Vec3)) {
	c := s.k.fall * s.k.r * s.k.r
	s.each(crew, 3, vec.Apart, func(i int, sums []float32) {
		fn(i, geom.Vec3{X: float64(sums[0]), Y: float64(sums[1]), Z: float64(sums[2])}.Mul(c))
	})
}

// off takes a place out of what a drop touches: to half a spacing from it.
func (s *Set) off(i int, q geom.Vec3) geom.Vec3 {
	for k := range s.touch[i] {
		c := &s.touch[i][k]
		if d := q.Sub(c.C).Dot(c.N) - s.Spacing/2; d < 0 {
			by := c.N.Mul(-d)
			q, c.Shift = q.Add(by), c.Shift.Add(by)
		}
	}
	return q
}

// dense is the mean of how much denser than at rest drops are.
func (s *Set) dense(crew grid.Crew) float64 {
	const piece = 1024
	n := len(s.P)
	over := s.over[:0]
	over = slices.Grow(over, n)[:n]
	s.over = over
	s.crowds(crew, func(i int, d, _ float64) {
		over[i] = max(d-1, 0)
		if d < loose { // it came off: nothing presses it in the next step
			s.Press[i] = 0
		}
	})
	return crew.Sum((n+piece-1)/piece, 1, func(k int) (sum float64) {
		for _, v := range over[k*piece : min((k+1)*piece, n)] {
			sum += v
		}
		return sum
	}) / float64(n)
}

// end makes velocities of what drops moved, and lets them rub where they touch.
func (s *Set) end(dt float64, w *World, crew grid.Crew) {
	crew.For(len(s.P), 64, func(lo, hi int) {
		for i := lo; i < hi; i++ {
			s.Q[i] = s.rub(i, dt)
		}
	})
	s.meet(w, s.start, func(near []int32, i int) {
		q := s.Q[i]
		if w.Seal != nil {
			q, s.touch[i] = w.Seal(s.touch[i], near, s.start[i], q)
		}
		s.V[i] = q.Sub(s.P[i]).Mul(1 / dt)
		s.P[i] = q
	}, crew)
	copy(s.Q, s.P)
}

// rub is where a drop comes to past the friction of what it touches.
func (s *Set) rub(i int, dt float64) geom.Vec3 {
	q := s.Q[i]
	for k := range s.touch[i] {
		c := &s.touch[i][k]
		press := c.Shift.Dot(c.N)
		if press <= 0 {
			continue
		}
		slip := q.Sub(s.P[i]).Sub(c.V.Mul(dt))
		slip = slip.Sub(c.N.Mul(slip.Dot(c.N)))
		if l := slip.Len(); l > 0 {
			by := slip.Mul(-min(1, c.Mu*press/l))
			q, c.Shift = q.Add(by), c.Shift.Add(by)
		}
	}
	return q
}

// smooth brings neighbours' velocities together: of a liquid of so many Pa s what diffuses within a
// step, and a hundredth besides, which keeps what is thin from boiling.
func (s *Set) smooth(dt, viscous float64, crew grid.Crew) {
	c := min(0.02+10*viscous/s.Density*dt/(s.Spacing*s.Spacing), 0.5)
	crew.For(len(s.P), 64, func(lo, hi int) {
		for i := lo; i < hi; i++ {
			var by geom.Vec3
			s.near(i, func(j int32) {
				d := s.P[i].Sub(s.P[j])
				if l := d.Dot(d); l < s.k.r*s.k.r {
					by = by.Add(s.V[j].Sub(s.V[i]).Mul(s.k.scale * shape(math.Sqrt(l)/s.k.r)))
				}
			})
			s.delta[i] = by.Mul(c)
		}
	})
	for i, d := range s.delta {
		s.V[i] = s.V[i].Add(d)
	}
}

// Touching are the contacts of a drop in the step made last.
func (s *Set) Touching(i int) []Contact { return s.touch[i] }
