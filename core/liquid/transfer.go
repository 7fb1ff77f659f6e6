package liquid

// Between particles and grid, both ways. To the grid is a scatter, cut into slabs of
// two colours so that no two threads add to one place; back is a gather and needs no
// care.

import (
	"math"

	"zarf/core/grid"
	"zarf/core/vec"
)

// slab is how many planes of cells are scattered at a time. Slabs of one
// colour write to planes that no other of that colour touches.
const slab = 4

// slabs calls fn for all slabs of cell planes that hold particles, first the even then
// the odd ones, so that each place of a grid gets its sums in the same order on any
// number of threads.
func (s *Solver) slabs(fn func(k0, k1 int)) {
	// A particle in plane k writes to k−1 … k+1. With slabs of four planes two of
	// the same colour are four planes apart and never meet; without colours sums
	// would depend on which thread came first, and with atomics they would be slow
	// as well.
	from, to := s.live.lo[2]/slab, (s.live.hi[2]+slab-1)/slab
	for colour := range 2 {
		first := from + (from+colour)&1
		s.crew.Each((to-first+1)/2, 1, func(a, b int) {
			for m := a; m < b; m++ {
				k := (first + 2*m) * slab
				fn(k, min(k+slab, s.NZ))
			}
		})
	}
}

// beyond is how far from particles, in cells, grids are worked on: weights reach one,
// velocities are carried four further.
const beyond = 6

// toGrid averages the particles' velocity onto the faces: by hat functions,
// each particle counting with its velocity there, C·(x_f − x_p) included. Faces
// that no particle is near to have weight 0. How full cells are comes with it: measure
// makes a surface of it.
//
// The mean is by mass, as all particles have the same: Σ w v / Σ w. Momentum is kept
// to rounding; a face's weight tells whether liquid is near at all.
func (s *Solver) toGrid() {
	now := s.live.grow(beyond, s.Dims)
	s.work, s.reach = s.reach.join(now), now
	near := s.live.grow(1, s.Dims)
	s.wipe(near)
	zoned := s.solid.zones.of != nil
	if zoned && cap(s.homes) < len(s.P) {
		s.homes = make([]int32, len(s.P), len(s.P)+len(s.P)/4)
	}
	s.homes = s.homes[:min(len(s.P), cap(s.homes))]
	s.slabs(func(k0, k1 int) {
		// sorted particles make a slab one run of P, and its grid planes stay in the
		// cache
		lo, hi := int(s.start[s.Index(0, 0, k0)]), int(s.start[s.Index(0, 0, k1-1)+s.NX*s.NY])
		var c [8]vec.Column
		var at vec.Placing
		var apart sorted
		for o := lo; o < hi; o += vec.Bunch {
			e := min(o+vec.Bunch, hi)
			list, slopes := s.P[o:e], s.C
			if slopes != nil {
				slopes = slopes[o:e]
			}
			if zoned {
				n := s.sortOut(o, e, &apart)
				list = apart.p[:n]
				if slopes != nil {
					slopes = apart.c[:n]
				}
			}
			vec.Columns(&c, records(list))
			if s.Flat { // one voxel deep: every particle counts in full along z
				for i := range c[2] {
					c[2][i] = 0.5
				}
			}
			s.stagger.Place(&at, (*[3]vec.Column)(c[:3]), len(list))
			s.stagger.Scatter(&s.sums, &at, (*[4]vec.Column)(c[4:]), slopes, len(list))
			if zoned {
				s.scatterApart(o, e)
			}
		}
	})
	for a := range 3 {
		s.average(a, near)
	}
}

// scatterApart adds the particles from lo to hi that thin solids are near to.
func (s *Solver) scatterApart(lo, hi int) {
	for i := lo; i < hi; i++ {
		if s.homes[i] == ordinary {
			continue
		}
		var c *Slope
		if s.C != nil {
			c = &s.C[i]
		}
		s.scatterOneSided(&s.P[i], c, s.homes[i])
	}
}

// wipe clears the nodes that particles in a region add to.
func (s *Solver) wipe(near region) {
	if near.empty() {
		return
	}
	lo, hi := near.lo[2]-1, near.hi[2]+1
	s.crew.For(hi-lo, 1, func(k0, k1 int) {
		for k := lo + k0; k < lo+k1; k++ {
			for l := range s.sums {
				clear(s.sums[l][s.stagger.Row(near.lo[1]-1, k)+2*near.lo[0]-2 : s.stagger.Row(near.hi[1], k)+2*near.hi[0]+2])
			}
		}
	})
}

// average makes means of sums: u and old get Σ w v / Σ w, w the weights; what no
// particle is near to is at rest.
func (s *Solver) average(a int, near region) {
	top := near.hi
	top[a]++
	s.rows(a, s.work, func(j, k, i0, i1 int) {
		n := s.u[a].Index(0, j, k)
		u, old, w := s.u[a].Data[n+i0:n+i1], s.old[a].Data[n+i0:n+i1], s.w[a].Data[n+i0:n+i1]
		if near.empty() || j < near.lo[1] || k < near.lo[2] || j >= top[1] || k >= top[2] {
			clear(u)
			clear(old)
			clear(w)
			return
		}
		lo, hi := near.lo[0]-i0, top[0]-i0
		for _, f := range [][]float32{u, old, w} {
			clear(f[:lo])
			clear(f[hi:])
		}
		sums := s.sums[a][s.stagger.Row(j, k)+2*near.lo[0]:]
		u, old, w = u[lo:hi], old[lo:hi], w[lo:hi]
		sums = sums[:2*len(u)]
		for i := range u {
			v, x := sums[2*i], sums[2*i+1]
			// a face that nothing reached stays at rest with weight 0
			if x > 1e-6 {
				v /= x
			} else {
				v, x = 0, 0
			}
			u[i], old[i], w[i] = v, v, x
		}
	})
}

