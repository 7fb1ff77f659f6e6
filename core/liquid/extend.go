package liquid

// Beyond the liquid's faces there is no velocity, and particles near the surface
// must read one. So it is carried outwards ring by ring, and bent along solids.

import (
	"zarf/core/grid"
)

// layers is how many rings of faces velocities are carried outwards: particles are
// advected up to CFL voxels and read a voxel round them; four hold for the usual limits,
// and drops beyond bring their own velocity. apart is how many of them know how far
// particles are to be kept apart.
const (
	layers = 4
	apart  = 2
)

// facet is the place of a face in its plane.
type facet uint32

func facetOf(i, j int) facet      { return facet(i) | facet(j)<<16 }
func (p facet) place() (i, j int) { return int(p & 0xffff), int(p >> 16) }

// ring are faces of the three parts of the velocity, plane by plane.
type ring struct{ at [3][][]facet }

// spreadRings finds the rings round the liquid's known faces: ring 0, which toFaces makes, are
// those of them that may have others beside them, ring n are n faces away. Beyond the
// first, faces with particles of their own keep what these bring: drops fly on.
//
// A ring costs its faces and not the grid's. Planes are worked on at once: each looks at
// the last ring in itself and in those beside it, and marks its own faces alone.
func (s *Solver) spreadRings() {
	planes := func(fn func(a, k int)) {
		n := s.NZ + 1
		s.crew.For(3*n, 4, func(lo, hi int) {
			for m := lo; m < hi; m++ {
				if a := m / n; m%n < s.u[a].NZ {
					fn(a, m%n)
				}
			}
		})
	}
	for n := 1; n <= layers; n++ {
		planes(func(a, k int) {
			s.rings[n].at[a][k] = s.nextRing(s.rings[n].at[a][k][:0], a, k, n)
		})
		planes(func(a, k int) {
			f := s.u[a]
			for _, p := range s.rings[n].at[a][k] {
				i, j := p.place()
				s.known[a][f.Index(i, j, k)] = uint8(n + 1)
			}
		})
	}
}

// nextRing appends the faces of a plane that ring n holds, and marks them as met.
func (s *Solver) nextRing(list []facet, a, k, n int) []facet {
	f, known, own, last := s.u[a], s.known[a], s.w[a].Data, s.rings[n-1].at[a]
	o := f.Index(0, 0, k)
	meet := func(i, j int) {
		m := o + j*f.NX + i
		if known[m] == 0 && (n == 1 || own[m] == 0) {
			known[m] = met
			list = append(list, facetOf(i, j))
		}
	}
	for _, p := range last[k] {
		i, j := p.place()
		if i > 0 {
			meet(i-1, j)
		}
		if i < f.NX-1 {
			meet(i+1, j)
		}
		if j > 0 {
			meet(i, j-1)
		}
		if j < f.NY-1 {
			meet(i, j+1)
		}
	}
	for _, beside := range [2]int{k - 1, k + 1} {
		if beside >= 0 && beside < f.NZ {
			for _, p := range last[beside] {
				meet(p.place())
			}
		}
	}
	return list
}

// met marks a face of the ring that is being found.
const met = 255

// extend carries the values of known faces outwards by so many rings: a face takes the
// mean of those of its neighbours that were known before.
func (s *Solver) extend(f [3]*grid.Field, rings int) {
	n := s.NZ + 1
	for ring := 1; ring <= rings; ring++ {
		s.crew.For(3*n, 4, func(lo, hi int) {
			for m := lo; m < hi; m++ {
				if a := m / n; m%n < f[a].NZ {
					s.extendPlane(f[a], a, s.rings[ring].at[a][m%n], m%n, uint8(ring))
				}
			}
		})
	}
}

