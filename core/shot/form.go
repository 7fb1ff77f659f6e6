package shot

import (
	"fmt"
	"math"

	"zarf/core/asset"
	"zarf/core/geom"
	"zarf/core/grid"
	"zarf/core/shot/val"
)

// Shape is an element's form at a moment. A mesh whose file can't be had is an
// empty form; Form tells why.
func (e *Element) Shape(ev val.Eval) geom.Shape {
	sh, _ := e.Form(ev, 0)
	return sh
}

// Form is an element's form at a moment; spacing, in metres, is that of the
// lattice on which imported meshes are measured, 0 for a middling one.
//
// Errors are those of files: missing, unreadable, without a face in the chosen part.
// The shape that comes with an error is empty and harmless.
// It is asked in every substep by solvers that follow a moving element; all that it
// reads is at the moment ev, between frames too.
func (e *Element) Form(ev val.Eval, spacing float64) (geom.Shape, error) {
	sh := geom.Shape{
		Form:   geom.Form(val.Form.Of(e)),
		Centre: geom.FromArray(val.Position.At(e, ev)),
		Turn:   geom.RotationXYZ(geom.FromArray(val.Turn.At(e, ev))),
		Size:   geom.FromArray(val.Size.At(e, ev)),
	}
	// Every read counts towards the cache's key. A taper that a box ignores must not
	// make its run stale.
	// what doesn't shape it isn't read
	sh.Taper, sh.Wall = 1, 0.05
	if sh.Form == geom.Cylinder || sh.Form == geom.Tube {
		sh.Taper = val.Taper.At(e, ev)
	}
	if sh.Form == geom.Tube {
		sh.Wall = val.Wall.At(e, ev)
	}
	if sh.Form != geom.Imported {
		return sh, nil
	}
	w := asset.Want{Ref: val.Mesh.Of(e), Size: sh.Size.Array(), Time: e.MeshTime(ev), Region: e.Share(), Spacing: spacing}
	if e.Kind.Def().Whole {
		w.Region = asset.Region{By: "whole"}
	}
	if w.Ref == "" {
		return sh, fmt.Errorf("%s has no file yet; import one", e.Name)
	}
	// the body is kept by the library under what it was asked for: a solver that
	// asks in every substep gets the same one
	p, err := ev.Files.Pose(w)
	if err != nil {
		return sh, err
	}
	sh.Body = p.Body
	// the file's own rigid motion comes first, then the element's turn and place
	sh.Centre = sh.Centre.Add(sh.Turn.Apply(p.At))
	sh.Turn = geom.Affine{M: p.Turn}.Then(geom.Affine{M: sh.Turn}).M
	return sh, nil
}

// Share is which part of an imported mesh takes part.
func (e *Element) Share() asset.Region {
	r := asset.Region{By: val.Share.Of(e)}
	switch r.By {
	case "parts", "joints":
		r.Names = val.ShareNames.Of(e)
	case "painted":
		r.Weights = val.SharePainted.Of(e)
	}
	return r
}

// MeshTime is the time, in seconds of its file, that an imported animation has
// reached at a moment.
// Seconds keep the file's own speed; frames play one of its poses a frame, at
// whatever rate the shot runs.
// Before its start an animation stands in its first pose, so that a shot may begin
// earlier than the file.
func (e *Element) MeshTime(ev val.Eval) float64 {
	mode := val.Motion.Of(e)
	if mode == "still" {
		return 0
	}
	// the first pose is held, then the file's clock runs
	n := ev.Frame - val.MotionStart.Of(e) - val.MotionHold.Of(e)
	if n <= 0 {
		return 0
	}
	rate := ev.Rate
	if rate <= 0 {
		rate = 24
	}
	if val.MotionKeeps.Of(e) == "frames" {
		rate = Rational(val.MotionRate.Of(e))
	}
	t := n / rate
	if mode == "loops" {
		if m, err := ev.Files.Model(val.Mesh.Of(e)); err == nil && m.Facts.Length > 0 {
			// A file that can't be read gives t as it is: Form tells what is wrong
			// with it.
			t = math.Mod(t, m.Facts.Length)
		}
	}
	return t
}

// FromFile reports an element whose form is an imported mesh.
func (e *Element) FromFile() bool { return e.Placed() && val.Form.Of(e) == string(geom.Imported) }

// Moving reports an element whose place or form changes over the frames.
// Keys count as motion even where all are equal. A form that is said to move and
// does not costs time; one that moves and is not said to would be wrong.
func (e *Element) Moving(files *asset.Library) bool {
	if e.Keyed(val.Position, val.Turn, val.Size) {
		return true
	}
	if e.FromFile() && val.Motion.Of(e) != "still" {
		m, err := files.Model(val.Mesh.Of(e))
		return err == nil && m.Moves()
	}
	return false
}

