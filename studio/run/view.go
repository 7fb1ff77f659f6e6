package run

import (
	"encoding/binary"
	"encoding/json"
	"errors"
	"fmt"
	"math"
	"slices"
	"strings"

	"zarf/core/frame"
	"zarf/core/geom"
	"zarf/core/grid"
	"zarf/core/look"
	"zarf/core/render"
	"zarf/core/shot"
	"zarf/core/shot/val"
	"zarf/core/stage"
	"zarf/studio/cache"
)

// ViewSize is how many voxels a frame's preview has along its longest side: it
// is made with the frame, so that scrubbing reads some hundred kilobytes in
// place of the whole frame.
const ViewSize = 64

// maxShown bounds the particles that a page is sent.
const maxShown = 200_000

// View is what is kept beside a frame for pages, size voxels along its longest side at
// most: smoke packed bare, a liquid as the mesh of its surface, or with points as its
// particles. Of frames that have a preview of that size it is read.
func (s *Source) View(number, size int, points bool, crew grid.Crew) (render.Texture, []byte, error) {
	wet := stage.Has(s.Domain, frame.Surface)
	if wet && points {
		return s.viewPoints(number)
	}
	if size == ViewSize || wet {
		if h, data, ok := unpackView(s.Stage.ReadView(number)); ok {
			return h, data, nil
		}
	}
	names := []string{frame.Surface}
	if !wet {
		names = []string{frame.Density, frame.Temperature, frame.Burn}
	}
	f, err := s.ReadOnly(number, names...)
	if err != nil {
		return render.Texture{}, nil, err
	}
	return s.bake(f, number, size, crew)
}

// bake makes the view of a frame that is in memory.
func (s *Source) bake(f *frame.Frame, number, size int, crew grid.Crew) (h render.Texture, data []byte, err error) {
	if stage.Has(s.Domain, frame.Surface) {
		phi, cell, band, err := s.Surface(f)
		if err != nil {
			return h, nil, fmt.Errorf("frame %d: %w", number, err)
		}
		_, _, origin := s.Grid()
		h, data = render.Skin(phi, cell, origin, band, crew)
		return h, data, nil
	}
	c := &render.Channels{Density: s.Channel(f, frame.Density), Air: val.AirTemperature.Of(s.Shot)}
	if c.Density == nil {
		return h, nil, fmt.Errorf("frame %d holds no density", number)
	}
	if stage.Has(s.Domain, frame.Burn) {
		c.Burn, c.Temperature = s.Channel(f, frame.Burn), s.Channel(f, frame.Temperature)
	}
	_, voxel, origin := s.Grid()
	low, _ := s.Window(f)
	origin = origin.Add(geom.V(float64(low[0]), float64(low[1]), float64(low[2])).Mul(voxel))
	c, voxel, origin = c.Shrink(size, voxel, origin, crew)
	h, data = c.Pack(voxel, origin, crew)
	return h, data, nil
}

// Screen is a frame as a page's viewport shows it, with what the shot's other domains have
// of it: smoke lit as a look says, of size voxels along a domain's longest side at most.
//
// Of as, "points" shows a liquid as its particles; what follows a colon is the attribute
// that particles are coloured by.
func (s *Source) Screen(number, size int, as string, now *shot.Shot, set *shot.Element, crew grid.Crew) (render.Screen, []byte, error) {
	lk := look.At(set, float64(number))
	as, by, _ := strings.Cut(as, ":")
	all := showing{lk: &lk, now: now, size: size, points: as == "points", by: by, number: number, crew: crew}
	beside := s.beside(number)
	if len(beside) > 0 {
		all.name = s.Domain.Name
	}
	if err := all.add(s); err != nil {
		return render.Screen{}, nil, err
	}
	for _, o := range beside {
		all.name = o.Domain.Name
		if err := all.add(o); err != nil {
			return render.Screen{}, nil, fmt.Errorf("%s: %w", o.Domain.Name, err)
		}
	}
	if err := all.strangers(s.Cache); err != nil {
		return render.Screen{}, nil, err
	}
	return all.light(now, set)
}

