package render

// Particles large enough to show what they are: small meshes, turned by their spin or along
// their way, drawn into the picture's plane at several moments of the exposure. What a mesh
// covers of a pixel, how far away and how it is inclined there is a fragment, as a streak's
// are (motes.go). Nearer surfaces of a particle hide its farther ones; particles among each
// other are laid by depth.

import (
	"math"

	"zarf/core/geom"
	"zarf/core/look"
	"zarf/core/noise"
)

// Shape is what particles of a domain are drawn as. The zero value is streaks over the
// exposure.
type Shape struct {
	Meshes  []*geom.Mesh     // of which each particle has one, by its identity; a particle's diameter is 1 there
	Upright bool             // turned by their spin alone; else each begins any way
	Along   bool             // their y axis lies along the way; else they are turned as they spin
	Trail   float64          // s: streaks begin so long before
	area    []float64        // of each mesh, its mean outline's area over that of a ball
	thin    []*geom.Mesh     // the same of few triangles, for small ones
	smooth  [][][3]geom.Vec3 // normals at the corners of the meshes' triangles
	reach   float64          // from the middle, of all of them
}

// What meshes come down to: all that is drawn, and from how few pixels of radius on.
const (
	shapeTriangles = 2000
	thinTriangles  = 60
	thinUnder      = 8    // pixels of radius
	shapeLeast     = 0.75 // pixels of radius: smaller ones are drawn as balls of their mean outline
)

// crease is the cosine of the angle from which on an edge between faces is seen.
const crease = 0.8

// smoothed are the normals at triangles' corners: the mean of those faces there that lie
// within the crease's angle, by area.
func smoothed(m *geom.Mesh) [][3]geom.Vec3 {
	face := make([]geom.Vec3, len(m.Tri))
	at := make([][]int32, len(m.P))
	for n, tri := range m.Tri {
		a, b, c := m.Corners(n)
		face[n] = b.Sub(a).Cross(c.Sub(a))
		for _, v := range tri {
			at[v] = append(at[v], int32(n))
		}
	}
	out := make([][3]geom.Vec3, len(m.Tri))
	for n, tri := range m.Tri {
		own := face[n].Unit()
		for k, v := range tri {
			var sum geom.Vec3
			for _, o := range at[v] {
				if face[o].Unit().Dot(own) > crease {
					sum = sum.Add(face[o])
				}
			}
			out[n][k] = sum.Unit()
		}
	}
	return out
}

// NewShape readies meshes for particles: each about its middle, its longest side 1, then
// stretched by axis.
func NewShape(meshes []*geom.Mesh, stretch geom.Vec3) Shape {
	var s Shape
	for _, m := range meshes {
		box := m.Bounds()
		long := box.Size().MaxComponent()
		if len(m.Tri) == 0 || !(long > 0) {
			continue
		}
		if len(m.Tri) > shapeTriangles {
			m = m.Thin(shapeTriangles)
		}
		own, mid, to := &geom.Mesh{}, box.Centre(), map[int32]int32{}
		for _, tri := range m.Tri {
			for k, v := range tri {
				if _, there := to[v]; !there {
					to[v] = int32(len(own.P))
					q := m.P[v].Sub(mid).Mul(1 / long)
					own.P = append(own.P, geom.V(q.X*stretch.X, q.Y*stretch.Y, q.Z*stretch.Z))
				}
				tri[k] = to[v]
			}
			own.Tri = append(own.Tri, tri)
		}
		s.Meshes, s.smooth = append(s.Meshes, own), append(s.smooth, smoothed(own))
		for _, q := range own.P {
			s.reach = max(s.reach, q.Len())
		}
		// a convex body's outline has a quarter of its surface in the mean over all sides
		// (Cauchy 1832)
		s.area = append(s.area, own.Area()/math.Pi)
		if len(own.Tri) > thinTriangles {
			own = own.Thin(thinTriangles)
		}
		s.thin = append(s.thin, own)
	}
	return s
}

