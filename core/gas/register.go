package gas

// All that the house knows of gas besides how it flows: words for sentences, which
// channels frames hold, what a run takes, what can be wrong.

import (
	"fmt"
	"math"

	"zarf/core/check"
	"zarf/core/frame"
	"zarf/core/grid"
	"zarf/core/shot"
	"zarf/core/shot/val"
	"zarf/core/sim"
	"zarf/core/stage"
)

// Key is what a gas is called in shot files, and in conditions of values; Fire
// is the word for one that burns.
const (
	Key   = "gas"
	Fiery = "fire"
)

func init() {
	stage.Register(stage.Solver{
		Fluid: shot.Fluid{Key: Key, Label: "gas: smoke, fire", Word: "gas", Values: values(), Words: words, Says: says, Emits: emits,
			Feeds: func(d, e *shot.Element) {
				if burns(d) { // an emitter in a burning domain feeds the fire
					// Kilograms per cubic metre, enough for a steady flame.
					val.Fuel.Set(e, 0.06)
					val.Temperature.Set(e, 900)
				}
			}},
		Version: Version,
		// Every kind that acts on gas; an element of another kind is left alone.
		Binds: []shot.Kind{shot.Emitter, shot.Collider, shot.Cloth, shot.Wind, shot.Turbulence, shot.Vortex, shot.Radial, shot.Drag, shot.Guide, shot.Pull},
		New: func(s *shot.Shot, d *shot.Element, crew grid.Crew) (stage.Runner, error) {
			return newStage(s, d, crew)
		},
		Bytes: func(d *shot.Element) float64 {
			b := float64(BytesPerCell)
			if burns(d) {
				b += BytesPerBurning
			}
			if val.SmokeBy.Of(d) == "points" {
				// two arrays, and 16 bytes twice for each of the points of the part that smoke fills
				b += 8 + 32*val.SmokePoints.Of(d)*pointShare
				// a frame's channels are made one after another
				if n := float64(fineness(d)); n > 1 {
					b += 4 * n * n * n * smokeShare
				}
			}
			if val.SubGrid.Of(d) > 0 || d.Keyed(val.SubGrid) {
				b += 24 // ways of its own
			}
			return b
		},
		Share: func(d *shot.Element) float64 {
			if follows(d) { // the limit as a whole is seldom filled
				return inUse(d, false)
			}
			return 1
		},
		Cost:     cost,
		Guess:    guess,
		Channels: channels,
		Fine:     fineness,
		Amounts:  amounts,
		Fronts:   true,
		Checks: []check.Check{{ID: "emitter-empty", Find: emitterEmpty}, {ID: "closed-inflow", Find: closedInflow}, {ID: "open-floor", Find: openFloor},
			{ID: "fuel-unused", Find: fuelUnused}, {ID: "fuel-missing", Find: noFuel}, {ID: "fuel-cold", Find: fuelCold}, {ID: "fire-hot", Find: fireHot},
			{ID: "fire-closed", Find: closedFire}, {ID: "fire-unseen", Find: fireUnseen}, {ID: "flame-size", Find: flameSize}, {ID: "flame-air", Find: flameAir}, {ID: "smoke-grain", Find: smokeGrain}, {ID: "stirred-flat", Find: stirredFlat}},
		// What makes an emitter worth a sentence: something that can be seen.
		Gives: func(e *shot.Element, now val.Eval) bool {
			return val.Smoke.At(e, now) > 0 || val.Fuel.At(e, now) > 0 || val.FuelPower.At(e, now) > 0
		},
		Nothing: "neither smoke nor fuel", NothingWhy: "Warm or fast air alone can't be seen; give it smoke.",
		After: after,
	})
}

func isGas(d *shot.Element) bool { return d.Kind == shot.Domain && val.Fluid.Of(d) == Key }

// burns reports a domain in which fuel burns.
// Both ways of burning count: of fuel alone, and with the air's oxygen.
func burns(d *shot.Element) bool { return isGas(d) && val.Burning.Of(d) != "no" }

// follows reports a domain whose bounds follow its fluid.
func follows(d *shot.Element) bool { return isGas(d) && val.Bounds.Of(d) == "follow" }

