package run

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"math"
	"os"
	"path/filepath"
	"time"

	"zarf/core/format/vdb"
	"zarf/core/grid"
	"zarf/core/shot"
	"zarf/core/stage"
	"zarf/studio/cache"
)

// Handover is a sequence of files for a receiver.
type Handover struct {
	Take     *shot.Shot
	Domain   string
	Settings shot.Values // of kind Handover
	From     int
	To       int
	Dir      string
	Name     string // of the files
	Renders  string // folder of a rendered range to hand over along; empty: none
	Threads  int
}

// Manifest tells what a handover holds.
type Manifest struct {
	Format   string            `json:"format"`
	Name     string            `json:"name"`
	Shot     string            `json:"shot"`
	Made     string            `json:"made"`
	Rate     float64           `json:"frames_per_second"`
	Frames   int               `json:"frames"`
	First    int               `json:"first_number"`
	Source   [2]int            `json:"source_frames"`
	Step     int               `json:"source_step"`
	Axes     string            `json:"axes"`
	Scale    float64           `json:"units_per_metre"`
	Voxel    float64           `json:"voxel_size"`
	Channels []ManifestChannel `json:"channels"`
	Files    []ManifestFile    `json:"files"`
	Checked  string            `json:"read_back"`
}

// ManifestChannel describes a channel over all frames.
type ManifestChannel struct {
	Name string  `json:"name"`
	Type string  `json:"type"`
	Unit string  `json:"unit"`
	Low  float64 `json:"low"`
	High float64 `json:"high"`
}

// ManifestFile is one file of a handover.
type ManifestFile struct {
	Path   string `json:"path"`
	Frame  int    `json:"source_frame"`
	Size   int64  `json:"size"`
	SHA256 string `json:"sha256"`
}

// ManifestName is the manifest's file name.
const ManifestName = "manifest.json"

func (h *Handover) get(key string) shot.Value {
	if v, ok := h.Settings[key]; ok {
		return v
	}
	return shot.Find(shot.Handover, key).Default
}

// FileName is the name of the nth file of a kind.
func (h *Handover) FileName(number int, ext string) string {
	return fmt.Sprintf("%s.%0*d.%s", h.Name, int(h.get("digits").Num), number, ext)
}

// Do writes the files, then reads every one back and compares.
func (h *Handover) Do(ctx context.Context, c *cache.Cache, report Report) error {
	src, err := Open(h.Take, h.Domain, c)
	if err != nil {
		return err
	}
	step := int(h.get("step").Num)
	var frames, lost []int
	for f := h.From; f <= h.To; f += step {
		frames = append(frames, f)
		if !src.Stage.Has(f) {
			lost = append(lost, f)
		}
	}
	if len(lost) > 0 {
		return fmt.Errorf("frames %s are not in the cache; run the take or hand over the frames that are there", Ranges(lost))
	}
	if err := os.MkdirAll(filepath.Join(h.Dir, "vdb"), 0o755); err != nil {
		return fmt.Errorf("handover folder: %w", err)
	}
	m := &Manifest{Format: "zarf-handover/1", Name: h.Name, Shot: h.Take.Name, Made: time.Now().UTC().Format(time.RFC3339), Rate: h.Take.Rate(),
		Frames: len(frames), First: int(h.get("start").Num), Source: [2]int{h.From, h.To}, Step: step, Axes: h.get("axes").Text, Scale: h.get("scale").Num}
	_, vox, _ := src.Grid()
	m.Voxel = vox * m.Scale
	peak := 0.0
	if h.get("kelvin").Text == "unit" {
		if peak, err = h.peak(src, frames); err != nil {
			return err
		}
	}
	begin := time.Now()
	for n, f := range frames {
		if ctx.Err() != nil {
			return ErrStopped
		}
		file, err := h.volume(src, f, m.First+n, peak, m)
		if err != nil {
			return err
		}
		m.Files = append(m.Files, file)
		per := time.Since(begin).Seconds() / float64(n+1)
		report(Progress{Frame: f, Done: n + 1, Total: len(frames), Bytes: file.Size, Seconds: per, Left: per * float64(len(frames)-n-1)})
	}
	if h.Renders != "" {
		if err := h.pictures(frames, m); err != nil {
			return err
		}
	}
	if err := h.check(m); err != nil {
		return err
	}
	m.Checked = fmt.Sprintf("%d files read back, sizes and hashes equal, every volume decoded", len(m.Files))
	_, _, err = cache.WriteFile(filepath.Join(h.Dir, ManifestName), func(w io.Writer) error {
		e := json.NewEncoder(w)
		e.SetIndent("", "  ")
		return e.Encode(m)
	})
	return err
}

