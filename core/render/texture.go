package render

// Frames packed for a browser: a few bytes a voxel with light baked in, at the size
// that a viewport can march.

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

	// Of a liquid: so many vertices and triangles of its surface, or so many
	// particles and the speed, m/s, that all but the fastest fiftieth stay under.
	Liquid    bool    `json:"liquid,omitempty"`
	Vertices  int     `json:"vertices,omitempty"`
	Triangles int     `json:"triangles,omitempty"`
	Particles int     `json:"particles,omitempty"`
	Fastest   float64 `json:"fastest,omitempty"`
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
//
// It is made with each frame at a size that a viewport can use, and again where a
// page asks for more. Light is baked in, since a browser's shader couldn't march it.
func (b *Bake) Texture(crew grid.Crew) (Texture, []byte) {
	d := b.Density.Dims
	// whole blocks are averaged, so that the bytes don't shimmer from frame to frame
	by := (max(d.NX, d.NY, d.NZ) + b.Size - 1) / b.Size
	small := shrink(b.Density, by, crew)
	h := b.H * float64(by)
	bytes := 2
	var burn, heat *grid.Field
	if b.Burn != nil && b.Heat != nil {
		burn, heat, bytes = shrink(b.Burn, by, crew), shrink(b.Heat, by, crew), 4
	}
	// what is empty round the fluid costs the screen as much as what is full
	lo, hi := occupied(small, burn, heat)
	origin := b.Origin.Add(geom.V(float64(lo[0]), float64(lo[1]), float64(lo[2])).Mul(h))
	small, burn, heat = crop(small, lo, hi), crop(burn, lo, hi), crop(heat, lo, hi)
	v, _ := NewVolume(small, h, origin, crew)
	sun, sky := v.Light(b.Sigma, geom.V(0.45, 0.8, 0.4).Unit(), crew)
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
			// the root gives thin smoke more of the 256 steps
			o[0] = byte(255*float32(math.Sqrt(float64(max(0, small.Data[n]*inv)))) + 0.5)
			// sun and sky in the parts that a screen's one grey light needs
			o[1] = byte(min(255, 255*(0.62*sun.Data[n]+0.38*sky.Data[n])+0.5))
			if bytes == 4 {
				o[2] = byte(255*min(1, max(0, burn.Data[n])) + 0.5)
				o[3] = byte(255*min(1, max(0, (heat.Data[n]+air)/textureHottest)) + 0.5)
			}
		}
	})
	t := Texture{Dims: [3]int{small.NX, small.NY, small.NZ}, Min: origin.Array(), Top: float64(top), Sigma: b.Sigma, Fire: bytes == 4, Hottest: textureHottest}
	t.Max = origin.Add(geom.V(float64(small.NX), float64(small.NY), float64(small.NZ)).Mul(h)).Array()
	return t, out
}

// occupied is the range of cells in which something is to be seen, with a cell
// to spare where there is room; two cells at least.
func occupied(density, burn, heat *grid.Field) (lo, hi [3]int) {
	d := density.Dims
	n := [3]int{d.NX, d.NY, d.NZ}
	lo = n
	for k := range d.NZ {
		for j := range d.NY {
			row := density.Row(j, k)
			var b, t []float32
			if burn != nil {
				b, t = burn.Row(j, k), heat.Row(j, k)
			}
			for i, v := range row {
				if v > 1e-4 || (b != nil && (b[i] > 1e-3 || t[i] > 200)) {
					at := [3]int{i, j, k}
					for a := range at {
						lo[a], hi[a] = min(lo[a], at[a]), max(hi[a], at[a]+1)
					}
				}
			}
		}
	}
	empty := hi[0] == 0
	for a := range n {
		if empty {
			lo[a], hi[a] = 0, min(2, n[a])
			continue
		}
		lo[a], hi[a] = max(0, lo[a]-1), min(n[a], hi[a]+1)
	}
	return lo, hi
}

// crop copies a range of cells; nil stays nil.
func crop(f *grid.Field, lo, hi [3]int) *grid.Field {
	if f == nil {
		return nil
	}
	out := grid.NewField(grid.Dims{NX: hi[0] - lo[0], NY: hi[1] - lo[1], NZ: hi[2] - lo[2]})
	for k := range out.NZ {
		for j := range out.NY {
			copy(out.Row(j, k), f.Row(lo[1]+j, lo[2]+k)[lo[0]:hi[0]])
		}
	}
	return out
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
