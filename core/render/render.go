package render

// Scenes and pictures. A scene is what is seen and by what light; a picture is a
// rendering of it under way, block by block and pass by pass, that can be shown at
// any moment and continued. march.go and path.go are the two ways of taking a
// sample.

import (
	"fmt"
	"math"
	"sync/atomic"

	"zarf/core/geom"
	"zarf/core/grid"
	"zarf/core/look"
)

// Solid is a shape in the picture.
// shapes are traced by their distances, imported meshes by their triangles
type Solid struct {
	Shape   geom.Shape
	Then    *geom.Shape // at the next frame; nil: it stands still
	Colour  look.RGB
	Holdout bool // it cuts out what is behind it
	Clear   bool // of glass
	// Soaked is how wet each vertex of its body is, 0 to 1; as many again may follow, of its other
	// side. nil: it is dry.
	Soaked []float32
	// Charred is how burnt each is, likewise; nil: it isn't.
	Charred []float32
	Weave   float64 // roughness of its threads, rad; 0: it is matt

	box     geom.Box // a little larger than the shape
	rest    geom.Box // round it and all that follow in its list
	size    float64
	least   float64 // of its sizes
	spanned bool
}

// settle works out what trace asks of a solid again and again.
func settle(list []Solid) {
	for i := range list {
		list[i].size, list[i].least = list[i].Shape.Size.MaxComponent(), list[i].Shape.Size.MinComponent()
		list[i].box = list[i].Shape.Bounds().Grow(list[i].size * 1e-3)
		list[i].spanned = list[i].Shape.Spanned()
	}
	enclose(list)
}

// enclose finds the boxes round what follows each in a list.
func enclose(list []Solid) {
	for i := len(list) - 1; i >= 0; i-- {
		list[i].rest = list[i].box
		if i+1 < len(list) {
			list[i].rest.Min = list[i].rest.Min.Min(list[i+1].rest.Min)
			list[i].rest.Max = list[i].rest.Max.Max(list[i+1].rest.Max)
		}
	}
}

// Moment is the scene at a moment of the exposure.
// Over an exposure a camera and solids are where their keys have them; a handful of
// moments are worked out beforehand and samples take the nearest.
type Moment struct {
	Camera Camera
	Solids []Solid

	bare []Solid // without holdouts
}

// without are the solids that a plate doesn't show: the shadows of the others
// are in it already.
// The plate was filmed with those things there, so their shadows are in it.
func without(list []Solid) (out []Solid) {
	for _, s := range list {
		if !s.Holdout {
			out = append(out, s)
		}
	}
	enclose(out)
	return out
}

// Moves reports that some fluid's velocity is known.
func (s *Scene) Moves() bool {
	for _, v := range s.Volumes {
		if v.moves != nil {
			return true
		}
	}
	for _, l := range s.Liquids {
		if l.moves != nil {
			return true
		}
	}
	return false
}

// Scene is all that is seen.
// What is exported is set by whoever makes the scene; the rest follows in prepare.
type Scene struct {
	Volumes []*Volume
	Liquids []*Liquid
	Motes   []*Motes
	Solids  []Solid
	Sea     *Sea // nil: there is none
	Damp    []Damp
	Lamps   []Lamp
	Env     *Env // a picture of the sky; nil: the look's own sky
	Look    look.Look
	Camera  Camera
	Then    *Camera  // at the next frame, for motion; nil: it stands still
	Rate    float64  // frames a second
	Shutter float64  // s for which it is open
	Moments []Moment // over the exposure; nil: nothing moves but fluid
	Notes   []string // what had to be left out

	env      *Env      // from which directions are drawn; nil: the sky is dark
	fire     *discrete // volumes by their light; nil: nothing glows
	lights   int       // that ask draws from: the sky first, fire, then lamps
	fireAt   int
	lampAt   int
	sunSides [2]geom.Vec3 // square to the sun's direction
	sunOpen  float64      // the sun's part of open, summed
	open     look.RGB     // light over π on open ground, for the catcher
	bare     []Solid      // without holdouts
	rim      float64      // m from glass within which liquid may touch it
	thickest float64      // extinction over colours, 1/m for density 1
	grey     bool         // it is alike in all
	sunny    bool         // the sun shines
	clear    bool         // something is made of glass, or is a clear liquid
	grids    []*bricks    // volumes and the light in them, for the march; made once
	known    []sunward    // what of the sun's light comes to volumes' smoke, for paths
	mist     []haze       // how thick smoke is between fire and surfaces; made with them
}

