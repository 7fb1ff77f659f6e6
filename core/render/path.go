package render

// Unbiased paths through smoke, fire, liquids and solids. Whatever is drawn by
// chance is divided by its density, and where two ways lead to the same light they
// are balanced, so that the mean of many samples is the solution of the equation in
// doc.go for the given number of bounces. What is left out on purpose is told where
// it is: caustics of the sun (sunlit), and light of fire through clear surfaces.

import (
	"math"
	"sort"

	"zarf/core/geom"
	"zarf/core/look"
)

// Light is kept apart by where it comes from.
const (
	Emission = iota // of flame, as it is seen
	BySun
	BySky
	ByFire
	ByLamp // the first lamp; others follow, as many as MaxLampGroups
)

// MaxLampGroups is how many lamps have a layer of their own; further ones
// share the last.
const MaxLampGroups = 8

const maxGroups = ByLamp + MaxLampGroups

// taken is what one sample of a pixel found.
// Sums stay apart by source all the way, so that layers cost an addition each and
// always add up to the beauty.
type taken struct {
	light [maxGroups]look.RGB
	// alpha is what the picture hides of the plate behind it, mean over colours
	alpha  float64
	hit    bool
	depth  float64 // along the view, m
	motion [2]float64
	albedo look.RGB
	normal geom.Vec3
}

// trail holds what a coloured flight's weights were on its way.
// One entry for each null collision of a coloured flight: its factor, and once the flight
// is over the weight behind it.
type trail struct {
	t []float64
	w []look.RGB
}

// trip is a sample under way: the moment of the exposure and what stands
// where at it.
// It is reused from sample to sample by each thread, so its slices grow once.
type trip struct {
	s      *Scene
	cam    *Camera
	solids []Solid
	bare   []Solid // those whose shadows no plate holds
	// each sample has one moment of the exposure: camera, solids and fluid at it
	moment float64 // s from the middle of the exposure
	r      dice
	rough  weave // of the surface at hand
	way    trail
	odds   []float64 // of each light to be asked at the last event
	spans  []span    // of the ray within volumes
	ends   []float64 // of all of them
	cross  crossing  // the ray's way through a volume
	here   []*bricks // those that overlap

	out  taken // of the pixel under way
	rays int64 // that were followed through volumes

	// of a march
	read, sum     *reader            // of one volume, and of all
	veil          veil               // what the ray under way sees of volumes
	cells, lights cells              // what lies between rays that were followed before, and light on what they met; of nothing without
	x, y          int                // the pixel's place among them
	known         [block][block]bool // pixels of a block that were told from them
}

