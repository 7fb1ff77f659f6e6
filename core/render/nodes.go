package render

// Density as paths read it: at one node of a lattice, which is drawn by the weights that
// interpolation gives to the eight round a place (stochastic filtering, Pharr, Wronski,
// Salvi and Fajardo 2024). A trial collision is real by a chance that is linear in the
// density, so it is drawn as if that had been interpolated, and a product of such chances
// has the same mean; one read takes the place of eight, or of a spline's 64.

import (
	"math"
	"unsafe"

	"zarf/core/geom"
	"zarf/core/grid"
)

// nodes are the density of a volume on a lattice of its voxels, or where it is read
// smoothly of their halves: by tiles, each with a ring of nodes round it, as shares of the
// largest of them.
type nodes struct {
	fold  int // nodes a voxel along each axis
	tile  int // voxels along the edges of tiles
	tiles grid.Dims
	skip  []uint8 // 0 for tiles with something in them
	edge  int     // of a tile, its ring included
	plots []plot
	far   [3]float32 // where density ends, half a voxel beyond the volume
	q     []uint16
}

// plot is what there is to know of a tile, in half a line of the cache.
type plot struct {
	begin  int32      // of its nodes; −1 without
	peak   float32    // the largest density that a moment of the exposure may move into it
	own    float32    // and of its nodes
	corner [3]float32 // in voxels
	_      [2]float32
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
	n.edge = n.fold*n.tile + 2
	up := func(many int) int { return (many + n.tile - 1) / n.tile }
	n.tiles = grid.Dims{NX: up(d.NX), NY: up(d.NY), NZ: up(d.NZ)}
	t, size, full := n.tiles, n.edge*n.edge*n.edge, 0
	n.plots = make([]plot, t.Len())
	for m := range n.plots {
		i, j, k := m%t.NX, m/t.NX%t.NY, m/(t.NX*t.NY)
		p := &n.plots[m]
		p.corner = [3]float32{float32(n.tile * i), float32(n.tile * j), float32(n.tile * k)}
		p.begin = -1
		if v.still[v.tiles.Index(i*n.tile/tile, j*n.tile/tile, k*n.tile/tile)] > 0 {
			p.begin = int32(full * size)
			full++
		}
	}
	if v.opacity != nil || full*size > mostNodes {
		return nil
	}
	if full > 0 {
		n.q = unsafe.Slice((*uint16)(unsafe.Pointer(&grid.Huge((full*size + 1) / 2)[0])), full*size)
	}
	n.fill(v, size, crew)
	if blurs {
		own := make([]float32, t.Len())
		for m := range own {
			own[m] = n.plots[m].own
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

// fill works out the nodes of all tiles that hold something, so many each.
func (n *nodes) fill(v *Volume, size int, crew grid.Crew) {
	crew.For(len(n.plots), 16, func(lo, hi int) {
		room := newNodeRoom(n.edge)
		for m := lo; m < hi; m++ {
			p := &n.plots[m]
			if p.begin < 0 {
				continue
			}
			if v.spline != nil {
				room.smooth(v.spline.c, p.corner)
			} else {
				room.copy(v.Density, p.corner)
			}
			p.own = pack(n.q[p.begin:][:size], room.out)
			p.peak = p.own
		}
	})
}

// pack makes numbers shares of the largest, which is returned.
func pack(to []uint16, from []float32) float32 {
	var top float32
	for _, x := range from {
		top = max(top, x)
	}
	if top <= 0 {
		return 0
	}
	inv := 65535 / top
	for i, x := range from {
		to[i] = uint16(max(x, 0)*inv + 0.5)
	}
	return top
}

// share draws a node for a place in voxels in or by a tile, and is its density over the
// tile's largest.
func (n *nodes) share(p *plot, x, y, z float32, bits uint64) float32 {
	if p.begin < 0 || !(min(x, y, z) >= -0.5) || x > n.far[0] || y > n.far[1] || z > n.far[2] {
		return 0
	}
	k, last := float32(n.fold), n.edge-1
	const unit = 1.0 / (1 << 21)
	// half a node down, a ring up, and on by chance; below 0 by less than 1 is 0
	i := int((x-p.corner[0])*k + 0.5 + float32(int64(bits&(1<<21-1)))*unit)
	j := int((y-p.corner[1])*k + 0.5 + float32(int64(bits>>21&(1<<21-1)))*unit)
	l := int((z-p.corner[2])*k + 0.5 + float32(int64(bits>>42&(1<<21-1)))*unit)
	return float32(n.q[int(p.begin)+(min(l, last)*n.edge+min(j, last))*n.edge+min(i, last)]) * (1.0 / 65535)
}

// elsewhere is the share of the largest density of a tile, met by a moment of the exposure,
// where fluid has moved from, which may be any other.
func (n *nodes) elsewhere(v *Volume, m int, p geom.Vec3, bits uint64) float32 {
	t := n.tiles
	at := func(x float64, many int) int { return min(max(int(x), 0)/n.tile, many-1) }
	here := &n.plots[t.Index(at(p.X, t.NX), at(p.Y, t.NY), at(p.Z, t.NZ))]
	return n.share(here, float32(p.X), float32(p.Y), float32(p.Z), bits) * here.own / n.plots[m].peak
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
func (r *nodeRoom) copy(f *grid.Field, corner [3]float32) {
	e := r.edge
	at := func(a, i, n int) int { return min(max(int(corner[a])+i-1, 0), n-1) }
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
func (r *nodeRoom) smooth(c *grid.Field, corner [3]float32) {
	e, size := r.edge, [3]int{c.NX, c.NY, c.NZ}
	var from [3][nodeSpan]int
	var first [3][2*tile + 2]int
	var by [3][2*tile + 2][4]float32
	for a, n := range size {
		low := int(corner[a]) - 3
		for i := range from[a] {
			from[a][i] = mirroredAt(min(max(low+i, -n), 2*n), n)
		}
		for m := range e {
			at := min(max(corner[a]+float32(m-1)/2-0.25, 0), float32(n-1))
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
		return float64(n.share(&n.plots[c.tile], float32(c.q.X+d.X*x), float32(c.q.Y+d.Y*x), float32(c.q.Z+d.Z*x), t.r.bits()))
	}
	return t.farChance(c, c.q.Add(d.Mul(x)))
}

// farChance is chance of what has to be worked out.
func (t *trip) farChance(c *crossing, p geom.Vec3) float64 {
	v := c.v
	if v.nodes == nil {
		return math.Min(float64(v.blurred(p, t.moment))/float64(v.major[c.tile]), 1)
	}
	return float64(v.nodes.elsewhere(v, c.tile, v.moves.back(v, p, t.moment), t.r.bits()))
}

// majorant is the largest density that trial collisions in the crossing's tile meet.
func (c *crossing) majorant() float64 {
	if n := c.v.nodes; n != nil {
		return float64(n.plots[c.tile].peak)
	}
	return float64(c.v.major[c.tile])
}
