package gas

// Checks of gas domains: before a run by the document alone, after it by the frames'
// statistics. Each is one function that gives findings with what, why and a mend.

import (
	"fmt"
	"math"
	"slices"
	"strings"

	"zarf/core/check"
	"zarf/core/geom"
	"zarf/core/shot"
	"zarf/core/shot/val"
	"zarf/core/sim"
)

// domains are those that hold a gas.
// Most checks here ask "which of the domains", so each begins with this list.
func domains(s *check.Scene) (out []*shot.Element) {
	for _, d := range s.Domains {
		if isGas(d) {
			out = append(out, d)
		}
	}
	return out
}

// feeders are the emitters of fuel that act on a domain.
// With keys, an emitter that ever lets fuel out counts.
func feeders(s *check.Scene, d *shot.Element) (out []*shot.Element) {
	for _, e := range s.Emitters {
		if e.Acts(d) && fed(e) {
			out = append(out, e)
		}
	}
	return out
}

// fed reports an emitter that ever lets fuel out.
func fed(e *shot.Element) bool {
	return check.Highest(e, val.Fuel) > 0 || check.Highest(e, val.FuelPower) > 0
}

// fuelUnused finds fuel where nothing burns.
// One finding a domain, whichever emitter it was: the mend is the same.
func fuelUnused(s *check.Scene) []check.Finding {
	var out []check.Finding
	for _, d := range domains(s) {
		if f := feeders(s, d); len(f) > 0 && !burns(d) {
			out = append(out, check.Finding{Severity: check.Warning, Element: d.ID, What: fmt.Sprintf("%s lets out fuel, and %s doesn't burn.", f[0].Name, d.Name), Why: "Its fuel is not carried: nothing will be seen of it.", Mend: &check.Mend{Label: "Let fuel burn", Element: d.ID, Key: val.Burning.Name(), Value: shot.Text("fuel")}})
		}
	}
	return out
}

// noFuel finds domains that burn without anything to burn.
func noFuel(s *check.Scene) []check.Finding {
	var out []check.Finding
	for _, d := range domains(s) {
		if !burns(d) || len(feeders(s, d)) > 0 || len(s.Emitters) == 0 {
			continue
		}
		f := check.Finding{Severity: check.Warning, Element: d.ID, What: d.Name + " burns fuel, and no emitter lets any out.", Why: "There will be no flame, and the run takes longer for nothing."}
		for _, e := range s.Emitters {
			// The first emitter gets it, with an amount that gives a steady flame.
			if e.Acts(d) && f.Mend == nil {
				f.Mend = &check.Mend{Label: "Let fuel out of " + e.Name, Element: e.ID, Key: val.Fuel.Name(), Value: shot.Num(0.06)}
			}
		}
		out = append(out, f)
	}
	return out
}

// fuelCold finds fuel that nothing lights: nothing in its domain is as hot as its
// ignition temperature; and such that burns by itself, as it ignites under the
// air's.
// Keys are looked at for both: the coldest moment at which fuel must light, and the
// hottest that anything gets.
func fuelCold(s *check.Scene) []check.Finding {
	var out []check.Finding
	air := val.AirTemperature.Of(s)
	for _, d := range domains(s) {
		feed := feeders(s, d)
		if !burns(d) || len(feed) == 0 {
			continue
		}
		// Of all keys the lowest counts: fuel that lights at one moment burns on by
		// itself.
		light := check.Highest(d, val.Ignition)
		if d.Keyed(val.Ignition) {
			for _, k := range d.Keys(val.Ignition) {
				light = min(light, k.Value.Num)
			}
		}
		if light < air {
			out = append(out, check.Finding{Severity: check.Note, Element: d.ID, What: fmt.Sprintf("Fuel ignites at %s K, under the air's %s K.", shot.Short(light), shot.Short(air)), Why: "It burns the moment that it comes out. That can be meant."})
			continue
		}
		hot := air
		for _, e := range s.Emitters {
			if e.Acts(d) {
				hot = max(hot, check.Highest(e, val.Temperature))
			}
		}
		if hot >= light {
			continue
		}
		out = append(out, check.Finding{Severity: check.Warning, Element: feed[0].ID,
			What: fmt.Sprintf("%s's fuel can't ignite: it needs %s K, and nothing in %s is over %s K.", feed[0].Name, shot.Short(light), d.Name, shot.Short(hot)),
			Why:  "Fuel burns only where it is as hot as its ignition temperature, or beside flame.",
			// A hundred kelvin above: just at its ignition the first mixed cell
			// would be too cold.
			Mend: &check.Mend{Label: fmt.Sprintf("Let %s out at %s K", feed[0].Name, shot.Short(light+100)), Element: feed[0].ID, Key: val.Temperature.Name(), Value: shot.Num(light + 100)}})
	}
	return out
}

