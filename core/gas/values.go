package gas

// The values that only a gas has: of domains, of what emitters let out, and of the
// fire in them. They join the catalogue when the solver registers; see package shot
// for what each field of an entry means.

import (
	"zarf/core/shot"
	"zarf/core/shot/val"
)

// values are what only a gas has, of domains and of emitters.
func values() []shot.Entry {
	list := []shot.Entry{
		shot.Named(val.Lift, shot.Entry{After: val.Fluid.Name(), Kind: shot.Domain, Label: "Lift of warm gas", Type: shot.Number, Default: shot.Num(1), Min: -100, Max: 100, Step: 0.1, Keyable: true, Main: true, Topic: "motion", Sim: true, When: "in=gas", Help: "How strongly warmth lifts; 1 as in nature: by the weight that warm gas lacks, at most that of the air. 0 not at all, below 0 it sinks."}),
		shot.Named(val.SmokeWeight, shot.Entry{After: val.Lift.Name(), Kind: shot.Domain, Label: "Weight of smoke", Type: shot.Number, Unit: shot.Density, Default: shot.Num(0), Min: -1000, Max: 1000, Step: 0.05, Keyable: true, Main: true, Topic: "motion", Sim: true, When: "in=gas", Help: "What smoke of density 1 adds to the air's weight. Above 0 it sinks and rolls along the ground."}),
		shot.Named(val.Dissipation, shot.Entry{After: val.SmokeWeight.Name(), Kind: shot.Domain, Label: "Smoke fades", Type: shot.Number, Unit: shot.PerSecond, Default: shot.Num(0), Min: 0, Max: 1000, Step: 0.05, Keyable: true, Main: true, Topic: "motion", Sim: true, When: "in=gas", Help: "Share of the smoke that goes in a second, roughly. 0 keeps it for ever."}),
		shot.Named(val.Cooling, shot.Entry{After: val.Dissipation.Name(), Kind: shot.Domain, Label: "Heat fades", Type: shot.Number, Unit: shot.PerSecond, Default: shot.Num(0.2), Min: 0, Max: 1000, Step: 0.05, Keyable: true, Main: true, Topic: "motion", Sim: true, When: "in=gas", Help: "How quickly warm gas takes the air's temperature. Quick cooling makes short, heavy plumes."}),
		shot.Named(val.Vorticity, shot.Entry{After: val.Cooling.Name(), Kind: shot.Domain, Label: "Vorticity confinement", Type: shot.Number, Default: shot.Num(0.1), Min: 0, Max: 20, Step: 0.05, Keyable: true, Main: true, Topic: "motion", Sim: true, When: "in=gas", Help: "Feeds small curls that the grid would lose. Much of it looks nervous; over 2 it may blow up."}),
		shot.Named(val.VorticityBy, shot.Entry{After: val.Vorticity.Name(), Kind: shot.Domain, Label: "Curls fed", Type: shot.Choice, Default: shot.Text("even"), Choices: shot.Options("even", "everywhere", "temperature", "where it is hot", "density", "where smoke is"), Topic: "motion", Sim: true, Counts: "vorticity=+", When: "in=gas", Help: "Where vorticity confinement works: evenly, by temperature (fully from 500 K over the air), or by smoke density."}),
		shot.Named(val.SubGrid, shot.Entry{After: val.VorticityBy.Name(), Kind: shot.Domain, Label: "Sub-grid turbulence", Type: shot.Number, Default: shot.Num(0), Min: 0, Max: 10, Step: 0.25, Keyable: true, Main: true, Topic: "motion", Sim: true, When: "in=gas", Help: "Stirs smoke, heat and fuel by the whirls that voxels are too coarse for, where the flow has energy for them; 1 is as much as it has. Breaks smooth sheets up at a tenth more time; the large motion stays as it is. Over 3 it looks like noise. Calm threads want 0."}),
		shot.Named(val.Bounds, shot.Entry{After: val.Damping.Name(), Kind: shot.Domain, Label: "Bounds", Type: shot.Choice, Default: shot.Text("fixed"), Choices: shot.Options("fixed", "fixed", "follow", "follow the fluid"), Main: true, Topic: "bounds", Sim: true, Builds: true, When: "in=gas", Help: "Fixed works on the whole box all the time. Following works on the blocks where fluid is and keeps no others in memory; the box is then only the farthest it may go."}),
		shot.Named(val.FollowFrom, shot.Entry{After: val.Bounds.Name(), Kind: shot.Domain, Label: "Fluid counts from", Type: shot.Number, Default: shot.Num(0.001), Min: 1e-6, Max: 10, Keyable: true, Topic: "bounds", Sim: true, When: "in=gas&bounds=follow", Help: "Smoke, fuel or flame over this keeps a block; heat from 20 K times this. Higher saves time and cuts off thin veils."}),
		shot.Named(val.FollowMargin, shot.Entry{After: val.FollowFrom.Name(), Kind: shot.Domain, Label: "Margin", Type: shot.Number, Unit: shot.Metre, Default: shot.Num(0.4), Min: 0, Max: 1e5, Step: 0.05, Keyable: true, Topic: "bounds", Sim: true, When: "in=gas&bounds=follow", Help: "Air round the fluid that is simulated too. Too little and it moves as if in a tight box; 8 voxels do as a rule."}),
		shot.Named(val.Scheme, shot.Entry{After: val.SideZ1.Name(), Kind: shot.Domain, Label: "Advection", Type: shot.Choice, Default: shot.Text("MacCormack"), Choices: shot.Options("semi-Lagrangian", "semi-Lagrangian", "MacCormack", "MacCormack", "reflection", "advection–reflection, cubic"), Topic: "solver", Sim: true, When: "in=gas", Help: "MacCormack keeps fine curls and suits most. Semi-Lagrangian is softer and takes two thirds of the time: drafts, lazy fog. Advection–reflection with cubic splines keeps whirls going longest, and takes 3 to 4 times as long: hero plumes in calm air; for drifting mist nobody sees the difference."}),
		shot.Named(val.SmokeBy, shot.Entry{After: val.Scheme.Name(), Kind: shot.Domain, Label: "Smoke carried", Type: shot.Choice, Default: shot.Text("voxels"), Choices: shot.Options("voxels", "by voxels", "points", "by points, sharp"), Topic: "solver", Sim: true, Builds: true, When: "in=gas", Help: "Voxels blur smoke a little in every step: soft plumes, steam, haze. Points drift along with the gas and stay as fine as they came in: threads, sharp edges, long rolling sheets. They show a trace of grain; wisps cost nothing, full boxes up to as much again. With sub-grid turbulence a plume shows twice the fine detail of voxels alone. In fire they thin out as gas expands: set soot anew."}),
		shot.Named(val.SmokePoints, shot.Entry{After: val.SmokeBy.Name(), Kind: shot.Domain, Label: "Points per voxel", Type: shot.Number, Default: shot.Num(16), Min: 1, Max: 512, Step: 4, Topic: "solver", Sim: true, Builds: true, Fixed: "Points that are there keep the smoke that they hold.", When: "in=gas&smoke_by=points", Help: "In smoke of density 1; less dense smoke has fewer. Four times as many halve the grain; smoke that comes in at 0.1 wants 100 and more."}),
		shot.Named(val.SmokeFine, shot.Entry{After: val.SmokePoints.Name(), Kind: shot.Domain, Label: "Smoke kept", Type: shot.Choice, Default: shot.Text("1"), Choices: shot.Options("1", "on the gas's voxels", "2", "2 × as fine", "3", "3 × as fine"), Topic: "solver", Sim: true, Builds: true, When: "in=gas&smoke_by=points", Help: "Points know where smoke is far better than voxels can show. Kept twice as fine, frames show two to three times as much detail at next to no time; what the gas does stays the same, and pictures while it runs show its own voxels. Frames take up to eight times the disk, and grain shows more: give four times as many points."}),
		shot.Named(val.CacheTemperature, shot.Entry{After: val.CacheVelocity.Name(), Kind: shot.Domain, Label: "Keep temperature", Type: shot.Flag, Default: shot.On(true), Topic: "cache", Sim: true, When: "in=gas", Help: "Needed to see fire, and for smoke that is coloured or fed by its heat; about a fifth of the disk space."}),
		shot.Named(val.CacheFire, shot.Entry{After: val.CacheTemperature.Name(), Kind: shot.Domain, Label: "Keep fuel and flame", Type: shot.Flag, Default: shot.On(true), Topic: "cache", Sim: true, When: "in=gas&burning=fuel|oxygen", Help: "Needed to see fire; two channels."}),
		shot.Named(val.Smoke, shot.Entry{After: val.MotionHold.Name(), Kind: shot.Emitter, Label: "Smoke", Type: shot.Number, Default: shot.Num(1), Min: 0, Max: 1000, Step: 0.1, Keyable: true, Main: true, Topic: "amounts", Sim: true, When: "in=gas", Help: "Density of the smoke that comes out; 1 is dense."}),
		shot.Named(val.Fuel, shot.Entry{After: val.Temperature.Name(), Kind: shot.Emitter, Label: "Fuel", Type: shot.Number, Unit: shot.Density, Default: shot.Num(0), Min: 0, Max: 1000, Step: 0.01, Keyable: true, Main: true, Topic: "amounts", Sim: true, When: "in=gas", Help: "Fuel vapour that comes out, in domains that burn. 0.05 makes a clean flame, 0.2 and more a rich one that grows as it burns."}),
		shot.Named(val.FuelPower, shot.Entry{After: val.Fuel.Name(), Kind: shot.Emitter, Label: "Power of the fire", Type: shot.Number, Unit: shot.Power, Default: shot.Num(0), Min: 0, Max: 1e7, Step: 10, Keyable: true, Main: true, Topic: "amounts", Sim: true, When: "in=gas", Help: "Feeds as much fuel as a fire of this power burns, beside what Fuel holds: 50 kW is a campfire, 500 a bonfire, 5 MW a car on fire. Over a bed D metres wide its flame is 0.235 P^0.4 − 1.02 D metres high (P in kW) where air runs out; checks tell how high yours will be. 0 feeds none."}),
		shot.Named(val.Mode, shot.Entry{After: val.Shell.Name(), Kind: shot.Emitter, Label: "Adds or holds", Type: shot.Choice, Default: shot.Text("hold"), Choices: shot.Options("hold", "holds the amounts", "add", "adds them per second"), Topic: "amounts", Sim: true, When: "in=gas", Help: "Holding keeps smoke at least as dense, however many emitters overlap; adding piles up."}),
	}
	return append(list, fireValues()...)
}

