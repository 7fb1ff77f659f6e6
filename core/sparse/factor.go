package sparse

import (
	"math"
	"slices"

	"zarf/core/grid"
	"zarf/core/vec"
)

// pool lends rows out, so that a branch works in the same memory over and over.
type pool [][]float32

func (p *pool) take(n int, crew grid.Crew) []float32 {
	for i := len(*p) - 1; i >= 0; i-- {
		if b := (*p)[i]; cap(b) >= n {
			(*p)[i] = (*p)[len(*p)-1]
			*p = (*p)[:len(*p)-1]
			b = b[:n]
			empty(b, crew)
			return b
		}
	}
	return make([]float32, n)
}

// empty clears rows.
func empty(v []float32, crew grid.Crew) {
	crew.For(len(v), 1<<15, func(lo, hi int) { clear(v[lo:hi]) })
}

func (p *pool) put(b []float32) { *p = append(*p, b) }

// Make factors the matrix whose blocks are in V. A pivot that isn't positive, as rounding or a
// matrix that isn't either make it, is taken to be as large as the largest beside it.
func (f *Factor) Make(crew grid.Crew) {
	crew.Each(len(f.tasks), 1, func(lo, hi int) {
		for t := lo; t < hi; t++ {
			for _, k := range f.tasks[t] {
				f.eliminate(k, &f.spare[t], grid.Crew{})
			}
		}
	})
	for _, k := range f.top {
		f.eliminate(k, &f.spare[len(f.tasks)], crew)
	}
}

// eliminate makes a node's columns, and what they leave for its parent.
func (f *Factor) eliminate(k int32, spare *pool, crew grid.Crew) {
	nd := &f.nodes[k]
	p, wide := nd.p, nd.wide
	l := f.l[nd.at:][:p*wide]
	empty(l, crew)
	for e := nd.lo; e < nd.hi; e++ {
		at, v := f.put[e], f.V[4*e:][:4]
		rows, cols := int(f.size[f.Row[e]]), int(f.size[f.Col[e]])
		for c := range cols {
			for r := range rows {
				l[(int(at.col)+c)*wide+int(at.row)+r] = v[2*r+c]
			}
		}
	}
	for d := nd.own; d < p; d++ {
		l[d*wide+d] = 1
	}
	base, q := p&^15, pad(nd.q, 4)
	rows := wide - base
	var u []float32
	if q > 0 {
		u = spare.take(q*rows, crew)
	}
	for _, c := range nd.children {
		f.nodes[c].extend(f.left[c], nd, l, u, base, crew)
		if f.left[c] != nil {
			spare.put(f.left[c])
		}
		f.left[c] = nil
	}
	inv := f.inv[nd.dof:][:p]
	scale := float32(1e-30)
	for d := range nd.own {
		scale = max(scale, l[d*wide+d], -l[d*wide+d])
	}
	for k := 0; k < p; k += perBlock {
		end := min(k+perBlock, p)
		for j := k; j < end; j += 4 {
			pivots(l, inv, k, j, wide, scale)
		}
		nd.subtract(l, u, k, end, crew)
	}
	for j := range p { // so that a solve may read whole blocks
		clear(l[j*wide+j&^15 : j*wide+j])
	}
	f.left[k] = u
}

// perBlock is how many columns are eliminated at once: strips of them that fit the first cache.
const perBlock = 64

// subtract takes what columns from lo to hi make up from all that come after them: strips of 32 rows,
// each times all columns that reach so far down.
func (nd *node) subtract(l, u []float32, lo, hi int, crew grid.Crew) {
	p, wide, base, k := nd.p, nd.wide, nd.p&^15, hi-lo
	cols := p + pad(nd.q, 4)
	if hi == cols {
		return
	}
	strips := func(first, end int) {
		crew.For((end-first+31)/32, 2, func(from, to int) {
			for s := from; s < to; s++ {
				row := first + 32*s
				n := min(32, end-row)
				a := l[lo*wide+row:]
				for at := hi; at < min(cols, row+n); at += 4 {
					if at < p {
						vec.Eliminate(l[at*wide+row:], a, l[lo*wide+at:], wide, wide, wide, k, n)
					} else {
						vec.Eliminate(u[(at-p)*(wide-base)+row-base:], a, l[lo*wide+at:], wide-base, wide, wide, k, n)
					}
				}
			}
		})
	}
	first := hi &^ 15
	if first < base {
		strips(first, base)
	}
	strips(max(first, base), wide)
}

// pivots factors four columns, those before them since first being done of their block.
func pivots(l, inv []float32, first, j, wide int, scale float32) {
	from := j &^ 15
	var was [4]float32
	for c := range was {
		was[c] = l[(j+c)*wide+j+c]
	}
	vec.Eliminate(l[j*wide+from:], l[first*wide+from:], l[first*wide+j:], wide, wide, wide, j-first, wide-from)
	var t [10]float32
	k := 0
	for r := range 4 {
		row := k
		for c := range r {
			v := l[(j+c)*wide+j+r]
			for m := range c {
				v -= float32(t[row+m] * t[c*(c+1)/2+m])
			}
			t[k] = float32(v * t[c*(c+3)/2])
			k++
		}
		d := l[(j+r)*wide+j+r]
		for m := range r {
			d -= float32(t[row+m] * t[row+m])
		}
		if !(d > 1e-6*was[r]) {
			d = max(was[r], scale)
		}
		t[k] = float32(1 / math.Sqrt(float64(d)))
		inv[j+r] = t[k]
		k++
	}
	vec.Pivot(l[j*wide+from:], wide, &t, wide-from)
}

