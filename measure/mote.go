package measure

import (
	"math"
	"os"
	"time"

	"zarf/core/format/abc"
	"zarf/core/gas"
	"zarf/core/geom"
	"zarf/core/grid"
	"zarf/core/mote"
	"zarf/core/noise"
	"zarf/core/sim"
)

// windy is a gas of 128³ that turbulence has stirred.
func windy(n int, crew grid.Crew) *gas.Solver {
	s, err := gas.New(gas.Box{Dims: cube(n), H: 1 / float64(n), Open: openTop}, crew)
	if err != nil {
		panic(err)
	}
	stirred := func(t, dt float64) gas.Inputs {
		in := plumeScene(t, dt)
		in.Scene.Turbulences = []sim.Turbulence{{Strength: 20, Size: 0.3, Octaves: 3, Phase: t}}
		return in
	}
	for range 8 {
		step(s, stirred)
	}
	return s
}

// swarm is so many particles in a gas, in a world with a mesh of 20,000 triangles.
func swarm(n int, s *gas.Solver, crew grid.Crew) (*mote.Set, *mote.World) {
	body, err := geom.NewBody(geom.BallMesh(0.2, 142), 0.01)
	if err != nil {
		panic(err)
	}
	everywhere := grid.NewField(s.Dims)
	o := &mote.Source{Field: everywhere, H: s.H, Rate: 1.05 * float64(n), High: 1, Velocity: [3]*grid.Field{s.U, s.V, s.W}}
	places, _ := o.Places(1, 1, 1, crew)
	set := &mote.Set{}
	set.Bear(places, &mote.Born{Size: mote.Trait{Value: 0.0005, Spread: 0.0003}, Density: mote.Trait{Value: 300}}, 1, crew)
	ball := shape(geom.Imported, geom.V(0.5, 0.3, 0.5), geom.V(0.4, 0.4, 0.4))
	ball.Body = body.Fill(crew.For)
	for i := range set.State { // none begins in it
		if ball.Distance(geom.V(float64(set.P[0][i]), float64(set.P[1][i]), float64(set.P[2][i]))) < 0.005 {
			set.State[i] = mote.Dead
		}
	}
	set.Sweep()
	return set, &mote.World{Gravity: geom.V(0, -9.81, 0), Still: mote.Air,
		Fields: []mote.Field{{Fluid: mote.Air, Grid: s.Dims, U: s.U, V: s.V, W: s.W, H: s.H}},
		Solids: []sim.Collider{{Shape: ball, Before: ball}}, Contact: sim.Contact{Bounce: 0.4, Friction: 0.2}}
}

// moteSpeed is that of particle stages.
func moteSpeed(t *Table) {
	const frame = 1.0 / 24
	air := windy(128, t.crew)
	set, world := swarm(1_000_000, air, t.crew)
	for range 6 {
		set.Step(frame/4, world, t.crew)
	}
	set.Gather(t.crew)
	t.most("1 M particles in a gas of 128³ past a mesh of 20,000 triangles: a step", ms(fastest(6, func() { set.Step(frame/4, world, t.crew) })), 60, "ms")

	t.most("putting them in order, every eighth step", ms(fastest(3, func() { set.Gather(t.crew) })), 0, "ms")

	few, _ := swarm(100_000, air, t.crew)
	amount := make([]float32, few.Len())
	for i := range amount {
		amount[i] = 1e-6
	}
	centre := [3]float32{0.5, 0.5, 0.5}
	gives := fastest(6, func() {
		few.Give([]mote.Gift{{To: air.Smoke, Off: centre, By: amount}, {To: air.Heat, Off: centre, By: amount}}, air.H, geom.Vec3{}, t.crew)
		for c := range few.Impulse { // as a step leaves it
			few.Impulse[c] = append(few.Impulse[c][:0], amount...)
		}
		few.Push(air.U, air.V, air.W, air.H, geom.Vec3{}, 1.2, t.crew)
	})
	whole := fastest(3, func() { step(air, plumeScene) })
	t.most("smoke, heat and momentum of 100,000 particles into a gas of 128³, of its step", 100*gives.Seconds()/whole.Seconds(), 15, "%")

	o := &mote.Source{Field: puff(128), H: air.H, Low: 0.3, High: 0.7, Rate: 1e5, Limit: 100_000, Velocity: [3]*grid.Field{air.U, air.V, air.W}, Heat: air.Heat}
	_, found := o.Places(frame, 1, 1, t.crew)
	o.Rate *= 110_000 / found.Expected
	b := &mote.Born{Life: mote.Trait{Value: 2, Spread: 1}, Size: mote.Trait{Value: 0.002}, Density: mote.Trait{Value: 100}, Warm: true, Inherit: 1}
	best := time.Hour
	for n := range 5 {
		born := &mote.Set{}
		best = min(best, fastest(1, func() {
			places, _ := o.Places(frame, 2+n, 1, t.crew)
			born.Bear(places, b, 1, t.crew)
		}))
	}
	t.most("100,000 births of a frame, by a channel of 128³", ms(best), 20, "ms")
	archived(t)
}

