package gas

// Frames finer than the voxels. Points lie where the smoke is to a hundredth of a voxel, and
// filling voxels from them blurs that away: a quadratic spline keeps half of what waves of
// four voxels hold. A frame needn't. Its smoke is spread on voxels a half or a third as wide,
// after the step and beside it, so that motion and its price stay what they are. Heat and
// flame, which voxels carry, lie between theirs.

import (
	"slices"

	"zarf/core/grid"
	"zarf/core/shot"
	"zarf/core/shot/val"
	"zarf/core/vec"
)

// fineness is how many voxels of a domain's frames stand along one of its run.
func fineness(d *shot.Element) int {
	if val.SmokeBy.Of(d) != "points" || val.Flat.Of(d) {
		return 1
	}
	switch val.SmokeFine.Of(d) {
	case "2":
		return 2
	case "3":
		return 3
	}
	return 1
}

// part is a box of a field on finer voxels: low counts them from the limit's corner.
type part struct {
	low  [3]int
	n    grid.Dims
	data []float32
}

// fineSmoke is the smoke of the points on voxels 1/f as wide.
func (s *Solver) fineSmoke(f int) part {
	p := s.points
	out, box := s.roundPoints(f)
	if len(p.of) == 0 {
		return out
	}
	if s.solid.any && p.met == nil {
		p.met = make([]uint32, s.Len())
	}
	hidden := s.hiddenCells()
	order, from := s.byPlanes()
	first, planes := box[0][2], box[1][2]-box[0][2]
	slabs := (planes + slab - 1) / slab
	for odd := range 2 {
		s.crew.For((slabs+1-odd)/2, 1, func(n0, n1 int) {
			for n := n0; n < n1; n++ {
				k := first + (2*n+odd)*slab
				for _, i := range order[from[k]:from[min(k+slab, first+planes)]] {
					s.spreadFine(&out, f, int(i), hidden)
				}
			}
		})
	}
	s.fillSurfaces(&out, f, box, hidden)
	return out
}

// fillSurfaces gives the first layer of voxels within solids what they have for pictures: a surface
// lies within them, and points don't.
func (s *Solver) fillSurfaces(to *part, f int, box [2][3]int, hidden []bool) {
	if !s.solid.any {
		return
	}
	lo, hi := box[0], box[1]
	for k := lo[2]; k < hi[2]; k++ {
		for j := lo[1]; j < hi[1]; j++ {
			for i := lo[0]; i < hi[0]; i++ {
				n := s.Index(i, j, k)
				if !s.solid.blocked[n] || hidden != nil && hidden[n] {
					continue
				}
				for q := range f * f * f {
					to.data[to.n.Index((i-lo[0])*f+q%f, (j-lo[1])*f+q/f%f, (k-lo[2])*f+q/(f*f))] = s.Smoke.Data[n]
				}
			}
		}
	}
}

// byPlanes lists points by the planes that they are in, and where each plane begins. The points
// themselves stay in their order, which the next step goes by.
func (s *Solver) byPlanes() (order []int32, from []int) {
	p := s.points
	plane := func(z float32) int { return clampInt(int(z)-s.Low[2], s.NZ-1) }
	from = make([]int, s.NZ+2)
	for _, z := range p.at[2] {
		from[plane(z)+2]++
	}
	for k := range s.NZ {
		from[k+2] += from[k+1]
	}
	order = make([]int32, len(p.of))
	for i, z := range p.at[2] {
		next := &from[plane(z)+1]
		order[*next] = int32(i)
		*next++
	}
	return order, from[:s.NZ+1]
}

// roundPoints is the room that points' smoke takes on finer voxels, and the voxels that it goes
// over: a voxel more than points lie in, each way.
func (s *Solver) roundPoints(f int) (out part, box [2][3]int) {
	p := s.points
	lo, hi := [3]float32{1e9, 1e9, 1e9}, [3]float32{-1e9, -1e9, -1e9}
	for a := range p.at {
		if len(p.of) > 0 {
			lo[a], hi[a] = slices.Min(p.at[a]), slices.Max(p.at[a])
		}
	}
	n := [3]int{s.NX, s.NY, s.NZ}
	var d [3]int
	for a := range n {
		if len(p.of) > 0 {
			box[0][a], box[1][a] = max(int(lo[a])-s.Low[a]-1, 0), min(int(hi[a])-s.Low[a]+2, n[a])
		}
		out.low[a], d[a] = (s.Low[a]+box[0][a])*f, (box[1][a]-box[0][a])*f
	}
	out.n = grid.Dims{NX: d[0], NY: d[1], NZ: d[2]}
	out.data = make([]float32, out.n.Len())
	return out, box
}

// hiddenCells are voxels whose smoke isn't shown: those deep inside solids; nil: none.
func (s *Solver) hiddenCells() (hidden []bool) {
	s.Hidden(func(cell int) {
		if hidden == nil {
			hidden = make([]bool, s.Len())
		}
		hidden[cell] = true
	})
	return hidden
}

// spot is where a point lies on finer voxels.
type spot struct {
	c    [3]int        // its voxel
	w    [3][3]float32 // what those before, at and behind it get, by axis
	from [3][3]int     // which of the three coarse voxels round the point's own those lie in
}

