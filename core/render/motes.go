package render

// Particles in the picture: streaks over the exposure, drawn in the picture's plane and
// laid among what rays find by their depth. Most are smaller than a pixel, so they aren't
// met by rays but cover a share of it: a streak's width, times the share of the exposure
// for which the particle stands at a place of it.

import (
	"cmp"
	"math"
	"slices"
	"sync"

	"zarf/core/geom"
	"zarf/core/grid"
	"zarf/core/look"
)

// Motes are particles of a frame.
type Motes struct {
	Of   string       // the id of the element that holds them
	P, V [][3]float32 // m, m/s; a nil V stands still
	Size []float32    // diameter, m
	Heat []float32    // temperature, K; nil: they are cold
	Life []float32    // share of it that they have lived, 0 to 1; nil: 0

	By         []float32    // what colours them, by the look's ramp; nil: all have its colour
	ID         []uint64     // which mesh of the shape each has; nil: by its row
	Turn, Spin [][3]float32 // an axis times an angle, radians, and that in a second; nil: none
	Shape      Shape

	pool   sync.Once
	pooled *Liquid
}

// Pooled is what particles are drawn as that are drawn as one liquid: it is made once.
func (m *Motes) Pooled(from func() *Liquid) *Liquid {
	m.pool.Do(func() { m.pooled = from() })
	return m.pooled
}

// lived is the share of its life that particle i has lived.
func (m *Motes) lived(i int) float32 {
	if m.Life == nil {
		return 0
	}
	return m.Life[i]
}

// colour is what part of light a particle throws back.
func (f *fragment) colour(l *look.Look) look.RGB {
	if l.MoteTint == nil || f.by != f.by { // no number: it has none
		return l.MoteColour
	}
	return l.MoteColour.Mul(l.MoteTint.At(float64(f.by)))
}

// Colour is what part of light particle i throws back under a look.
func (m *Motes) Colour(l *look.Look, i int) look.RGB {
	f := fragment{by: float32(math.NaN())}
	if m.By != nil {
		f.by = m.By[i]
	}
	return f.colour(l)
}

// fragment is a particle's share of a pixel.
type fragment struct {
	depth  float32 // m from the eye
	cover  float32 // 0 to 1
	heat   float32 // K
	glow   float32 // share of its glow that it has at its age
	by     float32 // what colours it; not a number: nothing does
	cell   int32   // whose light it is in
	normal facing  // of its shape's surface
}

// motesLayer are the fragments of a picture, by pixel.
type motesLayer struct {
	w     int
	begin []int32 // where a pixel's begin, one more than there are pixels
	list  []fragment
	cells []moteCell
}

// moteCell is the light in a part of space, by where it comes from: that of all particles in
// it, as there may be a million of them.
type moteCell struct {
	sum    geom.Vec3 // of the places of so many
	many   int
	light  [maxGroups]look.RGB     // on a ball
	sun    look.RGB                // on what faces it
	sides  *[6][maxGroups]look.RGB // on what faces +x, −x, +y and so on; nil: nothing there has a shape
	shaped bool
}

// moteCells is how many cells stand along the longest side of the box round the particles.
const moteCells = 40

// mostFragments is how many of a pixel are laid into the picture one by one; those behind
// count together.
const mostFragments = 6

// at are the fragments of a pixel, the nearest first.
func (m *motesLayer) at(x, y int) []fragment {
	if m == nil {
		return nil
	}
	i := y*m.w + x
	return m.list[m.begin[i]:m.begin[i+1]]
}

// newMotes draws the scene's particles; nil where there are none in the picture.
func (s *Scene) newMotes(w, h int, crew grid.Crew) *motesLayer {
	if len(s.Motes) == 0 {
		return nil
	}
	first, last := &s.Camera, &s.Camera
	if n := len(s.Moments); n > 0 {
		first, last = &s.Moments[0].Camera, &s.Moments[n-1].Camera
		for _, c := range []*Camera{first, last} {
			c.w, c.h = float64(w), float64(h)
		}
	}
	m := &motesLayer{w: w, begin: make([]int32, w*h+1)}
	drawn := s.drawMotes(m.divide(s.Motes), first, last, w, h, crew)
	for _, l := range drawn {
		for _, f := range l {
			m.begin[f.at+1]++
		}
	}
	for i := range w * h {
		m.begin[i+1] += m.begin[i]
	}
	if m.begin[w*h] == 0 {
		return nil
	}
	m.list = make([]fragment, m.begin[w*h])
	next := slices.Clone(m.begin)
	for _, l := range drawn {
		for _, f := range l {
			m.list[next[f.at]] = f.fragment
			next[f.at]++
		}
	}
	crew.For(w*h, 1<<12, func(lo, hi int) {
		for i := lo; i < hi; i++ {
			m.thin(i)
		}
	})
	return m
}

