package liquid

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

// driftFrom is the share of a liquid's volume by which it may differ from what
// came in and went out before it is told.
const driftFrom = 0.01

// liquids are the domains that hold one.
func liquids(s *check.Scene) (out []*shot.Element) {
	for _, d := range s.Domains {
		if d.Within().Has(Key) {
			out = append(out, d)
		}
	}
	return out
}

// pours lists the emitters that act on a liquid domain, in given ways.
func pours(s *check.Scene, d *shot.Element, ways ...string) (out []*shot.Element) {
	for _, e := range s.Emitters {
		if e.Acts(d) && val.From.Of(e) != "fluid" && slices.Contains(ways, val.Pours.Of(e)) {
			out = append(out, e)
		}
	}
	return out
}

// pourStill finds emitters that let liquid flow and have no speed: what flows out
// is speed times surface.
func pourStill(s *check.Scene) (out []check.Finding) {
	for _, d := range liquids(s) {
		for _, e := range pours(s, d, "flow") {
			// keyed values may be 0 now and flow later; the highest key decides
			if check.Highest(e, val.Speed) == 0 && !e.Keyed(val.Speed, val.Push) && val.Speed.Of(e) == 0 && val.Push.Of(e) == [3]float64{} {
				out = append(out, check.Finding{Severity: check.Warning, Element: e.ID, What: e.Name + " lets out no liquid: it has no speed.", Why: "What flows out is the speed times the surface that it leaves by.", Mend: &check.Mend{Label: "Set its speed to 1 m/s", Element: e.ID, Key: val.Speed.Name(), Value: shot.Num(1)}})
			}
		}
	}
	return out
}

// liquidCold finds emitters whose liquid is colder than what its viscosity is told for: it
// gets no stiffer.
func liquidCold(s *check.Scene) (out []check.Finding) {
	for _, d := range liquids(s) {
		if !val.CarriesHeat.Of(d) {
			continue
		}
		stiff := val.StiffAt.At(d, s.Now)
		for _, e := range pours(s, d, "flow", "full", "once") {
			if e.Keyed(val.Temperature) {
				continue
			}
			if t := val.Temperature.At(e, s.Now); t < stiff {
				out = append(out, check.Finding{Severity: check.Warning, Element: e.ID, What: fmt.Sprintf("%s's liquid comes out at %s K, colder than the %s K from which %s gets no stiffer.", e.Name, shot.Short(t), shot.Short(stiff), d.Name),
					Why:  fmt.Sprintf("Its viscosity stays at %s Pa·s.", shot.Short(val.StiffViscosity.At(d, s.Now))),
					Mend: &check.Mend{Label: fmt.Sprintf("Let it out at %s K", shot.Short(val.FlowsAt.At(d, s.Now))), Element: e.ID, Key: val.Temperature.Name(), Value: shot.Num(val.FlowsAt.At(d, s.Now))}})
			}
		}
	}
	return out
}

// heatTurned finds liquids that would be stiff when hot: the two temperatures are the wrong
// way round, and viscosity stays as it is.
func heatTurned(s *check.Scene) (out []check.Finding) {
	for _, d := range liquids(s) {
		if val.CarriesHeat.Of(d) && val.FlowsAt.At(d, s.Now) <= val.StiffAt.At(d, s.Now) {
			flows, stiff := val.FlowsAt.At(d, s.Now), val.StiffAt.At(d, s.Now)
			out = append(out, check.Finding{Severity: check.Warning, Element: d.ID, What: fmt.Sprintf("%s flows freely at %s K and is stiff at %s K.", d.Name, shot.Short(flows), shot.Short(stiff)),
				Why: "It has to be stiff at the colder of the two: heat changes nothing in its viscosity.", Mend: &check.Mend{Label: fmt.Sprintf("Make it stiff at %s K", shot.Short(0.75*flows)), Element: d.ID, Key: val.StiffAt.Name(), Value: shot.Num(0.75 * flows)}})
		}
	}
	return out
}

// secondUnused finds emitters of a second liquid in domains that have none.
func secondUnused(s *check.Scene) (out []check.Finding) {
	for _, d := range liquids(s) {
		if val.SecondLiquid.Of(d) {
			continue
		}
		for _, e := range pours(s, d, "flow", "full", "once") {
			if check.Highest(e, val.SecondShare) > 0 || val.SecondShare.Of(e) > 0 {
				out = append(out, check.Finding{Severity: check.Warning, Element: e.ID, What: fmt.Sprintf("%s lets out a second liquid, and none mixes in in %s.", e.Name, d.Name), Why: "All of it is the first.",
					Mend: &check.Mend{Label: "Let a second liquid mix in", Element: d.ID, Key: val.SecondLiquid.Name(), Value: shot.On(true)}})
			}
		}
	}
	return out
}

