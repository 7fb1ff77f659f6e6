package measure

import (
	"bytes"
	"fmt"
	"math"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"time"

	"zarf/core/format/vdb"
	"zarf/core/frame"
	"zarf/core/gas"
	"zarf/core/geom"
	"zarf/core/grid"
	"zarf/core/look"
	"zarf/core/noise"
	"zarf/core/pressure"
	"zarf/core/render"
	"zarf/core/shot"
	"zarf/core/shot/val"
	"zarf/core/sim"
	_ "zarf/core/solvers"
)

// Bench measures speed; section "" runs all.
func Bench(only string, threads int) (*Table, error) {
	return run([]section{{"projection", projection}, {"advection", advection}, {"gas step", gasStep}, {"growth", growth}, {"liquid", liquidSpeed}, {"cloth", clothSpeed}, {"particles", moteSpeed}, {"handover", handoverSpeed}, {"sparse", sparse}, {"render", renderSpeed}, {"draft", draftSpeed}, {"cache", cacheSpeed}, {"scrub", scrubSpeed}, {"geometry", geometry}, {"interface", interfaceSpeed}, {"library", librarySpeed}, {"many at once", crowdSpeed}}, only, threads)
}

func cube(n int) grid.Dims { return grid.Dims{NX: n, NY: n, NZ: n} }

// faces makes open fractions with closed faces round solid cells.
func faces(d grid.Dims, solid func(x, y, z float64) bool) (x, y, z *grid.Field) {
	x = grid.NewField(grid.Dims{NX: d.NX + 1, NY: d.NY, NZ: d.NZ})
	y = grid.NewField(grid.Dims{NX: d.NX, NY: d.NY + 1, NZ: d.NZ})
	z = grid.NewField(grid.Dims{NX: d.NX, NY: d.NY, NZ: d.NZ + 1})
	for _, f := range []*grid.Field{x, y, z} {
		for i := range f.Data {
			f.Data[i] = 1
		}
	}
	n := float64(d.NX)
	for k := range d.NZ {
		for j := range d.NY {
			for i := range d.NX {
				if solid((float64(i)+0.5)/n, (float64(j)+0.5)/n, (float64(k)+0.5)/n) {
					x.Set(i, j, k, 0)
					x.Set(i+1, j, k, 0)
					y.Set(i, j, k, 0)
					y.Set(i, j+1, k, 0)
					z.Set(i, j, k, 0)
					z.Set(i, j, k+1, 0)
				}
			}
		}
	}
	return x, y, z
}

func ballSolid(x, y, z float64) bool {
	return (x-0.5)*(x-0.5)+(y-0.35)*(y-0.35)+(z-0.5)*(z-0.5) < 0.04
}

// lift fills the divergence that a warm ball's buoyancy leaves, on all threads as a step
// does.
func lift(s *pressure.Solver, d grid.Dims, crew grid.Crew) {
	n := float64(d.NX)
	crew.For(d.NZ, 1, func(k0, k1 int) {
		for k := k0; k < k1; k++ {
			for j := range d.NY {
				row := s.RHS(j, k)
				for i := range row {
					a, b, c := (float64(i)+0.5)/n-0.5, (float64(j)+0.5)/n-0.25, (float64(k)+0.5)/n-0.5
					row[i] = float32(b * math.Exp(-(a*a+b*b+c*c)*60))
				}
			}
		}
	})
}

var openTop = pressure.Sides{3: true}

