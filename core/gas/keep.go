package gas

// What advection has to keep. Reading where gas came from keeps amounts nearly;
// MacCormack's correction doesn't, as what would go under 0 is put back and what goes over
// the top is not: a flame that is fed a kilogram burns five. So what the correction adds
// is weakened until sums agree again (after Bermejo and Conde 2002, A conservative
// quasi-monotone semi-Lagrangian scheme): those of smoke and warmth lot by lot (budget.go),
// that of fuel over the whole box. Advection–reflection has no
// correction; its lots are scaled.
//
// Warm gas is light: a m³ of it holds T₀/T of what a m³ of air holds. What is mixed in
// equal parts of volume is therefore not temperature but density, of which
// δ = 1 − T₀/T is how much is missing; ∫δ dV is the warmth there, but for a factor. And
// fuel, which is kg a m³, thins out where gas makes room for itself.

import (
	"math"

	"zarf/core/grid"
	"zarf/core/vec"
)

// carryAll carries channels and what points hold along for dt seconds, stirred by what voxels are
// too coarse for.
func (s *Solver) carryAll(dt float64, p Physics, scheme Scheme) error {
	s.stirred = s.stir(p.SubGrid)
	if s.stirred {
		s.way, s.stirs.way = s.stirs.way, s.way
	}
	s.carryChannels(dt, p.AirTemperature, scheme)
	if s.stirred {
		s.way, s.stirs.way = s.stirs.way, s.way
	}
	return s.carrySmoke(dt, p.Dissipation)
}

// carryChannels carries smoke, heat and fuel along for dt seconds through air at so many
// kelvin; channels that are zero everywhere stay. All are read at the same places, which
// are found once.
func (s *Solver) carryChannels(dt, air float64, scheme Scheme) {
	var list []*parcel
	for n, f := range s.channels() {
		if s.live[n] && !(n == 0 && s.points != nil) {
			list = append(list, s.parcel(n, f))
		}
	}
	if len(list) == 0 {
		return
	}
	reach := s.goes
	if scheme == Reflection { // it goes at speeds that no survey has seen
		reach = s.NY + s.NZ
	}
	heat, fuel := s.live[1] && air > 0, s.Fuel != nil && s.live[2]
	var left float64 // fuel that is still there after the step, in cells
	if fuel {
		left = s.amount(2) - s.fuelOut(dt)
	}
	if heat {
		s.heated(0, func(row []float32) { vec.Deficit(row, float32(air)) })
	}
	// what semi-Lagrangian reading loses stays lost: it is for drafts, and quick
	keeps := scheme != SemiLagrangian
	kept := [2]bool{keeps && s.live[0] && s.points == nil, keeps && s.live[1]}
	for n, k := range kept {
		if k {
			s.budgets[n].begin(s, n, dt)
		}
	}
	s.carry(onCentre, list, scheme)
	for n, k := range kept {
		if k && scheme == MacCormack {
			s.budgets[n].end(s, n, reach, dt)
		} else if k {
			s.budgets[n].scale(s, n, reach, dt)
		}
	}
	if heat {
		s.heated(reach, func(row []float32) { vec.Warmth(row, float32(air)) })
	}
	if fuel {
		s.keepFuel(dt, left, reach, scheme == MacCormack)
	}
}

// heated runs fn over the rows that may hold heat after it went so many cells.
func (s *Solver) heated(reach int, fn func(row []float32)) {
	s.held(1, reach, func(_, o, n int) { fn(s.Heat.Data[o : o+n]) })
}

// held runs fn over the runs of cells that may hold something of a channel after it went
// reach cells, a plane at a time.
func (s *Solver) held(channel, reach int, fn func(k, o, n int)) {
	a, l := &s.alive[channel], &s.lay[onCentre]
	s.crew.For(s.NZ, s.grain(), func(k0, k1 int) {
		for k := k0; k < k1; k++ {
			for j := range s.NY {
				if !a.any(j-reach, j+reach, k-reach, k+reach, s.NY, s.NZ) {
					continue
				}
				for _, p := range l.spans(j, k) {
					fn(k, l.Index(p.Lo, j, k), p.Hi-p.Lo)
				}
			}
		}
	})
}

// free runs fn over what of a run of cells isn't in a solid.
func (s *Solver) free(o, n int, fn func(o, n int)) {
	if j, k := o/s.NX%s.NY, o/(s.NX*s.NY); !s.solid.any || !s.solid.within(j, k, 0) {
		fn(o, n)
		return
	}
	for lo := 0; lo < n; {
		hi := lo
		for hi < n && !s.solid.blocked[o+hi] {
			hi++
		}
		if hi > lo {
			fn(o+lo, hi-lo)
		}
		lo = hi + 1
	}
}

// amount is the sum of a channel outside solids.
func (s *Solver) amount(channel int) (sum float64) {
	f := s.channels()[channel]
	part := make([]float64, s.NZ)
	s.held(channel, 0, func(k, o, n int) {
		s.free(o, n, func(o, n int) { part[k] += vec.Sum(f.Data[o : o+n]) })
	})
	for _, v := range part {
		sum += v
	}
	return sum
}

// bent sums what the correction added to a channel, and what it took.
func (s *Solver) bent(channel, reach int) (over, under float64) {
	p := &s.parcels[channel]
	part := make([][2]float64, s.NZ) // added in order: the bits don't depend on threads
	s.held(channel, reach, func(k, o, n int) {
		s.free(o, n, func(o, n int) {
			a, b := vec.Bent(p.f.Data[o:o+n], p.hat.Data[o:o+n])
			part[k][0], part[k][1] = part[k][0]+a, part[k][1]+b
		})
	})
	for _, v := range part {
		over, under = over+v[0], under+v[1]
	}
	return over, under
}

