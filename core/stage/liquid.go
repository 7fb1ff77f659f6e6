package stage

import (
	"encoding/json"
	"fmt"
	"io"
	"slices"
	"strconv"

	"zarf/core/format/ply"
	"zarf/core/format/vdb"
	"zarf/core/gas"
	"zarf/core/geom"
	"zarf/core/grid"
	"zarf/core/liquid"
	"zarf/core/shot"
	"zarf/core/surface"
)

// Runner is a stage that is run frame by frame: a gas, a liquid.
type Runner interface {
	Of() *shot.Element
	FedBy(read func(d *shot.Element, frame int) (*vdb.File, error))
	Next() int
	Advance(stop func() bool) (int, gas.FrameStats, error)
	// Grids are the channels to cache of the frame made last.
	Grids() []*vdb.Grid
	// Points are the particles to cache of it; nil where none are kept.
	Points() *ply.Points
	SaveState(w io.Writer) error
	LoadState(r io.Reader) error
}

var (
	_ Runner = (*Gas)(nil)
	_ Runner = (*Liquid)(nil)
)

// New makes the stage of a domain at rest before its first frame.
func New(s *shot.Shot, domain string, crew grid.Crew) (Runner, error) {
	d, err := PickDomain(s, domain)
	if err != nil {
		return nil, err
	}
	if d.Liquid() {
		return NewLiquid(s, domain, crew)
	}
	return NewGas(s, domain, crew)
}

// Points are nil: a gas has no particles.
func (g *Gas) Points() *ply.Points { return nil }

// Surface is the channel of a liquid's signed distance to its surface, m.
const Surface = "surface"

// FoamChannel is how thick foam, spray and bubbles are, 0 to 1.
const FoamChannel = "foam"

// Carries reports a channel that every frame of a domain has, unless it was
// kept out of the cache.
func Carries(d *shot.Element, channel string) bool {
	switch channel {
	case Surface:
		return d.Liquid()
	case FoamChannel: // once there is some
		return false
	case Temperature:
		return !d.Liquid()
	case Fuel, Burn:
		return d.Burns()
	}
	return true
}

// Liquid runs one liquid domain of a shot.
type Liquid struct {
	cast
	Solver *liquid.Solver
}

// NewLiquid makes a stage at rest before its first frame.
func NewLiquid(s *shot.Shot, domain string, crew grid.Crew) (*Liquid, error) {
	d, err := PickDomain(s, domain)
	if err != nil {
		return nil, err
	}
	dims, h, origin := d.Grid()
	box := liquid.Box{Dims: dims, H: h, Origin: origin, Flat: d.Get("flat").Flag}
	for i, k := range sideKeys {
		box.Open[i] = d.Get(k).Text == "outflow"
	}
	solver, err := liquid.New(box, crew)
	if err != nil {
		return nil, fmt.Errorf("domain %s: %w", d.Name, err)
	}
	l := &Liquid{cast: newCast(s, d, h, crew), Solver: solver}
	l.Scene(0, 1/s.Rate()) // files that can't be had are told before the first frame
	return l, l.fault
}

var sideKeys = []string{"side_x0", "side_x1", "side_y0", "side_y1", "side_z0", "side_z1"}

// Advance simulates one frame and returns its number.
func (l *Liquid) Advance(stop func() bool) (int, gas.FrameStats, error) {
	now := float64(l.next)
	num := func(key string) float64 { return l.Domain.At(key, now).Num }
	sub := gas.Substeps{CFL: num("cfl"), Min: int(num("min_substeps")), Max: int(max(num("max_substeps"), num("min_substeps")))}
	l.Solver.Time = began(l.Shot, l.next)
	st, err := l.Solver.Frame(lasts(l.Shot, l.next), sub, l.Scene, stop)
	if err == nil {
		err = l.fault
	}
	out := gas.FrameStats{Substeps: st.Substeps, Capped: st.Capped, Iterations: st.Iterations, Residual: st.Residual, Unconverged: st.Unconverged, MaxSpeed: st.MaxSpeed,
		Particles: st.Particles, Drops: st.Drops, Volume: st.Volume, VolumeMade: st.Inflow, Drained: st.Drained, Cut: st.Left, Low: st.Low.Array(), High: st.High.Array(),
		Top: max(0, st.High.Y-l.Solver.Origin.Y), Width: st.High.X - st.Low.X, Bulk: st.Volume}
	if err != nil {
		return l.next, out, fmt.Errorf("frame %d: %w", l.next, err)
	}
	l.next++
	return l.next - 1, out, nil
}

