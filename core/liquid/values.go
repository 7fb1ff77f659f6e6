package liquid

import (
	"strings"

	"zarf/core/shot"
	"zarf/core/shot/val"
)

// values are what only a liquid has, of domains and of emitters.
func values() []shot.Entry {
	l := func(n val.Name, e shot.Entry) shot.Entry {
		e.Kind, e.Sim = shot.Domain, true
		if e.Topic == "" {
			e.Topic = "liquid"
		}
		e.When = strings.TrimSuffix("in=liquid&"+e.When, "&")
		return shot.Named(n, e)
	}
	return []shot.Entry{
		l(val.Viscosity, shot.Entry{Label: "Viscosity", Type: shot.Number, Unit: shot.Viscosity, Default: shot.Num(0.001), Min: 0, Max: 1e4, Keyable: true, Main: true, Help: "Water 0.001 Pa·s, lamp oil 0.002, motor oil 0.2, honey 10, lava 100 to 10,000. Under about 0.1 it can't be seen at most voxel sizes; from 1 on it takes time."}),
		l(val.Tension, shot.Entry{Label: "Surface tension", Type: shot.Number, Unit: shot.Tension, Default: shot.Num(0), Min: 0, Max: 100, Step: 0.01, Keyable: true, Main: true, Help: "Rounds drops and holds sheets together: water 0.072 N/m. It is seen at voxels of a few millimetres and under, and needs many substeps there; 0 saves them."}),
		l(val.Weight, shot.Entry{Label: "Density", Type: shot.Number, Unit: shot.Density, Default: shot.Num(1000), Min: 1, Max: 50000, Step: 10, Keyable: true, Help: "Water 1000 kg/m³, oil 850, lava 2700. Only viscosity and surface tension are measured against it."}),
		l(val.CarriesHeat, shot.Entry{Label: "Carries heat", Type: shot.Flag, Default: shot.On(false), Topic: "heat", Help: "Emitters give it their temperature; it cools at its surface, and stiffens as it does: lava, wax, glass."}),
		l(val.FlowsAt, shot.Entry{Label: "Flows freely at", Type: shot.Number, Unit: shot.Kelvin, Default: shot.Num(1400), Min: 1, Max: 6000, Step: 10, Keyable: true, Topic: "heat", When: "carries_heat=true", Help: "From this temperature on it is as viscous as its viscosity says."}),
		l(val.StiffAt, shot.Entry{Label: "Stiff at", Type: shot.Number, Unit: shot.Kelvin, Default: shot.Num(1100), Min: 1, Max: 6000, Step: 10, Keyable: true, Topic: "heat", When: "carries_heat=true", Help: "Colder than this it gets no stiffer. Between the two, viscosity changes by equal factors for equal steps."}),
		l(val.StiffViscosity, shot.Entry{Label: "Viscosity when stiff", Type: shot.Number, Unit: shot.Viscosity, Default: shot.Num(10000), Min: 0, Max: 1e6, Step: 100, Keyable: true, Topic: "heat", When: "carries_heat=true", Help: "A hundred times its own makes a skin that wrinkles; ten thousand times, one that holds."}),
		l(val.Radiates, shot.Entry{Label: "Radiates", Type: shot.Number, Default: shot.Num(0.95), Min: 0, Max: 1, Step: 0.05, Keyable: true, Topic: "heat", When: "carries_heat=true", Help: "Share of a black body's heat that its surface gives off. Rock 0.95, wax 0.9, bright metal 0.1. It counts from some 800 K on."}),
		l(val.AirTakes, shot.Entry{Label: "Air takes", Type: shot.Number, Unit: shot.HeatFlow, Default: shot.Num(20), Min: 0, Max: 1e5, Step: 5, Keyable: true, Topic: "heat", When: "carries_heat=true", Help: "Heat that the air takes from a square metre for each degree. Still air 5 to 10, wind 50, water 1000."}),
		l(val.HoldsHeat, shot.Entry{Label: "Heat capacity", Type: shot.Number, Unit: shot.HeatUnit, Default: shot.Num(1000), Min: 1, Max: 1e5, Step: 100, Keyable: true, Topic: "heat", When: "carries_heat=true", Help: "Heat that a kilogram holds for each degree. Rock 1000, wax 2500, water 4200. A tenth of it cools ten times as fast."}),
		l(val.Conducts, shot.Entry{Label: "Conducts", Type: shot.Number, Unit: shot.Conduction, Default: shot.Num(2), Min: 0, Max: 1e4, Step: 0.5, Keyable: true, Topic: "heat", When: "carries_heat=true", Help: "How well heat goes through it. Rock 2, wax 0.2, metal 50: the less, the thinner the skin."}),
		l(val.SecondLiquid, shot.Entry{Label: "A second liquid mixes in", Type: shot.Flag, Default: shot.On(false), Topic: "mixture", Help: "Emitters say how much of theirs is of the second: another colour, another weight. The two mix like syrup and water; they don't part again like oil and water."}),
		l(val.SecondWeight, shot.Entry{Label: "Density of the second", Type: shot.Number, Unit: shot.Density, Default: shot.Num(1000), Min: 1, Max: 50000, Step: 10, Keyable: true, Topic: "mixture", When: "second_liquid=true", Help: "The heavier of the two sinks. Syrup 1300 kg/m³, brine 1200, milk 1030."}),
		l(val.Blends, shot.Entry{Label: "Mixes", Type: shot.Number, Unit: shot.PerSecond, Default: shot.Num(0.3), Min: 0, Max: 1000, Step: 0.1, Keyable: true, Topic: "mixture", When: "second_liquid=true", Help: "How fast neighbouring drops become alike: 0 keeps every thread apart, 5 blurs them within a second."}),
		l(val.Carried, shot.Entry{Label: "Motion carried", Type: shot.Choice, Default: shot.Text("flip"), Choices: shot.Options("flip", "lively (FLIP)", "apic", "smooth (APIC)"), Help: "FLIP splashes and sprays; APIC keeps whirls and is calmer: thick liquids, small vessels."}),
		l(val.Calming, shot.Entry{Label: "Calming", Type: shot.Number, Default: shot.Num(0.05), Min: 0, Max: 1, Step: 0.01, Keyable: true, When: "carried=flip", Help: "Share of each particle's own motion that goes over to its surroundings' in a 24th of a second: 0 seethes, 1 is dull."}),
		l(val.Bubbles, shot.Entry{Label: "Keeps bubbles", Type: shot.Flag, Default: shot.On(false), Help: "Air that liquid has closed in keeps its volume: it rises, breaks up and bursts instead of vanishing. From some twelve voxels on; a substep takes about a tenth longer. Foam’s own bubbles are drops and don’t need it."}),
		l(val.Foam, shot.Entry{Label: "Foam", Type: shot.Number, Unit: shot.PerSecond, Default: shot.Num(0), Min: 0, Max: 10000, Step: 10, Keyable: true, Main: true, Topic: "foam", Help: "Drops of spray and foam that a particle gives in a second where water rushes together or a crest breaks. 0 none; 60 is lively. They are carried along and change nothing."}),
		l(val.FoamLasts, shot.Entry{Label: "Foam lasts", Type: shot.Number, Unit: shot.Second, Default: shot.Num(2), Min: 0.01, Max: 1000, Step: 0.5, Keyable: true, Topic: "foam", Help: "How long foam lies on the surface; spray lasts until it falls, bubbles until they rise."}),
		l(val.SurfaceDetail, shot.Entry{Label: "Surface detail", Type: shot.Choice, Default: shot.Text("2"), Choices: shot.Options("1", "a cell a voxel", "2", "2 cells a voxel", "3", "3 cells a voxel"), Topic: "surface", Help: "Cells of the cached surface along a voxel. 2 shows what the particles hold; 3 is smoother and takes over three times the space."}),
		l(val.SurfaceSmooth, shot.Entry{Label: "Smoothing", Type: shot.Integer, Default: shot.Num(2), Min: 0, Max: 20, Step: 1, Fixed: "Every frame's surface is made alike.", Topic: "surface", Help: "Times that the surface is evened out; sheets and drops are kept from shrinking away."}),
		l(val.Sheets, shot.Entry{Label: "Holds sheets together", Type: shot.Flag, Default: shot.On(true), Topic: "surface", Help: "The surface closes what a crown or a curtain that is drawn thin would show as holes, up to a voxel and a half wide. The water itself moves as it does."}),
		l(val.WetMap, shot.Entry{Label: "Wets solids", Type: shot.Flag, Default: shot.On(false), Topic: "wet solids", Help: "Keeps where solids were touched, as the channel wet: pictures show them darker and glossy there. It goes along with solids that move."}),
		l(val.Dries, shot.Entry{Label: "Dries within", Type: shot.Number, Unit: shot.Second, Default: shot.Num(20), Min: 0.01, Max: 1e6, Step: 1, Keyable: true, Topic: "wet solids", When: "wet_map=true", Help: "Seconds until a surface is dry again. Stone in the sun takes minutes, hot iron seconds."}),
		l(val.CachePoints, shot.Entry{Label: "Keep particles", Type: shot.Choice, Default: shot.Text("few"), Choices: shot.Options("none", "none", "few", "every eighth", "all", "all"), Topic: "cache", Help: "PLY files beside the frames, to be shown by their speed and handed over. All of a million take 24 MB a frame."}),
		shot.Named(val.SecondShare, shot.Entry{After: val.MotionHold.Name(), Kind: shot.Emitter, Label: "Of the second liquid", Type: shot.Number, Default: shot.Num(0), Min: 0, Max: 1, Step: 0.1, Keyable: true, Topic: "amounts", Sim: true, When: "in=mixture", Help: "Share of what comes out that is the domain's second liquid, where one mixes in: 0 none, 1 all."}),
		shot.Named(val.Pours, shot.Entry{After: val.MotionHold.Name(), Kind: shot.Emitter, Label: "Liquid", Type: shot.Choice, Default: shot.Text("flow"), Choices: shot.Options("flow", "flows out at its speed", "full", "keeps its form full", "once", "fills its form once", "drain", "drains: takes it away"), Main: true, Topic: "amounts", Sim: true, When: "in=liquid", Help: "In domains that hold a liquid. Once is a body of liquid to start with; what flows out is the speed times the surface that it leaves by."}),
		shot.Named(val.TurnsAt, shot.Entry{After: val.FedBy.Name(), Kind: shot.Emitter, Label: "Particles turn to liquid", Type: shot.Choice, Default: shot.Text("hit"), Choices: shot.Options("hit", "when they hit something", "death", "when they die", "birth", "at their birth", "fell", "as they drip off cloth"), Topic: "amounts", Sim: true, When: "in=liquid&from=fluid", Help: "Rain where it lands, ice where it melts: each gives liquid of its own volume, with its own motion as far as “Takes along” says."}),
		shot.Named(val.TurnsAmount, shot.Entry{After: val.TurnsAt.Name(), Kind: shot.Emitter, Label: "… to so much of it", Type: shot.Number, Default: shot.Num(1), Min: 0, Max: 1e9, Step: 1, Keyable: true, Topic: "amounts", Sim: true, When: "in=liquid&from=fluid", Help: "Times their own volume: where one particle stands for many, more than 1. What is too little for a voxel's eighth waits for more."}),
	}
}
