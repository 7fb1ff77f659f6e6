package shot

// Types of values. A type says how its values are held in a file, checked, compared,
// shown and typed; entries of the catalogue say which type and in which range. So a
// new value needs no code here, and a new type none anywhere else.

import (
	"encoding/json"
	"fmt"
	"math"
	"regexp"
	"slices"
	"strconv"
	"strings"

	"zarf/core/asset"
	"zarf/core/shot/val"
	"zarf/core/srgb"
)

// Type is what kind of value an entry of the catalogue holds.
// Types are words in the catalogue's declarations, and names of templates for
// fields.
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
	Listed  Type = "list"    // such names, in Text with commas between
)

// Form is what a person sent of one value: fields by name. A value of one part
// comes as "v", vectors as "v0" to "v2".
// It is all that a type needs of an HTTP form, so this package knows no HTTP.
// sent tells an empty field from one that the form did not have: a vector's
// untouched parts are not sent at all.
type Form interface {
	Get(name string) (text string, sent bool)
	All(name string) []string
}

// TypeDef is all that Zarf knows of a type of value. A type is added by one
// definition, registered when the program starts.
type TypeDef struct {
	Type   Type
	Triple bool   // three numbers, also of keys and curves
	Number bool   // numbers, which keys can lead from one to the next
	Named  bool   // a content's id, a slash and a name; only the id is of consequence
	Field  string // the field that edits it: a template of the sheet, "text" if empty
	Want   string // what a shot file must give, for messages

	JSON  func(e *Entry, v Value) any                                          // as a shot file holds it
	Read  func(e *Entry, raw json.RawMessage) (Value, error)                   // of a shot file
	Check func(e *Entry, v Value) error                                        // names the value, what it is, and what it can be
	Same  func(a, b Value) bool                                                //
	Show  func(e *Entry, v Value, num func(float64) string) string             // in words; num writes a number in the shown unit
	Typed func(e *Entry, f Form, shown string, old Value) (v Value, err error) // as a person typed it; shown is the unit on the page
}

// Written at start, read by everybody after: there is no lock.
var types = map[Type]*TypeDef{}

// RegisterType adds a type of value; what it leaves open is that of a word.
//
// Whatever is nil is filled in with what a plain word does. A type is registered
// before anything is declared of it, which the order of package initialisation
// gives.
func RegisterType(t TypeDef) {
	if types[t.Type] != nil {
		panic(fmt.Sprintf("shot: the type %s is registered twice", t.Type))
	}
	// a type that says nothing else is a word: kept, compared, shown and typed as
	// text
	if t.JSON == nil {
		t.JSON = func(e *Entry, v Value) any { return v.Text }
	}
	if t.Read == nil {
		t.Want = "a word"
		t.Read = func(e *Entry, raw json.RawMessage) (v Value, err error) {
			err = json.Unmarshal(raw, &v.Text)
			return v, err
		}
	}
	if t.Same == nil {
		t.Same = func(a, b Value) bool { return a.Text == b.Text }
	}
	if t.Show == nil {
		t.Show = func(e *Entry, v Value, num func(float64) string) string { return v.Text }
	}
	if t.Typed == nil {
		t.Typed = func(e *Entry, f Form, shown string, old Value) (Value, error) {
			// blanks at the ends come from pasting
			text, _ := f.Get("v")
			return Text(strings.TrimSpace(text)), nil
		}
	}
	if t.Field == "" {
		t.Field = "text"
	}
	types[t.Type] = &t
}

// Def is a type's definition, or nil.
func (t Type) Def() *TypeDef { return types[t] }

// Triple reports values of three numbers.
// Asked in every substep for keyed values, so it is a look-up and no switch.
func (t Type) Triple() bool { d := types[t]; return d != nil && d.Triple }

// Numeric reports values of numbers, which the catalogue gives a range.
func (t Type) Numeric() bool { d := types[t]; return d != nil && d.Number }

// JSON is the value as a shot file holds it.
func (e *Entry) JSON(v Value) any { return e.Type.Def().JSON(e, v) }

// FromJSON reads a value of a shot file and checks it.
// What is of the wrong JSON type is told with what should stand there; what is of
// the right one and out of range, by Check.
func (e *Entry) FromJSON(raw json.RawMessage) (Value, error) {
	d := e.Type.Def()
	v, err := d.Read(e, raw)
	if err != nil {
		return v, fmt.Errorf("%s is %s; give %s", e.Label, clip(string(raw)), d.Want)
	}
	return v, e.Check(v)
}

