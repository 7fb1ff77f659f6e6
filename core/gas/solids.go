package gas

// Solids come as signed distances of shapes. From them the grid gets, in this order:
// distances at corners, open shares of faces, velocities of what covers them, cells
// that are shut in, and a list of entries inside solids with where each takes its
// value from. All of it is made anew only where and when a solid moved.

import (
	"math"
	"slices"

	"zarf/core/geom"
	"zarf/core/grid"
	"zarf/core/pressure"
	"zarf/core/sim"
)

// solids is what the colliders mean on this grid.
// All fields are as large as the box; lists are as long as the solids' surfaces.
type solids struct {
	list       []sim.Collider
	any        bool
	moving     bool
	ready      bool
	dt         float64
	node       []float32   // signed distance at the corners, voxels
	fx, fy, fz *grid.Field // open fractions of faces
	vx, vy, vz *grid.Field // the solid's velocity on faces that it covers, m/s
	// extension: targets in the order of their distance, each with the
	// neighbours that it averages
	cell, ux, uy, uz []graft
	blocked          []bool // cell has no open face
	slide            [3][]slideFace
	lo, hi           [3]int      // corners within reach of a solid
	was              []float32   // like node, a substep before, where something moves
	beside           *patches    // with corners that are in a solid or nearly, by then or now
	about            *patches    // and what goes there in the step under way
	wlo, whi         [3]int      // corners within reach of a solid by then or now
	mlo, mhi         [3]int      // cells about what moves, before and now
	thinWas          []sim.Solid // thin ones, as they were a substep before
	goes             int         // cells that any of those moves by, at most
	sheets           sheets
}

// near reports a row of cells that solids may touch.
func (so *solids) near(j, k int) bool {
	return j >= so.lo[1] && j <= so.hi[1] && k >= so.lo[2] && k <= so.hi[2]
}

// stirs reports a row of cells beside what moves.
func (so *solids) stirs(j, k int) bool {
	return j >= so.mlo[1] && j <= so.mhi[1] && k >= so.mlo[2] && k <= so.mhi[2]
}

// graft sets field[at] to the mean of field[from].
// Six neighbours at most, by their place in memory.
// Lists of them are as long as the surface of the solids has voxels, a few deep.
type graft struct {
	at   int32
	n    int8
	from [6]int32
}

// slideFace is a covered face whose velocity is bent along the solid.
// Normals of the nearest solid, worked out once for solids that stand still.
type slideFace struct {
	at       int32
	normal   [3]float32
	friction float32
}

// within reports a row of cells less than reach away from where solids are.
func (so *solids) within(j, k, reach int) bool {
	return j >= so.lo[1]-reach && j <= so.hi[1]+reach && k >= so.lo[2]-reach && k <= so.hi[2]+reach
}

// updateSolids samples the colliders and tells the pressure solver, if they
// changed.
//
// It is called in every substep and costs nothing while solids rest. When they move,
// only the box about them, now and before, is looked at again.
func (s *Solver) updateSolids(list []sim.Collider, dt float64) error {
	so := &s.solid
	// Still solids are looked at once; after that they cost nothing. Shapes compare
	// by what they are made of, so a keyed one that rests counts as still.
	same := so.ready && slices.EqualFunc(so.list, list, func(a, b sim.Collider) bool {
		// Comparable structs: a body from a file is compared by its address, which
		// the library keeps for equal questions.
		return a.Shape == b.Shape && a.Friction == b.Friction
	})
	still := !slices.ContainsFunc(list, func(c sim.Collider) bool { return c.Shape != c.Before })
	if same && still && !so.moving {
		return nil
	}
	if s.points != nil {
		s.points.met = nil
	}
	so.list = slices.Clone(list)
	so.ready, so.moving, so.dt = true, !still, dt
	so.any = len(list) > 0
	// Without solids every face is open, and the pressure solver needs no fractions.
	if !so.any {
		s.proj.Setup(s.open, s.tiles, nil, nil, nil)
		return nil
	}
	// Order matters: distances at corners give fractions, these say which entries
	// are shut, and what is shut is grafted from what is open.
	dirty := s.reach()
	s.sampleCorners(dirty)
	if !still {
		s.sampleBefore(dirty)
	}
	so.beside = s.besideSolids()
	s.openFractions(dirty)
	s.findGrafts()
	s.proj.SetupNear(s.open, s.tiles, so.fx, so.fy, so.fz, pressure.Range{Lo: so.lo, Hi: so.hi})
	if !still { // told by the solids alone, so that a resumed run does the same
		s.clearBlocked()
	}
	return nil
}

