package render

// Pixels of a first pass whose rays needn't be followed: what volumes show before them lies
// between rays that were, and behind is nothing but sky, a plain backdrop or plain ground.

import (
	"math"

	"zarf/core/geom"
	"zarf/core/look"
)

// keepKnown keeps what pixels of a block show where that is known from others, volumes before
// the backdrop, and notes which.
func (p *Picture) keepKnown(t *trip, x0, y0 int) {
	s, c := p.scene, &t.cells
	t.still()
	t.known = [block][block]bool{}
	if t.medium(s.Camera.Eye) != inAir {
		return
	}
	back := p.newBackdrop()
	free := c.of.met == nil || p.survey.free(p, x0, y0)
	wide := min(block, p.W-x0)
	if !free && p.paved(t, x0, y0) {
		p.keepGround(t, x0, y0)
		return
	}
	for y := range min(block, p.H-y0) {
		back.begin(x0, y0+y)
		at := (y0+y)*p.W + x0
		if sum := p.sum[4*at : 4*(at+wide)]; free && c.clear && p.parts == nil {
			back.keepRow(sum)
			t.known[y] = everyPixel
			continue
		} else if free && p.parts == nil && p.feats == nil {
			var row [block]*veil
			c.row(y, &row)
			back.keepVeils(sum, &row, &t.known[y])
			continue
		}
		for x := range wide {
			v, before := c.point(x, y)
			if v == nil || before != (wall{}) {
				continue
			}
			d := back.ray(x)
			if !free {
				h, solid := s.trace(t, s.Camera.Eye, d, math.Inf(1), false)
				if lamp, _ := s.meetLamp(s.Camera.Eye, d, h.t, true); solid || lamp >= 0 {
					continue
				}
			}
			t.out = taken{}
			through := look.RGB{1, 1, 1}
			t.lay(v, s.Camera.Eye, d, &t.out, &through)
			r, g, b := back.at(x)
			t.out.light[BySky] = t.out.light[BySky].Add(through.Mul(look.RGB{float64(r), float64(g), float64(b)}))
			t.out.alpha = 1 - (1-back.alpha)*(through[0]+through[1]+through[2])/3
			p.keep(x0+x, y0+y, 0, &t.out)
			t.known[y][x] = true
		}
	}
}

// paved reports that a block of pixels shows nothing but plain ground behind volumes, with light
// on it that is told between points, and that pictures are all that is kept.
func (p *Picture) paved(t *trip, x0, y0 int) bool {
	s, l := p.scene, t.cells.of
	if !s.Look.Ground || s.Look.Catcher || s.Sea != nil || l.lit == nil || p.parts != nil || p.feats != nil || p.survey.crowded(x0, y0) {
		return false
	}
	// the part of a picture that shows a plane up to so far away has no dents: where corners
	// show it, so does all between
	for j := range (min(block, p.H-y0)+1)/2 + 1 {
		for i := range (min(block, p.W-x0)+1)/2 + 1 {
			if l.met[(t.cells.j+j)*l.nx+t.cells.i+i] != onGround {
				return false
			}
		}
	}
	return true
}

// keepGround keeps pixels of such a block that are known, and notes which.
func (p *Picture) keepGround(t *trip, x0, y0 int) {
	wide := min(block, p.W-x0)
	var colour [3]float32
	for c, v := range p.scene.Look.GroundColour {
		colour[c] = float32(v)
	}
	var veils, lit [block]*veil
	for y := range min(block, p.H-y0) {
		t.cells.values(y, &veils)
		t.lights.values(y, &lit)
		for x := range wide {
			v, l := veils[x], lit[x]
			if v == nil || l == nil {
				continue
			}
			var sum [3]float32
			for g := range p.groups - BySun {
				for c := range sum {
					sum[c] += l[3*g+c]
				}
			}
			for c := range sum {
				sum[c] = (v[veilEmission+c] + v[veilSun+c]) + (v[veilSky+c] + v[veilFire+c]) + v[veilThrough+c]*colour[c]*sum[c]
			}
			if all := sum[0] + sum[1] + sum[2]; all-all != 0 {
				continue // no number: what keeps rays knows what to do
			}
			at := 4 * ((y0+y)*p.W + x0 + x)
			p.sum[at], p.sum[at+1], p.sum[at+2], p.sum[at+3] = sum[0], sum[1], sum[2], 1
			t.known[y][x] = true
		}
	}
}

