package gas

import (
	"zarf/core/grid"
	"zarf/core/pressure"
)

// project makes the flow divergence-free but for the volume made. The
// pressure is in units of velocity times voxel: u −= ∇p with unit spacing.
func (s *Solver) project(p Physics) pressure.Stats {
	so := &s.solid
	d := s.Dims
	s.closeWalls()
	h := float32(s.H)
	s.crew.For(d.NZ, 2, func(k0, k1 int) {
		for k := k0; k < k1; k++ {
			for j := range d.NY {
				b := s.proj.RHS(j, k)
				u := s.U.Row(j, k)
				v0, v1 := s.V.Row(j, k), s.V.Row(j+1, k)
				w0, w1 := s.W.Row(j, k), s.W.Row(j, k+1)
				src := s.source.Row(j, k)
				if !so.any {
					for i := range b {
						b[i] = src[i]*h - ((u[i+1] - u[i]) + (v1[i] - v0[i]) + (w1[i] - w0[i]))
					}
					continue
				}
				a := so.fx.Row(j, k)
				b0, b1 := so.fy.Row(j, k), so.fy.Row(j+1, k)
				c0, c1 := so.fz.Row(j, k), so.fz.Row(j, k+1)
				x := so.vx.Row(j, k)
				y0, y1 := so.vy.Row(j, k), so.vy.Row(j+1, k)
				z0, z1 := so.vz.Row(j, k), so.vz.Row(j, k+1)
				for i := range b {
					through := func(f, u, us float32) float32 { return f*u + (1-f)*us }
					div := through(a[i+1], u[i+1], x[i+1]) - through(a[i], u[i], x[i]) +
						through(b1[i], v1[i], y1[i]) - through(b0[i], v0[i], y0[i]) +
						through(c1[i], w1[i], z1[i]) - through(c0[i], w0[i], z0[i])
					b[i] = src[i]*h - div
				}
			}
		}
	})
	st := s.proj.Solve(p.Tolerance, p.MaxIterations)
	s.subtractGradient()
	return st
}

// closeWalls holds the flow through walls at zero.
func (s *Solver) closeWalls() {
	for side, open := range s.Open {
		if open {
			continue
		}
		f := [3]*grid.Field{s.U, s.V, s.W}[side/2]
		at := 0
		if side%2 == 1 {
			at = [3]int{f.NX, f.NY, f.NZ}[side/2] - 1
		}
		for k := range f.NZ {
			for j := range f.NY {
				switch {
				case side/2 == 0:
					f.Row(j, k)[at] = 0
				case side/2 == 1 && j == at, side/2 == 2 && k == at:
					clear(f.Row(j, k))
				}
			}
		}
	}
}

// subtractGradient takes −∇p... off the velocity: b = −div u was solved by
// Σ w (p_c − p_nb) = b, so u_face −= p_hi − p_lo leaves no divergence.
func (s *Solver) subtractGradient() {
	d := s.Dims
	zero := make([]float32, d.NX)
	row := func(j, k int) []float32 {
		if j < 0 || k < 0 || j >= d.NY || k >= d.NZ {
			return zero
		}
		return s.proj.Pressure(j, k)
	}
	s.crew.For(d.NZ+1, 2, func(k0, k1 int) {
		for k := k0; k < k1; k++ {
			for j := 0; j <= d.NY; j++ {
				p := row(j, k)
				if k < d.NZ && j < d.NY {
					u := s.U.Row(j, k)
					if s.Open[0] {
						u[0] -= p[0]
					}
					for i := 1; i < d.NX; i++ {
						u[i] -= p[i] - p[i-1]
					}
					if s.Open[1] {
						u[d.NX] += p[d.NX-1]
					}
				}
				if k < d.NZ && (j > 0 || s.Open[2]) && (j < d.NY || s.Open[3]) {
					v, q := s.V.Row(j, k), row(j-1, k)
					for i := range v {
						v[i] -= p[i] - q[i]
					}
				}
				if j < d.NY && (k > 0 || s.Open[4]) && (k < d.NZ || s.Open[5]) {
					w, q := s.W.Row(j, k), row(j, k-1)
					for i := range w {
						w[i] -= p[i] - q[i]
					}
				}
			}
		}
	})
}
