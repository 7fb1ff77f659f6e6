package handover

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"time"

	"zarf/core/grid"
	"zarf/core/shot"
	"zarf/core/shot/val"
	"zarf/studio/cache"
	"zarf/studio/run"
)

// Job is a set of files for a receiver.
type Job struct {
	Take     *shot.Shot    // the values that made the cache
	Now      *shot.Shot    // camera and solids as they are; nil: the take's
	Domain   string        // id; empty: the first
	Settings *shot.Element // of kind Handover; nil: the defaults
	From     int
	To       int
	Dir      string
	Name     string // of the files
	Renders  string // folder of a rendered range, for pictures and flipbooks
	Look     string // id of the look it was rendered with
	Threads  int
}

// work is a job under way.
type work struct {
	*Job
	src    *run.Source
	m      *Manifest
	sp     space
	log    *journal
	report run.Report
	begin  time.Time
	total  int

	mu   sync.Mutex
	done int
	made int
}

// Set makes settings of values.
func Set(pairs ...val.Pair) *shot.Element { return shot.NewElement(shot.Handover, "", "", pairs...) }

// What is what a job hands over.
func (h *Job) What() string {
	if h.Settings == nil {
		h.Settings = Set()
	}
	return val.What.Of(h.Settings)
}

// FileName is the name of a numbered file.
func (h *Job) FileName(number int, ext string) string {
	return Numbered(h.Name, number, int(val.Digits.Of(h.Settings)), ext)
}

// Numbered is a name with a number of at least so many digits; a minus doesn't
// count as one.
func Numbered(name string, number, digits int, ext string) string {
	sign := ""
	if number < 0 {
		sign, number = "-", -number
	}
	return fmt.Sprintf("%s.%s%0*d.%s", name, sign, digits, number, ext)
}

// Frames are the source frames of a job.
func (h *Job) Frames() (out []int) {
	for f := h.From; f <= h.To; f += max(1, int(val.Step.Of(h.Settings))) {
		out = append(out, f)
	}
	return out
}

// Do writes the files, reads every one back, and writes checklist and manifest.
func (h *Job) Do(ctx context.Context, c *cache.Cache, report run.Report) error {
	w, err := h.start(c, report)
	if err != nil {
		return err
	}
	frames := h.Frames()
	number := map[int]int{}
	for n, f := range frames {
		number[f] = w.m.First + n
	}
	switch h.What() {
	case "volumes", "field":
		err = w.volumes(ctx, frames, number)
	case "points":
		err = w.points(ctx, frames, number)
	case "meshes":
		err = w.meshes(ctx, frames, number)
	case "pictures":
		err = w.pictures(ctx, frames, number)
	case "flipbook":
		err = w.flipbook(ctx, frames)
	default:
		err = fmt.Errorf("nothing called %q can be handed over", h.What())
	}
	if err != nil {
		return err
	}
	return w.finish()
}

func (h *Job) start(c *cache.Cache, report run.Report) (*work, error) {
	w := &work{Job: h, report: report, begin: time.Now()}
	if h.Settings == nil {
		h.Settings = Set()
	}
	if h.Now == nil {
		h.Now = h.Take
	}
	var err error
	if w.src, err = run.Open(h.Take, h.Domain, c); err != nil {
		return nil, err
	}
	if err := os.MkdirAll(h.Dir, 0o755); err != nil {
		return nil, fmt.Errorf("the handover's folder can't be made: %w; choose one that can be written to", err)
	}
	probe, err := os.CreateTemp(h.Dir, ".part-*")
	if err != nil {
		return nil, fmt.Errorf("the folder %s can't be written to: %w; choose another, or allow it", h.Dir, err)
	}
	probe.Close()
	os.Remove(probe.Name())
	if w.log, err = openJournal(h.Dir, h.head(w.src)); err != nil {
		return nil, err
	}
	if err := sweep(h.Dir); err != nil {
		return nil, err
	}
	w.sp = spaces[val.Axes.Of(h.Settings)]
	w.sp.scale = val.Scale.Of(h.Settings)
	w.m = &Manifest{Format: "zarf-handover/2", What: h.What(), Name: h.Name, Shot: h.Take.Name, Made: time.Now().UTC().Format(time.RFC3339), Rate: h.Take.Rate(),
		Frames: len(h.Frames()), First: int(val.Start.Of(h.Settings)), Digits: int(val.Digits.Of(h.Settings)), Source: [2]int{h.From, h.To}, Step: int(val.Step.Of(h.Settings))}
	w.total = len(h.Frames())
	return w, nil
}

// sweep removes what a killed job left half written.
func sweep(dir string) error {
	return filepath.WalkDir(dir, func(path string, d fs.DirEntry, err error) error {
		if err == nil && !d.IsDir() && strings.HasPrefix(d.Name(), ".part-") {
			err = os.Remove(path)
		}
		return err
	})
}

// head tells what a job makes, for its journal.
func (h *Job) head(src *run.Source) string {
	s := *h.Now
	s.Handover = h.Settings
	sum := sha256.New()
	// only what goes into the files counts: not names, not looks
	fmt.Fprintln(sum, src.Stage.Dir, h.Domain, h.From, h.To, h.Name, h.Renders)
	for _, e := range shot.Entries(shot.Handover) {
		v := e.Value(h.Settings)
		fmt.Fprintln(sum, e.Key, v.Num, v.Text, v.Flag, v.Vec)
	}
	if h.What() == "meshes" || h.What() == "points" && (val.PointAs.Of(h.Settings) != "points" || val.PointColours.Of(h.Settings)) {
		sum.Write(s.Encode())
	}
	return "zarf-handover/2 " + hex.EncodeToString(sum.Sum(nil))[:32]
}

