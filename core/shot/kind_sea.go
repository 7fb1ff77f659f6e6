package shot

// The sea round a shot: open water under a wind, in which domains of liquid lie.

import (
	"fmt"
	"math"

	"zarf/core/geom"
	"zarf/core/shot/val"
)

// fixedSea is why a sea's state has no keys.
const fixedSea = "A sea takes hours to grow: its state is one for the shot."

// seas declares open water.
func seas() KindDef {
	s := func(n val.Name, e Entry) Entry {
		e.Kind = Sea
		return of(n, e)
	}
	return KindDef{Kind: Sea, Name: "Sea", Group: "surrounds it", Scoped: true, Values: []Entry{
		s(val.SeaLevel, Entry{Label: "Level", Type: Number, Unit: Metre, Default: Num(0), Min: -1e5, Max: 1e5, Step: 0.1, Fixed: fixedSea, Main: true, Topic: "sea", Sim: true, Help: "Height of the still water."}),
		s(val.SeaWind, Entry{Label: "Wind speed", Type: Number, Unit: Speed, Default: Num(8), Min: 0, Max: 70, Step: 0.5, Fixed: fixedSea, Main: true, Topic: "sea", Sim: true, Help: "Wind that has raised the waves, 10 m over the water: a breeze 5 m/s, half a gale 14, a storm 25. 0 is a flat calm."}),
		s(val.SeaBearing, Entry{Label: "Waves run to", Type: Number, Unit: Degree, Default: Num(90), Min: -36000, Max: 36000, Step: 5, Fixed: fixedSea, Main: true, Topic: "sea", Sim: true, Help: "Bearing about the vertical: 0 towards −z, 90 towards +x, as the sun's."}),
		s(val.SeaFetch, Entry{Label: "Fetch", Type: Number, Unit: Metre, Default: Num(50000), Min: 10, Max: 1e6, Step: 1000, Fixed: fixedSea, Main: true, Topic: "sea", Sim: true, Help: "How far the wind has blown over water. A pond 100 m, a bay 5 km, open sea 300 km: longer makes higher, longer waves."}),
		s(val.SeaDepth, Entry{Label: "Depth", Type: Number, Unit: Metre, Default: Num(40), Min: 0.001, Max: 10000, Step: 1, Fixed: fixedSea, Main: true, Topic: "sea", Sim: true, Help: "Of the water, everywhere. Waves longer than twice this feel the ground: they are slower and lower."}),
		s(val.WaveHeight, Entry{Label: "Height", Type: Number, Default: Num(1), Min: 0, Max: 10, Step: 0.1, Fixed: fixedSea, Topic: "waves", Sim: true, Help: "Times the height that the wind makes."}),
		s(val.WaveSpread, Entry{Label: "Directions", Type: Number, Default: Num(1), Min: 0, Max: 1, Step: 0.1, Fixed: fixedSea, Topic: "waves", Sim: true, Help: "1 is as at sea, with waves from many sides; towards 0 all run one way, as swell does."}),
		s(val.Choppy, Entry{Label: "Sharp crests", Type: Number, Default: Num(1), Min: 0, Max: 1.5, Step: 0.1, Fixed: fixedSea, Topic: "waves", Sim: true, Help: "How far water is drawn together under crests: 1 as it is, 0 rounds them."}),
		s(val.ShortestWave, Entry{Label: "Shortest waves", Type: Number, Unit: Metre, Default: Num(0.1), Min: 0.001, Max: 10000, Step: 0.05, Fixed: fixedSea, Topic: "waves", Sim: true, Help: "Waves shorter than this are left out; in pictures they roughen the surface instead."}),
		s(val.Seed, Entry{Label: "Seed", Type: Integer, Default: Num(1), Min: 0, Max: 1e9, Step: 1, Fixed: fixedSeed, Topic: "waves", Sim: true, Help: "Another number is the same sea on another day."}),
		s(val.CrestHeight, Entry{Label: "One large wave", Type: Number, Unit: Metre, Default: Num(0), Min: 0, Max: 100, Step: 0.5, Fixed: fixedSea, Topic: "large wave", Sim: true, Help: "Height over the still water of a crest that stands out from the others; 0: none does."}),
		s(val.CrestFrame, Entry{Label: "… arrives on frame", Type: Number, Unit: Frames, Default: Num(48), Min: -100000, Max: 1000000, Step: 1, Fixed: fixedFrames, Topic: "large wave", Sim: true, Counts: "crest_height=+", Help: "Frame on which it is highest."}),
		s(val.CrestPlace, Entry{Label: "… at", Type: Vector, Unit: Metre, Default: Vec(0, 0, 0), Min: -1e5, Max: 1e5, Fixed: fixedSea, Topic: "large wave", Sim: true, Counts: "crest_height=+", Help: "Where it is highest then; its height there is of no account."}),
		s(val.SeaRim, Entry{Label: "Blend width", Type: Number, Unit: Metre, Default: Num(0), Min: 0, Max: 1e5, Step: 0.1, Fixed: fixedSea, Topic: "join", Sim: true, Help: "Width of the rim along a domain's open sides in which it follows the sea, and what it throws back fades out. 0: an eighth of the domain, at least six voxels."}),
		s(val.Rendered, Entry{Label: "In the picture", Type: Flag, Default: On(true), Topic: "picture", Help: "Off: it moves domains and can't be seen."}),
		s(val.Whitecaps, Entry{Label: "Whitecaps", Type: Number, Default: Num(0.5), Min: 0, Max: 1, Step: 0.05, Fixed: fixedSea, Topic: "picture", Help: "How readily crests that fold over show white: 0 never, 1 from the first."}),
		s(val.DeepColour, Entry{Label: "Colour of the deep", Type: Colour, Default: Vec(0.004, 0.022, 0.028), Min: 0, Max: 1, Keyable: true, Topic: "picture", Help: "Share of the light that comes back from the depths, for each colour: the ocean is a dark blue, coasts are green."}),
	},
		Draw: func(s *Shot, e *Element, ev val.Eval, d *Drawn) {
			d.Strokes = seaStrokes(s, e)
		},
		Sentence: func(s *Shot, e *Element) string {
			t := fmt.Sprintf("surrounds %s with open water at a height of %s, under a wind of %s m/s", s.lyingIn(e), s.metres()(val.SeaLevel.Of(e)), Short(val.SeaWind.Of(e)))
			if val.SeaWind.Of(e) <= 0 {
				t = fmt.Sprintf("surrounds %s with still water at a height of %s", s.lyingIn(e), s.metres()(val.SeaLevel.Of(e)))
			}
			if h := val.CrestHeight.Of(e); h > 0 {
				t += fmt.Sprintf("; a wave of %s arrives on frame %s", s.metres()(h), Short(val.CrestFrame.Of(e)))
			}
			return t + s.Scope(e) + "."
		},
		Place: func(e, domain *Element, r Room) {
			val.SeaLevel.Set(e, Tidy(r.Mid.Y))
			val.CrestPlace.Set(e, r.Mid.X, 0, r.Mid.Z)
		},
	}
}

