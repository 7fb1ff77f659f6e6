package run

import "slices"

// pacer guesses how long the frames to come will take.
type pacer struct {
	before map[int]float64 // seconds of each frame in an earlier run of the like; may be nil
	took   []float64
	known  float64 // of before, over the frames that were made
	made   float64
}

// frame notes that a frame took so many seconds.
func (p *pacer) frame(n int, seconds float64) {
	p.took = append(p.took, seconds)
	if b := p.before[n]; b > 0 {
		p.known += b
		p.made += seconds
	}
}

// left is the guess for frames from…to, in seconds. An earlier run tells how
// the work is spread over its frames; what it doesn't tell goes by a line
// through the frames so far, fitted so that the late ones count more, that is
// followed half way: work grows with the fluid, but not without end.
func (p *pacer) left(from, to int) float64 {
	if len(p.took) == 0 || to < from {
		return 0
	}
	scale := 0.0
	if len(p.took) >= 3 && p.known > 0 {
		scale = p.made / p.known
	}
	// weighted least squares, half the weight every eight frames back
	var w, wx, wy, wxx, wxy float64
	g := 1.0
	for i := len(p.took) - 1; i >= 0; i-- {
		x, y := float64(i), p.took[i]
		w, wx, wy, wxx, wxy = w+g, wx+g*x, wy+g*y, wxx+g*x*x, wxy+g*x*y
		g *= 0.917
	}
	slope := 0.0
	if d := w*wxx - wx*wx; d > 1e-9 && len(p.took) >= 4 {
		slope = (w*wxy - wx*wy) / d
	}
	now := wy/w + slope*(float64(len(p.took)-1)-wx/w)
	floor := slices.Min(p.took)
	sum := 0.0
	for n := from; n <= to; n++ {
		if b := p.before[n]; b > 0 && scale > 0 {
			sum += b * scale
			continue
		}
		ahead := float64(n - from + 1)
		sum += max(floor, now+slope*min(ahead, 24)*0.5)
	}
	return sum
}
