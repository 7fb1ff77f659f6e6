package mote

import (
	"math"
	"slices"

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
	order, room := s.keys(crew), make([]uint64, n)
	// by ten bits at a time, the least first; each pass keeps the order of the one before
	for shift := 32; shift < 62; shift += 10 {
		var count [1<<10 + 1]int32
		for _, k := range order {
			count[k>>shift&1023+1]++
		}
		for i := range 1 << 10 {
			count[i+1] += count[i]
		}
		for _, k := range order {
			to := &count[k>>shift&1023]
			room[*to] = k
			*to++
		}
		order, room = room, order
	}
	columns := s.columns()
	if !s.Spins { // all are 0
		columns = slices.DeleteFunc(columns, func(c *[]float32) bool {
			return c == &s.Turn[0] || c == &s.Turn[1] || c == &s.Turn[2] || c == &s.Spin[0] || c == &s.Spin[1] || c == &s.Spin[2]
		})
	}
	for len(s.spare) < len(columns) {
		s.spare = append(s.spare, nil)
	}
	ids, states := make([]uint64, n), make([]uint8, n)
	crew.Each(len(columns)+1, 1, func(lo, hi int) {
		for c := lo; c < hi; c++ {
			if c == len(columns) {
				for to, k := range order {
					ids[to], states[to] = s.ID[uint32(k)], s.State[uint32(k)]
				}
				continue
			}
			old := *columns[c]
			now := slices.Grow(s.spare[c][:0], n)[:n]
			for to, k := range order {
				now[to] = old[uint32(k)]
			}
			*columns[c], s.spare[c] = now, old
		}
	})
	s.ID, s.State = ids, states
}

// keys are the particles' places on the curve, ten bits of each coordinate in turn, above
// their rows in the lower half.
func (s *Set) keys(crew grid.Crew) []uint64 {
	keys := make([]uint64, s.Len())
	var lo, by [3]float32
	for c := range 3 {
		least, most := float32(math.Inf(1)), float32(math.Inf(-1))
		for _, x := range s.P[c] {
			if x < least {
				least = x
			}
			if x > most {
				most = x
			}
		}
		if lo[c] = least; most > least {
			by[c] = 1023 / (most - least)
		}
	}
	crew.For(len(keys), 1<<12, func(a, b int) {
		for i := a; i < b; i++ {
			var k uint32
			for c := range 3 {
				k |= apart(uint32((s.P[c][i]-lo[c])*by[c])) << c
			}
			keys[i] = uint64(k)<<32 | uint64(i)
		}
	})
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
