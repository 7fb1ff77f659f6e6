package stage

import (
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"fmt"
	"io"
	"math"
	"runtime"
	"slices"

	"zarf/core/asset"
	"zarf/core/format/vdb"
	"zarf/core/gas"
	"zarf/core/geom"
	"zarf/core/grid"
	"zarf/core/liquid"
	"zarf/core/noise"
	"zarf/core/shot"
)

// Gas runs one gas domain of a shot.
type Gas struct {
	cast
	Solver *gas.Solver
}

// Start is the first simulated frame, pre-roll included.
func Start(s *shot.Shot) int {
	first, _ := s.Range()
	return first - int(s.Get("preroll").Num)
}

// PickDomain finds a domain by id; the first one where id is empty.
func PickDomain(s *shot.Shot, id string) (*shot.Element, error) {
	for _, d := range s.Of(shot.Domain) {
		if id == "" || d.ID == id {
			return d, nil
		}
	}
	if id == "" {
		return nil, fmt.Errorf("shot %s has no domain that isn't muted; add one at Stage", s.Name)
	}
	return nil, fmt.Errorf("shot %s has no domain %q that isn't muted", s.Name, id)
}

// NewGas makes a stage at rest before its first frame.
func NewGas(s *shot.Shot, domain string, crew grid.Crew) (*Gas, error) {
	d, err := PickDomain(s, domain)
	if err != nil {
		return nil, err
	}
	dims, h, origin := d.Grid()
	box := gas.Box{Dims: dims, H: h, Origin: origin}
	for i, k := range sideKeys {
		box.Open[i] = d.Get(k).Text == "outflow"
	}
	if d.Get("flat").Flag { // nothing moves along z
		box.Open[4], box.Open[5] = false, false
	}
	box.Burning, box.Oxygen = d.Burns(), d.Get("burning").Text == "oxygen"
	if d.Follows() {
		box.Follow = &gas.Follow{Threshold: d.Get("follow_from").Num, Margin: d.Get("follow_margin").Num}
	}
	solver, err := gas.New(box, crew)
	if err != nil {
		return nil, fmt.Errorf("domain %s: %w", d.Name, err)
	}
	g := &Gas{cast: newCast(s, d, h, crew), Solver: solver}
	g.Scene(0, 1/s.Rate()) // files that can't be had are told before the first frame
	return g, g.fault
}

// Advance simulates one frame and returns its number.
func (g *Gas) Advance(stop func() bool) (int, gas.FrameStats, error) {
	if feeds := g.fedBy(); len(feeds) > 0 && g.Feed == nil {
		return g.next, gas.FrameStats{}, fmt.Errorf("%s is fed by %s, which isn't at hand here", g.Domain.Name, feeds[0].Name)
	}
	dt, now := lasts(g.Shot, g.next), float64(g.next)
	num := func(key string) float64 { return g.Domain.At(key, now).Num }
	sub := gas.Substeps{CFL: num("cfl"), Min: int(num("min_substeps")), Max: int(num("max_substeps"))}
	if g.Solver.Follow != nil {
		g.Solver.Follow.Threshold, g.Solver.Follow.Margin = num("follow_from"), num("follow_margin")
	}
	if sub.Max < sub.Min {
		sub.Max = sub.Min
	}
	// count time from frames, so that rounding doesn't add up over a shot
	g.Solver.Time = began(g.Shot, g.next)
	st, err := g.Solver.Frame(dt, sub, g.Scene, stop)
	if err == nil {
		err = g.fault
	}
	if err != nil {
		return g.next, st, fmt.Errorf("frame %d: %w", g.next, err)
	}
	if (g.next-Start(g.Shot))%leakEvery == 0 {
		st.Leaks = g.leaks()
	}
	g.next++
	return g.next - 1, st, nil
}

