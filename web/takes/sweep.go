package takes

import (
	"encoding/json"
	"errors"
	"fmt"
	"net/http"
	"strings"

	"github.com/gin-gonic/gin"

	"zarf/core/shot"
	"zarf/core/shot/val"
	"zarf/studio"
	"zarf/studio/store"
	"zarf/web/desk"
)

// readSweep reads a sweep as the page's form sends it.
func readSweep(c *gin.Context) (sw studio.Sweep, err error) {
	body := c.PostForm("body")
	if strings.Contains(body, "null") { // what is no number leaves the page as null
		return sw, errors.New("a number is missing; give from, to and steps of each value, and the voxel size")
	}
	err = json.Unmarshal([]byte(body), &sw)
	if err != nil {
		err = fmt.Errorf("the sweep can't be read: %w", err)
	}
	return sw, err
}

// sweepCost says in words what a sweep would take.
func (s *room) sweepCost(c *gin.Context) {
	sw, err := readSweep(c)
	var cost studio.SweepCost
	if err == nil {
		cost, err = s.Studio.SweepCost(desk.Row(c), sw)
	}
	if err != nil {
		c.String(http.StatusUnprocessableEntity, "%s", err.Error())
		return
	}
	c.String(http.StatusOK, "%d takes of %d frames at %s voxels each: about %s and %s of disk", cost.Takes, cost.Frames, desk.CountWords(cost.Voxels), desk.SecondsWords(cost.Seconds), desk.BytesWords(cost.Bytes))
}

func (s *room) sweep(c *gin.Context) {
	sw, err := readSweep(c)
	var takes []store.Take
	if err == nil {
		takes, err = s.Studio.RunSweep(desk.Row(c), sw)
	}
	if err != nil {
		s.Answer(c, err)
		return
	}
	s.Answer(c, nil, "sweep", takes[0].SweepID(), "take", fmt.Sprint(takes[0].Number))
}

// clearTakes discards the takes that nobody marked.
func (s *room) clearTakes(c *gin.Context) {
	_, err := s.Studio.Clear(desk.Row(c).ID)
	s.Answer(c, err)
}

// tidy adds up what the takes take of the disk, and what can be cleared.
func (s *room) tidy(w *view) error {
	size := map[string]int64{}
	for _, t := range w.List.Takes {
		if _, ok := size[t.Key]; !ok {
			size[t.Key] = s.Studio.Cache.Stage(t.Key).Bytes()
			w.Disk += size[t.Key]
		}
	}
	var err error
	if w.Clearable, err = s.Studio.Clearable(w.Row.ID, w.List); err != nil {
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
			f := desk.FieldOf(x, e.ID, e.Get(x.Key), length)
			add := func(label string, part int, is float64) {
				c := choice{Label: label, Value: desk.JSON([]any{e.Address(), x.Key, part}), Unit: f.Unit, Is: is / f.Scale, Scale: f.Scale}
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
func (c *compared) JSON() string { return desk.JSON(c.facts) }
