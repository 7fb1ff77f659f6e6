package run

// Particles of a frame: as pictures have them, and packed for a page.

import (
	"encoding/binary"
	"errors"
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
	"zarf/core/stage"
	"zarf/core/surface"
	"zarf/studio/cache"
)

// particles are those of a frame that live at its end.
func (s *Source) particles(number int) (*frame.Points, error) {
	p, err := s.Stage.LoadPoints(number)
	if err == nil && p == nil {
		err = fmt.Errorf("frame %d holds no particles; run the take again", number)
	}
	if err != nil {
		return nil, err
	}
	return p.Alive(), nil
}

// motes are the particles of a frame as they are drawn, but for their shape.
func (s *Source) motes(number int, lk *look.Look) (*render.Motes, error) {
	p, err := s.particles(number)
	if err != nil {
		return nil, err
	}
	m, err := motesOf(p, s.Domain, lk)
	if err != nil {
		return nil, fmt.Errorf("frame %d %w", number, err)
	}
	return m, nil
}

// Swarm are the particles of a frame, as its file has them and as a shot draws them now under
// a look; a note says why they are dots where they should be something else.
func (s *Source) Swarm(number int, now *shot.Shot, lk *look.Look) (*frame.Points, *render.Motes, string, error) {
	p, err := s.particles(number)
	if err != nil {
		return nil, nil, "", err
	}
	m, err := motesOf(p, s.Domain, lk)
	if err != nil {
		return nil, nil, "", fmt.Errorf("frame %d %w", number, err)
	}
	var note string
	m.Shape, note = shapeOf(s.Domain, now, float64(number))
	return p, m, note, nil
}

func motesOf(p *frame.Points, d *shot.Element, lk *look.Look) (*render.Motes, error) {
	m := &render.Motes{Of: d.ID, P: p.P, V: p.V, Size: p.Of("size"), Heat: p.Of("temperature"), ID: p.IDs(), Turn: columns(p, "turn"), Spin: columns(p, "spin")}
	if m.Size == nil && len(m.P) > 0 {
		return nil, errors.New("has particles without a size; run the take again")
	}
	m.By = numberOf(p, lk.MoteBy)
	if p.Of("age") != nil && p.Of("life") != nil {
		m.Life = numberOf(p, "lived")
	}
	return m, nil
}

// strangers are the particles of a shot's sequences that are in the picture at a frame, those
// that have died left out, each with its element.
func strangers(now *shot.Shot, c *cache.Cache, number int, fn func(d *shot.Element, p *frame.Points) error) error {
	if c == nil {
		return nil
	}
	for _, d := range now.Of(shot.Sequence) {
		if d.Muted || !val.Rendered.Of(d) || val.Frames.Of(d) == "" {
			continue
		}
		st, n, err := played(c, d, number)
		var p *frame.Points
		if err == nil {
			p, _, err = brought(now, st, d, number, n)
		}
		if errors.Is(err, stage.ErrOver) || err == nil && p == nil {
			continue
		}
		if err == nil {
			err = fn(d, p.Alive())
		}
		if err != nil {
			return fmt.Errorf("%s: %w", d.Name, err)
		}
	}
	return nil
}

// numberOf is what every particle has under a name; nil where there is none.
func numberOf(p *frame.Points, name string) []float32 {
	switch name {
	case "":
		return nil
	case "speed":
		v := make([]float32, len(p.P))
		for n, x := range p.V {
			v[n] = float32(math.Sqrt(float64(x[0]*x[0] + x[1]*x[1] + x[2]*x[2])))
		}
		return v
	case "lived":
		age, life := p.Of("age"), p.Of("life")
		v := make([]float32, len(p.P))
		for n := range age {
			if len(life) > n && life[n] > 0 {
				v[n] = min(max(age[n]/life[n], 0), 1)
			}
		}
		return v
	}
	return p.Of(name)
}

// LitMotes is what a page shows of a domain's particles in memory.
func LitMotes(p *frame.Points, d *shot.Element, number int, now *shot.Shot, set *shot.Element, crew grid.Crew) (render.Screen, []byte, error) {
	lk := look.At(set, float64(number))
	v := showing{lk: &lk, now: now, number: number, crew: crew}
	if err := v.loose(p, now, d); err != nil {
		return render.Screen{}, nil, err
	}
	return v.light(now, set)
}

// loose takes in what a domain without voxels has: cloth and particles.
func (v *showing) loose(p *frame.Points, s *shot.Shot, d *shot.Element) error {
	if len(stage.Sewn(s, d)) > 0 {
		v.cloth(p, s, d)
		if p = p.Alive(); len(p.P) == 0 {
			return nil
		}
	}
	return v.particles(p.Alive(), d)
}

// Outside is what a page shows of a shot at a frame that no take has: particles from outside.
func Outside(number int, by string, now *shot.Shot, set *shot.Element, c *cache.Cache, crew grid.Crew) (render.Screen, []byte, error) {
	lk := look.At(set, float64(number))
	v := showing{lk: &lk, now: now, by: by, number: number, crew: crew}
	if err := v.strangers(c); err != nil {
		return render.Screen{}, nil, err
	}
	return v.light(now, set)
}

