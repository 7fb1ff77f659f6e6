// Package studio is the work around the core: the library of shots, takes and
// their caches, the queue and the worker that serves it.
package studio

import (
	"bytes"
	"context"
	"crypto/rand"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"log/slog"
	"math"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strconv"
	"sync"
	"syscall"
	"time"

	"zarf/core/asset"
	"zarf/core/check"
	"zarf/core/shot"
	"zarf/core/shot/val"
	"zarf/core/stage"
	"zarf/studio/assets"
	"zarf/studio/cache"
	"zarf/studio/handover"
	"zarf/studio/queue"
	"zarf/studio/run"
	"zarf/studio/store"
)

// Studio is one data folder at work.
type Studio struct {
	Dir   string
	Store *store.Store
	Cache *cache.Cache
	Files *assets.Dir // imported files, painted weights, reference clips
	Log   *slog.Logger

	lock   *os.File
	queue  *queue.Server
	hub    hub
	cancel context.CancelFunc
	done   chan struct{}
	mu     sync.Mutex
	rate   float64

	logs map[int64]*run.Log // of the jobs that run; only hear touches it

	turn   sync.Mutex
	flying map[int64]bool // orders that a worker has, or may take

	library sync.Mutex // over the kept ramps and curves
}

// Open takes a data folder; a second program on the same folder is refused.
func Open(dir string, log *slog.Logger) (*Studio, error) {
	dir, err := filepath.Abs(dir)
	if err != nil {
		return nil, err
	}
	if err := os.MkdirAll(dir, 0o755); err != nil {
		return nil, fmt.Errorf("data folder %s: %w; give another with --data", dir, err)
	}
	lock, err := os.OpenFile(filepath.Join(dir, "lock"), os.O_CREATE|os.O_RDWR, 0o600)
	if err != nil {
		return nil, fmt.Errorf("data folder %s: %w; give another with --data", dir, err)
	}
	if err := syscall.Flock(int(lock.Fd()), syscall.LOCK_EX|syscall.LOCK_NB); err != nil {
		lock.Close()
		return nil, fmt.Errorf("data folder %s is used by another Zarf; stop that one or give another folder with --data", dir)
	}
	s := &Studio{Dir: dir, lock: lock, Log: log, logs: map[int64]*run.Log{}}
	if s.Store, err = store.Open(filepath.Join(dir, "zarf.db")); err != nil {
		lock.Close()
		return nil, err
	}
	if s.Cache, err = cache.Open(filepath.Join(dir, "cache")); err != nil {
		s.Close()
		return nil, err
	}
	if s.Files, err = assets.Open(filepath.Join(dir, "assets")); err != nil {
		s.Close()
		return nil, err
	}
	s.Store.Files = asset.New(s.Files)
	s.rate, _ = strconv.ParseFloat(s.Store.Setting("voxels_per_second"), 64)
	return s, nil
}

// Close stops the worker and the queue and lets go of the folder.
func (s *Studio) Close() {
	if s.cancel != nil {
		s.cancel()
		<-s.done
	}
	if s.queue != nil {
		s.queue.Close()
	}
	s.hub.close()
	if s.Store != nil {
		s.Store.Close()
	}
	s.lock.Close()
}

// QueueURL is where workers connect.
func (s *Studio) QueueURL() string { return s.queue.URL() }

// QueueEnv names the environment variable that tells a worker its queue; it
// holds a token and so is kept off the command line.
const QueueEnv = "ZARF_QUEUE"

// Start runs the queue, gives out again what was due when the last server
// ended, and keeps one worker process alive.
func (s *Studio) Start(worker func(ctx context.Context) *exec.Cmd) error {
	b := make([]byte, 24)
	rand.Read(b)
	q, err := queue.Start(filepath.Join(s.Dir, "queue"), hex.EncodeToString(b))
	if err != nil {
		return err
	}
	s.queue = q
	if err := q.Listen(s.hear); err != nil {
		return err
	}
	if err := s.dispatch(0); err != nil {
		return err
	}
	ctx, cancel := context.WithCancel(context.Background())
	s.cancel, s.done = cancel, make(chan struct{})
	go s.supervise(ctx, worker)
	return nil
}

