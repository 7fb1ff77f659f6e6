package sim

import (
	"zarf/core/geom"
)

// Region limits a force: full within the shape, fading to nothing over Fade
// metres outside. The zero region is everywhere.
type Region struct {
	Shape   geom.Shape
	Limited bool
	Fade    float64
	Also    Mask
}

// Mask limits something to a form of its own: full within, fading to nothing over Fade
// metres outside. The zero mask limits nothing.
type Mask struct {
	Shape geom.Shape
	On    bool
	Fade  float64
}

// Weight is the mask's strength at p, 0 to 1.
func (m *Mask) Weight(p geom.Vec3) float64 {
	if !m.On {
		return 1
	}
	return fading(m.Shape.Distance(p), m.Fade)
}

// fading is 1 within a form, and goes to 0 over a distance outside.
func fading(d, fade float64) float64 {
	switch {
	case d <= 0:
		return 1
	case d >= fade:
		return 0
	}
	t := 1 - d/fade
	return t * t * (3 - 2*t)
}

// Weight is the region's strength at p, 0 to 1.
func (r *Region) Weight(p geom.Vec3) float64 {
	if !r.Limited {
		return 1
	}
	w := fading(r.Shape.Distance(p), r.Fade)
	if w > 0 {
		w *= r.Also.Weight(p)
	}
	return w
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

// At is the vortex's acceleration at p.
func (v *Vortex) At(p geom.Vec3) geom.Vec3 {
	q := p.Sub(v.Centre)
	axis := v.Axis.Unit()
	out := q.Sub(axis.Mul(q.Dot(axis))) // away from the axis
	r := out.Len()
	if r < 1e-9 {
		return axis.Mul(v.Lift)
	}
	out = out.Mul(1 / r)
	// Kaufmann's profile, 1 at the radius: 2 r R/(R² + r²)
	f := 2 * r * v.Radius / (v.Radius*v.Radius + r*r)
	return axis.Cross(out).Mul(v.Strength * f).Sub(out.Mul(v.Draw * f)).Add(axis.Mul(v.Lift * v.Radius * v.Radius / (v.Radius*v.Radius + r*r)))
}

// Reach is where a vortex pushes with more than 2 % of its strength.
func (v *Vortex) Reach() geom.Box {
	return geom.Box{Min: v.Centre, Max: v.Centre}.Grow(100 * v.Radius)
}

// At is the radial push at p.
func (r *Radial) At(p geom.Vec3) geom.Vec3 {
	q := p.Sub(r.Centre)
	d := q.Len()
	if d < 1e-9 {
		return geom.Vec3{}
	}
	f := r.Strength / d
	if d < r.Radius*0.2 {
		f *= d / (r.Radius * 0.2) // no jump across the middle
	}
	if d > r.Radius {
		f *= r.Radius * r.Radius / (d * d)
	}
	return q.Mul(f)
}

// Reach is where a radial push has more than 1 % of its strength.
func (r *Radial) Reach() geom.Box {
	return geom.Box{Min: r.Centre, Max: r.Centre}.Grow(10 * r.Radius)
}

// Pull gathers smoke into a form. A force towards the form would be undone by
// the pressure, since air can't be squeezed; so smoke, heat and fuel drift
// through the air instead, as in the gathering term of Fattal and Lischinski
// (2004): by first-order upwind fluxes, which keep the total. Inside the form
// they spread until it is filled evenly, and the air is slowed.
type Pull struct {
	Shape  geom.Shape
	Gather float64 // m/s
	Reach  float64 // m from the surface
	Keep   float64 // 1/s
}
