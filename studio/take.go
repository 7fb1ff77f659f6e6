package studio

import (
	"errors"
	"fmt"
	"maps"
	"math"
	"os"
	"path/filepath"
	"slices"

	"zarf/core/check"
	"zarf/core/grid"
	"zarf/core/shot"
	"zarf/core/stage"
	"zarf/studio/cache"
	"zarf/studio/run"
	"zarf/studio/store"
)

// Run freezes a shot's values into a take and queues its simulation. Values
// that the newest take already has go on with that take.
func (s *Studio) Run(row store.ShotRow, domain string, from, to int) (store.Take, error) {
	doc, err := s.Store.Doc(row.ID)
	if err != nil {
		return store.Take{}, err
	}
	return s.RunDoc(row, doc, domain, from, to, "")
}

// Rebuild runs what is stale or missing of a shot's domains, those first that
// feed others, and gives the take of the last. Where everything is current the
// first domain is asked for again, which checks its frames.
func (s *Studio) Rebuild(row store.ShotRow) (t store.Take, err error) {
	doc, err := s.Store.Doc(row.ID)
	if err != nil {
		return t, err
	}
	order, err := doc.Order()
	if err != nil {
		return t, err
	}
	if len(order) < 2 {
		return s.Run(row, "", 0, 0)
	}
	ran := false
	l, err := s.List(row.ID)
	if err != nil {
		return t, err
	}
	for _, st := range s.Chain(doc, l) {
		if st.State == Current || st.Running {
			continue
		}
		if t, err = s.Run(row, st.Domain.ID, 0, 0); err != nil {
			return t, err
		}
		ran = true
	}
	if !ran {
		return s.Run(row, order[len(order)-1].ID, 0, 0)
	}
	return t, nil
}

// Listing is a shot's takes, newest first, and the latest run of each.
type Listing struct {
	Takes []store.Take
	Jobs  map[int64]store.Job
}

// List reads a shot's takes.
func (s *Studio) List(shotID int64) (l Listing, err error) {
	if l.Takes, err = s.Store.Takes(shotID); err == nil {
		l.Jobs, err = s.Store.TakeJobs(shotID)
	}
	return l, err
}

// Stage is one part of a shot's cache chain.
type Stage struct {
	Domain  *shot.Element
	Fed     []*shot.Element // the domains that feed it
	Key     string
	State   CacheState
	Made    int
	Want    int
	Frames  map[int]cache.Frame
	Bytes   int64
	Take    int  // number of its newest take; 0: none
	Running bool // a job makes it, or waits to
}

// Chain lists the stages of a shot in the order in which they are made, with
// their states worked out from content.
func (s *Studio) Chain(doc *shot.Shot, l Listing) []Stage {
	order, err := doc.Order()
	if err != nil {
		order = doc.Of(shot.Domain)
	}
	first, last := doc.Range()
	var out []Stage
	for _, d := range order {
		st := Stage{Domain: d, Fed: doc.Feeds(d), Key: stage.Key(doc, d), Want: last - first + 1, State: Missing}
		st.Frames = s.Cache.Stage(st.Key).Frames()
		for f, x := range st.Frames {
			if f >= first && f <= last {
				st.Made++
				st.Bytes += x.Size + x.Points
			}
		}
		for n, t := range l.Takes {
			if t.Domain != d.ID || t.SweepID() != "" {
				continue
			}
			if st.Take == 0 {
				st.Take = t.Number
				if st.Made == 0 && len(s.Cache.Stage(t.Key).Frames()) > 0 {
					st.State = Stale
				}
			}
			if n >= 12 && st.Take != 0 {
				break
			}
			j := l.Jobs[t.ID]
			st.Running = st.Running || (t.Key == st.Key && j.Active())
		}
		switch {
		case st.Made >= st.Want:
			st.State = Current
		case st.Made > 0:
			st.State = Partial
		}
		out = append(out, st)
	}
	return out
}