// placed is a fragment and its pixel.
type placed struct {
	fragment
	at int32
}

// drawMotes draws all particles, so many at a time, in their order; in says in which cell
// each lies.
func (s *Scene) drawMotes(in []int32, first, last *Camera, w, h int, crew grid.Crew) [][]placed {
	const each = 512
	var begin []int // of a scene's motes among all
	all := 0
	for _, m := range s.Motes {
		begin = append(begin, all)
		all += len(m.P)
	}
	out := make([][]placed, (all+each-1)/each)
	crew.Each(len(out), 1, func(lo, hi int) {
		var t easel
		for n := lo; n < hi; n++ {
			of := 0
			for i := n * each; i < min((n+1)*each, all); i++ {
				for of+1 < len(begin) && begin[of+1] <= i {
					of++
				}
				s.draw(&t, s.Motes[of], i-begin[of], first, last, w, h, func(at int, f fragment) {
					f.cell = in[i]
					out[n] = append(out[n], placed{f, int32(at)})
				})
			}
		}
	})
	return out
}

// divide makes cells of the box round all particles and tells in which each lies.
func (m *motesLayer) divide(list []*Motes) (in []int32) {
	lo, hi := [3]float32{math.MaxFloat32, math.MaxFloat32, math.MaxFloat32}, [3]float32{-math.MaxFloat32, -math.MaxFloat32, -math.MaxFloat32}
	for _, all := range list {
		for _, p := range all.P {
			for a := range 3 {
				lo[a], hi[a] = min(lo[a], p[a]), max(hi[a], p[a])
			}
		}
	}
	edge := max(hi[0]-lo[0], hi[1]-lo[1], hi[2]-lo[2], 1e-3) / moteCells * 1.0001
	found := map[[3]int16]int32{}
	for _, all := range list {
		for _, p := range all.P {
			var key [3]int16
			for a := range 3 {
				key[a] = int16((p[a] - lo[a]) / edge)
			}
			n, there := found[key]
			if !there {
				n = int32(len(m.cells))
				found[key] = n
				m.cells = append(m.cells, moteCell{})
			}
			c := &m.cells[n]
			c.sum, c.many = c.sum.Add(geom.V(float64(p[0]), float64(p[1]), float64(p[2]))), c.many+1
			c.shaped = c.shaped || len(all.Shape.Meshes) > 0
			in = append(in, n)
		}
	}
	return in
}

// lightMotes works out the light that particles are in.
func (p *Picture) lightMotes() {
	s, m := p.scene, p.motes
	if m == nil || s.Look.MoteColour.Max() <= 0 {
		return
	}
	p.squares(len(m.cells), nil, func(n int, t *trip) {
		c := &m.cells[n]
		t.still()
		at := c.sum.Mul(1 / float64(c.many))
		// a ball is lit from where it is seen and from above
		d := at.Sub(s.Camera.Eye).Unit()
		c.light = p.shade(t, at, hit{normal: s.Look.SunDir.Sub(d).Unit()})
		if !c.shaped {
			return
		}
		c.sun, c.sides = p.shade(t, at, hit{normal: s.Look.SunDir})[BySun], new([6][maxGroups]look.RGB)
		for side := range c.sides {
			var n [3]float64
			n[side/2] = float64(1 - side%2*2)
			c.sides[side] = p.shade(t, at, hit{normal: geom.FromArray(n)})
		}
	})
}

// thin sorts a pixel's fragments by depth, and takes those together that are behind many.
func (m *motesLayer) thin(i int) {
	l := m.list[m.begin[i]:m.begin[i+1]]
	slices.SortFunc(l, func(a, b fragment) int {
		switch {
		case a.depth < b.depth:
			return -1
		case a.depth > b.depth:
			return 1
		}
		return int(math.Float32bits(a.heat)) - int(math.Float32bits(b.heat))
	})
	if len(l) <= mostFragments {
		return
	}
	rest := &l[mostFragments-1]
	through, heat, glow, by := float32(1), float32(0), float32(0), float32(0)
	for _, f := range l[mostFragments-1:] {
		heat += through * f.cover * f.heat
		glow += through * f.cover * f.glow
		by += through * f.cover * f.by
		through *= 1 - f.cover
	}
	if rest.cover = 1 - through; rest.cover > 0 {
		rest.heat, rest.glow, rest.by = heat/rest.cover, glow/rest.cover, by/rest.cover
	}
	for n := mostFragments; n < len(l); n++ {
		l[n].cover = 0 // none is left behind
	}
}

