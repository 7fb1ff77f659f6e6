package geom

// A hierarchy of boxes for rays and nearest points. Nodes are 56 bytes and children
// lie side by side; queries keep a stack on their own frame and allocate nothing.

import (
	"math"
	"slices"
)

// Tree is a bounding volume hierarchy over the triangles of a mesh, built by
// binned surface area (Wald 2007). Queries touch nothing but the tree, so that
// threads may share it.
// Triangles are copied into the order of the leaves: 80 bytes each, side by side.
type Tree struct {
	nodes []treeNode
	tri   []treeTri
}

// treeNode is a box: of two nodes, or of a few triangles.
// Children side by side need one index, and are fetched together, which they are
// used.
type treeNode struct {
	box         Box
	first, many int32 // leaf: triangles; inner: many is 0 and the children are at first and first+1
}

// treeTri is a triangle made ready to be measured against.
// Corner and edges, as both queries begin with the edges.
type treeTri struct {
	a, ab, ac Vec3
	id        int32
}

// Leaves of one triangle would double the nodes, and with them the memory walked.
const leafSize = 4

// NewTree builds the tree of a mesh; a mesh without triangles gives a tree
// that nothing hits.
// On one thread; a mesh of a hundred thousand triangles takes about a tenth of a
// second.
func NewTree(m *Mesh) *Tree {
	n := len(m.Tri)
	t := &Tree{tri: make([]treeTri, n)}
	if n == 0 {
		return t
	}
	// boxes and middles once; the build moves these and not triangles
	items := make([]treeItem, n)
	for i := range items {
		a, b, c := m.Corners(i)
		bx := Box{a.Min(b).Min(c), a.Max(b).Max(c)}
		items[i] = treeItem{bx, bx.Centre(), int32(i)}
	}
	// Room for the usual count, so that the list seldom moves while it grows.
	t.nodes = make([]treeNode, 1, 2*n/leafSize+16)
	t.split(0, items, 0, 0)
	for i, it := range items {
		a, b, c := m.Corners(int(it.id))
		// in the order of leaves: a leaf's triangles lie side by side
		t.tri[i] = treeTri{a, b.Sub(a), c.Sub(a), it.id}
	}
	return t
}

// treeItem is a triangle while the tree is built.
type treeItem struct {
	box Box
	mid Vec3
	id  int32
}

func (b Box) with(c Box) Box { return Box{b.Min.Min(c.Min), b.Max.Max(c.Max)} }

// area is the surface of a box, halved: what a tree's cost goes by.
func (b Box) area() float64 {
	s := b.Size()
	return s.X*s.Y + s.Y*s.Z + s.Z*s.X
}

var nowhere = Box{V(math.Inf(1), math.Inf(1), math.Inf(1)), V(math.Inf(-1), math.Inf(-1), math.Inf(-1))}

// bins that cuts are tried between.
const bins = 12

// deep is the level below which nodes are halved by count, which keeps the
// stacks of the queries within bounds.
const deep = 32

// split makes a node of items, and two below it where they are more than a leaf
// takes: parted by cost (see binned), or in the middle where the tree has grown
// too deep or all stand on one place.
// Recursion is as deep as the tree, which is bounded.
func (t *Tree) split(node int, items []treeItem, base int32, level int) {
	box, mids := nowhere, nowhere
	for i := range items {
		box = box.with(items[i].box)
		mids = mids.with(Box{items[i].mid, items[i].mid})
	}
	t.nodes[node].box = box
	if len(items) <= leafSize {
		t.nodes[node].first, t.nodes[node].many = base, int32(len(items))
		return
	}
	// cuts are tried along the axis where middles are spread most
	size := mids.Size().Array()
	axis := 0
	if size[1] > size[axis] {
		axis = 1
	}
	if size[2] > size[axis] {
		axis = 2
	}
	cut := len(items) / 2
	if size[axis] > 0 && level < deep {
		cut = t.binned(items, axis, mids, box)
	}
	// children side by side: one index for two
	t.nodes = append(t.nodes, treeNode{}, treeNode{})
	left := len(t.nodes) - 2
	t.nodes[node].first, t.nodes[node].many = int32(left), 0
	t.split(left, items[:cut], base, level+1)
	t.split(left+1, items[cut:], base+int32(cut), level+1)
}

