package recipe

// The recipes that come with the program, each for a thing of its Size; About names
// the value that one would change first. What scales are values with a unit of length
// or time, see exponent.

import (
	"math"
	"slices"

	"zarf/core/shot"
	"zarf/core/shot/val"
)

func values(pairs ...val.Pair) shot.Values { return shot.With(pairs...) }

// keyed is a value that runs through keys.
type keyed = map[string][]shot.Key

// keys makes one of frames and values in turns.
// Frames count from the start, at 24 a second.
func keys(pairs ...float64) (list []shot.Key) {
	for i := 0; i+1 < len(pairs); i += 2 {
		list = append(list, shot.Key{Frame: pairs[i], Value: shot.Num(pairs[i+1])})
	}
	return list
}

// ring is the size of a torus that grows for so many frames as the front of a blast does, as
// t^(2/5) (Taylor 1950), from wide on the first frame on; it is thick all the time.
func ring(wide, thick, last float64) (list []shot.Key) {
	for _, f := range []float64{0, 1, 2, 4, 7, 11, 16, last} {
		w := wide * math.Pow(1+f, 0.4)
		list = append(list, shot.Key{Frame: f, Value: shot.Vec(w, thick, w)})
	}
	return list
}

// spin turns what lies across z ever faster for so many frames at 24 a second: from rest to
// 15 radians a second within two seconds, and on at that.
func spin(last float64) (list []shot.Key) {
	const most, within = 15.0, 2.0
	for f := 0.0; f <= last; f += 4 {
		t := f / 24
		rad := most * t * t / (2 * within)
		if t > within {
			rad = most * (t - within/2)
		}
		list = append(list, shot.Key{Frame: f, Value: shot.Vec(90, 0, -math.Round(rad*180/math.Pi))})
	}
	return list
}

// xyz is a vector.
type xyz = [3]float64

