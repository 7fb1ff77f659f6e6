package handover

import (
	"bytes"
	"context"
	"fmt"
	"image/png"
	"io"
	"math"
	"path"
	"slices"
	"sync"

	"zarf/core/film"
	"zarf/core/flipbook"
	"zarf/core/format/exr"
	"zarf/core/grid"
	"zarf/core/look"
	"zarf/core/pixel"
	"zarf/core/shot/val"
	"zarf/core/srgb"
	"zarf/studio/run"
)

// sheet is planes ready to be laid out and coded.
type sheet struct {
	Sheet
	tiles []*flipbook.Tile
	code  func(t *flipbook.Tile, crew grid.Crew) (clipped int) // changes a laid-out sheet's or tile's values
}

// write lays sheets out and writes them.
func (b *book) write(ctx context.Context) error {
	sheets, err := b.sheets()
	if err != nil {
		return err
	}
	if len(sheets) == 0 {
		return fmt.Errorf("no sheet is chosen; switch at least one on")
	}
	b.total = len(b.frames) + len(sheets)
	ext := "png"
	if val.SheetFile.Of(b.Settings) == "exr" {
		ext = "exr"
	}
	sequence := val.SheetOut.Of(b.Settings) == "sequence"
	type task struct{ sheet, part int }
	var tasks []task
	for i := range sheets {
		s := &sheets[i]
		if !sequence {
			s.Files = []string{b.Name + "_" + s.Name + "." + ext}
			tasks = append(tasks, task{i, -1})
			continue
		}
		for n := range s.tiles {
			s.Files = append(s.Files, path.Join(s.Name, Numbered(b.Name+"_"+s.Name, b.m.First+n, b.m.Digits, ext)))
			tasks = append(tasks, task{i, n})
		}
	}
	var all []int
	for i := range tasks {
		all = append(all, i)
	}
	cut, values, left := make([]int, len(sheets)), make([]int, len(sheets)), make([]int, len(sheets))
	for _, k := range tasks {
		left[k.sheet]++
	}
	err = run.Lanes(ctx, all, b.Threads, func(_ context.Context, i int, crew grid.Crew) error {
		s, n := &sheets[tasks[i].sheet], tasks[i].part
		var t *flipbook.Tile
		if n < 0 {
			t, n = b.grid.Sheet(s.tiles, []int{0, 1, 2, 3}, crew), 0
			s.tiles = nil
		} else {
			t, s.tiles[n] = s.tiles[n], nil
		}
		over := s.code(t, crew)
		if !b.again(s.Files[n], nil) {
			if err := b.file(s.Files[n], b.picked[min(n, len(b.picked)-1)], entry{}, func(to io.Writer) error { return b.encode(to, s, t, ext, crew) }, func(data []byte) error { return checkSheet(data, ext, t.W, t.H) }); err != nil {
				return err
			}
		}
		k := tasks[i].sheet
		b.mu.Lock()
		cut[k], values[k], left[k] = cut[k]+over, values[k]+3*t.W*t.H, left[k]-1
		done := left[k] == 0
		b.mu.Unlock()
		if done {
			b.tell(b.frames[len(b.frames)-1], false)
		}
		return nil
	})
	for k, s := range sheets {
		if values[k] > 0 {
			s.Clipped = float64(cut[k]) / float64(values[k])
		}
		b.facts.Sheets = append(b.facts.Sheets, s.Sheet)
	}
	return err
}

// plainSpace is how sheets of numbers are coded.
const plainSpace = "plain numbers, no transfer"

// sheets prepares what was chosen; each has four planes.
func (b *book) sheets() (out []sheet, err error) {
	file := val.SheetFile.Of(b.Settings)
	out = b.lit(file)
	if val.SheetNormals.Of(b.Settings) {
		out = append(out, b.four("normal", [4]string{"x to the right", "y up", "z to the viewer", "alpha"}, plainSpace+"; 0.5 is 0", "straight", cut, func(t *flipbook.Tile) (p [4][]float32) {
			for c := range 3 {
				p[c] = b.normal(t, c, file)
			}
			p[3] = t.Planes[3]
			return p
		}))
	}
	if val.SheetSides.Of(b.Settings) {
		out = append(out, b.sides()...)
	}
	if val.SheetPacked.Of(b.Settings) {
		out = append(out, b.packed(file))
	}
	if b.flows != nil {
		out = append(out, b.vectors(file))
	}
	return out, nil
}

