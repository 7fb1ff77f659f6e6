// Package check finds what is wrong with a shot before it is run: what, why it
// matters, and what mends it. One check a function, all in one table.
package check

import (
	"fmt"
	"math"

	"zarf/core/geom"
	"zarf/core/shot"
	"zarf/core/stage"
)

// Severity of a finding.
type Severity string

// The severities: a Fault keeps a run from starting.
const (
	Fault   Severity = "fault"
	Warning Severity = "warning"
	Note    Severity = "note"
)

// Mend is a change that removes a finding: one value of one element.
type Mend struct {
	Label   string
	Element string // id; empty: the shot
	Key     string
	Value   shot.Value
	Unmute  bool
	Add     shot.Kind // adds an element instead
}

// Finding is one thing found.
type Finding struct {
	ID       string
	Severity Severity
	What     string
	Why      string
	Element  string // id of the element it is about
	Mend     *Mend
}

// Machine is what a run has at its disposal.
type Machine struct{ Memory float64 } // bytes

type scene struct {
	*shot.Shot
	Machine
	domains, emitters, colliders []*shot.Element
	first                        float64
}

var table = []struct {
	id string
	fn func(*scene) []Finding
}{
	{"no-domain", noDomain},
	{"no-emitter", noEmitter},
	{"memory", memory},
	{"acts-on-nothing", actsOnNothing},
	{"emitter-outside", emitterOutside},
	{"emitter-inside-collider", emitterInside},
	{"emitter-empty", emitterEmpty},
	{"emitter-small", emitterSmall},
	{"emitter-times", emitterTimes},
	{"collider-thin", colliderThin},
	{"collider-fast", colliderFast},
	{"closed-inflow", closedInflow},
	{"inflow-fast", inflowFast},
	{"open-floor", openFloor},
	{"turbulence-small", turbulenceSmall},
	{"fuel-unused", fuelUnused},
	{"fuel-missing", noFuel},
	{"fuel-cold", fuelCold},
	{"fire-hot", fireHot},
	{"fire-closed", closedFire},
	{"fire-unseen", fireUnseen},
	{"upres", upresWants},
	{"region-outside", regionOutside},
	{"file-missing", fileMissing},
	{"share-empty", shareEmpty},
	{"mesh-open", meshOpen},
	{"mesh-size", meshSize},
	{"motion-late", motionLate},
	{"guide-short", guideShort},
	{"guide-far", guideFar},
	{"guide-thin", guideThin},
	{"pull-far", pullFar},
	{"pull-thin", pullThin},
	{"force-idle", forceIdle},
	{"feed-missing", feedMissing},
	{"sequence-empty", sequenceEmpty},
	{"feed-ring", feedRing},
	{"feed-channel", feedChannel},
	{"feed-still", feedStill},
	{"pour-still", pourStill},
	{"liquid-floor", liquidFloor},
	{"liquid-weightless", liquidWeightless},
	{"inflow-thick", inflowThick},
	{"force-in-liquid", forceInLiquid},
	{"overflow", overflow},
	{"camera-blind", cameraBlind},
}

// shaped lists the emitters that have a form of their own.
func (s *scene) shaped() (out []*shot.Element) {
	for _, e := range s.emitters {
		if e.Get("from").Text != "fluid" {
			out = append(out, e)
		}
	}
	return out
}

// Shot runs all checks, faults first.
func Shot(s *shot.Shot, m Machine) []Finding {
	first, _ := s.Range()
	sc := &scene{Shot: s, Machine: m, domains: s.Of(shot.Domain), emitters: s.Of(shot.Emitter), colliders: s.Of(shot.Collider), first: float64(first)}
	var out []Finding
	for _, want := range []Severity{Fault, Warning, Note} {
		for _, c := range table {
			for _, f := range c.fn(sc) {
				if f.Severity == want {
					f.ID = c.id
					out = append(out, f)
				}
			}
		}
	}
	return out
}

