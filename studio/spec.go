package studio

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"time"

	"zarf/core/asset"
	"zarf/core/shot"
	"zarf/studio/cache"
	"zarf/studio/handover"
	"zarf/studio/queue"
	"zarf/studio/run"
	"zarf/studio/store"
)

// Kinds of job.
const (
	KindSim      = "sim"
	KindRender   = "render"
	KindHandover = "handover"
)

// spec is what a job is told; documents travel as shot files.
type spec struct {
	Take     json.RawMessage `json:"take"`
	Now      json.RawMessage `json:"now,omitempty"`
	Domain   string          `json:"domain"`
	From     int             `json:"from"`
	To       int             `json:"to"`
	Look     string          `json:"look,omitempty"`
	Samples  int             `json:"samples,omitempty"`
	Width    int             `json:"width,omitempty"`
	Height   int             `json:"height,omitempty"`
	Dir      string          `json:"dir,omitempty"`
	Name     string          `json:"name,omitempty"`
	Renders  string          `json:"renders,omitempty"`
	Tiles    bool            `json:"tiles,omitempty"`
	Sides    bool            `json:"sides,omitempty"`
	Settings json.RawMessage `json:"settings,omitempty"`
	Before   map[int]float64 `json:"before,omitempty"` // seconds a frame of the last take with frames
}

// Work is what a worker process does with an order.
type Work struct {
	Cache   *cache.Cache
	Files   *asset.Library
	Threads int
}

// Do carries out an order; a crash within it is caught and reported.
func (w *Work) Do(ctx context.Context, o queue.Order, step func(any)) (state, message string) {
	defer func() {
		if p := recover(); p != nil {
			state, message = store.Failed, fmt.Sprintf("the program failed within this job: %v; what was made is kept, please report it with the shot file", p)
		}
	}()
	report := func(p run.Progress) { step(p) }
	err := run.WithRoom(ctx, w.Cache.Root, report, func() error {
		return w.unlocked(ctx, report, func() error { return w.do(ctx, o, report) })
	})
	switch {
	case err == nil:
		return store.Done, ""
	case errors.Is(err, run.ErrStopped):
		return store.Stopped, err.Error()
	}
	return store.Failed, err.Error()
}

// lingering is how long a job waits for another process to let go of the frames that
// it is to make. A worker whose server has died takes some seconds to end.
const lingering = 30 * time.Second

// unlocked does something, and where another process holds the frames waits for it
// to let go and does it again.
func (w *Work) unlocked(ctx context.Context, report run.Report, do func() error) error {
	for until, n := time.Now().Add(lingering), 0; ; n++ {
		err := do()
		if !errors.Is(err, cache.Locked) || time.Now().After(until) {
			return err
		}
		if n == 0 {
			report(run.Progress{Notes: []string{"another run still holds these frames; waiting for it to let go"}})
		}
		select {
		case <-ctx.Done():
			return run.ErrStopped
		case <-time.After(250 * time.Millisecond):
		}
	}
}

func (w *Work) do(ctx context.Context, o queue.Order, report run.Report) error {
	var s spec
	if err := json.Unmarshal(o.Spec, &s); err != nil {
		return fmt.Errorf("the order can't be read: %w", err)
	}
	take, _, err := shot.Decode(s.Take)
	if err != nil {
		return err
	}
	take.Attach(w.Files)
	now := take
	if len(s.Now) > 0 {
		if now, _, err = shot.Decode(s.Now); err != nil {
			return err
		}
		now.Attach(w.Files)
	}
	switch o.Kind {
	case KindSim:
		j := run.Sim{Shot: take, Domain: s.Domain, From: s.From, To: s.To, Threads: w.Threads, Before: s.Before, Wait: true}
		return j.Do(ctx, w.Cache, report)
	case KindRender:
		j := run.Render{Take: take, Domain: s.Domain, Now: now, Look: s.Look, From: s.From, To: s.To, Width: s.Width, Height: s.Height, Samples: s.Samples, Dir: s.Dir, Name: s.Name, Tiles: s.Tiles, Sides: s.Sides, Threads: w.Threads}
		return j.Do(ctx, w.Cache, report)
	case KindHandover:
		j := handover.Job{Take: take, Now: now, Domain: s.Domain, Settings: now.Handover, From: s.From, To: s.To, Dir: s.Dir, Name: s.Name, Renders: s.Renders, Look: s.Look, Threads: w.Threads}
		return j.Do(ctx, w.Cache, report)
	}
	return fmt.Errorf("no job is called %q", o.Kind)
}

// Span tells the frames and the look of a render or handover job.
func Span(j store.Job) (from, to int, look string) {
	var s spec
	if json.Unmarshal(j.Spec, &s) != nil {
		return 0, -1, ""
	}
	return s.From, s.To, s.Look
}

// JobName is the name of the files that a job makes.
func JobName(j store.Job) string {
	var s spec
	json.Unmarshal(j.Spec, &s)
	return s.Name
}