// path follows one light path backwards from the eye.
//
// At every event the sun is asked directly, and one of sky, lamps and fire,
// drawn at random; the path goes on by the phase function or by cosine, and
// both ways are weighed against each other by the balance heuristic (Veach
// 1997). Fire is met along the way by looking every few voxels, and asked by
// drawing a place within it by its light; in the measure dω dt the first has
// density p(ω)/step, the second p(y)·r².
func (t *trip) path(o, d geom.Vec3, out *taken) {
	s := t.s
	l := &s.Look
	r := &t.r
	// w is the path's throughput: what a unit of light found here adds to the pixel.
	w := look.RGB{1, 1, 1}
	out.alpha = 1
	t.odds = t.odds[:0]
	// pdf belongs to balancing: it is compared with the density by which ask would
	// have drawn the same direction. 0 says that ask couldn't have: full weight.
	pdf := 0.0  // by which d was drawn; 0 for the eye's own ray, and behind clear surfaces
	eye := true // nothing but clear surfaces that it went through lies before it
	in, crossed := t.medium(o), 0
	for bounce := 0; ; bounce++ {
		// What lies on the way, nearest first: a solid or liquid's surface, a lamp,
		// then a collision in smoke before either.
		h, solid := s.trace(t, o, d, math.Inf(1), !eye)
		lamp, lampAt, far := -1, 0.0, h.t
		if len(s.Lamps) > 0 {
			if lamp, lampAt = s.meetLamp(o, d, h.t, eye); lamp >= 0 {
				far = lampAt
			}
		}
		// glow needs the weight before the flight: fire in front of the collision is
		// seen through what the trail tells of the smoke on the way
		before := w
		at, of := t.fly(o, d, far, &w)
		inSmoke := of >= 0
		if inSmoke {
			far = at
		}
		if in != inAir {
			left, back := s.soakedIn(in, o, d, far)
			if back != (look.RGB{}) {
				out.light[BySky] = gained(&out.light[BySky], &w, &back, &white, 1)
			}
			w = w.Mul(left)
			if s.Sea != nil && w.Max() < 1e-3 { // what water itself gives back is counted
				return
			}
		}
		gain, group := l.Flame, Emission
		if !eye {
			gain, group = l.FlameLight, ByFire
		}
		if gain > 0 && s.fire != nil {
			sum, mid := t.glow(o, d, far, before, pdf)
			if sum != (look.RGB{}) {
				out.light[group] = gained(&out.light[group], &sum, &white, &white, gain)
			}
			if eye && mid > 0 && !inSmoke && !solid {
				t.see(out, o, d, mid, nil)
			}
		}
		if !(w[0] > 0 || w[1] > 0 || w[2] > 0) {
			return
		}
		if in == inLiquid && s.Sea != nil && !inSmoke && !solid && lamp < 0 {
			return
		}
		if h.sea && h.clear && in == inAir && !inSmoke && solid {
			if r.next() < h.foam {
				h.clear, h.colour = false, look.RGB{foamColour, foamColour, foamColour}
			} else {
				s.sunIn(t, o, d, &h, w, out)
			}
		}
		switch {
		// A collision: scattered with chance albedo, carried as a factor instead.
		case inSmoke:
			p := o.Add(d.Mul(at))
			colour := s.albedo(s.Volumes[of], p, t.moment)
			if eye {
				t.see(out, o, d, at, nil)
				out.albedo = colour
			}
			if bounce >= l.Bounces {
				return
			}
			// Lights are asked with the throughput after the albedo, by paths that go on.
			w = w.Mul(colour)
			if !t.goesOn(&w, bounce) {
				return
			}
			t.ask(out, p, d, geom.Vec3{}, w)
			from := d
			d = t.scatter(from)
			o, pdf, eye = p, l.Lobes.At(from.Dot(d)), false
		// Met by chance; weighed by the balance heuristic against having been asked.
		case lamp >= 0:
			weight := 1.0
			if pdf > 0 {
				weight = pdf / (pdf + t.odd(s.lampAt+lamp)*s.Lamps[lamp].pdf(o, d, lampAt))
			}
			g := s.lampGroup(lamp)
			out.light[g] = out.light[g].Add(w.Mul(s.Lamps[lamp].Radiance).Scale(weight))
			return
		// Clear surfaces send the path on without an event: the bounce doesn't
		// count, and nothing could have been asked through them, so pdf is 0.
		case solid && h.clear:
			if crossed++; crossed > maxClear {
				return
			}
			if eye && !out.hit {
				t.see(out, o, d, h.t, h.of)
				out.albedo, out.normal = look.RGB{1, 1, 1}, h.normal
			}
			thrown := false
			o, d, in, thrown = t.crossClear(o, d, h, in)
			pdf = 0
			if thrown {
				eye = false
			}
			bounce--
			continue
		// A surface that scatters by cosine; holdouts and catchers answer the eye in
		// their own way.
		case solid:
			p := o.Add(d.Mul(h.t)).Add(h.normal.Mul(h.off))
			if eye {
				if h.holdout {
					// the plate shows it; fire and lamps light it up
					out.alpha = 1 - (w[0]+w[1]+w[2])/3
					var got taken
					t.ask(&got, p, d, h.normal, w.Mul(h.colour))
					for g := ByFire; g < maxGroups; g++ {
						out.light[g] = out.light[g].Add(got.light[g])
					}
					return
				}
				if h.catcher {
					t.caught(out, p, h, w, d)
					return
				}
				if !out.hit {
					t.see(out, o, d, h.t, h.of)
					out.albedo, out.normal = h.colour, h.normal
				}
			}
			if h.wet {
				if l.Liquid.Glow > 0 {
					g := Emission
					if !eye {
						g = ByFire
					}
					out.light[g] = out.light[g].Add(w.Mul(h.glow))
				}
			}
			if h.wet || h.damp > 0 && in == inAir {
				// a coat of varnish over what is opaque, a film of liquid on a wet solid
				rough, share := l.Liquid.Rough, 1.0
				if !h.wet {
					rough, share = max(rough, filmRough), h.damp
				}
				n := facet(h.normal, rough, r)
				if f, _ := Fresnel(min(max(-d.Dot(n), 1e-3), 1), 1/l.Liquid.Index); r.next() < f*share {
					if crossed++; crossed > maxClear {
						return
					}
					o, d, pdf, eye = p, mirrored(d, n), 0, false
					bounce--
					continue
				}
			}
			if bounce >= l.Bounces {
				return
			}
			w = w.Mul(h.colour)
			rough := weaveOf(&h)
			t.rough = rough
			t.ask(out, p, d, h.normal, w)
			t.rough = weave{}
			// cosine-weighted direction: pdf = cos/π, which cancels the cosine and
			// the π of the diffuse surface
			var cos float64
			d, cos = above(h.normal, r)
			w = w.Scale(rough.of(d))
			o, pdf, eye = p, cos/math.Pi, false
		// nothing met: the backdrop, which may be transparent
		case eye:
			t.behind(out, d, w)
			return
		// a scattered ray leaves: the sky, weighed against having asked it
		default:
			weight := 1.0
			if s.env != nil && pdf > 0 {
				weight = pdf / (pdf + t.odd(0)*s.env.pdf(d))
			}
			c := s.sky(d)
			out.light[BySky] = gained(&out.light[BySky], &w, &c, &white, weight)
			return
		}
		if !inSmoke && !t.goesOn(&w, bounce) {
			return
		}
	}
}

