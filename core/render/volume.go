package render

// Volumes made ready: majorants over tiles for paths, distances to the next occupied
// tile for both, and light carried through the smoke for the march.

import (
	"math"

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
	H       float64   // voxel size, m
	Origin  geom.Vec3 // low corner, m

	tintBy *grid.Field // channel that tints smoke; nil: none
	tint   *look.Table

	moves *drift // velocity, for blur; nil: still

	// Glow is the light that a metre of fire gives off, before the look's
	// brightness; nil where nothing burns.
	Glow   [3]*grid.Field
	glow   []float32 // the same voxel by voxel: red, green, blue, their sum
	sharp  *flame    // works glow out where it is looked at; nil: Glow is read
	lit    []bool    // tiles in and round which something glows
	fires  []fire    // what lights smoke
	lamps  []fire    // the same in fewer, larger clusters: what lights surfaces
	pick   *discrete // draws a tile by its light
	bright []float32 // the brightest voxel of every tile
	power  float64   // all light, ∫ glow dV, summed over colours
	hearth geom.Vec3 // its middle
	blaze  float64   // how far it spreads about that, m

	tiles grid.Dims
	major []float32 // largest density in and one voxel round each tile
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
	// A look within a tile interpolates voxels up to one beyond it, hence the ring.
	t := grid.Dims{NX: (f.NX + tile - 1) / tile, NY: (f.NY + tile - 1) / tile, NZ: (f.NZ + tile - 1) / tile}
	v.tiles = t
	v.major, v.skip = make([]float32, t.Len()), make([]uint8, t.Len())
	crew.For(t.NZ, 1, func(k0, k1 int) {
		for k := k0; k < k1; k++ {
			for j := range t.NY {
				for i := range t.NX {
					lo, hi := float32(math.MaxFloat32), float32(-math.MaxFloat32)
					for z := max(k*tile-1, 0); z < min(k*tile+tile+1, f.NZ); z++ {
						for y := max(j*tile-1, 0); y < min(j*tile+tile+1, f.NY); y++ {
							row := f.Row(y, z)[max(i*tile-1, 0):min(i*tile+tile+1, f.NX)]
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
						hi = v.opacity.Most(lo, hi)
					}
					v.major[t.Index(i, j, k)] = hi
				}
			}
		}
	})
	if v.moves != nil {
		v.major = v.moves.spread(v, v.major)
	}
	v.measure()
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
	return v.at(float32(p.X), float32(p.Y), float32(p.Z))
}

// toGrid takes a point to voxels from the low corner.
func (v *Volume) toGrid(p geom.Vec3) geom.Vec3 { return p.Sub(v.Origin).Mul(1 / v.H) }

// lightGrid is light that reaches each point, on a grid of coarser cells: sun
// is the transmittance to the sun, sky the mean over a few directions.
type lightGrid struct {
	sun, sky *grid.Field
	scale    float32        // voxels of the volume in a cell
	fire     [3]*grid.Field // radiance from fire, mean over all directions; nil without
	coarse   float32        // voxels of the volume in a cell of fire
}

// newLight carries light through the volume. sigma is extinction in 1/m for
// density 1.
// The sun's sweep and five of the sky's, each a pass over the half resolution.
func newLight(v *Volume, sigma float64, sun geom.Vec3, crew grid.Crew) *lightGrid {
	f := v.mapped(crew)
	d := grid.Dims{NX: (f.NX + 1) / 2, NY: (f.NY + 1) / 2, NZ: (f.NZ + 1) / 2}
	// half the resolution: light is smooth, and the sweep costs an eighth
	coarse := grid.NewField(d)
	q := float32(sigma * v.H * 2)
	crew.For(d.NZ, 2, func(k0, k1 int) {
		for k := k0; k < k1; k++ {
			for j := range d.NY {
				row := coarse.Row(j, k)
				ja, jb, ka, kb := 2*j, min(2*j+1, f.NY-1), 2*k, min(2*k+1, f.NZ-1)
				a, b, c, e := f.Row(ja, ka), f.Row(jb, ka), f.Row(ja, kb), f.Row(jb, kb)
				for i := range row {
					x, y := 2*i, min(2*i+1, f.NX-1)
					row[i] = q * 0.125 * (a[x] + a[y] + b[x] + b[y] + c[x] + c[y] + e[x] + e[y])
				}
			}
		}
	})
	l := &lightGrid{sun: grid.NewField(d), sky: grid.NewField(d), scale: 2}
	sweep(l.sun, coarse, sun, crew)
	exponent(l.sun, 1, false, l.sun, crew)
	tmp := grid.NewField(d)
	// The sky by five directions: the zenith and four at 27° over the horizon,
	// weighed so that an open floor gets 1.
	for _, s := range []struct {
		dir geom.Vec3
		w   float32
	}{{geom.V(0, 1, 0), 0.36}, {geom.V(1, 0.5, 0), 0.16}, {geom.V(-1, 0.5, 0), 0.16}, {geom.V(0, 0.5, 1), 0.16}, {geom.V(0, 0.5, -1), 0.16}} {
		sweep(tmp, coarse, s.dir.Unit(), crew)
		exponent(tmp, s.w, true, l.sky, crew)
	}
	return l
}

// exponent writes or adds w·exp(−τ).
// In place where out is tau itself.
func exponent(tau *grid.Field, w float32, add bool, out *grid.Field, crew grid.Crew) {
	crew.For(len(tau.Data), 1<<13, func(lo, hi int) {
		for i := lo; i < hi; i++ {
			e := w * fade(tau.Data[i])
			if add {
				e += out.Data[i]
			}
			out.Data[i] = e
		}
	})
}

// sweep sums optical depth from each cell's middle towards dir: slice by slice
// along the axis nearest to dir, each cell continuing the depth interpolated
// in the slice before. od is the optical depth of one cell's width.
//
// The scheme is first order across slices: depth spreads sideways a little with
// every one, which softens shadows as they get longer.
func sweep(tau, od *grid.Field, dir geom.Vec3, crew grid.Crew) {
	d := od.Dims
	n := [3]int{d.NX, d.NY, d.NZ}
	stride := [3]int{1, d.NX, d.NX * d.NY}
	v := dir.Array()
	// The axis nearest to dir has the thickest slices; along the others a slice
	// shifts by less than a cell.
	main := 0
	for a := 1; a < 3; a++ {
		if math.Abs(v[a]) > math.Abs(v[main]) {
			main = a
		}
	}
	a, b := (main+1)%3, (main+2)%3
	// the inner loop along the shorter stride
	if stride[a] > stride[b] {
		a, b = b, a
	}
	inv := 1 / math.Abs(v[main])
	da, db := float32(v[a]*inv), float32(v[b]*inv)
	long := float32(inv) // path through one slice, in cells
	first, last, step := n[main]-1, -1, -1
	if v[main] < 0 {
		first, last, step = 0, n[main], 1
	}
	// a look at the slice before lies between the same four cells, seen from
	// every cell, with the same weights
	fa, fb := float32(math.Floor(float64(da))), float32(math.Floor(float64(db)))
	ia, ib := int(fa), int(fb)
	xa, xb := da-fa, db-fb
	sa, sb := stride[a], stride[b]
	for s := first; s != last; s += step {
		before := (s - step) * stride[main]
		crew.For(n[b], 8, func(lo, hi int) {
			for q := lo; q < hi; q++ {
				at := s*stride[main] + q*sb
				if s == first {
					for p := range n[a] {
						tau.Data[at+p*sa] = 0.5 * long * od.Data[at+p*sa]
					}
					continue
				}
				w0, w1 := 1-xb, xb
				j := q + ib
				r0, r1 := before+j*sb, before+(j+1)*sb
				if j < 0 || j >= n[b] {
					w0, r0 = 0, before
				}
				if j+1 < 0 || j+1 >= n[b] {
					w1, r1 = 0, before
				}
				for p := range n[a] {
					i := p + ia
					var t, o float32
					if i >= 0 && i < n[a] {
						c, e := r0+i*sa, r1+i*sa
						t = (1 - xa) * (w0*tau.Data[c] + w1*tau.Data[e])
						o = (1 - xa) * (w0*od.Data[c] + w1*od.Data[e])
					}
					if i++; i >= 0 && i < n[a] {
						c, e := r0+i*sa, r1+i*sa
						t += xa * (w0*tau.Data[c] + w1*tau.Data[e])
						o += xa * (w0*od.Data[c] + w1*od.Data[e])
					}
					// trapezoid between the two slices: half of each cell's depth
					tau.Data[at+p*sa] = t + 0.5*long*(o+od.Data[at+p*sa])
				}
			}
		})
	}
}

// read gives sun and sky light at a position in voxels of the volume.
func (l *lightGrid) read(x, y, z float32) (sun, sky float32) {
	x, y, z = x/l.scale-0.5, y/l.scale-0.5, z/l.scale-0.5
	return l.sun.Sample(x, y, z), l.sky.Sample(x, y, z)
}

// Light is the transmittance to a light from direction dir, and the mean over
// a few directions of the sky, for every voxel; sigma is extinction in 1/m for
// density 1.
// For browsers, which get light baked in; renderers read the half-size grid.
func (v *Volume) Light(sigma float64, dir geom.Vec3, crew grid.Crew) (sun, sky *grid.Field) {
	l := newLight(v, sigma, dir, crew)
	sun, sky = grid.NewField(v.Density.Dims), grid.NewField(v.Density.Dims)
	crew.For(v.Density.NZ, 1, func(k0, k1 int) {
		for k := k0; k < k1; k++ {
			for j := range v.Density.NY {
				a, b := sun.Row(j, k), sky.Row(j, k)
				for i := range a {
					a[i], b[i] = l.read(float32(i)+0.5, float32(j)+0.5, float32(k)+0.5)
				}
			}
		}
	})
	return sun, sky
}
