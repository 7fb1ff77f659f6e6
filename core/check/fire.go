package check

import (
	"fmt"
	"maps"
	"math"
	"slices"
	"strings"

	"zarf/core/gas"
	"zarf/core/shot"
	"zarf/core/stage"
)

// highest is the highest value over an element's keys, or its value.
func highest(e *shot.Element, key string) float64 {
	keys := e.Keys[key]
	if len(keys) == 0 {
		return e.Get(key).Num
	}
	top := math.Inf(-1)
	for _, k := range keys {
		top = max(top, k.Value.Num)
	}
	return top
}

// feeders are the emitters of fuel that act on a domain.
func (s *scene) feeders(d *shot.Element) (out []*shot.Element) {
	for _, e := range s.emitters {
		if e.Acts(d) && highest(e, "fuel") > 0 {
			out = append(out, e)
		}
	}
	return out
}

func fuelUnused(s *scene) []Finding {
	var out []Finding
	for _, d := range s.domains {
		if f := s.feeders(d); len(f) > 0 && !d.Burns() && !d.Liquid() {
			out = append(out, Finding{Severity: Warning, Element: d.ID, What: fmt.Sprintf("%s lets out fuel, and %s doesn't burn.", f[0].Name, d.Name), Why: "Its fuel is not carried: nothing will be seen of it.", Mend: &Mend{Label: "Let fuel burn", Element: d.ID, Key: "burning", Value: shot.Text("fuel")}})
		}
	}
	return out
}

func noFuel(s *scene) []Finding {
	var out []Finding
	for _, d := range s.domains {
		if !d.Burns() || len(s.feeders(d)) > 0 || len(s.emitters) == 0 {
			continue
		}
		f := Finding{Severity: Warning, Element: d.ID, What: d.Name + " burns fuel, and no emitter lets any out.", Why: "There will be no flame, and the run takes longer for nothing."}
		for _, e := range s.emitters {
			if e.Acts(d) && f.Mend == nil {
				f.Mend = &Mend{Label: "Let fuel out of " + e.Name, Element: e.ID, Key: "fuel", Value: shot.Num(0.06)}
			}
		}
		out = append(out, f)
	}
	return out
}

func fuelCold(s *scene) []Finding {
	var out []Finding
	air := s.Get("air_temperature").Num
	for _, d := range s.domains {
		feed := s.feeders(d)
		if !d.Burns() || len(feed) == 0 {
			continue
		}
		light := highest(d, "ignition")
		if len(d.Keys["ignition"]) > 0 {
			for _, k := range d.Keys["ignition"] {
				light = min(light, k.Value.Num)
			}
		}
		if light < air {
			out = append(out, Finding{Severity: Note, Element: d.ID, What: fmt.Sprintf("Fuel ignites at %s K, under the air's %s K.", shot.Short(light), shot.Short(air)), Why: "It burns the moment that it comes out. That can be meant."})
			continue
		}
		hot := air
		for _, e := range s.emitters {
			if e.Acts(d) {
				hot = max(hot, highest(e, "temperature"))
			}
		}
		if hot >= light {
			continue
		}
		out = append(out, Finding{Severity: Warning, Element: feed[0].ID,
			What: fmt.Sprintf("%s's fuel can't ignite: it needs %s K, and nothing in %s is over %s K.", feed[0].Name, shot.Short(light), d.Name, shot.Short(hot)),
			Why:  "Fuel burns only where it is as hot as its ignition temperature, or beside flame.",
			Mend: &Mend{Label: fmt.Sprintf("Let %s out at %s K", feed[0].Name, shot.Short(light+100)), Element: feed[0].ID, Key: "temperature", Value: shot.Num(light + 100)}})
	}
	return out
}

// hottest is more than fire can reach, K.
const hottest = 4500

