package stage

// Points of Alembic objects on their way in: their places and all of their numbers.

import (
	"fmt"
	"regexp"
	"slices"

	"zarf/core/format/abc"
	"zarf/core/frame"
)

// gather adds an object's points, where its transform puts them.
func gather(p *frame.Points, s *abc.Sample) {
	for n := 0; n+2 < len(s.P); n += 3 {
		x := [3]float64{float64(s.P[n]), float64(s.P[n+1]), float64(s.P[n+2])}
		var v [3]float64
		if s.V != nil {
			v = [3]float64{float64(s.V[n]), float64(s.V[n+1]), float64(s.V[n+2])}
		}
		if m := s.Matrix; m != nil {
			var q, u [3]float64
			for a := range 3 {
				q[a] = x[0]*m[a] + x[1]*m[4+a] + x[2]*m[8+a] + m[12+a]
				u[a] = v[0]*m[a] + v[1]*m[4+a] + v[2]*m[8+a]
			}
			x, v = q, u
		}
		p.P = append(p.P, [3]float32{float32(x[0]), float32(x[1]), float32(x[2])})
		if s.V != nil {
			p.V = append(p.V, [3]float32{float32(v[0]), float32(v[1]), float32(v[2])})
		}
	}
}

// odd is what names of attributes don't have here.
var odd = regexp.MustCompile(`[^A-Za-z0-9_]+`)

// objects are those of a frame.
type objects []*abc.Sample

// numbers are the attributes of all objects' points, one after another: those that all of
// them have, each component by itself, and of several objects which it is.
func (l objects) numbers() (out []frame.Attribute) {
	add := func(name string, of func(s *abc.Sample) []float32) {
		if v := l.all(of); len(v) > 0 && !slices.ContainsFunc(out, func(a frame.Attribute) bool { return a.Name == name }) {
			out = append(out, frame.Attribute{Name: name, V: v})
		}
	}
	const bits = frame.IDBits
	add("id", func(s *abc.Sample) []float32 { return part(s.IDs, 0, bits) })
	if slices.ContainsFunc(l, func(s *abc.Sample) bool { return len(s.IDs) > 0 && slices.Max(s.IDs)>>bits > 0 }) {
		add("id_high", func(s *abc.Sample) []float32 { return part(s.IDs, bits, bits) })
	}
	add("size", func(s *abc.Sample) []float32 { return s.Widths })
	for _, e := range l[0].Extra {
		for c := range e.Comps {
			name := odd.ReplaceAllString(e.Name, "_")
			if e.Comps > 1 {
				name += "_" + "xyzw"[min(c, 3):][:1]
			}
			add(name, func(s *abc.Sample) []float32 { return component(s, e.Name, c, e.Comps) })
		}
	}
	if len(l) > 1 {
		n := float32(-1)
		add("object", func(s *abc.Sample) []float32 {
			n++
			return slices.Repeat([]float32{n}, len(s.P)/3)
		})
	}
	return out
}

// all is a number of all objects' points; none where some lack it, or have one for all.
func (l objects) all(of func(s *abc.Sample) []float32) (out []float32) {
	for _, s := range l {
		v := of(s)
		if len(v) != len(s.P)/3 {
			return nil
		}
		out = append(out, v...)
	}
	return out
}

// part is some of the bits of identities.
func part(ids []uint64, from, bits uint) (out []float32) {
	for _, id := range ids {
		out = append(out, float32(id>>from&(1<<bits-1)))
	}
	return out
}

// component is that of an attribute, the cth of so many.
func component(s *abc.Sample, name string, c, of int) (out []float32) {
	for _, e := range s.Extra {
		if e.Name == name && e.Comps == of {
			for i := c; i < len(e.V); i += of {
				out = append(out, e.V[i])
			}
		}
	}
	return out
}

// mostAttributes is how many numbers of a point are kept beside its place.
const mostAttributes = 64

// sound refuses points with numbers that are none.
func sound(p *frame.Points) error {
	if n := len(p.Extra); n > mostAttributes {
		return fmt.Errorf("its points have %d attributes; %d can be kept: leave some out", n, mostAttributes)
	}
	for i, v := range p.V {
		for _, x := range v {
			if x-x != 0 {
				return fmt.Errorf("the velocity of point %d is %g %g %g; every number has to be finite", i, v[0], v[1], v[2])
			}
		}
	}
	for _, a := range p.Extra {
		for i, x := range a.V {
			if x-x != 0 {
				return fmt.Errorf("%s of point %d is %g; every number has to be finite", a.Name, i, x)
			}
		}
	}
	return nil
}
