package cloth

// Drops of a domain of cloth: poured by emitters, blown, lost, and saved.

import (
	"fmt"
	"math"

	"zarf/core/drop"
	"zarf/core/geom"
	"zarf/core/shot"
	"zarf/core/shot/val"
	"zarf/core/sim"
	"zarf/core/stage"
)

// pourIn fills the forms of emitters with drops where there are none; it tells whether there are any
// in the domain by then.
func (m *Stage) pourIn(at *stage.Moment, f *figures) bool {
	d := m.drops
	var full map[[3]int32]bool
	most := int(val.MostDrops.Of(m.Domain))
	for _, e := range m.Bound() {
		if e.Kind != shot.Emitter {
			continue
		}
		em, ok := at.Emitter(e)
		if !ok {
			continue
		}
		if full == nil { // cells of a spacing that hold a drop
			full = make(map[[3]int32]bool, len(d.P))
			for _, p := range d.P {
				full[cellAt(p, d.Spacing)] = true
			}
		}
		m.pourOne(&em, at, full, most, f)
	}
	return len(d.P) > 0 || m.carry.busy()
}

func cellAt(p geom.Vec3, h float64) [3]int32 {
	return [3]int32{int32(math.Floor(p.X / h)), int32(math.Floor(p.Y / h)), int32(math.Floor(p.Z / h))}
}

// pourOne fills an emitter's form.
func (m *Stage) pourOne(em *sim.Emitter, at *stage.Moment, full map[[3]int32]bool, most int, f *figures) {
	d := m.drops
	h := d.Spacing
	box := em.Shape.Bounds()
	lo, hi := cellAt(box.Min, h), cellAt(box.Max, h)
	if n := float64(hi[0]-lo[0]+1) * float64(hi[1]-lo[1]+1) * float64(hi[2]-lo[2]+1); n > 5e6 {
		m.Blame(fmt.Errorf("an emitter of %s would pour %s drops at once; pour larger ones, or from a smaller form", m.Domain.Name, shot.Short(n)))
		return
	}
	for z := lo[2]; z <= hi[2]; z++ {
		for y := lo[1]; y <= hi[1]; y++ {
			for x := lo[0]; x <= hi[0]; x++ {
				p := geom.V(float64(x)+0.5, float64(y)+0.5, float64(z)+0.5).Mul(h)
				if full[[3]int32{x, y, z}] || em.Cover(p, h)*em.Gaps(p) < 0.5 {
					continue
				}
				v := m.leaves(em, p, at.Dt)
				// it left a cell that is free now somewhere within the step, where it would be by now
				if near(full, p, h, v) {
					continue
				}
				if len(d.P) >= most {
					f.left++
					continue
				}
				full[[3]int32{x, y, z}] = true
				d.Add(p, v)
			}
		}
	}
}

// poured is the speed with which the fastest drops leave emitters at a moment of the frame, m/s.
func (m *Stage) poured(t, dt float64) (fast float64) {
	at := m.At(m.Began()+t+dt, dt)
	for _, e := range m.Bound() {
		if e.Kind != shot.Emitter {
			continue
		}
		if em, ok := at.Emitter(e); ok {
			fast = max(fast, em.Push.Len()+math.Abs(em.Speed)+em.Velocity(em.Shape.Centre, dt).Len()*em.Inherit)
		}
	}
	return fast
}

// near reports a cell behind which, along a way, one is full: a drop that has not yet left by a whole
// spacing.
func near(full map[[3]int32]bool, p geom.Vec3, h float64, v geom.Vec3) bool {
	l := v.Len()
	return l > 0 && full[cellAt(p.Add(v.Mul(0.5*h/l)), h)] && cellAt(p.Add(v.Mul(0.5*h/l)), h) != cellAt(p, h)
}

// leaves is the velocity with which a drop leaves an emitter at a place.
func (m *Stage) leaves(em *sim.Emitter, p geom.Vec3, dt float64) geom.Vec3 {
	v := em.Push
	if em.AlongAxis {
		v = v.Add(em.Shape.Axis().Mul(em.Speed))
	} else if em.Speed != 0 {
		v = v.Add(em.Shape.Normal(p).Mul(em.Speed))
	}
	return v.Add(em.Velocity(p, dt).Mul(em.Inherit))
}

// what has become of a drop: it has not been on cloth, it is or was there lately, or it has dripped off in
// this frame
const newDrop, onCloth, dripped = 0, 1, 2

