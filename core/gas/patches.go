package gas

// patches are blocks of 4³ cells that something lies in, so that work beside it passes by
// what is far from it, a block at a time.
type patches struct {
	n  [3]int
	on []bool
}

const (
	patchBits = 2 // of a cell's place that lie within a block
	patchSize = 1 << patchBits
)

func newPatches(cells [3]int) *patches {
	p := &patches{}
	for a, n := range cells {
		p.n[a] = (n + patchSize - 1) >> patchBits
	}
	p.on = make([]bool, p.n[0]*p.n[1]*p.n[2])
	return p
}

// row is the index of the first block of a row of cells, those beyond the box taken for the
// nearest in it.
func (p *patches) row(j, k int) int {
	return (min(max(k>>patchBits, 0), p.n[2]-1)*p.n[1] + min(max(j>>patchBits, 0), p.n[1]-1)) * p.n[0]
}

func (p *patches) mark(i, j, k int) {
	p.on[p.row(j, k)+min(max(i>>patchBits, 0), p.n[0]-1)] = true
}

// grown are all blocks with a cell no farther from a marked block's than reach along each
// axis.
func (p *patches) grown(reach int) *patches {
	r := (reach + patchSize - 1) >> patchBits
	from := p
	for a, step := range [3]int{1, p.n[0], p.n[0] * p.n[1]} {
		to := &patches{p.n, make([]bool, len(p.on))}
		for m, on := range from.on {
			if !on {
				continue
			}
			at := m / step % p.n[a]
			for d := max(-r, -at); d <= min(r, p.n[a]-1-at); d++ {
				to.on[m+d*step] = true
			}
		}
		from = to
	}
	return from
}

// runs calls fn for the stretches of cells lo to hi of a row that lie in marked blocks.
func (p *patches) runs(lo, hi, j, k int, fn func(lo, hi int)) {
	row := p.on[p.row(j, k):][:p.n[0]]
	for i := lo; i < hi; {
		from := i
		for i < hi && row[min(max(i>>patchBits, 0), len(row)-1)] {
			i = min((i>>patchBits+1)<<patchBits, hi)
		}
		if i > from {
			fn(from, i)
		}
		for i < hi && !row[min(max(i>>patchBits, 0), len(row)-1)] {
			i = min((i>>patchBits+1)<<patchBits, hi)
		}
	}
}
