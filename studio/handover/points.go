package handover

import (
	"context"
	"fmt"
	"io"
	"os"
	"path"
	"slices"

	"zarf/core/format"
	"zarf/core/format/abc"
	"zarf/core/format/ply"
	"zarf/core/frame"
	"zarf/core/geom"
	"zarf/core/grid"
	"zarf/core/shot/val"
	"zarf/core/stage"
	"zarf/studio/run"
)

// cloud is the points of a group at a frame, in the receiver's space.
type cloud struct {
	name         string
	p, v         []float32
	depth, width []float32
	ids          []uint64          // nil: they have none
	more         []frame.Attribute // of particles that live on their own
	unit         string            // for the file's head
	per          float32           // what velocities are multiplied by
}

func (c *cloud) label() string { return c.name }

// groups of points by depth under the surface, in voxels.
var depths = []struct {
	name string
	from float64
}{{"spray", -1e30}, {"surface", -1}, {"inside", 1}}

// points writes a liquid's particles.
func (w *work) points(ctx context.Context, frames []int, number map[int]int) error {
	if solver := stage.Of(w.src.Domain); solver == nil || !solver.Points {
		return fmt.Errorf("%s holds %s, which has no particles: hand over volumes, or choose a liquid's take", w.src.Domain.Name, w.src.Domain.Fluid().Word)
	}
	if err := w.have(frames); err != nil {
		return err
	}
	w.m.Axes, w.m.Scale = w.sp.name, w.sp.scale
	if stage.Of(w.src.Domain).Loose {
		return w.particles(ctx, frames, number)
	}
	if by := val.PointGroups.Of(w.Settings); by != "one" && by != "depth" && by != "foam" {
		return fmt.Errorf("the points of a liquid are grouped by depth, by what they are, or not at all; choose one of these groups")
	}
	kind, err := w.format(val.PointFile.Of(w.Settings), func(f *format.Format) bool { return f.WritePoints != nil })
	if err != nil {
		return err
	}
	w.m.Notes = append(w.m.Notes, "particles of the liquid have no identity: their order changes from frame to frame, so a receiver blurs them by velocity; drops of foam have one, from 1 on")
	names := w.groupNames()
	w.m.Objects = names
	if kind.Film {
		return w.movie(ctx, frames, names, func(f int) ([]still, error) {
			list, err := w.clouds(f)
			var out []still
			for _, c := range list {
				s := &abc.Sample{P: c.p, V: c.v, Widths: c.width}
				if c.depth != nil {
					s.Extra = []abc.Extra{{Name: "depth", Comps: 1, V: c.depth}}
				}
				for _, a := range c.more {
					s.Extra = append(s.Extra, abc.Extra{Name: a.Name, Comps: 1, V: a.V})
				}
				if !slices.Contains(c.ids, 0) { // all of them foam
					s.IDs = c.ids
				}
				out = append(out, still{c.name, abc.Points, s})
			}
			return out, err
		})
	}
	return w.numbered(ctx, frames, number, kind, func(f int, _ grid.Crew) (out []piece, err error) {
		list, err := w.clouds(f)
		if err != nil {
			return nil, err
		}
		if val.MeshSplit.Of(w.Settings) == "one" {
			list = []*cloud{joined(list)}
		}
		for _, c := range list {
			c.unit, c.per = w.unit(), w.perFrame()
			out = append(out, c)
		}
		return out, nil
	})
}

// format is the file that was chosen, if it can hold what is asked of it.
func (w *work) format(key string, can func(f *format.Format) bool) (*format.Format, error) {
	kind := format.Of(key)
	if kind == nil || !kind.Film && !can(kind) {
		return nil, fmt.Errorf("%s can't be written as “%s”; choose another file", w.What(), key)
	}
	if kind.Metric && (val.Axes.Of(w.Settings) != "y-up" || w.sp.scale != 1) {
		return nil, fmt.Errorf("%s is y up, right-handed and in metres by its standard; the handover asks for %s, %g units per metre. Choose those, or another file", kind.Name, w.sp.name, w.sp.scale)
	}
	return kind, nil
}

// piece is what a frame's file holds.
type piece interface {
	label() string
	said() []Channel
	encode(to io.Writer, kind *format.Format) error
	check(data []byte, kind *format.Format) error
}

