package stage

import (
	"bytes"
	"errors"
	"fmt"
	"math"
	"slices"

	"zarf/core/frame"
	"zarf/core/geom"
	"zarf/core/grid"
	"zarf/core/shot"
	"zarf/core/shot/val"
	"zarf/core/sim"
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
	val.Voxel.Set(d, max(voxel, val.Voxel.Of(d)))
	// a keyed value is made constant: a draft that changed its own step would jerk
	still := func(e *shot.Element, k val.NumKey, v float64) {
		e.DropKeys(k)
		k.Set(e, v)
	}
	// particles bear longer steps than a grid does
	cfl := 3.0
	if Has(d, frame.Surface) {
		cfl = 5
	}
	still(d, val.Cfl, max(cfl, val.Cfl.Of(d)))
	still(d, val.Tolerance, max(3e-3, val.Tolerance.Of(d)))
	still(d, val.MinSubsteps, 1)
	still(d, val.MaxSubsteps, min(4, val.MaxSubsteps.Of(d)))
	if r := RefinementOf(d); r != nil {
		d.Reset(r.Switch)
	}
	if solver := Of(d); solver != nil && solver.Coarsen != nil {
		solver.Coarsen(c, d)
	}
	for _, e := range c.Of(shot.Turbulence) { // whirls under two voxels are lost and cost the most
		// octaves whose whirls are wider than two voxels
		n := 1 + math.Floor(math.Log2(max(1, val.Largest.Of(e)/(2*val.Voxel.Of(d)))))
		still(e, val.Octaves, max(1, min(val.Octaves.Of(e), n)))
	}
	return c, nil
}

// CoarseVoxel is the voxel size, m, with which a domain has about so many
// voxels; never finer than its own.
func CoarseVoxel(d *shot.Element, voxels float64) float64 {
	size := val.Size.Of(d)
	h := math.Cbrt(size[0] * size[1] * size[2] / max(voxels, 1))
	if val.Flat.Of(d) {
		h = math.Sqrt(size[0] * size[1] / max(voxels, 1))
	}
	// never so coarse that a side has less than six voxels
	// under six voxels across nothing looks like anything
	h = min(h, min(size[0], size[1])/6)
	return max(shot.Tidy(h), val.Voxel.Of(d))
}

// Draft is a coarse simulation that is watched while its values change.
type Draft struct {
	H      float64 // voxel size, m
	domain string
	run    Runner
	crew   grid.Crew
	good   []byte // a state to go back to
	at     int    // the frame that follows it
}

// goodEvery is how many frames apart states are kept to go back to.
const goodEvery = 12

// NewDraft begins a draft before the first frame.
func NewDraft(s *shot.Shot, domain string, voxel float64, crew grid.Crew) (*Draft, error) {
	c, err := Coarse(s, domain, voxel)
	if err != nil {
		return nil, err
	}
	g, err := New(c, domain, crew)
	if err != nil {
		return nil, err
	}
	d := &Draft{H: g.Base().H, domain: domain, run: g, crew: crew}
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
func (d *Draft) Feed(read Feed) { d.run.FedBy(read) }

// Of is the domain that is drafted.
func (d *Draft) Of() *shot.Element { return d.run.Of() }

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
	g := d.run.Base()
	old := g.Shot
	to, err := PickDomain(c, d.domain)
	if err != nil {
		return false, err
	}
	if to.ID != g.Domain.ID || rebuilt(old.Self, c.Self) || rebuilt(g.Domain, to) || remade(old, c, g.Domain, to) {
		return true, nil
	}
	// curves are worked out anew; meshes are kept by the library
	clear(g.lines)
	g.Shot, g.Domain, g.fault = c, to, nil
	return false, nil
}

// Refitter is a run that can go on from another's flow, in voxels of another size.
type Refitter interface {
	Refit(from Runner) error
}

// Refit goes on with the same flow in voxels of another size. Where the solver can't,
// ok is false and the draft is as it was.
func (d *Draft) Refit(s *shot.Shot, voxel float64) (ok bool, err error) {
	c, err := Coarse(s, d.domain, voxel)
	if err != nil {
		return false, err
	}
	g, err := New(c, d.domain, d.crew)
	if err != nil {
		return false, err
	}
	r, ok := g.(Refitter)
	if !ok {
		return false, nil
	}
	if err := r.Refit(d.run); err != nil {
		return false, err
	}
	g.FedBy(d.run.Base().Feed)
	g.Base().measured = d.run.Base().measured
	d.run, d.H = g, g.Base().H
	return true, d.remember()
}

// rebuilt reports that a value differs which a run is made from, so that it
// can't change under way.
func rebuilt(a, b *shot.Element) bool {
	for _, x := range shot.Entries(b.Kind) {
		if x.Builds && !x.Same(x.Value(a), x.Value(b)) {
			return true
		}
	}
	return false
}

// remade reports that elements which a run is made from aren't those that they were.
func remade(old, now *shot.Shot, was, is *shot.Element) bool {
	solver := Of(is)
	if solver == nil {
		return false
	}
	for _, k := range solver.Made {
		acts := func(s *shot.Shot, d *shot.Element) (list []*shot.Element) {
			for _, e := range s.Of(k) {
				if e.Acts(d) {
					list = append(list, e)
				}
			}
			return list
		}
		if !slices.EqualFunc(acts(old, was), acts(now, is), func(a, b *shot.Element) bool { return a.ID == b.ID && !rebuilt(a, b) }) {
			return true
		}
	}
	return false
}

// ErrBlown says that a draft blew up.
var ErrBlown = errors.New("the draft blew up")

// Advance makes one frame. Where the solver blows up, the draft goes back to
// the last good state, ErrBlown says why, and the draft can go on once a value
// was changed.
func (d *Draft) Advance(stop func() bool) (int, sim.Stats, error) {
	frame, st, err := Advance(d.run, stop)
	if errors.Is(err, sim.ErrStopped) {
		return frame, st, err
	}
	// a solver that reports no error and no finite speed has blown up all the same
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

// Reading is what a sensor reads.
type Reading struct {
	ID   string  `json:"id"`
	Read float64 `json:"read"`
}

// Readings are what the draft's sensors read by now.
func (d *Draft) Readings() (out []Reading) {
	c := d.run.Base()
	for _, e := range c.sensors() {
		out = append(out, Reading{e.ID, math.Round(1000*c.Reading(e, d.run.Next())) / 1000})
	}
	return out
}

// back loads the state kept last.
func (d *Draft) back() error {
	old := d.run.Base()
	g, err := New(old.Shot, d.domain, d.crew)
	if err != nil {
		return err
	}
	if err := g.LoadState(bytes.NewReader(d.good), false); err != nil {
		return err
	}
	g.FedBy(old.Feed)
	g.Base().measured = old.measured
	d.run = g
	return nil
}

// Shown is what a picture of the frame made last needs; burn is nil where nothing
// burns. Of a liquid it is the distance to its surface, m, beyond
// Outside cut off; the others are nil. Of particles it is those that live.
type Shown struct {
	Points *frame.Points

	Surface *grid.Field
	Warm    float64 // K, of a liquid's skin on the mean; 0: it carries no heat
	Outside float64

	Density, Burn, Heat *grid.Field
	Origin              geom.Vec3 // corner of the fields
	H                   float64   // m
}

// Shown gives the frame made last; its fields may change with the next step.
func (d *Draft) Shown() Shown { return d.run.Shown() }
