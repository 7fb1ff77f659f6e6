package vdb

import (
	"math/rand/v2"
	"reflect"
	"testing"

	"zarf/core/frame"
)

// Every turn of the cube, there and back, gives the same grid; mirrors are told
// from turns.
func TestTurnThereAndBack(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 2))
	n := [3]int{20, 9, 13}
	comps := [][]float32{nil, nil, nil}
	for c := range comps {
		comps[c] = make([]float32, n[0]*n[1]*n[2])
		for i := range comps[c] {
			if r.IntN(3) == 0 {
				comps[c][i] = r.Float32()
			}
		}
	}
	mirrors := 0
	for _, perm := range [][3]int{{0, 1, 2}, {0, 2, 1}, {1, 0, 2}, {1, 2, 0}, {2, 0, 1}, {2, 1, 0}} {
		for s := range 8 {
			by := frame.Turn{Perm: perm, Sign: [3]int{1 - s&1*2, 1 - s>>1&1*2, 1 - s>>2&1*2}}
			if by.Mirrors() {
				mirrors++
			}
			make := func() *Grid {
				g := frame.FromDense("v", [3]int{-5, 3, 0}, n, comps, 0, 0, nil)
				g.Transform = frame.Uniform(0.25, [3]float64{1, -2, 0.5})
				return g
			}
			g := make()
			if err := g.Turn(by, 4, 2); err != nil {
				t.Fatal(err)
			}
			if g.Transform.M[0][0] != 1 {
				t.Errorf("%v: transform %v", by, g.Transform.M)
			}
			if err := g.Turn(by.Back(), 0.25, 0.5); err != nil {
				t.Fatal(err)
			}
			// the shift by whole voxels may differ; dense values at places don't
			want := make()
			at := func(g *Grid, p [3]float64) [3]float32 {
				var lo [3]int
				for a := range lo {
					lo[a] = int((p[a]-g.Transform.M[3][a])/0.25+1e6+0.5) - 1e6
				}
				out := [][]float32{{0}, {0}, {0}}
				if err := g.Dense(lo, [3]int{1, 1, 1}, out); err != nil {
					t.Fatal(err)
				}
				return [3]float32{out[0][0], out[1][0], out[2][0]}
			}
			for range 300 {
				p := want.Transform.World([3]float64{float64(r.IntN(24) - 7), float64(r.IntN(14)), float64(r.IntN(15))})
				if a, b := at(want, p), at(g, p); !reflect.DeepEqual(a, b) {
					t.Fatalf("%v: at %v there is %v, there was %v", by, p, b, a)
				}
			}
		}
	}
	if mirrors != 24 {
		t.Errorf("%d of 48 are mirrors", mirrors)
	}
}

// What other writers store as wide or whole numbers is written as float32.
func TestNarrowCanBeWritten(t *testing.T) {
	for _, kind := range []Type{frame.Double, frame.Int32, frame.Vec3d} {
		n := kind.Components()
		l := &Leaf{Origin: [3]int32{8, 0, -8}, Wide: make([]float64, frame.LeafSize*n)}
		l.Wide[5*n], l.Wide[7*n+n-1] = 1.5, -3
		l.Active.Set(5)
		l.Active.Set(7)
		g := &Grid{Name: "x", Type: kind, Transform: frame.Uniform(0.5, [3]float64{}), Leaves: []*Leaf{l}}
		g.Narrow()
		b, err := Encode([]*Grid{g}, Options{Compression: Zip})
		if err != nil {
			t.Fatalf("%s: %v", kind, err)
		}
		f, err := Decode(b, DefaultLimits)
		if err != nil {
			t.Fatalf("%s: %v", kind, err)
		}
		back := f.Grids[0].Leaves[0]
		if back.At(5, 0, n) != 1.5 || back.At(7, n-1, n) != -3 || f.Grids[0].Type.Components() != n {
			t.Errorf("%s: %g %g", kind, back.At(5, 0, n), back.At(7, n-1, n))
		}
	}
}
