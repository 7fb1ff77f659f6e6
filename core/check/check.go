package check

import (
	"fmt"
	"math"
	"slices"

	"zarf/core/geom"
	"zarf/core/shot"
	"zarf/core/shot/val"
)

// Severity of a finding.
// A fault is what would waste the run: nothing to simulate, files that can't be had.
// All else can be meant, and a run goes ahead over it.
type Severity string

// The severities: a Fault keeps a run from starting.
const (
	Fault   Severity = "fault"
	Warning Severity = "warning"
	Note    Severity = "note"
)

// Mend is a change that removes a finding: one value of one element.
// A mend is data and not a function, so that pages can offer it as a button and the
// command line can print it.
type Mend struct {
	Label   string
	Element string // id; empty: the shot
	Key     string
	Value   shot.Value
	Mute    bool
	Unmute  bool
	Add     shot.Kind // adds an element instead
}

// Finding is one thing found.
// What is one sentence with the numbers in it; Why says what it does to the picture;
// neither names a value that the page doesn't show under that name.
type Finding struct {
	ID       string
	Severity Severity
	What     string
	Why      string
	Element  string // id of the element it is about
	Mend     *Mend
	Also     []string // elements of which the same is said, where there are too many to tell each
}

// alike is how many findings of one check are told one by one.
const alike = 6

// together tells the first few findings of a check and counts the rest: five hundred
// elements that lie outside are one mistake, and a page of them helps nobody.
func together(list []Finding) []Finding {
	if len(list) <= alike {
		return list
	}
	rest := list[alike-1:]
	f := Finding{ID: rest[0].ID, Severity: rest[0].Severity, What: fmt.Sprintf("The same is to be said of %d more.", len(rest)), Why: "Mend those above, or what they have in common, and the next ones are told."}
	seen := map[string]bool{}
	for _, r := range rest {
		if r.Element != "" && !seen[r.Element] {
			seen[r.Element] = true
			f.Also = append(f.Also, r.Element)
		}
	}
	return append(list[:alike-1:alike-1], f)
}

// Machine is what a run has at its disposal.
// Checks that compare needs with it live with the solvers, which can estimate them.
type Machine struct{ Memory float64 } // bytes

// Scene is a shot under the checks' eyes. Domains, emitters and colliders are
// those that aren't muted.
// The lists are made once, since nearly every check walks one of them.
type Scene struct {
	*shot.Shot
	Machine
	Domains, Emitters, Colliders []*shot.Element
	First                        float64  // frame
	Now                          val.Eval // reads values at it
}

// Set is a mend that sets one value; label is what its button says.
func Set(label string, e *shot.Element, p val.Pair) *Mend {
	return &Mend{Label: label, Element: e.ID, Key: p.Name, Value: p.Value}
}

// Check looks for one thing that can be wrong.
type Check struct {
	ID   string
	Find func(*Scene) []Finding
}

// Register adds a check: packages that bring a solver or a kind of element do so
// when the program starts.
func Register(c Check) { table = append(table, c) }

// Order is that of a person's questions: is there anything, does it act, is it in
// the right place and size, is it too fast, are its files there.
var table = []Check{
	{"no-domain", noDomain},
	{"no-emitter", noEmitter},
	{"acts-on-nothing", actsOnNothing},
	{"emitter-outside", emitterOutside},
	{"emitter-inside-collider", emitterInside},
	{"emitter-small", emitterSmall},
	{"emitter-times", emitterTimes},
	{"collider-fast", colliderFast},
	{"inflow-fast", inflowFast},
	{"turbulence-small", turbulenceSmall},
	{"region-outside", regionOutside},
	{"file-missing", fileMissing},
	{"share-empty", shareEmpty},
	{"mesh-open", meshOpen},
	{"mesh-crossed", meshCrossed},
	{"mesh-size", meshSize},
	{"motion-late", motionLate},
	{"guide-short", guideShort},
	{"guide-far", guideFar},
	{"guide-thin", guideThin},
	{"pull-far", pullFar},
	{"pull-thin", pullThin},
	{"force-idle", forceIdle},
	{"sequence-empty", sequenceEmpty},
	{"feed-missing", feedMissing},
	{"feed-ring", feedRing},
	{"feed-still", feedStill},
	{"camera-blind", cameraBlind},
}

// shaped lists the emitters that have a form of their own.
func (s *Scene) shaped() (out []*shot.Element) {
	for _, e := range s.Emitters {
		if val.From.Of(e) != "fluid" {
			out = append(out, e)
		}
	}
	return out
}

