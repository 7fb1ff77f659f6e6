package shot

import (
	"slices"
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
	Camera     Kind = "camera"
	Look       Kind = "look"
	Handover   Kind = "handover"
)

// ElementKinds are the kinds that can be added to a shot, in the order of
// the menu.
var ElementKinds = []Kind{Domain, Emitter, Collider, Wind, Turbulence, Camera}

// Group is the heading of the cast under which a kind stands.
func (k Kind) Group() string {
	switch k {
	case Emitter:
		return "lets fluid in"
	case Collider:
		return "stops it"
	case Wind, Turbulence:
		return "moves it"
	case Domain:
		return "holds it"
	case Camera:
		return "sees it"
	}
	return ""
}

// Groups are the headings of the cast in order.
var Groups = []string{"holds it", "lets fluid in", "stops it", "moves it", "sees it"}

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
	Main     bool   // among the values that matter most
	Topic    string // heading among the others
	Help     string // what it does to the picture, and to the time
	Sim      bool   // a simulation depends on it
	When     string // "key=choice|choice": shown only then
}

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
		{Kind: k, Key: "form", Label: "Shape", Type: Choice, Default: Text(form), Choices: opts("sphere", "Sphere", "box", "Box", "cylinder", "Cylinder", "tube", "Tube", "torus", "Torus", "plane", "Plane"), Main: true, Topic: "place", Sim: true,
			Help: "Form of the element. A tube is open at both ends."},
		{Kind: k, Key: "position", Label: "Position", Type: Vector, Unit: Metre, Default: Vec(0, 0.5, 0), Min: -1e5, Max: 1e5, Keyable: true, Main: true, Topic: "place", Sim: true,
			Help: "Where its middle stands. With keys it moves, and what touches it is moved along."},
		{Kind: k, Key: "turn", Label: "Turn", Type: Vector, Unit: Degree, Default: Vec(0, 0, 0), Min: -36000, Max: 36000, Step: 5, Keyable: true, Main: true, Topic: "place", Sim: true,
			Help: "Angles about x, then y, then z."},
		{Kind: k, Key: "size", Label: "Size", Type: Vector, Unit: Metre, Default: size, Min: 1e-4, Max: 1e5, Keyable: true, Main: true, Topic: "place", Sim: true,
			Help: "Width, height and depth before turning. A torus is as thick as its height."},
		{Kind: k, Key: "taper", Label: "Taper", Type: Number, Default: Num(1), Min: 0.01, Max: 100, Step: 0.05, Topic: "place", Sim: true, When: "form=cylinder|tube",
			Help: "Diameter at the top over diameter at the bottom: under 1 it narrows, over 1 it opens like a horn."},
		{Kind: k, Key: "wall", Label: "Wall", Type: Number, Unit: Metre, Default: Num(0.05), Min: 1e-4, Max: 1e4, Topic: "place", Sim: true, When: "form=tube",
			Help: "Thickness of a tube's wall. Under two voxels it leaks."},
	}
}

func side(key, label, def string) Entry {
	return Entry{Kind: Domain, Key: key, Label: label, Type: Choice, Default: Text(def), Choices: opts("outflow", "outflow", "wall", "wall"), Topic: "sides", Sim: true,
		Help: "Outflow lets fluid leave and outside air in; a wall stops it."}
}

// Catalogue declares every value of Zarf once.
var Catalogue = build()

