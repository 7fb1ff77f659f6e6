package liquid

// Forces: what acts everywhere, what depends on the place, and wind, which presses on the
// surface alone.

import (
	"math"

	"zarf/core/geom"
	"zarf/core/grid"
	"zarf/core/sim"
)

// forces are those of a substep that depend on the place.
type forces struct {
	pushes []sim.Force
	wishes []sim.Wish
	blows  bool // there is wind
}

// force adds what acts on the faces that particles are near to.
// Gravity acts along y on faces alone: particles get it by the difference of two
// grids, so that nothing falls twice.
func (s *Solver) force(dt float64, in Inputs) {
	// only faces with particles near: air has no weight here
	fall := float32(in.Physics.Gravity * dt)
	keep := float32(math.Exp(-in.Physics.Damping * dt))
	f := forces{pushes: in.Pushes(), wishes: in.Wishes(), blows: len(in.Winds) > 0 && in.Physics.Air > 0}
	for i := range in.Turbulences {
		f.pushes = append(f.pushes, in.Turbulences[i].Stirs())
	}
	if f.blows {
		s.blow(dt, in)
	}
	placed := len(f.pushes)+len(f.wishes) > 0
	for a := range 3 {
		u, w := s.u[a], s.w[a]
		s.rows(a, s.live.grow(1, s.Dims), func(j, k, i0, i1 int) {
			n := u.Index(0, j, k)
			for i := i0; i < i1; i++ {
				if w.Data[n+i] == 0 {
					continue
				}
				v := u.Data[n+i] * keep
				if a == 1 {
					v -= fall
				}
				if placed {
					v = f.at(v, a, dt, s.facePoint(i, j, k, a))
				}
				if f.blows {
					v += s.gustAt(a, [3]int{i, j, k})
				}
				u.Data[n+i] = v
			}
		})
	}
}

// at is a velocity along one axis after the forces that depend on the place have acted for dt.
func (f *forces) at(v float32, axis int, dt float64, p geom.Vec3) float32 {
	if len(f.pushes) > 0 {
		var sum geom.Vec3
		for i := range f.pushes {
			q := &f.pushes[i]
			if w := q.Region.Weight(p); w != 0 {
				sum = sum.Add(q.At(p).Mul(w))
			}
		}
		v += float32(sum.Array()[axis] * dt)
	}
	for _, wish := range f.wishes {
		if want, rate := wish(p); rate > 0 {
			v += float32(1-math.Exp(-rate*dt)) * (float32(want.Array()[axis]) - v)
		}
	}
	return v
}

// skinDrag is the drag of a surface that wind runs along, by its area: that of water in a stiff
// breeze (Garratt 1977 has 0.001 to 0.003).
const skinDrag = 0.002

// windDrag is the drag coefficient of a ball at high Reynolds numbers, by the area that it
// shows the wind (Newton's range).
const windDrag = 0.44

