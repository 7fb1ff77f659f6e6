package geom

// From triangles to a lattice of signed distances. Close to the surface distances
// are exact, which collisions need; farther out they only lead the way. The nearest
// triangle is kept beside, since it tells how the surface moves and how much of it
// takes part.

import (
	"fmt"
	"math"
	"slices"
	"sync"
)

// Body is a mesh made ready for solvers: its signed distance on a lattice, and
// for each place near the surface the nearest triangle, by which it is known
// how the surface moves and how strongly it takes part.
//
// Within 1.5 spacings of the surface a lattice point holds its exact distance;
// farther out distances come from a lattice four times as coarse and are right
// to a spacing or two. The sign is that of the winding number: a point
// is inside where a ray to infinity crosses the surface more often one way than
// the other. A mesh with holes has no inside; three rays then vote.
type Body struct {
	Mesh    *Mesh
	Box     Box       // round the triangles
	H       float64   // spacing, in the mesh's own unit
	Origin  Vec3      // of lattice point (0,0,0)
	N       [3]int    // lattice points
	Dist    []float32 // x fastest
	near    []int32   // nearest triangle, −1 farther than the band
	Weight  []float32 // of each vertex, 0 to 1; nil: 1 everywhere
	Open    int       // edges with one face only
	Soft    bool      // its normals are those of a smooth surface, however sharply faces meet
	Limited bool      // the spacing was made wider than asked, to stay within MaxLattice

	tris  []treeTri
	ready sync.Once
	once  sync.Once
	tree  *Tree
	thin  func() float64
	holes func() []Hole
	knot  func() *Vec3
	norms func() []Vec3
}

// Thin is about the least thickness of a closed mesh, m; 0 of an open one.
func (b *Body) Thin() float64 { return b.thin() }

// Holes are those of the mesh, the widest first.
func (b *Body) Holes() []Hole { return b.holes() }

// Crossing is a place where the mesh goes through itself; nil where it doesn't.
func (b *Body) Crossing() *Vec3 { return b.knot() }

// Tree is the hierarchy over the mesh, built when first asked for.
func (b *Body) Tree() *Tree {
	b.once.Do(func() { b.tree = NewTree(b.Mesh) })
	return b.tree
}

// MaxLattice is the largest number of lattice points of a body.
const MaxLattice = 24 << 20

// band is the distance within which lattice points are exact, in spacings.
const band = 1.5

// Workers runs fn over [0,n) in pieces of at least grain, maybe in parallel.
type Workers func(n, grain int, fn func(lo, hi int))

// Alone is Workers on the caller's own thread.
func Alone(n, _ int, fn func(lo, hi int)) { fn(0, n) }

// NewBody makes a body whose lattice has the given spacing, in the mesh's own
// unit. Where the lattice would grow over MaxLattice the spacing is made wider
// and Limited says so. The lattice is filled by Fill, or when it is first
// needed.
func NewBody(m *Mesh, spacing float64) (*Body, error) {
	if len(m.Tri) == 0 {
		return nil, fmt.Errorf("the mesh has no faces")
	}
	if !(spacing > 0) {
		return nil, fmt.Errorf("the spacing is %g; give more than 0", spacing)
	}
	b := &Body{Mesh: m, H: spacing, Box: m.Bounds()}
	size := b.Box.Size()
	// three points of margin on each side and one more, for the slope on the rim
	for {
		points := 1.0
		for x, l := range size.Array() {
			c := math.Ceil(l/b.H) + 7
			points *= c
			b.N[x] = int(min(c, 1<<30))
		}
		if points <= MaxLattice {
			break
		}
		// wider by what the excess demands, at least a percent, so that the loop
		// ends
		b.H *= max(1.01, math.Cbrt(points/MaxLattice))
		b.Limited = true
	}
	b.Origin = b.Box.Min.Sub(V(3*b.H, 3*b.H, 3*b.H))
	b.Open = m.OpenEdges()
	// edges are kept with their first corner: what measuring a point needs, in one
	// place
	b.tris = make([]treeTri, len(m.Tri))
	for n := range m.Tri {
		p, q, r := m.Corners(n)
		b.tris[n] = treeTri{p, q.Sub(p), r.Sub(p), int32(n)}
	}
	b.thin = sync.OnceValue(func() float64 {
		if b.Open > 0 {
			return 0
		}
		return m.Thickness(b.Tree())
	})
	b.norms = sync.OnceValue(m.normals)
	b.holes = sync.OnceValue(m.Holes)
	b.knot = sync.OnceValue(func() *Vec3 {
		if at, found := m.Crossing(b.Tree()); found {
			return &at
		}
		return nil
	})
	return b, nil
}

