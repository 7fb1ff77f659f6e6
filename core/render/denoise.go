package render

// Denoising of finished pictures for pages and finals. It sees what the renderer
// keeps beside light: halves of the samples, depth, albedo and normal.

import (
	"math"
	"slices"

	"zarf/core/film"
	"zarf/core/grid"
	"zarf/core/vec"
)

// The denoiser is a non-local mean whose weights compare patches against the
// variance of the samples (Rousselle, Knaus, Zwicker 2012): each half of the
// samples is filtered by weights of the other half, so that noise doesn't
// choose its own weights. Depth, alpha, albedo and normal of fluid and solids
// keep their edges.
const (
	denoiseReach = 6 // pixels either way
	patchReach   = 1
)

// sheets are planes of a picture, with pads about it that hold what a pixel's partner
// is beyond its edge: rows of whole vectors and a pad of one between them.
type sheets struct {
	w, h   int
	stride int // of rows
	step   int // of planes
	a      []float32
}

const sheetPad = 16 // more than a partner and its patch reach on both sides

func newSheets(w, h, count int) *sheets {
	s := &sheets{w: w, h: h, stride: (w+15)/16*16 + sheetPad}
	s.step = s.stride*(h+2*denoiseReach) + 2*sheetPad
	s.a = make([]float32, count*s.step)
	return s
}

// at is where row y of plane k begins.
func (s *sheets) at(k, y int) int { return k*s.step + sheetPad + (y+denoiseReach)*s.stride }

// row is row y of plane k.
func (s *sheets) row(k, y int) []float32 { return s.a[s.at(k, y):][:s.w:s.w] }

// full are the whole vectors of row y, as kernels take them.
func (s *sheets) full(k, y int) []float32 { return s.a[s.at(k, y):][:s.stride-sheetPad] }

// planes are all of them from row y on.
func (s *sheets) planes(y int) vec.Planes { return vec.Planes{A: s.a, At: s.at(0, y), Step: s.step} }

// extend takes plane k's edges on into the pads.
func (s *sheets) extend(k int) {
	for y := range s.h {
		o := s.at(k, y)
		for x := 1; x <= denoiseReach+patchReach; x++ {
			s.a[o-x], s.a[o+s.w-1+x] = s.a[o], s.a[o+s.w-1]
		}
	}
	line := func(y int) []float32 { return s.a[s.at(k, y)-sheetPad/2:][:s.stride] }
	for y := 1; y <= denoiseReach; y++ {
		copy(line(-y), line(0))
		copy(line(s.h-1+y), line(s.h-1))
	}
}

// denoise filters a frame in place, alpha with its light.
func (p *Picture) denoise(f film.Frame, strength float64) {
	w, h := p.W, p.H
	// a and b are the means of the even and the odd samples: independent of each
	// other, with about the same variance
	a, b, variance := newSheets(w, h, 4), newSheets(w, h, 4), newSheets(w, h, 4)
	p.crew.For(h, 8, func(lo, hi int) {
		for y := lo; y < hi; y++ {
			for k := range 4 {
				ra, rb := a.row(k, y), b.row(k, y)
				for x := range ra {
					c := p.count[y/block*p.across+x/block]
					i := 4*(y*w+x) + k
					ra[x] = p.half[i] / max(float32((c+1)/2), 1)
					rb[x] = (p.sum[i] - p.half[i]) / max(float32(c/2), 1)
				}
			}
		}
	})
	stray := a.outliers(b, p.crew)
	p.crew.For(h, 8, func(lo, hi int) {
		for y := lo; y < hi; y++ {
			for k := range 4 {
				ra, rb, rv := a.row(k, y), b.row(k, y), variance.row(k, y)
				for x := range ra {
					d := ra[x] - rb[x]
					rv[x] = d * d / 2 // of either half
				}
			}
		}
	})
	// one difference a pixel is a poor estimate; two softenings make it a local one
	soft := newSheets(w, h, 4)
	variance.soften(soft, p.crew)
	soft.soften(variance, p.crew)
	p.crew.For(12, 1, func(lo, hi int) {
		for n := lo; n < hi; n++ {
			[]*sheets{a, b, variance}[n/4].extend(n % 4)
		}
	})
	n := &nlm{light: [2]*sheets{a, b}, variance: variance, feats: p.features(), k2: float32(strength * strength * 0.5), f: f}
	for m := range n.out {
		n.out[m], n.weight[m] = newSheets(w, h, 4), newSheets(w, h, 1)
	}
	p.crew.For(h, 8, n.strip)
	if stray == nil {
		return
	}
	p.crew.For(h, 8, func(lo, hi int) {
		for y := lo; y < hi; y++ {
			for k := range 3 {
				for x, v := range stray.row(k, y) {
					f.Pix[4*(y*w+x)+k] += v
				}
			}
		}
	})
}