// extend adds what a child left to its parent's columns and to what that leaves: run after run of
// rows that lie together in both.
func (c *node) extend(left []float32, nd *node, l, u []float32, base int, crew grid.Crew) {
	crew.For(len(c.up), 32, func(lo, hi int) {
		r, _ := slices.BinarySearchFunc(c.runs, lo+1, func(a run, b int) int { return a.end - b })
		for j := lo; j < hi; j++ {
			if j >= c.runs[r].end {
				r++
			}
			c.column(j, c.runs[r:], left, nd, l, u, base)
		}
	})
}

// column adds one of what a child left.
func (c *node) column(j int, runs []run, left []float32, nd *node, l, u []float32, base int) {
	rows, off := c.wide-c.p&^15, c.p-c.p&^15
	to, col := l, int(c.up[j])
	at := col * nd.wide
	if col >= nd.p {
		to, at = u, (col-nd.p)*(nd.wide-base)-base
	}
	from, i := left[j*rows+off:][:len(c.up)], j
	for _, run := range runs {
		d, s := to[at+int(c.up[i]):][:run.end-i], from[i:run.end]
		if len(s) >= 24 {
			vec.Add(d, d, s)
		} else {
			for k, v := range s {
				d[k] += v
			}
		}
		i = run.end
	}
}

// Solve puts the x of A x = b in the place of b: the numbers of item after item.
func (f *Factor) Solve(b []float32, crew grid.Crew) {
	at := 0
	for v, to := range f.where {
		for range f.size[v] {
			f.x[to] = b[at]
			to, at = to+1, at+1
		}
	}
	crew.Each(len(f.tasks), 1, func(lo, hi int) {
		for t := lo; t < hi; t++ {
			for _, k := range f.tasks[t] {
				f.forward(k, &f.spare[t])
			}
		}
	})
	for _, k := range f.top {
		f.forward(k, &f.spare[len(f.tasks)])
	}
	for i := len(f.top) - 1; i >= 0; i-- {
		f.backward(f.top[i], &f.spare[len(f.tasks)])
	}
	crew.Each(len(f.tasks), 1, func(lo, hi int) {
		for t := lo; t < hi; t++ {
			for i := len(f.tasks[t]) - 1; i >= 0; i-- {
				f.backward(f.tasks[t][i], &f.spare[t])
			}
		}
	})
	at = 0
	for v, from := range f.where {
		for range f.size[v] {
			b[at] = f.x[from]
			from, at = from+1, at+1
		}
	}
}

func (f *Factor) forward(k int32, spare *pool) {
	nd := &f.nodes[k]
	p, wide := nd.p, nd.wide
	l, inv, x := f.l[nd.at:][:p*wide], f.inv[nd.dof:][:p], f.x[nd.dof:][:p]
	acc := spare.take(wide, grid.Crew{})
	copy(acc, x)
	clear(acc[nd.own:p])
	for _, c := range nd.children {
		child := &f.nodes[c]
		w := f.w[child.below:]
		i := 0
		for _, run := range child.runs {
			d := acc[child.up[i]:]
			for k, v := range w[i:run.end] {
				d[k] += v
			}
			i = run.end
		}
	}
	for j := 0; j < p; j += 4 {
		var y [4]float32
		for r := range 4 {
			v := acc[j+r]
			for c := range r {
				v -= float32(l[(j+c)*wide+j+r] * y[c])
			}
			y[r] = float32(v * inv[j+r])
		}
		copy(x[j:], y[:])
		from := (j + 4) &^ 15
		vec.Forward(acc[from:], l[j*wide+from:], wide, &y, wide-from)
	}
	copy(f.w[nd.below:][:nd.q], acc[p:])
	spare.put(acc)
}

func (f *Factor) backward(k int32, spare *pool) {
	nd := &f.nodes[k]
	p, wide := nd.p, nd.wide
	l, inv, x := f.l[nd.at:][:p*wide], f.inv[nd.dof:][:p], f.x[nd.dof:][:p]
	all := spare.take(wide, grid.Crew{})
	at := p
	for _, v := range nd.border {
		from := f.where[v]
		for range f.size[v] {
			all[at] = f.x[from]
			from, at = from+1, at+1
		}
	}
	for j := p - 4; j >= 0; j -= 4 {
		var sum [64]float32
		from := (j + 4) &^ 15
		vec.Backward(&sum, all[from:], l[j*wide+from:], wide, wide-from)
		for r := 3; r >= 0; r-- {
			v := x[j+r]
			var s float32
			for _, a := range sum[16*r : 16*r+16] {
				s += a
			}
			v -= s
			for c := r + 1; c < 4; c++ {
				v -= float32(l[(j+r)*wide+j+c] * x[j+c])
			}
			x[j+r] = float32(v * inv[j+r])
		}
		copy(all[j:], x[j:j+4])
	}
	spare.put(all)
}
