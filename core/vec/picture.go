package vec

import (
	"fmt"
	"math"
)

// Kernels on planes of pictures, those of a denoiser that compares patches. Values of a
// pixel lie in planes so many values apart, and a pixel's partner lies off values from
// it in all of them. Rows are whole blocks; what lies beside a picture's is the caller's.

// Planes are planes of a picture, Step values apart; At is where a row begins in the
// first.
type Planes struct {
	A        []float32
	At, Step int
}

// first is the row's first value in plane 0, after checking that count planes of it
// hold n values both there and off values on.
func (p *Planes) first(count, off, n int) *float32 {
	lo, hi := p.At+min(off, 0), p.At+(count-1)*p.Step+max(off, 0)+n
	if lo < 0 || hi > len(p.A) {
		panic(fmt.Sprintf("vec: values %d to %d of planes that hold %d", lo, hi, len(p.A)))
	}
	return &p.A[p.At]
}

// row is a row of plane k, off values on.
func (p *Planes) row(k, off, n int) []float32 { return p.A[p.At+k*p.Step+off:][:n] }

// Differ compares pixels with their partners in four planes of light, of the given
// variances (Rousselle, Knaus and Zwicker 2012, eq. 6 and its mean): dst = ¼ Σ (e² − (v + min(v, u))) /
// ((10⁻⁸ + q (v + u)) + 10⁻⁴ q g²), e = g − h.
func Differ(dst []float32, light, noise Planes, off int, q float32) {
	n := len(dst)
	Whole(n)
	if n == 0 {
		return
	}
	g, v := light.first(4, off, n), noise.first(4, off, n)
	if light.Step != noise.Step {
		panic("vec: planes of light and of noise lie differently far apart")
	}
	switch Chosen {
	case AVX512:
		differAVX512(&dst[0], g, v, light.Step, off, q, n)
	case AVX2:
		differAVX2(&dst[0], g, v, light.Step, off, q, n)
	default:
		share := float32(1e-4 * q)
		for k := range 4 {
			g, h, v, u := light.row(k, 0, n), light.row(k, off, n), noise.row(k, 0, n), noise.row(k, off, n)
			for i := range dst {
				e, least := g[i]-h[i], u[i]
				if v[i] < least {
					least = v[i]
				}
				d := (float32(e*e) - (v[i] + least)) / ((float32(1e-8) + float32(q*(v[i]+u[i]))) + float32(share*float32(g[i]*g[i])))
				if k > 0 {
					d += dst[i]
				}
				dst[i] = d
			}
		}
		for i := range dst {
			dst[i] *= 0.25
		}
	}
}

// Part is the largest squared difference of pixels and their partners over so many
// planes.
func Part(dst []float32, p Planes, count, off int) {
	n := len(dst)
	Whole(n)
	if n == 0 || count == 0 {
		clear(dst)
		return
	}
	a := p.first(count, off, n)
	switch Chosen {
	case AVX512:
		partAVX512(&dst[0], a, p.Step, count, off, n)
	case AVX2:
		partAVX2(&dst[0], a, p.Step, count, off, n)
	default:
		clear(dst)
		for k := range count {
			a, b := p.row(k, 0, n), p.row(k, off, n)
			for i := range dst {
				e := a[i] - b[i]
				if e = float32(e * e); !(dst[i] > e) {
					dst[i] = e
				}
			}
		}
	}
}

