package frame_test

import (
	"fmt"
	"math"
	"math/rand/v2"
	"slices"
	"testing"

	"zarf/core/frame"
	"zarf/core/grid"
)

// box fills a dense array with what fn says of a cell.
func box(n [3]int, fn func(i, j, k int) float32) []float32 {
	out := make([]float32, n[0]*n[1]*n[2])
	for k := range n[2] {
		for j := range n[1] {
			for i := range n[0] {
				out[(k*n[1]+j)*n[0]+i] = fn(i, j, k)
			}
		}
	}
	return out
}

func ExampleFromDense() {
	n := [3]int{20, 20, 20}
	puff := box(n, func(i, j, k int) float32 {
		if i == 9 && j == 10 && k == 11 {
			return 2
		}
		return 0
	})
	g := frame.FromDense(frame.Density, [3]int{-4, 0, 0}, n, [][]float32{puff}, 0, 1e-4, nil)
	g.Transform = frame.Uniform(0.1, [3]float64{0.05, 0.05, 0.05})
	in := g.Inspect()
	fmt.Println(len(g.Leaves), "leaf,", in.Active, "active voxel of", in.High[0])
	fmt.Printf("index %v, at %.2f m\n", in.Min, g.Transform.World([3]float64{5, 10, 11}))
	// Output:
	// 1 leaf, 1 active voxel of 2
	// index [5 10 11], at [0.55 1.05 1.15] m
}

func ExampleTurn() {
	// z up, x stays: the old y goes up, the old z comes towards the viewer
	up := frame.Turn{Perm: [3]int{0, 2, 1}, Sign: [3]int{1, -1, 1}}
	fmt.Println(up.Dir([3]float64{1, 2, 3}), up.Back().Dir(up.Dir([3]float64{1, 2, 3})), up.Mirrors())
	// Output: [1 -3 2] [1 2 3] false
}

// What is put into blocks comes out as it was, wherever the box lies and
// however it cuts the blocks; what is within tolerance of the background reads
// as the background.
func TestDenseComesBack(t *testing.T) {
	rng := rand.New(rand.NewPCG(3, 4))
	for _, c := range []struct {
		lo, n [3]int
		comps int
		back  float32
	}{{[3]int{0, 0, 0}, [3]int{16, 8, 24}, 1, 0}, {[3]int{-5, 3, -17}, [3]int{19, 11, 7}, 1, 293.15}, {[3]int{1, -9, 2}, [3]int{9, 9, 9}, 3, 0}} {
		var in [][]float32
		for range c.comps {
			in = append(in, box(c.n, func(i, j, k int) float32 {
				if rng.IntN(3) > 0 {
					return c.back
				}
				return c.back + rng.Float32()*4 - 2
			}))
		}
		const tol = 0.1
		g := frame.FromDense("x", c.lo, c.n, in, c.back, tol, nil)
		out := make([][]float32, c.comps)
		for a := range out {
			out[a] = make([]float32, len(in[0]))
		}
		if err := g.Dense(c.lo, c.n, out); err != nil {
			t.Fatal(err)
		}
		for i := range in[0] {
			empty := true
			for a := range in {
				empty = empty && math.Abs(float64(in[a][i]-c.back)) <= tol
			}
			for a := range in {
				want := in[a][i]
				if empty {
					want = c.back
				}
				if out[a][i] != want && !(empty && math.Abs(float64(out[a][i]-c.back)) <= tol) {
					t.Fatalf("%+v: value %d of component %d is %g, want %g", c, i, a, out[a][i], want)
				}
			}
		}
		// a part of it, cut otherwise
		lo, n := [3]int{c.lo[0] + 2, c.lo[1] + 1, c.lo[2] + 3}, [3]int{5, 4, 3}
		part := make([][]float32, c.comps)
		for a := range part {
			part[a] = make([]float32, n[0]*n[1]*n[2])
		}
		if err := g.Dense(lo, n, part); err != nil {
			t.Fatal(err)
		}
		for k := range n[2] {
			for j := range n[1] {
				for i := range n[0] {
					whole := out[0][((k+3)*c.n[1]+j+1)*c.n[0]+i+2]
					if got := part[0][(k*n[1]+j)*n[0]+i]; got != whole {
						t.Fatalf("%+v: cell %d %d %d of the part is %g, of the whole %g", c, i, j, k, got, whole)
					}
				}
			}
		}
	}
}