// besideSolids are the blocks whose corners are in a solid or nearly.
func (s *Solver) besideSolids() *patches {
	so := &s.solid
	p := newPatches([3]int{s.NX, s.NY, s.NZ})
	mark := func(node []float32, lo, hi [3]int) {
		for k := max(lo[2], 0); k <= min(hi[2], s.NZ); k++ {
			for j := max(lo[1], 0); j <= min(hi[1], s.NY); j++ {
				for i := max(lo[0], 0); i <= min(hi[0], s.NX); i++ {
					if node[s.corner(i, j, k)] <= 0.9 {
						p.mark(i, j, k)
					}
				}
			}
		}
	}
	mark(so.node, so.lo, so.hi)
	if so.moving {
		mark(so.was, so.wlo, so.whi)
	}
	return p
}

// span3 is a range of corners, both ends within.
// Corners and not cells: a cell's corners reach one beyond it.
type span3 struct{ lo, hi [3]int }

// reach works out the corners that solids may touch, and returns those to do
// anew: they and the ones of the last time.
func (s *Solver) reach() span3 {
	so := &s.solid
	n := [3]int{s.NX, s.NY, s.NZ}
	// The empty range where no solid is near the box.
	lo, hi := n, [3]int{}
	// four voxels: as deep as grafts go, and one for the slope of distances
	for c := range so.list {
		a, b := s.Cells(so.list[c].Shape.Bounds().Grow(4 * s.H))
		for x := range 3 {
			lo[x], hi[x] = min(lo[x], a[x]), max(hi[x], b[x])
		}
	}
	dirty := span3{lo, hi}
	if so.node == nil {
		// One number a corner and six fields, for the whole box: fractions are read
		// in the innermost loops, which look-ups in tiles would slow down more than
		// the memory is worth.
		slab := new(grid.Slab)
		so.node = slab.Floats((s.NX + 1) * (s.NY + 1) * (s.NZ + 1))
		for i := range so.node {
			so.node[i] = far
		}
		open := func(f *grid.Field) *grid.Field {
			g := slab.Field(f.Dims)
			for i := range g.Data {
				g.Data[i] = 1
			}
			return g
		}
		so.fx, so.fy, so.fz = open(s.U), open(s.V), open(s.W)
		so.vx, so.vy, so.vz = slab.Field(s.U.Dims), slab.Field(s.V.Dims), slab.Field(s.W.Dims)
		so.blocked = make([]bool, s.Len())
	} else {
		// what was covered the last time must be opened again
		for x := range 3 {
			dirty.lo[x], dirty.hi[x] = min(lo[x], so.lo[x]), max(hi[x], so.hi[x])
		}
	}
	so.lo, so.hi = lo, hi
	return dirty
}

// far is the distance, in voxels, of corners that no solid is near to.
// Farther than any interpolation reads, and finite.
const far = 1e3

// corner is the index of corner (i,j,k).
func (s *Solver) corner(i, j, k int) int { return (k*(s.NY+1)+j)*(s.NX+1) + i }

// sampleCorners takes the least distance over all colliders, in voxels.
// Each solid within four voxels of its box; corners out of reach keep far.
func (s *Solver) sampleCorners(r span3) {
	so := &s.solid
	s.crew.For(r.hi[2]-r.lo[2]+1, 1, func(k0, k1 int) {
		for k := r.lo[2] + k0; k < r.lo[2]+k1; k++ {
			for j := r.lo[1]; j <= r.hi[1]; j++ {
				row := so.node[s.corner(0, j, k):][:s.NX+1]
				for i := r.lo[0]; i <= r.hi[0]; i++ {
					row[i] = far
				}
			}
		}
	})
	for c := range so.list {
		s.distances(so.node, &so.list[c].Shape)
	}
}