// supervise starts the worker process again whenever it ends.
func (s *Studio) supervise(ctx context.Context, worker func(ctx context.Context) *exec.Cmd) {
	defer close(s.done)
	if worker == nil {
		<-ctx.Done()
		return
	}
	for ctx.Err() == nil {
		cmd := worker(ctx)
		cmd.Env = append(os.Environ(), QueueEnv+"="+s.queue.URL())
		stdin, err := cmd.StdinPipe() // its end tells the worker to stop
		if err == nil {
			cmd.SysProcAttr = &syscall.SysProcAttr{Setpgid: true}
			cmd.Stderr = os.Stderr
			err = cmd.Start()
		}
		if err != nil {
			s.Log.Error("the worker can't be started", "error", err)
			sleep(ctx, 2*time.Second)
			continue
		}
		s.Log.Info("worker started", "pid", cmd.Process.Pid)
		ended := make(chan error, 1)
		go func() { ended <- cmd.Wait() }()
		select {
		case err := <-ended:
			s.Log.Warn("the worker ended and is started again", "error", err)
			sleep(ctx, 300*time.Millisecond)
		case <-ctx.Done():
			stdin.Close()
			select {
			case <-ended:
			case <-time.After(8 * time.Second):
				cmd.Process.Kill()
				<-ended
			}
		}
	}
}

func sleep(ctx context.Context, d time.Duration) {
	select {
	case <-ctx.Done():
	case <-time.After(d):
	}
}

// hear books what a worker tells. An error says that it isn't booked, and so
// that the worker is to tell it again; the end of a job may come twice.
func (s *Studio) hear(e queue.Event) error {
	j, err := s.Store.Job(e.Job)
	if errors.Is(err, store.ErrNotFound) { // deleted with its shot
		return s.dispatch(e.Job)
	}
	if err != nil {
		return err
	}
	if e.Kind != queue.Step {
		s.close(e.Job)
	}
	switch e.Kind {
	case queue.Begin:
		if !j.Active() { // stopped while it waited
			return s.queue.Stop(e.Job)
		}
		s.Store.JobStep(e.Job, j.Done, j.Total, j.Left, j.Memory)
		s.Store.JobLog(e.Job, "started")
	case queue.Step:
		var p run.Progress
		if err := json.Unmarshal(e.Step, &p); err != nil {
			return err
		}
		s.book(j, p)
	case queue.End:
		if !j.Active() {
			return s.dispatch(e.Job)
		}
		if err := s.Store.JobEnd(e.Job, e.State, e.Message); err != nil {
			return err
		}
		line := e.State
		if e.Message != "" {
			line += ": " + e.Message
		}
		s.Store.JobLog(e.Job, line)
		if err := s.dispatch(e.Job); err != nil {
			s.Log.Error("the next job could not be given out", "error", err)
		}
	}
	s.tell(e.Job, e.Step)
	return nil
}

func (s *Studio) book(j store.Job, p run.Progress) {
	if p.Total > 0 {
		s.Store.JobStep(j.ID, max(p.Done, 0), p.Total, p.Left, int64(p.Memory))
	}
	if s.logs[j.ID] == nil {
		s.logs[j.ID] = &run.Log{}
	}
	for _, line := range s.logs[j.ID].Add(p) {
		s.Store.JobLog(j.ID, line)
	}
	if j.Kind != KindSim || p.Seconds <= 0 {
		return
	}
	s.Store.AddSeconds(j.TakeID, p.Seconds)
	if p.Stats.Substeps > 0 && p.Voxels > 0 {
		s.learn(p.Voxels * float64(p.Stats.Substeps) / p.Seconds)
	}
}

// close writes what a job's log still holds.
func (s *Studio) close(job int64) {
	if l := s.logs[job]; l != nil {
		for _, line := range l.End() {
			s.Store.JobLog(job, line)
		}
		delete(s.logs, job)
	}
}

// learn keeps a running mean of the voxels that this machine steps a second.
func (s *Studio) learn(rate float64) {
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.rate == 0 {
		s.rate = rate
	}
	s.rate += 0.1 * (rate - s.rate)
	s.Store.SetSetting("voxels_per_second", strconv.FormatFloat(s.rate, 'g', 6, 64))
}

