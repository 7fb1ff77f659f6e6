package render

import (
	"math"

	"zarf/core/geom"
	"zarf/core/grid"
	"zarf/core/vec"
)

// shadow is what a volume by itself keeps off others of light from a direction.
type shadow struct {
	of      *Volume
	through *grid.Field // what comes to the middles of cells
	inv     float64     // one over their width, 1/m
	over    geom.Vec3   // one over the direction that light comes from
	dir     geom.Vec3
}

// shadows are those of a scene's volumes, made as they are asked for.
type shadows struct {
	sigma float64 // extinction in 1/m for density 1
	crew  grid.Crew
	own   map[depths]*grid.Field
	made  map[thrown]*shadow
}

// depths says of which cells, so many voxels wide.
type depths struct {
	of    *Volume
	scale int
}

// thrown says which shadow: on such cells, against what light.
type thrown struct {
	depths
	dir [3]float64
}

func newShadows(sigma float64, crew grid.Crew) *shadows {
	return &shadows{sigma, crew, map[depths]*grid.Field{}, map[thrown]*shadow{}}
}

// of are the shadows of a volume against light from some directions, on cells about so many
// metres wide.
func (s *shadows) of(v *Volume, wide float64, dirs ...[3]float64) []*shadow {
	// two voxels, or so many twos
	k := depths{v, 2 * max(int(math.Round(wide/(2*v.H))), 1)}
	od := s.cells(k)
	out := make([]*shadow, len(dirs))
	s.crew.For(len(dirs), 1, func(lo, hi int) {
		alone := s.crew
		if len(dirs) > 1 {
			alone = grid.NewCrew(1)
		}
		sw := &sweeps{crew: alone, v: v, sigma: s.sigma, scale: k.scale, cell: float64(k.scale) * v.H, od: od}
		for n := lo; n < hi; n++ {
			if out[n] = s.made[thrown{k, dirs[n]}]; out[n] != nil {
				continue
			}
			f, d := grid.NewField(od.Dims), dirs[n]
			sw.light(f, ray{d, 1})
			out[n] = &shadow{of: v, through: f, inv: 1 / sw.cell, over: geom.V(1/d[0], 1/d[1], 1/d[2]), dir: geom.V(d[0], d[1], d[2])}
		}
	})
	for n, h := range out {
		s.made[thrown{k, dirs[n]}] = h
	}
	return out
}

// cells are the depths of a volume's cells.
func (s *shadows) cells(k depths) *grid.Field {
	f := s.own[k]
	if f == nil {
		if k.scale == 2 {
			f = k.of.halved(float32(s.sigma*k.of.H*2), s.crew)
		} else {
			twos := k.scale / 2
			f = shrunk(s.cells(depths{k.of, 2}), twos, 1/float32(twos*twos), s.crew)
		}
		s.own[k] = f
	}
	return f
}

// at is how much of the light comes to a place.
func (h *shadow) at(p geom.Vec3) float32 {
	near, _, hit := slabs(&h.of.tight, p, h.over)
	if !hit {
		return 1
	}
	q := p.Add(h.dir.Mul(max(near, 0))).Sub(h.of.Origin).Mul(h.inv)
	return vec.Trilinear(h.through.Data, h.through.NX, h.through.NY, h.through.NZ, float32(q.X-0.5), float32(q.Y-0.5), float32(q.Z-0.5))
}

// deepen turns what comes through into the depth that it has come through.
func deepen(list []float32) {
	for i, v := range list {
		list[i] = float32(-math.Log(float64(max(v, 1e-8))))
	}
}