// An outlier is so many times as bright as all that the other half of the samples found at
// its pixel and round it; what of it is over that is spread over some strayReach pixels
// about, three times over.
const (
	outlying   = 3
	strayReach = 7
)

// outliers takes off each of two halves of the samples what shows in it alone: light that a
// path found by a rare chance, which weights of the other half would spread as a square. It
// is returned spread smoothly, so that none is lost; nil: there is none.
func (s *sheets) outliers(o *sheets, crew grid.Crew) *sheets {
	bright := func(s *sheets) *sheets {
		out := newSheets(s.w, s.h, 1)
		crew.For(s.h, 8, func(lo, hi int) {
			for y := lo; y < hi; y++ {
				row, r, g, b := out.row(0, y), s.row(0, y), s.row(1, y), s.row(2, y)
				for x := range row {
					row[x] = r[x] + g[x] + b[x]
				}
			}
		})
		return out
	}
	light := [2]*sheets{bright(s), bright(o)}
	stray := newSheets(s.w, s.h, 3)
	found := make([]bool, s.h)
	crew.For(s.h, 8, func(lo, hi int) {
		for y := lo; y < hi; y++ {
			for m, half := range [2]*sheets{s, o} {
				own, others := light[m].row(0, y), light[1-m]
				for x, v := range own {
					most := outlying * others.most(x, y, v/outlying)
					if v <= most {
						continue
					}
					found[y] = true
					for k := range 3 {
						row, over := half.row(k, y), (v-most)/v
						stray.row(k, y)[x] += 0.5 * over * row[x]
						row[x] -= over * row[x]
					}
				}
			}
		}
	})
	if !slices.Contains(found, true) {
		return nil
	}
	for range 3 {
		stray.spread(strayReach, crew)
	}
	return stray
}

// most is the largest value of plane 0 within a pixel, or the first met that is at least
// enough.
func (s *sheets) most(x, y int, enough float32) (v float32) {
	for j := max(y-1, 0); j <= min(y+1, s.h-1); j++ {
		for _, w := range s.row(0, j)[max(x-1, 0):min(x+2, s.w)] {
			if v = max(v, w); v >= enough {
				return v
			}
		}
	}
	return v
}

// spread takes each value to pixels up to reach away along both axes, by even shares; what
// would go beyond the edge stays in it, as if that mirrored.
func (s *sheets) spread(reach int, crew grid.Crew) {
	planes := (len(s.a)) / s.step
	share := 1 / float32(2*reach+1)
	along := func(v, room []float32) {
		n := len(v)
		at := func(i int) float32 {
			for i < 0 || i >= n { // a picture may be narrower than reach
				if i < 0 {
					i = -1 - i
				} else {
					i = 2*n - 1 - i
				}
			}
			return v[i]
		}
		var sum float64
		for i := -reach; i <= reach; i++ {
			sum += float64(at(i))
		}
		for i := range v {
			room[i] = float32(sum) * share
			sum += float64(at(i+1+reach)) - float64(at(i-reach))
		}
		copy(v, room)
	}
	crew.For(planes*s.h, 8, func(lo, hi int) {
		room := make([]float32, s.w)
		for n := lo; n < hi; n++ {
			if row := s.row(n/s.h, n%s.h); slices.ContainsFunc(row, func(v float32) bool { return v != 0 }) {
				along(row, room)
			}
		}
	})
	crew.For(planes*s.w, 8, func(lo, hi int) {
		column, room := make([]float32, s.h), make([]float32, s.h)
		for n := lo; n < hi; n++ {
			o, any := s.at(n/s.w, 0)+n%s.w, false
			for y := range column {
				column[y] = s.a[o+y*s.stride]
				any = any || column[y] != 0
			}
			if !any {
				continue
			}
			along(column, room)
			for y, v := range column {
				s.a[o+y*s.stride] = v
			}
		}
	})
}

