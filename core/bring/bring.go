package bring

import (
	"cmp"
	"fmt"
	"math"
	"path"
	"strings"

	"zarf/core/format"
	_ "zarf/core/formats" // what can be brought in
	"zarf/core/geom"
	"zarf/core/model"
)

// MaxFile is the largest file, bytes: about 20 million triangles in the
// wordiest format.
const MaxFile = 2 << 30

// Options say how to read what a file leaves open.
type Options = format.Options

// Facts is what was found in a file.
// They are kept beside the file and sent to the page as they are.
type Facts struct {
	Kind      string     `json:"kind"`
	Triangles int        `json:"triangles"`
	Vertices  int        `json:"vertices"`
	Size      [3]float64 `json:"size"` // m
	Centre    [3]float64 `json:"centre"`
	Parts     []string   `json:"parts,omitempty"`
	Joints    []string   `json:"joints,omitempty"`
	Curves    []string   `json:"curves,omitempty"`
	Colours   bool       `json:"colours,omitempty"`
	Camera    bool       `json:"camera,omitempty"`
	Length    float64    `json:"length,omitempty"` // of the animation, s
	Rate      float64    `json:"rate,omitempty"`   // that the keys fit, fps; 0: none
	Rigid     bool       `json:"rigid,omitempty"`  // it moves without bending
	OpenEdges int        `json:"open_edges,omitempty"`
	Thickness float64    `json:"thickness,omitempty"` // about the least, m, of a closed mesh
	Notes     []string   `json:"notes,omitempty"`
}

// Read reads a file by its ending. Files are others that came along, by name.
//
// The model is what solvers and pages work on; Facts are for people. Both are of the
// file as a whole: which part of it takes part is chosen later, on an element.
func Read(name string, data []byte, files map[string][]byte, o Options) (*model.Model, *Facts, error) {
	if len(data) == 0 {
		return nil, nil, fmt.Errorf("%s is empty", path.Base(name))
	}
	// The upload is bounded before it gets here; this holds for the command line
	// too.
	if len(data) > MaxFile {
		return nil, nil, fmt.Errorf("%s has %d bytes; up to %d are taken", path.Base(name), len(data), MaxFile)
	}
	if err := check(o); err != nil {
		return nil, nil, err
	}
	kind := format.ByName(name)
	if kind == nil || kind.Model == nil {
		return nil, nil, fmt.Errorf("%s is of a kind that can't be read; give one of %s", path.Base(name), strings.Join(format.Endings(format.Models), " "))
	}
	// what the artist says, else what the format says, else metres
	// 0 stands for "not said", as no unit is 0 long.
	o.Unit = cmp.Or(o.Unit, kind.Unit, 1)
	m, err := kind.Model(data, files, o)
	if err != nil {
		return nil, nil, fmt.Errorf("%s: %w", path.Base(name), err)
	}
	if !kind.Sized {
		orient(m, o.Unit, o.ZUp)
	}
	f, err := survey(m)
	if err != nil {
		return nil, nil, fmt.Errorf("%s: %w", path.Base(name), err)
	}
	f.Kind = strings.TrimPrefix(strings.ToLower(path.Ext(name)), ".")
	return m, f, nil
}

// check refuses sizes that no file has.
// 0 is allowed and means the default of each.
func check(o Options) error {
	for _, v := range []struct {
		name string
		v    float64
	}{{"unit", o.Unit}, {"depth", o.Depth}, {"bevel", o.Bevel}, {"width", o.Width}, {"height", o.Height}} {
		if math.IsNaN(v.v) || v.v < 0 || v.v > 1e6 {
			return fmt.Errorf("the %s is %g m; give 0 to 1,000,000", v.name, v.v)
		}
	}
	return nil
}

