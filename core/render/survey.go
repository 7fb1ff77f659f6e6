package render

// The quick march's first pass follows few rays: those of every fourth pixel each way, then
// those between which what volumes show isn't smooth (Levoy 1990, Volume rendering by adaptive
// refinement). Whether it is, a cubic through four neighbours tells: where it hardly leaves
// the straight line between two, it is taken; so is light on a surface. Which surface a ray
// meets, its colour, sky and lamps are every pixel's own. Later passes follow every ray.

import (
	"math"
	"sync"

	"zarf/core/geom"
	"zarf/core/look"
	"zarf/core/vec"
)

// lattice is what rays through every so many pixels see of volumes. Point i of an axis
// stands for pixel step·(i − shift).
type lattice struct {
	step, shift int
	nx, ny      int
	at          []veil
	met         []wall // nil: there are none
	lit         []veil // light on what is met, by groups from that of the sun on; nil: not wanted
}

// wall is where rays end. Volumes before different ones aren't put together.
type wall struct {
	of   *Solid
	kind int // 0: a solid or nothing; ground, liquid, lamps
}

func meets(h hit, solid bool, lamp int) wall {
	switch {
	case lamp >= 0:
		return wall{kind: 3 + lamp}
	case !solid || h.of != nil:
		return wall{of: h.of}
	case h.clear || h.wet:
		return wall{kind: 2}
	}
	return onGround
}

var onGround = wall{kind: 1}

// cells are what lies between the points of a square of cells, by cell: halfway along x,
// along y, and along both, each with whether that is rough.
type cells struct {
	of                 *lattice
	at                 []veil // of its points: what is asked for
	plain              veil   // of which there is nothing but this: what follows is of no meaning
	clear              bool
	i, j               int // the first cell
	along, down, cross [cellsEdge][cellsEdge]veil
	rough              [3][cellsEdge][cellsEdge]uint8
	side               [cellsEdge + 3]veil // of a row, halfway along y, and beside it
	sides              [cellsEdge + 3]uint8
}

// cellsEdge is how many cells of a lattice are refined together, each way: those of a block
// of pixels.
const cellsEdge = block / 2

// survey is what the first pass goes by.
type survey struct {
	fine            *lattice   // a point every two pixels
	coarser         []*lattice // each of twice the step of the one before; may be none
	rel, base       veil       // how far from straight is smooth
	things          []patch    // where surfaces but the ground may be seen
	litRel, litBase veil       // of light on surfaces
}

// Lattices are worth it where voxels are so many pixels wide, and pictures no larger than
// that they fit into memory.
const (
	widest      = 2 // voxels between points of the first lattice
	farthest    = 8 // pixels between them
	mostSurvey  = 1 << 24
	smoothShare = 0.01   // of a value: what a cubic may differ from the straight line
	smoothLeast = 0.0008 // the same in black
	smoothFlame = 0.25   // of flame as it is seen, which film makes much alike
)

// newSurvey begins a survey, or tells with nil that there is nothing to be gained: rays
// spread by chance, or finer detail than a lattice shows.
func (p *Picture) newSurvey() *survey {
	s := p.scene
	if p.every || !p.march || p.Samples > 0 || s.Shutter > 0 || s.Camera.opening > 0 || p.W*p.H > mostSurvey {
		return nil
	}
	wide, long := math.Inf(1), math.Inf(1) // of a voxel: pixels, m
	for _, v := range s.Volumes {
		if v.empty {
			continue
		}
		far := max(v.tight.Centre().Sub(s.Camera.Eye).Dot(s.Camera.forward), v.H)
		w := v.H * float64(p.W) / (2 * s.Camera.spread * far)
		if v.sharp != nil {
			w /= 4
		}
		wide, long = min(wide, w), min(long, v.H)
	}
	if math.IsInf(wide, 1) || widest*wide < 2 {
		return nil
	}
	y := &survey{fine: p.newLattice(2)}
	for step := 4; step <= farthest && widest*wide >= float64(step); step *= 2 {
		y.coarser = append(y.coarser, p.newLattice(step))
	}
	gain := math.Exp2(s.Look.Film.Exposure)
	for n := range y.rel {
		switch {
		case n < veilSun:
			y.rel[n], y.base[n] = smoothFlame, float32(smoothLeast/gain)
		case n < veilThrough:
			y.rel[n], y.base[n] = smoothShare, float32(smoothLeast/gain)
		case n < veilSeen:
			y.base[n] = float32(smoothShare / 2 / max(1, 2*gain*s.Look.Sky.Max()))
		default:
			y.rel[n], y.base[n] = smoothShare, float32(long)
		}
	}
	y.things = p.things()
	for n := range y.litRel {
		y.litRel[n], y.litBase[n] = smoothShare, float32(smoothLeast/gain)
	}
	return y
}

