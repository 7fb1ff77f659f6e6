package demo

import (
	"zarf/core/geom"
	"zarf/core/shot"
	"zarf/core/shot/val"
)

// FlareBurst is BL100: a signal flare that burns on and on, drawn in flat tones
// for a game, to be handed over as a loop of tiles.
func FlareBurst() *shot.Shot {
	s := shot.New("BL100")
	s.Title = "Flare burst"
	s.Note = "The keeper's signal flare, for the game of the film: red, in flat tones, 36 tiles that loop. Record tiles at Handover, then make the flipbook."
	set(s.Self, val.Last.Is(96))
	set(s.Self, val.Preroll.Is(20))
	parts := cook(s, "brazier", geom.V(0, 0.5, 0), 0.36, 1)
	set(parts["Fire air"], val.Position.Is(0, 0.9, 0), val.Size.Is(1.7, 1.8, 1.7), val.Voxel.Is(0.034), val.Dissipation.Is(3.0), val.Cooling.Is(2.0))
	set(parts["Embers"], val.Form.Is("sphere"), val.Position.Is(0, 0.62, 0), val.Size.Is(0.26, 0.26, 0.26), val.Breakup.Is(0.85), val.FuelPower.Is(45))
	set(parts["Flicker"], val.Position.Is(0, 0.75, 0), val.Strength.Is(3.0))
	add(s, shot.Radial, "Spray", val.Position.Is(0, 0.6, 0), val.Radius.Is(0.5), val.Strength.Is(15.0))
	set(s.Element("camera"), val.Position.Is(0, 0.94, 4.2), val.Target.Is(0, 0.92, 0), val.Lens.Is(76.0))
	drawn := s.Looks[0]
	drawn.Name = "Drawn"
	set(drawn, val.Width.Is(512), val.Height.Is(512), val.SunStrength.Is(0.6), val.SkyStrength.Is(0.3), val.Ground.Is(false), val.Background.Is("none"), val.FlameMix.Is(1.0), val.FlameRamp.Is("0 0.25 0.01 0.02; 0.4 1 0.06 0.05; 0.75 1 0.45 0.2; 1 1 0.95 0.8"), val.FlameCurve.Is("0 0; 0.2 0.5; 1 1"), val.Flame.Is(0.4), val.FlameLight.Is(0.5), val.Samples.Is(4), val.Bands.Is(4), val.BandsOf.Is("flame"), val.BandsSoft.Is(0.06), val.LightBands.Is(5))
	s.Looks = s.Looks[:1]
	set(s.Handover, val.What.Is("flipbook"), val.Columns.Is(6), val.Rows.Is(6), val.TileWide.Is(160), val.TileTall.Is(160), val.Pick.Is("range"), val.Step.Is(2), val.Loop.Is("blend"), val.LoopOver.Is(8), val.Padding.Is(2), val.SheetEmission.Is(true), val.Space.Is("film"))
	return s
}