// GatherLike adds partners to pixels by how like they are. With w = e^−max(d, far), d
// the sum of gap over 3 × 3 pixels times share and up, and w = 0 where that is over 12,
// weight += w and out += w·in, in four planes. Rows of gap lie row values apart, the one
// above and the one below within it.
func GatherLike(weight []float32, out, in Planes, gap []float32, at, row int, far, share []float32, off int, up float32) {
	n := len(weight)
	Whole(n)
	Row2(n, far, share)
	if n == 0 {
		return
	}
	o, p := out.first(4, 0, n), in.first(4, off, n)
	if at-row-1 < 0 || at+row+n+1 > len(gap) || out.Step != in.Step {
		panic(fmt.Sprintf("vec: rows of %d values about %d among %d, planes %d and %d apart", n, at, len(gap), out.Step, in.Step))
	}
	switch Chosen {
	case AVX512:
		gatherLikeAVX512(&weight[0], o, p, &gap[at], &far[0], &share[0], row, off, out.Step, n, up)
	case AVX2:
		gatherLikeAVX2(&weight[0], o, p, &gap[at], &far[0], &share[0], row, off, out.Step, n, up)
	default:
		for i := range weight {
			column := func(x int) float32 { return (gap[at-row+i+x] + gap[at+i+x]) + gap[at+row+i+x] }
			d := float32(float32(((column(-1)+column(0))+column(1))*share[i]) * up)
			if !(d > 0) {
				d = 0
			}
			if !(d > far[i]) {
				d = far[i]
			}
			w := float32(0)
			if d <= 12 {
				w = fall(d)
			}
			weight[i] += w
			for k := range 4 {
				a := &out.A[out.At+k*out.Step+i]
				*a += float32(w * in.A[in.At+k*in.Step+off+i])
			}
		}
	}
}

// Deepen carries an optical depth on through a row of cells and lets light fall by it.
// With m = ((w₀ a + w₁ b) + (w₂ c + w₃ d)) + half·od, the depth at the cells' middles,
// depth = m + half·od and out = keep·out + share·e^−min(m, 87). Rows of any length.
func Deepen(depth, out, od []float32, from *[4][]float32, w *[4]float32, half, share, keep float32) {
	n := len(depth)
	Row2(n, out, od)
	Row2(n, from[0], from[1])
	Row2(n, from[2], from[3])
	switch {
	case n == 0:
	case Chosen == AVX512:
		deepenAVX512(&depth[0], &out[0], &od[0], &from[0][0], &from[1][0], &from[2][0], &from[3][0], w, half, share, keep, n)
	case Chosen == AVX2:
		deepenAVX2(&depth[0], &out[0], &od[0], &from[0][0], &from[1][0], &from[2][0], &from[3][0], w, half, share, keep, n)
	default:
		for i := range depth {
			m := (float32(w[0]*from[0][i]) + float32(w[1]*from[1][i])) + (float32(w[2]*from[2][i]) + float32(w[3]*from[3][i]))
			t := float32(half * od[i])
			m += t
			depth[i] = m + t
			if !(m > 87) { // NaN stays
				out[i] = float32(keep*out[i]) + float32(share*fall(m))
			} else {
				out[i] = float32(keep*out[i]) + float32(share*fall(87))
			}
		}
	}
}

// Fade is dst = e^−min(depth·a, 87), for rows of a multiple of Lanes; a isn't NaN.
func Fade(dst, a []float32, depth float32) {
	n := len(dst)
	Whole(n)
	Row(n, a)
	switch {
	case n == 0:
	case Chosen == AVX512:
		fadeAVX512(&dst[0], &a[0], depth, n)
	case Chosen == AVX2:
		fadeAVX2(&dst[0], &a[0], depth, n)
	default:
		for i, v := range a[:n] {
			dst[i] = fall(min(float32(depth*v), 87))
		}
	}
}

// fall is e^−d for 0 ≤ d ≤ 87, to 3e-6 up to 12: 2ⁿ·2^t with |t| ≤ ½ by Taylor's series.
func fall(d float32) float32 {
	t := float32(d * -1.44269504)
	n := float32(math.RoundToEven(float64(t)))
	t -= n
	p := float32(1.5403530e-4)
	for _, c := range [...]float32{1.3333558e-3, 9.6181291e-3, 5.5504109e-2, 0.24022651, 0.69314718, 1} {
		p = float32(t*p) + c
	}
	return math.Float32frombits(math.Float32bits(p) + uint32(int32(n))<<23)
}
