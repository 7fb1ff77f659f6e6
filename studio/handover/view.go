package handover

import (
	"bytes"
	"fmt"
	"image"
	"image/color"
	"math"
	"os"
	"path/filepath"
	"strings"

	"zarf/core/flipbook"
	"zarf/core/format/abc"
	"zarf/core/format/exr"
	"zarf/core/format/gltf"
	"zarf/core/format/obj"
	"zarf/core/format/ply"
	"zarf/core/format/vdb"
	"zarf/core/grid"
	"zarf/core/model"
	"zarf/core/pixel"
	"zarf/core/srgb"
)

// Thing is something that a reader finds in a file of a handover: a grid, or a
// group of points.
type Thing struct {
	Name  string
	Facts []string
	cloud []point
	low   [3]float64 // of what is drawn, in the file's units
	high  [3]float64
	step  float64 // a voxel; 0: points
}

// one works on one thread: pages have other things to do.
var one = grid.NewCrew(1)

// point is a place with a weight.
type point struct {
	at [3]float32
	w  float32
}

// Open reads a file of a handover as a receiver would, from its bytes alone.
// sample is which of an Alembic file's samples.
func Open(dir string, f File, sample int) ([]*Thing, error) {
	b, err := os.ReadFile(filepath.Join(dir, filepath.FromSlash(f.Path)))
	if err != nil {
		return nil, err
	}
	switch filepath.Ext(f.Path) {
	case ".vdb":
		return openVolumes(b)
	case ".abc":
		return openMovie(b, sample)
	case ".ply":
		p, err := ply.DecodePoints(b)
		if err != nil {
			return nil, err
		}
		t := &Thing{Name: "vertices", Facts: []string{fmt.Sprintf("%d points", len(p.P))}}
		if p.V != nil {
			t.Facts = append(t.Facts, "with velocity")
		}
		for _, e := range p.Extra {
			t.Facts = append(t.Facts, "with "+e.Name)
		}
		for _, x := range p.P {
			t.cloud = append(t.cloud, point{x, 1})
		}
		t.measure()
		return []*Thing{t}, nil
	case ".obj", ".glb":
		var m *model.Model
		if filepath.Ext(f.Path) == ".obj" {
			m, err = obj.Decode(b)
		} else {
			m, err = gltf.Decode(b, nil)
		}
		if err != nil {
			return nil, err
		}
		mesh := m.At(0)
		t := &Thing{Name: "mesh", Facts: []string{fmt.Sprintf("%d vertices, %d triangles", len(mesh.P), len(mesh.Tri))}}
		if len(mesh.Parts) > 0 {
			t.Facts = append(t.Facts, "parts "+strings.Join(mesh.Parts, ", "))
		}
		for _, p := range mesh.P {
			t.cloud = append(t.cloud, point{[3]float32{float32(p.X), float32(p.Y), float32(p.Z)}, 1})
		}
		t.measure()
		for _, f := range mesh.Tri {
			t.outline(f[:])
		}
		return []*Thing{t}, nil
	}
	return nil, fmt.Errorf("%s is not looked into here; its size and hash were compared", f.Path)
}

func openVolumes(b []byte) (out []*Thing, err error) {
	v, err := vdb.Decode(b, vdb.DefaultLimits)
	if err != nil {
		return nil, err
	}
	for _, g := range v.Grids {
		in := g.Inspect()
		kind := in.Type
		if in.Half {
			kind += ", half"
		}
		t := &Thing{Name: g.Name, step: in.VoxelSize[0], Facts: []string{kind, fmt.Sprintf("%d active voxels of %.4g", in.Active, in.VoxelSize[0])}}
		if in.Active > 0 {
			t.Facts = append(t.Facts, fmt.Sprintf("values %s to %s", numbers(in.Low), numbers(in.High)))
		}
		if in.Background[0] != 0 {
			t.Facts = append(t.Facts, fmt.Sprintf("%.4g where nothing is", in.Background[0]))
		}
		if u, ok := g.Meta["unit"].(string); ok {
			t.Facts = append(t.Facts, u)
		}
		comps := g.Type.Components()
		for _, l := range g.Leaves {
			for n := range 512 {
				if !l.Active.On(n) {
					continue
				}
				w := 0.0
				for c := range comps {
					x := l.At(n, c, comps) - g.Background[c]
					w += x * x
				}
				if w == 0 {
					continue
				}
				p := g.Transform.World([3]float64{float64(l.Origin[0]) + float64(n>>6), float64(l.Origin[1]) + float64(n>>3&7), float64(l.Origin[2]) + float64(n&7)})
				t.cloud = append(t.cloud, point{[3]float32{float32(p[0]), float32(p[1]), float32(p[2])}, float32(math.Sqrt(w))})
			}
		}
		t.measure()
		out = append(out, t)
	}
	return out, nil
}