// Bed is how wide an emitter is seen from above, m: a disk of as much area.
func Bed(e *shot.Element, now val.Eval) (across, top float64, ok bool) {
	sh, err := e.Form(now, 0)
	if err != nil {
		return 0, 0, false
	}
	b := sh.Bounds()
	w := b.Max.Sub(b.Min)
	across = math.Sqrt(w.X * w.Z)
	if sh.Form != geom.Block {
		return across, b.Max.Y, across > 0
	}
	return across * 2 / math.Sqrt(math.Pi), b.Max.Y, across > 0
}

// flameSize finds fires of a power whose flame the voxels can't show or the box can't
// hold, by Heskestad's height.
func flameSize(s *check.Scene) (out []check.Finding) {
	for _, d := range domains(s) {
		if !burns(d) {
			continue
		}
		h := val.Voxel.Of(d)
		roof := val.Position.Of(d)[1] + val.Size.Of(d)[1]/2
		for _, e := range s.Emitters {
			kw := check.Highest(e, val.FuelPower)
			if !e.Acts(d) || kw <= 0 {
				continue
			}
			across, top, ok := Bed(e, s.Now)
			if !ok {
				continue
			}
			flame := FlameHeight(kw, across)
			told := fmt.Sprintf("%s's fire of %s kW over %s m", e.Name, shot.Short(kw), shot.Short(math.Round(across*100)/100))
			f := check.Finding{Severity: check.Warning, Element: e.ID}
			switch least := min(flame, across); {
			case flame < across/4:
				f.What = told + " is no flame, but many small ones."
				f.Why = "So little power for so wide a bed burns in patches close to it."
				f.Mend = powerMend(e, math.Pow(2.02*across/0.235, 2.5))
			case least < 4*h:
				f.What = fmt.Sprintf("%s makes a flame of %s m, in voxels of %s m.", told, shot.Short(math.Round(flame*100)/100), shot.Short(h))
				f.Why = "Under four voxels its height and its width can't be held."
				f.Mend = &check.Mend{Label: fmt.Sprintf("Set %s's voxel size to %s m", d.Name, shot.Short(shot.Tidy(least/6))), Element: d.ID, Key: val.Voxel.Name(), Value: shot.Num(shot.Tidy(least / 6))}
			case top+flame > roof:
				f.What = fmt.Sprintf("%s makes a flame of %s m, and %s ends %s m over it.", told, shot.Short(math.Round(flame*100)/100), d.Name, shot.Short(math.Round((roof-top)*100)/100))
				f.Why = "What burns above the box isn't simulated. Make the box taller, or the fire smaller."
				if room := 0.8*(roof-top) + 1.02*across; room > 0 {
					f.Mend = powerMend(e, math.Pow(room/0.235, 2.5))
				}
			default:
				continue
			}
			out = append(out, f)
		}
	}
	return out
}

// powerMend offers a power, unless keys have it.
func powerMend(e *shot.Element, kw float64) *check.Mend {
	if e.Keyed(val.FuelPower) {
		return nil
	}
	return &check.Mend{Label: fmt.Sprintf("Set its power to %s kW", shot.Short(shot.Tidy(kw))), Element: e.ID, Key: val.FuelPower.Name(), Value: shot.Num(shot.Tidy(kw))}
}

