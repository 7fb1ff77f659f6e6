package liquid

// What colliders mean to a liquid: open shares of faces for the pressure, distances
// for particles, and how much of the room about a cell's middle they take, without
// which liquid against a wall would count as thin.

import (
	"math"
	"slices"

	"zarf/core/geom"
	"zarf/core/grid"
	"zarf/core/sim"
)

// solids is what the colliders mean on this grid.
type solids struct {
	list   []sim.Collider
	ready  bool
	any    bool
	moving bool
	rough  bool           // some solid has friction
	node   *grid.Field    // signed distance at the corners of cells, voxels
	open   [3]*grid.Field // open share of faces
	vel    [3]*grid.Field // the solid's velocity on faces that it covers, m/s
	room   *grid.Field    // share of a cell's surroundings, by the hat function, that liquid can fill
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
	so.list, so.ready, so.moving, so.any = slices.Clone(list), true, !still, len(list) > 0
	so.rough = slices.ContainsFunc(list, func(c sim.Collider) bool { return c.Friction > 0 })
	if so.node == nil {
		so.node = grid.NewField(grid.Dims{NX: s.NX + 1, NY: s.NY + 1, NZ: s.NZ + 1})
		for a := range 3 {
			so.open[a], so.vel[a] = grid.NewField(s.u[a].Dims), grid.NewField(s.u[a].Dims)
		}
		so.room = grid.NewField(s.Dims)
	}
	s.sampleCorners()
	for a := range 3 {
		s.openFaces(a, dt)
	}
	s.fillRoom()
}

// sampleCorners measures the solids at the grid's corners, which shares of faces
// are made from.
// A hollow solid is everywhere but in its form, so its box is the domain's.
func (s *Solver) sampleCorners() {
	so := &s.solid
	for i := range so.node.Data {
		so.node.Data[i] = far
	}
	box := s.Bounds()
	for c := range so.list {
		sh := &so.list[c].Shape
		b := sh.Bounds().Grow(4 * s.H)
		// seen from inside, a solid fills everything beyond it
		if sh.Hollow {
			b = box
		}
		var lo, hi [3]int
		n := [3]int{s.NX, s.NY, s.NZ}
		from, to := b.Min.Sub(s.Origin).Mul(1/s.H).Array(), b.Max.Sub(s.Origin).Mul(1/s.H).Array()
		for x := range 3 {
			lo[x] = int(min(max(math.Floor(from[x]), 0), float64(n[x])))
			hi[x] = int(min(max(math.Ceil(to[x]), 0), float64(n[x])))
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
func (s *Solver) openFaces(axis int, dt float64) {
	so := &s.solid
	f, v, n := so.open[axis], so.vel[axis], so.node
	step := [3]int{1, n.NX, n.NX * n.NY}
	// the four corners of the face at `at`, in turn round it
	a, b := step[(axis+1)%3], step[(axis+2)%3]
	last := [3]int{s.NX, s.NY, s.NZ}[axis]
	s.crew.For(f.NZ, 2, func(k0, k1 int) {
		for k := k0; k < k1; k++ {
			for j := range f.NY {
				row, vel := f.Row(j, k), v.Row(j, k)
				for i := range row {
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
					// the covered share, by the straight line between crossings on
					// the face's edges
					in := geom.InsideSquare(n.Data[at], n.Data[at+a], n.Data[at+a+b], n.Data[at+b])
					row[i] = 1 - in
					if in > 0 && so.moving {
						p := s.facePoint(i, j, k, axis)
						if c := s.nearest(p); c != nil {
							vel[i] = float32(c.Velocity(p, dt).Array()[axis])
						}
					}
				}
			}
		}
	})
}

// fillRoom works out what share of the hat function round a cell's middle lies
// neither in a solid nor behind a closed side: from two samples a cell along
// each axis.
//
// Without solids the share is the same but beside walls, and no samples are taken.
// With them it costs 64 reads a cell, once for solids that stand still.
func (s *Solver) fillRoom() {
	so := &s.solid
	// Distances at half voxels: the hat function is two voxels wide, so four samples
	// along each axis, weighted 1, 3, 3, 1 eighths, integrate it.
	wide := grid.Dims{NX: 2 * s.NX, NY: 2 * s.NY, NZ: 2 * s.NZ}
	var fine *grid.Field
	if so.any {
		fine = grid.NewField(wide)
		s.crew.For(wide.NZ, 2, func(k0, k1 int) {
			for k := k0; k < k1; k++ {
				for j := range wide.NY {
					row := fine.Row(j, k)
					for i := range row {
						d := so.node.Sample(float32(i)*0.5+0.25, float32(j)*0.5+0.25, float32(k)*0.5+0.25)
						// the share of half a voxel that a flat solid at this
						// distance leaves
						row[i] = min(max(0.5+2*d, 0), 1)
					}
				}
			}
		})
	}
	n := [3]int{s.NX, s.NY, s.NZ}
	hat := [4]float32{0.125, 0.375, 0.375, 0.125}
	// beyond a closed side there is no room, beyond an open one there is
	out := func(axis, q int) float32 {
		if (s.Flat && axis == 2) || (q < 0 && s.Open[2*axis]) || (q >= 2*n[axis] && s.Open[2*axis+1]) {
			return 1
		}
		if q < 0 || q >= 2*n[axis] {
			return 0
		}
		return 1
	}
	s.crew.For(s.NZ, 1, func(k0, k1 int) {
		for k := k0; k < k1; k++ {
			for j := range s.NY {
				row := so.room.Row(j, k)
				for i := range row {
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
									w *= fine.At(min(max(x, 0), wide.NX-1), min(max(y, 0), wide.NY-1), min(max(z, 0), wide.NZ-1))
								}
								sum += w
							}
						}
					}
					row[i] = sum
				}
			}
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
