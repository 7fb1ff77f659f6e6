package handover

import (
	"zarf/core/shot"
	"zarf/core/shot/val"
)

// Preset is a set of values for one need.
type Preset struct {
	Key, Label, Help string
	Values           shot.Values
}

// Presets by what somebody needs. Each sets what is handed over, and of its
// values those that the need decides; names and numbers stay.
var Presets = []Preset{
	{"kelvin", "Volumes in kelvin", "Half, y up, metres; temperature in kelvin for black-body shading, velocity in metres a second for blur.",
		shot.With(val.What.Is("volumes"), val.Density.Is(true), val.HandTemperature.Is(true), val.HandVelocity.Is(true), val.Kelvin.Is("absolute"), val.Axes.Is("y-up"), val.Scale.Is(1), val.Precision.Is("half"), val.MotionPer.Is("second"), val.MotionSplit.Is("vector"))},
	{"unit", "Volumes, fire 0 to 1", "Temperature and flame from 0 to 1 for ramps.",
		shot.With(val.What.Is("volumes"), val.Density.Is(true), val.HandTemperature.Is(true), val.Burn.Is(true), val.Kelvin.Is("unit"), val.Axes.Is("y-up"), val.Scale.Is(1), val.Precision.Is("half"))},
	{"z-up", "Volumes, z up, metres", "Voxels and vectors turned to z up.",
		shot.With(val.What.Is("volumes"), val.Axes.Is("z-up"), val.Scale.Is(1), val.Precision.Is("half"), val.Kelvin.Is("absolute"))},
	{"cm", "Volumes, left-handed, centimetres", "Z up, left-handed, 100 units a metre, velocity a frame.",
		shot.With(val.What.Is("volumes"), val.Axes.Is("z-up-left"), val.Scale.Is(100), val.MotionPer.Is("frame"), val.Precision.Is("half"))},
	{"small", "Volumes, small", "Density and temperature in 255 steps, zipped.",
		shot.With(val.What.Is("volumes"), val.Density.Is(true), val.HandTemperature.Is(true), val.HandVelocity.Is(false), val.HandFuel.Is(false), val.Precision.Is("steps"), val.Compression.Is("zip"))},
	{"burst", "Flipbook, plays once", "8 by 8 tiles from first light to last smoke, with motion vectors.",
		shot.With(val.What.Is("flipbook"), val.Columns.Is(8), val.Rows.Is(8), val.Pick.Is("fit"), val.Loop.Is("none"), val.Vectors.Is("flow"), val.SheetFile.Is("png8"), val.Space.Is("srgb"), val.AlphaAs.Is("straight"))},
	{"loop", "Flipbook, loop", "6 by 6 tiles one after another that go over into their beginning.",
		shot.With(val.What.Is("flipbook"), val.Columns.Is(6), val.Rows.Is(6), val.Pick.Is("range"), val.Loop.Is("blend"), val.LoopOver.Is(8), val.Vectors.Is("flow"), val.SheetFile.Is("png8"), val.Space.Is("srgb"), val.AlphaAs.Is("straight"))},
	{"six", "Flipbook, six-way light", "Two sheets that are lit anew where they are used.",
		shot.With(val.What.Is("flipbook"), val.Columns.Is(8), val.Rows.Is(8), val.Pick.Is("fit"), val.SheetSides.Is(true), val.SheetColour.Is("none"), val.Vectors.Is("flow"), val.SheetFile.Is("png8"))},
	{"scene", "Meshes and camera, Alembic", "Surface with velocity, solids and camera in one file, metres, y up.",
		shot.With(val.What.Is("meshes"), val.MeshFile.Is("abc"), val.MeshFluid.Is(true), val.MeshSolids.Is(true), val.MeshCamera.Is(true), val.Axes.Is("y-up"), val.Scale.Is(1), val.MotionPer.Is("second"))},
}

// FindPreset finds one by its key.
func FindPreset(key string) (Preset, bool) {
	for _, p := range Presets {
		if p.Key == key {
			return p, true
		}
	}
	return Preset{}, false
}
