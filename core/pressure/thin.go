package pressure

// Coarsening that keeps the two sides of a thin wall apart. A coarse cell that a wall
// runs through would mix what is on its sides, and a correction would leak through.
//
// So a coarse cell stands only for its members: the largest part of its children that
// open faces join. A coarse face is as open as the fine ones between members of both
// its cells. And a fine cell draws from a coarse one only where a way through open
// faces leads to a member of it within the eight cells round the coarse corner
// between them. Restriction is the transpose. Only cells near shut faces differ from
// the rule, so the fast kernels leave them out (their pn is 0), and lists do them.

import (
	"math/bits"
	"slices"

	"zarf/core/grid"
	"zarf/core/vec"
)

// all are the members of a coarse cell that no wall runs through: a bit a child, x
// the lowest.
const all = 0xff

// inner are the twelve faces between the eight cells of a block, as pairs of cells,
// by axis.
var inner = [3][4][2]uint8{
	{{0, 1}, {2, 3}, {4, 5}, {6, 7}},
	{{0, 2}, {1, 3}, {4, 6}, {5, 7}},
	{{0, 4}, {1, 5}, {2, 6}, {3, 7}},
}

// block is eight cells of a level, the first at (i, j, k).
type block struct {
	l       *level
	i, j, k int
	by      [3]int // cells along each axis, 1 or 2
}

// cell is the position of cell m, and whether it lies in the box.
func (b *block) cell(m int) (o int, inside bool) {
	x, y, z := m&1, m>>1&1, m>>2
	if x >= b.by[0] || y >= b.by[1] || z >= b.by[2] {
		return 0, false
	}
	i, j, k := b.i+x, b.j+y, b.k+z
	if i < 0 || j < 0 || k < 0 || i >= b.l.NX || j >= b.l.NY || k >= b.l.NZ {
		return 0, false
	}
	return b.l.at(j, k) + i, true
}

// parts finds which of the cells hold fluid, which of the others each is joined to by
// open faces within the block, itself included, and which lie in the box.
func (b *block) parts() (fluid uint8, joined [8]uint8, inside uint8) {
	l := b.l
	var at [8]int
	for m := range at {
		o, in := b.cell(m)
		if !in {
			continue
		}
		inside |= 1 << m
		if at[m] = o; l.diag[o] > 0 {
			fluid |= 1 << m
			joined[m] = 1 << m
		}
	}
	for a, w := range [3][]float32{l.wx, l.wy, l.wz} {
		for _, f := range inner[a] {
			p, q := f[0], f[1]
			if fluid>>p&1 == 1 && fluid>>q&1 == 1 && w[at[q]] > 0 {
				all := joined[p] | joined[q]
				for set := all; set != 0; set &= set - 1 {
					joined[bits.TrailingZeros8(set)] = all
				}
			}
		}
	}
	return fluid, joined, inside
}

// cutNear reports that some face of the cells i0 to i1 of rows j0, j1 of planes k0,
// k1 may be shut.
func (l *level) cutNear(i0, i1, j0, j1, k0, k1 int) bool {
	n := l.n / 16
	for k := max(k0, 0); k <= min(k1, l.NZ-1); k++ {
		for j := max(j0, 0); j <= min(j1, l.NY-1); j++ {
			row := l.cut[(k*l.NY+j)*n:][:n]
			if row[max(i0, 0)/16] || row[min(i1, l.NX-1)/16] {
				return true
			}
		}
	}
	return false
}

// members finds which children each coarse cell within a range stands for.
func (t *transfer) members(crew grid.Crew, r Range) {
	f, c := t.fine, t.coarse
	if t.member == nil {
		t.member = make([]uint8, c.Len())
		for n := range t.member {
			t.member[n] = all
		}
	}
	crew.For(c.NZ, 1, func(k0, k1 int) {
		for k := max(k0, r.Lo[2]); k < min(k1, r.Hi[2]+1); k++ {
			for j := max(0, r.Lo[1]); j <= min(c.NY-1, r.Hi[1]); j++ {
				row := t.member[c.Index(0, j, k):][:c.NX]
				for i := range row {
					b := block{f, i * t.by[0], j * t.by[1], k * t.by[2], t.by}
					if row[i] = all; !f.cutNear(b.i, b.i+1, b.j, b.j+1, b.k, b.k+1) {
						continue
					}
					_, joined, _ := b.parts()
					most := uint8(0)
					for _, set := range joined {
						if bits.OnesCount8(set) > bits.OnesCount8(most) {
							most = set
						}
					}
					row[i] = most
				}
			}
		}
	})
}

// of are the members of coarse cell (i,j,k); beyond the box there is no wall.
func (t *transfer) of(i, j, k int) uint8 {
	c := t.coarse
	if i < 0 || j < 0 || k < 0 || i >= c.NX || j >= c.NY || k >= c.NZ {
		return all
	}
	return t.member[c.Index(i, j, k)]
}

