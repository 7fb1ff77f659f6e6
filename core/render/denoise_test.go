package render

import (
	"math"
	"math/rand/v2"
	"testing"

	"zarf/core/film"
	"zarf/core/grid"
)

// The denoiser in planes and vectors gives what its paper's formulas give pixel by
// pixel, at every edge and for pictures of any width.
func TestDenoiserIsThePlainOne(t *testing.T) {
	for _, size := range [][2]int{{37, 29}, {16, 5}, {3, 2}, {1, 1}, {64, 21}} {
		w, h := size[0], size[1]
		r := rand.New(rand.NewPCG(uint64(w), uint64(h)))
		p := &Picture{W: w, H: h, crew: grid.NewCrew(2), across: (w + block - 1) / block}
		p.count = make([]int, p.across*((h+block-1)/block))
		for i := range p.count {
			p.count[i] = 7 + i%3
		}
		p.sum, p.half, p.seen, p.feats = make([]float32, 4*w*h), make([]float32, 4*w*h), make([]float32, 4*w*h), make([]float32, 6*w*h)
		for i := range p.sum {
			light := float32(i/4%w)/float32(w) + 0.3
			p.half[i] = 4 * light * (0.7 + 0.6*r.Float32())
			p.sum[i] = p.half[i] + 3*light*(0.7+0.6*r.Float32())
		}
		for i := range w * h {
			if i%w > w/3 {
				p.seen[4*i], p.seen[4*i+1] = 2, 6+3*r.Float32()
			}
			for k := range 6 {
				p.feats[6*i+k] = r.Float32()
			}
		}
		got, want := film.Frame{Pix: make([]float32, 4*w*h)}, film.Frame{Pix: make([]float32, 4*w*h)}
		p.denoise(got, 0.8)
		p.plainDenoise(want, 0.8)
		for i, v := range want.Pix {
			if d := math.Abs(float64(got.Pix[i] - v)); !(d < 2e-5*math.Abs(float64(v))+1e-6) {
				t.Fatalf("%d x %d: value %d is %g, plain %g", w, h, i, got.Pix[i], v)
			}
		}
	}
}

// plane is a picture of four values a pixel: light and alpha.
type plane []float32

// plainDenoise is denoise as its paper tells it, pixel by pixel.
func (p *Picture) plainDenoise(f film.Frame, strength float64) {
	n := p.W * p.H
	// a and b are the means of the even and the odd samples: independent of each
	// other, with about the same variance
	a, b, variance := make(plane, 4*n), make(plane, 4*n), make(plane, 4*n)
	for i := range n {
		c := p.count[i/p.W/block*p.across+i%p.W/block]
		even, odd := float32((c+1)/2), float32(c/2)
		for k := range 4 {
			a[4*i+k] = p.half[4*i+k] / max(even, 1)
			b[4*i+k] = (p.sum[4*i+k] - p.half[4*i+k]) / max(odd, 1)
			d := a[4*i+k] - b[4*i+k]
			// one difference a pixel is a poor estimate; two softenings make it a
			// local one
			variance[4*i+k] = d * d / 2 // of either half
		}
	}
	variance = p.plainSoften(p.plainSoften(variance))
	feats := p.plainFeatures()
	// a filtered by weights from b and the other way round, then averaged: the
	// weights are independent of the noise that they filter
	fa := p.plainNLM(a, b, variance, feats, strength)
	fb := p.plainNLM(b, a, variance, feats, strength)
	for i := range n {
		for k := range 4 {
			f.Pix[4*i+k] = 0.5 * (fa[4*i+k] + fb[4*i+k])
		}
	}
}

// soften averages over 3 × 3 pixels.
// At the edge over the pixels that are there.
func (p *Picture) plainSoften(in plane) plane {
	out := make(plane, len(in))
	p.crew.For(p.H, 8, func(lo, hi int) {
		for y := lo; y < hi; y++ {
			for x := range p.W {
				var s [4]float32
				n := float32(0)
				for j := max(y-1, 0); j <= min(y+1, p.H-1); j++ {
					for i := max(x-1, 0); i <= min(x+1, p.W-1); i++ {
						for k := range 4 {
							s[k] += in[4*(j*p.W+i)+k]
						}
						n++
					}
				}
				for k := range 4 {
					out[4*(y*p.W+x)+k] = s[k] / n
				}
			}
		}
	})
	return out
}

// features are what keeps edges, each scaled so that a difference of 1 parts:
// depth by its logarithm, albedo, normal.
func (p *Picture) plainFeatures() []float32 {
	out := make([]float32, featureCount*p.W*p.H)
	for i := range p.W * p.H {
		s := p.share(i%p.W, i/p.W)
		o := out[featureCount*i:]
		if n := p.seen[4*i]; n > 0 {
			// a quarter in the logarithm: 25 % apart in depth parts, near as well as
			// far
			o[0] = float32(math.Log(math.Max(float64(p.seen[4*i+1]/n), 1e-3))) / 0.25
		}
		for k := range 3 {
			o[1+k] = p.feats[6*i+k] * s / 0.25
			o[4+k] = p.feats[6*i+3+k] * s / 0.4
		}
	}
	return out
}

// nlm filters in by weights from guide. Every offset is done for the whole
// picture at once, in strips.
func (p *Picture) plainNLM(in, guide, variance plane, feats []float32, strength float64) plane {
	w, h := p.W, p.H
	out := make(plane, 4*w*h)
	k2 := float32(strength * strength * 0.5)
	p.crew.For(h, 16, func(lo, hi int) { p.plainStrip(lo, hi, in, guide, variance, feats, k2, out) })
	return out
}

