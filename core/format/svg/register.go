package svg

import (
	"math"

	"zarf/core/format"
	"zarf/core/geom"
	"zarf/core/model"
)

func init() {
	format.Register(format.Format{Key: "svg", Name: "SVG drawing", Endings: []string{".svg"}, Unit: 0.001,
		Asks:  []format.Question{format.Unit, format.Extrusion},
		Model: drawing, Sized: true,
	})
}

// drawing extrudes the closed outlines of an SVG file and keeps every curve.
func drawing(data []byte, _ map[string][]byte, o format.Options) (*model.Model, error) {
	curves, err := Decode(data)
	if err != nil {
		return nil, err
	}
	m := &model.Model{}
	var closed [][][2]float64
	lo, hi := [2]float64{math.Inf(1), math.Inf(1)}, [2]float64{math.Inf(-1), math.Inf(-1)}
	for _, c := range curves {
		mc := model.Curve{Name: c.Name, Closed: c.Closed}
		pts := make([][2]float64, len(c.Points))
		for i, p := range c.Points {
			p = [2]float64{p[0] * o.Unit, p[1] * o.Unit}
			pts[i] = p
			mc.Points = append(mc.Points, geom.V(p[0], p[1], 0))
			for x := range 2 {
				lo[x], hi[x] = min(lo[x], p[x]), max(hi[x], p[x])
			}
		}
		if c.Closed {
			closed = append(closed, pts)
		}
		nd := model.NewNode(c.Name)
		nd.Curve = len(m.Curves)
		m.Curves, m.Nodes = append(m.Curves, mc), append(m.Nodes, nd)
	}
	if len(closed) == 0 {
		m.Notes = append(m.Notes, "no outline is closed: there is no mesh, only curves")
		return m, nil
	}
	depth := o.Depth
	if depth == 0 {
		depth = (hi[0] - lo[0]) / 10
	}
	mesh := geom.Extrude(geom.Outlines(closed), depth, o.Bevel)
	nd := model.NewNode("outline")
	nd.Mesh = 0
	m.Nodes = append(m.Nodes, nd)
	m.Meshes = []model.Mesh{{Mesh: *mesh}}
	return m, nil
}
