package mote

import (
	"hash/fnv"
	"math"
	"math/rand"
	"testing"

	"zarf/core/geom"
	"zarf/core/grid"
	"zarf/core/sim"
)

func plate(form geom.Form, at, size geom.Vec3, turn geom.Vec3) geom.Shape {
	return geom.Shape{Form: form, Centre: at, Size: size, Turn: geom.RotationXYZ(turn), Taper: 1}
}

// sheet is a mesh of a single layer of triangles, n by n squares of a metre by a metre.
func sheet(t testing.TB, n int) *geom.Body {
	m := &geom.Mesh{}
	for j := range n + 1 {
		for i := range n + 1 {
			m.P = append(m.P, geom.V(float64(i)/float64(n)-0.5, 0, float64(j)/float64(n)-0.5))
		}
	}
	for j := range n {
		for i := range n {
			a := int32(j*(n+1) + i)
			b, c, d := a+1, a+int32(n)+1, a+int32(n)+2
			m.Tri = append(m.Tri, [3]int32{a, c, b}, [3]int32{b, c, d})
		}
	}
	b, err := geom.NewBody(m, 0.05)
	if err != nil {
		t.Fatal(err)
	}
	return b
}

// scatter puts n balls of a density into a box.
func scatter(n int, lo, hi geom.Vec3, size, density float32, seed int64) *Set {
	r := rand.New(rand.NewSource(seed))
	s := &Set{}
	s.Add(n)
	l, h := lo.Array(), hi.Array()
	for i := range n {
		for c := range 3 {
			s.P[c][i] = float32(l[c] + (h[c]-l[c])*r.Float64())
		}
		s.Size[i], s.Density[i] = size, density
	}
	return s
}

func (s *Set) at(i int) geom.Vec3 {
	return geom.V(float64(s.P[0][i]), float64(s.P[1][i]), float64(s.P[2][i]))
}

// Nothing passes through a thin plate that sweeps through a cloud, turning, at fifty metres
// a second: neither a box of a millimetre nor a mesh without any thickness. Every particle
// within the plate's edges stays on its side.
func TestNothingPassesAThinMovingPlate(t *testing.T) {
	const n, steps, dt = 20000, 40, 1.0 / 120
	wide := geom.V(4, 0.001, 4)
	for _, c := range []struct {
		name  string
		shape func(at, turn geom.Vec3) geom.Shape
	}{
		{"a box of a millimetre", func(at, turn geom.Vec3) geom.Shape { return plate(geom.Block, at, wide, turn) }},
		{"a sheet of triangles", func() func(at, turn geom.Vec3) geom.Shape {
			body := sheet(t, 40)
			return func(at, turn geom.Vec3) geom.Shape {
				s := plate(geom.Imported, at, geom.V(1, 0, 1), turn)
				s.Body = body
				return s
			}
		}()},
	} {
		s := scatter(n, geom.V(-0.2, 0, -0.2), geom.V(0.2, 2, 0.2), 0.002, 500, 1)
		r := rand.New(rand.NewSource(2))
		for i := range n {
			for k := range 3 {
				s.V[k][i] = float32(20 * (r.Float64() - 0.5))
			}
		}
		pose := func(k int) geom.Shape {
			x := float64(k) * dt
			return c.shape(geom.V(0, -0.3+50*x*math.Abs(math.Sin(9*x)), 0), geom.V(30*math.Sin(20*x), 0, 20*math.Sin(17*x)))
		}
		met := 0
		for k := range steps {
			was, now := pose(k), pose(k+1)
			above, before := make([]bool, n), make([]geom.Vec3, n)
			for i := range n {
				before[i] = s.at(i)
				above[i] = was.Local(before[i]).Y > 0
			}
			w := &World{Gravity: geom.V(0, -9.81, 0), Still: Air, Solids: []sim.Collider{{Shape: now, Before: was}}, Contact: sim.Contact{Bounce: 0.3, Friction: 0.2}}
			met += len(s.Step(dt, w, grid.NewCrew(2)).Hits)
			half := 0.45
			if c.name[2] == 'b' {
				half = 1.9
			}
			for i := range n {
				q := now.Local(s.at(i))
				if math.Abs(q.X) < half-0.3 && math.Abs(q.Z) < half-0.3 && q.Y > 0 != above[i] {
					t.Fatalf("%s: after step %d particle %d is at %.5f, and was on the other side, at %.5f", c.name, k, i, q, was.Local(before[i]))
				}
			}
		}
		if met < n {
			t.Errorf("%s: only %d were met", c.name, met)
		}
	}
}

