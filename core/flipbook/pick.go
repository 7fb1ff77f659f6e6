package flipbook

import (
	"errors"
	"fmt"
	"math"
)

// Presence is how much of a frame there is to see: alpha and light, summed.
func Presence(t *Tile) float64 {
	sum := 0.0
	for i, a := range t.Planes[3] {
		sum += math.Abs(float64(a)) + math.Abs(float64(t.Planes[0][i]+t.Planes[1][i]+t.Planes[2][i]))/3
	}
	return sum / float64(len(t.Planes[3]))
}

// Visible is the share of the most that counts as something to see.
const Visible = 0.005

// Span finds the first and last frames in which there is something to see.
func Span(presence []float64) (first, last int, err error) {
	top := 0.0
	for _, v := range presence {
		top = max(top, v)
	}
	if !(top > 0) {
		return 0, 0, errors.New("every recorded frame is empty: there is nothing to make a flipbook of")
	}
	// ends: the frame with the most is itself over the threshold
	for first = 0; presence[first] < Visible*top; first++ {
	}
	for last = len(presence) - 1; presence[last] < Visible*top; last-- {
	}
	return first, last, nil
}

// Fit spreads n frames evenly from first to last; where there are fewer, some
// come twice.
func Fit(first, last, n int) []int {
	out := make([]int, n)
	for i := range out {
		t := 0.0
		if n > 1 {
			t = float64(i) / float64(n-1)
		}
		out[i] = first + int(math.Round(t*float64(last-first)))
	}
	return out
}

// Difference is the mean over pixels of how far red, green, blue and alpha lie
// apart, as roots so that it counts as the eye counts it.
func Difference(a, b *Tile) float64 {
	sum := 0.0
	for c := range 4 {
		p, q := a.Planes[c], b.Planes[c]
		for i := range p {
			d := root(p[i]) - root(q[i])
			sum += d * d
		}
	}
	return math.Sqrt(sum / float64(4*len(a.Planes[0])))
}

func root(v float32) float64 { return math.Sqrt(math.Max(0, float64(v))) }

// Seam tells how a loop closes.
type Seam struct {
	From, To int     // frames, To being the last that plays
	Jump     float64 // difference of the last frame and the first
	Mean     float64 // of a frame and the next within the loop
}

// Ratio is the jump over the mean change; 1 can't be seen.
func (s Seam) Ratio() float64 {
	if s.Mean == 0 {
		if s.Jump == 0 {
			return 1
		}
		return math.Inf(1)
	}
	return s.Jump / s.Mean
}

// Measure is the seam of tiles that play again and again.
func Measure(tiles []*Tile) Seam {
	s := Seam{To: len(tiles) - 1}
	if len(tiles) < 2 {
		return s
	}
	for i := 1; i < len(tiles); i++ {
		s.Mean += Difference(tiles[i-1], tiles[i])
	}
	s.Mean /= float64(len(tiles) - 1)
	s.Jump = Difference(tiles[len(tiles)-1], tiles[0])
	return s
}

// Cut finds the loop of n to most frames whose frame after the last is most
// like its first. small are the frames, maybe shrunken.
func Cut(small []*Tile, n, most int) (Seam, error) {
	if most < n {
		return Seam{}, fmt.Errorf("a loop of at least %d frames doesn't fit %d tiles: take more tiles, or a shorter loop", n, most)
	}
	if n < 2 || len(small) < n+1 {
		return Seam{}, fmt.Errorf("a loop of %d frames needs %d recorded ones, there are %d: record more or loop fewer", n, n+1, len(small))
	}
	best, at := math.Inf(1), Seam{}
	// every pair of frames that are a loop's length apart: n² comparisons of small
	// tiles
	for a := 0; a+n < len(small); a++ {
		for b := a + n; b < len(small) && b-a <= most; b++ { // b would follow b−1, a does
			if d := Difference(small[a], small[b]); d < best {
				best, at = d, Seam{From: a, To: b - 1}
			}
		}
	}
	m := Measure(small[at.From : at.To+1])
	at.Jump, at.Mean = m.Jump, m.Mean
	return at, nil
}

// Blend makes frames[lead:] a loop: its last lead frames go over into those
// before its first, so that the first follows the last.
func Blend(frames []*Tile, lead int) ([]*Tile, error) {
	n := len(frames) - lead
	if lead < 1 || n < lead+1 {
		return nil, fmt.Errorf("going over in %d frames needs %d recorded ones, there are %d", lead, 2*lead+1, len(frames))
	}
	out := append([]*Tile(nil), frames[lead:]...)
	for i := range lead {
		// neither end is a copy: the frame after the last blended one is the loop's
		// first
		t := float64(i+1) / float64(lead+1)
		out[n-lead+i] = Mix(frames[len(frames)-lead+i], frames[i], t)
	}
	return out, nil
}