// Scene gives the solver's surroundings at t seconds after the start.
func (l *Liquid) Scene(t, dt float64) liquid.Inputs {
	s, d := l.Shot, l.Domain
	f := l.clock()(t)
	num := func(e *shot.Element, key string) float64 { return e.At(key, f).Num }
	in := liquid.Inputs{Physics: liquid.Physics{Gravity: num(s.Self, "gravity"), Density: num(d, "weight"), Viscosity: num(d, "viscosity"), Tension: num(d, "tension"),
		Affine: d.Get("carried").Text == "apic", Smooth: num(d, "calming"), Damping: num(d, "damping"), Tolerance: num(d, "tolerance"), MaxIterations: 200}}
	in.Foam = liquid.Foam{Amount: num(d, "foam"), Lasts: num(d, "foam_lasts")}
	var pushes []func(p geom.Vec3) geom.Vec3
	var drags []func(p geom.Vec3) float64
	for n, e := range s.Elements {
		if e.Muted || !e.Acts(d) {
			continue
		}
		switch e.Kind {
		case shot.Emitter:
			pours := e.Get("pours").Text
			em, ok := l.emitter(e, n, t, dt)
			switch {
			case pours == "drain" && ok:
				in.Drains = append(in.Drains, liquid.Drain{Shape: em.Shape})
			case pours == "drain" || !ok && pours != "once":
			case pours == "flow" && em.Speed == 0 && em.Push == (geom.Vec3{}): // nothing flows
			default:
				in.Emitters = append(in.Emitters, liquid.Emitter{Emitter: em, Full: pours == "full", Once: pours == "once", ID: e.ID})
			}
		case shot.Collider:
			in.Colliders = append(in.Colliders, l.collider(e, t, dt))
		case shot.Vortex:
			v := vortex(e, f)
			pushes = append(pushes, func(p geom.Vec3) geom.Vec3 { return v.At(p).Mul(v.Region.Weight(p)) })
		case shot.Radial:
			r := radial(e, f)
			pushes = append(pushes, func(p geom.Vec3) geom.Vec3 { return r.At(p).Mul(r.Region.Weight(p)) })
		case shot.Drag:
			rate, reg := num(e, "rate"), region(e, f)
			drags = append(drags, func(p geom.Vec3) float64 { return rate * reg.Weight(p) })
		}
	}
	if len(pushes) > 0 {
		in.Push = func(p geom.Vec3) (sum geom.Vec3) {
			for _, f := range pushes {
				sum = sum.Add(f(p))
			}
			return sum
		}
	}
	if len(drags) > 0 {
		in.Slow = func(p geom.Vec3) (sum float64) {
			for _, f := range drags {
				sum += f(p)
			}
			return sum
		}
	}
	return in
}

// Detail is how many cells of the cached surface stand along a voxel of a
// liquid domain.
func Detail(d *shot.Element) int {
	n, err := strconv.Atoi(d.Get("surface_detail").Text)
	if err != nil {
		return 2
	}
	return n
}

// band is how far from the surface its distance is kept, in cells of it.
const band = 3

// Grids are the channels to cache of the frame made last: how full voxels are,
// the distance to the surface, and the velocity.
func (l *Liquid) Grids() []*vdb.Grid {
	s := l.Solver
	n := [3]int{s.NX, s.NY, s.NZ}
	half := l.Domain.Get("cache_half").Flag
	meta := func() map[string]any { return map[string]any{"frame": int32(l.next - 1), "solver": liquid.Version} }
	at := func(h float64) vdb.Transform {
		return vdb.Uniform(h, [3]float64{s.Origin.X + h/2, s.Origin.Y + h/2, s.Origin.Z + h/2})
	}
	phi := s.Surface()
	full := make([]float32, s.Len())
	for i, v := range phi.Data {
		full[i] = min(max(0.5-v, 0), 1)
	}
	fill := vdb.FromDense(Density, [3]int{}, n, [][]float32{full}, 0, densityTolerance, l.crew.For)
	fill.Transform, fill.Half, fill.Meta = at(s.H), half, meta()
	lat := l.surface()
	out := float32(band * lat.H)
	sdf := vdb.FromDense(Surface, [3]int{}, lat.N, [][]float32{lat.V}, out, out*1e-3, l.crew.For)
	sdf.Transform, sdf.Half, sdf.Meta, sdf.Class = at(lat.H), half, meta(), "level set"
	sdf.Meta["unit"] = "m"
	grids := []*vdb.Grid{fill, sdf}
	if len(s.Drops) > 0 {
		f := vdb.FromDense(FoamChannel, [3]int{}, n, [][]float32{s.Froth()}, 0, densityTolerance, l.crew.For)
		f.Transform, f.Half, f.Meta = at(s.H), half, meta()
		grids = append(grids, f)
	}
	if l.Domain.Get("cache_velocity").Flag {
		v := vdb.FromDense(Velocity, [3]int{}, n, l.centred(phi), 0, 0, l.crew.For)
		v.Transform, v.Half, v.Meta = at(s.H), half, meta()
		v.Meta["unit"], v.Meta["vector_type"] = "m/s", "contravariant relative"
		grids = append(grids, v)
	}
	return grids
}