// flameAir finds fires of a power in a domain whose air doesn't run out, or that needs
// more or less of it than its heat tells: their flames are as high as they should be only
// where air is what ends them.
func flameAir(s *check.Scene) (out []check.Finding) {
	for _, d := range domains(s) {
		if !burns(d) || !slices.ContainsFunc(s.Emitters, func(e *shot.Element) bool { return e.Acts(d) && check.Highest(e, val.FuelPower) > 0 }) {
			continue
		}
		if val.Burning.Of(d) == "fuel" {
			out = append(out, check.Finding{Severity: check.Note, Element: d.ID, What: "Air doesn't run out in " + d.Name + ": flames are as high as the burn rate makes them.", Why: "The height that belongs to a power comes from the air that a flame has to draw in.", Mend: &check.Mend{Label: "Let air run out", Element: d.ID, Key: val.Burning.Name(), Value: shot.Text("oxygen")}})
			continue
		}
		// 3 MJ a kg of air by any fuel, less what glows away
		want := val.HeatReleased.Of(d) / (val.AirDensity.Of(s) * 3 * (1 - radiated))
		if need := val.OxygenNeed.Of(d); want > 0 && !d.Keyed(val.OxygenNeed) && math.Abs(math.Log(max(need, 1e-9)/want)) > 0.3 {
			out = append(out, check.Finding{Severity: check.Note, Element: d.ID, What: fmt.Sprintf("Fuel of %s MJ/kg needs air of %s; %s has %s.", shot.Short(val.HeatReleased.Of(d)), shot.Short(shot.Tidy(want)), d.Name, shot.Short(need)), Why: "All fuels give some 3 MJ for a kilogram of air, of which a third glows away. With more air needed flames are taller and cooler than nature's, with less shorter and hotter.", Mend: &check.Mend{Label: "Set air needed to " + shot.Short(shot.Tidy(want)), Element: d.ID, Key: val.OxygenNeed.Name(), Value: shot.Num(shot.Tidy(want))}})
		}
	}
	return out
}

// fireHot finds emitters whose fuel would heat the gas beyond any flame, counting
// the air where it limits burning, and says how much fuel would do.
//
// The end temperature is that of fuel burnt without loss: an upper bound. With
// oxygen counted, no more burns than the air allows.
func fireHot(s *check.Scene) []check.Finding {
	var out []check.Finding
	for _, d := range domains(s) {
		if !burns(d) {
			continue
		}
		warm := check.Highest(d, val.HeatReleased) * 1e6 / (val.AirDensity.Of(s) * HeatCapacity) // K for 1 kg/m³
		for _, e := range feeders(s, d) {
			start := max(check.Highest(e, val.Temperature), check.Highest(d, val.Ignition))
			end := start + warm*check.Highest(e, val.Fuel)
			if val.Burning.Of(d) == "oxygen" && val.OxygenNeed.Of(d) > 0 {
				end = min(end, start+warm/val.OxygenNeed.Of(d))
			}
			if end <= hottest {
				continue
			}
			most := math.Floor((hottest-start)*0.9/warm*1000) / 1000
			f := check.Finding{Severity: check.Warning, Element: e.ID,
				What: fmt.Sprintf("%s burns up to %s K.", e.Name, shot.Short(math.Round(end/100)*100)),
				Why:  "No flame is hotter than some 4,000 K: it will look white all over and rush upwards. Less fuel, less heat, or counting the air mends that."}
			if most > 0 && !e.Keyed(val.Fuel) {
				f.Mend = &check.Mend{Label: fmt.Sprintf("Set fuel to %s kg/m³", shot.Short(most)), Element: e.ID, Key: val.Fuel.Name(), Value: shot.Num(most)}
			}
			out = append(out, f)
		}
	}
	return out
}

