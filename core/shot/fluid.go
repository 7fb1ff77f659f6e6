package shot

// What domains hold, as far as the document must know: a word for files, a label,
// the values that only this fluid has, and how sentences speak of it. Conditions of
// values live here too, as most of them ask what an element's domains are made of.

import (
	"fmt"
	"slices"
	"sort"
	"strings"

	"zarf/core/shot/val"
)

// Fluid is what a domain can hold: what a document needs to know of a solver.
// The solver itself is registered with package stage, which registers this.
type Fluid struct {
	Key    string  // the word in shot files
	Label  string  // the choice on the sheet
	Word   string  // in sentences: gas, liquid, cloth
	Values []Entry // of domains, emitters and others, that only it has

	// Loose says that it is particles that need no voxels: its frames are seen by
	// these alone, and forms may be as thin as they like.
	Loose bool

	// Words are what a domain of it is made of, for conditions of values such
	// as "in=fire"; the key is one of them. Nil means the key alone.
	Words func(d *Element) []string
	// Says is how a domain's sentence begins, where not by "holds … in", and
	// what it adds at the end.
	Says func(d *Element) (verb, more string)
	// Emits says what an emitter lets out: "lets out smoke 2 and …".
	Emits func(s *Shot, e *Element) string
	// Pours is the whole sentence of an emitter that acts on it alone, but for
	// its scope; nil: it is made from Emits.
	Pours func(s *Shot, e *Element) string
	// Feeds gives a new emitter the amounts that suit a domain of it.
	Feeds func(d, e *Element)
}

// In the order of registration, which is that of the choice on the sheet.
var fluids []*Fluid

// also is what refinements add to the sentence of a domain, by fluid.
var also = map[string][]func(d *Element) string{}

// AlsoSays adds something to the sentences of a fluid's domains.
// Detail added after the run, for one, is a package of its own that gas knows
// nothing of; its half sentence comes in here.
func AlsoSays(fluid string, say func(d *Element) string) { also[fluid] = append(also[fluid], say) }

// RegisterFluid adds what a domain can hold.
func RegisterFluid(f Fluid) {
	if FluidOf(f.Key) != nil {
		panic(fmt.Sprintf("shot: the fluid %s is registered twice", f.Key))
	}
	// in order of their keys, whatever order packages begin in
	at := sort.Search(len(fluids), func(i int) bool { return fluids[i].Key > f.Key })
	fluids = slices.Insert(fluids, at, &f)
	// the choice grows by what is linked into the program
	e := Find(Domain, val.Fluid.Name())
	at = sort.Search(len(e.Choices), func(i int) bool { return e.Choices[i].Key > f.Key })
	e.Choices = slices.Insert(e.Choices, at, Option{f.Key, f.Label})
	Declare(f.Values...)
}

// FluidOf finds a fluid by its key; nil where none is registered.
// A handful of fluids, so a walk is quicker than a map.
func FluidOf(key string) *Fluid {
	for _, f := range fluids {
		if f.Key == key {
			return f
		}
	}
	return nil
}

// Fluid is what a domain holds; of one that isn't known here, a nameless one.
// A shot from a program with more solvers opens and shows what it can; a run of such
// a domain is refused by package stage with the fluid's name.
func (e *Element) Fluid() *Fluid {
	if f := FluidOf(val.Fluid.Of(e)); f != nil {
		return f
	}
	return &Fluid{Key: val.Fluid.Of(e), Word: "fluid"}
}

// fluidsOf are the fluids of the domains that an element acts on.
func (s *Shot) fluidsOf(e *Element) (out []*Fluid) {
	for _, d := range s.Of(Domain) {
		if f := d.Fluid(); e.Acts(d) && !slices.Contains(out, f) {
			out = append(out, f)
		}
	}
	return out
}

// fluidWord is what a shot's domains hold.
// "stops gas" where all hold gas; where they differ, the word that covers both.
func (s *Shot) fluidWord() string {
	word := ""
	for _, d := range s.Of(Domain) {
		switch w := d.Fluid().Word; {
		case word == "":
			word = w
		case w != word:
			return "fluid"
		}
	}
	if word == "" {
		return "fluid"
	}
	return word
}