// All recipes, in the order of the menu.
// Gas first, small to large, then liquids, then particles, then cloth.
var All = append([]Recipe{
	{
		Key: "steam", Name: "Steam", Size: 0.5,
		About: "A white jet that slows, rises and is gone: kettles, valves, horns. Change the inflow speed first; dissipation decides how long it hangs.",
		Parts: []Part{
			{Kind: shot.Domain, Name: "Steam air", Values: values(val.Position.Is(0, 5, 0), val.Size.Is(11, 10, 11), val.Voxel.Is(0.1), val.SmokeBy.Is("points"), val.SmokePoints.Is(32), val.SmokeFine.Is("2"), val.SubGrid.Is(1.0), val.Bounds.Is("follow"), val.FollowMargin.Is(0.8), val.Dissipation.Is(0.35), val.Cooling.Is(0.5), val.Vorticity.Is(0.3))},
			{Kind: shot.Emitter, Name: "Vent", Values: values(val.Form.Is("cylinder"), val.Position.Is(0, 0.25, 0), val.Size.Is(0.9, 0.5, 0.9), val.Smoke.Is(1.6), val.Temperature.Is(365), val.Speed.Is(3.5), val.Along.Is("axis"), val.Breakup.Is(0.35), val.BreakupSize.Is(0.4), val.BreakupRate.Is(4.0))},
			{Kind: shot.Turbulence, Name: "Eddies", Values: values(val.Position.Is(1.5, 4, 0), val.Strength.Is(0.8), val.Largest.Is(1.2), val.Octaves.Is(2), val.Rate.Is(0.6))},
		},
		Look: values(val.Extinction.Is(6.0), val.Colour.Is(0.96, 0.96, 0.97), val.Phase.Is(0.45), val.Bounces.Is(8), val.SunHeight.Is(22.0), val.SunBearing.Is(120.0)),
	},
	{
		Key: "brazier", Name: "Brazier fire", Size: 0.6,
		About: "Lively flame over a basket or a heap of wood. Its power makes it taller; soot decides how much smoke it wears, flicker how restless it is.",
		Parts: []Part{
			{Kind: shot.Domain, Name: "Fire air", Values: values(val.Position.Is(0, 2.9, 0), val.Size.Is(5, 6.2, 5), val.Voxel.Is(0.07), val.Bounds.Is("follow"), val.FollowMargin.Is(0.5), val.Burning.Is("oxygen"), val.Ignition.Is(600), val.BurnRate.Is(15), val.HeatReleased.Is(26), val.OxygenNeed.Is(11), val.Soot.Is(3.0), val.Expansion.Is(1.0), val.Spread.Is(2.0), val.Afterglow.Is(0.09), val.Radiation.Is(2600), val.RadiationAt.Is(2000), val.Cooling.Is(0.2), val.Dissipation.Is(0.7), val.Vorticity.Is(0.45), val.VorticityBy.Is("temperature"))},
			{Kind: shot.Emitter, Name: "Embers", Values: values(val.Form.Is("cylinder"), val.Position.Is(0, 0.02, 0), val.Size.Is(0.8, 0.2, 0.8), val.Smoke.Is(0.02), val.Temperature.Is(950), val.FuelPower.Is(540), val.Breakup.Is(0.65), val.BreakupSize.Is(0.28), val.BreakupRate.Is(2.6))},
			{Kind: shot.Turbulence, Name: "Flicker", Values: values(val.Position.Is(1.2, 1.6, 0), val.Strength.Is(1.5), val.Largest.Is(0.7), val.Octaves.Is(2), val.Rate.Is(1.6), val.Region.Is("sphere"), val.RegionSize.Is(2.4, 3, 2.4), val.RegionFade.Is(0.8))},
		},
		Look: values(val.Extinction.Is(3.0), val.Colour.Is(0.25, 0.24, 0.23), val.Flame.Is(0.2), val.FlameLight.Is(1.6), val.FlameThickness.Is(5.0), val.FlameSoot.Is(0.2), val.SunStrength.Is(0.25), val.SunHeight.Is(12.0), val.SkyStrength.Is(0.12), val.SkyColour.Is(0.35, 0.5, 0.9)),
	},
	{
		Key: "small-blast", Name: "Small blast", Size: 1,
		About: "A charge of a bag or a barrel: hard flash, a ball that rolls over and black-brown smoke. Shorten the fuel's keys for a harder bang.",
		Parts: []Part{
			{Kind: shot.Domain, Name: "Blast air", Values: values(val.Position.Is(0, 4, 0), val.Size.Is(11, 8, 11), val.Voxel.Is(0.14), val.Bounds.Is("follow"), val.FollowMargin.Is(0.8), val.Burning.Is("fuel"), val.Ignition.Is(600), val.BurnRate.Is(10.0), val.HeatReleased.Is(8.5), val.SmokeBy.Is("points"), val.SmokePoints.Is(64), val.SmokeFine.Is("2"), val.SubGrid.Is(1.5), val.Soot.Is(20.0), val.Expansion.Is(1.0), val.Spread.Is(5.0), val.Afterglow.Is(0.12), val.Radiation.Is(2600), val.RadiationAt.Is(2000), val.Cooling.Is(0.35), val.Dissipation.Is(0.1), val.Vorticity.Is(0.4), val.MaxSubsteps.Is(12))},
			{Kind: shot.Emitter, Name: "Charge", Values: values(val.Form.Is("sphere"), val.Position.Is(0, 0.45, 0), val.Size.Is(1, 0.9, 1), val.Temperature.Is(1100), val.Fuel.Is(0.42), val.Smoke.Is(0.5), val.Speed.Is(4.0), val.Breakup.Is(0.55), val.BreakupSize.Is(0.4), val.BreakupRate.Is(5.0)),
				Keys: keyed{val.Fuel.Name(): keys(0, 0.42, 3, 0.42, 5, 0), val.Smoke.Name(): keys(0, 0.5, 3, 0.5, 5, 0), val.Speed.Name(): keys(0, 5, 2, 4, 5, 0), val.Temperature.Name(): keys(0, 1100, 3, 1100, 5, 293)}},
			{Kind: shot.Turbulence, Name: "Churn", Values: values(val.Position.Is(2, 3, 0), val.Strength.Is(2.0), val.Largest.Is(1.3), val.Octaves.Is(3), val.Rate.Is(1.5)), Keys: keyed{val.Strength.Name(): keys(0, 2.5, 10, 2, 30, 0.5)}},
		},
		Look: values(val.Extinction.Is(13.0), val.Colour.Is(0.33, 0.3, 0.27), val.Flame.Is(0.04), val.FlameLight.Is(0.04), val.FlameThickness.Is(2.0), val.FlameSoot.Is(0.35), val.SunHeight.Is(34.0)),
	},
	{
		Key: "large-blast", Name: "Large blast", Size: 8,
		About: "A house or a store goes up: slow, heavy, with a cap that rolls in on itself. Judge it by its timing: half a second to swell, many to rise.",
		Parts: []Part{
			{Kind: shot.Domain, Name: "Blast air", Values: values(val.Position.Is(0, 3.6, 0), val.Size.Is(9, 7.2, 9), val.Voxel.Is(0.11), val.Bounds.Is("follow"), val.FollowMargin.Is(0.7), val.Burning.Is("fuel"), val.Ignition.Is(600), val.BurnRate.Is(7.0), val.HeatReleased.Is(8.5), val.SmokeBy.Is("points"), val.SmokePoints.Is(40), val.SmokeFine.Is("2"), val.SubGrid.Is(1.5), val.Soot.Is(22.0), val.Expansion.Is(1.0), val.Spread.Is(4.0), val.Afterglow.Is(0.15), val.Radiation.Is(1700), val.RadiationAt.Is(2000), val.Cooling.Is(0.2), val.Dissipation.Is(0.03), val.Vorticity.Is(0.45), val.MaxSubsteps.Is(12))},
			{Kind: shot.Emitter, Name: "Store", Values: values(val.Form.Is("sphere"), val.Position.Is(0, 0.4, 0), val.Size.Is(1, 0.8, 1), val.Temperature.Is(1100), val.Fuel.Is(0.4), val.Smoke.Is(0.8), val.Speed.Is(3.0), val.Breakup.Is(0.6), val.BreakupSize.Is(0.35), val.BreakupRate.Is(4.0)),
				Keys: keyed{val.Fuel.Name(): keys(0, 0.4, 3, 0.4, 5, 0), val.Smoke.Name(): keys(0, 0.8, 4, 0.8, 6, 0), val.Speed.Name(): keys(0, 4.5, 2, 3.5, 5, 0), val.Temperature.Name(): keys(0, 1100, 4, 1100, 5, 293)}},
			{Kind: shot.Turbulence, Name: "Churn", Values: values(val.Position.Is(1.8, 2.4, 0), val.Strength.Is(1.8), val.Largest.Is(0.9), val.Octaves.Is(3), val.Rate.Is(1.2)), Keys: keyed{val.Strength.Name(): keys(0, 2.4, 10, 1.8, 40, 0.5)}},
		},
		Look: values(val.Extinction.Is(16.0), val.Colour.Is(0.34, 0.31, 0.28), val.Flame.Is(0.04), val.FlameLight.Is(0.04), val.FlameThickness.Is(2.0), val.FlameSoot.Is(0.4), val.SunHeight.Is(34.0)),
	},
	{
		Key: "heavy-fog", Name: "Heavy fog", Size: 4,
		About: "Cold fog that is heavier than the air, creeps along the ground and falls over edges. Weight decides how fast it runs.",
		Parts: []Part{
			{Kind: shot.Domain, Name: "Fog air", Values: values(val.Position.Is(0, 0.6, 0), val.Size.Is(5, 1.3, 5), val.Voxel.Is(0.05), val.SmokeBy.Is("points"), val.SmokePoints.Is(40), val.SmokeFine.Is("2"), val.Bounds.Is("follow"), val.FollowMargin.Is(0.25), val.SmokeWeight.Is(0.4), val.Cooling.Is(0.02), val.Vorticity.Is(0.12))},
			{Kind: shot.Emitter, Name: "Fog source", Values: values(val.Form.Is("cylinder"), val.Position.Is(0, 0.075, 0), val.Size.Is(1, 0.15, 1), val.Smoke.Is(1.0), val.Temperature.Is(278), val.Breakup.Is(0.75), val.BreakupSize.Is(0.3), val.BreakupRate.Is(0.4))},
			{Kind: shot.Turbulence, Name: "Slow air", Values: values(val.Position.Is(1, 0.8, 0), val.Strength.Is(0.1), val.Largest.Is(0.6), val.Octaves.Is(2), val.Rate.Is(0.25))},
		},
		Look: values(val.Extinction.Is(9.0), val.Colour.Is(0.94, 0.95, 0.97), val.Phase.Is(0.35), val.Bounces.Is(8), val.SunStrength.Is(2.0), val.SunHeight.Is(18.0), val.SkyStrength.Is(0.9)),
	},
	{
		Key: "chimney", Name: "Chimney smoke", Size: 0.6,
		About: "Smoke of a stove that leaves a stack and bends with the wind. The wind's grip decides how soon it lies down.",
		Parts: []Part{
			{Kind: shot.Domain, Name: "Sky", Values: values(val.Position.Is(4.5, 4, 0), val.Size.Is(14, 9, 6), val.Voxel.Is(0.16), val.SmokeBy.Is("points"), val.SmokePoints.Is(32), val.SmokeFine.Is("2"), val.SubGrid.Is(1.0), val.Bounds.Is("follow"), val.FollowMargin.Is(1.2), val.Cooling.Is(0.25), val.Dissipation.Is(0.12), val.Vorticity.Is(0.3))},
			{Kind: shot.Emitter, Name: "Stack", Values: values(val.Form.Is("cylinder"), val.Position.Is(0, 0.1, 0), val.Size.Is(0.8, 0.5, 0.8), val.Smoke.Is(1.2), val.Temperature.Is(390), val.Speed.Is(1.6), val.Along.Is("axis"), val.Breakup.Is(0.4), val.BreakupSize.Is(0.5), val.BreakupRate.Is(1.5))},
			{Kind: shot.Wind, Name: "Wind", Values: values(val.Position.Is(-1.5, 3, 0), val.Velocity.Is(1.6, 0, 0.2), val.Grip.Is(0.5), val.Gust.Is(0.4), val.GustTime.Is(2.5))},
			{Kind: shot.Turbulence, Name: "Eddies", Values: values(val.Position.Is(4, 6, 0), val.Strength.Is(0.8), val.Largest.Is(1.6), val.Octaves.Is(2), val.Rate.Is(0.4))},
		},
		Look: values(val.Extinction.Is(4.0), val.Colour.Is(0.55, 0.54, 0.53), val.Phase.Is(0.3), val.Bounces.Is(6)),
	},
	{
		Key: "ground-burst", Name: "Ground burst", Size: 2,
		About: "Earth and dust thrown up by a hit, and a ring that runs out along the ground. No fire; the weight of the dust brings it down again.",
		Parts: []Part{
			{Kind: shot.Domain, Name: "Dust air", Values: values(val.Position.Is(0, 2.2, 0), val.Size.Is(9, 4.5, 9), val.Voxel.Is(0.11), val.SmokeBy.Is("points"), val.SmokePoints.Is(40), val.SmokeFine.Is("2"), val.SubGrid.Is(1.0), val.Bounds.Is("follow"), val.FollowMargin.Is(0.6), val.SmokeWeight.Is(0.35), val.Cooling.Is(0.8), val.Dissipation.Is(0.06), val.Vorticity.Is(0.35), val.MaxSubsteps.Is(12))},
			{Kind: shot.Emitter, Name: "Column", Values: values(val.Form.Is("cylinder"), val.Position.Is(0, 0.3, 0), val.Size.Is(0.9, 0.6, 0.9), val.Smoke.Is(1.4), val.Temperature.Is(330), val.Speed.Is(13.0), val.Along.Is("axis"), val.Breakup.Is(0.7), val.BreakupSize.Is(0.3), val.BreakupRate.Is(8.0)),
				Keys: keyed{val.Smoke.Name(): keys(0, 1.4, 4, 1.4, 7, 0), val.Speed.Name(): keys(0, 13, 2, 11, 7, 0)}},
			{Kind: shot.Emitter, Name: "Ring", Values: values(val.Form.Is("torus"), val.Position.Is(0, 0.14, 0), val.Size.Is(1.5, 0.28, 1.5), val.Smoke.Is(0.9), val.Temperature.Is(300), val.Speed.Is(5.0), val.Breakup.Is(0.6), val.BreakupSize.Is(0.25), val.BreakupRate.Is(8.0)),
				Keys: keyed{val.Smoke.Name(): keys(0, 0.9, 3, 0.9, 5, 0), val.Speed.Name(): keys(0, 6, 2, 5, 5, 0)}},
			{Kind: shot.Turbulence, Name: "Churn", Values: values(val.Position.Is(1.5, 2, 0), val.Strength.Is(5.0), val.Largest.Is(0.8), val.Octaves.Is(3), val.Rate.Is(1.2)), Keys: keyed{val.Strength.Name(): keys(0, 7, 12, 4, 40, 1)}},
		},
		Look: values(val.Extinction.Is(5.0), val.Colour.Is(0.6, 0.5, 0.38), val.Phase.Is(0.25), val.Bounces.Is(6)),
	},
	{
		Key: "ground-shock", Name: "Ground shock", Size: 3,
		About: "The skirt of dust that a blast's pressure lifts off the ground and drives out in a ring: fast at first, as the 0.4th power of time. Put it where a blast stands; its pace is in the keys of the ring's size, and the air that pushes it comes from the middle.",
		Parts: []Part{
			{Kind: shot.Domain, Name: "Ground air", Values: values(val.Position.Is(0, 0.9, 0), val.Size.Is(11, 1.8, 11), val.Voxel.Is(0.07), val.SmokeBy.Is("points"), val.SmokePoints.Is(40), val.SmokeFine.Is("2"), val.SubGrid.Is(1.0), val.Bounds.Is("follow"), val.FollowMargin.Is(0.4), val.SmokeWeight.Is(0.8), val.Cooling.Is(1.0), val.Dissipation.Is(0.12), val.Vorticity.Is(0.4), val.MaxSubsteps.Is(12))},
			{Kind: shot.Emitter, Name: "Dust front", Values: values(val.Form.Is("torus"), val.Position.Is(0, 0.06, 0), val.Size.Is(2, 0.22, 2), val.Smoke.Is(0.9), val.Breakup.Is(0.65), val.BreakupSize.Is(0.35), val.BreakupRate.Is(10.0)),
				Keys: keyed{val.Size.Name(): ring(2, 0.22, 22), val.Smoke.Name(): keys(0, 2, 6, 1.4, 18, 0.5, 22, 0), val.Speed.Name(): keys(0, 1.2, 6, 0.6, 22, 0.2)}},
			{Kind: shot.Emitter, Name: "Shock", Values: values(val.Form.Is("cylinder"), val.Position.Is(0, 0.1, 0), val.Size.Is(1.5, 0.2, 1.5), val.Smoke.Is(0.0)),
				Keys: keyed{val.Speed.Name(): keys(0, 4, 3, 1.2, 7, 0)}},
			{Kind: shot.Turbulence, Name: "Churn", Values: values(val.Position.Is(1.5, 1, 0), val.Strength.Is(3.0), val.Largest.Is(0.5), val.Octaves.Is(3), val.Rate.Is(1.5)), Keys: keyed{val.Strength.Name(): keys(0, 5, 12, 2.5, 40, 0.6)}},
		},
		Look: values(val.Extinction.Is(4.5), val.Colour.Is(0.62, 0.53, 0.42), val.Phase.Is(0.25), val.Bounces.Is(6), val.SunHeight.Is(28.0)),
	},
	{
		Key: "friction-smoke", Name: "Friction smoke", Size: 1,
		About: "Dense, heavy smoke from a rim that rubs as it turns: brakes, tyres, belts. How fast it turns is in the keys of Turn; weight decides how soon it rolls over the ground.",
		Parts: []Part{
			{Kind: shot.Domain, Name: "Brake air", Values: values(val.Position.Is(0.3, 1.15, 0), val.Size.Is(6, 2.5, 5), val.Voxel.Is(0.056), val.SmokeBy.Is("points"), val.SmokePoints.Is(40), val.SmokeFine.Is("2"), val.SubGrid.Is(1.0), val.Bounds.Is("follow"), val.FollowMargin.Is(0.35), val.SmokeWeight.Is(0.25), val.Cooling.Is(1.2), val.Dissipation.Is(0.06), val.Vorticity.Is(0.3))},
			{Kind: shot.Emitter, Name: "Brake band", Values: values(val.Form.Is("torus"), val.Position.Is(0, 0.62, 0), val.Turn.Is(90, 0, 0), val.Size.Is(1, 0.15, 1), val.Smoke.Is(3.5), val.Temperature.Is(420), val.Speed.Is(0.3), val.Inherit.Is(0.35), val.Breakup.Is(0.45), val.BreakupSize.Is(0.14), val.BreakupRate.Is(6.0)),
				Keys: keyed{val.Smoke.Name(): keys(0, 0, 25, 3.5), val.Temperature.Name(): keys(0, 300, 25, 420), val.Turn.Name(): spin(96)}},
			{Kind: shot.Turbulence, Name: "Eddies", Values: values(val.Position.Is(1.4, 1.4, 0), val.Strength.Is(0.7), val.Largest.Is(0.5), val.Octaves.Is(2), val.Rate.Is(0.8))},
		},
		Look: values(val.Extinction.Is(7.0), val.Colour.Is(0.8, 0.78, 0.75), val.Phase.Is(0.3), val.Bounces.Is(6)),
	},
	{
		Key: "wisps", Name: "Wisps", Size: 0.1,
		About: "Thin threads over a wick, a cup or an incense stick, carried by points so that they stay thin. They live from calm air and a gentle warmth under them: more warmth makes a plume, more breath tears them.",
		Parts: []Part{
			{Kind: shot.Domain, Name: "Calm air", Values: values(val.Position.Is(0, 3.75, 0), val.Size.Is(3, 7.5, 3), val.Voxel.Is(0.03), val.SmokeBy.Is("points"), val.SmokePoints.Is(128), val.Cooling.Is(0.016), val.Dissipation.Is(0.03), val.Vorticity.Is(0.0), val.Damping.Is(0.0))},
			{Kind: shot.Emitter, Name: "Wick", Values: values(val.Form.Is("sphere"), val.Position.Is(-0.07, 0.4, 0.03), val.Size.Is(0.06, 0.06, 0.06), val.Smoke.Is(1.0), val.Temperature.Is(320))},
			{Kind: shot.Emitter, Name: "Second wick", Values: values(val.Form.Is("sphere"), val.Position.Is(0.06, 0.42, -0.05), val.Size.Is(0.06, 0.06, 0.06), val.Smoke.Is(1.0), val.Temperature.Is(320))},
			{Kind: shot.Emitter, Name: "Warm ash", Values: values(val.Form.Is("sphere"), val.Position.Is(0, 0.3, 0), val.Size.Is(0.16, 0.12, 0.16), val.Smoke.Is(0.04), val.Temperature.Is(355))},
			{Kind: shot.Turbulence, Name: "Breath", Values: values(val.Position.Is(1, 5, 0), val.Strength.Is(0.02), val.Largest.Is(1.2), val.Octaves.Is(2), val.Rate.Is(0.25))},
		},
		Look: values(val.Extinction.Is(90.0), val.Colour.Is(0.9, 0.92, 0.97), val.Phase.Is(0.7), val.Ground.Is(false), val.Background.Is("grey"), val.SunStrength.Is(9.0)),
	},
}, slices.Concat(liquids, motes, cloths)...)