// Fill measures the lattice, unless it is there.
func (b *Body) Fill(work Workers) *Body {
	b.ready.Do(func() {
		b.nearBand(work)
		b.farField(b.inside(work), work)
	})
	return b
}

func (b *Body) index(i, j, k int) int { return (k*b.N[1]+j)*b.N[0] + i }

func (b *Body) point(i, j, k int) Vec3 {
	return b.Origin.Add(V(float64(i)*b.H, float64(j)*b.H, float64(k)*b.H))
}

// slab is the thickness, in layers, of what one thread does at a time.
const slab = 4

// nearBand measures every triangle against the lattice points round it. Slabs
// take their triangles in order, so that the result is the same on any number
// of threads.
func (b *Body) nearBand(work Workers) {
	// squares until farField: comparing them is enough, and roots are dear
	far := float32(math.Inf(1))
	n := b.N[0] * b.N[1] * b.N[2]
	b.Dist, b.near = make([]float32, n), make([]int32, n)
	for i := range b.Dist {
		b.Dist[i], b.near[i] = far, -1
	}
	slabs := (b.N[2] + slab - 1) / slab
	lists := b.bySlab(slabs)
	work(slabs, 1, func(lo, hi int) {
		for s := lo; s < hi; s++ {
			for _, t := range lists[s] {
				b.scan(int(t), s*slab, min((s+1)*slab, b.N[2])-1)
			}
		}
	})
}

// reach is the range of lattice points along an axis within the band of [lo, hi].
func (b *Body) reach(lo, hi, origin float64, n int) (int, int) {
	return max(0, int(math.Ceil((lo-origin)/b.H-band))), min(n-1, int(math.Floor((hi-origin)/b.H+band)))
}

// bySlab sorts triangles by the layers that their band reaches, so that threads
// share none.
func (b *Body) bySlab(slabs int) [][]int32 {
	lists := make([][]int32, slabs)
	for t := range b.Mesh.Tri {
		p, q, r := b.Mesh.Corners(t)
		k0, k1 := b.reach(min(p.Z, q.Z, r.Z), max(p.Z, q.Z, r.Z), b.Origin.Z, b.N[2])
		for s := k0 / slab; s <= k1/slab && s < slabs; s++ {
			lists[s] = append(lists[s], int32(t))
		}
	}
	return lists
}

// scan lowers the squared distances of the lattice points of layers k0 to k1
// that triangle t is near to. Squares are kept until farField takes the root.
func (b *Body) scan(t, k0, k1 int) {
	p, q, r := b.Mesh.Corners(t)
	tr := &b.tris[t]
	lo, hi := p.Min(q).Min(r), p.Max(q).Max(r)
	i0, i1 := b.reach(lo.X, hi.X, b.Origin.X, b.N[0])
	j0, j1 := b.reach(lo.Y, hi.Y, b.Origin.Y, b.N[1])
	a0, a1 := b.reach(lo.Z, hi.Z, b.Origin.Z, b.N[2])
	k0, k1 = max(k0, a0), min(k1, a1)
	// A point's distance to the plane bounds that to the triangle from below. Along
	// a row it changes by a constant, so the range of points that can be within the
	// band is two divisions, and most of the triangle's box is never measured.
	normal := tr.ab.Cross(tr.ac).Unit()
	most := band * b.H
	// along a row the distance from the plane is off + i·step
	step := normal.X * b.H
	for k := k0; k <= k1; k++ {
		for j := j0; j <= j1; j++ {
			from, to := i0, i1
			o := b.point(0, j, k)
			off := normal.Dot(o.Sub(p))
			if math.Abs(step) > 1e-12*b.H {
				x, y := (-most-off)/step, (most-off)/step
				if x > y {
					x, y = y, x
				}
				from, to = max(from, int(math.Ceil(max(x, -1)))), min(to, int(math.Floor(min(y, float64(b.N[0])))))
			} else if math.Abs(off) > most {
				continue
			}
			row := b.index(0, j, k)
			for i := from; i <= to; i++ {
				plane := off + float64(i)*step
				// nearer triangles have been here
				if float32(plane*plane) >= b.Dist[row+i] {
					continue
				}
				at := o
				at.X += float64(i) * b.H
				if d2 := tr.gap2(at); d2 <= most*most && float32(d2) < b.Dist[row+i] {
					b.Dist[row+i], b.near[row+i] = float32(d2), int32(t)
				}
			}
		}
	}
}

