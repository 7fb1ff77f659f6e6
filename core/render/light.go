package render

// Light carried through smoke for the march, on a grid of cells as wide as one or two of
// the volume's voxels.

import (
	"math"
	"slices"

	"zarf/core/geom"
	"zarf/core/grid"
	"zarf/core/look"
	"zarf/core/vec"
)

// lightGrid is light that reaches each point, on grids of their own cells.
type lightGrid struct {
	sun    *grid.Field // transmittance to the sun
	scale  float32     // voxels of the volume in a cell of it
	coarse float32     // and of those below

	// Radiance that smoke there of albedo 1 sends to the eye: of the sun's light that comes by
	// way of other smoke, for an irradiance of 1; of sky and ground, in shares of around; of
	// fire and lamps, nil without. By colour, or the first for all.
	many, sky, fire [3]*grid.Field
	straight        [3][]float32 // light of fire and lamps before it is scattered, all round
	flow            [3][]float32 // the flux of that, for a light of 1
	around          look.RGB     // light of sky and ground, mean over all directions
}

// deepen turns light of the sun into the depth that it has come through.
func (l *lightGrid) deepen(crew grid.Crew) {
	crew.For(len(l.sun.Data), 1<<12, func(lo, hi int) { deepen(l.sun.Data[lo:hi]) })
}

// newSweeps readies the sweeps of a volume, through others that lie in the way too, whose
// shadows are thrown. sigma is extinction in 1/m for density 1.
// Cells are of two voxels: light is smooth, and a sweep costs an eighth. Fine ones are of
// one.
func newSweeps(v *Volume, others []*Volume, sigma float64, fine bool, thrown *shadows, crew grid.Crew) *sweeps {
	s := &sweeps{crew: crew, v: v, sigma: sigma, scale: 2, thrown: thrown}
	if fine {
		s.scale = 1
		f := v.mapped(crew)
		s.od = grid.NewField(f.Dims)
		crew.For(len(f.Data), 1<<14, func(lo, hi int) { vec.Times(s.od.Data[lo:hi], f.Data[lo:hi], float32(sigma*v.H)) })
	} else if s.od = thrown.cells(depths{v, 2}); len(others) > 1 {
		s.od = &grid.Field{Dims: s.od.Dims, Data: slices.Clone(s.od.Data)} // that of others comes to it
	}
	s.cell = float64(s.scale) * v.H
	for _, o := range others {
		if o != v && !o.empty {
			s.admit(o)
			s.others = append(s.others, o)
		}
	}
	return s
}

// newLight carries light through a volume.
func newLight(v *Volume, s *Scene, all []haze, thrown *shadows, sigma float64, crew grid.Crew) *lightGrid {
	sw := newSweeps(v, s.Volumes, sigma, s.Look.Smooth, thrown, crew)
	l := &lightGrid{sun: grid.NewField(sw.od.Dims), scale: float32(sw.scale)}
	sw.light(l.sun, ray{s.Look.SunDir.Array(), 1})
	// some forty coarse cells an axis: what was scattered twice is smooth
	d := v.Density.Dims
	l.coarse = float32(2 * ((max(d.NX, d.NY, d.NZ) + 79) / 80))
	l.warm(v, s, all, sigma, crew)
	l.multiple(v, s, sw, crew)
	if e := s.Look.Extinction; e[0] != e[1] || e[1] != e[2] {
		l.deepen(crew)
	}
	return l
}

