package render

// Open water: its surface out to the horizon, about the domains that lie in it. What of its
// slopes is too fine to be told apart roughens it: it mirrors less at grazing angles and
// spreads the sun's image to a glitter (Cox and Munk 1954; Bruneton, Neyret, Holzschuch 2010).

import (
	"math"
	"sync/atomic"

	"zarf/core/geom"
	"zarf/core/look"
	"zarf/core/sea"
)

// Sea is open water in the picture.
type Sea struct {
	Surface   *sea.Surface
	Holes     []geom.Box // domains that lie in it: the water there is theirs
	Deep      look.RGB   // share of light that comes back from the depths
	Whitecaps float64    // how readily crests that fold over show white, 0 to 1
	Floor     float64    // m: where the ground lies, if there is one

	// Ripples are what of the sea's waves is too short for the domains' voxels: their surface
	// shows them as well. nil: there are none.
	Ripples *sea.Surface

	chart atomic.Pointer[sea.Chart]
	fine  *sea.Chart // of ripples
	eye   geom.Vec3
	apart float64
}

// Surround leaves the sea out where liquids are that its surface crosses.
func (w *Sea) Surround(list []*Liquid) {
	w.Holes = w.Holes[:0]
	for _, l := range list {
		b := l.box()
		if l.joined = b.Min.Y < w.Surface.Sea.Level && b.Max.Y > w.Surface.Sea.Level; l.joined {
			w.Holes = append(w.Holes, b)
		}
	}
}

// see readies the sea for a camera.
func (w *Sea) see(c *Camera, pixels int) {
	apart := 2 * c.spread / float64(max(pixels, 1))
	if w.chart.Load() != nil && w.eye == c.Eye && w.apart <= apart {
		return
	}
	w.eye, w.apart = c.Eye, apart
	if w.Ripples != nil {
		w.fine = w.Ripples.Chart(c.Eye, apart)
	}
	w.chart.Store(w.Surface.Chart(c.Eye, apart))
}

// without reports a place that a domain has.
func (w *Sea) without(x, z float64) bool {
	for i := range w.Holes {
		b := &w.Holes[i]
		if x > b.Min.X && x < b.Max.X && z > b.Min.Z && z < b.Max.Z {
			return true
		}
	}
	return false
}

// under reports a place in the sea's water.
func (w *Sea) under(p geom.Vec3) bool {
	c := w.chart.Load()
	if p.Y >= c.High {
		return false
	}
	for i := range w.Holes { // under a domain the sea goes on
		b := &w.Holes[i]
		if p.X > b.Min.X && p.X < b.Max.X && p.Z > b.Min.Z && p.Z < b.Max.Z {
			return p.Y <= b.Min.Y
		}
	}
	return p.Y < c.Height(p.X, p.Z)
}

// meet is where a ray goes through the sea's surface.
func (s *Scene) meetSea(o, d geom.Vec3, far float64) (h hit, ok bool) {
	w := s.Sea
	c := w.chart.Load()
	t, ok := c.Ray(o, d, 0, far, w.without)
	if !ok {
		return h, false
	}
	p := o.Add(d.Mul(t))
	sx, sz, steep, fold := c.Look(p.X, p.Z)
	n := geom.V(-sx, 1, -sz).Unit()
	behind := uint8(openWater)
	if n.Dot(d) > 0 {
		n, behind = n.Mul(-1), openAir
	}
	from := p.Sub(w.eye).Len()
	h = hit{t: t, normal: n, off: 1e-3 * max(0.05, from*0.01), clear: !s.Look.Liquid.Opaque, wet: s.Look.Liquid.Opaque, sea: true, open: behind, steep: steep}
	if h.wet {
		h.colour = s.Look.Liquid.Colour
	}
	if w.Whitecaps > 0 {
		// from where the surface is drawn to two fifths on, at the least; all folded is white
		from := 0.1 + 0.75*w.Whitecaps
		h.foam = min(max((from-fold)/0.35, 0), 1)
	}
	return h, true
}

// ripple shows the sea's short waves on a domain's surface, where that lies flat enough to bear
// them.
func (w *Sea) ripple(h *hit, p, d geom.Vec3) {
	n := h.normal
	if n.Y < 0.2 || w.fine == nil {
		return
	}
	sx, sz, steep, _ := w.fine.Look(p.X, p.Z)
	share := min((n.Y-0.2)/0.5, 1)
	h.normal = geom.V(n.X-n.Y*sx*share, n.Y, n.Z-n.Y*sz*share).Unit()
	if away := h.normal.Dot(d) + 0.05; away > 0 { // of a side that the eye doesn't see
		h.normal = h.normal.Sub(d.Mul(away)).Unit()
	}
	h.steep, h.sea = steep*share, true
}

// What lies behind a surface of open water: its ripples may be lower than what a place a
// little farther along a ray would tell.
const (
	notOpen = iota
	openWater
	openAir
)

// mediumBehind is the medium behind a surface that a ray along d, which is in one, meets at a
// place. Of open water the side that is met tells both.
func (t *trip) mediumBehind(h *hit, at, d geom.Vec3, in *medium) medium {
	switch h.open {
	case openWater:
		*in = inAir
		return inLiquid
	case openAir:
		*in = inLiquid
		return inAir
	}
	return t.medium(at.Add(d.Mul(4 * h.off)))
}

