package liquid

// What a liquid carries besides its motion: heat, which it loses to the air and by
// radiation and which stiffens it, and the share of a second liquid that is mixed in.

import (
	"math"

	"zarf/core/noise"
	"zarf/core/vec"
)

// Warmth is how a liquid keeps, loses and feels its heat.
type Warmth struct {
	Air      float64 // K, of the air and of what surrounds it
	Capacity float64 // J/(kg K)
	Conducts float64 // W/(m K)
	Radiates float64 // emissivity
	Exchange float64 // W/(m² K), that the air takes
	// Viscosity is that of Physics from FlowsAt on, K, and Stiff, Pa·s, up to StiffAt; its
	// logarithm changes evenly between.
	FlowsAt, StiffAt, Stiff float64
}

// boltzmann is Stefan and Boltzmann's constant, W/(m² K⁴).
const boltzmann = 5.670374e-8

// Lost is what a surface at t kelvin loses, W/m².
func (w *Warmth) Lost(t float64) float64 {
	return w.Radiates*boltzmann*(math.Pow(t, 4)-math.Pow(w.Air, 4)) + w.Exchange*(t-w.Air)
}

// thickness is the viscosity at t kelvin over that where it flows.
func (w *Warmth) thickness(flows, t float64) float64 {
	if w.Stiff <= 0 || flows <= 0 || w.FlowsAt <= w.StiffAt {
		return 1
	}
	u := min(max((w.FlowsAt-t)/(w.FlowsAt-w.StiffAt), 0), 1)
	return math.Pow(w.Stiff/flows, u)
}

// carryAlong does what concerns what liquids carry besides their motion.
func (s *Solver) carryAlong(dt float64, p *Physics) {
	if p.Warmth != nil {
		s.cool(dt, p)
	} else {
		s.heat, s.loses, s.stiff = nil, nil, nil
	}
	if p.Mixes {
		s.blend(dt, p)
	} else {
		s.mixed, s.weights, s.ease = nil, nil, nil
	}
}

// cool works out how warm cells are and what they lose in a substep: by conduction among
// themselves, and at the surface by radiation and to the air. A cell's surface is told by how
// fast fullness falls across it; ∫|∇ρ| over a layer is one whatever the layer's shape.
func (s *Solver) cool(dt float64, p *Physics) {
	w := p.Warmth
	near := s.live.grow(1, s.Dims)
	if s.heat == nil {
		s.heat, s.loses = make([]float32, s.Len()), make([]float32, s.Len())
		s.stiff = make([]float32, s.Len())
	}
	s.rows(3, s.work, func(j, k, i0, i1 int) {
		o := s.Index(0, j, k)
		sums := s.sums[3][s.stagger.Row(j, k):]
		for i := i0; i < i1; i++ {
			s.heat[o+i], s.loses[o+i] = 0, 0
			if near.holds(i, j, k) && sums[2*i+1] > 1e-6 {
				s.heat[o+i] = sums[2*i] / sums[2*i+1]
			}
		}
	})
	// α dt/h²; in parts that are stable, as many as it takes up to a limit
	alpha := w.Conducts / (p.Density * w.Capacity) * dt / (s.H * s.H)
	parts := min(max(int(math.Ceil(alpha*8)), 1), 60)
	share := float32(min(alpha/float64(parts), 0.12))
	next := s.stiff // room, until it is filled below
	for range parts {
		s.rows(3, near, func(j, k, i0, i1 int) { s.conduct(next, j, k, i0, i1, share, dt/float64(parts), p) })
		s.rows(3, near, func(j, k, i0, i1 int) {
			o := s.Index(0, j, k)
			for c := o + i0; c < o+i1; c++ {
				s.loses[c] += next[c] - s.heat[c]
				s.heat[c] = next[c]
			}
		})
	}
	s.rows(3, s.work, func(j, k, i0, i1 int) {
		o := s.Index(0, j, k)
		for c := o + i0; c < o+i1; c++ {
			s.stiff[c] = 1
			if t := s.heat[c]; t > 0 {
				s.stiff[c] = float32(w.thickness(p.Viscosity, float64(t)))
			}
		}
	})
}

