package edit

// Commands on values: setting and resetting them, their keys, and what curves do.

import (
	"encoding/json"
	"fmt"
	"math"
	"strings"

	"zarf/core/anim"
	"zarf/core/shot"
	"zarf/core/shot/val"
)

// Set gives a value. Where it has keys it gives the one at Frame, which keeps
// how it runs on, or makes one there.
// To and Typed are two ways in: programs send what a file would hold, people text.
type Set struct {
	At    string          `json:"at"`
	Value string          `json:"value"`
	To    json.RawMessage `json:"to,omitempty"`    // as a shot file holds it
	Frame float64         `json:"frame,omitempty"` // that the page shows

	// Typed reads the value instead of To: what a person typed, in place of old.
	Typed func(x *shot.Entry, units string, old shot.Value) (shot.Value, error) `json:"-"`
}

// Label says what is done.
func (c *Set) Label() string { return "change " + strings.ReplaceAll(c.Value, "_", " ") }

// Apply gives the value.
//
// A value with keys gets its key at the frame that the page shows, and a key that is
// there keeps how it runs on: typing a number must not flatten a curve. A number
// that was typed is read in the units on the page.
func (c *Set) Apply(d *shot.Shot) error {
	e, x, err := entry(d, c.At, c.Value)
	if err != nil {
		return err
	}
	if !(math.Abs(c.Frame) <= shot.MaxFrame) {
		return wrongf(c.At, c.Value, "the frame is %g; give a number", c.Frame)
	}
	var v shot.Value
	if c.Typed != nil {
		// old is the value at the frame on the page, which is what the field showed.
		v, err = c.Typed(x, val.Units.Of(d), e.At(x.Key, val.Frame(c.Frame)))
	} else {
		v, err = x.FromJSON(c.To)
	}
	if err != nil {
		return wrong(c.At, c.Value, err)
	}
	if e.Keyed(x) {
		return wrong(c.At, c.Value, e.PutKeyValue(x, c.Frame, v))
	}
	if err := e.Put(x.Key, v); err != nil {
		return wrong(c.At, c.Value, err)
	}
	// Keyed values are past this, as none of those that it asks about can have keys.
	return sensible(d, c.At, c.Value)
}

// MaxFrames bounds the frames of a shot.
// An hour at 24 frames a second, and some.
const MaxFrames = 100000

// sensible refuses values that contradict each other.
// It looks at the document as a whole after the change: which of two values is to
// blame is told by the one that was changed.
func sensible(d *shot.Shot, at, value string) error {
	a, b := d.Range()
	if b < a {
		return wrongf(at, value, "the shot would end at frame %d, before it begins at %d", b, a)
	}
	if b-a > MaxFrames {
		return wrongf(at, value, "the shot would have %d frames; %d are allowed", b-a+1, MaxFrames)
	}
	return nil
}

// Reset gives a value back what it started with, without keys.
type Reset struct {
	At    string `json:"at"`
	Value string `json:"value"`
}

// Label says what is done.
func (c *Reset) Label() string { return "put back " + strings.ReplaceAll(c.Value, "_", " ") }

// Apply resets the value.
func (c *Reset) Apply(d *shot.Shot) error {
	e, x, err := entry(d, c.At, c.Value)
	if err != nil {
		return err
	}
	e.Restore(x)
	return sensible(d, c.At, c.Value)
}

// ToggleKey sets a key with the value as it is at a frame, or takes the one that
// is there away.
// It is what the diamond beside a value does.
type ToggleKey struct {
	At    string  `json:"at"`
	Value string  `json:"value"`
	Frame float64 `json:"frame"`
}

// Label says what is done.
func (c *ToggleKey) Label() string { return "key" }

