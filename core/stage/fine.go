package stage

import (
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"fmt"
	"io"
	"strconv"

	"zarf/core/format/vdb"
	"zarf/core/geom"
	"zarf/core/grid"
	"zarf/core/shot"
	"zarf/core/upres"
)

// Factor is how many fine voxels stand along a coarse one of a domain: 1
// without upres.
func Factor(d *shot.Element) int {
	n, err := strconv.Atoi(d.Get("upres").Text)
	if err != nil || n < 1 || d.Liquid() {
		return 1
	}
	return n
}

// Cells is the grid of a domain's final frames, upres included.
func Cells(d *shot.Element) (n grid.Dims, h float64, origin geom.Vec3) {
	n, h, origin = d.Grid()
	f := Factor(d)
	if d.Get("flat").Flag {
		f = 1
	}
	return grid.Dims{NX: n.NX * f, NY: n.NY * f, NZ: n.NZ * f}, h / float64(f), origin
}

// Key identifies the final frames of domain d: those of the coarse run, or of
// the fine stage on top of it.
func Key(s *shot.Shot, d *shot.Element) string { return key(s, d, 0) }

func key(s *shot.Shot, d *shot.Element, depth int) string {
	key := coarseKey(s, d, depth)
	if Factor(d) == 1 {
		return key
	}
	b, _ := json.Marshal([]any{upres.Version, key, Factor(d), d.Get("upres_strength").Num, d.Keys["upres_strength"], d.Extras["upres_strength"], d.Get("upres_seed").Num})
	sum := sha256.Sum256(b)
	return hex.EncodeToString(sum[:])[:32]
}

// Fine runs the upres stage of one domain on its coarse frames.
type Fine struct {
	Shot   *shot.Shot
	Domain *shot.Element
	Solver *upres.Solver
	crew   grid.Crew
	next   int
	names  []string
	coarse *vdb.File // the frame taken last
}

// NewFine makes a fine stage before its first frame.
func NewFine(s *shot.Shot, domain string, crew grid.Crew) (*Fine, error) {
	d, err := PickDomain(s, domain)
	if err != nil {
		return nil, err
	}
	if !d.Get("cache_velocity").Flag {
		return nil, fmt.Errorf("%s: upres follows the coarse velocity; switch “Keep velocity” on and run again", d.Name)
	}
	if !d.Get("cache_temperature").Flag || (d.Burns() && !d.Get("cache_fire").Flag) {
		return nil, fmt.Errorf("%s: upres carries every channel; keep temperature, fuel and flame in the cache and run again", d.Name)
	}
	if d.Get("flat").Flag {
		return nil, fmt.Errorf("%s: upres works in depth only; switch “Flat” off, or upres", d.Name)
	}
	h := d.Get("voxel").Num
	u, err := upres.New(upres.Settings{Factor: Factor(d), Strength: d.Get("upres_strength").Num, Seed: uint64(d.Get("upres_seed").Num)}, h, crew)
	if err != nil {
		return nil, fmt.Errorf("%s: %w", d.Name, err)
	}
	first, _ := s.Range()
	f := &Fine{Shot: s, Domain: d, Solver: u, crew: crew, next: first, names: []string{Density, Temperature}}
	if d.Burns() {
		f.names = append(f.names, Fuel, Burn)
	}
	return f, nil
}

// Next is the frame that Advance takes next.
func (f *Fine) Next() int { return f.next }

// Advance makes the next fine frame from the coarse one.
func (f *Fine) Advance(coarse *vdb.File) error {
	w, err := f.frame(coarse)
	if err != nil {
		return fmt.Errorf("frame %d: %w", f.next, err)
	}
	full, _, _ := f.Domain.Grid()
	f.Solver.Strength = f.Domain.At("upres_strength", float64(f.next)).Num
	f.Solver.Advance(w, full, lasts(f.Shot, f.next))
	f.coarse = coarse
	f.next++
	return nil
}

// Resume tells the stage the coarse frame that its loaded state came from.
func (f *Fine) Resume(coarse *vdb.File) error {
	w, err := f.frame(coarse)
	if err == nil {
		f.Solver.Resume(w)
	}
	return err
}

// frame reads what the stage needs of a coarse frame, over the box of what is
// there.
func (f *Fine) frame(c *vdb.File) (*upres.Frame, error) {
	full, _, _ := f.Domain.Grid()
	low, n := Extent(c, full, f.names)
	dims := [3]int{n.NX, n.NY, n.NZ}
	out := &upres.Frame{Low: low}
	read := func(name string, comps int) ([]*grid.Field, error) {
		fields := make([]*grid.Field, comps)
		data := make([][]float32, comps)
		for i := range fields {
			fields[i] = grid.NewField(n)
			data[i] = fields[i].Data
		}
		g := c.Grid(name)
		if g == nil {
			return nil, fmt.Errorf("the coarse frame holds no %s", name)
		}
		return fields, g.Dense(low, dims, data)
	}
	for _, name := range f.names {
		fields, err := read(name, 1)
		if err != nil {
			return nil, err
		}
		out.Channels = append(out.Channels, fields[0])
	}
	v, err := read(Velocity, 3)
	if err != nil {
		return nil, err
	}
	copy(out.Velocity[:], v)
	return out, nil
}

