package desk

import (
	"encoding/json"
	"fmt"
	"os"
	"slices"
	"sort"
	"strconv"
	"strings"
	"sync"

	"zarf/core/shot"
	"zarf/studio"
	"zarf/studio/cache"
	"zarf/studio/store"
)

type TakeView struct {
	store.Take
	State   studio.CacheState
	Made    int
	Want    int
	Bytes   int64
	Job     *store.Job
	Thumb   string
	Chosen  bool
	Running bool
	Newest  bool
	Strip   []string            // pictures of four frames
	From    int                 // number of the take that it was made from; 0: none
	Since   string              // what was changed since that one
	Cached  map[int]cache.Frame // its frames in the cache
}

// fullest is the frame that takes most room in the cache, the first of them; none
// without frames.
func (v *TakeView) fullest() (frame int, ok bool) {
	var most int64
	for n, f := range v.Cached {
		if size := f.Size + f.Points; !ok || size > most || size == most && n < frame {
			frame, most, ok = n, size, true
		}
	}
	return frame, ok
}

type JobView struct {
	store.Job
	Take  int
	From  int
	To    int
	Look  string
	Files []int
}

// listedTakes is how many of the newest takes are listed; older ones are where
// they have stars, are chosen, or all are asked for.
const listedTakes = 40

// takes gathers the shot's takes; brief leaves out all but the chosen one.
func (s *Server) takes(w *Space, chosen string, brief, every bool) error {
	takes, jobs := w.List.Takes, w.List.Jobs
	want, _ := strconv.Atoi(chosen)
	byID := map[int64]store.Take{}
	for _, t := range takes {
		byID[t.ID] = t
	}
	for n, t := range takes {
		if id := t.SweepID(); id != "" && !brief {
			w.swept(s, id, t)
			if t.Number != want {
				if j, ok := jobs[t.ID]; ok && j.Active() && w.Active == nil {
					w.Active = &j
				}
				continue
			}
		}
		hidden := n >= listedTakes && t.Stars == 0 && !every
		if (hidden || (brief && n > 0)) && t.Number != want {
			if !brief {
				w.Older++
			}
			if j, ok := jobs[t.ID]; ok && j.Active() && w.Active == nil {
				w.Active = &j
			}
			continue
		}
		v := TakeView{Take: t, Want: t.Last - t.First + 1}
		var frames map[int]bool
		state, fs := s.Studio.State(w.Doc, t)
		v.State, v.Cached = state, fs
		frames = map[int]bool{}
		for f, x := range fs {
			if f >= t.First && f <= t.Last {
				v.Made++
				v.Bytes += x.Size + x.Points
				frames[f] = true
			}
		}
		for _, f := range four(frames, t) {
			v.Strip = append(v.Strip, fmt.Sprintf("/shots/%s/thumb?take=%d&frame=%d&key=%s", w.Row.Slug, t.Number, f, t.Key[:8]))
		}
		v.Newest = n == 0
		if p, ok := byID[t.Parent]; ok {
			v.From, v.Since = p.Number, s.since.words(p, t)
		}
		if j, ok := jobs[t.ID]; ok {
			v.Job = &j
			v.Running = j.Active()
			if v.Running && w.Active == nil {
				w.Active = &j
			}
		}
		w.Takes = append(w.Takes, v)
	}
	for i := range w.Takes {
		if w.Takes[i].Number == want {
			w.Take = &w.Takes[i]
		}
	}
	if w.Take == nil && len(w.Takes) > 0 {
		w.Take = &w.Takes[0]
	}
	if w.Take != nil {
		w.Take.Chosen = true
	}
	return nil
}

func (s *Server) TakeNumber(id int64) int {
	t, err := s.Studio.Store.TakeByID(id)
	if err != nil {
		return 0
	}
	return t.Number
}

// ListRenders gathers the shot's rendered ranges.
func (s *Server) ListRenders(w *Space) error {
	jobs, err := s.Studio.Store.ShotJobs(w.Row.ID, studio.KindRender)
	seen := map[string]bool{}
	for _, j := range jobs {
		v := JobView{Job: j, Take: s.TakeNumber(j.TakeID)}
		v.From, v.To, v.Look = studio.Span(j)
		if seen[j.Dir] { // a later job went on with it
			continue
		}
		seen[j.Dir] = true
		v.Files = renderedFrames(j, v.From, v.To)
		w.Renders = append(w.Renders, v)
	}
	return err
}

var jobNouns = map[string]string{studio.KindSim: "the simulation", studio.KindRender: "the render", studio.KindHandover: "the handover"}

// turn is where a waiting job stands.
type turn struct {
	Ahead int    // jobs that come before it, the running one included
	Last  bool   // nothing waits behind it
	After string // what runs now
}

// Words says where in the queue a job stands.
func (t *turn) Words() string {
	switch {
	case t.Ahead == 0:
		return "starts next"
	case t.After == "":
		return fmt.Sprintf("%d ahead", t.Ahead)
	case t.Ahead == 1:
		return "next, after " + t.After
	}
	return fmt.Sprintf("%d ahead, first %s", t.Ahead, t.After)
}