// binned sorts items about the best of the cuts between bins.
// The cut is where the sum of both sides' costs is least; where no cut parts them,
// half.
func (t *Tree) binned(items []treeItem, axis int, mids, all Box) int {
	lo := mids.Min.Array()[axis]
	// a hair less than bins, so that the last middle falls into the last bin
	scale := bins / (mids.Size().Array()[axis] * (1 + 1e-9))
	bin := func(it *treeItem) int {
		return min(bins-1, int((it.mid.Array()[axis]-lo)*scale))
	}
	var count [bins]int
	var boxes [bins]Box
	for b := range boxes {
		boxes[b] = nowhere
	}
	for i := range items {
		b := bin(&items[i])
		count[b]++
		boxes[b] = boxes[b].with(items[i].box)
	}
	// Surface area heuristic: a node is met by rays in proportion to its area, so a
	// cut costs area × count on each side. One sweep from the right, one from the
	// left.
	var right [bins]float64
	box, n := nowhere, 0
	for b := bins - 1; b > 0; b-- {
		box, n = box.with(boxes[b]), n+count[b]
		right[b] = math.Inf(1)
		if n > 0 {
			right[b] = box.area() * float64(n)
		}
	}
	best, cost := -1, math.Inf(1)
	box, n = nowhere, 0
	for b := range bins - 1 {
		box, n = box.with(boxes[b]), n+count[b]
		if n > 0 && n < len(items) {
			if c := box.area()*float64(n) + right[b+1]; c < cost {
				best, cost = b, c
			}
		}
	}
	if best < 0 {
		return len(items) / 2
	}
	// partition in place by bin, as quicksort does
	i, j := 0, len(items)-1
	for i <= j {
		if bin(&items[i]) <= best {
			i++
		} else {
			items[i], items[j] = items[j], items[i]
			j--
		}
	}
	return i
}

// Bounds is the box round all triangles.
func (t *Tree) Bounds() Box {
	if len(t.nodes) == 0 {
		return Box{}
	}
	return t.nodes[0].box
}

// Hit is where a ray or a query meets a mesh. Tri is −1 where nothing was met.
// U and V give values of corners at the place by the same formula as the place
// itself.
type Hit struct {
	Tri  int     // index of the triangle
	T    float64 // distance along the ray, or from the point asked about
	U, V float64 // the point is a + U (b − a) + V (c − a)
	At   Vec3
}

// Nearest is the point of the mesh nearest to p, no farther than within.
// within may be infinite. The distance is exact to rounding.
func (t *Tree) Nearest(p Vec3, within float64) Hit {
	hit := Hit{Tri: -1, T: within}
	if len(t.nodes) == 0 {
		return hit
	}
	// nearer child first: the best falls fast, and most boxes are then skipped
	// Squares throughout; one root at the end.
	best := within * within
	// Each level leaves at most one node behind, so it holds a tree 63 deep.
	var stack [64]int32
	n := 1
	for n > 0 {
		n--
		nd := &t.nodes[stack[n]]
		// Asked when taken off, not when put on: best may have fallen since.
		if nd.box.gap2(p) > best {
			continue
		}
		if nd.many > 0 {
			for i := nd.first; i < nd.first+nd.many; i++ {
				tr := &t.tri[i]
				// The point is built from u and v rather than handed back, since
				// callers need both and these are what they must agree with.
				u, v := tr.nearest(p)
				q := tr.a.Add(tr.ab.Mul(u)).Add(tr.ac.Mul(v))
				d := p.Sub(q)
				// equal distances go to the smaller index, so that the answer
				// doesn't hang on the tree's shape
				if d2 := d.Dot(d); d2 < best || (d2 == best && (hit.Tri < 0 || int(tr.id) < hit.Tri)) {
					best = d2
					hit = Hit{Tri: int(tr.id), U: u, V: v, At: q}
				}
			}
			continue
		}
		a, b := nd.first, nd.first+1
		if t.nodes[a].box.gap2(p) < t.nodes[b].box.gap2(p) {
			a, b = b, a
		}
		stack[n], stack[n+1] = a, b
		n += 2
	}
	hit.T = math.Sqrt(best)
	return hit
}

