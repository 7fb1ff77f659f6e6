package stage

// Emitters that are fed by another domain's frames: reading a frame, making of a
// channel how strongly each place feeds, and placing sequences from outside.

import (
	"errors"
	"fmt"
	"math"

	"zarf/core/frame"
	"zarf/core/geom"
	"zarf/core/grid"
	"zarf/core/shot"
	"zarf/core/shot/val"
	"zarf/core/sim"
)

// fedFrame is a frame of a domain that feeds this one, ready to be sampled.
// One is kept for each emitter: substeps of a frame ask for the same one.
type fedFrame struct {
	frame int
	src   *sim.Source
}

// ErrOver says that a sequence has nothing at a frame: it begins later, or is
// over.
var ErrOver = errors.New("the sequence doesn't play at this frame")

// hotAll is the excess temperature, K, from which heat feeds fully.
const hotAll = 1000

// Source is the fluid that an emitter is fed by at the moment; nil where there is
// none, and where it can't be read, which is then the stage's fault.
// Before the shot's first frame nothing is kept, so pre-roll runs without feeds.
func (m *Moment) Source(e *shot.Element) *sim.Source { return m.source(e, val.FedWhere.Of) }

// Full is Source of how full the cells of a liquid are that feeds an emitter.
func (m *Moment) Full(e *shot.Element) *sim.Source {
	return m.source(e, func(val.Reader) string { return frame.Density })
}

func (m *Moment) source(e *shot.Element, channel func(val.Reader) string) *sim.Source {
	// The frame that is being made: its source has been made before, as the order of
	// domains has it. The small number takes what rounding adds to a whole one.
	c, number := m.Cast, int(math.Ceil(m.Frame-1e-9))
	d := c.Shot.Source(e)
	if d == nil || c.Feed == nil {
		return nil
	}
	if first, _ := c.Shot.Range(); number < first { // nothing is kept before
		return nil
	}
	if c.fed == nil {
		c.fed = map[string]*fedFrame{}
	}
	// a frame is read once, however many substeps ask for it
	if f := c.fed[e.ID]; f != nil && f.frame == number {
		return f.src
	}
	f, err := c.Feed(d, number)
	var src *sim.Source
	if err == nil {
		if src, err = sourceOf(f, channel(e)); err == nil {
			src.Over = c.Lasts()
		}
	}
	// No fault: the sequence has nothing to give at this frame.
	if errors.Is(err, ErrOver) {
		return nil
	}
	if err == nil && d.Kind == shot.Sequence {
		placed(src, d, float64(number))
	}
	if err != nil {
		if c.fault == nil {
			// The first fault stays and ends the frame; Source itself has no error
			// to give.
			c.fault = fmt.Errorf("%s is fed by %s: %w", e.Name, d.Name, err)
		}
		return nil
	}
	c.fed[e.ID] = &fedFrame{number, src}
	return src
}

// fedBy lists what feeds the domain, sequences too.
func (c *Cast) fedBy() (out []*shot.Element) {
	if by := c.Shot.Carrier(c.Domain); by != nil {
		out = append(out, by)
	}
	for _, e := range c.Bound() {
		if src := c.Shot.FedBy(e, c.Domain); src != nil {
			out = append(out, src)
		}
		if src := c.Shot.ClothFor(e, c.Domain); src != nil {
			out = append(out, src)
		}
		if e.Kind == shot.Sensor {
			if src := c.Shot.Senses(e, c.Domain); src != nil && src != c.Domain {
				out = append(out, src)
			}
		}
	}
	return out
}