// orient brings a model to metres and y up by a root above its roots.
// Nothing is done where it is right already, so files in metres stay as they are.
func orient(m *model.Model, unit float64, zUp bool) {
	if unit == 1 && !zUp {
		return
	}
	a := geom.Identity
	if zUp { // x stays, z goes up, y goes away
		a.M = geom.Mat3{geom.V(1, 0, 0), geom.V(0, 0, 1), geom.V(0, -1, 0)}
	}
	// Turn and unit in one matrix: rows are the new coordinates.
	for r := range a.M {
		a.M[r] = a.M[r].Mul(unit)
	}
	// a root above the roots: animation of nodes stays as it is
	root := model.NewNode("")
	root.Fixed = &a
	n := len(m.Nodes)
	m.Nodes = append(m.Nodes, root)
	for i := range m.Nodes[:n] {
		if m.Nodes[i].Parent < 0 {
			m.Nodes[i].Parent = n
		}
	}
}

// survey cleans the meshes of a model and says what they are.
// Numbers that can't be (a transform of 1e300) end it: everything later would drown
// in them.
func survey(m *model.Model) (*Facts, error) {
	f := &Facts{Notes: m.Notes}
	note := func(format string, a ...any) { f.Notes = append(f.Notes, fmt.Sprintf(format, a...)) }
	// before anything is made of it
	if err := m.Budget(); err != nil {
		return nil, err
	}
	total := geom.Repairs{}
	// each mesh once, however many nodes show it
	for n := range m.Meshes {
		// Meshes of curves or points alone have nothing to clean.
		if len(m.Meshes[n].Tri) == 0 {
			continue
		}
		r, err := m.Meshes[n].Clean()
		if err != nil {
			return nil, err
		}
		total.Degenerate += r.Degenerate
		total.Turned = total.Turned || r.Turned
	}
	if err := m.Check(); err != nil {
		return nil, err
	}
	for _, c := range m.Curves {
		f.Curves = append(f.Curves, c.Name)
	}
	f.Triangles = m.Triangles()
	if f.Triangles > geom.MaxTriangles {
		return nil, fmt.Errorf("%d triangles; up to %d are taken: hand over a lighter mesh", f.Triangles, geom.MaxTriangles)
	}
	// Curves alone are enough: they become guides.
	if f.Triangles == 0 && len(f.Curves) == 0 {
		return nil, fmt.Errorf("the file holds no mesh and no curve")
	}
	_, _, f.Camera = m.CameraAt(0)
	f.Length, f.Rate = m.Length(), m.Rate()
	if f.Triangles > 0 {
		at := m.At(0)
		b := at.Bounds()
		f.Vertices, f.Size, f.Centre = len(at.P), b.Size().Array(), b.Centre().Array()
		for _, c := range append(f.Size[:], f.Centre[:]...) {
			if math.IsNaN(c) || math.IsInf(c, 0) || math.Abs(c) > 1e9 {
				return nil, fmt.Errorf("the mesh would be %v m large at %v; its transforms or its unit are wrong", f.Size, f.Centre)
			}
		}
		f.Parts, f.Joints, f.Colours = at.Parts, at.Joints, at.Colour != nil
		if len(f.Parts) == 1 && f.Parts[0] == "" {
			f.Parts = nil
		}
		f.OpenEdges = at.OpenEdges()
		// rays through a mesh of millions take seconds, and such meshes aren't thin
		// by mistake
		if f.OpenEdges == 0 && f.Triangles <= 2_000_000 {
			f.Thickness = at.Thickness(geom.NewTree(at))
		}
		if f.Length > 0 {
			f.Rigid = true
			// five moments: what bends at all bends at one of them
			for i := range 5 {
				if _, ok := m.Rigid(f.Length * float64(i) / 4); !ok {
					f.Rigid = false
				}
			}
		}
		switch s := max(f.Size[0], f.Size[1], f.Size[2]); {
		case s > 2000:
			note("it is %.0f m large: were its lengths in millimetres or centimetres? Set the unit", s)
		case s < 0.005:
			note("it is %.2g mm large: were its lengths in metres? Set the unit", s*1000)
		}
	}
	if total.Degenerate > 0 {
		note("%d faces without area were left out", total.Degenerate)
	}
	if total.Turned {
		note("its faces looked inwards and were turned")
	}
	if f.OpenEdges > 0 {
		note("%d edges have a face on one side only: it isn't closed. Let its surface emit, or wrap it", f.OpenEdges)
	}
	return f, nil
}