// coarsen makes the open shares of the coarse level's faces from those of the fine
// one, within a range of the coarse level: means over the fine faces that a coarse
// one covers, those that don't part members of both its cells counting as shut.
func (t *transfer) coarsen(crew grid.Crew, r Range) {
	f, c := t.fine, t.coarse
	for axis, d := range [3]*grid.Field{c.frac.x, c.frac.y, c.frac.z} {
		src := [3]*grid.Field{f.frac.x, f.frac.y, f.frac.z}[axis]
		n := [3]int{src.NX, src.NY, src.NZ}
		span := t.by
		span[axis] = 1
		q := 1 / float32(span[0]*span[1]*span[2])
		low := [3]uint8{0x55, 0x33, 0x0f}[axis] // children on the low side
		crew.For(d.NZ, 1, func(k0, k1 int) {
			for k := max(k0, r.Lo[2]); k < min(k1, r.Hi[2]+2); k++ {
				for j := max(r.Lo[1], 0); j < min(d.NY, r.Hi[1]+2); j++ {
					row := d.Row(j, k)
					for i := range row {
						upper := t.of(i, j, k) & low
						before := [3]int{i, j, k}
						before[axis]--
						lower := t.of(before[0], before[1], before[2])
						both := upper & (lower >> (1 << axis))
						if t.by[axis] == 1 { // one child on either side
							both = upper & lower
						}
						var sum float32
						for m := range 8 {
							e := [3]int{m & 1, m >> 1 & 1, m >> 2}
							if both>>m&1 == 0 || e[0] >= span[0] || e[1] >= span[1] || e[2] >= span[2] {
								continue
							}
							at := [3]int{i*t.by[0] + e[0], j*t.by[1] + e[1], k*t.by[2] + e[2]}
							at[axis] = min(at[axis], n[axis]-1)
							if at[0] < n[0] && at[1] < n[1] && at[2] < n[2] {
								sum += src.Data[src.Index(at[0], at[1], at[2])]
							}
						}
						row[i] = q * sum
					}
				}
			}
		})
	}
}

// fix is a fine cell that doesn't draw from all of its eight coarse ones.
type fix struct {
	at   int32   // its position
	from int32   // that of the coarse cell that it lies in
	q    float32 // one over the weights that count, and less beside p = 0
	side uint8   // bit a: along axis a it draws from the next coarse cell, else from the one before
	mask uint8   // bit m: coarse cell m counts; bit a of m: the one to its side along axis a
}

// weigh works out the weights of the eight coarse cells that a fine one draws from.
func (t *transfer) weigh() {
	for m := range t.share {
		t.share[m] = 1
		for a, by := range t.by {
			switch _, _, near, far := parents(0, by); m >> a & 1 {
			case 0:
				t.share[m] *= near
			case 1:
				t.share[m] *= far
			}
		}
	}
}

// steps are how far in memory the eight coarse cells are from the one that a fix
// lies in.
func (t *transfer) steps(side uint8) (at [8]int32) {
	c := t.coarse
	for m := range at {
		for a, step := range [3]int{1, c.sy, c.sz} {
			if m>>a&1 == 1 {
				if side>>a&1 == 0 {
					step = -step
				}
				at[m] += int32(step)
			}
		}
	}
	return at
}

// mend finds the fixes of a transfer, after both its levels and pn are known, and
// takes them out of the kernels' hands.
func (t *transfer) mend(crew grid.Crew, open Sides, near Range) {
	f, c := t.fine, t.coarse
	t.fixes, t.fixed, t.groups = nil, nil, nil
	if t.member == nil {
		return
	}
	r := near.coarse(c.log)
	found := make([][]fix, c.NZ+1)
	crew.For(c.NZ+1, 1, func(k0, k1 int) {
		for k := max(k0, r.Lo[2]); k < min(k1, r.Hi[2]+2); k++ {
			for j := max(0, r.Lo[1]); j <= min(c.NY, r.Hi[1]+1); j++ {
				for i := 0; i <= c.NX; i++ {
					found[k] = t.corner(found[k], i, j, k, open)
				}
			}
		}
	})
	t.fixes = slices.Concat(found...)
	slices.SortFunc(t.fixes, func(a, b fix) int { return int(a.at - b.at) })
	t.first = make([]int32, f.NY*f.NZ+1)
	for n, x := range t.fixes {
		f.pn[x.at] = 0
		o := int(x.at) - pad
		t.first[(o/f.sz-1)*f.NY+o%f.sz/f.sy-1+1] = int32(n + 1)
	}
	for n := 1; n < len(t.first); n++ {
		t.first[n] = max(t.first[n], t.first[n-1])
	}
	t.left = make([]float32, len(t.fixes))
	t.turn()
}

