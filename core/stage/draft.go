package stage

import (
	"bytes"
	"errors"
	"fmt"
	"io"
	"math"
	"runtime"

	"zarf/core/format/vdb"
	"zarf/core/gas"
	"zarf/core/geom"
	"zarf/core/grid"
	"zarf/core/shot"
)

// Coarse is a copy of a shot with one of its domains made coarse and quick: a
// larger voxel, fewer and longer substeps, a looser pressure. A take of it is
// what a draft shows.
func Coarse(s *shot.Shot, domain string, voxel float64) (*shot.Shot, error) {
	c := s.Clone()
	d, err := PickDomain(c, domain)
	if err != nil {
		return nil, err
	}
	d.Values["voxel"] = shot.Num(max(voxel, d.Get("voxel").Num))
	most := func(key string, v float64) {
		d.Values[key] = shot.Num(max(v, d.Get(key).Num))
		delete(d.Keys, key)
		delete(d.Extras, key)
	}
	most("cfl", 3)
	most("tolerance", 3e-3)
	d.Values["min_substeps"] = shot.Num(1)
	d.Values["max_substeps"] = shot.Num(min(4, d.Get("max_substeps").Num))
	delete(d.Keys, "min_substeps")
	delete(d.Keys, "max_substeps")
	d.Values["upres"] = shot.Text("1")
	for _, e := range c.Of(shot.Turbulence) { // whirls under two voxels are lost and cost the most
		n := 1 + math.Floor(math.Log2(max(1, e.Get("size").Num/(2*d.Get("voxel").Num))))
		e.Values["octaves"] = shot.Num(max(1, min(e.Get("octaves").Num, n)))
		delete(e.Keys, "octaves")
		delete(e.Extras, "octaves")
	}
	return c, nil
}

// CoarseVoxel is the voxel size, m, with which a domain has about so many
// voxels; never finer than its own.
func CoarseVoxel(d *shot.Element, voxels float64) float64 {
	size := d.Get("size").Vec
	h := math.Cbrt(size[0] * size[1] * size[2] / max(voxels, 1))
	if d.Get("flat").Flag {
		h = math.Sqrt(size[0] * size[1] / max(voxels, 1))
	}
	// never so coarse that a side has less than six voxels
	h = min(h, min(size[0], size[1])/6)
	return max(shot.Tidy(h), d.Get("voxel").Num)
}

// Draft is a coarse simulation that is watched while its values change.
type Draft struct {
	H      float64 // voxel size, m
	domain string
	run    drafted
	crew   grid.Crew
	good   []byte // a state to go back to
	at     int    // the frame that follows it
}

// drafted is a stage that can be watched.
type drafted interface {
	Runner
	load(r io.Reader, own bool) error
	base() *cast
	shown() Shown
}

func (g *cast) base() *cast { return g }

func newDrafted(s *shot.Shot, domain string, crew grid.Crew) (drafted, error) {
	r, err := New(s, domain, crew)
	if err != nil {
		return nil, err
	}
	return r.(drafted), nil
}

// goodEvery is how many frames apart states are kept to go back to.
const goodEvery = 12

// NewDraft begins a draft before the first frame.
func NewDraft(s *shot.Shot, domain string, voxel float64, crew grid.Crew) (*Draft, error) {
	c, err := Coarse(s, domain, voxel)
	if err != nil {
		return nil, err
	}
	g, err := newDrafted(c, domain, crew)
	if err != nil {
		return nil, err
	}
	d := &Draft{H: g.base().h, domain: domain, run: g, crew: crew}
	return d, d.remember()
}

// remember keeps the state as one to go back to.
func (d *Draft) remember() error {
	var b bytes.Buffer
	err := d.run.SaveState(&b)
	d.good, d.at = b.Bytes(), d.run.Next()
	return err
}

// Feed tells the draft where frames of the domains that feed it are.
func (d *Draft) Feed(read func(e *shot.Element, frame int) (*vdb.File, error)) { d.run.FedBy(read) }

// Next is the frame that Advance makes next.
func (d *Draft) Next() int { return d.run.Next() }

