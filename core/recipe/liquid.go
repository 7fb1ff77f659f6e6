package recipe

// Recipes of liquids: pools, pours and what falls into them. Their voxels are chosen
// so that a stream or a wall has at least two across, which liquids need to hold.

import (
	"maps"

	"zarf/core/shot"
	"zarf/core/shot/val"
)

// places are keys of a position.
// Frame and place in turns; any, as the two have different types.
func places(pairs ...any) (list []shot.Key) {
	for i := 0; i+1 < len(pairs); i += 2 {
		list = append(list, shot.Key{Frame: pairs[i].(float64), Value: shot.Value{Vec: pairs[i+1].(xyz)}})
	}
	return list
}

// pool is a domain whose sides hold liquid, open above.
// What the caller gives wins over the sides that are set here.
func pool(pairs ...val.Pair) shot.Values {
	return over(values(val.Fluid.Is("liquid"), val.SideX0.Is("wall"), val.SideX1.Is("wall"), val.SideZ0.Is("wall"), val.SideZ1.Is("wall")), pairs)
}

// over are values with others over them.
func over(v shot.Values, pairs []val.Pair) shot.Values {
	maps.Copy(v, values(pairs...))
	return v
}

// liquids are the recipes of liquids.
var liquids = []Recipe{
	{
		Key: "pour", Name: "Pour", Size: 0.3,
		About: "A stream falls into a glass bowl. Speed and width of the spout decide how much comes; the checks tell on which frame the bowl is full.",
		Parts: []Part{
			{Kind: shot.Domain, Name: "Water", Values: values(val.Fluid.Is("liquid"), val.Position.Is(0, 1, 0), val.Size.Is(1.9, 2.0, 1.9), val.Voxel.Is(0.045))},
			{Kind: shot.Emitter, Name: "Spout", Values: values(val.Form.Is("cylinder"), val.Position.Is(0.12, 1.8, 0), val.Size.Is(0.22, 0.2, 0.22), val.Speed.Is(-1.2), val.Along.Is("axis"), val.Push.Is(-0.35, 0, 0))},
			{Kind: shot.Collider, Name: "Bowl", Values: values(val.Form.Is("tube"), val.Position.Is(0, 0.42, 0), val.Size.Is(1.4, 0.84, 1.4), val.Wall.Is(0.13), val.Material.Is("glass"))},
			{Kind: shot.Collider, Name: "Base", Values: values(val.Form.Is("cylinder"), val.Position.Is(0, 0.06, 0), val.Size.Is(1.5, 0.13, 1.5), val.Colour.Is(0.4, 0.38, 0.35))},
		},
		Look: values(val.LiquidColour.Is(0.6, 0.85, 0.9), val.LiquidDepth.Is(1.0), val.SunHeight.Is(48.0), val.SunBearing.Is(60.0)),
	},
	{
		Key: "splash", Name: "Splash", Size: 1.0,
		About: "Something drops into still water and throws up a crown. The body's size and speed decide how high; finer voxels break the crown into drops.",
		Parts: []Part{
			{Kind: shot.Domain, Name: "Pool", Values: pool(val.Position.Is(0, 1, 0), val.Size.Is(3.2, 2.0, 3.2), val.Voxel.Is(0.06), val.Calming.Is(0.02), val.Foam.Is(40.0), val.MaxSubsteps.Is(24))},
			{Kind: shot.Emitter, Name: "Still water", Values: values(val.Form.Is("box"), val.Position.Is(0, 0.3, 0), val.Size.Is(6, 0.6, 6), val.Pours.Is("once"))},
			{Kind: shot.Collider, Name: "Buoy", Values: values(val.Form.Is("sphere"), val.Position.Is(0, 1.6, 0), val.Size.Is(0.6, 0.6, 0.6), val.Colour.Is(0.6, 0.16, 0.06)),
				Keys: keyed{"position": places(0.0, xyz{0, 1.6, 0}, 4.0, xyz{0, 1.4, 0}, 10.0, xyz{0, 0.3, 0}, 14.0, xyz{0, 0.22, 0})}},
		},
		Look: values(val.LiquidColour.Is(0.35, 0.7, 0.75), val.LiquidDepth.Is(1.0), val.SunHeight.Is(30.0)),
	},
	{
		Key: "sea", Name: "Open sea", Size: 10.0, Base: 10,
		About: "Wind waves run past mooring piles, in a sea that goes on to the horizon. Wind and fetch make the waves; the domain is only where water meets something.",
		Parts: []Part{
			{Kind: shot.Domain, Name: "Water", Values: values(val.Fluid.Is("liquid"), val.Position.Is(0, -0.6, 0), val.Size.Is(14, 5.6, 11), val.Voxel.Is(0.16), val.SideY0.Is("outflow"), val.Calming.Is(0.02), val.Foam.Is(30.0), val.FoamLasts.Is(3.0), val.WetMap.Is(true), val.MaxSubsteps.Is(12))},
			{Kind: shot.Sea, Name: "Wind sea", Values: values(val.SeaLevel.Is(0), val.SeaWind.Is(10), val.SeaFetch.Is(15000), val.SeaDepth.Is(40), val.SeaBearing.Is(100))},
			{Kind: shot.Collider, Name: "Pile", Values: values(val.Form.Is("cylinder"), val.Position.Is(-0.6, -1, 0.4), val.Size.Is(1.0, 7, 1.0), val.Colour.Is(0.16, 0.12, 0.09))},
			{Kind: shot.Collider, Name: "Second pile", Values: values(val.Form.Is("cylinder"), val.Position.Is(1.6, -1.2, -1.6), val.Turn.Is(0, 0, 4), val.Size.Is(0.9, 7, 0.9), val.Colour.Is(0.15, 0.115, 0.085))},
		},
		Look: values(val.LiquidColour.Is(0.1, 0.42, 0.42), val.LiquidDepth.Is(3.0), val.SunHeight.Is(24.0), val.SunBearing.Is(215.0), val.SkyStrength.Is(0.9)),
	},
	{
		Key: "breaker", Name: "Breaker on rocks", Size: 10.0, Base: 10,
		About: "One large wave comes in from the sea, rises over a shoal and breaks on rocks. Its height and the frame on which it arrives are the sea's; the shoal's slope decides how it breaks.",
		Parts: []Part{
			{Kind: shot.Domain, Name: "Surf", Values: values(val.Fluid.Is("liquid"), val.Position.Is(0, 0.6, 0), val.Size.Is(17, 7.2, 11), val.Voxel.Is(0.16), val.Calming.Is(0.02), val.Foam.Is(60.0), val.FoamLasts.Is(3.0), val.WetMap.Is(true), val.MaxSubsteps.Is(16))},
			{Kind: shot.Sea, Name: "Rolling sea", Values: values(val.SeaLevel.Is(0), val.SeaWind.Is(9), val.SeaFetch.Is(10000), val.SeaDepth.Is(3), val.SeaBearing.Is(90), val.WaveSpread.Is(0.4), val.CrestHeight.Is(1.9), val.CrestFrame.Is(60), val.CrestPlace.Is(-2, 0, 0))},
			{Kind: shot.Collider, Name: "Shoal", Values: values(val.Form.Is("box"), val.Position.Is(2.6, -3.0, 0), val.Size.Is(9, 2.6, 9), val.Turn.Is(0, 0, 6), val.Colour.Is(0.13, 0.12, 0.1))},
			{Kind: shot.Collider, Name: "Rock", Values: values(val.Form.Is("sphere"), val.Position.Is(1.6, -0.5, 0.9), val.Size.Is(3.0, 3.4, 2.6), val.Turn.Is(10, 20, 14), val.Colour.Is(0.1, 0.095, 0.09))},
			{Kind: shot.Collider, Name: "Second rock", Values: values(val.Form.Is("sphere"), val.Position.Is(0.0, -0.8, -2.2), val.Size.Is(2.2, 2.2, 2.4), val.Turn.Is(0, 40, -12), val.Colour.Is(0.11, 0.1, 0.095))},
			{Kind: shot.Collider, Name: "Third rock", Values: values(val.Form.Is("box"), val.Position.Is(3.2, 0.0, -1.6), val.Size.Is(2.0, 2.8, 1.8), val.Turn.Is(12, 25, 20), val.Colour.Is(0.095, 0.09, 0.085))},
		},
		Look: values(val.LiquidColour.Is(0.12, 0.46, 0.42), val.LiquidDepth.Is(2.5), val.SunHeight.Is(28.0), val.SunBearing.Is(200.0), val.SkyStrength.Is(0.9)),
	},
	{
		Key: "fountain", Name: "Fountain", Size: 1.0,
		About: "A jet rises from a basin and falls back. Its height is the square of its speed over twice gravity: 5 m/s reach 1.3 m.",
		Parts: []Part{
			{Kind: shot.Domain, Name: "Basin", Values: pool(val.Position.Is(0, 1.15, 0), val.Size.Is(2.6, 2.3, 2.6), val.Voxel.Is(0.055), val.Calming.Is(0.02), val.Foam.Is(30.0), val.MaxSubsteps.Is(20))},
			{Kind: shot.Emitter, Name: "Basin water", Values: values(val.Form.Is("box"), val.Position.Is(0, 0.12, 0), val.Size.Is(6, 0.24, 6), val.Pours.Is("once"))},
			{Kind: shot.Emitter, Name: "Jet", Values: values(val.Form.Is("cylinder"), val.Position.Is(0, 0.2, 0), val.Size.Is(0.2, 0.2, 0.2), val.Speed.Is(5.4), val.Along.Is("axis"))},
		},
		Look: values(val.LiquidColour.Is(0.5, 0.8, 0.85), val.LiquidDepth.Is(1.5), val.SunHeight.Is(25.0), val.SunBearing.Is(150.0)),
	},
	{
		Key: "flood", Name: "Flood", Size: 4.0,
		About: "A wall of water is let go and runs down a passage round what stands in it. Height decides the speed: the front runs at about the root of four times gravity times height.",
		Parts: []Part{
			{Kind: shot.Domain, Name: "Passage", Values: pool(val.Position.Is(0.9, 0.6, 0), val.Size.Is(4.4, 1.2, 1.6), val.Voxel.Is(0.05), val.Calming.Is(0.02), val.Foam.Is(60.0), val.MaxSubsteps.Is(12))},
			{Kind: shot.Emitter, Name: "Held water", Values: values(val.Form.Is("box"), val.Position.Is(-1, 0.45, 0), val.Size.Is(0.9, 0.9, 3), val.Pours.Is("once"))},
			{Kind: shot.Collider, Name: "Post", Values: values(val.Form.Is("box"), val.Position.Is(0.6, 0.5, 0.15), val.Size.Is(0.24, 1.2, 0.24), val.Turn.Is(0, 30, 0), val.Colour.Is(0.35, 0.3, 0.26))},
			{Kind: shot.Collider, Name: "Crate", Values: values(val.Form.Is("box"), val.Position.Is(1.5, 0.16, -0.35), val.Size.Is(0.34, 0.34, 0.34), val.Turn.Is(0, 15, 0), val.Colour.Is(0.4, 0.25, 0.12))},
		},
		Look: values(val.LiquidColour.Is(0.3, 0.5, 0.45), val.LiquidDepth.Is(3.0), val.SunHeight.Is(35.0)),
	},
	{
		Key: "honey", Name: "Honey", Size: 0.08,
		About: "A thick thread that coils and piles up. Viscosity is the material's own: honey 10 Pa·s, syrup 2, tar 1000.",
		Parts: []Part{
			{Kind: shot.Domain, Name: "Honey", Values: values(val.Fluid.Is("liquid"), val.Position.Is(0, 0.9, 0), val.Size.Is(1.7, 1.8, 1.7), val.Voxel.Is(0.045), val.Viscosity.Is(12.0), val.Weight.Is(1400.0), val.Carried.Is("apic"))},
			{Kind: shot.Emitter, Name: "Spoon's edge", Values: values(val.Form.Is("cylinder"), val.Position.Is(0, 1.6, 0), val.Size.Is(0.24, 0.2, 0.24), val.Speed.Is(-0.45), val.Along.Is("axis"))},
			{Kind: shot.Collider, Name: "Plate", Values: values(val.Form.Is("cylinder"), val.Position.Is(0, 0.08, 0), val.Size.Is(1.5, 0.16, 1.5), val.Colour.Is(0.75, 0.73, 0.7), val.Friction.Is(1.0))},
		},
		Look: values(val.LiquidColour.Is(0.85, 0.42, 0.04), val.LiquidDepth.Is(0.35), val.LiquidIndex.Is(1.5), val.SunHeight.Is(30.0), val.SunBearing.Is(220.0)),
	},
	{
		Key: "lava", Name: "Lava", Size: 4.0,
		About: "Glowing rock creeps down a slope, cools where it meets the air and stiffens to a dark skin. The less heat it holds, the sooner it stands; the look shows how warm it is.",
		Parts: []Part{
			{Kind: shot.Domain, Name: "Lava", Values: values(val.Fluid.Is("liquid"), val.Position.Is(0.5, 0.6, 0), val.Size.Is(3.2, 1.2, 1.8), val.Voxel.Is(0.06), val.Viscosity.Is(300.0), val.Weight.Is(2700.0), val.CarriesHeat.Is(true), val.FlowsAt.Is(1400), val.StiffAt.Is(1000), val.StiffViscosity.Is(60000), val.HoldsHeat.Is(4), val.Conducts.Is(0.2), val.Carried.Is("apic"), val.MaxSubsteps.Is(4))},
			{Kind: shot.Emitter, Name: "Vent", Values: values(val.Form.Is("sphere"), val.Position.Is(-0.65, 0.85, 0), val.Size.Is(0.44, 0.36, 0.6), val.Speed.Is(0.12), val.Temperature.Is(1450))},
			{Kind: shot.Collider, Name: "Slope", Values: values(val.Form.Is("box"), val.Position.Is(0.4, 0.14, 0), val.Size.Is(3.6, 0.5, 2.2), val.Turn.Is(0, 0, -14), val.Colour.Is(0.09, 0.08, 0.08), val.Friction.Is(1.0))},
			{Kind: shot.Collider, Name: "Boulder", Values: values(val.Form.Is("sphere"), val.Position.Is(0.35, 0.45, 0.15), val.Size.Is(0.4, 0.36, 0.4), val.Colour.Is(0.08, 0.075, 0.07), val.Friction.Is(1.0))},
		},
		Look: values(val.LiquidAs.Is("opaque"), val.LiquidColour.Is(0.05, 0.045, 0.045), val.LiquidGlow.Is(0.5), val.LiquidGlowBy.Is("heat"), val.LiquidRough.Is(0.6), val.SunStrength.Is(0.7), val.SkyStrength.Is(0.2)),
	},
	{
		Key: "drip", Name: "Drip", Size: 0.02,
		About: "A drop swells, falls and strikes still water. Surface tension rules at this size and asks for many substeps: try it coarse first.",
		Parts: []Part{
			{Kind: shot.Domain, Name: "Water", Values: pool(val.Position.Is(0, 0.9, 0), val.Size.Is(1.6, 1.8, 1.6), val.Voxel.Is(0.05), val.Tension.Is(0.072), val.Carried.Is("apic"), val.MaxSubsteps.Is(60))},
			{Kind: shot.Emitter, Name: "Still water", Values: values(val.Form.Is("box"), val.Position.Is(0, 0.2, 0), val.Size.Is(4, 0.4, 4), val.Pours.Is("once"))},
			{Kind: shot.Emitter, Name: "Drop", Values: values(val.Form.Is("sphere"), val.Position.Is(0, 1.3, 0), val.Size.Is(0.36, 0.36, 0.36), val.Pours.Is("once"), val.Push.Is(0, -0.6, 0))},
		},
		Look: values(val.LiquidColour.Is(0.7, 0.9, 0.95), val.LiquidDepth.Is(1.0), val.SunHeight.Is(40.0)),
	},
}
