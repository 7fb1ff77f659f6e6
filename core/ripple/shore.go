package ripple

import "math"

// rim is how many values round the domain, and beyond what carries ripples, show them mirrored.
const rim = 8

// mirrors are values beyond an edge, and the ones within that they take theirs from.
type mirrors struct {
	to, from []int32
	part     []float32
}

// mirror lists what lies within the rim of a shore: on are the values that carry ripples, nx
// by nz.
func mirror(on []bool, nx, nz int) *mirrors {
	at := nearest(on, nx, nz)
	m := &mirrors{}
	for n, o := range at {
		if on[n] || o == far {
			continue
		}
		i, k := n%nx, n/nx
		d := math.Hypot(float64(o[0]), float64(o[1]))
		if d > rim {
			continue
		}
		// the edge is half-way to the next value within: as far on its other side
		x, z := i+int(o[0]), k+int(o[1])
		in := (d - 1) / d
		fx, fz := x+int(math.Round(float64(o[0])*in)), z+int(math.Round(float64(o[1])*in))
		if fx < 0 || fz < 0 || fx >= nx || fz >= nz || !on[fz*nx+fx] {
			fx, fz = x, z
		}
		m.to, m.from = append(m.to, int32(n)), append(m.from, int32(fz*nx+fx))
		m.part = append(m.part, float32(min(1, 2-2*d/(rim+1))))
	}
	return m
}

// apply writes the mirrored values, and clears all others beyond the edge.
func (m *mirrors) apply(f []float32, on []bool) {
	for n, in := range on {
		if !in {
			f[n] = 0
		}
	}
	for n, to := range m.to {
		f[to] = f[m.from[n]] * m.part[n]
	}
}

// far says of a value that nothing is near.
var far = [2]int16{1 << 14, 1 << 14}

// nearest is, of each value, the way to the nearest one that is on (Danielsson 1980).
func nearest(on []bool, nx, nz int) [][2]int16 {
	at := make([][2]int16, nx*nz)
	for n := range at {
		if !on[n] {
			at[n] = far
		}
	}
	long := func(o [2]int16) int { return int(o[0])*int(o[0]) + int(o[1])*int(o[1]) }
	look := func(n, i, k, dx, dz int) {
		x, z := i+dx, k+dz
		if x < 0 || z < 0 || x >= nx || z >= nz {
			return
		}
		o := at[z*nx+x]
		if o == far {
			return
		}
		if o = [2]int16{o[0] + int16(dx), o[1] + int16(dz)}; long(o) < long(at[n]) {
			at[n] = o
		}
	}
	for k := range nz {
		for i := range nx {
			n := k*nx + i
			look(n, i, k, -1, 0)
			look(n, i, k, 0, -1)
			look(n, i, k, -1, -1)
			look(n, i, k, 1, -1)
		}
		for i := nx - 1; i >= 0; i-- {
			look(k*nx+i, i, k, 1, 0)
		}
	}
	for k := nz - 1; k >= 0; k-- {
		for i := nx - 1; i >= 0; i-- {
			n := k*nx + i
			look(n, i, k, 1, 0)
			look(n, i, k, 0, 1)
			look(n, i, k, 1, 1)
			look(n, i, k, -1, 1)
		}
		for i := range nx {
			look(k*nx+i, i, k, -1, 0)
		}
	}
	return at
}
