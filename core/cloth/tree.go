package cloth

import (
	"cmp"
	"math"
	"slices"

	"zarf/core/geom"
	"zarf/core/grid"
)

// tree finds faces that come near each other within a step: boxes about where they are and
// where they go, in a hierarchy that is built once and drawn tight every step.
type tree struct {
	face  []int32 // of leaves; −1 within
	right []int32 // second child; the first follows its parent
	box   []geom.Box
	cone  []cone
	order []int32
	rough []bool // vertices
	torn  []bool // vertices at tears, beside which smooth cloth may slide over itself
}

// cone holds all normals of a node's faces: those within cos of the axis.
type cone struct {
	axis geom.Vec3
	half float64 // rad; π where there is no telling
}

// newTree halves faces by where they are.
func newTree(faces []face, x []geom.Vec3) *tree {
	t := &tree{}
	mid := make([]geom.Vec3, len(faces))
	for k := range faces {
		f := &faces[k]
		mid[k] = x[f.v[0]].Add(x[f.v[1]]).Add(x[f.v[2]])
		t.order = append(t.order, int32(k))
	}
	t.split(t.order, mid)
	t.rough = make([]bool, len(x))
	t.box, t.cone = make([]geom.Box, len(t.face)), make([]cone, len(t.face))
	return t
}

func (t *tree) split(items []int32, mid []geom.Vec3) {
	node := len(t.face)
	t.face, t.right = append(t.face, -1), append(t.right, -1)
	if len(items) == 1 {
		t.face[node] = items[0]
		return
	}
	lo, hi := mid[items[0]], mid[items[0]]
	for _, i := range items {
		lo, hi = lo.Min(mid[i]), hi.Max(mid[i])
	}
	size, axis := hi.Sub(lo).Array(), 0
	for a := 1; a < 3; a++ {
		if size[a] > size[axis] {
			axis = a
		}
	}
	slices.SortFunc(items, func(a, b int32) int {
		return cmp.Or(cmp.Compare(mid[a].Array()[axis], mid[b].Array()[axis]), cmp.Compare(a, b))
	})
	t.split(items[:len(items)/2], mid)
	t.right[node] = int32(len(t.face))
	t.split(items[len(items)/2:], mid)
}

// fit draws boxes about where faces are and where they go, wider by grow, and cones about their
// normals at both. What is at a vertex of a face that is crushed, turned over or much deformed
// within the step is looked at in any case: beside it what is smooth may slide over itself.
func (t *tree) fit(faces []face, x, to []geom.Vec3, grow float64, crew grid.Crew) {
	clear(t.rough)
	copy(t.rough, t.torn)
	for k := range faces {
		f := &faces[k]
		m := x[f.v[1]].Sub(x[f.v[0]]).Cross(x[f.v[2]].Sub(x[f.v[0]]))
		n := to[f.v[1]].Sub(to[f.v[0]]).Cross(to[f.v[2]].Sub(to[f.v[0]]))
		a, b := m.Len(), n.Len()
		by := to[f.v[0]].Sub(x[f.v[0]])
		p, q := to[f.v[1]].Sub(x[f.v[1]]).Sub(by), to[f.v[2]].Sub(x[f.v[2]]).Sub(by)
		if min(a, b) < 2*crushed*f.area || m.Dot(n) < 0.5*a*b || max(p.Dot(p), q.Dot(q)) > 0.1*f.area {
			t.rough[f.v[0]], t.rough[f.v[1]], t.rough[f.v[2]] = true, true, true
		}
	}
	t.enclose(faces, x, to, grow, crew)
	crew.For(len(t.face), 512, func(lo, hi int) {
		for node := lo; node < hi; node++ {
			if k := t.face[node]; k >= 0 {
				t.cone[node] = t.coneOf(&faces[k], x, to)
			}
		}
	})
	for node := len(t.face) - 1; node >= 0; node-- {
		if t.face[node] < 0 {
			t.cone[node] = joined(t.cone[node+1], t.cone[t.right[node]])
		}
	}
}

// enclose is fit without the cones, for what is no cloth.
func (t *tree) enclose(faces []face, x, to []geom.Vec3, grow float64, crew grid.Crew) {
	crew.For(len(t.face), 512, func(lo, hi int) {
		for node := lo; node < hi; node++ {
			if k := t.face[node]; k >= 0 {
				v := &faces[k].v
				a, b, c := x[v[0]], x[v[1]], x[v[2]]
				d, e, g := to[v[0]], to[v[1]], to[v[2]]
				t.box[node] = geom.Box{Min: a.Min(b).Min(c).Min(d).Min(e).Min(g), Max: a.Max(b).Max(c).Max(d).Max(e).Max(g)}.Grow(grow)
			}
		}
	})
	for node := len(t.face) - 1; node >= 0; node-- {
		if t.face[node] < 0 {
			l, r := &t.box[node+1], &t.box[t.right[node]]
			t.box[node] = geom.Box{Min: l.Min.Min(r.Min), Max: l.Max.Max(r.Max)}
		}
	}
}

