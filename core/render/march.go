package render

// The quick march: for pages, previews and judging a look. It takes light within
// volumes from grids made beforehand (volume.go, glow.go), so a sample is one ray
// without a single random choice but its start; what it can't know (light thrown
// back and forth between surfaces) it leaves out.

import (
	"math"

	"zarf/core/geom"
	"zarf/core/look"
)

// opaque is the transmittance under which a march gives up.
const opaque = 0.004

// marchRay follows one ray front to back. Clear surfaces send it on bent; what
// they mirror is looked up once, without smoke.
//
// Smoke up to each surface, then what the surface does: shines, is cut out, catches
// shadows, scatters, or lets the ray on. A ray crosses clear surfaces up to maxClear
// times.
func (p *Picture) marchRay(t *trip, o, d geom.Vec3, out *taken) {
	s := p.scene
	// what of the light from here on reaches the eye
	through := look.RGB{1, 1, 1}
	in, eye := t.medium(o), true
	out.alpha = 1
	for crossed := 0; ; crossed++ {
		h, solid := s.trace(t, o, d, math.Inf(1), false)
		far := h.t
		lamp, at := s.meetLamp(o, d, far, eye)
		if lamp >= 0 {
			far = at
		}
		var v *veil
		if crossed == 0 {
			v = t.between(meets(h, solid, lamp))
		}
		if v == nil && p.marchVolumes(t, o, d, far, through, p.feats != nil && !out.hit, &t.veil) {
			v = &t.veil
		}
		if v != nil {
			t.lay(v, o, d, out, &through)
		}
		if through = s.soak(in, o, d, far, through, out); through == (look.RGB{}) {
			return
		}
		switch {
		case lamp >= 0:
			out.light[s.lampGroup(lamp)] = out.light[s.lampGroup(lamp)].Add(through.Mul(s.Lamps[lamp].Radiance))
			return
		case solid && h.clear && crossed < maxClear && through.Max() > opaque:
			if !out.hit && p.feats != nil {
				t.see(out, o, d, h.t, h.of)
				out.albedo, out.normal = look.RGB{1, 1, 1}, h.normal
			}
			o, d, in, eye = p.marchClear(t, o, d, h, in, eye, out, &through)
			continue
		case solid && h.holdout:
			out.alpha = 1 - (through[0]+through[1]+through[2])/3
			e := p.shade(t, o.Add(d.Mul(h.t)).Add(h.normal.Mul(h.off)), h)
			for g := ByFire; g < p.groups; g++ {
				out.light[g] = out.light[g].Add(through.Mul(h.colour).Mul(e[g]))
			}
		case solid && h.catcher:
			p.marchCatcher(t, o, d, h, through, out)
		case solid:
			h.damp *= in.film()
			if !out.hit && p.feats != nil {
				t.see(out, o, d, h.t, h.of)
				out.albedo, out.normal = h.colour, h.normal
			}
			p.marchSolid(t, o, d, h, through, crossed == 0, out)
		case eye:
			t.behind(out, d, through)
		default:
			out.light[BySky] = out.light[BySky].Add(through.Mul(s.sky(d)))
		}
		return
	}
}

// marchSolid adds the light of a surface, and what its varnish mirrors where
// it is that of an opaque liquid.
// Surfaces take the light of a look: no bounce, no noise.
func (p *Picture) marchSolid(t *trip, o, d geom.Vec3, h hit, through look.RGB, first bool, out *taken) {
	s := p.scene
	if h.wet || h.damp > 0 {
		f, _ := Fresnel(min(max(-d.Dot(h.normal), 1e-3), 1), 1/s.Look.Liquid.Index)
		if !h.wet {
			f *= h.damp
		}
		p.mirror(t, o, d, h, through.Scale(f), out)
		through = through.Scale(1 - f)
		out.light[Emission] = out.light[Emission].Add(through.Mul(h.glow))
	}
	e := p.lightOn(t, o, d, h, first)
	for g := range p.groups {
		out.light[g] = gained(&out.light[g], &through, &h.colour, &e[g], 1)
	}
}

