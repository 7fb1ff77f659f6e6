package look

import (
	"bytes"
	"context"
	"crypto/sha256"
	"errors"
	"fmt"
	"image/png"
	"math"
	"net/http"
	"net/url"
	"slices"
	"strconv"
	"strings"
	"sync"
	"time"

	"github.com/gin-gonic/gin"

	"zarf/core/film"
	"zarf/core/frame"
	"zarf/core/geom"
	"zarf/core/grid"
	"zarf/core/look"
	"zarf/core/render"
	"zarf/core/shot"
	"zarf/core/shot/val"
	"zarf/core/stage"
	"zarf/studio/run"
	"zarf/studio/store"
	"zarf/web/desk"
)

// previews are pictures under way while values change, the newest few, and the
// frames that they were made from.
type previews struct {
	mu   sync.Mutex
	list []*previewJob

	frames []*readFrame
}

// readFrame is a frame's channels in memory: they stay the same while a look
// is tried out.
type readFrame struct {
	key    string
	once   sync.Once
	c      *render.Channels
	origin geom.Vec3
	h      float64
	err    error
}

type previewJob struct {
	mu     sync.Mutex
	client string
	key    string
	sc     *render.Scene
	pic    *render.Picture
	quick  *render.Scene // for the quick march, by which the first pictures are made
	stage  string        // what is shown: a coarse picture, a quick one, or what is asked for
	shown  film.Frame
	at     int // samples of what is shown, where that is denoised
	want   int
	err    error
	begun  time.Time
	stop   context.CancelFunc
	ctx    context.Context
}

// lightKey names all that a picture's light depends on; what film makes of it
// is left out, so that exposure and grade act on the light that is there.
func lightKey(t store.Take, doc *shot.Shot, lk *shot.Element, number, width int, layer string) string {
	seen := []any{doc.Rate(), desk.Pictured(doc)}
	now := val.Frame(float64(number))
	for _, e := range shot.Entries(shot.Look) {
		if e.Topic != "film" && e.Topic != "files" && !slices.Contains(afterLight, e.Key) {
			seen = append(seen, e.Key, e.JSON(lk.At(e.Key, now)))
		}
	}
	return fmt.Sprintf("%s/%d/%d/%t/%t/%x", t.Key, number, width, layer != "beauty", layer == "motion", sha256.Sum256([]byte(desk.JSON(seen))))
}

// afterLight are the values of looks that act on the light that is there, or
// say how much of it is gathered.
var afterLight = []string{val.LightBands.Name(), val.Denoise.Name(), val.Samples.Name(), val.Plate.Name(), val.PlateFirst.Name()}

// preview adds samples for a quarter of a second and answers with the picture
// so far; the first answer is a coarse one. What it depends on makes its key,
// so that a change begins a new one, and whoever asks for an old one stops.
func (s *room) preview(c *gin.Context) {
	row := desk.Row(c)
	t, number, ok := s.TakeFrame(c, c.Query("take"), c.Query("frame"))
	if !ok {
		return
	}
	doc, err := s.Studio.Store.Doc(row.ID)
	if err != nil {
		c.String(http.StatusInternalServerError, "the shot can't be read")
		return
	}
	lk := doc.Look(c.Query("look"))
	if lk == nil {
		lk = doc.Looks[0]
	}
	width := 640
	if n, err := strconv.Atoi(c.Query("width")); err == nil {
		width = min(max(n, 32), 1280)
	}
	layer := c.DefaultQuery("layer", "beauty")
	p := s.previews.take(c.Query("client"), lightKey(t, doc, lk, number, width, layer))
	p.mu.Lock()
	defer p.mu.Unlock()
	if p.sc == nil && p.err == nil {
		p.err = s.begin(p, t, doc, lk, number, layer == "motion")
	}
	if p.err != nil {
		desk.Explain(c, p.err)
		return
	}
	now := look.At(lk, float64(number))
	p.want, p.sc.Look.Denoise, p.sc.Look.Film = now.Samples, now.Denoise, now.Film
	width, height := shownSize(width, now.Width, now.Height)
	plate, err := run.Plate(doc, &now, number)
	if err != nil {
		desk.Explain(c, err)
		return
	}
	crew := grid.NewCrew(s.Opt.Threads)
	stop := func() bool { return p.ctx.Err() != nil || c.Request.Context().Err() != nil }
	light, err := p.gather(layer, width, height, crew, stop)
	switch {
	case errors.Is(err, errOutdated):
		c.String(http.StatusGone, err.Error())
		return
	case err != nil:
		desk.Explain(c, err)
		return
	}
	if layer != "beauty" { // layers are shown by themselves
		plate = nil
	}
	s.sendPreview(c, p, film.Develop(light, &p.sc.Look.Film, plate, crew))
}

