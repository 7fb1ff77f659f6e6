package liquid

// Beside solids thinner than a voxel liquid on one side must not feel what is on the
// other: particles near them add to, and read from, those corners alone that open faces
// join to the cell that they belong to (Guendelman, Selle, Losasso, Fedkiw 2005).

import (
	"math"

	"zarf/core/geom"
	"zarf/core/grid"
	"zarf/core/vec"
)

// zones are the cells near thin solids.
type zones struct {
	of   []int32 // by cell: which zone, plus one; nil: there are none
	list []zone
}

// zone is a cell near a thin solid. Bit (dz+1)·9 + (dy+1)·3 + dx+1 of joined says that
// open faces, within a cell all round, join it to the one that is (dx, dy, dz) away.
type zone struct {
	joined uint32
	clear  float32 // how far its middle is from solids, voxels
	// seen are the nodes of each lattice (3: middles) that it is joined to: bit
	// 16 (dz+1) + 4 (dy+1) + dx+1 for the one that is (dx, dy, dz) away.
	seen [4]uint64
}

// findZones looks for them; open faces are those of solids alone.
func (s *Solver) findZones() {
	so := &s.solid
	z := &so.zones
	z.of, z.list = nil, z.list[:0]
	near := s.besideThin()
	if near == nil {
		return
	}
	z.of = make([]int32, s.Len())
	for c, yes := range near {
		if yes {
			z.list = append(z.list, zone{})
			z.of[c] = int32(len(z.list))
		}
	}
	s.crew.For(s.NZ, 1, func(k0, k1 int) {
		for c := s.Index(0, 0, k0); c < s.Index(0, 0, k1); c++ {
			if n := z.of[c]; n > 0 {
				i, j, k := c%s.NX, c/s.NX%s.NY, c/(s.NX*s.NY)
				g := zone{joined: s.joinedTo(i, j, k), clear: float32(s.clearOf(i, j, k))}
				for a := range g.seen {
					for m := range 64 {
						if at := [3]int{i + m&3 - 1, j + m>>2&3 - 1, k + m>>4 - 1}; s.isSeen(a, g.joined, [3]int{i, j, k}, at) {
							g.seen[a] |= 1 << m
						}
					}
				}
				z.list[n-1] = g
			}
		}
	})
}

// besideThin marks the cells within one of a face that something shuts which is thinner than
// a voxel: one between two cells that liquid gets into. It is nil where there is none.
func (s *Solver) besideThin() (near []bool) {
	so := &s.solid
	gets := func(i, j, k int) bool {
		x, y, y1, z, z1 := s.faceRows(&so.open, j, k)
		return max(x[i], x[i+1], y[i], y1[i], z[i], z1[i]) >= closed
	}
	for a := range 3 {
		if s.Flat && a == 2 {
			continue
		}
		for k := so.reach.lo[2]; k < so.reach.hi[2]; k++ {
			for j := so.reach.lo[1]; j < so.reach.hi[1]; j++ {
				open := so.open[a].Row(j, k)
				for i := so.reach.lo[0]; i < so.reach.hi[0]; i++ {
					at := [3]int{i, j, k}
					before := at
					before[a]--
					if before[a] < 0 || open[i] >= closed || !gets(i, j, k) || !gets(before[0], before[1], before[2]) {
						continue
					}
					// on one side of what is thick they are joined round about
					if s.isJoined(s.joinedTo(i, j, k), at, before) {
						continue
					}
					if near == nil {
						near = make([]bool, s.Len())
					}
					s.markRound(near, before, at)
				}
			}
		}
	}
	return near
}

// markRound marks the cells from lo to hi and those beside them.
func (s *Solver) markRound(mark []bool, lo, hi [3]int) {
	r := region{lo: lo, hi: [3]int{hi[0] + 1, hi[1] + 1, hi[2] + 1}}.grow(1, s.Dims)
	for k := r.lo[2]; k < r.hi[2]; k++ {
		for j := r.lo[1]; j < r.hi[1]; j++ {
			for i := r.lo[0]; i < r.hi[0]; i++ {
				mark[s.Index(i, j, k)] = true
			}
		}
	}
}

