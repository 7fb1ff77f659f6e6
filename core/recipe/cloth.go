package recipe

import (
	"zarf/core/shot"
	"zarf/core/shot/val"
)

// woven are the values of a domain of cloth.
func woven(pairs ...val.Pair) shot.Values { return over(values(val.Fluid.Is("cloth")), pairs) }

// light is cloth that flutters.
func light(pairs ...val.Pair) shot.Values {
	return over(values(val.ClothMass.Is(0.12), val.Warp.Is(8000), val.Weft.Is(8000), val.Shear.Is(600), val.BendWarp.Is(2e-5), val.BendWeft.Is(2e-5), val.Thickness.Is(0.002), val.Friction.Is(0.3)), pairs)
}

// canvas is what sails are made of.
func canvas(pairs ...val.Pair) shot.Values {
	return over(values(val.ClothMass.Is(0.4), val.Warp.Is(2e4), val.Weft.Is(2e4), val.Shear.Is(2500), val.BendWarp.Is(3e-4), val.BendWeft.Is(3e-4), val.Thickness.Is(0.003)), pairs)
}

// day is plain light that shows folds.
var day = values(dayPairs()...)

func dayPairs() []val.Pair {
	return []val.Pair{val.SunHeight.Is(38), val.SunBearing.Is(60), val.SunStrength.Is(2.6), val.SkyStrength.Is(0.5), val.GroundColour.Is(0.16, 0.155, 0.15)}
}

