package recipe

// Recipes and how they are put into a shot: sizes, speeds and times scaled to the
// thing that they are for, places moved to where it stands, the camera framed on the
// outcome.

import (
	"fmt"
	"math"
	"slices"

	"zarf/core/geom"
	"zarf/core/shot"
	"zarf/core/shot/val"
	_ "zarf/core/solvers"
)

// Part is one element of a recipe; its values are for a thing one metre across
// whose middle stands at the origin.
type Part struct {
	Kind   shot.Kind
	Name   string
	Values shot.Values
	Keys   map[string][]shot.Key // frames after the start, at 24 a second
	On     []int                 // the parts that it acts on, where a recipe has several domains; nil: all of these
}

// put gives an element the part's values and keys.
// Errors and not panics, since parts may have come from a file.
func (p *Part) put(e *shot.Element) error {
	if err := e.PutAll(p.Values); err != nil {
		return err
	}
	for key, list := range p.Keys {
		entry := shot.Find(e.Kind, key)
		if entry == nil {
			return fmt.Errorf("there is no value %s.%s", e.Kind, key)
		}
		for _, k := range list {
			if err := e.PutKey(entry, k); err != nil {
				return err
			}
		}
	}
	return nil
}

// Recipe is a starting set.
// A recipe is data only: what it makes are plain elements, which remember its name
// so that their sheet can show the way back.
type Recipe struct {
	Key   string
	Name  string
	About string // what it makes, and what to change first
	Parts []Part
	Look  shot.Values
	Size  float64 // m: what it is put on when nothing is chosen
	Base  float64 // m: the size that its values are for; 0: 1
}

// Find is a recipe by key.
// Recipes of one's own are kept with the program's data and not in this list.
func Find(key string) (*Recipe, error) {
	for i := range All {
		if All[i].Key == key {
			return &All[i], nil
		}
	}
	return nil, fmt.Errorf("there is no recipe %q", key)
}

// exponent is the power of the length by which a unit grows (Froude).
// Froude's law: with gravity the same, speeds go with √L, so a fall of L takes √L.
// Rates are one over a time. Temperatures, densities and shares don't change with
// size.
func exponent(u shot.Unit) float64 {
	switch u {
	case shot.Metre:
		return 1
	// v and t go with √L: what falls looks the same in a film of its own scale
	case shot.Speed, shot.Second:
		return 0.5
	case shot.PerSecond, shot.CoolRate:
		return -0.5
	case shot.PerMetre:
		return -1
	case shot.Power: // Q over ρ c T √g L^5/2 stays the same, and so does a flame's form
		return 2.5
	}
	return 0
}

// Scale is a value for a thing L metres across.
func Scale(e *shot.Entry, v shot.Value, L float64) shot.Value {
	p := exponent(e.Unit)
	if p == 0 || L == 1 {
		return v
	}
	// Each coordinate is a length, though the value as a whole is text.
	if e.Type == shot.Points {
		list := v.Places()
		for n := range list {
			for a := range list[n] {
				list[n][a] = shot.Tidy(list[n][a] * L)
			}
		}
		return shot.PointList(list)
	}
	// to three figures, then into the value's range: sheets should read well
	q := math.Pow(L, p)
	v.Num = shot.Tidy(v.Num * q)
	for i := range v.Vec {
		v.Vec[i] = shot.Tidy(v.Vec[i] * q)
	}
	lo, hi := e.Min, e.Max
	if hi > lo {
		v.Num = min(max(v.Num, lo), hi)
		for i := range v.Vec {
			v.Vec[i] = min(max(v.Vec[i], lo), hi)
		}
	}
	return v
}

// Put adds the recipe to a shot for a thing L metres across at a place, its
// keys from a frame on, and returns the new elements. Its look becomes a look
// of its own, first in the list.
func (r *Recipe) Put(s *shot.Shot, at geom.Vec3, L float64, start float64) []*shot.Element {
	var out []*shot.Element
	if r.Base > 0 {
		L /= r.Base
	}
	// keys are counted at 24 a second, and move with the square root of the size
	// A thing four times as large moves in half its own lengths a second: its keys
	// spread over twice as many frames.
	pace := s.Rate() / 24 * math.Sqrt(L)
	alone := len(s.Of(shot.Domain)) == 0
	var own []string // the recipe's domains
	for _, p := range r.Parts {
		e := s.Add(p.Kind)
		if p.Name != "" {
			e.Name = free(s, p.Name)
		}
		// the order of a map doesn't matter here: values don't depend on each other
		for key, v := range p.Values {
			// Scaled first, about the origin that the recipe was made round, then
			// moved.
			x := shot.Find(p.Kind, key)
			v = moved(key, Scale(x, v, L), at)
			if key == val.CrestFrame.Name() {
				v.Num = math.Round(start + v.Num*pace)
			}
			e.Set(key, named(x, v, out))
		}
		for key, list := range p.Keys {
			for _, k := range list {
				k.Value = moved(key, Scale(shot.Find(p.Kind, key), k.Value, L), at)
				k.Frame = math.Round(start + k.Frame*pace)
				e.SetKey(shot.Find(p.Kind, key), k)
			}
		}
		switch {
		case p.Kind == shot.Domain:
			own = append(own, e.ID)
		case p.On != nil:
			for _, n := range p.On {
				e.ActsOn = append(e.ActsOn, out[n].ID)
			}
		case !alone: // beside other domains it acts on its own alone
			e.ActsOn = slices.Clone(own)
		}
		e.CameFrom(r.Name)
		out = append(out, e)
	}
	l := shot.NewElement(shot.Look, s.FreeLook(), r.Name)
	for key, v := range r.Look {
		l.Set(key, Scale(shot.Find(shot.Look, key), v, L))
	}
	// First, as the first look is what pictures are made with.
	s.Looks = append([]*shot.Element{l}, s.Looks...)
	return out
}