// Scene gives the solver's surroundings at t seconds after the start.
func (g *Gas) Scene(t, dt float64) gas.Inputs {
	s, d := g.Shot, g.Domain
	frame, start := g.clock(), began(s, g.next)
	f := frame(t)
	num := func(e *shot.Element, key string) float64 { return e.At(key, f).Num }
	air := s.Get("air_temperature").Num
	in := gas.Inputs{Physics: gas.Physics{
		Gravity: num(s.Self, "gravity"), AirTemperature: air, AirDensity: s.Get("air_density").Num,
		Lift: num(d, "lift"), SmokeWeight: num(d, "smoke_weight"), Dissipation: num(d, "dissipation"), Cooling: num(d, "cooling"),
		Damping: num(d, "damping"), Vorticity: num(d, "vorticity"), VorticityBy: d.Get("vorticity_by").Text, Scheme: gas.Scheme(d.Get("scheme").Text),
		Tolerance: num(d, "tolerance"), MaxIterations: 200,
	}}
	if d.Burns() {
		in.Physics.Fire = gas.Fire{Ignition: num(d, "ignition"), Rate: num(d, "burn_rate"), Heat: num(d, "heat_released") * 1e6, Soot: num(d, "soot"),
			Expansion: num(d, "expansion"), Spread: num(d, "spread"), Afterglow: num(d, "afterglow"),
			Radiation: num(d, "radiation"), RadiationAt: num(d, "radiation_at"), OxygenNeed: num(d, "oxygen_need")}
	}
	seed := uint64(d.Get("seed").Num)
	for n, e := range s.Elements {
		if e.Muted || !e.Acts(d) {
			continue
		}
		switch e.Kind {
		case shot.Emitter:
			em, ok := g.emitter(e, n, t, dt)
			if !ok {
				continue
			}
			em.Fuel, em.Smoke, em.Temperature, em.Add = num(e, "fuel"), num(e, "smoke"), num(e, "temperature")-air, e.Get("mode").Text == "add"
			if e.Get("from").Text == "fluid" {
				if em.Source = g.source(e, int(math.Ceil(f-1e-9))); em.Source == nil {
					continue
				}
			}
			in.Emitters = append(in.Emitters, em)
		case shot.Collider:
			in.Colliders = append(in.Colliders, g.collider(e, t, dt))
		case shot.Wind:
			v := geom.FromArray(e.At("velocity", f).Vec)
			swell := num(e, "gust") * noise.Octaves(seed*1000+uint64(n), 2, g.phase(e, "gust_time", t, f, inverse), 0.5, 0.5)
			in.Winds = append(in.Winds, gas.Wind{Velocity: v.Mul(1 + swell), Grip: num(e, "grip"), Region: region(e, f)})
		case shot.Turbulence:
			in.Turbulences = append(in.Turbulences, gas.Turbulence{Strength: num(e, "strength"), Size: num(e, "size"),
				Octaves: int(num(e, "octaves")), Phase: g.phase(e, "rate", start, frame(start), same), Seed: seed*1000 + uint64(n), Region: region(e, f)})
		case shot.Vortex:
			in.Vortices = append(in.Vortices, vortex(e, f))
		case shot.Radial:
			in.Radials = append(in.Radials, radial(e, f))
		case shot.Guide:
			along := [4][]float64{e.Get("pace_along").Factors(), e.Get("draw_along").Factors(), e.Get("swirl_along").Factors(), e.Get("reach_along").Factors()}
			in.Guides = append(in.Guides, gas.Guide{Line: g.line(e, f), Pace: num(e, "pace"), Draw: num(e, "draw"), Swirl: num(e, "swirl"), Reach: num(e, "reach"), Grip: num(e, "grip"), Along: along})
		case shot.Pull:
			in.Pulls = append(in.Pulls, gas.Pull{Shape: g.form(e, f), Gather: num(e, "gather"), Reach: num(e, "reach"), Keep: num(e, "keep")})
		case shot.Drag:
			in.Drags = append(in.Drags, gas.Drag{Rate: num(e, "rate"), Region: region(e, f)})
		}
	}
	return in
}

