package liquid

// Pressure: numbering the liquid's cells, the system's rows with the surface and
// solids where they really are, the right side from the flow, and the gradient taken
// off it.

import (
	"math"

	"zarf/core/grid"
)

// wetFrom is the depth under the surface, in voxels, from which a cell counts as
// liquid. Nearer to it a cell's pressure would be all but given, and tiny
// errors of the depth would drive it sideways; the surface is then seen from
// the cell before, up to a voxel and a bit away.
const wetFrom = 0.02

// gapTo is the share of the way from a liquid cell to an empty one at which the
// surface lies; over 1 where the empty one holds a little too.
func gapTo(in, out float32) float32 {
	// no slope towards the empty cell: the surface is as far as is looked for
	if in >= out {
		return most
	}
	return min(max(in/(in-out), 0.01), most)
}

// most is the farthest that the surface is looked for, in voxels.
const most = 20

// faceRows are a part of the velocity's values, or others on faces, round a row of cells:
// lower and upper ones across y and z.
func (s *Solver) faceRows(f *[3]*grid.Field, j, k int) (x, y, y1, z, z1 []float32) {
	return f[0].Row(j, k), f[1].Row(j, k), f[1].Row(j+1, k), f[2].Row(j, k), f[2].Row(j, k+1)
}

// sides are the rows of cells on both sides of one along y and z; −1 where the box ends.
func (s *Solver) sides(j, k int) (rows [4]int) {
	o := s.Index(0, j, k)
	rows = [4]int{-1, -1, -1, -1}
	if j > 0 {
		rows[0] = o - s.NX
	}
	if j < s.NY-1 {
		rows[1] = o + s.NX
	}
	if k > 0 {
		rows[2] = o - s.NX*s.NY
	}
	if k < s.NZ-1 {
		rows[3] = o + s.NX*s.NY
	}
	return rows
}

// setup finds the liquid's cells and makes the pressure's system: for each
// face of open share w, w·(p − p_nb), and w·(p − p_s)/θ where the neighbour is
// empty and the surface at the share θ of the way (the ghost-fluid way).
//
// It makes the matrix anew in each substep, as the liquid's cells change: a pass
// over the cells for finding them and one for the weights.
func (s *Solver) setup(bubbles bool) {
	near := s.live.grow(1, s.Dims)
	s.rows(3, s.work, func(j, k, i0, i1 int) { s.findWet(j, k, i0, i1) })
	s.followSlivers()
	s.closeIn(bubbles)
	s.sys.begin(near)
	s.rows(3, near, func(j, k, i0, i1 int) { s.weigh(j, k, i0, i1) })
	s.sys.complete()
}

// findWet marks the liquid's cells in a row: liquid by its distance, with room by solids,
// and not walled in.
func (s *Solver) findWet(j, k, i0, i1 int) {
	o := s.Index(0, j, k)
	x, y, y1, z, z1 := s.faceRows(&s.solid.open, j, k)
	phi, room, wet, ajar := s.phi.Data[o:o+s.NX], s.solid.room.Data[o:o+s.NX], s.wet[o:o+s.NX], s.ajar[o:o+s.NX]
	for i := i0; i < i1; i++ {
		least := min(x[i], x[i+1], y[i], y1[i], z[i], z1[i])
		most := max(x[i], x[i+1], y[i], y1[i], z[i], z1[i])
		ajar[i] = least >= closed
		wet[i] = phi[i] < -wetFrom && room[i] > 0.1 && most >= closed
	}
}

