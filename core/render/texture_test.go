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
	crew := grid.NewCrew(2)
	pack := func(c *Channels, size int) (Texture, []byte) {
		small, h, origin := c.Shrink(size, 0.1, geom.V(1, 2, 3), crew)
		return small.Pack(h, origin, crew)
	}
	c := &Channels{Density: den, Air: 293}
	tex, data := pack(c, 64)
	if tex.Dims != [3]int{6, 6, 5} || tex.Top != 2 || tex.Fire || len(data) != 6*6*5 {
		t.Fatalf("%+v, %d bytes", tex, len(data))
	}
	if math.Abs(tex.Min[0]-1.9) > 1e-9 || math.Abs(tex.Max[1]-3.0) > 1e-9 {
		t.Errorf("from %v to %v", tex.Min, tex.Max)
	}
	// density goes by its square root: ½ of 2 is byte 127 or 128
	at := func(i, j, k int) byte { n := ((k-3)*6+(j-4))*6 + (i - 9); return data[n] }
	if v := at(10, 5, 4); v < 127 || v > 128 {
		t.Errorf("density ½ is byte %d", v)
	}
	if at(12, 6, 5) != 255 || at(9, 4, 3) != 0 {
		t.Error("the densest voxel or the empty rim is wrong")
	}
	heat := grid.NewField(d)
	heat.Set(2, 2, 2, 1207)
	c.Burn, c.Temperature = grid.NewField(d), heat
	c.Burn.Set(2, 2, 2, 0.5)
	tex, data = pack(c, 64)
	if !tex.Fire || tex.Dims != [3]int{14, 9, 7} {
		t.Errorf("hot air that holds no smoke is left out: %+v", tex)
	}
	n := (1*9+1)*14 + 1
	if data[3*n+1] != 128 || data[3*n+2] != byte(255*1500.0/3000+0.5) {
		t.Errorf("1500 K of half burning gas are bytes %v", data[3*n:3*n+3])
	}
	// and what was packed comes back, also where a byte of light was kept after density
	old := make([]byte, 0, len(data)/3*4)
	for m := 0; m < len(data); m += 3 {
		old = append(old, data[m], 77, data[m+1], data[m+2])
	}
	for _, bytes := range [][]byte{data, old} {
		back, h, origin, err := tex.Unpack(bytes, 293)
		if err != nil || math.Abs(h-0.1) > 1e-9 || origin.Sub(geom.V(1.1, 2.1, 3.1)).Len() > 1e-9 {
			t.Fatalf("voxels of %g m from %v: %v", h, origin, err)
		}
		if v := back.Density.At(11, 5, 4); math.Abs(float64(v)-2) > 1e-6 {
			t.Errorf("a density of 2 comes back as %g", v)
		}
		if b, k := back.Burn.Data[n], back.Temperature.Data[n]; math.Abs(float64(b)-0.5) > 0.003 || math.Abs(float64(k)-1207) > 6 {
			t.Errorf("1207 K over the air and ½ come back as %g and %g", k, b)
		}
	}
	if _, _, _, err := tex.Unpack(data[1:], 293); err == nil {
		t.Error("a byte too few was unpacked")
	}
	if _, _, _, err := (&Texture{Dims: [3]int{1 << 40, 1, 1}}).Unpack(nil, 293); err == nil {
		t.Error("a preview of 2⁴⁰ voxels was unpacked")
	}
	if tex, _ := pack(&Channels{Density: grid.NewField(d)}, 8); tex.Top != 0 || tex.Dims[0] < 1 {
		t.Errorf("an empty frame: %+v", tex)
	}
}