// numbered writes a file a frame, or one for each of its pieces.
func (w *work) numbered(ctx context.Context, frames []int, number map[int]int, kind *format.Format, read func(f int, crew grid.Crew) ([]piece, error)) error {
	return w.lanes(ctx, frames, func(f int, crew grid.Crew) (bool, error) {
		list, err := read(f, crew)
		if err != nil {
			return false, err
		}
		before := true
		for _, p := range list {
			name := w.Name
			if len(list) > 1 {
				name += "_" + p.label()
			}
			to := path.Join(kind.Key, Numbered(name, number[f], w.m.Digits, kind.Key))
			if w.again(to, nil) {
				continue
			}
			before = false
			if err := w.file(to, f, entry{Channels: p.said()}, func(o io.Writer) error { return p.encode(o, kind) }, func(b []byte) error { return p.check(b, kind) }); err != nil {
				return false, err
			}
		}
		return before, nil
	})
}

// perFrame is what velocities in a second are multiplied by.
func (w *work) perFrame() float32 {
	if val.MotionPer.Of(w.Settings) == "frame" {
		return float32(1 / w.Take.Rate())
	}
	return 1
}

func (w *work) unit() string {
	per := "a second"
	if w.perFrame() != 1 {
		per = "a frame"
	}
	return fmt.Sprintf("%g units a metre, %s; velocity in units %s", w.sp.scale, w.sp.name, per)
}

// clouds reads a frame's particles by group.
func (w *work) clouds(number int) ([]*cloud, error) {
	b, err := w.src.Stage.ReadPoints(number)
	if err != nil {
		return nil, err
	}
	if b == nil {
		return nil, fmt.Errorf("frame %d holds no particles; let %s keep particles in its cache and run again", number, w.src.Domain.Name)
	}
	p, err := ply.DecodePoints(b)
	if err != nil {
		return nil, fmt.Errorf("frame %d: %w", number, err)
	}
	under, err := w.under(number)
	if err != nil {
		return nil, err
	}
	_, voxel, _ := w.src.Grid()
	wide := voxel / 2 * w.sp.scale
	if val.CachePoints.Of(w.src.Domain) == "few" { // one stands for eight
		wide *= 2
	}
	by := val.PointGroups.Of(w.Settings)
	list := w.groups(p.V != nil, val.PointDepth.Of(w.Settings))
	kind, numbers, ids := p.Of("kind"), []frame.Attribute{}, p.IDs()
	if kind == nil || !val.PointNumbers.Of(w.Settings) {
		ids = nil
	} else {
		numbers = []frame.Attribute{{Name: "kind", V: kind}, {Name: "age", V: p.Of("age")}}
	}
	for _, c := range list {
		c.carry(numbers, ids != nil)
	}
	for n, x := range p.P {
		depth := under(x)
		c := list[0]
		switch {
		case by == "foam" && kind != nil:
			c = list[min(max(int(kind[n]), 0), len(list)-1)]
		case by == "depth":
			for i := range list[1:] { // the deepest group that it lies in
				if depth > depths[i+1].from*voxel {
					c = list[i+1]
				}
			}
		}
		for m := range c.more {
			c.more[m].V = append(c.more[m].V, numbers[m].V[n])
		}
		if c.ids != nil {
			c.ids = append(c.ids, ids[n])
		}
		c.put(w, p, n, depth, wide)
	}
	return list, nil
}

// put adds point n of a frame.
func (c *cloud) put(w *work, p *frame.Points, n int, depth, wide float64) {
	c.p = append(c.p, w.three(p.P[n])...)
	if c.v != nil {
		c.v = append(c.v, w.three(p.V[n])...)
	}
	if c.depth != nil {
		c.depth = append(c.depth, float32(depth*w.sp.scale))
	}
	if c.width != nil {
		c.width = append(c.width, float32(wide))
	}
}

// carry gives a cloud room for further numbers, and for identities.
func (c *cloud) carry(numbers []frame.Attribute, ids bool) {
	for _, a := range numbers {
		c.more = append(c.more, frame.Attribute{Name: a.Name, V: []float32{}})
	}
	if ids {
		c.ids = []uint64{}
	}
}

