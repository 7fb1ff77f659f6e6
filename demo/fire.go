package demo

import (
	"zarf/core/geom"
	"zarf/core/recipe"
	"zarf/core/shot"
	"zarf/core/shot/val"
)

// cook puts a recipe into a shot and returns its elements by name.
func cook(s *shot.Shot, key string, at geom.Vec3, size, start float64) map[string]*shot.Element {
	r, err := recipe.Find(key)
	if err != nil {
		panic("demo: " + err.Error())
	}
	out := map[string]*shot.Element{}
	for _, e := range r.Put(s, at, size, start) {
		out[e.Name] = e
	}
	s.Looks = s.Looks[:1]
	return out
}

// Brazier is BL020: an iron fire basket on the gallery in a gale.
func Brazier() *shot.Shot {
	s := shot.New("BL020")
	s.Title = "Gallery brazier"
	s.Note = "The keeper's fire basket in the gale, by night. Gusts tear the flames off towards the sea."
	set(s.Self, val.Last.Is(96))
	set(s.Self, val.AirTemperature.Is(281))
	parts := cook(s, "brazier", geom.V(0, 0.92, 0), 0.6, 1)
	set(parts["Fire air"], val.Position.Is(1.0, 2.1, -0.15), val.Size.Is(4.4, 2.7, 2.3), val.Voxel.Is(0.028), val.MinSubsteps.Is(2), val.Dissipation.Is(4.2))
	set(parts["Flicker"], val.Largest.Is(0.56)) // a draft of four times the voxel still turns by it
	set(parts["Embers"], val.Breakup.Is(0.55))
	add(s, shot.Wind, "Gale", val.Velocity.Is(2.2, 0.2, -0.4), val.Grip.Is(0.8), val.Gust.Is(0.7), val.GustTime.Is(0.9), val.Position.Is(-0.9, 1.9, 0.4))
	iron := xyz{0.05, 0.048, 0.046}
	add(s, shot.Collider, "Fire bowl", val.Form.Is("cylinder"), val.Position.Is(0, 0.84, 0), val.Size.Is(0.62, 0.1, 0.62), val.Taper.Is(1.25), val.Colour.Is(iron[0], iron[1], iron[2]))
	add(s, shot.Collider, "Basket rim", val.Form.Is("torus"), val.Position.Is(0, 1.06, 0), val.Size.Is(0.74, 0.045, 0.74), val.Colour.Is(iron[0], iron[1], iron[2]))
	add(s, shot.Collider, "Leg", val.Form.Is("cylinder"), val.Position.Is(0, 0.46, 0), val.Size.Is(0.09, 0.7, 0.09), val.Colour.Is(iron[0], iron[1], iron[2]))
	add(s, shot.Collider, "Foot", val.Form.Is("cylinder"), val.Position.Is(0, 0.1, 0), val.Size.Is(0.5, 0.06, 0.5), val.Colour.Is(iron[0], iron[1], iron[2]))
	add(s, shot.Collider, "Tower wall", val.Form.Is("cylinder"), val.Position.Is(-1.75, 1.6, -0.7), val.Size.Is(1.9, 3.4, 1.9), val.Taper.Is(0.9), val.Colour.Is(0.6, 0.58, 0.54))
	add(s, shot.Collider, "Gallery floor", val.Form.Is("box"), val.Position.Is(0.2, 0.03, 0), val.Size.Is(3.4, 0.06, 2.4), val.Colour.Is(0.16, 0.155, 0.15))
	sparks(s, parts)
	set(s.Element("camera"), val.Position.Is(1.0, 1.55, 5.6), val.Target.Is(0.55, 1.5, 0), val.Lens.Is(42.0))
	night := s.Looks[0]
	night.Name = "Night"
	set(night, val.Exposure.Is(0.5), val.SunBearing.Is(200.0), val.GroundColour.Is(0.05, 0.05, 0.055), val.SkyStrength.Is(0.035), val.SunStrength.Is(0.05), val.Background.Is("sky"))
	final(s)
	// the same take as a drawing: flat bands, and a flame of another colour
	drawn := s.Looks[0].Copy("Drawn")
	drawn.ID = "drawn"
	set(drawn, val.FlameMix.Is(1.0), val.FlameRamp.Is("0 0.12 0 0.05; 0.45 0.9 0.03 0.3; 1 1 0.75 0.85"), val.FlameCurve.Is("0 0; 0.2 0.5; 1 1"), val.Flame.Is(1.1), val.Bands.Is(4), val.BandsOf.Is("flame"), val.BandsSoft.Is(0.05), val.LightBands.Is(6))
	s.Looks = append(s.Looks, drawn)
	return s
}

