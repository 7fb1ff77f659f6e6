package measure

import (
	"fmt"
	"math"

	"zarf/core/geom"
	"zarf/core/grid"
	"zarf/core/liquid"
	"zarf/core/sea"
	"zarf/core/sim"
)

// seaAccuracy holds waves within a domain against linear theory, and a domain that lies in a
// sea against that sea.
func seaAccuracy(t *Table) {
	for _, kh := range []float64{0.5, 1, 2, 3} {
		off, err := standing(kh, t.crew)
		if err != nil {
			t.Rows = append(t.Rows, Row{Section: t.section, Case: "standing waves", Measured: err.Error()})
			return
		}
		t.most(fmt.Sprintf("standing wave, k h = %g: frequency against ω² = g k tanh k h", kh), 100*off, 2, "%")
	}
	slow, lost, err := bubble(t.crew)
	if err != nil {
		t.Rows = append(t.Rows, Row{Section: t.section, Case: "bubble", Measured: err.Error()})
		return
	}
	t.most("a bubble 16 voxels across rises: speed against Davies and Taylor, Wallis for the vessel", 100*slow, 15, "%")
	t.most("the same: volume lost in a fifth of a second", 100*lost, 3, "%")
	off, level := throughBox(t.crew)
	t.most("waves of a sea through a domain, 10 s: difference in its middle, of the deviation of heights", 100*off, 25, "%")
	t.most("the same: mean level, of the deviation of heights", 100*math.Abs(level), 10, "%")
}

// bubble is the error of the speed at which a bubble rises through a tank, against Davies and
// Taylor's (1950) 0.707 √(g d) with Wallis' (1969) factor 1.13 e^(−d/D) for a vessel D wide, and
// the share of its volume that it has lost by then.
func bubble(crew grid.Crew) (off, lost float64, err error) {
	const h, r = 0.0125, 8.0
	n := int(8 * r)
	s := tank(n, n*7/4, n, h, [6]bool{}, crew)
	mid, top := geom.V(float64(n)/2, 2*r, float64(n)/2), float64(s.NY)-3
	var p []liquid.Particle
	for q := range 2 * n * 2 * s.NY * 2 * n {
		x := geom.V(0.25+0.5*float64(q%(2*n)), 0.25+0.5*float64(q/(2*n)%(2*s.NY)), 0.25+0.5*float64(q/(4*n*s.NY)))
		if x.Y < top && x.Sub(mid).Len() > r {
			p = append(p, liquid.Particle{X: [3]float32{float32(x.X), float32(x.Y), float32(x.Z)}})
		}
	}
	s.Resume(p, nil, nil, s.Emitted())
	in := liquid.Inputs{Physics: water}
	in.Physics.Bubbles = true
	var at, volume []float64
	for range 13 {
		if _, err := s.Frame(1.0/48, sim.Substeps{CFL: 1, Min: 1, Max: 8}, func(_, _ float64) liquid.Inputs { return in }, nil); err != nil {
			return 0, 0, err
		}
		var v, y float64
		for c, d := range s.Surface().Data {
			j := c / s.NX % s.NY
			if w := min(max(0.5+float64(d), 0), 1); w > 0.3 && j < s.NY-8 {
				v, y = v+w, y+w*(float64(j)+0.5)
			}
		}
		at, volume = append(at, y/max(v, 1e-9)*h), append(volume, v)
	}
	d, wide := 2*r*h, 8*r*h
	want := 0.707 * math.Sqrt(9.81*d) * 1.13 * math.Exp(-d/wide)
	got := (at[12] - at[3]) / (9.0 / 48)
	return math.Abs(got/want - 1), 1 - volume[9]/volume[0], nil
}