// Shot runs all checks, faults first.
//
// Checks look at the document alone, files included; nothing is simulated. They are
// told in the order of the table within a severity, so the list doesn't jump while
// it is mended.
func Shot(s *shot.Shot, m Machine) []Finding {
	first, _ := s.Range()
	sc := &Scene{Shot: s, Machine: m, Domains: s.Of(shot.Domain), Emitters: s.Of(shot.Emitter), Colliders: s.Of(shot.Collider), First: float64(first), Now: s.Eval(float64(first))}
	// The answers are kept by revision of the document above this package, so a page
	// does not ask again.
	var by [3][]Finding
	for _, c := range table {
		var found [3][]Finding
		for _, f := range c.Find(sc) {
			f.ID = c.ID
			n := slices.Index(severities, f.Severity)
			found[n] = append(found[n], f)
		}
		for n := range found {
			by[n] = append(by[n], together(found[n])...)
		}
	}
	return slices.Concat(by[:]...)
}

// severities are all of them, the worst first.
var severities = []Severity{Fault, Warning, Note}

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

// noDomain finds shots with nothing to simulate.
func noDomain(s *Scene) []Finding {
	if len(s.Domains) > 0 {
		return nil
	}
	// a muted domain is likelier forgotten than one that was never added
	for _, e := range s.Elements {
		if e.Kind == shot.Domain {
			return []Finding{{Severity: Fault, Element: e.ID, What: fmt.Sprintf("The domain %s is muted.", e.Name), Why: "Without a domain nothing can be simulated.", Mend: &Mend{Label: "Unmute it", Element: e.ID, Unmute: true}}}
		}
	}
	return []Finding{{Severity: Fault, What: "There is no domain.", Why: "Fluid is simulated inside a domain's box only.", Mend: &Mend{Label: "Add a domain", Add: shot.Domain}}}
}

// noEmitter finds shots whose domains nothing flows into.
func noEmitter(s *Scene) []Finding {
	if len(s.Emitters) > 0 {
		return nil
	}
	for _, d := range s.Domains {
		if s.SeaOf(d) != nil || d.Within().Has("cloth") { // the sea fills it; cloth hangs in it
			return nil
		}
	}
	return []Finding{{Severity: Warning, What: "Nothing emits.", Why: "A run would show empty air.", Mend: &Mend{Label: "Add an emitter", Add: shot.Emitter}}}
}

