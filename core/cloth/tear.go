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
func (s *System) tear() (many int) {
	over, dir := s.strains()
	if over == nil {
		return 0
	}
	s.round = incidenceOf(len(s.X), s.faces)
	for v := range len(over) {
		if over[v] <= 1 || s.pinned[v] || !s.highest(v, over) {
			continue
		}
		if s.part(int32(v), dir[v]) {
			many++
		}
	}
	if many > 0 {
		s.folds, s.bends = bends(s.rest, s.faces, s.Sheets)
		s.knit()
	}
	return many
}

// strains are, of each vertex, its largest strain by its limit, and the direction of that; nil
// where nothing can tear.
func (s *System) strains() (over []float64, dir []geom.Vec3) {
	some := false
	for k := range s.Sheets {
		some = some || s.Sheets[k].Fabric.Tears > 0
	}
	if !some {
		return nil, nil
	}
	over, dir = make([]float64, len(s.X)), make([]geom.Vec3, len(s.X))
	s.crew.For(len(s.X), 256, func(lo, hi int) {
		for v := lo; v < hi; v++ {
			fab := &s.Sheets[s.sheet(v)].Fabric
			if fab.Tears == 0 {
				continue
			}
			limit := fab.Tears * (1 - s.weak[v])
			if fab.Uneven > 0 {
				h := noise.Hash(uint64(s.sheet(v)), int64(s.name[v]), 0, 0)
				limit *= 1 - fab.Uneven*float64(h>>11)/(1<<53)
			}
			strain, d := s.strainAt(v)
			if strain > 0 && s.twoSides(v, d) { // else it hangs by one side already
				over[v], dir[v] = strain/max(limit, 1e-6), d
			}
		}
	})
	return over, dir
}

// strainAt is a vertex's largest strain, the mean of its faces, and its direction.
func (s *System) strainAt(v int) (float64, geom.Vec3) {
	var e [3]float64
	var u, q geom.Vec3
	var all float64
	for at := s.round.start[v]; at < s.round.start[v+1]; at++ {
		f := &s.faces[s.round.at[at]/3]
		a := s.X[f.v[0]]
		e1, e2 := s.X[f.v[1]].Sub(a), s.X[f.v[2]].Sub(a)
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
	for _, fan := range fans[1:] {
		n := s.double(v)
		for _, at := range fan {
			s.faces[at/3].v[at%3] = n
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

// double makes another vertex where v is.
func (s *System) double(v int32) int32 {
	s.X, s.V = append(s.X, s.X[v]), append(s.V, s.V[v])
	s.oldX, s.oldV = append(s.oldX, s.oldX[v]), append(s.oldV, s.oldV[v])
	s.Mass, s.dry, s.area = append(s.Mass, 0), append(s.dry, 0), append(s.area, 0)
	s.Wet, s.Heat = append(s.Wet, s.Wet[v]), append(s.Heat, s.Heat[v])
	s.of, s.name = append(s.of, s.of[v]), append(s.name, s.name[v])
	s.rest, s.weak = append(s.rest, s.rest[v]), append(s.weak, s.weak[v])
	s.held, s.pinned = append(s.held, s.held[v]), append(s.pinned, false)
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