// Faults are the findings that keep a run from starting.
func Faults(fs []Finding) []Finding {
	var out []Finding
	for _, f := range fs {
		if f.Severity == Fault {
			out = append(out, f)
		}
	}
	return out
}

func noDomain(s *scene) []Finding {
	if len(s.domains) > 0 {
		return nil
	}
	for _, e := range s.Elements {
		if e.Kind == shot.Domain {
			return []Finding{{Severity: Fault, Element: e.ID, What: fmt.Sprintf("The domain %s is muted.", e.Name), Why: "Without a domain nothing can be simulated.", Mend: &Mend{Label: "Unmute it", Element: e.ID, Unmute: true}}}
		}
	}
	return []Finding{{Severity: Fault, What: "There is no domain.", Why: "Fluid is simulated inside a domain's box only.", Mend: &Mend{Label: "Add a domain", Add: shot.Domain}}}
}

func noEmitter(s *scene) []Finding {
	if len(s.emitters) > 0 {
		return nil
	}
	return []Finding{{Severity: Warning, What: "Nothing emits.", Why: "A run would show empty air.", Mend: &Mend{Label: "Add an emitter", Add: shot.Emitter}}}
}

func memory(s *scene) []Finding {
	var out []Finding
	for _, d := range s.domains {
		need := d.Voxels() * stage.Bytes(d)
		if d.Follows() {
			need *= stage.FollowShare // the limit as a whole is seldom filled
		}
		if f := float64(stage.Factor(d)); f > 1 {
			need = max(need, d.Voxels()*f*f*f*stage.BytesFine)
		}
		room := s.Memory * 0.8
		if room <= 0 || need <= room {
			continue
		}
		h := d.Get("voxel").Num * math.Cbrt(need/room) * 1.02
		h = math.Ceil(h*1e4) / 1e4
		out = append(out, Finding{Severity: Fault, Element: d.ID,
			What: fmt.Sprintf("%s would take %.1f GB of memory; this machine has %.1f GB for it.", d.Name, need/1e9, room/1e9),
			Why:  fmt.Sprintf("The smallest voxel that fits is %s m.", shot.Short(h)),
			Mend: &Mend{Label: fmt.Sprintf("Set the voxel size to %s m", shot.Short(h)), Element: d.ID, Key: "voxel", Value: shot.Num(h)}})
	}
	return out
}

func actsOnNothing(s *scene) []Finding {
	var out []Finding
	for _, e := range s.Elements {
		if e.Muted || e.Kind == shot.Domain || e.Kind == shot.Camera || e.Kind == shot.Lamp || len(s.domains) == 0 || len(e.ActsOn) == 0 {
			continue
		}
		hit := false
		for _, d := range s.domains {
			hit = hit || e.Acts(d)
		}
		if !hit {
			out = append(out, Finding{Severity: Warning, Element: e.ID, What: e.Name + " acts on no domain.", Why: "All domains that it names are muted or gone, so it does nothing."})
		}
	}
	return out
}

// when are the frames at which a moving element is looked at: its keys, and
// the first.
func (s *scene) when(e *shot.Element) []float64 {
	at := []float64{s.first}
	for _, k := range e.Keys["position"] {
		at = append(at, k.Frame)
	}
	return at
}

func emitterOutside(s *scene) []Finding {
	var out []Finding
	for _, e := range s.shaped() {
		nearest, inside := math.Inf(1), false
		var which *shot.Element
		for _, d := range s.domains {
			if !e.Acts(d) {
				continue
			}
			for _, f := range s.when(e) {
				sh := e.Shape(f)
				gap := d.DomainBox().Gap(sh.Bounds())
				if gap < nearest {
					nearest, which = gap, d
				}
				inside = inside || gap == 0
			}
		}
		if inside || which == nil {
			continue
		}
		out = append(out, Finding{Severity: Fault, Element: e.ID,
			What: fmt.Sprintf("%s lies outside %s, %s m away.", e.Name, which.Name, shot.Short(math.Round(nearest*1000)/1000)),
			Why:  "Fluid can only appear inside a domain: the run would stay empty.",
			Mend: &Mend{Label: "Move it into the domain", Element: e.ID, Key: "position", Value: intoBox(e, which, s.first)}})
	}
	return out
}

