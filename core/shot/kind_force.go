package shot

// What moves the fluid. Each kind is a definition with its values, its sentence,
// what the viewport shows, and where a new one stands; how it acts is in stage's
// bindings and in package sim.

import (
	"fmt"
	"math"

	"zarf/core/geom"
	"zarf/core/shot/val"
)

// winds declares winds.
func winds() KindDef {
	return KindDef{Kind: Wind, Name: "Wind", Group: "moves it", Scoped: true, Values: append([]Entry{
		of(val.Velocity, Entry{Kind: Wind, Label: "Wind", Type: Vector, Unit: Speed, Default: Vec(1, 0, 0), Min: -500, Max: 500, Step: 0.1, Keyable: true, Main: true, Topic: "motion", Sim: true, Help: "Speed and direction that the air is drawn towards."}),
		of(val.Grip, Entry{Kind: Wind, Label: "Grip", Type: Number, Unit: PerSecond, Default: Num(0.5), Min: 0, Max: 1000, Step: 0.1, Keyable: true, Main: true, Topic: "motion", Sim: true, Help: "How quickly the air takes up the wind: at 1, two thirds within a second. A liquid is pressed on instead, by the area that it shows the wind."}),
		of(val.Gust, Entry{Kind: Wind, Label: "Gusts", Type: Number, Default: Num(0), Min: 0, Max: 5, Step: 0.05, Keyable: true, Main: true, Topic: "gusts", Sim: true, Help: "How much the wind swells and drops, as a share of its speed."}),
		of(val.GustTime, Entry{Kind: Wind, Label: "Gust length", Type: Number, Unit: Second, Default: Num(2), Min: 0.01, Max: 10000, Step: 0.1, Keyable: true, Main: true, Topic: "gusts", Sim: true, Counts: "gust=+", Help: "Seconds from one gust to the next."}),
	}, Region(Vec(0, 1, 0))...),
		// The arrow is as long as the wind is fast, in metres per second.
		Draw: func(s *Shot, e *Element, ev val.Eval, d *Drawn) { d.Vector = d.vector(e, val.Velocity, ev) },
		Sentence: func(s *Shot, e *Element) string {
			// The length is said to a hundredth, the direction by its main axis: a
			// sentence is read at a glance, and the exact numbers stand on the sheet
			// below it.
			v := val.Velocity.Of(e)
			t := fmt.Sprintf("draws the air %s at %s m/s", direction(v), Short(math.Round(math.Hypot(math.Hypot(v[0], v[1]), v[2])*100)/100))
			if g := val.Gust.Of(e); g > 0 {
				t += fmt.Sprintf(", with gusts of %s %% every %s s", Short(g*100), Short(val.GustTime.Of(e)))
			}
			return t + s.KeyedWords(e, val.Velocity) + s.regionWords(e) + s.Scope(e) + "."
		},
		Place: func(e, domain *Element, r Room) { val.Position.Set(e, r.Box.Min.X, r.Mid.Y, r.Mid.Z) },
	}
}