// Verify reads all frames of a take against their checksums, particles too; those
// that are damaged are dropped, so that the next run makes them anew, and listed.
// A preview that is damaged is made anew from its frame.
func (s *Studio) Verify(t store.Take) (damaged []int, err error) {
	st := s.Cache.Stage(t.Key)
	for n := t.First; n <= t.Last; n++ {
		err := st.Check(n)
		var d *cache.Damaged
		if errors.As(err, &d) {
			st.Drop(n)
			damaged = append(damaged, n)
			continue
		}
		if err == nil && st.Viewless(n) {
			src, err := s.Source(t)
			if err != nil {
				return damaged, err
			}
			if err := src.Review(n, grid.NewCrew(0)); err != nil {
				return damaged, err
			}
		}
	}
	return damaged, nil
}

// RunDoc is Run with values that needn't be those of the shot as it stands.
func (s *Studio) RunDoc(row store.ShotRow, doc *shot.Shot, domain string, from, to int, note string) (store.Take, error) {
	if bad := check.Faults(check.Shot(doc, check.Machine{Memory: Memory()})); len(bad) > 0 {
		return store.Take{}, &Refused{bad}
	}
	d, err := stage.PickDomain(doc, domain)
	if err != nil {
		return store.Take{}, err
	}
	first, last := doc.Range()
	if from == 0 && to == 0 {
		from, to = first, last
	}
	if from < first || to < from {
		return store.Take{}, fmt.Errorf("frames %d–%d can't be run; the shot begins at %d", from, to, first)
	}
	key := stage.Key(doc, d)
	takes, err := s.Store.Takes(row.ID)
	if err != nil {
		return store.Take{}, err
	}
	newest := slices.IndexFunc(takes, func(t store.Take) bool { return t.Domain == d.ID })
	if newest >= 0 && takes[newest].Key == key {
		t, err := s.Store.TakeByID(takes[newest].ID) // with its document
		if err != nil {
			return t, err
		}
		return t, s.Resume(t, from, to)
	}
	base, err := s.Store.Base(row.ID)
	if err != nil {
		return store.Take{}, err
	}
	// in a chain the parent is a take of the same domain
	if i := slices.IndexFunc(takes, func(t store.Take) bool { return t.ID == base }); i < 0 || takes[i].Domain != d.ID {
		base = 0
		if newest >= 0 {
			base = takes[newest].ID
		}
	}
	t, err := s.Store.CreateTake(store.Take{ShotID: row.ID, Doc: doc.Encode(), Domain: d.ID, Key: key, First: from, Last: to, Note: note, Parent: base})
	if err != nil {
		return t, err
	}
	if err := s.Store.SetBase(row.ID, t.ID); err != nil {
		return t, err
	}
	return t, s.Resume(t, from, to)
}

// Resume queues the frames of a take that are missing.
func (s *Studio) Resume(t store.Take, from, to int) error { return s.resume(t, from, to, 0) }

func (s *Studio) resume(t store.Take, from, to, priority int) error {
	if j, err := s.Store.TakeJob(t.ID); err == nil && j.Active() {
		return &Busy{fmt.Sprintf("take %d is running already; stop it first or wait", t.Number)}
	}
	if err := s.Store.ExtendTake(t.ID, from, to); err != nil {
		return err
	}
	return s.submit(store.Job{Kind: KindSim, ShotID: t.ShotID, TakeID: t.ID, Total: to - from + 1, Priority: priority}, spec{Take: t.Doc, Domain: t.Domain, From: from, To: to, Before: s.seconds(t)})
}

// seconds are what the frames of the newest other take of a domain took.
func (s *Studio) seconds(t store.Take) map[int]float64 {
	takes, err := s.Store.Takes(t.ShotID)
	if err != nil {
		return nil
	}
	for _, o := range takes[:min(len(takes), 12)] {
		if o.ID == t.ID || o.Domain != t.Domain {
			continue
		}
		out := map[int]float64{}
		for n, f := range s.Cache.Stage(o.Key).Frames() {
			out[n] = f.Seconds
		}
		if len(out) > 0 {
			return out
		}
	}
	return nil
}