// place is where a position lies on the lattice of part a of the velocity: the
// lower node and the share of the way to the upper one.
func place(a int, x *[3]float32) (i, j, k int, fx, fy, fz float32) {
	// Component a's nodes lie on faces: at 0 along its own axis, at ½ along the
	// others. Shifting by one half (or one) first keeps the cast to int a floor.
	px, py, pz := x[0]+0.5, x[1]+0.5, x[2]+0.5 // never below 0: a node lower than the lattice is −1 + 1
	switch a {
	case 0:
		px += 0.5
	case 1:
		py += 0.5
	default:
		pz += 0.5
	}
	i, j, k = int(px), int(py), int(pz)
	return i - 1, j - 1, k - 1, px - float32(i), py - float32(j), pz - float32(k)
}

// corners reads the eight values round a place of a lattice; beyond its border
// the border counts on.
func corners(f *grid.Field, i, j, k int) (c [8]float32) {
	// repeating the border is the same as a zero gradient across it
	i0, i1 := max(i, 0), min(i+1, f.NX-1)
	j0, j1 := max(j, 0)*f.NX, min(j+1, f.NY-1)*f.NX
	k0, k1 := max(k, 0)*f.NX*f.NY, min(k+1, f.NZ-1)*f.NX*f.NY
	d := f.Data
	return [8]float32{d[i0+j0+k0], d[i1+j0+k0], d[i0+j1+k0], d[i1+j1+k0], d[i0+j0+k1], d[i1+j0+k1], d[i0+j1+k1], d[i1+j1+k1]}
}

// mix is the trilinear mean of eight corners.
func mix(c *[8]float32, fx, fy, fz float32) float32 {
	// along x, then y, then z: the order is part of the bits, and that of the plain
	// and the vector samplers
	a, b := c[0]+(c[1]-c[0])*fx, c[2]+(c[3]-c[2])*fx
	d, e := c[4]+(c[5]-c[4])*fx, c[6]+(c[7]-c[6])*fx
	a += (b - a) * fy
	d += (e - d) * fy
	return a + (d-a)*fz
}

// slope is the gradient of what mix gives, per voxel.
func slope(c *[8]float32, fx, fy, fz float32) [3]float32 {
	gx := func(n int) float32 { return c[n+1] - c[n] }
	lerp := func(a, b, t float32) float32 { return a + (b-a)*t }
	// ∂/∂x of the trilinear form is the mean, over y and z, of the differences along
	// x
	x := lerp(lerp(gx(0), gx(2), fy), lerp(gx(4), gx(6), fy), fz)
	row := func(n int) float32 { return lerp(c[n], c[n+1], fx) }
	y := lerp(row(2)-row(0), row(6)-row(4), fz)
	z := lerp(row(4)-row(0), row(6)-row(2), fy)
	return [3]float32{x, y, z}
}

// differ leaves in old what FLIP gives particles beside the share that they keep of
// their own: u − keep·u_old.
func (s *Solver) differ(keep float32) {
	for a := range 3 {
		s.rows(a, s.work, func(j, k, i0, i1 int) {
			n := s.u[a].Index(0, j, k)
			u, old := s.u[a].Data[n+i0:n+i1], s.old[a].Data[n+i0:n+i1]
			for i, v := range u {
				old[i] = v - float32(keep*old[i])
			}
		})
	}
}

// slopesOf gives particles the slope of the grid's velocity round them.
func (s *Solver) slopesOf(p []Particle, c []Slope) {
	for n := range p {
		for a := range 3 {
			i, j, k, fx, fy, fz := place(a, &p[n].X)
			q := corners(s.u[a], i, j, k)
			c[n][a] = slope(&q, fx, fy, fz)
		}
	}
}

// carriesSlopes says whether particles are to have slopes, and gives or takes them.
func (s *Solver) carriesSlopes(affine bool) {
	switch {
	case !affine:
		s.C = nil // or a change from APIC within a shot would bring an old slope to life
	case len(s.C) != len(s.P):
		s.C = append(s.C[:min(len(s.C), len(s.P))], make([]Slope, len(s.P)-min(len(s.C), len(s.P)))...)
	}
}

// at is the grid's velocity at a place, m/s.
func (s *Solver) at(x *[3]float32) (v [3]float32) {
	for a := range 3 {
		i, j, k, fx, fy, fz := place(a, x)
		c := corners(s.u[a], i, j, k)
		v[a] = mix(&c, fx, fy, fz)
	}
	return v
}

// retain is the share of their own velocity that particles keep in a substep: smooth is
// said for a 24th of a second, and repeated substeps give that.
func retain(smooth, dt float64) float32 {
	return float32(math.Pow(1-min(max(smooth, 0), 1), dt*24))
}

// Transfers sorts the particles, averages them onto the grid and hands the
// velocity back, and nothing else: for measuring.
func (s *Solver) Transfers(affine bool) {
	s.unsorted(0)
	s.carriesSlopes(affine)
	s.sort()
	s.toGrid()
	s.differ(1)
	s.toParticles(affine, 1)
}
