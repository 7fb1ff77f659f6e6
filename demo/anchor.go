package demo

import (
	"zarf/core/bring"
	"zarf/core/geom"
	"zarf/core/shot"
)

// anchorDrawing is the keeper's emblem: a ring over a stocked anchor, 60 wide
// and about 70 high, drawn for the film.
const anchorDrawing = `<svg xmlns="http://www.w3.org/2000/svg" viewBox="-32 -46 64 80">
<title>The keeper's anchor</title>
<path id="ring" d="M7.500 -36.500A7.500 7.500 0 1 1 -7.500 -36.500A7.500 7.500 0 1 1 7.500 -36.500zM3.600 -36.500A3.600 3.600 0 1 0 -3.600 -36.500A3.600 3.600 0 1 0 3.600 -36.500z"/>
<path id="anchor" d="M0 31Q17 25 23 6.500L28.500 9L22.500 -6L12.500 6.500L17.500 5Q13 16 3.200 18L2.600 -19L16 -19L16 -24.500L2.600 -24.500L2.600 -29.600L-2.600 -29.600L-2.600 -24.500L-16 -24.500L-16 -19L-2.600 -19L-3.200 18Q-13 16 -17.500 5L-12.500 6.500L-22.500 -6L-28.500 9L-23 6.500Q-17 25 0 31z"/>
</svg>
`

// KeepersAnchor is BL080: smoke gathers into the keeper's emblem and lets go.
func KeepersAnchor(files Keeper) (*shot.Shot, error) {
	ref, f, err := files.Bring("keepers anchor.svg", []byte(anchorDrawing), nil, bring.Options{Unit: 0.036, Depth: 0.26, Bevel: 0.03})
	if err != nil {
		return nil, err
	}
	s := shot.New("BL080")
	s.Title = "Keeper's anchor"
	s.Note = "Smoke of two lamp bowls gathers into the keeper's anchor, stands for a second and drifts apart."
	put(shot.Setting, s.Self.Values, "last", 120)
	put(shot.Setting, s.Self.Values, "air_temperature", 288)
	add(s, shot.Domain, "Hall air", "position", xyz{0, 1.75, 0}, "size", xyz{3.6, 3.5, 1.7}, "voxel", 0.042, "cooling", 0.5, "vorticity", 0.25, "dissipation", 0.05)
	for _, side := range []float64{-1, 1} {
		name := "Left bowl"
		if side > 0 {
			name = "Right bowl"
		}
		e := add(s, shot.Emitter, name, "form", "sphere", "position", xyz{side * 0.95, 0.3, 0}, "size", xyz{0.34, 0.24, 0.34}, "smoke", 1.5, "temperature", 352, "breakup", 0.4, "breakup_size", 0.14, "breakup_rate", 2.0)
		keys(e, "smoke", 1, 1.5, 62, 1.5, 70, 0)
		keys(e, "temperature", 1, 352, 62, 352, 70, 288)
		add(s, shot.Collider, name+" stand", "form", "cylinder", "position", xyz{side * 0.95, 0.09, 0}, "size", xyz{0.4, 0.18, 0.4}, "taper", 1.3, "colour", xyz{0.16, 0.11, 0.06})
	}
	for _, side := range []float64{-1, 1} {
		name := "Left lamp"
		if side > 0 {
			name = "Right lamp"
		}
		e := add(s, shot.Emitter, name, "form", "sphere", "position", xyz{side * 0.75, 2.95, 0}, "size", xyz{0.3, 0.24, 0.3}, "smoke", 1.5, "temperature", 288, "breakup", 0.4, "breakup_size", 0.14, "breakup_rate", 2.0, "begin", 30, "end", 66)
		keys(e, "smoke", 30, 0, 36, 1.5, 60, 1.5, 66, 0)
	}
	size := geom.FromArray(f.Size)
	pull := add(s, shot.Pull, "Anchor", "form", "mesh", "mesh", ref, "position", xyz{0, 1.9, 0}, "size", size.Array(), "reach", 1.3, "keep", 5.0, "gather", 0.0)
	keys(pull, "gather", 34, 0, 46, 1.3, 94, 1.3, 100, 0)
	keys(pull, "keep", 34, 0, 46, 5, 94, 5, 100, 0)
	stir := add(s, shot.Turbulence, "Draught", "strength", 0.4, "size", 0.5, "octaves", 2, "rate", 0.6, "position", xyz{1.5, 3, 0})
	keys(stir, "strength", 92, 0.4, 102, 2.2)
	add(s, shot.Wind, "Open door", "velocity", xyz{0, 0, 0}, "grip", 0.6, "position", xyz{-1.6, 2, 0.4})
	door := s.Elements[len(s.Elements)-1]
	for _, k := range [][2]float64{{94, 0}, {106, 1.4}} {
		door.SetKey("velocity", shot.Key{Frame: k[0], Value: shot.Vec(k[1], 0.1*k[1], 0)})
	}
	set(s.Element("camera"), "position", xyz{0, 1.7, 6.6}, "target", xyz{0, 1.72, 0}, "lens", 39.0)
	lk := s.Looks[0]
	lk.Name = "Lamplight"
	for k, v := range map[string]any{"extinction": 14.0, "colour": xyz{0.9, 0.88, 0.84}, "sun_strength": 3.4, "sun_colour": xyz{1, 0.78, 0.5}, "sun_height": 24.0, "sun_bearing": 118.0,
		"sky_strength": 0.22, "sky_colour": xyz{0.4, 0.5, 0.72}, "ground_colour": xyz{0.1, 0.09, 0.08}, "background": "sky"} {
		put(shot.Look, lk.Values, k, v)
	}
	add(s, shot.Lamp, "Lantern", "form", "ball", "position", xyz{1.9, 2.7, 1.5}, "wide", 0.24, "colour", xyz{1, 0.62, 0.3}, "strength", 90.0)
	final(s)
	return s, nil
}
