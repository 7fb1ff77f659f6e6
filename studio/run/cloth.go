package run

// Cloth of a frame: as pictures have it, and packed for a page.

import (
	"encoding/binary"
	"math"
	"slices"

	"zarf/core/frame"
	"zarf/core/geom"
	"zarf/core/look"
	"zarf/core/render"
	"zarf/core/shot"
	"zarf/core/shot/val"
	"zarf/core/stage"
)

// sewn reads the points of a frame of a domain that holds cloth; nil where it holds none.
func (s *Source) sewn(number int) (*frame.Points, error) {
	if len(stage.Sewn(s.Shot, s.Domain)) == 0 {
		return nil, nil
	}
	return s.Stage.LoadPoints(number)
}

// draped are the cloths of a frame of a domain, those that are out of the picture too.
func draped(p *frame.Points, s *shot.Shot, d *shot.Element) (out []*render.Draped) {
	if p == nil {
		return nil
	}
	for n, e := range stage.Sewn(s, d) {
		c := p.Cloth(func(sheet int) bool { return sheet == n })
		if c == nil || len(c.Tri) == 0 {
			continue
		}
		one := &render.Draped{Of: e.ID, Mesh: c.Mesh(0), Thick: val.Thickness.Of(e)}
		for _, v := range c.V {
			one.V = append(one.V, geom.V(float64(v[0]), float64(v[1]), float64(v[2])))
		}
		if wet := c.Of(frame.Soaked); wet != nil && slices.Max(wet) > 0 {
			one.Wet = wet
		}
		if burnt := c.Of(frame.Burnt); burnt != nil && slices.Max(burnt) > 0 {
			one.Burnt = burnt
		}
		out = append(out, one)
	}
	return out
}

// hang puts cloth into a picture: at every moment of its exposure where its velocity has it.
func hang(sc *render.Scene, list []*render.Draped, now, was *shot.Shot, number int) {
	f := float64(number)
	for _, d := range list {
		e := now.Element(d.Of)
		if e == nil {
			e = was.Element(d.Of)
		}
		if e == nil || !val.Rendered.Of(e) {
			continue
		}
		d.Weave = val.Weave.At(e, val.Frame(f))
		colour, holdout := look.RGB(val.Colour.At(e, val.Frame(f))), val.Holdout.Of(e)
		solid, ok := d.Solid(0, colour, holdout)
		if !ok {
			continue
		}
		if next, ok := d.Solid(1/sc.Rate, colour, holdout); ok {
			solid.Then = &next.Shape
		}
		sc.Solids = append(sc.Solids, solid)
		for n := range sc.Moments {
			at := ((float64(n)+0.5)/moments - 0.5) * sc.Shutter
			if m, ok := d.Solid(at, colour, holdout); ok {
				m.Then = solid.Then
				sc.Moments[n].Solids = append(sc.Moments[n].Solids, m)
			}
		}
	}
}

// fabric is what cloth is coloured by on a page where nothing else is asked for.
const fabric = "fabric"

// cloth takes in the cloths of a frame in memory, each in its colour, or by a number of theirs.
func (v *showing) cloth(p *frame.Points, s *shot.Shot, d *shot.Element) {
	for n, e := range stage.Sewn(s, d) {
		c := p.Cloth(func(sheet int) bool { return sheet == n })
		if c == nil || len(c.Tri) == 0 {
			continue
		}
		if o := v.now.Element(e.ID); o != nil {
			e = o
		}
		if !val.Rendered.Of(e) {
			continue
		}
		h := render.Texture{Cloth: true, Vertices: len(c.P), Triangles: len(c.Tri), By: fabric, Attributes: []string{fabric, frame.Strain, "speed", frame.Soaked}}
		data := make([]byte, 0, 15*len(c.P)+12*len(c.Tri))
		for _, x := range c.P {
			data = render.Floats(data, x[:]...)
		}
		for _, t := range c.Tri {
			for _, i := range t {
				data = binary.LittleEndian.AppendUint32(data, uint32(i))
			}
		}
		number := numberOf(c, v.by)
		if number != nil && slices.Contains(h.Attributes, v.by) {
			h.By, h.Unit = v.by, map[string]string{"speed": "m/s"}[v.by]
			h.Low, h.High = 0, float64(max(slices.Max(number), 1e-6))
			for _, x := range number {
				data = append(data, slate(float64(x)/h.High)...)
			}
		} else {
			data = append(data, dyed(e, c, float64(v.number))...)
		}
		v.part(h, data)
	}
}

// slate is a share as a page's tones have it: low is dark, high is pale.
func slate(x float64) []byte {
	s := math.Sqrt(min(max(x, 0), 1))
	return tone(look.RGB{0.02 + 0.75*s*s, 0.06 + 0.7*s*s, 0.12 + 0.5*s*s})
}

// tone is a colour as three bytes that hold its square roots.
func tone(c look.RGB) []byte {
	var b [3]byte
	for a, x := range c {
		b[a] = byte(math.Round(255 * math.Sqrt(min(max(x, 0), 1))))
	}
	return b[:]
}

// dyed is a cloth's own colour at each vertex, darker where it is wet or burnt.
func dyed(e *shot.Element, c *frame.Points, at float64) []byte {
	colour := look.RGB(val.Colour.At(e, val.Frame(at)))
	wet, burnt := c.Of(frame.Soaked), c.Of(frame.Burnt)
	out := make([]byte, 0, 3*len(c.P))
	dry := tone(colour)
	for i := range c.P {
		shade := colour
		if wet != nil && wet[i] > 0 {
			shade = render.Darker(shade, float64(wet[i]))
		}
		if burnt != nil && burnt[i] > 0 {
			shade = render.Charred(shade, float64(burnt[i]))
		}
		if shade == colour {
			out = append(out, dry...)
			continue
		}
		out = append(out, tone(shade)...)
	}
	return out
}
