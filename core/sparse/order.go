package sparse

import (
	"slices"

	"zarf/core/geom"
)

// perLeaf is about how many items are eliminated together where nothing is parted any more.
const perLeaf = 64

// branches is in about how many parts the tree is cut that know nothing of each other.
const branches = 16

// node is a leaf or a separator: a dense block of a factor.
type node struct {
	items    []int32 // that are eliminated here
	border   []int32 // later ones that they reach, in the order of positions
	children []int32
	up       []int32 // of each number of the border, its row in the parent's block
	runs     []run   // of those that follow each other there
	first    int32   // position of the first of items
	own, q   int     // numbers of the items and of the border
	p, wide  int     // columns; rows, a multiple of 16
	at       int     // of the columns among all
	dof      int     // of the first column among all columns
	below    int     // of the border's values among those that are passed on
	lo, hi   int     // of its entries
	cost     float64 // products of its branch
}

// run is of numbers up to end of a border.
type run struct{ end int }

// entry is where a block of the matrix goes in the columns of its node.
type entry struct{ row, col int32 }

// Factor is a factor of matrices with the same blocks.
type Factor struct {
	n     int
	nodes []node // children before their parents
	tasks [][]int32
	top   []int32 // above all tasks

	// Row and Col are items of the blocks that the matrix is given by: those at and below the
	// diagonal, in the order of elimination. V has room for four numbers of each, row by row; of an
	// item of one number those of the first row or column count.
	Row, Col []int32
	V        []float32
	put      []entry

	l, inv []float32 // columns, and the inverses of their pivots
	x, w   []float32 // of a solve: what is solved, and what is passed on
	size   []int8    // numbers of each item
	where  []int32   // of each item, its first column
	spare  []pool    // of each task and of the top
	left   [][]float32
}

// New finds an order for the items of a mesh and makes room. start and col list for each item those
// that it shares blocks with, itself too, as they are in both directions; place is where they are,
// size how many numbers each stands for: 1 or 2.
func New(start, col []int32, place []geom.Vec3, size []int8) *Factor {
	n := len(start) - 1
	f := &Factor{n: n, where: make([]int32, n), size: size}
	o := &ordering{f: f, start: start, col: col, place: place, mark: make([]int32, n), pos: make([]int32, n)}
	all := make([]int32, n)
	for i := range all {
		all[i] = int32(i)
	}
	roots := o.part(all)
	o.borders()
	o.lay()
	f.cut(roots)
	return f
}

type ordering struct {
	f          *Factor
	start, col []int32
	place      []geom.Vec3
	mark       []int32 // stamps
	stamp      int32
	pos        []int32
	next       int32 // position
}

func (o *ordering) stampNew() int32 {
	o.stamp++
	return o.stamp
}

// node adds one, after its children.
func (o *ordering) node(items, children []int32) []int32 {
	if len(items) == 0 {
		return children
	}
	slices.Sort(items)
	nd := node{items: items, children: children, first: o.next}
	for _, v := range items {
		o.pos[v] = o.next
		o.next++
	}
	o.f.nodes = append(o.f.nodes, nd)
	return []int32{int32(len(o.f.nodes) - 1)}
}

// part dissects items, and returns the uppermost nodes of what it made of them.
func (o *ordering) part(items []int32) []int32 {
	if len(items) <= perLeaf {
		return o.node(items, nil)
	}
	lo, hi := o.place[items[0]], o.place[items[0]]
	for _, v := range items {
		lo, hi = lo.Min(o.place[v]), hi.Max(o.place[v])
	}
	d := hi.Sub(lo)
	axis := func(p geom.Vec3) float64 { return p.X }
	if d.Y > d.X && d.Y >= d.Z {
		axis = func(p geom.Vec3) float64 { return p.Y }
	} else if d.Z > d.X {
		axis = func(p geom.Vec3) float64 { return p.Z }
	}
	slices.SortFunc(items, func(a, b int32) int {
		switch u, v := axis(o.place[a]), axis(o.place[b]); {
		case u < v:
			return -1
		case u > v:
			return 1
		}
		return int(a - b)
	})
	half := len(items) / 2
	near := o.stampNew()
	for _, v := range items[:half] {
		o.mark[v] = near
	}
	var between, rest []int32
	for _, v := range items[half:] {
		touches := false
		for _, u := range o.col[o.start[v]:o.start[v+1]] {
			if o.mark[u] == near {
				touches = true
				break
			}
		}
		if touches {
			between = append(between, v)
		} else {
			rest = append(rest, v)
		}
	}
	children := o.part(items[:half:half])
	if len(rest) > 0 {
		children = append(children, o.part(rest)...)
	}
	return o.node(between, children)
}

