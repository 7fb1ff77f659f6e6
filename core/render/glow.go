package render

// Fire as a source of light. It is gathered twice: exactly, as a distribution over
// voxels that paths draw from; and roughly, as clusters that the march takes for
// lamps.

import (
	"math"
	"slices"

	"zarf/core/geom"
	"zarf/core/grid"
	"zarf/core/look"
	"zarf/core/vec"
)

// fire is a cluster of glowing voxels as one light.
// power over distance squared is irradiance, as of a point with the cluster's size
// Within its own size a cluster is taken for a ball: without the size in the sum
// below, a place in its middle would be infinitely bright.
type fire struct {
	at     geom.Vec3
	size   float64  // m, within which it isn't a point
	power  look.RGB // ∫ glow dV: irradiance times distance squared, before the look's brightness
	weight float64
}

// lightTiles finds the tiles that glow and gathers them into fires.
//
// Three uses, one pass: which tiles rays must look at (lit), by what a place within
// the fire is drawn (weight, bright), and clusters as lights of their own (fires).
func (v *Volume) lightTiles(crew grid.Crew) {
	t, f := v.tiles, v.Density
	v.lit = make([]bool, t.Len())
	// One for each tile, joined below; tiles don't share a sum, so threads don't
	// either.
	all := make([]fire, t.Len())
	// eight parts of each tile, which are lights of their own where there are few
	parts := make([][8]fire, t.Len())
	bright := make([]float32, t.Len())
	v.bright = bright
	h3 := v.H * v.H * v.H
	crew.For(t.NZ, 1, func(k0, k1 int) {
		for k := k0; k < k1; k++ {
			for j := range t.NY {
				for i := range t.NX {
					if away(i, v.hot[0][0], v.hot[1][0]) || away(j, v.hot[0][1], v.hot[1][1]) || away(k, v.hot[0][2], v.hot[1][2]) {
						continue
					}
					n := t.Index(i, j, k)
					// A tile with a ring, for lit; power and weight count each voxel
					// once, in its own tile.
					for z := max(k*tile-1, 0); z < min(k*tile+tile+1, f.NZ); z++ {
						for y := max(j*tile-1, 0); y < min(j*tile+tile+1, f.NY); y++ {
							red, green, blue := v.Glow[0].Row(y, z), v.Glow[1].Row(y, z), v.Glow[2].Row(y, z)
							for x := max(i*tile-1, 0); x < min(i*tile+tile+1, f.NX); x++ {
								if red[x] == 0 && green[x] == 0 && blue[x] == 0 {
									continue
								}
								g := look.RGB{float64(red[x]), float64(green[x]), float64(blue[x])}
								v.lit[n] = true
								if x/tile != i || y/tile != j || z/tile != k {
									continue
								}
								w := g[0] + g[1] + g[2]
								// A hair above the sum, as paths compare against it in
								// numbers of 16 bits.
								bright[n] = max(bright[n], float32(w*(1+5e-4)))
								p := geom.V(float64(x)+0.5, float64(y)+0.5, float64(z)+0.5).Mul(w)
								part := &parts[n][x%tile/(tile/2)+y%tile/(tile/2)*2+z%tile/(tile/2)*4]
								for _, f := range [2]*fire{&all[n], part} {
									f.weight += w
									f.at = f.at.Add(p)
									// Glow is per volume; a voxel's share is glow times h³.
									f.power = f.power.Add(g.Scale(h3))
								}
							}
						}
					}
				}
			}
		}
	})
	v.fires = v.fires[:0]
	// The middle of a cluster is that of its light, not of its box.
	for n := range parts {
		for _, x := range parts[n] {
			if x.weight > 0 {
				x.at = v.Origin.Add(x.at.Mul(v.H / x.weight))
				x.size = tile / 4 * v.H
				v.fires = append(v.fires, x)
			}
		}
	}
	weight := make([]float64, len(all))
	v.power = 0
	var mid geom.Vec3
	square := 0.0
	for n := range all {
		weight[n] = all[n].weight
		if w := all[n].weight; w > 0 {
			p := v.Origin.Add(all[n].at.Mul(v.H / w))
			v.power += w * h3
			mid, square = mid.Add(p.Mul(w*h3)), square+w*h3*p.Dot(p)
		}
	}
	if v.power > 0 {
		// Middle and spread of all fire, which tell paths from how far off fire is
		// one light.
		v.hearth = mid.Mul(1 / v.power)
		v.blaze = math.Sqrt(max(square/v.power-v.hearth.Dot(v.hearth), v.H*v.H))
	}
	// Tiles are drawn by their light, voxels within them by rejection against
	// bright.
	v.pick = newDiscrete(weight)
	// fire that moves may be met in tiles where none stands at the frame
	if v.moves != nil {
		f := make([]float32, len(v.lit))
		for n, l := range v.lit {
			if l {
				f[n] = 1
			}
		}
		for n, l := range v.moves.spread(v, f) {
			v.lit[n] = l > 0
		}
	}
	// Surfaces see a dozen lights with shadows, smoke 160 without: a shadow ray
	// costs far more than a look through mean densities.
	v.lamps = gatherFires(slices.Clone(v.fires), maxLamps)
	v.fires = gatherFires(v.fires, maxFires)
	v.blazes = gatherBlazes(v.fires)
}

