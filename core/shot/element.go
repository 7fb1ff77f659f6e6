package shot

// Elements and their values. The maps are private and copied on the way in and out,
// so that a clone shares nothing with its original: undo, takes and windows rely on
// it.

import (
	"cmp"
	"fmt"
	"maps"
	"math"
	"slices"

	"zarf/core/anim"
	"zarf/core/shot/val"
)

// Values are values by name: of a recipe's part, of a preset.
// Names are strings here and nowhere else in code: files, recipes and forms bring
// names from outside, and they must be looked up before they can be trusted.
type Values map[string]Value

// With makes values of pairs: With(val.Voxel.Is(0.1), val.Flat.Is(true)).
// A pair carries a value whose Go type fits its name, so this needs no check: a flag
// for a number does not compile.
func With(pairs ...val.Pair) Values {
	v := Values{}
	for _, p := range pairs {
		v[p.Name] = p.Value
	}
	return v
}

// Key is a value at a frame, and how it runs on from there. Slopes are in the
// value's unit a frame; a number uses their first part.
// Frames are fractions, as a key may fall between two frames: substeps read between
// them, and a shot that changes its rate keeps the moments of its keys.
type Key struct {
	Frame   float64
	Value   Value
	Way     anim.Way
	In, Out [3]float64
}

// Extra is what a keyed value does after its last key, and noise on top.
type Extra = anim.Extra

// Element is anything placed in a shot; looks, the settings of the shot itself
// and those of its handovers are held in the same way.
//
// Its values are read by their typed names, val.Voxel.Of(e), and set by them;
// Put takes what a person typed and tells what is wrong with it.
type Element struct {
	ID     string
	Kind   Kind
	Name   string
	Muted  bool
	Recipe string   // that it came from; empty: none
	ActsOn []string // ids of domains; empty: all

	values  Values // that differ from the default, or did once
	keys    map[string][]Key
	extras  map[string]Extra // of keyed values
	before  Values           // as the recipe had them
	unknown map[string]any   // fields of a file that this version doesn't know

	seen func(e *Element, key string) // told of every read; nil: nobody listens
}

var _ val.Writer = (*Element)(nil)

// NewElement makes an element that stands in no shot.
// It panics on a name that the kind doesn't have: pairs come from code.
// The defaults are not copied in. What isn't in values has its default, so that a
// default that a later version mends reaches every shot that never touched it.
func NewElement(k Kind, id, name string, pairs ...val.Pair) *Element {
	e := &Element{ID: id, Kind: k, Name: name, values: Values{}}
	for _, p := range pairs {
		e.Set(p.Name, p.Value)
	}
	return e
}

// entry finds a value's declaration; a name that the kind doesn't have is a bug.
// A panic, not an error, as names in code are typed: only a name of one kind read on
// an element of another gets here.
func (e *Element) entry(key string) *Entry {
	x := Find(e.Kind, key)
	if x == nil {
		panic(fmt.Sprintf("shot: the catalogue has no %s.%s", e.Kind, key))
	}
	return x
}

// Get is a value without regard to keys.
func (e *Element) Get(key string) Value {
	// Reads are recorded before the value is looked up: one that is at its default
	// was read all the same, and would matter if it changed.
	// Watch records reads, for the test that holds keys against what is read
	if e.seen != nil {
		e.seen(e, key)
	}
	if x, ok := e.values[key]; ok {
		return x
	}
	return e.entry(key).Default
}

// At is a value at a moment: what its keys make of it, and then the sensors that drive it.
func (e *Element) At(key string, ev val.Eval) Value {
	v := e.keyed(key, ev)
	if ev.Drive == nil {
		return v
	}
	x := e.entry(key)
	if !x.Keyable {
		return v
	}
	return x.clamp(ev.Drive(e.ID, key, v))
}

// keyed is a value at a moment: the curve's where it has keys.
//
// It is called for every keyed value in every substep, so it looks at the few keys
// about the frame alone; a curve that goes on after its end needs all of them.
func (e *Element) keyed(key string, ev val.Eval) Value {
	keys := e.keys[key]
	if len(keys) == 0 {
		return e.Get(key)
	}
	if e.seen != nil {
		e.seen(e, key)
	}
	// only the keys about the frame count, unless the curve goes on after its end
	x := e.extras[key]
	lo, hi := 0, len(keys)
	if x.After == anim.Stay {
		n, _ := slices.BinarySearchFunc(keys, ev.Frame, func(k Key, f float64) int { return cmp.Compare(k.Frame, f) })
		// Two on either side, as the slope at a key that is not flat or straight is
		// taken from its own neighbours.
		lo, hi = max(0, n-2), min(len(keys), n+2)
	}
	entry := e.entry(key)
	vector := entry.Type.Triple()
	// on the stack for the usual handful of keys
	// A vector's three parts share their frames and ways, so one walk serves all
	// three; a number rides along in the first part.
	near := make([]anim.Key, 0, 8)
	for _, k := range keys[lo:hi] {
		near = append(near, k.curve(vector))
	}
	v := anim.At(near, x, ev.Frame)
	// The other fields of the value are the first key's: a type with both a number
	// and words could be keyed in its number alone.
	out := keys[lo].Value
	if vector {
		out.Vec = v
	} else {
		out.Num = v[0]
	}
	// A curve without noise stays between its keys unless it overshoots by a slope,
	// which an artist sees drawn and means; solvers guard their own limits.
	if x.Amount != 0 || entry.Type == Integer { // noise must not leave the range
		out = entry.clamp(out)
	}
	return out
}

