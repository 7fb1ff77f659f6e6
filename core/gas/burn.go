package gas

// Fire. Fuel vapour is carried by the air and burns where it is alight; being alight
// spreads from cell to cell as a front, so that a cloud burns inwards from where it
// was lit and not all at once. Heat lifts, soot is seen, and warmed gas makes room
// for itself through the projection's right side. Amounts are accounted for to the
// digit: fuel that came in is fuel burnt, held, or carried out.

import (
	"math"

	"zarf/core/grid"
	"zarf/core/shot"
	"zarf/core/shot/val"
	"zarf/core/vec"
)

// least is the fuel, kg/m³, under which nothing burns or spreads.
const least = 1e-4

// radiated is the share of a fire's power that glows away without warming its gas: 0.3 to
// 0.4 of sooty fuels, the more the larger the fire (Tewarson 2008).
const radiated = 0.35

// FlameHeight is how high the flame of a burner is over it, m, by Heskestad (1983,
// Luminous heights of turbulent diffusion flames): L = 0.235 Q^(2/5) − 1.02 D, for a power
// of Q kW and D m across.
func FlameHeight(kw, across float64) float64 {
	return max(0, 0.235*math.Pow(kw, 0.4)-1.02*across)
}

// Power is that of a fire, kW, that warms so many m³ of air by a kelvin in a second, and
// glows the rest away.
func Power(s *shot.Shot, warms float64) float64 {
	return warms * val.AirDensity.Of(s) * HeatCapacity / 1e3 / (1 - radiated)
}

// radiate cools by radiation: dT/dt = −k ((T − T₀)/(Tmax − T₀))⁴ (Nguyen,
// Fedkiw, Jensen 2002, eq. 16), integrated exactly: with θ the ratio,
// θ⁻³ grows by 3 k/(Tmax − T₀) a second.
func (s *Solver) radiate(dt float64, p Physics) {
	span := p.Fire.RadiationAt - p.AirTemperature
	if p.Fire.Radiation <= 0 || span <= 0 {
		return
	}
	// θ' = −(k/span) θ⁴ has the solution θ(t)⁻³ = θ(0)⁻³ + 3 (k/span) t. An explicit
	// step would cool a flame of 2,000 K below the air in a long substep.
	grow := 3 * p.Fire.Radiation / span * dt
	s.each(onCentre, func(_, _, _, o, n int) {
		row := s.Heat.Data[o : o+n]
		for i, v := range row {
			if v < 1 { // a kelvin over the air radiates nothing to speak of
				continue
			}
			th := float64(v) / span
			row[i] = float32(float64(v) * cooled(grow*th*th*th))
		}
	})
}

// cooled is (1 + x)^(−1/3) for x ≥ 0, to 3e-10: Newton's steps y ← y (4 − (1 + x) y³)/3
// from a third of the exponent.
func cooled(x float64) float64 {
	x++
	y := math.Float64frombits(0x553ef0ff289dd796 - math.Float64bits(x)/3)
	for range 3 {
		y *= (4 - x*(y*y*y)) * (1. / 3)
	}
	return y
}

// log1p is ln(1 + x) for x ≥ 0, to 1e-8: for small x by 2 artanh z, z = x/(2 + x), as
// far as z⁷.
func log1p(x float64) float64 {
	if x > 0.3 {
		return math.Log1p(x)
	}
	z := x / (2 + x)
	q := z * z
	return 2 * z * (1 + q*(1./3+q*(1./5+q*(1./7))))
}

// burned is what a plane's fire did.
type burned struct{ fuel, soot, volume float64 }

