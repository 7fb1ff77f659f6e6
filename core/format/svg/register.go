package svg

// What an SVG drawing becomes: its closed outlines a solid, every curve a guide.
// Lengths are in millimetres unless the artist says otherwise.

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
		// y was turned upwards by Decode already.
		for i, p := range c.Points {
			p = [2]float64{p[0] * o.Unit, p[1] * o.Unit}
			pts[i] = p
			mc.Points = append(mc.Points, geom.V(p[0], p[1], 0))
			for x := range 2 {
				lo[x], hi[x] = min(lo[x], p[x]), max(hi[x], p[x])
			}
		}
		// Open ones can't bound a solid; they are kept as curves like all others.
		if c.Closed {
			closed = append(closed, pts)
		}
		nd := model.NewNode(c.Name)
		nd.Curve = len(m.Curves)
		m.Curves, m.Nodes = append(m.Curves, mc), append(m.Nodes, nd)
	}
	// No error: a drawing of lines alone is a drawing of guides.
	if len(closed) == 0 {
		m.Notes = append(m.Notes, "no outline is closed: there is no mesh, only curves")
		return m, nil
	}
	depth := o.Depth
	if depth == 0 {
		// Something to see and to change, where nobody said how deep.
		depth = (hi[0] - lo[0]) / 10
	}
	mesh := geom.Extrude(geom.Outlines(closed), depth, o.Bevel)
	// All outlines are one mesh, as letters of a word are.
	nd := model.NewNode("outline")
	nd.Mesh = 0
	m.Nodes = append(m.Nodes, nd)
	m.Meshes = []model.Mesh{{Mesh: *mesh}}
	return m, nil
}
