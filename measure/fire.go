package measure

import (
	"fmt"
	"math"

	"zarf/core/gas"
	"zarf/core/geom"
	"zarf/core/grid"
	"zarf/core/pressure"
	"zarf/core/sim"
)

// fireAccuracy holds fires over a burner against what is published of them.
func fireAccuracy(t *Table) {
	const across = 1.0
	for _, kw := range []float64{500, 1600, 5000} {
		// seven seconds of one fire tell its height to a tenth: the mean of three
		const fires = 3
		var b flame
		for seed := range fires {
			one := burner(across, kw, 8, 0.5, 20, 11, float64(seed), t.crew)
			b.burnt, b.height = b.burnt+one.burnt/fires, b.height+one.height/fires
		}
		want := gas.FlameHeight(kw, across)
		t.most(fmt.Sprintf("a burner of %g m and %g kW burns %.0f kW", across, kw, b.burnt), math.Abs(b.burnt/kw-1), 0.05, "")
		t.most(fmt.Sprintf("its flame is %.2f m high in the mean of three, by Heskestad 1983 %.2f m", b.height, want), math.Abs(b.height/want-1), 0.2, "")
	}
	puffs(t)
	fireballs(t)
}

// puffs holds how often pool fires puff against f = 1.5/√D (Pagni 1990, Pool vortex shedding
// frequencies; Cetegen and Ahmed 1993), over forty periods each: by the air's speed upwards on
// the axis, half a diameter over the ground, where fires were measured too (Tieszen et al. 2002).
func puffs(t *Table) {
	for _, across := range []float64{0.5, 2} {
		want := 1.5 / math.Sqrt(across)
		for _, c := range []struct {
			voxels, fires int
			goal          float64
		}{{12, 1, 0}, {16, 1, 0.2}} { // the base's ring of air takes sixteen voxels to roll up
			var pulses [][]float64
			for seed := range c.fires {
				// fuel burns as fast as it mixes
				b := burner(across, 900*math.Pow(across, 2.5), c.voxels, 0.05, 60, 4*math.Sqrt(across)+40/want, float64(seed), t.crew)
				pulses = append(pulses, b.pulse)
			}
			every, like := period(pulses)
			t.most(fmt.Sprintf("a pool fire of %g m, %d voxels wide, puffs %.2f times a second, by 1.5/√D %.2f", across, c.voxels, rate/every, want), math.Abs(rate/every/want-1), c.goal, "")
			t.least("how like one puff is the next: correlation", like, 0, "")
		}
	}
}

// fireballs holds clouds of fuel that go up against the fits of Roberts (1981, Thermal
// radiation hazards from releases of LPG) for a fireball's radius and how long it burns.
func fireballs(t *Table) {
	for _, kg := range []float64{1, 10, 100} {
		r, lasts := fireball(kg, t.crew)
		c := math.Cbrt(kg)
		t.most(fmt.Sprintf("a fireball of %g kg: radius %.2f m, by 2.9 M^⅓ %.2f", kg, r, 2.9*c), math.Abs(r/(2.9*c)-1), 0.2, "")
		t.most(fmt.Sprintf("its fuel burns for %.2f s, by 0.45 M^⅓ %.2f", lasts, 0.45*c), math.Abs(lasts/(0.45*c)-1), 0.2, "")
	}
}

// fireball lets so many kilograms of fuel go up at once, and measures the radius of a ball
// as large as what is 500 K warmer than the air, at its largest, and when 95 % are burnt.
func fireball(kg float64, crew grid.Crew) (radius, lasts float64) {
	const heat, radiated, frames = 46e6, 0.35, 40
	r, end := 2.9*math.Cbrt(kg), 0.45*math.Cbrt(kg)
	h := r / 14
	n := int(4.5 * 14)
	s, err := gas.New(gas.Box{Dims: cube(n), H: h, Open: pressure.Sides{true, true, false, true, true, true}, Burning: true}, crew)
	if err != nil {
		panic(err)
	}
	p := calm
	p.Fire = gas.Fire{Ignition: 600, Rate: 3.5 / end, Heat: heat * (1 - radiated), Expansion: 1, Spread: 5, Afterglow: 0.05, Radiation: 1500, RadiationAt: 2000}
	mid := float64(n) * h / 2
	cloud := shape(geom.Sphere, geom.V(mid, 0.33*r, mid), geom.V(0.6*r, 0.6*r, 0.6*r))
	scene := func(now, _ float64) gas.Inputs {
		in := gas.Inputs{Physics: p, Scene: sim.Scene{Turbulences: []sim.Turbulence{{Strength: r / (end * end), Size: 0.3 * r, Octaves: 3, Phase: now / end, Region: sim.Region{Shape: cloud, Limited: true, Fade: 0.3 * r}}}}}
		if now <= 0.1*end {
			in.Emitters = []gas.Emitter{{Emitter: sim.Emitter{Shape: cloud}, Temperature: 1000, FuelRate: kg / (0.1 * end)}}
		}
		return in
	}
	burnt := 0.0
	for f := range 2 * frames {
		st, err := s.Frame(end/frames, sim.Substeps{CFL: 2, Min: 1, Max: 12}, scene, nil)
		if err != nil {
			panic(err)
		}
		if burnt += st.FuelBurnt; burnt < 0.95*kg {
			lasts = float64(f+1) * end / frames
		}
		hot := 0.0
		for _, v := range s.Heat.Data {
			if v > 500 {
				hot++
			}
		}
		radius = max(radius, math.Cbrt(3*hot/(4*math.Pi))*h)
	}
	return radius, lasts
}

