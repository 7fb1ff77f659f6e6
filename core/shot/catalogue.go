package shot

import (
	"slices"
	"strings"
)

// Kind is what an element is.
type Kind string

// The kinds. Settings of the shot, looks and handovers are declared in the
// same catalogue though they are not elements.
const (
	Setting    Kind = "shot"
	Domain     Kind = "domain"
	Emitter    Kind = "emitter"
	Collider   Kind = "collider"
	Wind       Kind = "wind"
	Turbulence Kind = "turbulence"
	Vortex     Kind = "vortex"
	Radial     Kind = "radial"
	Drag       Kind = "drag"
	Guide      Kind = "guide"
	Pull       Kind = "pull"
	Mesh       Kind = "mesh"
	Sequence   Kind = "sequence" // frames of volumes that were made elsewhere
	Lamp       Kind = "lamp"
	Camera     Kind = "camera"
	Look       Kind = "look"
	Handover   Kind = "handover"
)

// ElementKinds are the kinds that can be added to a shot, in the order of
// the menu.
var ElementKinds = []Kind{Domain, Emitter, Collider, Wind, Turbulence, Vortex, Radial, Drag, Guide, Pull, Mesh, Sequence, Lamp, Camera}

// Group is the heading of the cast under which a kind stands.
func (k Kind) Group() string {
	switch k {
	case Emitter:
		return "lets fluid in"
	case Collider:
		return "stops it"
	case Wind, Turbulence, Vortex, Radial, Drag, Guide, Pull:
		return "moves it"
	case Domain:
		return "holds it"
	case Sequence:
		return "comes from outside"
	case Mesh:
		return "stands by"
	case Lamp:
		return "lights it"
	case Camera:
		return "sees it"
	}
	return ""
}

// Groups are the headings of the cast in order.
var Groups = []string{"holds it", "lets fluid in", "stops it", "moves it", "comes from outside", "stands by", "lights it", "sees it"}

// Option is one choice.
type Option struct{ Key, Label string }

// Entry declares one value: forms, validation, file format, command-line help
// and documentation come from here.
type Entry struct {
	Kind     Kind
	Key      string
	Label    string
	Type     Type
	Unit     Unit
	Default  Value
	Min, Max float64
	Step     float64 // of one press of an arrow, in SI; 0: a tenth of the value
	Choices  []Option
	Keyable  bool
	Fixed    string // why a number can't have keys
	Main     bool   // among the values that matter most
	Topic    string // heading among the others
	Help     string // what it does to the picture, and to the time
	Sim      bool   // a simulation depends on it
	When     string // "key=choice|choice&key=choice": shown, and of consequence, only then
	Counts   string // like When: of consequence only then, though always shown
}

// Why some numbers stay the same over a run.
const (
	fixedFrames  = "It counts frames itself."
	fixedAir     = "All temperatures and weights in a run are measured against it."
	fixedGrid    = "A run's grid is made from it; bounds that follow the fluid move with it."
	fixedSeed    = "Another seed is another run."
	fixedPicture = "All pictures of a range have one size."
	fixedFiles   = "All files of a handover are written alike."
)

// Conditions of a handover's values.
const (
	vols  = "what=volumes"
	book  = "what=flipbook"
	solid = "what=volumes|points|meshes|field"
)

// axes that files can have.
var axes = opts("y-up", "y up, right-handed", "z-up", "z up, right-handed", "y-up-left", "y up, left-handed", "z-up-left", "z up, left-handed")

// packed is what a channel of a flipbook's packed sheet can hold.
var packed = opts("none", "nothing", "alpha", "alpha", "light", "all light, as grey", "emission", "emission, as grey", "heat", "temperature", "depth", "depth, near is 1", "normal_x", "normal x", "normal_y", "normal y", "normal_z", "normal z")

func opts(pairs ...string) []Option {
	var o []Option
	for i := 0; i+1 < len(pairs); i += 2 {
		o = append(o, Option{pairs[i], pairs[i+1]})
	}
	return o
}

// placed are the values of everything that has a shape.
func placed(k Kind, form string, size Value) []Entry {
	return []Entry{
		{Kind: k, Key: "form", Label: "Shape", Type: Choice, Default: Text(form), Choices: opts("sphere", "Sphere", "box", "Box", "cylinder", "Cylinder", "tube", "Tube", "torus", "Torus", "plane", "Plane", "mesh", "From a file"), Main: true, Topic: "place", Sim: true,
			Help: "Form of the element. A tube is open at both ends."},
		{Kind: k, Key: "position", Label: "Position", Type: Vector, Unit: Metre, Default: Vec(0, 0.5, 0), Min: -1e5, Max: 1e5, Keyable: true, Main: true, Topic: "place", Sim: true,
			Help: "Where its middle stands. With keys it moves, and what touches it is moved along."},
		{Kind: k, Key: "turn", Label: "Turn", Type: Vector, Unit: Degree, Default: Vec(0, 0, 0), Min: -36000, Max: 36000, Step: 5, Keyable: true, Main: true, Topic: "place", Sim: true,
			Help: "Angles about x, then y, then z."},
		{Kind: k, Key: "size", Label: "Size", Type: Vector, Unit: Metre, Default: size, Min: 1e-4, Max: 1e5, Keyable: true, Main: true, Topic: "place", Sim: true,
			Help: "Width, height and depth before turning. A torus is as thick as its height."},
		{Kind: k, Key: "taper", Label: "Taper", Type: Number, Default: Num(1), Min: 0.01, Max: 100, Step: 0.05, Keyable: true, Topic: "place", Sim: true, When: "form=cylinder|tube",
			Help: "Diameter at the top over diameter at the bottom: under 1 it narrows, over 1 it opens like a horn."},
		{Kind: k, Key: "wall", Label: "Wall", Type: Number, Unit: Metre, Default: Num(0.05), Min: 1e-4, Max: 1e4, Keyable: true, Topic: "place", Sim: true, When: "form=tube",
			Help: "Thickness of a tube's wall. Under two voxels it leaks."},
		{Kind: k, Key: "mesh", Label: "File", Type: File, Main: true, Topic: "file", Sim: true, When: inFile,
			Help: "The imported file whose meshes are its form. Another one keeps its place, its keys and its scope."},
		{Kind: k, Key: "share", Label: "Takes part", Type: Choice, Default: Text("whole"), Choices: opts("whole", "the whole mesh", "parts", "named parts", "joints", "what joints move", "colour", "where its colours are bright", "painted", "where it is painted"), Main: true, Topic: "file", Sim: true, When: inFile,
			Help: "Which part of the mesh counts. Painting works in the viewport."},
		{Kind: k, Key: "share_names", Label: "Names", Type: Names, Main: true, Topic: "file", Sim: true, When: inFile + "&share=parts|joints",
			Help: "The parts or joints that take part."},
		{Kind: k, Key: "share_painted", Label: "Painted", Type: Weights, Main: true, Topic: "file", Sim: true, When: inFile + "&share=painted",
			Help: "Weight painted on the mesh, 0 to 1: how strongly each place takes part."},
		{Kind: k, Key: "motion", Label: "Its animation", Type: Choice, Default: Text("plays"), Choices: opts("plays", "plays once", "loops", "plays again and again", "still", "stays in its first pose"), Topic: "file", Sim: true, When: inFile,
			Help: "What the file's own animation does. A mesh that bends is measured anew in every substep and takes longer."},
		{Kind: k, Key: "motion_keeps", Label: "Animation keeps", Type: Choice, Default: Text("seconds"), Choices: opts("seconds", "its seconds", "frames", "its frames"), Topic: "file", Sim: true, When: inFile + moves,
			Help: "Where the file was made at another rate: seconds keep its speed, frames keep a pose for each frame."},
		{Kind: k, Key: "motion_rate", Label: "Animated at", Type: Number, Unit: FrameRate, Default: Num(24), Min: 1, Max: 240, Step: 1, Fixed: fixedFrames, Topic: "file", Sim: true, When: inFile + moves + "&motion_keeps=frames",
			Help: "Frames a second at which the file was made; guessed from its keys when it comes in."},
		{Kind: k, Key: "motion_start", Label: "Animation from", Type: Integer, Unit: Frames, Default: Num(1), Min: -100000, Max: 1000000, Step: 1, Fixed: fixedFrames, Topic: "file", Sim: true, When: inFile + moves,
			Help: "Frame on which the animation begins."},
		{Kind: k, Key: "motion_hold", Label: "Holds first pose", Type: Integer, Unit: Frames, Default: Num(0), Min: 0, Max: 100000, Step: 1, Fixed: fixedFrames, Topic: "file", Sim: true, When: inFile + moves,
			Help: "Frames for which the first pose is held before it moves, so that fluid can settle round it."},
	}
}

// Conditions and words of looks.
const (
	smokeCurved = "smoke_from=curve|temperature|burn|fuel|speed"
	tinted      = "colour_from=density|temperature|burn|fuel|speed"
	holdoutHelp = "On: the plate shows it already. It cuts out what stands behind it, and only the light of fire and lamps on it is seen."
)

const (
	inFile = "form=mesh"
	moves  = "&motion=plays|loops"
)

// region are the values that limit a force to a place.
func region(k Kind, at Value) []Entry {
	const limited = "region=box|sphere"
	return []Entry{
		{Kind: k, Key: "position", Label: "Position", Type: Vector, Unit: Metre, Default: at, Min: -1e5, Max: 1e5, Keyable: true, Topic: "place", Sim: true, Counts: limited, Help: "Middle of its region; where it acts everywhere, only where its mark is drawn."},
		{Kind: k, Key: "region", Label: "Acts", Type: Choice, Default: Text("everywhere"), Choices: opts("everywhere", "everywhere", "box", "within a box", "sphere", "within a sphere"), Main: true, Topic: "place", Sim: true, Help: "Where it acts. A region costs a little time, and saves some outside."},
		{Kind: k, Key: "region_size", Label: "Region's size", Type: Vector, Unit: Metre, Default: Vec(1, 1, 1), Min: 1e-4, Max: 1e5, Keyable: true, Topic: "place", Sim: true, When: limited, Help: "Width, height and depth within which it acts fully."},
		{Kind: k, Key: "region_fade", Label: "Fades out over", Type: Number, Unit: Metre, Default: Num(0.2), Min: 0, Max: 1e5, Keyable: true, Topic: "place", Sim: true, When: limited, Help: "Distance outside the region over which it fades to nothing. Under two voxels its border shows."},
	}
}