// words are what a domain of gas is made of, for conditions of values.
func words(d *shot.Element) []string {
	if burns(d) {
		return []string{Key, Fiery}
	}
	return []string{Key}
}

// says is what its sentence adds.
func says(d *shot.Element) (verb, more string) {
	if follows(d) {
		verb = "follows gas within"
	}
	if burns(d) {
		more += fmt.Sprintf("; fuel burns from %s K", shot.Short(val.Ignition.Of(d)))
	}
	if n := fineness(d); n > 1 {
		more += fmt.Sprintf("; its smoke is kept %d × as fine", n)
	}
	return verb, more
}

// emits says what an emitter lets out into a gas.
func emits(s *shot.Shot, e *shot.Element) string {
	var what []string
	if val.Smoke.Of(e) > 0 || e.Keyed(val.Smoke) {
		what = append(what, "smoke "+shot.Short(val.Smoke.Of(e))+s.KeyedWords(e, val.Smoke))
	}
	if val.Fuel.Of(e) > 0 || e.Keyed(val.Fuel) {
		what = append(what, "fuel "+shot.Short(val.Fuel.Of(e))+" kg/m³")
	}
	if kw := val.FuelPower.Of(e); kw > 0 || e.Keyed(val.FuelPower) {
		what = append(what, "fuel for a fire of "+shot.Short(kw)+" kW")
	}
	switch dt := val.Temperature.Of(e) - val.AirTemperature.Of(s); {
	case dt > 0:
		what = append(what, "gas "+shot.Short(dt)+" K warmer than the air")
	case dt < 0:
		what = append(what, "gas "+shot.Short(-dt)+" K colder than the air")
	}
	// Air at the air's temperature still moves what is there.
	if len(what) == 0 {
		what = append(what, "air")
	}
	verb := "lets out "
	if val.Mode.Of(e) == "add" {
		verb = "adds "
	}
	return verb + shot.List(what)
}

// channels are what frames of a gas hold.
// The order is that of pages and files. Fuel and burn go together, as neither says
// much without the other.
func channels(d *shot.Element) []stage.Channel {
	list := []stage.Channel{{Name: frame.Density, Label: "density", Role: frame.Amount, Kept: true, Every: true},
		{Name: frame.Temperature, Label: "temperature", Unit: "kelvin above air", Role: frame.Amount, Keep: val.CacheTemperature, Kept: val.CacheTemperature.Of(d), Every: true}}
	if burns(d) {
		kept := val.CacheFire.Of(d)
		list = append(list, stage.Channel{Name: frame.Fuel, Label: "fuel", Unit: "kg/m3", Role: frame.Amount, Keep: val.CacheFire, Kept: kept, Every: true},
			stage.Channel{Name: frame.Burn, Label: "burning", Role: frame.Amount, Keep: val.CacheFire, Kept: kept, Every: true})
	}
	return append(list, stage.Channel{Name: frame.Velocity, Label: "velocity", Unit: "m/s", Role: frame.Vector, Keep: val.CacheVelocity, Kept: val.CacheVelocity.Of(d), Every: true})
}

// heatUnit turns K·m³ of air into MJ.
// Kelvin times volume is what the solver sums; times density and heat capacity it is
// energy.
func heatUnit(s *shot.Shot) float64 { return val.AirDensity.Of(s) * HeatCapacity / 1e6 }

// amounts are the figures of frames that are plotted.
var amounts = []stage.Quantity{
	{Name: sim.FuelTotal, Label: "Fuel in the air", Unit: "kg"},
	{Name: sim.FuelBurnt, Label: "Fuel burnt per frame", Unit: "kg"},
	{Name: sim.HeatMade, Label: "Heat made per frame", Unit: "MJ", Shown: heatUnit},
	{Name: sim.HeatTotal, Label: "Heat held", Unit: "MJ", Shown: heatUnit},
	{Name: sim.SootMade, Label: "Soot made per frame", Unit: "m³"},
	{Name: sim.SmokeTotal, Label: "Smoke held", Unit: "m³"},
	{Name: sim.Particles, Label: "Points of smoke"},
	{Name: sim.Expanded, Label: "Gas expanded per frame", Unit: "m³"},
	{Name: sim.PeakHeat, Label: "Hottest", Unit: "K over air"},
	{Name: "top", Label: "Height of smoke", Unit: "m", Of: func(s *sim.Stats) float64 { return s.Top }},
}

