package frame

// Sparse grids: leaves of 8³ voxels with a mask, and constant tiles. Solvers make
// them of dense arrays, renderers make dense arrays of them, files hold them as they
// are.

// Sparse grids as they are exchanged. The layout of a leaf is that of the files, so
// a frame goes to disk and back without a value being moved; solvers and renderers,
// which want dense arrays, pay for the exchange once a frame.

import (
	"fmt"
	"math"
	"math/bits"
	"slices"
)

// Type is a grid's value type, by the name in the file.
// All of them can be read; solvers write the two of float32.
type Type string

// The value types.
const (
	Float  Type = "float"
	Double Type = "double"
	Int32  Type = "int32"
	Int64  Type = "int64"
	Bool   Type = "bool"
	Vec3s  Type = "vec3s"
	Vec3d  Type = "vec3d"
	Vec3i  Type = "vec3i"
)

// Shape gives the components, the bytes of one component, and whether values
// are kept as float32.
func (t Type) Shape() (comps, size int, narrow, ok bool) {
	switch t {
	case Float:
		return 1, 4, true, true
	case Double, Int64:
		return 1, 8, false, true
	case Int32:
		return 1, 4, false, true
	case Bool:
		return 1, 1, false, true
	case Vec3s:
		return 3, 4, true, true
	case Vec3d:
		return 3, 8, false, true
	case Vec3i:
		return 3, 4, false, true
	}
	return 0, 0, false, false
}

// Components is 1 for scalars, 3 for vectors.
func (t Type) Components() int { c, _, _, _ := t.Shape(); return c }

// LeafEdge is the edge of a leaf in voxels, LeafSize its voxels.
// Leaves as in the tree of a VDB file: what is written needs no sorting anew. A leaf
// of floats is 2 KB and a mask of 64 bytes.
const (
	LeafEdge = 8
	LeafSize = 512
)

// Mask is the set of active voxels of a leaf: bit (x·8+y)·8+z.
// 64 bytes: a cache line a leaf
// A word is a plane of constant x, a byte in it a row along z.
type Mask [8]uint64

// On reports bit n.
func (m *Mask) On(n int) bool { return m[n>>6]>>(n&63)&1 == 1 }

// Set switches bit n on.
func (m *Mask) Set(n int) { m[n>>6] |= 1 << (n & 63) }

// Count is the number of bits that are on.
func (m *Mask) Count() int {
	c := 0
	for _, w := range m {
		c += bits.OnesCount64(w)
	}
	return c
}

// Leaf is a block of 8³ voxels. Values hold 512 voxels, components together;
// Wide instead where the type isn't float.
// values of voxels that aren't active are background, or what the file had there
// A leaf stands on a multiple of eight in index space, also a negative one.
type Leaf struct {
	Origin [3]int32
	Active Mask
	Values []float32
	Wide   []float64
}

// Tile is a constant block of Size³ voxels.
// files from elsewhere have them where smoke is even; our own have none but the
// root's
type Tile struct {
	Origin [3]int32
	Size   int32
	Active bool
	Value  [3]float64
}

// Grid is one volume of a file.
// Meta is free: unit, solver, frame; Class is the role as the format names it
// No two leaves have one origin, and no tile covers a leaf: readers of files that
// break this would show the later one.
type Grid struct {
	Name       string
	Type       Type
	Half       bool
	Class      string // "fog volume", "level set", "staggered" or ""
	Meta       map[string]any
	Transform  Transform
	Background [3]float64
	Leaves     []*Leaf // in file order
	Tiles      []Tile
}

// Transform takes index space to world space: world = M · (i, j, k, 1), row
// vectors as in the file: the translation stands in M[3].
// Kind and M both stay as the file had them, so that writing a grid back keeps its
// map.
type Transform struct {
	M      [4][4]float64
	Kind   string // the map's name in the file
	Linear bool
}

// Uniform is a transform by voxel size h (m) and the world position of voxel
// (0,0,0)'s centre.
// By the centre and not the corner: index (0,0,0) is the middle of the first voxel.
func Uniform(h float64, at [3]float64) Transform {
	t := Transform{Kind: "UniformScaleTranslateMap", Linear: true}
	for a := range 3 {
		t.M[a][a] = h
		t.M[3][a] = at[a]
	}
	t.M[3][3] = 1
	return t
}

