// Package demo makes the shots of "The Brinmoor Light", a made-up short film
// about the keeper of a lighthouse, from the project's own code.
package demo

import (
	"zarf/core/asset"
	"zarf/core/bring"
	"zarf/core/shot"
	"zarf/core/shot/val"
	_ "zarf/core/solvers"
)

// Shots are all demo shots, ready to be put into a library.
func Shots(files Keeper) ([]*shot.Shot, error) {
	list := []*shot.Shot{FogSignal(), Brazier(), Magazine(), BellFlood(), OilSpill(), TornAwning(), CliffFog(), FlareBurst()}
	for _, make := range []func(Keeper) (*shot.Shot, error){KeepersAnchor, RunawayDrum} {
		s, err := make(files)
		if err != nil {
			return nil, err
		}
		list = append(list, s)
	}
	brake, err := WindlassBrake(files)
	if err != nil {
		return nil, err
	}
	return append(list, ChimneySoot(), LandingStage(), brake), nil
}

// Names are the names of the demo's shots.
var Names = []string{"BL010", "BL020", "BL030", "BL040", "BL050", "BL060", "BL070", "BL080", "BL090", "BL100", "BL110", "BL120", "BL130"}

// First is the shot that the program shows first.
const First = "BL010"

// Keeper takes the files that the demo makes.
type Keeper interface {
	Bring(name string, data []byte, side map[string][]byte, o bring.Options) (ref string, facts *bring.Facts, err error)
	Put(f *asset.File, facts *bring.Facts) (ref string, err error)
}

// set puts values into an element; it panics on what the catalogue refuses,
// which a test would show.
func set(e *shot.Element, pairs ...val.Pair) *shot.Element {
	for _, p := range pairs {
		if err := e.Put(p.Name, p.Value); err != nil {
			panic("demo: " + err.Error())
		}
	}
	return e
}

func add(s *shot.Shot, k shot.Kind, name string, pairs ...val.Pair) *shot.Element {
	e := s.Add(k)
	e.Name = name
	return set(e, pairs...)
}

func keys(e *shot.Element, k val.NumKey, pairs ...float64) {
	for i := 0; i+1 < len(pairs); i += 2 {
		e.SetKey(k, shot.Key{Frame: pairs[i], Value: shot.Num(pairs[i+1])})
	}
}

type xyz = [3]float64

// final adds a look with the first one's light and unbiased paths: what a
// finished frame is rendered with.
func final(s *shot.Shot) {
	l := s.Looks[0].Copy("Final")
	l.ID = "final"
	set(l, val.Method.Is("path"), val.Samples.Is(96), val.Noise.Is(0.02), val.Denoise.Is(0.6))
	s.Looks = append(s.Looks, l)
}

