package drop

import (
	"math"
	"slices"

	"zarf/core/geom"
	"zarf/core/grid"
)

// Set is a liquid's drops: the slices are of one length. Their rows change from step to step; their
// identities last.
type Set struct {
	Spacing float64 // m: an edge of the cube that a drop fills
	Density float64 // kg/m³
	P, V    []geom.Vec3
	ID      []uint32
	Age     []float64 // s
	// Press is what kept each at its density in the step before: the sum of its factors, none over
	// 0. The next step begins with that.
	Press []float64

	Next uint32 // the identity that the next gets

	start  []geom.Vec3 // where they began the step
	Q      []geom.Vec3 // where they go within the step
	k      *kernel
	cells  cells
	order  []int32
	from   []int32
	of     []int32
	lists  [][]int32
	lambda []float64
	delta  []geom.Vec3
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
	s.Press = append(s.Press, 0)
	s.Next++
}

// Keep drops what isn't to be kept, in order.
func (s *Set) Keep(keep func(i int) bool) {
	n := 0
	for i := range s.P {
		if keep(i) {
			s.P[n], s.V[n], s.ID[n], s.Age[n], s.Press[n] = s.P[i], s.V[i], s.ID[i], s.Age[i], s.Press[i]
			n++
		}
	}
	s.P, s.V, s.ID, s.Age, s.Press = s.P[:n], s.V[:n], s.ID[:n], s.Age[:n], s.Press[:n]
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
	// Find appends the contacts of a drop that goes from p to q; nil: there are none. It is asked
	// by several threads at once.
	Find func(list []Contact, i int, p, q geom.Vec3) []Contact
	// Seal is the last word on where a drop ends that goes from p to q: past nothing. It appends
	// contacts that were met only then, with their shifts.
	Seal func(list []Contact, p, q geom.Vec3) (geom.Vec3, []Contact)
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
	s.sort()
	for _, v := range []*[]geom.Vec3{&s.Q, &s.delta} {
		*v = slices.Grow((*v)[:0], n)[:n]
	}
	s.lambda = slices.Grow(s.lambda[:0], n)[:n]
	copy(s.Q, s.P)
	s.start = append(s.start[:0], s.P...)
	s.find(crew)
	if w.Tension > 0 {
		s.attract(dt, w.Tension, crew)
	}
	s.touch = slices.Grow(s.touch[:0], n)[:n]
	crew.For(n, 64, func(lo, hi int) {
		for i := lo; i < hi; i++ {
			a := w.Gravity
			if w.Push != nil {
				a = a.Add(w.Push(s.P[i], s.V[i]))
			}
			s.V[i] = s.V[i].Add(a.Mul(dt))
			s.Q[i] = s.P[i].Add(s.V[i].Mul(dt))
			s.touch[i] = s.touch[i][:0]
			if w.Find != nil {
				s.touch[i] = w.Find(s.touch[i], i, s.P[i], s.Q[i])
				s.cling(i, dt, w.Tension)
			}
		}
	})
	s.find(crew)
	s.untangle(dt, crew)
	rounds := w.Rounds
	if rounds == 0 {
		rounds = 8
	}
	for i, p := range s.Press { // what held them before holds them now, about
		s.lambda[i], s.Press[i] = warm*p, warm*p
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
	for range untangled {
		crew.For(len(s.P), 64, func(lo, hi int) {
			for i := lo; i < hi; i++ {
				_, l := s.crowd(i)
				s.lambda[i] = min(0.5*l, 0)
			}
		})
		crew.For(len(s.P), 64, func(lo, hi int) {
			for i := lo; i < hi; i++ {
				by := s.apart(i)
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
			}
		})
		for i, by := range s.delta {
			s.Q[i], s.P[i] = s.Q[i].Add(by), s.P[i].Add(by)
		}
	}
	s.Q, s.P = s.P, s.Q
	back(dt)
}

// firm keeps a lone pair's correction finite.
const firm = 1e-2

// crowd is the density at a drop in shares of that at rest, and Lagrange's factor of the correction
// that brings it there (eq. 8 to 11 of Macklin and Müller).
func (s *Set) crowd(i int) (density, lambda float64) {
	p, r := s.Q[i], s.k.r
	density = s.k.within
	var own geom.Vec3
	sum := 0.0
	for _, j := range s.near(i) {
		d := p.Sub(s.Q[j])
		l := d.Dot(d)
		if l >= r*r {
			continue
		}
		l = math.Sqrt(l)
		w, dw := spline(l / r)
		density += s.k.scale * w
		if l > 0 {
			g := d.Mul(s.k.scale * dw / (r * l))
			own = own.Add(g)
			sum += g.Dot(g)
		}
	}
	for k := range s.touch[i] {
		c := &s.touch[i][k]
		share, slope := s.k.past(p.Sub(c.C).Dot(c.N))
		density += share
		own = own.Add(c.N.Mul(slope))
	}
	return density, (1 - density) / (sum + own.Dot(own) + firm/(r*r))
}

// correct moves drops to where their density is that at rest, and off what they touch.
//
// A factor may draw back what another round, or the step before, pushed too far; all rounds of a step
// together only push.
func (s *Set) correct(crew grid.Crew) {
	crew.For(len(s.P), 64, func(lo, hi int) {
		for i := lo; i < hi; i++ {
			_, l := s.crowd(i)
			sum := min(s.Press[i]+relax*l, 0)
			s.lambda[i], s.Press[i] = sum-s.Press[i], sum
		}
	})
	s.move(crew)
}

// loose is the density under which a drop has come off the others.
const loose = 0.98

// relax is the share of a factor that a round takes, as neighbours take theirs at once; warm that of
// the step before which the next begins with.
const relax, warm = 0.6, 0.5

// move moves drops by their factors.
func (s *Set) move(crew grid.Crew) {
	n := len(s.P)
	crew.For(n, 64, func(lo, hi int) {
		for i := lo; i < hi; i++ {
			s.delta[i] = s.apart(i)
		}
	})
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
		}
	})
}

