package studio

import (
	"encoding/json"
	"errors"
	"fmt"
	"math"
	"strings"

	"zarf/core/check"
	"zarf/core/shot"
	"zarf/core/shot/val"
	"zarf/core/stage"
	"zarf/studio/store"
)

// Sweep runs a shot with every combination of some values.
type Sweep struct {
	Voxel  float64      `json:"voxel"` // m, of its takes
	From   int          `json:"from"`
	To     int          `json:"to"`
	Values []SweepValue `json:"values"`
}

// SweepValue is one value and where it goes.
type SweepValue struct {
	Element string  `json:"el"` // as shot.Owner finds it
	Key     string  `json:"key"`
	Part    int     `json:"part"` // of a vector: 0, 1, 2
	From    float64 `json:"from"` // SI
	To      float64 `json:"to"`
	Steps   int     `json:"steps"`
}

// Limits of a sweep.
const (
	MaxSweepValues = 3
	MaxSweepTakes  = 64
)

// SweepCost is what a sweep takes.
type SweepCost struct {
	Takes, Frames  int
	Voxels         float64 // of a take
	Seconds, Bytes float64 // of all
}

// set is one combination: what each value is.
type set []float64

// sets lists the combinations; the last value changes quickest.
func (sw *Sweep) sets() []set {
	out := []set{{}}
	for _, v := range sw.Values {
		var next []set
		for _, s := range out {
			for i := range v.Steps {
				x := v.From
				if v.Steps > 1 {
					x += (v.To - v.From) * float64(i) / float64(v.Steps-1)
				}
				next = append(next, append(append(set{}, s...), shot.Tidy(x)))
			}
		}
		out = next
	}
	return out
}

// apply sets one value of a shot; keys on it give way.
func (v *SweepValue) apply(s *shot.Shot, x float64) error {
	e := s.Owner(v.Element)
	if e == nil {
		return fmt.Errorf("there is no element %q", v.Element)
	}
	entry := shot.Find(e.Kind, v.Key)
	if entry == nil || (entry.Type != shot.Number && entry.Type != shot.Integer && entry.Type != shot.Vector) {
		return fmt.Errorf("%s has no number %q", e.Title(), v.Key)
	}
	if !entry.Sim {
		return fmt.Errorf("%s of %s doesn't change a simulation; compare looks instead", entry.Label, e.Title())
	}
	to := entry.Value(e)
	if entry.Type == shot.Vector {
		if v.Part < 0 || v.Part > 2 {
			return fmt.Errorf("%s has three parts; %d is none of them", entry.Label, v.Part)
		}
		to.Vec[v.Part] = x
	} else {
		to.Num = x
	}
	if entry.Type == shot.Integer {
		to.Num = math.Round(to.Num)
	}
	if err := e.Put(v.Key, to); err != nil {
		return err
	}
	e.DropKeys(entry)
	return nil
}

// say writes a value of a combination in words.
func (v *SweepValue) say(s *shot.Shot, x float64) string {
	e := s.Owner(v.Element)
	entry := shot.Find(e.Kind, v.Key)
	unit := entry.Unit.Shown(val.Units.Of(s))
	label := entry.Label
	if entry.Type == shot.Vector {
		label += " " + "xyz"[v.Part:v.Part+1]
	}
	return strings.TrimSpace(fmt.Sprintf("%s %s %s", label, entry.Unit.Format(x, unit), unit))
}

// swept is what a take keeps of its sweep.
type swept struct {
	ID     string       `json:"id"`
	Values []SweepValue `json:"values"`
	Set    set          `json:"set"`
}

