package render

import "math"

// Blue is a square of n by n thresholds from 0 to 255 whose noise has no low frequencies,
// and which tiles: by voids and clusters (Ulichney 1993). Steps of a march that begin a
// share of their length later, by the pixel, turn slices into a grain too fine to be seen.
func Blue(n int) []byte {
	p := newPattern(n)
	few := max(n*n/10, 1)
	p.scatter(few)
	p.even()
	rank := make([]int, n*n)
	first := append([]bool(nil), p.taken...)
	for m := few - 1; m >= 0; m-- { // the first ones, by how crowded they are
		at := p.find(true)
		rank[at] = m
		p.put(at, -1)
	}
	for at, t := range first {
		if t {
			p.put(at, 1)
		}
	}
	for m := few; m < n*n; m++ { // and the rest into the largest gaps
		at := p.find(false)
		rank[at] = m
		p.put(at, 1)
	}
	out := make([]byte, n*n)
	for at, r := range rank {
		out[at] = byte(r * 256 / (n * n))
	}
	return out
}

// pattern is which places of a square that tiles are taken, and how crowded each is.
type pattern struct {
	n     int
	taken []bool
	crowd []float64
	near  [(2*patternReach + 1) * (2*patternReach + 1)]float64 // what one that is taken adds round it
}

const patternReach = 6

func newPattern(n int) *pattern {
	p := &pattern{n: n, taken: make([]bool, n*n), crowd: make([]float64, n*n)}
	const sigma = 1.5
	m := 0
	for y := -patternReach; y <= patternReach; y++ {
		for x := -patternReach; x <= patternReach; x++ {
			p.near[m] = math.Exp(-float64(x*x+y*y) / (2 * sigma * sigma))
			m++
		}
	}
	return p
}

// put takes a place, or with -1 frees it.
func (p *pattern) put(at int, sign float64) {
	p.taken[at] = sign > 0
	n, m := p.n, 0
	for y := -patternReach; y <= patternReach; y++ {
		row := (at/n + y + patternReach*n) % n * n
		for x := -patternReach; x <= patternReach; x++ {
			p.crowd[row+(at%n+x+patternReach*n)%n] += sign * p.near[m]
			m++
		}
	}
}

// find is the most crowded of the places that are taken, or the least of the others.
func (p *pattern) find(taken bool) int {
	best := -1
	for at, t := range p.taken {
		if t == taken && (best < 0 || taken && p.crowd[at] > p.crowd[best] || !taken && p.crowd[at] < p.crowd[best]) {
			best = at
		}
	}
	return best
}

// scatter takes some places at random, the same ones each time.
func (p *pattern) scatter(few int) {
	state := uint32(1)
	for few > 0 {
		state = state*1664525 + 1013904223
		if at := int(state>>8) % len(p.taken); !p.taken[at] {
			p.put(at, 1)
			few--
		}
	}
}

// even moves those from the thickest crowd to the largest gap, until that is the same.
func (p *pattern) even() {
	for range 4 * len(p.taken) {
		from := p.find(true)
		p.put(from, -1)
		to := p.find(false)
		p.put(to, 1)
		if to == from {
			break
		}
	}
}
