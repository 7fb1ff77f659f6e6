package render

import (
	"math"

	"zarf/core/geom"
)

// crossing is a ray's way through the tiles of a volume that hold smoke or flame, in
// voxels. Tiles are stepped through as by Amanatides and Woo (1987).
type crossing struct {
	v          *Volume
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
	c.v, c.t, c.end = v, 0, 0
	if v.empty {
		return
	}
	inv := geom.V(1/d.X, 1/d.Y, 1/d.Z)
	near, exit, ok := slabs(&v.tight, o, inv)
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
	for a, n := range [3]int{v.tiles.NX, v.tiles.NY, v.tiles.NZ} {
		i := min(max(int(math.Floor(p[a]*(1.0/tile))), 0), n-1)
		c.at += i * stride
		switch {
		case dir[a] > 1e-12:
			c.step[a], c.over[a], c.left[a] = stride, tile*by[a], n-1-i
			c.next[a] = t + (float64(i+1)*tile-p[a])*by[a]
		case dir[a] < -1e-12:
			c.step[a], c.over[a], c.left[a] = -stride, -tile*by[a], i
			c.next[a] = t + (float64(i)*tile-p[a])*by[a]
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
		if c.v.skip[at] == 0 && to > from {
			c.from, c.to, c.tile = from, to, at
			return true
		}
	}
	return false
}

// free is a free path against a mean of 1: −ln(1 − u), to 1e-10 of it.
func (d *dice) free() float64 {
	bits := math.Float64bits(1 - d.next())
	e := int64(bits>>52) - 1023
	m := math.Float64frombits(bits&(1<<52-1) | 1023<<52)
	if m > math.Sqrt2 {
		m, e = m/2, e+1
	}
	// ln m = 2 artanh((m − 1)/(m + 1))
	z := (m - 1) / (m + 1)
	q := z * z
	return -2*z*(1+q*(1.0/3+q*(1.0/5+q*(1.0/7+q*(1.0/9+q*(1.0/11)))))) - float64(e)*math.Ln2
}
