package pixel

import (
	"bytes"
	"fmt"
	"image"
	_ "image/jpeg" // plates come as these
	_ "image/png"
	"math"

	"zarf/core/format/exr"
	"zarf/core/format/hdr"
	"zarf/core/srgb"
)

// MaxPixels is the largest picture.
const MaxPixels = 8192 * 8192

// Image is a picture: red, green, blue, alpha, row by row from the top.
type Image struct {
	W, H int
	Pix  []float32
}

// At is the picture's colour at a share of its width and height, between
// pixels.
// The edge's pixels go on beyond it: a plate may be looked up a hair outside.
func (m *Image) At(u, v float64) [3]float64 {
	// values stand at the middles of pixels
	x, y := u*float64(m.W)-0.5, v*float64(m.H)-0.5
	fx, fy := math.Floor(x), math.Floor(y)
	tx, ty := x-fx, y-fy
	var out [3]float64
	for c := range 4 {
		i, j := min(max(int(fx)+c&1, 0), m.W-1), min(max(int(fy)+c>>1, 0), m.H-1)
		w := (1 - tx)
		if c&1 == 1 {
			w = tx
		}
		if c>>1 == 1 {
			w *= ty
		} else {
			w *= 1 - ty
		}
		p := m.Pix[4*(j*m.W+i):]
		for k := range out {
			out[k] += w * float64(p[k])
		}
	}
	return out
}

// Decode reads a PNG, JPEG, OpenEXR or Radiance picture. Values that are
// negative or not finite become 0.
func Decode(data []byte) (*Image, error) {
	m, err := decode(data)
	if err != nil {
		return nil, err
	}
	// light is never negative; a NaN would spread through every sum
	for i, v := range m.Pix {
		if !(v >= 0) || v > 1e30 {
			m.Pix[i] = 0
		}
	}
	return m, nil
}

// decode reads a picture of any kind that is known, told by its first bytes.
// By its first bytes and not by its name: names come from anywhere.
func decode(data []byte) (*Image, error) {
	switch {
	case bytes.HasPrefix(data, []byte{0x76, 0x2f, 0x31, 0x01}):
		return fromEXR(data)
	case bytes.HasPrefix(data, []byte("#?")):
		w, h, rgb, err := hdr.Read(data)
		if err != nil {
			return nil, err
		}
		m := &Image{w, h, make([]float32, 4*w*h)}
		for i := range w * h {
			copy(m.Pix[4*i:], rgb[3*i:3*i+3])
			m.Pix[4*i+3] = 1
		}
		return m, nil
	}
	// size before pixels: a few bytes can say that they are a huge picture
	if _, _, err := Size(data); err != nil {
		return nil, err
	}
	img, _, err := image.Decode(bytes.NewReader(data))
	if err != nil {
		return nil, fmt.Errorf("it can't be read: %w", err)
	}
	return fromImage(img), nil
}

// Size is how large a picture is, by its head alone: nothing of its pixels is read.
func Size(data []byte) (w, h int, err error) {
	switch {
	case bytes.HasPrefix(data, []byte{0x76, 0x2f, 0x31, 0x01}):
		w, h, err = exr.Size(data)
	case bytes.HasPrefix(data, []byte("#?")):
		w, h, err = hdr.Size(data)
	default:
		var c image.Config
		if c, _, err = image.DecodeConfig(bytes.NewReader(data)); err != nil {
			return 0, 0, fmt.Errorf("it is neither PNG, JPEG, OpenEXR nor Radiance HDR")
		}
		w, h = c.Width, c.Height
	}
	if err != nil {
		return 0, 0, err
	}
	if w < 1 || h < 1 || w > MaxPixels || h > MaxPixels || w*h > MaxPixels {
		return 0, 0, fmt.Errorf("it has %d x %d pixels; up to %d are taken", w, h, MaxPixels)
	}
	return w, h, nil
}

// Check reads a picture through, as Decode would, and keeps nothing of it.
func Check(data []byte) error {
	if _, _, err := Size(data); err != nil {
		return err
	}
	switch {
	case bytes.HasPrefix(data, []byte{0x76, 0x2f, 0x31, 0x01}), bytes.HasPrefix(data, []byte("#?")):
		_, err := Decode(data)
		return err
	}
	// without the floats of it, which take four times the room
	if _, _, err := image.Decode(bytes.NewReader(data)); err != nil {
		return fmt.Errorf("it can't be read: %w", err)
	}
	return nil
}

// fromEXR takes colours as they are: linear light, premultiplied. Grey pictures have
// Y alone.
// Channels of layers (“sun.R”) are no picture; the plain R, G and B are.
func fromEXR(data []byte) (*Image, error) {
	e, err := exr.Decode(data, exr.DefaultLimits)
	if err != nil {
		return nil, err
	}
	r, g, b, a := e.Channel("R"), e.Channel("G"), e.Channel("B"), e.Channel("A")
	if r == nil && e.Channel("Y") != nil {
		r, g, b = e.Channel("Y"), e.Channel("Y"), e.Channel("Y")
	}
	if r == nil || g == nil || b == nil {
		return nil, fmt.Errorf("it holds no channels R, G and B, nor Y")
	}
	m := &Image{e.W, e.H, make([]float32, 4*e.W*e.H)}
	for i := range r {
		m.Pix[4*i], m.Pix[4*i+1], m.Pix[4*i+2], m.Pix[4*i+3] = r[i], g[i], b[i], 1
		if a != nil {
			m.Pix[4*i+3] = a[i]
		}
	}
	return m, nil
}

// linear is the sRGB transfer function backwards, for 16-bit values.
var linear = func() (t [65536]float32) {
	for i := range t {
		t[i] = float32(srgb.Decode(float64(i) / 65535))
	}
	return t
}()

// fromImage makes linear light of a decoded picture.
func fromImage(img image.Image) *Image {
	b := img.Bounds()
	m := &Image{b.Dx(), b.Dy(), make([]float32, 4*b.Dx()*b.Dy())}
	for y := range m.H {
		for x := range m.W {
			r, g, bl, a := img.At(b.Min.X+x, b.Min.Y+y).RGBA()
			p := m.Pix[4*(y*m.W+x):]
			if a == 0 {
				continue
			}
			// Go gives colours multiplied by alpha as they are coded; light is
			// multiplied after it is decoded
			straight := func(v uint32) float32 { return linear[min(v*65535/a, 65535)] * float32(a) / 65535 }
			p[0], p[1], p[2], p[3] = straight(r), straight(g), straight(bl), float32(a)/65535
		}
	}
	return m
}
