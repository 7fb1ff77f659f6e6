package shot

// Cloth: sheets and whatever else is sewn. Domains that hold cloth simulate it; for all others
// it is something that stands in the way.

import (
	"fmt"
	"math"
	"slices"

	"zarf/core/geom"
	"zarf/core/shot/val"
)

const fixedFabric = "A fabric stays what it is."

// pinChoices are where cloth is pinned, by the sides of the box round it as modelled.
var pinChoices = opts("none", "nowhere", "edge", "along its edge at −z", "hooks", "at hooks along that edge", "ends", "at the two ends of that edge", "corners", "at its four corners", "sides", "along its edges at −z and +z", "rim", "all round its rim", "within", "within a sensor's form")

// woven declares a value of cloth that its simulation reads.
func woven(n val.Name, e Entry) Entry {
	e.Kind, e.Sim = Cloth, true
	return of(n, e)
}

// fabric declares a number of the fabric itself.
func fabric(n val.NumKey, label string, unit Unit, def, least, most, step float64, help string) Entry {
	return woven(n, Entry{Label: label, Type: Number, Unit: unit, Default: Num(def), Min: least, Max: most, Step: step, Fixed: fixedFabric, Topic: "fabric", Builds: true, When: "in=cloth", Help: help})
}

// cloths declares cloth.
func cloths() KindDef {
	placed := slices.DeleteFunc(Placed("plane", Vec(1.5, 0.01, 1)), func(e Entry) bool { return e.Key == val.Wall.Name() })
	for i := range placed {
		switch e := &placed[i]; e.Key {
		case val.Form.Name():
			e.Choices = opts("plane", "Sheet", "sphere", "Ball", "cylinder", "Sleeve", "mesh", "From a file")
			e.Help, e.Builds = "What it is cut as. A sheet lies in its own x and z, turned by its angles; a sleeve is open at both ends; a ball holds pressure.", true
		case val.Size.Name():
			e.Help = "Width, height and depth before turning. A sheet is as wide as x and as deep as z. With keys its pins draw apart, and it stretches."
		case val.Position.Name():
			e.Help = "Where its middle stands as modelled. With keys its pins move."
		case val.Mesh.Name():
			e.Builds = true
		case val.Taper.Name():
			e.When, e.Builds, e.Help = "form=cylinder", true, "Diameter at the top over diameter at the bottom: a windsock is 0.5 or less."
		case val.Share.Name():
			e.Label, e.Main, e.Help = "Part of its mesh", false, "Which part of the mesh is pinned besides, or weak. Painting works in the viewport."
			e.Choices = opts("whole", "no part of the mesh", "parts", "named parts", "joints", "what joints move", "colour", "where its colours are bright", "painted", "where it is painted")
		case val.ShareNames.Name():
			e.Help = "The parts or joints."
		case val.SharePainted.Name():
			e.Help = "Weight painted on the mesh, 0 to 1: from a half on it is pinned; where it is weak, as weak as that."
		case val.Motion.Name():
			e.Help = "What the file's own animation does. Pins go with it."
		}
	}
	return KindDef{Kind: Cloth, Name: "Cloth", Group: "gives way", Shaped: true, Scoped: true, Whole: true, Values: slices.Concat(placed, clothCut(), clothPins(), clothFabric(), clothAir(), clothFire(), []Entry{
		of(val.Colour, Entry{Kind: Cloth, Label: "Colour", Type: Colour, Default: Vec(0.42, 0.36, 0.27), Min: 0, Max: 1, Keyable: true, Topic: "surface", Help: "In the picture. Where it is wet it is darker."}),
		of(val.Weave, Entry{Kind: Cloth, Label: "Weave roughness", Type: Number, Default: Num(0.35), Min: 0, Max: 1.5, Step: 0.05, Keyable: true, Topic: "surface", Help: "Slope of its threads, in radians: film 0, cotton 0.3, canvas 0.5, felt 0.8. Rough cloth is evenly bright up to its rim."}),
		of(val.Rendered, Entry{Kind: Cloth, Label: "In the picture", Type: Flag, Default: On(true), Topic: "surface", Help: "Off: it is simulated and can't be seen."}),
		of(val.Holdout, Entry{Kind: Cloth, Label: "Holdout", Type: Flag, Topic: "surface", Help: holdoutHelp}),
	}),
		Draw:     func(s *Shot, e *Element, ev val.Eval, d *Drawn) { d.Colour = SRGB(val.Colour.At(e, ev)) },
		Sentence: clothSentence,
		Place: func(e, domain *Element, r Room) {
			w := Tidy(r.Size.MinComponent() * 0.5)
			val.Size.Set(e, w, 0.01, w)
			val.Turn.Set(e, 90, 0, 0)
			val.Position.Set(e, r.Mid.X, Tidy(r.Box.Min.Y+0.6*r.Size.Y), r.Mid.Z)
			val.ClothEdge.Set(e, Tidy(w/40))
		},
	}
}

