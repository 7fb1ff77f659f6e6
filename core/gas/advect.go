package gas

import (
	"math"
	"sync"

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
	s.carry([]*grid.Field{s.Smoke, s.Heat}, atCentre, q, scheme)
	u, v, w := s.U, s.V, s.W
	outside := s.outsideAir()
	nu, nv, nw := copyOf(u), copyOf(v), copyOf(w)
	s.carryInto(nu, u, atU, q, scheme, &outside[0])
	s.carryInto(nv, v, atV, q, scheme, &outside[1])
	s.carryInto(nw, w, atW, q, scheme, &outside[2])
	s.U, s.V, s.W = nu, nv, nw
}

func copyOf(f *grid.Field) *grid.Field {
	return &grid.Field{Dims: f.Dims, Data: append([]float32(nil), f.Data...)}
}

// outsideAir is, for each velocity component and each open side, the mean over
// the side: what air that flows in there brings along. Bringing its own speed
// along instead feeds a jet at an open side until it blows up (backflow
// instability of p = 0); bringing none would brake a uniform wind.
func (s *Solver) outsideAir() (out [3][6]float32) {
	for c, f := range []*grid.Field{s.U, s.V, s.W} {
		var frac *grid.Field
		if s.solid.any {
			frac = []*grid.Field{s.solid.fx, s.solid.fy, s.solid.fz}[c]
		}
		n := [3]int{f.NX, f.NY, f.NZ}
		for side, open := range s.Open {
			if !open {
				continue
			}
			lo, hi := [3]int{}, n
			if a := side / 2; side%2 == 0 {
				hi[a] = 1
			} else {
				lo[a] = n[a] - 1
			}
			sum, count := 0.0, 0
			for k := lo[2]; k < hi[2]; k++ {
				for j := lo[1]; j < hi[1]; j++ {
					for i := lo[0]; i < hi[0]; i++ {
						at := f.Index(i, j, k)
						if frac == nil || frac.Data[at] > 0.5 {
							sum += float64(f.Data[at])
							count++
						}
					}
				}
			}
			if count > 0 {
				out[c][side] = float32(sum / float64(count))
			}
		}
	}
	return out
}

func (s *Solver) carryInto(dst, src *grid.Field, at place, q float32, scheme Scheme, outside *[6]float32) {
	s.trace(src.Dims, at, -q)
	s.semiLagrangian(dst, src, at, outside)
	if scheme == MacCormack {
		hat := s.scratch(0, src.Dims)
		hat.CopyFrom(dst)
		s.correct(dst, src, hat, at, q)
	}
}

