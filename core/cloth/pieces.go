package cloth

import (
	"fmt"
	"math"
	"sync"

	"zarf/core/geom"
	"zarf/core/shot"
	"zarf/core/shot/val"
	"zarf/core/stage"
)

// piece is an element's cloth as a domain simulates it.
type piece struct {
	e    *shot.Element
	from []int32     // of each vertex: which of the file's it was; nil: the mesh is made here
	at   []geom.Vec3 // vertices as modelled, in the element's box: −1 to 1 along its axes
	box  geom.Vec3   // half of that, m
	pins []int32     // of its vertices
	off  []geom.Vec3 // how far each is from that, m, in its file's own axes
	free bool        // its pins have let go
	did  Mended
}

// cut makes the mesh of an element's cloth, in its own axes, by the form that it has at a moment;
// from tells of each vertex which of its file's it was.
func cut(e *shot.Element, form geom.Shape) (m *geom.Mesh, from []int32, did Mended, err error) {
	h, edge := form.Size.Mul(0.5), val.ClothEdge.Of(e)
	if n := area(form, edge); form.Form != geom.Imported && n > MostVertices {
		return nil, nil, did, fmt.Errorf("its mesh would have %s vertices, %s are the most; give it a mesh size of %s m or more", shot.Short(math.Round(n)), shot.Short(MostVertices), shot.Short(shot.Tidy(edge*math.Sqrt(n/MostVertices))))
	}
	switch form.Form {
	case geom.Plane:
		count := func(l float64) int { return max(int(math.Round(l/edge)), 1) + 1 }
		m = Rectangle(form.Size.X, form.Size.Z, count(form.Size.X), count(form.Size.Z))
		for i, p := range m.P {
			m.P[i] = geom.V(p.X-h.X, 0, -p.Y-h.Z)
		}
	case geom.Sphere:
		m = Globe(h, edge)
	case geom.Cylinder:
		m = Sleeve(h.X, h.Z, form.Size.Y, form.Taper, edge)
	case geom.Imported:
		if form.Body == nil {
			return nil, nil, did, fmt.Errorf("it has no file yet; import one")
		}
		return imported(form.Body, val.CutAnew.Of(e))
	default:
		return nil, nil, did, fmt.Errorf("its shape is %q, which no cloth is cut as; choose another", form.Form)
	}
	return m, nil, did, nil
}

// anew are the meshes of files that were cut anew last, as checks ask for them again and again.
var anew struct {
	sync.Mutex
	list []cutAnew
}

type cutAnew struct {
	of   *geom.Body
	edge float64
	mesh *geom.Mesh
	from []int32
	did  Mended
}

// mostAnew is how many of those are kept.
const mostAnew = 6

// imported makes cloth of a file's mesh, cut anew in edges about so long; 0: as it came.
func imported(b *geom.Body, edge float64) (m *geom.Mesh, from []int32, did Mended, err error) {
	m, from, did, err = Tidy(b.Mesh)
	if err != nil || edge == 0 {
		return m, from, did, err
	}
	if n := faceArea(m) / (0.87 * edge * edge); n > MostVertices {
		return nil, nil, did, fmt.Errorf("cut anew its mesh would have %s vertices, %s are the most; cut it at %s m or more", shot.Short(math.Round(n)), shot.Short(MostVertices), shot.Short(shot.Tidy(edge*math.Sqrt(n/MostVertices))))
	}
	anew.Lock()
	defer anew.Unlock()
	for i, c := range anew.list {
		if c.of == b && c.edge == edge {
			anew.list = append(append(anew.list[:i:i], anew.list[i+1:]...), c)
			return c.mesh, c.from, c.did, nil
		}
	}
	even, whose := Even(m, edge)
	for i, v := range whose {
		whose[i] = from[v]
	}
	anew.list = append(anew.list[max(0, len(anew.list)+1-mostAnew):], cutAnew{b, edge, even, whose, did})
	return even, whose, did, nil
}

func faceArea(m *geom.Mesh) (a float64) {
	for k := range m.Tri {
		p, q, r := m.Corners(k)
		a += q.Sub(p).Cross(r.Sub(p)).Len() / 2
	}
	return a
}

// area is about how many vertices a form takes.
func area(form geom.Shape, edge float64) float64 {
	s := form.Size
	switch form.Form {
	case geom.Plane:
		return (s.X/edge + 1) * (s.Z/edge + 1)
	case geom.Sphere:
		return 1.2 * math.Pi * s.MaxComponent() * s.MaxComponent() / (edge * edge)
	}
	return (math.Pi*(s.X+s.Z)/2/edge + 1) * (s.Y/edge + 1)
}