// under tells how deep a place lies under the liquid's surface, m, where that is asked for; else
// 0.
func (w *work) under(number int) (func(x [3]float32) float64, error) {
	if val.PointGroups.Of(w.Settings) != "depth" && !val.PointDepth.Of(w.Settings) {
		return func([3]float32) float64 { return 0 }, nil
	}
	f, err := w.src.ReadOnly(number, "surface")
	if err != nil {
		return nil, err
	}
	phi, h, _, err := w.src.Surface(f)
	if err != nil {
		return nil, fmt.Errorf("frame %d: %w", number, err)
	}
	_, _, origin := w.src.Grid()
	return func(x [3]float32) float64 {
		q := geom.V(float64(x[0]), float64(x[1]), float64(x[2])).Sub(origin).Mul(1 / h)
		return -float64(phi.Sample(float32(q.X)-0.5, float32(q.Y)-0.5, float32(q.Z)-0.5))
	}, nil
}

// three takes a place or a vector into the receiver's space.
func (w *work) three(v [3]float32) []float32 {
	u := w.sp.place([3]float64{float64(v[0]), float64(v[1]), float64(v[2])})
	return []float32{float32(u[0]), float32(u[1]), float32(u[2])}
}

// kinds are the groups of a liquid's points by what they are, in the order of their attribute
// "kind".
var kinds = []string{"liquid", "spray", "foam", "bubbles"}

// groupNames are those of the groups that a liquid's points go into.
func (w *work) groupNames() []string {
	switch val.PointGroups.Of(w.Settings) {
	case "foam":
		return kinds
	case "depth":
		var names []string
		for _, d := range depths {
			names = append(names, d.name)
		}
		return names
	}
	return []string{"points"}
}

// groups are the clouds that points go into, empty, with the channels that they
// will have: an empty group has the same ones as the others.
func (w *work) groups(moving, depth bool) (list []*cloud) {
	for _, name := range w.groupNames() {
		c := &cloud{name: name, p: []float32{}}
		if moving && val.PointVelocity.Of(w.Settings) {
			c.v = []float32{}
		}
		if depth {
			c.depth = []float32{}
		}
		if val.PointSize.Of(w.Settings) {
			c.width = []float32{}
		}
		list = append(list, c)
	}
	return list
}

func joined(list []*cloud) *cloud {
	out := &cloud{name: "points"}
	for _, c := range list {
		out.p, out.v = append(out.p, c.p...), append(out.v, c.v...)
		out.depth, out.width = append(out.depth, c.depth...), append(out.width, c.width...)
		out.ids = append(out.ids, c.ids...)
		for n, a := range c.more {
			if len(out.more) <= n {
				out.more = append(out.more, frame.Attribute{Name: a.Name, Unit: a.Unit})
			}
			out.more[n].V = append(out.more[n].V, a.V...)
		}
	}
	return out
}

func (c *cloud) said() (out []Channel) {
	add := func(name, holds, unit string, v []float32) {
		if len(v) == 0 {
			return
		}
		s := Channel{Name: name, Holds: holds, Type: "float", Unit: unit, Low: float64(v[0]), High: float64(v[0])}
		for _, x := range v {
			s.Low, s.High = min(s.Low, float64(x)), max(s.High, float64(x))
		}
		out = append(out, s)
	}
	add("place", "place", "units", c.p)
	add("velocity", "velocity", "units per second", c.v)
	add("depth", "depth under the surface", "units", c.depth)
	add("size", "diameter", "units", c.width)
	for _, a := range c.more {
		add(a.Name, a.Name, a.In(), a.V)
	}
	if c.ids != nil {
		out = append(out, Channel{Name: "id", Holds: "identity", Type: "integer"})
	}
	return out
}

func (c *cloud) encode(to io.Writer, kind *format.Format) error {
	p := &frame.Points{Comment: c.unit}
	three := func(v []float32, k float32) (out [][3]float32) {
		for n := 0; n+2 < len(v); n += 3 {
			out = append(out, [3]float32{v[n] * k, v[n+1] * k, v[n+2] * k})
		}
		return out
	}
	p.P = three(c.p, 1)
	if c.v != nil {
		p.V = three(c.v, c.per)
	}
	if c.depth != nil {
		p.Extra = append(p.Extra, frame.Attribute{Name: "depth", V: c.depth})
	}
	if c.width != nil {
		p.Extra = append(p.Extra, frame.Attribute{Name: "size", V: c.width})
	}
	if c.ids != nil {
		low, high := frame.Attribute{Name: "id", V: make([]float32, len(c.ids))}, frame.Attribute{Name: "id_high", V: make([]float32, len(c.ids))}
		for n, id := range c.ids {
			low.V[n], high.V[n] = float32(id&(1<<24-1)), float32(id>>24)
		}
		if p.Extra = append(p.Extra, low); len(c.ids) > 0 && slices.Max(c.ids)>>24 > 0 {
			p.Extra = append(p.Extra, high)
		}
	}
	p.Extra = append(p.Extra, c.more...)
	return kind.WritePoints(to, p)
}

