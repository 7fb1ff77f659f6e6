package shot

import (
	"fmt"
	"slices"
	"strings"

	"zarf/core/format"
	"zarf/core/geom"
	"zarf/core/shot/val"
)

// Kind is what an element is.
// It is a word and not a number since files and addresses hold it; a kind that a
// file names and this program lacks is refused with the list of those it has.
type Kind string

// The kinds. Settings of the shot, looks and handovers are declared in the
// same catalogue though they are not elements.
const (
	Setting    Kind = "shot"
	Domain     Kind = "domain"
	Emitter    Kind = "emitter"
	Collider   Kind = "collider"
	Cloth      Kind = "cloth"
	Wind       Kind = "wind"
	Turbulence Kind = "turbulence"
	Vortex     Kind = "vortex"
	Radial     Kind = "radial"
	Drag       Kind = "drag"
	Guide      Kind = "guide"
	Pull       Kind = "pull"
	Sea        Kind = "sea"
	Sensor     Kind = "sensor"
	Mesh       Kind = "mesh"
	Sequence   Kind = "sequence" // frames of volumes that were made elsewhere
	Lamp       Kind = "lamp"
	Camera     Kind = "camera"
	Look       Kind = "look"
	Handover   Kind = "handover"
)

// KindDef is all that Zarf knows of a kind of element. A kind is added by one
// definition: register it when the program starts, from the package that
// brings it. How it acts on a simulation is told to package stage, see
// stage.Bind.
// Everything else asks here: the menu by Group, the sheet by Values, the viewport by
// Draw, files and checks through the values. No switch over kinds stands anywhere
// else, and a test registers a kind from outside to hold that.
type KindDef struct {
	Kind   Kind
	Name   string  // of new ones: Emitter, Emitter 2
	Group  string  // heading of the cast under which it stands; empty: it isn't placed
	Values []Entry // those of every element of the kind
	Shaped bool    // has a form: the values that Placed declares
	Scoped bool    // acts on domains, all or some
	Whole  bool    // all of its mesh is its form, whichever part is chosen

	// Sentence says in words what an element does.
	Sentence func(s *Shot, e *Element) string
	// Draw adds what the viewport shows of it to what all elements show.
	Draw func(s *Shot, e *Element, ev val.Eval, d *Drawn)
	// Place gives a new element a place and a size that suit a domain.
	Place func(e, domain *Element, room Room)
}

// Room is the domain that a new element is placed in.
type Room struct {
	Box   geom.Box
	Mid   geom.Vec3
	Size  geom.Vec3
	Small float64 // m: a fifth of its smallest side, four voxels at least
}

// Groups are the headings of the cast in order.
// The headings are in the order in which a shot is built up. A kind may bring one of
// its own, which is added at the end.
var Groups = []string{"holds it", "lets fluid in", "stops it", "gives way", "moves it", "surrounds it", "measures it", "comes from outside", "stands by", "lights it", "sees it"}

var kindDefs = map[Kind]*KindDef{}
var kindOrder []Kind

// Register adds a kind of element. It panics on one that is there already.
// It is for init and for tests; nothing guards the maps against a kind that comes
// while pages are read.
func Register(k KindDef) {
	if kindDefs[k.Kind] != nil {
		panic(fmt.Sprintf("shot: the kind %s is registered twice", k.Kind))
	}
	kindDefs[k.Kind] = &k
	kindOrder = append(kindOrder, k.Kind)
	if k.Group != "" && !slices.Contains(Groups, k.Group) {
		Groups = append(Groups, k.Group)
	}
	// entries don't say which kind they are of: the definition does
	for i := range k.Values {
		k.Values[i].Kind = k.Kind
	}
	Declare(k.Values...)
}

// Def is a kind's definition; of one that isn't known an empty one.
// An empty definition for an unknown kind spares callers a nil check: it has no
// group, no values and draws nothing.
func (k Kind) Def() *KindDef {
	if d := kindDefs[k]; d != nil {
		return d
	}
	return &KindDef{Kind: k}
}

// Group is the heading of the cast under which a kind stands.
func (k Kind) Group() string { return k.Def().Group }

// Kinds are all kinds that have values, in the order of registration.
func Kinds() []Kind { return kindOrder }

// ElementKinds are the kinds that can be added to a shot, in the order of the
// menu.
func ElementKinds() (out []Kind) {
	for _, k := range kindOrder {
		// settings, looks and handovers have values like elements and no place in
		// the cast
		if IsElement(k) {
			out = append(out, k)
		}
	}
	return out
}

// IsElement reports a kind that can stand in the cast.
func IsElement(k Kind) bool { return k.Group() != "" }

func init() {
	// The order matters: types before kinds, whose entries name them; kinds before
	// formats, which add their choices to a handover's values.
	registerTypes()
	for _, k := range []KindDef{settings(), domains(), emitters(), colliders(), cloths(), winds(), turbulences(), vortices(), radials(), drags(), guides(), pulls(), seas(), sensors(), meshes(), sequences(), lamps(), cameras(), looks(), handovers()} {
		Register(k)
	}
	format.Each(written)
}

