package handover

import (
	"bytes"
	"cmp"
	"context"
	"fmt"
	"io"
	"math"
	"strings"

	"zarf/core/format"
	"zarf/core/format/abc"
	"zarf/core/frame"
	"zarf/core/geom"
	"zarf/core/grid"
	"zarf/core/shot"
	"zarf/core/shot/val"
	"zarf/core/stage"
	"zarf/core/surface"
	"zarf/studio/run"
)

// body is a mesh of the handover at a frame, in the receiver's space.
type body struct {
	name string
	mesh *geom.Mesh
	v    []float32
	more []abc.Extra
}

func (b body) label() string { return b.name }

// meshes writes surfaces, solids and the camera.
func (w *work) meshes(ctx context.Context, frames []int, number map[int]int) error {
	fluid, solids, eye := val.MeshFluid.Of(w.Settings), w.solids(), w.camera()
	kind, err := w.format(val.MeshFile.Of(w.Settings), func(f *format.Format) bool { return f.WriteMesh != nil })
	if err != nil {
		return err
	}
	var names []string
	if fluid {
		if err := w.have(frames); err != nil {
			return err
		}
		names = w.fluidNames()
	}
	for _, e := range solids {
		names = append(names, w.solidName(e))
	}
	if eye != nil && kind.Film {
		names = append(names, "camera")
	}
	if len(names) == 0 {
		return fmt.Errorf("neither the fluid's surface, nor solids, nor a camera is chosen, or the shot has none; switch at least one on")
	}
	w.m.Axes, w.m.Scale, w.m.Objects = w.sp.name, w.sp.scale, names
	if kind.Film {
		return w.movie(ctx, frames, names, func(f int) ([]still, error) {
			list, err := w.bodies(f, fluid, solids, grid.NewCrew(w.Threads))
			if err != nil {
				return nil, err
			}
			var out []still
			for _, b := range list {
				out = append(out, still{b.name, abc.Mesh, b.sample()})
			}
			if eye != nil {
				out = append(out, still{"camera", abc.Camera, w.lens(eye, f)})
			}
			return out, nil
		})
	}
	return w.numbered(ctx, frames, number, kind, func(f int, crew grid.Crew) (out []piece, err error) {
		list, err := w.bodies(f, fluid, solids, crew)
		if err != nil {
			return nil, err
		}
		if val.MeshSplit.Of(w.Settings) == "one" {
			list = []body{merged(list)}
		}
		for _, b := range list {
			out = append(out, b)
		}
		return out, nil
	})
}

// fluidNames are the bodies of what the domain holds.
func (w *work) fluidNames() (names []string) {
	sewn := stage.Sewn(w.src.Shot, w.src.Domain)
	if len(sewn) == 0 {
		return []string{"fluid"}
	}
	for _, e := range sewn {
		names = append(names, w.solidName(e))
	}
	if run.AsSurface(w.src.Domain, w.Now) {
		names = append(names, "drops")
	}
	return names
}

// solids are the elements that are in the picture.
func (w *work) solids() (out []*shot.Element) {
	if !val.MeshSolids.Of(w.Settings) {
		return nil
	}
	for _, e := range w.Now.Elements {
		if (e.Kind == shot.Collider || e.Kind == shot.Mesh) && !e.Muted && val.Rendered.Of(e) {
			out = append(out, e)
		}
	}
	return out
}

// solidName is an element's name as files can hold it.
func (w *work) solidName(e *shot.Element) string {
	return strings.Map(func(r rune) rune {
		if r >= 'a' && r <= 'z' || r >= 'A' && r <= 'Z' || r >= '0' && r <= '9' {
			return r
		}
		return '_'
	}, e.Name) + "_" + e.ID
}

func (w *work) camera() *shot.Element {
	if val.MeshCamera.Of(w.Settings) {
		for _, c := range w.Now.Of(shot.Camera) {
			return c
		}
	}
	return nil
}

func (w *work) bodies(number int, fluid bool, solids []*shot.Element, crew grid.Crew) (out []body, err error) {
	if sewn := stage.Sewn(w.src.Shot, w.src.Domain); fluid && len(sewn) > 0 {
		if out, err = w.cloths(number, sewn, crew); err != nil {
			return nil, err
		}
	} else if fluid {
		b, err := w.fluid(number, crew)
		if err != nil {
			return nil, fmt.Errorf("frame %d: %w", number, err)
		}
		out = append(out, b)
	}
	for _, e := range solids {
		sh, err := e.Form(w.Now.Eval(float64(number)), 0)
		if err != nil {
			return nil, fmt.Errorf("frame %d: %s: %w", number, e.Name, err)
		}
		out = append(out, w.placed(body{name: w.solidName(e), mesh: sh.Mesh()}))
	}
	return out, nil
}