func projection(t *Table) {
	goal := map[string]float64{"64 0.001": 5, "128 0.001": 42, "192 0.001": 150, "64 1e-06": 9, "128 1e-06": 80, "192 1e-06": 300}
	for _, n := range []int{64, 128, 192} {
		d := cube(n)
		s, err := pressure.New(d, t.crew)
		if err != nil {
			panic(err)
		}
		x, y, z := faces(d, ballSolid)
		s.Setup(openTop, nil, x, y, z)
		for _, tol := range []float64{1e-3, 1e-6} {
			var st pressure.Stats
			var p pace
			for range max(4, 1024/n) {
				t.pace(&p, func() time.Duration {
					lift(s, d, t.crew)
					return fastest(1, func() { st = s.Solve(tol, 100) })
				})
			}
			t.paced(fmt.Sprintf("%d³ to %g (%d iterations)", n, tol, st.Iterations), &p, goal[fmt.Sprintf("%d %g", n, tol)])
		}
	}
	for _, c := range []struct {
		name  string
		solid func(x, y, z float64) bool
	}{
		{"thin plate", func(x, y, z float64) bool {
			return math.Abs(y-0.47) < 0.5/128 && x > 0.15 && x < 0.85 && z > 0.15 && z < 0.85
		}},
		{"box shell with a hole", func(x, y, z float64) bool {
			in := func(v float64) bool { return v > 0.25 && v < 0.75 }
			edge := min(x-0.25, 0.75-x, y-0.25, 0.75-y, z-0.25, 0.75-z) < 1.0/128
			return in(x) && in(y) && in(z) && edge && !(y > 0.7 && math.Abs(x-0.5) < 0.05 && math.Abs(z-0.5) < 0.05)
		}},
		{"two gapped walls", func(x, y, z float64) bool {
			return (math.Abs(x-0.3) < 0.5/128 && y < 0.9) || (math.Abs(x-0.6) < 0.5/128 && y > 0.1)
		}},
	} {
		d := cube(128)
		s, _ := pressure.New(d, t.crew)
		x, y, z := faces(d, c.solid)
		s.Setup(openTop, nil, x, y, z)
		lift(s, d, t.crew)
		st := s.Solve(1e-3, 100)
		t.most(c.name+" at 128³, iterations to 0.001", float64(st.Iterations), 8, "iterations")
	}
}

// Plume is a warm plume some steps on, for timing.
func plume(n int, crew grid.Crew) (*gas.Solver, gas.Scene) {
	s, err := gas.New(gas.Box{Dims: cube(n), H: 1 / float64(n), Open: openTop}, crew)
	if err != nil {
		panic(err)
	}
	for range 6 {
		step(s, plumeScene)
	}
	return s, plumeScene
}

// plumeScene is a warm ball near the floor.
func plumeScene(float64, float64) gas.Inputs {
	return gas.Inputs{
		Physics:  gas.Physics{Gravity: 9.81, AirTemperature: 293, AirDensity: 1.2, Lift: 1, Vorticity: 0.2, Scheme: gas.MacCormack, Tolerance: 1e-3, MaxIterations: 100},
		Emitters: []gas.Emitter{{Emitter: sim.Emitter{Shape: geom.Shape{Form: geom.Sphere, Centre: geom.V(0.5, 0.15, 0.5), Size: geom.V(0.2, 0.2, 0.2), Turn: geom.RotationXYZ(geom.Vec3{}), Taper: 1}}, Smoke: 1, Temperature: 80}},
	}
}

func step(s *gas.Solver, scene gas.Scene) {
	if _, err := s.Frame(1.0/24, sim.Substeps{CFL: 1000, Min: 1, Max: 1}, scene, nil); err != nil {
		panic(err)
	}
}