// Extent is the box of a frame's leaves, in cells of a domain of the given
// size: what has to be looked at.
func Extent(f *vdb.File, full grid.Dims, names []string) (low [3]int, n grid.Dims) {
	all := [3]int{full.NX, full.NY, full.NZ}
	lo, hi := all, [3]int{}
	for _, name := range names {
		g := f.Grid(name)
		if g == nil {
			continue
		}
		for _, l := range g.Leaves {
			for a := range 3 {
				lo[a], hi[a] = min(lo[a], int(l.Origin[a])), max(hi[a], int(l.Origin[a])+8)
			}
		}
	}
	if hi[0] <= lo[0] {
		return low, grid.Dims{NX: min(8, full.NX), NY: min(8, full.NY), NZ: min(8, full.NZ)}
	}
	for a := range 3 {
		lo[a], hi[a] = max(lo[a], 0), min(hi[a], all[a])
	}
	return lo, grid.Dims{NX: hi[0] - lo[0], NY: hi[1] - lo[1], NZ: hi[2] - lo[2]}
}

// Grids are the channels to cache of the frame made last. Velocity is the
// coarse one, on its own voxels.
func (f *Fine) Grids() []*vdb.Grid {
	s := f.Solver
	_, h, o := Cells(f.Domain)
	d := s.Fine()
	low := [3]int{s.Low[0] * s.Factor, s.Low[1] * s.Factor, s.Low[2] * s.Factor}
	half := f.Domain.Get("cache_half").Flag
	tolerance := map[string]float32{Density: densityTolerance, Temperature: temperatureTolerance, Fuel: fuelTolerance, Burn: densityTolerance}
	var out []*vdb.Grid
	for n, name := range f.names {
		v := vdb.FromDense(name, low, [3]int{d.NX, d.NY, d.NZ}, [][]float32{s.Channels[n].Data}, 0, tolerance[name], f.crew.For)
		v.Transform, v.Half = vdb.Uniform(h, [3]float64{o.X + h/2, o.Y + h/2, o.Z + h/2}), half
		v.Meta = map[string]any{"frame": int32(f.next - 1), "solver": upres.Version}
		if g := f.coarse.Grid(name); g != nil {
			for key, m := range g.Meta {
				if key != "frame" && key != "solver" {
					v.Meta[key] = m
				}
			}
		}
		out = append(out, v)
	}
	return append(out, f.coarse.Grid(Velocity))
}

// fineState tells how a fine stage's saved fields lie.
type fineState struct {
	Low    [3]int    `json:"low"`
	Coarse grid.Dims `json:"coarse"`
	Count  int       `json:"count"`
	Next   int       `json:"next"`
	Key    string    `json:"key"`
}

func (f *Fine) stateFields() (list []stateField) {
	for n, c := range f.Solver.Channels {
		list = append(list, stateField{f.names[n], c})
	}
	for p, d := range f.Solver.Drift {
		for c, v := range d {
			list = append(list, stateField{fmt.Sprintf("drift%d%d", p, c), v})
		}
	}
	return list
}

// SaveState writes all that a resumed run needs to go on bit for bit.
func (f *Fine) SaveState(w io.Writer) error {
	b, err := json.Marshal(fineState{f.Solver.Low, f.Solver.Coarse, f.Solver.Count, f.next, Key(f.Shot, f.Domain)})
	if err != nil {
		return err
	}
	return writeFields(w, f.stateFields(), f.crew, map[string]any{"fine": string(b)})
}

// LoadState goes on from a saved state; Resume must follow.
func (f *Fine) LoadState(r io.Reader) error {
	file, err := vdb.Read(r, vdb.DefaultLimits)
	if err != nil {
		return fmt.Errorf("saved state: %w", err)
	}
	var st fineState
	text, _ := file.Meta["fine"].(string)
	if err := json.Unmarshal([]byte(text), &st); err != nil {
		return fmt.Errorf("saved state: %w", err)
	}
	full, _, _ := f.Domain.Grid()
	if st.Key != Key(f.Shot, f.Domain) || st.Coarse.Valid() != nil || st.Coarse.NX > full.NX || st.Coarse.NY > full.NY || st.Coarse.NZ > full.NZ {
		return fmt.Errorf("saved state belongs to other values")
	}
	s := f.Solver
	s.Low, s.Coarse, s.Count = st.Low, st.Coarse, st.Count
	s.Channels = nil
	for range f.names {
		s.Channels = append(s.Channels, grid.NewField(s.Fine()))
	}
	for p := range s.Drift {
		for c := range s.Drift[p] {
			s.Drift[p][c] = grid.NewField(st.Coarse)
		}
	}
	f.next = st.Next
	return readFields(file, f.stateFields())
}
