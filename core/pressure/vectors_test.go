package pressure

import (
	"math"
	"testing"

	"zarf/core/grid"
	"zarf/core/vec"
)

// The vector kernels give the bits of the plain ones, through whole solves
// with walls, solids and rows that are no multiple of 16 long.
func TestVectorsGiveTheSameBits(t *testing.T) {
	defer func(was vec.Set) { vec.Chosen = was }(vec.Chosen)
	for _, d := range []grid.Dims{{NX: 48, NY: 20, NZ: 17}, {NX: 37, NY: 29, NZ: 12}, {NX: 130, NY: 9, NZ: 5}} {
		var want []float32
		for _, vec.Chosen = range vec.Sets() {
			s, err := New(d, grid.NewCrew(2))
			if err != nil {
				t.Fatal(err)
			}
			x, y, z := obstacle(d, sphereIn(d))
			x.Set(3, 4, 2, 0.3)
			s.Setup(openTop, nil, x, y, z)
			fillRHS(s, 5)
			s.Solve(1e-6, 60)
			if want == nil {
				want = append([]float32(nil), s.sol...)
				continue
			}
			for i, v := range s.sol {
				if math.Float32bits(v) != math.Float32bits(want[i]) {
					t.Fatalf("%v: value %d is %v with %s, plain %v", d, i, v, vec.Chosen, want[i])
				}
			}
		}
	}
}
