package upres

// The refinement as something that is run after a coarse run: it registers itself,
// reads coarse frames, and keeps a state of its own, so that it can be resumed like
// any run.

import (
	"fmt"
	"io"
	"strconv"

	"zarf/core/check"
	"zarf/core/frame"
	"zarf/core/grid"
	"zarf/core/shot"
	"zarf/core/shot/val"
	"zarf/core/stage"
	"zarf/core/state"
)

func init() {
	stage.RegisterRefinement(stage.Refinement{
		// Reads lists what the run depends on besides the coarse run's own key;
		// Bytes is what a fine voxel takes while it runs.
		Fluid: "gas", Version: Version, Switch: val.Upres, Reads: []val.Name{val.Upres, val.UpresStrength, val.UpresSeed}, On: func(d *shot.Element) bool { return factor(d) > 1 }, Factor: factor, Word: "upres",
		Bytes: func(d *shot.Element) float64 { f := float64(factor(d)); return 20 * f * f * f },
		Values: []shot.Entry{
			shot.Named(val.Upres, shot.Entry{Kind: shot.Domain, Label: "Upres", Type: shot.Choice, Default: shot.Text("1"), Choices: shot.Options("1", "none", "2", "2 × as fine", "3", "3 × as fine", "4", "4 × as fine"), Topic: "upres", When: "in=gas", Help: "Adds fine whirls to a finished coarse run as a stage of its own and keeps the coarse motion. At 2 × it takes about the time of the coarse run, at 4 × eight times that; the coarse frames stay as they are."}),
			shot.Named(val.UpresStrength, shot.Entry{Kind: shot.Domain, Label: "Fine whirls", Type: shot.Number, Default: shot.Num(1), Min: 0, Max: 20, Step: 0.1, Keyable: true, Topic: "upres", When: "in=gas&upres=2|3|4", Help: "Strength of the whirls added: 1 goes on as turbulence does from large to small. Over 2 it boils."}),
			shot.Named(val.UpresSeed, shot.Entry{Kind: shot.Domain, Label: "Fine seed", Type: shot.Integer, Default: shot.Num(1), Min: 0, Max: 1e9, Step: 1, Fixed: "Another seed is another run.", Topic: "upres", When: "in=gas&upres=2|3|4", Help: "Another number gives other fine whirls on the same motion."}),
		},
		Says: func(d *shot.Element) string {
			if n := factor(d); n > 1 {
				return fmt.Sprintf("; upres %d ×", n)
			}
			return ""
		},
		New:    func(s *shot.Shot, d *shot.Element, crew grid.Crew) (stage.Refiner, error) { return newFine(s, d, crew) },
		Checks: []check.Check{{ID: "upres", Find: upresWants}},
	})
}

// factor is how many fine voxels stand along a coarse one.
// A word of a choice, so that the sheet can say "none" for 1.
func factor(d *shot.Element) int {
	n, err := strconv.Atoi(val.Upres.Of(d))
	if err != nil {
		return 1
	}
	return n
}

// What is missing would only be found after the coarse run has ended.
func upresWants(s *check.Scene) []check.Finding {
	var out []check.Finding
	for _, d := range s.Domains {
		// A factor of 1 is no refinement.
		if stage.RefinementOf(d) == nil {
			continue
		}
		if !val.CacheVelocity.Of(d) {
			out = append(out, check.Finding{Severity: check.Fault, Element: d.ID, What: d.Name + " has upres, and doesn't keep velocity.", Why: "Upres follows the coarse run's velocity.", Mend: &check.Mend{Label: "Keep velocity", Element: d.ID, Key: val.CacheVelocity.Name(), Value: shot.On(true)}})
		}
		if stage.Fineness(d) > 1 {
			out = append(out, check.Finding{Severity: check.Fault, Element: d.ID, What: d.Name + " has upres, and keeps its smoke finer than its voxels.", Why: "Upres goes by frames on the run's own voxels.", Mend: &check.Mend{Label: "Switch upres off", Element: d.ID, Key: val.Upres.Name(), Value: shot.Text("1")}})
		}
		for _, c := range stage.Channels(d) {
			// Velocity was asked for above, with a finding of its own.
			if !c.Kept && c.Role != frame.Vector {
				out = append(out, check.Finding{Severity: check.Fault, Element: d.ID, What: fmt.Sprintf("%s has upres, and “%s” is off.", d.Name, shot.Find(shot.Domain, c.Keep.Name()).Label), Why: "Upres carries every channel.", Mend: check.Set("Keep it", d, c.Keep.Is(true))})
			}
		}
		if val.Flat.Of(d) {
			out = append(out, check.Finding{Severity: check.Fault, Element: d.ID, What: d.Name + " is flat and has upres.", Why: "Fine whirls need depth.", Mend: &check.Mend{Label: "Switch upres off", Element: d.ID, Key: val.Upres.Name(), Value: shot.Text("1")}})
		}
	}
	return out
}

