package sea

import (
	"math"
	"testing"

	"zarf/core/geom"
	"zarf/core/grid"
)

// TestChartIsTheSurface: near the eye the chart has the heights and slopes of the surface, far
// away those of its long waves, and at the horizon it is flat.
func TestChartIsTheSurface(t *testing.T) {
	f := made(t, breeze()).Surface(2, grid.NewCrew(2))
	c := f.Chart(geom.V(0, 3, 0), 0.001)
	for _, far := range []float64{2, 20, 200} {
		var off, all, tilt, tilts float64
		for i := range 64 {
			x, z := far*math.Cos(float64(i)), far*math.Sin(float64(i))
			cell := c.level(x, z, nil).cell
			want, _ := f.At(x, z, cell)
			off, all = off+math.Pow(c.Height(x, z)-want, 2), all+want*want
			sx, sz, _, _ := c.Look(x, z)
			e := cell / 4
			left, _ := f.At(x-e, z, cell)
			right, _ := f.At(x+e, z, cell)
			near, _ := f.At(x, z-e, cell)
			beyond, _ := f.At(x, z+e, cell)
			tilt += math.Pow(sx-(right-left)/(2*e), 2) + math.Pow(sz-(beyond-near)/(2*e), 2)
			tilts += sx*sx + sz*sz
		}
		if off > 1e-4*all {
			t.Errorf("%g m away heights are off by %.1f %%", far, 100*math.Sqrt(off/all))
		}
		if tilt > 0.05*tilts {
			t.Errorf("%g m away slopes are off by %.0f %%", far, 100*math.Sqrt(tilt/tilts))
		}
	}
	if y := c.Height(1e6, 0); y != 0 {
		t.Errorf("at the horizon it is %g m high", y)
	}
	if _, _, steep, _ := c.Look(1e6, 0); math.Abs(steep-(0.003+0.0512)) > 0.02 {
		t.Errorf("at the horizon slopes have a variance of %.4f, Cox and Munk's is 0.0542", steep)
	}
}

// TestRaysMeetTheSurface from above and below, on the surface itself, and what lies beyond the
// first is not met before.
func TestRaysMeetTheSurface(t *testing.T) {
	f := made(t, breeze()).Surface(2, grid.NewCrew(2))
	c := f.Chart(geom.V(0, 6, 0), 0.001)
	none := func(x, z float64) bool { return false }
	for i := range 200 {
		down := -0.02 - 0.5*float64(i%20)/20
		d := geom.V(math.Cos(float64(i)), down, math.Sin(float64(i))).Unit()
		at, ok := c.Ray(geom.V(0, 6, 0), d, 0, math.Inf(1), none)
		if !ok {
			t.Fatalf("a ray downwards at %.2f meets nothing", down)
		}
		p := geom.V(0, 6, 0).Add(d.Mul(at))
		if l := c.level(p.X, p.Z, nil); l != nil && math.Abs(p.Y-c.Height(p.X, p.Z)) > 0.02*l.cell+0.002 {
			t.Errorf("met at %.3f m, where the surface is at %.3f", p.Y, c.Height(p.X, p.Z))
		}
		if up, ok := c.Ray(geom.V(0, -4, 0), geom.V(d.X, 0.6, d.Z).Unit(), 0, math.Inf(1), none); !ok || up < 3 {
			t.Errorf("from below the surface is met at %g m, %t", up, ok)
		}
	}
	if _, ok := c.Ray(geom.V(0, 6, 0), geom.V(1, 0.01, 0).Unit(), 0, math.Inf(1), none); ok {
		t.Error("a ray upwards meets the sea")
	}
	if at, ok := c.Ray(geom.V(0, 6, 0), geom.V(0.3, -1, 0).Unit(), 0, math.Inf(1), func(x, z float64) bool { return math.Abs(x) < 4 }); ok {
		t.Errorf("it is met at %g m, in a place that it isn't at", at)
	}
}
