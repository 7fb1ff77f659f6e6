package gas

import (
	"fmt"
	"math"

	"zarf/core/geom"
	"zarf/core/grid"
	"zarf/core/pressure"
)

// Scheme is a way to advect, by the literature's name.
type Scheme string

// The schemes.
const (
	SemiLagrangian Scheme = "semi-Lagrangian"
	MacCormack     Scheme = "MacCormack"
	Reflection     Scheme = "reflection"
)

// Box is what can't change during a run.
type Box struct {
	grid.Dims
	H       float64   // voxel size, m
	Origin  geom.Vec3 // low corner, m
	Open    pressure.Sides
	Burning bool    // carry fuel and the burn channel
	Oxygen  bool    // carry used-up air as well, and let fire go out for want of it
	Follow  *Follow // nil: all of the box is in use all the time
}

// Follow lets a solver store and work on only the tiles where fluid is and a
// margin round them, within the box. Beyond them the air is taken to be at
// pressure 0 and to move with the winds alone.
type Follow struct {
	Threshold float64 // of smoke, fuel and burn; heat counts from 20 K times this on
	Margin    float64 // m
}

// Bounds is the box in space.
func (b Box) Bounds() geom.Box {
	return geom.Box{Min: b.Origin, Max: b.Origin.Add(geom.V(float64(b.NX)*b.H, float64(b.NY)*b.H, float64(b.NZ)*b.H))}
}

// HeatCapacity of air at constant pressure, J/(kg·K).
const HeatCapacity = 1005

// Physics holds the values that may change from substep to substep.
type Physics struct {
	Gravity        float64 // m/s², downwards
	AirTemperature float64 // K
	AirDensity     float64 // kg/m³
	Lift           float64 // 1: as in nature
	SmokeWeight    float64 // kg/m³ that smoke of density 1 adds to the air
	Dissipation    float64 // 1/s
	Cooling        float64 // 1/s, by mixing
	Damping        float64 // 1/s
	Vorticity      float64 // ε of vorticity confinement
	VorticityBy    string  // "", "temperature" or "density": what weights it
	Scheme         Scheme
	Tolerance      float64 // of the pressure solve, relative residual
	MaxIterations  int
	Fire           Fire
}

// Fire holds the values of burning.
type Fire struct {
	Ignition    float64 // K: fuel at or above it burns
	Rate        float64 // 1/s: share of the burning fuel used up
	Heat        float64 // J/kg of fuel
	Soot        float64 // smoke density made by 1 kg/m³ of fuel
	Expansion   float64 // 1: as the heat released demands; 0: none
	Spread      float64 // m/s at which a flame eats into cold fuel
	Afterglow   float64 // s for which the burn channel outlives the fuel
	Radiation   float64 // K/s lost at RadiationTop by T⁴ cooling
	RadiationAt float64 // K: the temperature of Radiation
	OxygenNeed  float64 // kg of air's share used up by 1 kg/m³ of fuel: 1/this is the richest mixture
}

// Emitter puts smoke, heat, fuel and velocity into the fluid.
type Emitter struct {
	Shape       geom.Shape
	Source      *Source    // emits where another fluid is, instead of a shape; may be nil
	Before      geom.Shape // where it stood dt earlier, for the velocity that it hands on
	Surface     float64    // 0: the whole volume; else the thickness of the shell, m
	Add         bool       // add an amount a second instead of holding at least the amount
	Smoke       float64
	Temperature float64 // excess, K
	Fuel        float64 // kg/m³
	Speed       float64 // m/s along the surface normal or the axis
	AlongAxis   bool
	Push        geom.Vec3 // m/s, on top
	Inherit     float64   // share of the body's own velocity handed on
	Breakup     float64   // 0..1: how much of the emitter the noise switches off
	NoiseSize   float64   // m
	NoisePhase  float64   // how far its noise has run by now, in changes of the whole pattern
	Seed        uint64
}

// Source is another fluid that emits: how much of it there is, 1 counting once,
// and how it moves, on a grid of its own.
type Source struct {
	Share  *grid.Field
	Motion [3]*grid.Field // m/s at cell centres; nil where it isn't known
	H      float64        // m
	Origin geom.Vec3      // the grid's corner
}

// at is the share at a place, and the velocity there.
func (o *Source) at(p geom.Vec3) (share float64, v geom.Vec3) {
	q := p.Sub(o.Origin).Mul(1 / o.H)
	d := o.Share.Dims
	if q.X < 0 || q.Y < 0 || q.Z < 0 || q.X > float64(d.NX) || q.Y > float64(d.NY) || q.Z > float64(d.NZ) {
		return 0, v
	}
	x, y, z := float32(q.X-0.5), float32(q.Y-0.5), float32(q.Z-0.5)
	share = max(0, float64(o.Share.Sample(x, y, z)))
	if share > 0 && o.Motion[0] != nil {
		v = geom.V(float64(o.Motion[0].Sample(x, y, z)), float64(o.Motion[1].Sample(x, y, z)), float64(o.Motion[2].Sample(x, y, z)))
	}
	return share, v
}

// bounds is the box that the source's grid fills.
func (o *Source) bounds() geom.Box {
	d := o.Share.Dims
	return geom.Box{Min: o.Origin, Max: o.Origin.Add(geom.V(float64(d.NX), float64(d.NY), float64(d.NZ)).Mul(o.H))}
}

