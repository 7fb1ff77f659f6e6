package recipe

import "zarf/core/shot"

// places are keys of a position.
func places(pairs ...any) (list []shot.Key) {
	for i := 0; i+1 < len(pairs); i += 2 {
		list = append(list, shot.Key{Frame: pairs[i].(float64), Value: shot.Value{Vec: pairs[i+1].(xyz)}})
	}
	return list
}

// pool is a domain whose sides hold liquid, open above.
func pool(pairs ...any) shot.Values {
	v := values("fluid", "liquid", "side_x0", "wall", "side_x1", "wall", "side_z0", "wall", "side_z1", "wall")
	for k, x := range values(pairs...) {
		v[k] = x
	}
	return v
}

// liquids are the recipes of liquids.
var liquids = []Recipe{
	{
		Key: "pour", Name: "Pour", Size: 0.3,
		About: "A stream falls into a glass bowl. Speed and width of the spout decide how much comes; the checks tell on which frame the bowl is full.",
		Parts: []Part{
			{Kind: shot.Domain, Name: "Water", Values: values("fluid", "liquid", "position", xyz{0, 1, 0}, "size", xyz{1.9, 2.0, 1.9}, "voxel", 0.045)},
			{Kind: shot.Emitter, Name: "Spout", Values: values("form", "cylinder", "position", xyz{0.12, 1.8, 0}, "size", xyz{0.22, 0.2, 0.22}, "speed", -1.2, "along", "axis", "push", xyz{-0.35, 0, 0})},
			{Kind: shot.Collider, Name: "Bowl", Values: values("form", "tube", "position", xyz{0, 0.42, 0}, "size", xyz{1.4, 0.84, 1.4}, "wall", 0.13, "material", "glass")},
			{Kind: shot.Collider, Name: "Base", Values: values("form", "cylinder", "position", xyz{0, 0.06, 0}, "size", xyz{1.5, 0.13, 1.5}, "colour", xyz{0.4, 0.38, 0.35})},
		},
		Look: values("liquid_colour", xyz{0.6, 0.85, 0.9}, "liquid_depth", 1.0, "sun_height", 48.0, "sun_bearing", 60.0),
	},
	{
		Key: "splash", Name: "Splash", Size: 1.0,
		About: "Something drops into still water and throws up a crown. The body's size and speed decide how high; finer voxels break the crown into drops.",
		Parts: []Part{
			{Kind: shot.Domain, Name: "Pool", Values: pool("position", xyz{0, 1, 0}, "size", xyz{3.2, 2.0, 3.2}, "voxel", 0.06, "calming", 0.02, "foam", 40.0, "max_substeps", 24)},
			{Kind: shot.Emitter, Name: "Still water", Values: values("form", "box", "position", xyz{0, 0.3, 0}, "size", xyz{6, 0.6, 6}, "pours", "once")},
			{Kind: shot.Collider, Name: "Buoy", Values: values("form", "sphere", "position", xyz{0, 1.6, 0}, "size", xyz{0.6, 0.6, 0.6}, "colour", xyz{0.6, 0.16, 0.06}),
				Keys: keyed{"position": places(0.0, xyz{0, 1.6, 0}, 4.0, xyz{0, 1.4, 0}, 10.0, xyz{0, 0.3, 0}, 14.0, xyz{0, 0.22, 0})}},
		},
		Look: values("liquid_colour", xyz{0.35, 0.7, 0.75}, "liquid_depth", 1.0, "sun_height", 30.0),
	},
	{
		Key: "fountain", Name: "Fountain", Size: 1.0,
		About: "A jet rises from a basin and falls back. Its height is the square of its speed over twice gravity: 5 m/s reach 1.3 m.",
		Parts: []Part{
			{Kind: shot.Domain, Name: "Basin", Values: pool("position", xyz{0, 1.15, 0}, "size", xyz{2.6, 2.3, 2.6}, "voxel", 0.055, "calming", 0.02, "foam", 30.0, "max_substeps", 20)},
			{Kind: shot.Emitter, Name: "Basin water", Values: values("form", "box", "position", xyz{0, 0.12, 0}, "size", xyz{6, 0.24, 6}, "pours", "once")},
			{Kind: shot.Emitter, Name: "Jet", Values: values("form", "cylinder", "position", xyz{0, 0.2, 0}, "size", xyz{0.2, 0.2, 0.2}, "speed", 5.4, "along", "axis")},
		},
		Look: values("liquid_colour", xyz{0.5, 0.8, 0.85}, "liquid_depth", 1.5, "sun_height", 25.0, "sun_bearing", 150.0),
	},
	{
		Key: "flood", Name: "Flood", Size: 4.0,
		About: "A wall of water is let go and runs down a passage round what stands in it. Height decides the speed: the front runs at about the root of four times gravity times height.",
		Parts: []Part{
			{Kind: shot.Domain, Name: "Passage", Values: pool("position", xyz{0.9, 0.6, 0}, "size", xyz{4.4, 1.2, 1.6}, "voxel", 0.05, "calming", 0.02, "foam", 60.0, "max_substeps", 12)},
			{Kind: shot.Emitter, Name: "Held water", Values: values("form", "box", "position", xyz{-1, 0.45, 0}, "size", xyz{0.9, 0.9, 3}, "pours", "once")},
			{Kind: shot.Collider, Name: "Post", Values: values("form", "box", "position", xyz{0.6, 0.5, 0.15}, "size", xyz{0.24, 1.2, 0.24}, "turn", xyz{0, 30, 0}, "colour", xyz{0.35, 0.3, 0.26})},
			{Kind: shot.Collider, Name: "Crate", Values: values("form", "box", "position", xyz{1.5, 0.16, -0.35}, "size", xyz{0.34, 0.34, 0.34}, "turn", xyz{0, 15, 0}, "colour", xyz{0.4, 0.25, 0.12})},
		},
		Look: values("liquid_colour", xyz{0.3, 0.5, 0.45}, "liquid_depth", 3.0, "sun_height", 35.0),
	},
	{
		Key: "honey", Name: "Honey", Size: 0.08,
		About: "A thick thread that coils and piles up. Viscosity is the material's own: honey 10 Pa·s, syrup 2, tar 1000.",
		Parts: []Part{
			{Kind: shot.Domain, Name: "Honey", Values: values("fluid", "liquid", "position", xyz{0, 0.9, 0}, "size", xyz{1.7, 1.8, 1.7}, "voxel", 0.045, "viscosity", 12.0, "weight", 1400.0, "carried", "apic")},
			{Kind: shot.Emitter, Name: "Spoon's edge", Values: values("form", "cylinder", "position", xyz{0, 1.6, 0}, "size", xyz{0.24, 0.2, 0.24}, "speed", -0.45, "along", "axis")},
			{Kind: shot.Collider, Name: "Plate", Values: values("form", "cylinder", "position", xyz{0, 0.08, 0}, "size", xyz{1.5, 0.16, 1.5}, "colour", xyz{0.75, 0.73, 0.7}, "friction", 1.0)},
		},
		Look: values("liquid_colour", xyz{0.85, 0.42, 0.04}, "liquid_depth", 0.35, "liquid_index", 1.5, "sun_height", 30.0, "sun_bearing", 220.0),
	},
	{
		Key: "lava", Name: "Lava", Size: 4.0,
		About: "Glowing rock creeps down a slope. 1000 Pa·s and more make slow tongues, 100 a quick stream; the look decides how brightly it glows.",
		Parts: []Part{
			{Kind: shot.Domain, Name: "Lava", Values: values("fluid", "liquid", "position", xyz{0.5, 0.6, 0}, "size", xyz{3.2, 1.2, 1.8}, "voxel", 0.06, "viscosity", 900.0, "weight", 2700.0, "carried", "apic", "max_substeps", 4)},
			{Kind: shot.Emitter, Name: "Vent", Values: values("form", "sphere", "position", xyz{-0.65, 0.85, 0}, "size", xyz{0.44, 0.36, 0.6}, "speed", 0.12)},
			{Kind: shot.Collider, Name: "Slope", Values: values("form", "box", "position", xyz{0.4, 0.14, 0}, "size", xyz{3.6, 0.5, 2.2}, "turn", xyz{0, 0, -14}, "colour", xyz{0.09, 0.08, 0.08}, "friction", 1.0)},
			{Kind: shot.Collider, Name: "Boulder", Values: values("form", "sphere", "position", xyz{0.35, 0.45, 0.15}, "size", xyz{0.4, 0.36, 0.4}, "colour", xyz{0.08, 0.075, 0.07}, "friction", 1.0)},
		},
		Look: values("liquid_as", "opaque", "liquid_colour", xyz{1, 0.2, 0.02}, "liquid_glow", 2.2, "liquid_rough", 0.5, "sun_strength", 0.7, "sky_strength", 0.2),
	},
	{
		Key: "drip", Name: "Drip", Size: 0.02,
		About: "A drop swells, falls and strikes still water. Surface tension rules at this size and asks for many substeps: try it coarse first.",
		Parts: []Part{
			{Kind: shot.Domain, Name: "Water", Values: pool("position", xyz{0, 0.9, 0}, "size", xyz{1.6, 1.8, 1.6}, "voxel", 0.05, "tension", 0.072, "carried", "apic", "max_substeps", 60)},
			{Kind: shot.Emitter, Name: "Still water", Values: values("form", "box", "position", xyz{0, 0.2, 0}, "size", xyz{4, 0.4, 4}, "pours", "once")},
			{Kind: shot.Emitter, Name: "Drop", Values: values("form", "sphere", "position", xyz{0, 1.3, 0}, "size", xyz{0.36, 0.36, 0.36}, "pours", "once", "push", xyz{0, -0.6, 0})},
		},
		Look: values("liquid_colour", xyz{0.7, 0.9, 0.95}, "liquid_depth", 1.0, "sun_height", 40.0),
	},
}