// four is a sheet whose tiles planes makes of the recorded ones; nil planes are
// filled with 0. code turns a tile's numbers into the file's and counts those
// that it cut off.
func (b *book) four(name string, chans [4]string, space, alpha string, code func(*flipbook.Tile, grid.Crew) int, planes func(t *flipbook.Tile) [4][]float32) sheet {
	s := sheet{Sheet: Sheet{Name: name, Channels: chans, Space: space, Alpha: alpha}, code: code}
	s.tiles = make([]*flipbook.Tile, len(b.tiles))
	b.crew.For(len(b.tiles), 1, func(lo, hi int) {
		for i := lo; i < hi; i++ {
			t := b.tiles[i]
			p := planes(t)
			n := &flipbook.Tile{W: t.W, H: t.H}
			for c := range p {
				if p[c] == nil {
					p[c] = filled(t.W*t.H, 0)
				}
				n.Planes = append(n.Planes, p[c])
			}
			s.tiles[i] = n
		}
	})
	return s
}

// lit are the sheets of light: colour with alpha, and what glows by itself, to
// be added. Light is linear in EXR, whatever space is asked for.
func (b *book) lit(file string) (out []sheet) {
	alpha := "straight"
	if val.AlphaAs.Of(b.Settings) == "over" {
		alpha = "premultiplied"
	}
	space := val.Space.Of(b.Settings)
	if file == "exr" {
		space = "linear"
	}
	words := map[string]string{"srgb": "sRGB", "film": "sRGB, as the look shows it", "linear": "linear light, Rec. 709 primaries"}[space]
	code := func(t *flipbook.Tile, crew grid.Crew) int { return b.code(t, space, file, crew) }
	if with := val.SheetColour.Of(b.Settings); with != "none" {
		out = append(out, b.four("colour", [4]string{"red", "green", "blue", "alpha"}, words, alpha, code, func(t *flipbook.Tile) (p [4][]float32) {
			for c := range 4 {
				p[c] = slices.Clone(t.Planes[c])
			}
			if with == "lit" { // without what glows
				for c := range 3 {
					for i, e := range t.Planes[b.at[planeEmitR+c]] {
						p[c][i] = max(p[c][i]-e, 0)
					}
				}
			}
			n := &flipbook.Tile{W: t.W, H: t.H, Planes: p[:]}
			b.light(n, space, alpha == "straight" && file != "exr", alpha == "straight")
			return p
		}))
	}
	if val.SheetEmission.Of(b.Settings) {
		out = append(out, b.four("emission", [4]string{"red", "green", "blue", "1"}, words, "none: to be added", code, func(t *flipbook.Tile) (p [4][]float32) {
			for c := range 3 {
				p[c] = slices.Clone(t.Planes[b.at[planeEmitR+c]])
			}
			p[3] = filled(t.W*t.H, 1)
			return p
		}))
	}
	return out
}

// sides are the two sheets of light from six sides.
func (b *book) sides() []sheet {
	side := func(t *flipbook.Tile, n int) []float32 {
		v := slices.Clone(t.Planes[b.at[planeSide+n]])
		flipbook.Straight(&flipbook.Tile{W: t.W, H: t.H, Planes: [][]float32{v, t.Planes[3]}}, []int{0}, 1)
		return v
	}
	return []sheet{
		b.four("sides_a", [4]string{"lit from the right", "lit from above", "lit from behind", "alpha"}, plainSpace, "straight", cut, func(t *flipbook.Tile) [4][]float32 {
			return [4][]float32{side(t, 0), side(t, 2), side(t, 4), t.Planes[3]}
		}),
		b.four("sides_b", [4]string{"lit from the left", "lit from below", "lit from the front", "emission, as grey"}, plainSpace, "straight", cut, func(t *flipbook.Tile) [4][]float32 {
			return [4][]float32{side(t, 1), side(t, 3), side(t, 5), grey(t, b.at[planeEmitR])}
		}),
	}
}

// packed is the sheet whose channels each hold a number of their own.
func (b *book) packed(file string) sheet {
	var chans [4]string
	for c, k := range packs {
		chans[c] = k.Of(b.Settings)
	}
	hottest, nearest := b.top(planeHeat), b.top(planeDepth)
	if slices.Contains(chans[:], "heat") {
		b.m.Notes = append(b.m.Notes, fmt.Sprintf("in the packed sheet, temperature 1 is %.4g kelvin above the air", hottest))
	}
	if slices.Contains(chans[:], "depth") && nearest > 0 {
		b.m.Notes = append(b.m.Notes, fmt.Sprintf("in the packed sheet, depth is %.4g m over the distance: 1 is the nearest", 1/nearest))
	}
	return b.four("packed", chans, plainSpace, "as packed", cut, func(t *flipbook.Tile) (p [4][]float32) {
		for c := range p {
			p[c] = b.pack(t, chans[c], hottest, nearest, file)
			if p[c] == nil && c == 3 {
				p[c] = filled(t.W*t.H, 1)
			}
		}
		return p
	})
}