// archived times writing a million particles with what handovers give them: place,
// velocity, identity, width, age, life and temperature.
func archived(t *Table) {
	const n = 1_000_000
	s := &abc.Sample{P: make([]float32, 3*n), V: make([]float32, 3*n), IDs: make([]uint64, n), Widths: make([]float32, n)}
	for _, name := range []string{"age", "life", "temperature"} {
		s.Extra = append(s.Extra, abc.Extra{Name: name, Comps: 1, V: make([]float32, n)})
	}
	for i := range s.P {
		s.P[i] = float32(noise.Hash(1, int64(i), 0, 0)>>40) / (1 << 24)
	}
	for i := range s.IDs {
		s.IDs[i] = uint64(i)
	}
	bytes := int64(0)
	took := fastest(4, func() {
		f, err := os.CreateTemp("", "points")
		if err != nil {
			panic(err)
		}
		defer os.Remove(f.Name())
		w := abc.NewWriter(f, abc.Info{App: "Zarf", Rate: 24, First: 1})
		if err := w.Object("points", abc.Points).Add(s); err != nil {
			panic(err)
		}
		if err := w.Close(); err != nil {
			panic(err)
		}
		if st, err := f.Stat(); err == nil {
			bytes = st.Size()
		}
		f.Close()
	})
	t.least("Alembic of 1 M particles with six channels, written", float64(bytes)/1e6/took.Seconds(), 300, "MB/s")
}

// dragCurve are coefficients of a ball's drag that were measured, by Reynolds number
// (Lapple and Shepherd 1940).
var dragCurve = [][2]float64{{0.1, 244}, {0.3, 83.8}, {1, 27.2}, {3, 10.5}, {10, 4.26}, {30, 2.12}, {100, 1.09}, {300, 0.653}, {1000, 0.471}}

// one is a particle of a size and density, alone.
func one(size, density float64) *mote.Set {
	s := &mote.Set{}
	s.Add(1)
	s.Size[0], s.Density[0] = float32(size), float32(density)
	return s
}

func moteAccuracy(t *Table) {
	const g = 9.81
	crew := grid.NewCrew(1)
	worst := 0.0
	for _, p := range dragCurve {
		const rho, fluid, mu = 2600, 1.2, 1.8e-5
		// the ball that weighs as much as the drag at this Reynolds number
		d := math.Cbrt(0.75 * p[1] * p[0] * p[0] * mu * mu / (fluid * (rho - fluid) * g))
		s, w := one(d, rho), &mote.World{Gravity: geom.V(0, -g, 0), Still: mote.Fluid{Density: fluid, Viscosity: mu}}
		for range 4000 {
			s.Step(0.005, w, crew)
		}
		worst = max(worst, 100*math.Abs(float64(-s.V[1][0])*fluid*d/(p[0]*mu)-1))
	}
	t.most("terminal speed of balls against the standard drag curve, Reynolds numbers 0.1 to 1000", worst, 5, "%")

	worst = 0
	for _, seconds := range []float64{1, 3, 6} {
		// with Newton's drag v = v∞ tanh(a t/v∞), in air thin enough for that all the way
		s, w := one(0.1, 2600), &mote.World{Gravity: geom.V(0, -g, 0), Still: mote.Fluid{Density: 1.2, Viscosity: 1.8e-7}}
		for range int(48 * seconds) {
			s.Step(1.0/48, w, crew)
		}
		a := g * (2600 - 1.2) / (2600 + 0.6)
		end := math.Sqrt(a * (2600 + 0.6) * 0.1 * 4 / (3 * 0.44 * 1.2))
		worst = max(worst, 100*math.Abs(-float64(s.V[1][0])/(end*math.Tanh(a*seconds/end))-1), 100*math.Abs(-float64(s.P[1][0])/(end*end/a*math.Log(math.Cosh(a*seconds/end)))-1))
	}
	t.most("free fall with drag against the closed solution: speed and way", worst, 0.1, "%")
	const all = 1_000_000
	t.least("particles of 1 M that a plate of a millimetre keeps on their side, at 50 m/s", float64(all-passed(all, 6, t.crew)), all, "")
}

// passed counts particles that are on another side of a plate that has swept through them
// in so many steps, turning.
func passed(n, steps int, crew grid.Crew) int {
	const dt = 1.0 / 120
	s := &mote.Set{}
	box := shape(geom.Block, geom.V(0, 0.5, 0), geom.V(0.4, 1, 0.4))
	f := &mote.Form{Emitter: sim.Emitter{Shape: box, Before: box}, Rate: float64(n)}
	s.Bear(f.Places(1, 1, 1), &mote.Born{Size: mote.Trait{Value: 0.002}, Density: mote.Trait{Value: 500}, Speed: mote.Trait{Value: 10}}, 1, crew)
	pose := func(k int) geom.Shape {
		p := shape(geom.Block, geom.V(0, -0.3+50*dt*float64(k), 0), geom.V(4, 0.001, 4))
		p.Turn = geom.RotationXYZ(geom.V(6*float64(k), 0, -4*float64(k)))
		return p
	}
	through := 0
	above := make([]bool, s.Len())
	side := func(p geom.Shape, i int) bool {
		return p.Local(geom.V(float64(s.P[0][i]), float64(s.P[1][i]), float64(s.P[2][i]))).Y > 0
	}
	for k := range steps {
		was, now := pose(k), pose(k+1)
		for i := range above {
			above[i] = side(was, i)
		}
		s.Step(dt, &mote.World{Gravity: geom.V(0, -9.81, 0), Still: mote.Air, Solids: []sim.Collider{{Shape: now, Before: was}}, Contact: sim.Contact{Bounce: 0.3, Friction: 0.2}}, crew)
		for i := range above {
			if above[i] != side(now, i) {
				through++
			}
		}
	}
	return through
}
