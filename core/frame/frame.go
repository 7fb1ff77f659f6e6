package frame

import (
	"slices"

	"zarf/core/geom"
	"zarf/core/grid"
)

// Channels that the program's own frames have, by the names in their files.
const (
	Density     = "density"     // of smoke, 1 is dense; of a liquid, the share of a voxel that is full
	Temperature = "temperature" // K over the air
	Wetness     = "wet"         // of solids' surfaces, 0 dry to 1 wet, in the voxels about them
	Mixture     = "mixture"     // share of a second liquid and MixtureNone, 0 where there is no liquid
	Velocity    = "velocity"    // m/s
	Push        = "push"        // momentum that particles gave a volume over the frame, kg/(m² s)
	Fuel        = "fuel"        // kg/m³
	Burn        = "burn"        // 0 unlit to 1 alight
	Surface     = "surface"     // signed distance to a liquid's surface, m
	Foam        = "foam"        // how thick foam, spray and bubbles are, 0 to 1
)

// Frame is one moment.
type Frame struct {
	Number int
	Grids  []*Grid
	Points *Points        // nil where there are none
	Meta   map[string]any // of the whole
}

// Grid finds a channel; nil where there is none.
func (f *Frame) Grid(name string) *Grid {
	for _, g := range f.Grids {
		if g.Name == name {
			return g
		}
	}
	return nil
}

// Role is what a grid's numbers are.
type Role string

// The roles, by the classes of OpenVDB.
const (
	Amount   Role = "fog volume" // how much of something is there; 0 outside
	LevelSet Role = "level set"  // signed distance, negative inside
	Vector   Role = ""           // a direction and a strength
)

// Role is what the numbers are.
func (g *Grid) Role() Role { return Role(g.Class) }

// Unit of the numbers; empty where they have none, or none is told.
func (g *Grid) Unit() string { u, _ := g.Meta["unit"].(string); return u }

// Points are particles: places in metres, velocities in m/s or nil, and named
// attributes.
type Points struct {
	Comment string
	P, V    [][3]float32
	Extra   []Attribute
	// Tri are the faces of cloth, by rows, whose attribute Sheet is then which of the domain's
	// sheets, from 0 on, a row is a vertex of; −1 of those that are particles.
	Tri [][3]int32
}

// Attributes of cloth.
const (
	Sheet  = "sheet"   // which piece a vertex is of; −1: none
	Strain = "stretch" // share by which cloth is longer than as woven, the most at a vertex
	Soaked = "wet"     // 0 dry to 1, as much as it can hold
	Burnt  = "burnt"   // 0 not at all to 1, ash
	Fell   = "fell"    // 1 for drops that came off cloth in the frame
)

// Attribute is a further number of every point.
type Attribute struct {
	Name string
	Unit string
	V    []float32
}

// Extent is the box of the leaves of channels, in cells of a grid of the given
// size: what has to be looked at. It is never empty.
func (f *Frame) Extent(full grid.Dims, names ...string) (low [3]int, n grid.Dims) {
	all := [3]int{full.NX, full.NY, full.NZ}
	lo, hi := all, [3]int{}
	for _, name := range names {
		g := f.Grid(name)
		if g == nil {
			continue
		}
		for _, l := range g.Leaves {
			for a := range 3 {
				lo[a], hi[a] = min(lo[a], int(l.Origin[a])), max(hi[a], int(l.Origin[a])+LeafEdge)
			}
		}
	}
	if hi[0] <= lo[0] {
		return low, grid.Dims{NX: min(LeafEdge, full.NX), NY: min(LeafEdge, full.NY), NZ: min(LeafEdge, full.NZ)}
	}
	for a := range 3 {
		lo[a], hi[a] = max(lo[a], 0), min(hi[a], all[a])
	}
	return lo, grid.Dims{NX: hi[0] - lo[0], NY: hi[1] - lo[1], NZ: hi[2] - lo[2]}
}

// tolerances are how far from the background a channel's voxels may be and
// still count as empty.
var tolerances = map[string]float32{Density: 1e-4, Temperature: 0.02, Mixture: 1e-3, Wetness: 2e-3, Fuel: 1e-5, Burn: 1e-4, Foam: 1e-4}