// newLattice has a point every step pixels, and enough beside the picture that whole squares
// can be refined.
func (p *Picture) newLattice(step int) *lattice {
	squares := func(pixels int) int { return (pixels + step*cellsEdge - 1) / (step * cellsEdge) }
	l := &lattice{step: step, shift: 1}
	wide, high := p.W, p.H
	if step > 2 { // and the points beside those of the finer one
		l.shift, wide, high = 2, p.W+3*step, p.H+3*step
	}
	l.nx, l.ny = cellsEdge*squares(wide)+3, cellsEdge*squares(high)+3
	l.at = veils(l.nx * l.ny)
	if s := p.scene; s.Look.Ground || len(s.Solids)+len(s.Liquids)+len(s.Lamps) > 0 {
		l.met = make([]wall, l.nx*l.ny)
		if 3*(p.groups-BySun) <= vec.Lanes {
			l.lit = veils(l.nx * l.ny)
		}
	}
	return l
}

// spare are veils of surveys that are over: new memory costs more than what is put there.
var spare sync.Pool

func veils(n int) []veil {
	if old, ok := spare.Get().(*[]veil); ok && cap(*old) >= n {
		clear((*old)[:n])
		return (*old)[:n]
	}
	return make([]veil, n)
}

// release gives back what the survey was kept in.
func (y *survey) release() {
	for _, l := range append(y.coarser, y.fine) {
		spare.Put(&l.at)
		if l.lit != nil {
			spare.Put(&l.lit)
		}
	}
}

// clearVeil is where there is nothing.
var clearVeil = veil{veilThrough: 1, veilThrough + 1: 1, veilThrough + 2: 1}

// pixel is where point (i, j) stands in the picture; beyond a few pixels beside it points
// are of no use.
func (l *lattice) pixel(i, j int, p *Picture) (x, y int, ok bool) {
	x, y = l.step*(i-l.shift), l.step*(j-l.shift)
	margin := 2
	if l.step > 2 {
		margin += 2 * l.step
	}
	return x, y, x < p.W+margin && y < p.H+margin
}

// fill follows the rays of all points of the coarsest lattice, and then from one to the next
// finer those that aren't smoothly between; it says whether it wasn't stopped.
func (y *survey) fill(p *Picture, stop func() bool) bool {
	all := append([]*lattice{y.fine}, y.coarser...)
	l := all[len(all)-1]
	across := (l.nx + cellsEdge - 1) / cellsEdge
	if !p.squares(across*((l.ny+cellsEdge-1)/cellsEdge), stop, func(n int, t *trip) {
		for q := range cellsEdge * cellsEdge {
			if i, j := n%across*cellsEdge+q%cellsEdge, n/across*cellsEdge+q/cellsEdge; i < l.nx && j < l.ny {
				y.follow(p, t, l, i, j, true, true)
			}
		}
	}) {
		return false
	}
	for n := len(all) - 1; n > 0; n-- {
		if !y.sharpen(p, all[n], all[n-1], stop) {
			return false
		}
	}
	return true
}