// joinedTo finds the cells round one that open faces join it to.
func (s *Solver) joinedTo(i, j, k int) uint32 {
	so := &s.solid
	const middle = 13
	met := uint32(1) << middle
	queue := [27]int8{middle}
	n := [3]int{s.NX, s.NY, s.NZ}
	step := [3]int8{1, 3, 9}
	for head, tail := 0, 1; head < tail; head++ {
		m := queue[head]
		off := [3]int{int(m)%3 - 1, int(m)/3%3 - 1, int(m)/9 - 1}
		at := [3]int{i + off[0], j + off[1], k + off[2]}
		for a := range 3 {
			for up := range 2 {
				d := 2*up - 1
				to := at[a] + d
				if off[a]+d < -1 || off[a]+d > 1 || to < 0 || to >= n[a] {
					continue
				}
				face := at
				face[a] += up
				next := m + int8(d)*step[a]
				if met>>next&1 != 0 || so.open[a].At(face[0], face[1], face[2]) < closed {
					continue
				}
				met |= 1 << next
				queue[tail] = next
				tail++
			}
		}
	}
	return met
}

// clearOf is how far a cell's middle is from solids, voxels.
func (s *Solver) clearOf(i, j, k int) float64 {
	p := s.Origin.Add(geom.V(float64(i)+0.5, float64(j)+0.5, float64(k)+0.5).Mul(s.H))
	d := math.Inf(1)
	for c := range s.solid.list {
		sh := &s.solid.list[c].Shape
		v := sh.Distance(p) / s.H
		if sh.Form == geom.Imported && sh.Body != nil { // of thin meshes the distance says too much
			v = min(v, sh.Body.Tree().Nearest(sh.Local(p), 2*s.H).T/s.H)
		}
		d = min(d, v)
	}
	return d
}

// ordinary is the home of particles that no thin solid is near to.
const ordinary = -1

// homeOf is the cell that a particle near a thin solid belongs to: its own, or where a
// solid lies between it and that one's middle, the next one that it can see.
func (s *Solver) homeOf(x *[3]float32) int32 {
	z := &s.solid.zones
	i, j, k := min(int(x[0]), s.NX-1), min(int(x[1]), s.NY-1), min(int(x[2]), s.NZ-1)
	c := s.Index(i, j, k)
	n := z.of[c]
	if n == 0 {
		return ordinary
	}
	at := [3]int{i, j, k}
	off := [3]float32{x[0] - float32(i) - 0.5, x[1] - float32(j) - 0.5, x[2] - float32(k) - 0.5}
	if d := z.list[n-1].clear; d > 0 && d*d > off[0]*off[0]+off[1]*off[1]+off[2]*off[2] {
		return int32(c)
	}
	if s.sees(x, at) {
		return int32(c)
	}
	// the axis along which it is farthest from the middle first
	var order [3]int
	for a := range 3 {
		order[a] = a
	}
	for a := range 2 {
		for b := a + 1; b < 3; b++ {
			if abs(off[order[b]]) > abs(off[order[a]]) {
				order[a], order[b] = order[b], order[a]
			}
		}
	}
	for _, a := range order {
		to := at
		if to[a]++; off[a] < 0 {
			to[a] -= 2
		}
		if to[a] < 0 || to[a] >= [3]int{s.NX, s.NY, s.NZ}[a] {
			continue
		}
		if d := s.Index(to[0], to[1], to[2]); z.of[d] > 0 && s.sees(x, to) {
			return int32(d)
		}
	}
	return int32(c)
}

// sees reports that no solid lies between a particle and a cell's middle.
func (s *Solver) sees(x *[3]float32, cell [3]int) bool {
	mid := [3]float32{float32(cell[0]) + 0.5, float32(cell[1]) + 0.5, float32(cell[2]) + 0.5}
	p, q := s.where(x), s.where(&mid)
	for c := range s.solid.list {
		if _, _, hit := s.solid.list[c].Shape.Meets(p, q, s.solid.fine[c]); hit {
			return false
		}
	}
	return true
}