// Voxels is the number of voxels within the domain's limit.
func (d *Draft) Voxels() float64 { return d.run.Of().Voxels() }

// Change gives the draft other values: they act from the next substep on. What
// the grid is made from can't change under way: restarts says so, and leaves
// the draft as it was.
func (d *Draft) Change(s *shot.Shot) (restarts bool, err error) {
	c, err := Coarse(s, d.domain, d.H)
	if err != nil {
		return false, err
	}
	g := d.run.base()
	old := g.Shot
	to, err := PickDomain(c, d.domain)
	if err != nil {
		return false, err
	}
	for _, key := range []string{"rate", "preroll", "first", "air_temperature"} {
		if old.Get(key) != c.Get(key) {
			return true, nil
		}
	}
	if to.ID != g.Domain.ID {
		return true, nil
	}
	for _, e := range shot.Entries(shot.Domain) {
		structural := e.Fixed != "" || e.Key == "bounds" || e.Key == "flat" || e.Key == "fluid" || e.Key == "burning" || len(e.Key) > 5 && e.Key[:5] == "side_"
		if structural && e.Key != "upres_seed" && !e.Same(g.Domain.Get(e.Key), to.Get(e.Key)) {
			return true, nil
		}
	}
	clear(g.lines)
	g.Shot, g.Domain, g.fault = c, to, nil
	return false, nil
}

// ErrBlown says that a draft blew up.
var ErrBlown = errors.New("the draft blew up")

// Advance makes one frame. Where the solver blows up, the draft goes back to
// the last good state, ErrBlown says why, and the draft can go on once a value
// was changed.
func (d *Draft) Advance(stop func() bool) (int, gas.FrameStats, error) {
	frame, st, err := d.run.Advance(stop)
	if errors.Is(err, gas.ErrStopped) {
		return frame, st, err
	}
	if err == nil && (math.IsNaN(st.MaxSpeed) || math.IsInf(st.MaxSpeed, 0)) {
		err = fmt.Errorf("frame %d: speeds are not finite", frame)
	}
	if err != nil {
		back := d.back()
		return frame, st, errors.Join(fmt.Errorf("%w: %w; it stands at frame %d again", ErrBlown, err, d.run.Next()-1), back)
	}
	if d.run.Next()-d.at >= goodEvery {
		err = d.remember()
	}
	return frame, st, err
}

// back loads the state kept last.
func (d *Draft) back() error {
	old := d.run.base()
	g, err := newDrafted(old.Shot, d.domain, d.crew)
	if err != nil {
		return err
	}
	if err := g.load(bytes.NewReader(d.good), false); err != nil {
		return err
	}
	g.FedBy(old.Feed)
	d.run = g
	return nil
}

// Shown is what a picture of the frame made last needs; heat and burn are nil
// where nothing burns. Of a liquid it is the distance to its surface, m, beyond
// Outside cut off; the others are nil.
type Shown struct {
	Surface *grid.Field
	Outside float64

	Density, Burn, Heat *grid.Field
	Origin              geom.Vec3 // corner of the fields
	H                   float64   // m
}

// Shown gives the frame made last; its fields may change with the next step.
func (d *Draft) Shown() Shown { return d.run.shown() }

func (l *Liquid) shown() Shown {
	lat := l.surface()
	f := &grid.Field{Dims: grid.Dims{NX: lat.N[0], NY: lat.N[1], NZ: lat.N[2]}, Data: lat.V}
	return Shown{Surface: f, Outside: band * lat.H, Origin: l.Solver.Origin, H: lat.H}
}

func (g *Gas) shown() Shown {
	s := g.Solver
	defer runtime.KeepAlive(s)
	field := func(f *grid.Field) *grid.Field {
		out := grid.NewField(s.Dims) // copied: the solver's own may be mapped memory
		copy(out.Data, g.visible(f))
		return out
	}
	out := Shown{Density: field(s.Smoke), H: s.H, Origin: s.Limit.Origin.Add(geom.V(float64(s.Low[0]), float64(s.Low[1]), float64(s.Low[2])).Mul(s.H))}
	if s.Burn != nil {
		out.Burn, out.Heat = field(s.Burn), field(s.Heat)
	}
	return out
}