// peak is the highest excess temperature over all frames.
func (h *Handover) peak(src *Source, frames []int) (float64, error) {
	top := 0.0
	for _, f := range frames {
		v, err := src.Read(f)
		if err != nil {
			return 0, err
		}
		if g := v.Grid(stage.Temperature); g != nil {
			top = max(top, g.Inspect().High[0])
		}
	}
	return top, nil
}

// volume converts and writes one frame.
func (h *Handover) volume(src *Source, frame, number int, peak float64, m *Manifest) (ManifestFile, error) {
	in, err := src.Read(frame)
	if err != nil {
		return ManifestFile{}, err
	}
	var out []*vdb.Grid
	for _, name := range []string{stage.Density, stage.Surface, stage.FoamChannel, stage.Temperature, stage.Fuel, stage.Burn, stage.Velocity} {
		g := in.Grid(name)
		if !h.get(name).Flag || g == nil && !stage.Carries(src.Domain, name) {
			continue
		}
		if g == nil {
			return ManifestFile{}, fmt.Errorf("the cache holds no %s; switch it off here, or keep it in the cache and run again", name)
		}
		unit := h.convert(g, peak)
		out = append(out, g)
		m.see(g, unit)
	}
	if len(out) == 0 {
		return ManifestFile{}, fmt.Errorf("no channel is chosen; switch at least one on")
	}
	comp := map[string]vdb.Compression{"none": vdb.None, "zip": vdb.Zip, "blosc": vdb.Blosc}[h.get("compression").Text]
	name := filepath.Join("vdb", h.FileName(number, "vdb"))
	size, sum, err := cache.WriteFile(filepath.Join(h.Dir, name), func(w io.Writer) error {
		return vdb.Write(w, out, vdb.Options{Compression: comp, Workers: grid.NewCrew(h.Threads).For,
			Meta: map[string]any{"creator": "Zarf", "shot": h.Take.Name, "source_frame": int64(frame), "frames_per_second": h.Take.Rate()}})
	})
	return ManifestFile{Path: filepath.ToSlash(name), Frame: frame, Size: size, SHA256: sum}, err
}

// convert changes a grid to the receiver's axes, scale, unit and precision,
// and names the unit.
func (h *Handover) convert(g *vdb.Grid, peak float64) string {
	g.Half = h.get("precision").Text == "half"
	scale := h.get("scale").Num
	zUp := h.get("axes").Text == "z-up"
	for r := range 4 {
		row := &g.Transform.M[r]
		if zUp { // (x, y, z) → (x, −z, y): a quarter turn about x
			row[1], row[2] = -row[2], row[1]
		}
		for c := range 3 {
			row[c] *= scale
		}
	}
	for r := range 4 { // −0 reads oddly in other programs' listings
		for c := range 4 {
			g.Transform.M[r][c] += 0
		}
	}
	switch g.Name {
	case stage.Velocity:
		for _, l := range g.Leaves {
			for n := 0; n < len(l.Values); n += 3 {
				x, y, z := l.Values[n], l.Values[n+1], l.Values[n+2]
				if zUp {
					y, z = -z, y
				}
				s := float32(scale)
				l.Values[n], l.Values[n+1], l.Values[n+2] = x*s, y*s, z*s
			}
		}
		return fmt.Sprintf("units/s (%g units a metre)", scale)
	case stage.Surface:
		g.Background[0] *= scale
		for _, l := range g.Leaves {
			for n := range l.Values {
				l.Values[n] *= float32(scale)
			}
		}
		return fmt.Sprintf("signed distance (%g units a metre)", scale)
	case stage.Temperature:
		return h.warm(g, peak)
	case stage.Fuel:
		return "kg/m³"
	}
	return "(plain number)"
}

func (h *Handover) warm(g *vdb.Grid, peak float64) string {
	each := func(fn func(float32) float32) {
		for _, l := range g.Leaves {
			for n, v := range l.Values {
				l.Values[n] = fn(v)
			}
		}
	}
	unit := "kelvin above the air"
	switch h.get("kelvin").Text {
	case "absolute":
		air := h.Take.Get("air_temperature").Num
		each(func(v float32) float32 { return v + float32(air) })
		g.Background[0] = air
		unit = "kelvin"
	case "unit":
		if peak > 0 {
			each(func(v float32) float32 { return float32(float64(v) / peak) })
		}
		unit = fmt.Sprintf("1 = %.4g kelvin above the air", peak)
	}
	g.Meta = map[string]any{"unit": unit}
	return unit
}

