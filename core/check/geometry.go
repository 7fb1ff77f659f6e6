package check

// Checks of forms: imported meshes, guides, pulls and the strength of forces. Each
// is a question to the document on the first frame; what moves is judged over its
// keys or left alone, never guessed at.

import (
	"errors"
	"fmt"
	"math"
	"strings"

	"zarf/core/asset"
	"zarf/core/geom"
	"zarf/core/shot"
	"zarf/core/shot/val"
)

// fromFile lists the elements whose forms are imported meshes.
func (s *Scene) fromFile() (out []*shot.Element) {
	for _, e := range s.Elements {
		if !e.Muted && e.FromFile() {
			out = append(out, e)
		}
	}
	return out
}

// forms gives an element's shape on the first frame, and why there is none.
// Spacing 0 asks for the middling lattice: one body for all checks, kept by the
// library.
func (s *Scene) form(e *shot.Element) (geom.Shape, error) { return e.Form(s.Now, 0) }

// fileMissing finds elements whose file isn't in the library, and says how to
// bring it back.
// A box of the same size takes its place, so that work can go on until the file is
// back.
func fileMissing(s *Scene) []Finding {
	var out []Finding
	for _, e := range s.fromFile() {
		_, err := s.form(e)
		var empty *asset.ErrEmpty
		// A region that holds nothing is another finding, with another mend.
		if err == nil || errors.As(err, &empty) {
			continue
		}
		f := Finding{Severity: Fault, Element: e.ID, What: fmt.Sprintf("%s has no mesh.", e.Name), Why: sentence(err.Error())}
		if e.Kind == shot.Mesh { // it only stands by
			f.Severity = Warning
		}
		f.Mend = &Mend{Label: "Use a box in its place", Element: e.ID, Key: val.Form.Name(), Value: shot.Text("box")}
		out = append(out, f)
	}
	return out
}

// sentence begins with a capital and ends with a stop.
func sentence(s string) string {
	if s == "" {
		return s
	}
	return strings.ToUpper(s[:1]) + s[1:] + "."
}

// shareEmpty finds elements that take a part of their mesh which holds no face.
func shareEmpty(s *Scene) []Finding {
	var out []Finding
	for _, e := range s.fromFile() {
		_, err := s.form(e)
		var empty *asset.ErrEmpty
		if errors.As(err, &empty) {
			out = append(out, Finding{Severity: Fault, Element: e.ID, What: fmt.Sprintf("No part of %s takes part.", e.Name), Why: sentence(empty.What), Mend: &Mend{Label: "Let the whole mesh take part", Element: e.ID, Key: val.Share.Name(), Value: shot.Text("whole")}})
		}
	}
	return out
}

// meshOpen finds meshes with holes where the inside matters: what is inside can't
// be told.
func meshOpen(s *Scene) []Finding {
	var out []Finding
	for _, e := range s.fromFile() {
		sh, err := s.form(e)
		if err != nil || sh.Body.Open == 0 || e.Kind == shot.Mesh {
			continue
		}
		// Smoke from the skin of an open cloth is the usual case and no fault.
		// a surface needs no inside
		if e.Kind == shot.Emitter && val.From.Of(e) == "surface" {
			continue
		}
		f := Finding{Severity: Warning, Element: e.ID, What: "The mesh of " + e.Name + " isn't closed: " + holes(&sh) + ".",
			Why: "What is open has no inside for sure: smoke and liquid go through its holes, however small, or appear where they shouldn't. Wrap it, on its sheet."}
		if e.Kind == shot.Emitter {
			f.Mend = &Mend{Label: "Let its surface emit", Element: e.ID, Key: val.From.Name(), Value: shot.Text("surface")}
		}
		out = append(out, f)
	}
	return out
}

// holes tells how many a mesh has, and where the widest is.
func holes(sh *geom.Shape) string {
	list := sh.Body.Holes()
	if len(list) == 0 {
		return fmt.Sprintf("%d edges have a face on one side only", sh.Body.Open)
	}
	h := list[0]
	at := place(sh, h.Centre)
	if len(list) == 1 {
		return fmt.Sprintf("it has a hole %s m across at %s", shot.Short(shot.Tidy(h.Across)), at)
	}
	return fmt.Sprintf("it has %d holes, the widest %s m across at %s", len(list), shot.Short(shot.Tidy(h.Across)), at)
}

