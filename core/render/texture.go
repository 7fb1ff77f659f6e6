package render

// Frames packed small: what a page shows of a frame is made of a few bytes a voxel, kept
// with the frame at a size that a viewport can march.

import (
	"fmt"
	"math"

	"zarf/core/geom"
	"zarf/core/grid"
)

// Texture describes a part of what a page shows of a frame: smoke as voxels in rows
// along x, a liquid's skin, or its particles.
//
// Packed bare a voxel of smoke is a byte of density, and two more where there is fire:
// flame and temperature.
type Texture struct {
	Name string     `json:"name,omitempty"` // of the domain, where there are several
	At   int        `json:"at"`             // where its bytes begin
	Dims [3]int     `json:"dims"`
	Min  [3]float64 `json:"min"` // m
	Max  [3]float64 `json:"max"`
	Top  float64    `json:"top"` // density of byte 255; the bytes hold its square root

	Fire    bool    `json:"fire,omitempty"`
	Hottest float64 `json:"hottest,omitempty"` // K that the last byte of one packed bare says

	// Of smoke that is lit: light of byte 255 that is scattered to the eye but for that
	// straight from the sun, and that glows over a metre. Bytes hold the square root and the
	// cube root. Tinted smoke has its tint for the sun's light.
	Rest   float64 `json:"rest,omitempty"`
	Glow   float64 `json:"glow,omitempty"`
	Tinted bool    `json:"tinted,omitempty"`

	// Of a liquid: so many vertices and triangles of its surface, or so many
	// particles and the speed, m/s, that all but the fastest fiftieth stay under.
	Liquid    bool    `json:"liquid,omitempty"`
	Vertices  int     `json:"vertices,omitempty"`
	Triangles int     `json:"triangles,omitempty"`
	Particles int     `json:"particles,omitempty"`
	Fastest   float64 `json:"fastest,omitempty"`

	// Of cloth: so many vertices and triangles, as of a liquid, and then three bytes a vertex, the
	// square roots of its colour.
	Cloth bool `json:"cloth,omitempty"`

	// Of a domain of particles or cloth: what they are coloured by, from which value to which, and
	// what else they could be.
	By         string   `json:"by,omitempty"`
	Unit       string   `json:"unit,omitempty"`
	Low        float64  `json:"low,omitempty"`
	High       float64  `json:"high,omitempty"`
	Attributes []string `json:"attributes,omitempty"`
	Trails     bool     `json:"trails,omitempty"`
	Forms      [][2]int `json:"forms,omitempty"` // corners and triangles of the meshes that they are drawn as
}

// textureHottest is the temperature, K, of the last byte's 255.
const textureHottest = 3000

// Shrink takes blocks of voxels together, whole ones so that they don't shimmer from frame
// to frame, until none of the sides is longer than size, and leaves out what is empty round
// the fluid, which costs a screen as much as what is full. h is the voxel size in m,
// origin the corner. Velocity is left out.
func (c *Channels) Shrink(size int, h float64, origin geom.Vec3, crew grid.Crew) (*Channels, float64, geom.Vec3) {
	d := c.Density.Dims
	by := (max(d.NX, d.NY, d.NZ) + size - 1) / size
	out := &Channels{Air: c.Air, Burns: c.Burns}
	from, to := c.scalars(), out.scalars()
	for n, f := range from {
		if *f != nil {
			*to[n] = shrink(*f, by, crew)
		}
	}
	h *= float64(by)
	if out.Fuel != nil || out.Speed != nil { // a look may show these where nothing else is
		return out, h, origin
	}
	lo, hi := occupied(out.Density, out.Burn, out.Temperature)
	for _, f := range to {
		*f = crop(*f, lo, hi)
	}
	return out, h, origin.Add(geom.V(float64(lo[0]), float64(lo[1]), float64(lo[2])).Mul(h))
}

func (c *Channels) scalars() [5]**grid.Field {
	return [5]**grid.Field{&c.Density, &c.Burn, &c.Temperature, &c.Fuel, &c.Speed}
}

// Pack makes the bytes of density, and of flame and temperature where there are both.
func (c *Channels) Pack(h float64, origin geom.Vec3, crew grid.Crew) (Texture, []byte) {
	small, burn, heat := c.Density, c.Burn, c.Temperature
	fire := burn != nil && heat != nil
	bytes := 1
	if fire {
		bytes = 3
	}
	out := make([]byte, bytes*small.Len())
	_, top, _ := small.Range()
	inv := float32(0)
	if top > 0 {
		inv = 1 / top
	}
	air := float32(c.Air)
	crew.For(small.Len(), 1<<12, func(n0, n1 int) {
		for n := n0; n < n1; n++ {
			o := out[bytes*n : bytes*n+bytes]
			// the root gives thin smoke more of the 256 steps
			o[0] = byte(255*float32(math.Sqrt(float64(max(0, small.Data[n]*inv)))) + 0.5)
			if fire {
				o[1] = byte(255*min(1, max(0, burn.Data[n])) + 0.5)
				o[2] = byte(255*min(1, max(0, (heat.Data[n]+air)/textureHottest)) + 0.5)
			}
		}
	})
	return textureOf(small, h, origin, float64(top), fire), out
}

func textureOf(f *grid.Field, h float64, origin geom.Vec3, top float64, fire bool) Texture {
	t := Texture{Dims: [3]int{f.NX, f.NY, f.NZ}, Min: origin.Array(), Top: top, Fire: fire, Hottest: textureHottest}
	t.Max = origin.Add(geom.V(float64(f.NX), float64(f.NY), float64(f.NZ)).Mul(h)).Array()
	return t
}

// Unpack are the channels of what was packed bare, in voxels of h from origin on. Those
// made before light was left out hold a byte of it after density.
func (t *Texture) Unpack(data []byte, air float64) (c *Channels, h float64, origin geom.Vec3, err error) {
	d := grid.Dims{NX: t.Dims[0], NY: t.Dims[1], NZ: t.Dims[2]}
	if d.NX < 1 || d.NY < 1 || d.NZ < 1 || d.NX > 4096 || d.NY > 4096 || d.NZ > 4096 {
		return nil, 0, origin, fmt.Errorf("%v voxels of a preview are none", t.Dims)
	}
	each := len(data) / d.Len()
	if each*d.Len() != len(data) || each < 1 || each > 4 || t.Fire != (each > 2) {
		return nil, 0, origin, fmt.Errorf("%d bytes are not a preview of %v voxels", len(data), t.Dims)
	}
	c = &Channels{Density: grid.NewField(d), Air: air, Burns: t.Fire}
	var density [256]float32
	for b := range density {
		density[b] = float32(t.Top * float64(b) * float64(b) / (255 * 255))
	}
	for n := range c.Density.Data {
		c.Density.Data[n] = density[data[each*n]]
	}
	if t.Fire {
		c.Burn, c.Temperature = grid.NewField(d), grid.NewField(d)
		for n := range c.Burn.Data {
			o := data[each*(n+1)-2:]
			c.Burn.Data[n], c.Temperature.Data[n] = float32(o[0])/255, float32(float64(o[1])*t.Hottest/255-air)
		}
	}
	return c, (t.Max[0] - t.Min[0]) / float64(d.NX), geom.FromArray(t.Min), nil
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
				b = burn.Row(j, k)
			}
			if heat != nil {
				t = heat.Row(j, k)
			}
			for i, v := range row {
				if v > 1e-4 || b != nil && b[i] > 1e-3 || t != nil && t[i] > 200 {
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
