package liquid

// What colliders mean to a liquid: open shares of faces for the pressure, distances
// for particles, and how much of the room about a cell's middle they take, without
// which liquid against a wall would count as thin.

import (
	"maps"
	"math"
	"slices"

	"zarf/core/geom"
	"zarf/core/grid"
	"zarf/core/sim"
)

// solids is what the colliders mean on this grid.
type solids struct {
	list    []sim.Collider
	ready   bool
	any     bool
	moving  bool
	rough   bool                    // some solid has friction
	node    *grid.Field             // signed distance at the corners of cells, voxels
	open    [3]*grid.Field          // open share of faces
	vel     [3]*grid.Field          // the solid's velocity on faces that it covers, m/s
	share   *grid.Field             // of each cell that solids leave
	thin    []bool                  // solids of few voxels
	room    *grid.Field             // share of a cell's surroundings, by the hat function, that liquid can fill
	sheets  [3]map[int32][3]float32 // faces that thin solids shut, and these solids' normals
	zones   zones
	slivers [][2]int32 // cells that solids leave little of, and those that they follow
	reach   region     // cells that some solid is of consequence to
	boxes   []geom.Box // of the solids, now and before
	fine    []float64  // how closely ways are held against each, m
}

// closed is the open share under which a face counts as shut.
const closed = 0.1

// far is the distance, in voxels, of corners that no solid is near to.
const far = 1e3

// setSolids works out open faces, solids' velocities and the room of cells, if
// anything changed.
func (s *Solver) setSolids(list []sim.Collider, dt float64) {
	so := &s.solid
	// Solids that stand still are looked at once; moving ones in every substep, as
	// are those that have just come to rest, whose velocities must go to zero.
	same := so.ready && slices.EqualFunc(so.list, list, func(a, b sim.Collider) bool { return a.Shape == b.Shape && a.Friction == b.Friction })
	still := !slices.ContainsFunc(list, func(c sim.Collider) bool { return c.Shape != c.Before })
	if same && still && !so.moving {
		return
	}
	dirty := s.stale(list)
	so.list, so.ready, so.moving, so.any = slices.Clone(list), true, !still, len(list) > 0
	so.rough = slices.ContainsFunc(list, func(c sim.Collider) bool { return c.Friction > 0 })
	if so.node == nil {
		so.node = grid.NewField(grid.Dims{NX: s.NX + 1, NY: s.NY + 1, NZ: s.NZ + 1})
		for a := range 3 {
			so.open[a], so.vel[a] = grid.NewField(s.u[a].Dims), grid.NewField(s.u[a].Dims)
		}
		so.room, so.share = grid.NewField(s.Dims), grid.NewField(s.Dims)
	}
	so.thin = so.thin[:0]
	for c := range list {
		so.thin = append(so.thin, list[c].Shape.Thinnest() < 4*s.H)
	}
	s.sampleCorners(dirty)
	for a := range 3 {
		s.openFaces(a, dt, dirty)
	}
	s.fillRoom(dirty)
	s.shutThin(dt, dirty)
	s.findSlivers(dirty)
	s.findZones()
}

// stale are the cells about which something has to be worked out anew: all at first, then
// those near solids that moved, where they are and where they were.
func (s *Solver) stale(list []sim.Collider) (r region) {
	so := &s.solid
	whole := region{hi: [3]int{s.NX, s.NY, s.NZ}}
	if !so.ready || len(so.list) != len(list) {
		return whole
	}
	for c := range list {
		now, was := &list[c], &so.list[c]
		if now.Shape == was.Shape && now.Before == now.Shape && was.Before == was.Shape && now.Friction == was.Friction {
			continue
		}
		if now.Shape.Hollow || was.Shape.Hollow {
			return whole
		}
		r = r.join(s.aboutShape(&now.Shape)).join(s.aboutShape(&was.Shape))
	}
	return r
}

// aboutShape are the cells that a shape is of consequence to.
func (s *Solver) aboutShape(sh *geom.Shape) region {
	lo, hi := s.cellsOf(sh.Bounds().Grow(4 * s.H))
	return region{lo, hi}
}

