package handover

import "zarf/core/shot"

// Preset is a set of values for one need.
type Preset struct {
	Key, Label, Help string
	Values           shot.Values
}

// Presets by what somebody needs. Each sets what is handed over, and of its
// values those that the need decides; names and numbers stay.
var Presets = []Preset{
	{"kelvin", "Volumes in kelvin", "Half, y up, metres; temperature in kelvin for black-body shading, velocity in metres a second for blur.",
		shot.Values{"what": shot.Text("volumes"), "density": shot.On(true), "temperature": shot.On(true), "velocity": shot.On(true), "kelvin": shot.Text("absolute"), "axes": shot.Text("y-up"), "scale": shot.Num(1), "precision": shot.Text("half"), "motion_per": shot.Text("second"), "motion_split": shot.Text("vector")}},
	{"unit", "Volumes, fire 0 to 1", "Temperature and flame from 0 to 1 for ramps.",
		shot.Values{"what": shot.Text("volumes"), "density": shot.On(true), "temperature": shot.On(true), "burn": shot.On(true), "kelvin": shot.Text("unit"), "axes": shot.Text("y-up"), "scale": shot.Num(1), "precision": shot.Text("half")}},
	{"z-up", "Volumes, z up, metres", "Voxels and vectors turned to z up.",
		shot.Values{"what": shot.Text("volumes"), "axes": shot.Text("z-up"), "scale": shot.Num(1), "precision": shot.Text("half"), "kelvin": shot.Text("absolute")}},
	{"cm", "Volumes, left-handed, centimetres", "Z up, left-handed, 100 units a metre, velocity a frame.",
		shot.Values{"what": shot.Text("volumes"), "axes": shot.Text("z-up-left"), "scale": shot.Num(100), "motion_per": shot.Text("frame"), "precision": shot.Text("half")}},
	{"small", "Volumes, small", "Density and temperature in 255 steps, zipped.",
		shot.Values{"what": shot.Text("volumes"), "density": shot.On(true), "temperature": shot.On(true), "velocity": shot.On(false), "fuel": shot.On(false), "precision": shot.Text("steps"), "compression": shot.Text("zip")}},
	{"burst", "Flipbook, plays once", "8 by 8 tiles from first light to last smoke, with motion vectors.",
		shot.Values{"what": shot.Text("flipbook"), "columns": shot.Num(8), "rows": shot.Num(8), "pick": shot.Text("fit"), "loop": shot.Text("none"), "vectors": shot.Text("flow"), "sheet_file": shot.Text("png8"), "space": shot.Text("srgb"), "alpha_as": shot.Text("straight")}},
	{"loop", "Flipbook, loop", "6 by 6 tiles one after another that go over into their beginning.",
		shot.Values{"what": shot.Text("flipbook"), "columns": shot.Num(6), "rows": shot.Num(6), "pick": shot.Text("range"), "loop": shot.Text("blend"), "loop_over": shot.Num(8), "vectors": shot.Text("flow"), "sheet_file": shot.Text("png8"), "space": shot.Text("srgb"), "alpha_as": shot.Text("straight")}},
	{"six", "Flipbook, six-way light", "Two sheets that are lit anew where they are used.",
		shot.Values{"what": shot.Text("flipbook"), "columns": shot.Num(8), "rows": shot.Num(8), "pick": shot.Text("fit"), "sheet_sides": shot.On(true), "sheet_colour": shot.Text("none"), "vectors": shot.Text("flow"), "sheet_file": shot.Text("png8")}},
	{"scene", "Meshes and camera, Alembic", "Surface with velocity, solids and camera in one file, metres, y up.",
		shot.Values{"what": shot.Text("meshes"), "mesh_file": shot.Text("abc"), "mesh_fluid": shot.On(true), "mesh_solids": shot.On(true), "mesh_camera": shot.On(true), "axes": shot.Text("y-up"), "scale": shot.Num(1), "motion_per": shot.Text("second")}},
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
