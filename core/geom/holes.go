package geom

// What keeps a mesh from having an inside: holes, and places where it goes through itself.

import (
	"cmp"
	"math"
	"slices"
)

// Hole is a round of edges that have a face on one side only.
type Hole struct {
	Centre Vec3
	Across float64 // the longest way across it, m
	Edges  int
}

// Holes are those of a mesh, the widest first.
func (m *Mesh) Holes() []Hole {
	to := m.weld()
	count := map[[2]int32]int{}
	for _, t := range m.Tri {
		for x := range 3 {
			a, b := to[t[x]], to[t[(x+1)%3]]
			switch {
			case a < b:
				count[[2]int32{a, b}]++
			case a > b:
				count[[2]int32{b, a}]--
			}
		}
	}
	// vertices of open edges, joined by them
	beside := map[int32][]int32{}
	for e, n := range count {
		if n != 0 {
			beside[e[0]], beside[e[1]] = append(beside[e[0]], e[1]), append(beside[e[1]], e[0])
		}
	}
	order := make([]int32, 0, len(beside))
	for v := range beside {
		order = append(order, v)
	}
	slices.Sort(order)
	met := map[int32]bool{}
	var out []Hole
	for _, v := range order {
		if met[v] {
			continue
		}
		met[v] = true
		round, ends := []int32{v}, 0
		for i := 0; i < len(round); i++ {
			ends += len(beside[round[i]])
			for _, w := range beside[round[i]] {
				if !met[w] {
					met[w] = true
					round = append(round, w)
				}
			}
		}
		out = append(out, m.hole(round, ends/2))
	}
	slices.SortStableFunc(out, func(a, b Hole) int { return cmp.Compare(b.Across, a.Across) })
	return out
}

func (m *Mesh) hole(round []int32, edges int) Hole {
	h := Hole{Edges: edges}
	slices.Sort(round)
	for _, v := range round {
		h.Centre = h.Centre.Add(m.P[v].Mul(1 / float64(len(round))))
	}
	for _, v := range round {
		h.Across = max(h.Across, 2*m.P[v].Sub(h.Centre).Len())
	}
	return h
}

// crossingsLooked is how many edges Crossing looks at, at most: those of meshes of up to
// forty thousand triangles all.
const crossingsLooked = 60_000

// Crossing finds a place where the mesh goes through itself: an edge that goes through a
// face which it has no corner in common with.
func (m *Mesh) Crossing(tree *Tree) (at Vec3, found bool) {
	to := m.weld()
	corners := func(n int) [3]int32 { t := m.Tri[n]; return [3]int32{to[t[0]], to[t[1]], to[t[2]]} }
	step := max(1, 3*len(m.Tri)/crossingsLooked)
	for e := 0; e < 3*len(m.Tri); e += step {
		c := corners(e / 3)
		a, b := c[e%3], c[(e%3+1)%3]
		if a > b && step == 1 { // the other face's edge is looked at
			continue
		}
		way := m.P[b].Sub(m.P[a])
		// from one face to the next, as the nearest may be its own
		for from := 0.0; ; {
			hit := tree.Ray(m.P[a], way, from, 1)
			if hit.Tri < 0 {
				break
			}
			q := corners(hit.Tri)
			if !slices.Contains(q[:], a) && !slices.Contains(q[:], b) && hit.T > 1e-9 && hit.T < 1-1e-9 {
				return hit.At, true
			}
			from = math.Nextafter(hit.T, 2) + 1e-12
		}
	}
	return Vec3{}, false
}