// gap2 is the squared distance to a point, from the face, an edge or a corner,
// whichever is nearest.
// On a pointer: boxes are 48 bytes, and this is the hottest call of a search.
func (b *Box) gap2(p Vec3) float64 {
	var d float64
	if x := max(b.Min.X-p.X, p.X-b.Max.X); x > 0 {
		d += x * x
	}
	if y := max(b.Min.Y-p.Y, p.Y-b.Max.Y); y > 0 {
		d += y * y
	}
	if z := max(b.Min.Z-p.Z, p.Z-b.Max.Z); z > 0 {
		d += z * z
	}
	return d
}

// nearest finds the nearest point of a triangle by its regions (Ericson,
// Real-Time Collision Detection, 5.1.5).
// It gives barycentric coordinates, from which the point and its values follow.
func (t *treeTri) nearest(p Vec3) (u, v float64) {
	ap := p.Sub(t.a)
	// Regions in turn: corner a, corner b, edge ab, corner c, edge ac, edge bc, the
	// face.
	d1, d2 := t.ab.Dot(ap), t.ac.Dot(ap)
	if d1 <= 0 && d2 <= 0 {
		return 0, 0
	}
	bb, bc, cc := t.ab.Dot(t.ab), t.ab.Dot(t.ac), t.ac.Dot(t.ac)
	d3, d4 := d1-bb, d2-bc
	if d3 >= 0 && d4 <= d3 {
		return 1, 0
	}
	if vc := d1*d4 - d3*d2; vc <= 0 && d1 >= 0 && d3 <= 0 {
		return d1 / (d1 - d3), 0
	}
	d5, d6 := d1-bc, d2-cc
	if d6 >= 0 && d5 <= d6 {
		return 0, 1
	}
	if vb := d5*d2 - d1*d6; vb <= 0 && d2 >= 0 && d6 <= 0 {
		return 0, d2 / (d2 - d6)
	}
	if va := d3*d6 - d5*d4; va <= 0 && d4-d3 >= 0 && d5-d6 >= 0 {
		w := (d4 - d3) / ((d4 - d3) + (d5 - d6))
		return 1 - w, w
	}
	va, vb, vc := d3*d6-d5*d4, d5*d2-d1*d6, d1*d4-d3*d2
	s := 1 / (va + vb + vc)
	return vb * s, vc * s
}

// gap2 is the squared distance of p.
func (t *treeTri) gap2(p Vec3) float64 {
	u, v := t.nearest(p)
	d := p.Sub(t.a.Add(t.ab.Mul(u)).Add(t.ac.Mul(v)))
	return d.Dot(d)
}

// Ray finds the first triangle that the ray from o along dir meets between the
// distances near and far; both sides of a triangle count (Möller and Trumbore
// 1997).
// dir need not be of length 1: T is then in its lengths.
func (t *Tree) Ray(o, dir Vec3, near, far float64) Hit {
	hit := Hit{Tri: -1, T: far}
	if len(t.nodes) == 0 {
		return hit
	}
	// Division once a ray. A 0 gives an infinity, which enter knows how to take.
	inv := V(1/dir.X, 1/dir.Y, 1/dir.Z)
	var stack [64]int32
	var begins [64]float64 // where the ray comes into their boxes
	begins[0] = t.nodes[0].box.enter(o, inv)
	n := 1
	for n > 0 {
		n--
		// A box that begins behind the best hit can't hold a better one.
		if begins[n] >= hit.T {
			continue
		}
		nd := &t.nodes[stack[n]]
		if nd.many > 0 {
			for i := nd.first; i < nd.first+nd.many; i++ {
				t.tri[i].meet(o, dir, near, &hit)
			}
			continue
		}
		a, b := nd.first, nd.first+1
		at, bt := t.nodes[a].box.enter(o, inv), t.nodes[b].box.enter(o, inv)
		if at < bt {
			a, b, at, bt = b, a, bt, at
		}
		if at < hit.T {
			stack[n], begins[n] = a, at
			n++
		}
		if bt < hit.T {
			stack[n], begins[n] = b, bt
			n++
		}
	}
	if hit.Tri >= 0 {
		hit.At = o.Add(dir.Mul(hit.T))
	}
	return hit
}

