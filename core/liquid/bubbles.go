package liquid

// Air that liquid has closed in keeps its volume: its cells are part of the pressure's system, as
// light as air is against the liquid as far as that can be solved, so that what flows into such a
// region flows out of it. All other air gives way to anything.

// airEase is how much more easily air is moved than the liquid: enough that its own weight is
// of no account, and as little as that, for the solver's sake.
const airEase = 50

// leastBubble is how many voxels of air are a bubble; fewer are gaps between particles.
const leastBubble = 12

// bubbles are the closed-in cells of a substep.
type bubbles struct {
	cells []int32
	is    []bool
	ease  []float32 // of a liquid that is one: 1, and airEase in bubbles
	seen  []uint8
	list  []int32
}

// closeIn finds air that is closed in, and lets its cells count as liquid as light as air.
func (s *Solver) closeIn(on bool) {
	b := &s.bubble
	for _, c := range b.cells {
		b.is[c] = false
		if s.mixed == nil {
			b.ease[c] = 1
		}
	}
	if len(b.cells) > 0 && s.mixed == nil {
		s.ease = nil
	}
	b.cells = b.cells[:0]
	near := s.live.grow(1, s.Dims)
	if !on || near.empty() {
		return
	}
	if b.is == nil {
		b.is, b.seen = make([]bool, s.Len()), make([]uint8, s.Len())
		b.ease = make([]float32, s.Len())
		for c := range b.ease {
			b.ease[c] = 1
		}
	}
	s.rows(3, near, func(j, k, i0, i1 int) { clear(b.seen[s.Index(i0, j, k):s.Index(i1, j, k)]) })
	// what reaches the border of where liquid is, is open
	for k := near.lo[2]; k < near.hi[2]; k++ {
		for j := near.lo[1]; j < near.hi[1]; j++ {
			edge := k == near.lo[2] || k == near.hi[2]-1 || j == near.lo[1] || j == near.hi[1]-1
			for i := near.lo[0]; i < near.hi[0]; i++ {
				if edge || i == near.lo[0] || i == near.hi[0]-1 {
					s.hangs(s.Index(i, j, k), near)
				}
			}
		}
	}
	for k := near.lo[2]; k < near.hi[2]; k++ {
		for j := near.lo[1]; j < near.hi[1]; j++ {
			for i := near.lo[0]; i < near.hi[0]; i++ {
				found := s.hangs(s.Index(i, j, k), near)
				if len(found) < leastBubble {
					continue
				}
				for _, c := range found {
					b.is[c], s.wet[c] = true, true
					b.cells = append(b.cells, c)
				}
			}
		}
	}
	if len(b.cells) == 0 {
		return
	}
	if s.mixed == nil {
		s.ease = b.ease
	}
	for _, c := range b.cells {
		s.ease[c] = airEase
	}
}

// hangs goes through the air that hangs together with a cell, through open faces, and returns
// the cells; none where it is liquid, solid, or was seen before.
func (s *Solver) hangs(from int, near region) []int32 {
	b := &s.bubble
	air := func(c int) bool { return b.seen[c] == 0 && !s.wet[c] && s.solid.room.Data[c] > 0.1 }
	if !air(from) {
		return nil
	}
	b.seen[from] = 1
	b.list = append(b.list[:0], int32(from))
	step := [3]int{1, s.NX, s.NX * s.NY}
	for n := 0; n < len(b.list); n++ {
		c := int(b.list[n])
		at := [3]int{c % s.NX, c / s.NX % s.NY, c / step[2]}
		for a := range 3 {
			f := s.solid.open[a]
			lo := f.Index(at[0], at[1], at[2])
			hi := lo + [3]int{1, f.NX, f.NX * f.NY}[a]
			if at[a] > near.lo[a] && f.Data[lo] >= closed && air(c-step[a]) {
				b.seen[c-step[a]] = 1
				b.list = append(b.list, int32(c-step[a]))
			}
			if at[a] < near.hi[a]-1 && f.Data[hi] >= closed && air(c+step[a]) {
				b.seen[c+step[a]] = 1
				b.list = append(b.list, int32(c+step[a]))
			}
		}
	}
	return b.list
}

// bubbled reports a cell of a bubble.
func (s *Solver) bubbled(c int) bool { return len(s.bubble.cells) > 0 && s.bubble.is[c] }
