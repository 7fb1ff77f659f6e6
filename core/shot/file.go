package shot

// The shot file. It is what the database keeps, so it is read and written all the
// time, and what people edit by hand and hand to each other, so its errors name the
// line and the field. Reading never loses anything: fields and values that this
// version doesn't know are kept with what they belong to and written back in their
// place.

import (
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"maps"
	"math"
	"slices"
	"strconv"
	"strings"

	"zarf/core/anim"
	"zarf/core/asset"
)

// FileError tells where a shot file is wrong.
// Line counts from 1; 0 where no line can be told. Field is the path as in
// "elements[3].values.voxel".
type FileError struct {
	Line  int
	Field string
	What  string
}

// Error names where in the file, and what.
func (e *FileError) Error() string {
	s := "shot file"
	if e.Line > 0 {
		s += fmt.Sprintf(", line %d", e.Line)
	}
	if e.Field != "" {
		s += ", " + e.Field
	}
	return s + ": " + e.What
}

// fileKey is a key as the file holds it.
// value is in the form of the value's type; slopes are numbers, or three of them
// Frame and value are always written; the rest only where it differs from its zero,
// so that a plain key is one short line.
type fileKey struct {
	Frame float64         `json:"frame"`
	Value json.RawMessage `json:"value"`
	Hold  bool            `json:"hold,omitempty"` // of older files: way "hold"
	Way   anim.Way        `json:"way,omitempty"`
	In    any             `json:"in,omitempty"`
	Out   any             `json:"out,omitempty"`
}

// fileExtra is what a curve does beyond its keys, as the file holds it.
type fileExtra struct {
	After  anim.After `json:"after,omitempty"`
	Amount float64    `json:"noise,omitempty"`
	Period float64    `json:"noise_frames,omitempty"`
	Seed   int        `json:"noise_seed,omitempty"`
}

// slopes reads a slope, a number or three.
// Files of one number and of three are both read, whatever the value's type: a slope
// beyond the number of parts is simply not used.
// JSON numbers arrive as float64; anything else in their place makes ok false, and
// the caller tells the whole key.
func slopes(v any) (out [3]float64, ok bool) {
	one := func(v any) float64 { f, is := v.(float64); ok = ok && is && math.Abs(f) <= 1e9; return f }
	ok = true
	switch v := v.(type) {
	case nil:
	case []any:
		if len(v) != 3 {
			return out, false
		}
		for a := range out {
			out[a] = one(v[a])
		}
	default:
		out[0] = one(v)
	}
	return out, ok
}

// MaxFile is the largest shot file, bytes.
// Imported meshes and pictures are not in the file but in the library, by hash; a
// file near the limit is one with very many keys.
const MaxFile = 8 << 20

// Decode reads a shot file. Fields that it doesn't know are kept in the shot
// and listed in unknown; what is wrong is a *FileError.
//
// unknown lists the paths of what wasn't known, for a notice; it isn't an error, as
// a newer version may have written the file. The shot that comes back is whole and
// checked: each value within its range, each reference to a domain that is there.
func Decode(data []byte) (s *Shot, unknown []string, err error) {
	if len(data) > MaxFile {
		return nil, nil, &FileError{What: fmt.Sprintf("%d bytes; %d are allowed", len(data), MaxFile)}
	}
	if err := wellFormed(data); err != nil {
		return nil, nil, err
	}
	r := &reading{data: data}
	// reading goes deep, and any of its hundred fields may be wrong: a panic with a
	// *FileError, which only this function catches, spares handing the same error up
	defer func() {
		if p := recover(); p != nil {
			fe, ok := p.(*FileError)
			if !ok {
				panic(p)
			}
			s, unknown, err = nil, nil, fe
		}
	}()
	// Nothing of the half-read document leaves this function when a field is wrong.
	s = r.shot()
	return s, r.unknown, nil
}