// centred is the velocity at the middles of voxels in and near the liquid, and
// 0 elsewhere.
func (l *Liquid) centred(phi *grid.Field) [][]float32 {
	s := l.Solver
	u := s.Velocity()
	out := [][]float32{make([]float32, s.Len()), make([]float32, s.Len()), make([]float32, s.Len())}
	l.crew.For(s.NZ, 1, func(k0, k1 int) {
		for k := k0; k < k1; k++ {
			for j := range s.NY {
				for i := range s.NX {
					n := s.Index(i, j, k)
					if phi.Data[n] >= 1 {
						continue
					}
					out[0][n] = (u[0].At(i, j, k) + u[0].At(i+1, j, k)) / 2
					out[1][n] = (u[1].At(i, j, k) + u[1].At(i, j+1, k)) / 2
					out[2][n] = (u[2].At(i, j, k) + u[2].At(i, j, k+1)) / 2
				}
			}
		}
	})
	return out
}

// surface is the signed distance to the liquid's surface on cells of its own.
func (l *Liquid) surface() *surface.Lattice {
	s := l.Solver
	d := Detail(l.Domain)
	lat := &surface.Lattice{N: [3]int{s.NX * d, s.NY * d, s.NZ * d}, H: s.H / float64(d), Origin: s.Origin}
	lat.V = make([]float32, lat.N[0]*lat.N[1]*lat.N[2])
	deep, near := s.Deep()
	fine := make([]bool, len(lat.V))
	l.crew.For(lat.N[2], 2, func(k0, k1 int) {
		for k := k0; k < k1; k++ {
			for j := range lat.N[1] {
				o := lat.At(0, j, k)
				row := s.Index(0, j/d, k/d)
				for i := range lat.N[0] {
					fine[o+i] = deep[row+i/d]
				}
			}
		}
	})
	pts := make(surface.Points, 0, len(s.P)/2)
	for n := range s.P {
		x := s.P[n].X
		if near[s.Index(min(int(x[0]), s.NX-1), min(int(x[1]), s.NY-1), min(int(x[2]), s.NZ-1))] {
			for a := range x {
				x[a] = x[a]*float32(d) - 0.5
			}
			pts = append(pts, x)
		}
	}
	surface.FromPoints(lat, pts, float32(d), d+1, fine, float32(band*lat.H), l.crew.For)
	surface.Even(lat, int(l.Domain.Get("surface_smooth").Num), float32(0.04*lat.H), l.crew.For)
	return lat
}

// Points are the particles to cache of the frame made last: place, m, and
// velocity, m/s.
func (l *Liquid) Points() *ply.Points {
	step := map[string]int{"few": 8, "all": 1}[l.Domain.Get("cache_points").Text]
	if step == 0 {
		return nil
	}
	s := l.Solver
	n := (len(s.P) + step - 1) / step
	p := &ply.Points{Comment: fmt.Sprintf("metres, y up; frame %d; every %d. particle", l.next-1, step), P: make([][3]float32, n), V: make([][3]float32, n)}
	for m := range n {
		q := &s.P[m*step]
		p.P[m], p.V[m] = l.place(&q.X), q.V
	}
	for m := 0; m < len(s.Drops); m += step {
		q := &s.Drops[m]
		x := l.place(&q.X)
		p.P, p.V = append(p.P, x), append(p.V, q.V)
	}
	return p
}

// place is a particle's place in space, m.
func (l *Liquid) place(x *[3]float32) [3]float32 {
	p := l.Solver.Origin.Add(geom.V(float64(x[0]), float64(x[1]), float64(x[2])).Mul(l.Solver.H))
	return [3]float32{float32(p.X), float32(p.Y), float32(p.Z)}
}

