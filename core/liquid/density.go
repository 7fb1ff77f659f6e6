package liquid

// How full each cell is, by its particles. Three things follow from it: where the
// surface lies, which cells are liquid at all, and where particles crowd or lack.

import (
	"math"
)

// measure works out how full cells are, and from that where the surface lies.
//
// The density ρ of a cell is the sum of its surroundings' particles by the hat
// function, over what a full surrounding would hold with the room that solids
// leave. Over a flat surface at the depth d, in voxels,
//
//	ρ = ½ + d − d|d|/2,
//
// which is turned round to give the distance: φ = −d, in voxels, cut off at ±1.
func (s *Solver) measure() {
	// Σ over particles of the hat function of their distance: toGrid's weights on the
	// lattice of cells' middles.
	near := s.live.grow(1, s.Dims)
	s.rows(3, s.work, func(j, k, i0, i1 int) {
		n := s.rho.Index(0, j, k)
		rho, phi := s.rho.Data[n+i0:n+i1], s.phi.Data[n+i0:n+i1]
		if near.empty() || j < near.lo[1] || k < near.lo[2] || j >= near.hi[1] || k >= near.hi[2] {
			clear(rho)
			for i := range phi {
				phi[i] = 1
			}
			return
		}
		room := s.solid.room.Data[n+i0 : n+i1]
		sums := s.sums[3][s.stagger.Row(j, k)+2*i0:]
		sums = sums[:2*len(rho)]
		for i := range rho {
			r := sums[2*i+1]
			if at := i0 + i; r == 0 || at < near.lo[0] || at >= near.hi[0] {
				rho[i], phi[i] = 0, 1
				continue
			}
			// room is what of the hat function solids leave: beside a wall half as
			// many particles are "full". Slivers under a tenth would make noise of a
			// few.
			r /= PerCell * max(room[i], 0.1)
			rho[i] = r
			phi[i] = -depthOf(r)
		}
	})
}

// depthOf is the depth under a flat surface at which the density is r.
func depthOf(r float32) float32 {
	// For a half-space at depth d the hat function's integral is ½ + d − d|d|/2 on
	// −1 … 1; solved for d on either side of the surface.
	switch {
	case r >= 1:
		return 1
	case r <= 0:
		return -1
	case r > 0.5:
		return 1 - float32(math.Sqrt(float64(2-2*r)))
	}
	return float32(math.Sqrt(float64(2*r))) - 1
}

// crowding is how much of a cell's excess is mended in a substep.
const crowding = 0.5

// spreadOut finds a displacement of faces, in voxels, that takes particles from
// where they are crowded to where they lack (Kugelstadt et al. 2019), by the
// system of the pressure. Near the surface they are only kept from crowding.
func (s *Solver) spreadOut(tol float64, most int) {
	// The right side is the excess as if it were divergence: where 10 % too many
	// are, a displacement with divergence 5 % moves half of them out.
	// what is too much is so of the part of a cell that solids leave
	share := s.solid.share.Data
	s.rightSide(func(c, i, j, k int) float32 {
		if s.bubbled(c) {
			return 0
		}
		excess := s.rho.Data[c] - 1
		// near the surface a lack is the surface, not a hole to be filled
		if s.shore.now != nil && s.shore.share[s.shore.at(i, k)] > 0.6 {
			return 0
		}
		if excess < 0 && !s.inner[c] && !s.deep(i, j, k) {
			excess = 0
		}
		return crowding * min(max(excess, -0.5), 0.5) * share[c]
	})
	// the same matrix as the pressure's, so setting up costs nothing
	s.sys.Solve(tol, most)
	for a := range 3 {
		s.rows(a, s.work, func(j, k, i0, i1 int) {
			n := s.gap[a].Index(0, j, k)
			clear(s.gap[a].Data[n+i0 : n+i1])
		})
	}
	s.toFaces(s.gap, nil, false)
}

