package liquid

// Beyond the liquid's faces there is no velocity, and particles near the surface
// must read one. So it is carried outwards ring by ring, bent along solids, and then
// particles are moved along the result, kept out of solids and within the box.

import (
	"zarf/core/geom"
	"zarf/core/grid"
)

// extend carries values of known faces outwards by layers, each the mean of the
// neighbours known before: what particles near the surface and near solids
// read. Beyond the first layer faces with particles of their own keep what
// these bring: drops fly on.
func (s *Solver) extend(f [3]*grid.Field, layers int) {
	s.crew.For(3, 1, func(a0, a1 int) {
		for a := a0; a < a1; a++ {
			s.extendOne(f[a], s.w[a], s.known[a], s.rim[a], &s.front[a], layers)
		}
	})
}

// extendOne carries one part of the velocity outwards from the liquid, ring by
// ring: a face takes the mean of those of its neighbours that have one.
//
// It costs 36 reads a face of the rings, and nothing for all others: faces are kept
// as lists. Where a face is reached from several sides it is worked out several
// times, to the same value, which is cheaper than to mark it beforehand.
func (s *Solver) extendOne(f, own *grid.Field, known []bool, rim [][]int32, front *[2][]int32, layers int) {
	// Breadth first from the rim, so a ring costs its faces and not the grid's.
	// Within a layer nothing is marked until all of it is worked out: values don't
	// depend on the order.
	n := [3]int{f.NX, f.NY, f.NZ}
	step := [3]int{1, f.NX, f.NX * f.NY}
	// beside calls fn for the faces beside one
	beside := func(at int, fn func(m int)) {
		p := [3]int{at % n[0], at / n[0] % n[1], at / (n[0] * n[1])}
		for a := range 3 {
			if p[a] > 0 {
				fn(at - step[a])
			}
			if p[a] < n[a]-1 {
				fn(at + step[a])
			}
		}
	}
	list, next := front[0][:0], front[1][:0]
	for _, plane := range rim { // the others have none but known faces beside them
		list = append(list, plane...)
	}
	for layer := range layers {
		next = next[:0]
		for _, at := range list {
			beside(int(at), func(m int) {
				if known[m] || layer > 0 && own.Data[m] > 0 {
					return
				}
				var sum float32
				var count float32
				// a face twice in the list comes to the same value twice
				beside(m, func(q int) {
					if known[q] {
						sum, count = sum+f.Data[q], count+1
					}
				})
				f.Data[m] = sum / count
				next = append(next, int32(m))
			})
		}
		// a face that several reach is listed, and worked out, more than once
		kept := next[:0]
		for _, m := range next {
			if !known[m] {
				known[m] = true
				kept = append(kept, m)
			}
		}
		list, next = kept, list
	}
	front[0], front[1] = list, next
}

// hold keeps the flow on shut faces from running into solids, and slows it
// along them by their friction. On closed sides of the box nothing flows
// through.
//
// Faces known to the pressure keep what it gave them. Shut ones near liquid get what
// along says, into another field, so that no face reads what this pass has written.
func (s *Solver) hold() {
	so := &s.solid
	for a := range 3 {
		f, open, known := s.u[a], so.open[a], s.known[a]
		// into another field: along reads all three components round it
		tmp := s.tmp[a]
		s.crew.For(f.NZ, 2, func(k0, k1 int) {
			for k := k0; k < k1; k++ {
				for j := range f.NY {
					for i := range f.NX {
						n := f.Index(i, j, k)
						tmp.Data[n] = f.Data[n]
						if s.sticky && open.Data[n] >= closed && s.buried(a, i, j, k) {
							tmp.Data[n] = so.vel[a].Data[n] // open in part, but a thick liquid sticks there
							continue
						}
						if open.Data[n] >= closed {
							continue
						}
						at := [3]int{i, j, k}[a]
						if at == 0 && !s.Open[2*a] || at == [3]int{s.NX, s.NY, s.NZ}[a] && !s.Open[2*a+1] || (s.Flat && a == 2) {
							tmp.Data[n] = 0
							continue
						}
						if known[n] { // near the liquid
							tmp.Data[n] = s.along(a, i, j, k)
						}
					}
				}
			}
		})
	}
	for a := range 3 {
		s.u[a], s.tmp[a] = s.tmp[a], s.u[a]
	}
}

