package render

// Fire as paths read it: by tiles, four short numbers a voxel, which a look finds side by
// side.

import (
	"slices"
	"unsafe"

	"zarf/core/grid"
	"zarf/core/look"
	"zarf/core/vec"
)

// embers are what voxels give off.
type embers struct {
	tiles grid.Dims
	begin []int32  // of each tile's voxels; 0, where nothing glows, without
	q     []uint16 // red, green, blue and their sum, by which places are drawn
	unit  float32  // what unpacked numbers are multiplied by
}

// forPaths lays out what paths read: density on nodes, and fire in tiles.
func (v *Volume) forPaths(sigma float64, crew grid.Crew) {
	v.once.Do(func() {
		v.nodes = v.nodesOf(sigma, crew)
		if v.Glow[0] != nil {
			v.glow = v.embers(crew)
		}
	})
}

// tileVoxels is how many numbers a tile's voxels have.
const tileVoxels = 4 * tile * tile * tile

func (v *Volume) embers(crew grid.Crew) *embers {
	e := &embers{tiles: v.tiles, begin: make([]int32, v.tiles.Len())}
	var inv float32
	e.unit, inv = units(slices.Max(v.bright))
	full := 0
	for m, lit := range v.lit {
		if lit {
			full++ // the first are for those without
			e.begin[m] = int32(full * tileVoxels)
		}
	}
	e.q = unsafe.Slice((*uint16)(unsafe.Pointer(&grid.Huge((full + 1) * tileVoxels / 2)[0])), (full+1)*tileVoxels)
	d, t := v.Density.Dims, v.tiles
	crew.For(len(e.begin), 16, func(lo, hi int) {
		for m := lo; m < hi; m++ {
			if e.begin[m] == 0 {
				continue
			}
			i0, j0, k0 := m%t.NX*tile, m/t.NX%t.NY*tile, m/(t.NX*t.NY)*tile
			for k := k0; k < min(k0+tile, d.NZ); k++ {
				for j := j0; j < min(j0+tile, d.NY); j++ {
					for i := i0; i < min(i0+tile, d.NX); i++ {
						n, at := d.Index(i, j, k), e.at(i, j, k)
						r, g, b := v.Glow[0].Data[n], v.Glow[1].Data[n], v.Glow[2].Data[n]
						for c, x := range [4]float32{r, g, b, r + g + b} {
							e.q[at+c] = pack(x, inv)
						}
					}
				}
			}
		}
	})
	return e
}

// at is where a voxel's numbers are; those of tiles without any are the first, which are 0.
func (e *embers) at(i, j, k int) int {
	x, y, z := uint(i), uint(j), uint(k)
	b := e.begin[(z/tile*uint(e.tiles.NY)+y/tile)*uint(e.tiles.NX)+x/tile]
	return int(b) + 4*int((z%tile*tile+y%tile)*tile+x%tile)
}

// shine is the sum of the light of the voxel whose numbers begin there.
func (e *embers) shine(at int) float64 { return float64(unpack(e.q[at+3]) * e.unit) }

// glowAt is the light that a metre gives at a place in voxels, once fire is laid out for
// paths.
func (v *Volume) glowAt(x, y, z float32) look.RGB {
	if v.sharp != nil {
		return v.sharp.at(x, y, z)
	}
	e, d := v.glow, v.Density.Dims
	i, fx := vec.Split(x-0.5, d.NX)
	j, fy := vec.Split(y-0.5, d.NY)
	k, fz := vec.Split(z-0.5, d.NZ)
	x1, y1, z1 := min(i+1, d.NX-1), min(j+1, d.NY-1), min(k+1, d.NZ-1)
	at := [8]int{e.at(i, j, k)}
	if n := at[0]; i%tile < tile-1 && j%tile < tile-1 && k%tile < tile-1 && x1 > i && y1 > j && z1 > k {
		at = [8]int{n, n + 4, n + 4*tile, n + 4*tile + 4, n + 4*tile*tile, n + 4*tile*tile + 4, n + 4*tile*tile + 4*tile, n + 4*tile*tile + 4*tile + 4}
	} else {
		at = [8]int{n, e.at(x1, j, k), e.at(i, y1, k), e.at(x1, y1, k), e.at(i, j, z1), e.at(x1, j, z1), e.at(i, y1, z1), e.at(x1, y1, z1)}
	}
	// first the weights by the unit: what is packed is so small that its products would vanish
	gx, gy, gz := (1-fx)*e.unit, 1-fy, 1-fz
	fx *= e.unit
	w := [8]float32{gx * gy * gz, fx * gy * gz, gx * fy * gz, fx * fy * gz, gx * gy * fz, fx * gy * fz, gx * fy * fz, fx * fy * fz}
	var r, g, b float32
	for m, n := range at {
		p := e.q[n : n+3 : n+3]
		r, g, b = r+w[m]*unpack(p[0]), g+w[m]*unpack(p[1]), b+w[m]*unpack(p[2])
	}
	return look.RGB{float64(r), float64(g), float64(b)}
}
