package render

import (
	"math"

	"zarf/core/geom"
	"zarf/core/grid"
)

// Texture describes a volume packed for a screen: voxels in rows along x, two
// bytes each, density and light; four where there is fire, with flame and
// temperature.
type Texture struct {
	Dims  [3]int     `json:"dims"`
	Min   [3]float64 `json:"min"` // m
	Max   [3]float64 `json:"max"`
	Top   float64    `json:"top"`   // density of byte 255; the bytes hold its square root
	Sigma float64    `json:"sigma"` // extinction, 1/m for density 1

	Fire    bool    `json:"fire,omitempty"`
	Hottest float64 `json:"hottest,omitempty"` // K that the last byte says
}

// Bake is a frame to be packed, with light from above baked in.
type Bake struct {
	Density    *grid.Field
	Burn, Heat *grid.Field // nil where nothing burns; heat in kelvin over the air
	H          float64     // voxel size, m
	Origin     geom.Vec3   // the corner of the fields
	Size       int         // voxels along the longest side at most
	Sigma      float64
	Air        float64 // K
}

// textureHottest is the temperature, K, of the last byte's 255.
const textureHottest = 3000

// Texture packs the frame.
func (b *Bake) Texture(crew grid.Crew) (Texture, []byte) {
	d := b.Density.Dims
	by := (max(d.NX, d.NY, d.NZ) + b.Size - 1) / b.Size
	small := shrink(b.Density, by, crew)
	h := b.H * float64(by)
	v, _ := NewVolume(small, h, b.Origin, crew)
	sun, sky := v.Light(b.Sigma, geom.V(0.45, 0.8, 0.4).Unit(), crew)
	bytes := 2
	var burn, heat *grid.Field
	if b.Burn != nil && b.Heat != nil {
		burn, heat, bytes = shrink(b.Burn, by, crew), shrink(b.Heat, by, crew), 4
	}
	out := make([]byte, bytes*small.Len())
	_, top, _ := small.Range()
	inv := float32(0)
	if top > 0 {
		inv = 1 / top
	}
	air := float32(b.Air)
	crew.For(small.NZ, 4, func(k0, k1 int) {
		for n := k0 * small.NX * small.NY; n < k1*small.NX*small.NY; n++ {
			o := out[bytes*n : bytes*n+bytes]
			o[0] = byte(255*float32(math.Sqrt(float64(max(0, small.Data[n]*inv)))) + 0.5)
			o[1] = byte(min(255, 255*(0.62*sun.Data[n]+0.38*sky.Data[n])+0.5))
			if bytes == 4 {
				o[2] = byte(255*min(1, max(0, burn.Data[n])) + 0.5)
				o[3] = byte(255*min(1, max(0, (heat.Data[n]+air)/textureHottest)) + 0.5)
			}
		}
	})
	t := Texture{Dims: [3]int{small.NX, small.NY, small.NZ}, Min: b.Origin.Array(), Top: float64(top), Sigma: b.Sigma, Fire: bytes == 4, Hottest: textureHottest}
	t.Max = b.Origin.Add(geom.V(float64(small.NX), float64(small.NY), float64(small.NZ)).Mul(h)).Array()
	return t, out
}

// shrink averages blocks of by³ voxels.
func shrink(f *grid.Field, by int, crew grid.Crew) *grid.Field {
	if by <= 1 {
		return f
	}
	d := grid.Dims{NX: (f.NX + by - 1) / by, NY: (f.NY + by - 1) / by, NZ: (f.NZ + by - 1) / by}
	out := grid.NewField(d)
	inv := 1 / float32(by*by*by)
	crew.For(d.NZ, 1, func(k0, k1 int) {
		for k := k0; k < k1; k++ {
			for z := k * by; z < min((k+1)*by, f.NZ); z++ {
				for y := range f.NY {
					row, to := f.Row(y, z), out.Row(y/by, k)
					for x, v := range row {
						to[x/by] += v * inv
					}
				}
			}
		}
	})
	return out
}
