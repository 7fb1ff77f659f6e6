package stage

import (
	"cmp"
	"fmt"
	"hash/fnv"
	"math"
	"slices"

	"zarf/core/geom"
	"zarf/core/grid"
	"zarf/core/shot"
	"zarf/core/shot/val"
	"zarf/core/sim"
)

// Cast is what stages of every solver share: a domain, what acts on it, and the
// time. A solver's stage embeds one.
type Cast struct {
	Shot   *shot.Shot
	Domain *shot.Element
	H      float64 // voxel size, m
	Crew   grid.Crew
	Number int // the frame that Advance makes next

	// Feed reads frames of the stages that feed this one. Without it such a
	// domain can't be run.
	Feed Feed

	// Past tells how a frame before those that this run has made went; nil: nobody knows.
	Past func(number int) (sim.Stats, bool)

	measured map[int]map[string]float64 // by frame and sensor
	driving  *driving                   // what sensors make of values, for one frame

	lines map[string]*geom.Line
	fed   map[string]*fedFrame
	hung  map[string]*hung
	fault error // why a form or a feed can't be had
}

// NewCast is the cast of a domain before its first frame.
func NewCast(s *shot.Shot, d *shot.Element, crew grid.Crew) Cast {
	return Cast{Shot: s, Domain: d, H: val.Voxel.Of(d), Crew: crew, Number: Start(s), lines: map[string]*geom.Line{}}
}

// Of is the stage's domain.
func (c *Cast) Of() *shot.Element { return c.Domain }

// Base is the cast itself.
func (c *Cast) Base() *Cast { return c }

// Next is the frame that Advance makes next.
func (c *Cast) Next() int { return c.Number }

// FedBy tells the stage where frames of the stages that feed it are.
func (c *Cast) FedBy(read Feed) { c.Feed = read }

// Fault is why a form or a feed of the scene made last can't be had; nil: all
// is there.
func (c *Cast) Fault() error { return c.fault }

// Blame tells why something of the scene can't be had; the first such reason stands.
func (c *Cast) Blame(err error) {
	if c.fault == nil {
		c.fault = err
	}
}

// Ready reports what keeps the next frame from being made.
func (c *Cast) Ready() error {
	if feeds := c.fedBy(); len(feeds) > 0 && c.Feed == nil {
		return fmt.Errorf("%s is fed by %s, which isn't at hand here", c.Domain.Name, feeds[0].Name)
	}
	return nil
}

// Start is the first simulated frame, pre-roll included.
func Start(s *shot.Shot) int {
	first, _ := s.Range()
	return first - int(val.Preroll.Of(s))
}

// Substeps is how the next frame is divided.
func (c *Cast) Substeps() sim.Substeps {
	now := c.Now(float64(c.Number))
	s := sim.Substeps{CFL: val.Cfl.At(c.Domain, now), Min: int(val.MinSubsteps.At(c.Domain, now)), Max: int(val.MaxSubsteps.At(c.Domain, now))}
	// keyed limits may cross
	s.Max = max(s.Max, s.Min)
	return s
}

// Now is what values are read with at a frame.
func (c *Cast) Now(frame float64) val.Eval {
	ev := c.Shot.Eval(frame)
	ev.Drive = c.drive(int(math.Ceil(frame - 1e-9)))
	return ev
}

// Lasts is how long the next frame lasts for the fluid, in seconds.
func (c *Cast) Lasts() float64 { return Lasts(c.Shot, c.Number) }

// Began is the fluid's time at which the next frame begins to be made, in
// seconds after the start. Time is counted from frames, so that rounding
// doesn't add up over a shot.
func (c *Cast) Began() float64 { return began(c.Shot, c.Number) }

// Seed is where an element's noise comes from: the domain's seed and the
// element's id, whatever else the shot holds.
func (c *Cast) Seed(e *shot.Element) uint64 {
	h := fnv.New64a()
	fmt.Fprintf(h, "%d %s", int(val.Seed.Of(c.Domain)), e.ID)
	return h.Sum64()
}

// Bound lists the elements that act in the domain, by their ids: the order of
// the cast changes nothing.
func (c *Cast) Bound() []*shot.Element { return bound(c.Shot, c.Domain) }