// advection carries three velocity parts and three scalars: those of a plume, whose
// flow is coherent and which leaves most of the box without smoke, and those of a box
// full of eddies and smoke, which spares nothing.
func advection(t *Table) {
	for _, c := range []struct {
		n             int
		plume, eddies float64
	}{{64, 11, 14}, {128, 80, 110}} {
		for name, goal := range map[string]float64{"coherent plume": c.plume, "turbulent box": c.eddies} {
			s, _ := plume(c.n, t.crew)
			if name == "turbulent box" {
				stir(s)
			}
			// a third scalar: the burning box carries four, of which one stays empty
			b, err := gas.New(gas.Box{Dims: cube(c.n), H: 1 / float64(c.n), Open: openTop, Burning: true}, t.crew)
			if err != nil {
				panic(err)
			}
			for _, p := range [][2]*grid.Field{{b.U, s.U}, {b.V, s.V}, {b.W, s.W}, {b.Smoke, s.Smoke}, {b.Heat, s.Heat}, {b.Fuel, s.Smoke}} {
				p[0].CopyFrom(p[1])
			}
			var p pace
			for range 6 {
				t.pace(&p, timed(func() { b.Advect(1.0/24, gas.MacCormack) }))
			}
			t.paced(fmt.Sprintf("MacCormack %d³, 3 velocity parts and 3 scalars, %s", c.n, name), &p, goal)
		}
	}
	slices.SortStableFunc(t.Rows, func(a, b Row) int {
		if a.Section != "advection" || b.Section != "advection" {
			return 0
		}
		return strings.Compare(a.Case[strings.LastIndex(a.Case, ","):], b.Case[strings.LastIndex(b.Case, ","):])
	})
}

// stir fills a box with smoke and with eddies of an eighth of it, as fast as two cells
// a step of 1/24 s in the mean.
func stir(s *gas.Solver) {
	speed := 2 * 24 * s.H
	for c, f := range []*grid.Field{s.U, s.V, s.W} {
		for k := range f.NZ {
			for j := range f.NY {
				row := f.Row(j, k)
				for i := range row {
					x, y, z := 8*float64(i)/float64(s.NX), 8*float64(j)/float64(s.NY), 8*float64(k)/float64(s.NZ)
					row[i] = float32(speed * math.Sqrt(3) * 2 * noise.Octaves(uint64(c+1), 3, x, y, z))
				}
			}
		}
	}
	for n, f := range []*grid.Field{s.Smoke, s.Heat} {
		for i := range f.Data {
			f.Data[i] = float32(1 + math.Sin(float64(i*(n+3))*0.01))
		}
	}
}

// puff is a round cloud with holes.
func puff(n int) *grid.Field {
	f := grid.NewField(cube(n))
	for k := range n {
		for j := range n {
			for i := range n {
				x, y, z := float64(i)/float64(n)-0.5, float64(j)/float64(n)-0.5, float64(k)/float64(n)-0.5
				r := math.Sqrt(x*x + y*y + z*z)
				v := (0.35 - r) * 8 * (0.6 + 0.4*math.Sin(30*x)*math.Cos(25*y)*math.Sin(28*z))
				f.Set(i, j, k, float32(min(max(v, 0), 1)))
			}
		}
	}
	return f
}

func testScene(n int, crew grid.Crew, method string) *render.Scene {
	v, _ := render.NewVolume(puff(n), 1/float64(n), geom.V(-0.5, 0, -0.5), crew)
	l := look.At(shot.NewElement(shot.Look, "", "", val.Method.Is(method)), 1)
	l.Ground = false
	return &render.Scene{Volumes: []*render.Volume{v}, Look: l, Camera: render.NewCamera(geom.V(1.2, 0.8, 1.6), geom.V(0, 0.5, 0), 45)}
}

func renderSpeed(t *Table) {
	marchSpeed(t)
	sample := 0.0 // s
	for _, threads := range []int{1, t.crew.Threads()} {
		crew := grid.NewCrew(threads)
		sc := fireScene(128, crew, "path")
		sc.Volumes[0] = linesOf(sc, crew)
		p := picture(sc, 640, 360, crew)
		best := fastest(5, func() { p.Pass(nil) })
		name := fmt.Sprintf("unbiased, 4 bounces, 128³ fire with self-light, 640×360, 64 samples (from 5), %d threads", threads)
		if threads == 1 {
			t.most(name, best.Seconds()*64, 0, "s")
			continue
		}
		t.most(name, best.Seconds()*64, 16, "s")
		sample = best.Seconds()
	}
	// as in a blast: a tile of eight voxels is forty deep, so that trial collisions are many
	dense := testScene(128, t.crew, "path")
	for c := range 3 {
		dense.Look.Extinction[c], dense.Look.Scattering[c] = 690, 207
	}
	v := dense.Volumes[0]
	if _, err := v.Dress(&render.Channels{Density: v.Density}, &dense.Look, t.crew); err != nil {
		panic(err)
	}
	p := picture(dense, 320, 180, t.crew)
	t.most("unbiased, dense dark smoke of 128³ read smoothly, 320×180, 16 samples (from 9)", fastest(9, func() { p.Pass(nil) }).Seconds()*16, 0, "s")
	denoisedSpeed(t, sample)
}