// Quick is the same scene for the quick march, read in straight lines between voxels.
func (s *Scene) Quick() *Scene {
	q := *s
	q.Look.Method, q.Look.Smooth, q.grids = "march", false, nil
	return &q
}

// Dark tells why nothing can be lit: neither sun, sky, lamp nor fire.
func (s *Scene) Dark() bool {
	s.prepare()
	return s.Look.Sun.Max() <= 0 && s.Look.Sky.Max() <= 0 && len(s.Lamps) == 0 && s.fire == nil
}

// prepare gathers the lights.
// Lights are numbered for the odds: sky, fire, then lamps, those that there are.
func (s *Scene) prepare() {
	// Called for every picture: a look may have changed what gives light.
	s.env, s.fire, s.lights = nil, nil, len(s.Lamps)
	settle(s.Solids)
	s.bare = without(s.Solids)
	s.clear = (len(s.Liquids) > 0 || s.Sea != nil) && !s.Look.Liquid.Opaque
	for i := range s.Solids {
		s.clear = s.clear || s.Solids[i].Clear
	}
	s.rim = 0
	for _, l := range s.Liquids {
		s.rim = max(s.rim, clings*l.Voxel)
	}
	for i := range s.Moments {
		settle(s.Moments[i].Solids)
		s.Moments[i].bare = without(s.Moments[i].Solids)
	}
	s.fireAt, s.lampAt = -1, 0
	// the sky is light 0 where there is one; an even sky is left to chance alone,
	// which finds it without noise
	if s.Look.Sky.Max() > 0 && !s.Look.Even {
		s.env = s.Env
		if s.env == nil {
			s.env = skyEnv(&s.Look)
		}
		s.lights++
		s.lampAt++
	}
	// fire is drawn by volumes first, then by tiles and voxels within
	power := make([]float64, len(s.Volumes))
	for i, v := range s.Volumes {
		power[i] = v.power
	}
	if f := newDiscrete(power); f.total > 0 && s.Look.Lit() {
		s.fire, s.fireAt = f, s.lampAt
		s.lights++
		s.lampAt++
	}
	s.sunSides[0], s.sunSides[1] = basis(s.Look.SunDir)
	e := s.Look.Extinction
	s.thickest, s.grey, s.sunny = e.Max(), e[0] == e[1] && e[1] == e[2], s.Look.Sun.Max() > 0
	// for catchers: E/π on a floor in the open, what their share is held against
	s.open = s.Look.Sun.Scale(max(0, s.Look.SunDir.Y) / math.Pi)
	s.sunOpen = s.open[0] + s.open[1] + s.open[2]
	if s.env != nil {
		s.open = s.open.Add(s.skyMean())
	} else if s.Look.Even {
		s.open = s.open.Add(s.Look.Sky)
	}
}

// sky is the light of the sky in a direction.
func (s *Scene) sky(d geom.Vec3) look.RGB {
	if s.Env != nil {
		return s.Env.At(d).Mul(s.Look.Sky)
	}
	return s.Look.SkyLight(d)
}

// skyMean is the sky's light on open ground, over π.
func (s *Scene) skyMean() look.RGB {
	if s.Env != nil {
		return s.Env.mean(geom.V(0, 1, 0)).Mul(s.Look.Sky)
	}
	return s.env.mean(geom.V(0, 1, 0))
}

// MaxPixels is the largest picture.
const MaxPixels = 8192 * 8192

// block is the edge in pixels of the squares whose noise is measured together.
const block = 16

