package ripple

// Ripples as something that is run after a liquid's run: it registers itself, reads the run's
// frames, and keeps a state of its own, so that it can be resumed like any run.

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
	on := "in=liquid&ripples=2|3"
	stage.RegisterRefinement(stage.Refinement{
		Fluid: "liquid", Version: Version, Switch: val.Ripples, On: func(d *shot.Element) bool { return factor(d) > 1 }, Word: "ripples",
		Reads: []val.Name{val.Ripples, val.RippleStrength, val.RippleLasts, val.RippleSeed},
		Values: []shot.Entry{
			shot.Named(val.Ripples, shot.Entry{Kind: shot.Domain, Label: "Ripples", Type: shot.Choice, Default: shot.Text("1"), Choices: shot.Options("1", "none", "2", "on cells half as large", "3", "on cells a third as large"), Topic: "ripples", When: "in=liquid", Help: "Adds waves too short for the voxels to a finished run, as a stage of its own that keeps the run’s motion and volume. They run over whatever faces up, at the speed that gravity and surface tension give them. The surface takes four or nine times the space."}),
			shot.Named(val.RippleStrength, shot.Entry{Kind: shot.Domain, Label: "Ripple strength", Type: shot.Number, Default: shot.Num(1), Min: 0, Max: 20, Step: 0.1, Keyable: true, Topic: "ripples", When: on, Help: "1 hands over what the voxels lose of the motion. Over 3 everything that moves is choppy."}),
			shot.Named(val.RippleLasts, shot.Entry{Kind: shot.Domain, Label: "Ripples last", Type: shot.Number, Unit: shot.Second, Default: shot.Num(1.5), Min: 0.01, Max: 1000, Step: 0.5, Keyable: true, Topic: "ripples", When: on, Help: "Time in which they lose most of their height, besides what viscosity takes. Clean water 5 s, a harbour’s with its film of oil 0.5."}),
			shot.Named(val.RippleSeed, shot.Entry{Kind: shot.Domain, Label: "Ripple seed", Type: shot.Integer, Default: shot.Num(1), Min: 0, Max: 1e9, Step: 1, Fixed: "Another seed is another run.", Topic: "ripples", When: on, Help: "Another number gives other ripples on the same motion."}),
		},
		Says: func(d *shot.Element) string {
			if factor(d) > 1 {
				return "; with ripples"
			}
			return ""
		},
		New: func(s *shot.Shot, d *shot.Element, crew grid.Crew) (stage.Refiner, error) {
			return newStage(s, d, crew)
		},
		Bytes:  func(d *shot.Element) float64 { n := float64(factor(d) * detail(d)); return 6 * n * n * n * wetShare },
		Guess:  guess,
		Checks: []check.Check{{ID: "ripples", Find: wants}},
	})
}

// wetShare is how much of a domain the box of its liquid fills, as a rule.
const wetShare = 0.5

// factor is how many cells of the final surface stand along one of the run's.
func factor(d *shot.Element) int {
	n, err := strconv.Atoi(val.Ripples.Of(d))
	if err != nil {
		return 1
	}
	return n
}

// detail is how many cells of the run's surface stand along a voxel.
func detail(d *shot.Element) int {
	n, err := strconv.Atoi(val.SurfaceDetail.Of(d))
	if err != nil {
		return 2
	}
	return n
}

// guess adds what ripples take: the surface's cells, which are packed to a seventh of a byte
// where nothing is near, and some 30 million of them a second.
func guess(d *shot.Element, e *stage.Estimate) {
	n := float64(factor(d) * detail(d))
	cells := float64(e.Frames) * e.Voxels * n * n * n * wetShare
	e.Disk += 0.15 * cells
	e.Seconds += cells / 30e6
}

// What is missing would only be found after the run has ended.
func wants(s *check.Scene) []check.Finding {
	var out []check.Finding
	for _, d := range s.Domains {
		if d.Fluid().Key != "liquid" || factor(d) < 2 {
			continue
		}
		if !val.CacheVelocity.Of(d) {
			out = append(out, check.Finding{Severity: check.Fault, Element: d.ID, What: d.Name + " has ripples, and doesn't keep velocity.", Why: "Ripples are carried by the surface's velocity, and made by it.", Mend: check.Set("Keep velocity", d, val.CacheVelocity.Is(true))})
		}
		if val.Flat.Of(d) {
			out = append(out, check.Finding{Severity: check.Fault, Element: d.ID, What: d.Name + " is flat and has ripples.", Why: "Ripples run over a surface; a flat domain has a line.", Mend: check.Set("Switch ripples off", d, val.Ripples.Is("1"))})
		}
		if v := val.Viscosity.Of(d) / val.Weight.Of(d); v > thick(val.Voxel.Of(d)) {
			out = append(out, check.Finding{Severity: check.Warning, Element: d.ID, What: fmt.Sprintf("%s has ripples, and is as thick as %s Pa·s.", d.Name, shot.Short(val.Viscosity.Of(d))), Why: "Waves of a few voxels are gone within a frame in it.", Mend: check.Set("Switch ripples off", d, val.Ripples.Is("1"))})
		}
	}
	return out
}