// picture begins a picture of a scene that nothing is wrong with.
func picture(s *render.Scene, w, h int, crew grid.Crew) *render.Picture {
	p, err := render.NewWith(s, w, h, render.Wants{Features: s.Look.Denoise > 0}, crew)
	if err != nil {
		panic(err)
	}
	return p
}

// marchSpeed is that of the quick march. A scene keeps the light within its volumes, so
// where that counts each picture has a scene of its own.
func marchSpeed(t *Table) {
	afresh := func(s *render.Scene) *render.Scene {
		return &render.Scene{Volumes: s.Volumes, Solids: s.Solids, Look: s.Look, Camera: s.Camera}
	}
	grey := testScene(128, t.crew, "march").Quick()
	t.most("quick march of 128³ at 640×360, light included", ms(fastest(12, func() { picture(afresh(grey), 640, 360, t.crew).Pass(nil) })), 30, "ms")
	var p *render.Picture
	t.most("the same, light kept", ms(fastest(12, func() {
		p = picture(grey, 640, 360, t.crew)
		p.Pass(nil)
	})), 20, "ms")
	t.most("the same, every ray, as in further passes", ms(fastest(4, func() { p.Pass(nil) })), 0, "ms")

	full := fireScene(128, t.crew, "march").Quick()
	second, _ := render.NewVolume(puff(96), 0.9/96, geom.V(-0.1, 0.1, -0.5), t.crew)
	full.Volumes = append(full.Volumes, second)
	full.Solids = []render.Solid{{Shape: geom.Shape{Form: geom.Sphere, Centre: geom.V(-0.5, 0.2, 0.5), Turn: geom.RotationXYZ(geom.Vec3{}), Size: geom.V(0.2, 0.2, 0.2), Taper: 1}, Colour: look.RGB{0.5, 0.5, 0.5}}}
	full.Look.Ground = false
	t.most("the same with fire, two domains that overlap and a solid, light included", ms(fastest(12, func() { picture(afresh(full), 640, 360, t.crew).Pass(nil) })), 60, "ms")
	t.most("the same, light kept", ms(fastest(6, func() { picture(full, 640, 360, t.crew).Pass(nil) })), 0, "ms")
	floor := fireScene(128, t.crew, "march").Quick()
	floor.Look.Ground = true
	t.most("quick march of 128³ fire that lights the ground, 1280×720, light kept", ms(fastest(6, func() { picture(floor, 1280, 720, t.crew).Pass(nil) })), 0, "ms")

	pool := picture(poolScene(), 640, 360, t.crew)
	t.most("march of a jet into a glass tub among solids, 640×360, 16 samples (from 4)", 16*fastest(4, func() { pool.Pass(nil) }).Seconds(), 0, "s")

	smooth := fireScene(128, t.crew, "march")
	further := func(s *render.Scene) time.Duration {
		p := picture(s, 640, 360, t.crew)
		p.Pass(nil)
		return fastest(3, func() { p.Pass(nil) })
	}
	lines := further(smooth.Quick())
	t.most("fire read smoothly against straight lines, light kept, every ray", float64(further(smooth))/float64(lines), 2, "×")

	puffed, lit := burningChannels(128), fireScene(128, t.crew, "march")
	puffed.Keep()
	for _, c := range []struct {
		name string
		act  func(l *look.Look, n int)
	}{
		{"of its light", func(l *look.Look, n int) { l.Sun[0] = float64(n) }},
		{"of what glows", func(l *look.Look, n int) { l.FlameScale += 1e-3 * float64(n) }},
	} {
		n := 0
		first := fastest(5, func() {
			n++
			l := lit.Look
			c.act(&l, n)
			l.Smooth = false
			v, _, err := puffed.Volume(1.0/128, geom.V(-0.5, 0, -0.5), &l, t.crew)
			if err != nil {
				panic(err)
			}
			picture((&render.Scene{Volumes: []*render.Volume{v}, Look: l, Camera: lit.Camera}).Quick(), 160, 90, t.crew).Pass(nil)
		})
		t.most("change "+c.name+" to the first picture, 128³ fire, a quarter of 640×360", ms(first), 80, "ms")
	}
}

