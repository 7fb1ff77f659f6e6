package measure

import (
	"fmt"
	"math"
	"time"

	"zarf/core/geom"
	"zarf/core/grid"
	"zarf/core/liquid"
	"zarf/core/sim"
	"zarf/core/surface"
)

// tank is a closed box of liquid.
func tank(nx, ny, nz int, h float64, open [6]bool, crew grid.Crew) *liquid.Solver {
	s, err := liquid.New(liquid.Box{Dims: grid.Dims{NX: nx, NY: ny, NZ: nz}, H: h, Open: open}, crew)
	if err != nil {
		panic(err)
	}
	return s
}

var water = liquid.Physics{Gravity: 9.81, Density: 1000, Affine: true, Tolerance: 1e-4, MaxIterations: 200}

// bodyOf is an emitter that fills a box once.
func bodyOf(lo, hi geom.Vec3) liquid.Emitter {
	sh := geom.Shape{Form: geom.Block, Centre: lo.Add(hi).Mul(0.5), Size: hi.Sub(lo), Turn: geom.RotationXYZ(geom.Vec3{})}
	return liquid.Emitter{Emitter: sim.Emitter{Shape: sh, Before: sh}, Once: true, ID: "body"}
}

// flows runs frames of a liquid and tells of each.
func flows(s *liquid.Solver, frames int, dt, cfl float64, in liquid.Inputs, each func(f int, st liquid.FrameStats)) {
	for f := range frames {
		st, err := s.Frame(dt, sim.Substeps{CFL: cfl, Min: 1, Max: 100}, func(float64, float64) liquid.Inputs { return in }, nil)
		if err != nil {
			panic(err)
		}
		if each != nil {
			each(f+1, st)
		}
	}
}

// liquidSpeed measures a tank of 64³ of which half is full: a million
// particles.
func liquidSpeed(t *Table) {
	s := tank(64, 64, 64, 1.0/64, [6]bool{}, t.crew)
	in := liquid.Inputs{Physics: water, Emitters: []liquid.Emitter{bodyOf(geom.V(0, 0, 0), geom.V(0.5, 1, 1))}}
	in.Physics.Affine, in.Physics.Tolerance = false, 1e-3
	dt := 1.0 / 240
	one := func() { flows(s, 1, dt, 1e3, in, nil) }
	one()
	n := float64(len(s.P))
	sorts := best(3, func() { s.Transfers(false) })
	t.most(fmt.Sprintf("%.2f M particles: sort, to the grid with density, to particles (FLIP)", n/1e6), sorts, 45, "ms")
	begin := time.Now()
	for range 8 {
		one()
	}
	took := float64(time.Since(begin).Microseconds()) / 8e3
	t.most(fmt.Sprintf("whole step of %.2f M particles in 64³, 1e-3", n/1e6), took, 120, "ms")
	t.least("particles a second", n/took*1e3, 0, "1/s")
	p := make(surface.Points, 0, len(s.P))
	s.Surface()
	for i := range s.P {
		x := s.P[i].X
		p = append(p, [3]float32{2*x[0] - 0.5, 2*x[1] - 0.5, 2*x[2] - 0.5})
	}
	l := &surface.Lattice{N: [3]int{128, 128, 128}, H: s.H / 2, V: make([]float32, 128*128*128)}
	deep, _ := s.Deep()
	fine := make([]bool, len(l.V))
	for i := range fine {
		fine[i] = deep[s.Index(i%128/2, i/128%128/2, i/(128*128)/2)]
	}
	t.most(fmt.Sprintf("surface of %.2f M particles at 128³, smoothed twice, meshed", n/1e6), best(3, func() {
		surface.FromPoints(l, p, 2, 3, fine, float32(3*l.H), t.crew.For)
		surface.Even(l, 2, float32(0.04*l.H), t.crew.For)
		surface.Nets(l, 0, t.crew.For)
	}), 120, "ms")
	small := tank(44, 44, 43, 1.0/44, [6]bool{}, t.crew)
	in.Emitters = []liquid.Emitter{bodyOf(geom.V(0.3, 0, 0.3), geom.V(0.6, 0.3, 0.6))}
	flows(small, 1, dt, 1e3, in, nil)
	begin = time.Now()
	for range 60 {
		flows(small, 1, dt, 1e3, in, nil)
	}
	t.most(fmt.Sprintf("a step of %.0f k particles in 83 k voxels, 1e-3", float64(len(small.P))/1e3), float64(time.Since(begin).Microseconds())/60e3, 6, "ms")
}

