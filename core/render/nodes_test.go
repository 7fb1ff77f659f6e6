package render

import (
	"fmt"
	"math"
	"testing"

	"zarf/core/geom"
	"zarf/core/grid"
	"zarf/core/look"
)

// The mean of what is drawn at a place is the density that interpolation gives there:
// between voxels, and smoothly, within what the spline bends between nodes; also over sides
// that no tile ends at.
func TestNodesHaveTheMeanOfInterpolation(t *testing.T) {
	crew := grid.NewCrew(2)
	f := billows(21, 3)
	for _, sigma := range []float64{1, 1000} { // in large tiles and in small ones
		for _, smooth := range []bool{false, true} {
			t.Run(fmt.Sprint(sigma, smooth), func(t *testing.T) { meanOfNodes(t, f, smooth, sigma, crew) })
		}
	}
}

func meanOfNodes(t *testing.T, f *grid.Field, smooth bool, sigma float64, crew grid.Crew) {
	v, _ := NewVolume(f, 1.0/21, geom.Vec3{}, crew)
	l := look.Look{Smooth: smooth}
	if _, err := v.Dress(&Channels{Density: f}, &l, crew); err != nil {
		t.Fatal(err)
	}
	v.forPaths(sigma, crew)
	n := v.nodes
	if n == nil {
		t.Fatal("no nodes")
	}
	r, places := dice{7}, 0
	var off, total float64
	for places < 150 {
		p := geom.V(r.next()*22-0.5, r.next()*22-0.5, r.next()*22-0.5)
		at := func(x float64) int { return int(min(max(x, 0), 20)) / n.tile }
		m := n.tiles.Index(at(p.X), at(p.Y), at(p.Z))
		want := float64(v.blurred(p, 0))
		if n.plots[m].begin < 0 {
			if want > 0 && !smooth {
				t.Fatalf("no nodes at %v, where the density is %g", p, want)
			}
			continue
		}
		places++
		sum := 0.0
		const draws = 20000
		for range draws {
			s := n.draw(float32(p.X), float32(p.Y), float32(p.Z), r.bits())
			if s > n.plots[m].peak {
				t.Fatalf("%g where %g is the most", s, n.plots[m].peak)
			}
			sum += float64(s) / draws
		}
		off, total = off+math.Abs(sum-want), total+want
		if !smooth && math.Abs(sum-want) > 0.03*float64(n.plots[m].peak) {
			t.Errorf("%g drawn at %v, %g interpolated", sum, p, want)
		}
	}
	t.Logf("smooth %t: off by %.4f of the density", smooth, off/total)
	if most := map[bool]float64{false: 0.005, true: 0.04}[smooth]; off > most*total {
		t.Errorf("smooth %t: draws are off by %.4f of the density", smooth, off/total)
	}
}

// Fluid that moves is drawn where it comes from, also from other tiles, against a majorant
// that holds over the exposure.
func TestNodesOfMovingFluid(t *testing.T) {
	crew := grid.NewCrew(1)
	d := grid.Dims{NX: 32, NY: 8, NZ: 8}
	f := grid.NewField(d)
	for k := range 8 {
		for j := range 8 {
			for i := 2; i < 6; i++ {
				f.Set(i, j, k, 2)
			}
		}
	}
	var vel [3]*grid.Field
	for a := range vel {
		vel[a] = grid.NewField(d)
	}
	for i := range vel[0].Data {
		vel[0].Data[i] = 20 // voxels a second, of 1 m
	}
	v, _ := NewVolume(f, 1, geom.Vec3{}, crew)
	l := look.Look{}
	if _, err := v.Dress(&Channels{Density: f, Velocity: vel, VelH: 1, Shutter: 2}, &l, crew); err != nil {
		t.Fatal(err)
	}
	v.forPaths(1000, crew)
	tr := &trip{r: dice{1}, moment: 1}
	c := crossing{v: v, q: geom.V(0, 4, 4), tile: 3}
	for x, want := range map[float64]float64{24: 1, 17: 0, 31.4: 0} { // 20 voxels on
		if got := tr.chance(&c, &geom.Vec3{X: 1}, x); math.Abs(got-want) > 1e-4 {
			t.Errorf("at %g voxels %g of the majorant, want %g", x, got, want)
		}
	}
	if tr.moment = 0; tr.chance(&c, &geom.Vec3{X: 1}, 28) != 0 || c.majorant() != 2 {
		t.Errorf("at the frame itself %g of %g", tr.chance(&c, &geom.Vec3{X: 1}, 28), c.majorant())
	}
}
