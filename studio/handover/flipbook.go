package handover

import (
	"context"
	"fmt"
	"math"
	"os"
	"path/filepath"
	"slices"

	"zarf/core/flipbook"
	"zarf/core/format/exr"
	"zarf/core/grid"
	"zarf/core/pixel"
	"zarf/core/shot/val"
	"zarf/studio/run"
)

// The planes of a tile. The first four are fixed by [flipbook.Tile]; the others
// are where the recording has them and a sheet wants them.
const (
	planeR = iota
	planeG
	planeB
	planeA
	planeEmitR
	planeEmitG
	planeEmitB
	planeNormalX
	planeNormalY
	planeNormalZ
	planeHeat
	planeDepth
	planeMoveX
	planeMoveY
	planeSide // six of them
	planeEnd  = planeSide + 6
)

// layerOf names the channel of a recording for each plane.
var layerOf = [planeEnd]string{"R", "G", "B", "A", "emission.R", "emission.G", "emission.B", "normal.X", "normal.Y", "normal.Z", "heat.Y", "Z", "motion.X", "motion.Y",
	"sides.right", "sides.left", "sides.top", "sides.bottom", "sides.back", "sides.front"}

// packedFrom is what a packed sheet's choices need.
var packedFrom = map[string]int{"emission": planeEmitR, "heat": planeHeat, "depth": planeDepth, "normal_x": planeNormalX, "normal_y": planeNormalY, "normal_z": planeNormalZ}

// book is a flipbook being made.
type book struct {
	*work
	grid   flipbook.Grid
	place  flipbook.Place
	at     map[int]int // which of a tile's planes holds a plane
	frames []int
	tiles  []*flipbook.Tile // of frames, then of the flipbook
	picked []int
	flows  []*flipbook.Flow
	facts  *Flipbook
	crew   grid.Crew
	cut    []int // frames that are cut off by the picture's edge
	cutBy  float64
}

// packs are what the channels of a packed sheet hold.
var packs = [4]val.TextKey{val.PackR, val.PackG, val.PackB, val.PackA}

// flipbook makes atlases of a rendered range.
func (w *work) flipbook(ctx context.Context, frames []int) error {
	if w.Renders == "" {
		return fmt.Errorf("no recording is chosen; record tiles here, or render a range at Look, then choose it")
	}
	b := &book{work: w, frames: frames, crew: grid.NewCrew(w.Threads), at: map[int]int{}}
	n := func(k val.NumKey) int { return int(k.Of(w.Settings)) }
	b.grid = flipbook.Grid{Columns: n(val.Columns), Rows: n(val.Rows), W: n(val.TileWide), H: n(val.TileTall)}
	b.place = flipbook.Place{Scale: val.TileScale.Of(w.Settings), Turn: val.TileTurn.Of(w.Settings) * math.Pi / 180, OffsetX: val.ShiftX.Of(w.Settings), OffsetY: val.ShiftY.Of(w.Settings), Pad: n(val.Padding)}
	if 2*b.place.Pad >= min(b.grid.W, b.grid.H) {
		return fmt.Errorf("padding of %d pixels on every side leaves nothing of tiles of %d × %d", b.place.Pad, b.grid.W, b.grid.H)
	}
	if val.SheetOut.Of(w.Settings) == "atlas" {
		if err := b.grid.Check(1); err != nil {
			return err
		}
	}
	b.facts = &Flipbook{Columns: b.grid.Columns, Rows: b.grid.Rows, TileWide: b.grid.W, TileTall: b.grid.H, Padding: b.place.Pad, Loop: val.Loop.Of(w.Settings)}
	w.m.Flipbook = b.facts
	if err := b.load(ctx); err != nil {
		return err
	}
	if err := b.choose(); err != nil {
		return err
	}
	if err := b.motion(ctx); err != nil {
		return err
	}
	return b.write(ctx)
}

// wants are the planes beside colour that the chosen sheets need.
func (b *book) wants() []int {
	need := map[int]bool{}
	if val.SheetColour.Of(b.Settings) == "lit" || val.SheetEmission.Of(b.Settings) || val.SheetSides.Of(b.Settings) {
		need[planeEmitR] = true
	}
	if val.SheetNormals.Of(b.Settings) {
		need[planeNormalX] = true
	}
	if val.SheetSides.Of(b.Settings) {
		for i := range 6 {
			need[planeSide+i] = true
		}
	}
	if val.SheetPacked.Of(b.Settings) {
		for _, k := range packs {
			if p, ok := packedFrom[k.Of(b.Settings)]; ok {
				need[p] = true
			}
		}
	}
	if need[planeEmitR] {
		need[planeEmitG], need[planeEmitB] = true, true
	}
	if need[planeNormalX] || need[planeNormalY] || need[planeNormalZ] {
		need[planeNormalX], need[planeNormalY], need[planeNormalZ] = true, true, true
	}
	if val.Vectors.Of(b.Settings) == "projected" {
		need[planeMoveX], need[planeMoveY] = true, true
	}
	var out []int
	for p := range planeEnd {
		if need[p] {
			out = append(out, p)
		}
	}
	return out
}

