package svg_test

import (
	"errors"
	"fmt"
	"math"
	"strings"
	"testing"

	"zarf/core/format/svg"
)

func draw(inside string) []byte {
	return []byte(`<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 100 100">` + inside + `</svg>`)
}

// enclosed is the area that a curve runs round, positive against the clock.
func enclosed(c svg.Curve) (sum float64) {
	for i, p := range c.Points {
		q := c.Points[(i+1)%len(c.Points)]
		sum += (p[0]*q[1] - q[0]*p[1]) / 2
	}
	return sum
}

func ExampleDecode() {
	curves, err := svg.Decode([]byte(`<svg viewBox="0 0 10 10"><path id="keel" d="M0 0 H4 V3 Z"/></svg>`))
	if err != nil {
		fmt.Println(err)
		return
	}
	for _, c := range curves {
		fmt.Println(c.Name, c.Closed, math.Abs(enclosed(c)))
	}
	// Output: keel true 6
}

// Areas of shapes and paths against what geometry says, to the tolerance of
// the flattening.
func TestAreas(t *testing.T) {
	for _, c := range []struct {
		what, text string
		want       float64
	}{
		{"rectangle", `<rect x="10" y="10" width="30" height="20"/>`, 600},
		{"rounded rectangle", `<rect width="40" height="20" rx="5"/>`, 800 - (4-math.Pi)*25},
		{"circle", `<circle cx="50" cy="50" r="20"/>`, math.Pi * 400},
		{"ellipse", `<ellipse cx="50" cy="50" rx="30" ry="10"/>`, math.Pi * 300},
		{"polygon", `<polygon points="0,0 10,0 10,10"/>`, 50},
		{"half disc of an arc", `<path d="M0 0 A 10 10 0 0 1 20 0 Z"/>`, math.Pi * 50},
		{"cubic like a quarter circle", `<path d="M0 0 L10 0 C10 5.5228475 5.5228475 10 0 10 Z"/>`, math.Pi * 25},
		{"quadratic", `<path d="M0 0 Q 10 20 20 0 Z"/>`, 20.0 * 20 / 2 * 2 / 3},
		{"relative and run together", `<path d="m10-10h4v3h-4z"/>`, 12},
		{"scaled group", `<g transform="scale(2 3)"><rect width="5" height="5"/></g>`, 150},
		{"turned, moved and sheared", `<g transform="translate(50 50) rotate(30) skewX(20)"><rect width="8" height="8"/></g>`, 64},
		{"a matrix inside a group", `<g transform="scale(2)"><rect width="4" height="4" transform="matrix(0 1 -1 0 9 9)"/></g>`, 64},
	} {
		got, err := svg.Decode(draw(c.text))
		if err != nil || len(got) != 1 || !got[0].Closed {
			t.Errorf("%s: %v %v", c.what, got, err)
			continue
		}
		if a := math.Abs(enclosed(got[0])); math.Abs(a/c.want-1) > 0.01 {
			t.Errorf("%s: area %g, want %g", c.what, a, c.want)
		}
	}
}

// y points up, and what is hidden, only defined or written doesn't count.
func TestWhatIsLeftOut(t *testing.T) {
	got, err := svg.Decode(draw(`<defs><circle r="3"/></defs><text>no</text><g display="none"><rect width="9" height="9"/></g><symbol><line x1="0" y1="0" x2="1" y2="1"/></symbol><polyline id="up" points="1,2 1,8"/>`))
	if err != nil || len(got) != 1 || got[0].Name != "up" {
		t.Fatalf("%v %v", got, err)
	}
	if p := got[0].Points; p[0][1] <= p[1][1] {
		t.Errorf("y of a lower place is %g, of a higher %g", p[1][1], p[0][1])
	}
}

func TestWhatIsWrongIsNamed(t *testing.T) {
	for what, data := range map[string][]byte{
		"no drawing":         []byte("hello"),
		"cut off":            []byte(`<svg><rect width="3"`),
		"a path of nonsense": draw(`<path d="M0 0 L zero"/>`),
		"arc lacks numbers":  draw(`<path d="M0 0 A 1 1 0 0"/>`),
		"no end of nesting":  draw(strings.Repeat("<g>", 100)),
		"a bad transform":    draw(`<rect width="3" height="3" transform="twist(3)"/>`),
		"outside entities":   []byte(`<!DOCTYPE s [<!ENTITY x SYSTEM "file:///etc/hostname">]><svg><rect width="&x;" height="3"/></svg>`),
		"nothing in it":      draw(""),
	} {
		got, err := svg.Decode(data)
		var e *svg.Error
		if !errors.As(err, &e) {
			t.Errorf("%s: got %v %v", what, got, err)
		}
	}
}

func FuzzDecode(f *testing.F) {
	f.Add(draw(`<path d="M0 0 A 10 10 0 0 1 20 0 C1 2 3 4 5 6 S1 2 3 4 Q1 2 3 4 T5 6 z m1 1 h3 v3z"/>`))
	f.Add(draw(`<g transform="matrix(1 2 3 4 5 6) skewY(3)"><circle r="3"/></g>`))
	f.Fuzz(func(t *testing.T, data []byte) {
		list, err := svg.Decode(data)
		if err != nil {
			return
		}
		n := 0
		for _, c := range list {
			n += len(c.Points)
		}
		if n > svg.MaxPoints || len(list) > svg.MaxCurves {
			t.Errorf("%d points of %d curves", n, len(list))
		}
	})
}

// Numbers that only floats can write are refused or drawn straight, and never more.
func TestArcsOfAbsurdSize(t *testing.T) {
	for _, d := range []string{"M0 0 A1e308 1e308 0 0 1 10 10", "M0 0 A1e308 1 0 0 1 10 10", "M0 0 A1e-308 1e-308 0 1 1 10 10", "M0 0 A1e154 1e154 0 0 1 1e154 10", "M0 0 C1e308 0 1e308 1e308 0 1e308", "M0 0 A5 5 1e308 0 1 10 10", "M1e308 0 A1e308 1 0 1 1 -1e308 1e308"} {
		curves, err := svg.Decode([]byte(`<svg viewBox="0 0 10 10"><path d="` + d + `"/></svg>`))
		var fe *svg.Error
		if err != nil && !errors.As(err, &fe) || err == nil && len(curves) == 0 {
			t.Errorf("%s: %d curves, %v", d, len(curves), err)
		}
	}
	for _, x := range []string{`<circle r="1e308"/>`, `<ellipse rx="1e308" ry="1e-308"/>`, `<ellipse rx="1e-308" ry="1e-308"/>`, `<rect width="1e308" height="1e308" rx="1e307"/>`} {
		if _, err := svg.Decode([]byte(`<svg viewBox="0 0 10 10">` + x + `</svg>`)); err != nil {
			var fe *svg.Error
			if !errors.As(err, &fe) {
				t.Errorf("%s: %v", x, err)
			}
		}
	}
}