// vectors is the sheet of motion.
func (b *book) vectors(file string) sheet {
	m := b.facts.Motion
	up := float32(1)
	if m.Up == "positive upwards" {
		up = -1
	}
	bits := map[string]int{"png8": 8, "png16": 16}[file]
	largest := m.Largest
	if largest == 0 {
		largest = 1. / float64(b.grid.W)
		m.Largest = largest
	}
	s := sheet{Sheet: Sheet{Name: "motion", Channels: [4]string{"to the right", m.Up, "0", "1"}, Space: "plain numbers, no transfer", Alpha: "none"}, code: cut}
	for _, f := range b.flows {
		t := flipbook.NewTile(f.W, f.H, 4)
		for i := range f.U {
			u, v := f.U[i]/float32(b.grid.W), up*f.V[i]/float32(b.grid.W)
			if bits > 0 {
				u, v = flipbook.Signed(u/float32(largest), bits), flipbook.Signed(v/float32(largest), bits)
			}
			t.Planes[0][i], t.Planes[1][i], t.Planes[3][i] = u, v, 1
		}
		s.tiles = append(s.tiles, t)
	}
	switch bits {
	case 8:
		m.Formula = fmt.Sprintf("motion to the next tile, in tile widths = (255·c − 128)/127 × %.6g; c is the channel from 0 to 1", largest)
	case 16:
		m.Formula = fmt.Sprintf("motion to the next tile, in tile widths = (65535·c − 32768)/32767 × %.6g; c is the channel from 0 to 1", largest)
	default:
		m.Formula = "motion to the next tile, in tile widths, as it stands"
	}
	return s
}

// light makes colours of a tile as they are to be coded: raised says that alpha
// must be able to hold all light, straight that colours are divided by it.
func (b *book) light(t *flipbook.Tile, space string, raised, straight bool) {
	if space == "film" {
		f := film.Frame{W: t.W, H: t.H, Pix: make([]float32, 4*t.W*t.H)}
		for i := range f.Pix {
			f.Pix[i] = t.Planes[i%4][i/4]
		}
		out := film.Develop(f, &b.film().Film, nil, grid.NewCrew(1))
		if !straight {
			out = out.Over()
		}
		for i, v := range out.Pix {
			t.Planes[i%4][i/4] = v
		}
		if straight { // developed colours are straight where there is alpha
			for c := range 3 {
				for i, a := range t.Planes[3] {
					t.Planes[c][i] *= a
				}
			}
			flipbook.Straight(t, []int{0, 1, 2}, 3)
		}
		return
	}
	if raised { // flame has light and hides little: its alpha must hold its colours
		for i, a := range t.Planes[3] {
			t.Planes[3][i] = max(a, min(1, max(t.Planes[0][i], t.Planes[1][i], t.Planes[2][i])))
		}
	}
	if straight {
		flipbook.Straight(t, []int{0, 1, 2}, 3)
	}
}

func (b *book) film() *look.Look {
	set := b.Now.Look(b.Look)
	if set == nil {
		set = b.Now.Looks[0]
	}
	lk := look.At(set, float64(b.From))
	return &lk
}

// transfers is the sRGB transfer function over bytes' worth of light, close
// enough for 8 bits: the error is under a fortieth of a step.
var transfers = sync.OnceValue(func() []float32 {
	t := make([]float32, 1<<16)
	for i := range t {
		t[i] = float32(srgb.Encode(float64(i) / (1<<16 - 1)))
	}
	return t
})

// code puts light under a transfer function and counts what is cut off.
func (b *book) code(t *flipbook.Tile, space, file string, crew grid.Crew) int {
	if file == "exr" {
		return 0
	}
	table := transfers()
	var clipped [3]int
	crew.For(3, 1, func(lo, hi int) {
		for c := lo; c < hi; c++ {
			for i, v := range t.Planes[c] {
				if v > 1.0005 {
					clipped[c]++
				}
				if space != "srgb" {
					continue
				}
				if v = min(max(v, 0), 1); file == "png8" {
					t.Planes[c][i] = table[int(v*(1<<16-1)+0.5)]
				} else {
					t.Planes[c][i] = float32(srgb.Encode(float64(v)))
				}
			}
		}
	})
	return clipped[0] + clipped[1] + clipped[2]
}

func cut(*flipbook.Tile, grid.Crew) int { return 0 }

func filled(n int, v float32) []float32 {
	out := make([]float32, n)
	for i := range out {
		out[i] = v
	}
	return out
}

