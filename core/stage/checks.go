package stage

// Checks that need what solvers have registered: memory, channels, what takes which
// kind.

import (
	"fmt"
	"math"
	"slices"

	"zarf/core/check"
	"zarf/core/frame"
	"zarf/core/shot"
	"zarf/core/shot/val"
)

func init() {
	check.Register(check.Check{ID: "memory", Find: tooLarge})
	check.Register(check.Check{ID: "feed-channel", Find: feedChannel})
	check.Register(check.Check{ID: "sensor-idle", Find: sensorIdle})
	check.Register(check.Check{ID: "sensor-outside", Find: sensorOutside})
	check.Register(check.Check{ID: "mask-gone", Find: maskGone})
	check.Register(check.Check{ID: "sensor-blind", Find: sensorBlind})
	check.Register(check.Check{ID: "sensor-starves", Find: sensorStarves})
}

// tooLarge finds domains that this machine has no memory for.
// Four fifths of the machine's memory are counted on: pages, pictures and the system
// need the rest.
func tooLarge(s *check.Scene) (out []check.Finding) {
	for _, d := range s.Domains {
		need, room := Memory(d), s.Memory*0.8
		if room <= 0 || need <= room {
			continue
		}
		// Memory goes with the number of voxels, the cube of one over the size; the
		// rest is a margin for what does not.
		h := val.Voxel.Of(d) * math.Cbrt(need/room) * 1.02
		h = math.Ceil(h*1e4) / 1e4
		out = append(out, check.Finding{Severity: check.Fault, Element: d.ID,
			What: fmt.Sprintf("%s would take %.1f GB of memory; this machine has %.1f GB for it.", d.Name, need/1e9, room/1e9),
			Why:  fmt.Sprintf("The smallest voxel that fits is %s m.", shot.Short(h)),
			Mend: check.Set(fmt.Sprintf("Set the voxel size to %s m", shot.Short(h)), d, val.Voxel.Is(h))})
	}
	return out
}

// feedChannel finds emitters that are fed by a channel which their source
// doesn't make or keep.
// Offered is a channel that the source makes and keeps.
func feedChannel(s *check.Scene) (out []check.Finding) {
	for _, e := range s.Emitters {
		src := s.Source(e)
		if val.From.Of(e) != "fluid" || src == nil || src.Kind != shot.Domain {
			continue
		}
		where := val.FedWhere.Of(e)
		c := ChannelOf(src, where)
		entry := shot.Find(shot.Emitter, val.FedWhere.Name())
		f := check.Finding{Severity: check.Fault, Element: e.ID, Why: "There is no such channel in its frames."}
		switch {
		// The first channel that is kept and can feed is offered.
		case c == nil:
			f.What = fmt.Sprintf("%s is fed by %s, which %s doesn't have.", e.Name, entry.Words(where), src.Name)
			for _, c := range Channels(src) {
				if c.Kept && entry.Words(c.Name) != c.Name { // one that can feed
					f.Mend = check.Set("Feed it by "+entry.Words(c.Name), e, val.FedWhere.Is(c.Name))
					break
				}
			}
		case !c.Kept:
			f.What = fmt.Sprintf("%s is fed by what %s doesn't keep in its cache.", e.Name, src.Name)
			if c.Keep != "" {
				f.Mend = check.Set(shot.Find(shot.Domain, c.Keep.Name()).Label, src, c.Keep.Is(true))
			}
		default:
			continue
		}
		out = append(out, f)
	}
	return out
}

// sensors are those that aren't muted.
func sensors(s *check.Scene) []*shot.Element { return s.Of(shot.Sensor) }