// slight is the share of a cell that solids leave of it under which what is in it doesn't
// tell whether it is liquid: the mean of less than three particles.
const slight = 0.35

// findSlivers lists the cells that solids leave little of, each with the cell beside it that
// its widest opening leads to: it counts as liquid where that one does. By its own few
// particles it would now be air, deep under water, which then shoots in, and now not.
func (s *Solver) findSlivers(dirty region) {
	so := &s.solid
	kept := so.slivers[:0]
	for _, c := range so.slivers {
		n := int(c[0])
		if !dirty.holds(n%s.NX, n/s.NX%s.NY, n/(s.NX*s.NY)) {
			kept = append(kept, c)
		}
	}
	so.slivers = kept
	if !so.any || dirty.empty() {
		return
	}
	share := so.share.Data
	found := make([][][2]int32, s.NZ)
	s.rows(3, dirty, func(j, k, i0, i1 int) {
		x, y, y1, z, z1 := s.faceRows(&so.open, j, k)
		sides := s.sides(j, k)
		for i := i0; i < i1; i++ {
			c := s.Index(i, j, k)
			if v := share[c]; v <= 0 || v >= slight {
				continue
			}
			wide, to := float32(closed), -1
			look := func(w float32, nb int, there bool) {
				if there && w > wide && share[nb] >= slight {
					wide, to = w, nb
				}
			}
			look(x[i], c-1, i > 0)
			look(x[i+1], c+1, i < s.NX-1)
			look(y[i], sides[0]+i, sides[0] >= 0)
			look(y1[i], sides[1]+i, sides[1] >= 0)
			look(z[i], sides[2]+i, sides[2] >= 0)
			look(z1[i], sides[3]+i, sides[3] >= 0)
			if to >= 0 {
				found[k] = append(found[k], [2]int32{int32(c), int32(to)})
			}
		}
	})
	for _, list := range found {
		so.slivers = append(so.slivers, list...)
	}
}

// followSlivers lets slivers count as what they follow does.
func (s *Solver) followSlivers() {
	for _, c := range s.solid.slivers {
		s.wet[c[0]] = s.wet[c[1]]
		s.phi.Data[c[0]] = s.phi.Data[c[1]]
	}
}

// shutThin shuts the faces that solids thinner than a voxel lie across, and lets cells
// beside them be as full as the side that they are on.
func (s *Solver) shutThin(dt float64, dirty region) {
	so := &s.solid
	so.boxes, so.fine = so.boxes[:0], so.fine[:0]
	// the faces on its border are of cells on both sides
	reset := dirty
	dirty = dirty.grow(1, s.Dims)
	w := &sim.Walls{Dims: s.Dims, H: s.H, Origin: s.Origin, List: so.list, Node: so.node.Data, Open: so.open, Lo: dirty.lo, Hi: dirty.hi, Crew: s.crew}
	so.reach = region{}
	for c := range so.list {
		sh, before := &so.list[c].Shape, &so.list[c].Before
		b := sh.Bounds()
		so.reach = so.reach.join(s.aboutShape(sh))
		was := before.Bounds()
		so.boxes = append(so.boxes, geom.Box{Min: b.Min.Min(was.Min), Max: b.Max.Max(was.Max)}.Grow(0.1*s.H))
		so.fine = append(so.fine, sh.Fine(0.05*s.H))
	}
	for a, list := range sim.ShutThin(w) {
		f := so.open[a]
		if so.sheets[a] == nil {
			so.sheets[a] = make(map[int32][3]float32, len(list))
		}
		faces := reset
		faces.hi[a]++
		maps.DeleteFunc(so.sheets[a], func(n int32, _ [3]float32) bool {
			return faces.holds(int(n)%f.NX, int(n)/f.NX%f.NY, int(n)/(f.NX*f.NY))
		})
		for _, sheet := range list {
			so.sheets[a][sheet.Face] = sheet.Normal
			n := int(sheet.Face)
			at := [3]int{n % f.NX, n / f.NX % f.NY, n / (f.NX * f.NY)}
			if so.moving {
				p := s.facePoint(at[0], at[1], at[2], a)
				if c := s.nearest(p); c != nil {
					so.vel[a].Data[n] = float32(c.Velocity(p, dt).Array()[a])
				}
			}
			for range 2 {
				s.halveRoom(at)
				at[a]--
			}
		}
	}
}