// load reads the recording and brings every frame to the size of a tile.
func (b *book) load(ctx context.Context) error {
	files, ext, err := Recorded(b.Renders)
	if err != nil {
		return err
	}
	if err := lost(files, b.frames); err != nil {
		return err
	}
	want := b.wants()
	if ext != "exr" && len(want) > 0 {
		return fmt.Errorf("the recording is .%s, which holds colours alone; %s needs OpenEXR with layers: record tiles here, or render in OpenEXR", ext, layerOf[want[0]])
	}
	planes := 4 + len(want)
	need := int64(len(b.frames)) * int64(b.grid.W*b.grid.H) * int64(planes) * 4
	if have := run.Memory(); have > 0 && need > have/3 {
		return fmt.Errorf("%d frames of %d × %d pixels take %.1f GB, this machine has %.1f GB: take every second frame, or smaller tiles", len(b.frames), b.grid.W, b.grid.H, float64(need)/1e9, float64(have)/1e9)
	}
	for n, p := range want {
		b.at[p] = 4 + n
	}
	b.tiles = make([]*flipbook.Tile, len(b.frames))
	b.total = len(b.frames) + 2
	index := map[int]int{}
	for n, f := range b.frames {
		index[f] = n
	}
	sizes := make([][2]int, len(b.frames))
	err = run.Lanes(ctx, b.frames, b.Threads, func(_ context.Context, f int, crew grid.Crew) error {
		t, err := b.read(filepath.Join(b.Renders, files[f]), want)
		if err != nil {
			return fmt.Errorf("%s: %w", files[f], err)
		}
		sizes[index[f]] = [2]int{t.W, t.H}
		b.mu.Lock()
		if e := edge(t); e > 0.02 {
			b.cut = append(b.cut, f)
			b.cutBy = max(b.cutBy, e)
		}
		b.mu.Unlock()
		b.tiles[index[f]] = b.place.Put(t, b.grid.W, b.grid.H, crew)
		b.tell(f, false)
		return nil
	})
	if err != nil {
		return err
	}
	b.facts.recorded = sizes[0]
	for n, x := range sizes {
		if x != sizes[0] {
			return fmt.Errorf("%s is %d × %d pixels, %s is %d × %d; render the range again", files[b.frames[n]], x[0], x[1], files[b.frames[0]], sizes[0][0], sizes[0][1])
		}
	}
	return nil
}

// edge is the most alpha or light on a frame's outermost pixels.
func edge(t *flipbook.Tile) float64 {
	most := float32(0)
	at := func(i int) {
		most = max(most, t.Planes[3][i], t.Planes[0][i], t.Planes[1][i], t.Planes[2][i])
	}
	for x := range t.W {
		at(x)
		at((t.H-1)*t.W + x)
	}
	for y := range t.H {
		at(y * t.W)
		at(y*t.W + t.W - 1)
	}
	return float64(most)
}

// read reads a recorded frame as linear planes.
func (b *book) read(file string, want []int) (*flipbook.Tile, error) {
	data, err := os.ReadFile(file)
	if err != nil {
		return nil, err
	}
	if filepath.Ext(file) != ".exr" {
		m, err := pixel.Decode(data)
		if err != nil {
			return nil, err
		}
		t := flipbook.NewTile(m.W, m.H, 4)
		for i, v := range m.Pix {
			t.Planes[i%4][i/4] = v
		}
		return t, nil
	}
	all := append([]int{planeR, planeG, planeB, planeA}, want...)
	lim := exr.DefaultLimits
	for _, p := range all {
		lim.Only = append(lim.Only, layerOf[p])
	}
	m, err := exr.Decode(data, lim)
	if err != nil {
		return nil, err
	}
	t := &flipbook.Tile{W: m.W, H: m.H}
	for _, p := range all {
		v := m.Channel(layerOf[p])
		if v == nil {
			return nil, fmt.Errorf("the recording has no layer %s: record tiles here, or render in OpenEXR with layers", layerOf[p])
		}
		t.Planes = append(t.Planes, v)
	}
	if i, ok := b.at[planeDepth]; ok { // far away is nothing to average
		for k, z := range t.Planes[i] {
			if z > 1e9 || t.Planes[3][k] <= 0 {
				t.Planes[i][k] = 0
			} else {
				t.Planes[i][k] = t.Planes[3][k] / z
			}
		}
	}
	if i, ok := b.at[planeHeat]; ok { // weighed by what is seen
		for k, a := range t.Planes[3] {
			t.Planes[i][k] *= a
		}
	}
	return t, nil
}

