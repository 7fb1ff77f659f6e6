package stage

import (
	"fmt"

	"zarf/core/geom"
	"zarf/core/noise"
	"zarf/core/shot"
	"zarf/core/shot/val"
	"zarf/core/sim"
)

// Binding puts what an element does at a moment into the scene.
type Binding func(m *Moment, e *shot.Element, out *sim.Scene)

var binds = map[shot.Kind]Binding{}

// Bind tells how elements of a kind act on simulations: those whose solvers
// take the kind; everywhere adds it to all solvers that are registered so far
// and later. It panics on a kind that is bound already.
//
// everywhere is for kinds that any solver should feel: a package that brings one
// can't know what solvers there will be.
func Bind(k shot.Kind, everywhere bool, b Binding) {
	if binds[k] != nil {
		panic(fmt.Sprintf("stage: the kind %s is bound twice", k))
	}
	binds[k] = b
	if everywhere {
		felt = append(felt, k)
		for _, s := range solvers {
			s.Binds = append(s.Binds, k)
		}
	}
}

// felt are the kinds that all solvers feel.
var felt []shot.Kind

func init() {
	// what a sensor does is done by the cast
	Bind(shot.Sensor, true, func(*Moment, *shot.Element, *sim.Scene) {})
	for k, b := range map[shot.Kind]Binding{shot.Collider: bindCollider, shot.Wind: bindWind, shot.Turbulence: bindTurbulence, shot.Vortex: bindVortex,
		shot.Radial: bindRadial, shot.Drag: bindDrag, shot.Guide: bindGuide, shot.Pull: bindPull, shot.Cloth: bindCloth} {
		Bind(k, false, b)
	}
}

// Region is where a force acts at the moment.
func (m *Moment) Region(e *shot.Element) (r sim.Region) {
	r.Shape, r.Fade, r.Limited = e.RegionShape(m.Now)
	switch only := m.Mask(e); {
	case !only.On:
	case r.Limited:
		r.Also = only
	default:
		r.Shape, r.Fade, r.Limited = only.Shape, only.Fade, true
	}
	return r
}

// Mask is what a sensor's form limits an element to at the moment; nothing where it names
// none that acts in the domain.
func (m *Moment) Mask(e *shot.Element) sim.Mask {
	if by := m.Shot.MaskOf(e, m.Domain); by != nil {
		return sim.Mask{Shape: m.Form(by), On: true, Fade: val.MaskFade.At(e, m.Now)}
	}
	return sim.Mask{}
}

func bindCollider(m *Moment, e *shot.Element, out *sim.Scene) {
	out.Colliders = append(out.Colliders, sim.Collider{Shape: m.Form(e), Before: m.Before(e), Friction: val.Friction.At(e, m.Now)})
}

// bindWind makes a wind of its element, gusts worked out for the moment.
// Gusts are noise over time, the same everywhere, seeded by the element's id.
func bindWind(m *Moment, e *shot.Element, out *sim.Scene) {
	v := geom.FromArray(val.Velocity.At(e, m.Now))
	swell := 0.0
	if g := val.Gust.At(e, m.Now); g != 0 {
		swell = g * noise.Octaves(m.Seed(e), 2, m.PhaseOf(e, val.GustTime), 0.5, 0.5)
	}
	out.Winds = append(out.Winds, sim.Wind{Velocity: v.Mul(1 + swell), Grip: val.Grip.At(e, m.Now), Region: m.Region(e)})
}

// bindTurbulence makes turbulence of its element.
// Its pattern runs with the frame and not with the substep.
func bindTurbulence(m *Moment, e *shot.Element, out *sim.Scene) {
	// the pattern is made anew once a frame: that costs most of the force
	out.Turbulences = append(out.Turbulences, sim.Turbulence{Strength: val.Strength.At(e, m.Now), Size: val.Largest.At(e, m.Now),
		Octaves: int(val.Octaves.At(e, m.Now)), Phase: m.PhaseOfFrame(e, val.Rate), Seed: m.Seed(e), Region: m.Region(e)})
}

// bindVortex makes a vortex of its element.
func bindVortex(m *Moment, e *shot.Element, out *sim.Scene) {
	out.Vortices = append(out.Vortices, sim.Vortex{Centre: geom.FromArray(val.Position.At(e, m.Now)), Axis: geom.RotationXYZ(geom.FromArray(val.Turn.At(e, m.Now))).Apply(geom.V(0, 1, 0)),
		Radius: val.Radius.At(e, m.Now), Strength: val.Strength.At(e, m.Now), Draw: val.Draw.At(e, m.Now), Lift: val.Lift.At(e, m.Now), Region: m.Region(e)})
}

func bindRadial(m *Moment, e *shot.Element, out *sim.Scene) {
	out.Radials = append(out.Radials, sim.Radial{Centre: geom.FromArray(val.Position.At(e, m.Now)), Radius: val.Radius.At(e, m.Now), Strength: val.Strength.At(e, m.Now), Region: m.Region(e)})
}

func bindDrag(m *Moment, e *shot.Element, out *sim.Scene) {
	out.Drags = append(out.Drags, sim.Drag{Rate: val.Rate.At(e, m.Now), Region: m.Region(e)})
}

// bindGuide makes a guide of its element; its curve is kept while its points
// stay.
func bindGuide(m *Moment, e *shot.Element, out *sim.Scene) {
	along := [4][]float64{val.PaceAlong.Of(e), val.DrawAlong.Of(e), val.SwirlAlong.Of(e), val.ReachAlong.Of(e)}
	out.Guides = append(out.Guides, sim.Guide{Line: m.Line(e), Pace: val.Pace.At(e, m.Now), Draw: val.Draw.At(e, m.Now), Swirl: val.Swirl.At(e, m.Now),
		Reach: val.Reach.At(e, m.Now), Grip: val.Grip.At(e, m.Now), Along: along})
}

func bindPull(m *Moment, e *shot.Element, out *sim.Scene) {
	out.Pulls = append(out.Pulls, sim.Pull{Shape: m.Form(e), Gather: val.Gather.At(e, m.Now), Reach: val.Reach.At(e, m.Now), Keep: val.Keep.At(e, m.Now)})
}
