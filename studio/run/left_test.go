package run

import (
	"math"
	"testing"
)

// guess runs a pacer over the first frames and compares with what came.
func guess(before map[int]float64, real []float64, after int) (left, came float64) {
	p := pacer{before: before}
	for n, s := range real {
		if n < after {
			p.frame(n+1, s)
		} else {
			came += s
		}
	}
	return p.left(after+1, len(real)), came
}

func series(n int, f func(x float64) float64) []float64 {
	out := make([]float64, n)
	for i := range out {
		out[i] = f(float64(i))
	}
	return out
}

func TestTimeLeft(t *testing.T) {
	steady := series(60, func(x float64) float64 { return 0.5 })
	if left, came := guess(nil, steady, 10); math.Abs(left/came-1) > 1e-9 {
		t.Errorf("steady work: %g s left, %g came", left, came)
	}
	// a plume that fills its box and then stays
	grows := series(60, func(x float64) float64 { return 0.2 + 0.3*(1-math.Exp(-x/15)) })
	if left, came := guess(nil, grows, 10); math.Abs(left/came-1) > 0.2 {
		t.Errorf("growing work: %g s left, %g came", left, came)
	}
	// the run before tells of two blasts; this one is 2.2 times as heavy
	blasts := series(80, func(x float64) float64 {
		return 0.1 + math.Exp(-(x-20)*(x-20)/50) + math.Exp(-(x-60)*(x-60)/50)
	})
	before := map[int]float64{}
	for i, s := range blasts {
		before[i+1] = s / 2.2
	}
	if left, came := guess(before, blasts, 10); math.Abs(left/came-1) > 0.05 {
		t.Errorf("known work: %g s left, %g came", left, came)
	}
	if left, _ := guess(before, append(blasts, 0.1, 0.1), 80); left <= 0 || left > 1 {
		t.Errorf("two frames beyond what was known: %g s", left)
	}
	if p := (pacer{}); p.left(1, 10) != 0 {
		t.Error("nothing made, and a guess")
	}
}
