package run

import (
	"encoding/json"
	"fmt"

	"zarf/core/format/vdb"
	"zarf/core/gas"
	"zarf/core/geom"
	"zarf/core/grid"
	"zarf/core/look"
	"zarf/core/render"
	"zarf/core/shot"
	"zarf/core/stage"
	"zarf/studio/cache"
)

// Source is where a take's frames come from.
type Source struct {
	Shot   *shot.Shot // the values that made them
	Domain *shot.Element
	Stage  *cache.Stage
}

// Open finds the cached frames of a shot's domain.
func Open(s *shot.Shot, domain string, c *cache.Cache) (*Source, error) {
	d, err := stage.PickDomain(s, domain)
	if err != nil {
		return nil, err
	}
	return &Source{Shot: s, Domain: d, Stage: c.Stage(stage.Key(s, d))}, nil
}

// Read decodes a frame.
func (s *Source) Read(frame int) (*vdb.File, error) { return s.ReadOnly(frame) }

// ReadOnly reads some channels of a frame; all where none is named.
func (s *Source) ReadOnly(frame int, channels ...string) (*vdb.File, error) {
	b, err := s.Stage.Read(frame)
	if err != nil {
		return nil, err
	}
	lim := vdb.DefaultLimits
	lim.Only = channels
	f, err := vdb.Decode(b, lim)
	if err != nil {
		return nil, fmt.Errorf("frame %d: %w", frame, err)
	}
	return f, nil
}

// Grid is the grid of the source's frames, upres included.
func (s *Source) Grid() (d grid.Dims, h float64, origin geom.Vec3) { return stage.Cells(s.Domain) }

// Window is the part of the domain that a frame's pictures need: all of it, or
// where bounds follow or upres was added the box round what is there.
func (s *Source) Window(f *vdb.File) (low [3]int, d grid.Dims) {
	d, _, _ = s.Grid()
	if s.Domain.Get("bounds").Text != "follow" && stage.Factor(s.Domain) == 1 {
		return low, d
	}
	return stage.Extent(f, d, []string{stage.Density, stage.Burn})
}

// Channel reads one scalar channel of a frame as a dense field over its
// window; nil where the cache lacks it.
func (s *Source) Channel(f *vdb.File, name string) *grid.Field {
	g := f.Grid(name)
	if g == nil || g.Type.Components() != 1 {
		return nil
	}
	low, d := s.Window(f)
	out := grid.NewField(d)
	if err := g.Dense(low, [3]int{d.NX, d.NY, d.NZ}, [][]float32{out.Data}); err != nil {
		return nil
	}
	return out
}

// Volume prepares a frame for pictures.
func (s *Source) Volume(frame int, lk *look.Look, crew grid.Crew) (*render.Volume, error) {
	f, err := s.ReadOnly(frame, stage.Density, stage.Temperature, stage.Burn)
	if err != nil {
		return nil, err
	}
	den := s.Channel(f, stage.Density)
	if den == nil {
		return nil, fmt.Errorf("frame %d holds no density; keep it in the cache and run again", frame)
	}
	_, h, origin := s.Grid()
	low, _ := s.Window(f)
	v, bad := render.NewVolume(den, h, origin.Add(geom.V(float64(low[0]), float64(low[1]), float64(low[2])).Mul(h)), crew)
	if bad > 0 {
		return nil, fmt.Errorf("frame %d: %d voxels of density are negative or not finite; the run blew up, lower its strongest force", frame, bad)
	}
	if burn, heat := s.Channel(f, stage.Burn), s.Channel(f, stage.Temperature); s.Domain.Burns() && burn != nil && heat != nil {
		v.Ignite(burn, heat, s.Shot.Get("air_temperature").Num, lk, crew)
	}
	return v, nil
}

// Scene builds what a frame's picture shows: the cached smoke, with solids,
// camera and look as they are now.
func (s *Source) Scene(frame int, now *shot.Shot, set *shot.Element, crew grid.Crew) (*render.Scene, error) {
	lk := look.At(set, float64(frame))
	v, err := s.Volume(frame, &lk, crew)
	if err != nil {
		return nil, err
	}
	return Dress([]*render.Volume{v}, now, set, frame), nil
}

// Dress puts solids, camera and look round volumes.
func Dress(v []*render.Volume, now *shot.Shot, lk *shot.Element, frame int) *render.Scene {
	sc := &render.Scene{Volumes: v, Look: look.At(lk, float64(frame)), Camera: render.CameraOf(now, float64(frame))}
	for _, c := range now.Of(shot.Collider) {
		if c.Get("rendered").Flag {
			sc.Solids = append(sc.Solids, render.Solid{Shape: c.Shape(float64(frame)), Colour: look.RGB(c.At("colour", float64(frame)).Vec)})
		}
	}
	return sc
}

// Bounds is the box of the source's domain.
func (s *Source) Bounds() geom.Box { return s.Domain.DomainBox() }

// Stats reads what a run told of its frames.
func Stats(frames map[int]cache.Frame) map[int]gas.FrameStats {
	out := map[int]gas.FrameStats{}
	for n, f := range frames {
		var st gas.FrameStats
		if len(f.Stats) > 0 && json.Unmarshal(f.Stats, &st) == nil {
			out[n] = st
		}
	}
	return out
}
