package pressure_test

import (
	"fmt"

	"zarf/core/grid"
	"zarf/core/pressure"
)

// A jet into a closed box with an open top: pressures that let it out again.
func ExampleSolver() {
	d := grid.Dims{NX: 32, NY: 32, NZ: 32}
	s, err := pressure.New(d, grid.NewCrew(2))
	if err != nil {
		panic(err)
	}
	s.Setup(pressure.Sides{3: true}, nil, nil, nil, nil)
	s.RHS(4, 16)[16] = 1 // volume made in one cell
	st := s.Solve(1e-4, 100)
	fmt.Println(st.Converged, st.Residual <= 1e-4, s.Pressure(4, 16)[16] > s.Pressure(20, 16)[16])
	// Output: true true true
}
