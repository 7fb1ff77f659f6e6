package liquid

// Between particles and grid, both ways. To the grid is a scatter, cut into slabs of
// two colours so that no two threads add to one place; back is a gather and needs no
// care.

import (
	"zarf/core/grid"
)

// slab is how many planes of cells are scattered at a time. Slabs of one
// colour write to planes that no other of that colour touches.
const slab = 4

// slabs calls fn for all slabs of cell planes, first the even then the odd
// ones, so that each place of a grid gets its sums in the same order on any
// number of threads.
func (s *Solver) slabs(fn func(k0, k1 int)) {
	// A particle in plane k writes to k−1 … k+1. With slabs of four planes two of
	// the same colour are four planes apart and never meet; without colours sums
	// would depend on which thread came first, and with atomics they would be slow
	// as well.
	n := (s.NZ + slab - 1) / slab
	for colour := range 2 {
		s.crew.For((n-colour+1)/2, 1, func(a, b int) {
			for m := a; m < b; m++ {
				k := (2*m + colour) * slab
				fn(k, min(k+slab, s.NZ))
			}
		})
	}
}

// toGrid averages the particles' velocity onto the faces: by hat functions,
// each particle counting with its velocity there, C·(x_f − x_p) included. Faces
// that no particle is near to have weight 0.
//
// The mean is by mass, as all particles have the same: Σ w v / Σ w. Momentum is kept
// to rounding; a face's weight tells whether liquid is near at all.
func (s *Solver) toGrid() {
	// cleared by all threads: it also brings the pages into their caches
	for a := range 3 {
		s.each(s.u[a], func(lo, hi int) {
			clear(s.u[a].Data[lo:hi])
			clear(s.w[a].Data[lo:hi])
		})
	}
	s.slabs(func(k0, k1 int) {
		// sorted particles make a slab one run of P, and its grid planes stay in the
		// cache
		list := s.P[s.start[s.Index(0, 0, k0)]:s.start[s.Index(0, 0, k1-1)+s.NX*s.NY]]
		for n := range list {
			for a := range 3 {
				s.splat(a, &list[n])
			}
		}
	})
	for a := range 3 {
		s.each(s.u[a], func(lo, hi int) {
			u, w := s.u[a].Data[lo:hi], s.w[a].Data[lo:hi]
			// u held Σ w v; a face that nothing reached stays at rest with weight 0
			for i, x := range w {
				if x > 1e-6 {
					u[i] /= x
				} else {
					u[i], w[i] = 0, 0
				}
			}
		})
	}
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

// splat adds a particle to the faces round it. Within the box, away from its
// border, all eight are there.
func (s *Solver) splat(a int, p *Particle) {
	f, wf := s.u[a], s.w[a]
	i, j, k, fx, fy, fz := place(a, &p.X)
	if i < 0 || j < 0 || k < 0 || i+1 >= f.NX || j+1 >= f.NY || k+1 >= f.NZ {
		s.splatEdge(a, p)
		return
	}
	c := &p.C[a]
	n := (k*f.NY+j)*f.NX + i
	sy, sz := f.NX, f.NX*f.NY
	gx, gy, gz := 1-fx, 1-fy, 1-fz
	// APIC's affine velocity is evaluated at the lowest corner once; the others
	// follow by adding a column of C each (Jiang et al. 2015, eq. 8)
	v := p.V[a] - c[0]*fx - c[1]*fy - c[2]*fz // at the lowest corner
	// two neighbours along x at a time; the capped slices let the compiler drop the
	// checks of the second
	row := func(n int, w, v float32) {
		d, q := f.Data[n:n+2:n+2], wf.Data[n:n+2:n+2]
		w0, w1 := w*gx, w*fx
		d[0] += w0 * v
		d[1] += w1 * (v + c[0])
		q[0] += w0
		q[1] += w1
	}
	row(n, gy*gz, v)
	row(n+sy, fy*gz, v+c[1])
	row(n+sz, gy*fz, v+c[2])
	row(n+sy+sz, fy*fz, v+c[1]+c[2])
}

// splatEdge is splat where some faces lie outside.
// It is split off so that splat, for the many more particles inside,
// has no tests in it.
func (s *Solver) splatEdge(a int, p *Particle) {
	f, wf := s.u[a], s.w[a]
	i, j, k, fx, fy, fz := place(a, &p.X)
	c := &p.C[a]
	// offsets of the face from the particle, oz, oy, feed the affine part
	for dk := range 2 {
		wz, oz := 1-fz, -fz
		if dk == 1 {
			wz, oz = fz, 1-fz
		}
		if uint(k+dk) >= uint(f.NZ) {
			continue
		}
		for dj := range 2 {
			wy, oy := 1-fy, -fy
			if dj == 1 {
				wy, oy = fy, 1-fy
			}
			if uint(j+dj) >= uint(f.NY) {
				continue
			}
			w := wy * wz
			v := p.V[a] + c[1]*oy + c[2]*oz
			n := ((k+dk)*f.NY+j+dj)*f.NX + i
			if uint(i) < uint(f.NX) {
				q := w * (1 - fx)
				f.Data[n] += q * (v - c[0]*fx)
				wf.Data[n] += q
			}
			if uint(i+1) < uint(f.NX) {
				q := w * fx
				f.Data[n+1] += q * (v + c[0]*(1-fx))
				wf.Data[n+1] += q
			}
		}
	}
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

// toParticles hands the grid's velocity back: FLIP adds the change since
// toGrid, mixed with smooth of the velocity itself; APIC takes the velocity
// and its slope.
//
// FLIP keeps detail and noise, APIC keeps rotation and loses the noise; each is a
// choice on the sheet, and a change under way takes effect in the next substep.
func (s *Solver) toParticles(affine bool, smooth float32) {
	// FLIP needs two grids, APIC one and its slope: hence two loops
	if !affine {
		s.changes(smooth)
		return
	}
	s.crew.For(len(s.P), 4096, func(lo, hi int) {
		for n := lo; n < hi; n++ {
			p := &s.P[n]
			for a := range 3 {
				i, j, k, fx, fy, fz := place(a, &p.X)
				c := corners(s.u[a], i, j, k)
				p.V[a], p.C[a] = mix(&c, fx, fy, fz), slope(&c, fx, fy, fz)
			}
		}
	})
}

// changes is FLIP's way.
func (s *Solver) changes(smooth float32) {
	// In batches whose places lie an axis at a time, as the samplers want them: 256
	// particles × 12 arrays is 12 KB, well within the first cache.
	blocks := (len(s.P) + batch - 1) / batch
	s.crew.For(blocks, 4, func(b0, b1 int) {
		var w bundle
		for b := b0; b < b1; b++ {
			list := s.P[b*batch : min((b+1)*batch, len(s.P))]
			for m := range list {
				for a := range 3 {
					w.x[a][m] = list[m].X[a]
				}
			}
			flow(s.u, &w.x, &w.v, len(list))
			flow(s.old, &w.x, &w.k, len(list))
			for m := range list {
				p := &list[m]
				for a := range 3 {
					// v ← u_new + (1 − smooth)(v − u_old): smooth = 0 is FLIP, 1 is
					// PIC
					p.V[a] = w.v[a][m] + (1-smooth)*(p.V[a]-w.k[a][m])
				}
				// or a change from APIC within a shot would bring an old slope to
				// life
				p.C = [3][3]float32{}
			}
		}
	})
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

// each cuts a field into runs.
func (s *Solver) each(f *grid.Field, fn func(lo, hi int)) { s.crew.For(len(f.Data), 1<<14, fn) }

// Transfers sorts the particles, averages them onto the grid and hands the
// velocity back, and nothing else: for measuring.
func (s *Solver) Transfers(affine bool) {
	s.sort()
	s.toGrid()
	for a := range 3 {
		s.old[a].CopyFrom(s.u[a])
	}
	s.toParticles(affine, 0)
}