// Picture is a rendering under way.
// Sums and not means: continuing is adding.
type Picture struct {
	W, H     int
	Samples  int // passes taken so far
	scene    *Scene
	crew     grid.Crew
	bricks   []*bricks
	mean     float64 // extinction over colours, 1/m for density 1
	march    bool
	jitter   bool         // steps begin at random
	motes    *motesLayer  // nil: there are none
	survey   *survey      // of the first pass, while it is under way; nil: every ray is followed
	every    bool         // it isn't wanted
	rays     atomic.Int64 // that were followed through volumes
	skyLight look.RGB     // the sky's light on open ground, over π, for the march

	across int   // blocks in a row
	count  []int // samples of every block
	done   []bool
	groups int
	sum    []float32   // RGBA of all light, premultiplied
	half   []float32   // RGBA of every second sample of paths
	parts  [][]float32 // RGB of each group; nil without layers
	seen   []float32   // hits, depth, motion x and y
	feats  []float32   // albedo and normal
}

// Wants is what a picture keeps beside beauty and alpha.
// pages that only show want neither, and pictures are a third as large
type Wants struct {
	Layers   bool // light by where it comes from
	Features bool // depth, motion, albedo, normal
}

// Need is the memory, bytes, that a picture of w by h pixels takes.
func (s *Scene) Need(w, h int, k Wants) int64 {
	// sum, half and film; layers and features as they are asked for
	floats := 4 + 4 // and what it becomes on film
	if s.Look.Method == "path" {
		floats += 4
	}
	if k.Layers {
		floats += 3 * s.groupCount()
	}
	if k.Features {
		floats += 4 + 6
	}
	return int64(w) * int64(h) * int64(4*floats)
}

// groupCount is of how many sources light is kept apart: lamps that stand for fire come
// behind the others.
func (s *Scene) groupCount() int {
	own := 0
	for i := range s.Lamps {
		if !s.Lamps[i].Fire {
			own++
		}
	}
	return ByLamp + min(own, MaxLampGroups)
}

// New prepares a picture of w by h pixels that keeps no layers.
func New(s *Scene, w, h int, crew grid.Crew) (*Picture, error) {
	return NewWith(s, w, h, Wants{}, crew)
}

// NewWith prepares a picture of w by h pixels.
// The scene must not change while the picture is under way; several pictures may
// share one scene.
func NewWith(s *Scene, w, h int, k Wants, crew grid.Crew) (*Picture, error) {
	// before memory is taken
	if w < 1 || h < 1 || w*h > MaxPixels {
		return nil, fmt.Errorf("render: a picture of %d x %d pixels can't be made; up to %d pixels can", w, h, MaxPixels)
	}
	s.prepare()
	s.Camera.w, s.Camera.h = float64(w), float64(h)
	if s.Then != nil {
		s.Then.w, s.Then.h = float64(w), float64(h)
	}
	if s.Sea != nil {
		s.Sea.see(&s.Camera, w)
	}
	p := &Picture{W: w, H: h, scene: s, crew: crew, march: s.Look.Method != "path", groups: s.groupCount()}
	p.across = (w + block - 1) / block
	blocks := p.across * ((h + block - 1) / block)
	// blocks may have taken different numbers of samples
	p.count, p.done = make([]int, blocks), make([]bool, blocks)
	p.sum = make([]float32, 4*w*h)
	if !p.march {
		p.half = make([]float32, 4*w*h)
	}
	if k.Layers {
		p.parts = make([][]float32, p.groups)
		for g := range p.parts {
			p.parts[g] = make([]float32, 3*w*h)
		}
	}
	if k.Features {
		p.seen, p.feats = make([]float32, 4*w*h), make([]float32, 6*w*h)
	}
	p.motes = s.newMotes(w, h, crew)
	p.skyLight = s.Look.SkyMean()
	if s.Env != nil {
		p.skyLight = s.skyMean()
	}
	if !p.march {
		for _, v := range s.Volumes {
			v.forPaths(s.Look.Extinction.Max(), crew)
		}
		s.towardsSun(crew)
	}
	// the light within volumes depends on neither camera nor size: made once a scene
	e := s.Look.Extinction
	p.mean = (e[0] + e[1] + e[2]) / 3
	if p.march {
		if s.grids == nil {
			s.layGrids(p.mean, crew)
		}
		p.bricks = s.grids
	}
	p.lightMotes()
	return p, nil
}

