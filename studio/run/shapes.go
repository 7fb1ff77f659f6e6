package run

import (
	"fmt"

	"zarf/core/frame"
	"zarf/core/geom"
	"zarf/core/render"
	"zarf/core/shot"
	"zarf/core/shot/val"
)

// mostParts is how many meshes particles are drawn as, those of a file included.
const mostParts = 64

// shapeOf is what the particles of a domain are drawn as in a shot as it is now; a note says
// why it is dots instead.
func shapeOf(d *shot.Element, now *shot.Shot, number float64) (render.Shape, string) {
	if e := now.Element(d.ID); e != nil && e.Kind == d.Kind {
		d = e
	}
	var list []*geom.Mesh
	note := ""
	switch as := val.ShownAs.Of(d); as {
	case "trails":
		return render.Shape{Trail: val.Trail.At(d, val.Frame(number))}, ""
	case "balls":
		list = append(list, geom.BallMesh(0.5, 20))
	case "discs":
		list = append(list, geom.LatheMesh([][2]float64{{0, -0.02}, {0.5, -0.02}, {0.5, 0.02}, {0, 0.02}}, 14))
	case "blocks":
		list = append(list, geom.BoxMesh(geom.V(1, 1, 1)))
	case "stones":
		for n := range 8 {
			list = append(list, geom.StoneMesh(n))
		}
	case "splinters":
		for n := range 8 {
			list = append(list, geom.SplinterMesh(n))
		}
	case "mesh":
		list, note = partsOf(d, now, number)
	}
	s := render.NewShape(list, geom.FromArray(val.Stretch.Of(d)))
	s.Along, s.Upright = val.TurnedBy.Of(d) == "way", val.TurnedBy.Of(d) == "upright"
	return s, note
}

// partsOf are the parts of the element that particles are drawn as.
func partsOf(d *shot.Element, now *shot.Shot, number float64) ([]*geom.Mesh, string) {
	e := now.Element(val.ShownMesh.Of(d))
	if e == nil || !e.Placed() {
		return nil, d.Name + " is drawn as a mesh, and none is chosen: its particles are dots until then"
	}
	sh, err := e.Form(now.Eval(number), 0)
	if err != nil {
		return nil, fmt.Sprintf("%s is drawn as %s, which can't be read: %v", d.Name, e.Name, err)
	}
	sh.Centre, sh.Turn = geom.Vec3{}, geom.RotationXYZ(geom.Vec3{})
	m := sh.Mesh()
	if len(m.Parts) < 2 {
		return []*geom.Mesh{m}, ""
	}
	var out []*geom.Mesh
	for part := range m.Parts {
		if one := m.Take(func(n int) bool { return int(m.PartOf(n)) == part }); len(one.Tri) > 0 {
			out = append(out, one)
		}
	}
	if len(out) > mostParts {
		return out[:mostParts], fmt.Sprintf("%s has %d parts; %s is drawn as the first %d", e.Name, len(out), d.Name, mostParts)
	}
	return out, ""
}

// columns are three numbers of particles that frames keep one by one; nil where they don't.
func columns(p *frame.Points, name string) [][3]float32 {
	x, y, z := p.Of(name+"_x"), p.Of(name+"_y"), p.Of(name+"_z")
	if x == nil || y == nil || z == nil {
		return nil
	}
	out := make([][3]float32, len(x))
	for i := range out {
		out[i] = [3]float32{x[i], y[i], z[i]}
	}
	return out
}
