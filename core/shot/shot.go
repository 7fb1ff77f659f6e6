package shot

// The document. A shot is a value with owned parts: whoever wants to change it
// clones it, changes the clone, and hands that to the store, which keeps revisions.
// So pages, runs and undo can hold a shot without a lock.

import (
	"fmt"
	"math"
	"regexp"
	"slices"
	"strings"

	"zarf/core/asset"
	"zarf/core/shot/val"
)

// Format names the version of the shot file.
const Format = "zarf-shot/1"

// Clip is a reference kept with a shot: a picture or a moving one.
// The file itself is in the library under its hash; the shot holds the reference.
type Clip struct {
	ID     string  `json:"id"` // of the file
	Name   string  `json:"name"`
	Type   string  `json:"type"`             // such as video/mp4
	Offset float64 `json:"offset,omitempty"` // s of the clip that is shown on the shot's first frame
	// Where its front is: seconds of the clip, and height over the source in heights of the
	// picture, in the order of time.
	Front [][2]float64 `json:"front,omitempty"`
	Tall  float64      `json:"tall,omitempty"` // m that the picture is tall, where the front is; 0: not known
}

// MostMarks is how many marks a front has at most, and MostTall how tall a clip's picture is, m.
const (
	MostMarks = 5000
	MostTall  = 1e6
)

// CheckFront tells what is wrong with a front's marks.
func CheckFront(marks [][2]float64) error {
	if len(marks) > MostMarks {
		return fmt.Errorf("the front has %d marks; %d are the most", len(marks), MostMarks)
	}
	for i, m := range marks {
		if !(math.Abs(m[0]) <= 1e6) || !(m[1] >= 0 && m[1] <= 10) {
			return fmt.Errorf("mark %d of the front is %g of the picture's height at %g s; give 0 to 10 heights, within a million seconds", i+1, m[1], m[0])
		}
		if i > 0 && m[0] <= marks[i-1][0] {
			return fmt.Errorf("marks %d and %d of the front are both at %g s", i, i+1, m[0])
		}
	}
	return nil
}

// Moving reports a clip with a time of its own.
func (c Clip) Moving() bool { return strings.HasPrefix(c.Type, "video/") }

// MaxClips is the number of references of a shot.
const MaxClips = 50

// ClipTypes are the kinds of references.
var ClipTypes = []string{"image/png", "image/jpeg", "image/gif", "image/webp", "video/mp4", "video/webm"}

// Shot is the document.
type Shot struct {
	Name  string
	Title string
	Note  string
	// Elements, looks and settings are all Elements: what edits, keys, compares or
	// checks values is written once for all.
	Self     *Element // the shot's own settings
	Elements []*Element
	Looks    []*Element
	Handover *Element // the settings of its handovers
	Clips    []Clip   // references

	files   *asset.Library
	unknown map[string]any
}

var _ val.Reader = (*Shot)(nil)

// Attach gives the shot the library in which its files are found, and returns
// the shot.
// A shot as decoded knows no library: reading a file must not depend on a disk.
func (s *Shot) Attach(files *asset.Library) *Shot {
	s.files = files
	return s
}

// Files is the library that Attach gave; it may be nil, and then says of every
// file that it can't be reached.
func (s *Shot) Files() *asset.Library { return s.files }

// Limits of a document.
const (
	MaxElements = 500
	MaxKeys     = 20000
	MaxName     = 80
)

var namePattern = regexp.MustCompile(`^[\pL\pN][\pL\pN ._'’()+-]*$`)

// CheckName tells whether a name can be used for shots and elements.
func CheckName(s string) error {
	switch {
	case strings.TrimSpace(s) == "":
		return fmt.Errorf("the name is empty; give at least a letter")
	case len(s) > MaxName:
		return fmt.Errorf("the name has %d bytes; %d are allowed", len(s), MaxName)
	// names become file names of handovers: no slash, no leading dot, no control
	// signs
	case !namePattern.MatchString(s):
		return fmt.Errorf("the name %q holds a sign that file names can't; use letters, numbers, spaces, . _ - + ( )", s)
	}
	return nil
}

// New makes an empty shot with a camera and a look.
func New(name string) *Shot {
	return &Shot{Name: name, Self: NewElement(Setting, "", ""), Handover: NewElement(Handover, "", ""),
		Elements: []*Element{NewElement(Camera, "camera", "Camera")},
		Looks:    []*Element{NewElement(Look, "look", "Day")}}
}

// Get is a value of the shot itself.
func (s *Shot) Get(key string) Value { return s.Self.Get(key) }

// At is a value of the shot itself at a moment.
func (s *Shot) At(key string, ev val.Eval) Value { return s.Self.At(key, ev) }

// Eval is what values and forms of the shot's elements are read with at a
// frame.
// Files is the library that imported meshes come from; a shot without one gives
// empty forms for them.
func (s *Shot) Eval(frame float64) val.Eval {
	return val.Eval{Frame: frame, Rate: s.Rate(), Files: s.files}
}