// coarse is how many spacings apart the points of the far field stand.
const coarse = 4

// farField fills what the band left by interpolation on a coarser lattice.
// There the triangle of a neighbour is tried at each point, there and back
// again (the vector distance transform of Danielsson 1980, with triangles in
// place of points). Everything becomes a signed distance here, not its square.
func (b *Body) farField(inside []bool, work Workers) {
	f := newFar(b)
	f.seed()
	for range 2 {
		f.sweep(1)
		f.sweep(-1)
	}
	f.sign(inside)
	work(b.N[2], 1, func(lo, hi int) {
		for k := lo; k < hi; k++ {
			for j := range b.N[1] {
				f.fill(j, k, inside)
			}
		}
	})
}

// far is the coarser lattice of a body: its knots stand coarse spacings apart,
// so that it has a 64th of the points.
type far struct {
	*Body
	n     [3]int    // knots
	knots []float32 // squared distances, later signed distances
	tri   []int32   // the nearest triangle so far, −1: none
}

// newFar makes the knots, all of them far from everything.
func newFar(b *Body) *far {
	f := &far{Body: b}
	for x := range f.n {
		f.n[x] = (b.N[x]-1+coarse-1)/coarse + 1
	}
	f.knots = make([]float32, f.n[0]*f.n[1]*f.n[2])
	f.tri = make([]int32, len(f.knots))
	for i := range f.knots {
		f.knots[i], f.tri[i] = float32(math.Inf(1)), -1
	}
	return f
}

func (f *far) knot(i, j, k int) int { return (k*f.n[1]+j)*f.n[0] + i }

// try measures a triangle against a knot at p.
func (f *far) try(at int, p Vec3, t int32) {
	if t < 0 || f.tri[at] == t {
		return
	}
	if d := float32(f.tris[t].gap2(p)); d < f.knots[at] {
		f.knots[at], f.tri[at] = d, t
	}
}

// seed gives knots the triangles of the band's points round them. Every second
// point will do: the band is wider than that.
func (f *far) seed() {
	for k := 0; k < f.N[2]; k += 2 {
		for j := 0; j < f.N[1]; j += 2 {
			for i := 0; i < f.N[0]; i += 2 {
				if t := f.near[f.index(i, j, k)]; t >= 0 {
					// the knot nearest to the point, rounding up at the middle
					x, y, z := (i+1)/coarse, (j+1)/coarse, (k+1)/coarse
					f.try(f.knot(x, y, z), f.point(x*coarse, y*coarse, z*coarse), t)
				}
			}
		}
	}
}

// before are the 13 of a knot's 26 neighbours that come before it in the array.
var before = func() (out [][3]int) {
	for n := range 13 {
		out = append(out, [3]int{n%3 - 1, n/3%3 - 1, n/9 - 1})
	}
	return out
}()

// sweep tries at each knot the triangles of the neighbours that came before it,
// from the first knot to the last (way 1) or back (−1). Two sweeps each way
// carry a triangle to wherever it is nearest but for rare corners, which are
// off by less than a spacing.
func (f *far) sweep(way int) {
	for c := range f.knots {
		at := c
		if way < 0 {
			at = len(f.knots) - 1 - c
		}
		i, j, k := at%f.n[0], at/f.n[0]%f.n[1], at/(f.n[0]*f.n[1])
		p := f.point(i*coarse, j*coarse, k*coarse)
		// each neighbour's triangle is a candidate; the nearest of all is one of
		// theirs in all but rare configurations
		for _, d := range before {
			x, y, z := i+d[0]*way, j+d[1]*way, k+d[2]*way
			if x >= 0 && y >= 0 && z >= 0 && x < f.n[0] && y < f.n[1] && z < f.n[2] {
				f.try(at, p, f.tri[f.knot(x, y, z)])
			}
		}
	}
}

