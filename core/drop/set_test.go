package drop

import (
	"math"
	"testing"

	"zarf/core/geom"
	"zarf/core/grid"
)

// block fills a box with drops on a lattice, a little shaken.
func block(s *Set, lo, hi geom.Vec3) {
	d := s.Spacing
	n := 0
	for z := lo.Z + d/2; z < hi.Z; z += d {
		for y := lo.Y + d/2; y < hi.Y; y += d {
			for x := lo.X + d/2; x < hi.X; x += d {
				n++
				a := float64(n)
				s.Add(geom.V(x, y, z).Add(geom.V(math.Sin(7*a), math.Sin(11*a), math.Sin(13*a)).Mul(0.05*d)), geom.Vec3{})
			}
		}
	}
}

// basin is a box open at the top, of planes.
func basin(wide float64) func(list []Contact, _ []int32, i int, p, q geom.Vec3) []Contact {
	return func(list []Contact, _ []int32, i int, p, q geom.Vec3) []Contact {
		for who, c := range []Contact{
			{N: geom.V(0, 1, 0)},
			{N: geom.V(1, 0, 0), C: geom.V(-wide/2, 0, 0)}, {N: geom.V(-1, 0, 0), C: geom.V(wide/2, 0, 0)},
			{N: geom.V(0, 0, 1), C: geom.V(0, 0, -wide/2)}, {N: geom.V(0, 0, -1), C: geom.V(0, 0, wide/2)},
		} {
			if q.Sub(c.C).Dot(c.N) < 0.06 {
				c.Who = int32(who)
				list = append(list, c)
			}
		}
		return list
	}
}

// The kernel's sum over a lattice at rest is 1, beyond a plane it is what drops there would make, and
// its slope is that of the share.
func TestKernel(t *testing.T) {
	k := newKernel(0.1)
	half, _ := k.past(0)
	if math.Abs(half-0.5) > 1e-9 {
		t.Errorf("half of it lies beyond its middle, not %g", half)
	}
	for _, d := range []float64{-0.15, 0.03, 0.1, 0.19} {
		a, _ := k.past(d - 1e-4)
		b, _ := k.past(d + 1e-4)
		_, slope := k.past(d)
		if got := (b - a) / 2e-4; math.Abs(got-slope) > 0.02*math.Abs(slope)+1e-3 {
			t.Errorf("at %g m the slope is %g, not %g", d, slope, got)
		}
	}
}

// Water at rest in a basin: its density is right to a percent, and the floor bears its weight.
func TestHydrostatic(t *testing.T) {
	s := New(0.02, 1000)
	block(s, geom.V(-0.12, 0, -0.12), geom.V(0.12, 0.3, 0.12))
	w := &World{Gravity: geom.V(0, -9.81, 0), Find: basin(0.24), Rounds: 8}
	const dt = 1.0 / 96
	var floor, dense float64
	const settle, measured = 120, 60
	for n := range settle + measured {
		did := s.Step(dt, w, grid.NewCrew(2))
		if n < settle {
			continue
		}
		dense += did.Dense / measured
		for i := range s.P {
			for _, c := range s.Touching(i) {
				if c.Who == 0 {
					floor += c.Shift.Y * s.Mass() / (dt * dt) / measured
				}
			}
		}
	}
	weight := float64(len(s.P)) * s.Mass() * 9.81
	if e := floor/weight - 1; math.Abs(e) > 0.03 {
		t.Errorf("the floor bears %.3f of the weight", floor/weight)
	}
	if dense > 0.01 {
		t.Errorf("drops are %.2f %% denser than at rest", 100*dense)
	}
	top := 0.0
	for _, p := range s.P {
		top = max(top, p.Y)
	}
	t.Logf("floor %.4f of the weight, %.3f %% denser, top at %.3f m of 0.29", floor/weight, 100*dense, top)
}

// lump is a cube of drops that floats in nothing.
func lump(spacing, wide float64) *Set {
	s := New(spacing, 1000)
	block(s, geom.V(-wide/2, -wide/2, -wide/2), geom.V(wide/2, wide/2, wide/2))
	return s
}

func momentum(s *Set) (p geom.Vec3) {
	for _, v := range s.V {
		p = p.Add(v.Mul(s.Mass()))
	}
	return p
}

// Nothing outside acts, so two lumps that meet keep their momentum; bits don't depend on threads.
func TestMomentumIsKept(t *testing.T) {
	run := func(threads int) *Set {
		s := lump(0.01, 0.06)
		for i := range s.P {
			if s.P[i].X > 0 {
				s.P[i].X, s.V[i] = s.P[i].X+0.03, geom.V(-2, 0.1, 0)
			}
		}
		was := momentum(s)
		for range 40 {
			s.Step(1.0/200, &World{Tension: 0.07, Viscous: 0.001}, grid.NewCrew(threads))
		}
		if now := momentum(s); now.Sub(was).Len() > 1e-6*was.Len() {
			t.Errorf("momentum went from %v to %v", was, now)
		}
		return s
	}
	a, b := run(1), run(2)
	for i := range a.P {
		if a.P[i] != b.P[i] || a.ID[i] != b.ID[i] {
			t.Fatalf("drop %d is elsewhere on two threads", i)
		}
	}
}

// Tension draws a cube together to a ball, as nearly as so few drops are one; without it the cube
// stays.
func TestTension(t *testing.T) {
	spread := func(tension float64) float64 {
		s := lump(0.004, 0.032)
		for range 400 {
			s.Step(1.0/500, &World{Tension: tension, Viscous: 0.05, Rounds: 4}, grid.NewCrew(2))
		}
		var mid geom.Vec3
		for _, p := range s.P {
			mid = mid.Add(p.Mul(1 / float64(len(s.P))))
		}
		far, sum := 0.0, 0.0
		for _, p := range s.P {
			far, sum = max(far, p.Dist(mid)), sum+p.Dist(mid)/float64(len(s.P))
		}
		return far / sum // of a ball 4/3, of a cube 1.8
	}
	with, without := spread(0.07), spread(0)
	if with > 1.32 || without < 1.38 {
		t.Errorf("farthest over mean distance is %.2f with tension, %.2f without", with, without)
	}
	t.Logf("farthest over mean distance: %.3f with tension, %.3f without", with, without)
}