// strangers takes in particles from outside.
func (v *showing) strangers(c *cache.Cache) error {
	return strangers(v.now, c, v.number, func(d *shot.Element, p *frame.Points) error {
		v.name = d.Name
		return v.particles(p, d)
	})
}

// particles takes in those of a domain, and what they are drawn as.
func (v *showing) particles(p *frame.Points, d *shot.Element) error {
	m, err := motesOf(p, d, v.lk)
	if err != nil {
		return fmt.Errorf("frame %d %w", v.number, err)
	}
	if AsSurface(d, v.now) && !v.points {
		if l, _ := Pooled(m.P, m.Size, v.crew); l != nil {
			phi := &grid.Field{Dims: grid.Dims{NX: l.N[0], NY: l.N[1], NZ: l.N[2]}, Data: l.V}
			v.part(render.Skin(phi, l.H, l.Origin.Sub(geom.V(l.H, l.H, l.H).Mul(0.5)), surface.DropBand*l.H, v.crew))
		}
		return nil
	}
	var note string
	if m.Shape, note = shapeOf(d, v.now, float64(v.number)); note != "" {
		v.say(note)
	}
	pack := motePack{p: p, m: m, lk: v.lk, step: max((len(p.P)+maxShown-1)/maxShown, 1)}
	pack.colours(v.by)
	pack.shapes()
	v.part(pack.head, pack.data)
	return nil
}

// motePack are particles on their way to a page: three floats each, then a byte each of what
// they are coloured by, from the least value to the largest but for a fiftieth at either end.
// What shapes take follows, from whole fours of bytes on: of trails three floats each for
// their other end; of meshes their diameters as floats, how they are turned as quaternions of
// four signed bytes, and a byte each for which mesh it is, and then, again from whole fours
// on, the meshes' corners and triangles.
type motePack struct {
	p    *frame.Points
	m    *render.Motes
	lk   *look.Look
	step int // every how many are shown
	head render.Texture
	data []byte
}

// each calls fn for those that are shown.
func (k *motePack) each(fn func(i int)) {
	for i := 0; i < len(k.p.P); i += k.step {
		fn(i)
	}
}

// colours packs places and what they are coloured by. Where nothing is asked for that is the
// temperature if some are hot, else the speed.
func (k *motePack) colours(by string) {
	p, h := k.p, &k.head
	units := map[string]string{"speed": "m/s"}
	h.Attributes = []string{"speed"}
	for _, a := range p.Extra {
		if a.Name != "id_high" {
			h.Attributes, units[a.Name] = append(h.Attributes, a.Name), a.In()
		}
	}
	if heat := p.Of("temperature"); by == "" && len(heat) > 0 && slices.Max(heat) > 750 {
		by = "temperature"
	}
	v := numberOf(p, by)
	if v == nil {
		by, v = "speed", numberOf(p, "speed")
	}
	var shown []float32
	k.each(func(i int) {
		k.data = render.Floats(k.data, p.P[i][:]...)
		shown = append(shown, v[i])
	})
	h.Particles, h.By, h.Unit = len(shown), by, units[by]
	if len(shown) > 0 {
		order := slices.Sorted(slices.Values(shown))
		h.Low, h.High = float64(order[len(order)/50]), float64(order[len(order)*98/100])
	}
	for _, x := range shown {
		t := (float64(x) - h.Low) / max(h.High-h.Low, 1e-9)
		k.data = append(k.data, byte(255*min(max(t, 0), 1)))
	}
}

// whole fills up to whole fours of bytes.
func (k *motePack) whole() {
	for len(k.data)%4 != 0 {
		k.data = append(k.data, 0)
	}
}

// shapes packs what they are drawn as.
func (k *motePack) shapes() {
	m := k.m
	if trail := float32(m.Shape.Trail); trail > 0 && m.V != nil {
		k.head.Trails = true
		k.whole()
		k.each(func(i int) {
			p, v := m.P[i], m.V[i]
			k.data = render.Floats(k.data, p[0]-trail*v[0], p[1]-trail*v[1], p[2]-trail*v[2])
		})
	}
	meshes := m.Shape.Thin()
	if len(meshes) == 0 {
		return
	}
	k.whole()
	k.each(func(i int) { k.data = render.Floats(k.data, float32(2*m.Radius(k.lk, i))) })
	k.each(func(i int) {
		q := m.Stands(i).Quat()
		for _, x := range []float64{q.X, q.Y, q.Z, q.W} {
			k.data = append(k.data, byte(int8(math.Round(127*x))))
		}
	})
	k.each(func(i int) { k.data = append(k.data, byte(m.Kind(i))) })
	k.whole()
	for _, mesh := range meshes {
		k.head.Forms = append(k.head.Forms, [2]int{len(mesh.P), len(mesh.Tri)})
		for _, p := range mesh.P {
			k.data = render.Floats(k.data, float32(p.X), float32(p.Y), float32(p.Z))
		}
		for _, tri := range mesh.Tri {
			for _, n := range tri {
				k.data = binary.LittleEndian.AppendUint32(k.data, uint32(n))
			}
		}
	}
}