// values are what is known of a row of points of the finer lattice, before the same surface.
func (c *cells) values(y int, to *[block]*veil) {
	*to = [block]*veil{}
	if !c.clear {
		c.row(y, to)
		return
	}
	for i := range to {
		to[i] = &c.plain
	}
}

// patch is a part of the picture, in pixels.
type patch struct{ x0, y0, x1, y1 float64 }

// things are parts of the picture beyond which no surface but the ground is seen.
func (p *Picture) things() (list []patch) {
	s := p.scene
	add := func(b geom.Box) {
		r := patch{math.Inf(1), math.Inf(1), math.Inf(-1), math.Inf(-1)}
		for i := range 8 {
			q := b.Min
			if i&1 != 0 {
				q.X = b.Max.X
			}
			if i&2 != 0 {
				q.Y = b.Max.Y
			}
			if i&4 != 0 {
				q.Z = b.Max.Z
			}
			if q.Sub(s.Camera.Eye).Dot(s.Camera.forward) < 1e-3 { // beside or behind the eye: it may be anywhere
				r = patch{math.Inf(-1), math.Inf(-1), math.Inf(1), math.Inf(1)}
				break
			}
			x, y := s.Camera.project(q)
			r = patch{min(r.x0, x-1), min(r.y0, y-1), max(r.x1, x+1), max(r.y1, y+1)}
		}
		list = append(list, r)
	}
	for i := range s.Solids {
		add(s.Solids[i].box)
	}
	for _, l := range s.Liquids {
		add(l.box())
	}
	for i := range s.Lamps {
		if s.Lamps[i].Seen {
			list = append(list, patch{math.Inf(-1), math.Inf(-1), math.Inf(1), math.Inf(1)})
		}
	}
	return list
}

// free reports that no surface is seen in a block of pixels.
func (y *survey) free(p *Picture, x0, y0 int) bool {
	if y.crowded(x0, y0) {
		return false
	}
	if !p.scene.Look.Ground {
		return true
	}
	for i := range 4 {
		if p.scene.Camera.ray(float64(x0+i%2*block), float64(y0+i/2*block), p.W, p.H).Y < 0 {
			return false
		}
	}
	return true
}

// crowded reports that a surface but the ground may be seen in a block of pixels.
func (y *survey) crowded(x0, y0 int) bool {
	for _, r := range y.things {
		if r.x0 < float64(x0+block) && r.x1 > float64(x0) && r.y0 < float64(y0+block) && r.y1 > float64(y0) {
			return true
		}
	}
	return false
}

var everyPixel [block]bool

func init() {
	for i := range everyPixel {
		everyPixel[i] = true
	}
}

// row is what is seen at a row of points of the finer lattice; nil where that isn't known.
func (c *cells) row(y int, to *[block]*veil) {
	j := y / 2
	on, kind := &c.along[j], 0
	if y%2 == 1 {
		on, kind = &c.cross[j], 2
	}
	rough, below := &c.rough[kind][j], &c.rough[1][j]
	points := c.at[(c.j+j)*c.of.nx+c.i:][:cellsEdge]
	for i := range cellsEdge {
		switch {
		case kind == 0:
			to[2*i] = &points[i]
		case below[i] == 0:
			to[2*i] = &c.down[j][i]
		}
		if rough[i] == 0 {
			to[2*i+1] = &on[i]
		}
	}
}

// keepRow keeps pixels that show nothing but what stands behind everything.
func (b *backdrop) keepRow(sum []float32) {
	a := float32(b.alpha)
	for x := 0; 4*x+4 <= len(sum); x++ {
		red, green, blue := b.at(x)
		s := sum[4*x:][:4]
		s[0], s[1], s[2], s[3] = red, green, blue, a
	}
}