// Fine runs the upres stage of one domain on its coarse frames.
// next is the frame that it makes next; coarse what it made the last one from
// It holds one coarse frame and the fine fields, never the sequence.
type Fine struct {
	Shot   *shot.Shot
	Domain *shot.Element
	Solver *Solver
	crew   grid.Crew
	next   int
	names  []string
	coarse *frame.Frame // the frame taken last
}

// newFine makes a fine stage before its first frame.
// It names what must be kept in the coarse cache and isn't, before a run of hours
// has begun.
func newFine(s *shot.Shot, d *shot.Element, crew grid.Crew) (*Fine, error) {
	if !val.CacheVelocity.Of(d) {
		return nil, fmt.Errorf("%s: upres follows the coarse velocity; switch “Keep velocity” on and run again", d.Name)
	}
	if stage.Fineness(d) > 1 {
		return nil, fmt.Errorf("%s: upres goes by frames on the run's own voxels; keep smoke on the gas's voxels, or switch upres off", d.Name)
	}
	var names []string
	for _, c := range stage.Channels(d) {
		if c.Role == frame.Vector {
			continue
		}
		if names = append(names, c.Name); !c.Kept {
			return nil, fmt.Errorf("%s: upres carries every channel; switch “%s” on and run again", d.Name, shot.Find(shot.Domain, c.Keep.Name()).Label)
		}
	}
	if val.Flat.Of(d) {
		return nil, fmt.Errorf("%s: upres works in depth only; switch “Flat” off, or upres", d.Name)
	}
	h := val.Voxel.Of(d)
	u, err := New(Settings{Factor: factor(d), Strength: val.UpresStrength.Of(d), Seed: uint64(val.UpresSeed.Of(d))}, h, crew)
	if err != nil {
		return nil, fmt.Errorf("%s: %w", d.Name, err)
	}
	first, _ := s.Range()
	f := &Fine{Shot: s, Domain: d, Solver: u, crew: crew, next: first, names: names}
	return f, nil
}

// Next is the frame that Advance takes next.
func (f *Fine) Next() int { return f.next }

// Advance makes the next fine frame from the coarse one.
// The coarse frame must be the one that follows the last: motion is between the two.
func (f *Fine) Advance(coarse *frame.Frame) error {
	w, err := f.frame(coarse)
	if err != nil {
		return fmt.Errorf("frame %d: %w", f.next, err)
	}
	// The whole domain bounds where fine smoke may go; the box in use follows the
	// frame.
	full, _, _ := f.Domain.Grid()
	// Keyed like any value: whirls may fade in.
	f.Solver.Strength = val.UpresStrength.At(f.Domain, val.Frame(float64(f.next)))
	f.Solver.Advance(w, full, stage.Lasts(f.Shot, f.next))
	f.coarse = coarse
	f.next++
	return nil
}

// Resume tells the stage the coarse frame that its loaded state came from.
// The fields of the last frame are made again from the cache instead of being saved.
func (f *Fine) Resume(coarse *frame.Frame) error {
	w, err := f.frame(coarse)
	if err == nil {
		f.Solver.Resume(w)
	}
	return err
}

