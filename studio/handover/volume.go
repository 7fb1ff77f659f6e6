package handover

import (
	"context"
	"fmt"
	"io"
	"math"
	"path"
	"slices"
	"sync"

	"zarf/core/format/vdb"
	"zarf/core/frame"
	"zarf/core/geom"
	"zarf/core/grid"
	"zarf/core/shot/val"
	"zarf/core/stage"
	"zarf/studio/cache"
	"zarf/studio/run"
)

// channels are those that volumes can hold, in the order of files.
var channels = []string{frame.Density, frame.Surface, frame.Foam, frame.Wetness, frame.Temperature, frame.Fuel, frame.Burn, frame.Velocity}

// holds tells what a channel is, for who reads the manifest.
var holds = map[string]string{
	frame.Density: "density of smoke, or how full of liquid", frame.Surface: "distance to the liquid's surface", frame.Foam: "foam, spray and bubbles", frame.Wetness: "how wet solids are", frame.Temperature: "temperature",
	frame.Fuel: "unburnt fuel", frame.Burn: "flame", frame.Velocity: "velocity",
}

// named are the values that choose a channel and name it in files.
var named = map[string]struct {
	want val.FlagKey
	as   val.TextKey
}{
	frame.Density: {val.Density, val.DensityAs}, frame.Surface: {val.Surface, val.SurfaceAs}, frame.Foam: {val.HandFoam, val.FoamAs}, frame.Wetness: {val.HandWet, val.WetAs}, frame.Temperature: {val.HandTemperature, val.TemperatureAs},
	frame.Fuel: {val.HandFuel, val.FuelAs}, frame.Burn: {val.Burn, val.BurnAs}, frame.Velocity: {val.HandVelocity, val.VelocityAs},
}

// chosen are the channels that a job wants and its domain can have.
func (w *work) chosen() (out []string) {
	if w.What() == "field" {
		return []string{frame.Velocity}
	}
	for _, name := range channels {
		if c := stage.ChannelOf(w.src.Domain, name); c != nil && named[name].want.Of(w.Settings) && (c.Every || w.ever(name)) {
			out = append(out, name)
		}
	}
	return out
}

// ever reports a channel that one of the job's frames has.
func (w *work) ever(name string) bool {
	for n, f := range w.src.Stage.Frames() {
		if n >= w.From && n <= w.To && slices.ContainsFunc(f.Channels, func(c cache.Channel) bool { return c.Name == name }) {
			return true
		}
	}
	return false
}

// blank is a channel of a frame that has nothing of it, beside frames that do: receivers look
// for it in every file.
func (w *work) blank(in *frame.Frame, name string) *frame.Grid {
	c := stage.ChannelOf(w.src.Domain, name)
	like := in.Grid(frame.Density)
	if c == nil || c.Every || like == nil {
		return nil
	}
	return &frame.Grid{Name: name, Type: frame.Float, Class: string(c.Role), Half: like.Half, Transform: like.Transform}
}

// ranges are the largest sizes of values over all frames, by channel.
type ranges map[string]float64

// volumes writes an OpenVDB sequence, or a vector field.
func (w *work) volumes(ctx context.Context, frames []int, number map[int]int) error {
	if err := w.have(frames); err != nil {
		return err
	}
	want := w.chosen()
	if len(want) == 0 {
		return fmt.Errorf("no channel is chosen; switch at least one on")
	}
	if err := w.names(want); err != nil {
		return err
	}
	_, vox, _ := w.src.Grid()
	w.m.Axes, w.m.Scale, w.m.Voxel, w.m.Precision = w.sp.name, w.sp.scale, vox*w.sp.scale, val.Precision.Of(w.Settings)
	if val.Crop.Of(w.Settings) == "box" {
		lo, hi := val.CropLow.Of(w.Settings), val.CropHigh.Of(w.Settings)
		for a := range lo {
			if lo[a] >= hi[a] {
				return fmt.Errorf("the box to crop to runs from %g to %g along %s; its first corner must be the lower one", lo[a], hi[a], "xyz"[a:a+1])
			}
		}
		w.m.Crop = append(lo[:], hi[:]...)
	}
	top, err := w.peaks(ctx, frames, want)
	if err != nil {
		return err
	}
	return w.lanes(ctx, frames, func(f int, crew grid.Crew) (bool, error) {
		name := path.Join("vdb", w.FileName(number[f], "vdb"))
		if w.What() == "field" {
			if val.FieldFile.Of(w.Settings) == "csv" {
				return w.table(f, path.Join("csv", w.FileName(number[f], "csv")), top, crew)
			}
			name = path.Join("field", w.FileName(number[f], "vdb"))
		}
		if w.again(name, nil) {
			return true, nil
		}
		grids, said, err := w.convert(f, want, top, crew)
		if err != nil {
			return false, err
		}
		return false, w.file(name, f, entry{Channels: said}, func(to io.Writer) error { return w.encode(to, grids, f, crew) }, func(b []byte) error { return decoded(b, grids) })
	})
}

