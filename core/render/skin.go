package render

import (
	"encoding/binary"
	"math"

	"zarf/core/geom"
	"zarf/core/grid"
	"zarf/core/surface"
)

// maxMeshed bounds the cells of a lattice that is meshed as it is.
const maxMeshed = 6 << 20

// Skin is the mesh of a liquid's surface for a page: vertices, three floats
// each, then triangles, three 32-bit numbers each. phi is the distance to the
// surface at the middles of cells of width h from origin on, outside what it is
// beyond them.
func Skin(phi *grid.Field, h float64, origin geom.Vec3, outside float64, crew grid.Crew) (Texture, []byte) {
	l := padded(phi, h, float32(outside))
	l.Origin = origin.Sub(l.Origin)
	m := surface.Nets(l, 0, crew.For)
	out := make([]byte, 0, 12*(len(m.P)+len(m.Tri)))
	for _, p := range m.P {
		out = Floats(out, float32(p.X), float32(p.Y), float32(p.Z))
	}
	for _, t := range m.Tri {
		for _, v := range t {
			out = binary.LittleEndian.AppendUint32(out, uint32(v))
		}
	}
	return Texture{Liquid: true, Vertices: len(m.P), Triangles: len(m.Tri)}, out
}

// Floats appends numbers as a page reads them.
func Floats(out []byte, v ...float32) []byte {
	for _, x := range v {
		out = binary.LittleEndian.AppendUint32(out, math.Float32bits(x))
	}
	return out
}

// padded is a lattice of a level set with a layer outside all round it, so that
// its surface closes; of a large one every second point. Its origin is how far
// its first point lies before the low corner of phi.
func padded(phi *grid.Field, h float64, outside float32) *surface.Lattice {
	step := 1
	for phi.Len()/(step*step*step) > maxMeshed {
		step++
	}
	n := [3]int{(phi.NX + step - 1) / step, (phi.NY + step - 1) / step, (phi.NZ + step - 1) / step}
	l := &surface.Lattice{N: [3]int{n[0] + 2, n[1] + 2, n[2] + 2}, H: h * float64(step)}
	back := l.H - h/2
	l.Origin.X, l.Origin.Y, l.Origin.Z = back, back, back
	l.V = make([]float32, l.N[0]*l.N[1]*l.N[2])
	for i := range l.V {
		l.V[i] = outside
	}
	for k := range n[2] {
		for j := range n[1] {
			row := phi.Row(j*step, k*step)
			for i := range n[0] {
				l.V[l.At(i+1, j+1, k+1)] = row[i*step]
			}
		}
	}
	return l
}