// Magazine is BL030: the powder magazine goes up, and half a second later the
// coal store beside it.
func Magazine() *shot.Shot {
	s := shot.New("BL030")
	s.Title = "Magazine blast"
	s.Note = "The powder magazine goes up; the coal store follows half a second later."
	set(s.Self, val.Last.Is(96))
	set(s.Self, val.AirTemperature.Is(286))
	parts := cook(s, "large-blast", geom.V(0, 0, 0), 5, 3)
	set(parts["Blast air"], val.Position.Is(3, 19, 0), val.Size.Is(48, 38, 44), val.Voxel.Is(0.35), val.SmokePoints.Is(40), val.SmokeFine.Is("2"))
	coal := add(s, shot.Emitter, "Coal store", val.Form.Is("box"), val.Position.Is(6.0, 1.4, 1.2), val.Size.Is(3.4, 2.4, 3.4), val.Temperature.Is(1100), val.Fuel.Is(0.3), val.Smoke.Is(1.6), val.Speed.Is(4.0), val.Breakup.Is(0.65), val.BreakupSize.Is(1.2), val.BreakupRate.Is(3.0))
	set(coal, val.Speed.Is(6.0))
	// no key sets it off: the heat that reaches its roof does, and then it burns down
	heat := add(s, shot.Sensor, "Heat at the coal store", val.Form.Is("box"), val.Position.Is(5.4, 1.9, 1.0), val.Size.Is(3.2, 3.0, 3.2), val.SensorChannel.Is("temperature"), val.SensorMeasure.Is("share"), val.SensorOver.Is(400), val.SensorLow.Is(0.04), val.SensorHigh.Is(0.16), val.SensorLatched.Is(true), val.SensorSmooth.Is(0.15),
		val.SensorDrives.Is(coal.ID+".fuel, "+coal.ID+".smoke, "+coal.ID+".speed, "+coal.ID+".temperature 286 to 1100"))
	keys(coal, val.Fuel, 1, 0.3, 26, 0.3, 34, 0)
	keys(coal, val.Smoke, 1, 1.6, 30, 1.6, 42, 0)
	keys(coal, val.Speed, 1, 7, 26, 5, 38, 0)
	masonry(s, parts, coal)
	heat.ActsOn = coal.ActsOn
	add(s, shot.Collider, "Keeper's house", val.Form.Is("box"), val.Position.Is(-8.5, 1.9, -3), val.Size.Is(5, 3.8, 6), val.Colour.Is(0.55, 0.53, 0.5))
	add(s, shot.Collider, "Tower", val.Form.Is("cylinder"), val.Position.Is(-15, 9, -9), val.Size.Is(7, 18, 7), val.Taper.Is(0.72), val.Colour.Is(0.74, 0.73, 0.7))
	add(s, shot.Wind, "Sea wind", val.Velocity.Is(1.6, 0, 0.4), val.Grip.Is(0.12), val.Gust.Is(0.2), val.GustTime.Is(3.0), val.Position.Is(-12, 12, 6))
	set(s.Element("camera"), val.Position.Is(9, 2.2, 42), val.Target.Is(1.5, 9, 0), val.Lens.Is(30.0))
	s.Looks[0].Name = "Overcast"
	set(s.Looks[0], val.SunBearing.Is(70.0), val.SunStrength.Is(2.2), val.SkyStrength.Is(0.8), val.Exposure.Is(0.0), val.GroundColour.Is(0.16, 0.17, 0.13))
	final(s)
	set(s.Handover, val.What.Is("volumes"), val.Axes.Is("z-up"), val.Kelvin.Is("absolute"), val.Start.Is(1001))
	return s
}