// carry advects fields at the same place, sharing the traces.
func (s *Solver) carry(fields []*grid.Field, at place, q float32, scheme Scheme) {
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
		s.semiLagrangian(dst, f, at, &[6]float32{}) // the air outside is clean
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

// batch is how many points are traced together: what they need stays in the
// cache next to the processor.
const batch = 2048

// bench is the room for one batch.
type bench struct {
	x, y, z, u, v, w, a, b, c [batch]float32
}

var benches = sync.Pool{New: func() any { return new(bench) }}

// batches runs fn over all points of a grid in runs of at most batch.
func (s *Solver) batches(d grid.Dims, fn func(t *bench, o, n int)) {
	s.crew.For(d.Len(), batch, func(lo, hi int) {
		t := benches.Get().(*bench)
		for o := lo; o < hi; o += batch {
			fn(t, o, min(batch, hi-o))
		}
		benches.Put(t)
	})
}

// points fills x, y, z with the positions of points o … o+n−1.
func (t *bench) points(d grid.Dims, at place, o, n int) {
	i, j, k := o%d.NX, o/d.NX%d.NY, o/(d.NX*d.NY)
	for m := 0; m < n; {
		run := min(d.NX-i, n-m)
		y, z := float32(j)+at.y, float32(k)+at.z
		x := t.x[m : m+run]
		for q := range x {
			x[q] = float32(i+q) + at.x
			t.y[m+q], t.z[m+q] = y, z
		}
		m += run
		i = 0
		if j++; j == d.NY {
			j = 0
			k++
		}
	}
}

// flow samples the velocity at n positions.
func (s *Solver) flow(t *bench, x, y, z []float32) {
	n := len(x)
	s.U.SampleBatch(t.u[:n], x, y, z, [3]float32{0, 0.5, 0.5})
	s.V.SampleBatch(t.v[:n], x, y, z, [3]float32{0.5, 0, 0.5})
	s.W.SampleBatch(t.w[:n], x, y, z, [3]float32{0.5, 0.5, 0})
}

// midpoint traces points o, o+1 … of a grid by one RK2 step of q cells a unit
// of velocity into px, py, pz.
func (s *Solver) midpoint(t *bench, d grid.Dims, at place, o int, q float32, px, py, pz []float32) {
	n := len(px)
	t.points(d, at, o, n)
	s.onsite(t, d, at, o, n)
	x, y, z := t.x[:n], t.y[:n], t.z[:n]
	h := 0.5 * q
	a, b, c := t.a[:n], t.b[:n], t.c[:n]
	for i := range a {
		a[i], b[i], c[i] = x[i]+float32(h*t.u[i]), y[i]+float32(h*t.v[i]), z[i]+float32(h*t.w[i])
	}
	s.flow(t, a, b, c)
	for i := range px {
		px[i], py[i], pz[i] = x[i]+float32(q*t.u[i]), y[i]+float32(q*t.v[i]), z[i]+float32(q*t.w[i])
	}
}

// trace finds where the fluid at every point came from; positions go to s.back
// in cells from the corner.
func (s *Solver) trace(d grid.Dims, at place, q float32) {
	bx, by, bz := s.back[0], s.back[1], s.back[2]
	s.batches(d, func(t *bench, o, n int) {
		s.midpoint(t, d, at, o, q, bx[o:o+n], by[o:o+n], bz[o:o+n])
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

// semiLagrangian reads src at the traced positions; what comes in through an
// open side has the side's value of outside.
func (s *Solver) semiLagrangian(dst, src *grid.Field, at place, outside *[6]float32) {
	bx, by, bz := s.back[0], s.back[1], s.back[2]
	nx, ny, nz := float32(s.NX), float32(s.NY), float32(s.NZ)
	open := s.Open
	s.batches(src.Dims, func(t *bench, o, n int) {
		x, y, z, out := bx[o:o+n], by[o:o+n], bz[o:o+n], dst.Data[o:o+n]
		src.SampleBatch(out, x, y, z, at.array())
		for i := range out {
			switch x, y, z := x[i], y[i], z[i]; {
			case x >= 0 && x <= nx && y >= 0 && y <= ny && z >= 0 && z <= nz:
			case x < 0 && open[0]:
				out[i] = outside[0]
			case x > nx && open[1]:
				out[i] = outside[1]
			case y < 0 && open[2]:
				out[i] = outside[2]
			case y > ny && open[3]:
				out[i] = outside[3]
			case z < 0 && open[4]:
				out[i] = outside[4]
			case z > nz && open[5]:
				out[i] = outside[5]
			}
		}
	})
}

func (p place) array() [3]float32 { return [3]float32{p.x, p.y, p.z} }

// correct is MacCormack's second half: dst = hat + ½(src − back(hat)), where
// back(hat) traces forward again; values outside the range of the eight nodes
// that semi-Lagrangian advection read fall back to hat (Selle et al. 2008).
// dst holds hat on entry.
func (s *Solver) correct(dst, src, hat *grid.Field, at place, q float32) {
	d := src.Dims
	bx, by, bz := s.back[0], s.back[1], s.back[2]
	nx, ny, nz := float32(s.NX), float32(s.NY), float32(s.NZ)
	s.batches(d, func(t *bench, o, n int) {
		// reflecting the backward displacement instead of tracing forward would
		// be cheaper, and first order: in a vortex it misses by ½θ² of the radius
		x, y, z := t.a[:n], t.b[:n], t.c[:n]
		s.midpoint(t, d, at, o, q, x, y, z)
		again := t.u[:n]
		hat.SampleBatch(again, x, y, z, at.array())
		lo, hi := t.v[:n], t.w[:n]
		px, py, pz := bx[o:o+n], by[o:o+n], bz[o:o+n]
		src.RangeBatch(lo, hi, px, py, pz, at.array())
		for i := range again {
			if px[i] < 0 || py[i] < 0 || pz[i] < 0 || px[i] > nx || py[i] > ny || pz[i] > nz {
				continue // came from outside: keep hat
			}
			v := hat.Data[o+i] + float32(0.5*(src.Data[o+i]-again[i]))
			if v < lo[i] || v > hi[i] {
				continue
			}
			dst.Data[o+i] = v
		}
	})
}
