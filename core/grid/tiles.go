package grid

// Edge lengths of a tile in cells. Sixteen along x is one row of a vector
// register, so that a tile's rows are whole in the fast kernels.
const (
	TileX = 16
	TileY = 8
	TileZ = 8
)

// Span is a run of cells lo ≤ i < hi along x.
type Span struct{ Lo, Hi int }

// Tiles says which tiles of a grid are in use: work is done, and memory
// touched, only there.
// On is by tile, x fastest. Whoever changes it calls Update; until then spans and
// Count are those of before.
type Tiles struct {
	Cells Dims
	Dims  // number of tiles along each axis
	On    []bool
	Count int // tiles in use

	spans [][]Span // by K*NY+J
}

// NewTiles covers a grid of cells; all tiles are in use if on.
// The last tile of an axis may be cut by the grid's end.
func NewTiles(cells Dims, on bool) *Tiles {
	t := &Tiles{Cells: cells, Dims: Dims{NX: (cells.NX + TileX - 1) / TileX, NY: (cells.NY + TileY - 1) / TileY, NZ: (cells.NZ + TileZ - 1) / TileZ}}
	t.On = make([]bool, t.Len())
	for i := range t.On {
		t.On[i] = on
	}
	t.Update()
	return t
}

// Update works out the spans after On has changed.
// Spans of adjacent tiles are joined, and the last ends with the grid.
func (t *Tiles) Update() {
	t.Count = 0
	if t.spans == nil {
		t.spans = make([][]Span, t.NY*t.NZ)
	}
	for r := range t.spans {
		row := t.On[r*t.NX : (r+1)*t.NX]
		// The lists keep their memory, as sets change with every frame.
		list := t.spans[r][:0]
		for i := 0; i < len(row); i++ {
			if !row[i] {
				continue
			}
			e := i + 1
			for e < len(row) && row[e] {
				e++
			}
			t.Count += e - i
			list = append(list, Span{i * TileX, min(e*TileX, t.Cells.NX)})
			i = e
		}
		t.spans[r] = list
	}
}

// Full reports that every tile is in use.
func (t *Tiles) Full() bool { return t.Count == len(t.On) }

// Spans are the runs of cells in use in row (j,k); rows outside have none.
func (t *Tiles) Spans(j, k int) []Span {
	if j < 0 || k < 0 || j >= t.Cells.NY || k >= t.Cells.NZ {
		return nil
	}
	return t.spans[k/TileZ*t.NY+j/TileY]
}

// Grown is the set with every tile that lies within n tiles of one in use.
// A box of tiles: spread along x, then that along y, then along z, n times over.
func (t *Tiles) Grown(n int) *Tiles {
	on := t.On
	for range n {
		for axis := range 3 {
			on = t.Spread(on, axis)
		}
	}
	g := &Tiles{Cells: t.Cells, Dims: t.Dims, On: append([]bool(nil), on...)}
	g.Update()
	return g
}

// Spread is a set with the neighbours along an axis added.
func (t *Tiles) Spread(on []bool, axis int) []bool {
	// Read from on, written to out: one step a call, not a flood.
	out := append([]bool(nil), on...)
	step := [3]int{1, t.NX, t.NX * t.NY}[axis]
	n := [3]int{t.NX, t.NY, t.NZ}[axis]
	for i, v := range on {
		if !v {
			continue
		}
		p := i / step % n
		if p > 0 {
			out[i-step] = true
		}
		if p+1 < n {
			out[i+step] = true
		}
	}
	return out
}

// Within reports that all tiles of t are in use in o too.
// Both must cover the same cells.
func (t *Tiles) Within(o *Tiles) bool {
	for i, v := range t.On {
		if v && !o.On[i] {
			return false
		}
	}
	return true
}

// Join is the union of two sorted lists of spans.
// Both are in order and without overlap, and so is what comes out.
func Join(a, b []Span) []Span {
	if len(b) == 0 || (len(a) == 1 && len(b) == 1 && a[0] == b[0]) {
		return a
	}
	if len(a) == 0 {
		return b
	}
	var out []Span
	for len(a) > 0 || len(b) > 0 {
		var s Span
		if len(b) == 0 || (len(a) > 0 && a[0].Lo <= b[0].Lo) {
			s, a = a[0], a[1:]
		} else {
			s, b = b[0], b[1:]
		}
		if n := len(out); n > 0 && out[n-1].Hi >= s.Lo {
			out[n-1].Hi = max(out[n-1].Hi, s.Hi)
		} else {
			out = append(out, s)
		}
	}
	return out
}
