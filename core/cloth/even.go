package cloth

import (
	"math"
	"slices"

	"zarf/core/geom"
)

// Even cuts a surface anew into triangles that are about even, of edges about so long: edges are
// halved where they are longer than 4/3 of that and drawn together where they are shorter than 4/5, faces
// are paired anew so that six meet at a vertex and four at a rim, and vertices slide along the surface to
// the middle of their neighbours (Botsch and Kobbelt 2004, §4). Rims and seams, edges of one face or of
// more than two, keep their course, corners of rims stay, and edges sharper than creased stay as well.
// from tells of each vertex the nearest of the mesh's. A mesh that is about even keeps its shape.
func Even(m *geom.Mesh, edge float64) (out *geom.Mesh, from []int32) {
	e := &evening{p: slices.Clone(m.P), tri: slices.Clone(m.Tri), edge: edge, on: geom.NewTree(m)}
	e.hold()
	for range 6 {
		for range 12 {
			if e.halve() == 0 {
				break
			}
		}
		for range 12 {
			if e.shorten() == 0 {
				break
			}
		}
		e.pair()
		e.slide()
	}
	out = &geom.Mesh{}
	at := make([]int32, len(e.p))
	for i := range at {
		at[i] = -1
	}
	for _, t := range e.tri {
		for c, v := range t {
			if at[v] < 0 {
				at[v] = int32(len(out.P))
				out.P = append(out.P, e.p[v])
			}
			t[c] = at[v]
		}
		out.Tri = append(out.Tri, t)
	}
	for _, p := range out.P {
		from = append(from, e.whose(m, p))
	}
	return out, from
}

// whose is the vertex of a mesh that is nearest to a place on it.
func (e *evening) whose(m *geom.Mesh, p geom.Vec3) int32 {
	h := e.on.Nearest(p, math.Inf(1))
	best := m.Tri[h.Tri][0]
	for _, v := range m.Tri[h.Tri] {
		if m.P[v].Dist(p) < m.P[best].Dist(p) {
			best = v
		}
	}
	return best
}

// creased is how far, as a cosine, normals of two faces may differ where their edge isn't one of the
// shape's own.
const creased = 0.7

// evening is a mesh on its way.
type evening struct {
	p     []geom.Vec3
	tri   [][3]int32
	edge  float64
	on    *geom.Tree
	line  map[edgeKey]bool // edges that keep their course: rims, seams, creases
	fixed map[int32]bool   // vertices that stay: corners of those
}

// sides lists the faces at each edge, and edges in a fixed order.
func (e *evening) sides() (keys []edgeKey, at map[edgeKey][]int32) {
	at = make(map[edgeKey][]int32, 2*len(e.tri))
	for k, t := range e.tri {
		for c := range 3 {
			key := edgeOf(t[c], t[(c+1)%3])
			if len(at[key]) == 0 {
				keys = append(keys, key)
			}
			at[key] = append(at[key], int32(k))
		}
	}
	return keys, at
}

func (e *evening) normal(k int32) geom.Vec3 {
	t := e.tri[k]
	return e.p[t[1]].Sub(e.p[t[0]]).Cross(e.p[t[2]].Sub(e.p[t[0]])).Unit()
}

// hold finds what keeps its course.
func (e *evening) hold() {
	e.line, e.fixed = map[edgeKey]bool{}, map[int32]bool{}
	keys, at := e.sides()
	ends := map[int32][]int32{}
	for _, key := range keys {
		f := at[key]
		if len(f) == 2 && e.normal(f[0]).Dot(e.normal(f[1])) > creased {
			continue
		}
		e.line[key] = true
		ends[key.a], ends[key.b] = append(ends[key.a], key.b), append(ends[key.b], key.a)
	}
	for v, to := range ends {
		if len(to) != 2 || e.p[to[0]].Sub(e.p[v]).Unit().Dot(e.p[to[1]].Sub(e.p[v]).Unit()) > -0.8 {
			e.fixed[v] = true
		}
	}
}

func (e *evening) long(k edgeKey) float64 { return e.p[k.a].Dist(e.p[k.b]) }