// reading is a file on its way into a document, and what of it isn't known.
type reading struct {
	data    []byte
	unknown []string
}

// fail ends the reading with what is wrong and where. The line is looked for only
// now: errors are rare, and to know it of every field would take many times the
// memory of the file.
func (r *reading) fail(path, format string, a ...any) {
	panic(&FileError{Line: lineOf(r.data, path), Field: path, What: fmt.Sprintf(format, a...)})
}

// fields are those of a JSON object that weren't taken yet.
// raw, so that a field is decoded by whoever knows its type
// What take removes was known; what is left at the end was not, and is kept. A field
// therefore never needs to be listed twice.
type fields map[string]json.RawMessage

// object reads an object's fields.
func (r *reading) object(path string, raw json.RawMessage) fields {
	var f fields
	if err := json.Unmarshal(raw, &f); err != nil || f == nil {
		r.fail(path, "is %s; give an object in braces", clip(string(raw)))
	}
	return f
}

// list reads a list.
// The length is bounded before any entry is read, so that a list of a million empty
// objects costs no more than its bytes.
func (r *reading) list(path string, raw json.RawMessage, most int) []json.RawMessage {
	var l []json.RawMessage
	if err := json.Unmarshal(raw, &l); err != nil {
		r.fail(path, "is %s; give a list in brackets", clip(string(raw)))
	}
	if len(l) > most {
		r.fail(path, "has %d entries; %d are allowed", len(l), most)
	}
	return l
}

// take reads a field, if it is there, and takes it off those that are left.
func take[T any](r *reading, f fields, path, key, want string, into *T) bool {
	raw, ok := f[key]
	// taken off whether or not it can be read: what is left over at the end is
	// unknown
	delete(f, key)
	if !ok {
		return false
	}
	if err := json.Unmarshal(raw, into); err != nil {
		r.fail(join(path, key), "is %s; give %s", clip(string(raw)), want)
	}
	return true
}

// join is a place in the file.
func join(path, key string) string {
	if path == "" {
		return key
	}
	return path + "." + key
}

// rest keeps what is left of an object's fields.
// They are listed too, so that a page can say what this version doesn't understand.
func (r *reading) rest(path string, f fields) map[string]any {
	if len(f) == 0 {
		return nil
	}
	m := map[string]any{}
	for _, k := range slices.Sorted(maps.Keys(f)) {
		m[k] = f[k]
		r.strange(join(path, k))
	}
	return m
}

// strange notes a field that isn't known.
func (r *reading) strange(path string) {
	if len(r.unknown) >= maxUnknown {
		r.fail(path, "is one of over %d fields that aren't known here", maxUnknown)
	}
	r.unknown = append(r.unknown, path)
}