// keepVeils keeps pixels that show veils before what stands behind everything, and notes
// which.
func (b *backdrop) keepVeils(sum []float32, row *[block]*veil, known *[block]bool) {
	clear := float32(1 - b.alpha)
	for x, v := range row[:min(len(sum)/4, block)] {
		if v == nil {
			continue
		}
		red, green, blue := b.at(x)
		red = (v[veilEmission] + v[veilSun]) + (v[veilSky] + v[veilFire]) + v[veilThrough]*red
		green = (v[veilEmission+1] + v[veilSun+1]) + (v[veilSky+1] + v[veilFire+1]) + v[veilThrough+1]*green
		blue = (v[veilEmission+2] + v[veilSun+2]) + (v[veilSky+2] + v[veilFire+2]) + v[veilThrough+2]*blue
		if all := red + green + blue; all-all != 0 {
			continue // no number: what keeps rays knows what to do
		}
		a := 1 - clear*(v[veilThrough]+v[veilThrough+1]+v[veilThrough+2])*(1.0/3)
		s := sum[4*x:][:4]
		s[0], s[1], s[2], s[3] = red, green, blue, a
		known[x] = true
	}
}

// backdrop is what stands behind everything, along a row of a block of pixels.
type backdrop struct {
	p     *Picture
	cam   *Camera
	sky   bool // it is the sky
	flat  look.RGB
	alpha float64
	x0    int
	up    float64
	row   geom.Vec3
	curve [9]float32 // of the look's sky along the row, by colour: hardly more than a parabola
	even  bool       // that holds
}

func (p *Picture) newBackdrop() backdrop {
	b := backdrop{p: p, cam: &p.scene.Camera, alpha: 1, sky: p.scene.Look.Background == "sky"}
	if !b.sky {
		b.flat, b.alpha = p.scene.backdrop(b.cam.forward)
	}
	return b
}

// begin goes to the row's pixels from x0 on.
func (b *backdrop) begin(x0, y int) {
	s := b.p.scene
	b.x0 = x0
	b.up = (float64(b.p.H) - 2*(float64(y)+0.5)) / float64(b.p.W) * b.cam.spread
	b.row = b.cam.forward.Add(b.cam.up.Mul(b.up))
	if b.even = false; !b.sky || s.Env != nil {
		return
	}
	low, mid, high := b.ray(0), b.ray(block/2), b.ray(block)
	if b.even = low.Y >= 0 == (mid.Y >= 0) && mid.Y >= 0 == (high.Y >= 0); !b.even {
		return // the horizon
	}
	l, m, h := s.sky(low), s.sky(mid), s.sky(high)
	for c := range 3 {
		b.curve[3*c], b.curve[3*c+1], b.curve[3*c+2] = float32(l[c]), float32((4*m[c]-3*l[c]-h[c])/block), float32(2*(l[c]+h[c]-2*m[c])/(block*block))
	}
}

// ray is that of the row's pixel x, as Camera.ray: its axes are at right angles.
func (b *backdrop) ray(x int) geom.Vec3 {
	on := (2*(float64(b.x0+x)+0.5)/float64(b.p.W) - 1) * b.cam.spread
	return b.row.Add(b.cam.right.Mul(on)).Mul(1 / math.Sqrt(1+b.up*b.up+on*on))
}

// at is the light behind the row's pixel x.
func (b *backdrop) at(pixel int) (red, green, blue float32) {
	x, k := float32(pixel), &b.curve
	if b.even {
		return k[0] + x*(k[1]+x*k[2]), k[3] + x*(k[4]+x*k[5]), k[6] + x*(k[7]+x*k[8])
	}
	c := b.flat
	if b.sky {
		c = b.p.scene.sky(b.ray(pixel))
	}
	return float32(c[0]), float32(c[1]), float32(c[2])
}
