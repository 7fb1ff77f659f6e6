package sim

// Solids that are thinner than a voxel: no corner of a cell lies in them, so shares of
// faces don't see them. Faces are shut here by whether the way between the middles of
// their cells goes through a surface (Guendelman, Selle, Losasso, Fedkiw 2005: one-sided
// cells on both sides of a thin shell), so that no chain of open faces leads from one side
// to the other.

import (
	"math"

	"zarf/core/geom"
	"zarf/core/grid"
)

// Walls are solids on a staggered grid: signed distances at its corners, voxels, and the
// open shares of faces, which ShutThin changes.
type Walls struct {
	grid.Dims
	H      float64 // m
	Origin geom.Vec3
	List   []Collider
	Node   []float32 // at corners, x fastest
	Open   [3]*grid.Field
	Lo, Hi [3]int // cells near solids, those at Hi not included
	Crew   grid.Crew
}

// Sheet is a face that a thin solid shuts.
type Sheet struct {
	Face   int32
	Normal [3]float32 // of the surface that the way through it meets first
}

// cells of walls.
const (
	free   = iota // its middle is outside, and its corners on one side
	parted        // its middle is outside, and corners are on both sides
	buried        // its middle is inside
	shut          // its middle is inside, and corners are on both sides: it belongs to none
)

// cellWalls is what ShutThin knows of cells.
type cellWalls struct {
	*Walls
	n    [3]int
	kind []uint8
	thin []*geom.Shape // solids of few voxels, and open meshes
	fine []float64     // how closely ways are held against each
}

// Thin reports a solid of so few voxels of width h that shares of faces may not see it whole: an
// open mesh always.
func Thin(sh *geom.Shape, h float64) bool {
	return sh.Form == geom.Imported && sh.Body != nil && sh.Body.Open > 0 || sh.Thinnest() <= 2.5*h
}

// onlyThin narrows the cells down to those about thin solids: shares of faces tell all of
// others.
func (c *cellWalls) onlyThin() *Walls {
	w := *c.Walls
	lo, hi := [3]int{w.NX, w.NY, w.NZ}, [3]int{}
	for i := range w.List {
		sh := &w.List[i].Shape
		if !Thin(sh, w.H) {
			continue
		}
		c.thin, c.fine = append(c.thin, sh), append(c.fine, sh.Fine(0.05*w.H))
		b := sh.Bounds().Grow(2 * w.H)
		from, to := b.Min.Sub(w.Origin).Mul(1/w.H).Array(), b.Max.Sub(w.Origin).Mul(1/w.H).Array()
		for a, n := range [3]int{w.NX, w.NY, w.NZ} {
			lo[a] = min(lo[a], int(min(max(math.Floor(from[a]), 0), float64(n))))
			hi[a] = max(hi[a], int(min(max(math.Ceil(to[a]), 0), float64(n))))
		}
	}
	for a := range 3 {
		w.Lo[a], w.Hi[a] = max(w.Lo[a], lo[a]), min(w.Hi[a], hi[a])
	}
	c.Walls = &w
	return c.Walls
}

// ShutThin shuts the faces between cells that a solid lies between, however thin, and
// those of cells that a thin solid parts and whose middle it covers. It returns those that
// it shut and that were open before, for each axis, in the order of memory.
func ShutThin(w *Walls) (shut [3][]Sheet) {
	c := &cellWalls{Walls: w}
	w = c.onlyThin()
	for a := range 3 {
		if c.n[a] = w.Hi[a] - w.Lo[a]; c.n[a] <= 0 {
			return shut
		}
	}
	c.kind = make([]uint8, c.n[0]*c.n[1]*c.n[2])
	w.Crew.For(c.n[2], 1, func(k0, k1 int) {
		for k := k0; k < k1; k++ {
			for j := range c.n[1] {
				for i := range c.n[0] {
					c.kind[(k*c.n[1]+j)*c.n[0]+i] = c.look([3]int{w.Lo[0] + i, w.Lo[1] + j, w.Lo[2] + k})
				}
			}
		}
	})
	for a := range 3 {
		found := make([][]Sheet, c.n[2])
		w.Crew.For(c.n[2], 1, func(k0, k1 int) {
			for k := k0; k < k1; k++ {
				for j := range c.n[1] {
					for i := range c.n[0] {
						at := [3]int{w.Lo[0] + i, w.Lo[1] + j, w.Lo[2] + k}
						if at[a] == w.Lo[a] {
							continue
						}
						if s, thin := c.face(a, at); thin {
							found[k] = append(found[k], s)
						}
					}
				}
			}
		})
		for _, list := range found {
			shut[a] = append(shut[a], list...)
		}
	}
	return shut
}

// corner is the place of a corner in Node.
func (w *Walls) corner(at [3]int) int { return (at[2]*(w.NY+1)+at[1])*(w.NX+1) + at[0] }

func (c *cellWalls) of(at [3]int) uint8 {
	return c.kind[((at[2]-c.Lo[2])*c.n[1]+at[1]-c.Lo[1])*c.n[0]+at[0]-c.Lo[0]]
}

// place is a place in space of one in voxels.
func (w *Walls) place(x, y, z float64) geom.Vec3 {
	return w.Origin.Add(geom.V(x, y, z).Mul(w.H))
}