// sign makes the knots signed distances: else what lies between knots on both
// sides of the surface would come out far from it.
func (f *far) sign(inside []bool) {
	for at := range f.knots {
		x, y, z := at%f.n[0]*coarse, at/f.n[0]%f.n[1]*coarse, at/(f.n[0]*f.n[1])*coarse
		f.knots[at] = float32(math.Sqrt(float64(f.knots[at])))
		if x < f.N[0] && y < f.N[1] && z < f.N[2] && inside[f.index(x, y, z)] {
			f.knots[at] = -f.knots[at]
		}
	}
}

// fill makes a row of points signed distances: those of the band by the root
// of what they hold, the others from the knots round them, and never nearer
// than the band reaches.
func (f *far) fill(j, k int, inside []bool) {
	b, n := f.Body, f.n
	least := float32(band * b.H)
	// trilinear between eight knots; beyond the band nobody needs the third digit
	c, fz := k/coarse, float32(k%coarse)/coarse
	r, fy := j/coarse, float32(j%coarse)/coarse
	c1, r1 := min(c+1, n[2]-1), min(r+1, n[1]-1)
	line := func(j, k int) []float32 { return f.knots[f.knot(0, j, k):][:n[0]] }
	rows := [4][]float32{line(r, c), line(r1, c), line(r, c1), line(r1, c1)}
	row := b.index(0, j, k)
	for i := range b.N[0] {
		if b.near[row+i] >= 0 {
			b.Dist[row+i] = float32(math.Sqrt(float64(b.Dist[row+i])))
			if inside[row+i] {
				b.Dist[row+i] = -b.Dist[row+i]
			}
			continue
		}
		q, fx := i/coarse, float32(i%coarse)/coarse
		q1 := min(q+1, n[0]-1)
		mix := func(a []float32) float32 { return a[q] + (a[q1]-a[q])*fx }
		lo := mix(rows[0]) + (mix(rows[1])-mix(rows[0]))*fy
		hi := mix(rows[2]) + (mix(rows[3])-mix(rows[2]))*fy
		// interpolation across the surface could come out too near, or on the wrong
		// side
		if d := lo + (hi-lo)*fz; inside[row+i] {
			b.Dist[row+i] = min(-least, d)
		} else {
			b.Dist[row+i] = max(least, d)
		}
	}
}

// crossing is where a lattice row meets a triangle.
type crossing struct {
	at  float64
	way int32
}

// inside finds the lattice points within the mesh.
func (b *Body) inside(work Workers) []bool {
	// A closed mesh has one answer from any side. One with holes may not: the
	// majority of three rays then decides, which closes small holes.
	axes := 1
	if b.Open > 0 {
		axes = 3
	}
	votes := make([]uint8, len(b.Dist))
	for a := range axes {
		b.vote(a, votes, work)
	}
	need := uint8(axes/2 + 1)
	in := make([]bool, len(votes))
	for n, v := range votes {
		in[n] = v >= need
	}
	return in
}

