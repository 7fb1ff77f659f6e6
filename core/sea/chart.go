package sea

import (
	"math"
	"sync/atomic"

	"zarf/core/geom"
)

// Chart is a surface as it is seen from a place: heights on lattices of cells that are as
// large as what is told apart at their distance, worked out where they are looked at. Beyond
// the last the sea is flat. Several threads may read it.
type Chart struct {
	*Surface
	eye    geom.Vec3
	apart  float64 // rad: what is told apart
	levels []*chartLevel
	low    float64 // m, between which the surface lies
	High   float64
}

// chartLevel is a lattice of cells, by tiles.
type chartLevel struct {
	cell   float64
	steep  float64 // variance of the slopes that it lacks
	steps  float64 // the steepest slope that is reckoned with
	least  float64 // m, squared: the distances from the eye that it is for
	most   float64
	sheets []*sheet
	at     []atomic.Pointer[chartTile] // across × across tiles about the eye
	x, z   int                         // cells: the low corner of the first
}

// A tile has so many cells an edge, and values for cubic reading beside them.
const (
	tileCells  = 32
	tileValues = tileCells + 3
	across     = 96 // tiles of a level
	chartMost  = 14 // levels
)

// chartTile holds heights over the level and by how much the surface is drawn together.
type chartTile struct {
	y, fold   [tileValues * tileValues]float32
	low, high float32
}

// Chart is the surface from eye, where angles of apart, rad, are told apart.
func (f *Surface) Chart(eye geom.Vec3, apart float64) *Chart {
	c := &Chart{Surface: f, eye: eye, apart: max(apart, 1e-5)}
	c.low, c.High = f.Bounds()
	s := f.Sea
	// no finer than a sixth of the shortest wave, nor than what the eye tells apart below it
	cell := max(max(s.Shortest, s.bands[2].long/edge*4)/6, c.apart*max(math.Abs(eye.Y-s.Level), 0.05)*0.5)
	for range chartMost {
		l := &chartLevel{cell: cell, steep: s.Steep(cell), sheets: f.sheets(cell), at: make([]atomic.Pointer[chartTile], across*across)}
		all, lost := s.slopes(cell)
		l.steps = min(3.5*math.Sqrt(max(all-lost, 0)/2)+0.02, 0.9)
		half := float64(across*tileCells/2) * cell
		l.x, l.z = int(math.Floor((eye.X-half)/cell)), int(math.Floor((eye.Z-half)/cell))
		c.levels = append(c.levels, l)
		if cell *= 2; s.flat(cell) {
			break
		}
	}
	for n, l := range c.levels {
		// cells are some two of what is told apart, and tiles reach no farther than this
		l.most = math.Min(2*l.cell/(2*c.apart), float64(across/2-1)*tileCells*l.cell)
		l.most *= l.most
		if n > 0 {
			l.least = c.levels[n-1].most
		}
	}
	return c
}

// flat reports cells so large that no wave is seen.
func (s *Sea) flat(cell float64) bool {
	for n := range s.bands {
		if s.bands[n].mip(cell) >= 0 {
			return false
		}
	}
	return true
}

// level is the lattice for a place, of which was is a guess; nil: the sea is flat there.
func (c *Chart) level(x, z float64, was *chartLevel) *chartLevel {
	dx, dy, dz := x-c.eye.X, c.Sea.Level-c.eye.Y, z-c.eye.Z
	far := dx*dx + dy*dy + dz*dz
	if was != nil && far >= was.least && far < was.most {
		return was
	}
	for _, l := range c.levels {
		if far < l.most {
			return l
		}
	}
	return nil
}

// tile finds or makes a tile of a level.
func (c *Chart) tile(l *chartLevel, i, k int) *chartTile {
	slot := &l.at[k*across+i]
	if t := slot.Load(); t != nil {
		return t
	}
	t := &chartTile{low: math.MaxFloat32, high: -math.MaxFloat32}
	for b := range tileValues {
		var shift [2]float64
		rounds := 4
		for a := range tileValues {
			x, z := float64(l.x+i*tileCells+a-1)*l.cell, float64(l.z+k*tileCells+b-1)*l.cell
			y, fold := at(l.sheets, 0, x, z, &shift, rounds)
			rounds = 2 // from what the neighbour's was
			t.y[b*tileValues+a], t.fold[b*tileValues+a] = float32(y), float32(fold)
			t.low, t.high = min(t.low, float32(y)), max(t.high, float32(y))
		}
	}
	slot.Store(t) // two threads may make one: it is the same
	return t
}

// find is the tile at a place, where in it, and how far between values.
func (c *Chart) find(x, z float64, was *chartLevel) (l *chartLevel, t *chartTile, o int, fx, fz float32) {
	if l = c.level(x, z, was); l == nil {
		return nil, nil, 0, 0, 0
	}
	i, fx := split(x / l.cell)
	k, fz := split(z / l.cell)
	i, k = i-l.x, k-l.z
	if i < 0 || k < 0 || i >= across*tileCells || k >= across*tileCells {
		return nil, nil, 0, 0, 0
	}
	t = c.tile(l, i/tileCells, k/tileCells)
	return l, t, (k%tileCells+1)*tileValues + i%tileCells + 1, fx, fz
}