// fireValues are the values of fire, which stand with the domain.
func fireValues() []shot.Entry {
	const on, air = "in=gas&burning=fuel|oxygen", "in=gas&burning=oxygen"
	b := func(n val.Name, e shot.Entry) shot.Entry {
		e.Kind, e.Topic, e.Sim = shot.Domain, "fire", true
		switch {
		case n == val.Burning:
			e.When, e.Builds = "in=gas", true
		case e.When == "":
			e.When = on
		}
		return shot.Named(n, e)
	}
	return []shot.Entry{
		b(val.Burning, shot.Entry{Label: "Burning", Type: shot.Choice, Default: shot.Text("no"), Choices: shot.Options("no", "no", "fuel", "fuel burns", "oxygen", "fuel burns, air runs out"), Help: "Carries fuel that lights, burns and makes heat and soot. Takes about a third more time, counting air a tenth on top."}),
		b(val.Ignition, shot.Entry{Label: "Ignites at", Type: shot.Number, Unit: shot.Kelvin, Default: shot.Num(600), Min: 1, Max: 6000, Step: 10, Keyable: true, Help: "Fuel this hot burns. Under the air's temperature all fuel burns at once."}),
		b(val.BurnRate, shot.Entry{Label: "Burn rate", Type: shot.Number, Unit: shot.PerSecond, Default: shot.Num(6), Min: 0, Max: 1000, Step: 0.5, Keyable: true, Help: "Share of the burning fuel used up in a second, roughly. Low makes long lazy flames, high a short hard one; an explosion wants 20 and more."}),
		b(val.HeatReleased, shot.Entry{Label: "Heat released", Type: shot.Number, Unit: shot.Energy, Default: shot.Num(20), Min: 0, Max: 1000, Step: 1, Keyable: true, Help: "By a kilogram of fuel: wood gas 15, petrol and propane 46. More is hotter, faster and brighter."}),
		b(val.Soot, shot.Entry{Label: "Soot", Type: shot.Number, Default: shot.Num(10), Min: 0, Max: 100000, Step: 1, Keyable: true, Help: "Smoke density that 1 kg/m³ of fuel leaves. 0 burns clean; black smoke of oil wants 50 and more."}),
		b(val.Expansion, shot.Entry{Label: "Expansion", Type: shot.Number, Default: shot.Num(1), Min: 0, Max: 20, Step: 0.1, Keyable: true, Help: "Room that burning gas makes for itself: 1 as its heat demands, 0 none. It drives explosions apart; over 1 it exaggerates and needs more substeps."}),
		b(val.Spread, shot.Entry{Label: "Flame spread", Type: shot.Number, Unit: shot.Speed, Default: shot.Num(0.4), Min: 0, Max: 500, Step: 0.1, Keyable: true, Help: "Speed at which flame eats into cold fuel: gas in air 0.4, rich clouds 5 and more. 0 burns only where it is hot enough already."}),
		b(val.Afterglow, shot.Entry{Label: "Afterglow", Type: shot.Number, Unit: shot.Second, Default: shot.Num(0.1), Min: 0, Max: 100, Step: 0.05, Keyable: true, Help: "How long flame can still be seen once its fuel is gone. Longer makes taller flames; costs nothing."}),
		b(val.Radiation, shot.Entry{Label: "Cooling by glow", Type: shot.Number, Unit: shot.CoolRate, Default: shot.Num(1500), Min: 0, Max: 1e6, Step: 100, Keyable: true, Help: "Kelvin lost in a second by gas at the next value; it falls with the fourth power of warmth, so that hot cores cool first."}),
		b(val.RadiationAt, shot.Entry{Label: "… at", Type: shot.Number, Unit: shot.Kelvin, Default: shot.Num(2000), Min: 2, Max: 10000, Step: 50, Keyable: true, Help: "The temperature at which gas cools that fast."}),
		b(val.OxygenNeed, shot.Entry{Label: "Air needed", Type: shot.Number, Default: shot.Num(8.5), Min: 0, Max: 1000, Step: 0.5, Keyable: true, When: air, Help: "How much of the air's oxygen 1 kg/m³ of fuel uses: at 8.5, over 0.12 kg/m³ can't burn until fresh air mixes in. Nature's is the heat released divided by 2.34, whatever the fuel."}),
	}
}