// VoxelSize is the edge lengths of a voxel.
func (t Transform) VoxelSize() [3]float64 {
	var s [3]float64
	for a := range 3 {
		s[a] = math.Sqrt(t.M[a][0]*t.M[a][0] + t.M[a][1]*t.M[a][1] + t.M[a][2]*t.M[a][2])
	}
	return s
}

// World is the position of an index.
func (t Transform) World(p [3]float64) [3]float64 {
	var w [3]float64
	for c := range 3 {
		w[c] = p[0]*t.M[0][c] + p[1]*t.M[1][c] + p[2]*t.M[2][c] + t.M[3][c]
	}
	return w
}

// Info sums a grid up.
// It is what `zarf inspect` prints and what pages show of a file, as JSON.
type Info struct {
	Name       string         `json:"name"`
	Type       string         `json:"type"`
	Half       bool           `json:"half"`
	Class      string         `json:"class,omitempty"`
	Active     int64          `json:"active_voxels"`
	Leaves     int            `json:"leaves"`
	Tiles      int            `json:"tiles"`
	Min        [3]int32       `json:"index_min"`
	Max        [3]int32       `json:"index_max"`
	WorldMin   [3]float64     `json:"world_min"`
	WorldMax   [3]float64     `json:"world_max"`
	Low        []float64      `json:"low"`  // smallest active value, by component
	High       []float64      `json:"high"` // largest
	NonFinite  int64          `json:"non_finite,omitempty"`
	Background []float64      `json:"background"`
	VoxelSize  [3]float64     `json:"voxel_size"`
	Transform  [4][4]float64  `json:"transform"`
	Map        string         `json:"map"`
	Meta       map[string]any `json:"meta,omitempty"`
}

// At reads component c of voxel n of a leaf.
func (l *Leaf) At(n, c, comps int) float64 {
	if l.Wide != nil {
		return l.Wide[n*comps+c]
	}
	return float64(l.Values[n*comps+c])
}

// Inspect counts what a grid holds.
// One pass over the active voxels; tiles count with all that they stand for.
func (g *Grid) Inspect() Info {
	// ranges are told for each component apart
	comps := g.Type.Components()
	in := Info{Name: g.Name, Type: string(g.Type), Half: g.Half, Class: g.Class, Leaves: len(g.Leaves), Tiles: len(g.Tiles),
		Background: append([]float64(nil), g.Background[:comps]...), VoxelSize: g.Transform.VoxelSize(), Transform: g.Transform.M, Map: g.Transform.Kind, Meta: g.Meta}
	in.Low, in.High = make([]float64, comps), make([]float64, comps)
	for c := range comps {
		in.Low[c], in.High[c] = math.Inf(1), math.Inf(-1)
	}
	in.Min, in.Max = [3]int32{math.MaxInt32, math.MaxInt32, math.MaxInt32}, [3]int32{math.MinInt32, math.MinInt32, math.MinInt32}
	// values that are no numbers are counted and left out of the range
	// A NaN in a file is told by its count: it must not turn the range into NaN.
	see := func(c int, v float64) {
		if math.IsNaN(v) || math.IsInf(v, 0) {
			in.NonFinite++
			return
		}
		in.Low[c], in.High[c] = min(in.Low[c], v), max(in.High[c], v)
	}
	reach := func(p [3]int32, n int32) {
		for a := range 3 {
			in.Min[a], in.Max[a] = min(in.Min[a], p[a]), max(in.Max[a], p[a]+n-1)
		}
	}
	for _, l := range g.Leaves {
		for n := range LeafSize {
			if !l.Active.On(n) {
				continue
			}
			in.Active++
			// bits 6 to 8 of n are x, 3 to 5 y, 0 to 2 z
			reach([3]int32{l.Origin[0] + int32(n>>6), l.Origin[1] + int32(n>>3&7), l.Origin[2] + int32(n&7)}, 1)
			for c := range comps {
				see(c, l.At(n, c, comps))
			}
		}
	}
	for _, t := range g.Tiles {
		if !t.Active {
			continue
		}
		in.Active += int64(t.Size) * int64(t.Size) * int64(t.Size)
		reach(t.Origin, t.Size)
		for c := range comps {
			see(c, t.Value[c])
		}
	}
	// An empty grid has no box; zeros are easier on readers than infinities.
	if in.Active == 0 {
		in.Min, in.Max = [3]int32{}, [3]int32{}
		for c := range comps {
			in.Low[c], in.High[c] = 0, 0
		}
		return in
	}
	for c := range comps {
		if in.Low[c] > in.High[c] {
			in.Low[c], in.High[c] = 0, 0
		}
	}
	// voxels are cells: the world box goes half a voxel beyond their middles
	lo := [3]float64{float64(in.Min[0]) - 0.5, float64(in.Min[1]) - 0.5, float64(in.Min[2]) - 0.5}
	hi := [3]float64{float64(in.Max[0]) + 0.5, float64(in.Max[1]) + 0.5, float64(in.Max[2]) + 0.5}
	in.WorldMin, in.WorldMax = [3]float64{math.Inf(1), math.Inf(1), math.Inf(1)}, [3]float64{math.Inf(-1), math.Inf(-1), math.Inf(-1)}
	// a transform may turn: the box of all eight corners
	for n := range 8 {
		p := lo
		for a := range 3 {
			if n>>a&1 == 1 {
				p[a] = hi[a]
			}
		}
		w := g.Transform.World(p)
		for a := range 3 {
			in.WorldMin[a], in.WorldMax[a] = min(in.WorldMin[a], w[a]), max(in.WorldMax[a], w[a])
		}
	}
	return in
}