func (w *Walls) middle(at [3]int) geom.Vec3 {
	return w.place(float64(at[0])+0.5, float64(at[1])+0.5, float64(at[2])+0.5)
}

// meets reports that a thin solid lies on a way, and the surface's direction there.
func (c *cellWalls) meets(a, b geom.Vec3) (geom.Vec3, bool) {
	least, normal, any := math.Inf(1), geom.Vec3{}, false
	for i, sh := range c.thin {
		if t, n, ok := sh.Meets(a, b, c.fine[i]); ok && t < least {
			least, normal, any = t, n, true
		}
	}
	return normal, any
}

// depth is the distance to solids.
func (c *cellWalls) depth(p geom.Vec3) float64 {
	d := math.Inf(1)
	for i := range c.List {
		d = min(d, c.List[i].Shape.Distance(p))
	}
	return d
}

// look finds what a cell is to solids.
func (c *cellWalls) look(at [3]int) uint8 {
	o, sy, sz := c.corner(at), c.NX+1, (c.NX+1)*(c.NY+1)
	var d [8]float32
	near, out := false, 0
	for m := range d {
		d[m] = c.Node[o+m&1+m>>1&1*sy+m>>2*sz]
		near = near || d[m] < 1.8
		if d[m] >= 0 {
			out++
		}
	}
	if !near {
		return free
	}
	mid := c.depth(c.middle(at))
	if out < 2 {
		if mid < 0 {
			return buried
		}
		return free
	}
	through := c.parts(at, &d)
	switch {
	case mid < 0 && through:
		return shut
	case mid < 0:
		return buried
	case through:
		return parted
	}
	return free
}

// parts reports that the corners of a cell that lie outside solids aren't all joined along
// its edges: about the edge of something thick they are, on both sides of a sheet not.
func (c *cellWalls) parts(at [3]int, d *[8]float32) bool {
	first, met := -1, uint8(0)
	for m := range d {
		if d[m] >= 0 && first < 0 {
			first, met = m, 1<<m
		}
	}
	for changed := true; changed; {
		changed = false
		for m := range d {
			if met>>m&1 == 0 {
				continue
			}
			for a := range 3 {
				to := m ^ 1<<a
				if met>>to&1 != 0 || d[to] < 0 {
					continue
				}
				if d[m]+d[to] <= 1 {
					if _, hit := c.meets(c.cornerOf(at, m), c.cornerOf(at, to)); hit {
						continue
					}
				}
				met |= 1 << to
				changed = true
			}
		}
	}
	for m := range d {
		if d[m] >= 0 && met>>m&1 == 0 {
			return true
		}
	}
	return false
}

// cornerOf is the place of a cell's corner: bit a of m is up along axis a.
func (c *cellWalls) cornerOf(at [3]int, m int) geom.Vec3 {
	return c.place(float64(at[0]+m&1), float64(at[1]+m>>1&1), float64(at[2]+m>>2))
}

// face shuts the lower face of a cell along an axis where a thin solid is in it, and
// tells whether it did.
func (c *cellWalls) face(a int, at [3]int) (Sheet, bool) {
	below := at
	below[a]--
	n := c.Open[a].Index(at[0], at[1], at[2])
	open := &c.Open[a].Data[n]
	hi, lo := c.of(at), c.of(below)
	if *open == 0 || hi == free && lo == free && c.clear(at) && c.clear(below) {
		return Sheet{}, false
	}
	p, q := c.middle(below), c.middle(at)
	normal, blocked := geom.Vec3{}, false
	switch {
	case hi == shut || lo == shut:
		if normal, blocked = c.meets(p, q); !blocked {
			normal, blocked = q.Sub(p).Mul(1/c.H), true
		}
	case hi == buried && lo == buried, hi == buried && lo == free, hi == free && lo == buried:
		return Sheet{}, false // what corners tell is right
	case hi == buried || lo == buried:
		// the other is parted: does the face open to where its middle is?
		if hi != buried {
			p, q = q, p
		}
		normal, blocked = c.opens(a, at, p)
	default:
		normal, blocked = c.meets(p, q)
	}
	if !blocked {
		return Sheet{}, false
	}
	*open = 0
	return Sheet{int32(n), [3]float32{float32(normal.X), float32(normal.Y), float32(normal.Z)}}, true
}

// clear reports a cell far from solids.
func (c *cellWalls) clear(at [3]int) bool {
	o, sy, sz := c.corner(at), c.NX+1, (c.NX+1)*(c.NY+1)
	for m := range 8 {
		if c.Node[o+m&1+m>>1&1*sy+m>>2*sz] < 1.8 {
			return false
		}
	}
	return true
}

// opens reports that a face's corners outside solids all lie behind one, seen from p.
func (c *cellWalls) opens(a int, at [3]int, p geom.Vec3) (normal geom.Vec3, blocked bool) {
	for m := range 4 {
		corner := at
		corner[(a+1)%3] += m & 1
		corner[(a+2)%3] += m >> 1
		if c.Node[c.corner(corner)] < 0 {
			continue
		}
		n, hit := c.meets(p, c.place(float64(corner[0]), float64(corner[1]), float64(corner[2])))
		if !hit {
			return geom.Vec3{}, false
		}
		normal = n
	}
	return normal, true
}
