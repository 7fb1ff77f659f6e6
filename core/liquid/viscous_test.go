package liquid

import (
	"math"
	"testing"

	"zarf/core/geom"
	"zarf/core/grid"
	"zarf/core/sim"
)

// Liquid between two walls under a steady push: u = g(H²/4 − x²)/(2ν), in the
// middle of a long channel: its open ends bear no shear, which bends the flow
// near them.
func TestChannelFlow(t *testing.T) {
	for _, wall := range []bool{false, true} { // the box's own sides; solids between grid lines
		for _, mu := range []float64{1, 30, 1000} {
			s, err := New(Box{Dims: grid.Dims{NX: 16, NY: 48, NZ: 2}, H: 0.0625, Open: [6]bool{false, false, true, true, true, true}}, grid.NewCrew(2))
			if err != nil {
				t.Fatal(err)
			}
			wide, mid := 1.0, 0.5
			var list []sim.Collider
			if wall {
				wide = 0.8
				for _, x := range []float64{-0.9, 1.9} {
					sh := geom.Shape{Form: geom.Block, Centre: geom.V(x, 0, 0), Size: geom.V(2, 20, 9), Turn: geom.RotationXYZ(geom.Vec3{})}
					list = append(list, sim.Collider{Shape: sh, Before: sh})
				}
			}
			s.setSolids(list, 1)
			for i := range s.phi.Data {
				s.phi.Data[i] = -1
			}
			nu := mu / 1000
			dt := 0.07 * wide * wide / nu
			g := 8 * nu / (wide * wide) // so that the middle runs at 1 m/s
			for range 40 {
				for n := range s.u[1].Data {
					s.u[1].Data[n] += float32(g * dt)
				}
				s.thicken(float32(nu*dt/(s.H*s.H)), 1e-5, 3000)
			}
			worst := 0.0
			for i := range s.NX {
				x := (float64(i)+0.5)*s.H - mid
				if math.Abs(x) > wide/2 {
					continue
				}
				want := 1 - 4*x*x/(wide*wide)
				worst = max(worst, math.Abs(float64(s.u[1].At(i, 24, 1))-want))
			}
			t.Logf("%g Pa·s, solids %v: off by %.2f %% of the middle's speed", mu, wall, 100*worst)
			if worst > 0.03 {
				t.Errorf("%g Pa·s, solids %v: off by %.2f %%", mu, wall, 100*worst)
			}
		}
	}
}

// A drop without weight: surface tension makes a cube round, and holds it.
func TestTensionRoundsADrop(t *testing.T) {
	p := water
	p.Gravity, p.Tension, p.Viscosity, p.Affine = 0, 0.5, 0.5, true
	s := box(t, 20, 20, 20, 0.001, 2)
	in := Inputs{Physics: p, Emitters: []Emitter{body(geom.V(0.005, 0.005, 0.005), geom.V(0.015, 0.015, 0.015))}}
	// moments along the diagonal and an axis tell a cube from a ball
	out := func() float64 {
		far, near := 0.0, math.Inf(1)
		phi := s.Surface()
		for _, d := range []geom.Vec3{geom.V(1, 0, 0), geom.V(1, 1, 0).Unit(), geom.V(1, 1, 1).Unit(), geom.V(0, -1, 0)} {
			r := 0.0
			for ; r < 10; r += 0.05 {
				if q := geom.V(10, 10, 10).Add(d.Mul(r)); phi.Sample(float32(q.X-0.5), float32(q.Y-0.5), float32(q.Z-0.5)) > 0 {
					break
				}
			}
			far, near = max(far, r), min(near, r)
		}
		return far / near
	}
	var first float64
	run(t, s, 1, in, nil)
	first = out()
	run(t, s, 3, in, nil)
	now := out()
	t.Logf("longest over shortest radius: %.2f after a frame, %.2f after four", first, now)
	if now > 1.12 {
		t.Errorf("the drop isn't round: longest over shortest radius %.2f", now)
	}
}

// Honey hangs together and creeps; water of the same form is long down.
func TestViscosityHolds(t *testing.T) {
	height := func(mu float64) float64 {
		p := water
		p.Viscosity = mu
		s := box(t, 24, 20, 24, 0.025, 2)
		in := Inputs{Physics: p, Emitters: []Emitter{body(geom.V(0.2, 0, 0.2), geom.V(0.4, 0.3, 0.4))}}
		var st FrameStats
		run(t, s, 10, in, func(_ int, x FrameStats) { st = x })
		if st.MaxSpeed != st.MaxSpeed || st.MaxSpeed > 10 {
			t.Errorf("%g Pa·s: %g m/s", mu, st.MaxSpeed)
		}
		mean := 0.0
		for _, q := range s.P {
			mean += float64(q.X[1]) * s.H / float64(len(s.P))
		}
		return mean
	}
	thin, honey, stiff := height(0), height(1000), height(1e4)
	t.Logf("mean height after 10 frames, 0.15 m at first: water %.3f m, 1000 Pa·s %.3f, 10⁴ Pa·s %.3f", thin, honey, stiff)
	if !(honey > thin*1.2 && stiff > 0.14 && stiff <= 0.15) {
		t.Errorf("mean heights %.3f, %.3f, %.3f m", thin, honey, stiff)
	}
}

