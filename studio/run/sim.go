// Package run does the work of a job: simulating a take's domain into the
// cache, rendering a range, making a handover. It is called by workers and by
// the command line alike, knows files and the core, and neither database nor
// queue.
package run

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io/fs"
	"maps"
	"math"
	"runtime"
	"slices"
	"time"

	"zarf/core/asset"
	"zarf/core/frame"
	"zarf/core/grid"
	"zarf/core/shot"
	"zarf/core/shot/val"
	"zarf/core/sim"
	_ "zarf/core/solvers"
	"zarf/core/stage"
	"zarf/studio/cache"
)

// Progress is told after every step of a job.
type Progress struct {
	Frame   int       `json:"frame"`
	Done    int       `json:"done"`
	Total   int       `json:"total"`
	Seconds float64   `json:"seconds"` // of this frame
	Left    float64   `json:"left"`    // seconds that remain, guessed
	Memory  uint64    `json:"memory"`
	Bytes   int64     `json:"bytes"`
	Notes   []string  `json:"notes,omitempty"`  // what is to be known of this frame, or of the job
	Reused  bool      `json:"reused,omitempty"` // the frame was there already
	Kept    bool      `json:"kept,omitempty"`   // the frame stands in the cache of what was asked for
	Waits   bool      `json:"waits,omitempty"`  // for room on a full disk
	Voxels  float64   `json:"voxels,omitempty"`
	Work    float64   `json:"work,omitempty"` // voxels stepped, in steps of the plainest fluid
	Stats   sim.Stats `json:"stats"`
}

// Report receives progress.
type Report func(Progress)

// ErrStopped says that a job was stopped on request; what it made is kept.
var ErrStopped = errors.New("stopped on request; what was made is kept")

// Sim is the simulation of one domain.
type Sim struct {
	Shot    *shot.Shot
	Domain  string // id; empty: the first
	From    int    // frames to have in the cache afterwards
	To      int
	Threads int
	Before  map[int]float64 // seconds a frame of an earlier run of the like, for the time left; may be nil
	Wait    bool            // for room on a full disk, and go on; else it ends with the error
}

// stateShare bounds the time spent on saving states: a state is saved once the
// time since the last one is this many times what saving took.
const stateShare = 12

// Do makes the frames that are missing, going on from the saved state where it
// reaches.
func (s *Sim) Do(ctx context.Context, c *cache.Cache, report Report) error {
	g, err := stage.New(s.Shot, s.Domain, grid.NewCrew(s.Threads))
	if err != nil {
		return err
	}
	g.FedBy(Feed(s.Shot, c))
	if stage.RefinementOf(g.Of()) != nil {
		return s.refine(ctx, c, g.Of(), report)
	}
	return s.coarse(ctx, c, g, report)
}

// coarse makes the frames of the simulation itself.
func (s *Sim) coarse(ctx context.Context, c *cache.Cache, g stage.Runner, report Report) error {
	st := c.Stage(stage.CoarseKey(s.Shot, g.Of()))
	release, err := st.Lock()
	if err != nil {
		return err
	}
	defer release()
	st.Sweep()
	g.Base().Past = past(st)
	run := &simRun{Sim: s, cache: c, stage: g, st: st, report: report, ctx: ctx, begin: time.Now(), pacer: pacer{before: s.Before}}
	return run.do()
}

// Feed reads the frames of a shot's domains and sequences from a cache.
func Feed(s *shot.Shot, c *cache.Cache) stage.Feed {
	return func(d *shot.Element, number int) (*frame.Frame, error) {
		if d.Kind == shot.Sequence {
			return outside(s, c, d, number)
		}
		return c.Stage(stage.Key(s, d)).Load(number)
	}
}

// played is the frame of a sequence's files that plays at a frame of the shot, and where they
// are kept; ErrOver where none does.
func played(c *cache.Cache, d *shot.Element, number int) (st *cache.Stage, n int, err error) {
	ref := val.Frames.Of(d)
	if asset.CheckID(ref) != nil {
		return nil, 0, fmt.Errorf("%s holds no frames yet; bring some in", d.Name)
	}
	st = c.Stage(asset.ID(ref))
	frames := st.Frames()
	if len(frames) == 0 {
		return nil, 0, fmt.Errorf("the frames of %s are gone from the cache; bring them in again", d.Name)
	}
	first, last := slices.Min(slices.Collect(maps.Keys(frames))), slices.Max(slices.Collect(maps.Keys(frames)))
	if n = number - int(val.Start.Of(d)) + first; n < first || n > last {
		return nil, 0, stage.ErrOver
	}
	return st, n, nil
}

