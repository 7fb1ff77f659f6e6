package gas

import (
	"math"

	"zarf/core/geom"
	"zarf/core/grid"
	"zarf/core/noise"
)

// force applies body forces for dt seconds.
func (s *Solver) force(dt float64, in Inputs) {
	p := in.Physics
	s.buoyancy(dt, p)
	for _, w := range in.Winds {
		s.wind(dt, w)
	}
	for _, t := range in.Turbulences {
		s.turbulence(dt, t)
	}
	if p.Vorticity != 0 {
		s.confine(dt, p.Vorticity)
	}
	if p.Damping > 0 {
		q := float32(math.Exp(-p.Damping * dt))
		for _, f := range []*grid.Field{s.U, s.V, s.W} {
			s.crew.For(len(f.Data), 1<<14, func(lo, hi int) {
				for i := range f.Data[lo:hi] {
					f.Data[lo+i] *= q
				}
			})
		}
	}
}

// buoyancy lifts warm air and weighs down smoke:
// dv = g (lift ΔT/T0 − weight·smoke/ρ0) dt on vertical faces.
func (s *Solver) buoyancy(dt float64, p Physics) {
	a := float32(dt * p.Gravity * p.Lift / p.AirTemperature)
	b := float32(dt * p.Gravity * p.SmokeWeight / p.AirDensity)
	if a == 0 && b == 0 {
		return
	}
	s.crew.For(s.NZ, 2, func(k0, k1 int) {
		for k := k0; k < k1; k++ {
			for j := 1; j < s.NY; j++ {
				v := s.V.Row(j, k)
				h0, h1 := s.Heat.Row(j-1, k), s.Heat.Row(j, k)
				d0, d1 := s.Smoke.Row(j-1, k), s.Smoke.Row(j, k)
				for i := range v {
					v[i] += 0.5 * (a*(h0[i]+h1[i]) - b*(d0[i]+d1[i]))
				}
			}
		}
	})
}

// wind draws the velocity towards the wind's: u += (1 − e^(−grip dt)) (w − u).
func (s *Solver) wind(dt float64, w Wind) {
	q := float32(1 - math.Exp(-w.Grip*dt))
	v := w.Velocity.Array()
	for axis, f := range []*grid.Field{s.U, s.V, s.W} {
		want := float32(v[axis])
		s.crew.For(len(f.Data), 1<<14, func(lo, hi int) {
			for i, u := range f.Data[lo:hi] {
				f.Data[lo+i] = u + q*(want-u)
			}
		})
	}
}

// turbulence adds the curl of a noise potential. The potential is sampled on a
// lattice fine enough for its smallest octave, interpolated to the edges of
// the cells, and differenced round every face: what comes out has no
// divergence on this grid, to rounding (Bridson et al. 2007).
func (s *Solver) turbulence(dt float64, t Turbulence) {
	if t.Strength == 0 || t.Size <= 0 {
		return
	}
	n := max(t.Octaves, 1)
	cell := max(s.H, t.Size/float64(int(4)<<(n-1)))
	b := s.Bounds()
	size := b.Size().Mul(1 / cell)
	d := grid.Dims{NX: int(size.X) + 3, NY: int(size.Y) + 3, NZ: int(size.Z) + 3}
	var psi [3]*grid.Field
	drift := s.Time * t.Rate
	for c := range psi {
		psi[c] = grid.NewField(d)
		s.crew.For(d.NZ, 1, func(k0, k1 int) {
			for k := k0; k < k1; k++ {
				for j := range d.NY {
					row := psi[c].Row(j, k)
					for i := range row {
						p := b.Min.Add(geom.V(float64(i)-0.5, float64(j)-0.5, float64(k)-0.5).Mul(cell)).Mul(1 / t.Size)
						row[i] = float32(noise.Octaves(t.Seed^(uint64(c+1)*0xA5A5A5A5A5), n, p.X+drift, p.Y-0.61*drift, p.Z+0.33*drift))
					}
				}
			}
		})
	}
	// the gradient of unit noise has a root mean square of about 1 a feature size
	scale := float32(dt * t.Strength * t.Size / s.H)
	h := s.H / cell
	at := func(f *grid.Field, x, y, z float64) float32 {
		return f.Sample(float32(x*h+0.5), float32(y*h+0.5), float32(z*h+0.5))
	}
	add := func(f *grid.Field, fn func(i, j, k float64) float32) {
		s.crew.For(f.NZ, 1, func(k0, k1 int) {
			for k := k0; k < k1; k++ {
				for j := range f.NY {
					row := f.Row(j, k)
					for i := range row {
						row[i] += scale * fn(float64(i), float64(j), float64(k))
					}
				}
			}
		})
	}
	add(s.U, func(i, j, k float64) float32 {
		return at(psi[2], i, j+1, k+0.5) - at(psi[2], i, j, k+0.5) - at(psi[1], i, j+0.5, k+1) + at(psi[1], i, j+0.5, k)
	})
	add(s.V, func(i, j, k float64) float32 {
		return at(psi[0], i+0.5, j, k+1) - at(psi[0], i+0.5, j, k) - at(psi[2], i+1, j, k+0.5) + at(psi[2], i, j, k+0.5)
	})
	add(s.W, func(i, j, k float64) float32 {
		return at(psi[1], i+1, j+0.5, k) - at(psi[1], i, j+0.5, k) - at(psi[0], i+0.5, j+1, k) + at(psi[0], i+0.5, j, k)
	})
}

