package film

import (
	"math"
	"testing"

	"zarf/core/grid"
	"zarf/core/look"
	"zarf/core/pixel"
	"zarf/core/srgb"
)

func plain() *look.Film { return &look.Film{Gamma: 1, Gain: look.RGB{1, 1, 1}, Saturation: 1} }

func one(c [4]float32, f *look.Film, plate *pixel.Image) []float32 {
	return Develop(Frame{1, 1, c[:]}, f, plate, grid.NewCrew(1)).Pix
}

func near(t *testing.T, what string, got []float32, want ...float64) {
	t.Helper()
	for i, w := range want {
		if math.Abs(float64(got[i])-w) > 2e-5 {
			t.Errorf("%s: %v, want %v", what, got, want)
			return
		}
	}
}

func TestDevelop(t *testing.T) {
	s := srgb.Encode
	near(t, "as it is", one([4]float32{0.2, 0.1, 0.05, 1}, plain(), nil), s(0.2), s(0.1), s(0.05), 1)
	near(t, "premultiplied light becomes straight", one([4]float32{0.2, 0.1, 0.05, 0.5}, plain(), nil), s(0.4), s(0.2), s(0.1), 0.5)
	up := plain()
	up.Exposure = 1
	near(t, "a stop", one([4]float32{0.2, 0.1, 0.05, 1}, up, nil), s(0.4), s(0.2), s(0.1), 1)
	cut := plain()
	cut.Plain = true
	near(t, "cut off at white", one([4]float32{3, 0.5, 1, 1}, cut, nil), 1, s(0.5), 1, 1)
	grey := plain()
	grey.Saturation = 0
	l := 0.2126*0.4 + 0.7152*0.2 + 0.0722*0.1
	near(t, "without saturation", one([4]float32{0.4, 0.2, 0.1, 1}, grey, nil), s(l), s(l), s(l), 1)
	grade := plain()
	grade.Lift, grade.Gamma = 0.1, 2
	near(t, "lift and gamma", one([4]float32{0.2, 0, 0, 1}, grade, nil), math.Sqrt(s(0.2))*0.9+0.1, 0.1, 0.1, 1)
	near(t, "flame without matter keeps its light", one([4]float32{0.5, 0.5, 0.5, 0}, plain(), nil), s(1-0.2*math.Exp(-1)), s(1-0.2*math.Exp(-1)), s(1-0.2*math.Exp(-1)), 0.5)
}

// A plate keeps its own brightness whatever the exposure.
func TestPlateIsLaidUnder(t *testing.T) {
	m := &pixel.Image{W: 1, H: 1, Pix: []float32{0.3, 0.3, 0.3, 1}}
	f := plain()
	f.Exposure = 3
	near(t, "nothing over the plate", one([4]float32{0, 0, 0, 0}, f, m), srgb.Encode(0.3), srgb.Encode(0.3), srgb.Encode(0.3), 1)
	f.Exposure = 0
	near(t, "half over the plate", one([4]float32{0.1, 0, 0, 0.5}, f, m), srgb.Encode(0.25), srgb.Encode(0.15), srgb.Encode(0.15), 1)
}

// Bloom moves light and adds none, also at the edges.
func TestBloomKeepsEnergy(t *testing.T) {
	for _, at := range [][2]int{{20, 12}, {0, 0}, {47, 3}} {
		m := Frame{48, 27, make([]float32, 4*48*27)}
		m.Pix[4*(at[1]*48+at[0])] = 1000
		Bloom(m, 0.4, 0.2, grid.NewCrew(2))
		sum, top := 0.0, float32(0)
		for i := 0; i < len(m.Pix); i += 4 {
			sum += float64(m.Pix[i])
			top = max(top, m.Pix[i])
		}
		if math.Abs(sum/1000-1) > 1e-4 || top > 800 || top < 600 {
			t.Errorf("from %v: %g in all, %g at the most", at, sum, top)
		}
	}
}

// So many tones and no more are left.
func TestStepsOfLight(t *testing.T) {
	f := plain()
	f.Steps = 4
	in := Frame{256, 1, nil}
	for i := range 256 {
		v := float32(i) / 64
		in.Pix = append(in.Pix, v, v, v, 1)
	}
	out := Develop(in, f, nil, grid.NewCrew(1))
	tones := map[float32]bool{}
	for i := 0; i < len(out.Pix); i += 4 {
		tones[float32(math.Round(float64(out.Pix[i])*1000))] = true
	}
	if len(tones) < 3 || len(tones) > 4 {
		t.Errorf("%d tones: %v", len(tones), tones)
	}
}

func TestBits(t *testing.T) {
	m := Frame{2, 1, []float32{0, 0.5, 1, 1, 0.25, 2, -1, 0.5}}
	if p := m.NRGBA().Pix; p[1] != 128 || p[2] != 255 || p[4] != 64 || p[5] != 255 || p[6] != 0 {
		t.Errorf("%v", p)
	}
	c := m.NRGBA64().NRGBA64At(1, 0)
	if c.R != 16384 || c.G != 65535 || c.B != 0 || c.A != 32768 {
		t.Errorf("%v", c)
	}
}
