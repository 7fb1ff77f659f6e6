package cloth

import (
	"math"
	"slices"

	"zarf/core/geom"
	"zarf/core/noise"
)

// tear parts cloth where it is stretched over its limit: along edges, a vertex at a time, those
// first that are stretched more than all about them. It returns how many vertices were parted.
//
// A vertex is doubled, and the faces on one side of a plane across its strain get the double: no
// face is cut or lost, and no edge gets a third face. What parted stays so.
//
// over and dir are strains of what was solved: pushes of contacts, which come after, are none of
// the fabric's own.
func (s *System) tear(over []float64, dir []geom.Vec3) (many int) {
	if over == nil {
		return 0
	}
	s.fresh = map[int32]bool{}
	done := make([]bool, len(over))
	before := s.tense
	s.tense = make([]int8, len(over))
	for v := range len(over) {
		if over[v] > 1 {
			s.tense[v] = min(before[v]+1, lasting)
		}
	}
	for v := range len(over) {
		if s.tense[v] < lasting || done[v] || s.pinned[v] || s.shoved[v] > s.Steps || !s.highest(v, over) {
			continue
		}
		many += s.run(int32(v), over, dir, done)
	}
	if many > 0 {
		s.unpinch(done)
		s.apart(len(done))
		s.folds, s.bends = bends(s.rest, s.faces, s.Sheets)
		s.knit()
	}
	return many
}

// unpinch parts what hangs together by nothing but a vertex beside those that were parted: fans of
// faces that share no edge.
func (s *System) unpinch(parted []bool) {
	near := make([]bool, len(s.X))
	for k := range s.faces {
		v := s.faces[k].v
		for c := range 3 {
			if int(v[c]) >= len(parted) || parted[v[c]] {
				near[v[0]], near[v[1]], near[v[2]] = true, true, true
			}
		}
	}
	s.round = incidenceOf(len(s.X), s.faces)
	for v := range len(near) {
		if !near[v] || s.pinned[v] {
			continue
		}
		fans := s.fans(int32(v), s.round.at[s.round.start[v]:s.round.start[v+1]])
		for n := 1; n < len(fans); n++ {
			d := s.double(int32(v))
			for _, at := range fans[n] {
				s.faces[at/3].v[at%3] = d
			}
		}
	}
}

// frays is by which share of the way to the middle of its faces a vertex at a new tear draws back:
// threads are lost there, and both sides don't begin within each other.
const frays = 0.12

// apart lets what was parted fray: vertices at a new tear draw back into their own faces, which are
// smaller by that.
func (s *System) apart(old int) {
	s.round = incidenceOf(len(s.X), s.faces)
	x, rest := slices.Clone(s.X), slices.Clone(s.rest)
	changed := make([]bool, len(s.faces))
	for v := range s.X {
		from, to := s.round.start[v], s.round.start[v+1]
		if v < old && !s.fresh[int32(v)] || from == to || s.pinned[v] {
			continue
		}
		mid := func(at []geom.Vec3) (m geom.Vec3) {
			for _, k := range s.round.at[from:to] {
				f := &s.faces[k/3]
				m = m.Add(at[f.v[0]]).Add(at[f.v[1]]).Add(at[f.v[2]])
				changed[k/3] = true
			}
			return m.Mul(1 / (3 * float64(to-from)))
		}
		by := mid(x).Sub(x[v]).Mul(frays)
		s.X[v], s.oldX[v] = s.X[v].Add(by), s.oldX[v].Add(by)
		s.rest[v] = rest[v].Add(mid(rest).Sub(rest[v]).Mul(frays))
	}
	for k := range s.faces {
		if changed[k] {
			s.lay(k)
		}
	}
}

// lay works a face out anew from where its corners are at rest.
func (s *System) lay(k int) {
	old := s.faces[k]
	if f, ok := faceOf(s.rest[old.v[0]], s.rest[old.v[1]], s.rest[old.v[2]], s.Sheets[old.of].Warp); ok {
		f.v, f.of = old.v, old.of
		s.faces[k] = f
	}
}

