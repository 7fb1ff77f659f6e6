package stage

import (
	"fmt"
	"math"

	"zarf/core/format/vdb"
	"zarf/core/gas"
	"zarf/core/geom"
	"zarf/core/grid"
	"zarf/core/shot"
)

// cast is what stages of every kind of fluid share: a domain, what acts on it,
// and the time.
type cast struct {
	Shot   *shot.Shot
	Domain *shot.Element
	h      float64 // voxel size, m
	crew   grid.Crew
	next   int // the frame that Advance makes next
	lines  map[string]*geom.Line
	fault  error // why a form can't be had

	// Feed reads frames of the domains that feed this one. Without it such a
	// domain can't be run.
	Feed func(d *shot.Element, frame int) (*vdb.File, error)
	fed  map[string]*fedFrame
}

func newCast(s *shot.Shot, d *shot.Element, h float64, crew grid.Crew) cast {
	return cast{Shot: s, Domain: d, h: h, crew: crew, next: Start(s), lines: map[string]*geom.Line{}}
}

// Of is the stage's domain.
func (g *cast) Of() *shot.Element { return g.Domain }

// FedBy tells the stage where frames of the domains that feed it are.
func (g *cast) FedBy(read func(d *shot.Element, frame int) (*vdb.File, error)) { g.Feed = read }

// emitter is what all fluids take from an emitter, the nth element, at t
// seconds after the start; ok is false while it rests.
func (g *cast) emitter(e *shot.Element, n int, t, dt float64) (em gas.Emitter, ok bool) {
	frame := g.clock()
	f := frame(t)
	num := func(key string) float64 { return e.At(key, f).Num }
	if now := math.Ceil(f - 1e-9); now < e.Get("begin").Num || now > e.Get("end").Num {
		return em, false
	}
	if p := num("pulse"); p > 0 && math.Mod(t, p) > p*num("pulse_share") {
		return em, false
	}
	seed := uint64(g.Domain.Get("seed").Num)
	em = gas.Emitter{Shape: g.form(e, f), Before: g.before(e, frame(t-dt)), Inherit: num("inherit"), Speed: num("speed"),
		AlongAxis: e.Get("along").Text == "axis", Push: geom.FromArray(e.At("push", f).Vec),
		Breakup: num("breakup"), NoiseSize: num("breakup_size"), NoisePhase: g.phase(e, "breakup_rate", t, f, same), Seed: seed*1000 + uint64(n)}
	if e.Get("from").Text == "surface" {
		em.Surface = num("shell")
	}
	return em, true
}

func (g *cast) collider(e *shot.Element, t, dt float64) gas.Collider {
	frame := g.clock()
	return gas.Collider{Shape: g.form(e, frame(t)), Before: g.before(e, frame(t-dt)), Friction: e.At("friction", frame(t)).Num}
}

func region(e *shot.Element, f float64) (r gas.Region) {
	r.Shape, r.Fade, r.Limited = e.RegionShape(f)
	return r
}

func vortex(e *shot.Element, f float64) gas.Vortex {
	num := func(key string) float64 { return e.At(key, f).Num }
	return gas.Vortex{Centre: geom.FromArray(e.At("position", f).Vec), Axis: geom.RotationXYZ(geom.FromArray(e.At("turn", f).Vec)).Apply(geom.V(0, 1, 0)),
		Radius: num("radius"), Strength: num("strength"), Draw: num("draw"), Lift: num("lift"), Region: region(e, f)}
}

func radial(e *shot.Element, f float64) gas.Radial {
	return gas.Radial{Centre: geom.FromArray(e.At("position", f).Vec), Radius: e.At("radius", f).Num, Strength: e.At("strength", f).Num, Region: region(e, f)}
}

// form is an element's shape at a frame, measured for this domain's voxels.
func (g *cast) form(e *shot.Element, frame float64) geom.Shape {
	sh, err := e.Form(frame, g.h)
	if err != nil && g.fault == nil {
		g.fault = fmt.Errorf("%s: %w", e.Name, err)
	}
	if sh.Body != nil {
		sh.Body.Fill(g.crew.For)
	}
	sh.Hollow = e.Kind == shot.Collider && e.Get("invert").Flag
	return sh
}

// before is a shape that only tells where things came from.
func (g *cast) before(e *shot.Element, frame float64) geom.Shape {
	sh, _ := e.Form(frame, g.h)
	sh.Hollow = e.Kind == shot.Collider && e.Get("invert").Flag
	return sh
}

// line is a guide's curve at a frame; the same one as long as it stays.
func (g *cast) line(e *shot.Element, frame float64) *geom.Line {
	at := geom.FromArray(e.At("position", frame).Vec)
	key := fmt.Sprint(e.ID, at)
	if l, ok := g.lines[key]; ok {
		return l
	}
	var p []geom.Vec3
	for _, q := range e.Get("points").Places() {
		p = append(p, geom.FromArray(q).Add(at))
	}
	if len(g.lines) > 64 {
		clear(g.lines)
	}
	g.lines[key] = geom.NewLine(p, e.Get("closed").Flag, 12)
	return g.lines[key]
}

// Next is the frame that Advance makes next.
func (g *cast) Next() int { return g.next }

// lasts is how long a frame lasts for the fluid, in seconds: the time scale
// may have keys.
func lasts(s *shot.Shot, frame int) float64 {
	return s.Self.At("time_scale", float64(frame)).Num / s.Rate()
}

// began is the fluid's time at which a frame begins to be made, in seconds
// after the start.
func began(s *shot.Shot, frame int) float64 {
	start := Start(s)
	if len(s.Self.Keys["time_scale"]) == 0 {
		return float64(frame-start) * lasts(s, start)
	}
	t := 0.0
	for n := start; n < frame; n++ {
		t += lasts(s, n)
	}
	return t
}

// clock turns the fluid's time into frames about the one being made: at the
// end of its time a frame has its number.
func (g *cast) clock() func(t float64) float64 {
	s := g.Shot
	if len(s.Self.Keys["time_scale"]) == 0 {
		pace := s.Rate() / s.Get("time_scale").Num
		return func(t float64) float64 { return float64(Start(s)-1) + t*pace }
	}
	from, pace := began(s, g.next), 1/lasts(s, g.next)
	return func(t float64) float64 { return float64(g.next-1) + (t-from)*pace }
}

func same(v float64) float64    { return v }
func inverse(v float64) float64 { return 1 / v }

// phase is how far a noise has run at time t, at frame f: the integral of its
// rate, or of the inverse of its period, over the fluid's time. A rate with
// keys is summed frame by frame, by the trapezoidal rule.
func (g *cast) phase(e *shot.Element, key string, t, f float64, rate func(float64) float64) float64 {
	if len(e.Keys[key]) == 0 {
		return t * rate(e.Get(key).Num)
	}
	at := func(f float64) float64 { return rate(e.At(key, f).Num) }
	turns, before := 0.0, float64(Start(g.Shot)-1)
	for n := Start(g.Shot); float64(n) < f; n++ {
		turns += (at(before) + at(float64(n))) / 2 * lasts(g.Shot, n)
		before = float64(n)
	}
	return turns + (at(before)+at(f))/2*(f-before)*lasts(g.Shot, int(math.Ceil(f)))
}
