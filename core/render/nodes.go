package render

// Density as paths read it: at one node of a lattice, which is drawn by the weights that
// interpolation gives to the eight round a place (stochastic filtering, Pharr, Wronski,
// Salvi and Fajardo 2024). A trial collision is real by a chance that is linear in the
// density, so it is drawn as if that had been interpolated, and a product of such chances
// has the same mean; one read takes the place of eight, or of a spline's 64.

import (
	"math"
	"math/bits"
	"slices"
	"unsafe"

	"zarf/core/geom"
	"zarf/core/grid"
)

// nodes are the density of a volume on a lattice of its voxels, or where it is read
// smoothly of their halves: by tiles, those that hold something.
type nodes struct {
	fold  int // nodes a voxel along each axis
	tile  int // voxels along the edges of tiles
	shift int // a tile has 1 << shift nodes along an edge
	tiles grid.Dims
	skip  []uint8 // 0 for tiles with something in them
	plots []plot
	most  [3]int     // the last node along each axis
	far   [3]float32 // where density ends, half a voxel beyond the volume
	q     []uint16
	unit  float32 // what unpacked numbers are multiplied by
}

// plot is what there is to know of a tile.
type plot struct {
	begin int32   // of its nodes; −1 without
	peak  float32 // the largest density that is drawn in it, from nodes round it too, at any moment of the exposure
}

// nodeTile is the edge of tiles in voxels where smoke is dense: smaller than where emptiness
// is skipped, as trial collisions are the fewer the less density varies within. Thin smoke
// has few of them, and ways through tiles cost more; where fluid moves over the exposure the
// largest density would be that of other tiles anyway.
const nodeTile = 4

// thinTiles says that a ray meets little in tiles of smoke; sigma is extinction in 1/m for
// density 1.
func (v *Volume) thinTiles(sigma float64) bool {
	sum, n := 0.0, 0
	for _, m := range v.still {
		if m > 0 {
			sum, n = sum+float64(m), n+1
		}
	}
	return sum*sigma*tile*v.H < 2*float64(n)
}

// mostNodes bounds the nodes of a volume, of two bytes each.
const mostNodes = 1 << 30

// nodesOf lays a volume's density out for paths; nil where a curve bends it, which has to
// be worked out at the place itself, or where it would take too much memory. sigma is
// extinction in 1/m for density 1.
func (v *Volume) nodesOf(sigma float64, crew grid.Crew) *nodes {
	d := v.Density.Dims
	n := &nodes{fold: 1, far: [3]float32{float32(d.NX) + 0.5, float32(d.NY) + 0.5, float32(d.NZ) + 0.5}}
	if v.spline != nil {
		n.fold = 2
	}
	blurs := v.moves != nil && v.moves.shutter > 0
	if n.tile = nodeTile; blurs || v.thinTiles(sigma) {
		n.tile = tile
	}
	n.shift = bits.TrailingZeros(uint(n.fold * n.tile))
	up := func(many int) int { return (many + n.tile - 1) / n.tile }
	n.tiles = grid.Dims{NX: up(d.NX), NY: up(d.NY), NZ: up(d.NZ)}
	n.most = [3]int{n.fold*d.NX - 1, n.fold*d.NY - 1, n.fold*d.NZ - 1}
	t, size, full := n.tiles, 1<<(3*n.shift), 0
	n.plots = make([]plot, t.Len())
	for m := range n.plots {
		i, j, k := m%t.NX, m/t.NX%t.NY, m/(t.NX*t.NY)
		n.plots[m].begin = -1
		if v.still[v.tiles.Index(i*n.tile/tile, j*n.tile/tile, k*n.tile/tile)] > 0 {
			n.plots[m].begin = int32(full * size)
			full++
		}
	}
	if v.opacity != nil || full*size > mostNodes {
		return nil
	}
	if full > 0 {
		n.q = unsafe.Slice((*uint16)(unsafe.Pointer(&grid.Huge((full*size + 1) / 2)[0])), full*size)
	}
	n.fill(v, crew)
	if blurs {
		own := make([]float32, t.Len())
		for m := range own {
			own[m] = n.plots[m].peak
		}
		for m, x := range v.moves.spread(v, own) {
			n.plots[m].peak = x
		}
	}
	n.skip = make([]uint8, t.Len())
	for m := range n.plots {
		if n.plots[m].peak <= 0 {
			n.skip[m] = 1
		}
	}
	return n
}

