package flipbook

// Dense motion between two tiles. It is what a receiver interpolates with, so it is
// judged by how well the picture in between comes out (Between), and not by any true
// motion.

import (
	"math"

	"zarf/core/grid"
)

// Flow is motion from one picture to the next: pixels to the right and down.
// From a place x in the first picture to x + (U, V) in the second.
type Flow struct {
	W, H int
	U, V []float32
}

func newFlow(w, h int) *Flow { return &Flow{w, h, make([]float32, w*h), make([]float32, w*h)} }

// The window is a box of 2·reach+1 pixels taken twice, which is a tent.
// Reach by level: three pixels at the coarsest of a 256 pixel tile are about a fifth
// of its width.
const (
	reach  = 3
	rounds = 4
	coarse = 12 // pixels of the smallest level's shorter side
)

// plane is a picture of one value.
// One array for a value, rows from the top, as the filters below run over one value.
type plane struct {
	w, h int
	v    []float32
}

// Motion finds the flow from a to b. most is the longest side on which it is
// looked for; larger pictures are halved first, and the flow is brought back
// to their size. It gives the same on any number of threads.
func Motion(a, b *Tile, most int, crew grid.Crew) *Flow {
	// A pyramid by halves (Bergen et al. 1992): large motion is found where it is
	// small, then carried up and refined.
	p, q := signals(a), signals(b)
	for max(p[0].w, p[0].h) > most {
		p, q = half2(p), half2(q)
	}
	type level struct{ p, q [2]plane }
	levels := []level{{p, q}}
	// Until the shorter side would fall under what a window needs to see.
	for l := levels[0]; min(l.p[0].w, l.p[0].h) >= 2*coarse; l = levels[len(levels)-1] {
		levels = append(levels, level{half2(l.p), half2(l.q)})
	}
	var f *Flow
	for k := len(levels) - 1; k >= 0; k-- {
		l := levels[k]
		w, h := l.p[0].w, l.p[0].h
		if f == nil {
			f = newFlow(w, h)
		} else {
			f = f.scaled(w, h)
		}
		for range rounds {
			refine(f, l.p, l.q, crew)
		}
	}
	// Once, at the finest level: at coarse ones what is still moves with its
	// neighbours.
	settle(f, p, q, crew)
	if f.W != a.W || f.H != a.H {
		f = f.scaled(a.W, a.H)
	}
	return f
}

// settle lets motion go where it brings the two pictures together no better
// than standing still does: what comes up or goes out isn't moving. Halfway
// both are looked up as a receiver does it, and the squares of what they differ
// by are held against those without motion, over the window.
// Smoke dissolves and fire flickers: brightness constancy doesn't hold for either,
// and least squares then invents motion towards whatever looks alike.
func settle(f *Flow, p, q [2]plane, crew grid.Crew) {
	w, h := f.W, f.H
	with, still := make([]float32, w*h), make([]float32, w*h)
	crew.For(h, 8, func(lo, hi int) {
		for y := lo; y < hi; y++ {
			for x := range w {
				i := y*w + x
				// To the picture halfway from both ends, which is the worst place of
				// the interpolation.
				u, v := f.U[i]/2, f.V[i]/2
				for s := range p {
					d := q[s].at(float32(x)+u, float32(y)+v) - p[s].at(float32(x)-u, float32(y)-v)
					with[i] += d * d
					d = q[s].v[i] - p[s].v[i]
					still[i] += d * d
				}
			}
		}
	})
	tmp := make([]float32, w*h)
	for _, v := range [][]float32{with, still} {
		rows(tmp, v, w, h)
		columns(v, tmp, w, h)
	}
	for i, e := range with {
		// with the square of how much worse it is: doubtful motion shrinks, wrong
		// motion vanishes
		k := float32(1)
		// Noise of that size in empty places must not decide.
		if slight := float32(1e-4); e > still[i]+slight {
			k = (still[i] + slight) / e
			k *= k
		}
		tmp[i] = k
	}
	smooth(tmp, w, h, crew)
	for i, k := range tmp {
		f.U[i] *= k
		f.V[i] *= k
	}
}

// signals are what motion is told by: the root of light, and alpha.
// Rec. 709 weights for luminance; 4 cuts off fire, whose core would outweigh all
// else.
func signals(t *Tile) [2]plane {
	light, cover := plane{t.W, t.H, make([]float32, t.W*t.H)}, plane{t.W, t.H, make([]float32, t.W*t.H)}
	for i := range light.v {
		// the root counts dark smoke more: that is how it is seen
		y := 0.2126*t.Planes[0][i] + 0.7152*t.Planes[1][i] + 0.0722*t.Planes[2][i]
		light.v[i] = float32(math.Sqrt(float64(min(max(y, 0), 4))))
		cover.v[i] = min(max(t.Planes[3][i], 0), 1)
	}
	return [2]plane{light, cover}
}