// corner looks at the eight fine cells round a coarse corner and adds those that
// don't draw from all coarse cells about it.
func (t *transfer) corner(list []fix, i, j, k int, open Sides) []fix {
	f, c := t.fine, t.coarse
	b := block{f, i*t.by[0] - t.by[0]/2, j*t.by[1] - t.by[1]/2, k*t.by[2] - t.by[2]/2, t.by}
	if !f.cutNear(b.i, b.i+1, b.j, b.j+1, b.k, b.k+1) {
		return list
	}
	fluid, joined, inside := b.parts()
	// what each of the cells stands for in its coarse one
	var counts uint8
	var parent [8]int32
	for m := range 8 {
		if inside>>m&1 == 0 {
			continue
		}
		x, y, z := b.i+m&1, b.j+m>>1&1, b.k+m>>2
		I, J, K := x/t.by[0], y/t.by[1], z/t.by[2]
		parent[m] = int32(c.at(J, K) + I)
		child := uint(x%t.by[0] | y%t.by[1]<<1 | z%t.by[2]<<2)
		if fluid>>m&1 == 1 && t.of(I, J, K)>>child&1 == 1 && c.diag[parent[m]] > 0 {
			counts |= 1 << m
		}
	}
	for m := range 8 {
		if fluid>>m&1 == 0 {
			continue
		}
		if counts&joined[m] == inside {
			continue
		}
		x := fix{from: parent[m]}
		o, _ := b.cell(m)
		x.at = int32(o)
		var sum, whole float32
		for n := range 8 {
			rel := m ^ n // the axes along which n is on the other side
			if inside>>n&1 == 1 {
				whole += t.share[rel]
				if counts&joined[m]>>n&1 == 1 {
					x.mask |= 1 << rel
					sum += t.share[rel]
				}
			}
		}
		for a := range 3 {
			if m>>a&1 == 0 { // the low one of the corner's cells draws from the next
				x.side |= 1 << a
			}
		}
		if sum > 0 {
			x.q = whole * f.pn[o] / sum
		}
		list = append(list, x)
	}
	return list
}

// given is what a coarse cell's right side gets from fixes.
type given struct {
	to    int32   // position
	n     int32   // of the fix
	share float32 // its weight
}

// turn lists what each coarse cell gathers from fixes, the transpose of what they
// draw.
func (t *transfer) turn() {
	for n, x := range t.fixes {
		steps := t.steps(x.side)
		for set := x.mask; set != 0; set &= set - 1 {
			m := bits.TrailingZeros8(set)
			t.fixed = append(t.fixed, given{x.from + steps[m], int32(n), t.scale * x.q * t.share[m]})
		}
	}
	slices.SortStableFunc(t.fixed, func(a, b given) int { return int(a.to - b.to) })
	for n := range t.fixed {
		if n == 0 || t.fixed[n].to != t.fixed[n-1].to {
			t.groups = append(t.groups, int32(n))
		}
	}
	t.groups = append(t.groups, int32(len(t.fixed)))
}

// row are the fixes of rows j0 to j1 of plane k.
func (t *transfer) row(j0, j1, k int) []fix {
	f := t.fine
	if len(t.fixes) == 0 || k < 0 || k >= f.NZ {
		return nil
	}
	j0, j1 = min(max(j0, 0), f.NY), min(max(j1, 0), f.NY)
	return t.fixes[t.first[k*f.NY+j0]:t.first[k*f.NY+j1]]
}

// draw adds to fixes of rows j0 to j1 of plane k what they draw from the coarse x.
func (t *transfer) drawFixes(x *vec.Window, k, j0, j1 int) {
	base := (k+1)*t.fine.sz + x.From
	for _, f := range t.row(j0, j1, k) {
		steps, sum := &t.reach[f.side], float32(0)
		for set := f.mask; set != 0; set &= set - 1 {
			m := bits.TrailingZeros8(set)
			sum += float32(t.share[m] * t.coarse.x[f.from+steps[m]])
		}
		x.A[int(f.at)-base] += float32(f.q * sum)
	}
}

// leave keeps what x leaves of b at the fixes of rows j0 to j1 of plane k.
func (t *transfer) leave(h *vec.Hood, k, j0, j1 int) {
	list := t.row(j0, j1, k)
	if len(list) == 0 {
		return
	}
	l := t.fine
	out := t.left[t.first[k*l.NY+min(max(j0, 0), l.NY)]:]
	base := (k + 1) * l.sz
	for n, f := range list {
		o := int(f.at)
		at := func(w *vec.Window, step int) float32 { return w.A[o-base-w.From+step] }
		s := (float32(at(&h.X, -1)*l.wx[o]) + float32(at(&h.X, 1)*l.wx[o+1])) +
			(float32(at(&h.X, -l.sy)*l.wy[o]) + float32(at(&h.X, l.sy)*l.wy[o+l.sy])) +
			(float32(at(&h.Below, 0)*l.wz[o]) + float32(at(&h.Above, 0)*l.wz[o+l.sz]))
		out[n] = l.b[o] - (float32(l.diag[o]*at(&h.X, 0)) - s)
	}
}

// give adds what is left at fixes to the coarse right side.
func (t *transfer) give(crew grid.Crew) {
	if len(t.fixed) == 0 {
		return
	}
	b := t.coarse.b
	crew.For(len(t.groups)-1, 2048, func(lo, hi int) {
		for n := lo; n < hi; n++ {
			list := t.fixed[t.groups[n]:t.groups[n+1]]
			var sum float32
			for _, g := range list {
				sum += float32(g.share * t.left[g.n])
			}
			b[list[0].to] += sum
		}
	})
}