// draw calls fn for the pixels that particle i covers between the exposure's ends.
func (s *Scene) draw(t *easel, all *Motes, i int, first, last *Camera, w, h int, fn func(at int, f fragment)) {
	r := all.Radius(&s.Look, i)
	z := at3(all.P, i).Sub(s.Camera.Eye).Dot(s.Camera.forward)
	if z < 1e-3 || z < 2*r*max(all.Shape.reach, 1) || !(r > 0) {
		return // beside, behind or round the eye
	}
	radius := r / z / s.Camera.spread * float64(w) / 2 // pixels
	if !s.shape(t, all, i, radius, first, last, w, h, fn) {
		s.streak(all, i, radius*all.Shape.outline(all.Kind(i)), first, last, w, h, fn)
	}
}

// streak is draw for a ball, radius pixels large.
func (s *Scene) streak(all *Motes, i int, radius float64, first, last *Camera, w, h int, fn func(at int, f fragment)) {
	p, v := at3(all.P, i), at3(all.V, i)
	way := v.Mul(s.Shutter / 2)
	ax, ay := first.project(p.Sub(way).Sub(v.Mul(all.Shape.Trail)))
	bx, by := last.project(p.Add(way))
	long := math.Hypot(bx-ax, by-ay)
	if long > 4*float64(w) {
		return
	}
	// what is narrower than a pixel covers one in part, and what moves for a part of the
	// exposure: its disc's area over that of what is drawn, edges included; a trail is there
	// for all of it
	wide := max(radius, 0.5)
	cover := min(math.Pi*radius*radius/(2*wide*long+math.Pi*(wide*wide+1.0/12)), 1)
	if all.Shape.Trail > 0 {
		cover = min(radius/wide, 1)
	}
	f := s.fragmentOf(all, i)
	x0, x1 := max(int(min(ax, bx)-wide-0.5), 0), min(int(max(ax, bx)+wide+0.5), w-1)
	y0, y1 := max(int(min(ay, by)-wide-0.5), 0), min(int(max(ay, by)+wide+0.5), h-1)
	for y := y0; y <= y1; y++ {
		for x := x0; x <= x1; x++ {
			off := fromLine(float64(x)+0.5, float64(y)+0.5, ax, ay, bx, by)
			if f.cover = float32(cover * min(max(wide+0.5-off, 0), 1)); f.cover > 1e-4 {
				fn(y*w+x, f)
			}
		}
	}
}

// fragmentOf is what is the same of all that particle i covers.
func (s *Scene) fragmentOf(all *Motes, i int) fragment {
	f := fragment{depth: float32(at3(all.P, i).Sub(s.Camera.Eye).Len()), glow: s.Look.MoteGlows.One(all.lived(i)), by: float32(math.NaN())}
	if all.By != nil {
		f.by = all.By[i]
	}
	if all.Heat != nil {
		f.heat = all.Heat[i]
	}
	return f
}

// fromLine is how far a point of the picture is from a line between two.
func fromLine(x, y, ax, ay, bx, by float64) float64 {
	dx, dy := bx-ax, by-ay
	t := 0.0
	if l := dx*dx + dy*dy; l > 0 {
		t = min(max(((x-ax)*dx+(y-ay)*dy)/l, 0), 1)
	}
	return math.Hypot(x-ax-t*dx, y-ay-t*dy)
}

// Radius is that of particle i as a look draws it, m.
func (m *Motes) Radius(l *look.Look, i int) float64 {
	return float64(m.Size[i]) / 2 * l.MoteSize * float64(l.MoteSizes.One(m.lived(i)))
}

// moteGlow is what a particle gives off as it is seen.
func (s *Scene) moteGlow(heat float32) look.RGB {
	return look.Glow(float64(heat) * s.Look.FlameScale).Scale(s.Look.MoteGlow)
}

// layMotes mixes the particles of a pixel into what its ray has found of everything else:
// from the farthest on, so much of each as it covers shows it through the smoke before it
// and nothing of what lies behind.
func (p *Picture) layMotes(t *trip, o, d geom.Vec3, list []fragment, out *taken) {
	s := p.scene
	h, solid := s.trace(t, o, d, math.Inf(1), false)
	for n := len(list) - 1; n >= 0; n-- {
		f := &list[n]
		if f.cover <= 0 || solid && float64(f.depth) >= h.t {
			continue
		}
		var own taken
		at, through := float64(f.depth), look.RGB{1, 1, 1}
		own.alpha = 1
		if p.march {
			if p.marchVolumes(t, o, d, at, through, false, &t.veil) {
				t.lay(&t.veil, o, d, &own, &through)
			}
		} else {
			through = t.front(o, d, at, &own)
		}
		own.light[Emission] = own.light[Emission].Add(through.Mul(s.moteGlow(f.heat)).Scale(float64(f.glow)))
		e, colour := &p.motes.cells[f.cell], f.colour(&s.Look)
		for g := range p.groups {
			own.light[g] = own.light[g].Add(through.Mul(colour).Mul(e.lit(f, s.Look.SunDir, g)))
		}
		c := float64(f.cover)
		for g := range p.groups {
			out.light[g] = out.light[g].Scale(1 - c).Add(own.light[g].Scale(c))
		}
		out.alpha = out.alpha*(1-c) + own.alpha*c
		if c > 0.5 && p.feats != nil {
			t.see(out, o, d, at, nil)
			out.albedo, out.normal = colour, f.facing(d)
		}
	}
}