// coneOf is about a face's normals before and after.
func (t *tree) coneOf(f *face, x, to []geom.Vec3) cone {
	if t.rough[f.v[0]] || t.rough[f.v[1]] || t.rough[f.v[2]] {
		return cone{half: math.Pi}
	}
	a, d := x[f.v[0]], to[f.v[0]]
	m := x[f.v[1]].Sub(a).Cross(x[f.v[2]].Sub(a))
	n := to[f.v[1]].Sub(d).Cross(to[f.v[2]].Sub(d))
	return joined(cone{m.Unit(), 0}, cone{n.Unit(), 0})
}

// joined is a cone about two.
func joined(a, b cone) cone {
	if a.half >= math.Pi || b.half >= math.Pi {
		return cone{a.axis, math.Pi}
	}
	axis := a.axis.Add(b.axis)
	l := axis.Len()
	if l < 1e-9 {
		return cone{a.axis, math.Pi}
	}
	axis = axis.Mul(1 / l)
	between := math.Acos(min(max(a.axis.Dot(b.axis), -1), 1)) / 2
	if h := between + max(a.half, b.half); h < math.Pi/2 {
		return cone{axis, h}
	}
	return cone{axis, math.Pi}
}

// smoothest is the half angle of a cone, rad, within which cloth doesn't meet itself. For outlines
// that don't cross it would be 90° (Volino and Magnenat-Thalmann 1994); so little that a piece
// which isn't crushed lies as good as flat asks nothing of its outline.
const smoothest = 0.35

// crushed is the share of its area under which a face is looked at, however smooth it is about it.
const crushed = 0.6

// job is a node to be held against itself, or two against each other.
type job struct{ a, b int32 }

// jobs are pieces of the work of finding pairs, in order, some many.
func (t *tree) jobs(many int) []job {
	if len(t.face) == 0 {
		return nil
	}
	list := []job{{0, 0}}
	for len(list) < many {
		var next []job
		for _, j := range list {
			switch {
			case j.a == j.b && t.face[j.a] < 0:
				if t.cone[j.a].half < smoothest {
					continue
				}
				l, r := j.a+1, t.right[j.a]
				next = append(next, job{l, l}, job{r, r}, job{l, r})
			case j.a != j.b && !t.box[j.a].Overlaps(t.box[j.b]):
			case j.a != j.b && t.face[j.a] < 0:
				next = append(next, job{j.a + 1, j.b}, job{t.right[j.a], j.b})
			default:
				next = append(next, j)
			}
		}
		if len(next) <= len(list) && len(next) > 0 && slices.Equal(next, list) || len(next) == 0 {
			return next
		}
		list = next
	}
	return list
}

func (t *tree) do(j job, each func(a, b int32)) {
	if j.a == j.b {
		t.within(j.a, each)
	} else {
		t.between(j.a, j.b, each)
	}
}

// pairs calls each for every two faces whose boxes overlap.
func (t *tree) pairs(each func(a, b int32)) {
	if len(t.face) > 0 {
		t.within(0, each)
	}
}

func (t *tree) within(node int32, each func(a, b int32)) {
	if t.face[node] >= 0 || t.cone[node].half < smoothest {
		return
	}
	l, r := node+1, t.right[node]
	t.within(l, each)
	t.within(r, each)
	t.between(l, r, each)
}

func (t *tree) between(a, b int32, each func(a, b int32)) {
	if !t.box[a].Overlaps(t.box[b]) {
		return
	}
	fa, fb := t.face[a], t.face[b]
	switch {
	case fa >= 0 && fb >= 0:
		each(fa, fb)
	case fb >= 0 || fa < 0 && t.size(a) >= t.size(b):
		t.between(a+1, b, each)
		t.between(t.right[a], b, each)
	default:
		t.between(a, b+1, each)
		t.between(a, t.right[b], each)
	}
}

// touching calls each for every face whose box overlaps another.
func (t *tree) touching(box *geom.Box, each func(face int32)) {
	t.leaves(box, func(node int32) { each(t.face[node]) })
}

// leaves calls each for the nodes of those.
func (t *tree) leaves(box *geom.Box, each func(node int32)) {
	if len(t.face) == 0 {
		return
	}
	var stack [64]int32
	n := 1
	for n > 0 {
		n--
		at := stack[n]
		if !t.box[at].Overlaps(*box) {
			continue
		}
		if t.face[at] >= 0 {
			each(at)
			continue
		}
		stack[n], stack[n+1] = t.right[at], at+1
		n += 2
	}
}

func (t *tree) size(n int32) float64 { return t.box[n].Size().MaxComponent() }
