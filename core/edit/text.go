package edit

import (
	"fmt"
	"strings"

	"zarf/core/shot"
)

// text is a value typed as one text: vectors with commas, lists too, flags as
// on or off.
type text string

// Get is the text of one part of a value, as a form would send it.
func (t text) Get(name string) (string, bool) {
	if name == "v" {
		switch strings.ToLower(string(t)) {
		case "true", "yes":
			return "on", true
		}
		return string(t), true
	}
	parts := strings.Split(string(t), ",")
	var i int
	if n, err := fmt.Sscanf(name, "v%d", &i); n != 1 || err != nil || len(parts) != 3 {
		return strings.Join(parts, " "), true // no number: what was typed is told
	}
	return strings.TrimSpace(parts[i]), true
}

// All are the texts of a part that is a list.
func (t text) All(string) []string {
	var out []string
	for p := range strings.SplitSeq(string(t), ",") {
		out = append(out, strings.TrimSpace(p))
	}
	return out
}

// Assign makes the command of a text such as "domain1.voxel=5 cm" or
// "handover:.scale=100": an address, a dot, a value's name, and what to set it
// to, in any unit that its field takes.
func Assign(s string) (*Set, error) {
	left, to, ok := strings.Cut(s, "=")
	at, value, dotted := strings.Cut(strings.TrimSpace(left), ".")
	if !ok || !dotted {
		return nil, fmt.Errorf("%q sets nothing; write ADDRESS.VALUE=TO, such as domain1.voxel=0.05", s)
	}
	return &Set{At: at, Value: value, Typed: func(x *shot.Entry, units string, old shot.Value) (shot.Value, error) {
		return x.Typed(text(strings.TrimSpace(to)), units, old)
	}}, nil
}