func TestDenseRefusesWhatItCantFill(t *testing.T) {
	g := frame.FromDense("x", [3]int{}, [3]int{8, 8, 8}, [][]float32{make([]float32, 512)}, 0, 0, nil)
	if err := g.Dense([3]int{}, [3]int{8, 8, 8}, make([][]float32, 3)); err == nil {
		t.Error("three components of a scalar were given")
	}
}

// Making blocks in pieces on several threads gives the blocks in one order.
func TestBlocksAreInOneOrder(t *testing.T) {
	n := [3]int{40, 33, 27}
	v := box(n, func(i, j, k int) float32 { return float32(i ^ j ^ k) })
	a := frame.FromDense("x", [3]int{-3, -3, -3}, n, [][]float32{v}, 0, 0, nil)
	b := frame.FromDense("x", [3]int{-3, -3, -3}, n, [][]float32{v}, 0, 0, grid.NewCrew(4).For)
	if len(a.Leaves) != len(b.Leaves) || len(a.Leaves) < 60 {
		t.Fatalf("%d and %d leaves", len(a.Leaves), len(b.Leaves))
	}
	for i := range a.Leaves {
		if a.Leaves[i].Origin != b.Leaves[i].Origin || a.Leaves[i].Active != b.Leaves[i].Active || !slices.Equal(a.Leaves[i].Values, b.Leaves[i].Values) {
			t.Fatalf("leaf %d differs", i)
		}
	}
}

// All 48 changes of axes, there and back, for voxels and vectors.
func TestTurnsThereAndBack(t *testing.T) {
	n := [3]int{9, 17, 5}
	scalar := box(n, func(i, j, k int) float32 { return float32(1 + i + 20*j + 400*k) })
	vector := [][]float32{scalar, box(n, func(i, j, k int) float32 { return float32(-2 * i) }), box(n, func(i, j, k int) float32 { return 7 })}
	mirrors, turns := 0, 0
	for _, p := range [][3]int{{0, 1, 2}, {0, 2, 1}, {1, 0, 2}, {1, 2, 0}, {2, 0, 1}, {2, 1, 0}} {
		for s := range 8 {
			turn := frame.Turn{Perm: p, Sign: [3]int{1 - 2*(s&1), 1 - 2*(s>>1&1), 1 - 2*(s>>2&1)}}
			turns++
			if turn.Mirrors() {
				mirrors++
			}
			g := frame.FromDense("v", [3]int{2, -3, 1}, n, vector, 0, 0, nil)
			g.Transform = frame.Uniform(0.5, [3]float64{0.25, 1, -2})
			want := g.Inspect()
			at := g.Transform.World([3]float64{5, 1, 3})
			if err := g.Turn(turn, 100, 3); err != nil {
				t.Fatal(err)
			}
			mid := g.Inspect()
			moved := turn.Dir(at)
			// the voxel lies where its place was turned to, and holds its vector, turned
			var found bool
			for _, l := range g.Leaves {
				for i := range frame.LeafSize {
					if !l.Active.On(i) {
						continue
					}
					w := g.Transform.World([3]float64{float64(l.Origin[0]) + float64(i>>6), float64(l.Origin[1]) + float64(i>>3&7), float64(l.Origin[2]) + float64(i&7)})
					near := true
					for a := range 3 {
						near = near && math.Abs(w[a]-100*moved[a]) < 1e-6*100
					}
					if !near {
						continue
					}
					found = true
					v := turn.Dir([3]float64{float64(1 + 3 + 20*4 + 400*2), -6, 7})
					for a := range 3 {
						if math.Abs(l.At(i, a, 3)-3*v[a]) > 1e-3 {
							t.Fatalf("%+v: component %d is %g, want %g", turn, a, l.At(i, a, 3), 3*v[a])
						}
					}
				}
			}
			if !found || mid.Active != want.Active {
				t.Fatalf("%+v: %d active voxels of %d, the watched one found %t", turn, mid.Active, want.Active, found)
			}
			if err := g.Turn(turn.Back(), 0.01, 1.0/3); err != nil {
				t.Fatal(err)
			}
			got := g.Inspect()
			for a := range 3 {
				if math.Abs(got.WorldMin[a]-want.WorldMin[a]) > 1e-9 || math.Abs(got.WorldMax[a]-want.WorldMax[a]) > 1e-9 {
					t.Fatalf("%+v: %v to %v, was %v to %v", turn, got.WorldMin, got.WorldMax, want.WorldMin, want.WorldMax)
				}
			}
		}
	}
	if turns != 48 || mirrors != 24 {
		t.Errorf("%d of %d turns mirror", mirrors, turns)
	}
}

