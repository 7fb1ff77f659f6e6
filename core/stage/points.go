package stage

// Particles from outside made ours: whatever names, axes and units their files have, what
// leaves here are particles as our own frames hold them, and every other number of theirs
// under its own name.

import (
	"fmt"
	"math"
	"slices"
	"strings"

	"zarf/core/frame"
	"zarf/core/shot"
	"zarf/core/shot/val"
)

// Their and ours are names of attributes: those that a file has, and what they are read as.
var ours = []struct {
	name  string
	key   val.TextKey
	usual []string
}{
	{"id", val.IDFrom, []string{"id", "pid", "identity"}},
	{"size", val.SizeFrom, []string{"size", "width", "widths", "diameter", "radius"}},
	{"age", val.AgeFrom, []string{"age"}},
	{"life", val.LifeFrom, []string{"life", "lifetime"}},
	{"temperature", val.TemperatureFrom, []string{"temperature", "temp", "heat"}},
}

// Outside are the particles of a file as a sequence has them.
type Outside struct {
	Points *frame.Points
	Read   map[string]string // what each of our attributes was read from
	Notes  []string
}

// Particles makes particles of a frame from outside ours: at the frame number of the shot,
// whose air has so many kelvin and which has so many frames a second. The points that are
// given stay as they are.
func Particles(p *frame.Points, e *shot.Element, number int, air, rate float64) (*Outside, error) {
	o := &Outside{Points: &frame.Points{Comment: "from outside, metres, y up"}, Read: map[string]string{}}
	scale, shift := val.Scale.At(e, val.Frame(float64(number))), val.Position.At(e, val.Frame(float64(number)))
	back := Axes[val.Axes.Of(e)].Back()
	o.Points.P = make([][3]float32, len(p.P))
	for i, x := range p.P {
		for a := range 3 {
			o.Points.P[i][a] = float32(float64(x[back.Perm[a]])*float64(back.Sign[a])*scale + shift[a])
		}
	}
	used := map[string]bool{}
	if err := o.velocity(p, e, back, scale, rate, used); err != nil {
		return nil, err
	}
	for _, our := range ours {
		from, err := attribute(p, our.key.Of(e), our.usual, our.name)
		if err != nil {
			return nil, err
		}
		if from == nil {
			continue
		}
		used[from.Name] = true
		o.Read[our.name] = from.Name
		o.add(our.name, e, from, scale, air)
	}
	if o.Read["size"] == "" {
		size := make([]float32, len(p.P))
		for i := range size {
			size[i] = float32(val.SizeOwn.Of(e))
		}
		o.Points.Extra = append(o.Points.Extra, frame.Attribute{Name: "size", Unit: "m", V: size})
	}
	o.identity(p, used)
	for _, a := range p.Extra { // all else is kept
		if !used[a.Name] && o.Points.Of(a.Name) == nil {
			o.Points.Extra = append(o.Points.Extra, a)
		}
	}
	return o, nil
}

// velocity reads that of points, where there is one.
func (o *Outside) velocity(p *frame.Points, e *shot.Element, back frame.Turn, scale, rate float64, used map[string]bool) error {
	v := p.V
	if name := val.VelocityFrom.Of(e); v == nil || name != "auto" {
		tried := []string{name}
		if name == "auto" {
			tried = usual[frame.Velocity]
		}
		found := ""
		for _, t := range tried {
			if p.Of(t+"_x") != nil && p.Of(t+"_y") != nil && p.Of(t+"_z") != nil {
				found = t
				break
			}
		}
		switch {
		case found != "":
			v = make([][3]float32, len(p.P))
			for a, end := range []string{"_x", "_y", "_z"} {
				used[found+end] = true
				for i, x := range p.Of(found + end) {
					v[i][a] = x
				}
			}
			o.Read["velocity"] = found
		case name != "auto":
			return fmt.Errorf("velocity is to be read from %s, which its points don't hold as %s_x, _y and _z; they hold %s", name, name, holds(p))
		}
	} else {
		o.Read["velocity"] = "velocity"
	}
	if v == nil {
		return nil
	}
	if val.VelocityIs.Of(e) == "frame" {
		scale *= rate
	}
	o.Points.V = make([][3]float32, len(v))
	for i, x := range v {
		for a := range 3 {
			o.Points.V[i][a] = float32(float64(x[back.Perm[a]]) * float64(back.Sign[a]) * scale)
		}
	}
	return nil
}

// holds names the attributes of points.
func holds(p *frame.Points) string {
	var names []string
	for _, a := range p.Extra {
		names = append(names, a.Name)
	}
	if len(names) == 0 {
		return "no attributes"
	}
	return strings.Join(names, ", ")
}

// attribute finds one by the name that was given, or one of the usual; nil where there
// is none.
func attribute(p *frame.Points, name string, usual []string, our string) (*frame.Attribute, error) {
	if name != "auto" {
		for i := range p.Extra {
			if p.Extra[i].Name == name {
				return &p.Extra[i], nil
			}
		}
		if our == "temperature" { // a sequence of volumes has the same value
			return nil, nil
		}
		return nil, fmt.Errorf("%s is to be read from %s, which its points don't hold; they hold %s", our, name, holds(p))
	}
	for _, u := range usual {
		for i := range p.Extra {
			if strings.ToLower(p.Extra[i].Name) == u {
				return &p.Extra[i], nil
			}
		}
	}
	return nil, nil
}

