package studio

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"time"

	"zarf/core/check"
	"zarf/studio/queue"
	"zarf/studio/store"
)

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
	s.dispatch(0)
	s.tell(j.ID, nil)
	return nil
}

// ahead is how many orders are given out at a time. Those that wait stay in
// the database, so that their order can change.
const ahead = 1

// dispatch gives out the jobs whose turn it is; ended is one that a worker let
// go of, 0 for none. What can't be given out now is tried again by tend: a job is
// in the database as soon as it is asked for, and stays due.
func (s *Studio) dispatch(ended int64) {
	s.turn.Lock()
	defer s.turn.Unlock()
	delete(s.flying, ended)
	delete(s.begun, ended)
	due, err := s.Store.ActiveJobs()
	if err != nil {
		s.Log.Error("the jobs that are due can't be read", "error", err)
		return
	}
	for _, j := range due {
		if len(s.flying) >= ahead {
			return
		}
		if s.flying[j.ID] {
			continue
		}
		if err := s.queue.Publish(queue.Order{Job: j.ID, Kind: j.Kind}); err != nil {
			s.Log.Error("a job can't be given out", "job", j.ID, "error", err)
			return
		}
		s.flying[j.ID] = true
	}
}

// tending is how often the queue is looked after.
const tending = 3 * time.Second

// tend gives out what could not be given out at its time, and once more what the
// queue has lost.
func (s *Studio) tend(ctx context.Context) {
	lost := 0
	for ctx.Err() == nil {
		sleep(ctx, tending)
		held, err := s.queue.Held()
		s.turn.Lock()
		// An order leaves the queue after it has left flying. Looked at twice, as
		// one may be on its way between the two.
		if lost++; err == nil && held >= len(s.flying) {
			lost = 0
		}
		if lost >= 2 {
			s.Log.Warn("the queue has lost orders; they are given out again", "held", held, "error", err)
			clear(s.flying)
			lost = 0
		}
		s.turn.Unlock()
		s.dispatch(0)
	}
}

// give is the text of an order that a worker has taken. It refuses one that was
// stopped or deleted while it waited, and ends one at which workers die again and
// again without having made anything in between.
func (s *Studio) give(job int64, begins bool) ([]byte, error) {
	j, err := s.Store.Job(job)
	if errors.Is(err, store.ErrNotFound) || err == nil && !j.Active() {
		go s.dispatch(job)
		return nil, queue.Gone
	}
	if err != nil || !begins {
		return j.Spec, err
	}
	s.turn.Lock()
	s.begun[job]++
	n := s.begun[job]
	s.turn.Unlock()
	if n <= queue.Tries {
		return j.Spec, nil
	}
	why := fmt.Sprintf("the worker died %d times at this job without making anything of it; what was made is kept", queue.Tries)
	if err := s.end(j, store.Failed, why); err != nil {
		return nil, err
	}
	go s.dispatch(job)
	s.tell(job, nil)
	return nil, queue.Gone
}

// end books how a job ended.
func (s *Studio) end(j store.Job, state, message string) error {
	if err := s.Store.JobEnd(j.ID, state, message); err != nil {
		return err
	}
	line := state
	if message != "" {
		line += ": " + message
	}
	s.Store.JobLog(j.ID, line)
	return nil
}

// alive counts anew how often workers die at a job: it has made something.
func (s *Studio) alive(job int64) {
	s.turn.Lock()
	defer s.turn.Unlock()
	if s.begun[job] > 0 {
		s.begun[job] = 1
	}
}

// left takes a beginning back whose worker went in an orderly way.
func (s *Studio) left(job int64) {
	s.turn.Lock()
	defer s.turn.Unlock()
	s.begun[job] = max(0, s.begun[job]-1)
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