// check reads a file of points back.
func (c *cloud) check(b []byte, kind *format.Format) error {
	if kind.Points == nil { // the hash was compared
		return nil
	}
	p, err := kind.Points(b)
	if err != nil {
		return err
	}
	if n := len(c.p) / 3; len(p.P) != n {
		return fmt.Errorf("it holds %d points, %d were written", len(p.P), n)
	}
	return nil
}

// still is an object at a frame.
type still struct {
	name string
	kind abc.Kind
	s    *abc.Sample
}

// movie writes Alembic: one file, or one an object.
func (w *work) movie(ctx context.Context, frames []int, names []string, sample func(f int) ([]still, error)) error {
	files := map[string][]string{w.Name: names}
	if val.MeshSplit.Of(w.Settings) == "each" && len(names) > 1 {
		files = map[string][]string{}
		for _, n := range names {
			files[w.Name+"_"+n] = []string{n}
		}
	}
	done := true
	for name := range files {
		done = w.again(path.Join("abc", name+".abc"), nil) && done
	}
	if done {
		for _, f := range frames {
			w.tell(f, true)
		}
		return nil
	}
	w.m.Files, w.m.Channels = nil, nil
	outs := map[string]*reel{}
	defer func() {
		for _, o := range outs {
			o.f.Close()
			os.Remove(o.f.Name())
		}
	}()
	for name, has := range files {
		f, err := os.CreateTemp(w.Dir, ".part-*")
		if err != nil {
			return fmt.Errorf("handover folder: %w", err)
		}
		info := abc.Info{App: "Zarf", Note: w.Take.Name + ", " + w.unit(), Rate: w.Take.Rate() / float64(w.m.Step), First: float64(w.m.First)}
		outs[name] = &reel{f: f, w: abc.NewWriter(f, info), has: has, objs: map[string]*abc.Object{}}
	}
	for n, f := range frames {
		if ctx.Err() != nil {
			return fmt.Errorf("%w; an Alembic file is begun anew", run.ErrStopped)
		}
		list, err := sample(f)
		if err != nil {
			return err
		}
		for _, o := range outs {
			if err := o.add(list); err != nil {
				return err
			}
		}
		if n == 0 {
			for _, one := range list {
				w.m.Notes = append(w.m.Notes, fmt.Sprintf("object %s holds %d points at first", one.name, len(one.s.P)/3))
			}
		}
		w.tell(f, false)
	}
	for name, o := range outs {
		if err := o.w.Close(); err != nil {
			return fmt.Errorf("writing %s.abc: %w", name, err)
		}
		if err := w.file(path.Join("abc", name+".abc"), frames[0], entry{}, o.copy, func(b []byte) error { return checkMovie(b, len(frames)) }); err != nil {
			return err
		}
	}
	return nil
}

// reel is an Alembic file under way, under another name: its samples are known
// one after the other, and what holds them together last.
type reel struct {
	f    *os.File
	w    *abc.Writer
	has  []string // objects that it holds
	objs map[string]*abc.Object
}

// add gives the file's objects their next sample.
func (o *reel) add(list []still) error {
	for _, one := range list {
		if !slices.Contains(o.has, one.name) {
			continue
		}
		if o.objs[one.name] == nil {
			o.objs[one.name] = o.w.Object(one.name, one.kind)
		}
		if err := o.objs[one.name].Add(one.s); err != nil {
			return err
		}
	}
	return nil
}

// copy writes the finished file to where it belongs.
func (o *reel) copy(to io.Writer) error {
	if _, err := o.f.Seek(0, io.SeekStart); err != nil {
		return err
	}
	_, err := io.Copy(to, o.f)
	return err
}

// checkMovie reads every sample of an Alembic file.
func checkMovie(b []byte, frames int) error {
	a, err := abc.Decode(b)
	if err != nil {
		return err
	}
	for _, o := range a.Objects {
		if o.N != frames {
			return fmt.Errorf("object %s has %d samples, %d were written", o.Path, o.N, frames)
		}
		for i := range o.N {
			if _, err := o.Sample(i); err != nil {
				return err
			}
		}
	}
	if len(a.Objects) == 0 {
		return fmt.Errorf("it holds no object")
	}
	return nil
}