// flame is what a burner's fire does.
type flame struct {
	burnt  float64   // kW
	height float64   // m over the burner
	pulse  []float64 // m/s upwards on its axis, half a diameter over the ground, of each frame
}

const rate = 24.0 // frames a second

// burner lets a disk burn on the ground for some seconds, so many voxels across, in air churned
// by so many m/s², at a burn rate of so much a second.
// The flame ends where the air on its axis is 500 K warmer than outside in the mean, as
// flames do (McCaffrey 1979; Heskestad 1983).
func burner(across, kw float64, voxels int, churn, fast, seconds, seed float64, crew grid.Crew) flame {
	const heat, radiated = 44e6, 0.35
	h := across / float64(voxels)
	wide, tall := max(4*across, 0.9*gas.FlameHeight(kw, across)), max(2*gas.FlameHeight(kw, across), 4*across)
	d := grid.Dims{NX: int(wide / h), NY: int(tall / h), NZ: int(wide / h)}
	s, err := gas.New(gas.Box{Dims: d, H: h, Open: pressure.Sides{true, true, false, true, true, true}, Burning: true, Oxygen: true}, crew)
	if err != nil {
		panic(err)
	}
	p := calm
	// what glows away is taken from the heat, and what the hottest gas loses; 3 MJ a kg of
	// air is what any fuel gives (Huggett 1980)
	p.Fire = gas.Fire{Ignition: 600, Rate: fast, Heat: heat * (1 - radiated), Expansion: 1, Spread: 3, Afterglow: 0.05, Radiation: 1500, RadiationAt: 2000, OxygenNeed: heat / (1.2 * 3e6)}
	bed := shape(geom.Cylinder, geom.V(wide/2, h, wide/2), geom.V(across, 2*h, across))
	scene := func(now, _ float64) gas.Inputs {
		return gas.Inputs{Physics: p, Emitters: []gas.Emitter{{Emitter: sim.Emitter{Shape: bed}, Temperature: 500, FuelRate: kw * 1e3 / heat}},
			Scene: sim.Scene{Turbulences: []sim.Turbulence{{Strength: churn, Size: across / 2, Octaves: 2, Phase: now + 100*seed, Region: sim.Region{Shape: bed, Limited: true, Fade: 0.2 * across}}}}}
	}
	var out flame
	mean, settled := make([]float64, d.NY), int(rate*4*math.Sqrt(across))
	for f := range int(rate * seconds) {
		st, err := s.Frame(1/rate, sim.Substeps{CFL: 2, Min: 1, Max: 12}, scene, nil)
		if err != nil {
			panic(err)
		}
		if f < settled {
			continue
		}
		out.burnt += st.FuelBurnt * rate * heat / 1e3
		for j := range d.NY {
			for c := range 9 {
				mean[j] += float64(s.Heat.At(d.NX/2-1+c%3, j, d.NZ/2-1+c/3)) / 9
			}
		}
		pulse := 0.0
		for c := range 9 {
			pulse += float64(s.V.At(d.NX/2-1+c%3, voxels/2, d.NZ/2-1+c/3)) / 9
		}
		out.pulse = append(out.pulse, pulse)
	}
	n := float64(len(out.pulse))
	out.burnt /= n
	for j, v := range mean {
		if v/n > 500 {
			out.height = float64(j+1) * h
		}
	}
	return out
}

// period is after how many values what was read repeats itself: where the correlation of rows
// with themselves, their mean, first rises to a peak again, and how high.
func period(rows [][]float64) (every, like float64) {
	long := len(rows[0])
	self := make([]float64, long/2)
	for _, v := range rows {
		var mean float64
		for _, x := range v {
			mean += x / float64(long)
		}
		for lag := range self {
			var sum float64
			for i, x := range v[:long-lag] {
				sum += (x - mean) * (v[i+lag] - mean)
			}
			self[lag] += sum / float64(long-lag)
		}
	}
	at := 1
	for at < len(self)-1 && self[at+1] < self[at] {
		at++
	}
	for at < len(self)-1 && self[at+1] > self[at] {
		at++
	}
	if at == len(self)-1 {
		return math.Inf(1), 0
	}
	// between values, by a parabola
	a, b, c := self[at-1], self[at], self[at+1]
	return float64(at) + 0.5*(a-c)/(a-2*b+c), b / self[0]
}