// Height of the surface over a place, m.
func (c *Chart) Height(x, z float64) float64 {
	y, _ := c.height(x, z, nil)
	return y
}

// over is how far a place lies over the surface, and of which lattice that is; nil where the sea
// is flat. Well over it or under it straight lines will do.
func (c *Chart) over(x, y, z float64, was *chartLevel) (v float64, of *chartLevel) {
	l, t, o, fx, fz := c.find(x, z, was)
	y -= c.Sea.Level
	if t == nil {
		return y, nil
	}
	r, q := t.y[o:o+2], t.y[o+tileValues:o+tileValues+2]
	a, b := r[0]+(r[1]-r[0])*fx, q[0]+(q[1]-q[0])*fx
	v = y - float64(a+(b-a)*fz)
	if math.Abs(v) > 0.5*l.cell {
		return v, l
	}
	return y - float64(t.at(o, fx, fz)), l
}

// at is the height over the level at value o and so far between it and the next.
func (t *chartTile) at(o int, fx, fz float32) (y float32) {
	wx, wz := cubic(fx), cubic(fz)
	for b := range 4 {
		r := t.y[o+(b-1)*tileValues-1:][:4]
		y += wz[b] * (wx[0]*r[0] + wx[1]*r[1] + wx[2]*r[2] + wx[3]*r[3])
	}
	return y
}

// height is Height, and of which lattice; nil where the sea is flat.
func (c *Chart) height(x, z float64, was *chartLevel) (y float64, of *chartLevel) {
	l, t, o, fx, fz := c.find(x, z, was)
	if t == nil {
		return c.Sea.Level, nil
	}
	return c.Sea.Level + float64(t.at(o, fx, fz)), l
}

// Look is what is seen of the surface over a place: its slopes, the variance of those that
// aren't told apart, and how far it is drawn together, 1 where it is at rest.
func (c *Chart) Look(x, z float64) (slopeX, slopeZ, steep, fold float64) {
	l, t, o, fx, fz := c.find(x, z, nil)
	if t == nil {
		return 0, 0, c.levels[len(c.levels)-1].steep, 1
	}
	wx, wz := cubic(fx), cubic(fz)
	dx, dz := slope(fx), slope(fz)
	var sx, sz, f float32
	for b := range 4 {
		r, q := t.y[o+(b-1)*tileValues-1:][:4], t.fold[o+(b-1)*tileValues-1:][:4]
		sx += wz[b] * (dx[0]*r[0] + dx[1]*r[1] + dx[2]*r[2] + dx[3]*r[3])
		sz += dz[b] * (wx[0]*r[0] + wx[1]*r[1] + wx[2]*r[2] + wx[3]*r[3])
		f += wz[b] * (wx[0]*q[0] + wx[1]*q[1] + wx[2]*q[2] + wx[3]*q[3])
	}
	return float64(sx) / l.cell, float64(sz) / l.cell, l.steep, float64(f)
}

// slope are the weights of cubic's change.
func slope(f float32) [4]float32 {
	return [4]float32{
		-0.5 + f*(2-1.5*f),
		f * (-5 + 4.5*f),
		0.5 + f*(4-4.5*f),
		f * (-1 + 1.5*f),
	}
}

// Ray is where a ray from o along d, a unit, first goes through the surface between near and
// far, m along it, either way; ok is false where it doesn't. within tells of places that the
// sea is not at.
func (c *Chart) Ray(o, d geom.Vec3, near, far float64, without func(x, z float64) bool) (t float64, ok bool) {
	low, high := c.low-0.01, c.High+0.01
	// only between the lowest and the highest is anything to be met
	if d.Y != 0 {
		a, b := (low-o.Y)/d.Y, (high-o.Y)/d.Y
		near, far = max(near, min(a, b)), min(far, max(a, b))
	} else if o.Y < low || o.Y > high {
		return 0, false
	}
	if near >= far || math.IsInf(far, 1) && d.Y == 0 {
		return 0, false
	}
	down, flat := math.Abs(d.Y), math.Hypot(d.X, d.Z)
	over := func(t float64, was *chartLevel) (v float64, l *chartLevel) {
		return c.over(o.X+d.X*t, o.Y+d.Y*t, o.Z+d.Z*t, was)
	}
	at := near
	v, l := over(at, nil)
	for range 400 {
		if at >= far {
			return 0, false
		}
		if l == nil {
			break
		}
		// as far as the steepest slope wouldn't come up, and half a cell at least
		next := min(at+max(math.Abs(v)/(down+l.steps*flat), 0.5*l.cell), far)
		w, size := over(next, l)
		if (w < 0) != (v < 0) {
			a, b := at, next
			for range 12 {
				m := (a + b) / 2
				if h, _ := over(m, l); (h < 0) == (v < 0) {
					a = m
				} else {
					b = m
				}
			}
			if t := (a + b) / 2; !without(o.X+d.X*t, o.Z+d.Z*t) {
				return t, true
			}
		}
		at, v, l = next, w, size
	}
	// from here on it counts as flat
	if (v < 0) == (d.Y < 0) {
		return 0, false
	}
	t = min(max((c.Sea.Level-o.Y)/d.Y, at), far)
	return t, t < far && !without(o.X+d.X*t, o.Z+d.Z*t)
}