// foamColour is what foam throws back.
const foamColour = 0.75

// glint is the sun's image in a surface whose slopes have a variance of steep, for light of 1
// across its way: the share of facets that mirror it to the eye, and of the light by Fresnel.
func glint(n, v, sun geom.Vec3, steep float64) float64 {
	half := v.Add(sun).Unit()
	c := half.Dot(n)
	up := v.Dot(n)
	if c <= 0.05 || up <= 0 || sun.Dot(n) <= 0 {
		return 0
	}
	tan2 := 1/(c*c) - 1
	f, _ := Fresnel(min(max(v.Dot(half), 1e-3), 1), 1/1.33)
	return f * math.Exp(-tan2/steep) / (math.Pi * steep) / (4 * max(up, 0.02) * c * c * c * c)
}

// leastSteep is the least variance of slopes: the sun isn't a point, and no water is a mirror.
const leastSteep = 3e-4

// sunIn adds the sun's image in the sea.
func (s *Scene) sunIn(t *trip, o, d geom.Vec3, h *hit, through look.RGB, out *taken) {
	if s.Look.Sun.Max() <= 0 {
		return
	}
	g := glint(h.normal, d.Mul(-1), s.Look.SunDir, h.steep+leastSteep)
	if g <= 1e-6 {
		return
	}
	at := o.Add(d.Mul(h.t)).Add(h.normal.Mul(h.off))
	lit := s.sunlit(t, at, s.Look.SunDir, math.Inf(1)).Mul(s.depth(at, s.Look.SunDir, math.Inf(1), 2))
	out.light[BySun] = out.light[BySun].Add(through.Mul(s.Look.Sun).Mul(lit).Scale(g))
}

// marchSea is what a march sees of the sea's surface from the air: foam, the sun's image, and
// what is mirrored; through is what is left for what lies under it.
func (p *Picture) marchSea(t *trip, o, d geom.Vec3, h hit, out *taken, through *look.RGB) {
	s := p.scene
	if h.foam > 0 {
		e := p.shade(t, o.Add(d.Mul(h.t)).Add(h.normal.Mul(h.off)), h)
		for g := range p.groups {
			out.light[g] = out.light[g].Add(through.Mul(e[g]).Scale(h.foam * foamColour))
		}
		*through = through.Scale(1 - h.foam)
	}
	s.sunIn(t, o, d, &h, *through, out)
	f := s.mirrors(&h, d)
	m := h
	m.normal = tilted(h.normal, d, h.steep)
	if dir := mirrored(d, m.normal); dir.Y < 0.02 { // what other waves would throw up again
		dir.Y = max(-dir.Y, 0.02)
		m.normal = dir.Unit().Sub(d).Unit()
	}
	p.mirror(t, o, d, m, through.Scale(f), out)
	*through = through.Scale(1 - f)
}

// mirrors is how much the sea's surface throws back: by Bruneton, Neyret and Holzschuch's mean
// over slopes of a variance that isn't told apart.
func (s *Scene) mirrors(h *hit, d geom.Vec3) float64 {
	cos := min(max(-d.Dot(h.normal), 1e-3), 1)
	sigma := math.Sqrt(h.steep / 2)
	n := s.Look.Liquid.Index
	r := (n - 1) * (n - 1) / ((n + 1) * (n + 1))
	return r + (1-r)*math.Pow(1-cos, 5*math.Exp(-2.69*sigma))/(1+22.7*math.Pow(sigma, 1.5))
}

// tilted is a normal by which a mean facet mirrors: of those that are seen aslant, more face
// the eye.
func tilted(n, d geom.Vec3, steep float64) geom.Vec3 {
	if steep <= 0 {
		return n
	}
	// slopes towards the eye weigh more by cos + σ² …: the mean is tilted by σ² tan θ, at most σ
	cos := max(-d.Dot(n), 1e-3)
	flat := d.Add(n.Mul(cos))
	l := flat.Len()
	if l == 0 {
		return n
	}
	tilt := min(steep/2*l/cos, math.Sqrt(steep))
	return n.Sub(flat.Mul(tilt / l)).Unit()
}

// soakedIn is what a way of so many metres along d from o through the medium in leaves of light,
// and what of light water throws back on that way: all that it has, where the way is endless.
func (s *Scene) soakedIn(in medium, o, d geom.Vec3, far float64) (left, back look.RGB) {
	if in != inLiquid || s.Sea == nil {
		return s.soakedAlong(in, o, d, far), look.RGB{}
	}
	if !math.IsInf(far, 1) {
		left = s.soakedAlong(in, o, d, far)
	}
	back = s.Sea.Deep.Mul(s.open)
	for c := range back {
		back[c] *= 1 - left[c]
	}
	return left, back
}

// soak takes light on along such a way of a march, and returns what is left of it.
func (s *Scene) soak(in medium, o, d geom.Vec3, far float64, through look.RGB, out *taken) look.RGB {
	left, back := s.soakedIn(in, o, d, far)
	out.light[BySky] = out.light[BySky].Add(through.Mul(back))
	return through.Mul(left)
}

// groundAt is how high the ground lies, m.
func (s *Scene) groundAt() float64 {
	if s.Sea != nil {
		return s.Sea.Floor
	}
	return 0
}