// closedFire finds closed boxes in which gas burns and expands: the room that it
// needs isn't there.
func closedFire(s *check.Scene) []check.Finding {
	var out []check.Finding
	for _, d := range domains(s) {
		if burns(d) && check.Highest(d, val.Expansion) > 0 && check.Closed(d) && len(feeders(s, d)) > 0 {
			out = append(out, check.Finding{Severity: check.Warning, Element: d.ID, What: fmt.Sprintf("%s is closed, and burning gas in it expands.", d.Name), Why: "Gas can't be squeezed here: the expansion is held back, and the run tells how much.", Mend: &check.Mend{Label: "Open the top", Element: d.ID, Key: val.SideY1.Name(), Value: shot.Text("outflow")}})
		}
	}
	return out
}

// fireUnseen finds domains that burn and keep neither temperature nor flame in
// their cache: no look could show the fire.
func fireUnseen(s *check.Scene) (out []check.Finding) {
	for _, d := range domains(s) {
		for _, key := range []val.FlagKey{val.CacheTemperature, val.CacheFire} {
			if burns(d) && !key.Of(d) {
				out = append(out, check.Finding{Severity: check.Warning, Element: d.ID, What: fmt.Sprintf("%s burns, and “%s” is off.", d.Name, shot.Find(shot.Domain, key.Name()).Label), Why: "Without it fire can't be seen in pictures.", Mend: &check.Mend{Label: "Keep it", Element: d.ID, Key: key.Name(), Value: shot.On(true)}})
			}
		}
	}
	return out
}

// hottest is more than fire can reach, K.
const hottest = 4500

// emitterEmpty finds emitters that let out nothing.
// Air alone can be meant (a fan), so what moves or warms without smoke is only
// noted.
func emitterEmpty(s *check.Scene) []check.Finding {
	var out []check.Finding
	air := val.AirTemperature.Of(s)
	for _, e := range s.Emitters {
		if !slices.ContainsFunc(domains(s), e.Acts) {
			continue
		}
		if e.Keyed(val.Smoke, val.Temperature, val.Speed) {
			continue
		}
		if val.Smoke.Of(e) == 0 && !fed(e) && val.Temperature.Of(e) == air && val.Speed.Of(e) == 0 && val.Push.Of(e) == [3]float64{} {
			out = append(out, check.Finding{Severity: check.Warning, Element: e.ID, What: e.Name + " lets out nothing.", Why: "Its smoke is 0, it is as warm as the air, and it has no speed.", Mend: &check.Mend{Label: "Set smoke to 1", Element: e.ID, Key: val.Smoke.Name(), Value: shot.Num(1)}})
		} else if val.Smoke.Of(e) == 0 && !fed(e) {
			out = append(out, check.Finding{Severity: check.Note, Element: e.ID, What: e.Name + " lets out no smoke.", Why: "It moves or warms the air, and can't be seen itself."})
		}
		if b := val.Breakup.Of(e); b > 0 {
			for _, d := range domains(s) {
				if h := val.Voxel.Of(d); e.Acts(d) && val.BreakupSize.Of(e) < 2*h {
					out = append(out, check.Finding{Severity: check.Note, Element: e.ID, What: fmt.Sprintf("%s has breakup of %s m in voxels of %s m.", e.Name, shot.Short(val.BreakupSize.Of(e)), shot.Short(h)), Why: "Noise under two voxels can't be seen.", Mend: &check.Mend{Label: "Make it three voxels", Element: e.ID, Key: val.BreakupSize.Name(), Value: shot.Num(3 * h)}})
				}
			}
		}
	}
	return out
}

// closedInflow finds gas blown into a box without an open side.
func closedInflow(s *check.Scene) []check.Finding {
	var out []check.Finding
	for _, d := range domains(s) {
		if !check.Closed(d) {
			continue
		}
		for _, e := range s.Emitters {
			if e.Acts(d) && val.Speed.Of(e) != 0 {
				out = append(out, check.Finding{Severity: check.Warning, Element: d.ID, What: fmt.Sprintf("%s is closed, and %s lets new gas in.", d.Name, e.Name), Why: "New gas needs room: in a closed box it can't leave its emitter as fast as asked.", Mend: &check.Mend{Label: "Open the top", Element: d.ID, Key: val.SideY1.Name(), Value: shot.Text("outflow")}})
				break
			}
		}
	}
	return out
}

