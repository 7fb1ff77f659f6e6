package liquid

import (
	"fmt"
	"math"

	"zarf/core/geom"
	"zarf/core/grid"
	"zarf/core/sim"
)

// Version is part of every key: another one makes caches stale.
const Version = "liquid/6"

// PerCell is how many particles fill a voxel.
const PerCell = 8

// Box is what can't change during a run.
type Box struct {
	grid.Dims
	H      float64   // voxel size, m
	Origin geom.Vec3 // low corner, m
	Open   [6]bool   // sides through which liquid leaves: x−, x+, y−, y+, z−, z+
	Flat   bool      // one voxel deep: nothing moves along z
	InSea  bool      // open sides, but for the top, lead into a sea
}

// Bounds is the box in space.
func (b Box) Bounds() geom.Box {
	return geom.Box{Min: b.Origin, Max: b.Origin.Add(geom.V(float64(b.NX), float64(b.NY), float64(b.NZ)).Mul(b.H))}
}

// Physics holds the values that may change from substep to substep.
type Physics struct {
	Gravity       float64 // m/s², downwards
	Density       float64 // kg/m³
	Air           float64 // kg/m³, by which winds press; 0: they don't
	Viscosity     float64 // Pa·s
	Tension       float64 // N/m
	Affine        bool    // APIC; else FLIP
	Smooth        float64 // share of PIC in FLIP, 0 to 1, a 24th of a second
	Damping       float64 // 1/s
	Tolerance     float64 // of the pressure solve, relative residual
	MaxIterations int
	Sheets        bool    // sheets that are drawn out are kept from tearing into holes
	Bubbles       bool    // air that is closed in keeps its volume
	Separate      bool    // liquid may leave walls that hold it by suction
	Warmth        *Warmth // nil: it carries no heat
	Mixes         bool    // particles carry the share of a second liquid
	Second        float64 // kg/m³, of the second liquid; 0: the first's
	Blends        float64 // 1/s, how fast neighbours become alike
}

// warm is the temperature of what comes in from the sea, K.
func (p *Physics) warm() float32 {
	if p.Warmth == nil {
		return 0
	}
	return float32(p.Warmth.Air)
}

// check refuses physics that can't be computed with.
func (p Physics) check() error {
	// keyed values may go anywhere between keys: what they come to is looked at in
	// every substep, and named
	for _, v := range []struct {
		name string
		v    float64
	}{{"gravity", p.Gravity}, {"density", p.Density}, {"viscosity", p.Viscosity}, {"surface tension", p.Tension}, {"damping", p.Damping}} {
		if math.IsNaN(v.v) || math.IsInf(v.v, 0) {
			return fmt.Errorf("liquid: %s is %g; give a finite number", v.name, v.v)
		}
	}
	if p.Density <= 0 {
		return fmt.Errorf("liquid: density is %g kg/m³; give more than 0 (water 1000)", p.Density)
	}
	if p.Viscosity < 0 || p.Tension < 0 {
		return fmt.Errorf("liquid: viscosity %g Pa·s and surface tension %g N/m must not be under 0", p.Viscosity, p.Tension)
	}
	return nil
}

// Emitter lets liquid in.
type Emitter struct {
	sim.Emitter         // its shape, its motion, and the gaps that noise leaves
	Once        bool    // fills the form a single time, at the first step
	Heat        float64 // K, of what comes out; 0: none is carried
	Mix         float64 // share of the second liquid in it
	ID          string
}

// Drain takes liquid away that comes within its form.
type Drain struct{ Shape geom.Shape }

// Inputs is everything round the liquid at one moment.
type Inputs struct {
	Physics   Physics
	Foam      Foam
	Emitters  []Emitter
	Drains    []Drain
	Around    *Around // nil: no sea is
	sim.Scene         // of which winds press on the surface alone
}

// Scene tells the solver what is round it at the moment t, dt after the last.
type Scene func(t, dt float64) Inputs

// FrameStats tells how a frame went.
type FrameStats struct {
	Substeps    int
	Capped      bool // more substeps were needed than allowed
	Iterations  int
	Residual    float64 // the worst
	Unconverged int
	MaxSpeed    float64 // m/s
	Particles   int
	Drops       int        // of foam, spray and bubbles
	Volume      float64    // m³
	Inflow      float64    // m³ in this frame
	Drained     float64    // m³
	Left        [6]float64 // m³ through each open side
	Low, High   geom.Vec3  // the box round the liquid, m
}
