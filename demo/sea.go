package demo

import (
	"zarf/core/shot"
	"zarf/core/shot/val"
)

// LandingStage is BL120: a sea under half a gale runs against the landing stage, and one
// wave goes over it.
func LandingStage() *shot.Shot {
	s := shot.New("BL120")
	s.Title = "Landing stage"
	s.Note = "The boat is late. A wave comes in under the lamp, lifts between the piles and goes over the stage's end."
	set(s.Self, val.Last.Is(96))
	set(s.Self, val.AirTemperature.Is(283))
	add(s, shot.Domain, "Water at the stage", val.Fluid.Is("liquid"), val.Position.Is(1.5, -0.25, 0), val.Size.Is(17, 7.5, 13), val.Voxel.Is(0.17), val.Calming.Is(0.02), val.Foam.Is(60.0), val.FoamLasts.Is(2.5), val.MaxSubsteps.Is(12), val.CachePoints.Is("none"), val.WetMap.Is(true), val.Dries.Is(30.0))
	add(s, shot.Sea, "Brinmoor Sound", val.SeaWind.Is(11.0), val.SeaFetch.Is(7000), val.SeaDepth.Is(4.0), val.SeaBearing.Is(276), val.CrestHeight.Is(1.6), val.CrestFrame.Is(58), val.CrestPlace.Is(2.6, 0, 0.4), val.Seed.Is(7), val.DeepColour.Is(0.012, 0.05, 0.048))
	wood, stone := xyz{0.17, 0.13, 0.095}, xyz{0.26, 0.25, 0.23}
	colour := func(c xyz) val.Pair { return val.Colour.Is(c[0], c[1], c[2]) }
	add(s, shot.Mesh, "Quay", val.Form.Is("box"), val.Position.Is(-11.4, -1.2, 0), val.Size.Is(7, 6.4, 34), colour(stone))
	add(s, shot.Collider, "Deck", val.Form.Is("box"), val.Position.Is(-3.0, 1.62, 0), val.Size.Is(10.0, 0.3, 2.9), colour(wood))
	for n, x := range []float64{1.5, -0.9, -3.3, -5.7} {
		for _, z := range []float64{-1.2, 1.2} {
			top := 1.6
			if n == 0 {
				top = 2.5 // mooring posts at the end
			}
			add(s, shot.Collider, "Pile", val.Form.Is("cylinder"), val.Position.Is(x, (top-4.4)/2, z), val.Size.Is(0.46, top+4.4, 0.46), colour(xyz{0.12, 0.095, 0.07}))
		}
	}
	add(s, shot.Collider, "Cross beam", val.Form.Is("box"), val.Position.Is(0.3, 0.75, 1.2), val.Size.Is(2.8, 0.24, 0.24), val.Turn.Is(0, 0, -28), colour(xyz{0.13, 0.1, 0.075}))
	add(s, shot.Mesh, "Lamp post", val.Form.Is("cylinder"), val.Position.Is(-5.6, 3.2, -1.2), val.Size.Is(0.14, 3, 0.14), colour(xyz{0.05, 0.05, 0.055}))
	add(s, shot.Mesh, "Lamp hood", val.Form.Is("cylinder"), val.Position.Is(-5.6, 4.9, -1.2), val.Size.Is(0.5, 0.24, 0.5), val.Taper.Is(0.4), colour(xyz{0.05, 0.05, 0.055}))
	add(s, shot.Lamp, "Lamp", val.Form.Is("ball"), val.Position.Is(-5.6, 4.62, -1.2), val.Wide.Is(0.3), val.Colour.Is(1, 0.72, 0.38), val.Strength.Is(60), val.Seen.Is(true))
	set(s.Element("camera"), val.Position.Is(8.5, 2.6, 12.5), val.Target.Is(-0.9, 0.9, 0), val.Lens.Is(36.0))
	l := s.Looks[0]
	l.Name = "Grey evening"
	set(l, val.SunStrength.Is(1.5), val.SunColour.Is(1, 0.86, 0.7), val.SunHeight.Is(14.0), val.SunBearing.Is(242.0), val.SkyStrength.Is(0.55), val.SkyColour.Is(0.5, 0.6, 0.72), val.LiquidColour.Is(0.12, 0.4, 0.38), val.LiquidDepth.Is(2.2), val.Extinction.Is(3.0), val.Colour.Is(0.96, 0.97, 0.98), val.Bounces.Is(5), val.Exposure.Is(0.5))
	final(s)
	return s
}
