package run

import (
	"context"
	"fmt"
	"os"
	"path/filepath"
	"sync"
	"time"

	"golang.org/x/sync/errgroup"

	"zarf/core/format/exr"
	"zarf/core/frame"
	"zarf/core/grid"
	"zarf/core/look"
	"zarf/core/render"
	"zarf/core/shot"
	"zarf/core/shot/val"
	"zarf/core/stage"
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
	Samples int  // 0: the look's
	Tiles   bool // temperature as a further layer, for flipbooks
	Sides   bool // and light from six sides, which takes six quick renders
	Dir     string
	Name    string
	Threads int
}

// File is the name of one picture with an ending.
func (r *Render) File(number int, ext string) string {
	return fmt.Sprintf("%s.%04d.%s", r.Name, number, ext)
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
	p := &pass{r: r, src: src, set: set, report: report, total: r.To - r.From + 1}
	var todo []int
	for f := r.From; f <= r.To; f++ {
		lk := look.At(set, float64(f))
		switch _, err := os.Stat(filepath.Join(r.Dir, r.File(f, Ext(&lk)))); {
		case err == nil:
			p.tell(Progress{Frame: f, Reused: true})
		case !src.Stage.Has(f):
			p.lost = append(p.lost, f)
			p.tell(Progress{Frame: f, Notes: []string{"not in the cache"}})
		default:
			todo = append(todo, f)
		}
	}
	if err := p.all(ctx, todo); err != nil {
		return err
	}
	if len(p.lost) > 0 {
		return fmt.Errorf("%d of %d frames are not in the cache and were left out: %s; run the take and render again", len(p.lost), p.total, Ranges(p.lost))
	}
	return nil
}

// pass is a range being made.
type pass struct {
	r      *Render
	src    *Source
	set    *shot.Element
	report Report
	total  int
	lost   []int

	mu   sync.Mutex
	done int
	made int
}

// tell reports one frame more; the caller holds mu or is alone.
func (p *pass) tell(g Progress) {
	p.done++
	g.Done, g.Total = p.done, p.total
	p.report(g)
}

// lanes is how many frames are made at a time: reading, packing and writing of
// one go on while another is lit. A frame has the same bits on any number of
// threads.
const lanes = 2

// all makes frames, several at a time.
func (p *pass) all(ctx context.Context, todo []int) error {
	begin := time.Now()
	return Lanes(ctx, todo, p.r.Threads, func(ctx context.Context, f int, crew grid.Crew) error {
		return p.frame(ctx, f, crew, begin, len(todo))
	})
}

// Lanes does something for each of a list, a few at a time, each on its share
// of the threads; the first fault ends it once those under way have ended.
func Lanes(ctx context.Context, todo []int, threads int, do func(ctx context.Context, f int, crew grid.Crew) error) error {
	threads = grid.NewCrew(threads).Threads()
	n := max(1, min(lanes, threads, len(todo)))
	next := make(chan int)
	group, ctx := errgroup.WithContext(ctx)
	for lane := range n {
		crew := grid.NewCrew(max(1, (threads+lane)/n))
		group.Go(func() error {
			for f := range next {
				if err := do(ctx, f, crew); err != nil {
					return err
				}
			}
			return nil
		})
	}
	sent := 0
	for _, f := range todo {
		if ctx.Err() != nil { // where both are ready, select takes either
			break
		}
		select {
		case next <- f:
			sent++
			continue
		case <-ctx.Done():
		}
		break
	}
	close(next)
	if err := group.Wait(); err != nil {
		return err
	}
	if sent < len(todo) {
		return ErrStopped
	}
	return nil
}

func (p *pass) frame(ctx context.Context, f int, crew grid.Crew, begin time.Time, todo int) error {
	lk := look.At(p.set, float64(f))
	start := time.Now()
	size, notes, err := p.r.one(ctx, p.src, p.set, f, filepath.Join(p.r.Dir, p.r.File(f, Ext(&lk))), crew)
	if err != nil {
		return err
	}
	p.mu.Lock()
	defer p.mu.Unlock()
	g := Progress{Frame: f, Seconds: time.Since(start).Seconds(), Bytes: size, Notes: notes}
	p.made++
	g.Left = time.Since(begin).Seconds() / float64(p.made) * float64(todo-p.made)
	p.tell(g)
	return nil
}

// one renders a frame; notes tell what had to be left out.
func (r *Render) one(ctx context.Context, src *Source, set *shot.Element, number int, path string, crew grid.Crew) (int64, []string, error) {
	lk := look.At(set, float64(number))
	own := *src
	own.Moving = wants(&lk).Features && Ext(&lk) == "exr"
	sc, err := own.Scene(number, r.Now, set, crew)
	if err != nil {
		return 0, nil, err
	}
	if own.Moving && !sc.Moves() {
		sc.Notes = append(sc.Notes, "the cache holds no velocity, so the fluid stands still in the motion layer: keep velocity and run again")
	}
	plate, err := Plate(r.Now, &sc.Look, number)
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
	tiny := filepath.Join(r.Dir, TinyDir, r.File(number, "png"))
	meta := map[string]string{"shot": r.Now.Name, "look": set.Name, "frame": fmt.Sprint(number), "samples": fmt.Sprint(pic.Samples), "software": "Zarf", "alpha": "premultiplied", "colourSpace": "linear light, Rec. 709 primaries"}
	var more []exr.Channel
	if r.Tiles {
		var heat *grid.Field
		if stage.Has(src.Domain, frame.Temperature) {
			f, err := src.ReadOnly(number, frame.Density, frame.Burn, frame.Temperature)
			if err != nil {
				return 0, nil, err
			}
			heat = src.Channel(f, frame.Temperature)
		}
		if more, err = tileLayers(ctx, sc, heat, r.Sides, w, h, crew); err != nil {
			return 0, nil, err
		}
	}
	size, err := Save(path, tiny, sc, pic, plate, meta, crew, more...)
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

// ForTiles sets a look to what flipbooks are made of: OpenEXR with layers,
// nothing behind, no ground.
func ForTiles(lk *shot.Element) {
	val.File.Set(lk, "exr")
	val.Layers.Set(lk, true)
	val.Packed.Set(lk, "zip")
	val.Background.Set(lk, "none")
	val.Ground.Set(lk, false)
}

// tileLayers are the layers that only flipbooks want: temperature, and light
// from six sides.
func tileLayers(ctx context.Context, sc *render.Scene, heat *grid.Field, six bool, w, h int, crew grid.Crew) (out []exr.Channel, err error) {
	if heat != nil {
		out = append(out, exr.Channel{Name: "heat.Y", Pix: sc.Heat(heat, w, h, crew)})
	}
	if !six {
		return out, nil
	}
	sides, err := sc.Sides(w, h, crew, func() bool { return ctx.Err() != nil })
	if err != nil {
		return nil, err
	}
	for n, name := range render.SideNames {
		if sides[n] == nil {
			return nil, ErrStopped
		}
		out = append(out, exr.Channel{Name: "sides." + name, Pix: sides[n]})
	}
	return out, nil
}
