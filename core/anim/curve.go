package anim

// Curves through keys. A curve is a function of its keys and the frame alone: no
// state, so that any frame can be asked in any order, by any thread.

import (
	"math"
	"slices"

	"zarf/core/noise"
)

// Way is how a value runs on from a key to the next.
// Words as they stand in shot files; the empty one is the usual.
type Way string

// The ways.
const (
	Ease    Way = ""        // flat at the key
	Through Way = "through" // smooth through the key, without overshoot
	Ramp    Way = "ramp"    // straight to the next
	Hold    Way = "hold"    // stays until the next
	Free    Way = "free"    // by its own slopes
)

// Ways lists them all.
var Ways = []Way{Ease, Through, Ramp, Hold, Free}

// After is what a curve does after its last key.
// Before its first key a value always stays: what an artist sees at the first key
// began there.
type After string

// What a curve can do after its last key. Nothing means that the value stays.
const (
	Stay   After = ""
	Repeat After = "repeat" // from the first key again
	Onward After = "onward" // again, beginning where it ended
	Mirror After = "mirror" // back and forth
)

// Afters lists them all.
var Afters = []After{Stay, Repeat, Onward, Mirror}

// Key is a value at a frame: one number, or three.
type Key struct {
	Frame float64
	Value [3]float64
	Way   Way
	In    [3]float64 // slope towards the key, a frame; of Free only
	Out   [3]float64 // slope from the key on, a frame; of Free only
}

// Extra is what a curve does besides running through its keys.
// Noise needs a period above 0 to count.
type Extra struct {
	After  After
	Amount float64 // of noise, in the value's unit, either way
	Period float64 // of noise, frames from one bump to the next
	Seed   int
}

// At is the value at a frame of keys that stand in order, of which there is at
// least one. A jump may be asked at its frame: the key there counts.
func At(keys []Key, x Extra, frame float64) [3]float64 {
	// Noise is added after the loop: a loop with noise on it doesn't repeat its
	// noise.
	v := run(keys, x.After, frame)
	if x.Amount != 0 && x.Period > 0 {
		for a := range v {
			// Three seeds for the three parts, or a place would shake along a
			// diagonal alone.
			v[a] += x.Amount * noise.Octaves(uint64(x.Seed)*3+uint64(a), 2, frame/x.Period, 0.5, 0.5)
		}
	}
	return v
}

// run is the curve without its noise. Beyond its last key it is held, or goes on
// again and again: as it was, backwards every second time, or from where it ended.
func run(keys []Key, after After, frame float64) [3]float64 {
	first, last := keys[0], keys[len(keys)-1]
	if span := last.Frame - first.Frame; span > 0 && frame > last.Frame && after != Stay {
		// How many whole runs have gone by; f is where in its run the frame lies.
		n := math.Floor((frame - first.Frame) / span)
		f := frame - n*span
		switch after {
		case Mirror:
			if int64(n)%2 != 0 {
				f = last.Frame - (f - first.Frame)
			}
		case Onward:
			v := run(keys, Stay, f)
			for a := range v {
				v[a] += n * (last.Value[a] - first.Value[a])
			}
			return v
		}
		return run(keys, Stay, f)
	}
	n, exact := slices.BinarySearchFunc(keys, frame, func(k Key, f float64) int {
		switch {
		case k.Frame < f:
			return -1
		case k.Frame > f:
			return 1
		}
		return 0
	})
	switch {
	case exact:
		return keys[n].Value
	case n == 0:
		return first.Value
	case n == len(keys):
		return last.Value
	}
	return between(keys, n, frame)
}

// between is the value between keys n−1 and n: a cubic Hermite by their slopes.
func between(keys []Key, n int, frame float64) [3]float64 {
	a, b := &keys[n-1], &keys[n]
	// The next key's own frame is met exactly above, so the jump is at it and not
	// before.
	if a.Way == Hold {
		return a.Value
	}
	d := b.Frame - a.Frame
	t := (frame - a.Frame) / d
	t2, t3 := t*t, t*t*t
	var out [3]float64
	for x := range out {
		chord := (b.Value[x] - a.Value[x]) / d
		// The key that the curve comes from decides; slopes don't count.
		if a.Way == Ramp {
			out[x] = a.Value[x] + chord*(frame-a.Frame)
			continue
		}
		m0, m1 := slope(keys, n-1, x, a.Out[x]), slope(keys, n, x, b.In[x])
		// Towards a key that goes on straight the curve comes in straight.
		if b.Way == Ramp {
			m1 = chord
		}
		out[x] = (2*t3-3*t2+1)*a.Value[x] + (t3-2*t2+t)*d*m0 + (3*t2-2*t3)*b.Value[x] + (t3-t2)*d*m1
	}
	return out
}

// slope at key n of part x, a frame. Through takes the harmonic mean of the
// chords on both sides, which can't overshoot (Fritsch and Butland 1984).
func slope(keys []Key, n, x int, free float64) float64 {
	switch keys[n].Way {
	case Free:
		return free
	case Through:
		if n == 0 || n == len(keys)-1 {
			return 0
		}
		h0, h1 := keys[n].Frame-keys[n-1].Frame, keys[n+1].Frame-keys[n].Frame
		c0, c1 := (keys[n].Value[x]-keys[n-1].Value[x])/h0, (keys[n+1].Value[x]-keys[n].Value[x])/h1
		// A turning point is flat.
		if c0*c1 <= 0 {
			return 0
		}
		w0, w1 := 2*h1+h0, h1+2*h0
		return (w0 + w1) / (w0/c0 + w1/c1)
	}
	return 0
}
