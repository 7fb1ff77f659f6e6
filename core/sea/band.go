package sea

import (
	"fmt"
	"math"
	"math/cmplx"
	"slices"

	"zarf/core/noise"
)

// Sea is one that can be read at any moment.
type Sea struct {
	State
	bands [3]band
}

// Of bands: values along a tile's edge, by how much a tile is smaller than the one before,
// and the longest wave of a band on its tile.
const (
	edge   = 256
	parts  = 7.3
	least  = 3.0 // of the first band: waves that fit less often come from few directions
	longer = 8.0
)

// band is the waves between two lengths, on a tile.
type band struct {
	long  float64 // m, the tile
	modes []mode
	steep []float64 // variance of slopes of what level m of its mips lacks
}

// mode is a wave of whole periods on a tile.
type mode struct {
	x, z   int     // periods along the axes
	kx, kz float64 // rad/m
	k, w   float64 // rad/m, rad/s
	h, hc  complex128
}

// Limits of what makes sense.
const (
	MostWind    = 70.0
	leastTile   = 0.1
	mostTile    = 1e5
	mostHeights = 50.0
)

// check refuses what no sea can be made of.
func (s *State) check() error {
	for _, v := range []struct {
		name       string
		v, lo, hi  float64
		unit, mend string
	}{
		{"wind", s.Wind, 0, MostWind, "m/s", "a hurricane has 35 to 70"},
		{"fetch", s.Fetch, 1, 1e7, "m", "a bay has 5 km, an ocean 500"},
		{"depth", s.Depth, 1e-4, 1e4, "m", "the open sea is 100 and more"},
		{"longest waves' tile", s.Longest, leastTile, mostTile, "m", "some five times the domain"},
		{"shortest wave", s.Shortest, 0, mostTile, "m", "0.1 shows ripples"},
		{"height", s.Height, 0, mostHeights, "", "1 is what the wind makes"},
		{"gravity", s.Gravity, 1e-3, 1e4, "m/s²", "the earth's is 9.81"},
	} {
		if !(v.v >= v.lo && v.v <= v.hi) {
			return fmt.Errorf("sea: the %s is %g %s; it must be from %g to %g (%s)", v.name, v.v, v.unit, v.lo, v.hi, v.mend)
		}
	}
	return nil
}

// New makes a sea.
func New(st State) (*Sea, error) {
	if err := st.check(); err != nil {
		return nil, err
	}
	s := &Sea{State: st}
	long := st.Longest
	longest := s.reach()
	for n := range s.bands {
		b := &s.bands[n]
		b.long = long
		long /= parts
		shortest := max(long/longer, st.Shortest)
		if n == len(s.bands)-1 {
			shortest = max(b.long/edge*4, st.Shortest)
		}
		s.fill(b, uint64(n), shortest, longest)
		b.measure()
		longest = shortest
	}
	s.raise()
	return s, nil
}

// fill finds a band's waves.
func (s *Sea) fill(b *band, number uint64, shortest, longest float64) {
	if s.Wind <= 0 || shortest >= longest {
		return
	}
	step := 2 * math.Pi / b.long
	lo, hi := 2*math.Pi/longest, 2*math.Pi/shortest
	most := min(int(hi/step), edge/2-1)
	amp := func(x, z int) complex128 {
		kx, kz := float64(x)*step, float64(z)*step
		k := math.Hypot(kx, kz)
		w, slope := s.omega(k)
		angle := math.Remainder(math.Atan2(kx, -kz)-s.Bearing, 2*math.Pi)
		// E|h|² = S(ω) D(ω, θ) dω/dk / k Δk² / 2, as a wave and its conjugate share it
		e := s.Energy(w) * s.spreads(w, angle) * slope / k * step * step / 2
		u := noise.Hash(s.Seed, int64(number), int64(x), int64(z))
		v := noise.Hash(s.Seed^0x9E3779B97F4A7C15, int64(number), int64(x), int64(z))
		// two normal numbers (Box and Muller 1958)
		r := math.Sqrt(-math.Log((float64(u>>11) + 0.5) / (1 << 53)))
		return cmplx.Rect(r*math.Sqrt(e), 2*math.Pi*float64(v>>11)/(1<<53))
	}
	for z := -most; z <= most; z++ {
		for x := -most; x <= most; x++ {
			kx, kz := float64(x)*step, float64(z)*step
			k := math.Hypot(kx, kz)
			if k < lo || k >= hi || s.Under > 0 && k*s.Under <= 2*math.Pi {
				continue
			}
			w, _ := s.omega(k)
			b.modes = append(b.modes, mode{x, z, kx, kz, k, w, amp(x, z), cmplx.Conj(amp(-x, -z))})
		}
	}
}

// raise adds the wave that stands out: each by its share of the variance, all in step at the
// crest's place and moment.
func (s *Sea) raise() {
	c := s.Crest
	if c.High == 0 || s.Under > 0 { // short waves have little of it
		return
	}
	var all float64
	share := func(b *band, m *mode) float64 {
		step := 2 * math.Pi / b.long
		_, slope := s.omega(m.k)
		angle := math.Remainder(math.Atan2(m.kx, -m.kz)-s.Bearing, 2*math.Pi)
		return s.Energy(m.w) * s.spreads(m.w, angle) * slope / m.k * step * step
	}
	for n := range s.bands {
		for i := range s.bands[n].modes {
			all += share(&s.bands[n], &s.bands[n].modes[i])
		}
	}
	if all == 0 {
		return
	}
	for n := range s.bands {
		b := &s.bands[n]
		for i := range b.modes {
			m := &b.modes[i]
			add := func(to *complex128, turn float64, of float64) { *to += cmplx.Rect(c.High/2*of/all, turn) }
			phase := m.kx*c.X + m.kz*c.Z
			add(&m.h, m.w*c.T-phase, share(b, m))
			back := mode{kx: -m.kx, kz: -m.kz, k: m.k, w: m.w}
			add(&m.hc, -m.w*c.T-phase, share(b, &back))
		}
	}
}

// measure sums what slopes a band's mips lack.
func (b *band) measure() {
	for n := edge; n >= smallest; n /= 2 {
		var sum float64
		for i := range b.modes {
			m := &b.modes[i]
			if !m.within(n) {
				sum += m.k * m.k * (real(m.h)*real(m.h) + imag(m.h)*imag(m.h) + real(m.hc)*real(m.hc) + imag(m.hc)*imag(m.hc))
			}
		}
		b.steep = append(b.steep, sum)
	}
}

// smallest is the edge of the smallest mip.
const smallest = 16

// within reports a wave that a tile of n values an edge shows well: four a wave and more.
func (m *mode) within(n int) bool {
	return n == edge || max(m.x, -m.x, m.z, -m.z) < n/4
}

// at is a wave and the one that runs against it at a moment.
func (m *mode) at(t float64) (with, against complex128) {
	s, c := math.Sincos(m.w * t)
	turn := complex(c, -s)
	return m.h * turn, m.hc * cmplx.Conj(turn)
}

// rows are the rows of waves that a band has, in order.
func (b *band) rows() (list []int) {
	for i := range b.modes {
		if z := b.modes[i].z; len(list) == 0 || list[len(list)-1] != z {
			list = append(list, z)
		}
	}
	return slices.Compact(list)
}
