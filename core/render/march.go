package render

// The quick march: for pages, previews and judging a look. It takes light within
// volumes from grids made beforehand (volume.go, glow.go), so a sample is one ray
// without a single random choice but its start; what it can't know (light thrown
// back and forth between surfaces) it leaves out.

import (
	"math"
	"slices"
	"sync"

	"zarf/core/geom"
	"zarf/core/look"
	"zarf/core/vec"
)

// Light scattered more than once is guessed by orders of scattering (Wrenninge,
// Kulla, Lundqvist 2013): each order keeps half of the light, meets half of the
// optical depth, and has half of the phase function's directness.
const (
	maxOrders  = 4
	lightShare = 0.5
	phaseShare = 0.5
)

func scaled(share float64, n int) float64 { return math.Pow(share, float64(n)) }

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
		// one volume after another, in the order in which the ray meets them; where
		// two overlap the first hides the second. Paths have no such order.
		for _, i := range t.order(s.Volumes, o, d) {
			p.marchVolume(s.Volumes[i], p.lights[i], t, o, d, far, out, &through)
		}
		through = through.Mul(s.soaked(in, far))
		switch {
		case lamp >= 0:
			out.light[lampGroup(lamp)] = out.light[lampGroup(lamp)].Add(through.Mul(s.Lamps[lamp].Radiance))
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
			if !out.hit && p.feats != nil {
				t.see(out, o, d, h.t, h.of)
				out.albedo, out.normal = h.colour, h.normal
			}
			p.marchSolid(t, o, d, h, through, out)
		case eye:
			t.behind(out, d, through)
		default:
			out.light[BySky] = out.light[BySky].Add(through.Mul(s.sky(d)))
		}
		return
	}
}

// order lists volumes as a ray meets them, those that it misses left out.
func (t *trip) order(list []*Volume, o, d geom.Vec3) []int {
	t.met, t.near = t.met[:0], t.near[:0]
	for i, v := range list {
		if v.empty {
			continue
		}
		near, far, ok := v.tight.Ray(o, d)
		if !ok || far < 0 {
			continue
		}
		// volumes are few: each is put in its place
		n := len(t.met)
		for n > 0 && t.near[n-1] > near {
			n--
		}
		t.met, t.near = slices.Insert(t.met, n, i), slices.Insert(t.near, n, near)
	}
	return t.met
}