// clothCut declares how cloth is cut.
func clothCut() []Entry {
	return []Entry{
		woven(val.ClothEdge, Entry{Label: "Mesh size", Type: Number, Unit: Metre, Default: Num(0.03), Min: 1e-4, Max: 100, Step: 0.005, Main: true, Topic: "place", Builds: true, When: "in=cloth&form=plane|sphere|cylinder", Fixed: fixedGrid, Help: "Length of the edges that its mesh is made of. Folds are seen from about four of them on; half the length takes about six times as long. What the fabric is like doesn't change."}),
		woven(val.CutAnew, Entry{Label: "Cut anew at", Type: Number, Unit: Metre, Default: Num(0), Min: 0, Max: 100, Step: 0.005, Topic: "place", Builds: true, When: "in=cloth&form=mesh", Fixed: fixedGrid, Help: "Length of edges of even triangles that the file's surface is cut into; rims, creases and corners stay. Long thin triangles can't fold and are slow. 0: as it came."}),
		woven(val.ClothFlat, Entry{Label: "Flat at rest", Type: Flag, Default: On(true), Topic: "place", Builds: true, When: "in=cloth&form=mesh|cylinder|sphere", Help: "It was woven flat, however it was modelled. Off: it wants to be bent as it was modelled."}),
	}
}

// clothPins declares where cloth is held.
func clothPins() []Entry {
	return []Entry{
		woven(val.Pins, Entry{Label: "Pinned", Type: Choice, Default: Text("edge"), Choices: pinChoices, Main: true, Topic: "pins", Builds: true, When: "in=cloth", Help: "Where it is held, by its sides as modelled. What is pinned goes with the element, or with what it is pinned to."}),
		woven(val.Hooks, Entry{Label: "Hooks", Type: Integer, Default: Num(9), Min: 2, Max: 10000, Step: 1, Topic: "pins", Builds: true, When: "in=cloth&pins=hooks", Fixed: fixedFabric, Help: "How many, evenly from end to end. Between them it sags, and folds as they are drawn together."}),
		woven(val.PinWithin, Entry{Label: "Pinned within", Type: Ref, Refs: []Kind{Sensor}, Topic: "pins", Builds: true, When: "in=cloth&pins=within", Help: "A sensor: what lies in its form as modelled is pinned."}),
		woven(val.ShareDoes, Entry{Label: "… is", Type: Choice, Default: Text("pins"), Choices: opts("pins", "pinned", "weakens", "weak: it tears at less"), Topic: "pins", Builds: true, When: "in=cloth&form=mesh", Help: "What the part of the mesh is, where one is named or painted. A weak one has lost the share of its strength that is painted: at 1 it tears at nothing. Named parts lose half."}),
		woven(val.PinTo, Entry{Label: "Pinned to", Type: Ref, Refs: []Kind{Collider, Mesh, Emitter}, Topic: "pins", When: "in=cloth", Help: "The element that pins go with: a mast, a hand, a frame that moves, turns or bends. Nothing: the cloth's own place and turn."}),
		woven(val.PinHold, Entry{Label: "Pins hold", Type: Number, Default: Num(1), Min: 0, Max: 1, Step: 1, Keyable: true, Topic: "pins", When: "in=cloth", Help: "From a half on they do; under that they let go. Key it, or let a sensor drive it."}),
	}
}