// Check tells whether a value is allowed; the error names the value, what it
// is, and the range.
func (e *Entry) Check(v Value) error { return e.Type.Def().Check(e, v) }

// Same compares two values of the entry's type.
func (e *Entry) Same(a, b Value) bool { return e.Type.Def().Same(a, b) }

// Show writes a value with its unit, lengths in the unit named.
// Choices are told by their labels, files by their names, numbers in the shown unit.
func (e *Entry) Show(v Value, length string) string {
	// lengths alone have more than one unit that a page may show
	unit := e.Unit.Shown(length)
	s := e.Type.Def().Show(e, v, func(n float64) string { return e.Unit.Format(n, unit) })
	if unit != "" && e.Type.Numeric() {
		s += " " + unit
	}
	return s
}

// Typed reads a value as a person typed it into a form, numbers in the unit
// that the page shows, and checks it. old is the value as it was shown: what
// wasn't changed keeps all its digits.
// A number keeps the digits that it had where the field still shows what was shown.
func (e *Entry) Typed(f Form, length string, old Value) (Value, error) {
	v, err := e.Type.Def().Typed(e, f, e.Unit.Shown(length), old)
	if err != nil {
		return v, err
	}
	return v, e.Check(v)
}

// word is what names of channels in files may be.
// Receivers of files have channels as identifiers in expressions: no space, no
// leading digit, plain ASCII.
var word = regexp.MustCompile(`^[A-Za-z_][A-Za-z0-9_]{0,39}$`)

// Limits of listed values.
const (
	// Limits keep a page readable and a request small: a curve of 2,000 points can
	// be drawn, and no guide needs more.
	MaxPoints  = 2000
	MaxProfile = 64
	MaxNames   = 4096
)

// registerTypes comes before anything is declared of them.
func registerTypes() {
	for _, t := range []TypeDef{numberType(Number), numberType(Integer), vectorType(), colourType(), choiceType(), flagType(),
		namedType(File, "file"), namedType(Frozen, "file"), namedType(Picture, "picture"), weightsType(), namesType(), pointsType(), drivesType(), refType(),
		profileType(), stopsType(Ramp), stopsType(Curve), wordType(), listType()} {
		RegisterType(t)
	}
}

// numberType is a number with a unit.
// Integers are numbers that are whole: keys between them are rounded.
func numberType(t Type) TypeDef {
	return TypeDef{Type: t, Number: true, Field: "number", Want: "a number",
		JSON: func(e *Entry, v Value) any { return v.Num },
		Read: func(e *Entry, raw json.RawMessage) (v Value, err error) {
			err = json.Unmarshal(raw, &v.Num)
			return v, err
		},
		Same: func(a, b Value) bool { return a.Num == b.Num },
		Show: func(e *Entry, v Value, num func(float64) string) string { return num(v.Num) },
		Check: func(e *Entry, v Value) error {
			if t == Integer && v.Num != math.Trunc(v.Num) {
				return fmt.Errorf("%s is %g; give a whole number", e.Label, v.Num)
			}
			// the range is the catalogue's; NaN is in none
			return e.checkNumber(v.Num, "")
		},
		Typed: func(e *Entry, f Form, shown string, old Value) (Value, error) {
			// Untouched fields come back as they were shown, rounded to seven
			// figures: they keep the digits that they had.
			text, _ := f.Get("v")
			if text == e.Unit.Format(old.Num, shown) {
				return old, nil
			}
			// 24000/1001 is typed with blanks by people and read without
			if e.Unit == FrameRate && strings.Contains(text, "/") {
				text = strings.ReplaceAll(text, " ", "")
			}
			// On a fault the old value goes back with the error, so that the field
			// can show both.
			n, err := e.Unit.Parse(text, shown)
			if err != nil {
				return old, fmt.Errorf("%s: %w", e.Label, err)
			}
			return Num(n), nil
		}}
}

