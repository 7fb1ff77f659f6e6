package mote

import (
	"fmt"
	"slices"
	"strings"

	"zarf/core/frame"
	"zarf/core/shot"
	"zarf/core/shot/val"
)

// values are what only particles have, of domains and of emitters.
func values() []shot.Entry {
	of := func(kind shot.Kind, n val.Name, e shot.Entry) shot.Entry {
		e.Kind, e.Sim = kind, true
		e.When = strings.TrimSuffix("in=particles&"+e.When, "&")
		return shot.Named(n, e)
	}
	d := func(n val.Name, e shot.Entry) shot.Entry {
		if e.Topic == "" {
			e.Topic = "particles"
		}
		return of(shot.Domain, n, e)
	}
	b := func(n val.Name, e shot.Entry) shot.Entry {
		if e.Topic == "" {
			e.Topic = "amounts"
		}
		return of(shot.Emitter, n, e)
	}
	spread := func(n val.NumKey, label string, def float64) shot.Entry {
		return b(n, shot.Entry{Label: label, Type: shot.Number, Default: shot.Num(def), Min: 0, Max: 1, Step: 0.05, Keyable: true, Topic: "traits", Help: "By what share of it particles differ: 0.5 makes some half as much and some half as much again."})
	}
	list := []shot.Entry{
		d(val.OnHit, shot.Entry{Label: "On hitting something", Type: shot.Choice, Default: shot.Text("bounce"), Choices: shot.Options("bounce", "they bounce", "stick", "they stick", "die", "they die"), Main: true, Topic: "contact", Help: "What happens where a particle meets a collider, or a side of the domain that is a wall."}),
		d(val.Bounce, shot.Entry{Label: "Bounce", Type: shot.Number, Default: shot.Num(0.4), Min: 0, Max: 1, Step: 0.05, Keyable: true, When: "on_hit=bounce", Topic: "contact", Help: "Share of the speed against the surface that is left: rubber 0.8, stone 0.5, sand 0. At 0 they slide along."}),
		d(val.Friction, shot.Entry{Label: "Friction", Type: shot.Number, Default: shot.Num(0.5), Min: 0, Max: 10, Step: 0.05, Keyable: true, When: "on_hit=bounce", Topic: "contact", Help: "Coulomb's coefficient: ice 0.05, stone 0.6, rubber 1."}),
		d(val.AirPush, shot.Entry{Label: "Pushes the air", Type: shot.Number, Default: shot.Num(0), Min: 0, Max: 100, Step: 0.1, Fixed: "What frames keep stays what it is.", Counts: "air_push=+", Topic: "motion", Help: "Share of the momentum that drag takes from them which gas gets where they feed it: 1 as it is in nature, 0 none. An emitter of the gas, from another fluid and fed by these particles, hands it on, with no smoke if it gives none. One particle may stand for many: then more than 1."}),
		d(val.HeatCapacity, shot.Entry{Label: "Heat capacity", Type: shot.Number, Unit: shot.HeatUnit, Default: shot.Num(800), Min: 0, Max: 20000, Step: 50, Keyable: true, Topic: "heat", Help: "Joules that a kilogram takes for a kelvin: stone and ash 800, iron 450, wood 1700. It tells how fast particles cool and warm in their fluid. 0: they keep their temperature."}),
		d(val.DiesBelow, shot.Entry{Label: "Die below", Type: shot.Number, Unit: shot.Kelvin, Default: shot.Num(0), Min: 0, Max: 6000, Step: 10, Keyable: true, Topic: "heat", Help: "Particles that have cooled to this die. 0: none does."}),
		d(val.MostParticles, shot.Entry{Label: "Most particles", Type: shot.Integer, Default: shot.Num(1e6), Min: 1, Max: 2e7, Step: 1000, Fixed: "It would change which are born.", Topic: "solver", Help: "No more are born while as many live. A run tells how many it left out."}),

		b(val.BirthRate, shot.Entry{After: val.From.Name(), Label: "Births", Type: shot.Number, Unit: shot.PerSecond, Default: shot.Num(500), Min: 0, Max: 1e9, Step: 50, Keyable: true, Main: true, When: "from=volume|surface", Help: "Particles per second, from the whole form."}),
		b(val.BirthDensity, shot.Entry{After: val.FedWhere.Name(), Label: "Births per cubic metre", Type: shot.Number, Unit: shot.PerSecond, Default: shot.Num(1000), Min: 0, Max: 1e12, Step: 100, Keyable: true, Main: true, When: "from=fluid", Help: "Where the channel's value lets them be born: per second. Where a value is crossed: each time."}),
		b(val.BirthWhen, shot.Entry{After: val.BirthDensity.Name(), Label: "Born", Type: shot.Choice, Default: shot.Text("between"), Choices: shot.Options("between", "while the value lies between", "falls", "when it falls below the lower", "rises", "when it rises above the upper"), When: "from=fluid", Help: "The value is that of the channel under “where it has”: smoke and flame from 0 to 1 and more, heat in kelvin over the air."}),
		b(val.BirthLow, shot.Entry{After: val.BirthWhen.Name(), Label: "Lower value", Type: shot.Number, Default: shot.Num(0.1), Min: -1e6, Max: 1e6, Step: 0.05, Keyable: true, When: "from=fluid&birth_when=between|falls", Help: "Of the channel."}),
		b(val.BirthHigh, shot.Entry{After: val.BirthLow.Name(), Label: "Upper value", Type: shot.Number, Default: shot.Num(1e6), Min: -1e6, Max: 1e6, Step: 0.05, Keyable: true, When: "from=fluid&birth_when=between|rises", Help: "Of the channel."}),
		b(val.BirthMoment, shot.Entry{After: val.BirthHigh.Name(), Label: "From particles", Type: shot.Choice, Default: shot.Text("along"), Choices: shot.Options("along", "all their way", "birth", "at their birth", "age", "at an age", "death", "at their death", "hit", "when they hit something"), When: "from=fluid", Help: "Where the domain that feeds the emitter holds particles: when these bear others."}),
		b(val.BirthAge, shot.Entry{After: val.BirthMoment.Name(), Label: "Age", Type: shot.Number, Unit: shot.Second, Default: shot.Num(0.5), Min: 0, Max: 1e4, Step: 0.1, Keyable: true, When: "from=fluid&birth_moment=age", Help: "At which they bear."}),
		b(val.BirthCount, shot.Entry{After: val.BirthAge.Name(), Label: "Births per particle", Type: shot.Number, Default: shot.Num(10), Min: 0, Max: 1e5, Step: 1, Keyable: true, When: "from=fluid", Help: "From particles: how many each of them bears; all their way, per second."}),
		b(val.BirthLimit, shot.Entry{After: val.BirthCount.Name(), Label: "Births a frame at most", Type: shot.Integer, Default: shot.Num(0), Min: 0, Max: 1e7, Step: 100, Keyable: true, Help: "Those over it are left out evenly. 0: no limit."}),

		b(val.Life, shot.Entry{Label: "Life", Type: shot.Number, Unit: shot.Second, Default: shot.Num(2), Min: 0, Max: 1e5, Step: 0.1, Keyable: true, Main: true, Topic: "traits", Help: "Age at which they die. 0: they don't die of age."}),
		spread(val.LifeSpread, "… differs by", 0.3),
		b(val.Diameter, shot.Entry{Label: "Diameter", Type: shot.Number, Unit: shot.Metre, Default: shot.Num(0.003), Min: 1e-6, Max: 100, Step: 0.001, Keyable: true, Main: true, Topic: "traits", Help: "Small and light ones go with the fluid, large and heavy ones fall through it: ash 1 mm, sparks 2 mm, gravel 2 cm."}),
		spread(val.DiameterSpread, "… differs by", 0.3),
		b(val.SolidDensity, shot.Entry{Label: "Density", Type: shot.Number, Unit: shot.Density, Default: shot.Num(500), Min: 0, Max: 25000, Step: 50, Keyable: true, Topic: "traits", Help: "Ash and flakes 50 to 150 kg/m³, wood 600, stone 2500, iron 7800. What is lighter than its fluid floats."}),
		spread(val.SolidSpread, "… differs by", 0),
		spread(val.TemperatureSpread, "Temperature differs by", 0),
		b(val.PlaceHeat, shot.Entry{After: val.BirthLimit.Name(), Label: "As hot as where they are born", Type: shot.Flag, Default: shot.On(false), Topic: "amounts", When: "from=fluid", Help: "They take the temperature of the fluid or the particle that bears them; else the one above."}),
		b(val.Cone, shot.Entry{After: val.Along.Name(), Label: "Cone", Type: shot.Number, Unit: shot.Degree, Default: shot.Num(20), Min: 0, Max: 180, Step: 1, Keyable: true, Topic: "motion", Help: "How far from the normal or the axis they may leave; 180 is any way."}),
		b(val.SpeedSpread, shot.Entry{After: val.Cone.Name(), Label: "Speed differs by", Type: shot.Number, Default: shot.Num(0.3), Min: 0, Max: 1, Step: 0.05, Keyable: true, Topic: "motion", Help: "By what share of it."}),
		b(val.Spin, shot.Entry{Label: "Spin", Type: shot.Number, Unit: shot.PerSecond, Default: shot.Num(0), Min: 0, Max: 1000, Step: 1, Keyable: true, Topic: "traits", Help: "Turns per second at most, round any axis."}),
	}
	return slices.Concat(list, overLife(d), shot.ParticleShape(shot.Domain, "in=particles|cloth"), owns(d))
}