// blow works out what wind adds to the velocity of cells at the surface. Where fullness rises
// along the wind against the liquid, Δ, the surface faces that: a voxel shows it an area of
// h³ ∇full·Δ/|Δ|, whose sum over a body is the area of its outline, and feels ½ ρ_air c |Δ| Δ
// of that, beside the friction of what it runs along. Liquid in the lee of other liquid counts as
// well.
func (s *Solver) blow(dt float64, in Inputs) {
	if s.gust[0] == nil {
		for a := range s.gust {
			s.gust[a] = grid.NewField(s.Dims)
		}
	}
	press := 0.5 * windDrag * in.Physics.Air / in.Physics.Density / s.H
	step := [3]int{1, s.NX, s.NX * s.NY}
	s.rows(3, s.work, func(j, k, i0, i1 int) {
		for n := s.Index(i0, j, k); n < s.Index(i1, j, k); n++ {
			for a := range s.gust {
				s.gust[a].Data[n] = 0
			}
			full := s.rho.Data[n]
			if full < airy {
				continue
			}
			at := [3]int{n % s.NX, n / s.NX % s.NY, n / step[2]}
			slope, open := s.slope(n, at, step)
			if !open {
				continue
			}
			p := s.Origin.Add(geom.V(float64(at[0])+0.5, float64(at[1])+0.5, float64(at[2])+0.5).Mul(s.H))
			v := s.centre(at)
			for i := range in.Winds {
				w := &in.Winds[i]
				against := w.Velocity.Sub(v)
				fast := against.Len()
				shown := slope.Dot(against)
				if fast == 0 {
					continue
				}
				shown = max(shown, 0) + 2*skinDrag/windDrag*fast*slope.Len()
				rate := press * shown * w.Region.Weight(p)
				for a, x := range against.Array() {
					if wet := float64(s.wetFaces(a, at)); wet > 0 {
						s.gust[a].Data[n] += float32(x * min(rate*dt*PerCell/wet, 0.5))
					}
				}
			}
		}
	})
}

// airy is how full a cell must be at least for wind to find something there.
const airy = 0.02

// slope is by how much fullness rises from a cell to the next along each axis, and whether
// there is air beside it. Beside solids and the box's sides it doesn't rise: they shut the wind
// out.
func (s *Solver) slope(n int, at, step [3]int) (_ geom.Vec3, open bool) {
	size := [3]int{s.NX, s.NY, s.NZ}
	var g [3]float64
	for a := range 3 {
		full := func(m int, there bool) float64 {
			if !there || s.solid.any && s.solid.room.Data[m] < 0.5 {
				m = n
			} else if s.rho.Data[m] < 0.85 {
				open = true
			}
			return float64(s.rho.Data[m])
		}
		g[a] = (full(n+step[a], at[a]+1 < size[a]) - full(n-step[a], at[a] > 0)) / 2
	}
	return geom.FromArray(g), open
}

// centre is the velocity in a cell's middle, of the faces that have one.
func (s *Solver) centre(at [3]int) geom.Vec3 {
	var v [3]float64
	for a := range 3 {
		next := at
		next[a]++
		sum, many := float32(0), float32(0)
		for _, q := range [2][3]int{at, next} {
			if m := s.u[a].Index(q[0], q[1], q[2]); s.w[a].Data[m] != 0 {
				sum, many = sum+s.u[a].Data[m], many+1
			}
		}
		if many > 0 {
			v[a] = float64(sum / many)
		}
	}
	return geom.FromArray(v)
}

// wetFaces is the weight of the liquid on a cell's two faces along an axis, as far as these
// keep what they are given: beyond the surface they get their velocity from within.
func (s *Solver) wetFaces(a int, at [3]int) (sum float32) {
	for range 2 {
		if s.keeps(a, at) {
			sum += s.w[a].Data[s.w[a].Index(at[0], at[1], at[2])]
		}
		at[a]++
	}
	return sum
}

// keeps says that a face has liquid on a side.
func (s *Solver) keeps(a int, face [3]int) bool {
	size := [3]int{s.NX, s.NY, s.NZ}
	on := face[a] < size[a] && s.phi.Data[s.Index(face[0], face[1], face[2])] < 0
	face[a]--
	return on || face[a] >= 0 && s.phi.Data[s.Index(face[0], face[1], face[2])] < 0
}

// gustAt is what wind adds on a face, by what it gives the cells on both sides: each shares it
// out by the liquid on its faces, so that nothing is lost.
func (s *Solver) gustAt(a int, face [3]int) (sum float32) {
	if !s.keeps(a, face) {
		return 0
	}
	for side := range 2 {
		c := face
		if c[a] -= side; c[a] >= 0 && c[0] < s.NX && c[1] < s.NY && c[2] < s.NZ {
			sum += s.gust[a].Data[s.Index(c[0], c[1], c[2])]
		}
	}
	return sum
}
