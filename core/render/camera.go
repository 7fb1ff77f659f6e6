package render

import (
	"math"

	"zarf/core/geom"
	"zarf/core/noise"
	"zarf/core/shot"
)

// Camera is a pinhole with a picture 36 mm wide.
type Camera struct {
	Eye                geom.Vec3
	right, up, forward geom.Vec3
	spread             float64 // half width over distance
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
		return NewCamera(geom.FromArray(c.At("position", frame).Vec), geom.FromArray(c.At("target", frame).Vec), c.At("lens", frame).Num)
	}
	return NewCamera(geom.V(3, 1.6, 4), geom.V(0, 1, 0), 35)
}

// ray is the direction through (x,y) of a picture w by h, in pixels from its
// upper left.
func (c *Camera) ray(x, y float64, w, h int) geom.Vec3 {
	u := (2*x/float64(w) - 1) * c.spread
	v := (float64(h) - 2*y) / float64(w) * c.spread
	return c.forward.Add(c.right.Mul(u)).Add(c.up.Mul(v)).Unit()
}

// dice gives random numbers of one (pixel, sample).
type dice struct{ seed, n uint64 }

func (d *dice) next() float64 {
	d.n++
	return float64(noise.Hash(d.seed, int64(d.n), 0, 0)>>11) / (1 << 53)
}

// basis makes two directions square to n.
func basis(n geom.Vec3) (a, b geom.Vec3) {
	// Duff et al. 2017
	s := math.Copysign(1, n.Z)
	p := -1 / (s + n.Z)
	q := n.X * n.Y * p
	return geom.V(1+s*n.X*n.X*p, s*q, -s*n.X), geom.V(q, s+n.Y*n.Y*p, -n.Y)
}

// about turns polar coordinates round n into a direction.
func about(n geom.Vec3, cos, phi float64) geom.Vec3 {
	a, b := basis(n)
	sin := math.Sqrt(max(0, 1-cos*cos))
	s, c := math.Sincos(phi)
	return a.Mul(sin * c).Add(b.Mul(sin * s)).Add(n.Mul(cos)).Unit()
}

// scatterHG draws a direction by the Henyey–Greenstein function about d.
func scatterHG(d geom.Vec3, g float64, r *dice) geom.Vec3 {
	u := r.next()
	cos := 1 - 2*u
	if math.Abs(g) > 1e-3 {
		t := (1 - g*g) / (1 - g + 2*g*u)
		cos = (1 + g*g - t*t) / (2 * g)
	}
	return about(d, cos, 2*math.Pi*r.next())
}