// burn lights, spreads and burns for dt seconds. It returns the volume made,
// m³/s. Within a cell, burn b (0 unlit, 1 alight) says how much of the fuel f
// takes part:
//
//	b := 1                 where f is present and T ≥ ignition
//	∂b/∂t = D ∇²b + r b(1−b)  where f is present: a front that runs at 2√(rD),
//	                       the spread asked for, two voxels thick (Fisher 1937)
//	df/dt = −rate b f      fuel used up (Feldman, O'Brien, Arikan 2003, with a
//	                       rate in proportion to what is there)
//	dT/dt = heat · burnt / (ρ c_p), ρ = ρ₀ T₀/T, soot and spent air in proportion
//	∇·u = expansion · (dT/dt)/T   the room that warmed gas takes at constant
//	                       pressure
func (s *Solver) burn(dt float64, p Physics, st *FrameStats) float64 {
	if !s.live[2] && !s.live[3] && s.total(s.Fuel) == 0 {
		return 0
	}
	s.spread(dt, p.Fire.Spread)
	h3 := s.H * s.H * s.H
	fl := burnStep{Physics: p, air: p.AirTemperature, dt: dt, lights: float32(p.Fire.Ignition - p.AirTemperature), warm: p.Fire.Heat / (p.AirDensity * HeatCapacity)}
	if fl.Fire.Afterglow > 0 {
		fl.fade = float32(math.Exp(-dt / fl.Fire.Afterglow))
	}
	// a plane each, added in order below: the accounts have the same bits on any
	// number of threads
	part := make([]burned, s.NZ)
	l := &s.lay[onCentre]
	s.sourced = true
	s.crew.For(s.NZ, s.grain(), func(k0, k1 int) {
		for k := k0; k < k1; k++ {
			for j := range s.NY {
				for _, r := range l.spans(j, k) {
					s.burnRow(&fl, l.Index(r.Lo, j, k), l.Index(r.Hi-1, j, k)+1, &part[k])
				}
			}
		}
	})
	var all burned
	for _, v := range part {
		all.fuel += v.fuel
		all.soot += v.soot
		all.volume += v.volume
	}
	st.FuelBurnt += all.fuel * h3
	st.HeatMade += all.fuel * h3 * fl.warm
	st.SootMade += all.soot * h3
	st.Expanded += all.volume * h3 * dt
	return all.volume * h3
}

// burnStep is what a step of burning needs of each row.
type burnStep struct {
	Physics
	air, dt float64
	lights  float32 // K over the air at which fuel catches fire
	fade    float32 // what is left after a step of a flame without fuel
	warm    float64 // K that a kg/m³ of fuel makes its air warmer by
}

// burnRow burns values o to e of the arrays, and adds up what it burnt. A voxel
// without fuel only fades; one without air goes out; the others light where they
// are hot, burn a share of their fuel that follows from the rate, at most what
// their oxygen allows, and get warmer, sootier and larger by it.
func (s *Solver) burnRow(f *burnStep, o, e int, sum *burned) {
	var alight, share float64 // the share that burns in a voxel as much alight
	fuel, burn, heat, smoke, src := s.Fuel.Data[o:e], s.Burn.Data[o:e], s.Heat.Data[o:e], s.Smoke.Data[o:e], s.source.Data[o:e]
	for i, q := range fuel {
		if q < least {
			if b := burn[i]; b != 0 {
				if b *= f.fade; b < 1e-4 {
					b = 0
				}
				burn[i] = b
			}
			continue
		}
		// Burning needs fuel, air and heat: the three that the tests below ask for.
		free := 1.0 // share of the air that isn't spent
		if s.Used != nil {
			free = 1 - float64(s.Used.Data[o+i])
		}
		if free < 1e-3 { // it goes out for want of air
			burn[i] *= f.fade
			continue
		}
		if heat[i] >= f.lights {
			burn[i] = 1
		}
		b := burn[i]
		if b <= 0 {
			continue
		}
		// Exact for a constant b: f(dt) = f e^(−rate b dt), of which 1 − e^… burns.
		// df/dt = −rate b f over the step, exactly
		if float64(b) != alight { // most are wholly alight
			alight = float64(b)
			share = -math.Expm1(-f.Fire.Rate * alight * f.dt)
		}
		d := float64(q) * share
		thin := f.thinned(float64(heat[i])) // a kg burnt warms so many times the gas
		if s.Used != nil && f.Fire.OxygenNeed > 0 {
			d = min(d, free/(f.Fire.OxygenNeed*thin))
			s.Used.Data[o+i] += float32(d * f.Fire.OxygenNeed * thin)
		}
		fuel[i] = q - float32(d)
		// What is gone is what the stored number lost, not what was meant to go:
		// sums of fuel burnt and fuel left then agree to the last digit over
		// thousands of steps.
		d = float64(q) - float64(fuel[i]) // as float32 has it, so that accounts hold
		dT := f.warm * d * thin
		t := float64(heat[i]) + f.air
		// volume goes with temperature at constant pressure: ln((T + dT)/T) over
		// the step is the divergence that makes room for it
		grow := f.Fire.Expansion * log1p(dT/max(t, 1)) / f.dt
		heat[i] += float32(dT)
		soot := f.Fire.Soot * d * thin
		smoke[i] += float32(soot)
		src[i] += float32(grow)
		sum.fuel += d
		sum.volume += grow
		sum.soot += soot
	}
}

// pulled makes up for what a front that is cut off at its foot and stands on a
// grid runs too slowly (Brunet and Derrida 1997); found by TestFlameSpreads.
const pulled = 1.14