// layGrids lays volumes and the light in them out for the march.
func (s *Scene) layGrids(mean float64, crew grid.Crew) {
	all := s.hazes(crew)
	s.mist = all
	thrown := newShadows(mean, crew)
	for _, v := range s.Volumes {
		l := newLight(v, s, all, thrown, mean, crew)
		smooth := s.Look.Smooth
		if need := v.roughly(); smooth && need > smoothMost {
			smooth = false
			s.Notes = append(s.Notes, fmt.Sprintf("smoke is read in straight lines between voxels: smoothly it would take %.1f GB; paths read it smoothly", float64(need)/(1<<30)))
		}
		s.grids = append(s.grids, newBricks(v, l, smooth, crew))
	}
}

// Done reports that no block wants further samples.
func (p *Picture) Done() bool {
	for _, d := range p.done {
		if !d {
			return false
		}
	}
	return p.Samples > 0
}

// Pass adds one sample to every pixel of every block that wants more; it ends
// early where stop says so, and then the pass doesn't count: the next call goes on with
// it.
func (p *Picture) Pass(stop func() bool) bool {
	// the first pass is a clean preview; later ones begin their steps at random, so
	// that the slices' edges average out
	p.jitter = p.Samples > 0
	if p.survey == nil {
		if y := p.newSurvey(); y != nil {
			if !y.fill(p, stop) {
				return false
			}
			p.survey = y
		}
	}
	// a block a piece of work: 256 pixels with their own counts, so threads share
	// nothing that they write
	if !p.squares(len(p.count), stop, func(b int, t *trip) {
		// its noise is low enough, or it has had its sample before the pass was
		// stopped
		if !p.done[b] && p.count[b] <= p.Samples {
			p.square(b, t)
		}
	}) {
		return false
	}
	p.Samples++
	if p.survey != nil {
		p.survey.release()
	}
	p.survey = nil
	return true
}

// squares does n pieces of work on all threads, and says whether it wasn't stopped.
func (p *Picture) squares(n int, stop func() bool, do func(n int, t *trip)) bool {
	var halted atomic.Bool // by any thread
	p.crew.Each(n, 2, func(lo, hi int) {
		t := trips.Get().(*trip)
		t.s, t.cells.of, t.lights.of, t.rays = p.scene, nil, nil, 0
		defer func() {
			p.rays.Add(t.rays)
			trips.Put(t)
		}()
		for i := lo; i < hi; i++ {
			if stop != nil && stop() {
				halted.Store(true)
				return
			}
			do(i, t)
		}
	})
	return !halted.Load()
}

// leastSamples are taken before a block's noise is trusted.
const leastSamples = 16