// vote counts crossings along rows of the axis and adds a vote to every point
// whose winding number isn't 0. Rows stand a tiny way off the lattice, so that
// they don't run through the corners of meshes drawn on round numbers.
func (b *Body) vote(axis int, votes []uint8, work Workers) {
	// Rows along one axis are cut by triangles: sorted crossings with their sense
	// give the winding number at every point of the row in one walk.
	u, v := (axis+1)%3, (axis+2)%3
	nu, nv, na := b.N[u], b.N[v], b.N[axis]
	o := b.Origin.Array()
	ou, ov := o[u]+b.H*3.1e-6, o[v]+b.H*4.7e-6
	// each thread's piece of v gathers the crossings of its own rows
	pieces := (nv + slab - 1) / slab
	lists := make([][]int32, pieces)
	for t := range b.Mesh.Tri {
		p, q, r := b.Mesh.Corners(t)
		pa, qa, ra := p.Array(), q.Array(), r.Array()
		lo := max(0, int(math.Ceil((min(pa[v], qa[v], ra[v])-ov)/b.H)))
		hi := min(nv-1, int(math.Floor((max(pa[v], qa[v], ra[v])-ov)/b.H)))
		for s := lo / slab; s <= hi/slab && lo <= hi; s++ {
			lists[s] = append(lists[s], int32(t))
		}
	}
	stride := [3]int{1, b.N[0], b.N[0] * b.N[1]}
	work(pieces, 1, func(lo, hi int) {
		for s := lo; s < hi; s++ {
			v0, v1 := s*slab, min((s+1)*slab, nv)-1
			rows := make([][]crossing, nu*(v1-v0+1))
			for _, t := range lists[s] {
				b.cross(int(t), axis, ou, ov, v0, v1, nu, rows)
			}
			for n, list := range rows {
				if len(list) == 0 {
					continue
				}
				// crossings at one place: the sense decides, so that the sort is
				// stable in meaning
				slices.SortFunc(list, func(x, y crossing) int {
					switch {
					case x.at < y.at:
						return -1
					case x.at > y.at:
						return 1
					}
					return int(x.way - y.way)
				})
				base := (n%nu)*stride[u] + (v0+n/nu)*stride[v]
				wind := int32(0)
				for c, x := range list {
					wind += x.way
					if wind == 0 {
						continue
					}
					end := float64(na)
					if c+1 < len(list) {
						end = list[c+1].at
					} else {
						// otherwise all beyond would be inside, up to the lattice's
						// end
						break // an open mesh: nothing closes this row
					}
					for i := max(0, int(math.Ceil(x.at))); i < na && float64(i) < end; i++ {
						votes[base+i*stride[axis]]++
					}
				}
			}
		}
	})
}

// cross adds the crossings of triangle t with the rows of layers v0 to v1.
// Edges are measured from the lower end in a fixed order, so that the two
// triangles at an edge agree on which side a row passes.
func (b *Body) cross(t, axis int, ou, ov float64, v0, v1, nu int, rows [][]crossing) {
	u, v := (axis+1)%3, (axis+2)%3
	tri := b.Mesh.Tri[t]
	var pu, pv, pa [3]float64
	o := b.Origin.Array()
	for x, id := range tri {
		p := b.Mesh.P[id].Array()
		pu[x], pv[x], pa[x] = (p[u]-ou)/b.H, (p[v]-ov)/b.H, (p[axis]-o[axis])/b.H
	}
	// edge function of corners x to y at (i, j), told the same from both sides
	edge := func(x, y int, i, j float64) float64 {
		// The same two numbers subtracted in the same order give the same sign for
		// both triangles: a row through an edge counts exactly once.
		if pu[x] > pu[y] || (pu[x] == pu[y] && pv[x] > pv[y]) {
			return -((pu[x]-pu[y])*(j-pv[y]) - (pv[x]-pv[y])*(i-pu[y]))
		}
		return (pu[y]-pu[x])*(j-pv[x]) - (pv[y]-pv[x])*(i-pu[x])
	}
	for j := max(v0, int(math.Ceil(min(pv[0], pv[1], pv[2])))); j <= min(v1, int(math.Floor(max(pv[0], pv[1], pv[2])))); j++ {
		for i := max(0, int(math.Ceil(min(pu[0], pu[1], pu[2])))); i <= min(nu-1, int(math.Floor(max(pu[0], pu[1], pu[2])))); i++ {
			x, y := float64(i), float64(j)
			e0, e1, e2 := edge(1, 2, x, y), edge(2, 0, x, y), edge(0, 1, x, y)
			sum := e0 + e1 + e2
			switch {
			// zeros count for nothing: rows stand off round numbers so that they
			// don't occur
			case e0 > 0 && e1 > 0 && e2 > 0, e0 < 0 && e1 < 0 && e2 < 0:
			default:
				continue
			}
			way := int32(1)
			if sum > 0 {
				way = -1
			}
			n := (j-v0)*nu + i
			rows[n] = append(rows[n], crossing{(e0*pa[0] + e1*pa[1] + e2*pa[2]) / sum, way})
		}
	}
}

