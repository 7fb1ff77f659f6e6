package sim

import (
	"math"

	"zarf/core/geom"
	"zarf/core/grid"
	"zarf/core/noise"
)

// Emitter lets fluid in: its form, its motion, the gaps that noise leaves. Each
// solver adds the amounts that it knows.
type Emitter struct {
	Shape      geom.Shape
	Source     *Source    // emits where another fluid is, instead of a shape; may be nil
	Before     geom.Shape // where it stood dt earlier, for the velocity that it hands on
	Surface    float64    // 0: the whole volume; else the thickness of the shell, m
	Speed      float64    // m/s along the surface normal or the axis
	AlongAxis  bool
	Push       geom.Vec3 // m/s, on top
	Inherit    float64   // share of the body's own velocity handed on
	Breakup    float64   // 0..1: how much of the emitter the noise switches off
	NoiseSize  float64   // m
	NoisePhase float64   // how far its noise has run by now, in changes of the whole pattern
	Seed       uint64
	Mask       Mask
}

// Source is another fluid that emits: how much of it there is, 1 counting once,
// and how it moves, on a grid of its own.
type Source struct {
	Share  *grid.Field
	Motion [3]*grid.Field // m/s at cell centres; nil where it isn't known
	H      float64        // m
	Origin geom.Vec3      // the grid's corner
	Push   [3]*grid.Field // momentum given to a volume over so many seconds, kg/(m² s), at cell centres; nil without
	Over   float64        // s
}

// Pushes tells that the source gives momentum.
func (o *Source) Pushes() bool { return o != nil && o.Push[0] != nil && o.Over > 0 }

// Force is the momentum that a volume at a place gets along an axis in a second, N/m³.
func (o *Source) Force(axis int, p geom.Vec3) float64 {
	q := p.Sub(o.Origin).Mul(1 / o.H)
	d := o.Push[axis].Dims
	if q.X < 0 || q.Y < 0 || q.Z < 0 || q.X > float64(d.NX) || q.Y > float64(d.NY) || q.Z > float64(d.NZ) {
		return 0
	}
	return float64(o.Push[axis].Sample(float32(q.X-0.5), float32(q.Y-0.5), float32(q.Z-0.5))) / o.Over
}

// At is the share at a place, and the velocity there.
func (o *Source) At(p geom.Vec3) (share float64, v geom.Vec3) {
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

// Bounds is the box that the source's grid fills.
func (o *Source) Bounds() geom.Box {
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

// Cover is how much of a voxel round p an emitter fills, 0 to 1: a ramp one
// voxel wide over its surface. One thinner than a voxel counts as if it were a
// voxel thick: else a coarse run would emit colder and thinner gas than a fine
// one, and fuel might not light.
func (e *Emitter) Cover(p geom.Vec3, h float64) float64 {
	by := e.Mask.Weight(p)
	if by <= 0 {
		return 0
	}
	if e.Source != nil {
		c, _ := e.Source.At(p)
		return c * by
	}
	d := e.Shape.Distance(p)
	if e.Surface > 0 {
		d = math.Abs(d) - max(e.Surface, h)/2
	}
	full := 1.0
	if e.Surface <= 0 && e.Shape.Form != geom.Imported {
		full = min(0.5+e.Shape.Thinnest()/(2*h), 1)
	}
	c := min(max((0.5-d/h)/full, 0), 1)
	if c > 0 && e.Shape.Body != nil {
		c *= e.Shape.Body.Share(e.Shape.Local(p))
	}
	return c * by
}

// Gaps is the share that noise leaves of the emission at p, 0 to 1.
func (e *Emitter) Gaps(p geom.Vec3) float64 {
	if e.Breakup <= 0 || e.NoiseSize <= 0 {
		return 1
	}
	q := p.Sub(e.Shape.Centre).Mul(1 / e.NoiseSize)
	n := 0.5 + 0.5*noise.Octaves(e.Seed, 2, q.X, q.Y+e.NoisePhase, q.Z+0.37*e.NoisePhase)
	// full strength lets through only what is above the mean
	m := (n - e.Breakup*0.5) / max(1-e.Breakup*0.5, 1e-6) * (1 + e.Breakup)
	return min(max(m, 0), 1)
}