// overLife are what becomes of particles over their life.
func overLife(d func(n val.Name, e shot.Entry) shot.Entry) []shot.Entry {
	life := func(n val.Name, e shot.Entry) shot.Entry {
		e.Type, e.Default, e.Min, e.Max, e.Topic = shot.Curve, shot.Text("0 1; 1 1"), 0, 2, "over life"
		return d(n, e)
	}
	return []shot.Entry{
		life(val.SizeCurve, shot.Entry{Label: "Diameter over life", Help: "Times the diameter at birth, from birth at the left to death at the right: what burns away gets lighter and is carried farther. Those that don't die of age stay at its left."}),
		life(val.DensityCurve, shot.Entry{Label: "Density over life", Help: "Times the density at birth: coal that burns to ash goes from 1 to a tenth."}),
	}
}

// owns are the values of particles' own channels.
func owns(d func(n val.Name, e shot.Entry) shot.Entry) (list []shot.Entry) {
	for n := 1; n <= Owns; n++ {
		there := string(ownName(n)) + "=+"
		add := func(name val.Name, when string, e shot.Entry) {
			e.Topic, e.When = "own channels", when
			list = append(list, d(name, e))
		}
		add(ownName(n), "", shot.Entry{Label: fmt.Sprintf("Channel %d", n), Type: shot.Word, Default: shot.Text(""), Help: "Name of a number of the particles' own, such as charge or moisture: for colours, sensors and files. Empty: there is none."})
		add(ownFrom(n), there, shot.Entry{Label: "Its value is", Type: shot.Choice, Default: shot.Text("birth"), Choices: shot.Options("birth", "given at birth", frame.Density, "the fluid's density where it is", frame.Temperature, "the fluid's heat over the air there", frame.Burn, "the flame there", "speed", "the fluid's speed there"), Help: "What the fluid that carries them has is read once a frame; where there is none of it the value is 0."})
		born := there + "&" + string(ownFrom(n)) + "=birth"
		add(ownValue(n), born, shot.Entry{Label: "Value", Type: shot.Number, Default: shot.Num(1), Min: -1e9, Max: 1e9, Step: 0.1, Keyable: true, Help: "At birth. With keys, by when they are born."})
		add(ownSpread(n), born, shot.Entry{Label: "… differs by", Type: shot.Number, Default: shot.Num(0), Min: 0, Max: 1, Step: 0.05, Keyable: true, Help: "By what share of it particles differ."})
		add(ownCurve(n), born, shot.Entry{Label: "… over life", Type: shot.Curve, Default: shot.Text("0 1; 1 1"), Min: 0, Max: 2, Help: "Times the value at birth, from birth at the left to death at the right."})
	}
	return list
}
