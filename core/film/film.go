package film

import (
	"image"
	"image/color"
	"math"

	"zarf/core/grid"
	"zarf/core/look"
	"zarf/core/pixel"
	"zarf/core/srgb"
)

// Frame is linear light, premultiplied: red, green, blue, alpha.
type Frame struct {
	W, H int
	Pix  []float32
}

// Develop makes a picture as it is shown: values of sRGB from 0 to 1 with
// straight alpha. plate may be nil. The frame itself is left alone.
//
// Order matters and is that of a lab: exposure, light in steps, bloom, plate, then
// pixel by pixel gain, saturation, view transform, gamma. Values above 1 live up to
// the view transform, which bends them.
func Develop(in Frame, f *look.Film, plate *pixel.Image, crew grid.Crew) Frame {
	out := Frame{in.W, in.H, append([]float32(nil), in.Pix...)}
	gain := float32(math.Exp2(f.Exposure))
	out.each(crew, func(p []float32) {
		for c := range 3 {
			p[c] *= gain
		}
	})
	if f.Steps > 0 {
		out.each(crew, func(p []float32) { steps(p, f) })
	}
	if f.Bloom > 0 {
		Bloom(out, f.Bloom, f.BloomSize, crew)
	}
	if plate != nil {
		out.under(plate, crew)
	}
	out.each(crew, func(p []float32) { develop(p, f) })
	return out
}

// each works on every pixel.
func (m Frame) each(crew grid.Crew, fn func(p []float32)) {
	crew.For(m.H, 8, func(lo, hi int) {
		for i := lo * m.W; i < hi*m.W; i++ {
			fn(m.Pix[4*i : 4*i+4 : 4*i+4])
		}
	})
}

func luma(p []float32) float64 {
	return 0.2126*float64(p[0]) + 0.7152*float64(p[1]) + 0.0722*float64(p[2])
}

// steps cuts a pixel's brightness, as it will be shown, into flat tones.
func steps(p []float32, f *look.Film) {
	a := float64(max(p[3], 1e-4))
	if p[3] == 0 {
		a = 1
	}
	l := luma(p) / a
	if l <= 0 {
		return
	}
	want := look.Step(srgb.Encode(l/(1+l))*1.0001, f.Steps, f.StepsSoft)
	v := min(srgb.Decode(want), 0.98)
	s := float32(v / (1 - v) / l)
	p[0], p[1], p[2] = p[0]*s, p[1]*s, p[2]*s
}

// under lays a plate behind, at its own brightness.
func (m Frame) under(plate *pixel.Image, crew grid.Crew) {
	crew.For(m.H, 8, func(lo, hi int) {
		for y := lo; y < hi; y++ {
			for x := range m.W {
				p := m.Pix[4*(y*m.W+x):]
				c := plate.At((float64(x)+0.5)/float64(m.W), (float64(y)+0.5)/float64(m.H))
				free := max(0, 1-p[3])
				for i := range 3 {
					p[i] += free * float32(c[i])
				}
				p[3] = 1
			}
		}
	})
}

// develop takes one pixel to the screen.
//
// Colours come premultiplied and leave straight, coded as sRGB. Light without matter
// is given the alpha that it needs to be shown, or it would vanish over a plate.
func develop(p []float32, f *look.Film) {
	// light without matter, as of a flame, can't be told by straight alpha: it
	// takes as much alpha as it is bright
	a := min(max(float64(p[3]), float64(max(p[0], p[1], p[2], 0))), 1)
	if float64(p[3]) >= a {
		a = min(float64(p[3]), 1)
	}
	var c look.RGB
	if a > 0 {
		for i := range c {
			c[i] = max(float64(p[i]), 0) / a * f.Gain[i]
		}
	}
	if f.Saturation != 1 {
		l := 0.2126*c[0] + 0.7152*c[1] + 0.0722*c[2]
		for i := range c {
			c[i] = max(0, l+(c[i]-l)*f.Saturation)
		}
	}
	if !f.Plain {
		c = look.Tone(c)
	}
	for i := range c {
		v := min(max(srgb.Encode(c[i]), 0), 1)
		if f.Gamma != 1 && f.Gamma > 0 {
			v = math.Pow(v, 1/f.Gamma)
		}
		p[i] = float32(min(max(v*(1-f.Lift)+f.Lift, 0), 1))
	}
	p[3] = float32(a)
}

// NRGBA is a developed frame in 8 bits with straight alpha.
// Rounded to the nearest; no dithering, as smoke's own noise does that.
func (m Frame) NRGBA() *image.NRGBA {
	img := image.NewNRGBA(image.Rect(0, 0, m.W, m.H))
	for i, v := range m.Pix {
		img.Pix[i] = uint8(min(max(v, 0), 1)*255 + 0.5)
	}
	return img
}

