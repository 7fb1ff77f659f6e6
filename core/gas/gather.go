package gas

// A pull draws smoke into a form without pushing the air, which can't be squeezed:
// its channels drift through the air by fluxes between cells, so that what leaves
// one cell arrives in the next and totals stay.

import (
	"math"
	"slices"

	"zarf/core/geom"
	"zarf/core/grid"
	"zarf/core/sim"
)

// distances are those of a pull's shape at cell centres, kept while
// the shape stays.
// Only over the cells within the pull's reach, lo to hi.
type distances struct {
	shape geom.Shape
	reach float64
	low   [3]int
	dims  grid.Dims
	lo    [3]int // the cells that it covers
	hi    [3]int
	phi   []float32
}

func (d *distances) at(i, j, k int) float32 {
	return d.phi[((k-d.lo[2])*(d.hi[1]-d.lo[1])+j-d.lo[1])*(d.hi[0]-d.lo[0])+i-d.lo[0]]
}

// measure fills the distances to a pull's form, unless they are there for the
// same form and box.
// Distances to an imported form are look-ups in its lattice, to others a formula.
func (s *Solver) measure(d *distances, p *sim.Pull) {
	if d.phi != nil && d.shape == p.Shape && d.reach == p.Reach && d.low == s.Low && d.dims == s.Dims {
		return
	}
	d.shape, d.reach, d.low, d.dims = p.Shape, p.Reach, s.Low, s.Dims
	d.lo, d.hi = s.Cells(p.Shape.Bounds().Grow(p.Reach + s.H))
	n := [3]int{}
	for a := range n {
		n[a] = max(0, d.hi[a]-d.lo[a])
	}
	d.phi = make([]float32, n[0]*n[1]*n[2])
	s.crew.For(n[2], 1, func(k0, k1 int) {
		for k := k0; k < k1; k++ {
			for j := range n[1] {
				for i := range n[0] {
					c := s.Origin.Add(geom.V(float64(d.lo[0]+i)+0.5, float64(d.lo[1]+j)+0.5, float64(d.lo[2]+k)+0.5).Mul(s.H))
					d.phi[(k*n[1]+j)*n[0]+i] = float32(p.Shape.Distance(c))
				}
			}
		}
	})
}

// gather applies a pull for dt seconds.
func (s *Solver) gather(dt float64, p *sim.Pull, n int) {
	if p.Gather <= 0 || p.Reach <= 0 {
		return
	}
	for len(s.pulls) <= n {
		s.pulls = append(s.pulls, distances{})
	}
	d := &s.pulls[n]
	s.measure(d, p)
	// The form and its reach lie outside the box in use.
	if len(d.phi) == 0 {
		return
	}
	// The channels obey ∂c/∂t = −∇·(v c) + ∇·(D ∇c), v the drift down the distance
	// outside the form, D the spread inside. Upwind fluxes between cells keep the
	// total to rounding, and their step is cut to a CFL of 0.3 and D dt/h² of 0.12.
	h := float32(s.H)
	// spread inside: as quick as the drift over a twentieth of the form
	spread := float32(p.Gather) * max(h, 0.05*float32(p.Shape.Size.MaxComponent()))
	steps := int(math.Ceil(max(p.Gather*dt/(0.3*s.H), float64(spread)*dt/(0.12*s.H*s.H))))
	// A pull too strong for twenty steps is slowed to what they can do, rather than
	// let it take the whole substep.
	steps = min(max(steps, 1), 20)
	sub := float32(dt) / float32(steps)
	slip := min(float32(p.Gather), 0.3*h/sub)
	spread = min(spread, 0.12*h*h/sub)
	// flux from the cell at distance a, holding x, to the one at b, holding y
	// Antisymmetric in its pairs: what one cell gives the other takes, to the bit,
	// which is why totals stay.
	flux := func(a, b, x, y float32) float32 {
		// Three zones: inside, smoke spreads evenly; in the half voxel round the
		// surface both act, the drift fading in; outside it drifts, ever less
		// towards the reach.
		mid := (a + b) / 2
		if mid < h/2 { // the form and half a voxel round it
			f := spread * (x - y) / h
			if mid <= 0 {
				return f
			}
			return f + drift(slip*mid/h*2, a, b, x, y, h)
		}
		fade := min(1, 2*(1-mid/float32(p.Reach)))
		if fade <= 0 {
			return 0
		}
		return drift(slip*fade, a, b, x, y, h)
	}
	for range steps {
		// Heat and fuel go along with the smoke that they belong to.
		for _, f := range s.channels() {
			// spent air stays where it was breathed: a pull is no fan
			if f == s.Used {
				continue
			}
			s.transport(f, d, sub/h, flux)
		}
	}
	s.hold(dt, p, d)
}