// particleFields are the fields that a state keeps of every particle.
const particleFields = 15

// dropFields are those of every drop.
const dropFields = 7

// SaveState writes all that a resumed run needs to go on bit for bit: the
// particles, each of their numbers as a field of its own.
func (l *Liquid) SaveState(w io.Writer) error {
	s := l.Solver
	emitted, err := json.Marshal(s.Emitted())
	if err != nil {
		return err
	}
	n := len(s.P)
	list := fieldList("particle", particleFields, n)
	for m := range s.P {
		for a, f := range list {
			f.f.Data[m] = particleValue(&s.P[m], a)
		}
	}
	drops := fieldList("drop", dropFields, len(s.Drops))
	for m, d := range s.Drops {
		for a := range 3 {
			drops[a].f.Data[m], drops[3+a].f.Data[m] = d.X[a], d.V[a]
		}
		drops[6].f.Data[m] = d.Left
	}
	meta := map[string]any{"next_frame": int64(l.next), "key": CoarseKey(l.Shot, l.Domain), "particles": int64(n), "drops": int64(len(s.Drops)), "emitted": string(emitted)}
	return writeFields(w, append(list, drops...), l.crew, meta)
}

// fieldList are fields with room for n of something, one for each number.
func fieldList(name string, fields, n int) (list []stateField) {
	d := grid.Dims{NX: 64, NY: 64, NZ: max(1, (n+4095)/4096)}
	for a := range fields {
		list = append(list, stateField{name + strconv.Itoa(a), grid.NewField(d)})
	}
	return list
}

func particleValue(p *liquid.Particle, a int) float32 {
	switch {
	case a < 3:
		return p.X[a]
	case a < 6:
		return p.V[a-3]
	}
	return p.C[(a-6)/3][(a-6)%3]
}

// LoadState goes on from a saved state of the same stage.
func (l *Liquid) LoadState(r io.Reader) error { return l.load(r, true) }

// load goes on from a saved state; own asks that the same values made it.
func (l *Liquid) load(r io.Reader, own bool) error {
	f, err := vdb.Read(r, vdb.DefaultLimits)
	if err != nil {
		return fmt.Errorf("saved state: %w", err)
	}
	if k, _ := f.Meta["key"].(string); own && k != CoarseKey(l.Shot, l.Domain) {
		return fmt.Errorf("saved state belongs to other values (key %s)", k)
	}
	next, ok := f.Meta["next_frame"].(int64)
	n, ok2 := f.Meta["particles"].(int64)
	text, _ := f.Meta["emitted"].(string)
	var e liquid.Emitted
	many, ok3 := f.Meta["drops"].(int64)
	if !ok || !ok2 || !ok3 || n < 0 || n > 1<<31 || many < 0 || many > 2*liquid.MaxDrops || json.Unmarshal([]byte(text), &e) != nil {
		return fmt.Errorf("saved state doesn't say its frame, its particles or what emitters did")
	}
	list, drops := fieldList("particle", particleFields, int(n)), fieldList("drop", dropFields, int(many))
	if err := readFields(f, append(slices.Clone(list), drops...)); err != nil {
		return err
	}
	foam := make([]liquid.Drop, many)
	for m := range foam {
		for a := range 3 {
			foam[m].X[a], foam[m].V[a] = drops[a].f.Data[m], drops[3+a].f.Data[m]
		}
		foam[m].Left = drops[6].f.Data[m]
	}
	p := make([]liquid.Particle, n)
	for m := range p {
		for a := range 3 {
			p[m].X[a], p[m].V[a] = list[a].f.Data[m], list[3+a].f.Data[m]
			for b := range 3 {
				p[m].C[a][b] = list[6+3*a+b].f.Data[m]
			}
		}
	}
	if slices.ContainsFunc(p, func(q liquid.Particle) bool { return !l.inside(&q) }) {
		return fmt.Errorf("saved state holds particles outside the domain")
	}
	l.Solver.Resume(p, foam, e)
	l.next = int(next)
	return nil
}

func (l *Liquid) inside(q *liquid.Particle) bool {
	for a, n := range [3]int{l.Solver.NX, l.Solver.NY, l.Solver.NZ} {
		if !(q.X[a] >= 0 && q.X[a] <= float32(n)) {
			return false
		}
	}
	return true
}