// goesOn is Russian roulette: paths that carry little end by chance, and those that go
// on count for more, so that the mean stays. Up to the fourth bounce, where most of the
// picture is made, only such as carry less than an eighth, as in dark smoke. In smoke it
// is played before lights are asked, which is half of the work: a
// blast of dark smoke reaches the same error in 0.9 of the time.
func (t *trip) goesOn(w *look.RGB, bounce int) bool {
	keep := 8 * w.Max()
	if bounce > 3 {
		keep = min(w.Max(), 0.95)
	}
	if keep < 1 {
		if t.r.next() >= keep {
			return false
		}
		*w = w.Scale(1 / keep)
	}
	return true
}

// lampGroup is where a lamp's light counts.
func (s *Scene) lampGroup(n int) int {
	if s.Lamps[n].Fire {
		return ByFire
	}
	return ByLamp + min(n, MaxLampGroups-1)
}

// behind is what an eye's ray finds beyond everything.
// Transparent backgrounds leave alpha to what was met on the way.
func (t *trip) behind(out *taken, d geom.Vec3, w look.RGB) {
	back, a := t.s.backdrop(d)
	out.light[BySky] = out.light[BySky].Add(w.Mul(back))
	out.alpha = 1 - (1-a)*(w[0]+w[1]+w[2])/3
}

// movesAt is how the fluid at a place moves: that of the volume or the liquid
// whose velocity reaches there; nil where none is known.
// Volumes before liquids: smoke is what usually has a velocity.
func (s *Scene) movesAt(p geom.Vec3) *drift {
	for _, v := range s.Volumes {
		if v.moves != nil && v.moves.reaches(p) {
			return v.moves
		}
	}
	for _, l := range s.Liquids {
		if l.moves != nil && l.moves.reaches(p) {
			return l.moves
		}
	}
	return nil
}