func openMovie(b []byte, sample int) (out []*Thing, err error) {
	a, err := abc.Decode(b)
	if err != nil {
		return nil, err
	}
	for _, o := range a.Objects {
		s, err := o.Sample(sample)
		if err != nil {
			return nil, err
		}
		t := &Thing{Name: o.Path, Facts: []string{fmt.Sprintf("%d samples, %.4g a second, from %.4g s", o.N, 1/o.Cycle, o.First)}}
		switch o.Kind {
		case abc.Camera:
			t.Facts = append(t.Facts, fmt.Sprintf("camera of %.4g mm, picture %.4g mm wide, focus at %.4g cm", s.Lens.Focal, s.Lens.Wide*10, s.Lens.Focus))
			if m := s.Matrix; m != nil {
				t.Facts = append(t.Facts, fmt.Sprintf("at %.4g %.4g %.4g", m[12], m[13], m[14]))
				t.cloud = append(t.cloud, point{[3]float32{float32(m[12]), float32(m[13]), float32(m[14])}, 1})
			}
		case abc.Mesh:
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
			t.cloud = append(t.cloud, point{[3]float32{s.P[i], s.P[i+1], s.P[i+2]}, 1})
		}
		t.measure()
		at := 0
		for _, n := range s.Counts {
			t.outline(s.Faces[at : at+int(n)])
			at += int(n)
		}
		out = append(out, t)
	}
	return out, nil
}

// outline draws a face's edges as points, about as near to each other as the
// pixels of a shadow.
func (t *Thing) outline(corners []int32) {
	pixel := max(t.high[0]-t.low[0], t.high[1]-t.low[1], t.high[2]-t.low[2]) / 220
	if len(t.cloud) > 4<<20 || !(pixel > 0) {
		return
	}
	for i, c := range corners {
		a, b := t.cloud[c].at, t.cloud[corners[(i+1)%len(corners)]].at
		far := 0.0
		for x := range a {
			far = max(far, math.Abs(float64(b[x]-a[x])))
		}
		n := min(int(far/pixel), 400)
		for k := 1; k < n; k++ {
			f := float32(k) / float32(n)
			t.cloud = append(t.cloud, point{[3]float32{a[0] + f*(b[0]-a[0]), a[1] + f*(b[1]-a[1]), a[2] + f*(b[2]-a[2])}, 1})
		}
	}
}

func numbers(v []float64) string {
	var w []string
	for _, x := range v {
		w = append(w, fmt.Sprintf("%.4g", x))
	}
	return strings.Join(w, " ")
}

func (t *Thing) measure() {
	for i, p := range t.cloud {
		for a := range 3 {
			v := float64(p.at[a])
			if i == 0 {
				t.low[a], t.high[a] = v, v
			}
			t.low[a], t.high[a] = min(t.low[a], v), max(t.high[a], v)
		}
	}
	if len(t.cloud) > 0 {
		t.Facts = append(t.Facts, fmt.Sprintf("from %s to %s", numbers(t.low[:]), numbers(t.high[:])))
	}
}

// Shadow draws what is read as seen along an axis, brightest where the largest
// values are; across is what runs to the right and up what runs upwards.
func (t *Thing) Shadow(across, up, side int) *image.Gray {
	wide, tall := t.high[across]-t.low[across]+t.step, t.high[up]-t.low[up]+t.step
	most := max(wide, tall)
	if !(most > 0) || math.IsInf(most, 0) {
		return image.NewGray(image.Rect(0, 0, 1, 1))
	}
	k := float64(side) / most
	if t.step > 0 {
		k = min(k, 1/t.step)
	}
	w, h := max(1, int(math.Ceil(wide*k))), max(1, int(math.Ceil(tall*k)))
	sum := make([]float32, w*h)
	top := float32(0)
	for _, p := range t.cloud {
		x := min(max(int((float64(p.at[across])-t.low[across]+t.step/2)*k), 0), w-1)
		y := min(max(h-1-int((float64(p.at[up])-t.low[up]+t.step/2)*k), 0), h-1)
		s := &sum[y*w+x]
		if t.step > 0 {
			*s = max(*s, p.w)
		} else {
			*s += p.w
		}
		top = max(top, *s)
	}
	soft := 0.5
	if t.step == 0 { // few points and many can both be told
		soft = 0.3
	}
	m := image.NewGray(image.Rect(0, 0, w, h))
	for i, v := range sum {
		m.SetGray(i%w, i/w, color.Gray{uint8(255 * math.Pow(float64(v/top), soft))})
	}
	return m
}