// front is what paths find of the volumes before a place that hides what is behind it: the
// fire's light on the way, a flight's worth of what smoke scatters, and what is let through.
func (t *trip) front(o, d geom.Vec3, far float64, out *taken) look.RGB {
	s := t.s
	w := look.RGB{1, 1, 1}
	at, of := t.fly(o, d, far, &w)
	if of < 0 {
		at = far
	}
	if s.fire != nil && s.Look.Flame > 0 {
		sum, _ := t.glow(o, d, at, look.RGB{1, 1, 1}, 0)
		out.light[Emission] = out.light[Emission].Add(sum.Scale(s.Look.Flame))
	}
	if of < 0 {
		return w
	}
	// one event, whose direct light stands for all: what is before a spark is mostly thin
	p := o.Add(d.Mul(at))
	t.ask(out, p, d, geom.Vec3{}, w.Mul(s.albedo(s.Volumes[of], p, t.moment)))
	return look.RGB{}
}

// mostMoteLamps is how many lamps stand for all particles that glow.
const mostMoteLamps = 4

// MoteLamps are lamps that give the light of the scene's glowing particles to what is round
// them: parts of equal light along the longest side of the cloud, each a ball that isn't
// seen. It is called once, when the scene's volumes and particles are there. Beside a fire
// that gives fifty times as much there are none: each costs a shadow at every place.
func (s *Scene) MoteLamps() (out []Lamp) {
	type glowing struct {
		at    geom.Vec3
		power look.RGB // intensity, of what is seen from anywhere
		lum   float64
	}
	var list []glowing
	lo, hi, sum := geom.V(math.Inf(1), math.Inf(1), math.Inf(1)), geom.V(math.Inf(-1), math.Inf(-1), math.Inf(-1)), 0.0
	for _, all := range s.Motes {
		for i := range all.Heat {
			c := s.moteGlow(all.Heat[i]).Scale(float64(s.Look.MoteGlows.One(all.lived(i))))
			r := all.Radius(&s.Look, i) * all.Shape.outline(all.Kind(i))
			g := glowing{at: geom.V(float64(all.P[i][0]), float64(all.P[i][1]), float64(all.P[i][2])), power: c.Scale(math.Pi * r * r)}
			if g.lum = g.power[0] + g.power[1] + g.power[2]; g.lum > 0 {
				list, sum = append(list, g), sum+g.lum
				lo, hi = lo.Min(g.at), hi.Max(g.at)
			}
		}
	}
	fires := 0.0
	for _, v := range s.Volumes {
		fires += v.power * s.Look.FlameLight
	}
	if fires > 50*sum {
		return nil
	}
	size := hi.Sub(lo).Array()
	a := 0
	for c := range size {
		if len(list) > 0 && size[c] > size[a] {
			a = c
		}
	}
	slices.SortStableFunc(list, func(x, y glowing) int { return cmp.Compare(x.at.Array()[a], y.at.Array()[a]) })
	for from, share := 0, sum/mostMoteLamps; from < len(list); {
		var l Lamp
		lum, mean, spread, to := 0.0, geom.Vec3{}, 0.0, from
		for ; to < len(list) && (lum < share || len(out) == mostMoteLamps-1); to++ {
			g := &list[to]
			lum, mean, l.Radiance = lum+g.lum, mean.Add(g.at.Mul(g.lum)), l.Radiance.Add(g.power)
		}
		l.Centre = mean.Mul(1 / lum)
		for _, g := range list[from:to] {
			off := g.at.Sub(l.Centre)
			spread += g.lum * off.Dot(off)
		}
		l.Ball, l.Fire, l.Name = true, true, "particles"
		l.Radius = max(0.5*math.Sqrt(spread/lum), 1e-3)
		l.Radiance = l.Radiance.Scale(1 / (math.Pi * l.Radius * l.Radius))
		out, from = append(out, l), to
	}
	return out
}