// sourceOf reads a frame as a source. Where it lies is told by the file's own
// transform.
// A liquid's surface feeds by how quickly fullness changes, the others by their
// amounts.
func sourceOf(f *frame.Frame, channel string) (*sim.Source, error) {
	// How full a liquid's cells are stands in its density; the level set tells only
	// that it is a liquid.
	name := channel
	if channel == frame.Surface {
		name = frame.Density
	}
	c := f.Grid(name)
	if c == nil && channel == frame.Foam && f.Grid(frame.Surface) != nil { // a liquid without any just now
		return nil, ErrOver
	}
	if c == nil || (channel == frame.Surface && f.Grid(frame.Surface) == nil) {
		return nil, fmt.Errorf("its frames hold no %s", channel)
	}
	size := c.Transform.VoxelSize()
	h := size[0]
	// sampling divides by one voxel size
	if !c.Transform.Linear || math.Abs(size[1]-h) > 1e-6*h || math.Abs(size[2]-h) > 1e-6*h || !(h > 0) {
		return nil, fmt.Errorf("its voxels of %.3g × %.3g × %.3g m are no cubes", size[0], size[1], size[2])
	}
	// Leaves and not active voxels: sampling looks a voxel beyond the last.
	low, n := leafBox(c)
	dims := [3]int{n.NX, n.NY, n.NZ}
	corner := geom.V(c.Transform.M[3][0], c.Transform.M[3][1], c.Transform.M[3][2]) // the centre of voxel 0
	src := &sim.Source{Share: grid.NewField(n), H: h, Origin: corner.Add(geom.V(float64(low[0])-0.5, float64(low[1])-0.5, float64(low[2])-0.5).Mul(h))}
	err := c.Dense(low, dims, [][]float32{src.Share.Data})
	if err != nil {
		return nil, err
	}
	if channel == frame.Temperature {
		for i := range src.Share.Data {
			src.Share.Data[i] /= hotAll
		}
	}
	if channel == frame.Surface {
		src.Share = rim(src.Share)
	}
	if v := f.Grid(frame.Velocity); v != nil {
		src.Motion, err = onLattice(v, c.Transform, low, n)
	}
	if v := f.Grid(frame.Push); v != nil && err == nil {
		src.Push, err = onLattice(v, c.Transform, low, n)
	}
	if err != nil {
		return nil, err
	}
	return src, nil
}

// onLattice is a vector grid over a box of voxels that another transform places; between its own
// voxels where those are others, as where only smoke is kept finer. Of a lattice that isn't made
// of cubes there is nothing.
func onLattice(v *frame.Grid, as frame.Transform, low [3]int, n grid.Dims) (out [3]*grid.Field, err error) {
	dense := func(low [3]int, n grid.Dims) (fields [3]*grid.Field, err error) {
		var parts [][]float32
		for a := range fields {
			fields[a] = grid.NewField(n)
			parts = append(parts, fields[a].Data)
		}
		return fields, v.Dense(low, [3]int{n.NX, n.NY, n.NZ}, parts)
	}
	if v.Transform.M == as.M {
		return dense(low, n)
	}
	h, own := as.VoxelSize(), v.Transform.VoxelSize()
	if !v.Transform.Linear || math.Abs(own[1]-own[0]) > 1e-6*own[0] || math.Abs(own[2]-own[0]) > 1e-6*own[0] || !(own[0] > 0) {
		return out, nil
	}
	from, d := leafBox(v)
	coarse, err := dense(from, d)
	if err != nil {
		return out, err
	}
	for a := range out {
		out[a] = grid.NewField(n)
	}
	// from voxels of the one to voxels of the other, centres at whole numbers
	place := func(axis, i int) float32 {
		at := as.M[3][axis] + float64(low[axis]+i)*h[axis]
		return float32((at-v.Transform.M[3][axis])/own[0] - float64(from[axis]))
	}
	for k := range n.NZ {
		for j := range n.NY {
			for i := range n.NX {
				x, y, z := place(0, i), place(1, j), place(2, k)
				for a := range out {
					out[a].Data[n.Index(i, j, k)] = coarse[a].Sample(x, y, z)
				}
			}
		}
	}
	return out, nil
}

// rim is how much of a liquid's surface cells hold, from how full they and
// their neighbours are: 1 where that changes by two thirds and more.
func rim(full *grid.Field) *grid.Field {
	out := grid.NewField(full.Dims)
	n := [3]int{full.NX, full.NY, full.NZ}
	step := [3]int{1, full.NX, full.NX * full.NY}
	for c, v := range full.Data {
		at := [3]int{c % n[0], c / n[0] % n[1], c / (n[0] * n[1])}
		// The steepest change to one of six neighbours.
		var most float32
		for a := range 3 {
			if at[a] > 0 {
				most = max(most, v-full.Data[c-step[a]], full.Data[c-step[a]]-v)
			}
			if at[a] < n[a]-1 {
				most = max(most, v-full.Data[c+step[a]], full.Data[c+step[a]]-v)
			}
		}
		out.Data[c] = min(1.5*most, 1)
	}
	return out
}

// leafBox is the box of a grid's leaves, in voxels; one block where it is
// empty.
func leafBox(g *frame.Grid) (low [3]int, n grid.Dims) {
	if len(g.Leaves) == 0 {
		return low, grid.Dims{NX: 8, NY: 8, NZ: 8}
	}
	hi := [3]int{math.MinInt, math.MinInt, math.MinInt}
	low = [3]int{math.MaxInt, math.MaxInt, math.MaxInt}
	for _, l := range g.Leaves {
		for a := range 3 {
			low[a], hi[a] = min(low[a], int(l.Origin[a])), max(hi[a], int(l.Origin[a])+8)
		}
	}
	return low, grid.Dims{NX: hi[0] - low[0], NY: hi[1] - low[1], NZ: hi[2] - low[2]}
}

