package render

// Lights with a size, panoramas, and drawing from given weights. Densities are by
// solid angle throughout, which is what balancing compares.

import (
	"math"

	"zarf/core/geom"
	"zarf/core/look"
	"zarf/core/pixel"
)

// discrete draws indices with given chances.
// Running sums in float64: with a million weights a float32 sum would lose the last.
type discrete struct {
	sum   []float64 // running sums
	total float64
	guide []int32 // where to begin looking, by even parts of all (Chen and Asau 1974)
	inv   float64 // one over total
}

// newDiscrete makes a distribution of weights.
// All weights 0 is allowed; chance is then 0 for each and draw gives the last.
func newDiscrete(w []float64) *discrete {
	d := &discrete{sum: make([]float64, len(w))}
	for i, x := range w {
		d.total += x
		d.sum[i] = d.total
	}
	if d.total > 0 {
		d.inv = 1 / d.total
	}
	d.guide = make([]int32, len(w)+1)
	n := 0
	for i := range d.guide {
		for n < len(w)-1 && d.sum[n] < float64(i)/float64(len(w))*d.total {
			n++
		}
		d.guide[i] = int32(n)
	}
	return d
}

// draw gives an index and its chance; u is within [0,1).
func (d *discrete) draw(u float64) (n int, chance float64) {
	// inversion: the first running sum that reaches u; 1e-300 steps over entries of
	// weight 0 at u = 0
	x := u*d.total + 1e-300
	n = int(d.guide[int(u*float64(len(d.sum)))])
	for n > 0 && d.sum[n-1] >= x { // rounding
		n--
	}
	for n < len(d.sum)-1 && d.sum[n] < x {
		n++
	}
	return n, d.chance(n)
}

// chance is how likely an entry is drawn.
func (d *discrete) chance(n int) float64 {
	if n == 0 {
		return d.sum[0] * d.inv
	}
	return (d.sum[n] - d.sum[n-1]) * d.inv
}

// Lamp is a light with a surface.
// Radiance is what its surface gives off; how much light arrives follows from its
// size and how far it is.
type Lamp struct {
	Name     string
	Ball     bool
	Centre   geom.Vec3
	Radius   float64   // of a ball, m
	U, V     geom.Vec3 // half the width and height of a panel
	Normal   geom.Vec3
	Radiance look.RGB
	Seen     bool
	Fire     bool // it stands for things that glow: its light counts as that of fire
}

// NewPanel is a panel at a place, facing a target.
func NewPanel(at, target geom.Vec3, wide, tall float64) Lamp {
	n := target.Sub(at).Unit()
	if n == (geom.Vec3{}) {
		n = geom.V(0, -1, 0)
	}
	// Width lies level, so that a panel isn't seen askew; straight up or down it
	// lies along x.
	u := n.Cross(geom.V(0, 1, 0))
	if u.Len() < 1e-6 {
		u = geom.V(1, 0, 0)
	}
	u = u.Unit()
	return Lamp{Centre: at, Normal: n, U: u.Mul(wide / 2), V: u.Cross(n).Mul(tall / 2)}
}

// area is a lamp's area, m².
func (l *Lamp) area() float64 {
	if l.Ball {
		return 4 * math.Pi * l.Radius * l.Radius
	}
	// U and V are halves.
	return 4 * l.U.Len() * l.V.Len()
}

// sample draws a direction from p to the lamp: how far it is, its chance by
// solid angle, and whether the lamp shines that way at all.
func (l *Lamp) sample(p geom.Vec3, r *dice) (d geom.Vec3, far, pdf float64, ok bool) {
	if l.Ball {
		to := l.Centre.Sub(p)
		c2 := to.Dot(to)
		// Within the ball, or on it, there is no cone.
		if c2 <= l.Radius*l.Radius*1.0001 {
			return d, 0, 0, false
		}
		// uniform over the cone under which the ball is seen: nearer to 1/solid
		// angle than any choice on its surface
		cosMax := math.Sqrt(1 - l.Radius*l.Radius/c2)
		d = about(to.Unit(), 1-r.next()*(1-cosMax), r)
		// At the very edge of the cone rounding may miss the ball; that sample is
		// lost.
		t, hit := l.hit(p, d, math.Inf(1))
		return d, t, 1 / (2 * math.Pi * (1 - cosMax)), hit
	}
	// uniform over the panel's area; r²/(cos A) turns that into a density by solid
	// angle
	q := l.Centre.Add(l.U.Mul(2*r.next() - 1)).Add(l.V.Mul(2*r.next() - 1))
	to := q.Sub(p)
	far = to.Len()
	d = to.Mul(1 / max(far, 1e-12))
	cos := -d.Dot(l.Normal)
	if cos <= 1e-6 || far < 1e-9 {
		return d, far, 0, false
	}
	return d, far, far * far / (cos * l.area()), true
}