func bound(s *shot.Shot, d *shot.Element) []*shot.Element {
	solver := Of(d)
	var out []*shot.Element
	for _, e := range s.Elements {
		if !e.Muted && solver.Takes(e.Kind) && e.Acts(d) {
			out = append(out, e)
		}
	}
	// by id: the cast can be put in another order without making takes stale
	slices.SortFunc(out, func(a, b *shot.Element) int { return cmp.Compare(a.ID, b.ID) })
	return out
}

// Scene is what the elements bound to the domain make at t seconds after the
// start, dt after the last substep: colliders and forces. Emitters are the
// solver's own to read.
// Elements that a solver doesn't take are left out beforehand, by Bound.
func (c *Cast) Scene(t, dt float64) (out sim.Scene) {
	m := &Moment{Cast: c, T: t, Dt: dt, Frame: c.clock()(t)}
	m.Now = c.Now(m.Frame)
	for _, e := range c.Bound() {
		if bind := binds[e.Kind]; bind != nil {
			bind(m, e, &out)
		}
	}
	return out
}

// At is the moment t seconds after the start, dt after the last substep.
func (c *Cast) At(t, dt float64) *Moment {
	m := &Moment{Cast: c, T: t, Dt: dt, Frame: c.clock()(t)}
	m.Now = c.Now(m.Frame)
	return m
}

// Moment is when elements are read for a simulation.
type Moment struct {
	*Cast
	T     float64  // s after the start
	Dt    float64  // s since the last substep
	Frame float64  // of the shot, at T
	Now   val.Eval // reads values at Frame
}

// Emitter is what all fluids take from an emitter; ok is false while it rests.
// Frames are compared rounded up: an emitter that ends with frame 12 emits until
// frame 12 stands, and not in the substeps after it.
func (m *Moment) Emitter(e *shot.Element) (em sim.Emitter, ok bool) {
	if now := math.Ceil(m.Frame - 1e-9); now < val.Begin.Of(e) || now > val.End.Of(e) {
		return em, false
	}
	if p := val.Pulse.At(e, m.Now); p > 0 && math.Mod(m.T, p) > p*val.PulseShare.At(e, m.Now) {
		return em, false
	}
	em = sim.Emitter{Shape: m.Form(e), Before: m.Before(e), Inherit: val.Inherit.At(e, m.Now), Speed: val.Speed.At(e, m.Now),
		AlongAxis: val.Along.Of(e) == "axis", Push: geom.FromArray(val.Push.At(e, m.Now)), Breakup: val.Breakup.At(e, m.Now), Seed: m.Seed(e)}
	if em.Breakup > 0 {
		em.NoiseSize, em.NoisePhase = val.BreakupSize.At(e, m.Now), m.Phase(e, val.BreakupRate)
	}
	em.Mask = m.Mask(e)
	if val.From.Of(e) == "surface" {
		em.Surface = val.Shell.At(e, m.Now)
	}
	return em, true
}

// Form is an element's shape at the moment, measured for the domain's voxels.
func (m *Moment) Form(e *shot.Element) geom.Shape { return m.Cast.Form(e, m.Frame) }

// Form is an element's shape at a frame, measured for the domain's voxels.
// The body is filled here, on the solver's own threads, and not when it is first
// asked by one of them.
func (c *Cast) Form(e *shot.Element, frame float64) geom.Shape {
	sh, err := e.Form(c.Now(frame), c.H)
	if err != nil && c.fault == nil {
		c.fault = fmt.Errorf("%s: %w", e.Name, err)
	}
	if sh.Body != nil {
		sh.Body.Fill(c.Crew.For)
	}
	sh.Hollow = e.Kind == shot.Collider && val.Invert.Of(e)
	return sh
}

// Before is an element's shape one substep earlier: it only tells where things
// came from.
func (m *Moment) Before(e *shot.Element) geom.Shape { return m.Cast.Before(e, m.clock()(m.T-m.Dt)) }

// Before is an element's shape at a frame, unmeasured: it only tells where
// things came from.
// Its body isn't filled: only vertices are asked for.
func (c *Cast) Before(e *shot.Element, frame float64) geom.Shape {
	sh, _ := e.Form(c.Now(frame), c.H)
	sh.Hollow = e.Kind == shot.Collider && val.Invert.Of(e)
	return sh
}