// Owners are all that have values: the elements, the looks, the shot's own
// settings and those of its handovers.
// Whoever walks over all values of a shot, for its key, its files or its checks,
// walks over this list, so that a new holder of values is forgotten by none of them.
func (s *Shot) Owners() []*Element {
	out := append([]*Element{s.Self, s.Handover}, s.Elements...)
	return append(out, s.Looks...)
}

// Owner finds what an address names; nil where nothing does.
func (s *Shot) Owner(address string) *Element {
	switch address {
	case s.Self.Address():
		return s.Self
	case s.Handover.Address():
		return s.Handover
	}
	if id, ok := strings.CutPrefix(address, "look:"); ok {
		if id == "" {
			return nil
		}
		return s.Look(id)
	}
	return s.Element(address)
}

// Watch tells fn of every read of a value from now on; nil ends it.
// One listener at a time. It costs a comparison a read while nobody listens.
func (s *Shot) Watch(fn func(e *Element, key string)) {
	for _, e := range s.Owners() {
		e.seen = fn
	}
}

// Element finds an element.
func (s *Shot) Element(id string) *Element {
	for _, e := range s.Elements {
		if e.ID == id {
			return e
		}
	}
	return nil
}

// Look finds a look; the first where id is empty.
func (s *Shot) Look(id string) *Element {
	for _, l := range s.Looks {
		if l.ID == id || id == "" {
			return l
		}
	}
	return nil
}

// Of lists the elements of a kind that are not muted.
// Muted elements are left out here, once, so that no solver, renderer or handover
// has to think of them.
func (s *Shot) Of(k Kind) []*Element {
	var out []*Element
	for _, e := range s.Elements {
		if e.Kind == k && !e.Muted {
			out = append(out, e)
		}
	}
	return out
}

// Add makes an element with a free id and name.
func (s *Shot) Add(k Kind) *Element {
	base := k.Def().Name
	e := NewElement(k, "", "")
	// an id and a name that no element has now; seeds and addresses hang on the id
	for n := 1; ; n++ {
		e.ID, e.Name = fmt.Sprintf("%s%d", k, n), base
		if n > 1 {
			e.Name = fmt.Sprintf("%s %d", base, n)
		}
		if s.Element(e.ID) == nil && !slices.ContainsFunc(s.Elements, func(o *Element) bool { return o.Name == e.Name }) {
			break
		}
	}
	s.Elements = append(s.Elements, e)
	return e
}

// Duplicate copies an element under a new id, moved aside by its width.
func (s *Shot) Duplicate(e *Element) *Element {
	c := e.clone()
	n := s.Add(e.Kind)
	c.ID, c.Name = n.ID, n.Name
	if size := Find(e.Kind, val.Size.Name()); size != nil && size.Type == Vector {
		p := val.Position.Of(e)
		// aside by a bit more than its width, so that the copy is seen
		val.Position.Set(c, p[0]+val.Size.Of(e)[0]*1.2, p[1], p[2])
	}
	*n = *c
	return n
}

// Remove deletes an element and takes it out of the others' scopes.
// An element whose whole scope is removed acts on all domains, as an empty list
// says. Pages tell that in the sentence of the element at once.
func (s *Shot) Remove(id string) {
	s.Elements = slices.DeleteFunc(s.Elements, func(e *Element) bool { return e.ID == id })
	for _, e := range s.Elements {
		e.ActsOn = slices.DeleteFunc(e.ActsOn, func(d string) bool { return d == id })
	}
}

// FreeLook is an id that no look of the shot has.
func (s *Shot) FreeLook() string {
	for n := 2; ; n++ {
		id := fmt.Sprintf("look%d", n)
		if !slices.ContainsFunc(s.Looks, func(o *Element) bool { return o.ID == id }) {
			return id
		}
	}
}

// Rate is frames a second; 23.976 and its kin are taken as n·1000/1001.
func (s *Shot) Rate() float64 { return Rational(val.Rate.Of(s)) }

// Rational takes 23.976 and its kin as n·1000/1001.
// What people type as 23.976 or 29.97 stands for a fraction; taken literally it
// would be a frame off after some hours, and time codes would not meet.
func Rational(r float64) float64 {
	for _, n := range []float64{24, 30, 48, 60, 120} {
		if math.Abs(r-n*1000/1001) < 2e-3 {
			return n * 1000 / 1001
		}
	}
	return r
}

// Range is the first and last frame.
func (s *Shot) Range() (first, last int) { return int(val.First.Of(s)), int(val.Last.Of(s)) }

// Clone is an independent copy.
// The library of files is shared: its contents are found by hash and never change. A
// clone has no listener, as reads of a working copy are nobody's business.
func (s *Shot) Clone() *Shot {
	c := *s
	c.Self, c.Handover = s.Self.clone(), s.Handover.clone()
	c.Elements, c.Looks = make([]*Element, len(s.Elements)), make([]*Element, len(s.Looks))
	for i, e := range s.Elements {
		c.Elements[i] = e.clone()
	}
	for i, l := range s.Looks {
		c.Looks[i] = l.clone()
	}
	c.Clips = slices.Clone(s.Clips)
	for _, e := range c.Owners() {
		e.seen = nil
	}
	return &c
}

func sorted(s []string) []string { slices.Sort(s); return s }
