package liquid

import (
	"math"
	"testing"

	"zarf/core/geom"
	"zarf/core/sim"
)

// ball is a ball of liquid in the middle of a box without weight, of so many voxels' radius.
func ball(t *testing.T, r float64) (*Solver, Inputs) {
	t.Helper()
	const h = 0.05
	s := box(t, 32, 32, 32, h, 2)
	e := sim.Emitter{Shape: geom.Shape{Form: geom.Sphere, Centre: geom.V(16, 16, 16).Mul(h), Size: geom.V(2*r, 2*r, 2*r).Mul(h), Turn: geom.RotationXYZ(geom.Vec3{}), Taper: 1}}
	in := Inputs{Physics: Physics{Density: 1000, Air: 1.2, Affine: true, Tolerance: 1e-4, MaxIterations: 200}, Emitters: []Emitter{{Emitter: e, Once: true, ID: "ball"}}}
	return s, in
}

// momentum of all particles, kg m/s, and what is wet, m³.
func momentum(s *Solver, density float64) (p geom.Vec3, volume float64) {
	each := s.H * s.H * s.H / PerCell
	for n := range s.P {
		v := s.P[n].V
		p = p.Add(geom.V(float64(v[0]), float64(v[1]), float64(v[2])).Mul(each * density))
	}
	return p, float64(len(s.P)) * each
}

// Wind presses on a ball of water with ½ ρ c U² of the area of its outline, whichever way it
// blows, to a sixth along an axis and a quarter aslant; and on what lies flat along it with
// friction alone.
func TestWindPressesOnWhatItMeets(t *testing.T) {
	for wind, within := range map[geom.Vec3]float64{geom.V(20, 0, 0): 0.17, geom.V(0, 0, -20): 0.17, geom.V(12, 10, 12.49): 0.27} {
		s, in := ball(t, 6)
		run(t, s, 1, in, nil) // it is let in
		before, volume := momentum(s, 1000)
		in.Winds = []sim.Wind{{Velocity: wind, Grip: 1}}
		const frames = 4
		run(t, s, frames, in, nil)
		after, _ := momentum(s, 1000)
		r := math.Cbrt(volume * 3 / 4 / math.Pi)
		u := wind.Len()
		want := 0.5 * 1.2 * windDrag * u * u * math.Pi * r * r * frames / 24
		got := after.Sub(before)
		if along := got.Dot(wind.Unit()); math.Abs(along/want-1) > within || got.Sub(wind.Unit().Mul(along)).Len() > 0.08*want {
			t.Errorf("wind of %v gives a ball of %.2f m %v kg m/s; %.4f along it by its outline", wind, r, got, want)
		}
	}
	s := box(t, 24, 16, 24, 0.05, 2)
	in := Inputs{Physics: Physics{Gravity: 9.81, Density: 1000, Air: 1.2, Affine: true, Tolerance: 1e-4, MaxIterations: 200}, Emitters: []Emitter{body(geom.V(-1, -1, -1), geom.V(9, 0.4, 9))}}
	run(t, s, 6, in, nil)
	in.Winds = []sim.Wind{{Velocity: geom.V(20, 0, 0), Grip: 1}}
	run(t, s, 2, in, nil)
	top := 0.0
	for a := range s.gust {
		for n, v := range s.gust[a].Data {
			if y := n / s.NX % s.NY; v != 0 && (y < 6 || y > 9) {
				t.Fatalf("wind acts at height %d in a pool of 8 voxels", y)
			}
			top = max(top, math.Abs(float64(v)))
		}
	}
	if top == 0 || top > 0.01 {
		t.Errorf("over a flat pool wind of 20 m/s gives %g m/s in a substep", top)
	}
}

// Where there is no wind the surface isn't looked at; a region limits wind as it does on gas.
func TestWindActsWithinItsRegion(t *testing.T) {
	s, in := ball(t, 6)
	run(t, s, 1, in, nil)
	if s.gust[0] != nil {
		t.Error("room for wind was made without any")
	}
	far := sim.Region{Limited: true, Fade: 0.01, Shape: geom.Shape{Form: geom.Block, Centre: geom.V(9, 9, 9), Size: geom.V(1, 1, 1), Turn: geom.RotationXYZ(geom.Vec3{})}}
	in.Winds = []sim.Wind{{Velocity: geom.V(30, 0, 0), Region: far}}
	run(t, s, 2, in, nil)
	if p, _ := momentum(s, 1000); p.Len() > 1e-3 {
		t.Errorf("wind elsewhere gives %v kg m/s", p)
	}
}

// Turbulence stirs without pushing, drag slows as its rate says, and a form draws liquid to
// itself.
func TestForcesActOnLiquids(t *testing.T) {
	s, in := ball(t, 8)
	run(t, s, 1, in, nil)
	in.Turbulences = []sim.Turbulence{{Strength: 6, Size: 0.3, Octaves: 2, Seed: 3}}
	run(t, s, 4, in, nil)
	p, volume := momentum(s, 1000)
	rms := 0.0
	for n := range s.P {
		v := s.P[n].V
		rms += float64(v[0]*v[0] + v[1]*v[1] + v[2]*v[2])
	}
	rms = math.Sqrt(rms / float64(len(s.P)))
	if rms < 0.05 || p.Len()/(1000*volume) > 0.7*rms {
		t.Errorf("turbulence gives %.3f m/s, the whole moves at %v", rms, p.Mul(1/(1000*volume)))
	}

	s, in = ball(t, 8)
	run(t, s, 1, in, nil)
	for n := range s.P {
		s.P[n].V = [3]float32{1, 0, 0}
		s.C[n] = [3][3]float32{}
	}
	in.Drags = []sim.Drag{{Rate: 3}}
	run(t, s, 6, in, nil)
	p, volume = momentum(s, 1000)
	if got, want := p.X/(1000*volume), math.Exp(-3*6.0/24); math.Abs(got/want-1) > 0.02 {
		t.Errorf("drag of 3/s leaves %.3f of a speed after a quarter of a second, e^−0.75 is %.3f", got, want)
	}

	s, in = ball(t, 5)
	run(t, s, 1, in, nil)
	mark := geom.Shape{Form: geom.Sphere, Centre: geom.V(1.3, 0.8, 0.8), Size: geom.V(0.1, 0.1, 0.1), Turn: geom.RotationXYZ(geom.Vec3{}), Taper: 1}
	in.Pulls = []sim.Pull{{Shape: mark, Reach: 1, Gather: 0.5, Keep: 2}}
	run(t, s, 8, in, nil)
	if p, volume = momentum(s, 1000); p.X/(1000*volume) < 0.25 {
		t.Errorf("a form 0.5 m off that gathers at 0.5 m/s has given %.3f m/s after a third of a second", p.X/(1000*volume))
	}
}
