package run

import (
	"context"
	"fmt"
	"os"
	"path/filepath"
	"time"

	"zarf/core/grid"
	"zarf/core/look"
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

// File is the name of one picture with an ending.
func (r *Render) File(frame int, ext string) string {
	return fmt.Sprintf("%s.%04d.%s", r.Name, frame, ext)
}

// TinyDir is the folder, beside the pictures, of small ones for the page.
const TinyDir = "tiny"

// Do renders the frames that are not there yet. Frames that the cache lacks
// are named at the end; the others are made.
func (r *Render) Do(ctx context.Context, c *cache.Cache, report Report) error {
	src, err := Open(r.Take, r.Domain, c)
	if err != nil {
		return err
	}
	set := r.Now.Look(r.Look)
	if set == nil {
		return fmt.Errorf("shot %s has no look %q", r.Now.Name, r.Look)
	}
	if err := os.MkdirAll(filepath.Join(r.Dir, TinyDir), 0o755); err != nil {
		return fmt.Errorf("render folder: %w", err)
	}
	var lost []int
	told := map[string]bool{}
	var spent float64
	made := 0
	for f := r.From; f <= r.To; f++ {
		p := Progress{Frame: f, Done: f - r.From + 1, Total: r.To - r.From + 1}
		lk := look.At(set, float64(f))
		path := filepath.Join(r.Dir, r.File(f, Ext(&lk)))
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
		size, notes, err := r.one(ctx, src, set, f, path)
		if err != nil {
			return err
		}
		for _, n := range notes {
			if !told[n] {
				told[n] = true
				p.Note = fmt.Sprintf("frame %d: %s", f, n)
			}
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

// one renders a frame; notes tell what had to be left out.
func (r *Render) one(ctx context.Context, src *Source, set *shot.Element, frame int, path string) (int64, []string, error) {
	crew := grid.NewCrew(r.Threads)
	sc, err := src.Scene(frame, r.Now, set, crew)
	if err != nil {
		return 0, nil, err
	}
	plate, err := Plate(r.Now, &sc.Look, frame)
	if err != nil {
		return 0, nil, err
	}
	if sc.Dark() {
		sc.Notes = append(sc.Notes, WhyDark)
	}
	w, h, n := sc.Look.Width, sc.Look.Height, sc.Look.Samples
	if r.Width > 0 {
		w, h = r.Width, r.Height
	}
	if r.Samples > 0 {
		n = r.Samples
	}
	k := wants(&sc.Look)
	if err := fits(sc, w, h, k, Memory()); err != nil {
		return 0, nil, err
	}
	pic, err := render.NewWith(sc, w, h, k, crew)
	if err != nil {
		return 0, nil, err
	}
	for pic.Samples < n && !pic.Done() {
		if !pic.Pass(func() bool { return ctx.Err() != nil }) {
			return 0, nil, ErrStopped
		}
	}
	tiny := filepath.Join(r.Dir, TinyDir, r.File(frame, "png"))
	meta := map[string]string{"shot": r.Now.Name, "look": set.Name, "frame": fmt.Sprint(frame), "samples": fmt.Sprint(pic.Samples), "software": "Zarf"}
	size, err := Save(path, tiny, sc, pic, plate, meta, crew)
	return size, sc.Notes, err
}

// WhyDark tells of a picture without light.
const WhyDark = "nothing gives light: sun and sky are 0, there is no lamp, and nothing glows. Raise one of them"

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
