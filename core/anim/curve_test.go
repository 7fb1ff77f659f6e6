package anim

import (
	"math"
	"testing"
)

func one(frame, v float64, w Way) Key { return Key{Frame: frame, Value: [3]float64{v, -v, 0}, Way: w} }

func at(k []Key, x Extra, f float64) float64 { return At(k, x, f)[0] }

func TestWays(t *testing.T) {
	for _, c := range []struct {
		way  Way
		want float64 // at a quarter of 0 → 8
	}{{Ease, 8 * 0.15625}, {Ramp, 2}, {Hold, 0}} {
		k := []Key{one(10, 0, c.way), one(20, 8, Ease)}
		if got := at(k, Extra{}, 12.5); math.Abs(got-c.want) > 1e-12 {
			t.Errorf("%q: %g, want %g", c.way, got, c.want)
		}
		if at(k, Extra{}, 9) != 0 || at(k, Extra{}, 20) != 8 || at(k, Extra{}, 99) != 8 {
			t.Errorf("%q doesn't stay at its ends", c.way)
		}
		if v := At(k, Extra{}, 15); v[1] != -v[0] || v[2] != 0 {
			t.Errorf("%q: parts %v", c.way, v)
		}
	}
}

func TestFreeSlopesAreKept(t *testing.T) {
	k := []Key{{Frame: 0, Way: Free, Out: [3]float64{3}}, {Frame: 10, Value: [3]float64{1}, Way: Free, In: [3]float64{-2}}}
	const e = 1e-6
	if m := at(k, Extra{}, e) / e; math.Abs(m-3) > 1e-4 {
		t.Errorf("leaves with slope %g", m)
	}
	if m := (1 - at(k, Extra{}, 10-e)) / e; math.Abs(m+2) > 1e-4 {
		t.Errorf("arrives with slope %g", m)
	}
}

func TestThroughIsSmoothAndStaysBetweenItsKeys(t *testing.T) {
	k := []Key{one(0, 0, Through), one(5, 1, Through), one(6, 5, Through), one(20, 5.5, Through), one(30, 2, Through)}
	last := math.Inf(-1)
	for f := 0.0; f <= 20; f += 0.01 {
		v := at(k, Extra{}, f)
		if v < last-1e-12 || v > 5.5+1e-12 {
			t.Fatalf("at %g it is %g after %g", f, v, last)
		}
		last = v
	}
	for _, f := range []float64{5, 6} {
		const e = 1e-5
		if a, b := at(k, Extra{}, f)-at(k, Extra{}, f-e), at(k, Extra{}, f+e)-at(k, Extra{}, f); math.Abs(a-b) > 1e-8 {
			t.Errorf("a corner at %g: %g and %g", f, a/e, b/e)
		}
	}
}

func TestAfterTheLastKey(t *testing.T) {
	k := []Key{one(0, 0, Ramp), one(10, 5, Ramp)}
	for _, c := range []struct {
		after After
		at    float64
		want  float64
	}{{Stay, 14, 5}, {Repeat, 14, 2}, {Onward, 14, 7}, {Onward, 24, 12}, {Mirror, 14, 3}, {Mirror, 24, 2}, {Repeat, -3, 0}} {
		if got := at(k, Extra{After: c.after}, c.at); math.Abs(got-c.want) > 1e-12 {
			t.Errorf("%q at %g: %g, want %g", c.after, c.at, got, c.want)
		}
	}
	if v := at(k[:1], Extra{After: Repeat}, 50); v != 0 {
		t.Errorf("one key repeated: %g", v)
	}
}

func TestNoiseOnTop(t *testing.T) {
	k := []Key{one(0, 1, Ease)}
	x := Extra{Amount: 0.5, Period: 8, Seed: 3}
	var sum, most float64
	for f := range 4000 {
		d := at(k, x, float64(f)*0.37) - 1
		sum += d
		most = max(most, math.Abs(d))
	}
	if most > 0.5 || most < 0.2 || math.Abs(sum/4000) > 0.03 {
		t.Errorf("noise reaches %g, mean %g", most, sum/4000)
	}
	if at(k, x, 7.3) != at(k, x, 7.3) || at(k, x, 7.3) == at(k, Extra{Amount: 0.5, Period: 8, Seed: 4}, 7.3) {
		t.Error("the seed doesn't decide")
	}
}
