package gas

import (
	"math"
	"math/rand/v2"
	"testing"

	"zarf/core/geom"
	"zarf/core/grid"
	"zarf/core/sim"
)

func TestGuideWishes(t *testing.T) {
	g := &sim.Guide{Line: geom.NewLine([]geom.Vec3{geom.V(0, 0, 0), geom.V(0, 1, 0), geom.V(0, 2, 0)}, false, 8), Pace: 2, Draw: 0.5, Swirl: 1, Reach: 0.4, Along: [4][]float64{{1, 0}}}
	// a quarter up, half the reach out along x: pace has fallen by the smooth
	// step, draw is half, swirl is full and turns right-handed about the curve
	s := 0.25
	v, w := g.Wish(geom.V(0.2, 0.5, 0), nil)
	want := geom.V(-0.25, 2*(1-s*s*(3-2*s)), -1)
	if v.Dist(want) > 1e-6 || math.Abs(w-0.5625) > 1e-9 {
		t.Errorf("wish %v with weight %g, want %v", v, w, want)
	}
	if _, w := g.Wish(geom.V(0.41, 1, 0), nil); w != 0 {
		t.Errorf("it acts beyond its reach: %g", w)
	}
}

func TestGuideFindsItsPiecesByBlocks(t *testing.T) {
	s, err := New(Box{Dims: grid.Dims{NX: 30, NY: 26, NZ: 22}, H: 0.1}, grid.NewCrew(2))
	if err != nil {
		t.Fatal(err)
	}
	rng := rand.New(rand.NewPCG(3, 8))
	var p []geom.Vec3
	for range 9 {
		p = append(p, geom.V(rng.Float64()*3, rng.Float64()*2.6, rng.Float64()*2.2))
	}
	g := sim.Guide{Line: geom.NewLine(p, true, 10), Pace: 1, Draw: 1, Swirl: 1, Reach: 0.6, Grip: 2}
	s.guide(0.05, &g, 0)
	acted := 0
	for axis, f := range s.velocity() {
		for k := range f.NZ {
			for j := range f.NY {
				for i := range f.NX {
					// the mean of the cells on both sides, searched over the whole curve
					p := s.facePoint(i, j, k, axis)
					half := [3]geom.Vec3{geom.V(0.05, 0, 0), geom.V(0, 0.05, 0), geom.V(0, 0, 0.05)}[axis]
					var sum geom.Vec3
					var w float64
					for _, side := range []float64{-1, 1} {
						q := p.Add(half.Mul(side))
						if b := s.Bounds(); !b.Contains(geom.Box{Min: q, Max: q}) {
							q = p.Sub(half.Mul(side))
						}
						x, y := g.Wish(q, nil)
						sum, w = sum.Add(x.Mul(0.5)), w+y/2
					}
					want := float32(1-math.Exp(-2*w*0.05)) * float32(sum.Array()[axis])
					if got := f.At(i, j, k); math.Abs(float64(got-want)) > 1e-6 {
						t.Fatalf("face %d %d %d %d: %g, want %g", axis, i, j, k, got, want)
					}
					if want != 0 {
						acted++
					}
				}
			}
		}
	}
	if acted < 1000 {
		t.Errorf("only %d faces lie within reach", acted)
	}
}

func TestGuideLeadsSmokeRoundACorner(t *testing.T) {
	box := Box{Dims: grid.Dims{NX: 32, NY: 32, NZ: 16}, H: 0.1}
	for i := range box.Open {
		box.Open[i] = true
	}
	s, _ := New(box, grid.NewCrew(2))
	line := geom.NewLine([]geom.Vec3{geom.V(0.4, 0.4, 0.8), geom.V(2.6, 0.4, 0.8), geom.V(2.6, 2.8, 0.8)}, false, 12)
	in := Inputs{Physics: Physics{Gravity: 9.81, AirTemperature: 293, AirDensity: 1.2, Scheme: MacCormack, Tolerance: 1e-3, MaxIterations: 100}, Emitters: []Emitter{{Emitter: sim.Emitter{Shape: geom.Shape{Form: geom.Sphere, Centre: geom.V(0.4, 0.4, 0.8), Size: geom.V(0.4, 0.4, 0.4), Turn: geom.RotationXYZ(geom.Vec3{}), Taper: 1}}, Smoke: 1}}, Scene: sim.Scene{Guides: []sim.Guide{{Line: line, Pace: 2, Draw: 0.8, Reach: 0.6, Grip: 6}}}}
	for range 60 {
		if _, err := s.Frame(1.0/24, sim.Substeps{CFL: 2, Min: 1, Max: 8}, func(t, dt float64) Inputs { return in }, nil); err != nil {
			t.Fatal(err)
		}
	}
	// smoke that got past the corner, near the curve and away from it
	var near, away float64
	for k := range s.NZ {
		for j := 14; j < s.NY; j++ {
			for i := range s.NX {
				d := geom.V(float64(i)*0.1+0.05-2.6, 0, float64(k)*0.1+0.05-0.8).Len()
				if v := float64(s.Smoke.At(i, j, k)); d < 0.7 {
					near += v
				} else {
					away += v
				}
			}
		}
	}
	if near < 20 || away > near*0.5 {
		t.Errorf("%g of the smoke went round the corner, %g elsewhere", near, away)
	}
}

func TestPullGathersAllOfTheSmoke(t *testing.T) {
	box := Box{Dims: grid.Dims{NX: 28, NY: 28, NZ: 28}, H: 0.1}
	s, _ := New(box, grid.NewCrew(2))
	for k := range 28 {
		for j := range 28 {
			for i := range 28 {
				s.Smoke.Set(i, j, k, 0.2)
			}
		}
	}
	form := geom.Shape{Form: geom.Torus, Centre: geom.V(1.4, 1.4, 1.4), Size: geom.V(1.6, 0.5, 1.6), Turn: geom.RotationXYZ(geom.Vec3{}), Taper: 1}
	in := Inputs{Physics: Physics{AirTemperature: 293, AirDensity: 1.2, Scheme: MacCormack, Tolerance: 1e-3, MaxIterations: 100}, Scene: sim.Scene{Pulls: []sim.Pull{{Shape: form, Gather: 0.8, Reach: 2.5, Keep: 3}}}}
	total := func() (all, inside float64) {
		for k := range 28 {
			for j := range 28 {
				for i := range 28 {
					v := float64(s.Smoke.At(i, j, k))
					all += v
					if form.Distance(geom.V(float64(i)*0.1+0.05, float64(j)*0.1+0.05, float64(k)*0.1+0.05)) < 0.05 {
						inside += v
					}
				}
			}
		}
		return
	}
	before, was := total()
	for range 72 {
		if _, err := s.Frame(1.0/24, sim.Substeps{CFL: 2, Min: 1, Max: 8}, func(t, dt float64) Inputs { return in }, nil); err != nil {
			t.Fatal(err)
		}
	}
	after, is := total()
	if math.Abs(after/before-1) > 1e-4 {
		t.Errorf("smoke went from %g to %g", before, after)
	}
	if was/before > 0.1 || is/after < 0.8 {
		t.Errorf("%.0f %% of the smoke was in the form, now %.0f %%", 100*was/before, 100*is/after)
	}
	lo, hi, _ := s.Smoke.Range()
	if lo < 0 || hi > 20 {
		t.Errorf("densities from %g to %g", lo, hi)
	}
}
