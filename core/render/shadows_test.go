package render

import (
	"math"
	"testing"

	"zarf/core/geom"
	"zarf/core/grid"
	"zarf/core/look"
)

// What a volume keeps off others is what lies on the way to the light, beside it, behind it
// and within.
func TestShadowsAreWhatLiesOnTheWay(t *testing.T) {
	crew := grid.NewCrew(2)
	const sigma = 1.5
	v, _ := NewVolume(billows(48, 5), 1.0/48, geom.V(-0.5, 0, -0.5), crew)
	s := newShadows(sigma, crew)
	r := dice{8}
	for _, dir := range [][3]float64{geom.V(0.3, 0.9, 0.2).Unit().Array(), geom.V(-0.9, 0.2, 0.3).Unit().Array(), geom.V(0.1, -0.3, 1).Unit().Array()} {
		for _, wide := range []float64{0, 4.0 / 48} {
			h := s.of(v, wide, dir)[0]
			if s.of(v, wide, dir)[0] != h {
				t.Error("a shadow is made twice")
			}
			d := geom.V(dir[0], dir[1], dir[2])
			off, mean, dark := 0.0, 0.0, 0
			const places = 2000
			for range places {
				p := geom.V(1.4*r.next()-0.7, 1.4*r.next()-0.2, 1.4*r.next()-0.7)
				want := math.Exp(-sigma * v.thick(p, d, math.Inf(1), 0.5))
				off += math.Abs(float64(h.at(p))-want) / places
				mean += (float64(h.at(p)) - want) / places
				if want < 0.7 {
					dark++
				}
			}
			// sweeps spread depth a little sideways, by which lumps keep off more than they do
			if off > 0.05 || mean < -0.035 || mean > 0.005 || dark < 200 {
				t.Errorf("along %v on cells of %g m: %.4f off each, %.4f in the mean, %d in shadow", dir, wide, off, mean, dark)
			}
		}
	}
}

// Fires that are one from afar are all there, once, and shine there as they do by themselves.
func TestBlazesAreTheirFires(t *testing.T) {
	r := dice{6}
	var list []fire
	var all look.RGB
	for range 60 {
		w := r.next() + 0.1
		f := fire{at: geom.V(r.next(), r.next(), r.next()), size: 0.03, weight: w, power: look.RGB{w, 0.5 * w, 0.1 * w}}
		list, all = append(list, f), all.Add(f.power)
	}
	blazes := gatherBlazes(list)
	count := 0
	var sum look.RGB
	for _, b := range blazes {
		sum = sum.Add(b.whole.power)
		count += len(b.parts)
		for _, dir := range []geom.Vec3{{X: 1}, {Y: -1}, {X: 0.6, Z: 0.8}} {
			p := b.whole.at.Add(dir.Mul(1.01 * afar * b.whole.size))
			one, many := 0.0, 0.0
			shine := func(f *fire) float64 {
				d := f.at.Sub(p)
				return f.power[0] / d.Dot(d)
			}
			one = shine(&b.whole)
			for i := range b.parts {
				many += shine(&b.parts[i])
			}
			if math.Abs(one/many-1) > 0.15 {
				t.Errorf("a blaze of %d shines %.3f of what its fires do", len(b.parts), one/many)
			}
		}
	}
	if count != len(list) || len(blazes) > mostBlazes || math.Abs(sum[0]-all[0]) > 1e-9 {
		t.Errorf("%d blazes of %d fires, of power %g where %d have %g", len(blazes), count, sum[0], len(list), all[0])
	}
}
