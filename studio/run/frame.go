package run

import (
	"encoding/json"
	"fmt"
	"math"
	"slices"

	"zarf/core/frame"
	"zarf/core/geom"
	"zarf/core/grid"
	"zarf/core/look"
	"zarf/core/render"
	"zarf/core/shot"
	"zarf/core/shot/val"
	"zarf/core/sim"
	"zarf/core/stage"
	"zarf/studio/cache"
)

// Source is where a take's frames come from.
type Source struct {
	Shot   *shot.Shot // the values that made them
	Domain *shot.Element
	Stage  *cache.Stage
	Cache  *cache.Cache // where frames of the shot's other domains may be; nil: they are left out
	Coarse bool         // the frames are those that the domain's upres stands on
	Trying bool         // a look is tried out, and quick pictures are wanted
	Moving bool         // velocity is wanted for the motion layer, blurred or not
}

// Open finds the cached frames of a shot's domain.
func Open(s *shot.Shot, domain string, c *cache.Cache) (*Source, error) {
	d, err := stage.PickDomain(s, domain)
	if err != nil {
		return nil, err
	}
	return &Source{Shot: s, Domain: d, Stage: c.Stage(stage.Key(s, d)), Cache: c}, nil
}

// Read decodes a frame.
func (s *Source) Read(number int) (*frame.Frame, error) { return s.ReadOnly(number) }

// ReadOnly reads some channels of a frame; all where none is named.
func (s *Source) ReadOnly(number int, channels ...string) (*frame.Frame, error) {
	return s.Stage.Load(number, channels...)
}

// Grid is the grid of the source's frames, upres included.
func (s *Source) Grid() (d grid.Dims, h float64, origin geom.Vec3) {
	if s.Coarse {
		return stage.RunCells(s.Domain)
	}
	return stage.Cells(s.Domain)
}

// Window is the part of the domain that a frame's pictures need: all of it, or
// where bounds follow or upres was added the box round what is there.
func (s *Source) Window(f *frame.Frame) (low [3]int, d grid.Dims) {
	d, h, _ := s.Grid()
	_, run, _ := s.Domain.Grid()
	if solver := stage.Of(s.Domain); h == run && (solver == nil || solver.Share == nil || solver.Share(s.Domain) == 1) {
		return low, d
	}
	return f.Extent(d, frame.Density, frame.Burn)
}

