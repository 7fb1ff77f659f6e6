package mote

import (
	"math"

	"zarf/core/grid"
)

// Gather puts particles side by side that are near each other, in the order of a curve
// that fills space (Morton 1966): what they read of fluids then lies in the cache, where
// else each would wait for memory. The order of rows changes; that among those in the same
// 1024th of the cloud's extent along each axis stays.
func (s *Set) Gather(crew grid.Crew) {
	n := s.Len()
	if n < 2 {
		return
	}
	keys := s.keys(crew)
	order, room := make([]int32, n), make([]int32, n)
	for i := range order {
		order[i] = int32(i)
	}
	// by ten bits at a time, the least first; each pass keeps the order of the one before
	for shift := 0; shift < 30; shift += 10 {
		var count [1<<10 + 1]int32
		for _, k := range keys {
			count[k>>shift&1023+1]++
		}
		for i := range 1 << 10 {
			count[i+1] += count[i]
		}
		for _, i := range order {
			k := keys[i] >> shift & 1023
			room[count[k]] = i
			count[k]++
		}
		order, room = room, order
	}
	columns := s.columns()
	ids, states := make([]uint64, n), make([]uint8, n)
	crew.Each(len(columns)+1, 1, func(lo, hi int) {
		for c := lo; c < hi; c++ {
			if c == len(columns) {
				for to, from := range order {
					ids[to], states[to] = s.ID[from], s.State[from]
				}
				continue
			}
			old := *columns[c]
			now := make([]float32, n, cap(old))
			for to, from := range order {
				now[to] = old[from]
			}
			*columns[c] = now
		}
	})
	s.ID, s.State = ids, states
}

// keys are the particles' places on the curve: ten bits of each coordinate in turn.
func (s *Set) keys(crew grid.Crew) []uint32 {
	keys := make([]uint32, s.Len())
	for c := range 3 {
		lo, hi := float32(math.Inf(1)), float32(math.Inf(-1))
		for _, x := range s.P[c] {
			lo, hi = min(lo, x), max(hi, x)
		}
		by := float32(0)
		if hi > lo {
			by = 1023 / (hi - lo)
		}
		crew.For(len(keys), 1<<12, func(a, b int) {
			for i := a; i < b; i++ {
				keys[i] |= apart(uint32((s.P[c][i]-lo)*by)) << c
			}
		})
	}
	return keys
}

// apart moves ten bits two places apart.
func apart(x uint32) uint32 {
	x &= 1023
	x = (x | x<<16) & 0x030000ff
	x = (x | x<<8) & 0x0300f00f
	x = (x | x<<4) & 0x030c30c3
	return (x | x<<2) & 0x09249249
}