// mirror adds what a surface throws back: the sky, or a solid.
// What stands there is shaded like anything else; a clear thing in a mirror shows
// the sky.
func (p *Picture) mirror(t *trip, o, d geom.Vec3, h hit, share look.RGB, out *taken) {
	s := p.scene
	from := o.Add(d.Mul(h.t)).Add(h.normal.Mul(h.off))
	dir := mirrored(d, h.normal)
	m, solid := s.trace(t, from, dir, math.Inf(1), true)
	if !solid || m.clear {
		out.light[BySky] = out.light[BySky].Add(share.Mul(s.sky(dir)))
		return
	}
	e := p.shade(t, from.Add(dir.Mul(m.t)).Add(m.normal.Mul(m.off)), m)
	for g := range p.groups {
		out.light[g] = gained(&out.light[g], &share, &m.colour, &e[g], 1)
	}
}

// marchClear takes a ray on through a clear surface, or off it where nothing
// gets through.
// Refraction goes on, reflection is looked up once and added: no branching.
func (p *Picture) marchClear(t *trip, o, d geom.Vec3, h hit, in medium, eye bool, out *taken, through *look.RGB) (geom.Vec3, geom.Vec3, medium, bool) {
	s := p.scene
	at := o.Add(d.Mul(h.t))
	beyond := at.Add(d.Mul(4 * h.off))
	behind := t.mediumBehind(&h, at, d, &in)
	// two surfaces that lie together, or a film within rounding: no boundary
	if behind == in {
		return beyond, d, in, eye
	}
	cos, eta := min(max(-d.Dot(h.normal), 1e-6), 1), s.index(in)/s.index(behind)
	f, bent := Fresnel(cos, eta)
	if f >= 1 {
		return at.Add(h.normal.Mul(h.off)), mirrored(d, h.normal), in, false
	}
	// what is thrown back within comes out elsewhere: it is left in the ray
	// mirrors are followed once, from outside alone
	if in == inAir && h.sea {
		p.marchSea(t, o, d, h, out, through)
	} else if in == inAir {
		p.mirror(t, o, d, h, through.Scale(f), out)
		*through = through.Scale(1 - f)
	}
	return at.Sub(h.normal.Mul(h.off)), refracted(d, h.normal, eta, cos, bent), behind, eye
}

// marchCatcher shows a ground by its shadows alone.
// As bright as the ground with everything there, over the ground with the plate's
// own.
func (p *Picture) marchCatcher(t *trip, o, d geom.Vec3, h hit, through look.RGB, out *taken) {
	s := p.scene
	at := o.Add(d.Mul(h.t)).Add(h.normal.Mul(h.off))
	e := p.shade(t, at, h)
	solids := t.solids
	t.solids = t.bare
	free := p.shade(t, at, h)
	t.solids = solids
	lum := func(c look.RGB) float64 { return 0.2126*c[0] + 0.7152*c[1] + 0.0722*c[2] }
	share := 1.0
	if all := lum(s.open); all > 0 {
		share = min(lum(free[BySun].Add(free[BySky]))/all, 1)
	}
	for g := ByFire; g < p.groups; g++ {
		out.light[g] = out.light[g].Add(through.Mul(h.colour).Mul(e[g]))
	}
	back, a := s.backdrop(d)
	out.light[BySky] = out.light[BySky].Add(through.Mul(back).Scale(share))
	out.alpha = 1 - (1-a)*share*(through[0]+through[1]+through[2])/3
}

// shade is the light over π on a surface, by where it comes from: the sun
// through smoke and past solids, the sky, fire and lamps.
// Each source on its own, so that layers of the march add up as those of paths do.
func (p *Picture) shade(t *trip, at geom.Vec3, h hit) (e [maxGroups]look.RGB) {
	s := p.scene
	rough := weaveOf(&h)
	if cos := h.normal.Dot(s.Look.SunDir); cos > 0 && s.Look.Sun.Max() > 0 {
		e[BySun] = s.Look.Sun.Mul(s.sunlit(t, at, s.Look.SunDir, math.Inf(1))).Mul(s.depth(at, s.Look.SunDir, math.Inf(1), 2)).Scale(cos / math.Pi * rough.of(s.Look.SunDir))
	}
	for _, v := range s.Volumes {
		e[ByFire] = e[ByFire].Add(v.fireOn(s, t, at, h.normal))
	}
	for i := range s.Lamps {
		c, d, far := s.Lamps[i].on(at, h.normal)
		if c.Max() > 0 {
			e[s.lampGroup(i)] = e[s.lampGroup(i)].Add(c.Mul(s.sunlit(t, at, d, far*(1-1e-3))).Mul(s.depth(at, d, far, 2)).Scale(rough.of(d)))
		}
	}
	// half of the sky for a wall, all for a floor, and darker near other solids
	// a wall sees half of the sky
	up := 0.5 + 0.5*h.normal.Y
	up *= s.openness(t.solids, at, h.normal)
	e[BySky] = p.skyLight.Scale(up * rough.all())
	return e
}