// Under is what a picture is laid over.
type Under struct {
	Plate *pixel.Image // nil: none
	Grey  float64      // linear
	Check bool
}

// Comp lays a picture of a handover over something, its alpha read as one kind
// or the other, and gives it as shown; wide is the most pixels across.
func Comp(data []byte, ext, alpha string, u Under, exposure float64, wide int) (*image.NRGBA, error) {
	t, coded, err := plain(data, ext)
	if err != nil {
		return nil, err
	}
	if k := float64(wide) / float64(t.W); k < 1 {
		t = flipbook.Place{Scale: 1}.Put(t, wide, max(1, int(float64(t.H)*k)), one)
	}
	gain := math.Exp2(exposure)
	out := image.NewNRGBA(image.Rect(0, 0, t.W, t.H))
	for i := range t.W * t.H {
		x, y := i%t.W, i/t.W
		back := [3]float64{u.Grey, u.Grey, u.Grey}
		if u.Check && (x/12+y/12)%2 == 0 {
			back = [3]float64{u.Grey * 0.6, u.Grey * 0.6, u.Grey * 0.6}
		}
		if u.Plate != nil {
			back = u.Plate.At((float64(x)+0.5)/float64(t.W), (float64(y)+0.5)/float64(t.H))
		}
		a := float64(t.Planes[3][i])
		for c := range 3 {
			v, under := float64(t.Planes[c][i]), back[c]
			if !coded {
				v *= gain
			} else { // PNGs are laid over as they are shown
				under = srgb.Encode(under)
			}
			if alpha == "straight" {
				v *= a
			}
			v += (1 - min(a, 1)) * under
			if !coded {
				v = srgb.Encode(max(v, 0))
			}
			out.Pix[4*i+c] = uint8(min(max(v, 0), 1)*255 + 0.5)
		}
		out.Pix[4*i+3] = 255
	}
	return out, nil
}

// plain reads a picture's values as they stand in the file; coded tells that
// they are sRGB.
func plain(data []byte, ext string) (t *flipbook.Tile, coded bool, err error) {
	switch ext {
	case "exr":
		lim := exr.DefaultLimits
		lim.Only = []string{"R", "G", "B", "A"}
		m, err := exr.Decode(data, lim)
		if err != nil {
			return nil, false, err
		}
		t = &flipbook.Tile{W: m.W, H: m.H}
		for _, c := range lim.Only {
			v := m.Channel(c)
			if v == nil {
				v = filled(m.W*m.H, 1)
			}
			t.Planes = append(t.Planes, v)
		}
		return t, false, nil
	case "hdr":
		m, err := pixel.Decode(data)
		if err != nil {
			return nil, false, err
		}
		t = flipbook.NewTile(m.W, m.H, 4)
		for i, v := range m.Pix {
			t.Planes[i%4][i/4] = v
		}
		return t, false, nil
	}
	m, _, err := image.Decode(bytes.NewReader(data))
	if err != nil {
		return nil, true, err
	}
	b := m.Bounds()
	t = flipbook.NewTile(b.Dx(), b.Dy(), 4)
	for y := range t.H {
		for x := range t.W {
			var p [4]uint8
			switch m := m.(type) {
			case *image.NRGBA:
				copy(p[:], m.Pix[m.PixOffset(b.Min.X+x, b.Min.Y+y):])
			default:
				c := color.NRGBAModel.Convert(m.At(b.Min.X+x, b.Min.Y+y)).(color.NRGBA)
				p = [4]uint8{c.R, c.G, c.B, c.A}
			}
			for c, v := range p {
				t.Planes[c][y*t.W+x] = float32(v) / 255
			}
		}
	}
	return t, true, nil
}

// SheetPicture is a flipbook's sheet as 8 bits for a screen, at most so many
// pixels wide: colours in sRGB as the file says, motion in 8-bit steps whatever
// the file has. It is shrunk by whole tiles' pixels.
func SheetPicture(data []byte, ext string, s Sheet, motion *MotionFacts, most int) (*image.NRGBA, error) {
	t, _, err := plain(data, ext)
	if err != nil {
		return nil, err
	}
	if ext == "exr" {
		for c := range 3 {
			for i, v := range t.Planes[c] {
				switch {
				case s.Name == "motion" && c < 2 && motion != nil:
					t.Planes[c][i] = flipbook.Signed(v/float32(motion.Largest), 8)
				case s.Space[:5] == "plain":
				default:
					t.Planes[c][i] = float32(srgb.Encode(float64(min(max(v, 0), 1))))
				}
			}
		}
	}
	for t.W > most || t.H > most {
		t = flipbook.Place{Scale: 1}.Put(t, t.W/2, t.H/2, one)
	}
	return flipbook.Image8(t), nil
}
