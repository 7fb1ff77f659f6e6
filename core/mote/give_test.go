package mote

import (
	"math"
	"testing"

	"zarf/core/geom"
	"zarf/core/grid"
)

func total(f *grid.Field) (sum float64) {
	for _, v := range f.Data {
		sum += float64(v)
	}
	return sum
}

// What particles give arrives whole, about where they are, with the same bits on any number
// of threads.
func TestGiftsArriveWhole(t *testing.T) {
	s := scatter(4000, geom.V(-0.1, 0, 0), geom.V(1, 1.1, 1), 0.01, 100, 5)
	by := make([]float32, s.Len())
	want := 0.0
	for i := range by {
		by[i] = float32(i % 7)
		want += float64(by[i])
	}
	var first *grid.Field
	for _, threads := range []int{1, 2, 5} {
		f := grid.NewField(grid.Dims{NX: 12, NY: 9, NZ: 11})
		s.Give([]Gift{{f, [3]float32{0.5, 0.5, 0.5}, by}}, 0.1, geom.Vec3{}, grid.NewCrew(threads))
		if got := total(f); math.Abs(got/want-1) > 1e-5 {
			t.Errorf("%g arrives of %g", got, want)
		}
		if first == nil {
			first = f
		}
		for i, v := range f.Data {
			if v != first.Data[i] {
				t.Fatalf("on %d threads value %d is %g, want %g", threads, i, v, first.Data[i])
			}
		}
	}
	// one in the middle of a cell gives to that alone
	s = scatter(1, geom.V(0.35, 0.45, 0.55), geom.V(0.35, 0.45, 0.55), 0.01, 100, 5)
	f := grid.NewField(grid.Dims{NX: 10, NY: 10, NZ: 10})
	s.Give([]Gift{{f, [3]float32{0.5, 0.5, 0.5}, []float32{3}}}, 0.1, geom.Vec3{}, grid.NewCrew(1))
	if v := f.At(3, 4, 5); math.Abs(float64(v)-3) > 1e-4 {
		t.Errorf("the cell has %g, want 3", v)
	}
	// and flat fields take all in their one layer
	flat := grid.NewField(grid.Dims{NX: 10, NY: 10, NZ: 1})
	s.Give([]Gift{{flat, [3]float32{0.5, 0.5, 0.5}, []float32{3}}}, 0.1, geom.Vec3{}, grid.NewCrew(2))
	if got := total(flat); math.Abs(got-3) > 1e-5 {
		t.Errorf("a flat field has %g, want 3", got)
	}
}

// The momentum that drag takes from particles is what the gas gets.
func TestMomentumIsKept(t *testing.T) {
	const n, h, rho, steps, dt = 24, 1.0 / 24, 1.2, 12, 1.0 / 96
	s := scatter(3000, geom.V(0.2, 0.2, 0.2), geom.V(0.8, 0.8, 0.8), 0.002, 700, 6)
	for i := range s.V[0] {
		s.V[0][i], s.V[1][i], s.V[2][i] = 5, float32(i%5)-2, -3
	}
	momentum := func() (p [3]float64) {
		for i := range s.ID {
			// with the air that a ball moves along
			d := float64(s.Size[i])
			m := s.Mass(i) + rho/2*math.Pi/6*d*d*d
			for c := range p {
				p[c] += m * float64(s.V[c][i])
			}
		}
		return p
	}
	field := func(x, y, z int) *grid.Field { return grid.NewField(grid.Dims{NX: n + x, NY: n + y, NZ: n + z}) }
	u, v, w := field(1, 0, 0), field(0, 1, 0), field(0, 0, 1)
	world := &World{Gravity: geom.V(0, -9.81, 0), Still: Fluid{Density: rho, Viscosity: 1.8e-5}, Pushed: true}
	before := momentum()
	for range steps {
		s.Step(dt, world, grid.NewCrew(2))
		s.Gather(grid.NewCrew(2)) // what is owed goes along
		s.Push(u, v, w, h, geom.Vec3{}, rho, grid.NewCrew(2))
	}
	after := momentum()
	for i := range s.ID { // weight adds to it
		d := float64(s.Size[i])
		after[1] += 9.81 * dt * steps * (s.Mass(i) - rho*math.Pi/6*d*d*d)
	}
	for c, f := range []*grid.Field{u, v, w} {
		lost, got := before[c]-after[c], total(f)*rho*h*h*h
		if math.Abs(lost) < 1e-9 || math.Abs(got/lost-1) > 0.01 {
			t.Errorf("axis %d: particles lose %.6g kg m/s, the gas gets %.6g", c, lost, got)
		}
	}
}

// A fast particle counts all along its way of a frame, without gaps and as much as a slow
// one; one that was just born no farther back than that, and none that has died.
func TestParticlesCountAlongTheirWay(t *testing.T) {
	s := new(Set)
	s.Add(4)
	s.P[0], s.P[1], s.P[2] = []float32{9, 5, 9, 5}, []float32{5, 5, 2, 8}, []float32{5, 5, 5, 5}
	s.V[0] = []float32{160, 0.1, 160, 160}
	s.Age = []float32{2, 2, 0.0125, 2}
	s.State[3] = Dead
	way, of, share := s.ways(0.05, 1)
	sums, least := map[int32]float32{}, map[int32]float32{}
	for k, i := range of {
		sums[i] += share[k]
		least[i] = min(least[i], way.P[0][k]-s.P[0][i])
	}
	if len(sums) != 3 || math.Abs(float64(sums[0]-1)) > 1e-6 || sums[1] != 1 || math.Abs(float64(sums[2]-1)) > 1e-6 {
		t.Errorf("they count %v; once each, but for the dead one, was expected", sums)
	}
	if least[0] > -7 || least[0] < -8 || least[1] != 0 || least[2] < -2 {
		t.Errorf("they reach back %v m; 8, 0 and 2 m were gone", least)
	}
	f := grid.NewField(grid.Dims{NX: 12, NY: 12, NZ: 12})
	way.Give([]Gift{{f, [3]float32{0.5, 0.5, 0.5}, share}}, 1, geom.Vec3{}, grid.NewCrew(2))
	for x := 2; x < 8; x++ {
		if v := f.At(x, 4, 4) + f.At(x, 5, 4) + f.At(x, 4, 5) + f.At(x, 5, 5); v < 0.1 {
			t.Errorf("%g of it at %d m: there is a gap", v, x)
		}
	}
}