// stats is how a frame went in the words that all solvers share.
func (st *FrameStats) stats() sim.Stats {
	out := sim.Stats{Substeps: st.Substeps, Capped: st.Capped, Iterations: st.Iterations, Residual: st.Residual, Unconverged: st.Unconverged, MaxSpeed: st.MaxSpeed,
		Cut: st.Cut, AtLimit: st.AtLimit, Voxels: st.Voxels, Window: st.Window, Top: st.Top, Width: st.Width, Low: st.Low, High: st.High, Bulk: st.Bulk}
	for a, v := range map[sim.Amount]float64{sim.SmokeTotal: st.SmokeTotal, sim.HeatTotal: st.HeatTotal, sim.FuelTotal: st.FuelTotal, sim.FuelBurnt: st.FuelBurnt, sim.HeatMade: st.HeatMade,
		sim.SootMade: st.SootMade, sim.Expanded: st.Expanded, sim.VolumeMade: st.VolumeMade, sim.VolumeHeld: st.VolumeHeld, sim.Lost: st.Lost, sim.Tiles: float64(st.Tiles),
		sim.Particles: float64(st.Points), sim.PeakHeat: st.PeakHeat, sim.Warm: st.Warm, sim.FastX: st.FastAt.X, sim.FastY: st.FastAt.Y, sim.FastZ: st.FastAt.Z} {
		out.Put(a, v)
	}
	return out
}

// pointShare is the smoke that a voxel in use holds in the mean, of density 1: BL030's, when it
// has burnt.
const pointShare = 0.06

// inUse is how much of its limit a domain whose bounds follow has in use on the mean, as a
// rule: fire fills it, smoke does so later, a blast does at its end, and what is heavy lies
// on its floor.
func inUse(d *shot.Element, blast bool) float64 {
	switch {
	case blast:
		return 0.4
	case burns(d):
		return 0.65
	case val.SmokeWeight.Of(d) > 0:
		return 0.35
	}
	return 0.4
}

// blasts reports a domain whose fires all go out by keys.
func blasts(s *shot.Shot, d *shot.Element) bool {
	many := 0
	for _, e := range s.Of(shot.Emitter) {
		if !e.Acts(d) || !fed(e) {
			continue
		}
		k := e.Keys(val.Fuel)
		if len(k) == 0 || k[len(k)-1].Value.Num > 0 {
			return false
		}
		many++
	}
	return many > 0 && burns(d)
}

// fastest guesses the fastest gas in a domain, m/s: what emitters let in, what rises by
// its own warmth through the domain's height, what guides lead, winds drive and turbulence
// stirs. It comes to their square sum, as they seldom act the same way.
func fastest(s *shot.Shot, d *shot.Element) float64 {
	// Never under 1 m/s: an estimate of no substeps helps nobody.
	fast := max(1, stage.Inflow(s, d))
	air := val.AirTemperature.Of(s)
	// Free rise over a third of the height: a guess for an estimate, and no more. Gas is
	// lighter by 1 − T₀/T.
	rise := func(warm float64) float64 {
		warm /= 1 + warm
		return math.Sqrt(2 * math.Abs(val.Gravity.Of(s)*val.Lift.Of(d)) * warm * val.Size.Of(d)[1] * 0.3)
	}
	for _, e := range s.Of(shot.Emitter) {
		if !e.Acts(d) {
			continue
		}
		fast = max(fast, rise(math.Abs(val.Temperature.Of(e)-air)/air))
		if burns(d) && fed(e) { // flames rise at several metres a second
			fast = max(fast, rise(4))
		}
	}
	squares := fast * fast
	for _, e := range s.Of(shot.Guide) {
		if e.Acts(d) {
			for _, v := range []float64{val.Pace.Of(e), val.Draw.Of(e), val.Swirl.Of(e)} {
				squares += v * v
			}
		}
	}
	for _, e := range s.Of(shot.Wind) {
		if e.Acts(d) { // gusts and all, as far as gas goes along in a second
			v := val.Velocity.Of(e)
			gale := math.Hypot(math.Hypot(v[0], v[1]), v[2]) * (1 + val.Gust.Of(e)) * min(val.Grip.Of(e), 1)
			squares += gale * gale
		}
	}
	for _, e := range s.Of(shot.Turbulence) {
		if e.Acts(d) { // what a force of that strength reaches over the largest whirl
			squares += 2 * math.Abs(val.Strength.Of(e)) * val.Largest.Of(e)
		}
	}
	return math.Sqrt(squares)
}