// curve is the key as package anim takes it: numbers and vectors share one curve of
// three parts.
func (k *Key) curve(vector bool) anim.Key {
	a := anim.Key{Frame: k.Frame, Way: k.Way, In: k.In, Out: k.Out, Value: k.Value.Vec}
	if !vector {
		a.Value = [3]float64{k.Value.Num}
	}
	return a
}

// Set puts a value that the program worked out, brought into its range; see
// val.Writer.
// Numbers are clamped, as worked-out values may lie a hair beyond; words and files
// are not, as there is no nearest one.
func (e *Element) Set(key string, v Value) {
	entry := e.entry(key)
	if entry.Type == Number || entry.Type == Integer || entry.Type.Triple() {
		v = entry.clamp(v)
	}
	if err := entry.Check(v); err != nil {
		panic("shot: " + err.Error())
	}
	e.put(key, v)
}

// Put puts a value that a person gave. The error names the value, what it is,
// and what it can be; then nothing is changed.
// Put and its kin are for what comes from outside; Set and its kin are for code. The
// first give errors, the second panic, and both leave the element as it was.
func (e *Element) Put(key string, v Value) error {
	entry := Find(e.Kind, key)
	if entry == nil {
		return fmt.Errorf("there is no value %s.%s", e.Kind, key)
	}
	if err := entry.Check(v); err != nil {
		return err
	}
	e.put(key, v)
	return nil
}

// PutAll puts the values of a recipe or a preset; see Put.
// In the order of the names, so that of two faults the same one is always told. What
// was put before the fault stays: callers work on a clone.
func (e *Element) PutAll(v Values) error {
	for _, key := range slices.Sorted(maps.Keys(v)) {
		if err := e.Put(key, v[key]); err != nil {
			return err
		}
	}
	return nil
}

// put sets a value without keys, after it was checked.
func (e *Element) put(key string, v Value) {
	if e.values == nil {
		e.values = Values{}
	}
	e.values[key] = v
}

// Reset gives values back their defaults and takes their keys away.
// A value taken away is at its default from then on, also where the catalogue's
// default changes later. Restore, below, pins what the recipe had.
func (e *Element) Reset(names ...val.Name) {
	for _, n := range names {
		delete(e.values, n.Name())
		e.DropKeys(n)
	}
}

// Restore gives a value back what it started with, without keys.
func (e *Element) Restore(n val.Name) {
	start := e.Start(n)
	e.DropKeys(n)
	e.put(n.Name(), start)
}

// Start is the value that an element began with: its recipe's, or the default.
// An element that came from no recipe may still hold "before" from a file; it is not
// asked, since the sheet's way back must lead to what the sheet says.
func (e *Element) Start(n val.Name) Value {
	if v, ok := e.before[n.Name()]; ok && e.Recipe != "" {
		return v
	}
	return e.entry(n.Name()).Default
}

// CameFrom marks the values as they are as those of a recipe.
func (e *Element) CameFrom(recipe string) { e.Recipe, e.before = recipe, maps.Clone(e.values) }

// Given are the values that were ever set, a copy.
// Given values may equal their defaults: they were set and set back. Comparison goes
// through Same, which does not tell the two apart.
func (e *Element) Given() Values {
	if e.values == nil {
		return Values{}
	}
	return maps.Clone(e.values)
}

// Keys are a value's keys in the order of their frames. Nobody changes the list.
// The list is the element's own, handed out without a copy because it is asked for
// in every substep; SetKey replaces parts of it, so callers don't keep it.
func (e *Element) Keys(n val.Name) []Key {
	if e.seen != nil {
		e.seen(e, n.Name())
	}
	return e.keys[n.Name()]
}

// Keyed reports whether any of the values has keys.
func (e *Element) Keyed(names ...val.Name) bool {
	return slices.ContainsFunc(names, func(n val.Name) bool { return len(e.Keys(n)) > 0 })
}