// goesOn is the share of its limit from which on a tear that has begun goes on: the strain at its
// tip is more than a mesh shows (Griffith 1921), and it runs faster than steps do.
const goesOn = 0.5

// lasting is for how many steps a vertex must be over its limit to begin a tear: what a contact
// shoves is over it for one.
const lasting = 3

// longest is how many vertices a tear runs within a step.
const longest = 128

// run parts a vertex, and from it on both ways across the strain what is near enough its limit; it
// returns how many were parted.
func (s *System) run(v int32, over []float64, dir []geom.Vec3, done []bool) (many int) {
	done[v] = true
	if !s.part(v, dir[v]) {
		return 0
	}
	many = 1
	for _, sign := range []float64{1, -1} {
		at, way := v, s.along(v, dir[v]).Mul(sign)
		for range longest {
			next := s.ahead(at, way, over, done)
			if next < 0 {
				break
			}
			done[next] = true
			if !s.part(next, dir[next]) {
				break
			}
			many++
			w := s.along(next, dir[next])
			if w.Dot(way) < 0 {
				w = w.Mul(-1)
			}
			at, way = next, w
		}
	}
	return many
}

// along is the direction in the cloth across a vertex's strain.
func (s *System) along(v int32, dir geom.Vec3) geom.Vec3 {
	var n geom.Vec3
	for at := s.round.start[v]; at < s.round.start[v+1]; at++ {
		f := &s.faces[s.round.at[at]/3]
		n = n.Add(s.X[f.v[1]].Sub(s.X[f.v[0]]).Cross(s.X[f.v[2]].Sub(s.X[f.v[0]])))
	}
	return n.Cross(dir).Unit()
}

// ahead is the vertex beside v, about a way, that a tear goes on to: of those near enough their
// limit the one nearest to that; −1: none.
func (s *System) ahead(v int32, way geom.Vec3, over []float64, done []bool) int32 {
	best, most := int32(-1), 0.0
	for at := s.round.start[v]; at < s.round.start[v+1]; at++ {
		for _, w := range s.faces[s.round.at[at]/3].v {
			if w == v || int(w) >= len(over) || done[w] || s.pinned[w] || over[w] < goesOn || s.shoved[w] > s.Steps {
				continue
			}
			if u := s.X[w].Sub(s.X[v]).Unit().Dot(way); u > 0.5 && u*over[w] > most {
				best, most = w, u*over[w]
			}
		}
	}
	return best
}

// strains are, of each vertex, its largest strain by its limit, and the direction of that; nil
// where nothing can tear. x is where they are.
func (s *System) strains(x []geom.Vec3) (over []float64, dir []geom.Vec3) {
	some := false
	for k := range s.Sheets {
		some = some || s.Sheets[k].Fabric.Tears > 0
	}
	if !some {
		return nil, nil
	}
	torn := s.tree.torn
	over, dir = make([]float64, len(s.X)), make([]geom.Vec3, len(s.X))
	s.round = incidenceOf(len(s.X), s.faces)
	s.crew.For(len(s.X), 256, func(lo, hi int) {
		for v := lo; v < hi; v++ {
			fab := &s.Sheets[s.sheet(v)].Fabric
			if fab.Tears == 0 || torn != nil && torn[v] {
				continue // what is at a tear already parts where another reaches it
			}
			limit := fab.Tears * (1 - s.weak[v]) * (1 - s.Burnt[v])
			if fab.Uneven > 0 {
				h := noise.Hash(uint64(s.sheet(v)), int64(s.name[v]), 0, 0)
				limit *= 1 - fab.Uneven*float64(h>>11)/(1<<53)
			}
			strain, d := s.strainAt(v, x)
			strain -= s.turned(v)
			if strain > 0 && s.twoSides(v, d) { // else it hangs by one side already
				over[v], dir[v] = strain/max(limit, 1e-6), d
			}
		}
	})
	return over, dir
}

