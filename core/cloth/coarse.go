package cloth

import (
	"math"
	"slices"

	"zarf/core/grid"

	"zarf/core/geom"
)

// coarse is a second level for the preconditioner: patches of cloth that move as a whole, so that
// a pull goes from end to end at once. Its matrix is that of the fine one summed over patches.
type coarse struct {
	of    []int32 // patch of each vertex
	n     int
	start []int32 // blocks of each row
	col   []int32
	block []float64
	at    []int32 // of each fine block, the coarse one that it adds to
	ldl   *envelope
	b     []float64
}

// perPatch is about how many vertices move together.
const perPatch = 48

// newCoarse gathers vertices that are near each other on the cloth.
func newCoarse(m *matrix) *coarse {
	if m.n < 4*perPatch {
		return nil
	}
	c := &coarse{of: make([]int32, m.n)}
	for i := range c.of {
		c.of[i] = -1
	}
	// patch after patch, each grown from a vertex beside those before, so that rows that are
	// coupled are near each other
	var front []int32
	next := 0
	for {
		seed := int32(-1)
		for len(front) > 0 && seed < 0 {
			if v := front[0]; c.of[v] < 0 {
				seed = v
			}
			front = front[1:]
		}
		for ; seed < 0 && next < m.n; next++ {
			if c.of[next] < 0 {
				seed = int32(next)
			}
		}
		if seed < 0 {
			break
		}
		patch := []int32{seed}
		c.of[seed] = int32(c.n)
		for k := 0; k < len(patch) && len(patch) < perPatch; k++ {
			v := patch[k]
			for at := m.start[v]; at < m.start[v+1] && len(patch) < perPatch; at++ {
				if w := m.col[at]; c.of[w] < 0 {
					c.of[w] = int32(c.n)
					patch = append(patch, w)
				}
			}
		}
		for _, v := range patch {
			for at := m.start[v]; at < m.start[v+1]; at++ {
				if w := m.col[at]; c.of[w] < 0 {
					front = append(front, w)
				}
			}
		}
		c.n++
	}
	c.lay(m)
	return c
}

// lay finds the pairs of patches that share a face.
func (c *coarse) lay(m *matrix) {
	rows := make([][]int32, c.n)
	for i := range m.n {
		for at := m.start[i]; at < m.start[i+1]; at++ {
			rows[c.of[i]] = append(rows[c.of[i]], c.of[m.col[at]])
		}
	}
	c.start = make([]int32, c.n+1)
	for r, list := range rows {
		slices.Sort(list)
		c.col = append(c.col, slices.Compact(list)...)
		c.start[r+1] = int32(len(c.col))
	}
	c.block = make([]float64, 9*len(c.col))
	c.at = make([]int32, len(m.col))
	for i := range m.n {
		r := c.of[i]
		for at := m.start[i]; at < m.start[i+1]; at++ {
			k, _ := slices.BinarySearch(c.col[c.start[r]:c.start[r+1]], c.of[m.col[at]])
			c.at[at] = c.start[r] + int32(k)
		}
	}
	c.b = make([]float64, 3*c.n)
	c.ldl = newEnvelope(c)
}

// prepare sums the fine matrix up, and factors it. Bending is left out: it is weak over patches.
func (c *coarse) prepare(m *matrix, by float64, crew grid.Crew) {
	if c == nil {
		return
	}
	clear(c.block)
	for i := range m.n {
		if m.fixed[i] {
			continue
		}
		for at := m.start[i]; at < m.start[i+1]; at++ {
			if m.fixed[m.col[at]] {
				continue
			}
			to, from := c.block[9*c.at[at]:][:9:9], m.block[9*at:][:9:9]
			for k := range 9 {
				to[k] += from[k]
			}
		}
	}
	c.ldl.factor(c)
}

// add is the coarse part of the preconditioner.
func (c *coarse) add(m *matrix, r, z []geom.Vec3, crew grid.Crew) {
	if c == nil {
		return
	}
	clear(c.b)
	for i, p := range r {
		if !m.fixed[i] {
			o := 3 * c.of[i]
			c.b[o] += p.X
			c.b[o+1] += p.Y
			c.b[o+2] += p.Z
		}
	}
	c.ldl.solve(c.b)
	for i := range z {
		if !m.fixed[i] {
			o := 3 * c.of[i]
			z[i].X += c.b[o]
			z[i].Y += c.b[o+1]
			z[i].Z += c.b[o+2]
		}
	}
}

// envelope is a Cholesky factor whose rows are kept from their first number on.
type envelope struct {
	first []int32 // of each row, the first column that isn't 0
	at    []int   // of each row, where that is kept
	v     []float64
}

func newEnvelope(c *coarse) *envelope {
	e := &envelope{}
	size := 0
	for r := range c.n {
		lo := c.col[c.start[r]] // in order: the first is the least
		for a := range 3 {
			row := 3*r + a
			e.first = append(e.first, 3*min(lo, int32(r)))
			e.at = append(e.at, size)
			size += row - int(e.first[row]) + 1
		}
	}
	e.v = make([]float64, size)
	return e
}

// row is a row, as if it began at column 0.
func (e *envelope) row(r int) (first int, v []float64) {
	first = int(e.first[r])
	return first, e.v[e.at[r]:][:r-first+1]
}

// factor is A = L Lᵀ, row by row (George and Liu 1981, §4.2); what doesn't move is 1.
func (e *envelope) factor(c *coarse) {
	clear(e.v)
	for r := range c.n {
		for k := c.start[r]; k < c.start[r+1]; k++ {
			if q := int(c.col[k]); q <= r {
				for a := range 3 {
					for b := range 3 {
						if row, col := 3*r+a, 3*q+b; col <= row {
							e.v[e.at[row]+col-int(e.first[row])] = c.block[9*int(k)+3*a+b]
						}
					}
				}
			}
		}
	}
	for i := range e.first {
		fi, ri := e.row(i)
		for j := fi; j < i; j++ {
			fj, rj := e.row(j)
			lo := max(fi, fj)
			s := ri[j-fi]
			a, b := ri[lo-fi:j-fi], rj[lo-fj:j-fj]
			for k := range a {
				s -= a[k] * b[k]
			}
			ri[j-fi] = s / rj[j-fj]
		}
		d := ri[i-fi]
		for _, v := range ri[:i-fi] {
			d -= v * v
		}
		if d > 1e-12*max(ri[i-fi], 1e-300) {
			ri[i-fi] = math.Sqrt(d)
		} else {
			ri[i-fi] = math.Inf(1) // nothing moves there
		}
	}
}

// solve is in place.
func (e *envelope) solve(b []float64) {
	for i := range e.first {
		f, r := e.row(i)
		s := b[i]
		for k, v := range r[:i-f] {
			s -= v * b[f+k]
		}
		b[i] = s / r[i-f]
	}
	for i := len(e.first) - 1; i >= 0; i-- {
		f, r := e.row(i)
		x := b[i] / r[i-f]
		b[i] = x
		for k, v := range r[:i-f] {
			b[f+k] -= v * x
		}
	}
}
