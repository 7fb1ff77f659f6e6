package gas

import (
	"math"
	"testing"

	"zarf/core/geom"
	"zarf/core/grid"
	"zarf/core/pressure"
	"zarf/core/sim"
)

// A flow goes on in voxels of another size: smoke, warmth and momentum are what they
// were, finer and coarser, in a box and where bounds follow; and the next step's
// speeds are those of the old one.
func TestRefitKeepsTheFlow(t *testing.T) {
	rise := func(s *Solver) (sum float64) {
		for _, v := range s.V.Data {
			sum += float64(v)
		}
		return sum
	}
	for _, follow := range []*Follow{nil, {Threshold: 1e-3, Margin: 0.1}} {
		make := func(n int) *Solver {
			b := Box{Dims: grid.Dims{NX: n, NY: 3 * n / 2, NZ: n}, H: 1.2 / float64(n), Origin: geom.V(-0.6, 0, -0.6), Open: pressure.Sides{true, true, false, true, true, true}}
			if follow != nil {
				f := *follow
				b.Follow = &f
			}
			s, err := New(b, grid.NewCrew(2))
			if err != nil {
				t.Fatal(err)
			}
			return s
		}
		scene := func(float64, float64) Inputs {
			ball := ball(geom.V(0, 0.4, 0), 0.25)
			return Inputs{Physics: calm, Emitters: []Emitter{{Emitter: sim.Emitter{Shape: ball, Before: ball}, Smoke: 1, Temperature: 200}}}
		}
		one := func(s *Solver) FrameStats {
			st, err := s.Frame(1.0/24, sim.Substeps{CFL: 3, Min: 1, Max: 8}, scene, nil)
			if err != nil {
				t.Fatal(err)
			}
			return st
		}
		s := make(40)
		for range 8 {
			one(s)
		}
		v := s.H * s.H * s.H
		smoke, heat, up := s.totalOf(0)*v, s.totalOf(1)*v, rise(s)*v
		old := one(s)
		s = make(40)
		for range 8 {
			one(s)
		}
		for _, n := range []int{56, 30, 17} {
			d := make(n)
			if err := d.refit(s); err != nil {
				t.Fatal(err)
			}
			if err := d.survey(); err != nil {
				t.Fatal(err)
			}
			v := d.H * d.H * d.H
			for _, q := range []struct {
				name      string
				got, want float64
			}{{"smoke", d.totalOf(0) * v, smoke}, {"heat", d.totalOf(1) * v, heat}, {"rise", rise(d) * v, up}} {
				if math.Abs(q.got/q.want-1) > 0.03 {
					t.Errorf("%d voxels, follow %v: %s %g, was %g", n, follow != nil, q.name, q.got, q.want)
				}
			}
			if st := one(d); math.Abs(st.MaxSpeed/old.MaxSpeed-1) > 0.15 {
				t.Errorf("%d voxels, follow %v: %g m/s in the next frame, the old flow %g", n, follow != nil, st.MaxSpeed, old.MaxSpeed)
			}
		}
	}
}
