package flipbook

import (
	"fmt"
	"math"

	"zarf/core/grid"
)

// Tile is a picture of several planes, rows from the top. The first four are
// red, green, blue and alpha: linear, premultiplied.
type Tile struct {
	W, H   int
	Planes [][]float32
}

// NewTile is an empty tile.
func NewTile(w, h, planes int) *Tile {
	t := &Tile{W: w, H: h}
	for range planes {
		t.Planes = append(t.Planes, make([]float32, w*h))
	}
	return t
}

// Place says how a recorded frame lies in a tile. The frame is fitted into the
// tile without the padding, keeping its shape, then changed.
type Place struct {
	Scale            float64 // 1: fitted
	Turn             float64 // radians, clockwise
	OffsetX, OffsetY float64 // shares of the tile's width, right and down
	Pad              int     // pixels on every side that stay empty
}

// inverse is how a tile's pixel is found in a frame: source = M·(x, y) + at,
// pixel middles at half numbers. grow is the frame's pixels in one of the
// tile's.
func (p Place) inverse(sw, sh, w, h int) (m [4]float64, at [2]float64, grow float64) {
	iw, ih := float64(w-2*p.Pad), float64(h-2*p.Pad)
	// fitted by the tighter side: nothing is cut off at scale 1
	fit := min(iw/float64(sw), ih/float64(sh)) * p.Scale
	grow = 1 / fit
	s, c := math.Sincos(p.Turn)
	m = [4]float64{c * grow, s * grow, -s * grow, c * grow}
	cx, cy := float64(w)*(0.5+p.OffsetX), float64(h)/2+float64(w)*p.OffsetY
	at = [2]float64{float64(sw)/2 - m[0]*cx - m[1]*cy, float64(sh)/2 - m[2]*cx - m[3]*cy}
	return m, at, grow
}

// Shape is how vectors in pixels of a frame change on the way to a tile: v' =
// M·v.
func (p Place) Shape(sw, sh, w, h int) [4]float64 {
	m, _, g := p.inverse(sw, sh, w, h)
	g *= g // the inverse of a turn times a number is its transpose over the square
	return [4]float64{m[0] / g, m[2] / g, m[1] / g, m[3] / g}
}

// Put resamples a frame into a tile of w by h pixels with a tent as wide as the
// larger of the two pixels, so that nothing flickers where frames are larger
// than tiles.
func (p Place) Put(src *Tile, w, h int, crew grid.Crew) *Tile {
	out := NewTile(w, h, len(src.Planes))
	m, at, grow := p.inverse(src.W, src.H, w, h)
	// whole pixels: no filter may touch them
	if grow == 1 && p.Turn == 0 && m[0] == 1 && at[0] == math.Trunc(at[0]) && at[1] == math.Trunc(at[1]) {
		p.copy(out, src, int(at[0]), int(at[1]))
		return out
	}
	// a tent over the larger pixel: averages when it shrinks, interpolates when it
	// grows
	reach := max(1, grow)
	crew.For(h-2*p.Pad, 4, func(lo, hi int) {
		var wx, wy []float64
		for y := lo + p.Pad; y < hi+p.Pad; y++ {
			for x := p.Pad; x < w-p.Pad; x++ {
				fx, fy := float64(x)+0.5, float64(y)+0.5
				sx, sy := m[0]*fx+m[1]*fy+at[0]-0.5, m[2]*fx+m[3]*fy+at[1]-0.5
				x0, x1 := int(math.Ceil(sx-reach)), int(math.Floor(sx+reach))
				y0, y1 := int(math.Ceil(sy-reach)), int(math.Floor(sy+reach))
				if x1 < 0 || y1 < 0 || x0 >= src.W || y0 >= src.H {
					continue
				}
				wx, wy = tent(wx[:0], sx, reach, x0, x1), tent(wy[:0], sy, reach, y0, y1)
				for c, pl := range src.Planes {
					sum := 0.0
					for j := max(y0, 0); j <= min(y1, src.H-1); j++ {
						row := pl[j*src.W : (j+1)*src.W]
						line := 0.0
						for i := max(x0, 0); i <= min(x1, src.W-1); i++ {
							line += wx[i-x0] * float64(row[i])
						}
						sum += wy[j-y0] * line
					}
					out.Planes[c][y*w+x] = float32(sum)
				}
			}
		}
	})
	return out
}

// copy shifts a tile by whole pixels, where nothing turns or scales it: values
// stay as they are to the bit.
func (p Place) copy(out, src *Tile, dx, dy int) {
	for c, pl := range src.Planes {
		for y := p.Pad; y < out.H-p.Pad; y++ {
			for x := p.Pad; x < out.W-p.Pad; x++ {
				if sx, sy := x+dx, y+dy; sx >= 0 && sy >= 0 && sx < src.W && sy < src.H {
					out.Planes[c][y*out.W+x] = pl[sy*src.W+sx]
				}
			}
		}
	}
}