// placed moves a source of a sequence to where the shot has it: scaled about
// the origin, then shifted. Its velocities go along.
func placed(src *sim.Source, e *shot.Element, at float64) {
	k := val.Scale.At(e, val.Frame(at))
	src.H *= k
	src.Origin = src.Origin.Mul(k).Add(geom.FromArray(val.Position.At(e, val.Frame(at))))
	// A thing twice as large at the same pace in frames moves twice as far.
	for _, m := range src.Motion {
		if m == nil || k == 1 {
			continue
		}
		for i := range m.Data {
			m.Data[i] *= float32(k)
		}
	}
}

// Lattice is what a frame's channels have on cells of one size: a box round all their
// leaves.
type Lattice struct {
	grid.Dims
	H      float64   // m
	Origin geom.Vec3 // the corner

	low  [3]int
	from *frame.Frame
	as   frame.Transform
}

// LatticeOf is that of the channels of a frame that lie on the cells of the first that is
// there; nil where none is.
func LatticeOf(f *frame.Frame, names ...string) (*Lattice, error) {
	var l *Lattice
	lo, hi := [3]int{math.MaxInt, math.MaxInt, math.MaxInt}, [3]int{math.MinInt, math.MinInt, math.MinInt}
	for _, name := range names {
		g := f.Grid(name)
		if g == nil {
			continue
		}
		if l == nil {
			size := g.Transform.VoxelSize()
			if h := size[0]; !g.Transform.Linear || math.Abs(size[1]-h) > 1e-6*h || math.Abs(size[2]-h) > 1e-6*h || !(h > 0) {
				return nil, fmt.Errorf("its voxels of %.3g × %.3g × %.3g m are no cubes", size[0], size[1], size[2])
			}
			l = &Lattice{H: size[0], from: f, as: g.Transform}
		}
		if g.Transform.M != l.as.M {
			continue
		}
		low, n := leafBox(g)
		for a, n := range [3]int{n.NX, n.NY, n.NZ} {
			lo[a], hi[a] = min(lo[a], low[a]), max(hi[a], low[a]+n)
		}
	}
	if l == nil {
		return nil, nil
	}
	l.low, l.Dims = lo, grid.Dims{NX: hi[0] - lo[0], NY: hi[1] - lo[1], NZ: hi[2] - lo[2]}
	m := l.as.M[3]
	l.Origin = geom.V(m[0], m[1], m[2]).Add(geom.V(float64(lo[0])-0.5, float64(lo[1])-0.5, float64(lo[2])-0.5).Mul(l.H))
	return l, nil
}

// Read is a channel, a field for each component, at the cells' middles; none where the
// frame hasn't got it on these cells. A liquid's surface is how much of it cells hold.
func (l *Lattice) Read(name string) ([]*grid.Field, error) {
	from := name
	if name == frame.Surface {
		from = frame.Density
	}
	g := l.from.Grid(from)
	if g == nil || g.Transform.M != l.as.M || l.from.Grid(name) == nil {
		return nil, nil
	}
	var out []*grid.Field
	var parts [][]float32
	for range g.Type.Components() {
		f := grid.NewField(l.Dims)
		out, parts = append(out, f), append(parts, f.Data)
	}
	if err := g.Dense(l.low, [3]int{l.NX, l.NY, l.NZ}, parts); err != nil {
		return nil, err
	}
	if name == frame.Surface {
		out[0] = rim(out[0])
	}
	return out, nil
}

// Fed reads a frame of what feeds the stage: nil before the shot's first frame, where
// nothing is kept, where a sequence has nothing to give, and where it can't be had, which
// is then the stage's fault.
func (c *Cast) Fed(by *shot.Element, number int) *frame.Frame {
	if first, _ := c.Shot.Range(); by == nil || c.Feed == nil || number < first {
		return nil
	}
	f, err := c.Feed(by, number)
	if err != nil {
		c.Failed(err, by)
		return nil
	}
	return f
}

// Failed makes what went wrong with a frame of what feeds the stage its fault, if it has
// none yet.
func (c *Cast) Failed(err error, by *shot.Element) {
	if err != nil && !errors.Is(err, ErrOver) && c.fault == nil {
		c.fault = fmt.Errorf("%s is fed by %s: %w", c.Domain.Name, by.Name, err)
	}
}

// Other is a channel of another frame on the cells of this lattice, 0 where that has
// nothing; nil where it hasn't got the channel on such cells.
func (l *Lattice) Other(f *frame.Frame, name string) (*grid.Field, error) {
	o := *l
	o.from = f
	out, err := o.Read(name)
	if len(out) != 1 || err != nil {
		return nil, err
	}
	return out[0], nil
}
