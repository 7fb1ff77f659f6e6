package geom

// Meshes as they come from files and go to files: what they are, cleaning them, and
// the few things that are asked of them as a whole.

import (
	"fmt"
	"math"
	"slices"
)

// Mesh is triangles in space, metres. Triangles turn anticlockwise as seen
// from outside.
// The lists beside P and Tri are either nil or complete; Append keeps that.
type Mesh struct {
	P      []Vec3
	Tri    [][3]int32
	Part   []int32  // part of each triangle, index to Parts; nil: all of part 0
	Parts  []string // names of parts: nodes, objects, groups, materials
	Colour []Vec3   // linear red, green, blue of each vertex; nil: none
	Joint  []int32  // skin joint that moves each vertex most, index to Joints; nil: none
	Joints []string

	open int // open edges plus one, once counted
}

// Limits of a mesh.
// A scene beyond them would not fit beside a simulation.
const (
	MaxTriangles = 20_000_000
	MaxVertices  = 30_000_000
	MaxParts     = 4096
)

// Bounds is the box round all vertices that triangles use.
// Vertices that nothing uses may be anywhere, and after Take many are.
func (m *Mesh) Bounds() Box {
	b := Box{V(math.Inf(1), math.Inf(1), math.Inf(1)), V(math.Inf(-1), math.Inf(-1), math.Inf(-1))}
	for _, t := range m.Tri {
		for _, v := range t {
			b.Min, b.Max = b.Min.Min(m.P[v]), b.Max.Max(m.P[v])
		}
	}
	if len(m.Tri) == 0 {
		return Box{}
	}
	return b
}

// Corners are the three points of triangle n.
func (m *Mesh) Corners(n int) (a, b, c Vec3) {
	t := m.Tri[n]
	return m.P[t[0]], m.P[t[1]], m.P[t[2]]
}

// PartOf is the part of triangle n.
func (m *Mesh) PartOf(n int) int32 {
	if m.Part == nil {
		return 0
	}
	return m.Part[n]
}

// Area is the area of all triangles, m².
func (m *Mesh) Area() float64 {
	var sum float64
	for n := range m.Tri {
		a, b, c := m.Corners(n)
		sum += b.Sub(a).Cross(c.Sub(a)).Len() / 2
	}
	return sum
}

// Volume is the enclosed volume, m³, by the divergence theorem: negative where
// the faces look inwards, without meaning where the mesh is open.
// For open meshes it depends on where the origin is, so nobody should ask.
func (m *Mesh) Volume() float64 {
	if len(m.P) == 0 {
		return 0
	}
	var sum float64
	// tetrahedra over each face from a middle, or far from the origin digits would
	// go
	// Any middle gives the same volume of a closed mesh; a near one loses no digits.
	o := m.Bounds().Centre()
	for n := range m.Tri {
		a, b, c := m.Corners(n)
		sum += a.Sub(o).Dot(b.Sub(o).Cross(c.Sub(o))) / 6
	}
	return sum
}

// Repairs tells what Clean did to a mesh and what it found.
// What is told to the artist when a file comes in.
type Repairs struct {
	Degenerate int  // faces without area, dropped
	Welded     int  // vertices that stood on others
	OpenEdges  int  // edges with a face on one side only
	Turned     bool // all faces looked inwards and were turned
}

// Clean drops faces without area and welds vertices that stand on the same
// point, and turns a closed mesh whose faces all look inwards. Vertices that
// are not finite and indices out of range are errors; the error names the
// first.
//
// The mesh is changed in place and keeps its vertices, so that colours, joints and
// weights by vertex stay right.
func (m *Mesh) Clean() (r Repairs, err error) {
	if len(m.Tri) > MaxTriangles {
		return r, fmt.Errorf("the mesh has %d triangles; up to %d are taken: hand over a lighter one", len(m.Tri), MaxTriangles)
	}
	for n, p := range m.P {
		for _, c := range p.Array() {
			if math.IsNaN(c) || math.IsInf(c, 0) || math.Abs(c) > 1e9 {
				return r, fmt.Errorf("vertex %d is at %v, which is no place: %s", n, p, "mend the mesh where it was made")
			}
		}
	}
	for n, t := range m.Tri {
		for _, v := range t {
			if v < 0 || int(v) >= len(m.P) {
				return r, fmt.Errorf("face %d names vertex %d; there are %d", n, v, len(m.P))
			}
		}
	}
	// vertices of one place count as one for edges and degenerate faces; they stay
	// apart in the mesh, as their colours and joints may differ
	to := m.weld()
	for n, v := range to {
		if int(v) != n {
			r.Welded++
		}
	}
	// relative to the whole: a dust mote in a landscape isn't without area
	// Compared with an area, hence squared below.
	size := m.Bounds().Size().Len()
	out := m.Tri[:0]
	var part []int32
	if m.Part != nil {
		part = m.Part[:0]
	}
	for n, t := range m.Tri {
		a, b, c := m.P[t[0]], m.P[t[1]], m.P[t[2]]
		if to[t[0]] == to[t[1]] || to[t[1]] == to[t[2]] || to[t[0]] == to[t[2]] || b.Sub(a).Cross(c.Sub(a)).Len() <= 1e-14*size*size {
			r.Degenerate++
			continue
		}
		out = append(out, t)
		if m.Part != nil {
			part = append(part, m.Part[n])
		}
	}
	m.Tri, m.Part = out, part
	if len(m.Tri) == 0 {
		return r, fmt.Errorf("the mesh has no face with an area; there is nothing to use")
	}
	r.OpenEdges = m.openEdges(to)
	m.open = r.OpenEdges + 1
	// only closed ones: the volume of an open mesh has no sign to trust
	if r.OpenEdges == 0 && m.Volume() < 0 {
		r.Turned = true
		for n, t := range m.Tri {
			m.Tri[n] = [3]int32{t[0], t[2], t[1]}
		}
	}
	return r, nil
}