// distances takes a shape into distances at corners, in voxels, within four voxels of its box. A union is
// the least of all: right outside, too small within an overlap, which only interpolation sees.
func (s *Solver) distances(node []float32, sh *geom.Shape) {
	lo, hi := s.Cells(sh.Bounds().Grow(4 * s.H))
	s.crew.For(hi[2]-lo[2]+1, 1, func(k0, k1 int) {
		// Each thread has its own slabs in z, so none writes another's corner.
		for k := lo[2] + k0; k < lo[2]+k1; k++ {
			for j := lo[1]; j <= hi[1]; j++ {
				for i := lo[0]; i <= hi[0]; i++ {
					p := s.Origin.Add(geom.V(float64(i), float64(j), float64(k)).Mul(s.H))
					d := float32(sh.Distance(p) / s.H)
					if at := s.corner(i, j, k); d < node[at] {
						node[at] = d
					}
				}
			}
		}
	})
}

// sampleBefore takes the distances of a substep before, which is where what is read now was, and finds
// the cells about what moves.
func (s *Solver) sampleBefore(r span3) {
	so := &s.solid
	if len(so.was) != len(so.node) {
		so.was = make([]float32, len(so.node))
	}
	for i := range so.was {
		so.was[i] = far
	}
	so.wlo, so.whi = r.lo, r.hi
	so.mlo, so.mhi = [3]int{s.NX, s.NY, s.NZ}, [3]int{-1, -1, -1}
	var thin []sim.Collider
	so.goes = 0
	for c := range so.list {
		sh := so.list[c].Before
		if sim.Thin(&sh, s.H) {
			thin = append(thin, sim.Collider{Shape: sh, Before: sh})
			a, b := sh.Bounds(), so.list[c].Shape.Bounds()
			so.goes = max(so.goes, int(math.Ceil(max(a.Min.Sub(b.Min).Abs().MaxComponent(), a.Max.Sub(b.Max).Abs().MaxComponent())/s.H)))
		}
		lo, hi := s.Cells(sh.Bounds().Grow(4 * s.H))
		for x := range 3 {
			so.wlo[x], so.whi[x] = min(so.wlo[x], lo[x]), max(so.whi[x], hi[x])
		}
		if so.list[c].Shape != sh {
			a, b := s.Cells(sh.Bounds().Grow(2 * s.H))
			d, e := s.Cells(so.list[c].Shape.Bounds().Grow(2 * s.H))
			for x := range 3 {
				so.mlo[x], so.mhi[x] = min(so.mlo[x], a[x], d[x]), max(so.mhi[x], b[x], e[x])
			}
		}
		s.distances(so.was, &sh)
	}
	so.thinWas = sim.NewSolids(thin)
}

// Cells is the range of cells that a box covers, clipped.
func (s *Solver) Cells(b geom.Box) (lo, hi [3]int) {
	a, c := b.Min.Sub(s.Origin).Mul(1/s.H).Array(), b.Max.Sub(s.Origin).Mul(1/s.H).Array()
	n := [3]int{s.NX, s.NY, s.NZ}
	for x := range 3 {
		lo[x] = int(min(max(math.Floor(a[x]), 0), float64(n[x])))
		hi[x] = int(min(max(math.Ceil(c[x]), 0), float64(n[x])))
	}
	return lo, hi
}

// openFractions fills the face fractions and the velocities of solids.
// Velocities are asked only where a face is covered and something moves.
func (s *Solver) openFractions(r span3) {
	so := &s.solid
	nd := so.node
	sx, sy := 1, s.NX+1
	sz := sy * (s.NY + 1)
	fill := func(f, v *grid.Field, axis, a, b int) {
		k1 := min(r.hi[2], f.NZ-1)
		s.crew.For(k1-r.lo[2]+1, 1, func(p0, p1 int) {
			for k := r.lo[2] + p0; k < r.lo[2]+p1; k++ {
				for j := r.lo[1]; j <= min(r.hi[1], f.NY-1); j++ {
					row, vel := f.Row(j, k), v.Row(j, k)
					for i := r.lo[0]; i <= min(r.hi[0], f.NX-1); i++ {
						c := s.corner(i, j, k)
						// the share of the face under the surface, by marching its
						// four corners: exact for a plane, and free of stair steps
						in := geom.InsideSquare(nd[c], nd[c+a], nd[c+a+b], nd[c+b])
						row[i], vel[i] = 1-in, 0
						if in > 0 && so.moving {
							vel[i] = s.solidVelocity(i, j, k, axis)
						}
					}
				}
			}
		})
	}
	fill(so.fx, so.vx, 0, sy, sz)
	fill(so.fy, so.vy, 1, sx, sz)
	fill(so.fz, so.vz, 2, sx, sy)
	s.shutThin(r)
	// a cell that nothing flows into or out of is no unknown of the pressure
	clear(so.blocked)
	s.crew.For(s.NZ, 4, func(k0, k1 int) {
		for k := max(k0, r.lo[2]); k < min(k1, r.hi[2]+1); k++ {
			for j := r.lo[1]; j <= min(r.hi[1], s.NY-1); j++ {
				x := so.fx.Row(j, k)
				y0, y1, z0, z1 := so.fy.Row(j, k), so.fy.Row(j+1, k), so.fz.Row(j, k), so.fz.Row(j, k+1)
				o := s.Index(0, j, k)
				for i := r.lo[0]; i <= min(r.hi[0], s.NX-1); i++ {
					so.blocked[o+i] = x[i] < 0.01 && x[i+1] < 0.01 && y0[i] < 0.01 && y1[i] < 0.01 && z0[i] < 0.01 && z1[i] < 0.01
				}
			}
		}
	})
	s.markSheets(r)
}

