package gas

// Bounds that follow: which tiles of the limit are in use, and which box of them the
// arrays are laid out for. Three things may happen at the start of a frame or before
// a substep: nothing; tiles come into use or go out of it within the box; or the box
// itself is laid out anew and everything moves over. All three leave the values of
// cells that stay as they are, to the bit.

import (
	"errors"
	"math"

	"zarf/core/geom"
	"zarf/core/grid"
)

// heatWeight is how many kelvin count as much as one unit of smoke when tiles
// are looked at.
const heatWeight = 20

// follows makes sure that all tiles with fluid, those that emitters reach and
// a margin round them are in use; at the start of a frame (trim) it also gives
// up tiles that have become empty.
//
// At the start of a frame tiles may be given up; within one, only added, so that a
// front that flickers at the threshold doesn't lay arrays out in every substep.
func (s *Solver) follows(in Inputs, trim bool, st *FrameStats) error {
	// A frame's first substep follows the look at its start: nothing has moved since
	// but emitters, and those are cheap to look at.
	if !trim && st.Substeps == 0 && s.emitting(in).Within(s.over) {
		s.blow(in)
		return nil // the start of the frame has just looked
	}
	// Three sets, each holding the one before: what has fluid; that and the margin,
	// which must be in use; and a tile beyond, which is taken so that the margin is
	// not crossed again at once.
	need := s.occupied(in)
	defer func() { s.blow(in) }()
	want := s.grow(need, 0)
	if !trim && want.Within(s.over) {
		return nil
	}
	// one tile beyond the margin, so that tiles change now and then, not at
	// every step
	roomy := s.grow(need, 1)
	// giving up a quarter or less isn't worth the work of laying out
	if trim && want.Within(s.over) && roomy.Count*4 > s.over.Count*3 {
		return nil
	}
	if !trim { // within a frame none is given up
		for n, on := range s.over.On {
			roomy.On[n] = roomy.On[n] || on
		}
		roomy.Update()
	}
	return s.move(roomy, st)
}

// where is a box of tiles within the limit.
type where struct{ low, n [3]int } // in tiles

// within reports that a lies in b.
func (a where) within(b where) bool {
	for x := range 3 {
		if a.low[x] < b.low[x] || a.low[x]+a.n[x] > b.low[x]+b.n[x] {
			return false
		}
	}
	return true
}

var tileSize = [3]int{grid.TileX, grid.TileY, grid.TileZ}

// place is where the box lies, in tiles of the limit.
func (s *Solver) place() where {
	var w where
	for a := range 3 {
		w.low[a] = s.Low[a] / tileSize[a]
	}
	w.n = [3]int{s.tiles.NX, s.tiles.NY, s.tiles.NZ}
	return w
}

// limitTiles is the number of tiles of the limit along each axis.
func (s *Solver) limitTiles() (n [3]int) {
	for a, v := range [3]int{s.Limit.NX, s.Limit.NY, s.Limit.NZ} {
		n[a] = (v + tileSize[a] - 1) / tileSize[a]
	}
	return n
}

// occupied lists, in the limit's tiles, those with fluid or reached by an
// emitter.
// Emitters count before they have let anything in.
func (s *Solver) occupied(in Inputs) *grid.Tiles {
	t := s.emitting(in)
	at := s.place()
	list := s.channels()
	// thresholds a channel, looked up once and not a tile
	limit := make([]float32, len(list))
	for n := range list {
		limit[n] = s.enough(n)
	}
	s.crew.For(s.tiles.NZ, 1, func(k0, k1 int) {
		for K := k0; K < k1; K++ {
			for J := range s.tiles.NY {
				for I := range s.tiles.NX {
					if s.tiles.On[s.tiles.Index(I, J, K)] && s.holds(list, limit, I, J, K) {
						t.On[t.Index(I+at.low[0], J+at.low[1], K+at.low[2])] = true
					}
				}
			}
		}
	})
	t.Update()
	return t
}

// emitting lists, in the limit's tiles, those that emitters reach.
func (s *Solver) emitting(in Inputs) *grid.Tiles {
	full := s.limitTiles()
	t := grid.NewTiles(s.Limit.Dims, false)
	for _, e := range in.Emitters {
		b := e.Shape.Bounds().Grow(e.Surface/2 + s.H)
		lo, hi := b.Min.Sub(s.Limit.Origin).Mul(1/s.H).Array(), b.Max.Sub(s.Limit.Origin).Mul(1/s.H).Array()
		var a, z [3]int
		for x := range 3 {
			a[x] = max(0, int(math.Floor(lo[x]/float64(tileSize[x]))))
			z[x] = min(full[x]-1, int(math.Floor(hi[x]/float64(tileSize[x]))))
		}
		for k := a[2]; k <= z[2]; k++ {
			for j := a[1]; j <= z[1]; j++ {
				for i := a[0]; i <= z[0]; i++ {
					t.On[t.Index(i, j, k)] = true
				}
			}
		}
	}
	t.Update()
	return t
}

