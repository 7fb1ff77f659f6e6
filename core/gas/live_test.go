package gas

import (
	"math"
	"slices"
	"testing"

	"zarf/core/geom"
	"zarf/core/pressure"
	"zarf/core/sim"
)

// Leaving out what is read from nothing changes no bit, in any scheme.
func TestStillBatchesAreExact(t *testing.T) {
	for _, scheme := range []Scheme{SemiLagrangian, MacCormack, Reflection} {
		s := mustNew(t, room(40, 0.05, pressure.Sides{3: true}), 2)
		scene := func(float64, float64) Inputs {
			in := Inputs{Physics: calm}
			in.Physics.Scheme = scheme
			ball := ball(geom.V(0.5*2, 0.5, 0.5*2), 0.3)
			in.Emitters = []Emitter{{Emitter: sim.Emitter{Shape: ball, Before: ball}, Smoke: 1, Temperature: 300}}
			return in
		}
		for range 4 {
			if _, err := s.Frame(1.0/24, sim.Substeps{CFL: 4, Min: 1, Max: 8}, scene, nil); err != nil {
				t.Fatal(err)
			}
		}
		var want [][]float32
		keep := [][]float32{slices.Clone(s.Smoke.Data), slices.Clone(s.Heat.Data)}
		for _, blind := range []bool{true, false} {
			copy(s.Smoke.Data, keep[0])
			copy(s.Heat.Data, keep[1])
			if err := s.survey(); err != nil {
				t.Fatal(err)
			}
			if blind {
				for n := range s.alive {
					s.alive[n].rows = nil
				}
			}
			s.ways(float32(0.05/s.H), scheme)
			s.carryChannels(0.05, 293, scheme)
			got := [][]float32{slices.Clone(s.Smoke.Data), slices.Clone(s.Heat.Data)}
			if blind {
				want = got
				continue
			}
			for c := range got {
				for i, v := range got[c] {
					if math.Float32bits(v) != math.Float32bits(want[c][i]) {
						t.Fatalf("scheme %v, channel %d: value %d is %g, read in full %g", scheme, c, i, v, want[c][i])
					}
				}
			}
		}
		left := 0
		for _, o := range s.parcels[0].still {
			if o != 0 {
				left++
			}
		}
		if left == 0 {
			t.Errorf("scheme %v: nothing was left out", scheme)
		}
	}
}

// The number of live rows in a box comes from sums over the box of rows before.
func TestLiveRowsInABox(t *testing.T) {
	a := alive{rows: make([]bool, 6*5)}
	a.rows[2*6+3], a.rows[4*6+5] = true, true
	a.count(6, 5)
	for _, c := range []struct {
		j0, j1, k0, k1 int
		want           bool
	}{{3, 3, 2, 2, true}, {0, 5, 0, 4, true}, {0, 2, 0, 4, false}, {4, 5, 0, 3, false}, {5, 9, 4, 9, true}, {-5, -1, 0, 4, false}, {4, 4, 4, 4, false}} {
		if got := a.any(c.j0, c.j1, c.k0, c.k1, 6, 5); got != c.want {
			t.Errorf("%+v: %v", c, got)
		}
	}
}