// blaze is fires that are one from afar.
type blaze struct {
	whole fire
	parts []fire
}

// mostBlazes is how many there may be, and afar how many of their radii away they are one.
const (
	mostBlazes = 12
	afar       = 3
)

// gatherBlazes joins fires as gatherFires does, and keeps which.
func gatherBlazes(list []fire) []blaze {
	wholes := gatherFires(slices.Clone(list), mostBlazes)
	out := make([]blaze, len(wholes))
	for n, w := range wholes {
		out[n].whole = w
	}
	for _, f := range list {
		near, least := 0, math.Inf(1)
		for n := range wholes {
			if d := wholes[n].at.Sub(f.at); d.Dot(d) < least {
				near, least = n, d.Dot(d)
			}
		}
		out[near].parts = append(out[near].parts, f)
	}
	// each is what its parts are, which may be others than were joined
	for n := range out {
		w := fire{size: out[n].whole.size}
		for _, f := range out[n].parts {
			sum := w.weight + f.weight
			w.at = w.at.Mul(w.weight / sum).Add(f.at.Mul(f.weight / sum))
			w.power, w.weight = w.power.Add(f.power), sum
		}
		out[n].whole = w
	}
	return slices.DeleteFunc(out, func(b blaze) bool { return len(b.parts) == 0 })
}

// away reports that a tile and a voxel round it lie wholly beyond a range of voxels.
func away(i, lo, hi int) bool { return i*tile+tile+1 <= lo || i*tile-1 >= hi }

// maxFires bounds the lights that smoke sees, maxLamps those of surfaces.
// Both are small enough for every point of the coarse light grid to look at all.
const (
	maxFires = 64
	maxLamps = 12
)

// gatherFires joins fires in ever larger cells until few enough are left.
// Cells are anchored at the origin of space, so that clusters don't jump when a fire
// moves by a voxel.
func gatherFires(list []fire, most int) []fire {
	for cell := 0.0; len(list) > most; {
		if cell == 0 {
			cell = list[0].size * 2
		}
		// cells grow until few enough are left; each keeps its total power and its
		// middle
		// Slowly, so that as many lights as allowed are kept.
		cell *= 1.2
		at := map[[3]int]int{}
		var out []fire
		for _, f := range list {
			key := [3]int{int(math.Floor(f.at.X / cell)), int(math.Floor(f.at.Y / cell)), int(math.Floor(f.at.Z / cell))}
			n, ok := at[key]
			if !ok {
				n = len(out)
				at[key] = n
				out = append(out, fire{size: cell / 2})
			}
			o := &out[n]
			w := o.weight + f.weight
			// A running mean in the order of the list, which is that of the tiles.
			o.at = o.at.Mul(o.weight / w).Add(f.at.Mul(f.weight / w))
			o.power, o.weight = o.power.Add(f.power), w
		}
		list = out
	}
	// brightest first, equals in order: sums have the same bits everywhere
	slices.SortStableFunc(list, func(a, b fire) int {
		switch {
		case a.weight > b.weight:
			return -1
		case a.weight < b.weight:
			return 1
		}
		return 0
	})
	return list
}