// weigh puts a row of cells into the system.
func (s *Solver) weigh(j, k, i0, i1 int) {
	o, l := s.Index(0, j, k), s.sys.lv[0]
	at := s.sys.row(j, k)
	x, y, y1, z, z1 := s.faceRows(&s.solid.open, j, k)
	sides := s.sides(j, k)
	for i := i0; i < i1; i++ {
		c := o + i
		if !s.wet[c] {
			continue
		}
		var diag float32
		inner := true
		face := func(w float32, nb int, there bool, to *float32) {
			switch {
			case w < closed:
				inner = false
			case !there:
				// an open side is a surface half a voxel from the cell's middle
				diag += w * s.easeOf(c, -1) / 0.5
				inner = false
			case s.wet[nb]:
				inner = inner && s.ajar[nb] && !s.bubbled(nb)
				w *= s.easeOf(c, nb)
				diag += w
				if to != nil { // symmetric: one weight for both
					*to = w
				}
			default:
				diag += w * s.easeOf(c, nb) / s.gap2(c, nb)
				inner = false
			}
		}
		m := at + i
		face(x[i], c-1, i > 0, &l.w[0][m])
		face(x[i+1], c+1, i < s.NX-1, nil)
		face(y[i], sides[0]+i, sides[0] >= 0, &l.w[1][m])
		face(y1[i], sides[1]+i, sides[1] >= 0, nil)
		face(z[i], sides[2]+i, sides[2] >= 0, &l.w[2][m])
		face(z1[i], sides[3]+i, sides[3] >= 0, nil)
		l.diag[m] = diag
		s.inner[c] = inner
	}
}

// gap2 is gapTo for two cells; one that isn't counted as liquid though it is
// full lies behind a wall.
func (s *Solver) gap2(in, out int) float32 {
	if s.phi.Data[out] < -wetFrom {
		return 1
	}
	return gapTo(s.phi.Data[in], s.phi.Data[out])
}

// rightSide puts a right side into the system, of its cells.
func (s *Solver) rightSide(of func(c, i, j, k int) float32) {
	b := s.sys.lv[0].b
	s.rows(3, s.live.grow(1, s.Dims), func(j, k, i0, i1 int) {
		o, at := s.Index(0, j, k), s.sys.row(j, k)
		for i := i0; i < i1; i++ {
			v := float32(0)
			if s.wet[o+i] {
				v = of(o+i, i, j, k)
			}
			b[at+i] = v
		}
	})
}

// project makes the liquid's flow divergence-free. tension is σ·dt/(ρ·h), with
// which curvature in 1/voxel gives the surface's pressure in units of velocity.
func (s *Solver) project(p Physics, dt float64, st *FrameStats) {
	var surf []float32
	if p.Tension > 0 {
		// Young and Laplace: p_s = σ κ, in units of velocity after dt/(ρ h)
		surf = s.curvature(float32(p.Tension * dt / (p.Density * s.H * s.H)))
	}
	b := s.sys.lv[0].b
	s.rows(3, s.live.grow(1, s.Dims), func(j, k, i0, i1 int) {
		o, at := s.Index(0, j, k), s.sys.row(j, k)
		wx, wy, wy1, wz, wz1 := s.faceRows(&s.solid.open, j, k)
		ux, uy, uy1, uz, uz1 := s.faceRows(&s.u, j, k)
		vx, vy, vy1, vz, vz1 := s.faceRows(&s.solid.vel, j, k)
		for i := i0; i < i1; i++ {
			if !s.wet[o+i] {
				b[at+i] = 0
				continue
			}
			// flux through the open share, and the solid's own through the rest
			div := passing(wx[i+1], ux[i+1], vx[i+1]) - passing(wx[i], ux[i], vx[i])
			div += passing(wy1[i], uy1[i], vy1[i]) - passing(wy[i], uy[i], vy[i])
			div += passing(wz1[i], uz1[i], vz1[i]) - passing(wz[i], uz[i], vz[i])
			b[at+i] = -div
		}
		if surf != nil {
			s.pressed(surf, j, k, i0, i1)
		}
	})
	// the flow is then u − ∇x, by the same θ as the matrix: divergence-free to the
	// residual, no more and no less
	n, res := s.sys.Solve(p.Tolerance, p.MaxIterations)
	st.Iterations += n
	st.Residual = max(st.Residual, res)
	if res > p.Tolerance {
		st.Unconverged++
	}
	s.toFaces(s.u, surf, true)
	if s.Pressure != nil {
		s.keepPressure(float32(p.Density * s.H / dt))
	}
}

// keepPressure writes down the pressure, of which the solution is 1/unit.
func (s *Solver) keepPressure(unit float32) {
	s.rows(3, s.work, func(j, k, i0, i1 int) {
		o, at := s.Index(0, j, k), s.sys.row(j, k)
		near := s.live.grow(1, s.Dims)
		for i := i0; i < i1; i++ {
			s.Pressure.Data[o+i] = 0
			if s.wet[o+i] && near.holds(i, j, k) {
				s.Pressure.Data[o+i] = unit * s.sys.x[at+i]
			}
		}
	})
}

