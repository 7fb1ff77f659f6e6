package shot

// What stands in the way, what only stands by, and what smoke is drawn into: three
// kinds that share the values of a shape.

import (
	"fmt"
	"math"

	"zarf/core/shot/val"
	"zarf/core/srgb"
)

// colliders declares solids.
func colliders() KindDef {
	return KindDef{Kind: Collider, Name: "Collider", Group: "stops it", Shaped: true, Scoped: true, Values: append(Placed("box", Vec(0.4, 0.4, 0.4)), []Entry{
		of(val.Friction, Entry{Kind: Collider, Label: "Friction", Type: Number, Default: Num(0), Min: 0, Max: 1, Step: 0.05, Keyable: true, Main: true, Topic: "surface", Sim: true, Help: "0 lets gas slide along the surface, 1 holds it there."}),
		of(val.Invert, Entry{Kind: Collider, Label: "Inside out", Type: Flag, Topic: "surface", Sim: true, Help: "Gas is kept within the form instead of outside: a room, a jar. What lies outside is solid."}),
		of(val.Material, Entry{Kind: Collider, Label: "Made of", Type: Choice, Default: Text("matt"), Choices: opts("matt", "something matt", "glass", "clear glass"), Topic: "surface", Help: "Glass bends light and is seen through; liquid may stand right up against it."}),
		of(val.Colour, Entry{Kind: Collider, Label: "Colour", Type: Colour, Default: Vec(0.18, 0.18, 0.18), Min: 0, Max: 1, Keyable: true, Topic: "surface", Help: "In the picture."}),
		of(val.Rendered, Entry{Kind: Collider, Label: "In the picture", Type: Flag, Default: On(true), Topic: "surface", Help: "Off: it stops gas and can't be seen."}),
		of(val.Holdout, Entry{Kind: Collider, Label: "Holdout", Type: Flag, Topic: "surface", Help: holdoutHelp}),
	}...),
		Draw: drawSolid,
		Sentence: func(s *Shot, e *Element) string {
			t := "stops " + s.fluidWord() + " with a " + s.SizeWords(e)
			if val.Invert.Of(e) {
				t = "keeps " + s.fluidWord() + " within a " + s.SizeWords(e)
			}
			if e.Moving(s.files) {
				t += ", moving"
			}
			if f := val.Friction.Of(e); f > 0 {
				t += fmt.Sprintf(", friction %s", Short(f))
			}
			return t + s.Scope(e) + "."
		},
		Place: func(e, domain *Element, r Room) {
			val.Size.Set(e, r.Small, r.Small, r.Small)
			val.Position.Set(e, r.Mid.X, r.Mid.Y, r.Mid.Z)
		},
	}
}

// meshes declares things that only stand by.
func meshes() KindDef {
	return KindDef{Kind: Mesh, Name: "Mesh", Group: "stands by", Shaped: true, Values: append(Placed("box", Vec(1, 1, 1)), []Entry{
		of(val.Material, Entry{Kind: Mesh, Label: "Made of", Type: Choice, Default: Text("matt"), Choices: opts("matt", "something matt", "glass", "clear glass"), Topic: "surface", Help: "Glass bends light and is seen through; liquid may stand right up against it."}),
		of(val.Colour, Entry{Kind: Mesh, Label: "Colour", Type: Colour, Default: Vec(0.18, 0.18, 0.18), Min: 0, Max: 1, Keyable: true, Topic: "surface", Help: "In the picture."}),
		of(val.Rendered, Entry{Kind: Mesh, Label: "In the picture", Type: Flag, Default: On(true), Topic: "surface", Help: "Off: it is seen in the viewport only."}),
		of(val.Holdout, Entry{Kind: Mesh, Label: "Holdout", Type: Flag, Topic: "surface", Help: holdoutHelp}),
	}...),
		Draw:     drawSolid,
		Sentence: func(s *Shot, e *Element) string { return "is a " + s.SizeWords(e) + " that touches nothing." },
		Place: func(e, domain *Element, r Room) {
			val.Size.Set(e, r.Small, r.Small, r.Small)
			val.Position.Set(e, r.Mid.X, r.Mid.Y, r.Mid.Z)
		},
	}
}

// drawSolid tells the viewport of a solid.
// Colours are linear in the document and coded for the browser.
func drawSolid(s *Shot, e *Element, ev val.Eval, d *Drawn) {
	d.Moving = d.Moving || e.Keyed(val.Colour)
	d.Colour = SRGB(val.Colour.At(e, ev))
	d.Clear = val.Material.Of(e) == "glass"
}

// SRGB writes a linear colour as the browser's colour field wants it.
// Values above 1 are cut: a field of the browser can't show more than white.
func SRGB(v [3]float64) string {
	var b [3]int
	for i, x := range v {
		b[i] = int(math.Round(srgb.Encode(min(max(x, 0), 1)) * 255))
	}
	return fmt.Sprintf("#%02x%02x%02x", b[0], b[1], b[2])
}

// pulls declares pulls.
// It stands with the solids because it has a form, though it stops nothing.
func pulls() KindDef {
	return KindDef{Kind: Pull, Name: "Shape pull", Group: "moves it", Shaped: true, Scoped: true, Values: append(Placed("sphere", Vec(1, 1, 1)), []Entry{
		of(val.Gather, Entry{Kind: Pull, Label: "Gathers", Type: Number, Unit: Speed, Default: Num(0.6), Min: 0, Max: 500, Step: 0.1, Keyable: true, Main: true, Topic: "motion", Sim: true, Help: "Speed at which smoke drifts into the form. At 0 it is let go; key it to gather and release."}),
		of(val.Reach, Entry{Kind: Pull, Label: "Reach", Type: Number, Unit: Metre, Default: Num(1), Min: 1e-3, Max: 1e5, Keyable: true, Main: true, Topic: "motion", Sim: true, Help: "Distance from the form's surface up to which smoke is drawn."}),
		of(val.Keep, Entry{Kind: Pull, Label: "Holds", Type: Number, Unit: PerSecond, Default: Num(3), Min: 0, Max: 10000, Step: 0.5, Keyable: true, Main: true, Topic: "motion", Sim: true, Help: "How hard gas inside the form is slowed: without it the smoke is carried out again at once."}),
	}...),
		Draw: func(s *Shot, e *Element, ev val.Eval, d *Drawn) { d.Radius = val.Reach.At(e, ev) },
		Sentence: func(s *Shot, e *Element) string {
			m := s.metres()
			return fmt.Sprintf("gathers smoke into a %s at %s m/s from up to %s away%s%s.", s.SizeWords(e), Short(val.Gather.Of(e)), m(val.Reach.Of(e)), s.KeyedWords(e, val.Gather), s.Scope(e))
		},
		Place: func(e, domain *Element, r Room) {
			val.Size.Set(e, 2*r.Small, 2*r.Small, 2*r.Small)
			val.Position.Set(e, r.Mid.X, r.Mid.Y, r.Mid.Z)
			val.Reach.Set(e, Tidy(r.Size.MinComponent()*0.5))
		},
	}
}