// Extra is what a keyed value does besides; see SetExtra.
func (e *Element) Extra(n val.Name) Extra { return e.extras[n.Name()] }

// SetKey sets a key that the program worked out, brought into range; one at the
// same frame is replaced.
func (e *Element) SetKey(n val.Name, k Key) {
	entry := e.entry(n.Name())
	k.Value = entry.clamp(k.Value)
	if err := checkKey(entry, k); err != nil {
		panic("shot: " + err.Error())
	}
	e.setKey(n.Name(), k)
}

// PutKey sets a key that a person gave. The error tells what is wrong with its
// frame, its value or its slopes.
// The count is asked only where a key would be added: at the limit one can still
// move values, and nothing that was made gets stuck.
func (e *Element) PutKey(n val.Name, k Key) error {
	entry := Find(e.Kind, n.Name())
	if entry == nil || !entry.Keyable {
		return fmt.Errorf("%s can't have keys", n.Name())
	}
	if err := checkKey(entry, k); err != nil {
		return err
	}
	keys := e.keys[n.Name()]
	if _, exact := findKey(keys, k.Frame); !exact && len(keys) >= MaxKeys {
		return fmt.Errorf("%s has %d keys; no more are allowed", entry.Label, MaxKeys)
	}
	e.setKey(n.Name(), k)
	return nil
}

// PutKeyValue sets the value of the key at a frame, and makes one where there is
// none. One that is there keeps how it runs on.
// This is what typing into a keyed field does. A slope that was bent by hand and the
// way to the next key belong to the key's place, not to its value.
func (e *Element) PutKeyValue(n val.Name, frame float64, v Value) error {
	k := Key{Frame: frame, Value: v}
	keys := e.keys[n.Name()]
	if i, exact := findKey(keys, frame); exact {
		k = keys[i]
		k.Value = v
	}
	return e.PutKey(n, k)
}

// MaxFrame bounds the frames of keys, either way.
const MaxFrame = 1e7

// checkKey refuses a key that its value can't have.
func checkKey(entry *Entry, k Key) error {
	// Written as "not within", so that NaN, which is within nothing, is refused too.
	if !(math.Abs(k.Frame) <= MaxFrame) {
		return fmt.Errorf("a key of %s would be at frame %g; give one from −%.0f to %.0f", entry.Label, k.Frame, MaxFrame, MaxFrame)
	}
	if !slices.Contains(anim.Ways, k.Way) {
		return fmt.Errorf("a key can't run on by %q; the ways are %q", k.Way, anim.Ways)
	}
	for _, m := range append(k.In[:], k.Out[:]...) {
		if !(math.Abs(m) <= 1e9) {
			return fmt.Errorf("a slope of %s is %g; give a finite one", entry.Label, m)
		}
	}
	return entry.Check(k.Value)
}

// It gives the place of the first key at or after a frame, and whether that is at
// it.
func findKey(keys []Key, frame float64) (int, bool) {
	return slices.BinarySearchFunc(keys, frame, func(k Key, f float64) int { return cmp.Compare(k.Frame, f) })
}

// setKey puts a key in its place by frame, over one that stands there.
func (e *Element) setKey(key string, k Key) {
	if e.keys == nil {
		e.keys = map[string][]Key{}
	}
	keys := e.keys[key]
	n, exact := findKey(keys, k.Frame)
	if exact {
		keys[n] = k
		return
	}
	e.keys[key] = slices.Insert(keys, n, k)
}

// putKeys sets keys that were checked, in any order; of two at one frame the later
// counts. Sorted once: putting them in one by one moves all that come after each.
func (e *Element) putKeys(key string, list []Key) {
	if len(list) == 0 {
		return
	}
	slices.SortStableFunc(list, func(a, b Key) int { return cmp.Compare(a.Frame, b.Frame) })
	out := list[:0]
	for _, k := range list {
		if n := len(out); n > 0 && out[n-1].Frame == k.Frame {
			out[n-1] = k
			continue
		}
		out = append(out, k)
	}
	if e.keys == nil {
		e.keys = map[string][]Key{}
	}
	e.keys[key] = out
}

// DropKey removes the key at a frame. The last key to go leaves its value.
// A frame without a key is no error: another window may have been quicker.
func (e *Element) DropKey(n val.Name, frame float64) {
	key := n.Name()
	keys := e.keys[key]
	i, exact := findKey(keys, frame)
	if !exact {
		return
	}
	// The field then shows what the viewport showed. Falling back to the value that
	// stood there before the first key would be a jump that nobody asked for.
	// an artist who removes the last key means the value to stay where it was
	if len(keys) == 1 {
		e.put(key, keys[0].Value)
		e.DropKeys(n)
		return
	}
	e.keys[key] = slices.Delete(keys, i, i+1)
}