// openFloor finds domains with an open floor and smoke that weighs something.
func openFloor(s *check.Scene) []check.Finding {
	var out []check.Finding
	for _, d := range domains(s) {
		if val.SideY0.Of(d) == "outflow" && val.SmokeWeight.Of(d) > 0 {
			out = append(out, check.Finding{Severity: check.Warning, Element: d.ID, What: fmt.Sprintf("Heavy smoke falls through %s's open floor.", d.Name), Why: "Its weight makes it sink, and nothing stops it at the bottom.", Mend: &check.Mend{Label: "Make the floor a wall", Element: d.ID, Key: val.SideY0.Name(), Value: shot.Text("wall")}})
		}
	}
	return out
}

// stirredFlat finds sub-grid turbulence in a single layer, where whirls don't break up.
func stirredFlat(s *check.Scene) (out []check.Finding) {
	for _, d := range domains(s) {
		if val.Flat.Of(d) && (val.SubGrid.Of(d) > 0 || d.Keyed(val.SubGrid)) {
			out = append(out, check.Finding{Severity: check.Note, Element: d.ID, What: d.Name + " is flat and has sub-grid turbulence.", Why: "In a single layer whirls merge into larger ones and don't break up: it stirs within the layer, and looks finer than such a flow is.", Mend: check.Set("Leave it out", d, val.SubGrid.Is(0))})
		}
	}
	return out
}

// grainMost is the grain, of the density, over which it is told.
const grainMost = 0.2

// smokeGrain finds thin smoke that is carried by too few points, whose grain is 0.4/√n of the
// density with n in a voxel.
func smokeGrain(s *check.Scene) (out []check.Finding) {
	for _, d := range domains(s) {
		if val.SmokeBy.Of(d) != "points" {
			continue
		}
		for _, e := range s.Shot.Of(shot.Emitter) {
			most := val.Smoke.Of(e)
			for _, k := range e.Keys(val.Smoke) {
				most = max(most, k.Value.Num)
			}
			fine := math.Pow(float64(fineness(d)), 3)
			n := most * val.SmokePoints.Of(d) / fine
			if !e.Acts(d) || most <= 0 || val.Mode.Of(e) == "add" || 0.4/math.Sqrt(n) <= grainMost {
				continue
			}
			want := math.Ceil(0.16/(grainMost*grainMost)/most*fine/4) * 4
			f := check.Finding{Severity: check.Note, Element: d.ID, What: fmt.Sprintf("Smoke of %s will be grainy: where it lets out %s there are %s points in a voxel.", e.Name, shot.Short(most), shot.Short(shot.Tidy(n))),
				Why: fmt.Sprintf("%s has %s points per voxel for smoke of density 1; so few show as speckle, about %.0f %%.", d.Name, shot.Short(val.SmokePoints.Of(d)), 40/math.Sqrt(n))}
			if fine > 1 {
				f.Why += " Smoke kept finer than voxels shares them out among more."
			}
			if want <= 512 {
				f.Mend = check.Set(fmt.Sprintf("Take %g points per voxel", want), d, val.SmokePoints.Is(want))
			} else {
				f.Why += fmt.Sprintf(" Let out denser smoke, and make it thinner in the look: 1 instead of %s.", shot.Short(most))
			}
			out = append(out, f)
		}
	}
	return out
}