// beside are the sources of the shot's other domains, as far as they have the frame.
func (s *Source) beside(number int) (out []*Source) {
	if s.Cache == nil {
		return nil
	}
	for _, d := range s.Shot.Of(shot.Domain) {
		if d.ID == s.Domain.ID {
			continue
		}
		o := &Source{Shot: s.Shot, Domain: d, Stage: s.Cache.Stage(stage.Key(s.Shot, d)), Moving: s.Moving}
		if o.Stage.Has(number) {
			out = append(out, o)
		}
	}
	return out
}

// showing is what the domains of a frame have for a page.
type showing struct {
	heat   float64 // K, of a liquid's skin that glows by it; 0: none does
	lk     *look.Look
	now    *shot.Shot
	name   string
	size   int
	points bool
	by     string
	number int
	crew   grid.Crew

	parts   []render.Texture // of liquids
	data    []byte
	volumes []*render.Volume
	names   []string // of the volumes
	notes   []string
	holes   []geom.Box // where domains' own surfaces are, not the sea's
}

// add takes a domain in.
func (v *showing) add(s *Source) error {
	if loose(s.Domain) {
		p, err := s.Stage.LoadPoints(v.number)
		if err == nil && p == nil {
			err = fmt.Errorf("frame %d holds no particles; run the take again", v.number)
		}
		if err != nil {
			return err
		}
		return v.loose(p, s.Shot, s.Domain)
	}
	if stage.Has(s.Domain, frame.Surface) {
		t, data, err := s.View(v.number, v.size, v.points, v.crew)
		if err != nil {
			return err
		}
		if v.now.SeaOf(s.Domain) != nil && !v.points {
			_, h, _ := s.Grid()
			t, data = render.OpenSides(t, data, s.Domain.DomainBox(), h)
		}
		v.part(t, data)
		v.holes = append(v.holes, s.Domain.DomainBox())
		if err := v.warmth(s); err != nil {
			return err
		}
		if v.points || !stage.Has(s.Domain, frame.Foam) {
			return nil
		}
		return v.foam(s)
	}
	c, h, origin, err := v.channels(s)
	if err != nil {
		return err
	}
	return v.volume(c, h, origin, *v.lk)
}

// part adds what isn't smoke.
func (v *showing) part(t render.Texture, data []byte) {
	t.Name, t.At = v.name, len(v.data)
	v.parts, v.data = append(v.parts, t), append(v.data, data...)
	for len(v.data)%4 != 0 { // what follows may be numbers of four bytes
		v.data = append(v.data, 0)
	}
}

// warmth finds how warm a liquid's skin is on the mean, where it glows by that: cells that it
// doesn't fill.
func (v *showing) warmth(s *Source) error {
	if !v.lk.Liquid.ByHeat || !v.lk.Liquid.Opaque || !stage.Has(s.Domain, frame.Temperature) {
		return nil
	}
	f, err := s.ReadOnly(v.number, frame.Temperature, frame.Density)
	if err != nil {
		return err
	}
	heat, full := s.Channel(f, frame.Temperature), s.Channel(f, frame.Density)
	if heat == nil || full == nil {
		return nil
	}
	sum, n := 0.0, 0.0
	for i, t := range heat.Data {
		if t != 0 && full.Data[i] < 0.9 {
			sum, n = sum+float64(t), n+1
		}
	}
	if n > 0 {
		v.heat = val.AirTemperature.At(s.Shot, s.Shot.Eval(float64(v.number))) + sum/n
	}
	return nil
}

// foam is drawn as smoke, whatever the look draws that from.
func (v *showing) foam(s *Source) error {
	f, err := s.ReadOnly(v.number, frame.Foam)
	if err != nil {
		return err
	}
	c := &render.Channels{Density: s.Channel(f, frame.Foam)}
	if c.Density == nil {
		return nil
	}
	_, h, origin := s.Grid()
	c, h, origin = c.Shrink(v.size, h, origin, v.crew)
	as := *v.lk
	as.SmokeFrom, as.Opacity, as.TintFrom, as.Tint, as.FlameAnywhere = "density", nil, "", nil, false
	return v.volume(c, h, origin, as)
}