func half2(p [2]plane) [2]plane { return [2]plane{half(p[0]), half(p[1])} }

// half halves a picture by means of four.
func half(p plane) plane {
	o := plane{w: max(p.w/2, 1), h: max(p.h/2, 1)}
	o.v = make([]float32, o.w*o.h)
	for y := range o.h {
		// An odd last row counts itself twice.
		r0, r1 := p.v[min(2*y, p.h-1)*p.w:], p.v[min(2*y+1, p.h-1)*p.w:]
		for x := range o.w {
			a, b := min(2*x, p.w-1), min(2*x+1, p.w-1)
			o.v[y*o.w+x] = (r0[a] + r0[b] + r1[a] + r1[b]) / 4
		}
	}
	return o
}

// at reads between pixels; beyond the edge the edge goes on.
// Bilinear, as receivers sample.
func (p *plane) at(x, y float32) float32 {
	x, y = min(max(x, 0), float32(p.w-1)), min(max(y, 0), float32(p.h-1))
	i, j := int(x), int(y)
	fx, fy := x-float32(i), y-float32(j)
	i1, j1 := min(i+1, p.w-1), min(j+1, p.h-1)
	top := p.v[j*p.w+i]*(1-fx) + p.v[j*p.w+i1]*fx
	low := p.v[j1*p.w+i]*(1-fx) + p.v[j1*p.w+i1]*fx
	return top*(1-fy) + low*fy
}

// scaled brings a flow to another size, vectors too.
func (f *Flow) scaled(w, h int) *Flow {
	o := newFlow(w, h)
	kx, ky := float32(w)/float32(f.W), float32(h)/float32(f.H)
	u, v := plane{f.W, f.H, f.U}, plane{f.W, f.H, f.V}
	for y := range h {
		for x := range w {
			// Centres of pixels lie at halves: without that a flow would shift at
			// each level.
			sx, sy := (float32(x)+0.5)/kx-0.5, (float32(y)+0.5)/ky-0.5
			o.U[y*w+x], o.V[y*w+x] = u.at(sx, sy)*kx, v.at(sx, sy)*ky
		}
	}
	return o
}

// refine adds what the flow still lacks at one level.
// One step of Lucas and Kanade (1981): least squares over a window of the brightness
// constancy a + ∇a·d = b, the second tile warped by what is known so far.
// Both signals add to the same sums, so that a place where light is flat can still
// be held by the edge of alpha.
func refine(f *Flow, p, q [2]plane, crew grid.Crew) {
	w, h := f.W, f.H
	var sums [5][]float32
	for i := range sums {
		sums[i] = make([]float32, w*h)
	}
	warped := [2]plane{{w, h, make([]float32, w*h)}, {w, h, make([]float32, w*h)}}
	crew.For(h, 8, func(lo, hi int) {
		for y := lo; y < hi; y++ {
			for x := range w {
				i := y*w + x
				for s := range q {
					warped[s].v[i] = q[s].at(float32(x)+f.U[i], float32(y)+f.V[i])
				}
			}
		}
	})
	crew.For(h, 8, func(lo, hi int) {
		for y := lo; y < hi; y++ {
			// the edge goes on: its gradient is one-sided
			up, down := max(y-1, 0)*w, min(y+1, h-1)*w
			for x := range w {
				i, l, r := y*w+x, max(x-1, 0), min(x+1, w-1)
				for s := range p {
					a, b := p[s].v, warped[s].v
					// The gradient is the mean of both pictures', which makes the
					// step symmetrical and converge faster than that of one.
					gx := (a[y*w+r] - a[y*w+l] + b[y*w+r] - b[y*w+l]) / 4
					gy := (a[down+x] - a[up+x] + b[down+x] - b[up+x]) / 4
					// what is left to be explained after the motion so far
					gt := b[i] - a[i]
					sums[0][i] += gx * gx
					sums[1][i] += gx * gy
					sums[2][i] += gy * gy
					sums[3][i] += gx * gt
					sums[4][i] += gy * gt
				}
			}
		}
	})
	// The five sums are filtered side by side; each is the work of one thread,
	// whatever the number of threads.
	crew.For(len(sums), 1, func(lo, hi int) {
		tmp := make([]float32, w*h)
		for n := lo; n < hi; n++ {
			for range 2 {
				rows(tmp, sums[n], w, h)
				columns(sums[n], tmp, w, h)
			}
		}
	})
	// keeps flat regions still instead of dividing by nothing (Tikhonov)
	const lambda = 1e-4
	crew.For(w*h, 4096, func(lo, hi int) {
		for i := lo; i < hi; i++ {
			a, b, c := float64(sums[0][i])+lambda, float64(sums[1][i]), float64(sums[2][i])+lambda
			// positive by λ, so the division is safe
			det := a*c - b*b
			du := -(c*float64(sums[3][i]) - b*float64(sums[4][i])) / det
			dv := -(a*float64(sums[4][i]) - b*float64(sums[3][i])) / det
			// a level can't see further than its window
			// Beyond that the linear model of the step means nothing.
			f.U[i] += float32(min(max(du, -2), 2))
			f.V[i] += float32(min(max(dv, -2), 2))
		}
	})
	smooth(f.U, w, h, crew)
	smooth(f.V, w, h, crew)
}