// CoarseKey identifies the run of domain d, without upres: 32 hexadecimal
// digits.
func CoarseKey(s *shot.Shot, d *shot.Element) string { return coarseKey(s, d, 0) }

// version is that of the solver of a domain.
func version(d *shot.Element) string {
	if d.Liquid() {
		return liquid.Version
	}
	return gas.Version
}

// idle reports a value that means nothing in a domain of its kind. What the
// domain holds is told by the solver's version.
func idle(d *shot.Element, e *shot.Entry) bool {
	if e.Kind == shot.Domain {
		return e.Key == "fluid"
	}
	if e.Kind == shot.Emitter && d.Liquid() {
		return e.Puffs()
	}
	return e.Kind == shot.Emitter && e.Key == "pours"
}

// maxChain is how deep domains may feed each other.
const maxChain = 16

func coarseKey(s *shot.Shot, d *shot.Element, depth int) string {
	h := sha256.New()
	io.WriteString(h, version(d))
	put := func(v any) {
		b, _ := json.Marshal(v)
		h.Write(append(b, '\n'))
	}
	element := func(el *shot.Element) {
		put(el.Kind)
		for _, e := range shot.Entries(el.Kind) {
			if !e.Sim || !shot.Holds(e.When, el.Get) || !shot.Holds(e.Counts, el.Get) || idle(d, e) {
				continue
			}
			v := el.Get(e.Key)
			if e.Type == shot.File || e.Type == shot.Frozen { // what it is counts, not what it is called
				v.Text = asset.ID(v.Text)
			}
			put([]any{e.Key, e.JSON(v)})
			for _, k := range el.Keys[e.Key] {
				put([]any{k.Frame, e.JSON(k.Value), k.Way, k.In, k.Out})
			}
			if x, ok := el.Extras[e.Key]; ok {
				put(x)
			}
		}
	}
	element(s.Self)
	element(d)
	for n, e := range s.Elements {
		if e.Kind == shot.Camera || e.Kind == shot.Lamp || e.Kind == shot.Mesh || e.Kind == shot.Sequence || e.Kind == shot.Domain || e.Muted || !e.Acts(d) {
			continue
		}
		put(n) // its place is the seed of its noise
		element(e)
		if e.Kind == shot.Emitter && e.Get("from").Text == "fluid" && depth < maxChain {
			if src := s.Source(e); src != nil { // what feeds it counts like its own values
				if src.Kind == shot.Sequence {
					element(src)
				} else {
					put(key(s, src, depth+1))
				}
			}
		}
	}
	return hex.EncodeToString(h.Sum(nil))[:32]
}

// Channels of a cached frame.
const (
	Density     = "density"
	Temperature = "temperature"
	Velocity    = "velocity"
	Fuel        = "fuel"
	Burn        = "burn"
)

// Tolerances under which a voxel counts as empty.
const (
	densityTolerance     = 1e-4
	temperatureTolerance = 0.02 // K
	fuelTolerance        = 1e-5 // kg/m³
)

// transform of the domain's voxels; indices count from the limit's corner.
func (g *Gas) transform() vdb.Transform {
	h, o := g.Solver.H, g.Solver.Limit.Origin
	return vdb.Uniform(h, [3]float64{o.X + h/2, o.Y + h/2, o.Z + h/2})
}

