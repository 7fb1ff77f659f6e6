package demo

import (
	"zarf/core/geom"
	"zarf/core/shot"
	"zarf/core/shot/val"
)

// sparks lets the brazier's flames throw sparks, which the gale takes along, and its wood
// crackle, so that embers jump out and bounce on the gallery's floor.
func sparks(s *shot.Shot, parts map[string]*shot.Element) {
	fire := parts["Fire air"]
	parts["Embers"].ActsOn = []string{fire.ID}
	air := add(s, shot.Domain, "Sparks", val.Fluid.Is("particles"), val.Carrier.Is(fire.ID), val.Position.Is(1.1, 1.65, 0), val.Size.Is(5.2, 3.3, 2.8), val.Voxel.Is(0.05),
		val.Bounce.Is(0.35), val.Friction.Is(0.4), val.DiesBelow.Is(560), val.SideY0.Is("wall"), val.MaxSubsteps.Is(16))
	born := add(s, shot.Emitter, "Sparks of the flame", val.From.Is("fluid"), val.FedBy.Is(fire.ID), val.FedWhere.Is("burn"), val.BirthLow.Is(0.45), val.BirthDensity.Is(9000),
		val.Temperature.Is(1750), val.TemperatureSpread.Is(0.12), val.Life.Is(1.6), val.LifeSpread.Is(0.6), val.Diameter.Is(0.0016), val.DiameterSpread.Is(0.5), val.SolidDensity.Is(350), val.Inherit.Is(1))
	born.ActsOn = []string{air.ID}
	jump := add(s, shot.Emitter, "Crackle", val.Form.Is("cylinder"), val.Position.Is(0, 1.0, 0), val.Size.Is(0.4, 0.12, 0.4), val.BirthRate.Is(160), val.Speed.Is(3.2), val.SpeedSpread.Is(0.6), val.Along.Is("axis"), val.Cone.Is(38),
		val.Pulse.Is(0.9), val.PulseShare.Is(0.12), val.Temperature.Is(1650), val.TemperatureSpread.Is(0.1), val.Life.Is(2.6), val.LifeSpread.Is(0.4), val.Diameter.Is(0.004), val.DiameterSpread.Is(0.4), val.SolidDensity.Is(700))
	jump.ActsOn = []string{air.ID}
	set(s.Looks[0], val.MoteGlow.Is(1.6), val.MoteGlowCurve.Is("0 1; 0.75 0.9; 1 0"), val.MoteColour.Is(0.16, 0.15, 0.14))
}

// masonry lets the blast throw out stones of the magazine's walls, which draw smoke behind
// them.
func masonry(s *shot.Shot, parts map[string]*shot.Element, coal *shot.Element) {
	blast := parts["Blast air"]
	for _, e := range parts {
		if e.Kind == shot.Emitter {
			e.ActsOn = []string{blast.ID}
		}
	}
	coal.ActsOn = []string{blast.ID}
	stones := add(s, shot.Domain, "Stones", val.Fluid.Is("particles"), val.Position.Is(1, 17, 0), val.Size.Is(72, 34, 60), val.Voxel.Is(0.5), val.ShownAs.Is("stones"), val.Bounce.Is(0.25), val.Friction.Is(0.7), val.MaxSubsteps.Is(16), val.SideY0.Is("wall"))
	walls := add(s, shot.Emitter, "Walls of the magazine", val.Form.Is("box"), val.Position.Is(0, 1.3, 0), val.Size.Is(4.6, 2.4, 4.6), val.BirthRate.Is(2400), val.Speed.Is(24), val.SpeedSpread.Is(0.75), val.Along.Is("axis"), val.Cone.Is(72),
		val.Life.Is(0), val.Diameter.Is(0.3), val.DiameterSpread.Is(0.85), val.SolidDensity.Is(2300), val.Temperature.Is(290), val.Spin.Is(3))
	walls.ActsOn = []string{stones.ID}
	keys(walls, val.BirthRate, 2, 0, 3, 2400, 6, 2400, 7, 0)
	smoke := add(s, shot.Domain, "Stone smoke", val.Position.Is(1, 15, 0), val.Size.Is(56, 30, 48), val.Voxel.Is(0.42), val.Bounds.Is("follow"), val.FollowMargin.Is(1.7), val.Dissipation.Is(1.4), val.Vorticity.Is(0.15))
	trail := add(s, shot.Emitter, "Smoke of the stones", val.From.Is("fluid"), val.FedBy.Is(stones.ID), val.FedWhere.Is("density"), val.Position.Is(0, 1, 0), val.Smoke.Is(0.8), val.Temperature.Is(310), val.Inherit.Is(0.25))
	trail.ActsOn = []string{smoke.ID}
}