func fireHot(s *scene) []Finding {
	var out []Finding
	for _, d := range s.domains {
		if !d.Burns() {
			continue
		}
		warm := highest(d, "heat_released") * 1e6 / (s.Get("air_density").Num * gas.HeatCapacity) // K for 1 kg/m³
		for _, e := range s.feeders(d) {
			start := max(highest(e, "temperature"), highest(d, "ignition"))
			end := start + warm*highest(e, "fuel")
			if d.Get("burning").Text == "oxygen" && d.Get("oxygen_need").Num > 0 {
				end = min(end, start+warm/d.Get("oxygen_need").Num)
			}
			if end <= hottest {
				continue
			}
			most := math.Floor((hottest-start)*0.9/warm*1000) / 1000
			f := Finding{Severity: Warning, Element: e.ID,
				What: fmt.Sprintf("%s burns up to %s K.", e.Name, shot.Short(math.Round(end/100)*100)),
				Why:  "No flame is hotter than some 4,000 K: it will look white all over and rush upwards. Less fuel, less heat, or counting the air mends that."}
			if most > 0 && len(e.Keys["fuel"]) == 0 {
				f.Mend = &Mend{Label: fmt.Sprintf("Set fuel to %s kg/m³", shot.Short(most)), Element: e.ID, Key: "fuel", Value: shot.Num(most)}
			}
			out = append(out, f)
		}
	}
	return out
}

func closedFire(s *scene) []Finding {
	var out []Finding
	for _, d := range s.domains {
		if d.Burns() && highest(d, "expansion") > 0 && closed(d) && len(s.feeders(d)) > 0 {
			out = append(out, Finding{Severity: Warning, Element: d.ID, What: fmt.Sprintf("%s is closed, and burning gas in it expands.", d.Name), Why: "Gas can't be squeezed here: the expansion is held back, and the run tells how much.", Mend: &Mend{Label: "Open the top", Element: d.ID, Key: "side_y1", Value: shot.Text("outflow")}})
		}
	}
	return out
}

func fireUnseen(s *scene) (out []Finding) {
	for _, d := range s.domains {
		for _, key := range []string{"cache_temperature", "cache_fire"} {
			if d.Burns() && !d.Get(key).Flag {
				out = append(out, Finding{Severity: Warning, Element: d.ID, What: fmt.Sprintf("%s burns, and “%s” is off.", d.Name, shot.Find(shot.Domain, key).Label), Why: "Without it fire can't be seen in pictures.", Mend: &Mend{Label: "Keep it", Element: d.ID, Key: key, Value: shot.On(true)}})
			}
		}
	}
	return out
}

func upresWants(s *scene) []Finding {
	var out []Finding
	for _, d := range s.domains {
		if stage.Factor(d) == 1 {
			continue
		}
		if !d.Get("cache_velocity").Flag {
			out = append(out, Finding{Severity: Fault, Element: d.ID, What: d.Name + " has upres, and doesn't keep velocity.", Why: "Upres follows the coarse run's velocity.", Mend: &Mend{Label: "Keep velocity", Element: d.ID, Key: "cache_velocity", Value: shot.On(true)}})
		}
		for _, key := range []string{"cache_temperature", "cache_fire"} {
			if !d.Get(key).Flag && (key != "cache_fire" || d.Burns()) {
				out = append(out, Finding{Severity: Fault, Element: d.ID, What: fmt.Sprintf("%s has upres, and “%s” is off.", d.Name, shot.Find(shot.Domain, key).Label), Why: "Upres carries every channel.", Mend: &Mend{Label: "Keep it", Element: d.ID, Key: key, Value: shot.On(true)}})
			}
		}
		if d.Get("flat").Flag {
			out = append(out, Finding{Severity: Fault, Element: d.ID, What: d.Name + " is flat and has upres.", Why: "Fine whirls need depth.", Mend: &Mend{Label: "Switch upres off", Element: d.ID, Key: "upres", Value: shot.Text("1")}})
		}
	}
	return out
}

func regionOutside(s *scene) []Finding {
	var out []Finding
	for _, e := range s.Elements {
		if e.Muted || shot.Find(e.Kind, "region") == nil {
			continue
		}
		sh, fade, limited := e.RegionShape(s.first)
		if !limited || len(e.Keys["position"]) > 0 {
			continue
		}
		hit, gap := len(s.domains) == 0, math.Inf(1)
		for _, d := range s.domains {
			g := d.DomainBox().Gap(sh.Bounds().Grow(fade))
			hit = hit || g == 0
			gap = min(gap, g)
		}
		if !hit {
			out = append(out, Finding{Severity: Warning, Element: e.ID, What: fmt.Sprintf("%s's region lies %s m outside every domain.", e.Name, shot.Short(math.Round(gap*1000)/1000)), Why: "It acts on nothing.", Mend: &Mend{Label: "Let it act everywhere", Element: e.ID, Key: "region", Value: shot.Text("everywhere")}})
		}
	}
	return out
}