// beyond is what is left of light along a way before it comes to a place beyond cells of
// so many of the sweeps', counted from one of them on; nil: all.
func (s *sweeps) beyond(by int, first [3]int) func(n int, at [3]float64) float32 {
	if len(s.others) == 0 {
		return nil
	}
	dirs := make([][3]float64, len(ways))
	for n := range ways {
		dirs[n] = ways[n].unit().Array()
	}
	wide := float64(by) * s.cell
	var list [][]*shadow
	for _, o := range s.others {
		list = append(list, s.thrown.of(o, wide, dirs...))
	}
	corner := s.v.Origin.Add(geom.V(float64(first[0]), float64(first[1]), float64(first[2])).Mul(wide))
	return func(n int, at [3]float64) float32 {
		p, left := corner.Add(geom.V(at[0], at[1], at[2]).Mul(wide)), float32(1)
		for _, h := range list {
			left *= h[n].at(p)
		}
		return left
	}
}

// halved is the optical depth of cells of two voxels, q times the mean density.
func (v *Volume) halved(q float32, crew grid.Crew) *grid.Field {
	f := v.mapped(crew)
	out := grid.NewField(grid.Dims{NX: (f.NX + 1) / 2, NY: (f.NY + 1) / 2, NZ: (f.NZ + 1) / 2})
	q *= 0.125
	crew.For(out.NZ, 2, func(k0, k1 int) {
		sum := make([]float32, f.NX+1)
		for k := k0; k < k1; k++ {
			for j := range out.NY {
				ja, jb, ka, kb := 2*j, min(2*j+1, f.NY-1), 2*k, min(2*k+1, f.NZ-1)
				vec.Blend(sum[:f.NX], f.Row(ja, ka), f.Row(jb, ka), f.Row(ja, kb), f.Row(jb, kb), &[4]float32{q, q, q, q})
				sum[f.NX] = sum[f.NX-1] // the last cell may be a voxel wide
				row := out.Row(j, k)
				for i := range row {
					row[i] = sum[2*i] + sum[2*i+1]
				}
			}
		}
	})
	return out
}

// admit adds what of another volume lies within the cells to their depth: the mean of
// places within each, axis by axis, as both volumes' axes are the same.
func (s *sweeps) admit(o *Volume) {
	cell, od, f := s.cell, s.od, o.mapped(s.crew)
	lo, hi := [3]int{}, [3]int{}
	var by [3][]share
	for a, n := range [3]int{od.NX, od.NY, od.NZ} {
		from, to := o.tight.Min.Array()[a]-s.v.Origin.Array()[a], o.tight.Max.Array()[a]-s.v.Origin.Array()[a]
		lo[a] = min(max(int(math.Floor(from/cell)), 0), n)
		hi[a] = min(max(int(math.Ceil(to/cell)), lo[a]), n)
		begin := (s.v.Origin.Array()[a] - o.Origin.Array()[a]) / o.H
		for c := lo[a]; c < hi[a]; c++ {
			by[a] = append(by[a], newShare(begin+float64(c)*cell/o.H, cell/o.H, [3]int{f.NX, f.NY, f.NZ}[a]))
		}
	}
	q := float32(s.sigma * cell)
	s.crew.For(len(by[2]), 1, func(k0, k1 int) {
		plane, row, room := make([]float32, f.NX*f.NY), make([]float32, f.NX), make([]float32, f.NX*f.NY)
		for k := k0; k < k1; k++ {
			by[2][k].rows(plane, room, func(z int) []float32 { return f.Data[f.Index(0, 0, z):][:len(plane)] })
			for j, w := range by[1] {
				w.rows(row, room[:f.NX], func(y int) []float32 { return plane[y*f.NX:][:f.NX] })
				out := od.Row(lo[1]+j, lo[2]+k)[lo[0]:]
				for i, w := range by[0] {
					var sum float32
					for m, v := range w.by {
						sum += v * row[w.first+m]
					}
					out[i] += q * sum
				}
			}
		}
	})
}

// share says how much of each voxel of a row, from the first on, lies in a cell.
type share struct {
	first int
	by    []float32
}