// A ball that drops bounces to the share of its height that its restitution squared leaves,
// and at last lies still where the floor is.
func TestBallsBounce(t *testing.T) {
	const e = 0.7
	s := scatter(1, geom.V(0, 1.005, 0), geom.V(0, 1.005, 0), 0.01, 7800, 1)
	floor := plate(geom.Block, geom.V(0, -0.5, 0), geom.V(4, 1, 4), geom.Vec3{})
	w := &World{Gravity: geom.V(0, -9.81, 0), Still: Fluid{Viscosity: 1e-9}, Solids: []sim.Collider{{Shape: floor, Before: floor}}, Contact: sim.Contact{Bounce: e}}
	low, top, fell := false, 0.0, false
	for range 900 {
		s.Step(1.0/480, w, grid.NewCrew(1))
		y := float64(s.P[1][0]) - 0.005
		fell = fell || y < 0.05
		if fell && !low {
			top = max(top, y)
			low = s.V[1][0] < 0 && y < 0.05 && top > 0.2
		}
	}
	if math.Abs(top-e*e) > 0.02 {
		t.Errorf("it comes up to %.3f m, want %.3f", top, e*e)
	}
	for range 4000 {
		s.Step(1.0/480, w, grid.NewCrew(1))
	}
	if y := float64(s.P[1][0]); math.Abs(y-0.005) > 3e-4 || math.Abs(float64(s.V[1][0])) > 0.06 {
		t.Errorf("it lies at %.5f m and moves at %g m/s", y, s.V[1][0])
	}
}

// What slides comes to rest after v²/(2 μ g).
func TestFrictionStopsWhatSlides(t *testing.T) {
	const mu, v = 0.3, 2.0
	s := scatter(1, geom.V(-1, 0.005, 0), geom.V(-1, 0.005, 0), 0.01, 7800, 1)
	s.V[0][0] = v
	floor := plate(geom.Block, geom.V(0, -0.5, 0), geom.V(8, 1, 8), geom.Vec3{})
	w := &World{Gravity: geom.V(0, -9.81, 0), Still: Fluid{Viscosity: 1e-9}, Solids: []sim.Collider{{Shape: floor, Before: floor}}, Contact: sim.Contact{Friction: mu}}
	for range 600 {
		s.Step(1.0/240, w, grid.NewCrew(1))
	}
	if got, want := float64(s.P[0][0])+1, v*v/(2*mu*9.81); math.Abs(got/want-1) > 0.02 || s.V[0][0] != 0 {
		t.Errorf("it slides %.4f m, want %.4f, and moves at %g m/s then", got, want, s.V[0][0])
	}
}

// What sticks rides on what it has met.
func TestWhatSticksRides(t *testing.T) {
	s := scatter(1, geom.V(0.3, 0.1, 0), geom.V(0.3, 0.1, 0), 0.01, 7800, 1)
	pose := func(k int) geom.Shape {
		return plate(geom.Block, geom.V(0, -0.5, 0), geom.V(2, 1, 2), geom.V(0, 3*float64(k), 0))
	}
	for k := range 30 {
		w := &World{Gravity: geom.V(0, -9.81, 0), Still: Air, Solids: []sim.Collider{{Shape: pose(k + 1), Before: pose(k)}}, Contact: sim.Contact{Sticks: true}}
		if k == 20 {
			w.Gravity = geom.V(0, 9.81, 0)
		}
		s.Step(1.0/48, w, grid.NewCrew(1))
	}
	if s.State[0] != Stuck {
		t.Fatal("it doesn't stick")
	}
	p := s.at(0)
	if r := math.Hypot(p.X, p.Z); math.Abs(r-0.3) > 0.01 || math.Abs(p.Y-0.005) > 1e-3 {
		t.Errorf("it rides at %.3v", p)
	}
	if x := math.Atan2(-p.Z, p.X); x < 0.5 {
		t.Errorf("it has turned by %.2f radians", x)
	}
}

