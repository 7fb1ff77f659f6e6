package check

import (
	"fmt"
	"math"
	"slices"

	"zarf/core/gas"
	"zarf/core/geom"
	"zarf/core/shot"
)

// liquids are the domains that hold one.
func (s *scene) liquids() (out []*shot.Element) {
	for _, d := range s.domains {
		if d.Liquid() {
			out = append(out, d)
		}
	}
	return out
}

// pours lists the emitters that act on a liquid domain, in given ways.
func (s *scene) pours(d *shot.Element, ways ...string) (out []*shot.Element) {
	for _, e := range s.emitters {
		if e.Acts(d) && slices.Contains(ways, e.Get("pours").Text) {
			out = append(out, e)
		}
	}
	return out
}

// inGas reports an emitter that acts on a domain of gas.
func (s *scene) inGas(e *shot.Element) bool {
	return slices.ContainsFunc(s.domains, func(d *shot.Element) bool { return !d.Liquid() && e.Acts(d) })
}

func pourStill(s *scene) (out []Finding) {
	for _, d := range s.liquids() {
		for _, e := range s.pours(d, "flow") {
			if highest(e, "speed") == 0 && !keyed(e, "speed", "push") && e.Get("speed").Num == 0 && e.Get("push").Vec == [3]float64{} {
				out = append(out, Finding{Severity: Warning, Element: e.ID, What: e.Name + " lets out no liquid: it has no speed.", Why: "What flows out is the speed times the surface that it leaves by.", Mend: &Mend{Label: "Set its speed to 1 m/s", Element: e.ID, Key: "speed", Value: shot.Num(1)}})
			}
		}
	}
	return out
}

func liquidFloor(s *scene) (out []Finding) {
	for _, d := range s.liquids() {
		if d.Get("side_y0").Text == "outflow" && s.At0("gravity") > 0 && len(s.pours(d, "flow", "full", "once")) > 0 {
			out = append(out, Finding{Severity: Warning, Element: d.ID, What: fmt.Sprintf("Liquid falls through %s's open floor.", d.Name), Why: "Nothing stops it at the bottom but solids.", Mend: &Mend{Label: "Make the floor a wall", Element: d.ID, Key: "side_y0", Value: shot.Text("wall")}})
		}
	}
	return out
}

// At0 is a value of the shot at its first frame.
func (s *scene) At0(key string) float64 { return s.Self.At(key, s.first).Num }

func liquidWeightless(s *scene) (out []Finding) {
	for _, d := range s.liquids() {
		if s.At0("gravity") == 0 && len(s.Self.Keys["gravity"]) == 0 {
			out = append(out, Finding{Severity: Note, Element: d.ID, What: fmt.Sprintf("There is no gravity: the liquid in %s floats.", d.Name), Why: "It drifts apart unless surface tension holds it."})
		}
	}
	return out
}

func inflowThick(s *scene) (out []Finding) {
	for _, d := range s.liquids() {
		h, most := d.Get("voxel").Num, d.Get("max_substeps").Num
		for _, e := range s.pours(d, "flow") {
			v := max(highest(e, "speed"), math.Abs(e.Get("speed").Num)) + geom.FromArray(e.Get("push").Vec).Len()
			step := v * s.Get("time_scale").Num / s.Rate() / most
			if need := math.Ceil(step / h * most); step > h {
				out = append(out, Finding{Severity: Warning, Element: e.ID, What: fmt.Sprintf("%s lets in a layer of %s m each substep; voxels are %s m.", e.Name, shot.Short(shot.Tidy(step)), shot.Short(h)),
					Why:  "A layer thicker than a voxel comes in lumps, with gaps between.",
					Mend: &Mend{Label: fmt.Sprintf("Allow %d substeps", int(min(need, 500))), Element: d.ID, Key: "max_substeps", Value: shot.Num(min(need, 500))}})
			}
		}
	}
	return out
}

// idleInLiquid are the forces that only gas feels.
var idleInLiquid = []shot.Kind{shot.Wind, shot.Turbulence, shot.Guide, shot.Pull}

func forceInLiquid(s *scene) (out []Finding) {
	for _, e := range s.Elements {
		if e.Muted || !slices.Contains(idleInLiquid, e.Kind) || len(s.liquids()) == 0 || s.inGas(e) {
			continue
		}
		out = append(out, Finding{Severity: Warning, Element: e.ID, What: fmt.Sprintf("%s does nothing: it acts on liquid only.", e.Name), Why: "Winds, turbulence, guides and shape pulls move gas. Vortices, radial pushes and drag act on liquids too."})
	}
	return out
}