// conduct writes into next how warm a row of cells is a part of a substep later.
func (s *Solver) conduct(next []float32, j, k, i0, i1 int, share float32, dt float64, p *Physics) {
	w := p.Warmth
	o := s.Index(0, j, k)
	sides := s.sides(j, k)
	step := [3]int{1, s.NX, s.NX * s.NY}
	for i := i0; i < i1; i++ {
		c := o + i
		t := s.heat[c]
		if next[c] = t; t == 0 {
			continue
		}
		var sum, count float32
		own := max(s.rho.Data[c], 1e-3)
		take := func(nb int, there bool) {
			if there && s.heat[nb] > 0 {
				// through as much as both hold, into as much as this one does
				w := min(s.rho.Data[nb], own) / own
				sum, count = sum+w*s.heat[nb], count+w
			}
		}
		take(c-1, i > 0)
		take(c+1, i < s.NX-1)
		for _, row := range sides {
			take(row+i, row >= 0)
		}
		t += share * (sum - count*t)
		full := float64(s.rho.Data[c])
		if slope, open := s.slope(c, [3]int{i, j, k}, step); open && full > airy {
			// towards the air's temperature and never beyond
			if over := float64(t) - w.Air; over != 0 {
				rate := w.Lost(float64(t)) / over * slope.Len() / (p.Density * w.Capacity * s.H * full)
				t = float32(w.Air + over*math.Exp(-rate*dt))
			}
		}
		next[c] = t
	}
}

// takeHeat gives the particles of a batch what their cells lost.
func (s *Solver) takeHeat(w *bundle, n int) {
	full := (n + vec.Lanes - 1) &^ (vec.Lanes - 1)
	x := w.x()
	l := vec.NewLattice(s.loses, s.NX, s.NY, s.NZ, [3]float32{0.5, 0.5, 0.5})
	var at vec.Spots
	l.Locate(&at, x[0][:full], x[1][:full], x[2][:full])
	l.At(w.sum[0][:full], &at, 0)
	for i, v := range w.sum[0][:n] {
		w.c[7][i] += v
	}
}

// blend spreads the share of the second liquid among neighbours: a particle goes over to its
// surroundings' at a rate, 1/s. It works out how heavy cells are by it.
func (s *Solver) blend(dt float64, p *Physics) {
	if s.mixed == nil {
		s.mixed, s.weights, s.ease = make([]float32, s.Len()), make([]float32, s.Len()), make([]float32, s.Len())
	}
	near := s.live.grow(1, s.Dims)
	s.rows(3, s.work, func(j, k, i0, i1 int) {
		o := s.Index(0, j, k)
		clear(s.mixed[o+i0 : o+i1])
		clear(s.weights[o+i0 : o+i1])
	})
	s.slabs(func(k0, k1 int) {
		for _, q := range s.P[s.start[s.Index(0, 0, k0)]:s.start[s.Index(0, 0, k1-1)+s.NX*s.NY]] {
			i, j, k, fx, fy, fz := placeIn(3, &q.X)
			for c, w := range hats(fx, fy, fz) {
				at := [3]int{i + c&1, j + c>>1&1, k + c>>2}
				if near.holds(at[0], at[1], at[2]) {
					m := s.Index(at[0], at[1], at[2])
					s.mixed[m] += w * q.Mix
					s.weights[m] += w
				}
			}
		}
	})
	second := p.Second
	if second <= 0 {
		second = p.Density
	}
	s.rows(3, s.work, func(j, k, i0, i1 int) {
		o := s.Index(0, j, k)
		for c := o + i0; c < o+i1; c++ {
			s.ease[c] = 1
			if s.weights[c] > 1e-6 {
				s.mixed[c] /= s.weights[c]
				s.ease[c] = float32(p.Density / (p.Density + float64(s.mixed[c])*(second-p.Density)))
			}
		}
	})
	if p.Blends <= 0 {
		return
	}
	keep := float32(math.Exp(-p.Blends * dt))
	s.crew.For(len(s.P), 4096, func(lo, hi int) {
		for n := lo; n < hi; n++ {
			q := &s.P[n]
			i, j, k, fx, fy, fz := placeIn(3, &q.X)
			var sum, all float32
			for c, w := range hats(fx, fy, fz) {
				at := [3]int{i + c&1, j + c>>1&1, k + c>>2}
				if near.holds(at[0], at[1], at[2]) {
					sum, all = sum+w*s.mixed[s.Index(at[0], at[1], at[2])], all+w
				}
			}
			if all > 0 {
				m := sum / all
				q.Mix = m + (q.Mix-m)*keep
			}
		}
	})
}

