package shot

import (
	"cmp"
	"fmt"
	"math"
	"regexp"
	"slices"
	"strings"

	"zarf/core/anim"
	"zarf/core/asset"
	"zarf/core/geom"
	"zarf/core/grid"
)

// Format names the version of the shot file.
const Format = "zarf-shot/1"

// Values are what differs from the defaults.
type Values map[string]Value

// Key is a value at a frame, and how it runs on from there. Slopes are in the
// value's unit a frame; a number uses their first part.
type Key struct {
	Frame   float64
	Value   Value
	Way     anim.Way
	In, Out [3]float64
}

// Extra is what a keyed value does after its last key, and noise on top.
type Extra = anim.Extra

// Element is anything placed in a shot; looks, and the settings of the shot
// itself, are held in the same way.
type Element struct {
	ID     string
	Kind   Kind
	Name   string
	Muted  bool
	Values Values
	Keys   map[string][]Key
	Extras map[string]Extra // of keyed values
	Recipe string           // that it came from; empty: none
	Before Values           // as the recipe had them
	ActsOn []string         // ids of domains; empty: all

	in      *Shot // the shot that it stands in
	unknown map[string]any
}

// Clip is a reference kept with a shot: a picture or a moving one.
type Clip struct {
	ID     string  `json:"id"` // of the file
	Name   string  `json:"name"`
	Type   string  `json:"type"`             // such as video/mp4
	Offset float64 `json:"offset,omitempty"` // s of the clip that is shown on the shot's first frame
}

// Moving reports a clip with a time of its own.
func (c Clip) Moving() bool { return strings.HasPrefix(c.Type, "video/") }

// MaxClips is the number of references of a shot.
const MaxClips = 50

// ClipTypes are the kinds of references.
var ClipTypes = []string{"image/png", "image/jpeg", "image/gif", "image/webp", "video/mp4", "video/webm"}

// Shot is the document.
type Shot struct {
	Name     string
	Title    string
	Note     string
	Self     *Element // the shot's own settings
	Elements []*Element
	Looks    []*Element
	Handover Values
	Clips    []Clip // references

	files   *asset.Library
	unknown map[string]any
}

// Attach gives the shot the library in which its files are found, and returns
// the shot.
func (s *Shot) Attach(files *asset.Library) *Shot {
	s.files = files
	for _, e := range s.Elements {
		e.in = s
	}
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
	case !namePattern.MatchString(s):
		return fmt.Errorf("the name %q holds a sign that file names can't; use letters, numbers, spaces, . _ - + ( )", s)
	}
	return nil
}

// New makes an empty shot with a camera and a look.
func New(name string) *Shot {
	s := &Shot{Name: name, Self: &Element{Kind: Setting, Values: Values{}}, Handover: Values{},
		Elements: []*Element{{ID: "camera", Kind: Camera, Name: "Camera", Values: Values{}}},
		Looks:    []*Element{{Kind: Look, ID: "look", Name: "Day", Values: Values{}}}}
	return s.Attach(nil)
}

// Get is a value of the shot itself.
func (s *Shot) Get(key string) Value { return s.Self.Get(key) }

// HandoverValue is a value of the handover settings.
func (s *Shot) HandoverValue(key string) Value { return get(Handover, s.Handover, key) }

func get(k Kind, v Values, key string) Value {
	if x, ok := v[key]; ok {
		return x
	}
	e := Find(k, key)
	if e == nil {
		panic(fmt.Sprintf("shot: the catalogue has no %s.%s", k, key))
	}
	return e.Default
}

// Get is an element's value without regard to keys.
func (e *Element) Get(key string) Value { return get(e.Kind, e.Values, key) }

// Start is the value that an element began with: its recipe's, or the default.
func (e *Element) Start(key string) Value {
	if v, ok := e.Before[key]; ok && e.Recipe != "" {
		return v
	}
	return Find(e.Kind, key).Default
}