// Apply toggles the key.
// The key holds the value as it is at the frame, so that setting one changes
// nothing.
func (c *ToggleKey) Apply(d *shot.Shot) error {
	e, x, err := keyable(d, c.At, c.Value)
	if err != nil {
		return err
	}
	for _, k := range e.Keys(x) {
		// Equal to the bit: pages send back the frames that they were given.
		if k.Frame == c.Frame {
			e.DropKey(x, c.Frame)
			return nil
		}
	}
	if !(math.Abs(c.Frame) <= shot.MaxFrame) {
		return wrongf(c.At, c.Value, "a key would be at frame %g; give a number", c.Frame)
	}
	return wrong(c.At, c.Value, e.PutKey(x, shot.Key{Frame: c.Frame, Value: e.At(x.Key, val.Frame(c.Frame))}))
}

// Follow lets a value follow a sensor, and no other; an empty id lets it follow none.
type Follow struct {
	At     string `json:"at"`
	Value  string `json:"value"`
	Sensor string `json:"sensor"`
}

// Label says what is done.
func (c *Follow) Label() string { return "follow a sensor" }

// Apply lets the value follow.
func (c *Follow) Apply(d *shot.Shot) error {
	e, x, err := entry(d, c.At, c.Value)
	if err != nil {
		return err
	}
	if why := e.Drivable(x); why != "" && c.Sensor != "" {
		return wrongf(c.At, c.Value, "%s can't follow a sensor: %s", x.Label, why)
	}
	to := d.Element(c.Sensor)
	if c.Sensor != "" && (to == nil || to.Kind != shot.Sensor) {
		return wrongf(c.At, c.Value, "there is no sensor %q to follow", c.Sensor)
	}
	for _, s := range d.Of(shot.Sensor) {
		if s.Drives(e.ID, x.Key) == (s == to) {
			continue
		}
		if err := s.Drive(e.ID, x.Key, s == to); err != nil {
			return wrong(c.At, c.Value, err)
		}
	}
	return nil
}

// keyable refuses keys on values that have none, with the catalogue's reason.
func keyable(d *shot.Shot, at, value string) (*shot.Element, *shot.Entry, error) {
	e, x, err := entry(d, at, value)
	if err == nil && !x.Keyable {
		err = wrongf(at, value, "%s can't have keys", x.Label)
	}
	return e, x, err
}

// KeyAt is a key as a page draws it.
type KeyAt struct {
	Frame float64    `json:"f"`
	Value [3]float64 `json:"v"` // a number has the first alone
	Way   anim.Way   `json:"way"`
	In    [3]float64 `json:"in"`
	Out   [3]float64 `json:"out"`
}

// Keys drops and sets keys of several values, and shifts emitters in time, as
// one change. Keys at the same frame become one: what is set counts.
// One change and so one step of undo, however many keys were selected.
type Keys struct {
	Name    string  `json:"label"`
	Changes []Lane  `json:"changes"`
	Bars    []Bar   `json:"bars"`
	Frame   float64 `json:"frame,omitempty"` // that the page shows
}

// Lane is what changes in the keys of one value.
type Lane struct {
	At   string    `json:"el"`
	Key  string    `json:"key"`
	Drop []float64 `json:"drop"`
	Set  []KeyAt   `json:"set"`
	Here bool      `json:"here"` // a key with the value as it is at Frame
}

// Bar shifts the first and the last frame of an emitter by so many.
type Bar struct {
	At    string  `json:"el"`
	Begin float64 `json:"begin"`
	End   float64 `json:"end"`
}

// Label says what is done.
func (c *Keys) Label() string {
	if c.Name == "" || len(c.Name) > 40 {
		return "keys"
	}
	return c.Name
}

// Apply changes the keys.
func (c *Keys) Apply(d *shot.Shot) error {
	for i := range c.Changes {
		if err := c.Changes[i].apply(d, c.Frame); err != nil {
			return err
		}
	}
	for _, b := range c.Bars {
		if err := b.apply(d); err != nil {
			return err
		}
	}
	return nil
}

