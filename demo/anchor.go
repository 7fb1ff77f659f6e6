package demo

import (
	"zarf/core/bring"
	"zarf/core/geom"
	"zarf/core/shot"
	"zarf/core/shot/val"
)

// anchorDrawing is the keeper's emblem: a ring over a stocked anchor, 60 wide
// and about 70 high, drawn for the film.
const anchorDrawing = `<svg xmlns="http://www.w3.org/2000/svg" viewBox="-32 -46 64 80">
<title>The keeper's anchor</title>
<path id="ring" d="M7.500 -36.500A7.500 7.500 0 1 1 -7.500 -36.500A7.500 7.500 0 1 1 7.500 -36.500zM3.600 -36.500A3.600 3.600 0 1 0 -3.600 -36.500A3.600 3.600 0 1 0 3.600 -36.500z"/>
<path id="anchor" d="M0 31Q17 25 23 6.500L28.500 9L22.500 -6L12.500 6.500L17.500 5Q13 16 3.200 18L2.600 -19L16 -19L16 -24.500L2.600 -24.500L2.600 -29.600L-2.600 -29.600L-2.600 -24.500L-16 -24.500L-16 -19L-2.600 -19L-3.200 18Q-13 16 -17.500 5L-12.500 6.500L-22.500 -6L-28.500 9L-23 6.500Q-17 25 0 31z"/>
</svg>
`

// KeepersAnchor is BL080: smoke gathers into the keeper's emblem and lets go.
func KeepersAnchor(files Keeper) (*shot.Shot, error) {
	ref, f, err := files.Bring("keepers anchor.svg", []byte(anchorDrawing), nil, bring.Options{Unit: 0.036, Depth: 0.26, Bevel: 0.03})
	if err != nil {
		return nil, err
	}
	s := shot.New("BL080")
	s.Title = "Keeper's anchor"
	s.Note = "Smoke of two lamp bowls gathers into the keeper's anchor, stands for a second and drifts apart."
	set(s.Self, val.Last.Is(120))
	set(s.Self, val.AirTemperature.Is(288))
	add(s, shot.Domain, "Hall air", val.Position.Is(0, 1.75, 0), val.Size.Is(3.6, 3.5, 1.7), val.Voxel.Is(0.042), val.Cooling.Is(0.5), val.Vorticity.Is(0.25), val.Dissipation.Is(0.05))
	for _, side := range []float64{-1, 1} {
		name := "Left bowl"
		if side > 0 {
			name = "Right bowl"
		}
		e := add(s, shot.Emitter, name, val.Form.Is("sphere"), val.Position.Is(side*0.95, 0.3, 0), val.Size.Is(0.34, 0.24, 0.34), val.Smoke.Is(1.5), val.Temperature.Is(352), val.Breakup.Is(0.4), val.BreakupSize.Is(0.14), val.BreakupRate.Is(2.0))
		keys(e, val.Smoke, 1, 1.5, 62, 1.5, 70, 0)
		keys(e, val.Temperature, 1, 352, 62, 352, 70, 288)
		add(s, shot.Collider, name+" stand", val.Form.Is("cylinder"), val.Position.Is(side*0.95, 0.09, 0), val.Size.Is(0.4, 0.18, 0.4), val.Taper.Is(1.3), val.Colour.Is(0.16, 0.11, 0.06))
	}
	for _, side := range []float64{-1, 1} {
		name := "Left lamp"
		if side > 0 {
			name = "Right lamp"
		}
		e := add(s, shot.Emitter, name, val.Form.Is("sphere"), val.Position.Is(side*0.75, 2.95, 0), val.Size.Is(0.3, 0.24, 0.3), val.Smoke.Is(1.5), val.Temperature.Is(288), val.Breakup.Is(0.4), val.BreakupSize.Is(0.14), val.BreakupRate.Is(2.0), val.Begin.Is(30), val.End.Is(66))
		keys(e, val.Smoke, 30, 0, 36, 1.5, 60, 1.5, 66, 0)
	}
	size := geom.FromArray(f.Size)
	pull := add(s, shot.Pull, "Anchor", val.Form.Is("mesh"), val.Mesh.Is(ref), val.Position.Is(0, 1.9, 0), val.Size.Is(size.X, size.Y, size.Z), val.Reach.Is(1.3), val.Keep.Is(5.0), val.Gather.Is(0.0))
	keys(pull, val.Gather, 34, 0, 46, 1.3, 94, 1.3, 100, 0)
	keys(pull, val.Keep, 34, 0, 46, 5, 94, 5, 100, 0)
	stir := add(s, shot.Turbulence, "Draught", val.Strength.Is(0.4), val.Largest.Is(0.5), val.Octaves.Is(2), val.Rate.Is(0.6), val.Position.Is(1.5, 3, 0))
	keys(stir, val.Strength, 92, 0.4, 102, 2.2)
	add(s, shot.Wind, "Open door", val.Velocity.Is(0, 0, 0), val.Grip.Is(0.6), val.Position.Is(-1.6, 2, 0.4))
	door := s.Elements[len(s.Elements)-1]
	for _, k := range [][2]float64{{94, 0}, {106, 1.4}} {
		door.SetKey(val.Velocity, shot.Key{Frame: k[0], Value: shot.Vec(k[1], 0.1*k[1], 0)})
	}
	set(s.Element("camera"), val.Position.Is(0, 1.7, 6.6), val.Target.Is(0, 1.72, 0), val.Lens.Is(39.0))
	lk := s.Looks[0]
	lk.Name = "Lamplight"
	set(lk, val.Extinction.Is(14.0), val.Colour.Is(0.9, 0.88, 0.84), val.SunStrength.Is(3.4), val.SunColour.Is(1, 0.78, 0.5), val.SunHeight.Is(24.0), val.SunBearing.Is(118.0), val.SkyStrength.Is(0.22), val.SkyColour.Is(0.4, 0.5, 0.72), val.GroundColour.Is(0.1, 0.09, 0.08), val.Background.Is("sky"))
	add(s, shot.Lamp, "Lantern", val.Form.Is("ball"), val.Position.Is(1.9, 2.7, 1.5), val.Wide.Is(0.24), val.Colour.Is(1, 0.62, 0.3), val.Strength.Is(90.0))
	final(s)
	return s, nil
}
