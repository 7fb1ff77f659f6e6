package measure

import (
	"fmt"
	"maps"
	"math"
	"runtime"
	"slices"
	"time"

	"zarf/core/frame"
	"zarf/core/gas"
	"zarf/core/geom"
	"zarf/core/grid"
	"zarf/core/pressure"
	"zarf/core/shot"
	"zarf/core/shot/val"
	"zarf/core/sim"
	"zarf/core/stage"
	"zarf/core/vec"
	"zarf/demo"
)

func shape(form geom.Form, at, size geom.Vec3) geom.Shape {
	return geom.Shape{Form: form, Centre: at, Size: size, Turn: geom.RotationXYZ(geom.Vec3{}), Taper: 1}
}

// fire is a burner under a ball that swings, some steps on, in a unit box.
func fire(n int, crew grid.Crew) (*gas.Solver, gas.Scene) {
	s, err := gas.New(gas.Box{Dims: cube(n), H: 1 / float64(n), Open: openTop, Burning: true}, crew)
	if err != nil {
		panic(err)
	}
	p := calm
	p.Vorticity, p.Scheme, p.Tolerance = 0.2, gas.MacCormack, 1e-3
	p.Fire = gas.Fire{Ignition: 600, Rate: 6, Heat: 2e7, Soot: 10, Expansion: 1, Spread: 0.5, Afterglow: 0.1, Radiation: 1500, RadiationAt: 2000}
	burner := shape(geom.Sphere, geom.V(0.5, 0.15, 0.5), geom.V(0.2, 0.2, 0.2))
	scene := func(t, dt float64) gas.Inputs {
		at := func(t float64) geom.Shape {
			return shape(geom.Sphere, geom.V(0.5+0.2*math.Sin(3*t), 0.5, 0.5), geom.V(0.15, 0.15, 0.15))
		}
		return gas.Inputs{Physics: p, Emitters: []gas.Emitter{{Emitter: sim.Emitter{Shape: burner, Before: burner}, Fuel: 0.06, Temperature: 500, Smoke: 0.1}}, Scene: sim.Scene{Colliders: []sim.Collider{{Shape: at(t), Before: at(t - dt)}}, Turbulences: []sim.Turbulence{{Strength: 1, Size: 0.3, Octaves: 2, Phase: t}}}}
	}
	for range 6 {
		step(s, scene)
	}
	return s, scene
}

// gasStep times whole steps; smoke and fire are timed in turn, and so are the sets of
// kernels, so that a noisy machine treats all alike.
func gasStep(t *Table) {
	for _, c := range []struct {
		n           int
		smoke, fire float64
	}{{32, 0, 0}, {64, 15, 40}, {128, 110, 240}, {192, 0, 0}} {
		s, scene := plume(c.n, t.crew)
		var smoke, burning pace
		if c.fire > 0 {
			f, flame := fire(c.n, t.crew)
			for range max(5, 512/c.n) {
				t.pace(&burning, timed(func() { step(f, flame) }))
				t.pace(&smoke, timed(func() { step(s, scene) }))
			}
			t.paced(fmt.Sprintf("burning step %d³ with a moving collider", c.n), &burning, c.fire)
		}
		for range 4 {
			t.pace(&smoke, timed(func() { step(s, scene) }))
		}
		t.paced(fmt.Sprintf("smoke step %d³", c.n), &smoke, c.smoke)
		t.most(fmt.Sprintf("smoke step %d³, time a cell", c.n), smoke.best.Seconds()*1e9/math.Pow(float64(c.n), 3), 0, "ns")
		if c.n == 128 {
			kernelSets(t, func() { step(s, scene) })
			beside(t)
		}
	}
}

// beside compares steps with sub-grid turbulence, and of smoke that points carry, with plain ones,
// in turns.
func beside(t *Table) {
	set := func(by, sub float64) func() {
		s, err := gas.New(gas.Box{Dims: cube(128), H: 1.0 / 128, Open: openTop, PerVoxel: by}, t.crew)
		if err != nil {
			panic(err)
		}
		scene := func(now, dt float64) gas.Inputs {
			in := plumeScene(now, dt)
			in.Physics.SubGrid = sub
			return in
		}
		for range 24 {
			step(s, scene)
		}
		return func() { step(s, scene) }
	}
	runs := []func(){set(0, 0), set(0, 1), set(16, 0)}
	best := make([]time.Duration, len(runs))
	for i := range best {
		best[i] = math.MaxInt64
	}
	for range 5 {
		for i, run := range runs {
			best[i] = min(best[i], fastest(1, run))
		}
	}
	t.most("smoke step 128³ with sub-grid turbulence against without", best[1].Seconds()/best[0].Seconds(), 1.2, "×")
	t.most("smoke step 128³, carried by 16 points a voxel against by voxels", best[2].Seconds()/best[0].Seconds(), 0, "×")
}