// holds reports a tile with more than the limit in some channel.
// It stops at the first row that counts, which in smoke is the first that it reads. A
// row is looked at whole, as whole numbers: magnitudes compare as these do.
func (s *Solver) holds(list []*grid.Field, limit []float32, I, J, K int) bool {
	for n, f := range list {
		if !s.live[n] {
			continue
		}
		q := math.Float32bits(limit[n])
		for k := K * grid.TileZ; k < min(s.NZ, (K+1)*grid.TileZ); k++ {
			for j := J * grid.TileY; j < min(s.NY, (J+1)*grid.TileY); j++ {
				row := f.Row(j, k)
				var top uint32
				for _, v := range row[I*grid.TileX : min(s.NX, (I+1)*grid.TileX)] {
					top = max(top, math.Float32bits(v)&^(1<<31))
				}
				if top > q {
					return true
				}
			}
		}
	}
	return false
}

// limited reports the sides of the limit that fluid has reached: those with
// some in their outermost cells.
// A wall counts as well: the artist is told where the limit was in the way.
func (s *Solver) limited() (out [6]bool) {
	// only sides of the box that are sides of the limit can be reached
	n, full := [3]int{s.NX, s.NY, s.NZ}, [3]int{s.Limit.NX, s.Limit.NY, s.Limit.NZ}
	for side := range out {
		a := side / 2
		lo, hi := [3]int{}, n
		if side%2 == 0 {
			hi[a] = 1
		} else {
			lo[a] = n[a] - 1
		}
		if (side%2 == 0 && s.Low[a] > 0) || (side%2 == 1 && s.Low[a]+n[a] < full[a]) {
			continue
		}
		for c, f := range s.channels() {
			q := s.enough(c)
			for k := lo[2]; k < hi[2] && s.live[c]; k++ {
				for j := lo[1]; j < hi[1]; j++ {
					for _, v := range f.Row(j, k)[lo[0]:hi[0]] {
						out[side] = out[side] || v > q || v < -q
					}
				}
			}
		}
	}
	return out
}

// enough is how much of a channel counts as fluid.
func (s *Solver) enough(channel int) float32 {
	if channel == 1 {
		return float32(heatWeight * s.Follow.Threshold)
	}
	return float32(s.Follow.Threshold)
}

// grow adds the margin and more tiles.
func (s *Solver) grow(t *grid.Tiles, more int) *grid.Tiles {
	m := s.Follow.Margin / s.H
	on := t.On
	for axis := range 3 {
		// a margin of whole tiles, the axes one after another: a box, not a ball
		for range int(math.Ceil(m/float64(tileSize[axis])-1e-9)) + more {
			on = t.Spread(on, axis)
		}
	}
	g := &grid.Tiles{Cells: t.Cells, Dims: t.Dims, On: append([]bool(nil), on...)}
	g.Update()
	return g
}

// cut is the box that holds a set over the limit's tiles and a ring of one
// tile more.
func (s *Solver) cut(t *grid.Tiles) (w where) {
	lo, hi := [3]int{t.NX, t.NY, t.NZ}, [3]int{-1, -1, -1}
	for n, on := range t.On {
		if !on {
			continue
		}
		p := [3]int{n % t.NX, n / t.NX % t.NY, n / (t.NX * t.NY)}
		for a := range 3 {
			lo[a], hi[a] = min(lo[a], p[a]), max(hi[a], p[a])
		}
	}
	if hi[0] < 0 {
		lo, hi = [3]int{}, [3]int{}
	}
	full := [3]int{t.NX, t.NY, t.NZ}
	for a := range 3 {
		w.low[a] = max(0, lo[a]-1)
		w.n[a] = min(full[a], hi[a]+2) - w.low[a]
	}
	return w
}

// window is the part of a set over the limit that lies in w.
func (s *Solver) window(t *grid.Tiles, w where) *grid.Tiles {
	out := grid.NewTiles(s.boxOf(w).Dims, false)
	for k := range w.n[2] {
		for j := range w.n[1] {
			for i := range w.n[0] {
				out.On[out.Index(i, j, k)] = t.On[t.Index(i+w.low[0], j+w.low[1], k+w.low[2])]
			}
		}
	}
	out.Update()
	return out
}