var sideNames = [6]string{"−x", "+x", "floor", "top", "−z", "+z"}

// leakFrom is the share of the speed near a thin solid from which gas that
// goes through it is told.
const leakFrom = 0.1

func first0(s *shot.Shot) int { a, _ := s.Range(); return a }

// WhyEmpty tells why a shot's emitters make nothing that can be seen.
func WhyEmpty(s *shot.Shot) (out []Finding) {
	say := func(e *shot.Element, what, why string) {
		out = append(out, Finding{ID: "why-empty", Severity: Note, Element: e.ID, What: what, Why: why})
	}
	first, last := s.Range()
	emitters := 0
	for _, e := range s.Elements {
		if e.Kind != shot.Emitter {
			continue
		}
		emitters++
		most := 0.0
		for f := first; f <= last; f++ {
			most = max(most, e.At("smoke", float64(f)).Num, e.At("fuel", float64(f)).Num)
			if pours := e.Get("pours").Text; slices.ContainsFunc(s.Of(shot.Domain), func(d *shot.Element) bool { return d.Liquid() && e.Acts(d) }) && (pours == "once" || pours == "full" || e.At("speed", float64(f)).Num != 0) {
				most = max(most, 1)
			}
		}
		switch {
		case e.Muted:
			say(e, e.Name+" is muted.", "Unmute it in the cast.")
		case e.Get("begin").Num > float64(last) || e.Get("end").Num < float64(first):
			say(e, fmt.Sprintf("%s emits on frames %.0f to %.0f only.", e.Name, e.Get("begin").Num, e.Get("end").Num), fmt.Sprintf("The shot runs from %d to %d.", first, last))
		case most == 0:
			say(e, e.Name+" gives neither smoke nor fuel on any frame.", "Warm or fast air alone can't be seen; give it smoke.")
		}
	}
	if emitters == 0 {
		out = append(out, Finding{ID: "why-empty", Severity: Note, What: "The shot has no emitter.", Why: "Add one, or a recipe."})
	}
	for _, f := range Shot(s, Machine{Memory: math.Inf(1)}) {
		if e := s.Element(f.Element); e != nil && e.Kind == shot.Emitter {
			out = append(out, f)
		}
	}
	return out
}