// At is an element's value at a frame: the curve's where it has keys.
func (e *Element) At(key string, frame float64) Value {
	keys := e.Keys[key]
	if len(keys) == 0 {
		return e.Get(key)
	}
	// only the keys about the frame count, unless the curve goes on after its end
	x := e.Extras[key]
	lo, hi := 0, len(keys)
	if x.After == anim.Stay {
		n, _ := slices.BinarySearchFunc(keys, frame, func(k Key, f float64) int { return cmp.Compare(k.Frame, f) })
		lo, hi = max(0, n-2), min(len(keys), n+2)
	}
	entry := Find(e.Kind, key)
	vector := entry.Type.Triple()
	near := make([]anim.Key, 0, 8)
	for _, k := range keys[lo:hi] {
		near = append(near, k.curve(vector))
	}
	v := anim.At(near, x, frame)
	out := keys[lo].Value
	if vector {
		out.Vec = v
	} else {
		out.Num = v[0]
	}
	if x.Amount != 0 || entry.Type == Integer { // noise must not leave the range
		out = entry.clamp(out)
	}
	return out
}

// Triple reports values of three numbers.
func (t Type) Triple() bool { return t == Vector || t == Colour }

// Address tells an element, a look or the shot's own settings apart within
// their shot; Shot.Owner finds them by it.
func (e *Element) Address() string {
	switch e.Kind {
	case Setting:
		return "shot:"
	case Look:
		return "look:" + e.ID
	}
	return e.ID
}

// Owner finds what an address names; nil where nothing does.
func (s *Shot) Owner(address string) *Element {
	if address == s.Self.Address() {
		return s.Self
	}
	if id, ok := strings.CutPrefix(address, "look:"); ok {
		if id == "" {
			return nil
		}
		return s.Look(id)
	}
	return s.Element(address)
}

// Title is how an element, a look or the shot is called.
func (e *Element) Title() string {
	if e.Kind == Setting {
		return "shot"
	}
	return e.Name
}

func (k *Key) curve(vector bool) anim.Key {
	a := anim.Key{Frame: k.Frame, Way: k.Way, In: k.In, Out: k.Out, Value: k.Value.Vec}
	if !vector {
		a.Value = [3]float64{k.Value.Num}
	}
	return a
}

// clamp brings a number or a vector into the entry's range.
func (e *Entry) clamp(v Value) Value {
	in := func(x float64) float64 { return min(max(x, e.Min), e.Max) }
	v.Num = in(v.Num)
	for a := range v.Vec {
		v.Vec[a] = in(v.Vec[a])
	}
	if e.Type == Integer {
		v.Num = math.Round(v.Num)
	}
	return v
}

// SetKey sets a key; one at the same frame is replaced.
func (e *Element) SetKey(key string, k Key) {
	if e.Keys == nil {
		e.Keys = map[string][]Key{}
	}
	keys := e.Keys[key]
	n, exact := slices.BinarySearchFunc(keys, k.Frame, func(k Key, f float64) int { return cmp.Compare(k.Frame, f) })
	if exact {
		keys[n] = k
		return
	}
	e.Keys[key] = slices.Insert(keys, n, k)
}