// apart is what pairs move a drop by.
func (s *Set) apart(i int) (by geom.Vec3) {
	p, r := s.Q[i], s.k.r
	for _, j := range s.near(i) {
		l := s.lambda[i] + s.lambda[j]
		if l == 0 {
			continue
		}
		d := p.Sub(s.Q[j])
		r2 := d.Dot(d)
		if r2 >= r*r || r2 == 0 {
			continue
		}
		far := math.Sqrt(r2)
		_, dw := spline(far / r)
		by = by.Add(d.Mul(l * s.k.scale * dw / (r * far)))
	}
	return by
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
	return crew.Sum((n+piece-1)/piece, 1, func(k int) (sum float64) {
		for i := k * piece; i < min((k+1)*piece, n); i++ {
			d, _ := s.crowd(i)
			sum += max(d-1, 0)
			if d < loose { // it came off: nothing presses it in the next step
				s.Press[i] = 0
			}
		}
		return sum
	}) / float64(n)
}

// end makes velocities of what drops moved, and lets them rub where they touch.
func (s *Set) end(dt float64, w *World, crew grid.Crew) {
	crew.For(len(s.P), 64, func(lo, hi int) {
		for i := lo; i < hi; i++ {
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
			if w.Seal != nil {
				q, s.touch[i] = w.Seal(s.touch[i], s.start[i], q)
			}
			s.V[i] = q.Sub(s.P[i]).Mul(1 / dt)
			s.P[i] = q
		}
	})
	copy(s.Q, s.P)
}

// smooth brings neighbours' velocities together: of a liquid of so many Pa s what diffuses within a
// step, and a hundredth besides, which keeps what is thin from boiling.
func (s *Set) smooth(dt, viscous float64, crew grid.Crew) {
	c := min(0.02+10*viscous/s.Density*dt/(s.Spacing*s.Spacing), 0.5)
	crew.For(len(s.P), 64, func(lo, hi int) {
		for i := lo; i < hi; i++ {
			var by geom.Vec3
			for _, j := range s.near(i) {
				d := s.P[i].Sub(s.P[j])
				if l := d.Dot(d); l < s.k.r*s.k.r {
					w, _ := spline(math.Sqrt(l) / s.k.r)
					by = by.Add(s.V[j].Sub(s.V[i]).Mul(s.k.scale * w))
				}
			}
			s.delta[i] = by.Mul(c)
		}
	})
	for i, d := range s.delta {
		s.V[i] = s.V[i].Add(d)
	}
}

// Touching are the contacts of a drop in the step made last.
func (s *Set) Touching(i int) []Contact { return s.touch[i] }