// A piston closes on liquid in a box that has no way out: nothing blows up,
// nothing is lost.
func TestColliderThatCloses(t *testing.T) {
	s := box(t, 16, 16, 16, 0.05, 2)
	shape := func(t float64) geom.Shape {
		return geom.Shape{Form: geom.Block, Centre: geom.V(0.4, 1.2-0.35*t, 0.4), Size: geom.V(2, 1, 2), Turn: geom.RotationXYZ(geom.Vec3{})}
	}
	var last FrameStats
	var first float64
	for f := range 40 {
		st, err := s.Frame(1.0/24, sim.Substeps{CFL: 2, Min: 1, Max: 20}, func(t, dt float64) Inputs {
			return Inputs{Physics: water, Emitters: []Emitter{body(geom.V(0, 0, 0), geom.V(0.8, 0.4, 0.8))}, Scene: sim.Scene{Colliders: []sim.Collider{{Shape: shape(t), Before: shape(t - dt)}}}}
		}, nil)
		if err != nil {
			t.Fatal(err)
		}
		if f == 0 {
			first = st.Volume
		}
		last = st
	}
	if last.Volume != first || last.MaxSpeed > 20 {
		t.Errorf("volume %g m³ of %g, fastest %g m/s", last.Volume, first, last.MaxSpeed)
	}
}

func TestBadPhysics(t *testing.T) {
	s := box(t, 4, 4, 4, 0.1, 1)
	for _, change := range []func(p *Physics){func(p *Physics) { p.Density = 0 }, func(p *Physics) { p.Viscosity = -1 }, func(p *Physics) { p.Gravity = math.NaN() }, func(p *Physics) { p.Tension = math.Inf(1) }} {
		p := water
		change(&p)
		if _, err := s.Frame(0.1, sim.Substeps{CFL: 2, Min: 1, Max: 4}, func(t, dt float64) Inputs { return Inputs{Physics: p} }, nil); err == nil {
			t.Errorf("%+v was taken", p)
		}
	}
	if _, err := New(Box{Dims: grid.Dims{NX: 4, NY: 4, NZ: 4}}, grid.NewCrew(1)); err == nil {
		t.Error("voxels of 0 m were taken")
	}
	// without gravity, and empty, nothing happens
	p := water
	p.Gravity = 0
	run(t, s, 2, Inputs{Physics: p}, nil)
}

func BenchmarkStep(b *testing.B) {
	s, _ := New(Box{Dims: grid.Dims{NX: 64, NY: 64, NZ: 64}, H: 1.0 / 64}, grid.NewCrew(2))
	in := Inputs{Physics: water, Emitters: []Emitter{body(geom.V(0, 0, 0), geom.V(0.5, 1, 1))}}
	in.Physics.Tolerance = 1e-3
	var st FrameStats
	s.step(1e-3, in, &st)
	for b.Loop() {
		s.step(1.0/240, in, &st)
	}
	b.ReportMetric(float64(len(s.P)), "particles")
}

// A thick liquid sticks to a plate that lies between grid lines: no particle
// runs off along it, as water does.
func TestHoneySticksBetweenGridLines(t *testing.T) {
	reach := func(mu float64) float64 {
		s := box(t, 28, 12, 28, 0.0036, 2)
		p := water
		p.Density, p.Viscosity = 1400, mu
		plate := geom.Shape{Form: geom.Block, Centre: geom.V(0.05, 0.0028, 0.05), Size: geom.V(1, 0.02, 1), Turn: geom.RotationXYZ(geom.Vec3{})} // its top at 3.56 voxels
		in := Inputs{Physics: p, Emitters: []Emitter{body(geom.V(0.04, 0.0128, 0.04), geom.V(0.06, 0.035, 0.06))}, Scene: sim.Scene{Colliders: []sim.Collider{{Shape: plate, Before: plate, Friction: 1}}}}
		run(t, s, 6, in, nil)
		far := 0.0
		for _, q := range s.P {
			far = max(far, math.Hypot(float64(q.X[0])-14, float64(q.X[2])-14))
		}
		return far
	}
	honey, stuff := reach(12), reach(0)
	t.Logf("honey reaches %.1f voxels, water %.1f", honey, stuff)
	if honey > 8 || stuff < honey+2 {
		t.Errorf("honey reaches %.1f voxels, water %.1f", honey, stuff)
	}
}