// passing is what goes through a face of open share w: u through that, the solid's v
// through the rest.
func passing(w, u, v float32) float32 { return float32(w*u) + float32((1-w)*v) }

// pressed adds the surface's pressure to the right side of a row: it is known, where a
// cell beside is empty.
func (s *Solver) pressed(surf []float32, j, k, i0, i1 int) {
	o, at, b := s.Index(0, j, k), s.sys.row(j, k), s.sys.lv[0].b
	x, y, y1, z, z1 := s.faceRows(&s.solid.open, j, k)
	sides := s.sides(j, k)
	for i := i0; i < i1; i++ {
		c := o + i
		if !s.wet[c] {
			continue
		}
		face := func(w float32, nb int, there bool) {
			if there && w >= closed && !s.wet[nb] {
				b[at+i] += w * s.easeOf(c, nb) / s.gap2(c, nb) * s.onSurface(surf, c, nb)
			}
		}
		face(x[i], c-1, i > 0)
		face(x[i+1], c+1, i < s.NX-1)
		face(y[i], sides[0]+i, sides[0] >= 0)
		face(y1[i], sides[1]+i, sides[1] >= 0)
		face(z[i], sides[2]+i, sides[2] >= 0)
		face(z1[i], sides[3]+i, sides[3] >= 0)
	}
}

// onSurface is the pressure at the surface between two cells.
func (s *Solver) onSurface(surf []float32, in, out int) float32 {
	t := min(s.gap2(in, out), 1)
	return surf[in] + (surf[out]-surf[in])*t
}

// toFaces takes the gradient of the system's solution off f on the open faces of the
// liquid, and, where it is asked to, marks them as known.
//
// It tells three things of each face: whether liquid is on both sides, on one, or on
// none.
func (s *Solver) toFaces(f [3]*grid.Field, surf []float32, mark bool) {
	near := s.live.grow(1, s.Dims)
	for a := range 3 {
		if mark {
			s.rows(a, s.work, func(j, k, i0, i1 int) {
				n := f[a].Index(0, j, k)
				clear(s.known[a][n+i0 : n+i1])
			})
			for k := range s.rings[0].at[a] {
				s.rings[0].at[a][k] = s.rings[0].at[a][k][:0]
			}
		}
		s.rows(a, near, func(j, k, i0, i1 int) { s.dropRow(f[a], a, j, k, i0, i1, surf, mark) })
	}
}

// dropRow is toFaces for a row of faces.
func (s *Solver) dropRow(f *grid.Field, a, j, k, i0, i1 int, surf []float32, mark bool) {
	n := f.Index(0, j, k)
	open, u, known := s.solid.open[a].Data[n:n+f.NX], f.Data[n:n+f.NX], s.known[a][n:n+f.NX]
	step := [3]int{1, s.NX, s.NX * s.NY}[a]
	size := [3]int{s.NX, s.NY, s.NZ}[a]
	back := [3]int{1, s.sys.lv[0].sy, s.sys.lv[0].sz}[a]
	x, at, o := s.sys.x, s.sys.row(j, k), (k*s.NY+j)*s.NX
	for i := i0; i < i1; i++ {
		if open[i] < closed {
			continue
		}
		side := [3]int{i, j, k}[a]
		// the cells on both sides; a face of the box has one
		hi, lo := o+i, o+i-step
		wl, wh := false, false
		if side < size {
			wh = s.wet[hi]
		} else {
			hi = -1
		}
		if side > 0 {
			wl = s.wet[lo]
		} else {
			lo = -1
		}
		// both liquid: the plain difference; one: up to the surface between; none: air
		m := at + i
		switch {
		case wl && wh:
			u[i] -= (x[m] - x[m-back]) * s.easeOf(lo, hi)
		case wl:
			u[i] -= s.rise(x[m-back], lo, hi, surf) * s.easeOf(lo, hi)
		case wh:
			u[i] += s.rise(x[m], hi, lo, surf) * s.easeOf(lo, hi)
		default:
			continue
		}
		if !mark {
			continue
		}
		known[i] = 1
		if !wl || !wh || !s.inner[lo] || !s.inner[hi] {
			ring := &s.rings[0].at[a][k]
			*ring = append(*ring, facetOf(i, j))
		}
	}
}

