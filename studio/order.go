package studio

import (
	"encoding/json"
	"errors"
	"fmt"

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
