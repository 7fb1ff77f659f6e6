package abc

// What a receiver finds in an archive: its objects, one after another.

import (
	"fmt"

	"zarf/core/format"
)

func init() {
	format.Register(format.Format{Key: "abc", Name: "Alembic", Endings: []string{".abc"}, Look: look, Film: true, Attributes: true})
}

// look tells of every object its samples, and draws one of them.
func look(b []byte, sample int) (out []*format.Thing, err error) {
	a, err := Decode(b)
	if err != nil {
		return nil, err
	}
	for _, o := range a.Objects {
		s, err := o.Sample(sample)
		if err != nil {
			return nil, err
		}
		t := &format.Thing{Name: o.Path, Facts: []string{fmt.Sprintf("%d samples, %.4g a second, from %.4g s", o.N, 1/o.Cycle, o.First)}}
		// Units are the schema's own: millimetres for the lens, centimetres for the
		// rest.
		switch o.Kind {
		case Camera:
			t.Facts = append(t.Facts, fmt.Sprintf("camera of %.4g mm, picture %.4g mm wide, focus at %.4g cm", s.Lens.Focal, s.Lens.Wide*10, s.Lens.Focus))
			if m := s.Matrix; m != nil {
				t.Facts = append(t.Facts, fmt.Sprintf("at %.4g %.4g %.4g", m[12], m[13], m[14]))
				// Row vectors: the shift is the last row.
				t.Cloud = append(t.Cloud, format.Spot{At: [3]float32{float32(m[12]), float32(m[13]), float32(m[14])}, Weight: 1})
			}
		case Mesh:
			t.Facts = append(t.Facts, fmt.Sprintf("%d points, %d faces", len(s.P)/3, len(s.Counts)))
		default:
			t.Facts = append(t.Facts, fmt.Sprintf("%d points", len(s.P)/3))
		}
		if s.V != nil {
			t.Facts = append(t.Facts, "with velocity")
		}
		for _, e := range s.Extra {
			t.Facts = append(t.Facts, "with "+e.Name)
		}
		for i := 0; i+2 < len(s.P); i += 3 {
			t.Cloud = append(t.Cloud, format.Spot{At: [3]float32{s.P[i], s.P[i+1], s.P[i+2]}, Weight: 1})
		}
		t.Measure()
		at := 0
		// Counts were held against the faces when the sample was read.
		for _, n := range s.Counts {
			t.Outline(s.Faces[at : at+int(n)])
			at += int(n)
		}
		out = append(out, t)
	}
	return out, nil
}