// frame reads what the stage needs of a coarse frame, over the box of what is
// there.
func (f *Fine) frame(c *frame.Frame) (*Frame, error) {
	full, _, _ := f.Domain.Grid()
	// the box of what the channels hold, in leaves: velocity beyond it isn't needed
	// Extent is in coarse cells.
	low, n := c.Extent(full, f.names...)
	dims := [3]int{n.NX, n.NY, n.NZ}
	out := &Frame{Low: low}
	read := func(name string, comps int) ([]*grid.Field, error) {
		fields := make([]*grid.Field, comps)
		data := make([][]float32, comps)
		for i := range fields {
			fields[i] = grid.NewField(n)
			data[i] = fields[i].Data
		}
		// A frame of another set of channels can't follow: the names are those of
		// the domain.
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
	v, err := read(frame.Velocity, 3)
	if err != nil {
		return nil, err
	}
	copy(out.Velocity[:], v)
	return out, nil
}

// Frame is the frame made last, as the cache keeps it. Velocity is the coarse
// one, on its own voxels.
// Fine channels in fine indices, velocity in coarse ones: each grid has its
// transform.
func (f *Fine) Frame() *frame.Frame {
	s := f.Solver
	_, h, o := stage.Cells(f.Domain)
	d := s.Fine()
	// Fine index 0 lies where the coarse one's lower corner does.
	low := [3]int{s.Low[0] * s.Factor, s.Low[1] * s.Factor, s.Low[2] * s.Factor}
	half := val.CacheHalf.Of(f.Domain)
	out := &frame.Frame{Number: f.next - 1}
	for n, name := range f.names {
		v := frame.FromDense(name, low, [3]int{d.NX, d.NY, d.NZ}, [][]float32{s.Channels[n].Data}, 0, frame.Tolerance(name), f.crew.For)
		v.Transform, v.Half = frame.Uniform(h, [3]float64{o.X + h/2, o.Y + h/2, o.Z + h/2}), half
		// units and other notes of the coarse grids go with the fine ones
		v.Meta = map[string]any{"frame": int32(f.next - 1), "solver": Version}
		if g := f.coarse.Grid(name); g != nil {
			for key, m := range g.Meta {
				if key != "frame" && key != "solver" {
					v.Meta[key] = m
				}
			}
		}
		out.Grids = append(out.Grids, v)
	}
	// the coarse velocity itself, not a copy: it isn't made finer, as receivers blur
	// by it
	out.Grids = append(out.Grids, f.coarse.Grid(frame.Velocity))
	return out
}

// saved is the head of a saved state.
type saved struct {
	Low    [3]int    `json:"low"`
	Coarse grid.Dims `json:"coarse"`
	Count  int       `json:"count"`
	Next   int       `json:"next"`
	Key    string    `json:"key"`
}

// arrays are what a saved state keeps besides its head.
func (f *Fine) arrays() (list []state.Array) {
	for n, c := range f.Solver.Channels {
		list = append(list, state.Array{Name: f.names[n], V: c.Data})
	}
	// The displaced texture of the whirls drifts from frame to frame and can't be
	// worked out from the frames alone.
	for p, d := range f.Solver.Drift {
		for c, v := range d {
			list = append(list, state.Array{Name: fmt.Sprintf("drift%d%d", p, c), V: v.Data})
		}
	}
	return list
}

// SaveState writes all that a resumed run needs to go on bit for bit.
// The key is the whole one, coarse run included: fine smoke on another run is
// another.
func (f *Fine) SaveState(w io.Writer) error {
	return state.Write(w, saved{f.Solver.Low, f.Solver.Coarse, f.Solver.Count, f.next, stage.Key(f.Shot, f.Domain)}, f.arrays(), f.crew.For)
}

// LoadState goes on from a saved state; Resume must follow.
// The coarse frame that belongs to the state is in the cache, so Resume is told it.
func (f *Fine) LoadState(r io.Reader) error {
	var st saved
	return state.Read(r, &st, func() ([]state.Array, error) {
		full, _, _ := f.Domain.Grid()
		// the head is checked before fields are made of its numbers
		if st.Key != stage.Key(f.Shot, f.Domain) || st.Coarse.Valid() != nil || st.Coarse.NX > full.NX || st.Coarse.NY > full.NY || st.Coarse.NZ > full.NZ {
			return nil, fmt.Errorf("the saved state belongs to other values")
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
		return f.arrays(), nil
	})
}