// Guess is what a run of a domain would take: the estimate, with the time and the
// disk that the last take of it took, by the voxels of both, where there is one.
func (s *Studio) Guess(doc *shot.Shot, d *shot.Element, l Listing) (e stage.Estimate, measured bool) {
	rate, measured := s.Rate()
	e = stage.Guess(doc, d, rate)
	for _, t := range l.Takes[:min(len(l.Takes), 4)] {
		if t.Domain != d.ID {
			continue
		}
		frames := s.Cache.Stage(t.Key).Frames()
		if len(frames)*2 < e.Frames || stage.RefinementOf(d) != nil {
			continue
		}
		old, err := t.Shot()
		if err != nil || old.Element(d.ID) == nil {
			continue
		}
		spent := 0.0
		for _, f := range frames {
			spent += f.Seconds
		}
		// work goes by voxels and, as they get smaller, by substeps: n^(4/3)
		more := math.Pow(d.Voxels()/old.Element(d.ID).Voxels(), 4.0/3)
		e.Seconds = spent / float64(len(frames)) * float64(e.Frames) * more
		if len(frames) == e.Frames { // with its saved states
			e.Disk = float64(s.Cache.Stage(t.Key).Bytes()) * d.Voxels() / old.Element(d.ID).Voxels()
		}
		return e, true
	}
	return e, measured
}

// Discard forgets a take; its frames go too unless another take shares them.
func (s *Studio) Discard(t store.Take) error {
	if j, err := s.Store.TakeJob(t.ID); err == nil && j.Active() {
		return &Busy{fmt.Sprintf("take %d is running; stop it first", t.Number)}
	}
	if err := s.Store.DeleteTake(t.ID); err != nil {
		return err
	}
	n, err := s.Store.KeyUsers(t.Key)
	if err != nil || n > 0 {
		return err
	}
	os.RemoveAll(s.StillDir(t.Key))
	return s.Cache.Stage(t.Key).Remove()
}

// StillDir holds small pictures of a take's frames; they can be made again.
func (s *Studio) StillDir(key string) string { return filepath.Join(s.Dir, "stills", key) }

// CacheState of a take's frames.
type CacheState string

// The states: Stale beats the others where the shot's values have moved on.
const (
	Current CacheState = "current"
	Stale   CacheState = "stale"
	Partial CacheState = "partial"
	Missing CacheState = "missing"
)

// State works out, from content alone, how a take's cache stands against the
// shot as it is now, and which frames are there.
func (s *Studio) State(doc *shot.Shot, t store.Take) (CacheState, map[int]cache.Frame) {
	frames := s.Cache.Stage(t.Key).Frames()
	return stateOf(doc, t, slices.Collect(maps.Keys(frames))), frames
}

// Brief is State by the frames' names alone, in order: for lists of many shots.
func (s *Studio) Brief(doc *shot.Shot, t store.Take) (CacheState, []int) {
	frames := s.Cache.Stage(t.Key).Numbers()
	return stateOf(doc, t, frames), frames
}

func stateOf(doc *shot.Shot, t store.Take, frames []int) CacheState {
	n := 0
	for _, f := range frames {
		if f >= t.First && f <= t.Last {
			n++
		}
	}
	d := doc.Element(t.Domain)
	switch {
	case n == 0:
		return Missing
	case d == nil || stage.Key(doc, d) != t.Key:
		return Stale
	case n < t.Last-t.First+1:
		return Partial
	}
	return Current
}

// Source opens a take's frames.
func (s *Studio) Source(t store.Take) (*run.Source, error) {
	d, err := t.Shot()
	if err != nil {
		return nil, err
	}
	el := d.Element(t.Domain)
	if el == nil {
		return nil, fmt.Errorf("take %d lacks its domain", t.Number)
	}
	return &run.Source{Shot: d, Domain: el, Stage: s.Cache.Stage(t.Key), Cache: s.Cache}, nil
}