// deep reports a cell with liquid on all sides.
// Walls and the box's sides count as liquid: against them nothing is to be filled.
func (s *Solver) deep(i, j, k int) bool {
	// walls count as full: liquid against them isn't a surface
	full := func(i, j, k int) bool {
		if uint(i) >= uint(s.NX) || uint(j) >= uint(s.NY) || uint(k) >= uint(s.NZ) {
			return true
		}
		n := s.Index(i, j, k)
		return s.wet[n] && !s.bubbled(n) || s.solid.room.Data[n] < 0.3
	}
	return full(i-1, j, k) && full(i+1, j, k) && full(i, j-1, k) && full(i, j+1, k) && full(i, j, k-1) && full(i, j, k+1)
}

// Deep marks the cells that are full with full ones all round, and those with
// a cell beside or across that isn't deep: no others have to do with the
// surface. Particles are sorted by it.
func (s *Solver) Deep() (deep, near []bool) {
	s.look()
	// Three quarters: particles in moving liquid leave cells between 0.8 and 1.2.
	full := make([]bool, s.Len())
	for c := range full {
		full[c] = s.rho.Data[c] >= 0.75 || s.solid.room != nil && s.solid.room.Data[c] < 0.1
	}
	deep = s.allRound(full, true)
	return deep, s.anyRound(deep)
}

// Fullness is the share of every voxel that liquid fills, 0 to 1; their sum is
// the volume of the particles. It is to be called after Deep, with its deep
// cells, which are as full as solids let them be. All others hold their
// particles by the hat function, times one factor for the whole grid that makes
// the sum come out: so no liquid is lost in spray, none is made along a
// surface, and inside it is even. Where the deep cells alone hold more, as under
// particles that are spread thin, all are lowered.
func (s *Solver) Fullness(deep []bool) []float32 {
	// Volume is what the artist counts: what the voxels hold adds up to the
	// particles exactly, whatever the splats' overlap along the surface.
	out := make([]float32, s.Len())
	open := func(c int) float32 {
		if s.solid.share == nil {
			return 1
		}
		return s.solid.share.Data[c]
	}
	want, sure := float64(len(s.P))/PerCell, 0.0
	var rest []int32
	for c, d := range deep {
		room := open(c)
		switch {
		case d:
			out[c] = room
			sure += float64(room)
		case s.rho.Data[c] > 0 && room > 0:
			rest = append(rest, int32(c))
		}
	}
	// thinner than full everywhere: nothing to hand out, one factor for all
	if sure >= want {
		rest = nil
		if sure > 0 {
			for c := range out {
				out[c] *= float32(want / sure)
			}
		}
		return out
	}
	sum := func(t float32) (v float64) {
		for _, c := range rest {
			out[c] = min(t*s.rho.Data[c], 1) * open(int(c))
			v += float64(out[c])
		}
		return v
	}
	// Bisection on the one factor: the sum grows with it, but is cut off at 1 a
	// cell, so it has no closed form.
	lo, hi := float32(0), float32(16)
	for range 24 { // to 1e-6 of the factor
		if mid := (lo + hi) / 2; sum(mid) < want-sure {
			lo = mid
		} else {
			hi = mid
		}
	}
	sum(hi)
	return out
}

// allRound marks cells whose whole surroundings are marked; what lies outside
// the box counts as edge says.
// It looks at 27 cells each, and stops at the first that isn't marked: inside and
// far away from the liquid that is the first or the last.
func (s *Solver) allRound(mark []bool, edge bool) []bool {
	out := make([]bool, len(mark))
	s.crew.For(s.NZ, 1, func(k0, k1 int) {
		for k := k0; k < k1; k++ {
			for j := range s.NY {
				for i := range s.NX {
					all := true
					for c := 0; c < 27 && all; c++ {
						a, b, e := i+c%3-1, j+c/3%3-1, k+c/9-1
						if a < 0 || b < 0 || e < 0 || a >= s.NX || b >= s.NY || e >= s.NZ {
							all = edge
							continue
						}
						all = mark[s.Index(a, b, e)]
					}
					out[s.Index(i, j, k)] = all
				}
			}
		}
	})
	return out
}

// anyRound marks cells with one in their surroundings that isn't marked.
func (s *Solver) anyRound(mark []bool) []bool {
	out := s.allRound(mark, true)
	for c := range out {
		out[c] = !out[c]
	}
	return out
}