// outline is by how much the radius of a ball differs that covers as much as the mesh does in
// the mean over all sides.
func (s *Shape) outline(kind int) float64 {
	if len(s.Meshes) == 0 {
		return 1
	}
	return math.Sqrt(s.area[kind])
}

// Thin are the shape's meshes for a page: of few triangles.
func (s *Shape) Thin() []*geom.Mesh { return s.thin }

func (m *Motes) identity(i int) uint64 {
	if m.ID == nil {
		return uint64(i)
	}
	return m.ID[i]
}

// Kind is which of the shape's meshes particle i has: always the same.
func (m *Motes) Kind(i int) int {
	return int(noise.Hash(m.identity(i), 0, 0, 0) % uint64(max(len(m.Shape.Meshes), 1)))
}

// Stands is how particle i is turned at the middle of the exposure: along its way, or as it
// has spun from how it was born. That is any way, by its identity, but where all are upright.
func (m *Motes) Stands(i int) geom.Mat3 {
	if m.Shape.Along {
		return along(at3(m.V, i))
	}
	by := turnedBy(at3(m.Turn, i))
	if m.Shape.Upright {
		return by
	}
	u := func(n int64) float64 { return float64(noise.Hash(m.identity(i), n, 0, 0)>>11) / (1 << 53) }
	// an even turn of all (Shoemake 1992)
	a, b, r := 2*math.Pi*u(1), 2*math.Pi*u(2), u(3)
	p, q := math.Sqrt(1-r), math.Sqrt(r)
	return by.Times(geom.Quat{X: p * math.Sin(a), Y: p * math.Cos(a), Z: q * math.Sin(b), W: q * math.Cos(b)}.Mat3())
}

// along is a turn that takes the y axis along a way.
func along(way geom.Vec3) geom.Mat3 {
	y := way.Unit()
	if y == (geom.Vec3{}) {
		y = geom.V(0, 1, 0)
	}
	side := geom.V(0, 0, 1)
	if math.Abs(y.Z) > 0.9 {
		side = geom.V(1, 0, 0)
	}
	x := y.Cross(side).Unit()
	z := x.Cross(y)
	return geom.Mat3{geom.V(x.X, y.X, z.X), geom.V(x.Y, y.Y, z.Y), geom.V(x.Z, y.Z, z.Z)}
}

// turnedBy is a turn about an axis by its length, in radians.
func turnedBy(v geom.Vec3) geom.Mat3 { return geom.AxisAngle(v.Unit(), v.Len()).Mat3() }

// at3 is a vector of a particle's columns; zero where there are none.
func at3(v [][3]float32, i int) geom.Vec3 {
	if v == nil {
		return geom.Vec3{}
	}
	return geom.V(float64(v[i][0]), float64(v[i][1]), float64(v[i][2]))
}

// easel is a thread's room for drawing shapes.
type easel struct {
	sub    []subpixel  // of a moment
	sums   []plotted   // by pixel, over all moments
	corner []geom.Vec3 // in subpixels, with the distance to the eye
}

// subpixel is what is nearest at a place.
type subpixel struct {
	far  float32 // m; 0: nothing
	face int32   // of the mesh
	u, v float32 // shares of its first two corners
}

type plotted struct {
	hits, far float64
	normal    geom.Vec3
}

// Most moments of the exposure that a shape is drawn at, most subpixels along a pixel, and
// most of them in all.
const (
	mostPlots = 48
	finest    = 4
	mostPlot  = 1 << 20
)

// pose is how a particle moves and turns in the exposure.
type pose struct {
	p, way, spin geom.Vec3 // m, and radians over all of it
	stands       geom.Mat3 // at its middle
	size         float64   // m
	first, last  *Camera
	eye          geom.Vec3
}

func (s *Scene) poseOf(all *Motes, i int, first, last *Camera) pose {
	o := pose{p: at3(all.P, i), way: at3(all.V, i).Mul(s.Shutter), spin: at3(all.Spin, i).Mul(s.Shutter), size: 2 * all.Radius(&s.Look, i), first: first, last: last, eye: s.Camera.Eye}
	if all.Shape.Along {
		o.spin = geom.Vec3{}
	}
	o.stands = all.Stands(i)
	return o
}