// marchSolid adds the light of a surface, and what its varnish mirrors where
// it is that of an opaque liquid.
// Surfaces take the light of a look: no bounce, no noise.
func (p *Picture) marchSolid(t *trip, o, d geom.Vec3, h hit, through look.RGB, out *taken) {
	s := p.scene
	if h.wet {
		f, _ := Fresnel(min(max(-d.Dot(h.normal), 1e-3), 1), 1/s.Look.Liquid.Index)
		p.mirror(t, o, d, h, through.Scale(f), out)
		through = through.Scale(1 - f)
		out.light[Emission] = out.light[Emission].Add(through.Mul(h.colour).Scale(s.Look.Liquid.Glow))
	}
	e := p.shade(t, o.Add(d.Mul(h.t)).Add(h.normal.Mul(h.off)), h)
	for g, v := range e {
		out.light[g] = out.light[g].Add(through.Mul(h.colour).Mul(v))
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
	for g, v := range e {
		out.light[g] = out.light[g].Add(share.Mul(m.colour).Mul(v))
	}
}

// marchClear takes a ray on through a clear surface, or off it where nothing
// gets through.
// Refraction goes on, reflection is looked up once and added: no branching.
func (p *Picture) marchClear(t *trip, o, d geom.Vec3, h hit, in medium, eye bool, out *taken, through *look.RGB) (geom.Vec3, geom.Vec3, medium, bool) {
	s := p.scene
	at := o.Add(d.Mul(h.t))
	beyond := at.Add(d.Mul(4 * h.off))
	behind := t.medium(beyond)
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
	if in == inAir {
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
	if cos := h.normal.Dot(s.Look.SunDir); cos > 0 && s.Look.Sun.Max() > 0 {
		e[BySun] = s.Look.Sun.Mul(s.sunlit(t, at, s.Look.SunDir, math.Inf(1))).Mul(s.depth(at, s.Look.SunDir, math.Inf(1), 2)).Scale(cos / math.Pi)
	}
	for _, v := range s.Volumes {
		e[ByFire] = e[ByFire].Add(v.fireOn(s, t, at, h.normal))
	}
	for i := range s.Lamps {
		c, d, far := s.Lamps[i].on(at, h.normal)
		if c.Max() > 0 {
			e[lampGroup(i)] = e[lampGroup(i)].Add(c.Mul(s.sunlit(t, at, d, far*(1-1e-3))).Mul(s.depth(at, d, far, 2)))
		}
	}
	// half of the sky for a wall, all for a floor, and darker near other solids
	// a wall sees half of the sky
	up := 0.5 + 0.5*h.normal.Y
	up *= s.openness(t.solids, at, h.normal)
	e[BySky] = p.skyLight.Scale(up)
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
		size = max(size, solids[i].Shape.Size.MinComponent())
	}
	// Four looks along the normal: where a solid is nearer than the look is far, it
	// hides part of the sky; far looks count for less.
	for k := 1; k <= 4; k++ {
		reach := size * 0.15 * float64(k)
		q := at.Add(n.Mul(reach))
		d := q.Y
		if !s.Look.Ground {
			d = reach
		}
		for i := range solids {
			sh := &solids[i].Shape
			if q.Sub(sh.Centre).Len()-sh.Size.Len() > d { // too far to matter
				continue
			}
			d = min(d, sh.Distance(q))
		}
		free -= max(0, reach-d) / reach * 0.5 / float64(int(1)<<k)
	}
	return max(free, 0)
}

// depth is the transmittance from p along d, up to far, through all volumes,
// marched at the given step in voxels.
// Marched and not tracked: no noise, and a step of two voxels is fine for shadows.
func (s *Scene) depth(p, d geom.Vec3, far, step float64) look.RGB {
	var tau float64
	for _, v := range s.Volumes {
		q := v.toGrid(p)
		// looks stand a step apart along the whole ray, across tiles
		next := step / 2
		v.flight(p, d, far, func(from, to float64, _ float32) bool {
			next = max(next, from+math.Mod(next-from, step))
			for ; next < to; next += step {
				x := q.Add(d.Mul(next))
				tau += float64(v.at(float32(x.X), float32(x.Y), float32(x.Z))) * step * v.H
			}
			return true
		})
	}
	e := s.Look.Extinction
	return look.RGB{math.Exp(-tau * e[0]), math.Exp(-tau * e[1]), math.Exp(-tau * e[2])}
}

// marchVolume follows a ray through one volume.
//
// Grey smoke without tint takes the short loop (sums.add): colours of sun, sky and
// smoke are factors of the whole ray and are put on at its end. Coloured smoke takes
// each look by itself.
func (p *Picture) marchVolume(v *Volume, lg *lightGrid, tr *trip, o, d geom.Vec3, far float64, out *taken, through *look.RGB) {
	s, r := p.scene, &tr.r
	if v.empty {
		return
	}
	near, exit, ok := v.tight.Ray(o, d)
	exit = min(exit, far)
	if !ok || near >= exit {
		return
	}
	l := &s.Look
	orders := min(max(l.Bounces, 1), maxOrders)
	var m marched
	m.orders = orders
	// per ray and not per look: the sun is far away, so the phase function is
	// constant
	cos, share := d.Dot(l.SunDir), 1.0
	for n := range orders {
		// order n keeps lightShare^n of the light and phaseShare^n of the directness
		m.sun[n] = p.lobes[n].At(cos) * share
		share *= lightShare
		m.flat[n] = float32(m.sun[n])
	}
	step := l.Step
	q := v.toGrid(o)
	// looks stand a step apart from the eye on, whichever tiles they fall in
	shift := 0.5
	if p.jitter {
		shift = r.next()
	}
	long := step * v.H
	grey := v.tint == nil && l.Extinction[0] == l.Extinction[1] && l.Extinction[1] == l.Extinction[2]
	sum := sums{through: 1}
	b := strands.Get().(*strand)
	defer strands.Put(b)
	n := 0
	// Looks are gathered into strands of 32 and read together, which the samplers do
	// best; leaving the loop early then loses at most a strand.
	flush := func() bool {
		count := n
		n = 0
		for n := count; n&15 != 0; n++ { // whole vectors are read quickest
			b.x[n], b.y[n], b.z[n] = b.x[count-1], b.y[count-1], b.z[count-1]
		}
		// a strand is padded with its last look
		full := (count + 15) &^ 15
		lg.density.Sample(b.den[:full], b.x[:full], b.y[:full], b.z[:full])
		if v.opacity != nil {
			for i, x := range b.den[:count] {
				b.den[i] = v.opacity.One(x)
			}
		}
		hot := v.glowBatch(b, count)
		// tiles hold empty voxels too
		if !hot && !b.any(count) {
			return true
		}
		if v.tint != nil {
			v.tintBy.SampleBatch(b.hue[:count], b.x[:count], b.y[:count], b.z[:count], halves)
		}
		lg.readBatch(b, full)
		if grey {
			if !out.hit && p.feats != nil {
				p.feature(tr, b, count, &sum, *through, float32(l.Extinction[0]*long), o, d, v.H, out)
			}
			return sum.add(b, count, float32(l.Extinction[0]*long), &m, hot, lg.fire[0] != nil, through.Max())
		}
		for i, den := range b.den[:count] {
			if hot {
				for c := range 3 {
					out.light[Emission][c] += through[c] * l.Flame * float64(b.glow[c][i]) * long
				}
			}
			if den < 1e-5 {
				continue
			}
			if !out.hit && p.feats != nil && through.Max() < 0.5 {
				tr.see(out, o, d, float64(b.t[i])*v.H, nil)
			}
			tint := look.RGB{1, 1, 1}
			if v.tint != nil {
				tint = v.tint.At(float64(b.hue[i]))
			}
			p.absorb(lg, b, i, float64(den)*long, &m, tint, out, through)
			if through.Max() < opaque {
				*through = look.RGB{}
				return false
			}
		}
		return true
	}
	moved := v.moves != nil && tr.moment != 0
	inv := 1 / step
	qx, qy, qz := q.X, q.Y, q.Z
	v.cross(o, d, far, func(from, to float64, _ int) bool {
		for t := (math.Ceil(from*inv-shift) + shift) * step; t < to; t += step {
			x, y, z := qx+d.X*t, qy+d.Y*t, qz+d.Z*t
			if moved {
				at := v.moves.back(v, geom.V(x, y, z), tr.moment)
				x, y, z = at.X, at.Y, at.Z
			}
			b.x[n], b.y[n], b.z[n], b.t[n] = float32(x), float32(y), float32(z), float32(t)
			if n++; n == len(b.x) && !flush() {
				return false
			}
		}
		return true
	})
	if n > 0 {
		flush()
	}
	if grey {
		p.settle(&sum, l.Flame*long, out, through)
	}
	if !out.hit && p.feats != nil && through.Max() < 0.98 {
		tr.see(out, o, d, (max(near, 0)+exit)/2, nil)
	}
}

// sums is the light that a ray gathers in a volume of grey extinction without
// tint: the colours of sun, sky and smoke are put on at its end.
type sums struct {
	through, sun, sky float32
	fire, glow        [3]float32
}

// add gathers the looks of a strand, and says whether to go on: from is the
// light that comes into the volume, depth the optical depth of one look in
// density 1.
//
// The innermost loop of the quick march: a few multiplications and one exponential a
// look.
func (s *sums) add(b *strand, n int, depth float32, m *marched, hot, lit bool, from float64) bool {
	through, full := s.through, (n+15)&^15
	b.pass = b.den
	vec.Scatter(b.pass[:full], b.sun[:full], b.sky[:full], depth, &m.flat, m.orders)
	// ends where what is left of the light from behind is under opaque
	end := opaque / max(float32(from), opaque)
	for i, den := range b.den[:n] {
		if hot {
			for c := range s.glow {
				s.glow[c] += through * b.glow[c][i]
			}
		}
		if den < 1e-5 {
			continue
		}
		// Within a step density is constant, so the light that it scatters to the
		// eye is (1 − e^(−τ)) times the source, whatever the step: no banding from
		// its length.
		tr := b.pass[i]
		k := through * (1 - tr)
		through *= tr
		s.sun += k * b.sun[i]
		s.sky += k * b.sky[i]
		if lit {
			for c := range s.fire {
				s.fire[c] += k * b.fire[c][i]
			}
		}
		if through < end {
			s.through = 0
			return false
		}
	}
	s.through = through
	return true
}

// feature puts down where half of the light from behind is taken away.
// Half is the usual depth of smoke: neither its first veil nor what is behind it.
func (p *Picture) feature(tr *trip, b *strand, n int, s *sums, through look.RGB, depth float32, o, d geom.Vec3, h float64, out *taken) {
	left := s.through * float32(through.Max())
	for i, den := range b.den[:n] {
		if left < 0.5 {
			tr.see(out, o, d, float64(b.t[i])*h, nil)
			return
		}
		left *= fade(den * depth)
	}
}

// settle adds what a ray has gathered, seen through what lies before.
// Emission isn't scattered, so it takes no albedo.
func (p *Picture) settle(s *sums, glow float64, out *taken, through *look.RGB) {
	l := &p.scene.Look
	for c := range 3 {
		out.light[Emission][c] += through[c] * glow * float64(s.glow[c])
		if e := l.Extinction[c]; e > 0 {
			k := through[c] * l.Scattering[c] / e
			out.light[BySun][c] += k * float64(s.sun) * l.Sun[c]
			out.light[BySky][c] += k * float64(s.sky) * p.skyLight[c]
			out.light[ByFire][c] += k * float64(s.fire[c])
		}
	}
	*through = through.Scale(float64(s.through))
}

// fade is exp(−x) for x ≥ 0 within 3e-7 of it, and exactly 1 at 0.
// The library is exact to float64, which nothing here needs.
func fade(x float32) float32 {
	// e^−87 is the last normal float32; NaN comes here too
	if !(x < 87) {
		return 0
	}
	// x = k ln 2 + r, |r| ≤ ½ ln 2: a Taylor polynomial to r⁶ and a shift of the
	// exponent. ln 2 is taken off in two parts, the first exact in float32.
	k := int32(x*1.44269504 + 0.5)
	r := x - float32(k)*0.693359375 + float32(k)*2.12194440e-4 // x − k ln 2
	e := 1 - r*(1-r*(0.5-r*(1.0/6-r*(1.0/24-r*(1.0/120-r*(1.0/720))))))
	return e * math.Float32frombits(uint32(127-k)<<23)
}

// marched is what stays the same along a ray: the phase function towards the
// sun at each order, with the share of the light that the order keeps.
type marched struct {
	sun    [maxOrders]float64
	flat   [maxOrders]float32 // the same
	orders int
}

// strand is a run of looks along a ray.
type strand struct {
	x, y, z, t, den, hue, sun, sky, pass [32]float32
	glow, fire                           [3][32]float32
	spots                                vec.Spots
}

var (
	strands = sync.Pool{New: func() any { return new(strand) }}
	halves  = [3]float32{0.5, 0.5, 0.5} // voxel centres lie half a voxel in
)

func (b *strand) any(n int) bool {
	for _, d := range b.den[:n] {
		if d >= 1e-5 {
			return true
		}
	}
	return false
}

// readBatch reads the light at the looks of a strand; it uses up positions.
// Positions of the strand are divided in place, as nothing needs them afterwards.
func (l *lightGrid) readBatch(b *strand, n int) {
	q := 1 / l.scale
	for i := range n {
		b.x[i], b.y[i], b.z[i] = b.x[i]*q, b.y[i]*q, b.z[i]*q
	}
	l.sunAt.Locate(&b.spots, b.x[:n], b.y[:n], b.z[:n])
	l.sunAt.At(b.sun[:n], &b.spots)
	l.skyAt.At(b.sky[:n], &b.spots)
	if l.fire[0] == nil {
		return
	}
	// fire's light is on a grid half as fine
	q = l.scale / l.coarse
	for i := range n {
		b.x[i], b.y[i], b.z[i] = b.x[i]*q, b.y[i]*q, b.z[i]*q
	}
	l.fireAt[0].Locate(&b.spots, b.x[:n], b.y[:n], b.z[:n])
	for c := range l.fireAt {
		l.fireAt[c].At(b.fire[c][:n], &b.spots)
	}
}

// absorb adds the light of one step of the given depth (density times metres)
// and takes what it absorbs off through. The sky's light goes on through
// further orders as the sun's does.
// For coloured or tinted smoke: three exponentials unless channels share their
// extinction.
func (p *Picture) absorb(lg *lightGrid, b *strand, i int, depth float64, m *marched, tint look.RGB, out *taken, through *look.RGB) {
	s := p.scene
	l := &s.Look
	ts, ta := float64(b.sun[i]), float64(b.sky[i])
	sun, sky, share := 0.0, ta, 1.0
	for n := range m.orders {
		sun += m.sun[n] * ts
		if n > 0 {
			sky += share * ta
		}
		share *= lightShare
		ts, ta = math.Sqrt(ts), math.Sqrt(ta) // a share of ½ of the depth
	}
	tr := 0.0
	for c := range 3 {
		e := l.Extinction[c]
		if e == 0 {
			continue
		}
		if c == 0 || e != l.Extinction[c-1] {
			tr = math.Exp(-e * depth)
		}
		k := through[c] * (1 - tr) * l.Scattering[c] / e * tint[c]
		out.light[BySun][c] += k * sun * l.Sun[c]
		out.light[BySky][c] += k * sky * p.skyLight[c]
		if lg.fire[0] != nil {
			out.light[ByFire][c] += k * float64(b.fire[c][i])
		}
		through[c] *= tr
	}
}