// turns finds where the waiting jobs of a shot stand.
func (s *Server) turns(shotID int64) (map[int64]*turn, error) {
	due, err := s.Studio.Store.ActiveJobs()
	out := map[int64]*turn{}
	after := ""
	for i, j := range due {
		if j.State == store.Running {
			if row, err := s.Studio.Store.ShotByID(j.ShotID); err == nil && after == "" {
				after = jobNouns[j.Kind] + " of " + row.Name
				if j.Left > 0 {
					after += " (" + SecondsWords(j.Left) + " left)"
				}
			}
		} else if j.ShotID == shotID {
			out[j.ID] = &turn{Ahead: i, Last: i == len(due)-1, After: after}
		}
	}
	return out, err
}

// Turn is where a waiting job stands; nil: it doesn't wait.
func (w *Space) Turn(job int64) *turn { return w.turns[job] }

// WaitsForRoom reports that a job waits for room on a full disk.
func (w *Space) WaitsForRoom(job int64) bool { return w.full(job) }

// renderedFrames are the frames of a render job that are there.
func renderedFrames(j store.Job, from, to int) (out []int) {
	list, err := os.ReadDir(j.Dir)
	if err != nil {
		return nil
	}
	name := studio.JobName(j)
	for _, e := range list {
		rest, ok := strings.CutPrefix(e.Name(), name+".")
		if !ok {
			continue
		}
		number, _, _ := strings.Cut(rest, ".")
		if f, err := strconv.Atoi(number); err == nil && f >= from && f <= to && (len(out) == 0 || out[len(out)-1] != f) {
			out = append(out, f)
		}
	}
	slices.Sort(out)
	return out
}

// since remembers in words what takes changed against those that they were
// made from; neither ever changes.
type since struct {
	mu   sync.Mutex
	text map[[2]int64]string
}

func (s *since) words(parent, t store.Take) string {
	k := [2]int64{parent.ID, t.ID}
	s.mu.Lock()
	text, ok := s.text[k]
	s.mu.Unlock()
	if ok {
		return text
	}
	a, err := parent.Shot()
	if err != nil {
		return ""
	}
	b, err := t.Shot()
	if err != nil {
		return ""
	}
	text = inWords(shot.Diff(a, b))
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.text == nil || len(s.text) > 5000 {
		s.text = map[[2]int64]string{}
	}
	s.text[k] = text
	return text
}

// inWords names the first changes, and how many more there are.
func inWords(list []shot.Change) string {
	if len(list) == 0 {
		return "the same values"
	}
	var out []string
	for _, c := range list[:min(2, len(list))] {
		out = append(out, fmt.Sprintf("%s %s → %s", c.Label, c.Was, c.Is))
	}
	text := strings.Join(out, ", ")
	if n := len(list) - 2; n > 0 {
		text += fmt.Sprintf(" and %d more", n)
	}
	return text
}

// four picks frames that show how a take runs: evenly between its first and
// its last that is there.
func four[F any](frames map[int]F, t store.Take) (out []int) {
	var all []int
	for f := range frames {
		if f >= t.First && f <= t.Last {
			all = append(all, f)
		}
	}
	sort.Ints(all)
	n := min(4, len(all))
	for i := range n {
		out = append(out, all[(2*i+1)*(len(all)-1)/max(2*n-1, 1)])
	}
	return out
}

// sweepView is a sweep in the list of takes.
type sweepView struct {
	ID, List, Words string
	Count, Ready    int
	Bytes           int64
}

// swept adds a take to its sweep.
func (w *Space) swept(s *Server, id string, t store.Take) {
	i := 0
	for i < len(w.Sweeps) && w.Sweeps[i].ID != id {
		i++
	}
	if i == len(w.Sweeps) {
		w.Sweeps = append(w.Sweeps, sweepView{ID: id})
	}
	v := &w.Sweeps[i]
	v.Count++
	if v.List != "" {
		v.List = "," + v.List
	}
	v.List = fmt.Sprint(t.Number) + v.List
	var sw struct {
		Values []struct {
			Key string `json:"key"`
		} `json:"values"`
	}
	if json.Unmarshal([]byte(t.Sweep), &sw) == nil && v.Words == "" {
		var keys []string
		for _, x := range sw.Values {
			keys = append(keys, strings.ReplaceAll(x.Key, "_", " "))
		}
		v.Words = strings.Join(keys, " × ")
	}
	frames := s.Studio.Cache.Stage(t.Key).Frames()
	made := 0
	for f, x := range frames {
		v.Bytes += x.Size + x.Points
		if f >= t.First && f <= t.Last {
			made++
		}
	}
	if made == t.Last-t.First+1 {
		v.Ready++
	}
}

// lookList and takeNumbers go to the page as JSON.
func lookList(doc *shot.Shot) string {
	type look struct {
		ID   string `json:"id"`
		Name string `json:"name"`
	}
	var out []look
	for _, l := range doc.Looks {
		out = append(out, look{l.ID, l.Name})
	}
	return JSON(out)
}

func takeNumbers(w *Space) string {
	out := []int{}
	for _, t := range w.Takes {
		out = append(out, t.Number)
	}
	return JSON(out)
}