// see notes depth and motion of what a ray meets first.
// The next frame's place follows what was met: a solid's own motion, or the fluid's
// velocity there; the camera's motion is in both projections.
func (t *trip) see(out *taken, o, d geom.Vec3, far float64, of *Solid) {
	s := t.s
	out.hit, out.depth = true, far*d.Dot(t.cam.forward)
	p := o.Add(d.Mul(far))
	q := p
	switch {
	case of != nil && of.Then != nil:
		q = of.Then.Centre.Add(of.Then.Turn.Apply(of.Shape.Local(p)))
	case of == nil && s.Rate > 0:
		if m := s.movesAt(p); m != nil {
			q = p.Add(m.at(p).Mul(1 / s.Rate))
		}
	}
	x0, y0 := s.Camera.project(p)
	x1, y1 := x0, y0
	if s.Then != nil {
		x1, y1 = s.Then.project(q)
	} else {
		x1, y1 = s.Camera.project(q)
	}
	out.motion = [2]float64{x1 - x0, y1 - y0}
}

// caught is a ground that shows its shadows alone: as much alpha as direct
// light is kept off, and the light of fire and lamps as it is.
//
// Three estimates with the same random numbers would be better balanced; two calls
// of ask with fresh ones are right in the mean, and the ratio's bias is far under
// the noise.
func (t *trip) caught(out *taken, p geom.Vec3, h hit, w look.RGB, d geom.Vec3) {
	s := t.s
	all := s.open // what would arrive with nothing in the way
	// The share of sun and sky that reaches the ground with everything in place,
	// over what would reach it with only the plate's own things there.
	lum := func(c look.RGB) float64 { return 0.2126*c[0] + 0.7152*c[1] + 0.0722*c[2] }
	solids := t.solids
	var got, free taken
	t.ask(&got, p, d, h.normal, look.RGB{1, 1, 1})
	// sun and sky: what stands in the plate throws its shadow there
	t.solids = t.bare
	t.ask(&free, p, d, h.normal, look.RGB{1, 1, 1})
	// one more direction by cosine for the sky: ask alone would leave it noisy
	dir, cos := above(h.normal, &t.r)
	if _, hit := s.trace(t, p, dir, math.Inf(1), true); !hit {
		weight := 1.0
		if s.env != nil {
			weight = (cos / math.Pi) / (cos/math.Pi + t.odd(0)*s.env.pdf(dir))
		}
		c := s.sky(dir)
		t.dim(p, dir, math.Inf(1), &c)
		free.light[BySky] = free.light[BySky].Add(c.Scale(weight))
	}
	t.solids = solids
	share := 1.0
	if a := lum(all); a > 0 {
		share = lum(free.light[BySun].Add(free.light[BySky])) / a
	}
	m := (w[0] + w[1] + w[2]) / 3
	back, a := s.backdrop(d)
	out.light[BySky] = out.light[BySky].Add(w.Mul(back).Scale(share))
	out.alpha = 1 - (1-a)*m*share
	for g := ByFire; g < maxGroups; g++ {
		out.light[g] = out.light[g].Add(got.light[g].Mul(w).Mul(h.colour))
	}
}

// scatter draws a direction by the phase function.
// One lobe by its share, then its direction.
func (t *trip) scatter(d geom.Vec3) geom.Vec3 {
	l := t.s.Look.Lobes
	g := l.G
	if l.Share > 0 && t.r.next() < l.Share {
		g = l.Back
	}
	return scatterHG(d, g, &t.r)
}

// response is how much of the light from dir goes on, and the chance of that
// direction: the phase function in smoke, cosine over π on a surface.
// A normal of zero says that there is no surface.
func (t *trip) response(d, normal, dir geom.Vec3) float64 {
	if normal == (geom.Vec3{}) {
		return t.s.Look.Lobes.At(d.Dot(dir))
	}
	return max(0, normal.Dot(dir)) / math.Pi
}

// sunWidth is half the angle of the sun's disc, radians.
const sunWidth = 0.00465

