package desk

import (
	"bytes"
	"fmt"
	"html/template"
	"strconv"
	"strings"

	lru "github.com/hashicorp/golang-lru/v2"

	"zarf/core/shot"
)

// writtenKept is how many written pieces stay in memory, about 1.5 KB each.
const writtenKept = 4096

// frameMark stands for the frame in a written field.
const frameMark = "@frame@"

// written keeps the small pieces that pages are mostly made of, fields and
// takes, as they were written, by everything that they say: from one answer to
// the next nearly all are the same, and templates take about 0.1 ms for each.
type written struct {
	list *lru.Cache[any, []string] // the text between the frames
}

func newWritten() *written {
	l, err := lru.New[any, []string](writtenKept)
	if err != nil {
		panic(err) // only for a size under 1
	}
	return &written{l}
}

// piece gives what a template makes of data, with the frame put in where it
// has frameMark. key must hold everything else that the template reads.
func (s *Server) piece(key any, name string, data any, frame int) (template.HTML, error) {
	parts, ok := s.written.list.Get(key)
	if !ok {
		var out bytes.Buffer
		if err := s.pages["partials"].ExecuteTemplate(&out, name, data); err != nil {
			return "", err
		}
		parts = strings.Split(out.String(), frameMark)
		s.written.list.Add(key, parts)
	}
	if len(parts) == 1 {
		return template.HTML(parts[0]), nil
	}
	return template.HTML(strings.Join(parts, strconv.Itoa(frame))), nil
}

// fieldKey is everything that a plain field's text is made of.
type fieldKey struct {
	entry                          *shot.Entry
	slug, kind, id, owner          string
	unit, text, hex, was           string
	parts                          [3]string
	on, changed, keyed, here, hide bool
	step                           float64
	follows                        string
}

// alone tells the types whose fields say nothing of the rest of the shot.
func alone(t shot.Type) bool {
	switch t {
	case shot.Number, shot.Integer, shot.Vector, shot.Colour, shot.Choice, shot.Flag, shot.Word, shot.Profile:
		return true
	}
	return false
}

// field writes one value of a sheet.
func (s *Server) field(of interface{ Base() *Space }, sh *sheet, f field) (template.HTML, error) {
	w := of.Base()
	if !alone(f.Type) || strings.Contains(f.Text+f.Was, frameMark) {
		var out bytes.Buffer
		err := s.pages["partials"].ExecuteTemplate(&out, "field", map[string]any{"F": f, "S": sh, "W": w})
		return template.HTML(out.String()), err
	}
	key := fieldKey{entry: f.Entry, slug: w.Row.Slug, kind: fmt.Sprint(sh.Kind), id: sh.ID, unit: f.Unit, text: f.Text, hex: f.Hex, was: f.Was, parts: f.Parts,
		on: f.On, changed: f.Changed, keyed: f.Keyed, here: f.KeyHere, hide: f.Hidden, step: f.Step}
	if len(f.Sensors) > 0 {
		key.follows = fmt.Sprint(f.Follows, f.Sensors)
	}
	if sh.Owner != nil {
		key.owner = sh.Owner.Address()
	}
	return s.piece(key, "field", map[string]any{"F": f, "S": sh, "W": map[string]any{"Row": w.Row, "Frame": frameMark}}, w.Frame)
}

// Base is the space itself, of what embeds it.
func (w *Space) Base() *Space { return w }

// takeKey is everything that the line of a take in a list is made of.
type takeKey struct {
	list, slug, look, domain        string
	number, stars, made, want, from int
	bytes                           int64
	seconds                         float64
	state, since, note, strip       string
	chosen, running                 bool
}

// takeLine writes a take in a list: that of Takes, or that of Look.
func (s *Server) takeLine(w *Space, t TakeView, list string) (template.HTML, error) {
	key := takeKey{list: list, slug: w.Row.Slug, number: t.Number, stars: t.Stars, made: t.Made, want: t.Want, from: t.From, bytes: t.Bytes, seconds: t.Seconds,
		state: string(t.State), since: t.Since, note: t.Note, strip: strings.Join(t.Strip, " "), chosen: t.Chosen, running: t.Running}
	if w.Look != nil {
		key.look = w.Look.ID
	}
	if e := w.Doc.Element(t.Domain); e != nil && len(w.Doc.Of(shot.Domain)) > 1 {
		key.domain = e.Name
	}
	return s.piece(key, list, map[string]any{"T": t, "Slug": key.slug, "Look": key.look, "Domain": key.domain}, 0)
}