// outside reads the frame of a sequence that plays at a frame of the shot.
func outside(s *shot.Shot, c *cache.Cache, d *shot.Element, number int) (*frame.Frame, error) {
	st, n, err := played(c, d, number)
	if err != nil {
		return nil, err
	}
	said := func(err error) error { return fmt.Errorf("frame %d of %s: %w", n, d.Name, err) }
	points, raw, err := brought(s, st, d, number, n)
	if err != nil {
		return nil, said(err)
	}
	var f *frame.Frame
	if raw != nil {
		f, err = stage.Rasterise(raw, val.Grain.Of(d)/val.Scale.At(d, val.Frame(float64(number))))
	} else {
		f, err = st.Load(n)
	}
	if err != nil {
		return nil, said(err)
	}
	if f, _, err = stage.Normalise(f, d, val.AirTemperature.Of(s), s.Rate()); err != nil {
		return nil, said(err)
	}
	f.Points = points
	return f, nil
}

// brought are the particles of frame n of a sequence, which plays at a frame of the shot, as
// ours and as its files have them; nil where they hold none.
func brought(s *shot.Shot, st *cache.Stage, d *shot.Element, number, n int) (ours, raw *frame.Points, err error) {
	if !st.Has(n) || st.Frames()[n].Points == 0 {
		return nil, nil, nil
	}
	if raw, err = st.LoadPoints(n); err != nil || raw == nil {
		return nil, nil, err
	}
	air, rate := val.AirTemperature.Of(s), s.Rate()
	o, err := stage.Particles(raw, d, number, air, rate)
	if err != nil {
		return nil, nil, err
	}
	var before *stage.Outside
	if st.Has(n - 1) {
		if p, err := st.LoadPoints(n - 1); err == nil && p != nil {
			if before, err = stage.Particles(p, d, number-1, air, rate); err != nil {
				return nil, nil, fmt.Errorf("the one before: %w", err)
			}
		}
	}
	o.Since(before, rate)
	return o.Points, raw, nil
}

type simRun struct {
	*Sim
	cache  *cache.Cache
	stage  stage.Runner
	st     *cache.Stage
	report Report
	ctx    context.Context
	begin  time.Time
	saved  time.Time
	saving time.Duration
	made   int
	beyond int // the frame that the state on disk goes on with, where that is kept
	pacer  pacer
}

func (r *simRun) do() error {
	missing := r.missing()
	if len(missing) == 0 {
		r.report(Progress{Frame: r.To, Done: r.To - r.From + 1, Total: r.To - r.From + 1, Reused: true, Notes: []string{"every frame of the simulation is there already"}})
		return nil
	}
	if err := r.resume(missing[0]); err != nil {
		return err
	}
	r.saved = time.Now()
	stop := func() bool { return r.ctx.Err() != nil }
	last := missing[len(missing)-1]
	for r.stage.Next() <= last {
		if stop() {
			return r.halt()
		}
		for missing[0] < r.stage.Next() {
			missing = missing[1:]
		}
		if err := r.jump(missing[0]); err != nil {
			return err
		}
		begin := time.Now()
		number, stats, err := stage.Advance(r.stage, stop)
		if errors.Is(err, sim.ErrStopped) {
			return ErrStopped // the state of the last whole frame stands
		}
		if err != nil {
			return err
		}
		seconds := time.Since(begin).Seconds()
		if err := r.roomy(func() error { return r.keep(number, stats, seconds) }); err != nil {
			return err
		}
		if err := r.roomy(r.maybeSave); err != nil {
			return err
		}
	}
	if r.stage.Next() < r.beyond {
		return nil
	}
	return r.roomy(func() error { _, err := r.st.PutState(r.stage.SaveState); return err })
}

// roomy writes something, and waits for room on a full disk where it may: the step
// that it belongs to is then not done again.
func (r *simRun) roomy(write func() error) error {
	if !r.Wait {
		return write()
	}
	return WithRoom(r.ctx, r.st.Dir, r.report, write)
}

// missing lists the frames that are not complete.
func (r *simRun) missing() []int { return missing(r.st, r.From, r.To) }

func missing(st *cache.Stage, from, to int) (out []int) {
	for f := from; f <= to; f++ {
		if err := st.Check(f); err != nil {
			st.Drop(f)
			out = append(out, f)
		}
	}
	return out
}

// resume loads the saved state if it doesn't lie beyond the first frame wanted.
// A state that can't be read costs time, nothing else: the run begins anew, with
// a stage that nothing was read into.
func (r *simRun) resume(first int) error {
	f, err := r.st.State()
	if err != nil {
		if !errors.Is(err, fs.ErrNotExist) {
			r.report(Progress{Notes: []string{fmt.Sprintf("the saved state can't be read (%v); starting from the first frame", err)}})
		}
		return nil
	}
	defer f.Close()
	fresh := r.stage.Next()
	if err := r.stage.LoadState(f, true); err != nil {
		r.report(Progress{Notes: []string{fmt.Sprintf("%v; starting from the first frame", err)}})
		return r.restart()
	}
	if r.stage.Next() > first {
		r.beyond = r.stage.Next()
		if err := r.restart(); err != nil {
			return err
		}
		if err := r.jump(first); err != nil {
			return err
		}
	}
	if r.stage.Next() > fresh {
		r.report(Progress{Frame: r.stage.Next() - 1, Notes: []string{fmt.Sprintf("resumed after frame %d", r.stage.Next()-1)}})
	}
	return nil
}