// drip finds the drops that have come off cloth: that fall, with no cloth under them.
func (c *carry) drip(d *drop.Set, gravity geom.Vec3) {
	if gravity.Len() == 0 {
		return
	}
	way := gravity.Unit().Mul(deep * d.Spacing)
	c.s.crew.For(len(d.P), 256, func(lo, hi int) {
		for i := lo; i < hi; i++ {
			on := false
			for _, t := range d.Touching(i) {
				on = on || t.Who >= 0 && d.P[i].Sub(t.C).Dot(t.N) < d.Spacing
			}
			switch {
			case on:
				d.On[i] = onCloth
			case d.On[i] == onCloth && d.Press[i] == 0 && c.below(d.P[i], way).Who < 0:
				d.On[i] = dripped
			}
		}
	})
}

// dripAway begins a frame: what dripped off in that before is gone, or is a drop like others.
func (m *Stage) dripAway() {
	if val.DripsAway.Of(m.Domain) {
		m.drops.Keep(func(i int) bool { return m.drops.On[i] != dripped })
	}
	for i, on := range m.drops.On {
		if on == dripped {
			m.drops.On[i] = newDrop
		}
	}
}

// busy reports that cloth still gets something from drops that are gone.
func (c *carry) busy() bool {
	for i := range c.given {
		if c.given[i] != (geom.Vec3{}) || c.owed[i].Dot(c.owed[i]) > 1e-20 {
			return true
		}
	}
	return false
}

// rain is what surrounds drops during a step.
func (m *Stage) rain(at *stage.Moment, w *World) *drop.World {
	d := m.Domain
	out := &drop.World{Gravity: w.Gravity, Viscous: val.DropThick.At(d, at.Now)}
	scene := m.Scene(at.T, at.Dt)
	push, air := m.forces(at, &scene, val.WindsOn.Of(d) != "cloth")
	// ½ ρ c A / m of a ball of a drop's volume, whose c is a half
	size := m.drops.Spacing
	k := 0.5 * 0.5 * math.Pi / 4 * 1.24 * 1.24 / (size * val.DropDensity.Of(d))
	out.Push = func(p, v geom.Vec3) (a geom.Vec3) {
		if push != nil {
			a = push(p)
		}
		wind, rho := air(p)
		rel := wind.Sub(v)
		return a.Add(rel.Mul(k * rho * rel.Len()))
	}
	return out
}

func (m *Stage) wetting(at *stage.Moment) *Wetting {
	w := &Wetting{Tension: val.DropTension.At(m.Domain, at.Now), Wets: val.DropWets.At(m.Domain, at.Now)}
	for _, p := range m.pieces {
		w.Soaks = append(w.Soaks, val.Soaks.Of(p.e))
	}
	return w
}

// leave lets drops go that have left the domain.
func (m *Stage) leave() {
	box := m.Domain.DomainBox()
	m.drops.Keep(func(i int) bool {
		p := m.drops.P[i]
		return p.X >= box.Min.X && p.Y >= box.Min.Y && p.Z >= box.Min.Z && p.X <= box.Max.X && p.Y <= box.Max.Y && p.Z <= box.Max.Z
	})
}

// of a vertex and of a drop, so many numbers of 64 bits
const perCarried, perDrop = 2*3 + 3, 3 + 3 + 4

// carried are the numbers of what is under way between drops and cloth, and of the drops.
func (m *Stage) carried() (carried, poured []float32) {
	c := &m.carry
	c.fit()
	n := len(m.sys.X)
	a := columns{v: make([]float32, 2*perCarried*n)}
	for i := range n {
		a.putVec(c.given[i], c.owed[i])
		a.put(c.soft[i], c.touch[i], c.above[i])
	}
	d := m.drops
	b := columns{v: make([]float32, 2*perDrop*len(d.P))}
	for i := range d.P {
		b.putVec(d.P[i], d.V[i])
		b.put(float64(d.ID[i]), d.Age[i], d.Press[i], float64(d.On[i]))
	}
	return a.v, b.v
}

// carryOn takes them from a saved state.
func (m *Stage) carryOn(carried, poured []float32, next uint32) error {
	c := &m.carry
	*c = carry{s: m.sys}
	c.fit()
	a := columns{v: carried}
	for i := range m.sys.X {
		c.given[i], c.owed[i] = a.vec(), a.vec()
		c.soft[i], c.touch[i], c.above[i] = a.next(), a.next(), a.next()
	}
	m.drops = drop.New(m.drops.Spacing, m.drops.Density)
	d := m.drops
	b := columns{v: poured}
	for n := 0; b.at < len(poured); n++ {
		p, v := b.vec(), b.vec()
		d.Add(p, v)
		d.ID[n], d.Age[n], d.Press[n] = uint32(b.next()), b.next(), b.next()
		d.On[n] = int8(b.next())
		if x := p.Add(v); x.X+x.Y+x.Z-(x.X+x.Y+x.Z) != 0 {
			return fmt.Errorf("cloth: drop %d of a saved state is at no place", n)
		}
	}
	d.Next = next
	return nil
}
