package liquid

import (
	"math"
	"testing"

	"zarf/core/geom"
	"zarf/core/grid"
	"zarf/core/sim"
)

// parted is a tank of 1.2 m by 0.6 m that a plate parts, with water of two depths.
func parted(t testing.TB, thick, off float64) (*Solver, Inputs) {
	const h = 0.05
	s := box(t, 24, 20, 12, h, 2)
	at := 0.6 + off*h
	wall := geom.Shape{Form: geom.Block, Centre: geom.V(at, 0.5, 0.3), Size: geom.V(thick*h, 2, 2), Turn: geom.RotationXYZ(geom.Vec3{}), Taper: 1}
	left, right := body(geom.V(0, 0, 0), geom.V(at-thick*h/2, 0.6, 0.6)), body(geom.V(at+thick*h/2, 0, 0), geom.V(1.2, 0.3, 0.6))
	left.ID, right.ID = "left", "right"
	return s, Inputs{Physics: Physics{Gravity: 9.81, Density: 1000, Tolerance: 1e-5, MaxIterations: 200, Affine: true}, Scene: sim.Scene{Colliders: []sim.Collider{{Shape: wall, Before: wall}}}, Emitters: []Emitter{left, right}}
}

// depthIn is the mean depth of the water in columns of cells.
func (s *Solver) depthIn(i0, i1 int) float64 {
	sum, n := 0.0, 0.0
	for i := i0; i < i1; i++ {
		for k := range s.NZ {
			for j := s.NY - 2; j >= 0; j-- {
				if p, q := float64(s.phi.At(i, j, k)), float64(s.phi.At(i, j+1, k)); p < 0 {
					sum, n = sum+(float64(j)+0.5+p/(p-q))*s.H, n+1
					break
				}
			}
		}
	}
	return sum / n
}

// A plate thinner than a voxel bears the water on both sides of it, each at its own depth:
// ½ ρ g (h₁² − h₂²) a metre, within 1 %; and still water stays still, wherever the plate
// lies in its voxel.
func TestThinPlatesBearWater(t *testing.T) {
	for _, thick := range []float64{0.15, 0.5, 2.5} {
		for _, off := range []float64{0, 0.3, 0.5} {
			s, in := parted(t, thick, off)
			run(t, s, 1, in, nil)
			before := len(s.P)
			s.Pressure = grid.NewField(s.Dims)
			run(t, s, 72, in, nil)
			force := 0.0
			for k := range s.NZ {
				for j := range s.NY {
					for i := 1; i < s.NX; i++ {
						if s.solid.open[0].At(i, j, k) < closed {
							force += float64(s.Pressure.At(i-1, j, k)-s.Pressure.At(i, j, k)) * s.H * s.H
						}
					}
				}
			}
			s.look()
			h1, h2 := s.depthIn(0, 9), s.depthIn(16, 24)
			want := 0.5 * 1000 * 9.81 * (h1*h1 - h2*h2) * 0.6
			t.Logf("%g voxels at %g: %.2f N, want %.2f; %.4f and %.4f m deep, fastest %.3f m/s", thick, off, force, want, h1, h2, s.fast)
			if math.Abs(force/want-1) > 0.01 {
				t.Errorf("a plate of %g voxels at %g of one bears %.1f N, want %.1f", thick, off, force, want)
			}
			if s.fast > 0.1 || math.Abs(h1/0.6-1) > 0.04 || math.Abs(h2/0.3-1) > 0.04 || len(s.P) != before {
				t.Errorf("a plate of %g voxels at %g of one: %.4f and %.4f m deep, %.3f m/s, %d of %d particles", thick, off, h1, h2, s.fast, len(s.P), before)
			}
		}
	}
}

// A thin plate that sweeps through water by five voxels a substep takes along all of it.
func TestFastPlatesLeaveNothingBehind(t *testing.T) {
	s, in := parted(t, 0.3, 0.2)
	in.Emitters = in.Emitters[1:]
	run(t, s, 4, in, nil)
	before := len(s.P)
	wall := in.Colliders[0].Shape
	for range 6 {
		now := wall
		now.Centre.X += 5 * s.H
		if now.Centre.X > 1.19-5*s.H {
			break
		}
		in.Colliders = []sim.Collider{{Shape: now, Before: wall}}
		var st FrameStats
		if err := s.step(1.0/60, in, &st); err != nil {
			t.Fatal(err)
		}
		wall = now
		for n := range s.P {
			if x := float64(s.P[n].X[0]) * s.H; x < wall.Centre.X {
				t.Fatalf("a particle at %.4f m is behind the plate at %.4f", x, wall.Centre.X)
			}
		}
	}
	if len(s.P) != before {
		t.Errorf("%d of %d particles", len(s.P), before)
	}
}

// What is worked out anew about solids that move is what working out all of it gives.
func TestMovingSolidsAreKeptUp(t *testing.T) {
	moved := func(whole bool) string {
		s, in := parted(t, 0.3, 0.2)
		ball := geom.Shape{Form: geom.Sphere, Size: geom.V(0.2, 0.2, 0.2), Turn: geom.RotationXYZ(geom.Vec3{}), Taper: 1}
		wall := in.Colliders[0]
		at := geom.V(0.2, 0.5, 0.3)
		for n := range 12 {
			was, now := ball, ball
			was.Centre = at
			if at = at.Add(geom.V(0.01, -0.03, 0.004)); n > 8 { // and comes to rest
				at = was.Centre
			}
			now.Centre = at
			in.Colliders = []sim.Collider{wall, {Shape: now, Before: was, Friction: 0.3}}
			if whole {
				s.solid.ready = false
			}
			var st FrameStats
			if err := s.step(1.0/60, in, &st); err != nil {
				t.Fatal(err)
			}
		}
		return digest(s)
	}
	if moved(false) != moved(true) {
		t.Error("a solid that moves gives other bits than looking at all cells anew")
	}
}
