package look

import "math"

// matching holds the colour-matching functions of the CIE 1931 standard
// observer (2°), every 10 nm from 380 to 780 nm.
var matching = [41][3]float64{
	{0.0014, 0.0000, 0.0065}, {0.0042, 0.0001, 0.0201}, {0.0143, 0.0004, 0.0679}, {0.0435, 0.0012, 0.2074}, {0.1344, 0.0040, 0.6456},
	{0.2839, 0.0116, 1.3856}, {0.3483, 0.0230, 1.7471}, {0.3362, 0.0380, 1.7721}, {0.2908, 0.0600, 1.6692}, {0.1954, 0.0910, 1.2876},
	{0.0956, 0.1390, 0.8130}, {0.0320, 0.2080, 0.4652}, {0.0049, 0.3230, 0.2720}, {0.0093, 0.5030, 0.1582}, {0.0633, 0.7100, 0.0782},
	{0.1655, 0.8620, 0.0422}, {0.2904, 0.9540, 0.0203}, {0.4334, 0.9950, 0.0087}, {0.5945, 0.9950, 0.0039}, {0.7621, 0.9520, 0.0021},
	{0.9163, 0.8700, 0.0017}, {1.0263, 0.7570, 0.0011}, {1.0622, 0.6310, 0.0008}, {1.0026, 0.5030, 0.0003}, {0.8544, 0.3810, 0.0002},
	{0.6424, 0.2650, 0.0000}, {0.4479, 0.1750, 0.0000}, {0.2835, 0.1070, 0.0000}, {0.1649, 0.0610, 0.0000}, {0.0874, 0.0320, 0.0000},
	{0.0468, 0.0170, 0.0000}, {0.0227, 0.0082, 0.0000}, {0.0114, 0.0041, 0.0000}, {0.0058, 0.0021, 0.0000}, {0.0029, 0.0010, 0.0000},
	{0.0014, 0.0005, 0.0000}, {0.0007, 0.0003, 0.0000}, {0.0003, 0.0001, 0.0000}, {0.0002, 0.0001, 0.0000}, {0.0001, 0.0000, 0.0000},
	{0.0000, 0.0000, 0.0000},
}

// Chromaticity is the CIE 1931 (x, y) of a black body at t kelvin (Planck's
// law with c₂ = 1.438777 cm·K).
func Chromaticity(t float64) (x, y float64) {
	sum := tristimulus(t)
	all := sum[0] + sum[1] + sum[2]
	return sum[0] / all, sum[1] / all
}

// tristimulus is X, Y, Z of a black body, in some unit.
func tristimulus(t float64) (sum [3]float64) {
	for n, m := range matching {
		l := float64(380+10*n) * 1e-9
		p := math.Pow(l*1e9, -5) / math.Expm1(1.438777e-2/(l*t))
		for c := range sum {
			sum[c] += p * m[c]
		}
	}
	return sum
}

// glowStep is the distance in kelvin of the entries of glows.
const glowStep = 25

// glows is the light of a black body from 0 K on.
var glows = func() (out [480]RGB) {
	one := tristimulus(glowReference)[1]
	for n := range out {
		t := float64(n * glowStep)
		if t < 500 {
			continue // nothing that can be seen
		}
		x, y := Chromaticity(t)
		X, Z := x/y, (1-x-y)/y // at Y = 1
		// IEC 61966-2-1; red beyond its triangle takes on white until it is within
		c := RGB{3.2406*X - 1.5372 - 0.4986*Z, -0.9689*X + 1.8758 + 0.0415*Z, 0.0557*X - 0.2040 + 1.0570*Z}
		short := max(0, -min(c[0], c[1], c[2]))
		for i := range c {
			c[i] += short
		}
		lum := 0.2126*c[0] + 0.7152*c[1] + 0.0722*c[2]
		out[n] = c.Scale(math.Sqrt(tristimulus(t)[1]/one) / lum)
	}
	return out
}()

// glowReference is the temperature at which a black body has luminance 1.
const glowReference = 1500

// Glow is the light of a black body at t kelvin in linear sRGB: the colour by
// the CIE 1931 observer, the luminance by the root of Planck's, 1 at 1500 K:
// from 1000 to 2500 K that still grows 1,700 times, where the whole would grow
// three million times, which no picture holds.
func Glow(t float64) RGB {
	p := t / glowStep
	if !(p > 0) {
		return RGB{}
	}
	n := int(p)
	if n >= len(glows)-1 {
		return glows[len(glows)-1]
	}
	f := p - float64(n)
	return glows[n].Scale(1 - f).Add(glows[n+1].Scale(f))
}