func (s *Solver) extendPlane(f *grid.Field, a int, list []facet, k int, ring uint8) {
	known, thin := s.known[a], s.solid.zones.of != nil
	sy, sz := f.NX, f.NX*f.NY
	for _, p := range list {
		i, j := p.place()
		m := k*sz + j*sy + i
		var sum, count float32
		thin := thin && s.solid.zones.of[s.Index(min(i, s.NX-1), min(j, s.NY-1), min(k, s.NZ-1))] > 0
		take := func(q, b, up int) {
			if at := known[q]; at != 0 && at <= ring && !(thin && a != b && s.divided(a, b, [3]int{i, j, k}, up)) {
				sum, count = sum+f.Data[q], count+1
			}
		}
		if i > 0 {
			take(m-1, 0, 0)
		}
		if i < f.NX-1 {
			take(m+1, 0, 1)
		}
		if j > 0 {
			take(m-sy, 1, 0)
		}
		if j < f.NY-1 {
			take(m+sy, 1, 1)
		}
		if k > 0 {
			take(m-sz, 2, 0)
		}
		if k < f.NZ-1 {
			take(m+sz, 2, 1)
		}
		if count > 0 {
			f.Data[m] = sum / count
		}
	}
}

// held is a face whose velocity a solid tells.
type held struct {
	face int32
	v    float32
}

// hold keeps the flow on shut faces from running into solids, and slows it
// along them by their friction. On closed sides of the box nothing flows
// through.
//
// Faces known to the pressure keep what it gave them. Shut ones near liquid get what
// along says, all before any is changed: along reads others round them.
func (s *Solver) hold() {
	for a := range 3 {
		s.holdSides(a)
	}
	if !s.solid.any && len(s.aside) == 0 {
		return
	}
	for a := range 3 {
		if s.holds[a] == nil {
			s.holds[a] = make([][]held, s.u[a].NZ)
		}
		for k := range s.holds[a] {
			s.holds[a][k] = s.holds[a][k][:0]
		}
		s.rows(a, s.reach, func(j, k, i0, i1 int) { s.heldRow(a, j, k, i0, i1) })
	}
	for a := range 3 {
		s.crew.For(len(s.holds[a]), 1, func(k0, k1 int) {
			for _, list := range s.holds[a][k0:k1] {
				for _, h := range list {
					s.u[a].Data[h.face] = h.v
				}
			}
		})
	}
}

// heldRow finds what shut faces of a row get.
func (s *Solver) heldRow(a, j, k, i0, i1 int) {
	n := s.u[a].Index(0, j, k)
	open, known := s.solid.open[a].Data[n:], s.known[a][n:]
	list := s.holds[a][k]
	for i := i0; i < i1; i++ {
		switch {
		case open[i] >= closed:
			if s.sticky && s.buried(a, i, j, k) {
				// open in part, but a thick liquid sticks there
				list = append(list, held{int32(n + i), s.solid.vel[a].Data[n+i]})
			}
		case s.shutSide(a, [3]int{i, j, k}):
		case known[i] != 0 && known[i] <= apart+1: // near the liquid
			list = append(list, held{int32(n + i), s.along(a, i, j, k)})
		}
	}
	s.holds[a][k] = list
}

// shutSide reports a face on a closed side of the box.
func (s *Solver) shutSide(a int, at [3]int) bool {
	return at[a] == 0 && !s.Open[2*a] || at[a] == [3]int{s.NX, s.NY, s.NZ}[a] && !s.Open[2*a+1] || s.Flat && a == 2
}

// holdSides lets nothing flow through closed sides of the box.
func (s *Solver) holdSides(a int) {
	r := s.reach
	if r.empty() {
		return
	}
	top := [3]int{s.NX, s.NY, s.NZ}[a]
	for _, side := range [2]int{0, top} {
		wall := r
		wall.lo[a], wall.hi[a] = side, side
		switch {
		case s.Flat && a == 2:
			wall = r
		case side == 0 && (s.Open[2*a] || r.lo[a] > 0), side == top && (s.Open[2*a+1] || r.hi[a] < top):
			continue
		}
		for k := wall.lo[2]; k < wall.hi[2] || a == 2 && k == wall.hi[2]; k++ {
			for j := wall.lo[1]; j < wall.hi[1] || a == 1 && j == wall.hi[1]; j++ {
				n := s.u[a].Index(0, j, k)
				for i := wall.lo[0]; i < wall.hi[0] || a == 0 && i == wall.hi[0]; i++ {
					s.u[a].Data[n+i] = 0
				}
			}
		}
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
	sheet, thin := s.solid.sheets[a][int32(s.u[a].Index(i, j, k))]
	if thin {
		out = sheet
	}
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
	if thin { // nothing comes out of a sheet to either side
		return us[a] + tangent
	}
	return us[a] + tangent + max(into, 0)*out[a]
}
