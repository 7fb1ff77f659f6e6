package flipbook

import "image"

// Image8 is four planes as straight bytes; what lies outside 0 to 1 is cut off.
func Image8(t *Tile) *image.NRGBA {
	m := image.NewNRGBA(image.Rect(0, 0, t.W, t.H))
	for c := range 4 {
		for i, v := range t.Planes[c] {
			m.Pix[4*i+c] = uint8(min(max(v, 0), 1)*255 + 0.5)
		}
	}
	return m
}

// Image16 is Image8 in 16 bits.
func Image16(t *Tile) *image.NRGBA64 {
	m := image.NewNRGBA64(image.Rect(0, 0, t.W, t.H))
	for c := range 4 {
		for i, v := range t.Planes[c] {
			u := uint16(min(max(v, 0), 1)*65535 + 0.5)
			m.Pix[8*i+2*c], m.Pix[8*i+2*c+1] = uint8(u>>8), uint8(u)
		}
	}
	return m
}

// Signed puts a number of −1 to 1 where whole steps of a file hold it, 0
// exactly: (128 + 127·v)/255 in 8 bits, (32768 + 32767·v)/65535 in 16.
func Signed(v float32, bits int) float32 {
	half := float32(int(1) << (bits - 1))
	return (half + (half-1)*v) / (2*half - 1)
}