// meet takes a ray's hit of the triangle where it is nearer than what it has met, and not
// before near.
func (tr *treeTri) meet(o, dir Vec3, near float64, hit *Hit) {
	// Cramer's rule for o + t d = a + u ab + v ac; det is 0 for rays within the plane
	pv := dir.Cross(tr.ac)
	det := tr.ab.Dot(pv)
	// Only exactly parallel rays: a threshold would open cracks between thin triangles.
	if det == 0 {
		return
	}
	f := 1 / det
	tv := o.Sub(tr.a)
	u := tv.Dot(pv) * f
	if u < 0 || u > 1 {
		return
	}
	qv := tv.Cross(tr.ab)
	v := dir.Dot(qv) * f
	if v < 0 || u+v > 1 {
		return
	}
	// Of two at the same distance the first met stays.
	if d := tr.ac.Dot(qv) * f; d >= near && d < hit.T {
		*hit = Hit{Tri: int(tr.id), T: d, U: u, V: v}
	}
}

// Short is Ray for a way that is short against the mesh: boxes are held against that round the
// way, which takes comparisons alone.
func (t *Tree) Short(o, dir Vec3, far float64) Hit {
	hit := Hit{Tri: -1, T: far}
	if len(t.nodes) == 0 {
		return hit
	}
	end := o.Add(dir.Mul(far))
	lo, hi := o.Min(end), o.Max(end)
	var stack [64]int32
	n := 1
	for n > 0 {
		n--
		nd := &t.nodes[stack[n]]
		b := &nd.box
		if b.Min.X > hi.X || b.Max.X < lo.X || b.Min.Y > hi.Y || b.Max.Y < lo.Y || b.Min.Z > hi.Z || b.Max.Z < lo.Z {
			continue
		}
		if nd.many == 0 {
			stack[n], stack[n+1] = nd.first, nd.first+1
			n += 2
			continue
		}
		for i := nd.first; i < nd.first+nd.many; i++ {
			t.tri[i].meet(o, dir, 0, &hit)
		}
	}
	if hit.Tri >= 0 {
		hit.At = o.Add(dir.Mul(hit.T))
	}
	return hit
}

// enter is the distance at which a ray comes into the box; +Inf where it
// doesn't.
func (b *Box) enter(o, inv Vec3) float64 {
	x0, x1 := (b.Min.X-o.X)*inv.X, (b.Max.X-o.X)*inv.X
	if x0 > x1 {
		x0, x1 = x1, x0
	}
	y0, y1 := (b.Min.Y-o.Y)*inv.Y, (b.Max.Y-o.Y)*inv.Y
	if y0 > y1 {
		y0, y1 = y1, y0
	}
	z0, z1 := (b.Min.Z-o.Z)*inv.Z, (b.Max.Z-o.Z)*inv.Z
	if z0 > z1 {
		z0, z1 = z1, z0
	}
	// written so that 0·∞ = NaN, of a ray within a side's plane, counts as a hit
	near, far := 0.0, math.Inf(1)
	if x0 > near {
		near = x0
	}
	if y0 > near {
		near = y0
	}
	if z0 > near {
		near = z0
	}
	if x1 < far {
		far = x1
	}
	if y1 < far {
		far = y1
	}
	if z1 < far {
		far = z1
	}
	if near > far {
		return math.Inf(1)
	}
	return near
}

// depth is the deepest level of the tree, for its test.
func (t *Tree) depth() int {
	type at struct{ node, d int32 }
	list, deepest := []at{{0, 1}}, int32(0)
	for len(list) > 0 {
		a := list[len(list)-1]
		list = list[:len(list)-1]
		deepest = max(deepest, a.d)
		if nd := t.nodes[a.node]; nd.many == 0 {
			list = append(list, at{nd.first, a.d + 1}, at{nd.first + 1, a.d + 1})
		}
	}
	return int(deepest)
}

// ids are the sorted ids of all triangles, for its test.
func (t *Tree) ids() []int32 {
	var out []int32
	for i := range t.tri {
		out = append(out, t.tri[i].id)
	}
	slices.Sort(out)
	return out
}