// turned is by how much the faces at a vertex are longer only as a step turned them along their
// tangents.
func (s *System) turned(v int) (most float64) {
	for at := s.round.start[v]; at < s.round.start[v+1]; at++ {
		most = max(most, s.state[s.round.at[at]/3].turn)
	}
	return most
}

// strainAt is a vertex's largest strain, the mean of its faces, and its direction.
func (s *System) strainAt(v int, x []geom.Vec3) (float64, geom.Vec3) {
	var e [3]float64
	var u, q geom.Vec3
	var all float64
	for at := s.round.start[v]; at < s.round.start[v+1]; at++ {
		f := &s.faces[s.round.at[at]/3]
		a := x[f.v[0]]
		e1, e2 := x[f.v[1]].Sub(a), x[f.v[2]].Sub(a)
		w := e1.Mul(f.w[1][0]).Add(e2.Mul(f.w[2][0]))
		z := e1.Mul(f.w[1][1]).Add(e2.Mul(f.w[2][1]))
		e[0], e[1], e[2] = e[0]+f.area*(w.Dot(w)-1)/2, e[1]+f.area*(z.Dot(z)-1)/2, e[2]+f.area*w.Dot(z)/2
		u, q = u.Add(w.Mul(f.area)), q.Add(z.Mul(f.area))
		all += f.area
	}
	if all == 0 {
		return 0, geom.Vec3{}
	}
	mid, half, sh := (e[0]+e[1])/(2*all), (e[0]-e[1])/(2*all), e[2]/all
	r := math.Hypot(half, sh)
	angle := math.Atan2(sh, half) / 2
	sin, cos := math.Sincos(angle)
	return math.Sqrt(max(1+2*(mid+r), 0)) - 1, u.Mul(cos).Add(q.Mul(sin)).Unit()
}

// twoSides reports a vertex that has faces on both sides of a plane across dir.
func (s *System) twoSides(v int, dir geom.Vec3) bool {
	near, far := false, false
	for at := s.round.start[v]; at < s.round.start[v+1]; at++ {
		f := &s.faces[s.round.at[at]/3]
		mid := s.X[f.v[0]].Add(s.X[f.v[1]]).Add(s.X[f.v[2]]).Mul(1.0 / 3)
		if mid.Sub(s.X[v]).Dot(dir) > 0 {
			far = true
		} else {
			near = true
		}
	}
	return near && far
}

// highest reports a vertex stretched more than all that it shares a face with.
func (s *System) highest(v int, over []float64) bool {
	for at := s.round.start[v]; at < s.round.start[v+1]; at++ {
		for _, w := range s.faces[s.round.at[at]/3].v {
			if int(w) < len(over) && (over[w] > over[v] || over[w] == over[v] && int(w) < v) {
				return false
			}
		}
	}
	return true
}

// part doubles a vertex across a direction.
func (s *System) part(v int32, dir geom.Vec3) bool {
	var far []int32 // faces on the far side
	list := s.round.at[s.round.start[v]:s.round.start[v+1]]
	for _, at := range list {
		f := &s.faces[at/3]
		mid := s.X[f.v[0]].Add(s.X[f.v[1]]).Add(s.X[f.v[2]]).Mul(1.0 / 3)
		if mid.Sub(s.X[v]).Dot(dir) > 0 {
			far = append(far, at)
		}
	}
	if len(far) == 0 || len(far) == len(list) {
		return false
	}
	// fans that hang together by edges: the first keeps the vertex, each other gets one
	var near []int32
	for _, at := range list {
		if !slices.Contains(far, at) {
			near = append(near, at)
		}
	}
	fans := append(s.fans(v, near), s.fans(v, far)...)
	for _, fan := range fans {
		if len(fan) == 1 && s.alone(fan[0]) { // a shred of one face would be left
			return false
		}
	}
	for _, fan := range fans[1:] {
		n := s.double(v)
		for _, at := range fan {
			s.faces[at/3].v[at%3] = n
		}
	}
	return true
}

