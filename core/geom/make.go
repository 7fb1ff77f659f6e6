package geom

import "math"

// The makers below give closed meshes about the origin, for demo data and
// tests. Sizes in metres.

// BallMesh is a sphere of radius r with the given number of meridians.
// Rows are half as many as meridians; the poles are fans.
func BallMesh(r float64, around int) *Mesh {
	rows := around / 2
	m := &Mesh{P: []Vec3{V(0, r, 0)}}
	for j := 1; j < rows; j++ {
		s, c := math.Sincos(math.Pi * float64(j) / float64(rows))
		for i := range around {
			si, ci := math.Sincos(2 * math.Pi * float64(i) / float64(around))
			m.P = append(m.P, V(r*s*ci, r*c, r*s*si))
		}
	}
	m.P = append(m.P, V(0, -r, 0))
	at := func(j, i int) int32 { return int32(1 + (j-1)*around + i%around) }
	last := int32(len(m.P) - 1)
	for i := range around {
		m.Tri = append(m.Tri, [3]int32{0, at(1, i+1), at(1, i)}, [3]int32{last, at(rows-1, i), at(rows-1, i+1)})
		for j := 1; j < rows-1; j++ {
			a, b, c, d := at(j, i), at(j, i+1), at(j+1, i+1), at(j+1, i)
			m.Tri = append(m.Tri, [3]int32{a, b, c}, [3]int32{a, c, d})
		}
	}
	return m
}

// BoxMesh is a box.
func BoxMesh(size Vec3) *Mesh {
	h := size.Mul(0.5)
	m := &Mesh{}
	for n := range 8 {
		pick := func(bit int, v float64) float64 {
			if n>>bit&1 == 1 {
				return v
			}
			return -v
		}
		m.P = append(m.P, V(pick(0, h.X), pick(1, h.Y), pick(2, h.Z)))
	}
	for _, q := range [][4]int32{{0, 4, 6, 2}, {1, 3, 7, 5}, {0, 1, 5, 4}, {2, 6, 7, 3}, {0, 2, 3, 1}, {4, 5, 7, 6}} {
		m.Tri = append(m.Tri, [3]int32{q[0], q[1], q[2]}, [3]int32{q[0], q[2], q[3]})
	}
	return m
}

// LatheMesh turns an outline, given by radius and height from its lower end to
// its upper, about the y axis. An outline that begins and ends at radius 0, or
// that comes back to its first point, gives a closed mesh.
// Points on the axis become one vertex, so that caps are fans and close.
func LatheMesh(outline [][2]float64, around int) *Mesh {
	m := &Mesh{}
	ring := make([][]int32, len(outline))
	for n, p := range outline {
		if n == len(outline)-1 && p == outline[0] {
			ring[n] = ring[0]
			continue
		}
		many := around
		if p[0] == 0 {
			many = 1
		}
		for i := range many {
			s, c := math.Sincos(2 * math.Pi * float64(i) / float64(around))
			ring[n] = append(ring[n], int32(len(m.P)))
			m.P = append(m.P, V(p[0]*c, p[1], -p[0]*s))
		}
	}
	for n := range len(outline) - 1 {
		lo, hi := ring[n], ring[n+1]
		for i := range around {
			a, b := lo[i%len(lo)], lo[(i+1)%len(lo)]
			c, d := hi[(i+1)%len(hi)], hi[i%len(hi)]
			if a != b {
				m.Tri = append(m.Tri, [3]int32{a, b, c})
			}
			if c != d {
				m.Tri = append(m.Tri, [3]int32{a, c, d})
			}
		}
	}
	return m
}

// Move shifts, after scaling about the origin.
func (m *Mesh) Move(by Vec3, scale float64) *Mesh {
	for n := range m.P {
		m.P[n] = m.P[n].Mul(scale).Add(by)
	}
	return m
}

// Turned rotates about the origin.
func (m *Mesh) Turned(r Mat3) *Mesh {
	for n := range m.P {
		m.P[n] = r.Apply(m.P[n])
	}
	return m
}
