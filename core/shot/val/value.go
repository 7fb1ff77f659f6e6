package val

import (
	"fmt"
	"math"
	"strconv"
	"strings"
)

// Value is one value; which part counts depends on its type in the catalogue.
// It is comparable, so that values can be keys of maps and a change can be seen with
// ==; lists are therefore kept as text and taken apart where they are used.
type Value struct {
	Num  float64
	Vec  [3]float64
	Text string // words, and lists as text: see List, Places, Factors, Stops
	Flag bool
}

// Num makes a number.
func Num(v float64) Value { return Value{Num: v} }

// Vec makes a vector or a colour.
func Vec(x, y, z float64) Value { return Value{Vec: [3]float64{x, y, z}} }

// Text makes a word.
func Text(s string) Value { return Value{Text: s} }

// On makes a flag.
func On(b bool) Value { return Value{Flag: b} }

// List is the words of a value, a line each.
func (v Value) List() []string {
	if v.Text == "" {
		return nil
	}
	return strings.Split(v.Text, "\n")
}

// Words are the names of a list with commas between them.
func (v Value) Words() (out []string) {
	for part := range strings.SplitSeq(v.Text, ",") {
		if part = strings.TrimSpace(part); part != "" {
			out = append(out, part)
		}
	}
	return out
}

// NameList makes a value of words.
func NameList(names ...string) Value { return Value{Text: strings.Join(names, "\n")} }

// Places are the points of a value, written "x y z; x y z".
// Text that can't be read gives none: what is in a shot was checked on its way in.
func (v Value) Places() [][3]float64 {
	out, _ := ParsePoints(v.Text)
	return out
}

// PointList makes a value of points, rounded to nanometres.
// Nanometres, so that a place that was dragged there and back is the same text.
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

// Factors are the numbers of a profile, written "1 0.5 0"; none mean 1
// everywhere.
func (v Value) Factors() []float64 {
	out, _ := ParseNumbers(v.Text)
	return out
}

// FactorList makes a value of the numbers of a profile.
func FactorList(l []float64) Value {
	w := make([]string, len(l))
	for i, x := range l {
		w[i] = strconv.FormatFloat(x, 'g', -1, 64)
	}
	return Value{Text: strings.Join(w, " ")}
}

// ParsePoints reads points as PointList writes them.
func ParsePoints(text string) (out [][3]float64, err error) {
	if strings.TrimSpace(text) == "" {
		return nil, nil
	}
	for i, part := range strings.Split(text, ";") {
		n, err := ParseNumbers(part)
		if err == nil && len(n) != 3 {
			err = fmt.Errorf("%d numbers", len(n))
		}
		if err != nil {
			return nil, fmt.Errorf("point %d is %s; give x y z, and a semicolon between points", i+1, Clip(strings.TrimSpace(part)))
		}
		out = append(out, [3]float64(n))
	}
	return out, nil
}

// ParseNumbers reads numbers with spaces or commas between them.
// Commas part numbers here and are no decimal sign: a list of one and a half needs
// 1.5.
func ParseNumbers(text string) (out []float64, err error) {
	for _, w := range strings.Fields(strings.ReplaceAll(text, ",", " ")) {
		x, err := strconv.ParseFloat(w, 64)
		if err != nil || math.IsNaN(x) || math.IsInf(x, 0) {
			return nil, fmt.Errorf("%q is not a number", Clip(w))
		}
		out = append(out, x)
	}
	return out, nil
}

// Clip shortens what a message quotes.
func Clip(s string) string {
	if len(s) > 60 {
		return s[:60] + "…"
	}
	return s
}
