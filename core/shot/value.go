package shot

import (
	"encoding/json"
	"fmt"
	"math"
	"regexp"
	"strconv"
	"strings"

	"zarf/core/asset"
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
	File    Type = "file"    // an imported file: its id, a slash, its name
	Weights Type = "weights" // the id of painted weights
	Names   Type = "names"   // parts or joints, in Text a line each
	Points  Type = "points"  // places in space, in Text as "x y z; x y z"
	Ref     Type = "element" // the id of another element of the shot
	Frozen  Type = "frames"  // cached frames from outside: their key, a slash, their name
	Profile Type = "profile" // numbers evenly along something, in Text as "1 0.5 0"
	Ramp    Type = "ramp"    // colours over 0 to 1, in Text as StopList writes them
	Curve   Type = "curve"   // a number over 0 to 1, likewise
	Picture Type = "picture" // an imported picture or numbered pictures: id, a slash, name
	Word    Type = "word"    // a name that goes into files
)

// word is what names of channels in files may be.
var word = regexp.MustCompile(`^[A-Za-z_][A-Za-z0-9_]{0,39}$`)

// Limits of listed values.
const (
	MaxPoints  = 2000
	MaxProfile = 64
	MaxNames   = 4096
)

// List is the names of a value.
func (v Value) List() []string {
	if v.Text == "" {
		return nil
	}
	return strings.Split(v.Text, "\n")
}

// NameList makes a value of names.
func NameList(names ...string) Value { return Value{Text: strings.Join(names, "\n")} }

// Places are the points of a value.
func (v Value) Places() [][3]float64 {
	out, _ := parsePoints(v.Text)
	return out
}

// PointList makes a value of points, rounded to nanometres.
func PointList(p [][3]float64) Value {
	var b strings.Builder
	for i, q := range p {
		if i > 0 {
			b.WriteString("; ")
		}
		for a, x := range q {
			if a > 0 {
				b.WriteByte(' ')
			}
			b.WriteString(strconv.FormatFloat(math.Round(x*1e9)/1e9+0, 'g', -1, 64))
		}
	}
	return Value{Text: b.String()}
}

// Factors are the numbers of a profile; none mean 1 everywhere.
func (v Value) Factors() []float64 {
	out, _ := parseNumbers(v.Text)
	return out
}

func parsePoints(text string) (out [][3]float64, err error) {
	if strings.TrimSpace(text) == "" {
		return nil, nil
	}
	for i, part := range strings.Split(text, ";") {
		n, err := parseNumbers(part)
		if err == nil && len(n) != 3 {
			err = fmt.Errorf("%d numbers", len(n))
		}
		if err != nil {
			return nil, fmt.Errorf("point %d is %s; give x y z, and a semicolon between points", i+1, clip(strings.TrimSpace(part)))
		}
		out = append(out, [3]float64(n))
	}
	return out, nil
}

func parseNumbers(text string) (out []float64, err error) {
	for _, w := range strings.Fields(strings.ReplaceAll(text, ",", " ")) {
		x, err := strconv.ParseFloat(w, 64)
		if err != nil || math.IsNaN(x) || math.IsInf(x, 0) {
			return nil, fmt.Errorf("%q is not a number", clip(w))
		}
		out = append(out, x)
	}
	return out, nil
}

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
	case Choice, File, Weights, Ref, Frozen, Picture, Word:
		return v.Text
	case Ramp, Curve:
		return e.stopsJSON(v)
	case Flag:
		return v.Flag
	case Names:
		return append([]string{}, v.List()...)
	case Points:
		return append([][3]float64{}, v.Places()...)
	case Profile:
		return append([]float64{}, v.Factors()...)
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
	case Names:
		var l []string
		want = "a list of words"
		err = json.Unmarshal(raw, &l)
		v = NameList(l...)
	case Points:
		var l [][3]float64
		want = "a list of places, each three numbers"
		err = json.Unmarshal(raw, &l)
		v = PointList(l)
	case Profile:
		var l []float64
		want = "a list of numbers"
		if err = json.Unmarshal(raw, &l); err == nil {
			v.Text = profileText(l)
		}
	case Ramp, Curve:
		want = "a list of stops, each with a place and its value"
		v, err = e.stopsFromJSON(raw)
	case Choice, File, Weights, Ref, Frozen, Picture, Word:
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

func profileText(l []float64) string {
	w := make([]string, len(l))
	for i, x := range l {
		w[i] = strconv.FormatFloat(x, 'g', -1, 64)
	}
	return strings.Join(w, " ")
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
	case Ramp, Curve:
		return e.checkStops(v)
	case File, Frozen, Picture:
		if v.Text == "" {
			return nil
		}
		if err := asset.CheckID(v.Text); err != nil {
			return fmt.Errorf("%s: %w", e.Label, err)
		}
		return nil
	case Word:
		if !word.MatchString(v.Text) {
			return fmt.Errorf("%s is %q; give a name of letters, digits and _ that begins with no digit, 40 at most", e.Label, clip(v.Text))
		}
		return nil
	case Weights:
		if v.Text != "" && (asset.CheckID(v.Text) != nil || len(v.Text) != 32) {
			return fmt.Errorf("%s is %q, which are no painted weights", e.Label, clip(v.Text))
		}
		return nil
	case Ref:
		if v.Text != "" && CheckName(v.Text) != nil {
			return fmt.Errorf("%s is %q, which names no element", e.Label, clip(v.Text))
		}
		return nil
	case Names:
		if n := len(v.List()); n > MaxNames {
			return fmt.Errorf("%s has %d names; up to %d are taken", e.Label, n, MaxNames)
		}
		return nil
	case Points:
		l, err := parsePoints(v.Text)
		if err != nil {
			return fmt.Errorf("%s: %w", e.Label, err)
		}
		if len(l) > MaxPoints {
			return fmt.Errorf("%s has %d points; up to %d are taken", e.Label, len(l), MaxPoints)
		}
		for i, p := range l {
			for a, x := range p {
				if err := e.checkNumber(x, fmt.Sprintf(" %d %s", i+1, "xyz"[a:a+1])); err != nil {
					return err
				}
			}
		}
		return nil
	case Profile:
		l, err := parseNumbers(v.Text)
		if err != nil {
			return fmt.Errorf("%s: %w", e.Label, err)
		}
		if len(l) > MaxProfile {
			return fmt.Errorf("%s has %d numbers; up to %d are taken", e.Label, len(l), MaxProfile)
		}
		for _, x := range l {
			if err := e.checkNumber(x, ""); err != nil {
				return err
			}
		}
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
	case Choice, File, Weights, Ref, Frozen, Names, Points, Profile, Ramp, Curve, Picture, Word:
		return a.Text == b.Text
	case Flag:
		return a.Flag == b.Flag
	}
	return a.Num == b.Num
}
