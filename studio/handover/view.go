package handover

import (
	"bytes"
	"fmt"
	"image"
	"image/color"
	"math"
	"os"
	"path/filepath"

	"zarf/core/flipbook"
	"zarf/core/format"
	"zarf/core/format/exr"
	"zarf/core/grid"
	"zarf/core/pixel"
	"zarf/core/srgb"
)

// one works on one thread: pages have other things to do.
var one = grid.NewCrew(1)

// Open reads a file of a handover as a receiver would, from its bytes alone.
// sample is which of an Alembic file's samples.
func Open(dir string, f File, sample int) ([]*format.Thing, error) {
	b, err := os.ReadFile(filepath.Join(dir, filepath.FromSlash(f.Path)))
	if err != nil {
		return nil, err
	}
	if k := format.ByName(f.Path); k != nil && k.Look != nil {
		return k.Look(b, sample)
	}
	return nil, fmt.Errorf("%s is not looked into here; its size and hash were compared", f.Path)
}

// Under is what a picture is laid over.
type Under struct {
	Plate *pixel.Image // nil: none
	Grey  float64      // linear
	Check bool
}

// Comp lays a picture of a handover over something, its alpha read as one kind
// or the other, and gives it as shown; wide is the most pixels across.
func Comp(data []byte, ext, alpha string, u Under, exposure float64, wide int) (*image.NRGBA, error) {
	t, coded, err := plain(data, ext)
	if err != nil {
		return nil, err
	}
	if k := float64(wide) / float64(t.W); k < 1 {
		t = flipbook.Place{Scale: 1}.Put(t, wide, max(1, int(float64(t.H)*k)), one)
	}
	gain := math.Exp2(exposure)
	out := image.NewNRGBA(image.Rect(0, 0, t.W, t.H))
	for i := range t.W * t.H {
		x, y := i%t.W, i/t.W
		back := [3]float64{u.Grey, u.Grey, u.Grey}
		if u.Check && (x/12+y/12)%2 == 0 {
			back = [3]float64{u.Grey * 0.6, u.Grey * 0.6, u.Grey * 0.6}
		}
		if u.Plate != nil {
			back = u.Plate.At((float64(x)+0.5)/float64(t.W), (float64(y)+0.5)/float64(t.H))
		}
		a := float64(t.Planes[3][i])
		for c := range 3 {
			v, under := float64(t.Planes[c][i]), back[c]
			if !coded {
				v *= gain
			} else { // PNGs are laid over as they are shown
				under = srgb.Encode(under)
			}
			if alpha == "straight" {
				v *= a
			}
			v += (1 - min(a, 1)) * under
			if !coded {
				v = srgb.Encode(max(v, 0))
			}
			out.Pix[4*i+c] = uint8(min(max(v, 0), 1)*255 + 0.5)
		}
		out.Pix[4*i+3] = 255
	}
	return out, nil
}

// plain reads a picture's values as they stand in the file; coded tells that
// they are sRGB.
func plain(data []byte, ext string) (t *flipbook.Tile, coded bool, err error) {
	switch ext {
	case "exr":
		lim := exr.DefaultLimits
		lim.Only = []string{"R", "G", "B", "A"}
		m, err := exr.Decode(data, lim)
		if err != nil {
			return nil, false, err
		}
		t = &flipbook.Tile{W: m.W, H: m.H}
		for _, c := range lim.Only {
			v := m.Channel(c)
			if v == nil {
				v = filled(m.W*m.H, 1)
			}
			t.Planes = append(t.Planes, v)
		}
		return t, false, nil
	case "hdr":
		m, err := pixel.Decode(data)
		if err != nil {
			return nil, false, err
		}
		t = flipbook.NewTile(m.W, m.H, 4)
		for i, v := range m.Pix {
			t.Planes[i%4][i/4] = v
		}
		return t, false, nil
	}
	m, _, err := image.Decode(bytes.NewReader(data))
	if err != nil {
		return nil, true, err
	}
	b := m.Bounds()
	t = flipbook.NewTile(b.Dx(), b.Dy(), 4)
	for y := range t.H {
		for x := range t.W {
			var p [4]uint8
			switch m := m.(type) {
			case *image.NRGBA:
				copy(p[:], m.Pix[m.PixOffset(b.Min.X+x, b.Min.Y+y):])
			default:
				c := color.NRGBAModel.Convert(m.At(b.Min.X+x, b.Min.Y+y)).(color.NRGBA)
				p = [4]uint8{c.R, c.G, c.B, c.A}
			}
			for c, v := range p {
				t.Planes[c][y*t.W+x] = float32(v) / 255
			}
		}
	}
	return t, true, nil
}

// SheetPicture is a flipbook's sheet as 8 bits for a screen, at most so many
// pixels wide: colours in sRGB as the file says, motion in 8-bit steps whatever
// the file has. It is shrunk by whole tiles' pixels.
func SheetPicture(data []byte, ext string, s Sheet, motion *MotionFacts, most int) (*image.NRGBA, error) {
	t, _, err := plain(data, ext)
	if err != nil {
		return nil, err
	}
	if ext == "exr" {
		for c := range 3 {
			for i, v := range t.Planes[c] {
				switch {
				case s.Name == "motion" && c < 2 && motion != nil:
					t.Planes[c][i] = flipbook.Signed(v/float32(motion.Largest), 8)
				case s.Space[:5] == "plain":
				default:
					t.Planes[c][i] = float32(srgb.Encode(float64(min(max(v, 0), 1))))
				}
			}
		}
	}
	for t.W > most || t.H > most {
		t = flipbook.Place{Scale: 1}.Put(t, t.W/2, t.H/2, one)
	}
	return flipbook.Image8(t), nil
}
