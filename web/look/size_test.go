package look

import "testing"

// A preview has the shape of the picture and a bounded number of pixels, however
// tall the picture is.
func TestPreviewsAreBounded(t *testing.T) {
	for _, c := range []struct{ width, w, h, wide, tall int }{
		{640, 1280, 720, 640, 360}, {1280, 1920, 1080, 1280, 720}, {32, 64, 64, 32, 32},
		{416, 416, 8192, 288, 5682}, {1280, 1, 8192, 14, 115837}, {32, 8192, 1, 32, 1}, {1280, 0, 5, 1280, 5}} {
		wide, tall := shownSize(c.width, c.w, c.h)
		if wide*tall > maxShown || wide < 1 || tall < 1 {
			t.Errorf("%+v: %d × %d", c, wide, tall)
		}
		if c.h < 2000 && c.w > 0 && (wide != c.wide || tall != c.tall) {
			t.Errorf("%+v: %d × %d", c, wide, tall)
		}
	}
}
