package demo

import (
	"zarf/core/geom"
	"zarf/core/recipe"
	"zarf/core/shot"
)

// cook puts a recipe into a shot and returns its elements by name.
func cook(s *shot.Shot, key string, at geom.Vec3, size, start float64) map[string]*shot.Element {
	r, err := recipe.Find(key)
	if err != nil {
		panic("demo: " + err.Error())
	}
	out := map[string]*shot.Element{}
	for _, e := range r.Put(s, at, size, start) {
		out[e.Name] = e
	}
	s.Looks = s.Looks[:1]
	return out
}

// Brazier is BL020: an iron fire basket on the gallery in a gale.
func Brazier() *shot.Shot {
	s := shot.New("BL020")
	s.Title = "Gallery brazier"
	s.Note = "The keeper's fire basket in the gale, by night. Gusts tear the flames off towards the sea."
	put(shot.Setting, s.Self.Values, "last", 96)
	put(shot.Setting, s.Self.Values, "air_temperature", 281)
	parts := cook(s, "brazier", geom.V(0, 0.92, 0), 0.6, 1)
	set(parts["Fire air"], "position", xyz{0.75, 2.1, 0}, "size", xyz{3.9, 2.7, 2.0}, "voxel", 0.036)
	set(parts["Embers"], "breakup", 0.55)
	add(s, shot.Wind, "Gale", "velocity", xyz{3.2, 0.2, -0.6}, "grip", 1.1, "gust", 0.7, "gust_time", 0.9, "position", xyz{-0.9, 1.9, 0.4})
	iron := xyz{0.05, 0.048, 0.046}
	add(s, shot.Collider, "Fire bowl", "form", "cylinder", "position", xyz{0, 0.84, 0}, "size", xyz{0.62, 0.1, 0.62}, "taper", 1.25, "colour", iron)
	add(s, shot.Collider, "Basket rim", "form", "torus", "position", xyz{0, 1.06, 0}, "size", xyz{0.74, 0.045, 0.74}, "colour", iron)
	add(s, shot.Collider, "Leg", "form", "cylinder", "position", xyz{0, 0.46, 0}, "size", xyz{0.09, 0.7, 0.09}, "colour", iron)
	add(s, shot.Collider, "Foot", "form", "cylinder", "position", xyz{0, 0.1, 0}, "size", xyz{0.5, 0.06, 0.5}, "colour", iron)
	add(s, shot.Collider, "Tower wall", "form", "cylinder", "position", xyz{-1.75, 1.6, -0.7}, "size", xyz{1.9, 3.4, 1.9}, "taper", 0.9, "colour", xyz{0.6, 0.58, 0.54})
	add(s, shot.Collider, "Gallery floor", "form", "box", "position", xyz{0.2, 0.03, 0}, "size", xyz{3.4, 0.06, 2.4}, "colour", xyz{0.16, 0.155, 0.15})
	set(s.Element("camera"), "position", xyz{1.0, 1.55, 5.6}, "target", xyz{0.55, 1.5, 0}, "lens", 42.0)
	night := s.Looks[0]
	night.Name = "Night"
	for k, v := range map[string]any{"exposure": 0.5, "sun_bearing": 200.0, "ground_colour": xyz{0.05, 0.05, 0.055}, "sky_strength": 0.035, "sun_strength": 0.05, "background": "sky"} {
		put(shot.Look, night.Values, k, v)
	}
	final(s)
	// the same take as a drawing: flat bands, and a flame of another colour
	drawn := s.Looks[0].Copy("Drawn")
	drawn.ID = "drawn"
	for k, v := range map[string]any{"flame_mix": 1.0, "flame_ramp": "0 0.12 0 0.05; 0.45 0.9 0.03 0.3; 1 1 0.75 0.85", "flame_curve": "0 0; 0.2 0.5; 1 1", "flame": 1.1, "bands": 4, "bands_of": "flame", "bands_soft": 0.05, "light_bands": 6} {
		put(shot.Look, drawn.Values, k, v)
	}
	s.Looks = append(s.Looks, drawn)
	return s
}