// cloths are the recipes of cloth.
var cloths = []Recipe{
	{
		Key: "hanging-sheet", Name: "Hanging sheet", Size: 1.5,
		About: "A sheet let go from level swings down from two pins and comes to hang. Its weight and bending make it linen or tarpaulin; its mesh size decides how fine its folds are.",
		Parts: []Part{
			{Kind: shot.Domain, Name: "Sheet's room", Values: woven(val.Position.Is(0, 1, 0.3), val.Size.Is(1.8, 2, 2.6), val.Voxel.Is(0.05))},
			{Kind: shot.Cloth, Name: "Sheet", Values: light(val.Position.Is(0, 1.6, 0.2), val.Size.Is(1, 0.01, 1.2), val.ClothEdge.Is(0.025), val.Pins.Is("ends"), val.Colour.Is(0.62, 0.6, 0.56))},
		},
		Look: day,
	},
	{
		Key: "flag", Name: "Flag", Size: 1.5,
		About: "Light cloth on a pole in a gusty wind. The wind's speed decides how far it stands out, gusts how it beats; a lighter cloth flutters in shorter waves.",
		Parts: []Part{
			{Kind: shot.Domain, Name: "Flag's air", Values: woven(val.Position.Is(0.5, 1.1, 0), val.Size.Is(2.4, 2.2, 1.6), val.Voxel.Is(0.05), val.ClothSteps.Is(3))},
			{Kind: shot.Collider, Name: "Pole", Values: values(val.Form.Is("cylinder"), val.Position.Is(-0.03, 1.05, 0), val.Size.Is(0.04, 2.1, 0.04), val.Colour.Is(0.35, 0.33, 0.3))},
			{Kind: shot.Cloth, Name: "Flag", Values: light(val.Position.Is(0.6, 1.65, 0), val.Turn.Is(90, 0, 90), val.Size.Is(0.75, 0.01, 1.2), val.ClothEdge.Is(0.025), val.Pins.Is("edge"), val.Colour.Is(0.5, 0.05, 0.04))},
			{Kind: shot.Wind, Name: "Wind", Values: values(val.Position.Is(-0.6, 1.6, 0), val.Velocity.Is(6, 0, 1.2), val.Gust.Is(0.5), val.GustTime.Is(0.7))},
			{Kind: shot.Turbulence, Name: "Gusts", Values: values(val.Position.Is(1.6, 1.6, 0), val.Strength.Is(12), val.Largest.Is(0.6), val.Octaves.Is(2), val.Rate.Is(3))},
		},
		Look: day,
	},
	{
		Key: "sail", Name: "Sail in a gust", Size: 2,
		About: "Canvas between two yards that hangs slack and fills when a gust comes. The keys of the wind are the gust; pressed hard enough and with a limit to its stretch, it splits.",
		Parts: []Part{
			{Kind: shot.Domain, Name: "Sail's air", Values: woven(val.Position.Is(0, 0.95, 0.2), val.Size.Is(1.8, 1.9, 1.8), val.Voxel.Is(0.05))},
			{Kind: shot.Collider, Name: "Upper yard", Values: values(val.Form.Is("cylinder"), val.Position.Is(0, 1.6, 0), val.Turn.Is(0, 0, 90), val.Size.Is(0.05, 1.3, 0.05), val.Colour.Is(0.22, 0.16, 0.1))},
			{Kind: shot.Collider, Name: "Lower yard", Values: values(val.Form.Is("cylinder"), val.Position.Is(0, 0.48, 0), val.Turn.Is(0, 0, 90), val.Size.Is(0.05, 1.3, 0.05), val.Colour.Is(0.22, 0.16, 0.1))},
			{Kind: shot.Cloth, Name: "Sail", Values: canvas(val.Position.Is(0, 1.04, 0.035), val.Turn.Is(90, 0, 0), val.Size.Is(1.15, 0.01, 1.15), val.ClothEdge.Is(0.03), val.Pins.Is("sides"), val.Colour.Is(0.6, 0.55, 0.44)),
				Keys: keyed{val.Size.Name(): {{Frame: 0, Value: shot.Vec(1.15, 0.01, 1.15)}, {Frame: 12, Value: shot.Vec(1.15, 0.01, 1.04)}}}},
			{Kind: shot.Wind, Name: "Gust", Values: values(val.Position.Is(0, 1, -0.7), val.Velocity.Is(0, 0, 2), val.Gust.Is(0.25), val.GustTime.Is(0.8)),
				Keys: keyed{val.Velocity.Name(): {{Frame: 14, Value: shot.Vec(0, 0, 1)}, {Frame: 26, Value: shot.Vec(2, 0, 11)}, {Frame: 60, Value: shot.Vec(0, 0, 5)}}}},
		},
		Look: day,
	},
	{
		Key: "curtain", Name: "Curtain drawn", Size: 2,
		About: "A curtain drawn together along its rail, in folds, and a draught that moves it. The keys of its size draw it; more weight makes larger folds.",
		Parts: []Part{
			{Kind: shot.Domain, Name: "Curtain's room", Values: woven(val.Position.Is(0, 0.6, 0), val.Size.Is(1.6, 1.2, 0.9), val.Voxel.Is(0.035))},
			{Kind: shot.Collider, Name: "Rail", Values: values(val.Form.Is("cylinder"), val.Position.Is(0, 1.13, 0), val.Turn.Is(0, 0, 90), val.Size.Is(0.025, 1.4, 0.025), val.Colour.Is(0.1, 0.09, 0.08))},
			{Kind: shot.Cloth, Name: "Curtain", Values: light(val.ClothMass.Is(0.25), val.BendWarp.Is(6e-5), val.BendWeft.Is(6e-5), val.Position.Is(0, 0.59, 0), val.Turn.Is(90, 0, 0), val.Size.Is(1.2, 0.01, 1), val.ClothEdge.Is(0.022), val.Pins.Is("hooks"), val.Hooks.Is(13), val.Colour.Is(0.16, 0.22, 0.3)),
				Keys: keyed{val.Size.Name(): {{Frame: 4, Value: shot.Vec(1.2, 0.01, 1)}, {Frame: 44, Value: shot.Vec(0.55, 0.01, 1)}}}},
			{Kind: shot.Wind, Name: "Draught", Values: values(val.Position.Is(0, 0.6, -0.4), val.Velocity.Is(0.1, 0, 0.8), val.Gust.Is(0.8), val.GustTime.Is(1.2))},
		},
		Look: day,
	},
	{
		Key: "tarpaulin", Name: "Tarpaulin that fills", Size: 1.5,
		About: "Water from a spout gathers in a tarpaulin, which sags under it, until it runs over an edge. The spout's speed decides how soon; smaller drops splash more finely and take longer.",
		Parts: []Part{
			{Kind: shot.Domain, Name: "Tarpaulin's room", Values: woven(val.Position.Is(0, 0.8, 0), val.Size.Is(2, 1.6, 2), val.Voxel.Is(0.06), val.ClothSteps.Is(4), val.DropSize.Is(0.012), val.ShownAs.Is("surface"))},
			{Kind: shot.Cloth, Name: "Tarpaulin", Values: canvas(val.ClothMass.Is(0.6), val.Soaks.Is(0), val.Position.Is(0, 0.75, 0), val.Size.Is(1.1, 0.01, 1.1), val.ClothEdge.Is(0.03), val.Pins.Is("sides"), val.Colour.Is(0.05, 0.14, 0.24))},
			{Kind: shot.Emitter, Name: "Spout", Values: values(val.Form.Is("cylinder"), val.Position.Is(0.08, 1.3, 0), val.Size.Is(0.06, 0.06, 0.06), val.Along.Is("axis"), val.Speed.Is(-0.8))},
		},
		Look: over(values(val.MoteColour.Is(0.55, 0.62, 0.68)), dayPairs()),
	},
	{
		Key: "tear", Name: "Tear", Size: 1.5,
		About: "Old canvas in a frame that a weight breaks through. The stretch at which it tears decides how far it gives first; how ragged the tear is, the share by which it is weaker from place to place.",
		Parts: []Part{
			{Kind: shot.Domain, Name: "Canvas' room", Values: woven(val.Position.Is(0, 0.6, 0), val.Size.Is(1.5, 1.2, 1.5), val.Voxel.Is(0.04), val.ClothSteps.Is(4))},
			{Kind: shot.Cloth, Name: "Canvas", Values: canvas(val.Position.Is(0, 0.7, 0), val.Size.Is(1.1, 0.01, 1.1), val.ClothEdge.Is(0.03), val.Pins.Is("rim"), val.Warp.Is(6000), val.Weft.Is(6000), val.Shear.Is(800), val.StretchDamp.Is(0.01), val.TearsAt.Is(0.1), val.TearsUneven.Is(0.5), val.Colour.Is(0.5, 0.43, 0.31))},
			{Kind: shot.Collider, Name: "Weight", Values: values(val.Form.Is("sphere"), val.Size.Is(0.3, 0.3, 0.3), val.Position.Is(0.1, 0.95, 0.05), val.Colour.Is(0.12, 0.12, 0.13)),
				Keys: keyed{val.Position.Name(): {{Frame: 6, Value: shot.Vec(0.1, 0.95, 0.05)}, {Frame: 36, Value: shot.Vec(0.1, 0.16, 0.05)}}}},
		},
		Look: day,
	},
	{
		Key: "burning-curtain", Name: "Burning curtain", Size: 2,
		About: "A curtain catches fire at its hem and burns away upwards; the flame is a gas that is fed by how hot the cloth is. How fast fire spreads and how long the cloth burns are the curtain's; the emitter's fuel makes the flame taller.",
		Parts: []Part{
			{Kind: shot.Domain, Name: "Curtain's room", Values: woven(val.Position.Is(0, 0.6, 0), val.Size.Is(1.6, 1.2, 0.9), val.Voxel.Is(0.035))},
			{Kind: shot.Domain, Name: "Flame air", Values: values(val.Position.Is(0, 1.1, 0), val.Size.Is(1.8, 2.2, 1.2), val.Voxel.Is(0.022), val.Bounds.Is("follow"), val.FollowMargin.Is(0.2), val.Burning.Is("fuel"), val.Ignition.Is(600), val.BurnRate.Is(6.0), val.HeatReleased.Is(26), val.Soot.Is(2.5), val.Expansion.Is(0.5), val.Spread.Is(0.6), val.Afterglow.Is(0.08), val.Radiation.Is(2600), val.RadiationAt.Is(2000), val.Cooling.Is(0.8), val.Dissipation.Is(0.6), val.Vorticity.Is(0.35), val.VorticityBy.Is("temperature"))},
			{Kind: shot.Collider, Name: "Rail", Values: values(val.Form.Is("cylinder"), val.Position.Is(0, 1.13, 0), val.Turn.Is(0, 0, 90), val.Size.Is(0.025, 1.4, 0.025), val.Colour.Is(0.1, 0.09, 0.08))},
			{Kind: shot.Sensor, Name: "Match", On: []int{0}, Values: values(val.Form.Is("sphere"), val.Position.Is(0.12, 0.1, 0), val.Size.Is(0.1, 0.1, 0.3))},
			{Kind: shot.Cloth, Name: "Curtain", On: []int{0}, Values: light(val.Position.Is(0, 0.59, 0), val.Turn.Is(90, 0, 0), val.Size.Is(0.9, 0.01, 1), val.ClothEdge.Is(0.025), val.Pins.Is("hooks"), val.Hooks.Is(11), val.Colour.Is(0.5, 0.44, 0.34),
				val.BurnsAt.Is(650), val.BurnsFor.Is(1.2), val.FireSpread.Is(0.25), val.LitWithin.Is(part(3)), val.TearsAt.Is(0.2))},
			{Kind: shot.Emitter, Name: "Flame of the cloth", On: []int{1}, Values: values(val.From.Is("fluid"), val.FedBy.Is(part(0)), val.FedWhere.Is("temperature"), val.Position.Is(0, 0.6, 0), val.Fuel.Is(0.13), val.Smoke.Is(0.05), val.Temperature.Is(950), val.Inherit.Is(0.3), val.Breakup.Is(0.5), val.BreakupSize.Is(0.08), val.BreakupRate.Is(3))},
			{Kind: shot.Turbulence, Name: "Flicker", On: []int{1}, Values: values(val.Position.Is(0.7, 1.2, 0), val.Strength.Is(3.0), val.Largest.Is(0.4), val.Octaves.Is(2), val.Rate.Is(1.8))},
		},
		Look: values(val.Extinction.Is(4.0), val.Colour.Is(0.25, 0.24, 0.23), val.Flame.Is(0.25), val.FlameLight.Is(1.6), val.FlameThickness.Is(3.0), val.FlameSoot.Is(0.2), val.SunStrength.Is(0.5), val.SunHeight.Is(30.0), val.SunBearing.Is(60), val.SkyStrength.Is(0.15), val.SkyColour.Is(0.4, 0.5, 0.8)),
	},
}