// choose picks frames, and closes the loop.
func (b *book) choose() error {
	n := b.grid.Columns * b.grid.Rows
	presence := make([]float64, len(b.tiles))
	b.crew.For(len(b.tiles), 1, func(lo, hi int) {
		for i := lo; i < hi; i++ {
			presence[i] = flipbook.Presence(b.tiles[i])
		}
	})
	first, last, err := flipbook.Span(presence)
	if err != nil {
		return err
	}
	fit := val.Pick.Of(b.Settings) == "fit"
	if !fit {
		first, last = 0, len(b.tiles)-1
	}
	index, err := b.pick(first, last, n, fit)
	if err != nil {
		return err
	}
	all := b.tiles
	b.tiles = nil
	for _, i := range index {
		b.tiles = append(b.tiles, all[i])
		b.picked = append(b.picked, b.frames[i])
	}
	if b.facts.Loop == "blend" {
		over := int(val.LoopOver.Of(b.Settings))
		if b.tiles, err = flipbook.Blend(b.tiles, over); err != nil {
			return err
		}
		b.picked = b.picked[over:]
	}
	b.account(n)
	return b.grid.Check(min(len(b.tiles), n))
}

// pick lists n of the recorded frames first to last: where the loop is cut, those
// between the best seam; where it goes over, as many more as that takes.
func (b *book) pick(first, last, n int, fit bool) (index []int, err error) {
	switch b.facts.Loop {
	case "cut":
		small := make([]*flipbook.Tile, last-first+1)
		b.crew.For(len(small), 1, func(lo, hi int) {
			for i := lo; i < hi; i++ {
				t := b.tiles[first+i]
				only := &flipbook.Tile{W: t.W, H: t.H, Planes: t.Planes[:4]}
				k := min(1, 64/float64(max(t.W, t.H)))
				small[i] = flipbook.Place{Scale: 1}.Put(only, max(1, int(float64(t.W)*k)), max(1, int(float64(t.H)*k)), grid.NewCrew(1))
			}
		})
		most := n
		if fit {
			most = len(small)
		}
		seam, err := flipbook.Cut(small, int(val.LoopLeast.Of(b.Settings)), most)
		if err != nil {
			return nil, err
		}
		long := seam.To - seam.From + 1
		for i := range min(n, long) {
			index = append(index, first+seam.From+i*long/min(n, long))
		}
	case "blend":
		over := int(val.LoopOver.Of(b.Settings))
		if index, err = b.row(first, last, n+over, fit); err != nil {
			return nil, err
		}
		if len(index) < 2*over+1 {
			return nil, fmt.Errorf("going over in %d tiles needs %d frames, there are %d: record more, or go over in fewer", over, 2*over+1, len(index))
		}
	default:
		if index, err = b.row(first, last, n, fit); err != nil {
			return nil, err
		}
	}
	return index, nil
}

// account puts into facts and notes what came of choosing n frames: how the loop's
// seam looks, what the recording cuts off, what stays empty.
func (b *book) account(n int) {
	if b.facts.Loop != "none" {
		s := flipbook.Measure(b.tiles)
		b.facts.Seam = &SeamFacts{s.Jump, s.Mean, s.Ratio()}
		if s.Ratio() > 1.5 {
			b.m.Notes = append(b.m.Notes, fmt.Sprintf("the loop jumps: its seam is %.2f times the mean change. Record more frames, or let it go over into its beginning", s.Ratio()))
		}
	}
	b.facts.Tiles, b.facts.Picked = len(b.tiles), b.picked
	if hit := slices.DeleteFunc(b.cut, func(f int) bool { return !slices.Contains(b.picked, f) }); len(hit) > 0 {
		slices.Sort(hit)
		b.m.Notes = append(b.m.Notes, fmt.Sprintf("frames %s are cut off by the recording's edge, at up to %.2f: move the camera back and record again", run.Ranges(hit), b.cutBy))
	}
	b.facts.Rate = b.Take.Rate() / b.pace()
	if len(b.tiles) < n {
		b.m.Notes = append(b.m.Notes, fmt.Sprintf("%d of %d tiles are used", len(b.tiles), n))
	}
}

