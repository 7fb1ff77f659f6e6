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
	step := 1
	for phi.Len()/(step*step*step) > maxMeshed {
		step++
	}
	m := surface.Nets(surface.Closed(phi.Data, [3]int{phi.NX, phi.NY, phi.NZ}, h, origin, float32(outside), step), 0, crew.For)
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

// OpenSides takes the triangles out of a skin that lie on the upright sides and the floor of a
// box, to half a cell: there what it stands for goes on.
func OpenSides(t Texture, data []byte, b geom.Box, cell float64) (Texture, []byte) {
	at := func(v int) (p [3]float64) {
		for a := range p {
			p[a] = float64(math.Float32frombits(binary.LittleEndian.Uint32(data[12*v+4*a:])))
		}
		return p
	}
	lo, hi := b.Min.Array(), b.Max.Array()
	out := data[:12*t.Vertices]
	from := data[12*t.Vertices:]
	kept := make([]byte, 0, len(from))
	for n := range t.Triangles {
		var on [6]int
		tri := from[12*n : 12*n+12]
		for c := range 3 {
			p := at(int(binary.LittleEndian.Uint32(tri[4*c:])))
			for a := range 3 {
				if p[a] < lo[a]+cell/2 {
					on[2*a]++
				}
				if p[a] > hi[a]-cell/2 {
					on[2*a+1]++
				}
			}
		}
		if on[0] == 3 || on[1] == 3 || on[2] == 3 || on[4] == 3 || on[5] == 3 {
			continue
		}
		kept = append(kept, tri...)
	}
	t.Triangles = len(kept) / 12
	return t, append(out[:len(out):len(out)], kept...)
}

// Floats appends numbers as a page reads them.
func Floats(out []byte, v ...float32) []byte {
	for _, x := range v {
		out = binary.LittleEndian.AppendUint32(out, math.Float32bits(x))
	}
	return out
}