// shot reads the whole document.
//
// What a field means is checked where it is read; what fields mean together, at the
// end.
func (r *reading) shot() *Shot {
	f := r.object("", r.data)
	// Fields in the order in which errors are best told: what the file is, then what
	// it holds, then what refers to what.
	s := &Shot{Self: NewElement(Setting, "", ""), Handover: NewElement(Handover, "", "")}
	// The format is asked first: a file of another kind should be told so, not that
	// its name is missing.
	format := ""
	take(r, f, "", "format", "a word", &format)
	if format != Format {
		r.fail("format", "is %q; this program reads %q", format, Format)
	}
	take(r, f, "", "name", "a word", &s.Name)
	if err := CheckName(s.Name); err != nil {
		r.fail("name", "%v", err)
	}
	take(r, f, "", "title", "text", &s.Title)
	take(r, f, "", "note", "text", &s.Note)
	s.unknown = map[string]any{}
	// Values stand before curves: a key is checked against its entry alone, but
	// errors are told in the order in which the file is written.
	s.Self.values = r.values(f, "", "values", Setting, s.unknown)
	r.curves(f, "", s.Self)
	s.Handover.values = r.values(f, "", "handover", Handover, s.unknown)
	var raw json.RawMessage
	if take(r, f, "", "elements", "a list", &raw) {
		for i, e := range r.list("elements", raw, MaxElements) {
			s.Elements = append(s.Elements, r.element(fmt.Sprintf("elements[%d]", i), e, s))
		}
	}
	if take(r, f, "", "looks", "a list", &raw) {
		for i, l := range r.list("looks", raw, 100) {
			s.Looks = append(s.Looks, r.look(fmt.Sprintf("looks[%d]", i), l, s))
		}
	}
	// a file without a look is older than looks; pages count on one
	if len(s.Looks) == 0 {
		s.Looks = New("x").Looks
	}
	if take(r, f, "", "clips", "a list of references", &s.Clips) {
		if len(s.Clips) > MaxClips {
			r.fail("clips", "has %d entries; %d are allowed", len(s.Clips), MaxClips)
		}
		for i, c := range s.Clips {
			// a reference is shown to everyone who opens the shot: it is checked
			// like a path
			if asset.CheckID(c.ID) != nil || len(c.ID) != 32 || !slices.Contains(ClipTypes, c.Type) || len(c.Name) > 2*MaxName || !(math.Abs(c.Offset) <= 1e6) || CheckFront(c.Front) != nil || !(c.Tall >= 0 && c.Tall <= MostTall) {
				r.fail(fmt.Sprintf("clips[%d]", i), "is no reference that can be shown")
			}
		}
	}
	// only now, as either may stand first in the file
	if a, b := s.Range(); b < a {
		r.fail("values", "last frame %d comes before first frame %d", b, a)
	}
	// last, when all domains are known
	for i, e := range s.Elements {
		for _, d := range e.ActsOn {
			if o := s.Element(d); o == nil || o.Kind != Domain {
				r.fail(fmt.Sprintf("elements[%d].acts_on", i), "names %q, which is no domain of this shot", d)
			}
		}
	}
	for k, v := range r.rest("", f) {
		s.unknown[k] = v
	}
	return s
}

// values reads the values of a kind; those that the catalogue lacks go to
// keep, under their own name.
func (r *reading) values(f fields, path, key string, k Kind, keep map[string]any) Values {
	// only what differs from its default
	// What an older version wrote and this one has dropped goes to keep with the
	// unknown: a shot that travels between two versions of the program loses nothing
	// either way.
	v := Values{}
	var raw json.RawMessage
	if !take(r, f, path, key, "an object", &raw) {
		return v
	}
	p := join(path, key)
	other := map[string]any{}
	obj := r.object(p, raw)
	for _, name := range slices.Sorted(maps.Keys(obj)) {
		e := Find(k, name)
		if e == nil {
			other[name] = obj[name]
			r.strange(join(p, name))
			continue
		}
		// the same checks as for what people type
		x, err := e.FromJSON(obj[name])
		if err != nil {
			r.fail(join(p, name), "%v", err)
		}
		// a default that is written out is no decision
		// Otherwise a default that is changed by a later version would not reach
		// files that some other program wrote out in full.
		if !e.Same(x, e.Default) {
			v[name] = x
		}
	}
	if len(other) > 0 {
		keep[key] = other
	}
	return v
}