// clothFabric declares what cloth is made of.
func clothFabric() []Entry {
	return []Entry{
		woven(val.ClothMass, Entry{Label: "Weight", Type: Number, Unit: AreaMass, Default: Num(0.4), Min: 0.001, Max: 1000, Step: 0.05, Main: true, Fixed: fixedFabric, Topic: "fabric", Builds: true, When: "in=cloth", Help: "Of a square metre: silk 0.06, cotton 0.15, canvas 0.4, tarpaulin 0.6, leather 1."}),
		fabric(val.Warp, "Stretch, warp", Tension, 2e4, 1, 1e8, 1000, "Pull for each metre of width that would double its length along the warp, which runs along its z: rubber sheet 500, jersey 2,000, cotton 10,000, canvas 20,000, sailcloth 100,000."),
		fabric(val.Weft, "Stretch, weft", Tension, 2e4, 1, 1e8, 1000, "The same along the weft."),
		fabric(val.Shear, "Shear", Tension, 2e3, 0, 1e8, 100, "Against warp and weft leaving their right angle: a tenth of the stretch in woven fabric, a third in film and rubber. Low values drape."),
		fabric(val.Narrows, "Narrows", Plain, 0.2, 0, 0.49, 0.05, "How much it draws in across where it is pulled (Poisson's ratio): fabric 0.2, rubber 0.48."),
		fabric(val.BendWarp, "Bending, warp", Rigidity, 2e-4, 0, 1e4, 1e-5, "Flexural rigidity for each metre of width: silk 5 µN·m, cotton 20 µN·m, canvas 0.2 mN·m, tarpaulin 1 mN·m. By the cantilever test it is the weight of a square metre times the cube of the bending length."),
		fabric(val.BendWeft, "Bending, weft", Rigidity, 2e-4, 0, 1e4, 1e-5, "The same along the weft."),
		fabric(val.WarpTurn, "Warp turned by", Degree, 0, -360, 360, 5, "Angle of the warp from its z, in the cloth: 45 is cut on the bias."),
		fabric(val.StretchDamp, "Damping", Second, 0.002, 0, 10, 0.001, "Of its own stretching and bending: what swings within so many seconds is lost. Limp cloth 0.005, springy film 0.0005."),
		fabric(val.Thickness, "Thickness", Metre, 0.001, 1e-5, 1, 0.0005, "How near it comes to itself and to others, and what its hem looks like. A tenth of the mesh size at least keeps folds apart quickly."),
		woven(val.Friction, Entry{Label: "Friction", Type: Number, Default: Num(0.4), Min: 0, Max: 10, Step: 0.05, Fixed: fixedFabric, Topic: "fabric", Builds: true, When: "in=cloth", Help: "Coulomb's coefficient with itself and what it touches: silk 0.2, canvas 0.4, rubber 1. The larger one of both counts."}),
		woven(val.Soaks, Entry{Label: "Soaks up", Type: Number, Unit: AreaMass, Default: Num(0.2), Min: 0, Max: 100, Step: 0.05, Fixed: fixedFabric, Topic: "fabric", Builds: true, When: "in=cloth", Help: "Water that a square metre holds: tarpaulin 0, canvas 0.2, towel 0.8. Wet, it is as much heavier, and darker."}),
	}
}