// kernelSets compares what smaller sets of kernels take, in turns.
func kernelSets(t *Table, fn func()) {
	all := vec.Sets()
	if vec.Chosen != all[len(all)-1] {
		return
	}
	defer func() { vec.Chosen = all[len(all)-1] }()
	best := make([]time.Duration, len(all))
	for i := range best {
		best[i] = math.MaxInt64
	}
	for range 3 {
		for i, set := range all {
			vec.Chosen = set
			best[i] = min(best[i], fastest(1, fn))
		}
	}
	whole := best[len(all)-1].Seconds()
	for i, goal := range []float64{6, 1.35}[:len(all)-1] {
		t.most(fmt.Sprintf("smoke step 128³, %s against %s", all[i], all[len(all)-1]), best[i].Seconds()/whole, goal, "×")
	}
}

// sparse compares a tall plume on tiles of a 256³ domain with a dense box of
// as many cells.
func sparse(t *Table) {
	n := 256
	h := 1 / float64(n)
	p := calm
	p.Vorticity, p.Scheme, p.Tolerance = 0.2, gas.MacCormack, 1e-3
	cone := shape(geom.Cylinder, geom.V(0.5, 0.47, 0.5), geom.V(0.1, 0.92, 0.1))
	cone.Taper = 1.9
	from := func(place geom.Shape) gas.Scene {
		return func(now, _ float64) gas.Inputs {
			in := gas.Inputs{Physics: p}
			if now < 0.025 { // what is timed is the plume, not its making
				in.Emitters = []gas.Emitter{{Emitter: sim.Emitter{Shape: place, Breakup: 0.4, NoiseSize: 0.1}, Smoke: 1, Temperature: 20}}
			}
			return in
		}
	}
	// the dense box is as full of smoke as the tiles are: what is empty costs less
	scene, full := from(cone), from(shape(geom.Block, geom.V(0.5, 0.5, 0.5), geom.V(1, 1, 1)))
	s, err := gas.New(gas.Box{Dims: cube(n), H: h, Open: pressure.Sides{true, true, false, true, true, true}, Follow: &gas.Follow{Threshold: 1e-3, Margin: 4 * h}}, t.crew)
	if err != nil {
		panic(err)
	}
	var st gas.FrameStats
	one := func(s *gas.Solver, scene gas.Scene) func() {
		return func() {
			if st, err = s.Frame(0.01, sim.Substeps{CFL: 1000, Min: 1, Max: 1}, scene, nil); err != nil {
				panic(err)
			}
		}
	}
	for range 3 {
		one(s, scene)()
	}
	cells := st.Voxels
	m := int(math.Cbrt(float64(cells)) + 0.5)
	runtime.GC()
	var before, after runtime.MemStats
	runtime.ReadMemStats(&before)
	d, err := gas.New(gas.Box{Dims: cube(m), H: 1 / float64(m), Open: openTop}, t.crew)
	if err != nil {
		panic(err)
	}
	for range 3 {
		one(d, full)()
	}
	runtime.GC()
	runtime.ReadMemStats(&after)
	dense := float64(after.HeapAlloc-before.HeapAlloc) / float64(m*m*m)
	a, b := time.Duration(math.MaxInt64), time.Duration(math.MaxInt64)
	for range 4 {
		a, b = min(a, fastest(1, one(s, scene))), min(b, fastest(1, one(d, full)))
	}
	one(s, scene)()
	label := fmt.Sprintf("plume on %.0f %% of 256³ (box %v) against dense %d³", 100*float64(st.Voxels)/float64(n*n*n), st.Window, m)
	perTile, perDense := a.Seconds()/float64(st.Voxels), b.Seconds()/float64(m*m*m)
	t.most(label+": time a cell", perTile/perDense, 1.25, "×")
	t.most(label+": memory a cell", float64(s.Resident())/float64(st.Voxels)/dense, 1.35, "×")
	runtime.KeepAlive(d)
}