// place is a place on a mesh in the shot's space, to a millimetre.
func place(sh *geom.Shape, q geom.Vec3) string {
	p := sh.Turn.Apply(q).Add(sh.Centre).Array()
	for a := range p {
		p[a] = math.Round(p[a]*1000) / 1000
	}
	return fmt.Sprintf("(%s, %s, %s)", shot.Short(p[0]), shot.Short(p[1]), shot.Short(p[2]))
}

// meshCrossed finds solids whose mesh goes through itself: what lies between its sheets
// can't be told.
func meshCrossed(s *Scene) []Finding {
	var out []Finding
	for _, e := range s.fromFile() {
		if e.Kind != shot.Collider {
			continue
		}
		sh, err := s.form(e)
		if err != nil {
			continue
		}
		if at := sh.Body.Crossing(); at != nil {
			out = append(out, Finding{Severity: Warning, Element: e.ID, What: fmt.Sprintf("The mesh of %s goes through itself at %s.", e.Name, place(&sh, *at)),
				Why: "Liquid and smoke are stopped by each of its faces, those inside too, and may be shut in between them. Wrap it, on its sheet."})
		}
	}
	return out
}

// meshSize finds meshes that came in with the wrong unit.
// Thirty times the domain or under a voxel: nobody means that.
func meshSize(s *Scene) []Finding {
	var out []Finding
	for _, e := range s.fromFile() {
		size := geom.FromArray(val.Size.At(e, s.Now)).MaxComponent()
		for _, d := range s.Domains {
			box := d.DomainBox().Size().MaxComponent()
			// The first domain that doesn't fit is told; the mend would change for a
			// second one.
			if !e.Acts(d) || (size <= 30*box && size >= val.Voxel.Of(d)) {
				continue
			}
			now := val.Size.Of(e)
			// a third of the domain: something to see, and room round it
			k := box / 3 / size
			out = append(out, Finding{Severity: Warning, Element: e.ID, What: fmt.Sprintf("%s is %s m large, %s is %s m.", e.Name, shot.Short(size), d.Name, shot.Short(box)),
				Why:  "Was its file in other units? Nothing of it can be made out in this domain.",
				Mend: &Mend{Label: fmt.Sprintf("Make it %s m large", shot.Short(math.Round(box/3*1e4)/1e4)), Element: e.ID, Key: val.Size.Name(), Value: shot.Vec(max(1e-4, now[0]*k), max(1e-4, now[1]*k), max(1e-4, now[2]*k))}})
			break
		}
	}
	return out
}

// motionLate finds animations that begin after the shot has ended.
// The mend moves the start so that, with the hold, motion begins on the first frame.
func motionLate(s *Scene) []Finding {
	var out []Finding
	first, last := s.Range()
	for _, e := range s.fromFile() {
		if val.Motion.Of(e) == "still" {
			continue
		}
		m, err := s.Files().Model(val.Mesh.Of(e))
		if err != nil || !m.Moves() {
			continue
		}
		if at := val.MotionStart.Of(e) + val.MotionHold.Of(e); int(at) > last {
			out = append(out, Finding{Severity: Warning, Element: e.ID, What: fmt.Sprintf("%s's animation begins at frame %d, after the shot's end at %d.", e.Name, int(at), last), Why: "It stands still throughout.", Mend: &Mend{Label: "Begin with the shot", Element: e.ID, Key: val.MotionStart.Name(), Value: shot.Num(float64(first) - val.MotionHold.Of(e))}})
		}
	}
	return out
}

// line is a guide's curve where it stands on the first frame.
// The same number of pieces as the solver's, so both mean the same curve.
func (s *Scene) line(g *shot.Element) *geom.Line {
	at := geom.FromArray(val.Position.At(g, s.Now))
	var p []geom.Vec3
	for _, q := range val.Points.Of(g) {
		p = append(p, geom.FromArray(q).Add(at))
	}
	return geom.NewLine(p, val.Closed.Of(g), 12)
}