// Line is a guide's curve at the moment; the same one as long as it stays.
// A moving guide makes a curve a substep, so old ones are thrown away in a heap.
func (m *Moment) Line(e *shot.Element) *geom.Line {
	at := geom.FromArray(val.Position.At(e, m.Now))
	key := fmt.Sprint(e.ID, at)
	if l, ok := m.lines[key]; ok {
		return l
	}
	var p []geom.Vec3
	for _, q := range val.Points.Of(e) {
		p = append(p, geom.FromArray(q).Add(at))
	}
	if len(m.lines) > 64 {
		clear(m.lines)
	}
	m.lines[key] = geom.NewLine(p, val.Closed.Of(e), 12)
	return m.lines[key]
}

// Lasts is how long a frame lasts for the fluid, in seconds: the time scale may
// have keys.
func Lasts(s *shot.Shot, frame int) float64 {
	return val.TimeScale.At(s, val.Frame(float64(frame))) / s.Rate()
}

// With keys on the time scale it is a sum over frames; without, a product, which is
// exact.
func began(s *shot.Shot, frame int) float64 {
	start := Start(s)
	if !s.Self.Keyed(val.TimeScale) {
		return float64(frame-start) * Lasts(s, start)
	}
	t := 0.0
	for n := start; n < frame; n++ {
		t += Lasts(s, n)
	}
	return t
}

// clock turns the fluid's time into frames about the one being made: at the
// end of its time a frame has its number.
// Within a frame time runs evenly, even where the time scale has keys.
func (c *Cast) clock() func(t float64) float64 {
	s := c.Shot
	if !s.Self.Keyed(val.TimeScale) {
		pace := s.Rate() / val.TimeScale.Of(s)
		return func(t float64) float64 { return float64(Start(s)-1) + t*pace }
	}
	from, pace := c.Began(), 1/c.Lasts()
	return func(t float64) float64 { return float64(c.Number-1) + (t-from)*pace }
}

// Phase is how far a noise that changes at a rate, 1/s, has run at the moment:
// the integral of its rate over the fluid's time. A rate with keys is summed
// frame by frame, by the trapezoidal rule.
func (m *Moment) Phase(e *shot.Element, rate val.NumKey) float64 {
	return m.phase(e, rate, m.T, m.Frame, func(v float64) float64 { return v })
}

// PhaseOf is Phase of a noise that is given by its period, s.
func (m *Moment) PhaseOf(e *shot.Element, period val.NumKey) float64 {
	return m.phase(e, period, m.T, m.Frame, func(v float64) float64 { return 1 / v })
}

// PhaseOfFrame is Phase at the beginning of the frame that is being made.
func (m *Moment) PhaseOfFrame(e *shot.Element, rate val.NumKey) float64 {
	start := m.Began()
	return m.phase(e, rate, start, m.clock()(start), func(v float64) float64 { return v })
}

// phase is how far noise has run by a time: the integral of its pace, which may
// be keyed.
func (c *Cast) phase(e *shot.Element, key val.NumKey, t, f float64, rate func(float64) float64) float64 {
	if !e.Keyed(key) {
		return t * rate(key.Of(e))
	}
	at := func(f float64) float64 { return rate(key.At(e, val.Frame(f))) }
	turns, before := 0.0, float64(Start(c.Shot)-1)
	for n := Start(c.Shot); float64(n) < f; n++ {
		turns += (at(before) + at(float64(n))) / 2 * Lasts(c.Shot, n)
		before = float64(n)
	}
	return turns + (at(before)+at(f))/2*(f-before)*Lasts(c.Shot, int(math.Ceil(f)))
}

// Walls adds the sides of the domain that are closed to what moves without a grid: a block beyond
// each.
func (c *Cast) Walls(list []sim.Collider) []sim.Collider {
	box := c.Domain.DomainBox()
	size, mid := box.Size(), box.Centre()
	thick := size.MaxComponent()
	for side, open := range c.Domain.Open() {
		if open {
			continue
		}
		a, up := side/2, side%2 == 1
		at, by := mid.Array(), size.Add(geom.V(thick, thick, thick).Mul(2)).Array()
		if by[a] = thick; up {
			at[a] = box.Max.Array()[a] + thick/2
		} else {
			at[a] = box.Min.Array()[a] - thick/2
		}
		sh := geom.Shape{Form: geom.Block, Centre: geom.FromArray(at), Size: geom.FromArray(by), Turn: geom.RotationXYZ(geom.Vec3{})}
		list = append(list, sim.Collider{Shape: sh, Before: sh})
	}
	return list
}