// facePoint is the middle of a face in space.
func (s *Solver) facePoint(i, j, k, axis int) geom.Vec3 {
	p := geom.V(float64(i)+0.5, float64(j)+0.5, float64(k)+0.5)
	switch axis {
	case 0:
		p.X -= 0.5
	case 1:
		p.Y -= 0.5
	case 2:
		p.Z -= 0.5
	}
	return s.Origin.Add(p.Mul(s.H))
}

// nearest is the collider closest to p.
func (s *Solver) nearest(p geom.Vec3) *sim.Collider {
	// few colliders, and asked on their surfaces only: a list is quicker than a tree
	var best *sim.Collider
	least := math.Inf(1)
	for c := range s.solid.list {
		if d := s.solid.list[c].Shape.Distance(p); d < least {
			least, best = d, &s.solid.list[c]
		}
	}
	return best
}

// solidVelocity is how fast the solid that is nearest to a place moves there.
func (s *Solver) solidVelocity(i, j, k, axis int) float32 {
	p := s.facePoint(i, j, k, axis)
	c := s.nearest(p)
	if c == nil {
		return 0
	}
	return float32(c.Velocity(p, s.solid.dt).Array()[axis])
}

// layers is how many cells deep values are carried into solids.
const layers = 3

// findGrafts lists, layer by layer, the cells and faces inside solids that
// take their values from outside.
// The lists follow from the solids alone: fluid may have changed, they haven't.
func (s *Solver) findGrafts() {
	so := &s.solid
	box := span3{so.lo, so.hi}
	closed := func(f *grid.Field) func(n int) bool { return func(n int) bool { return f.Data[n] < 0.01 } }
	jobs := []struct {
		out    *[]graft
		d      grid.Dims
		closed func(n int) bool
		at     place
	}{
		// cells and the three kinds of faces are independent of each other: a thread
		// each
		{&so.cell, s.Dims, func(n int) bool { return so.blocked[n] }, atCentre},
		{&so.ux, so.fx.Dims, closed(so.fx), atU},
		{&so.uy, so.fy.Dims, closed(so.fy), atV},
		{&so.uz, so.fz.Dims, closed(so.fz), atW},
	}
	s.crew.For(len(jobs), 1, func(lo, hi int) {
		for _, j := range jobs[lo:hi] {
			*j.out = grow(j.d, box, j.closed, s.outward(j.at))
		}
	})
	for axis, set := range [3]struct {
		d grid.Dims
		g []graft
	}{{so.fx.Dims, so.ux}, {so.fy.Dims, so.uy}, {so.fz.Dims, so.uz}} {
		// normals and friction don't change until the solids do, unlike the
		// velocities
		list := make([]slideFace, len(set.g))
		s.crew.For(len(list), 64, func(lo, hi int) {
			for m := lo; m < hi; m++ {
				at := int(set.g[m].at)
				p := s.facePoint(at%set.d.NX, at/set.d.NX%set.d.NY, at/(set.d.NX*set.d.NY), axis)
				c := s.nearest(p)
				normal, thin := so.sheets.normals[axis][int32(at)]
				if !thin {
					n := c.Shape.Normal(p)
					normal = [3]float32{float32(n.X), float32(n.Y), float32(n.Z)}
				}
				list[m] = slideFace{int32(at), normal, float32(c.Friction)}
			}
		})
		so.slide[axis] = list
	}
}