// halve parts edges that are too long, the longest first, none of a face twice.
func (e *evening) halve() (many int) {
	keys, at := e.sides()
	keys = slices.DeleteFunc(keys, func(k edgeKey) bool { return e.long(k) <= 4.0/3*e.edge })
	slices.SortStableFunc(keys, func(a, b edgeKey) int {
		switch u, v := e.long(a), e.long(b); {
		case u > v:
			return -1
		case u < v:
			return 1
		}
		return 0
	})
	done := make([]bool, len(e.tri))
	for _, key := range keys {
		if slices.ContainsFunc(at[key], func(k int32) bool { return done[k] }) {
			continue
		}
		mid := int32(len(e.p))
		e.p = append(e.p, e.p[key.a].Add(e.p[key.b]).Mul(0.5))
		if e.line[key] {
			delete(e.line, key)
			e.line[edgeOf(key.a, mid)], e.line[edgeOf(mid, key.b)] = true, true
		}
		for _, k := range at[key] {
			t := e.tri[k]
			for c := range 3 {
				if edgeOf(t[c], t[(c+1)%3]) == key {
					e.tri[k] = [3]int32{t[c], mid, t[(c+2)%3]}
					e.tri = append(e.tri, [3]int32{mid, t[(c+1)%3], t[(c+2)%3]})
				}
			}
			done[k] = true
		}
		many++
	}
	return many
}

// fans lists the faces at each vertex.
func (e *evening) fans() [][]int32 {
	out := make([][]int32, len(e.p))
	for k, t := range e.tri {
		for _, v := range t {
			out[v] = append(out[v], int32(k))
		}
	}
	return out
}

// lined tells which vertices lie on lines.
func (e *evening) lined() map[int32]bool {
	out := map[int32]bool{}
	for k := range e.line {
		out[k.a], out[k.b] = true, true
	}
	return out
}

// shorten draws edges together that are too short, the shortest first, none beside another.
func (e *evening) shorten() (many int) {
	keys, _ := e.sides()
	slices.SortStableFunc(keys, func(a, b edgeKey) int {
		switch u, v := e.long(a), e.long(b); {
		case u < v:
			return -1
		case u > v:
			return 1
		}
		return 0
	})
	fans, lined := e.fans(), e.lined()
	gone, before := make([]bool, len(e.tri)), slices.Clone(e.tri)
	touched := make([]bool, len(e.p))
	for _, key := range keys {
		if e.long(key) >= 4.0/5*e.edge || touched[key.a] || touched[key.b] {
			continue
		}
		keep, drop := key.a, key.b
		if e.fixed[drop] || lined[drop] && !lined[keep] {
			keep, drop = drop, keep
		}
		switch {
		case e.fixed[drop], lined[drop] && !e.line[key]: // else a line would move
			continue
		}
		to := e.p[keep]
		if !lined[keep] {
			to = to.Add(e.p[drop]).Mul(0.5)
		}
		if !e.bears(fans, key, keep, drop, to) {
			continue
		}
		many++
		e.p[keep] = to
		for _, k := range fans[drop] {
			gone[k] = rename(&e.tri[k], drop, keep) || gone[k]
		}
		for _, list := range [2][]int32{fans[keep], fans[drop]} {
			for _, k := range list {
				for _, v := range e.tri[k] {
					touched[v] = true
				}
			}
		}
		touched[keep], touched[drop] = true, true
		for _, k := range fans[drop] {
			e.move(before[k], drop, keep)
		}
	}
	left := e.tri[:0]
	for k, t := range e.tri {
		if !gone[k] {
			left = append(left, t)
		}
	}
	e.tri = left
	return many
}

// rename puts one vertex of a face in another's place; it reports that nothing is left of the face.
func rename(t *[3]int32, drop, keep int32) bool {
	for c := range t {
		if t[c] == drop {
			t[c] = keep
		}
	}
	return t[0] == t[1] || t[1] == t[2] || t[0] == t[2]
}

// move lets the lines of a face that end at a vertex end at another.
func (e *evening) move(t [3]int32, drop, keep int32) {
	for _, o := range t {
		if l := edgeOf(o, drop); o != drop && e.line[l] {
			delete(e.line, l)
			if o != keep {
				e.line[edgeOf(o, keep)] = true
			}
		}
	}
}