// maxShown is how many pixels a preview has at most.
const maxShown = 1280 * 1280

// shownSize is the size of a preview of a width of a look's picture: in its shape, and
// smaller where that is so tall that it would be too large.
func shownSize(width, w, h int) (int, int) {
	tall := max(1, float64(width)*float64(h)/float64(max(w, 1)))
	if k := math.Sqrt(maxShown / (float64(width) * tall)); k < 1 {
		return max(1, int(float64(width)*k)), max(1, int(tall*k))
	}
	return width, int(tall)
}

var errOutdated = errors.New("another picture has begun")

// slice is how long light is gathered for between two answers.
const slice = 250 * time.Millisecond

// gather adds light for a while and gives what there is. The first answer of a large
// picture is a coarse one, a 16th of its pixels, and before paths show anything the quick
// march does; then denoised pictures follow, each of twice the samples of the last.
func (p *previewJob) gather(layer string, width, height int, crew grid.Crew, stop func() bool) (light film.Frame, err error) {
	if p.quick == nil {
		p.quick = p.sc.Quick()
	}
	beauty, paths := layer == "beauty", p.sc.Look.Method == "path"
	switch {
	case beauty && p.stage == "" && width >= 256:
		// its pixels are wider than voxels: steps of two don't show
		p.quick.Look.Step *= 2
		light, err = p.once("coarse", width/4, max(height/4, 1), crew, stop)
		p.quick.Look.Step /= 2
		return light, err
	case beauty && paths && (p.stage == "" || p.stage == "coarse"):
		return p.once("quick", width, height, crew, stop)
	}
	if p.pic == nil {
		// depth and albedo are for layers, and for taking noise away: the march has none
		if p.pic, err = render.NewWith(p.sc, width, height, render.Wants{Layers: !beauty, Features: paths || !beauty}, crew); err != nil {
			return light, err
		}
	}
	begin := time.Now()
	for p.more() && time.Since(begin) < slice {
		// the first pass of the march is what is waited for, all else is taken in slices
		whole := !paths && p.pic.Samples == 0
		if !p.pic.Pass(func() bool { return stop() || !whole && time.Since(begin) > slice }) && stop() {
			return light, errOutdated
		}
	}
	switch n := p.pic.Samples; {
	case !beauty:
		return p.pic.Show(layer)
	case !paths || p.sc.Look.Denoise == 0 && n > 0:
		p.stage, p.shown = "samples", p.pic.Finished()
	case n >= 4 && n >= 2*p.at || n > p.at && !p.more():
		p.stage, p.shown, p.at = "samples", p.pic.Finished(), n
	}
	return p.shown, nil
}

// more says that the picture wants more samples.
func (p *previewJob) more() bool { return p.pic.Samples < p.want && !p.pic.Done() }

// once is one pass of the quick march.
func (p *previewJob) once(stage string, width, height int, crew grid.Crew, stop func() bool) (light film.Frame, err error) {
	pic, err := render.New(p.quick, width, height, crew)
	if err != nil {
		return light, err
	}
	if !pic.Pass(stop) {
		return light, errOutdated
	}
	p.stage, p.shown = stage, pic.Frame()
	return p.shown, nil
}