// poolScene is a tub of glass on a stand, a stool in it, and a jet that falls into rippled
// water.
func poolScene() *render.Scene {
	l := look.At(shot.NewElement(shot.Look, "", "", val.Method.Is("march")), 1)
	const h = 2.0 / 80
	phi := grid.NewField(grid.Dims{NX: 80, NY: 100, NZ: 80})
	for i := range phi.Data {
		x, y, z := (float64(i%80)+0.5)*h-1, (float64(i/80%100)+0.5)*h, (float64(i/8000)+0.5)*h-1
		level := y - 0.5 - 0.04*math.Sin(9*x)*math.Cos(11*z)
		jet := math.Hypot(x+0.3, z) - 0.12 - 0.03*math.Sin(14*y)
		phi.Data[i] = float32(min(level, jet, 4*h))
	}
	solid := func(form geom.Form, y, wide, tall float64) render.Solid {
		return render.Solid{Shape: geom.Shape{Form: form, Centre: geom.V(0, y, 0), Turn: geom.RotationXYZ(geom.Vec3{}), Size: geom.V(wide, tall, wide), Wall: 0.12, Taper: 1}, Colour: look.RGB{0.3, 0.2, 0.1}}
	}
	solids := []render.Solid{solid(geom.Tube, 0.98, 2.08, 1.86), solid(geom.Cylinder, 0.06, 2.12, 0.12)}
	solids[0].Clear = true
	for i := range 3 {
		leg := solid(geom.Block, 0.3, 0.14, 0.4)
		leg.Shape.Centre.X = 0.3*float64(i) - 0.1
		leg.Shape.Turn = geom.RotationXYZ(geom.V(0, 20*float64(i), 0))
		solids = append(solids, leg)
	}
	none := [3]*grid.Field{}
	return &render.Scene{Liquids: []*render.Liquid{render.NewLiquid(phi, h, geom.V(-1, 0, -1), 4*h, 2*h, none, 0, geom.Vec3{}, 0)},
		Solids: solids, Look: l, Camera: render.NewCamera(geom.V(2.2, 1.8, 3.4), geom.V(0, 0.8, 0), 45)}
}

// linesOf is the burning volume of a scene, read in straight lines between voxels.
func linesOf(s *render.Scene, crew grid.Crew) *render.Volume {
	l := s.Look
	l.Smooth = false
	return dressed(burningChannels(128), 128, crew, &l)
}

// denoisedSpeed is that of the denoiser, and of paths whose denoised picture is as near
// to the truth as 64 raw samples; sample is what one of those takes, s.
func denoisedSpeed(t *Table, sample float64) {
	sc := fireScene(64, t.crew, "path")
	sc.Look.Denoise = 1
	var took [2]float64 // s
	for n, c := range []struct {
		w, h int
		goal float64
	}{{640, 360, 250}, {1280, 720, 1000}} {
		q := picture(sc, c.w, c.h, t.crew)
		for range 4 {
			q.Pass(nil)
		}
		took[n] = fastest(2, func() { q.Finished() }).Seconds()
		t.most(fmt.Sprintf("denoising %d×%d", c.w, c.h), 1e3*took[n], c.goal, "ms")
	}
	n := asGoodAs64(t.crew)
	t.most(fmt.Sprintf("the error of 64 raw samples, by %d denoised, 640×360", n), float64(n)*sample+took[0], 6, "s")
	t.most("error of paths at the time of one march pass, against that of the march, 64³ fire at 96×54", pathsAgainstMarch(t.crew), 0, "×")
}

