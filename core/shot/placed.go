package shot

// Values that several kinds share, as lists that their definitions take in: what has
// a form, and what acts within a region. A kind may change an entry of its copy
// before it registers it, as about does with a position that matters.

import (
	"strings"

	"zarf/core/shot/val"
)

// conditions that recur: see Holds for their language
const (
	inFile = "form=mesh"
	moves  = "&motion=plays|loops"
)

// Placed are the values of everything that has a shape.
// The values are Sim, as colliders and emitters shape the fluid. Of a mesh that only
// stands by no simulation reads any, so it doesn't come into a key all the same.
func Placed(form string, size Value) []Entry {
	return []Entry{
		of(val.Form, Entry{Label: "Shape", Type: Choice, Default: Text(form), Choices: opts("sphere", "Sphere", "box", "Box", "cylinder", "Cylinder", "tube", "Tube", "torus", "Torus", "plane", "Plane", "mesh", "From a file"), Main: true, Topic: "place", Sim: true,
			Help: "Form of the element. A tube is open at both ends."}),
		of(val.Position, Entry{Label: "Position", Type: Vector, Unit: Metre, Default: Vec(0, 0.5, 0), Min: -1e5, Max: 1e5, Keyable: true, Main: true, Topic: "place", Sim: true,
			Help: "Where its middle stands. With keys it moves, and what touches it is moved along."}),
		of(val.Turn, Entry{Label: "Turn", Type: Vector, Unit: Degree, Default: Vec(0, 0, 0), Min: -36000, Max: 36000, Step: 5, Keyable: true, Main: true, Topic: "place", Sim: true,
			Help: "Angles about x, then y, then z."}),
		of(val.Size, Entry{Label: "Size", Type: Vector, Unit: Metre, Default: size, Min: 1e-4, Max: 1e5, Keyable: true, Main: true, Topic: "place", Sim: true,
			Help: "Width, height and depth before turning. A torus is as thick as its height."}),
		of(val.Taper, Entry{Label: "Taper", Type: Number, Default: Num(1), Min: 0.01, Max: 100, Step: 0.05, Keyable: true, Topic: "place", Sim: true, When: "form=cylinder|tube",
			Help: "Diameter at the top over diameter at the bottom: under 1 it narrows, over 1 it opens like a horn."}),
		of(val.Wall, Entry{Label: "Wall", Type: Number, Unit: Metre, Default: Num(0.05), Min: 1e-4, Max: 1e4, Keyable: true, Topic: "place", Sim: true, When: "form=tube",
			Help: "Thickness of a tube's wall. However thin against a voxel, it holds."}),
		of(val.Mesh, Entry{Label: "File", Type: File, Main: true, Topic: "file", Sim: true, When: inFile,
			Help: "The imported file whose meshes are its form. Another one keeps its place, its keys and its scope."}),
		of(val.Share, Entry{Label: "Takes part", Type: Choice, Default: Text("whole"), Choices: opts("whole", "the whole mesh", "parts", "named parts", "joints", "what joints move", "colour", "where its colours are bright", "painted", "where it is painted"), Main: true, Topic: "file", Sim: true, When: inFile,
			Help: "Which part of the mesh counts. Painting works in the viewport."}),
		of(val.ShareNames, Entry{Label: "Names", Type: Names, Main: true, Topic: "file", Sim: true, When: inFile + "&share=parts|joints",
			Help: "The parts or joints that take part."}),
		of(val.SharePainted, Entry{Label: "Painted", Type: Weights, Main: true, Topic: "file", Sim: true, When: inFile + "&share=painted",
			Help: "Weight painted on the mesh, 0 to 1: how strongly each place takes part."}),
		of(val.Motion, Entry{Label: "Its animation", Type: Choice, Default: Text("plays"), Choices: opts("plays", "plays once", "loops", "plays again and again", "still", "stays in its first pose"), Topic: "file", Sim: true, When: inFile,
			Help: "What the file's own animation does. A mesh that bends is measured anew in every substep and takes longer."}),
		of(val.MotionKeeps, Entry{Label: "Animation keeps", Type: Choice, Default: Text("seconds"), Choices: opts("seconds", "its seconds", "frames", "its frames"), Topic: "file", Sim: true, When: inFile + moves,
			Help: "Where the file was made at another rate: seconds keep its speed, frames keep a pose for each frame."}),
		of(val.MotionRate, Entry{Label: "Animated at", Type: Number, Unit: FrameRate, Default: Num(24), Min: 1, Max: 240, Step: 1, Fixed: fixedFrames, Topic: "file", Sim: true, When: inFile + moves + "&motion_keeps=frames",
			Help: "Frames a second at which the file was made; guessed from its keys when it comes in."}),
		of(val.MotionStart, Entry{Label: "Animation from", Type: Integer, Unit: Frames, Default: Num(1), Min: -100000, Max: 1000000, Step: 1, Fixed: fixedFrames, Topic: "file", Sim: true, When: inFile + moves,
			Help: "Frame on which the animation begins."}),
		of(val.MotionHold, Entry{Label: "Holds first pose", Type: Integer, Unit: Frames, Default: Num(0), Min: 0, Max: 100000, Step: 1, Fixed: fixedFrames, Topic: "file", Sim: true, When: inFile + moves,
			Help: "Frames for which the first pose is held before it moves, so that fluid can settle round it."}),
	}
}