// CliffFog is BL070: heavy cold fog rolls off a cliff in steps.
func CliffFog() *shot.Shot {
	s := shot.New("BL070")
	s.Title = "Cliff fog"
	s.Note = "Before dawn cold fog creeps over the cliff's edge, falls in folds and spreads over the shingle."
	set(s.Self, val.Last.Is(120))
	set(s.Self, val.AirTemperature.Is(284))
	set(s.Self, val.Preroll.Is(48))
	parts := cook(s, "heavy-fog", geom.V(0, 0, 0), 6, 1)
	set(parts["Fog air"], val.Position.Is(4, 4.2, 0), val.Size.Is(26, 8.4, 18), val.Voxel.Is(0.2), val.SmokeWeight.Is(0.6), val.FollowMargin.Is(1.6), val.SideX0.Is("wall"))
	set(parts["Fog source"], val.Form.Is("box"), val.Position.Is(-5.4, 6.2, 0), val.Size.Is(4, 0.9, 11), val.Temperature.Is(279), val.Speed.Is(0.0), val.Breakup.Is(0.4), val.BreakupSize.Is(2.2), val.Smoke.Is(1.5))
	set(parts["Slow air"], val.Strength.Is(0.12), val.Largest.Is(2.2), val.Position.Is(4, 6, 3))
	rock := xyz{0.13, 0.125, 0.12}
	add(s, shot.Collider, "Cliff top", val.Form.Is("box"), val.Position.Is(-5.5, 2.8, 0), val.Size.Is(8, 5.6, 16), val.Turn.Is(0, 0, -2), val.Colour.Is(rock[0], rock[1], rock[2]))
	add(s, shot.Collider, "Ledge", val.Form.Is("box"), val.Position.Is(-0.6, 1.6, -3), val.Size.Is(3.4, 3.2, 7), val.Turn.Is(0, 12, -4), val.Colour.Is(rock[0], rock[1], rock[2]))
	add(s, shot.Collider, "Buttress", val.Form.Is("cylinder"), val.Position.Is(-1.2, 2, 4), val.Size.Is(3.4, 4.4, 3), val.Taper.Is(0.6), val.Colour.Is(rock[0], rock[1], rock[2]))
	add(s, shot.Collider, "Boulder", val.Form.Is("sphere"), val.Position.Is(4.5, 0.3, 1.5), val.Size.Is(2.6, 1.8, 2.2), val.Colour.Is(rock[0], rock[1], rock[2]))
	add(s, shot.Collider, "Small boulder", val.Form.Is("sphere"), val.Position.Is(7.5, 0.1, -2.6), val.Size.Is(1.8, 1.2, 1.6), val.Colour.Is(rock[0], rock[1], rock[2]))
	add(s, shot.Wind, "Land breeze", val.Velocity.Is(0.8, -0.1, 0.05), val.Grip.Is(0.2), val.Gust.Is(0.3), val.GustTime.Is(4.0), val.Position.Is(-8, 7.6, 4))
	set(s.Element("camera"), val.Position.Is(15, 4.2, 17), val.Target.Is(0.5, 3, 0), val.Lens.Is(38.0))
	s.Looks[0].Name = "Before dawn"
	set(s.Looks[0], val.SunBearing.Is(215.0), val.SunHeight.Is(9.0), val.SunColour.Is(1, 0.8, 0.62), val.SunStrength.Is(2.6), val.SkyStrength.Is(0.6), val.SkyColour.Is(0.42, 0.56, 0.85), val.Extinction.Is(1.1), val.GroundColour.Is(0.1, 0.1, 0.105))
	final(s)
	return s
}