// Distance is the signed distance of q, in the mesh's own unit; beyond the
// lattice the distance to it is added.
func (b *Body) Distance(q Vec3) float64 {
	b.Fill(Alone)
	x, y, z := (q.X-b.Origin.X)/b.H, (q.Y-b.Origin.Y)/b.H, (q.Z-b.Origin.Z)/b.H
	// inside the lattice by interpolation, outside by the way to it
	cx, cy, cz := clampTo(x, b.N[0]), clampTo(y, b.N[1]), clampTo(z, b.N[2])
	i, j, k := min(int(cx), b.N[0]-2), min(int(cy), b.N[1]-2), min(int(cz), b.N[2]-2)
	fx, fy, fz := cx-float64(i), cy-float64(j), cz-float64(k)
	n := b.index(i, j, k)
	row := func(n int) float64 {
		a := float64(b.Dist[n])
		return a + (float64(b.Dist[n+1])-a)*fx
	}
	sy, sz := b.N[0], b.N[0]*b.N[1]
	lo := row(n) + (row(n+sy)-row(n))*fy
	hi := row(n+sz) + (row(n+sz+sy)-row(n+sz))*fy
	d := lo + (hi-lo)*fz
	if cx != x || cy != y || cz != z {
		d += V(x-cx, y-cy, z-cz).Len() * b.H
	}
	return d
}

func clampTo(x float64, n int) float64 { return min(max(x, 0), float64(n-1)) }

// surface finds the place on the mesh that q belongs to: the triangle and the
// weights of its corners.
func (b *Body) surface(q Vec3) (tri int, wa, wb, wc float64) {
	b.Fill(Alone)
	i, j, k := int(math.Round((q.X-b.Origin.X)/b.H)), int(math.Round((q.Y-b.Origin.Y)/b.H)), int(math.Round((q.Z-b.Origin.Z)/b.H))
	if i >= 0 && j >= 0 && k >= 0 && i < b.N[0] && j < b.N[1] && k < b.N[2] {
		// the band's own note of the nearest triangle spares the tree
		if t := b.near[b.index(i, j, k)]; t >= 0 {
			u, v := b.tris[t].nearest(q)
			return int(t), 1 - u - v, u, v
		}
	}
	hit := b.Tree().Nearest(q, math.Inf(1))
	return hit.Tri, 1 - hit.U - hit.V, hit.U, hit.V
}

// Share is how strongly the surface near q takes part, 0 to 1.
func (b *Body) Share(q Vec3) float64 {
	if b.Weight == nil {
		return 1
	}
	t, x, y, z := b.surface(q)
	c := b.Mesh.Tri[t]
	return x*float64(b.Weight[c[0]]) + y*float64(b.Weight[c[1]]) + z*float64(b.Weight[c[2]])
}

// Came is where the place on the surface that is near q now stood before, when
// the same mesh had another pose.
func (b *Body) Came(before *Body, q Vec3) (now, then Vec3) {
	t, x, y, z := b.surface(q)
	at := func(m *Mesh) Vec3 {
		p, r, s := m.Corners(t)
		return p.Mul(x).Add(r.Mul(y)).Add(s.Mul(z))
	}
	return at(b.Mesh), at(before.Mesh)
}

// SameFaces reports two poses of one mesh.
func (b *Body) SameFaces(o *Body) bool {
	return o != nil && len(b.Mesh.Tri) == len(o.Mesh.Tri) && len(b.Mesh.P) == len(o.Mesh.P)
}

// Ray finds where a ray meets the mesh, and the normal there: that of a smooth
// surface where faces meet at flat angles.
func (b *Body) Ray(o, dir Vec3, near, far float64) (h Hit, normal Vec3) {
	h = b.Tree().Ray(o, dir, near, far)
	return h, b.smooth(h)
}

// Short is Ray for a way that is short against the mesh.
func (b *Body) Short(o, dir Vec3, far float64) (h Hit, normal Vec3) {
	h = b.Tree().Short(o, dir, far)
	return h, b.smooth(h)
}

// smooth is the normal at a hit; zero where there is none.
func (b *Body) smooth(h Hit) (normal Vec3) {
	if h.Tri < 0 {
		return normal
	}
	p, q, r := b.Mesh.Corners(h.Tri)
	face := q.Sub(p).Cross(r.Sub(p)).Unit()
	c, n := b.Mesh.Tri[h.Tri], b.norms()
	smooth := func(v int32) Vec3 {
		// at sharper edges the face keeps its own normal: boxes stay boxes
		if d := n[v].Dot(face); d > 0.9 || b.Soft && d > 0.2 { // 26°
			return n[v]
		}
		return face
	}
	return smooth(c[0]).Mul(1 - h.U - h.V).Add(smooth(c[1]).Mul(h.U)).Add(smooth(c[2]).Mul(h.V)).Unit()
}
