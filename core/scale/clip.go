package scale

import (
	"fmt"
	"math"
	"slices"

	"zarf/core/shot"
	"zarf/core/sim"
)

// What a clip's front must have to be laid over a take's.
const (
	leastMarks = 4
	leastRise  = 0.02 // of the picture's height
	leastLap   = 0.5  // of the way of either
	samePace   = 1.08
	alike      = 0.15 // difference of fronts, of the way, up to which they go alike
)

// Heights is how high what can be seen reaches over where it was first seen, m, at times of the
// picture since the shot's first frame.
func Heights(s *shot.Shot, frames map[int]sim.Stats) (out []Point) {
	var order []int
	for n, f := range frames {
		if f.Bulk > 0 {
			order = append(order, n)
		}
	}
	slices.Sort(order)
	first, _ := s.Range()
	for _, n := range order {
		out = append(out, Point{T: float64(n-first) / s.Rate(), L: frames[n].High[1] - frames[order[0]].Low[1]})
	}
	return out
}

// Laid is a clip's front laid over a take's.
type Laid struct {
	Start  float64 // s of the clip at the shot's first frame
	Tall   float64 // m that the picture of the clip is tall
	Known  bool    // by a length that somebody knew
	Pace   float64 // how many times as fast the take goes; 1 where it isn't known
	Misfit float64 // mean difference of both, of the take's way
	Clip   []Point // the clip's front by the take's clock, m
	score  float64
}

// Lay finds when a clip has to begin, and how tall its picture is or, where that is known
// (tall > 0, m), how many times as fast the take goes, for its front to lie over a take's. The
// clip's marks are seconds and shares of its picture's height. It tells why nothing can be
// found.
func Lay(take, clip []Point, tall float64) (Laid, error) {
	if len(clip) < leastMarks {
		return Laid{}, fmt.Errorf("the clip's front has %d marks; at least %d are needed", len(clip), leastMarks)
	}
	rise := func(list []Point) (lo, hi float64) {
		lo, hi = math.Inf(1), math.Inf(-1)
		for _, p := range list {
			lo, hi = min(lo, p.L), max(hi, p.L)
		}
		return lo, hi
	}
	if lo, hi := rise(clip); hi-lo < leastRise {
		return Laid{}, fmt.Errorf("the clip's front doesn't move: its marks lie within %.1f %% of the picture's height. Mark it while it rises", 100*(hi-lo))
	}
	if len(take) < leastMarks {
		return Laid{}, fmt.Errorf("the take has %d frames with something to be seen; at least %d are needed", len(take), leastMarks)
	}
	if lo, hi := rise(take); !(hi > lo) {
		return Laid{}, fmt.Errorf("the take's front doesn't move")
	}
	f := fit{take: take, clip: clip, tall: tall}
	f.low, f.high = rise(take)
	f.clipLow, f.clipHigh = rise(clip)
	best := f.search()
	if math.IsInf(best.score, 1) {
		return Laid{}, fmt.Errorf("the clip's front and the take's have too little of their way in common")
	}
	for _, p := range clip {
		best.Clip = append(best.Clip, Point{T: (p.T - best.Start) / best.Pace, L: p.L * best.Tall})
	}
	best.Known = tall > 0
	return best, nil
}

// fit is a search for how a clip lies best.
type fit struct {
	take, clip        []Point
	tall              float64
	low, high         float64 // of the take's front, m
	clipLow, clipHigh float64
}

// search tries all starts, and paces where the size is known, and then finer ones round the
// best.
func (f *fit) search() Laid {
	span := f.take[len(f.take)-1].T
	from, to := f.clip[0].T-4*span, f.clip[len(f.clip)-1].T
	best := Laid{score: math.Inf(1), Pace: 1}
	paces := []float64{1}
	if f.tall > 0 {
		paces = nil
		for n := range 65 {
			paces = append(paces, math.Exp2(float64(n)/16-2))
		}
	}
	const starts = 400
	for _, p := range paces {
		for n := range starts + 1 {
			if l := f.at(from+(to-from)*float64(n)/starts, p); l.score < best.score {
				best = l
			}
		}
	}
	ds, dp := (to-from)/starts, math.Exp2(1.0/16)
	if f.tall <= 0 {
		dp = 1
	}
	for range 40 {
		now := best
		for _, s := range []float64{-ds, 0, ds} {
			for _, p := range []float64{1 / dp, 1, dp} {
				if l := f.at(now.Start+s, now.Pace*p); l.score < best.score {
					best = l
				}
			}
		}
		if best.score == now.score {
			ds, dp = ds/2, math.Sqrt(dp)
		}
	}
	return best
}

