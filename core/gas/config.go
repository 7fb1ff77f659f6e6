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
)

// Box is what can't change during a run.
type Box struct {
	grid.Dims
	H      float64   // voxel size, m
	Origin geom.Vec3 // low corner, m
	Open   pressure.Sides
}

// Bounds is the box in space.
func (b Box) Bounds() geom.Box {
	return geom.Box{Min: b.Origin, Max: b.Origin.Add(geom.V(float64(b.NX)*b.H, float64(b.NY)*b.H, float64(b.NZ)*b.H))}
}

// Physics holds the values that may change from substep to substep.
type Physics struct {
	Gravity        float64 // m/s², downwards
	AirTemperature float64 // K
	AirDensity     float64 // kg/m³
	Lift           float64 // 1: as in nature
	SmokeWeight    float64 // kg/m³ that smoke of density 1 adds to the air
	Dissipation    float64 // 1/s
	Cooling        float64 // 1/s
	Damping        float64 // 1/s
	Vorticity      float64 // ε of vorticity confinement
	Scheme         Scheme
	Tolerance      float64 // of the pressure solve, relative residual
	MaxIterations  int
}

// Emitter puts smoke, heat and velocity into the fluid.
type Emitter struct {
	Shape       geom.Shape
	Surface     float64 // 0: the whole volume; else the thickness of the shell, m
	Add         bool    // add an amount a second instead of holding at least the amount
	Smoke       float64
	Temperature float64 // excess, K
	Speed       float64 // m/s along the surface normal or the axis
	AlongAxis   bool
	Push        geom.Vec3 // m/s, on top
	Breakup     float64   // 0..1: how much of the emitter the noise switches off
	NoiseSize   float64   // m
	NoiseRate   float64   // 1/s
	Seed        uint64
}

// Collider is a solid.
type Collider struct {
	Shape    geom.Shape
	Before   geom.Shape // where it stood dt earlier, for its velocity
	Friction float64    // 0: fluid slides along; 1: it sticks
}

// Velocity is how fast the solid moves at p, m/s.
func (c *Collider) Velocity(p geom.Vec3, dt float64) geom.Vec3 {
	if c.Shape == c.Before || dt <= 0 {
		return geom.Vec3{}
	}
	was := c.Before.Turn.Apply(c.Shape.Local(p)).Add(c.Before.Centre)
	return p.Sub(was).Mul(1 / dt)
}

// Wind drags the air towards a velocity.
type Wind struct {
	Velocity geom.Vec3 // m/s, gusts included
	Grip     float64   // 1/s
}

// Turbulence pushes the air with divergence-free noise.
type Turbulence struct {
	Strength float64 // m/s²
	Size     float64 // m, of the largest eddies
	Octaves  int
	Rate     float64 // 1/s, how fast the pattern changes
	Seed     uint64
}

// Inputs is everything round the fluid at one moment.
type Inputs struct {
	Physics     Physics
	Emitters    []Emitter
	Colliders   []Collider
	Winds       []Wind
	Turbulences []Turbulence
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
		{"dissipation", p.Dissipation}, {"cooling", p.Cooling}, {"damping", p.Damping}, {"vorticity confinement", p.Vorticity}} {
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
