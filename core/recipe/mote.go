package recipe

import (
	"fmt"
	"strings"

	"zarf/core/shot"
	"zarf/core/shot/val"
)

// Recipes of particles. A part that speaks of another element of its recipe names it by
// part.

// part is the element that part n of a recipe becomes, for values that name an element.
func part(n int) string { return fmt.Sprintf("part:%d", n) }

// named gives a value that names a part of the recipe the element that this has become.
func named(x *shot.Entry, v shot.Value, made []*shot.Element) shot.Value {
	var n int
	if x.Type != shot.Ref || !strings.HasPrefix(v.Text, "part:") {
		return v
	}
	if _, err := fmt.Sscanf(v.Text, "part:%d", &n); err != nil || n < 0 || n >= len(made) {
		return shot.Text("")
	}
	return shot.Text(made[n].ID)
}

// loose are the values of a domain of particles.
func loose(pairs ...val.Pair) shot.Values { return over(values(val.Fluid.Is("particles")), pairs) }

// motes are the recipes of particles.
var motes = []Recipe{
	{
		Key: "sparks", Name: "Sparks", Size: 0.3,
		About: "A shower of sparks as a cutter or a short circuit throws it: fast, bright, gone in a second, and they jump off the floor. Speed and cone shape it; the temperature decides how white they begin.",
		Parts: []Part{
			{Kind: shot.Domain, Name: "Spark air", Values: loose(val.Position.Is(0, 5, 0), val.Size.Is(16, 10, 16), val.Voxel.Is(0.25), val.Bounce.Is(0.35), val.Friction.Is(0.4), val.DiesBelow.Is(700), val.MaxSubsteps.Is(24))},
			{Kind: shot.Emitter, Name: "Cut", Values: values(val.Form.Is("sphere"), val.Position.Is(0, 3.5, 0), val.Size.Is(0.3, 0.3, 0.3), val.Turn.Is(0, 0, -70), val.BirthRate.Is(1500), val.Speed.Is(9), val.SpeedSpread.Is(0.5), val.Along.Is("axis"), val.Cone.Is(22), val.Temperature.Is(1900), val.TemperatureSpread.Is(0.12), val.Life.Is(1.6), val.LifeSpread.Is(0.7), val.Diameter.Is(0.006), val.DiameterSpread.Is(0.6), val.SolidDensity.Is(4000))},
		},
		Look: values(val.MoteGlow.Is(2.5), val.MoteGlowCurve.Is("0 1; 0.7 0.85; 1 0"), val.MoteColour.Is(0.1, 0.1, 0.1), val.SunStrength.Is(0.3), val.SkyStrength.Is(0.12), val.SkyColour.Is(0.4, 0.5, 0.8), val.Bloom.Is(0.08)),
	},
	{
		Key: "embers", Name: "Embers", Size: 1,
		About: "Glowing flakes that rise on the warm air over a bed of coals and go out. A gas that isn't seen carries them: its temperature decides how high they go.",
		Parts: []Part{
			{Kind: shot.Domain, Name: "Warm air", Values: values(val.Position.Is(0, 2.6, 0), val.Size.Is(4.4, 5.2, 4.4), val.Voxel.Is(0.09), val.Bounds.Is("follow"), val.FollowMargin.Is(0.5), val.Dissipation.Is(0.6), val.Cooling.Is(0.3), val.Vorticity.Is(0.4))},
			{Kind: shot.Domain, Name: "Embers", Values: loose(val.Position.Is(0, 2.9, 0), val.Size.Is(6, 5.8, 6), val.Voxel.Is(0.12), val.Carrier.Is(part(0)), val.DiesBelow.Is(650), val.HeatCapacity.Is(1200))},
			{Kind: shot.Emitter, Name: "Heat", On: []int{0}, Values: values(val.Form.Is("cylinder"), val.Position.Is(0, 0.12, 0), val.Size.Is(1, 0.24, 1), val.Smoke.Is(0.05), val.Temperature.Is(620), val.Speed.Is(0.5), val.Breakup.Is(0.4), val.BreakupSize.Is(0.35), val.BreakupRate.Is(2.0))},
			{Kind: shot.Emitter, Name: "Coals", On: []int{1}, Values: values(val.Form.Is("cylinder"), val.Position.Is(0, 0.25, 0), val.Size.Is(0.9, 0.2, 0.9), val.BirthRate.Is(220), val.Speed.Is(0.8), val.Cone.Is(70), val.Along.Is("axis"), val.Temperature.Is(1250), val.TemperatureSpread.Is(0.15), val.Life.Is(5.0), val.LifeSpread.Is(0.5), val.Diameter.Is(0.005), val.DiameterSpread.Is(0.6), val.SolidDensity.Is(120), val.Spin.Is(2))},
			{Kind: shot.Turbulence, Name: "Flicker", Values: values(val.Position.Is(1.2, 2, 0), val.Strength.Is(1.2), val.Largest.Is(0.8), val.Octaves.Is(2), val.Rate.Is(0.8))},
		},
		Look: values(val.Extinction.Is(0.4), val.MoteGlow.Is(6.0), val.MoteGlowCurve.Is("0 1; 0.7 0.8; 1 0"), val.MoteColour.Is(0.12, 0.11, 0.1), val.SunStrength.Is(0.25), val.SunHeight.Is(12.0), val.SkyStrength.Is(0.1), val.SkyColour.Is(0.35, 0.5, 0.9), val.Bloom.Is(0.06)),
	},
	{
		Key: "ash-fall", Name: "Ash fall", Size: 4,
		About: "Flakes of ash that sink through almost still air, turn over, and lie where they land. Density decides how slowly they fall, the turbulence how they wander.",
		Parts: []Part{
			{Kind: shot.Domain, Name: "Ash air", Values: loose(val.Position.Is(0, 1.2, 0), val.Size.Is(4, 2.4, 4), val.Voxel.Is(0.06), val.ShownAs.Is("discs"), val.Stretch.Is(1, 1, 0.6), val.OnHit.Is("stick"))},
			{Kind: shot.Emitter, Name: "Ash above", Values: values(val.Form.Is("box"), val.Position.Is(0, 1.7, 0), val.Size.Is(3.6, 1.2, 3.6), val.BirthRate.Is(900), val.Temperature.Is(293), val.Life.Is(0), val.Diameter.Is(0.009), val.DiameterSpread.Is(0.6), val.SolidDensity.Is(20), val.SolidSpread.Is(0.4), val.Spin.Is(1))},
			{Kind: shot.Wind, Name: "Drift", Values: values(val.Position.Is(-1.5, 1.6, 0), val.Velocity.Is(0.12, 0, 0.04), val.Gust.Is(0.5), val.GustTime.Is(3.0))},
			{Kind: shot.Turbulence, Name: "Eddies", Values: values(val.Position.Is(1, 1.4, 0), val.Strength.Is(0.8), val.Largest.Is(0.7), val.Octaves.Is(2), val.Rate.Is(0.3))},
		},
		Look: values(val.MoteColour.Is(0.8, 0.79, 0.77), val.SunStrength.Is(2.2), val.SunHeight.Is(30.0), val.SunBearing.Is(70.0), val.SkyStrength.Is(0.35), val.GroundColour.Is(0.05, 0.05, 0.052), val.Exposure.Is(0.5)),
	},
	{
		Key: "debris", Name: "Debris burst", Size: 1,
		About: "Lumps that a blast throws out, each with a trail of dust behind it, and that bounce and roll out. More speed throws wider; the trail's smoke is that of the second emitter.",
		Parts: []Part{
			{Kind: shot.Domain, Name: "Debris", Values: loose(val.Position.Is(0, 3, 0), val.Size.Is(14, 6, 14), val.Voxel.Is(0.2), val.ShownAs.Is("stones"), val.Bounce.Is(0.3), val.Friction.Is(0.7), val.MaxSubsteps.Is(16))},
			{Kind: shot.Domain, Name: "Dust air", Values: values(val.Position.Is(0, 3, 0), val.Size.Is(12, 6, 12), val.Voxel.Is(0.13), val.Bounds.Is("follow"), val.FollowMargin.Is(0.5), val.SmokeWeight.Is(0.1), val.Dissipation.Is(0.35), val.Vorticity.Is(0.2))},
			{Kind: shot.Emitter, Name: "Lumps", On: []int{0}, Values: values(val.Form.Is("sphere"), val.Position.Is(0, 0.35, 0), val.Size.Is(0.8, 0.6, 0.8), val.BirthRate.Is(1800), val.Speed.Is(8), val.SpeedSpread.Is(0.6), val.Along.Is("axis"), val.Cone.Is(65), val.Life.Is(0), val.Diameter.Is(0.09), val.DiameterSpread.Is(0.8), val.SolidDensity.Is(2200), val.Temperature.Is(293), val.Spin.Is(6)),
				Keys: keyed{val.BirthRate.Name(): keys(0, 0, 1, 1800, 4, 1800, 5, 0)}},
			{Kind: shot.Emitter, Name: "Trails", On: []int{1}, Values: values(val.From.Is("fluid"), val.FedBy.Is(part(0)), val.FedWhere.Is("density"), val.Position.Is(0, 0.35, 0), val.Smoke.Is(0.7), val.Temperature.Is(293), val.Inherit.Is(0.25))},
		},
		Look: values(val.Extinction.Is(5.0), val.Colour.Is(0.5, 0.45, 0.38), val.MoteColour.Is(0.06, 0.055, 0.05), val.SunHeight.Is(34.0)),
	},
	{
		Key: "dust-kick", Name: "Dust kicked up", Size: 1,
		About: "Sand and grit that a wheel or a foot throws off dry ground: a low fan that falls back, the finest last. The axis of the emitter points where it goes.",
		Parts: []Part{
			{Kind: shot.Domain, Name: "Grit air", Values: loose(val.Position.Is(1, 0.9, 0), val.Size.Is(5, 1.8, 3), val.Voxel.Is(0.05), val.Bounce.Is(0), val.Friction.Is(0.9), val.MaxSubsteps.Is(12))},
			{Kind: shot.Emitter, Name: "Kick", Values: values(val.Form.Is("box"), val.Position.Is(0, 0.06, 0), val.Size.Is(0.5, 0.08, 0.3), val.Turn.Is(0, 0, -50), val.BirthRate.Is(60000), val.Speed.Is(3.2), val.SpeedSpread.Is(0.7), val.Along.Is("axis"), val.Cone.Is(26), val.Life.Is(2.5), val.LifeSpread.Is(0.3), val.Diameter.Is(0.0035), val.DiameterSpread.Is(0.8), val.SolidDensity.Is(700), val.Temperature.Is(293), val.Pulse.Is(0.8), val.PulseShare.Is(0.18))},
			{Kind: shot.Turbulence, Name: "Eddies", Values: values(val.Position.Is(1, 0.7, 0), val.Strength.Is(1.5), val.Largest.Is(0.5), val.Octaves.Is(3), val.Rate.Is(1.5))},
		},
		Look: values(val.MoteColour.Is(0.72, 0.6, 0.44), val.SunHeight.Is(24.0), val.SunBearing.Is(60.0), val.GroundColour.Is(0.07, 0.06, 0.05), val.SkyStrength.Is(0.4)),
	},
}