// have refuses frames that the cache lacks.
func (w *work) have(frames []int) error {
	var lost []int
	for _, f := range frames {
		if !w.src.Stage.Has(f) {
			lost = append(lost, f)
		}
	}
	if len(lost) > 0 {
		return fmt.Errorf("frames %s are not in the cache; run the take or hand over the frames that are there", run.Ranges(lost))
	}
	return nil
}

// known is a file that is there from before, if it is.
func (w *work) known(path string) (entry, bool) {
	e, ok := w.log.had[path]
	return e, ok
}

// file writes a file of the handover and reads it back: check is given its
// bytes. What is known of it goes into the journal.
func (w *work) file(path string, number int, e entry, write func(io.Writer) error, check func([]byte) error) error {
	full := filepath.Join(w.Dir, filepath.FromSlash(path))
	if err := os.MkdirAll(filepath.Dir(full), 0o755); err != nil {
		return fmt.Errorf("handover folder: %w", err)
	}
	size, sum, err := cache.WriteFile(full, write)
	if err != nil {
		return err
	}
	e.File = File{Path: path, Frame: number, Size: size, SHA256: sum}
	if err := w.reread(e.File, check); err != nil {
		return err
	}
	if err := w.log.add(e); err != nil {
		return err
	}
	w.take(e)
	return nil
}

// reread compares a file with what was written.
func (w *work) reread(f File, check func([]byte) error) error {
	b, err := os.ReadFile(filepath.Join(w.Dir, filepath.FromSlash(f.Path)))
	if err != nil {
		return fmt.Errorf("reading back: %w", err)
	}
	sum := sha256.Sum256(b)
	if int64(len(b)) != f.Size || hex.EncodeToString(sum[:]) != f.SHA256 {
		return fmt.Errorf("reading back: %s is not what was written; the disk may be failing", f.Path)
	}
	if check != nil {
		if err := check(b); err != nil {
			return fmt.Errorf("reading back %s: %w", f.Path, err)
		}
	}
	return nil
}

// again takes a file from before into the manifest if it is whole.
func (w *work) again(path string, check func([]byte) error) bool {
	e, ok := w.known(path)
	if !ok || w.reread(e.File, check) != nil {
		return false
	}
	w.take(e)
	return true
}

// take notes a file that is there.
func (w *work) take(e entry) {
	w.mu.Lock()
	defer w.mu.Unlock()
	w.m.Files = append(w.m.Files, e.File)
	for _, c := range e.Channels {
		w.m.see(c)
	}
	for _, n := range e.Notes {
		if !slices.Contains(w.m.Notes, n) {
			w.m.Notes = append(w.m.Notes, n)
		}
	}
}

// tell reports a frame that is done.
func (w *work) tell(number int, before bool) {
	w.mu.Lock()
	defer w.mu.Unlock()
	w.done++
	if !before {
		w.made++
	}
	per := time.Since(w.begin).Seconds() / float64(max(w.made, 1))
	w.report(run.Progress{Frame: number, Done: w.done, Total: w.total, Seconds: per, Left: per * float64(w.total-w.done), Reused: before})
}

// see widens a channel's range.
func (m *Manifest) see(c Channel) {
	for i := range m.Channels {
		if o := &m.Channels[i]; o.Name == c.Name {
			o.Low, o.High, o.Error = min(o.Low, c.Low), max(o.High, c.High), max(o.Error, c.Error)
			return
		}
	}
	m.Channels = append(m.Channels, c)
}

// finish writes checklist and manifest.
func (w *work) finish() error {
	m := w.m
	slices.SortFunc(m.Files, func(a, b File) int { return strings.Compare(a.Path, b.Path) })
	slices.SortFunc(m.Channels, func(a, b Channel) int { return strings.Compare(a.Name, b.Name) })
	slices.Sort(m.Notes)
	if len(m.Files) == 0 {
		return errors.New("nothing was written; choose something to hand over")
	}
	m.Checked = fmt.Sprintf("%d files read back, sizes and hashes equal, every one decoded", len(m.Files))
	m.Checklist = m.checklist()
	if _, _, err := cache.WriteFile(filepath.Join(w.Dir, ChecklistName), func(to io.Writer) error {
		_, err := fmt.Fprintf(to, "%s, %s of shot %s\n\n", m.Name, words[m.What], m.Shot)
		for _, l := range m.Checklist {
			if err == nil {
				_, err = fmt.Fprintf(to, "[ ] %s\n", l)
			}
		}
		return err
	}); err != nil {
		return err
	}
	_, _, err := cache.WriteFile(filepath.Join(w.Dir, ManifestName), func(to io.Writer) error {
		e := json.NewEncoder(to)
		e.SetIndent("", "  ")
		return e.Encode(m)
	})
	return err
}

// lanes does something for every frame, several at a time.
func (w *work) lanes(ctx context.Context, frames []int, do func(f int, crew grid.Crew) (before bool, err error)) error {
	return run.Lanes(ctx, frames, w.Threads, func(_ context.Context, f int, crew grid.Crew) error {
		before, err := do(f, crew)
		if err == nil {
			w.tell(f, before)
		}
		return err
	})
}
