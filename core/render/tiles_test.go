package render

import (
	"math"
	"testing"

	"zarf/core/geom"
	"zarf/core/grid"
	"zarf/core/look"
)

// ball is a scene of a round cloud of 1 m in the middle, seen from the front.
func ballScene(n int, dense float32) (*Scene, *grid.Field) {
	f := grid.NewField(grid.Dims{NX: n, NY: n, NZ: n})
	h := 1 / float64(n)
	for i := range f.Data {
		x, y, z := (float64(i%n)+0.5)*h-0.5, (float64(i/n%n)+0.5)*h-0.5, (float64(i/n/n)+0.5)*h-0.5
		if x*x+y*y+z*z < 0.16 {
			f.Data[i] = dense
		}
	}
	v, _ := NewVolume(f, h, geom.V(-0.5, -0.5, -0.5), grid.NewCrew(1))
	l := look.Look{Extinction: look.RGB{1, 1, 1}, Scattering: look.RGB{1, 1, 1}, Bounces: 1, Step: 1, Samples: 1}
	return &Scene{Volumes: []*Volume{v}, Look: l, Camera: NewCamera(geom.V(0, 0, 4), geom.V(0, 0, 0), 100)}, f
}

// Light from a side lights that side, opposite sides mirror each other, and the
// front is brighter than the back of what is dense.
func TestSidesLightTheirSides(t *testing.T) {
	s, _ := ballScene(24, 20)
	const n = 32
	sides, err := s.Sides(n, n, grid.NewCrew(1), never)
	if err != nil {
		t.Fatal(err)
	}
	mean := func(side int, in func(x, y int) bool) float64 {
		sum, k := 0.0, 0
		for i, v := range sides[side] {
			if in(i%n, i/n) {
				sum += float64(v)
				k++
			}
		}
		return sum / float64(k)
	}
	right := func(x, y int) bool { return x >= n/2 }
	left := func(x, y int) bool { return x < n/2 }
	top := func(x, y int) bool { return y < n/2 }
	low := func(x, y int) bool { return y >= n/2 }
	all := func(x, y int) bool { return true }
	if mean(0, right) < 1.5*mean(0, left) || mean(1, left) < 1.5*mean(1, right) || mean(2, top) < 1.5*mean(2, low) || mean(3, low) < 1.5*mean(3, top) {
		t.Errorf("right %.4f %.4f, left %.4f %.4f, top %.4f %.4f, bottom %.4f %.4f", mean(0, right), mean(0, left), mean(1, left), mean(1, right), mean(2, top), mean(2, low), mean(3, low), mean(3, top))
	}
	if a, b := mean(0, right), mean(1, left); math.Abs(a/b-1) > 0.05 {
		t.Errorf("right %.4f and left %.4f don't mirror each other", a, b)
	}
	if mean(5, all) < 1.5*mean(4, all) {
		t.Errorf("front %.4f, back %.4f", mean(5, all), mean(4, all))
	}
	if s.Look.Sun != (look.RGB{}) || s.Look.Method == "march" {
		t.Error("the scene's own look was changed")
	}
}

func never() bool { return false }

// What is seen through thin smoke is its mean temperature; dense smoke shows
// its front.
func TestHeatIsOfWhatIsSeen(t *testing.T) {
	const n = 24
	for dense, want := range map[float32][2]float64{0.01: {590, 610}, 200: {895, 905}} {
		s, f := ballScene(n, dense)
		heat := grid.NewField(f.Dims)
		for i := range heat.Data { // 900 K over the air in front, 300 behind
			heat.Data[i] = 300
			if i/n/n >= n/2 {
				heat.Data[i] = 900
			}
		}
		out := s.Heat(heat, 33, 33, grid.NewCrew(1))
		if got := float64(out[16*33+16]); got < want[0] || got > want[1] {
			t.Errorf("density %g: %.1f K in the middle, %v expected", dense, got, want)
		}
		if out[0] != 0 {
			t.Errorf("beside it %g K", out[0])
		}
	}
}