// confine adds f = ε h (N × ω), N = ∇|ω|/|∇|ω|| (Fedkiw et al. 2001, eq. 11).
func (s *Solver) confine(dt float64, epsilon float64) {
	d := s.Dims
	if s.curl[0] == nil {
		for i := range s.curl {
			s.curl[i] = grid.NewField(d)
		}
	}
	wx, wy, wz, mag := s.curl[0], s.curl[1], s.curl[2], s.curl[3]
	inv := float32(1 / (2 * s.H))
	s.crew.For(d.NZ, 1, func(k0, k1 int) {
		for k := k0; k < k1; k++ {
			ka, kb := max(k-1, 0), min(k+1, d.NZ-1)
			for j := range d.NY {
				ja, jb := max(j-1, 0), min(j+1, d.NY-1)
				for i := range d.NX {
					ia, ib := max(i-1, 0), min(i+1, d.NX-1)
					_, vl, wl := s.Centre(ia, j, k)
					_, vr, wr := s.Centre(ib, j, k)
					ud, _, wd := s.Centre(i, ja, k)
					uu, _, wu := s.Centre(i, jb, k)
					uf, vf, _ := s.Centre(i, j, ka)
					ub, vb, _ := s.Centre(i, j, kb)
					n := d.Index(i, j, k)
					x, y, z := ((wu-wd)-(vb-vf))*inv, ((ub-uf)-(wr-wl))*inv, ((vr-vl)-(uu-ud))*inv
					wx.Data[n], wy.Data[n], wz.Data[n] = x, y, z
					mag.Data[n] = float32(math.Sqrt(float64(x*x + y*y + z*z)))
				}
			}
		}
	})
	fx, fy, fz := s.scratch(0, d), s.scratch(1, d), s.scratch(2, d)
	scale := float32(dt * epsilon * s.H)
	s.crew.For(d.NZ, 1, func(k0, k1 int) {
		for k := k0; k < k1; k++ {
			ka, kb := max(k-1, 0), min(k+1, d.NZ-1)
			for j := range d.NY {
				ja, jb := max(j-1, 0), min(j+1, d.NY-1)
				for i := range d.NX {
					n := d.Index(i, j, k)
					x := mag.At(min(i+1, d.NX-1), j, k) - mag.At(max(i-1, 0), j, k)
					y := mag.At(i, jb, k) - mag.At(i, ja, k)
					z := mag.At(i, j, kb) - mag.At(i, j, ka)
					l := float32(math.Sqrt(float64(x*x + y*y + z*z)))
					if l < 1e-9 {
						fx.Data[n], fy.Data[n], fz.Data[n] = 0, 0, 0
						continue
					}
					q := scale / l
					a, b, c := wx.Data[n], wy.Data[n], wz.Data[n]
					fx.Data[n], fy.Data[n], fz.Data[n] = q*(y*c-z*b), q*(z*a-x*c), q*(x*b-y*a)
				}
			}
		}
	})
	s.crew.For(d.NZ, 1, func(k0, k1 int) {
		for k := k0; k < k1; k++ {
			for j := range d.NY {
				u, v := s.U.Row(j, k), s.V.Row(j, k)
				n := d.Index(0, j, k)
				for i := 1; i < d.NX; i++ {
					u[i] += 0.5 * (fx.Data[n+i-1] + fx.Data[n+i])
				}
				if j > 0 {
					for i := range v {
						v[i] += 0.5 * (fy.Data[n+i-d.NX] + fy.Data[n+i])
					}
				}
				if k > 0 {
					w := s.W.Row(j, k)
					for i := range w {
						w[i] += 0.5 * (fz.Data[n+i-d.NX*d.NY] + fz.Data[n+i])
					}
				}
			}
		}
	})
}