// What smoke fills on disk of what is in use, as a rule: in a fixed box; where bounds
// follow, at first and once it has been driven through the domain some times; with
// fire; and what flames alone fill.
const (
	smokeShare  = 0.3
	freshShare  = 0.28
	drivenShare = 0.2
	fireShare   = 0.34
	fireFades   = 3.4 // a second, where that was found
	blastShare  = 0.14
	flameShare  = 0.15
	fineShare   = 0.48 // leaves of finer voxels lie closer round it
)

// filled is the share of its limit that smoke in a domain whose bounds follow fills.
func filled(s *shot.Shot, d *shot.Element, fast float64, frames int) float64 {
	switch {
	case blasts(s, d):
		return blastShare
	case burns(d): // smoke that fades sooner comes less far
		return fireShare * min(1, fireFades/max(val.Dissipation.Of(d), 1e-3))
	}
	times := fast * float64(frames) / s.Rate() * val.TimeScale.Of(s) / val.Size.Of(d)[1]
	return freshShare + (drivenShare-freshShare)*min(times/6, 1)
}

// What a frame costs beside its steps, in steps: packing, writing and its preview. And
// what an octave of turbulence adds to a step, where its lattice is as fine as the
// voxels.
const (
	frameCost  = 1.4
	octaveCost = 0.1
)

// guess fills in what a run will take.
// rate is what this machine has measured for plain gas; the factors are those of the
// demo's shots.
func guess(s *shot.Shot, d *shot.Element, rate float64, e *stage.Estimate) {
	fast := fastest(s, d)
	share, smoke, flame, packed := 1.0, smokeShare, smokeShare, 0.75
	if follows(d) {
		share, packed = inUse(d, blasts(s, d)), stage.PackedShare
		smoke, flame = filled(s, d, fast, e.Frames), flameShare
	}
	// What a voxel of a frame holds on disk.
	values, fine := 0.0, 1.0
	if n := fineness(d); n > 1 {
		fine = fineShare * math.Pow(float64(n), 3)
	}
	for _, c := range channels(d) {
		switch {
		case !c.Kept:
		case c.Role == frame.Vector && follows(d): // kept near smoke
			values += 3 * smoke
		case c.Role == frame.Vector:
			values += 3 // velocity is nowhere 0
		case c.Name == frame.Fuel || c.Name == frame.Burn:
			values += flame * fine
		default:
			values += smoke * fine
		}
	}
	size := 4.0
	if val.CacheHalf.Of(d) {
		size = 2
	}
	e.Disk = float64(e.Frames) * e.Voxels * values * size * packed * stage.StatesShare(e.Frames)
	if rate <= 0 {
		return
	}
	step := cost(s, d)
	steps := (float64(e.Frames) + val.Preroll.Of(s)) * stage.Substeps(s, d, fast)
	e.Seconds += e.Voxels * share * (steps*step + frameCost*float64(e.Frames)) / rate
}

// cost is what a voxel's step costs, in those of smoke that nothing stirs.
func cost(s *shot.Shot, d *shot.Element) float64 {
	step := 1.0
	for _, t := range s.Of(shot.Turbulence) {
		if t.Acts(d) {
			n := max(val.Octaves.Of(t), 1)
			fine := min(1, val.Voxel.Of(d)*math.Exp2(n+1)/val.Largest.Of(t))
			step += octaveCost * n * fine * fine * fine
		}
	}
	if val.Scheme.Of(d) == string(Reflection) {
		// Two projections a step and twice the advection.
		step *= 3.5
	}
	// points and whirls are worth their time where smoke is, which is a part of what is in use
	if val.SmokeBy.Of(d) == "points" {
		step *= 1.3
		if fineness(d) > 1 {
			step *= 1.4 // spreading and packing a frame, by the steps that it has as a rule
		}
	}
	if val.SubGrid.Of(d) > 0 || d.Keyed(val.SubGrid) {
		step *= 1.1
	}
	return step
}
