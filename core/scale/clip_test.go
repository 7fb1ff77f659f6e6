package scale

import (
	"math"
	"strings"
	"testing"
)

// powerFront is a front that begins at a time and goes as tall·rate·t^p.
func powerFront(from, to, step, begins, tall, pace, p float64) (out []Point) {
	for t := from; t <= to; t += step {
		if x := pace * (t - begins); x > 0 {
			out = append(out, Point{T: t, L: tall * math.Pow(x, p)})
		}
	}
	return out
}

// A clip is found to begin when it does, and to be as tall, or the take as fast, as it is; with
// marks that are off by a few per cent and of another rate.
func TestClipsAreLaidOverTakes(t *testing.T) {
	noise := []float64{1, 0.97, 1.02, 1.01, 0.985, 1.03}
	for _, c := range []struct{ begins, tall, pace float64 }{{2, 6, 1}, {0.4, 1.5, 1}, {3, 8, 1.5}, {1, 4, 0.6}} {
		take := powerFront(0, 3, 1.0/24, 0.2, 2, c.pace, 0.75)
		clip := powerFront(0, 8, 1.0/10, c.begins, 2/c.tall, 1, 0.75)
		for i := range clip {
			clip[i].L *= noise[i%len(noise)]
		}
		// the take's front begins at 0.2 s, the clip's at c.begins
		known := 0.0
		if c.pace != 1 {
			known = c.tall
		}
		l, err := Lay(take, clip, known)
		if err != nil {
			t.Fatal(err)
		}
		start := c.begins - 0.2*c.pace
		if math.Abs(l.Start-start) > 0.12 || math.Abs(l.Tall/c.tall-1) > 0.06 || math.Abs(l.Pace/c.pace-1) > 0.06 || !l.Alike() {
			t.Errorf("%+v: starts at %.3f (%.3f), %.2f m tall, pace %.3f, misfit %.3f", c, l.Start, start, l.Tall, l.Pace, l.Misfit)
		}
		said := l.Says("clip.webm")
		to, is := l.Slower(1)
		if c.pace == 1 && (is || !strings.Contains(said, "m tall")) {
			t.Errorf("%+v: %s", c, said)
		}
		if c.pace != 1 && (!is || math.Abs(to*c.pace-1) > 0.06 || !strings.Contains(said, "times as fast")) {
			t.Errorf("%+v: %s; time scale %g", c, said, to)
		}
	}
}

// What can't be compared is said, and by what to mend it.
func TestClipsThatTellNothing(t *testing.T) {
	take := powerFront(0, 3, 1.0/24, 0, 2, 1, 0.75)
	for _, c := range []struct {
		clip []Point
		want string
	}{
		{nil, "has 0 marks"},
		{powerFront(0, 0.3, 0.1, 0, 1, 1, 1), "at least 4"},
		{[]Point{{0, 0.3}, {1, 0.305}, {2, 0.3}, {3, 0.301}}, "doesn't move"},
	} {
		if _, err := Lay(take, c.clip, 0); err == nil || !strings.Contains(err.Error(), c.want) {
			t.Errorf("%v: %v, want %q", c.clip, err, c.want)
		}
	}
	clip := powerFront(0, 3, 0.1, 0, 0.3, 1, 0.75)
	if _, err := Lay(take[:2], clip, 0); err == nil {
		t.Error("a take of two frames is compared")
	}
	// one that sinks
	down := []Point{{0, 0.9}, {1, 0.6}, {2, 0.3}, {3, 0.1}}
	if l, err := Lay(take, down, 0); err == nil && l.Alike() {
		t.Errorf("what sinks is like what rises: %+v", l)
	}
}