// soften averages over 3 × 3 pixels, at the edge over those that are there.
func (s *sheets) soften(out *sheets, crew grid.Crew) {
	crew.For(s.h, 8, func(lo, hi int) {
		sum := make([]float32, s.w+2)
		for y := lo; y < hi; y++ {
			for k := range 4 {
				from, to := max(y-1, 0), min(y+1, s.h-1)
				clear(sum)
				for j := from; j <= to; j++ {
					for x, v := range s.row(k, j) {
						sum[x+1] += v
					}
				}
				row, across := out.row(k, y), float32(to-from+1)
				for x := range row {
					n := across * float32(min(x+1, s.w-1)-max(x-1, 0)+1)
					row[x] = (sum[x] + sum[x+1] + sum[x+2]) / n
				}
			}
		}
	})
}

const featureCount = 7

// features are what keeps edges, each scaled so that a difference of 1 parts:
// depth by its logarithm, albedo, normal.
func (p *Picture) features() *sheets {
	out := newSheets(p.W, p.H, featureCount)
	// what lies beyond the picture is like nothing in it
	for i := range out.a[:out.step] {
		out.a[i] = 1e10
	}
	p.crew.For(p.H, 8, func(lo, hi int) {
		for y := lo; y < hi; y++ {
			depth := out.row(0, y)
			for x := range depth {
				i := y*p.W + x
				depth[x] = 0
				if n := p.seen[4*i]; n > 0 {
					// a quarter in the logarithm: 25 % apart in depth parts, near as
					// well as far
					depth[x] = float32(math.Log(math.Max(float64(p.seen[4*i+1]/n), 1e-3))) / 0.25
				}
			}
			for k := range 6 {
				row, by := out.row(1+k, y), [2]float32{0.25, 0.4}[k/3]
				for x := range row {
					row[x] = p.feats[6*(y*p.W+x)+k] * p.share(x, y) / by
				}
			}
		}
	})
	return out
}

// nlm filters either half of the samples by weights from the other: the weights are
// independent of the noise that they filter. The mean of both is the picture.
type nlm struct {
	light           [2]*sheets
	variance, feats *sheets
	out, weight     [2]*sheets // sums of partners, and of their weights
	k2              float32
	f               film.Frame
}

// strip filters rows lo to hi. Offsets are the outer loop: the gap between a pixel and
// its partner is worked out once, and then summed over each patch.
func (n *nlm) strip(lo, hi int) {
	s := n.light[0]
	w, h, stride, full := s.w, s.h, s.stride, s.stride-sheetPad
	from, to := max(lo-patchReach, 0), min(hi+patchReach, h)
	// a row more on either side, and what lies beside the picture, stay 0
	gap := make([]float32, (hi-lo+2*patchReach)*stride+2*sheetPad)
	gapAt := func(y int) int { return sheetPad + (y-lo+patchReach)*stride }
	far, share := make([]float32, (hi-lo)*full), make([]float32, full)
	for x := range share[:w] {
		share[x] = 1 / float32(min(x+patchReach, w-1)-max(x-patchReach, 0)+1)
	}
	for dy := -denoiseReach; dy <= denoiseReach; dy++ {
		for dx := -denoiseReach; dx <= denoiseReach; dx++ {
			off := dy*stride + dx
			for y := lo; y < hi; y++ {
				vec.Part(far[(y-lo)*full:][:full], n.feats.planes(y), featureCount, off)
			}
			for m, in := range n.light {
				guide := n.light[1-m]
				for y := from; y < to; y++ {
					row := gap[gapAt(y):][:full]
					vec.Differ(row, guide.planes(y), n.variance.planes(y), off, n.k2)
					clear(row[w:])
				}
				for y := lo; y < hi; y++ {
					up := 1 / float32(min(y+patchReach, h-1)-max(y-patchReach, 0)+1)
					vec.GatherLike(n.weight[m].full(0, y), n.out[m].planes(y), in.planes(y), gap, gapAt(y), stride, far[(y-lo)*full:][:full], share, off, up)
				}
			}
		}
	}
	for y := lo; y < hi; y++ {
		wa, wb := n.weight[0].row(0, y), n.weight[1].row(0, y)
		for k := range 4 {
			a, b := n.out[0].row(k, y), n.out[1].row(k, y)
			for x := range a {
				n.f.Pix[4*(y*w+x)+k] = 0.5 * (a[x]/wa[x] + b[x]/wb[x])
			}
		}
	}
}