// tent weighs the pixels from a to b round a place; the weights add up to 1.
func tent(w []float64, at, reach float64, a, b int) []float64 {
	sum := 0.0
	for i := a; i <= b; i++ {
		v := max(0, 1-math.Abs(float64(i)-at)/reach)
		w = append(w, v)
		sum += v
	}
	for i := range w {
		w[i] /= sum
	}
	return w
}

// Mix is (1−t)·a + t·b.
func Mix(a, b *Tile, t float64) *Tile {
	out := NewTile(a.W, a.H, len(a.Planes))
	for c := range out.Planes {
		for i := range out.Planes[c] {
			out.Planes[c][i] = float32((1-t)*float64(a.Planes[c][i]) + t*float64(b.Planes[c][i]))
		}
	}
	return out
}

// Grid is how tiles stand in an atlas: row by row from the top left.
type Grid struct {
	Columns, Rows int
	W, H          int // of a tile
}

// MaxSide is the longest side of an atlas.
const MaxSide = 16384

// Check names what doesn't fit.
func (g Grid) Check(tiles int) error {
	switch {
	case g.Columns < 1 || g.Rows < 1 || g.W < 1 || g.H < 1:
		return fmt.Errorf("%d by %d tiles of %d × %d pixels can't be", g.Columns, g.Rows, g.W, g.H)
	case tiles > g.Columns*g.Rows:
		return fmt.Errorf("%d frames don't fit %d by %d tiles, which are %d: take fewer frames or more tiles", tiles, g.Columns, g.Rows, g.Columns*g.Rows)
	case g.Columns*g.W > MaxSide || g.Rows*g.H > MaxSide:
		fit := min(MaxSide/g.Columns, MaxSide/g.Rows)
		return fmt.Errorf("an atlas of %d × %d pixels is over %d: make tiles no larger than %d pixels, take fewer of them, or write a sequence", g.Columns*g.W, g.Rows*g.H, MaxSide, fit)
	}
	return nil
}

// Sheet lays planes of tiles out; each of channels names a plane of the tiles,
// −1 an empty one.
func (g Grid) Sheet(tiles []*Tile, channels []int, crew grid.Crew) *Tile {
	out := NewTile(g.Columns*g.W, g.Rows*g.H, len(channels))
	crew.For(len(tiles), 1, func(lo, hi int) {
		for n := lo; n < hi; n++ {
			x0, y0 := n%g.Columns*g.W, n/g.Columns*g.H
			for c, from := range channels {
				if from < 0 {
					continue
				}
				for y := range g.H {
					copy(out.Planes[c][(y0+y)*out.W+x0:][:g.W], tiles[n].Planes[from][y*g.W:])
				}
			}
		}
	})
	return out
}

// Straight divides colours by alpha, plane a, and carries them on into what is
// empty, so that filtering at an edge doesn't draw black in.
func Straight(t *Tile, colours []int, a int) {
	for _, c := range colours {
		spread(t.Planes[c], t.Planes[a], t.W, t.H)
	}
}

// spread fills a premultiplied plane with straight values: where alpha is
// nearly 0, with those of ever coarser means.
func spread(p, alpha []float32, w, h int) {
	type level struct {
		w, h int
		p, a []float32
	}
	pyramid := []level{{w, h, append([]float32(nil), p...), append([]float32(nil), alpha...)}}
	for l := pyramid[0]; l.w > 1 || l.h > 1; {
		n := level{w: (l.w + 1) / 2, h: (l.h + 1) / 2}
		n.p, n.a = make([]float32, n.w*n.h), make([]float32, n.w*n.h)
		for y := range l.h {
			for x := range l.w {
				n.p[y/2*n.w+x/2] += l.p[y*l.w+x] / 4
				n.a[y/2*n.w+x/2] += l.a[y*l.w+x] / 4
			}
		}
		pyramid = append(pyramid, n)
		l = n
	}
	const least = 1. / 1024
	// from the coarsest down: what is empty takes its colour from the level below it
	for k := len(pyramid) - 1; k >= 0; k-- {
		l := &pyramid[k]
		for i := range l.p {
			if l.a[i] >= least {
				l.p[i] /= l.a[i]
				continue
			}
			own := float32(0)
			if l.a[i] > 0 {
				own = l.p[i] / l.a[i]
			}
			if k+1 == len(pyramid) {
				l.p[i] = own
				continue
			}
			n := pyramid[k+1]
			below := n.p[i/l.w/2*n.w+i%l.w/2]
			share := l.a[i] / least
			l.p[i] = share*own + (1-share)*below
		}
	}
	copy(p, pyramid[0].p)
}
