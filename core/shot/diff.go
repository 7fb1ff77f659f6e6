package shot

// What differs between two shots, in words and exactly. Takes show it ("what did I
// change since the one that looked right"), the score keeps it beside each run, and
// two windows on one shot are brought together by it.

import (
	"encoding/json"
	"fmt"
	"slices"
	"strings"

	"zarf/core/shot/val"
)

// Change is one thing that differs between two shots.
type Change struct {
	Where string // the element's name, or "shot"
	Label string
	Was   string
	Is    string

	at    string // address of what changed, the same whatever it is called
	exact string // what it is now, to the last digit: what is shown may be equal where values aren't
}

// Clashes reports that two changes make the same thing different things.
// Two windows that made the same change agree; two that changed different things can
// both be kept. Only the same thing made two different ones needs a person.
func (c Change) Clashes(o Change) bool { return c.at == o.at && c.exact != o.exact }

// Diff lists what a simulation of b would see differently from one of a:
// values, keys, elements added, gone or muted.
//
// The order is that of the cast, so that lists can be read beside the page.
func Diff(a, b *Shot) []Change {
	// in the unit of the newer one: that is what the reader has before him
	// Elements are matched by id. One that was removed and made again under the same
	// id is told as changed, value by value, which is what a simulation sees.
	d := differ{length: val.Units.Of(b)}
	d.owner(a.Self, b.Self)
	for _, x := range a.Elements {
		if b.Element(x.ID) == nil {
			d.say(x, "element", x.Name, "element", "there", "gone")
		}
	}
	for _, y := range b.Elements {
		x := a.Element(y.ID)
		if x == nil {
			d.say(y, "element", y.Name, "element", "not there", "added")
			continue
		}
		// A muted element is still compared: unmuting it should not bring surprises.
		if x.Muted != y.Muted {
			d.say(y, "muted", y.Name, "muted", onOff(x.Muted), onOff(y.Muted))
		}
		if !slices.Equal(x.ActsOn, y.ActsOn) {
			d.say(y, "scope", y.Name, "acts on", scope(a, x), scope(b, y))
		}
		d.owner(x, y)
	}
	return d.out
}

// DiffAll is Diff with what no simulation sees: names, looks, handover values.
// It is what windows are compared by: everything that anybody can change.
// Simulations don't see it, but people do: a name that two windows changed at once
// clashes like any value.
func DiffAll(a, b *Shot) []Change {
	d := differ{out: Diff(a, b), length: val.Units.Of(b)}
	for _, y := range b.Looks {
		i := slices.IndexFunc(a.Looks, func(l *Element) bool { return l.ID == y.ID })
		if i < 0 {
			d.say(y, "element", y.Name, "look", "not there", "added")
			continue
		}
		if a.Looks[i].Name != y.Name {
			d.say(y, "name", y.ID, "name", a.Looks[i].Name, y.Name)
		}
		d.owner(a.Looks[i], y)
	}
	for _, x := range a.Looks {
		if !slices.ContainsFunc(b.Looks, func(l *Element) bool { return l.ID == x.ID }) {
			d.say(x, "element", x.Name, "look", "there", "gone")
		}
	}
	for _, y := range b.Elements {
		if x := a.Element(y.ID); x != nil && x.Name != y.Name {
			d.say(y, "name", y.ID, "name", x.Name, y.Name)
		}
	}
	d.owner(a.Handover, b.Handover)
	return d.out
}

// differ gathers changes between two documents.
type differ struct {
	out    []Change
	length string
}

// For changes that are words already; the exact form is the word itself.
func (d *differ) say(e *Element, what, where, label, was, is string) {
	d.out = append(d.out, Change{Where: where, Label: label, Was: was, Is: is, at: e.Address() + " " + what, exact: is})
}

// owner lists the values, keys and curves that differ.
// Values first, then keys: a value that got keys is told as both.
func (d *differ) owner(x, y *Element) {
	var keyed []Change
	for _, e := range Entries(y.Kind) {
		at := y.Address() + " value " + e.Key
		// compared as values; shown texts may be equal where values aren't
		if p, q := e.Value(x), e.Value(y); !e.Same(p, q) {
			exact, _ := json.Marshal(e.JSON(q))
			d.out = append(d.out, Change{y.Title(), e.Label, e.Show(p, d.length), e.Show(q, d.length), at, string(exact)})
		}
		if p, q := x.Keys(e), y.Keys(e); !slices.Equal(p, q) || x.Extra(e) != y.Extra(e) {
			// All keys together are one thing: two windows that both bent a curve
			// clash, even if they moved different keys. Half of one curve and half
			// of another is nobody's motion.
			exact, _ := json.Marshal([]any{q, y.Extra(e)})
			keyed = append(keyed, Change{y.Title(), e.Label + " over time", fmt.Sprintf("%d keys", len(p)), fmt.Sprintf("%d keys", len(q)), at + " keys", string(exact)})
		}
	}
	d.out = append(d.out, keyed...)
}

// scope compares which domains an element acts on.
func scope(s *Shot, e *Element) string {
	if len(e.ActsOn) == 0 {
		return "all"
	}
	var names []string
	for _, id := range e.ActsOn {
		if d := s.Element(id); d != nil {
			names = append(names, d.Name)
		}
	}
	return strings.Join(names, ", ")
}

// onOff writes a switch.
func onOff(b bool) string {
	if b {
		return "on"
	}
	return "off"
}
