package sim

import (
	"errors"

	"zarf/core/geom"
)

// Scene is what surrounds a fluid at one moment, of every kind that solvers
// have in common.
type Scene struct {
	Colliders   []Collider
	Winds       []Wind
	Turbulences []Turbulence
	Vortices    []Vortex
	Radials     []Radial
	Drags       []Drag
	Guides      []Guide
	Pulls       []Pull
	Forces      []Force // of kinds that none of the above is
}

// Force is any push by place.
type Force struct {
	// At is the acceleration at a place, m/s². It is called by several threads
	// at once.
	At func(p geom.Vec3) geom.Vec3
	// Reach is where it has more than a trace of its strength.
	Reach  geom.Box
	Region Region
}

// Pushes are the forces that are accelerations by place alone: vortices, radial
// pushes, and those of other kinds. Every fluid feels them.
func (s *Scene) Pushes() []Force {
	out := make([]Force, 0, len(s.Vortices)+len(s.Radials)+len(s.Forces))
	for i := range s.Vortices {
		v := &s.Vortices[i]
		out = append(out, Force{v.At, v.Reach(), v.Region})
	}
	for i := range s.Radials {
		r := &s.Radials[i]
		out = append(out, Force{r.At, r.Reach(), r.Region})
	}
	return append(out, s.Forces...)
}

// Substeps says how often to step within a frame.
type Substeps struct {
	CFL      float64 // cells that the fastest fluid may cross in a substep
	Min, Max int
}

// ErrStopped says that a frame was given up because it was asked to stop.
var ErrStopped = errors.New("stopped within a frame")
