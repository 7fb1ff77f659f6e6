package gas

import (
	"math"
	"slices"

	"zarf/core/geom"
	"zarf/core/grid"
)

// solids is what the colliders mean on this grid.
type solids struct {
	list       []Collider
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
}

// graft sets field[at] to the mean of field[from].
type graft struct {
	at   int32
	n    int8
	from [6]int32
}

// slideFace is a covered face whose velocity is bent along the solid.
type slideFace struct {
	at       int32
	normal   [3]float32
	friction float32
}

// updateSolids samples the colliders and tells the pressure solver, if they
// changed.
func (s *Solver) updateSolids(list []Collider, dt float64) error {
	so := &s.solid
	same := so.ready && slices.EqualFunc(so.list, list, func(a, b Collider) bool {
		return a.Shape == b.Shape && a.Friction == b.Friction
	})
	still := !slices.ContainsFunc(list, func(c Collider) bool { return c.Shape != c.Before })
	if same && still && !so.moving {
		return nil
	}
	moved := so.ready && !same
	so.list = slices.Clone(list)
	so.ready, so.moving, so.dt = true, !still, dt
	so.any = len(list) > 0
	if !so.any {
		s.proj.Setup(s.Open, nil, nil, nil, nil)
		return nil
	}
	s.sampleCorners()
	s.openFractions()
	if err := s.findGrafts(); err != nil {
		return err
	}
	s.proj.Setup(s.Open, nil, so.fx, so.fy, so.fz)
	if moved {
		s.clearBlocked()
	}
	return nil
}

// corner is the index of corner (i,j,k).
func (s *Solver) corner(i, j, k int) int { return (k*(s.NY+1)+j)*(s.NX+1) + i }

// sampleCorners takes the least distance over all colliders, in voxels.
func (s *Solver) sampleCorners() {
	so := &s.solid
	n := (s.NX + 1) * (s.NY + 1) * (s.NZ + 1)
	if so.node == nil {
		so.node = make([]float32, n)
	}
	for i := range so.node {
		so.node[i] = 1e3
	}
	reach := 4 * s.H
	for c := range so.list {
		sh := so.list[c].Shape
		lo, hi := s.cellRange(sh.Bounds().Grow(reach))
		s.crew.For(hi[2]-lo[2]+1, 1, func(k0, k1 int) {
			for k := lo[2] + k0; k < lo[2]+k1; k++ {
				for j := lo[1]; j <= hi[1]; j++ {
					for i := lo[0]; i <= hi[0]; i++ {
						p := s.Origin.Add(geom.V(float64(i), float64(j), float64(k)).Mul(s.H))
						d := float32(sh.Distance(p) / s.H)
						if at := s.corner(i, j, k); d < so.node[at] {
							so.node[at] = d
						}
					}
				}
			}
		})
	}
}

// cellRange is the range of corner indices that a box covers, clipped.
func (s *Solver) cellRange(b geom.Box) (lo, hi [3]int) {
	a, c := b.Min.Sub(s.Origin).Mul(1/s.H).Array(), b.Max.Sub(s.Origin).Mul(1/s.H).Array()
	n := [3]int{s.NX, s.NY, s.NZ}
	for x := range 3 {
		lo[x] = int(min(max(math.Floor(a[x]), 0), float64(n[x])))
		hi[x] = int(min(max(math.Ceil(c[x]), 0), float64(n[x])))
	}
	return lo, hi
}

// insideTriangle is the share of a triangle where a linear φ < 0: the corner
// whose sign differs from the other two cuts off a similar triangle.
func insideTriangle(a, b, c float32) float32 {
	cut := func(p, q, r float32) float32 { return p / (p - q) * (p / (p - r)) }
	na, nb, nc := a < 0, b < 0, c < 0
	var share float32
	var lone bool // the sign of the lone corner
	switch {
	case na == nb && nb == nc:
		if na {
			return 1
		}
		return 0
	case nb == nc:
		share, lone = cut(a, b, c), na
	case na == nc:
		share, lone = cut(b, a, c), nb
	default:
		share, lone = cut(c, a, b), nc
	}
	if lone {
		return share
	}
	return 1 - share
}

// insideSquare is the share of a face where φ < 0, from its corners in order
// round the face, by the four triangles about its middle.
func insideSquare(a, b, c, d float32) float32 {
	if a >= 0 && b >= 0 && c >= 0 && d >= 0 {
		return 0
	}
	if a < 0 && b < 0 && c < 0 && d < 0 {
		return 1
	}
	m := (a + b + c + d) / 4
	return (insideTriangle(a, b, m) + insideTriangle(b, c, m) + insideTriangle(c, d, m) + insideTriangle(d, a, m)) / 4
}