// alone reports a face that hangs together with others at the sides of one corner only.
func (s *System) alone(at int32) bool {
	f := &s.faces[at/3]
	a, b := f.v[(at%3+1)%3], f.v[(at%3+2)%3]
	if int(a) >= len(s.round.start)-1 {
		a, b = b, a
	}
	if int(a) >= len(s.round.start)-1 {
		return true
	}
	for _, k := range s.round.at[s.round.start[a]:s.round.start[a+1]] {
		if g := &s.faces[k/3]; g != f && (g.v[0] == b || g.v[1] == b || g.v[2] == b) && (g.v[0] == a || g.v[1] == a || g.v[2] == a) {
			return false
		}
	}
	return true
}

// fans parts faces at a vertex into those that hang together by edges at it.
func (s *System) fans(v int32, list []int32) (out [][]int32) {
	left := slices.Clone(list)
	for len(left) > 0 {
		fan := []int32{left[0]}
		left = left[1:]
		for n := 0; n < len(fan); n++ {
			a := &s.faces[fan[n]/3]
			for m := 0; m < len(left); m++ {
				b := &s.faces[left[m]/3]
				shared := 0
				for _, p := range a.v {
					if p != v && (p == b.v[0] || p == b.v[1] || p == b.v[2]) {
						shared++
					}
				}
				if shared > 0 {
					fan, left = append(fan, left[m]), slices.Delete(left, m, m+1)
					m--
				}
			}
		}
		out = append(out, fan)
	}
	return out
}

// tornAt tells which vertices are at tears: doubles, and those that they are doubles of; nil: none.
func (s *System) tornAt() (at []bool) {
	was := s.First[len(s.First)-1]
	if len(s.X) == was {
		return nil
	}
	at = make([]bool, len(s.X))
	for v := was; v < len(s.X); v++ {
		at[v], at[s.First[s.sheet(v)]+int(s.name[v])] = true, true
	}
	return at
}

// double makes another vertex where v is.
func (s *System) double(v int32) int32 {
	if s.fresh != nil {
		s.fresh[v] = true
	}
	s.X, s.V = append(s.X, s.X[v]), append(s.V, s.V[v])
	s.oldX, s.oldV = append(s.oldX, s.oldX[v]), append(s.oldV, s.oldV[v])
	s.Mass, s.dry, s.area = append(s.Mass, 0), append(s.dry, 0), append(s.area, 0)
	s.Wet, s.Heat, s.Burnt = append(s.Wet, s.Wet[v]), append(s.Heat, s.Heat[v]), append(s.Burnt, s.Burnt[v])
	s.of, s.name = append(s.of, s.of[v]), append(s.name, s.name[v])
	s.rest, s.weak = append(s.rest, s.rest[v]), append(s.weak, s.weak[v])
	s.held, s.pinned, s.shoved = append(s.held, s.held[v]), append(s.pinned, false), append(s.shoved, s.shoved[v])
	s.tense = append(s.tense, 0)
	s.Bears, s.Extra = append(s.Bears, geom.Vec3{}), append(s.Extra, 0)
	return int32(len(s.X) - 1)
}

// Pieces counts what hangs together by faces.
func (s *System) Pieces() (many int) {
	root := make([]int32, len(s.X))
	for i := range root {
		root[i] = int32(i)
	}
	find := func(i int32) int32 {
		for root[i] != i {
			root[i] = root[root[i]]
			i = root[i]
		}
		return i
	}
	used := make([]bool, len(s.X))
	for k := range s.faces {
		v := s.faces[k].v
		used[v[0]], used[v[1]], used[v[2]] = true, true, true
		for _, w := range v[1:] {
			if a, b := find(v[0]), find(w); a != b {
				root[max(a, b)] = min(a, b)
			}
		}
	}
	for i := range root {
		if used[i] && find(int32(i)) == int32(i) {
			many++
		}
	}
	return many
}