// guideShort finds guides of fewer than two points.
func guideShort(s *Scene) []Finding {
	var out []Finding
	for _, g := range s.Of(shot.Guide) {
		if len(s.line(g).P) < 2 {
			out = append(out, Finding{Severity: Warning, Element: g.ID, What: fmt.Sprintf("%s has no length.", g.Name), Why: "A curve needs two points in different places: it leads nothing.",
				// The catalogue's own default, which every new guide begins as.
				Mend: &Mend{Label: "Begin with an upright curve", Element: g.ID, Key: val.Points.Name(), Value: shot.Find(shot.Guide, "points").Default}})
		}
	}
	return out
}

// guideFar finds guides no point of which comes within reach of a domain that
// they act on.
// Gap is measured from the curve's points, which stand closer than any reach.
func guideFar(s *Scene) []Finding {
	var out []Finding
	for _, g := range s.Of(shot.Guide) {
		l := s.line(g)
		// One that moves may come into reach later.
		if len(l.P) < 2 || g.Keyed(val.Position) {
			continue
		}
		reach := Highest(g, val.Reach)
		gap, near := math.Inf(1), (*shot.Element)(nil)
		for _, d := range s.Domains {
			if !g.Acts(d) {
				continue
			}
			for _, p := range l.P {
				if x := d.DomainBox().Gap(geom.Box{Min: p, Max: p}) - reach; x < gap {
					gap, near = x, d
				}
			}
		}
		if near == nil || gap <= 0 {
			continue
		}
		// The whole curve is moved by its bounds' middle, so its shape stays.
		shift := near.DomainBox().Centre().Sub(l.Bounds().Centre())
		p := geom.FromArray(val.Position.Of(g)).Add(shift)
		out = append(out, Finding{Severity: Warning, Element: g.ID, What: fmt.Sprintf("%s runs %s m beyond its reach from %s.", g.Name, shot.Short(math.Round(gap*1000)/1000), near.Name), Why: fmt.Sprintf("It acts within %s m only: no gas feels it.", shot.Short(reach)),
			Mend: &Mend{Label: "Move it into the domain", Element: g.ID, Key: val.Position.Name(), Value: shot.Vec(p.X, p.Y, p.Z)}})
	}
	return out
}

// guideThin finds guides whose reach is under two voxels.
func guideThin(s *Scene) []Finding {
	var out []Finding
	for _, g := range s.Of(shot.Guide) {
		for _, d := range s.Domains {
			if h, r := val.Voxel.Of(d), Highest(g, val.Reach); g.Acts(d) && r < 2*h {
				out = append(out, Finding{Severity: Warning, Element: g.ID, What: fmt.Sprintf("%s reaches %s m in voxels of %s m.", g.Name, shot.Short(r), shot.Short(h)), Why: "Under two voxels hardly a cell feels it.", Mend: &Mend{Label: fmt.Sprintf("Let it reach %s m", shot.Short(4*h)), Element: g.ID, Key: val.Reach.Name(), Value: shot.Num(4 * h)}})
				break
			}
		}
	}
	return out
}

// idle are the values of a force of which at least one must not be 0.
// Kinds that aren't listed have no strength that could be 0, winds among them: a
// wind of 0 m/s holds the air still, which is meant.
var idle = map[shot.Kind][]val.NumKey{shot.Turbulence: {val.Strength}, shot.Vortex: {val.Strength, val.Draw, val.Lift}, shot.Radial: {val.Strength}, shot.Drag: {val.Rate}, shot.Guide: {val.Pace, val.Draw, val.Swirl}, shot.Pull: {val.Gather}}