// openFractions fills the face fractions and the velocities of solids.
func (s *Solver) openFractions() {
	so := &s.solid
	if so.fx == nil {
		so.fx, so.fy, so.fz = copyOf(s.U), copyOf(s.V), copyOf(s.W)
		so.vx, so.vy, so.vz = copyOf(s.U), copyOf(s.V), copyOf(s.W)
	}
	nd := so.node
	sx, sy := 1, s.NX+1
	sz := sy * (s.NY + 1)
	fill := func(f, v *grid.Field, axis, a, b int) {
		s.crew.For(f.NZ, 1, func(k0, k1 int) {
			for k := k0; k < k1; k++ {
				for j := range f.NY {
					row, vel := f.Row(j, k), v.Row(j, k)
					for i := range row {
						c := s.corner(i, j, k)
						in := insideSquare(nd[c], nd[c+a], nd[c+a+b], nd[c+b])
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
func (s *Solver) nearest(p geom.Vec3) *Collider {
	var best *Collider
	least := math.Inf(1)
	for c := range s.solid.list {
		if d := s.solid.list[c].Shape.Distance(p); d < least {
			least, best = d, &s.solid.list[c]
		}
	}
	return best
}

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
func (s *Solver) findGrafts() error {
	so := &s.solid
	so.blocked = make([]bool, s.Len())
	for k := range s.NZ {
		for j := range s.NY {
			x := so.fx.Row(j, k)
			y0, y1, z0, z1 := so.fy.Row(j, k), so.fy.Row(j+1, k), so.fz.Row(j, k), so.fz.Row(j, k+1)
			o := s.Index(0, j, k)
			for i := range s.NX {
				so.blocked[o+i] = x[i] < 0.01 && x[i+1] < 0.01 && y0[i] < 0.01 && y1[i] < 0.01 && z0[i] < 0.01 && z1[i] < 0.01
			}
		}
	}
	so.cell = grow(s.Dims, func(n int) bool { return so.blocked[n] }, s.outward(atCentre))
	so.ux = grow(so.fx.Dims, func(n int) bool { return so.fx.Data[n] < 0.01 }, s.outward(atU))
	so.uy = grow(so.fy.Dims, func(n int) bool { return so.fy.Data[n] < 0.01 }, s.outward(atV))
	so.uz = grow(so.fz.Dims, func(n int) bool { return so.fz.Data[n] < 0.01 }, s.outward(atW))
	for axis, set := range [3]struct {
		d grid.Dims
		g []graft
	}{{so.fx.Dims, so.ux}, {so.fy.Dims, so.uy}, {so.fz.Dims, so.uz}} {
		so.slide[axis] = so.slide[axis][:0]
		for _, g := range set.g {
			i, j, k := int(g.at)%set.d.NX, int(g.at)/set.d.NX%set.d.NY, int(g.at)/(set.d.NX*set.d.NY)
			p := s.facePoint(i, j, k, axis)
			c := s.nearest(p)
			n := c.Shape.Normal(p)
			so.slide[axis] = append(so.slide[axis], slideFace{g.at, [3]float32{float32(n.X), float32(n.Y), float32(n.Z)}, float32(c.Friction)})
		}
	}
	return nil
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
func grow(d grid.Dims, closed func(n int) bool, outward func(i, j, k int) geom.Vec3) []graft {
	var out []graft
	state := make([]int8, d.Len()) // 0 open, 1.. layer, -1 closed and far
	for n := range state {
		if closed(n) {
			state[n] = -1
		}
	}
	type side struct {
		ok  bool
		at  int
		dir geom.Vec3
	}
	for layer := int8(1); layer <= layers; layer++ {
		first := len(out)
		n := -1
		for k := range d.NZ {
			for j := range d.NY {
				for i := range d.NX {
					n++
					if state[n] != -1 {
						continue
					}
					sides := [6]side{{i > 0, n - 1, geom.V(-1, 0, 0)}, {i+1 < d.NX, n + 1, geom.V(1, 0, 0)},
						{j > 0, n - d.NX, geom.V(0, -1, 0)}, {j+1 < d.NY, n + d.NX, geom.V(0, 1, 0)},
						{k > 0, n - d.NX*d.NY, geom.V(0, 0, -1)}, {k+1 < d.NZ, n + d.NX*d.NY, geom.V(0, 0, 1)}}
					all, near := graft{at: int32(n)}, graft{at: int32(n)}
					var normal geom.Vec3
					for _, c := range sides {
						if !c.ok || state[c.at] < 0 || state[c.at] >= layer {
							continue
						}
						if all.n == 0 {
							normal = outward(i, j, k)
						}
						all.from[all.n] = int32(c.at)
						all.n++
						if c.dir.Dot(normal) > 0.1 {
							near.from[near.n] = int32(c.at)
							near.n++
						}
					}
					if near.n > 0 {
						out = append(out, near)
					} else if all.n > 0 {
						out = append(out, all)
					}
				}
			}
		}
		for _, g := range out[first:] {
			state[g.at] = layer
		}
	}
	return out
}

func apply(f *grid.Field, gs []graft) {
	for _, g := range gs {
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
func (s *Solver) extend() {
	so := &s.solid
	if !so.any {
		return
	}
	apply(s.Smoke, so.cell)
	apply(s.Heat, so.cell)
	// faces deep inside move with the solid
	for _, c := range []struct{ f, frac, v *grid.Field }{{s.U, so.fx, so.vx}, {s.V, so.fy, so.vy}, {s.W, so.fz, so.vz}} {
		s.crew.For(len(c.f.Data), 1<<14, func(lo, hi int) {
			for n := lo; n < hi; n++ {
				if c.frac.Data[n] < 0.01 {
					c.f.Data[n] = c.v.Data[n]
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
				u, v, w := s.velocity(x, y, z)
				var su, sv, sw float32
				if so.moving {
					su = so.vx.Sample(x, y-0.5, z-0.5)
					sv = so.vy.Sample(x-0.5, y, z-0.5)
					sw = so.vz.Sample(x-0.5, y-0.5, z)
				}
				into := (u-su)*g.normal[0] + (v-sv)*g.normal[1] + (w-sw)*g.normal[2]
				rel := f.Data[g.at] - vels[axis].Data[g.at]
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
func (s *Solver) clearBlocked() {
	for n, b := range s.solid.blocked {
		if b {
			s.Smoke.Data[n], s.Heat.Data[n] = 0, 0
		}
	}
}

// Hidden lists the cells more than one layer inside solids: what channels hold
// there is for interpolation only and is not part of the result.
func (s *Solver) Hidden(fn func(cell int)) {
	if !s.solid.any {
		return
	}
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