// halveRoom takes from a cell's room what lies behind a thin solid: the hat function of a
// half-space (see depthOf).
func (s *Solver) halveRoom(at [3]int) {
	p := s.Origin.Add(geom.V(float64(at[0])+0.5, float64(at[1])+0.5, float64(at[2])+0.5).Mul(s.H))
	d := math.Inf(1)
	for c := range s.solid.list {
		d = min(d, math.Abs(s.solid.list[c].Shape.Distance(p))/s.H)
	}
	room := &s.solid.room.Data[s.Index(at[0], at[1], at[2])]
	if d < 1 {
		*room = min(*room, float32(0.5+d-d*d/2))
	}
}

// cellsOf is the range of cells that a box covers.
func (s *Solver) cellsOf(b geom.Box) (lo, hi [3]int) {
	n := [3]int{s.NX, s.NY, s.NZ}
	from, to := b.Min.Sub(s.Origin).Mul(1/s.H).Array(), b.Max.Sub(s.Origin).Mul(1/s.H).Array()
	for x := range 3 {
		lo[x] = int(min(max(math.Floor(from[x]), 0), float64(n[x])))
		hi[x] = int(min(max(math.Ceil(to[x]), 0), float64(n[x])))
	}
	return lo, hi
}

// sampleCorners measures the solids at the grid's corners, which shares of faces
// are made from.
// A hollow solid is everywhere but in its form, so its box is the domain's.
func (s *Solver) sampleCorners(dirty region) {
	so := &s.solid
	if dirty.empty() {
		return
	}
	for k := dirty.lo[2]; k <= dirty.hi[2]; k++ {
		for j := dirty.lo[1]; j <= dirty.hi[1]; j++ {
			row := so.node.Row(j, k)[dirty.lo[0] : dirty.hi[0]+1]
			for i := range row {
				row[i] = far
			}
		}
	}
	box := s.Bounds()
	for c := range so.list {
		sh := &so.list[c].Shape
		b := sh.Bounds().Grow(4 * s.H)
		// seen from inside, a solid fills everything beyond it
		if sh.Hollow {
			b = box
		}
		lo, hi := s.cellsOf(b)
		for a := range 3 {
			lo[a], hi[a] = max(lo[a], dirty.lo[a]), min(hi[a], dirty.hi[a])
		}
		s.crew.For(hi[2]-lo[2]+1, 1, func(k0, k1 int) {
			for k := lo[2] + k0; k < lo[2]+k1; k++ {
				for j := lo[1]; j <= hi[1]; j++ {
					row := so.node.Row(j, k)
					for i := lo[0]; i <= hi[0]; i++ {
						p := s.Origin.Add(geom.V(float64(i), float64(j), float64(k)).Mul(s.H))
						row[i] = min(row[i], float32(sh.Distance(p)/s.H))
					}
				}
			}
		})
	}
}

// facePoint is the middle of a face in space.
func (s *Solver) facePoint(i, j, k, axis int) geom.Vec3 {
	// faces of axis a sit on the cell's lower side along it
	q := [3]float64{float64(i) + 0.5, float64(j) + 0.5, float64(k) + 0.5}
	q[axis] -= 0.5
	return s.Origin.Add(geom.FromArray(q).Mul(s.H))
}

// nearest is the collider closest to p, nil without any.
func (s *Solver) nearest(p geom.Vec3) *sim.Collider {
	var best *sim.Collider
	least := math.Inf(1)
	for c := range s.solid.list {
		if d := s.solid.list[c].Shape.Distance(p); d < least {
			least, best = d, &s.solid.list[c]
		}
	}
	return best
}