// intoBox is the nearest position at which the emitter's box fits.
func intoBox(e, d *shot.Element, f float64) shot.Value {
	sh := e.Shape(f)
	b, box := sh.Bounds(), d.DomainBox()
	half := b.Size().Mul(0.5)
	p := sh.Centre
	lo, hi := box.Min.Add(half), box.Max.Sub(half)
	clamp := func(v, a, b float64) float64 {
		if a > b {
			return (a + b) / 2
		}
		return min(max(v, a), b)
	}
	return shot.Vec(clamp(p.X, lo.X, hi.X), clamp(p.Y, lo.Y, hi.Y), clamp(p.Z, lo.Z, hi.Z))
}

func emitterInside(s *scene) []Finding {
	var out []Finding
	for _, e := range s.shaped() {
		for _, c := range s.colliders {
			sh, co := e.Shape(s.first), c.Shape(s.first)
			co.Hollow = c.Get("invert").Flag
			shell := 0.0
			if e.Get("from").Text == "surface" {
				shell = e.Get("shell").Num / 2
			}
			if !swallowed(&sh, &co, shell) {
				continue
			}
			out = append(out, Finding{Severity: Warning, Element: e.ID, What: fmt.Sprintf("%s lies inside the collider %s.", e.Name, c.Name), Why: "Nothing can get out of a solid: the emitter gives nothing.", Mend: &Mend{Label: "Mute the collider", Element: c.ID, Key: "muted"}})
		}
	}
	return out
}

// swallowed reports an emitter with no point outside the collider, tried on a
// 7³ lattice over its box; a shell reaches out of the emitter's surface.
func swallowed(e, c *geom.Shape, shell float64) bool {
	b := e.Bounds().Grow(shell)
	if !b.Overlaps(c.Bounds()) {
		return false
	}
	found := false
	for n := range 343 {
		t := geom.V(float64(n%7)/6, float64(n/7%7)/6, float64(n/49)/6)
		p := b.Min.Add(t.Scale(b.Size()))
		if e.Distance(p) > shell {
			continue
		}
		found = true
		if c.Distance(p) > 0 {
			return false
		}
	}
	return found
}

func emitterEmpty(s *scene) []Finding {
	var out []Finding
	air := s.Get("air_temperature").Num
	for _, e := range s.emitters {
		if !s.inGas(e) {
			continue
		}
		if len(e.Keys["smoke"])+len(e.Keys["temperature"])+len(e.Keys["speed"]) > 0 {
			continue
		}
		if e.Get("smoke").Num == 0 && highest(e, "fuel") <= 0 && e.Get("temperature").Num == air && e.Get("speed").Num == 0 && e.Get("push").Vec == [3]float64{} {
			out = append(out, Finding{Severity: Warning, Element: e.ID, What: e.Name + " lets out nothing.", Why: "Its smoke is 0, it is as warm as the air, and it has no speed.", Mend: &Mend{Label: "Set smoke to 1", Element: e.ID, Key: "smoke", Value: shot.Num(1)}})
		} else if e.Get("smoke").Num == 0 && highest(e, "fuel") <= 0 {
			out = append(out, Finding{Severity: Note, Element: e.ID, What: e.Name + " lets out no smoke.", Why: "It moves or warms the air, and can't be seen itself."})
		}
		if b := e.Get("breakup").Num; b > 0 {
			for _, d := range s.domains {
				if h := d.Get("voxel").Num; e.Acts(d) && e.Get("breakup_size").Num < 2*h {
					out = append(out, Finding{Severity: Note, Element: e.ID, What: fmt.Sprintf("%s has breakup of %s m in voxels of %s m.", e.Name, shot.Short(e.Get("breakup_size").Num), shot.Short(h)), Why: "Noise under two voxels can't be seen.", Mend: &Mend{Label: "Make it three voxels", Element: e.ID, Key: "breakup_size", Value: shot.Num(3 * h)}})
				}
			}
		}
	}
	return out
}

