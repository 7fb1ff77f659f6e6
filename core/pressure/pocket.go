package pressure

// Parts of the fluid whose pressure nothing holds. Left alone, a single closed room
// would make the whole solve stall on a right side that has no solution.

import "zarf/core/grid"

// pocket is a connected part of the fluid that touches no open side: its
// pressure is known up to a constant only.
type pocket struct {
	pieces []piece
	count  int
}

// piece is a stretch of joined cells of one row.
type piece struct {
	o, n int // position in padded arrays, length
	j, k int
	up   int32 // towards the root of its part
}

// findPockets joins stretches of cells that touch through open faces, and
// keeps the parts that no p = 0 holds.
//
// Stretches of cells (a row's cells joined in x) are far fewer than cells, so that parting even a large domain is quick.
func (s *Solver) findPockets() {
	s.pocket = nil
	f := s.lv[0]
	// without solids there is one part, and it is shut in or not
	if !s.solids {
		if !s.open.Any() && s.tiles.Full() {
			whole := pocket{count: f.Len()}
			for k := range f.NZ {
				for j := range f.NY {
					whole.pieces = append(whole.pieces, piece{o: f.at(j, k), n: f.NX})
				}
			}
			s.pocket = []pocket{whole}
		}
		return
	}
	list, rows := f.pieces()
	// union–find over stretches with path halving: cells are far more than
	// stretches, and a row's stretches are found in one pass
	root := func(i int32) int32 {
		for list[i].up != i {
			list[i].up = list[list[i].up].up
			i = list[i].up
		}
		return i
	}
	join := func(row, beside grid.Span, w []float32, shift int, open bool) {
		// two sorted lists are walked like a merge; stretches that overlap with any
		// open face between them are joined
		a, b := row.Lo, beside.Lo
		for a < row.Hi && b < beside.Hi {
			p, q := &list[a], &list[b]
			lo, hi := max(p.o, q.o+shift), min(p.o+p.n, q.o+q.n+shift)
			for o := lo; o < hi; o++ {
				// where a row is fully open nothing needs to be fetched
				if open || w[o] > 0 {
					ra, rb := root(int32(a)), root(int32(b))
					// the smaller index becomes the root: the parts' order is that
					// of memory
					list[max(ra, rb)].up = min(ra, rb)
					break
				}
			}
			if p.o+p.n < q.o+q.n+shift {
				a++
			} else {
				b++
			}
		}
	}
	for k := range f.NZ {
		for j := range f.NY {
			open := !f.weighted(j, k)
			if j > 0 {
				join(rows[k*f.NY+j], rows[k*f.NY+j-1], f.wy, f.sy, open)
			}
			if k > 0 {
				join(rows[k*f.NY+j], rows[(k-1)*f.NY+j], f.wz, f.sz, open)
			}
		}
	}
	held := make([]bool, len(list))
	for i := range list {
		if r := root(int32(i)); !held[r] && f.held(list[i], s.open) {
			held[r] = true
		}
	}
	at := map[int32]int{}
	for i, p := range list {
		r := root(int32(i))
		if held[r] {
			continue
		}
		n, ok := at[r]
		if !ok {
			n = len(s.pocket)
			at[r] = n
			s.pocket = append(s.pocket, pocket{})
		}
		s.pocket[n].pieces = append(s.pocket[n].pieces, p)
		s.pocket[n].count += p.n
	}
}

// pieces lists the stretches of every row, and which of them are a row's.
// A stretch ends at a shut face, at a cell without an open one, and at the end of a
// span in use.
func (l *level) pieces() (list []piece, rows []grid.Span) {
	rows = make([]grid.Span, l.NY*l.NZ)
	list = make([]piece, 0, 2*len(rows))
	for k := range l.NZ {
		for j := range l.NY {
			first := len(list)
			o := l.at(j, k)
			open := !l.weighted(j, k) // as most rows are: each span is one stretch
			for _, s := range l.cells(j, k) {
				if open {
					list = append(list, piece{o: o + s.Lo, n: s.Hi - s.Lo, j: j, k: k, up: int32(len(list))})
					continue
				}
				for i := s.Lo; i < s.Hi; i++ {
					if l.diag[o+i] == 0 {
						continue
					}
					e := i + 1
					for e < s.Hi && l.diag[o+e] != 0 && l.wx[o+e] > 0 {
						e++
					}
					list = append(list, piece{o: o + i, n: e - i, j: j, k: k, up: int32(len(list))})
					i = e - 1
				}
			}
			rows[k*l.NY+j] = grid.Span{Lo: first, Hi: len(list)}
		}
	}
	return list, rows
}

// held reports that p = 0 touches a stretch: what its diagonals have beyond
// the faces to other cells. Faces on low sides are stored with the cell.
func (l *level) held(p piece, open Sides) bool {
	for c := p.o; c < p.o+p.n; c++ {
		var inner float32
		low := func(nb int, w float32) {
			if l.diag[nb] != 0 {
				inner += w
			}
		}
		low(c-1, l.wx[c])
		low(c-l.sy, l.wy[c])
		low(c-l.sz, l.wz[c])
		low(c+1, l.wx[c+1])
		low(c+l.sy, l.wy[c+l.sy])
		low(c+l.sz, l.wz[c+l.sz])
		// the diagonal holds all faces; what inner faces don't account for leads to
		// p = 0
		if l.diag[c] > inner*1.0001 {
			return true
		}
	}
	return false
}

// settle takes the mean over every pocket out of the right-hand side.
// In float64 and in a fixed order: the mean decides bits of everything after it.
func (s *Solver) settle(b []float32) {
	for _, p := range s.pocket {
		var sum float64
		for _, c := range p.pieces {
			var t float64
			for _, v := range b[c.o : c.o+c.n] {
				t += float64(v)
			}
			sum += t
		}
		mean := float32(sum / float64(p.count))
		for _, c := range p.pieces {
			row := b[c.o : c.o+c.n]
			for i := range row {
				row[i] -= mean
			}
		}
	}
}
