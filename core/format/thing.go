package format

// What a receiver finds in a file, as words and a small picture. The page of a
// handover shows it beside each file that was written: it is made from the file's
// bytes alone, by the readers that would read anybody's file, and so proves what was
// handed over.

import (
	"fmt"
	"image"
	"image/color"
	"math"
	"strings"

	"zarf/core/frame"
	"zarf/core/model"
)

// Thing is something that a reader finds in a file: a grid, a mesh, or a group
// of points.
type Thing struct {
	Name  string
	Facts []string
	Cloud []Spot
	Low   [3]float64 // of what is drawn, in the file's units
	High  [3]float64
	Step  float64 // a voxel; 0: points
}

// Spot is a place with a weight.
// float32, as a file may bring millions of them.
type Spot struct {
	At     [3]float32
	Weight float32
}

// LookAtPoints is Look for a format that reads particles.
// Numbers beside places are named; their values are not shown.
func LookAtPoints(p *frame.Points) []*Thing {
	t := &Thing{Name: "vertices", Facts: []string{fmt.Sprintf("%d points", len(p.P))}}
	if p.V != nil {
		t.Facts = append(t.Facts, "with velocity")
	}
	for _, e := range p.Extra {
		t.Facts = append(t.Facts, "with "+e.Name)
	}
	for _, x := range p.P {
		t.Cloud = append(t.Cloud, Spot{x, 1})
	}
	t.Measure()
	return []*Thing{t}
}

// LookAtModel is Look for a format that reads geometry.
// At time 0, whatever its animation does later.
func LookAtModel(m *model.Model) []*Thing {
	mesh := m.At(0)
	t := &Thing{Name: "mesh", Facts: []string{fmt.Sprintf("%d vertices, %d triangles", len(mesh.P), len(mesh.Tri))}}
	if len(mesh.Parts) > 0 {
		t.Facts = append(t.Facts, "parts "+strings.Join(mesh.Parts, ", "))
	}
	for _, p := range mesh.P {
		t.Cloud = append(t.Cloud, Spot{[3]float32{float32(p.X), float32(p.Y), float32(p.Z)}, 1})
	}
	t.Measure()
	for _, f := range mesh.Tri {
		t.Outline(f[:])
	}
	return []*Thing{t}
}

// Outline draws a face's edges as points, about as near to each other as the
// pixels of a shadow.
// Vertices alone would show a large wall as four dots.
func (t *Thing) Outline(corners []int32) {
	pixel := max(t.High[0]-t.Low[0], t.High[1]-t.Low[1], t.High[2]-t.Low[2]) / 220
	// Beyond that the shadow is dense without edges.
	if len(t.Cloud) > 4<<20 || !(pixel > 0) {
		return
	}
	for i, c := range corners {
		a, b := t.Cloud[c].At, t.Cloud[corners[(i+1)%len(corners)]].At
		far := 0.0
		for x := range a {
			far = max(far, math.Abs(float64(b[x]-a[x])))
		}
		// An edge can't be longer than the shadow is wide, which is 220 pixels.
		n := min(int(far/pixel), 400)
		for k := 1; k < n; k++ {
			f := float32(k) / float32(n)
			t.Cloud = append(t.Cloud, Spot{[3]float32{a[0] + f*(b[0]-a[0]), a[1] + f*(b[1]-a[1]), a[2] + f*(b[2]-a[2])}, 1})
		}
	}
}

// Numbers writes values for a fact.
func Numbers(v []float64) string {
	var w []string
	for _, x := range v {
		w = append(w, fmt.Sprintf("%.4g", x))
	}
	return strings.Join(w, " ")
}

// Measure finds the box of what is drawn, and says it.
func (t *Thing) Measure() {
	for i, p := range t.Cloud {
		for a := range 3 {
			v := float64(p.At[a])
			if i == 0 {
				t.Low[a], t.High[a] = v, v
			}
			t.Low[a], t.High[a] = min(t.Low[a], v), max(t.High[a], v)
		}
	}
	if len(t.Cloud) > 0 {
		t.Facts = append(t.Facts, fmt.Sprintf("from %s to %s", Numbers(t.Low[:]), Numbers(t.High[:])))
	}
}

// Shadow draws what is read as seen along an axis, brightest where the largest
// values are; across is what runs to the right and up what runs upwards.
// Along one axis the largest is kept of voxels, as overlapping ones are the same
// smoke; points add up, as two in a pixel are two.
func (t *Thing) Shadow(across, up, side int) *image.Gray {
	wide, tall := t.High[across]-t.Low[across]+t.Step, t.High[up]-t.Low[up]+t.Step
	most := max(wide, tall)
	if !(most > 0) || math.IsInf(most, 0) {
		return image.NewGray(image.Rect(0, 0, 1, 1))
	}
	k := float64(side) / most
	if t.Step > 0 {
		// A voxel is never drawn larger than a pixel: few voxels give a small
		// picture, which the page enlarges without blurring.
		k = min(k, 1/t.Step)
	}
	w, h := max(1, int(math.Ceil(wide*k))), max(1, int(math.Ceil(tall*k)))
	sum := make([]float32, w*h)
	top := float32(0)
	for _, p := range t.Cloud {
		// Turned round in y, as pictures count from the top.
		x := min(max(int((float64(p.At[across])-t.Low[across]+t.Step/2)*k), 0), w-1)
		y := min(max(h-1-int((float64(p.At[up])-t.Low[up]+t.Step/2)*k), 0), h-1)
		s := &sum[y*w+x]
		if t.Step > 0 {
			*s = max(*s, p.Weight)
		} else {
			*s += p.Weight
		}
		top = max(top, *s)
	}
	soft := 0.5
	if t.Step == 0 { // few points and many can both be told
		soft = 0.3
	}
	m := image.NewGray(image.Rect(0, 0, w, h))
	for i, v := range sum {
		// Half the exponent brings thin smoke up to where it can be seen.
		m.SetGray(i%w, i/w, color.Gray{uint8(255 * math.Pow(float64(v/top), soft))})
	}
	return m
}