// placed takes a mesh into the receiver's space.
func (w *work) placed(b body) body {
	for n, p := range b.mesh.P {
		b.mesh.P[n] = w.sp.point(p)
	}
	if w.sp.Mirrors() {
		tri := make([][3]int32, len(b.mesh.Tri))
		for n, t := range b.mesh.Tri {
			tri[n] = [3]int32{t[0], t[2], t[1]}
		}
		b.mesh.Tri = tri
	}
	w.sp.Vectors(b.v, float32(w.sp.scale))
	return b
}

// fluid is the surface of a frame.
func (w *work) fluid(number int, crew grid.Crew) (body, error) {
	b := body{name: "fluid"}
	f, err := w.src.ReadOnly(number, frame.Surface, frame.Density, frame.Velocity)
	if err != nil {
		return b, err
	}
	every := map[string]int{"final": 1, "half": 2, "quarter": 4}[val.MeshDetail.Of(w.Settings)]
	_, h, origin := w.src.Grid()
	var phi *grid.Field
	outside := 0.0
	if stage.Has(w.src.Domain, frame.Surface) {
		if phi, h, outside, err = w.src.Surface(f); err != nil {
			return b, err
		}
	} else {
		level := float32(val.MeshLevel.Of(w.Settings))
		if phi = w.src.Channel(f, frame.Density); phi == nil {
			return b, w.lacks(number, frame.Density)
		}
		low, _ := w.src.Window(f)
		origin = origin.Add(geom.V(float64(low[0]), float64(low[1]), float64(low[2])).Mul(h))
		for i, v := range phi.Data {
			phi.Data[i] = level - v
		}
		outside = float64(level)
	}
	b.mesh = surface.Nets(surface.Closed(phi.Data, [3]int{phi.NX, phi.NY, phi.NZ}, h, origin, float32(outside), every), 0, crew.For)
	if val.MeshVelocity.Of(w.Settings) && format.Of(val.MeshFile.Of(w.Settings)).Film {
		if b.v, err = moving(f.Grid(frame.Velocity), b.mesh.P); err != nil {
			return b, err
		}
		if b.v == nil {
			return b, w.lacks(number, frame.Velocity)
		}
	}
	return w.placed(b), nil
}

// cloths are those of a frame, one body each, and the surface of drops where they are drawn as one;
// what a frame has nothing of has no faces.
func (w *work) cloths(number int, sewn []*shot.Element, crew grid.Crew) (out []body, err error) {
	p, err := w.src.Stage.LoadPoints(number)
	if err != nil {
		return nil, err
	}
	if p == nil {
		return nil, fmt.Errorf("frame %d holds no cloth; run the take again", number)
	}
	for n, e := range sewn {
		b := body{name: w.solidName(e), mesh: &geom.Mesh{}}
		if c := p.Cloth(func(sheet int) bool { return sheet == n }); c != nil {
			b.mesh = c.Mesh(0)
			if val.MeshVelocity.Of(w.Settings) && format.Of(val.MeshFile.Of(w.Settings)).Film {
				b.v = make([]float32, 0, 3*len(c.V))
				for _, v := range c.V {
					b.v = append(b.v, v[:]...)
				}
			}
			for _, name := range []string{frame.Strain, frame.Soaked} {
				if v := c.Of(name); v != nil {
					b.more = append(b.more, abc.Extra{Name: name, Comps: 1, V: v})
				}
			}
		}
		out = append(out, w.placed(b))
	}
	if run.AsSurface(w.src.Domain, w.Now) {
		b := body{name: "drops"}
		if b.mesh, b.v = run.PooledMesh(p.Alive(), crew); !val.MeshVelocity.Of(w.Settings) || !format.Of(val.MeshFile.Of(w.Settings)).Film {
			b.v = nil
		}
		out = append(out, w.placed(b))
	}
	return out, nil
}

// moving reads the velocity at places; nil where there is none.
func moving(g *frame.Grid, at []geom.Vec3) ([]float32, error) {
	if g == nil || g.Type.Components() != 3 {
		return nil, nil
	}
	lo, size := box(g, 1)
	v, err := dense(g, lo, size)
	if err != nil {
		return nil, err
	}
	d := grid.Dims{NX: size[0], NY: size[1], NZ: size[2]}
	m := g.Transform.M
	out := make([]float32, 0, 3*len(at))
	for _, p := range at {
		x, y, z := float32((p.X-m[3][0])/m[0][0]-float64(lo[0])), float32((p.Y-m[3][1])/m[1][1]-float64(lo[1])), float32((p.Z-m[3][2])/m[2][2]-float64(lo[2]))
		for c := range 3 {
			f := grid.Field{Dims: d, Data: v[c]}
			out = append(out, f.Sample(x, y, z))
		}
	}
	return out, nil
}