// openness guesses how much of the sky solids leave free, from distances along
// the normal.
// Ambient occlusion by distances: four looks instead of hundreds of rays, and no
// noise.
func (s *Scene) openness(solids []Solid, at, n geom.Vec3) float64 {
	if len(solids) == 0 {
		return 1
	}
	free := 1.0
	size := 0.0
	for i := range solids {
		size = max(size, solids[i].least)
	}
	// Four looks along the normal: where a solid is nearer than the look is far, it
	// hides part of the sky; far looks count for less.
	const looks, part = 4, 0.15
	most := size * part * looks
	var room [16]int
	near := room[:0] // those that a look can tell of
	for i := range solids {
		if i&3 == 0 && beyond(&solids[i].rest, at, 2*most) {
			break
		}
		if !beyond(&solids[i].box, at, 2*most) {
			near = append(near, i)
		}
	}
	for k := 1; k <= looks; k++ {
		reach := size * part * float64(k)
		q := at.Add(n.Mul(reach))
		d := reach
		if s.Look.Ground {
			d = min(d, q.Y-s.groundAt())
		}
		for _, i := range near {
			// nothing is nearer than its box, nor matters beyond reach
			if !beyond(&solids[i].box, q, d) {
				d = min(d, solids[i].Shape.Distance(q))
			}
		}
		free -= max(0, reach-d) / reach * 0.5 / float64(int(1)<<k)
	}
	return max(free, 0)
}

// beyond says that a box is as far from a place as d, or farther.
func beyond(b *geom.Box, q geom.Vec3, d float64) bool {
	x := max(b.Min.X-q.X, q.X-b.Max.X, 0)
	y := max(b.Min.Y-q.Y, q.Y-b.Max.Y, 0)
	z := max(b.Min.Z-q.Z, q.Z-b.Max.Z, 0)
	if d <= 0 {
		return x+y+z > 0
	}
	return x*x+y*y+z*z >= d*d
}

// depth is the transmittance from p along d, up to far, through all volumes,
// marched at the given step in voxels.
// Marched and not tracked: no noise, and a step of two voxels is fine for shadows.
func (s *Scene) depth(p, d geom.Vec3, far, step float64) look.RGB {
	var tau float64
	for _, v := range s.Volumes {
		tau += v.thick(p, d, far, step)
	}
	e := s.Look.Extinction
	return look.RGB{math.Exp(-tau * e[0]), math.Exp(-tau * e[1]), math.Exp(-tau * e[2])}
}

// thick is density times metres from p along d, up to far, by looks step voxels apart.
func (v *Volume) thick(p, d geom.Vec3, far, step float64) float64 {
	var l looked
	// looks stand a step apart along the whole ray, across tiles
	next := step / 2
	var c crossing
	for c.start(v, p, d, far); c.find(); {
		if v.major[c.tile] <= 0 {
			continue
		}
		next = max(next, c.from+math.Mod(next-c.from, step))
		for ; next < c.to; next += step {
			l.at(v, c.q.Add(d.Mul(next)))
		}
	}
	l.read(v)
	return l.sum * step * v.H
}

// looked are places in a volume whose densities are read together.
type looked struct {
	x, y, z, density [64]float32
	n                int
	sum              float64
}

// at adds the density at a place, as Volume.at has it.
func (l *looked) at(v *Volume, p geom.Vec3) {
	x, y, z, f := float32(p.X), float32(p.Y), float32(p.Z), v.Density
	if x < -0.5 || y < -0.5 || z < -0.5 || x > float32(f.NX)+0.5 || y > float32(f.NY)+0.5 || z > float32(f.NZ)+0.5 {
		return
	}
	l.x[l.n], l.y[l.n], l.z[l.n] = x, y, z
	if l.n++; l.n == len(l.x) {
		l.read(v)
	}
}

func (l *looked) read(v *Volume) {
	n := l.n
	if n == 0 {
		return
	}
	f := v.Density.Lattice([3]float32{0.5, 0.5, 0.5})
	f.Sample(l.density[:n], l.x[:n], l.y[:n], l.z[:n])
	for _, d := range l.density[:n] {
		if v.opacity != nil {
			d = v.opacity.One(d)
		}
		l.sum += float64(d)
	}
	l.n = 0
}
