package ripple

import (
	"fmt"
	"math"

	"zarf/core/frame"
	"zarf/core/grid"
	"zarf/core/noise"
)

// Version is part of the key of a stage of ripples.
const Version = "ripple/2"

// Settings of ripples that stay.
type Settings struct {
	Factor int // cells along one of the run's surface
	Seed   uint64

	NX, NY, NZ int     // cells of the run's surface along the domain
	H          float64 // m, of these
	Voxel      float64 // m, of the run
	Open       [4]bool // sides that waves leave by: −x, +x, −z, +z
}

// Solver is the state of the ripples.
type Solver struct {
	Settings
	crew   grid.Crew
	pool   *pool
	on     []bool // values of the pool that carry ripples
	shore  *mirrors
	last   *top
	Number int // frames taken
}

// longest is the longest wave that ripples are, in voxels of the run: longer ones it has well
// itself.
const longest = 8.0

// New makes still water.
func New(s Settings, crew grid.Crew) (*Solver, error) {
	if s.Factor < 2 || s.Factor > 4 {
		return nil, fmt.Errorf("ripples: cells of 1/%d can't be had; choose 2 or 3 along one of the surface", s.Factor)
	}
	h := s.H / float64(s.Factor)
	nx, nz := s.NX*s.Factor+2*rim, s.NZ*s.Factor+2*rim
	if nx < 1 || nz < 1 || nx > MostCells || nz > MostCells {
		return nil, fmt.Errorf("ripples: %d × %d cells are too many; %d along an edge are the most", nx, nz, MostCells)
	}
	return &Solver{Settings: s, crew: crew, pool: newPool(nx, nz, h, longest*s.Voxel, crew)}, nil
}

// MostCells are the most along an edge.
const MostCells = 8192

// Advance takes the run's next frame, dt seconds after the one before. Strength is how much
// of what the run loses ripples are given.
func (s *Solver) Advance(f *frame.Frame, w Water, strength, dt float64) error {
	t, err := topOf(f, [3]int{s.NX, s.NY, s.NZ}, s.Factor, s.crew)
	if err != nil {
		return err
	}
	last := s.last
	s.see(t)
	s.Number++
	if last == nil { // nothing has moved yet
		return nil
	}
	w.Depth = max(t.depth, s.Voxel)
	p := s.pool
	s.throwBack()
	s.carry(last, dt)
	given := s.given(&w, strength, dt)
	// no wave goes further in a step than what is mirrored beyond an edge shows
	many := min(max(1, int(math.Ceil(w.fastest(shortest*p.h, longest*s.Voxel)*dt/(rim/2*p.h)))), 8)
	for n := range given {
		given[n] /= float32(many)
	}
	table := p.steps(&w, dt/float64(many))
	for range many {
		s.throwBack()
		p.advance(table, given)
	}
	s.calm()
	return nil
}

// Raise adds heights, m, to the surface at places of the domain, m from its corner.
func (s *Solver) Raise(by func(x, z float64) float64) {
	s.each(func(n int, x, z float64) { s.pool.height[n] += float32(by(x, z)) })
}

// Overlap is the ripples' height, m, times a shape, summed over all columns.
func (s *Solver) Overlap(shape func(x, z float64) float64) (sum float64) {
	s.each(func(n int, x, z float64) { sum += float64(s.pool.height[n]) * shape(x, z) })
	return sum
}

// Highest is the largest distance of a ripple from the run's surface, m.
func (s *Solver) Highest() (high float64) {
	for _, v := range s.pool.height {
		high = max(high, math.Abs(float64(v)))
	}
	return high
}

// each does something at every value that carries ripples.
func (s *Solver) each(do func(n int, x, z float64)) {
	p := s.pool
	for n, on := range s.on {
		if on {
			do(n, (float64(n%p.nx-rim)+0.5)*p.h, (float64(n/p.nx-rim)+0.5)*p.h)
		}
	}
}

// see takes a frame's upper side, and finds the shores of what carries ripples.
func (s *Solver) see(t *top) {
	p := s.pool
	if s.on == nil {
		s.on = make([]bool, p.nx*p.nz)
	}
	s.crew.For(p.nz, 8, func(a, b int) {
		for k := a; k < b; k++ {
			for i := range p.nx {
				x, z := i-rim, k-rim
				in := x >= 0 && z >= 0 && x < s.NX*s.Factor && z < s.NZ*s.Factor
				s.on[k*p.nx+i] = in && t.on[z/s.Factor*s.NX+x/s.Factor]
			}
		}
	})
	s.shore = mirror(s.on, p.nx, p.nz)
	s.last = t
}