// square takes one sample of each pixel of a block.
func (p *Picture) square(b int, t *trip) {
	s := p.scene
	x0, y0 := b%p.across*block, b/p.across*block
	n := p.count[b]
	if p.survey != nil {
		t.refine(p.survey.fine, b%p.across*cellsEdge+1, b/p.across*cellsEdge+1, p.survey)
		p.keepKnown(t, x0, y0)
	}
	for q := range block * block {
		// squares of 4 × 4 pixels: their rays read much the same, which stays in the
		// first cache
		x, y := x0+q/16%4*4+q%4, y0+q/64*4+q/4%4
		if x >= p.W || y >= p.H {
			continue
		}
		motes := p.motes.at(x, y)
		if p.survey != nil && t.known[y-y0][x-x0] {
			if len(motes) == 0 {
				continue
			}
			p.forget(x, y)
		}
		// numbers depend on the pixel and its sample alone
		t.r = roll(x, y, n)
		jx, jy := 0.5, 0.5
		// in the march's first pass through the pixel's middle, else anywhere in
		// it
		if n > 0 || !p.march {
			jx, jy = t.r.next(), t.r.next()
		}
		t.still()
		t.x, t.y = x-x0, y-y0
		if s.Shutter > 0 {
			u := t.r.next()
			t.moment = (u - 0.5) * s.Shutter
			if len(s.Moments) > 0 {
				// the exposure's moments are sampled beforehand; solids stand at
				// the nearest one
				m := &s.Moments[min(int(u*float64(len(s.Moments))), len(s.Moments)-1)]
				t.cam, t.solids, t.bare = &m.Camera, m.Solids, m.bare
			}
		}
		o, d := t.cam.lensRay(float64(x)+jx, float64(y)+jy, p.W, p.H, &t.r)
		// nothing of the last pixel must show through
		t.out = taken{}
		if p.march {
			p.marchRay(t, o, d, &t.out)
		} else {
			t.path(o, d, &t.out)
		}
		if len(motes) > 0 {
			p.layMotes(t, o, d, motes, &t.out)
		}
		p.keep(x, y, n, &t.out)
	}
	p.count[b]++
	// looked at every eighth sample from the sixteenth on: a block that ends early
	// by luck would leave a blotch
	if limit := s.Look.Noise; limit > 0 && !p.march && p.count[b] >= leastSamples && p.count[b]%8 == 0 {
		p.done[b] = p.noise(b) < limit
	}
}

// forget takes back what was kept of a pixel in the first pass.
func (p *Picture) forget(x, y int) {
	at := y*p.W + x
	clear(p.sum[4*at : 4*at+4])
	if p.half != nil {
		clear(p.half[4*at : 4*at+4])
	}
	for _, g := range p.parts {
		clear(g[3*at : 3*at+3])
	}
	if p.feats != nil {
		clear(p.seen[4*at : 4*at+4])
		clear(p.feats[6*at : 6*at+6])
	}
}

// keep adds what a path found to its pixel.
// Threads own whole blocks, so nothing here needs a lock.
func (p *Picture) keep(x, y, n int, s *taken) {
	at := y*p.W + x
	var c look.RGB
	for g := range p.groups {
		v := s.light[g]
		c = c.Add(v)
		if p.parts != nil {
			q := p.parts[g][3*at : 3*at+3]
			q[0], q[1], q[2] = q[0]+float32(v[0]), q[1]+float32(v[1]), q[2]+float32(v[2])
		}
	}
	// one bad sample would blacken its pixel for good
	if math.IsNaN(c[0]+c[1]+c[2]) || math.IsInf(c[0]+c[1]+c[2], 0) {
		return
	}
	q := p.sum[4*at : 4*at+4]
	for i := range 3 {
		q[i] += float32(c[i])
	}
	q[3] += float32(s.alpha)
	// half of the samples on their own: noise is told from the two halves'
	// difference
	if n&1 == 0 && p.half != nil {
		h := p.half[4*at : 4*at+4]
		h[0], h[1], h[2], h[3] = h[0]+float32(c[0]), h[1]+float32(c[1]), h[2]+float32(c[2]), h[3]+float32(s.alpha)
	}
	if p.feats == nil {
		return
	}
	if s.hit {
		// depth and motion are means over the samples that met something
		e := p.seen[4*at : 4*at+4]
		e[0]++
		e[1], e[2], e[3] = e[1]+float32(s.depth), e[2]+float32(s.motion[0]), e[3]+float32(s.motion[1])
	}
	f := p.feats[6*at : 6*at+6]
	for i := range 3 {
		f[i] += float32(s.albedo[i])
	}
	f[3], f[4], f[5] = f[3]+float32(s.normal.X), f[4]+float32(s.normal.Y), f[5]+float32(s.normal.Z)
}