// turbulences declares turbulence.
func turbulences() KindDef {
	return KindDef{Kind: Turbulence, Name: "Turbulence", Group: "moves it", Scoped: true, Values: append([]Entry{
		of(val.Strength, Entry{Kind: Turbulence, Label: "Strength", Type: Number, Unit: Accel, Default: Num(1), Min: 0, Max: 10000, Step: 0.1, Keyable: true, Main: true, Topic: "motion", Sim: true, Help: "How hard the noise pushes."}),
		of(val.Largest, Entry{Kind: Turbulence, Label: "Largest eddies", Type: Number, Unit: Metre, Default: Num(0.4), Min: 1e-3, Max: 1e5, Keyable: true, Main: true, Topic: "motion", Sim: true, Help: "Size of the largest whirls. Under four voxels they are lost."}),
		of(val.Octaves, Entry{Kind: Turbulence, Label: "Sizes", Type: Integer, Default: Num(2), Min: 1, Max: 6, Step: 1, Keyable: true, Main: true, Topic: "motion", Sim: true, Help: "How many sizes, each half of the one before. Each takes time."}),
		of(val.Rate, Entry{Kind: Turbulence, Label: "Change", Type: Number, Unit: PerSecond, Default: Num(0.5), Min: 0, Max: 1000, Step: 0.1, Keyable: true, Main: true, Topic: "motion", Sim: true, Help: "How many times a second the pattern has changed altogether."}),
	}, Region(Vec(0, 1, 0))...),
		Sentence: func(s *Shot, e *Element) string {
			m := s.metres()
			return fmt.Sprintf("stirs the air at %s m/s² in whirls of up to %s%s%s%s.", Short(val.Strength.Of(e)), m(val.Largest.Of(e)), s.KeyedWords(e, val.Strength), s.regionWords(e), s.Scope(e))
		},
		Place: func(e, domain *Element, r Room) {
			val.Largest.Set(e, r.Size.MinComponent()*0.3)
			val.Position.Set(e, r.Box.Max.X, r.Mid.Y, r.Mid.Z)
		},
	}
}

// vortices declares vortices.
func vortices() KindDef {
	return KindDef{Kind: Vortex, Name: "Vortex", Group: "moves it", Scoped: true, Values: append([]Entry{
		of(val.Strength, Entry{Kind: Vortex, Label: "Swirl", Type: Number, Unit: Accel, Default: Num(4), Min: -10000, Max: 10000, Step: 0.5, Keyable: true, Main: true, Topic: "motion", Sim: true, Help: "How hard it pushes round its axis, at its radius. Below 0 the other way round."}),
		of(val.Radius, Entry{Kind: Vortex, Label: "Radius", Type: Number, Unit: Metre, Default: Num(0.3), Min: 1e-3, Max: 1e5, Keyable: true, Main: true, Topic: "motion", Sim: true, Help: "Where it pushes hardest; farther out it falls off."}),
		of(val.Draw, Entry{Kind: Vortex, Label: "Draw", Type: Number, Unit: Accel, Default: Num(2), Min: -10000, Max: 10000, Step: 0.5, Keyable: true, Main: true, Topic: "motion", Sim: true, Help: "Pull towards the axis; without it the swirl flings smoke out."}),
		of(val.Lift, Entry{Kind: Vortex, Label: "Lift", Type: Number, Unit: Accel, Default: Num(0), Min: -10000, Max: 10000, Step: 0.5, Keyable: true, Main: true, Topic: "motion", Sim: true, Help: "Push along the axis, near it."}),
		of(val.Turn, Entry{Kind: Vortex, Label: "Turn", Type: Vector, Unit: Degree, Default: Vec(0, 0, 0), Min: -36000, Max: 36000, Step: 5, Keyable: true, Main: true, Topic: "place", Sim: true, Help: "Angles about x, then y, then z; its axis stands upright without."}),
	}, about()...),
		Draw: func(s *Shot, e *Element, ev val.Eval, d *Drawn) {
			d.Turn = d.vector(e, val.Turn, ev)
			d.Radius, d.Vector[0] = val.Radius.At(e, ev), val.Strength.At(e, ev)
		},
		Sentence: func(s *Shot, e *Element) string {
			m := s.metres()
			t := fmt.Sprintf("turns the air about its axis at %s m/s², hardest %s out", Short(val.Strength.Of(e)), m(val.Radius.Of(e)))
			if v := val.Draw.Of(e); v > 0 {
				t += fmt.Sprintf(", drawing in at %s m/s²", Short(v))
			}
			return t + s.KeyedWords(e, val.Strength) + s.regionWords(e) + s.Scope(e) + "."
		},
		Place: placeRound,
	}
}