// throwBack shows waves mirrored beyond their shores.
func (s *Solver) throwBack() {
	s.shore.apply(s.pool.height, s.on)
	s.shore.apply(s.pool.push, s.on)
}

// calm ends what goes beyond shores, what leaves by open sides, and what is too steep to
// stand.
func (s *Solver) calm() {
	p := s.pool
	out := s.tooSteep()
	s.crew.For(p.nz, 8, func(a, b int) {
		for k := a; k < b; k++ {
			for i := range p.nx {
				n := k*p.nx + i
				q := out[n]
				if !s.on[n] {
					q = 0
				}
				for side, d := range [4]int{i - rim, p.nx - 1 - rim - i, k - rim, p.nz - 1 - rim - k} {
					if s.Open[side] && d < 2*rim {
						q *= float32(0.5 + 0.5*float64(max(d, 0))/(2*rim))
					}
				}
				p.height[n] *= q
				p.push[n] *= q
			}
		}
	})
}

// breaks is the slope over which short waves can't stand: Stokes' highest has crests of 120°,
// and a mean square slope of some 0.1.
const breaks = 0.35

// tooSteep is by how much waves are to be lowered, by place.
func (s *Solver) tooSteep() []float32 {
	p := s.pool
	out := make([]float32, p.nx*p.nz)
	inv := float32(1 / (2 * p.h))
	s.crew.For(p.nz, 8, func(a, b int) {
		for k := a; k < b; k++ {
			for i := range p.nx {
				n := k*p.nx + i
				out[n] = 1
				if !s.on[n] || i == 0 || k == 0 || i == p.nx-1 || k == p.nz-1 {
					continue
				}
				x, z := (p.height[n+1]-p.height[n-1])*inv, (p.height[n+p.nx]-p.height[n-p.nx])*inv
				if q := x*x + z*z; q > breaks*breaks {
					out[n] = breaks / float32(math.Sqrt(float64(q)))
				}
			}
		}
	})
	return out
}

// carry moves waves along with the surface.
func (s *Solver) carry(last *top, dt float64) {
	p, t := s.pool, s.last
	height, push := make([]float32, len(p.height)), make([]float32, len(p.push))
	way := float32(dt / p.h)
	moved := make([]bool, p.nz)
	s.crew.For(p.nz, 4, func(a, b int) {
		for k := a; k < b; k++ {
			for i := range p.nx {
				n := k*p.nx + i
				if !s.on[n] {
					continue
				}
				u, v := s.flow(last, t, float32(i), float32(k))
				// half the way back there is the velocity of the middle of the step
				u, v = s.flow(last, t, float32(i)-u*way/2, float32(k)-v*way/2)
				if u == 0 && v == 0 {
					height[n], push[n] = p.height[n], p.push[n]
					continue
				}
				moved[k] = true
				x, z := float32(i)-u*way, float32(k)-v*way
				height[n], push[n] = p.read(p.height, x, z), p.read(p.push, x, z)
			}
		}
	})
	p.height, p.push = height, push
}

// flow is the surface's horizontal velocity at a place of the pool, m/s: the mean of two
// frames.
func (s *Solver) flow(a, b *top, x, z float32) (u, v float32) {
	i := (int(x+0.5) - rim) / s.Factor
	k := (int(z+0.5) - rim) / s.Factor
	i, k = min(max(i, 0), s.NX-1), min(max(k, 0), s.NZ-1)
	n := k*s.NX + i
	switch {
	case a.on[n] && b.on[n]:
		return (a.v[0][n] + b.v[0][n]) / 2, (a.v[2][n] + b.v[2][n]) / 2
	case b.on[n]:
		return b.v[0][n], b.v[2][n]
	}
	return a.v[0][n], a.v[2][n]
}

// read is a field at a place, by Catmull and Rom's spline.
func (p *pool) read(f []float32, x, z float32) float32 {
	x, z = min(max(x, 1), float32(p.nx-3)), min(max(z, 1), float32(p.nz-3))
	i, k := int(x), int(z)
	wx, wz := cubic(x-float32(i)), cubic(z-float32(k))
	var sum float32
	for b := range 4 {
		row := f[(k+b-1)*p.nx+i-1:][:4]
		sum += wz[b] * (wx[0]*row[0] + wx[1]*row[1] + wx[2]*row[2] + wx[3]*row[3])
	}
	return sum
}

// cubic are the weights of four values for a place at f between the middle two.
func cubic(f float32) [4]float32 {
	return [4]float32{f * (-0.5 + f*(1-0.5*f)), 1 + f*f*(-2.5+1.5*f), f * (0.5 + f*(2-1.5*f)), f * f * (-0.5 + 0.5*f)}
}