// RegionShape is the region of a force at a moment; limited is false where it
// acts everywhere.
// Regions don't turn: an axis-aligned box or a ball with a soft rim is what winds
// and pulls need, and the rim would have to turn along.
func (e *Element) RegionShape(ev val.Eval) (sh geom.Shape, fade float64, limited bool) {
	form := val.Region.Of(e)
	if form == "everywhere" {
		return sh, 0, false
	}
	return geom.Shape{Form: geom.Form(form), Centre: geom.FromArray(val.Position.At(e, ev)), Turn: geom.RotationXYZ(geom.Vec3{}),
		Size: geom.FromArray(val.RegionSize.At(e, ev)), Taper: 1}, val.RegionFade.At(e, ev), true
}

// Placed reports an element with a shape.
func (e *Element) Placed() bool { return e.Kind.Def().Shaped }

// Grid is the grid of a domain: cells, voxel size and low corner. The box is
// rounded up to whole voxels about its middle, its floor kept.
// The grid is made of the values as such, without keys: bounds that change under way
// are another matter, see package stage.
func (e *Element) Grid() (d grid.Dims, h float64, origin geom.Vec3) {
	h = val.Voxel.Of(e)
	size, at := val.Size.Of(e), val.Position.Of(e)
	// rounded up but for rounding: 1 m in voxels of 0.1 m are ten, not eleven
	cells := func(v float64) int { return int(max(1, min(math.Ceil(v/h-1e-6), 1<<20))) }
	d = grid.Dims{NX: cells(size[0]), NY: cells(size[1]), NZ: cells(size[2])}
	if val.Flat.Of(e) {
		d.NZ = 1
	}
	// about the middle in x and z; the floor stays where it was drawn
	// Where rounding adds cells they go to both sides, half and half, and upwards:
	// water keeps standing on the floor that the artist set.
	origin = geom.V(at[0]-float64(d.NX)*h/2, at[1]-size[1]/2, at[2]-float64(d.NZ)*h/2)
	return d, h, origin
}

// DomainBox is the box of a domain in space.
func (e *Element) DomainBox() geom.Box {
	d, h, o := e.Grid()
	return geom.Box{Min: o, Max: o.Add(geom.V(float64(d.NX), float64(d.NY), float64(d.NZ)).Mul(h))}
}

// Voxels is the number of cells of a domain.
// In float64, as a domain in the making may have more cells than an int32 holds.
func (e *Element) Voxels() float64 {
	d, _, _ := e.Grid()
	return float64(d.NX) * float64(d.NY) * float64(d.NZ)
}

// Side is one of a domain's sides by the name of its value.
type Side struct {
	Name val.TextKey
	Word string
}

// Sides are the sides of a domain: −x, +x, floor, top, −z, +z.
var Sides = [6]Side{{val.SideX0, "−x"}, {val.SideX1, "+x"}, {val.SideY0, "floor"}, {val.SideY1, "top"}, {val.SideZ0, "−z"}, {val.SideZ1, "+z"}}

// Open tells which sides of a domain let fluid out.
func (e *Element) Open() (open [6]bool) {
	for i, s := range Sides {
		open[i] = s.Name.Of(e) == "outflow"
	}
	return open
}

// PinnedShare tells of the vertices of an element's file whether they belong to the part of it that
// is chosen: where it is told by weights, from a half on.
func (e *Element) PinnedShare(ev val.Eval) (func(v int32) bool, error) {
	w, _, err := e.shareAt(ev)
	return func(v int32) bool { return w(v) >= 0.5 }, err
}

// WeakShare is what share of its strength each vertex of a cloth's file has lost: as painted, half of
// it in what is named.
func (e *Element) WeakShare(ev val.Eval) (func(v int32) float64, error) {
	w, smooth, err := e.shareAt(ev)
	if smooth || err != nil {
		return w, err
	}
	return func(v int32) float64 { return w(v) / 2 }, nil
}

// shareAt is the weight of each vertex of a file in the part of it that is named or painted; smooth tells
// that there are weights between 0 and 1.
func (e *Element) shareAt(ev val.Eval) (weight func(v int32) float64, smooth bool, err error) {
	w := asset.Want{Ref: val.Mesh.Of(e), Size: val.Size.At(e, ev), Time: e.MeshTime(ev), Region: e.Share()}
	p, err := ev.Files.Pose(w)
	if err != nil {
		return nil, false, err
	}
	if w := p.Body.Weight; w != nil {
		return func(v int32) float64 {
			if int(v) < len(w) {
				return float64(w[v])
			}
			return 0
		}, true, nil
	}
	in := make([]bool, len(p.Body.Mesh.P))
	for _, t := range p.Body.Mesh.Tri {
		in[t[0]], in[t[1]], in[t[2]] = true, true, true
	}
	return func(v int32) float64 {
		if int(v) < len(in) && in[v] {
			return 1
		}
		return 0
	}, false, nil
}