// boxOf is the box of some tiles of the limit.
func (s *Solver) boxOf(w where) Box {
	b := s.Limit
	d := [3]*int{&b.NX, &b.NY, &b.NZ}
	for a, n := range [3]int{s.Limit.NX, s.Limit.NY, s.Limit.NZ} {
		*d[a] = min(n, (w.low[a]+w.n[a])*tileSize[a]) - w.low[a]*tileSize[a]
	}
	return b
}

// move changes the tiles in use to a set over the limit, and lays the arrays
// out anew where the box has to be another one.
//
// Room to grow is taken with the layout, more upwards, so that smoke that rises
// doesn't cause one in every frame.
func (s *Solver) move(set *grid.Tiles, st *FrameStats) error {
	now, want := s.place(), s.cut(set)
	before := s.over
	// Laying out copies every field and frees the old arrays: only where the set no
	// longer fits, or where the box is three times what is needed.
	if !want.within(now) || want.n[0]*want.n[1]*want.n[2]*3 < now.n[0]*now.n[1]*now.n[2] {
		// some room to grow, so that this doesn't happen too often
		full := s.limitTiles()
		// smoke rises: more room above than to the sides
		for a, up := range [3]int{1, 3, 1} {
			hi := min(full[a], want.low[a]+want.n[a]+up)
			want.low[a] = max(0, want.low[a]-1)
			want.n[a] = hi - want.low[a]
		}
		// the old arrays live on in this copy until their contents are taken over
		old := *s
		if err := s.furnishAt(want, before); err != nil {
			return err
		}
		s.copyFrom(&old)
		old.arena.Free()
		now = want
	}
	was, next := s.tiles, s.window(set, now)
	// give up first, take second: faces between the two belong to the newcomer
	for n, on := range was.On {
		if on && !next.On[n] {
			s.abandon(n, next, st)
		}
	}
	s.over, s.tiles = set, next
	for n, on := range next.On {
		if on && !was.On[n] {
			s.setTile(n, s.Ambient, was)
		}
	}
	s.arrange()
	return nil
}

// furnishAt lays the arrays out for a box of tiles.
func (s *Solver) furnishAt(w where, set *grid.Tiles) error {
	s.over, s.tiles = set, s.window(set, w)
	return s.furnish(s.boxOf(w), [3]int{w.low[0] * grid.TileX, w.low[1] * grid.TileY, w.low[2] * grid.TileZ})
}

// copyFrom takes over what another layout of the same limit holds.
func (s *Solver) copyFrom(o *Solver) {
	// both boxes count cells from the limit's corner, so a cell keeps its place and
	// its bits; only runs in use are copied, or empty pages would be taken
	shift := [3]int{o.Low[0] - s.Low[0], o.Low[1] - s.Low[1], o.Low[2] - s.Low[2]}
	copyField := func(dst, src *grid.Field, l *layout) {
		for k := range src.NZ {
			for j := range src.NY {
				y, z := j+shift[1], k+shift[2]
				if y < 0 || z < 0 || y >= dst.NY || z >= dst.NZ {
					continue
				}
				for _, p := range l.spans(j, k) {
					lo, hi := max(p.Lo, -shift[0]), min(p.Hi, dst.NX-shift[0])
					if lo < hi {
						copy(dst.Row(y, z)[lo+shift[0]:hi+shift[0]], src.Row(j, k)[lo:hi])
					}
				}
			}
		}
	}
	for c, f := range s.velocity() {
		copyField(f, o.velocity()[c], &o.lay[onU+c])
	}
	for n, f := range s.channels() {
		copyField(f, o.channels()[n], &o.lay[onCentre])
	}
	copyField(s.Pressure, o.Pressure, &o.lay[onCentre])
}

// tileCells runs fn over the rows of tile n: the first cell and how many.
func (s *Solver) tileCells(n int, fn func(i, j, k, count int)) {
	t := s.tiles
	I, J, K := n%t.NX, n/t.NX%t.NY, n/(t.NX*t.NY)
	lo, hi := I*grid.TileX, min(s.NX, (I+1)*grid.TileX)
	for k := K * grid.TileZ; k < min(s.NZ, (K+1)*grid.TileZ); k++ {
		for j := J * grid.TileY; j < min(s.NY, (J+1)*grid.TileY); j++ {
			fn(lo, j, k, hi-lo)
		}
	}
}

