package look

import (
	"math"
	"testing"

	"zarf/core/shot"
	"zarf/core/shot/val"
)

func TestBlend(t *testing.T) {
	l := shot.Text("0.2 0; 0.4 1 smooth; 0.6 0 step; 0.8 0.5").Stops(1)
	for u, want := range map[float64]float64{0: 0, 0.2: 0, 0.3: 0.5, 0.4: 1, 0.45: 1 - 0.15625, 0.5: 0.5, 0.6: 0, 0.79: 0, 0.8: 0.5, 1: 0.5} {
		if got := Blend(l, u)[0]; math.Abs(got-want) > 1e-12 {
			t.Errorf("at %g: %g, want %g", u, got, want)
		}
	}
}

// Steps are flat, the first is 0 and the last is 1; softness glides.
func TestStep(t *testing.T) {
	for _, n := range []int{2, 3, 7} {
		seen := map[float64]bool{}
		last := -1.0
		for i := range 1001 {
			v := Step(float64(i)/1000, n, 0)
			seen[v] = true
			if v < last {
				t.Fatalf("%d steps fall at %d", n, i)
			}
			last = v
		}
		if len(seen) != n || !seen[0] || !seen[1] {
			t.Errorf("%d steps gave %d values", n, len(seen))
		}
	}
	for i := range 999 {
		if d := Step(float64(i+1)/1000, 4, 0.5) - Step(float64(i)/1000, 4, 0.5); d < 0 || d > 0.02 {
			t.Fatalf("soft steps jump by %g at %d", d, i)
		}
	}
}

func TestTableMost(t *testing.T) {
	tb := NewTable(shot.Curve, shot.Text("0 0; 0.5 1; 1 0.2"), 100, 300)
	for _, c := range [][3]float32{{0, 50, 0}, {100, 150, 0.5}, {150, 250, 1}, {250, 400, 0.6}, {300, 500, 0.2}} {
		if got := tb.Most(c[0], c[1]); math.Abs(float64(got-c[2])) > 0.003 {
			t.Errorf("between %g and %g at most %g, want %g", c[0], c[1], got, c[2])
		}
	}
}

// A flame of another colour is one stop away, and a black body needs none.
func TestFlameRampIsMixedIn(t *testing.T) {
	at := func(v shot.Values) Look {
		l := shot.NewElement(shot.Look, "", "")
		if err := l.PutAll(v); err != nil {
			t.Fatal(err)
		}
		return At(l, 1)
	}
	l := at(shot.With(val.FlameMix.Is(1), val.FlameRamp.Is("0 1 0.1 0.5")))
	if c := l.FlameRamp.At(1500); c != (RGB{1, 0.1, 0.5}) {
		t.Errorf("%v", c)
	}
	got := l.Channels(true)
	if len(got) != 2 || got[0] != "temperature" || got[1] != "burn" {
		t.Errorf("%v", got)
	}
	steam := at(shot.With(val.SmokeFrom.Is("speed")))
	if got := steam.Channels(false); len(got) != 1 || got[0] != "speed" {
		t.Errorf("%v", got)
	}
}