// seen tells which corners of part a's lattice (3: the cells' middles) round a place liquid
// there can be exchanged with: bit c for corner c, of the node (i, j, k) on.
func (s *Solver) seen(a, i, j, k int, home int32) uint8 {
	z := &s.solid.zones.list[s.solid.zones.of[home]-1]
	h := int(home)
	hi, hj, hk := h%s.NX, h/s.NX%s.NY, h/(s.NX*s.NY)
	di, dj, dk := i-hi+1, j-hj+1, k-hk+1
	if uint(di) <= 2 && uint(dj) <= 2 && uint(dk) <= 2 {
		m := z.seen[a] >> (dk<<4 + dj<<2 + di)
		return uint8(m&3 | m>>2&12 | m>>12&48 | m>>14&192)
	}
	var out uint8
	for c := range 8 {
		if s.isSeen(a, z.joined, [3]int{hi, hj, hk}, [3]int{i + c&1, j + c>>1&1, k + c>>2}) {
			out |= 1 << c
		}
	}
	return out
}

// isSeen reports a node of part a's lattice that is joined to a cell: a face is of both its
// cells.
func (s *Solver) isSeen(a int, joined uint32, h, at [3]int) bool {
	if s.isJoined(joined, h, at) {
		return true
	}
	if a == 3 {
		return false
	}
	at[a]--
	return s.isJoined(joined, h, at)
}

// corner weights: how far along each axis, for the lower and the upper node.
func hats(fx, fy, fz float32) (w [8]float32) {
	gx, gy, gz := 1-fx, 1-fy, 1-fz
	a, b, c, d := gy*gz, fy*gz, gy*fz, fy*fz
	return [8]float32{gx * a, fx * a, gx * b, fx * b, gx * c, fx * c, gx * d, fx * d}
}

func (s *Solver) isJoined(joined uint32, h, at [3]int) bool {
	if at[0] < 0 || at[1] < 0 || at[2] < 0 || at[0] >= s.NX || at[1] >= s.NY || at[2] >= s.NZ {
		return false
	}
	d := [3]int{at[0] - h[0] + 1, at[1] - h[1] + 1, at[2] - h[2] + 1}
	if uint(d[0]) > 2 || uint(d[1]) > 2 || uint(d[2]) > 2 {
		return false
	}
	return joined>>(d[2]*9+d[1]*3+d[0])&1 != 0
}

// placeIn is place, and the same for cells' middles.
func placeIn(a int, x *[3]float32) (i, j, k int, fx, fy, fz float32) {
	if a < 3 {
		return place(a, x)
	}
	px, py, pz := x[0]+0.5, x[1]+0.5, x[2]+0.5
	i, j, k = int(px), int(py), int(pz)
	return i - 1, j - 1, k - 1, px - float32(i), py - float32(j), pz - float32(k)
}

// scatterOneSided adds a particle to the corners that it sees.
func (s *Solver) scatterOneSided(p *Particle, c *Slope, home int32) {
	x := p.X
	if s.Flat {
		x[2] = 0.5
	}
	for a := range 4 {
		i, j, k, fx, fy, fz := placeIn(a, &x)
		bits, w := s.seen(a, i, j, k, home), hats(fx, fy, fz)
		value := p.Heat
		if a < 3 {
			value = p.V[a]
		}
		for n, w := range w {
			if bits>>n&1 == 0 {
				continue
			}
			at := [3]int{i + n&1, j + n>>1&1, k + n>>2}
			v := value
			if c != nil && a < 3 {
				for b := range 3 {
					q := float32(at[b]) + 0.5
					if b == a {
						q -= 0.5
					}
					v += c[a][b] * (q - x[b])
				}
			}
			o := s.stagger.Row(at[1], at[2]) + 2*at[0]
			s.sums[a][o] += w * v
			s.sums[a][o+1] += w
		}
	}
}