// Within is what a value is judged in: the words of the fluids that its element
// acts on. Conditions read it as the value "in".
// A domain of gas that burns has two words, gas and fire: what holds for gas holds
// for it as well.
type Within []string

// Within tells what an element's values are judged in: a domain in itself, an
// emitter or a force in the domains that it acts on, all else in all domains.
// Without any domain everything counts.
// An emitter that acts on a gas and a liquid has the values of both.
func (s *Shot) Within(e *Element) Within {
	if e.Kind == Domain {
		return e.Within()
	}
	var out Within
	doms := s.Of(Domain)
	for _, d := range doms {
		if e.Acts(d) {
			out = append(out, d.Within()...)
		}
	}
	// points from outside look like those of a domain
	if e.Kind == Look && len(s.Of(Sequence)) > 0 {
		out = append(out, "particles")
	}
	// before there is a domain nobody can say what has no meaning
	if len(doms) == 0 {
		for _, f := range fluids {
			out = append(out, f.Key)
		}
	}
	return out
}

// Within is what a domain is made of.
func (e *Element) Within() Within {
	f := e.Fluid()
	if f.Words == nil {
		return Within{f.Key}
	}
	return f.Words(e)
}

// Has reports one of the words.
func (w Within) Has(word string) bool { return slices.Contains(w, word) }

// Belongs reports a value that has a meaning in what the element acts on. Nothing
// on its own sheet changes that; so a sheet leaves others out.
// A sheet greys out a value whose condition fails by another value on it, since one
// click brings it back; what no click on this sheet can bring is not shown at all.
func (e *Entry) Belongs(r val.Reader, in Within) bool {
	// only what is settled by the domains: other conditions change with the sheet
	for cond := range strings.SplitSeq(e.When, "&") {
		if strings.HasPrefix(cond, "in=") && !holds(cond, r, in) {
			return false
		}
	}
	return true
}

// Shown reports a value whose conditions to be shown are met.
func (e *Entry) Shown(r val.Reader, in Within) bool { return Holds(e.When, r, in) }

// Matters reports a value that is of consequence as the others are: what a
// simulation reads, and so what its key holds.
// The keys of caches, the checks and the sheet's dimming all ask here, so that they
// can't disagree on whether a value counts.
func (e *Entry) Matters(r val.Reader, in Within) bool {
	return Holds(e.When, r, in) && Holds(e.Counts, r, in)
}

// Holds reports whether a condition is met: "a=x|y&b=true" asks a for x or y
// and b to be on; "a=x|b=y" one of both; "a=+" a to be a number that isn't always
// 0, or to name something; "in=fire" what the element acts on; "a=@film" a to be a file format that can.
//
// Conditions are words in declarations and not functions, so that sheets can be told
// by the catalogue alone, on the command line too.
func Holds(when string, r val.Reader, in Within) bool {
	if when == "" {
		return true
	}
	for cond := range strings.SplitSeq(when, "&") {
		if !holds(cond, r, in) {
			return false
		}
	}
	return true
}

// holds judges one condition: alternatives parted by bars, any of which will do.
// The value “in” is no value but what the element's domains are made of.
func holds(cond string, r val.Reader, in Within) bool {
	// “a=x|y” asks one value for two words, “a=x|b=y” two values: a bare word after
	// the bar belongs to the last value named
	key := ""
	for alt := range strings.SplitSeq(cond, "|") {
		if k, v, ok := strings.Cut(alt, "="); ok {
			key, alt = k, v
		}
		if key == "in" {
			if in.Has(alt) {
				return true
			}
			continue
		}
		v := r.Get(key)
		// A value at 0 without keys is off for the whole run; with keys it is on,
		// even where all keys are at 0, as knowing better would need a look at each
		// frame.
		// keys may lead away from 0 later
		if alt == "+" {
			if k, ok := r.(interface{ Keyed(...val.Name) bool }); v.Num != 0 || v.Text != "" || ok && k.Keyed(val.NumKey(key)) {
				return true
			}
		} else if alt == "true" || alt == "false" {
			if v.Flag == (alt == "true") {
				return true
			}
		} else if what, ok := strings.CutPrefix(alt, "@"); ok {
			if formatCan(v.Text, what) {
				return true
			}
		} else if v.Text == alt {
			return true
		}
	}
	return false
}
