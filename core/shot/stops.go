package shot

// Ramps and curves as values: stops in order over 0 to 1, each with a colour or a
// number and a way to the next. They are kept as text in the value, so that a value
// stays comparable; renderers turn them into tables once per picture.

import (
	"encoding/json"
	"fmt"
	"slices"

	"zarf/core/shot/val"
)

// Stop is one place of a ramp or of a curve.
type Stop = val.Stop

// MaxStops bounds the stops of a ramp or curve.
// It bounds what one value may cost to draw and to send; ramps of artists have three
// to eight.
const MaxStops = 64

// Channels is how many numbers a stop of a ramp or a curve has.
// It is asked for ramps and curves alone.
func (t Type) Channels() int {
	if t == Ramp {
		return 3
	}
	return 1
}

// checkStops tells what is wrong with a ramp or curve.
// Messages count stops from 1, as people do.
func (e *Entry) checkStops(v Value) error {
	l, err := val.ParseStops(v.Text, e.Type.Channels())
	if err != nil {
		return fmt.Errorf("%s: %w", e.Label, err)
	}
	if len(l) == 0 {
		return fmt.Errorf("%s has no stops; give at least one", e.Label)
	}
	if len(l) > MaxStops {
		return fmt.Errorf("%s has %d stops; up to %d are taken", e.Label, len(l), MaxStops)
	}
	for i, s := range l {
		if s.At < 0 || s.At > 1 {
			return fmt.Errorf("%s: stop %d stands at %g; it can be at 0 to 1", e.Label, i+1, s.At)
		}
		// equal places are allowed: that is how a step is drawn
		if i > 0 && s.At < l[i-1].At {
			return fmt.Errorf("%s: stop %d at %g stands before the one in front of it at %g; order them", e.Label, i+1, s.At, l[i-1].At)
		}
		for _, x := range s.V[:e.Type.Channels()] {
			if err := e.checkNumber(x, fmt.Sprintf(" stop %d", i+1)); err != nil {
				return err
			}
		}
	}
	return nil
}

// fileStop is a stop as a shot file holds it.
// In files a stop is an object and not the text of the value: a person who edits the
// file by hand should see which number is the place.
type fileStop struct {
	At    float64   `json:"at"`
	Value []float64 `json:"value"`
	Way   string    `json:"way,omitempty"`
}

// stopsJSON writes stops as a file holds them.
func (e *Entry) stopsJSON(v Value) any {
	out := []fileStop{}
	for _, s := range v.Stops(e.Type.Channels()) {
		f := fileStop{At: s.At, Value: s.V[:e.Type.Channels()]}
		if s.Way != val.Ways[0] {
			f.Way = s.Way
		}
		out = append(out, f)
	}
	return out
}

// stopsFromJSON reads them.
func (e *Entry) stopsFromJSON(raw json.RawMessage) (Value, error) {
	var list []fileStop
	if err := json.Unmarshal(raw, &list); err != nil {
		return Value{}, err
	}
	out := make([]Stop, len(list))
	for i, f := range list {
		// A curve's stop with three numbers is refused rather than cut: it was a
		// ramp's.
		if len(f.Value) != e.Type.Channels() {
			return Value{}, fmt.Errorf("%d numbers in a stop", len(f.Value))
		}
		if f.Way != "" && !slices.Contains(val.Ways, f.Way) {
			return Value{}, fmt.Errorf("%q as a way", clip(f.Way))
		}
		out[i] = Stop{At: f.At, Way: f.Way}
		copy(out[i].V[:], f.Value)
	}
	// StopList orders them and rounds; FromJSON checks the outcome like any other
	// value.
	return val.StopList(e.Type.Channels(), out), nil
}
