package render

// Volumes made ready: majorants over tiles for paths, distances to the next occupied
// tile for both, and light carried through the smoke for the march.

import (
	"math"
	"sync"

	"zarf/core/geom"
	"zarf/core/grid"
	"zarf/core/look"
)

// tile is the edge in voxels of the blocks over which majorants are kept.
const tile = 8

// Volume is fluid ready to be rendered.
// The channels are shared with the cache of frames and never written to after clean.
type Volume struct {
	// Density is the channel that smoke is drawn from, as it was simulated, and
	// opacity what density it is drawn with; nil: as it is.
	Density *grid.Field
	opacity *look.Table
	spline  *spline   // through Density, for smooth reading; nil: straight lines between voxels
	H       float64   // voxel size, m
	Origin  geom.Vec3 // low corner, m

	tintBy *grid.Field // channel that tints smoke; nil: none
	tint   *look.Table

	moves *drift // velocity, for blur; nil: still

	// Glow is the light that a metre of fire gives off, before the look's
	// brightness; nil where nothing burns.
	Glow   [3]*grid.Field
	glow   *embers   // the same as paths read it
	once   sync.Once // for that, and for nodes
	hot    [2][3]int // the voxels among which all that glows lies
	flames geom.Box  // and where they are looked for over the exposure
	sharp  *flame    // works glow out where it is looked at; nil: Glow is read
	lit    []bool    // tiles in and round which something glows
	fires  []fire    // what lights smoke
	lamps  []fire    // the same in fewer, larger clusters: what lights surfaces
	blazes []blaze   // fires that are one from afar
	pick   *discrete // draws a tile by its light
	bright []float32 // the brightest voxel of every tile
	power  float64   // all light, ∫ glow dV, summed over colours
	hearth geom.Vec3 // its middle
	blaze  float64   // how far it spreads about that, m

	tiles grid.Dims
	major []float32 // largest density in and one voxel round each tile, over the exposure
	still []float32 // and at the frame itself
	nodes *nodes    // density for paths; nil: it is worked out where it is looked at
	skip  []uint8   // tiles to the nearest occupied one (Chebyshev), 0 within
	tight geom.Box  // box round all occupied tiles
	empty bool
}

// NewVolume prepares a volume; values that are negative or not finite count as
// empty and are counted in bad.
// What is seen of them is told, as a file with a NaN is a file with a fault.
func NewVolume(f *grid.Field, h float64, origin geom.Vec3, crew grid.Crew) (v *Volume, bad int) {
	v = &Volume{Density: f, H: h, Origin: origin}
	// negative density would make light: it comes from files, never from the solver
	bad = clean(f, 0, crew)
	v.majorants(crew)
	return v, bad
}

// clean sets values that are under least or not finite to 0 and counts them.
func clean(f *grid.Field, least float32, crew grid.Crew) (bad int) {
	faults := make([]int, f.NZ)
	crew.For(f.NZ, 4, func(k0, k1 int) {
		for k := k0; k < k1; k++ {
			for j := range f.NY {
				row := f.Row(j, k)
				for i, d := range row {
					if !(d >= least) || d > math.MaxFloat32/4 {
						row[i] = 0
						faults[k]++
					}
				}
			}
		}
	})
	for _, n := range faults {
		bad += n
	}
	return bad
}

// majorants finds, for every tile, the largest density that a look within it
// or half a voxel round it can give.
// One pass over all voxels with their rings: tiles hold the bound that delta and
// ratio tracking rely on. Too low would be wrong, too high only slow.
func (v *Volume) majorants(crew grid.Crew) {
	f := v.Density
	t := grid.Dims{NX: (f.NX + tile - 1) / tile, NY: (f.NY + tile - 1) / tile, NZ: (f.NZ + tile - 1) / tile}
	v.tiles = t
	v.major, v.skip = make([]float32, t.Len()), make([]uint8, t.Len())
	crew.For(t.NZ, 1, func(k0, k1 int) {
		for n := k0 * t.NX * t.NY; n < k1*t.NX*t.NY; n++ {
			at := [3]int{n % t.NX, n / t.NX % t.NY, n / (t.NX * t.NY)}
			// A look within a tile interpolates voxels up to one beyond it, hence the ring.
			if v.spline == nil {
				v.major[n] = v.most(f, at, 1)
			} else if v.most(f, at, 2) > 0 {
				// a spline is nowhere more than the largest of its coefficients, two
				// beyond; where there is no smoke it only rings on, ever less
				v.major[n] = v.most(v.spline.c, at, 2)
			}
		}
	})
	v.still, v.nodes = v.major, nil
	if v.moves != nil {
		v.major = v.moves.spread(v, v.major)
	}
	v.measure()
}

// most is the largest density that values of a field make in a tile and so many voxels
// round it.
func (v *Volume) most(f *grid.Field, at [3]int, ring int) float32 {
	lo, hi := float32(math.MaxFloat32), float32(-math.MaxFloat32)
	x0, x1 := max(at[0]*tile-ring, 0), min(at[0]*tile+tile+ring, f.NX)
	for z := max(at[2]*tile-ring, 0); z < min(at[2]*tile+tile+ring, f.NZ); z++ {
		for y := max(at[1]*tile-ring, 0); y < min(at[1]*tile+tile+ring, f.NY); y++ {
			row := f.Row(y, z)[x0:x1]
			if v.opacity == nil {
				for _, d := range row {
					hi = max(hi, d)
				}
				continue
			}
			for _, d := range row {
				lo, hi = min(lo, d), max(hi, d)
			}
		}
	}
	if v.opacity != nil {
		return v.opacity.Most(lo, hi)
	}
	return hi
}