// liquidAccuracy holds the liquid against the literature and against itself.
func liquidAccuracy(t *Table) {
	still := tank(16, 16, 16, 0.05, [6]bool{}, t.crew)
	in := liquid.Inputs{Physics: water, Emitters: []liquid.Emitter{bodyOf(geom.V(0, 0, 0), geom.V(0.8, 0.42, 0.8))}}
	fast, first, last := 0.0, 0.0, 0.0
	flows(still, 240, 1.0/24, 2, in, func(f int, st liquid.FrameStats) {
		if f == 1 {
			first = enclosed(still)
		}
		fast = max(fast, st.MaxSpeed)
	})
	last = enclosed(still)
	t.most("still water, 240 frames: fastest particle", fast*1000, 1, "mm/s")
	t.most("still water, 240 frames: change of what the surface encloses", 100*math.Abs(last/first-1), 0.5, "%")

	slosh := tank(24, 24, 12, 0.04, [6]bool{}, t.crew)
	in.Emitters = []liquid.Emitter{bodyOf(geom.V(0, 0, 0), geom.V(0.48, 0.6, 0.48))}
	flows(slosh, 240, 1.0/24, 2, in, func(f int, _ liquid.FrameStats) {
		if f == 1 {
			first = enclosed(slosh)
		}
	})
	t.most("closed slosh, 240 frames: change of what the surface encloses", 100*math.Abs(enclosed(slosh)/first-1), 1, "%")

	fill := tank(20, 24, 20, 0.05, [6]bool{}, t.crew)
	jet := bodyOf(geom.V(0.4, 0.95, 0.4), geom.V(0.6, 1.1, 0.6))
	jet.Once, jet.AlongAxis, jet.Speed = false, true, -1.5
	in.Emitters = []liquid.Emitter{jet}
	var came float64
	flows(fill, 48, 1.0/24, 2, in, func(f int, st liquid.FrameStats) {
		if f == 1 {
			first = st.Volume
		}
		came = st.Volume - first
	})
	t.most("fill: volume against inflow × time", 100*math.Abs(came/(0.2*0.2*1.5*47/24)-1), 1, "%")
	t.most("dam break front against Martin and Moyce 1952, counted from Z = 1.44", 100*damBreak(t.crew), 8, "%")
	t.most("draining under a wall against Torricelli", 100*draining(t.crew), 5, "%")
	t.most("a sheet of lava cools by radiation, 2 s, against Stefan and Boltzmann", 100*cooling(t.crew), 3, "%")
}

// cooling is the worst error of a hot sheet's mean temperature, that conducts well enough to be
// evenly warm: ρ c d dT/dt = −ε σ (T⁴ − T_air⁴).
func cooling(crew grid.Crew) (worst float64) {
	const deep, capacity = 0.05, 20
	s := tank(12, 12, 12, 0.0125, [6]bool{}, crew)
	e := bodyOf(geom.V(0, 0, 0), geom.V(1, deep, 1))
	e.Heat = 1400
	in := liquid.Inputs{Physics: water, Emitters: []liquid.Emitter{e}}
	in.Physics.Density = 2700
	w := &liquid.Warmth{Air: 293, Capacity: capacity, Conducts: 1000, Radiates: 0.95, FlowsAt: 1400, StiffAt: 1100}
	in.Physics.Warmth = w
	mean := func() (m float64) {
		for i := range s.P {
			m += float64(s.P[i].Heat) / float64(len(s.P))
		}
		return m
	}
	want := 0.0
	flows(s, 49, 1.0/24, 2, in, func(f int, _ liquid.FrameStats) {
		if f <= 1 {
			want = mean()
			return
		}
		for range 100 {
			want -= w.Lost(want) / (2700 * capacity * deep) / 24 / 100
		}
		worst = max(worst, math.Abs(mean()/want-1))
	})
	return worst
}

