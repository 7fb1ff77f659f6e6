package stage

import (
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"fmt"
	"io"
	"math"

	"zarf/core/format/vdb"
	"zarf/core/gas"
	"zarf/core/geom"
	"zarf/core/grid"
	"zarf/core/noise"
	"zarf/core/shot"
)

// Gas runs one gas domain of a shot.
type Gas struct {
	Shot   *shot.Shot
	Domain *shot.Element
	Solver *gas.Solver
	crew   grid.Crew
	next   int // the frame that Advance makes next
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
	for i, k := range []string{"side_x0", "side_x1", "side_y0", "side_y1", "side_z0", "side_z1"} {
		box.Open[i] = d.Get(k).Text == "outflow"
	}
	solver, err := gas.New(box, crew)
	if err != nil {
		return nil, fmt.Errorf("domain %s: %w", d.Name, err)
	}
	return &Gas{Shot: s, Domain: d, Solver: solver, crew: crew, next: Start(s)}, nil
}

// Next is the frame that Advance makes next.
func (g *Gas) Next() int { return g.next }

// Advance simulates one frame and returns its number.
func (g *Gas) Advance(stop func() bool) (int, gas.FrameStats, error) {
	dt := 1 / g.Shot.Rate()
	sub := gas.Substeps{CFL: g.Domain.Get("cfl").Num, Min: int(g.Domain.Get("min_substeps").Num), Max: int(g.Domain.Get("max_substeps").Num)}
	if sub.Max < sub.Min {
		sub.Max = sub.Min
	}
	// count time from frames, so that rounding doesn't add up over a shot
	g.Solver.Time = float64(g.next-Start(g.Shot)) * dt
	st, err := g.Solver.Frame(dt, sub, g.Scene, stop)
	if err != nil {
		return g.next, st, fmt.Errorf("frame %d: %w", g.next, err)
	}
	g.next++
	return g.next - 1, st, nil
}

// Scene gives the solver's surroundings at t seconds after the start.
func (g *Gas) Scene(t, dt float64) gas.Inputs {
	s, d := g.Shot, g.Domain
	frame := func(t float64) float64 { return float64(Start(s)-1) + t*s.Rate() }
	f := frame(t)
	num := func(e *shot.Element, key string) float64 { return e.At(key, f).Num }
	air := s.Get("air_temperature").Num
	in := gas.Inputs{Physics: gas.Physics{
		Gravity: s.Get("gravity").Num, AirTemperature: air, AirDensity: s.Get("air_density").Num,
		Lift: num(d, "lift"), SmokeWeight: num(d, "smoke_weight"), Dissipation: num(d, "dissipation"), Cooling: num(d, "cooling"),
		Damping: num(d, "damping"), Vorticity: num(d, "vorticity"), Scheme: gas.Scheme(d.Get("scheme").Text),
		Tolerance: d.Get("tolerance").Num, MaxIterations: 200,
	}}
	seed := uint64(d.Get("seed").Num)
	for n, e := range s.Elements {
		if e.Muted || !e.Acts(d) {
			continue
		}
		switch e.Kind {
		case shot.Emitter:
			if now := math.Ceil(f - 1e-9); now < e.Get("begin").Num || now > e.Get("end").Num {
				continue
			}
			em := gas.Emitter{Shape: e.Shape(f), Smoke: num(e, "smoke"), Temperature: num(e, "temperature") - air, Speed: num(e, "speed"),
				AlongAxis: e.Get("along").Text == "axis", Push: geom.FromArray(e.At("push", f).Vec), Add: e.Get("mode").Text == "add",
				Breakup: num(e, "breakup"), NoiseSize: num(e, "breakup_size"), NoiseRate: e.Get("breakup_rate").Num, Seed: seed*1000 + uint64(n)}
			if e.Get("from").Text == "surface" {
				em.Surface = e.Get("shell").Num
			}
			in.Emitters = append(in.Emitters, em)
		case shot.Collider:
			in.Colliders = append(in.Colliders, gas.Collider{Shape: e.Shape(f), Before: e.Shape(frame(t - dt)), Friction: num(e, "friction")})
		case shot.Wind:
			v := geom.FromArray(e.At("velocity", f).Vec)
			swell := num(e, "gust") * noise.Octaves(seed*1000+uint64(n), 2, t/e.Get("gust_time").Num, 0.5, 0.5)
			in.Winds = append(in.Winds, gas.Wind{Velocity: v.Mul(1 + swell), Grip: num(e, "grip")})
		case shot.Turbulence:
			in.Turbulences = append(in.Turbulences, gas.Turbulence{Strength: num(e, "strength"), Size: num(e, "size"),
				Octaves: int(e.Get("octaves").Num), Rate: e.Get("rate").Num, Seed: seed*1000 + uint64(n)})
		}
	}
	return in
}

