package geom

import (
	"math"

	"zarf/core/noise"
)

// StoneMesh is a lump about the origin, the nth of endlessly many, about 1 across: a ball whose
// corners are pushed in and out, and that a few planes have broken flat.
func StoneMesh(n int) *Mesh {
	u := func(purpose int64) float64 {
		return float64(noise.Hash(0x73746f6e, int64(n), purpose, 0)>>11) / (1 << 53)
	}
	m := BallMesh(0.5, 10)
	squash := V(0.75+0.25*u(0), 0.65+0.3*u(1), 0.8+0.2*u(2))
	for i, p := range m.P {
		m.P[i] = p.Mul(0.82 + 0.3*u(int64(20+i))).Scale(squash)
	}
	for cut := range int64(4) {
		y := 2*u(4+3*cut) - 1
		s, c := math.Sincos(2 * math.Pi * u(5+3*cut))
		r := math.Sqrt(1 - y*y)
		face, far := V(r*c, y, r*s), 0.26+0.1*u(6+3*cut)
		for i, p := range m.P {
			if d := p.Dot(face); d > far {
				m.P[i] = p.Sub(face.Mul(d - far))
			}
		}
	}
	return m
}

// SplinterMesh is a shard about the origin, the nth of endlessly many, about 1 long along y
// and narrower towards an end: two uneven rings of five corners, and two tips.
func SplinterMesh(n int) *Mesh {
	u := func(purpose int64) float64 {
		return float64(noise.Hash(0x73706c69, int64(n), purpose, 0)>>11) / (1 << 53)
	}
	const corners = 5
	wide, flat := 0.16+0.1*u(0), 0.4+0.5*u(1)
	m := &Mesh{P: []Vec3{V(0.06*(u(2)-0.5), -0.5, 0.06*(u(3)-0.5))}}
	for ring := range int64(2) {
		y, r := -0.25+0.3*float64(ring)+0.15*(u(4+ring)-0.5), wide*(1-0.3*float64(ring))
		for k := range int64(corners) {
			s, c := math.Sincos(2 * math.Pi * (float64(k) + 0.5*(u(10+10*ring+k)-0.5)) / corners)
			l := r * (0.7 + 0.6*u(30+10*ring+k))
			m.P = append(m.P, V(l*c, y+0.12*(u(50+10*ring+k)-0.5), l*s*flat))
		}
	}
	m.P = append(m.P, V(0.1*(u(6)-0.5), 0.5, 0.1*(u(7)-0.5)))
	last := int32(len(m.P) - 1)
	at := func(ring, k int) int32 { return int32(1 + ring*corners + k%corners) }
	for k := range corners {
		m.Tri = append(m.Tri, [3]int32{0, at(0, k), at(0, k+1)}, [3]int32{last, at(1, k+1), at(1, k)},
			[3]int32{at(0, k), at(1, k), at(1, k+1)}, [3]int32{at(0, k), at(1, k+1), at(0, k+1)})
	}
	return m
}