// fill works out the nodes of all tiles that hold something.
func (n *nodes) fill(v *Volume, crew grid.Crew) {
	edge, in := n.fold*n.tile+2, 1<<n.shift
	var inv float32
	n.unit, inv = units(1.5 * slices.Max(v.still)) // a spline swings a little over
	t := n.tiles
	crew.For(len(n.plots), 16, func(lo, hi int) {
		room := newNodeRoom(edge)
		for m := lo; m < hi; m++ {
			p := &n.plots[m]
			if p.begin < 0 {
				continue
			}
			corner := [3]int{n.tile * (m % t.NX), n.tile * (m / t.NX % t.NY), n.tile * (m / (t.NX * t.NY))}
			if v.spline != nil {
				room.smooth(v.spline.c, corner)
			} else {
				room.copy(v.Density, corner)
			}
			// the ring round a tile is its neighbours', but may be drawn in it
			var peak uint16
			for _, x := range room.out {
				peak = max(peak, pack(x, inv))
			}
			p.peak = unpack(peak) * n.unit
			to := n.q[p.begin:]
			for k := range in {
				for j := range in {
					for i, x := range room.out[((k+1)*edge+j+1)*edge+1:][:in] {
						to[(k<<n.shift|j)<<n.shift|i] = pack(x, inv)
					}
				}
			}
		}
	})
}

// pack makes a number 16 bits of a floating-point number without a sign, eleven of them its
// fraction: off by a 4,096th at most. What is less than 2⁻³¹ of the largest is nothing, as
// processors take a hundred times as long with numbers below the usual.
func pack(x, inv float32) uint16 {
	q := min((math.Float32bits(max(x, 0)*inv)+1<<11)>>12, 1<<16-1)
	if q < 1<<11 {
		return 0
	}
	return uint16(q)
}

// units is what unpacked numbers are to be multiplied by where the largest is at most so
// much, and one over that.
func units(most float32) (unit, inv float32) {
	_, top := math.Frexp(float64(most))
	top = min(max(top, -120), 28) + 95
	return float32(math.Ldexp(1, top)), float32(math.Ldexp(1, -top))
}

// unpack gives numbers that are very small: nothing may be done to them before they are
// multiplied by their unit.
func unpack(q uint16) float32 { return math.Float32frombits(uint32(q) << 12) }

// draw is the density at a node that is drawn for a place in voxels.
func (n *nodes) draw(x, y, z float32, bits uint64) float32 {
	if !(min(x, y, z) >= -0.5) || x > n.far[0] || y > n.far[1] || z > n.far[2] {
		return 0
	}
	k := float32(n.fold)
	const unit = 1.0 / (1 << 21)
	// half a node down and on by chance; up by one, so that cutting off is rounding down
	i := min(max(int(x*k+0.5+float32(int64(bits&(1<<21-1)))*unit)-1, 0), n.most[0])
	j := min(max(int(y*k+0.5+float32(int64(bits>>21&(1<<21-1)))*unit)-1, 0), n.most[1])
	l := min(max(int(z*k+0.5+float32(int64(bits>>42&(1<<21-1)))*unit)-1, 0), n.most[2])
	s := n.shift & 7
	p := n.plots[(l>>s*n.tiles.NY+j>>s)*n.tiles.NX+i>>s].begin
	if p < 0 {
		return 0
	}
	in := 1<<s - 1
	return unpack(n.q[int(p)+((l&in)<<s|j&in)<<s|i&in]) * n.unit
}

// nodeRoom is what a tile's nodes are worked out in.
type nodeRoom struct {
	edge   int
	out    []float32
	rows   []float32 // of a spline: along z, then y
	planes []float32
}

// nodeSpan is how many coefficients along an axis a tile's nodes draw from.
const nodeSpan = tile + 5

func newNodeRoom(edge int) *nodeRoom {
	return &nodeRoom{edge: edge, out: make([]float32, edge*edge*edge), rows: make([]float32, edge*nodeSpan*nodeSpan), planes: make([]float32, edge*edge*nodeSpan)}
}

