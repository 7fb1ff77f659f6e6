package shot

import (
	"fmt"
	"math"
	"strings"

	"zarf/core/shot/val"
)

// KeyedWords tells over which frames a value is keyed, if it is.
func (s *Shot) KeyedWords(e *Element, n val.Name) string {
	k := e.Keys(n)
	if len(k) < 2 {
		return ""
	}
	return fmt.Sprintf(", keyed over frames %s–%s", Short(k[0].Frame), Short(k[len(k)-1].Frame))
}

// regionWords tells where a force acts, if not everywhere.
func (s *Shot) regionWords(e *Element) string {
	m := s.metres()
	v := val.RegionSize.Of(e)
	switch val.Region.Of(e) {
	case "box":
		return fmt.Sprintf(" within %s × %s × %s", bare(m(v[0])), bare(m(v[1])), m(v[2]))
	case "sphere":
		return " within " + m(v[0])
	}
	return ""
}

// Scope names the domains where an element acts on some only.
func (s *Shot) Scope(e *Element) string {
	if len(e.ActsOn) == 0 {
		return ""
	}
	var names []string
	for _, id := range e.ActsOn {
		if d := s.Element(id); d != nil {
			names = append(names, d.Name)
		}
	}
	return " (in " + list(names) + " only)"
}

// list joins words with commas and an “and”.
func list(s []string) string {
	switch len(s) {
	case 0:
		return "nothing"
	case 1:
		return s[0]
	}
	return strings.Join(s[:len(s)-1], ", ") + " and " + s[len(s)-1]
}

// List writes words as a sentence does: a, b and c.
func List(s []string) string { return list(s) }

// direction names the axis, and its side, that a direction points along most.
func direction(v [3]float64) string {
	names := [3][2]string{{"−x", "+x"}, {"down", "up"}, {"−z", "+z"}}
	best, at := 0.0, 0
	for a, x := range v {
		if math.Abs(x) > best {
			best, at = math.Abs(x), a
		}
	}
	if best == 0 {
		return "to rest"
	}
	side := 0
	if v[at] > 0 {
		side = 1
	}
	return "towards " + names[at][side]
}