// radials declares radial pushes.
func radials() KindDef {
	return KindDef{Kind: Radial, Name: "Radial", Group: "moves it", Scoped: true, Values: append([]Entry{
		of(val.Strength, Entry{Kind: Radial, Label: "Strength", Type: Number, Unit: Accel, Default: Num(-4), Min: -100000, Max: 100000, Step: 0.5, Keyable: true, Main: true, Topic: "motion", Sim: true, Help: "Push away from its middle; below 0 it draws in."}),
		of(val.Radius, Entry{Kind: Radial, Label: "Radius", Type: Number, Unit: Metre, Default: Num(0.3), Min: 1e-3, Max: 1e5, Keyable: true, Main: true, Topic: "motion", Sim: true, Help: "Up to here it acts fully, beyond it falls with the square of the distance."}),
	}, about()...),
		Draw: func(s *Shot, e *Element, ev val.Eval, d *Drawn) {
			d.Radius, d.Vector[0] = val.Radius.At(e, ev), val.Strength.At(e, ev)
		},
		Sentence: func(s *Shot, e *Element) string {
			m := s.metres()
			verb, v := "pushes the air away", val.Strength.Of(e)
			if v < 0 {
				verb, v = "draws the air in", -v
			}
			return fmt.Sprintf("%s at %s m/s² within %s%s%s%s.", verb, Short(v), m(val.Radius.Of(e)), s.KeyedWords(e, val.Strength), s.regionWords(e), s.Scope(e))
		},
		Place: placeRound,
	}
}

// about is the region of a force that acts about its middle.
// Winds act everywhere and have a position for their mark alone; these act about it.
func about() []Entry {
	list := Region(Vec(0, 1, 0))
	list[0].Counts, list[0].Main = "", true // their middle matters wherever they act
	list[0].Help = "The middle that it acts about."
	return list
}

// placeRound puts a force where the domain's middle is.
// A fifth of the domain's smallest side: seen at once, and far from the walls.
func placeRound(e, domain *Element, r Room) {
	val.Position.Set(e, r.Mid.X, r.Mid.Y, r.Mid.Z)
	val.Radius.Set(e, r.Size.MinComponent()*0.2)
}

// drags declares drag.
func drags() KindDef {
	return KindDef{Kind: Drag, Name: "Drag", Group: "moves it", Scoped: true, Values: append([]Entry{
		of(val.Rate, Entry{Kind: Drag, Label: "Slows", Type: Number, Unit: PerSecond, Default: Num(2), Min: 0, Max: 10000, Step: 0.1, Keyable: true, Main: true, Topic: "motion", Sim: true, Help: "Share of the speed taken away in a second, roughly: 2 leaves a seventh after a second."}),
	}, Region(Vec(0, 1, 0))...),
		Sentence: func(s *Shot, e *Element) string {
			return fmt.Sprintf("slows the air by %s a second%s%s%s.", Short(val.Rate.Of(e)), s.KeyedWords(e, val.Rate), s.regionWords(e), s.Scope(e))
		},
		Place: func(e, domain *Element, r Room) { val.Position.Set(e, r.Mid.X, r.Box.Max.Y-r.Size.Y*0.2, r.Mid.Z) },
	}
}

