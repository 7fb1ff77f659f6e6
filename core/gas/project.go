package gas

import (
	"zarf/core/grid"
	"zarf/core/pressure"
	"zarf/core/vec"
)

// project makes the flow divergence-free but for the volume made. The
// pressure is in units of velocity times voxel: u −= ∇p with unit spacing.
func (s *Solver) project(p Physics) pressure.Stats {
	so := &s.solid
	s.closeWalls()
	// div u, times h, as faces' differences; the source is 1/s and so h·s in these
	// units. A row that no solid touches has all faces open and reads three fields;
	// one that may be touched reads nine.
	h := float32(s.H)
	s.each(onCentre, func(i0, j, k, _, n int) {
		b := s.proj.RHS(j, k)[i0 : i0+n]
		u := s.U.Row(j, k)[i0 : i0+n+1]
		v0, v1 := s.V.Row(j, k)[i0:i0+n], s.V.Row(j+1, k)[i0:i0+n]
		w0, w1 := s.W.Row(j, k)[i0:i0+n], s.W.Row(j, k+1)[i0:i0+n]
		src := s.source.Row(j, k)[i0 : i0+n]
		if !so.any || !so.near(j, k) {
			vec.Diverge(b, src, u, v0, v1, w0, w1, h)
			return
		}
		a := so.fx.Row(j, k)[i0 : i0+n+1]
		b0, b1 := so.fy.Row(j, k)[i0:i0+n], so.fy.Row(j+1, k)[i0:i0+n]
		c0, c1 := so.fz.Row(j, k)[i0:i0+n], so.fz.Row(j, k+1)[i0:i0+n]
		x := so.vx.Row(j, k)[i0 : i0+n+1]
		y0, y1 := so.vy.Row(j, k)[i0:i0+n], so.vy.Row(j+1, k)[i0:i0+n]
		z0, z1 := so.vz.Row(j, k)[i0:i0+n], so.vz.Row(j, k+1)[i0:i0+n]
		// Flux through a cut face: its open share carries the fluid, the rest moves
		// with the solid (Batty et al. 2007, eq. 7), so that a piston pushes.
		through := func(f, u, us float32) float32 { return f*u + (1-f)*us }
		for i := range b {
			div := through(a[i+1], u[i+1], x[i+1]) - through(a[i], u[i], x[i]) +
				through(b1[i], v1[i], y1[i]) - through(b0[i], v0[i], y0[i]) +
				through(c1[i], w1[i], z1[i]) - through(c0[i], w0[i], z0[i])
			b[i] = src[i]*h - div
		}
	})
	// tolerance is the residual's largest entry over the right side's largest
	st := s.proj.Solve(p.Tolerance, p.MaxIterations)
	s.each(onCentre, func(i, j, k, o, n int) { copy(s.Pressure.Data[o:o+n], s.proj.Pressure(j, k)[i:i+n]) })
	s.subtractGradient(1, false)
	s.calmGaps()
	return st
}

// gap is the open share of a face under which what goes through goes with the solid, the less is open
// the more.
const gap = 0.25

// calmGaps brings what goes through faces that a solid nearly shuts near to its own speed. What it
// displaces, or what fire makes there, would leave through a hundredth of a face a hundred times as fast:
// that little gas does nothing, but its speed is carried on to all about it, and shortens everybody's step.
func (s *Solver) calmGaps() {
	so := &s.solid
	if !so.any {
		return
	}
	open, vel := [3]*grid.Field{so.fx, so.fy, so.fz}, [3]*grid.Field{so.vx, so.vy, so.vz}
	for axis, f := range s.velocity() {
		s.between(axis, true, func(j, k, o, a, b, n int) {
			if !so.near(j, k) {
				return
			}
			i := o - f.Index(0, j, k)
			lo, hi := min(max(so.lo[0]-i, 0), n), min(max(so.hi[0]+1-i, 0), n)
			for m := o + lo; m < o+hi; m++ {
				if w := open[axis].Data[m]; w >= ajar && w < gap {
					us := vel[axis].Data[m]
					f.Data[m] = us + (f.Data[m]-us)*(w/gap)
				}
			}
		})
	}
}

// closeWalls holds the flow through walls at zero.
func (s *Solver) closeWalls() {
	for side, open := range s.open {
		if open {
			continue
		}
		f := [3]*grid.Field{s.U, s.V, s.W}[side/2]
		at := 0
		if side%2 == 1 {
			at = [3]int{f.NX, f.NY, f.NZ}[side/2] - 1
		}
		// written only where it isn't zero already: rows without fluid may have no
		// memory behind them, and a write would take it
		for k := range f.NZ {
			for j := range f.NY {
				switch {
				case side/2 == 0:
					if f.Row(j, k)[at] != 0 {
						f.Row(j, k)[at] = 0
					}
				case side/2 == 1 && j == at, side/2 == 2 && k == at:
					for _, p := range s.lay[onU+side/2].spans(j, k) {
						clear(f.Row(j, k)[p.Lo:p.Hi])
					}
				}
			}
		}
	}
}

// subtractGradient takes share·∇p off the velocity: b = −div u was solved by
// Σ w (p_c − p_nb) = b, so u_face −= p_hi − p_lo leaves no divergence. Beyond
// the tiles in use p is zero. Closed faces have the solid's velocity and are
// left alone.
//
// stale says that it is the pressure of the step before. About what has moved since that isn't the
// pressure of anything: rooms that were parted are joined, whose pressures were known up to a constant
// each, and cells that a solid has left had none. There the projection finds all of it.
func (s *Solver) subtractGradient(share float32, stale bool) {
	stale = stale && s.solid.moving
	p := s.Pressure.Data
	open := [3]*grid.Field{s.solid.fx, s.solid.fy, s.solid.fz}
	for axis, f := range s.velocity() {
		s.between(axis, s.solid.any, func(j, k, o, a, b, n int) {
			if so := &s.solid; stale && so.stirs(j, k) {
				// faces of cells before and behind what moved, by where they are in their row
				i := o - f.Index(0, j, k)
				lo, hi := min(max(so.mlo[0]-i, 0), n), min(max(so.mhi[0]+1-i, 0), n)
				s.fall(f.Data[o:o+lo], p[b:b+lo], p[a:a+lo], share, open[axis], o, j, k)
				s.fall(f.Data[o+hi:o+n], p[b+hi:b+n], p[a+hi:a+n], share, open[axis], o+hi, j, k)
				return
			}
			s.fall(f.Data[o:o+n], p[b:b+n], p[a:a+n], share, open[axis], o, j, k)
		})
		// where an open side is, p = 0: air at rest outside
		for side := 2 * axis; side < 2*axis+2; side++ {
			if !s.open[side] {
				continue
			}
			by := share
			if side%2 == 1 {
				by = -share
			}
			s.side(side, func(o, at, n int) {
				for i, q := range p[at : at+n] {
					f.Data[o+i] -= by * q
				}
			})
		}
	}
}

// fall is v −= share·(p − q) on a run of faces, from position o of their field
// in row (j,k).
func (s *Solver) fall(v, p, q []float32, share float32, open *grid.Field, o, j, k int) {
	p, q = p[:len(v)], q[:len(v)]
	if s.solid.any && s.solid.near(j, k) {
		// Faces under 1 % open carry nothing to speak of, and their share of the
		// matrix is zero: a gradient across them would be made up.
		for i, f := range open.Data[o : o+len(v)] {
			if f >= 0.01 {
				v[i] -= share * (p[i] - q[i])
			}
		}
		return
	}
	vec.Fall(v, p, q, share)
}