// Channel reads one scalar channel of a frame as a dense field over its
// window; nil where the cache lacks it.
func (s *Source) Channel(f *frame.Frame, name string) *grid.Field {
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

// Channels reads what a look needs of a frame, all on one grid, and beside it
// what the shot's other domains have in the cache of the same frame.
func (s *Source) Channels(number int, lk *look.Look, shutter float64) (*render.Channels, geom.Vec3, float64, error) {
	c, origin, h, err := s.own(number, lk, shutter)
	if err != nil || s.Cache == nil {
		return c, origin, h, err
	}
	for _, o := range s.beside(number) {
		b := render.Beside{Name: o.Domain.Name}
		if b.Channels, b.Origin, b.H, err = o.own(number, lk, shutter); err != nil {
			return nil, origin, h, fmt.Errorf("%s: %w", o.Domain.Name, err)
		}
		c.Beside = append(c.Beside, b)
	}
	return c, origin, h, nil
}

// own are the channels of the source's own domain.
func (s *Source) own(number int, lk *look.Look, shutter float64) (*render.Channels, geom.Vec3, float64, error) {
	if stage.Has(s.Domain, frame.Surface) {
		return s.wet(number, shutter)
	}
	if loose(s.Domain) {
		_, h, origin := s.Grid()
		p, err := s.sewn(number)
		if err != nil {
			return nil, origin, h, err
		}
		m, err := s.motes(number, lk)
		return &render.Channels{Motes: m, Cloth: draped(p, s.Shot, s.Domain), Shutter: shutter}, origin, h, err
	}
	names := append([]string{frame.Density}, lk.Channels(stage.Has(s.Domain, frame.Burn))...)
	fast := slices.Index(names, "speed")
	if fast >= 0 {
		names[fast] = frame.Velocity
	}
	if (shutter > 0 || s.Moving) && fast < 0 {
		names = append(names, frame.Velocity)
	}
	f, err := s.ReadOnly(number, names...)
	if err != nil {
		return nil, geom.Vec3{}, 0, err
	}
	_, h, origin := s.Grid()
	low, d := s.Window(f)
	origin = origin.Add(geom.V(float64(low[0]), float64(low[1]), float64(low[2])).Mul(h))
	c := &render.Channels{Air: val.AirTemperature.Of(s.Shot), Burns: stage.Has(s.Domain, frame.Burn), Shutter: shutter}
	if c.Density = s.Channel(f, frame.Density); c.Density == nil {
		if lk.SmokeFrom == "density" {
			return nil, origin, h, fmt.Errorf("frame %d holds no density; keep it in the cache and run again, or draw smoke from another channel", number)
		}
		c.Density = grid.NewField(d)
	}
	c.Temperature, c.Burn, c.Fuel = s.Channel(f, frame.Temperature), s.Channel(f, frame.Burn), s.Channel(f, frame.Fuel)
	if g := f.Grid(frame.Velocity); g != nil && g.Type.Components() == 3 {
		if err := s.motion(g, c, d, h, origin, fast >= 0); err != nil {
			return nil, origin, h, err
		}
	}
	return c, origin, h, nil
}

// loose reports a domain whose frames are their particles.
func loose(d *shot.Element) bool {
	solver := stage.Of(d)
	return solver != nil && solver.Loose
}

// motion reads the velocity, which may be on a coarser grid than the rest.
func (s *Source) motion(g *frame.Grid, c *render.Channels, d grid.Dims, h float64, origin geom.Vec3, speed bool) error {
	lo, hi := extent(g)
	n := grid.Dims{NX: max(hi[0]-lo[0]+1, 1), NY: max(hi[1]-lo[1]+1, 1), NZ: max(hi[2]-lo[2]+1, 1)}
	if n.Len() > 1<<28 {
		return fmt.Errorf("velocity fills %s voxels, which is too many to blur with", n)
	}
	c.VelH = g.Transform.M[0][0]
	m := g.Transform.M
	// the cache's transforms put whole indices at voxel centres
	c.VelLow = geom.V(m[3][0]+(float64(lo[0])-0.5)*c.VelH, m[3][1]+(float64(lo[1])-0.5)*c.VelH, m[3][2]+(float64(lo[2])-0.5)*c.VelH)
	var data [][]float32
	for a := range c.Velocity {
		c.Velocity[a] = grid.NewField(n)
		data = append(data, c.Velocity[a].Data)
	}
	if err := g.Dense(lo, [3]int{n.NX, n.NY, n.NZ}, data); err != nil {
		return err
	}
	if !speed {
		return nil
	}
	c.Speed = grid.NewField(d)
	for k := range d.NZ {
		for j := range d.NY {
			row := c.Speed.Row(j, k)
			for i := range row {
				p := origin.Add(geom.V(float64(i)+0.5, float64(j)+0.5, float64(k)+0.5).Mul(h)).Sub(c.VelLow).Mul(1 / c.VelH)
				var s2 float64
				for a := range 3 {
					v := float64(c.Velocity[a].Sample(float32(p.X)-0.5, float32(p.Y)-0.5, float32(p.Z)-0.5))
					s2 += v * v
				}
				row[i] = float32(math.Sqrt(s2))
			}
		}
	}
	return nil
}

// extent is the box of indices that a grid's leaves fill.
func extent(g *frame.Grid) (lo, hi [3]int) {
	for n, l := range g.Leaves {
		for a := range 3 {
			from := int(l.Origin[a])
			if n == 0 {
				lo[a], hi[a] = from, from+7
			}
			lo[a], hi[a] = min(lo[a], from), max(hi[a], from+7)
		}
	}
	return lo, hi
}

// Scene builds what a frame's picture shows: the cached fluid, with solids,
// lamps, camera and look as they are now.
func (s *Source) Scene(number int, now *shot.Shot, set *shot.Element, crew grid.Crew) (*render.Scene, error) {
	lk := look.At(set, float64(number))
	shutter := render.ShutterOf(now, float64(number))
	c, origin, h, err := s.Channels(number, &lk, shutter)
	if err != nil {
		return nil, err
	}
	return s.Assemble(c, origin, h, number, now, set, crew)
}

// wet reads what a look needs of a liquid's frame.
func (s *Source) wet(number int, shutter float64) (*render.Channels, geom.Vec3, float64, error) {
	_, h, origin := s.Grid()
	names := []string{frame.Surface, frame.Foam, frame.Temperature, frame.Mixture, frame.Wetness}
	if shutter > 0 || s.Moving {
		names = append(names, frame.Velocity)
	}
	f, err := s.ReadOnly(number, names...)
	if err != nil {
		return nil, origin, h, err
	}
	c := &render.Channels{Shutter: shutter}
	if c.Liquid, err = s.Liquid(f, c, shutter); err != nil {
		return nil, origin, h, fmt.Errorf("frame %d: %w", number, err)
	}
	c.Density = s.Channel(f, frame.Foam) // drawn as smoke; nil where there is none
	return c, origin, h, nil
}

// Surface reads the distance to a liquid's surface, m, on its own cells; band
// is where it is cut off.
func (s *Source) Surface(f *frame.Frame) (phi *grid.Field, h float64, band float64, err error) {
	g := f.Grid(frame.Surface)
	if g == nil || g.Type.Components() != 1 {
		return nil, 0, 0, fmt.Errorf("the cache holds no surface; run the take again")
	}
	d, voxel, _ := s.Grid()
	n := max(1, int(math.Round(voxel/g.Transform.VoxelSize()[0]))) // its cells along a voxel
	phi = grid.NewField(grid.Dims{NX: d.NX * n, NY: d.NY * n, NZ: d.NZ * n})
	for i := range phi.Data {
		phi.Data[i] = float32(g.Background[0])
	}
	if err := g.Dense([3]int{}, [3]int{phi.NX, phi.NY, phi.NZ}, [][]float32{phi.Data}); err != nil {
		return nil, 0, 0, err
	}
	return phi, voxel / float64(n), g.Background[0], nil
}

// Liquid reads a liquid's surface, and into c its velocity where it is blurred.
func (s *Source) Liquid(f *frame.Frame, c *render.Channels, shutter float64) (*render.Liquid, error) {
	phi, h, band, err := s.Surface(f)
	if err != nil {
		return nil, err
	}
	d, voxel, origin := s.Grid()
	if g := f.Grid(frame.Velocity); g != nil && g.Type.Components() == 3 && (shutter > 0 || s.Moving) {
		if err := s.motion(g, c, d, voxel, origin, false); err != nil {
			return nil, err
		}
	}
	l := render.NewLiquid(phi, h, origin, band, voxel, c.Velocity, c.VelH, c.VelLow, shutter)
	if heat, mix := s.Channel(f, frame.Temperature), s.Channel(f, frame.Mixture); heat != nil || mix != nil {
		l.Carried = &render.Carried{Heat: heat, Mix: mix, None: frame.MixtureNone, Air: val.AirTemperature.At(s.Shot, s.Shot.Eval(float64(f.Number))), H: voxel, Low: origin}
	}
	if wet := s.Channel(f, frame.Wetness); wet != nil {
		l.Damp = &render.Damp{Wet: wet, H: voxel, Low: origin}
	}
	return l, nil
}

// Assemble is Scene with channels that were read already.
func (s *Source) Assemble(c *render.Channels, origin geom.Vec3, h float64, number int, now *shot.Shot, set *shot.Element, crew grid.Crew) (*render.Scene, error) {
	lk := look.At(set, float64(number))
	if s.Trying && !lk.SmoothAlways {
		lk.Smooth = false
	}
	all := assembly{lk: &lk, number: number, crew: crew}
	own := "" // where there are several domains, what is said of one names it
	if len(c.Beside) > 0 {
		own = s.Domain.Name
	}
	if err := all.add(c, origin, h, own); err != nil {
		return nil, err
	}
	for _, b := range c.Beside {
		b.Channels.Shutter = c.Shutter
		if err := all.add(b.Channels, b.Origin, b.H, b.Name); err != nil {
			return nil, err
		}
	}
	err := strangers(now, s.Cache, number, func(d *shot.Element, p *frame.Points) error {
		m, err := motesOf(p, d, &lk)
		all.motes = append(all.motes, m)
		return err
	})
	if err != nil {
		return nil, err
	}
	sc, err := Dress(all.volumes, now, set, number)
	if err != nil {
		return nil, err
	}
	hang(sc, all.cloth, now, s.Shot, number)
	loose := all.motes[:0]
	for _, m := range all.motes {
		d := s.Shot.Element(m.Of)
		if d == nil { // from outside, brought in since
			d = now.Element(m.Of)
		}
		if d != nil && AsSurface(d, now) {
			if l := m.Pooled(func() *render.Liquid { return pooled(m, c.Shutter, s.Moving, crew) }); l != nil {
				all.wet = append(all.wet, l)
			}
			continue
		}
		loose = append(loose, m)
		if d != nil {
			var note string
			if m.Shape, note = shapeOf(d, now, float64(number)); note != "" {
				all.notes = append(all.notes, note)
			}
			if lk.MoteBy != "" && m.By == nil {
				all.notes = append(all.notes, fmt.Sprintf("the particles of %s have no number called %s that could colour them", d.Name, lk.MoteBy))
			}
		}
	}
	sc.Liquids, sc.Motes, sc.Look.Smooth = all.wet, loose, lk.Smooth
	sc.Lamps = append(sc.Lamps, sc.MoteLamps()...)
	sc.Notes = append(all.notes, sc.Notes...)
	return sc, surround(sc, now, number, crew)
}

// assembly is what the domains of a frame show.
type assembly struct {
	lk      *look.Look
	number  int
	crew    grid.Crew
	volumes []*render.Volume
	wet     []*render.Liquid
	motes   []*render.Motes
	cloth   []*render.Draped
	notes   []string
}

// add takes a domain in; name is empty where it is the only one.
func (a *assembly) add(c *render.Channels, origin geom.Vec3, h float64, name string) error {
	said := func(list ...string) {
		for _, n := range list {
			if name != "" {
				n = name + ": " + n
			}
			a.notes = append(a.notes, n)
		}
	}
	if c.Motes != nil {
		a.cloth = append(a.cloth, c.Cloth...)
		a.motes = append(a.motes, c.Motes)
		return nil
	}
	if c.Shutter > 0 && c.Velocity[0] == nil {
		said("the cache holds no velocity, so the fluid isn't blurred: keep velocity and run again")
	}
	if c.Liquid != nil {
		a.wet = append(a.wet, c.Liquid)
		if c.Density == nil {
			return nil
		}
	}
	as := *a.lk
	if c.Liquid != nil { // foam is drawn as it is
		as.SmokeFrom, as.Opacity, as.TintFrom, as.Tint, as.FlameAnywhere = "density", nil, "", nil, false
	}
	v, found, err := c.Volume(h, origin, &as, a.crew)
	switch {
	case err != nil && name != "":
		return fmt.Errorf("frame %d of %s: %w", a.number, name, err)
	case err != nil:
		return fmt.Errorf("frame %d: %w", a.number, err)
	}
	said(found...)
	a.volumes = append(a.volumes, v)
	return nil
}

// moments is how many moments of an exposure solids and camera are worked out
// for.
const moments = 15

// Dress puts solids, lamps, camera and look round volumes.
func Dress(v []*render.Volume, now *shot.Shot, lk *shot.Element, number int) (*render.Scene, error) {
	f := float64(number)
	sc := &render.Scene{Volumes: v, Look: look.At(lk, f), Camera: render.CameraOf(now, f), Solids: solids(now, f), Rate: now.Rate(), Shutter: render.ShutterOf(now, f)}
	next := render.CameraOf(now, f+1)
	sc.Then = &next
	for i, s := range solids(now, f+1) {
		if i < len(sc.Solids) {
			sh := s.Shape
			sc.Solids[i].Then = &sh
		}
	}
	for _, e := range now.Elements {
		if held := e.Kind == shot.Collider || e.Kind == shot.Mesh; held && val.Holdout.Of(e) && (e.Muted || !val.Rendered.Of(e)) {
			sc.Notes = append(sc.Notes, e.Name+" is a holdout but not in the picture, so it holds nothing out: switch “In the picture” on")
		}
	}
	for _, e := range now.Of(shot.Lamp) {
		sc.Lamps = append(sc.Lamps, lamp(e, f))
	}
	if sc.Shutter > 0 {
		for n := range moments {
			at := f + (float64(n)+0.5)/moments*sc.Shutter*sc.Rate - sc.Shutter*sc.Rate/2
			m := render.Moment{Camera: render.CameraOf(now, at), Solids: solids(now, at)}
			for i := range m.Solids {
				if i < len(sc.Solids) {
					m.Solids[i].Then = sc.Solids[i].Then
				}
			}
			sc.Moments = append(sc.Moments, m)
		}
	}
	if ref := sc.Look.SkyPicture; ref != "" {
		p, err := now.Files().Picture(ref, 0)
		if err != nil {
			return nil, fmt.Errorf("the picture of the sky: %w", err)
		}
		sc.Env = render.NewEnv(p, sc.Look.SkyTurn*math.Pi/180)
	}
	return sc, nil
}

func solids(now *shot.Shot, number float64) (out []render.Solid) {
	for _, c := range now.Elements {
		if (c.Kind == shot.Collider || c.Kind == shot.Mesh) && !c.Muted && val.Rendered.Of(c) {
			out = append(out, render.Solid{Shape: c.Shape(now.Eval(number)), Colour: look.RGB(val.Colour.At(c, val.Frame(number))), Holdout: val.Holdout.Of(c), Clear: val.Material.Of(c) == "glass"})
		}
	}
	return out
}

func lamp(e *shot.Element, number float64) render.Lamp {
	at, wide := geom.FromArray(val.Position.At(e, val.Frame(number))), val.Wide.At(e, val.Frame(number))
	l := render.NewPanel(at, geom.FromArray(val.Target.At(e, val.Frame(number))), wide, val.Tall.At(e, val.Frame(number)))
	if val.Form.Of(e) == "ball" {
		l = render.Lamp{Ball: true, Centre: at, Radius: wide / 2}
	}
	l.Name, l.Seen = e.Name, val.Seen.Of(e)
	l.Radiance = look.RGB(val.Colour.At(e, val.Frame(number))).Scale(val.Strength.At(e, val.Frame(number)))
	return l
}

// Bounds is the box of the source's domain.
func (s *Source) Bounds() geom.Box { return s.Domain.DomainBox() }

// StatsOf reads what a run told of a frame; nothing where it told nothing.
func StatsOf(f cache.Frame) (st sim.Stats) {
	if len(f.Stats) > 0 {
		json.Unmarshal(f.Stats, &st)
	}
	return st
}

// Stats reads what a run told of its frames.
func Stats(frames map[int]cache.Frame) map[int]sim.Stats {
	out := map[int]sim.Stats{}
	for n, f := range frames {
		if len(f.Stats) > 0 {
			out[n] = StatsOf(f)
		}
	}
	return out
}

// View is the axes of a shot's camera at a frame: right, up, towards the viewer.
func View(s *shot.Shot, number float64) [3]geom.Vec3 {
	c := render.CameraOf(s, number)
	return c.Axes()
}