// clothAir declares what air does to cloth, and when it tears.
func clothAir() []Entry {
	return []Entry{
		woven(val.SheetDrag, Entry{Label: "Wind on it", Type: Number, Default: Num(1.2), Min: 0, Max: 10, Step: 0.1, Keyable: true, Topic: "air", When: "in=cloth", Help: "Drag of a plate across the wind: solid cloth 1.2, netting 0.3. 0: it feels no wind, and air doesn't slow it."}),
		woven(val.Pressure, Entry{Label: "Pressure inside", Type: Number, Unit: Pascal, Default: Num(0), Min: -1e6, Max: 1e6, Step: 10, Keyable: true, Topic: "air", When: "in=cloth", Help: "Over that outside, on the side from which its faces are seen inside out. A party balloon 2,000 Pa, a tent in a breeze 30."}),
		woven(val.TearsAt, Entry{Label: "Tears at", Type: Number, Default: Num(0), Min: 0, Max: 100, Step: 0.05, Keyable: true, Main: true, Topic: "tearing", When: "in=cloth", Help: "Stretch at which it tears, as a share of its length: paper 0.03, canvas 0.15, rubber 4. 0: never."}),
		woven(val.TearsUneven, Entry{Label: "… weaker by up to", Type: Number, Default: Num(0.3), Min: 0, Max: 1, Step: 0.05, Fixed: fixedFabric, Topic: "tearing", Builds: true, When: "in=cloth&tears_at=+", Help: "Share by which places are weaker, at random: more makes ragged tears."}),
		woven(val.WeakWithin, Entry{Label: "Weak within", Type: Ref, Refs: []Kind{Sensor}, Topic: "tearing", Builds: true, When: "in=cloth&tears_at=+", Help: "A sensor: what lies in its form as modelled is weaker: a worn seam, a cut."}),
		woven(val.Weak, Entry{Label: "… by", Type: Number, Default: Num(0.5), Min: 0, Max: 1, Step: 0.1, Fixed: fixedFabric, Topic: "tearing", Builds: true, When: "in=cloth&tears_at=+&weak_within=+", Help: "Share of its strength that is missing there; 1 tears at nothing."}),
	}
}

// clothFire declares how cloth burns.
func clothFire() []Entry {
	return []Entry{
		woven(val.BurnsAt, Entry{Label: "Catches fire at", Type: Number, Unit: Kelvin, Default: Num(0), Min: 0, Max: 5000, Step: 10, Fixed: fixedFabric, Topic: "burning", Builds: true, When: "in=cloth", Help: "Temperature at which it does: paper 500, cotton 680, wool 870. The gas that carries the domain heats it, and it dries before it burns. 0: never."}),
		woven(val.BurnsFor, Entry{Label: "Burns away in", Type: Number, Unit: Second, Default: Num(2), Min: 0.01, Max: 1e5, Step: 0.5, Fixed: fixedFabric, Topic: "burning", Builds: true, When: "in=cloth&burns_at=+", Help: "From catching fire to ash, which is gone. It weakens meanwhile and tears where it can; a gas fed by this domain's temperature burns from it."}),
		woven(val.FireSpread, Entry{Label: "Fire spreads at", Type: Number, Unit: Speed, Default: Num(0.1), Min: 0, Max: 100, Step: 0.02, Fixed: fixedFabric, Topic: "burning", Builds: true, When: "in=cloth&burns_at=+", Help: "Along it, whatever its mesh: paper 0.1, cotton upright 0.2, a fuse more. 0: it burns only where it is heated."}),
		woven(val.LitWithin, Entry{Label: "Lit within", Type: Ref, Refs: []Kind{Sensor}, Topic: "burning", Builds: true, When: "in=cloth&burns_at=+", Help: "A sensor: what is in its form by then catches fire, as if a torch were held there. Its keys move it."}),
		woven(val.Lit, Entry{Label: "… from", Type: Number, Default: Num(1), Min: 0, Max: 1, Step: 1, Keyable: true, Topic: "burning", When: "in=cloth&burns_at=+&lit_within=+", Help: "From a half on it is lit. Key it, or let a sensor drive it."}),
	}
}

// clothSentence says in a sentence what cloth is and does.
func clothSentence(s *Shot, e *Element) string {
	home := s.WovenIn(e)
	if home == nil {
		return "is cloth that no domain simulates."
	}
	what := s.SizeWords(e)
	if val.Form.Of(e) == "plane" {
		m, size := s.metres(), val.Size.Of(e)
		what = fmt.Sprintf("sheet of %s × %s", bare(m(size[0])), m(size[2]))
	}
	t := fmt.Sprintf("hangs in %s as a %s, %s g/m²", home.Name, what, Short(math.Round(1000*val.ClothMass.Of(e))))
	switch p := val.Pins.Of(e); {
	case p == "none" && !e.SharePins():
		t += ", pinned nowhere"
	case p == "none":
		t += ", pinned by its mesh"
	default:
		t += ", pinned " + Find(Cloth, val.Pins.Name()).Words(p)
	}
	if to := s.Element(val.PinTo.Of(e)); to != nil {
		t += " to " + to.Name
	}
	if at := val.TearsAt.Of(e); at > 0 {
		t += fmt.Sprintf("; tears when stretched by %s %%", Short(100*at))
	}
	var stops []string
	for _, d := range s.Of(Domain) {
		if d != home && s.ClothFor(e, d) != nil {
			stops = append(stops, d.Name)
		}
	}
	if len(stops) > 0 {
		t += "; stands in the way of " + list(stops)
	}
	return t + "."
}

