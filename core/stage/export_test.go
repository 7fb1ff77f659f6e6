package stage

import (
	"zarf/core/shot"
	"zarf/core/shot/val"
)

// For the tests outside.
var (
	Began    = began
	SourceOf = sourceOf
)

// GoodEvery is how many frames apart a draft keeps states.
const (
	GoodEvery = goodEvery
)

// Run is the run that a draft shows.
func (d *Draft) Run() Runner { return d.run }

// PhaseAt is how far a noise has run at a time, at a frame.
func PhaseAt(r Runner, e *shot.Element, rate val.NumKey, t, f float64) float64 {
	return r.Base().phase(e, rate, t, f, func(v float64) float64 { return v })
}

// Clock is a run's clock.
func Clock(r Runner) func(t float64) float64 { return r.Base().clock() }