// Place gives a new element a place and a size that suit the shot's first
// domain.
// Without a domain the catalogue's defaults stand, about the origin.
func (s *Shot) Place(e *Element) {
	doms := s.Of(Domain)
	if len(doms) == 0 {
		return
	}
	b := doms[0].DomainBox()
	// new things are a fifth of the domain, and never too thin for its voxels
	// Four voxels are about the least that a solver resolves of a solid or an
	// emitter.
	room := Room{Box: b, Mid: b.Centre(), Size: b.Size(), Small: max(b.Size().MinComponent()*0.2, val.Voxel.Of(doms[0])*4)}
	if Find(e.Kind, val.RegionSize.Name()) != nil {
		val.RegionSize.Set(e, room.Size.X/2, room.Size.Y/2, room.Size.Z/2)
		val.RegionFade.Set(e, room.Size.MinComponent()*0.1)
	}
	if place := e.Kind.Def().Place; place != nil {
		place(e, doms[0], room)
	}
}

// Sentence says in words what an element does, from its values; lengths in the
// shot's unit.
func (s *Shot) Sentence(e *Element) string {
	say := e.Kind.Def().Sentence
	if say == nil {
		return ""
	}
	t := say(s, e)
	if e.Kind == Sensor {
		return t
	}
	by := map[string][]string{} // what follows each sensor
	var order []string
	for _, x := range Entries(e.Kind) {
		if o := s.Follows(e.ID, x.Key); o != nil {
			if by[o.Name] == nil {
				order = append(order, o.Name)
			}
			by[o.Name] = append(by[o.Name], strings.ToLower(x.Label))
		}
	}
	for _, name := range order {
		verb := "follow"
		if len(by[name]) == 1 {
			verb = "follows"
		}
		t += " Its " + list(by[name]) + " " + verb + " " + name + "."
	}
	if o := s.Element(e.Masked()); o != nil {
		t += " Only within " + o.Name + "."
	}
	return t
}

// Drawn is what the viewport draws of an element.
// It is the shape in which the browser gets the cast, as JSON; names are kept short
// as all elements are sent with every change. Lengths are in metres, angles in
// degrees.
type Drawn struct {
	ID       string       `json:"id"`
	Kind     Kind         `json:"kind"`
	Name     string       `json:"name"`
	Muted    bool         `json:"muted,omitempty"`
	Form     string       `json:"form,omitempty"`
	Position [3]float64   `json:"position"`
	Turn     [3]float64   `json:"turn"`
	Size     [3]float64   `json:"size"`
	Taper    float64      `json:"taper,omitempty"`
	Wall     float64      `json:"wall,omitempty"`
	Colour   string       `json:"colour,omitempty"` // sRGB, as #rrggbb
	Clear    bool         `json:"clear,omitempty"`  // of glass
	Vector   [3]float64   `json:"vector"`           // wind, or the axis an emitter pushes along
	Target   [3]float64   `json:"target"`
	Lens     float64      `json:"lens,omitempty"`
	Min      [3]float64   `json:"min"` // of domains
	Max      [3]float64   `json:"max"`
	Walls    []bool       `json:"walls,omitempty"`
	Radius   float64      `json:"radius,omitempty"`
	Region   string       `json:"region,omitempty"` // form of a force's region
	Fade     float64      `json:"fade,omitempty"`
	Begin    int          `json:"begin"`
	End      int          `json:"end"`
	Points   [][3]float64 `json:"points,omitempty"` // of guides
	Line     [][3]float64 `json:"line,omitempty"`
	Closed   bool         `json:"closed,omitempty"`
	Swirl    float64      `json:"swirl,omitempty"`
	Along    []float64    `json:"along,omitempty"` // factors of the reach along a guide
	// Strokes are lines in space, m, that any kind may show.
	Strokes [][][3]float64 `json:"strokes,omitempty"`

	Placeless bool `json:"placeless,omitempty"` // it has no position

	Moving bool `json:"-"` // its place or form has keys, or its file moves it
}

// Draw is what the viewport shows of an element at a moment.
// What every kind may have, a place, a form, a region, is filled in here; the kind's
// own Draw adds the rest. It reads through ev, so a scrub shows keyed things where
// they are at that frame.
func (s *Shot) Draw(e *Element, ev val.Eval) Drawn {
	first, last := s.Range()
	d := Drawn{ID: e.ID, Kind: e.Kind, Name: e.Name, Muted: e.Muted, Begin: first, End: last}
	if d.Placeless = Find(e.Kind, val.Position.Name()) == nil; !d.Placeless {
		d.Position = d.vector(e, val.Position, ev)
	}
	if e.Placed() {
		d.Form, d.Turn, d.Size = val.Form.Of(e), d.vector(e, val.Turn, ev), d.vector(e, val.Size, ev)
		if d.Taper = val.Taper.At(e, ev); Find(e.Kind, val.Wall.Name()) != nil { // cloth is no tube
			d.Wall = val.Wall.At(e, ev)
		}
		d.Moving = d.Moving || e.Keyed(val.Taper, val.Wall) || e.FromFile() && e.Moving(ev.Files)
	}
	if draw := e.Kind.Def().Draw; draw != nil {
		draw(s, e, ev, &d)
	}
	if Find(e.Kind, val.Region.Name()) != nil {
		if sh, fade, limited := e.RegionShape(ev); limited {
			d.Region, d.Size, d.Fade = string(sh.Form), sh.Size.Array(), fade
		}
	}
	return d
}

// vector is a value that moves what is drawn where it has keys.
// Moving tells the page whether what is drawn depends on the frame, and so must be
// asked for again when that changes.
func (d *Drawn) vector(e *Element, k val.VecKey, ev val.Eval) [3]float64 {
	d.Moving = d.Moving || e.Keyed(k)
	return k.At(e, ev)
}