// element reads an element of the cast.
// An id is unique among the elements read so far, which makes it unique among all.
func (r *reading) element(path string, raw json.RawMessage, s *Shot) *Element {
	f := r.object(path, raw)
	e := &Element{unknown: map[string]any{}}
	take(r, f, path, "id", "a word", &e.ID)
	take(r, f, path, "kind", "a word", &e.Kind)
	take(r, f, path, "name", "a word", &e.Name)
	take(r, f, path, "muted", "true or false", &e.Muted)
	take(r, f, path, "acts_on", "a list of words", &e.ActsOn)
	if !IsElement(e.Kind) {
		r.fail(join(path, "kind"), "is %q; the kinds are %v", e.Kind, ElementKinds())
	}
	if err := CheckName(e.ID); err != nil {
		r.fail(join(path, "id"), "%v", err)
	}
	// The cast is read in order, so this sees all that came before.
	if s.Element(e.ID) != nil {
		r.fail(join(path, "id"), "%q is used twice", e.ID)
	}
	// files made by hand often lack it
	if e.Name == "" {
		e.Name = e.ID
	}
	if err := CheckName(e.Name); err != nil {
		r.fail(join(path, "name"), "%v", err)
	}
	e.values = r.values(f, path, "values", e.Kind, e.unknown)
	take(r, f, path, "recipe", "a word", &e.Recipe)
	if len(e.Recipe) > MaxName {
		r.fail(join(path, "recipe"), "has %d bytes; %d are allowed", len(e.Recipe), MaxName)
	}
	// what a recipe set, so that its sheet can say what was changed since
	if e.Recipe != "" {
		e.before = r.values(f, path, "before", e.Kind, e.unknown)
	}
	// The recipe's own values carry no keys, so "before" needs no curves.
	r.curves(f, path, e)
	for k, v := range r.rest(path, f) {
		e.unknown[k] = v
	}
	return e
}

// curves reads the keys of an element, a look or the shot.
// Keys are put one by one through the same door as typed ones, which sorts them and
// refuses what can't be.
func (r *reading) curves(f fields, path string, e *Element) {
	var keys map[string][]fileKey
	take(r, f, path, "keys", "lists of keys by value", &keys)
	for _, name := range slices.Sorted(maps.Keys(keys)) {
		entry := Find(e.Kind, name)
		p := join(path, "keys."+name)
		if entry == nil || !entry.Keyable {
			r.fail(p, "can't have keys")
		}
		if len(keys[name]) > MaxKeys {
			r.fail(p, "has %d keys; %d are allowed", len(keys[name]), MaxKeys)
		}
		list := make([]Key, 0, len(keys[name]))
		for i, k := range keys[name] {
			v, err := entry.FromJSON(k.Value)
			if err != nil {
				r.fail(p, "key %d: %v", i, err)
			}
			key := Key{Frame: k.Frame, Value: v, Way: k.Way}
			// files of older versions, read as long as there are any
			if k.Hold {
				key.Way = anim.Hold
			}
			var ok1, ok2 bool
			key.In, ok1 = slopes(k.In)
			key.Out, ok2 = slopes(k.Out)
			if !ok1 || !ok2 {
				r.fail(p, "key %d has the slopes %v and %v; give a number, or three", i, k.In, k.Out)
			}
			// an unknown way is not replaced by the default: it would change a motion
			// silently
			if err := checkKey(entry, key); err != nil {
				r.fail(p, "key %d: %v", i, err)
			}
			list = append(list, key)
		}
		e.putKeys(name, list)
	}
	var extras map[string]fileExtra
	take(r, f, path, "curves", "what keyed values do besides", &extras)
	for _, name := range slices.Sorted(maps.Keys(extras)) {
		x := Extra(extras[name])
		if err := CheckExtra(x); err != nil || len(e.keys[name]) == 0 {
			r.fail(join(path, "curves."+name), "can't be: it needs keys, and %v", err)
		}
		// A curve without keys does nothing; it is refused above rather than
		// dropped, as somebody meant it to do something.
		e.SetExtra(Find(e.Kind, name), x)
	}
}

// look reads a look.
// Looks have ids of their own, apart from elements'.
func (r *reading) look(path string, raw json.RawMessage, s *Shot) *Element {
	f := r.object(path, raw)
	l := &Element{Kind: Look, unknown: map[string]any{}}
	take(r, f, path, "id", "a word", &l.ID)
	take(r, f, path, "name", "a word", &l.Name)
	if err := CheckName(l.ID); err != nil {
		r.fail(join(path, "id"), "%v", err)
	}
	// Look("") gives the first look, so the list must not be empty for the question
	// to mean anything; CheckName has refused an empty id already.
	if s.Look(l.ID) != nil && len(s.Looks) > 0 {
		r.fail(join(path, "id"), "%q is used twice", l.ID)
	}
	l.values = r.values(f, path, "values", Look, l.unknown)
	r.curves(f, path, l)
	for k, v := range r.rest(path, f) {
		l.unknown[k] = v
	}
	return l
}