// docs makes the shot of every combination.
func (s *Studio) docs(row store.ShotRow, sw Sweep) (base *shot.Shot, docs []*shot.Shot, err error) {
	if base, err = s.Store.Doc(row.ID); err != nil {
		return nil, nil, err
	}
	if len(sw.Values) < 1 || len(sw.Values) > MaxSweepValues {
		return nil, nil, fmt.Errorf("a sweep goes over one to %d values, not %d", MaxSweepValues, len(sw.Values))
	}
	n := 1
	for _, v := range sw.Values {
		if v.Steps < 1 || v.Steps > MaxSweepTakes || math.IsNaN(v.From+v.To) || math.IsInf(v.From+v.To, 0) {
			return nil, nil, fmt.Errorf("%s goes from %g to %g in %d steps; give finite ends and 1 to %d steps", v.Key, v.From, v.To, v.Steps, MaxSweepTakes)
		}
		if n *= v.Steps; n > MaxSweepTakes {
			return nil, nil, fmt.Errorf("that is more than %d takes; take fewer steps", MaxSweepTakes)
		}
	}
	coarse, err := stage.Coarse(base, "", sw.Voxel)
	if err != nil {
		return nil, nil, err
	}
	runs, err := stage.PickDomain(coarse, "")
	if err != nil {
		return nil, nil, err
	}
	for i := range sw.Values { // a value that the domain doesn't read would make the same take again and again
		v := &sw.Values[i]
		if v.Steps < 2 || v.From == v.To {
			continue
		}
		a, b := coarse.Clone(), coarse.Clone()
		if err := errors.Join(v.apply(a, v.From), v.apply(b, v.To)); err != nil {
			return nil, nil, err
		}
		if stage.Key(a, a.Element(runs.ID)) == stage.Key(b, b.Element(runs.ID)) {
			return nil, nil, fmt.Errorf("%s of %s changes nothing in %s, the domain that a sweep runs", shot.Find(a.Owner(v.Element).Kind, v.Key).Label, a.Owner(v.Element).Title(), runs.Name)
		}
	}
	for _, set := range sw.sets() {
		d := coarse.Clone()
		for i, v := range sw.Values {
			if err := v.apply(d, set[i]); err != nil {
				return nil, nil, err
			}
		}
		if bad := check.Faults(check.Shot(d, check.Machine{Memory: Memory()})); len(bad) > 0 {
			return nil, nil, &Refused{bad}
		}
		docs = append(docs, d)
	}
	return base, docs, nil
}

func (sw *Sweep) span(d *shot.Shot) (from, to int, err error) {
	first, last := d.Range()
	from, to = sw.From, sw.To
	if from == 0 && to == 0 {
		from, to = first, last
	}
	if from < first || to < from {
		err = fmt.Errorf("frames %d–%d can't be run; the shot begins at %d", from, to, first)
	}
	return from, to, err
}

// SweepCost tells what a sweep would take, before it begins.
func (s *Studio) SweepCost(row store.ShotRow, sw Sweep) (c SweepCost, err error) {
	_, docs, err := s.docs(row, sw)
	if err != nil {
		return c, err
	}
	from, to, err := sw.span(docs[0])
	if err != nil {
		return c, err
	}
	l, err := s.List(row.ID)
	if err != nil {
		return c, err
	}
	c.Takes, c.Frames = len(docs), to-from+1
	for _, d := range docs {
		dom, err := stage.PickDomain(d, "")
		if err != nil {
			return c, err
		}
		g, _ := s.Guess(d, dom, l)
		part := float64(c.Frames) / float64(max(g.Frames, 1))
		c.Voxels = dom.Voxels()
		c.Seconds += g.Seconds * part
		c.Bytes += g.Disk * part
	}
	return c, nil
}