// noise is how far the halves of a block's samples are apart, against its
// brightness: Σ |I − A| over Σ √I, after Dammertz et al. (2010), as it shows
// on film.
func (p *Picture) noise(b int) float64 {
	x0, y0 := b%p.across*block, b/p.across*block
	n := float64(p.count[b])
	// the half holds samples 0, 2, 4 …
	even := float64((p.count[b] + 1) / 2)
	// noise is judged as bright as it will be shown
	gain := math.Exp2(p.scene.Look.Film.Exposure)
	var gap float64
	pixels := 0
	for y := y0; y < min(y0+block, p.H); y++ {
		for x := x0; x < min(x0+block, p.W); x++ {
			at := y*p.W + x
			var i, d float64
			for c := range 3 {
				whole := float64(p.sum[4*at+c]) / n * gain
				i += whole
				d += math.Abs(whole - float64(p.half[4*at+c])/even*gain)
			}
			// over the root of brightness, as shot noise and the eye have it; 0.01
			// keeps black pixels from counting for more than they show
			gap += d / math.Sqrt(i+0.01)
			pixels++
		}
	}
	return gap / float64(pixels)
}

// Noise is the mean noise over all blocks, as Look.Noise counts it, and how
// many blocks still want samples.
func (p *Picture) Noise() (mean float64, open int) {
	for b := range p.count {
		if p.count[b] > 1 {
			mean += p.noise(b)
		}
		if !p.done[b] {
			open++
		}
	}
	return mean / float64(len(p.count)), open
}

// Spent is the samples taken over all pixels, and what they would be without
// stopping early.
func (p *Picture) Spent() (taken, all int) {
	for _, n := range p.count {
		taken += n * block * block
	}
	return taken, p.Samples * len(p.count) * block * block
}

// share is one over the samples of a pixel.
func (p *Picture) share(x, y int) float32 {
	n := p.count[y/block*p.across+x/block]
	if n == 0 {
		return 0
	}
	return 1 / float32(n)
}

// At is the mean of pixel (x,y): linear, premultiplied, before exposure.
func (p *Picture) At(x, y int) (c look.RGB, alpha float64) {
	o, s := 4*(y*p.W+x), float64(p.share(x, y))
	return look.RGB{float64(p.sum[o]) * s, float64(p.sum[o+1]) * s, float64(p.sum[o+2]) * s}, float64(p.sum[o+3]) * s
}

// hit is where a ray meets something solid.
// t is the distance along the ray; normal is turned against it
type hit struct {
	t       float64
	normal  geom.Vec3
	colour  look.RGB
	off     float64 // m: how far from the surface rays that leave it must start
	of      *Solid
	holdout bool
	catcher bool
	clear   bool      // the surface of something clear
	wet     bool      // the surface of an opaque liquid
	damp    float64   // of a solid: how much of it a film of liquid covers
	soaked  float64   // of cloth: how much of what it can hold it holds
	charred float64   // of cloth: how burnt it is
	weave   float64   // of cloth: how rough its threads are
	away    geom.Vec3 // of what has some: back along the ray
	sea     bool      // open water's ripples are on it
	open    uint8     // of open water itself: what lies behind
	steep   float64   // of that: variance of slopes that aren't told apart
	foam    float64   // of that: share that is white
	glow    look.RGB  // of what is wet
}

const groundSize = 1e4 // m; beyond it the horizon is sky