// hit is where a ray meets the lamp's shining side.
// A panel shines on its front alone; from behind it isn't met.
func (l *Lamp) hit(o, d geom.Vec3, far float64) (t float64, ok bool) {
	if l.Ball {
		to := l.Centre.Sub(o)
		b := to.Dot(d)
		// A quarter of the quadratic's discriminant, as d has length 1.
		disc := b*b - to.Dot(to) + l.Radius*l.Radius
		if disc < 0 {
			return 0, false
		}
		t = b - math.Sqrt(disc)
		return t, t > 1e-6 && t < far
	}
	cos := d.Dot(l.Normal)
	if cos > -1e-6 {
		return 0, false
	}
	to := l.Centre.Sub(o)
	t = to.Dot(l.Normal) / cos
	if t <= 1e-6 || t >= far {
		return 0, false
	}
	// From the middle of the panel to the place met; its shares along both sides
	// follow.
	q := d.Mul(t).Sub(to)
	return t, math.Abs(q.Dot(l.U)) <= l.U.Dot(l.U) && math.Abs(q.Dot(l.V)) <= l.V.Dot(l.V)
}

// pdf is the chance by solid angle with which sample draws a direction that
// hits at a distance.
// Needed where another way of drawing found the lamp: the two are then balanced by
// their densities (Veach and Guibas 1995).
func (l *Lamp) pdf(p, d geom.Vec3, far float64) float64 {
	if l.Ball {
		to := l.Centre.Sub(p)
		c2 := to.Dot(to)
		if c2 <= l.Radius*l.Radius*1.0001 {
			return 0
		}
		return 1 / (2 * math.Pi * (1 - math.Sqrt(1-l.Radius*l.Radius/c2)))
	}
	return far * far / (-d.Dot(l.Normal) * l.area())
}

// on is the irradiance over π of a surface by a lamp taken as a point, for the
// quick march; normal 0 gives the mean over all directions, for smoke.
// For a look at once: no direction is drawn and no noise comes of it; near the lamp
// the shape is that of a disc of its area.
func (l *Lamp) on(p, normal geom.Vec3) (e look.RGB, d geom.Vec3, far float64) {
	to := l.Centre.Sub(p)
	far = to.Len()
	d = to.Mul(1 / max(far, 1e-9))
	shown := l.area()
	// as a disc of the same area: the fall-off doesn't go to infinity near by
	soft := l.area() / math.Pi
	if l.Ball {
		shown /= 4
		soft /= 4
	} else {
		shown *= max(0, -d.Dot(l.Normal))
	}
	// Of a disc seen from its axis this is exact; a quarter of it is the mean over
	// all directions in space.
	w := shown / (math.Pi * (far*far + soft))
	if normal != (geom.Vec3{}) {
		w *= max(0, normal.Dot(d))
	} else {
		w /= 4
	}
	return l.Radiance.Scale(w), d, far
}

// Env is light from all round, as a panorama: longitude along x from −z over
// +x, latitude from the zenith down.
// Pix is as brought in; strength and colour of the sky are multiplied where it is
// read.
type Env struct {
	W, H int
	Pix  []look.RGB
	turn float64 // radians
	rows *discrete
	cols []*discrete
	even bool // all of a row is alike

	edges []float64 // the cosine from the zenith at which each row ends
	guide []uint16  // the first row that even parts of the cosine may lie in
}

// NewEnv prepares a panorama turned about the vertical, radians.
func NewEnv(m *pixel.Image, turn float64) *Env {
	e := &Env{W: m.W, H: m.H, Pix: make([]look.RGB, m.W*m.H), turn: turn}
	for i := range e.Pix {
		for c := range 3 {
			e.Pix[i][c] = float64(m.Pix[4*i+c])
		}
	}
	e.weigh()
	return e
}

// weigh makes the distribution that directions are drawn by: rows by their sum,
// columns within a row, each pixel by its luminance times the solid angle that it
// fills.
func (e *Env) weigh() {
	rows := make([]float64, e.H)
	e.cols = make([]*discrete, e.H)
	for y := range e.H {
		// a pixel's solid angle shrinks with the sine of its latitude
		sin := math.Sin(math.Pi * (float64(y) + 0.5) / float64(e.H))
		w := make([]float64, e.W)
		for x := range w {
			// Weights of ⅛, ¾, ⅛ are the integrals of the three hats that reach into
			// a pixel. With the pixel's own value alone a bright one beside it would
			// be met too seldom.
			// the mean over the pixel of what At finds between pixels
			var c look.RGB
			for j, q := range [3]float64{0.125, 0.75, 0.125} {
				for i, p := range [3]float64{0.125, 0.75, 0.125} {
					c = c.Add(e.pixel(x+i-1, y+j-1).Scale(p * q))
				}
			}
			// The small number keeps black pixels possible: light between pixels
			// reaches into them.
			w[x] = (0.2126*c[0] + 0.7152*c[1] + 0.0722*c[2] + 1e-9) * sin
		}
		e.cols[y] = newDiscrete(w)
		rows[y] = e.cols[y].total
	}
	e.rows = newDiscrete(rows)
	e.even = true
	for i, c := range e.Pix {
		e.even = e.even && c == e.Pix[i-i%e.W]
	}
	if e.even {
		e.rule()
	}
}