// apply keys the value at the frame that is shown where that is asked, drops the
// keys that are to go, and sets those that are given.
//
// Frames are rounded to a millionth, or a key dragged back and forth would end up
// beside itself. What the curve does besides (loops, noise) outlasts a change of all
// of its keys.
func (l *Lane) apply(d *shot.Shot, frame float64) error {
	e, x, err := keyable(d, l.At, l.Key)
	if err != nil {
		return err
	}
	if l.Here {
		if err := e.PutKey(x, shot.Key{Frame: frame, Value: e.At(x.Key, val.Frame(frame))}); err != nil {
			return wrong(l.At, l.Key, err)
		}
	}
	extra := e.Extra(x)
	// Dropped before set: keys that are moved come as both, and may land on each
	// other.
	for _, f := range l.Drop {
		e.DropKey(x, f)
	}
	for _, q := range l.Set {
		k := shot.Key{Frame: math.Round(q.Frame*1e6) / 1e6, Value: shot.Value{Num: q.Value[0]}, Way: q.Way}
		if x.Type.Triple() {
			k.Value = shot.Value{Vec: q.Value}
		}
		if x.Type == shot.Integer {
			k.Value.Num = math.Round(k.Value.Num)
		}
		if q.Way == anim.Free {
			k.In, k.Out = q.In, q.Out
		}
		if err := e.PutKey(x, k); err != nil {
			return wrong(l.At, l.Key, err)
		}
	}
	if len(l.Set) > 0 { // the lane goes on: so does what it does besides
		// DropKey of the last key took it away with the keys.
		e.SetExtra(x, extra)
	}
	return nil
}

// apply shifts an emitter; one that emits always begins and ends with the shot
// once it is moved.
// The default frame of an emitter means “with the shot”: moved, it becomes a number.
func (b *Bar) apply(d *shot.Shot) error {
	e, err := element(d, b.At)
	if err != nil {
		return err
	}
	if e.Kind != shot.Emitter {
		return wrongf(b.At, "", "%s has no frames from and to", e.Name)
	}
	first, last := d.Range()
	move := func(k val.NumKey, by float64, edge int) error {
		if by == 0 {
			return nil
		}
		v := k.Of(e)
		if v == shot.Find(e.Kind, k.Name()).Default.Num {
			// Until then it began with the shot, wherever that began.
			v = float64(edge)
		}
		return wrong(b.At, k.Name(), e.Put(k.Name(), shot.Num(math.Round(v+by))))
	}
	if err := move(val.Begin, b.Begin, first); err != nil {
		return err
	}
	return move(val.End, b.End, last)
}

// Curve says what a keyed value does after its last key, and noise on it.
type Curve struct {
	At     string   `json:"el"`
	Value  string   `json:"key"`
	After  string   `json:"after"`
	Amount *float64 `json:"amount"`
	Period *float64 `json:"period"`
	Seed   *int     `json:"seed"`
}

// Label says what is done.
func (c *Curve) Label() string { return "curve" }

// Apply sets it.
// All three numbers of the noise are needed, as a form sends them together.
func (c *Curve) Apply(d *shot.Shot) error {
	e, x, err := keyable(d, c.At, c.Value)
	if err != nil {
		return err
	}
	// Another window may have taken the keys away meanwhile.
	if !e.Keyed(x) {
		return wrong(c.At, c.Value, fmt.Errorf("this value has no keys any more"))
	}
	if c.Amount == nil || c.Period == nil || c.Seed == nil {
		return wrong(c.At, c.Value, fmt.Errorf("noise needs an amount, frames and a seed, all numbers"))
	}
	extra := shot.Extra{After: anim.After(c.After), Amount: *c.Amount, Period: *c.Period, Seed: *c.Seed}
	if err := shot.CheckExtra(extra); err != nil {
		return wrong(c.At, c.Value, err)
	}
	e.SetExtra(x, extra)
	return nil
}