// fireOn is the irradiance of a surface by a volume's fire, over π; solids
// throw shadows, and smoke on the way dims it.
// A dozen lights with a shadow ray each.
// Irradiance over π is what a white matt surface sends back.
func (v *Volume) fireOn(s *Scene, t *trip, at, normal geom.Vec3) (e look.RGB) {
	if s.Look.FlameLight <= 0 {
		return e
	}
	c := s.Look.Extinction
	sigma := (c[0] + c[1] + c[2]) / 3
	for _, f := range v.lamps {
		to := f.at.Sub(at)
		r := to.Len()
		dir := to.Mul(1 / max(r, 1e-9))
		// Fire behind the surface doesn't reach it.
		cos := normal.Dot(dir)
		if cos <= 0 {
			continue
		}
		// up to the cluster's edge: its own voxels must not shadow it
		if s.blocked(t, at, dir, r-f.size) {
			continue
		}
		k := s.Look.FlameLight * cos / (math.Pi * (r*r + f.size*f.size))
		// up to the near side of the cluster, from where most of its light gets out
		near := at.Add(to.Mul(max(r-f.size, 0) / max(r, 1e-9)))
		for i := range s.mist {
			k *= s.mist[i].between(at, near, sigma)
		}
		e = e.Add(f.power.Scale(k))
	}
	return e
}

// warm works out the light of fire and lamps that comes straight to points of the volume,
// on a coarse grid: the sum over all with the smoke in between.
//
// Points × lights × looks: the dearest part of a change of look on fire. Tiles
// without smoke near are left out.
func (l *lightGrid) warm(v *Volume, s *Scene, all []haze, sigma float64, crew grid.Crew) {
	if len(all) == 0 {
		return
	}
	gain := s.Look.FlameLight
	// coarse cells: light of fire has no edges within smoke that finer points would find
	f := v.Density.Dims
	n := max(int(l.coarse), min(max(max(f.NX, f.NY, f.NZ)/16, tile/2), tile))
	d := grid.Dims{NX: (f.NX + n - 1) / n, NY: (f.NY + n - 1) / n, NZ: (f.NZ + n - 1) / n}
	for c := range l.fire {
		l.fire[c], l.straight[c], l.flow[c] = grid.NewField(d), make([]float32, d.Len()), make([]float32, d.Len())
	}
	// lobes as far as they are linear in the cosine
	g := float32(3 * ((1-s.Look.Lobes.Share)*s.Look.Lobes.G + s.Look.Lobes.Share*s.Look.Lobes.Back))
	crew.For(d.NZ, 1, func(k0, k1 int) {
		var r warmed
		for k := k0; k < k1; k++ {
			for j := range d.NY {
				for i := 0; i < d.NX; i += vec.Points {
					if !r.find(v, n, i, j, k, min(i+vec.Points, d.NX)) {
						continue // no smoke here to be lit
					}
					for _, u := range s.Volumes {
						for n := range u.blazes {
							b := &u.blazes[n]
							if r.gap(b.whole.at) > afar*b.whole.size {
								r.by(all, &b.whole, gain, sigma)
								continue
							}
							for m := range b.parts {
								r.by(all, &b.parts[m], gain, sigma)
							}
						}
					}
					for m := range r.n {
						l.put(&r, m, d.Index(r.i[m], j, k), v, s, all, sigma, g)
					}
				}
			}
		}
	})
	if n > int(l.coarse) {
		fine := grid.Dims{NX: l.cells(f.NX), NY: l.cells(f.NY), NZ: l.cells(f.NZ)}
		for c := range l.fire {
			l.fire[c] = finer(l.fire[c], fine, l.coarse/float32(n), crew)
			l.straight[c] = finer(&grid.Field{Dims: d, Data: l.straight[c]}, fine, l.coarse/float32(n), crew).Data
			l.flow[c] = finer(&grid.Field{Dims: d, Data: l.flow[c]}, fine, l.coarse/float32(n), crew).Data
		}
	}
}

// put keeps the light at point m of a row, and adds that of the lamps: its cell is at, and
// lobes are linear in the cosine, with g.
func (l *lightGrid) put(r *warmed, m, at int, v *Volume, s *Scene, all []haze, sigma float64, g float32) {
	p := r.point(m)
	sum := look.RGB{float64(r.sum[0][m]), float64(r.sum[1][m]), float64(r.sum[2][m])}
	onward := geom.V(float64(r.flux[0][m]), float64(r.flux[1][m]), float64(r.flux[2][m]))
	for n := range s.Lamps {
		// No normal: smoke takes light from everywhere.
		c, from, _ := s.Lamps[n].on(p, geom.Vec3{})
		for i := range all {
			c = c.Scale(all[i].between(p, s.Lamps[n].Centre, sigma))
		}
		sum = sum.Add(c)
		onward = onward.Sub(from.Mul(c[0] + c[1] + c[2]))
	}
	to := s.Camera.Eye.Sub(p).Unit()
	share := float32(0)
	if w := sum[0] + sum[1] + sum[2]; w > 0 {
		share = max(1+g*float32(onward.Dot(to)/w), 0.05)
		for a, f := range onward.Array() {
			l.flow[a][at] = float32(f / w)
		}
	}
	for c := range 3 {
		l.straight[c][at] = float32(sum[c])
		l.fire[c].Data[at] = float32(sum[c]) * share
	}
}