// Limits on the form of a file, whatever it holds. A shot is nested six deep and its
// longest name has twenty letters.
const (
	maxDepth   = 32
	maxWord    = 256     // bytes of a field's name
	maxUnknown = 10_000  // fields that aren't known here
	maxTokens  = 3 << 20 // names, values and brackets
)

// wellFormed refuses a text that is no JSON, is cut off, goes on behind its end, is
// nested without end, or is made of more pieces than a shot could be. It walks over
// the text once and keeps nothing of it.
func wellFormed(data []byte) error {
	w := walk{dec: json.NewDecoder(bytes.NewReader(data)), data: data}
	// 1e999 would end the walk without a field's name; numbers too large are named
	// with their field later
	w.dec.UseNumber()
	if err := w.value(0); err != nil {
		return w.told(err)
	}
	if _, err := w.dec.Token(); !errors.Is(err, io.EOF) {
		return w.at("something follows the shot")
	}
	return nil
}

// walk is a way through a JSON text.
type walk struct {
	dec    *json.Decoder
	data   []byte
	tokens int
}

// at is what is wrong where the walk has come to.
func (w *walk) at(what string) error {
	return &FileError{Line: w.line(w.dec.InputOffset()), What: what}
}

func (w *walk) line(o int64) int {
	return 1 + bytes.Count(w.data[:min(int(o), len(w.data))], []byte("\n"))
}

// told is a decoder's error with its line.
func (w *walk) told(err error) error {
	var fe *FileError
	var syn *json.SyntaxError
	switch {
	case errors.As(err, &fe):
		return fe
	case errors.As(err, &syn):
		return &FileError{Line: w.line(syn.Offset), What: "not JSON: " + syn.Error()}
	case errors.Is(err, io.EOF) || errors.Is(err, io.ErrUnexpectedEOF):
		return &FileError{Line: w.line(int64(len(w.data))), What: "the file ends too early"}
	}
	return w.at(err.Error())
}

func (w *walk) next() (json.Token, error) {
	if w.tokens++; w.tokens > maxTokens {
		return nil, w.at(fmt.Sprintf("the file has more than %d names and values", maxTokens))
	}
	return w.dec.Token()
}

// value walks over one value.
func (w *walk) value(depth int) error {
	if depth > maxDepth {
		return w.at(fmt.Sprintf("is nested more than %d deep", maxDepth))
	}
	t, err := w.next()
	if err != nil {
		return err
	}
	open, ok := t.(json.Delim)
	if !ok {
		return nil
	}
	for w.dec.More() {
		if open == '{' {
			k, err := w.next()
			if err != nil {
				return err
			}
			if name := k.(string); len(name) > maxWord {
				return w.at(fmt.Sprintf("the name of a field, %q, has %d bytes; %d are allowed", clip(name), len(name), maxWord))
			}
		}
		if err := w.value(depth + 1); err != nil {
			return err
		}
	}
	_, err = w.next()
	return err
}

// lineOf is the line on which the value at a path ends, or begins where it is an
// object or a list; 0 where the text has no such path. A path is field names and
// list places as in "elements[3].values.voxel".
func lineOf(data []byte, path string) int {
	w := walk{dec: json.NewDecoder(bytes.NewReader(data)), data: data}
	w.dec.UseNumber()
	o, ok := w.seek("", path)
	if !ok {
		return 0
	}
	return w.line(o)
}