// bears reports that an edge can be drawn together to a place: the mesh stays one, no face turns over,
// and no edge gets too long.
func (e *evening) bears(fans [][]int32, key edgeKey, keep, drop int32, to geom.Vec3) bool {
	beside := func(v int32) map[int32]bool {
		out := map[int32]bool{}
		for _, k := range fans[v] {
			for _, o := range e.tri[k] {
				if o != v {
					out[o] = true
				}
			}
		}
		return out
	}
	a, b := beside(keep), beside(drop)
	shared, faces := 0, 0
	for v := range a {
		if b[v] {
			shared++
		}
	}
	for _, v := range [2]int32{keep, drop} {
		for _, k := range fans[v] {
			t := e.tri[k]
			has := func(o int32) bool { return t[0] == o || t[1] == o || t[2] == o }
			if has(keep) && has(drop) {
				if v == keep {
					faces++
				}
				continue
			}
			n := e.normal(k)
			q := [3]geom.Vec3{e.p[t[0]], e.p[t[1]], e.p[t[2]]}
			for c := range 3 {
				if t[c] == v {
					q[c] = to
				} else if q[c].Dist(to) > 4.0/3*e.edge {
					return false
				}
			}
			if w := q[1].Sub(q[0]).Cross(q[2].Sub(q[0])); w.Dot(n) <= 0.2*w.Len() || w.Len() < 1e-3*e.edge*e.edge {
				return false
			}
		}
	}
	return shared == faces // each face of the edge has one vertex besides; more would pinch
}

// pair flips edges where that brings vertices nearer to six faces, or four at a rim.
func (e *evening) pair() {
	keys, at := e.sides()
	lined := e.lined()
	many := make([]int, len(e.p))
	for _, key := range keys {
		many[key.a]++
		many[key.b]++
	}
	off := func(v int32, by int) int {
		want := 6
		if lined[v] {
			want = 4
		}
		d := many[v] + by - want
		return d * d
	}
	changed := make([]bool, len(e.tri))
	there := map[edgeKey]bool{}
	for _, key := range keys {
		there[key] = true
	}
	for _, key := range keys {
		f := at[key]
		if len(f) != 2 || e.line[key] || changed[f[0]] || changed[f[1]] {
			continue
		}
		a, b := key.a, key.b
		c, d := across(e.tri[f[0]], key), across(e.tri[f[1]], key)
		if c == d || there[edgeOf(c, d)] || off(a, -1)+off(b, -1)+off(c, 1)+off(d, 1) >= off(a, 0)+off(b, 0)+off(c, 0)+off(d, 0) {
			continue
		}
		// in the order that the first face runs from a to b
		if !follows(e.tri[f[0]], a, b) {
			a, b = b, a
		}
		n := e.normal(f[0]).Add(e.normal(f[1]))
		one, two := [3]int32{a, d, c}, [3]int32{d, b, c}
		bad := false
		for _, t := range [2][3]int32{one, two} {
			w := e.p[t[1]].Sub(e.p[t[0]]).Cross(e.p[t[2]].Sub(e.p[t[0]]))
			bad = bad || w.Dot(n.Unit()) < 0.5*w.Len() || w.Len() < 0.05*e.edge*e.edge
		}
		if bad {
			continue
		}
		e.tri[f[0]], e.tri[f[1]] = one, two
		changed[f[0]], changed[f[1]] = true, true
		delete(there, key)
		there[edgeOf(c, d)] = true
		many[a]--
		many[b]--
		many[c]++
		many[d]++
	}
}

// across is the corner of a face that isn't at an edge.
func across(t [3]int32, k edgeKey) int32 {
	for _, v := range t {
		if v != k.a && v != k.b {
			return v
		}
	}
	return t[0]
}

// follows reports that a face runs from a to b.
func follows(t [3]int32, a, b int32) bool {
	return t[0] == a && t[1] == b || t[1] == a && t[2] == b || t[2] == a && t[0] == b
}

// slide moves vertices that are on no line along the surface towards the middle of those beside them.
func (e *evening) slide() {
	lined, fans := e.lined(), e.fans()
	to := slices.Clone(e.p)
	for v, list := range fans {
		if len(list) == 0 || lined[int32(v)] {
			continue
		}
		var sum, n geom.Vec3
		many := 0.0
		for _, k := range list {
			n = n.Add(e.normal(k))
			for _, o := range e.tri[k] {
				if o != int32(v) {
					sum, many = sum.Add(e.p[o]), many+1
				}
			}
		}
		by := sum.Mul(1 / many).Sub(e.p[v])
		n = n.Unit()
		to[v] = e.p[v].Add(by.Sub(n.Mul(by.Dot(n))).Mul(0.7))
	}
	for v := range to {
		if len(fans[v]) == 0 || lined[int32(v)] {
			continue
		}
		if h := e.on.Nearest(to[v], math.Inf(1)); h.Tri >= 0 {
			to[v] = h.At
		}
	}
	e.p = to
}