// triple is what vectors and colours share.
// The range holds for each part.
func triple(t Type) TypeDef {
	return TypeDef{Type: t, Triple: true, Number: true, Field: string(t), Want: "three numbers",
		JSON: func(e *Entry, v Value) any { return v.Vec },
		Read: func(e *Entry, raw json.RawMessage) (v Value, err error) {
			// Decoding into an array would drop a fourth number and leave a third at
			// 0.
			// a slice, so that two or four numbers are told as such and not cut off
			var a []float64
			if err = json.Unmarshal(raw, &a); err == nil && len(a) != 3 {
				err = fmt.Errorf("%d numbers", len(a))
			}
			if err == nil {
				v.Vec = [3]float64(a)
			}
			return v, err
		},
		Same: func(a, b Value) bool { return a.Vec == b.Vec },
		Show: func(e *Entry, v Value, num func(float64) string) string {
			return num(v.Vec[0]) + ", " + num(v.Vec[1]) + ", " + num(v.Vec[2])
		},
		Check: func(e *Entry, v Value) error {
			for a, n := range v.Vec {
				// the message says which of the three
				if err := e.checkNumber(n, " "+"xyz"[a:a+1]); err != nil {
					return err
				}
			}
			return nil
		}}
}

// vectorType is three numbers.
// A form sends the parts that were touched; the others stay as they are.
func vectorType() TypeDef {
	t := triple(Vector)
	t.Typed = func(e *Entry, f Form, shown string, old Value) (v Value, err error) {
		v = old
		for i := range 3 {
			text, sent := f.Get("v" + strconv.Itoa(i))
			if !sent || text == e.Unit.Format(old.Vec[i], shown) {
				continue // what was only shown keeps all its digits
			}
			if v.Vec[i], err = e.Unit.Parse(text, shown); err != nil {
				return v, fmt.Errorf("%s %s: %w", e.Label, "xyz"[i:i+1], err)
			}
		}
		return v, nil
	}
	return t
}

// colourType is linear red, green and blue.
// Sent as the browser's colour field has it, kept as linear light.
func colourType() TypeDef {
	t := triple(Colour)
	t.Typed = func(e *Entry, f Form, shown string, old Value) (v Value, err error) {
		text, _ := f.Get("v")
		// only the long form: browsers' colour fields give no other
		h := strings.TrimPrefix(text, "#")
		n, err := strconv.ParseUint(h, 16, 32)
		if err != nil || len(h) != 6 {
			return old, fmt.Errorf("%s is %q; give a colour like #c0a080", e.Label, clip(text))
		}
		for i := range 3 {
			// Eight bits in come out as the same eight bits: SRGB rounds to the
			// nearest code.
			v.Vec[i] = srgb.Decode(float64(n>>(16-8*i)&255) / 255)
		}
		return v, nil
	}
	return t
}

// choiceType is one of a few words.
func choiceType() TypeDef {
	return TypeDef{Type: Choice, Field: "choice",
		Show: func(e *Entry, v Value, num func(float64) string) string { return e.Words(v.Text) },
		Check: func(e *Entry, v Value) error {
			// gathered on the way, for the message
			keys := make([]string, len(e.Choices))
			for i, c := range e.Choices {
				if c.Key == v.Text {
					return nil
				}
				keys[i] = c.Key
			}
			return fmt.Errorf("%s is %q; choose one of %s", e.Label, clip(v.Text), strings.Join(keys, ", "))
		}}
}

// flagType is on or off.
func flagType() TypeDef {
	return TypeDef{Type: Flag, Field: "flag", Want: "true or false",
		JSON: func(e *Entry, v Value) any { return v.Flag },
		Read: func(e *Entry, raw json.RawMessage) (v Value, err error) {
			err = json.Unmarshal(raw, &v.Flag)
			return v, err
		},
		Same:  func(a, b Value) bool { return a.Flag == b.Flag },
		Show:  func(e *Entry, v Value, num func(float64) string) string { return onOff(v.Flag) },
		Check: func(e *Entry, v Value) error { return nil },
		Typed: func(e *Entry, f Form, shown string, old Value) (Value, error) {
			text, _ := f.Get("v")
			return On(text == "on"), nil
		}}
}

// namedType is of contents that were brought in, by id and name.
// Files, frozen frames and pictures have this form. The id is the hash of the
// contents, so a value says which bytes were meant, and the name is for people.
func namedType(t Type, field string) TypeDef {
	return TypeDef{Type: t, Named: true, Field: field,
		Show: func(e *Entry, v Value, num func(float64) string) string {
			if v.Text == "" {
				return "no file"
			}
			return asset.Name(v.Text)
		},
		Check: func(e *Entry, v Value) error {
			if v.Text == "" {
				return nil
			}
			// whether the file is there is another question, which checks ask
			if err := asset.CheckID(v.Text); err != nil {
				return fmt.Errorf("%s: %w", e.Label, err)
			}
			return nil
		}}
}

