package mote

// Numbers that change while a particle lives: size and density by curves over its life, and
// channels of the artist's own, born with a value or read from the fluid where the particle is.

import (
	"math"
	"slices"

	"zarf/core/frame"
	"zarf/core/grid"
	"zarf/core/look"
	"zarf/core/shot"
	"zarf/core/shot/val"
	"zarf/core/stage"
)

// Owns is how many channels of their own particles of a domain may have.
const Owns = 3

// Of the nth channel, from 1 on: its name, where its value is from, and of one that is born
// with the particle the value, by what share that differs, and what becomes of it over life.
func ownName(n int) val.TextKey   { return val.TextKey("own" + string('0'+rune(n))) }
func ownFrom(n int) val.TextKey   { return ownName(n) + "_from" }
func ownValue(n int) val.NumKey   { return val.NumKey(ownName(n) + "_value") }
func ownSpread(n int) val.NumKey  { return val.NumKey(ownName(n) + "_spread") }
func ownCurve(n int) val.StopsKey { return val.StopsKey(ownName(n) + "_curve") }

// taken are the names of what all particles have.
var taken = []string{"id", "id_high", "age", "life", "size", "density", "temperature", "state", "hit", "turn_x", "turn_y", "turn_z", "spin_x", "spin_y", "spin_z", "speed", "velocity", "depth", "x", "y", "z", "vx", "vy", "vz"}

// ownNames are the channels that a domain's particles have of their own, by number; those
// without a name, or with one that is taken, are left out.
func ownNames(d *shot.Element) map[int]string {
	out := map[int]string{}
	for n := 1; n <= Owns; n++ {
		name := ownName(n).Of(d)
		if name == "" || slices.Contains(taken, name) || slices.Contains(mapped(out), name) {
			continue
		}
		out[n] = name
	}
	return out
}

func mapped(m map[int]string) (out []string) {
	for n := 1; n <= Owns; n++ {
		if name, there := m[n]; there {
			out = append(out, name)
		}
	}
	return out
}

// curved is a number that follows a curve over life from what it was at birth.
type curved struct {
	born  string // the channel that keeps that
	value func(s *Set) []float32
	curve *look.Table
}

// traits are what changes in the particles of a domain.
type traits struct {
	curves []curved
	read   map[string]string // channels that follow the fluid, with which of its channels
}

// traitsOf are those of a domain. Curves that stay at 1 cost nothing.
func traitsOf(d *shot.Element) *traits {
	t := &traits{read: map[string]string{}}
	curve := func(key val.StopsKey, born string, value func(s *Set) []float32) {
		v := key.Value(d)
		table := look.NewTable(shot.Curve, v, 0, 1)
		if slices.ContainsFunc(v.Stops(1), func(s val.Stop) bool { return s.V[0] != 1 }) {
			t.curves = append(t.curves, curved{born, value, table})
		}
	}
	curve(val.SizeCurve, "born_size", func(s *Set) []float32 { return s.Size })
	curve(val.DensityCurve, "born_density", func(s *Set) []float32 { return s.Density })
	names := ownNames(d)
	for n := 1; n <= Owns; n++ {
		name, there := names[n]
		if !there {
			continue
		}
		if from := ownFrom(n).Of(d); from != "birth" {
			t.read[name] = from
			continue
		}
		curve(ownCurve(n), "born_"+name, func(s *Set) []float32 { return s.Declare(name).V })
	}
	return t
}

// declare adds the channels of a domain's particles, in their order. Where a curve comes to
// particles that live already, as in a draft, they count as born as they are.
func (m *Stage) declare() {
	m.traits = traitsOf(m.Domain)
	for _, name := range mapped(ownNames(m.Domain)) {
		m.Declare(name)
	}
	for _, c := range m.traits.curves {
		if !m.has(c.born) {
			copy(m.Declare(c.born).V, c.value(&m.Set))
		}
	}
}

// ownTraits are the channels that particles are born with.
func (m *Stage) ownTraits(at *stage.Moment) map[string]Trait {
	out := map[string]Trait{}
	for n, name := range ownNames(m.Domain) {
		if ownFrom(n).Of(m.Domain) == "birth" {
			v := ownValue(n).At(m.Domain, at.Now)
			out[name] = Trait{v, v * ownSpread(n).At(m.Domain, at.Now)}
		}
	}
	return out
}

// remember keeps what those from row first on were born with, for curves.
func (m *Stage) remember(first int) {
	for _, c := range m.traits.curves {
		copy(m.Declare(c.born).V[first:], c.value(&m.Set)[first:])
	}
}

// live lets numbers follow their curves. Those that don't die of age stay at the beginning.
func (m *Stage) live() {
	for _, c := range m.traits.curves {
		born, v := m.Declare(c.born).V, c.value(&m.Set)
		m.Crew.For(len(v), 1<<12, func(lo, hi int) {
			for i := lo; i < hi; i++ {
				lived := float32(0)
				if m.Life[i] > 0 {
					lived = m.Age[i] / m.Life[i]
				}
				v[i] = born[i] * c.curve.One(lived)
			}
		})
	}
}

// readFluid lets channels take what the fluid has where the particles are; nothing where
// there is none of it.
func (m *Stage) readFluid() {
	for n := 1; n <= Owns; n++ {
		name := ownName(n).Of(m.Domain)
		from, there := m.traits.read[name]
		if !there {
			continue
		}
		to := m.Declare(name).V
		clear(to)
		if m.carried != nil {
			m.carried.sample(to, &m.Set, from, m.Crew)
		}
	}
}

// wants says whether a channel of the fluid is read for particles' own channels.
func (m *Stage) wants(channel string) bool {
	for _, from := range m.traits.read {
		if from == channel {
			return true
		}
	}
	return false
}

// sample reads a channel of the fluid where particles are.
func (c *carried) sample(to []float32, s *Set, channel string, crew grid.Crew) {
	f := &c.field
	fields := []*grid.Field{c.more[channel]}
	switch channel {
	case frame.Temperature:
		fields[0] = f.Excess
	case "speed":
		fields = []*grid.Field{f.U, f.V, f.W}
	}
	inv := float32(1 / f.H)
	o := [3]float32{float32(f.Origin.X), float32(f.Origin.Y), float32(f.Origin.Z)}
	size := [3]float32{float32(f.Grid.NX), float32(f.Grid.NY), float32(f.Grid.NZ)}
	crew.For(len(to), batch, func(lo, hi int) {
		var at [3][batch]float32
		var got [batch]float32
		for ; lo < hi; lo += batch {
			n := min(batch, hi-lo)
			for a := range at {
				for i := range n {
					at[a][i] = (s.P[a][lo+i] - o[a]) * inv
				}
			}
			for _, g := range fields {
				if g == nil {
					continue
				}
				l := g.Lattice([3]float32{0.5, 0.5, 0.5})
				l.Sample(got[:n], at[0][:n], at[1][:n], at[2][:n])
				for i, v := range got[:n] {
					if at[0][i] < 0 || at[1][i] < 0 || at[2][i] < 0 || at[0][i] >= size[0] || at[1][i] >= size[1] || at[2][i] >= size[2] {
						continue
					}
					if len(fields) == 1 {
						to[lo+i] = v
					} else {
						to[lo+i] += v * v
					}
				}
			}
			if len(fields) > 1 {
				for i := range n {
					to[lo+i] = float32(math.Sqrt(float64(to[lo+i])))
				}
			}
		}
	})
}