func build() []Entry {
	e := []Entry{
		{Kind: Setting, Key: "rate", Label: "Frame rate", Type: Number, Unit: FrameRate, Default: Num(24), Min: 1, Max: 240, Step: 1, Main: true, Sim: true, Help: "Frames a second. 23.976 is written as 24000/1001."},
		{Kind: Setting, Key: "first", Label: "First frame", Type: Integer, Unit: Frames, Default: Num(1), Min: -100000, Max: 1000000, Step: 1, Main: true, Sim: true, Help: "Number of the first frame."},
		{Kind: Setting, Key: "last", Label: "Last frame", Type: Integer, Unit: Frames, Default: Num(72), Min: -100000, Max: 1000000, Step: 1, Main: true, Help: "Number of the last frame. Making it later keeps the frames that are there."},
		{Kind: Setting, Key: "preroll", Label: "Pre-roll", Type: Integer, Unit: Frames, Default: Num(0), Min: 0, Max: 100000, Step: 1, Main: true, Sim: true, Help: "Frames that are simulated before the first and not kept, so that the fluid is already moving. Costs as much time as frames that are kept."},
		{Kind: Setting, Key: "units", Label: "Lengths shown in", Type: Choice, Default: Text("m"), Choices: opts("mm", "mm", "cm", "cm", "m", "m"), Main: true, Help: "Only what the pages show; any unit can be typed."},
		{Kind: Setting, Key: "gravity", Label: "Gravity", Type: Number, Unit: Accel, Default: Num(9.81), Min: -1000, Max: 1000, Step: 0.1, Keyable: true, Main: true, Topic: "air", Sim: true, Help: "Pull downwards. Without it warm smoke doesn't rise."},
		{Kind: Setting, Key: "air_temperature", Label: "Air temperature", Type: Number, Unit: Kelvin, Default: Num(293), Min: 1, Max: 5000, Step: 1, Main: true, Topic: "air", Sim: true, Help: "Temperature of the air outside. Only the difference to it makes gas rise or sink."},
		{Kind: Setting, Key: "air_density", Label: "Air density", Type: Number, Unit: Density, Default: Num(1.2), Min: 0.001, Max: 10000, Step: 0.01, Topic: "air", Sim: true, Help: "Weight of the air, against which smoke's weight counts."},

		{Kind: Domain, Key: "position", Label: "Position", Type: Vector, Unit: Metre, Default: Vec(0, 1, 0), Min: -1e5, Max: 1e5, Main: true, Topic: "place", Sim: true, Help: "Where the middle of the box stands."},
		{Kind: Domain, Key: "size", Label: "Size", Type: Vector, Unit: Metre, Default: Vec(1.5, 2, 1.5), Min: 1e-4, Max: 1e5, Main: true, Topic: "place", Sim: true, Help: "The box in which fluid is simulated. Changing it leaves the voxel size alone; time and memory grow with the volume."},
		{Kind: Domain, Key: "voxel", Label: "Voxel size", Type: Number, Unit: Metre, Default: Num(0.05), Min: 1e-5, Max: 1e4, Main: true, Topic: "detail", Sim: true, Help: "Edge of a grid cell. Half of it shows twice the detail, takes 8 times the memory and about 16 times the time."},
		{Kind: Domain, Key: "lift", Label: "Lift of warm gas", Type: Number, Default: Num(1), Min: -100, Max: 100, Step: 0.1, Keyable: true, Main: true, Topic: "motion", Sim: true, Help: "How strongly warmth lifts; 1 as in nature, 0 not at all, below 0 it sinks."},
		{Kind: Domain, Key: "smoke_weight", Label: "Weight of smoke", Type: Number, Unit: Density, Default: Num(0), Min: -1000, Max: 1000, Step: 0.05, Keyable: true, Main: true, Topic: "motion", Sim: true, Help: "What smoke of density 1 adds to the air's weight. Above 0 it sinks and rolls along the ground."},
		{Kind: Domain, Key: "dissipation", Label: "Smoke fades", Type: Number, Unit: PerSecond, Default: Num(0), Min: 0, Max: 1000, Step: 0.05, Keyable: true, Main: true, Topic: "motion", Sim: true, Help: "Share of the smoke that goes in a second, roughly. 0 keeps it for ever."},
		{Kind: Domain, Key: "cooling", Label: "Heat fades", Type: Number, Unit: PerSecond, Default: Num(0.2), Min: 0, Max: 1000, Step: 0.05, Keyable: true, Main: true, Topic: "motion", Sim: true, Help: "How quickly warm gas takes the air's temperature. Quick cooling makes short, heavy plumes."},
		{Kind: Domain, Key: "vorticity", Label: "Vorticity confinement", Type: Number, Default: Num(0.1), Min: 0, Max: 20, Step: 0.05, Keyable: true, Main: true, Topic: "motion", Sim: true, Help: "Feeds small curls that the grid would lose. Much of it looks nervous; over 2 it may blow up."},
		{Kind: Domain, Key: "damping", Label: "Damping", Type: Number, Unit: PerSecond, Default: Num(0), Min: 0, Max: 1000, Step: 0.05, Keyable: true, Topic: "motion", Sim: true, Help: "Slows all motion, as if the air were thick."},
		side("side_x0", "Side −x", "outflow"), side("side_x1", "Side +x", "outflow"), side("side_y0", "Floor −y", "wall"),
		side("side_y1", "Top +y", "outflow"), side("side_z0", "Side −z", "outflow"), side("side_z1", "Side +z", "outflow"),
		{Kind: Domain, Key: "scheme", Label: "Advection", Type: Choice, Default: Text("MacCormack"), Choices: opts("semi-Lagrangian", "semi-Lagrangian", "MacCormack", "MacCormack"), Topic: "solver", Sim: true, Help: "MacCormack keeps fine curls; semi-Lagrangian is softer and takes about two thirds of the time."},
		{Kind: Domain, Key: "cfl", Label: "Voxels a substep", Type: Number, Default: Num(2), Min: 0.1, Max: 20, Step: 0.5, Topic: "solver", Sim: true, Help: "How far the fastest gas may go in one substep. Lower is more exact and takes longer."},
		{Kind: Domain, Key: "min_substeps", Label: "Least substeps", Type: Integer, Default: Num(1), Min: 1, Max: 100, Step: 1, Topic: "solver", Sim: true, Help: "Substeps a frame at least."},
		{Kind: Domain, Key: "max_substeps", Label: "Most substeps", Type: Integer, Default: Num(8), Min: 1, Max: 500, Step: 1, Topic: "solver", Sim: true, Help: "Substeps a frame at most; a run tells where it needed more."},
		{Kind: Domain, Key: "tolerance", Label: "Pressure tolerance", Type: Number, Default: Num(1e-3), Min: 1e-7, Max: 0.1, Topic: "solver", Sim: true, Help: "How exactly gas is kept from being squeezed. 0.001 looks right; smaller costs a little more time."},
		{Kind: Domain, Key: "seed", Label: "Seed", Type: Integer, Default: Num(1), Min: 0, Max: 1e9, Step: 1, Topic: "solver", Sim: true, Help: "Another number gives other noise of the same character."},
		{Kind: Domain, Key: "cache_velocity", Label: "Keep velocity", Type: Flag, Default: On(true), Topic: "cache", Sim: true, Help: "Needed for motion blur and for handing velocity over; about two thirds of the disk space."},
		{Kind: Domain, Key: "cache_half", Label: "Cache in half precision", Type: Flag, Default: On(true), Topic: "cache", Sim: true, Help: "Half the disk space; pictures don't change."},
	}
	e = append(e, placed(Emitter, "sphere", Vec(0.3, 0.3, 0.3))...)
	e = append(e, []Entry{
		{Kind: Emitter, Key: "smoke", Label: "Smoke", Type: Number, Default: Num(1), Min: 0, Max: 1000, Step: 0.1, Keyable: true, Main: true, Topic: "amounts", Sim: true, Help: "Density of the smoke that comes out; 1 is dense."},
		{Kind: Emitter, Key: "temperature", Label: "Temperature", Type: Number, Unit: Kelvin, Default: Num(330), Min: 1, Max: 6000, Step: 5, Keyable: true, Main: true, Topic: "amounts", Sim: true, Help: "Of the gas that comes out. Warmer than the air rises, colder sinks."},
		{Kind: Emitter, Key: "speed", Label: "Inflow speed", Type: Number, Unit: Speed, Default: Num(0), Min: -2000, Max: 2000, Step: 0.1, Keyable: true, Main: true, Topic: "motion", Sim: true, Help: "Speed with which new gas leaves the emitter. Fast gas needs more substeps."},
		{Kind: Emitter, Key: "along", Label: "Leaves along", Type: Choice, Default: Text("normal"), Choices: opts("normal", "its surface's normal", "axis", "its own up axis"), Topic: "motion", Sim: true, Help: "Out of the surface on all sides, or as a jet along the element's own y axis."},
		{Kind: Emitter, Key: "push", Label: "Push", Type: Vector, Unit: Speed, Default: Vec(0, 0, 0), Min: -2000, Max: 2000, Keyable: true, Topic: "motion", Sim: true, Help: "Velocity given to the gas on top."},
		{Kind: Emitter, Key: "from", Label: "From", Type: Choice, Default: Text("volume"), Choices: opts("volume", "the whole volume", "surface", "a shell at the surface"), Topic: "amounts", Sim: true, Help: "Where the gas appears."},
		{Kind: Emitter, Key: "shell", Label: "Shell", Type: Number, Unit: Metre, Default: Num(0.05), Min: 1e-4, Max: 1e4, Topic: "amounts", Sim: true, When: "from=surface", Help: "Thickness of the shell; at least a voxel counts."},
		{Kind: Emitter, Key: "mode", Label: "Adds or holds", Type: Choice, Default: Text("hold"), Choices: opts("hold", "holds the amounts", "add", "adds them a second"), Topic: "amounts", Sim: true, Help: "Holding keeps smoke at least as dense, however many emitters overlap; adding piles up."},
		{Kind: Emitter, Key: "breakup", Label: "Breakup", Type: Number, Default: Num(0), Min: 0, Max: 1, Step: 0.05, Keyable: true, Main: true, Topic: "breakup", Sim: true, Help: "Noise that leaves gaps in the emission, 0 none to 1 only wisps. Costs nothing."},
		{Kind: Emitter, Key: "breakup_size", Label: "Breakup size", Type: Number, Unit: Metre, Default: Num(0.12), Min: 1e-4, Max: 1e4, Keyable: true, Main: true, Topic: "breakup", Sim: true, Help: "Size of the gaps. Under two voxels they can't be seen."},
		{Kind: Emitter, Key: "breakup_rate", Label: "Breakup speed", Type: Number, Unit: PerSecond, Default: Num(1), Min: 0, Max: 1000, Step: 0.1, Topic: "breakup", Sim: true, Help: "How many times a second the pattern has changed altogether."},
		{Kind: Emitter, Key: "begin", Label: "From frame", Type: Integer, Unit: Frames, Default: Num(-100000), Min: -100000, Max: 1000000, Step: 1, Topic: "time", Sim: true, Help: "First frame on which it emits; −100000 means always."},
		{Kind: Emitter, Key: "end", Label: "To frame", Type: Integer, Unit: Frames, Default: Num(1000000), Min: -100000, Max: 1000000, Step: 1, Topic: "time", Sim: true, Help: "Last frame on which it emits; 1000000 means always."},
	}...)
	e = append(e, placed(Collider, "box", Vec(0.4, 0.4, 0.4))...)
	e = append(e, []Entry{
		{Kind: Collider, Key: "friction", Label: "Friction", Type: Number, Default: Num(0), Min: 0, Max: 1, Step: 0.05, Keyable: true, Main: true, Topic: "surface", Sim: true, Help: "0 lets gas slide along the surface, 1 holds it there."},
		{Kind: Collider, Key: "colour", Label: "Colour", Type: Colour, Default: Vec(0.18, 0.18, 0.18), Min: 0, Max: 1, Topic: "surface", Help: "In the picture."},
		{Kind: Collider, Key: "rendered", Label: "In the picture", Type: Flag, Default: On(true), Topic: "surface", Help: "Off: it stops gas and can't be seen."},

		{Kind: Wind, Key: "velocity", Label: "Wind", Type: Vector, Unit: Speed, Default: Vec(1, 0, 0), Min: -500, Max: 500, Step: 0.1, Keyable: true, Main: true, Topic: "motion", Sim: true, Help: "Speed and direction that the air is drawn towards."},
		{Kind: Wind, Key: "grip", Label: "Grip", Type: Number, Unit: PerSecond, Default: Num(0.5), Min: 0, Max: 1000, Step: 0.1, Keyable: true, Main: true, Topic: "motion", Sim: true, Help: "How quickly the air takes up the wind: at 1, two thirds within a second."},
		{Kind: Wind, Key: "gust", Label: "Gusts", Type: Number, Default: Num(0), Min: 0, Max: 5, Step: 0.05, Keyable: true, Main: true, Topic: "gusts", Sim: true, Help: "How much the wind swells and drops, as a share of its speed."},
		{Kind: Wind, Key: "gust_time", Label: "Gust length", Type: Number, Unit: Second, Default: Num(2), Min: 0.01, Max: 10000, Step: 0.1, Main: true, Topic: "gusts", Sim: true, Help: "Seconds from one gust to the next."},
		{Kind: Wind, Key: "position", Label: "Shown at", Type: Vector, Unit: Metre, Default: Vec(-1, 1, 0), Min: -1e5, Max: 1e5, Topic: "place", Help: "Where its arrow is drawn; the wind blows everywhere."},

		{Kind: Turbulence, Key: "strength", Label: "Strength", Type: Number, Unit: Accel, Default: Num(1), Min: 0, Max: 10000, Step: 0.1, Keyable: true, Main: true, Topic: "motion", Sim: true, Help: "How hard the noise pushes."},
		{Kind: Turbulence, Key: "size", Label: "Largest eddies", Type: Number, Unit: Metre, Default: Num(0.4), Min: 1e-3, Max: 1e5, Keyable: true, Main: true, Topic: "motion", Sim: true, Help: "Size of the largest whirls. Under four voxels they are lost."},
		{Kind: Turbulence, Key: "octaves", Label: "Sizes", Type: Integer, Default: Num(2), Min: 1, Max: 6, Step: 1, Main: true, Topic: "motion", Sim: true, Help: "How many sizes, each half of the one before. Each takes time."},
		{Kind: Turbulence, Key: "rate", Label: "Change", Type: Number, Unit: PerSecond, Default: Num(0.5), Min: 0, Max: 1000, Step: 0.1, Main: true, Topic: "motion", Sim: true, Help: "How many times a second the pattern has changed altogether."},
		{Kind: Turbulence, Key: "position", Label: "Shown at", Type: Vector, Unit: Metre, Default: Vec(1, 1, 0), Min: -1e5, Max: 1e5, Topic: "place", Help: "Where its mark is drawn; it pushes everywhere."},

		{Kind: Camera, Key: "position", Label: "Position", Type: Vector, Unit: Metre, Default: Vec(3, 1.6, 4), Min: -1e5, Max: 1e5, Keyable: true, Main: true, Topic: "place", Help: "Where the lens is."},
		{Kind: Camera, Key: "target", Label: "Looks at", Type: Vector, Unit: Metre, Default: Vec(0, 1, 0), Min: -1e5, Max: 1e5, Keyable: true, Main: true, Topic: "place", Help: "The point in the middle of the picture."},
		{Kind: Camera, Key: "lens", Label: "Focal length", Type: Number, Unit: Millimetre, Default: Num(35), Min: 4, Max: 2000, Step: 1, Keyable: true, Main: true, Topic: "lens", Help: "On a picture 36 mm wide. Longer brings things nearer."},

		{Kind: Look, Key: "extinction", Label: "Thickness of smoke", Type: Number, Unit: PerMetre, Default: Num(12), Min: 0, Max: 1e6, Step: 0.5, Main: true, Topic: "smoke", Help: "How much light smoke of density 1 takes away in a metre. Doubling it makes smoke look twice as dense."},
		{Kind: Look, Key: "colour", Label: "Smoke colour", Type: Colour, Default: Vec(0.9, 0.9, 0.9), Min: 0, Max: 1, Main: true, Topic: "smoke", Help: "Share of the light that smoke scatters on, by colour: bright for steam, dark for soot."},
		{Kind: Look, Key: "absorption", Label: "Absorption colour", Type: Colour, Default: Vec(1, 1, 1), Min: 0, Max: 1, Topic: "smoke", Help: "What light takes on behind and within smoke: a colour goes through more easily the higher it is."},
		{Kind: Look, Key: "phase", Label: "Forward scattering", Type: Number, Default: Num(0.3), Min: -0.95, Max: 0.95, Step: 0.05, Main: true, Topic: "smoke", Help: "Above 0 smoke glows towards a light behind it (Henyey–Greenstein g)."},
		{Kind: Look, Key: "bounces", Label: "Bounces", Type: Integer, Default: Num(4), Min: 1, Max: 64, Step: 1, Topic: "quality", Help: "How often light is scattered within the smoke; the march guesses up to 4. Steam needs 8 and more to look bright inside; each takes time."},
		{Kind: Look, Key: "sun_strength", Label: "Sun", Type: Number, Default: Num(3), Min: 0, Max: 1000, Step: 0.1, Main: true, Topic: "light", Help: "Light of the sun on a surface that faces it."},
		{Kind: Look, Key: "sun_colour", Label: "Sun colour", Type: Colour, Default: Vec(1, 0.93, 0.82), Min: 0, Max: 1, Topic: "light", Help: "Colour of the sun."},
		{Kind: Look, Key: "sun_height", Label: "Sun height", Type: Number, Unit: Degree, Default: Num(38), Min: -10, Max: 90, Step: 1, Main: true, Topic: "light", Help: "Angle over the horizon."},
		{Kind: Look, Key: "sun_bearing", Label: "Sun bearing", Type: Number, Unit: Degree, Default: Num(130), Min: -360, Max: 360, Step: 5, Main: true, Topic: "light", Help: "Where the sun stands, turned about the vertical from −z."},
		{Kind: Look, Key: "sky_strength", Label: "Sky", Type: Number, Default: Num(0.7), Min: 0, Max: 1000, Step: 0.1, Main: true, Topic: "light", Help: "Light of the sky from all round."},
		{Kind: Look, Key: "sky_colour", Label: "Sky colour", Type: Colour, Default: Vec(0.55, 0.68, 0.9), Min: 0, Max: 1, Topic: "light", Help: "Colour of the sky overhead; it pales to the horizon."},
		{Kind: Look, Key: "ground", Label: "Ground", Type: Flag, Default: On(true), Main: true, Topic: "ground", Help: "A floor at height 0 that takes shadows."},
		{Kind: Look, Key: "ground_colour", Label: "Ground colour", Type: Colour, Default: Vec(0.2, 0.19, 0.18), Min: 0, Max: 1, Topic: "ground", Help: "Share of the light that the floor throws back."},
		{Kind: Look, Key: "background", Label: "Background", Type: Choice, Default: Text("sky"), Choices: opts("sky", "the sky", "grey", "neutral grey", "none", "none (alpha)"), Topic: "ground", Help: "What stands behind. None gives a picture with alpha."},
		{Kind: Look, Key: "exposure", Label: "Exposure", Type: Number, Unit: Stops, Default: Num(0), Min: -20, Max: 20, Step: 0.25, Main: true, Topic: "film", Help: "Brightness of the picture in stops."},
		{Kind: Look, Key: "width", Label: "Width", Type: Integer, Default: Num(960), Min: 16, Max: 8192, Step: 16, Topic: "film", Help: "Pixels across in a rendered range."},
		{Kind: Look, Key: "height", Label: "Height", Type: Integer, Default: Num(540), Min: 16, Max: 8192, Step: 16, Topic: "film", Help: "Pixels down."},
		{Kind: Look, Key: "method", Label: "Method", Type: Choice, Default: Text("march"), Choices: opts("march", "quick march", "path", "unbiased paths"), Main: true, Topic: "quality", Help: "The march is quick and guesses light that was scattered more than once; paths are right, and noisy until many samples are taken."},
		{Kind: Look, Key: "samples", Label: "Samples", Type: Integer, Default: Num(16), Min: 1, Max: 65536, Step: 1, Main: true, Topic: "quality", Help: "Light paths a pixel. Four times as many halve the noise and take four times as long."},
		{Kind: Look, Key: "step", Label: "March step", Type: Number, Default: Num(1), Min: 0.1, Max: 8, Step: 0.1, Topic: "quality", When: "method=march", Help: "Voxels between two looks into the smoke. Over 1 thin smoke breaks into slices."},

		{Kind: Handover, Key: "density", Label: "Density", Type: Flag, Default: On(true), Main: true, Topic: "channels", Help: "Smoke density, a plain number."},
		{Kind: Handover, Key: "temperature", Label: "Temperature", Type: Flag, Default: On(true), Main: true, Topic: "channels", Help: "In kelvin."},
		{Kind: Handover, Key: "velocity", Label: "Velocity", Type: Flag, Default: On(true), Main: true, Topic: "channels", Help: "In metres a second, for motion blur."},
		{Kind: Handover, Key: "kelvin", Label: "Temperature as", Type: Choice, Default: Text("excess"), Choices: opts("excess", "kelvin above the air", "absolute", "kelvin", "unit", "0 to 1 of the highest"), Topic: "channels", Help: "Absolute gives every empty voxel the air's temperature as background."},
		{Kind: Handover, Key: "precision", Label: "Precision", Type: Choice, Default: Text("half"), Choices: opts("half", "half (16 bit)", "float", "float (32 bit)"), Main: true, Topic: "file", Help: "Half is enough for pictures; float for further computation."},
		{Kind: Handover, Key: "compression", Label: "Compression", Type: Choice, Default: Text("blosc"), Choices: opts("none", "none", "zip", "zip", "blosc", "Blosc"), Topic: "file", Help: "Blosc is quick; zip is smaller and read everywhere; none is largest."},
		{Kind: Handover, Key: "axes", Label: "Axes", Type: Choice, Default: Text("y-up"), Choices: opts("y-up", "y up, right-handed", "z-up", "z up, right-handed"), Main: true, Topic: "space", Help: "Which way is up where the files go."},
		{Kind: Handover, Key: "scale", Label: "Units a metre", Type: Number, Default: Num(1), Min: 1e-6, Max: 1e6, Main: true, Topic: "space", Help: "1 for metres, 100 for centimetres, 1000 for millimetres. Velocity is scaled along."},
		{Kind: Handover, Key: "start", Label: "First number", Type: Integer, Default: Num(1), Min: -100000, Max: 1000000, Step: 1, Main: true, Topic: "frames", Help: "Number of the first file."},
		{Kind: Handover, Key: "step", Label: "Every nth frame", Type: Integer, Default: Num(1), Min: 1, Max: 1000, Step: 1, Topic: "frames", Help: "2 hands over every other frame."},
		{Kind: Handover, Key: "digits", Label: "Digits", Type: Integer, Default: Num(4), Min: 1, Max: 8, Step: 1, Main: true, Topic: "frames", Help: "Least digits of the frame number in file names."},
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
