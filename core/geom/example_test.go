package geom_test

import (
	"fmt"

	"zarf/core/geom"
)

// Distances are negative inside.
func ExampleShape_Distance() {
	tube := geom.Shape{Form: geom.Cylinder, Centre: geom.V(0, 1, 0), Size: geom.V(1, 2, 1), Taper: 1, Turn: geom.RotationXYZ(geom.Vec3{})}
	for _, p := range []geom.Vec3{geom.V(0, 1, 0), geom.V(0.5, 1, 0), geom.V(2, 1, 0), geom.V(0, 2.25, 0)} {
		fmt.Printf("%.2f ", tube.Distance(p))
	}
	// Output: -0.50 0.00 1.50 0.25
}

// A mesh as a solver takes it: distances on a lattice, exact near the surface.
func ExampleNewBody() {
	b, err := geom.NewBody(geom.BallMesh(0.5, 48), 0.05)
	if err != nil {
		panic(err)
	}
	fmt.Printf("%.2f %.2f\n", b.Distance(geom.V(0.45, 0, 0)), b.Distance(geom.V(0, 0.55, 0)))
	// Output: -0.05 0.05
}