// jump goes to the latest of the earlier states that lies beyond where the stage
// stands and not beyond the first frame wanted: what lies between is there already.
// One that can't be read is dropped, and the one before it tried.
func (r *simRun) jump(first int) error {
	marks := r.st.Marks()
	for i := len(marks) - 1; i >= 0 && marks[i] > r.stage.Next(); i-- {
		if marks[i] > first {
			continue
		}
		r.stage = nil // two at a time may be more than there is memory for
		if err := r.restart(); err != nil {
			return err
		}
		f, err := r.st.Marked(marks[i])
		if err == nil {
			err = r.stage.LoadState(f, true)
			f.Close()
		}
		if err == nil && r.stage.Next() == marks[i] {
			return nil
		}
		r.st.DropMark(marks[i])
		if err := r.restart(); err != nil {
			return err
		}
	}
	return nil
}

// past tells how frames went that are in a cache.
func past(st *cache.Stage) func(number int) (sim.Stats, bool) {
	return func(number int) (sim.Stats, bool) {
		f, there := st.Get(number)
		return StatsOf(f), there
	}
}

// restart goes back to a stage at rest.
func (r *simRun) restart() error {
	g, err := stage.New(r.Shot, r.Domain, grid.NewCrew(r.Threads))
	if err != nil {
		return err
	}
	g.FedBy(Feed(r.Shot, r.cache))
	g.Base().Past = past(r.st)
	r.stage = g
	return nil
}

// keep stores a frame if it is wanted and not there, and reports it.
func (r *simRun) keep(number int, stats sim.Stats, seconds float64) error {
	p := Progress{Frame: number, Total: r.To - r.From + 1, Stats: stats, Seconds: seconds, Voxels: r.stage.Of().Voxels()}
	used := p.Voxels
	if stats.Voxels > 0 {
		used = float64(stats.Voxels)
	}
	p.Work = used * float64(stats.Substeps) * stage.StepCost(r.stage.Base().Shot, r.stage.Of())
	if first, _ := r.Shot.Range(); number < first {
		p.Notes = []string{"pre-roll"}
	} else if f, ok := r.st.Get(number); ok {
		p.Reused, p.Bytes, p.Kept = true, f.Size, true
	} else {
		begin := time.Now()
		size, err := r.put(number, stats, seconds)
		if err != nil {
			return err
		}
		p.Bytes, p.Kept = size, true
		p.Seconds += time.Since(begin).Seconds()
	}
	p.Done = max(0, number-r.From+1)
	r.pacer.frame(number, p.Seconds)
	p.Left = r.pacer.left(number+1, r.To)
	var m runtime.MemStats
	runtime.ReadMemStats(&m)
	p.Memory = m.Sys
	r.made++
	r.report(p)
	return nil
}

func (r *simRun) put(number int, stats sim.Stats, seconds float64) (int64, error) {
	raw, err := json.Marshal(stats)
	if err != nil {
		return 0, err
	}
	src := &Source{Shot: r.Shot, Domain: r.stage.Of(), Stage: r.st, Coarse: true}
	f, err := src.keep(cache.Frame{Frame: number, Seconds: seconds, Stats: raw}, r.stage.Frame(), grid.NewCrew(r.Threads))
	return f.Size + f.Points + f.View, err
}

func (r *simRun) maybeSave() error {
	if time.Since(r.saved) < stateShare*r.saving || r.stage.Next() < r.beyond {
		return nil
	}
	took, err := r.st.PutState(r.stage.SaveState)
	r.saved, r.saving = time.Now(), took
	if err != nil {
		return err
	}
	// Earlier states stand about evenly over the range, as far as states were saved.
	next, last := r.stage.Next(), math.MinInt/2
	for _, m := range r.st.Marks() {
		if m <= next {
			last = m
		}
	}
	first, _ := r.Shot.Range()
	if every := max(8, (r.To-first+1)/cache.MaxMarks); next-max(last, first) >= every {
		return r.st.Mark(next)
	}
	return nil
}

func (r *simRun) halt() error {
	if r.made == 0 || r.stage.Next() < r.beyond {
		return ErrStopped
	}
	if _, err := r.st.PutState(r.stage.SaveState); err != nil && !Full(err) {
		return fmt.Errorf("stopped; %w", err)
	}
	return ErrStopped
}