// given is the vertical velocity that ripples are given within a frame, m/s.
//
// What of the surface's motion is shorter than longest, the run's grid loses within about a
// period: it is handed over. Under the run's cells there are pushes at random places, of
// sizes from a voxel down, as strong as (size/voxel)^(1/3) of what moves there.
func (s *Solver) given(w *Water, strength, dt float64) []float32 {
	p, t := s.pool, s.last
	out := make([]float32, p.nx*p.nz)
	if strength <= 0 {
		return out
	}
	wide := int(math.Round(longest / 4 * s.Voxel / s.H))
	mean := t.blur(t.v[1], wide, s.crew)
	short, agitated := make([]float32, len(mean)), make([]float32, len(mean))
	for n := range mean {
		if t.on[n] {
			short[n] = t.v[1][n] - mean[n]
			agitated[n] = short[n] * short[n]
		}
	}
	agitated = t.blur(agitated, wide, s.crew)
	period := 2 * math.Pi / w.Omega(2*math.Pi/(longest/2*s.Voxel))
	share := float32(strength * min(dt/period, 1))
	f := float32(s.Factor)
	s.crew.For(p.nz, 8, func(a, b int) {
		for k := a; k < b; k++ {
			for i := range p.nx {
				if n := k*p.nx + i; s.on[n] {
					x, z := (float32(i-rim)+0.5)/f-0.5, (float32(k-rim)+0.5)/f-0.5
					out[n] = share * t.read(short, x, z)
				}
			}
		}
	})
	s.pushes(out, agitated, strength, min(dt/period, 1))
	return out
}

// read is a field of columns between them, in straight lines.
func (t *top) read(f []float32, x, z float32) float32 {
	x, z = min(max(x, 0), float32(t.nx-1)), min(max(z, 0), float32(t.nz-1))
	i, k := min(int(x), max(t.nx-2, 0)), min(int(z), max(t.nz-2, 0))
	i1, k1 := min(i+1, t.nx-1), min(k+1, t.nz-1)
	u, v := x-float32(i), z-float32(k)
	a := f[k*t.nx+i] + u*(f[k*t.nx+i1]-f[k*t.nx+i])
	b := f[k1*t.nx+i] + u*(f[k1*t.nx+i1]-f[k1*t.nx+i])
	return a + v*(b-a)
}

// pushes adds small ones at random: rate is how many blocks of two voxels get one.
func (s *Solver) pushes(out, agitated []float32, strength, rate float64) {
	p, t := s.pool, s.last
	block := 2 * s.Voxel
	nx, nz := int(math.Ceil(float64(s.NX)*s.H/block)), int(math.Ceil(float64(s.NZ)*s.H/block))
	unit := func(h uint64, part uint) float64 { return float64(h>>(part*16)&0xffff) / 65536 }
	for k := range nz {
		for i := range nx {
			h := noise.Hash(s.Seed, int64(s.Number), int64(i), int64(k))
			if unit(h, 0) >= rate {
				continue
			}
			g := noise.Hash(s.Seed^0x9E3779B97F4A7C15, int64(s.Number), int64(i), int64(k))
			x, z := (float64(i)+unit(h, 1))*block, (float64(k)+unit(h, 2))*block
			ci, ck := min(int(x/s.H), t.nx-1), min(int(z/s.H), t.nz-1)
			e := float64(agitated[ck*t.nx+ci])
			if e < 1e-8 {
				continue
			}
			// from one that its cells just show to half a voxel
			least := shortest / 2 * p.h
			r := least * math.Pow(max(s.Voxel/2/least, 1), unit(g, 0))
			high := strength * math.Sqrt(e) * math.Cbrt(r/s.Voxel)
			if unit(g, 1) < 0.5 {
				high = -high
			}
			s.push(out, x/p.h-0.5+rim, z/p.h-0.5+rim, r/p.h, high)
		}
	}
}

// push adds a bell of a radius r that sinks, and a ring round it that rises as much.
func (s *Solver) push(out []float32, x, z, r, high float64) {
	p := s.pool
	far := 4 * r
	for k := max(int(z-far), 0); k <= min(int(z+far), p.nz-1); k++ {
		for i := max(int(x-far), 0); i <= min(int(x+far), p.nx-1); i++ {
			if n := k*p.nx + i; s.on[n] {
				q := ((float64(i)-x)*(float64(i)-x) + (float64(k)-z)*(float64(k)-z)) / (2 * r * r)
				out[n] -= float32(high * (1 - q) * math.Exp(-q))
			}
		}
	}
}
