package noise

// Noise at many rows of the same places: what depends on x alone is worked out once, what
// depends on y and z once a cell, and what is left are two straight lines and what lies
// between them. Mixing is linear, so that a cell's four corners at one of its ends are one
// line: g x + k each, weighted by y and z.

import (
	"fmt"
	"math"

	"zarf/core/vec"
)

// Line is where noise is wanted along x. It is read by any number of Rows.
type Line struct {
	xs      []float64
	octaves []octave
}

// octave is how places lie in an octave's cells. Those beyond the last, up to whole blocks,
// lie where it does.
type octave struct {
	first int64 // cell
	cells int
	at    []int32 // cell, counted from its block's first; nil: too far apart to tell so
	start []int32 // a block's first cell, counted from first
	x, u  []float32
}

// NewLine takes n octaves at places xs, which ascend. It errs where they don't, or are no
// numbers, or so large that whole numbers can't be told apart.
func NewLine(xs []float64, n int) (*Line, error) {
	const most = 1 << 40
	for i, x := range xs {
		if !(math.Abs(x) < most) || i > 0 && x < xs[i-1] {
			return nil, fmt.Errorf("noise: place %d of a line is %g, after %g; places ascend, between ±%g", i, x, xs[max(i-1, 0)], float64(most))
		}
	}
	l := &Line{xs: xs}
	times := 1.0
	for range n {
		l.octaves = append(l.octaves, newOctave(xs, times))
		times *= 2
	}
	return l, nil
}

func newOctave(xs []float64, times float64) (o octave) {
	if len(xs) == 0 {
		return o
	}
	blocks := (len(xs) + vec.Lanes - 1) / vec.Lanes
	full := blocks * vec.Lanes
	o.first = int64(math.Floor(xs[0] * times))
	at, start := make([]int32, full), make([]int32, blocks)
	o.x, o.u = make([]float32, full), make([]float32, full)
	for i := range full {
		x := xs[min(i, len(xs)-1)] * times
		cell := math.Floor(x)
		c := int64(cell) - o.first
		if i%vec.Lanes == 0 {
			start[i/vec.Lanes] = int32(min(c, math.MaxInt32))
		}
		if c -= int64(start[i/vec.Lanes]); c >= vec.RampCells {
			return octave{}
		}
		at[i], o.x[i], o.u[i] = int32(c), float32(x-cell), float32(fade(x-cell))
	}
	o.at, o.start = at, start
	o.cells = int(start[blocks-1]+at[full-1]) + 1
	return o
}

// Rows are rows along a line, one after another: neighbours share what they know of cells. Each
// thread has its own.
type Rows struct {
	of    *Line
	known []edging // by octave
	g, k  []float32
}

// edging is which way gradients point at the four corners of each end of a row of cells.
type edging struct {
	there   bool
	seed    uint64
	j, k    int64
	corners [][4]uint8
}

// Rows begins rows.
func (l *Line) Rows() *Rows {
	r := &Rows{of: l, known: make([]edging, len(l.octaves))}
	most := 0
	for n, o := range l.octaves {
		if o.at != nil {
			most = max(most, o.cells+vec.RampCells)
			r.known[n].corners = make([][4]uint8, o.cells+1)
		}
	}
	r.g, r.k = make([]float32, most), make([]float32, most)
	return r
}

// Room is how many values a row takes: whole blocks of vec.Lanes.
func (l *Line) Room() int { return (len(l.xs) + vec.Lanes - 1) &^ (vec.Lanes - 1) }

// Add adds noise at y and z to dst, as [Octaves] has it to 32 bits; dst takes the line's Room.
func (r *Rows) Add(dst []float32, seed uint64, y, z float64) {
	l := r.of
	if len(dst) != l.Room() {
		panic(fmt.Sprintf("noise: %d values for %d places, %d in whole blocks", len(dst), len(l.xs), l.Room()))
	}
	times, a := 1.0, 1.0
	for n := range l.octaves {
		if o, of := &l.octaves[n], seed+uint64(n)*0x51ED; o.at == nil {
			for i, x := range l.xs {
				dst[i] += float32(a * At(of, x*times, y, z))
			}
		} else {
			r.columns(n, of, y, z)
			vec.Ramps(dst, o.x, o.u, o.at, o.start, r.g, r.k, float32(a))
		}
		y, z, a, times = 2*y, 2*z, a/2, 2*times
	}
}

// columns works out what each end of an octave's cells contributes along the row, by y and z.
func (r *Rows) columns(n int, seed uint64, y, z float64) {
	fy, fz := math.Floor(y), math.Floor(z)
	e := &r.known[n]
	if j, k := int64(fy), int64(fz); !e.there || e.seed != seed || e.j != j || e.k != k {
		e.there, e.seed, e.j, e.k = true, seed, j, k
		first := r.of.octaves[n].first
		for i := range e.corners {
			for c := range e.corners[i] {
				e.corners[i][c] = uint8(Hash(seed, first+int64(i), j+int64(c&1), k+int64(c>>1)) >> 60)
			}
		}
	}
	y, z = y-fy, z-fz
	v, w := fade(y), fade(z)
	var t [4][16]ramp
	for c := range t {
		b, d := float64(c&1), float64(c>>1)
		weight := (1 - b + (2*b-1)*v) * (1 - d + (2*d-1)*w)
		t[c] = ramps(float32(weight), float32(weight*(y-b)), float32(weight*(z-d)))
	}
	g, k := r.g[:len(e.corners)], r.k[:len(e.corners)]
	for i, c := range e.corners {
		p, q, r, s := &t[0][c[0]&15], &t[1][c[1]&15], &t[2][c[2]&15], &t[3][c[3]&15]
		g[i], k[i] = (p.g+q.g)+(r.g+s.g), (p.k+q.k)+(r.k+s.k)
	}
}

// ramp is a straight line, g x + k.
type ramp struct{ g, k float32 }

// ramps are what a corner of weight x contributes along a row with each of the directions that
// grad has, where y and z are the weighted distances across.
func ramps(x, y, z float32) [16]ramp {
	return [16]ramp{
		{x, y}, {-x, y}, {x, -y}, {-x, -y}, {x, z}, {-x, z}, {x, -z}, {-x, -z},
		{0, y + z}, {0, z - y}, {0, y - z}, {0, -y - z}, {x, y}, {-x, y}, {0, z - y}, {0, -y - z},
	}
}
