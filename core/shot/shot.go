package shot

import (
	"cmp"
	"fmt"
	"math"
	"regexp"
	"slices"
	"strings"

	"zarf/core/geom"
	"zarf/core/grid"
)

// Format names the version of the shot file.
const Format = "zarf-shot/1"

// Values are what differs from the defaults.
type Values map[string]Value

// Key is a value at a frame.
type Key struct {
	Frame float64
	Value Value
	Hold  bool // keeps the value until the next key instead of running to it
}

// Element is anything placed in a shot.
type Element struct {
	ID     string
	Kind   Kind
	Name   string
	Muted  bool
	Values Values
	Keys   map[string][]Key
	ActsOn []string // ids of domains; empty: all

	unknown map[string]any
}

// LookSet is one way to shade a cached simulation.
type LookSet struct {
	ID     string
	Name   string
	Values Values

	unknown map[string]any
}

// Shot is the document.
type Shot struct {
	Name     string
	Title    string
	Note     string
	Values   Values
	Elements []*Element
	Looks    []*LookSet
	Handover Values

	unknown map[string]any
}

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
	return &Shot{Name: name, Values: Values{}, Handover: Values{},
		Elements: []*Element{{ID: "camera", Kind: Camera, Name: "Camera", Values: Values{}}},
		Looks:    []*LookSet{{ID: "look", Name: "Day", Values: Values{}}}}
}

// Get is a value of the shot itself.
func (s *Shot) Get(key string) Value { return get(Setting, s.Values, key) }

// Get is a value of a look.
func (l *LookSet) Get(key string) Value { return get(Look, l.Values, key) }

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

// At is an element's value at a frame: the curve's where it has keys.
func (e *Element) At(key string, frame float64) Value {
	keys := e.Keys[key]
	if len(keys) == 0 {
		return e.Get(key)
	}
	n, exact := slices.BinarySearchFunc(keys, frame, func(k Key, f float64) int { return cmp.Compare(k.Frame, f) })
	switch {
	case exact:
		return keys[n].Value
	case n == 0:
		return keys[0].Value
	case n == len(keys) || keys[n-1].Hold:
		return keys[n-1].Value
	}
	a, b := keys[n-1], keys[n]
	t := (frame - a.Frame) / (b.Frame - a.Frame)
	t = t * t * (3 - 2*t) // flat tangents at the keys
	out := a.Value
	out.Num += (b.Value.Num - a.Value.Num) * t
	for i := range out.Vec {
		out.Vec[i] += (b.Value.Vec[i] - a.Value.Vec[i]) * t
	}
	return out
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
func (s *Shot) Look(id string) *LookSet {
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
	base := map[Kind]string{Domain: "Air", Emitter: "Emitter", Collider: "Collider", Wind: "Wind", Turbulence: "Turbulence", Vortex: "Vortex", Radial: "Radial", Drag: "Drag", Camera: "Camera"}[k]
	e := &Element{Kind: k, Values: Values{}}
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

func (e *Element) clone() *Element {
	c := *e
	c.Values = cloneMap(e.Values)
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
func (s *Shot) Rate() float64 {
	r := s.Get("rate").Num
	for _, n := range []float64{24, 30, 48, 60, 120} {
		if math.Abs(r-n*1000/1001) < 2e-3 {
			return n * 1000 / 1001
		}
	}
	return r
}

// Range is the first and last frame.
func (s *Shot) Range() (first, last int) { return int(s.Get("first").Num), int(s.Get("last").Num) }

// Shape is an element's form at a frame.
func (e *Element) Shape(frame float64) geom.Shape {
	return geom.Shape{
		Form:   geom.Form(e.Get("form").Text),
		Centre: geom.FromArray(e.At("position", frame).Vec),
		Turn:   geom.RotationXYZ(geom.FromArray(e.At("turn", frame).Vec)),
		Size:   geom.FromArray(e.At("size", frame).Vec),
		Taper:  e.Get("taper").Num,
		Wall:   e.Get("wall").Num,
	}
}

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
func (e *Element) Burns() bool { return e.Kind == Domain && e.Get("burning").Text != "no" }

// Placed reports an element with a shape.
func (e *Element) Placed() bool { return e.Kind == Emitter || e.Kind == Collider }

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
