package vdb

import (
	"strings"
	"testing"

	"zarf/core/frame"
)

func TestTransforms(t *testing.T) {
	grids := sample([3]int{}, [3]int{9, 9, 9})[:1]
	for name, m := range map[string][4][4]float64{
		"uniform": {{0.5}, {0, 0.5}, {0, 0, 0.5}, {1, 2, 3, 1}},
		"scaled":  {{0.5}, {0, 2}, {0, 0, 0.25}, {1, 2, 3, 1}},
		"turned":  {{0, 0, 0.5}, {0.5, 0, 0}, {0, 0.5, 0}, {-1, 0, 7, 1}},
	} {
		grids[0].Transform = Transform{M: m, Linear: true}
		b, err := Encode(grids, Options{})
		if err != nil {
			t.Fatal(err)
		}
		f, err := Decode(b, DefaultLimits)
		if err != nil || f.Grids[0].Transform.M != m {
			t.Errorf("%s: %v %v", name, f.Grids[0].Transform.M, err)
		}
		if v := f.Grids[0].Transform.VoxelSize(); name != "scaled" && v != [3]float64{0.5, 0.5, 0.5} {
			t.Errorf("%s: voxels of %v", name, v)
		}
	}
}

func TestOnlyWhatCanBeWrittenIs(t *testing.T) {
	g := sample([3]int{}, [3]int{4, 4, 4})[0]
	g.Type = frame.Double
	if _, err := Encode([]*Grid{g}, Options{}); err == nil || !strings.Contains(err.Error(), "double") {
		t.Error(err)
	}
	g.Type, g.Transform.Linear = frame.Float, false
	if _, err := Encode([]*Grid{g}, Options{}); err == nil || !strings.Contains(err.Error(), "linear") {
		t.Error(err)
	}
	a := sample([3]int{}, [3]int{4, 4, 4})[0]
	b, err := Encode([]*Grid{a, a}, Options{})
	if err != nil {
		t.Fatal(err)
	}
	if f, err := Decode(b, DefaultLimits); err != nil || len(f.Grids) != 2 || f.Grids[1].Name != "density" {
		t.Errorf("two grids of one name: %v", err)
	}
	empty := frame.FromDense("none", [3]int{}, [3]int{8, 8, 8}, [][]float32{make([]float32, 512)}, 0, 0, nil)
	if b, err = Encode([]*Grid{empty}, Options{Compression: Blosc}); err != nil {
		t.Fatal(err)
	}
	if f, err := Decode(b, DefaultLimits); err != nil || f.Grids[0].Inspect().Active != 0 {
		t.Errorf("an empty grid: %v", err)
	}
}

func TestDenseRefusesWrongArrays(t *testing.T) {
	g := sample([3]int{}, [3]int{4, 4, 4})[0]
	if err := g.Dense([3]int{}, [3]int{4, 4, 4}, [][]float32{make([]float32, 63)}); err == nil {
		t.Error("an array of the wrong size was taken")
	}
	if err := g.Dense([3]int{}, [3]int{4, 4, 4}, nil); err == nil {
		t.Error("no array was taken")
	}
}