// along is part a of the velocity on a face within a solid, without what runs
// into it.
// The solid's own velocity and friction are asked of the nearest collider only where
// some move or have friction: that search is the dear part.
func (s *Solver) along(a, i, j, k int) float32 {
	x := [3]float32{float32(i) + 0.5, float32(j) + 0.5, float32(k) + 0.5}
	x[a] -= 0.5
	// the wall's normal is the slope of its distance, which corners give anywhere
	_, out := s.depth(&x)
	v := s.at(&x)
	us := [3]float32{}
	friction := float32(0)
	if s.solid.moving || s.solid.rough {
		p := s.facePoint(i, j, k, a)
		if c := s.nearest(p); c != nil {
			friction = float32(c.Friction)
			if c.Shape != c.Before {
				w := c.Velocity(p, s.dt).Array()
				us = [3]float32{float32(w[0]), float32(w[1]), float32(w[2])}
			}
		}
	}
	// u·n relative to the wall; liquid may leave (into > 0) but not enter
	var into float32
	for b := range 3 {
		into += (v[b] - us[b]) * out[b]
	}
	r := v[a] - us[a]
	normal := into * out[a]
	tangent := (r - normal) * (1 - friction)
	return us[a] + tangent + max(into, 0)*out[a]
}

// batch is how many particles are moved together.
const batch = 256

// bundle are places and velocities of a batch of particles.
type bundle struct {
	x, y, v, k [3][batch]float32
}

// flow samples the velocity f at the places p of n particles into v.
func flow(f [3]*grid.Field, p, v *[3][batch]float32, n int) {
	// the last place is repeated: its samples are thrown away, but must be readable
	full := (n + 15) &^ 15 // whole vectors are read quickest
	for i := n; i < full; i++ {
		for a := range p {
			p[a][i] = p[a][n-1]
		}
	}
	for a := range 3 {
		off := [3]float32{0.5, 0.5, 0.5}
		off[a] = 0
		f[a].SampleBatch(v[a][:full], p[0][:full], p[1][:full], p[2][:full], off)
	}
}

// advect carries particles along the grid's flow for dt, by the third-order
// scheme of Ralston (1962), moves them apart by the gaps found, and out of
// solids. What leaves through an open side is taken away.
func (s *Solver) advect(dt float64, st *FrameStats) {
	blocks := (len(s.P) + batch - 1) / batch
	// counted a batch, added in order
	gone := make([][6]int, blocks)
	s.crew.For(blocks, 4, func(b0, b1 int) {
		var w bundle
		for b := b0; b < b1; b++ {
			list := s.P[b*batch : min((b+1)*batch, len(s.P))]
			s.carry(&w, list, float32(dt/s.H))
			for m := range list {
				s.land(&list[m], [3]float32{w.y[0][m], w.y[1][m], w.y[2][m]}, &gone[b])
			}
		}
	})
	unit := s.H * s.H * s.H / PerCell
	lost := 0
	for _, g := range gone {
		for side, c := range g {
			st.Left[side] += float64(c) * unit
			lost += c
		}
	}
	if lost > 0 {
		s.drop(func(p *Particle) bool { return p.X[0] < 0 })
	}
}