// RunSweep queues a take for every combination.
func (s *Studio) RunSweep(row store.ShotRow, sw Sweep) ([]store.Take, error) {
	base, docs, err := s.docs(row, sw)
	if err != nil {
		return nil, err
	}
	from, to, err := sw.span(docs[0])
	if err != nil {
		return nil, err
	}
	parent, err := s.Store.Base(row.ID)
	if err != nil {
		return nil, err
	}
	sets := sw.sets()
	id := ""
	var out []store.Take
	for i, d := range docs {
		dom, err := stage.PickDomain(d, "")
		if err != nil {
			return out, err
		}
		var words []string
		for n, v := range sw.Values {
			words = append(words, v.say(base, sets[i][n]))
		}
		t := store.Take{ShotID: row.ID, Doc: d.Encode(), Domain: dom.ID, Key: stage.Key(d, dom), First: from, Last: to, Note: strings.Join(words, ", "), Parent: parent}
		if id == "" {
			takes, err := s.Store.Takes(row.ID)
			if err != nil {
				return nil, err
			}
			n := 1
			if len(takes) > 0 {
				n = takes[0].Number + 1
			}
			id = fmt.Sprintf("%d", n)
		}
		b, err := json.Marshal(swept{ID: id, Values: sw.Values, Set: sets[i]})
		if err != nil {
			return out, err
		}
		t.Sweep = string(b)
		if t, err = s.Store.CreateTake(t); err != nil {
			return out, err
		}
		if err := s.resume(t, from, to, -1); err != nil {
			return out, err
		}
		out = append(out, t)
	}
	return out, nil
}

// Adopt sets a shot's values to those that a take's sweep chose for it; the
// shot's own voxel size stays.
func (s *Studio) Adopt(shotID int64, t store.Take) error {
	var sw swept
	if err := json.Unmarshal([]byte(t.Sweep), &sw); err != nil || len(sw.Set) != len(sw.Values) {
		return fmt.Errorf("take %d belongs to no sweep", t.Number)
	}
	_, err := s.Store.Edit(shotID, fmt.Sprintf("go on from take %d", t.Number), "", func(d *shot.Shot) error {
		for i, v := range sw.Values {
			if err := v.apply(d, sw.Set[i]); err != nil {
				return err
			}
		}
		return nil
	})
	if err == nil {
		err = s.Store.SetBase(shotID, t.ID)
	}
	return err
}

// Clearable lists the takes that Clear would discard: those without stars and
// notes, that nothing hangs on, but for the newest of each domain and the one
// that the shot goes on from.
func (s *Studio) Clearable(shotID int64, l Listing) (out []store.Take, err error) {
	base, err := s.Store.Base(shotID)
	if err != nil {
		return nil, err
	}
	hangs, err := s.hanging(shotID)
	if err != nil {
		return nil, err
	}
	newest := map[string]bool{} // by domain: a chain's stages each keep theirs
	for i, t := range l.Takes {
		j := l.Jobs[t.ID]
		if t.SweepID() == "" && !newest[t.Domain] {
			newest[t.Domain] = true
			continue
		}
		marked := t.Stars > 0 || (t.Note != "" && t.Sweep == "")
		if i == 0 || t.ID == base || marked || j.Active() || len(hangs[t.ID]) > 0 {
			continue
		}
		out = append(out, t)
	}
	return out, nil
}

// Clear discards the takes that Clearable lists and tells how many they were.
func (s *Studio) Clear(shotID int64) (int, error) {
	l, err := s.List(shotID)
	if err != nil {
		return 0, err
	}
	list, err := s.Clearable(shotID, l)
	if err != nil {
		return 0, err
	}
	for n, t := range list {
		if err := s.Discard(t); err != nil {
			return n, err
		}
	}
	return len(list), nil
}

// Hangs names what was made from a take: rendered ranges and handovers.
func (s *Studio) Hangs(t store.Take) ([]string, error) {
	all, err := s.hanging(t.ShotID)
	return all[t.ID], err
}

// hanging names what was made from the takes of a shot, by take.
func (s *Studio) hanging(shotID int64) (map[int64][]string, error) {
	out := map[int64][]string{}
	for _, k := range []struct{ kind, word string }{{KindRender, "rendered range"}, {KindHandover, "handover"}} {
		count, err := s.Store.CountJobs(shotID, k.kind)
		if err != nil {
			return nil, err
		}
		for id, n := range count {
			if n == 1 {
				out[id] = append(out[id], "a "+k.word)
			} else {
				out[id] = append(out[id], fmt.Sprintf("%d %ss", n, k.word))
			}
		}
	}
	return out, nil
}