// ChimneySoot is BL110: smoke of the keeper's stove cools over the chimney into flakes of
// soot, and these trail dust as they sink to leeward: three domains, each made from the one
// before.
func ChimneySoot() *shot.Shot {
	s := shot.New("BL110")
	s.Title = "Chimney soot"
	s.Note = "A flue that wasn't swept: where the smoke cools it turns to flakes, and the flakes trail dust as they drift down over the roof."
	set(s.Self, val.Last.Is(120))
	set(s.Self, val.AirTemperature.Is(280))
	parts := cook(s, "chimney", geom.V(0, 4.4, 0), 0.6, 1)
	smoke := s.Of(shot.Domain)[0]
	set(smoke, val.Position.Is(1.9, 6.1, 0), val.Size.Is(6.2, 4.2, 3.0), val.Voxel.Is(0.06))
	for _, e := range parts {
		if e.Kind == shot.Emitter {
			e.ActsOn = []string{smoke.ID}
			set(e, val.Temperature.Is(430))
		}
	}
	flakes := add(s, shot.Domain, "Flakes", val.Fluid.Is("particles"), val.Carrier.Is(smoke.ID), val.Position.Is(2.6, 4.3, 0), val.Size.Is(8, 8.4, 4), val.Voxel.Is(0.1), val.ShownAs.Is("discs"), val.Stretch.Is(1, 1, 0.6), val.OnHit.Is("stick"))
	turn := add(s, shot.Emitter, "Smoke turns to flakes", val.From.Is("fluid"), val.FedBy.Is(smoke.ID), val.FedWhere.Is("temperature"), val.BirthWhen.Is("falls"), val.BirthLow.Is(24), val.BirthDensity.Is(900), val.BirthLimit.Is(150),
		val.Life.Is(0), val.Diameter.Is(0.026), val.DiameterSpread.Is(0.7), val.SolidDensity.Is(14), val.SolidSpread.Is(0.4), val.Temperature.Is(285), val.Spin.Is(1.5))
	turn.ActsOn = []string{flakes.ID}
	dust := add(s, shot.Domain, "Dust", val.Position.Is(2.6, 4.3, 0), val.Size.Is(8, 8.4, 4), val.Voxel.Is(0.11), val.Bounds.Is("follow"), val.Dissipation.Is(0.9), val.Vorticity.Is(0.1))
	trail := add(s, shot.Emitter, "Dust of the flakes", val.From.Is("fluid"), val.FedBy.Is(flakes.ID), val.FedWhere.Is("density"), val.Smoke.Is(0.4), val.Temperature.Is(279), val.Inherit.Is(0.6))
	trail.ActsOn = []string{dust.ID}
	for _, w := range s.Of(shot.Wind) {
		set(w, val.Velocity.Is(1.5, -0.1, 0.1))
	}
	brick := xyz{0.2, 0.12, 0.09}
	add(s, shot.Collider, "Chimney", val.Form.Is("box"), val.Position.Is(0, 3.5, 0), val.Size.Is(0.8, 1.8, 0.8), val.Colour.Is(brick[0], brick[1], brick[2]))
	slate := xyz{0.12, 0.12, 0.13}
	add(s, shot.Collider, "Roof to leeward", val.Form.Is("box"), val.Position.Is(2.7, 2.25, 0), val.Size.Is(6.2, 0.16, 5.4), val.Turn.Is(0, 0, -22), val.Colour.Is(slate[0], slate[1], slate[2]))
	add(s, shot.Collider, "Roof to windward", val.Form.Is("box"), val.Position.Is(-2.95, 2.25, 0), val.Size.Is(6.2, 0.16, 5.4), val.Turn.Is(0, 0, 22), val.Colour.Is(slate[0], slate[1], slate[2]))
	add(s, shot.Collider, "House", val.Form.Is("box"), val.Position.Is(-0.1, 0.85, 0), val.Size.Is(8, 1.7, 4.8), val.Colour.Is(0.6, 0.58, 0.54))
	add(s, shot.Collider, "Attic", val.Form.Is("box"), val.Position.Is(-0.1, 2.05, 0), val.Size.Is(4, 0.7, 4.8), val.Colour.Is(0.6, 0.58, 0.54))
	add(s, shot.Collider, "Gable", val.Form.Is("box"), val.Position.Is(-0.1, 2.6, 0), val.Size.Is(2, 0.5, 4.8), val.Colour.Is(0.6, 0.58, 0.54))
	set(s.Element("camera"), val.Position.Is(4.2, 4.4, 13), val.Target.Is(2.1, 4.5, 0), val.Lens.Is(36.0))
	s.Looks[0].Name = "Grey morning"
	set(s.Looks[0], val.MoteColour.Is(0.05, 0.05, 0.05), val.GroundColour.Is(0.14, 0.15, 0.12))
	final(s)
	return s
}
