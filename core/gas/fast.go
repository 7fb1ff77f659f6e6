package gas

// Gas that is faster than anything explains: where it is, and what would explain it.

import (
	"fmt"
	"math"
	"slices"

	"zarf/core/check"
	"zarf/core/geom"
	"zarf/core/shot"
	"zarf/core/shot/val"
	"zarf/core/sim"
)

// fastest finds where gas is as fast as the survey found, in the plane that it named.
func (s *Solver) fastest() geom.Vec3 {
	for c, f := range s.velocity() {
		if s.fastIn >= f.NZ {
			continue
		}
		for j := range f.NY {
			for i, v := range f.Row(j, s.fastIn) {
				if math.Abs(float64(v)) == s.fast {
					return s.facePoint(i, j, s.fastIn, c)
				}
			}
		}
	}
	return geom.Vec3{}
}

// unexplained finds runs with gas more than three times as fast as inflow, warmth, forces
// and moving solids explain, and names the place: gas squeezed between solids, or a solid
// that goes too far in a step.
func unexplained(s *shot.Shot, d *shot.Element, frames map[int]sim.Stats) []check.Finding {
	if d.Fluid().Key != Key || slices.ContainsFunc(s.Of(shot.Emitter), func(e *shot.Element) bool { return e.Acts(d) && val.From.Of(e) == "fluid" }) {
		return nil // what feeds it has speeds of its own
	}
	worst, at, explained := 0.0, 0, 0.0
	peak := 0.0
	order := make([]int, 0, len(frames))
	for n := range frames {
		order = append(order, n)
	}
	slices.Sort(order)
	steady := explains(s, d)
	for _, n := range order {
		f := frames[n]
		peak = max(peak, f.Of(sim.PeakHeat))
		v := math.Sqrt(steady*steady + rises(s, d, peak) + expands(s, f))
		if v = max(v, 0.5); f.MaxSpeed > 3*v && f.MaxSpeed/v > worst {
			worst, at, explained = f.MaxSpeed/v, n, v
		}
	}
	if at == 0 {
		return nil
	}
	f := frames[at]
	return []check.Finding{{ID: "fast", Severity: check.Warning, Element: d.ID,
		What: fmt.Sprintf("Gas in %s goes at %s m/s in frame %d, at %s, %s, %s m.", d.Name, shot.Short(math.Round(f.MaxSpeed*10)/10), at, short(f.Of(sim.FastX)), short(f.Of(sim.FastY)), short(f.Of(sim.FastZ))),
		Why:  fmt.Sprintf("Inflow, warmth, forces and solids explain some %s m/s. Look there for solids that squeeze gas or go far in a step: it throws smoke about and costs substeps.", short(explained))}}
}

func short(v float64) string { return shot.Short(math.Round(v*100) / 100) }

// rises is the square of the speed, m²/s², that gas so many kelvin warmer than the air can
// gain over the domain's height, and smoke that weighs something on its way down.
func rises(s *shot.Shot, d *shot.Element, warm float64) float64 {
	air := val.AirTemperature.Of(s)
	lift := math.Abs(val.Lift.Of(d)) * warm / (warm + air)
	for _, e := range s.Of(shot.Emitter) { // colder than the air, it falls
		if cold := air - val.Temperature.Of(e); e.Acts(d) && cold > 0 {
			lift = max(lift, math.Abs(val.Lift.Of(d))*cold/max(air-cold, 1))
		}
		if e.Acts(d) {
			lift = max(lift, math.Abs(val.SmokeWeight.Of(d))*check.Highest(e, val.Smoke)/val.AirDensity.Of(s))
		}
	}
	return 2 * math.Abs(val.Gravity.Of(s)) * lift * val.Size.Of(d)[1]
}

// expands is the square of the speed, m²/s², at which new gas leaves a ball as large as what
// can be seen.
func expands(s *shot.Shot, f sim.Stats) float64 {
	made := (f.Of(sim.VolumeMade)) * s.Rate() / val.TimeScale.Of(s)
	r := math.Cbrt(3 * f.Bulk / (4 * math.Pi))
	if made <= 0 || r <= 0 {
		return 0
	}
	v := made / (2 * math.Pi * r * r) // over the half of it that is free
	return v * v
}

// explains is the speed, m/s, that inflow, forces and moving solids make at most.
func explains(s *shot.Shot, d *shot.Element) float64 {
	sum := 0.0
	add := func(v float64) { sum += v * v }
	in := 0.0
	for _, e := range s.Elements {
		if !e.Acts(d) || e.Muted {
			continue
		}
		switch e.Kind {
		case shot.Emitter:
			p := val.Push.Of(e)
			in = max(in, math.Abs(check.Highest(e, val.Speed))+geom.FromArray(p).Len()+val.Inherit.Of(e)*pace(s, e))
		case shot.Collider:
			in = max(in, pace(s, e))
		case shot.Wind:
			add(geom.FromArray(val.Velocity.Of(e)).Len() * (1 + val.Gust.Of(e)))
		case shot.Turbulence:
			add(math.Sqrt(2 * math.Abs(check.Highest(e, val.Strength)) * val.Largest.Of(e)))
		case shot.Guide:
			add(math.Abs(val.Pace.Of(e)) + math.Abs(val.Draw.Of(e)) + math.Abs(val.Swirl.Of(e)))
		case shot.Pull:
			add(check.Highest(e, val.Gather))
		case shot.Vortex, shot.Radial:
			add(math.Sqrt(2 * math.Abs(check.Highest(e, val.Strength)) * 2 * max(val.Radius.Of(e), 0.1)))
		}
	}
	add(in)
	return math.Sqrt(sum)
}

// pace is how fast an element's form goes and turns at most, m/s, at its rim.
func pace(s *shot.Shot, e *shot.Element) (fast float64) {
	last, dt := int(val.Last.Of(s)), val.TimeScale.Of(s)/s.Rate()
	if e.FromFile() {
		return check.MeshPace(s, e) / dt
	}
	was, err := e.Form(s.Eval(1), 0)
	if err != nil {
		return 0
	}
	for f := 2; f <= last; f++ {
		now, err := e.Form(s.Eval(float64(f)), 0)
		if err != nil {
			return fast
		}
		if now != was {
			fast = max(fast, moved(&was, &now)/dt)
		}
		was = now
	}
	return fast
}

// moved is how far a form's corner went from one pose to the next, m.
func moved(a, b *geom.Shape) (far float64) {
	half := b.Size.Mul(0.5)
	for n := range 8 {
		p := geom.V(half.X*float64(n&1*2-1), half.Y*float64(n>>1&1*2-1), half.Z*float64(n>>2*2-1))
		far = max(far, b.Centre.Add(b.Turn.Apply(p)).Sub(a.Centre.Add(a.Turn.Apply(p))).Len())
	}
	return far
}
