package demo

import (
	"math"

	"zarf/core/shot"
)

// BellFlood is BL040: a valve gives way and water floods a diving bell with
// walls of glass.
func BellFlood() *shot.Shot {
	s := shot.New("BL040")
	s.Title = "Bell flood"
	s.Note = "Down in the bell a valve gives way. Water shoots across, strikes the far glass and fills the bell to the bench."
	put(shot.Setting, s.Self.Values, "last", 96)
	put(shot.Setting, s.Self.Values, "air_temperature", 281)
	add(s, shot.Domain, "Bell water", "fluid", "liquid", "position", xyz{0, 1, 0}, "size", xyz{2.16, 2.0, 2.16}, "voxel", 0.04, "foam", 14.0, "foam_lasts", 0.8, "max_substeps", 12,
		"side_x0", "wall", "side_x1", "wall", "side_z0", "wall", "side_z1", "wall", "side_y1", "wall")
	valve := add(s, shot.Emitter, "Valve", "form", "cylinder", "position", xyz{-0.78, 1.34, 0.1}, "turn", xyz{0, 0, -98}, "size", xyz{0.36, 0.2, 0.36},
		"speed", 4.2, "along", "axis")
	keys(valve, "speed", 1, 0, 6, 0, 9, 4.2, 70, 4.2, 96, 3)
	iron := xyz{0.11, 0.12, 0.125}
	add(s, shot.Collider, "Glass", "form", "tube", "position", xyz{0, 0.98, 0}, "size", xyz{2.08, 1.86, 2.08}, "wall", 0.12, "material", "glass", "colour", xyz{0.5, 0.6, 0.6})
	add(s, shot.Collider, "Floor", "form", "cylinder", "position", xyz{0, 0.06, 0}, "size", xyz{2.12, 0.12, 2.12}, "colour", xyz{0.2, 0.13, 0.08})
	add(s, shot.Collider, "Bench", "form", "box", "position", xyz{0.3, 0.5, -0.35}, "size", xyz{0.9, 0.1, 0.42}, "colour", xyz{0.3, 0.17, 0.08})
	add(s, shot.Collider, "Bench leg", "form", "box", "position", xyz{0.58, 0.28, -0.35}, "size", xyz{0.14, 0.36, 0.36}, "colour", xyz{0.26, 0.15, 0.07})
	add(s, shot.Collider, "Other leg", "form", "box", "position", xyz{0.02, 0.28, -0.35}, "size", xyz{0.14, 0.36, 0.36}, "colour", xyz{0.26, 0.15, 0.07})
	add(s, shot.Mesh, "Crown", "form", "cylinder", "position", xyz{0, 2.08, 0}, "size", xyz{2.3, 0.3, 2.3}, "taper", 0.55, "colour", iron)
	add(s, shot.Mesh, "Foot ring", "form", "torus", "position", xyz{0, 0.06, 0}, "size", xyz{2.36, 0.14, 2.36}, "colour", iron)
	add(s, shot.Mesh, "Neck ring", "form", "torus", "position", xyz{0, 1.92, 0}, "size", xyz{2.3, 0.1, 2.3}, "colour", iron)
	add(s, shot.Mesh, "Pipe", "form", "cylinder", "position", xyz{-1.3, 1.41, 0.1}, "turn", xyz{0, 0, -98}, "size", xyz{0.42, 0.62, 0.42}, "colour", iron)
	set(s.Element("camera"), "position", xyz{1.5, 1.7, 5.6}, "target", xyz{0, 1.02, 0}, "lens", 42.0)
	l := s.Looks[0]
	l.Name = "Work light"
	for k, v := range map[string]any{"sun_bearing": 320.0, "sun_height": 42.0, "sun_strength": 2.4, "sky_strength": 0.75, "sky_colour": xyz{0.6, 0.74, 0.86}, "ground_colour": xyz{0.16, 0.16, 0.15}, "liquid_colour": xyz{0.35, 0.72, 0.72}, "liquid_depth": 1.2, "extinction": 3.0, "colour": xyz{0.97, 0.97, 0.98}, "bounces": 6, "exposure": 0.2} {
		put(shot.Look, l.Values, k, v)
	}
	final(s)
	return s
}

// OilSpill is BL050: lamp oil runs down a spiral stair and burns.
func OilSpill() *shot.Shot {
	s := shot.New("BL050")
	s.Title = "Lamp-oil spill"
	s.Note = "The cask on the landing is stove in. Oil runs from step to step round the newel, and the flame runs after it."
	put(shot.Setting, s.Self.Values, "last", 96)
	put(shot.Setting, s.Self.Values, "air_temperature", 288)
	oil := add(s, shot.Domain, "Oil", "fluid", "liquid", "position", xyz{0, 1.0, 0}, "size", xyz{2.4, 2.0, 2.4}, "voxel", 0.035, "viscosity", 0.02, "weight", 850.0, "carried", "apic",
		"max_substeps", 10)
	air := add(s, shot.Domain, "Stair air", "position", xyz{0, 1.55, 0}, "size", xyz{3.0, 3.1, 3.0}, "voxel", 0.05, "bounds", "follow", "follow_margin", 0.4,
		"burning", "fuel", "ignition", 450.0, "heat_released", 30.0, "burn_rate", 5.0, "soot", 4.0, "spread", 0.8, "cooling", 0.6, "vorticity", 0.3)
	cask := add(s, shot.Emitter, "Cask", "form", "cylinder", "position", xyz{0.1, 1.78, -0.72}, "turn", xyz{90, 0, 0}, "size", xyz{0.24, 0.2, 0.24}, "speed", 1.1, "along", "axis", "push", xyz{-0.5, -0.6, 0})
	cask.ActsOn = []string{oil.ID}
	keys(cask, "speed", 1, 1.1, 50, 1.1, 60, 0.3)
	flame := add(s, shot.Emitter, "Burning oil", "from", "fluid", "fed_by", oil.ID, "fed_where", "surface", "fuel", 0.045, "smoke", 0.0, "temperature", 850.0, "inherit", 0.6,
		"breakup", 0.7, "breakup_size", 0.3, "breakup_rate", 2.0, "begin", 12)
	flame.ActsOn = []string{air.ID}
	stone := xyz{0.3, 0.28, 0.25}
	add(s, shot.Collider, "Newel", "form", "cylinder", "position", xyz{0, 1.5, 0}, "size", xyz{0.4, 3, 0.4}, "colour", stone)
	steps := 9
	for n := range steps {
		turn := 90 + 34*float64(n)
		a := turn * math.Pi / 180
		y := 1.5 - 0.17*float64(n)
		add(s, shot.Collider, "Step", "form", "box", "position", xyz{0.68 * math.Cos(a), y - 0.5*y, -0.68 * math.Sin(a)}, "size", xyz{1.0, y, 0.62}, "turn", xyz{0, turn, 0}, "colour", stone)
	}
	set(s.Element("camera"), "position", xyz{2.3, 3.9, 3.5}, "target", xyz{0.05, 0.85, 0.1}, "lens", 38.0)
	l := s.Looks[0]
	l.Name = "Stairwell"
	for k, v := range map[string]any{"sun_strength": 0.5, "sun_height": 55.0, "sun_bearing": 150.0, "sky_strength": 0.16, "ground_colour": xyz{0.14, 0.13, 0.12}, "liquid_colour": xyz{0.75, 0.5, 0.12}, "liquid_depth": 0.08, "liquid_index": 1.47, "exposure": 0.2, "flame": 0.12, "flame_light": 0.8, "flame_thickness": 5.0} {
		put(shot.Look, l.Values, k, v)
	}
	final(s)
	return s
}