// at is where a point of the particle is in the picture, from −½ to ½ of the exposure.
func (o *pose) at(share float64, q geom.Vec3) (x, y, far float64) {
	q = q.Add(o.p).Add(o.way.Mul(share))
	x, y = o.first.project(q)
	if o.first != o.last {
		bx, by := o.last.project(q)
		x, y = x+(bx-x)*(share+0.5), y+(by-y)*(share+0.5)
	}
	return x, y, q.Sub(o.eye).Len()
}

// turn is how it stands then.
func (o *pose) turn(share float64) geom.Mat3 {
	if o.spin == (geom.Vec3{}) {
		return o.stands
	}
	return turnedBy(o.spin.Mul(share)).Times(o.stands)
}

// shape calls fn for the pixels that particle i, radius pixels large, covers as one of its
// meshes. It says whether it did: what is too small, or a streak much longer than wide, is
// drawn as a ball.
func (s *Scene) shape(t *easel, all *Motes, i int, radius float64, first, last *Camera, w, h int, fn func(at int, f fragment)) bool {
	if len(all.Shape.Meshes) == 0 || radius < shapeLeast {
		return false
	}
	o := s.poseOf(all, i, first, last)
	ax, ay, _ := o.at(-0.5, geom.Vec3{})
	bx, by, _ := o.at(0.5, geom.Vec3{})
	long := math.Hypot(bx-ax, by-ay)
	if long > mostPlots*radius {
		return false
	}
	moments := int(min(max(math.Ceil(long/1.5), math.Ceil(radius*o.spin.Len()/1.5), 1), mostPlots))
	reach := 2*radius*all.Shape.reach*1.1 + 1
	x0, x1 := max(int(min(ax, bx)-reach), 0), min(int(max(ax, bx)+reach), w-1)
	y0, y1 := max(int(min(ay, by)-reach), 0), min(int(max(ay, by)+reach), h-1)
	if x0 > x1 || y0 > y1 {
		return true
	}
	nx, ny, sub := x1-x0+1, y1-y0+1, finest
	if moments > 3 {
		sub = 2
	}
	for sub > 1 && nx*ny*sub*sub > mostPlot {
		sub--
	}
	t.begin(nx, ny, sub)
	kind := all.Kind(i)
	mesh, normals := all.Shape.Meshes[kind], all.Shape.smooth[kind]
	if radius < thinUnder && all.Shape.thin[kind] != mesh {
		mesh, normals = all.Shape.thin[kind], nil
	}
	for n := range moments {
		share := (float64(n)+0.5)/float64(moments) - 0.5
		r := o.turn(share)
		t.corner = t.corner[:0]
		for _, q := range mesh.P {
			x, y, far := o.at(share, r.Apply(q.Mul(o.size)))
			t.corner = append(t.corner, geom.V((x-float64(x0))*float64(sub), (y-float64(y0))*float64(sub), far))
		}
		t.draw(mesh, nx*sub, ny*sub)
		t.collect(nx, ny, sub, mesh, normals, r, o.p.Add(o.way.Mul(share)).Sub(o.eye))
	}
	f, whole := s.fragmentOf(all, i), 1/float64(moments*sub*sub)
	for n := range t.sums[:nx*ny] {
		if g := &t.sums[n]; g.hits > 0 {
			f.cover, f.depth, f.normal = float32(g.hits*whole), float32(g.far/g.hits), packNormal(g.normal.Unit())
			fn((y0+n/nx)*w+x0+n%nx, f)
		}
	}
	return true
}

// begin clears room for so many pixels.
func (t *easel) begin(nx, ny, sub int) {
	n := nx * ny
	if len(t.sums) < n {
		t.sums = make([]plotted, n)
	}
	clear(t.sums[:n])
	if n *= sub * sub; len(t.sub) < n {
		t.sub = make([]subpixel, n)
	}
	clear(t.sub[:n])
}

