package pressure

// pocket is a connected part of the fluid that touches no open side: its
// pressure is known up to a constant only.
type pocket struct {
	cells []int32 // positions in padded arrays; nil: the whole box
	count int
}

// findPockets labels the closed parts. Without solids it is all or nothing.
func (s *Solver) findPockets() {
	s.pocket = nil
	f := s.lv[0]
	if !s.solids {
		if !s.open.Any() {
			s.pocket = []pocket{{count: f.Len()}}
		}
		return
	}
	seen := make([]bool, len(f.diag))
	var stack, cells []int32
	for k := range f.NZ {
		for j := range f.NY {
			o := f.at(j, k)
			for i := range f.NX {
				start := o + i
				if seen[start] || f.diag[start] == 0 {
					continue
				}
				grounded := false
				stack, cells = append(stack[:0], int32(start)), cells[:0]
				seen[start] = true
				for len(stack) > 0 {
					c := int(stack[len(stack)-1])
					stack = stack[:len(stack)-1]
					cells = append(cells, int32(c))
					visit := func(nb int, w float32) {
						if w <= 0 {
							return
						}
						if f.diag[nb] != 0 && !seen[nb] {
							seen[nb] = true
							stack = append(stack, int32(nb))
						}
					}
					inner := f.wx[c] + f.wy[c] + f.wz[c]
					visit(c-1, f.wx[c])
					visit(c-f.sy, f.wy[c])
					visit(c-f.sz, f.wz[c])
					for _, up := range [3]int{1, f.sy, f.sz} {
						nb := c + up
						if f.diag[nb] == 0 {
							continue
						}
						w := f.wx[nb]
						if up == f.sy {
							w = f.wy[nb]
						} else if up == f.sz {
							w = f.wz[nb]
						}
						visit(nb, w)
						inner += w
					}
					// what the diagonal has beyond faces to fluid cells is p = 0
					if f.touchesOpen(c, s.open) || f.diag[c] > inner*1.0001 {
						grounded = true
					}
				}
				if !grounded {
					s.pocket = append(s.pocket, pocket{cells: append([]int32(nil), cells...), count: len(cells)})
				}
			}
		}
	}
}

// touchesOpen reports a cell with an open face on an open side.
func (l *level) touchesOpen(c int, open Sides) bool {
	rel := c - pad
	k := rel/l.sz - 1
	j := rel%l.sz/l.sy - 1
	i := rel % l.sz % l.sy
	return (open[0] && i == 0 && l.wx[c] > 0) ||
		(open[2] && j == 0 && l.wy[c] > 0) ||
		(open[4] && k == 0 && l.wz[c] > 0)
}

// settle takes the mean over every pocket out of the right-hand side.
func (s *Solver) settle(b []float32) {
	f := s.lv[0]
	for _, p := range s.pocket {
		if p.cells == nil {
			mean := float32(s.sums(func(o, n int) float64 {
				var t float64
				for _, v := range b[o : o+n] {
					t += float64(v)
				}
				return t
			}) / float64(p.count))
			for k := range f.NZ {
				for j := range f.NY {
					row := f.row(b, j, k)[:f.NX]
					for i := range row {
						row[i] -= mean
					}
				}
			}
			continue
		}
		var sum float64
		for _, c := range p.cells {
			sum += float64(b[c])
		}
		mean := float32(sum / float64(p.count))
		for _, c := range p.cells {
			b[c] -= mean
		}
	}
}
