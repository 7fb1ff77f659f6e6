package gas

import (
	"fmt"
	"math"

	"zarf/core/geom"
	"zarf/core/grid"
	"zarf/core/pressure"
	"zarf/core/sim"
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
// What is in here decides the arrays: a change of any of it begins a run anew.
type Box struct {
	grid.Dims
	H       float64   // voxel size, m
	Origin  geom.Vec3 // low corner, m
	Open    pressure.Sides
	Burning bool    // carry fuel and the burn channel
	Oxygen  bool    // carry used-up air as well, and let fire go out for want of it
	Follow  *Follow // nil: all of the box is in use all the time
	// Smoke of density 1 is carried by so many points in a voxel; 0: by voxels.
	PerVoxel float64
	Seed     uint64 // of sub-grid turbulence
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
// Values may be keyed, so they come with every substep.
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
	SubGrid        float64 // how much sub-grid turbulence stirs channels; 1: as the flow's energy demands
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

// thinned is how many times the room gas takes that is so many kelvin warmer than the air:
// T/T₀, as far as burning gas makes that room.
func (p *Physics) thinned(warm float64) float64 {
	switch q := max(1+warm/p.AirTemperature, 0.01); p.Fire.Expansion {
	case 0:
		return 1
	case 1:
		return q
	default:
		return math.Pow(q, p.Fire.Expansion)
	}
}

// Emitter puts smoke, heat, fuel and velocity into the gas.
type Emitter struct {
	sim.Emitter
	Add         bool // add amounts a second instead of holding at least the amounts
	Smoke       float64
	Temperature float64 // excess, K
	Fuel        float64 // kg/m³ of gas as warm as the air
	FuelRate    float64 // kg/s, spread over the form
}

// Inputs is everything round the fluid at one moment.
type Inputs struct {
	Physics  Physics
	Emitters []Emitter
	sim.Scene
}

// Scene tells the solver what is round it: the moment t (seconds since the
// first frame) and the step that led there.
type Scene func(t, dt float64) Inputs

// check refuses physics that can't be computed with.
func (p Physics) check() error {
	for _, v := range []struct {
		name string
		v    float64
	}{{"gravity", p.Gravity}, {"air temperature", p.AirTemperature}, {"lift", p.Lift}, {"smoke weight", p.SmokeWeight},
		{"dissipation", p.Dissipation}, {"cooling", p.Cooling}, {"damping", p.Damping}, {"vorticity confinement", p.Vorticity}, {"sub-grid turbulence", p.SubGrid},
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