// spread runs the flame front into fuel, in as many steps as keep the
// diffusion stable.
func (s *Solver) spread(dt, speed float64) {
	if speed <= 0 || !s.live[3] && s.total(s.Burn) == 0 {
		return
	}
	speed *= pulled
	// A Fisher front runs at 2√(rD) and is about 8√(D/r) wide. With D = speed·h and
	// r = speed²/4D both follow from the speed: any choice of D gives the speed,
	// this one gives a width that the grid can hold.
	d := speed * s.H // a front about two voxels thick
	r := speed * speed / (4 * d)
	// explicit diffusion in three dimensions is stable for D dt/h² ≤ 1/6
	steps := max(1, int(math.Ceil(6.5*d*dt/(s.H*s.H))))
	q, g := float32(d*dt/float64(steps)/(s.H*s.H)), float32(r*dt/float64(steps))
	old := s.hat[onCentre]
	b := s.Burn
	rows := s.fronts(old)
	burns := func(j, k int) bool { return j >= 0 && k >= 0 && j < s.NY && k < s.NZ && rows[k*s.NY+j].burns }
	near := func(j, k int) bool {
		return rows[k*s.NY+j].hi > 0 && (burns(j, k) || burns(j-1, k) || burns(j+1, k) || burns(j, k-1) || burns(j, k+1))
	}
	next := make([]bool, len(rows))
	// Jacobi's way, from one array to the other: writing in place would run with the
	// loop's order. Both are alike wherever no step has written.
	for range steps {
		old, b = b, old
		s.crew.For(s.NZ, s.grain(), func(k0, k1 int) {
			for k := k0; k < k1; k++ {
				for j := range s.NY {
					if near(j, k) {
						next[k*s.NY+j] = true
						s.spreadRow(b, old, j, k, rows[k*s.NY+j], q, g)
					}
				}
			}
		})
		for i := range rows {
			rows[i].burns = rows[i].burns || next[i]
		}
	}
	if b != s.Burn {
		s.each(onCentre, func(_, j, k, o, n int) {
			if next[k*s.NY+j] {
				copy(s.Burn.Data[o:o+n], b.Data[o:o+n])
			}
		})
	}
}

// front is what a row has to do with a flame's front.
type front struct {
	lo, hi int  // where it has fuel
	burns  bool // some of it is alight
}

// fronts copies what is alight into old, and finds the rows that a front can run in.
func (s *Solver) fronts(old *grid.Field) []front {
	// Only cells with fuel change, beside cells that burn: rows of which neither they
	// nor their neighbours burn stay as they are, and so do their copies.
	rows := make([]front, s.NY*s.NZ)
	s.each(onCentre, func(i, j, k, o, n int) {
		copy(old.Data[o:o+n], s.Burn.Data[o:o+n])
		r := &rows[k*s.NY+j]
		top, _ := vec.Largest(s.Burn.Data[o : o+n])
		r.burns = r.burns || top != 0
		if top, _ := vec.Largest(s.Fuel.Data[o : o+n]); top < least {
			return
		}
		fuel := s.Fuel.Data[o : o+n]
		lo, hi := 0, n
		for lo < hi && fuel[lo] < least {
			lo++
		}
		for lo < hi && fuel[hi-1] < least {
			hi--
		}
		if r.hi == 0 {
			r.lo = i + lo
		}
		r.hi = i + hi
	})
	return rows
}

// spreadRow is a step of the front in a row, from old to b.
func (s *Solver) spreadRow(b, old *grid.Field, j, k int, r front, q, g float32) {
	row, fuel, c := b.Row(j, k), s.Fuel.Row(j, k), old.Row(j, k)
	y0, y1 := old.Row(max(j-1, 0), k), old.Row(min(j+1, s.NY-1), k)
	z0, z1 := old.Row(j, max(k-1, 0)), old.Row(j, min(k+1, s.NZ-1))
	for _, p := range s.lay[onCentre].spans(j, k) {
		lo, hi := max(p.Lo, r.lo), min(p.Hi, r.hi)
		// the rim repeats itself, so that nothing flows through the box's sides
		for _, i := range [2]int{0, s.NX - 1} {
			if lo <= i && i < hi {
				x := [3]float32{c[max(i-1, 0)], c[i], c[min(i+1, s.NX-1)]}
				vec.Front(row[i:i+1], fuel[i:], x[:], y0[i:], y1[i:], z0[i:], z1[i:], least, q, g)
			}
		}
		if lo, hi = max(lo, 1), min(hi, s.NX-1); lo < hi {
			vec.Front(row[lo:hi], fuel[lo:], c[lo-1:], y0[lo:], y1[lo:], z0[lo:], z1[lo:], least, q, g)
		}
	}
}

// clearSource forgets the volume made in the step before.
func (s *Solver) clearSource() {
	if !s.sourced {
		return
	}
	s.each(onCentre, func(_, _, _, o, n int) { clear(s.source.Data[o : o+n]) })
	s.sourced = false
}