// Magazine is BL030: the powder magazine goes up, and half a second later the
// coal store beside it.
func Magazine() *shot.Shot {
	s := shot.New("BL030")
	s.Title = "Magazine blast"
	s.Note = "The powder magazine goes up; the coal store follows half a second later."
	put(shot.Setting, s.Self.Values, "last", 96)
	put(shot.Setting, s.Self.Values, "air_temperature", 286)
	parts := cook(s, "large-blast", geom.V(0, 0, 0), 5, 3)
	set(parts["Blast air"], "position", xyz{3, 27, 0}, "size", xyz{52, 54, 44}, "voxel", 0.38)
	coal := add(s, shot.Emitter, "Coal store", "form", "box", "position", xyz{7.5, 1.4, 1.5}, "size", xyz{3.4, 2.4, 3.4}, "temperature", 1100, "fuel", 0.3, "smoke", 1.6, "speed", 4.0,
		"breakup", 0.65, "breakup_size", 1.2, "breakup_rate", 3.0)
	keys(coal, "fuel", 1, 0, 15, 0, 16, 0.3, 22, 0.3, 26, 0)
	keys(coal, "smoke", 1, 0, 15, 0, 16, 1.6, 24, 1.6, 34, 0)
	keys(coal, "speed", 1, 0, 15, 0, 16, 7, 22, 4, 30, 0)
	keys(coal, "temperature", 1, 286, 15, 286, 16, 1100, 26, 1100, 28, 286)
	add(s, shot.Collider, "Keeper's house", "form", "box", "position", xyz{-8.5, 1.9, -3}, "size", xyz{5, 3.8, 6}, "colour", xyz{0.55, 0.53, 0.5})
	add(s, shot.Collider, "Tower", "form", "cylinder", "position", xyz{-15, 9, -9}, "size", xyz{7, 18, 7}, "taper", 0.72, "colour", xyz{0.74, 0.73, 0.7})
	add(s, shot.Wind, "Sea wind", "velocity", xyz{1.6, 0, 0.4}, "grip", 0.12, "gust", 0.2, "gust_time", 3.0, "position", xyz{-12, 12, 6})
	set(s.Element("camera"), "position", xyz{9, 2.2, 42}, "target", xyz{1.5, 9, 0}, "lens", 30.0)
	s.Looks[0].Name = "Overcast"
	for k, v := range map[string]any{"sun_bearing": 70.0, "sun_strength": 2.2, "sky_strength": 0.8, "exposure": 0.0, "ground_colour": xyz{0.16, 0.17, 0.13}} {
		put(shot.Look, s.Looks[0].Values, k, v)
	}
	final(s)
	for k, v := range map[string]any{"what": "volumes", "axes": "z-up", "kelvin": "absolute", "start": 1001} {
		put(shot.Handover, s.Handover, k, v)
	}
	return s
}

// CliffFog is BL070: heavy cold fog rolls off a cliff in steps.
func CliffFog() *shot.Shot {
	s := shot.New("BL070")
	s.Title = "Cliff fog"
	s.Note = "Before dawn cold fog creeps over the cliff's edge, falls in folds and spreads over the shingle."
	put(shot.Setting, s.Self.Values, "last", 120)
	put(shot.Setting, s.Self.Values, "air_temperature", 284)
	put(shot.Setting, s.Self.Values, "preroll", 48)
	parts := cook(s, "heavy-fog", geom.V(0, 0, 0), 6, 1)
	set(parts["Fog air"], "position", xyz{4, 4.2, 0}, "size", xyz{26, 8.4, 18}, "voxel", 0.2, "smoke_weight", 0.6, "follow_margin", 1.6, "side_x0", "wall")
	set(parts["Fog source"], "position", xyz{-5.4, 6.2, 0}, "size", xyz{4, 0.9, 11}, "temperature", 279, "speed", 0.0, "breakup", 0.4, "breakup_size", 2.2, "smoke", 1.5)
	set(parts["Slow air"], "strength", 0.12, "size", 2.2, "position", xyz{4, 6, 3})
	rock := xyz{0.13, 0.125, 0.12}
	add(s, shot.Collider, "Cliff top", "form", "box", "position", xyz{-5.5, 2.8, 0}, "size", xyz{8, 5.6, 16}, "turn", xyz{0, 0, -2}, "colour", rock)
	add(s, shot.Collider, "Ledge", "form", "box", "position", xyz{-0.6, 1.6, -3}, "size", xyz{3.4, 3.2, 7}, "turn", xyz{0, 12, -4}, "colour", rock)
	add(s, shot.Collider, "Buttress", "form", "cylinder", "position", xyz{-1.2, 2, 4}, "size", xyz{3.4, 4.4, 3}, "taper", 0.6, "colour", rock)
	add(s, shot.Collider, "Boulder", "form", "sphere", "position", xyz{4.5, 0.3, 1.5}, "size", xyz{2.6, 1.8, 2.2}, "colour", rock)
	add(s, shot.Collider, "Small boulder", "form", "sphere", "position", xyz{7.5, 0.1, -2.6}, "size", xyz{1.8, 1.2, 1.6}, "colour", rock)
	add(s, shot.Wind, "Land breeze", "velocity", xyz{0.8, -0.1, 0.05}, "grip", 0.2, "gust", 0.3, "gust_time", 4.0, "position", xyz{-8, 7.6, 4})
	set(s.Element("camera"), "position", xyz{15, 4.2, 17}, "target", xyz{0.5, 3, 0}, "lens", 38.0)
	s.Looks[0].Name = "Before dawn"
	for k, v := range map[string]any{"sun_bearing": 215.0, "sun_height": 9.0, "sun_colour": xyz{1, 0.8, 0.62}, "sun_strength": 2.6, "sky_strength": 0.6, "sky_colour": xyz{0.42, 0.56, 0.85}, "extinction": 1.1, "ground_colour": xyz{0.1, 0.1, 0.105}} {
		put(shot.Look, s.Looks[0].Values, k, v)
	}
	final(s)
	return s
}