// strip filters rows lo to hi.
// Rows lo to hi of the result. Offsets are the outer loop: the gap between a pixel and
// the one at the offset is worked out once, and then summed over each patch.
func (p *Picture) plainStrip(lo, hi int, in, guide, variance plane, feats []float32, k2 float32, out plane) {
	w, h := p.W, p.H
	weight := make([]float32, w*(hi-lo))
	from, to := max(lo-patchReach, 0), min(hi+patchReach, h)
	gap := make([]float32, w*(to-from))
	for dy := -denoiseReach; dy <= denoiseReach; dy++ {
		for dx := -denoiseReach; dx <= denoiseReach; dx++ {
			for y := from; y < to; y++ {
				row := gap[(y-from)*w:][:w]
				v := min(max(y+dy, 0), h-1)
				for x := range row {
					u := min(max(x+dx, 0), w-1)
					a, b := 4*(y*w+x), 4*(v*w+u)
					var d float32
					for k := range 4 {
						e := guide[a+k] - guide[b+k]
						va, vb := variance[a+k], variance[b+k]
						d += (e*e - (va + min(va, vb))) / (1e-8 + k2*(va+vb) + 1e-4*k2*guide[a+k]*guide[a+k])
					}
					row[x] = d / 4
				}
			}
			for y := lo; y < hi; y++ {
				v := y + dy
				if v < 0 || v >= h {
					continue
				}
				for x := max(0, -dx); x < min(w, w-dx); x++ {
					var d float32
					n := float32(0)
					for j := max(y-patchReach, from); j <= min(y+patchReach, to-1); j++ {
						for i := max(x-patchReach, 0); i <= min(x+patchReach, w-1); i++ {
							d += gap[(j-from)*w+i]
							n++
						}
					}
					d = max(d/n, 0)
					a, b := y*w+x, v*w+x+dx
					fa, fb := feats[featureCount*a:][:featureCount], feats[featureCount*b:][:featureCount]
					for k := range fa {
						e := fa[k] - fb[k]
						d = max(d, e*e)
					}
					if d > 12 {
						continue
					}
					wt := float32(math.Exp(-float64(d)))
					weight[(y-lo)*w+x] += wt
					for k := range 4 {
						out[4*a+k] += wt * in[4*b+k]
					}
				}
			}
		}
	}
	for i, wt := range weight {
		for k := range 4 {
			out[4*(lo*w+i)+k] /= wt
		}
	}
}

// flat is an even picture of seven samples, a little noisy.
func flat(w, h int) *Picture {
	p := &Picture{W: w, H: h, crew: grid.NewCrew(2), across: (w + block - 1) / block}
	p.count = make([]int, p.across*((h+block-1)/block))
	for i := range p.count {
		p.count[i] = 8
	}
	p.sum, p.half, p.seen, p.feats = make([]float32, 4*w*h), make([]float32, 4*w*h), make([]float32, 4*w*h), make([]float32, 6*w*h)
	r := rand.New(rand.NewPCG(5, 6))
	for i := range p.sum {
		p.half[i] = 4 * (0.08 + 0.04*r.Float32())
		p.sum[i] = p.half[i] + 4*(0.08+0.04*r.Float32())
	}
	return p
}

// Light that one of many samples found by chance is seen neither as a dot nor as a square,
// and is there all the same.
func TestOutliersAreSpreadSmoothly(t *testing.T) {
	const w, h = 96, 80
	clean := film.Frame{Pix: make([]float32, 4*w*h)}
	flat(w, h).denoise(clean, 0.8)
	for _, at := range [][2]int{{48, 40}, {1, 0}, {95, 79}} {
		p := flat(w, h)
		p.half[4*(at[1]*w+at[0])] += 4 * 50 // of the red of half the samples
		p.sum[4*(at[1]*w+at[0])] += 4 * 50
		got := film.Frame{Pix: make([]float32, 4*w*h)}
		p.denoise(got, 0.8)
		var more, most, step float64
		over := make([]float64, w*h)
		for i := range over {
			over[i] = float64(got.Pix[4*i] - clean.Pix[4*i])
			more += over[i]
			most = max(most, over[i])
			if i%w > 0 {
				step = max(step, math.Abs(over[i]-over[i-1]))
			}
		}
		if math.Abs(more/25-1) > 0.02 {
			t.Errorf("an outlier at %v: %.2f of its 25 are in the picture", at, more)
		}
		if most > 0.3 || step > 0.15*most {
			t.Errorf("an outlier at %v shows: %.3f at its brightest, %.3f from pixel to pixel", at, most, step)
		}
	}
	// what both halves found is no outlier
	p := flat(w, h)
	i := 4 * (40*w + 48)
	p.half[i], p.sum[i] = 4*30, 8*30
	got := film.Frame{Pix: make([]float32, 4*w*h)}
	p.denoise(got, 0.8)
	if v := got.Pix[i]; v < 28 {
		t.Errorf("a spark of 30 that all samples saw is %g", v)
	}
}

func TestSpreadLosesNothing(t *testing.T) {
	for _, size := range [][2]int{{40, 30}, {3, 50}, {1, 1}} {
		s := newSheets(size[0], size[1], 2)
		s.row(1, size[1]/3)[size[0]/4] = 5
		s.row(1, 0)[0] += 2
		s.spread(strayReach, grid.NewCrew(2))
		var sum, other float64
		for y := range size[1] {
			for x := range size[0] {
				sum, other = sum+float64(s.row(1, y)[x]), other+float64(s.row(0, y)[x])
			}
		}
		if math.Abs(sum-7) > 1e-4 || other != 0 {
			t.Errorf("%v: of 7 %g are left, and %g in another plane", size, sum, other)
		}
	}
}
