package vdb

// What a receiver finds in a file of grids.

import (
	"fmt"
	"math"

	"zarf/core/format"
)

func init() {
	format.Register(format.Format{Key: "vdb", Name: "OpenVDB", Endings: []string{".vdb"}, Look: look})
}

// look tells of every grid its type, voxels, values and what its metadata says.
func look(b []byte, _ int) (out []*format.Thing, err error) {
	v, err := Decode(b, DefaultLimits)
	if err != nil {
		return nil, err
	}
	for _, g := range v.Grids {
		in := g.Inspect()
		kind := in.Type
		if in.Half {
			kind += ", half"
		}
		t := &format.Thing{Name: g.Name, Step: in.VoxelSize[0], Facts: []string{kind, fmt.Sprintf("%d active voxels of %.4g", in.Active, in.VoxelSize[0])}}
		if in.Active > 0 {
			t.Facts = append(t.Facts, fmt.Sprintf("values %s to %s", format.Numbers(in.Low), format.Numbers(in.High)))
		}
		if in.Background[0] != 0 {
			t.Facts = append(t.Facts, fmt.Sprintf("%.4g where nothing is", in.Background[0]))
		}
		if u, ok := g.Meta["unit"].(string); ok {
			t.Facts = append(t.Facts, u)
		}
		comps := g.Type.Components()
		for _, l := range g.Leaves {
			for n := range 512 {
				if !l.Active.On(n) {
					continue
				}
				// How far a value is from its background, as the length of a vector
				// for three of them: the same measure draws densities, level sets
				// and velocities.
				w := 0.0
				for c := range comps {
					x := l.At(n, c, comps) - g.Background[c]
					w += x * x
				}
				if w == 0 {
					continue
				}
				// Through the file's own transform: a wrong one shows in the
				// picture.
				p := g.Transform.World([3]float64{float64(l.Origin[0]) + float64(n>>6), float64(l.Origin[1]) + float64(n>>3&7), float64(l.Origin[2]) + float64(n&7)})
				t.Cloud = append(t.Cloud, format.Spot{At: [3]float32{float32(p[0]), float32(p[1]), float32(p[2])}, Weight: float32(math.Sqrt(w))})
			}
		}
		t.Measure()
		out = append(out, t)
	}
	return out, nil
}
