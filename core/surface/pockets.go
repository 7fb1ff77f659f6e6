package surface

// FillPockets fills what is outside (above 0), hangs together by faces in no more than most
// cells, and doesn't reach the lattice's border: gaps between particles under a surface. It
// returns how many cells it filled.
func FillPockets(l *Lattice, most int) (filled int) {
	if most <= 0 {
		return 0
	}
	open := make([]bool, len(l.V))
	step := [3]int{1, l.N[0], l.N[0] * l.N[1]}
	var list []int
	// pocket finds the cells that hang together with c; none where they are too many, or reach
	// the border or what is known to be open.
	pocket := func(c int) []int {
		list = append(list[:0], c)
		open[c] = true // as found; what is filled doesn't matter any more
		closed := true
		for n := 0; n < len(list); n++ {
			at := list[n]
			p := [3]int{at % l.N[0], at / step[1] % l.N[1], at / step[2]}
			for a := range 3 {
				if p[a] == 0 || p[a] == l.N[a]-1 {
					closed = false
					continue
				}
				for _, b := range [2]int{at - step[a], at + step[a]} {
					switch {
					case l.V[b] <= 0:
					case open[b]:
						closed = closed && has(list, b)
					default:
						open[b] = true
						list = append(list, b)
					}
				}
			}
			if len(list) > most {
				closed = false
			}
			if !closed && n > most {
				break
			}
		}
		if !closed {
			return nil
		}
		return list
	}
	for c := range l.V {
		if l.V[c] <= 0 || open[c] {
			continue
		}
		if i := c % l.N[0]; i == 0 || l.V[c-1] > 0 { // a pocket has a cell whose left one is inside
			continue
		}
		for _, at := range pocket(c) {
			l.V[at] = -0.25 * float32(l.H)
			filled++
		}
	}
	return filled
}

func has(list []int, c int) bool {
	for _, at := range list {
		if at == c {
			return true
		}
	}
	return false
}