// Key identifies the result of domain d: 32 hexadecimal digits.
func Key(s *shot.Shot, d *shot.Element) string {
	h := sha256.New()
	io.WriteString(h, gas.Version)
	put := func(v any) {
		b, _ := json.Marshal(v)
		h.Write(append(b, '\n'))
	}
	for _, e := range shot.Entries(shot.Setting) {
		if e.Sim {
			put([]any{e.Key, e.JSON(s.Get(e.Key))})
		}
	}
	element := func(el *shot.Element) {
		put(el.Kind)
		for _, e := range shot.Entries(el.Kind) {
			if !e.Sim {
				continue
			}
			put([]any{e.Key, e.JSON(el.Get(e.Key))})
			for _, k := range el.Keys[e.Key] {
				put([]any{k.Frame, e.JSON(k.Value), k.Hold})
			}
		}
	}
	element(d)
	for n, e := range s.Elements {
		if e.Kind == shot.Camera || e.Kind == shot.Domain || e.Muted || !e.Acts(d) {
			continue
		}
		put(n) // its place is the seed of its noise
		element(e)
	}
	return hex.EncodeToString(h.Sum(nil))[:32]
}

// Channels of a cached frame.
const (
	Density     = "density"
	Temperature = "temperature"
	Velocity    = "velocity"
)

// Tolerances under which a voxel counts as empty.
const (
	densityTolerance     = 1e-4
	temperatureTolerance = 0.02 // K
)

// Transform of the domain's voxels.
func (g *Gas) transform() vdb.Transform {
	h, o := g.Solver.H, g.Solver.Origin
	return vdb.Uniform(h, [3]float64{o.X + h/2, o.Y + h/2, o.Z + h/2})
}

// Grids are the channels to cache of the frame made last.
func (g *Gas) Grids() []*vdb.Grid {
	s := g.Solver
	n := [3]int{s.NX, s.NY, s.NZ}
	half := g.Domain.Get("cache_half").Flag
	meta := map[string]any{"frame": int32(g.next - 1), "solver": gas.Version}
	make1 := func(name string, data []float32, tol float32) *vdb.Grid {
		v := vdb.FromDense(name, [3]int{}, n, [][]float32{data}, 0, tol, g.crew.For)
		v.Transform, v.Half, v.Meta = g.transform(), half, meta
		return v
	}
	density := make1(Density, g.visible(s.Smoke), densityTolerance)
	heat := make1(Temperature, g.visible(s.Heat), temperatureTolerance)
	heat.Meta = map[string]any{"frame": int32(g.next - 1), "solver": gas.Version, "unit": "kelvin above air", "air_temperature": g.Shot.Get("air_temperature").Num}
	out := []*vdb.Grid{density, heat}
	if g.Domain.Get("cache_velocity").Flag {
		comps := g.velocityNear(append(density.Leaves, heat.Leaves...))
		v := vdb.FromDense(Velocity, [3]int{}, n, comps[:], 0, 0, g.crew.For)
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
		i, j, k := int(l.Origin[0])/8, int(l.Origin[1])/8, int(l.Origin[2])/8
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
	var grids []*vdb.Grid
	for _, f := range g.stateFields() {
		v := vdb.FromDense(f.name, [3]int{}, [3]int{f.f.NX, f.f.NY, f.f.NZ}, [][]float32{f.f.Data}, 0, 0, g.crew.For)
		v.Transform = vdb.Uniform(s.H, [3]float64{})
		grids = append(grids, v)
	}
	return vdb.Write(w, grids, vdb.Options{Compression: vdb.Blosc, Workers: g.crew.For,
		Meta: map[string]any{"next_frame": int64(g.next), "key": Key(g.Shot, g.Domain)}})
}

type stateField struct {
	name string
	f    *grid.Field
}

func (g *Gas) stateFields() []stateField {
	s := g.Solver
	return []stateField{{"u", s.U}, {"v", s.V}, {"w", s.W}, {"smoke", s.Smoke}, {"heat", s.Heat}}
}

// LoadState goes on from a saved state of the same stage.
func (g *Gas) LoadState(r io.Reader) error {
	f, err := vdb.Read(r, vdb.DefaultLimits)
	if err != nil {
		return fmt.Errorf("saved state: %w", err)
	}
	if k, _ := f.Meta["key"].(string); k != Key(g.Shot, g.Domain) {
		return fmt.Errorf("saved state belongs to other values (key %s)", k)
	}
	next, ok := f.Meta["next_frame"].(int64)
	if !ok {
		return fmt.Errorf("saved state doesn't say its frame")
	}
	for _, sf := range g.stateFields() {
		v := f.Grid(sf.name)
		if v == nil {
			return fmt.Errorf("saved state lacks %s", sf.name)
		}
		if err := v.Dense([3]int{}, [3]int{sf.f.NX, sf.f.NY, sf.f.NZ}, [][]float32{sf.f.Data}); err != nil {
			return fmt.Errorf("saved state: %w", err)
		}
	}
	g.next = int(next)
	return nil
}