func emitterSmall(s *scene) []Finding {
	var out []Finding
	for _, e := range s.shaped() {
		sh := e.Shape(s.first)
		for _, d := range s.domains {
			if h := d.Get("voxel").Num; e.Acts(d) && sh.Thinnest() < 2*h {
				out = append(out, Finding{Severity: Warning, Element: e.ID, What: fmt.Sprintf("%s is %s m thin in voxels of %s m.", e.Name, shot.Short(sh.Thinnest()), shot.Short(h)), Why: "Under two voxels its form can't be held: it gives little, or in steps.", Mend: &Mend{Label: fmt.Sprintf("Set %s's voxel size to %s m", d.Name, shot.Short(sh.Thinnest()/2.5)), Element: d.ID, Key: "voxel", Value: shot.Num(sh.Thinnest() / 2.5)}})
			}
		}
	}
	return out
}

func emitterTimes(s *scene) []Finding {
	var out []Finding
	first, last := s.Range()
	for _, e := range s.emitters {
		a, b := e.Get("begin").Num, e.Get("end").Num
		switch {
		case b < a:
			out = append(out, Finding{Severity: Warning, Element: e.ID, What: fmt.Sprintf("%s stops at frame %d, before it begins at %d.", e.Name, int(b), int(a)), Why: "It never emits."})
		case int(a) > last || int(b) < first-int(s.Get("preroll").Num):
			out = append(out, Finding{Severity: Warning, Element: e.ID, What: fmt.Sprintf("%s emits outside the shot's frames %d–%d.", e.Name, first, last), Why: "It never emits within the shot."})
		}
	}
	return out
}

func colliderThin(s *scene) []Finding {
	var out []Finding
	for _, c := range s.colliders {
		sh := c.Shape(s.first)
		for _, d := range s.domains {
			h := d.Get("voxel").Num
			if t := sh.Thinnest(); c.Acts(d) && t < h*0.999 && d.DomainBox().Overlaps(sh.Bounds()) {
				out = append(out, Finding{Severity: Warning, Element: c.ID, What: fmt.Sprintf("%s is %s m thin, voxels are %s m.", c.Name, shot.Short(t), shot.Short(h)), Why: "A wall thinner than a voxel leaks.", Mend: &Mend{Label: fmt.Sprintf("Set %s's voxel size to %s m", d.Name, shot.Short(t/1.5)), Element: d.ID, Key: "voxel", Value: shot.Num(t / 1.5)}})
			}
		}
	}
	return out
}

func colliderFast(s *scene) []Finding {
	var out []Finding
	for _, c := range s.colliders {
		keys := c.Keys["position"]
		for _, d := range s.domains {
			worst := s.meshPace(c)
			for i := 1; i < len(keys); i++ {
				// a run between flat tangents is 1.5 times as fast in its middle
				v := geom.FromArray(keys[i].Value.Vec).Dist(geom.FromArray(keys[i-1].Value.Vec)) / (keys[i].Frame - keys[i-1].Frame) * 1.5
				worst = max(worst, v)
			}
			most := d.Get("max_substeps").Num
			if h := d.Get("voxel").Num; c.Acts(d) && worst > h*most {
				out = append(out, Finding{Severity: Warning, Element: c.ID, What: fmt.Sprintf("%s moves %s m a frame, over %s voxels in each of %d substeps.", c.Name, shot.Short(math.Round(worst*1000)/1000), shot.Short(math.Round(worst/h/most*10)/10), int(most)), Why: "A solid that skips voxels passes through fluid without pushing it.", Mend: &Mend{Label: "Allow more substeps", Element: d.ID, Key: "max_substeps", Value: shot.Num(min(500, math.Ceil(worst/h)))}})
			}
		}
	}
	return out
}