// roomMade reports that gas made room for itself in the step before: in a shut box there is
// none to be made.
func (s *Solver) roomMade() bool { return s.sourced && (s.open.Any() || !s.tiles.Full()) }

func (s *Solver) bend(channel, reach int, up, down float64) {
	p := &s.parcels[channel]
	s.held(channel, reach, func(_, o, n int) { vec.Bend(p.f.Data[o:o+n], p.hat.Data[o:o+n], float32(up), float32(down)) })
}

// keepFuel thins fuel out where gas made room, and weakens the correction until so much is
// left, in cells. What even that doesn't mend is scaled.
func (s *Solver) keepFuel(dt, left float64, reach int, corrected bool) {
	const fuel = 2
	if s.roomMade() {
		s.thin(dt, reach)
	}
	over, under, all := 0.0, 0.0, 0.0
	part := make([]float64, s.NZ)
	s.held(fuel, reach, func(k, o, n int) {
		s.free(o, n, func(o, n int) { part[k] += vec.Sum(s.Fuel.Data[o : o+n]) })
	})
	for _, v := range part {
		all += v
	}
	if corrected {
		over, under = s.bent(fuel, reach)
	}
	up, down, scale := shares(left, all, over, under)
	if up < 1 || down < 1 {
		s.bend(fuel, reach, up, down)
	}
	if scale != 1 {
		s.held(fuel, reach, func(_, o, n int) {
			for i := range s.Fuel.Data[o : o+n] {
				s.Fuel.Data[o+i] *= float32(scale)
			}
		})
	}
}

// shares is how much of what a correction added (over) and took (under) may stay, and what
// all has to be scaled by after that, so that all becomes left or at least comes near.
func shares(left, all, over, under float64) (up, down, scale float64) {
	up, down, scale = 1, 1, 1
	switch much := all - left; {
	case much > 0:
		if over > 0 {
			up = max(0, 1-much/over)
		}
		if rest := all - over; much > over && rest > 0 {
			scale = max(0, left) / rest
		}
	case much < 0:
		if under > 0 {
			down = max(0, 1+much/under)
		}
		if rest := all + under; much < -under && rest > 0 {
			scale = min(left/rest, 1.1) // what left at the sides is known but roughly
		}
	}
	return up, down, scale
}

// thin takes the share of fuel away that makes room for it took: e^(−∇·u dt), of the place
// where the gas came from.
func (s *Solver) thin(dt float64, reach int) {
	s.made.find(s, s.source)
	if s.room.still == nil {
		s.room.still = make([]int32, s.Len()/64+1)
	}
	s.room.f, s.room.hat, s.room.low, s.room.high, s.room.rows = s.source, s.hat[onCentre], s.low, s.high, &s.made
	s.carry(onCentre, []*parcel{&s.room}, SemiLagrangian)
	first := s.parcels[2].hat
	s.held(2, reach, func(_, o, n int) {
		fuel, was := s.Fuel.Data[o:o+n], first.Data[o:o+n]
		for i, v := range s.source.Data[o : o+n] {
			if v != 0 && (fuel[i] != 0 || was[i] != 0) {
				q := float32(math.Exp(-dt * float64(v)))
				fuel[i], was[i] = q*fuel[i], q*was[i]
			}
		}
	})
}

// find looks for the rows of a field that hold anything.
func (a *alive) find(s *Solver, f *grid.Field) {
	if len(a.rows) != s.NY*s.NZ {
		a.rows = make([]bool, s.NY*s.NZ)
	}
	clear(a.rows)
	s.each(onCentre, func(_, j, k, o, n int) {
		if top, _ := vec.Largest(f.Data[o : o+n]); top != 0 {
			a.rows[k*s.NY+j] = true
		}
	})
	a.count(s.NY, s.NZ)
}

// fuelOut is the fuel that leaves through open sides in dt seconds, in cells.
func (s *Solver) fuelOut(dt float64) (sum float64) {
	for side, open := range s.open {
		if open {
			sum += s.through(side, s.Fuel)
		}
	}
	return sum * dt / s.H
}

// through is what of a channel goes out through a side, Σ u f over its faces.
func (s *Solver) through(side int, ch *grid.Field) (sum float64) {
	s.leaving(side, ch, func(_, _, _ int, out float64) { sum += out })
	return sum
}

// leaving tells of each cell at a side what goes out of it there: speed outwards × what the
// cell holds, as upwind as the advection that takes it away.
func (s *Solver) leaving(side int, ch *grid.Field, fn func(i, j, k int, out float64)) {
	a, n := side/2, [3]int{s.NX, s.NY, s.NZ}
	f := s.velocity()[a]
	lo, hi, sign := [3]int{}, n, -1.0
	if side%2 == 0 {
		hi[a] = 1
	} else {
		lo[a], sign = n[a]-1, 1
	}
	for k := lo[2]; k < hi[2]; k++ {
		for j := lo[1]; j < hi[1]; j++ {
			for i := lo[0]; i < hi[0]; i++ {
				d := ch.Data[s.Index(i, j, k)]
				if d == 0 {
					continue
				}
				p := [3]int{i, j, k}
				p[a] += side % 2
				if out := sign * float64(f.At(p[0], p[1], p[2])); out > 0 {
					fn(i, j, k, out*float64(d))
				}
			}
		}
	}
}