// see widens a channel's range in the manifest.
func (m *Manifest) see(g *vdb.Grid, unit string) {
	in := g.Inspect()
	lo, hi := math.Inf(1), math.Inf(-1)
	for c := range in.Low {
		lo, hi = min(lo, in.Low[c]), max(hi, in.High[c])
	}
	for i := range m.Channels {
		if m.Channels[i].Name == g.Name {
			m.Channels[i].Low, m.Channels[i].High = min(m.Channels[i].Low, lo), max(m.Channels[i].High, hi)
			return
		}
	}
	kind := string(g.Type)
	if g.Half {
		kind += ", half"
	}
	m.Channels = append(m.Channels, ManifestChannel{Name: g.Name, Type: kind, Unit: unit, Low: lo, High: hi})
}

// pictures copies the rendered frames along.
func (h *Handover) pictures(frames []int, m *Manifest) error {
	if err := os.MkdirAll(filepath.Join(h.Dir, "png"), 0o755); err != nil {
		return fmt.Errorf("handover folder: %w", err)
	}
	list, err := os.ReadDir(h.Renders)
	if err != nil {
		return fmt.Errorf("the rendered pictures can't be read: %w", err)
	}
	byFrame := map[int]string{}
	for _, e := range list {
		var f int
		name := e.Name()
		if len(name) > 9 && filepath.Ext(name) == ".png" {
			if _, err := fmt.Sscanf(name[lastDot(name[:len(name)-4])+1:], "%d.png", &f); err == nil {
				byFrame[f] = name
			}
		}
	}
	var lost []int
	for n, f := range frames {
		from, ok := byFrame[f]
		if !ok {
			lost = append(lost, f)
			continue
		}
		name := filepath.Join("png", h.FileName(m.First+n, "png"))
		size, sum, err := cache.WriteFile(filepath.Join(h.Dir, name), func(w io.Writer) error {
			r, err := os.Open(filepath.Join(h.Renders, from))
			if err != nil {
				return err
			}
			defer r.Close()
			_, err = io.Copy(w, r)
			return err
		})
		if err != nil {
			return err
		}
		m.Files = append(m.Files, ManifestFile{Path: filepath.ToSlash(name), Frame: f, Size: size, SHA256: sum})
	}
	if len(lost) > 0 {
		return fmt.Errorf("frames %s are not rendered; render them at Look, or hand over volumes only", Ranges(lost))
	}
	return nil
}

func lastDot(s string) int {
	for i := len(s) - 1; i >= 0; i-- {
		if s[i] == '.' {
			return i
		}
	}
	return -1
}

// check reads every file back: its size and hash, and each volume's channels.
func (h *Handover) check(m *Manifest) error {
	for _, f := range m.Files {
		b, err := os.ReadFile(filepath.Join(h.Dir, filepath.FromSlash(f.Path)))
		if err != nil {
			return fmt.Errorf("reading back: %w", err)
		}
		sum := sha256.Sum256(b)
		if int64(len(b)) != f.Size || hex.EncodeToString(sum[:]) != f.SHA256 {
			return fmt.Errorf("reading back: %s is not what was written; the disk may be failing", f.Path)
		}
		if filepath.Ext(f.Path) != ".vdb" {
			continue
		}
		v, err := vdb.Decode(b, vdb.DefaultLimits)
		if err != nil {
			return fmt.Errorf("reading back %s: %w", f.Path, err)
		}
		for _, c := range m.Channels {
			g := v.Grid(c.Name)
			if g == nil {
				return fmt.Errorf("reading back %s: channel %s is missing", f.Path, c.Name)
			}
			if n := g.Inspect().NonFinite; n > 0 {
				return fmt.Errorf("reading back %s: %d values of %s are not finite; they don't fit half precision or the run blew up", f.Path, n, c.Name)
			}
		}
	}
	return nil
}

// ReadManifest reads a handover's manifest.
func ReadManifest(dir string) (*Manifest, error) {
	b, err := os.ReadFile(filepath.Join(dir, ManifestName))
	if err != nil {
		return nil, err
	}
	var m Manifest
	if err := json.Unmarshal(b, &m); err != nil {
		return nil, errors.Join(errors.New("the manifest can't be read"), err)
	}
	return &m, nil
}
