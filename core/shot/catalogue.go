package shot

import (
	"fmt"
	"slices"

	"zarf/core/shot/val"
)

// Option is one choice.
// Keys go into files and into code; labels are for people and may be reworded.
type Option struct{ Key, Label string }

// Entry declares one value: forms, validation, file format, command-line help
// and documentation come from here.
// One struct of plain fields and no functions but by type: it can be listed,
// compared and printed, which forms, docs and tests do.
// Min and Max bound numbers and each part of a vector. When and Counts are
// conditions on other values of the same element: "form=box|ball&mode=density". A
// name with "in" asks what the shot holds, and @word a property of a chosen format.
type Entry struct {
	Kind     Kind
	Key      string
	Label    string
	Type     Type
	Unit     Unit
	Default  Value
	Min, Max float64
	Step     float64 // of one press of an arrow, in SI; 0: a tenth of the value
	Choices  []Option
	Keyable  bool
	Fixed    string // why a number can't have keys
	Main     bool   // among the values that matter most
	Topic    string // heading among the others
	Help     string // what it does to the picture, and to the time
	Sim      bool   // a simulation depends on it
	Builds   bool   // a run is made from it: it can't change under way
	After    string // the value that it follows on the sheet; empty: it stands last
	When     string // "key=choice|choice&key=choice": shown, and of consequence, only then
	Counts   string // like When: of consequence only then, though always shown
	Refs     []Kind // kinds of elements that a reference may name; domains and sequences where empty
}

// Name is the value's name; an entry stands for it wherever one is asked for.
func (e *Entry) Name() string { return e.Key }

// Value is the value as such, without regard to keys.
func (e *Entry) Value(r val.Reader) Value { return r.Get(e.Key) }

var _ val.Name = (*Entry)(nil)

// Why some numbers stay the same over a run.
const (
	fixedFrames  = "It counts frames itself."
	fixedAir     = "All temperatures and weights in a run are measured against it."
	fixedGrid    = "A run's grid is made from it; bounds that follow the fluid move with it."
	fixedSeed    = "Another seed is another run."
	fixedPicture = "All pictures of a range have one size."
	fixedFiles   = "All files of a handover are written alike."
)

// Named ties a declaration to the name by which code reads it. It panics where
// the name's type can't hold the value's.
// The check is made once for every entry when the program starts, so that a name of
// the wrong type can't reach a release: no test needs to run into it.
func Named(n val.Name, e Entry) Entry {
	e.Key = n.Name()
	ok := false
	// a name's Go type is what code reads it as: a mismatch is found when the
	// program starts and not when the value is first read
	switch n.(type) {
	case val.NumKey:
		ok = e.Type == Number || e.Type == Integer
	case val.VecKey:
		ok = e.Type.Triple()
	case val.FlagKey:
		ok = e.Type == Flag
	case val.NamesKey:
		ok = e.Type == Names
	case val.PointsKey:
		ok = e.Type == Points
	case val.ProfileKey:
		ok = e.Type == Profile
	case val.StopsKey:
		ok = e.Type == Ramp || e.Type == Curve
	case val.TextKey:
		ok = isText(e.Type)
	}
	if !ok {
		panic(fmt.Sprintf("shot: %s.%s is declared a %s, and read as a %T", e.Kind, e.Key, e.Type, n))
	}
	return e
}

func of(n val.Name, e Entry) Entry { return Named(n, e) }

// opts makes choices of keys and labels in turns.
func opts(pairs ...string) []Option {
	var o []Option
	for i := 0; i+1 < len(pairs); i += 2 {
		o = append(o, Option{pairs[i], pairs[i+1]})
	}
	return o
}

// Options are choices: key and label in turns.
func Options(pairs ...string) []Option { return opts(pairs...) }

// catalogue holds the entries of each kind in the order in which they were
// declared.
var catalogue = map[Kind][]*Entry{}

// Declare adds values to the catalogue: packages that bring a solver or a kind
// of element do so when the program starts. It panics on a second declaration.
// The order of declaration is that on the sheet, which After can change.
// Entries are copied: a caller that keeps its list can't change the catalogue.
func Declare(list ...Entry) {
	for i := range list {
		e := list[i]
		if Find(e.Kind, e.Key) != nil {
			panic(fmt.Sprintf("shot: %s.%s is declared twice", e.Kind, e.Key))
		}
		if e.Type.Def() == nil {
			panic(fmt.Sprintf("shot: %s.%s is of the type %q, which isn't registered", e.Kind, e.Key, e.Type))
		}
		at := len(catalogue[e.Kind])
		// values of other packages may stand between those of this one
		if e.After != "" {
			if at = 1 + slices.IndexFunc(catalogue[e.Kind], func(o *Entry) bool { return o.Key == e.After }); at == 0 {
				panic(fmt.Sprintf("shot: %s.%s follows %q, which isn't there", e.Kind, e.Key, e.After))
			}
		}
		catalogue[e.Kind] = slices.Insert(catalogue[e.Kind], at, &e)
	}
}

// Entries are the values of a kind in the order of the catalogue.
func Entries(k Kind) []*Entry { return catalogue[k] }

// All are the values of every kind.
func All() (out []*Entry) {
	for _, k := range Kinds() {
		out = append(out, catalogue[k]...)
	}
	return out
}

// Find is the entry of a value, or nil.
// A search along a short list; the lists have tens of entries, and a map would need
// keeping in step with the order.
func Find(k Kind, key string) *Entry {
	for _, e := range catalogue[k] {
		if e.Key == key {
			return e
		}
	}
	return nil
}

// Words are a choice's, by its key.
func (e *Entry) Words(key string) string {
	for _, c := range e.Choices {
		if c.Key == key {
			return c.Label
		}
	}
	return key
}