// seek looks for a path below the value that comes next, whose own path is here.
func (w *walk) seek(here, path string) (int64, bool) {
	t, err := w.dec.Token()
	if err != nil {
		return 0, false
	}
	if here == path {
		return w.dec.InputOffset() - 1, true
	}
	open, ok := t.(json.Delim)
	for i := 0; ok && w.dec.More(); i++ {
		below := here + "[" + strconv.Itoa(i) + "]"
		if open == '{' {
			k, err := w.dec.Token()
			if err != nil {
				return 0, false
			}
			below = join(here, k.(string))
		}
		if !leads(below, path) {
			if w.value(0) != nil {
				return 0, false
			}
			continue
		}
		if o, found := w.seek(below, path); found {
			return o, true
		}
	}
	if ok {
		_, err = w.dec.Token()
	}
	return 0, false
}

// leads reports a path that another goes through, or is. A name may hold a dot or a
// bracket, so several may seem to lead on, and each is followed.
func leads(below, path string) bool {
	rest, ok := strings.CutPrefix(path, below)
	return ok && (rest == "" || rest[0] == '.' || rest[0] == '[')
}

// Encode writes the shot file: fields in a fixed order, so that equal shots
// give equal bytes.
//
// The order of fields is that of the catalogue, and of what is unknown that of its
// names. A shot that was read and written again gives the same bytes.
// Values at their default are left out, so a file lists decisions. Numbers are
// written with the fewest digits that read back as the same float64.
func (s *Shot) Encode() []byte {
	// fields are put in order by hand: maps have none, and diffs of shot files
	// should show what changed and nothing else
	// Handover values stand at the end though they are read early: most people who
	// read a file look for elements.
	o := ordered{}
	o.add("format", Format)
	o.add("name", s.Name)
	o.text("title", s.Title)
	o.text("note", s.Note)
	// taken off as it is written, so that nothing is written twice
	// Cloned, as writing a shot must not change it.
	keep := maps.Clone(s.unknown)
	o.values("values", Setting, s.Self.values, keep)
	s.Self.curves(&o)
	els := []ordered{}
	for _, e := range s.Elements {
		els = append(els, e.ordered())
	}
	o.add("elements", els)
	looks := []ordered{}
	for _, l := range s.Looks {
		x := ordered{}
		keep := maps.Clone(l.unknown)
		x.add("id", l.ID)
		x.add("name", l.Name)
		x.values("values", Look, l.values, keep)
		l.curves(&x)
		x.rest(keep)
		looks = append(looks, x)
	}
	o.add("looks", looks)
	o.values("handover", Handover, s.Handover.values, keep)
	if len(s.Clips) > 0 {
		o.add("clips", s.Clips)
	}
	o.rest(keep)
	var b bytes.Buffer
	enc := json.NewEncoder(&b)
	enc.SetEscapeHTML(false)
	enc.SetIndent("", "  ")
	if err := enc.Encode(o); err != nil {
		panic(err) // every value was checked to be finite on its way in
	}
	return b.Bytes()
}

// TooLarge tells that a shot file, as Encode has made it, could not be read again:
// whoever stores one asks, so that nothing is kept that can't be opened.
func TooLarge(file []byte) error {
	if len(file) > MaxFile {
		return fmt.Errorf("the shot would take %.1f MB, and up to %d MB can be kept: shorten its note, or its keys", float64(len(file))/(1<<20), MaxFile>>20)
	}
	return nil
}

// plain is JSON as it stands in files: without the escapes that would make it safe
// within a page, which take six bytes for one.
func plain(v any) ([]byte, error) {
	var b bytes.Buffer
	enc := json.NewEncoder(&b)
	enc.SetEscapeHTML(false)
	err := enc.Encode(v)
	return bytes.TrimSuffix(b.Bytes(), []byte("\n")), err
}