// ask adds the light that comes directly: from the sun, and from one of the
// others.
//
// Each light is weighed against the chance that the path itself goes there (balance
// heuristic), the sun apart, which can't be met. Visibility is by ratio tracking
// through smoke and by tracing past solids.
func (t *trip) ask(out *taken, p, d, normal geom.Vec3, w look.RGB) {
	s := t.s
	l := &s.Look
	r := &t.r
	if s.sunny {
		// uniform over the sun's disc: soft shadows of 0.53°, and no density is
		// needed as the sun can't be met by chance
		dir := s.sunwards(r)
		if f := t.response(d, normal, dir); f > 0 {
			if sun := s.sunlit(t, p, dir, math.Inf(1)); sun != (look.RGB{}) {
				t.sunshine(p, dir, &sun)
				out.light[BySun] = gained(&out.light[BySun], &w, &l.Sun, &sun, f*t.rough.of(dir))
			}
		}
	}
	if s.lights == 0 {
		return
	}
	t.weigh(p)
	// one light by its odds; the odds are part of its density below
	u := r.next()
	n := 0
	for n < s.lights-1 && u >= t.odds[n] {
		u -= t.odds[n]
		n++
	}
	switch {
	case n >= s.lampAt:
		n -= s.lampAt
		lamp := &s.Lamps[n]
		dir, far, pl, ok := lamp.sample(p, r)
		if !ok {
			return
		}
		pl *= t.odd(s.lampAt + n)
		if f := t.response(d, normal, dir); f > 0 && !s.blocked(t, p, dir, far*(1-1e-6)) {
			g, c := s.lampGroup(n), lamp.Radiance
			t.dim(p, dir, far, &c)
			out.light[g] = gained(&out.light[g], &w, &c, &white, t.rough.of(dir)*f/(pl+f))
		}
	case n == s.fireAt:
		t.askFire(out, p, d, normal, w)
	default:
		dir, pl := s.env.sample(r)
		pl *= t.odd(0)
		if f := t.response(d, normal, dir); f > 0 && !s.blocked(t, p, dir, math.Inf(1)) {
			c := s.sky(dir)
			t.dim(p, dir, math.Inf(1), &c)
			out.light[BySky] = gained(&out.light[BySky], &w, &c, &white, t.rough.of(dir)*f/(pl+f))
		}
	}
}

// gained is what a light was, and w·a·b·k more of it.
func gained(was, w, a, b *look.RGB, k float64) look.RGB {
	return look.RGB{was[0] + w[0]*a[0]*b[0]*k, was[1] + w[1]*a[1]*b[1]*k, was[2] + w[2]*a[2]*b[2]*k}
}

var white = look.RGB{1, 1, 1}

// weigh gives each light a chance by about how much it gives at p; none gets
// less than a tenth of an even share, as what stands between isn't known.
// Rough on purpose: it is asked at every event.
func (t *trip) weigh(p geom.Vec3) {
	s := t.s
	// reused from event to event: no allocation after the first
	t.odds = append(t.odds[:0], make([]float64, s.lights)...)
	sum := 0.0
	for n := range t.odds {
		w := 0.0
		switch {
		case n >= s.lampAt:
			c, _, _ := s.Lamps[n-s.lampAt].on(p, geom.Vec3{})
			// on() for smoke is a mean over all directions, a quarter of what faces
			// the lamp
			w = 4 * (c[0] + c[1] + c[2])
		case n == s.fireAt:
			for _, v := range s.Volumes {
				if v.power > 0 {
					to := v.hearth.Sub(p)
					// the whole fire as a ball at its middle: far away exact, near
					// by soft
					w += s.Look.FlameLight * v.power / (math.Pi * (to.Dot(to) + v.blaze*v.blaze))
				}
			}
		default:
			w = s.open[0] + s.open[1] + s.open[2]
			w -= s.sunOpen
		}
		t.odds[n] = max(w, 0)
		sum += t.odds[n]
	}
	// a tenth is shared evenly: a light that is guessed to be weak but isn't must
	// not make fireflies
	even := 1 / float64(s.lights)
	for n := range t.odds {
		if sum > 0 {
			t.odds[n] = 0.9*t.odds[n]/sum + 0.1*even
		} else {
			t.odds[n] = even
		}
	}
}

// odd is the chance that a light had at the last event; 0 where none was asked.
func (t *trip) odd(n int) float64 {
	if n >= len(t.odds) {
		return 0
	}
	return t.odds[n]
}