// Grids are the channels to cache of the frame made last.
func (g *Gas) Grids() []*vdb.Grid {
	s := g.Solver
	defer runtime.KeepAlive(s) // its fields may be mapped memory
	n := [3]int{s.NX, s.NY, s.NZ}
	half := g.Domain.Get("cache_half").Flag
	add := func(name, unit string, f *grid.Field, tol float32) *vdb.Grid {
		v := vdb.FromDense(name, s.Low, n, [][]float32{g.visible(f)}, 0, tol, g.crew.For)
		v.Transform, v.Half = g.transform(), half
		v.Meta = map[string]any{"frame": int32(g.next - 1), "solver": gas.Version}
		if unit != "" {
			v.Meta["unit"] = unit
		}
		return v
	}
	out := []*vdb.Grid{add(Density, "", s.Smoke, densityTolerance), add(Temperature, "kelvin above air", s.Heat, temperatureTolerance)}
	out[1].Meta["air_temperature"] = g.Shot.Get("air_temperature").Num
	heat := out[1]
	if !g.Domain.Get("cache_temperature").Flag {
		out = out[:1]
	}
	if s.Fuel != nil && g.Domain.Get("cache_fire").Flag {
		out = append(out, add(Fuel, "kg/m3", s.Fuel, fuelTolerance), add(Burn, "", s.Burn, densityTolerance))
	}
	if g.Domain.Get("cache_velocity").Flag {
		comps := g.velocityNear(append(slices.Clone(out[0].Leaves), heat.Leaves...))
		v := vdb.FromDense(Velocity, s.Low, n, comps[:], 0, 0, g.crew.For)
		v.Transform, v.Half = g.transform(), half
		v.Meta = map[string]any{"frame": int32(g.next - 1), "solver": gas.Version, "unit": "m/s", "vector_type": "contravariant relative"}
		out = append(out, v)
	}
	return out
}

// visible is a channel without what it holds deep inside solids.
func (g *Gas) visible(f *grid.Field) []float32 {
	out := f.Data
	g.Solver.Hidden(func(cell int) {
		if &out[0] == &f.Data[0] {
			out = append([]float32(nil), f.Data...)
		}
		out[cell] = 0
	})
	return out
}

// velocityNear gives centred velocities in and round the leaves named: motion
// blur and a receiver's own tracing look no further.
func (g *Gas) velocityNear(leaves []*vdb.Leaf) (comps [3][]float32) {
	s := g.Solver
	bx, by, bz := (s.NX+7)/8, (s.NY+7)/8, (s.NZ+7)/8
	near := make([]bool, bx*by*bz)
	for _, l := range leaves {
		// the solver's box begins at a multiple of 8
		i, j, k := (int(l.Origin[0])-s.Low[0])/8, (int(l.Origin[1])-s.Low[1])/8, (int(l.Origin[2])-s.Low[2])/8
		for c := max(k-1, 0); c <= min(k+1, bz-1); c++ {
			for b := max(j-1, 0); b <= min(j+1, by-1); b++ {
				for a := max(i-1, 0); a <= min(i+1, bx-1); a++ {
					near[(c*by+b)*bx+a] = true
				}
			}
		}
	}
	for c := range comps {
		comps[c] = make([]float32, s.Len())
	}
	g.crew.For(s.NZ, 1, func(k0, k1 int) {
		for k := k0; k < k1; k++ {
			for j := range s.NY {
				row := near[(k/8*by+j/8)*bx:][:bx]
				n := s.Index(0, j, k)
				for i := range s.NX {
					if row[i/8] {
						comps[0][n+i], comps[1][n+i], comps[2][n+i] = s.Centre(i, j, k)
					}
				}
			}
		}
	})
	return comps
}

// SaveState writes all that a resumed run needs to go on bit for bit.
func (g *Gas) SaveState(w io.Writer) error {
	s := g.Solver
	defer runtime.KeepAlive(s)
	air := s.Ambient
	meta := map[string]any{"next_frame": int64(g.next), "key": CoarseKey(g.Shot, g.Domain), "air_x": air.X, "air_y": air.Y, "air_z": air.Z, "last_dt": s.LastDt}
	if s.Follow != nil {
		low, n, on := s.Tiling()
		b, err := json.Marshal(tiling{low, n, pack(on)})
		if err != nil {
			return err
		}
		meta["tiles"] = string(b)
	}
	return writeFields(w, g.stateFields(), g.crew, meta)
}