// drift is the upwind flux at a speed down the distance.
func drift(speed, a, b, x, y, h float32) float32 {
	// The slope of the distance between the two, at most 1.
	v := min(1, max(-1, (a-b)/h)) * speed
	if v > 0 {
		return v * x
	}
	return v * y
}

// transport moves a channel by the fluxes between cells; nothing passes solids
// or the ends of the range.
func (s *Solver) transport(f *grid.Field, d *distances, scale float32, flux func(a, b, x, y float32) float32) {
	nx, ny, nz := d.hi[0]-d.lo[0], d.hi[1]-d.lo[1], d.hi[2]-d.lo[2]
	if cap(s.moved) < nx*ny*nz {
		s.moved = make([]float32, nx*ny*nz)
	}
	out := s.moved[:nx*ny*nz]
	so := &s.solid
	s.crew.For(nz, 1, func(k0, k1 int) {
		for k := d.lo[2] + k0; k < d.lo[2]+k1; k++ {
			for j := d.lo[1]; j < d.hi[1]; j++ {
				for i := d.lo[0]; i < d.hi[0]; i++ {
					n := s.Index(i, j, k)
					x, a := f.Data[n], d.at(i, j, k)
					var sum float32
					side := func(axis, up int) {
						at := [3]int{i, j, k}
						at[axis] += 2*up - 1
						// No flux at the ends: beyond the reach the pull does
						// nothing.
						if at[axis] < d.lo[axis] || at[axis] >= d.hi[axis] {
							return
						}
						open := float32(1)
						if so.any {
							face := [3]int{i, j, k}
							face[axis] += up
							g := [3]*grid.Field{so.fx, so.fy, so.fz}[axis]
							open = g.At(face[0], face[1], face[2])
						}
						y, b := f.At(at[0], at[1], at[2]), d.at(at[0], at[1], at[2])
						if x != 0 || y != 0 {
							sum += open * flux(a, b, x, y)
						}
					}
					for axis := range 3 {
						side(axis, 0)
						side(axis, 1)
					}
					out[((k-d.lo[2])*ny+j-d.lo[1])*nx+i-d.lo[0]] = x - scale*sum
				}
			}
		}
	})
	s.crew.For(nz, 1, func(k0, k1 int) {
		for k := k0; k < k1; k++ {
			for j := range ny {
				// rows that stay empty aren't written to: they may have no memory yet
				if row, to := out[(k*ny+j)*nx:][:nx], f.Row(d.lo[1]+j, d.lo[2]+k)[d.lo[0]:d.hi[0]]; !slices.Equal(row, to) {
					copy(to, row)
				}
			}
		}
	})
}

// hold slows the air inside the form.
func (s *Solver) hold(dt float64, p *sim.Pull, d *distances) {
	if p.Keep <= 0 {
		return
	}
	// Exact for any length of step.
	q := float32(1 - math.Exp(-p.Keep*dt))
	for axis, f := range s.velocity() {
		step := [3]int{}
		step[axis] = 1
		s.crew.For(d.hi[2]-d.lo[2], 1, func(k0, k1 int) {
			for k := d.lo[2] + k0; k < d.lo[2]+k1; k++ {
				for j := d.lo[1]; j < d.hi[1]; j++ {
					for i := d.lo[0]; i < d.hi[0]; i++ {
						if i-step[0] < d.lo[0] || j-step[1] < d.lo[1] || k-step[2] < d.lo[2] {
							continue
						}
						mid := (d.at(i, j, k) + d.at(i-step[0], j-step[1], k-step[2])) / 2
						if w := min(1, max(0, 0.5-mid/float32(s.H))); w > 0 {
							f.Data[f.Index(i, j, k)] *= 1 - q*w
						}
					}
				}
			}
		})
	}
}