// standing is the error of the frequency of a standing wave half of which fits a tank, over
// three periods.
func standing(kh float64, crew grid.Crew) (float64, error) {
	const h, nx, nz = 0.025, 48, 6
	k := math.Pi / (nx * h)
	depth := kh / k
	s := tank(nx, int(depth/h)+6, nz, h, [6]bool{}, crew)
	const high = 0.025
	var p []liquid.Particle
	for n := range nz * 2 * nx * 2 {
		x, z := 0.25+0.5*float64(n%(2*nx)), 0.25+0.5*float64(n/(2*nx))
		top := (depth + high*math.Cos(k*x*h)) / h
		for y := 0.25; y < top; y += 0.5 {
			p = append(p, liquid.Particle{X: [3]float32{float32(x), float32(y), float32(z)}})
		}
	}
	s.Resume(p, nil, nil, s.Emitted())
	in := liquid.Inputs{Physics: water}
	want := math.Sqrt(9.81 * k * math.Tanh(kh))
	var cross []float64
	was, then := 0.0, 0.0
	for s.Time < 3.2*2*math.Pi/want {
		if _, err := s.Frame(1.0/96, sim.Substeps{CFL: 1, Min: 1, Max: 8}, func(_, _ float64) liquid.Inputs { return in }, nil); err != nil {
			return 0, err
		}
		a := 0.0
		for i := range s.P {
			a += math.Cos(k * h * float64(s.P[i].X[0]))
		}
		if was*a < 0 {
			cross = append(cross, then+(s.Time-then)*was/(was-a))
		}
		was, then = a, s.Time
	}
	if len(cross) < 4 {
		return 0, fmt.Errorf("a standing wave at k h = %g crossed %d times", kh, len(cross))
	}
	got := math.Pi * float64(len(cross)-1) / (cross[len(cross)-1] - cross[0])
	return math.Abs(got/want - 1), nil
}

// throughBox is by how much heights in the middle of a box are off those of the sea that it
// lies in, and their mean off the level, both of the deviation of heights.
func throughBox(crew grid.Crew) (off, level float64) {
	const h, size, deep = 0.25, 16.0, 5.0
	waves, err := sea.New(sea.State{Wind: 12, Bearing: 1.2, Fetch: 25000, Depth: deep, Spread: 0.6, Choppy: 1, Height: 1, Longest: 200, Shortest: 4 * h, Gravity: 9.81, Seed: 5})
	if err != nil {
		return math.NaN(), math.NaN()
	}
	n := int(size / h)
	s, err := liquid.New(liquid.Box{Dims: grid.Dims{NX: n, NY: int((deep + 2.5) / h), NZ: n}, H: h, Origin: geom.V(-size/2, -deep, -size/2), Open: [6]bool{true, true, false, true, true, true}, InSea: true}, crew)
	if err != nil {
		return math.NaN(), math.NaN()
	}
	in := liquid.Inputs{Physics: water, Around: &liquid.Around{Sea: waves, Rim: 2, ID: "sea"}}
	var sum, all float64
	count := 0
	flows(s, 240, 1.0/24, 2, in, func(f int, _ liquid.FrameStats) {
		if f < 48 || f%6 != 0 {
			return
		}
		phi, surface := s.Surface(), waves.Surface(s.Time, crew)
		for q := range 25 {
			i, k := n/2+(q%5-2)*n/10, n/2+(q/5-2)*n/10
			j := phi.NY - 2
			for j > 0 && phi.At(i, j, k) > 0 {
				j--
			}
			a, b := phi.At(i, j, k), phi.At(i, j+1, k)
			y := s.Origin.Y + (float64(j)+0.5+float64(a/(a-b)))*h
			want, _ := surface.At(s.Origin.X+(float64(i)+0.5)*h, s.Origin.Z+(float64(k)+0.5)*h, h)
			sum, all, level, count = sum+(y-want)*(y-want), all+want*want, level+y-want, count+1
		}
	})
	deviation := math.Sqrt(all / float64(count))
	return math.Sqrt(sum / all), level / float64(count) / deviation
}