// actsOnNothing finds elements that name domains, all of which are muted or gone.
func actsOnNothing(s *Scene) []Finding {
	var out []Finding
	for _, e := range s.Elements {
		if e.Muted || e.Kind == shot.Domain || e.Kind == shot.Camera || e.Kind == shot.Lamp || len(s.Domains) == 0 || len(e.ActsOn) == 0 {
			continue
		}
		hit := false
		for _, d := range s.Domains {
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
func (s *Scene) when(e *shot.Element) []float64 {
	at := []float64{s.First}
	for _, k := range e.Keys(val.Position) {
		at = append(at, k.Frame)
	}
	return at
}

// emitterOutside finds emitters that don't touch their domain at any of the
// frames that are looked at, and offers the nearest place within.
// Of several domains the nearest is named; touching any of them is enough.
func emitterOutside(s *Scene) []Finding {
	var out []Finding
	for _, e := range s.shaped() {
		nearest, inside := math.Inf(1), false
		var which *shot.Element
		for _, d := range s.Domains {
			if !e.Acts(d) {
				continue
			}
			// a moving emitter may come in later: touching at any key is enough
			for _, f := range s.when(e) {
				sh := e.Shape(s.Eval(f))
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
			Mend: &Mend{Label: "Move it into the domain", Element: e.ID, Key: val.Position.Name(), Value: intoBox(e, which, s.Now)}})
	}
	return out
}

// intoBox is the nearest position at which the emitter's box fits.
func intoBox(e, d *shot.Element, now val.Eval) shot.Value {
	sh := e.Shape(now)
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

// emitterInside finds emitters swallowed by a solid: what they let out has
// nowhere to go.
func emitterInside(s *Scene) []Finding {
	var out []Finding
	for _, e := range s.shaped() {
		for _, c := range s.Colliders {
			sh, co := e.Shape(s.Now), c.Shape(s.Now)
			co.Hollow = val.Invert.Of(c)
			shell := 0.0
			if val.From.Of(e) == "surface" {
				shell = val.Shell.Of(e) / 2
			}
			if !swallowed(&sh, &co, shell) {
				continue
			}
			out = append(out, Finding{Severity: Warning, Element: e.ID, What: fmt.Sprintf("%s lies inside the collider %s.", e.Name, c.Name), Why: "Nothing can get out of a solid: the emitter gives nothing.", Mend: &Mend{Label: "Mute the collider", Element: c.ID, Mute: true}})
		}
	}
	return out
}

// swallowed reports an emitter with no point outside the collider, tried on a
// 7³ lattice over its box; a shell reaches out of the emitter's surface.
// A lattice can miss a sliver that stands out; then the finding is wrong on the
// careful side and says so as a warning.
func swallowed(e, c *geom.Shape, shell float64) bool {
	b := e.Bounds().Grow(shell)
	if !b.Overlaps(c.Bounds()) {
		return false
	}
	found := false
	// six steps along each side: thin emitters are met by their own check
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

// emitterSmall finds emitters thinner than two voxels: the grid can't hold their
// form.
func emitterSmall(s *Scene) []Finding {
	var out []Finding
	for _, e := range s.shaped() {
		sh := e.Shape(s.Now)
		for _, d := range s.Domains {
			if h := val.Voxel.Of(d); e.Acts(d) && !d.Fluid().Loose && sh.Thinnest() < 2*h {
				out = append(out, Finding{Severity: Warning, Element: e.ID, What: fmt.Sprintf("%s is %s m thin in voxels of %s m.", e.Name, shot.Short(sh.Thinnest()), shot.Short(h)), Why: "Under two voxels its form can't be held: it gives little, or in steps.", Mend: &Mend{Label: fmt.Sprintf("Set %s's voxel size to %s m", d.Name, shot.Short(sh.Thinnest()/2.5)), Element: d.ID, Key: val.Voxel.Name(), Value: shot.Num(sh.Thinnest() / 2.5)}})
			}
		}
	}
	return out
}

// emitterTimes finds emitters that stop before they begin, or emit outside the
// shot's frames.
func emitterTimes(s *Scene) []Finding {
	var out []Finding
	first, last := s.Range()
	for _, e := range s.Emitters {
		a, b := val.Begin.Of(e), val.End.Of(e)
		switch {
		// No mend: which of the two was mistyped can't be told.
		case b < a:
			out = append(out, Finding{Severity: Warning, Element: e.ID, What: fmt.Sprintf("%s stops at frame %d, before it begins at %d.", e.Name, int(b), int(a)), Why: "It never emits."})
		// What emits before the first frame counts, as far as preroll goes back.
		case int(a) > last || int(b) < first-int(val.Preroll.Of(s)):
			out = append(out, Finding{Severity: Warning, Element: e.ID, What: fmt.Sprintf("%s emits outside the shot's frames %d–%d.", e.Name, first, last), Why: "It never emits within the shot."})
		}
	}
	return out
}

// colliderFast finds keyed solids that go farther than a voxel in each of the
// substeps that are allowed: the fluid would not see them pass. A run between
// flat tangents is half as fast again in its middle.
func colliderFast(s *Scene) []Finding {
	var out []Finding
	for _, c := range s.Colliders {
		// Straight speed between keys; turning and growing are not looked at.
		keys := c.Keys(val.Position)
		for _, d := range s.Domains {
			worst := MeshPace(s.Shot, c)
			for i := 1; i < len(keys); i++ {
				// a run between flat tangents is 1.5 times as fast in its middle
				// metres a frame between two keys
				v := geom.FromArray(keys[i].Value.Vec).Dist(geom.FromArray(keys[i-1].Value.Vec)) / (keys[i].Frame - keys[i-1].Frame) * 1.5
				worst = max(worst, v)
			}
			most := val.MaxSubsteps.Of(d)
			if h := val.Voxel.Of(d); c.Acts(d) && worst > h*most {
				out = append(out, Finding{Severity: Warning, Element: c.ID, What: fmt.Sprintf("%s moves %s m a frame, over %s voxels in each of %d substeps.", c.Name, shot.Short(math.Round(worst*1000)/1000), shot.Short(math.Round(worst/h/most*10)/10), int(most)), Why: "A solid that skips voxels passes through fluid without pushing it.", Mend: &Mend{Label: "Allow more substeps", Element: d.ID, Key: val.MaxSubsteps.Name(), Value: shot.Num(min(500, math.Ceil(worst/h)))}})
			}
		}
	}
	return out
}

// Closed reports a domain with walls all round.
func Closed(d *shot.Element) bool { return d.Open() == [6]bool{} }

// inflowFast finds emitters so quick that substeps at their limit can't follow.
// Speed and push may point the same way, so their lengths add up.
func inflowFast(s *Scene) []Finding {
	var out []Finding
	for _, e := range s.Emitters {
		for _, d := range s.Domains {
			v := math.Abs(val.Speed.Of(e)) + geom.FromArray(val.Push.Of(e)).Len()
			h := val.Voxel.Of(d)
			need := math.Ceil(v * val.TimeScale.Of(s) / s.Rate() / (h * val.Cfl.Of(d)))
			if most := val.MaxSubsteps.Of(d); e.Acts(d) && need > most {
				out = append(out, Finding{Severity: Warning, Element: e.ID, What: fmt.Sprintf("%s at %s m/s needs %d substeps; %s allows %d.", e.Name, shot.Short(v), int(need), d.Name, int(most)), Why: "Fluid that crosses many voxels a substep leaves gaps and smears.", Mend: &Mend{Label: fmt.Sprintf("Allow %d substeps", int(min(need, 500))), Element: d.ID, Key: val.MaxSubsteps.Name(), Value: shot.Num(min(need, 500))}})
			}
		}
	}
	return out
}

// turbulenceSmall finds turbulence whose largest whirls are under four voxels:
// the grid smooths them away as soon as they are made.
// Six voxels in the mend against four in the check: mended exactly to the limit, a
// rounding would bring the finding back.
func turbulenceSmall(s *Scene) []Finding {
	var out []Finding
	for _, e := range s.Of(shot.Turbulence) {
		for _, d := range s.Domains {
			if h := val.Voxel.Of(d); e.Acts(d) && val.Largest.Of(e) < 4*h {
				out = append(out, Finding{Severity: Warning, Element: e.ID, What: fmt.Sprintf("%s has whirls of %s m in voxels of %s m.", e.Name, shot.Short(val.Largest.Of(e)), shot.Short(h)), Why: "Whirls under four voxels are lost at once.", Mend: &Mend{Label: "Make them six voxels", Element: e.ID, Key: val.Largest.Name(), Value: shot.Num(6 * h)}})
			}
		}
	}
	return out
}

// cameraBlind finds cameras that look at their own place: they have no direction.
func cameraBlind(s *Scene) []Finding {
	for _, c := range s.Of(shot.Camera) {
		p, q := geom.FromArray(val.Position.At(c, s.Now)), geom.FromArray(val.Target.At(c, s.Now))
		// A nanometre: with rounding of positions it can't be met by accident.
		if p.Dist(q) < 1e-9 {
			return []Finding{{Severity: Warning, Element: c.ID, What: c.Name + " looks at its own place.", Why: "It has no direction: pictures through it would be black.", Mend: &Mend{Label: "Look at the origin", Element: c.ID, Key: val.Target.Name(), Value: shot.Vec(0, 1, 0)}}}
		}
	}
	return nil
}

// Highest is the highest value over an element's keys, or its value.
// Between keys a curve with slopes can overshoot them; a check that warns too seldom
// by a hair is better than one that solves cubics.
func Highest(e *shot.Element, k val.NumKey) float64 {
	keys := e.Keys(k)
	if len(keys) == 0 {
		return k.Of(e)
	}
	top := math.Inf(-1)
	for _, k := range keys {
		top = max(top, k.Value.Num)
	}
	return top
}

// regionOutside finds forces whose region touches no domain.
// A region that moves is left alone: it may come in later.
func regionOutside(s *Scene) []Finding {
	var out []Finding
	for _, e := range s.Elements {
		if e.Muted || shot.Find(e.Kind, "region") == nil {
			continue
		}
		sh, fade, limited := e.RegionShape(s.Now)
		// A region as large as everything is never outside.
		if !limited || e.Keyed(val.Position) {
			continue
		}
		// Without domains there is another finding, once, and not one for each
		// force.
		hit, gap := len(s.Domains) == 0, math.Inf(1)
		for _, d := range s.Domains {
			g := d.DomainBox().Gap(sh.Bounds().Grow(fade))
			hit = hit || g == 0
			gap = min(gap, g)
		}
		if !hit {
			out = append(out, Finding{Severity: Warning, Element: e.ID, What: fmt.Sprintf("%s's region lies %s m outside every domain.", e.Name, shot.Short(math.Round(gap*1000)/1000)), Why: "It acts on nothing.", Mend: &Mend{Label: "Let it act everywhere", Element: e.ID, Key: val.Region.Name(), Value: shot.Text("everywhere")}})
		}
	}
	return out
}
