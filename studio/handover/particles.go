package handover

// Particles that live on their own, on their way out: as points with their numbers, as points
// that name a mesh, or as meshes, in groups.

import (
	"context"
	"fmt"
	"io"
	"path"
	"slices"
	"strconv"

	"zarf/core/format"
	"zarf/core/format/abc"
	"zarf/core/frame"
	"zarf/core/geom"
	"zarf/core/grid"
	"zarf/core/look"
	"zarf/core/render"
	"zarf/core/shot"
	"zarf/core/shot/val"
)

// mostObjects is how many particles have an object each.
const mostObjects = 2000

// mostPieces is how many files a handover of groups has.
const mostPieces = 50_000

// swarm are the particles of a frame and how they are grouped.
type swarm struct {
	p     *frame.Points
	m     *render.Motes
	lk    *look.Look
	group []int // of each particle
}

// flock is what is the same on all frames.
type flock struct {
	by     string // how they are grouped
	names  []string
	of     map[uint64]int // the group of a particle, where each has its own
	chosen []string       // numbers that are wanted; none: all
	as     string
	lk     *look.Look
}

// flock readies a handover of particles.
func (w *work) flock(frames []int) (*flock, error) {
	f := &flock{by: val.PointGroups.Of(w.Settings), names: []string{"points"}, chosen: val.PointChosen.Value(w.Settings).Words(), as: val.PointAs.Of(w.Settings)}
	set := w.Now.Looks[0]
	lk := look.At(set, float64(w.From))
	f.lk = &lk
	if val.PointColours.Of(w.Settings) {
		w.m.Colours = colours(set, &lk)
	}
	_, m, note, err := w.src.Swarm(frames[0], w.Now, f.lk)
	if err != nil {
		return nil, err
	}
	if f.as != "points" && len(m.Shape.Meshes) == 0 {
		if note == "" {
			note = w.src.Domain.Name + " is drawn as dots or trails, which are no meshes: choose under “shape” what its particles are, or hand points over"
		}
		return nil, fmt.Errorf("%s", note)
	}
	switch f.by {
	case "mesh":
		if len(m.Shape.Meshes) == 0 {
			return nil, fmt.Errorf("%s has no meshes to group its particles by; choose other groups", w.src.Domain.Name)
		}
		f.names = nil
		for n := range m.Shape.Meshes {
			f.names = append(f.names, fmt.Sprintf("mesh_%d", n))
		}
	case "state":
		f.names = []string{"flying", "resting"}
	case "particle":
		err = f.each(w, frames)
	}
	if err == nil && len(f.names)*len(frames) > mostPieces && val.MeshSplit.Of(w.Settings) == "each" {
		err = fmt.Errorf("%d groups on %d frames would be %d files; %d can be: choose fewer groups, or all objects in one file", len(f.names), len(frames), len(f.names)*len(frames), mostPieces)
	}
	w.m.Objects = f.names
	return f, err
}

// each gives every particle that lives on any of the frames a group.
func (f *flock) each(w *work, frames []int) error {
	f.of, f.names = map[uint64]int{}, nil
	for _, n := range frames {
		_, m, _, err := w.src.Swarm(n, w.Now, f.lk)
		if err != nil {
			return err
		}
		for _, id := range m.ID {
			if _, there := f.of[id]; !there {
				f.of[id] = len(f.names)
				f.names = append(f.names, "particle_"+strconv.FormatUint(id, 10))
			}
		}
		if len(f.names) > mostObjects {
			return fmt.Errorf("more than %d particles live on these frames, too many for an object each: choose other groups, or fewer frames", mostObjects)
		}
	}
	return nil
}

// colours tells how a look colours particles.
func colours(set *shot.Element, lk *look.Look) *Colours {
	c := &Colours{Look: set.Name, Colour: lk.MoteColour, By: lk.MoteBy}
	if lk.MoteTint != nil {
		c.From, c.To = lk.MoteTint.Low, lk.MoteTint.High
		for _, s := range val.MoteRamp.Value(set).Stops(3) {
			c.Ramp = append(c.Ramp, Ramped{s.At, s.V, s.Way})
		}
	}
	return c
}

// read reads a frame's particles.
func (f *flock) read(w *work, number int) (*swarm, error) {
	p, m, _, err := w.src.Swarm(number, w.Now, f.lk)
	if err != nil {
		return nil, err
	}
	s := &swarm{p: p, m: m, lk: f.lk, group: make([]int, len(p.P))}
	state := p.Of("state")
	for i := range s.group {
		switch f.by {
		case "mesh":
			s.group[i] = m.Kind(i)
		case "state":
			if state != nil && state[i] == 1 {
				s.group[i] = 1
			}
		case "particle":
			s.group[i] = f.of[m.ID[i]]
		}
	}
	return s, nil
}

