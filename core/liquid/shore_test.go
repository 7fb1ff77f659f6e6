package liquid

import (
	"math"
	"testing"

	"zarf/core/geom"
	"zarf/core/grid"
	"zarf/core/sea"
	"zarf/core/sim"
)

// TestSeaGoesThroughTheBox: waves run through a box that lies in a sea as if it weren't there.
func TestSeaGoesThroughTheBox(t *testing.T) {
	off, level := throughTheBox(t, 0.3, 5)
	if off > 0.45 {
		t.Errorf("heights in the middle are off by %.0f %% of their deviation", 100*off)
	}
	if math.Abs(level) > 0.06 {
		t.Errorf("the mean level is %.3f m", level)
	}
}

// TestStillSeaStaysStill: without a wind nothing comes, goes or moves.
func TestStillSeaStaysStill(t *testing.T) {
	still, err := sea.New(sea.State{Fetch: 1000, Depth: 10, Spread: 1, Choppy: 1, Height: 1, Longest: 60, Shortest: 0.1, Gravity: 9.81})
	if err != nil {
		t.Fatal(err)
	}
	s, err := New(Box{Dims: grid.Dims{NX: 16, NY: 12, NZ: 16}, H: 0.1, Origin: geom.V(0, -0.8, 0), Open: [6]bool{true, true, true, true, true, true}, InSea: true}, grid.NewCrew(2))
	if err != nil {
		t.Fatal(err)
	}
	in := Inputs{Physics: Physics{Gravity: 9.81, Density: 1000, Tolerance: 1e-4, MaxIterations: 200}, Around: &Around{Sea: still, Rim: 0.6, ID: "sea"}}
	for range 12 {
		st, err := s.Frame(1.0/24, sim.Substeps{CFL: 2, Min: 1, Max: 8}, func(_, _ float64) Inputs { return in }, nil)
		if err != nil {
			t.Fatal(err)
		}
		if want := 1.6 * 1.6 * 0.8; math.Abs(st.Volume-want) > 1e-6 || st.MaxSpeed > 0.01 {
			t.Fatalf("%.4f m³ of %.4f, fastest %.4f m/s", st.Volume, want, st.MaxSpeed)
		}
	}
}

// throughTheBox is by how much heights in the middle of a box are off those of the sea, of
// their deviation, and the mean level there, m.
func throughTheBox(t *testing.T, h, seconds float64) (off, level float64) {
	t.Helper()
	const size, deep = 12.0, 4.0
	waves, err := sea.New(sea.State{Wind: 10, Bearing: 1.2, Fetch: 20000, Depth: deep, Spread: 0.5, Choppy: 1, Height: 1, Longest: 120, Shortest: 4 * h, Gravity: 9.81, Seed: 5})
	if err != nil {
		t.Fatal(err)
	}
	n := int(size / h)
	s, err := New(Box{Dims: grid.Dims{NX: n, NY: int((deep + 1.5) / h), NZ: n}, H: h, Origin: geom.V(-size/2, -deep, -size/2), Open: [6]bool{true, true, false, true, true, true}, InSea: true}, grid.NewCrew(2))
	if err != nil {
		t.Fatal(err)
	}
	crew := grid.NewCrew(2)
	in := Inputs{Physics: Physics{Gravity: 9.81, Density: 1000, Smooth: 0.05, Tolerance: 1e-3, MaxIterations: 200}, Around: &Around{Sea: waves, Rim: 2, ID: "sea"}}
	var sum, all float64
	count := 0
	for f := range int(seconds * 24) {
		st, err := s.Frame(1.0/24, sim.Substeps{CFL: 2, Min: 1, Max: 8}, func(_, _ float64) Inputs { return in }, nil)
		if err != nil {
			t.Fatal(err)
		}
		if f < 48 || f%12 != 0 {
			continue
		}
		phi := s.Surface()
		surface := waves.Surface(s.Time, crew)
		for q := range 9 {
			i, k := n/2+(q%3-1)*n/6, n/2+(q/3-1)*n/6
			j := phi.NY - 2
			for j > 0 && phi.At(i, j, k) > 0 {
				j--
			}
			a, b := phi.At(i, j, k), phi.At(i, j+1, k)
			y := s.Origin.Y + (float64(j)+0.5+float64(a/(a-b)))*h
			want, _ := surface.At(s.Origin.X+(float64(i)+0.5)*h, s.Origin.Z+(float64(k)+0.5)*h, h)
			sum, all, level, count = sum+(y-want)*(y-want), all+want*want, level+y, count+1
			if q == 4 {
				t.Logf("%.2f s: %.3f, sea %.3f m; %d substeps, fastest %.2f m/s, %d particles", s.Time, y, want, st.Substeps, st.MaxSpeed, st.Particles)
			}
		}
	}
	level /= float64(count)
	t.Logf("off by %.1f %% of the deviation of %.3f m; mean level %.3f m", 100*math.Sqrt(sum/all), math.Sqrt(all/float64(count)), level)
	return math.Sqrt(sum / all), level
}