var calm = gas.Physics{Gravity: 9.81, AirTemperature: 293, AirDensity: 1.2, Lift: 1, Scheme: gas.MacCormack, Tolerance: 1e-3, MaxIterations: 100}

// burning checks accounts of fire against what they must be.
func burning(t *Table) {
	b := gas.Box{Dims: cube(24), H: 0.05, Open: pressure.Sides{true, true, true, true, true, true}, Burning: true}
	p := calm
	p.Gravity, p.Tolerance = 0, 1e-6
	p.Fire = gas.Fire{Ignition: 600, Rate: 6, Heat: 2e7, Soot: 10, RadiationAt: 2000}
	light := func() *gas.Solver {
		s, err := gas.New(b, t.crew)
		if err != nil {
			panic(err)
		}
		for k := 8; k < 16; k++ {
			for j := 8; j < 16; j++ {
				for i := 8; i < 16; i++ {
					s.Heat.Set(i, j, k, 500)
					s.Fuel.Set(i, j, k, 0.05)
				}
			}
		}
		return s
	}
	total := func(f *grid.Field) (sum float64) {
		for _, v := range f.Data {
			sum += float64(v)
		}
		return sum * b.H * b.H * b.H
	}
	s := light()
	heat := total(s.Heat)
	burnt := 0.0
	for range 12 {
		st, err := s.Frame(1.0/24, sim.Substeps{CFL: 2, Min: 1, Max: 1}, func(float64, float64) gas.Inputs { return gas.Inputs{Physics: p} }, nil)
		if err != nil {
			panic(err)
		}
		burnt += st.FuelBurnt
	}
	want := burnt * p.Fire.Heat / (p.AirDensity * gas.HeatCapacity)
	t.most("fuel burnt × heat against heat gained: relative error", math.Abs((total(s.Heat)-heat)/want-1), 0.01, "")

	p.Fire.Expansion = 1
	s = light()
	st, err := s.Frame(1.0/48, sim.Substeps{CFL: 1000, Min: 1, Max: 1}, func(float64, float64) gas.Inputs { return gas.Inputs{Physics: p} }, nil)
	if err != nil {
		panic(err)
	}
	out, n := 0.0, b.NX
	for a := range n {
		for c := range n {
			out += float64(s.U.At(n, a, c) - s.U.At(0, a, c) + s.V.At(a, n, c) - s.V.At(a, 0, c) + s.W.At(a, c, n) - s.W.At(a, c, 0))
		}
	}
	t.most("expansion: volume made against outflow: relative error", math.Abs(out*b.H*b.H/48/st.Expanded-1), 0.02, "")

	p.Fire = gas.Fire{Radiation: 3000, RadiationAt: 2000}
	s = light()
	for i := range s.Heat.Data {
		s.Heat.Data[i], s.Fuel.Data[i] = 1500, 0
	}
	for range 24 {
		if _, err := s.Frame(1.0/24, sim.Substeps{CFL: 2, Min: 1, Max: 1}, func(float64, float64) gas.Inputs { return gas.Inputs{Physics: p} }, nil); err != nil {
			panic(err)
		}
	}
	span := 2000 - p.AirTemperature
	th := 1500 / span
	exact := span / math.Cbrt(1/(th*th*th)+3*3000/span)
	t.most("radiative cooling over a second against the closed solution: relative error", math.Abs(float64(s.Heat.At(12, 12, 12))/exact-1), 0.01, "")
}

// rises measures the exponents with which a thermal and a starting plume climb
// (Morton, Taylor, Turner 1956: height goes with t^½ and t^¾). Heights count from where
// their widths vanish, as both widen in proportion to them (Scorer 1957, Experiments on
// convection of isolated masses of buoyant fluid; Turner 1962, The starting plume), and
// matter once the front is twice as high over that as at the release. One run is as
// accidental as one experiment: curves are the means of five seeds.
func rises(t *Table) {
	carries(t)
	const seeds = 5
	for _, c := range []struct {
		name   string
		steady bool
		law    float64
	}{{"thermal", false, 0.5}, {"starting plume", true, 0.75}} {
		for _, f := range []struct {
			n    int
			goal float64
		}{{48, 0.08}, {64, 0.08}} {
			var runs []climb
			for seed := range seeds {
				runs = append(runs, climbing(f.n, c.steady, uint64(seed), t.crew))
			}
			mean := meanClimb(runs)
			origin := mean.origin()
			p := mean.exponent(origin)
			least, most := p, p
			for _, r := range runs {
				one := r.exponent(origin)
				least, most = min(least, one), max(most, one)
			}
			t.most(fmt.Sprintf("%s, %d voxels to 2 m: exponent of the mean of %d seeds, from %.2f m under the source, %.3f (alone %.3f to %.3f) against %g", c.name, f.n, seeds, sourceAt-origin, p, least, most, c.law), math.Abs(p/c.law-1), f.goal, "")
		}
	}
}