// MixtureNone is what a mixture is where there is liquid, and none of it the second.
const MixtureNone = 0.01

// Tolerance is how far from the background a channel's voxels may be and still
// count as empty, in its unit.
func Tolerance(channel string) float32 { return tolerances[channel] }

// Of finds an attribute's numbers; nil where there is none of that name.
func (p *Points) Of(name string) []float32 {
	for _, a := range p.Extra {
		if a.Name == name && len(a.V) == len(p.P) {
			return a.V
		}
	}
	return nil
}

// IDBits is how many bits of an identity the attribute "id" keeps, as a number of 32 bits holds
// whole ones up to that; those over them are in "id_high".
const IDBits = 24

// IDs are the points' identities; nil where they have none.
func (p *Points) IDs() []uint64 {
	low, high := p.Of("id"), p.Of("id_high")
	if low == nil {
		return nil
	}
	out := make([]uint64, len(low))
	for i, v := range low {
		if out[i] = uint64(v); high != nil {
			out[i] |= uint64(high[i]) << IDBits
		}
	}
	return out
}

// Gone is the number of a particle's attribute "state" from which on it has died in the
// frame.
const Gone = 2

// Alive are the particles without those that died in the frame, and without what is cloth; the
// same where there is neither.
func (p *Points) Alive() *Points {
	state, sheet := p.Of("state"), p.Of(Sheet)
	if sheet == nil && (state == nil || !slices.ContainsFunc(state, func(v float32) bool { return v >= Gone })) {
		return p
	}
	return p.take(func(i int) bool { return (state == nil || state[i] < Gone) && (sheet == nil || sheet[i] < 0) })
}

// Cloth are the vertices of cloth with their faces, which of them there may be; nil where there is
// none. Sheets picks those with a number; nil: all.
func (p *Points) Cloth(picked func(sheet int) bool) *Points {
	sheet := p.Of(Sheet)
	if sheet == nil {
		return nil
	}
	row := make([]int32, len(p.P))
	n := int32(0)
	keep := func(i int) bool { return sheet[i] >= 0 && (picked == nil || picked(int(sheet[i]))) }
	for i := range row {
		if row[i] = -1; keep(i) {
			row[i] = n
			n++
		}
	}
	if n == 0 {
		return nil
	}
	out := p.take(keep)
	for _, t := range p.Tri {
		if keep(int(t[0])) {
			out.Tri = append(out.Tri, [3]int32{row[t[0]], row[t[1]], row[t[2]]})
		}
	}
	return out
}

// take are the points that are kept, without faces.
func (p *Points) take(keep func(i int) bool) *Points {
	out := &Points{Comment: p.Comment}
	for _, a := range p.Extra {
		out.Extra = append(out.Extra, Attribute{Name: a.Name, Unit: a.Unit})
	}
	for i := range p.P {
		if !keep(i) {
			continue
		}
		out.P = append(out.P, p.P[i])
		if p.V != nil {
			out.V = append(out.V, p.V[i])
		}
		for n := range out.Extra {
			out.Extra[n].V = append(out.Extra[n].V, p.Extra[n].V[i])
		}
	}
	return out
}

// units of particles' attributes, for files that can't hold them.
var units = map[string]string{"age": "s", "life": "s", "size": "m", "density": "kg/m³", "temperature": "K", "turn_x": "rad", "turn_y": "rad", "turn_z": "rad", "spin_x": "rad/s", "spin_y": "rad/s", "spin_z": "rad/s"}

// In is the unit of an attribute's numbers: its own, or that which its name has in our
// frames; empty where there is none.
func (a *Attribute) In() string {
	if a.Unit != "" {
		return a.Unit
	}
	return units[a.Name]
}

// Mesh is cloth as a mesh, at so many seconds after the frame by its velocity.
func (p *Points) Mesh(after float64) *geom.Mesh {
	m := &geom.Mesh{P: make([]geom.Vec3, len(p.P)), Tri: p.Tri}
	for i, x := range p.P {
		m.P[i] = geom.V(float64(x[0]), float64(x[1]), float64(x[2]))
		if p.V != nil && after != 0 {
			v := p.V[i]
			m.P[i] = m.P[i].Add(geom.V(float64(v[0]), float64(v[1]), float64(v[2])).Mul(after))
		}
	}
	return m
}
