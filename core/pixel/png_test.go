package pixel

import (
	"bytes"
	"image"
	"image/color"
	"image/png"
	"strings"
	"testing"
)

func TestTagsGoIntoPNG(t *testing.T) {
	m := image.NewNRGBA64(image.Rect(0, 0, 5, 3))
	m.SetNRGBA64(2, 1, color.NRGBA64{1, 2, 65535, 40000})
	var b bytes.Buffer
	if err := EncodePNG(&b, m, Tags{Linear: true, Text: map[string]string{"Alpha": "straight", "Software": "Zarf ø 日"}}, png.BestSpeed); err != nil {
		t.Fatal(err)
	}
	tags := ReadTags(b.Bytes())
	if !tags.Linear || tags.Text["Alpha"] != "straight" || tags.Text["Software"] != "Zarf \xf8 ?" {
		t.Errorf("%+v", tags)
	}
	again, err := TagPNG(b.Bytes(), Tags{Text: map[string]string{"Alpha": "premultiplied"}})
	if err != nil {
		t.Fatal(err)
	}
	if tags = ReadTags(again); tags.Linear || len(tags.Text) != 1 || bytes.Count(again, []byte("gAMA")) != 1 || !bytes.Contains(again, []byte("sRGB")) {
		t.Errorf("tagged again: %+v", tags)
	}
	back, err := png.Decode(bytes.NewReader(again))
	if err != nil || back.At(2, 1) != (color.NRGBA64{1, 2, 65535, 40000}) {
		t.Errorf("the picture changed: %v %v", back.At(2, 1), err)
	}
	for _, bad := range [][]byte{nil, []byte(strings.Repeat("x", 50)), b.Bytes()[:40]} {
		if _, err := TagPNG(bad, Tags{}); err == nil {
			t.Errorf("%d bytes of something else are tagged", len(bad))
		}
	}
}