// borders finds what later vertices each node reaches.
func (o *ordering) borders() {
	for k := range o.f.nodes {
		nd := &o.f.nodes[k]
		end := nd.first + int32(len(nd.items))
		s := o.stampNew()
		add := func(v, pos int32) {
			if pos >= end && o.mark[v] != s {
				o.mark[v] = s
				nd.border = append(nd.border, v)
			}
		}
		for _, v := range nd.items {
			for _, u := range o.col[o.start[v]:o.start[v+1]] {
				add(u, o.pos[u])
			}
		}
		for _, c := range nd.children {
			for _, u := range o.f.nodes[c].border {
				add(u, o.pos[u])
			}
		}
		slices.SortFunc(nd.border, func(a, b int32) int { return int(o.pos[a] - o.pos[b]) })
	}
}

func pad(n, to int) int { return (n + to - 1) / to * to }

// lay gives every node its rows and room, and every block its place.
func (o *ordering) lay() {
	f := o.f
	size, dofs, below := 0, 0, 0
	row := make([]int32, o.f.n) // of an item in the node at hand
	for k := range f.nodes {
		nd := &f.nodes[k]
		for _, v := range nd.items {
			row[v], f.where[v] = int32(nd.own), int32(dofs+nd.own)
			nd.own += int(f.size[v])
		}
		nd.p = pad(nd.own, 4)
		for _, v := range nd.border {
			row[v] = int32(nd.p + nd.q)
			nd.q += int(f.size[v])
		}
		nd.wide = pad(nd.p+nd.q, 16)
		nd.at, nd.dof, nd.below = size, dofs, below
		size, dofs, below = size+nd.p*nd.wide, dofs+nd.p, below+nd.q
		nd.lo = len(f.put)
		for _, v := range nd.items {
			for _, u := range o.col[o.start[v]:o.start[v+1]] {
				if o.pos[u] >= o.pos[v] {
					f.Row, f.Col = append(f.Row, u), append(f.Col, v)
					f.put = append(f.put, entry{row[u], row[v]})
				}
			}
		}
		nd.hi = len(f.put)
		nd.cost = float64(nd.p) * float64(nd.wide) * float64(nd.wide)
		for _, c := range nd.children {
			nd.cost += f.nodes[c].cost
			f.nodes[c].rise(row, f.size)
		}
	}
	f.V = make([]float32, 4*len(f.put))
	f.l, f.inv, f.x, f.w = make([]float32, size), make([]float32, dofs), make([]float32, dofs), make([]float32, below)
	f.left = make([][]float32, len(f.nodes))
}

// rise finds the rows of a border in the parent, where row has them.
func (nd *node) rise(row []int32, size []int8) {
	for _, v := range nd.border {
		for i := range int32(size[v]) {
			nd.up = append(nd.up, row[v]+i)
		}
	}
	for i := 1; i <= len(nd.up); i++ {
		if i == len(nd.up) || nd.up[i] != nd.up[i-1]+1 {
			nd.runs = append(nd.runs, run{i})
		}
	}
}

// cut parts the tree in branches, the dearest first, and what is above them.
func (f *Factor) cut(roots []int32) {
	open := slices.Clone(roots)
	for len(open) < branches {
		best := -1
		for i, k := range open {
			if len(f.nodes[k].children) > 0 && (best < 0 || f.nodes[k].cost > f.nodes[open[best]].cost) {
				best = i
			}
		}
		if best < 0 {
			break
		}
		k := open[best]
		f.top = append(f.top, k)
		open = append(slices.Delete(open, best, best+1), f.nodes[k].children...)
	}
	slices.Sort(f.top)
	slices.SortFunc(open, func(a, b int32) int { // the dearest first
		switch u, v := f.nodes[a].cost, f.nodes[b].cost; {
		case u > v:
			return -1
		case u < v:
			return 1
		}
		return int(a - b)
	})
	var gather func(k int32, to []int32) []int32
	gather = func(k int32, to []int32) []int32 {
		for _, c := range f.nodes[k].children {
			to = gather(c, to)
		}
		return append(to, k)
	}
	for _, k := range open {
		f.tasks = append(f.tasks, gather(k, nil))
	}
	f.spare = make([]pool, len(f.tasks)+1)
}

// Size is how many numbers the factor keeps.
func (f *Factor) Size() int { return len(f.l) }