// cells is how many coarse cells so many voxels make.
func (l *lightGrid) cells(n int) int { return (n + int(l.coarse) - 1) / int(l.coarse) }

// finer reads a field at the middles of cells of a share of its own's width.
func finer(f *grid.Field, d grid.Dims, share float32, crew grid.Crew) *grid.Field {
	out := grid.NewField(d)
	crew.For(d.NZ, 1, func(k0, k1 int) {
		row := make([]float32, f.NX) // of the field, between its rows
		for k := k0; k < k1; k++ {
			z, fz := vec.Split((float32(k)+0.5)*share-0.5, f.NZ)
			z1 := min(z+1, f.NZ-1)
			for j := range d.NY {
				y, fy := vec.Split((float32(j)+0.5)*share-0.5, f.NY)
				y1 := min(y+1, f.NY-1)
				w := [4]float32{(1 - fy) * (1 - fz), fy * (1 - fz), (1 - fy) * fz, fy * fz}
				vec.Blend(row, f.Row(y, z), f.Row(y1, z), f.Row(y, z1), f.Row(y1, z1), &w)
				to := out.Row(j, k)
				for i := range to {
					x, fx := vec.Split((float32(i)+0.5)*share-0.5, f.NX)
					to[i] = vec.Lerp(row[x], row[min(x+1, f.NX-1)], fx)
				}
			}
		}
	})
	return out
}

// haze is a volume by the mean densities of its tiles: how thick smoke is, roughly.
type haze struct {
	v    *Volume
	mean []float32
}

// hazes are those of all volumes; none where neither fire nor lamps light smoke.
func (s *Scene) hazes(crew grid.Crew) (all []haze) {
	lit := len(s.Lamps) > 0
	for _, v := range s.Volumes {
		lit = lit || len(v.fires) > 0 && s.Look.FlameLight > 0
	}
	if !lit {
		return nil
	}
	for _, v := range s.Volumes {
		if !v.empty {
			all = append(all, haze{v, v.thin(v.mapped(crew), crew)})
		}
	}
	return all
}

// warmed are points of a row that fire lights together: ways to a light differ along x
// alone, so that all meet the same rows of tiles.
type warmed struct {
	n                              int
	i                              [vec.Points]int
	x                              vec.Row32 // m from base; behind the last as that
	radii, way, tau, pass, w, some vec.Row32 // to a light: radii of it and m, depth, e^−τ, and what of it comes
	sum, flux                      [3]vec.Row32
	base, y, z                     float64 // m
}

// find takes those of the points i to end of a row that have smoke near them.
func (r *warmed) find(v *Volume, cell, i, j, k, end int) bool {
	at := func(n, most int) int { return min((2*n+1)*cell/(2*tile), most-1) }
	tj, tk, q := at(j, v.tiles.NY), at(k, v.tiles.NZ), float64(cell)*v.H
	r.n, r.sum, r.flux = 0, [3]vec.Row32{}, [3]vec.Row32{}
	r.base, r.y, r.z = v.Origin.X, v.Origin.Y+(float64(j)+0.5)*q, v.Origin.Z+(float64(k)+0.5)*q
	for ; i < end; i++ {
		if v.skip[v.tiles.Index(at(i, v.tiles.NX), tj, tk)] > 1 {
			continue
		}
		r.i[r.n], r.x[r.n] = i, float32((float64(i)+0.5)*q)
		r.n++
	}
	for m := r.n; m > 0 && m < vec.Points; m++ {
		r.x[m] = r.x[r.n-1]
	}
	return r.n > 0
}

