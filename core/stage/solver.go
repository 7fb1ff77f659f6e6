package stage

import (
	"fmt"
	"io"
	"slices"

	"zarf/core/check"
	"zarf/core/frame"
	"zarf/core/grid"
	"zarf/core/shot"
	"zarf/core/shot/val"
	"zarf/core/sim"
)

// Solver is all that Zarf knows of one way to compute what a domain holds. A
// solver is added by registering one from its own package; runs, drafts, keys,
// estimates, checks, plots, probe, pages and handovers ask the registration.
type Solver struct {
	shot.Fluid             // its key, its choice on the sheet, its words, and the values that only it has
	Version    string      // part of every key: raise it when results change
	Binds      []shot.Kind // kinds of elements that act in it, besides the domain itself

	// New makes a run at rest before its first frame.
	New func(s *shot.Shot, d *shot.Element, crew grid.Crew) (Runner, error)
	// Bytes is the memory that a voxel of a domain takes.
	Bytes func(d *shot.Element) float64
	// Share is how much of a domain's box is in memory, as a rule; nil: all.
	Share func(d *shot.Element) float64
	// Cost is what a voxel's step costs, in steps of the plainest fluid; nil: 1.
	Cost func(s *shot.Shot, d *shot.Element) float64
	// Guess fills in what a run will take; voxels, memory and frames are known. Its
	// rate is steps of the plainest fluid a second.
	Guess func(s *shot.Shot, d *shot.Element, rate float64, e *Estimate)
	// Made are kinds of elements that a run is made from, as it is from the domain: where one comes, goes
	// or is built otherwise, a draft begins anew.
	Made []shot.Kind
	// Coarsen makes what isn't measured in voxels as coarse as a draft's voxels are; nil: nothing is.
	Coarsen func(s *shot.Shot, d *shot.Element)
	// Channels are what its frames hold.
	Channels func(d *shot.Element) []Channel
	// Amounts are the figures of its frames that are plotted, in order.
	Amounts []Quantity
	// Fine is how many voxels of its frames stand along one of a domain's run; nil: one.
	Fine func(d *shot.Element) int
	// Points reports frames that have particles.
	Points bool
	// Fronts reports that the scale advisor can read its frames.
	Fronts bool
	// Checks are what can be wrong before a run.
	Checks []check.Check
	// Gives reports that an emitter makes something that can be seen; what it
	// gives otherwise is said by Nothing and NothingWhy.
	Gives               func(e *shot.Element, now val.Eval) bool
	Nothing, NothingWhy string
	// After looks at how a run went, beyond what all solvers share.
	After func(s *shot.Shot, d *shot.Element, frames map[int]sim.Stats) []check.Finding
}

// Channel is one of a frame's.
type Channel struct {
	Name  string
	Label string // on pages
	Unit  string
	Role  frame.Role
	Keep  val.FlagKey // the domain's value that keeps it; empty: it is always kept
	Kept  bool        // as the domain's values have it; else it is left out of the cache
	Every bool        // every frame has it, once it is kept; else only those with something in it
}

// Quantity is a figure that is plotted over a take's frames; one that is zero
// throughout is left out.
type Quantity struct {
	Name  sim.Amount // kept with the frames, for plots
	Label string
	Unit  string
	// Of reads it; nil: the amount of its name.
	Of func(st *sim.Stats) float64
	// Shown turns the solver's unit into the one shown; nil: they are the same.
	Shown func(s *shot.Shot) float64
}

// Read is the figure of a frame.
func (q *Quantity) Read(st *sim.Stats) float64 {
	if q.Of != nil {
		return q.Of(st)
	}
	return st.Of(q.Name)
}

// Refinement is a stage that adds to the finished coarse frames of a solver. It
// registers itself, from a package of its own.
type Refinement struct {
	Fluid   string // the solver whose frames it refines
	Version string
	Values  []shot.Entry // of domains
	Switch  val.Name     // the value whose default means none
	Reads   []val.Name   // the domain's values that it depends on, besides the coarse run
	On      func(d *shot.Element) bool
	// Factor is how many fine voxels stand along a coarse one; nil: its frames have the coarse
	// run's, and only what lies on cells of its own gets finer.
	Factor func(d *shot.Element) int
	Word   string                       // what it is called while it runs
	Says   func(d *shot.Element) string // what it adds to the domain's sentence
	New    func(s *shot.Shot, d *shot.Element, crew grid.Crew) (Refiner, error)
	Bytes  func(d *shot.Element) float64 // of memory that it takes for a coarse voxel
	// Guess adds what it takes to an estimate of the coarse run; nil: it goes by fine voxels.
	Guess  func(d *shot.Element, e *Estimate)
	Checks []check.Check
}

var refinements = map[string]*Refinement{}