// mapped is the density that smoke is drawn with, at every voxel.
// The light's own copy: density after the look's curve.
func (v *Volume) mapped(crew grid.Crew) *grid.Field {
	if v.opacity == nil {
		return v.Density
	}
	out := grid.NewField(v.Density.Dims)
	crew.For(len(out.Data), 1<<14, func(lo, hi int) {
		for i := lo; i < hi; i++ {
			out.Data[i] = v.opacity.One(v.Density.Data[i])
		}
	})
	return out
}

// measure fills the skip distances and the tight box.
// Distances in tiles let a ray step over empty space; they are worked out by rings,
// as volumes have few tiles.
func (v *Volume) measure() {
	t := v.tiles
	lo, hi := [3]int{t.NX, t.NY, t.NZ}, [3]int{-1, -1, -1}
	const far = 255
	for n, m := range v.major {
		v.skip[n] = 0
		if m <= 0 && (v.lit == nil || !v.lit[n]) {
			v.skip[n] = far
			continue
		}
		// the tight box is that of tiles in use: rays outside it cost one test
		p := [3]int{n % t.NX, n / t.NX % t.NY, n / (t.NX * t.NY)}
		for a := range 3 {
			lo[a], hi[a] = min(lo[a], p[a]), max(hi[a], p[a])
		}
	}
	v.empty = hi[0] < 0
	if v.empty {
		return
	}
	// one pass along each axis gives the Chebyshev distance only along lines;
	// growing by rings is exact and cheap at this size
	for d := uint8(1); d < 32; d++ {
		grown := false
		for k := range t.NZ {
			for j := range t.NY {
				for i := range t.NX {
					n := t.Index(i, j, k)
					if v.skip[n] != far {
						continue
					}
					if v.beside(i, j, k, d-1) {
						v.skip[n] = d
						grown = true
					}
				}
			}
		}
		if !grown {
			break
		}
	}
	e := v.H * tile
	v.tight = geom.Box{
		Min: v.Origin.Add(geom.V(float64(lo[0]), float64(lo[1]), float64(lo[2])).Mul(e)).Sub(geom.V(v.H, v.H, v.H).Mul(0.5)),
		Max: v.Origin.Add(geom.V(float64(hi[0]+1), float64(hi[1]+1), float64(hi[2]+1)).Mul(e)).Add(geom.V(v.H, v.H, v.H).Mul(0.5)),
	}
}

func (v *Volume) beside(i, j, k int, d uint8) bool {
	t := v.tiles
	for z := max(k-1, 0); z <= min(k+1, t.NZ-1); z++ {
		for y := max(j-1, 0); y <= min(j+1, t.NY-1); y++ {
			for x := max(i-1, 0); x <= min(i+1, t.NX-1); x++ {
				if v.skip[t.Index(x, y, z)] == d {
					return true
				}
			}
		}
	}
	return false
}

// at is the density at a position in voxels from the low corner, fading to
// nothing over the last half voxel outside.
// The half voxel outside fades by interpolation with the border, so edges are soft.
func (v *Volume) at(x, y, z float32) float32 {
	f := v.Density
	if x < -0.5 || y < -0.5 || z < -0.5 || x > float32(f.NX)+0.5 || y > float32(f.NY)+0.5 || z > float32(f.NZ)+0.5 {
		return 0
	}
	d := f.Sample(x-0.5, y-0.5, z-0.5)
	// a table may rise and fall: its largest value over the range that occurs
	if v.opacity != nil {
		d = v.opacity.One(d)
	}
	return d
}

// blurred is at for a moment, in seconds from the middle of the exposure: what
// is seen at a place then stood upstream at the frame itself.
// Without a shutter it is at, at no cost.
func (v *Volume) blurred(p geom.Vec3, moment float64) float32 {
	if v.moves != nil && moment != 0 {
		p = v.moves.back(v, p, moment)
	}
	if v.spline != nil {
		return v.smooth(float32(p.X), float32(p.Y), float32(p.Z))
	}
	return v.at(float32(p.X), float32(p.Y), float32(p.Z))
}

// smooth is at, by the spline.
func (v *Volume) smooth(x, y, z float32) float32 {
	f := v.Density
	if x < -0.5 || y < -0.5 || z < -0.5 || x > float32(f.NX)+0.5 || y > float32(f.NY)+0.5 || z > float32(f.NZ)+0.5 {
		return 0
	}
	d := v.spline.at(x-0.5, y-0.5, z-0.5)
	if v.opacity != nil {
		d = v.opacity.One(d)
	}
	return d
}

// toGrid takes a point to voxels from the low corner.
func (v *Volume) toGrid(p geom.Vec3) geom.Vec3 { return p.Sub(v.Origin).Mul(1 / v.H) }