// weightsType is weights painted on a mesh, by the id that they are kept under.
// The id is a hash of 32 hexadecimal digits, of which the first six are shown:
// enough to tell two paintings of one element apart.
func weightsType() TypeDef {
	return TypeDef{Type: Weights, Field: "weights",
		Show: func(e *Entry, v Value, num func(float64) string) string {
			if v.Text == "" {
				return "nothing painted"
			}
			return "painted " + v.Text[:min(6, len(v.Text))]
		},
		Check: func(e *Entry, v Value) error {
			if v.Text != "" && (asset.CheckID(v.Text) != nil || len(v.Text) != 32) {
				return fmt.Errorf("%s is %q, which are no painted weights", e.Label, clip(v.Text))
			}
			return nil
		}}
}

// namesType is a list of names.
// Lists are kept as lines of text, so that values stay comparable.
func namesType() TypeDef {
	return TypeDef{Type: Names, Field: "names", Want: "a list of words",
		JSON: func(e *Entry, v Value) any { return append([]string{}, v.List()...) },
		Read: func(e *Entry, raw json.RawMessage) (Value, error) {
			var l []string
			err := json.Unmarshal(raw, &l)
			return NameList(l...), err
		},
		Show: func(e *Entry, v Value, num func(float64) string) string { return list(v.List()) },
		Check: func(e *Entry, v Value) error {
			// a list is joined by lines, so it could be as long as a form
			if n := len(v.List()); n > MaxNames {
				return fmt.Errorf("%s has %d names; up to %d are taken", e.Label, n, MaxNames)
			}
			return nil
		},
		Typed: func(e *Entry, f Form, shown string, old Value) (Value, error) { return NameList(f.All("v")...), nil }}
}

// pointsType is a list of places.
// Typed text is written back in one way only, or two windows would differ by blanks.
func pointsType() TypeDef {
	return TypeDef{Type: Points, Field: "points", Want: "a list of places, each three numbers",
		JSON: func(e *Entry, v Value) any { return append([][3]float64{}, v.Places()...) },
		Read: func(e *Entry, raw json.RawMessage) (Value, error) {
			var l [][3]float64
			err := json.Unmarshal(raw, &l)
			return PointList(l), err
		},
		Show: func(e *Entry, v Value, num func(float64) string) string {
			return fmt.Sprintf("%d points", len(v.Places()))
		},
		Check: func(e *Entry, v Value) error {
			l, err := val.ParsePoints(v.Text)
			if err != nil {
				return fmt.Errorf("%s: %w", e.Label, err)
			}
			if len(l) > MaxPoints {
				return fmt.Errorf("%s has %d points; up to %d are taken", e.Label, len(l), MaxPoints)
			}
			// the first point that is out of range is named by its number
			for i, p := range l {
				for a, x := range p {
					if err := e.checkNumber(x, fmt.Sprintf(" %d %s", i+1, "xyz"[a:a+1])); err != nil {
						return err
					}
				}
			}
			return nil
		},
		Typed: func(e *Entry, f Form, shown string, old Value) (Value, error) {
			text, _ := f.Get("v")
			v := Text(strings.TrimSpace(text))
			if err := e.Check(v); err != nil {
				return v, err
			}
			return PointList(v.Places()), nil // one way to write them
		}}
}

// orNothing is a text, or that there is none.
func orNothing(e *Entry, v Value, num func(float64) string) string {
	if v.Text == "" {
		return "nothing"
	}
	return v.Text
}

// refType is another element of the shot, by its id.
func refType() TypeDef {
	return TypeDef{Type: Ref, Field: "element",
		Show: orNothing,
		Check: func(e *Entry, v Value) error {
			if v.Text != "" && CheckName(v.Text) != nil {
				return fmt.Errorf("%s is %q, which names no element", e.Label, clip(v.Text))
			}
			return nil
		}}
}

