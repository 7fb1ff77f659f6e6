package recipe

import "zarf/core/shot"

func values(pairs ...any) shot.Values {
	v := shot.Values{}
	for i := 0; i+1 < len(pairs); i += 2 {
		switch x := pairs[i+1].(type) {
		case float64:
			v[pairs[i].(string)] = shot.Num(x)
		case int:
			v[pairs[i].(string)] = shot.Num(float64(x))
		case string:
			v[pairs[i].(string)] = shot.Text(x)
		case bool:
			v[pairs[i].(string)] = shot.On(x)
		case [3]float64:
			v[pairs[i].(string)] = shot.Value{Vec: x}
		}
	}
	return v
}

type keyed = map[string][]shot.Key

func keys(pairs ...float64) (list []shot.Key) {
	for i := 0; i+1 < len(pairs); i += 2 {
		list = append(list, shot.Key{Frame: pairs[i], Value: shot.Num(pairs[i+1])})
	}
	return list
}

type xyz = [3]float64

// All recipes, in the order of the menu.
var All = append([]Recipe{
	{
		Key: "steam", Name: "Steam", Size: 0.5,
		About: "A white jet that slows, rises and is gone: kettles, valves, horns. Change the inflow speed first; dissipation decides how long it hangs.",
		Parts: []Part{
			{Kind: shot.Domain, Name: "Steam air", Values: values("position", xyz{0, 5, 0}, "size", xyz{11, 10, 11}, "voxel", 0.1, "bounds", "follow", "follow_margin", 0.8,
				"dissipation", 0.35, "cooling", 0.5, "vorticity", 0.3)},
			{Kind: shot.Emitter, Name: "Vent", Values: values("form", "cylinder", "position", xyz{0, 0.25, 0}, "size", xyz{0.9, 0.5, 0.9}, "smoke", 1.6, "temperature", 365, "speed", 3.5,
				"along", "axis", "breakup", 0.35, "breakup_size", 0.4, "breakup_rate", 4.0)},
			{Kind: shot.Turbulence, Name: "Eddies", Values: values("position", xyz{1.5, 4, 0}, "strength", 0.8, "size", 1.2, "octaves", 2, "rate", 0.6)},
		},
		Look: values("extinction", 6.0, "colour", xyz{0.96, 0.96, 0.97}, "phase", 0.45, "bounces", 8, "sun_height", 22.0, "sun_bearing", 120.0),
	},
	{
		Key: "brazier", Name: "Brazier fire", Size: 0.6,
		About: "Lively flame over a basket or a heap of wood. More fuel makes it taller, a higher burn rate shorter; soot decides how much smoke it wears.",
		Parts: []Part{
			{Kind: shot.Domain, Name: "Fire air", Values: values("position", xyz{0, 2.9, 0}, "size", xyz{5, 6.2, 5}, "voxel", 0.07, "bounds", "follow", "follow_margin", 0.5, "burning", "fuel",
				"ignition", 600, "burn_rate", 5.0, "heat_released", 26, "soot", 3.0, "expansion", 0.7, "spread", 0.6, "afterglow", 0.09, "radiation", 2600, "radiation_at", 2000,
				"cooling", 0.8, "dissipation", 0.7, "vorticity", 0.45, "vorticity_by", "temperature")},
			{Kind: shot.Emitter, Name: "Embers", Values: values("form", "cylinder", "position", xyz{0, 0.02, 0}, "size", xyz{0.8, 0.2, 0.8}, "smoke", 0.02, "temperature", 950, "fuel", 0.055, "speed", 0.35,
				"breakup", 0.65, "breakup_size", 0.28, "breakup_rate", 2.6)},
			{Kind: shot.Turbulence, Name: "Flicker", Values: values("position", xyz{1.2, 1.6, 0}, "strength", 3.0, "size", 0.7, "octaves", 2, "rate", 1.6, "region", "sphere", "region_size", xyz{2.4, 3, 2.4}, "region_fade", 0.8)},
		},
		Look: values("extinction", 3.0, "colour", xyz{0.25, 0.24, 0.23}, "flame", 0.2, "flame_light", 1.6, "flame_thickness", 5.0, "flame_soot", 0.2, "sun_strength", 0.25, "sun_height", 12.0, "sky_strength", 0.12, "sky_colour", xyz{0.35, 0.5, 0.9}),
	},
	{
		Key: "small-blast", Name: "Small blast", Size: 1,
		About: "A charge of a bag or a barrel: hard flash, a ball that rolls over and black-brown smoke. Shorten the fuel's keys for a harder bang.",
		Parts: []Part{
			{Kind: shot.Domain, Name: "Blast air", Values: values("position", xyz{0, 4, 0}, "size", xyz{11, 8, 11}, "voxel", 0.13, "bounds", "follow", "follow_margin", 0.8, "burning", "fuel",
				"ignition", 600, "burn_rate", 14.0, "heat_released", 8.5, "soot", 9.0, "expansion", 1.0, "spread", 5.0, "afterglow", 0.12, "radiation", 2600, "radiation_at", 2000,
				"cooling", 0.35, "dissipation", 0.1, "vorticity", 0.4, "max_substeps", 12)},
			{Kind: shot.Emitter, Name: "Charge", Values: values("form", "sphere", "position", xyz{0, 0.45, 0}, "size", xyz{1, 0.9, 1}, "temperature", 1100, "fuel", 0.42, "smoke", 0.5, "speed", 4.0,
				"breakup", 0.55, "breakup_size", 0.4, "breakup_rate", 5.0),
				Keys: keyed{"fuel": keys(0, 0.42, 3, 0.42, 5, 0), "smoke": keys(0, 0.5, 3, 0.5, 5, 0), "speed": keys(0, 5, 2, 4, 5, 0), "temperature": keys(0, 1100, 3, 1100, 5, 293)}},
			{Kind: shot.Turbulence, Name: "Churn", Values: values("position", xyz{2, 3, 0}, "strength", 7.0, "size", 1.3, "octaves", 3, "rate", 1.5), Keys: keyed{"strength": keys(0, 9, 10, 7, 30, 1.5)}},
		},
		Look: values("extinction", 13.0, "colour", xyz{0.33, 0.3, 0.27}, "flame", 0.04, "flame_light", 0.04, "flame_thickness", 2.0, "flame_soot", 0.35, "sun_height", 34.0),
	},
	{
		Key: "large-blast", Name: "Large blast", Size: 8,
		About: "A house or a store goes up: slow, heavy, with a cap that rolls in on itself. Judge it by its timing: half a second to swell, many to rise.",
		Parts: []Part{
			{Kind: shot.Domain, Name: "Blast air", Values: values("position", xyz{0, 3.6, 0}, "size", xyz{9, 7.2, 9}, "voxel", 0.1, "bounds", "follow", "follow_margin", 0.7, "burning", "fuel",
				"ignition", 600, "burn_rate", 10.0, "heat_released", 8.5, "soot", 10.0, "expansion", 1.0, "spread", 4.0, "afterglow", 0.15, "radiation", 1700, "radiation_at", 2000,
				"cooling", 0.2, "dissipation", 0.03, "vorticity", 0.45, "max_substeps", 12)},
			{Kind: shot.Emitter, Name: "Store", Values: values("form", "sphere", "position", xyz{0, 0.4, 0}, "size", xyz{1, 0.8, 1}, "temperature", 1100, "fuel", 0.4, "smoke", 0.8, "speed", 3.0,
				"breakup", 0.6, "breakup_size", 0.35, "breakup_rate", 4.0),
				Keys: keyed{"fuel": keys(0, 0.4, 3, 0.4, 5, 0), "smoke": keys(0, 0.8, 4, 0.8, 6, 0), "speed": keys(0, 4.5, 2, 3.5, 5, 0), "temperature": keys(0, 1100, 4, 1100, 5, 293)}},
			{Kind: shot.Turbulence, Name: "Churn", Values: values("position", xyz{1.8, 2.4, 0}, "strength", 6.0, "size", 0.9, "octaves", 3, "rate", 1.2), Keys: keyed{"strength": keys(0, 8, 10, 6, 40, 1.5)}},
		},
		Look: values("extinction", 16.0, "colour", xyz{0.34, 0.31, 0.28}, "flame", 0.04, "flame_light", 0.04, "flame_thickness", 2.0, "flame_soot", 0.4, "sun_height", 34.0),
	},
	{
		Key: "heavy-fog", Name: "Heavy fog", Size: 4,
		About: "Cold fog that is heavier than the air, creeps along the ground and falls over edges. Weight decides how fast it runs.",
		Parts: []Part{
			{Kind: shot.Domain, Name: "Fog air", Values: values("position", xyz{0, 0.6, 0}, "size", xyz{5, 1.3, 5}, "voxel", 0.05, "bounds", "follow", "follow_margin", 0.25, "smoke_weight", 0.4, "cooling", 0.02, "vorticity", 0.12)},
			{Kind: shot.Emitter, Name: "Fog source", Values: values("form", "box", "position", xyz{0, 0.16, 0}, "size", xyz{1, 0.3, 1}, "smoke", 1.0, "temperature", 283, "breakup", 0.3, "breakup_size", 0.3, "breakup_rate", 0.4, "speed", 0.15)},
			{Kind: shot.Turbulence, Name: "Slow air", Values: values("position", xyz{1, 0.8, 0}, "strength", 0.1, "size", 0.6, "octaves", 2, "rate", 0.25)},
		},
		Look: values("extinction", 9.0, "colour", xyz{0.94, 0.95, 0.97}, "phase", 0.35, "bounces", 8, "sun_strength", 2.0, "sun_height", 18.0, "sky_strength", 0.9),
	},
	{
		Key: "chimney", Name: "Chimney smoke", Size: 0.6,
		About: "Smoke of a stove that leaves a stack and bends with the wind. The wind's grip decides how soon it lies down.",
		Parts: []Part{
			{Kind: shot.Domain, Name: "Sky", Values: values("position", xyz{4.5, 4, 0}, "size", xyz{14, 9, 6}, "voxel", 0.16, "bounds", "follow", "follow_margin", 1.2, "cooling", 0.25, "dissipation", 0.12, "vorticity", 0.3)},
			{Kind: shot.Emitter, Name: "Stack", Values: values("form", "cylinder", "position", xyz{0, 0.1, 0}, "size", xyz{0.8, 0.5, 0.8}, "smoke", 1.2, "temperature", 390, "speed", 1.6, "along", "axis", "breakup", 0.4, "breakup_size", 0.5, "breakup_rate", 1.5)},
			{Kind: shot.Wind, Name: "Wind", Values: values("position", xyz{-1.5, 3, 0}, "velocity", xyz{1.6, 0, 0.2}, "grip", 0.5, "gust", 0.4, "gust_time", 2.5)},
			{Kind: shot.Turbulence, Name: "Eddies", Values: values("position", xyz{4, 6, 0}, "strength", 0.8, "size", 1.6, "octaves", 2, "rate", 0.4)},
		},
		Look: values("extinction", 4.0, "colour", xyz{0.55, 0.54, 0.53}, "phase", 0.3, "bounces", 6),
	},
	{
		Key: "ground-burst", Name: "Ground burst", Size: 2,
		About: "Earth and dust thrown up by a hit, and a ring that runs out along the ground. No fire; the weight of the dust brings it down again.",
		Parts: []Part{
			{Kind: shot.Domain, Name: "Dust air", Values: values("position", xyz{0, 2.2, 0}, "size", xyz{9, 4.5, 9}, "voxel", 0.11, "bounds", "follow", "follow_margin", 0.6, "smoke_weight", 0.35, "cooling", 0.8, "dissipation", 0.06, "vorticity", 0.35, "max_substeps", 12)},
			{Kind: shot.Emitter, Name: "Column", Values: values("form", "cylinder", "position", xyz{0, 0.3, 0}, "size", xyz{0.9, 0.6, 0.9}, "smoke", 1.4, "temperature", 330, "speed", 13.0, "along", "axis", "breakup", 0.7, "breakup_size", 0.3, "breakup_rate", 8.0),
				Keys: keyed{"smoke": keys(0, 1.4, 4, 1.4, 7, 0), "speed": keys(0, 13, 2, 11, 7, 0)}},
			{Kind: shot.Emitter, Name: "Ring", Values: values("form", "torus", "position", xyz{0, 0.14, 0}, "size", xyz{1.5, 0.28, 1.5}, "smoke", 0.9, "temperature", 300, "speed", 5.0, "breakup", 0.6, "breakup_size", 0.25, "breakup_rate", 8.0),
				Keys: keyed{"smoke": keys(0, 0.9, 3, 0.9, 5, 0), "speed": keys(0, 6, 2, 5, 5, 0)}},
			{Kind: shot.Turbulence, Name: "Churn", Values: values("position", xyz{1.5, 2, 0}, "strength", 5.0, "size", 0.8, "octaves", 3, "rate", 1.2), Keys: keyed{"strength": keys(0, 7, 12, 4, 40, 1)}},
		},
		Look: values("extinction", 5.0, "colour", xyz{0.6, 0.5, 0.38}, "phase", 0.25, "bounces", 6),
	},
	{
		Key: "wisps", Name: "Wisps", Size: 0.1,
		About: "Thin threads over a wick, a cup or an incense stick. They live from calm air: keep the turbulence low and the voxels small.",
		Parts: []Part{
			{Kind: shot.Domain, Name: "Calm air", Values: values("position", xyz{0, 4.9, 0}, "size", xyz{7, 10, 7}, "voxel", 0.07, "bounds", "follow", "follow_margin", 0.6, "scheme", "reflection", "cooling", 0.1, "dissipation", 0.1, "vorticity", 0.0, "damping", 0.12)},
			{Kind: shot.Emitter, Name: "Wick", Values: values("form", "sphere", "position", xyz{0, 0.2, 0}, "size", xyz{0.3, 0.3, 0.3}, "smoke", 1.0, "temperature", 325)},
			{Kind: shot.Turbulence, Name: "Breath", Values: values("position", xyz{1, 5, 0}, "strength", 0.08, "size", 1.2, "octaves", 2, "rate", 0.25)},
		},
		Look: values("extinction", 9.0, "colour", xyz{0.9, 0.92, 0.97}, "phase", 0.5, "ground", false, "background", "grey", "sun_strength", 4.0),
	},
}, liquids...)