// DropKeys removes all keys of a value and what it does besides.
func (e *Element) DropKeys(n val.Name) {
	delete(e.keys, n.Name())
	delete(e.extras, n.Name())
}

// MapKeys changes every key of a value, which keeps its frame.
// Used where a unit or a recipe's scale changes; fn must keep values in range.
func (e *Element) MapKeys(n val.Name, fn func(Value) Value) {
	for i, k := range e.keys[n.Name()] {
		e.keys[n.Name()][i].Value = fn(k.Value)
	}
}

// SetExtra sets what a keyed value does besides; the zero Extra is dropped.
// Without amount there is no noise, so what is left of its settings is dropped: two
// curves that do the same compare as the same.
func (e *Element) SetExtra(n val.Name, x Extra) {
	if x.Amount == 0 {
		x.Period, x.Seed = 0, 0
	}
	if x == (Extra{}) {
		delete(e.extras, n.Name())
		return
	}
	if e.extras == nil {
		e.extras = map[string]Extra{}
	}
	e.extras[n.Name()] = x
}

// CheckExtra tells whether a curve can do that.
func CheckExtra(x Extra) error {
	switch {
	case !slices.Contains(anim.Afters, x.After):
		return fmt.Errorf("after its last key it can %q, not %q", anim.Afters, x.After)
	// Wide bounds: they keep infinities out of the arithmetic, and what the value
	// itself may be is its own entry's business.
	case !(math.Abs(x.Amount) <= 1e9):
		return fmt.Errorf("its noise is %g; give a finite amount", x.Amount)
	case x.Amount != 0 && !(x.Period >= 0.01 && x.Period <= 1e6):
		return fmt.Errorf("its noise repeats every %g frames; give 0.01 to 1,000,000", x.Period)
	case x.Seed < 0 || x.Seed > 1e9:
		return fmt.Errorf("its noise has seed %d; give 0 to 1,000,000,000", x.Seed)
	}
	return nil
}

// Same reports the same values, keys and curves, whatever the names.
// Compared by the catalogue's own equality, so that a file renamed is the same file.
// Ids, scopes and recipes don't count. A conflict between two windows is decided by
// this, value by value, never by the sentence that a page shows.
func (e *Element) Same(o *Element) bool {
	if e.Kind != o.Kind {
		return false
	}
	for _, x := range Entries(e.Kind) {
		if !x.Same(x.Value(e), x.Value(o)) || !slices.Equal(e.keys[x.Key], o.keys[x.Key]) || e.extras[x.Key] != o.extras[x.Key] {
			return false
		}
	}
	return true
}

// Print is a text that differs where the values, keys or curves do.
// It serves as a key of what is kept by content, such as findings and sheets.
// It is the JSON of the values, not a hash: maps that are keyed by it can't collide.
func (e *Element) Print() string {
	o := ordered{}
	o.values("values", e.Kind, e.values, nil)
	e.curves(&o)
	b, err := o.MarshalJSON()
	if err != nil {
		panic(err) // every value was checked to be finite on its way in
	}
	return string(e.Kind) + string(b)
}

// Copy is an independent copy under another name.
func (e *Element) Copy(name string) *Element {
	c := e.clone()
	c.Name = name
	return c
}

// clone copies values and curves, so that nothing is shared.
// Keys are copied one list deep: a Key holds no pointer.
func (e *Element) clone() *Element {
	// The struct is copied whole first, so that a field added later is at least
	// copied flat; maps and lists then get their own storage.
	c := *e
	c.values, c.extras, c.before, c.unknown = maps.Clone(e.values), maps.Clone(e.extras), maps.Clone(e.before), maps.Clone(e.unknown)
	c.ActsOn = slices.Clone(e.ActsOn)
	c.keys = nil
	for k, v := range e.keys {
		if c.keys == nil {
			c.keys = map[string][]Key{}
		}
		c.keys[k] = slices.Clone(v)
	}
	if c.values == nil {
		c.values = Values{}
	}
	return &c
}

// Address tells an element, a look or the settings of the shot or of its
// handovers apart within their shot; Shot.Owner finds them by it.
// The prefixes have a colon, which CheckName refuses in an id: an element can't pose
// as a look.
func (e *Element) Address() string {
	switch e.Kind {
	case Setting:
		return "shot:"
	case Handover:
		return "handover:"
	case Look:
		return "look:" + e.ID
	}
	return e.ID
}

// Title is how an element, a look or the shot is called.
func (e *Element) Title() string {
	if e.Kind == Setting || e.Kind == Handover {
		return string(e.Kind)
	}
	return e.Name
}

// Acts reports whether e acts on domain d.
func (e *Element) Acts(d *Element) bool {
	return len(e.ActsOn) == 0 || slices.Contains(e.ActsOn, d.ID)
}
