package render

import (
	"math"

	"zarf/core/geom"
	"zarf/core/grid"
)

// drift is how a fluid moves while the shutter is open: every value is carried
// along the velocity at the place where it is seen (Kim and Ko 2007, Eulerian
// motion blur).
type drift struct {
	vel     [3]*grid.Field // m/s at cell centres
	h       float64        // their spacing, m
	origin  geom.Vec3
	shutter float64 // s for which the shutter is open
}

// at is the velocity at a point, m/s.
func (d *drift) at(p geom.Vec3) geom.Vec3 {
	q := p.Sub(d.origin).Mul(1 / d.h)
	x, y, z := float32(q.X)-0.5, float32(q.Y)-0.5, float32(q.Z)-0.5
	return geom.V(float64(d.vel[0].Sample(x, y, z)), float64(d.vel[1].Sample(x, y, z)), float64(d.vel[2].Sample(x, y, z)))
}

// reaches reports a place within the velocity's grid.
func (d *drift) reaches(p geom.Vec3) bool {
	q := p.Sub(d.origin).Mul(1 / d.h)
	return min(q.X, q.Y, q.Z) >= 0 && q.X <= float64(d.vel[0].NX) && q.Y <= float64(d.vel[0].NY) && q.Z <= float64(d.vel[0].NZ)
}

// back takes a place in voxels to where its fluid stood at the frame.
func (d *drift) back(v *Volume, p geom.Vec3, moment float64) geom.Vec3 {
	// one step upstream with the velocity where the look is: blur of half a shutter
	// is short against the flow's scale
	u := d.at(v.Origin.Add(p.Mul(v.H)))
	return p.Sub(u.Mul(moment / v.H))
}

// spread widens majorants: a look into a tile may be carried out of it by as
// much as the fastest fluid within goes in half an exposure.
// Without it delta tracking would meet density over its majorant where fluid is
// carried in from the next tile, and be biased without anyone seeing.
func (d *drift) spread(v *Volume, major []float32) []float32 {
	t := v.tiles
	out := make([]float32, len(major))
	ratio := v.H / d.h
	shift := v.Origin.Sub(d.origin).Mul(1 / d.h)
	for k := range t.NZ {
		for j := range t.NY {
			for i := range t.NX {
				var top [3]float32
				lo, hi := [3]int{}, [3]int{}
				n := [3]int{d.vel[0].NX, d.vel[0].NY, d.vel[0].NZ}
				for a, c := range [3]int{i, j, k} {
					from := float64(c*tile)*ratio + shift.Array()[a]
					lo[a] = min(max(int(math.Floor(from-1)), 0), n[a]-1)
					hi[a] = min(max(int(math.Ceil(from+tile*ratio+1)), 0), n[a]-1)
				}
				for c := range 3 {
					for z := lo[2]; z <= hi[2]; z++ {
						for y := lo[1]; y <= hi[1]; y++ {
							for _, s := range d.vel[c].Row(y, z)[lo[0] : hi[0]+1] {
								top[c] = max(top[c], s, -s)
							}
						}
					}
				}
				// the fastest fluid in and round the tile, half an exposure, in
				// tiles
				var reach [3]int
				for c := range 3 {
					reach[c] = int(math.Ceil(float64(top[c]) * d.shutter / 2 / v.H / tile))
				}
				var m float32
				for z := max(k-reach[2], 0); z <= min(k+reach[2], t.NZ-1); z++ {
					for y := max(j-reach[1], 0); y <= min(j+reach[1], t.NY-1); y++ {
						for x := max(i-reach[0], 0); x <= min(i+reach[0], t.NX-1); x++ {
							m = max(m, major[t.Index(x, y, z)])
						}
					}
				}
				out[t.Index(i, j, k)] = m
			}
		}
	}
	return out
}
