package val

import (
	"cmp"
	"fmt"
	"math"
	"slices"
	"strconv"
	"strings"
)

// Stop is one place of a ramp or of a curve.
// Two stops at one place make a step.
type Stop struct {
	At  float64    // 0 to 1
	V   [3]float64 // linear red, green, blue of a ramp; a curve has V[0] alone
	Way string     // to the next stop: straight, smooth or step
}

// Ways are how a value gets from one stop to the next.
var Ways = []string{"straight", "smooth", "step"}

// Stops are the stops of a ramp, of three channels, or of a curve, of one;
// ordered.
func (v Value) Stops(channels int) []Stop {
	out, _ := ParseStops(v.Text, channels)
	return out
}

// StopList makes a value of stops: "at value way; …", ordered, positions to a
// hundred-thousandth, values to seven digits.
func StopList(channels int, list []Stop) Value {
	list = slices.Clone(list)
	slices.SortStableFunc(list, func(a, b Stop) int { return cmp.Compare(a.At, b.At) })
	var b strings.Builder
	for i, s := range list {
		if i > 0 {
			b.WriteString("; ")
		}
		b.WriteString(strconv.FormatFloat(math.Round(s.At*1e5)/1e5+0, 'g', -1, 64))
		for _, x := range s.V[:channels] {
			b.WriteByte(' ')
			b.WriteString(strconv.FormatFloat(x+0, 'g', 7, 64))
		}
		if s.Way != "" && s.Way != Ways[0] {
			b.WriteString(" " + s.Way)
		}
	}
	return Value{Text: b.String()}
}

// ParseStops reads stops as StopList writes them.
func ParseStops(text string, channels int) (out []Stop, err error) {
	if strings.TrimSpace(text) == "" {
		return nil, nil
	}
	// A way that is left out is straight, which is most of them.
	for i, part := range strings.Split(text, ";") {
		part = strings.TrimSpace(part)
		s := Stop{Way: Ways[0]}
		words := strings.Fields(part)
		if n := len(words); n > 0 && slices.Contains(Ways, words[n-1]) {
			s.Way, words = words[n-1], words[:n-1]
		}
		n, err := ParseNumbers(strings.Join(words, " "))
		if err == nil && len(n) != 1+channels {
			err = fmt.Errorf("%d numbers", len(n))
		}
		if err != nil {
			what := "a place and a value"
			if channels == 3 {
				what = "a place, red, green and blue"
			}
			return nil, fmt.Errorf("stop %d is %q; give %s, and a semicolon between stops", i+1, Clip(part), what)
		}
		s.At = n[0]
		copy(s.V[:], n[1:])
		out = append(out, s)
	}
	return out, nil
}
