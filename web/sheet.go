package web

import (
	"fmt"
	"math"
	"slices"

	"zarf/core/shot"
)

// sheet is the right column: the values of one thing as fields.
type sheet struct {
	Kind    shot.Kind
	ID      string
	Title   string
	Name    string // editable name; empty: none
	Element *shot.Element
	Domains []*shot.Element
	Main    []field
	Topics  []topic
	Frame   float64
	Changed int
}

type topic struct {
	Name    string
	Fields  []field
	Changed int
}

// field is one value ready to be shown.
type field struct {
	*shot.Entry
	Element string
	Unit    string
	Text    string    // as shown
	Parts   [3]string // of vectors
	Hex     string    // of colours
	On      bool
	Changed bool
	Was     string
	Keyed   bool // has keys
	KeyHere bool // a key at this frame
	Step    float64
	Hidden  bool
	Scale   float64 // SI units in a shown one
}

func fieldOf(e *shot.Entry, id string, v shot.Value, length string) field {
	f := field{Entry: e, Element: id, Unit: e.Unit.Shown(length), On: v.Flag, Text: v.Text, Scale: 1}
	switch f.Unit {
	case "cm":
		f.Scale = 0.01
	case "mm":
		if e.Unit == shot.Metre {
			f.Scale = 0.001
		}
	}
	switch e.Type {
	case shot.Number, shot.Integer:
		f.Text = e.Unit.Format(v.Num, f.Unit)
	case shot.Vector:
		for i, n := range v.Vec {
			f.Parts[i] = e.Unit.Format(n, f.Unit)
		}
	case shot.Colour:
		f.Hex = hexOf(v.Vec)
	}
	f.Changed = !e.Same(v, e.Default)
	if f.Changed {
		f.Was = e.Show(e.Default, length)
	}
	f.Step = e.Step / f.Scale
	return f
}

// hexOf writes a linear colour as the browser's colour field wants it, in sRGB.
func hexOf(v [3]float64) string {
	b := [3]int{}
	for i, x := range v {
		b[i] = int(math.Round(toSRGB(min(max(x, 0), 1)) * 255))
	}
	return fmt.Sprintf("#%02x%02x%02x", b[0], b[1], b[2])
}

func toSRGB(v float64) float64 {
	if v <= 0.0031308 {
		return 12.92 * v
	}
	return 1.055*math.Pow(v, 1/2.4) - 0.055
}

func fromSRGB(v float64) float64 {
	if v <= 0.04045 {
		return v / 12.92
	}
	return math.Pow((v+0.055)/1.055, 2.4)
}

func (s *sheet) fill(doc *shot.Shot, value func(*shot.Entry) shot.Value) {
	length := doc.Get("units").Text
	at := map[string]int{}
	burns := slices.ContainsFunc(doc.Elements, (*shot.Element).Burns)
	for _, e := range shot.Entries(s.Kind) {
		if !burns && ofFire(e) {
			continue
		}
		f := fieldOf(e, s.ID, value(e), length)
		f.Hidden = !shown(e, value, s.Kind)
		if s.Element != nil {
			keys := s.Element.Keys[e.Key]
			f.Keyed = len(keys) > 0
			for _, k := range keys {
				f.KeyHere = f.KeyHere || k.Frame == s.Frame
			}
			f.Changed = f.Changed || f.Keyed
		}
		if f.Changed && !f.Hidden {
			s.Changed++
		}
		if e.Main {
			s.Main = append(s.Main, f)
			continue
		}
		n, ok := at[e.Topic]
		if !ok {
			n = len(s.Topics)
			at[e.Topic] = n
			s.Topics = append(s.Topics, topic{Name: e.Topic})
		}
		s.Topics[n].Fields = append(s.Topics[n].Fields, f)
		if f.Changed {
			s.Topics[n].Changed++
		}
	}
}

// shown follows an entry's condition.
func shown(e *shot.Entry, value func(*shot.Entry) shot.Value, k shot.Kind) bool {
	return shot.Holds(e.When, func(key string) shot.Value { return value(shot.Find(k, key)) })
}

func elementSheet(doc *shot.Shot, e *shot.Element, frame float64) *sheet {
	s := &sheet{Kind: e.Kind, ID: e.ID, Title: string(e.Kind), Name: e.Name, Element: e, Frame: frame}
	if e.Kind != shot.Domain && e.Kind != shot.Camera {
		s.Domains = doc.Of(shot.Domain)
	}
	s.fill(doc, func(x *shot.Entry) shot.Value { return e.At(x.Key, frame) })
	return s
}

func shotSheet(doc *shot.Shot) *sheet {
	s := &sheet{Kind: shot.Setting, Title: "shot"}
	s.fill(doc, func(x *shot.Entry) shot.Value { return doc.Get(x.Key) })
	return s
}

// ofFire reports values of looks and handovers that mean nothing where no
// domain burns.
func ofFire(e *shot.Entry) bool {
	return (e.Kind == shot.Look && e.Topic == "flame") || (e.Kind == shot.Handover && (e.Key == "fuel" || e.Key == "burn"))
}

func lookSheet(doc *shot.Shot, l *shot.LookSet) *sheet {
	s := &sheet{Kind: shot.Look, ID: l.ID, Title: "look", Name: l.Name}
	s.fill(doc, func(x *shot.Entry) shot.Value { return l.Get(x.Key) })
	return s
}

func handoverSheet(doc *shot.Shot) *sheet {
	s := &sheet{Kind: shot.Handover, Title: "handover"}
	s.fill(doc, func(x *shot.Entry) shot.Value { return doc.HandoverValue(x.Key) })
	return s
}
