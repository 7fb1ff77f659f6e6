package gas

import (
	"math"
	"testing"

	"zarf/core/geom"
	"zarf/core/grid"
	"zarf/core/pressure"
	"zarf/core/sim"
)

// Momentum that particles lost to the air is what the air gets, whatever voxels it was kept
// in: in a frame cut into steps, and less where a mask keeps it off.
func TestDraggedAirGetsTheMomentum(t *testing.T) {
	for _, h := range []float64{0.02, 0.05, 0.08} {
		s, err := New(Box{Dims: grid.Dims{NX: 24, NY: 20, NZ: 22}, H: 0.05, Open: pressure.Sides{true, true, true, true, true, true}}, grid.NewCrew(2))
		if err != nil {
			t.Fatal(err)
		}
		n := int(0.7/h + 0.5)
		o := &sim.Source{Share: grid.NewField(grid.Dims{NX: n, NY: n, NZ: n}), H: h, Origin: geom.V(0.211, 0.143, 0.207), Over: 1.0 / 24}
		want := [3]float64{}
		for a := range 3 {
			o.Push[a] = grid.NewField(o.Share.Dims)
			for i := range o.Push[a].Data {
				x, y, z := float64(i%n)+0.5, float64(i/n%n)+0.5, float64(i/(n*n))+0.5
				r := geom.V(x, y, z).Mul(h).Sub(geom.V(0.35, 0.35, 0.35)).Len() / 0.3
				v := float64(a+1) * max(0, 1-r*r)
				o.Push[a].Data[i] = float32(v)
				want[a] += v * h * h * h
			}
		}
		e := &Emitter{Emitter: sim.Emitter{Source: o}}
		for range 4 {
			s.dragged(o.Over/4, 1.2, e)
		}
		for a, f := range s.velocity() {
			got := 0.0
			for _, v := range f.Data {
				got += float64(v) * 1.2 * 0.05 * 0.05 * 0.05
			}
			if math.Abs(got/want[a]-1) > 0.01 {
				t.Errorf("voxels of %g: the air has %g kg m/s along axis %d, was given %g", h, got, a, want[a])
			}
		}
		had := s.V.Data[s.V.Index(11, 10, 11)]
		e.Mask = sim.Mask{On: true, Shape: geom.Shape{Form: geom.Sphere, Centre: geom.V(5, 5, 5), Size: geom.V(1, 1, 1), Turn: geom.RotationXYZ(geom.Vec3{}), Taper: 1}}
		s.dragged(o.Over, 1.2, e)
		if s.V.Data[s.V.Index(11, 10, 11)] != had {
			t.Error("a mask elsewhere lets it be pushed")
		}
	}
}