// clouds are a frame's particles as points, by group.
func (f *flock) clouds(w *work, number int) ([]*cloud, error) {
	s, err := f.read(w, number)
	if err != nil {
		return nil, err
	}
	var list []*cloud
	moves, wide := s.p.V != nil && val.PointVelocity.Of(w.Settings), val.PointSize.Of(w.Settings)
	for _, name := range f.names { // an empty group has the same channels as the others
		c := &cloud{name: name, p: []float32{}, ids: []uint64{}}
		if moves {
			c.v = []float32{}
		}
		if wide {
			c.width = []float32{}
		}
		list = append(list, c)
	}
	for i, x := range s.p.P {
		c := list[s.group[i]]
		c.p = append(c.p, w.three(x)...)
		if s.m.ID != nil {
			c.ids = append(c.ids, s.m.ID[i])
		} else {
			c.ids = append(c.ids, uint64(i))
		}
		if moves {
			c.v = append(c.v, w.three(s.p.V[i])...)
		}
		if wide {
			c.width = append(c.width, s.m.Size[i]*float32(w.sp.scale))
		}
	}
	more := f.numbers(w, s)
	for g, c := range list {
		for _, a := range more {
			own := frame.Attribute{Name: a.Name, Unit: a.In(), V: []float32{}}
			for i, v := range a.V {
				if s.group[i] == g {
					own.V = append(own.V, v)
				}
			}
			c.more = append(c.more, own)
		}
	}
	return list, nil
}

// numbers are the attributes that go along.
func (f *flock) numbers(w *work, s *swarm) (out []frame.Attribute) {
	for _, a := range s.p.Extra {
		if a.Name == "id" || a.Name == "id_high" || a.Name == "size" || !val.PointNumbers.Of(w.Settings) || len(f.chosen) > 0 && !slices.Contains(f.chosen, a.Name) {
			continue
		}
		out = append(out, a)
	}
	n := len(s.p.P)
	column := func(name string, of func(i int) float32) {
		a := frame.Attribute{Name: name, V: make([]float32, n)}
		for i := range a.V {
			a.V[i] = of(i)
		}
		out = append(out, a)
	}
	if f.as == "named" {
		column("mesh", func(i int) float32 { return float32(s.m.Kind(i)) })
		turns := make([]geom.Quat, n)
		for i := range turns {
			turns[i] = w.sp.turn(s.m.Stands(i)).Quat()
		}
		for c, name := range []string{"orient_x", "orient_y", "orient_z", "orient_w"} {
			column(name, func(i int) float32 {
				return float32([4]float64{turns[i].X, turns[i].Y, turns[i].Z, turns[i].W}[c])
			})
		}
	}
	if val.PointColours.Of(w.Settings) {
		for c, name := range []string{"red", "green", "blue"} {
			column(name, func(i int) float32 { return float32(s.m.Colour(s.lk, i)[c]) })
		}
	}
	return out
}

// bodies are a frame's particles as meshes, by group.
func (f *flock) bodies(w *work, number int) ([]body, error) {
	s, err := f.read(w, number)
	if err != nil {
		return nil, err
	}
	list := make([]body, len(f.names))
	moves := s.p.V != nil && val.PointVelocity.Of(w.Settings)
	tinted := val.PointColours.Of(w.Settings)
	for g := range list {
		list[g] = body{name: f.names[g], mesh: &geom.Mesh{}}
		if moves {
			list[g].v = []float32{}
		}
		if tinted {
			list[g].mesh.Colour = []geom.Vec3{}
		}
	}
	for i, x := range s.p.P {
		b := &list[s.group[i]]
		of := s.m.Shape.Meshes[s.m.Kind(i)]
		first, at, turn, size := int32(len(b.mesh.P)), geom.V(float64(x[0]), float64(x[1]), float64(x[2])), s.m.Stands(i), float64(s.m.Size[i])
		colour := s.m.Colour(s.lk, i)
		for _, q := range of.P {
			b.mesh.P = append(b.mesh.P, turn.Apply(q.Mul(size)).Add(at))
			if moves {
				b.v = append(b.v, s.p.V[i][:]...)
			}
			if tinted {
				b.mesh.Colour = append(b.mesh.Colour, geom.V(colour[0], colour[1], colour[2]))
			}
		}
		for _, t := range of.Tri {
			b.mesh.Tri = append(b.mesh.Tri, [3]int32{t[0] + first, t[1] + first, t[2] + first})
		}
		if len(b.mesh.Tri) > geom.MaxTriangles {
			return nil, fmt.Errorf("frame %d would have over %d triangles; hand over points that name a mesh, or draw particles as something simpler", number, geom.MaxTriangles)
		}
	}
	for g := range list {
		list[g] = w.placed(list[g])
	}
	return list, nil
}

