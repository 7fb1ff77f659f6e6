package web

import (
	"fmt"
	"math"
	"slices"
	"strings"

	"zarf/core/asset"
	"zarf/core/bring"
	"zarf/core/shot"
)

// sheet is the right column: the values of one thing as fields.
type sheet struct {
	Kind    shot.Kind
	ID      string
	Title   string
	Name    string        // editable name; empty: none
	Element *shot.Element // of the cast
	Owner   *shot.Element // of the values: the element, the look or the shot; nil where nothing can have keys
	Domains []*shot.Element
	Main    []field
	Topics  []topic
	Frame   float64
	Changed int
	File    *fileFacts    // of an element whose form is an imported mesh
	Outside *outsideFacts // of a sequence
}

// fileFacts is what a sheet tells of an imported file.
type fileFacts struct {
	*bring.Facts
	Name, Fault string
	Time        string   // its animation's length and what the shot makes of it
	Wrap        string   // a thickness to wrap it with, as shown
	Choices     []string // names that can take part
}

// facts reads what is known of an element's file.
func facts(doc *shot.Shot, e *shot.Element) *fileFacts {
	ref := e.Get("mesh").Text
	if ref == "" {
		return &fileFacts{Fault: "No file yet: press Bring in, or drop one on the picture."}
	}
	m, err := doc.Files().Model(ref)
	if err != nil {
		return &fileFacts{Name: asset.Name(ref), Fault: err.Error()}
	}
	f := &fileFacts{Facts: m.Facts, Name: asset.Name(ref), Time: duration(doc, e, m.Facts)}
	length := doc.Get("units").Text
	size := e.Get("size").Vec
	f.Wrap = shot.Metre.Format(shot.Tidy(max(size[0], size[1], size[2])/40), length) + " " + length
	switch e.Get("share").Text {
	case "parts":
		f.Choices = m.Facts.Parts
	case "joints":
		f.Choices = m.Facts.Joints
	}
	return f
}

// duration tells the arithmetic of an animation's seconds and frames.
func duration(doc *shot.Shot, e *shot.Element, f *bring.Facts) string {
	if f.Length <= 0 {
		return ""
	}
	own, rate := shot.Rational(e.Get("motion_rate").Num), doc.Rate()
	num := func(v float64) string { return shot.Short(math.Round(v*1000) / 1000) }
	frames := math.Round(f.Length*own*100) / 100
	if e.Get("motion_keeps").Text == "frames" {
		return fmt.Sprintf("%s frames at %s fps are %s s; keeping its frames it plays in %s s at the shot's %s fps, %s × as fast.", num(frames), num(own), num(f.Length), num(frames/rate), num(rate), num(rate/own))
	}
	return fmt.Sprintf("%s frames at %s fps are %s s; keeping its seconds it takes %s frames at the shot's %s fps.", num(frames), num(own), num(f.Length), num(f.Length*rate), num(rate))
}

type topic struct {
	Name    string
	Fields  []field
	Changed int
	Idle    bool // none of its fields counts as things are
}

// field is one value ready to be shown.
type field struct {
	*shot.Entry
	Element string
	Unit    string
	Text    string    // as shown
	Parts   [3]string // of vectors
	Hex     string    // of colours
	List    []string  // of names
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
	case shot.Names:
		f.List = v.List()
	case shot.File, shot.Frozen, shot.Picture:
		if v.Text != "" {
			f.Text = asset.Name(v.Text)
		}
	}
	f.since(v, e.Default, length)
	f.Step = e.Step / f.Scale
	return f
}

// Tip is what a field's label tells when it is pointed at.
func (f field) Tip() string {
	if f.Fixed == "" {
		return f.Help
	}
	return f.Help + " It has no keys. " + f.Fixed
}

// since marks a value that differs from the one that it began with.
func (f *field) since(v, start shot.Value, length string) {
	f.Changed, f.Was = !f.Same(v, start), ""
	if f.Changed {
		f.Was = f.Show(start, length)
	}
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
	wet := slices.ContainsFunc(doc.Elements, (*shot.Element).Liquid)
	pours := s.Kind == shot.Emitter && doc.OnlyLiquid(s.Owner)
	if s.Kind == shot.Look && s.Owner.Get("flame_where").Text == "curve" {
		burns = true // any channel may glow
	}
	for _, e := range shot.Entries(s.Kind) {
		if !burns && ofFire(e) || !wet && ofLiquid(e) || pours && e.Puffs() {
			continue
		}
		f := fieldOf(e, s.ID, value(e), length)
		f.Hidden = !shown(e, value, s.Kind)
		if s.Owner != nil {
			f.since(value(e), s.Owner.Start(e.Key), length)
			keys := s.Owner.Keys[e.Key]
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
			s.Topics = append(s.Topics, topic{Name: e.Topic, Idle: true})
		}
		s.Topics[n].Idle = s.Topics[n].Idle && f.Hidden
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
	s := &sheet{Kind: e.Kind, ID: e.ID, Title: string(e.Kind), Name: e.Name, Element: e, Owner: e, Frame: frame}
	if e.Kind != shot.Domain && e.Kind != shot.Camera && e.Kind != shot.Lamp && e.Kind != shot.Sequence {
		s.Domains = doc.Of(shot.Domain)
	}
	s.fill(doc, func(x *shot.Entry) shot.Value { return e.At(x.Key, frame) })
	if e.FromFile() {
		s.File = facts(doc, e)
	}
	return s
}

func shotSheet(doc *shot.Shot, frame float64) *sheet {
	return ownerSheet(doc, &sheet{Kind: shot.Setting, Title: "shot", Owner: doc.Self, Frame: frame})
}

func ownerSheet(doc *shot.Shot, s *sheet) *sheet {
	s.fill(doc, func(x *shot.Entry) shot.Value { return s.Owner.At(x.Key, s.Frame) })
	return s
}

// ofFire reports values of looks and handovers that mean nothing where no
// domain burns.
func ofFire(e *shot.Entry) bool {
	return (e.Kind == shot.Look && e.Topic == "flame" && e.Key != "flame_where") || (e.Kind == shot.Handover && slices.Contains([]string{"fuel", "burn"}, strings.TrimSuffix(e.Key, "_as")))
}

// ofLiquid reports values that mean nothing where no domain holds a liquid.
func ofLiquid(e *shot.Entry) bool {
	return e.Kind == shot.Look && e.Topic == "liquid" || e.Kind == shot.Emitter && e.Key == "pours" || e.Kind == shot.Handover && slices.Contains([]string{"surface", "foam"}, strings.TrimSuffix(e.Key, "_as"))
}

func lookSheet(doc *shot.Shot, l *shot.Element, frame float64) *sheet {
	return ownerSheet(doc, &sheet{Kind: shot.Look, ID: l.ID, Title: "look", Name: l.Name, Owner: l, Frame: frame})
}

func handoverSheet(doc *shot.Shot) *sheet {
	s := &sheet{Kind: shot.Handover, Title: "handover"}
	s.fill(doc, func(x *shot.Entry) shot.Value { return doc.HandoverValue(x.Key) })
	return s
}