// burns are the values of fire, which stand with the domain.
func burns() []Entry {
	const on, air = "burning=fuel|oxygen", "burning=oxygen"
	b := func(e Entry) Entry {
		e.Kind, e.Topic, e.Sim = Domain, "fire", true
		if e.When == "" && e.Key != "burning" {
			e.When = on
		}
		return e
	}
	return []Entry{
		b(Entry{Key: "burning", Label: "Burning", Type: Choice, Default: Text("no"), Choices: opts("no", "no", "fuel", "fuel burns", "oxygen", "fuel burns, air runs out"), Help: "Carries fuel that lights, burns and makes heat and soot. Takes about a third more time, counting air a tenth on top."}),
		b(Entry{Key: "ignition", Label: "Ignites at", Type: Number, Unit: Kelvin, Default: Num(600), Min: 1, Max: 6000, Step: 10, Keyable: true, Help: "Fuel this hot burns. Under the air's temperature all fuel burns at once."}),
		b(Entry{Key: "burn_rate", Label: "Burn rate", Type: Number, Unit: PerSecond, Default: Num(6), Min: 0, Max: 1000, Step: 0.5, Keyable: true, Help: "Share of the burning fuel used up in a second, roughly. Low makes long lazy flames, high a short hard one; an explosion wants 20 and more."}),
		b(Entry{Key: "heat_released", Label: "Heat released", Type: Number, Unit: Energy, Default: Num(20), Min: 0, Max: 1000, Step: 1, Keyable: true, Help: "By a kilogram of fuel: wood gas 15, petrol and propane 46. More is hotter, faster and brighter."}),
		b(Entry{Key: "soot", Label: "Soot", Type: Number, Default: Num(10), Min: 0, Max: 100000, Step: 1, Keyable: true, Help: "Smoke density that 1 kg/m³ of fuel leaves. 0 burns clean; black smoke of oil wants 50 and more."}),
		b(Entry{Key: "expansion", Label: "Expansion", Type: Number, Default: Num(1), Min: 0, Max: 20, Step: 0.1, Keyable: true, Help: "Room that burning gas makes for itself: 1 as its heat demands, 0 none. It drives explosions apart; over 1 it exaggerates and needs more substeps."}),
		b(Entry{Key: "spread", Label: "Flame spread", Type: Number, Unit: Speed, Default: Num(0.4), Min: 0, Max: 500, Step: 0.1, Keyable: true, Help: "Speed at which flame eats into cold fuel: gas in air 0.4, rich clouds 5 and more. 0 burns only where it is hot enough already."}),
		b(Entry{Key: "afterglow", Label: "Afterglow", Type: Number, Unit: Second, Default: Num(0.1), Min: 0, Max: 100, Step: 0.05, Keyable: true, Help: "How long flame can still be seen once its fuel is gone. Longer makes taller flames; costs nothing."}),
		b(Entry{Key: "radiation", Label: "Cooling by glow", Type: Number, Unit: CoolRate, Default: Num(1500), Min: 0, Max: 1e6, Step: 100, Keyable: true, Help: "Kelvin lost in a second by gas at the next value; it falls with the fourth power of warmth, so that hot cores cool first."}),
		b(Entry{Key: "radiation_at", Label: "… at", Type: Number, Unit: Kelvin, Default: Num(2000), Min: 2, Max: 10000, Step: 50, Keyable: true, Help: "The temperature at which gas cools that fast."}),
		b(Entry{Key: "oxygen_need", Label: "Air needed", Type: Number, Default: Num(14), Min: 0, Max: 1000, Step: 0.5, Keyable: true, When: air, Help: "How much of the air's oxygen 1 kg/m³ of fuel uses: at 14, over 0.07 kg/m³ can't burn until fresh air mixes in."}),
	}
}

func side(key, label, def string) Entry {
	return Entry{Kind: Domain, Key: key, Label: label, Type: Choice, Default: Text(def), Choices: opts("outflow", "outflow", "wall", "wall"), Topic: "sides", Sim: true,
		Help: "Outflow lets fluid leave and outside air in; a wall stops it."}
}

// gasOnly are a domain's values that mean nothing in a liquid.
var gasOnly = []string{"lift", "smoke_weight", "dissipation", "cooling", "vorticity", "vorticity_by", "bounds", "follow_from", "follow_margin", "scheme", "cache_temperature", "cache_fire", "burning", "upres", "upres_strength", "upres_seed",
	"ignition", "burn_rate", "heat_released", "soot", "expansion", "spread", "afterglow", "radiation", "radiation_at", "oxygen_need"}

// Puffs reports a value of emitters that means nothing in a liquid.
func (e *Entry) Puffs() bool {
	return e.Kind == Emitter && slices.Contains([]string{"smoke", "temperature", "fuel", "mode", "fed_by", "fed_where"}, e.Key)
}

// liquids are the values of a liquid, which stand with the domain.
func liquids() []Entry {
	l := func(e Entry) Entry {
		e.Kind, e.Sim = Domain, true
		if e.Topic == "" {
			e.Topic = "liquid"
		}
		e.When = strings.TrimSuffix("fluid=liquid&"+e.When, "&")
		return e
	}
	return []Entry{
		l(Entry{Key: "viscosity", Label: "Viscosity", Type: Number, Unit: Viscosity, Default: Num(0.001), Min: 0, Max: 1e4, Keyable: true, Main: true, Help: "Water 0.001 Pa·s, lamp oil 0.002, motor oil 0.2, honey 10, lava 100 to 10,000. Under about 0.1 it can't be seen at most voxel sizes; from 1 on it takes time."}),
		l(Entry{Key: "tension", Label: "Surface tension", Type: Number, Unit: Tension, Default: Num(0), Min: 0, Max: 100, Step: 0.01, Keyable: true, Main: true, Help: "Rounds drops and holds sheets together: water 0.072 N/m. It is seen at voxels of a few millimetres and under, and needs many substeps there; 0 saves them."}),
		l(Entry{Key: "weight", Label: "Density", Type: Number, Unit: Density, Default: Num(1000), Min: 1, Max: 50000, Step: 10, Keyable: true, Help: "Water 1000 kg/m³, oil 850, lava 2700. Only viscosity and surface tension are measured against it."}),
		l(Entry{Key: "carried", Label: "Motion carried", Type: Choice, Default: Text("flip"), Choices: opts("flip", "lively (FLIP)", "apic", "smooth (APIC)"), Help: "FLIP splashes and sprays; APIC keeps whirls and is calmer: thick liquids, small vessels."}),
		l(Entry{Key: "calming", Label: "Calming", Type: Number, Default: Num(0.05), Min: 0, Max: 1, Step: 0.01, Keyable: true, When: "carried=flip", Help: "Share of each particle's own motion that goes over to its surroundings' in a 24th of a second: 0 seethes, 1 is dull."}),
		l(Entry{Key: "foam", Label: "Foam", Type: Number, Unit: PerSecond, Default: Num(0), Min: 0, Max: 10000, Step: 10, Keyable: true, Main: true, Topic: "foam", Help: "Drops of spray and foam that a particle gives in a second where water rushes together or a crest breaks. 0 none; 60 is lively. They are carried along and change nothing."}),
		l(Entry{Key: "foam_lasts", Label: "Foam lasts", Type: Number, Unit: Second, Default: Num(2), Min: 0.01, Max: 1000, Step: 0.5, Keyable: true, Topic: "foam", Help: "How long foam lies on the surface; spray lasts until it falls, bubbles until they rise."}),
		l(Entry{Key: "surface_detail", Label: "Surface detail", Type: Choice, Default: Text("2"), Choices: opts("1", "a cell a voxel", "2", "2 cells a voxel", "3", "3 cells a voxel"), Topic: "surface", Help: "Cells of the cached surface along a voxel. 2 shows what the particles hold; 3 is smoother and takes over three times the space."}),
		l(Entry{Key: "surface_smooth", Label: "Smoothing", Type: Integer, Default: Num(2), Min: 0, Max: 20, Step: 1, Fixed: "Every frame's surface is made alike.", Topic: "surface", Help: "Times that the surface is evened out; sheets and drops are kept from shrinking away."}),
		l(Entry{Key: "cache_points", Label: "Keep particles", Type: Choice, Default: Text("few"), Choices: opts("none", "none", "few", "every eighth", "all", "all"), Topic: "cache", Help: "PLY files beside the frames, to be shown by their speed and handed over. All of a million take 24 MB a frame."}),
	}
}

// guides are the values of a guide curve.
func guides() []Entry {
	g := func(e Entry) Entry {
		e.Kind, e.Sim = Guide, true
		if e.Topic == "" {
			e.Topic, e.Main = "motion", true
		}
		return e
	}
	along := func(key, label, of string) Entry {
		return g(Entry{Key: key, Label: label, Type: Profile, Min: -100, Max: 100, Topic: "along the curve",
			Help: of + " along the curve, as factors from its start to its end: “1 1 0” fades it out over the second half. Empty is 1 everywhere."})
	}
	return []Entry{
		g(Entry{Key: "points", Label: "Points", Type: Points, Unit: Metre, Default: PointList([][3]float64{{0, 0, 0}, {0, 1, 0}, {0, 2, 0}}), Min: -1e5, Max: 1e5, Topic: "place", Help: "Places that the curve runs through, x y z each, from its start to its end."}),
		g(Entry{Key: "closed", Label: "Closed", Type: Flag, Topic: "place", Help: "The end runs on into the start."}),
		g(Entry{Key: "position", Label: "Shift", Type: Vector, Unit: Metre, Min: -1e5, Max: 1e5, Keyable: true, Topic: "place", Help: "Moves the whole curve."}),
		g(Entry{Key: "pace", Label: "Pace", Type: Number, Unit: Speed, Default: Num(1), Min: -500, Max: 500, Step: 0.1, Keyable: true, Help: "Speed along the curve that gas takes on; below 0 backwards."}),
		g(Entry{Key: "draw", Label: "Draw", Type: Number, Unit: Speed, Default: Num(0.3), Min: -500, Max: 500, Step: 0.1, Keyable: true, Help: "Speed towards the curve at the edge of its reach, less nearer in. It keeps a stream together; below 0 it spreads it."}),
		g(Entry{Key: "swirl", Label: "Swirl", Type: Number, Unit: Speed, Default: Num(0), Min: -500, Max: 500, Step: 0.1, Keyable: true, Help: "Speed round the curve, fastest at half its reach."}),
		g(Entry{Key: "reach", Label: "Reach", Type: Number, Unit: Metre, Default: Num(0.5), Min: 1e-3, Max: 1e5, Keyable: true, Help: "Distance from the curve at which it stops acting; it acts fully within about half of it."}),
		g(Entry{Key: "grip", Label: "Grip", Type: Number, Unit: PerSecond, Default: Num(4), Min: 0, Max: 1000, Step: 0.5, Keyable: true, Help: "How quickly gas takes these speeds up: at 4, two thirds within a quarter of a second."}),
		along("pace_along", "Pace", "Pace"), along("draw_along", "Draw", "Draw"), along("swirl_along", "Swirl", "Swirl"), along("reach_along", "Reach", "Reach"),
	}
}

// Catalogue declares every value of Zarf once.
var Catalogue = build()