// openFaces fills the open share of the faces across an axis; closed sides of
// the box are shut.
//
// On the box's sides a wall is a shut face, and an open side an open one, whatever
// solids say. Velocities are those of the nearest solid, and only where any moves.
func (s *Solver) openFaces(axis int, dt float64, dirty region) {
	so := &s.solid
	f, v, n := so.open[axis], so.vel[axis], so.node
	step := [3]int{1, n.NX, n.NX * n.NY}
	// the four corners of the face at `at`, in turn round it
	a, b := step[(axis+1)%3], step[(axis+2)%3]
	last := [3]int{s.NX, s.NY, s.NZ}[axis]
	s.rows(axis, dirty, func(j, k, i0, i1 int) {
		row, vel := f.Row(j, k), v.Row(j, k)
		for i := i0; i < i1; i++ {
			row[i], vel[i] = 1, 0
			side := [3]int{i, j, k}[axis]
			if side == 0 && !s.Open[2*axis] || side == last && !s.Open[2*axis+1] || (s.Flat && axis == 2) {
				row[i] = 0
				continue
			}
			if !so.any {
				continue
			}
			at := n.Index(i, j, k)
			// the covered share, by the straight line between crossings on the face's
			// edges
			in := geom.InsideSquare(n.Data[at], n.Data[at+a], n.Data[at+a+b], n.Data[at+b])
			row[i] = 1 - in
			if in > 0 && so.moving {
				p := s.facePoint(i, j, k, axis)
				if c := s.nearest(p); c != nil {
					vel[i] = float32(c.Velocity(p, dt).Array()[axis])
				}
			}
		}
	})
}

// clearOf is how far from a cell's corner no solid may be, voxels, for none to be in the hat
// function round its middle: half a diagonal and three quarters of one, and half a voxel more.
const clearOf = 2.7

// fillRoom works out what share of the hat function round a cell's middle lies
// neither in a solid nor behind a closed side: from two samples a cell along
// each axis.
//
// Without solids the share is the same but beside walls, and no samples are taken.
// With them it costs 64 reads a cell, once for solids that stand still.
func (s *Solver) fillRoom(dirty region) {
	so := &s.solid
	// Distances at half voxels: the hat function is two voxels wide, so four samples
	// along each axis, weighted 1, 3, 3, 1 eighths, integrate it.
	if dirty.empty() {
		return
	}
	fine := s.halfVoxels(dirty.grow(1, s.Dims))
	s.fillShare(fine, dirty)
	n := [3]int{s.NX, s.NY, s.NZ}
	hat := [4]float32{0.125, 0.375, 0.375, 0.125}
	// beyond a closed side there is no room, beyond an open one there is
	out := func(axis, q int) float32 {
		if (s.Flat && axis == 2) || (q < 0 && s.Open[2*axis] && !s.leads(axis, 0)) || (q >= 2*n[axis] && s.Open[2*axis+1] && !s.leads(axis, 1)) {
			return 1
		}
		if q < 0 || q >= 2*n[axis] {
			return 0
		}
		return 1
	}
	// away from solids it is the product of the axes' own
	var along [3][]float32
	for a := range along {
		for i := range n[a] {
			var sum float32
			for c := range 4 {
				sum += hat[c] * out(a, 2*i-1+c)
			}
			along[a] = append(along[a], sum)
		}
	}
	s.rows(3, dirty, func(j, k, i0, i1 int) {
		row := so.room.Row(j, k)
		corner := so.node.Row(j, k)
		for i := i0; i < i1; i++ {
			if fine == nil || corner[i] > clearOf {
				row[i] = along[0][i] * along[1][j] * along[2][k]
				continue
			}
			var sum float32
			for c := range 4 {
				z := 2*k - 1 + c
				wz := hat[c] * out(2, z)
				for b := range 4 {
					y := 2*j - 1 + b
					wy := wz * hat[b] * out(1, y)
					for a := range 4 {
						x := 2*i - 1 + a
						w := wy * hat[a] * out(0, x)
						if w != 0 && fine != nil {
							w *= fine.at(min(max(x, 0), 2*n[0]-1), min(max(y, 0), 2*n[1]-1), min(max(z, 0), 2*n[2]-1))
						}
						sum += w
					}
				}
			}
			row[i] = sum
		}
	})
}

