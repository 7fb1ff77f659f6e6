package demo

import (
	"math"

	"zarf/core/shot"
	"zarf/core/shot/val"
)

// BellFlood is BL040: a valve gives way and water floods a diving bell with
// walls of glass.
func BellFlood() *shot.Shot {
	s := shot.New("BL040")
	s.Title = "Bell flood"
	s.Note = "Down in the bell a valve gives way. Water shoots across, strikes the far glass and fills the bell to the bench."
	set(s.Self, val.Last.Is(96))
	set(s.Self, val.AirTemperature.Is(281))
	add(s, shot.Domain, "Bell water", val.Fluid.Is("liquid"), val.Position.Is(0, 1, 0), val.Size.Is(2.16, 2.0, 2.16), val.Voxel.Is(0.04), val.Foam.Is(14.0), val.FoamLasts.Is(0.8), val.MaxSubsteps.Is(12), val.SideX0.Is("wall"), val.SideX1.Is("wall"), val.SideZ0.Is("wall"), val.SideZ1.Is("wall"), val.SideY1.Is("wall"))
	valve := add(s, shot.Emitter, "Valve", val.Form.Is("cylinder"), val.Position.Is(-0.78, 1.34, 0.1), val.Turn.Is(0, 0, -98), val.Size.Is(0.36, 0.2, 0.36), val.Speed.Is(4.2), val.Along.Is("axis"))
	keys(valve, val.Speed, 1, 0, 6, 0, 9, 4.2, 70, 4.2, 96, 3)
	iron := xyz{0.11, 0.12, 0.125}
	add(s, shot.Collider, "Glass", val.Form.Is("tube"), val.Position.Is(0, 0.98, 0), val.Size.Is(2.08, 1.86, 2.08), val.Wall.Is(0.12), val.Material.Is("glass"), val.Colour.Is(0.5, 0.6, 0.6))
	add(s, shot.Collider, "Floor", val.Form.Is("cylinder"), val.Position.Is(0, 0.06, 0), val.Size.Is(2.12, 0.12, 2.12), val.Colour.Is(0.2, 0.13, 0.08))
	add(s, shot.Collider, "Bench", val.Form.Is("box"), val.Position.Is(0.3, 0.5, -0.35), val.Size.Is(0.9, 0.1, 0.42), val.Colour.Is(0.3, 0.17, 0.08))
	add(s, shot.Collider, "Bench leg", val.Form.Is("box"), val.Position.Is(0.58, 0.28, -0.35), val.Size.Is(0.14, 0.36, 0.36), val.Colour.Is(0.26, 0.15, 0.07))
	add(s, shot.Collider, "Other leg", val.Form.Is("box"), val.Position.Is(0.02, 0.28, -0.35), val.Size.Is(0.14, 0.36, 0.36), val.Colour.Is(0.26, 0.15, 0.07))
	add(s, shot.Mesh, "Crown", val.Form.Is("cylinder"), val.Position.Is(0, 2.08, 0), val.Size.Is(2.3, 0.3, 2.3), val.Taper.Is(0.55), val.Colour.Is(iron[0], iron[1], iron[2]))
	add(s, shot.Mesh, "Foot ring", val.Form.Is("torus"), val.Position.Is(0, 0.06, 0), val.Size.Is(2.36, 0.14, 2.36), val.Colour.Is(iron[0], iron[1], iron[2]))
	add(s, shot.Mesh, "Neck ring", val.Form.Is("torus"), val.Position.Is(0, 1.92, 0), val.Size.Is(2.3, 0.1, 2.3), val.Colour.Is(iron[0], iron[1], iron[2]))
	add(s, shot.Mesh, "Pipe", val.Form.Is("cylinder"), val.Position.Is(-1.3, 1.41, 0.1), val.Turn.Is(0, 0, -98), val.Size.Is(0.42, 0.62, 0.42), val.Colour.Is(iron[0], iron[1], iron[2]))
	set(s.Element("camera"), val.Position.Is(1.5, 1.7, 5.6), val.Target.Is(0, 1.02, 0), val.Lens.Is(42.0))
	l := s.Looks[0]
	l.Name = "Work light"
	set(l, val.SunBearing.Is(320.0), val.SunHeight.Is(42.0), val.SunStrength.Is(2.4), val.SkyStrength.Is(0.75), val.SkyColour.Is(0.6, 0.74, 0.86), val.GroundColour.Is(0.16, 0.16, 0.15), val.LiquidColour.Is(0.35, 0.72, 0.72), val.LiquidDepth.Is(1.2), val.Extinction.Is(3.0), val.Colour.Is(0.97, 0.97, 0.98), val.Bounces.Is(6), val.Exposure.Is(0.2))
	final(s)
	return s
}