// abandon gives up a tile: what little it holds is counted as lost.
// All arrays of the tile are cleared, as nothing beyond the tiles may hold a value.
func (s *Solver) abandon(n int, next *grid.Tiles, st *FrameStats) {
	v := s.H * s.H * s.H
	// all arrays must read zero beyond the tiles in use: the kernels read a cell
	// past the rim and don't ask whether it is in use
	s.tileCells(n, func(i, j, k, count int) {
		o := s.Index(i, j, k)
		for _, d := range s.Smoke.Data[o : o+count] {
			st.Lost += float64(d) * v
		}
		for _, f := range s.channels() {
			clear(f.Data[o : o+count])
		}
		clear(s.hat[onCentre].Data[o : o+count])
		for n := range s.parcels {
			if h := s.parcels[n].hat; h != nil {
				clear(h.Data[o : o+count])
			}
		}
		clear(s.source.Data[o : o+count])
		clear(s.Pressure.Data[o : o+count])
		for _, f := range s.curl {
			if f != nil {
				clear(f.Data[o : o+count])
			}
		}
	})
	s.setTile(n, geom.Vec3{}, next)
}

// setTile sets the velocity on the faces of a tile, but for those shared with
// tiles to keep, in the fields and in their advected copies.
func (s *Solver) setTile(n int, v geom.Vec3, keep *grid.Tiles) {
	a := v.Array()
	t := keep
	I, J, K := n%t.NX, n/t.NX%t.NY, n/(t.NX*t.NY)
	on := func(i, j, k int) bool {
		return i >= 0 && j >= 0 && k >= 0 && i < t.NX && j < t.NY && k < t.NZ && t.On[t.Index(i, j, k)]
	}
	for c, f := range s.velocity() {
		h := s.hat[onU+c]
		d := [3]int{}
		d[c] = 1
		// the low face is shared with the tile below, the one past the high
		// side with the tile above
		keepLow := on(I-d[0], J-d[1], K-d[2])
		keepHigh := on(I+d[0], J+d[1], K+d[2])
		lo := [3]int{I * grid.TileX, J * grid.TileY, K * grid.TileZ}
		hi := [3]int{min(s.NX, lo[0]+grid.TileX), min(s.NY, lo[1]+grid.TileY), min(s.NZ, lo[2]+grid.TileZ)}
		// Faces between two tiles belong to both: one that stays in use keeps them.
		if keepLow {
			lo[c]++
		}
		if !keepHigh {
			hi[c]++
		}
		x := float32(a[c])
		for k := lo[2]; k < hi[2]; k++ {
			for j := lo[1]; j < hi[1]; j++ {
				o := f.Index(lo[0], j, k)
				row, copyRow := f.Data[o:o+hi[0]-lo[0]], h.Data[o:o+hi[0]-lo[0]]
				for i := range row {
					row[i], copyRow[i] = x, x
				}
			}
		}
	}
}

// blow moves the air outside with the winds that blow everywhere, and writes
// its velocity into the ring of tiles round those in use, where advection
// looks.
func (s *Solver) blow(in Inputs) {
	if s.Ambient == (geom.Vec3{}) && len(in.Winds) == 0 {
		return
	}
	// one tile is as far as the step's advection is expected to look
	ring := s.tiles.Grown(1)
	for n, on := range ring.On {
		if on && !s.tiles.On[n] {
			s.setTile(n, s.Ambient, s.tiles)
		}
	}
}

// Tiling tells which tiles are in use, for saving: the box in tiles of the
// limit, and for each of the limit's tiles whether it is in use.
// The set over the limit, as the box may be laid out otherwise after loading.
func (s *Solver) Tiling() (low, n [3]int, on []bool) {
	w := s.place()
	return w.low, w.n, s.over.On
}

// SetTiling lays the solver out as Tiling told; fields are zero afterwards.
// Whatever was there is gone: it is for loading alone.
func (s *Solver) SetTiling(low, n [3]int, on []bool) error {
	full := s.limitTiles()
	for a := range 3 {
		if low[a] < 0 || n[a] < 1 || low[a]+n[a] > full[a] {
			return errTiling
		}
	}
	t := grid.NewTiles(s.Limit.Dims, false)
	if s.Follow == nil || len(on) != len(t.On) {
		return errTiling
	}
	// only now, when all fits: the state may come from a damaged file
	copy(t.On, on)
	t.Update()
	s.arena.Free()
	return s.furnishAt(where{low, n}, t)
}

var errTiling = errors.New("gas: the saved tiles don't fit this domain")

// Resident is the memory that a solver whose bounds follow takes for its
// fields, in bytes; 0 for others.
func (s *Solver) Resident() int {
	if s.arena == nil {
		return 0
	}
	return s.arena.Resident()
}