// DropKey removes the key at a frame.
func (e *Element) DropKey(key string, frame float64) {
	e.Keys[key] = slices.DeleteFunc(e.Keys[key], func(k Key) bool { return k.Frame == frame })
	if len(e.Keys[key]) == 0 {
		delete(e.Keys, key)
		delete(e.Extras, key)
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
	base := map[Kind]string{Domain: "Air", Emitter: "Emitter", Collider: "Collider", Wind: "Wind", Turbulence: "Turbulence", Vortex: "Vortex", Radial: "Radial", Drag: "Drag", Guide: "Guide", Pull: "Shape pull", Mesh: "Mesh", Sequence: "Volumes", Lamp: "Lamp", Camera: "Camera"}[k]
	e := &Element{Kind: k, Values: Values{}, in: s}
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
	if Find(e.Kind, "size") != nil && Find(e.Kind, "size").Type == Vector {
		p := e.Get("position")
		p.Vec[0] += e.Get("size").Vec[0] * 1.2
		c.Values["position"] = p
	}
	*n = *c
	return n
}

// Remove deletes an element and takes it out of the others' scopes.
func (s *Shot) Remove(id string) {
	s.Elements = slices.DeleteFunc(s.Elements, func(e *Element) bool { return e.ID == id })
	for _, e := range s.Elements {
		e.ActsOn = slices.DeleteFunc(e.ActsOn, func(d string) bool { return d == id })
	}
}

// Copy is an independent copy under another name, that stands in no shot.
func (e *Element) Copy(name string) *Element {
	c := e.clone()
	c.Name, c.in = name, nil
	return c
}

func (e *Element) clone() *Element {
	c := *e
	c.Values = cloneMap(e.Values)
	c.Extras = cloneMap(e.Extras)
	c.Before = cloneMap(e.Before)
	c.ActsOn = slices.Clone(e.ActsOn)
	c.Keys = nil
	for k, v := range e.Keys {
		if c.Keys == nil {
			c.Keys = map[string][]Key{}
		}
		c.Keys[k] = slices.Clone(v)
	}
	return &c
}

func cloneMap[M ~map[K]V, K comparable, V any](m M) M {
	c := make(M, len(m))
	for k, v := range m {
		c[k] = v
	}
	return c
}

// Rate is frames a second; 23.976 and its kin are taken as n·1000/1001.
func (s *Shot) Rate() float64 { return Rational(s.Get("rate").Num) }

// Rational takes 23.976 and its kin as n·1000/1001.
func Rational(r float64) float64 {
	for _, n := range []float64{24, 30, 48, 60, 120} {
		if math.Abs(r-n*1000/1001) < 2e-3 {
			return n * 1000 / 1001
		}
	}
	return r
}

// Range is the first and last frame.
func (s *Shot) Range() (first, last int) { return int(s.Get("first").Num), int(s.Get("last").Num) }

// Shape is an element's form at a frame. A mesh whose file can't be had is an
// empty form; Form tells why.
func (e *Element) Shape(frame float64) geom.Shape {
	sh, _ := e.Form(frame, 0)
	return sh
}

// Form is an element's form at a frame; spacing, in metres, is that of the
// lattice on which imported meshes are measured, 0 for a middling one.
func (e *Element) Form(frame, spacing float64) (geom.Shape, error) {
	sh := geom.Shape{
		Form:   geom.Form(e.Get("form").Text),
		Centre: geom.FromArray(e.At("position", frame).Vec),
		Turn:   geom.RotationXYZ(geom.FromArray(e.At("turn", frame).Vec)),
		Size:   geom.FromArray(e.At("size", frame).Vec),
		Taper:  e.At("taper", frame).Num,
		Wall:   e.At("wall", frame).Num,
	}
	if sh.Form != geom.Imported {
		return sh, nil
	}
	w := asset.Want{Ref: e.Get("mesh").Text, Size: sh.Size.Array(), Time: e.MeshTime(frame), Region: e.Share(), Spacing: spacing}
	if w.Ref == "" {
		return sh, fmt.Errorf("%s has no file yet; import one", e.Name)
	}
	var files *asset.Library
	if e.in != nil {
		files = e.in.files
	}
	p, err := files.Pose(w)
	if err != nil {
		return sh, err
	}
	sh.Body = p.Body
	sh.Centre = sh.Centre.Add(sh.Turn.Apply(p.At))
	sh.Turn = geom.Affine{M: p.Turn}.Then(geom.Affine{M: sh.Turn}).M
	return sh, nil
}

// Share is which part of an imported mesh takes part.
func (e *Element) Share() asset.Region {
	return asset.Region{By: e.Get("share").Text, Names: e.Get("share_names").List(), Weights: e.Get("share_painted").Text}
}

// MeshTime is the time, in seconds of its file, that an imported animation has
// reached at a frame of the shot.
func (e *Element) MeshTime(frame float64) float64 {
	rate := 24.0
	if e.in != nil {
		rate = e.in.Rate()
	}
	mode := e.Get("motion").Text
	n := frame - e.Get("motion_start").Num - e.Get("motion_hold").Num
	if mode == "still" || n <= 0 {
		return 0
	}
	if e.Get("motion_keeps").Text == "frames" {
		rate = Rational(e.Get("motion_rate").Num)
	}
	t := n / rate
	if mode == "loops" && e.in != nil {
		if m, err := e.in.files.Model(e.Get("mesh").Text); err == nil && m.Facts.Length > 0 {
			t = math.Mod(t, m.Facts.Length)
		}
	}
	return t
}

// FromFile reports an element whose form is an imported mesh.
func (e *Element) FromFile() bool { return e.Placed() && e.Get("form").Text == string(geom.Imported) }

// RegionShape is the region of a force at a frame; limited is false where it
// acts everywhere.
func (e *Element) RegionShape(frame float64) (sh geom.Shape, fade float64, limited bool) {
	form := e.Get("region").Text
	if form == "everywhere" {
		return sh, 0, false
	}
	return geom.Shape{Form: geom.Form(form), Centre: geom.FromArray(e.At("position", frame).Vec), Turn: geom.RotationXYZ(geom.Vec3{}),
		Size: geom.FromArray(e.At("region_size", frame).Vec), Taper: 1}, e.At("region_fade", frame).Num, true
}

// Burns reports a domain in which fuel burns.
func (e *Element) Burns() bool {
	return e.Kind == Domain && !e.Liquid() && e.Get("burning").Text != "no"
}

// Liquid reports a domain that holds a liquid.
func (e *Element) Liquid() bool { return e.Kind == Domain && e.Get("fluid").Text == "liquid" }

// Follows reports a domain whose bounds follow its fluid.
func (e *Element) Follows() bool { return !e.Liquid() && e.Get("bounds").Text == "follow" }

// Placed reports an element with a shape.
func (e *Element) Placed() bool {
	return e.Kind == Emitter || e.Kind == Collider || e.Kind == Pull || e.Kind == Mesh
}

// Grid is the grid of a domain: cells, voxel size and low corner. The box is
// rounded up to whole voxels about its middle, its floor kept.
func (e *Element) Grid() (d grid.Dims, h float64, origin geom.Vec3) {
	h = e.Get("voxel").Num
	size, at := e.Get("size").Vec, e.Get("position").Vec
	cells := func(v float64) int { return int(max(1, min(math.Ceil(v/h-1e-6), 1<<20))) }
	d = grid.Dims{NX: cells(size[0]), NY: cells(size[1]), NZ: cells(size[2])}
	if e.Get("flat").Flag {
		d.NZ = 1
	}
	origin = geom.V(at[0]-float64(d.NX)*h/2, at[1]-size[1]/2, at[2]-float64(d.NZ)*h/2)
	return d, h, origin
}

// DomainBox is the box of a domain in space.
func (e *Element) DomainBox() geom.Box {
	d, h, o := e.Grid()
	return geom.Box{Min: o, Max: o.Add(geom.V(float64(d.NX), float64(d.NY), float64(d.NZ)).Mul(h))}
}

// Voxels is the number of cells of a domain.
func (e *Element) Voxels() float64 {
	d, _, _ := e.Grid()
	return float64(d.NX) * float64(d.NY) * float64(d.NZ)
}

// Acts reports whether e acts on domain d.
func (e *Element) Acts(d *Element) bool {
	return len(e.ActsOn) == 0 || slices.Contains(e.ActsOn, d.ID)
}

func sorted(s []string) []string { slices.Sort(s); return s }