// readOneSided reads fields at a place by the corners that are seen from its home.
func (s *Solver) readOneSided(x *[3]float32, home int32, fields ...*[3]*grid.Field) (out [3][3]float32) {
	for a := range 3 {
		i, j, k, fx, fy, fz := place(a, x)
		bits, w := s.seen(a, i, j, k, home), hats(fx, fy, fz)
		f := s.u[a]
		o := (k*f.NY+j)*f.NX + i
		var at [8]int
		var sum float32
		for n := range w {
			if bits>>n&1 == 0 {
				w[n] = 0
				at[n] = int(home) // any that is there
				continue
			}
			at[n] = o + n&1 + n>>1&1*f.NX + n>>2*f.NX*f.NY
			sum += w[n]
		}
		if sum < 1e-4 { // nothing is seen
			for b, g := range fields {
				c := corners(g[a], i, j, k)
				out[b][a] = mix(&c, fx, fy, fz)
			}
			continue
		}
		for b, g := range fields {
			d := g[a].Data
			v := w[0]*d[at[0]] + w[1]*d[at[1]] + w[2]*d[at[2]] + w[3]*d[at[3]]
			v += w[4]*d[at[4]] + w[5]*d[at[5]] + w[6]*d[at[6]] + w[7]*d[at[7]]
			out[b][a] = v / sum
		}
	}
	return out
}

// sortOut parts particles from lo to hi by whether thin solids are near: the columns get the
// others, and their slopes; it returns how many they are. Homes are noted.
func (s *Solver) sortOut(lo, hi int, w *sorted) int {
	n := 0
	for i := lo; i < hi; i++ {
		home := s.homeOf(&s.P[i].X)
		if s.homes[i] = home; home != ordinary {
			continue
		}
		w.p[n] = s.P[i]
		if s.C != nil {
			w.c[n] = s.C[i]
		}
		n++
	}
	return n
}

// sorted is the room of sortOut.
type sorted struct {
	p [vec.Bunch]Particle
	c [vec.Bunch]Slope
}

// carryOneSided gives a particle near a thin solid its new velocity, unless it has it, and
// takes it where it comes to, by one-sided looks alone.
func (s *Solver) carryOneSided(p *Particle, home int32, affine, have bool, keep, g float32) (x, v [3]float32) {
	in := s.readOneSided(&p.X, home, &s.u, &s.old, &s.gap)
	v = p.V
	for a := range 3 {
		switch {
		case have:
		case affine:
			v[a] = in[0][a]
		default:
			v[a] = in[1][a] + keep*v[a]
		}
	}
	k1 := in[0]
	at := func(k *[3]float32, share float32) (q [3]float32) {
		var y [3]float32
		for a, top := range [3]float32{float32(s.NX), float32(s.NY), float32(s.NZ)} {
			y[a] = min(max(p.X[a]+share*g*k[a], 0), top)
		}
		home := home
		if cellOf(s.Dims, &y) != cellOf(s.Dims, &p.X) {
			home = s.homeOf(&y)
		}
		if home == ordinary {
			return s.at(&y)
		}
		return s.readOneSided(&y, home, &s.u)[0]
	}
	k2 := at(&k1, 0.5)
	k3 := at(&k2, 0.75)
	for a := range 3 {
		x[a] = p.X[a] + g*(2*k1[a]+3*k2[a]+4*k3[a])/9
		if s.spread {
			x[a] += min(max(in[2][a], -0.3), 0.3)
		}
	}
	if s.Flat {
		x[2] = p.X[2]
	}
	return x, v
}

// divided reports that a thin solid lies between a face of part a and the next one along
// another axis: both ways round are shut.
func (s *Solver) divided(a, b int, face [3]int, up int) bool {
	hi := face
	hi[b] += up
	lo := hi
	lo[a]--
	n := [3]int{s.NX, s.NY, s.NZ}
	shut := func(at [3]int) bool {
		for c := range 3 {
			if c != b && (at[c] < 0 || at[c] >= n[c]) {
				return true
			}
		}
		return s.solid.open[b].At(at[0], at[1], at[2]) < closed
	}
	return shut(lo) && shut(hi)
}