// vessel is what holds a domain's liquid: a collider seen from inside, a tube,
// or the box itself where all its sides but the top are walls. Its volume is
// without what stands in it.
func (s *scene) vessel(d *shot.Element) (name string, volume float64) {
	box := d.DomainBox()
	for _, c := range s.colliders {
		if !c.Acts(d) {
			continue
		}
		sh := c.Shape(s.first)
		switch {
		case c.Get("invert").Flag:
			sh.Hollow = false
			return c.Name, within(&sh, box)
		case sh.Form == geom.Tube:
			r := max(0, min(sh.Size.X, sh.Size.Z)/2-sh.Wall)
			return c.Name, math.Pi * r * r * sh.Size.Y
		}
	}
	for _, k := range sides {
		if k != "side_y1" && d.Get(k).Text == "outflow" {
			return "", 0
		}
	}
	size := box.Size()
	return d.Name, size.X * size.Y * size.Z
}

// within is the volume of a shape inside a box, from a 24³ lattice.
func within(sh *geom.Shape, box geom.Box) float64 {
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
func opening(e *shot.Element, f float64) float64 {
	sh := e.Shape(f)
	s := sh.Size
	if e.Get("along").Text == "axis" {
		if sh.Form == geom.Block || sh.Form == geom.Plane {
			return s.X * s.Z
		}
		return math.Pi / 4 * s.X * s.Z
	}
	switch sh.Form {
	case geom.Sphere:
		return math.Pi * s.X * s.Y
	case geom.Cylinder:
		return math.Pi*s.X*s.Y + math.Pi/2*s.X*s.Z
	}
	return 2 * (s.X*s.Y + s.Y*s.Z + s.X*s.Z)
}

// overflow adds up what comes into a vessel, frame by frame.
func overflow(s *scene) (out []Finding) {
	first, last := s.Range()
	for _, d := range s.liquids() {
		name, room := s.vessel(d)
		if room <= 0 || len(s.pours(d, "drain")) > 0 {
			continue
		}
		held := 0.0
		for _, e := range s.pours(d, "once", "full") {
			sh := e.Shape(s.first)
			v := within(&sh, d.DomainBox())
			if held += v; v > room*1.02 {
				out = append(out, Finding{Severity: Warning, Element: e.ID, What: fmt.Sprintf("%s fills %s m³, and %s holds %s.", e.Name, shot.Short(shot.Tidy(v)), name, shot.Short(shot.Tidy(room))), Why: "What finds no room is squeezed out at once, or runs over."})
			}
		}
		for f := first - int(s.Get("preroll").Num); f <= last && held <= room; f++ {
			for _, e := range s.pours(d, "flow") {
				if x := float64(f); x < e.Get("begin").Num || x > e.Get("end").Num {
					continue
				}
				share := 1.0
				if e.Get("pulse").Num > 0 {
					share = e.Get("pulse_share").Num
				}
				held += math.Abs(e.At("speed", float64(f)).Num) * opening(e, float64(f)) * s.Self.At("time_scale", float64(f)).Num / s.Rate() * share
			}
			if held > room {
				out = append(out, Finding{Severity: Note, Element: d.ID, What: fmt.Sprintf("%s is full at about frame %d.", name, f), Why: fmt.Sprintf("It holds %s m³, and that much has come in by then: it runs over, or is pressed tight.", shot.Short(shot.Tidy(room)))})
			}
		}
	}
	return out
}

// driftFrom is the share of a liquid's volume by which it may differ from what
// came in and went out before it is told.
const driftFrom = 0.01

// afterLiquid looks at how the frames of a liquid's run went.
func afterLiquid(d *shot.Element, frames map[int]gas.FrameStats) (out []Finding) {
	if len(frames) == 0 {
		return nil
	}
	most, made, lost := 0.0, 0.0, 0.0
	var left [6]float64
	first, last := math.MaxInt, math.MinInt
	for n, f := range frames {
		first, last = min(first, n), max(last, n)
		most = max(most, f.Volume)
		made, lost = made+f.VolumeMade, lost+f.Drained
		for side, v := range f.Cut {
			left[side] += v
			lost += v
		}
	}
	a, b := frames[first], frames[last]
	want := a.Volume + (made - a.VolumeMade) - lost + a.Drained
	for _, v := range a.Cut {
		want += v
	}
	if len(frames) == last-first+1 && most > 0 && math.Abs(b.Volume-want) > driftFrom*most {
		out = append(out, Finding{ID: "volume", Severity: Warning, Element: d.ID, What: fmt.Sprintf("The volume has drifted by %.1f %%.", 100*(b.Volume-want)/most), Why: "More or less is there than came in and went out: smaller voxels or more substeps hold it."})
	}
	for side, v := range left {
		if share := v / max(made, most, 1e-12); share > 0.03 {
			out = append(out, Finding{ID: "cut", Severity: Warning, Element: d.ID, What: fmt.Sprintf("%.0f %% of the liquid left %s at %s.", 100*share, d.Name, sideNames[side]), Why: "The side is open. Make it a wall if it should hold.", Mend: &Mend{Label: "Make it a wall", Element: d.ID, Key: sides[side], Value: shot.Text("wall")}})
		}
	}
	if most == 0 {
		out = append(out, Finding{ID: "empty", Severity: Warning, Element: d.ID, What: "No liquid came in.", Why: "Nothing can be seen: look at the emitters' speeds, forms and times."})
	}
	return out
}