// sensorIdle finds sensors that drive nothing, or what isn't there or can't be driven.
func sensorIdle(s *check.Scene) (out []check.Finding) {
	for _, e := range sensors(s) {
		list := e.Driven()
		if len(list) == 0 && !named(s, e.ID) {
			out = append(out, check.Finding{Severity: check.Note, Element: e.ID, What: e.Name + " drives nothing.", Why: "Name values of elements on its sheet, such as emitter2.fuel; till then it only measures."})
		}
		for _, d := range list {
			o := s.Element(d.Element)
			f := check.Finding{Severity: check.Warning, Element: e.ID, What: fmt.Sprintf("%s drives %s.%s, and there is no element %s.", e.Name, d.Element, d.Key, d.Element), Why: "It may have been deleted. The id of an element stands in the address of its sheet."}
			if o != nil {
				x := shot.Find(o.Kind, d.Key)
				switch {
				case x == nil:
					f.What, f.Why = fmt.Sprintf("%s drives %s of %s, which has no such value.", e.Name, d.Key, o.Name), "zarf values lists the names."
				case !x.Keyable || !x.Type.Numeric():
					f.What, f.Why = fmt.Sprintf("%s drives %s of %s, which stays as it is.", e.Name, x.Label, o.Name), "Only numbers that can have keys can be driven."
				case !x.Sim:
					f.What, f.Why = fmt.Sprintf("%s drives %s of %s, which no simulation reads.", e.Name, x.Label, o.Name), "Sensors act within runs."
				default:
					continue
				}
			}
			out = append(out, f)
		}
	}
	return out
}

// named tells that elements name a sensor, as what limits them or as what they wait for.
func named(s *check.Scene, id string) bool {
	return slices.ContainsFunc(s.Elements, func(e *shot.Element) bool {
		return !e.Muted && (e.Masked() == id || e.Kind == shot.Sensor && val.SensorFrom.Of(e) == id)
	}) || marks(s, id)
}

// marks reports a sensor whose form tells cloth where something is.
func marks(s *check.Scene, id string) bool {
	return slices.ContainsFunc(s.Of(shot.Cloth), func(e *shot.Element) bool {
		return val.PinWithin.Of(e) == id || val.WeakWithin.Of(e) == id || val.LitWithin.Of(e) == id
	})
}

// sensorOutside finds sensors whose form lies in none of the domains that they measure.
func sensorOutside(s *check.Scene) (out []check.Finding) {
	for _, e := range sensors(s) {
		if c := val.SensorChannel.Of(e); c == "near" || c == "reach" || c == "since" {
			continue // told from outside too
		}
		form, near, any := e.Shape(s.Now), "", false
		for _, d := range s.Domains {
			if !e.Acts(d) {
				continue
			}
			if by := s.Senses(e, d); by != nil {
				any = any || by.DomainBox().Overlaps(form.Bounds())
				near = by.Name
			}
		}
		if near != "" && !any && !e.Keyed(val.Position) {
			out = append(out, check.Finding{Severity: check.Warning, Element: e.ID, What: fmt.Sprintf("%s lies outside %s.", e.Name, near), Why: "There is nothing to measure."})
		}
	}
	return out
}

// sensorBlind finds sensors that measure a domain that is muted or gone, or a channel that
// it doesn't hold.
func sensorBlind(s *check.Scene) (out []check.Finding) {
	for _, e := range sensors(s) {
		channel := val.SensorChannel.Of(e)
		if len(e.Driven()) == 0 && marks(s, e.ID) { // it is a place and nothing more
			continue
		}
		if channel == "near" || channel == "since" {
			out = append(out, sensorAlone(s, e, channel)...)
			continue
		}
		if channel == "reach" {
			channel = "density"
		}
		entry := shot.Find(shot.Sensor, val.SensorChannel.Name())
		for _, d := range s.Domains {
			if !e.Acts(d) {
				continue
			}
			by := s.Senses(e, d)
			if by == nil {
				out = append(out, check.Finding{Severity: check.Fault, Element: e.ID, What: e.Name + " measures a domain that is muted or gone.", Why: "It would read nothing.",
					Mend: check.Set("Measure the domain that is run", e, val.SensorOf.Is(""))})
				break
			}
			cloth, ofCloth := len(Sewn(s.Shot, by)) > 0, channel == frame.Strain || channel == frame.Soaked
			if loose := by.Fluid().Loose; ofCloth && !cloth || !ofCloth && (loose != (channel == "particles") || !loose && ChannelOf(by, channel) == nil) {
				to := "density"
				switch {
				case cloth:
					to = frame.Strain
				case loose:
					to = "particles"
				}
				out = append(out, check.Finding{Severity: check.Warning, Element: e.ID, What: fmt.Sprintf("%s measures %s, which %s doesn't hold.", e.Name, entry.Words(channel), by.Name), Why: "It reads nothing there.",
					Mend: check.Set("Measure "+entry.Words(to), e, val.SensorChannel.Is(to))})
				break
			}
		}
	}
	return out
}

