package val

import "zarf/core/asset"

// Eval is what a value is read with: the moment, and all else that it may
// depend on besides the element that has it.
type Eval struct {
	Frame float64        // of the shot; frame f begins (f − first) / rate seconds after the start
	Rate  float64        // frames a second; 0 where nothing plays
	Files *asset.Library // of imported meshes; nil says of every file that it can't be reached
	Drive Drive          // what sensors make of a value; nil: nothing
}

// Drive is what becomes of a value of an element, by its id and the value's key, of which
// keys have made v.
type Drive func(element, key string, v Value) Value

// Frame reads values as they are at a frame.
func Frame(f float64) Eval { return Eval{Frame: f} }

// Reader has values by their names; *shot.Element is one. It panics on a name
// that the catalogue doesn't have for it.
type Reader interface {
	Get(key string) Value         // without regard to keys
	At(key string, ev Eval) Value // as it is at a moment
}

// Writer takes values by their names, brought into their ranges; *shot.Element
// is one. It panics on what can't be: a word that is no choice, a number that
// isn't finite. What a person typed goes through shot.Element.Put instead,
// which tells what is wrong.
type Writer interface {
	Reader
	Set(key string, v Value)
}

// Name is a value's name of any type.
type Name interface {
	Name() string
	Value(r Reader) Value
}

// NumKey names a number in SI units: a catalogue's number or integer.
type NumKey string

// VecKey names three numbers: a vector in SI units, or linear red, green, blue.
type VecKey string

// TextKey names a word: a choice, another element, a file.
type TextKey string

// FlagKey names an on or off.
type FlagKey string

// NamesKey names a list of words.
type NamesKey string

// PointsKey names a list of places, m.
type PointsKey string

// ProfileKey names factors evenly along something; none mean 1 everywhere.
type ProfileKey string

// StopsKey names a ramp or a curve over 0 to 1.
type StopsKey string

// Of is the number on the sheet, without regard to keys.
func (k NumKey) Of(r Reader) float64 { return r.Get(string(k)).Num }

// At is the number at a moment.
func (k NumKey) At(r Reader, ev Eval) float64 { return r.At(string(k), ev).Num }

// Set puts the number on the sheet.
func (k NumKey) Set(w Writer, x float64) { w.Set(string(k), Num(x)) }

// Of is the vector on the sheet, without regard to keys.
func (k VecKey) Of(r Reader) [3]float64 { return r.Get(string(k)).Vec }

// At is the vector at a moment.
func (k VecKey) At(r Reader, ev Eval) [3]float64 { return r.At(string(k), ev).Vec }

// Set puts the vector on the sheet.
func (k VecKey) Set(w Writer, x, y, z float64) { w.Set(string(k), Vec(x, y, z)) }

// Of is the word.
func (k TextKey) Of(r Reader) string { return r.Get(string(k)).Text }

// Set puts the word on the sheet.
func (k TextKey) Set(w Writer, s string) { w.Set(string(k), Text(s)) }

// Of tells whether it is on.
func (k FlagKey) Of(r Reader) bool { return r.Get(string(k)).Flag }

// Set switches it.
func (k FlagKey) Set(w Writer, on bool) { w.Set(string(k), On(on)) }

// Of are the words.
func (k NamesKey) Of(r Reader) []string { return r.Get(string(k)).List() }

// Set puts the words on the sheet.
func (k NamesKey) Set(w Writer, names ...string) { w.Set(string(k), NameList(names...)) }

// Of are the places.
func (k PointsKey) Of(r Reader) [][3]float64 { return r.Get(string(k)).Places() }

// Set puts the places on the sheet.
func (k PointsKey) Set(w Writer, p [][3]float64) { w.Set(string(k), PointList(p)) }

// Of are the factors; none mean 1 everywhere.
func (k ProfileKey) Of(r Reader) []float64 { return r.Get(string(k)).Factors() }

// Name is the spelling in files.
func (k NumKey) Name() string     { return string(k) }
func (k VecKey) Name() string     { return string(k) }
func (k TextKey) Name() string    { return string(k) }
func (k FlagKey) Name() string    { return string(k) }
func (k NamesKey) Name() string   { return string(k) }
func (k PointsKey) Name() string  { return string(k) }
func (k ProfileKey) Name() string { return string(k) }
func (k StopsKey) Name() string   { return string(k) }

// Value is the value as such, without regard to keys.
func (k NumKey) Value(r Reader) Value     { return r.Get(string(k)) }
func (k VecKey) Value(r Reader) Value     { return r.Get(string(k)) }
func (k TextKey) Value(r Reader) Value    { return r.Get(string(k)) }
func (k FlagKey) Value(r Reader) Value    { return r.Get(string(k)) }
func (k NamesKey) Value(r Reader) Value   { return r.Get(string(k)) }
func (k PointsKey) Value(r Reader) Value  { return r.Get(string(k)) }
func (k ProfileKey) Value(r Reader) Value { return r.Get(string(k)) }
func (k StopsKey) Value(r Reader) Value   { return r.Get(string(k)) }

// Pair is a name with its value.
type Pair struct {
	Name  string
	Value Value
}

// Is pairs the name with a number.
func (k NumKey) Is(x float64) Pair { return Pair{string(k), Num(x)} }

// Is pairs the name with a vector or a colour.
func (k VecKey) Is(x, y, z float64) Pair { return Pair{string(k), Vec(x, y, z)} }

// Is pairs the name with a word.
func (k TextKey) Is(s string) Pair { return Pair{string(k), Text(s)} }

// Is pairs the name with on or off.
func (k FlagKey) Is(on bool) Pair { return Pair{string(k), On(on)} }

// Is pairs the name with words.
func (k NamesKey) Is(names ...string) Pair { return Pair{string(k), NameList(names...)} }

// Is pairs the name with places.
func (k PointsKey) Is(p ...[3]float64) Pair { return Pair{string(k), PointList(p)} }

// Is pairs the name with factors.
func (k ProfileKey) Is(l ...float64) Pair { return Pair{string(k), FactorList(l)} }

// Is pairs the name with stops as text; see StopList.
func (k StopsKey) Is(text string) Pair { return Pair{string(k), Text(text)} }