// askFire draws a place within the fire and takes its light from there.
// The place is drawn by the light there, so bright cores are asked more; what the
// ray then passes is another matter, and the source of most of the noise.
func (t *trip) askFire(out *taken, p, d, normal geom.Vec3, w look.RGB) {
	s := t.s
	r := &t.r
	n, _ := s.fire.draw(r.next())
	v := s.Volumes[n]
	y, voxel := v.ember(r)
	glow := v.burnt(y, t.moment)
	if glow == (look.RGB{}) {
		return
	}
	to := v.Origin.Add(y.Mul(v.H)).Sub(p)
	far := to.Len()
	dir := to.Mul(1 / max(far, 1e-9))
	f := t.response(d, normal, dir)
	if f <= 0 || s.blocked(t, p, dir, far) {
		return
	}
	// Both ways of finding this fire as densities in dω dt: p(ω) over the spacing of
	// looks, and p(y) r². Balance: f/(pa + pb) instead of f/pb.
	pa, pb := f/(glowStep*v.H), t.odd(s.fireAt)*s.fireChance(n, voxel)*far*far
	t.dim(p, dir, far, &glow)
	out.light[ByFire] = gained(&out.light[ByFire], &w, &glow, &white, s.Look.FlameLight*t.rough.of(dir)*f/(pa+pb))
}

// ember draws a place within the fire by its light: a tile, then a voxel in it
// by trial, then a place in the voxel.
// The first trial mostly succeeds where a tile burns evenly.
func (v *Volume) ember(r *dice) (y geom.Vec3, voxel int) {
	c, _ := v.pick.draw(r.next())
	f := v.Density
	i, j, k := c%v.tiles.NX*tile, c/v.tiles.NX%v.tiles.NY*tile, c/(v.tiles.NX*v.tiles.NY)*tile
	// by trial within a tile: accepted in proportion to the voxel's light, on the
	// mean in a few tries as tiles are small
	for {
		u := int(r.next() * tile * tile * tile)
		x, yy, z := i+u%tile, j+u/tile%tile, k+u/(tile*tile)
		if x >= f.NX || yy >= f.NY || z >= f.NZ {
			continue
		}
		voxel = v.glow.at(x, yy, z)
		if r.next()*float64(v.bright[c]) < v.glow.shine(voxel) {
			return geom.V(float64(x)+r.next(), float64(yy)+r.next(), float64(z)+r.next()), voxel
		}
	}
}

// fireChance is the chance a cubic metre round a voxel has to be drawn.
func (s *Scene) fireChance(volume, voxel int) float64 {
	v := s.Volumes[volume]
	return s.fire.chance(volume) * v.glow.shine(voxel) / (v.pick.total * v.H * v.H * v.H)
}

// glowStep is how many voxels apart fire is looked at by scattered rays.
const glowStep = 4

// burnt is the light that a metre of fire gives at a place in voxels at a
// moment; none outside the grid.
// In voxels and not metres, as its callers walk in voxels.
func (v *Volume) burnt(p geom.Vec3, moment float64) look.RGB {
	f := v.Density
	if p.X < 0 || p.Y < 0 || p.Z < 0 || p.X > float64(f.NX) || p.Y > float64(f.NY) || p.Z > float64(f.NZ) {
		return look.RGB{}
	}
	if v.moves != nil && moment != 0 {
		p = v.moves.back(v, p, moment)
	}
	return v.glowAt(float32(p.X), float32(p.Y), float32(p.Z))
}

// burntNear is burnt of one of the eight voxels round a place, drawn by the weight that
// interpolation gives it: right in the mean, for rays whose own noise is far more.
func (v *Volume) burntNear(p geom.Vec3, moment float64, bits uint64) look.RGB {
	if v.sharp != nil || v.moves != nil && moment != 0 {
		return v.burnt(p, moment)
	}
	f := v.Density
	const unit = 1.0 / (1 << 21)
	// up by one, so that cutting off is rounding down
	on := func(x float64, b uint64, n int) int {
		return min(max(int(x+0.5+float64(b&(1<<21-1))*unit)-1, 0), n-1)
	}
	n := v.glow.at(on(p.X, bits, f.NX), on(p.Y, bits>>21, f.NY), on(p.Z, bits>>42, f.NZ))
	g, by := v.glow.q[n:n+3:n+3], v.glow.unit
	return look.RGB{float64(unpack(g[0]) * by), float64(unpack(g[1]) * by), float64(unpack(g[2]) * by)}
}