// draw finds what is nearest at the middle of each subpixel (Pineda 1988).
func (t *easel) draw(mesh *geom.Mesh, w, h int) {
	for n, tri := range mesh.Tri {
		a, b, c := t.corner[tri[0]], t.corner[tri[1]], t.corner[tri[2]]
		area := (b.X-a.X)*(c.Y-a.Y) - (b.Y-a.Y)*(c.X-a.X)
		if area == 0 {
			continue
		}
		x0, x1 := max(int(math.Ceil(min(a.X, b.X, c.X)-0.5)), 0), min(int(math.Floor(max(a.X, b.X, c.X)-0.5)), w-1)
		y0, y1 := max(int(math.Ceil(min(a.Y, b.Y, c.Y)-0.5)), 0), min(int(math.Floor(max(a.Y, b.Y, c.Y)-0.5)), h-1)
		k := 1 / area
		for y := y0; y <= y1; y++ {
			py := float64(y) + 0.5
			for x := x0; x <= x1; x++ {
				px := float64(x) + 0.5
				u := ((b.X-px)*(c.Y-py) - (b.Y-py)*(c.X-px)) * k
				v := ((c.X-px)*(a.Y-py) - (c.Y-py)*(a.X-px)) * k
				if u < 0 || v < 0 || u+v > 1 {
					continue
				}
				far := float32(u*a.Z + v*b.Z + (1-u-v)*c.Z)
				if q := &t.sub[y*w+x]; q.far == 0 || far < q.far {
					*q = subpixel{far, int32(n), float32(u), float32(v)}
				}
			}
		}
	}
}

// collect adds a moment's subpixels to their pixels, and clears them. The mesh stands by r,
// at a place from the eye; normals face that.
func (t *easel) collect(nx, ny, sub int, mesh *geom.Mesh, normals [][3]geom.Vec3, r geom.Mat3, from geom.Vec3) {
	from = r.Back(from)
	for i := range t.sub[:nx*ny*sub*sub] {
		q := &t.sub[i]
		if q.far == 0 {
			continue
		}
		a, b, c := mesh.Corners(int(q.face))
		n := b.Sub(a).Cross(c.Sub(a))
		away := n.Dot(from) > 0
		if normals != nil {
			k := &normals[q.face]
			n = k[0].Mul(float64(q.u)).Add(k[1].Mul(float64(q.v))).Add(k[2].Mul(float64(1 - q.u - q.v)))
		}
		if n = n.Unit(); away {
			n = n.Mul(-1)
		}
		g := &t.sums[i/(nx*sub)/sub*nx+i%(nx*sub)/sub]
		g.hits++
		g.far += float64(q.far)
		g.normal = g.normal.Add(r.Apply(n))
		q.far = 0
	}
}

// facing is a normal in 127ths; that of a ball is zero.
type facing [3]int8

func packNormal(n geom.Vec3) (f facing) {
	for a, x := range n.Array() {
		f[a] = int8(math.Round(127 * x))
	}
	return f
}

// facing is the normal of what is seen along d: of a ball, towards the eye.
func (f *fragment) facing(d geom.Vec3) geom.Vec3 {
	if f.normal == (facing{}) {
		return d.Mul(-1)
	}
	return geom.V(float64(f.normal[0]), float64(f.normal[1]), float64(f.normal[2])).Unit()
}

// lit is the light on a fragment of a cell by where it comes from.
func (c *moteCell) lit(f *fragment, sun geom.Vec3, g int) look.RGB {
	if f.normal == (facing{}) || c.sides == nil {
		return c.light[g]
	}
	n := f.facing(geom.Vec3{})
	if g == BySun {
		return c.sun.Scale(max(n.Dot(sun), 0))
	}
	var e look.RGB
	for a, x := range n.Array() {
		side := 2 * a
		if x < 0 {
			side++
		}
		e = e.Add(c.sides[side][g].Scale(x * x))
	}
	return e
}