// SharePins reports cloth of which a part of its mesh is pinned.
func (e *Element) SharePins() bool {
	return e.FromFile() && val.Share.Of(e) != "whole" && val.ShareDoes.Of(e) == "pins"
}

// ShareWeakens reports cloth whose file, or what is painted on it, tells where it is weak.
func (e *Element) ShareWeakens() bool {
	return e.FromFile() && val.Share.Of(e) != "whole" && val.ShareDoes.Of(e) == "weakens"
}

// WovenIn is the domain that simulates a cloth: the first of those that it acts on which hold
// cloth; nil where there is none.
func (s *Shot) WovenIn(e *Element) *Element {
	if e.Kind != Cloth || e.Muted {
		return nil
	}
	for _, d := range s.Of(Domain) {
		if d.Within().Has("cloth") && e.Acts(d) {
			return d
		}
	}
	return nil
}

// ClothFor is the domain whose frames tell domain d where a cloth is; nil where e is no cloth,
// or where d has it itself or isn't touched by it.
func (s *Shot) ClothFor(e, d *Element) *Element {
	if e.Kind != Cloth || !e.Acts(d) || d.Within().Has("cloth") {
		return nil
	}
	return s.WovenIn(e)
}

// PinnedTo is the element that a cloth's pins go with: its own where it names none.
func (s *Shot) PinnedTo(e *Element) *Element {
	if to := s.Element(val.PinTo.Of(e)); to != nil && to.Placed() && to.Kind != Cloth {
		return to
	}
	return e
}

// boxed is a place in a box, −1 to 1 along each of its axes.
func boxed(p geom.Vec3, b geom.Box) geom.Vec3 {
	c, h := b.Centre(), b.Size().Mul(0.5)
	part := func(x, h float64) float64 {
		if h <= 0 {
			return 0
		}
		return x / h
	}
	q := p.Sub(c)
	return geom.V(part(q.X, h.X), part(q.Y, h.Y), part(q.Z, h.Z))
}

// PinnedAt tells which of the vertices of a cloth, in its own axes, its choice of sides pins.
// hooks is how many it hangs from by its edge, edge how far vertices are apart; what a sensor's form or the mesh pins comes to them.
func PinnedAt(choice string, hooks int, p []geom.Vec3, edge float64) []bool {
	out := make([]bool, len(p))
	if len(p) == 0 {
		return out
	}
	b := geom.Box{Min: p[0], Max: p[0]}
	for _, q := range p {
		b.Min, b.Max = b.Min.Min(q), b.Max.Max(q)
	}
	near := func(side geom.Vec3) {
		best := 0
		for i, q := range p {
			if boxed(q, b).Sub(side).Len() < boxed(p[best], b).Sub(side).Len()-1e-9 {
				best = i
			}
		}
		out[best] = true
	}
	size := b.Size()
	within := func(x, at float64) bool { return math.Abs(x-at) < 0.3*edge }
	for i, q := range p {
		low, high := within(q.Z, b.Min.Z), within(q.Z, b.Max.Z)
		switch choice {
		case "edge":
			out[i] = low
		case "sides":
			out[i] = low || high
		case "rim":
			out[i] = low || high || size.X > 0 && (within(q.X, b.Min.X) || within(q.X, b.Max.X))
		}
	}
	switch choice {
	case "hooks":
		for n := range hooks {
			near(geom.V(2*float64(n)/float64(max(hooks-1, 1))-1, 0, -1))
		}
	case "ends":
		near(geom.V(-1, 0, -1))
		near(geom.V(1, 0, -1))
	case "corners":
		for _, x := range []float64{-1, 1} {
			near(geom.V(x, 0, -1))
			near(geom.V(x, 0, 1))
		}
	}
	return out
}