// add takes an attribute over, in our unit.
func (o *Outside) add(name string, e *shot.Element, from *frame.Attribute, scale, air float64) {
	times, shift, unit := 1.0, 0.0, ""
	switch name {
	case "size":
		if times, unit = scale, "m"; val.SizeIs.Of(e) == "radius" || strings.EqualFold(from.Name, "radius") {
			times *= 2
		}
	case "age", "life":
		unit = "s"
	case "temperature":
		unit = "K"
		switch val.HeatIs.Of(e) {
		case "excess":
			shift = air
		case "celsius":
			shift = 273.15
		case "unit":
			times, shift = val.HeatTop.Of(e), air
		}
	}
	a := frame.Attribute{Name: name, Unit: unit, V: from.V}
	if times != 1 || shift != 0 {
		a.V = make([]float32, len(from.V))
		for i, v := range from.V {
			a.V[i] = float32(float64(v)*times + shift)
		}
	}
	o.Points.Extra = append(o.Points.Extra, a)
}

// identity checks identities, and gives points those of their places where they have none,
// or none of their own.
func (o *Outside) identity(p *frame.Points, used map[string]bool) {
	id := o.Points.Of("id")
	if id != nil {
		high := p.Of(o.Read["id"] + "_high")
		used[o.Read["id"]+"_high"] = true
		all := make([]uint64, len(id))
		bad := ""
		for i, v := range id {
			if v < 0 || v != float32(math.Trunc(float64(v))) {
				bad = fmt.Sprintf("%g is no identity: whole numbers from 0 on are", v)
				break
			}
			if all[i] = uint64(v); high != nil {
				all[i] |= uint64(max(high[i], 0)) << frame.IDBits
			}
		}
		if bad == "" {
			slices.Sort(all)
			for i := 1; i < len(all); i++ {
				if all[i] == all[i-1] {
					bad = fmt.Sprintf("identity %d occurs twice", all[i])
					break
				}
			}
		}
		if bad == "" {
			o.split(high)
			return
		}
		o.Notes = append(o.Notes, bad+"; points are told apart by their place in the file")
		o.Points.Extra = slices.DeleteFunc(o.Points.Extra, func(a frame.Attribute) bool { return a.Name == "id" })
		delete(o.Read, "id")
	} else {
		o.Notes = append(o.Notes, "points have no identity and are told apart by their place in the file: where that changes they are taken for others")
	}
	row := make([]float32, len(p.P))
	for i := range row {
		row[i] = float32(i)
	}
	o.Points.Extra = append(o.Points.Extra, frame.Attribute{Name: "id", V: row})
	o.split(nil)
}

// split keeps the upper bits of identities apart.
func (o *Outside) split(high []float32) {
	id := o.Points.Of("id")
	over := high != nil
	for _, v := range id {
		over = over || v >= 1<<frame.IDBits
	}
	if !over {
		return
	}
	low, more := make([]float32, len(id)), make([]float32, len(id))
	for i, v := range id {
		n := uint64(v)
		if high != nil {
			n |= uint64(max(high[i], 0)) << frame.IDBits
		}
		low[i], more[i] = float32(n&(1<<frame.IDBits-1)), float32(n>>frame.IDBits)
	}
	for i := range o.Points.Extra {
		if o.Points.Extra[i].Name == "id" {
			o.Points.Extra[i].V = low
		}
	}
	o.Points.Extra = append(o.Points.Extra, frame.Attribute{Name: "id_high", V: more})
}

// rows are those of points by their identities.
func rows(p *frame.Points) map[uint64]int32 {
	ids := p.IDs()
	out := make(map[uint64]int32, len(ids))
	for i, id := range ids {
		out[id] = int32(i)
	}
	return out
}

// Since adds what only the frame before tells: points without an age are young where their
// identity is new, those that are gone are there once more as dead, and where the files have
// no velocity it is how far each has come. before is nil on the first frame.
func (o *Outside) Since(before *Outside, rate float64) {
	p := o.Points
	state := make([]float32, len(p.P))
	now, old := rows(p), map[uint64]int32{}
	if before != nil {
		old = rows(before.Points)
	}
	young := make([]float32, len(p.P))
	moves := p.V == nil && before != nil && o.Read["id"] != ""
	if moves {
		p.V = make([][3]float32, len(p.P))
	}
	for id, i := range now {
		was, there := old[id]
		if !there {
			continue
		}
		young[i] = float32(10 / rate) // not young
		if moves {
			for a := range 3 {
				p.V[i][a] = (p.P[i][a] - before.Points.P[was][a]) * float32(rate)
			}
		}
	}
	var gone []int32
	for id, i := range old {
		if _, there := now[id]; !there {
			gone = append(gone, i)
		}
	}
	slices.Sort(gone)
	aged := p.Of("age") != nil
	if !aged {
		p.Extra = append(p.Extra, frame.Attribute{Name: "age", Unit: "s", V: young})
	}
	if p.Of("state") == nil {
		p.Extra = append(p.Extra, frame.Attribute{Name: "state", V: state})
	} else {
		gone = nil // the files tell it themselves
	}
	for _, i := range gone {
		o.last(before.Points, i)
	}
}

// last adds a point of the frame before as one that has died.
func (o *Outside) last(from *frame.Points, i int32) {
	p := o.Points
	p.P = append(p.P, from.P[i])
	if p.V != nil {
		var v [3]float32
		if from.V != nil {
			v = from.V[i]
		}
		p.V = append(p.V, v)
	}
	for n := range p.Extra {
		a, v := &p.Extra[n], float32(0)
		if was := from.Of(a.Name); was != nil {
			v = was[i]
		}
		switch {
		case a.Name == "state":
			v = frame.Gone
		case a.Name == "age" && v == 0:
			v = 1 // not young
		}
		a.V = append(slices.Clip(a.V), v)
	}
}