// carry leaves in w.y where particles come to; g is dt over a voxel.
//
// Three evaluations (Ralston's third-order weights have the least error of all such
// schemes), each of three fields by batches. Euler's steps would spiral outwards in a vortex.
func (s *Solver) carry(w *bundle, list []Particle, g float32) {
	n := len(list)
	for m := range list {
		for a := range 3 {
			w.x[a][m] = list[m].X[a]
		}
	}
	// k₁ = u(x); k₂ = u(x + ½dt k₁); k₃ = u(x + ¾dt k₂); x ← x + dt (2k₁ + 3k₂ +
	// 4k₃)/9. v collects the weighted sum.
	flow(s.u, &w.x, &w.k, n)
	for a := range 3 {
		for m := range n {
			w.v[a][m] = 2 * w.k[a][m]
			w.y[a][m] = w.x[a][m] + 0.5*g*w.k[a][m]
		}
	}
	flow(s.u, &w.y, &w.k, n)
	for a := range 3 {
		for m := range n {
			w.v[a][m] += 3 * w.k[a][m]
			w.y[a][m] = w.x[a][m] + 0.75*g*w.k[a][m]
		}
	}
	flow(s.u, &w.y, &w.k, n)
	for a := range 3 {
		for m := range n {
			w.y[a][m] = w.x[a][m] + g*(w.v[a][m]+4*w.k[a][m])/9
		}
	}
	if !s.spread {
		return
	}
	// The displacement that spreads particles is read where they were; at most 0.3
	// of a voxel, as it is worked out for small moves only.
	flow(s.gap, &w.x, &w.k, n)
	for a := range 3 {
		for m := range n {
			w.y[a][m] += min(max(w.k[a][m], -0.3), 0.3)
		}
	}
}

// land puts a particle to a place, or where solids and sides keep it; one that
// leaves gets a place below 0 and is counted.
func (s *Solver) land(q *Particle, y [3]float32, gone *[6]int) {
	n := [3]float32{float32(s.NX), float32(s.NY), float32(s.NZ)}
	const skin = 1e-3
	if s.Flat {
		y[2] = q.X[2]
	}
	if s.solid.any {
		// solids after the whole way: a thin wall that is crossed in one step isn't
		// seen
		s.expel(&y, q)
	}
	q.X = y
	for a := range 3 {
		for up := range 2 {
			beyond := q.X[a] < skin
			if up == 1 {
				beyond = q.X[a] > n[a]-skin
			}
			if !beyond {
				continue
			}
			if s.Open[2*a+up] {
				// a mark that no particle in the box can have; drop looks for it
				q.X[0] = -1
				gone[2*a+up]++
				return
			}
			q.X[a] = min(max(q.X[a], skin), n[a]-skin)
			// speed into the wall goes, along it and away from it stay
			if (q.V[a] < 0) == (up == 0) {
				q.V[a] = 0
			}
		}
	}
}

// expel puts a particle that has come into a solid back to its surface, and
// takes the velocity into it away.
// It is asked after the whole way: what passes a wall thinner than the way isn't
// seen.
func (s *Solver) expel(y *[3]float32, q *Particle) {
	// twice: in a corner the first push may lead into the other wall
	for range 2 {
		// two hundredths of a voxel outside, or rounding would find it inside again
		d, out := s.depth(y)
		if d >= 0 {
			return
		}
		for a := range 3 {
			y[a] += (0.02 - d) * out[a]
		}
		var into float32
		for a := range 3 {
			into += q.V[a] * out[a]
		}
		if into < 0 && !s.solid.moving {
			for a := range 3 {
				q.V[a] -= into * out[a]
			}
		}
	}
}

// drop takes particles away, keeping the order of the others; it returns how
// many went.
func (s *Solver) drop(gone func(p *Particle) bool) int {
	kept := s.P[:0]
	for n := range s.P {
		if !gone(&s.P[n]) {
			kept = append(kept, s.P[n])
		}
	}
	c := len(s.P) - len(kept)
	s.P = kept
	return c
}

// where is a particle's place in space.
func (s *Solver) where(x *[3]float32) geom.Vec3 {
	return s.Origin.Add(geom.V(float64(x[0]), float64(x[1]), float64(x[2])).Mul(s.H))
}