// volume takes smoke in.
func (v *showing) volume(c *render.Channels, h float64, origin geom.Vec3, as look.Look) error {
	as.Smooth = false
	vol, notes, err := c.Volume(h, origin, &as, v.crew)
	var lacks *render.Missing
	if errors.As(err, &lacks) { // what there is can be shown all the same
		as.SmokeFrom, as.Opacity, as.TintFrom, as.Tint, as.FlameAnywhere, as.FlameMix = "density", nil, "", nil, false, 0
		v.say(lacks.Error() + "; until then density is shown")
		vol, notes, err = c.Volume(h, origin, &as, v.crew)
	}
	if err != nil {
		return fmt.Errorf("frame %d: %w", v.number, err)
	}
	v.volumes, v.names = append(v.volumes, vol), append(v.names, v.name)
	v.say(notes...)
	return nil
}

// say keeps notes, of a domain by name where there are several.
func (v *showing) say(notes ...string) {
	for _, n := range notes {
		if v.name != "" {
			n = v.name + ": " + n
		}
		v.notes = append(v.notes, n)
	}
}

// channels are those of smoke, from the preview where it has all that the look reads.
func (v *showing) channels(s *Source) (*render.Channels, float64, geom.Vec3, error) {
	need := v.lk.Channels(stage.Has(s.Domain, frame.Burn))
	small := v.size == ViewSize
	for _, n := range need {
		small = small && (n == frame.Burn || n == frame.Temperature) && stage.Has(s.Domain, frame.Burn)
	}
	if small {
		if t, data, ok := unpackView(s.Stage.ReadView(v.number)); ok {
			if c, h, origin, err := t.Unpack(data, val.AirTemperature.Of(s.Shot)); err == nil {
				return c, h, origin, nil
			}
		}
	}
	c, origin, h, err := s.own(v.number, v.lk, 0)
	if err != nil {
		return nil, 0, origin, err
	}
	c, h, origin = c.Shrink(v.size, h, origin, v.crew)
	return c, h, origin, nil
}

// light lights what was taken in.
func (v *showing) light(now *shot.Shot, set *shot.Element) (out render.Screen, data []byte, err error) {
	sc, err := Dress(v.volumes, now, set, v.number)
	if err != nil {
		return out, nil, err
	}
	if k := &sc.Look.Liquid; k.Opaque && k.ByHeat && v.heat > 0 {
		// a page draws a skin in one colour: that in which all of it glows on the mean
		g := look.Glow(v.heat)
		k.Colour, k.Glow = g.Scale(1/max(g.Max(), 1e-6)), k.Glow*g.Max()
	}
	if t, water, err := seaSkin(now, float64(v.number), v.holes, v.crew); err != nil {
		return out, nil, err
	} else if t.Vertices > 0 {
		v.part(t, water)
	}
	out, data = sc.Screen(v.data, v.crew)
	for n := range out.Parts {
		out.Parts[n].Name = v.names[n]
	}
	out.Parts = append(v.parts, out.Parts...)
	out.Notes = append(v.notes, out.Notes...)
	return out, data, nil
}

// WorkLight is a look whose smoke and flame stay as they are, in the light of a plain
// day and on plain film: for work on shots that are dark.
func WorkLight(set *shot.Element) *shot.Element {
	out := set.Copy(set.Name)
	for _, e := range shot.Entries(shot.Look) {
		if e.Topic == "light" || e.Topic == "film" || e.Topic == "ground" {
			out.Reset(e)
		}
	}
	return out
}

// Lit is what a page shows of a flow in memory, as Screen would of its frame.
func Lit(c *render.Channels, h float64, origin geom.Vec3, size, number int, now *shot.Shot, set *shot.Element, crew grid.Crew) (render.Screen, []byte, error) {
	lk := look.At(set, float64(number))
	v := showing{lk: &lk, now: now, number: number, crew: crew}
	c, h, origin = c.Shrink(size, h, origin, crew)
	if err := v.volume(c, h, origin, lk); err != nil {
		return render.Screen{}, nil, err
	}
	return v.light(now, set)
}

