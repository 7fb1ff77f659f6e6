package drop

import (
	"math"
	"slices"

	"zarf/core/geom"
	"zarf/core/grid"
)

// cells sort drops by where they are: rows that follow each other are near each other.
type cells struct {
	key   []uint64 // of each drop, in order
	order []int32
	start []int32 // of each cell in use, and one more
	at    []uint64
}

// bits of a cell's number along an axis
const cellBits = 20

func cellOf(p geom.Vec3, h float64) uint64 {
	const half = 1 << (cellBits - 1)
	n := func(v float64) uint64 { return uint64(min(max(math.Floor(v/h)+half, 1), 2*half-2)) }
	return n(p.Z)<<(2*cellBits) | n(p.Y)<<cellBits | n(p.X)
}

// sorted puts drops in the order of their cells; columns that go along are put by order.
func (s *Set) sort() {
	n := len(s.P)
	type row struct {
		key uint64
		i   int32
	}
	rows := make([]row, n)
	for i, p := range s.P {
		rows[i] = row{cellOf(p, s.k.r), int32(i)}
	}
	slices.SortFunc(rows, func(a, b row) int {
		switch {
		case a.key < b.key:
			return -1
		case a.key > b.key:
			return 1
		}
		return int(s.ID[a.i]) - int(s.ID[b.i])
	})
	c := &s.cells
	c.start, c.at = c.start[:0], c.at[:0]
	s.order = slices.Grow(s.order[:0], n)[:n]
	for k, r := range rows {
		s.order[k] = r.i
		if k == 0 || r.key != rows[k-1].key {
			c.start, c.at = append(c.start, int32(k)), append(c.at, r.key)
		}
	}
	c.start = append(c.start, int32(n))
	s.P, s.V, s.ID = put(s.P, s.order), put(s.V, s.order), put(s.ID, s.order)
	s.Age, s.Press = put(s.Age, s.order), put(s.Press, s.order)
}

func put[T any](v []T, order []int32) []T {
	out := make([]T, len(v), cap(v))
	for k, i := range order {
		out[k] = v[i]
	}
	return out
}

// find gives every drop the list of those nearer than reach, itself not among them.
func (s *Set) find(crew grid.Crew) {
	n := len(s.P)
	s.from = slices.Grow(s.from[:0], n+1)[:n+1]
	c := &s.cells
	const piece = 64 // cells
	pieces := (len(c.at) + piece - 1) / piece
	s.lists = slices.Grow(s.lists[:0], pieces)[:pieces]
	s.of = slices.Grow(s.of[:0], n)[:n]
	reach := s.k.r * s.k.r * 1.1 // they move within the step
	crew.Each(pieces, 1, func(lo, hi int) {
		var spans [9][2]int32
		for b := lo; b < hi; b++ {
			list := s.lists[b][:0]
			for k := piece * b; k < min(piece*(b+1), len(c.at)); k++ {
				m := 0
				for dz := -1; dz <= 1; dz++ {
					for dy := -1; dy <= 1; dy++ {
						mid := uint64(int64(c.at[k]) + int64(dz)<<(2*cellBits) + int64(dy)<<cellBits)
						i, _ := slices.BinarySearch(c.at, mid-1)
						j := i
						for j < len(c.at) && c.at[j] <= mid+1 {
							j++
						}
						if j > i {
							spans[m] = [2]int32{c.start[i], c.start[j]}
							m++
						}
					}
				}
				for i := c.start[k]; i < c.start[k+1]; i++ {
					s.from[i], s.of[i] = int32(len(list)), int32(b)
					p := s.Q[i]
					for _, span := range spans[:m] {
						for j := span[0]; j < span[1]; j++ {
							if q := s.Q[j].Sub(p); q.Dot(q) < reach && j != i {
								list = append(list, j)
							}
						}
					}
				}
			}
			s.lists[b] = list
		}
	})
}

// near are the neighbours of a drop.
func (s *Set) near(i int) []int32 {
	list := s.lists[s.of[i]]
	if i+1 < len(s.P) && s.of[i+1] == s.of[i] {
		return list[s.from[i]:s.from[i+1]]
	}
	return list[s.from[i]:]
}