// trace finds the nearest solid along a ray, up to far. light rays don't care
// what is only cut out.
//
// Ground, liquids, solids in turn, each up to the nearest so far. Boxes are asked
// first; within them imported meshes go through their trees and forms are traced by
// distance.
func (s *Scene) trace(tr *trip, o, d geom.Vec3, far float64, light bool) (hit, bool) {
	solids := tr.solids
	best := hit{t: far}
	found := false
	// the ground is the plane y = 0, or the sea's floor, seen from above
	if s.Look.Ground && d.Y < 0 {
		// rays that start on the ground must not meet it
		if t := (s.groundAt() - o.Y) / d.Y; t > 1e-4 && t < best.t && t < groundSize {
			best, found = hit{t: t, normal: geom.V(0, 1, 0), colour: s.Look.GroundColour, off: 1e-3 * max(1, t*0.01), catcher: s.Look.Catcher && !light}, true
		}
	}
	for _, l := range s.Liquids {
		if t, n, ok := l.ray(o, d, best.t, tr.moment); ok {
			// surfaces are seen from both sides; the normal is the one that faces
			// the ray
			if n.Dot(d) > 0 {
				n = n.Mul(-1)
			}
			best, found = hit{t: t, normal: n, off: 0.02 * l.H, clear: !s.Look.Liquid.Opaque, wet: s.Look.Liquid.Opaque}, true
			s.dye(&best, l, o.Add(d.Mul(t)))
			if l.joined && !light && s.Sea != nil {
				s.Sea.ripple(&best, o.Add(d.Mul(t)), d)
			}
		}
	}
	if s.Sea != nil {
		if h, ok := s.meetSea(o, d, best.t); ok {
			best, found = h, true
		}
	}
	// infinite where the ray runs along a box's side; slabs copes with that
	inv := geom.V(1/d.X, 1/d.Y, 1/d.Z)
	for i := range solids {
		if i&3 == 0 { // now and then whether anything that follows is near the ray
			if near, _, ok := slabs(&solids[i].rest, o, inv); !ok || near > best.t {
				break
			}
		}
		near, end, ok := slabs(&solids[i].box, o, inv)
		if !ok || near > best.t {
			continue
		}
		if h, ok := solids[i].meet(o, d, near, end, best.t); ok {
			h.colour, h.of, h.holdout, h.clear = solids[i].Colour, &solids[i], solids[i].Holdout && !light, solids[i].Clear
			if h.weave = solids[i].Weave; h.weave > 0 {
				h.away = d.Mul(-1)
			}
			best, found = h, true
		}
	}
	if best.soaked > 0 && !light {
		best.darken(best.soaked)
		best.damp = best.gloss()
	}
	if best.charred > 0 && !light {
		best.colour = Charred(best.colour, best.charred)
	}
	if len(s.Damp) > 0 && found && best.of != nil && !light && !best.clear {
		s.moisten(&best, o.Add(d.Mul(best.t)))
	}
	return best, found
}

// meet is where a ray that is within a solid's box from near to end meets it, up to far.
// Normals of imported meshes and of what is clear are turned against the ray: both sides of
// them are seen.
func (s *Solid) meet(o, d geom.Vec3, near, end, far float64) (hit, bool) {
	sh := &s.Shape
	h := hit{off: s.size * 8e-4}
	switch {
	case sh.Body != nil:
		// meshes have their own triangles; the shape's own space is turned and not
		// scaled, so distances along the ray stay
		m, n := sh.Body.Ray(sh.Local(o), sh.Turn.Back(d), max(near, 0)-1e-9, min(end, far))
		if m.Tri < 0 {
			return h, false
		}
		h.t, h.normal, h.off = m.T, sh.Turn.Apply(n), s.size*1e-4
		if s.Soaked != nil {
			h.soaked = s.of(s.Soaked, m)
		}
		if s.Charred != nil {
			h.charred = s.of(s.Charred, m)
		}
	case s.spanned:
		list, n := sh.Spans(o, d)
		i := 0
		for i < n && list[i][1] < 0 {
			i++
		}
		if i == n {
			return h, false
		}
		if h.t = list[i][0]; h.t < 0 { // from within
			if h.t = 0; s.Clear {
				h.t = list[i][1]
			}
		}
		if h.t > far {
			return h, false
		}
		h.normal = sh.Facing(o.Add(d.Mul(h.t)))
	default:
		t, ok := s.approach(o, d, near, min(end, far))
		if !ok {
			return h, false
		}
		h.t, h.normal = t, sh.Normal(o.Add(d.Mul(t)))
	}
	if (sh.Body != nil || s.Clear) && h.normal.Dot(d) > 0 {
		h.normal = h.normal.Mul(-1)
	}
	return h, true
}