// Dense writes the values of the box lo … lo+n−1 into out, x fastest,
// components in separate arrays of n[0]·n[1]·n[2] values each.
// The box may reach beyond what is there and may leave parts of it out: solvers ask
// for their own, renderers for what they see.
func (g *Grid) Dense(lo, n [3]int, out [][]float32) error {
	comps := g.Type.Components()
	if len(out) != comps {
		return fmt.Errorf("frame: grid %s has %d components, %d arrays given", g.Name, comps, len(out))
	}
	size := n[0] * n[1] * n[2]
	for c := range out {
		if len(out[c]) != size {
			return fmt.Errorf("frame: array of %d values for %d voxels", len(out[c]), size)
		}
		// everything that no leaf and no tile covers
		// Then tiles, then leaves, each over what was written before: the same order
		// as in the tree, where a leaf lies below the tile's place.
		bg := float32(g.Background[c])
		for i := range out[c] {
			out[c][i] = bg
		}
	}
	// what of a block lies in the box, in the box's own counting
	clip := func(o [3]int32, d int) (a, b [3]int, ok bool) {
		for x := range 3 {
			a[x], b[x] = max(int(o[x])-lo[x], 0), min(int(o[x])-lo[x]+d, n[x])
			if a[x] >= b[x] {
				return a, b, false
			}
		}
		return a, b, true
	}
	for _, t := range g.Tiles {
		a, b, ok := clip(t.Origin, int(t.Size))
		if !ok {
			continue
		}
		for c := range comps {
			v := float32(t.Value[c])
			for k := a[2]; k < b[2]; k++ {
				for j := a[1]; j < b[1]; j++ {
					row := out[c][(k*n[1]+j)*n[0]:][:n[0]]
					for i := a[0]; i < b[0]; i++ {
						row[i] = v
					}
				}
			}
		}
	}
	for _, l := range g.Leaves {
		// leaves outside the box cost a comparison
		a, b, ok := clip(l.Origin, LeafEdge)
		if !ok {
			continue
		}
		// The leaf's index is a + ox and so on.
		ox, oy, oz := lo[0]-int(l.Origin[0]), lo[1]-int(l.Origin[1]), lo[2]-int(l.Origin[2])
		for c := range comps {
			for k := a[2]; k < b[2]; k++ {
				for j := a[1]; j < b[1]; j++ {
					row := out[c][(k*n[1]+j)*n[0]:][:n[0]]
					for i := a[0]; i < b[0]; i++ {
						// leaves count z fastest, dense arrays x
						m := ((i+ox)*8+j+oy)*8 + k + oz
						if l.Wide != nil {
							row[i] = float32(l.Wide[m*comps+c])
						} else {
							row[i] = l.Values[m*comps+c]
						}
					}
				}
			}
		}
	}
	return nil
}

