package measure

import (
	"time"

	"zarf/core/gas"
	"zarf/core/geom"
	"zarf/core/grid"
	"zarf/core/mote"
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
		Solids: []sim.Collider{{Shape: ball, Before: ball}}, Contact: mote.Contact{Bounce: 0.4, Friction: 0.2}}
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
}
