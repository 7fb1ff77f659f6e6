package render

import (
	"math"
	"math/rand/v2"
	"testing"

	"zarf/core/geom"
	"zarf/core/grid"
	"zarf/core/look"
	"zarf/core/vec"
)

func noisy(d grid.Dims, seed uint64) *grid.Field {
	r := rand.New(rand.NewPCG(seed, 1))
	f := grid.NewField(d)
	for i := range f.Data {
		f.Data[i] = 1 + r.Float32()
	}
	return f
}

// The spline goes through the voxels' values, is a polynomial of the third degree where
// these are, and bricks hold it between.
func TestSplineGoesThroughItsValues(t *testing.T) {
	f := noisy(grid.Dims{NX: 21, NY: 13, NZ: 9}, 1)
	s := newSpline(f, grid.NewCrew(2))
	for n := range f.Data {
		i, j, k := n%f.NX, n/f.NX%f.NY, n/(f.NX*f.NY)
		if got := s.at(float32(i), float32(j), float32(k)); math.Abs(float64(got-f.Data[n])) > 1e-4 {
			t.Fatalf("at voxel %d, %d, %d it is %g, not %g", i, j, k, got, f.Data[n])
		}
	}
	cube := grid.NewField(grid.Dims{NX: 40, NY: 6, NZ: 5})
	for n := range cube.Data {
		x := float64(n%40) / 10
		cube.Data[n] = float32(30 + x*x*x - 2*x*x)
	}
	c := newSpline(cube, grid.NewCrew(1))
	for x := 15.0; x < 25; x += 0.13 { // far from where the sides mirror it
		u := x / 10
		if got, want := float64(c.at(float32(x), 2.3, 1.7)), 30+u*u*u-2*u*u; math.Abs(got-want) > 2e-4 {
			t.Fatalf("at %g it is %g, not %g", x, got, want)
		}
	}
	var data vec.BrickRows
	for _, p := range [][3]int{{0, 0, 0}, {1, 2, 1}, {5, 3, 2}} {
		s.lay(&data, p)
		for n := range vec.BrickSize / 4 {
			at := [3]float32{}
			for a, m := range [3]int{n % 9, n / 9 % 9, n / 81} {
				at[a] = float32(8*p[a]-1+m)/2 - 0.25
			}
			if at[0] > 21 || at[1] > 13 || at[2] > 9 { // far beyond, where no ray comes
				continue
			}
			if want := s.at(at[0], at[1], at[2]); math.Abs(float64(data[n/9][n%9]-want)) > 1e-4 {
				t.Fatalf("brick %v holds %g at %v, not %g", p, data[n/9][n%9], at, want)
			}
		}
	}
}

// Smoke read smoothly is as much smoke, and nowhere more than paths are told that it can
// be at most.
func TestSmoothReadingKeepsMassAndBounds(t *testing.T) {
	f := billows(48, 3)
	v, _ := NewVolume(f, 1.0/48, geom.Vec3{}, grid.NewCrew(2))
	if _, err := v.Dress(&Channels{Density: f}, &look.Look{Smooth: true}, grid.NewCrew(2)); err != nil {
		t.Fatal(err)
	}
	var all, smooth float64
	for _, d := range f.Data {
		all += float64(d)
	}
	const by = 3
	for n := range f.NX * f.NY * f.NZ * by * by * by {
		m := f.NX * by
		x, y, z := (float32(n%m)+0.5)/by, (float32(n/m%m)+0.5)/by, (float32(n/(m*m))+0.5)/by
		d := v.smooth(x, y, z)
		at := v.tiles.Index(int(x)/tile, int(y)/tile, int(z)/tile)
		if v.major[at] == 0 {
			// beyond two voxels from smoke the spline rings on, and is left out
			if d > 0.005*3 {
				t.Fatalf("%g at %g, %g, %g, where there is no smoke", d, x, y, z)
			}
			continue
		}
		if d > v.major[at]*(1+1e-5) {
			t.Fatalf("%g at %g, %g, %g, where %g is the most", d, x, y, z, v.major[at])
		}
		smooth += float64(d) / (by * by * by)
	}
	if math.Abs(smooth/all-1) > 0.005 {
		t.Errorf("%.4f of the mass", smooth/all)
	}
}

// Both methods read smoothly alike.
func TestMethodsReadSmoothlyAlike(t *testing.T) {
	take := func(method string, passes int) (m float64) {
		l := colouredLook(method)
		l.Smooth = true
		f := billows(20, 2)
		v, _ := NewVolume(f, 1.0/20, geom.V(-0.5, -0.5, -0.5), grid.NewCrew(2))
		if _, err := v.Dress(&Channels{Density: f}, l, grid.NewCrew(2)); err != nil {
			t.Fatal(err)
		}
		s := &Scene{Look: *l, Camera: NewCamera(geom.V(0, 0.2, 3), geom.V(0, 0, 0), 60), Volumes: []*Volume{v}}
		p, err := New(s, 16, 16, grid.NewCrew(2))
		if err != nil {
			t.Fatal(err)
		}
		for range passes {
			p.Pass(nil)
		}
		for i := range 256 {
			_, a := p.At(i%16, i/16)
			m += a / 256
		}
		return m
	}
	a, b := take("path", 1200), take("march", 8)
	t.Logf("%.4f by paths, %.4f marched", a, b)
	if math.Abs(a/b-1) > 0.01 || b < 0.05 {
		t.Errorf("alpha is %.4f by paths and %.4f marched", a, b)
	}
}
