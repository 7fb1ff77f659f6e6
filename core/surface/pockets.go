package surface

import (
	"slices"

	"zarf/core/geom"
)

// FillPockets fills what is outside (above 0), hangs together by faces in no more than most
// cells, and doesn't reach the lattice's border: gaps between particles under a surface. It
// returns how many cells it filled.
func FillPockets(l *Lattice, most int, work geom.Workers) (filled int) {
	if most <= 0 {
		return 0
	}
	// A pocket has a cell whose left neighbour is inside, and no straight way up that is longer
	// than it: few others do.
	found := make([][]int, l.N[2])
	work(l.N[2], 1, func(k0, k1 int) {
		for k := k0; k < k1; k++ {
			for j := range l.N[1] {
				row := l.V[l.At(0, j, k):][:l.N[0]]
				for i := 1; i < len(row); i++ {
					if row[i] > 0 && row[i-1] <= 0 && l.under(i, j, k, most) {
						found[k] = append(found[k], l.At(i, j, k))
					}
				}
			}
		}
	})
	p := pocket{l: l, most: most, open: map[int]bool{}}
	for _, list := range found {
		for _, c := range list {
			if l.V[c] > 0 && !p.open[c] && p.closed(c) {
				for _, at := range p.cells {
					l.V[at] = -0.25 * float32(l.H)
				}
				filled += len(p.cells)
			}
		}
	}
	return filled
}

// under reports a cell over which something is inside within so many cells.
func (l *Lattice) under(i, j, k, most int) bool {
	for up := j + 1; up <= min(j+most, l.N[1]-1); up++ {
		if l.V[l.At(i, up, k)] <= 0 {
			return true
		}
	}
	return false
}

// pocket looks for cells that hang together.
type pocket struct {
	l     *Lattice
	most  int
	cells []int
	open  map[int]bool // cells of which is known that they aren't a pocket's
}

// closed finds the cells that hang together with c, and says whether they are a pocket.
func (p *pocket) closed(c int) bool {
	l := p.l
	step := [3]int{1, l.N[0], l.N[0] * l.N[1]}
	p.cells = append(p.cells[:0], c)
	closed := true
	for n := 0; n < len(p.cells) && closed; n++ {
		at := p.cells[n]
		for a, q := range [3]int{at % l.N[0], at / step[1] % l.N[1], at / step[2]} {
			if q == 0 || q == l.N[a]-1 {
				closed = false
				break
			}
			for _, b := range [2]int{at - step[a], at + step[a]} {
				if l.V[b] > 0 && !slices.Contains(p.cells, b) {
					p.cells = append(p.cells, b)
					closed = closed && !p.open[b]
				}
			}
		}
		closed = closed && len(p.cells) <= p.most
	}
	if !closed {
		for _, at := range p.cells {
			p.open[at] = true
		}
	}
	return closed
}