// LitSkin is what a page shows of a liquid in memory, whose skin is so warm, K (0: nobody knows).
func LitSkin(phi *grid.Field, h float64, origin geom.Vec3, outside, warm float64, number int, now *shot.Shot, set *shot.Element, crew grid.Crew) (render.Screen, []byte, error) {
	lk := look.At(set, float64(number))
	v := showing{lk: &lk, now: now, number: number, crew: crew, heat: warm}
	t, data := render.Skin(phi, h, origin, outside, crew)
	v.parts, v.data = []render.Texture{t}, data
	for _, d := range now.Of(shot.Domain) {
		if now.SeaOf(d) != nil {
			v.holes = append(v.holes, d.DomainBox())
			v.parts[0], v.data = render.OpenSides(v.parts[0], v.data, d.DomainBox(), h)
		}
	}
	return v.light(now, set)
}

// keep stores a frame of the source, its preview before it.
func (s *Source) keep(rec cache.Frame, f *frame.Frame, crew grid.Crew) (cache.Frame, error) {
	// a frame that can't be shown, as it holds no density, is a frame all the same
	if h, data, err := s.bake(f, rec.Frame, ViewSize, crew); err == nil {
		packed, err := packView(h, data)
		if err == nil {
			err = s.Stage.PutView(&rec, packed)
		}
		if err != nil {
			return rec, err
		}
	}
	return s.Stage.Keep(rec, f, crew.For)
}

// Review makes the preview of a frame anew, from the frame.
func (s *Source) Review(number int, crew grid.Crew) error {
	f, err := s.Read(number)
	if err != nil {
		return err
	}
	h, data, err := s.bake(f, number, ViewSize, crew)
	if err != nil {
		return err
	}
	packed, err := packView(h, data)
	if err != nil {
		return err
	}
	return s.Stage.Review(number, packed)
}

// packView writes a view as its preview's bytes: the length of its head as 32
// bits, little-endian, the head as JSON, the data.
func packView(h render.Texture, data []byte) ([]byte, error) {
	head, err := json.Marshal(h)
	if err != nil {
		return nil, err
	}
	out := binary.LittleEndian.AppendUint32(make([]byte, 0, 4+len(head)+len(data)), uint32(len(head)))
	return append(append(out, head...), data...), nil
}

func unpackView(b []byte) (h render.Texture, data []byte, ok bool) {
	if len(b) < 4 {
		return h, nil, false
	}
	n := binary.LittleEndian.Uint32(b)
	if uint64(n) > uint64(len(b)-4) || json.Unmarshal(b[4:4+n], &h) != nil {
		return h, nil, false
	}
	return h, b[4+n:], true
}

// viewPoints are a liquid's particles, three floats each, then their speeds, a
// byte each, 255 for those of the fastest fiftieth.
func (s *Source) viewPoints(number int) (h render.Texture, out []byte, err error) {
	p, err := s.Stage.LoadPoints(number)
	if err != nil {
		return h, nil, err
	}
	if p == nil {
		return h, nil, fmt.Errorf("frame %d was kept without particles; choose “Keep particles” and run again", number)
	}
	step := max((len(p.P)+maxShown-1)/maxShown, 1)
	var speeds []float64
	for n := 0; n < len(p.P); n += step {
		x := p.P[n]
		out = render.Floats(out, x[0], x[1], x[2])
		v := 0.0
		if p.V != nil {
			v = math.Sqrt(float64(p.V[n][0]*p.V[n][0] + p.V[n][1]*p.V[n][1] + p.V[n][2]*p.V[n][2]))
		}
		speeds = append(speeds, v)
	}
	h.Liquid, h.Particles = true, len(speeds)
	if len(speeds) > 0 { // a few drops that shoot off would make all others look slow
		h.Fastest = slices.Sorted(slices.Values(speeds))[len(speeds)*98/100]
	}
	for _, v := range speeds {
		out = append(out, byte(255*min(v/max(h.Fastest, 1e-9), 1)))
	}
	return h, out, nil
}