// sharpen fills a lattice of half the step.
func (y *survey) sharpen(p *Picture, l, f *lattice, stop func() bool) bool {
	across := (l.nx - 3) / cellsEdge
	return p.squares(across*((l.ny-3)/cellsEdge), stop, func(n int, t *trip) {
		t.refine(l, n%across*cellsEdge+1, n/across*cellsEdge+1, y)
		for q := range 4 * cellsEdge * cellsEdge {
			x, z := q%(2*cellsEdge), q/(2*cellsEdge)
			i, j := 2*(t.cells.i-l.shift)+f.shift+x, 2*(t.cells.j-l.shift)+f.shift+z
			if i < 0 || j < 0 || i >= f.nx || j >= f.ny {
				continue
			}
			at := j*f.nx + i
			v, met := t.cells.point(x, z)
			if v != nil {
				f.at[at] = *v
			}
			var lit *veil
			if f.met != nil {
				f.met[at] = met
			}
			if f.lit != nil {
				if lit, _ = t.lights.point(x, z); lit != nil {
					f.lit[at] = *lit
				}
			}
			if noLight := f.lit != nil && lit == nil; v == nil || noLight {
				y.follow(p, t, f, i, j, v == nil, noLight)
			}
		}
	})
}

// follow takes what a point's ray sees of volumes, and what light is on the surface behind
// them, where the picture has a use for it.
func (y *survey) follow(p *Picture, t *trip, l *lattice, i, j int, through, lit bool) {
	px, py, ok := l.pixel(i, j, p)
	if !ok {
		return
	}
	s, at := p.scene, j*l.nx+i
	t.still()
	o, d := s.Camera.Eye, s.Camera.ray(float64(px)+0.5, float64(py)+0.5, p.W, p.H)
	far := math.Inf(1)
	if l.met != nil {
		h, solid := s.trace(t, o, d, far, false)
		lamp, lampAt := s.meetLamp(o, d, h.t, true)
		if far = h.t; lamp >= 0 {
			far = lampAt
		}
		l.met[at] = meets(h, solid, lamp)
		if lit && l.lit != nil && solid && lamp < 0 && h.plain() {
			e := p.shade(t, o.Add(d.Mul(h.t)).Add(h.normal.Mul(h.off)), h)
			for g := BySun; g < p.groups; g++ {
				for c, v := range e[g] {
					l.lit[at][3*(g-BySun)+c] = float32(v)
				}
			}
		}
	}
	if through && !p.marchVolumes(t, o, d, far, look.RGB{1, 1, 1}, p.feats != nil, &l.at[at]) {
		l.at[at] = clearVeil
	}
}

// still sets a trip to the frame itself.
func (t *trip) still() {
	t.cam, t.solids, t.bare, t.moment = &t.s.Camera, t.s.Solids, t.s.bare, 0
}

// plain is what is as bright as the light on it, and nothing else.
func (h *hit) plain() bool { return !h.clear && !h.wet && !h.holdout && !h.catcher }

// refine works out what lies between the points of a square of cells, in front of surfaces
// and on them.
func (t *trip) refine(l *lattice, i, j int, y *survey) {
	t.cells.refine(l, l.at, &clearVeil, i, j, &y.rel, &y.base)
	if l.lit != nil {
		t.lights.refine(l, l.lit, &veil{}, i, j, &y.litRel, &y.litBase)
	}
}