// moved shifts a value that is a place on the stage: where something stands, and
// what it looks at. Points of guides count from their own position.
func moved(key string, v shot.Value, by geom.Vec3) shot.Value {
	switch key {
	case val.SeaLevel.Name():
		v.Num = round6(v.Num + by.Y)
		return v
	case val.Position.Name(), val.Target.Name(), val.CrestPlace.Name():
	default:
		return v
	}
	return shot.Vec(round6(v.Vec[0]+by.X), round6(v.Vec[1]+by.Y), round6(v.Vec[2]+by.Z))
}

// round6 rounds to micrometres.
func round6(v float64) float64 { return math.Round(v*1e6) / 1e6 }

// free is a name that no element has yet.
// Names are for people and needn't be unique, but two called the same on one page
// are a trap.
func free(s *shot.Shot, name string) string {
	try := name
	for n := 2; ; n++ {
		taken := false
		for _, e := range s.Elements {
			taken = taken || (e.Name == try)
		}
		if !taken {
			return try
		}
		try = fmt.Sprintf("%s %d", name, n)
	}
}

// On is where a recipe goes that is put on an element: its size across and the
// middle of its top. For a domain it is the middle of the floor and a third of
// the smaller side.
// On top of a thing, as fire and smoke stand on what burns.
func (r *Recipe) On(s *shot.Shot, e *shot.Element) (at geom.Vec3, size float64) {
	first, _ := s.Range()
	switch {
	case e == nil:
		return geom.Vec3{}, r.Size
	case e.Kind == shot.Domain:
		b := e.DomainBox()
		return geom.V(b.Centre().X, b.Min.Y, b.Centre().Z), min(b.Size().X, b.Size().Z) / 3
	case e.Placed():
		sh := e.Shape(s.Eval(float64(first)))
		b := sh.Bounds()
		return geom.V(b.Centre().X, b.Max.Y, b.Centre().Z), max(b.Size().X, b.Size().Z)
	}
	return geom.FromArray(val.Position.At(e, val.Frame(float64(first)))), r.Size
}

// Shot makes a shot of a recipe alone, for a thing of a size across: its look
// is the only one, and the camera is framed on it.
func (r *Recipe) Shot(name string, size float64) *shot.Shot {
	s := shot.New(name)
	s.Title = r.Name
	r.Put(s, geom.Vec3{}, size, 1)
	s.Looks = s.Looks[:1]
	Frame(s)
	return s
}

// aspect is width over height of the pictures that Frame fits into.
// That of the shot's pictures may differ; then a margin is left or the sides are
// cut.
const aspect = 16.0 / 9

// Frame sets the shot's first camera so that the first domain just fills the
// picture, seen from the front, a little from the right and above. A shot
// without domain or camera is left as it is.
func Frame(s *shot.Shot) {
	doms, cams := s.Of(shot.Domain), s.Of(shot.Camera)
	if len(doms) == 0 || len(cams) == 0 {
		return
	}
	b := doms[0].DomainBox()
	mid, size := b.Centre(), b.Size()
	first, _ := s.Range()
	// A frame of 36 mm: half of it over the focal length is the tangent of half the
	// angle.
	spread := 18 / val.Lens.At(cams[0], val.Frame(float64(first))) // half the width over the distance
	// A bit from the side shows depth, a bit from above the floor.
	way := geom.V(0.35, 0.12, 0.93).Unit()
	var eye geom.Vec3
	// a fixed point: the eye's height changes the direction, which changes the
	// distance
	for range 6 { // lifting the eye over the floor turns the view a little
		eye = mid.Add(way.Mul(fit(size, way, spread)))
		eye.Y = max(eye.Y, b.Min.Y+size.Y*0.1)
		way = eye.Sub(mid).Unit()
	}
	val.Position.Set(cams[0], round6(eye.X), round6(eye.Y), round6(eye.Z))
	val.Target.Set(cams[0], round6(mid.X), round6(mid.Y), round6(mid.Z))
}

// fit is how far from the middle of a box an eye must be, in the direction way,
// to have all of its corners in the picture.
// Seen from far the corner's own offset along the way counts little; near, it is
// what keeps a corner in front from falling out of the picture.
func fit(size, way geom.Vec3, spread float64) (far float64) {
	right := geom.V(0, 1, 0).Cross(way).Unit()
	up := way.Cross(right)
	for n := range 8 {
		c := geom.V(float64(n&1)-0.5, float64(n>>1&1)-0.5, float64(n>>2)-0.5)
		c = geom.V(c.X*size.X, c.Y*size.Y, c.Z*size.Z)
		half := max(math.Abs(c.Dot(right)), math.Abs(c.Dot(up))*aspect)
		far = max(far, half/spread+c.Dot(way))
	}
	// A margin of a hundredth on each side.
	return far * 1.02
}