// liquidFloor finds domains whose liquid falls through an open floor.
func liquidFloor(s *check.Scene) (out []check.Finding) {
	for _, d := range liquids(s) {
		if sea := s.SeaOf(d); sea != nil && val.SeaLevel.Of(sea)-val.SeaDepth.Of(sea) < d.DomainBox().Min.Y {
			continue // the sea's water goes through it
		}
		if val.SideY0.Of(d) == "outflow" && val.Gravity.At(s.Self, s.Now) > 0 && len(pours(s, d, "flow", "full", "once")) > 0 {
			out = append(out, check.Finding{Severity: check.Warning, Element: d.ID, What: fmt.Sprintf("Liquid falls through %s's open floor.", d.Name), Why: "Nothing stops it at the bottom but solids.", Mend: &check.Mend{Label: "Make the floor a wall", Element: d.ID, Key: val.SideY0.Name(), Value: shot.Text("wall")}})
		}
	}
	return out
}

// liquidWeightless finds liquids without gravity.
func liquidWeightless(s *check.Scene) (out []check.Finding) {
	for _, d := range liquids(s) {
		if val.Gravity.At(s.Self, s.Now) == 0 && !s.Self.Keyed(val.Gravity) {
			out = append(out, check.Finding{Severity: check.Note, Element: d.ID, What: fmt.Sprintf("There is no gravity: the liquid in %s floats.", d.Name), Why: "It drifts apart unless surface tension holds it."})
		}
	}
	return out
}

// inflowThick finds inflows so quick that a substep lets in a layer thicker than
// a voxel: it would come in lumps.
func inflowThick(s *check.Scene) (out []check.Finding) {
	for _, d := range liquids(s) {
		h, most := val.Voxel.Of(d), val.MaxSubsteps.Of(d)
		for _, e := range pours(s, d, "flow") {
			v := max(check.Highest(e, val.Speed), math.Abs(val.Speed.Of(e))) + geom.FromArray(val.Push.Of(e)).Len()
			// metres let in during the shortest substep that is allowed
			step := v * val.TimeScale.Of(s) / s.Rate() / most
			if need := math.Ceil(step / h * most); step > h {
				out = append(out, check.Finding{Severity: check.Warning, Element: e.ID, What: fmt.Sprintf("%s lets in a layer of %s m each substep; voxels are %s m.", e.Name, shot.Short(shot.Tidy(step)), shot.Short(h)),
					Why:  "A layer thicker than a voxel comes in lumps, with gaps between.",
					Mend: &check.Mend{Label: fmt.Sprintf("Allow %d substeps", int(min(need, 500))), Element: d.ID, Key: val.MaxSubsteps.Name(), Value: shot.Num(min(need, 500))}})
			}
		}
	}
	return out
}

// vessel is what holds a domain's liquid: a collider seen from inside, a tube,
// or the box itself where all its sides but the top are walls. Its volume is
// without what stands in it.
func vessel(s *check.Scene, d *shot.Element) (name string, volume float64) {
	// the first that holds: an inverted collider, a tube, then the box itself
	box := d.DomainBox()
	for _, c := range s.Colliders {
		if !c.Acts(d) {
			continue
		}
		sh := c.Shape(s.Now)
		switch {
		case val.Invert.Of(c):
			sh.Hollow = false
			return c.Name, within(&sh, box)
		case sh.Form == geom.Tube:
			r := max(0, min(sh.Size.X, sh.Size.Z)/2-sh.Wall)
			return c.Name, math.Pi * r * r * sh.Size.Y
		}
	}
	// the top (side 3) may be open: a vessel is
	for i, open := range d.Open() {
		if i != 3 && open {
			return "", 0
		}
	}
	size := box.Size()
	return d.Name, size.X * size.Y * size.Z
}

// within is the volume of a shape inside a box, from a 24³ lattice.
func within(sh *geom.Shape, box geom.Box) float64 {
	// 13,824 samples: a sphere's volume to about 1 %, enough for "runs over"
	const n = 24
	size := box.Size()
	count := 0
	for i := range n * n * n {
		t := geom.V((float64(i%n)+0.5)/n, (float64(i/n%n)+0.5)/n, (float64(i/(n*n))+0.5)/n)
		if sh.Distance(box.Min.Add(t.Scale(size))) < 0 {
			count++
		}
	}
	return size.X * size.Y * size.Z * float64(count) / (n * n * n)
}

// opening is the surface that an emitter's liquid leaves by, m².
func opening(e *shot.Element, now val.Eval) float64 {
	sh := e.Shape(now)
	s := sh.Size
	if val.Along.Of(e) == "axis" {
		if sh.Form == geom.Block || sh.Form == geom.Plane {
			return s.X * s.Z
		}
		return math.Pi / 4 * s.X * s.Z
	}
	// The whole surface of the form, for those that push along the normal. Where that
	// is only a part of what pours, the finding comes early rather than late.
	switch sh.Form {
	case geom.Sphere:
		return math.Pi * s.X * s.Y
	case geom.Cylinder:
		return math.Pi*s.X*s.Y + math.Pi/2*s.X*s.Z
	}
	return 2 * (s.X*s.Y + s.Y*s.Z + s.X*s.Z)
}