// firstRate stands in until a run has been measured, voxels a second.
const firstRate = 1.5e6

// Rate is voxels that this machine steps a second, and whether that was
// measured.
func (s *Studio) Rate() (rate float64, measured bool) {
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.rate == 0 {
		return firstRate, false
	}
	return s.rate, true
}

// Memory is what a run may take, bytes.
func Memory() float64 {
	b, err := os.ReadFile("/proc/meminfo")
	if err != nil {
		return 8e9
	}
	for _, line := range bytes.Split(b, []byte("\n")) {
		var kb float64
		if n, _ := fmt.Sscanf(string(line), "MemAvailable: %f kB", &kb); n == 1 {
			return kb * 1024
		}
	}
	return 8e9
}

// Refused lists the faults that keep a run from starting.
type Refused struct{ Findings []check.Finding }

func (r *Refused) Error() string {
	f := r.Findings[0]
	s := f.What + " " + f.Why
	if n := len(r.Findings); n > 1 {
		s += fmt.Sprintf(" (and %d more faults)", n-1)
	}
	return s
}

// Busy says that a job is under way already.
type Busy struct{ What string }

func (b *Busy) Error() string { return b.What }

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
				st.Bytes += x.Size
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

// Verify reads all frames of a take against their checksums; those that are
// damaged are dropped, so that the next run makes them anew, and listed.
func (s *Studio) Verify(t store.Take) (damaged []int, err error) {
	st := s.Cache.Stage(t.Key)
	for n := t.First; n <= t.Last; n++ {
		_, err := st.Read(n)
		var d *cache.Damaged
		if errors.As(err, &d) {
			st.Drop(n)
			damaged = append(damaged, n)
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

// Guess is what a run of a domain would take: the estimate, with the time that
// the last take of it took, by the voxels of both, where there is one.
func (s *Studio) Guess(doc *shot.Shot, d *shot.Element, l Listing) (e stage.Estimate, measured bool) {
	rate, measured := s.Rate()
	e = stage.Guess(doc, d, rate)
	for _, t := range l.Takes[:min(len(l.Takes), 4)] {
		if t.Domain != d.ID {
			continue
		}
		frames := s.Cache.Stage(t.Key).Frames()
		if len(frames)*2 < e.Frames || stage.Factor(d) > 1 {
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
		return e, true
	}
	return e, measured
}

func (s *Studio) submit(j store.Job, sp spec) error {
	b, err := json.Marshal(sp)
	if err != nil {
		return err
	}
	j.Spec, j.Dir = b, sp.Dir
	if j, err = s.Store.CreateJob(j); err != nil {
		return err
	}
	if s.queue == nil {
		return errors.New("the queue is not running")
	}
	if err := s.dispatch(0); err != nil {
		return err
	}
	s.tell(j.ID, nil)
	return nil
}

// ahead is how many orders are given out at a time. Those that wait stay in
// the database, so that their order can change.
const ahead = 1

// dispatch gives out the jobs whose turn it is; ended is one that a worker let
// go of, 0 for none.
func (s *Studio) dispatch(ended int64) error {
	s.turn.Lock()
	defer s.turn.Unlock()
	if s.flying == nil {
		s.flying = map[int64]bool{}
	}
	delete(s.flying, ended)
	due, err := s.Store.ActiveJobs()
	if err != nil {
		return err
	}
	for _, j := range due {
		if len(s.flying) >= ahead {
			return nil
		}
		if s.flying[j.ID] {
			continue
		}
		if err := s.queue.Publish(queue.Order{Job: j.ID, Kind: j.Kind, Spec: j.Spec}); err != nil {
			return err
		}
		s.flying[j.ID] = true
	}
	return nil
}

// Prefer sets the turn of a waiting job: before all others, or after them.
func (s *Studio) Prefer(id int64, first bool) error {
	due, err := s.Store.ActiveJobs()
	if err != nil {
		return err
	}
	top, low := 0, 0
	for _, j := range due {
		top, low = max(top, j.Priority), min(low, j.Priority)
	}
	p := low - 1
	if first {
		p = top + 1
	}
	if err := s.Store.JobPriority(id, p); err != nil {
		return err
	}
	s.tell(id, nil)
	return nil
}

// Stop asks for a job's end; one that waits ends at once.
func (s *Studio) Stop(id int64) error {
	j, err := s.Store.Job(id)
	if err != nil {
		return err
	}
	if !j.Active() {
		return nil
	}
	if j.State == store.Queued {
		if err := s.Store.JobEnd(id, store.Stopped, "stopped before it began"); err != nil {
			return err
		}
		s.tell(id, nil)
		s.turn.Lock()
		waits := !s.flying[id]
		s.turn.Unlock()
		if waits {
			return nil
		}
	}
	return s.queue.Stop(id)
}

// RenderRange queues pictures of a take's frames.
func (s *Studio) RenderRange(row store.ShotRow, t store.Take, lookID string, from, to int) error {
	doc, err := s.Store.Doc(row.ID)
	if err != nil {
		return err
	}
	lk := doc.Look(lookID)
	if lk == nil {
		return fmt.Errorf("the shot has no look %q", lookID)
	}
	dir, err := s.fresh("renders", fmt.Sprintf("%s-take%d", row.Slug, t.Number))
	if err != nil {
		return err
	}
	return s.submit(store.Job{Kind: KindRender, ShotID: row.ID, TakeID: t.ID, Total: to - from + 1},
		spec{Take: t.Doc, Now: doc.Encode(), Domain: t.Domain, Look: lk.ID, From: from, To: to, Dir: dir, Name: row.Slug})
}

// Record queues a rendering of frames for flipbooks: of a size of its own,
// OpenEXR with all layers, nothing behind, no ground; sides adds light from six
// sides. Solids are left "out", "held" out, or as they are.
func (s *Studio) Record(row store.ShotRow, t store.Take, lookID string, from, to, w, h int, sides bool, solids string) error {
	doc, err := s.Store.Doc(row.ID)
	if err != nil {
		return err
	}
	lk := doc.Look(lookID)
	if lk == nil {
		return fmt.Errorf("the shot has no look %q", lookID)
	}
	for _, v := range []int{w, h} {
		if v < 8 || v > 4096 {
			return fmt.Errorf("tiles of %d × %d pixels can't be recorded; 8 to 4096 can", w, h)
		}
	}
	run.ForTiles(lk)
	for _, e := range doc.Elements {
		if e.Kind != shot.Collider && e.Kind != shot.Mesh {
			continue
		}
		switch solids {
		case "out":
			val.Rendered.Set(e, false)
		case "held":
			val.Holdout.Set(e, true)
		}
	}
	dir, err := s.fresh("renders", fmt.Sprintf("%s-take%d-tiles", row.Slug, t.Number))
	if err != nil {
		return err
	}
	return s.submit(store.Job{Kind: KindRender, ShotID: row.ID, TakeID: t.ID, Total: to - from + 1},
		spec{Take: t.Doc, Now: doc.Encode(), Domain: t.Domain, Look: lk.ID, From: from, To: to, Width: w, Height: h, Tiles: true, Sides: sides, Dir: dir, Name: row.Slug})
}

// Again goes on with a range of pictures or a handover that ended early: the
// files that are there stay, the others are made with the values that it was
// begun with.
func (s *Studio) Again(j store.Job) error {
	if j.Kind != KindRender && j.Kind != KindHandover || j.Active() {
		return errors.New("only a range of pictures or a handover that has ended can go on")
	}
	var sp spec
	if err := json.Unmarshal(j.Spec, &sp); err != nil {
		return fmt.Errorf("the order can't be read: %w", err)
	}
	if sp.Dir != j.Dir || sp.Dir == "" {
		return errors.New("its folder is not known any more; make it anew")
	}
	return s.submit(store.Job{Kind: j.Kind, ShotID: j.ShotID, TakeID: j.TakeID, Total: j.Total}, sp)
}

// handing makes the job of a handover of a take's frames, as the shot's values
// have it now; renders names the job whose pictures it is made of, 0 for none.
func (s *Studio) handing(row store.ShotRow, t store.Take, name string, from, to int, renders int64) (spec, *shot.Shot, error) {
	if err := shot.CheckName(name); err != nil {
		return spec{}, nil, err
	}
	if from > to {
		return spec{}, nil, fmt.Errorf("frames %d to %d are none; give the first one first", from, to)
	}
	doc, err := s.Store.Doc(row.ID)
	if err != nil {
		return spec{}, nil, err
	}
	sp := spec{Take: t.Doc, Now: doc.Encode(), Domain: t.Domain, From: from, To: to, Name: name}
	what := val.What.Of(doc.Handover)
	if renders == 0 {
		if what == "pictures" || what == "flipbook" {
			return sp, nil, errors.New("no pictures are chosen: record tiles here or render a range at Look, then choose it")
		}
		return sp, doc, nil
	}
	j, err := s.Store.Job(renders)
	if err != nil || j.Kind != KindRender || j.ShotID != row.ID {
		return sp, nil, fmt.Errorf("there is no such rendered range in this shot")
	}
	if what != "pictures" && what != "flipbook" {
		return sp, doc, nil
	}
	var of spec
	if err := json.Unmarshal(j.Spec, &of); err != nil {
		return sp, nil, fmt.Errorf("the rendered range's order can't be read: %w", err)
	}
	sp.Renders, sp.Look, sp.Take, sp.Domain, sp.Now = j.Dir, of.Look, of.Take, of.Domain, of.Now
	now, _, err := shot.Decode(of.Now) // camera and look as they were recorded
	if err != nil {
		return sp, nil, err
	}
	now.Handover = doc.Handover
	sp.Now = now.Encode()
	return sp, now, nil
}

// HandOver queues a handover; see handing.
func (s *Studio) HandOver(row store.ShotRow, t store.Take, name string, from, to int, renders int64) error {
	sp, doc, err := s.handing(row, t, name, from, to, renders)
	if err != nil {
		return err
	}
	if sp.Dir, err = s.fresh("handovers", fmt.Sprintf("%s-take%d", row.Slug, t.Number)); err != nil {
		return err
	}
	step := max(1, int(val.Step.Of(doc.Handover)))
	return s.submit(store.Job{Kind: KindHandover, ShotID: row.ID, TakeID: t.ID, Total: (to-from)/step + 1}, sp)
}

// HandoverSize is the disk that a handover will take, and how that is known.
func (s *Studio) HandoverSize(row store.ShotRow, t store.Take, from, to int, renders int64) (int64, string, error) {
	sp, now, err := s.handing(row, t, "x", from, to, renders)
	if err != nil {
		return 0, "", err
	}
	take, _, err := shot.Decode(sp.Take)
	if err != nil {
		return 0, "", err
	}
	take.Attach(s.Store.Files)
	now.Attach(s.Store.Files)
	j := handover.Job{Take: take, Now: now, Domain: sp.Domain, Settings: now.Handover, From: from, To: to, Renders: sp.Renders, Look: sp.Look}
	return j.Estimate(s.Cache)
}

// fresh makes a new folder under the data folder.
func (s *Studio) fresh(kind, name string) (string, error) {
	for n := 1; n < 100000; n++ {
		dir := filepath.Join(s.Dir, kind, fmt.Sprintf("%s-%03d", name, n))
		if err := os.MkdirAll(filepath.Dir(dir), 0o755); err != nil {
			return "", err
		}
		err := os.Mkdir(dir, 0o755)
		if err == nil {
			return dir, nil
		}
		if !errors.Is(err, os.ErrExist) {
			return "", err
		}
	}
	return "", fmt.Errorf("no free folder for %s", name)
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
	n := 0
	for f := range frames {
		if f >= t.First && f <= t.Last {
			n++
		}
	}
	d := doc.Element(t.Domain)
	switch {
	case n == 0:
		return Missing, frames
	case d == nil || stage.Key(doc, d) != t.Key:
		return Stale, frames
	case n < t.Last-t.First+1:
		return Partial, frames
	}
	return Current, frames
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
