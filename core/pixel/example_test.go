package pixel_test

import (
	"bytes"
	"fmt"
	"image"
	"image/color"
	"image/png"

	"zarf/core/pixel"
)

// Pictures become linear light, premultiplied.
func ExampleDecode() {
	m := image.NewNRGBA(image.Rect(0, 0, 1, 1))
	m.SetNRGBA(0, 0, color.NRGBA{188, 188, 188, 255})
	var b bytes.Buffer
	if err := png.Encode(&b, m); err != nil {
		panic(err)
	}
	p, err := pixel.Decode(b.Bytes())
	fmt.Printf("%.2f %v\n", p.Pix[0], err)
	// Output: 0.50 <nil>
}