// copy takes voxels as they are; beyond the sides the outermost go on.
func (r *nodeRoom) copy(f *grid.Field, corner [3]int) {
	e := r.edge
	at := func(a, i, n int) int { return min(max(corner[a]+i-1, 0), n-1) }
	for k := range e {
		for j := range e {
			row, to := f.Row(at(1, j, f.NY), at(2, k, f.NZ)), r.out[(k*e+j)*e:][:e]
			for i := range to {
				to[i] = row[at(0, i, f.NX)]
			}
		}
	}
}

// smooth takes the spline of coefficients at halves of voxels, as it is read there.
func (r *nodeRoom) smooth(c *grid.Field, corner [3]int) {
	e, size := r.edge, [3]int{c.NX, c.NY, c.NZ}
	var from [3][nodeSpan]int
	var first [3][2*tile + 2]int
	var by [3][2*tile + 2][4]float32
	for a, n := range size {
		low := corner[a] - 3
		for i := range from[a] {
			from[a][i] = mirroredAt(min(max(low+i, -n), 2*n), n)
		}
		for m := range e {
			at := min(max(float32(corner[a])+float32(m-1)/2-0.25, 0), float32(n-1))
			i := min(int(at), max(n-2, 0))
			first[a][m], by[a][m] = min(max(i-1-low, 0), nodeSpan-4), weights(at-float32(i))
		}
	}
	for k := range e {
		o, w := first[2][k], by[2][k]
		for j := range nodeSpan {
			y, to := from[1][j], r.rows[(k*nodeSpan+j)*nodeSpan:][:nodeSpan]
			a, b, f, d := c.Row(y, from[2][o]), c.Row(y, from[2][o+1]), c.Row(y, from[2][o+2]), c.Row(y, from[2][o+3])
			for i, x := range from[0] {
				to[i] = (w[0]*a[x] + w[1]*b[x]) + (w[2]*f[x] + w[3]*d[x])
			}
		}
	}
	for k := range e {
		for j := range e {
			o, w := first[1][j], by[1][j]
			in, to := r.rows[(k*nodeSpan+o)*nodeSpan:], r.planes[(k*e+j)*nodeSpan:][:nodeSpan]
			for i := range to {
				to[i] = (w[0]*in[i] + w[1]*in[i+nodeSpan]) + (w[2]*in[i+2*nodeSpan] + w[3]*in[i+3*nodeSpan])
			}
		}
	}
	for n := range e * e {
		in, to := r.planes[n*nodeSpan:][:nodeSpan], r.out[n*e:][:e]
		for i := range to {
			v, w := in[first[0][i]:][:4], &by[0][i]
			to[i] = max((w[0]*v[0]+w[1]*v[1])+(w[2]*v[2]+w[3]*v[3]), 0)
		}
	}
}

// chance is how likely a trial collision on a crossing is a real one: density there over
// the tile's majorant.
func (t *trip) chance(c *crossing, d *geom.Vec3, x float64) float64 {
	v := c.v
	if n := v.nodes; n != nil && (v.moves == nil || t.moment == 0) {
		return float64(n.draw(float32(c.q.X+d.X*x), float32(c.q.Y+d.Y*x), float32(c.q.Z+d.Z*x), t.r.bits()) / n.plots[c.tile].peak)
	}
	return t.farChance(c, c.q.Add(d.Mul(x)))
}

// farChance is chance of what has to be worked out, or has moved there from elsewhere.
func (t *trip) farChance(c *crossing, p geom.Vec3) float64 {
	v := c.v
	if v.nodes == nil {
		return math.Min(float64(v.blurred(p, t.moment))/float64(v.major[c.tile]), 1)
	}
	p = v.moves.back(v, p, t.moment)
	return float64(v.nodes.draw(float32(p.X), float32(p.Y), float32(p.Z), t.r.bits()) / v.nodes.plots[c.tile].peak)
}

// majorant is the largest density that trial collisions in the crossing's tile meet.
func (c *crossing) majorant() float64 {
	if n := c.v.nodes; n != nil {
		return float64(n.plots[c.tile].peak)
	}
	return float64(c.v.major[c.tile])
}
