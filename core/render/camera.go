package render

// Cameras, random numbers and directions. A picture 36 mm wide stands behind every
// lens, so focal lengths mean what they mean on a film camera.

import (
	"math"

	"zarf/core/geom"
	"zarf/core/noise"
	"zarf/core/shot"
	"zarf/core/shot/val"
)

// Camera has a picture 36 mm wide and a thin lens.
type Camera struct {
	Eye                geom.Vec3
	right, up, forward geom.Vec3
	spread             float64 // half width over distance
	opening            float64 // radius of the lens, m; 0: a pinhole
	focus              float64 // distance along the view that is sharp, m
	w, h               float64 // pixels of the picture, for project
}

// NewCamera looks from eye to target through a lens of the given focal
// length, millimetres.
func NewCamera(eye, target geom.Vec3, lens float64) Camera {
	f := target.Sub(eye).Unit()
	if f == (geom.Vec3{}) {
		f = geom.V(0, 0, -1)
	}
	r := f.Cross(geom.V(0, 1, 0))
	if r.Len() < 1e-6 {
		r = geom.V(1, 0, 0)
	}
	r = r.Unit()
	return Camera{Eye: eye, right: r, up: r.Cross(f), forward: f, spread: 18 / lens}
}

// CameraOf is a shot's camera at a frame; a plain view of the origin where it
// has none.
func CameraOf(s *shot.Shot, frame float64) Camera {
	for _, c := range s.Of(shot.Camera) {
		eye, target, lens := geom.FromArray(val.Position.At(c, val.Frame(frame))), geom.FromArray(val.Target.At(c, val.Frame(frame))), val.Lens.At(c, val.Frame(frame))
		out := NewCamera(eye, target, lens)
		if stop := val.Aperture.At(c, val.Frame(frame)); stop > 0 {
			focus := val.Focus.At(c, val.Frame(frame))
			if focus <= 0 {
				focus = target.Sub(eye).Len()
			}
			out.Open(lens, stop, focus)
		}
		return out
	}
	return NewCamera(geom.V(3, 1.6, 4), geom.V(0, 1, 0), 35)
}

// ShutterOf is how long a shot's camera exposes a frame, s.
func ShutterOf(s *shot.Shot, frame float64) float64 {
	for _, c := range s.Of(shot.Camera) {
		return val.Shutter.At(c, val.Frame(frame)) / 360 / s.Rate()
	}
	return 0
}

// Open gives the camera a lens of a focal length, mm, at an f-number, focused
// at a distance, m.
func (c *Camera) Open(lens, stop, focus float64) {
	c.opening, c.focus = lens/1000/stop/2, max(focus, 1e-3)
}

// ray is the direction through (x,y) of a picture w by h, in pixels from its
// upper left.
func (c *Camera) ray(x, y float64, w, h int) geom.Vec3 {
	u := (2*x/float64(w) - 1) * c.spread
	v := (float64(h) - 2*y) / float64(w) * c.spread
	return c.forward.Add(c.right.Mul(u)).Add(c.up.Mul(v)).Unit()
}

// lensRay is ray through a random place of the lens: what is at the focus
// meets in one point.
func (c *Camera) lensRay(x, y float64, w, h int, r *dice) (o, d geom.Vec3) {
	d = c.ray(x, y, w, h)
	if c.opening <= 0 {
		return c.Eye, d
	}
	sharp := c.Eye.Add(d.Mul(c.focus / d.Dot(c.forward)))
	s, q := math.Sincos(2 * math.Pi * r.next())
	// even over the lens's disc
	rad := c.opening * math.Sqrt(r.next())
	o = c.Eye.Add(c.right.Mul(rad * q)).Add(c.up.Mul(rad * s))
	return o, sharp.Sub(o).Unit()
}

// project is the pixel in which a point is seen.
func (c *Camera) project(p geom.Vec3) (x, y float64) {
	q := p.Sub(c.Eye)
	z := max(q.Dot(c.forward), 1e-6)
	return (q.Dot(c.right)/z/c.spread + 1) * c.w / 2, (c.h - q.Dot(c.up)/z/c.spread*c.w) / 2
}

// dice gives random numbers of one (pixel, sample): splitmix64 (Steele, Lea,
// Flood 2014) from a hashed start.
type dice struct{ seed uint64 }

func roll(x, y, n int) dice {
	return dice{noise.Hash(0x7a7266, int64(x), int64(y), int64(n))}
}