// Collider is a solid.
type Collider struct {
	Shape    geom.Shape
	Before   geom.Shape // where it stood dt earlier, for its velocity
	Friction float64    // 0: fluid slides along; 1: it sticks
}

// Velocity is how fast the solid moves at p, m/s.
func (c *Collider) Velocity(p geom.Vec3, dt float64) geom.Vec3 {
	return moving(&c.Shape, &c.Before, p, dt)
}

// Velocity is how fast the emitter's body moves at p, m/s.
func (e *Emitter) Velocity(p geom.Vec3, dt float64) geom.Vec3 {
	return moving(&e.Shape, &e.Before, p, dt)
}

// moving is the velocity at p of a body that stood at before dt earlier.
func moving(now, before *geom.Shape, p geom.Vec3, dt float64) geom.Vec3 {
	if *now == *before || dt <= 0 {
		return geom.Vec3{}
	}
	if now.Body != before.Body && now.Body != nil && now.Body.SameFaces(before.Body) {
		a, b := now.Body.Came(before.Body, now.Local(p))
		return now.Turn.Apply(a).Add(now.Centre).Sub(before.Turn.Apply(b).Add(before.Centre)).Mul(1 / dt)
	}
	was := before.Turn.Apply(now.Local(p)).Add(before.Centre)
	return p.Sub(was).Mul(1 / dt)
}

// Region limits a force: full within the shape, fading to nothing over Fade
// metres outside. The zero region is everywhere.
type Region struct {
	Shape   geom.Shape
	Limited bool
	Fade    float64
}

// Weight is the region's strength at p, 0 to 1.
func (r *Region) Weight(p geom.Vec3) float64 {
	if !r.Limited {
		return 1
	}
	d := r.Shape.Distance(p)
	switch {
	case d <= 0:
		return 1
	case d >= r.Fade:
		return 0
	}
	t := 1 - d/r.Fade
	return t * t * (3 - 2*t)
}

// Wind drags the air towards a velocity.
type Wind struct {
	Velocity geom.Vec3 // m/s, gusts included
	Grip     float64   // 1/s
	Region   Region
}

// Turbulence pushes the air with divergence-free noise.
type Turbulence struct {
	Strength float64 // m/s²
	Size     float64 // m, of the largest eddies
	Octaves  int
	Phase    float64 // how far the pattern has run by now, in changes of the whole of it; making it anew costs most of the force
	Seed     uint64
	Region   Region
}

// Vortex turns the air round an axis. The push along the circle grows from the
// axis to Radius, where it is Strength, and falls off like 1/r beyond (the
// profile of Kaufmann 1962); Draw pulls inwards with the same profile, Lift
// pushes along the axis.
type Vortex struct {
	Centre, Axis geom.Vec3
	Radius       float64 // m
	Strength     float64 // m/s²
	Draw, Lift   float64 // m/s²
	Region       Region
}

// Radial pushes away from a point (towards it where negative), fully up to
// Radius and like 1/r² beyond.
type Radial struct {
	Centre   geom.Vec3
	Radius   float64 // m
	Strength float64 // m/s²
	Region   Region
}

// Drag slows the air within its region.
type Drag struct {
	Rate   float64 // 1/s
	Region Region
}

// Inputs is everything round the fluid at one moment.
type Inputs struct {
	Physics     Physics
	Emitters    []Emitter
	Colliders   []Collider
	Winds       []Wind
	Turbulences []Turbulence
	Vortices    []Vortex
	Radials     []Radial
	Drags       []Drag
	Guides      []Guide
	Pulls       []Pull
}

// Scene tells the solver what is round it: the moment t (seconds since the
// first frame) and the step that led there.
type Scene func(t, dt float64) Inputs

// Substeps says how often to step within a frame.
type Substeps struct {
	CFL      float64 // cells that the fastest fluid may cross in a substep
	Min, Max int
}

func (p Physics) check() error {
	for _, v := range []struct {
		name string
		v    float64
	}{{"gravity", p.Gravity}, {"air temperature", p.AirTemperature}, {"lift", p.Lift}, {"smoke weight", p.SmokeWeight},
		{"dissipation", p.Dissipation}, {"cooling", p.Cooling}, {"damping", p.Damping}, {"vorticity confinement", p.Vorticity},
		{"burn rate", p.Fire.Rate}, {"heat released", p.Fire.Heat}, {"ignition temperature", p.Fire.Ignition}, {"soot", p.Fire.Soot},
		{"expansion", p.Fire.Expansion}, {"flame spread", p.Fire.Spread}, {"radiation", p.Fire.Radiation}} {
		if math.IsNaN(v.v) || math.IsInf(v.v, 0) {
			return fmt.Errorf("gas: %s is %v; give a finite number", v.name, v.v)
		}
	}
	if p.AirTemperature <= 0 {
		return fmt.Errorf("gas: air temperature is %g K; give more than 0", p.AirTemperature)
	}
	if p.AirDensity <= 0 {
		return fmt.Errorf("gas: air density is %g kg/m³; give more than 0", p.AirDensity)
	}
	return nil
}