// newShare is that of a cell so many voxels wide that begins at a place: read in straight
// lines between voxels, at places close enough to see every voxel of n.
func newShare(begin, wide float64, n int) (s share) {
	looks := min(max(int(math.Ceil(wide)), 2), 64)
	one := float32(1 / float64(looks))
	for m := range looks {
		x := begin + (float64(m)+0.5)*wide/float64(looks)
		if x < -0.5 || x > float64(n)+0.5 { // as Volume.at has it
			continue
		}
		i, t := vec.Split(float32(x-0.5), n)
		if s.by == nil {
			s.first = i
		}
		for len(s.by) < min(i+2, n)-s.first {
			s.by = append(s.by, 0)
		}
		s.by[i-s.first] += one * (1 - t)
		if i+1 < n {
			s.by[i+1-s.first] += one * t
		}
	}
	return s
}

// rows adds up rows by their share, with room for one.
func (s *share) rows(to, room []float32, row func(n int) []float32) {
	clear(to)
	for n := 0; n < len(s.by); n += 4 {
		var from [4][]float32
		var w [4]float32
		for m := range from {
			from[m] = row(s.first + min(n+m, len(s.by)-1))
			if n+m < len(s.by) {
				w[m] = s.by[n+m]
			}
		}
		vec.Blend(room, from[0], from[1], from[2], from[3], &w)
		vec.Add(to, to, room)
	}
}

// sweeps carries light through cells of the given optical depth.
type sweeps struct {
	od, turned *grid.Field // the same with x and y changed, for what goes along x
	crew       grid.Crew
	v          *Volume
	others     []*Volume // through which light comes to the volume's sides
	thrown     *shadows  // by them
	scale      int       // voxels of the volume in a cell
	cell       float64   // m
	sigma      float64
}

// outside tells of places beyond the cells, in cells from their corner, what depth light
// from a direction has come through; nil where it is none.
func (s *sweeps) outside(dir [3]float64, turned bool) func(at [3]float64) float32 {
	if len(s.others) == 0 {
		return nil
	}
	list := make([]*shadow, len(s.others))
	for n, o := range s.others {
		list[n] = s.thrown.of(o, 0, dir)[0]
	}
	return func(at [3]float64) float32 {
		if turned {
			at[0], at[1] = at[1], at[0]
		}
		p := s.v.Origin.Add(geom.V(at[0], at[1], at[2]).Mul(s.cell))
		left := float32(1)
		for _, h := range list {
			left *= h.at(p)
		}
		return float32(-math.Log(float64(max(left, 1e-8))))
	}
}

// ray is light from a direction, and its share.
type ray struct {
	dir   [3]float64
	share float32
}

// light adds up into out what of each ray reaches the cells' middles.
func (s *sweeps) light(out *grid.Field, list ...ray) {
	var along *grid.Field // what came along x, turned
	keep, kept := float32(0), float32(0)
	for _, r := range list {
		if d := r.dir; math.Abs(d[0]) > math.Abs(d[1]) && math.Abs(d[0]) > math.Abs(d[2]) {
			if s.turned == nil {
				s.turned = turn(s.od, s.crew)
			}
			if along == nil {
				along = grid.NewField(s.turned.Dims)
			}
			sweep(along, s.turned, [3]float64{d[1], d[0], d[2]}, r.share, kept, s.outside(d, true), s.crew)
			kept = 1
			continue
		}
		sweep(out, s.od, r.dir, r.share, keep, s.outside(r.dir, false), s.crew)
		keep = 1
	}
	if along == nil {
		return
	}
	along = turn(along, s.crew)
	if keep == 0 {
		copy(out.Data, along.Data)
		return
	}
	s.crew.For(len(out.Data), 1<<14, func(lo, hi int) { vec.Add(out.Data[lo:hi], out.Data[lo:hi], along.Data[lo:hi]) })
}