// writeFields writes fields bit for bit.
func writeFields(w io.Writer, list []stateField, crew grid.Crew, meta map[string]any) error {
	var grids []*vdb.Grid
	for _, f := range list {
		v := vdb.FromDense(f.name, [3]int{}, [3]int{f.f.NX, f.f.NY, f.f.NZ}, [][]float32{f.f.Data}, 0, 0, crew.For)
		v.Transform = vdb.Uniform(1, [3]float64{})
		grids = append(grids, v)
	}
	return vdb.Write(w, grids, vdb.Options{Compression: vdb.Blosc, Workers: crew.For, Meta: meta})
}

// readFields fills fields from what writeFields wrote.
func readFields(f *vdb.File, list []stateField) error {
	for _, sf := range list {
		v := f.Grid(sf.name)
		if v == nil {
			return fmt.Errorf("saved state lacks %s", sf.name)
		}
		if err := v.Dense([3]int{}, [3]int{sf.f.NX, sf.f.NY, sf.f.NZ}, [][]float32{sf.f.Data}); err != nil {
			return fmt.Errorf("saved state: %w", err)
		}
	}
	return nil
}

// tiling is what a saved state tells of a domain whose bounds follow.
type tiling struct {
	Low [3]int `json:"low"`
	N   [3]int `json:"n"`
	On  []byte `json:"on"` // a bit for each tile of the limit
}

func pack(on []bool) []byte {
	b := make([]byte, (len(on)+7)/8)
	for i, v := range on {
		if v {
			b[i/8] |= 1 << (i % 8)
		}
	}
	return b
}

func unpack(b []byte, n int) []bool {
	on := make([]bool, min(n, 8*len(b)))
	for i := range on {
		on[i] = b[i/8]>>(i%8)&1 == 1
	}
	return on
}

type stateField struct {
	name string
	f    *grid.Field
}

func (g *Gas) stateFields() []stateField {
	s := g.Solver
	list := []stateField{{"u", s.U}, {"v", s.V}, {"w", s.W}, {"smoke", s.Smoke}, {"heat", s.Heat}, {"pressure", s.Pressure}}
	if s.Fuel != nil {
		list = append(list, stateField{"fuel", s.Fuel}, stateField{"burn", s.Burn})
	}
	if s.Used != nil {
		list = append(list, stateField{"used", s.Used})
	}
	return list
}

// LoadState goes on from a saved state of the same stage.
func (g *Gas) LoadState(r io.Reader) error { return g.load(r, true) }

// load goes on from a saved state; own asks that the same values made it.
func (g *Gas) load(r io.Reader, own bool) error {
	f, err := vdb.Read(r, vdb.DefaultLimits)
	if err != nil {
		return fmt.Errorf("saved state: %w", err)
	}
	if k, _ := f.Meta["key"].(string); own && k != CoarseKey(g.Shot, g.Domain) {
		return fmt.Errorf("saved state belongs to other values (key %s)", k)
	}
	next, ok := f.Meta["next_frame"].(int64)
	if !ok {
		return fmt.Errorf("saved state doesn't say its frame")
	}
	for name, to := range map[string]*float64{"air_x": &g.Solver.Ambient.X, "air_y": &g.Solver.Ambient.Y, "air_z": &g.Solver.Ambient.Z, "last_dt": &g.Solver.LastDt} {
		if *to, ok = f.Meta[name].(float64); !ok {
			return fmt.Errorf("saved state lacks %s", name)
		}
	}
	if g.Solver.Follow != nil {
		if err := g.loadTiling(f); err != nil {
			return fmt.Errorf("saved state: %w", err)
		}
	}
	if err := readFields(f, g.stateFields()); err != nil {
		return err
	}
	g.next = int(next)
	return nil
}

func (g *Gas) loadTiling(f *vdb.File) error {
	text, _ := f.Meta["tiles"].(string)
	var t tiling
	if err := json.Unmarshal([]byte(text), &t); err != nil {
		return fmt.Errorf("its tiles can't be read: %w", err)
	}
	l := grid.NewTiles(g.Solver.Limit.Dims, false)
	if err := g.Solver.SetTiling(t.Low, t.N, unpack(t.On, l.Len())); err != nil {
		return err
	}
	return nil
}
