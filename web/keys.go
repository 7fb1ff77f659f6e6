package web

import (
	"encoding/json"
	"errors"
	"fmt"
	"math"
	"net/http"
	"slices"
	"strconv"

	"github.com/gin-gonic/gin"

	"zarf/core/anim"
	"zarf/core/shot"
)

// keyEdit is what the score sends: keys to drop and to set by element and
// value, and bars to shift, in frames. Keys at the same frame become one: what
// is set counts.
type keyEdit struct {
	Label   string `json:"label"`
	Changes []struct {
		Element string    `json:"el"`
		Key     string    `json:"key"`
		Drop    []float64 `json:"drop"`
		Set     []laneKey `json:"set"`
		Here    bool      `json:"here"` // a key with the value as it is at the page's frame
	} `json:"changes"`
	Bars []struct {
		Element string  `json:"el"`
		Begin   float64 `json:"begin"`
		End     float64 `json:"end"`
	} `json:"bars"`
}

var keyLabels = []string{"move keys", "copy keys", "delete keys", "run on", "stretch keys", "bend curve", "move in time", "key"}

func (s *server) editKeys(c *gin.Context) {
	var k keyEdit
	if err := json.Unmarshal([]byte(c.PostForm("body")), &k); err != nil {
		s.fail(c, http.StatusUnprocessableEntity, "The keys can't be read: "+err.Error()+".", "")
		return
	}
	frame, _ := strconv.ParseFloat(c.PostForm("frame"), 64)
	if !slices.Contains(keyLabels, k.Label) {
		k.Label = "keys"
	}
	s.edit(c, k.Label, "", func(d *shot.Shot) error {
		for _, ch := range k.Changes {
			e := d.Owner(ch.Element)
			if e == nil {
				return fmt.Errorf("there is no element %q; it may have been deleted in another window", ch.Element)
			}
			entry := shot.Find(e.Kind, ch.Key)
			if entry == nil || !entry.Keyable {
				return fmt.Errorf("%s can't have keys", ch.Key)
			}
			if ch.Here {
				e.SetKey(ch.Key, shot.Key{Frame: frame, Value: e.At(ch.Key, frame)})
			}
			for _, f := range ch.Drop {
				for _, q := range e.Keys[ch.Key] {
					if q.Frame == f && len(e.Keys[ch.Key]) == 1 && len(ch.Set) == 0 {
						e.Values[ch.Key] = q.Value // the last key to go leaves its value
					}
				}
				x := e.Extras[ch.Key]
				e.DropKey(ch.Key, f)
				if len(ch.Set) > 0 { // the lane goes on: so does what it does besides
					e.SetExtra(ch.Key, x)
				}
			}
			if len(e.Keys[ch.Key])+len(ch.Set) > shot.MaxKeys {
				return fmt.Errorf("%s would have over %d keys", entry.Label, shot.MaxKeys)
			}
			for _, q := range ch.Set {
				if err := setKey(e, entry, q); err != nil {
					return err
				}
			}
		}
		for _, b := range k.Bars {
			if err := shiftBar(d, b.Element, b.Begin, b.End); err != nil {
				return err
			}
		}
		return nil
	})
}

func setKey(e *shot.Element, entry *shot.Entry, q laneKey) error {
	if math.IsNaN(q.Frame) || math.Abs(q.Frame) > 1e7 {
		return fmt.Errorf("a key of %s would be at frame %g", entry.Label, q.Frame)
	}
	if !slices.Contains(anim.Ways, q.Way) {
		return fmt.Errorf("a key can't run on by %q", q.Way)
	}
	for _, m := range append(q.In[:], q.Out[:]...) {
		if math.IsNaN(m) || math.Abs(m) > 1e9 {
			return fmt.Errorf("a slope of %s is %g", entry.Label, m)
		}
	}
	v := shot.Value{Num: q.Value[0]}
	if entry.Type.Triple() {
		v = shot.Value{Vec: q.Value}
	}
	if entry.Type == shot.Integer {
		v.Num = math.Round(v.Num)
	}
	if err := entry.Check(v); err != nil {
		return err
	}
	k := shot.Key{Frame: math.Round(q.Frame*1e6) / 1e6, Value: v, Way: q.Way}
	if q.Way == anim.Free {
		k.In, k.Out = q.In, q.Out
	}
	e.SetKey(entry.Key, k)
	return nil
}

// shiftBar moves the first and the last frame of an emitter; one that emits
// always begins and ends with the shot once it is moved.
func shiftBar(d *shot.Shot, id string, begin, end float64) error {
	e := d.Element(id)
	if e == nil || e.Kind != shot.Emitter {
		return fmt.Errorf("there is no emitter %q", id)
	}
	first, last := d.Range()
	move := func(key string, by, edge float64) error {
		if by == 0 {
			return nil
		}
		entry := shot.Find(shot.Emitter, key)
		v := e.Get(key).Num
		if v == entry.Default.Num {
			v = edge
		}
		w := shot.Num(math.Round(v + by))
		if err := entry.Check(w); err != nil {
			return err
		}
		e.Values[key] = w
		return nil
	}
	return errors.Join(move("begin", begin, float64(first)), move("end", end, float64(last)))
}

// setExtra sets what a keyed value does after its last key, and noise on it.
func (s *server) setExtra(c *gin.Context) {
	var x struct {
		Element string   `json:"el"`
		Key     string   `json:"key"`
		After   string   `json:"after"`
		Amount  *float64 `json:"amount"`
		Period  *float64 `json:"period"`
		Seed    *int     `json:"seed"`
	}
	if err := json.Unmarshal([]byte(c.PostForm("body")), &x); err != nil {
		s.fail(c, http.StatusUnprocessableEntity, "The curve can't be read: "+err.Error()+".", "")
		return
	}
	s.edit(c, "curve", "", func(d *shot.Shot) error {
		e := d.Owner(x.Element)
		if e == nil || len(e.Keys[x.Key]) == 0 {
			return errors.New("this value has no keys any more")
		}
		if x.Amount == nil || x.Period == nil || x.Seed == nil {
			return errors.New("noise needs an amount, frames and a seed, all numbers")
		}
		v := shot.Extra{After: anim.After(x.After), Amount: *x.Amount, Period: *x.Period, Seed: *x.Seed}
		if err := shot.CheckExtra(v); err != nil {
			return err
		}
		e.SetExtra(x.Key, v)
		return nil
	})
}
