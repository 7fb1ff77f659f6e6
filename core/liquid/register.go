package liquid

import (
	"fmt"
	"math"
	"strconv"

	"zarf/core/check"
	"zarf/core/frame"
	"zarf/core/grid"
	"zarf/core/shot"
	"zarf/core/shot/val"
	"zarf/core/sim"
	"zarf/core/stage"
)

// Key is what a liquid is called in shot files, and in conditions of values.
const Key = "liquid"

func init() {
	// All that the rest of the house knows of liquids is said here, and in
	// values.go.
	stage.Register(stage.Solver{
		Fluid:   shot.Fluid{Key: Key, Label: "a liquid", Word: "liquid", Values: values(), Says: says, Pours: pour, Words: words},
		Version: Version, Points: true,
		Binds: []shot.Kind{shot.Emitter, shot.Collider, shot.Cloth, shot.Wind, shot.Turbulence, shot.Vortex, shot.Radial, shot.Drag, shot.Guide, shot.Pull, shot.Sea},
		New: func(s *shot.Shot, d *shot.Element, crew grid.Crew) (stage.Runner, error) {
			return newStage(s, d, crew)
		},
		Bytes: func(d *shot.Element) float64 { // as if a third were full
			// grids for the whole box, particles for what is wet, the surface on its
			// lattice
			n := float64(detail(d))
			return BytesPerCell + wetShare*BytesPerFull + 4*n*n*n
		},
		Guess: guess, Channels: channels, Amounts: amounts, After: after,
		Gives: func(e *shot.Element, now val.Eval) bool {
			if val.From.Of(e) == "fluid" {
				return val.TurnsAmount.At(e, now) > 0
			}
			p := val.Pours.Of(e)
			return p == "once" || p == "full" || p == "flow" && (val.Speed.At(e, now) != 0 || val.Push.At(e, now) != [3]float64{})
		},
		Nothing: "no liquid", NothingWhy: "What flows out is the speed times the surface that it leaves by; give it a speed, or let it fill its form.",
		Checks: []check.Check{{ID: "pour-still", Find: pourStill}, {ID: "liquid-floor", Find: liquidFloor}, {ID: "liquid-weightless", Find: liquidWeightless},
			{ID: "inflow-thick", Find: inflowThick}, {ID: "liquid-cold", Find: liquidCold}, {ID: "heat-turned", Find: heatTurned}, {ID: "second-unused", Find: secondUnused}, {ID: "overflow", Find: overflow},
			{ID: "sea-dry", Find: seaDry}, {ID: "sea-calm", Find: seaCalm}, {ID: "sea-several", Find: seaSeveral}, {ID: "sea-level", Find: seaLevel}, {ID: "sea-walls", Find: seaWalls}, {ID: "sea-floor", Find: seaFloor}, {ID: "sea-coarse", Find: seaCoarse}},
	})
}

// detail is how many cells of the cached surface stand along a voxel.
func detail(d *shot.Element) int {
	n, err := strconv.Atoi(val.SurfaceDetail.Of(d))
	if err != nil {
		return 2
	}
	return n
}

// words are what a liquid domain is to conditions of values: what it carries.
func words(d *shot.Element) []string {
	w := []string{Key}
	if val.CarriesHeat.Of(d) {
		w = append(w, "warmth")
	}
	if val.SecondLiquid.Of(d) {
		w = append(w, "mixture")
	}
	return w
}

// says is what a liquid's sentence adds.
func says(d *shot.Element) (verb, more string) {
	if v := val.Viscosity.Of(d); v > 0.01 {
		more = fmt.Sprintf("; viscosity %s Pa·s", shot.Short(v))
	}
	return "", more
}