// climb is how high the front of a thermal or a plume is over time, and how wide the
// whole: how far smoke lies from its axis, in the root of the mean square.
type climb struct{ time, top, wide []float64 }

const (
	sourceAt     = 0.25 // m over the floor
	sourceRadius = 0.1  // m
)

// rising is a box, and the scene in which a thermal or a steady plume rises in it.
func rising(n int, steady bool, seed uint64, crew grid.Crew) (*gas.Solver, gas.Scene) {
	h := 2.0 / float64(n)
	b := gas.Box{Dims: grid.Dims{NX: n, NY: 2 * n, NZ: n}, H: h, Open: pressure.Sides{true, true, false, true, true, true},
		Follow: &gas.Follow{Threshold: 2e-3, Margin: 0.25}}
	s, err := gas.New(b, crew)
	if err != nil {
		panic(err)
	}
	p := calm
	ball := shape(geom.Sphere, geom.V(1, sourceAt, 1), geom.V(2*sourceRadius, 2*sourceRadius, 2*sourceRadius))
	return s, func(now, _ float64) gas.Inputs {
		in := gas.Inputs{Physics: p, Scene: sim.Scene{Turbulences: []sim.Turbulence{{Strength: 0.3, Size: 0.3, Octaves: 2, Phase: now, Seed: seed, Region: sim.Region{Shape: ball, Limited: true, Fade: 0.2}}}}}
		if steady {
			in.Emitters = []gas.Emitter{{Emitter: sim.Emitter{Shape: ball}, Add: true, Smoke: 10, Temperature: 300}}
		} else if now < 1.5e-3 {
			in.Emitters = []gas.Emitter{{Emitter: sim.Emitter{Shape: ball}, Smoke: 1, Temperature: 30}}
		}
		return in
	}
}

// climbing lets one rise until it is 3 m high, or for eight seconds.
func climbing(n int, steady bool, seed uint64, crew grid.Crew) (c climb) {
	s, scene := rising(n, steady, seed, crew)
	for f := range 190 {
		dt := 1.0 / 24
		if f == 0 {
			dt = 1e-3 // the release
		}
		st, err := s.Frame(dt, sim.Substeps{CFL: 2, Min: 1, Max: 8}, scene, nil)
		if err != nil {
			panic(err)
		}
		if st.Top > 3 {
			break
		}
		c.time, c.top, c.wide = append(c.time, s.Time), append(c.top, st.Top), append(c.wide, breadth(s))
	}
	return c
}

// carries measures what a steady plume carries through heights over its source, as a share of
// what it is fed: the same everywhere, as nothing is made or lost on its way.
func carries(t *Table) {
	const n, frames, from = 48, 408, 168 // at 24 frames a second; it passes 3 m in the sixth
	s, scene := rising(n, true, 0, t.crew)
	flow := make([]float64, s.Limit.NY) // of smoke, m³/s
	var first, last float64
	for f := range frames {
		st, err := s.Frame(1.0/24, sim.Substeps{CFL: 2, Min: 1, Max: 8}, scene, nil)
		if err != nil {
			panic(err)
		}
		switch f {
		case 23:
			first = st.SmokeTotal
		case 71:
			last = st.SmokeTotal
		}
		if f < from {
			continue
		}
		for k := range s.NZ {
			for j := range s.NY {
				for i, v := range s.Smoke.Row(j, k) {
					w := 0.5 * float64(s.V.At(i, j, k)+s.V.At(i, j+1, k))
					flow[j+s.Low[1]] += w * float64(v) * s.H * s.H / (frames - from)
				}
			}
		}
	}
	fed := 0.5 * (last - first)
	for _, y := range []float64{0.5, 1, 1.5, 2, 2.5} {
		share := flow[int(y/s.H)] / fed
		t.most(fmt.Sprintf("steady plume, %d voxels to 2 m: %.2f of what it is fed goes through %g m: off by", n, share, y), math.Abs(share-1), 0.15, "")
	}
}

