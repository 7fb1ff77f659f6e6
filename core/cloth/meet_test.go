package cloth

import (
	"math"
	"testing"

	"zarf/core/geom"
	"zarf/core/sim"
)

// Roots of cubics that are known, in order.
func TestCubicRoots(t *testing.T) {
	for _, want := range [][3]float64{{0.1, 0.5, 0.9}, {0.2, 0.21, 3}, {-1, 0.3, 7}, {0.4, 0.4, 0.7}, {0, 0.5, 1}} {
		// (t−a)(t−b)(t−c)
		a, b, c := want[0], want[1], want[2]
		var out [3]float64
		n := cubicRoots(1, -(a + b + c), a*b+b*c+c*a, -a*b*c, &out)
		for _, w := range want {
			found := w < 0 || w > 1
			for _, r := range out[:n] {
				found = found || math.Abs(r-w) < 1e-6
			}
			if !found {
				t.Errorf("%v: %v lacks %g", want, out[:n], w)
			}
		}
	}
}

// A sheet that is wrung over a pole never goes through itself.
func TestCrumple(t *testing.T) {
	const n, frames, steps = 17, 500, 4
	f := canvas
	f.Warp, f.Weft, f.Shear, f.BendWarp, f.BendWeft, f.Thickness = 2000, 2000, 500, 1e-5, 1e-5, 2e-3
	s := system(t, 2, Sheet{ID: "a", Mesh: Rectangle(0.5, 0.5, n, n), Warp: geom.V(1, 0, 0), Fabric: f, Flat: true})
	corners := []int{0, n - 1}
	var at []geom.Vec3
	for _, c := range corners {
		at = append(at, s.X[c])
	}
	mid := geom.V(0.25, -0.25, 0)
	w := earth
	pole := geom.Shape{Form: geom.Cylinder, Centre: geom.V(0.25, -0.45, 0), Size: geom.V(0.06, 1, 0.06), Turn: geom.RotationXYZ(geom.V(90, 0, 0))}
	w.Solids = sim.NewSolids([]sim.Collider{{Shape: pole, Before: pole}})
	zones := 0
	for k := range frames / 5 { // the whole of it is for verify
		for sub := range steps {
			u := (float64(k) + float64(sub+1)/steps) / frames
			for c, v := range corners { // turned round each other and back, near and apart
				a := 2 * math.Pi * math.Sin(math.Pi*u)
				r := at[c].X - mid.X
				r *= 0.75 + 0.25*math.Cos(6*math.Pi*u)
				s.Pin(v, mid.Add(geom.V(r*math.Cos(a), 0.25, r*math.Sin(a))))
			}
			zones += s.Step(1.0/24/steps, &w).Zones
		}
		if c := s.Crossings(); c > 0 {
			t.Fatalf("frame %d: %d edges go through faces", k, c)
		}
	}
	t.Logf("%d rigid zones, fastest %.2f m/s", zones, s.fastest())
}

// A sheet over a ball lies still on it, hangs down all round, and none of it is inside.
func TestDrape(t *testing.T) {
	f := canvas
	f.Warp, f.Weft, f.Shear = 5000, 5000, 1000
	m := Rectangle(1, 1, 31, 31)
	for i, p := range m.P {
		m.P[i] = geom.V(p.X-0.5, 0.32, p.Y+0.5)
	}
	ball := geom.Shape{Form: geom.Sphere, Size: geom.V(0.6, 0.6, 0.6), Turn: geom.RotationXYZ(geom.Vec3{})}
	s := system(t, 2, Sheet{ID: "a", Mesh: m, Warp: geom.V(1, 0, 0), Fabric: f, Flat: true})
	w := earth
	w.Calm = 1
	w.Solids = sim.NewSolids([]sim.Collider{{Shape: ball, Before: ball}})
	w.Air = func(geom.Vec3) (geom.Vec3, float64) { return geom.Vec3{}, 1.2 }
	var load float64 // that the ball carries, over the last second
	for k := range 96 * 4 {
		s.Step(1.0/96, &w)
		for i := range s.held {
			if k >= 96*3 {
				load += s.held[i].force.Y / 96
			}
		}
	}
	deep, touching := 0.0, 0
	for i, x := range s.X {
		deep = max(deep, 0.3-x.Len())
		if s.held[i].force.Len() > 0 {
			touching++
		}
	}
	weight := f.Mass * 9.81
	t.Logf("%d vertices touch, deepest %.2g m, load %.3f N of %.3f, fastest %.3f m/s, middle at %.4f", touching, deep, load, weight, s.fastest(), s.X[15*31+15].Y)
	if deep > 1e-3 || math.Abs(load/weight-1) > 0.03 || touching < 50 || s.fastest() > 0.05 {
		t.Errorf("%d vertices touch, deepest %g m, load %g N of %g, fastest %g m/s", touching, deep, load, weight, s.fastest())
	}
	low := s.X[0]
	for _, x := range s.X {
		if x.Y < low.Y {
			low = x
		}
	}
	if low.Y > -0.1 {
		t.Errorf("it doesn't hang: its lowest is at %v", low)
	}
}

// On a slope a sheet slides as a block does, or lies still; what lands aslant is slowed by Coulomb's
// law.
func TestFriction(t *testing.T) {
	f := canvas
	f.Warp, f.Weft, f.Shear, f.Drag = 5000, 5000, 1000, 0
	slope := func(mu, angle float64, v geom.Vec3, steps int) (s *System, way geom.Vec3) {
		f.Friction = mu
		m := Rectangle(0.3, 0.3, 9, 9)
		turn := geom.RotationXYZ(geom.V(0, 0, angle*180/math.Pi))
		for i, p := range m.P {
			m.P[i] = turn.Apply(geom.V(p.X-0.15, 0.5011, p.Y+0.15))
		}
		box := geom.Shape{Form: geom.Block, Size: geom.V(20, 1, 10), Turn: turn}
		s = system(t, 2, Sheet{ID: "a", Mesh: m, Warp: geom.V(1, 0, 0), Fabric: f, Flat: true})
		for i := range s.X {
			s.V[i] = v
			s.oldX[i] = s.X[i].Sub(v.Mul(1.0 / 96))
			s.oldV[i] = v
		}
		w := earth
		w.Solids = sim.NewSolids([]sim.Collider{{Shape: box, Before: box}})
		from := s.X[40]
		for range steps {
			s.Step(1.0/96, &w)
		}
		return s, s.X[40].Sub(from)
	}
	const angle = 0.4
	for _, mu := range []float64{0, 0.2} {
		_, way := slope(mu, angle, geom.Vec3{}, 96)
		want := 9.81 * (math.Sin(angle) - mu*math.Cos(angle)) / 2
		t.Logf("friction %g: %.3f m in a second, a block %.3f m", mu, way.Len(), want)
		if math.Abs(way.Len()/want-1) > 0.1 {
			t.Errorf("friction %g: %.3f m in a second, not %.3f m", mu, way.Len(), want)
		}
	}
	if _, way := slope(0.5, angle, geom.Vec3{}, 96); way.Len() > 2e-3 {
		t.Errorf("it creeps by %.2g m in a second where it should stick", way.Len())
	}
	s, _ := slope(0.4, 0, geom.V(3, -3, 0), 1)
	var mean geom.Vec3
	for _, v := range s.V {
		mean = mean.Add(v.Mul(1 / float64(len(s.V))))
	}
	if math.Abs(mean.X-(3-0.4*3.1)) > 0.1 || math.Abs(mean.Y) > 0.05 {
		t.Errorf("thrown down at 3 and 3 m/s it goes on at %v", mean)
	}
}
