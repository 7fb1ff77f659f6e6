package studio

import (
	"context"
	"encoding/json"
	"errors"
	"os"
	"os/exec"
	"strconv"
	"syscall"
	"time"

	"zarf/studio/queue"
	"zarf/studio/run"
	"zarf/studio/store"
)

// supervise starts the worker process again whenever it ends.
func (s *Studio) supervise(ctx context.Context, worker func(ctx context.Context) *exec.Cmd) {
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
		s.dispatch(e.Job)
		return nil
	}
	if err != nil {
		return err
	}
	if e.Kind != queue.Step {
		s.close(e.Job)
		s.full.Delete(e.Job)
	}
	var step *Stepped
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
		if p.Seconds > 0 && !p.Reused {
			s.alive(e.Job)
		}
		if p.Waits {
			s.full.Store(e.Job, true)
		} else {
			s.full.Delete(e.Job)
		}
		s.book(j, p)
		step = &Stepped{p.Frame, p.Kept, p.Waits, p.Notes}
	case queue.End:
		if j.Active() {
			if err := s.end(j, e.State, e.Message); err != nil {
				return err
			}
		}
		s.dispatch(e.Job)
	case queue.Back:
		s.left(e.Job)
	}
	s.tell(e.Job, step)
	return nil
}

// WaitsForRoom reports that a job waits for room on a full disk.
func (s *Studio) WaitsForRoom(job int64) bool {
	_, waits := s.full.Load(job)
	return waits
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
	if p.Work > 0 {
		s.learn(p.Work, p.Seconds)
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

// learn keeps a running mean of the voxels that this machine steps a second, over some
// 20 s of work: small frames at a run's beginning, which cost more for what they hold,
// weigh by the time that they took.
func (s *Studio) learn(work, seconds float64) {
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.rate == 0 {
		s.rate = firstRate
	}
	s.rate = (s.rate*20 + work) / (20 + seconds)
	s.Store.SetSetting("voxels_per_second", strconv.FormatFloat(s.rate, 'g', 6, 64))
}

// firstRate stands in until a run has been measured, voxels a second.
const firstRate = 2.7e6

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