// breadth is how far smoke lies from its vertical axis, in the root of the mean square, m.
func breadth(s *gas.Solver) float64 {
	var m, mx, mz, m2 float64
	for k := range s.NZ {
		for j := range s.NY {
			for i, v := range s.Smoke.Row(j, k) {
				w, x, z := float64(v), float64(i), float64(k)
				m, mx, mz, m2 = m+w, mx+w*x, mz+w*z, m2+w*(x*x+z*z)
			}
		}
	}
	return s.H * math.Sqrt(max(m2/m-(mx*mx+mz*mz)/(m*m), 0))
}

// meanClimb is the mean of several, as long as all go on.
func meanClimb(runs []climb) (c climb) {
	for f := 0; ; f++ {
		var top, wide float64
		for _, r := range runs {
			if f >= len(r.top) {
				return c
			}
			top, wide = top+r.top[f], wide+r.wide[f]
		}
		n := float64(len(runs))
		c.time, c.top, c.wide = append(c.time, runs[0].time[f]), append(c.top, top/n), append(c.wide, wide/n)
	}
}

// origin is the height at which a climb's width vanishes, by a straight line through those
// from where the front has gone three radii of the source on.
func (c climb) origin() float64 {
	var top, wide []float64
	for i, z := range c.top {
		if z > sourceAt+3*sourceRadius {
			top, wide = append(top, z), append(wide, c.wide[i])
		}
	}
	slope, begin := line(top, wide)
	return -begin / slope
}

// exponent is that of height over an origin, in time since the release.
func (c climb) exponent(origin float64) float64 {
	var t, z []float64
	for i, top := range c.top {
		if top-origin > 2*(sourceAt+sourceRadius-origin) {
			t, z = append(t, math.Log(c.time[i])), append(z, math.Log(top-origin))
		}
	}
	slope, _ := line(t, z)
	return slope
}

// line is the straight line nearest to places, by least squares: y = slope·x + begin.
func line(xs, ys []float64) (slope, begin float64) {
	var sx, sy, sxx, sxy float64
	for i, x := range xs {
		sx, sy, sxx, sxy = sx+x, sy+ys[i], sxx+x*x, sxy+x*ys[i]
	}
	n := float64(len(xs))
	slope = (n*sxy - sx*sy) / (n*sxx - sx*sx)
	return slope, (sy - slope*sx) / n
}

// likeness runs the demo's fires at three voxel sizes and shows how high, wide
// and hot they are, and when they have grown wide: what an artist raises the resolution
// for must not change the timing. The finest voxels of BL020 are a sixteenth of its fire's
// characteristic diameter, the coarsest a quarter: what measured fires were found to
// be resolved by (Hill et al. 2007, Verification and validation of selected fire models, NUREG-1824).
// A small flame in a gale is torn by chance: curves are the means of three seeds, whose gusts
// differ, up to the frame by which the first of them have spread it. By then the highest voxel that
// counts as seen is of shreds that coarse voxels thin out of sight, so that beside it stands the
// height under which nearly all smoke lies.
func likeness(t *Table) {
	for _, c := range []struct {
		shot   *shot.Shot
		fine   float64 // voxels of the finest run, over the demo's
		seeds  int
		at     []int
		widest float64 // goal of the frame at which it is widest
	}{{demo.Brazier(), 1, 3, []int{12, 24, 48}, 0}, {demo.Magazine(), 1.25, 1, []int{12, 24, 36}, 0.15}} {
		last := c.at[len(c.at)-1]
		var rows [3]swelling
		for n, by := range []float64{4, 2, 1} {
			var all []swelling
			for seed := range c.seeds {
				s := c.shot.Clone()
				for _, d := range s.Of(shot.Domain) {
					val.Voxel.Set(d, val.Voxel.Of(d)*c.fine*by)
					val.Seed.Set(d, val.Seed.Of(d)+float64(seed))
				}
				frames := last
				if c.widest > 0 {
					frames = int(val.Last.Of(s.Self))
				}
				all = append(all, grow(s, frames, t.crew))
			}
			rows[n] = meanSwelling(all)
		}
		a, b, z := &rows[0], &rows[1], &rows[2]
		both := func(what string, of func(g *swelling) float64, format string, goal float64) {
			t.most(fmt.Sprintf("%s %s at 4 : 2 : 1 — "+format+", "+format+", "+format+": 2 against 1", c.shot.Name, what, of(a), of(b), of(z)), math.Abs(of(b)/of(z)-1), goal, "")
			t.most(fmt.Sprintf("%s %s: 4 against 1", c.shot.Name, what), math.Abs(of(a)/of(z)-1), goal, "")
		}
		for _, f := range c.at {
			goal := 0.12
			if f > 36 {
				goal = 0
			}
			both(fmt.Sprintf("frame %d, height in m", f), func(g *swelling) float64 { return g.top[f-1] }, "%.2f", goal)
			both(fmt.Sprintf("frame %d, 99 %% of its smoke lies under, m", f), func(g *swelling) float64 { return g.bulk[f-1] }, "%.2f", 0)
			both(fmt.Sprintf("frame %d, width in m", f), func(g *swelling) float64 { return g.wide[f-1] }, "%.2f", 0)
			both(fmt.Sprintf("frame %d, hottest in K", f), func(g *swelling) float64 { return g.hot[f-1] }, "%.0f", 0)
		}
		if c.widest > 0 {
			both("frame of its largest width", (*swelling).widest, "%.0f", c.widest)
		}
		both(fmt.Sprintf("frames until nine tenths of its largest width up to frame %d", last), func(g *swelling) float64 { return g.widens(last) }, "%.1f", 0.15)
	}
}