// overflow adds up what comes into a vessel, frame by frame.
//
// Sizes are estimates, from a lattice of samples and from the openings' areas, so
// the frame is told as “about”. A domain with a drain is left out: what goes isn't
// known.
func overflow(s *check.Scene) (out []check.Finding) {
	first, last := s.Range()
	for _, d := range liquids(s) {
		name, room := vessel(s, d)
		if room <= 0 || len(pours(s, d, "drain")) > 0 {
			continue
		}
		// once and full count at the start, flows frame by frame up to the one that
		// fills it
		held := 0.0
		for _, e := range pours(s, d, "once", "full") {
			sh := e.Shape(s.Now)
			v := within(&sh, d.DomainBox())
			if held += v; v > room*1.02 {
				out = append(out, check.Finding{Severity: check.Warning, Element: e.ID, What: fmt.Sprintf("%s fills %s m³, and %s holds %s.", e.Name, shot.Short(shot.Tidy(v)), name, shot.Short(shot.Tidy(room))), Why: "What finds no room is squeezed out at once, or runs over."})
			}
		}
		for f := first - int(val.Preroll.Of(s)); f <= last && held <= room; f++ {
			for _, e := range pours(s, d, "flow") {
				if x := float64(f); x < val.Begin.Of(e) || x > val.End.Of(e) {
					continue
				}
				share := 1.0
				if val.Pulse.Of(e) > 0 {
					share = val.PulseShare.Of(e)
				}
				held += math.Abs(val.Speed.At(e, val.Frame(float64(f)))) * opening(e, s.Eval(float64(f))) * val.TimeScale.At(s.Self, val.Frame(float64(f))) / s.Rate() * share
			}
			if held > room {
				out = append(out, check.Finding{Severity: check.Note, Element: d.ID, What: fmt.Sprintf("%s is full at about frame %d.", name, f), Why: fmt.Sprintf("It holds %s m³, and that much has come in by then: it runs over, or is pressed tight.", shot.Short(shot.Tidy(room)))})
			}
		}
	}
	return out
}

// after looks at how the frames of a liquid's run went.
//
// Two things are told: a volume that differs from what came and went by more than a
// percent, which is the solver's fault or that of values, and liquid that left
// through an open side, which may be meant and is offered a wall.
func after(s *shot.Shot, d *shot.Element, frames map[int]sim.Stats) (out []check.Finding) {
	if len(frames) == 0 {
		return nil
	}
	// what should be there: the first frame's volume, plus what came, less what went
	most, made, lost := 0.0, 0.0, 0.0
	var left [6]float64
	first, last := math.MaxInt, math.MinInt
	for n, f := range frames {
		first, last = min(first, n), max(last, n)
		most = max(most, f.Of(sim.Volume))
		made, lost = made+f.Of(sim.VolumeMade), lost+f.Of(sim.Drained)
		for side, v := range f.Cut {
			left[side] += v
			lost += v
		}
	}
	a, b := frames[first], frames[last]
	want := a.Of(sim.Volume) + (made - a.Of(sim.VolumeMade)) - lost + a.Of(sim.Drained)
	for _, v := range a.Cut {
		want += v
	}
	// only where every frame is there: flows of missing ones aren't known
	if len(frames) == last-first+1 && most > 0 && math.Abs(b.Of(sim.Volume)-want) > driftFrom*most {
		out = append(out, check.Finding{ID: "volume", Severity: check.Warning, Element: d.ID, What: fmt.Sprintf("The volume has drifted by %.1f %%.", 100*(b.Of(sim.Volume)-want)/most), Why: "More or less is there than came in and went out: smaller voxels or more substeps hold it."})
	}
	for side, v := range left {
		if share := v / max(made, most, 1e-12); share > 0.03 && (s.SeaOf(d) == nil || side == 3) {
			out = append(out, check.Finding{ID: "cut", Severity: check.Warning, Element: d.ID, What: fmt.Sprintf("%.0f %% of the liquid left %s at %s.", 100*share, d.Name, shot.Sides[side].Word), Why: "The side is open. Make it a wall if it should hold.", Mend: &check.Mend{Label: "Make it a wall", Element: d.ID, Key: shot.Sides[side].Name.Name(), Value: shot.Text("wall")}})
		}
	}
	if most == 0 {
		out = append(out, check.Finding{ID: "empty", Severity: check.Warning, Element: d.ID, What: "No liquid came in.", Why: "Nothing can be seen: look at the emitters' speeds, forms and times."})
	}
	return out
}