// thick is the kinematic viscosity, m²/s, at which waves of four voxels die within a 24th of a
// second: 2νk² t = 1.
func thick(h float64) float64 { k := 3.14159 / (2 * h); return 24 / (2 * k * k) }

// Stage makes the ripples of one domain on its run's frames.
type Stage struct {
	Shot   *shot.Shot
	Domain *shot.Element
	Solver *Solver
	crew   grid.Crew
	next   int
	coarse *frame.Frame // taken last
}

// newStage makes still water before its first frame.
func newStage(s *shot.Shot, d *shot.Element, crew grid.Crew) (*Stage, error) {
	if !val.CacheVelocity.Of(d) {
		return nil, fmt.Errorf("%s: ripples are carried by the run's velocity; switch “Keep velocity” on and run again", d.Name)
	}
	if val.Flat.Of(d) {
		return nil, fmt.Errorf("%s: ripples work in depth only; switch “Flat” off, or ripples", d.Name)
	}
	dims, h, _ := d.Grid()
	n := detail(d)
	open := d.Open()
	if s.SeaOf(d) != nil {
		open = [6]bool{true, true, open[2], open[3], true, true}
	}
	r, err := New(Settings{Factor: factor(d), Seed: uint64(val.RippleSeed.Of(d)), NX: dims.NX * n, NY: dims.NY * n, NZ: dims.NZ * n, H: h / float64(n), Voxel: h,
		Open: [4]bool{open[0], open[1], open[4], open[5]}}, crew)
	if err != nil {
		return nil, fmt.Errorf("%s: %w", d.Name, err)
	}
	first, _ := s.Range()
	return &Stage{Shot: s, Domain: d, Solver: r, crew: crew, next: first}, nil
}

// Next is the frame that Advance takes next.
func (r *Stage) Next() int { return r.next }

// Advance makes the next frame from the run's.
func (r *Stage) Advance(coarse *frame.Frame) error {
	now, d := r.Shot.Eval(float64(r.next)), r.Domain
	weight := val.Weight.At(d, now)
	w := Water{Gravity: val.Gravity.At(r.Shot, now), Tension: val.Tension.At(d, now) / weight, Viscosity: val.Viscosity.At(d, now) / weight, Fade: 1 / val.RippleLasts.At(d, now)}
	if err := r.Solver.Advance(coarse, w, val.RippleStrength.At(d, now), stage.Lasts(r.Shot, r.next)); err != nil {
		return fmt.Errorf("frame %d: %w", r.next, err)
	}
	r.coarse = coarse
	r.next++
	return nil
}

// Resume tells the stage the run's frame that its loaded state came from.
func (r *Stage) Resume(coarse *frame.Frame) error {
	t, err := topOf(coarse, [3]int{r.Solver.NX, r.Solver.NY, r.Solver.NZ}, r.Solver.Factor, r.crew)
	if err == nil {
		r.Solver.see(t)
	}
	return err
}

// Frame is the frame made last, as the cache keeps it: the run's, with another surface.
func (r *Stage) Frame() *frame.Frame {
	out := &frame.Frame{Number: r.next - 1, Points: r.coarse.Points}
	for _, g := range r.coarse.Grids {
		if g.Name != frame.Surface {
			out.Grids = append(out.Grids, g)
			continue
		}
		s := r.Solver.surface()
		far := float32(s.band)
		to := frame.FromDense(frame.Surface, s.low, s.n, [][]float32{s.v}, far, far*1e-3, r.crew.For)
		_, _, o := r.Domain.Grid()
		to.Transform, to.Half, to.Class = frame.Uniform(s.h, [3]float64{o.X + s.h/2, o.Y + s.h/2, o.Z + s.h/2}), g.Half, g.Class
		to.Meta = map[string]any{"frame": int32(r.next - 1), "solver": Version, "unit": "m"}
		out.Grids = append(out.Grids, to)
	}
	return out
}

// saved is the head of a saved state.
type saved struct {
	Next   int    `json:"next"`
	Number int    `json:"number"`
	Key    string `json:"key"`
	NX     int    `json:"nx"`
	NZ     int    `json:"nz"`
}

func (r *Stage) arrays() []state.Array {
	p := r.Solver.pool
	return []state.Array{{Name: "height", V: p.height}, {Name: "push", V: p.push}}
}

// SaveState writes all that a resumed run needs to go on bit for bit.
func (r *Stage) SaveState(w io.Writer) error {
	p := r.Solver.pool
	return state.Write(w, saved{r.next, r.Solver.Number, stage.Key(r.Shot, r.Domain), p.nx, p.nz}, r.arrays(), r.crew.For)
}

// LoadState goes on from a saved state; Resume must follow.
func (r *Stage) LoadState(from io.Reader) error {
	var st saved
	return state.Read(from, &st, func() ([]state.Array, error) {
		p := r.Solver.pool
		if st.Key != stage.Key(r.Shot, r.Domain) || st.NX != p.nx || st.NZ != p.nz {
			return nil, fmt.Errorf("the saved state belongs to other values")
		}
		r.next, r.Solver.Number = st.Next, st.Number
		return r.arrays(), nil
	})
}