func TestInspectCountsWhatIsOdd(t *testing.T) {
	v := box([3]int{8, 8, 8}, func(i, j, k int) float32 { return float32(i) })
	v[3], v[4] = float32(math.NaN()), float32(math.Inf(1))
	in := frame.FromDense("x", [3]int{}, [3]int{8, 8, 8}, [][]float32{v}, 0, 0.5, nil).Inspect()
	if in.NonFinite != 2 || in.Active != 448 || in.High[0] != 7 || in.Low[0] != 1 {
		t.Errorf("%+v", in)
	}
}

// The box that a frame's pictures need is that of the channels asked for, and
// never empty.
func TestExtent(t *testing.T) {
	n := [3]int{32, 32, 32}
	at := func(name string, i int) *frame.Grid {
		return frame.FromDense(name, [3]int{}, n, [][]float32{box(n, func(x, y, z int) float32 {
			if x == i && y == i && z == i {
				return 1
			}
			return 0
		})}, 0, 1e-3, nil)
	}
	f := &frame.Frame{Grids: []*frame.Grid{at(frame.Density, 3), at(frame.Burn, 20), at(frame.Velocity, 31)}}
	full := grid.Dims{NX: 32, NY: 32, NZ: 32}
	if low, d := f.Extent(full, frame.Density); low != [3]int{0, 0, 0} || d != (grid.Dims{NX: 8, NY: 8, NZ: 8}) {
		t.Errorf("density: %v %v", low, d)
	}
	if low, d := f.Extent(full, frame.Density, frame.Burn); low != [3]int{0, 0, 0} || d != (grid.Dims{NX: 24, NY: 24, NZ: 24}) {
		t.Errorf("density and burn: %v %v", low, d)
	}
	if _, d := f.Extent(full, "nothing"); d.Len() < 1 {
		t.Errorf("of no channel: %v", d)
	}
	if f.Grid("nothing") != nil || f.Grid(frame.Burn).Role() != frame.Amount {
		t.Error("channels are found by other names, or have other roles")
	}
}

func TestNarrowKeepsValues(t *testing.T) {
	l := &frame.Leaf{Wide: make([]float64, frame.LeafSize)}
	for i := range l.Wide {
		l.Wide[i] = float64(i) / 3
		l.Active.Set(i)
	}
	g := &frame.Grid{Name: "x", Type: frame.Double, Leaves: []*frame.Leaf{l}, Transform: frame.Uniform(1, [3]float64{})}
	g.Narrow()
	if g.Type != frame.Float || g.Leaves[0].Wide != nil || g.Leaves[0].Values[100] != float32(100.0/3) {
		t.Errorf("%s %v", g.Type, g.Leaves[0].Values[:3])
	}
	if l.Active.Count() != frame.LeafSize {
		t.Errorf("%d are on", l.Active.Count())
	}
}

// Identities keep all of their bits in two numbers, and points without them have none.
func TestPointsKeepTheirIdentities(t *testing.T) {
	p := &frame.Points{P: make([][3]float32, 2), Extra: []frame.Attribute{{Name: "id", V: []float32{5, 1<<frame.IDBits - 1}}}}
	if ids := p.IDs(); len(ids) != 2 || ids[0] != 5 || ids[1] != 1<<frame.IDBits-1 {
		t.Errorf("%v", ids)
	}
	p.Extra = append(p.Extra, frame.Attribute{Name: "id_high", V: []float32{3, 0}})
	if ids := p.IDs(); ids[0] != 3<<frame.IDBits+5 || ids[1] != 1<<frame.IDBits-1 {
		t.Errorf("%v", ids)
	}
	if p.Extra = nil; p.IDs() != nil {
		t.Error("points without identities have some")
	}
}