// refine works out what lies between values of the points of a square of cells.
func (c *cells) refine(l *lattice, values []veil, plain *veil, i, j int, rel, base *veil) {
	c.of, c.at, c.plain, c.i, c.j, c.clear = l, values, *plain, i, j, true
	for k := -1; k < cellsEdge+2 && c.clear; k++ {
		for _, v := range values[(j+k)*l.nx+i-1:][:cellsEdge+3] {
			c.clear = c.clear && v == *plain
		}
	}
	if c.clear {
		return
	}
	for k := range cellsEdge {
		row := func(n int) []veil { return values[(j+k+n)*l.nx+i-1:][:cellsEdge+3] }
		r := row(0)
		vec.Midway(c.along[k][:], r[:cellsEdge], r[1:cellsEdge+1], r[2:cellsEdge+2], r[3:], rel, base, c.rough[0][k][:])
		vec.Midway(c.side[:], row(-1), r, row(1), row(2), rel, base, c.sides[:])
		copy(c.down[k][:], c.side[1:])
		copy(c.rough[1][k][:], c.sides[1:])
		s := c.side[:]
		vec.Midway(c.cross[k][:], s[:cellsEdge], s[1:cellsEdge+1], s[2:cellsEdge+2], s[3:], rel, base, c.rough[2][k][:])
		for n := range cellsEdge {
			c.rough[2][k][n] |= c.sides[n+1] | c.sides[n+2]
		}
	}
	// an edge goes on where it isn't seen between two points: what lies round it is rough
	var any [cellsEdge][cellsEdge]uint8
	for j := range any {
		for i := range any[j] {
			any[j][i] = c.rough[0][j][i] | c.rough[1][j][i] | c.rough[2][j][i]
		}
	}
	for j := range any {
		for i := range any[j] {
			var near uint8
			for y := max(j-1, 0); y <= min(j+1, cellsEdge-1); y++ {
				for x := max(i-1, 0); x <= min(i+1, cellsEdge-1); x++ {
					near |= any[y][x]
				}
			}
			c.rough[0][j][i], c.rough[1][j][i], c.rough[2][j][i] = near, near, near
		}
	}
}

// point is what is seen at a point of the finer lattice, counted from the square's first
// on, and before what; nil: its ray must be followed.
func (c *cells) point(x, y int) (v *veil, met wall) {
	i, j, l := x/2, y/2, c.of
	at := (c.j+j)*l.nx + c.i + i
	if l.met != nil {
		met = l.met[at]
	}
	on, below := 0, 0
	switch {
	case x%2+y%2 == 0:
		return &c.at[at], met
	case c.clear:
		v, on, below = &c.plain, x%2, y%2*l.nx
	case y%2 == 0:
		v, on = &c.along[j][i], 1
		if c.rough[0][j][i] != 0 {
			return nil, met
		}
	case x%2 == 0:
		v, below = &c.down[j][i], l.nx
		if c.rough[1][j][i] != 0 {
			return nil, met
		}
	default:
		v, on, below = &c.cross[j][i], 1, l.nx
		if c.rough[2][j][i] != 0 {
			return nil, met
		}
	}
	if l.met != nil && (l.met[at+on] != met || l.met[at+below] != met || l.met[at+on+below] != met) {
		return nil, met
	}
	return v, met
}

// between is what the pixel under way sees of volumes before a surface, where that is known
// from others.
func (t *trip) between(met wall) *veil { return t.cells.before(met, t.x, t.y) }

// before is what is known at a point of what lies before a surface, or on it.
func (c *cells) before(met wall, x, y int) *veil {
	if c.of == nil {
		return nil
	}
	v, there := c.point(x, y)
	if c.of.met != nil && there != met {
		return nil
	}
	return v
}

// lightOn is the light over π on what the pixel under way meets, as shade has it: from
// others where first says that nothing clear lies before, and it is known.
func (p *Picture) lightOn(t *trip, o, d geom.Vec3, h hit, first bool) (e [maxGroups]look.RGB) {
	if first && h.plain() {
		if v := t.lights.before(meets(h, true, -1), t.x, t.y); v != nil {
			for g := BySun; g < p.groups; g++ {
				for c := range 3 {
					e[g][c] = float64(v[3*(g-BySun)+c])
				}
			}
			return e
		}
	}
	return p.shade(t, o.Add(d.Mul(h.t)).Add(h.normal.Mul(h.off)), h)
}