var sides = []string{"side_x0", "side_x1", "side_y0", "side_y1", "side_z0", "side_z1"}

// closed reports a domain with walls all round.
func closed(d *shot.Element) bool {
	for _, k := range sides {
		if d.Get(k).Text == "outflow" {
			return false
		}
	}
	return true
}

func closedInflow(s *scene) []Finding {
	var out []Finding
	for _, d := range s.domains {
		if d.Liquid() || !closed(d) {
			continue
		}
		for _, e := range s.emitters {
			if e.Acts(d) && e.Get("speed").Num != 0 {
				out = append(out, Finding{Severity: Warning, Element: d.ID, What: fmt.Sprintf("%s is closed, and %s lets new gas in.", d.Name, e.Name), Why: "New gas needs room: in a closed box it can't leave its emitter as fast as asked.", Mend: &Mend{Label: "Open the top", Element: d.ID, Key: "side_y1", Value: shot.Text("outflow")}})
				break
			}
		}
	}
	return out
}

func inflowFast(s *scene) []Finding {
	var out []Finding
	for _, e := range s.emitters {
		for _, d := range s.domains {
			v := math.Abs(e.Get("speed").Num) + geom.FromArray(e.Get("push").Vec).Len()
			h := d.Get("voxel").Num
			need := math.Ceil(v * s.Get("time_scale").Num / s.Rate() / (h * d.Get("cfl").Num))
			if most := d.Get("max_substeps").Num; e.Acts(d) && need > most {
				out = append(out, Finding{Severity: Warning, Element: e.ID, What: fmt.Sprintf("%s at %s m/s needs %d substeps; %s allows %d.", e.Name, shot.Short(v), int(need), d.Name, int(most)), Why: "Fluid that crosses many voxels a substep leaves gaps and smears.", Mend: &Mend{Label: fmt.Sprintf("Allow %d substeps", int(min(need, 500))), Element: d.ID, Key: "max_substeps", Value: shot.Num(min(need, 500))}})
			}
		}
	}
	return out
}

func openFloor(s *scene) []Finding {
	var out []Finding
	for _, d := range s.domains {
		if !d.Liquid() && d.Get("side_y0").Text == "outflow" && d.Get("smoke_weight").Num > 0 {
			out = append(out, Finding{Severity: Warning, Element: d.ID, What: fmt.Sprintf("Heavy smoke falls through %s's open floor.", d.Name), Why: "Its weight makes it sink, and nothing stops it at the bottom.", Mend: &Mend{Label: "Make the floor a wall", Element: d.ID, Key: "side_y0", Value: shot.Text("wall")}})
		}
	}
	return out
}

func turbulenceSmall(s *scene) []Finding {
	var out []Finding
	for _, e := range s.Of(shot.Turbulence) {
		for _, d := range s.domains {
			if h := d.Get("voxel").Num; e.Acts(d) && e.Get("size").Num < 4*h {
				out = append(out, Finding{Severity: Warning, Element: e.ID, What: fmt.Sprintf("%s has whirls of %s m in voxels of %s m.", e.Name, shot.Short(e.Get("size").Num), shot.Short(h)), Why: "Whirls under four voxels are lost at once.", Mend: &Mend{Label: "Make them six voxels", Element: e.ID, Key: "size", Value: shot.Num(6 * h)}})
			}
		}
	}
	return out
}

func cameraBlind(s *scene) []Finding {
	for _, c := range s.Of(shot.Camera) {
		p, q := geom.FromArray(c.At("position", s.first).Vec), geom.FromArray(c.At("target", s.first).Vec)
		if p.Dist(q) < 1e-9 {
			return []Finding{{Severity: Warning, Element: c.ID, What: c.Name + " looks at its own place.", Why: "It has no direction: pictures through it would be black.", Mend: &Mend{Label: "Look at the origin", Element: c.ID, Key: "target", Value: shot.Vec(0, 1, 0)}}}
		}
	}
	return nil
}
