package shot

import (
	"cmp"
	"encoding/json"
	"fmt"
	"math"
	"slices"
	"strconv"
	"strings"
)

// Stop is one place of a ramp or of a curve.
type Stop struct {
	At  float64    // 0 to 1
	V   [3]float64 // linear red, green, blue of a ramp; a curve has V[0] alone
	Way string     // to the next stop: straight, smooth or step
}

// MaxStops bounds the stops of a ramp or curve.
const MaxStops = 64

// Ways are how a value gets from one stop to the next.
var Ways = []string{"straight", "smooth", "step"}

// channels is how many numbers a stop of the type has.
func (t Type) channels() int {
	if t == Ramp {
		return 3
	}
	return 1
}

// Stops are the stops of a ramp or curve, ordered.
func (v Value) Stops(t Type) []Stop {
	out, _ := parseStops(v.Text, t.channels())
	return out
}

// StopList makes a value of stops: "at value way; …", ordered, positions to a
// hundred-thousandth, values to seven digits.
func StopList(t Type, list []Stop) Value {
	list = slices.Clone(list)
	slices.SortStableFunc(list, func(a, b Stop) int { return cmp.Compare(a.At, b.At) })
	var b strings.Builder
	for i, s := range list {
		if i > 0 {
			b.WriteString("; ")
		}
		b.WriteString(strconv.FormatFloat(math.Round(s.At*1e5)/1e5+0, 'g', -1, 64))
		for _, x := range s.V[:t.channels()] {
			b.WriteByte(' ')
			b.WriteString(strconv.FormatFloat(x+0, 'g', 7, 64))
		}
		if s.Way != "" && s.Way != Ways[0] {
			b.WriteString(" " + s.Way)
		}
	}
	return Value{Text: b.String()}
}

func parseStops(text string, channels int) (out []Stop, err error) {
	if strings.TrimSpace(text) == "" {
		return nil, nil
	}
	for i, part := range strings.Split(text, ";") {
		part = strings.TrimSpace(part)
		s := Stop{Way: Ways[0]}
		words := strings.Fields(part)
		if n := len(words); n > 0 && slices.Contains(Ways, words[n-1]) {
			s.Way, words = words[n-1], words[:n-1]
		}
		n, err := parseNumbers(strings.Join(words, " "))
		if err == nil && len(n) != 1+channels {
			err = fmt.Errorf("%d numbers", len(n))
		}
		if err != nil {
			what := "a place and a value"
			if channels == 3 {
				what = "a place, red, green and blue"
			}
			return nil, fmt.Errorf("stop %d is %q; give %s, and a semicolon between stops", i+1, clip(part), what)
		}
		s.At = n[0]
		copy(s.V[:], n[1:])
		out = append(out, s)
	}
	return out, nil
}

// checkStops tells what is wrong with a ramp or curve.
func (e *Entry) checkStops(v Value) error {
	l, err := parseStops(v.Text, e.Type.channels())
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
		if i > 0 && s.At < l[i-1].At {
			return fmt.Errorf("%s: stop %d at %g stands before the one in front of it at %g; order them", e.Label, i+1, s.At, l[i-1].At)
		}
		for _, x := range s.V[:e.Type.channels()] {
			if err := e.checkNumber(x, fmt.Sprintf(" stop %d", i+1)); err != nil {
				return err
			}
		}
	}
	return nil
}

// fileStop is a stop as a shot file holds it.
type fileStop struct {
	At    float64   `json:"at"`
	Value []float64 `json:"value"`
	Way   string    `json:"way,omitempty"`
}

func (e *Entry) stopsJSON(v Value) any {
	out := []fileStop{}
	for _, s := range v.Stops(e.Type) {
		f := fileStop{At: s.At, Value: s.V[:e.Type.channels()]}
		if s.Way != Ways[0] {
			f.Way = s.Way
		}
		out = append(out, f)
	}
	return out
}

func (e *Entry) stopsFromJSON(raw json.RawMessage) (Value, error) {
	var list []fileStop
	if err := json.Unmarshal(raw, &list); err != nil {
		return Value{}, err
	}
	out := make([]Stop, len(list))
	for i, f := range list {
		if len(f.Value) != e.Type.channels() {
			return Value{}, fmt.Errorf("%d numbers in a stop", len(f.Value))
		}
		if f.Way != "" && !slices.Contains(Ways, f.Way) {
			return Value{}, fmt.Errorf("%q as a way", clip(f.Way))
		}
		out[i] = Stop{At: f.At, Way: f.Way}
		copy(out[i].V[:], f.Value)
	}
	return StopList(e.Type, out), nil
}