// lyingIn names what a sea surrounds.
func (s *Shot) lyingIn(e *Element) string {
	var names []string
	for _, d := range s.Of(Domain) {
		if e.Acts(d) && d.Within().Has("liquid") {
			names = append(names, d.Name)
		}
	}
	if len(names) == 0 {
		return "the shot"
	}
	return list(names)
}

// SeaOf is the sea that a domain lies in; nil: none. Of several it is one.
func (s *Shot) SeaOf(d *Element) (sea *Element) {
	for _, e := range s.Of(Sea) {
		if e.Acts(d) && d.Within().Has("liquid") && (sea == nil || e.ID < sea.ID) {
			sea = e
		}
	}
	return sea
}

// seaStrokes are the level about the domains, and which way waves run.
func seaStrokes(s *Shot, e *Element) (out [][][3]float64) {
	var b geom.Box
	for n, d := range s.Of(Domain) {
		if o := d.DomainBox(); n == 0 {
			b = o
		} else {
			b = geom.Box{Min: b.Min.Min(o.Min), Max: b.Max.Max(o.Max)}
		}
	}
	y, mid := val.SeaLevel.Of(e), b.Centre()
	long := max(b.Size().X, b.Size().Z, 1)
	far := 0.8 * long
	out = append(out, [][3]float64{{mid.X - far, y, mid.Z - far}, {mid.X + far, y, mid.Z - far}, {mid.X + far, y, mid.Z + far}, {mid.X - far, y, mid.Z + far}, {mid.X - far, y, mid.Z - far}})
	sin, cos := math.Sincos(val.SeaBearing.Of(e) * math.Pi / 180)
	dir, side := geom.V(sin, 0, -cos), geom.V(cos, 0, sin)
	tip := geom.V(mid.X, y, mid.Z).Add(dir.Mul(far * 0.9))
	back := tip.Sub(dir.Mul(far * 0.2))
	left, right := back.Add(side.Mul(far*0.08)), back.Sub(side.Mul(far*0.08))
	return append(out, [][3]float64{tip.Sub(dir.Mul(far * 0.5)).Array(), tip.Array(), left.Array()}, [][3]float64{tip.Array(), right.Array()})
}