// row lists n frames, spread or one after another.
func (b *book) row(first, last, n int, fit bool) ([]int, error) {
	if fit {
		if got := last - first + 1; got < n {
			b.m.Notes = append(b.m.Notes, fmt.Sprintf("only %d recorded frames show anything, so some of %d tiles come twice", got, n))
		}
		return flipbook.Fit(first, last, n), nil
	}
	if have := last - first + 1; have < n {
		n = have
	}
	out := make([]int, n)
	for i := range out {
		out[i] = first + i
	}
	return out, nil
}

// pace is the source frames from a tile to the next, on the whole.
func (b *book) pace() float64 {
	if len(b.picked) < 2 {
		return 1
	}
	return max(float64(b.picked[len(b.picked)-1]-b.picked[0])/float64(len(b.picked)-1), 1e-3)
}

// flowSide is the longest side on which motion is looked for, pixels.
const flowSide = 256

// motion finds how tiles move on to the next.
func (b *book) motion(ctx context.Context) error {
	by := val.Vectors.Of(b.Settings)
	n := len(b.tiles)
	if by == "none" || n < 2 {
		return nil
	}
	b.flows = make([]*flipbook.Flow, n)
	var all []int
	for i := range n {
		all = append(all, i)
	}
	f := b.facts
	f.Motion = &MotionFacts{Masked: val.VectorsMasked.Of(b.Settings), Up: "positive downwards", By: "optical flow from a tile to the next"}
	if val.VectorsUp.Of(b.Settings) == "up" {
		f.Motion.Up = "positive upwards"
	}
	if by == "projected" {
		f.Motion.By = "the fluid's velocity as the camera sees it"
	}
	blank := func() *flipbook.Flow {
		k := b.grid.W * b.grid.H
		return &flipbook.Flow{W: b.grid.W, H: b.grid.H, U: make([]float32, k), V: make([]float32, k)}
	}
	err := run.Lanes(ctx, all, b.Threads, func(_ context.Context, i int, crew grid.Crew) error {
		next := i + 1
		if next == n {
			if next = 0; f.Loop == "none" {
				b.flows[i] = blank()
				return nil
			}
		}
		if by == "projected" {
			b.flows[i] = b.projected(i, next, blank())
		} else {
			b.flows[i] = flipbook.Motion(b.tiles[i], b.tiles[next], flowSide, crew)
		}
		if f.Motion.Masked {
			b.flows[i].Mask(b.tiles[i])
		}
		return nil
	})
	if err != nil {
		return err
	}
	for _, w := range b.flows {
		f.Motion.Largest = max(f.Motion.Largest, w.Largest()/float64(b.grid.W))
	}
	b.judge()
	return nil
}

// projected is the recording's own motion, brought to the tile and to the step
// from a tile to the next.
func (b *book) projected(i, next int, out *flipbook.Flow) *flipbook.Flow {
	step := float64(b.picked[next] - b.picked[i])
	if next == 0 {
		step = b.pace()
	}
	s := b.facts.recorded
	m := b.place.Shape(s[0], s[1], b.grid.W, b.grid.H)
	x, y := b.tiles[i].Planes[b.at[planeMoveX]], b.tiles[i].Planes[b.at[planeMoveY]]
	for k := range out.U {
		u, v := float64(x[k])*step, float64(y[k])*step
		out.U[k], out.V[k] = float32(m[0]*u+m[1]*v), float32(m[2]*u+m[3]*v)
	}
	return out
}

// judge measures how well pictures between tiles come out: over every second
// tile, against the one that was left out.
func (b *book) judge() {
	n := len(b.tiles)
	if n < 3 {
		return
	}
	var at []int
	for k := range min(8, n-2) {
		at = append(at, k*(n-2)/min(8, n-2))
	}
	by, fade := make([]float64, len(at)), make([]float64, len(at))
	b.crew.For(len(at), 1, func(lo, hi int) {
		for k := lo; k < hi; k++ {
			i := at[k]
			p, m, q := b.tiles[i], b.tiles[i+1], b.tiles[i+2]
			only := func(t *flipbook.Tile) *flipbook.Tile { return &flipbook.Tile{W: t.W, H: t.H, Planes: t.Planes[:4]} }
			p, m, q = only(p), only(m), only(q)
			f := flipbook.Motion(p, q, flowSide, grid.NewCrew(1))
			by[k], fade[k] = flipbook.Difference(flipbook.Between(p, q, f, 0.5), m), flipbook.Difference(flipbook.Mix(p, q, 0.5), m)
		}
	})
	for k := range at {
		b.facts.Motion.Between += by[k] / float64(len(at))
		b.facts.Motion.Fade += fade[k] / float64(len(at))
	}
}