// weld maps each vertex to the first that stands on the same point.
// By equality to the bit: programs write equal corners equally, and anything else is
// a seam that somebody meant.
func (m *Mesh) weld() []int32 {
	to := make([]int32, len(m.P))
	first := make(map[Vec3]int32, len(m.P))
	for n, p := range m.P {
		// as map keys 0 and −0 would differ
		p = p.Add(Vec3{}) // −0 is 0
		if f, ok := first[p]; ok {
			to[n] = f
			continue
		}
		first[p] = int32(n)
		to[n] = int32(n)
	}
	return to
}

// LikeOpen takes over what is known of another pose of the same faces.
// The count hangs on indices and on which places are equal, and the latter may
// change only where a pose brings two vertices together exactly.
func (m *Mesh) LikeOpen(o *Mesh) { m.open = o.open }

// OpenEdges counts the edges that have no partner running the other way; a
// closed mesh has none.
// Counted once and kept; Take and Append forget it.
func (m *Mesh) OpenEdges() int {
	if m.open == 0 {
		m.open = m.openEdges(m.weld()) + 1
	}
	return m.open - 1
}

// openEdges counts edges that aren't walked as often one way as the other by the
// faces round them; to joins vertices that stand on one place. Sorting 3 keys a
// face is all that it costs.
func (m *Mesh) openEdges(to []int32) int {
	edges := make([]uint64, 0, 3*len(m.Tri))
	for _, t := range m.Tri {
		for x := range 3 {
			a, b := to[t[x]], to[t[(x+1)%3]]
			if a == b {
				continue
			}
			// both ways of an edge stand together, told apart by the last bit
			way := uint64(0)
			if a > b {
				a, b, way = b, a, 1
			}
			edges = append(edges, uint64(a)<<33|uint64(b)<<1|way)
		}
	}
	slices.Sort(edges)
	open := 0
	for i := 0; i < len(edges); {
		j, ways := i, 0
		for ; j < len(edges) && edges[j]>>1 == edges[i]>>1; j++ {
			ways += 1 - 2*int(edges[j]&1)
		}
		// Two faces on one side and two on the other are closed as well: two bodies
		// that share an edge.
		if ways != 0 {
			open++
		}
		i = j
	}
	return open
}

// Thickness is about the least thickness of a closed mesh, m: rays run inwards
// from up to 400 faces, and the tenth of the area where they are shortest is
// left out as corners.
// The tenth that is left out are wedges and corners, which have no thickness.
func (m *Mesh) Thickness(tree *Tree) float64 {
	type probe struct{ thick, area float64 }
	var list []probe
	var total float64
	// evenly over the list, which is about evenly over the surface
	step := max(1, len(m.Tri)/400)
	for n := 0; n < len(m.Tri); n += step {
		a, b, c := m.Corners(n)
		normal := b.Sub(a).Cross(c.Sub(a))
		out := normal.Unit()
		o := a.Add(b).Add(c).Mul(1.0 / 3)
		// Else the ray would meet the face that it starts from.
		eps := 1e-6 * tree.Bounds().Size().Len()
		// from a hair within the face, inwards
		if hit := tree.Ray(o.Sub(out.Mul(eps)), out.Mul(-1), eps, math.Inf(1)); hit.Tri >= 0 {
			list = append(list, probe{hit.T, normal.Len()})
			total += normal.Len()
		}
	}
	slices.SortFunc(list, func(a, b probe) int {
		switch {
		case a.thick < b.thick:
			return -1
		case a.thick > b.thick:
			return 1
		}
		return 0
	})
	var sum float64
	for _, p := range list {
		if sum += p.area; sum >= total/10 {
			return p.thick
		}
	}
	return 0
}