// guideValues are the values of a guide curve.
// Four profiles run along the curve as factors of pace, draw, swirl and reach.
func guideValues() []Entry {
	g := func(n val.Name, e Entry) Entry {
		e.Sim = true
		if e.Topic == "" {
			e.Topic, e.Main = "motion", true
		}
		return of(n, e)
	}
	along := func(n val.ProfileKey, label, of string) Entry {
		return g(n, Entry{Label: label, Type: Profile, Min: -100, Max: 100, Topic: "along the curve",
			Help: of + " along the curve, as factors from its start to its end: “1 1 0” fades it out over the second half. Empty is 1 everywhere."})
	}
	return []Entry{
		g(val.Points, Entry{Label: "Points", Type: Points, Unit: Metre, Default: PointList([][3]float64{{0, 0, 0}, {0, 1, 0}, {0, 2, 0}}), Min: -1e5, Max: 1e5, Topic: "place", Help: "Places that the curve runs through, x y z each, from its start to its end."}),
		g(val.Closed, Entry{Label: "Closed", Type: Flag, Topic: "place", Help: "The end runs on into the start."}),
		g(val.Position, Entry{Label: "Shift", Type: Vector, Unit: Metre, Min: -1e5, Max: 1e5, Keyable: true, Topic: "place", Help: "Moves the whole curve."}),
		g(val.Pace, Entry{Label: "Pace", Type: Number, Unit: Speed, Default: Num(1), Min: -500, Max: 500, Step: 0.1, Keyable: true, Help: "Speed along the curve that gas takes on; below 0 backwards."}),
		g(val.Draw, Entry{Label: "Draw", Type: Number, Unit: Speed, Default: Num(0.3), Min: -500, Max: 500, Step: 0.1, Keyable: true, Help: "Speed towards the curve at the edge of its reach, less nearer in. It keeps a stream together; below 0 it spreads it."}),
		g(val.Swirl, Entry{Label: "Swirl", Type: Number, Unit: Speed, Default: Num(0), Min: -500, Max: 500, Step: 0.1, Keyable: true, Help: "Speed round the curve, fastest at half its reach."}),
		g(val.Reach, Entry{Label: "Reach", Type: Number, Unit: Metre, Default: Num(0.5), Min: 1e-3, Max: 1e5, Keyable: true, Help: "Distance from the curve at which it stops acting; it acts fully within about half of it."}),
		g(val.Grip, Entry{Label: "Grip", Type: Number, Unit: PerSecond, Default: Num(4), Min: 0, Max: 1000, Step: 0.5, Keyable: true, Help: "How quickly gas takes these speeds up: at 4, two thirds within a quarter of a second."}),
		along(val.PaceAlong, "Pace", "Pace"), along(val.DrawAlong, "Draw", "Draw"), along(val.SwirlAlong, "Swirl", "Swirl"), along(val.ReachAlong, "Reach", "Reach"),
	}
}

// guides declares guides.
func guides() KindDef {
	return KindDef{Kind: Guide, Name: "Guide", Group: "moves it", Scoped: true, Values: guideValues(),
		Draw: func(s *Shot, e *Element, ev val.Eval, d *Drawn) {
			d.Points, d.Closed = val.Points.Of(e), val.Closed.Of(e)
			d.Radius, d.Swirl = val.Reach.At(e, ev), val.Swirl.At(e, ev)
			d.Vector[0] = val.Pace.At(e, ev)
			d.Along = val.ReachAlong.Of(e)
			var p []geom.Vec3
			for _, q := range d.Points {
				p = append(p, geom.FromArray(q))
			}
			// The same curve as the solver follows, in twelve pieces between points,
			// so that what is drawn is what leads.
			for _, q := range geom.NewLine(p, d.Closed, 12).P {
				d.Line = append(d.Line, q.Array())
			}
		},
		Sentence: func(s *Shot, e *Element) string {
			m := s.metres()
			t := fmt.Sprintf("leads the air along a curve of %d points at %s m/s, within %s", len(val.Points.Of(e)), Short(val.Pace.Of(e)), m(val.Reach.Of(e)))
			if v := val.Swirl.Of(e); v != 0 {
				t += fmt.Sprintf(", swirling at %s m/s", Short(v))
			}
			return t + s.KeyedWords(e, val.Pace) + s.Scope(e) + "."
		},
		Place: func(e, domain *Element, r Room) { // up through the domain in a bow
			// Four points in a bow show what a guide is; a straight line would look
			// like a wind.
			at := func(x, y float64) [3]float64 {
				return [3]float64{Tidy(r.Mid.X + x*r.Size.X), Tidy(r.Box.Min.Y + y*r.Size.Y), Tidy(r.Mid.Z)}
			}
			val.Points.Set(e, [][3]float64{at(0, 0.1), at(0.15, 0.35), at(-0.15, 0.65), at(0, 0.9)})
			val.Reach.Set(e, Tidy(r.Size.MinComponent()*0.2))
		},
	}
}
