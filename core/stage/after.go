package stage

import (
	"fmt"
	"math"

	"zarf/core/check"
	"zarf/core/shot"
	"zarf/core/shot/val"
	"zarf/core/sim"
)

// After looks at how the frames of a run of domain d went: what every solver
// can tell, and what its own adds. frames go by number.
//
// It reads statistics only, so it is cheap and can run after every frame. What it
// says is about the run and not about the document: mends are offered for the next
// one.
func After(s *shot.Shot, d *shot.Element, frames map[int]sim.Stats) (out []check.Finding) {
	capped, stuck, first := 0, 0, math.MaxInt
	for n, f := range frames {
		if f.Capped {
			capped++
			first = min(first, n)
		}
		if f.Unconverged > 0 {
			stuck++
		}
	}
	solver := Of(d)
	if solver != nil && solver.After != nil {
		out = solver.After(s, d, frames)
	}
	if capped > 0 {
		most := val.MaxSubsteps.Of(d)
		out = append(out, check.Finding{ID: "substeps", Severity: check.Warning, Element: d.ID, What: fmt.Sprintf("%d frames, from %d on, needed more than %d substeps.", capped, first, int(most)), Why: "Fluid crossed more voxels a step than asked: it smears and may leave gaps.",
			Mend: check.Set("Allow twice as many", d, val.MaxSubsteps.Is(min(500, 2*most)))})
	}
	if stuck > 0 {
		out = append(out, check.Finding{ID: "pressure", Severity: check.Warning, Element: d.ID, What: fmt.Sprintf("The pressure didn't settle in %d frames.", stuck), Why: "Fluid is squeezed where it shouldn't be; thin walls are the usual cause."})
	}
	return append(out, quiet(s, d, frames)...)
}

// quiet finds sensors that drive something and never fired in a run that is whole, and tells
// how near they came.
func quiet(s *shot.Shot, d *shot.Element, frames map[int]sim.Stats) (out []check.Finding) {
	first, last := Start(s), 0
	if _, last = s.Range(); len(frames) < last-first+1 {
		return nil
	}
	past := func(n int) (sim.Stats, bool) { st, there := frames[n]; return st, there }
	for _, e := range s.Of(shot.Sensor) {
		if e.Muted || !e.Acts(d) || len(e.Driven()) == 0 || val.SensorInverted.Of(e) {
			continue
		}
		best := 0.0
		for _, v := range Readings(s, d, e, past, last+1) {
			best = max(best, v)
		}
		if best >= 0.5 {
			continue
		}
		low, high := val.SensorLow.Of(e), val.SensorHigh.Of(e)
		near, at := math.Inf(1), 0 // how far from full, and when
		for n, f := range frames {
			m, there := f.Amounts[Measured(e)]
			if away := math.Abs(m - high); there && (away < near || away == near && n < at) {
				near, at = away, n
			}
		}
		f := check.Finding{ID: "sensor-quiet", Severity: check.Note, Element: e.ID, What: fmt.Sprintf("%s never fired: it read %s at most.", e.Name, shot.Short(math.Round(best*1000)/1000)), Why: "It measured nothing on any frame."}
		if at > 0 {
			m := frames[at].Of(Measured(e))
			f.Why = fmt.Sprintf("It measured %s at frame %d and reads full at %s. Coarser voxels measure less of what is sharp.", shot.Short(math.Round(m*1000)/1000), at, shot.Short(high))
			if fit := math.Round((low+0.9*(m-low))*1000) / 1000; (fit-low)*(high-low) > 0 {
				f.Mend = check.Set(fmt.Sprintf("Let it be full at %s", shot.Short(fit)), e, val.SensorHigh.Is(fit))
			}
		}
		out = append(out, f)
	}
	return out
}

// WhyEmpty tells why a shot's emitters make nothing that can be seen in domain
// d.
//
// It is asked only when a take shows nothing. The reasons come in the order of the
// cast, and with them whatever the checks say of its emitters.
func WhyEmpty(s *shot.Shot, d *shot.Element) (out []check.Finding) {
	say := func(e *shot.Element, what, why string) {
		out = append(out, check.Finding{ID: "why-empty", Severity: check.Note, Element: e.ID, What: what, Why: why})
	}
	first, last := s.Range()
	solver := Of(d)
	emitters := 0
	for _, e := range s.Elements {
		if e.Kind != shot.Emitter {
			continue
		}
		emitters++
		gives := solver == nil || solver.Gives == nil
		// keys may give on any frame
		for f := first; f <= last && !gives; f++ {
			gives = solver.Gives(e, s.Eval(float64(f)))
		}
		switch {
		case e.Muted:
			say(e, e.Name+" is muted.", "Unmute it in the cast.")
		case val.Begin.Of(e) > float64(last) || val.End.Of(e) < float64(first):
			say(e, fmt.Sprintf("%s emits on frames %.0f to %.0f only.", e.Name, val.Begin.Of(e), val.End.Of(e)), fmt.Sprintf("The shot runs from %d to %d.", first, last))
		case !gives:
			say(e, e.Name+" gives "+solver.Nothing+" on any frame.", solver.NothingWhy)
		}
	}
	if emitters == 0 {
		out = append(out, check.Finding{ID: "why-empty", Severity: check.Note, What: "The shot has no emitter.", Why: "Add one, or a recipe."})
	}
	for _, f := range check.Shot(s, check.Machine{Memory: math.Inf(1)}) {
		if e := s.Element(f.Element); e != nil && e.Kind == shot.Emitter {
			out = append(out, f)
		}
	}
	return out
}
