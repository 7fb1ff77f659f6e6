package gas

import (
	"math"

	"zarf/core/grid"
)

// place is where a field's first value sits, in cells from the grid's corner.
type place struct{ x, y, z float32 }

var (
	atCentre = place{0.5, 0.5, 0.5}
	atU      = place{0, 0.5, 0.5}
	atV      = place{0.5, 0, 0.5}
	atW      = place{0.5, 0.5, 0}
)

// Advect carries velocity and channels along the flow for dt seconds.
func (s *Solver) Advect(dt float64, scheme Scheme) { s.advect(float32(dt), scheme) }

// advect carries velocity and channels along the velocity as it is now.
func (s *Solver) advect(dt float32, scheme Scheme) {
	q := dt / float32(s.H) // velocities in cells a step
	// channels first: they read the old velocity, which the velocity's own
	// advection replaces only at the end
	s.carry([]*grid.Field{s.Smoke, s.Heat}, atCentre, q, scheme, true)
	u, v, w := s.U, s.V, s.W
	nu, nv, nw := copyOf(u), copyOf(v), copyOf(w)
	s.carryInto(nu, u, atU, q, scheme)
	s.carryInto(nv, v, atV, q, scheme)
	s.carryInto(nw, w, atW, q, scheme)
	s.U, s.V, s.W = nu, nv, nw
}

func copyOf(f *grid.Field) *grid.Field {
	return &grid.Field{Dims: f.Dims, Data: append([]float32(nil), f.Data...)}
}

func (s *Solver) carryInto(dst, src *grid.Field, at place, q float32, scheme Scheme) {
	s.trace(src.Dims, at, -q)
	s.semiLagrangian(dst, src, at, false)
	if scheme == MacCormack {
		hat := s.scratch(0, src.Dims)
		hat.CopyFrom(dst)
		s.correct(dst, src, hat, at, q)
	}
}

// carry advects fields at the same place, sharing the traces.
func (s *Solver) carry(fields []*grid.Field, at place, q float32, scheme Scheme, ambient bool) {
	var live []*grid.Field
	for _, f := range fields {
		if lo, hi, _ := f.Range(); lo != 0 || hi != 0 {
			live = append(live, f)
		}
	}
	if len(live) == 0 {
		return
	}
	s.trace(live[0].Dims, at, -q)
	for n, f := range live {
		dst := s.scratch(n, f.Dims)
		s.semiLagrangian(dst, f, at, ambient)
	}
	for n, f := range live {
		dst := s.scratch(n, f.Dims)
		if scheme == MacCormack {
			out := s.scratch(2+n, f.Dims)
			out.CopyFrom(dst)
			s.correct(out, f, dst, at, q)
			dst = out
		}
		f.CopyFrom(dst)
	}
}

// trace finds where the fluid at every point came from by one midpoint (RK2)
// step of q cells a unit of velocity; positions go to s.back in cells from the
// corner.
func (s *Solver) trace(d grid.Dims, at place, q float32) {
	bx, by, bz := s.back[0], s.back[1], s.back[2]
	s.crew.For(d.NZ, 1, func(k0, k1 int) {
		for k := k0; k < k1; k++ {
			for j := range d.NY {
				o := (k*d.NY + j) * d.NX
				for i := range d.NX {
					x, y, z := float32(i)+at.x, float32(j)+at.y, float32(k)+at.z
					u, v, w := s.velocity(x, y, z)
					u, v, w = s.velocity(x+0.5*q*u, y+0.5*q*v, z+0.5*q*w)
					bx[o+i], by[o+i], bz[o+i] = x+q*u, y+q*v, z+q*w
				}
			}
		}
	})
	if s.solid.any {
		s.pushOut(d.Len())
	}
}