func (d *dice) next() float64 { return float64(d.bits()>>11) / (1 << 53) }

// bits are 64 at random.
func (d *dice) bits() uint64 {
	// counter and finaliser: any start gives an independent sequence, and a sample's
	// numbers don't depend on how many another took
	d.seed += 0x9E3779B97F4A7C15
	h := d.seed
	h = (h ^ h>>30) * 0xBF58476D1CE4E5B9
	h = (h ^ h>>27) * 0x94D049BB133111EB
	return h ^ h>>31
}

// basis makes two directions square to n.
func basis(n geom.Vec3) (a, b geom.Vec3) {
	// Duff et al. 2017
	// without a branch or a square root, and continuous but for n.Z = 0
	s := math.Copysign(1, n.Z)
	p := -1 / (s + n.Z)
	q := n.X * n.Y * p
	return geom.V(1+s*n.X*n.X*p, s*q, -s*n.X), geom.V(q, s+n.Y*n.Y*p, -n.Y)
}

// disc draws a place in the disc of radius 1, at most a little inside its rim; q is the
// square of how far it is from the middle.
func (d *dice) disc() (u, v, q float64) {
	for {
		b := d.bits()
		u, v = float64(int32(b))*(1.0/(1<<31)), float64(int32(b>>32))*(1.0/(1<<31))
		if q = u*u + v*v; q < 1 {
			return u, v, q
		}
	}
}

// about draws a direction at an angle to n, alike all round.
func about(n geom.Vec3, cos float64, r *dice) geom.Vec3 {
	// a place in a disc lies alike all round (Marsaglia 1972)
	u, v, q := r.disc()
	a, b := basis(n)
	k := math.Sqrt(max(0, 1-cos*cos) / max(q, 1e-30))
	return tilt(a, b, n, u*k, v*k, cos)
}

// above draws a direction by the cosine to n: places in a disc, raised to the half ball
// (Malley).
func above(n geom.Vec3, r *dice) (d geom.Vec3, cos float64) {
	u, v, q := r.disc()
	a, b := basis(n)
	cos = math.Sqrt(1 - q)
	return tilt(a, b, n, u, v, cos), cos
}

// tilt is x·a + y·b + z·n, of directions square to each other, for x² + y² + z² = 1. What
// rounding adds is taken away.
func tilt(a, b, n geom.Vec3, x, y, z float64) geom.Vec3 {
	d := geom.V(a.X*x+b.X*y+n.X*z, a.Y*x+b.Y*y+n.Y*z, a.Z*x+b.Z*y+n.Z*z)
	return d.Mul(1.5 - 0.5*d.Dot(d))
}

// sincos is sine and cosine to 2e-11, of angles that directions are drawn by: a few turns
// at most. The nearest quarter is taken off, and the rest, up to 45°, goes through both
// Taylor series.
func sincos(x float64) (sin, cos float64) {
	n := int(x*(2/math.Pi) + math.Copysign(0.5, x))
	x -= float64(n) * (math.Pi / 2)
	q := x * x
	sin = x * (1 - q*(1.0/6)*(1-q*(1.0/20)*(1-q*(1.0/42)*(1-q*(1.0/72)*(1-q*(1.0/110))))))
	cos = 1 - q*0.5*(1-q*(1.0/12)*(1-q*(1.0/30)*(1-q*(1.0/56)*(1-q*(1.0/90)*(1-q*(1.0/132))))))
	if n&1 != 0 {
		sin, cos = cos, -sin
	}
	if n&2 != 0 {
		sin, cos = -sin, -cos
	}
	return sin, cos
}

// scatterHG draws a direction by the Henyey–Greenstein function about d.
func scatterHG(d geom.Vec3, g float64, r *dice) geom.Vec3 {
	u := r.next()
	cos := 1 - 2*u
	if math.Abs(g) > 1e-3 {
		// inversion of the Henyey–Greenstein cumulative; at g near 0 it is 0/0,
		// hence above
		t := (1 - g*g) / (1 - g + 2*g*u)
		cos = (1 + g*g - t*t) / (2 * g)
	}
	return about(d, cos, r)
}

// Axes are the camera's, of length 1: right, up, and towards the viewer.
func (c *Camera) Axes() [3]geom.Vec3 { return [3]geom.Vec3{c.right, c.up, c.forward.Mul(-1)} }