// NRGBA64 is a developed frame in 16 bits with straight alpha.
// For plates and masks whose steps would show.
func (m Frame) NRGBA64() *image.NRGBA64 {
	img := image.NewNRGBA64(image.Rect(0, 0, m.W, m.H))
	for i := range m.W * m.H {
		q := func(v float32) uint16 { return uint16(min(max(v, 0), 1)*65535 + 0.5) }
		p := m.Pix[4*i:]
		img.SetNRGBA64(i%m.W, i/m.W, color.NRGBA64{R: q(p[0]), G: q(p[1]), B: q(p[2]), A: q(p[3])})
	}
	return img
}

// Over multiplies a developed frame's colours by alpha, as shown: what
// receivers expect of premultiplied PNGs.
// After coding, as receivers of such files expect: it is not a physical operation.
func (m Frame) Over() Frame {
	for i := range m.W * m.H {
		p := m.Pix[4*i:]
		p[0], p[1], p[2] = p[0]*p[3], p[1]*p[3], p[2]*p[3]
	}
	return m
}

// Bloom moves a share of the light round where it came from: half as far as
// size of the width, a third a third as far, the rest a ninth. The sum over
// the picture stays: what would go over an edge comes back.
// Three widths, each a third of the one before, look like a lens's halo; each is
// three box blurs, which cost the same however wide they are.
func Bloom(m Frame, share, size float64, crew grid.Crew) {
	if share <= 0 {
		return
	}
	src := append([]float32(nil), m.Pix...)
	m.each(crew, func(p []float32) {
		for c := range 3 {
			p[c] *= float32(1 - share)
		}
	})
	blur := make([]float32, len(src))
	tmp := make([]float32, len(src))
	for n, w := range []float64{0.5, 1.0 / 3, 1.0 / 6} {
		sigma := size * float64(m.W) / math.Pow(3, float64(n)) / 2
		copy(blur, src)
		gauss(blur, tmp, m.W, m.H, sigma, crew)
		k := float32(share * w)
		for i := range m.W * m.H {
			for c := range 3 {
				m.Pix[4*i+c] += k * blur[4*i+c]
			}
		}
	}
}

// gauss blurs by three boxes in a row each way, mirrored at the edges.
// Three boxes of width 2r + 1 have the variance 3·((2r+1)² − 1)/12: r follows from
// it.
func gauss(pix, tmp []float32, w, h int, sigma float64, crew grid.Crew) {
	r := int(math.Round((math.Sqrt(4*sigma*sigma+1) - 1) / 2))
	if r < 1 {
		return
	}
	for range 3 {
		crew.For(h, 8, func(lo, hi int) {
			for y := lo; y < hi; y++ {
				box(pix[4*y*w:], tmp[4*y*w:], w, 4, r)
			}
		})
		crew.For(w, 16, func(lo, hi int) {
			for x := lo; x < hi; x++ {
				box(tmp[4*x:], pix[4*x:], h, 4*w, r)
			}
		})
	}
}

// box averages n pixels, each step apart, over 2r+1.
// In float64, as the running sum adds and takes off for a whole row.
func box(in, out []float32, n, step, r int) {
	at := func(i int) int { // mirrored as often as it takes
		i = ((i % (2 * n)) + 2*n) % (2 * n)
		if i >= n {
			i = 2*n - 1 - i
		}
		return i * step
	}
	var sum [3]float64
	for i := -r; i <= r; i++ {
		for c := range sum {
			sum[c] += float64(in[at(i)+c])
		}
	}
	inv := 1 / float64(2*r+1)
	for i := range n {
		for c := range sum {
			out[i*step+c] = float32(sum[c] * inv)
			sum[c] += float64(in[at(i+r+1)+c]) - float64(in[at(i-r)+c])
		}
	}
}

// Shrunk averages a frame down to at most a width.
// Blocks of whole pixels; the last ones may be smaller, and count by what they hold.
func (m Frame) Shrunk(width int) Frame {
	by := (m.W + width - 1) / width
	if by <= 1 {
		return m
	}
	out := Frame{W: (m.W + by - 1) / by, H: (m.H + by - 1) / by}
	out.Pix = make([]float32, 4*out.W*out.H)
	count := make([]float32, out.W*out.H)
	for y := range m.H {
		for x := range m.W {
			o := y/by*out.W + x/by
			count[o]++
			for c := range 4 {
				out.Pix[4*o+c] += m.Pix[4*(y*m.W+x)+c]
			}
		}
	}
	for i, n := range count {
		for c := range 4 {
			out.Pix[4*i+c] /= n
		}
	}
	return out
}
