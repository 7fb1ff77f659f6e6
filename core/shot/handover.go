package shot

import (
	"zarf/core/format"
	_ "zarf/core/formats" // a shot file names the formats of its handover
	"zarf/core/shot/val"
)

// Conditions of a handover's values.
const (
	vols  = "what=volumes"
	book  = "what=flipbook"
	solid = "what=volumes|points|meshes|field"
)

// packed is what a channel of a flipbook's packed sheet can hold.
var packed = opts("none", "nothing", "alpha", "alpha", "light", "all light, as grey", "emission", "emission, as grey", "heat", "temperature", "depth", "depth, near is 1", "normal_x", "normal x", "normal_y", "normal y", "normal_z", "normal z")

// handovers declares what can be chosen for files that go out.
func handovers() KindDef {
	return KindDef{Kind: Handover, Values: []Entry{
		of(val.What, Entry{Kind: Handover, Label: "What", Type: Choice, Default: Text("volumes"), Choices: opts("volumes", "volumes", "points", "points", "meshes", "meshes and camera", "pictures", "pictures", "flipbook", "flipbook", "field", "vector field"), Main: true, Topic: "channels", Help: "What is handed over. Each kind keeps its own values below."}),
		of(val.Density, Entry{Kind: Handover, Label: "Density", Type: Flag, Default: On(true), Main: true, Topic: "channels", When: vols, Help: "Smoke density, a plain number."}),
		of(val.Surface, Entry{Kind: Handover, Label: "Surface", Type: Flag, Default: On(true), Topic: "channels", When: "in=liquid&" + vols, Help: "A liquid's signed distance to its surface, as a level set, negative inside."}),
		of(val.HandFoam, Entry{Kind: Handover, Label: "Foam", Type: Flag, Default: On(true), Topic: "channels", When: "in=liquid&" + vols, Help: "How thick a liquid's foam, spray and bubbles are, 0 to 1."}),
		of(val.HandWet, Entry{Kind: Handover, Label: "Wet solids", Type: Flag, Default: On(true), Topic: "channels", When: "in=liquid&" + vols, Help: "How wet solids are about their surfaces, 0 to 1, of domains that keep it."}),
		of(val.HandTemperature, Entry{Kind: Handover, Label: "Temperature", Type: Flag, Default: On(true), Main: true, Topic: "channels", When: vols, Help: "In kelvin."}),
		of(val.HandFuel, Entry{Kind: Handover, Label: "Fuel", Type: Flag, Default: On(false), Topic: "channels", When: "in=fire&" + vols, Help: "Unburnt fuel in kg/m³, of domains that burn."}),
		of(val.Burn, Entry{Kind: Handover, Label: "Burn", Type: Flag, Default: On(true), Topic: "channels", When: "in=fire&" + vols, Help: "Where flame is, 0 to 1, of domains that burn."}),
		of(val.HandVelocity, Entry{Kind: Handover, Label: "Velocity", Type: Flag, Default: On(true), Main: true, Topic: "channels", When: vols, Help: "In metres a second, for motion blur."}),
		of(val.Kelvin, Entry{Kind: Handover, Label: "Temperature as", Type: Choice, Default: Text("excess"), Choices: opts("excess", "kelvin above the air", "absolute", "kelvin", "unit", "0 to 1 of the highest"), Topic: "channels", When: vols + "&temperature=true", Help: "Absolute gives every empty voxel the air's temperature as background. 0 to 1 is of the highest over all frames, and the manifest tells it."}),
		of(val.MotionPer, Entry{Kind: Handover, Label: "Velocity in", Type: Choice, Default: Text("second"), Choices: opts("second", "units per second", "frame", "units per frame"), Topic: "channels", When: "what=volumes|points|meshes|field", Help: "Receivers that blur by frames want units per frame. Alembic always has units per second."}),
		of(val.MotionSplit, Entry{Kind: Handover, Label: "Velocity as", Type: Choice, Default: Text("vector"), Choices: opts("vector", "one vector channel", "split", "three channels x, y, z"), Topic: "channels", When: vols + "&velocity=true", Help: "For receivers that read plain numbers only."}),
		of(val.DensityAs, Entry{Kind: Handover, Label: "Density is called", Type: Word, Default: Text("density"), Topic: "names", When: vols + "&density=true", Help: "The channel's name in the files."}),
		of(val.SurfaceAs, Entry{Kind: Handover, Label: "Surface is called", Type: Word, Default: Text("surface"), Topic: "names", When: "in=liquid&" + vols + "&surface=true", Help: "The channel's name in the files."}),
		of(val.WetAs, Entry{Kind: Handover, Label: "Wet solids are called", Type: Word, Default: Text("wet"), Topic: "names", When: "in=liquid&" + vols + "&wet=true", Help: "The channel's name in the files."}),
		of(val.FoamAs, Entry{Kind: Handover, Label: "Foam is called", Type: Word, Default: Text("foam"), Topic: "names", When: "in=liquid&" + vols + "&foam=true", Help: "The channel's name in the files."}),
		of(val.TemperatureAs, Entry{Kind: Handover, Label: "Temperature is called", Type: Word, Default: Text("temperature"), Topic: "names", When: vols + "&temperature=true", Help: "The channel's name in the files."}),
		of(val.FuelAs, Entry{Kind: Handover, Label: "Fuel is called", Type: Word, Default: Text("fuel"), Topic: "names", When: "in=fire&" + vols + "&fuel=true", Help: "The channel's name in the files."}),
		of(val.BurnAs, Entry{Kind: Handover, Label: "Burn is called", Type: Word, Default: Text("burn"), Topic: "names", When: "in=fire&" + vols + "&burn=true", Help: "The channel's name in the files."}),
		of(val.VelocityAs, Entry{Kind: Handover, Label: "Velocity is called", Type: Word, Default: Text("velocity"), Topic: "names", When: "what=volumes|field", Help: "The channel's name in the files; split, _x, _y and _z follow it."}),
		of(val.FieldFile, Entry{Kind: Handover, Label: "As", Type: Choice, Default: Text("vdb"), Choices: opts("vdb", "OpenVDB vectors", "csv", "text (CSV)"), Main: true, Topic: "file", When: "what=field", Help: "Text has a line a voxel; its head tells sizes, axes and units."}),
		of(val.FieldStep, Entry{Kind: Handover, Label: "Voxels to one", Type: Integer, Default: Num(1), Min: 1, Max: 64, Step: 1, Fixed: fixedFiles, Main: true, Topic: "file", When: "what=field", Help: "Means over blocks of so many voxels a side: 4 makes the field 64 times smaller."}),
		of(val.PointFile, Entry{Kind: Handover, Label: "As", Type: Choice, Default: Text("abc"), Main: true, Topic: "file", When: "what=points", Help: "OBJ and glTF hold places alone; the others velocity too."}),
		of(val.PointVelocity, Entry{Kind: Handover, Label: "Velocity", Type: Flag, Default: On(true), Main: true, Topic: "channels", When: "what=points", Help: "Of every point."}),
		of(val.PointDepth, Entry{Kind: Handover, Label: "Depth", Type: Flag, Default: On(false), Topic: "channels", When: "in=liquid&what=points&point_file=@attributes", Help: "How far under the surface a point lies, in the files' units; negative above."}),
		of(val.PointSize, Entry{Kind: Handover, Label: "Size", Type: Flag, Default: On(true), Topic: "channels", When: "what=points&point_file=@attributes", Help: "Diameter: particles' own; of a liquid half a voxel, as eight points fill one, and a whole one where every eighth is kept."}),
		of(val.PointNumbers, Entry{Kind: Handover, Label: "Other numbers", Type: Flag, Default: On(true), Topic: "channels", When: "what=points&point_file=@attributes", Help: "Of particles that live on their own: age, life, density, temperature, state, what they hit, how they are turned. Their identity is always there."}),
		of(val.PointChosen, Entry{Kind: Handover, Label: "… these alone", Type: Listed, Topic: "channels", When: "in=particles&what=points&point_file=@attributes&point_numbers=true", Help: "Names of the numbers that are wanted, with commas between, such as age, temperature, charge. Empty: all that there are."}),
		of(val.PointColours, Entry{Kind: Handover, Label: "Colours of the look", Type: Flag, Default: On(false), Topic: "channels", When: "in=particles&what=points&point_file=@attributes|point_as=meshes", Help: "The colour that the first look gives each particle, ramp included, linear, and the ramp itself in the manifest."}),
		of(val.PointGroups, Entry{Kind: Handover, Label: "Groups", Type: Choice, Default: Text("one"), Choices: opts("one", "all points", "depth", "spray, surface, inside", "foam", "liquid, spray, foam, bubbles", "mesh", "by what they are drawn as", "state", "flying, resting", "particle", "one a particle"), Topic: "file", When: "what=points", Help: "Of a liquid by depth: more than a voxel above the surface, within one, or deeper; or by what each point is. Of particles by the mesh that each is drawn as, by whether they rest, or an object for each of them, 2,000 at most."}),
		of(val.PointAs, Entry{Kind: Handover, Label: "Particles are", Type: Choice, Default: Text("points"), Choices: opts("points", "points", "named", "points that name a mesh, and the meshes", "meshes", "meshes"), Main: true, Topic: "file", When: "in=particles&what=points", Help: "What particles are drawn as goes along: as a number of each point and how it is turned, with the meshes as files beside, for a receiver that instances; or as one mesh of all of them, which any receiver takes and which is larger."}),
		of(val.MeshFile, Entry{Kind: Handover, Label: "As", Type: Choice, Default: Text("abc"), Main: true, Topic: "file", When: "what=meshes", Help: "Velocity goes into Alembic only."}),
		of(val.MeshFluid, Entry{Kind: Handover, Label: "The fluid's surface, or cloth", Type: Flag, Default: On(true), Main: true, Topic: "channels", When: "what=meshes", Help: "Of a liquid its surface; of smoke the surface at a density; cloth as a mesh for each, with its stretch and how wet it is."}),
		of(val.MeshLevel, Entry{Kind: Handover, Label: "Smoke's surface at", Type: Number, Default: Num(0.1), Min: 1e-6, Max: 1000, Fixed: fixedFiles, Topic: "channels", When: "what=meshes&mesh_fluid=true", Help: "Density at which smoke is given a surface. Liquids have their own."}),
		of(val.MeshVelocity, Entry{Kind: Handover, Label: "Velocity", Type: Flag, Default: On(true), Topic: "channels", When: "what=meshes&mesh_fluid=true&mesh_file=@film", Help: "Of every vertex of the fluid's surface or of cloth, for blur."}),
		of(val.MeshSolids, Entry{Kind: Handover, Label: "Solids", Type: Flag, Default: On(true), Main: true, Topic: "channels", When: "what=meshes", Help: "Colliders and meshes that are in the picture, one object each."}),
		of(val.MeshCamera, Entry{Kind: Handover, Label: "Camera", Type: Flag, Default: On(true), Main: true, Topic: "channels", When: "what=meshes&mesh_file=@film", Help: "The shot's camera with lens, aperture and focus."}),
		of(val.MeshDetail, Entry{Kind: Handover, Label: "Detail", Type: Choice, Default: Text("final"), Choices: opts("final", "final", "half", "draft, every second cell", "quarter", "every fourth cell"), Topic: "file", When: "what=meshes&mesh_fluid=true", Help: "A draft has a quarter of the triangles, and thin sheets get holes."}),
		of(val.MeshSplit, Entry{Kind: Handover, Label: "Files", Type: Choice, Default: Text("one"), Choices: opts("one", "all objects in one", "each", "one an object"), Topic: "file", When: "what=points|meshes", Help: "Whether objects or groups share a file."}),
		of(val.Columns, Entry{Kind: Handover, Label: "Columns", Type: Integer, Default: Num(8), Min: 1, Max: 64, Step: 1, Fixed: fixedFiles, Main: true, Topic: "tiles", When: book, Help: "Tiles side by side."}),
		of(val.Rows, Entry{Kind: Handover, Label: "Rows", Type: Integer, Default: Num(8), Min: 1, Max: 64, Step: 1, Fixed: fixedFiles, Main: true, Topic: "tiles", When: book, Help: "Tiles one above the other. Columns by rows is how many frames are taken."}),
		of(val.TileWide, Entry{Kind: Handover, Label: "Tile width", Type: Integer, Default: Num(256), Min: 8, Max: 8192, Step: 8, Fixed: fixedFiles, Main: true, Topic: "tiles", When: book, Help: "Pixels of a tile from side to side."}),
		of(val.TileTall, Entry{Kind: Handover, Label: "Tile height", Type: Integer, Default: Num(256), Min: 8, Max: 8192, Step: 8, Fixed: fixedFiles, Main: true, Topic: "tiles", When: book, Help: "Pixels. Frames keep their shape: what a tile has more stays empty."}),
		of(val.Pick, Entry{Kind: Handover, Label: "Frames", Type: Choice, Default: Text("fit"), Choices: opts("fit", "spread from first light to last smoke", "range", "one after another"), Main: true, Topic: "tiles", When: book, Help: "Spread: as many as there are tiles, evenly over what can be seen. One after another: the first so many, every nth."}),
		of(val.Loop, Entry{Kind: Handover, Label: "Loop", Type: Choice, Default: Text("none"), Choices: opts("none", "plays once", "cut", "cut where frames match best", "blend", "goes over into its beginning"), Main: true, Topic: "tiles", When: book, Help: "The seam is measured against the mean change from frame to frame; under 1.5 times it is hard to see."}),
		of(val.LoopLeast, Entry{Kind: Handover, Label: "Loop at least", Type: Integer, Default: Num(12), Min: 2, Max: 10000, Step: 1, Fixed: fixedFiles, Topic: "tiles", When: book + "&loop=cut", Help: "Recorded frames that a loop has at least."}),
		of(val.LoopOver, Entry{Kind: Handover, Label: "Goes over in", Type: Integer, Default: Num(8), Min: 1, Max: 1000, Step: 1, Fixed: fixedFiles, Topic: "tiles", When: book + "&loop=blend", Help: "Tiles over which the end goes over into what came before the beginning."}),
		of(val.Vectors, Entry{Kind: Handover, Label: "Motion vectors", Type: Choice, Default: Text("flow"), Choices: opts("none", "none", "flow", "seen in the pictures", "projected", "from the fluid's velocity"), Main: true, Topic: "motion", When: book, Help: "Seen: optical flow from a tile to the next, which blends best. From the velocity: what the recording's motion layer tells."}),
		of(val.VectorsMasked, Entry{Kind: Handover, Label: "Masked", Type: Flag, Default: On(false), Topic: "motion", When: book + "&vectors=flow|projected", Help: "No motion where a tile is empty. Unmasked, motion goes on beyond the edge, and edges blend better."}),
		of(val.VectorsUp, Entry{Kind: Handover, Label: "Vertical is", Type: Choice, Default: Text("down"), Choices: opts("down", "positive downwards", "up", "positive upwards"), Topic: "motion", When: book + "&vectors=flow|projected", Help: "The sign that the receiver takes for upward motion."}),
		of(val.ShiftX, Entry{Kind: Handover, Label: "Shift right", Type: Number, Default: Num(0), Min: -2, Max: 2, Step: 0.01, Fixed: fixedFiles, Topic: "placing", When: book, Help: "Shares of a tile's width."}),
		of(val.ShiftY, Entry{Kind: Handover, Label: "Shift down", Type: Number, Default: Num(0), Min: -2, Max: 2, Step: 0.01, Fixed: fixedFiles, Topic: "placing", When: book, Help: "Shares of a tile's width."}),
		of(val.TileTurn, Entry{Kind: Handover, Label: "Turn", Type: Number, Unit: Degree, Default: Num(0), Min: -360, Max: 360, Step: 5, Fixed: fixedFiles, Topic: "placing", When: book, Help: "Clockwise."}),
		of(val.TileScale, Entry{Kind: Handover, Label: "Size in the tile", Type: Number, Default: Num(1), Min: 0.01, Max: 100, Step: 0.05, Fixed: fixedFiles, Topic: "placing", When: book, Help: "1: the frame just fits."}),
		of(val.Padding, Entry{Kind: Handover, Label: "Padding", Type: Integer, Default: Num(0), Min: 0, Max: 256, Step: 1, Fixed: fixedFiles, Topic: "placing", When: book, Help: "Pixels on every side of a tile that stay empty, so that neighbours don't bleed in when shrunk."}),
		of(val.SheetColour, Entry{Kind: Handover, Label: "Colour sheet", Type: Choice, Default: Text("all"), Choices: opts("all", "all light, with alpha", "lit", "without emission, with alpha", "none", "none"), Topic: "sheets", When: book, Help: "The main sheet."}),
		of(val.SheetEmission, Entry{Kind: Handover, Label: "Emission sheet", Type: Flag, Default: On(false), Topic: "sheets", When: book, Help: "What glows by itself, to be added."}),
		of(val.SheetNormals, Entry{Kind: Handover, Label: "Normals sheet", Type: Flag, Default: On(false), Topic: "sheets", When: book, Help: "x to the right, y up, z to the viewer, 0.5 being 0; alpha along."}),
		of(val.SheetSides, Entry{Kind: Handover, Label: "Six-way light", Type: Flag, Default: On(false), Topic: "sheets", When: book, Help: "Two sheets: light from right, above and behind with alpha, and from left, below and before with emission. The recording must have been made for tiles."}),
		of(val.SheetPacked, Entry{Kind: Handover, Label: "Packed sheet", Type: Flag, Default: On(false), Topic: "sheets", When: book, Help: "A sheet with what you choose in each channel."}),
		of(val.PackR, Entry{Kind: Handover, Label: "Red holds", Type: Choice, Default: Text("alpha"), Choices: packed, Topic: "sheets", When: book + "&sheet_packed=true", Help: "A plain number, never sRGB."}),
		of(val.PackG, Entry{Kind: Handover, Label: "Green holds", Type: Choice, Default: Text("emission"), Choices: packed, Topic: "sheets", When: book + "&sheet_packed=true", Help: "A plain number, never sRGB."}),
		of(val.PackB, Entry{Kind: Handover, Label: "Blue holds", Type: Choice, Default: Text("heat"), Choices: packed, Topic: "sheets", When: book + "&sheet_packed=true", Help: "A plain number, never sRGB."}),
		of(val.PackA, Entry{Kind: Handover, Label: "Alpha holds", Type: Choice, Default: Text("none"), Choices: packed, Topic: "sheets", When: book + "&sheet_packed=true", Help: "A plain number, never sRGB. Nothing means 1."}),
		of(val.Space, Entry{Kind: Handover, Label: "Colours are", Type: Choice, Default: Text("srgb"), Choices: opts("srgb", "sRGB", "film", "sRGB as the look shows them", "linear", "linear"), Main: true, Topic: "file", When: book + "&sheet_file=png8|png16", Help: "In eight bits linear light bands in the darks. What is brighter than 1 is cut off, and the manifest tells how much."}),
		of(val.AlphaAs, Entry{Kind: Handover, Label: "Alpha", Type: Choice, Default: Text("straight"), Choices: opts("straight", "straight", "over", "premultiplied"), Main: true, Topic: "file", When: book, Help: "Straight colours go on into what is empty, so that edges don't go dark."}),
		of(val.SheetFile, Entry{Kind: Handover, Label: "As", Type: Choice, Default: Text("png8"), Choices: opts("png8", "PNG, 8 bit", "png16", "PNG, 16 bit", "exr", "OpenEXR, half"), Main: true, Topic: "file", When: book, Help: "OpenEXR is linear and keeps what is brighter than 1."}),
		of(val.SheetOut, Entry{Kind: Handover, Label: "Tiles go", Type: Choice, Default: Text("atlas"), Choices: opts("atlas", "into one atlas", "sequence", "into a file each"), Topic: "file", When: book, Help: "One file each for receivers that build their own atlas."}),
		of(val.Precision, Entry{Kind: Handover, Label: "Precision", Type: Choice, Default: Text("half"), Choices: opts("half", "half (16 bit)", "float", "float (32 bit)", "steps", "255 steps, as half"), Main: true, Topic: "file", When: "what=volumes|field", Help: "Half is enough for pictures; float for further computation. 255 steps of the range over all frames pack far smaller; the manifest tells the largest error."}),
		of(val.Compression, Entry{Kind: Handover, Label: "Compression", Type: Choice, Default: Text("blosc"), Choices: opts("none", "none", "zip", "zip", "blosc", "Blosc"), Topic: "file", When: "what=volumes|field", Help: "Blosc is quick; zip is smaller and read everywhere; none is largest."}),
		of(val.Axes, Entry{Kind: Handover, Label: "Axes", Type: Choice, Default: Text("y-up"), Choices: axes, Main: true, Topic: "space", When: solid, Help: "Which way is up where the files go. Voxels, places and vectors are turned; transforms stay plain. glTF is y up, right-handed, and in metres by its standard."}),
		of(val.Scale, Entry{Kind: Handover, Label: "Units per metre", Type: Number, Default: Num(1), Min: 1e-6, Max: 1e6, Fixed: fixedFiles, Main: true, Topic: "space", When: solid, Help: "1 for metres, 100 for centimetres, 1000 for millimetres. Velocity is scaled along."}),
		of(val.Crop, Entry{Kind: Handover, Label: "Crop", Type: Choice, Default: Text("none"), Choices: opts("none", "all of the domain", "box", "to a box"), Topic: "space", When: "what=volumes|field", Help: "What is empty takes no room anyway."}),
		of(val.CropLow, Entry{Kind: Handover, Label: "From", Type: Vector, Unit: Metre, Default: Vec(-1, 0, -1), Min: -1e5, Max: 1e5, Fixed: fixedFiles, Topic: "space", When: "what=volumes|field&crop=box", Help: "Low corner, in the shot's own space."}),
		of(val.CropHigh, Entry{Kind: Handover, Label: "To", Type: Vector, Unit: Metre, Default: Vec(1, 2, 1), Min: -1e5, Max: 1e5, Fixed: fixedFiles, Topic: "space", When: "what=volumes|field&crop=box", Help: "High corner, in the shot's own space."}),
		of(val.Start, Entry{Kind: Handover, Label: "First number", Type: Integer, Default: Num(1), Min: -100000, Max: 1000000, Step: 1, Fixed: fixedFiles, Main: true, Topic: "frames", Help: "Number of the first file."}),
		of(val.Step, Entry{Kind: Handover, Label: "Every nth frame", Type: Integer, Default: Num(1), Min: 1, Max: 1000, Step: 1, Fixed: fixedFiles, Topic: "frames", Help: "2 hands over every other frame."}),
		of(val.Digits, Entry{Kind: Handover, Label: "Digits", Type: Integer, Default: Num(4), Min: 1, Max: 8, Step: 1, Fixed: fixedFiles, Main: true, Topic: "frames", Help: "Least digits of the frame number in file names."}),
	}}
}

// written puts a format that is registered among the files to choose from.
func written(f *format.Format) {
	o := Option{f.Key, f.Name + " sequence"}
	if f.Film {
		o.Label = f.Name + ", one file"
	}
	for _, e := range []struct {
		name val.TextKey
		can  bool
	}{{val.PointFile, f.WritePoints != nil}, {val.MeshFile, f.WriteMesh != nil}} {
		if d := Find(Handover, e.name.Name()); e.can || f.Film {
			d.Choices = append(d.Choices, o)
		}
	}
}

// formatCan answers a condition such as "point_file=@attributes".
func formatCan(key, what string) bool {
	f := format.Of(key)
	switch {
	case f == nil:
		return false
	case what == "film":
		return f.Film
	}
	return f.Attributes
}