// particles writes particles.
func (w *work) particles(ctx context.Context, frames []int, number map[int]int) error {
	can := func(f *format.Format) bool { return f.WritePoints != nil }
	f, err := w.flock(frames)
	if err != nil {
		return err
	}
	if f.as == "meshes" {
		can = func(f *format.Format) bool { return f.WriteMesh != nil }
	}
	kind, err := w.format(val.PointFile.Of(w.Settings), can)
	if err != nil {
		return err
	}
	w.m.Notes = append(w.m.Notes, "particles keep their identity (id) from frame to frame, whatever their order; those that died in a frame are left out of it")
	if f.as == "named" {
		if err := w.instances(f, frames[0]); err != nil {
			return err
		}
	}
	if kind.Film {
		return w.movie(ctx, frames, f.names, func(n int) ([]still, error) { return f.stills(w, n) })
	}
	return w.numbered(ctx, frames, number, kind, func(n int, _ grid.Crew) (out []piece, err error) {
		if f.as == "meshes" {
			list, err := f.bodies(w, n)
			if err != nil {
				return nil, err
			}
			if val.MeshSplit.Of(w.Settings) == "one" && len(list) > 1 {
				list = []body{merged(list)}
			}
			for _, b := range list {
				out = append(out, b)
			}
			return out, nil
		}
		list, err := f.clouds(w, n)
		if err != nil {
			return nil, err
		}
		if val.MeshSplit.Of(w.Settings) == "one" && len(list) > 1 {
			list = []*cloud{joined(list)}
		}
		for _, c := range list {
			c.unit, c.per = w.unit(), w.perFrame()
			out = append(out, c)
		}
		return out, nil
	})
}

// stills are a frame's objects of a film.
func (f *flock) stills(w *work, number int) (out []still, err error) {
	if f.as == "meshes" {
		list, err := f.bodies(w, number)
		for _, b := range list {
			out = append(out, still{b.name, abc.Mesh, b.sample()})
		}
		return out, err
	}
	list, err := f.clouds(w, number)
	for _, c := range list {
		s := &abc.Sample{P: c.p, V: c.v, IDs: c.ids, Widths: c.width}
		for _, a := range c.more {
			s.Extra = append(s.Extra, abc.Extra{Name: a.Name, Comps: 1, V: a.V})
		}
		out = append(out, still{c.name, abc.Points, s})
	}
	return out, err
}

// instances writes the meshes that points name, each with its longest side one unit but for
// the domain's proportions: a point's size is what it is multiplied by.
func (w *work) instances(f *flock, number int) error {
	s, err := f.read(w, number)
	if err != nil {
		return err
	}
	obj := format.Of("obj")
	for n, m := range s.m.Shape.Meshes {
		m := &geom.Mesh{P: slices.Clone(m.P), Tri: m.Tri}
		for i, p := range m.P {
			m.P[i] = geom.FromArray(w.sp.Dir(p.Array()))
		}
		b := body{name: "mesh", mesh: m}
		if w.sp.Mirrors() {
			b.mesh.Tri = slices.Clone(m.Tri)
			for i, t := range b.mesh.Tri {
				b.mesh.Tri[i] = [3]int32{t[0], t[2], t[1]}
			}
		}
		name := path.Join("meshes", fmt.Sprintf("%s_mesh_%d.obj", w.Name, n))
		w.m.Meshes = append(w.m.Meshes, name)
		if w.again(name, nil) {
			continue
		}
		if err := w.file(name, number, entry{}, func(to io.Writer) error { return b.encode(to, obj) }, func(data []byte) error { return b.check(data, obj) }); err != nil {
			return err
		}
	}
	w.m.Notes = append(w.m.Notes, "“mesh” of a point is the number of one of the files under meshes, “orient_x…w” the quaternion by which it is turned, and its size what that is multiplied by")
	return nil
}