// Region are the values that limit a force to a place.
//
// What a sensor's form limits has the form's name, and fades out over its own distance.
func Region(at Value) []Entry {
	const limited = "region=box|sphere"
	return []Entry{
		of(val.Position, Entry{Label: "Position", Type: Vector, Unit: Metre, Default: at, Min: -1e5, Max: 1e5, Keyable: true, Topic: "place", Sim: true, Counts: limited, Help: "Middle of its region; where it acts everywhere, only where its mark is drawn."}),
		of(val.Region, Entry{Label: "Acts", Type: Choice, Default: Text("everywhere"), Choices: opts("everywhere", "everywhere", "box", "within a box", "sphere", "within a sphere"), Main: true, Topic: "place", Sim: true, Help: "Where it acts. A region costs a little time, and saves some outside."}),
		of(val.RegionSize, Entry{Label: "Region's size", Type: Vector, Unit: Metre, Default: Vec(1, 1, 1), Min: 1e-4, Max: 1e5, Keyable: true, Topic: "place", Sim: true, When: limited, Help: "Width, height and depth within which it acts fully."}),
		of(val.Mask, mask),
		of(val.MaskFade, maskFade),
		of(val.RegionFade, Entry{Label: "Fades out over", Type: Number, Unit: Metre, Default: Num(0.2), Min: 0, Max: 1e5, Keyable: true, Topic: "place", Sim: true, When: limited, Help: "Distance outside the region over which it fades to nothing. Under two voxels its border shows."}),
	}
}

// What limits where something acts to a sensor's form.
var (
	mask     = Entry{Label: "Only within", Type: Ref, Refs: []Kind{Sensor}, Topic: "place", Sim: true, Counts: "mask=+", Help: "A sensor whose form says where it acts or emits, place by place: move the form, and the place moves. Nothing: anywhere."}
	maskFade = Entry{Label: "… fading over", Type: Number, Unit: Metre, Default: Num(0.2), Min: 0, Max: 1e5, Keyable: true, Topic: "place", Sim: true, When: "mask=+", Help: "Distance outside that form over which it fades to nothing."}
)

// ParticleShape are what particles are drawn as: of pictures alone, no simulation reads them.
// when is the condition under which the kind has particles.
func ParticleShape(kind Kind, when string) []Entry {
	entry := func(n val.Name, e Entry) Entry {
		e.Kind, e.Topic, e.When = kind, "shape", strings.TrimPrefix(strings.TrimSuffix(when+"&"+e.When, "&"), "&")
		return of(n, e)
	}
	return []Entry{
		entry(val.ShownAs, Entry{Label: "Drawn as", Type: Choice, Default: Text("streaks"), Choices: opts("streaks", "dots, and streaks as they move", "trails", "trails behind them", "balls", "balls", "discs", "flat discs", "blocks", "blocks", "stones", "stones", "splinters", "splinters", "mesh", "a mesh of the cast", "surface", "one surface, as of a liquid"), Help: "In pictures and in the viewport. Their size there is their diameter, times what the look draws them larger by; what is smaller than a pixel is drawn as a dot whatever it is."}),
		entry(val.Trail, Entry{Label: "Trail", Type: Number, Unit: Second, Default: Num(0.05), Min: 0, Max: 100, Step: 0.01, Keyable: true, When: "shown_as=trails", Help: "How far back along its way a trail reaches, as long as the way of so many seconds. The exposure's own streak comes to it."}),
		entry(val.ShownMesh, Entry{Label: "Mesh", Type: Ref, Refs: []Kind{Mesh, Collider}, When: "shown_as=mesh", Help: "The element whose form they take; it need not be in the picture itself. Of a file with several parts each particle takes one, always the same. A part's longest side is the diameter."}),
		entry(val.Stretch, Entry{Label: "Proportions", Type: Vector, Default: Vec(1, 1, 1), Min: 0.01, Max: 100, Step: 0.1, When: "shown_as=balls|discs|blocks|stones|splinters|mesh", Fixed: "A thing keeps its proportions.", Help: "How much longer they are along their own x, y and z; y is the way where they are turned by it."}),
		entry(val.TurnedBy, Entry{Label: "Turned by", Type: Choice, Default: Text("spin"), Choices: opts("spin", "their spin, from any way", "upright", "their spin, from upright", "way", "their way"), When: "shown_as=balls|discs|blocks|stones|splinters|mesh", Help: "By the spin that their emitter gives them, or with their y axis along their way, as arrows and raindrops are."}),
	}
}
