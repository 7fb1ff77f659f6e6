package shot

import (
	"fmt"
	"slices"
	"strings"

	"zarf/core/asset"
)

// Change is one value that differs between two shots.
type Change struct {
	Where string // the element's name, or "shot"
	Label string
	Was   string
	Is    string
}

// Show writes a value with its unit.
func (e *Entry) Show(v Value, length string) string {
	unit := e.Unit.Shown(length)
	num := func(n float64) string { return e.Unit.Format(n, unit) }
	var s string
	switch e.Type {
	case Vector, Colour:
		s = num(v.Vec[0]) + ", " + num(v.Vec[1]) + ", " + num(v.Vec[2])
	case Choice:
		for _, c := range e.Choices {
			if c.Key == v.Text {
				return c.Label
			}
		}
		return v.Text
	case Ramp, Curve:
		list := v.Stops(e.Type)
		if len(list) == 1 {
			return "1 stop"
		}
		return fmt.Sprintf("%d stops", len(list))
	case File, Frozen, Picture:
		if v.Text == "" {
			return "no file"
		}
		return asset.Name(v.Text)
	case Ref:
		if v.Text == "" {
			return "nothing"
		}
		return v.Text
	case Weights:
		if v.Text == "" {
			return "nothing painted"
		}
		return "painted " + v.Text[:min(6, len(v.Text))]
	case Names:
		return list(v.List())
	case Points:
		return fmt.Sprintf("%d points", len(v.Places()))
	case Profile:
		if v.Text == "" {
			return "1"
		}
		return v.Text
	case Flag:
		if v.Flag {
			return "on"
		}
		return "off"
	default:
		s = num(v.Num)
	}
	if unit != "" {
		s += " " + unit
	}
	return s
}

// Diff lists what a simulation of b would see differently from one of a:
// values, keys, elements added, gone or muted.
func Diff(a, b *Shot) []Change {
	length := b.Get("units").Text
	var out []Change
	for _, e := range Entries(Setting) {
		if x, y := a.Get(e.Key), b.Get(e.Key); !e.Same(x, y) {
			out = append(out, Change{"shot", e.Label, e.Show(x, length), e.Show(y, length)})
		}
	}
	out = append(out, diffKeys(a.Self, b.Self)...)
	for _, x := range a.Elements {
		if b.Element(x.ID) == nil {
			out = append(out, Change{x.Name, "element", "there", "gone"})
		}
	}
	for _, y := range b.Elements {
		x := a.Element(y.ID)
		if x == nil {
			out = append(out, Change{y.Name, "element", "not there", "added"})
			continue
		}
		if x.Muted != y.Muted {
			out = append(out, Change{y.Name, "muted", onOff(x.Muted), onOff(y.Muted)})
		}
		if !slices.Equal(x.ActsOn, y.ActsOn) {
			out = append(out, Change{y.Name, "acts on", scope(a, x), scope(b, y)})
		}
		for _, e := range Entries(y.Kind) {
			if p, q := x.Get(e.Key), y.Get(e.Key); !e.Same(p, q) {
				out = append(out, Change{y.Name, e.Label, e.Show(p, length), e.Show(q, length)})
			}
		}
		out = append(out, diffKeys(x, y)...)
	}
	return out
}

// diffKeys lists the values that run otherwise over time.
func diffKeys(x, y *Element) (out []Change) {
	for _, e := range Entries(y.Kind) {
		p, q := x.Keys[e.Key], y.Keys[e.Key]
		if !slices.Equal(p, q) || x.Extras[e.Key] != y.Extras[e.Key] {
			out = append(out, Change{y.Title(), e.Label + " over time", fmt.Sprintf("%d keys", len(p)), fmt.Sprintf("%d keys", len(q))})
		}
	}
	return out
}

// DiffAll is Diff with what no simulation sees: names, looks, handover values.
func DiffAll(a, b *Shot) []Change {
	out := Diff(a, b)
	length := b.Get("units").Text
	add := func(where string, k Kind, x, y func(string) Value) {
		for _, e := range Entries(k) {
			if p, q := x(e.Key), y(e.Key); !e.Same(p, q) {
				out = append(out, Change{where, e.Label, e.Show(p, length), e.Show(q, length)})
			}
		}
	}
	for _, y := range b.Looks {
		i := slices.IndexFunc(a.Looks, func(l *Element) bool { return l.ID == y.ID })
		if i < 0 {
			out = append(out, Change{y.Name, "look", "not there", "added"})
			continue
		}
		if a.Looks[i].Name != y.Name {
			out = append(out, Change{y.ID, "name", a.Looks[i].Name, y.Name})
		}
		add(y.Name, Look, a.Looks[i].Get, y.Get)
		out = append(out, diffKeys(a.Looks[i], y)...)
	}
	for _, x := range a.Looks {
		if !slices.ContainsFunc(b.Looks, func(l *Element) bool { return l.ID == x.ID }) {
			out = append(out, Change{x.Name, "look", "there", "gone"})
		}
	}
	for _, y := range b.Elements {
		if x := a.Element(y.ID); x != nil && x.Name != y.Name {
			out = append(out, Change{y.ID, "name", x.Name, y.Name})
		}
	}
	add("handover", Handover, a.HandoverValue, b.HandoverValue)
	return out
}

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

func onOff(b bool) string {
	if b {
		return "on"
	}
	return "off"
}