// profileType is numbers along a length.
// An empty profile means 1 everywhere.
func profileType() TypeDef {
	return TypeDef{Type: Profile, Field: "profile", Want: "a list of numbers",
		JSON: func(e *Entry, v Value) any { return append([]float64{}, v.Factors()...) },
		Read: func(e *Entry, raw json.RawMessage) (Value, error) {
			var l []float64
			err := json.Unmarshal(raw, &l)
			return val.FactorList(l), err
		},
		Show: func(e *Entry, v Value, num func(float64) string) string {
			if v.Text == "" {
				return "1"
			}
			return v.Text
		},
		Check: func(e *Entry, v Value) error {
			l, err := val.ParseNumbers(v.Text)
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
		}}
}

// stopsType is stops of a ramp or a curve.
func stopsType(t Type) TypeDef {
	return TypeDef{Type: t, Field: "stops", Want: "a list of stops, each with a place and its value",
		JSON: func(e *Entry, v Value) any { return e.stopsJSON(v) },
		Read: func(e *Entry, raw json.RawMessage) (Value, error) { return e.stopsFromJSON(raw) },
		Show: func(e *Entry, v Value, num func(float64) string) string {
			list := v.Stops(t.Channels())
			if len(list) == 1 {
				return "1 stop"
			}
			return fmt.Sprintf("%d stops", len(list))
		},
		Check: func(e *Entry, v Value) error { return e.checkStops(v) },
		Typed: func(e *Entry, f Form, shown string, old Value) (Value, error) {
			text, _ := f.Get("v")
			v := Text(strings.TrimSpace(text))
			if err := e.Check(v); err != nil {
				return v, err
			}
			return val.StopList(t.Channels(), v.Stops(t.Channels())), nil
		}}
}

// wordType is a short text.
func wordType() TypeDef {
	return TypeDef{Type: Word, Field: "text", Show: shownWord,
		Check: func(e *Entry, v Value) error {
			if v.Text == "" && e.Default.Text == "" { // none is wanted
				return nil
			}
			if !word.MatchString(v.Text) {
				return fmt.Errorf("%s is %q; give a name of letters, digits and _ that begins with no digit, 40 at most", e.Label, clip(v.Text))
			}
			return nil
		}}
}

// shownWord is a word, or that there is none.
func shownWord(e *Entry, v Value, num func(float64) string) string {
	if v.Text == "" {
		return "none"
	}
	return v.Text
}

// listType is names with commas between.
func listType() TypeDef {
	return TypeDef{Type: Listed, Field: "text", Show: shownWord,
		Check: func(e *Entry, v Value) error {
			for _, name := range v.Words() {
				if !word.MatchString(name) {
					return fmt.Errorf("%s has %q; give names of letters, digits and _ that begin with no digit, with commas between", e.Label, clip(name))
				}
			}
			return nil
		}}
}

// checkNumber tells whether a number is finite and in range; part says which of
// several it is.
// The unit is the catalogue's, SI; what is typed in the shot's own unit has been
// converted before it gets here, and pages convert the message back.
func (e *Entry) checkNumber(n float64, part string) error {
	if math.IsNaN(n) || math.IsInf(n, 0) {
		return fmt.Errorf("%s%s is %v; give a finite number between %s and %s", e.Label, part, n, e.bound(e.Min), e.bound(e.Max))
	}
	if n < e.Min || n > e.Max {
		return fmt.Errorf("%s%s is %s; it can be %s to %s", e.Label, part, e.bound(n), e.bound(e.Min), e.bound(e.Max))
	}
	return nil
}

// bound says a range.
// Six digits: a bound of 0.1 is not told as 0.1000000015 after a way through
// float32.
func (e *Entry) bound(n float64) string {
	s := strconv.FormatFloat(n, 'g', 6, 64)
	if e.Unit != "" {
		s += " " + string(e.Unit)
	}
	return s
}

// clamp brings numbers into the entry's range.
// NaN becomes NaN, as min and max pass it on; Check refuses it afterwards.
func (e *Entry) clamp(v Value) Value {
	in := func(x float64) float64 { return min(max(x, e.Min), e.Max) }
	if !e.Type.Triple() {
		v.Num = in(v.Num)
		if e.Type == Integer {
			v.Num = math.Round(v.Num)
		}
		return v
	}
	for a := range v.Vec {
		v.Vec[a] = in(v.Vec[a])
	}
	return v
}

// isText reports values that are a text: words, and types that packages add.
// It says which handle reads a type: everything that is not a number, a vector, a
// flag or a list with a reader of its own is read as its text.
func isText(t Type) bool {
	return !slices.Contains([]Type{Number, Integer, Vector, Colour, Flag, Names, Points, Profile, Ramp, Curve}, t)
}
