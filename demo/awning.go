package demo

import (
	"zarf/core/shot"
	"zarf/core/shot/val"
)

// TornAwning is BL060: water from a burst gutter fills an old awning until it tears, and the sheet
// below catches what comes down.
func TornAwning() *shot.Shot {
	s := shot.New("BL060")
	s.Title = "Torn awning"
	s.Note = "The gutter over the net loft gives way. The awning holds for a moment; the tarpaulin over the nets gets the rest."
	set(s.Self, val.Last.Is(72))
	room := add(s, shot.Domain, "Yard", val.Fluid.Is("cloth"), val.Position.Is(0, 1.4, 0), val.Size.Is(4, 2.8, 3.4), val.Voxel.Is(0.1), val.ClothSteps.Is(4), val.DropSize.Is(0.026), val.ShownAs.Is("surface"), val.DropWets.Is(0.6), val.Hang.Is(0.6), val.WindsOn.Is("cloth"))
	wood, iron := xyz{0.16, 0.12, 0.085}, xyz{0.06, 0.06, 0.065}
	colour := func(c xyz) val.Pair { return val.Colour.Is(c[0], c[1], c[2]) }
	for _, z := range []float64{-0.78, 0.78} {
		add(s, shot.Collider, "Upper rail", val.Form.Is("cylinder"), val.Position.Is(0, 2.1, z), val.Turn.Is(0, 0, 90), val.Size.Is(0.05, 2.1, 0.05), colour(iron))
		add(s, shot.Collider, "Lower rail", val.Form.Is("cylinder"), val.Position.Is(0, 0.95, z*1.15), val.Turn.Is(0, 0, 90), val.Size.Is(0.06, 2.3, 0.06), colour(wood))
		for _, x := range []float64{-1.02, 1.02} {
			add(s, shot.Mesh, "Post", val.Form.Is("cylinder"), val.Position.Is(x, 1.06, z*1.15), val.Size.Is(0.08, 2.12, 0.08), colour(wood))
		}
	}
	awning := add(s, shot.Cloth, "Awning", val.Position.Is(0, 2.09, 0), val.Size.Is(1.5, 0.01, 1.5), val.ClothEdge.Is(0.05), val.Pins.Is("sides"), val.ClothMass.Is(0.35), val.Warp.Is(12000), val.Weft.Is(12000), val.Shear.Is(2500), val.StretchDamp.Is(0.01), val.Thickness.Is(0.004), val.TearsAt.Is(0.3), val.TearsUneven.Is(0.5), val.Soaks.Is(0.3), val.Colour.Is(0.55, 0.2, 0.12))
	// it holds what falls on it until it is soaked
	awning.SetKey(val.TearsAt, shot.Key{Frame: 30, Value: shot.Num(0.3)})
	awning.SetKey(val.TearsAt, shot.Key{Frame: 36, Value: shot.Num(0.06)})
	add(s, shot.Cloth, "Tarpaulin", val.Position.Is(0, 0.96, 0), val.Size.Is(1.9, 0.01, 1.74), val.ClothEdge.Is(0.055), val.Pins.Is("sides"), val.ClothMass.Is(0.6), val.Thickness.Is(0.004), val.Soaks.Is(0), val.Colour.Is(0.06, 0.15, 0.2))
	spout := add(s, shot.Emitter, "Gutter", val.Form.Is("box"), val.Position.Is(0.1, 2.62, 0.05), val.Size.Is(0.16, 0.1, 0.13), val.Along.Is("axis"), val.Speed.Is(-0.9), val.End.Is(58))
	wind := add(s, shot.Wind, "Squall", val.Position.Is(-1.4, 1.6, 0), val.Velocity.Is(2.5, 0, 0.6), val.Gust.Is(0.8), val.GustTime.Is(0.8))
	for _, e := range []*shot.Element{spout, wind} {
		e.ActsOn = []string{room.ID}
	}
	set(s.Element("camera"), val.Position.Is(3.1, 2.35, 4.3), val.Target.Is(0, 1.35, 0), val.Lens.Is(38.0))
	l := s.Looks[0]
	l.Name = "Rain light"
	set(l, val.SunStrength.Is(1.7), val.SunHeight.Is(42.0), val.SunBearing.Is(70.0), val.SkyStrength.Is(0.7), val.SkyColour.Is(0.55, 0.63, 0.74), val.MoteColour.Is(0.6, 0.66, 0.7), val.GroundColour.Is(0.13, 0.125, 0.12), val.Exposure.Is(0.3))
	final(s)
	return s
}