// sensorAlone finds what a sensor should measure the distance of, or wait for, and can't.
func sensorAlone(s *check.Scene, e *shot.Element, channel string) []check.Finding {
	id := val.SensorFrom.Of(e)
	o := s.Element(id)
	f := check.Finding{Severity: check.Warning, Element: e.ID}
	switch {
	case id == "" && channel == "near":
		f.What, f.Why = e.Name+" measures the distance of nothing.", "Name an element on its sheet."
	case id == "":
		f.What, f.Why = e.Name+" waits for no sensor.", "Name the sensor whose firing it counts from on its sheet."
	case o == nil || o.Muted:
		f.What, f.Why = fmt.Sprintf("%s measures %s, which is muted or gone.", e.Name, id), "It reads as if nothing were near and nothing had fired."
	case channel == "since" && o.Kind != shot.Sensor:
		f.What, f.Why = fmt.Sprintf("%s waits for %s to fire, which is no sensor.", e.Name, o.Name), "Only sensors fire."
	default:
		for _, d := range s.Domains {
			if e.Acts(d) && o.Acts(d) {
				return nil
			}
		}
		f.What, f.Why = fmt.Sprintf("%s and %s act in no domain together.", e.Name, o.Name), "It reads as if nothing were near and nothing had fired."
	}
	return []check.Finding{f}
}

// maskGone finds elements that are limited to the form of a sensor that isn't there.
func maskGone(s *check.Scene) (out []check.Finding) {
	for _, e := range s.Elements {
		id := e.Masked()
		if id == "" || e.Muted {
			continue
		}
		acts := false
		for _, d := range s.Domains {
			acts = acts || e.Acts(d) && s.MaskOf(e, d) != nil
		}
		if !acts {
			out = append(out, check.Finding{Severity: check.Warning, Element: e.ID, What: fmt.Sprintf("%s acts only within %s, which is muted, gone or acts elsewhere.", e.Name, id), Why: "It acts everywhere, as if it were limited by nothing.",
				Mend: check.Set("Limit it by nothing", e, val.Mask.Is(""))})
		}
	}
	return out
}

// amounts are the values that say how much an emitter of gas or particles lets in.
var amounts = []string{val.Smoke.Name(), val.Fuel.Name(), val.BirthRate.Name(), val.BirthDensity.Name(), val.BirthCount.Name()}

// sensorStarves finds sensors that can never fire: all that lets anything into the domain
// that they measure waits for them.
func sensorStarves(s *check.Scene) (out []check.Finding) {
	for _, e := range sensors(s) {
		if c := val.SensorChannel.Of(e); c == "near" || c == "since" {
			continue // these wait for nothing that emits
		}
		if val.SensorInverted.Of(e) || val.SensorHow.Of(e) != "times" {
			continue
		}
		waits := map[string]bool{} // what lets something in, by how much
		for _, d := range e.Driven() {
			waits[d.Element] = waits[d.Element] || !d.Spans && slices.Contains(amounts, d.Key)
		}
		for _, d := range s.Domains {
			by := s.Senses(e, d)
			if !e.Acts(d) || by == nil {
				continue
			}
			all, some := true, false
			for _, m := range s.Emitters {
				if m.Acts(by) {
					all, some = all && waits[m.ID], true
				}
			}
			if all && some {
				out = append(out, check.Finding{Severity: check.Warning, Element: e.ID, What: e.Name + " may never fire: every emitter of " + by.Name + " is multiplied by it.", Why: "Until it reads something they let nothing in, and until they do there is nothing to read. Let one emit by itself, span the value, or invert the sensor."})
				break
			}
		}
	}
	return out
}