// turn changes x and y of a field.
func turn(f *grid.Field, crew grid.Crew) *grid.Field {
	out := grid.NewField(grid.Dims{NX: f.NY, NY: f.NX, NZ: f.NZ})
	crew.For(f.NZ, 1, func(k0, k1 int) {
		const edge = 16 // squares stay in the first cache
		for k := k0; k < k1; k++ {
			from, to := f.Data[f.Index(0, 0, k):][:f.NX*f.NY], out.Data[out.Index(0, 0, k):][:f.NX*f.NY]
			for j0 := 0; j0 < f.NY; j0 += edge {
				for i0 := 0; i0 < f.NX; i0 += edge {
					for j := j0; j < min(j0+edge, f.NY); j++ {
						for i := i0; i < min(i0+edge, f.NX); i++ {
							to[i*f.NY+j] = from[j*f.NX+i]
						}
					}
				}
			}
		}
	})
	return out
}

// sweep carries light against its direction, which lies no nearer to x than to the
// other axes: slice by slice along the axis nearest to dir, each cell continuing the
// optical depth interpolated in the slice before. od is the depth of one cell's width;
// out becomes keep times what it was, and share times the light that arrives.
//
// The scheme is first order across slices: depth spreads sideways a little with
// every one, which softens shadows as they get longer. What is interpolated is the
// depth at the far sides of cells, so that half of each cell's own counts on either
// side (trapezoid). outside is the depth at places beyond; nil: none.
func sweep(out, od *grid.Field, dir [3]float64, share, keep float32, outside func([3]float64) float32, crew grid.Crew) {
	main, across := 1, 2
	if math.Abs(dir[2]) > math.Abs(dir[1]) {
		main, across = 2, 1
	}
	n := [3]int{od.NX, od.NY, od.NZ}
	inv := 1 / math.Abs(dir[main])
	half := float32(0.5 * inv) // of the path through one slice, in cells
	// a look at the slice before lies between the same four cells, seen from every
	// cell, with the same weights
	da, db := dir[0]*inv, dir[across]*inv
	ia, ib := int(math.Floor(da)), int(math.Floor(db))
	xa, xb := float32(da-math.Floor(da)), float32(db-math.Floor(db))
	w := [4]float32{(1 - xa) * (1 - xb), (1 - xa) * xb, xa * (1 - xb), xa * xb}
	first, last, step := n[main]-1, -1, -1
	if dir[main] < 0 {
		first, last, step = 0, n[main], 1
	}
	// the depth at the far sides of two slices, with room round each that light
	// comes in from
	const pad = 2
	long := n[0] + 2*pad
	var depth [2][]float32
	for i := range depth {
		depth[i] = make([]float32, long*(n[across]+2*pad))
	}
	for s := first; s != last; s += step {
		before, now := depth[s&1^1], depth[s&1]
		if outside != nil {
			// what a slice is read from beyond the cells: all of it, or its rim
			crew.For(n[across]+2, 4, func(lo, hi int) {
				for q := lo - 1; q < hi-1; q++ {
					row := before[(q+pad)*long+pad-1:][:n[0]+2]
					gap := n[0] + 1 // to the second of a row's two ends
					if s == first || q < 0 || q == n[across] {
						gap = 1
					}
					for i := 0; i < len(row); i += gap {
						var at [3]float64
						at[0] = float64(i) - 0.5 - 0.5*dir[0]*inv
						at[main] = float64(s-step) + 0.5 - 0.5*dir[main]*inv
						at[across] = float64(q) + 0.5 - 0.5*dir[across]*inv
						row[i] = outside(at)
					}
				}
			})
		}
		crew.For(n[across], 16, func(lo, hi int) {
			for q := lo; q < hi; q++ {
				j, k := s, q
				if main == 2 {
					j, k = q, s
				}
				a := (q+pad+ib)*long + pad + ia
				b := a + long
				from := [4][]float32{before[a:], before[b:], before[a+1:], before[b+1:]}
				vec.Deepen(now[(q+pad)*long+pad:][:n[0]], out.Row(j, k), od.Row(j, k), &from, &w, half, share, keep)
			}
		})
	}
}