// sample lists faces clockwise, as Alembic has them.
func (b body) sample() *abc.Sample {
	s := &abc.Sample{P: make([]float32, 0, 3*len(b.mesh.P)), V: b.v, Counts: make([]int32, len(b.mesh.Tri)), Faces: make([]int32, 0, 3*len(b.mesh.Tri))}
	for _, p := range b.mesh.P {
		s.P = append(s.P, float32(p.X), float32(p.Y), float32(p.Z))
	}
	for n, t := range b.mesh.Tri {
		s.Counts[n] = 3
		s.Faces = append(s.Faces, t[0], t[2], t[1])
	}
	if b.mesh.Colour != nil {
		e := abc.Extra{Name: "colour", Comps: 3}
		for _, c := range b.mesh.Colour {
			e.V = append(e.V, float32(c.X), float32(c.Y), float32(c.Z))
		}
		s.Extra = append(s.Extra, e)
	}
	s.Extra = append(s.Extra, b.more...)
	return s
}

func (b body) said() []Channel {
	if len(b.mesh.Tri) == 0 {
		return nil
	}
	x := b.mesh.Bounds()
	return []Channel{{Name: "place", Holds: "place", Type: "float", Unit: "units", Low: min(x.Min.X, x.Min.Y, x.Min.Z), High: max(x.Max.X, x.Max.Y, x.Max.Z)}}
}

// merged joins meshes; each becomes a part.
func merged(list []body) body {
	out := body{name: "all", mesh: &geom.Mesh{}}
	for n, b := range list {
		out.mesh.Parts = append(out.mesh.Parts, b.name)
		first := int32(len(out.mesh.P))
		out.mesh.P = append(out.mesh.P, b.mesh.P...)
		out.mesh.Colour = append(out.mesh.Colour, b.mesh.Colour...)
		for _, t := range b.mesh.Tri {
			out.mesh.Tri = append(out.mesh.Tri, [3]int32{t[0] + first, t[1] + first, t[2] + first})
			out.mesh.Part = append(out.mesh.Part, int32(n))
		}
	}
	return out
}

func (b body) encode(to io.Writer, kind *format.Format) error { return kind.WriteMesh(to, b.mesh) }

func (b body) check(data []byte, kind *format.Format) error {
	if len(b.mesh.Tri) == 0 || kind.Model == nil { // readers refuse what is empty; the hash was compared
		return nil
	}
	m, err := kind.Model(bytes.Clone(data), nil, format.Options{Unit: 1})
	if err != nil {
		return err
	}
	n := 0
	for _, x := range m.Meshes {
		n += len(x.Tri)
	}
	if n != len(b.mesh.Tri) {
		return fmt.Errorf("it holds %d triangles, %d were written", n, len(b.mesh.Tri))
	}
	return nil
}

// lens is the shot's camera: its picture is 36 mm wide.
func (w *work) lens(c *shot.Element, number int) *abc.Sample {
	f := float64(number)
	eye, target := geom.FromArray(val.Position.At(c, val.Frame(f))), geom.FromArray(val.Target.At(c, val.Frame(f)))
	wide, tall := 36.0, 20.25
	for _, l := range w.Now.Looks {
		tall = wide * val.Height.At(l, val.Frame(f)) / math.Max(val.Width.At(l, val.Frame(f)), 1)
		break
	}
	focus := val.Focus.At(c, val.Frame(f))
	if focus <= 0 {
		focus = target.Sub(eye).Len()
	}
	shut := val.Shutter.At(c, val.Frame(f)) / 360 / w.Now.Rate() / 2
	s := &abc.Sample{Lens: abc.Lens{Focal: val.Lens.At(c, val.Frame(f)), Wide: wide / 10, Tall: tall / 10, Stop: cmp.Or(val.Aperture.At(c, val.Frame(f)), 64), Focus: focus * 100, Open: 0 - shut, Close: shut, Near: 0.01 * w.sp.scale, Far: 1e5 * w.sp.scale, Squeeze: 1}}
	back := eye.Sub(target).Unit()
	right := geom.V(0, 1, 0).Cross(back)
	if right.Len() < 1e-6 {
		right = geom.V(1, 0, 0)
	}
	right = right.Unit()
	up := back.Cross(right)
	m := [16]float64{15: 1}
	for r, v := range []geom.Vec3{right, up, back} {
		t := w.sp.Dir(v.Array())
		if r == 2 && w.sp.Mirrors() { // a mirrored view can't be turned into; depth is
			for a := range t {
				t[a] = -t[a]
			}
		}
		copy(m[4*r:], t[:])
	}
	at := w.sp.place(eye.Array())
	copy(m[12:], at[:])
	s.Matrix = &m
	return s
}