// at lays the clip with a start and a pace: what the take shows at t, it shows at start + pace·t.
func (f *fit) at(start, pace float64) Laid {
	l := Laid{Start: start, Pace: pace, Tall: f.tall, score: math.Inf(1)}
	var n, tc, cc, tt float64
	lo, hi, clo, chi := math.Inf(1), math.Inf(-1), math.Inf(1), math.Inf(-1)
	for _, p := range f.take {
		c, ok := between(f.clip, start+pace*p.T)
		if !ok {
			continue
		}
		n, tc, cc, tt = n+1, tc+p.L*c, cc+c*c, tt+p.L*p.L
		lo, hi, clo, chi = min(lo, p.L), max(hi, p.L), min(clo, c), max(chi, c)
	}
	// of the way of one of them most must be there, and enough of the other's
	whole, part := (hi-lo)/(f.high-f.low), (chi-clo)/(f.clipHigh-f.clipLow)
	if n < leastMarks || cc <= 0 || max(whole, part) < 0.8 || min(whole, part) < 0.2 || whole+part < 2*leastLap {
		return l
	}
	if l.Tall <= 0 {
		l.Tall = tc / cc
	}
	l.Misfit = math.Sqrt(max(0, tt-2*l.Tall*tc+l.Tall*l.Tall*cc)/n) / (hi - lo)
	l.score = l.Misfit * (1 + 0.5*(2-whole-part))
	return l
}

// between reads marks at a time; false: they begin later or have ended.
func between(list []Point, t float64) (float64, bool) {
	i, found := slices.BinarySearchFunc(list, t, func(p Point, t float64) int {
		switch {
		case p.T < t:
			return -1
		case p.T > t:
			return 1
		}
		return 0
	})
	if found {
		return list[i].L, true
	}
	if i == 0 || i == len(list) {
		return 0, false
	}
	a, b := list[i-1], list[i]
	return a.L + (b.L-a.L)*(t-a.T)/(b.T-a.T), true
}

// Alike reports fronts that go the same way.
func (l *Laid) Alike() bool { return l.Misfit <= alike }

// Slower is the time scale with which a take of one of now goes as fast as the clip; false: it
// does already, or that isn't known.
func (l *Laid) Slower(now float64) (float64, bool) {
	if !l.Known || !l.Alike() || l.Pace < samePace && l.Pace > 1/samePace {
		return now, false
	}
	return math.Round(now/l.Pace*100) / 100, true
}

// Says is what the two tell of each other.
func (l *Laid) Says(clip string) string {
	if !l.Alike() {
		return fmt.Sprintf("The take's front and that of %s don't go alike: they differ by %.0f %% of the way.", clip, 100*l.Misfit)
	}
	if !l.Known {
		return fmt.Sprintf("At the same pace the picture of %s is %s m tall. Is it? Mark a length that you know, and speeds are compared instead.", clip, shot.Short(shot.Tidy(l.Tall)))
	}
	// sizes read as length over speed squared (Froude)
	switch reads := 1 / (l.Pace * l.Pace); {
	case l.Pace >= samePace:
		return fmt.Sprintf("The take goes %.2f times as fast as %s: beside it, it reads as %.2f times as large.", l.Pace, clip, reads)
	case l.Pace <= 1/samePace:
		return fmt.Sprintf("The take goes %.2f times as fast as %s, which is too slow: beside it, it reads as %.1f times as large.", l.Pace, clip, reads)
	}
	return fmt.Sprintf("The take goes as fast as %s, and reads as large.", clip)
}