func (w *work) encode(to io.Writer, grids []*frame.Grid, number int, crew grid.Crew) error {
	comp := map[string]vdb.Compression{"none": vdb.None, "zip": vdb.Zip, "blosc": vdb.Blosc}[val.Compression.Of(w.Settings)]
	return vdb.Write(to, grids, vdb.Options{Compression: comp, Workers: crew.For,
		Meta: map[string]any{"creator": "Zarf", "shot": w.Take.Name, "source_frame": int64(number), "frames_per_second": w.Take.Rate(), "axes": w.sp.name, "units_per_metre": w.sp.scale}})
}

// decoded reads a file back and compares what it holds.
func decoded(b []byte, want []*frame.Grid) error {
	v, err := vdb.Decode(b, vdb.DefaultLimits)
	if err != nil {
		return err
	}
	for _, g := range want {
		o := v.Grid(g.Name)
		if o == nil {
			return fmt.Errorf("channel %s is missing", g.Name)
		}
		if o.Transform.M != g.Transform.M {
			return fmt.Errorf("channel %s lies elsewhere", g.Name)
		}
		if len(o.Leaves) != len(g.Leaves) {
			return fmt.Errorf("channel %s has %d blocks, %d were written", g.Name, len(o.Leaves), len(g.Leaves))
		}
	}
	return nil
}

// names refuses channels of one name.
func (w *work) names(want []string) error {
	used := map[string]string{}
	for _, name := range want {
		as := named[name].as.Of(w.Settings)
		if other, ok := used[as]; ok {
			return fmt.Errorf("%s and %s would both be called %s in the files; give one another name", other, name, as)
		}
		used[as] = name
	}
	return nil
}

// peaks finds the largest sizes over all frames where values are measured
// against them. Numbers come from the cache's own records, vectors from its
// frames.
func (w *work) peaks(ctx context.Context, frames []int, want []string) (ranges, error) {
	top := ranges{}
	steps := val.Precision.Of(w.Settings) == "steps"
	if !steps && val.Kelvin.Of(w.Settings) != "unit" {
		return top, nil
	}
	for _, f := range frames {
		rec, _ := w.src.Stage.Get(f)
		for _, c := range rec.Channels {
			top[c.Name] = max(top[c.Name], math.Abs(c.Low), math.Abs(c.High))
		}
	}
	if !steps || !slices.Contains(want, frame.Velocity) {
		return top, nil
	}
	var mu sync.Mutex
	err := run.Lanes(ctx, frames, w.Threads, func(_ context.Context, f int, _ grid.Crew) error {
		v, err := w.src.ReadOnly(f, frame.Velocity)
		if err != nil {
			return err
		}
		g := v.Grid(frame.Velocity)
		if g == nil {
			return w.lacks(f, frame.Velocity)
		}
		most := 0.0
		for _, l := range g.Leaves {
			for _, x := range l.Values {
				most = max(most, math.Abs(float64(x)))
			}
		}
		mu.Lock()
		top[frame.Velocity] = max(top[frame.Velocity], most)
		mu.Unlock()
		return nil
	})
	return top, err
}

// lacks names a channel that a frame hasn't, and whether others have it.
func (w *work) lacks(number int, name string) error {
	var with []int
	for n, f := range w.src.Stage.Frames() {
		for _, c := range f.Channels {
			if c.Name == name && n >= w.From && n <= w.To {
				with = append(with, n)
			}
		}
	}
	if len(with) == 0 {
		return fmt.Errorf("the cache holds no %s; switch it off here, or keep it in the cache and run again", name)
	}
	slices.Sort(with)
	return fmt.Errorf("frame %d holds no %s, frames %s do; run the take again, or switch it off here", number, name, run.Ranges(with))
}