// OilSpill is BL050: lamp oil runs down a spiral stair and burns.
func OilSpill() *shot.Shot {
	s := shot.New("BL050")
	s.Title = "Lamp-oil spill"
	s.Note = "The cask on the landing is stove in. Oil runs from step to step round the newel, and the flame runs after it."
	set(s.Self, val.Last.Is(96))
	set(s.Self, val.AirTemperature.Is(288))
	oil := add(s, shot.Domain, "Oil", val.Fluid.Is("liquid"), val.Position.Is(0, 1.0, 0), val.Size.Is(2.4, 2.0, 2.4), val.Voxel.Is(0.035), val.Viscosity.Is(0.02), val.Weight.Is(850.0), val.Carried.Is("apic"), val.MaxSubsteps.Is(10))
	air := add(s, shot.Domain, "Stair air", val.Position.Is(0, 1.55, 0), val.Size.Is(3.0, 3.1, 3.0), val.Voxel.Is(0.05), val.Bounds.Is("follow"), val.FollowMargin.Is(0.4), val.Burning.Is("fuel"), val.Ignition.Is(450.0), val.HeatReleased.Is(30.0), val.BurnRate.Is(5.0), val.Soot.Is(4.0), val.Spread.Is(0.8), val.Cooling.Is(0.6), val.Vorticity.Is(0.3))
	cask := add(s, shot.Emitter, "Cask", val.Form.Is("cylinder"), val.Position.Is(0.1, 1.78, -0.72), val.Turn.Is(90, 0, 0), val.Size.Is(0.24, 0.2, 0.24), val.Speed.Is(1.1), val.Along.Is("axis"), val.Push.Is(-0.5, -0.6, 0))
	cask.ActsOn = []string{oil.ID}
	keys(cask, val.Speed, 1, 1.1, 50, 1.1, 60, 0.3)
	flame := add(s, shot.Emitter, "Burning oil", val.From.Is("fluid"), val.FedBy.Is(oil.ID), val.FedWhere.Is("surface"), val.Fuel.Is(0.045), val.Smoke.Is(0.0), val.Temperature.Is(850.0), val.Inherit.Is(0.6), val.Breakup.Is(0.7), val.BreakupSize.Is(0.3), val.BreakupRate.Is(2.0), val.Begin.Is(12))
	flame.ActsOn = []string{air.ID}
	stone := xyz{0.3, 0.28, 0.25}
	add(s, shot.Collider, "Newel", val.Form.Is("cylinder"), val.Position.Is(0, 1.5, 0), val.Size.Is(0.4, 3, 0.4), val.Pair{Name: val.Colour.Name(), Value: shot.Value{Vec: stone}})
	steps := 9
	for n := range steps {
		turn := 90 + 34*float64(n)
		a := turn * math.Pi / 180
		y := 1.5 - 0.17*float64(n)
		add(s, shot.Collider, "Step", val.Form.Is("box"), val.Position.Is(0.68*math.Cos(a), y-0.5*y, -0.68*math.Sin(a)), val.Size.Is(1.0, y, 0.62), val.Turn.Is(0, turn, 0), val.Pair{Name: val.Colour.Name(), Value: shot.Value{Vec: stone}})
	}
	set(s.Element("camera"), val.Position.Is(2.3, 3.9, 3.5), val.Target.Is(0.05, 0.85, 0.1), val.Lens.Is(38.0))
	l := s.Looks[0]
	l.Name = "Stairwell"
	set(l, val.SunStrength.Is(0.5), val.SunHeight.Is(55.0), val.SunBearing.Is(150.0), val.SkyStrength.Is(0.16), val.GroundColour.Is(0.14, 0.13, 0.12), val.LiquidColour.Is(0.75, 0.5, 0.12), val.LiquidDepth.Is(0.08), val.LiquidIndex.Is(1.47), val.Exposure.Is(0.2), val.Flame.Is(0.12), val.FlameLight.Is(0.8), val.FlameThickness.Is(5.0))
	final(s)
	return s
}