// outward gives the direction out of the nearest solid at a point of the grid
// at a place.
func (s *Solver) outward(at place) func(i, j, k int) geom.Vec3 {
	return func(i, j, k int) geom.Vec3 {
		p := s.Origin.Add(geom.V(float64(i)+float64(at.x), float64(j)+float64(at.y), float64(k)+float64(at.z)).Mul(s.H))
		if c := s.nearest(p); c != nil {
			return c.Shape.Normal(p)
		}
		return geom.Vec3{}
	}
}

// grow finds closed entries next to open ones, then those next to them. Each
// takes its value from the side of the wall that it is nearer to: a mean over
// both sides would carry smoke through thin walls.
//
// It looks at the closed entries alone, layers times; open space costs a byte a cell
// of the solids' box.
func grow(d grid.Dims, box span3, closed func(n int) bool, outward func(i, j, k int) geom.Vec3) []graft {
	var out []graft
	lo := box.lo
	hi := [3]int{min(box.hi[0]+1, d.NX), min(box.hi[1]+1, d.NY), min(box.hi[2]+1, d.NZ)}
	b := grid.Dims{NX: hi[0] - lo[0], NY: hi[1] - lo[1], NZ: hi[2] - lo[2]}
	if b.NX <= 0 || b.NY <= 0 || b.NZ <= 0 {
		return nil
	}
	// Breadth first from the open entries, a layer at a time: an entry of layer n
	// averages those of layers below n, so that the list can be applied in order.
	state := make([]int8, b.Len()) // 0 open, 1.. layer, -1 closed and far
	var inside []int32             // the closed ones
	for k := range b.NZ {
		for j := range b.NY {
			for i := range b.NX {
				if closed(d.Index(i+lo[0], j+lo[1], k+lo[2])) {
					n := b.Index(i, j, k)
					state[n] = -1
					inside = append(inside, int32(n))
				}
			}
		}
	}
	steps := [6][3]int{{-1, 0, 0}, {1, 0, 0}, {0, -1, 0}, {0, 1, 0}, {0, 0, -1}, {0, 0, 1}}
	var fresh []int32
	for layer := int8(1); layer <= layers; layer++ {
		rest := inside[:0:0]
		fresh = fresh[:0]
		for _, n32 := range inside {
			n := int(n32)
			i, j, k := n%b.NX, n/b.NX%b.NY, n/(b.NX*b.NY)
			var all, near graft
			var normal geom.Vec3
			for _, c := range steps {
				x, y, z := i+c[0], j+c[1], k+c[2]
				if x < 0 || y < 0 || z < 0 || x >= b.NX || y >= b.NY || z >= b.NZ {
					continue
				}
				if v := state[b.Index(x, y, z)]; v < 0 || v >= layer {
					continue
				}
				from := int32(d.Index(x+lo[0], y+lo[1], z+lo[2]))
				if all.n == 0 {
					normal = outward(i+lo[0], j+lo[1], k+lo[2])
				}
				all.from[all.n] = from
				all.n++
				// 0.1: neighbours within 84° of the outward normal count as outside
				if float64(c[0])*normal.X+float64(c[1])*normal.Y+float64(c[2])*normal.Z > 0.1 {
					near.from[near.n] = from
					near.n++
				}
			}
			// in a wedge no neighbour may lie on the near side: better any than none
			if near.n == 0 {
				near = all
			}
			if near.n == 0 {
				rest = append(rest, n32)
				continue
			}
			near.at = int32(d.Index(i+lo[0], j+lo[1], k+lo[2]))
			out = append(out, near)
			fresh = append(fresh, n32)
		}
		for _, n := range fresh {
			state[n] = layer
		}
		inside = rest
	}
	return out
}

// apply sets each entry to the mean of its neighbours, in the order of the list:
// entries of a deeper layer read those before them.
func apply(f *grid.Field, gs []graft) {
	for _, g := range gs {
		// Added in the order of the list: the same bits on any number of threads.
		var sum float32
		for _, m := range g.from[:g.n] {
			sum += f.Data[m]
		}
		f.Data[g.at] = sum / float32(g.n)
	}
}

