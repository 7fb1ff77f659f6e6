package cloth

// foot is what a drop that touches a vertex presses on: those round it on the cloth, the less the
// farther. A drop is no point. On a mesh much finer than drops are large, all of a drop's push would
// else come to three vertices that weigh a hundredth of it, and throw them about.
type foot struct {
	of    *matrix // of the mesh for which it was found
	start []int32
	at    []int32
	share []float64 // of each vertex's sum to 1: what is given is kept
	sum   []float64
}

// wide is how many spacings of drops a foot reaches.
const wide = 1.5

// find lists who is near each vertex, along the cloth, by where they are at rest.
func (f *foot) find(s *System, space float64) {
	if f.of == s.m {
		return
	}
	f.of, f.start, f.at, f.share = s.m, append(f.start[:0], 0), f.at[:0], f.share[:0]
	r := wide * space
	mark := make([]int32, len(s.X))
	var front []int32
	for j := range s.X {
		mark[j] = int32(j) + 1
		front = append(front[:0], int32(j))
		from, all := len(f.at), 0.0
		for k := 0; k < len(front); k++ {
			v := front[k]
			q := s.rest[v].Sub(s.rest[j])
			w := (1 - q.Dot(q)/(r*r)) * max(s.area[v], 1e-12)
			f.at, f.share, all = append(f.at, v), append(f.share, w), all+w
			for _, at := range s.round.at[s.round.start[v]:s.round.start[v+1]] {
				for _, o := range s.faces[at/3].v {
					if mark[o] == int32(j)+1 {
						continue
					}
					mark[o] = int32(j) + 1
					if s.rest[o].Sub(s.rest[j]).Len() < r {
						front = append(front, o)
					}
				}
			}
		}
		for k := from; k < len(f.at); k++ {
			f.share[k] /= all
		}
		f.start = append(f.start, int32(len(f.at)))
	}
}

// under calls fn for who is pressed by what touches a vertex, and with which share.
func (f *foot) under(v int32, fn func(o int32, share float64)) {
	for k := f.start[v]; k < f.start[v+1]; k++ {
		fn(f.at[k], f.share[k])
	}
}

// spread puts numbers of vertices under their feet.
func (f *foot) spread(v []float64) {
	f.sum = append(f.sum[:0], make([]float64, len(v))...)
	for j, x := range v {
		if x != 0 {
			f.under(int32(j), func(o int32, share float64) { f.sum[o] += share * x })
		}
	}
	copy(v, f.sum)
}
