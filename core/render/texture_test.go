package render

import (
	"math"
	"testing"

	"zarf/core/geom"
	"zarf/core/grid"
)

func TestTextureHoldsWhatIsThere(t *testing.T) {
	d := grid.Dims{NX: 20, NY: 16, NZ: 12}
	den := grid.NewField(d)
	for k := 4; k < 7; k++ {
		for j := 5; j < 9; j++ {
			for i := 10; i < 14; i++ {
				den.Set(i, j, k, 0.5)
			}
		}
	}
	den.Set(12, 6, 5, 2)
	b := Bake{Density: den, H: 0.1, Origin: geom.V(1, 2, 3), Size: 64, Sigma: 5, Air: 293}
	tex, data := b.Texture(grid.NewCrew(2))
	if tex.Dims != [3]int{6, 6, 5} || tex.Top != 2 || tex.Fire || len(data) != 2*6*6*5 {
		t.Fatalf("%+v, %d bytes", tex, len(data))
	}
	if math.Abs(tex.Min[0]-1.9) > 1e-9 || math.Abs(tex.Max[1]-3.0) > 1e-9 {
		t.Errorf("from %v to %v", tex.Min, tex.Max)
	}
	// density goes by its square root: ½ of 2 is byte 127 or 128
	at := func(i, j, k int) []byte { n := ((k-3)*6+(j-4))*6 + (i - 9); return data[2*n:] }
	if v := at(10, 5, 4)[0]; v < 127 || v > 128 {
		t.Errorf("density ½ is byte %d", v)
	}
	if at(12, 6, 5)[0] != 255 || at(9, 4, 3)[0] != 0 {
		t.Error("the densest voxel or the empty rim is wrong")
	}
	if under, over := at(12, 5, 5)[1], at(12, 9, 5)[1]; under >= over {
		t.Errorf("light under the smoke %d, over it %d", under, over)
	}
	heat := grid.NewField(d)
	heat.Set(2, 2, 2, 1207)
	b.Burn, b.Heat = grid.NewField(d), heat
	tex, data = b.Texture(grid.NewCrew(1))
	if !tex.Fire || tex.Dims != [3]int{14, 9, 7} {
		t.Errorf("hot air that holds no smoke is left out: %+v", tex)
	}
	if n := ((1*9+1)*14 + 1); data[4*n+3] != byte(255*1500.0/3000+0.5) {
		t.Errorf("1500 K is byte %d", data[4*n+3])
	}
	b = Bake{Density: grid.NewField(d), H: 0.1, Size: 8}
	if tex, _ := b.Texture(grid.NewCrew(1)); tex.Top != 0 || tex.Dims[0] < 1 {
		t.Errorf("an empty frame: %+v", tex)
	}
}