// convert reads a frame and makes of it what the receiver wants.
func (w *work) convert(number int, want []string, top ranges, crew grid.Crew) (out []*frame.Grid, said []Channel, err error) {
	names := want
	if slices.Contains(want, frame.Foam) { // where there is none, it lies as this does
		names = append([]string{frame.Density}, want...)
	}
	in, err := w.src.ReadOnly(number, names...)
	if err != nil {
		return nil, nil, err
	}
	for _, name := range want {
		g := in.Grid(name)
		if g == nil {
			g = w.blank(in, name)
		}
		if g == nil {
			return nil, nil, w.lacks(number, name)
		}
		if val.Crop.Of(w.Settings) == "box" {
			crop(g, geom.Box{Min: geom.FromArray(val.CropLow.Of(w.Settings)), Max: geom.FromArray(val.CropHigh.Of(w.Settings))})
		}
		if n := int(val.FieldStep.Of(w.Settings)); w.What() == "field" && n > 1 {
			if g, err = coarser(g, n, crew); err != nil {
				return nil, nil, err
			}
		}
		c, err := w.dress(g, name, top)
		if err != nil {
			return nil, nil, fmt.Errorf("frame %d: %w", number, err)
		}
		parts := []*frame.Grid{g}
		if name == frame.Velocity && w.What() == "volumes" && val.MotionSplit.Of(w.Settings) == "split" {
			parts = split(g)
		}
		for _, p := range parts {
			one := c
			one.Name, one.Type = p.Name, string(p.Type)
			if p.Half {
				one.Type += ", half"
			}
			in := p.Inspect()
			if in.NonFinite > 0 {
				return nil, nil, fmt.Errorf("frame %d: %d values of %s are not finite; the run blew up", number, in.NonFinite, name)
			}
			one.Low, one.High = slices.Min(in.Low), slices.Max(in.High)
			big := max(-one.Low, one.High)
			if p.Half { // to the nearest of 11 bits
				one.Error += big / 2048
			}
			if p.Half && big > 65504 {
				return nil, nil, fmt.Errorf("frame %d: %s reaches %.4g, and half precision ends at 65504: choose float, or fewer units a metre", number, name, big)
			}
			out, said = append(out, p), append(said, one)
		}
	}
	return out, said, nil
}

// dress gives a channel the receiver's name, steps, axes, scale and unit.
func (w *work) dress(g *frame.Grid, name string, top ranges) (Channel, error) {
	g.Half = val.Precision.Of(w.Settings) != "float"
	c := Channel{Holds: holds[name], Unit: "(plain number)"}
	step := 0.0
	if val.Precision.Of(w.Settings) == "steps" && top[name] > 0 {
		step = top[name] / 255
		if name == frame.Velocity || name == frame.Surface { // they have two signs
			step = top[name] / 127
		}
		rounded(g, step)
	}
	times, shift := 1.0, 0.0
	switch name {
	case frame.Velocity:
		times = w.sp.scale
		c.Unit = "units per second"
		if val.MotionPer.Of(w.Settings) == "frame" {
			times /= w.Take.Rate()
			c.Unit = "units a frame"
		}
	case frame.Surface:
		times, c.Unit = w.sp.scale, "units, negative inside"
	case frame.Temperature:
		switch val.Kelvin.Of(w.Settings) {
		case "absolute":
			shift, c.Unit = val.AirTemperature.Of(w.Take), "kelvin"
		case "unit":
			if top[name] > 0 {
				times = 1 / top[name]
			}
			c.Unit = fmt.Sprintf("1 = %.4g kelvin above the air", top[name])
		default:
			c.Unit = "kelvin above the air"
		}
	case frame.Fuel:
		c.Unit = "kg/m³"
	}
	turned := 1.0
	if g.Type.Components() == 3 {
		turned = times
	}
	if err := g.Turn(w.sp.Turn, w.sp.scale, turned); err != nil {
		return c, err
	}
	if g.Type.Components() == 1 && (times != 1 || shift != 0) {
		for _, l := range g.Leaves {
			for n, v := range l.Values {
				l.Values[n] = float32(float64(v)*times + shift)
			}
		}
		g.Background[0] = g.Background[0]*times + shift
	}
	if step > 0 {
		c.Error = step / 2 * times
	}
	g.Name = named[name].as.Of(w.Settings)
	g.Meta = map[string]any{"unit": c.Unit}
	return c, nil
}

// rounded takes values to whole steps, so that 0 stays 0.
func rounded(g *frame.Grid, step float64) {
	for _, l := range g.Leaves {
		for n, v := range l.Values {
			l.Values[n] = float32(math.Round(float64(v)/step) * step)
		}
	}
	for c := range g.Background {
		g.Background[c] = math.Round(g.Background[c]/step) * step
	}
}

// split makes three channels of a vector.
func split(g *frame.Grid) (out []*frame.Grid) {
	for a, end := range []string{"_x", "_y", "_z"} {
		o := &frame.Grid{Name: g.Name + end, Type: frame.Float, Half: g.Half, Class: "fog volume", Meta: g.Meta, Transform: g.Transform, Background: [3]float64{g.Background[a]}}
		for _, l := range g.Leaves {
			n := &frame.Leaf{Origin: l.Origin, Active: l.Active, Values: make([]float32, len(l.Values)/3)}
			for i := range n.Values {
				n.Values[i] = l.Values[3*i+a]
			}
			o.Leaves = append(o.Leaves, n)
		}
		for _, t := range g.Tiles {
			t.Value = [3]float64{t.Value[a]}
			o.Tiles = append(o.Tiles, t)
		}
		out = append(out, o)
	}
	return out
}