// gap is how far the nearest place between the points is from another, m.
func (r *warmed) gap(p geom.Vec3) float64 {
	at := p.X - r.base
	dx, dy, dz := at-min(max(at, float64(r.x[0])), float64(r.x[r.n-1])), p.Y-r.y, p.Z-r.z
	return math.Sqrt(dx*dx + dy*dy + dz*dz)
}

func (r *warmed) point(m int) geom.Vec3 { return geom.V(r.base+float64(r.x[m]), r.y, r.z) }

// by adds the light of a fire, each point's through the smoke between.
//
// How much of a ball's light comes through smoke, from a depth of tau to its middle and of
// depth for its radius: from without, its near side shines through less smoke than its
// middle does, and more than makes up for the far one: e^−τ sinh q/q, q the depth of a
// radius. From within, light comes from all along the way to its edge.
func (r *warmed) by(all []haze, f *fire, gain, sigma float64) {
	at, dy, dz := f.at.X-r.base, f.at.Y-r.y, f.at.Z-r.z
	across := dy*dy + dz*dz
	share := float32(gain / (4 * math.Pi))
	radius := f.size * 1.2407 // of a ball of as much room
	inv := float32(1 / (radius * radius))
	first, last := float64(r.x[0]), float64(r.x[r.n-1])
	near, far := at-min(max(at, first), last), max(math.Abs(at-first), math.Abs(at-last))
	// far too little to show on film, even at the nearest
	if share/max(float32(near*near+across), 1/inv)*float32(f.weight) < 1e-7 {
		return
	}
	for i := range all {
		r.through(&all[i], f, math.Sqrt(far*far+across), sigma)
		if i == 0 {
			r.tau = r.some
		} else {
			vec.Add(r.tau[:], r.tau[:], r.some[:])
		}
	}
	vec.Reach(&r.radii, &r.way, &r.tau, &r.x, float32(at), float32(across), float32(1/radius))
	close := near*near+across < 9*radius*radius
	if close {
		own := 0.0 // depth of the ball's radius
		for i := range all {
			own += sigma * radius * float64(all[i].at(f.at))
		}
		for m, x := range r.radii {
			if x < 1 {
				r.tau[m] = float32(own) * (1 + x)
			}
		}
	}
	vec.Fade(r.pass[:], r.tau[:], 1)
	vec.Beam(&r.w, &r.radii, &r.tau, &r.pass, share*inv)
	if close {
		for m, x := range r.radii {
			switch tau := r.tau[m]; {
			case x >= 3:
			case x >= 1:
				r.w[m] *= ball(x) * x * x
			case tau < 0.01:
				r.w[m] = share * inv * ball(x)
			default:
				r.w[m] = share * inv * ball(x) * (1 - r.pass[m]) / tau
			}
		}
	}
	p := [3]float32{float32(f.power[0]), float32(f.power[1]), float32(f.power[2])}
	vec.Receive(&r.sum, &r.flux, &r.w, &r.way, &r.x, &p, &[3]float32{float32(at), float32(dy), float32(dz)}, p[0]+p[1]+p[2])
}

// ball is the mean radiance, all round, at a distance of x radii from the middle of a ball
// that shines evenly from within, against that at one radius from a point as bright:
// 3/2 [1 + (1 − x²)/(2x) ln |(1 + x)/(1 − x)|].
func ball(x float32) float32 {
	if at := x * (ballSize / 3); at < ballSize {
		i := int(at)
		return balls[i] + (balls[i+1]-balls[i])*(at-float32(i))
	}
	return 1 / (x * x)
}

const ballSize = 96 // up to three radii

var balls [ballSize + 1]float32

func init() {
	for i := range balls {
		x := 3 * float64(i) / ballSize
		switch {
		case x == 0:
			balls[i] = 3
		case x == 1:
			balls[i] = 1.5
		default:
			balls[i] = float32(1.5 * (1 + (1-x*x)/(2*x)*math.Log(math.Abs((1+x)/(1-x)))))
		}
	}
}

// at is the mean density about a place.
func (h *haze) at(p geom.Vec3) float32 {
	q, t := h.v.toGrid(p), h.v.tiles
	i, j, k := int(math.Floor(q.X/tile)), int(math.Floor(q.Y/tile)), int(math.Floor(q.Z/tile))
	if i < 0 || j < 0 || k < 0 || i >= t.NX || j >= t.NY || k >= t.NZ {
		return 0
	}
	return h.mean[t.Index(i, j, k)]
}

