package stage

// Cloth in domains that don't simulate it: where the frames of the domain that does have it.

import (
	"cmp"
	"fmt"
	"math"
	"slices"

	"zarf/core/frame"
	"zarf/core/geom"
	"zarf/core/shot"
	"zarf/core/shot/val"
	"zarf/core/sim"
)

// Sewn are the cloths that a domain simulates, by their ids; a vertex of its frames tells by its
// place in this list which it is of.
func Sewn(s *shot.Shot, d *shot.Element) (out []*shot.Element) {
	for _, e := range s.Of(shot.Cloth) {
		if s.WovenIn(e) == d {
			out = append(out, e)
		}
	}
	slices.SortFunc(out, func(a, b *shot.Element) int { return cmp.Compare(a.ID, b.ID) })
	return out
}

// hung is a cloth between two frames.
type hung struct {
	number   int
	was, now []geom.Vec3
	tri      [][3]int32
	at       float64 // share of the frame of the body made last
	shape    geom.Shape
	failed   bool
}

// ClothMesh is a cloth of a domain's frame, at so many seconds after it, by its velocity.
func ClothMesh(p *frame.Points, s *shot.Shot, d, e *shot.Element, after float64) *geom.Mesh {
	n := slices.Index(Sewn(s, d), e)
	c := p.Cloth(func(sheet int) bool { return sheet == n })
	if c == nil {
		return nil
	}
	return c.Mesh(after)
}

// bindCloth puts cloth that another domain simulates in the way.
func bindCloth(m *Moment, e *shot.Element, out *sim.Scene) {
	by := m.Shot.ClothFor(e, m.Domain)
	if by == nil {
		return
	}
	number := int(math.Ceil(m.Frame - 1e-9))
	if m.hung == nil {
		m.hung = map[string]*hung{}
	}
	h := m.hung[e.ID]
	if h == nil || h.number != number {
		h = m.hangs(e, by, number)
		m.hung[e.ID] = h
	}
	if h.now == nil {
		return
	}
	share := m.Frame - float64(number-1)
	step := 0.0
	if l := m.Lasts(); l > 0 {
		step = m.Dt / l
	}
	thick := val.Thickness.Of(e)
	c := sim.Collider{Shape: m.hangsAt(h, share, thick, true), Before: m.hangsAt(h, share-step, thick, false), Friction: min(val.Friction.Of(e), 1)}
	if c.Shape.Body != nil && c.Before.Body != nil {
		out.Colliders = append(out.Colliders, c)
	}
}

// hangs reads where a cloth is at a frame and was at the one before.
func (c *Cast) hangs(e, by *shot.Element, number int) *hung {
	h := &hung{number: number, at: math.NaN()}
	f := c.Fed(by, number)
	if f == nil {
		return h
	}
	if f.Points == nil || f.Points.V == nil {
		c.Blame(fmt.Errorf("frame %d of %s holds no cloth; run it again", number, by.Name))
		return h
	}
	now := ClothMesh(f.Points, c.Shot, by, e, 0)
	if now == nil {
		return h
	}
	h.tri, h.now = now.Tri, now.P
	h.was = ClothMesh(f.Points, c.Shot, by, e, -c.Lasts()).P
	if first, _ := c.Shot.Range(); number-1 >= first {
		if b := c.Fed(by, number-1); b != nil && b.Points != nil {
			if was := ClothMesh(b.Points, c.Shot, by, e, 0); was != nil && len(was.P) <= len(h.was) {
				copy(h.was, was.P) // what tearing made since has no place before
			}
		}
	}
	return h
}

// hangsAt is a cloth at a share of its frame, as thick as it is; measured for the domain's voxels.
func (c *Cast) hangsAt(h *hung, share, thick float64, measured bool) geom.Shape {
	if measured && h.at == share {
		return h.shape
	}
	m := &geom.Mesh{P: make([]geom.Vec3, len(h.now)), Tri: h.tri}
	for i := range m.P {
		m.P[i] = h.was[i].Add(h.now[i].Sub(h.was[i]).Mul(share))
	}
	body, err := geom.NewBody(geom.Shell(m, thick), c.H)
	if err != nil {
		c.Blame(err)
		return geom.Shape{}
	}
	box := body.Box
	sh := geom.Shape{Form: geom.Imported, Turn: geom.Identity.M, Size: box.Size(), Body: body}
	if measured {
		body.Fill(c.Crew.For)
		h.at, h.shape = share, sh
	}
	return sh
}