// gap is the relative error of a picture.
func gap(of, truth []look.RGB) float64 {
	e := 0.0
	for i, a := range truth {
		for c := range 3 {
			d := (of[i][c] - a[c]) / (a[c] + 0.05)
			e += d * d
		}
	}
	return math.Sqrt(e)
}

// raw are a picture's pixels as they were sampled.
func raw(p *render.Picture) []look.RGB {
	out := make([]look.RGB, p.W*p.H)
	for i := range out {
		out[i], _ = p.At(i%p.W, i/p.W)
	}
	return out
}

// finished are its pixels as they are shown, in linear light.
func finished(p *render.Picture) []look.RGB {
	f := p.Finished()
	out := make([]look.RGB, p.W*p.H)
	for i := range out {
		for c := range 3 {
			out[i][c] = float64(f.Pix[4*i+c])
		}
	}
	return out
}

// asGoodAs64 is how many samples of fire are as near to the truth, once they are denoised,
// as 64 that aren't.
func asGoodAs64(crew grid.Crew) int {
	const w, h = 128, 72
	sc := fireScene(128, crew, "path")
	sc.Look.Denoise = 1
	var cleaned [][]look.RGB
	p := picture(sc, w, h, crew)
	for range 64 {
		p.Pass(nil)
		if p.Samples%4 == 0 {
			cleaned = append(cleaned, finished(p))
		}
	}
	begun := raw(p)
	const all = 512
	for range all - 64 {
		p.Pass(nil)
	}
	// the truth is told by the further samples alone: the first would speak for themselves
	truth := raw(p)
	for i, b := range begun {
		truth[i] = truth[i].Scale(all / (all - 64.0)).Add(b.Scale(-64 / (all - 64.0)))
	}
	goal := gap(begun, truth)
	for n, c := range cleaned {
		if gap(c, truth) <= goal {
			return 4 * (n + 1)
		}
	}
	return 64
}

// burningChannels are those of the puff with a hot, burning middle.
func burningChannels(n int) *render.Channels {
	f := puff(n)
	heat, burn := grid.NewField(f.Dims), grid.NewField(f.Dims)
	for i, d := range f.Data {
		if d > 0.7 {
			heat.Data[i], burn.Data[i] = (d-0.7)*4500, (d-0.7)*3
		}
	}
	return &render.Channels{Density: f, Temperature: heat, Burn: burn, Air: 293, Burns: true}
}

// dressed is a volume of channels as a look shades it.
func dressed(c *render.Channels, n int, crew grid.Crew, l *look.Look) *render.Volume {
	v, _ := render.NewVolume(c.Density, 1/float64(n), geom.V(-0.5, 0, -0.5), crew)
	if _, err := v.Dress(c, l, crew); err != nil {
		panic(err)
	}
	return v
}

func fireScene(n int, crew grid.Crew, method string) *render.Scene {
	l := look.At(shot.NewElement(shot.Look, "", "", val.Method.Is(method)), 1)
	return &render.Scene{Volumes: []*render.Volume{dressed(burningChannels(n), n, crew, &l)}, Look: l, Camera: render.NewCamera(geom.V(1.2, 0.8, 1.6), geom.V(0, 0.5, 0), 45)}
}