func grey(t *flipbook.Tile, from int) []float32 {
	out := make([]float32, t.W*t.H)
	for i := range out {
		out[i] = 0.2126*t.Planes[from][i] + 0.7152*t.Planes[from+1][i] + 0.0722*t.Planes[from+2][i]
	}
	return out
}

// normal is a component of the normal as the viewer sees it, coded.
func (b *book) normal(t *flipbook.Tile, axis int, file string) []float32 {
	r, u, k := b.view()
	to := [3][3]float64{r, u, k}[axis]
	out := make([]float32, t.W*t.H)
	bits := map[string]int{"png8": 8, "png16": 16}[file]
	for i := range out {
		var n [3]float64
		l := 0.0
		for c := range n {
			n[c] = float64(t.Planes[b.at[planeNormalX+c]][i])
			l += n[c] * n[c]
		}
		v := 0.0
		if l > 1e-8 {
			v = (n[0]*to[0] + n[1]*to[1] + n[2]*to[2]) / math.Sqrt(l)
		}
		if out[i] = float32(v); bits > 0 {
			out[i] = flipbook.Signed(float32(v), bits)
		}
	}
	return out
}

// view is the camera's axes at the first frame: right, up, to the viewer.
func (b *book) view() (r, u, k [3]float64) {
	c := run.View(b.Now, float64(b.From))
	return c[0].Array(), c[1].Array(), c[2].Array()
}

// top is the largest value of a plane where it is seen.
func (b *book) top(p int) float64 {
	i, ok := b.at[p]
	if !ok {
		return 0
	}
	most := 0.0
	for _, t := range b.tiles {
		for k, v := range t.Planes[i] {
			if a := t.Planes[3][k]; a > 0.01 {
				most = max(most, float64(v/a))
			}
		}
	}
	return most
}

// pack is one channel of the packed sheet; nil: nothing.
func (b *book) pack(t *flipbook.Tile, what string, hottest, nearest float64, file string) []float32 {
	switch what {
	case "alpha":
		return t.Planes[3]
	case "light":
		return grey(t, 0)
	case "emission":
		return grey(t, b.at[planeEmitR])
	case "normal_x", "normal_y", "normal_z":
		return b.normal(t, int(what[7]-'x'), file)
	case "heat", "depth":
		p, most := planeHeat, hottest
		if what == "depth" {
			p, most = planeDepth, nearest
		}
		out := make([]float32, t.W*t.H)
		for i, v := range t.Planes[b.at[p]] {
			if a := t.Planes[3][i]; a > 0.01 && most > 0 {
				out[i] = float32(float64(v/a) / most)
			}
		}
		return out
	}
	return nil
}

// encode writes a sheet with what its values mean.
func (b *book) encode(to io.Writer, s *sheet, t *flipbook.Tile, ext string, crew grid.Crew) error {
	text := map[string]string{"Software": "Zarf", "Alpha": s.Alpha, "ColourSpace": s.Space, "Tiles": fmt.Sprintf("%d x %d, %d used", b.grid.Columns, b.grid.Rows, len(b.picked)),
		"Channels": fmt.Sprintf("R %s; G %s; B %s; A %s", s.Channels[0], s.Channels[1], s.Channels[2], s.Channels[3])}
	if s.Name == "motion" {
		text["Motion"] = b.facts.Motion.Formula
	}
	if ext == "exr" {
		m := &exr.Image{W: t.W, H: t.H, Packed: true, Meta: map[string]string{}}
		for k, v := range text {
			m.Meta["zarf"+k] = v
		}
		for c, name := range []string{"R", "G", "B", "A"} {
			m.Channels = append(m.Channels, exr.Channel{Name: name, Pix: t.Planes[c]})
		}
		return exr.Write(to, m, crew.For)
	}
	tags := pixel.Tags{Linear: s.Space[:4] != "sRGB", Text: text}
	if val.SheetFile.Of(b.Settings) == "png16" {
		return pixel.EncodePNG(to, flipbook.Image16(t), tags, png.BestSpeed)
	}
	return pixel.EncodePNG(to, flipbook.Image8(t), tags, png.BestSpeed)
}

func checkSheet(data []byte, ext string, w, h int) error {
	gw, gh := 0, 0
	if ext == "exr" {
		lim := exr.Limits{Pixels: flipbook.MaxSide * flipbook.MaxSide, Channels: 8}
		m, err := exr.Decode(data, lim)
		if err != nil {
			return err
		}
		gw, gh = m.W, m.H
	} else {
		m, err := png.Decode(bytes.NewReader(data))
		if err != nil {
			return err
		}
		gw, gh = m.Bounds().Dx(), m.Bounds().Dy()
	}
	if gw != w || gh != h {
		return fmt.Errorf("it is %d × %d pixels, %d × %d were written", gw, gh, w, h)
	}
	return nil
}