// through is the depth of a volume between the points and a fire, the farthest most m
// away, for each metre.
func (r *warmed) through(h *haze, f *fire, most, sigma float64) {
	v := h.v
	n := looks(most, v.H)
	// in tiles; looks stand in the middle of equal steps
	by := 1 / (tile * v.H)
	step := by / float64(n)
	dy, dz := (f.at.Y-r.y)*step, (f.at.Z-r.z)*step
	vec.Depths(&r.some, &r.x, h.mean, [3]int{v.tiles.NX, v.tiles.NY, v.tiles.NZ}, &vec.Ways{
		At: float32(f.at.X - r.base), Step: float32(step), From: float32(v.Origin.X - r.base), By: float32(by),
		Y: float32((r.y-v.Origin.Y)*by + 0.5*dy), Z: float32((r.z-v.Origin.Z)*by + 0.5*dz), SY: float32(dy), SZ: float32(dz), Looks: n,
	})
	vec.Times(r.some[:], r.some[:], float32(sigma/float64(n)))
}

// looks is how many of tiles a way of so many metres takes: on long ways the mean of a
// tile is as good as a finer one.
func looks(long, h float64) int { return min(max(int(long/(tile*h)), 1), 16) }

// thin is the mean density of every tile.
// For between, which needs only how thick the way is.
// Tiles at the far side may be cut by the volume's edge; their sum is over the whole
// tile's count all the same, as what lies outside is empty.
func (v *Volume) thin(f *grid.Field, crew grid.Crew) []float32 {
	t := v.tiles
	out := make([]float32, t.Len()+vec.Lanes)
	crew.For(t.Len(), t.NX, func(lo, hi int) {
		for n := lo; n < hi; n++ {
			if v.major[n] <= 0 {
				continue
			}
			i, j, k := n%t.NX, n/t.NX%t.NY, n/(t.NX*t.NY)
			var sum float32
			for z := k * tile; z < min(k*tile+tile, f.NZ); z++ {
				for y := j * tile; y < min(j*tile+tile, f.NY); y++ {
					for _, d := range f.Row(y, z)[i*tile : min(i*tile+tile, f.NX)] {
						sum += d
					}
				}
			}
			out[n] = sum / (tile * tile * tile)
		}
	})
	return out
}

// between is the transmittance from a to b through the tiles' mean densities.
// By tiles along a straight line: fast, and smooth enough for light within smoke.
func (h *haze) between(a, b geom.Vec3, sigma float64) float64 {
	v, mean := h.v, h.mean
	d := b.Sub(a)
	long := d.Len()
	n := looks(long, v.H)
	// In tiles; looks stand in the middle of equal steps.
	q := v.toGrid(a).Mul(1.0 / tile)
	step := d.Mul(1 / (tile * v.H * float64(n)))
	x, y, z := float32(q.X+0.5*step.X), float32(q.Y+0.5*step.Y), float32(q.Z+0.5*step.Z)
	dx, dy, dz := float32(step.X), float32(step.Y), float32(step.Z)
	nx, ny, nz := uint(v.tiles.NX), uint(v.tiles.NY), uint(v.tiles.NZ)
	var sum float32
	for range n {
		// what lies below 0 by less than a tile is taken for the first one's
		// Unsigned, so that one comparison an axis holds both ends.
		if i, j, k := uint(int(x)), uint(int(y)), uint(int(z)); i < nx && j < ny && k < nz {
			sum += mean[(k*ny+j)*nx+i]
		}
		x, y, z = x+dx, y+dy, z+dz
	}
	return float64(fade(float32(sigma*long/float64(n)) * sum))
}

// fade is exp(−x) for x ≥ 0 within 3e-7 of it, and exactly 1 at 0.
// The library is exact to float64, which nothing here needs.
func fade(x float32) float32 {
	// e^−87 is the last normal float32; NaN comes here too
	if !(x < 87) {
		return 0
	}
	// x = k ln 2 + r, |r| ≤ ½ ln 2: a Taylor polynomial to r⁶ and a shift of the
	// exponent. ln 2 is taken off in two parts, the first exact in float32.
	k := int32(x*1.44269504 + 0.5)
	r := x - float32(k)*0.693359375 + float32(k)*2.12194440e-4 // x − k ln 2
	e := 1 - r*(1-r*(0.5-r*(1.0/6-r*(1.0/24-r*(1.0/120-r*(1.0/720))))))
	return e * math.Float32frombits(uint32(127-k)<<23)
}