// glow estimates the light that fire gives along a ray up to far: a sum over
// steps of some voxels from a random start, which is right in the mean, weighed
// against askFire where the ray was drawn with density pdf. mid is the mean
// distance of that light.
//
// The estimator's variance is low where fire is larger than the step, which is
// always: so fire that is seen is nearly free of noise.
func (t *trip) glow(o, d geom.Vec3, far float64, w look.RGB, pdf float64) (sum look.RGB, mid float64) {
	s := t.s
	weight := 0.0
	for n, v := range s.Volumes {
		if v.Glow[0] == nil {
			continue
		}
		// The integral of glow by a sum over steps from a random start: right in the
		// mean for any step. To the eye every other voxel adds half a percent to the
		// error of a blast, and takes a fourteenth off its time.
		gap := 2.0
		if pdf > 0 {
			gap = glowStep
		}
		shift, step := t.r.next(), 0
		inv := 1 / gap
		var c crossing
		for c.startGlow(v, o, d, far); c.find(); {
			if !v.lit[c.tile] {
				continue
			}
			for x := (math.Ceil(c.from*inv-shift) + shift) * gap; x < c.to; x += gap {
				p := c.q.Add(d.Mul(x))
				var g look.RGB
				if pdf > 0 {
					g = v.burntNear(p, t.moment, t.r.bits())
				} else {
					g = v.burnt(p, t.moment)
				}
				if g == (look.RGB{}) {
					continue
				}
				k := gap * v.H
				if pdf > 0 {
					r := x * v.H
					pa := pdf / k
					f := v.Density
					at := v.glow.at(min(int(p.X), f.NX-1), min(int(p.Y), f.NY-1), min(int(p.Z), f.NZ-1))
					k *= pa / (pa + t.odd(s.fireAt)*s.fireChance(n, at)*r*r)
				}
				// coloured smoke changes the weight along the flight: the trail is
				// walked along
				for step < len(t.way.t) && t.way.t[step] <= x*v.H {
					w = t.way.w[step]
					step++
				}
				g = g.Scale(k).Mul(w)
				sum = sum.Add(g)
				lum := g[0] + g[1] + g[2]
				weight += lum
				mid += lum * x * v.H
			}
		}
	}
	if weight > 0 {
		mid /= weight
	}
	return sum, mid
}

// fly draws a free flight by delta tracking up to far. With coloured
// extinction collisions are drawn by its mean, and the weights carry what
// differs, so the estimate stays unbiased; the trail keeps them for glow.
// at is in metres along d; w is multiplied by what the flight leaves; of is the
// volume that it collided in, −1 for none.
//
// Volumes are flown through one by one, each up to the nearest collision so far: as
// independent media that overlap, the nearest of all is that of their sum.
func (t *trip) fly(o, d geom.Vec3, far float64, w *look.RGB) (at float64, of int) {
	s := t.s
	t.way.t, t.way.w = t.way.t[:0], t.way.w[:0]
	if s.thickest == 0 {
		return 0, -1
	}
	of, at = -1, far
	real := look.RGB{1, 1, 1}
	for n, v := range s.Volumes {
		if x, by, hit := t.flyIn(v, o, d, at); hit {
			at, of, real = x, n, by
		}
	}
	if s.grey {
		return at, of
	}
	t.way.settle(at, len(s.Volumes) > 1, *w)
	if n := len(t.way.w); n > 0 {
		*w = t.way.w[n-1]
	}
	*w = w.Mul(real)
	return at, of
}

// settle puts what a flight met in its order, up to far, and makes its factors weights
// from w on.
func (y *trail) settle(far float64, many bool, w look.RGB) {
	if many {
		sort.Sort(y)
	}
	n := sort.SearchFloat64s(y.t, far)
	y.t, y.w = y.t[:n], y.w[:n]
	for i, f := range y.w {
		w = w.Mul(f)
		y.w[i] = w
	}
}

func (y *trail) Len() int           { return len(y.t) }
func (y *trail) Less(i, j int) bool { return y.t[i] < y.t[j] }
func (y *trail) Swap(i, j int) {
	y.t[i], y.t[j] = y.t[j], y.t[i]
	y.w[i], y.w[j] = y.w[j], y.w[i]
}