// travel takes a particle from x to y, in voxels, or to where a solid stops it: there it
// stays a little off the surface, keeps what it has of its way along that, and loses the
// velocity into it. Solids are met as they move (Guendelman et al. 2005): the way begins
// where the particle was beside the solid before. It tells whether one did.
func (s *Solver) travel(x [3]float32, y, v *[3]float32) bool {
	so := &s.solid
	from, to := s.where(&x), s.where(y)
	start, changed := from, false
	// three times: along a wall, then along the edge of two, then it stays in the corner
	for round := range 3 {
		m := s.meet(from, to, round == 0)
		if m.solid < 0 {
			break
		}
		changed = true
		p := m.from.Add(to.Sub(m.from).Mul(m.t)).Add(m.normal.Mul(restOff * s.H))
		rest := to.Sub(p)
		to = p.Add(rest.Sub(m.normal.Mul(min(rest.Dot(m.normal), 0))))
		if round == 2 {
			to = p
		}
		from = p
		s.slow(v, &so.list[m.solid], p, m.normal)
	}
	if in := s.solidAt(to); in >= 0 {
		// In a corner that is too narrow it stays where it was, beside what moves; what a
		// solid came over, or begins in one, is put out of it.
		changed = true
		c := &so.list[in]
		if to = geom.Carried(&c.Before, &c.Shape, start); s.solidAt(to) >= 0 {
			to = s.out(to)
		}
		s.slow(v, c, to, c.Shape.Normal(to))
	}
	if !changed {
		return false
	}
	q := to.Sub(s.Origin).Mul(1 / s.H).Array()
	for a := range q {
		y[a] = float32(q[a])
	}
	return true
}

// meeting is where a way meets a solid first.
type meeting struct {
	solid  int // −1: none
	t      float64
	normal geom.Vec3
	from   geom.Vec3 // where the way begins, beside the solid as it stands now
}

// meet finds the first solid on a way; those that move carry its beginning along.
func (s *Solver) meet(from, to geom.Vec3, moved bool) meeting {
	so := &s.solid
	best := meeting{solid: -1, t: math.Inf(1)}
	for c := range so.list {
		sh, b := &so.list[c].Shape, &so.boxes[c]
		a := from
		if moved {
			a = geom.Carried(&so.list[c].Before, sh, from)
		}
		if max(a.X, to.X) < b.Min.X || min(a.X, to.X) > b.Max.X || max(a.Y, to.Y) < b.Min.Y || min(a.Y, to.Y) > b.Max.Y || max(a.Z, to.Z) < b.Min.Z || min(a.Z, to.Z) > b.Max.Z {
			continue
		}
		if sh.Beside(a, to) {
			continue
		}
		if t, n, ok := sh.Meets(a, to, so.fine[c]); ok && t < best.t {
			best = meeting{c, t, n, a}
		}
	}
	return best
}

// solidAt is the solid that a place lies in, −1: none.
func (s *Solver) solidAt(p geom.Vec3) int {
	for c := range s.solid.list {
		b := &s.solid.boxes[c]
		if p.X >= b.Min.X && p.X <= b.Max.X && p.Y >= b.Min.Y && p.Y <= b.Max.Y && p.Z >= b.Min.Z && p.Z <= b.Max.Z && s.solid.list[c].Shape.Distance(p) < 0 {
			return c
		}
	}
	return -1
}

// out puts a place that lies in solids out of them, by the nearest surface.
func (s *Solver) out(p geom.Vec3) geom.Vec3 {
	for range 4 {
		c := s.solidAt(p)
		if c < 0 {
			break
		}
		sh := &s.solid.list[c].Shape
		p = p.Add(sh.Normal(p).Mul(restOff*s.H - sh.Distance(p)))
	}
	return p
}

// restOff is how far off a surface a particle is put that met it, voxels.
const restOff = 0.02