// rise is the pressure's change over a voxel from a liquid cell to an empty one.
func (s *Solver) rise(p float32, in, out int, surf []float32) float32 {
	if out < 0 {
		return -p / 0.5
	}
	var ps float32
	if surf != nil {
		ps = s.onSurface(surf, in, out)
	}
	return (ps - p) / s.gap2(in, out)
}

// curvature is the mean curvature of the surface near it, times scale, from
// the distances smoothed once: κ = ∇·(∇φ/|∇φ|), at most one a voxel.
//
// The formula is that of Goldman (2005) for implicit surfaces, with central
// differences of the smoothed distance. It is clamped to one a voxel: tighter curves
// can't be told from noise, and their pressure would tear single particles away.
func (s *Solver) curvature(scale float32) []float32 {
	f := s.phi
	if s.soft == nil {
		s.soft, s.bent = make([]float32, f.Len()), make([]float32, f.Len())
	}
	at := func(i, j, k int) float32 {
		return f.At(min(max(i, 0), f.NX-1), min(max(j, 0), f.NY-1), min(max(k, 0), f.NZ-1))
	}
	// one pass of smoothing: distances from particles ripple by a few hundredths of
	// a voxel, and second derivatives would show nothing else
	soft, out := s.soft, s.bent
	s.rows(3, s.work, func(j, k, i0, i1 int) {
		for i := i0; i < i1; i++ {
			n := f.Index(i, j, k)
			soft[n] = 0.4*f.Data[n] + 0.1*(at(i-1, j, k)+at(i+1, j, k)+at(i, j-1, k)+at(i, j+1, k)+at(i, j, k-1)+at(i, j, k+1))
		}
	})
	near := func(i, j, k int) float32 {
		return soft[f.Index(min(max(i, 0), f.NX-1), min(max(j, 0), f.NY-1), min(max(k, 0), f.NZ-1))]
	}
	s.rows(3, s.live.grow(2, s.Dims), func(j, k, i0, i1 int) {
		for i := i0; i < i1; i++ {
			n := f.Index(i, j, k)
			out[n] = bend(soft[n], scale, func(dx, dy, dz int) float32 { return near(i+dx, j+dy, k+dz) })
		}
	})
	return out
}

// bend is the curvature where the smoothed distance is c, times scale.
func bend(c, scale float32, near func(dx, dy, dz int) float32) float32 {
	// cut off at ±1, so beyond there is no shape to measure
	if c <= -0.98 || c >= 0.98 {
		return 0
	}
	x0, x1, y0, y1, z0, z1 := near(-1, 0, 0), near(1, 0, 0), near(0, -1, 0), near(0, 1, 0), near(0, 0, -1), near(0, 0, 1)
	x, y, z := (x1-x0)/2, (y1-y0)/2, (z1-z0)/2
	xx, yy, zz := x1+x0-2*c, y1+y0-2*c, z1+z0-2*c
	xy := (near(1, 1, 0) - near(-1, 1, 0) - near(1, -1, 0) + near(-1, -1, 0)) / 4
	xz := (near(1, 0, 1) - near(-1, 0, 1) - near(1, 0, -1) + near(-1, 0, -1)) / 4
	yz := (near(0, 1, 1) - near(0, -1, 1) - near(0, 1, -1) + near(0, -1, -1)) / 4
	g2 := x*x + y*y + z*z
	if g2 < 1e-4 {
		return 0
	}
	// κ = (φxx(φy² + φz²) + … − 2(φxφyφxy + …))/|∇φ|³, positive where the liquid is
	// convex; one a voxel is the most that a grid can show
	num := xx*(y*y+z*z) + yy*(x*x+z*z) + zz*(x*x+y*y) - 2*(x*y*xy+x*z*xz+y*z*yz)
	k := num / (g2 * float32(math.Sqrt(float64(g2))))
	return scale * min(max(k, -1), 1)
}