func build() []Entry {
	e := []Entry{
		{Kind: Setting, Key: "rate", Label: "Frame rate", Type: Number, Unit: FrameRate, Default: Num(24), Min: 1, Max: 240, Step: 1, Fixed: fixedFrames, Main: true, Sim: true, Help: "Frames a second. 23.976 is written as 24000/1001."},
		{Kind: Setting, Key: "first", Label: "First frame", Type: Integer, Unit: Frames, Default: Num(1), Min: -100000, Max: 1000000, Step: 1, Fixed: fixedFrames, Main: true, Sim: true, Help: "Number of the first frame."},
		{Kind: Setting, Key: "last", Label: "Last frame", Type: Integer, Unit: Frames, Default: Num(72), Min: -100000, Max: 1000000, Step: 1, Fixed: fixedFrames, Main: true, Help: "Number of the last frame. Making it later keeps the frames that are there."},
		{Kind: Setting, Key: "preroll", Label: "Pre-roll", Type: Integer, Unit: Frames, Default: Num(0), Min: 0, Max: 100000, Step: 1, Fixed: fixedFrames, Main: true, Sim: true, Help: "Frames that are simulated before the first and not kept, so that the fluid is already moving. Costs as much time as frames that are kept."},
		{Kind: Setting, Key: "time_scale", Label: "Time scale", Type: Number, Default: Num(1), Min: 0.001, Max: 100, Step: 0.05, Keyable: true, Topic: "time", Sim: true, Help: "Seconds of fluid in a second of the picture. Under 1 it runs slower and reads as larger; keys keep their frames."},
		{Kind: Setting, Key: "units", Label: "Lengths shown in", Type: Choice, Default: Text("m"), Choices: opts("mm", "mm", "cm", "cm", "m", "m"), Main: true, Help: "Only what the pages show; any unit can be typed."},
		{Kind: Setting, Key: "gravity", Label: "Gravity", Type: Number, Unit: Accel, Default: Num(9.81), Min: -1000, Max: 1000, Step: 0.1, Keyable: true, Main: true, Topic: "air", Sim: true, Help: "Pull downwards. Without it warm smoke doesn't rise."},
		{Kind: Setting, Key: "air_temperature", Label: "Air temperature", Type: Number, Unit: Kelvin, Default: Num(293), Min: 1, Max: 5000, Step: 1, Fixed: fixedAir, Main: true, Topic: "air", Sim: true, Help: "Temperature of the air outside. Only the difference to it makes gas rise or sink."},
		{Kind: Setting, Key: "air_density", Label: "Air density", Type: Number, Unit: Density, Default: Num(1.2), Min: 0.001, Max: 10000, Step: 0.01, Fixed: fixedAir, Topic: "air", Sim: true, Help: "Weight of the air, against which smoke's weight counts."},

		{Kind: Domain, Key: "position", Label: "Position", Type: Vector, Unit: Metre, Default: Vec(0, 1, 0), Min: -1e5, Max: 1e5, Fixed: fixedGrid, Main: true, Topic: "place", Sim: true, Help: "Where the middle of the box stands."},
		{Kind: Domain, Key: "size", Label: "Size", Type: Vector, Unit: Metre, Default: Vec(1.5, 2, 1.5), Min: 1e-4, Max: 1e5, Fixed: fixedGrid, Main: true, Topic: "place", Sim: true, Help: "The box in which fluid is simulated. Changing it leaves the voxel size alone; time and memory grow with the volume."},
		{Kind: Domain, Key: "voxel", Label: "Voxel size", Type: Number, Unit: Metre, Default: Num(0.05), Min: 1e-5, Max: 1e4, Fixed: fixedGrid, Main: true, Topic: "detail", Sim: true, Help: "Edge of a grid cell. Half of it shows twice the detail, takes 8 times the memory and about 16 times the time."},
		{Kind: Domain, Key: "fluid", Label: "Holds", Type: Choice, Default: Text("gas"), Choices: opts("gas", "gas: smoke, fire", "liquid", "a liquid"), Main: true, Topic: "place", Sim: true, Help: "What is simulated in the box. A liquid is carried by particles; emitters in it pour."},
		{Kind: Domain, Key: "lift", Label: "Lift of warm gas", Type: Number, Default: Num(1), Min: -100, Max: 100, Step: 0.1, Keyable: true, Main: true, Topic: "motion", Sim: true, Help: "How strongly warmth lifts; 1 as in nature, 0 not at all, below 0 it sinks."},
		{Kind: Domain, Key: "smoke_weight", Label: "Weight of smoke", Type: Number, Unit: Density, Default: Num(0), Min: -1000, Max: 1000, Step: 0.05, Keyable: true, Main: true, Topic: "motion", Sim: true, Help: "What smoke of density 1 adds to the air's weight. Above 0 it sinks and rolls along the ground."},
		{Kind: Domain, Key: "dissipation", Label: "Smoke fades", Type: Number, Unit: PerSecond, Default: Num(0), Min: 0, Max: 1000, Step: 0.05, Keyable: true, Main: true, Topic: "motion", Sim: true, Help: "Share of the smoke that goes in a second, roughly. 0 keeps it for ever."},
		{Kind: Domain, Key: "cooling", Label: "Heat fades", Type: Number, Unit: PerSecond, Default: Num(0.2), Min: 0, Max: 1000, Step: 0.05, Keyable: true, Main: true, Topic: "motion", Sim: true, Help: "How quickly warm gas takes the air's temperature. Quick cooling makes short, heavy plumes."},
		{Kind: Domain, Key: "vorticity", Label: "Vorticity confinement", Type: Number, Default: Num(0.1), Min: 0, Max: 20, Step: 0.05, Keyable: true, Main: true, Topic: "motion", Sim: true, Help: "Feeds small curls that the grid would lose. Much of it looks nervous; over 2 it may blow up."},
		{Kind: Domain, Key: "vorticity_by", Label: "Curls fed", Type: Choice, Default: Text("even"), Choices: opts("even", "everywhere", "temperature", "where it is hot", "density", "where smoke is"), Topic: "motion", Sim: true, Help: "Where vorticity confinement works: evenly, by temperature (fully from 500 K over the air), or by smoke density."},
		{Kind: Domain, Key: "damping", Label: "Damping", Type: Number, Unit: PerSecond, Default: Num(0), Min: 0, Max: 1000, Step: 0.05, Keyable: true, Topic: "motion", Sim: true, Help: "Slows all motion, as if the air were thick."},
		{Kind: Domain, Key: "bounds", Label: "Bounds", Type: Choice, Default: Text("fixed"), Choices: opts("fixed", "fixed", "follow", "follow the fluid"), Main: true, Topic: "bounds", Sim: true, Help: "Fixed works on the whole box all the time. Following works on the blocks where fluid is and keeps no others in memory; the box is then only the farthest it may go."},
		{Kind: Domain, Key: "follow_from", Label: "Fluid counts from", Type: Number, Default: Num(0.001), Min: 1e-6, Max: 10, Keyable: true, Topic: "bounds", Sim: true, When: "bounds=follow", Help: "Smoke, fuel or flame over this keeps a block; heat from 20 K times this. Higher saves time and cuts off thin veils."},
		{Kind: Domain, Key: "follow_margin", Label: "Margin", Type: Number, Unit: Metre, Default: Num(0.4), Min: 0, Max: 1e5, Step: 0.05, Keyable: true, Topic: "bounds", Sim: true, When: "bounds=follow", Help: "Air round the fluid that is simulated too. Too little and it moves as if in a tight box; 8 voxels do as a rule."},
		{Kind: Domain, Key: "flat", Label: "Flat", Type: Flag, Default: On(false), Topic: "bounds", Sim: true, Help: "One voxel deep along z: quick two-dimensional trials of timing and values. Curls look other than in depth."},
		side("side_x0", "Side −x", "outflow"), side("side_x1", "Side +x", "outflow"), side("side_y0", "Floor −y", "wall"),
		side("side_y1", "Top +y", "outflow"), side("side_z0", "Side −z", "outflow"), side("side_z1", "Side +z", "outflow"),
		{Kind: Domain, Key: "scheme", Label: "Advection", Type: Choice, Default: Text("MacCormack"), Choices: opts("semi-Lagrangian", "semi-Lagrangian", "MacCormack", "MacCormack", "reflection", "advection–reflection, cubic"), Topic: "solver", Sim: true, Help: "MacCormack keeps fine curls and suits most. Semi-Lagrangian is softer and takes two thirds of the time: drafts, lazy fog. Advection–reflection with cubic splines keeps whirls going longest, and takes 3 to 4 times as long: hero plumes in calm air; for drifting mist nobody sees the difference."},
		{Kind: Domain, Key: "cfl", Label: "Voxels a substep", Type: Number, Default: Num(2), Min: 0.1, Max: 20, Step: 0.5, Keyable: true, Topic: "solver", Sim: true, Help: "How far the fastest gas may go in one substep. Lower is more exact and takes longer."},
		{Kind: Domain, Key: "min_substeps", Label: "Least substeps", Type: Integer, Default: Num(1), Min: 1, Max: 100, Step: 1, Keyable: true, Topic: "solver", Sim: true, Help: "Substeps a frame at least."},
		{Kind: Domain, Key: "max_substeps", Label: "Most substeps", Type: Integer, Default: Num(8), Min: 1, Max: 500, Step: 1, Keyable: true, Topic: "solver", Sim: true, Help: "Substeps a frame at most; a run tells where it needed more."},
		{Kind: Domain, Key: "tolerance", Label: "Pressure tolerance", Type: Number, Default: Num(1e-3), Min: 1e-7, Max: 0.1, Keyable: true, Topic: "solver", Sim: true, Help: "How exactly gas is kept from being squeezed. 0.001 looks right; smaller costs a little more time."},
		{Kind: Domain, Key: "seed", Label: "Seed", Type: Integer, Default: Num(1), Min: 0, Max: 1e9, Step: 1, Fixed: fixedSeed, Topic: "solver", Sim: true, Help: "Another number gives other noise of the same character."},
		{Kind: Domain, Key: "cache_velocity", Label: "Keep velocity", Type: Flag, Default: On(true), Topic: "cache", Sim: true, Help: "Needed for motion blur and for handing velocity over; about two thirds of the disk space."},
		{Kind: Domain, Key: "cache_temperature", Label: "Keep temperature", Type: Flag, Default: On(true), Topic: "cache", Sim: true, Help: "Needed to see fire, and for smoke that is coloured or fed by its heat; about a fifth of the disk space."},
		{Kind: Domain, Key: "cache_fire", Label: "Keep fuel and flame", Type: Flag, Default: On(true), Topic: "cache", Sim: true, When: "burning=fuel|oxygen", Help: "Needed to see fire; two channels."},
		{Kind: Domain, Key: "cache_half", Label: "Cache in half precision", Type: Flag, Default: On(true), Topic: "cache", Sim: true, Help: "Half the disk space; pictures don't change."},
	}
	e = append(e, burns()...)
	e = append(e, liquids()...)
	e = append(e, []Entry{
		{Kind: Domain, Key: "upres", Label: "Upres", Type: Choice, Default: Text("1"), Choices: opts("1", "none", "2", "2 × as fine", "3", "3 × as fine", "4", "4 × as fine"), Topic: "upres", Help: "Adds fine whirls to a finished coarse run as a stage of its own and keeps the coarse motion. At 2 × it takes about the time of the coarse run, at 4 × eight times that; the coarse frames stay as they are."},
		{Kind: Domain, Key: "upres_strength", Label: "Fine whirls", Type: Number, Default: Num(1), Min: 0, Max: 20, Step: 0.1, Keyable: true, Topic: "upres", When: "upres=2|3|4", Help: "Strength of the whirls added: 1 goes on as turbulence does from large to small. Over 2 it boils."},
		{Kind: Domain, Key: "upres_seed", Label: "Fine seed", Type: Integer, Default: Num(1), Min: 0, Max: 1e9, Step: 1, Fixed: fixedSeed, Topic: "upres", When: "upres=2|3|4", Help: "Another number gives other fine whirls on the same motion."},
	}...)
	for i := range e { // what only a gas has
		if e[i].Kind == Domain && slices.Contains(gasOnly, e[i].Key) {
			e[i].When = strings.TrimSuffix("fluid=gas&"+e[i].When, "&")
		}
	}
	e = append(e, placed(Emitter, "sphere", Vec(0.3, 0.3, 0.3))...)
	e = append(e, []Entry{
		{Kind: Emitter, Key: "pours", Label: "Liquid", Type: Choice, Default: Text("flow"), Choices: opts("flow", "flows out at its speed", "full", "keeps its form full", "once", "fills its form once", "drain", "drains: takes it away"), Main: true, Topic: "amounts", Sim: true, Help: "In domains that hold a liquid. Once is a body of liquid to start with; what flows out is the speed times the surface that it leaves by."},
		{Kind: Emitter, Key: "smoke", Label: "Smoke", Type: Number, Default: Num(1), Min: 0, Max: 1000, Step: 0.1, Keyable: true, Main: true, Topic: "amounts", Sim: true, Help: "Density of the smoke that comes out; 1 is dense."},
		{Kind: Emitter, Key: "temperature", Label: "Temperature", Type: Number, Unit: Kelvin, Default: Num(330), Min: 1, Max: 6000, Step: 5, Keyable: true, Main: true, Topic: "amounts", Sim: true, Help: "Of the gas that comes out. Warmer than the air rises, colder sinks."},
		{Kind: Emitter, Key: "fuel", Label: "Fuel", Type: Number, Unit: Density, Default: Num(0), Min: 0, Max: 1000, Step: 0.01, Keyable: true, Main: true, Topic: "amounts", Sim: true, Help: "Fuel vapour that comes out, in domains that burn. 0.05 makes a clean flame, 0.2 and more a rich one that grows as it burns."},
		{Kind: Emitter, Key: "speed", Label: "Inflow speed", Type: Number, Unit: Speed, Default: Num(0), Min: -2000, Max: 2000, Step: 0.1, Keyable: true, Main: true, Topic: "motion", Sim: true, Help: "Speed with which new gas leaves the emitter. Fast gas needs more substeps."},
		{Kind: Emitter, Key: "along", Label: "Leaves along", Type: Choice, Default: Text("normal"), Choices: opts("normal", "its surface's normal", "axis", "its own up axis"), Topic: "motion", Sim: true, Help: "Out of the surface on all sides, or as a jet along the element's own y axis."},
		{Kind: Emitter, Key: "push", Label: "Push", Type: Vector, Unit: Speed, Default: Vec(0, 0, 0), Min: -2000, Max: 2000, Keyable: true, Topic: "motion", Sim: true, Help: "Velocity given to the gas on top."},
		{Kind: Emitter, Key: "inherit", Label: "Takes along", Type: Number, Default: Num(1), Min: -10, Max: 10, Step: 0.1, Keyable: true, Topic: "motion", Sim: true, Help: "Share of its own velocity that a moving emitter gives to the gas."},
		{Kind: Emitter, Key: "from", Label: "From", Type: Choice, Default: Text("volume"), Choices: opts("volume", "the whole volume", "surface", "a shell at the surface", "fluid", "another fluid"), Topic: "amounts", Sim: true, Help: "Where the gas appears. Another domain's fluid is read from its cache, frame by frame: run that one first, or let Run do both."},
		{Kind: Emitter, Key: "fed_by", Label: "Fed by", Type: Ref, Topic: "amounts", Sim: true, When: "from=fluid", Help: "The domain, or the sequence from outside, whose fluid emits."},
		{Kind: Emitter, Key: "fed_where", Label: "… where it has", Type: Choice, Default: Text("density"), Choices: opts("density", "smoke", "burn", "flame", "temperature", "heat", "surface", "a liquid's surface"), Topic: "amounts", Sim: true, When: "from=fluid", Help: "Amounts count once where smoke is 1 dense, where flame is full, at 1000 K over the air, or at a liquid's surface, and in proportion elsewhere. “Takes along” hands its velocity on."},
		{Kind: Emitter, Key: "shell", Label: "Shell", Type: Number, Unit: Metre, Default: Num(0.05), Min: 1e-4, Max: 1e4, Keyable: true, Topic: "amounts", Sim: true, When: "from=surface", Help: "Thickness of the shell; at least a voxel counts."},
		{Kind: Emitter, Key: "mode", Label: "Adds or holds", Type: Choice, Default: Text("hold"), Choices: opts("hold", "holds the amounts", "add", "adds them a second"), Topic: "amounts", Sim: true, Help: "Holding keeps smoke at least as dense, however many emitters overlap; adding piles up."},
		{Kind: Emitter, Key: "breakup", Label: "Breakup", Type: Number, Default: Num(0), Min: 0, Max: 1, Step: 0.05, Keyable: true, Main: true, Topic: "breakup", Sim: true, Help: "Noise that leaves gaps in the emission, 0 none to 1 only wisps. Costs nothing."},
		{Kind: Emitter, Key: "breakup_size", Label: "Breakup size", Type: Number, Unit: Metre, Default: Num(0.12), Min: 1e-4, Max: 1e4, Keyable: true, Main: true, Topic: "breakup", Sim: true, Help: "Size of the gaps. Under two voxels they can't be seen."},
		{Kind: Emitter, Key: "breakup_rate", Label: "Breakup speed", Type: Number, Unit: PerSecond, Default: Num(1), Min: 0, Max: 1000, Step: 0.1, Keyable: true, Topic: "breakup", Sim: true, Help: "How many times a second the pattern has changed altogether."},
		{Kind: Emitter, Key: "pulse", Label: "Pulses every", Type: Number, Unit: Second, Default: Num(0), Min: 0, Max: 10000, Step: 0.1, Keyable: true, Topic: "time", Sim: true, Help: "Time from one puff to the next; 0 emits all the time."},
		{Kind: Emitter, Key: "pulse_share", Label: "Pulse length", Type: Number, Default: Num(0.4), Min: 0, Max: 1, Step: 0.05, Keyable: true, Topic: "time", Sim: true, Help: "Share of that time for which it emits."},
		{Kind: Emitter, Key: "begin", Label: "From frame", Type: Integer, Unit: Frames, Default: Num(-100000), Min: -100000, Max: 1000000, Step: 1, Fixed: fixedFrames, Topic: "time", Sim: true, Help: "First frame on which it emits; −100000 means always."},
		{Kind: Emitter, Key: "end", Label: "To frame", Type: Integer, Unit: Frames, Default: Num(1000000), Min: -100000, Max: 1000000, Step: 1, Fixed: fixedFrames, Topic: "time", Sim: true, Help: "Last frame on which it emits; 1000000 means always."},
	}...)
	e = append(e, placed(Collider, "box", Vec(0.4, 0.4, 0.4))...)
	e = append(e, []Entry{
		{Kind: Collider, Key: "friction", Label: "Friction", Type: Number, Default: Num(0), Min: 0, Max: 1, Step: 0.05, Keyable: true, Main: true, Topic: "surface", Sim: true, Help: "0 lets gas slide along the surface, 1 holds it there."},
		{Kind: Collider, Key: "invert", Label: "Inside out", Type: Flag, Topic: "surface", Sim: true, Help: "Gas is kept within the form instead of outside: a room, a jar. What lies outside is solid."},
		{Kind: Collider, Key: "material", Label: "Made of", Type: Choice, Default: Text("matt"), Choices: opts("matt", "something matt", "glass", "clear glass"), Topic: "surface", Help: "Glass bends light and is seen through; liquid may stand right up against it."},
		{Kind: Collider, Key: "colour", Label: "Colour", Type: Colour, Default: Vec(0.18, 0.18, 0.18), Min: 0, Max: 1, Keyable: true, Topic: "surface", Help: "In the picture."},
		{Kind: Collider, Key: "rendered", Label: "In the picture", Type: Flag, Default: On(true), Topic: "surface", Help: "Off: it stops gas and can't be seen."},
		{Kind: Collider, Key: "holdout", Label: "Holdout", Type: Flag, Topic: "surface", Help: holdoutHelp},

		{Kind: Wind, Key: "velocity", Label: "Wind", Type: Vector, Unit: Speed, Default: Vec(1, 0, 0), Min: -500, Max: 500, Step: 0.1, Keyable: true, Main: true, Topic: "motion", Sim: true, Help: "Speed and direction that the air is drawn towards."},
		{Kind: Wind, Key: "grip", Label: "Grip", Type: Number, Unit: PerSecond, Default: Num(0.5), Min: 0, Max: 1000, Step: 0.1, Keyable: true, Main: true, Topic: "motion", Sim: true, Help: "How quickly the air takes up the wind: at 1, two thirds within a second."},
		{Kind: Wind, Key: "gust", Label: "Gusts", Type: Number, Default: Num(0), Min: 0, Max: 5, Step: 0.05, Keyable: true, Main: true, Topic: "gusts", Sim: true, Help: "How much the wind swells and drops, as a share of its speed."},
		{Kind: Wind, Key: "gust_time", Label: "Gust length", Type: Number, Unit: Second, Default: Num(2), Min: 0.01, Max: 10000, Step: 0.1, Keyable: true, Main: true, Topic: "gusts", Sim: true, Help: "Seconds from one gust to the next."},

		{Kind: Turbulence, Key: "strength", Label: "Strength", Type: Number, Unit: Accel, Default: Num(1), Min: 0, Max: 10000, Step: 0.1, Keyable: true, Main: true, Topic: "motion", Sim: true, Help: "How hard the noise pushes."},
		{Kind: Turbulence, Key: "size", Label: "Largest eddies", Type: Number, Unit: Metre, Default: Num(0.4), Min: 1e-3, Max: 1e5, Keyable: true, Main: true, Topic: "motion", Sim: true, Help: "Size of the largest whirls. Under four voxels they are lost."},
		{Kind: Turbulence, Key: "octaves", Label: "Sizes", Type: Integer, Default: Num(2), Min: 1, Max: 6, Step: 1, Keyable: true, Main: true, Topic: "motion", Sim: true, Help: "How many sizes, each half of the one before. Each takes time."},
		{Kind: Turbulence, Key: "rate", Label: "Change", Type: Number, Unit: PerSecond, Default: Num(0.5), Min: 0, Max: 1000, Step: 0.1, Keyable: true, Main: true, Topic: "motion", Sim: true, Help: "How many times a second the pattern has changed altogether."},

		{Kind: Vortex, Key: "strength", Label: "Swirl", Type: Number, Unit: Accel, Default: Num(4), Min: -10000, Max: 10000, Step: 0.5, Keyable: true, Main: true, Topic: "motion", Sim: true, Help: "How hard it pushes round its axis, at its radius. Below 0 the other way round."},
		{Kind: Vortex, Key: "radius", Label: "Radius", Type: Number, Unit: Metre, Default: Num(0.3), Min: 1e-3, Max: 1e5, Keyable: true, Main: true, Topic: "motion", Sim: true, Help: "Where it pushes hardest; farther out it falls off."},
		{Kind: Vortex, Key: "draw", Label: "Draw", Type: Number, Unit: Accel, Default: Num(2), Min: -10000, Max: 10000, Step: 0.5, Keyable: true, Main: true, Topic: "motion", Sim: true, Help: "Pull towards the axis; without it the swirl flings smoke out."},
		{Kind: Vortex, Key: "lift", Label: "Lift", Type: Number, Unit: Accel, Default: Num(0), Min: -10000, Max: 10000, Step: 0.5, Keyable: true, Main: true, Topic: "motion", Sim: true, Help: "Push along the axis, near it."},
		{Kind: Vortex, Key: "turn", Label: "Turn", Type: Vector, Unit: Degree, Default: Vec(0, 0, 0), Min: -36000, Max: 36000, Step: 5, Keyable: true, Main: true, Topic: "place", Sim: true, Help: "Angles about x, then y, then z; its axis stands upright without."},

		{Kind: Radial, Key: "strength", Label: "Strength", Type: Number, Unit: Accel, Default: Num(-4), Min: -100000, Max: 100000, Step: 0.5, Keyable: true, Main: true, Topic: "motion", Sim: true, Help: "Push away from its middle; below 0 it draws in."},
		{Kind: Radial, Key: "radius", Label: "Radius", Type: Number, Unit: Metre, Default: Num(0.3), Min: 1e-3, Max: 1e5, Keyable: true, Main: true, Topic: "motion", Sim: true, Help: "Up to here it acts fully, beyond it falls with the square of the distance."},

		{Kind: Drag, Key: "rate", Label: "Slows", Type: Number, Unit: PerSecond, Default: Num(2), Min: 0, Max: 10000, Step: 0.1, Keyable: true, Main: true, Topic: "motion", Sim: true, Help: "Share of the speed taken away in a second, roughly: 2 leaves a seventh after a second."},
	}...)
	e = append(e, guides()...)
	e = append(e, placed(Pull, "sphere", Vec(1, 1, 1))...)
	e = append(e, []Entry{
		{Kind: Pull, Key: "gather", Label: "Gathers", Type: Number, Unit: Speed, Default: Num(0.6), Min: 0, Max: 500, Step: 0.1, Keyable: true, Main: true, Topic: "motion", Sim: true, Help: "Speed at which smoke drifts into the form. At 0 it is let go; key it to gather and release."},
		{Kind: Pull, Key: "reach", Label: "Reach", Type: Number, Unit: Metre, Default: Num(1), Min: 1e-3, Max: 1e5, Keyable: true, Main: true, Topic: "motion", Sim: true, Help: "Distance from the form's surface up to which smoke is drawn."},
		{Kind: Pull, Key: "keep", Label: "Holds", Type: Number, Unit: PerSecond, Default: Num(3), Min: 0, Max: 10000, Step: 0.5, Keyable: true, Main: true, Topic: "motion", Sim: true, Help: "How hard gas inside the form is slowed: without it the smoke is carried out again at once."},
	}...)
	e = append(e, placed(Mesh, "box", Vec(1, 1, 1))...)
	e = append(e, []Entry{
		{Kind: Mesh, Key: "material", Label: "Made of", Type: Choice, Default: Text("matt"), Choices: opts("matt", "something matt", "glass", "clear glass"), Topic: "surface", Help: "Glass bends light and is seen through; liquid may stand right up against it."},
		{Kind: Mesh, Key: "colour", Label: "Colour", Type: Colour, Default: Vec(0.18, 0.18, 0.18), Min: 0, Max: 1, Keyable: true, Topic: "surface", Help: "In the picture."},
		{Kind: Mesh, Key: "rendered", Label: "In the picture", Type: Flag, Default: On(true), Topic: "surface", Help: "Off: it is seen in the viewport only."},
		{Kind: Mesh, Key: "holdout", Label: "Holdout", Type: Flag, Topic: "surface", Help: holdoutHelp},
	}...)
	e = append(e, []Entry{
		{Kind: Sequence, Key: "frames", Label: "Frames", Type: Frozen, Main: true, Topic: "frames", Sim: true, Help: "The volumes that were brought in, one a frame."},
		{Kind: Sequence, Key: "start", Label: "Begins at", Type: Integer, Unit: Frames, Default: Num(1), Min: -100000, Max: 1000000, Step: 1, Fixed: fixedFrames, Main: true, Topic: "frames", Sim: true, Help: "Frame of the shot on which its first frame plays. Before and after it there is nothing."},
		{Kind: Sequence, Key: "position", Label: "Shifted by", Type: Vector, Unit: Metre, Default: Vec(0, 0, 0), Min: -1e5, Max: 1e5, Keyable: true, Main: true, Topic: "place", Sim: true, Help: "Moves it from where its files place it."},
		{Kind: Sequence, Key: "scale", Label: "Size", Type: Number, Default: Num(1), Min: 1e-6, Max: 1e6, Keyable: true, Main: true, Topic: "place", Sim: true, Help: "Metres that one unit of its files is: 0.01 for files in centimetres. Velocities go along."},
		{Kind: Sequence, Key: "axes", Label: "Its axes", Type: Choice, Default: Text("y-up"), Choices: axes, Main: true, Topic: "place", Sim: true, Help: "Which way is up in the files. Voxels and velocities are turned to y up, right-handed."},
		{Kind: Sequence, Key: "density_from", Label: "Density from", Type: Word, Default: Text("auto"), Topic: "channels", Sim: true, Help: "The channel that is read as density; auto takes density, smoke or dens, or the only one there is."},
		{Kind: Sequence, Key: "temperature_from", Label: "Temperature from", Type: Word, Default: Text("auto"), Topic: "channels", Sim: true, Help: "auto takes temperature, temp or heat."},
		{Kind: Sequence, Key: "burn_from", Label: "Flame from", Type: Word, Default: Text("auto"), Topic: "channels", Sim: true, Help: "auto takes burn, flame, flames or fire."},
		{Kind: Sequence, Key: "velocity_from", Label: "Velocity from", Type: Word, Default: Text("auto"), Topic: "channels", Sim: true, Help: "auto takes velocity, vel or v; of three channels give the name before _x, _y and _z."},
		{Kind: Sequence, Key: "heat_is", Label: "Temperature is in", Type: Choice, Default: Text("excess"), Choices: opts("excess", "kelvin above the air", "kelvin", "kelvin", "celsius", "degrees Celsius", "unit", "0 to 1"), Topic: "channels", Sim: true, Help: "What the files' numbers mean."},
		{Kind: Sequence, Key: "heat_top", Label: "1 means", Type: Number, Unit: Kelvin, Default: Num(1000), Min: 1, Max: 20000, Step: 50, Fixed: fixedFrames, Topic: "channels", Sim: true, When: "heat_is=unit", Help: "Kelvin above the air that 1 stands for."},
		{Kind: Sequence, Key: "velocity_is", Label: "Velocity is in", Type: Choice, Default: Text("second"), Choices: opts("second", "units a second", "frame", "units a frame"), Topic: "channels", Sim: true, Help: "Per frame is of the shot's frames."},
		{Kind: Sequence, Key: "grain", Label: "Points fill", Type: Number, Unit: Metre, Default: Num(0.05), Min: 1e-4, Max: 1e4, Fixed: fixedGrid, Topic: "points", Sim: true, Help: "Edge of the voxels that points are poured into: PLY and Alembic bring places, not volumes. One point fills one voxel."},
	}...)
	for _, k := range []Kind{Wind, Turbulence, Vortex, Radial, Drag} {
		list := region(k, Vec(0, 1, 0))
		if k == Vortex || k == Radial {
			list[0].Counts, list[0].Main = "", true // their middle matters wherever they act
			list[0].Help = "The middle that it acts about."
		}
		e = append(e, list...)
	}
	e = append(e, []Entry{

		{Kind: Camera, Key: "position", Label: "Position", Type: Vector, Unit: Metre, Default: Vec(3, 1.6, 4), Min: -1e5, Max: 1e5, Keyable: true, Main: true, Topic: "place", Help: "Where the lens is."},
		{Kind: Camera, Key: "target", Label: "Looks at", Type: Vector, Unit: Metre, Default: Vec(0, 1, 0), Min: -1e5, Max: 1e5, Keyable: true, Main: true, Topic: "place", Help: "The point in the middle of the picture."},
		{Kind: Camera, Key: "lens", Label: "Focal length", Type: Number, Unit: Millimetre, Default: Num(35), Min: 4, Max: 2000, Step: 1, Keyable: true, Main: true, Topic: "lens", Help: "On a picture 36 mm wide. Longer brings things nearer."},
		{Kind: Camera, Key: "stop", Label: "Lens opening f/", Type: Number, Default: Num(0), Min: 0, Max: 128, Step: 0.1, Keyable: true, Main: true, Topic: "lens", Help: "Focal length over the opening: 1.4 blurs what is out of focus much, 16 hardly. 0 keeps all sharp. Blur wants more samples."},
		{Kind: Camera, Key: "focus", Label: "Focus at", Type: Number, Unit: Metre, Default: Num(0), Min: 0, Max: 1e5, Step: 0.1, Keyable: true, Main: true, Topic: "lens", Help: "Distance that is sharp, along the view. 0 focuses on the point that it looks at."},
		{Kind: Camera, Key: "shutter", Label: "Shutter", Type: Number, Unit: Degree, Default: Num(0), Min: 0, Max: 360, Step: 15, Keyable: true, Main: true, Topic: "lens", Help: "How long a picture is exposed: 180° is half a frame. Fluid is blurred by its own velocity, solids and camera by their motion. 0 freezes."},

		{Kind: Lamp, Key: "form", Label: "Shape", Type: Choice, Default: Text("panel"), Choices: opts("panel", "Panel", "ball", "Ball"), Main: true, Topic: "place", Help: "A panel shines to its front; a ball all round."},
		{Kind: Lamp, Key: "position", Label: "Position", Type: Vector, Unit: Metre, Default: Vec(2, 3, 2), Min: -1e5, Max: 1e5, Keyable: true, Main: true, Topic: "place", Help: "Where its middle stands."},
		{Kind: Lamp, Key: "target", Label: "Shines at", Type: Vector, Unit: Metre, Default: Vec(0, 1, 0), Min: -1e5, Max: 1e5, Keyable: true, Main: true, Topic: "place", When: "form=panel", Help: "The point that a panel faces."},
		{Kind: Lamp, Key: "wide", Label: "Width", Type: Number, Unit: Metre, Default: Num(1), Min: 1e-3, Max: 1e4, Keyable: true, Main: true, Topic: "place", Help: "Width of a panel, diameter of a ball. Larger lamps make softer shadows."},
		{Kind: Lamp, Key: "tall", Label: "Height", Type: Number, Unit: Metre, Default: Num(1), Min: 1e-3, Max: 1e4, Keyable: true, Main: true, Topic: "place", When: "form=panel", Help: "Height of a panel."},
		{Kind: Lamp, Key: "colour", Label: "Light colour", Type: Colour, Default: Vec(1, 0.95, 0.85), Min: 0, Max: 1, Keyable: true, Main: true, Topic: "light", Help: "Colour of its light."},
		{Kind: Lamp, Key: "strength", Label: "Strength", Type: Number, Default: Num(10), Min: 0, Max: 1e7, Step: 1, Keyable: true, Main: true, Topic: "light", Help: "How bright its surface is; a larger lamp of the same strength gives more light. 1 is white paper in plain light."},
		{Kind: Lamp, Key: "seen", Label: "Seen itself", Type: Flag, Topic: "light", Help: "On: the lamp stands in the picture. Off: only its light does."},

		{Kind: Look, Key: "smoke_from", Label: "Smoke drawn from", Type: Choice, Default: Text("density"), Choices: opts("density", "density as it is", "curve", "density through a curve", "temperature", "temperature", "burn", "burning", "fuel", "fuel", "speed", "speed"), Topic: "smoke", Help: "Which channel is drawn as smoke. Anything but density as it is goes through a range and a curve."},
		{Kind: Look, Key: "smoke_low", Label: "Range from", Type: Number, Default: Num(0), Min: -1e6, Max: 1e6, Step: 0.1, Keyable: true, Topic: "smoke", When: smokeCurved, Help: "Value of the channel at the curve's left end: kelvin for temperature, metres a second for speed."},
		{Kind: Look, Key: "smoke_high", Label: "Range to", Type: Number, Default: Num(1), Min: -1e6, Max: 1e6, Step: 0.1, Keyable: true, Topic: "smoke", When: smokeCurved, Help: "Value of the channel at the curve's right end."},
		{Kind: Look, Key: "smoke_curve", Label: "Opacity", Type: Curve, Default: Text("0 0; 1 1"), Min: 0, Max: 1, Topic: "smoke", When: smokeCurved, Help: "How dense smoke is drawn over the range: 1 is density 1."},
		{Kind: Look, Key: "extinction", Label: "Thickness of smoke", Type: Number, Unit: PerMetre, Default: Num(12), Min: 0, Max: 1e6, Step: 0.5, Keyable: true, Main: true, Topic: "smoke", Help: "How much light smoke of density 1 takes away in a metre. Doubling it makes smoke look twice as dense."},
		{Kind: Look, Key: "colour", Label: "Smoke colour", Type: Colour, Default: Vec(0.9, 0.9, 0.9), Min: 0, Max: 1, Keyable: true, Main: true, Topic: "smoke", Help: "Share of the light that smoke scatters on, by colour: bright for steam, dark for soot."},
		{Kind: Look, Key: "colour_from", Label: "Colour varies with", Type: Choice, Default: Text("none"), Choices: opts("none", "nothing", "density", "density", "temperature", "temperature", "burn", "burning", "fuel", "fuel", "speed", "speed"), Topic: "smoke", Help: "A channel that tints the smoke, through the ramp below; the smoke colour is multiplied with it."},
		{Kind: Look, Key: "colour_low", Label: "Tint from", Type: Number, Default: Num(0), Min: -1e6, Max: 1e6, Step: 0.1, Keyable: true, Topic: "smoke", When: tinted, Help: "Value of the channel at the ramp's left end."},
		{Kind: Look, Key: "colour_high", Label: "Tint to", Type: Number, Default: Num(1), Min: -1e6, Max: 1e6, Step: 0.1, Keyable: true, Topic: "smoke", When: tinted, Help: "Value of the channel at the ramp's right end."},
		{Kind: Look, Key: "colour_ramp", Label: "Tint", Type: Ramp, Default: Text("0 1 1 1; 1 0.35 0.3 0.28"), Min: 0, Max: 1, Topic: "smoke", When: tinted, Help: "Colours of the smoke over the range."},
		{Kind: Look, Key: "absorption", Label: "Absorption colour", Type: Colour, Default: Vec(1, 1, 1), Min: 0, Max: 1, Keyable: true, Topic: "smoke", Help: "What light takes on behind and within smoke: a colour goes through more easily the higher it is."},
		{Kind: Look, Key: "phase", Label: "Forward scattering", Type: Number, Default: Num(0.3), Min: -0.95, Max: 0.95, Step: 0.05, Keyable: true, Main: true, Topic: "smoke", Help: "Above 0 smoke glows towards a light behind it (Henyey–Greenstein g)."},
		{Kind: Look, Key: "phase_back", Label: "Second lobe", Type: Number, Default: Num(-0.2), Min: -0.95, Max: 0.95, Step: 0.05, Keyable: true, Topic: "smoke", Help: "Directness of a second lobe of scattering, most often backward."},
		{Kind: Look, Key: "phase_share", Label: "Share of second lobe", Type: Number, Default: Num(0), Min: 0, Max: 1, Step: 0.05, Keyable: true, Topic: "smoke", Help: "How much of the light goes by the second lobe."},
		{Kind: Look, Key: "flame", Label: "Flame", Type: Number, Default: Num(1), Min: 0, Max: 1e6, Step: 0.1, Keyable: true, Main: true, Topic: "flame", Help: "How bright flame and hot soot are to the camera. Nothing is simulated again."},
		{Kind: Look, Key: "flame_light", Label: "Light of flame", Type: Number, Default: Num(1), Min: 0, Max: 1e6, Step: 0.1, Keyable: true, Main: true, Topic: "flame", Help: "How brightly flame lights smoke, ground and solids, apart from how bright it looks itself."},
		{Kind: Look, Key: "flame_where", Label: "Glows", Type: Choice, Default: Text("fire"), Choices: opts("fire", "where it burns and soot is hot", "curve", "where the curve says"), Topic: "flame", Help: "Burning gas and hot soot glow by themselves; a curve lets any channel glow, of smoke without fire too."},
		{Kind: Look, Key: "flame_thickness", Label: "Thickness of flame", Type: Number, Unit: PerMetre, Default: Num(4), Min: 0, Max: 1e5, Step: 0.5, Keyable: true, Topic: "flame", Help: "Light that burning gas gives over a metre: small fires want more, so that thin flames can be seen."},
		{Kind: Look, Key: "flame_soot", Label: "Glow of soot", Type: Number, Default: Num(0.3), Min: 0, Max: 100, Step: 0.05, Keyable: true, Topic: "flame", When: "flame_where=fire", Help: "How much hot smoke glows too: fireballs live on it."},
		{Kind: Look, Key: "flame_scale", Label: "Colour temperature", Type: Number, Default: Num(1), Min: 0.05, Max: 20, Step: 0.05, Keyable: true, Topic: "flame", Help: "Multiplies the temperature before it becomes colour: up is whiter, down redder."},
		{Kind: Look, Key: "flame_mix", Label: "Ramp mixed in", Type: Number, Default: Num(0), Min: 0, Max: 1, Step: 0.05, Keyable: true, Main: true, Topic: "flame", Help: "0 takes the colours of a glowing body, 1 those of the ramp: green fire is one stop away."},
		{Kind: Look, Key: "flame_by", Label: "Ramp runs over", Type: Choice, Default: Text("temperature"), Choices: opts("temperature", "temperature", "burn", "burning", "density", "density", "fuel", "fuel", "speed", "speed"), Topic: "flame", Help: "Channel over which ramp and curve run; temperature in kelvin."},
		{Kind: Look, Key: "flame_low", Label: "Ramp from", Type: Number, Default: Num(600), Min: -1e6, Max: 1e6, Step: 50, Keyable: true, Topic: "flame", Help: "Value of the channel at the left end."},
		{Kind: Look, Key: "flame_high", Label: "Ramp to", Type: Number, Default: Num(2000), Min: -1e6, Max: 1e6, Step: 50, Keyable: true, Topic: "flame", Help: "Value of the channel at the right end."},
		{Kind: Look, Key: "flame_ramp", Label: "Flame colours", Type: Ramp, Default: Text("0 0.06 0.003 0; 0.35 0.75 0.09 0.008; 0.7 1 0.42 0.07; 1 1 0.85 0.5"), Min: 0, Max: 100, Topic: "flame", Help: "Colours of the flame over the range, where the ramp is mixed in."},
		{Kind: Look, Key: "flame_curve", Label: "Flame strength", Type: Curve, Default: Text("0 0; 0.15 0.15; 1 1"), Min: 0, Max: 1, Topic: "flame", Help: "How strongly the ramp's colours glow over the range."},
		{Kind: Look, Key: "bands", Label: "Bands", Type: Integer, Default: Num(0), Min: 0, Max: 64, Step: 1, Keyable: true, Topic: "bands", Help: "Cuts values into so many flat steps before they become smoke and flame: a drawn look. 0 keeps them smooth."},
		{Kind: Look, Key: "bands_of", Label: "Bands in", Type: Choice, Default: Text("both"), Choices: opts("both", "smoke and flame", "smoke", "smoke", "flame", "flame"), Topic: "bands", Help: "What is cut into steps."},
		{Kind: Look, Key: "bands_soft", Label: "Softness of edges", Type: Number, Default: Num(0.1), Min: 0, Max: 1, Step: 0.05, Keyable: true, Topic: "bands", Help: "0 cuts hard from step to step, 1 glides all the way."},
		{Kind: Look, Key: "light_bands", Label: "Steps of light", Type: Integer, Default: Num(0), Min: 0, Max: 64, Step: 1, Keyable: true, Topic: "bands", Help: "Cuts the finished light of fluid and solids into so many tones. 0 keeps it smooth."},
		{Kind: Look, Key: "liquid_as", Label: "Liquid is", Type: Choice, Default: Text("clear"), Choices: opts("clear", "clear", "opaque", "opaque"), Topic: "liquid", Help: "Clear bends light and takes colour with depth: water, oil, honey. Opaque has a skin that shines: milk, paint, lava."},
		{Kind: Look, Key: "liquid_colour", Label: "Liquid colour", Type: Colour, Default: Vec(0.72, 0.9, 0.93), Min: 0, Max: 1, Keyable: true, Topic: "liquid", Help: "Of clear liquid: what is left of white light after the depth below. Of opaque: its skin."},
		{Kind: Look, Key: "liquid_depth", Label: "… at a depth of", Type: Number, Unit: Metre, Default: Num(1), Min: 1e-4, Max: 1e5, Keyable: true, Topic: "liquid", When: "liquid_as=clear", Help: "The way through clear liquid that gives it its colour. Shorter is murkier."},
		{Kind: Look, Key: "liquid_index", Label: "Refraction", Type: Number, Default: Num(1.33), Min: 1.001, Max: 3, Step: 0.01, Topic: "liquid", Fixed: "A liquid's index stays what it is.", Help: "Index of refraction: water 1.33, oil 1.47, honey 1.5."},
		{Kind: Look, Key: "liquid_rough", Label: "Roughness", Type: Number, Default: Num(0), Min: 0, Max: 1, Step: 0.05, Keyable: true, Topic: "liquid", Help: "0 mirrors sharply; over 0.3 it is dull."},
		{Kind: Look, Key: "liquid_glow", Label: "Glow", Type: Number, Default: Num(0), Min: 0, Max: 1000, Step: 0.5, Keyable: true, Topic: "liquid", When: "liquid_as=opaque", Help: "Light that the liquid gives off in its colour: lava 3 to 10."},
		{Kind: Look, Key: "bounces", Label: "Bounces", Type: Integer, Default: Num(4), Min: 1, Max: 64, Step: 1, Keyable: true, Topic: "quality", Help: "How often light is scattered within the smoke; the march guesses up to 4. Steam needs 8 and more to look bright inside; each takes time."},
		{Kind: Look, Key: "sun_strength", Label: "Sun", Type: Number, Default: Num(3), Min: 0, Max: 1000, Step: 0.1, Keyable: true, Main: true, Topic: "light", Help: "Light of the sun on a surface that faces it."},
		{Kind: Look, Key: "sun_colour", Label: "Sun colour", Type: Colour, Default: Vec(1, 0.93, 0.82), Min: 0, Max: 1, Keyable: true, Topic: "light", Help: "Colour of the sun."},
		{Kind: Look, Key: "sun_height", Label: "Sun height", Type: Number, Unit: Degree, Default: Num(38), Min: -10, Max: 90, Step: 1, Keyable: true, Main: true, Topic: "light", Help: "Angle over the horizon."},
		{Kind: Look, Key: "sun_bearing", Label: "Sun bearing", Type: Number, Unit: Degree, Default: Num(130), Min: -360, Max: 360, Step: 5, Keyable: true, Main: true, Topic: "light", Help: "Where the sun stands, turned about the vertical from −z."},
		{Kind: Look, Key: "sky_strength", Label: "Sky", Type: Number, Default: Num(0.7), Min: 0, Max: 1000, Step: 0.1, Keyable: true, Main: true, Topic: "light", Help: "Light of the sky from all round."},
		{Kind: Look, Key: "sky_colour", Label: "Sky colour", Type: Colour, Default: Vec(0.55, 0.68, 0.9), Min: 0, Max: 1, Keyable: true, Topic: "light", Help: "Colour of the sky overhead; it pales to the horizon. A picture of the sky is multiplied with it."},
		{Kind: Look, Key: "sky_picture", Label: "Picture of the sky", Type: Picture, Topic: "light", Help: "A panorama twice as wide as high (EXR, HDR or PNG) that lights the shot from all round."},
		{Kind: Look, Key: "sky_turn", Label: "Sky turned", Type: Number, Unit: Degree, Default: Num(0), Min: -360, Max: 360, Step: 5, Keyable: true, Topic: "light", Help: "Turns the picture of the sky about the vertical."},
		{Kind: Look, Key: "ground", Label: "Ground", Type: Flag, Default: On(true), Main: true, Topic: "ground", Help: "A floor at height 0 that takes shadows."},
		{Kind: Look, Key: "ground_as", Label: "Ground is", Type: Choice, Default: Text("floor"), Choices: opts("floor", "a floor", "catcher", "a shadow catcher"), Topic: "ground", Help: "A catcher isn't seen: only its shadows and the light that fire and lamps throw on it are, over the plate."},
		{Kind: Look, Key: "ground_colour", Label: "Ground colour", Type: Colour, Default: Vec(0.2, 0.19, 0.18), Min: 0, Max: 1, Keyable: true, Topic: "ground", Help: "Share of the light that the floor throws back."},
		{Kind: Look, Key: "background", Label: "Background", Type: Choice, Default: Text("sky"), Choices: opts("sky", "the sky", "grey", "neutral grey", "plate", "the plate", "none", "none (alpha)"), Topic: "ground", Help: "What stands behind. None gives a picture with alpha."},
		{Kind: Look, Key: "plate", Label: "Plate", Type: Picture, Topic: "ground", When: "background=plate", Help: "A picture, or numbered pictures, that the fluid is laid over. It keeps its own brightness whatever the exposure."},
		{Kind: Look, Key: "plate_first", Label: "Plate's first frame", Type: Integer, Unit: Frames, Default: Num(1), Min: -100000, Max: 1000000, Step: 1, Fixed: fixedFrames, Topic: "ground", When: "background=plate", Help: "Frame of the shot on which the first of numbered pictures stands."},
		{Kind: Look, Key: "exposure", Label: "Exposure", Type: Number, Unit: Stops, Default: Num(0), Min: -20, Max: 20, Step: 0.25, Keyable: true, Main: true, Topic: "film", Help: "Brightness of the picture in stops."},
		{Kind: Look, Key: "view", Label: "View", Type: Choice, Default: Text("film"), Choices: opts("film", "film: bright light bleaches and bends", "plain", "plain sRGB: cut off at white"), Topic: "film", Help: "How light becomes a picture. EXR and HDR files hold the light itself, before exposure and view."},
		{Kind: Look, Key: "lift", Label: "Lift", Type: Number, Default: Num(0), Min: -0.5, Max: 0.5, Step: 0.01, Keyable: true, Topic: "film", Help: "Raises or lowers the dark end of the picture."},
		{Kind: Look, Key: "gamma", Label: "Gamma", Type: Number, Default: Num(1), Min: 0.2, Max: 5, Step: 0.05, Keyable: true, Topic: "film", Help: "Over 1 brightens the middle tones, under 1 darkens them."},
		{Kind: Look, Key: "gain", Label: "Gain", Type: Colour, Default: Vec(1, 1, 1), Min: 0, Max: 1, Keyable: true, Topic: "film", Help: "Multiplies the picture's colours."},
		{Kind: Look, Key: "saturation", Label: "Saturation", Type: Number, Default: Num(1), Min: 0, Max: 4, Step: 0.05, Keyable: true, Topic: "film", Help: "0 is grey, 1 as it is."},
		{Kind: Look, Key: "bloom", Label: "Bloom", Type: Number, Default: Num(0), Min: 0, Max: 1, Step: 0.01, Keyable: true, Topic: "film", Help: "Share of the light that strays round where it belongs, as in a lens. No light is added."},
		{Kind: Look, Key: "bloom_size", Label: "Size of bloom", Type: Number, Default: Num(0.08), Min: 0.001, Max: 0.5, Step: 0.01, Keyable: true, Topic: "film", Help: "How far light strays, as a share of the picture's width."},
		{Kind: Look, Key: "width", Label: "Width", Type: Integer, Default: Num(960), Min: 16, Max: 8192, Step: 16, Fixed: fixedPicture, Topic: "files", Help: "Pixels across in a rendered range."},
		{Kind: Look, Key: "height", Label: "Height", Type: Integer, Default: Num(540), Min: 16, Max: 8192, Step: 16, Fixed: fixedPicture, Topic: "files", Help: "Pixels down."},
		{Kind: Look, Key: "file", Label: "Files", Type: Choice, Default: Text("png8"), Choices: opts("png8", "PNG, 8 bits", "png16", "PNG, 16 bits", "exr", "OpenEXR, half", "exr32", "OpenEXR, float", "hdr", "Radiance HDR"), Topic: "files", Help: "PNG holds the finished picture. OpenEXR and HDR hold linear light without exposure, view or plate."},
		{Kind: Look, Key: "alpha", Label: "Alpha", Type: Choice, Default: Text("straight"), Choices: opts("straight", "straight", "over", "premultiplied"), Topic: "files", When: "file=png8|png16", Help: "Whether colours in a PNG are already multiplied by alpha. OpenEXR always is."},
		{Kind: Look, Key: "layers", Label: "Layers", Type: Flag, Default: On(true), Topic: "files", When: "file=exr|exr32", Help: "Emission, every light by itself, depth, motion and what the denoiser reads go into the file as named layers, after beauty and alpha."},
		{Kind: Look, Key: "packed", Label: "Packing", Type: Choice, Default: Text("zip"), Choices: opts("zip", "zip", "none", "none"), Topic: "files", When: "file=exr|exr32", Help: "Zip loses nothing."},
		{Kind: Look, Key: "method", Label: "Method", Type: Choice, Default: Text("march"), Choices: opts("march", "quick march", "path", "unbiased paths"), Main: true, Topic: "quality", Help: "The march is quick and guesses light that was scattered more than once; paths are right, and noisy until many samples are taken."},
		{Kind: Look, Key: "samples", Label: "Samples", Type: Integer, Default: Num(16), Min: 1, Max: 65536, Step: 1, Keyable: true, Main: true, Topic: "quality", Help: "Light paths a pixel at most. Four times as many halve the noise and take four times as long."},
		{Kind: Look, Key: "noise", Label: "Noise allowed", Type: Number, Default: Num(0), Min: 0, Max: 1, Step: 0.005, Keyable: true, Topic: "quality", When: "method=path", Help: "Blocks of pixels with less noise than this get no further samples: 0.02 is hard to see. 0 gives every pixel all samples."},
		{Kind: Look, Key: "denoise", Label: "Denoise", Type: Number, Default: Num(0), Min: 0, Max: 1, Step: 0.1, Keyable: true, Topic: "quality", When: "method=path", Help: "Takes noise away where neighbours agree in light, depth, alpha and surface. 1 is strong; fine wisps go soft first."},
		{Kind: Look, Key: "step", Label: "March step", Type: Number, Default: Num(1), Min: 0.1, Max: 8, Step: 0.1, Keyable: true, Topic: "quality", When: "method=march", Help: "Voxels between two looks into the smoke. Over 1 thin smoke breaks into slices."},

		{Kind: Handover, Key: "what", Label: "What", Type: Choice, Default: Text("volumes"), Choices: opts("volumes", "volumes", "points", "points", "meshes", "meshes and camera", "pictures", "pictures", "flipbook", "flipbook", "field", "vector field"), Main: true, Topic: "channels", Help: "What is handed over. Each kind keeps its own values below."},
		{Kind: Handover, Key: "density", Label: "Density", Type: Flag, Default: On(true), Main: true, Topic: "channels", When: vols, Help: "Smoke density, a plain number."},
		{Kind: Handover, Key: "surface", Label: "Surface", Type: Flag, Default: On(true), Topic: "channels", When: vols, Help: "A liquid's signed distance to its surface, as a level set, negative inside."},
		{Kind: Handover, Key: "foam", Label: "Foam", Type: Flag, Default: On(true), Topic: "channels", When: vols, Help: "How thick a liquid's foam, spray and bubbles are, 0 to 1."},
		{Kind: Handover, Key: "temperature", Label: "Temperature", Type: Flag, Default: On(true), Main: true, Topic: "channels", When: vols, Help: "In kelvin."},
		{Kind: Handover, Key: "fuel", Label: "Fuel", Type: Flag, Default: On(false), Topic: "channels", When: vols, Help: "Unburnt fuel in kg/m³, of domains that burn."},
		{Kind: Handover, Key: "burn", Label: "Burn", Type: Flag, Default: On(true), Topic: "channels", When: vols, Help: "Where flame is, 0 to 1, of domains that burn."},
		{Kind: Handover, Key: "velocity", Label: "Velocity", Type: Flag, Default: On(true), Main: true, Topic: "channels", When: vols, Help: "In metres a second, for motion blur."},
		{Kind: Handover, Key: "kelvin", Label: "Temperature as", Type: Choice, Default: Text("excess"), Choices: opts("excess", "kelvin above the air", "absolute", "kelvin", "unit", "0 to 1 of the highest"), Topic: "channels", When: vols + "&temperature=true", Help: "Absolute gives every empty voxel the air's temperature as background. 0 to 1 is of the highest over all frames, and the manifest tells it."},
		{Kind: Handover, Key: "motion_per", Label: "Velocity in", Type: Choice, Default: Text("second"), Choices: opts("second", "units a second", "frame", "units a frame"), Topic: "channels", When: "what=volumes|points|meshes|field", Help: "Receivers that blur by frames want units a frame. Alembic always has units a second."},
		{Kind: Handover, Key: "motion_split", Label: "Velocity as", Type: Choice, Default: Text("vector"), Choices: opts("vector", "one vector channel", "split", "three channels x, y, z"), Topic: "channels", When: vols + "&velocity=true", Help: "For receivers that read plain numbers only."},
		{Kind: Handover, Key: "density_as", Label: "Density is called", Type: Word, Default: Text("density"), Topic: "names", When: vols + "&density=true", Help: "The channel's name in the files."},
		{Kind: Handover, Key: "surface_as", Label: "Surface is called", Type: Word, Default: Text("surface"), Topic: "names", When: vols + "&surface=true", Help: "The channel's name in the files."},
		{Kind: Handover, Key: "foam_as", Label: "Foam is called", Type: Word, Default: Text("foam"), Topic: "names", When: vols + "&foam=true", Help: "The channel's name in the files."},
		{Kind: Handover, Key: "temperature_as", Label: "Temperature is called", Type: Word, Default: Text("temperature"), Topic: "names", When: vols + "&temperature=true", Help: "The channel's name in the files."},
		{Kind: Handover, Key: "fuel_as", Label: "Fuel is called", Type: Word, Default: Text("fuel"), Topic: "names", When: vols + "&fuel=true", Help: "The channel's name in the files."},
		{Kind: Handover, Key: "burn_as", Label: "Burn is called", Type: Word, Default: Text("burn"), Topic: "names", When: vols + "&burn=true", Help: "The channel's name in the files."},
		{Kind: Handover, Key: "velocity_as", Label: "Velocity is called", Type: Word, Default: Text("velocity"), Topic: "names", When: "what=volumes|field", Help: "The channel's name in the files; split, _x, _y and _z follow it."},

		{Kind: Handover, Key: "field_file", Label: "As", Type: Choice, Default: Text("vdb"), Choices: opts("vdb", "OpenVDB vectors", "csv", "text (CSV)"), Main: true, Topic: "file", When: "what=field", Help: "Text has a line a voxel; its head tells sizes, axes and units."},
		{Kind: Handover, Key: "field_step", Label: "Voxels to one", Type: Integer, Default: Num(1), Min: 1, Max: 64, Step: 1, Fixed: fixedFiles, Main: true, Topic: "file", When: "what=field", Help: "Means over blocks of so many voxels a side: 4 makes the field 64 times smaller."},
		{Kind: Handover, Key: "point_file", Label: "As", Type: Choice, Default: Text("abc"), Choices: opts("abc", "Alembic, one file", "ply", "PLY sequence", "obj", "OBJ sequence", "glb", "glTF sequence"), Main: true, Topic: "file", When: "what=points", Help: "OBJ and glTF hold places alone; the others velocity too."},
		{Kind: Handover, Key: "point_velocity", Label: "Velocity", Type: Flag, Default: On(true), Main: true, Topic: "channels", When: "what=points", Help: "Of every point."},
		{Kind: Handover, Key: "point_depth", Label: "Depth", Type: Flag, Default: On(false), Topic: "channels", When: "what=points&point_file=abc|ply", Help: "How far under the surface a point lies, in the files' units; negative above."},
		{Kind: Handover, Key: "point_size", Label: "Size", Type: Flag, Default: On(true), Topic: "channels", When: "what=points&point_file=abc|ply", Help: "Diameter: half a voxel, as eight points fill one; a whole one where every eighth is kept."},
		{Kind: Handover, Key: "point_groups", Label: "Groups", Type: Choice, Default: Text("one"), Choices: opts("one", "all points", "depth", "spray, surface, inside"), Topic: "file", When: "what=points", Help: "By depth: more than a voxel above the surface, within one, or deeper."},
		{Kind: Handover, Key: "mesh_file", Label: "As", Type: Choice, Default: Text("abc"), Choices: opts("abc", "Alembic, one file", "ply", "PLY sequence", "obj", "OBJ sequence", "glb", "glTF sequence"), Main: true, Topic: "file", When: "what=meshes", Help: "Velocity goes into Alembic only."},
		{Kind: Handover, Key: "mesh_fluid", Label: "The fluid's surface", Type: Flag, Default: On(true), Main: true, Topic: "channels", When: "what=meshes", Help: "Of a liquid its surface; of smoke the surface at a density."},
		{Kind: Handover, Key: "mesh_level", Label: "Smoke's surface at", Type: Number, Default: Num(0.1), Min: 1e-6, Max: 1000, Fixed: fixedFiles, Topic: "channels", When: "what=meshes&mesh_fluid=true", Help: "Density at which smoke is given a surface. Liquids have their own."},
		{Kind: Handover, Key: "mesh_velocity", Label: "Velocity", Type: Flag, Default: On(true), Topic: "channels", When: "what=meshes&mesh_fluid=true&mesh_file=abc", Help: "Of every vertex of the fluid's surface, for blur: the vertices change from frame to frame."},
		{Kind: Handover, Key: "mesh_solids", Label: "Solids", Type: Flag, Default: On(true), Main: true, Topic: "channels", When: "what=meshes", Help: "Colliders and meshes that are in the picture, one object each."},
		{Kind: Handover, Key: "mesh_camera", Label: "Camera", Type: Flag, Default: On(true), Main: true, Topic: "channels", When: "what=meshes&mesh_file=abc", Help: "The shot's camera with lens, aperture and focus."},
		{Kind: Handover, Key: "mesh_detail", Label: "Detail", Type: Choice, Default: Text("final"), Choices: opts("final", "final", "half", "draft, every second cell", "quarter", "every fourth cell"), Topic: "file", When: "what=meshes&mesh_fluid=true", Help: "A draft has a quarter of the triangles, and thin sheets get holes."},
		{Kind: Handover, Key: "mesh_split", Label: "Files", Type: Choice, Default: Text("one"), Choices: opts("one", "all objects in one", "each", "one an object"), Topic: "file", When: "what=points|meshes", Help: "Whether objects or groups share a file."},

		{Kind: Handover, Key: "columns", Label: "Columns", Type: Integer, Default: Num(8), Min: 1, Max: 64, Step: 1, Fixed: fixedFiles, Main: true, Topic: "tiles", When: book, Help: "Tiles side by side."},
		{Kind: Handover, Key: "rows", Label: "Rows", Type: Integer, Default: Num(8), Min: 1, Max: 64, Step: 1, Fixed: fixedFiles, Main: true, Topic: "tiles", When: book, Help: "Tiles one above the other. Columns by rows is how many frames are taken."},
		{Kind: Handover, Key: "tile_wide", Label: "Tile width", Type: Integer, Default: Num(256), Min: 8, Max: 8192, Step: 8, Fixed: fixedFiles, Main: true, Topic: "tiles", When: book, Help: "Pixels of a tile from side to side."},
		{Kind: Handover, Key: "tile_tall", Label: "Tile height", Type: Integer, Default: Num(256), Min: 8, Max: 8192, Step: 8, Fixed: fixedFiles, Main: true, Topic: "tiles", When: book, Help: "Pixels. Frames keep their shape: what a tile has more stays empty."},
		{Kind: Handover, Key: "pick", Label: "Frames", Type: Choice, Default: Text("fit"), Choices: opts("fit", "spread from first light to last smoke", "range", "one after another"), Main: true, Topic: "tiles", When: book, Help: "Spread: as many as there are tiles, evenly over what can be seen. One after another: the first so many, every nth."},
		{Kind: Handover, Key: "loop", Label: "Loop", Type: Choice, Default: Text("none"), Choices: opts("none", "plays once", "cut", "cut where frames match best", "blend", "goes over into its beginning"), Main: true, Topic: "tiles", When: book, Help: "The seam is measured against the mean change from frame to frame; under 1.5 times it is hard to see."},
		{Kind: Handover, Key: "loop_least", Label: "Loop at least", Type: Integer, Default: Num(12), Min: 2, Max: 10000, Step: 1, Fixed: fixedFiles, Topic: "tiles", When: book + "&loop=cut", Help: "Recorded frames that a loop has at least."},
		{Kind: Handover, Key: "loop_over", Label: "Goes over in", Type: Integer, Default: Num(8), Min: 1, Max: 1000, Step: 1, Fixed: fixedFiles, Topic: "tiles", When: book + "&loop=blend", Help: "Tiles over which the end goes over into what came before the beginning."},
		{Kind: Handover, Key: "vectors", Label: "Motion vectors", Type: Choice, Default: Text("flow"), Choices: opts("none", "none", "flow", "seen in the pictures", "projected", "from the fluid's velocity"), Main: true, Topic: "motion", When: book, Help: "Seen: optical flow from a tile to the next, which blends best. From the velocity: what the recording's motion layer tells."},
		{Kind: Handover, Key: "vectors_masked", Label: "Masked", Type: Flag, Default: On(false), Topic: "motion", When: book + "&vectors=flow|projected", Help: "No motion where a tile is empty. Unmasked, motion goes on beyond the edge, and edges blend better."},
		{Kind: Handover, Key: "vectors_up", Label: "Vertical is", Type: Choice, Default: Text("down"), Choices: opts("down", "positive downwards", "up", "positive upwards"), Topic: "motion", When: book + "&vectors=flow|projected", Help: "The sign that the receiver takes for upward motion."},
		{Kind: Handover, Key: "shift_x", Label: "Shift right", Type: Number, Default: Num(0), Min: -2, Max: 2, Step: 0.01, Fixed: fixedFiles, Topic: "placing", When: book, Help: "Shares of a tile's width."},
		{Kind: Handover, Key: "shift_y", Label: "Shift down", Type: Number, Default: Num(0), Min: -2, Max: 2, Step: 0.01, Fixed: fixedFiles, Topic: "placing", When: book, Help: "Shares of a tile's width."},
		{Kind: Handover, Key: "tile_turn", Label: "Turn", Type: Number, Unit: Degree, Default: Num(0), Min: -360, Max: 360, Step: 5, Fixed: fixedFiles, Topic: "placing", When: book, Help: "Clockwise."},
		{Kind: Handover, Key: "tile_scale", Label: "Size in the tile", Type: Number, Default: Num(1), Min: 0.01, Max: 100, Step: 0.05, Fixed: fixedFiles, Topic: "placing", When: book, Help: "1: the frame just fits."},
		{Kind: Handover, Key: "padding", Label: "Padding", Type: Integer, Default: Num(0), Min: 0, Max: 256, Step: 1, Fixed: fixedFiles, Topic: "placing", When: book, Help: "Pixels on every side of a tile that stay empty, so that neighbours don't bleed in when shrunk."},
		{Kind: Handover, Key: "sheet_colour", Label: "Colour sheet", Type: Choice, Default: Text("all"), Choices: opts("all", "all light, with alpha", "lit", "without emission, with alpha", "none", "none"), Topic: "sheets", When: book, Help: "The main sheet."},
		{Kind: Handover, Key: "sheet_emission", Label: "Emission sheet", Type: Flag, Default: On(false), Topic: "sheets", When: book, Help: "What glows by itself, to be added."},
		{Kind: Handover, Key: "sheet_normals", Label: "Normals sheet", Type: Flag, Default: On(false), Topic: "sheets", When: book, Help: "x to the right, y up, z to the viewer, 0.5 being 0; alpha along."},
		{Kind: Handover, Key: "sheet_sides", Label: "Six-way light", Type: Flag, Default: On(false), Topic: "sheets", When: book, Help: "Two sheets: light from right, above and behind with alpha, and from left, below and before with emission. The recording must have been made for tiles."},
		{Kind: Handover, Key: "sheet_packed", Label: "Packed sheet", Type: Flag, Default: On(false), Topic: "sheets", When: book, Help: "A sheet with what you choose in each channel."},
		{Kind: Handover, Key: "pack_r", Label: "Red holds", Type: Choice, Default: Text("alpha"), Choices: packed, Topic: "sheets", When: book + "&sheet_packed=true", Help: "A plain number, never sRGB."},
		{Kind: Handover, Key: "pack_g", Label: "Green holds", Type: Choice, Default: Text("emission"), Choices: packed, Topic: "sheets", When: book + "&sheet_packed=true", Help: "A plain number, never sRGB."},
		{Kind: Handover, Key: "pack_b", Label: "Blue holds", Type: Choice, Default: Text("heat"), Choices: packed, Topic: "sheets", When: book + "&sheet_packed=true", Help: "A plain number, never sRGB."},
		{Kind: Handover, Key: "pack_a", Label: "Alpha holds", Type: Choice, Default: Text("none"), Choices: packed, Topic: "sheets", When: book + "&sheet_packed=true", Help: "A plain number, never sRGB. Nothing means 1."},
		{Kind: Handover, Key: "space", Label: "Colours are", Type: Choice, Default: Text("srgb"), Choices: opts("srgb", "sRGB", "film", "sRGB as the look shows them", "linear", "linear"), Main: true, Topic: "file", When: book + "&sheet_file=png8|png16", Help: "In eight bits linear light bands in the darks. What is brighter than 1 is cut off, and the manifest tells how much."},
		{Kind: Handover, Key: "alpha_as", Label: "Alpha", Type: Choice, Default: Text("straight"), Choices: opts("straight", "straight", "over", "premultiplied"), Main: true, Topic: "file", When: book, Help: "Straight colours go on into what is empty, so that edges don't go dark."},
		{Kind: Handover, Key: "sheet_file", Label: "As", Type: Choice, Default: Text("png8"), Choices: opts("png8", "PNG, 8 bit", "png16", "PNG, 16 bit", "exr", "OpenEXR, half"), Main: true, Topic: "file", When: book, Help: "OpenEXR is linear and keeps what is brighter than 1."},
		{Kind: Handover, Key: "sheet_out", Label: "Tiles go", Type: Choice, Default: Text("atlas"), Choices: opts("atlas", "into one atlas", "sequence", "into a file each"), Topic: "file", When: book, Help: "One file each for receivers that build their own atlas."},

		{Kind: Handover, Key: "precision", Label: "Precision", Type: Choice, Default: Text("half"), Choices: opts("half", "half (16 bit)", "float", "float (32 bit)", "steps", "255 steps, as half"), Main: true, Topic: "file", When: "what=volumes|field", Help: "Half is enough for pictures; float for further computation. 255 steps of the range over all frames pack far smaller; the manifest tells the largest error."},
		{Kind: Handover, Key: "compression", Label: "Compression", Type: Choice, Default: Text("blosc"), Choices: opts("none", "none", "zip", "zip", "blosc", "Blosc"), Topic: "file", When: "what=volumes|field", Help: "Blosc is quick; zip is smaller and read everywhere; none is largest."},
		{Kind: Handover, Key: "axes", Label: "Axes", Type: Choice, Default: Text("y-up"), Choices: axes, Main: true, Topic: "space", When: solid, Help: "Which way is up where the files go. Voxels, places and vectors are turned; transforms stay plain. glTF is y up, right-handed, and in metres by its standard."},
		{Kind: Handover, Key: "scale", Label: "Units a metre", Type: Number, Default: Num(1), Min: 1e-6, Max: 1e6, Fixed: fixedFiles, Main: true, Topic: "space", When: solid, Help: "1 for metres, 100 for centimetres, 1000 for millimetres. Velocity is scaled along."},
		{Kind: Handover, Key: "crop", Label: "Crop", Type: Choice, Default: Text("none"), Choices: opts("none", "all of the domain", "box", "to a box"), Topic: "space", When: "what=volumes|field", Help: "What is empty takes no room anyway."},
		{Kind: Handover, Key: "crop_low", Label: "From", Type: Vector, Unit: Metre, Default: Vec(-1, 0, -1), Min: -1e5, Max: 1e5, Fixed: fixedFiles, Topic: "space", When: "what=volumes|field&crop=box", Help: "Low corner, in the shot's own space."},
		{Kind: Handover, Key: "crop_high", Label: "To", Type: Vector, Unit: Metre, Default: Vec(1, 2, 1), Min: -1e5, Max: 1e5, Fixed: fixedFiles, Topic: "space", When: "what=volumes|field&crop=box", Help: "High corner, in the shot's own space."},
		{Kind: Handover, Key: "start", Label: "First number", Type: Integer, Default: Num(1), Min: -100000, Max: 1000000, Step: 1, Fixed: fixedFiles, Main: true, Topic: "frames", Help: "Number of the first file."},
		{Kind: Handover, Key: "step", Label: "Every nth frame", Type: Integer, Default: Num(1), Min: 1, Max: 1000, Step: 1, Fixed: fixedFiles, Topic: "frames", Help: "2 hands over every other frame."},
		{Kind: Handover, Key: "digits", Label: "Digits", Type: Integer, Default: Num(4), Min: 1, Max: 8, Step: 1, Fixed: fixedFiles, Main: true, Topic: "frames", Help: "Least digits of the frame number in file names."},
	}...)
	return e
}