// rule makes rows quick to find.
func (e *Env) rule() {
	e.edges, e.guide = make([]float64, e.H), make([]uint16, 1024)
	for y := range e.edges {
		e.edges[y] = math.Cos(math.Pi * float64(y+1) / float64(e.H))
	}
	e.edges[e.H-1] = -2 // below everything
	y := 0
	for i := range e.guide {
		for e.edges[y] > 1-2*float64(i)/float64(len(e.guide)) {
			y++
		}
		e.guide[i] = uint16(y)
	}
}

// row is that in which a direction lies.
func (e *Env) row(d geom.Vec3) int {
	y := int(e.guide[min(max(int((1-d.Y)*0.5*float64(len(e.guide))), 0), len(e.guide)-1)])
	for d.Y < e.edges[y] {
		y++
	}
	return y
}

// skyEnv is a look's own sky as a coarse panorama, for drawing directions.
func skyEnv(l *look.Look) *Env {
	// 64 rows of 32: the sky of a look changes with height far more than with
	// bearing.
	const w, h = 32, 64
	pix := make([]look.RGB, w*h)
	e := &Env{W: w, H: h, Pix: pix}
	for y := range h {
		for x := range w {
			pix[y*w+x] = l.SkyLight(e.direction((float64(x)+0.5)/w, (float64(y)+0.5)/h))
		}
	}
	e.weigh()
	return e
}

// u runs from −z over +x, as seen from above clockwise.
func (e *Env) direction(u, v float64) geom.Vec3 {
	phi, theta := 2*math.Pi*u+e.turn, math.Pi*v
	s, c := sincos(theta)
	ps, pc := sincos(phi)
	return geom.V(s*ps, c, -s*pc)
}

func (e *Env) place(d geom.Vec3) (u, v float64) {
	u = (math.Atan2(d.X, -d.Z) - e.turn) / (2 * math.Pi)
	// longitude wraps; latitude can't, as acos stays within 0 … π
	u -= math.Floor(u)
	return u, math.Acos(min(max(d.Y, -1), 1)) / math.Pi
}

// At is the panorama's light in a direction, between pixels.
func (e *Env) At(d geom.Vec3) look.RGB {
	u, v := e.place(d)
	x, y := u*float64(e.W)-0.5, v*float64(e.H)-0.5
	// Floor and not a cut: x is −0.5 at the left edge and must go round.
	fx, fy := math.Floor(x), math.Floor(y)
	tx, ty := x-fx, y-fy
	i, j := int(fx), int(fy)
	return e.pixel(i, j).Scale((1 - tx) * (1 - ty)).Add(e.pixel(i+1, j).Scale(tx * (1 - ty))).Add(e.pixel(i, j+1).Scale((1 - tx) * ty)).Add(e.pixel(i+1, j+1).Scale(tx * ty))
}

// pixel goes round at the sides and stays at the poles.
func (e *Env) pixel(i, j int) look.RGB {
	return e.Pix[min(max(j, 0), e.H-1)*e.W+((i%e.W)+e.W)%e.W]
}

// sample draws a direction by the panorama's light.
func (e *Env) sample(r *dice) (d geom.Vec3, pdf float64) {
	y, py := e.rows.draw(r.next())
	x, px := 0.0, 1.0
	if e.even {
		x = r.next() * float64(e.W)
	} else {
		var n int
		n, px = e.cols[y].draw(r.next())
		x, px = float64(n)+r.next(), px*float64(e.W)
	}
	d = e.direction(x/float64(e.W), (float64(y)+r.next())/float64(e.H))
	return d, py * px * e.spread(d)
}

// spread is one over the solid angle of a row of pixels about a direction: 2π² sin θ/H.
func (e *Env) spread(d geom.Vec3) float64 {
	return float64(e.H) / (2 * math.Pi * math.Pi * max(math.Sqrt(max(1-d.Y*d.Y, 0)), 1e-9))
}

// pdf is the chance by solid angle with which sample draws d.
func (e *Env) pdf(d geom.Vec3) float64 {
	if e.even {
		return e.rows.chance(e.row(d)) * e.spread(d)
	}
	u, v := e.place(d)
	x, y := min(int(u*float64(e.W)), e.W-1), min(int(v*float64(e.H)), e.H-1)
	return e.rows.chance(y) * e.cols[y].chance(x) * float64(e.W) * e.spread(d)
}

// mean is the panorama's radiance averaged over the half facing n by cosine.
// A sum over all pixels: it is asked once a picture.
func (e *Env) mean(n geom.Vec3) (out look.RGB) {
	for y := range e.H {
		v := (float64(y) + 0.5) / float64(e.H)
		solid := math.Sin(math.Pi*v) * 2 * math.Pi * math.Pi / float64(e.W*e.H)
		for x := range e.W {
			if cos := e.direction((float64(x)+0.5)/float64(e.W), v).Dot(n); cos > 0 {
				out = out.Add(e.Pix[y*e.W+x].Scale(cos * solid / math.Pi))
			}
		}
	}
	return out
}