// spreadFine adds a point's smoke to the 27 fine voxels round it.
func (s *Solver) spreadFine(to *part, f, i int, hidden []bool) {
	p := s.points
	n, room := [3]int{s.NX, s.NY, s.NZ}, [3]int{to.n.NX, to.n.NY, to.n.NZ}
	var at spot
	var home, first [3]int
	for a := range home {
		x := p.at[a][i] - float32(s.Low[a])
		first[a] = to.low[a]/f - s.Low[a]
		home[a] = clampInt(int(x), n[a]-1)
		x = (x - float32(first[a])) * float32(f)
		at.c[a] = clampInt(int(x), room[a]-1)
		at.w[a] = spline(x-float32(at.c[a])-0.5, at.c[a], room[a])
	}
	m := p.of[i] * float32(f*f*f)
	if !s.solid.any || !s.solid.within(home[1], home[2], 2) {
		to.add(&at, m)
		return
	}
	if hidden != nil && hidden[s.Index(home[0], home[1], home[2])] {
		return
	}
	met := s.metRound(home[0], home[1], home[2])
	if met == allMet {
		to.add(&at, m)
		return
	}
	for a := range home {
		for q := range at.from[a] {
			at.from[a][q] = clampInt((at.c[a]+q-1)/f+first[a]-home[a]+1, 2)
		}
	}
	to.addBeside(&at, m, met)
}

// add adds smoke at a spot.
func (to *part) add(at *spot, m float32) {
	home, plane := to.n.Index(at.c[0], at.c[1], at.c[2]), to.n.NX*to.n.NY
	inner := at.c[0] > 0 && at.c[0]+1 < to.n.NX
	wx := &at.w[0]
	for z, wz := range at.w[2] {
		for y, wy := range at.w[1] {
			w := m * wz * wy
			if w == 0 {
				continue
			}
			o := home + (z-1)*plane + (y-1)*to.n.NX - 1
			if inner {
				row := (*[3]float32)(to.data[o:])
				row[0] += w * wx[0]
				row[1] += w * wx[1]
				row[2] += w * wx[2]
				continue
			}
			for x, v := range wx {
				if v != 0 {
					to.data[o+x] += w * v
				}
			}
		}
	}
}

// addBeside is add where fluid doesn't get to all coarse voxels round the point's own: those fine
// ones that it gets to share what the others would have.
func (to *part) addBeside(at *spot, m float32, met uint32) {
	var weights [27]float32
	var sum float32
	for q := range weights {
		x, y, z := q%3, q/3%3, q/9
		if met>>(at.from[0][x]+3*at.from[1][y]+9*at.from[2][z])&1 != 0 {
			weights[q] = at.w[0][x] * at.w[1][y] * at.w[2][z]
			sum += weights[q]
		}
	}
	home, plane := to.n.Index(at.c[0], at.c[1], at.c[2]), to.n.NX*to.n.NY
	for q, w := range weights {
		if w != 0 {
			to.data[home+q%3-1+(q/3%3-1)*to.n.NX+(q/9-1)*plane] += m * w / sum
		}
	}
}

// finer is a field of the voxels on finer ones, straight between theirs: where it holds something.
func (s *Solver) finer(data []float32, f int) part {
	lo, hi := s.holding(data)
	d := [3]int{hi[0] - lo[0], hi[1] - lo[1], hi[2] - lo[2]}
	out := part{n: grid.Dims{NX: d[0] * f, NY: d[1] * f, NZ: d[2] * f}}
	for a := range lo {
		out.low[a] = (s.Low[a] + lo[a]) * f
	}
	out.data = make([]float32, out.n.Len())
	if len(out.data) == 0 {
		return out
	}
	src := &grid.Field{Dims: s.Dims, Data: data}
	place := func(i, lo, n int) (int, float32) {
		return vec.Split(float32(lo)+(float32(i)+0.5)/float32(f)-0.5, n)
	}
	s.crew.For(out.n.NZ, 4, func(k0, k1 int) {
		row := make([]float32, s.NX)
		for k := k0; k < k1; k++ {
			z, fz := place(k, lo[2], s.NZ)
			for j := range out.n.NY {
				y, fy := place(j, lo[1], s.NY)
				w := [4]float32{(1 - fy) * (1 - fz), fy * (1 - fz), (1 - fy) * fz, fy * fz}
				y1, z1 := min(y+1, s.NY-1), min(z+1, s.NZ-1)
				vec.Blend(row, src.Row(y, z), src.Row(y1, z), src.Row(y, z1), src.Row(y1, z1), &w)
				to := out.data[(k*out.n.NY+j)*out.n.NX:][:out.n.NX]
				for i := range to {
					x, fx := place(i, lo[0], s.NX)
					to[i] = vec.Lerp(row[x], row[min(x+1, s.NX-1)], fx)
				}
			}
		}
	})
	return out
}

// holding is the box of voxels in which a field isn't 0, and a voxel more each way.
func (s *Solver) holding(data []float32) (lo, hi [3]int) {
	lo = [3]int{s.NX, s.NY, s.NZ}
	for k := range s.NZ {
		for j := range s.NY {
			row := data[s.Index(0, j, k):][:s.NX]
			first := slices.IndexFunc(row, func(v float32) bool { return v != 0 })
			if first < 0 {
				continue
			}
			last := s.NX - 1
			for row[last] == 0 {
				last--
			}
			for a, v := range [3][2]int{{first, last}, {j, j}, {k, k}} {
				lo[a], hi[a] = min(lo[a], v[0]), max(hi[a], v[1]+1)
			}
		}
	}
	for a, n := range [3]int{s.NX, s.NY, s.NZ} {
		if hi[a] == 0 { // nothing anywhere
			return [3]int{}, [3]int{}
		}
		lo[a], hi[a] = max(lo[a]-1, 0), min(hi[a]+1, n)
	}
	return lo, hi
}
