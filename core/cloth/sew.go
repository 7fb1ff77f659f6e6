package cloth

import (
	"fmt"
	"math"
	"slices"

	"zarf/core/geom"
)

// Sleeve is a tube open at both ends, about y, of so much radius along x and z where it is widest
// and so tall, of edges about so long; taper is its width at the top over that at the bottom. Faces
// look outwards.
func Sleeve(x, z, tall, taper, edge float64) *geom.Mesh {
	round := max(int(math.Round(math.Pi*(x+z)/edge)), 6)
	rows := max(int(math.Round(tall/edge)), 1)
	m := &geom.Mesh{}
	for j := range rows + 1 {
		r := (1 + (taper-1)*float64(j)/float64(rows)) / max(taper, 1)
		for i := range round {
			sin, cos := math.Sincos(2 * math.Pi * float64(i) / float64(round))
			m.P = append(m.P, geom.V(r*x*cos, tall*(float64(j)/float64(rows)-0.5), r*z*sin))
		}
	}
	for j := range rows {
		for i := range round {
			a, b := int32(j*round+i), int32(j*round+(i+1)%round)
			c, d := a+int32(round), b+int32(round)
			if (i+j)%2 == 0 {
				m.Tri = append(m.Tri, [3]int32{a, c, d}, [3]int32{a, d, b})
			} else {
				m.Tri = append(m.Tri, [3]int32{a, c, b}, [3]int32{b, c, d})
			}
		}
	}
	return m
}

// Globe is a ball about the origin of so much radius along each axis, of edges about so long: an
// icosahedron whose sides are parted evenly.
func Globe(r geom.Vec3, edge float64) *geom.Mesh {
	const gold = 1.618033988749895
	var p []geom.Vec3
	for _, a := range []float64{-1, 1} {
		for _, b := range []float64{-gold, gold} {
			p = append(p, geom.V(0, a, b), geom.V(a, b, 0), geom.V(b, 0, a))
		}
	}
	parts := max(int(math.Round(1.15*r.MaxComponent()/edge)), 1)
	m := &geom.Mesh{}
	number := map[[3]int64]int32{}
	add := func(q geom.Vec3) int32 {
		q = q.Unit()
		key := [3]int64{int64(math.Round(q.X * 1e9)), int64(math.Round(q.Y * 1e9)), int64(math.Round(q.Z * 1e9))}
		n, there := number[key]
		if !there {
			n = int32(len(m.P))
			number[key] = n
			m.P = append(m.P, q.Scale(r))
		}
		return n
	}
	for i := range p {
		for j := range i {
			for k := range j {
				a, b, c := p[i], p[j], p[k]
				if a.Dist(b) > 2.1 || b.Dist(c) > 2.1 || a.Dist(c) > 2.1 {
					continue
				}
				if b.Sub(a).Cross(c.Sub(a)).Dot(a) < 0 {
					b, c = c, b
				}
				u, v := b.Sub(a).Mul(1/float64(parts)), c.Sub(a).Mul(1/float64(parts))
				at := func(x, y int) int32 { return add(a.Add(u.Mul(float64(x))).Add(v.Mul(float64(y)))) }
				for y := range parts {
					for x := range parts - y {
						m.Tri = append(m.Tri, [3]int32{at(x, y), at(x+1, y), at(x, y+1)})
						if x+y+1 < parts {
							m.Tri = append(m.Tri, [3]int32{at(x+1, y), at(x+1, y+1), at(x, y+1)})
						}
					}
				}
			}
		}
	}
	return m
}

// Mended tells what Tidy did to a mesh.
type Mended struct {
	Welded  int // vertices that stood on others
	Dropped int // faces without an area, or that were there twice
	Turned  int // faces that looked the other way than those beside them
	Seams   int // edges with more than two faces, at which nothing bends
}

// Tidy makes cloth of a mesh as files have it: vertices at one place are one, faces without an
// area or there twice go, and all of a piece look the same way. from tells of each vertex which of
// the mesh it was. Faces are turned to what most of their piece are.
func Tidy(m *geom.Mesh) (out *geom.Mesh, from []int32, did Mended, err error) {
	out = &geom.Mesh{}
	at := map[geom.Vec3]int32{}
	row := make([]int32, len(m.P))
	used := make([]bool, len(m.P))
	for k, t := range m.Tri {
		for _, v := range t {
			if v < 0 || int(v) >= len(m.P) {
				return nil, nil, did, fmt.Errorf("face %d names vertex %d; there are %d", k, v, len(m.P))
			}
			used[v] = true
		}
	}
	for i, p := range m.P {
		if !used[i] {
			continue
		}
		if x := p.X + p.Y + p.Z; math.IsNaN(x) || math.IsInf(x, 0) {
			return nil, nil, did, fmt.Errorf("vertex %d is at %v, which is no place; mend the mesh where it was made", i, p)
		}
		n, there := at[p]
		if !there {
			n = int32(len(out.P))
			at[p] = n
			out.P, from = append(out.P, p), append(from, int32(i))
		} else {
			did.Welded++
		}
		row[i] = n
	}
	seen := map[[3]int32]bool{}
	for _, t := range m.Tri {
		t = [3]int32{row[t[0]], row[t[1]], row[t[2]]}
		key := t
		slices.Sort(key[:])
		a, b, c := out.P[t[0]], out.P[t[1]], out.P[t[2]]
		if seen[key] || t[0] == t[1] || t[1] == t[2] || t[0] == t[2] || b.Sub(a).Cross(c.Sub(a)).Len()/2 <= smallest {
			did.Dropped++
			continue
		}
		seen[key] = true
		out.Tri = append(out.Tri, t)
	}
	if len(out.Tri) == 0 {
		return nil, nil, did, fmt.Errorf("none of its %d faces has an area; mend the mesh", len(m.Tri))
	}
	did.Turned, did.Seams = orient(out)
	return out, from, did, nil
}

// orient turns faces so that all that hang together by edges of two look the same way, which is
// that of most of them.
func orient(m *geom.Mesh) (turned, seams int) {
	type use struct {
		face int32
		way  bool
	}
	at := map[edgeKey][]use{}
	for k, t := range m.Tri {
		for c := range 3 {
			a, b := t[c], t[(c+1)%3]
			at[edgeOf(a, b)] = append(at[edgeOf(a, b)], use{int32(k), a < b})
		}
	}
	for _, list := range at {
		if len(list) > 2 {
			seams++
		}
	}
	state := make([]int8, len(m.Tri)) // 1 stays, −1 is turned
	for first := range m.Tri {
		if state[first] != 0 {
			continue
		}
		state[first] = 1
		piece, flipped := []int32{int32(first)}, 0
		for n := 0; n < len(piece); n++ {
			k := piece[n]
			t := m.Tri[k]
			for c := range 3 {
				a, b := t[c], t[(c+1)%3]
				list := at[edgeOf(a, b)]
				if len(list) != 2 {
					continue
				}
				for _, u := range list {
					if u.face == k || state[u.face] != 0 {
						continue
					}
					same := u.way != (a < b) // edges of two that look the same way run against each other
					if state[u.face] = state[k]; !same {
						state[u.face] = -state[k]
					}
					piece = append(piece, u.face)
				}
			}
		}
		for _, k := range piece {
			if state[k] < 0 {
				flipped++
			}
		}
		for _, k := range piece {
			if (state[k] < 0) != (2*flipped > len(piece)) { // the lesser part
				m.Tri[k][1], m.Tri[k][2] = m.Tri[k][2], m.Tri[k][1]
				turned++
			}
		}
	}
	return turned, seams
}