// after looks at how the frames of a run went: what was cut off, held back or lost.
//
// Shares are of the most smoke that the domain ever held, so a plume that fades at
// the end doesn't count as lost.
func after(s *shot.Shot, d *shot.Element, frames map[int]sim.Stats) (out []check.Finding) {
	var smoke, made, held, lost float64
	var cut [6]float64
	// Frames come in any order from a map, so the earliest is kept by comparison.
	limit := map[int]int{} // side → first frame
	for n, f := range frames {
		smoke = max(smoke, f.Of(sim.SmokeTotal))
		made, held, lost = made+f.Of(sim.VolumeMade), held+f.Of(sim.VolumeHeld), lost+f.Of(sim.Lost)
		for side := range 6 {
			cut[side] += f.Cut[side]
			if at, seen := limit[side]; f.AtLimit[side] && (!seen || n < at) {
				limit[side] = n
			}
		}
	}
	out = append(out, cutOff(d, smoke, cut, limit)...)
	// A thousandth is rounding of the pressure solve.
	if held > 1e-3*max(made, 1e-9) && held > 0 {
		out = append(out, check.Finding{ID: "held", Severity: check.Warning, Element: d.ID, What: fmt.Sprintf("%s m³ of new gas found no way out of %s.", shot.Short(math.Round(held*1000)/1000), d.Name), Why: "All its sides are walls: the expansion was held back.", Mend: check.Set("Open the top", d, val.SideY1.Is("outflow"))})
	}
	if lost > 0.01*smoke && lost > 0 {
		out = append(out, check.Finding{ID: "trimmed", Severity: check.Warning, Element: d.ID, What: fmt.Sprintf("%.1f %% of the smoke was thinner than what counts as fluid and was dropped.", 100*lost/smoke), Why: "Veils may end abruptly.", Mend: check.Set("Count thinner smoke", d, val.FollowFrom.Is(val.FollowFrom.Of(d)/10))})
	}
	out = append(out, unexplained(s, d, frames)...)
	if smoke == 0 && len(frames) > 0 {
		out = append(out, check.Finding{ID: "empty", Severity: check.Warning, Element: d.ID, What: "No smoke was made.", Why: "Nothing can be seen: look at the emitters' amounts and times."})
	}
	return out
}

// cutOff tells at which sides smoke left or reached the limit of bounds that
// follow.
// Three per cent is about what starts to be seen as an edge. The offered size is a
// third larger along the side's axis.
func cutOff(d *shot.Element, smoke float64, cut [6]float64, limit map[int]int) (out []check.Finding) {
	all := smoke
	for _, v := range cut {
		all += v
	}
	for side, v := range cut {
		share := v / max(all, 1e-12)
		if share <= 0.03 {
			continue
		}
		f := check.Finding{ID: "cut", Severity: check.Warning, Element: d.ID, What: fmt.Sprintf("%.0f %% of the smoke left %s at %s.", 100*share, d.Name, shot.Sides[side].Word), Why: "The picture shows it cut off there, if the camera sees that side."}
		if at, ok := limit[side]; ok {
			f.Why = fmt.Sprintf("Bounds that follow reached their limit there at frame %d.", at)
		}
		// The box grows to both sides of its middle, so a third more gives a sixth
		// at each end; for the floor's axis all of it goes up.
		size := val.Size.Of(d)
		size[side/2] = math.Ceil(size[side/2]*130) / 100
		f.Mend = check.Set(fmt.Sprintf("Make it %s m along %s", shot.Short(size[side/2]), "xyz"[side/2:side/2+1]), d, val.Size.Is(size[0], size[1], size[2]))
		out = append(out, f)
	}
	var reached []string
	// Of walls there is nothing to tell: nothing leaves there.
	for side, open := range d.Open() {
		if at, ok := limit[side]; ok && open && cut[side] <= 0.03*smoke {
			reached = append(reached, fmt.Sprintf("%s (from frame %d)", shot.Sides[side].Word, at))
		}
	}
	if len(reached) > 0 {
		out = append(out, check.Finding{ID: "limit", Severity: check.Note, Element: d.ID, What: fmt.Sprintf("Fluid reached the limit at %s.", strings.Join(reached, ", ")), Why: "Little of it was lost there."})
	}
	return out
}