// slow takes away the velocity into a solid.
func (s *Solver) slow(v *[3]float32, c *sim.Collider, p, normal geom.Vec3) {
	u := c.Velocity(p, s.dt)
	into := geom.V(float64(v[0]), float64(v[1]), float64(v[2])).Sub(u).Dot(normal)
	if into >= 0 {
		return
	}
	for a, n := range normal.Array() {
		v[a] -= float32(into * n)
	}
}

// eighths is what solids leave of every eighth of the voxels of a region.
type eighths struct {
	lo [3]int // the first eighth
	f  *grid.Field
}

func (e *eighths) at(i, j, k int) float32 { return e.f.At(i-e.lo[0], j-e.lo[1], k-e.lo[2]) }

// halfVoxels are the eighths of a region; nil where there are no solids.
func (s *Solver) halfVoxels(r region) *eighths {
	so := &s.solid
	if !so.any {
		return nil
	}
	wide := grid.Dims{NX: 2 * (r.hi[0] - r.lo[0]), NY: 2 * (r.hi[1] - r.lo[1]), NZ: 2 * (r.hi[2] - r.lo[2])}
	fine := grid.NewField(wide)
	lo := [3]int{2 * r.lo[0], 2 * r.lo[1], 2 * r.lo[2]}
	s.crew.For(wide.NZ, 2, func(k0, k1 int) {
		for k := k0; k < k1; k++ {
			for j := range wide.NY {
				row := fine.Row(j, k)
				for i := range row {
					x, y, z := lo[0]+i, lo[1]+j, lo[2]+k
					d := so.node.Sample(float32(x)*0.5+0.25, float32(y)*0.5+0.25, float32(z)*0.5+0.25)
					if d > -2 && d < 2 {
						d = min(d, s.thinAt(x, y, z))
					}
					// the share of half a voxel that a flat solid at this
					// distance leaves
					row[i] = min(max(0.5+2*d, 0), 1)
				}
			}
		}
	})
	return &eighths{lo, fine}
}

// thinAt is the distance to solids of few voxels at a sample of half a voxel: within them
// that at corners has its least value between, and tells too little.
func (s *Solver) thinAt(i, j, k int) float32 {
	x := [3]float32{float32(i)*0.5 + 0.25, float32(j)*0.5 + 0.25, float32(k)*0.5 + 0.25}
	p := s.where(&x)
	d := math.Inf(1)
	for c := range s.solid.list {
		if s.solid.thin[c] {
			d = min(d, s.solid.list[c].Shape.Distance(p)/s.H)
		}
	}
	return float32(d)
}

// fillShare is the share of each cell that solids leave, from samples of half a voxel.
func (s *Solver) fillShare(fine *eighths, dirty region) {
	share := s.solid.share.Data
	s.rows(3, dirty, func(j, k, i0, i1 int) {
		o := s.Index(0, j, k)
		for i := i0; i < i1; i++ {
			if fine == nil {
				share[o+i] = 1
				continue
			}
			var sum float32
			for m := range 8 {
				sum += fine.at(2*i+m&1, 2*j+m>>1&1, 2*k+m>>2)
			}
			share[o+i] = sum / 8
		}
	})
}

// depth is the signed distance to solids at a place, in voxels, and the way
// out.
func (s *Solver) depth(x *[3]float32) (d float32, out [3]float32) {
	f := s.solid.node
	i, j, k := min(max(int(x[0]), 0), s.NX-1), min(max(int(x[1]), 0), s.NY-1), min(max(int(x[2]), 0), s.NZ-1)
	c := corners(f, i, j, k)
	fx, fy, fz := x[0]-float32(i), x[1]-float32(j), x[2]-float32(k)
	d = mix(&c, fx, fy, fz)
	// farther than any question asked of the normal
	if d > 2 {
		return d, out
	}
	out = slope(&c, fx, fy, fz)
	l := float32(math.Sqrt(float64(out[0]*out[0] + out[1]*out[1] + out[2]*out[2])))
	// on a ridge or in a hollow's middle no way out is better than another: up
	if l < 1e-6 {
		return d, [3]float32{0, 1, 0}
	}
	for a := range out {
		out[a] /= l
	}
	return d, out
}