// sendPreview answers with a picture and what is known of it.
func (s *room) sendPreview(c *gin.Context, p *previewJob, out film.Frame) {
	var b bytes.Buffer
	enc := png.Encoder{CompressionLevel: png.BestSpeed}
	if err := enc.Encode(&b, out.NRGBA()); err != nil {
		desk.Explain(c, err)
		return
	}
	taken, finished := 0, false
	if p.pic != nil {
		taken, finished = p.pic.Samples, !p.more()
		if p.sc.Look.Method == "path" && taken > 1 {
			noise, _ := p.pic.Noise()
			c.Header("X-Zarf-Noise", strconv.FormatFloat(noise, 'f', 3, 64))
			if a, all := p.pic.Spent(); a < all {
				c.Header("X-Zarf-Spared", strconv.Itoa(100-100*a/all))
			}
		}
	}
	notes := p.sc.Notes
	if p.sc.Dark() {
		notes = append(slices.Clone(notes), run.WhyDark)
	}
	c.Header("X-Zarf-Stage", p.stage)
	c.Header("X-Zarf-Samples", strconv.Itoa(taken))
	c.Header("X-Zarf-Target", strconv.Itoa(p.want))
	c.Header("X-Zarf-Done", strconv.FormatBool(finished))
	c.Header("X-Zarf-Method", p.sc.Look.Method)
	c.Header("X-Zarf-Layers", strings.Join(p.sc.LayerNames(), " "))
	c.Header("X-Zarf-Seconds", strconv.FormatFloat(time.Since(p.begun).Seconds(), 'f', 1, 64))
	c.Header("X-Zarf-Notes", url.QueryEscape(strings.Join(notes, "; ")))
	c.Header("Cache-Control", "no-store")
	c.Data(http.StatusOK, "image/png", b.Bytes())
}

// begin makes the scene of a preview; moving says that its motion is shown.
func (s *room) begin(p *previewJob, t store.Take, doc *shot.Shot, lk *shot.Element, number int, moving bool) error {
	src, err := s.Studio.Source(t)
	if err != nil {
		return err
	}
	l := look.At(lk, float64(number))
	shutter := render.ShutterOf(doc, float64(number))
	src.Moving, src.Trying = moving, true
	f := s.previews.frame(fmt.Sprint(t.Key, number, l.Channels(stage.Has(src.Domain, frame.Burn)), shutter > 0, moving, l.MoteBy))
	f.once.Do(func() {
		if f.c, f.origin, f.h, f.err = src.Channels(number, &l, shutter); f.err != nil {
			return
		}
		f.c.Keep()
		for _, b := range f.c.Beside {
			b.Keep()
		}
	})
	if f.err != nil {
		return f.err
	}
	channels := *f.c
	channels.Shutter = shutter
	p.begun = time.Now()
	p.sc, err = src.Assemble(&channels, f.origin, f.h, number, doc, lk, grid.NewCrew(s.Opt.Threads))
	return err
}

// maxFrames bounds the frames that are kept in memory.
const maxFrames = 3

// frame finds or begins a frame in memory; the one used longest ago goes.
func (p *previews) frame(key string) *readFrame {
	p.mu.Lock()
	defer p.mu.Unlock()
	for i, f := range p.frames {
		if f.key == key {
			p.frames = append(append(p.frames[:i:i], p.frames[i+1:]...), f)
			return f
		}
	}
	f := &readFrame{key: key}
	if p.frames = append(p.frames, f); len(p.frames) > maxFrames {
		p.frames = p.frames[1:]
	}
	return f
}

// maxPreviews bounds the pictures under way over all pages.
const maxPreviews = 4

// take finds or begins a page's preview; the page's earlier one is stopped.
func (p *previews) take(client, key string) *previewJob {
	p.mu.Lock()
	defer p.mu.Unlock()
	for i, j := range p.list {
		if j.client != client {
			continue
		}
		if j.key == key && j.ctx.Err() == nil {
			return j
		}
		j.stop()
		p.list = append(p.list[:i:i], p.list[i+1:]...)
		break
	}
	if len(p.list) >= maxPreviews {
		p.list[0].stop()
		p.list = p.list[1:]
	}
	j := &previewJob{client: client, key: key}
	j.ctx, j.stop = context.WithCancel(context.Background())
	p.list = append(p.list, j)
	return j
}