// ordered puts fields in the order of the catalogue, those that aren't known
// last.
func (e *Element) ordered() ordered {
	// An element's id comes first and its kind next, so that a list of elements can
	// be skimmed.
	x := ordered{}
	keep := maps.Clone(e.unknown)
	x.add("id", e.ID)
	x.add("kind", e.Kind)
	x.add("name", e.Name)
	if e.Muted {
		x.add("muted", true)
	}
	if len(e.ActsOn) > 0 {
		x.add("acts_on", e.ActsOn)
	}
	x.values("values", e.Kind, e.values, keep)
	if e.Recipe != "" {
		x.add("recipe", e.Recipe)
		// what the recipe had, for “was … in the recipe”
		x.values("before", e.Kind, e.before, keep)
	}
	e.curves(&x)
	x.rest(keep)
	return x
}

// curves adds an element's keys.
// How a key runs on is left out where it is the usual way.
func (e *Element) curves(x *ordered) {
	// In this order a key reads as a sentence: at the frame, the value, and how it
	// goes on.
	if len(e.keys) > 0 {
		// names in order, as a map has none
		ks := ordered{}
		for _, name := range slices.Sorted(maps.Keys(e.keys)) {
			entry := Find(e.Kind, name)
			var l []ordered
			for _, k := range e.keys[name] {
				y := ordered{}
				y.add("frame", k.Frame)
				y.add("value", entry.JSON(k.Value))
				if k.Way != anim.Ease {
					y.add("way", k.Way)
				}
				// Slopes of other ways are worked out from the neighbours and would
				// be noise in a file.
				if k.Way == anim.Free {
					if entry.Type.Triple() {
						y.add("in", k.In)
						y.add("out", k.Out)
					} else {
						y.add("in", k.In[0])
						y.add("out", k.Out[0])
					}
				}
				l = append(l, y)
			}
			ks.add(name, l)
		}
		x.add("keys", ks)
	}
	if len(e.extras) > 0 {
		xs := ordered{}
		for _, name := range slices.Sorted(maps.Keys(e.extras)) {
			xs.add(name, fileExtra(e.extras[name]))
		}
		x.add("curves", xs)
	}
}

// ordered is a JSON object that keeps the order of its fields.
// encoding/json sorts the keys of maps and keeps the fields of structs; neither can
// write a catalogue's order that is known only when the program runs.
type ordered struct {
	names  []string
	fields []any
}

func (o *ordered) add(name string, v any) {
	o.names, o.fields = append(o.names, name), append(o.fields, v)
}

// text is a string as JSON.
func (o *ordered) text(name, v string) {
	if v != "" {
		o.add(name, v)
	}
}

// values adds the values that differ from their defaults, and those of other
// versions from keep.
func (o *ordered) values(name string, k Kind, v Values, keep map[string]any) {
	x := ordered{}
	for _, e := range Entries(k) {
		if val, ok := v[e.Key]; ok && !e.Same(val, e.Default) {
			x.add(e.Key, e.JSON(val))
		}
	}
	// Unknown values go back into the object that they were read from, not to the
	// top.
	if other, ok := keep[name].(map[string]any); ok {
		x.rest(other)
		delete(keep, name)
	}
	if len(x.names) > 0 {
		o.add(name, x)
	}
}

// rest writes back the fields that weren't known.
func (o *ordered) rest(m map[string]any) {
	for _, k := range slices.Sorted(maps.Keys(m)) {
		o.add(k, m[k])
	}
}

// MarshalJSON writes the fields in order.
// The standard encoder sorts maps and can't order them otherwise.
func (o ordered) MarshalJSON() ([]byte, error) {
	var b bytes.Buffer
	b.WriteByte('{')
	for i, n := range o.names {
		if i > 0 {
			b.WriteByte(',')
		}
		k, _ := plain(n)
		v, err := plain(o.fields[i])
		if err != nil {
			return nil, err
		}
		b.Write(k)
		b.WriteByte(':')
		b.Write(v)
	}
	b.WriteByte('}')
	return b.Bytes(), nil
}