// FogSignal is BL010: steam leaves the fog signal's horn in two blasts and is
// led round the tower by a guide curve.
func FogSignal() *shot.Shot {
	s := shot.New("BL010")
	s.Title = "Fog signal"
	s.Note = "Two blasts of the fog signal at dusk. The steam leaves the horn fast, slows, and winds itself round the tower."
	set(s.Self, val.First.Is(1))
	set(s.Self, val.Last.Is(96))
	set(s.Self, val.AirTemperature.Is(285))

	add(s, shot.Domain, "Gallery air", val.Position.Is(-0.05, 1.85, -1.25), val.Size.Is(7.6, 3.7, 7.3), val.Voxel.Is(0.07), val.SmokeBy.Is("points"), val.SmokePoints.Is(32), val.SmokeFine.Is("2"), val.SubGrid.Is(2.0), val.Bounds.Is("follow"), val.FollowMargin.Is(0.5), val.Cooling.Is(0.45), val.Dissipation.Is(0.5), val.Vorticity.Is(0.3))
	steam := add(s, shot.Emitter, "Horn throat", val.Form.Is("cylinder"), val.Position.Is(-0.12, 1.2, 0), val.Turn.Is(0, 0, -90), val.Size.Is(0.26, 0.3, 0.26), val.Smoke.Is(2.8), val.Temperature.Is(340), val.Speed.Is(3.2), val.Along.Is("axis"), val.Breakup.Is(0.35), val.BreakupSize.Is(0.16), val.BreakupRate.Is(6.0))
	keys(steam, val.Smoke, 1, 0, 3, 2.8, 22, 2.8, 26, 0, 44, 0, 46, 2.8, 64, 2.8, 68, 0)
	keys(steam, val.Speed, 1, 0, 4, 3.2, 22, 3.2, 28, 0, 44, 0, 47, 3.2, 64, 3.2, 70, 0)
	add(s, shot.Collider, "Horn", val.Form.Is("tube"), val.Position.Is(0.05, 1.2, 0), val.Turn.Is(0, 0, -90), val.Size.Is(0.84, 0.84, 0.84), val.Taper.Is(1.5), val.Wall.Is(0.13), val.Colour.Is(0.32, 0.12, 0.07))
	add(s, shot.Collider, "Horn back", val.Form.Is("cylinder"), val.Position.Is(-0.43, 1.2, 0), val.Turn.Is(0, 0, -90), val.Size.Is(0.56, 0.24, 0.56), val.Colour.Is(0.32, 0.12, 0.07))
	add(s, shot.Collider, "Tower", val.Form.Is("cylinder"), val.Position.Is(-1.3, 1.6, 0), val.Size.Is(1.7, 3.2, 1.7), val.Taper.Is(0.86), val.Colour.Is(0.72, 0.7, 0.66))
	add(s, shot.Collider, "Gallery floor", val.Form.Is("box"), val.Position.Is(0.2, 0.35, 0), val.Size.Is(2.4, 0.14, 1.6), val.Colour.Is(0.2, 0.2, 0.21))
	lead := add(s, shot.Guide, "Round the tower", val.Pace.Is(5.4), val.Draw.Is(1.2), val.Swirl.Is(1.8), val.Reach.Is(1.3), val.Grip.Is(6.0))
	set(lead, val.PaceAlong.Is(0.8, 1, 1, 0.8))
	val.Points.Set(lead, [][3]float64{{0.55, 1.2, 0}, {1.4, 1.25, -0.05}, {2.15, 1.5, -0.5}, {1.95, 1.85, -1.2}, {1, 2.1, -1.5}, {-0.2, 2.3, -1.6}, {-1.5, 2.4, -1.45}, {-2.35, 2.5, -0.5}, {-2.1, 2.6, 0.75}, {-1, 2.75, 1.35}, {0.4, 2.95, 1.4}})
	add(s, shot.Wind, "Sea wind", val.Velocity.Is(0.25, 0.05, 0.1), val.Grip.Is(0.2), val.Gust.Is(0.5), val.GustTime.Is(1.6), val.Position.Is(0.4, 2.7, 0.9))
	add(s, shot.Turbulence, "Eddies", val.Strength.Is(3.0), val.Largest.Is(0.6), val.Octaves.Is(3), val.Rate.Is(1.2), val.Position.Is(2.2, 2.5, 0))
	set(s.Element("camera"), val.Position.Is(2.3, 2.1, 7.6), val.Target.Is(0.05, 1.6, 0), val.Lens.Is(38.0))

	dusk := s.Looks[0]
	dusk.Name = "Dusk"
	set(dusk, val.Extinction.Is(16.0), val.Colour.Is(0.95, 0.95, 0.96), val.SunStrength.Is(4.2), val.SunColour.Is(1, 0.72, 0.48), val.SunHeight.Is(16.0), val.SunBearing.Is(112.0), val.SkyStrength.Is(0.5), val.SkyColour.Is(0.42, 0.55, 0.85), val.Phase.Is(0.45), val.Bounces.Is(8))
	final(s)
	return s
}