// fabricOf is what an element's cloth is made of at a moment, in air of so many K.
func fabricOf(e *shot.Element, ev val.Eval, air float64) Fabric {
	f := Fabric{Mass: val.ClothMass.Of(e), Warp: val.Warp.Of(e), Weft: val.Weft.Of(e), Shear: val.Shear.Of(e), Poisson: val.Narrows.Of(e),
		BendWarp: val.BendWarp.Of(e), BendWeft: val.BendWeft.Of(e), Damping: val.StretchDamp.Of(e), Thickness: val.Thickness.Of(e), Friction: val.Friction.Of(e),
		Drag: val.SheetDrag.At(e, ev), Pressure: val.Pressure.At(e, ev), Tears: val.TearsAt.At(e, ev)}
	if at := val.BurnsAt.Of(e); at > 0 {
		f.Fire = Fire{At: max(at-air, 1), Lasts: val.BurnsFor.Of(e), Spread: val.FireSpread.Of(e)}
	}
	if f.Tears > 0 {
		f.Uneven = val.TearsUneven.Of(e)
	}
	return f
}

// sew makes an element's cloth, where it stands at a moment.
func sew(m *stage.Moment, e *shot.Element) (Sheet, *piece, error) {
	form, err := e.Form(m.Now, 0)
	if err != nil {
		return Sheet{}, nil, err
	}
	mesh, from, did, err := cut(e, form)
	if err != nil {
		return Sheet{}, nil, fmt.Errorf("%s: %w", e.Name, err)
	}
	p := &piece{e: e, from: from, did: did, box: form.Size.Mul(0.5)}
	pinned := p.pinned(m, mesh, form)
	turn := val.WarpTurn.Of(e) * math.Pi / 180
	sin, cos := math.Sincos(turn)
	warp := form.Turn.Apply(geom.V(sin, 0, cos))
	if form.Form == geom.Cylinder { // along it
		warp = form.Turn.Apply(geom.V(0, 1, 0))
	}
	sheet := Sheet{ID: e.Name, Mesh: &geom.Mesh{Tri: mesh.Tri}, Warp: warp, Fabric: fabricOf(e, m.Now, val.AirTemperature.Of(m.Shot)), Flat: val.ClothFlat.Of(e) || form.Form == geom.Plane, Pinned: pinned}
	if from != nil && form.Body != nil {
		for i, v := range from {
			p.off = append(p.off, mesh.P[i].Sub(form.Body.Mesh.P[v]))
		}
	}
	for i, q := range mesh.P {
		p.at = append(p.at, geom.V(q.X/p.box.X, q.Y/p.box.Y, q.Z/p.box.Z))
		sheet.Mesh.P = append(sheet.Mesh.P, form.Turn.Apply(q).Add(form.Centre))
		if pinned[i] {
			p.pins = append(p.pins, int32(i))
		}
	}
	if by := m.Shot.Element(val.WeakWithin.Of(e)); by != nil && sheet.Fabric.Tears > 0 {
		sheet.Weak = make([]float64, len(mesh.P))
		region := m.Form(by)
		for i, q := range sheet.Mesh.P {
			if region.Distance(q) <= 0 {
				sheet.Weak[i] = val.Weak.Of(e)
			}
		}
	}
	if e.ShareWeakens() && sheet.Fabric.Tears > 0 {
		lost, err := e.WeakShare(m.Now)
		if err != nil {
			return sheet, p, fmt.Errorf("%s: %w", e.Name, err)
		}
		if sheet.Weak == nil {
			sheet.Weak = make([]float64, len(mesh.P))
		}
		for i, v := range from {
			sheet.Weak[i] = max(sheet.Weak[i], lost(v))
		}
	}
	return sheet, p, nil
}

// pinned are the vertices that are.
func (p *piece) pinned(m *stage.Moment, mesh *geom.Mesh, form geom.Shape) []bool {
	e := p.e
	edge := val.ClothEdge.Of(e)
	if p.from != nil {
		edge = meanEdge(mesh)
	}
	out := shot.PinnedAt(val.Pins.Of(e), int(val.Hooks.Of(e)), mesh.P, edge)
	if by := m.Shot.Element(val.PinWithin.Of(e)); by != nil && val.Pins.Of(e) == "within" {
		region := m.Form(by)
		for i, q := range mesh.P {
			out[i] = region.Distance(form.Turn.Apply(q).Add(form.Centre)) <= 0
		}
	}
	if !e.SharePins() {
		return out
	}
	which, err := e.PinnedShare(m.Now)
	if err != nil {
		m.Blame(fmt.Errorf("%s: %w", e.Name, err))
		return out
	}
	for i, v := range p.from {
		out[i] = out[i] || which(v)
	}
	return out
}

// meanEdge is the mean length of a mesh's edges, m.
func meanEdge(m *geom.Mesh) float64 {
	sum := 0.0
	for k := range m.Tri {
		a, b, c := m.Corners(k)
		sum += a.Dist(b) + b.Dist(c) + c.Dist(a)
	}
	return sum / float64(3*len(m.Tri))
}

// place is where a pinned vertex is to be at a moment: where the element, or its file, has it.
func (p *piece) place(v int32, form *geom.Shape) geom.Vec3 {
	q := p.at[v].Scale(form.Size.Mul(0.5))
	if p.from != nil && form.Body != nil {
		q = form.Body.Mesh.P[p.from[v]].Add(p.off[v])
	}
	return form.Turn.Apply(q).Add(form.Centre)
}