// smooth takes the binomial mean of 3 × 3.
// Weights 1 2 1 along rows, then along columns.
func smooth(v []float32, w, h int, crew grid.Crew) {
	tmp := make([]float32, w*h)
	crew.For(h, 16, func(lo, hi int) {
		for y := lo; y < hi; y++ {
			for x := range w {
				tmp[y*w+x] = (v[y*w+max(x-1, 0)] + 2*v[y*w+x] + v[y*w+min(x+1, w-1)]) / 4
			}
		}
	})
	crew.For(h, 16, func(lo, hi int) {
		for y := lo; y < hi; y++ {
			up, down := max(y-1, 0)*w, min(y+1, h-1)*w
			for x := range w {
				v[y*w+x] = (tmp[up+x] + 2*tmp[y*w+x] + tmp[down+x]) / 4
			}
		}
	})
}

// rows takes running means along rows; what lies beyond the edge counts as 0.
// Windows are 2·reach + 1 wide and fall off to nothing beyond the edge, where there
// is no evidence.
func rows(out, in []float32, w, h int) {
	for y := range h {
		row, o := in[y*w:(y+1)*w], out[y*w:(y+1)*w]
		// running sums: each step adds a pixel and drops one
		sum := float32(0)
		for x := range min(reach, w) {
			sum += row[x]
		}
		for x := range o {
			if x+reach < w {
				sum += row[x+reach]
			}
			if x-reach-1 >= 0 {
				sum -= row[x-reach-1]
			}
			o[x] = sum / (2*reach + 1)
		}
	}
}

// columns averages over 2·reach+1 rows. The sums of columns are carried from row
// to row, so that a window costs the same however tall it is.
func columns(out, in []float32, w, h int) {
	sum := make([]float32, w)
	for y := range min(reach, h) {
		for x, v := range in[y*w : (y+1)*w] {
			sum[x] += v
		}
	}
	for y := range h {
		if y+reach < h {
			for x, v := range in[(y+reach)*w : (y+reach+1)*w] {
				sum[x] += v
			}
		}
		if y-reach-1 >= 0 {
			for x, v := range in[(y-reach-1)*w : (y-reach)*w] {
				sum[x] -= v
			}
		}
		o := out[y*w : (y+1)*w]
		for x := range o {
			o[x] = sum[x] / (2*reach + 1)
		}
	}
}

// Mask puts motion to 0 where a tile is empty.
// Motion where nothing is would be noise, and costs a receiver bytes.
// Under one code of eight bits in all four channels, nothing can be seen.
func (f *Flow) Mask(t *Tile) {
	for i, a := range t.Planes[3] {
		if a < 1./256 && t.Planes[0][i]+t.Planes[1][i]+t.Planes[2][i] < 1./256 {
			f.U[i], f.V[i] = 0, 0
		}
	}
}

// Largest is the largest component.
func (f *Flow) Largest() float64 {
	m := float32(0)
	for i := range f.U {
		m = max(m, f.U[i], -f.U[i], f.V[i], -f.V[i])
	}
	return float64(m)
}

// Between is the picture at t between a and b as a receiver draws it from the
// motion of a.
// It is what is measured; receivers do the same on their own hardware.
func Between(a, b *Tile, f *Flow, t float64) *Tile {
	out := NewTile(a.W, a.H, len(a.Planes))
	for c := range out.Planes {
		p, q := plane{a.W, a.H, a.Planes[c]}, plane{b.W, b.H, b.Planes[c]}
		for y := range a.H {
			for x := range a.W {
				i := y*a.W + x
				u, v := f.U[i], f.V[i]
				s := float32(t)
				out.Planes[c][i] = (1-s)*p.at(float32(x)-s*u, float32(y)-s*v) + s*q.at(float32(x)+(1-s)*u, float32(y)+(1-s)*v)
			}
		}
	}
	return out
}