// approach finds a surface by sphere tracing: the distance is never more than that to it,
// so a step of it can't pass through. 200 steps are for grazing rays.
func (s *Solid) approach(o, d geom.Vec3, near, far float64) (t float64, ok bool) {
	t = max(near, 0)
	for range 200 {
		if t > far {
			break
		}
		dist := s.Shape.Distance(o.Add(d.Mul(t)))
		if s.Clear { // from within, too
			dist = math.Abs(dist)
		}
		if dist < s.size*2e-4 {
			return t, true
		}
		t += dist
	}
	return t, false
}

// slabs is where a ray enters and leaves a box; inv is one over its direction.
// Written out by axes: it is the most called function of a scene with many solids.
func slabs(b *geom.Box, o, inv geom.Vec3) (near, far float64, hit bool) {
	x0, x1 := (b.Min.X-o.X)*inv.X, (b.Max.X-o.X)*inv.X
	if x0 > x1 {
		x0, x1 = x1, x0
	}
	y0, y1 := (b.Min.Y-o.Y)*inv.Y, (b.Max.Y-o.Y)*inv.Y
	if y0 > y1 {
		y0, y1 = y1, y0
	}
	if y0 > x0 {
		x0 = y0
	}
	if y1 < x1 {
		x1 = y1
	}
	z0, z1 := (b.Min.Z-o.Z)*inv.Z, (b.Max.Z-o.Z)*inv.Z
	if z0 > z1 {
		z0, z1 = z1, z0
	}
	if z0 > x0 {
		x0 = z0
	}
	if z1 < x1 {
		x1 = z1
	}
	return x0, x1, x1 >= x0 && x1 >= 0
}

// blocked reports a solid between p and a light.
func (s *Scene) blocked(t *trip, p, d geom.Vec3, far float64) bool {
	// most solids are known by equations, and quickly told; only what they leave open is traced
	inv := geom.V(1/d.X, 1/d.Y, 1/d.Z)
	rest := len(s.Liquids) > 0 || s.Sea != nil || s.Look.Ground && d.Y < 0
	for i := range t.solids {
		o := &t.solids[i]
		if i&3 == 0 {
			if near, _, ok := slabs(&o.rest, p, inv); !ok || near > far {
				break
			}
		}
		near, end, ok := slabs(&o.box, p, inv)
		switch {
		case !ok || near > far || end < 0:
		case !o.spanned:
			rest = true
		default:
			list, n := o.Shape.Spans(p, d)
			for _, at := range list[:n] {
				if at[1] >= 0 && at[0] <= far {
					return true
				}
			}
		}
	}
	if !rest {
		return false
	}
	_, hit := s.trace(t, p, d, far, true)
	return hit
}

// meetLamp finds the nearest lamp along a ray; the eye meets only those that
// are seen.
func (s *Scene) meetLamp(o, d geom.Vec3, far float64, eye bool) (n int, t float64) {
	n = -1
	for i := range s.Lamps {
		if eye && !s.Lamps[i].Seen {
			continue
		}
		if at, ok := s.Lamps[i].hit(o, d, far); ok {
			n, t, far = i, at, at
		}
	}
	return n, t
}

// albedo is the share of light that a volume's smoke scatters on at a point.
func (s *Scene) albedo(v *Volume, p geom.Vec3, moment float64) (c look.RGB) {
	l := &s.Look
	for i := range c {
		if l.Extinction[i] > 0 {
			c[i] = l.Scattering[i] / l.Extinction[i]
		}
	}
	if v.tint == nil {
		return c
	}
	q := v.toGrid(p)
	if v.moves != nil && moment != 0 {
		q = v.moves.back(v, q, moment)
	}
	return c.Mul(v.tint.At(float64(v.tintBy.Sample(float32(q.X)-0.5, float32(q.Y)-0.5, float32(q.Z)-0.5))))
}

// backdrop is what stands behind everything: its light and its alpha. A plate
// is laid under on film.
func (s *Scene) backdrop(d geom.Vec3) (look.RGB, float64) {
	switch s.Look.Background {
	case "none", "plate":
		return look.RGB{}, 0
	case "grey":
		return look.RGB{0.18, 0.18, 0.18}, 1
	}
	return s.sky(d), 1
}
