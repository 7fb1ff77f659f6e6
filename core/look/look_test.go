package look

import (
	"math"
	"testing"

	"zarf/core/geom"
	"zarf/core/srgb"
)

// Chromaticities of black bodies after the CIE 1931 observer.
func TestBlackbodyChromaticity(t *testing.T) {
	for k, want := range map[float64][2]float64{1000: {0.6528, 0.3444}, 1500: {0.5857, 0.3931}, 2000: {0.5267, 0.4133}, 2856: {0.4476, 0.4074},
		4000: {0.3805, 0.3768}, 5000: {0.3451, 0.3516}, 6500: {0.3135, 0.3237}, 10000: {0.2807, 0.2884}} {
		x, y := Chromaticity(k)
		if math.Abs(x-want[0]) > 0.002 || math.Abs(y-want[1]) > 0.002 {
			t.Errorf("%g K: (%.4f, %.4f), want %v", k, x, y, want)
		}
	}
}

func TestGlow(t *testing.T) {
	lum := func(c RGB) float64 { return 0.2126*c[0] + 0.7152*c[1] + 0.0722*c[2] }
	if Glow(300) != (RGB{}) || Glow(-5) != (RGB{}) || Glow(math.NaN()) != (RGB{}) {
		t.Error("cold gas glows")
	}
	if v := lum(Glow(1500)); math.Abs(v-1) > 1e-6 {
		t.Errorf("luminance at 1500 K is %g", v)
	}
	if r := lum(Glow(2000)); r < 6 || r > 10 {
		t.Errorf("at 2000 K it is %g times as bright as at 1500 K", r)
	}
	red, white := Glow(1000), Glow(6500)
	if red[2] > 0.05*red[0] || white[2] < 0.8*white[0] {
		t.Errorf("1000 K is %v, 6500 K is %v", red, white)
	}
	if c := Glow(1e9); math.IsNaN(c[0]) || math.IsInf(c[0], 0) {
		t.Errorf("%v", c)
	}
}

// Bright colours turn to white on their way out, dim ones stay.
func TestToneKeepsAndBleaches(t *testing.T) {
	if c := Tone(RGB{0.3, 0.2, 0.1}); c != (RGB{0.3, 0.2, 0.1}) {
		t.Errorf("a dim colour became %v", c)
	}
	c := Tone(RGB{40, 12, 0.5})
	if c[2] < 0.5 || c[0] > 1 || c[1] < c[2] {
		t.Errorf("a glaring orange became %v", c)
	}
}

func TestViewAndTransfer(t *testing.T) {
	for _, c := range [][2]float64{{0, 0}, {0.0031308, 0.04045}, {0.18, 0.46136}, {1, 1}} {
		if v := srgb.Encode(c[0]); math.Abs(v-c[1]) > 1e-4 {
			t.Errorf("sRGB of %g is %g, want %g", c[0], v, c[1])
		}
	}
	last := -1.0
	for v := 0.0; v < 20; v += 0.01 {
		w := View(v)
		if w < last || w > 1 {
			t.Fatalf("the view of %g is %g after %g", v, w, last)
		}
		last = w
	}
}

// What light meets in smoke goes somewhere: the phase function's integral over
// the sphere is 1, whatever its lobes.
func TestPhaseFunctionsIntegrateToOne(t *testing.T) {
	for _, l := range []Lobes{{G: 0}, {G: 0.6}, {G: -0.4}, {G: 0.8, Back: -0.3, Share: 0.25}, (Lobes{G: 0.8, Back: -0.3, Share: 0.25}).Flat(0.5)} {
		const n = 20000
		sum := 0.0
		for i := range n {
			sum += l.At(-1+2*(float64(i)+0.5)/n) * 2 * math.Pi * 2 / n
		}
		if math.Abs(sum-1) > 1e-4 {
			t.Errorf("%+v integrates to %g", l, sum)
		}
	}
}

// SkyMean is the mean of SkyLight over the upper half of the sphere.
func TestSkyMeanIsItsIntegral(t *testing.T) {
	l := Look{Sky: RGB{0.3, 0.5, 0.9}}
	var sum RGB
	const n = 20000
	for i := range n { // every height of the half sphere has the same share
		y := (float64(i) + 0.5) / n
		sum = sum.Add(l.SkyLight(geom.V(math.Sqrt(1-y*y), y, 0)).Scale(1.0 / n))
	}
	for c, want := range l.SkyMean() {
		if math.Abs(sum[c]/want-1) > 1e-4 {
			t.Errorf("channel %d: %g, the integral is %g", c, want, sum[c])
		}
	}
}