// whirl is a field that turns round its middle, with a hot core.
func whirl(n int) Field {
	d := grid.Dims{NX: n, NY: n, NZ: n}
	h := 1 / float64(n)
	f := Field{Fluid: Air, Grid: d, H: h, U: grid.NewField(grid.Dims{NX: n + 1, NY: n, NZ: n}), V: grid.NewField(grid.Dims{NX: n, NY: n + 1, NZ: n}), W: grid.NewField(grid.Dims{NX: n, NY: n, NZ: n + 1}), Excess: grid.NewField(d)}
	for k := range n {
		for j := range n {
			for i := range n + 1 {
				f.U.Set(i, j, k, float32(-2*((float64(k)+0.5)*h-0.5)))
			}
			for i := range n {
				f.Excess.Set(i, j, k, 100)
			}
		}
	}
	for k := range n + 1 {
		for j := range n {
			for i := range n {
				f.W.Set(i, j, k, float32(2*((float64(i)+0.5)*h-0.5)))
			}
		}
	}
	return f
}

// Particles as light as air go with it, and take its temperature; outside they don't.
func TestLightOnesGoWithTheFluid(t *testing.T) {
	s := scatter(2, geom.Vec3{}, geom.Vec3{}, 1e-4, 1.2, 1)
	s.P[0][0], s.P[1][0], s.P[2][0] = 0.75, 0.5, 0.5
	s.P[0][1] = 5
	for i := range 2 {
		s.Heat[i] = 293
	}
	w := &World{Still: Air, Fields: []Field{whirl(32)}, Takes: 1000}
	for range 240 {
		s.Step(1.0/240, w, grid.NewCrew(1))
	}
	// a turn of 2 radians a second for a second
	want := geom.V(0.5+0.25*math.Cos(2), 0.5, 0.5+0.25*math.Sin(2))
	if d := s.at(0).Dist(want); d > 0.01 {
		t.Errorf("it is carried to %.4v, want %.4v", s.at(0), want)
	}
	if math.Abs(float64(s.Heat[0])-393) > 0.5 || s.Heat[1] != 293 || s.P[0][1] != 5 {
		t.Errorf("they have %.1f K and %.1f K, and the one outside is at %g", s.Heat[0], s.Heat[1], s.P[0][1])
	}
}

// The same bits on any number of threads.
func TestStepsHaveTheSameBitsOnAnyThreads(t *testing.T) {
	var sums []uint64
	for _, threads := range []int{1, 2, 3} {
		s := scatter(5000, geom.V(0, 0, 0), geom.V(1, 1.2, 1), 0.003, 200, 3)
		for i := range s.Life {
			s.Life[i] = float32(i%50) / 50
		}
		ball := plate(geom.Sphere, geom.V(0.5, 0.4, 0.5), geom.V(0.4, 0.4, 0.4), geom.Vec3{})
		w := &World{Gravity: geom.V(0, -9.81, 0), Still: Air, Fields: []Field{whirl(16)}, Solids: []sim.Collider{{Shape: ball, Before: ball}}, Contact: sim.Contact{Bounce: 0.5, Friction: 0.1}, Takes: 800,
			Bounds: &geom.Box{Min: geom.V(-1, -1, -1), Max: geom.V(2, 2, 2)}}
		for range 20 {
			s.Step(1.0/48, w, grid.NewCrew(threads))
			s.Sweep()
		}
		if err := s.Check(); err != nil || s.Len() == 0 || s.Len() == 5000 {
			t.Fatalf("%d are left: %v", s.Len(), err)
		}
		h := fnv.New64a()
		for _, c := range s.columns() {
			for _, v := range *c {
				b := math.Float32bits(v)
				h.Write([]byte{byte(b), byte(b >> 8), byte(b >> 16), byte(b >> 24)})
			}
		}
		sums = append(sums, h.Sum64())
	}
	if sums[0] != sums[1] || sums[0] != sums[2] {
		t.Errorf("sums on 1, 2 and 3 threads: %x", sums)
	}
}