// flyIn draws a free flight through one volume: where it ends in a collision before far,
// and the factor of that. Factors of null collisions go to the trail.
func (t *trip) flyIn(v *Volume, o, d geom.Vec3, far float64) (at float64, by look.RGB, hit bool) {
	s, r := t.s, &t.r
	e, top := &s.Look.Extinction, s.thickest
	by = look.RGB{1, 1, 1}
	c := &t.cross
	c.startNodes(v, o, d, far)
	// the depth against majorants to the next trial collision, whatever tiles it goes through
	left := 0.0
	if c.t < c.end {
		left = r.free()
	}
	for c.find() {
		// a voxel's depth at the majorant
		dense := c.majorant() * top * v.H
		for x := c.from; ; left = r.free() {
			if room := (c.to - x) * dense; left >= room {
				left -= room
				break
			}
			x += left / dense
			// The real density over the majorant is the chance that this
			// collision is one; else it is a null collision, and the flight goes
			// on.
			den := t.chance(c, &d, x)
			if s.grey {
				if r.next() < den {
					return x * v.H, by, true
				}
				continue
			}
			real := e.Scale(den / top)
			// Coloured extinction: one distance serves three colours. The
			// collision is drawn by the mean, and each colour's weight is its
			// own chance over that mean.
			chance := (real[0] + real[1] + real[2]) / 3
			if r.next() < chance {
				return x * v.H, real.Scale(1 / chance), true
			}
			if chance < 1 {
				t.way.t = append(t.way.t, x*v.H)
				t.way.w = append(t.way.w, look.RGB{(1 - real[0]) / (1 - chance), (1 - real[1]) / (1 - chance), (1 - real[2]) / (1 - chance)})
			}
		}
	}
	return 0, by, false
}

// dim takes off light what smoke keeps of it from p along d up to far, by ratio tracking:
// at each trial collision a weight shrinks by the chance that it is real. That has the mean
// of the transmittance, and is far less noisy than counting arrivals. It ends by roulette
// below a tenth, where what is left hardly shows.
func (t *trip) dim(p, d geom.Vec3, far float64, light *look.RGB) {
	s, r := t.s, &t.r
	top := s.thickest
	if top == 0 {
		return
	}
	if s.grey {
		x := t.dimGrey(p, d, far)
		light[0], light[1], light[2] = light[0]*x, light[1]*x, light[2]*x
		return
	}
	share := s.Look.Extinction.Scale(1 / top)
	w := look.RGB{1, 1, 1}
	c := &t.cross
	for _, v := range s.Volumes {
		c.startNodes(v, p, d, far)
		left := 0.0
		if c.t < c.end {
			left = r.free()
		}
		for c.find() {
			dense := c.majorant() * top * v.H
			for x := c.from; ; left = r.free() {
				if room := (c.to - x) * dense; left >= room {
					left -= room
					break
				}
				x += left / dense
				den := t.chance(c, &d, x)
				for k := range 3 {
					w[k] *= 1 - den*share[k]
				}
				if m := w.Max(); m < 0.1 { // Russian roulette keeps it unbiased
					if r.next() >= 0.5 {
						*light = look.RGB{}
						return
					}
					w = w.Scale(2)
				}
			}
		}
	}
	*light = light.Mul(w)
}

// dimGrey is what is left where all colours are let through alike.
func (t *trip) dimGrey(p, d geom.Vec3, far float64) float64 {
	r, w := &t.r, 1.0
	c := &t.cross
	for _, v := range t.s.Volumes {
		c.startNodes(v, p, d, far)
		left := 0.0
		if c.t < c.end {
			left = r.free()
		}
		for c.find() {
			dense := c.majorant() * t.s.thickest * v.H
			for x := c.from; ; left = r.free() {
				if room := (c.to - x) * dense; left >= room {
					left -= room
					break
				}
				x += left / dense
				if w *= 1 - t.chance(c, &d, x); w < 0.1 {
					if r.next() >= 0.5 {
						return 0
					}
					w *= 2
				}
			}
		}
	}
	return w
}