// easeOf is how easily a face is moved, over what the first liquid's would be: by the mean
// weight of its cells, those of them that are liquid.
func (s *Solver) easeOf(a, b int) float32 {
	switch {
	case s.ease == nil:
		return 1
	case a < 0 || !s.wet[a]:
		return s.ease[b]
	case b < 0 || !s.wet[b]:
		return s.ease[a]
	}
	return 2 * s.ease[a] * s.ease[b] / (s.ease[a] + s.ease[b])
}

// stiffness is how viscous a place is over Physics.Viscosity: the logarithmic mean of the
// cells at (i,j,k) less up to one along two axes.
func (s *Solver) stiffness(i, j, k, a, b int) float32 {
	if s.stiff == nil {
		return 1
	}
	sum, n := 0.0, 0.0
	for c := range 4 {
		at := [3]int{i, j, k}
		at[a] -= c & 1
		at[b] -= c >> 1
		if at[0] < 0 || at[1] < 0 || at[2] < 0 || at[0] >= s.NX || at[1] >= s.NY || at[2] >= s.NZ {
			continue
		}
		if m := s.Index(at[0], at[1], at[2]); s.heat[m] > 0 {
			sum, n = sum+math.Log(float64(s.stiff[m])), n+1
		}
	}
	if n == 0 {
		return 1
	}
	return float32(math.Exp(sum / n))
}

// stiffest is the largest stiffness of the liquid.
func (s *Solver) stiffest() float32 {
	top := float32(1)
	if s.stiff == nil {
		return top
	}
	for k := s.live.lo[2]; k < s.live.hi[2]; k++ {
		for j := s.live.lo[1]; j < s.live.hi[1]; j++ {
			for i := s.live.lo[0]; i < s.live.hi[0]; i++ {
				top = max(top, s.stiff[s.Index(i, j, k)])
			}
		}
	}
	return top
}

// skinHeat is how warm the particles near the surface are on the mean, K; 0 where none is.
func (s *Solver) skinHeat(near []bool) float64 {
	sum, n := 0.0, 0.0
	for i := range s.P {
		if p := &s.P[i]; p.Heat > 0 && near[cellOf(s.Dims, &p.X)] {
			sum, n = sum+float64(p.Heat), n+1
		}
	}
	if n == 0 {
		return 0
	}
	return sum / n
}

// Carried is the mean of a number of particles in and beside the liquid's cells, 0 elsewhere.
func (s *Solver) Carried(of func(p *Particle) float32) []float32 {
	sum, all := make([]float32, s.Len()), make([]float32, s.Len())
	near := s.live.grow(1, s.Dims)
	s.slabs(func(k0, k1 int) {
		list := s.P[s.start[s.Index(0, 0, k0)]:s.start[s.Index(0, 0, k1-1)+s.NX*s.NY]]
		for n := range list {
			q := &list[n]
			v := of(q)
			i, j, k, fx, fy, fz := placeIn(3, &q.X)
			for c, w := range hats(fx, fy, fz) {
				if at := [3]int{i + c&1, j + c>>1&1, k + c>>2}; near.holds(at[0], at[1], at[2]) {
					m := s.Index(at[0], at[1], at[2])
					sum[m], all[m] = sum[m]+w*v, all[m]+w
				}
			}
		}
	})
	for c, w := range all {
		if w > 1e-6 {
			sum[c] /= w
		}
	}
	return sum
}

// varied is the heat of a particle that comes in: a little apart from the others', so that a
// crust doesn't close everywhere at once.
func varied(t float64, seed uint64, n int) float32 {
	if t == 0 {
		return 0
	}
	return float32(t * (1 + 0.01*(float64(noise.Hash(seed, int64(n), 7, 0)>>40)/(1<<23)-1)))
}