// FromDense makes a float or vec3s grid of an array with x fastest; comps
// arrays, one a component. Voxels whose every component is within tolerance of
// the background are left inactive, and leaves without active voxels out.
// workers runs a job for each piece; nil runs them in turn.
// It reads each array once and writes what is active: the cost is that of memory, on
// as many threads as workers has.
func FromDense(name string, lo, n [3]int, comps [][]float32, background, tolerance float32, workers func(n, grain int, fn func(lo, hi int))) *Grid {
	g := &Grid{Name: name, Type: Float, Class: "fog volume", Transform: Uniform(1, [3]float64{})}
	// one array is a scalar, three a vector; nothing else is written
	nc := len(comps)
	if nc == 3 {
		g.Type, g.Class = Vec3s, ""
	}
	for c := range nc {
		g.Background[c] = float64(background)
	}
	floor := func(v int) int { return v >> 3 }
	var a, b [3]int
	for x := range 3 {
		// leaves stand on multiples of 8, whatever corner the array has; a shift is
		// a floor for negative numbers too
		a[x], b[x] = floor(lo[x]), floor(lo[x]+n[x]-1)+1
	}
	count := [3]int{b[0] - a[0], b[1] - a[1], b[2] - a[2]}
	// a slot for each leaf that there may be, so that threads don't share a list,
	// and their order is that of the file
	leaves := make([]*Leaf, count[0]*count[1]*count[2])
	// A plane of leaves is a piece of work.
	one := func(lx int) {
		for ly := range count[1] {
			for lz := range count[2] {
				if l := denseLeaf([3]int{(a[0] + lx) * 8, (a[1] + ly) * 8, (a[2] + lz) * 8}, lo, n, comps, background, tolerance); l != nil {
					leaves[(lx*count[1]+ly)*count[2]+lz] = l
				}
			}
		}
	}
	run := func(p, q int) {
		for lx := p; lx < q; lx++ {
			one(lx)
		}
	}
	if workers == nil {
		run(0, count[0])
	} else {
		workers(count[0], 1, run)
	}
	g.Leaves = slices.DeleteFunc(leaves, func(l *Leaf) bool { return l == nil })
	return g
}

// denseLeaf makes the leaf at an origin of a dense array; nil where nothing of it
// differs from the background.
func denseLeaf(o, lo, n [3]int, comps [][]float32, background, tolerance float32) *Leaf {
	nc := len(comps)
	var mask Mask
	var values []float32
	// the part of the leaf that the array covers
	x0, x1 := max(o[0], lo[0]), min(o[0]+8, lo[0]+n[0])
	y0, y1 := max(o[1], lo[1]), min(o[1]+8, lo[1]+n[1])
	z0, z1 := max(o[2], lo[2]), min(o[2]+8, lo[2]+n[2])
	for z := z0; z < z1; z++ {
		for y := y0; y < y1; y++ {
			// so that at + x is the voxel, x counted in the grid's own space
			// Rows along x are read in the order of memory; the leaf, of 2 KB, is in
			// the nearest cache whatever the order of its writes.
			at := ((z-lo[2])*n[1]+y-lo[1])*n[0] - lo[0]
			for x := x0; x < x1; x++ {
				on := false
				for c := range nc {
					d := comps[c][at+x] - background
					// NaN counts as something: it must be seen, not lost
					if d > tolerance || d < -tolerance || d != d {
						on = true
					}
				}
				if !on {
					continue
				}
				// not before the first voxel that counts: most leaves of a box are
				// empty
				if values == nil {
					values = make([]float32, LeafSize*nc)
					if background != 0 {
						for i := range values {
							values[i] = background
						}
					}
				}
				m := ((x-o[0])*8+y-o[1])*8 + z - o[2]
				mask.Set(m)
				for c := range nc {
					values[m*nc+c] = comps[c][at+x]
				}
			}
		}
	}
	if values == nil {
		return nil
	}
	return &Leaf{Origin: [3]int32{int32(o[0]), int32(o[1]), int32(o[2])}, Active: mask, Values: values}
}
