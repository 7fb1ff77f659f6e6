package shot

import (
	"encoding/json"
	"fmt"
	"math"
	"strconv"
	"strings"
)

// Type is what kind of value an entry of the catalogue holds.
type Type string

// The types.
const (
	Number  Type = "number"
	Integer Type = "integer"
	Vector  Type = "vector" // three numbers of the entry's unit
	Colour  Type = "colour" // linear red, green, blue
	Choice  Type = "choice"
	Flag    Type = "flag"
)

// Value is one value; which part counts depends on the entry's type.
type Value struct {
	Num  float64
	Vec  [3]float64
	Text string
	Flag bool
}

// Num makes a number.
func Num(v float64) Value { return Value{Num: v} }

// Vec makes a vector.
func Vec(x, y, z float64) Value { return Value{Vec: [3]float64{x, y, z}} }

// Text makes a choice.
func Text(s string) Value { return Value{Text: s} }

// On makes a flag.
func On(b bool) Value { return Value{Flag: b} }

// JSON is the value as a shot file holds it.
func (e *Entry) JSON(v Value) any {
	switch e.Type {
	case Vector, Colour:
		return v.Vec
	case Choice:
		return v.Text
	case Flag:
		return v.Flag
	}
	return v.Num
}

// FromJSON reads a value of a shot file and checks it.
func (e *Entry) FromJSON(raw json.RawMessage) (Value, error) {
	var v Value
	var err error
	want := ""
	switch e.Type {
	case Vector, Colour:
		var a []float64
		want = "three numbers"
		if err = json.Unmarshal(raw, &a); err == nil && len(a) != 3 {
			err = fmt.Errorf("%d numbers", len(a))
		}
		if err == nil {
			v.Vec = [3]float64(a)
		}
	case Choice:
		want = "a word"
		err = json.Unmarshal(raw, &v.Text)
	case Flag:
		want = "true or false"
		err = json.Unmarshal(raw, &v.Flag)
	default:
		want = "a number"
		err = json.Unmarshal(raw, &v.Num)
	}
	if err != nil {
		return v, fmt.Errorf("%s is %s; give %s", e.Label, clip(string(raw)), want)
	}
	return v, e.Check(v)
}

func clip(s string) string {
	if len(s) > 60 {
		return s[:60] + "…"
	}
	return s
}

// Check tells whether a value is allowed; the error names the value, what it
// is, and the range.
func (e *Entry) Check(v Value) error {
	switch e.Type {
	case Choice:
		for _, c := range e.Choices {
			if c.Key == v.Text {
				return nil
			}
		}
		keys := make([]string, len(e.Choices))
		for i, c := range e.Choices {
			keys[i] = c.Key
		}
		return fmt.Errorf("%s is %q; choose one of %s", e.Label, v.Text, strings.Join(keys, ", "))
	case Flag:
		return nil
	case Vector, Colour:
		for a, n := range v.Vec {
			if err := e.checkNumber(n, " "+"xyz"[a:a+1]); err != nil {
				return err
			}
		}
		return nil
	}
	if e.Type == Integer && v.Num != math.Trunc(v.Num) {
		return fmt.Errorf("%s is %g; give a whole number", e.Label, v.Num)
	}
	return e.checkNumber(v.Num, "")
}

func (e *Entry) checkNumber(n float64, part string) error {
	if math.IsNaN(n) || math.IsInf(n, 0) {
		return fmt.Errorf("%s%s is %v; give a finite number between %s and %s", e.Label, part, n, e.bound(e.Min), e.bound(e.Max))
	}
	if n < e.Min || n > e.Max {
		return fmt.Errorf("%s%s is %s; it can be %s to %s", e.Label, part, e.bound(n), e.bound(e.Min), e.bound(e.Max))
	}
	return nil
}

func (e *Entry) bound(n float64) string {
	s := strconv.FormatFloat(n, 'g', 6, 64)
	if e.Unit != "" {
		s += " " + string(e.Unit)
	}
	return s
}

// Same compares two values of the entry's type.
func (e *Entry) Same(a, b Value) bool {
	switch e.Type {
	case Vector, Colour:
		return a.Vec == b.Vec
	case Choice:
		return a.Text == b.Text
	case Flag:
		return a.Flag == b.Flag
	}
	return a.Num == b.Num
}
