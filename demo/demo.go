// Package demo makes the shots of "The Brinmoor Light", a made-up short film
// about the keeper of a lighthouse, from the project's own code.
package demo

import (
	"fmt"

	"zarf/core/asset"
	"zarf/core/bring"
	"zarf/core/shot"
)

// Shots are all demo shots, ready to be put into a library.
func Shots(files Keeper) ([]*shot.Shot, error) {
	list := []*shot.Shot{FogSignal(), Brazier(), Magazine(), BellFlood(), OilSpill(), CliffFog(), FlareBurst()}
	for _, make := range []func(Keeper) (*shot.Shot, error){KeepersAnchor, RunawayDrum} {
		s, err := make(files)
		if err != nil {
			return nil, err
		}
		list = append(list, s)
	}
	return list, nil
}

// First is the shot that the program shows first.
const First = "BL010"

// Keeper takes the files that the demo makes.
type Keeper interface {
	Bring(name string, data []byte, side map[string][]byte, o bring.Options) (ref string, facts *bring.Facts, err error)
	Put(f *asset.File, facts *bring.Facts) (ref string, err error)
}

// set puts values into an element; it panics on what the catalogue refuses,
// which a test would show.
func set(e *shot.Element, pairs ...any) *shot.Element {
	for i := 0; i+1 < len(pairs); i += 2 {
		key := pairs[i].(string)
		put(e.Kind, e.Values, key, pairs[i+1])
	}
	return e
}

func put(k shot.Kind, v shot.Values, key string, x any) {
	entry := shot.Find(k, key)
	if entry == nil {
		panic(fmt.Sprintf("demo: no value %s.%s", k, key))
	}
	var val shot.Value
	switch x := x.(type) {
	case float64:
		val = shot.Num(x)
	case int:
		val = shot.Num(float64(x))
	case string: // choices, files and profiles alike
		val = shot.Text(x)
	case bool:
		val = shot.On(x)
	case [3]float64:
		val = shot.Value{Vec: x}
	}
	if err := entry.Check(val); err != nil {
		panic("demo: " + err.Error())
	}
	v[key] = val
}

func add(s *shot.Shot, k shot.Kind, name string, pairs ...any) *shot.Element {
	e := s.Add(k)
	e.Name = name
	return set(e, pairs...)
}

func keys(e *shot.Element, key string, pairs ...float64) {
	for i := 0; i+1 < len(pairs); i += 2 {
		e.SetKey(key, shot.Key{Frame: pairs[i], Value: shot.Num(pairs[i+1])})
	}
}

type xyz = [3]float64

// final adds a look with the first one's light and unbiased paths: what a
// finished frame is rendered with.
func final(s *shot.Shot) {
	l := s.Looks[0].Copy("Final")
	l.ID = "final"
	for k, v := range map[string]any{"method": "path", "samples": 96, "noise": 0.02, "denoise": 0.6} {
		put(shot.Look, l.Values, k, v)
	}
	s.Looks = append(s.Looks, l)
}

// FogSignal is BL010: steam leaves the fog signal's horn in two blasts and is
// led round the tower by a guide curve.
func FogSignal() *shot.Shot {
	s := shot.New("BL010")
	s.Title = "Fog signal"
	s.Note = "Two blasts of the fog signal at dusk. The steam leaves the horn fast, slows, and winds itself round the tower."
	put(shot.Setting, s.Self.Values, "first", 1)
	put(shot.Setting, s.Self.Values, "last", 96)
	put(shot.Setting, s.Self.Values, "air_temperature", 285)

	add(s, shot.Domain, "Gallery air",
		"position", xyz{0.35, 1.75, -0.1}, "size", xyz{6.6, 3.5, 4.6}, "voxel", 0.07, "bounds", "follow", "follow_margin", 0.5,
		"cooling", 0.45, "dissipation", 0.04, "vorticity", 0.3)
	steam := add(s, shot.Emitter, "Horn throat",
		"form", "cylinder", "position", xyz{-0.12, 1.2, 0}, "turn", xyz{0, 0, -90}, "size", xyz{0.26, 0.3, 0.26},
		"smoke", 2.8, "temperature", 340, "speed", 3.2, "along", "axis", "breakup", 0.35, "breakup_size", 0.16, "breakup_rate", 6.0)
	keys(steam, "smoke", 1, 0, 3, 2.8, 22, 2.8, 26, 0, 44, 0, 46, 2.8, 64, 2.8, 68, 0)
	keys(steam, "speed", 1, 0, 4, 3.2, 22, 3.2, 28, 0, 44, 0, 47, 3.2, 64, 3.2, 70, 0)
	add(s, shot.Collider, "Horn",
		"form", "tube", "position", xyz{0.05, 1.2, 0}, "turn", xyz{0, 0, -90}, "size", xyz{0.84, 0.84, 0.84}, "taper", 1.5, "wall", 0.13,
		"colour", xyz{0.32, 0.12, 0.07})
	add(s, shot.Collider, "Horn back",
		"form", "cylinder", "position", xyz{-0.43, 1.2, 0}, "turn", xyz{0, 0, -90}, "size", xyz{0.56, 0.24, 0.56},
		"colour", xyz{0.32, 0.12, 0.07})
	add(s, shot.Collider, "Tower",
		"form", "cylinder", "position", xyz{-1.3, 1.6, 0}, "size", xyz{1.7, 3.2, 1.7}, "taper", 0.86, "colour", xyz{0.72, 0.7, 0.66})
	add(s, shot.Collider, "Gallery floor",
		"form", "box", "position", xyz{0.2, 0.35, 0}, "size", xyz{2.4, 0.14, 1.6}, "colour", xyz{0.2, 0.2, 0.21})
	lead := add(s, shot.Guide, "Round the tower", "pace", 5.4, "draw", 2.6, "swirl", 1.4, "reach", 1.2, "grip", 14.0)
	put(shot.Guide, lead.Values, "pace_along", "0.8 1 1 0.8")
	lead.Values["points"] = shot.PointList([][3]float64{{0.55, 1.2, 0}, {1.4, 1.25, -0.05}, {2.15, 1.5, -0.5}, {1.95, 1.85, -1.2}, {1, 2.1, -1.5}, {-0.2, 2.3, -1.6}, {-1.5, 2.4, -1.45}, {-2.35, 2.5, -0.5}, {-2.1, 2.6, 0.75}, {-1, 2.75, 1.35}, {0.4, 2.95, 1.4}})
	add(s, shot.Wind, "Sea wind", "velocity", xyz{0.2, 0.05, -0.1}, "grip", 0.2, "gust", 0.5, "gust_time", 1.6, "position", xyz{0.4, 2.7, 0.9})
	add(s, shot.Turbulence, "Eddies", "strength", 5.0, "size", 0.6, "octaves", 3, "rate", 1.2, "position", xyz{2.2, 2.5, 0})
	set(s.Element("camera"), "position", xyz{2.3, 2.1, 7.6}, "target", xyz{0.05, 1.6, 0}, "lens", 38.0)

	dusk := s.Looks[0]
	dusk.Name = "Dusk"
	for k, v := range map[string]any{"extinction": 16.0, "colour": xyz{0.95, 0.95, 0.96}, "sun_strength": 4.2, "sun_colour": xyz{1, 0.72, 0.48},
		"sun_height": 16.0, "sun_bearing": 112.0, "sky_strength": 0.5, "sky_colour": xyz{0.42, 0.55, 0.85}, "phase": 0.45, "bounces": 8} {
		put(shot.Look, dusk.Values, k, v)
	}
	final(s)
	return s
}