// enclosed is the volume within a liquid's surface, m³.
func enclosed(s *liquid.Solver) (v float64) {
	for _, p := range s.Surface().Data {
		v += min(max(0.5-float64(p), 0), 1)
	}
	return v * s.H * s.H * s.H
}

// damBreak is the worst error of the front of a column twice as high as wide,
// Z = z/a at T = t·√(2g/a), where the release is at the table's Z = 1.44.
func damBreak(crew grid.Crew) (worst float64) {
	table := [][2]float64{{1.19, 1.44}, {1.43, 1.67}, {1.63, 1.89}, {1.83, 2.11}, {1.98, 2.33}, {2.20, 2.56}, {2.32, 2.78}, {2.51, 3.00}, {2.65, 3.22}, {2.83, 3.44}, {2.97, 3.67}, {3.11, 3.89}}
	a := 0.2
	s := tank(96, 40, 8, 0.0125, [6]bool{}, crew)
	in := liquid.Inputs{Physics: water, Emitters: []liquid.Emitter{bodyOf(geom.V(0, 0, 0), geom.V(a, 2*a, 1))}}
	scale := math.Sqrt(2 * 9.81 / a)
	var T, Z []float64
	flows(s, 36, 0.01, 1, in, func(int, liquid.FrameStats) {
		phi, x := s.Surface(), 0.0
		for i := range s.NX {
			if p := float64(phi.At(i, 0, 4)); p < 0 {
				x = (float64(i)+0.5)*s.H - p*s.H
			}
		}
		T, Z = append(T, s.Time*scale), append(Z, x/a)
	})
	at := func(x, y []float64, v float64) float64 {
		for n := 1; n < len(x); n++ {
			if x[n] >= v {
				return y[n-1] + (y[n]-y[n-1])*(v-x[n-1])/(x[n]-x[n-1])
			}
		}
		return math.NaN()
	}
	late := table[0][0] - at(Z, T, table[0][1])
	for _, e := range table {
		worst = max(worst, math.Abs(at(T, Z, e[0]-late)/e[1]-1))
	}
	return worst
}

// draining is the worst error of a jet's speed behind a slot at the floor: what
// lies on its top has fallen from the level to there.
func draining(crew grid.Crew) (worst float64) {
	h := 0.025
	s := tank(56, 40, 8, h, [6]bool{false, true}, crew)
	wall := geom.Shape{Form: geom.Block, Centre: geom.V(0.85, 0.575, 0.1), Size: geom.V(0.1, 0.85, 1), Turn: geom.RotationXYZ(geom.Vec3{})}
	in := liquid.Inputs{Physics: water, Emitters: []liquid.Emitter{bodyOf(geom.V(0, 0, 0), geom.V(0.8, 0.8, 0.2))}, Scene: sim.Scene{Colliders: []sim.Collider{{Shape: wall, Before: wall}}}}
	flows(s, 14, 1.0/24, 2, in, func(f int, _ liquid.FrameStats) {
		if f < 8 {
			return
		}
		var speed, n, top, jet float64
		for i := range s.P {
			p := &s.P[i]
			x, y := float64(p.X[0])*h, float64(p.X[1])*h
			if x > 1.0 && x < 1.15 {
				speed, n, jet = speed+math.Hypot(float64(p.V[0]), float64(p.V[1])), n+1, jet+y
			}
			if x < 0.3 {
				top = max(top, y)
			}
		}
		worst = max(worst, math.Abs(speed/n/math.Sqrt(2*9.81*(top-2*jet/n))-1))
	})
	return worst
}