// forceIdle finds forces without any strength.
func forceIdle(s *Scene) []Finding {
	var out []Finding
	for _, e := range s.Elements {
		list := idle[e.Kind]
		if e.Muted || list == nil {
			continue
		}
		still := true
		for _, k := range list {
			still = still && k.Of(e) == 0 && !e.Keyed(k)
		}
		if still {
			entry := shot.Find(e.Kind, list[0].Name())
			out = append(out, Finding{Severity: Note, Element: e.ID, What: fmt.Sprintf("%s does nothing: its %s is 0.", e.Name, strings.ToLower(entry.Label)), Why: "It costs time all the same.", Mend: &Mend{Label: fmt.Sprintf("Set it to %s", entry.Show(entry.Default, "m")), Element: e.ID, Key: list[0].Name(), Value: entry.Default}})
		}
	}
	return out
}

// pullFar finds pulls whose form, reach included, touches no domain.
func pullFar(s *Scene) []Finding {
	var out []Finding
	for _, e := range s.Of(shot.Pull) {
		sh, err := s.form(e)
		if err != nil || e.Moving(s.Files()) {
			continue
		}
		// Of several domains the nearest is the one that the mend moves it into.
		gap, near := math.Inf(1), (*shot.Element)(nil)
		for _, d := range s.Domains {
			if g := d.DomainBox().Gap(sh.Bounds()); e.Acts(d) && g < gap {
				gap, near = g, d
			}
		}
		if near == nil || gap == 0 {
			continue
		}
		out = append(out, Finding{Severity: Warning, Element: e.ID, What: fmt.Sprintf("%s stands %s m outside %s.", e.Name, shot.Short(math.Round(gap*1000)/1000), near.Name), Why: "Smoke can't gather where no gas is simulated.", Mend: &Mend{Label: "Move it into the domain", Element: e.ID, Key: val.Position.Name(), Value: intoBox(e, near, s.Now)}})
	}
	return out
}

// pullThin finds pulls whose form is under two voxels thick: hardly a cell lies
// in it.
func pullThin(s *Scene) []Finding {
	var out []Finding
	for _, e := range s.Of(shot.Pull) {
		sh, err := s.form(e)
		if err != nil {
			continue
		}
		for _, d := range s.Domains {
			h := val.Voxel.Of(d)
			if t := sh.Thinnest(); e.Acts(d) && !d.Fluid().Loose && t < 2*h {
				out = append(out, Finding{Severity: Warning, Element: e.ID, What: fmt.Sprintf("%s is %s m thin in voxels of %s m.", e.Name, shot.Short(math.Round(t*1e4)/1e4), shot.Short(h)), Why: "Under two voxels its form can't be made out in smoke.", Mend: &Mend{Label: fmt.Sprintf("Set %s's voxel size to %s m", d.Name, shot.Short(shot.Tidy(t/2.5))), Element: d.ID, Key: val.Voxel.Name(), Value: shot.Num(shot.Tidy(t / 2.5))}})
				break
			}
		}
	}
	return out
}

// MeshPace is about the farthest that a place on an imported mesh moves in a
// frame, m, from a few of its frames.
// A few vertices at a few frames: an estimate that errs low, for a warning.
func MeshPace(s *shot.Shot, e *shot.Element) float64 {
	if !e.FromFile() || !e.Moving(s.Files()) {
		return 0
	}
	first, last := s.Range()
	worst := 0.0
	// Ends of a run are where walks stop and start, so the frames are spread over
	// all of it, first and last among them.
	const looks = 8
	for n := range looks {
		f := float64(first) + float64(last-1-first)*float64(n)/(looks-1)
		a, err1 := e.Form(s.Eval(f), 0)
		b, err2 := e.Form(s.Eval(f+1), 0)
		// Without the same faces the places can't be compared; what was seen so far
		// counts.
		if err1 != nil || err2 != nil || !a.Body.SameFaces(b.Body) {
			return worst
		}
		p, q := a.Body.Mesh.P, b.Body.Mesh.P
		// 200 vertices, spread over the list
		for v := 0; v < len(p); v += max(1, len(p)/200) {
			worst = max(worst, a.Turn.Apply(p[v]).Add(a.Centre).Dist(b.Turn.Apply(q[v]).Add(b.Centre)))
		}
	}
	return worst
}
