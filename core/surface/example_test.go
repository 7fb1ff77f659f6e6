package surface_test

import (
	"fmt"

	"zarf/core/geom"
	"zarf/core/surface"
)

// The mesh of a ball that is given by distances on a lattice: closed, and as
// large as the ball.
func ExampleNets() {
	const n, h = 24, 0.1
	phi := make([]float32, n*n*n)
	for i := range phi {
		p := geom.V(float64(i%n)+0.5, float64(i/n%n)+0.5, float64(i/n/n)+0.5).Mul(h)
		phi[i] = float32(p.Sub(geom.V(1.2, 1.2, 1.2)).Len() - 0.8)
	}
	m := surface.Nets(surface.Closed(phi, [3]int{n, n, n}, h, geom.Vec3{}, h, 1), 0, geom.Alone)
	fmt.Printf("%d open edges, %.2f m³\n", m.OpenEdges(), m.Volume())
	// Output: 0 open edges, 2.11 m³
}
