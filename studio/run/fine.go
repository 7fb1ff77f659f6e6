package run

import (
	"context"
	"fmt"
	"time"

	"zarf/core/frame"
	"zarf/core/grid"
	"zarf/core/shot"
	"zarf/core/stage"
	"zarf/studio/cache"
)

// refine makes the frames of a refinement, and the coarse ones under them
// where they are missing.
func (s *Sim) refine(ctx context.Context, c *cache.Cache, d *shot.Element, report Report) error {
	fine, err := stage.RefinementOf(d).New(s.Shot, d, grid.NewCrew(s.Threads))
	if err != nil {
		return err
	}
	st := c.Stage(stage.Key(s.Shot, d))
	release, err := st.Lock()
	if err != nil {
		return err
	}
	defer release()
	st.Sweep()
	total := s.To - s.From + 1
	lost := missing(st, s.From, s.To)
	if len(lost) == 0 {
		report(Progress{Frame: s.To, Done: total, Total: total, Reused: true, Notes: []string{"every frame of the simulation is there already"}})
		return nil
	}
	first, _ := s.Shot.Range()
	last := lost[len(lost)-1]
	under := c.Stage(stage.CoarseKey(s.Shot, d))
	if need := missing(under, first, last); len(need) > 0 {
		g, err := stage.New(s.Shot, d.ID, grid.NewCrew(s.Threads))
		if err != nil {
			return err
		}
		g.FedBy(Feed(s.Shot, c))
		coarse := &Sim{Shot: s.Shot, Domain: d.ID, From: first, To: last, Threads: s.Threads, Wait: s.Wait}
		err = coarse.coarse(ctx, c, g, func(p Progress) {
			// the coarse frames come first: none of the final ones is done yet
			p.Notes, p.Done, p.Total, p.Kept = append(p.Notes, "coarse"), 0, total, false
			report(p)
		})
		if err != nil {
			return err
		}
	}
	r := &fineRun{Sim: s, fine: fine, st: st, under: &Source{Shot: s.Shot, Domain: d, Stage: under}, report: report}
	if err := r.resume(lost[0]); err != nil {
		return err
	}
	return r.do(ctx, last)
}

type fineRun struct {
	*Sim
	fine   stage.Refiner
	st     *cache.Stage
	under  *Source
	report Report
	saved  time.Time
	saving time.Duration
}

// resume takes up the saved state where it helps.
func (r *fineRun) resume(first int) error {
	f, err := r.st.State()
	if err != nil {
		return nil // none: from the beginning
	}
	defer f.Close()
	err = r.fine.LoadState(f)
	if err == nil && r.fine.Next() <= first {
		var coarse *frame.Frame
		if coarse, err = r.under.Read(r.fine.Next() - 1); err == nil {
			if err = r.fine.Resume(coarse); err == nil {
				r.report(Progress{Frame: r.fine.Next() - 1, Notes: []string{fmt.Sprintf("resumed after frame %d", r.fine.Next()-1)}})
				return nil
			}
		}
	}
	r.fine, err = stage.RefinementOf(r.under.Domain).New(r.Shot, r.under.Domain, grid.NewCrew(r.Threads))
	return err
}

func (r *fineRun) do(ctx context.Context, last int) error {
	r.saved = time.Now()
	begin, made := time.Now(), 0
	for r.fine.Next() <= last {
		if ctx.Err() != nil {
			return r.halt(made)
		}
		frame, start := r.fine.Next(), time.Now()
		coarse, err := r.under.Read(frame)
		if err != nil {
			return err
		}
		if err := r.fine.Advance(coarse); err != nil {
			return err
		}
		p := Progress{Frame: frame, Done: max(0, frame-r.From+1), Total: r.To - r.From + 1, Notes: []string{stage.RefinementOf(r.under.Domain).Word}}
		if old, ok := r.st.Get(frame); ok {
			p.Reused, p.Bytes = true, old.Size
		} else {
			f := cache.Frame{Frame: frame, Seconds: time.Since(start).Seconds()}
			if c, ok := r.under.Stage.Get(frame); ok {
				f.Stats = c.Stats // the motion is the coarse run's
			}
			src := &Source{Shot: r.Shot, Domain: r.under.Domain, Stage: r.st}
			if f, err = src.keep(f, r.fine.Frame(), grid.NewCrew(r.Threads)); err != nil {
				return err
			}
			p.Bytes = f.Size
		}
		made++
		p.Kept = true
		p.Seconds = time.Since(start).Seconds()
		p.Left = time.Since(begin).Seconds() / float64(made) * float64(max(0, r.To-frame))
		r.report(p)
		if time.Since(r.saved) >= stateShare*r.saving {
			took, err := r.st.PutState(r.fine.SaveState)
			if err != nil {
				return err
			}
			r.saved, r.saving = time.Now(), took
		}
	}
	_, err := r.st.PutState(r.fine.SaveState)
	return err
}

func (r *fineRun) halt(made int) error {
	if made == 0 {
		return ErrStopped
	}
	if _, err := r.st.PutState(r.fine.SaveState); err != nil && !Full(err) {
		return fmt.Errorf("stopped; %w", err)
	}
	return ErrStopped
}