// extend carries velocity and channels into solids, so that what is traced
// into a solid, or interpolated across its surface, sees the fluid outside and
// not emptiness. Velocity into the solid is taken out (slip), the rest slowed
// by friction.
// After every projection: the velocity in solids is what interpolation near them
// reads.
func (s *Solver) extend() {
	so := &s.solid
	if !so.any {
		return
	}
	for n, f := range s.channels() {
		// an empty channel has nothing to graft; the first two are looked at anyway,
		// as emitters may have filled them since the survey
		if s.live[n] || n < 2 {
			apply(f, so.cell)
		}
	}
	// deeper than the grafts reach nothing may be left from when fluid was here
	// faces deep inside move with the solid
	for c, f := range s.velocity() {
		frac, v := []*grid.Field{so.fx, so.fy, so.fz}[c], []*grid.Field{so.vx, so.vy, so.vz}[c]
		s.each(onU+c, func(i, j, k, o, n int) {
			if !so.near(j, k) {
				return
			}
			for m := o + max(so.lo[0]-i, 0); m < o+min(n, so.hi[0]+1-i); m++ {
				if frac.Data[m] < 0.01 {
					f.Data[m] = v.Data[m]
				}
			}
		})
	}
	apply(s.U, so.ux)
	apply(s.V, so.uy)
	apply(s.W, so.uz)
	s.slip()
}

// slip bends extended velocities along the solid's surface. All three
// components are read before any is written.
func (s *Solver) slip() {
	so := &s.solid
	var out [3][]float32
	fields := [3]*grid.Field{s.U, s.V, s.W}
	vels := [3]*grid.Field{so.vx, so.vy, so.vz}
	for axis, list := range so.slide {
		out[axis] = make([]float32, len(list))
		f := fields[axis]
		s.crew.For(len(list), 512, func(lo, hi int) {
			for m := lo; m < hi; m++ {
				g := list[m]
				i, j, k := int(g.at)%f.NX, int(g.at)/f.NX%f.NY, int(g.at)/(f.NX*f.NY)
				at := [3]place{atU, atV, atW}[axis]
				x, y, z := float32(i)+at.x, float32(j)+at.y, float32(k)+at.z
				u, v, w := s.sampleAt(x, y, z)
				var su, sv, sw float32
				if so.moving {
					su = so.vx.Sample(x, y-0.5, z-0.5)
					sv = so.vy.Sample(x-0.5, y, z-0.5)
					sw = so.vz.Sample(x-0.5, y-0.5, z)
				}
				// Relative to the solid, the part into it goes, v −= (v·n) n, and of
				// the rest a share of friction: free slip at 0, no slip at 1.
				into := (u-su)*g.normal[0] + (v-sv)*g.normal[1] + (w-sw)*g.normal[2]
				rel := f.Data[g.at] - vels[axis].Data[g.at]
				// Only what goes into the solid is taken out: fluid may leave it.
				if into < 0 {
					rel -= into * g.normal[axis]
				}
				out[axis][m] = vels[axis].Data[g.at] + rel*(1-g.friction)
			}
		})
	}
	for axis, list := range so.slide {
		for m, g := range list {
			fields[axis].Data[g.at] = out[axis][m]
		}
	}
}

// clearBlocked empties cells that a moving solid now covers.
// Smoke that a moving solid runs over is gone: it is pushed by the flow, and what
// rounding leaves inside must not come out behind.
func (s *Solver) clearBlocked() {
	lo, hi, list := s.solid.lo, s.solid.hi, s.channels()
	s.crew.For(s.NZ, 1, func(k0, k1 int) {
		for k := max(k0, lo[2]-1); k < min(k1, hi[2]+1); k++ {
			for j := max(lo[1]-1, 0); j < min(s.NY, hi[1]+1); j++ {
				o := s.Index(0, j, k)
				for n, b := range s.solid.blocked[o : o+s.NX] {
					if b {
						for _, f := range list {
							f.Data[o+n] = 0
						}
					}
				}
			}
		}
	})
}

// Hidden lists the cells more than one layer inside solids: what channels hold
// there is for interpolation only and is not part of the result.
// The first layer belongs to the picture, as a surface lies within its cells.
func (s *Solver) Hidden(fn func(cell int)) {
	if !s.solid.any {
		return
	}
	// the first layer is seen: a surface lies within its cells
	// A cell is of the first layer if it takes its value from one outside.
	first := make([]bool, s.Len())
	for _, g := range s.solid.cell {
		for _, m := range g.from[:g.n] {
			if !s.solid.blocked[m] {
				first[g.at] = true
			}
		}
	}
	for n, b := range s.solid.blocked {
		if b && !first[n] {
			fn(n)
		}
	}
}