var byKind = func() map[Kind][]*Entry {
	m := map[Kind][]*Entry{}
	for i := range Catalogue {
		m[Catalogue[i].Kind] = append(m[Catalogue[i].Kind], &Catalogue[i])
	}
	return m
}()

// Entries are the values of a kind in the order of the catalogue.
func Entries(k Kind) []*Entry { return byKind[k] }

// Find is the entry of a value, or nil.
func Find(k Kind, key string) *Entry {
	for _, e := range byKind[k] {
		if e.Key == key {
			return e
		}
	}
	return nil
}

// IsElement reports a kind that can stand in the cast.
func IsElement(k Kind) bool { return slices.Contains(ElementKinds, k) }

// Words are a choice's, by its key.
func (e *Entry) Words(key string) string {
	for _, c := range e.Choices {
		if c.Key == key {
			return c.Label
		}
	}
	return key
}

// Holds reports whether a condition such as When is met by values.
func Holds(when string, get func(key string) Value) bool {
	if when == "" {
		return true
	}
	for cond := range strings.SplitSeq(when, "&") {
		key, list, _ := strings.Cut(cond, "=")
		v := get(key)
		if list == "true" || list == "false" {
			if v.Flag != (list == "true") {
				return false
			}
			continue
		}
		if !slices.Contains(strings.Split(list, "|"), v.Text) {
			return false
		}
	}
	return true
}