// pour is the sentence of an emitter that acts on liquids alone.
func pour(s *shot.Shot, e *shot.Element) string {
	if val.From.Of(e) == "fluid" {
		when := map[string]string{"hit": "where they hit something", "death": "where they die", "birth": "where they are born", "fell": "where they drip off cloth"}[val.TurnsAt.Of(e)]
		if d := s.Source(e); d != nil {
			return "turns " + d.Name + " to liquid " + when
		}
		return "turns particles to liquid " + when + ", of a domain that isn't chosen yet"
	}
	pours := val.Pours.Of(e)
	t := map[string]string{"flow": "pours liquid", "full": "keeps full of liquid", "once": "fills once with liquid", "drain": "takes liquid away from"}[pours]
	if pours == "flow" {
		t += fmt.Sprintf(" at %s m/s", shot.Short(math.Abs(val.Speed.Of(e))))
		if val.Along.Of(e) == "axis" {
			t += " along its axis"
		}
		t += " from"
	}
	return t + " a " + s.SizeWords(e) + s.KeyedWords(e, val.Speed)
}

// channels are what frames of a liquid hold.
func channels(d *shot.Element) []stage.Channel {
	list := []stage.Channel{{Name: frame.Density, Label: "how full", Role: frame.Amount, Kept: true, Every: true},
		{Name: frame.Surface, Label: "distance to the surface", Unit: "m", Role: frame.LevelSet, Kept: true, Every: true},
		{Name: frame.Foam, Label: "foam", Role: frame.Amount, Kept: true}, // once there is some
		{Name: frame.Velocity, Label: "velocity", Unit: "m/s", Role: frame.Vector, Keep: val.CacheVelocity, Kept: val.CacheVelocity.Of(d), Every: true}}
	// what a domain doesn't carry its frames never have
	if val.CarriesHeat.Of(d) {
		list = append(list, stage.Channel{Name: frame.Temperature, Label: "temperature", Unit: "K", Role: frame.Amount, Kept: true, Every: true})
	}
	if val.SecondLiquid.Of(d) {
		list = append(list, stage.Channel{Name: frame.Mixture, Label: "second liquid", Role: frame.Amount, Kept: true, Every: true})
	}
	if val.WetMap.Of(d) {
		list = append(list, stage.Channel{Name: frame.Wetness, Label: "wet solids", Role: frame.Amount, Kept: true, Every: true})
	}
	return list
}

// amounts are the figures of frames that are plotted.
var amounts = []stage.Quantity{
	{Name: sim.Volume, Label: "Liquid held", Unit: "m³"},
	{Name: sim.VolumeMade, Label: "Liquid added per frame", Unit: "m³"},
	{Name: sim.Drained, Label: "Liquid drained per frame", Unit: "m³"},
	{Name: "top", Label: "Height of the liquid", Unit: "m", Of: func(s *sim.Stats) float64 { return s.Top }},
	{Name: sim.Particles, Label: "Particles"},
	{Name: sim.Drops, Label: "Drops of foam"},
}

// wetShare is how much of a domain is full, as a rule.
const wetShare = 1.0 / 3

// guess fills in what a run will take: a full voxel's particles take about as
// long as four voxels of gas.
func guess(s *shot.Shot, d *shot.Element, rate float64, e *stage.Estimate) {
	n := float64(detail(d))
	share := wetShare
	if e := s.SeaOf(d); e != nil { // filled to the level, and its rim is worked out anew
		b := d.DomainBox()
		share = 1.3 * min(max((val.SeaLevel.Of(e)-b.Min.Y)/b.Size().Y, 0), 1)
	}
	// a byte a voxel packed, and about a seventh of one for each of the surface's
	// cells
	e.Disk = float64(e.Frames) * e.Voxels * (1 + 0.15*n*n*n)
	if val.CacheVelocity.Of(d) {
		e.Disk *= 1.6
	}
	if rate > 0 {
		e.Seconds = (float64(e.Frames) + val.Preroll.Of(s)) * e.Voxels * (1 + 4*share) * stage.Substeps(s, d, max(1, stage.Inflow(s, d))) / rate
	}
}
