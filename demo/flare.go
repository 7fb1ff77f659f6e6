package demo

import (
	"zarf/core/geom"
	"zarf/core/shot"
)

// FlareBurst is BL100: a signal flare that burns on and on, drawn in flat tones
// for a game, to be handed over as a loop of tiles.
func FlareBurst() *shot.Shot {
	s := shot.New("BL100")
	s.Title = "Flare burst"
	s.Note = "The keeper's signal flare, for the game of the film: red, in flat tones, 36 tiles that loop. Record tiles at Handover, then make the flipbook."
	put(shot.Setting, s.Self.Values, "last", 96)
	put(shot.Setting, s.Self.Values, "preroll", 20)
	parts := cook(s, "brazier", geom.V(0, 0.5, 0), 0.36, 1)
	set(parts["Fire air"], "position", xyz{0, 0.9, 0}, "size", xyz{1.7, 1.8, 1.7}, "voxel", 0.034, "dissipation", 3.0, "cooling", 2.0)
	set(parts["Embers"], "form", "sphere", "position", xyz{0, 0.62, 0}, "size", xyz{0.26, 0.26, 0.26}, "breakup", 0.85, "fuel", 0.085)
	set(parts["Flicker"], "position", xyz{0, 0.75, 0}, "strength", 7.0)
	add(s, shot.Radial, "Spray", "position", xyz{0, 0.6, 0}, "radius", 0.5, "strength", 15.0)
	set(s.Element("camera"), "position", xyz{0, 0.94, 4.2}, "target", xyz{0, 0.92, 0}, "lens", 76.0)
	drawn := s.Looks[0]
	drawn.Name = "Drawn"
	for k, v := range map[string]any{"width": 512, "height": 512, "sun_strength": 0.6, "sky_strength": 0.3, "ground": false, "background": "none", "flame_mix": 1.0,
		"flame_ramp": "0 0.25 0.01 0.02; 0.4 1 0.06 0.05; 0.75 1 0.45 0.2; 1 1 0.95 0.8", "flame_curve": "0 0; 0.2 0.5; 1 1", "flame": 0.4, "flame_light": 0.5, "samples": 4, "bands": 4, "bands_of": "flame", "bands_soft": 0.06, "light_bands": 5} {
		put(shot.Look, drawn.Values, k, v)
	}
	s.Looks = s.Looks[:1]
	for k, v := range map[string]any{"what": "flipbook", "columns": 6, "rows": 6, "tile_wide": 160, "tile_tall": 160, "pick": "range", "step": 2, "loop": "blend", "loop_over": 8, "padding": 2, "sheet_emission": true, "space": "film"} {
		put(shot.Handover, s.Handover, k, v)
	}
	return s
}
