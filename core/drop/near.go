package drop

import (
	"math"
	"slices"

	"zarf/core/geom"
	"zarf/core/grid"
	"zarf/core/vec"
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
	s.Age, s.Press, s.On = put(s.Age, s.order), put(s.Press, s.order), put(s.On, s.order)
}

func put[T any](v []T, order []int32) []T {
	out := make([]T, len(v), cap(v))
	for k, i := range order {
		out[k] = v[i]
	}
	return out
}

// run is of drops in the order of their cells, and the lists of who is near each, as the
// kernels of core/vec take them.
type run struct {
	first int
	list  []int32
	from  []int32 // of each drop, and one more
	many  []int32 // of each drop, before its list is filled up
	sums  []float32
}

// perRun is how many cells there are in one.
const perRun = 64

// find gives every drop the list of those nearer than reach, itself not among them.
func (s *Set) find(crew grid.Crew) {
	n := len(s.P)
	c := &s.cells
	runs := (len(c.at) + perRun - 1) / perRun
	s.runs = slices.Grow(s.runs[:0], runs)[:runs]
	s.of = slices.Grow(s.of[:0], n)[:n]
	s.write(crew)
	reach := float32(s.k.r * s.k.r * 1.1) // they move within the step
	crew.Each(runs, 1, func(lo, hi int) {
		for b := lo; b < hi; b++ {
			s.list(b, reach)
		}
	})
}

// list makes the lists of a run.
func (s *Set) list(b int, reach float32) {
	c, k := &s.cells, &s.runs[b]
	k.first, k.list, k.from, k.many = int(c.start[perRun*b]), k.list[:0], append(k.from[:0], 0), k.many[:0]
	nobody := int32(4 * len(s.P))
	var spans [9][2]int32
	for cell := perRun * b; cell < min(perRun*(b+1), len(c.at)); cell++ {
		m := 0
		for dz := -1; dz <= 1; dz++ {
			for dy := -1; dy <= 1; dy++ {
				mid := uint64(int64(c.at[cell]) + int64(dz)<<(2*cellBits) + int64(dy)<<cellBits)
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
		for i := c.start[cell]; i < c.start[cell+1]; i++ {
			s.of[i] = int32(b)
			before := len(k.list)
			for _, span := range spans[:m] {
				if span[0] <= i && i < span[1] { // not itself
					k.list = s.nearer(k.list, i, span[0], i, reach)
					span[0] = i + 1
				}
				k.list = s.nearer(k.list, i, span[0], span[1], reach)
			}
			k.many = append(k.many, int32(len(k.list)-before))
			for len(k.list)%vec.Lanes != 0 {
				k.list = append(k.list, nobody)
			}
			k.from = append(k.from, int32(len(k.list)))
		}
	}
}

// nearer appends who of the drops from lo to hi is nearer to one than a root of reach. All are written
// down, and those that are not are written over: which one it is can't be foretold, and a processor
// that guesses wrong loses more.
func (s *Set) nearer(list []int32, i, lo, hi int32, reach float32) []int32 {
	if hi <= lo {
		return list
	}
	n := len(list)
	list = slices.Grow(list, int(hi-lo))[:n+int(hi-lo)]
	p := s.rec[4*i:][:3]
	px, py, pz := p[0], p[1], p[2]
	rows := s.rec[4*lo : 4*hi]
	for j := lo; j < hi; j++ {
		q := rows[:4:4]
		rows = rows[4:]
		x, y, z := q[0]-px, q[1]-py, q[2]-pz
		list[n] = 4 * j
		n += int(math.Float32bits(x*x+y*y+z*z-reach) >> 31)
	}
	return list[:n]
}

// write puts places in the kernels' records, as seen from the middle of all.
func (s *Set) write(crew grid.Crew) {
	n := len(s.P)
	s.rec = slices.Grow(s.rec[:0], 4*(n+1))[:4*(n+1)]
	crew.For(n, 1024, func(lo, hi int) {
		for i := lo; i < hi; i++ {
			s.record(i)
		}
	})
	copy(s.rec[4*n:], []float32{1e15, 1e15, 1e15, 0}) // nobody
}

func (s *Set) record(i int) {
	p, r := s.Q[i].Sub(s.mid), s.rec[4*i:][:3]
	r[0], r[1], r[2] = float32(p.X), float32(p.Y), float32(p.Z)
}

// each calls fn for every drop with what a kernel sums up over those near it.
func (s *Set) each(crew grid.Crew, many int, kernel func(out, rec []float32, list, from []int32, first int, inv float32), fn func(i int, sums []float32)) {
	inv := float32(1 / (s.k.r * s.k.r))
	crew.Each(len(s.runs), 1, func(lo, hi int) {
		for b := lo; b < hi; b++ {
			k := &s.runs[b]
			n := len(k.many)
			k.sums = slices.Grow(k.sums[:0], many*n)[:many*n]
			kernel(k.sums, s.rec, k.list, k.from, k.first, inv)
			for i := range n {
				fn(k.first+i, k.sums[many*i:][:many])
			}
		}
	})
}

// near calls fn for the neighbours of a drop.
func (s *Set) near(i int, fn func(j int32)) {
	k := &s.runs[s.of[i]]
	at := i - k.first
	for _, j := range k.list[k.from[at]:][:k.many[at]] {
		fn(j / 4)
	}
}