// swelling is how high, wide and hot a fire is, by frames from the first on, and under what height
// nearly all of its smoke lies.
type swelling struct{ top, wide, hot, bulk []float64 }

// meanSwelling is that of several fires, frame by frame.
func meanSwelling(all []swelling) (m swelling) {
	of := func(curve func(g *swelling) []float64) []float64 {
		out := make([]float64, len(curve(&all[0])))
		for i := range all {
			for f, v := range curve(&all[i]) {
				out[f] += v / float64(len(all))
			}
		}
		return out
	}
	return swelling{of(func(g *swelling) []float64 { return g.top }), of(func(g *swelling) []float64 { return g.wide }), of(func(g *swelling) []float64 { return g.hot }), of(func(g *swelling) []float64 { return g.bulk })}
}

// bulkUnder is the height over a floor, m, under which a share of a channel lies: between the
// faces of the layer of voxels that it is reached in.
func bulkUnder(f *frame.Frame, channel string, floor, share float64) float64 {
	g := f.Grid(channel)
	layers := map[int]float64{}
	all := 0.0
	for _, l := range g.Leaves {
		for n, v := range l.Values {
			layers[int(l.Origin[1])+n>>3&7] += float64(v)
			all += float64(v)
		}
	}
	h, low := g.Transform.M[1][1], g.Transform.M[3][1]
	left := share * all
	for _, y := range slices.Sorted(maps.Keys(layers)) {
		if m := layers[y]; m >= left && m > 0 {
			return low + (float64(y)-0.5+left/m)*h - floor
		}
		left -= layers[y]
	}
	return 0
}

// grow runs the first domain of a shot.
func grow(s *shot.Shot, frames int, crew grid.Crew) (g swelling) {
	run, err := stage.New(s, "", crew)
	if err != nil {
		panic(err)
	}
	d := s.Of(shot.Domain)[0]
	floor := val.Position.Of(d)[1] - val.Size.Of(d)[1]/2
	for range frames {
		_, st, err := run.Advance(nil)
		if err != nil {
			panic(err)
		}
		g.top, g.wide, g.hot = append(g.top, st.Top), append(g.wide, st.Width), append(g.hot, st.Of(sim.PeakHeat)+val.AirTemperature.Of(s))
		g.bulk = append(g.bulk, bulkUnder(run.Frame(), frame.Density, floor, 0.99))
	}
	return g
}

// widest is the frame at which it is widest.
func (g *swelling) widest() float64 {
	return float64(1 + slices.Index(g.wide, slices.Max(g.wide)))
}

// widens is the frame, between frames, at which it is first nine tenths as wide as it gets
// up to a frame.
func (g *swelling) widens(last int) float64 {
	want, was := 0.9*slices.Max(g.wide[:last]), 0.0
	for i, w := range g.wide {
		if w >= want {
			return float64(i) + (want-was)/(w-was)
		}
		was = w
	}
	return float64(last)
}
