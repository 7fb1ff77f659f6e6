package web

import (
	"encoding/json"
	"fmt"
	"sort"
	"strings"
	"sync"

	"zarf/core/shot"
	"zarf/core/shot/val"
	"zarf/studio/store"
)

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
func (w *space) swept(s *server, id string, t store.Take) {
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
	frames := s.st.Cache.Stage(t.Key).Frames()
	made := 0
	for f, x := range frames {
		v.Bytes += x.Size
		if f >= t.First && f <= t.Last {
			made++
		}
	}
	if made == t.Last-t.First+1 {
		v.Ready++
	}
}

// tidy adds up what the takes take of the disk, and what can be cleared.
func (s *server) tidy(w *space) error {
	size := map[string]int64{}
	for _, t := range w.list.Takes {
		if _, ok := size[t.Key]; !ok {
			size[t.Key] = s.st.Cache.Stage(t.Key).Bytes()
			w.Disk += size[t.Key]
		}
	}
	var err error
	if w.Clearable, err = s.st.Clearable(w.Row.ID, w.list); err != nil {
		return err
	}
	seen := map[string]bool{}
	for _, t := range w.Clearable {
		if !seen[t.Key] {
			w.ClearBytes += size[t.Key]
			seen[t.Key] = true
		}
	}
	return nil
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
	return mustJSON(out)
}

func takeNumbers(w *space) string {
	out := []int{}
	for _, t := range w.Takes {
		out = append(out, t.Number)
	}
	return mustJSON(out)
}

// choice is a number that a sweep can go over.
type choice struct {
	Label, Value, Unit string
	Is, Scale          float64
}

// sweepable lists the numbers that change a simulation, those that matter most
// first.
func sweepable(doc *shot.Shot) []choice {
	length := val.Units.Of(doc)
	var main, rest []choice
	for _, e := range append(append([]*shot.Element{}, doc.Elements...), doc.Self) {
		// a sweep runs the first domain: only what acts in it
		if first := doc.Of(shot.Domain); e.Muted || (len(first) > 0 && e != doc.Self && ((e.Kind == shot.Domain && e != first[0]) || !e.Acts(first[0]))) {
			continue
		}
		in := doc.Within(e)
		for _, x := range shot.Entries(e.Kind) {
			frames := x.Unit == shot.Frames || x.Unit == shot.FrameRate
			held := x.Fixed != "" && x.Key != val.Seed.Name() && e.Kind != shot.Setting // what the grid is made from
			if !x.Sim || frames || held || !x.Matters(e, in) || x.Key == val.Voxel.Name() {
				continue
			}
			f := fieldOf(x, e.ID, e.Get(x.Key), length)
			add := func(label string, part int, is float64) {
				c := choice{Label: label, Value: mustJSON([]any{e.Address(), x.Key, part}), Unit: f.Unit, Is: is / f.Scale, Scale: f.Scale}
				if x.Main {
					main = append(main, c)
				} else {
					rest = append(rest, c)
				}
			}
			name := e.Title() + ": " + x.Label
			switch x.Type {
			case shot.Number, shot.Integer:
				add(name, 0, e.Get(x.Key).Num)
			case shot.Vector:
				for p := range 3 {
					add(name+" "+"xyz"[p:p+1], p, e.Get(x.Key).Vec[p])
				}
			}
		}
	}
	return append(main, rest...)
}

// sweepVoxel is the voxel size that a sweep offers: twice the domain's.
func sweepVoxel(d *shot.Element) string { return shot.Short(shot.Tidy(2 * val.Voxel.Of(d))) }

// JSON tells the page of the takes' frames and rates.
func (c *compared) JSON() string { return mustJSON(c.facts) }
