package render

import (
	"math"

	"zarf/core/geom"
	"zarf/core/grid"
)

// crossing is a ray's way through the tiles of a volume that hold smoke or flame, in
// voxels. Tiles are stepped through as by Amanatides and Woo (1987).
type crossing struct {
	v          *Volume
	skip       []uint8   // of its tiles, 0 where there is something
	q          geom.Vec3 // the origin in voxels
	from, to   float64   // the stretch within the tile that was found
	tile       int
	t, end     float64
	next, over [3]float64
	left       [3]int // tiles to the volume's side
	step       [3]int // in the array of tiles
	at         int
}

// start begins a ray up to far m. It is to be asked where to go by find.
func (c *crossing) start(v *Volume, o, d geom.Vec3, far float64) {
	c.begin(v, &v.tight, v.tiles, tile, v.skip, o, d, far)
}

// startGlow is start where something glows.
func (c *crossing) startGlow(v *Volume, o, d geom.Vec3, far float64) {
	c.begin(v, &v.flames, v.tiles, tile, v.skip, o, d, far)
}

// startNodes is start among the tiles of the volume's nodes, or its own without those.
func (c *crossing) startNodes(v *Volume, o, d geom.Vec3, far float64) {
	if n := v.nodes; n != nil {
		c.begin(v, &v.tight, n.tiles, float64(n.tile), n.skip, o, d, far)
		return
	}
	c.start(v, o, d, far)
}

// begin begins a ray through tiles of so many voxels along an edge, within a box.
func (c *crossing) begin(v *Volume, within *geom.Box, tiles grid.Dims, edge float64, skip []uint8, o, d geom.Vec3, far float64) {
	c.v, c.skip, c.t, c.end = v, skip, 0, 0
	if v.empty {
		return
	}
	inv := geom.V(1/d.X, 1/d.Y, 1/d.Z)
	near, exit, ok := slabs(within, o, inv)
	h := 1 / v.H
	t, end := max(near, 0)*h, min(exit, far)*h
	if !ok || t >= end {
		return
	}
	c.q = o.Sub(v.Origin).Mul(h)
	c.t, c.end, c.at = t, end, 0
	// next[a] is where the ray crosses the tile's border along axis a, over[a] how far
	// apart such crossings are
	stride := 1
	p, dir, by := c.q.Add(d.Mul(t)).Array(), d.Array(), inv.Array()
	one := 1 / edge
	for a, n := range [3]int{tiles.NX, tiles.NY, tiles.NZ} {
		i := min(max(int(p[a]*one), 0), n-1)
		c.at += i * stride
		switch {
		case dir[a] > 1e-12:
			c.step[a], c.over[a], c.left[a] = stride, edge*by[a], n-1-i
			c.next[a] = t + (float64(i+1)*edge-p[a])*by[a]
		case dir[a] < -1e-12:
			c.step[a], c.over[a], c.left[a] = -stride, -edge*by[a], i
			c.next[a] = t + (float64(i)*edge-p[a])*by[a]
		default:
			c.next[a] = math.Inf(1)
		}
		stride *= n
	}
}

// find goes on to the next tile with something in it.
func (c *crossing) find() bool {
	for c.t < c.end {
		a := 0
		if c.next[1] < c.next[a] {
			a = 1
		}
		if c.next[2] < c.next[a] {
			a = 2
		}
		from, to, at := c.t, min(c.next[a], c.end), c.at
		c.t = to
		c.next[a] += c.over[a]
		if c.left[a] > 0 {
			c.left[a]--
			c.at += c.step[a]
		} else {
			c.next[a] = math.Inf(1) // the fading border goes on in the last tile
		}
		if c.skip[at] == 0 && to > from {
			c.from, c.to, c.tile = from, to, at
			return true
		}
	}
	return false
}

// free is a free path against a mean of 1, by layers of equal area under e^−x (Marsaglia
// and Tsang 2000): nearly always one number, a comparison and a product.
func (d *dice) free() float64 {
	for {
		b := d.bits()
		j, i := uint32(b), b>>32&255
		x := float64(j) * layers.wide[i]
		if j < layers.sure[i] {
			return x
		}
		if i == 0 {
			return layersEnd - math.Log(1-d.next())
		}
		if layers.high[i]+d.next()*(layers.high[i-1]-layers.high[i]) < math.Exp(-x) {
			return x
		}
	}
}

// layersEnd is where the lowest layer begins to be the tail.
const layersEnd = 7.69711747013104972

// layers are 256 of equal area: their widths over 2³², which of these are sure to lie under
// the curve, and how high it is at their ends.
var layers struct {
	wide, high [256]float64
	sure       [256]uint32
}

func init() {
	const m, area = 1 << 32, 3.949659822581572e-3
	end, last := layersEnd, layersEnd
	q := area / math.Exp(-end)
	layers.sure[0] = uint32(end / q * m)
	layers.wide[0], layers.wide[255] = q/m, end/m
	layers.high[0], layers.high[255] = 1, math.Exp(-end)
	for i := 254; i >= 1; i-- {
		end = -math.Log(area/end + math.Exp(-end))
		layers.sure[i+1] = uint32(end / last * m)
		last = end
		layers.high[i], layers.wide[i] = math.Exp(-end), end/m
	}
	layers.sure[1] = 0
}