// Take is the mesh of the triangles that keep says.
// Vertices stay, also those that no face uses any more: indices and weights hold.
func (m *Mesh) Take(keep func(n int) bool) *Mesh {
	out := *m
	out.Tri, out.Part, out.open = nil, nil, 0
	for n, t := range m.Tri {
		if keep(n) {
			out.Tri = append(out.Tri, t)
			if m.Part != nil {
				out.Part = append(out.Part, m.Part[n])
			}
		}
	}
	return &out
}

// Append adds another mesh, whose parts keep their names; equal names become
// one part.
// What one of the two lacks is filled in: white, no joint.
func (m *Mesh) Append(o *Mesh) {
	base := int32(len(m.P))
	if m.Part == nil && len(m.Tri) > 0 {
		m.Part = make([]int32, len(m.Tri))
	}
	if len(m.Parts) == 0 && len(m.Tri) > 0 {
		m.Parts = []string{""}
	}
	// parts are matched by name, and numbers shifted
	names := o.Parts
	if len(names) == 0 {
		names = []string{""}
	}
	to := make([]int32, len(names))
	for n, name := range names {
		i := slices.Index(m.Parts, name)
		if i < 0 {
			i = len(m.Parts)
			m.Parts = append(m.Parts, name)
		}
		to[n] = int32(i)
	}
	if m.Colour != nil || o.Colour != nil {
		white := func(c []Vec3, n int) []Vec3 {
			for len(c) < n {
				c = append(c, V(1, 1, 1))
			}
			return c
		}
		m.Colour = append(white(m.Colour, len(m.P)), white(o.Colour, len(o.P))...)
	}
	if m.Joint != nil || o.Joint != nil {
		none := func(j []int32, n int) []int32 {
			for len(j) < n {
				j = append(j, -1)
			}
			return j
		}
		shift := int32(len(m.Joints))
		m.Joint = none(m.Joint, len(m.P))
		for _, j := range none(o.Joint, len(o.P)) {
			if j >= 0 {
				j += shift
			}
			m.Joint = append(m.Joint, j)
		}
		m.Joints = append(m.Joints, o.Joints...)
	}
	m.P, m.open = append(m.P, o.P...), 0
	for n, t := range o.Tri {
		m.Tri = append(m.Tri, [3]int32{t[0] + base, t[1] + base, t[2] + base})
		m.Part = append(m.Part, to[o.PartOf(n)])
	}
}

// normals are those of the vertices, faces counting by their area; vertices
// that stand on one point share theirs.
// The cross product of two edges is the area's double: larger faces count more.
// A unit vector each, or 0 where faces cancel.
func (m *Mesh) normals() []Vec3 {
	to := m.weld()
	n := make([]Vec3, len(m.P))
	for i, t := range m.Tri {
		a, b, c := m.Corners(i)
		f := b.Sub(a).Cross(c.Sub(a))
		for _, v := range t {
			n[to[v]] = n[to[v]].Add(f)
		}
	}
	out := make([]Vec3, len(m.P))
	for v := range out {
		out[v] = n[to[v]].Unit()
	}
	return out
}

// Thin is a mesh of at most about most triangles, made by merging the vertices
// within each cell of a lattice into their mean (Rossignac and Borrel 1993):
// for looking at, not for measuring.
// Cells grow until few enough triangles are left; below eight cells across it gives
// up.
func (m *Mesh) Thin(most int) *Mesh {
	size, low := m.Bounds().Size(), m.Bounds().Min
	// a surface of area L² in cells of h has L²/h² of them, two triangles each
	for cells := math.Sqrt(float64(most) / 2); ; cells *= 0.8 {
		h := max(size.MaxComponent()/cells, 1e-12)
		id := map[[3]int32]int32{}
		out := &Mesh{Parts: m.Parts}
		var count []float64
		to := make([]int32, len(m.P))
		for n, p := range m.P {
			q := p.Sub(low).Mul(1 / h)
			// Counted from the low corner, so none is negative.
			c := [3]int32{int32(q.X), int32(q.Y), int32(q.Z)}
			v, ok := id[c]
			if !ok {
				v = int32(len(out.P))
				id[c] = v
				out.P, count = append(out.P, Vec3{}), append(count, 0)
			}
			out.P[v], to[n] = out.P[v].Add(p), v
			count[v]++
		}
		for v := range out.P {
			out.P[v] = out.P[v].Mul(1 / count[v])
		}
		for n, t := range m.Tri {
			f := [3]int32{to[t[0]], to[t[1]], to[t[2]]}
			// Triangles that fell into one cell, or two, are gone.
			if f[0] != f[1] && f[1] != f[2] && f[0] != f[2] {
				out.Tri = append(out.Tri, f)
				out.Part = append(out.Part, m.PartOf(n))
			}
		}
		if len(out.Tri) <= most || cells < 8 {
			return out
		}
	}
}