// RegisterRefinement adds a refinement: its values and its checks. A solver has
// one at most.
func RegisterRefinement(r Refinement) {
	if refinements[r.Fluid] != nil {
		panic(fmt.Sprintf("stage: %s is refined twice", r.Fluid))
	}
	refinements[r.Fluid] = &r
	shot.Declare(r.Values...)
	shot.AlsoSays(r.Fluid, r.Says)
	for _, c := range r.Checks {
		check.Register(c)
	}
}

// RefinementOf is what refines a domain's frames; nil where it is switched off,
// or nothing can.
func RefinementOf(d *shot.Element) *Refinement {
	if r := refinements[d.Fluid().Key]; r != nil && r.On(d) {
		return r
	}
	return nil
}

// Refiner is a refinement under way.
type Refiner interface {
	Next() int
	Advance(coarse *frame.Frame) error
	// Frame is the frame made last.
	Frame() *frame.Frame
	SaveState(w io.Writer) error
	// LoadState goes on from a saved state; Resume must follow with the coarse
	// frame that it came from.
	LoadState(r io.Reader) error
	Resume(coarse *frame.Frame) error
}

// Runner is a stage that is run frame by frame.
type Runner interface {
	Of() *shot.Element
	FedBy(read Feed)
	Next() int
	// Advance simulates one frame and returns its number.
	Advance(stop func() bool) (int, sim.Stats, error)
	// Frame is the frame made last, as the cache keeps it.
	Frame() *frame.Frame
	// Shown is what a picture of the frame made last needs.
	Shown() Shown
	// SaveState writes all that a resumed run needs to go on bit for bit.
	SaveState(w io.Writer) error
	// LoadState goes on from a saved state; own asks that the same values made
	// it. On an error the run is not to be gone on with.
	LoadState(r io.Reader, own bool) error
	// Base is what all stages share.
	Base() *Cast
}

// Feed reads a frame of a domain or of a sequence that feeds a stage.
type Feed func(d *shot.Element, number int) (*frame.Frame, error)

var solvers []*Solver

// Register adds a solver: its fluid, its values and its checks.
func Register(s Solver) {
	// the document's half first: it panics on a name that is taken
	shot.RegisterFluid(s.Fluid)
	for _, c := range s.Checks {
		check.Register(c)
	}
	s.Binds = append(slices.Clone(s.Binds), felt...)
	solvers = append(solvers, &s)
}

// Of is the solver of a domain; nil where none is linked for what it holds.
func Of(d *shot.Element) *Solver {
	key := d.Fluid().Key
	for _, s := range solvers {
		if s.Key == key {
			return s
		}
	}
	return nil
}

// Takes reports that elements of a kind act in a domain.
func (s *Solver) Takes(k shot.Kind) bool { return s != nil && slices.Contains(s.Binds, k) }

// New makes the stage of a domain at rest before its first frame; the first
// domain where id is empty.
func New(s *shot.Shot, id string, crew grid.Crew) (Runner, error) {
	d, err := PickDomain(s, id)
	if err != nil {
		return nil, err
	}
	solver := Of(d)
	if solver == nil {
		return nil, fmt.Errorf("domain %s holds %q, which this program can't simulate", d.Name, d.Fluid().Key)
	}
	return solver.New(s, d, crew)
}

// PickDomain finds a domain by id; the first one where id is empty.
func PickDomain(s *shot.Shot, id string) (*shot.Element, error) {
	for _, d := range s.Of(shot.Domain) {
		if id == "" || d.ID == id {
			return d, nil
		}
	}
	if id == "" {
		return nil, fmt.Errorf("shot %s has no domain that isn't muted; add one at Stage", s.Name)
	}
	return nil, fmt.Errorf("shot %s has no domain %q that isn't muted", s.Name, id)
}

// Channels are what a domain's frames hold.
func Channels(d *shot.Element) []Channel {
	if s := Of(d); s != nil && s.Channels != nil {
		return s.Channels(d)
	}
	return nil
}

// ChannelOf finds a channel that frames of a domain may hold; nil: none.
func ChannelOf(d *shot.Element, name string) *Channel {
	for _, c := range Channels(d) {
		if c.Name == name {
			return &c
		}
	}
	return nil
}

// Has reports a channel that frames of a domain may hold, kept or not.
func Has(d *shot.Element, name string) bool { return ChannelOf(d, name) != nil }

// Fineness is how many voxels of the frames of a domain's run stand along one of the run
// itself: 1 where its solver keeps nothing finer.
func Fineness(d *shot.Element) int {
	if s := Of(d); s != nil && s.Fine != nil {
		return s.Fine(d)
	}
	return 1
}

// Factor is how many voxels of a domain's final frames stand along one of its run, a
// refinement included.
func Factor(d *shot.Element) int {
	n := Fineness(d)
	if r := RefinementOf(d); r != nil {
		n *= r.factor(d)
	}
	return n
}