// After looks at how the frames of a run went: what was cut off, held back, or
// not followed closely enough. frames go by number.
func After(s *shot.Shot, d *shot.Element, frames map[int]gas.FrameStats) []Finding {
	var out []Finding
	var smoke, made, held, lost float64
	var cut [6]float64
	limit := map[int]int{} // side → first frame
	capped, stuck := 0, 0
	leaks := map[string]float64{}
	first, worst := math.MaxInt, 0
	for n, f := range frames {
		smoke = max(smoke, f.SmokeTotal)
		made, held, lost = made+f.VolumeMade, held+f.VolumeHeld, lost+f.Lost
		for side := range 6 {
			cut[side] += f.Cut[side]
			if at, seen := limit[side]; f.AtLimit[side] && (!seen || n < at) {
				limit[side] = n
			}
		}
		for id, share := range f.Leaks {
			leaks[id] = max(leaks[id], share)
		}
		if f.Capped {
			capped++
			if n < first {
				first = n
			}
		}
		worst = max(worst, f.Substeps)
		if f.Unconverged > 0 {
			stuck++
		}
	}
	for side, v := range cut {
		if d.Liquid() {
			break
		}
		all := smoke + cut[0] + cut[1] + cut[2] + cut[3] + cut[4] + cut[5]
		if share := v / max(all, 1e-12); share > 0.03 {
			f := Finding{ID: "cut", Severity: Warning, Element: d.ID, What: fmt.Sprintf("%.0f %% of the smoke left %s at %s.", 100*share, d.Name, sideNames[side]), Why: "The picture shows it cut off there, if the camera sees that side."}
			if at, ok := limit[side]; ok {
				f.Why = fmt.Sprintf("Bounds that follow reached their limit there at frame %d.", at)
			}
			size := d.Get("size")
			size.Vec[side/2] = math.Ceil(size.Vec[side/2]*130) / 100
			f.Mend = &Mend{Label: fmt.Sprintf("Make it %s m along %s", shot.Short(size.Vec[side/2]), "xyz"[side/2:side/2+1]), Element: d.ID, Key: "size", Value: size}
			out = append(out, f)
		}
	}
	var reached []string
	for side := range 6 {
		if at, ok := limit[side]; ok && d.Get(sides[side]).Text == "outflow" && cut[side] <= 0.03*smoke {
			reached = append(reached, fmt.Sprintf("%s (from frame %d)", sideNames[side], at))
		}
	}
	if len(reached) > 0 {
		out = append(out, Finding{ID: "limit", Severity: Note, Element: d.ID, What: fmt.Sprintf("Fluid reached the limit at %s.", strings.Join(reached, ", ")), Why: "Little of it was lost there."})
	}
	if capped > 0 {
		out = append(out, Finding{ID: "substeps", Severity: Warning, Element: d.ID, What: fmt.Sprintf("%d frames, from %d on, needed more than %d substeps.", capped, first, int(d.Get("max_substeps").Num)), Why: "Fluid crossed more voxels a step than asked: it smears and may leave gaps.", Mend: &Mend{Label: "Allow twice as many", Element: d.ID, Key: "max_substeps", Value: shot.Num(min(500, 2*d.Get("max_substeps").Num))}})
	}
	if held > 1e-3*max(made, 1e-9) && held > 0 {
		out = append(out, Finding{ID: "held", Severity: Warning, Element: d.ID, What: fmt.Sprintf("%s m³ of new gas found no way out of %s.", shot.Short(math.Round(held*1000)/1000), d.Name), Why: "All its sides are walls: the expansion was held back.", Mend: &Mend{Label: "Open the top", Element: d.ID, Key: "side_y1", Value: shot.Text("outflow")}})
	}
	if lost > 0.01*smoke && lost > 0 {
		out = append(out, Finding{ID: "trimmed", Severity: Warning, Element: d.ID, What: fmt.Sprintf("%.1f %% of the smoke was thinner than what counts as fluid and was dropped.", 100*lost/smoke), Why: "Veils may end abruptly.", Mend: &Mend{Label: "Count thinner smoke", Element: d.ID, Key: "follow_from", Value: shot.Num(d.Get("follow_from").Num / 10)}})
	}
	for _, id := range slices.Sorted(maps.Keys(leaks)) {
		if e := s.Element(id); e != nil && leaks[id] > leakFrom {
			sh := e.Shape(float64(first0(s)))
			thin := sh.Thinnest()
			h := shot.Tidy(thin / 2.5)
			out = append(out, Finding{ID: "leak", Severity: Warning, Element: d.ID, What: fmt.Sprintf("Gas went through %s, at up to %.0f %% of its speed near it.", e.Name, 100*leaks[id]), Why: fmt.Sprintf("It is %s m thick in voxels of %s m, which don't see it whole. Walls of two voxels and more hold.", shot.Short(shot.Tidy(thin)), shot.Short(d.Get("voxel").Num)),
				Mend: &Mend{Label: fmt.Sprintf("Voxels of %s m", shot.Short(h)), Element: d.ID, Key: "voxel", Value: shot.Num(h)}})
		}
	}
	if stuck > 0 {
		out = append(out, Finding{ID: "pressure", Severity: Warning, Element: d.ID, What: fmt.Sprintf("The pressure didn't settle in %d frames.", stuck), Why: "Fluid is squeezed where it shouldn't be; thin walls are the usual cause."})
	}
	if d.Liquid() {
		return append(out, afterLiquid(d, frames)...)
	}
	if smoke == 0 && len(frames) > 0 {
		out = append(out, Finding{ID: "empty", Severity: Warning, Element: d.ID, What: "No smoke was made.", Why: "Nothing can be seen: look at the emitters' amounts and times."})
	}
	return out
}