// pathsAgainstMarch takes as many samples as one pass of the march lasts, and
// holds both errors against a picture of many samples.
func pathsAgainstMarch(crew grid.Crew) float64 {
	const w, h = 96, 54
	take := func(method string, until func(n int, spent time.Duration) bool) []look.RGB {
		sc := fireScene(64, crew, method)
		begin := time.Now()
		p, err := render.New(sc, w, h, crew)
		if err != nil {
			panic(err)
		}
		for !until(p.Samples, time.Since(begin)) {
			p.Pass(nil)
		}
		return raw(p)
	}
	truth := take("path", func(n int, _ time.Duration) bool { return n >= 512 })
	begin := time.Now()
	march := take("march", func(n int, _ time.Duration) bool { return n >= 4 })
	spent := time.Since(begin)
	paths := take("path", func(n int, d time.Duration) bool { return n > 0 && d >= spent })
	return gap(paths, truth) / gap(march, truth)
}

func cacheSpeed(t *Table) {
	n := 128
	f := puff(n)
	dims := [3]int{n, n, n}
	var grids []*frame.Grid
	for _, name := range []string{"density", "temperature", "fuel"} {
		grids = append(grids, frame.FromDense(name, [3]int{}, dims, [][]float32{f.Data}, 0, 0, t.crew.For))
	}
	plain := float64(3 * 4 * n * n * n)
	ref := reference(grids)
	for _, c := range []struct {
		name  string
		comp  vdb.Compression
		times float64
	}{{"Blosc", vdb.Blosc, 1}, {"zip", vdb.Zip, 4}, {"none", vdb.None, 1}} {
		var b bytes.Buffer
		w := fastest(3, func() {
			b.Reset()
			if err := vdb.Write(&b, grids, vdb.Options{Compression: c.comp, Workers: t.crew.For}); err != nil {
				panic(err)
			}
		})
		data := bytes.Clone(b.Bytes())
		r := fastest(3, func() {
			if _, err := vdb.Decode(data, vdb.DefaultLimits); err != nil {
				panic(err)
			}
		})
		ws, rs := plain/w.Seconds()/1e6, plain/r.Seconds()/1e6
		if c.comp == vdb.Blosc && ref.write > 0 {
			t.least("VDB write 128³ ×3, Blosc, against the reference library", ws/ref.write, c.times, "×")
			t.least("VDB read 128³ ×3, Blosc, against the reference library", rs/ref.read, c.times, "×")
			t.most("VDB size, Blosc, against the reference library", float64(len(data))/ref.size, 1.05, "×")
		}
		t.least("VDB write 128³ ×3, "+c.name, ws, 0, "MB/s")
		t.least("VDB read 128³ ×3, "+c.name, rs, 0, "MB/s")
	}
}

type refSpeed struct{ write, read, size float64 }

// reference times the reference library on the same grids, where its Python
// module is installed; it can be asked for Blosc only.
func reference(grids []*frame.Grid) (out refSpeed) {
	dir, err := os.MkdirTemp("", "zarf-bench-")
	if err != nil {
		return out
	}
	defer os.RemoveAll(dir)
	in, to := filepath.Join(dir, "in.vdb"), filepath.Join(dir, "out.vdb")
	b, err := vdb.Encode(grids, vdb.Options{Compression: vdb.None})
	if err != nil || os.WriteFile(in, b, 0o600) != nil {
		return out
	}
	text, err := exec.Command("/usr/bin/python3", "-c", `
import pyopenvdb as v,sys,time
gs,_=v.readAll(sys.argv[1])
for g in gs: g.activeVoxelCount()
w=r=1e9
for i in range(3):
    t=time.perf_counter(); v.write(sys.argv[2],gs); w=min(w,time.perf_counter()-t)
    t=time.perf_counter(); gs2,_=v.readAll(sys.argv[2]); [g.evalMinMax() for g in gs2]; r=min(r,time.perf_counter()-t)
print(w,r)`, in, to).Output()
	if err != nil {
		return out
	}
	f := strings.Fields(string(text))
	info, err := os.Stat(to)
	if err != nil || len(f) != 2 {
		return out
	}
	w, _ := strconv.ParseFloat(f[0], 64)
	r, _ := strconv.ParseFloat(f[1], 64)
	n := float64(3 * 4 * 128 * 128 * 128)
	return refSpeed{n / w / 1e6, n / r / 1e6, float64(info.Size())}
}
