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
	const across = 0.5
	for _, kw := range []float64{200, 600, 2000} {
		b := burner(across, kw, 0.5, 6, t.crew)
		want := gas.FlameHeight(kw, across)
		t.most(fmt.Sprintf("a burner of %g m and %g kW burns %.0f kW", across, kw, b.burnt), math.Abs(b.burnt/kw-1), 0.05, "")
		t.most(fmt.Sprintf("its flame is %.2f m high, by Heskestad 1983 %.2f m", b.height, want), math.Abs(b.height/want-1), 0.2, "")
	}
	for _, across := range []float64{0.5, 2} {
		b := burner(across, 900*math.Pow(across, 2.5), 0.05, 16*math.Sqrt(across), t.crew)
		want := 1.5 / math.Sqrt(across)
		t.most(fmt.Sprintf("a pool fire of %g m puffs %.2f times a second, by 1.5/√D %.2f", across, b.puffs, want), math.Abs(b.puffs/want-1), 0.2, "")
	}
	fireballs(t)
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
	burnt  float64 // kW
	height float64 // m over the burner
	puffs  float64 // a second
}

// burner lets a disk burn on the ground for some seconds, in air churned by so many m/s².
// The flame ends where the air on its axis is 500 K warmer than outside in the mean, as
// flames do (McCaffrey 1979; Heskestad 1983); it puffs as often as it necks and bulges half
// a diameter over the ground.
func burner(across, kw, churn, seconds float64, crew grid.Crew) flame {
	const heat, radiated, voxels = 44e6, 0.35, 8
	h := across / voxels
	wide, tall := max(4*across, 0.9*gas.FlameHeight(kw, across)), max(2*gas.FlameHeight(kw, across), 4*across)
	d := grid.Dims{NX: int(wide / h), NY: int(tall / h), NZ: int(wide / h)}
	s, err := gas.New(gas.Box{Dims: d, H: h, Open: pressure.Sides{true, true, false, true, true, true}, Burning: true, Oxygen: true}, crew)
	if err != nil {
		panic(err)
	}
	p := calm
	// what glows away is taken from the heat, and what the hottest gas loses; 3 MJ a kg of
	// air is what any fuel gives (Huggett 1980)
	p.Fire = gas.Fire{Ignition: 600, Rate: 20, Heat: heat * (1 - radiated), Expansion: 1, Spread: 3, Afterglow: 0.05, Radiation: 1500, RadiationAt: 2000, OxygenNeed: heat / (1.2 * 3e6)}
	bed := shape(geom.Cylinder, geom.V(wide/2, h, wide/2), geom.V(across, 2*h, across))
	scene := func(now, _ float64) gas.Inputs {
		return gas.Inputs{Physics: p, Emitters: []gas.Emitter{{Emitter: sim.Emitter{Shape: bed}, Temperature: 500, FuelRate: kw * 1e3 / heat}},
			Scene: sim.Scene{Turbulences: []sim.Turbulence{{Strength: churn, Size: across / 2, Octaves: 2, Phase: now, Region: sim.Region{Shape: bed, Limited: true, Fade: 0.2 * across}}}}}
	}
	const rate = 24.0
	var out flame
	var neck []float64
	mean, settled := make([]float64, d.NY), int(rate*2*math.Sqrt(across))
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
		neck = append(neck, warmArea(s, voxels/2))
	}
	n := float64(len(neck))
	out.burnt /= n
	for j, v := range mean {
		if v/n > 500 {
			out.height = float64(j+1) * h
		}
	}
	out.puffs = strongest(neck, rate, int(5*rate*math.Sqrt(across)))
	return out
}

// warmArea is how many cells of a layer are 200 K warmer than the air.
func warmArea(s *gas.Solver, j int) (n float64) {
	for k := range s.NZ {
		for _, v := range s.Heat.Row(j, k) {
			if v > 200 {
				n++
			}
		}
	}
	return n
}

// strongest is the frequency that is strongest in what was read so often a second, of
// Welch's mean over pieces that overlap by three quarters.
func strongest(v []float64, rate float64, piece int) (best float64) {
	piece = min(piece, len(v))
	most := 0.0
	for f := 2 * rate / float64(piece); f < rate/4; f += rate / float64(piece) / 4 {
		e := 0.0
		for at := 0; at+piece <= len(v); at += max(1, piece/4) {
			e += powerAt(v[at:at+piece], 2*math.Pi*f/rate)
		}
		if e > most {
			most, best = e, f
		}
	}
	return best
}

// powerAt is how strongly a row swings by so much of a turn a value, under Hann's window.
func powerAt(v []float64, turn float64) float64 {
	var mean, a, b float64
	n := float64(len(v))
	for _, x := range v {
		mean += x / n
	}
	for i, x := range v {
		w := 0.5 - 0.5*math.Cos(2*math.Pi*(float64(i)+0.5)/n)
		sin, cos := math.Sincos(turn * float64(i))
		a, b = a+w*(x-mean)*cos, b+w*(x-mean)*sin
	}
	return a*a + b*b
}