// pushOut moves traced positions that ended inside a solid to its surface:
// fluid can't have come from there, and a thin wall must not let through what
// is behind it.
func (s *Solver) pushOut(n int) {
	bx, by, bz := s.back[0], s.back[1], s.back[2]
	f := &grid.Field{Dims: grid.Dims{NX: s.NX + 1, NY: s.NY + 1, NZ: s.NZ + 1}, Data: s.solid.node}
	s.crew.For(n, 1<<12, func(lo, hi int) {
		for i := lo; i < hi; i++ {
			x, y, z := bx[i], by[i], bz[i]
			// the nearest corner tells most positions to be clear
			a, b, c := clampInt(int(x+0.5), s.NX), clampInt(int(y+0.5), s.NY), clampInt(int(z+0.5), s.NZ)
			if s.solid.node[(c*(s.NY+1)+b)*(s.NX+1)+a] > 0.9 {
				continue
			}
			d := f.Sample(x, y, z)
			if d >= 0 || d < -2 {
				continue
			}
			gx := f.Sample(x+0.5, y, z) - f.Sample(x-0.5, y, z)
			gy := f.Sample(x, y+0.5, z) - f.Sample(x, y-0.5, z)
			gz := f.Sample(x, y, z+0.5) - f.Sample(x, y, z-0.5)
			l := gx*gx + gy*gy + gz*gz
			if l < 1e-6 {
				continue
			}
			q := -d / float32(math.Sqrt(float64(l)))
			bx[i], by[i], bz[i] = x+q*gx, y+q*gy, z+q*gz
		}
	})
}

func clampInt(i, n int) int { return min(max(i, 0), n) }

// velocity interpolates at a position in cells from the corner.
func (s *Solver) velocity(x, y, z float32) (u, v, w float32) {
	return s.U.Sample(x, y-0.5, z-0.5), s.V.Sample(x-0.5, y, z-0.5), s.W.Sample(x-0.5, y-0.5, z)
}

// semiLagrangian reads src at the traced positions. With ambient, what comes
// in through an open side is 0, the air outside.
func (s *Solver) semiLagrangian(dst, src *grid.Field, at place, ambient bool) {
	d := src.Dims
	bx, by, bz := s.back[0], s.back[1], s.back[2]
	nx, ny, nz := float32(s.NX), float32(s.NY), float32(s.NZ)
	open := s.Open
	s.crew.For(d.NZ, 1, func(k0, k1 int) {
		for o := k0 * d.NX * d.NY; o < k1*d.NX*d.NY; o++ {
			x, y, z := bx[o], by[o], bz[o]
			if ambient && ((x < 0 && open[0]) || (x > nx && open[1]) || (y < 0 && open[2]) || (y > ny && open[3]) || (z < 0 && open[4]) || (z > nz && open[5])) {
				dst.Data[o] = 0
				continue
			}
			dst.Data[o] = src.Sample(x-at.x, y-at.y, z-at.z)
		}
	})
}

// correct is MacCormack's second half: dst = hat + ½(src − back(hat)), where
// back(hat) traces forward again; values outside the range of the eight nodes
// that semi-Lagrangian advection read fall back to hat (Selle et al. 2008).
func (s *Solver) correct(dst, src, hat *grid.Field, at place, q float32) {
	d := src.Dims
	bx, by, bz := s.back[0], s.back[1], s.back[2]
	nx, ny, nz := float32(s.NX), float32(s.NY), float32(s.NZ)
	s.crew.For(d.NZ, 1, func(k0, k1 int) {
		for k := k0; k < k1; k++ {
			for j := range d.NY {
				o := (k*d.NY + j) * d.NX
				for i := range d.NX {
					n := o + i
					px, py, pz := bx[n], by[n], bz[n]
					if px < 0 || py < 0 || pz < 0 || px > nx || py > ny || pz > nz {
						continue // came from outside: keep hat
					}
					lo, hi := src.NodeRange(px-at.x, py-at.y, pz-at.z)
					if lo == hi {
						continue
					}
					x, y, z := float32(i)+at.x, float32(j)+at.y, float32(k)+at.z
					// reflecting the backward displacement instead would be cheaper, and
					// first order: in a vortex it misses by ½θ² of the radius
					a, b, c := s.velocity(x, y, z)
					a, b, c = s.velocity(x+0.5*q*a, y+0.5*q*b, z+0.5*q*c)
					v := hat.Data[n] + 0.5*(src.Data[n]-hat.Sample(x+q*a-at.x, y+q*b-at.y, z+q*c-at.z))
					if v < lo || v > hi {
						continue
					}
					dst.Data[n] = v
				}
			}
		}
	})
}
