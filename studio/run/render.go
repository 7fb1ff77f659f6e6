package run

import (
	"context"
	"fmt"
	"image/png"
	"io"
	"os"
	"path/filepath"
	"time"

	"zarf/core/grid"
	"zarf/core/render"
	"zarf/core/shot"
	"zarf/studio/cache"
)

// Render is a range of pictures.
type Render struct {
	Take    *shot.Shot // the values that made the cache
	Domain  string
	Now     *shot.Shot // solids and camera as they are to be shown
	Look    string     // id of a look of Now
	From    int
	To      int
	Width   int // 0: the look's
	Height  int
	Samples int // 0: the look's
	Dir     string
	Name    string
	Threads int
}

// File is the name of one picture.
func (r *Render) File(frame int) string { return fmt.Sprintf("%s.%04d.png", r.Name, frame) }

// Do renders the frames that are not there yet. Frames that the cache lacks
// are named at the end; the others are made.
func (r *Render) Do(ctx context.Context, c *cache.Cache, report Report) error {
	src, err := Open(r.Take, r.Domain, c)
	if err != nil {
		return err
	}
	lk := r.Now.Look(r.Look)
	if lk == nil {
		return fmt.Errorf("shot %s has no look %q", r.Now.Name, r.Look)
	}
	if err := os.MkdirAll(r.Dir, 0o755); err != nil {
		return fmt.Errorf("render folder: %w", err)
	}
	var lost []int
	var spent float64
	made := 0
	for f := r.From; f <= r.To; f++ {
		p := Progress{Frame: f, Done: f - r.From + 1, Total: r.To - r.From + 1}
		path := filepath.Join(r.Dir, r.File(f))
		if _, err := os.Stat(path); err == nil {
			p.Reused = true
			report(p)
			continue
		}
		if !src.Stage.Has(f) {
			lost = append(lost, f)
			p.Note = fmt.Sprintf("frame %d is not in the cache", f)
			report(p)
			continue
		}
		begin := time.Now()
		size, err := r.one(ctx, src, lk, f, path)
		if err != nil {
			return err
		}
		p.Seconds, p.Bytes = time.Since(begin).Seconds(), size
		spent += p.Seconds
		made++
		p.Left = spent / float64(made) * float64(r.To-f)
		report(p)
	}
	if len(lost) > 0 {
		return fmt.Errorf("%d of %d frames are not in the cache and were left out: %s; run the take and render again", len(lost), r.To-r.From+1, Ranges(lost))
	}
	return nil
}

func (r *Render) one(ctx context.Context, src *Source, lk *shot.Element, frame int, path string) (int64, error) {
	crew := grid.NewCrew(r.Threads)
	sc, err := src.Scene(frame, r.Now, lk, crew)
	if err != nil {
		return 0, err
	}
	w, h, n := sc.Look.Width, sc.Look.Height, sc.Look.Samples
	if r.Width > 0 {
		w, h = r.Width, r.Height
	}
	if r.Samples > 0 {
		n = r.Samples
	}
	pic, err := render.New(sc, w, h, crew)
	if err != nil {
		return 0, err
	}
	for range n {
		if !pic.Pass(func() bool { return ctx.Err() != nil }) {
			return 0, ErrStopped
		}
	}
	size, _, err := cache.WriteFile(path, func(w io.Writer) error { return png.Encode(w, pic.Image()) })
	return size, err
}

// Ranges writes frame numbers as "1–4, 7, 9–12".
func Ranges(frames []int) string {
	out := ""
	for i := 0; i < len(frames); {
		j := i
		for j+1 < len(frames) && frames[j+1] == frames[j]+1 {
			j++
		}
		if out != "" {
			out += ", "
		}
		if j == i {
			out += fmt.Sprint(frames[i])
		} else {
			out += fmt.Sprintf("%d–%d", frames[i], frames[j])
		}
		i = j + 1
	}
	return out
}
